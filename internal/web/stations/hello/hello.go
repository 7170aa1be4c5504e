// Package hello is the station where a runner arrives: cautions first, then what
// they run, what they like, what it may cost and what may be kept.
package hello

import (
	"embed"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"trevik/internal/app/people"
	"trevik/internal/app/visit"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/record"
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
	Complains bool          // something was told, so its rows stand open
	Races     []record.Race // told elsewhere
	Last      *record.Visit
	Still     []record.Question
	Dislikes  []record.Dislike
	Row       func(string) uint64
	Consents  []kit.ConsentLine
}

// Station is Hello.
func Station() bench.Station {
	return bench.Station{Path: "hello", Name: "Hello", Lead: "Cautions first, then what they run. Every question can be skipped.",
		Template: bench.Parse(files), Extra: extra, Fields: slices.Concat(people.RunnerFields, record.ConsentFields,
			visit.DislikeFields), Body: bodyOf}
}

func bodyOf(c *kit.Req, bn *bench.Bench, fit *record.Conclusions) (any, error) {
	b := body{Asked: fit.CautionsAsked(), Treated: record.Treated.Of(fit.Visit), Jump: record.Jump.Of(fit.Visit) && fit.HasHealth(),
		Consents: kit.ConsentLines(fit.Runner.Consents, bn.App.Now())}
	for _, f := range fit.Cautions() {
		switch {
		case slices.Contains(support.ReferFlags, f):
			b.Refer = append(b.Refer, support.Words(string(f)))
		case f == support.PrescribedOrthotic:
			b.Orthotic = true
		default:
			b.Sooner = true
		}
	}
	for _, r := range fit.Races() {
		if r.ID != 0 {
			b.Races = append(b.Races, r)
		}
	}
	parts, km, sketched := fit.WeekTold()
	b.WeekKM = km
	if sketched {
		var words []string
		for _, p := range parts {
			words = append(words, fmt.Sprintf("%s %s", fit.Units.Distance(p.KM), support.Words(string(p.Kind))))
		}
		b.Sketch = strings.Join(words, ", ")
	}
	list, half := fit.Complaints()
	b.HalfTold = half
	b.Complains = half > 0 || record.Complains.Of(fit.Visit) == "some" || list != nil && len(*list) > 0
	var err error
	if b.Last, err = bn.App.Visits.Last(c.Ctx(), c.Who, fit); err != nil {
		return nil, err
	}
	b.Still = fit.StillAsked(b.Last)
	b.Dislikes, b.Row = fit.Dislikes(), fit.Shop.Catalogue.RowID
	return b, nil
}

func extra(b *bench.Bench) []kit.Route {
	post := func(path string, do func(*bench.Bench, *kit.Req, *record.Conclusions) error) kit.Route {
		return kit.Route{Method: http.MethodPost, Path: "/fits/:fit/" + path, Roles: kit.Everyone, Handle: func(c *kit.Req) error {
			fit, err := b.Load(c)
			if err != nil {
				return err
			}
			return do(b, c, fit)
		}}
	}
	consents := post("consent", consent)
	consents.Free = true // an answer that is given twice is the one that holds
	return []kit.Route{post("runner", correct), post("still", still), consents, post("dislike", dislike)}
}

// correct corrects the runner's own line.
func correct(b *bench.Bench, c *kit.Req, fit *record.Conclusions) error {
	form, v, err := kit.Decode(c, people.RunnerFields)
	if err == nil {
		err = b.App.People.ChangeRunner(c.Ctx(), c.Who, record.Runner{ID: fit.Runner.ID, Name: v["name"].Text, Contact: v["contact"].Text,
			Chart: term.Chart(v["chart"].Text)})
	}
	return b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "hello"))
}

// still takes last time's answers over.
func still(b *bench.Bench, c *kit.Req, fit *record.Conclusions) error {
	form, err := kit.Form(c, kit.Known("question"))
	if err != nil {
		return err
	}
	saved, err := b.App.Visits.StillSo(c.Ctx(), c.Who, fit.ID, form["question"])
	if err != nil {
		return err
	}
	return kit.Go(c, b.SavedURL(fit, "hello", saved))
}

// consent records what may be kept, as it is answered.
func consent(b *bench.Bench, c *kit.Req, fit *record.Conclusions) error {
	form, err := kit.SetConsents(c, b.Env, fit.Runner.ID)
	if kit.IsHTMX(c) {
		return b.ChangedBy(c, Station(), form, err)
	}
	return b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "hello"))
}

// dislike puts down a model that the runner disliked, in that version.
func dislike(b *bench.Bench, c *kit.Req, fit *record.Conclusions) error {
	form, v, err := kit.Decode(c, visit.DislikeFields, "take_back")
	if err == nil {
		model, back := v["disliked_model"].Text, form.Get("take_back")
		if back != "" {
			model = back
		}
		_, err = b.App.Visits.Dislike(c.Ctx(), c.Who, fit.ID, model, v["disliked_why"].Text, back != "")
	}
	return b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "hello"))
}
