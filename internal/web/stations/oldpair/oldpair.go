// Package oldpair is the station of the pair that the runner came in.
package oldpair

import (
	"embed"
	"fmt"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/term"
	"trevik/internal/web/bench"
)

//go:embed *.html
var files embed.FS

type body struct {
	Level      string
	FeltRight  string
	BelievedUS string
	Drop       *float64
	Sizes      []string // what was measured, beside what was believed
}

// Station is Old pair.
func Station() bench.Station {
	return bench.Station{Path: "old-pair", Name: "Old pair", Lead: "What they came in: its printed size, its drop, and whether it felt right.",
		Template: bench.Parse(files, "*.html"),
		Body: func(_ *gin.Context, _ *bench.Bench, fit *app.Fit) (any, error) {
			b := body{Level: fit.Text("present_level", "", 0), FeltRight: fit.Text("felt_right", "", 0), BelievedUS: fit.Text("believed_size", "", 0), Drop: fit.Num("present_drop_mm", "", 0)}
			for _, s := range term.Sides {
				if size, err := fit.SizeOf(s); err == nil && size != nil {
					b.Sizes = append(b.Sizes, sizeWords(s, size.US, size.UK, size.EU))
				}
			}
			return b, nil
		}}
}
func sizeWords(s term.Side, us, uk, eu float64) string {
	return fmt.Sprintf("%s US %g, UK %g, EU %g", s, us, uk, eu)
}
