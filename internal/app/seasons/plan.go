package seasons

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/rotation"
	"trevik/internal/core/season"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/runtable"
	"trevik/internal/store"
	"trevik/internal/store/db"
)

// MaxPlan is the largest file of a plan, bytes.
const MaxPlan = 2 << 20

const (
	uploadKind = "season"
	byCSV      = "csv"
	byICal     = "ical"
	sampleRows = 3
	nameDay    = "Mon 2 Jan"
)

// File is a runner's own plan that waits to be used.
type File struct {
	ID      uint64
	Name    string
	IsTable bool
	Header  []string
	Sample  [][]string
	Columns runtable.Columns
	Settled bool // its columns were told, now or once
	Runs    []runtable.Run
	Weeks   []record.MovedWeek
	Rest    int // rows of rest, or that tell no run
	Past    int // runs before this week
	Faults  fault.List
}

// asked is what a person said of a table.
type asked struct {
	Columns runtable.Columns
	Settled bool
}

// Send takes a file of a plan; it waits to be used. It fails with a fault.List at season_file on what is none.
func (s *Seasons) Send(ctx context.Context, who app.Actor, runnerID uint64, name string, data []byte) error {
	if _, err := s.Visits.Runner(ctx, who, runnerID); err != nil {
		return err
	}
	how, say := byICal, asked{Settled: true}
	if !runtable.IsICal(data) {
		how = byCSV
		t, err := runtable.Read(data)
		if err != nil {
			return at(err)
		}
		if say.Columns, say.Settled, err = s.columns(ctx, who, t); err != nil {
			return err
		}
	} else if _, err := s.read(who, byICal, data, say); err != nil {
		return err
	}
	found, err := app.Pack(data)
	if err != nil {
		return err
	}
	told, err := json.Marshal(say)
	if err != nil {
		return err
	}
	return s.Do(ctx, who, func(q *db.Queries) error {
		id, err := q.AddUpload(ctx, db.AddUploadParams{ShopID: who.ShopID, RunnerID: app.NullID(runnerID), Kind: uploadKind,
			Name: app.FileName(name), How: how, State: string(app.UploadWaiting), Asked: told, MadeBy: who.UserID, ByLink: who.ByLink,
			MadeAt: s.Now()})
		if err != nil {
			return err
		}
		return q.SetUploadFound(ctx, db.SetUploadFoundParams{State: string(app.UploadWaiting), Asked: told, Found: found, ID: uint64(id)})
	})
}

// at puts faults of a file at its field.
func at(err error) error {
	l, ok := fault.As(err)
	if !ok {
		return err
	}
	var out fault.List
	for _, f := range l {
		if f.Field == "file" {
			out.Add("season_file", "the file %s", f.Text)
		} else {
			out.Add("season_file", "%s %s", f.Field, f.Text)
		}
	}
	return out
}

// columns are a table's: as they were told of such a header once, else as its names suggest, which holds where a day and a
// distance or a time are among them.
func (s *Seasons) columns(ctx context.Context, who app.Actor, t *runtable.Table) (c runtable.Columns, settled bool, err error) {
	digest := t.Digest()
	known, err := s.Store.RunColumns(ctx, db.RunColumnsParams{ShopID: who.ShopID, Header: digest[:]})
	if err == nil {
		return c, true, json.Unmarshal(known, &c)
	}
	if !store.IsNoRows(err) {
		return c, false, err
	}
	c = t.Guess()
	var l fault.List
	c.CheckPlan(&l, len(t.Header))
	return c, len(l) == 0, nil
}

