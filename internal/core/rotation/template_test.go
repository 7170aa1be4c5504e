package rotation

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"trevik/internal/core/term"
)

// sum is the km of parts, and how many runs they are.
func sum(parts []WeekPart) (km float64, runs int) {
	seen := map[string]bool{}
	for _, p := range parts {
		km += p.KM
		if p.Run == "" || !seen[p.Run] {
			runs++
		}
		seen[p.Run] = true
	}
	return km, runs
}

// Whatever goal and distance, a template holds that distance, on the days that it was
// given where there are so many, in runs that do not overlap.
func TestTemplate(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 2))
	for range 300 {
		goal := Goals[r.IntN(len(Goals))]
		km := 3 + math.Round(970*r.Float64())/10
		days := DaysFor(km)
		parts := Template(goal, km, days, term.GroundRoad)
		got, runs := sum(parts)
		if math.Abs(got-km) > 0.02 || runs > days || len(parts) > 14 {
			t.Fatalf("%s %.1f km on %d days: %.3f km in %d runs, %d parts", goal, km, days, got, runs, len(parts))
		}
		if _, err := Solve(context.Background(), Week{Parts: parts}); err != nil {
			t.Fatalf("%s %.1f km: %v", goal, km, err)
		}
	}
	for _, p := range Template(Health, 24, 4, term.GroundTrail) {
		if p.Kind != term.Easy || p.Ground != term.GroundTrail {
			t.Errorf("for health: %+v", p)
		}
	}
	kinds := map[term.Kind]bool{}
	for _, p := range Template(Faster, 45, 5, term.GroundRoad) {
		kinds[p.Kind] = true
	}
	for _, k := range []term.Kind{term.Easy, term.Long, term.Tempo, term.Intervals} {
		if !kinds[k] {
			t.Errorf("faster on 45 km has no %s", k)
		}
	}
	if DaysFor(5) != 2 || DaysFor(30) != 4 || DaysFor(200) != 7 {
		t.Error("days")
	}
}

// A run that is split keeps its km and minutes, and each part begins where the one before
// ended, over midnight and the week's end too.
func TestSplit(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 3))
	for range 500 {
		p := WeekPart{ID: "x", Day: Days[r.IntN(7)], Start: "23:40", KM: 0.2 + math.Round(400*r.Float64())/10, Kind: term.Intervals,
			Ground: term.GroundTrack}
		if r.IntN(2) == 0 {
			m := 5 + math.Round(200*r.Float64())
			p.Minutes = &m
		}
		begin, end := p.Times()
		parts := p.Split()
		if len(parts) == 1 {
			if p.KM > 0.5 {
				t.Fatalf("%.1f km are not split", p.KM)
			}
			continue
		}
		km, runs := sum(parts)
		if math.Abs(km-p.KM) > 1e-9 || runs != 1 || parts[0].Kind != term.Easy || parts[1].Kind != term.Intervals || parts[2].Kind != term.Easy {
			t.Fatalf("%+v of %+v", parts, p)
		}
		at := begin
		for _, part := range parts {
			from, to := part.Times()
			if math.Abs(math.Mod(from-at+weekMinutes, weekMinutes)) > 1e-6 {
				t.Fatalf("%+v begins at %g, the one before ended at %g", part, from, at)
			}
			at = to
		}
		if off := math.Abs(math.Mod(at-end+3*weekMinutes/2, weekMinutes) - weekMinutes/2); off > 3.01 {
			t.Fatalf("%+v ends %g minutes off", p, off)
		}
	}
}
