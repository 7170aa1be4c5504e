// Package rotation tells which pairs serve a runner's week.
//
// Solve finds the best set of pairs for a week with its days and hours, proven: most metres
// covered, then the best suited up to what is good enough, the cheapest, the best suited, the
// fewest, and the first in the list, with each pair's rest kept from start to start
// (docs/method.md). InTurn does so for weeks that come in turn, as one problem.
//
// Serve is the plain answer where no days are known: the pair with the highest suitability takes
// the kind, from a suitability of 0.5 up; between equals the earlier in the list. A kind that no
// pair serves is left open, and the page says what is missing.
package rotation

import "trevik/internal/core/term"

// LeastSuit is the suitability from which a pair may take a kind (house).
const LeastSuit = 0.5

// Part is a kind of run in the week, with its ground and km.
type Part struct {
	Kind   term.Kind
	Ground term.Ground
	KM     float64
}

// Served is who takes a part: Pair is an index into the pairs, -1 for none.
type Served struct {
	Part
	Pair int
	Suit float64
	Why  string
	All  []float64 // suitability of every pair, in order
}

// Serve gives each part to the pair that suits it best. suit tells how well a pair serves
// a part, 0 to 1, and why.
func Serve(parts []Part, pairs int, suit func(pair int, p Part) (float64, string)) []Served {
	out := make([]Served, len(parts))
	for i, p := range parts {
		s := Served{Part: p, Pair: -1, All: make([]float64, pairs)}
		for j := range pairs {
			v, why := suit(j, p)
			s.All[j] = v
			if v >= LeastSuit && v > s.Suit {
				s.Pair, s.Suit, s.Why = j, v, why
			}
		}
		out[i] = s
	}
	return out
}
