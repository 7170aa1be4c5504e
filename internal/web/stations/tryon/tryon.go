// Package tryon is the station of the try-on: the set, in an order that favours none, a
// screen for each pair, and comparisons with one on each foot.
package tryon

import (
	"embed"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"trevik/internal/app/shelf"
	"trevik/internal/app/visit"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	core "trevik/internal/core/tryon"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

// pair is a model in a size and width that is tried on.
type pair struct {
	At      int
	Trial   record.Trial // by which its findings are kept
	M       *shoe.Model
	Size    *match.Size    // the proposed one, nil where it is not offered any more
	In      *record.InSize // what it is tried in, nil where that is not known any more
	Several bool           // the model is tried in more than one
	Comfort string
	Chance  *float64 // that it is the best, where some were compared
	Now     bool
	Changes []record.FilmChange
	Moves   []string // what its findings moved
	Out     string   // why it is not offered any more
	Error   float64  // of the room, SD mm
	Inside  string   // how its inside is known
	Lock    bool     // its heel lifts, and the heel lock was not tried
}

// place is where a shoe may press, on a drawn foot.
type place struct {
	Value, Label string
	At           string // its class, by where it lies
	On           bool
}

type footboard struct {
	Side    term.Side
	Drawing template.HTML
	Places  []place
}

type lacing struct {
	Name    string
	Drawing template.HTML
	Steps   []string
}

type body struct {
	Ready     bool
	Pairs     []pair
	Now       *pair
	Prev      int
	Next      int
	Feet      []footboard
	Lacings   []lacing
	Compare   bool
	Answer    core.Answer
	Left      string // proposed for the left foot
	Right     string
	Made      []made
	Others    []kit.Option // models that can be put in
	Choices   []record.Choice
	InHand    *record.InHand // the box that was scanned
	HandTried bool           // in its size and width, too
	Again     again          // the other sizes and widths of the present pair
	NameOf    func(string) string
	NoneToday bool
}

// again are the sizes and widths that a model can be tried in, too, and the ones that are proposed.
type again struct {
	Sizes, Widths []kit.Option
	Size, Width   string
	Proposed      bool // by what was found
}

// made is a comparison in words.
type made struct{ Left, Right, Better string }

// Station is Try-on.
func Station() bench.Station {
	return bench.Station{Path: "try-on", Name: "Try-on",
		Lead:     "A set that differs, in an order that favours none. Laced by the fitter; standing, walking, running.",
		Template: bench.Parse(files), Body: bodyOf, Extra: extra,
		Fields: slices.Concat(shelf.BarcodeFields[:1], shelf.InsoleFields, visit.AgainFields)}
}

// told is the trial that a finding was just sent of. What it moved may have put another pair in the place where
// this one stood.
func told(c *kit.Req) (record.Trial, bool) {
	for _, name := range c.Sent() {
		if d, k, ok := record.InputAt("try-on", name); ok && d.ByTrial {
			return record.Trial{Model: k.Model, Again: k.Row}, true
		}
	}
	return record.Trial{}, false
}

func bodyOf(c *kit.Req, bn *bench.Bench, fit *record.Conclusions) (any, error) {
	catalogue := fit.Shop.Catalogue
	answer, ready, err := fit.Match()
	if err != nil {
		return nil, err
	}
	ranked := map[string]*match.Ranked{}
	for i := range answer.Ranked {
		ranked[answer.Ranked[i].Model] = &answer.Ranked[i]
	}
	set, err := fit.TryOnSet()
	if err != nil {
		return nil, err
	}
	b := body{Ready: ready && len(set) > 0, NameOf: catalogue.Name, NoneToday: record.NoneToday.Of(fit.Visit)}
	b.Choices = fit.Choices()
	list := pairsOf(fit, set)
	if b.Answer, b.Compare, err = fit.Leading(set); err != nil {
		return nil, err
	}
	at, _ := strconv.Atoi(c.Query("pair")) // what is no number is the first
	if b.InHand, err = scanned(c, bn, fit); err != nil {
		return nil, err
	}
	if h := b.InHand; h != nil {
		// Its own size and width, where they are tried; else the model's first.
		at = slices.IndexFunc(list, func(p pair) bool { return p.M == h.M && p.is(h.UK, h.Width) }) + 1
		b.HandTried = at > 0
		if at == 0 {
			at = slices.IndexFunc(list, func(p pair) bool { return p.M == h.M }) + 1
		}
	}
	if t, ok := told(c); ok {
		at = slices.IndexFunc(list, func(p pair) bool { return p.Trial == t }) + 1
	}
	at = min(max(at, 1), max(len(list), 1))
	for i, p := range list {
		m, code := p.M, p.M.ID
		p.Now = i+1 == at
		p.Error, p.Inside = fit.RoomError(m), record.InsideWords(m)
		if r := ranked[code]; r != nil {
			p.Size, p.Moves = &r.Size, r.Moves
		} else if i := slices.IndexFunc(answer.RuledOut, func(r match.RuledOut) bool { return r.Model == code }); i >= 0 {
			p.Out = answer.RuledOut[i].Text
		}
		lift := record.TryLift.Of(fit.Visit, p.Trial)
		p.Lock = lift != "" && lift != "no" && !slices.Contains(record.TryLacing.Of(fit.Visit, p.Trial), "heel_lock")
		if v := record.TryComfort.Ptr(fit.Visit, p.Trial); v != nil {
			p.Comfort = strconv.FormatFloat(*v, 'f', -1, 64)
		}
		if b.Compare && len(fit.Comparisons()) > 0 {
			best := b.Answer.PBest[code]
			p.Chance = &best
		}
		for _, ch := range fit.FilmChanges() {
			if strings.Contains(ch.Shod, m.Name) {
				p.Changes = append(p.Changes, ch)
			}
		}
		b.Pairs = append(b.Pairs, p)
	}
	if len(b.Pairs) > 0 {
		b.Now = &b.Pairs[at-1]
		b.Prev, b.Next = (at-2+len(list))%len(list)+1, at%len(list)+1
		b.Again = b.Now.again(fit)
		b.feet(fit)
	}
	for _, name := range record.Lacings {
		b.Lacings = append(b.Lacings, lacing{name, draw.Lacing(name), draw.LacingSteps(name)})
	}
	if len(b.Answer.Next) == 2 {
		b.Left, b.Right = b.Answer.Next[0], b.Answer.Next[1]
		// Which stands on the left changes from one comparison to the next.
		if len(fit.Comparisons())%2 == 1 {
			b.Left, b.Right = b.Right, b.Left
		}
	}
	for _, x := range fit.Comparisons() {
		b.Made = append(b.Made, made{catalogue.Name(x.Left), catalogue.Name(x.Right), catalogue.Name(x.Better)})
	}
	for _, r := range answer.Ranked {
		if !slices.Contains(set, r.Model) && len(b.Others) < 100 {
			b.Others = append(b.Others, kit.Option{Value: r.Model, Text: catalogue.Name(r.Model)})
		}
	}
	return b, nil
}

// pairsOf are the models of the set in every size and width that they are tried in.
func pairsOf(fit *record.Conclusions, set []string) []pair {
	var list []pair
	for _, code := range set {
		m, trials := fit.Shop.Catalogue.ByCode(code), fit.Trials(fit.Shop.Catalogue.RowID(code))
		for _, t := range trials {
			p := pair{At: len(list) + 1, Trial: t, M: m, Several: len(trials) > 1}
			if in, ok := fit.In(m, t); ok {
				p.In = &in
			}
			list = append(list, p)
		}
	}
	return list
}

// scanned is the box that was scanned, nil where none was.
func scanned(c *kit.Req, bn *bench.Bench, fit *record.Conclusions) (*record.InHand, error) {
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

// scan opens the box of a barcode: its model comes into the set where it is not in it yet.
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
		if err == nil {
			err = putIn(c, b, fit, box.Model)
		}
		return b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "try-on")+"?box="+box.Code)
	}
}

