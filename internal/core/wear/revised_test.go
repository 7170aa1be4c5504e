package wear

import (
	"math"
	"strings"
	"testing"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/strict"
	"trevik/internal/core/term"
)

// A missing distance before counting is none; null is nobody's idea; a figure has its doubt.
func TestKMBeforeAsJSON(t *testing.T) {
	read := func(text string) Pair {
		t.Helper()
		var p Pair
		if err := strict.Decode([]byte(`{"class":"daily","today":"2026-11-24","plan_weekly_km":[20]`+text+`}`), &p); err != nil {
			t.Fatal(err)
		}
		return p
	}
	for text, want := range map[string]Before{"": {}, `,"km_before":null`: {Unknown: true}, `,"km_before":{"km":0,"sd_ln":0}`: {},
		`,"km_before":{"km":300,"sd_ln":0.3}`: {KM: 300, SDLn: 0.3}, `,"km_before":{"km":300}`: {KM: 300}} {
		if got := read(text).KMBefore; got != want {
			t.Errorf("%s is read as %+v", text, got)
		}
	}
	near(t, "exactly", assess(t, read(`,"km_before":{"km":300}`)).EffectiveKM, 300, 1e-9)
	near(t, "half a life", assess(t, read(`,"km_before":null`)).EffectiveKM, 310, 1e-3)
	var p Pair
	err := strict.Decode([]byte(`{"class":"daily","today":"2026-11-24","km_before":{"sd_ln":1,"kms":2}}`), &p)
	if l, ok := fault.As(err); !ok || len(l) != 2 || l[0].Field != "km_before.kms" || l[1].Field != "km_before.km" {
		t.Errorf("%v", err)
	}
}

// Aches count by themselves, and only where nothing else explains them.
func TestAches(t *testing.T) {
	p := fresh()
	p.Runs = []Run{run("2026-08-01", 300)}
	plain := assess(t, p)
	for _, said := range []string{"none", "explained"} {
		p.Inspections = []Inspection{{Date: "2026-09-01", Aches: said}}
		if a := assess(t, p); a.LnLife != plain.LnLife {
			t.Errorf("%s aches moved the life to %+v", said, a.LnLife)
		}
	}
	p.Inspections = []Inspection{{Date: "2026-09-01", Aches: "unexplained"}}
	want := normal{plain.LnLife.Mean, plain.LnLife.SD * plain.LnLife.SD}.observe(math.Log(300/0.85), 0.45)
	near(t, "aches", assess(t, p).LnLife.Mean, want.mean, 1e-5)
	// After that day's grades.
	p.Inspections = []Inspection{{Date: "2026-09-01", Tread: num(0.4), Bounce: num(0.4), Aches: "unexplained"}}
	want = normal{plain.LnLife.Mean, plain.LnLife.SD * plain.LnLife.SD}.observe(math.Log(300/0.4), 0.35).observe(math.Log(300/0.85), 0.45)
	near(t, "grades and aches", assess(t, p).LnLife.SD, math.Sqrt(want.variance), 1e-5)
}

// One verdict: a pair to set aside has nothing left, no date, and its next is ordered today.
func TestSetAsideSaysOneThing(t *testing.T) {
	for name, look := range map[string]Inspection{"a hole": {Faults: []string{"upper_hole"}}, "the sole": {Faults: []string{"sole_through"}},
		"upper": {Upper: num(0.9)}, "tread": {Tread: num(0.9)}, "tilt": {Evenness: num(0.8)}} {
		p := fresh()
		p.Runs, p.Price = []Run{run("2026-08-01", 100)}, num(14000)
		look.Date = "2026-09-01"
		p.Inspections = []Inspection{look, {Date: "2026-10-01", Tread: num(0.1)}} // a later look does not mend it
		p.Races = []Race{{Date: "2027-01-10", KM: 10}}
		a := assess(t, p)
		if a.State != SetAside || a.RemainingKM != (Quantiles{}) || a.Dates != (Dates{}) || a.OrderBy == nil || *a.OrderBy != p.Today ||
			*a.Schools.ByCondition.LeftKM != 0 || a.Schools.ByCondition.Date != nil || a.Races[0].OrderBy == nil {
			t.Errorf("%s: %+v", name, a)
		}
		near(t, name, *a.CostPerKM, 140, 1e-9)
	}
}

