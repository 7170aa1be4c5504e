// Package runlog is a runner's runs: put down, read from files, moved between pairs, parted,
// taken away and given back. Whatever the order, each kilometre that was run counts once: every
// verb holds the runner locked, and looks at what counts inside its transaction.
package runlog

import (
	"context"
	"fmt"
	"math"
	"strconv"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/visit"
	"trevik/internal/core/fault"
	"trevik/internal/core/limits"
	"trevik/internal/core/term"
	"trevik/internal/form"
	"trevik/internal/jobs"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Log is that concern.
type Log struct {
	*app.Core
	Visits *visit.Visits
	Jobs   *jobs.Queue
}

// New makes the concern; its files are read by a queue.
func New(c *app.Core, v *visit.Visits, q *jobs.Queue) *Log {
	l := &Log{c, v, q}
	q.Register(jobs.Kind{Name: readKind, Do: l.readJob, GivenUp: l.readFailed, Within: 30 * time.Minute})
	return l
}

// Fields of the forms about runs.
var (
	RunFields = []form.Field{
		{Name: "pair", Label: "Pair", Kind: form.Number, Lo: 1, Hi: 1 << 53},
		{Name: "on", Label: "Date", Kind: form.Day},
		{Name: "start", Label: "Start time", Kind: form.Clock},
		{Name: "km", Label: "Distance", Kind: form.Number, Unit: form.KM, Lo: limits.RunKM.Lo, Hi: limits.RunKM.Hi},
		{Name: "kind", Label: "Kind", Kind: form.Choice, Choices: form.Words(record.RunKinds())},
		{Name: "ground", Label: "Ground", Kind: form.Choice, Choices: form.Words(term.Grounds)},
		{Name: "temp_c", Label: "Temperature", Kind: form.Number, Unit: form.Celsius, Lo: limits.TemperatureC.Lo, Hi: limits.TemperatureC.Hi},
		{Name: "wet", Label: "Wet", Kind: form.Many, Choices: []string{"yes"}},
	}
	// MendFields are RunFields in the form that puts a run right.
	MendFields = mendFields()

	SplitFields = []form.Field{
		{Name: "split_km", Label: "Part of it", Kind: form.Number, Unit: form.KM, Lo: 0.1, Hi: limits.RaceKM.Hi},
		{Name: "split_kind", Label: "was a", Kind: form.Choice, Choices: form.Words(record.RunKinds())},
		{Name: "split_pair", Label: "in the pair", Kind: form.Number, Lo: 1, Hi: 1 << 53},
	}
)

// Typed is a run as it is put down; faults name its fields. PairID 0 lets the runner's rules choose,
// and where none does it waits for a pair. Start is its hour, 15:04, if known.
type Typed struct {
	PairID uint64
	Start  string
	On     string
	KM     *float64 // nil is missing
	Ground term.Ground
	Kind   term.Kind
	Wet    bool
	TempC  *float64
}

// Add puts a run down against one of the runner's pairs and gives its id. It fails with a
// fault.List.
func (r *Log) Add(ctx context.Context, who app.Actor, runnerID uint64, t Typed) (uint64, error) {
	run, l := r.typed(who, t)
	result, err := r.OnceOf(ctx, who, runnerID, func(q *db.Queries) (string, error) {
		if err := r.pairOf(ctx, q, who, runnerID, run, t.PairID, &l); err != nil {
			return "", err
		}
		if len(l) > 0 {
			return "", l
		}
		if run.PairID == 0 {
			rules, err := r.ruleBook(ctx, q, who, runnerID)
			if err != nil {
				return "", err
			}
			run.PairID = rules.pick(run)
		}
		id, err := r.insert(ctx, q, who, runnerID, run, whole)
		return strconv.FormatUint(id, 10), err
	})
	if err != nil {
		return 0, err
	}
	return strconv.ParseUint(result, 10, 64)
}

// typed is what was typed as a run, with what is not allowed of it.
func (r *Log) typed(who app.Actor, t Typed) (record.Run, fault.List) {
	var l fault.List
	today := r.Today(who)
	run := record.Run{PairID: t.PairID, Ground: t.Ground, Kind: t.Kind, Wet: t.Wet, TempC: t.TempC, How: who.Hand()}
	var err error
	run.On, err = time.Parse(time.DateOnly, t.On)
	switch {
	case err != nil:
		l.Add("on", "is %q; allowed is a day such as %s", form.Clip(t.On), today.Format(time.DateOnly))
	case run.On.After(today):
		l.Add("on", "is after today; allowed is up to %s", today.Format(time.DateOnly))
	case run.On.Before(today.AddDate(-20, 0, 0)):
		l.Add("on", "is more than twenty years ago")
	}
	if t.Start != "" && err == nil {
		clock, err := time.Parse("15:04", t.Start)
		if err != nil {
			l.Add("start", "is %q; allowed is a time of day such as 18:30", form.Clip(t.Start))
		}
		run.StartedAt = run.On.Add(time.Duration(clock.Hour())*time.Hour + time.Duration(clock.Minute())*time.Minute)
	}
	if t.KM == nil {
		l.Add("km", "is missing; allowed is %s", RunFields[3].Allowed(who.Units))
	} else if run.KM = *t.KM; !limits.RunKM.Holds(run.KM) {
		l.Add("km", "is %s; allowed is %s", who.Units.Distance(run.KM), RunFields[3].Allowed(who.Units))
	}
	fault.OneOf(&l, "ground", t.Ground, term.Grounds)
	if t.Kind == term.Gym {
		l.Add("kind", "is gym, which is not a run")
	} else {
		fault.OneOf(&l, "kind", t.Kind, term.Kinds)
	}
	if t.TempC != nil {
		limits.TemperatureC.Check(&l, "temp_c", *t.TempC)
	}
	return run, l
}

// pairOf notes what keeps a run from being in a pair: nothing where no pair is told.
func (r *Log) pairOf(ctx context.Context, q *db.Queries, who app.Actor, runnerID uint64, run record.Run, pairID uint64,
	l *fault.List) error {
	if pairID == 0 {
		return nil
	}
	p, err := q.PairByID(ctx, db.PairByIDParams{ID: pairID, ShopID: who.ShopID})
	if err = app.Found(err); err != nil && err != app.ErrNotFound {
		return err
	}
	switch {
	case err != nil || p.RunnerID != runnerID:
		l.Add("pair", "is not one of this runner's pairs; choose one")
	case p.SetAsideOn.Valid && run.On.After(p.SetAsideOn.Time):
		l.Add("pair", "was retired on %s; choose one in use", p.SetAsideOn.Time.Format(time.DateOnly))
	case !run.On.IsZero() && run.On.Before(p.BoughtOn):
		l.Add("on", "is before the pair was the runner's; allowed is from %s", p.BoughtOn.Format(time.DateOnly))
	}
	return nil
}

// place says what a run that is written stands for.
type place struct {
	of    uint64 // the run that it is a part of, or mends; 0 is none
	mends bool
}

// whole is a run of its own.
var whole place

// insert writes a run, and the day on which its pair was first worn.
func (r *Log) insert(ctx context.Context, q *db.Queries, who app.Actor, runnerID uint64, x record.Run, at place) (uint64, error) {
	id, err := q.AddRun(ctx, db.AddRunParams{ShopID: who.ShopID, RunnerID: runnerID, PairID: app.NullID(x.PairID), RunOn: x.On,
		Km: strconv.FormatFloat(x.KM, 'f', 3, 64), Ground: string(x.Ground), Kind: string(x.Kind), Wet: x.Wet,
		TempC: app.NullFloat(x.TempC), StartedAt: app.NullTime(x.StartedAt), Minutes: app.NullFloat(x.Minutes),
		AscentM: app.NullFloat(x.AscentM), FileID: app.NullID(x.FileID), SplitFrom: app.NullID(at.of), Mends: at.mends,
		Apart: x.Apart, How: x.How, MadeBy: who.UserID, MadeAt: r.Now()})
	if err != nil || x.PairID == 0 {
		return uint64(id), err
	}
	return uint64(id), q.SetFirstWorn(ctx, db.SetFirstWornParams{FirstWorn: app.NullTime(x.On), ID: x.PairID, ShopID: who.ShopID})
}

// Withdraw takes a run away: it stays and no longer counts.
func (r *Log) Withdraw(ctx context.Context, who app.Actor, runnerID, runID uint64) error {
	return r.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		return app.Some(q.WithdrawRun(ctx, db.WithdrawRunParams{WithdrawnAt: app.NullTime(r.Now()), WithdrawnBy: app.NullID(who.UserID),
			ID: runID, RunnerID: runnerID, ShopID: who.ShopID}))
	})
}

