package record_test

import (
	"math"
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/house"
	"trevik/internal/core/learn"
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
