// Package storetest gives tests a real MariaDB of their own: one private server a
// test program, and an empty, migrated database a test.
package storetest

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"trevik/internal/seal"
	"trevik/internal/store"
	"trevik/internal/store/privatedb"
)

var (
	once   sync.Once
	server *privatedb.Server
	failed error
	dir    string
	count  atomic.Int64
)

// Main runs a test program's tests and stops its server, if one was started.
func Main(m *testing.M) {
	code := m.Run()
	if server != nil {
		server.Stop()
	}
	if dir != "" {
		_ = os.RemoveAll(dir) // only left over if it fails
	}
	os.Exit(code)
}

// Server is the test program's private MariaDB.
func Server(t testing.TB) *privatedb.Server {
	t.Helper()
	once.Do(func() {
		root, err := projectRoot()
		if err == nil {
			err = os.MkdirAll(filepath.Join(root, ".trevik"), 0o755)
		}
		if err == nil {
			dir, err = os.MkdirTemp(filepath.Join(root, ".trevik"), "test-")
		}
		if err == nil {
			server, err = privatedb.Start(context.Background(), dir, privatedb.Options{Throwaway: true})
		}
		failed = err
	})
	if failed != nil {
		t.Fatalf("a private MariaDB is needed: %v", failed)
	}
	return server
}

// DSN gives a new, empty database.
func DSN(t testing.TB) string {
	t.Helper()
	dsn, err := Server(t).Create(context.Background(), fmt.Sprintf("t%d", count.Add(1)))
	if err != nil {
		t.Fatal(err)
	}
	return dsn
}

// OwnerKey seals what tests write, so that all of them find it sealed.
var OwnerKey = seal.NewKey()

// New gives a store on a new, migrated database, with a key.
func New(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.Open(DSN(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	if _, err := s.Migrate(context.Background()); err != nil {
		t.Fatal(err)
	}
	if err := s.Unlock(context.Background(), OwnerKey, time.Now()); err != nil {
		t.Fatal(err)
	}
	return s
}

// DSNOf is the database that a store of New's is on, for another opening of it.
func DSNOf(t testing.TB, s *store.Store) string {
	t.Helper()
	var name string
	if err := s.DB.QueryRow("SELECT DATABASE()").Scan(&name); err != nil {
		t.Fatal(err)
	}
	return Server(t).DSN(name, nil)
}

// projectRoot is the folder of go.mod, above the package that is tested.
func projectRoot() (string, error) {
	at, err := os.Getwd()
	if err != nil {
		return "", err
	}
	for {
		if _, err := os.Stat(filepath.Join(at, "go.mod")); err == nil {
			return at, nil
		}
		up := filepath.Dir(at)
		if up == at {
			return "", fmt.Errorf("no go.mod above the test")
		}
		at = up
	}
}
