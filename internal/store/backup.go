package store

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"github.com/go-sql-driver/mysql"
)

// client runs a program of MariaDB's against a database, its password in a file that only
// this user can read and that goes at once.
func client(ctx context.Context, program, dsn string, in io.Reader, out io.Writer, args ...string) error {
	one, _, err := hostsOf(dsn) // of a cluster, its first node
	if err != nil {
		return err
	}
	c, err := mysql.ParseDSN(one)
	if err != nil {
		return err
	}
	if c.DBName == "" {
		return errors.New("the DSN names no database")
	}
	dir, err := os.MkdirTemp("", "trevik-client-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	quote := func(s string) string {
		return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`, "\n", `\n`).Replace(s) + `"`
	}
	options := "[client]\nuser=" + quote(c.User) + "\npassword=" + quote(c.Passwd) + "\n"
	if c.Net == "unix" {
		options += "socket=" + quote(c.Addr) + "\n"
	} else {
		host, port, err := net.SplitHostPort(c.Addr)
		if err != nil {
			return fmt.Errorf("the DSN's address: %w", err)
		}
		options += "protocol=tcp\nhost=" + quote(host) + "\nport=" + port + "\n"
	}
	file := filepath.Join(dir, "client.cnf")
	if err := os.WriteFile(file, []byte(options), 0o600); err != nil {
		return err
	}
	path, err := exec.LookPath(program)
	if err != nil {
		return fmt.Errorf("%s is not installed; it comes with MariaDB's client", program)
	}
	cmd := exec.CommandContext(ctx, path, append([]string{"--defaults-file=" + file}, append(args, c.DBName)...)...)
	var wrong bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = in, out, &wrong
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("%s: %w: %s", program, err, strings.TrimSpace(wrong.String()))
	}
	return nil
}

// Backup writes a database as SQL, as it is at one moment, while it goes on being used. The
// same rows give the same text.
func Backup(ctx context.Context, dsn string, out io.Writer) error {
	return client(ctx, "mariadb-dump", dsn, nil, out, "--single-transaction", "--skip-comments", "--skip-dump-date", "--order-by-primary",
		"--hex-blob", "--no-tablespaces", "--skip-add-locks", "--default-character-set=utf8mb4")
}

// ErrCut says that a backup ends before its end.
var ErrCut = errors.New("the backup was cut off; nothing was restored")

// lastLine ends what mariadb-dump writes.
const lastLine = "SQL_NOTES=@OLD_SQL_NOTES */;"

// Whole reads a backup to its end without doing anything. It fails with ErrCut on one that was cut
// off, and with the reader's own error.
func Whole(in io.Reader) error {
	var tail []byte
	piece := make([]byte, 1<<20)
	for {
		n, err := in.Read(piece)
		tail = append(tail, piece[:n]...)
		tail = tail[max(0, len(tail)-1000):]
		if err == io.EOF {
			break
		}
		if errors.Is(err, io.ErrUnexpectedEOF) {
			return ErrCut
		}
		if err != nil {
			return err
		}
	}
	if !bytes.HasSuffix(bytes.TrimSpace(tail), []byte(lastLine)) {
		return ErrCut
	}
	return nil
}

// ErrNotEmpty says that a database holds tables already.
var ErrNotEmpty = errors.New("the database is not empty; restore into a new one")

// Restore reads a backup into an empty database. It fails with ErrNotEmpty on another.
func Restore(ctx context.Context, dsn string, in io.Reader) error {
	s, err := Open(dsn)
	if err != nil {
		return err
	}
	var tables int
	err = s.DB.QueryRowContext(ctx, "SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE()").Scan(&tables)
	if closeErr := s.Close(); err == nil {
		err = closeErr
	}
	if err != nil {
		return err
	}
	if tables > 0 {
		return ErrNotEmpty
	}
	return client(ctx, "mariadb", dsn, in, io.Discard, "--binary-mode", "--default-character-set=utf8mb4")
}
