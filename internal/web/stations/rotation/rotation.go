// Package rotation is the station that tells which of the runner's pairs serves
// which kind of run this week.
package rotation

import (
	"cmp"
	"embed"
	"fmt"
	"html/template"
	"maps"
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
	"trevik/internal/core/shoe"
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
	Bar  float64 // share of the longest part, 0 to 100
	Open float64 // km that no pair takes
	Cell []cell
}

type cell struct {
	Value float64
	Why   string
	KM    float64 // that the pair takes
}

type body struct {
	Parts   []part
	Serving app.Serving
	Aside   []app.Pair
	Weeks   []week
	Plan    *plan
	Laid    bool
	Half    int // rows of the board that lack something
	Gym     bool
	ForGym  []*shoe.Model
	Suits   []kit.Option // models whose suitability may be set
	Set     []app.SuitSet
	Plates  string // the view that holds, and whose it is
	Variety string
}

// week is one week of the board.
type week struct {
	N      int
	Letter string
	Now    bool  // this calendar week is one
	Rows   []row // that are filled and some more
	Empty  []row // those after them
	Laid   bool
}

type row struct {
	N     int
	Split bool // it can be parted
}

// plan is the best set of pairs for the weeks on the board.
type plan struct {
	Weeks     []weekPlan
	Lines     []line
	What      app.What
	MoreText  string
	Limited   bool // the money for new pairs was told
	Now       *sums
	Before    *sums // the answer as it is, where another is looked at
	Fault     string
	OnlyOwn   bool // no model stands as a candidate
	Purchases []app.Purchase
	Until     string
}

// weekPlan is one week's answer.
type weekPlan struct {
	Letter string
	Answer rotation.Answer
	Board  template.HTML
	Curve  []point
}

type point struct {
	rotation.Point
	Width string
	Now   bool
	PerKM float64 // minor units
}

// sums are what an answer comes to, of all weeks of the board.
type sums struct {
	CoveredKM, SuitKM, AllKM float64 // a week, in the mean
	Spent                    int64
	Names                    []string
	Buy                      int
	PerKM                    float64 // minor units
	Proven                   bool
	board                    solved
}

// solved is the answer to the board: by week, and what it buys.
type solved struct {
	answers []rotation.Answer
	buy     []string
	pairs   []app.CandidateInfo
}

// line is one pair of the plan.
type line struct {
	ID, Name     string
	Buy          bool
	Price        int64
	Stock        int     // on the shelf in their size
	KM           float64 // a week, in the mean
	Weeks        *float64
	Rest         *float64
	OrderBy, Out *string
	Reasons      []string
	Drop, Double string // addresses of the answers without it, and with a second one
}

// Station is Rotation.
func Station() bench.Station {
	return bench.Station{Path: "rotation", Name: "Rotation", Lead: "Which pair serves which kind of run this week.",
		Template: bench.Parse(files, "*.html"), Body: bodyOf, Extra: extra, Fields: slices.Concat(app.OwnedPairFields, app.TemplateFields, app.SuitFields)}
}

func bodyOf(c *gin.Context, bn *bench.Bench, fit *app.Fit) (any, error) {
	catalogue, err := bn.App.Catalogue(c, kit.MustWho(c))
	if err != nil {
		return nil, err
	}
	b := body{Serving: fit.Serve(bench.Pairs(c)), Plates: string(fit.PlateView()), Variety: fit.Variety(), Set: fit.SuitsSet(catalogue)}
	b.parts(fit)
	for _, p := range bench.Pairs(c) {
		if !p.SetAsideOn.IsZero() {
			b.Aside = append(b.Aside, p)
		}
	}
	told, _ := fit.Week()
	if b.Gym = slices.ContainsFunc(told, func(p rotation.Part) bool { return p.Kind == term.Gym }); b.Gym {
		if b.ForGym, err = fit.ForGym(catalogue); err != nil {
			return nil, err
		}
	}
	weeks := 1
	if fit.TwoWeeks() {
		weeks = 2
	}
	for n := range weeks {
		b.Weeks = append(b.Weeks, boardWeek(fit, n))
		_, half := fit.Planned(n)
		b.Half += half
	}
	b.Laid = b.Weeks[0].Laid
	worn, err := fit.Worn(b.Serving)
	if err != nil {
		return nil, err
	}
	choose := map[string]bool{}
	offer := func(m *shoe.Model) {
		if !choose[m.ID] {
			choose[m.ID] = true
			b.Suits = append(b.Suits, kit.Option{Value: m.ID, Text: app.ModelName(m) + ", " + string(m.Chart)})
		}
	}
	for i := range worn {
		offer(&worn[i].Pair.Model)
	}
	if b.Laid {
		if b.Plan, err = planOf(c, fit, catalogue, worn, offer); err != nil {
			return nil, err
		}
	}
	return b, nil
}

