package distance

import (
	"net/url"
	"slices"
	"strconv"
	"strings"

	"trevik/internal/app/runlog"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/term"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/kit"
)

// ReadLook reads the form of a look at a pair, left and right. It fails with a fault.List.
func ReadLook(c *kit.Req) (url.Values, wardrobe.NewLook, error) {
	sent, err := kit.Form(c, func(name string) bool {
		base, _, _ := strings.Cut(name, ".")
		return name == "cupboard" || slices.ContainsFunc(wardrobe.LookFields, func(f form.Field) bool { return f.Name == base })
	})
	n := wardrobe.NewLook{On: sent.Get("looked_on"), Note: sent.Get("look_note"), Fresh: sent.Get("look_fresh") == "yes",
		Grades: map[string]map[term.Side]string{}}
	if err != nil {
		return sent, n, err
	}
	var l fault.List
	for _, f := range wardrobe.LookFields {
		switch {
		case f.Sides:
			part := strings.TrimPrefix(f.Name, "look_")
			n.Grades[part] = map[term.Side]string{}
			for _, s := range term.Sides {
				input := f.Name + "." + string(s)
				if v, ok := f.Read(&l, input, sent[input], c.Who.Units); ok {
					n.Grades[part][s] = v.Text
				}
			}
		case f.Kind == form.Many:
			v, ok := f.Read(&l, f.Name, sent[f.Name], c.Who.Units)
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
	return sent, n, l.Err()
}

// look keeps a look at a pair.
func look(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		id, err := kit.RowID(c, "pair")
		if err != nil {
			return err
		}
		form, n, err := ReadLook(c)
		if err == nil {
			err = b.App.Wardrobe.AddLook(c.Ctx(), c.Who, fit.Runner.ID, id, n)
		}
		to := saved(b, fit, pairAt(id))
		if at := form.Get("cupboard"); at != "" {
			to = bench.URL(fit.ID, "distance") + "?cupboard=" + url.QueryEscape(at)
		}
		return b.Done(c, Station(), fit, form, err, to)
	}
}

func takeBack(b *bench.Bench) kit.Handler {
	return post{of: "look", at: top, do: func(s sent) error { return b.App.Wardrobe.TakeLookBack(s.Ctx(), s.Who, s.runner, s.id) }}.handle(b)
}

// report puts down how a pair does after some weeks.
func report(b *bench.Bench) kit.Handler {
	return post{fields: wardrobe.ReportFields, of: "pair", at: pairAt, do: func(s sent) error {
		return b.App.Wardrobe.AddReport(s.Ctx(), s.Who, s.runner, s.id, s.v["report_comfort"].Ptr(), s.v["report_note"].Text)
	}}.handle(b)
}

func lifting(b *bench.Bench) kit.Handler {
	return post{fields: wardrobe.LiftingFields, of: "pair", at: pairAt, do: func(s sent) error {
		return b.App.Wardrobe.AddLifting(s.Ctx(), s.Who, s.runner, s.id, s.v["lifting_hours"].Number)
	}}.handle(b)
}

func setAside(b *bench.Bench) kit.Handler {
	return post{fields: wardrobe.AsideFields, of: "pair", at: top, do: func(s sent) error {
		return b.App.Wardrobe.SetAside(s.Ctx(), s.Who, s.runner, s.id, s.v["aside_reason"].Text, s.v["aside_note"].Text)
	}}.handle(b)
}

func resume(b *bench.Bench) kit.Handler {
	return post{of: "pair", at: pairAt, do: func(s sent) error { return b.App.Wardrobe.Resume(s.Ctx(), s.Who, s.runner, s.id) }}.handle(b)
}

func slow(b *bench.Bench) kit.Handler {
	return post{also: []string{"slow"}, of: "pair", at: pairAt, do: func(s sent) error {
		return b.App.Wardrobe.SlowDown(s.Ctx(), s.Who, s.runner, s.id, s.form.Get("slow") == "yes")
	}}.handle(b)
}

func addRule(b *bench.Bench) kit.Handler {
	return post{fields: runlog.RuleFields, at: place("rules"), do: func(s sent) error {
		return b.App.Runs.AddRule(s.Ctx(), s.Who, s.runner, record.Rule{Kind: term.Kind(s.v["rule_kind"].Text),
			Ground: term.Ground(s.v["rule_ground"].Text),
			PairID: uint64(s.v["rule_pair"].Number), Second: uint64(s.v["rule_second"].Number)})
	}}.handle(b)
}

func endRule(b *bench.Bench) kit.Handler {
	return post{of: "rule", at: top, do: func(s sent) error { return b.App.Runs.TakeRuleBack(s.Ctx(), s.Who, s.runner, s.id) }}.handle(b)
}

func addRace(b *bench.Bench) kit.Handler {
	return post{fields: wardrobe.RaceFields, at: place("races"), do: func(s sent) error {
		return b.App.Wardrobe.AddRace(s.Ctx(), s.Who, s.runner, s.v["race_name"].Text, s.v["race_day"].Text, s.v["race_length"].Number,
			uint64(s.v["race_pair"].Number))
	}}.handle(b)
}

func endRace(b *bench.Bench) kit.Handler {
	return post{of: "race", at: top, do: func(s sent) error { return b.App.Wardrobe.TakeRaceBack(s.Ctx(), s.Who, s.runner, s.id) }}.handle(b)
}

// addPhoto keeps a picture of a pressed midsole.
func addPhoto(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		id, err := kit.RowID(c, "pair")
		if err != nil {
			return err
		}
		data, err := kit.Picture(c, "photo")
		if err == nil {
			err = b.App.Wardrobe.AddPhoto(c.Ctx(), c.Who, fit.Runner.ID, id, term.Side(c.PostForm("photo_side")), data)
		}
		return b.Done(c, Station(), fit, nil, err, saved(b, fit, pairAt(id)))
	}
}

