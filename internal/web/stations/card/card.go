// Package card is the page that prints: feet, size, support and why, the chosen
// pair, when to replace it, cautions.
package card

import (
	"embed"
	"fmt"
	"html/template"
	"net/http"
	"slices"

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
}

// Station is Card.
func Station() bench.Station {
	return bench.Station{Path: "card", Name: "Card", Lead: "One page to take away, good in any other shop.",
		Template: bench.Parse(files, "*.html"), Body: bodyOf, Extra: extra}
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
	}
	if b.Stills, err = bn.App.Stills(c, kit.MustWho(c), fit.ID); err != nil {
		return nil, err
	}
	b.Lead = kit.Sentence(draw.SchoolNames[b.Support.Lead])
	if b.Support.Schools != nil {
		for _, r := range b.Support.Schools.Of(b.Support.Lead).Why {
			if len(b.Why) < 2 {
				b.Why = append(b.Why, r.Text)
			}
		}
		for _, s := range term.Schools {
			if s != b.Support.Lead {
				b.Schools = append(b.Schools, school{draw.SchoolNames[s], b.Support.Schools.Of(s).Level})
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
			if err == nil {
				_, err = kit.Form(c, kit.Known())
			}
			if err == nil {
				err = b.App.SetClosed(c, kit.MustWho(c), fit.ID, closed)
			}
			if err != nil {
				b.Fail(c, err)
				return
			}
			kit.Go(c, bench.URL(fit.ID, "card"))
		}
	}
	return []kit.Route{
		{Method: http.MethodPost, Path: "/fits/:fit/close", Roles: kit.Everyone, Handle: set(true)},
		{Method: http.MethodPost, Path: "/fits/:fit/reopen", Roles: kit.Everyone, Handle: set(false)},
	}
}
