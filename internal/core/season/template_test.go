package season

import (
	"math/rand/v2"
	"testing"

	"trevik/internal/core/rotation"
	"trevik/internal/core/term"
)

func kmOf(week []rotation.WeekPart) (sum float64) {
	for _, p := range week {
		sum += p.KM
	}
	return sum
}

// What season.md says of weeks: growth, easier weeks, the longest run, the last weeks.
func TestTemplate(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 9))
	for range 2000 {
		var week []rotation.WeekPart
		for i := range 2 + rnd.IntN(5) {
			week = append(week, rotation.WeekPart{ID: string(rune('a' + i)), KM: 4 + 10*rnd.Float64(), Kind: term.Easy, Ground: term.GroundRoad})
		}
		week = append(week, rotation.WeekPart{ID: "long", KM: 8 + 14*rnd.Float64(), Kind: term.Long, Ground: term.GroundRoad})
		race := []float64{10, 21.1, 42.2, 60}[rnd.IntN(4)]
		n := 1 + rnd.IntN(MostWeeks)
		plan := Template(week, race, n)
		if len(plan) != n {
			t.Fatalf("%d weeks of %d", len(plan), n)
		}
		down := len(taper(race))
		build, level, long := max(n-down, 1), kmOf(week), week[len(week)-1].KM
		was, wasLong := level, long
		for i, w := range plan {
			km, l := kmOf(w), 0.0
			for _, p := range w {
				if p.ID == "long" {
					l = p.KM
				}
			}
			if len(w) != len(week) {
				t.Fatalf("week %d has %d runs of %d", i+1, len(w), len(week))
			}
			switch {
			case i >= build:
				if km > was {
					t.Errorf("week %d before a race has %.1f km, more than the %.1f before the taper", i+1, km, was)
				}
			case (i+1)%easeEvery == 0:
				if km > was*growth*easeTo+0.5 {
					t.Errorf("week %d, an easier one, has %.1f km after %.1f", i+1, km, was)
				}
				was = km / easeTo
				wasLong = l / easeTo
			default:
				if km > was*growth+0.5 || km > level*mostGrowth+0.5 {
					t.Errorf("week %d has %.1f km after %.1f, of %.1f at first", i+1, km, was, level)
				}
				if l > wasLong+longStep+0.2 || l > long+0.1 && l > longMost*km+0.2 {
					t.Errorf("week %d: the longest run is %.1f after %.1f, of %.1f km", i+1, l, wasLong, km)
				}
				was, wasLong = km, l
			}
		}
	}
	week := []rotation.WeekPart{{ID: "a", KM: 10, Kind: term.Easy}, {ID: "b", KM: 20, Kind: term.Long}, {ID: "c", KM: 10, Kind: term.Tempo}}
	marathon := Template(week, 42.2, 16)
	for i, share := range []float64{0.75, 0.60, 0.40} {
		if got := kmOf(marathon[13+i]) / kmOf(marathon[12]); i == 0 && kmOf(marathon[12]) < kmOf(marathon[10]) && got > share/easeTo+0.01 {
			t.Errorf("%.2f of the week before, not %.2f", got, share)
		}
	}
	if got := kmOf(marathon[15]) / kmOf(marathon[13]); got < 0.40/0.75-0.02 || got > 0.40/0.75+0.02 {
		t.Errorf("the race's week has %.2f of the first lighter one", got)
	}
	for i, w := range Template(week, 0, 12) {
		if kmOf(w) != 40 {
			t.Errorf("without a race week %d has %.1f km", i+1, kmOf(w))
		}
	}
	if got := Template(nil, 42.2, 5); len(got) != 5 || len(got[0]) != 0 {
		t.Errorf("of no week: %v", got)
	}
}