// Restore lets a run count again that was taken away. One that was parted is put together again:
// its parts go. It fails with a fault.List where the run counts already in another way: as a part
// of a whole, or as the same run that came again.
func (r *Log) Restore(ctx context.Context, who app.Actor, runnerID, runID uint64) error {
	return r.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		all, err := known(ctx, q, who, runnerID)
		if err != nil {
			return err
		}
		x := all.run(runID)
		if x == nil || !x.withdrawn {
			return app.ErrNotFound
		}
		for up := all.run(x.from); up != nil; up = all.run(up.from) {
			if !up.withdrawn {
				return fault.List{{Field: "run", Text: fmt.Sprintf("is a part of the run of %s that counts whole; part that one again",
					up.On.Format(time.DateOnly))}}
			}
			if all.over(up, x) {
				return fault.List{{Field: "run",
					Text: fmt.Sprintf("is a part of the run of %s, of which other parts count by now; take those away, or put the whole back",
						up.On.Format(time.DateOnly))}}
			}
		}
		root := all.rootOf(x)
		if there := all.like(root.Run, root.ID); there != nil {
			return fault.List{{Field: "run", Text: fmt.Sprintf("is there already: the run of %s with %g km counts", there.On.Format(time.DateOnly),
				there.KM)}}
		}
		if parts := all.countingBelow(x); len(parts) > 0 {
			if err := q.WithdrawRunParts(ctx, db.WithdrawRunPartsParams{WithdrawnAt: app.NullTime(r.Now()), WithdrawnBy: app.NullID(who.UserID),
				Ids: parts, RunnerID: runnerID, ShopID: who.ShopID}); err != nil {
				return err
			}
		}
		if err := app.Some(q.RestoreRun(ctx, db.RestoreRunParams{ID: runID, RunnerID: runnerID, ShopID: who.ShopID})); err != nil {
			return err
		}
		return r.leaveLostPair(ctx, q, who, runnerID, x.Run)
	})
}

