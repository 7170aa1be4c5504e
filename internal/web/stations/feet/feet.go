// Package feet is the station where both feet are measured standing.
package feet

import (
	"embed"
	"fmt"
	"html/template"
	"math"
	"math/rand/v2"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/prints"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/footprint"
	"trevik/internal/core/strict"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/device"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

// side is what one foot comes to.
type side struct {
	Side     term.Side
	Length   foot.Reading
	Ball     foot.Reading
	Size     *foot.Size
	Fault    string
	Standard float64 // mm, the standard ball width at this length
}

// arch is what one foot's heights come to.
type arch struct {
	Side      term.Side
	Index     float64
	Class     term.Arch
	Give      float64
	Stiffness string
	Drop      float64
	DropWord  string
	Volume    term.Volume
	Insteps   bool
	Drops     bool
}

type body struct {
	Sides    []side
	Arches   []arch
	Both     bool
	Diff     foot.Difference
	Drawing  template.HTML
	Ask      []string
	Apart    []string // hand against scanner and outline
	Believed string
	Earlier  []*record.Visit
	Growing  bool
	Again    time.Time
	Curve    template.HTML
	Scanned  bool // or traced
	Traced   []traced
	Pen      string // what ships, in the reader's unit
}

// traced is a traced foot's picture with the error of what was read off it, mm.
type traced struct {
	prints.Outline
	SD  float64
	Pen string // its thickness, in the reader's unit
}

// penIn is a pen's thickness in a unit, as an input holds it.
func penIn(u units.System, mm float64) string {
	return strconv.FormatFloat(units.Round(u.FromMM(mm), 2), 'f', -1, 64)
}

// View is the part of the picture that the foot and its line lie in.
func (t traced) View() string {
	points := slices.Clone(t.Options.Read.Outline)
	for _, q := range t.Options.Drawn {
		points = append(points, [2]float64{q.X, q.Y})
	}
	return kit.ViewOf(t.Width, t.Height, points)
}

// lineSays is what is told of a drawn line, by the reader's own flags.
var lineSays = map[string]string{
	"open_line":   "The line is open at one place; the way over it is guessed.",
	"double_line": "The line is drawn twice over a good part; its middle is taken.",
	"cut_off":     "A part of it lies at the edge of what is read of the sheet.",
	"blurred":     "The line is thick, or the photo is not sharp.",
}

// Says is what is told of the drawn line.
func (t traced) Says() (out []string) {
	for _, f := range t.Options.Read.Quality.Flags {
		out = append(out, lineSays[f])
	}
	return out
}

// Path is its outline as an SVG path.
func (t traced) Path() string {
	var p strings.Builder
	for i, q := range t.Options.Read.Outline {
		fmt.Fprintf(&p, "%c%.1f %.1f", "ML"[min(i, 1)], q[0], q[1])
	}
	return p.String() + "Z"
}

// Drawn is the drawn line as an SVG path.
func (t traced) Drawn() string {
	var p strings.Builder
	for i, q := range t.Options.Drawn {
		fmt.Fprintf(&p, "%c%.1f %.1f", "ML"[min(i, 1)], q.X, q.Y)
	}
	return p.String() + "Z"
}

// grips is how many places of the drawn line a keyboard reaches.
const grips = 12

// Grips are those.
func (t traced) Grips() []footprint.Point {
	var out []footprint.Point
	for i := range min(grips, len(t.Options.Drawn)) {
		out = append(out, t.Options.Drawn[i*len(t.Options.Drawn)/grips])
	}
	return out
}

// Station is Feet.
func Station() bench.Station {
	return bench.Station{Path: "feet", Name: "Feet",
		Lead:     "Both feet, standing, weight on both, in the socks they run in. Each length and width twice.",
		Template: bench.Parse(files),
		Extra:    extra, Body: visited}
}

// visited is what the feet come to, with the visits before.
func visited(c *kit.Req, bn *bench.Bench, fit *record.Conclusions) (any, error) {
	b := bodyOf(fit)
	var err error
	if b.Earlier, err = bn.App.Visits.EarlierFeet(c.Ctx(), c.Who, fit); err != nil {
		return nil, err
	}
	b.Pen = penIn(fit.Units, footprint.PenMM)
	outlines, err := bn.App.Prints.Outlines(c.Ctx(), c.Who, fit.ID)
	if err != nil {
		return nil, err
	}
	for _, s := range term.Sides {
		if o, ok := outlines[s]; ok {
			b.Traced = append(b.Traced, traced{o, footprint.OutlineSD(o.Options.Read.Quality.Score), penIn(fit.Units, o.Options.PenMM)})
		}
	}
	var before []foot.Feet
	for _, v := range b.Earlier {
		before = append(before, v.Feet())
	}
	b.Drawing = draw.Feet(fit.Feet(), fit.Units, feetScale, before...)
	if b.Growing, b.Again = fit.Growing(); b.Growing {
		var grown []draw.Grown
		for _, v := range b.Earlier {
			grown = append(grown, draw.Grown{On: v.StartedAt, Feet: v.Feet()})
		}
		b.Curve = draw.Growth(append(grown, draw.Grown{On: fit.StartedAt, Feet: fit.Feet()}), fit.Units)
	}
	return b, nil
}

// extra takes a scan: from the scanner on the bench, or from its file.
func extra(b *bench.Bench) []kit.Route {
	take := func(c *kit.Req, scan func() (device.Scan, error)) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		s, err := scan()
		if err == nil {
			_, err = b.App.Visits.RecordScan(c.Ctx(), c.Who, fit.ID, s)
		}
		if faults, ok := fault.As(err); ok {
			for i := range faults {
				faults[i].Field = "scan." + faults[i].Field
			}
			return b.Show(c, Station(), fit, nil, faults)
		}
		if err != nil {
			return err
		}
		return kit.Go(c, bench.URL(fit.ID, "feet"))
	}
	return []kit.Route{
		{Method: http.MethodPost, Path: "/fits/:fit/scan", Roles: kit.Everyone, Handle: func(c *kit.Req) error {
			return take(c, func() (device.Scan, error) {
				if _, err := kit.Form(c, kit.Known()); err != nil {
					return device.Scan{}, err
				}
				return device.NewScanner(rand.Uint64N(1 << 32)).Scan, nil
			})
		}},
		{Method: http.MethodPost, Path: "/fits/:fit/scan-file", Roles: kit.Everyone,
			Handle: func(c *kit.Req) error { return take(c, func() (device.Scan, error) { return scanFile(c) }) }},
		{Method: http.MethodPost, Path: "/fits/:fit/outline", Roles: kit.Everyone, Handle: func(c *kit.Req) error { return trace(b, c) }},
		{Method: http.MethodGet, Path: "/fits/:fit/outline/:side/picture", Roles: kit.Everyone, Handle: onSide(b, picture)},
		{Method: http.MethodPost, Path: "/fits/:fit/outline/:side/adjust", Roles: kit.Everyone, Free: true, Handle: onSide(b, adjust)},
		{Method: http.MethodPost, Path: "/fits/:fit/outline/:side/delete", Roles: kit.Everyone, Handle: onSide(b, remove)},
	}
}

