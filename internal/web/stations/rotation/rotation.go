// Package rotation is the station that tells which of the runner's pairs serves
// which kind of run this week.
package rotation

import (
	"embed"
	"math"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/foot"
	"trevik/internal/core/rotation"
	"trevik/internal/web/bench"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

type part struct {
	rotation.Served
	By   *app.Pair
	Bar  float64 // share of the longest part, 0 to 100
	Cell []cell
}

type cell struct {
	Value float64
	Takes bool
}

type body struct {
	Parts   []part
	Serving app.Serving
	Aside   []app.Pair
	Models  []kit.Option
}

// Station is Rotation.
func Station() bench.Station {
	return bench.Station{Path: "rotation", Name: "Rotation", Lead: "Which pair serves which kind of run this week.",
		Template: bench.Parse(files, "*.html"), Body: bodyOf, Extra: extra, Fields: app.OwnedPairFields}
}

func bodyOf(c *gin.Context, bn *bench.Bench, fit *app.Fit) (any, error) {
	catalogue, err := bn.App.Catalogue(c, kit.MustWho(c))
	if err != nil {
		return nil, err
	}
	b := body{Serving: fit.Serve(bench.Pairs(c)), Models: []kit.Option{{Text: "—"}}}
	for i := range catalogue.Models {
		m := &catalogue.Models[i]
		b.Models = append(b.Models, kit.Option{Value: m.ID, Text: app.ModelName(m) + ", " + string(m.Chart)})
	}
	most := 0.0
	for _, p := range b.Serving.Parts {
		most = math.Max(most, p.KM)
	}
	for _, s := range b.Serving.Parts {
		p := part{Served: s, Bar: 100 * s.KM / most}
		if s.Pair >= 0 {
			p.By = &b.Serving.Pairs[s.Pair]
		}
		for j, v := range s.All {
			p.Cell = append(p.Cell, cell{v, j == s.Pair})
		}
		b.Parts = append(b.Parts, p)
	}
	for _, p := range bench.Pairs(c) {
		if !p.SetAsideOn.IsZero() {
			b.Aside = append(b.Aside, p)
		}
	}
	return b, nil
}

func extra(b *bench.Bench) []kit.Route {
	return []kit.Route{
		{Method: http.MethodPost, Path: "/fits/:fit/pairs", Roles: kit.Everyone, Handle: func(c *gin.Context) { add(b, c) }},
		{Method: http.MethodPost, Path: "/fits/:fit/pairs/:pair/set-aside", Roles: kit.Everyone, Handle: func(c *gin.Context) { setAside(b, c, true) }},
		{Method: http.MethodPost, Path: "/fits/:fit/pairs/:pair/resume", Roles: kit.Everyone, Handle: func(c *gin.Context) { setAside(b, c, false) }},
	}
}

// add puts down a pair that the runner has already.
func add(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	form, v, err := kit.Decode(c, app.OwnedPairFields, kit.MustWho(c).Units)
	var token string
	if err == nil {
		token, err = kit.Token(form)
	}
	if err == nil {
		_, err = b.App.AddOwnedPair(c, kit.MustWho(c), token, fit.Runner.ID, app.OwnedPair{Code: v["model"].Text, UK: foot.Figure(v["uk"].Number),
			Width: strings.ToUpper(v["width"].Text), Price: int64(v["price"].Number), Since: v["since"].Text})
	}
	b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "rotation"))
}

func setAside(b *bench.Bench, c *gin.Context, aside bool) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	id, err := kit.ID(c, "pair")
	if err == nil {
		_, err = kit.Form(c, kit.Known())
	}
	if err == nil {
		err = b.App.SetAside(c, kit.MustWho(c), fit.Runner.ID, id, aside)
	}
	b.Done(c, Station(), fit, nil, err, bench.URL(fit.ID, "rotation"))
}