// leaveLostPair takes a run out of a pair that was taken back meanwhile.
func (r *Log) leaveLostPair(ctx context.Context, q *db.Queries, who app.Actor, runnerID uint64, x record.Run) error {
	if x.PairID == 0 {
		return nil
	}
	p, err := q.PairByID(ctx, db.PairByIDParams{ID: x.PairID, ShopID: who.ShopID})
	if err = app.Found(err); err == nil && p.RunnerID == runnerID || err != nil && err != app.ErrNotFound {
		return err
	}
	_, err = q.SetRunPair(ctx, db.SetRunPairParams{ID: x.ID, RunnerID: runnerID, ShopID: who.ShopID})
	return err
}

// Move moves runs into one of the runner's pairs, or out of all (0), all or none. It fails with
// a fault.List on a run before the pair was the runner's, and with app.ErrNotFound on another's
// run.
func (r *Log) Move(ctx context.Context, who app.Actor, runnerID uint64, runs []uint64, pairID uint64) error {
	switch {
	case len(runs) == 0:
		return fault.List{{Field: "run", Text: "is missing; tick the runs to move"}}
	case len(runs) > mostFiles:
		return fault.List{{Field: "run", Text: fmt.Sprintf("are %d; allowed are %d at once", len(runs), mostFiles)}}
	}
	return r.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		var since, first time.Time
		if pairID != 0 {
			p, err := q.PairByID(ctx, db.PairByIDParams{ID: pairID, ShopID: who.ShopID})
			if err == nil && p.RunnerID != runnerID {
				err = app.ErrNotFound
			}
			if err != nil {
				return app.Found(err)
			}
			since = p.BoughtOn
		}
		for _, id := range runs {
			x, err := q.RunOfRunner(ctx, db.RunOfRunnerParams{ID: id, RunnerID: runnerID, ShopID: who.ShopID})
			if err != nil {
				return app.Found(err)
			}
			if x.RunOn.Before(since) {
				return fault.List{{Field: "to_pair", Text: fmt.Sprintf("was the runner's from %s; the run of %s is before that",
					since.Format(time.DateOnly), x.RunOn.Format(time.DateOnly))}}
			}
			if uint64(x.PairID.Int64) == pairID {
				continue
			}
			if err := Shift(ctx, q, who, runnerID, id, uint64(x.PairID.Int64), pairID, r.Now()); err != nil {
				return err
			}
			if first.IsZero() || x.RunOn.Before(first) {
				first = x.RunOn
			}
		}
		if pairID == 0 || first.IsZero() {
			return nil
		}
		return q.SetFirstWorn(ctx, db.SetFirstWornParams{FirstWorn: app.NullTime(first), ID: pairID, ShopID: who.ShopID})
	})
}

