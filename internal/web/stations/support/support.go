// Package support is the station that weighs what is known into a level, by four
// schools side by side.
package support

import (
	"embed"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"

	"trevik/internal/app"
	"trevik/internal/app/visit"
	core "trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

type school struct {
	Name   string
	Key    term.School
	Lead   bool
	Answer *core.SchoolAnswer
}

type body struct {
	Answer   core.Answer
	Ladder   template.HTML
	Schools  []school
	Overrule *record.Decision
	May      bool // the person may overrule a caution
	Reason   string
	Chosen   *record.Decision // a fitter's level over the schools
	Lifted   []lifted
	If       *core.Answer // what the schools would answer without what was lifted out
	Asked    bool         // the cautions were
	Slip     string       // the slip under the finger, in words
	Moved    []string     // what it moved
}

// lifted is a piece of evidence that is left out to look.
type lifted struct {
	Name, Words, Back string
}

// pages are parsed once: the ladder is asked for at each slip under the finger.
var pages = sync.OnceValue(func() *template.Template { return bench.Parse(files) })

// Station is Support.
func Station() bench.Station {
	return bench.Station{Path: "support", Name: "Support",
		Lead:     "What is known, weighed by four schools. Where they part, the shop chooses who leads.",
		Template: pages(), Fields: visit.LevelFields, Body: bodyOf, Extra: extra}
}

func bodyOf(c *kit.Req, _ *bench.Bench, fit *record.Conclusions) (any, error) {
	a, err := fit.Support()
	if err != nil {
		return nil, err
	}
	b := body{Answer: a, Asked: fit.CautionsAsked(), May: c.Who.Role != app.Trainee, Reason: c.PostForm("reason")}
	b.Overrule, b.Chosen = fit.Overruled(), fit.LevelChosen()
	less, err := b.without(c, fit)
	if err != nil {
		return nil, err
	}
	b.Ladder = draw.Ladder(a, less, fit.Feet())
	if a.Schools != nil {
		for _, s := range term.Schools {
			b.Schools = append(b.Schools, school{kit.Sentence(core.SchoolNames[s]), s, s == a.Lead, a.Schools.Of(s)})
		}
	}
	return b, nil
}

// IfOf is a school's level in the answer without what was lifted out.
func (b body) IfOf(s term.School) *term.Level { return b.If.Schools.Of(s).Level }

// without answers anew less the pieces of evidence that the address names: lifted out
// as a what-if, or a slip that is only looked at. Nothing of it is saved.
func (b *body) without(c *kit.Req, fit *record.Conclusions) (*core.Answer, error) {
	names, slip := c.QueryArray("without"), c.Query("slip")
	if slip != "" {
		names = []string{slip}
	}
	if len(names) == 0 || b.Answer.Refer {
		return nil, nil
	}
	less, err := fit.Evidence().Without(names...)
	if err != nil {
		return nil, err
	}
	answer, err := core.Decide(less)
	if err != nil {
		return nil, err
	}
	b.Moved = moved(b.Answer, answer)
	if slip != "" {
		b.Slip = pieceWords(slip)
		return &answer, nil
	}
	b.If = &answer
	for i, name := range names {
		rest := url.Values{"without": slices.Delete(slices.Clone(names), i, i+1)}
		back := bench.URL(fit.ID, "support")
		if q := rest.Encode(); q != "" {
			back += "?" + q
		}
		b.Lifted = append(b.Lifted, lifted{name, pieceWords(name), back})
	}
	return &answer, nil
}

// pieceWords names a piece of evidence for people: "gait.left" is "left gait".
func pieceWords(name string) string {
	piece, side, _ := strings.Cut(name, ".")
	return strings.TrimSpace(side + " " + core.Words(piece))
}

// moved says, school by school, what the answer would be without what was left out.
func moved(is, less core.Answer) []string {
	var out []string
	word := func(l *term.Level) string {
		if l == nil {
			return "none"
		}
		return core.Words(string(*l))
	}
	for _, s := range term.Schools {
		a, b := is.Schools.Of(s), less.Schools.Of(s)
		switch {
		case word(a.Level) != word(b.Level):
			out = append(out, fmt.Sprintf("%s from %s to %s", core.SchoolNames[s], word(b.Level), word(a.Level)))
		case word(a.PerSide.Left) != word(b.PerSide.Left):
			out = append(out, fmt.Sprintf("%s, the left foot from %s to %s", core.SchoolNames[s], word(b.PerSide.Left), word(a.PerSide.Left)))
		case word(a.PerSide.Right) != word(b.PerSide.Right):
			out = append(out, fmt.Sprintf("%s, the right foot from %s to %s", core.SchoolNames[s], word(b.PerSide.Right), word(a.PerSide.Right)))
		}
	}
	if len(out) == 0 {
		out = append(out, "no school's level")
	}
	if d := is.Confidence - less.Confidence; math.Abs(d) >= 0.005 {
		out = append(out, fmt.Sprintf("confidence by %+.0f points", 100*d))
	}
	return out
}

// Liftable says whether a reason's evidence can be left out.
func (body) Liftable(evidence string) bool { return slices.Contains(core.Pieces, evidence) }

// extra draws the ladder alone, for a slip under the finger, and lets a fitter go on in
// spite of a caution, with a reason, or take that back.
func extra(b *bench.Bench) []kit.Route {
	may := []app.Role{app.Owner, app.Fitter}
	return []kit.Route{{Method: http.MethodGet, Path: "/fits/:fit/support/ladder", Roles: kit.Everyone, Handle: func(c *kit.Req) error {
		fit, err := b.Load(c)
		var body any
		if err == nil {
			body, err = bodyOf(c, b, fit)
		}
		if err != nil {
			return err
		}
		return b.Render(c, http.StatusOK, pages(), "ladder", body)
	}}, {Method: http.MethodPost, Path: "/fits/:fit/overrule", Roles: may, Handle: func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		form, v, err := kit.Decode(c, visit.OverruleFields, "undo")
		if err == nil {
			err = b.App.Visits.Overrule(c.Ctx(), c.Who, fit.ID, v["reason"].Text, form.Get("undo") == "yes")
		}
		return b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "support"))
	}}, {Method: http.MethodPost, Path: "/fits/:fit/level", Roles: may, Handle: func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		form, v, err := kit.Decode(c, visit.LevelFields, "undo")
		if err == nil {
			err = b.App.Visits.OverruleLevel(c.Ctx(), c.Who, fit.ID, term.Level(v["level"].Text), v["level_reason"].Text, form.Get("undo") == "yes")
		}
		return b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "support"))
	}}}
}
