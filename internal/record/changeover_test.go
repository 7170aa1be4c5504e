package record_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"trevik/internal/core/care"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/record"
)

// flat is a pair very unlike the world's others: low, with no drop.
const flat = 20

// goingOver is a runner with a week on the board, a flat old pair and a new one that suits the week better, and a plan of going over
// to it that began so many days ago.
func goingOver(t testing.TB, days int) *world {
	w := fitted(t)
	m := *w.shop.Catalogue.ByID(skua)
	m.ID, m.Name, m.StackHeelMM, m.StackForefootMM, m.Class = "flat", "flat", 24, 24, term.TempoClass
	w.shop.Catalogue = record.NewCatalogue(nil, map[uint64]*shoe.Model{skua: w.shop.Catalogue.ByID(skua), tern: w.shop.Catalogue.ByID(tern),
		flat: &m})
	w.told(t, "rotation", "plan_day.1", "tue", "plan_km.1", "4", "plan_kind.1", "easy", "plan_ground.1", "road", "plan_day.2", "thu",
		"plan_km.2", "8", "plan_kind.2", "easy", "plan_ground.2", "road", "plan_day.3", "fri", "plan_km.3", "10", "plan_kind.3", "easy",
		"plan_ground.3", "road", "plan_day.4", "sun", "plan_km.4", "18", "plan_kind.4", "long", "plan_ground.4", "road")
	w.owns(flat, 120, 250)
	w.owns(skua, 1, 0)
	old, fresh := &w.runner.Pairs[0], &w.runner.Pairs[1]
	ask := care.Change{Schema: care.ChangeSchema, From: record.CareShoe(&old.Model), To: record.CareShoe(&fresh.Model), WeeklyKM: 40,
		Start: daysAgo(days).Format(time.DateOnly)}
	w.runner.Changes = []record.ChangeFacts{{ID: 1, From: old.Name(), To: fresh.Name(), FromPair: old.ID, ToPair: fresh.ID, Asked: ask,
		MadeAt: daysAgo(days)}}
	return w
}

// takes are the km of each pair in the present week, by the plan and by the serving.
func (w *world) takes(t testing.TB) (plan, serving map[uint64]float64) {
	t.Helper()
	c := w.follow(t)
	p, err := c.Plan(context.Background(), record.What{})
	must(t, err)
	plan, serving = map[uint64]float64{}, map[uint64]float64{}
	for _, l := range p.Lines {
		if l.Pair != nil {
			plan[l.Pair.ID] = l.KM
		}
	}
	s, err := c.Serving()
	must(t, err)
	for i := range s.Parts {
		for j, km := range s.Takes[i] {
			serving[s.Pairs[j].ID] += km
		}
	}
	return plan, serving
}

// In every week of the plan the new pair takes no more than it allows, in the rotation and in what the
// forecasts go by; the old pair takes the rest. Sore, the week comes again; stopped, nothing; ended, all.
func TestTheRotationObeysChangingOver(t *testing.T) {
	weeks := 0
	for days := 0; days < 7*6; days += 2 {
		w := goingOver(t, days)
		c := w.follow(t)
		going, err := c.GoingOver()
		must(t, err)
		fresh := w.runner.Pairs[1].ID
		plan, serving := w.takes(t)
		if len(going) == 0 {
			if plan[fresh] < 20 && serving[fresh] < 20 {
				t.Errorf("after %d days the plan is over, and the new pair takes %.1f and %.1f km", days, plan[fresh], serving[fresh])
			}
			continue
		}
		weeks++
		allowed, _ := going[0].Allowed(today)
		if plan[fresh] > allowed+1e-9 || serving[fresh] > allowed+1e-9 {
			t.Errorf("after %d days %.1f km are allowed, it takes %.1f and %.1f", days, allowed, plan[fresh], serving[fresh])
		}
		if sum := serving[fresh] + serving[w.runner.Pairs[0].ID]; math.Abs(sum-40) > 1e-6 {
			t.Errorf("after %d days %.1f km of 40 are served", days, sum)
		}
		if !strings.Contains(going[0].Text(today), fmt.Sprintf("up to %.1f km", allowed)) {
			t.Error(going[0].Text(today))
		}
	}
	if weeks < 8 {
		t.Errorf("only %d days of the plan were seen", weeks)
	}
	w := goingOver(t, 10)
	place := term.Place("achilles")
	w.runner.Changes[0].Asked.Reports = []care.Report{{Week: 1, Soreness: 4, Place: &place}}
	if plan, serving := w.takes(t); plan[w.runner.Pairs[1].ID] > 0 || serving[w.runner.Pairs[1].ID] > 0 {
		t.Errorf("stopped, it takes %v and %v", plan, serving)
	}
	w.runner.Changes[0].Ended = true
	if _, serving := w.takes(t); serving[w.runner.Pairs[1].ID] == 0 {
		t.Errorf("ended, the new pair takes %v", serving)
	}
	// Without another pair that serves there is nobody to take the rest.
	w = goingOver(t, 3)
	w.runner.Pairs[0].SetAsideOn = today
	if going, err := w.follow(t).GoingOver(); err != nil || len(going) > 0 {
		t.Errorf("the only pair is held back: %v, %v", going, err)
	}
}

