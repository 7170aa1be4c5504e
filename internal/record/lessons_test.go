package record_test

import (
	"math"
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/gait"
	"trevik/internal/core/house"
	"trevik/internal/core/learn"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
	"trevik/internal/record"
)

// lesson is one of a class, with or without the model itself.
func lesson(class term.Class, ended int, median, sd float64, models ...learn.ModelLife) *record.Lesson {
	return record.NewLesson(record.Lesson{Life: learn.LifeAnswer{Ended: ended, Classes: []learn.ClassLife{{Class: class,
		Median: learn.Span{P10: 0.9 * median, P50: median, P90: 1.1 * median}, Ln: learn.Belief{Mean: math.Log(median), SD: sd},
		Counts: learn.Counts{WornOut: ended}}}, Models: models}})
}

// What the shop's own pairs taught stands in the place of the house's figure from five worn out on, with its doubt and with how
// many it comes from: in the wear of a pair, in what is ranked, and not where the house's figures are chosen.
func TestLearnedLives(t *testing.T) {
	w := fitted(t)
	w.owns(skua, 30, 100)
	m := w.shop.Catalogue.ByID(skua)
	look := func() (wear.Answer, float64) {
		t.Helper()
		c := w.follow(t)
		worn, err := c.Worn()
		if err != nil {
			t.Fatal(err)
		}
		answer, ok, err := c.Match()
		if err != nil || !ok {
			t.Fatal(ok, err)
		}
		for _, r := range answer.Ranked {
			if r.Model == m.ID {
				return worn[0].Wear, r.LifeKM
			}
		}
		t.Fatal("it is not ranked")
		return wear.Answer{}, 0
	}
	shipped, told := look()
	h := &w.shop.Settings.House
	few := lesson(m.Class, 4, 900, 0.1)
	if few.Of(m, h) != nil {
		t.Error("four worn out stand in the place of the house's figure")
	}
	w.shop.Settings.Learned, w.visit.Settings.Learned = few, few
	if a, life := look(); a.LnLife != shipped.LnLife || life != told {
		t.Errorf("from four worn out: %+v, not %+v", a.LnLife, shipped.LnLife)
	}
	class := lesson(m.Class, 14, 900, 0.1)
	l := class.Of(m, h)
	want := 900.0
	if m.MedianLifeKM != nil {
		want = *m.MedianLifeKM * 900 / h.MedianLife(m.Class)
	}
	if l == nil || l.Pairs != 14 || math.Abs(l.MedianKM-want) > 1e-9 || math.Abs(l.SDLn-math.Hypot(0.1, 0.15)) > 1e-9 {
		t.Fatalf("a model never seen: %+v", l)
	}
	own := lesson(m.Class, 14, 900, 0.1, learn.ModelLife{Model: m.ID, Class: m.Class, Median: learn.Span{P50: 1000},
		Ln: learn.Belief{Mean: math.Log(1000), SD: 0.12}, Counts: learn.Counts{WornOut: 3}})
	if l := own.Of(m, h); l.MedianKM != 1000 || l.SDLn != 0.12 || l.Pairs != 3 {
		t.Errorf("the model itself: %+v", l)
	}
	// A pair wears by what is known at present; a fit is ranked by what was known when it was made.
	w.shop.Settings.Learned = own
	if _, life := look(); life != told {
		t.Errorf("a fit of before is ranked by %g km, not %g", life, told)
	}
	w.visit.Settings.Learned = own
	a, life := look()
	if a.LnLife.Mean <= shipped.LnLife.Mean || life != 1000 {
		t.Errorf("learned: %+v and %g km ranked; the house: %+v, %g", a.LnLife, life, shipped.LnLife, told)
	}
	if !strings.Contains(strings.Join(a.Why, " "), "from 3 pairs of ours") {
		t.Errorf("it does not say where the figure comes from: %q", a.Why)
	}
	if said := w.follow(t).FromOurs(m); said != ", from 3 pairs of ours" {
		t.Errorf("%q", said)
	}
	set := map[string]string{record.LearnedLives: record.HouseLives}
	s := record.Settings{Learned: own, Weights: map[string]float64{"hold": 1}}
	if s.Choose(set); s.Learned != nil || s.Weights != nil {
		t.Error("the house's figures are chosen, and ours stand")
	}
}

