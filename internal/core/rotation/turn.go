package rotation

import (
	"context"
	"fmt"
	"math"

	"trevik/internal/core/fault"
)

// Turn is the answer to weeks that come in turn, solved as one: an answer a week, and what is
// bought in all. The curve's km are of all weeks together.
type Turn struct {
	Answers  []Answer
	Buy      []string // ids, in the order of the list
	Spent    int64    // minor units
	Curve    []Point
	Warnings []fault.Warning
}

// InTurn finds the best set of pairs for weeks that come in turn, one after another and then from
// the first again: one set for all of them, with rest kept from each into the next. w holds the
// pairs and the limits, weeks the parts of each. It fails with a fault.List, at the parts of a week
// whose number it gives.
func InTurn(ctx context.Context, w Week, weeks [][]WeekPart) (t Turn, at int, err error) {
	p, at, err := w.check(weeks)
	if err != nil {
		return t, at, err
	}
	t = Turn{Buy: []string{}, Curve: []Point{}, Warnings: []fault.Warning{}}
	if len(w.Pairs) == 0 {
		t.Warnings = append(t.Warnings, fault.Warning{Code: "no_pairs", Text: "No pair is given, so nothing is covered."})
	}
	// Each point of the curve has its own optimum; a pair more never covers less.
	value, own := score{}, plan{}
	proven, upper := true, score{}
	last := max(curveTo, p.maxPairs)
	for n := 1; n <= last; n++ {
		if n > curveTo && n != p.maxPairs {
			continue
		}
		best, ok, bound := p.solve(ctx, min(n, len(p.pairs)), greater(value, p.greedy(ctx, min(n, len(p.pairs)))), mostSteps)
		value = greater(value, score{best.value.main, 0})
		if n <= curveTo {
			takes := p.takes(&w, best, p.giveOut(best), len(weeks), func(piece) bool { return true })
			t.Curve = append(t.Curve, Point{n, kilometres(best.value.main / metre), suitKM(best.value), best.spent, takes})
		}
		if n == p.maxPairs || p.maxPairs == 0 && n == 1 {
			own, proven, upper = best, ok, bound
		}
		if !ok && n != p.maxPairs {
			t.Warnings = append(t.Warnings, fault.Warning{Code: "curve_not_proven",
				Text: fmt.Sprintf("The best with %d pairs is the best found, not proven.", n)})
		}
	}
	to := p.giveOut(own)
	t.Spent = own.spent
	for _, k := range own.set {
		if !w.Pairs[k].Owned {
			t.Buy = append(t.Buy, w.Pairs[k].ID)
		}
	}
	for n, parts := range weeks {
		a := p.week(&w, n, parts, own, to)
		if proven {
			a.Why = append(a.Why, p.proof(weeks, own, to)...)
		} else {
			a.Status = BestFound
			a.GapKM = kilometres(upper.main/metre - own.value.main/metre)
			a.Why = append(a.Why, fmt.Sprintf("The search was ended before every set was seen: another could cover at most %.1f km more.", a.GapKM))
		}
		t.Answers = append(t.Answers, a)
	}
	return t, 0, nil
}

// giveOut is the pair of each piece in a plan, -1 for none.
func (p *problem) giveOut(own plan) []int {
	s := &solver{problem: p, ctx: context.Background(), steps: math.MaxInt}
	return s.assign(own.set, own.value)
}
