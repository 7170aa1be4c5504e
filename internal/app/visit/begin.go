package visit

import (
	"context"
	"strconv"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Start begins a fit for a runner, who is made when runner.ID is 0. It fails with a fault.List.
func (v *Visits) Start(ctx context.Context, who app.Actor, runner record.Runner) (uint64, error) {
	if runner.ID == 0 {
		if err := runner.Check(); err != nil {
			return 0, err
		}
	}
	result, err := v.Once(ctx, who, func(q *db.Queries) (string, error) {
		id, err := v.start(ctx, q, who, runner)
		return strconv.FormatUint(id, 10), err
	})
	if err != nil {
		return 0, err
	}
	return strconv.ParseUint(result, 10, 64)
}

func (v *Visits) start(ctx context.Context, q *db.Queries, who app.Actor, runner record.Runner) (uint64, error) {
	if runner.ID == 0 {
		p := db.AddRunnerParams{ShopID: who.ShopID, Name: runner.Name, Contact: runner.Contact, Chart: string(runner.Chart), MadeBy: who.UserID,
			MadeAt: v.Now()}
		if runner.Practice != nil {
			p.PracticeSeed = app.NullInt(int64(*runner.Practice))
		}
		id, err := q.AddRunner(ctx, p)
		if err != nil {
			return 0, err
		}
		runner.ID = uint64(id)
	} else {
		if err := v.LockRunner(ctx, q, who, runner.ID); err != nil {
			return 0, err
		}
		if err := q.BookingsCame(ctx, db.BookingsCameParams{CameAt: app.NullTime(v.Now()), RunnerID: runner.ID, ShopID: who.ShopID,
			OnDay: v.Today(who)}); err != nil {
			return 0, err
		}
		if err := v.Touch(ctx, q, who, runner.ID); err != nil {
			return 0, err
		}
	}
	id, err := q.AddFit(ctx, db.AddFitParams{ShopID: who.ShopID, RunnerID: runner.ID, FitterID: who.UserID, StartedAt: v.Now()})
	return uint64(id), err
}

// Begin is Start with what was told at once, in the same transaction.
func (v *Visits) Begin(ctx context.Context, who app.Actor, runner record.Runner, told []record.Value) (uint64, error) {
	if err := runner.Check(); err != nil {
		return 0, err
	}
	result, err := v.Once(ctx, who, func(q *db.Queries) (string, error) {
		id, err := v.start(ctx, q, who, runner)
		if err == nil {
			_, err = v.Put(ctx, q, who, id, told)
		}
		return strconv.FormatUint(id, 10), err
	})
	if err != nil {
		return 0, err
	}
	return strconv.ParseUint(result, 10, 64)
}

// Close closes a fit. One with health answers closes once the runner has said whether they may
// be kept; those that may not go with it, and so do pictures and frames that nobody agreed to
// keep. It fails with a fault.List at that question. A fit that is closed stays as it was.
func (v *Visits) Close(ctx context.Context, who app.Actor, fitID uint64) error {
	return v.Do(ctx, who, func(q *db.Queries) error {
		runner, err := v.LockOpen(ctx, q, who, fitID)
		if err == app.ErrClosed {
			return nil // by another hand, or sent twice
		}
		if err != nil {
			return err
		}
		fit, err := v.in(ctx, q, who, fitID)
		if err != nil {
			return err
		}
		consent, asked := fit.Runner.Consents[record.HealthConsent]
		if !asked && fit.HasHealth() {
			return fault.List{{Field: record.HealthConsent,
				Text: "is missing: say whether the health answers may be kept; with ‘no’ they go when the fit is closed"}}
		}
		if err := q.CloseFit(ctx, db.CloseFitParams{ClosedAt: app.NullTime(v.Now()), ID: fitID, ShopID: who.ShopID}); err != nil {
			return err
		}
		if err := LetGo(ctx, q, who, fitID); err != nil {
			return err
		}
		if asked && !consent.Agreed(v.Now()) {
			return ForgetHealth(ctx, q, v.Now(), v.Now(), who.ShopID, runner, false)
		}
		return v.Touch(ctx, q, who, runner)
	})
}

// LetGo deletes a fit's pictures and frames that nobody agreed to keep.
func LetGo(ctx context.Context, q *db.Queries, who app.Actor, fitID uint64) error {
	if err := q.DeleteLoosePicturesOfFit(ctx, db.DeleteLoosePicturesOfFitParams{FitID: fitID, ShopID: who.ShopID}); err != nil {
		return err
	}
	films, err := q.LooseRecordingsOfFit(ctx, db.LooseRecordingsOfFitParams{FitID: fitID, ShopID: who.ShopID})
	for _, id := range films {
		if err == nil {
			err = DropFrames(ctx, q, id)
		}
	}
	return err
}

// DropFrames deletes the frames of a film; its numbers stay.
func DropFrames(ctx context.Context, q *db.Queries, film uint64) error {
	if err := q.DeleteFrames(ctx, film); err != nil {
		return err
	}
	return q.MarkFramesGone(ctx, film)
}

// Reopen opens a closed fit again.
func (v *Visits) Reopen(ctx context.Context, who app.Actor, fitID uint64) error {
	return v.Do(ctx, who, func(q *db.Queries) error {
		f, err := q.LockFit(ctx, db.LockFitParams{ID: fitID, ShopID: who.ShopID})
		if err != nil {
			return app.Found(err)
		}
		if err := q.ReopenFit(ctx, db.ReopenFitParams{ID: fitID, ShopID: who.ShopID}); err != nil {
			return err
		}
		if err := v.Reopened(ctx, q, who, fitID); err != nil {
			return err
		}
		return v.Touch(ctx, q, who, f.RunnerID)
	})
}

// Brief is a fit in a list.
type Brief struct {
	ID        uint64
	RunnerID  uint64
	Runner    string
	Fitter    string
	StartedAt time.Time
	ClosedAt  time.Time
}

// mostOpen is how many fits under way a page shows.
const mostOpen = 40

// UnderWay lists the fits that are open, newest first.
func (v *Visits) UnderWay(ctx context.Context, who app.Actor) ([]Brief, error) {
	rows, err := v.Store.OpenFits(ctx, db.OpenFitsParams{ShopID: who.ShopID, Limit: mostOpen})
	out := make([]Brief, len(rows))
	for i, r := range rows {
		out[i] = Brief{ID: r.ID, RunnerID: r.RunnerID, Runner: r.Runner, Fitter: r.Fitter, StartedAt: who.In(r.StartedAt)}
	}
	return out, err
}

// Of lists a runner's fits, newest first.
func (v *Visits) Of(ctx context.Context, who app.Actor, runnerID uint64) ([]Brief, error) {
	rows, err := v.Store.FitsOfRunner(ctx, db.FitsOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
	out := make([]Brief, len(rows))
	for i, r := range rows {
		out[i] = Brief{ID: r.ID, RunnerID: runnerID, Fitter: r.Fitter, StartedAt: who.In(r.StartedAt), ClosedAt: who.In(r.ClosedAt.Time)}
	}
	return out, err
}

// StillSo takes last time's answers to the questions over into this fit, as answers of today;
// all of them when no name is given. It fails with app.ErrNotFound on a question that is not
// asked.
func (v *Visits) StillSo(ctx context.Context, who app.Actor, fitID uint64, names []string) (Saved, error) {
	return v.change(ctx, who, fitID, func(q *db.Queries, fit *record.Conclusions) ([]record.Value, error) {
		last, err := v.last(ctx, q, who, fit)
		if err != nil {
			return nil, err
		}
		values, ok := record.TakeOver(fit.StillAsked(last), names)
		if !ok {
			return nil, app.ErrNotFound
		}
		return values, nil
	})
}

// change records what a verb makes of an open fit, in one transaction.
func (v *Visits) change(ctx context.Context, who app.Actor, fitID uint64,
	make func(q *db.Queries, fit *record.Conclusions) ([]record.Value, error)) (Saved, error) {
	var saved Saved
	err := v.Do(ctx, who, func(q *db.Queries) error {
		fit, err := v.Open(ctx, q, who, fitID)
		if err != nil {
			return err
		}
		values, err := make(q, fit)
		if err == nil {
			saved, err = v.Put(ctx, q, who, fitID, values)
		}
		return err
	})
	return saved, err
}
