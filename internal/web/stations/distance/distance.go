// Package distance is the station where runs are put down against pairs, and
// what is left of each pair is told.
package distance

import (
	"embed"
	"html/template"
	"net/http"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

type pair struct {
	app.Worn
	Fan     template.HTML
	Recent  []app.Run // newest first
	School  string
	Answer  wear.SchoolAnswer
	Lead    string
	Reports []app.Report
}

// PairOptions are the pairs that a run can be put down in.
func (b body) PairOptions() []kit.Option {
	var out []kit.Option
	for _, p := range b.Pairs {
		out = append(out, kit.Option{Value: strconv.FormatUint(p.Pair.ID, 10), Text: p.Pair.Name()})
	}
	return out
}

type body struct {
	Pairs     []pair
	On        string
	NoWeek    bool
	Withdrawn uint64 // a run that was just taken away
}

// Station is Distance.
func Station() bench.Station {
	return bench.Station{Path: "distance", Name: "Distance", Lead: "Runs against pairs, what is left of each, and when to order the next.",
		Template: bench.Parse(files, "*.html"), Body: bodyOf, Extra: extra, Fields: slices.Concat(app.RunFields, app.ReportFields)}
}

const recent = 6

func bodyOf(c *gin.Context, b *bench.Bench, fit *app.Fit) (any, error) {
	out := body{On: fit.Today.Format(wear.DateLayout)}
	out.Withdrawn, _ = strconv.ParseUint(c.Query("withdrawn"), 10, 63)
	_, km := fit.Week()
	out.NoWeek = km == 0
	worn, err := fit.Worn(fit.Serve(bench.Pairs(c)))
	if err != nil {
		return nil, err
	}
	reports, err := b.App.Reports(c, kit.MustWho(c), fit.Runner.ID)
	if err != nil {
		return nil, err
	}
	for _, w := range worn {
		p := pair{Reports: reports[w.Pair.ID], Worn: w, Fan: draw.Fan(w.Wear, fit.Today), Lead: fit.Now.WearSchool}
		p.Answer = map[string]wear.SchoolAnswer{"by_distance": w.Wear.Schools.ByDistance, "by_own_history": w.Wear.Schools.ByOwnHistory, "by_condition": w.Wear.Schools.ByCondition}[p.Lead]
		runs := slices.Clone(w.Pair.Runs)
		slices.Reverse(runs)
		p.Recent = runs[:min(recent, len(runs))]
		out.Pairs = append(out.Pairs, p)
	}
	return out, nil
}

func extra(b *bench.Bench) []kit.Route {
	count := func(counts bool) gin.HandlerFunc { return func(c *gin.Context) { setCounts(b, c, counts) } }
	return []kit.Route{
		{Method: http.MethodPost, Path: "/fits/:fit/runs", Roles: kit.Everyone, Handle: func(c *gin.Context) { add(b, c) }},
		{Method: http.MethodPost, Path: "/fits/:fit/pairs/:pair/report", Roles: kit.Everyone, Handle: func(c *gin.Context) { report(b, c) }},
		{Method: http.MethodPost, Path: "/fits/:fit/runs/:run/withdraw", Roles: kit.Everyone, Handle: count(false)},
		{Method: http.MethodPost, Path: "/fits/:fit/runs/:run/restore", Roles: kit.Everyone, Handle: count(true)},
	}
}

func add(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	who := kit.MustWho(c)
	form, v, err := kit.Decode(c, app.RunFields, who.Units)
	var token string
	if err == nil {
		token, err = kit.Token(form)
	}
	if err == nil {
		r := app.NewRun{PairID: uint64(v["pair"].Number), On: v["on"].Text, KM: v["km"].Number, Ground: term.Ground(v["ground"].Text), Kind: term.Kind(v["kind"].Text), Wet: !v["wet"].Empty}
		if t := v["temp_c"]; !t.Empty {
			r.TempC = &t.Number
		}
		_, err = b.App.AddRun(c, who, token, fit.Runner.ID, r)
	}
	b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "distance")+"?saved="+strconv.FormatInt(b.App.Now().Unix(), 10))
}

// report puts down how a pair does after some weeks.
func report(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	id, err := kit.ID(c, "pair")
	if err != nil {
		b.Fail(c, err)
		return
	}
	form, v, err := kit.Decode(c, app.ReportFields, kit.MustWho(c).Units)
	if err == nil {
		var comfort *float64
		if x := v["report_comfort"]; !x.Empty {
			comfort = &x.Number
		}
		err = b.App.AddReport(c, kit.MustWho(c), fit.Runner.ID, id, comfort, v["report_note"].Text)
	}
	b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "distance")+"?saved="+strconv.FormatInt(b.App.Now().Unix(), 10))
}

func setCounts(b *bench.Bench, c *gin.Context, counts bool) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	id, err := kit.ID(c, "run")
	if err == nil {
		_, err = kit.Form(c, kit.Known())
	}
	if err == nil {
		err = b.App.SetRunCounts(c, kit.MustWho(c), fit.Runner.ID, id, counts)
	}
	if err != nil {
		b.Fail(c, err)
		return
	}
	to := bench.URL(fit.ID, "distance")
	if !counts {
		to += "?withdrawn=" + strconv.FormatUint(id, 10)
	}
	kit.Go(c, to)
}