// onSide is a handler of one foot's outline.
func onSide(b *bench.Bench, do func(*bench.Bench, *kit.Req, *record.Conclusions, term.Side) error) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		s := term.Side(c.Param("side"))
		if !slices.Contains(term.Sides, s) {
			return app.ErrNotFound
		}
		return do(b, c, fit, s)
	}
}

// trace takes the picture of a traced foot and reads it.
func trace(b *bench.Bench, c *kit.Req) error {
	fit, err := b.Load(c)
	if err != nil {
		return err
	}
	var l fault.List
	data, err := kit.Picture(c, "photo")
	if faults, ok := fault.As(err); ok {
		l.Add("outline.photo", "%s", faults[0].Text)
	} else if err != nil {
		return err
	}
	keep := c.PostForm("keep")
	if keep != "yes" && keep != "no" {
		l.Add("outline.keep", "is missing; say whether the picture may be kept")
	}
	opt := prints.OutlineOptions{Side: term.Side(c.PostForm("side")), PenMM: penOf(&l, c.PostForm("pen_mm"), fit.Units)}
	if opt.Side != "" {
		fault.OneOf(&l, "outline.side", opt.Side, term.Sides)
	}
	if len(l) == 0 {
		_, err = b.App.Prints.AddOutline(c.Ctx(), c.Who, fit.ID, data, opt, keep == "yes")
		if faults, ok := fault.As(err); ok {
			for _, f := range faults {
				l.Add("outline."+f.Field, "%s", f.Text)
			}
		} else if err != nil {
			return err
		}
	}
	if len(l) > 0 {
		return b.Show(c, Station(), fit, nil, l)
	}
	return kit.Go(c, bench.URL(fit.ID, "feet")+"#h-outline")
}

