package cli

import (
	"bytes"
	"compress/gzip"
	"context"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/suite"
	"trevik/internal/demo"
	"trevik/internal/store"
	"trevik/internal/store/storetest"
)

// The demo world in a database of its own.
func filled(t *testing.T) (dsn string, s *store.Store) {
	t.Helper()
	dsn = storetest.DSN(t)
	s, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	if _, err := s.Migrate(context.Background()); err != nil {
		t.Fatal(err)
	}
	if err := demo.Fill(context.Background(), s, time.Date(2026, 11, 24, 13, 0, 0, 0, time.UTC)); err != nil {
		t.Fatal(err)
	}
	return dsn, s
}

// A backup is made while the database is used, tried by restoring it, and comes back whole.
func TestBackupAndRestore(t *testing.T) {
	dsn, s := filled(t)
	t.Chdir(t.TempDir())
	stop := make(chan struct{})
	done := make(chan struct{})
	go func() { // somebody goes on working
		defer close(done)
		for i := 0; ; i++ {
			select {
			case <-stop:
				return
			default:
				_, _ = s.DB.Exec("UPDATE runners SET contact = ? WHERE id = 1", strings.Repeat("x", i%100)) // whatever comes of it
			}
		}
	}()
	code, out, errs := call("", "backup", "--dsn", dsn, "--out", "b.sql.gz")
	close(stop)
	<-done
	if code != Answered || !strings.Contains(out, "it comes back the same") {
		t.Fatalf("backup: %d %q %q", code, out, errs)
	}
	if info, err := os.Stat("b.sql.gz"); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the backup: %v %v", info.Mode(), err)
	}
	if left, _ := filepath.Glob(".trevik/drill-*"); len(left) > 0 {
		t.Errorf("left over: %v", left)
	}
	to := storetest.DSN(t)
	if code, out, errs := call("", "restore", "b.sql.gz", "--dsn", to); code != Answered || !strings.Contains(out, "version 24") {
		t.Fatalf("restore: %d %q %q", code, out, errs)
	}
	again, err := store.Open(to)
	if err != nil {
		t.Fatal(err)
	}
	defer again.Close()
	for _, table := range []string{"runners", "findings", "runs", "models", "decisions"} {
		var before, after int
		if err := s.DB.QueryRow("SELECT COUNT(*) FROM " + table).Scan(&before); err != nil {
			t.Fatal(err)
		}
		if err := again.DB.QueryRow("SELECT COUNT(*) FROM " + table).Scan(&after); err != nil || before != after || before == 0 {
			t.Errorf("%s: %d rows became %d, %v", table, before, after, err)
		}
	}
	// One that was cut, packed or unpacked, is refused before anything is written.
	whole, err := os.ReadFile("b.sql.gz")
	if err != nil {
		t.Fatal(err)
	}
	unpacked, err := gzip.NewReader(bytes.NewReader(whole))
	if err != nil {
		t.Fatal(err)
	}
	text, err := io.ReadAll(unpacked)
	if err != nil {
		t.Fatal(err)
	}
	var short bytes.Buffer
	z := gzip.NewWriter(&short)
	if _, err := z.Write(text[:len(text)*2/3]); err != nil {
		t.Fatal(err)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	for name, data := range map[string][]byte{"cut": whole[:len(whole)*2/3], "cut and packed": short.Bytes(),
		"its last bytes": whole[:len(whole)-9]} {
		if err := os.WriteFile("cut.gz", data, 0o600); err != nil {
			t.Fatal(err)
		}
		empty := storetest.DSN(t)
		if code, _, errs := call("", "restore", "cut.gz", "--dsn", empty); code != AtFault || !strings.Contains(errs, "file") {
			t.Errorf("%s: %d %q", name, code, errs)
		}
		at, err := store.Open(empty)
		if err != nil {
			t.Fatal(err)
		}
		var tables int
		if err := at.DB.QueryRow("SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE()").Scan(&tables); err != nil ||
			tables != 0 {
			t.Errorf("%s: %d tables were written, %v", name, tables, err)
		}
		at.Close()
	}
	for name, args := range map[string][]string{
		"onto what is there": {"restore", "b.sql.gz", "--dsn", to}, "no file": {"restore", "none.gz", "--dsn", to},
		"no backup": {"restore", "junk", "--dsn", to}, "no dsn": {"backup", "--out", "x", "--dsn", ""},
	} {
		if name == "no backup" {
			if err := os.WriteFile("junk", []byte("no"), 0o600); err != nil {
				t.Fatal(err)
			}
		}
		if code, out, errs := call("", args...); code != AtFault || out != "" || errs == "" {
			t.Errorf("%s: %d %q %q", name, code, out, errs)
		}
	}
	if code, _, _ := call("", "backup", "--dsn", dsn, "--out", "no/such/folder/b.gz", "--verify=false"); code == Answered {
		t.Error("a backup into no folder")
	}
}

