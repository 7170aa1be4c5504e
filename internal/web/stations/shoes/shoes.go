// Package shoes is the station that rules the catalogue out and ranks the rest,
// each model with its size and the room in mm for both feet.
package shoes

import (
	"embed"
	"html/template"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"trevik/internal/app"
	"trevik/internal/app/shelf"
	"trevik/internal/app/visit"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

type out struct {
	match.RuledOut
	M *shoe.Model
}

type body struct {
	InHand   *record.InHand // the box that was scanned
	Ready    bool
	Refer    bool
	NoFeet   bool
	NoWeek   bool
	NoModels bool
	Support  support.Answer
	Offers   []offer
	Out      []out
	Notes    []fault.Warning
	Choices  []record.Choice
	OutAll   int
	Nearest  []near      // where none is offered
	Cheap    *shoe.Model // the cheapest offer; nil where it is the first anyway
	Ranked   int         // offers in all; the page shows the first
	All      bool
	Reasons  []reasonCount
	Reason   string // of the ruled-out ones that are shown; empty is all
	LetIn    []record.Dislike
	May      bool // the person may let a model in
	Weights  []weight
	Spread   template.HTML
	X, Y     string
	Drawn    bool // axes were chosen
	Axes     []draw.Axis
	Two      []*shoe.Model // that are compared
	Over     template.HTML
	Rows     []row
	// DislikedOther is what else was disliked, in their words.
	DislikedOther string
}

// near is a model that comes close where none is offered, with all that is wrong.
type near struct {
	match.Nearest
	M *shoe.Model
}

// weight is a mark's slider.
type weight struct {
	Row   int
	Name  string
	Value string
}

type reasonCount struct {
	Reason string
	N      int
}

// row is one attribute of two models side by side.
type row struct {
	Name, A, B string
	Differ     bool
}

// House values of how much a page shows.
const (
	firstOffers = 24
	firstOut    = 60
)

// boxInHand is the box that was scanned, nil where none was.
func boxInHand(c *kit.Req, bn *bench.Bench, fit *record.Conclusions) (*record.InHand, error) {
	code := c.Query("box")
	if code == "" {
		return nil, nil
	}
	box, err := bn.App.Shelf.Scan(c.Ctx(), c.Who, code)
	if _, faulty := fault.As(err); faulty {
		return nil, nil // an address that somebody typed
	}
	if err != nil {
		return nil, err
	}
	return fit.InHand(box.Model, box.UK, box.Width)
}

// scan opens the box of a barcode at the sale.
func scan(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		form, v, err := kit.Decode(c, shelf.BarcodeFields[:1])
		var box shelf.Boxed
		if err == nil {
			box, err = b.App.Shelf.Scan(c.Ctx(), c.Who, v["barcode"].Text)
		}
		return b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "shoes")+"?box="+box.Code+"#in-hand")
	}
}

// Station is Shoes.
func Station() bench.Station {
	return bench.Station{Path: "shoes", Name: "Shoes",
		Lead:     "Ruled out and ranked, with the reasons; each in its size, with the room before both feet.",
		Template: bench.Parse(files), Fields: slices.Concat(visit.LetInFields, wardrobe.ChooseFields[1:], shelf.BarcodeFields[:1]),
		Body: bodyOf, Extra: extra}
}

func bodyOf(c *kit.Req, bn *bench.Bench, fit *record.Conclusions) (any, error) {
	catalogue := fit.Shop.Catalogue
	sup, err := fit.Support()
	if err != nil {
		return nil, err
	}
	b := body{Support: sup, Refer: sup.Refer, NoFeet: !fit.HasFeet(), DislikedOther: record.DislikedOther.Of(fit.Visit)}
	b.NoWeek, b.NoModels = fit.WeeklyTold() == 0, len(catalogue.Models) == 0
	b.Choices = fit.Choices()
	answer, ready, err := fit.Match()
	if err != nil {
		return nil, err
	}
	b.Ready, b.Notes = ready, answer.Warnings
	tried := map[string]bool{}
	for _, id := range answer.TryOn {
		tried[id] = true
	}
	shorter, sizes, err := shorterSizes(fit, sup)
	if err != nil {
		return nil, err
	}
	b.Cheap = cheapest(catalogue, answer)
	b.Ranked, b.All, b.Reason = len(answer.Ranked), c.Query("all") == "yes", c.Query("out")
	var shown []uint64
	for i, r := range answer.Ranked {
		if i < firstOffers || b.All {
			shown = append(shown, catalogue.RowID(r.Model))
		}
	}
	liked, err := bn.App.Wardrobe.LikedBy(c.Ctx(), c.Who, fit, shown)
	if err != nil {
		return nil, err
	}
	b.LetIn, b.May = fit.LetIn(), c.Who.Role != app.Trainee
	b.weights(fit)
	if err := b.picture(c, fit, catalogue, answer, tried); err != nil {
		return nil, err
	}
	if err := b.compare(c, catalogue); err != nil {
		return nil, err
	}
	for i, r := range answer.Ranked[:len(shown)] {
		o, err := b.offerOf(fit, i, r, shorter, sizes)
		if err != nil {
			return nil, err
		}
		o.TryOn = tried[r.Model]
		if l, told := liked[catalogue.RowID(r.Model)]; told {
			o.Liked = likedWords(l)
		}
		b.Offers = append(b.Offers, o)
	}
	for _, n := range answer.Nearest {
		b.Nearest = append(b.Nearest, near{n, catalogue.ByCode(n.Model)})
	}
	counts := map[string]int{}
	for _, r := range answer.RuledOut {
		counts[r.Reason]++
		if len(b.Out) < firstOut && (b.Reason == "" || b.Reason == r.Reason) {
			b.Out = append(b.Out, out{r, catalogue.ByCode(r.Model)})
		}
	}
	for _, reason := range slices.Sorted(maps.Keys(counts)) {
		b.Reasons = append(b.Reasons, reasonCount{reason, counts[reason]})
	}
	b.OutAll = len(answer.RuledOut)
	b.InHand, err = boxInHand(c, bn, fit)
	return b, err
}