// penOf reads a pen's thickness as it was typed in the reader's unit, mm; empty is what ships.
func penOf(l *fault.List, typed string, u units.System) float64 {
	typed = strings.TrimSpace(strings.Replace(typed, ",", ".", 1))
	if typed == "" {
		return footprint.PenMM
	}
	v, err := strconv.ParseFloat(typed, 64)
	if v = u.ToMM(v); err != nil || !(v >= 0 && v <= 20) {
		l.Add("outline.pen_mm", "is %s %s; allowed is 0 to 20 mm", typed, u.LengthUnit())
	}
	return v
}

func picture(b *bench.Bench, c *kit.Req, fit *record.Conclusions, s term.Side) error {
	data, _, err := b.App.Prints.OutlineData(c.Ctx(), c.Who, fit.ID, s)
	if err != nil {
		return err
	}
	return c.Picture(data)
}

// adjust reads a traced foot again with another pen, or with the axis or the line where a hand put it.
func adjust(b *bench.Bench, c *kit.Req, fit *record.Conclusions, s term.Side) error {
	form, err := kit.Form(c, kit.Known("pen_mm", "axis", "through", "reset"))
	if err != nil {
		return err
	}
	all, err := b.App.Prints.Outlines(c.Ctx(), c.Who, fit.ID)
	if err != nil {
		return err
	}
	o, there := all[s]
	if !there {
		return app.ErrNotFound
	}
	var l fault.List
	if v := form.Get("through"); v != "" {
		var p footprint.Point
		if n, err := fmt.Sscanf(v, "%f,%f", &p.X, &p.Y); n != 2 || err != nil {
			l.Add("outline.through", "is %.40q; allowed are two numbers", v)
		}
		o.LeadThrough(p)
	}
	opt := o.Options
	if form.Has("pen_mm") {
		opt.PenMM = penOf(&l, form.Get("pen_mm"), fit.Units)
	}
	if form.Get("reset") == "yes" {
		opt.Axis, opt.Through = nil, nil
	}
	if v := form.Get("axis"); v != "" {
		var a footprint.Axis
		if n, err := fmt.Sscanf(v, "%f,%f,%f,%f", &a.Heel.X, &a.Heel.Y, &a.Toe.X, &a.Toe.Y); n != 4 || err != nil {
			l.Add("outline.axis", "is %.40q; allowed are four numbers", v)
		}
		opt.Axis = &a
	}
	if err = l.Err(); err == nil {
		err = b.App.Prints.AdjustOutline(c.Ctx(), c.Who, fit.ID, s, opt)
	}
	// The address changes, so that the browser loads the page anew.
	return b.Done(c, Station(), fit, nil, err, fmt.Sprintf("%s?read=%d#h-outline", bench.URL(fit.ID, "feet"), time.Now().UnixMilli()))
}

func remove(b *bench.Bench, c *kit.Req, fit *record.Conclusions, s term.Side) error {
	_, err := kit.Form(c, kit.Known())
	if err == nil {
		err = b.App.Prints.DeleteOutline(c.Ctx(), c.Who, fit.ID, s)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, bench.URL(fit.ID, "feet")+"#h-outline")
}

