// Package hello is the station where a runner arrives: cautions first, then what
// they run, what they like and what it may cost.
package hello

import (
	"embed"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/web/bench"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

type body struct {
	Asked      bool
	Refer      []string
	Orthotic   bool
	Sooner     bool
	WeekKM     float64
	HalfTold   int
	Charts     []kit.Option
	NoKinds    bool
	Complaints bool
}

// Station is Hello.
func Station() bench.Station {
	return bench.Station{Path: "hello", Name: "Hello", Lead: "Cautions first, then what they run. Every question can be skipped.",
		Template: bench.Parse(files, "*.html"), Extra: extra,
		Body: func(_ *gin.Context, _ *bench.Bench, fit *app.Fit) (any, error) {
			b := body{Asked: fit.FlagsAsked()}
			for _, f := range fit.Flags() {
				switch {
				case slices.Contains(support.ReferFlags, f):
					b.Refer = append(b.Refer, support.Words(string(f)))
				case f == support.PrescribedOrthotic:
					b.Orthotic = true
				default:
					b.Sooner = true
				}
			}
			parts, km := fit.Week()
			b.WeekKM, b.NoKinds = km, len(parts) == 0
			_, b.HalfTold = fit.Complaints()
			for _, c := range term.Charts {
				b.Charts = append(b.Charts, kit.Option{Value: string(c), Text: string(c), On: c == fit.Runner.Chart})
			}
			return b, nil
		}}
}

// extra corrects the runner's own line.
func extra(b *bench.Bench) []kit.Route {
	return []kit.Route{{Method: http.MethodPost, Path: "/fits/:fit/runner", Roles: kit.Everyone, Handle: func(c *gin.Context) {
		fit, err := b.Load(c)
		if err != nil {
			b.Fail(c, err)
			return
		}
		form, err := kit.Form(c, kit.Known("name", "contact", "chart"))
		if err == nil {
			r := app.Runner{ID: fit.Runner.ID, Name: form.Get("name"), Contact: form.Get("contact"), Chart: term.Chart(form.Get("chart"))}
			err = b.App.ChangeRunner(c, kit.MustWho(c), r)
			fit.Runner = r
		}
		if faults, ok := fault.As(err); ok {
			b.Show(c, Station(), fit, form, faults)
			return
		}
		if err != nil {
			b.Fail(c, err)
			return
		}
		kit.Go(c, bench.URL(fit.ID, "hello"))
	}}}
}