// read reads a plan's runs from this week on.
func (s *Seasons) read(who app.Actor, how string, data []byte, say asked) (f File, err error) {
	from := record.MondayOf(s.Today(who))
	until := from.AddDate(0, 0, 7*season.MostWeeks)
	f = File{IsTable: how == byCSV, Columns: say.Columns, Settled: say.Settled}
	if how == byICal {
		f.Runs, f.Rest, f.Past, err = runtable.PlanFromICal(data, who.Zone, from, until)
	} else {
		var t *runtable.Table
		if t, err = runtable.Read(data); err != nil {
			return f, at(err)
		}
		f.Header, f.Sample = t.Header, t.Rows[:min(sampleRows, len(t.Rows))]
		if say.Settled {
			f.Runs, f.Rest, f.Past, err = t.Plan(say.Columns, from, until)
		}
	}
	if err != nil {
		return f, at(err)
	}
	if f.Weeks, err = weeksOf(f.Runs); err != nil {
		return f, at(err)
	}
	return f, nil
}

// weeksOf are runs by their weeks: from the first to the last of them, those without a run as weeks of rest. Two at one time are
// a fault.
func weeksOf(runs []runtable.Run) ([]record.MovedWeek, error) {
	var out []record.MovedWeek
	for _, r := range runs {
		on := record.MondayOf(r.On)
		for len(out) == 0 || out[len(out)-1].On.Before(on) {
			next := on
			if len(out) > 0 {
				next = out[len(out)-1].On.AddDate(0, 0, 7)
			}
			out = append(out, record.MovedWeek{On: next, How: record.ByTheir})
		}
		if r.Kind == term.Race {
			continue // it goes into the one list of races
		}
		w := &out[len(out)-1]
		w.Parts = append(w.Parts, rotation.WeekPart{ID: fmt.Sprintf("row %d", len(w.Parts)+1), Day: rotation.Days[int(r.On.Sub(on).Hours()/24)],
			Start: r.Start, KM: math.Round(100*r.KM) / 100, Minutes: r.Minutes, Kind: r.Kind, Ground: r.Ground})
	}
	var l fault.List
	for _, w := range out {
		if faults, ok := fault.As(record.CheckWeek(w.Parts)); ok {
			l.Add("file", "cannot be run in the week of %s: %s", w.On.Format(nameDay), faults[0].Text)
		}
	}
	return out, l.Err()
}

// Waiting is the person's plan for a runner that waits; nil where none does.
func (s *Seasons) Waiting(ctx context.Context, who app.Actor, runnerID uint64) (*File, error) {
	row, err := s.Store.LatestUpload(ctx, db.LatestUploadParams{ShopID: who.ShopID, Kind: uploadKind, RunnerID: app.NullID(runnerID),
		MadeBy: who.UserID, ByLink: who.ByLink, But: string(app.UploadDone)})
	if store.IsNoRows(err) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return s.open(who, app.UploadOf(row))
}

func (s *Seasons) open(who app.Actor, u app.Upload) (*File, error) {
	var data []byte
	if err := app.Unpack(u.Found, &data); err != nil {
		return nil, err
	}
	var say asked
	if err := json.Unmarshal(u.Asked, &say); err != nil {
		return nil, err
	}
	f, err := s.read(who, u.How, data, say)
	if l, ok := fault.As(err); ok {
		f.Faults = l
	} else if err != nil {
		return nil, err
	}
	f.ID, f.Name = u.ID, u.Name
	return &f, nil
}

// mine is one of the person's plans for a runner, locked.
func (s *Seasons) mine(ctx context.Context, q *db.Queries, who app.Actor, runnerID, id uint64) (app.Upload, error) {
	row, err := q.LockUpload(ctx, db.LockUploadParams{ID: id, ShopID: who.ShopID})
	if err != nil {
		return app.Upload{}, app.Found(err)
	}
	u := app.UploadOf(row)
	if u.Kind != uploadKind || u.RunnerID != runnerID || !u.Mine(who) || u.State == app.UploadDone {
		return u, app.ErrNotFound
	}
	return u, nil
}

