package wardrobe

import (
	"context"
	"slices"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/load"
	"trevik/internal/app/runlog"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/limits"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// FactFields are those of the form that puts a pair's facts right.
var FactFields = []form.Field{
	{Name: "fact_uk", Label: "UK size", Kind: form.Number, Lo: 0, Hi: 20},
	{Name: "fact_width", Label: "Width", Kind: form.Text, Max: 4},
	{Name: "fact_price", Label: "Price paid", Kind: form.Number, Unit: form.Money, Lo: 0, Hi: limits.MoneyMinor.Hi},
	{Name: "fact_since", Label: "Owned since", Kind: form.Day},
	{Name: "fact_worn", Label: "First worn", Kind: form.Day},
}

// Facts are what a pair is, as it is put right.
type Facts struct {
	UK    foot.Figure // running figure on the model's chart
	Width string
	Price int64
	Since string // a day
	Worn  string // a day; empty is not worn yet
}

// PutRight puts a pair's facts right; what is on the shelf stays as it is. It fails with a fault.List.
func (w *Wardrobe) PutRight(ctx context.Context, who app.Actor, runnerID, pairID uint64, f Facts) error {
	c, err := w.Visits.Shelf.Catalogue(ctx, who)
	if err != nil {
		return err
	}
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		runner, err := load.Runner(ctx, q, who, runnerID)
		if err != nil {
			return err
		}
		p := runner.Pair(pairID)
		if p == nil {
			return app.ErrNotFound
		}
		var l fault.List
		if m := c.ByID(p.ModelRow); m != nil {
			if made := m.SizesUK; !slices.Contains(made, f.UK) && f.UK != p.Size {
				l.Add("fact_uk", "is %g, a size that is not made; allowed is UK %g to %g", float64(f.UK), made[0].UK(m.Chart),
					made[len(made)-1].UK(m.Chart))
			}
			if f.Width != p.Width {
				fault.OneOf(&l, "fact_width", f.Width, m.Widths)
			}
		}
		limits.MoneyMinor.Check(&l, "fact_price", float64(f.Price))
		today := w.Today(who)
		day := func(field, text string) time.Time {
			on, err := time.Parse(time.DateOnly, text)
			if err != nil || on.After(today) || on.Before(today.AddDate(-20, 0, 0)) {
				l.Add(field, "is %q; allowed is a day up to today, such as %s", form.Clip(text), today.Format(time.DateOnly))
			}
			return on
		}
		since, worn := day("fact_since", f.Since), time.Time{}
		if f.Worn != "" {
			if worn = day("fact_worn", f.Worn); len(l) == 0 && worn.Before(since) {
				l.Add("fact_worn", "is before the pair was the runner's; allowed is from %s", since.Format(time.DateOnly))
			}
		}
		if first := firstRun(p); !first.IsZero() {
			if since.After(first) {
				l.Add("fact_since", "is after their first run in it; allowed is up to %s", first.Format(time.DateOnly))
			}
			if worn.IsZero() || worn.After(first) {
				l.Add("fact_worn", "is after their first run in it; allowed is up to %s", first.Format(time.DateOnly))
			}
		}
		if len(l) > 0 {
			return l
		}
		return q.PutPairRight(ctx, db.PutPairRightParams{UkHalf: app.Halves(f.UK), Width: f.Width, Price: f.Price, BoughtOn: since,
			FirstWorn: app.NullTime(worn), ID: pairID, ShopID: who.ShopID})
	})
}

// firstRun is the day of the earliest run in a pair, zero without one.
func firstRun(p *record.Pair) (first time.Time) {
	for _, r := range p.Runs {
		if first.IsZero() || r.On.Before(first) {
			first = r.On
		}
	}
	return first
}

// TakeAway takes a pair away that was put down in error; its runs stay, without a pair. One that was sold
// here is taken back at Shoes, or set aside.
func (w *Wardrobe) TakeAway(ctx context.Context, who app.Actor, runnerID, pairID uint64) error {
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		p, err := own(ctx, q, who, runnerID, pairID)
		if err != nil {
			return err
		}
		if p.FitID.Valid {
			return fault.List{{Field: "pair", Text: "was sold here: undo it at Shoes in the fit of that day, or retire it with the reason"}}
		}
		now := w.Now()
		runs, err := q.RunsOfPair(ctx, db.RunsOfPairParams{PairID: app.NullID(pairID), RunnerID: runnerID, ShopID: who.ShopID})
		if err != nil {
			return err
		}
		for _, id := range runs {
			if err := runlog.Shift(ctx, q, who, runnerID, id, pairID, 0, now); err != nil {
				return err
			}
		}
		return app.Some(q.TakePairBack(ctx, db.TakePairBackParams{TakenBackAt: app.NullTime(now), ID: pairID, ShopID: who.ShopID}))
	})
}

// PutBack brings a pair back that was taken away, with the runs that it lost and that nobody has moved since.
func (w *Wardrobe) PutBack(ctx context.Context, who app.Actor, runnerID, pairID uint64) error {
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		p, err := q.PairTakenAway(ctx, db.PairTakenAwayParams{ID: pairID, RunnerID: runnerID, ShopID: who.ShopID})
		if err != nil {
			return app.Found(err)
		}
		if err := app.Some(q.PutPairBack(ctx, db.PutPairBackParams{ID: pairID, ShopID: who.ShopID})); err != nil {
			return err
		}
		runs, err := q.RunsTakenOut(ctx, db.RunsTakenOutParams{Pair: app.NullID(pairID), MadeAt: p.TakenBackAt.Time, RunnerID: runnerID,
			ShopID: who.ShopID})
		if err != nil {
			return err
		}
		for _, id := range runs {
			if err := runlog.Shift(ctx, q, who, runnerID, id, 0, pairID, w.Now()); err != nil {
				return err
			}
		}
		return nil
	})
}
