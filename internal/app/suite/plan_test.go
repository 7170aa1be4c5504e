package suite_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"trevik/internal/app/runlog"
	"trevik/internal/app/visit"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/fault"
	"trevik/internal/core/rotation"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/record"
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
		for row := 1; row <= record.WeekRows; row++ {
			if row > 1 && r.IntN(3) == 0 {
				typed = append(typed, fmt.Sprintf("week_kind.%d=", row), fmt.Sprintf("week_km.%d=", row))
				continue
			}
			kind, km := term.Kinds[r.IntN(len(term.Kinds))], float64(1+r.IntN(30))
			if kind != term.Gym {
				told += km
			}
			typed = append(typed, fmt.Sprintf("week_kind.%d=%s", row, kind), fmt.Sprintf("week_ground.%d=road", row),
				fmt.Sprintf("week_km.%d=%g", row, km))
		}
		b.typed(t, b.fitter, fit, "hello", typed...)
		_, err := b.Visits.LayOut(ctx, b.fitter, fit, record.WeekA)
		must(t, err)
		_, err = b.Visits.LayOut(ctx, b.fitter, fit, record.WeekA) // anew is the same
		must(t, err)
		parts, half := b.load(t, fit).Planned(record.WeekA)
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
	answer, _, err := b.load(t, fit).Match()
	must(t, err)
	best := answer.Ranked[0].Model
	runner := b.load(t, fit).Runner.ID
	_, err = b.Wardrobe.Add(ctx, b.fitter, runner, wardrobe.Owned{Code: best, UK: 8, Since: b.now.Format("2006-01-02")})
	must(t, err)
	b.typed(t, b.fitter, fit, "rotation", "plan_day.1=tue", "plan_km.1=8", "plan_kind.1=easy", "plan_ground.1=road", "plan_start.2=7:05",
		"plan_day.2=wed", "plan_km.2=9", "plan_kind.2=easy", "plan_day.3=fri")
	f := b.load(t, fit)
	parts, half := f.Planned(record.WeekA)
	if len(parts) != 2 || half != 1 || parts[0].Start != "18:30" || parts[1].Start != "07:05" || parts[1].Ground != term.GroundRoad {
		t.Fatalf("%+v, %d in half", parts, half)
	}
	list, err := f.Candidates(parts)
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
	b.typed(t, b.fitter, fit, "rotation", "plan_money=0", "plan_pairs=1")
	f = b.load(t, fit)
	p, err := f.Plan(ctx, record.What{Without: []string{best}})
	must(t, err)
	// 8 km on Tuesday evening take 48 minutes: Wednesday at 7:05 is no day of rest later.
	if a := p.Turn.Answers[0]; len(p.Turn.Buy) != 0 || a.CoveredKM != 9 || p.Turn.Spent != 0 || len(a.Use) != 1 {
		t.Errorf("without money: %+v", p.Turn)
	}
	b.typed(t, b.fitter, fit, "rotation", "plan_money=0", "plan_pairs=3")
	f = b.load(t, fit)
	poor, err := f.Plan(ctx, record.What{})
	must(t, err)
	more, err := f.Plan(ctx, record.What{More: 50000})
	must(t, err)
	if len(poor.Turn.Buy) != 0 || len(more.Turn.Buy) == 0 || more.Turn.Spent > 50000 || more.Sums().CoveredKM <= poor.Sums().CoveredKM {
		t.Errorf("more money buys nothing: %+v, then %+v", poor.Sums(), more.Sums())
	}
	for _, bad := range []string{"plan_start.1=25:00", "plan_start.1=18:60", "plan_start.1=noon", "plan_km.1=-3", "plan_day.1=someday",
		"plan_kind.1=gym", "plan_minutes.1=0", "plan_pairs=7", "plan_money=-1"} {
		name, typed, _ := strings.Cut(bad, "=")
		field, k, _ := record.InputAt("rotation", name)
		var l fault.List
		if _, ok := field.Read(&l, k, []string{typed}, units.Metric); ok || len(l) != 1 || l[0].Field != name {
			t.Errorf("%s: taken %t, %v", bad, ok, l)
		}
	}
}

