package cli

import (
	"context"
	"os"
	"strings"
	"testing"
	"time"

	"trevik/internal/demo"
	"trevik/internal/seal"
	"trevik/internal/store"
	"trevik/internal/store/storetest"
)

// The owner's key from its file: everything reads with it, nothing without it and nothing with
// another; a backup comes back with it, and without it all but what it sealed.
func TestOwnersKey(t *testing.T) {
	dsn := storetest.DSN(t)
	t.Chdir(t.TempDir())
	key := func(name string) seal.Key {
		t.Helper()
		if code, out, errs := call("", "key", "new", "--out", name); code != Answered || !strings.Contains(out, name) {
			t.Fatalf("key new: %d %q %q", code, out, errs)
		}
		k, err := seal.ReadKey(name)
		if err != nil {
			t.Fatal(err)
		}
		return k
	}
	owner := key("owner.key")
	if code, _, errs := call("", "key", "new", "--out", "owner.key"); code != AtFault || !strings.HasPrefix(errs, "out: ") {
		t.Errorf("written over: %d %q", code, errs)
	}
	s, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	ctx := context.Background()
	if _, err := s.Migrate(ctx); err != nil {
		t.Fatal(err)
	}
	if err := s.Unlock(ctx, owner, time.Now()); err != nil {
		t.Fatal(err)
	}
	if err := demo.Fill(ctx, s, time.Date(2026, 11, 24, 13, 0, 0, 0, time.UTC)); err != nil {
		t.Fatal(err)
	}
	export := func(dsn, file string) (int, string, string) {
		t.Setenv(keyFileVariable, file)
		return call("", "export", "--dsn", dsn, "--shop", demo.Shop)
	}
	code, whole, errs := export(dsn, "owner.key")
	if code != Answered || !strings.Contains(whole, "achilles") {
		t.Fatalf("with the key: %d %q", code, errs)
	}
	if code, out, errs := export(dsn, ""); code != AtFault || out != "" || !strings.HasPrefix(errs, "key: is missing") {
		t.Errorf("without the key: %d %.100q %q", code, out, errs)
	}
	key("other.key")
	if code, out, errs := export(dsn, "other.key"); code != AtFault || out != "" || !strings.HasPrefix(errs, "key: is not the key") {
		t.Errorf("with another key: %d %.100q %q", code, out, errs)
	}
	if err := os.WriteFile("broken.key", []byte("trevik-key-v1 no key\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, file := range []string{"broken.key", "nowhere.key"} {
		if code, _, errs := call("", "serve", "--dsn", dsn, "--key", file); code != AtFault || !strings.HasPrefix(errs, "key: ") {
			t.Errorf("%s: %d %q", file, code, errs)
		}
	}
	t.Setenv(keyFileVariable, "")
	if code, _, errs := call("", "serve", "--dsn", dsn, "--addr", "127.0.0.1:0"); code != AtFault ||
		!strings.HasPrefix(errs, "key: is missing") {
		t.Errorf("served without the key: %d %q", code, errs)
	}

	if code, _, errs := call("", "backup", "--dsn", dsn, "--out", "b.sql.gz"); code != Answered {
		t.Fatalf("backup: %d %q", code, errs)
	}
	with, without := storetest.DSN(t), storetest.DSN(t)
	for _, to := range []string{with, without} {
		if code, _, errs := call("", "restore", "b.sql.gz", "--dsn", to); code != Answered {
			t.Fatalf("restore: %d %q", code, errs)
		}
	}
	if code, again, errs := export(with, "owner.key"); code != Answered || again != whole {
		t.Errorf("restored with the key: %d, the same %v, %q", code, again == whole, errs)
	}
	if code, _, errs := call("", "key", "rotate", "--dsn", with, "--key", "owner.key", "--new", "other.key", "--fresh"); code != Answered {
		t.Errorf("rotate: %d %q", code, errs)
	}
	if code, again, errs := export(with, "other.key"); code != Answered || again != whole {
		t.Errorf("by the new key: %d, the same %v, %q", code, again == whole, errs)
	}
	if code, _, _ := export(with, "owner.key"); code != AtFault {
		t.Errorf("by the key before: %d", code)
	}

	if code, _, errs := call("", "key", "forget", "--dsn", without); code != AtFault || !strings.HasPrefix(errs, "really: ") {
		t.Errorf("forgotten without a word: %d %q", code, errs)
	}
	if code, out, errs := call("", "key", "forget", "--dsn", without, "--really"); code != Answered || !strings.Contains(out, "findings") {
		t.Errorf("forget: %d %q %q", code, out, errs)
	}
	code, rest, errs := export(without, "")
	if code != Answered || strings.Contains(rest, "achilles") || strings.Count(rest, `"length_mm"`) != strings.Count(whole, `"length_mm"`) {
		t.Errorf("without the key for good: %d %q", code, errs)
	}
	if code, out, errs := call("", "key", "seal", "--dsn", without, "--key", "owner.key"); code != Answered ||
		!strings.Contains(out, "sealed") {
		t.Errorf("seal: %d %q %q", code, out, errs)
	}
	if code, out, errs := call("", "key", "state", "--dsn", without); code != Answered || !strings.Contains(out, owner.ID()) {
		t.Errorf("state: %d %q %q", code, out, errs)
	}
}
