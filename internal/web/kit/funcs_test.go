package kit

import (
	"strings"
	"testing"
	"time"

	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
	"trevik/internal/record"
)

// A computed sentence is said in the reader's units, its days in full; what only looks like a day stays.
func TestSpoken(t *testing.T) {
	for _, c := range []struct {
		u          units.System
		said, want string
	}{
		{units.Metric, "Order by 2027-01-07, at the latest.", "Order by 7 January 2027, at the latest."},
		{units.Metric, "2027-02-30 is no day", "2027-02-30 is no day"},
		{units.Metric, "order 2027-01-071", "order 2027-01-071"},
		{units.Imperial, "12 mm until 2027-12-31", "0.47 in until 31 December 2027"},
	} {
		if got := Spoken(c.u, c.said); got != c.want {
			t.Errorf("%q: %q, want %q", c.said, got, c.want)
		}
	}
	if got := Span(units.Metric, [2]float64{12, 17}); got != "12–17 mm" {
		t.Error(got)
	}
	if got := string(gloss("drop", "a <drop>")); !strings.Contains(got, `/glossary#drop">a &lt;drop&gt;<`) {
		t.Error(got)
	}
}

// The cupboard has the pairs in use first, then the latest that were retired; a pair to retire has no
// days left, and one nobody wore begins on the day it was bought.
func TestLives(t *testing.T) {
	day := func(s string) time.Time {
		d, err := time.Parse(time.DateOnly, s)
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	m := shoe.Model{Name: "Skua", Version: 4, Class: term.Daily}
	r := record.Runner{Pairs: []record.Pair{{ID: 1, Model: m, BoughtOn: day("2026-03-01")},
		{ID: 2, Model: m, BoughtOn: day("2025-01-01"), FirstWorn: day("2025-02-01"), SetAsideOn: day("2025-12-01"),
			Before: wear.Before{KM: 100}, Runs: []record.Run{{KM: 12}}},
		{ID: 3, Model: m, BoughtOn: day("2024-01-01"), SetAsideOn: day("2025-06-01"), Before: wear.Before{Unknown: true, KM: 7}}}}
	likely, order := "2027-02-01", "2027-01-10"
	worn := []record.Worn{{Pair: r.Pairs[0], Wear: wear.Answer{KM: 240, State: wear.Order, Dates: wear.Dates{P50: &likely}, OrderBy: &order}}}
	url := func(id uint64) string { return "/" + string(rune('0'+id)) }
	l := Lives(&r, worn, units.Metric, 1, url)
	if len(l) != 2 || !l[0].Act || l[0].Said != "240 km" || !l[0].From.Equal(day("2026-03-01")) || !l[0].Likely.Equal(day(likely)) ||
		!l[0].Order.Equal(day(order)) || l[0].URL != "/1" {
		t.Errorf("%+v", l)
	}
	if x := l[1]; x.Said != "112 km" || x.State != "Retired" || !x.From.Equal(day("2025-02-01")) || !x.Until.Equal(day("2025-12-01")) {
		t.Errorf("%+v", x)
	}
	worn[0].Wear.State = wear.SetAside
	if l = Lives(&r, worn, units.Metric, 9, url); len(l) != 3 || !l[0].Likely.IsZero() || !l[0].Order.IsZero() || l[2].Said != "0 km" {
		t.Errorf("%+v", l)
	}
	worn[0].Wear.Races = []wear.RaceAnswer{{Date: "2027-03-01", AtRisk: true}}
	events := Events([]record.Race{{On: day("2027-03-01")}, {Name: "Moor Crossing", On: day("2027-04-01")}}, worn)
	if len(events) != 2 || events[0].Name != "Race" || !events[0].AtRisk || events[1].AtRisk {
		t.Errorf("%+v", events)
	}
}
