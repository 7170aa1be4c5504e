package privatedb

import (
	"context"
	"database/sql"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
)

// ownDir is a folder of the project's for a server's data.
func ownDir(t *testing.T) string {
	t.Helper()
	base := filepath.Join("..", "..", "..", ".trevik")
	if err := os.MkdirAll(base, 0o755); err != nil {
		t.Fatal(err)
	}
	dir, err := os.MkdirTemp(base, "test-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	return dir
}

func start(t *testing.T, dir string) *Server {
	t.Helper()
	s, err := Start(context.Background(), dir, Options{Throwaway: true})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Stop)
	return s
}

func TestKeepsDataAndGuardsItsFolder(t *testing.T) {
	dir := ownDir(t)
	s := start(t, dir)
	dsn, err := s.Create(context.Background(), "kept")
	if err != nil {
		t.Fatal(err)
	}
	write(t, dsn, "CREATE TABLE t (id INT PRIMARY KEY)")

	if _, err := Start(context.Background(), dir, Options{}); err == nil || !strings.Contains(err.Error(), "another Trevik") {
		t.Errorf("a second server on the same folder: %v", err)
	}
	if err := Remove(context.Background(), dir); err == nil {
		t.Error("the data of a running server is removed")
	}

	// The owner dies without a word: its server is left, and the next start ends it.
	pid := s.cmd.Process.Pid
	s.lock.Close()
	s = start(t, dir)
	for i := 0; syscall.Kill(pid, 0) == nil && i < 100; i++ {
		time.Sleep(20 * time.Millisecond)
	}
	if syscall.Kill(pid, 0) == nil {
		t.Error("the earlier server still runs")
	}
	write(t, s.DSN("kept", nil), "INSERT INTO t VALUES (1)")
	s.Stop()
	s.Stop() // a second stop does no harm
	if err := Remove(context.Background(), dir); err != nil {
		t.Fatal(err)
	}
	if _, err := os.Stat(filepath.Join(dir, "data")); !os.IsNotExist(err) {
		t.Error("the data is still there")
	}
}

func write(t *testing.T, dsn, statement string) {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec(statement); err != nil {
		t.Fatal(err)
	}
}

// A server that is killed comes back by itself, with what was committed.
func TestStartsAgain(t *testing.T) {
	dir := ownDir(t)
	s, err := Start(context.Background(), dir, Options{Again: true})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Stop)
	dsn, err := s.Create(context.Background(), "kept")
	if err != nil {
		t.Fatal(err)
	}
	write(t, dsn, "CREATE TABLE t (id INT PRIMARY KEY)")
	for n := range 3 {
		write(t, dsn, "INSERT INTO t VALUES ("+string(rune('0'+n))+")")
		pid := s.PID()
		if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
			t.Fatal(err)
		}
		for range 200 { // until another process stands in its place
			if time.Sleep(20 * time.Millisecond); s.PID() != pid {
				break
			}
		}
		if err := s.wait(context.Background()); err != nil {
			t.Fatal(err)
		}
	}
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var rows int
	if err := db.QueryRow("SELECT COUNT(*) FROM t").Scan(&rows); err != nil || rows != 3 {
		t.Errorf("%d rows of 3, %v", rows, err)
	}
}
