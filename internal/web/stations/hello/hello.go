// Package hello is the station where a runner arrives: cautions first, then what
// they run, what they like, what it may cost and what may be kept.
package hello

import (
	"embed"
	"fmt"
	"net/http"
	"slices"
	"strings"

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
	Asked     bool
	Refer     []string
	Orthotic  bool
	Sooner    bool
	Treated   bool
	Jump      bool // training went up, and something hurts
	WeekKM    float64
	Sketch    string // the week as it was sketched; empty where it was told
	HalfTold  int
	Complains bool // something was told, so its rows stand open
	Last      *app.Fit
	Still     []app.Question
	Dislikes  []app.Dislike
	Row       func(string) int
	Consents  []kit.ConsentLine
}

// Station is Hello.
func Station() bench.Station {
	return bench.Station{Path: "hello", Name: "Hello", Lead: "Cautions first, then what they run. Every question can be skipped.",
		Template: bench.Parse(files, "*.html"), Extra: extra, Fields: slices.Concat(app.RunnerFields, app.ConsentFields, app.DislikeFields), Body: bodyOf}
}

func bodyOf(c *gin.Context, bn *bench.Bench, fit *app.Fit) (any, error) {
	b := body{Asked: fit.FlagsAsked(), Treated: fit.Text("treated", "", 0) == "yes", Jump: fit.Text("jump", "", 0) == "yes" && fit.HasHealth(), Consents: kit.ConsentLines(fit.Consents, bn.App.Now())}
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
	b.WeekKM = km
	if fit.Sketched() {
		var words []string
		for _, p := range parts {
			words = append(words, fmt.Sprintf("%s %s", support.Words(string(p.Kind)), fit.Units.Distance(p.KM)))
		}
		b.Sketch = strings.Join(words, ", ")
	}
	list, half := fit.Complaints()
	b.HalfTold = half
	b.Complains = half > 0 || fit.Text("complaints", "", 0) == "some" || list != nil && len(*list) > 0
	who := kit.MustWho(c)
	var err error
	if b.Last, err = bn.App.LastTime(c, who, fit); err != nil {
		return nil, err
	}
	b.Still = fit.StillAsked(b.Last)
	catalogue, err := bn.App.Catalogue(c, who)
	if err != nil {
		return nil, err
	}
	b.Dislikes, b.Row = fit.Dislikes(catalogue), catalogue.Row
	return b, nil
}

func extra(b *bench.Bench) []kit.Route {
	post := func(path string, do func(*bench.Bench, *gin.Context, *app.Fit)) kit.Route {
		return kit.Route{Method: http.MethodPost, Path: "/fits/:fit/" + path, Roles: kit.Everyone, Handle: func(c *gin.Context) {
			fit, err := b.Load(c)
			if err != nil {
				b.Fail(c, err)
				return
			}
			do(b, c, fit)
		}}
	}
	return []kit.Route{post("runner", correct), post("still", still), post("consent", consent), post("dislike", dislike)}
}

// correct corrects the runner's own line.
func correct(b *bench.Bench, c *gin.Context, fit *app.Fit) {
	form, v, err := kit.Decode(c, app.RunnerFields, kit.MustWho(c).Units)
	if err == nil {
		err = b.App.ChangeRunner(c, kit.MustWho(c), app.Runner{ID: fit.Runner.ID, Name: v["name"].Text, Contact: v["contact"].Text, Chart: term.Chart(v["chart"].Text)})
	}
	b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "hello"))
}

// still takes last time's answers over.
func still(b *bench.Bench, c *gin.Context, fit *app.Fit) {
	form, err := kit.Form(c, kit.Known("question"))
	if err != nil {
		b.Fail(c, err)
		return
	}
	saved, err := b.App.StillSo(c, kit.MustWho(c), fit.ID, form["question"])
	if err != nil {
		b.Fail(c, err)
		return
	}
	kit.Go(c, b.SavedURL(fit, "hello", saved))
}

// consent records what may be kept, as it is answered.
func consent(b *bench.Bench, c *gin.Context, fit *app.Fit) {
	form, err := kit.SetConsents(c, b.Env, fit.Runner.ID)
	if kit.IsHTMX(c) {
		b.ChangedBy(c, Station(), form, err)
		return
	}
	b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "hello"))
}

// dislike puts down a model that the runner disliked, in that version.
func dislike(b *bench.Bench, c *gin.Context, fit *app.Fit) {
	who := kit.MustWho(c)
	form, v, err := kit.Decode(c, app.DislikeFields, who.Units, "take_back")
	if err == nil {
		var l fault.List
		code, why := v["disliked_model"].Text, v["disliked_why"].Text
		back := form.Get("take_back")
		if back != "" {
			code = back
		}
		catalogue, cerr := b.App.Catalogue(c, who)
		if cerr != nil {
			b.Fail(c, cerr)
			return
		}
		m := catalogue.Find(code)
		switch {
		case m == nil:
			l.Add("disliked_model", "is not in the catalogue; choose one, or write it down below")
		case why == "" && back == "":
			l.Add("disliked_why", "is missing: say why, so that another version can be told apart")
		default:
			field, key, _ := app.FieldOf("hello", fmt.Sprintf("disliked.%d", catalogue.Row(m.ID)))
			_, err = b.App.Record(c, who, fit.ID, []app.Value{{Key: key, Field: field, Text: why, Empty: back != ""}})
		}
		if err == nil {
			err = l.Err()
		}
	}
	b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "hello"))
}
