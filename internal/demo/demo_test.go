package demo

import (
	"context"
	"errors"
	"log/slog"
	"strings"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/due"
	"trevik/internal/app/load"
	"trevik/internal/app/people"
	"trevik/internal/app/suite"
	"trevik/internal/core/fault"
	"trevik/internal/record"
	"trevik/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

func TestCatalogueIsAllowed(t *testing.T) {
	var l fault.List
	models := Catalogue()
	for _, m := range models {
		m = m.WithDefaults()
		m.Check(&l, m.ID)
	}
	if len(l) > 0 || len(models) != 55 {
		t.Errorf("%d models: %v", len(models), l)
	}
}

// The demo starts on any day and at any hour, a leap day and the first minute of
// a year among them.
func TestFillsOnAnyDay(t *testing.T) {
	for _, now := range []time.Time{time.Date(2026, 11, 24, 13, 5, 0, 0, time.UTC), time.Date(2028, 2, 29, 23, 59, 0, 0, time.UTC),
		time.Date(2027, 1, 1, 0, 1, 0, 0, time.UTC)} {
		s := storetest.New(t)
		ctx := context.Background()
		if err := Fill(ctx, s, now); err != nil {
			t.Fatalf("%s: %v", now, err)
		}
		a := suite.New(s, func() time.Time { return now }, slog.New(slog.DiscardHandler))
		in, err := a.People.SignIn(ctx, Staff[0].Login, Password, people.From{Address: "127.0.0.1"})
		who := in.Actor
		if err != nil || who.Role != app.Owner {
			t.Fatal(who, err)
		}
		runners, err := a.People.SearchRunners(ctx, who, "")
		if err != nil || len(runners) != 8 {
			t.Errorf("%s: %d runners, %v", now, len(runners), err)
		}
		open, err := a.Visits.UnderWay(ctx, who)
		if err != nil || len(open) != 4 {
			t.Errorf("%s: %d fits under way, %v", now, len(open), err)
		}
		for _, f := range open {
			if f.StartedAt.After(now) {
				t.Errorf("%s: a fit begins at %s", now, f.StartedAt)
			}
		}
		ending, _, err := a.Due.Ending(ctx, who, 1)
		if err != nil || len(ending) < 2 {
			t.Errorf("%s: %d pairs near their end, %v", now, len(ending), err)
		}
		withRuns := 0
		for _, r := range runners {
			full, err := a.Visits.Runner(ctx, who, r.ID)
			if err != nil {
				t.Fatal(err)
			}
			for _, p := range full.Pairs {
				if len(p.Runs) > 20 {
					withRuns++
					break
				}
			}
		}
		if withRuns != 3 {
			t.Errorf("%s: %d runners with months of runs, want 3", now, withRuns)
		}
	}
}

// The whole world: 24 runners, half a year of runs for ten, everything that a fit can come to among them.
func TestTheWholeWorld(t *testing.T) {
	now := time.Date(2026, 11, 28, 16, 5, 0, 0, time.UTC)
	s := storetest.New(t)
	ctx := context.Background()
	if err := FillAll(ctx, s, now); err != nil {
		t.Fatal(err)
	}
	a := suite.New(s, func() time.Time { return now }, slog.New(slog.DiscardHandler))
	in, err := a.People.SignIn(ctx, Staff[0].Login, Password, people.From{Address: "127.0.0.1"})
	if err != nil {
		t.Fatal(err)
	}
	who := in.Actor
	runners, err := a.People.SearchRunners(ctx, who, "")
	if err != nil || len(runners) != 24 {
		t.Fatalf("%d runners, %v", len(runners), err)
	}
	var long, retired, races, changes, atRisk, watched, loose int
	states := map[string]int{}
	for _, r := range runners {
		fit, err := a.Visits.OfRunner(ctx, who, r.ID)
		if err != nil {
			t.Fatalf("%s: %v", r.Name, err)
		}
		worn, err := fit.Worn()
		if err != nil {
			t.Fatalf("%s: %v", r.Name, err)
		}
		for _, w := range worn {
			states[string(w.Wear.State)]++
			for _, x := range w.Wear.Races {
				if x.AtRisk {
					atRisk++
				}
			}
		}
		if _, err := fit.RacesPlanned(ctx); err != nil {
			t.Errorf("%s: %v", r.Name, err)
		}
		first, last := now, time.Time{}
		for _, x := range fit.Runner.AllRuns() {
			if x.On.Before(first) {
				first = x.On
			}
			if x.On.After(last) {
				last = x.On
			}
			if x.FileID != 0 {
				watched++
			}
		}
		if last.Sub(first) > 120*24*time.Hour {
			long++
		}
		for _, p := range fit.Runner.Pairs {
			if !p.SetAsideOn.IsZero() {
				retired++
			}
		}
		races, changes, loose = races+len(fit.Races()), changes+len(fit.Runner.Changes), loose+len(fit.Runner.Loose)
	}
	if long < 10 || retired < 1 || races < 3 || changes < 1 || watched < 20 {
		t.Errorf("%d with half a year of runs, %d pairs retired, %d races, %d changes, %d runs of the watch, %d without a pair", long, retired,
			races, changes, watched, loose)
	}
	if states["set_aside"]+states["last_runs"] == 0 || states["in_use"]+states["fine"] == 0 {
		t.Errorf("no pair to retire, or none that is well: %v", states)
	}
	if atRisk == 0 {
		t.Errorf("no race at risk: %v", states)
	}
	list, _, err := a.Due.Due(ctx, who, due.Filter{Until: now.AddDate(0, 1, 0)}, 1)
	if err != nil {
		t.Fatal(err)
	}
	kinds := map[record.DueKind]int{}
	for _, l := range list {
		kinds[l.Kind]++
	}
	if kinds[record.DueComfort] == 0 || kinds[record.DueOrder] == 0 || kinds[record.DueLook] == 0 || kinds[record.DueRetire] == 0 {
		t.Errorf("due: %v", kinds)
	}
}

// What is read of the feet alone is what all findings tell of them: by hand, by the scanner, by a print.
func TestFeetAlone(t *testing.T) {
	ctx := context.Background()
	s := storetest.New(t)
	if err := Fill(ctx, s, time.Date(2026, 11, 24, 13, 5, 0, 0, time.UTC)); err != nil {
		t.Fatal(err)
	}
	who := app.Actor{ShopID: 1}
	var fits []uint64
	rows, err := s.DB.Query("SELECT id FROM fits WHERE shop_id = 1")
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		var id uint64
		if err := rows.Scan(&id); err != nil {
			t.Fatal(err)
		}
		fits = append(fits, id)
	}
	// A scanner's values and an outline's where nobody measured by hand.
	var unmeasured uint64
	if err := s.DB.QueryRow(`SELECT id FROM fits WHERE shop_id = 1 AND id NOT IN
		(SELECT fit_id FROM findings WHERE name = 'length_mm') ORDER BY id LIMIT 1`).Scan(&unmeasured); err != nil {
		t.Fatal(err)
	}
	for i, name := range record.FeetNames() {
		if strings.HasPrefix(name, "scan_") || strings.HasPrefix(name, "trace_") && name != record.TraceShape.Name {
			if _, err := s.DB.Exec(`INSERT INTO findings (shop_id, fit_id, name, side, repeat_no, number_value, withdrawn, how, made_by,
				made_at) SELECT shop_id, id, ?, 'left', 0, ?, FALSE, 'scanned', fitter_id, started_at FROM fits
				WHERE id = ?`, name, 240+i, unmeasured); err != nil {
				t.Fatal(err)
			}
		}
	}
	all, err := load.Findings(ctx, s.Queries, who, fits)
	if err != nil {
		t.Fatal(err)
	}
	alone, err := load.Feet(ctx, s.Queries, who.ShopID, fits)
	if err != nil {
		t.Fatal(err)
	}
	h, err := load.Settings(ctx, s.Queries, who.ShopID)
	if err != nil {
		t.Fatal(err)
	}
	settings, _ := h.At(time.Time{})
	told := 0
	for _, id := range fits {
		a, b := &record.Visit{ID: id, Settings: settings}, &record.Visit{ID: id, Settings: settings}
		if err := errors.Join(a.Decode(all[id]), b.Decode(alone[id])); err != nil {
			t.Fatal(err)
		}
		if a.FeetKind() != b.FeetKind() {
			t.Errorf("fit %d: %+v of all, %+v of the feet alone", id, a.FeetKind(), b.FeetKind())
		}
		if a.FeetKind().LengthMM > 0 {
			told++
		}
		if len(alone[id]) > len(all[id]) {
			t.Errorf("fit %d: %d findings of feet among %d", id, len(alone[id]), len(all[id]))
		}
	}
	v := &record.Visit{ID: unmeasured, Settings: settings}
	if err := v.Decode(alone[unmeasured]); err != nil || v.FeetKind().LengthMM < 200 {
		t.Errorf("what was scanned is not told: %+v, %v", v.FeetKind(), err)
	}
	if told < 5 {
		t.Errorf("%d fits tell of feet", told)
	}
}
