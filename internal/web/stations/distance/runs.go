package distance

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/runtable"
	"trevik/internal/web/bench"
	"trevik/internal/web/kit"
)

// file is a file of runs that waits.
type file struct {
	Name     string
	Progress app.RunProgress
	Percent  int
	Shown    []app.FileRun
	More     int
	Settle   bool // its columns are to be told
	Settled  bool // they were told, now or once
	Header   []kit.Option
	Sample   [][]string
	Columns  map[string]string
	CSV      bool
}

// shownRuns is how many runs of a file a page shows.
const shownRuns = 60

func fileOf(in *app.RunImport) *file {
	p := in.Progress()
	f := &file{Name: in.Name, Progress: p, Percent: 100, CSV: in.How == app.ByCSV}
	if p.All > 0 {
		f.Percent = 100 * p.Done / p.All
	}
	f.Shown = p.Runs[:min(shownRuns, len(p.Runs))]
	f.More = len(p.Runs) - len(f.Shown)
	if in.Table != nil {
		f.Settled = p.All > 0
		f.Settle = !f.Settled || len(p.Faults) > 0
		for i, name := range in.Table.Header {
			f.Header = append(f.Header, kit.Option{Value: strconv.Itoa(i + 1), Text: fmt.Sprintf("%d: %s", i+1, name)})
		}
		f.Sample = in.Table.Rows[:min(3, len(in.Table.Rows))]
		num := func(n int) string {
			if n == 0 {
				return ""
			}
			return strconv.Itoa(n)
		}
		k := in.Columns
		f.Columns = map[string]string{"date": num(k.Date), "start": num(k.Start), "distance": num(k.Distance), "time": num(k.Time), "ascent": num(k.Ascent), "kind": num(k.Kind), "ground": num(k.Ground), "unit": k.Unit, "time_unit": k.TimeUnit, "order": k.Order}
	}
	return f
}

// columnFields are those of the form that says which column holds what.
var columnFields = []app.Field{
	{Name: "column_date", Label: "The day is in", Kind: app.Number, Lo: 0, Hi: 200},
	{Name: "column_order", Label: "written as", Kind: app.Choice, Choices: runtable.Orders},
	{Name: "column_distance", Label: "The distance is in", Kind: app.Number, Lo: 0, Hi: 200},
	{Name: "column_unit", Label: "counted in", Kind: app.Choice, Choices: runtable.DistanceUnits},
	{Name: "column_start", Label: "The hour is in", Kind: app.Number, Lo: 0, Hi: 200},
	{Name: "column_time", Label: "The time run is in", Kind: app.Number, Lo: 0, Hi: 200},
	{Name: "column_time_unit", Label: "counted as", Kind: app.Choice, Choices: runtable.TimeUnits},
	{Name: "column_ascent", Label: "The climb (m) is in", Kind: app.Number, Lo: 0, Hi: 200},
	{Name: "column_kind", Label: "The kind is in", Kind: app.Number, Lo: 0, Hi: 200},
	{Name: "column_ground", Label: "The ground is in", Kind: app.Number, Lo: 0, Hi: 200},
}

// filed goes on after something was done to the waiting file.
func filed(b *bench.Bench, c *gin.Context, fit *app.Fit, form url.Values, err error) {
	b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "distance")+"#files")
}

// readFile takes files of runs.
func readFile(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	files, err := RunFiles(c, app.MaxRunFile)
	if err == nil {
		_, err = b.App.ReadRuns(c, kit.MustWho(c), fit.Runner.ID, files)
	}
	filed(b, c, fit, nil, err)
}

// RunFiles are the files that a form holds, limit bytes together. It fails with a
// fault.List.
func RunFiles(c *gin.Context, limit int64) ([]app.NamedFile, error) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, limit+(1<<20))
	form, err := c.MultipartForm()
	var tooBig *http.MaxBytesError
	switch {
	case errors.As(err, &tooBig):
		return nil, fault.List{{Field: "runs_file", Text: fmt.Sprintf("is larger than %d MiB; send it in parts", limit>>20)}}
	case err != nil || len(form.File["runs_file"]) == 0:
		return nil, fault.List{{Field: "runs_file", Text: "is missing; choose GPX files, a zip of them, or a CSV"}}
	}
	var out []app.NamedFile
	for _, h := range form.File["runs_file"] {
		f, err := h.Open()
		if err != nil {
			return nil, err
		}
		data, err := io.ReadAll(f)
		_ = f.Close() // only read from
		if err != nil {
			return nil, err
		}
		out = append(out, app.NamedFile{Name: h.Filename, Data: data})
	}
	return out, nil
}

