// Package distance is the station where runs are put down against pairs, pairs are looked
// at, and what is left of each is told.
package distance

import (
	"embed"
	"html/template"
	"net/http"
	"net/url"
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
	Answer  wear.SchoolAnswer
	Lead    string
	Reports []app.Report
	Photos  []photoPair
	Races   []raceLine
	If      []whatIf
}

// photoPair is a side's first picture and its latest.
type photoPair struct {
	Side        term.Side
	First, Last *app.PairPhoto
}

type raceLine struct {
	Race   app.Race
	Answer wear.RaceAnswer
}

// whatIf is what a look would change.
type whatIf struct {
	Seen string
	Left float64
	By   *string
}

// PairOptions are the pairs that a run can be put down in.
func (b body) PairOptions() []kit.Option {
	var out []kit.Option
	for _, p := range b.Pairs {
		out = append(out, kit.Option{Value: strconv.FormatUint(p.Pair.ID, 10), Text: p.Pair.Name()})
	}
	return out
}

// Usual is the pair that a run is in where there is only one; else the rules choose.
func (b body) Usual() string {
	if len(b.Pairs) != 1 || len(b.Rules) > 0 {
		return ""
	}
	return strconv.FormatUint(b.Pairs[0].Pair.ID, 10)
}

// Or puts a choice before the pairs.
func (b body) Or(text string) []kit.Option {
	return append([]kit.Option{{Text: text}}, b.PairOptions()...)
}

type body struct {
	Pairs     []*pair
	On        string
	NoWeek    bool
	Withdrawn uint64 // a run that was just taken away
	File      *file
	Loose     []app.Run
	LooseKM   float64
	Offers    []app.Offer
	Rules     []rule
	Races     []raceLine
	Aside     []aside
	Runs      []logged // a page of all, newest first
	All       int
	Page      int
	Older     int
	Newer     int
	Split     *app.Run
	Cupboard  *pair // the one pair that is looked at, in a session through all
	At, Of    int
	Next      int // the next pair's number, 0 after the last
	Stay      int // the number at which the next pair stands once this one is set aside
}

type rule struct {
	app.Rule
	Pair, Second string
}

type aside struct {
	Pair app.Pair
	KM   float64 // effective
	Own  bool    // counts as the runner's own history
}

type logged struct {
	app.Run
	Pair string
}

// Station is Distance.
func Station() bench.Station {
	return bench.Station{Path: "distance", Name: "Distance", Lead: "Runs against pairs, what is left of each, and when to order the next.",
		Template: bench.Parse(files, "*.html"), Body: bodyOf, Extra: extra,
		Fields: slices.Concat(app.RunFields, app.ReportFields, app.RaceFields, app.RuleFields, app.AsideFields, app.LiftingFields, app.MoveFields, columnFields, app.InspectFields, fileFields)}
}

// fileFields stand for what is sent as a file or ticked, so that their faults have a place.
var fileFields = []app.Field{{Name: "runs_file", Label: "Files of runs", Kind: app.Text}, {Name: "run", Label: "Runs", Kind: app.Text}, {Name: "to_pair", Label: "Into", Kind: app.Number, Lo: 0, Hi: 1 << 53}, {Name: "photo", Label: "Picture", Kind: app.Text}}

const (
	recent = 6
	aPage  = 50
)

