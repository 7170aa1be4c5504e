// Package hello is the station where a runner arrives: cautions first, then what
// they run, what they like and what it may cost.
package hello

import (
	"embed"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/web/bench"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

type body struct {
	Asked    bool
	Refer    []string
	Orthotic bool
	Sooner   bool
	WeekKM   float64
	HalfTold int
}

// Station is Hello.
func Station() bench.Station {
	return bench.Station{Path: "hello", Name: "Hello", Lead: "Cautions first, then what they run. Every question can be skipped.",
		Template: bench.Parse(files, "*.html"), Extra: extra, Fields: app.RunnerFields,
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
			_, km := fit.Week()
			b.WeekKM = km
			_, b.HalfTold = fit.Complaints()
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
		form, v, err := kit.Decode(c, app.RunnerFields, kit.MustWho(c).Units)
		if err == nil {
			err = b.App.ChangeRunner(c, kit.MustWho(c), app.Runner{ID: fit.Runner.ID, Name: v["name"].Text, Contact: v["contact"].Text, Chart: term.Chart(v["chart"].Text)})
		}
		b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "hello"))
	}}}
}
