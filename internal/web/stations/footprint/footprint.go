// Package footprint is the station of the arch: a photo of a wet print, read and
// put right by hand, or the arch as the fitter sees it.
package footprint

import (
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"trevik/internal/app"
	"trevik/internal/app/prints"
	"trevik/internal/core/fault"
	core "trevik/internal/core/footprint"
	"trevik/internal/core/house"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/sheet"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

type side struct {
	Side    term.Side
	Arch    term.Arch
	Drawing template.HTML
	P       *support.ArchProbability
	Pic     *prints.Picture
	A       *core.Answer
	Says    []string
	Level   float64
}

type body struct {
	Sides  []side
	Ask    bool
	Paper  core.Paper
	Papers []core.Paper
}

// Station is Print.
func Station() bench.Station {
	return bench.Station{Path: "print", Name: "Print",
		Lead:     "A wet foot on paper: read from a photo and put right by hand, or the arch as you see it.",
		Template: bench.Parse(files), Body: bodyOf, Extra: extra}
}

func bodyOf(c *kit.Req, bn *bench.Bench, fit *record.Conclusions) (any, error) {
	pics, err := bn.App.Prints.Pictures(c.Ctx(), c.Who, fit.ID)
	if err != nil {
		return nil, err
	}
	longest := math.Max(fit.Foot(term.Left).LengthMM, fit.Foot(term.Right).LengthMM)
	b := body{Paper: core.PaperFor(longest), Papers: core.Papers}
	for _, s := range term.Sides {
		x := side{Side: s, Arch: record.ArchSeen.Of(fit.Visit, s), P: fit.ArchOf(s), A: fit.PrintReading(s), Level: 0.5}
		if x.Arch != "" {
			x.Drawing = draw.Print(s, x.Arch)
			b.Ask = b.Ask || x.P == nil
		}
		if p, ok := pics[s]; ok {
			x.Pic = &p
			a, err := bn.App.Prints.Read(c.Ctx(), c.Who, fit.ID, p)
			if err != nil {
				return nil, err
			}
			x.A = &a
			if p.Options.Level > 0 {
				x.Level = p.Options.Level
			}
		}
		if x.A != nil {
			x.Says = says(*x.A, fit.House())
		}
		b.Sides = append(b.Sides, x)
	}
	return b, nil
}

// says is a reading in three sentences.
func says(a core.Answer, h *house.Values) []string {
	p := a.ArchProbability
	most := math.Max(p.High, math.Max(p.Medium, p.Low))
	first := fmt.Sprintf("This print is of a %s arch: its middle third is %.1f %% of the print without toes (high up to 21, low from 26).",
		a.Arch, 100*a.ArchIndex)
	second := fmt.Sprintf("The reading is good to about ± %.1f, so the class is right with %.0f %%.", 100*core.IndexSD(a.Quality.Score),
		100*most)
	if most < 0.7 {
		second = fmt.Sprintf("It lies on the line: high %.0f %%, medium %.0f %%, low %.0f %%.", 100*p.High, 100*p.Medium, 100*p.Low)
	}
	var others []string
	for _, o := range a.Opinions(h) {
		others = append(others, fmt.Sprintf("%s %g%s is %s", o.Measure, o.Value, o.Unit, o.Word))
	}
	return []string{first, second, fmt.Sprintf("Second opinions: %s. A low arch does not by itself mean pronation.",
		strings.Join(others, ", "))}
}

// View is the part of the picture that the print lies in, with a margin, as an SVG's view box.
func (x side) View() string {
	points := append(slices.Clone(x.A.Outline), x.A.Axis.Heel, x.A.Axis.Toe)
	for _, t := range x.A.Toes {
		points = append(points, t...)
	}
	return kit.ViewOf(x.Pic.Width, x.Pic.Height, points)
}

// Path writes points as an SVG path.
func (side) Path(points [][2]float64) string {
	var b strings.Builder
	for i, p := range points {
		if i == 0 {
			b.WriteByte('M')
		} else {
			b.WriteByte('L')
		}
		fmt.Fprintf(&b, "%g %g", p[0], p[1])
	}
	if len(points) > 0 {
		b.WriteByte('Z')
	}
	return b.String()
}

func extra(b *bench.Bench) []kit.Route {
	route := func(method, path string, do func(*bench.Bench, *kit.Req, *record.Conclusions, term.Side) error) kit.Route {
		return kit.Route{Method: method, Path: "/fits/:fit/print/:side/" + path, Roles: kit.Everyone, Free: path == "adjust",
			Handle: func(c *kit.Req) error {
				fit, err := b.Load(c)
				s := term.Side(c.Param("side"))
				if err == nil && !slices.Contains(term.Sides, s) {
					err = app.ErrNotFound
				}
				if err != nil {
					return err
				}
				return do(b, c, fit, s)
			}}
	}
	return []kit.Route{
		route(http.MethodGet, "picture", photo), route(http.MethodPost, "photo", upload), route(http.MethodPost, "adjust", adjust),
		route(http.MethodPost, "delete", remove),
		{Method: http.MethodGet, Path: "/sheet", Roles: kit.Everyone, Handle: printSheet},
	}
}

// printSheet is the sheet to print, as SVG or PDF.
func printSheet(c *kit.Req) error {
	paper := core.Paper(c.DefaultQuery("paper", "a4"))
	var l fault.List
	fault.OneOf(&l, "paper", paper, core.Papers)
	format := c.DefaultQuery("format", "pdf")
	fault.OneOf(&l, "format", format, []string{"pdf", "svg"})
	if err := l.Err(); err != nil {
		return err
	}
	if format == "svg" {
		return c.Data(http.StatusOK, "image/svg+xml", sheet.SVG(paper))
	}
	data, err := sheet.PDF(paper)
	if err != nil {
		return err
	}
	c.Header("Content-Disposition", fmt.Sprintf(`inline; filename="trevik-sheet-%s.pdf"`, paper))
	return c.Data(http.StatusOK, "application/pdf", data)
}

func photo(b *bench.Bench, c *kit.Req, fit *record.Conclusions, s term.Side) error {
	data, _, err := b.App.Prints.Data(c.Ctx(), c.Who, fit.ID, s)
	if err != nil {
		return err
	}
	// Its address names the picture, so the browser may keep it while it is worked on.
	return c.Picture(data)
}

// upload takes a picture and reads it.
func upload(b *bench.Bench, c *kit.Req, fit *record.Conclusions, s term.Side) error {
	var l fault.List
	data, err := kit.Picture(c, "photo")
	if faults, ok := fault.As(err); ok {
		l.Add("photo."+string(s), "%s", faults[0].Text)
	} else if err != nil {
		return err
	}
	keep := c.PostForm("keep")
	if keep != "yes" && keep != "no" {
		l.Add("keep."+string(s), "is missing; say whether the picture may be kept")
	}
	var opt prints.Options
	if v := strings.TrimSpace(c.PostForm("mm_per_px")); v != "" {
		opt.MMPerPx, err = strconv.ParseFloat(strings.Replace(v, ",", ".", 1), 64)
		if err != nil || !(opt.MMPerPx >= 0.005 && opt.MMPerPx <= 20) {
			l.Add("mm_per_px."+string(s), "is %s; allowed is 0.005 to 20 mm", v)
		}
	}
	if len(l) == 0 {
		_, err := b.App.Prints.Add(c.Ctx(), c.Who, fit.ID, s, data, opt, keep == "yes")
		if faults, ok := fault.As(err); ok {
			for _, f := range faults {
				l.Add(f.Field+"."+string(s), "%s", f.Text)
			}
		} else if err != nil {
			return err
		}
	}
	if len(l) > 0 {
		return b.Show(c, Station(), fit, nil, l)
	}
	return kit.Go(c, bench.URL(fit.ID, "print"))
}

func remove(b *bench.Bench, c *kit.Req, fit *record.Conclusions, s term.Side) error {
	_, err := kit.Form(c, kit.Known())
	if err == nil {
		err = b.App.Prints.Delete(c.Ctx(), c.Who, fit.ID, s)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, bench.URL(fit.ID, "print"))
}

// adjust reads the picture again with what a hand moved, and answers with what
// changes on the page.
func adjust(b *bench.Bench, c *kit.Req, fit *record.Conclusions, s term.Side) error {
	form, err := kit.Form(c, kit.Known("level", "axis", "toe_line", "corners", "paper", "stroke", "cut", "reset"))
	var pics map[term.Side]prints.Picture
	if err == nil {
		pics, err = b.App.Prints.Pictures(c.Ctx(), c.Who, fit.ID)
	}
	pic, there := pics[s]
	if err == nil && !there {
		err = app.ErrNotFound
	}
	var l fault.List
	if err == nil {
		opt := pic.Options
		if form.Get("reset") == "yes" {
			opt = prints.Options{MMPerPx: opt.MMPerPx}
		}
		change(&l, &opt, form.Get)
		if v := form.Get("cut"); v != "" {
			var a core.Answer
			if a, err = b.App.Prints.Read(c.Ctx(), c.Who, fit.ID, pic); err != nil {
				return err
			}
			opt.Cuts = moveCut(&l, a, v)
		}
		if err = l.Err(); err == nil {
			_, err = b.App.Prints.Adjust(c.Ctx(), c.Who, fit.ID, s, opt)
		}
	}
	return b.Changed(c, Station(), err)
}

// change lays what was sent over the options.
func change(l *fault.List, opt *prints.Options, get func(string) string) {
	if v := get("level"); v != "" {
		level, err := strconv.ParseFloat(v, 64)
		if err != nil || !(level >= 0.1 && level <= 0.9) {
			l.Add("level", "is %q; allowed is 0.1 to 0.9", v)
		}
		opt.Level = level
	}
	if p, ok := points(l, "axis", get("axis"), 2); ok {
		opt.Axis = &core.Axis{Heel: p[0], Toe: p[1]}
	}
	if p, ok := points(l, "toe_line", get("toe_line"), 2); ok {
		opt.ToeLine = &[2]core.Point{p[0], p[1]}
	}
	if p, ok := points(l, "corners", get("corners"), 4); ok {
		opt.Corners = &[4]core.Point{p[0], p[1], p[2], p[3]}
		opt.Paper = core.Paper(get("paper"))
		opt.Axis, opt.ToeLine = nil, nil
	}
	if v := get("stroke"); v != "" {
		var stroke core.Stroke
		if err := json.Unmarshal([]byte(v), &stroke); err != nil || len(stroke.Points) == 0 || len(stroke.Points) > 2000 ||
			!(stroke.Radius > 0 && stroke.Radius < 400) || !finite(stroke.Points) {
			l.Add("stroke", "cannot be read; allowed are up to 2000 points and a radius under 400 pixels")
			return
		}
		opt.Strokes = append(slices.Clone(opt.Strokes), stroke)
	}
}

// moveCut reads "1,x,y": the first or second cut was dragged to a place, which is
// taken along the axis.
func moveCut(l *fault.List, a core.Answer, v string) *[2]float64 {
	which, at, _ := strings.Cut(v, ",")
	p, ok := points(l, "cut", at, 1)
	if !ok || which != "1" && which != "2" {
		l.Add("cut", "is %q; allowed is 1 or 2 with a place", v)
		return nil
	}
	middle := func(t [2][2]float64) core.Point {
		return core.Point{X: (t[0][0] + t[1][0]) / 2, Y: (t[0][1] + t[1][1]) / 2}
	}
	back, front := middle(a.Thirds[0]), middle(a.Thirds[3])
	dx, dy := front.X-back.X, front.Y-back.Y
	along := func(q core.Point) float64 {
		return ((q.X-back.X)*dx + (q.Y-back.Y)*dy) / (dx*dx + dy*dy)
	}
	cuts := [2]float64{along(middle(a.Thirds[1])), along(middle(a.Thirds[2]))}
	cuts[which[0]-'1'] = along(p[0])
	return &cuts
}

// points reads "x,y,x,y".
func points(l *fault.List, name, v string, n int) ([]core.Point, bool) {
	if v == "" {
		return nil, false
	}
	parts := strings.Split(v, ",")
	out := make([]core.Point, n)
	for i := range 2 * n {
		if len(parts) != 2*n {
			l.Add(name, "is %d numbers; allowed are %d", len(parts), 2*n)
			return nil, false
		}
		f, err := strconv.ParseFloat(parts[i], 64)
		if err != nil || math.IsNaN(f) || math.Abs(f) > 1e5 {
			l.Add(name, "holds %q, which is no place in the picture", parts[i])
			return nil, false
		}
		if i%2 == 0 {
			out[i/2].X = f
		} else {
			out[i/2].Y = f
		}
	}
	return out, true
}

func finite(points []core.Point) bool {
	return !slices.ContainsFunc(points, func(p core.Point) bool {
		return math.IsNaN(p.X+p.Y) || math.IsInf(p.X+p.Y, 0) || math.Abs(p.X) > 1e5 || math.Abs(p.Y) > 1e5
	})
}