func takeWatch(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	if _, err = kit.Form(c, kit.Known()); err == nil {
		_, err = b.App.TakeWatch(c, kit.MustWho(c), fit)
	}
	filed(b, c, fit, nil, err)
}

func settle(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	form, v, err := kit.Decode(c, columnFields, kit.MustWho(c).Units)
	if err == nil {
		n := func(name string) int { return int(v["column_"+name].Number) }
		err = b.App.SettleColumns(c, kit.MustWho(c), fit.Runner.ID, runtable.Columns{Date: n("date"), Start: n("start"), Distance: n("distance"), Time: n("time"), Ascent: n("ascent"), Kind: n("kind"), Ground: n("ground"),
			Unit: v["column_unit"].Text, TimeUnit: v["column_time_unit"].Text, Order: v["column_order"].Text})
	}
	filed(b, c, fit, form, err)
}

func putIn(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	form, err := kit.Form(c, kit.Known("leave_out"))
	if err == nil {
		_, err = b.App.PutRunsIn(c, kit.MustWho(c), fit.Runner.ID, form.Get("leave_out") == "yes")
	}
	b.Done(c, Station(), fit, form, err, saved(b, fit, "loose"))
}

func letGo(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err == nil {
		_, err = kit.Form(c, kit.Known())
	}
	if err != nil {
		b.Fail(c, err)
		return
	}
	b.App.DropRunImport(kit.MustWho(c), fit.Runner.ID)
	kit.Go(c, bench.URL(fit.ID, "distance"))
}

// move moves the ticked runs.
func move(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	form, err := kit.Form(c, kit.Known("run", "to_pair", "ids"))
	if err == nil {
		var ids []uint64
		for _, s := range append(form["run"], strings.Split(form.Get("ids"), ",")...) {
			if id, err := strconv.ParseUint(s, 10, 63); err == nil {
				ids = append(ids, id)
			}
		}
		pair, bad := strconv.ParseUint(form.Get("to_pair"), 10, 63)
		if form.Get("to_pair") != "" && bad != nil {
			err = app.ErrNotFound
		} else {
			err = b.App.MoveRuns(c, kit.MustWho(c), fit.Runner.ID, ids, pair)
		}
	}
	b.Done(c, Station(), fit, form, err, saved(b, fit, "runs"))
}

// split parts a run that was put down.
func split(b *bench.Bench, c *gin.Context) {
	change(b, c, app.MoveFields, []string{"run"}, "runs", func(fit *app.Fit, form url.Values, v map[string]app.Value) error {
		id, err := strconv.ParseUint(form.Get("run"), 10, 63)
		if err != nil {
			return app.ErrNotFound
		}
		return b.App.SplitLogged(c, kit.MustWho(c), fit.Runner.ID, id, v["split_km"].Number, uint64(v["split_pair"].Number), term.Kind(v["split_kind"].Text))
	})
}

// export writes all runs of the runner.
func export(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	format := c.DefaultQuery("format", "csv")
	kind, ok := map[string][2]string{"csv": {"text/csv; charset=utf-8", "runs.csv"}, "json": {"application/json; charset=utf-8", "runs.json"}, "gpx": {"application/zip", "runs-gpx.zip"}}[format]
	if !ok {
		b.Fail(c, app.ErrNotFound)
		return
	}
	c.Header("Content-Disposition", fmt.Sprintf(`attachment; filename="%s"`, kind[1]))
	c.Header("Content-Type", kind[0])
	if err := b.App.ExportRuns(c, kit.MustWho(c), fit.Runner.ID, format, c.Writer); err != nil {
		b.Log.Error("export broke off", "error", err.Error())
	}
}
