// Package rotation is the station that tells which of the runner's pairs serves
// which kind of run this week.
package rotation

import (
	"embed"
	"html/template"
	"maps"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"trevik/internal/app/visit"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/foot"
	"trevik/internal/core/rotation"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
	"trevik/internal/form"
	"trevik/internal/record"
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
	Serving *record.Serving
	Aside   []record.Pair
	Weeks   []week
	Plan    *plan
	Laid    bool
	Blank   template.HTML // the week that is not laid out yet
	Half    int           // rows of the board that lack something
	Gym     bool
	ForGym  []*shoe.Model
	Suits   []kit.Option // models whose suitability may be set
	Set     []record.SuitSet
	Plates  string // the view that holds, and whose it is
	Variety string
	// OneForAll: they asked for one pair for everything. ShopPlates: the view of plates is the shop's.
	OneForAll, ShopPlates bool
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
	*record.Plan
	Weeks    []weekPlan
	Curve    []point
	Lines    []line
	What     record.What
	MoreText string
	Limited  bool // the money for new pairs was told
	Now      record.Sums
	Before   *record.Sums // the answer as it is, where another is looked at
	Until    string
}

// weekPlan is one week's answer.
type weekPlan struct {
	Letter string
	Answer rotation.Answer
	Board  template.HTML
}

type point struct {
	rotation.Point
	Width string
	Now   bool
	PerKM float64 // minor units
}

// line is one pair of the plan, with the addresses of the answers without it and with a second one.
type line struct {
	record.PlanLine
	Drop, Double string
	Sell         bool   // it can be sold from here
	Label        string // its size for the runner
}

// Station is Rotation.
func Station() bench.Station {
	return bench.Station{Path: "rotation", Name: "Rotation", Lead: "Which pair serves which kind of run this week.",
		Template: bench.Parse(files), Body: bodyOf, Extra: extra,
		Fields: slices.Concat(wardrobe.OwnedPairFields, visit.TemplateFields, visit.SuitFields)}
}