// weights are the marks' sliders, as they are set.
func (b *body) weights(fit *record.Conclusions) {
	for _, name := range match.MarkNames {
		v := fit.WeightOf(name)
		if own := record.MarkWeight.Ptr(fit.Visit, record.MarkRow(name)); own != nil {
			v = *own
		}
		b.Weights = append(b.Weights, weight{record.MarkRow(name), name, strconv.FormatFloat(v, 'f', -1, 64)})
	}
}

// picture draws all candidates on the two axes that were chosen.
func (b *body) picture(c *kit.Req, fit *record.Conclusions, catalogue *record.Catalogue, answer match.Answer, tried map[string]bool) error {
	b.Drawn = c.Query("x") != "" || c.Query("y") != ""
	b.X, b.Y, b.Axes = c.DefaultQuery("x", "stack"), c.DefaultQuery("y", "softness"), draw.Axes
	x, okX := draw.AxisOf(b.X)
	y, okY := draw.AxisOf(b.Y)
	if !okX || !okY {
		return app.ErrNotFound
	}
	var list []draw.Candidate
	for i, r := range answer.Ranked {
		if i >= mostDrawn && !tried[r.Model] {
			continue
		}
		list = append(list, draw.Candidate{M: catalogue.ByCode(r.Model), TryOn: tried[r.Model], URL: bench.URL(fit.ID, "shoes") +
			"?all=yes#model-" + r.Model})
	}
	b.Spread = draw.Spread(list, x.In(fit.Units), y.In(fit.Units))
	return nil
}

// mostDrawn is how many candidates a picture can hold.
const mostDrawn = 300

// compare lays two models side by side.
func (b *body) compare(c *kit.Req, catalogue *record.Catalogue) error {
	codes := c.QueryArray("with")
	if len(codes) == 0 {
		return nil
	}
	if len(codes) > 2 {
		codes = codes[len(codes)-2:]
	}
	for _, code := range codes {
		m := catalogue.ByCode(code)
		if m == nil {
			return app.ErrNotFound
		}
		b.Two = append(b.Two, m)
	}
	if len(b.Two) < 2 {
		return nil
	}
	b.Over = draw.Overlay(b.Two[0], b.Two[1])
	add := func(name string, of func(*shoe.Model) string) {
		x, y := of(b.Two[0]), of(b.Two[1])
		b.Rows = append(b.Rows, row{name, x, y, x != y})
	}
	number := func(name, unit string, of func(*shoe.Model) float64) {
		add(name, func(m *shoe.Model) string {
			if unit == "mm" {
				return c.Who.Units.Length(of(m))
			}
			return strings.TrimSpace(strconv.FormatFloat(units.Round(of(m), 1), 'f', -1, 64) + " " + unit)
		})
	}
	add("For", func(m *shoe.Model) string { return support.Words(string(m.Class)) + ", " + string(m.Surface) })
	add("Support", func(m *shoe.Model) string { return support.Words(string(m.Level)) })
	number("Heel stack", "mm", func(m *shoe.Model) float64 { return m.StackHeelMM })
	number("Forefoot stack", "mm", func(m *shoe.Model) float64 { return m.StackForefootMM })
	number("Drop", "mm", func(m *shoe.Model) float64 { return m.Drop() })
	number("Weight", "g", func(m *shoe.Model) float64 { return m.WeightG })
	number("Softness", "of 5", func(m *shoe.Model) float64 { return m.Softness })
	number("Bounce", "of 5", func(m *shoe.Model) float64 { return m.Bounce })
	number("Flexibility", "of 5", func(m *shoe.Model) float64 { return m.Flexibility })
	add("Plate", func(m *shoe.Model) string { return m.Plate })
	number("Rocker", "of 3", func(m *shoe.Model) float64 { return float64(m.Rocker) })
	add("Last", func(m *shoe.Model) string { return support.Words(string(m.LastShape)) + ", " + string(m.Volume) })
	add("Widths", func(m *shoe.Model) string { return strings.Join(m.Widths, " ") })
	number("Inner length, against usual", "mm", func(m *shoe.Model) float64 { return m.InnerOffsetMM })
	number("Lugs", "mm", func(m *shoe.Model) float64 { return m.LugDepthMM })
	number("How little shoe", "of 35", func(m *shoe.Model) float64 { return m.Bareness() })
	add("Price", func(m *shoe.Model) string { return kit.Money(m.Price(), m.Currency) })
	return nil
}