// parts are the kinds of the week with what each pair takes of them.
func (b *body) parts(fit *app.Fit) {
	most := 0.0
	for _, p := range b.Serving.Parts {
		most = math.Max(most, p.KM)
	}
	for i, s := range b.Serving.Parts {
		p := part{Served: s, Bar: 100 * s.KM / most, Open: s.KM}
		for j, v := range s.All {
			_, why, _ := fit.SuitOf(&b.Serving.Pairs[j], s.Kind, s.Ground)
			km := b.Serving.Takes[i][j]
			p.Open -= km
			p.Cell = append(p.Cell, cell{v, why, km})
		}
		if p.Open < 0.005 {
			p.Open = 0
		}
		b.Parts = append(b.Parts, p)
	}
}

// boardWeek is a week's rows, the filled ones and two more first.
func boardWeek(fit *app.Fit, n int) week {
	w := week{N: n, Letter: string(rune('A' + n)), Now: fit.WeekOn(fit.Today) == n}
	parts, _ := fit.Planned(n)
	w.Laid = len(parts) > 0
	from, last := n*app.PlanRows, 0
	for i := 1; i <= app.PlanRows; i++ {
		if fit.Text("plan_day", "", from+i) != "" || fit.Num("plan_km", "", from+i) != nil || fit.Text("plan_kind", "", from+i) != "" {
			last = i
		}
	}
	for i := 1; i <= app.PlanRows; i++ {
		r := row{N: from + i, Split: slices.ContainsFunc(parts, func(p rotation.WeekPart) bool {
			return p.ID == fmt.Sprintf("row %d", from+i) && p.Run == "" && len(p.Split()) > 1
		})}
		if i <= max(5, last+2) {
			w.Rows = append(w.Rows, r)
		} else {
			w.Empty = append(w.Empty, r)
		}
	}
	return w
}

// extraMoney is what the what-if of more budget adds, minor units.
const extraMoney = 5000

// solve answers the weeks of the board one after another: what week A buys is theirs in
// week B, and its price is gone from the money. It fails with a fault.List at the parts of
// a week, whose number it gives.
func solve(c *gin.Context, fit *app.Fit, weeks [][]rotation.WeekPart, candidates []app.CandidateInfo, what app.What) (s solved, at int, err error) {
	s.pairs = fit.Doubled(candidates, what)
	pairs := slices.Clone(s.pairs)
	spent := int64(0)
	for n, parts := range weeks {
		if len(parts) == 0 {
			s.answers = append(s.answers, rotation.Answer{Status: rotation.Optimal})
			continue
		}
		w := fit.PlanWeek(parts, pairs, what)
		if w.Budget != nil {
			left := *w.Budget - spent
			w.Budget = &left
		}
		a, err := rotation.Solve(c.Request.Context(), w)
		if err != nil {
			return s, n, err
		}
		s.answers = append(s.answers, a)
		spent += a.Spent
		for i, x := range pairs {
			if slices.Contains(a.Buy, x.ID) {
				s.buy = append(s.buy, x.ID)
				pairs[i].Owned = true
			}
		}
	}
	return s, 0, nil
}

// sum adds up an answer.
func (s solved) sum(weeks [][]rotation.WeekPart) *sums {
	out := &sums{Proven: true, Buy: len(s.buy), board: s}
	n := float64(len(weeks))
	km := map[string]float64{}
	for i, a := range s.answers {
		out.CoveredKM += a.CoveredKM / n
		out.SuitKM += a.SuitKM / n
		out.Spent += a.Spent
		out.Proven = out.Proven && a.Status == rotation.Optimal
		for _, p := range weeks[i] {
			out.AllKM += p.KM / n
		}
		for _, u := range a.Pairs {
			km[u.ID] += u.WeeklyKM / n
		}
	}
	cost, all := 0.0, 0.0
	for _, x := range s.pairs {
		if d, used := km[x.ID]; used {
			out.Names = append(out.Names, x.Name)
			cost += d * x.PerKM
			all += d
		}
	}
	if all > 0 {
		out.PerKM = cost / all
	}
	return out
}

