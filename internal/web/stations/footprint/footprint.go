// Package footprint is the station of the arch: for now as the fitter sees it on
// the wet print.
package footprint

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

type side struct {
	Side    term.Side
	Arch    term.Arch
	Drawing template.HTML
	P       *support.ArchProbability
}

type body struct {
	Sides []side
	Ask   bool
}

// Station is Print.
func Station() bench.Station {
	return bench.Station{Path: "print", Name: "Print", Lead: "A wet foot on paper: the arch as the fitter sees it, and how sure.",
		Template: bench.Parse(files, "*.html"),
		Body: func(_ *gin.Context, _ *bench.Bench, fit *app.Fit) (any, error) {
			var b body
			for _, s := range term.Sides {
				x := side{Side: s, Arch: term.Arch(fit.Text("arch", s, 0))}
				if x.Arch == "" {
					continue
				}
				x.Drawing = draw.Print(s, x.Arch)
				if sure := fit.Text("arch_sure", s, 0); sure != "" {
					p := support.ArchByEye(x.Arch, term.Certainty(sure))
					x.P = &p
				} else {
					b.Ask = true
				}
				b.Sides = append(b.Sides, x)
			}
			return b, nil
		}}
}
