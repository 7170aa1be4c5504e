package rotation

import "context"

// Check notes what of a week cannot be, as a fault.List.
func (w *Week) Check() error {
	_, _, err := w.check([][]WeekPart{w.Parts})
	return err
}

// Assign is the pair of each part of a week, -1 for none, by the best set of its pairs: what Solve assigns, without the
// curve and the words about it. proven is false where the search was stopped before it had seen every set.
func Assign(ctx context.Context, w Week) (to []int, proven bool, err error) {
	p, _, err := w.check([][]WeekPart{w.Parts})
	if err != nil {
		return nil, false, err
	}
	limit := min(p.maxPairs, len(p.pairs))
	best, proven, _ := p.solve(ctx, limit, p.greedy(ctx, limit), mostSteps)
	to = make([]int, len(w.Parts))
	for i, pair := range p.giveOut(best) {
		to[p.parts[i].index] = pair
	}
	return to, proven, nil
}