// planOf finds the best set for the board, and beside it what the address asks to look at.
func planOf(c *gin.Context, fit *app.Fit, catalogue *app.Catalogue, worn []app.Worn, offer func(*shoe.Model)) (*plan, error) {
	weeks := fit.Board()
	candidates, err := fit.Candidates(catalogue, worn, slices.Concat(weeks...))
	if err != nil {
		return nil, err
	}
	p := &plan{OnlyOwn: !slices.ContainsFunc(candidates, func(x app.CandidateInfo) bool { return !x.Owned }),
		What: app.What{Without: c.QueryArray("without"), Double: c.QueryArray("double")}, MoreText: kit.Money(extraMoney, fit.Currency), Limited: fit.Num("plan_money", "", 0) != nil,
		Until: fit.Until().Format("2006-01-02")}
	if c.Query("more") == "yes" {
		p.What.More = extraMoney
	}
	s, at, err := solve(c, fit, weeks, candidates, p.What)
	if faults, ok := fault.As(err); ok {
		p.Fault = boardFault(faults[0], weeks[at])
		return p, nil
	}
	if err != nil {
		return nil, err
	}
	p.Now = s.sum(weeks)
	if p.What.Any() {
		before, _, err := solve(c, fit, weeks, candidates, app.What{})
		if err != nil {
			return nil, err
		}
		p.Before = before.sum(weeks)
	}
	byID := map[string]app.CandidateInfo{}
	names := map[string]string{}
	for _, x := range s.pairs {
		byID[x.ID], names[x.ID] = x, x.Name
		offer(x.Model)
	}
	for n, a := range s.answers {
		w := weekPlan{Letter: string(rune('A' + n)), Answer: a}
		most := 0.0
		for _, x := range a.Curve {
			most = math.Max(most, x.CoveredKM)
		}
		for _, x := range a.Curve {
			w.Curve = append(w.Curve, point{x, strconv.FormatFloat(100*x.CoveredKM/math.Max(most, 0.1), 'f', 1, 64), x.Pairs == *fit.PlanWeek(nil, nil, app.What{}).MaxPairs, perKM(x, byID)})
		}
		w.Board = draw.WeekBoard(boardRows(fit, a, weeks[n], names), fit.Open(), app.PlanRows)
		p.Weeks = append(p.Weeks, w)
	}
	return p, p.forecast(fit, catalogue, s, weeks, byID, worn)
}

// perKM is what a km costs in a point of the curve, minor units.
func perKM(x rotation.Point, byID map[string]app.CandidateInfo) float64 {
	cost, km := 0.0, 0.0
	for _, u := range x.Takes {
		cost += u.WeeklyKM * byID[u.ID].PerKM
		km += u.WeeklyKM
	}
	return cost / math.Max(km, 0.001)
}

// forecast moves the pairs' forecasts by the plan, and lists what is to be ordered.
func (p *plan) forecast(fit *app.Fit, catalogue *app.Catalogue, s solved, weeks [][]rotation.WeekPart, byID map[string]app.CandidateInfo, worn []app.Worn) error {
	ahead := fit.Ahead(weeks, s.answers, func(id string) *shoe.Model { return byID[id].Model })
	serving := app.Serving{}
	for _, w := range worn {
		serving.Pairs = append(serving.Pairs, w.Pair)
		serving.Ahead = append(serving.Ahead, ahead[app.PairID(w.Pair.ID)])
	}
	moved, err := fit.Worn(serving)
	if err != nil {
		return err
	}
	if p.Purchases, err = fit.Purchases(catalogue, s.pairs, s.buy, ahead, moved); err != nil {
		return err
	}
	base := bench.URL(fit.ID, "rotation") + "?"
	for _, x := range s.pairs {
		l := line{ID: x.ID, Name: x.Name, Price: x.Price, Stock: x.Stock, Buy: slices.Contains(s.buy, x.ID)}
		used := false
		seen := map[string]bool{}
		for n, a := range s.answers {
			for _, u := range a.Pairs {
				if u.ID == x.ID {
					used = true
					l.KM += u.WeeklyKM / float64(len(weeks))
					l.Rest = less(l.Rest, u.MinRestHours)
				}
			}
			for _, part := range weeks[n] {
				if key := string(part.Kind) + " " + string(part.Ground); a.Assign[part.ID] == x.ID && !seen[key] {
					seen[key] = true
					v, why, _ := fit.Suit(x.Model, catalogue.Row(x.Model.ID), part.Kind, part.Ground)
					l.Reasons = append(l.Reasons, fmt.Sprintf("%s on %s %.2f: %s.", support.Words(string(part.Kind)), part.Ground, v, why))
				}
			}
		}
		if !used {
			continue
		}
		if x.LifeKM != nil && l.KM > 0 {
			left := *x.LifeKM / l.KM
			l.Weeks = &left
		}
		for i := range moved {
			if app.PairID(moved[i].Pair.ID) == x.ID {
				l.OrderBy, l.Out = moved[i].Wear.OrderBy, moved[i].Wear.Dates.P50
			}
		}
		ask := url.Values{"without": p.What.Without, "double": p.What.Double}
		drop, double := maps.Clone(ask), maps.Clone(ask)
		drop["without"] = append(slices.Clone(p.What.Without), x.ID)
		l.Drop = base + drop.Encode() + "#plan"
		if !x.Second && !slices.Contains(p.What.Double, x.ID) {
			double["double"] = append(slices.Clone(p.What.Double), x.ID)
			l.Double = base + double.Encode() + "#plan"
		}
		p.Lines = append(p.Lines, l)
	}
	return nil
}

