// Package rotation is the station that tells which of the runner's pairs serves
// which kind of run this week.
package rotation

import (
	"cmp"
	"embed"
	"fmt"
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
	"trevik/internal/core/foot"
	"trevik/internal/core/rotation"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

type part struct {
	rotation.Served
	By   *app.Pair
	Bar  float64 // share of the longest part, 0 to 100
	Cell []cell
}

type cell struct {
	Value float64
	Takes bool
}

type body struct {
	Parts   []part
	Serving app.Serving
	Aside   []app.Pair
	Models  []kit.Option
	Plan    *plan
	Rows    []int // of the board, that are filled and some more
	Empty   []int // the rows after them
	Half    int   // rows of the board that lack something
	Laid    bool
	Gym     bool // they lift in a week
}

// plan is the best set of pairs for the week on the board.
type plan struct {
	Answer   rotation.Answer
	Board    template.HTML
	Curve    []point
	Lines    []line
	Without  []string // left out to look
	More     bool     // more money, to look
	MoreText string
	Limited  bool // the money for new pairs was told
	Before   *rotation.Answer
	Fault    string
	OnlyOwn  bool // no model stands as a candidate
}

type point struct {
	rotation.Point
	Width string
	Now   bool
}

// line is one pair of the plan.
type line struct {
	ID, Name string
	Buy      bool
	Price    int64
	KM       float64
	Weeks    *float64
	Rest     *float64
	Drop     string // the address of the answer without it
}

// Station is Rotation.
func Station() bench.Station {
	return bench.Station{Path: "rotation", Name: "Rotation", Lead: "Which pair serves which kind of run this week.",
		Template: bench.Parse(files, "*.html"), Body: bodyOf, Extra: extra, Fields: app.OwnedPairFields}
}

func bodyOf(c *gin.Context, bn *bench.Bench, fit *app.Fit) (any, error) {
	catalogue, err := bn.App.Catalogue(c, kit.MustWho(c))
	if err != nil {
		return nil, err
	}
	b := body{Serving: fit.Serve(bench.Pairs(c)), Models: []kit.Option{{Text: "—"}}}
	for i := range catalogue.Models {
		m := &catalogue.Models[i]
		b.Models = append(b.Models, kit.Option{Value: m.ID, Text: app.ModelName(m) + ", " + string(m.Chart)})
	}
	most := 0.0
	for _, p := range b.Serving.Parts {
		most = math.Max(most, p.KM)
	}
	for _, s := range b.Serving.Parts {
		p := part{Served: s, Bar: 100 * s.KM / most}
		if s.Pair >= 0 {
			p.By = &b.Serving.Pairs[s.Pair]
		}
		for j, v := range s.All {
			p.Cell = append(p.Cell, cell{v, j == s.Pair})
		}
		b.Parts = append(b.Parts, p)
	}
	for _, p := range bench.Pairs(c) {
		if !p.SetAsideOn.IsZero() {
			b.Aside = append(b.Aside, p)
		}
	}
	told, _ := fit.Week()
	b.Gym = slices.ContainsFunc(told, func(p rotation.Part) bool { return p.Kind == term.Gym })
	parts, half := fit.Planned()
	last := 0
	for i := 1; i <= app.PlanRows; i++ {
		if fit.Text("plan_day", "", i) != "" || fit.Num("plan_km", "", i) != nil || fit.Text("plan_kind", "", i) != "" {
			last = i
		}
	}
	for i := 1; i <= app.PlanRows; i++ {
		if i <= max(5, last+2) {
			b.Rows = append(b.Rows, i)
		} else {
			b.Empty = append(b.Empty, i)
		}
	}
	b.Half, b.Laid = half, len(parts) > 0
	if len(parts) > 0 {
		worn, err := fit.Worn(b.Serving)
		if err != nil {
			return nil, err
		}
		if b.Plan, err = planOf(c, fit, catalogue, worn, parts); err != nil {
			return nil, err
		}
	}
	return b, nil
}

// extraMoney is what the what-if of more budget adds, minor units.
const extraMoney = 5000

// planOf finds the best set for the board, and beside it what the address asks to look at.
func planOf(c *gin.Context, fit *app.Fit, catalogue *app.Catalogue, worn []app.Worn, parts []rotation.WeekPart) (*plan, error) {
	candidates, err := fit.Candidates(catalogue, worn, parts)
	if err != nil {
		return nil, err
	}
	names, prices := map[string]string{}, map[string]int64{}
	for _, x := range candidates {
		names[x.ID], prices[x.ID] = x.Name, x.Price
	}
	p := &plan{OnlyOwn: !slices.ContainsFunc(candidates, func(x app.CandidateInfo) bool { return !x.Owned }), Without: c.QueryArray("without"), More: c.Query("more") == "yes"}
	more := int64(0)
	if p.More {
		more = extraMoney
	}
	week := fit.PlanWeek(parts, candidates, p.Without, more)
	p.Answer, err = rotation.Solve(c.Request.Context(), week)
	if faults, ok := fault.As(err); ok {
		p.Fault = boardFault(faults[0], parts)
		return p, nil
	}
	if err != nil {
		return nil, err
	}
	p.MoreText = kit.Money(extraMoney, fit.Currency)
	p.Limited = fit.Num("plan_money", "", 0) != nil
	if len(p.Without) > 0 || p.More {
		before, err := rotation.Solve(c.Request.Context(), fit.PlanWeek(parts, candidates, nil, 0))
		if err != nil {
			return nil, err
		}
		p.Before = &before
	}
	most := 0.0
	for _, x := range p.Answer.Curve {
		most = math.Max(most, x.CoveredKM)
	}
	for _, x := range p.Answer.Curve {
		p.Curve = append(p.Curve, point{x, strconv.FormatFloat(100*x.CoveredKM/math.Max(most, 0.1), 'f', 1, 64), x.Pairs == *week.MaxPairs})
	}
	for _, u := range p.Answer.Pairs {
		p.Lines = append(p.Lines, line{u.ID, names[u.ID], slices.Contains(p.Answer.Buy, u.ID), prices[u.ID], u.WeeklyKM, u.WeeksLeft, u.MinRestHours, bench.URL(fit.ID, "rotation") + "?" + url.Values{"without": append(slices.Clone(p.Without), u.ID)}.Encode() + "#plan"})
	}
	p.Board = draw.WeekBoard(boardRows(fit, p.Answer, parts, names), fit.Open())
	return p, nil
}

// boardFault says a fault of the week by its row on the board.
func boardFault(f fault.Fault, parts []rotation.WeekPart) string {
	at, i := "The board", 0
	if n, _ := fmt.Sscanf(f.Field, "parts[%d]", &i); n == 1 && i < len(parts) {
		at = kit.Sentence(parts[i].ID)
	}
	return at + " " + strings.ReplaceAll(f.Text, `"`, "") + "."
}

// boardRows are the pairs of the answer with their runs, and what no pair covers.
func boardRows(fit *app.Fit, a rotation.Answer, parts []rotation.WeekPart, names map[string]string) []draw.WeekRow {
	var rows []draw.WeekRow
	add := func(name string, rest float64, open bool, takes func(string) bool) {
		r := draw.WeekRow{Name: name, Rest: rest, Open: open}
		for _, x := range parts {
			if !takes(x.ID) {
				continue
			}
			begin, end := x.Times()
			r.Runs = append(r.Runs, draw.WeekRun{Begin: begin, End: end, Label: support.Words(string(x.Kind)) + " " + fit.Units.Distance(x.KM), Row: strings.TrimPrefix(x.ID, "row "), Run: cmp.Or(x.Run, x.ID)})
		}
		if len(r.Runs) > 0 {
			rows = append(rows, r)
		}
	}
	for _, id := range a.Use {
		add(names[id], 60*rotation.DefaultRest, false, func(part string) bool { return a.Assign[part] == id })
	}
	add("not covered", 0, true, func(part string) bool { return slices.Contains(a.Uncovered, part) })
	return rows
}

func extra(b *bench.Bench) []kit.Route {
	return []kit.Route{
		{Method: http.MethodPost, Path: "/fits/:fit/rotation/lay-out", Roles: kit.Everyone, Handle: func(c *gin.Context) { layOut(b, c) }},
		{Method: http.MethodPost, Path: "/fits/:fit/pairs", Roles: kit.Everyone, Handle: func(c *gin.Context) { add(b, c) }},
		{Method: http.MethodPost, Path: "/fits/:fit/pairs/:pair/set-aside", Roles: kit.Everyone, Handle: func(c *gin.Context) { setAside(b, c, true) }},
		{Method: http.MethodPost, Path: "/fits/:fit/pairs/:pair/resume", Roles: kit.Everyone, Handle: func(c *gin.Context) { setAside(b, c, false) }},
	}
}

// add puts down a pair that the runner has already.
func add(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	form, v, err := kit.Decode(c, app.OwnedPairFields, kit.MustWho(c).Units)
	var token string
	if err == nil {
		token, err = kit.Token(form)
	}
	if err == nil {
		_, err = b.App.AddOwnedPair(c, kit.MustWho(c), token, fit.Runner.ID, app.OwnedPair{Code: v["model"].Text, UK: foot.Figure(v["uk"].Number),
			Width: strings.ToUpper(v["width"].Text), Price: int64(v["price"].Number), Since: v["since"].Text})
	}
	b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "rotation"))
}

func setAside(b *bench.Bench, c *gin.Context, aside bool) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	id, err := kit.ID(c, "pair")
	if err == nil {
		_, err = kit.Form(c, kit.Known())
	}
	if err == nil {
		err = b.App.SetAside(c, kit.MustWho(c), fit.Runner.ID, id, aside)
	}
	b.Done(c, Station(), fit, nil, err, bench.URL(fit.ID, "rotation"))
}

// layOut puts the week that was told on the board.
func layOut(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	var saved app.Saved
	if _, err = kit.Form(c, kit.Known()); err == nil {
		saved, err = b.App.LayOut(c, kit.MustWho(c), fit.ID)
	}
	b.Done(c, Station(), fit, nil, err, b.SavedURL(fit, "rotation", saved))
}
