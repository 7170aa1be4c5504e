package suite_test

import (
	"compress/gzip"
	"context"
	"log/slog"
	"os"
	"testing"
	"time"

	"trevik/internal/app/suite"
	"trevik/internal/store"
	"trevik/internal/store/storetest"
)

// A database of the schema before this one, with the demo's data in it, comes up with everything
// that it held: comparisons, suitabilities, dislikes and try-on scores have columns of their own
// now, parts of a run and the files that they came from are told apart, and every fit loads.
func TestMigrationCarriesTheDemoOver(t *testing.T) {
	ctx := context.Background()
	f, err := os.Open("../../store/testdata/demo-v9.sql.gz")
	must(t, err)
	defer f.Close()
	z, err := gzip.NewReader(f)
	must(t, err)
	dsn := storetest.DSN(t)
	must(t, store.Restore(ctx, dsn, z))
	s, err := store.Open(dsn)
	must(t, err)
	t.Cleanup(func() { s.Close() })
	var before struct{ compared, suited, disliked, tried, rest int }
	count := func(into *int, where string) {
		t.Helper()
		must(t, s.DB.QueryRow("SELECT COUNT(*) FROM findings WHERE "+where).Scan(into))
	}
	count(&before.compared, "name = 'compared'")
	count(&before.suited, "name LIKE 'suit\\_%'")
	count(&before.disliked, "name = 'disliked'")
	count(&before.tried, "name LIKE 'try\\_%' AND repeat_no > 0")
	count(&before.rest, "TRUE")
	if before.compared == 0 || before.suited == 0 || before.disliked == 0 || before.tried == 0 {
		t.Fatalf("the old data hold too little: %+v", before)
	}
	version, err := s.Migrate(ctx)
	if err != nil || version != 24 {
		t.Fatalf("version %d, %v", version, err)
	}
	var after struct{ compared, suited, disliked, tried, rest int }
	count(&after.compared, "name = 'compared' AND model_id IS NOT NULL AND other_model_id IS NOT NULL")
	count(&after.suited, "name = 'suitability' AND model_id IS NOT NULL AND run_kind <> ''")
	count(&after.disliked, "name = 'disliked' AND model_id IS NOT NULL")
	count(&after.tried, "name LIKE 'try\\_%' AND model_id IS NOT NULL AND repeat_no = 0")
	count(&after.rest, "TRUE")
	if after != before {
		t.Errorf("before %+v, after %+v", before, after)
	}
	a := suite.New(s, func() time.Time { return time.Date(2026, 11, 28, 12, 0, 0, 0, time.UTC) }, slog.New(slog.DiscardHandler))
	who, err := a.People.ActorNamed(ctx, "isolde")
	must(t, err)
	compared, suits, disliked := 0, 0, 0
	for id := range uint64(10) {
		fit, err := a.Visits.Fit(ctx, who, id+1)
		must(t, err)
		if _, err := fit.Support(); err != nil {
			t.Errorf("fit %d: %v", id+1, err)
		}
		if _, err := fit.Worn(); err != nil {
			t.Errorf("fit %d: %v", id+1, err)
		}
		if d, basis := fit.Choice(); d != nil && basis == nil {
			t.Errorf("fit %d: a choice without what it stands on", id+1)
		}
		compared += len(fit.Comparisons())
		disliked += len(fit.Dislikes())
		for _, x := range fit.SuitsSet() {
			suits++
			if x.Value < 0 || x.Value > 1 || x.Why == "" {
				t.Errorf("%+v", x)
			}
		}
	}
	if compared == 0 || suits == 0 || disliked == 0 {
		t.Errorf("%d comparisons, %d suitabilities, %d dislikes are read", compared, suits, disliked)
	}
	if _, drifts, err := a.Runs.Check(ctx, who.ShopID); err != nil || len(drifts) > 0 {
		t.Errorf("%v %v", drifts, err)
	}
}
