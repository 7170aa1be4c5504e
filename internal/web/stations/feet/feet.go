// Package feet is the station where both feet are measured standing.
package feet

import (
	"embed"
	"html/template"
	"math"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
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

type body struct {
	Sides    []side
	Both     bool
	Diff     foot.Difference
	Drawing  template.HTML
	Overlay  template.HTML
	Ask      []string
	HalfSize float64
}

// Station is Feet.
func Station() bench.Station {
	return bench.Station{Path: "feet", Name: "Feet", Lead: "Both feet, standing, weight on both, in the socks they run in. Each length and width twice.",
		Template: bench.Parse(files, "*.html"),
		Body:     func(_ *gin.Context, _ *bench.Bench, fit *app.Fit) (any, error) { return bodyOf(fit), nil }}
}

func bodyOf(fit *app.Fit) body {
	f := fit.Feet()
	b := body{Diff: foot.Compare(f), Drawing: draw.Feet(f, fit.Units), Overlay: draw.Overlay(f, fit.Units), Both: f.Left.LengthMM > 0 && f.Right.LengthMM > 0}
	for _, s := range term.Sides {
		x := side{Side: s, Length: fit.Reading("length_mm", s), Ball: fit.Reading("ball_mm", s)}
		if x.Length.N == 0 {
			continue
		}
		size, err := fit.SizeOf(s)
		x.Size = size
		if faults, ok := fault.As(err); ok {
			x.Fault = faults[0].Text
		}
		x.Standard = units.Round(foot.StandardBall(fit.Runner.Chart, x.Length.Value), 1)
		b.Sides = append(b.Sides, x)
		for _, r := range []struct {
			what string
			foot.Reading
		}{{"length", x.Length}, {"ball width", x.Ball}} {
			if r.NeedsThird {
				b.Ask = append(b.Ask, "The two "+r.what+" readings of the "+string(s)+" foot are "+fit.Units.Length(math.Abs(r.Apart))+" apart: take a third, and the median counts.")
			} else if r.N == 1 {
				b.Ask = append(b.Ask, "One "+r.what+" reading of the "+string(s)+" foot so far: take it again.")
			}
		}
	}
	if len(b.Sides) == 1 {
		b.Ask = append(b.Ask, "Measure the other foot too: nearly everyone has one longer or wider.")
	}
	if b.Diff.Implausible {
		b.Ask = append(b.Ask, "The feet differ by more than 15 mm. Kept, but measure both again.")
	}
	return b
}
