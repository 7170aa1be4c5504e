// Package tryon is the station of the try-on: the proposed set, in an order that
// favours none, with comfort asked for each.
package tryon

import (
	"embed"
	"math/rand/v2"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/web/bench"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

type pair struct {
	Row  int // the model's, by which its comfort is kept
	M    *shoe.Model
	Size match.Size
}

type body struct {
	Ready bool
	Pairs []pair
}

// Station is Try-on.
func Station() bench.Station {
	return bench.Station{Path: "try-on", Name: "Try-on", Lead: "A set that differs, in an order that favours none. Laced by the fitter; standing, walking, running.",
		Template: bench.Parse(files, "*.html"),
		Body: func(c *gin.Context, bn *bench.Bench, fit *app.Fit) (any, error) {
			catalogue, err := bn.App.Catalogue(c, kit.MustWho(c))
			if err != nil {
				return nil, err
			}
			answer, ready, err := fit.Match(catalogue)
			if err != nil {
				return nil, err
			}
			sizes := map[string]match.Size{}
			for _, r := range answer.Ranked {
				sizes[r.Model] = r.Size
			}
			b := body{Ready: ready && len(answer.TryOn) > 0}
			for _, id := range answer.TryOn {
				b.Pairs = append(b.Pairs, pair{catalogue.Row(id), catalogue.ByCode(id), sizes[id]})
			}
			// The fit's number is the seed: the order stays while the set does.
			r := rand.New(rand.NewPCG(fit.ID, 1))
			r.Shuffle(len(b.Pairs), func(i, j int) { b.Pairs[i], b.Pairs[j] = b.Pairs[j], b.Pairs[i] })
			return b, nil
		}}
}
