// Package distance is the station where runs are put down against pairs, and
// what is left of each pair is told.
package distance

import (
	"embed"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

type pair struct {
	app.Worn
	Fan    template.HTML
	Recent []app.Run // newest first
	School string
	Answer wear.SchoolAnswer
	Lead   string
}

type body struct {
	Pairs   []pair
	Kinds   []kit.Option
	Grounds []kit.Option
	Form    url.Values
	On      string
	NoWeek  bool
}

// Station is Distance.
func Station() bench.Station {
	return bench.Station{Path: "distance", Name: "Distance", Lead: "Runs against pairs, what is left of each, and when to order the next.",
		Template: bench.Parse(files, "*.html"), Body: bodyOf, Extra: extra}
}

const recent = 6

func bodyOf(c *gin.Context, b *bench.Bench, fit *app.Fit) (any, error) {
	out := body{Form: c.Request.PostForm, On: fit.Today.Format(wear.DateLayout)}
	_, km := fit.Week()
	out.NoWeek = km == 0
	worn, err := fit.Worn(fit.Serve(bench.Pairs(c)))
	if err != nil {
		return nil, err
	}
	for _, w := range worn {
		p := pair{Worn: w, Fan: draw.Fan(w.Wear, fit.Today), Lead: fit.Settings.WearSchool}
		p.Answer = map[string]wear.SchoolAnswer{"by_distance": w.Wear.Schools.ByDistance, "by_own_history": w.Wear.Schools.ByOwnHistory, "by_condition": w.Wear.Schools.ByCondition}[p.Lead]
		runs := slices.Clone(w.Pair.Runs)
		slices.Reverse(runs)
		p.Recent = runs[:min(recent, len(runs))]
		out.Pairs = append(out.Pairs, p)
	}
	on := func(name, v string) bool { return out.Form.Get(name) == v }
	for _, k := range term.Kinds {
		if k != term.Gym {
			out.Kinds = append(out.Kinds, kit.Option{Value: string(k), Text: support.Words(string(k)), On: on("kind", string(k))})
		}
	}
	for _, g := range term.Grounds {
		out.Grounds = append(out.Grounds, kit.Option{Value: string(g), Text: string(g), On: on("ground", string(g))})
	}
	return out, nil
}

func extra(b *bench.Bench) []kit.Route {
	count := func(counts bool) gin.HandlerFunc { return func(c *gin.Context) { setCounts(b, c, counts) } }
	return []kit.Route{
		{Method: http.MethodPost, Path: "/fits/:fit/runs", Roles: kit.Everyone, Handle: func(c *gin.Context) { add(b, c) }},
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
	form, err := kit.Form(c, kit.Known("pair", "on", "km", "kind", "ground", "wet", "temp_c"))
	var token string
	if err == nil {
		token, err = kit.Token(form)
	}
	if err == nil {
		var r app.NewRun
		if r, err = read(form, who.Units); err == nil {
			_, err = b.App.AddRun(c, who, token, fit.Runner.ID, r)
		}
	}
	if faults, ok := fault.As(err); ok {
		b.Show(c, Station(), fit, form, faults)
		return
	}
	if err != nil {
		b.Fail(c, err)
		return
	}
	kit.Go(c, bench.URL(fit.ID, "distance")+"?saved="+strconv.FormatInt(b.App.Now().Unix(), 10))
}

// read turns the form into a run; the distance is in the person's units.
func read(form url.Values, u units.System) (app.NewRun, error) {
	var l fault.List
	r := app.NewRun{On: form.Get("on"), Ground: term.Ground(form.Get("ground")), Kind: term.Kind(form.Get("kind")), Wet: form.Get("wet") == "yes"}
	r.PairID, _ = strconv.ParseUint(form.Get("pair"), 10, 63)
	if km, err := decimal(form.Get("km")); err != nil {
		l.Add("km", "is not a number; allowed is %s to %s", u.Distance(0.1), u.Distance(300))
	} else if r.KM = units.Round(u.ToKm(km), 3); !(r.KM >= 0.1 && r.KM <= 300) {
		l.Add("km", "is %s; allowed is %s to %s", strings.TrimSpace(form.Get("km")), u.Distance(0.1), u.Distance(300))
	}
	if s := strings.TrimSpace(form.Get("temp_c")); s != "" {
		t, err := decimal(s)
		if err != nil {
			l.Add("temp_c", "is not a number; allowed is -60 to 60 °C")
		}
		r.TempC = &t
	}
	return r, l.Err()
}

func decimal(s string) (float64, error) {
	v, err := strconv.ParseFloat(strings.Replace(strings.TrimSpace(s), ",", ".", 1), 64)
	if err == nil && (math.IsNaN(v) || math.IsInf(v, 0)) {
		err = strconv.ErrRange
	}
	return v, err
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