func bodyOf(c *kit.Req, _ *bench.Bench, fit *record.Conclusions) (any, error) {
	b := body{Plates: string(fit.PlateView()), Variety: fit.Variety(), Set: fit.SuitsSet(),
		OneForAll: record.PairsWanted.Of(fit.Visit) == "one_for_all", ShopPlates: record.PlanPlates.Of(fit.Visit) == ""}
	var err error
	if b.Serving, err = fit.Serving(); err != nil {
		return nil, err
	}
	if err := b.parts(fit); err != nil {
		return nil, err
	}
	for _, p := range fit.Runner.Pairs {
		if !p.SetAsideOn.IsZero() {
			b.Aside = append(b.Aside, p)
		}
	}
	told, _, _ := fit.WeekTold()
	if b.Gym = slices.ContainsFunc(told, func(p rotation.Part) bool { return p.Kind == term.Gym }); b.Gym {
		if b.ForGym, err = fit.ForGym(); err != nil {
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
	choose := map[string]bool{}
	offer := func(m *shoe.Model) {
		if !choose[m.ID] {
			choose[m.ID] = true
			b.Suits = append(b.Suits, kit.Option{Value: m.ID, Text: record.ModelName(m) + ", " + string(m.Chart)})
		}
	}
	for i := range b.Serving.Pairs {
		offer(&b.Serving.Pairs[i].Model)
	}
	if !b.Laid {
		b.Blank = blankWeek(b.Serving)
	} else {
		if b.Plan, err = planOf(c, fit, offer); err != nil {
			return nil, err
		}
	}
	return b, nil
}

// blankWeek is the week that is not laid out yet: a lane for each pair in use, or for one to come.
func blankWeek(s *record.Serving) template.HTML {
	var rows []draw.WeekRow
	for i := range s.Pairs {
		rows = append(rows, draw.WeekRow{Name: s.Pairs[i].Name(), Model: &s.Pairs[i].Model})
	}
	if len(rows) == 0 {
		rows = []draw.WeekRow{{Name: "A lane for each pair"}}
	}
	return draw.WeekBoard(rows, false, record.PlanRows, bench.TableWidth)
}

// parts are the kinds of the week with what each pair takes of them.
func (b *body) parts(fit *record.Conclusions) error {
	most := 0.0
	for _, p := range b.Serving.Parts {
		most = math.Max(most, p.KM)
	}
	for i, s := range b.Serving.Parts {
		p := part{Served: s, Bar: 100 * s.KM / most, Open: s.KM}
		for j, v := range s.All {
			_, why, _, err := fit.SuitOf(&b.Serving.Pairs[j], s.Kind, s.Ground)
			if err != nil {
				return err
			}
			km := b.Serving.Takes[i][j]
			p.Open -= km
			p.Cell = append(p.Cell, cell{v, why, km})
		}
		if p.Open < 0.005 {
			p.Open = 0
		}
		b.Parts = append(b.Parts, p)
	}
	return nil
}

// boardWeek is a week's rows, the filled ones and two more first.
func boardWeek(fit *record.Conclusions, n int) week {
	w := week{N: n, Letter: letter(n), Now: fit.WeekOn(fit.Today) == n}
	rows := fit.BoardRows(n)
	last := 0
	for i, r := range rows {
		if r.Some {
			last = i + 1
		}
		w.Laid = w.Laid || r.Part != nil
	}
	for i, r := range rows {
		shown := row{N: r.N, Split: r.Part != nil && r.Part.Run == "" && len(r.Part.Split()) > 1}
		if i < max(5, last+2) {
			w.Rows = append(w.Rows, shown)
		} else {
			w.Empty = append(w.Empty, shown)
		}
	}
	return w
}

func letter(week int) string { return string(rune('A' + week)) }

// extraMoney is what the what-if of more budget adds, minor units.
const extraMoney = 5000

// planOf finds the best set for the board, and beside it what the address asks to look at.
func planOf(c *kit.Req, fit *record.Conclusions, offer func(*shoe.Model)) (*plan, error) {
	p := &plan{What: record.What{Without: c.QueryArray("without"), Double: c.QueryArray("double")},
		MoreText: kit.Money(extraMoney, fit.Shop.Currency),
		Limited:  record.PlanMoney.Ptr(fit.Visit) != nil, Until: fit.Until().Format(wear.DateLayout)}
	if c.Query("more") == "yes" {
		p.What.More = extraMoney
	}
	var err error
	if p.Plan, err = fit.Plan(c.Ctx(), p.What); err != nil || p.Fault != "" {
		return p, err
	}
	p.Now = p.Sums()
	if p.What.Any() {
		before, err := fit.Plan(c.Ctx(), record.What{})
		if err != nil {
			return nil, err
		}
		sums := before.Sums()
		p.Before = &sums
	}
	for _, x := range p.Pairs {
		offer(x.Model)
	}
	for n, a := range p.Turn.Answers {
		w := weekPlan{Letter: letter(n), Answer: a}
		w.Board = draw.WeekBoard(kit.WeekRows(p.Plan, n, fit.Units), fit.Open(), record.PlanRows, bench.TableWidth)
		p.Weeks = append(p.Weeks, w)
	}
	most := 0.1
	for _, x := range p.Turn.Curve {
		most = math.Max(most, x.CoveredKM)
	}
	for _, x := range p.Turn.Curve {
		share := x.CoveredKM / most
		x.CoveredKM /= float64(len(p.Weeks)) // a week, in the mean
		p.Curve = append(p.Curve, point{x, strconv.FormatFloat(100*share, 'f', 1, 64), x.Pairs == fit.MostPairs(), p.PerKM(x)})
	}
	return p, p.look(fit)
}

// look gives every line the addresses of what it can be looked at without and with.
func (p *plan) look(fit *record.Conclusions) error {
	base := bench.URL(fit.ID, "rotation") + "?"
	for _, x := range p.Plan.Lines {
		l := line{PlanLine: x}
		if x.Buy && fit.Open() && !p.What.Any() {
			offered, ok, err := fit.Offered(x.Model.ID)
			if err != nil {
				return err
			}
			l.Sell, l.Label = ok, offered.Size.Label
		}
		ask := url.Values{"without": p.What.Without, "double": p.What.Double}
		drop, double := maps.Clone(ask), maps.Clone(ask)
		drop["without"] = append(slices.Clone(p.What.Without), x.ID)
		l.Drop = base + drop.Encode() + "#plan"
		if !x.Second && !x.Model.Elsewhere() && !slices.Contains(p.What.Double, x.ID) {
			double["double"] = append(slices.Clone(p.What.Double), x.ID)
			l.Double = base + double.Encode() + "#plan"
		}
		p.Lines = append(p.Lines, l)
	}
	return nil
}

func extra(b *bench.Bench) []kit.Route {
	post := func(path string, do kit.Handler) kit.Route {
		return kit.Route{Method: http.MethodPost, Path: "/fits/:fit/" + path, Roles: kit.Everyone, Handle: do}
	}
	split := post("rotation/split", splitRun(b))
	split.Free = true // its button stands in the board's own form; a part is not split again
	return []kit.Route{
		split, post("rotation/lay-out", layOut(b)), post("rotation/template", layTemplate(b)), post("rotation/resize", resize(b)),
		post("rotation/suit", suit(b)), post("pairs", add(b)),
	}
}

// add puts down a pair that the runner has already.
func add(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		form, v, err := kit.Decode(c, wardrobe.OwnedPairFields)
		if err == nil {
			_, err = b.App.Wardrobe.Add(c.Ctx(), c.Who, fit.Runner.ID, wardrobe.Owned{Code: v["model"].Text, UK: foot.Figure(v["uk"].Number),
				Width: strings.ToUpper(v["width"].Text), Price: int64(v["price"].Number), Since: v["since"].Text,
				BeforeKM: v["before_km"].Ptr(), BeforeSure: v["before_sure"].Text, Called: v["called"].Text,
				MadeFor: term.Class(v["made_for"].Text)})
		}
		return b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "rotation"))
	}
}