// A new pair that is gone over to is forecast to last longer, since it is run less at first; and where no
// week is on the board the shares of the plan hold.
func TestChangingOverMovesForecasts(t *testing.T) {
	w := goingOver(t, 0)
	worn := func() record.Worn {
		t.Helper()
		list, err := w.follow(t).Worn()
		must(t, err)
		return list[1]
	}
	slow := worn()
	w.runner.Changes[0].Ended = true
	if all := worn(); *slow.Wear.Dates.P50 <= *all.Wear.Dates.P50 {
		t.Errorf("going over it lasts until %s, run at once until %s", *slow.Wear.Dates.P50, *all.Wear.Dates.P50)
	}
	w = goingOver(t, 0)
	w.stored = nil
	w.told(t, "hello", "flags", "none", "complaints", "none", "surface", "road", "week_kind.1", "easy", "week_ground.1", "road", "week_km.1",
		"40", "mass_kg", "70")
	_, serving := w.takes(t)
	sum := 0.0
	for _, km := range serving {
		sum += km
	}
	if got := serving[w.runner.Pairs[1].ID]; got > 4+1e-9 || math.Abs(sum-40) > 1e-6 {
		t.Errorf("without a board the new pair takes %.1f of %.1f km", got, sum)
	}
}

// What it would take to go over: from the pair they run in, else from what was told of the present one;
// nothing to a model like it, and not where the way is barred.
func TestWayTo(t *testing.T) {
	w := goingOver(t, 0)
	w.runner.Changes = nil
	w.runner.Pairs[0].Model, w.runner.Pairs[0].ModelRow = *w.shop.Catalogue.ByID(skua), skua
	way, err := w.follow(t).WayTo(w.shop.Catalogue.ByID(flat))
	must(t, err)
	if way == nil || !way.Plan.Needed || way.FromPair != w.runner.Pairs[0].ID || !strings.Contains(way.Text(), "takes 8 weeks") {
		t.Fatalf("%+v %s", way, way.Text())
	}
	if way, err := w.follow(t).WayTo(w.shop.Catalogue.ByID(skua)); err != nil || way.Text() != "" {
		t.Errorf("to the same model: %s, %v", way.Text(), err)
	}
	w.told(t, "hello", "complaint_place.1", "achilles", "complaint_months.1", "2")
	if way, err = w.follow(t).WayTo(w.shop.Catalogue.ByID(flat)); err != nil || way.Plan.Refused == nil ||
		!strings.HasPrefix(way.Text(), "Not from") {
		t.Errorf("with a sore Achilles tendon: %+v, %v", way, err)
	}
	w = fitted(t)
	if way, err := w.follow(t).WayTo(w.shop.Catalogue.ByID(tern)); err != nil || way != nil {
		t.Errorf("nothing is known of the present pair: %+v, %v", way, err)
	}
	w.told(t, "old-pair", "present_drop_mm", "2", "present_stack_mm", "12")
	if way, err := w.follow(t).WayTo(w.shop.Catalogue.ByID(skua)); err != nil || way == nil || way.From != "the present pair" ||
		!way.Plan.Needed {
		t.Errorf("from what was told: %+v, %v", way, err)
	}
}

// Whatever the week, what a plan of changing over lets the new pair have is within what it allows.
func TestBarsAreWithinThePlan(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 5))
	days := []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}
	kinds := []string{"easy", "long", "intervals", "recovery", "tempo"}
	for range 60 {
		w := goingOver(t, r.IntN(35))
		kept := w.stored[:0]
		for _, s := range w.stored {
			if !strings.HasPrefix(s.Key.Name, "plan_") {
				kept = append(kept, s)
			}
		}
		w.stored = kept
		for i, n := 1, 1+r.IntN(7); i <= n; i++ {
			w.told(t, "rotation", fmt.Sprint("plan_day.", i), days[i-1], fmt.Sprint("plan_km.", i), fmt.Sprint(3+r.IntN(20)),
				fmt.Sprint("plan_kind.", i), kinds[r.IntN(len(kinds))], fmt.Sprint("plan_ground.", i), "road")
		}
		going, err := w.follow(t).GoingOver()
		must(t, err)
		if len(going) == 0 {
			continue
		}
		allowed, _ := going[0].Allowed(today)
		if plan, _ := w.takes(t); plan[w.runner.Pairs[1].ID] > allowed+1e-9 {
			t.Errorf("%.1f km are allowed, it takes %.1f", allowed, plan[w.runner.Pairs[1].ID])
		}
	}
}

// Where the natural foot leads, its next step is told, and the models that take it rank above those that do
// not, at Shoes and in the plan.
func TestNaturalFootMovesTheAnswer(t *testing.T) {
	w := goingOver(t, 0)
	w.runner.Changes, w.runner.Pairs = nil, nil
	low := *w.shop.Catalogue.ByID(skua)
	low.ID, low.Name, low.StackForefootMM, low.StackHeelMM = "low", "low", 20, 24
	high := low
	high.ID, high.Name, high.StackForefootMM, high.StackHeelMM = "high", "high", 26, 36
	w.shop.Catalogue = record.NewCatalogue(nil, map[uint64]*shoe.Model{1: &high, 2: &low})
	w.told(t, "old-pair", "present_drop_mm", "8", "present_stack_mm", "34")
	first := func() (ranked, planned string) {
		t.Helper()
		c := w.follow(t)
		a, _, err := c.Match()
		must(t, err)
		list, err := c.Candidates(c.Board()[0])
		must(t, err)
		return a.Ranked[0].Model, list[0].ID
	}
	if s := w.follow(t).NextStep(); s != "" {
		t.Errorf("another school leads: %s", s)
	}
	ranked, planned := first()
	w.visit.Settings.LeadSchool = term.NaturalFoot
	naturalRanked, naturalPlanned := first()
	if ranked != "high" || planned != "high" || naturalRanked != "low" || naturalPlanned != "low" {
		t.Errorf("first were %s and %s, and by the natural foot %s and %s", ranked, planned, naturalRanked, naturalPlanned)
	}
	if s := w.follow(t).NextStep(); !strings.Contains(s, "about 4 mm") || !strings.Contains(s, "24 mm under the heel") {
		t.Error(s)
	}
}