// Shift moves a run from a pair into another, 0 for none, and keeps that it was moved. The runner is locked.
func Shift(ctx context.Context, q *db.Queries, who app.Actor, runnerID, run, from, to uint64, now time.Time) error {
	if _, err := q.SetRunPair(ctx, db.SetRunPairParams{ToPair: app.NullID(to), ID: run, RunnerID: runnerID, ShopID: who.ShopID}); err != nil {
		return err
	}
	return q.AddRunMove(ctx, db.AddRunMoveParams{ShopID: who.ShopID, RunID: run, FromPair: app.NullID(from), ToPair: app.NullID(to),
		MadeBy: who.UserID, MadeAt: now})
}

// Split parts a run that was put down: km of it become a run of their own in another pair, such
// as the repetitions in a light one. The sum stays to the metre. It fails with a fault.List.
func (r *Log) Split(ctx context.Context, who app.Actor, runnerID, runID uint64, km float64, pairID uint64, kind term.Kind) error {
	var l fault.List
	if fault.OneOf(&l, "split_kind", kind, record.RunKinds()); len(l) > 0 {
		return l
	}
	return r.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		x, err := q.RunOfRunner(ctx, db.RunOfRunnerParams{ID: runID, RunnerID: runnerID, ShopID: who.ShopID})
		if err != nil {
			return app.Found(err)
		}
		if pairID != 0 {
			p, err := q.PairByID(ctx, db.PairByIDParams{ID: pairID, ShopID: who.ShopID})
			if err == nil && p.RunnerID != runnerID {
				err = app.ErrNotFound
			}
			if err != nil {
				return app.Found(err)
			}
			if x.RunOn.Before(p.BoughtOn) {
				return fault.List{{Field: "split_pair", Text: "was the runner's from " + p.BoughtOn.Format(time.DateOnly) + "; the run is before that"}}
			}
		}
		metres, part := math.Round(1000*x.Km), math.Round(1000*km)
		if !(part >= 100 && part <= metres-100) {
			return fault.List{{Field: "split_km", Text: fmt.Sprintf("is %s; allowed is %s to %s of this run", who.Units.Distance(km),
				who.Units.Distance(0.1), who.Units.Distance((metres-100)/1000))}}
		}
		if err := app.Some(q.WithdrawRun(ctx, db.WithdrawRunParams{WithdrawnAt: app.NullTime(r.Now()), WithdrawnBy: app.NullID(who.UserID),
			ID: runID, RunnerID: runnerID, ShopID: who.ShopID})); err != nil {
			return err
		}
		all := record.Run{PairID: uint64(x.PairID.Int64), On: x.RunOn, Ground: term.Ground(x.Ground), Kind: term.Kind(x.Kind), Wet: x.Wet,
			TempC: app.FloatOf(x.TempC), StartedAt: x.StartedAt.Time, FileID: uint64(x.FileID.Int64), How: x.How}
		share := func(v *float64, m float64) *float64 {
			if v == nil {
				return nil
			}
			s := *v * m / metres
			return &s
		}
		rest, cut := all, all
		minutes, ascent := app.FloatOf(x.Minutes), app.FloatOf(x.AscentM)
		rest.KM, rest.Minutes, rest.AscentM = (metres-part)/1000, share(minutes, metres-part), share(ascent, metres-part)
		cut.KM, cut.Minutes, cut.AscentM, cut.PairID, cut.Kind = part/1000, share(minutes, part), share(ascent, part), pairID, kind
		for _, y := range []record.Run{rest, cut} {
			if _, err := r.insert(ctx, q, who, runnerID, y, place{of: runID}); err != nil {
				return err
			}
		}
		return nil
	})
}