// putIn puts a model into the set that is not in it.
func putIn(c *kit.Req, b *bench.Bench, fit *record.Conclusions, model uint64) error {
	m := fit.Shop.Catalogue.ByID(model)
	set, err := fit.TryOnSet()
	if err != nil || m == nil || slices.Contains(set, m.ID) || !fit.Open() {
		return err
	}
	_, err = b.App.Visits.SetInTryOn(c.Ctx(), c.Who, fit.ID, m.ID, true)
	return err
}

// measured keeps the length of an insole of the model that is tried.
func measured(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		form, v, err := kit.Decode(c, shelf.InsoleFields, "model", "pair")
		if err == nil {
			err = b.App.Shelf.AddInsole(c.Ctx(), c.Who, fit.Shop.Catalogue.RowID(form.Get("model")), v["insole_size"].Ptr(), v["insole_mm"].Ptr())
		}
		return b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "try-on")+"?pair="+url.QueryEscape(form.Get("pair")))
	}
}

// tryAgain puts a model into the set in another size or width, too.
func tryAgain(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		form, v, err := kit.Decode(c, visit.AgainFields, "model")
		var saved visit.Saved
		if err == nil {
			saved, err = b.App.Visits.TryAgain(c.Ctx(), c.Who, fit.ID, form.Get("model"), v["again_size"].Number, v["again_width"].Text)
		}
		to := b.SavedURL(fit, "try-on", saved)
		if err == nil {
			to, err = lastOf(c, b, form.Get("model"), to)
		}
		return b.Done(c, Station(), fit, form, err, to)
	}
}

