package distance

import (
	"io"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"trevik/internal/app"
	"trevik/internal/app/runlog"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/kit"
)

// file is a file of runs that waits.
type file struct {
	*runlog.Import
	Percent int
	Shown   []runlog.FileRun
	More    int
	Settle  bool // its columns are to be told
	Columns map[string]string
	Choices []kit.Option // the table's columns
}

// shownRuns is how many runs of a file a page shows.
const shownRuns = 60

// waiting is the person's file of runs that waits, nil where none does.
func waiting(c *kit.Req, b *bench.Bench, fit *record.Conclusions) (*file, error) {
	in, err := b.App.Runs.Latest(c.Ctx(), c.Who, fit.Runner.ID)
	if err != nil || in == nil {
		return nil, err
	}
	f := &file{Import: in, Percent: in.Job.Percent(), Settle: in.IsTable() && (!in.Settled() || len(in.Faults) > 0)}
	f.Shown = in.Runs[:min(shownRuns, len(in.Runs))]
	f.More = len(in.Runs) - len(f.Shown)
	f.Columns, f.Choices = kit.ColumnChoices(in.Header, in.Columns())
	return f, nil
}

// readFile takes files of runs.
func readFile(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		files, err := kit.Upload(c, "runs_file", runlog.MaxSent)
		if err == nil {
			_, err = b.App.Runs.Send(c.Ctx(), c.Who, fit.Runner.ID, Files(files))
		}
		return b.Done(c, Station(), fit, nil, err, bench.URL(fit.ID, "distance")+"#files")
	}
}

// Files are the files of runs that a form holds.
func Files(files *kit.Files) runlog.Sender {
	return func() (string, io.Reader, error) {
		for {
			field, name, data, err := files.Next()
			if err != nil || field == "runs_file" {
				return name, data, err
			}
		}
	}
}

// filed are the forms of a waiting file; the file is told by its id.
func filed(b *bench.Bench, fields []form.Field, also []string, at string, do func(s sent, file uint64) error) kit.Handler {
	return post{fields: fields, also: append(also, "file"), at: place(at), do: func(s sent) error {
		id, err := strconv.ParseUint(s.form.Get("file"), 10, 63)
		if err != nil {
			return app.ErrNotFound
		}
		return do(s, id)
	}}.handle(b)
}

func takeWatch(b *bench.Bench) kit.Handler {
	return post{at: place("files"), do: func(s sent) error {
		_, err := b.App.Runs.TakeWatch(s.Ctx(), s.Who, s.fit)
		return err
	}}.handle(b)
}

func settle(b *bench.Bench) kit.Handler {
	return filed(b, kit.ColumnFields, nil, "files", func(s sent, file uint64) error {
		return b.App.Runs.Settle(s.Ctx(), s.Who, s.runner, file, kit.ColumnsOf(s.v))
	})
}

func putIn(b *bench.Bench) kit.Handler {
	return filed(b, nil, []string{"leave_out"}, "loose", func(s sent, file uint64) error {
		_, err := b.App.Runs.PutIn(s.Ctx(), s.Who, s.runner, file, s.form.Get("leave_out") == "yes")
		return err
	})
}

func letGo(b *bench.Bench) kit.Handler {
	return filed(b, nil, nil, "files", func(s sent, file uint64) error { return b.App.Runs.Drop(s.Ctx(), s.Who, s.runner, file) })
}

func add(b *bench.Bench) kit.Handler {
	return post{fields: runlog.RunFields, at: top, do: func(s sent) error {
		_, err := b.App.Runs.Add(s.Ctx(), s.Who, s.runner, runlog.Typed{PairID: uint64(s.v["pair"].Number), On: s.v["on"].Text,
			Start: s.v["start"].Text,
			KM:    s.v["km"].Ptr(), Ground: term.Ground(s.v["ground"].Text), Kind: term.Kind(s.v["kind"].Text), Wet: !s.v["wet"].Empty,
			TempC: s.v["temp_c"].Ptr()})
		return err
	}}.handle(b)
}

func withdraw(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		id, err := kit.RowID(c, "run")
		if err == nil {
			_, err = kit.Form(c, kit.Known())
		}
		if err == nil {
			err = b.App.Runs.Withdraw(c.Ctx(), c.Who, fit.Runner.ID, id)
		}
		return b.Done(c, Station(), fit, nil, err, bench.URL(fit.ID, "distance")+"?withdrawn="+strconv.FormatUint(id, 10))
	}
}