// week writes rows of a week on the board: day, start, km, kind, one after another.
func (b *bench) week(t *testing.T, fit uint64, from int, rows ...string) {
	t.Helper()
	var typed []string
	for i, row := range rows {
		f := strings.Fields(row)
		for j, name := range []string{"plan_day", "plan_start", "plan_km", "plan_kind", "plan_ground"} {
			typed = append(typed, fmt.Sprintf("%s.%d=%s", name, from+i, f[j]))
		}
	}
	b.typed(t, b.fitter, fit, "rotation", typed...)
}

// A run is split into three rows of one letter, made longer at its pace, and undone; a
// template stands in for the week; each tells at its field why it cannot.
func TestBoardByHand(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	b.week(t, fit, 1, "tue 18:30 10 intervals track", "wed 18:30 8 easy road")
	saved, err := b.Visits.SplitRun(ctx, b.fitter, fit, 1)
	must(t, err)
	parts, half := b.load(t, fit).Planned(record.WeekA)
	if len(parts) != 4 || half != 0 || parts[0].Run != "run a" || parts[2].Run != "run a" || parts[3].Run != "run a" || parts[1].Run != "" {
		t.Fatalf("%+v", parts)
	}
	if parts[0].KM+parts[2].KM+parts[3].KM != 10 || parts[2].Kind != term.Intervals || parts[2].Start != "18:45" ||
		parts[2].Ground != term.GroundTrack {
		t.Errorf("%+v", parts)
	}
	_, err = b.Visits.ResizeRun(ctx, b.fitter, fit, 2, 60)
	must(t, err)
	if km := num(b.load(t, fit), "plan_km.2"); *km != 10 || num(b.load(t, fit), "plan_minutes.2") != nil {
		t.Errorf("an hour at 6 a km is %g km", *km)
	}
	_, err = b.Visits.Undo(ctx, b.fitter, fit, saved.IDs)
	must(t, err)
	if parts, _ := b.load(t, fit).Planned(record.WeekA); len(parts) != 2 || parts[0].KM != 10 {
		t.Errorf("undone: %+v", parts)
	}
	for name, do := range map[string]func() error{
		"plan_km.3":      func() error { _, err := b.Visits.SplitRun(ctx, b.fitter, fit, 3); return err },
		"plan_km.99":     func() error { _, err := b.Visits.SplitRun(ctx, b.fitter, fit, 99); return err },
		"plan_minutes.2": func() error { _, err := b.Visits.ResizeRun(ctx, b.fitter, fit, 2, 0); return err },
		"plan_minutes.5": func() error { _, err := b.Visits.ResizeRun(ctx, b.fitter, fit, 5, 30); return err },
		"template_km": func() error {
			_, err := b.Visits.LayTemplate(ctx, b.fitter, fit, record.WeekA, rotation.Health, 1, nil)
			return err
		},
		"template_goal": func() error {
			_, err := b.Visits.LayTemplate(ctx, b.fitter, fit, record.WeekA, "glory", 30, nil)
			return err
		},
		"suit_why": func() error {
			_, err := b.Visits.SetSuit(ctx, b.fitter, fit, visit.Suit{Model: "norrbeck-skua-4-men", Kind: term.Easy, Ground: term.GroundRoad,
				Value: ptr(0.2), Why: " "})
			return err
		},
		"suit_value": func() error {
			_, err := b.Visits.SetSuit(ctx, b.fitter, fit, visit.Suit{Model: "norrbeck-skua-4-men", Kind: term.Easy, Ground: term.GroundRoad,
				Value: ptr(1.2), Why: "no reason"})
			return err
		},
		"suit_model": func() error {
			_, err := b.Visits.SetSuit(ctx, b.fitter, fit, visit.Suit{Model: "moon-boot", Kind: term.Easy, Ground: term.GroundRoad, Value: ptr(0.2),
				Why: "no reason"})
			return err
		},
		"suit_kind": func() error {
			_, err := b.Visits.SetSuit(ctx, b.fitter, fit, visit.Suit{Model: "norrbeck-skua-4-men", Kind: term.Gym, Ground: term.GroundRoad,
				Value: ptr(0.2), Why: "no reason"})
			return err
		},
	} {
		var l fault.List
		if l, _ = fault.As(do()); len(l) != 1 || l[0].Field != name {
			t.Errorf("%s: %v", name, l)
		}
	}
	_, err = b.Visits.LayTemplate(ctx, b.fitter, fit, record.WeekB, rotation.Farther, 40, nil)
	must(t, err)
	laid := 0.0
	week, _ := b.load(t, fit).Planned(record.WeekB)
	for _, p := range week {
		laid += p.KM
	}
	if math.Abs(laid-40) > 0.05 {
		t.Errorf("the template laid %g km", laid)
	}
}

