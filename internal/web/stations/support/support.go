// Package support is the station that weighs what is known into a level, by four
// schools side by side.
package support

import (
	"embed"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	core "trevik/internal/core/support"
	"trevik/internal/core/term"
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
	Overrule *app.Decision
	May      bool // the person may overrule a caution
	Reason   string
	Chosen   *app.Decision // a fitter's level over the schools
	Lifted   []lifted
	If       *core.Answer // what the schools would answer without what was lifted out
}

// lifted is a piece of evidence that is left out to look.
type lifted struct {
	Name, Words, Back string
}

// Station is Support.
func Station() bench.Station {
	return bench.Station{Path: "support", Name: "Support", Lead: "What is known, weighed by four schools. Where they part, the shop chooses who leads.",
		Template: bench.Parse(files, "*.html"), Fields: app.LevelFields, Body: bodyOf, Extra: extra}
}

func bodyOf(c *gin.Context, _ *bench.Bench, fit *app.Fit) (any, error) {
	a, err := fit.Support()
	if err != nil {
		return nil, err
	}
	b := body{Answer: a, Ladder: draw.Ladder(a), May: kit.MustWho(c).Role != app.Trainee, Reason: c.PostForm("reason")}
	if d, ok := fit.Decisions[app.ReferOverride]; ok {
		b.Overrule = &d
	}
	if d, ok := fit.Decisions[app.LevelOverrule]; ok {
		b.Chosen = &d
	}
	if err := b.without(c, fit); err != nil {
		return nil, err
	}
	if a.Schools != nil {
		for _, s := range term.Schools {
			b.Schools = append(b.Schools, school{kit.Sentence(draw.SchoolNames[s]), s, s == a.Lead, a.Schools.Of(s)})
		}
	}
	return b, nil
}

// IfOf is a school's level in the answer without what was lifted out.
func (b body) IfOf(s term.School) *term.Level { return b.If.Schools.Of(s).Level }

// without answers anew less the pieces of evidence that the address names. Nothing of
// it is saved.
func (b *body) without(c *gin.Context, fit *app.Fit) error {
	names := c.QueryArray("without")
	if len(names) == 0 || b.Answer.Refer {
		return nil
	}
	less, err := fit.Evidence().Without(names...)
	if err != nil {
		return app.ErrNotFound
	}
	answer, err := core.Decide(less)
	if err != nil {
		return err
	}
	b.If = &answer
	for i, name := range names {
		rest := url.Values{"without": slices.Delete(slices.Clone(names), i, i+1)}
		back := bench.URL(fit.ID, "support")
		if q := rest.Encode(); q != "" {
			back += "?" + q
		}
		piece, side, _ := strings.Cut(name, ".")
		b.Lifted = append(b.Lifted, lifted{name, strings.TrimSpace(side + " " + core.Words(piece)), back})
	}
	return nil
}

// extra lets a fitter go on in spite of a caution, with a reason, or take that back.
func extra(b *bench.Bench) []kit.Route {
	may := []app.Role{app.Owner, app.Fitter}
	return []kit.Route{{Method: http.MethodPost, Path: "/fits/:fit/overrule", Roles: may, Handle: func(c *gin.Context) {
		fit, err := b.Load(c)
		if err != nil {
			b.Fail(c, err)
			return
		}
		form, v, err := kit.Decode(c, app.OverruleFields, kit.MustWho(c).Units, "undo")
		if err == nil {
			err = b.App.Overrule(c, kit.MustWho(c), fit.ID, v["reason"].Text, form.Get("undo") == "yes")
		}
		b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "support"))
	}}, {Method: http.MethodPost, Path: "/fits/:fit/level", Roles: may, Handle: func(c *gin.Context) {
		fit, err := b.Load(c)
		if err != nil {
			b.Fail(c, err)
			return
		}
		form, v, err := kit.Decode(c, app.LevelFields, kit.MustWho(c).Units, "undo")
		if err == nil {
			err = b.App.OverruleLevel(c, kit.MustWho(c), fit.ID, term.Level(v["level"].Text), v["level_reason"].Text, form.Get("undo") == "yes")
		}
		b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "support"))
	}}}
}