func restore(b *bench.Bench) kit.Handler {
	return post{of: "run", at: top, do: func(s sent) error { return b.App.Runs.Restore(s.Ctx(), s.Who, s.runner, s.id) }}.handle(b)
}

// mend puts a run right; the run as it was can be brought back.
func mend(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		form, id, err := Mend(c, b.App.Runs, fit.Runner.ID)
		return b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "distance")+"?withdrawn="+strconv.FormatUint(id, 10)+"#runs")
	}
}

// MendControls are the inputs of the form that puts a run right, filled with what it is.
func MendControls(own map[string]kit.Control, x *record.Run, pairs []kit.Option, u units.System) []kit.Control {
	held := runlog.MendInputs(*x, u)
	var out []kit.Control
	for _, f := range runlog.MendFields {
		c := own[f.Name].Default(held[f.Name])
		if f.Name == "mend_pair" {
			c = c.ChooseOr("no pair", pairs)
		}
		out = append(out, c)
	}
	return out
}

// Mend reads the form that puts a run right and does so. It gives the id of the run as it was.
func Mend(c *kit.Req, log *runlog.Log, runner uint64) (url.Values, uint64, error) {
	form, v, err := kit.Decode(c, runlog.MendFields, "mend_run")
	if err != nil {
		return form, 0, err
	}
	id, err := strconv.ParseUint(form.Get("mend_run"), 10, 63)
	if err != nil {
		return form, 0, app.ErrNotFound
	}
	_, err = log.Mend(c.Ctx(), c.Who, runner, id, runlog.Typed{PairID: uint64(v["mend_pair"].Number), On: v["mend_on"].Text,
		Start: v["mend_start"].Text, KM: v["mend_km"].Ptr(), Ground: term.Ground(v["mend_ground"].Text), Kind: term.Kind(v["mend_kind"].Text),
		Wet: !v["mend_wet"].Empty, TempC: v["mend_temp_c"].Ptr()})
	return form, id, err
}

// apart keeps that a run is another than the one it looks like.
func apart(b *bench.Bench) kit.Handler {
	return post{of: "run", at: place("alike"), do: func(s sent) error { return b.App.Runs.SayApart(s.Ctx(), s.Who, s.runner, s.id) }}.handle(b)
}

// move moves the ticked runs.
func move(b *bench.Bench) kit.Handler {
	return post{also: []string{"run", "to_pair", "ids"}, at: place("runs"), do: func(s sent) error {
		var ids []uint64
		for _, x := range append(slices.Clone(s.form["run"]), strings.Split(s.form.Get("ids"), ",")...) {
			if id, err := strconv.ParseUint(x, 10, 63); err == nil {
				ids = append(ids, id)
			}
		}
		pair, bad := strconv.ParseUint(s.form.Get("to_pair"), 10, 63)
		if s.form.Get("to_pair") != "" && bad != nil {
			return app.ErrNotFound
		}
		return b.App.Runs.Move(s.Ctx(), s.Who, s.runner, ids, pair)
	}}.handle(b)
}

// split parts a run that was put down.
func split(b *bench.Bench) kit.Handler {
	return post{fields: runlog.SplitFields, also: []string{"run"}, at: place("runs"), do: func(s sent) error {
		id, err := strconv.ParseUint(s.form.Get("run"), 10, 63)
		if err != nil {
			return app.ErrNotFound
		}
		return b.App.Runs.Split(s.Ctx(), s.Who, s.runner, id, s.v["split_km"].Number, uint64(s.v["split_pair"].Number),
			term.Kind(s.v["split_kind"].Text))
	}}.handle(b)
}

// formats are the files that a runner's runs are written as: kind and name.
var formats = map[string][2]string{"csv": {"text/csv; charset=utf-8", "runs.csv"}, "json": {"application/json; charset=utf-8", "runs.json"},
	"gpx": {"application/zip", "runs-gpx.zip"}}

// export writes all runs of the runner.
func export(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		format := c.DefaultQuery("format", "csv")
		file, ok := formats[format]
		if !ok {
			return app.ErrNotFound
		}
		c.File(file[1], file[0])
		if err := b.App.Runs.Export(c.Ctx(), c.Who, fit.Runner.ID, format, c.Writer); err != nil {
			b.Log.Error("export broke off", "error", err.Error())
		}
		return nil
	}
}