// feetScale is how large both feet are drawn beside their form, px a mm.
const feetScale = 1.2

// maxScan is the largest scan file, in bytes.
const maxScan = 1 << 20

// scanFile reads a scanner's file.
func scanFile(c *kit.Req) (s device.Scan, err error) {
	_, data, err := kit.One(c, "scan", maxScan, "is missing; choose a scanner's JSON file")
	if err != nil {
		return s, err
	}
	return s, strict.Decode(data, &s)
}

func bodyOf(fit *record.Conclusions) body {
	f := fit.Feet()
	b := body{Believed: record.BelievedSize.Of(fit.Visit), Diff: foot.Compare(f, fit.House()),
		Both: f.Left.LengthMM > 0 && f.Right.LengthMM > 0}
	var once []string
	for _, s := range term.Sides {
		x := side{Side: s, Length: fit.Measured(record.LengthMeasure, s), Ball: fit.Measured(record.BallMeasure, s)}
		b.Scanned = b.Scanned || fit.Scanned(record.LengthMeasure, s) != nil || fit.Traced(record.LengthMeasure, s) != nil
		b.Arches = appendArch(b.Arches, fit, s)
		if x.Length.N == 0 {
			continue
		}
		size, err := fit.SizeOf(s)
		x.Size = size
		if faults, ok := fault.As(err); ok {
			x.Fault = faults[0].Text
		}
		x.Standard = units.Round(foot.StandardBall(fit.Runner.Chart, x.Length.Value, fit.House()), 1)
		b.Sides = append(b.Sides, x)
		for _, m := range []record.Measure{record.LengthMeasure, record.BallMeasure} {
			for _, d := range fit.ApartFrom(m, s) {
				b.Apart = append(b.Apart, "Hand and "+d.By+" are "+fit.Units.Length(math.Abs(d.MM))+" apart in the "+string(s)+" foot's "+m.What+
					". Measure again, or say which counts.")
			}
		}
		if share := fit.OddBall(s); share != 0 {
			b.Apart = append(b.Apart, fmt.Sprintf("The %s heel-to-ball is %.0f %% of the foot's length; of a foot it is %g to %g %%. It does not "+
				"count: measure both again.",
				s, 100*share, 100*foot.MinBallShare, 100*foot.MaxBallShare))
		}
		for _, m := range slices.Concat(record.SizeMeasures, record.ArchMeasures) {
			r := fit.Reading(m, s)
			if r.NeedsThird {
				b.Ask = append(b.Ask, "The two "+m.What+" readings of the "+string(s)+" foot are "+fit.Units.Length(math.Abs(r.Apart))+" apart: take "+
					"a third, and the median counts.")
			} else if r.N == 1 && fit.Scanned(record.LengthMeasure, s) == nil {
				once = append(once, string(s)+" "+m.What)
			}
		}
	}
	if len(once) > 0 {
		b.Ask = append(b.Ask, "Measured once so far, take it again: "+strings.Join(once, ", ")+".")
	}
	if len(b.Sides) == 1 {
		b.Ask = append(b.Ask, "Measure the other foot too: nearly everyone has one longer or wider.")
	}
	if b.Diff.Implausible {
		b.Ask = append(b.Ask, "The feet differ by more than 15 mm. Kept, but measure both again.")
	}
	return b
}

// appendArch adds what a foot's heights come to, where there are any.
func appendArch(list []arch, fit *record.Conclusions, s term.Side) []arch {
	m := fit.Foot(s)
	x := arch{Side: s, Volume: fit.Volume(s)}
	x.Index, x.Class = foot.ArchHeight(m.InstepMM, m.HeelToBallMM)
	seated, _ := foot.ArchHeight(fit.Reading(record.ArchMeasures[0], s).Value, m.HeelToBallMM)
	x.Give, x.Stiffness, x.Insteps = foot.Stiffness(seated, x.Index, fit.House())
	x.Drop, x.DropWord, x.Drops = fit.NavicularDrop(s)
	if x.Class == "" && !x.Drops && m.InstepMM == 0 {
		return list
	}
	return append(list, x)
}