// Pairs that were set aside worn out are lives; others lasted at least so long; what nobody counted tells no life.
func TestLivesToLearn(t *testing.T) {
	w := fitted(t)
	for i := range 4 {
		p := w.owns(skua, 200-i, 300)
		if i > 0 {
			p.SetAsideOn, p.Reason = daysAgo(2), record.WornOut
		}
	}
	w.runner.Pairs[2].Reason = "broken"
	w.runner.Pairs[3].Before = wear.Before{Unknown: true}
	list := w.follow(t).Lives()
	if len(list) != 3 || list[0].Ended != learn.InUse || list[1].Ended != learn.WornOut || list[2].Ended != learn.Other ||
		*list[1].EffectiveKM < 250 || list[1].MassKG == nil || *list[1].MassKG != 70 || list[1].Runner != "" {
		t.Errorf("%+v", list)
	}
}

// Weights that were learned rank, of the house's sum; one that is set in a fit counts as it would beside the house's.
func TestLearnedWeights(t *testing.T) {
	w := fitted(t)
	v := w.visit
	sum := 0.0
	for _, x := range v.Settings.House.Weights {
		sum += x
	}
	if v.WeightOf("hold") != v.Settings.House.Weights[slices.Index(house.Marks, "hold")] {
		t.Error("without any it is not the house's")
	}
	v.Settings.Weights = map[string]float64{}
	for _, name := range house.Marks {
		v.Settings.Weights[name] = 0.05
	}
	v.Settings.Weights["hold"] = 0.4
	if got := v.WeightOf("hold"); math.Abs(got-0.4*sum) > 0.01 {
		t.Errorf("hold weighs %g of %g", got, sum)
	}
	answer, ok, err := w.follow(t).Match()
	if err != nil || !ok {
		t.Fatal(ok, err)
	}
	for _, m := range answer.Ranked[0].Marks {
		if want := map[bool]float64{true: 0.4, false: 0.05}[m.Mark == "hold"]; math.Abs(m.Weight-want) > 1e-5 {
			t.Errorf("%s weighs %g, not %g", m.Mark, m.Weight, want)
		}
	}
}

// What was told of a race and of the day to order by is held against what came; what cannot be known is left out.
func TestPromises(t *testing.T) {
	w := fitted(t)
	raced := w.owns(skua, 120, 300)
	on := daysAgo(20)
	promises := func() map[string][]learn.Promise { return w.follow(t).Promises() }
	w.runner.Season.Outlooks = []record.Outlook{{RaceOn: on, Ready: 0.85, On: daysAgo(40)}, {RaceOn: today.AddDate(0, 0, 9), Ready: 0.5,
		On: daysAgo(3)}}
	if got := promises()[record.RacePromise]; len(got) != 0 {
		t.Errorf("no run of the day is known: %+v", got)
	}
	raced.Runs = append(raced.Runs, record.Run{ID: 801, PairID: raced.ID, On: on, KM: 21.2, Ground: term.GroundRoad, Kind: term.Race})
	if got := promises()[record.RacePromise]; len(got) != 1 || got[0] != (learn.Promise{Told: 0.85, Kept: true}) {
		t.Errorf("raced in a pair of some 250 km: %+v", got)
	}
	raced.SetAsideOn, raced.Reason = on, record.WornOut
	if got := promises()[record.RacePromise]; len(got) != 1 || got[0].Kept {
		t.Errorf("the pair was worn out on its day: %+v", got)
	}
	fresh := w.owns(tern, 60, 0)
	fresh.Runs = append(fresh.Runs, record.Run{ID: 802, PairID: fresh.ID, On: on, KM: 21.2, Ground: term.GroundRoad, Kind: term.Race})
	w.runner.Pairs[0].Runs = w.runner.Pairs[0].Runs[:len(w.runner.Pairs[0].Runs)-1]
	if got := promises()[record.RacePromise]; len(got) != 1 || got[0].Kept {
		t.Errorf("raced in a pair that was new: %+v", got)
	}
	w.runner.Season.Outlooks[0].On = on
	if got := promises()[record.RacePromise]; len(got) != 0 {
		t.Errorf("told on the day itself: %+v", got)
	}

	for _, c := range []struct {
		name        string
		told, until int // days ago
		aside       int // 0 is in use
		reason      string
		n           int
		kept        bool
	}{
		{"in use past the day", 40, 10, 0, "", 1, true},
		{"in use, the day to come", 40, -10, 0, "", 0, false},
		{"worn out after it", 60, 30, 10, record.WornOut, 1, true},
		{"worn out before it", 60, 10, 30, record.WornOut, 1, false},
		{"given away before it", 60, 10, 30, "given_away", 0, false},
		{"worn out and never due", 0, 0, 30, record.WornOut, 1, false},
		{"in use and never due", 0, 0, 0, "", 0, false},
	} {
		w := fitted(t)
		p := w.owns(skua, 200, 400)
		if c.told > 0 {
			p.OrderTold, p.LastsUntil = daysAgo(c.told), daysAgo(c.until)
		}
		if c.aside > 0 {
			p.SetAsideOn, p.Reason = daysAgo(c.aside), c.reason
		}
		got := w.follow(t).Promises()[record.OrderPromise]
		if len(got) != c.n || c.n == 1 && got[0] != (learn.Promise{Told: record.LastsChance, Kept: c.kept}) {
			t.Errorf("%s: %+v", c.name, got)
		}
	}
}

