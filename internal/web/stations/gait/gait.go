// Package gait is the station of rolling in: for now as the fitter sees it from
// behind.
package gait

import (
	"embed"
	"html/template"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
)

//go:embed *.html
var files embed.FS

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
	Sides []side
	Ask   bool
}

// Station is Gait.
func Station() bench.Station {
	return bench.Station{Path: "gait", Name: "Gait", Lead: "From straight behind: how far the ankle and arch come in, each side, and how sure.",
		Template: bench.Parse(files, "*.html"),
		Body: func(_ *gin.Context, _ *bench.Bench, fit *app.Fit) (any, error) {
			var b body
			for _, s := range term.Sides {
				x := side{Side: s, Band: term.Band(fit.Text("band", s, 0))}
				if x.Band == "" {
					continue
				}
				x.Drawing = draw.Rear(s, x.Band)
				if sure := fit.Text("band_sure", s, 0); sure != "" {
					p := support.SpreadByEye(x.Band, term.Certainty(sure))
					for i, v := range []float64{p.Under, p.Neutral, p.Mild, p.Marked, p.Severe} {
						x.Chances = append(x.Chances, chance{term.Bands[i], v})
					}
				} else {
					b.Ask = true
				}
				b.Sides = append(b.Sides, x)
			}
			return b, nil
		}}
}
