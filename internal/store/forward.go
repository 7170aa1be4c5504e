package store

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Forwarded is how far a restored backup was brought forward.
type Forwarded struct {
	Transactions int
	Last         time.Time // of the last change that was done again; zero where there was none
	// Beyond says that the logs go on past the moment; where they do not, what came between their end and
	// the moment may be missing.
	Beyond bool
}

// ErrLogs says that the binary logs at hand do not begin where a backup ends, or have a gap.
var ErrLogs = errors.New("the binary logs do not go on from the backup")

// LogsFrom lists the files of a binary log in a folder, from the one that a backup's point lies in to the last. It
// fails with ErrLogs, which says which is missing.
func LogsFrom(dir string, p Point) ([]string, error) {
	base, number, ok := cutLog(p.Log)
	if !ok {
		return nil, fmt.Errorf("%w: %q is no name of one", ErrLogs, p.Log)
	}
	entries, err := os.ReadDir(dir)
	if err != nil {
		return nil, err
	}
	var numbers []int
	for _, e := range entries {
		if b, n, ok := cutLog(e.Name()); ok && b == base && n >= number && e.Type().IsRegular() {
			numbers = append(numbers, n)
		}
	}
	slices.Sort(numbers)
	var files []string
	width := len(p.Log) - len(base) - 1
	for i := range max(1, len(numbers)) {
		want := fmt.Sprintf("%s.%0*d", base, width, number+i)
		if i >= len(numbers) || numbers[i] != number+i {
			return nil, fmt.Errorf("%w: %s is missing", ErrLogs, want)
		}
		files = append(files, filepath.Join(dir, want))
	}
	return files, nil
}

// cutLog takes a name such as binlog.000012 apart.
func cutLog(name string) (base string, number int, ok bool) {
	at := strings.LastIndexByte(name, '.')
	if at < 1 || len(name)-at < 7 {
		return "", 0, false
	}
	number, err := strconv.Atoi(name[at+1:])
	return name[:at], number, err == nil && number > 0
}

// Forward does again in a restored database what the logs hold from the backup's point on, until before a moment
// (by the second; zero is to their end). It needs the right to replay logs (BINLOG REPLAY). Where it fails, the
// database holds a part of it.
func Forward(ctx context.Context, dsn string, p Point, logs []string, until time.Time) (*Forwarded, error) {
	one, _, err := hostsOf(dsn)
	if err != nil {
		return nil, err
	}
	c, err := mysql.ParseDSN(one)
	if err != nil {
		return nil, err
	}
	to := c.DBName
	args := []string{"--no-defaults", "--skip-annotate-row-events", "--database=" + p.Database,
		"--start-position=" + strconv.FormatUint(p.Position, 10)}
	if to != p.Database {
		args = append(args, "--rewrite-db="+p.Database+"->"+to)
	}
	if !until.IsZero() {
		args = append(args, "--stop-datetime="+until.UTC().Format(time.DateTime))
	}
	r, w := io.Pipe()
	told := &told{out: w}
	wrong := make(chan error, 1)
	go func() {
		err := readLogs(ctx, append(args, logs...), told)
		_ = w.CloseWithError(err) // a pipe's closing does not fail
		wrong <- err
	}()
	err = client(ctx, "mariadb", dsn, r, io.Discard, "--binary-mode", "--default-character-set=utf8mb4", "--max-allowed-packet=1G")
	_ = r.CloseWithError(errors.New("what reads the log's statements ended"))
	if logErr := <-wrong; err == nil {
		err = logErr
	}
	if err != nil {
		return nil, err
	}
	out := told.Forwarded
	if until.IsZero() {
		out.Beyond = true
		return &out, nil
	}
	out.Beyond, err = goesOn(ctx, logs, until)
	return &out, err
}

// readLogs writes what files of a binary log hold as statements.
func readLogs(ctx context.Context, args []string, out io.Writer) error {
	path, err := exec.LookPath("mariadb-binlog")
	if err != nil {
		return errors.New("mariadb-binlog is not installed; it comes with MariaDB's client")
	}
	cmd := exec.CommandContext(ctx, path, args...)
	cmd.Env = append(os.Environ(), "TZ=UTC") // its times are those of the machine's zone
	var wrong bytes.Buffer
	cmd.Stdout, cmd.Stderr = out, &wrong
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("mariadb-binlog: %w: %s", err, strings.TrimSpace(wrong.String()))
	}
	return nil
}

// goesOn says whether the logs hold anything from a moment on.
func goesOn(ctx context.Context, logs []string, from time.Time) (bool, error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	r, w := io.Pipe()
	ended := make(chan error, 1)
	go func() {
		err := readLogs(ctx, append([]string{"--no-defaults", "--skip-annotate-row-events",
			"--start-datetime=" + from.UTC().Format(time.DateTime)}, logs...), w)
		_ = w.CloseWithError(err) // a pipe's closing does not fail
		ended <- err
	}()
	lines := bufio.NewReaderSize(r, 64<<10)
	for {
		line, err := lines.ReadSlice('\n')
		if m := eventLine.FindSubmatch(line); m != nil {
			if at, ok := eventTime(m); ok && !at.Before(from) {
				cancel()
				_ = r.Close() // it has told what was asked
				<-ended
				return true, nil
			}
		}
		if err != nil && !errors.Is(err, bufio.ErrBufferFull) {
			_ = r.Close() // its end is known
			return false, <-ended
		}
	}
}

// eventLine tells of an event in what mariadb-binlog writes: its time, and what it is.
var eventLine = regexp.MustCompile(`^#(\d{6}) +(\d{1,2}:\d\d:\d\d) server id \d+ +end_log_pos \d+ (.*)`)

func eventTime(m [][]byte) (time.Time, bool) {
	at, err := time.Parse("060102 15:04:05", string(m[1])+" "+string(m[2]))
	return at, err == nil
}

// told counts what passes on its way to the database, and leaves the log's own numbering out: what is done again has
// its own there, also where that database is of the same server.
type told struct {
	Forwarded
	out  io.Writer
	rest []byte // of a line whose end is to come
	ours bool   // the transaction under way changes rows of the database
}

var ownNumbers = regexp.MustCompile(`^/\*M?!\d+ SET @@session\.(?:gtid_|server_id=)`)

// Write takes whole lines on; mariadb-binlog ends its last one, too.
func (t *told) Write(data []byte) (int, error) {
	t.rest = append(t.rest, data...)
	last := bytes.LastIndexByte(t.rest, '\n') + 1
	var keep []byte
	for line := range bytes.Lines(t.rest[:last]) {
		if ownNumbers.Match(line) {
			continue
		}
		if m := eventLine.FindSubmatch(line); m != nil {
			t.event(m)
		}
		keep = append(keep, line...)
	}
	t.rest = append(t.rest[:0], t.rest[last:]...)
	if _, err := t.out.Write(keep); err != nil {
		return 0, err
	}
	return len(data), nil
}

// event counts a transaction at its end; those of other databases of the server have no rows here.
func (t *told) event(m [][]byte) {
	switch {
	case bytes.Contains(m[3], []byte("Table_map: ")):
		t.ours = true
	case bytes.Contains(m[3], []byte("Xid = ")):
		if at, ok := eventTime(m); ok && t.ours {
			t.Transactions, t.Last = t.Transactions+1, at
		}
		t.ours = false
	}
}