// A runner goes out as a file, is erased, and comes back with the same numbers; a shop comes
// up in an empty one.
func TestExportAndImport(t *testing.T) {
	dsn, s := filled(t)
	t.Chdir(t.TempDir())
	ctx := context.Background()
	a := suite.New(s, func() time.Time { return time.Date(2026, 11, 24, 13, 0, 0, 0, time.UTC) }, slog.New(slog.DiscardHandler))
	owner, err := a.People.ActorNamed(ctx, "isolde")
	if err != nil {
		t.Fatal(err)
	}
	// What a card says of a fit, without the numbers of rows.
	tell := func(who app.Actor, fit uint64) string {
		t.Helper()
		f, err := a.Visits.Fit(ctx, who, fit)
		if err != nil {
			t.Fatal(err)
		}
		sup, err := f.Support()
		if err != nil {
			t.Fatal(err)
		}
		worn, err := f.Worn()
		if err != nil {
			t.Fatal(err)
		}
		_, basis := f.Choice()
		text := []string{f.Runner.Name, f.Fitter, f.StartedAt.String(), f.ClosedAt.String()}
		if sup.Level != nil {
			text = append(text, string(*sup.Level))
		}
		if basis != nil {
			text = append(text, basis.Name, basis.Ranked.Size.Label)
		}
		for _, w := range worn {
			text = append(text, w.Pair.Name(), w.Pair.Label(), string(w.Wear.State), *w.Wear.OrderBy)
		}
		return strings.Join(text, "|")
	}
	if code, _, errs := call("", "export", "--dsn", dsn, "--shop", "The Fitting Loft", "--runner", "1", "--out", "r.json"); code != Answered {
		t.Fatal(errs)
	}
	data, err := os.ReadFile("r.json")
	if err != nil || !strings.Contains(string(data), `"schema": "trevik.export/v1"`) || strings.Contains(string(data), "password") ||
		strings.Contains(string(data), "Brisa") {
		t.Fatalf("%v %.300s", err, data)
	}
	before := tell(owner, 1)
	if err := a.Transfer.Erase(ctx, owner, 1); err != nil {
		t.Fatal(err)
	}
	if _, err := a.People.Runner(ctx, owner, 1); err == nil {
		t.Error("the runner is still there")
	}
	// What is exported meanwhile holds nothing of them, though their rows go by a job.
	if code, _, errs := call("", "export", "--dsn", dsn, "--shop", "The Fitting Loft", "--out", "meanwhile.json"); code != Answered {
		t.Fatal(errs)
	}
	if data, err := os.ReadFile("meanwhile.json"); err != nil || strings.Contains(string(data), "Anselm") ||
		strings.Contains(string(data), `"runner_id": 1,`) {
		t.Errorf("what was erased goes out, %v", err)
	}
	a.Jobs.Start()
	defer a.Jobs.Close()
	for left := 1; left > 0; {
		if err := s.DB.QueryRow("SELECT COUNT(*) FROM runners WHERE id = 1").Scan(&left); err != nil {
			t.Fatal(err)
		}
		time.Sleep(10 * time.Millisecond)
	}
	var sold int
	if err := s.DB.QueryRow("SELECT COUNT(*) FROM sales").Scan(&sold); err != nil || sold == 0 {
		t.Errorf("%d sales are left, %v", sold, err)
	}
	code, out, errs := call("", "import", "r.json", "--dsn", dsn, "--as", "isolde")
	if code != Answered {
		t.Fatal(errs)
	}
	runner := regexp.MustCompile(`^runner (\d+)\n$`).FindStringSubmatch(out)
	if runner == nil {
		t.Fatalf("%q", out)
	}
	var fit uint64
	if err := s.DB.QueryRow("SELECT MIN(id) FROM fits WHERE runner_id = " + runner[1]).Scan(&fit); err != nil {
		t.Fatal(err)
	}
	if after := tell(owner, fit); after != before {
		t.Errorf("before %s\nafter  %s", before, after)
	}
	if _, drifts, err := a.Runs.Check(ctx, owner.ShopID); err != nil || len(drifts) > 0 {
		t.Errorf("%v %v", drifts, err)
	}

	// The whole shop into an empty one.
	if code, _, errs := call("", "export", "--dsn", dsn, "--shop", "The Fitting Loft", "--out", "shop.json"); code != Answered {
		t.Fatal(errs)
	}
	to := storetest.DSN(t)
	if code, _, errs := call("", "migrate", "--dsn", to); code != Answered {
		t.Fatal(errs)
	}
	if code, _, errs := call("a long password\n", "user", "add", "--dsn", to, "--shop", "Loft", "--name", "Isolde", "--login", "isolde",
		"--role", "owner"); code != Answered {
		t.Fatal(errs)
	}
	if code, out, errs := call("", "import", "shop.json", "--dsn", to, "--as", "isolde"); code != Answered ||
		strings.Count(out, "runner ") < 5 {
		t.Fatalf("%d %q %q", code, out, errs)
	}
	if code, out, errs := call("", "check", "--dsn", to, "--shop", "Loft"); code != Answered || strings.HasPrefix(out, "0 runs") {
		t.Errorf("%d %q %q", code, out, errs)
	}

	for name, c := range map[string]struct {
		text string
		args []string
	}{
		"no JSON":         {"no", []string{"import", "-", "--dsn", dsn, "--as", "isolde"}},
		"another schema":  {`{"schema":"x"}`, []string{"import", "-", "--dsn", dsn, "--as", "isolde"}},
		"an unknown part": {`{"schema":"trevik.export/v1","surprise":1}`, []string{"import", "-", "--dsn", dsn, "--as", "isolde"}},
		"half of it": {strings.Replace(string(data), `"runner_id": 1`, `"runner_id": 999`, 1), []string{"import", "-", "--dsn", dsn, "--as",
			"isolde"}},
		"nobody":    {string(data), []string{"import", "-", "--dsn", dsn, "--as", "nobody"}},
		"no shop":   {"", []string{"export", "--dsn", dsn, "--shop", "Nowhere"}},
		"no runner": {"", []string{"export", "--dsn", dsn, "--shop", "The Fitting Loft", "--runner", "9999"}},
	} {
		var n, m int
		_ = s.DB.QueryRow("SELECT COUNT(*) FROM runners").Scan(&n) // compared below
		if code, out, errs := call(c.text, c.args...); code != AtFault || out != "" || errs == "" {
			t.Errorf("%s: %d %.80q %q", name, code, out, errs)
		}
		if err := s.DB.QueryRow("SELECT COUNT(*) FROM runners").Scan(&m); err != nil || n != m {
			t.Errorf("%s: %d runners became %d", name, n, m)
		}
	}
}
