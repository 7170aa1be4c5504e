// Package card is the page that prints: feet, size, support and why, the chosen
// pair, when to replace it, cautions.
package card

import (
	"cmp"
	"embed"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/foot"
	core "trevik/internal/core/footprint"
	"trevik/internal/core/gait"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

type side struct {
	Side   term.Side
	Length foot.Reading
	Ball   foot.Reading
	Size   *foot.Size
	Arch   string
	Band   string
}

type school struct {
	Name  string
	Level *term.Level
}

// note is what a clinician is told of a runner who is referred.
type note struct {
	Told       []string
	Complaints []string
	Treated    bool
	Running    string
	Measured   []string
}

type body struct {
	Sides    []side
	Feet     template.HTML
	Support  support.Answer
	Lead     string
	Why      []string
	Schools  []school
	Choice   *app.Decision
	Basis    *app.Basis
	Room     template.HTML
	Worn     *app.Worn
	Tried    []app.Tried
	Cautions []string
	Overrule *app.Decision
	Advice   foot.Difference
	Stills   []app.Still
	Liked    bool
	NoneWhy  string
	Note     *note
	AskKeep  bool   // whether the health answers may be kept was not asked yet
	Laces    []lace // what was tried of the chosen pair
	Sock     string
	Rotation []string
	Look     *string  // the day of the next look
	Since    []string // what the shop has set otherwise since the fit was closed
}

// lace is a lacing, drawn.
type lace struct {
	Name  string
	Shape template.HTML
	Steps []string
}

// mostLaces are as many as the card has room for.
const mostLaces = 2

// after is what the card says of the time after: lacing, socks, the other pairs, the look.
func (b *body) after(fit *app.Fit, catalogue *app.Catalogue, worn []app.Worn) {
	b.Sock = fit.Text("sock", "", 0)
	row := catalogue.Row(b.Choice.Value)
	for _, n := range strings.Split(fit.Text("try_lacing", "", row), ",") {
		if n != "" && n != "as_it_comes" && len(b.Laces) < mostLaces {
			b.Laces = append(b.Laces, lace{n, draw.Lacing(n), draw.LacingSteps(n)})
		}
	}
	serving := make([]app.Pair, len(worn))
	for i, w := range worn {
		serving[i] = w.Pair
	}
	s := fit.Serve(serving)
	for i := range s.Pairs {
		var kinds []string
		for j, p := range s.Parts {
			if s.Takes[j][i] > 0 && !slices.Contains(kinds, support.Words(string(p.Kind))) {
				kinds = append(kinds, support.Words(string(p.Kind)))
			}
		}
		if len(kinds) > 0 && len(s.Pairs) > 1 {
			b.Rotation = append(b.Rotation, s.Pairs[i].Name()+": "+strings.Join(kinds, ", "))
		}
	}
	if b.Worn != nil {
		since := b.Worn.Pair.FirstWorn
		if since.IsZero() {
			since = b.Worn.Pair.BoughtOn
		}
		for _, x := range b.Worn.Pair.Inspected {
			if x.On.After(since) {
				since = x.On
			}
		}
		look := since.AddDate(0, 6, 0).Format("2006-01-02")
		b.Look = &look
	}
}

// Station is Card.
func Station() bench.Station {
	return bench.Station{Path: "card", Name: "Card", Lead: "One page to take away, good in any other shop.",
		Template: bench.Parse(files, "*.html"), Fields: app.ConsentFields, Body: bodyOf, Extra: extra}
}

func bodyOf(c *gin.Context, bn *bench.Bench, fit *app.Fit) (any, error) {
	catalogue, err := bn.App.Catalogue(c, kit.MustWho(c))
	if err != nil {
		return nil, err
	}
	b := body{Feet: draw.Feet(fit.Feet(), fit.Units), Advice: foot.Compare(fit.Feet(), fit.House()), Tried: fit.Tried(catalogue)}
	if b.Support, err = fit.Support(); err != nil {
		return nil, err
	}
	if b.Choice, b.Basis = fit.Choice(); b.Basis != nil {
		b.Support = b.Basis.Support // as it was when the pair was chosen
		b.Room = draw.Room(b.Basis.Ranked.Size, fit.Units)
		worn, err := fit.Worn(fit.Serve(bench.Pairs(c)))
		if err != nil {
			return nil, err
		}
		if at := slices.IndexFunc(worn, func(w app.Worn) bool { return w.Pair.ID == b.Basis.PairID }); at >= 0 {
			b.Worn = &worn[at]
		}
		b.after(fit, catalogue, worn)
	}
	if b.Stills, err = bn.App.Stills(c, kit.MustWho(c), fit.ID); err != nil {
		return nil, err
	}
	if fit.Text("none_today", "", 0) == "yes" {
		b.NoneWhy = cmp.Or(fit.Text("none_why", "", 0), "a good end, too")
	}
	b.Liked = slices.ContainsFunc(b.Support.Why, func(r support.Reason) bool { return r.Evidence == "liked" })
	if slices.ContainsFunc(fit.Flags(), func(f support.Flag) bool { return slices.Contains(support.ReferFlags, f) }) {
		b.Note = noteOf(fit)
	}
	_, asked := fit.Consents[app.HealthConsent]
	b.AskKeep = !asked && fit.HasHealth()
	if !fit.Open() {
		b.Since = fit.Now.ChangedSince(fit.Settings)
	}
	b.Lead = kit.Sentence(support.SchoolNames[b.Support.Lead])
	if b.Support.Schools != nil {
		for _, r := range b.Support.Schools.Of(b.Support.Lead).Why {
			if len(b.Why) < 2 {
				b.Why = append(b.Why, r.Text)
			}
		}
		for _, s := range term.Schools {
			if s != b.Support.Lead {
				b.Schools = append(b.Schools, school{support.SchoolNames[s], b.Support.Schools.Of(s).Level})
			}
		}
	}
	for _, f := range fit.Flags() {
		b.Cautions = append(b.Cautions, support.Words(string(f)))
	}
	if d, ok := fit.Decisions[app.ReferOverride]; ok {
		b.Overrule = &d
	}
	for _, s := range term.Sides {
		x := side{Side: s, Length: fit.Measure("length_mm", s), Ball: fit.Measure("ball_mm", s), Arch: archOf(fit, s), Band: bandOf(fit, s)}
		x.Size, _ = fit.SizeOf(s) // off the chart: the mm stand without a size
		if x.Length.N > 0 || x.Arch != "" || x.Band != "" {
			b.Sides = append(b.Sides, x)
		}
	}
	return b, nil
}

func noteOf(fit *app.Fit) *note {
	n := note{Treated: fit.Text("treated", "", 0) == "yes"}
	for _, f := range fit.Flags() {
		n.Told = append(n.Told, support.Words(string(f)))
	}
	if list, _ := fit.Complaints(); list != nil {
		for _, c := range *list {
			text := strings.TrimSpace(fmt.Sprintf("%s %s, %s", c.Side, support.Words(string(c.Place)), kit.Ago(*c.MonthsAgo)))
			if when := fit.ComplaintWhen(c.Place); when != "" {
				text += ", comes " + support.Words(when)
			}
			n.Complaints = append(n.Complaints, text)
		}
	}
	if _, km := fit.Week(); km > 0 {
		n.Running = fit.Units.Distance(km) + " a week"
		if fit.Text("jump", "", 0) == "yes" {
			n.Running += ", more lately"
		}
	}
	for _, s := range term.Sides {
		if l := fit.Measure("length_mm", s); l.N > 0 {
			text := fmt.Sprintf("%s: length %s", s, fit.Units.Length(l.Value))
			if b := fit.Measure("ball_mm", s); b.N > 0 {
				text += ", ball " + fit.Units.Length(b.Value)
			}
			if drop, word, ok := fit.NavicularDrop(s); ok {
				text += fmt.Sprintf(", navicular drop %s (%s)", fit.Units.Length(drop), word)
			}
			n.Measured = append(n.Measured, text)
		}
	}
	return &n
}

// archOf is a side's arch in words, with its error where a print was read.
func archOf(fit *app.Fit, s term.Side) string {
	if r := fit.PrintReading(s); r != nil {
		return fmt.Sprintf("%s arch (print, index %.3f ± %.3f)", r.Arch, r.ArchIndex, core.IndexSD(r.Quality.Score))
	}
	if a := fit.Text("arch", s, 0); a != "" {
		return a + " arch, by eye"
	}
	return ""
}

// bandOf is a side's rolling in in words, with its error where it was filmed.
func bandOf(fit *app.Fit, s term.Side) string {
	if r := fit.GaitFilm(s); r != nil {
		of := r.Sides[s]
		return fmt.Sprintf("%s gait (filmed %s: %.1f° ± %.1f° over %d steps)", of.BandWords, r.Name(), *of.PeakEversionDeg.Mean, gait.JointSD, of.PeakEversionDeg.N)
	}
	if b := fit.Text("band", s, 0); b != "" {
		return support.Words(b) + " gait, by eye"
	}
	return ""
}

func extra(b *bench.Bench) []kit.Route {
	set := func(closed bool) gin.HandlerFunc {
		return func(c *gin.Context) {
			fit, err := b.Load(c)
			if err != nil {
				b.Fail(c, err)
				return
			}
			form, err := kit.SetConsents(c, b.Env, fit.Runner.ID)
			if err == nil {
				err = b.App.SetClosed(c, kit.MustWho(c), fit.ID, closed)
			}
			b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "card"))
		}
	}
	return []kit.Route{
		{Method: http.MethodPost, Path: "/fits/:fit/close", Roles: kit.Everyone, Handle: set(true)},
		{Method: http.MethodPost, Path: "/fits/:fit/reopen", Roles: kit.Everyone, Handle: set(false)},
	}
}