// lastOf leads to the last pair of a model in the set.
func lastOf(c *kit.Req, b *bench.Bench, model, to string) (string, error) {
	fit, err := b.Load(c)
	if err != nil {
		return to, err
	}
	set, err := fit.TryOnSet()
	at := 0
	for _, p := range pairsOf(fit, set) {
		if p.M.ID == model {
			at = p.At
		}
	}
	return fmt.Sprintf("%s&pair=%d", to, at), err // it holds what was saved, so it has a query
}

// Short is the size and width in which the pair is tried, in a few letters.
func (p pair) Short() string {
	if p.In == nil {
		return ""
	}
	return fmt.Sprintf("UK %g %s · ", p.In.Figure.UK(p.M.Chart), p.In.Width)
}

// is says whether a pair is tried in a size and width.
func (p *pair) is(size foot.Figure, width string) bool {
	return p.In != nil && p.In.Figure == size && p.In.Width == width
}

// mostAside is how many sizes to either side of the present one can be tried, too.
const mostAside = 3

// again are the sizes near the present one that leave the least room, and the widths made.
func (p *pair) again(fit *record.Conclusions) again {
	var a again
	if p.In == nil || p.Size == nil {
		return a
	}
	at := slices.Index(p.M.SizesUK, p.In.Figure)
	for i, s := range p.M.SizesUK {
		if room, ok := fit.RoomIn(p.M, s); i < at-mostAside || i > at+mostAside || ok && room < match.LeastRoomMM {
			continue
		}
		a.Sizes = append(a.Sizes, kit.Option{Value: figured(s), Text: p.M.Label(s, "")})
	}
	for _, w := range p.M.Widths {
		a.Widths = append(a.Widths, kit.Option{Value: w, Text: w})
	}
	a.Size, a.Width = figured(p.Size.Figure), p.Size.Width
	a.Proposed = !p.is(p.Size.Figure, p.Size.Width) && !p.Several
	if len(a.Sizes)*len(a.Widths) < 2 {
		return again{}
	}
	return a
}

