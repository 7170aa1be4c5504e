package record_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"trevik/internal/core/term"
	"trevik/internal/record"
)

func lookAhead(t *testing.T, w *world, what record.SeasonWhat) *record.Season {
	t.Helper()
	s, err := w.follow(t).Season(context.Background(), what)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// From Hello's short answers and a pair a season stands; a race leads the weeks to it; what is known otherwise
// moves it.
func TestSeason(t *testing.T) {
	w := newWorld()
	if s := lookAhead(t, w, record.SeasonWhat{}); s.Fault == "" {
		t.Error("nothing is told, and there is a season")
	}
	w = fitted(t)
	w.owns(skua, 30, 100)
	s := lookAhead(t, w, record.SeasonWhat{})
	if s.Fault != "" || len(s.Weeks) != 12 || s.Starts.Weekday() != time.Monday || s.Starts.Before(today) || len(s.Assumed) == 0 {
		t.Fatalf("%q, %d weeks from %s", s.Fault, len(s.Weeks), s.Starts)
	}
	for i := range s.Weeks {
		if km := s.KM(i); km < 39.9 || km > 40.1 {
			t.Errorf("without a race week %d has %.1f km, not the 40 that were told", i+1, km)
		}
	}
	on := s.Starts.AddDate(0, 0, 7*15+6)
	w.runner.Races = []record.Race{{ID: 1, Name: "Quay Half", On: on, KM: 21.1}}
	s = lookAhead(t, w, record.SeasonWhat{})
	if len(s.Weeks) != 16 || len(s.Races) != 1 || s.Races[0].Week != 16 || s.KM(8) <= s.KM(0) || s.KM(14) >= s.KM(12) {
		t.Fatalf("%d weeks, races %+v", len(s.Weeks), s.Races)
	}
	last := s.Weeks[15]
	if r := last[len(last)-1]; r.Kind != term.Race || r.KM != 21.1 || r.Day != "sun" {
		t.Errorf("the race's week ends with %+v", r)
	}
	if r := s.Races[0]; r.Ready < 0 || r.Ready > 1 || len(r.Why) == 0 {
		t.Errorf("%+v", r)
	}
	// The same is told each time, and a pair that is nearly done is ordered sooner than a new one.
	if again := lookAhead(t, w, record.SeasonWhat{}); toJSON(again.Answer) != toJSON(s.Answer) {
		t.Error("a second look comes to something else")
	}
	first := func(s *record.Season) time.Time {
		if len(s.Orders) == 0 {
			return time.Time{}
		}
		return s.Orders[0].On
	}
	old := fitted(t)
	old.owns(skua, 200, 620)
	old.runner.Races = w.runner.Races
	if o := lookAhead(t, old, record.SeasonWhat{}); o.Fault != "" || first(o).IsZero() || !first(s).IsZero() && first(o).After(first(s)) {
		t.Errorf("a pair of 620 km is followed in %s, one of 100 km in %s; %q", first(o), first(s), o.Fault)
	}
	// What is looked at instead.
	if e := lookAhead(t, w, record.SeasonWhat{Earlier: true}); !first(s).IsZero() && first(e).After(first(s)) {
		t.Errorf("ordered earlier, in %s, after %s", first(e), first(s))
	}
	if two := lookAhead(t, w, record.SeasonWhat{Second: true}); len(two.Pairs) <= len(s.Pairs) ||
		two.Answer.Spent.P50 <= s.Answer.Spent.P50 && s.Answer.Spent.P50 == 0 {
		t.Errorf("with a second pair: %d pairs of %d, %d spent of %d", len(two.Pairs), len(s.Pairs), two.Answer.Spent.P50, s.Answer.Spent.P50)
	}
	// One that is set aside is not in the season.
	w.runner.Pairs[0].SetAsideOn = daysAgo(1)
	if s := lookAhead(t, w, record.SeasonWhat{}); s.Fault == "" {
		for _, p := range s.Pairs {
			if p.Owned {
				t.Errorf("%s was set aside", p.Name)
			}
		}
	} else if !strings.Contains(s.Fault, "no pair") {
		t.Errorf("%q", s.Fault)
	}
}