// cheapest is the offer that costs least, for there is always a cheap answer; nil where it
// is the first one.
func cheapest(c *record.Catalogue, a match.Answer) *shoe.Model {
	var out *shoe.Model
	for _, r := range a.Ranked {
		if m := c.ByCode(r.Model); out == nil || m.Price() < out.Price() {
			out = m
		}
	}
	if out == nil || out.ID == a.Ranked[0].Model {
		return nil
	}
	return out
}

// shorterSizes sizes every model for the shorter foot alone, when the feet are a
// full size apart.
func shorterSizes(fit *record.Conclusions, sup support.Answer) (term.Side, map[string]match.Size, error) {
	d := foot.Compare(fit.Feet(), fit.House())
	r, ready := fit.Request(sup)
	if d.Advice != foot.SplitSizes || !ready || sup.Refer {
		return "", nil, nil
	}
	shorter := term.Left
	r.Feet.Right = nil
	if d.Longer == term.Left {
		shorter = term.Right
		r, _ = fit.Request(sup)
		r.Feet.Left = nil
	}
	answer, err := match.Rank(r)
	if err != nil {
		return "", nil, err
	}
	sizes := map[string]match.Size{}
	for _, x := range answer.Ranked {
		sizes[x.Model] = x.Size
	}
	return shorter, sizes, nil
}

func extra(b *bench.Bench) []kit.Route {
	return []kit.Route{
		{Method: http.MethodPost, Path: "/fits/:fit/choose", Roles: kit.Everyone, Handle: func(c *kit.Req) error { return choose(b, c) }},
		{Method: http.MethodPost, Path: "/fits/:fit/shoes/scan", Roles: kit.Everyone, Handle: scan(b)},
		{Method: http.MethodPost, Path: "/fits/:fit/let-in", Roles: []app.Role{app.Owner, app.Fitter},
			Handle: func(c *kit.Req) error { return letIn(b, c) }},
		{Method: http.MethodPost, Path: "/fits/:fit/take-back", Roles: kit.Everyone, Handle: func(c *kit.Req) error { return takeBack(b, c) }},
	}
}

func choose(b *bench.Bench, c *kit.Req) error {
	fit, err := b.Load(c)
	if err != nil {
		return err
	}
	form, v, err := kit.Decode(c, wardrobe.ChooseFields)
	if err == nil {
		sale := wardrobe.Sale{Model: v["model"].Text, Reason: v["reason"].Text, Figure: v["figure"].Ptr(), FromShelf: v["shelf"].Text == "yes",
			Sold: int(v["sold"].Number), Called: v["called"].Text}
		if p := v["price"].Ptr(); p != nil {
			price := int64(*p)
			sale.Price = &price
		}
		_, err = b.App.Wardrobe.Choose(c.Ctx(), c.Who, fit.ID, sale)
	}
	return b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "rotation"))
}

func takeBack(b *bench.Bench, c *kit.Req) error {
	fit, err := b.Load(c)
	if err != nil {
		return err
	}
	sent, err := kit.Form(c, kit.Known("pair"))
	if err == nil {
		pair, _ := strconv.ParseUint(sent.Get("pair"), 10, 63) // what is no number is the only one
		err = b.App.Wardrobe.TakeBack(c.Ctx(), c.Who, fit.ID, pair)
	}
	return b.Done(c, Station(), fit, nil, err, bench.URL(fit.ID, "shoes"))
}

// letIn lets a model in that was ruled out, or takes that back.
func letIn(b *bench.Bench, c *kit.Req) error {
	fit, err := b.Load(c)
	if err != nil {
		return err
	}
	form, v, err := kit.Decode(c, visit.LetInFields, "undo")
	if err == nil {
		_, err = b.App.Visits.LetIn(c.Ctx(), c.Who, fit.ID, v["model"].Text, v["let_in"].Text, form.Get("undo") == "yes")
	}
	return b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "shoes"))
}
