package match

import (
	"math"
	"slices"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
)

// tryOn proposes up to six models: the best, then those near it that differ
// most from all chosen; under comfort_first the best of each level in the
// spread takes the place of the last ones. Nobody new to running gets a race flat, or what is
// much for a first pair.
func (r *Request) tryOn(all []Ranked) []string {
	ranked := slices.DeleteFunc(slices.Clone(all), func(c Ranked) bool {
		first, _ := r.first(c.model)
		return r.Experience == "new" && (c.model.Class == term.RaceFlat || first < 0.5)
	})
	if len(ranked) == 0 {
		return []string{}
	}
	width := r.space()
	// Those near the best, and how far each is from the nearest that is chosen.
	near := 1
	for near < len(ranked) && ranked[near].Score >= nearBest*ranked[0].Score-1e-9 {
		near++
	}
	scaled, apart := make([]space, near), make([]float64, near)
	for i := range scaled {
		scaled[i], apart[i] = width.scale(ranked[i].model), math.Inf(1)
	}
	chosen := []int{0}
	for len(chosen) < min(mostTried, near) {
		last, next := chosen[len(chosen)-1], -1
		for i := range scaled {
			apart[i] = min(apart[i], scaled[i].distance(scaled[last]))
			if !slices.Contains(chosen, i) && (next < 0 || apart[i] > apart[next]+1e-12) {
				next = i
			}
		}
		chosen = append(chosen, next)
	}
	for i := 0; len(chosen) < min(leastTried, len(ranked)); i++ {
		if !slices.Contains(chosen, i) {
			chosen = append(chosen, i)
		}
	}
	if r.Lead == term.ComfortFirst {
		chosen = r.eachLevel(ranked, chosen)
	}
	out := make([]string, len(chosen))
	for i, c := range chosen {
		out[i] = ranked[c].Model
	}
	return out
}

func (r *Request) eachLevel(ranked []Ranked, chosen []int) []int {
	best := map[term.Level]int{}
	for i := len(ranked) - 1; i >= 0; i-- {
		best[ranked[i].model.Level] = i
	}
	for _, level := range r.Spread {
		b, there := best[level]
		if !there || slices.Contains(chosen, b) {
			continue
		}
		if len(chosen) < mostTried {
			chosen = append(chosen, b)
			continue
		}
		for at := len(chosen) - 1; at > 0; at-- {
			if best[ranked[chosen[at]].model.Level] != chosen[at] {
				chosen[at] = b
				break
			}
		}
	}
	return chosen
}

// space is what models differ in, each divided by its range in the catalogue.
type space [6]float64

func features(m *shoe.Model) space {
	return space{m.StackHeelMM, m.Drop(), m.WeightG, m.Softness, m.Bounce, m.Bareness()}
}

// space is the range of each in the catalogue.
func (r *Request) space() space {
	lo, hi := features(&r.Models[0]), features(&r.Models[0])
	for i := range r.Models {
		for k, v := range features(&r.Models[i]) {
			lo[k], hi[k] = min(lo[k], v), max(hi[k], v)
		}
	}
	var s space
	for k := range s {
		s[k] = hi[k] - lo[k]
	}
	return s
}

// scale is a model's place, each divided by its range.
func (s space) scale(m *shoe.Model) space {
	f := features(m)
	for k, width := range s {
		if width > 0 {
			f[k] /= width
		} else {
			f[k] = 0
		}
	}
	return f
}

func (s space) distance(o space) float64 {
	sum := 0.0
	for k := range s {
		d := s[k] - o[k]
		sum += d * d
	}
	return math.Sqrt(sum)
}