// The chance that the room is as wanted, in the size that was tried, is held against the toes; in a size that leaves too little it
// is small, and what the toes said of a size does not move what was told of it.
func TestRoomPromises(t *testing.T) {
	promise := func(toes string, uk float64) learn.Promise {
		t.Helper()
		w := fitted(t)
		w.found(record.Key{Name: record.TryRoom.Name, Model: skua}, 0, toes)
		if uk > 0 {
			w.found(record.Key{Name: record.TrySize.Name, Model: skua}, uk, "")
		}
		got, err := w.follow(t).RoomPromises()
		if err != nil || len(got) != 1 {
			t.Fatalf("%+v, %v", got, err)
		}
		return got[0]
	}
	c := fitted(t).follow(t)
	offered, ok, err := c.Offered(c.Shop.Catalogue.ByID(skua).ID)
	if err != nil || !ok {
		t.Fatal(ok, err)
	}
	right := promise("right", 0)
	if !right.Kept || right.Told <= 0.3 || right.Told > 1 {
		t.Errorf("in the size that is offered: %+v", right)
	}
	if told := promise("right", float64(offered.Size.Figure)); told != right {
		t.Errorf("%+v, the size told %+v", right, told)
	}
	if short := promise("short", 0); short.Kept || short.Told != right.Told {
		t.Errorf("toes that were short: %+v, not told with %.3f", short, right.Told)
	}
	if small := promise("short", float64(offered.Size.Figure)-1.5); small.Kept || small.Told > 0.5*right.Told {
		t.Errorf("a size and a half smaller: %+v, against %+v", small, right)
	}
}

// A foot that was filmed twice alike holds the band of the first film against that of the second; films in other shoes do not.
func TestBandPromises(t *testing.T) {
	film := func(row int, shod string, left, right term.Band) (record.Key, string) {
		side := func(b term.Band) *gait.SideReading {
			return &gait.SideReading{Band: b, BandProbability: &support.BandProbability{Neutral: 0.7, Mild: 0.3}}
		}
		return record.Key{Name: record.FilmRead.Name, Row: row}, toJSON(gait.Answer{Schema: "trevik.gait/v1", View: gait.Rear, Gait: gait.Run,
			Shod: shod, Sides: map[term.Side]*gait.SideReading{term.Left: side(left), term.Right: side(right)}})
	}
	w := fitted(t)
	for i, x := range []struct {
		shod        string
		left, right term.Band
	}{{record.TestShoe, "neutral", "neutral"}, {record.Barefoot, "mild", "mild"}, {record.TestShoe, "neutral", "mild"}} {
		key, answer := film(i+1, x.shod, x.left, x.right)
		w.found(key, 0, answer)
	}
	got := w.follow(t).BandPromises()
	if len(got) != 2 || got[0] != (learn.Promise{Told: 0.7, Kept: true}) || got[1] != (learn.Promise{Told: 0.7}) {
		t.Errorf("%+v", got)
	}
}