// sent is a form of the station's own as it was read.
type sent struct {
	*kit.Req
	fit  *record.Conclusions
	form url.Values
	v    kit.Values
}

// week is the week of the board that a form is for.
func (s sent) week() int {
	if s.form.Get("week") == "1" {
		return record.WeekB
	}
	return record.WeekA
}

// row is the row of the board that a form is for, 0 where it is none.
func (s sent) row() int {
	n, _ := strconv.Atoi(s.form.Get("row")) // what is no number is no row
	return n
}

// change is a form of the station's own: do saves what was sent.
func change(b *bench.Bench, fields []form.Field, also []string, do func(sent) (visit.Saved, error)) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		var saved visit.Saved
		form, v, err := kit.Decode(c, fields, also...)
		if err == nil {
			saved, err = do(sent{c, fit, form, v})
		}
		return b.Done(c, Station(), fit, form, err, b.SavedURL(fit, "rotation", saved))
	}
}

// layOut puts the week that was told on the board.
func layOut(b *bench.Bench) kit.Handler {
	return change(b, nil, []string{"week"}, func(s sent) (visit.Saved, error) {
		return b.App.Visits.LayOut(s.Ctx(), s.Who, s.fit.ID,
			s.week())
	})
}

// layTemplate puts a plain week on the board.
func layTemplate(b *bench.Bench) kit.Handler {
	return change(b, visit.TemplateFields, []string{"week"}, func(s sent) (visit.Saved, error) {
		return b.App.Visits.LayTemplate(s.Ctx(), s.Who, s.fit.ID, s.week(), rotation.Goal(s.v["template_goal"].Text), s.v["template_km"].Number,
			s.v["template_days"].Ptr())
	})
}

// splitRun parts a run of the board; the board's other fields come along and were saved.
func splitRun(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		form, err := kit.Form(c, func(name string) bool {
			_, _, ok := record.InputAt("rotation", name)
			return ok || name == "row" || name == "seen"
		})
		var saved visit.Saved
		if err == nil {
			saved, err = b.App.Visits.SplitRun(c.Ctx(), c.Who, fit.ID, sent{form: form}.row())
		}
		return b.Done(c, Station(), fit, form, err, b.SavedURL(fit, "rotation", saved))
	}
}

// resize makes a run of the board longer or shorter at its pace.
func resize(b *bench.Bench) kit.Handler {
	return change(b, nil, []string{"row", "minutes"}, func(s sent) (visit.Saved, error) {
		minutes, _ := strconv.ParseFloat(s.form.Get("minutes"), 64) // what is no number is refused as 0 is
		return b.App.Visits.ResizeRun(s.Ctx(), s.Who, s.fit.ID, s.row(), minutes)
	})
}

// suit sets how well a model suits a kind of run, or goes back to what is computed.
func suit(b *bench.Bench) kit.Handler {
	return change(b, visit.SuitFields, []string{"undo"}, func(s sent) (visit.Saved, error) {
		return b.App.Visits.SetSuit(s.Ctx(), s.Who, s.fit.ID, visit.Suit{Model: s.v["suit_model"].Text, Kind: term.Kind(s.v["suit_kind"].Text),
			Ground: term.Ground(s.v["suit_ground"].Text), Value: s.v["suit_value"].Ptr(), Why: s.v["suit_why"].Text,
			Undo: s.form.Get("undo") == "yes"})
	})
}
