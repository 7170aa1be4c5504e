package store

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"time"

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

// Point is where a backup stands among what its server logged: changes from there on are not in it.
type Point struct {
	Database string    `json:"database"`
	At       time.Time `json:"at"` // no later than the moment that the backup shows
	Log      string    `json:"log"`
	Position uint64    `json:"position"`
}

// Backup writes a database as SQL, as it is at one moment, while it goes on being used. The
// same rows give the same text. The point is nil where the server keeps no binary log, or this
// user may not ask for it.
func Backup(ctx context.Context, dsn string, out io.Writer) (*Point, error) {
	point, err := pointNow(ctx, dsn)
	if err != nil {
		return nil, err
	}
	args := []string{"--single-transaction", "--skip-comments", "--skip-dump-date", "--order-by-primary", "--hex-blob", "--no-tablespaces",
		"--skip-add-locks", "--default-character-set=utf8mb4"}
	if point == nil {
		return nil, client(ctx, "mariadb-dump", dsn, nil, out, args...)
	}
	head := &pointed{out: out, point: point}
	if err := client(ctx, "mariadb-dump", dsn, nil, head, append(args, "--master-data=2")...); err != nil {
		return nil, err
	}
	if !head.found {
		return nil, errors.New("mariadb-dump did not tell where it stands in the binary log")
	}
	return point, nil
}

// pointNow is where the server's log stands, in the order of things before a backup; nil is no log.
func pointNow(ctx context.Context, dsn string) (*Point, error) {
	one, _, err := hostsOf(dsn)
	if err != nil {
		return nil, err
	}
	db, err := sql.Open("mysql", one)
	if err != nil {
		return nil, err
	}
	defer db.Close()
	var p Point
	var at int64
	var logs bool
	if err := db.QueryRowContext(ctx, "SELECT DATABASE(), UNIX_TIMESTAMP(), @@log_bin").Scan(&p.Database, &at, &logs); err != nil {
		return nil, err
	}
	p.At = time.Unix(at, 0).UTC()
	if !logs {
		return nil, nil
	}
	rows, err := db.QueryContext(ctx, "SHOW MASTER STATUS")
	if refused := new(mysql.MySQLError); errors.As(err, &refused) && (refused.Number == 1227 || refused.Number == 1045) {
		return nil, nil // it needs BINLOG MONITOR
	}
	if err != nil {
		return nil, err
	}
	return &p, rows.Close()
}

// pointed takes the lines that tell a backup's point out of it; all else goes on to out.
type pointed struct {
	out   io.Writer
	point *Point
	rest  []byte // of a line whose end is to come
	found bool
}

var (
	pointLine = regexp.MustCompile(`^-- CHANGE MASTER TO MASTER_LOG_FILE='([^']+)', MASTER_LOG_POS=(\d+);`)
	// gtidLine tells the same of replicas; a server that logs nothing writes none.
	gtidLine = []byte("-- SET GLOBAL gtid_slave_pos=")
)

// Write takes whole lines on; mariadb-dump ends its last one, too.
func (p *pointed) Write(data []byte) (int, error) {
	p.rest = append(p.rest, data...)
	for {
		end := bytes.IndexByte(p.rest, '\n') + 1
		if end == 0 {
			return len(data), nil
		}
		line := p.rest[:end]
		p.rest = p.rest[end:]
		if bytes.HasPrefix(line, gtidLine) {
			continue
		}
		if m := pointLine.FindSubmatch(line); m != nil {
			at, err := strconv.ParseUint(string(m[2]), 10, 64)
			if err != nil {
				return 0, err
			}
			p.point.Log, p.point.Position, p.found = string(m[1]), at, true
			continue
		}
		if _, err := p.out.Write(line); err != nil {
			return 0, err
		}
	}
}

// ErrCut says that a backup ends before its end.
var ErrCut = errors.New("the backup was cut off; nothing was restored")

// lastLine ends what mariadb-dump writes.
const lastLine = "SQL_NOTES=@OLD_SQL_NOTES */;"

// pointMark begins the line after it that tells the backup's point.
const pointMark = "-- trevik backup "

// Line is a point as the last line of a backup; nothing where there is none.
func (p *Point) Line() (string, error) {
	if p == nil {
		return "", nil
	}
	text, err := json.Marshal(p)
	return pointMark + string(text) + "\n", err
}

// Whole reads a backup to its end without doing anything, and gives its point where it has one. It fails with
// ErrCut on one that was cut off, and with the reader's own error.
func Whole(in io.Reader) (*Point, error) {
	var tail []byte
	piece := make([]byte, 1<<20)
	for {
		n, err := in.Read(piece)
		tail = append(tail, piece[:n]...)
		tail = tail[max(0, len(tail)-2000):]
		if err == io.EOF {
			break
		}
		if errors.Is(err, io.ErrUnexpectedEOF) {
			return nil, ErrCut
		}
		if err != nil {
			return nil, err
		}
	}
	tail = bytes.TrimSpace(tail)
	var point *Point
	if at := bytes.LastIndex(tail, []byte("\n"+pointMark)); at >= 0 {
		point = new(Point)
		if json.Unmarshal(tail[at+1+len(pointMark):], point) != nil {
			return nil, ErrCut
		}
		tail = bytes.TrimSpace(tail[:at])
	}
	if !bytes.HasSuffix(tail, []byte(lastLine)) {
		return nil, ErrCut
	}
	return point, nil
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