func figured(f foot.Figure) string { return strconv.FormatFloat(float64(f), 'f', -1, 64) }

// Figure is the size that is proposed, as an input holds it.
func (p *pair) Figure() string {
	if p.Size == nil {
		return ""
	}
	return figured(p.Size.Figure)
}

// Sizes are those that a model is made in, for its insole.
func (p *pair) Sizes() []kit.Option {
	var out []kit.Option
	for _, s := range p.M.SizesUK {
		out = append(out, kit.Option{Value: figured(s), Text: p.M.Label(s, "")})
	}
	return out
}

// LeadWords says who leads, by the models' names.
func (b body) LeadWords() string {
	why := b.Answer.Why
	for _, r := range b.Answer.Ranked {
		why = strings.Replace(why, r.Pair, b.NameOf(r.Pair), 1)
	}
	return why
}

// Leader is the pair to propose: the leading one, else the most comfortable.
func (b body) Leader() string {
	if len(b.Made) > 0 {
		return b.Answer.Ranked[0].Pair
	}
	best, code := -1.0, ""
	for _, p := range b.Pairs {
		if v, err := strconv.ParseFloat(p.Comfort, 64); err == nil && v > best {
			best, code = v, p.M.ID
		}
	}
	return code
}

// Bar is a chance's bar, 0 to 100.
func (b body) Bar(code string) string {
	return strconv.FormatFloat(100*b.Answer.PBest[code], 'f', 1, 64)
}

// feet are both feet with the places at which the pair presses.
func (b *body) feet(fit *record.Conclusions) {
	on := record.TryPressure.Of(fit.Visit, b.Now.Trial)
	for _, s := range term.Sides {
		f := footboard{Side: s, Drawing: draw.TopFoot(s, fit.Foot(s))}
		for _, p := range record.PressurePlaces {
			value := string(s) + "_" + p
			f.Places = append(f.Places, place{value, string(s) + " " + strings.ReplaceAll(p, "_", " "), "p-" + value, slices.Contains(on, value)})
		}
		b.Feet = append(b.Feet, f)
	}
}

func extra(b *bench.Bench) []kit.Route {
	route := func(path, at string, do func(*kit.Req, *record.Conclusions) (visit.Saved, error)) kit.Route {
		return kit.Route{Method: http.MethodPost, Path: "/fits/:fit/try-on/" + path, Roles: kit.Everyone, Handle: func(c *kit.Req) error {
			fit, err := b.Load(c)
			if err != nil {
				return err
			}
			saved, err := do(c, fit)
			return b.Done(c, Station(), fit, nil, err, b.SavedURL(fit, "try-on", saved)+at)
		}}
	}
	return []kit.Route{
		{Method: http.MethodPost, Path: "/fits/:fit/try-on/scan", Roles: kit.Everyone, Handle: scan(b)},
		{Method: http.MethodPost, Path: "/fits/:fit/try-on/again", Roles: kit.Everyone, Handle: tryAgain(b)},
		{Method: http.MethodPost, Path: "/fits/:fit/try-on/insole", Roles: kit.Everyone, Handle: measured(b)},
		route("compare", "#versus", func(c *kit.Req, fit *record.Conclusions) (visit.Saved, error) {
			form, err := kit.Form(c, kit.Known("on_left", "on_right", "better"))
			if err != nil {
				return visit.Saved{}, err
			}
			return b.App.Visits.Compare(c.Ctx(), c.Who, fit.ID, form.Get("on_left"), form.Get("on_right"), form.Get("better"))
		}),
		route("set", "", func(c *kit.Req, fit *record.Conclusions) (visit.Saved, error) {
			form, err := kit.Form(c, kit.Known("model", "in"))
			if err != nil {
				return visit.Saved{}, err
			}
			return b.App.Visits.SetInTryOn(c.Ctx(), c.Who, fit.ID, form.Get("model"), form.Get("in") == "yes")
		}),
	}
}
