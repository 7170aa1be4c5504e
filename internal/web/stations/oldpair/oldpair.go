// Package oldpair is the station of the pair that the runner came in: its soles zone
// by zone, what hands find on it, and whether it felt right.
package oldpair

import (
	"embed"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"slices"
	"strconv"

	"trevik/internal/app"
	"trevik/internal/app/visit"
	"trevik/internal/core/fault"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

// zone is a part of a sole under a finger.
type zone struct {
	Name  support.Zone
	Input string
	Err   string // the id of its error's place
	Gone  int
	Next  int // what a tap makes of it
}

type pattern struct {
	Name     string
	Strength float64
}

type side struct {
	Lies     term.Side // as which side it lies: the other one, seen from below
	Side     term.Side
	Drawing  template.HTML
	Heel     template.HTML // the shoe from behind, tipped as its heel is worn
	Zones    []zone
	Worn     bool
	Gone     float64
	Even     float64
	Patterns []pattern
	Photo    *visit.SolePhoto
}

// own is one of the runner's pairs.
type own struct {
	ID    uint64
	Name  string
	Since string
	Here  bool // they came in it
}

type body struct {
	Above      bool // the soles are seen from above, not as they are held
	Level      string
	FeltRight  string
	BelievedUS string
	Drop       *float64
	Sizes      []string // what was measured, beside what was believed
	Sides      []side
	Says       []string
	Own        []own // the runner's pairs that they had from here
	CameIn     string
	Look       *record.SoleLook
	Guess      term.Level
	Chance     float64
	Verdict    *record.OldVerdict
}

// Station is Old pair.
func Station() bench.Station {
	return bench.Station{Path: "old-pair", Name: "Old pair",
		Lead:     "What they came in: how its soles are worn, which support it was, and whether it felt right.",
		Template: bench.Parse(files), Extra: extra,
		Body: func(c *kit.Req, bn *bench.Bench, fit *record.Conclusions) (any, error) {
			b := body{Level: string(record.PresentLevel.Of(fit.Visit)), FeltRight: record.FeltRight.Of(fit.Visit),
				Above:      c.Query("view") == "above",
				BelievedUS: record.BelievedSize.Of(fit.Visit), Drop: record.PresentDrop.Ptr(fit.Visit)}
			b.Guess, b.Chance, _ = fit.OldPair().Guess()
			for _, s := range term.Sides {
				if size, err := fit.SizeOf(s); err == nil && size != nil {
					b.Sizes = append(b.Sizes, sizeWords(s, size.US, size.UK, size.EU))
				}
				b.Sides = append(b.Sides, sideOf(fit, s, !b.Above))
			}
			came, _ := fit.CameIn()
			for _, p := range fit.Runner.Pairs {
				o := own{p.ID, p.Name() + ", " + p.Label(), kit.LongDay(p.BoughtOn), p.ID == came}
				if o.Here {
					b.CameIn = p.Name()
				}
				b.Own = append(b.Own, o)
			}
			if look, ok := fit.LookOf(); ok && b.CameIn != "" {
				b.Look = &look
			}
			photos, err := bn.App.Visits.SolePhotos(c.Ctx(), c.Who, fit.ID)
			if err != nil {
				return nil, err
			}
			for i := range b.Sides {
				for _, p := range photos {
					if p.Side == b.Sides[i].Side {
						b.Sides[i].Photo = &p
					}
				}
			}
			verdict, known, err := fit.OldVerdict()
			if err != nil {
				return nil, err
			}
			if known {
				b.Verdict = &verdict
			}
			b.Says = says(b)
			if record.Jump.Of(fit.Visit) && fit.HasHealth() {
				b.Says = append(b.Says, "Training went up lately, and something hurts: ask about that before the shoe is blamed.")
			}
			return b, nil
		}}
}

// anyShoe is what an old pair looks like from behind, and tipPerGrade how far it tips for each grade by
// which one side of its heel is worn more, degrees: some three times what rubber gives.
var anyShoe = shoe.Model{Class: term.Daily, StackHeelMM: 33, StackForefootMM: 25}

const tipPerGrade = 2.0

func sideOf(fit *record.Conclusions, s term.Side, below bool) side {
	sole, ok := fit.Sole(s)
	x := side{Side: s, Lies: draw.Lies(s, below), Drawing: draw.Sole(s, below, sole),
		Heel: draw.ShoeRear(&anyShoe, s, tipPerGrade*float64(sole[0]-sole[2])), Worn: ok && sole.Gone() > 0, Gone: sole.Gone(),
		Even: sole.Evenness()}
	for i, name := range support.Zones {
		input := record.SoleZone.Key(s, i+1).Input()
		x.Zones = append(x.Zones, zone{name, input, "err-" + kit.ControlID(input), sole[i], (sole[i] + 1) % (support.MostGone + 1)})
	}
	w := sole.Patterns()
	for _, p := range []pattern{{"outer_heel", w.OuterHeel}, {"inner", w.Inner}, {"outer_edge", w.OuterEdge}, {"heel", w.Heel},
		{"centre", w.Centre}, {"even", w.Even}} {
		if p.Strength >= shown && x.Worn {
			x.Patterns = append(x.Patterns, p)
		}
	}
	return x
}

// House values of what is said of a sole.
const (
	shown    = 0.1 // a weaker pattern is not worth a word
	strong   = 0.3
	unlike   = 0.1 // of a sole, that left and right differ
	tippedBy = 0.3
)

// means is what each pattern tells.
var means = map[string]string{
	"outer_heel": "the outer heel, which is usual, even in neutral runners",
	"inner":      "the inner side: the foot pronates",
	"outer_edge": "the outer edge: the foot rolls out, or the pair pushes it out",
	"heel":       "the whole heel: the foot lands far ahead",
	"centre":     "the centre: the foot drags",
}

func says(b body) []string {
	var out []string
	for _, s := range b.Sides {
		for _, p := range s.Patterns {
			text, told := means[p.Name]
			if !told || p.Strength < strong {
				continue
			}
			if p.Name == "outer_edge" && term.Level(b.Level).Rung() >= term.Guidance.Rung() {
				text = "the outer edge: with a pair of " + support.Words(b.Level) + " the pair is blamed first, it may support too much"
			}
			out = append(out, fmt.Sprintf("The %s sole is worn on %s.", s.Side, text))
		}
	}
	l, r := b.Sides[0], b.Sides[1]
	if l.Worn && r.Worn && math.Abs(l.Gone-r.Gone) > unlike {
		more := term.Left
		if r.Gone > l.Gone {
			more = term.Right
		}
		out = append(out, fmt.Sprintf("The %s sole is worn more, by %.0f %% of a sole.", more, 100*math.Abs(l.Gone-r.Gone)))
	}
	for _, s := range b.Sides {
		if s.Worn && s.Even < 1-tippedBy {
			out = append(out, "Uneven wear tips the runner at every step and feeds its own cause, most in a tall shoe.")
			break
		}
	}
	return out
}

func sizeWords(s term.Side, us, uk, eu float64) string {
	return fmt.Sprintf("%s US %g, UK %g, EU %g", s, us, uk, eu)
}

func extra(b *bench.Bench) []kit.Route {
	route := func(method, path string, do func(*bench.Bench, *kit.Req, *record.Conclusions) error) kit.Route {
		return kit.Route{Method: method, Path: "/fits/:fit/old-pair/" + path, Roles: kit.Everyone, Handle: func(c *kit.Req) error {
			fit, err := b.Load(c)
			if err != nil {
				return err
			}
			return do(b, c, fit)
		}}
	}
	return []kit.Route{route(http.MethodPost, "own", cameIn), route(http.MethodPost, "photo", upload),
		route(http.MethodGet, "photos/:photo", photo), route(http.MethodPost, "photos/:photo/delete", remove)}
}

// cameIn says which of their own pairs the runner came in.
func cameIn(b *bench.Bench, c *kit.Req, fit *record.Conclusions) error {
	form, err := kit.Form(c, kit.Known("pair"))
	if err != nil {
		return err
	}
	pair, err := strconv.ParseUint(form.Get("pair"), 10, 53)
	if err != nil {
		return app.ErrNotFound
	}
	saved, err := b.App.Visits.SetCameIn(c.Ctx(), c.Who, fit.ID, pair)
	return b.Done(c, Station(), fit, form, err, b.SavedURL(fit, "old-pair", saved))
}

// upload keeps a photo of a sole.
func upload(b *bench.Bench, c *kit.Req, fit *record.Conclusions) error {
	data, err := kit.Picture(c, "photo")
	side := term.Side(c.PostForm("side"))
	if err == nil && !slices.Contains(term.Sides, side) {
		err = fault.List{{Field: "photo", Text: "is of no side; allowed is left or right"}}
	}
	if err == nil {
		err = b.App.Visits.AddSolePhoto(c.Ctx(), c.Who, fit.ID, side, data)
	}
	// A fault stands at the file's own place.
	if faults, ok := fault.As(err); ok {
		for i := range faults {
			faults[i].Field = "photo." + string(side)
		}
		err = faults
	}
	return b.Done(c, Station(), fit, nil, err, bench.URL(fit.ID, "old-pair"))
}

func photo(b *bench.Bench, c *kit.Req, fit *record.Conclusions) error {
	id, err := kit.RowID(c, "photo")
	var data []byte
	if err == nil {
		data, err = b.App.Visits.SolePhotoData(c.Ctx(), c.Who, fit.ID, id)
	}
	if err != nil {
		return err
	}
	return c.Picture(data)
}

func remove(b *bench.Bench, c *kit.Req, fit *record.Conclusions) error {
	id, err := kit.RowID(c, "photo")
	if err == nil {
		_, err = kit.Form(c, kit.Known())
	}
	if err == nil {
		err = b.App.Visits.DeleteSolePhoto(c.Ctx(), c.Who, fit.ID, id)
	}
	return b.Done(c, Station(), fit, nil, err, bench.URL(fit.ID, "old-pair"))
}