// A race at risk moves the day to order by: broken in a week before it.
func TestRaceMovesOrderBy(t *testing.T) {
	p := fresh()
	p.Today, p.FirstWorn = "2026-11-24", "2026-06-01"
	p.Runs, p.PlanWeeklyKM = []Run{run("2026-08-01", 340)}, []float64{20}
	calm := assess(t, p)
	moved := 0
	for days := range 60 {
		on := p.today0().AddDate(0, 0, 20+days)
		p.Races = []Race{{Date: on.Format(DateLayout), KM: 42.2}}
		a := assess(t, p)
		if !a.Races[0].AtRisk {
			continue
		}
		// 7 days before it is broken in; 7 of delivery, 40 km at 10 km a week.
		ready := on.AddDate(0, 0, -7)
		order := ready.AddDate(0, 0, -7-28).Format(DateLayout)
		if *a.Races[0].OrderBy != order || *a.Races[0].BrokenInBy != ready.Format(DateLayout) || *a.OrderBy != min(order, *calm.OrderBy) {
			t.Errorf("order by %s, without the race %s; %+v", *a.OrderBy, *calm.OrderBy, a.Races)
		}
		if order < *calm.OrderBy {
			moved++
		}
	}
	if moved == 0 {
		t.Error("no race moved it")
	}
	p.Races = []Race{{Date: "2026-11-26", KM: 5}}
	if a := assess(t, p); a.Races[0].AtRisk || *a.OrderBy != *calm.OrderBy || a.Races[0].OrderBy != nil {
		t.Errorf("a race that is in no danger: %+v", a.Races)
	}
}

// The price is spread over real km: what lies ahead by the plan's load, lifting not at all.
func TestCostPerRealKM(t *testing.T) {
	p := fresh()
	p.Runs, p.Price, p.PlanLoad = []Run{run("2026-08-01", 100)}, num(14000), num(1.25)
	a := assess(t, p)
	near(t, "cost", *a.CostPerKM, 14000/(100+a.RemainingKM.P50/1.25), 1e-3)
	p.LiftingHours = 10
	b := assess(t, p)
	near(t, "cost with lifting", *b.CostPerKM, 14000/(100+b.RemainingKM.P50/1.25), 1e-3)
}

// What of earlier pairs counts, and why the rest does not.
func TestHistoryCounted(t *testing.T) {
	yes, no := true, false
	base := Retired{Class: term.Daily, EffectiveKM: 540}
	for _, c := range []struct {
		name    string
		change  func(*Retired)
		counted bool
		why     string
	}{
		{"as it is", func(*Retired) {}, true, ""},
		{"said to be worn out", func(h *Retired) { h.WornOut = &yes }, true, ""},
		{"given away", func(h *Retired) { h.WornOut = &no }, false, "worn out"},
		{"known well enough", func(h *Retired) { h.KMBeforeSDLn = num(0.3) }, true, ""},
		{"counted late", func(h *Retired) { h.KMBeforeSDLn = num(0.31) }, false, "first day"},
		{"hardly worn", func(h *Retired) { h.EffectiveKM = 154 }, false, "quarter"},
		{"a quarter", func(h *Retired) { h.EffectiveKM = 155 }, true, ""},
		{"hardly worn but seen gone", func(h *Retired) { h.EffectiveKM, h.LargestC = 100, num(0.7) }, true, ""},
		{"a quarter of its model's own life", func(h *Retired) { h.EffectiveKM, h.MedianKM = 160, num(800) }, false, "quarter"},
	} {
		p := fresh()
		h := base
		c.change(&h)
		p.Runner.History = []Retired{h}
		a := assess(t, p)
		told := ""
		for _, w := range a.Warnings {
			if w.Code == "history_not_counted" {
				told = w.Text
			}
		}
		if moved := a.LnLife.Mean != units6(math.Log(620)); moved != c.counted || c.counted != (told == "") || !strings.Contains(told, c.why) {
			t.Errorf("%s: counted %v, said %q", c.name, moved, told)
		}
	}
}

// today0 is the pair's day.
func (p Pair) today0() time.Time { d, _ := time.Parse(DateLayout, p.Today); return d }

func units6(v float64) float64 { return math.Round(v*1e6) / 1e6 }
