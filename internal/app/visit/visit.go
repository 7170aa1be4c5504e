// Package visit is one runner's fit, from its beginning to its end: what is found is recorded,
// undone and decided here.
package visit

import (
	"context"
	"slices"

	"trevik/internal/app"
	"trevik/internal/app/load"
	"trevik/internal/app/shelf"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Visits is that concern.
type Visits struct {
	*app.Core
	Shelf    *shelf.Shelf
	Reopened func(ctx context.Context, q *db.Queries, who app.Actor, fitID uint64) error // what follows when a fit is open again
}

// Fit is what follows from a fit of the person's shop. It fails with app.ErrNotFound.
func (v *Visits) Fit(ctx context.Context, who app.Actor, id uint64) (*record.Conclusions, error) {
	return v.in(ctx, v.Store.Queries, who, id)
}

// in is Fit read in a transaction.
func (v *Visits) in(ctx context.Context, q *db.Queries, who app.Actor, id uint64) (*record.Conclusions, error) {
	h, err := load.Settings(ctx, q, who.ShopID)
	if err != nil {
		return nil, err
	}
	visit, err := load.Visit(ctx, q, who, h, id)
	if err != nil {
		return nil, err
	}
	runner, err := load.Runner(ctx, q, who, visit.RunnerID)
	if err != nil {
		return nil, err
	}
	return v.follow(ctx, who, h, runner, visit)
}

func (v *Visits) follow(ctx context.Context, who app.Actor, h load.History, runner *record.Runner,
	visit *record.Visit) (*record.Conclusions, error) {
	shop, err := v.Shelf.Shop(ctx, who, h)
	if err != nil {
		return nil, err
	}
	c, err := record.Follow(runner, visit, shop, v.Today(who))
	if err != nil {
		return nil, err
	}
	c.Units = who.Units
	return c, nil
}

// Open is one fit in a transaction that changes it: locked, not closed, with what follows from
// it. It fails with app.ErrClosed on a closed one.
func (v *Visits) Open(ctx context.Context, q *db.Queries, who app.Actor, id uint64) (*record.Conclusions, error) {
	if _, err := v.LockOpen(ctx, q, who, id); err != nil {
		return nil, err
	}
	return v.in(ctx, q, who, id)
}

// OfRunner is what follows from the runner's latest fit that tells their week, else from their
// latest. It fails with app.ErrNotFound where there is none.
func (v *Visits) OfRunner(ctx context.Context, who app.Actor, runnerID uint64) (*record.Conclusions, error) {
	q := v.Store.Queries
	h, err := load.Settings(ctx, q, who.ShopID)
	if err != nil {
		return nil, err
	}
	visits, err := load.WithWeek(ctx, q, who, h, []uint64{runnerID})
	if err != nil {
		return nil, err
	}
	runner, err := load.Runner(ctx, q, who, runnerID)
	if err != nil {
		return nil, err
	}
	if visits[runnerID] == nil {
		return nil, app.ErrNotFound
	}
	return v.follow(ctx, who, h, runner, visits[runnerID])
}

// Fits are what follows from several fits of the person's shop, by their ids, in a constant number of
// reads; one that is not there is missing.
func (v *Visits) Fits(ctx context.Context, who app.Actor, ids []uint64) (map[uint64]*record.Conclusions, error) {
	out := map[uint64]*record.Conclusions{}
	if len(ids) == 0 {
		return out, nil
	}
	q := v.Store.Queries
	h, err := load.Settings(ctx, q, who.ShopID)
	if err != nil {
		return nil, err
	}
	visits, err := load.Visits(ctx, q, who, h, ids)
	if err != nil {
		return nil, err
	}
	var runners []uint64
	for _, visit := range visits {
		if !slices.Contains(runners, visit.RunnerID) {
			runners = append(runners, visit.RunnerID)
		}
	}
	known, err := load.Runners(ctx, q, who, runners)
	if err != nil {
		return nil, err
	}
	for id, visit := range visits {
		if known[visit.RunnerID] == nil {
			continue
		}
		if out[id], err = v.follow(ctx, who, h, known[visit.RunnerID], visit); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Runner is one of the shop's runners with what goes on between their visits. It fails with
// app.ErrNotFound.
func (v *Visits) Runner(ctx context.Context, who app.Actor, id uint64) (*record.Runner, error) {
	return load.Runner(ctx, v.Store.Queries, who, id)
}

// Last is the runner's visit before a fit; nil when there is none.
func (v *Visits) Last(ctx context.Context, who app.Actor, fit *record.Conclusions) (*record.Visit, error) {
	return v.last(ctx, v.Store.Queries, who, fit)
}

func (v *Visits) last(ctx context.Context, q *db.Queries, who app.Actor, fit *record.Conclusions) (*record.Visit, error) {
	before, err := v.before(ctx, q, who, fit, 1)
	if err != nil || len(before) == 0 {
		return nil, err
	}
	return before[0], nil
}

// mostVisits is how many earlier visits stand behind the present one.
const mostVisits = 8

// EarlierFeet lists the runner's earlier visits at which a foot was measured, the earliest
// first.
func (v *Visits) EarlierFeet(ctx context.Context, who app.Actor, fit *record.Conclusions) ([]*record.Visit, error) {
	before, err := v.before(ctx, v.Store.Queries, who, fit, 50)
	var out []*record.Visit
	for _, b := range before {
		if b.HasFeet() && len(out) < mostVisits {
			out = append([]*record.Visit{b}, out...)
		}
	}
	return out, err
}

// before are the runner's visits before a fit, the newest first.
func (v *Visits) before(ctx context.Context, q *db.Queries, who app.Actor, fit *record.Conclusions, most int) ([]*record.Visit, error) {
	rows, err := q.FitsOfRunners(ctx, db.FitsOfRunnersParams{ShopID: who.ShopID, Ids: []uint64{fit.Runner.ID}})
	if err != nil {
		return nil, err
	}
	var ids []uint64
	for _, r := range rows {
		if r.ID != fit.ID && !r.StartedAt.After(fit.StartedAt) && len(ids) < most {
			ids = append(ids, r.ID)
		}
	}
	h, err := load.Settings(ctx, q, who.ShopID)
	if err != nil {
		return nil, err
	}
	visits, err := load.Visits(ctx, q, who, h, ids)
	var out []*record.Visit
	for _, id := range ids {
		if visits[id] != nil {
			out = append(out, visits[id])
		}
	}
	return out, err
}