// The board moves the forecasts: what it gives to a pair counts, rest is kept, and weeks
// that differ come in turn, A being the week in which the fit began.
func TestBoardMovesForecasts(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	_, err := b.Wardrobe.Add(ctx, b.fitter, runner, wardrobe.Owned{Code: "Norrbeck Skua 4, men", UK: 8, Price: 14900,
		Since: b.now.Format("2006-01-02")})
	must(t, err)
	worn := func() []record.Worn {
		t.Helper()
		w, err := b.load(t, fit).Worn()
		must(t, err)
		return w
	}
	before := worn()[0]
	// The two runs of Tuesday and Wednesday morning lie too close for one pair.
	b.week(t, fit, 1, "tue 18:30 10 easy road", "wed 07:00 6 easy road", "sun 09:00 12 easy road")
	after := worn()[0]
	if before.Weekly != 28 || after.Weekly != 22 || !(*after.Wear.Dates.P50 > *before.Wear.Dates.P50) {
		t.Errorf("%g km a week to %s, then %g to %s", before.Weekly, *before.Wear.Dates.P50, after.Weekly, *after.Wear.Dates.P50)
	}
	b.typed(t, b.fitter, fit, "rotation", "plan_weeks=A_and_B_in_turn")
	b.week(t, fit, record.PlanRows+1, "mon 18:30 40 easy road")
	f := b.load(t, fit)
	s, err := f.Serving()
	must(t, err)
	if len(s.Ahead[0]) < 200 || s.Ahead[0][0] != 22 || s.Ahead[0][1] != 40 || s.Ahead[0][2] != 22 || !s.Board {
		t.Errorf("A and B in turn: %v", s.Ahead[0][:3])
	}
	if f.WeekOn(f.StartedAt) != record.WeekA || f.WeekOn(f.StartedAt.AddDate(0, 0, 7)) != record.WeekB ||
		f.WeekOn(f.StartedAt.AddDate(0, 0, -7)) != record.WeekB || f.WeekOn(f.StartedAt.AddDate(0, 0, 14)) != record.WeekA {
		t.Error("weeks in turn")
	}
	if w := worn()[0]; w.Weekly < 30.9 || w.Weekly > 31.1 {
		t.Errorf("the mean of 22 and 40 is %g", w.Weekly)
	}
	// What a fitter sets holds in the place of what is computed, and its reason is told.
	_, err = b.Visits.SetSuit(ctx, b.fitter, fit, visit.Suit{Model: "norrbeck-skua-4-men", Kind: term.Easy, Ground: term.GroundRoad,
		Value: ptr(0.2), Why: "hurts on easy days"})
	must(t, err)
	f = b.load(t, fit)
	if s, err := f.Serving(); err != nil || len(s.Ahead[0]) > 0 && s.Ahead[0][0] > 0 || s.Parts[0].All[0] != 0.2 {
		t.Errorf("what was set does not hold: %+v", s.Parts)
	}
	if set := f.SuitsSet(); len(set) != 1 || !strings.Contains(set[0].Why, "hurts on easy days (computed: 0.95)") {
		t.Errorf("%+v", set)
	}
	_, err = b.Visits.SetSuit(ctx, b.fitter, fit, visit.Suit{Model: "norrbeck-skua-4-men", Kind: term.Easy, Ground: term.GroundRoad,
		Undo: true})
	must(t, err)
	if len(b.load(t, fit).SuitsSet()) != 0 {
		t.Error("it is not taken back")
	}
}

