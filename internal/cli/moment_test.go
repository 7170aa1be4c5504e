package cli

import (
	"bytes"
	"context"
	"crypto/sha256"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"trevik/internal/app/suite"
	"trevik/internal/demo"
	"trevik/internal/store"
	"trevik/internal/store/privatedb"
)

func digest(t *testing.T, dsn string) string {
	t.Helper()
	sum := sha256.New()
	if _, err := store.Backup(context.Background(), dsn, sum); err != nil {
		t.Fatal(err)
	}
	return string(sum.Sum(nil))
}

// Somebody erases the wrong runner: the backup of before, brought forward by the binary log to the moment before that,
// is to the byte what was there then.
func TestRestoreToAMoment(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	server, err := privatedb.Start(ctx, filepath.Join(dir, "db"), privatedb.Options{Throwaway: true, Logs: true})
	if err != nil {
		t.Fatal(err)
	}
	defer server.Stop()
	database := func(name string) string {
		t.Helper()
		dsn, err := server.Create(ctx, name)
		if err != nil {
			t.Fatal(err)
		}
		return dsn
	}
	dsn := database("shop")
	s, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if _, err := s.Migrate(ctx); err != nil {
		t.Fatal(err)
	}
	if err := demo.Fill(ctx, s, time.Now()); err != nil {
		t.Fatal(err)
	}
	t.Chdir(dir)
	exec := func(query string, args ...any) {
		t.Helper()
		if _, err := s.DB.Exec(query, args...); err != nil {
			t.Fatal(err)
		}
	}
	code, out, errs := call("", "backup", "--dsn", dsn, "--out", "b.sql.gz")
	if code != Answered || !strings.Contains(out, "it goes on from binlog.0") {
		t.Fatalf("backup: %d %q %q", code, out, errs)
	}
	// Work goes on, over a new file of the log, with a picture of all bytes and a change of the schema.
	picture := make([]byte, 3<<20)
	for i := range picture {
		picture[i] = byte(i * 7)
	}
	exec("UPDATE runners SET contact = ? WHERE id = 1", "one; two -- three\n#251129 10:00:00 server id 1  end_log_pos 1 Xid = 4")
	exec("FLUSH BINARY LOGS")
	exec("UPDATE pictures SET data = ? WHERE id = (SELECT id FROM (SELECT MIN(id) AS id FROM pictures) p)", picture)
	exec("CREATE TABLE later (id INT PRIMARY KEY, note TEXT) ENGINE=InnoDB")
	exec("INSERT INTO later VALUES (1, 'née')")
	other := database("another") // of no concern
	o, err := store.Open(other)
	if err != nil {
		t.Fatal(err)
	}
	defer o.Close()
	if _, err := o.DB.Exec("CREATE TABLE later (id INT PRIMARY KEY)"); err != nil {
		t.Fatal(err)
	}
	before := digest(t, dsn)
	time.Sleep(1100 * time.Millisecond) // the log tells time by the second
	moment := time.Now().Truncate(time.Second)
	time.Sleep(1100 * time.Millisecond)
	// The mistake, by the application's own way.
	a := suite.New(s, time.Now, slog.New(slog.DiscardHandler))
	who, err := a.People.ActorNamed(ctx, demo.Staff[0].Login)
	if err != nil {
		t.Fatal(err)
	}
	var runner uint64
	if err := s.DB.QueryRow("SELECT MIN(id) FROM runners WHERE shop_id = ?", who.ShopID).Scan(&runner); err != nil {
		t.Fatal(err)
	}
	if err := a.Transfer.Erase(ctx, who, runner); err != nil {
		t.Fatal(err)
	}
	exec("DELETE FROM later")
	after := digest(t, dsn)
	logs := filepath.Join(dir, "db", "data")

	for name, c := range map[string]struct {
		args []string
		want string
		says string
	}{
		"to the moment": {[]string{"--logs", logs, "--until", moment.Format(time.DateTime)}, before, "Brought forward by"},
		"in UTC":        {[]string{"--logs", logs, "--until", moment.UTC().Format(time.RFC3339)}, before, "Brought forward by"},
		"to the end":    {[]string{"--logs", logs}, after, "Brought forward by"},
	} {
		to := database("to" + strings.ReplaceAll(name, " ", ""))
		code, out, errs := call("", append([]string{"restore", "b.sql.gz", "--dsn", to}, c.args...)...)
		if code != Answered || !strings.Contains(out, c.says) || strings.Contains(out, "missing") {
			t.Errorf("%s: %d %q %q", name, code, out, errs)
			continue
		}
		if digest(t, to) != c.want {
			t.Errorf("%s: the database is not what it was", name)
		}
	}
	// Logs that end before the moment say so.
	exec("FLUSH BINARY LOGS")
	to := database("later")
	code, out, errs = call("", "restore", "b.sql.gz", "--dsn", to, "--logs", logs, "--until", "2037-01-01T00:00:00Z")
	if code != Answered || !strings.Contains(out, "The logs end before that moment") {
		t.Errorf("beyond the logs: %d %q %q", code, out, errs)
	}
	// A gap, no logs, a moment before the backup, a broken log.
	point := struct{ first, second string }{}
	files, _ := filepath.Glob(filepath.Join(logs, "binlog.0*"))
	if len(files) < 3 {
		t.Fatalf("logs: %v", files)
	}
	point.first, point.second = files[len(files)-3], files[len(files)-2]
	copied := func(names ...string) string {
		dir := t.TempDir()
		for _, name := range names {
			data, err := os.ReadFile(name)
			if err == nil {
				err = os.WriteFile(filepath.Join(dir, filepath.Base(name)), data, 0o600)
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		return dir
	}
	broken := copied(files...)
	if err := os.WriteFile(filepath.Join(broken, filepath.Base(point.second)), bytes.Repeat([]byte("no log"), 1000), 0o600); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		args []string
		says string
	}{
		"a gap":             {[]string{"--logs", copied(append(append([]string{}, files[:len(files)-2]...), files[len(files)-1])...)}, "logs: "},
		"no logs":           {[]string{"--logs", t.TempDir()}, "logs: "},
		"no folder":         {[]string{"--logs", filepath.Join(dir, "none")}, "logs: "},
		"before the backup": {[]string{"--logs", logs, "--until", "2020-01-01T00:00:00Z"}, "until: lies before the backup"},
		"no moment":         {[]string{"--logs", logs, "--until", "yesterday"}, "until: "},
		"no logs told":      {[]string{"--until", moment.Format(time.DateTime)}, "logs: is missing"},
		"a broken log":      {[]string{"--logs", broken}, "throw that database away"},
	} {
		to := database("bad" + strings.ReplaceAll(name, " ", ""))
		code, out, errs := call("", append([]string{"restore", "b.sql.gz", "--dsn", to}, c.args...)...)
		if code == Answered || !strings.Contains(errs, c.says) {
			t.Errorf("%s: %d %q %q", name, code, out, errs)
		}
	}
}

// A server without a log makes backups that say so.
func TestBackupWithoutALog(t *testing.T) {
	dsn, _ := filled(t)
	t.Chdir(t.TempDir())
	if code, out, errs := call("", "backup", "--dsn", dsn, "--out", "b.sql.gz", "--verify=false"); code != Answered ||
		!strings.Contains(out, "no binary log is kept there") {
		t.Fatalf("backup: %d %q %q", code, out, errs)
	}
	if code, _, errs := call("", "restore", "b.sql.gz", "--dsn", dsn, "--logs", "."); code != AtFault ||
		!strings.Contains(errs, "no binary log was kept") {
		t.Errorf("restore: %d %q", code, errs)
	}
}
