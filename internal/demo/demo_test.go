package demo

import (
	"context"
	"log/slog"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/people"
	"trevik/internal/app/suite"
	"trevik/internal/core/fault"
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
