package record

import (
	"math"
	"time"
)

// When two runs look like one (house).
const (
	alikeLength = 0.03             // of the longer
	alikeStart  = 30 * time.Minute // between their hours, where both are known
)

// Alike are two runs that count and may be one: the same day and nearly as long. Second is the one that
// was put down later.
type Alike struct{ First, Second Run }

// LookAlikes are the runner's runs that may be one, the latest day first: those of which nobody said that
// they are two. The parts of one run are not.
func (r *Runner) LookAlikes() []Alike {
	var out []Alike
	all := r.AllRuns()
	for i := len(all) - 1; i >= 0; i-- {
		for j := i - 1; j >= 0 && all[j].On.Equal(all[i].On); j-- {
			x := Alike{all[j], all[i]}
			if x.First.ID > x.Second.ID {
				x.First, x.Second = x.Second, x.First
			}
			if x.First.may(x.Second) {
				out = append(out, x)
			}
		}
	}
	return out
}

func (r Run) may(later Run) bool {
	if r.Part || later.Part || later.Apart || math.Abs(r.KM-later.KM) > alikeLength*math.Max(r.KM, later.KM) {
		return false
	}
	return r.StartedAt.IsZero() || later.StartedAt.IsZero() || r.StartedAt.Sub(later.StartedAt).Abs() <= alikeStart
}