// Settle says which column of a waiting plan holds what, and remembers it for tables with the same header. It fails with a
// fault.List.
func (s *Seasons) Settle(ctx context.Context, who app.Actor, runnerID, id uint64, c runtable.Columns) error {
	return s.Do(ctx, who, func(q *db.Queries) error {
		u, err := s.mine(ctx, q, who, runnerID, id)
		if err == nil && u.How != byCSV {
			err = app.ErrNotFound
		}
		if err != nil {
			return err
		}
		var data []byte
		if err := app.Unpack(u.Found, &data); err != nil {
			return err
		}
		t, err := runtable.Read(data)
		if err != nil {
			return at(err)
		}
		var l fault.List
		if c.CheckPlan(&l, len(t.Header)); len(l) > 0 {
			return l
		}
		told, err := json.Marshal(asked{c, true})
		if err != nil {
			return err
		}
		if err := q.SetUploadFound(ctx, db.SetUploadFoundParams{State: string(app.UploadWaiting), Asked: told, Found: u.Found,
			ID: id}); err != nil {
			return err
		}
		names, err := json.Marshal(c)
		if err != nil {
			return err
		}
		digest := t.Digest()
		return q.AddRunColumns(ctx, db.AddRunColumnsParams{ShopID: who.ShopID, Header: digest[:], ColumnsRead: names, MadeBy: who.UserID,
			MadeAt: s.Now()})
	})
}

// Use puts a waiting plan in the place of its weeks. A race of it that nobody told yet goes into the one list of races.
func (s *Seasons) Use(ctx context.Context, who app.Actor, runnerID, id uint64) error {
	runner, err := s.Visits.Runner(ctx, who, runnerID)
	if err != nil {
		return err
	}
	return s.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		u, err := s.mine(ctx, q, who, runnerID, id)
		if err != nil {
			return err
		}
		f, err := s.open(who, u)
		if err != nil {
			return err
		}
		if len(f.Faults) > 0 {
			return f.Faults
		}
		if len(f.Weeks) == 0 {
			return fault.List{{Field: "season_file", Text: "holds no run yet; say which column holds what"}}
		}
		if err := s.drop(ctx, q, who, runnerID, f.Weeks[0].On, f.Weeks[len(f.Weeks)-1].On); err != nil {
			return err
		}
		for _, w := range f.Weeks {
			if err := s.put(ctx, q, who, runnerID, w.On, record.ByTheir, w.Parts); err != nil {
				return err
			}
		}
		for _, r := range f.Runs {
			known := r.Kind != term.Race || r.On.Before(s.Today(who)) ||
				slices.ContainsFunc(runner.Races, func(x record.Race) bool { return x.On.Equal(r.On) })
			if known {
				continue
			}
			runner.Races = append(runner.Races, record.Race{On: r.On}) // two on a day are one
			if err := q.AddRace(ctx, db.AddRaceParams{ShopID: who.ShopID, RunnerID: runnerID, RaceOn: r.On, Km: r.KM, MadeBy: who.UserID,
				MadeAt: s.Now()}); err != nil {
				return err
			}
		}
		_, err = q.DropUpload(ctx, db.DropUploadParams{ID: id, ShopID: who.ShopID})
		return err
	})
}

// LetGo drops a waiting plan.
func (s *Seasons) LetGo(ctx context.Context, who app.Actor, runnerID, id uint64) error {
	return s.Do(ctx, who, func(q *db.Queries) error {
		if _, err := s.mine(ctx, q, who, runnerID, id); err != nil {
			return err
		}
		return app.Some(q.DropUpload(ctx, db.DropUploadParams{ID: id, ShopID: who.ShopID}))
	})
}

// outlookRow is an outlook as it is written.
func outlookRow(who app.Actor, runner uint64, o record.Outlook, now time.Time) db.TellOutlookParams {
	basis, err := json.Marshal(o.Basis)
	if err != nil {
		panic(err) // plain numbers and names
	}
	why := []rune(o.Why)
	row := db.TellOutlookParams{ShopID: who.ShopID, RunnerID: runner, RaceOn: o.RaceOn, Race: o.Race, Ready: o.Ready, ToldOn: o.On,
		Basis: basis, Was: app.NullFloat(o.Was), WasOn: app.NullTime(o.WasOn), Why: string(why[:min(len(why), 500)])}
	if o.Seen {
		row.SeenAt = app.NullTime(now)
	}
	return row
}
