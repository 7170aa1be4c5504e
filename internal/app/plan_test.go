package app_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/rotation"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// Whatever week was told, it is laid out whole but for lifting, and no two runs of it
// overlap.
func TestLayOut(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	r := rand.New(rand.NewPCG(7, 1))
	for n := range 20 {
		fit := b.ready(t)
		told := 0.0
		typed := []string{fmt.Sprintf("run_days=%d", 1+r.IntN(7))}
		for row := 1; row <= app.WeekRows; row++ {
			if row > 1 && r.IntN(3) == 0 {
				typed = append(typed, fmt.Sprintf("week_kind.%d=", row), fmt.Sprintf("week_km.%d=", row))
				continue
			}
			kind, km := term.Kinds[r.IntN(len(term.Kinds))], float64(1+r.IntN(30))
			if kind != term.Gym {
				told += km
			}
			typed = append(typed, fmt.Sprintf("week_kind.%d=%s", row, kind), fmt.Sprintf("week_ground.%d=road", row), fmt.Sprintf("week_km.%d=%g", row, km))
		}
		b.typed(t, b.fitter, fit, "hello", typed...)
		_, err := b.LayOut(ctx, b.fitter, fit)
		must(t, err)
		_, err = b.LayOut(ctx, b.fitter, fit) // anew is the same
		must(t, err)
		parts, half := b.load(t, fit).Planned()
		laid := 0.0
		for _, p := range parts {
			laid += p.KM
		}
		if half != 0 || math.Abs(laid-told) > 0.05 {
			t.Errorf("week %d %v: %g km laid out, %d rows in half; told were %g", n, typed, laid, half, told)
		}
		if len(parts) == 0 {
			continue
		}
		if _, err := rotation.Solve(ctx, rotation.Week{Parts: parts}); err != nil {
			t.Errorf("week %d %v: %v", n, typed, err)
		}
	}
}

// The candidates are the pairs in use, a second one of each and models that fit; what is
// left out to look is no candidate, and more money is only added to a limit.
func TestPlanWeek(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	c, err := b.Catalogue(ctx, b.fitter)
	must(t, err)
	answer, _, err := b.load(t, fit).Match(c)
	must(t, err)
	best := answer.Ranked[0].Model
	runner := b.load(t, fit).Runner.ID
	_, err = b.AddOwnedPair(ctx, b.fitter, b.token(), runner, app.OwnedPair{Code: best, UK: 8, Since: b.now.Format("2006-01-02")})
	must(t, err)
	b.typed(t, b.fitter, fit, "rotation", "plan_day.1=tue", "plan_km.1=8", "plan_kind.1=easy", "plan_ground.1=road", "plan_start.2=7:05", "plan_day.2=wed", "plan_km.2=9", "plan_kind.2=easy", "plan_day.3=fri")
	f := b.load(t, fit)
	parts, half := f.Planned()
	if len(parts) != 2 || half != 1 || parts[0].Start != "18:30" || parts[1].Start != "07:05" || parts[1].Ground != term.GroundRoad {
		t.Fatalf("%+v, %d in half", parts, half)
	}
	pairs, err := b.Pairs(ctx, b.fitter, runner)
	must(t, err)
	worn, err := f.Worn(f.Serve(pairs))
	must(t, err)
	list, err := f.Candidates(c, worn, parts)
	must(t, err)
	if !list[0].Owned || list[0].LifeKM == nil || list[0].Price != 0 {
		t.Errorf("the first is %+v", list[0])
	}
	names := map[string]bool{}
	for _, x := range list {
		if names[x.Name] {
			t.Errorf("two candidates are called %s", x.Name)
		}
		names[x.Name] = true
	}
	second := 0
	for _, x := range list[1:] {
		if x.Owned || x.Price <= 0 || *x.LifeKM <= 0 {
			t.Errorf("%+v", x)
		}
		if x.Second {
			second++
			if x.ID != best {
				t.Errorf("a second of %s", x.ID)
			}
		}
	}
	if second != 1 || len(list) < 5 {
		t.Errorf("%d candidates, %d of them a second one", len(list), second)
	}
	if w := f.PlanWeek(parts, list, nil, 5000); w.Budget != nil || *w.MaxPairs != 3 || len(w.Pairs) != len(list) {
		t.Errorf("%+v", w)
	}
	b.typed(t, b.fitter, fit, "rotation", "plan_money=0", "plan_pairs=1")
	f = b.load(t, fit)
	w := f.PlanWeek(parts, list, []string{best}, 0)
	if *w.Budget != 0 || *w.MaxPairs != 1 || len(w.Pairs) != len(list)-1 {
		t.Errorf("%+v", w)
	}
	a, err := rotation.Solve(ctx, w)
	must(t, err)
	// 8 km on Tuesday evening take 48 minutes: Wednesday at 7:05 is no day of rest later.
	if len(a.Buy) != 0 || a.CoveredKM != 9 || a.Spent != 0 {
		t.Errorf("without money: %+v", a)
	}
	if w := f.PlanWeek(parts, list, nil, 5000); *w.Budget != 5000 {
		t.Errorf("%d", *w.Budget)
	}
	for _, bad := range []string{"plan_start.1=25:00", "plan_start.1=18:60", "plan_start.1=noon", "plan_km.1=-3", "plan_day.1=someday", "plan_kind.1=gym", "plan_minutes.1=0", "plan_pairs=7", "plan_money=-1"} {
		name, typed, _ := strings.Cut(bad, "=")
		field, k, _ := app.FieldOf("rotation", name)
		var l fault.List
		if _, ok := field.Read(&l, k, []string{typed}, units.Metric); ok || len(l) != 1 || l[0].Field != name {
			t.Errorf("%s: taken %t, %v", bad, ok, l)
		}
	}
}
