package rotation

import (
	"math"
	"slices"

	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// Goal is what a runner runs for.
type Goal string

// Goals in the order in which they are asked.
const (
	Health  Goal = "health"
	Faster  Goal = "faster"
	Farther Goal = "farther"
	ARace   Goal = "race"
)

// Goals are all of them.
var Goals = []Goal{Health, Faster, Farther, ARace}

// Told is what a runner says of their running in numbers, km; 0 is not told.
type Told struct {
	WeeklyKM, UsualKM, LongestKM float64
	Days                         int // a week
	Goals                        []Goal
	Ground                       term.Ground
}

// House values of a sketched week.
const (
	longOver   = 1.25 // times the mean of the runs, from which the longest is a long run
	tempoShare = 0.25 // of the week, the most that is run faster
	tempoDays  = 3    // from so many days a week
	raceLong   = 0.32 // of the week: the long run of who trains for a race and told of none
)

// Week sketches a week from what was told (house): the longest run is a long run where
// it is clearly longer than the others, and who trains for a race has one, one run is a tempo run for those who want to be
// faster or race and run on three days or more, and the rest is easy. Nothing comes
// where no km can be told.
func (t Told) Week() []Part {
	km := t.WeeklyKM
	if km == 0 && t.UsualKM > 0 {
		days := float64(max(1, t.Days))
		km = t.UsualKM * days
		if t.LongestKM > t.UsualKM {
			km += t.LongestKM - t.UsualKM
		}
	}
	if km <= 0 {
		return nil
	}
	mean := t.UsualKM
	if mean == 0 && t.Days > 0 {
		mean = km / float64(t.Days)
	}
	long := 0.0
	if t.LongestKM > longOver*mean && (mean > 0 || t.LongestKM < km) {
		long = math.Min(t.LongestKM, km)
	}
	if t.LongestKM == 0 && slices.Contains(t.Goals, ARace) && t.Days != 1 {
		long = raceLong * km
	}
	tempo := 0.0
	if (slices.Contains(t.Goals, Faster) || slices.Contains(t.Goals, ARace)) && t.Days >= tempoDays {
		tempo = math.Min(tempoShare*km, math.Max(0, km-long)/float64(t.Days-1))
	}
	var out []Part
	for _, p := range []Part{{term.Easy, t.Ground, km - long - tempo}, {term.Long, t.Ground, long}, {term.Tempo, t.Ground, tempo}} {
		if p.KM = units.Round(p.KM, 3); p.KM > 0 {
			out = append(out, p)
		}
	}
	return out
}