func bodyOf(c *gin.Context, b *bench.Bench, fit *app.Fit) (any, error) {
	who := kit.MustWho(c)
	out := body{On: fit.Today.Format(wear.DateLayout)}
	out.Withdrawn, _ = strconv.ParseUint(c.Query("withdrawn"), 10, 63)
	_, km := fit.Week()
	out.NoWeek = km == 0 && len(fit.Board()) == 0
	all := bench.Pairs(c)
	serving := fit.Serve(all)
	worn, err := fit.Worn(serving)
	if err != nil {
		return nil, err
	}
	reports, err := b.App.Reports(c, who, fit.Runner.ID)
	if err != nil {
		return nil, err
	}
	for i, w := range worn {
		p := pair{Reports: reports[w.Pair.ID], Worn: w, Lead: fit.Now.WearSchool, Photos: photosOf(w.Pair)}
		p.Answer = map[string]wear.SchoolAnswer{"by_distance": w.Wear.Schools.ByDistance, "by_own_history": w.Wear.Schools.ByOwnHistory, "by_condition": w.Wear.Schools.ByCondition}[p.Lead]
		var marks []draw.Mark
		for _, r := range w.Wear.Races {
			at := slices.IndexFunc(fit.Races, func(x app.Race) bool { return x.PairID == w.Pair.ID && x.On.Format(wear.DateLayout) == r.Date })
			if at >= 0 {
				p.Races = append(p.Races, raceLine{fit.Races[at], r})
				marks = append(marks, draw.Mark{On: fit.Races[at].On, AtRisk: r.AtRisk})
			}
		}
		p.Fan = draw.Fan(w.Wear, fit.Today, marks)
		runs := slices.Clone(w.Pair.Runs)
		slices.Reverse(runs)
		p.Recent = runs[:min(recent, len(runs))]
		if p.If, err = whatIfs(fit, &serving.Pairs[i], serving.Ahead[i]); err != nil {
			return nil, err
		}
		out.Pairs = append(out.Pairs, &p)
	}
	for _, r := range fit.Races {
		if !r.On.Before(fit.Today) {
			line := raceLine{Race: r}
			for _, p := range out.Pairs {
				for _, x := range p.Races {
					if x.Race.ID == r.ID {
						line = x
					}
				}
			}
			out.Races = append(out.Races, line)
		}
	}
	if out.Loose, err = b.App.LooseRuns(c, who, fit.Runner.ID); err != nil {
		return nil, err
	}
	for _, r := range out.Loose {
		out.LooseKM += r.KM
	}
	out.Offers = fit.Offers(all, out.Loose)
	names := map[uint64]string{}
	for i := range all {
		p := &all[i]
		names[p.ID] = p.Name()
		if !p.SetAsideOn.IsZero() {
			out.Aside = append(out.Aside, aside{*p, p.EffectiveKM(&fit.Now.House), p.Reason == app.WornOut})
		}
	}
	rules, err := b.App.Rules(c, who, fit.Runner.ID)
	if err != nil {
		return nil, err
	}
	for _, r := range rules {
		out.Rules = append(out.Rules, rule{r, names[r.PairID], names[r.Second]})
	}
	out.log(c, all, names)
	out.cupboard(c)
	if in := b.App.RunImportOf(who, fit.Runner.ID); in != nil {
		out.File = fileOf(in)
	}
	return out, nil
}

// whatIfs are what a look would change: as new, half gone, three quarters gone.
func whatIfs(fit *app.Fit, p *app.Pair, ahead []float64) ([]whatIf, error) {
	var out []whatIf
	for _, s := range []struct {
		seen string
		gone float64
	}{{"a quarter gone", 0.25}, {"half gone", 0.5}, {"three quarters gone", 0.75}} {
		a, err := wear.Assess(fit.WearIf(p, ahead, s.gone))
		if err != nil {
			return nil, err
		}
		out = append(out, whatIf{s.seen, a.RemainingKM.P50, a.OrderBy})
	}
	return out, nil
}

func photosOf(p app.Pair) []photoPair {
	var out []photoPair
	for _, s := range term.Sides {
		x := photoPair{Side: s}
		for i := range p.Photos {
			if p.Photos[i].Side == s {
				if x.First == nil {
					x.First = &p.Photos[i]
				} else {
					x.Last = &p.Photos[i]
				}
			}
		}
		out = append(out, x)
	}
	return out
}

// log is a page of all runs, the newest first.
func (b *body) log(c *gin.Context, all []app.Pair, names map[uint64]string) {
	var runs []logged
	for _, p := range all {
		for _, r := range p.Runs {
			runs = append(runs, logged{r, names[p.ID]})
		}
	}
	for _, r := range b.Loose {
		runs = append(runs, logged{r, ""})
	}
	slices.SortStableFunc(runs, func(x, y logged) int {
		if d := y.On.Compare(x.On); d != 0 {
			return d
		}
		return y.StartedAt.Compare(x.StartedAt)
	})
	page, _ := strconv.Atoi(c.Query("page")) // what is no number is the first
	page = max(1, page)
	b.All, b.Page = len(runs), page
	from := min((page-1)*aPage, len(runs))
	b.Runs = runs[from:min(from+aPage, len(runs))]
	if page > 1 {
		b.Newer = page - 1
	}
	if from+aPage < len(runs) {
		b.Older = page + 1
	}
	asked := c.Query("split")
	if asked == "" {
		asked = c.PostForm("run") // of a form that could not be kept
	}
	if id, err := strconv.ParseUint(asked, 10, 63); err == nil {
		for i := range runs {
			if runs[i].ID == id {
				b.Split = &runs[i].Run
			}
		}
	}
}

