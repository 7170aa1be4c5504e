package season

import (
	"math"

	"trevik/internal/core/rotation"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// House values of a season that Trevik lays out (source: season.md, The plan).
const (
	growth     = 1.10 // of a week's km to the next, at most
	easeEvery  = 4    // weeks, of which the last is easier
	easeTo     = 0.80
	longStep   = 2.0 // km of the longest run to the next, at most
	longLeast  = 0.30
	longMost   = 0.35 // of the week
	mostGrowth = 1.5  // of the present week in all: Trevik is no coach
	half       = 21.0 // km of a race, from which its last weeks are lighter
	marathon   = 40.0
)

// taper is the share of the week before the taper that each of the last weeks has, the race's own last.
func taper(raceKM float64) []float64 {
	switch {
	case raceKM >= marathon:
		return []float64{0.75, 0.60, 0.40}
	case raceKM >= half:
		return []float64{0.60, 0.40}
	}
	return nil
}

// longest is what the longest run grows to for a race; 0 is by the fitter, as it is.
func longest(raceKM float64) float64 {
	switch {
	case raceKM <= 0 || raceKM > 43:
		return 0
	case raceKM >= marathon:
		return 32
	case raceKM >= half:
		return 20
	}
	return 14
}

// Template lays out weeks (1 to MostWeeks) from the present one to a race of a distance in the last of them, 0 for none:
// km and the longest run grow, every fourth week is easier, the last weeks before a half and a marathon are lighter with
// their kinds kept. The race itself is not among the parts. Without a race each week is as the present one. Source:
// season.md, The plan.
func Template(present []rotation.WeekPart, raceKM float64, weeks int) [][]rotation.WeekPart {
	out := make([][]rotation.WeekPart, weeks)
	at, sum := longOf(present), 0.0
	for _, p := range present {
		sum += p.KM
	}
	if raceKM <= 0 || at < 0 || sum <= 0 {
		for i := range out {
			out[i] = scaled(present, -1, 0, sum, sum)
		}
		return out
	}
	down := taper(raceKM)
	build := max(weeks-len(down), 1)
	long, most := present[at].KM, math.Max(longest(raceKM), present[at].KM)
	level, last := sum, sum
	for i := range out {
		if i >= build {
			share := down[i-build]
			out[i] = scaled(present, at, long*share, last*share, sum)
			continue
		}
		if i > 0 {
			level = math.Min(level*growth, math.Max(sum*mostGrowth, sum))
			// The longest run follows the week, a step at a time, and never makes up more of it than it should.
			long = math.Max(present[at].KM, math.Min(math.Min(long+longStep, most), level*longMost))
		}
		if last = level; (i+1)%easeEvery == 0 {
			out[i] = scaled(present, at, long*easeTo, level*easeTo, sum)
		} else {
			out[i] = scaled(present, at, long, level, sum)
		}
	}
	return out
}

// longOf is the longest run of a week that is run slowly, else its longest; -1 where there is none.
func longOf(week []rotation.WeekPart) int {
	best := -1
	for i, p := range week {
		if p.Kind == term.Race {
			continue
		}
		if best < 0 || p.Kind == term.Long && week[best].Kind != term.Long || p.KM > week[best].KM &&
			(p.Kind == term.Long || week[best].Kind != term.Long) {
			best = i
		}
	}
	return best
}

// scaled is a week of so many km in all with its longest run of a length; at -1 is without one.
func scaled(week []rotation.WeekPart, at int, long, all, sum float64) []rotation.WeekPart {
	out := make([]rotation.WeekPart, 0, len(week))
	rest := sum
	if at >= 0 {
		rest -= week[at].KM
	}
	for i, p := range week {
		before := p.KM
		switch {
		case at < 0:
			p.KM = units.Round(p.KM*all/math.Max(sum, 1e-9), 1)
		case i == at:
			p.KM = units.Round(long, 1)
		case rest > 0:
			p.KM = units.Round(p.KM*math.Max(all-long, 0)/rest, 1)
		}
		if p.Minutes != nil && before > 0 { // at the same pace
			m := *p.Minutes * p.KM / before
			p.Minutes = &m
		}
		if p.KM > 0 {
			out = append(out, p)
		}
	}
	return out
}