func showPhoto(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		id, err := kit.RowID(c, "photo")
		if err != nil {
			return err
		}
		data, err := b.App.Wardrobe.Photo(c.Ctx(), c.Who, fit.Runner.ID, id)
		if err != nil {
			return err
		}
		return c.Picture(data)
	}
}

// letPairIn lets a pair that its wear sets aside be run in with a reason.
func letPairIn(b *bench.Bench) kit.Handler {
	return post{fields: wardrobe.LetInFields, also: []string{"undo"}, of: "pair", at: pairAt, do: func(s sent) error {
		return b.App.Wardrobe.LetPairIn(s.Ctx(), s.Who, s.runner, s.id, s.v["let_in_pair"].Text, s.form.Get("undo") == "yes")
	}}.handle(b)
}

// counted says what a pair ran before anybody counted.
func counted(b *bench.Bench) kit.Handler {
	return post{fields: wardrobe.CountedFields, of: "pair", at: pairAt, do: func(s sent) error {
		return b.App.Wardrobe.Counted(s.Ctx(), s.Who, s.runner, s.id, s.v["before_km"].Ptr(), s.v["before_sure"].Text)
	}}.handle(b)
}

// called gives a pair the name that tells it from another.
func called(b *bench.Bench) kit.Handler {
	return post{fields: wardrobe.CalledFields, of: "pair", at: pairAt, do: func(s sent) error {
		return b.App.Wardrobe.Call(s.Ctx(), s.Who, s.runner, s.id, s.v["called"].Text)
	}}.handle(b)
}

// answered says that what a runner said of a pair was answered.
func answered(b *bench.Bench) kit.Handler {
	return post{of: "said", at: top, do: func(s sent) error {
		return b.App.Wardrobe.Answered(s.Ctx(), s.Who, s.runner, s.Param("kind"), s.id)
	}}.handle(b)
}

// facts puts a pair's facts right.
func facts(b *bench.Bench) kit.Handler {
	return post{fields: wardrobe.FactFields, of: "pair", at: pairAt, do: func(s sent) error {
		return b.App.Wardrobe.PutRight(s.Ctx(), s.Who, s.runner, s.id, wardrobe.Facts{UK: foot.Figure(s.v["fact_uk"].Number),
			Width: s.v["fact_width"].Text, Price: int64(s.v["fact_price"].Number), Since: s.v["fact_since"].Text, Worn: s.v["fact_worn"].Text})
	}}.handle(b)
}

// takeAway takes a pair away that was put down in error.
func takeAway(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		id, err := kit.RowID(c, "pair")
		if err == nil {
			_, err = kit.Form(c, kit.Known())
		}
		if err == nil {
			err = b.App.Wardrobe.TakeAway(c.Ctx(), c.Who, fit.Runner.ID, id)
		}
		return b.Done(c, Station(), fit, nil, err, bench.URL(fit.ID, "distance")+"?gone="+strconv.FormatUint(id, 10))
	}
}

func putBack(b *bench.Bench) kit.Handler {
	return post{of: "pair", at: pairAt, do: func(s sent) error { return b.App.Wardrobe.PutBack(s.Ctx(), s.Who, s.runner, s.id) }}.handle(b)
}
