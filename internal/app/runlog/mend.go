package runlog

import (
	"context"
	"math"
	"slices"
	"strconv"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

const mending = "mend_"

func mendFields() []form.Field {
	out := slices.Clone(RunFields)
	for i := range out {
		out[i].Name = mending + out[i].Name
	}
	return out
}

// MendInputs are what the inputs of the form that puts a run right hold of it.
func MendInputs(x record.Run, u units.System) map[string]string {
	out := map[string]string{"mend_on": x.On.Format(time.DateOnly), "mend_km": form.Field{Unit: form.KM}.Show(x.KM, u),
		"mend_kind": string(x.Kind), "mend_ground": string(x.Ground)}
	if !x.StartedAt.IsZero() {
		out["mend_start"] = x.StartedAt.Format("15:04")
	}
	if x.PairID != 0 {
		out["mend_pair"] = strconv.FormatUint(x.PairID, 10)
	}
	if x.TempC != nil {
		out["mend_temp_c"] = form.Field{Unit: form.Celsius}.Show(*x.TempC, u)
	}
	if x.Wet {
		out["mend_wet"] = "yes"
	}
	return out
}

// shownKM is how near a distance comes back that was shown rounded, in km or in miles.
const shownKM = 0.01

// Mend puts a run right: what was typed stands in its place, and the run itself stays and no longer
// counts, so that Restore brings it back and its file is known when it comes again. PairID 0 is no
// pair. It gives the id of the run that counts now, and fails with a fault.List, and with
// app.ErrNotFound on another's run.
func (r *Log) Mend(ctx context.Context, who app.Actor, runnerID, runID uint64, t Typed) (uint64, error) {
	run, l := r.typed(who, t)
	id := runID
	err := r.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		x, err := q.RunOfRunner(ctx, db.RunOfRunnerParams{ID: runID, RunnerID: runnerID, ShopID: who.ShopID})
		if err != nil {
			return app.Found(err)
		}
		from := uint64(x.PairID.Int64)
		if t.PairID != from {
			if err := r.pairOf(ctx, q, who, runnerID, run, t.PairID, &l); err != nil {
				return err
			}
		}
		if len(l) > 0 {
			for i := range l {
				l[i].Field = mending + l[i].Field
			}
			return l
		}
		was := record.Run{PairID: from, On: x.RunOn, KM: x.Km, Ground: term.Ground(x.Ground), Kind: term.Kind(x.Kind), Wet: x.Wet,
			TempC: app.FloatOf(x.TempC), StartedAt: x.StartedAt.Time}
		if math.Abs(run.KM-was.KM) < shownKM {
			run.KM = was.KM // what was shown, rounded
		}
		if at := was.StartedAt; run.On.Equal(was.On) && !at.IsZero() && run.StartedAt.Equal(at.Truncate(time.Minute)) {
			run.StartedAt = at // its seconds were not shown
		}
		if same := run.On.Equal(was.On) && run.KM == was.KM && run.Ground == was.Ground && run.Kind == was.Kind && run.Wet == was.Wet &&
			equal(run.TempC, was.TempC) && run.StartedAt.Equal(was.StartedAt) && t.PairID == from; same {
			return nil // nothing was changed
		}
		run.Minutes, run.AscentM, run.FileID = app.FloatOf(x.Minutes), app.FloatOf(x.AscentM), uint64(x.FileID.Int64)
		part := x.SplitFrom.Valid && !x.Mends
		run.Apart = x.Apart || part // the parts of one run are never one another
		if err := app.Some(q.WithdrawRun(ctx, db.WithdrawRunParams{WithdrawnAt: app.NullTime(r.Now()), WithdrawnBy: app.NullID(who.UserID),
			ID: runID, RunnerID: runnerID, ShopID: who.ShopID})); err != nil {
			return err
		}
		if id, err = r.insert(ctx, q, who, runnerID, run, place{runID, true}); err != nil || run.PairID != 0 || from == 0 {
			return err
		}
		// A person took it out of its pair: no rule puts it back.
		return q.AddRunMove(ctx, db.AddRunMoveParams{ShopID: who.ShopID, RunID: id, FromPair: app.NullID(from), MadeBy: who.UserID,
			MadeAt: r.Now()})
	})
	return id, err
}

func equal(a, b *float64) bool { return a == b || a != nil && b != nil && *a == *b }

// SayApart keeps that a run is another than the one it looks like.
func (r *Log) SayApart(ctx context.Context, who app.Actor, runnerID, runID uint64) error {
	return r.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		return app.Some(q.SetRunApart(ctx, db.SetRunApartParams{ID: runID, RunnerID: runnerID, ShopID: who.ShopID}))
	})
}
