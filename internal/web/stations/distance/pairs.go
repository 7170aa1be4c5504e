package distance

import (
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/web/bench"
	"trevik/internal/web/kit"
)

// one is a form about one thing of the address, such as a pair.
func one(b *bench.Bench, c *gin.Context, of string, fields []app.Field, at func(uint64) string, do func(fit *app.Fit, id uint64, form url.Values, v map[string]app.Value) error) {
	id, err := kit.ID(c, of)
	if err != nil {
		b.Fail(c, err)
		return
	}
	change(b, c, fields, []string{"cupboard"}, at(id), func(fit *app.Fit, form url.Values, v map[string]app.Value) error { return do(fit, id, form, v) })
}

func nowhere(uint64) string { return "" }

// ReadLook reads the form of a look at a pair, left and right. It fails with a fault.List.
func ReadLook(c *gin.Context, u units.System) (url.Values, app.NewLook, error) {
	form, err := kit.Form(c, func(name string) bool {
		base, _, _ := strings.Cut(name, ".")
		return name == "cupboard" || slices.ContainsFunc(app.InspectFields, func(f app.Field) bool { return f.Name == base })
	})
	n := app.NewLook{On: form.Get("looked_on"), Note: form.Get("look_note"), Fresh: form.Get("look_fresh") == "yes", Grades: map[string]map[term.Side]string{}}
	if err != nil {
		return form, n, err
	}
	var l fault.List
	for _, f := range app.InspectFields {
		switch {
		case f.Sides:
			part := strings.TrimPrefix(f.Name, "look_")
			n.Grades[part] = map[term.Side]string{}
			for _, s := range term.Sides {
				k := app.Key{Name: f.Name, Side: s}
				if v, ok := f.Read(&l, k, form[k.Input()], u); ok {
					n.Grades[part][s] = v.Text
				}
			}
		case f.Name == "look_faults", f.Name == "look_causes":
			v, ok := f.Read(&l, app.Key{Name: f.Name}, form[f.Name], u)
			if !ok || v.Empty {
				continue
			}
			if f.Name == "look_faults" {
				n.Faults = strings.Split(v.Text, ",")
			} else {
				n.Causes = strings.Split(v.Text, ",")
			}
		}
	}
	return form, n, l.Err()
}

// look keeps a look at a pair.
func look(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	id, err := kit.ID(c, "pair")
	form, n, wrong := ReadLook(c, kit.MustWho(c).Units)
	if err == nil {
		err = wrong
	}
	if err == nil {
		err = b.App.AddLook(c, kit.MustWho(c), fit.Runner.ID, id, n)
	}
	to := saved(b, fit, pairAt(id))
	if at := form.Get("cupboard"); at != "" {
		to = bench.URL(fit.ID, "distance") + "?cupboard=" + url.QueryEscape(at)
	}
	b.Done(c, Station(), fit, form, err, to)
}

func takeBack(b *bench.Bench, c *gin.Context) {
	one(b, c, "look", nil, nowhere, func(fit *app.Fit, id uint64, _ url.Values, _ map[string]app.Value) error {
		return b.App.TakeLookBack(c, kit.MustWho(c), fit.Runner.ID, id)
	})
}

func lifting(b *bench.Bench, c *gin.Context) {
	one(b, c, "pair", app.LiftingFields, pairAt, func(fit *app.Fit, id uint64, _ url.Values, v map[string]app.Value) error {
		return b.App.AddLifting(c, kit.MustWho(c), fit.Runner.ID, id, v["lifting_hours"].Number)
	})
}

func setAside(b *bench.Bench, c *gin.Context) {
	one(b, c, "pair", app.AsideFields, nowhere, func(fit *app.Fit, id uint64, _ url.Values, v map[string]app.Value) error {
		return b.App.SetAside(c, kit.MustWho(c), fit.Runner.ID, id, true, v["aside_reason"].Text, v["aside_note"].Text)
	})
}

func resume(b *bench.Bench, c *gin.Context) {
	one(b, c, "pair", nil, pairAt, func(fit *app.Fit, id uint64, _ url.Values, _ map[string]app.Value) error {
		return b.App.SetAside(c, kit.MustWho(c), fit.Runner.ID, id, false, "", "")
	})
}

func slow(b *bench.Bench, c *gin.Context) {
	id, err := kit.ID(c, "pair")
	if err != nil {
		b.Fail(c, err)
		return
	}
	change(b, c, nil, []string{"cupboard", "slow"}, pairAt(id), func(fit *app.Fit, form url.Values, _ map[string]app.Value) error {
		return b.App.SlowDown(c, kit.MustWho(c), fit.Runner.ID, id, form.Get("slow") == "yes")
	})
}

func addRule(b *bench.Bench, c *gin.Context) {
	change(b, c, app.RuleFields, nil, "rules", func(fit *app.Fit, _ url.Values, v map[string]app.Value) error {
		return b.App.AddRule(c, kit.MustWho(c), fit.Runner.ID, app.Rule{Kind: term.Kind(v["rule_kind"].Text), Ground: term.Ground(v["rule_ground"].Text), PairID: uint64(v["rule_pair"].Number), Second: uint64(v["rule_second"].Number)})
	})
}

func endRule(b *bench.Bench, c *gin.Context) {
	one(b, c, "rule", nil, nowhere, func(fit *app.Fit, id uint64, _ url.Values, _ map[string]app.Value) error {
		return b.App.TakeRuleBack(c, kit.MustWho(c), fit.Runner.ID, id)
	})
}

func addRace(b *bench.Bench, c *gin.Context) {
	change(b, c, app.RaceFields, nil, "races", func(fit *app.Fit, _ url.Values, v map[string]app.Value) error {
		return b.App.AddRace(c, kit.MustWho(c), fit.Runner.ID, v["race_name"].Text, v["race_day"].Text, v["race_length"].Number, uint64(v["race_pair"].Number))
	})
}

func endRace(b *bench.Bench, c *gin.Context) {
	one(b, c, "race", nil, nowhere, func(fit *app.Fit, id uint64, _ url.Values, _ map[string]app.Value) error {
		return b.App.TakeRaceBack(c, kit.MustWho(c), fit.Runner.ID, id)
	})
}

// addPhoto keeps a picture of a pressed midsole.
func addPhoto(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	id, err := kit.ID(c, "pair")
	var data []byte
	if err == nil {
		data, err = kit.Picture(c, "photo")
	}
	if err == nil {
		err = b.App.AddPairPhoto(c, kit.MustWho(c), fit.Runner.ID, id, term.Side(c.PostForm("photo_side")), data)
	}
	b.Done(c, Station(), fit, nil, err, saved(b, fit, pairAt(id)))
}

func showPhoto(b *bench.Bench, c *gin.Context) {
	fit, err := b.Load(c)
	var id uint64
	if err == nil {
		id, err = kit.ID(c, "photo")
	}
	var data []byte
	if err == nil {
		data, err = b.App.PairPhoto(c, kit.MustWho(c), fit.Runner.ID, id)
	}
	if err != nil {
		b.Fail(c, err)
		return
	}
	c.Header("Cache-Control", "private, max-age=3600")
	c.Data(http.StatusOK, "image/jpeg", data)
}
