package rotation

import (
	"context"
	"slices"
)

// Turn is the answer to weeks that come in turn: one a week, and what is bought in all.
type Turn struct {
	Answers []Answer
	Buy     []string // ids, in the order in which they are bought
	Spent   int64    // minor units
}

// InTurn answers weeks that come in turn, one after another: what one buys is theirs in the
// next, and its price is gone from the money. w holds the pairs and the limits, weeks the
// parts of each; a week without parts has nothing to answer. It fails with a fault.List at
// the parts of a week, whose number it gives.
func InTurn(ctx context.Context, w Week, weeks [][]WeekPart) (t Turn, at int, err error) {
	w.Pairs = slices.Clone(w.Pairs)
	money := w.Budget
	for n, parts := range weeks {
		if len(parts) == 0 {
			t.Answers = append(t.Answers, Answer{Status: Optimal})
			continue
		}
		w.Parts = parts
		if money != nil {
			left := *money - t.Spent
			w.Budget = &left
		}
		a, err := Solve(ctx, w)
		if err != nil {
			return t, n, err
		}
		t.Answers = append(t.Answers, a)
		t.Spent += a.Spent
		for i := range w.Pairs {
			if id := w.Pairs[i].ID; slices.Contains(a.Buy, id) {
				t.Buy = append(t.Buy, id)
				w.Pairs[i].Owned = true
			}
		}
	}
	return t, 0, nil
}
