package wardrobe

import (
	"context"
	"strconv"

	"trevik/internal/app"
	"trevik/internal/app/shelf"
	"trevik/internal/core/foot"
	"trevik/internal/store/db"
)

// SellOrdered makes an order of a runner's season that has arrived their pair: from the shelf where it was put there, with a plan
// of changing over where it takes one. It gives the pair's id. It fails with app.ErrNotFound on an order that was sold or dropped.
func (w *Wardrobe) SellOrdered(ctx context.Context, who app.Actor, runnerID, order uint64) (uint64, error) {
	fit, err := w.Visits.OfRunner(ctx, who, runnerID)
	if err != nil {
		return 0, err
	}
	result, err := w.OnceOf(ctx, who, runnerID, func(q *db.Queries) (string, error) {
		o, err := q.SeasonOrder(ctx, db.SeasonOrderParams{ID: order, RunnerID: runnerID, ShopID: who.ShopID})
		if err != nil {
			return "", app.Found(err)
		}
		m := fit.Shop.Catalogue.ByID(o.ModelID)
		if m == nil {
			return "", app.ErrNotFound
		}
		taken := false
		if fit.Runner.Practice == nil { // practice takes nothing from the shelf
			if taken, err = shelf.Take(ctx, q, o.ModelID, foot.Figure(float64(o.UkHalf)/2), o.Width); err != nil {
				return "", err
			}
		}
		pair, err := q.AddPair(ctx, db.AddPairParams{ShopID: who.ShopID, RunnerID: runnerID, ModelID: o.ModelID, FitID: app.NullID(fit.ID),
			UkHalf: o.UkHalf, Width: o.Width, Price: o.Price, BoughtOn: w.Today(who), FromStock: taken, MadeBy: who.UserID, MadeAt: w.Now()})
		if err != nil {
			return "", err
		}
		if err := app.Some(q.SellSeasonOrder(ctx, db.SellSeasonOrderParams{PairID: app.NullID(uint64(pair)), ID: order,
			ShopID: who.ShopID})); err != nil {
			return "", err
		}
		if err := w.goOver(ctx, q, who, fit, m, uint64(pair)); err != nil {
			return "", err
		}
		if taken {
			err = shelf.Changed(ctx, q, who.ShopID, o.ModelID)
		}
		return strconv.FormatInt(pair, 10), err
	})
	if err != nil {
		return 0, err
	}
	return strconv.ParseUint(result, 10, 64)
}