// cupboard goes through the pairs one by one.
func (b *body) cupboard(c *gin.Context) {
	n, err := strconv.Atoi(c.Query("cupboard"))
	if err != nil || n < 1 || n > len(b.Pairs) {
		return
	}
	b.Cupboard, b.At, b.Of, b.Next = b.Pairs[n-1], n, len(b.Pairs), n+1
	b.Stay = n
	if n == len(b.Pairs) {
		b.Next, b.Stay = 0, 0
	}
}

func extra(b *bench.Bench) []kit.Route {
	count := func(counts bool) gin.HandlerFunc { return func(c *gin.Context) { setCounts(b, c, counts) } }
	post := func(path string, do func(*bench.Bench, *gin.Context)) kit.Route {
		return kit.Route{Method: http.MethodPost, Path: "/fits/:fit/" + path, Roles: kit.Everyone, Handle: func(c *gin.Context) { do(b, c) }}
	}
	get := func(path string, do func(*bench.Bench, *gin.Context)) kit.Route {
		return kit.Route{Method: http.MethodGet, Path: "/fits/:fit/" + path, Roles: kit.Everyone, Handle: func(c *gin.Context) { do(b, c) }}
	}
	return []kit.Route{
		post("runs", add),
		post("runs/file", readFile), post("runs/watch", takeWatch), post("runs/columns", settle), post("runs/put-in", putIn), post("runs/let-go", letGo),
		post("runs/move", move), post("runs/split", split), get("runs/export", export),
		post("rules", addRule), post("rules/:rule/end", endRule),
		post("races", addRace), post("races/:race/end", endRace),
		post("pairs/:pair/report", report), post("pairs/:pair/look", look), post("looks/:look/take-back", takeBack),
		post("pairs/:pair/photo", addPhoto), get("pair-photos/:photo", showPhoto), post("pairs/:pair/lifting", lifting),
		post("pairs/:pair/set-aside", setAside), post("pairs/:pair/resume", resume), post("pairs/:pair/slow", slow),
		{Method: http.MethodPost, Path: "/fits/:fit/runs/:run/withdraw", Roles: kit.Everyone, Handle: count(false)},
		{Method: http.MethodPost, Path: "/fits/:fit/runs/:run/restore", Roles: kit.Everyone, Handle: count(true)},
	}
}

// saved is the station's address with the note that something was kept; at is a place on it.
func saved(b *bench.Bench, fit *app.Fit, at string) string {
	to := bench.URL(fit.ID, "distance") + "?saved=" + strconv.FormatInt(b.App.Now().Unix(), 10)
	if at != "" {
		to += "#" + at
	}
	return to
}

// change is a form of the station's own: do reads what was sent and saves it.
func change(b *bench.Bench, c *gin.Context, fields []app.Field, also []string, at string, do func(fit *app.Fit, form url.Values, v map[string]app.Value) error) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	form, v, err := kit.Decode(c, fields, kit.MustWho(c).Units, also...)
	if err == nil {
		err = do(fit, form, v)
	}
	to := saved(b, fit, at)
	if n, bad := strconv.Atoi(form.Get("cupboard")); bad == nil && n >= 0 {
		to = bench.URL(fit.ID, "distance")
		if n > 0 {
			to += "?cupboard=" + strconv.Itoa(n)
		}
	}
	b.Done(c, Station(), fit, form, err, to)
}

func add(b *bench.Bench, c *gin.Context) {
	change(b, c, app.RunFields, nil, "", func(fit *app.Fit, form url.Values, v map[string]app.Value) error {
		token, err := kit.Token(form)
		if err != nil {
			return err
		}
		r := app.NewRun{PairID: uint64(v["pair"].Number), On: v["on"].Text, Start: v["start"].Text, KM: v["km"].Number, Ground: term.Ground(v["ground"].Text), Kind: term.Kind(v["kind"].Text), Wet: !v["wet"].Empty}
		if t := v["temp_c"]; !t.Empty {
			r.TempC = &t.Number
		}
		_, err = b.App.AddRun(c, kit.MustWho(c), token, fit.Runner.ID, r)
		return err
	})
}

// report puts down how a pair does after some weeks.
func report(b *bench.Bench, c *gin.Context) {
	id, err := kit.ID(c, "pair")
	if err != nil {
		b.Fail(c, err)
		return
	}
	change(b, c, app.ReportFields, nil, pairAt(id), func(fit *app.Fit, _ url.Values, v map[string]app.Value) error {
		var comfort *float64
		if x := v["report_comfort"]; !x.Empty {
			comfort = &x.Number
		}
		return b.App.AddReport(c, kit.MustWho(c), fit.Runner.ID, id, comfort, v["report_note"].Text)
	})
}

func pairAt(id uint64) string { return "pair-" + strconv.FormatUint(id, 10) }

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
