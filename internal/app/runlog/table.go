package runlog

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/runtable"
	"trevik/internal/store"
	"trevik/internal/store/db"
)

// sampleRows are how many rows of a table a page shows.
const sampleRows = 3

// table reads the one table of an upload. Its faults stand at the file.
func (r *Log) table(ctx context.Context, id uint64) (*runtable.Table, error) {
	files, err := app.Files(ctx, r.Store.Queries, id)
	if err != nil {
		return nil, err
	}
	if len(files) == 0 {
		return nil, app.ErrNotFound
	}
	var data bytes.Buffer
	if err := files[0].Write(ctx, r.Store.Queries, id, &data); err != nil {
		return nil, err
	}
	t, err := runtable.Read(data.Bytes())
	faults, ok := fault.As(err)
	if !ok {
		return t, err
	}
	var l fault.List
	for _, f := range faults {
		if f.Field == "file" {
			l.Add("runs_file", "%s", f.Text)
		} else {
			l.Add("runs_file", "%s %s", f.Field, f.Text)
		}
	}
	return nil, l
}

// readTable reads a table that arrived; where its header was settled once, its runs too.
func (r *Log) readTable(ctx context.Context, who app.Actor, id uint64) error {
	t, err := r.table(ctx, id)
	if err != nil {
		return err
	}
	a := asked{Columns: t.Guess()}
	digest := t.Digest()
	settled, err := r.Store.RunColumns(ctx, db.RunColumnsParams{ShopID: who.ShopID, Header: digest[:]})
	if err != nil && !store.IsNoRows(err) {
		return err
	}
	if err == nil {
		if err := json.Unmarshal(settled, &a.Columns); err != nil {
			return fmt.Errorf("the columns of a table: %w", err)
		}
		a.Settled = true
	}
	if err := r.Store.SetUploadHow(ctx, db.SetUploadHowParams{How: ByCSV, ID: id}); err != nil {
		return err
	}
	return r.tableRuns(ctx, r.Store.Queries, who, id, t, a)
}

// Settle says which column of a waiting table holds what, and remembers it for tables with the
// same header. It fails with a fault.List; the file goes on waiting.
func (r *Log) Settle(ctx context.Context, who app.Actor, runnerID, id uint64, c runtable.Columns) error {
	in, err := r.Import(ctx, who, runnerID, id)
	if err == nil && !in.IsTable() {
		err = app.ErrNotFound
	}
	if err != nil {
		return err
	}
	t, err := r.table(ctx, id)
	if err != nil {
		return err
	}
	var l fault.List
	if c.Check(&l, len(t.Header)); len(l) > 0 {
		return l
	}
	data, err := json.Marshal(c)
	if err != nil {
		return err
	}
	digest := t.Digest()
	return r.Do(ctx, who, func(q *db.Queries) error {
		if err := r.tableRuns(ctx, q, who, id, t, asked{c, true}); err != nil {
			return err
		}
		return q.AddRunColumns(ctx, db.AddRunColumnsParams{ShopID: who.ShopID, Header: digest[:], ColumnsRead: data, MadeBy: who.UserID,
			MadeAt: r.Now()})
	})
}

// tableRuns reads a table's runs by its columns, once they are settled, and keeps what was read.
func (r *Log) tableRuns(ctx context.Context, q *db.Queries, who app.Actor, id uint64, t *runtable.Table, a asked) error {
	row, err := q.LockUpload(ctx, db.LockUploadParams{ID: id, ShopID: who.ShopID})
	if err != nil {
		return app.Found(err)
	}
	in := &Import{Upload: app.UploadOf(row), Header: t.Header, Sample: t.Rows[:min(sampleRows, len(t.Rows))]}
	if in.Upload.Asked, err = json.Marshal(a); err != nil {
		return err
	}
	if a.Settled {
		if err := r.rowsOf(ctx, q, who, in, t, a.Columns); err != nil {
			return err
		}
	}
	return in.keep(ctx, q, app.UploadWaiting)
}

func (r *Log) rowsOf(ctx context.Context, q *db.Queries, who app.Actor, in *Import, t *runtable.Table, c runtable.Columns) error {
	rows, empty, err := t.Runs(c, r.Today(who))
	faults, ok := fault.As(err)
	if err != nil && !ok {
		return err
	}
	if in.Faults = faults; len(faults) > 0 {
		return nil
	}
	have, err := known(ctx, q, who, in.Upload.RunnerID)
	if err != nil {
		return err
	}
	if empty > 0 {
		in.Left = append(in.Left, fmt.Sprintf("%d rows without a distance were passed over.", empty))
	}
	for _, x := range rows {
		run := FileRun{Run: record.Run{On: x.On, KM: math.Round(1000*x.KM) / 1000, Kind: x.Kind, Ground: x.Ground, Minutes: x.Minutes,
			AscentM: x.AscentM, How: ByCSV}, At: "line " + strconv.Itoa(x.Line)}
		run.Kind, run.Ground = cmp.Or(run.Kind, term.Easy), cmp.Or(run.Ground, term.GroundRoad)
		if clock, err := time.Parse("15:04", x.Start); err == nil {
			run.StartedAt = x.On.Add(time.Duration(clock.Hour())*time.Hour + time.Duration(clock.Minute())*time.Minute)
		}
		run.There = have.like(run.Run, 0) != nil
		have.addWaiting(run.Run)
		in.Runs = append(in.Runs, run)
	}
	slices.SortStableFunc(in.Runs, func(x, y FileRun) int { return x.On.Compare(y.On) })
	return nil
}