func less(a, b *float64) *float64 {
	if a == nil || b != nil && *b < *a {
		return b
	}
	return a
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
		{Method: http.MethodPost, Path: "/fits/:fit/rotation/template", Roles: kit.Everyone, Handle: func(c *gin.Context) { layTemplate(b, c) }},
		{Method: http.MethodPost, Path: "/fits/:fit/rotation/split", Roles: kit.Everyone, Handle: func(c *gin.Context) { splitRun(b, c) }},
		{Method: http.MethodPost, Path: "/fits/:fit/rotation/resize", Roles: kit.Everyone, Handle: func(c *gin.Context) { resize(b, c) }},
		{Method: http.MethodPost, Path: "/fits/:fit/rotation/suit", Roles: kit.Everyone, Handle: func(c *gin.Context) { suit(b, c) }},
		{Method: http.MethodPost, Path: "/fits/:fit/pairs", Roles: kit.Everyone, Handle: func(c *gin.Context) { add(b, c) }},
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

// change is a form of the station's own: do reads what was sent and saves it.
func change(b *bench.Bench, c *gin.Context, fields []app.Field, also []string, do func(fit *app.Fit, form url.Values, v map[string]app.Value) (app.Saved, error)) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	var saved app.Saved
	form, v, err := kit.Decode(c, fields, kit.MustWho(c).Units, also...)
	if err == nil {
		saved, err = do(fit, form, v)
	}
	b.Done(c, Station(), fit, form, err, b.SavedURL(fit, "rotation", saved))
}

// weekOf is the week of the board that a form is for.
func weekOf(form url.Values) int {
	if form.Get("week") == "1" {
		return app.WeekB
	}
	return app.WeekA
}

// layOut puts the week that was told on the board.
func layOut(b *bench.Bench, c *gin.Context) {
	change(b, c, nil, []string{"week"}, func(fit *app.Fit, form url.Values, _ map[string]app.Value) (app.Saved, error) {
		return b.App.LayOut(c, kit.MustWho(c), fit.ID, weekOf(form))
	})
}

// layTemplate puts a plain week on the board.
func layTemplate(b *bench.Bench, c *gin.Context) {
	change(b, c, app.TemplateFields, []string{"week"}, func(fit *app.Fit, form url.Values, v map[string]app.Value) (app.Saved, error) {
		var days *float64
		if d := v["template_days"]; !d.Empty {
			days = &d.Number
		}
		return b.App.LayTemplate(c, kit.MustWho(c), fit.ID, weekOf(form), rotation.Goal(v["template_goal"].Text), v["template_km"].Number, days)
	})
}

// splitRun parts a run of the board; the board's other fields come along and were saved.
func splitRun(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	form, err := kit.Form(c, func(name string) bool {
		_, _, ok := app.FieldOf("rotation", name)
		return ok || name == "row"
	})
	var saved app.Saved
	if err == nil {
		row, _ := strconv.Atoi(form.Get("row"))
		saved, err = b.App.SplitRun(c, kit.MustWho(c), fit.ID, row)
	}
	b.Done(c, Station(), fit, form, err, b.SavedURL(fit, "rotation", saved))
}

// resize makes a run of the board longer or shorter at its pace.
func resize(b *bench.Bench, c *gin.Context) {
	change(b, c, nil, []string{"row", "minutes"}, func(fit *app.Fit, form url.Values, _ map[string]app.Value) (app.Saved, error) {
		row, _ := strconv.Atoi(form.Get("row"))
		minutes, _ := strconv.ParseFloat(form.Get("minutes"), 64)
		return b.App.ResizeRun(c, kit.MustWho(c), fit.ID, row, minutes)
	})
}

// suit sets how well a model suits a kind of run, or goes back to what is computed.
func suit(b *bench.Bench, c *gin.Context) {
	change(b, c, app.SuitFields, []string{"undo"}, func(fit *app.Fit, form url.Values, v map[string]app.Value) (app.Saved, error) {
		if form.Get("undo") != "yes" && v["suit_value"].Empty {
			return app.Saved{}, fault.List{{Field: "suit_value", Text: "is missing; allowed is 0 to 1"}}
		}
		return b.App.SetSuit(c, kit.MustWho(c), fit.ID, v["suit_model"].Text, term.Kind(v["suit_kind"].Text), term.Ground(v["suit_ground"].Text), v["suit_value"].Number, v["suit_why"].Text, form.Get("undo") == "yes")
	})
}
