// Package shoes is the station that rules the catalogue out and ranks the rest,
// each model with its size and the room in mm for both feet.
package shoes

import (
	"embed"
	"fmt"
	"html/template"
	"net/http"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

type offer struct {
	match.Ranked
	At      int
	M       *shoe.Model
	Room    template.HTML
	TryOn   bool
	Earlier *shoe.Model
	Split   *split
	Said    string // what the runner disliked of the same maker
}

// split is the choice of two pairs in two sizes, where the feet differ by a size.
type split struct {
	Longer, Shorter term.Side
	Size            match.Size // of the shorter foot
	Price           int64      // of both pairs
}

type out struct {
	match.RuledOut
	M *shoe.Model
}

type body struct {
	Ready   bool
	Refer   bool
	NoFeet  bool
	NoWeek  bool
	Support support.Answer
	Offers  []offer
	Out     []out
	Notes   []fault.Warning
	Choice  *app.Decision
	Basis   *app.Basis
}

// Station is Shoes.
func Station() bench.Station {
	return bench.Station{Path: "shoes", Name: "Shoes", Lead: "Ruled out and ranked, with the reasons; each in its size, with the room before both feet.",
		Template: bench.Parse(files, "*.html"), Body: bodyOf, Extra: extra}
}

func bodyOf(c *gin.Context, bn *bench.Bench, fit *app.Fit) (any, error) {
	catalogue, err := bn.App.Catalogue(c, kit.MustWho(c))
	if err != nil {
		return nil, err
	}
	sup, err := fit.Support()
	if err != nil {
		return nil, err
	}
	b := body{Support: sup, Refer: sup.Refer, NoFeet: !fit.Measured()}
	_, km := fit.Week()
	b.NoWeek = km == 0
	b.Choice, b.Basis = fit.Choice()
	answer, ready, err := fit.Match(catalogue)
	if err != nil {
		return nil, err
	}
	b.Ready, b.Notes = ready, answer.Warnings
	tried := map[string]bool{}
	for _, id := range answer.TryOn {
		tried[id] = true
	}
	shorter, sizes, err := shorterSizes(fit, sup, catalogue)
	if err != nil {
		return nil, err
	}
	dislikes := fit.Dislikes(catalogue)
	for i, r := range answer.Ranked {
		o := offer{Ranked: r, At: i + 1, M: catalogue.ByCode(r.Model), Room: draw.Room(r.Size, fit.Units), TryOn: tried[r.Model]}
		if r.Earlier != nil {
			o.Earlier = catalogue.ByCode(r.Earlier.Model)
		}
		if size, ok := sizes[r.Model]; ok && size.Figure != r.Size.Figure {
			o.Split = &split{foot.Compare(fit.Feet(), fit.House()).Fitted, shorter, size, 2 * o.M.Price()}
		}
		o.Said = dislikedNear(o.M, dislikes)
		b.Offers = append(b.Offers, o)
	}
	for _, r := range answer.RuledOut {
		b.Out = append(b.Out, out{r, catalogue.ByCode(r.Model)})
	}
	return b, nil
}

// dislikedNear says what was disliked of a model or of its maker: a dislike stays with
// the model and version, and another last may suit all the same.
func dislikedNear(m *shoe.Model, list []app.Dislike) string {
	for _, d := range list {
		switch {
		case d.Model.ID == m.ID:
			return fmt.Sprintf("Disliked before, in this version: “%s”", d.Why)
		case d.Model.Maker == m.Maker && (d.Model.LastShape != m.LastShape || d.Model.Volume != m.Volume):
			return fmt.Sprintf("%s was disliked (“%s”); this one is made on another last.", app.ModelName(d.Model), d.Why)
		case d.Model.Maker == m.Maker:
			return fmt.Sprintf("%s was disliked (“%s”); this one is made on a like last.", app.ModelName(d.Model), d.Why)
		}
	}
	return ""
}

// shorterSizes sizes every model for the shorter foot alone, when the feet are a
// full size apart.
func shorterSizes(fit *app.Fit, sup support.Answer, c *app.Catalogue) (term.Side, map[string]match.Size, error) {
	d := foot.Compare(fit.Feet(), fit.House())
	r, ready := fit.Request(sup, c)
	if d.Advice != foot.SplitSizes || !ready || sup.Refer {
		return "", nil, nil
	}
	shorter := term.Left
	r.Feet.Right = nil
	if d.Longer == term.Left {
		shorter = term.Right
		r, _ = fit.Request(sup, c)
		r.Feet.Left = nil
	}
	answer, err := match.Rank(r)
	if err != nil {
		return "", nil, err
	}
	sizes := map[string]match.Size{}
	for _, x := range answer.Ranked {
		sizes[x.Model] = x.Size
	}
	return shorter, sizes, nil
}

func extra(b *bench.Bench) []kit.Route {
	return []kit.Route{
		{Method: http.MethodPost, Path: "/fits/:fit/choose", Roles: kit.Everyone, Handle: func(c *gin.Context) { choose(b, c) }},
		{Method: http.MethodPost, Path: "/fits/:fit/take-back", Roles: kit.Everyone, Handle: func(c *gin.Context) { takeBack(b, c) }},
	}
}

func choose(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	form, v, err := kit.Decode(c, app.ChooseFields, kit.MustWho(c).Units)
	var token string
	if err == nil {
		token, err = kit.Token(form)
	}
	if err == nil {
		_, err = b.App.Choose(c, kit.MustWho(c), token, fit.ID, v["model"].Text, v["reason"].Text)
	}
	b.Done(c, Station(), fit, nil, err, bench.URL(fit.ID, "rotation"))
}

func takeBack(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err == nil {
		_, err = kit.Form(c, kit.Known())
	}
	if err == nil {
		err = b.App.TakeBack(c, kit.MustWho(c), fit.ID)
	}
	if fit == nil {
		b.Fail(c, err)
		return
	}
	b.Done(c, Station(), fit, nil, err, bench.URL(fit.ID, "shoes"))
}