// Same or different: seconds of the favourite alone, or none; and what is to be ordered
// has its days, the newest version in the place of the one that wears out.
func TestVarietyAndPurchases(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	_, err := b.Wardrobe.Add(ctx, b.fitter, runner, wardrobe.Owned{Code: "norrbeck-skua-3-men", UK: 8, BeforeSure: "counted",
		Since: b.now.AddDate(0, -3, 0).Format("2006-01-02")})
	must(t, err)
	b.week(t, fit, 1, "tue 18:30 20 easy road", "thu 18:30 20 easy road", "sat 18:30 20 easy road")
	count := func(variety string) (seconds, daily int) {
		t.Helper()
		b.typed(t, b.fitter, fit, "rotation", "plan_variety="+variety)
		f := b.load(t, fit)
		list, err := f.Candidates(f.Board()[0])
		must(t, err)
		for _, x := range list {
			switch {
			case x.Second:
				seconds++
			case !x.Owned && x.Model.Class == term.Daily:
				daily++
			}
		}
		return seconds, daily
	}
	if seconds, daily := count("different"); seconds != 0 || daily == 0 {
		t.Errorf("different: %d seconds, %d other daily models", seconds, daily)
	}
	if seconds, daily := count("same"); seconds == 0 || daily != 0 {
		t.Errorf("same: %d seconds, %d other daily models", seconds, daily)
	}
	count("")
	for i := range 20 { // theirs has its best days behind it
		_, err := b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{PairID: b.load(t, fit).Runner.Pairs[0].ID,
			On: b.now.AddDate(0, 0, -80+3*i).Format(time.DateOnly), KM: ptr(26.0), Ground: term.GroundRoad, Kind: term.Easy})
		must(t, err)
	}
	f := b.load(t, fit)
	p, err := f.Plan(ctx, record.What{})
	must(t, err)
	if len(p.Turn.Buy) != 0 || len(p.Purchases) != 1 {
		t.Fatalf("theirs serves it all, and it buys %v: %+v", p.Turn.Buy, p.Purchases)
	}
	b.week(t, fit, 1, "tue 18:30 20 easy road", "thu 18:30 20 easy road", "sat 18:30 20 easy trail")
	f = b.load(t, fit)
	p, err = f.Plan(ctx, record.What{})
	must(t, err)
	if len(p.Turn.Buy) == 0 || len(p.Purchases) == 0 || p.Purchases[0].By != "" {
		t.Fatalf("what the week asks for is ordered now: %+v", p.Purchases)
	}
	b.week(t, fit, 1, "tue 18:30 20 easy road", "thu 18:30 20 easy road", "sat 18:30 20 easy road")
	f = b.load(t, fit)
	p, err = f.Plan(ctx, record.What{})
	must(t, err)
	b.typed(t, b.fitter, fit, "rotation", "plan_money=0")
	f = b.load(t, fit)
	alone, err := f.Plan(ctx, record.What{})
	must(t, err)
	if len(alone.Purchases) != 1 {
		t.Fatalf("%+v", alone.Purchases)
	}
	if x := alone.Purchases[0]; x.Why != "after Norrbeck Skua 3" || x.Model.ID != "norrbeck-skua-4-men" ||
		x.Late != (x.By < f.Today.Format(time.DateOnly)) || x.By > f.Until().Format(time.DateOnly) || x.Out == "" {
		t.Errorf("%+v", x)
	}
	owned := record.PairID(f.Runner.Pairs[0].ID)
	twice, err := f.Plan(ctx, record.What{Double: []string{owned, owned}})
	must(t, err)
	if len(twice.Pairs) != len(p.Pairs)+1 || !twice.Pairs[1].Second || twice.Pairs[1].Owned || twice.Pairs[1].Price <= 0 {
		t.Errorf("%+v", twice.Pairs[1])
	}
	if models, err := f.ForGym(); err != nil || len(models) == 0 || models[0].Class != term.CrossTraining {
		t.Errorf("for the gym: %v, %v", models, err)
	}
}
