// Package gait is the station of rolling in and landing: films that are read, put
// right by hand and compared, or what the fitter sees.
package gait

import (
	"embed"
	"fmt"
	"html/template"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"trevik/internal/app"
	"trevik/internal/app/films"
	core "trevik/internal/core/gait"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

var templates = bench.Parse(files)

type chance struct {
	Band term.Band
	P    float64
}

type side struct {
	Side    term.Side
	Band    term.Band
	Drawing template.HTML
	Chances []chance
}

type body struct {
	Films    []films.Film
	Film     *films.Film // on the table
	With     *films.Film // beside it
	Mirror   bool
	Others   []films.Film // that may be laid beside it
	Reading  *core.Reading
	Curves   template.HTML
	Legs     []template.HTML // from behind, at their mean peak
	Strip    template.HTML
	Says     []string
	Level    *films.Level // of a film without dots, that a hand may set
	Matters  bool         // its level could change a band
	So       *lookedAt    // what was read of a film that is on its way
	Changes  []record.FilmChange
	Poll     string // the address to ask anew, while a film is on its way
	Stills   []films.Still
	Sides    []side
	Ask      bool
	Shoes    []string
	NewFault map[string]string
}

// Station is Gait.
func Station() bench.Station {
	return bench.Station{Path: "gait", Name: "Gait",
		Lead:     "Filmed from straight behind at ankle height, or seen by eye.",
		Template: templates, Fields: films.Fields, Body: bodyOf, Extra: extra}
}

// asked is which film the page shows, by the address of the page or of the request.
func asked(c *kit.Req, name string) uint64 {
	v := c.Query(name)
	if v == "" && name == "film" {
		v = c.Param("film")
	}
	if v == "" {
		if page, err := url.Parse(c.GetHeader("HX-Current-URL")); err == nil {
			v = page.Query().Get(name)
		}
	}
	id, _ := strconv.ParseUint(v, 10, 63)
	return id
}

func bodyOf(c *kit.Req, bn *bench.Bench, fit *record.Conclusions) (any, error) {
	who := c.Who
	b := body{Changes: fit.FilmChanges()}
	var err error
	if b.Films, err = bn.App.Films.Of(c.Ctx(), who, fit.ID); err != nil {
		return nil, err
	}
	want, working, newer := asked(c, "film"), false, false
	for i := range b.Films {
		f := &b.Films[i]
		working = working || f.Working || f.State == films.BeingRead
		newer = newer || fit.Open() && f.State == films.Ready && !read(fit, f.Number)
		if f.ID == want || want == 0 && f.State == films.Ready {
			b.Film = f
		}
	}
	b.Poll = poll(bench.URL(fit.ID, "gait"), b.Film, working, newer && c.Query("again") == "")
	if b.Film != nil && b.Film.State == films.Ready {
		if err := b.table(c, bn, fit, who); err != nil {
			return nil, err
		}
	}
	if b.Film != nil && (b.Film.State == films.Arriving || b.Film.State == films.BeingRead) {
		g, err := bn.App.Films.Glance(c.Ctx(), who, *b.Film)
		if err != nil {
			return nil, err
		}
		so := glanced(g)
		b.So = &so
	}
	if b.Stills, err = bn.App.Films.Stills(c.Ctx(), who, fit.ID); err != nil {
		return nil, err
	}
	b.byEye(fit)
	b.Shoes = []string{record.Barefoot, record.TestShoe, "old pair"}
	tried := map[string]bool{}
	for _, t := range fit.Tried() {
		tried[record.ModelName(t.Model)] = true
		b.Shoes = append(b.Shoes, record.ModelName(t.Model))
	}
	for i := range fit.Shop.Catalogue.Models {
		if name := record.ModelName(&fit.Shop.Catalogue.Models[i]); !tried[name] {
			b.Shoes = append(b.Shoes, name)
		}
	}
	return b, nil
}

// read says whether a film's reading is on the fit's record.
func read(fit *record.Conclusions, number int) bool {
	return slices.ContainsFunc(fit.FilmReadings(), func(r record.FilmReading) bool { return r.Number == number })
}

// poll is the address that asks the page anew: while a film is on its way, and once more where one was read after the fit's
// record had been taken, so that what it says arrives on the slips too. Empty where nothing is awaited.
func poll(at string, film *films.Film, working, newer bool) string {
	if !working && !newer {
		return ""
	}
	q := url.Values{}
	if film != nil {
		q.Set("film", strconv.FormatUint(film.ID, 10))
	}
	if !working {
		q.Set("again", "1")
	}
	return at + "?" + q.Encode()
}

// table lays a film out with what was read of it.
func (b *body) table(c *kit.Req, bn *bench.Bench, fit *record.Conclusions, who app.Actor) error {
	r, err := bn.App.Films.Reading(c.Ctx(), who, *b.Film)
	if err != nil {
		return err
	}
	b.Reading = &r
	all, err := bn.App.Films.OfRunner(c.Ctx(), who, fit.Runner.ID)
	if err != nil {
		return err
	}
	with := asked(c, "with")
	b.Mirror = with == b.Film.ID
	var second *core.Answer
	for i := range all {
		if all[i].Recording.View != b.Film.Recording.View || all[i].ID == b.Film.ID {
			continue
		}
		b.Others = append(b.Others, all[i])
		if all[i].ID == with {
			b.With = &all[i]
			other, err := bn.App.Films.Reading(c.Ctx(), who, all[i])
			if err != nil {
				return err
			}
			second = &other.Answer
		}
	}
	b.Curves = draw.Curves(r.Answer, second, fit.House())
	for _, s := range term.Sides {
		if of := r.Answer.Sides[s]; of != nil && of.PeakEversionDeg != nil && of.PeakEversionDeg.Mean != nil {
			deg := *of.PeakEversionDeg.Mean
			b.Legs = append(b.Legs, draw.RearAt(s, deg, fmt.Sprintf("%.1f° %s", deg, of.BandWords)))
		}
	}
	b.Strip = draw.ContactStrip(r, fit.Open())
	b.Says = says(r.Answer)
	level, ok, err := bn.App.Films.LevelOf(c.Ctx(), who, *b.Film, all)
	if err != nil || !ok {
		return err
	}
	b.Level = &level
	for _, of := range r.Answer.Sides {
		b.Matters = b.Matters || of != nil && surest(of.BandProbability) < sureBand
	}
	return nil
}

// sureBand is the chance of a band from which a better level would hardly change it.
const sureBand = 0.9

func surest(p *support.BandProbability) float64 {
	best := 0.0
	for _, c := range chances(*p) {
		best = math.Max(best, c.P)
	}
	return best
}

// lookedAt is a first look in words.
type lookedAt struct {
	Says   []string
	Enough bool
}

func glanced(g films.Glance) (out lookedAt) {
	if g.Answer == nil {
		return out
	}
	for _, s := range term.Sides {
		switch of := g.Answer.Sides[s]; {
		case of == nil:
		case of.PeakEversionDeg != nil:
			out.Says = append(out.Says, fmt.Sprintf("%s: pronates %.1f° ± %.1f° over %d steps, %s with %.0f %%", s, *of.PeakEversionDeg.Mean,
				math.Hypot(of.LevelSD(), spread(of.PeakEversionDeg)), of.PeakEversionDeg.N, of.BandWords, 100*surest(of.BandProbability)))
		case of.StrikeDeg != nil && of.StrikeDeg.Mean != nil:
			out.Says = append(out.Says, fmt.Sprintf("%s: the sole lands at %.1f° over %d steps, a %s strike", s, *of.StrikeDeg.Mean,
				of.StrikeDeg.N, of.Strike))
		case of.KneeInDeg != nil && of.KneeInDeg.Mean != nil:
			out.Says = append(out.Says, fmt.Sprintf("%s: the knee comes in by %.1f° over %d steps", s, *of.KneeInDeg.Mean, of.KneeInDeg.N))
		}
	}
	out.Enough = g.Enough
	return out
}

// spread is the error that the steps' own differences leave in their mean.
func spread(s *core.Stat) float64 {
	if s.SD == nil {
		return 0
	}
	return *s.SD / math.Sqrt(float64(s.N))
}

// LevelWords are a level's marks as the page sends them on: as they stand now.
func (body) LevelWords(l films.Level) string {
	var words []string
	for _, s := range l.Sides {
		w := string(s.Side)
		for _, p := range s.Now {
			w += fmt.Sprintf(",%.1f,%.1f", p.X, p.Y)
		}
		words = append(words, w)
	}
	return strings.Join(words, " ")
}

// FromWords are those of another film.
func (body) FromWords(l films.LevelFrom) string {
	var words []string
	for _, s := range term.Sides {
		if deg, ok := l.Off[s]; ok {
			words = append(words, fmt.Sprintf("%s,%.2f", s, deg))
		}
	}
	return strings.Join(words, " ")
}

// Points are the names of a leg's points, the highest first.
func (body) Points() []string {
	return []string{"calf, upper", "calf, lower", "heel, upper", "heel, lower"}
}

func (b *body) byEye(fit *record.Conclusions) {
	for _, s := range term.Sides {
		x := side{Side: s, Band: record.BandSeen.Of(fit.Visit, s)}
		if x.Band == "" {
			continue
		}
		x.Drawing = draw.Rear(s, x.Band)
		if sure := record.BandSure.Of(fit.Visit, s); sure != "" {
			x.Chances = chances(support.SpreadByEye(x.Band, sure))
		} else {
			b.Ask = true
		}
		b.Sides = append(b.Sides, x)
	}
}

func chances(p support.BandProbability) []chance {
	var out []chance
	for i, v := range []float64{p.Under, p.Neutral, p.Mild, p.Marked, p.Severe} {
		out = append(out, chance{term.Bands[i], v})
	}
	return out
}

// Chances of a side that was filmed.
func (body) Chances(p *support.BandProbability) []chance { return chances(*p) }

// says is what a film means, in three sentences.
func says(a core.Answer) []string {
	switch a.View {
	case core.Side:
		return profileSays(a)
	case core.Front:
		return frontSays(a)
	}
	var what, sure []string
	for _, s := range term.Sides {
		of := a.Sides[s]
		if of == nil {
			what = append(what, fmt.Sprintf("the %s could not be read", s))
			continue
		}
		what = append(what, fmt.Sprintf("the %s heel pronates to %.1f° on average, which is %s", s, *of.PeakEversionDeg.Mean, of.BandWords))
		sure = append(sure, fmt.Sprintf("%s with %.0f %% on the %s", of.Band, 100*surest(of.BandProbability), s))
	}
	level := core.JointSD
	for _, s := range term.Sides {
		if of := a.Sides[s]; of != nil {
			level = max(level, of.LevelSD())
		}
	}
	third := "Some pronation is how everyone absorbs shock; a fitter describes it and does not diagnose."
	if a.AsymmetryDeg != nil {
		third = fmt.Sprintf("Left and right differ by %.1f°, which is %s; some pronation is how everyone absorbs shock.", *a.AsymmetryDeg,
			withinOr(*a.AsymmetryDeg, level*math.Sqrt2, "within what two readings may differ by", "more than the readings' own error"))
	}
	return []string{kit.Sentence(strings.Join(what, ", ")) + ".",
		fmt.Sprintf("A reading from one camera is good to about ± %.1f° for the joint, so it is %s.", level, strings.Join(sure, " and ")),
		third}
}

func withinOr(v, limit float64, within, over string) string {
	if v <= limit {
		return within
	}
	return over
}

func profileSays(a core.Answer) []string {
	for _, s := range term.Sides {
		of := a.Sides[s]
		if of == nil {
			continue
		}
		first := fmt.Sprintf("The %s foot lands with its sole at %.1f° to the ground", s, *of.StrikeDeg.Mean)
		if of.Strike != "" {
			first += fmt.Sprintf(": %s first", of.Strike)
		}
		ahead := "the foot lands under the runner"
		if of.FarAhead {
			ahead = "over 10° is far ahead of the body: shorter, quicker steps would bring it back"
		}
		return []string{first + ".", fmt.Sprintf("The shank stands %.1f° ahead of the vertical at touchdown; %s.", *of.ShankDeg.Mean, ahead),
			fmt.Sprintf("The foot stays on the ground for %.0f ms; late in a long run this looks different, and a second film after ten minutes "+
				"is worth having.", *of.ContactMS.Mean)}
	}
	return nil
}

func frontSays(a core.Answer) []string {
	var what []string
	inward := false
	for _, s := range term.Sides {
		if of := a.Sides[s]; of != nil {
			what = append(what, fmt.Sprintf("the %s knee comes %.1f° inward", s, *of.KneeInDeg.Mean))
			inward = inward || of.KneeInward
		}
	}
	second := "Neither goes over 10°, from where it counts as a sign."
	if inward {
		second = "Over 10° counts as a sign that the leg follows the foot inward."
	}
	return []string{kit.Sentence(strings.Join(what, " and ")) + " in the middle of the contact.", second,
		"Strong hips move this more than a shoe does."}
}
