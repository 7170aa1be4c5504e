package wear

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

func num(v float64) *float64 { return &v }

// fresh is a daily pair first worn on 1 June 2026, looked at on 24 November.
func fresh() Pair {
	return Pair{Schema: PairSchema, Class: term.Daily, FirstWorn: "2026-06-01", Today: "2026-11-24", Surface: term.Road, RestHours: num(24),
		PlanWeeklyKM: []float64{28}}
}

func run(date string, km float64) Run {
	return Run{Date: date, KM: km, Ground: term.GroundRoad, Kind: term.Easy}
}

func assess(t *testing.T, p Pair) Answer {
	t.Helper()
	a, err := Assess(p)
	if err != nil {
		t.Fatal(err)
	}
	return a
}

func near(t *testing.T, what string, got, want, by float64) {
	t.Helper()
	if math.Abs(got-want) > by || math.IsNaN(got) {
		t.Errorf("%s: %g, want %g", what, got, want)
	}
}

func TestPublishedLife(t *testing.T) {
	a := assess(t, fresh())
	near(t, "P10", a.LifeKM.P10, 431, 0.6)
	near(t, "P50", a.LifeKM.P50, 620, 0.01)
	near(t, "P90", a.LifeKM.P90, 891, 0.6)
	near(t, "sd", a.LnLife.SD, math.Sqrt(0.08), 1e-6)
	// Not worn yet: what remains is the whole life.
	near(t, "remaining P50", a.RemainingKM.P50, 620, 0.01)
}

func TestLoad(t *testing.T) {
	for name, c := range map[string]struct {
		r       Run
		surface term.Surface
		want    float64
	}{
		"plain":                       {Run{KM: 10, Ground: term.GroundRoad, Kind: term.Easy}, term.Road, 10},
		"trail model on road":         {Run{KM: 10, Ground: term.GroundRoad, Kind: term.Easy}, term.Trail, 15},
		"link model on road":          {Run{KM: 10, Ground: term.GroundRoad, Kind: term.Easy}, term.Link, 11},
		"road model on trail":         {Run{KM: 10, Ground: term.GroundTrail, Kind: term.Easy}, term.Road, 13},
		"road model in wet mud: once": {Run{KM: 10, Ground: term.GroundMud, Kind: term.Easy, Wet: true}, term.Road, 13 * 1.15},
		"mud model in mud":            {Run{KM: 10, Ground: term.GroundMud, Kind: term.Easy}, term.Trail, 11.5},
		"30 °C is not over":           {Run{KM: 10, Ground: term.GroundRoad, Kind: term.Easy, TempC: num(30)}, term.Road, 10},
		"31 °C":                       {Run{KM: 10, Ground: term.GroundRoad, Kind: term.Easy, TempC: num(31)}, term.Road, 11},
		"treadmill":                   {Run{KM: 10, Ground: term.GroundTreadmill, Kind: term.Easy}, term.Road, 8.5},
		"a walk":                      {Run{KM: 10, Ground: term.GroundRoad, Kind: term.Walk}, term.Road, 6},
		"too soon":                    {Run{KM: 10, Ground: term.GroundRoad, Kind: term.Easy, HoursSinceLast: num(23)}, term.Road, 10.5},
		"rested":                      {Run{KM: 10, Ground: term.GroundRoad, Kind: term.Easy, HoursSinceLast: num(24)}, term.Road, 10},
		"a surface not known":         {Run{KM: 10, Ground: term.GroundTrail, Kind: term.Easy}, "", 10},
	} {
		near(t, name, Load(c.r, c.surface, num(24), nil), c.want, 1e-9)
	}
	p := fresh()
	p.LiftingHours = 2
	near(t, "lifting", assess(t, p).EffectiveKM, 16, 1e-9)
}

func TestRunnerFactor(t *testing.T) {
	for _, c := range []struct {
		kg     *float64
		strike term.Strike
		want   float64
	}{{nil, "", 1}, {num(70), "", 1}, {num(71), term.HeelStrike, math.Sqrt(70.0/71) * 0.97}, {num(140), "", 0.75}, {num(45), "", 1.20}} {
		near(t, "factor", RunnerFactor(c.kg, c.strike), c.want, 1e-12)
	}
}

// One set-aside pair: posterior by hand.
func TestOwnHistory(t *testing.T) {
	p := fresh()
	p.Runner.History = []Retired{{Class: term.Daily, EffectiveKM: 540}}
	a := assess(t, p)
	r := math.Log(540.0 / 620)
	v := 1 / (1/0.04 + 1/0.0625)
	near(t, "mean", a.LnLife.Mean, math.Log(620)+v*r/0.0625, 1e-6)
	near(t, "sd", a.LnLife.SD, math.Sqrt(0.04+v), 1e-6)
	near(t, "own figure", *a.Schools.ByOwnHistory.LeftKM, 540, 1e-3)
	// A history pair of another class carries the runner's habit, not its km.
	p.Runner.History = []Retired{{Class: term.RacePlated, EffectiveKM: 280 * 540.0 / 620}}
	near(t, "carried over", *assess(t, p).Schools.ByOwnHistory.LeftKM, 540, 1e-3)
}

// One inspection: conjugate update by hand.
func TestInspection(t *testing.T) {
	p := fresh()
	p.Runs = []Run{run("2026-08-01", 300), run("2026-10-01", 50)}
	p.Inspections = []Inspection{{Date: "2026-09-01", Tread: num(0.4), Bounce: num(0.5), Evenness: num(0.2)}}
	c := math.Max((0.35*0.4+0.35*0.5+0.15*0.2)/0.85, 0.9*0.5)
	sd := math.Max(0.35, 0.105/c)
	v := 1 / (1/0.08 + 1/(sd*sd))
	mean := v * (math.Log(620)/0.08 + math.Log(300/c)/(sd*sd)) // the later run does not count on that day
	a := assess(t, p)
	near(t, "mean", a.LnLife.Mean, mean, 1e-6)
	near(t, "sd", a.LnLife.SD, math.Sqrt(v), 1e-6)

	beside := p
	beside.Inspections = slices.Clone(p.Inspections)
	beside.Inspections[0].BesideFresh = true
	if b := assess(t, beside); b.LnLife.SD >= a.LnLife.SD {
		t.Error("a look beside a fresh pair says no more than one without")
	}
	if unworn := (Pair{Class: term.Daily, Today: "2026-11-24", FirstWorn: "2026-06-01",
		Inspections: []Inspection{{Date: "2026-06-02", Tread: num(0.1)}}}); len(assess(t, unworn).Warnings) == 0 {
		t.Error("a look at a pair without distance passes in silence")
	}
}

func TestThinSolesAndOrder(t *testing.T) {
	p := fresh()
	p.HeelStackMM = num(14)
	p.Runs = []Run{run("2026-07-01", 200)}
	in := []Inspection{{Date: "2026-08-01", Tread: num(0.2), Bounce: num(0.6)}, {Date: "2026-07-15", Tread: num(0.3), Upper: num(0.1)}}
	p.Inspections = in
	first := assess(t, p)
	p.Inspections = []Inspection{in[1], in[0]}
	if second := assess(t, p); first.LnLife != second.LnLife {
		t.Error("the order in which looks are listed matters")
	}
	near(t, "thin sole", func() float64 { c, _ := in[0].UsedFraction(p.HeelStackMM); return c }(), math.Max((0.35*0.2+0.15*0.6)/0.5, 0.54),
		1e-12)
}

func TestDates(t *testing.T) {
	p := fresh()
	p.PlanWeeklyKM = []float64{14, 28}
	if err := p.check(); err != nil {
		t.Fatal(err)
	}
	for km, want := range map[float64]string{0: "2026-11-24", 2: "2026-11-25", 14: "2026-12-01", 18: "2026-12-02", 42: "2026-12-08",
		43: "2026-12-09"} {
		if d, ok := p.dateAt(km); !ok || d.Format(DateLayout) != want {
			t.Errorf("%g km: %s, want %s", km, d.Format(DateLayout), want)
		}
	}
	near(t, "planned to ten days", p.plannedTo(p.today.AddDate(0, 0, 10)), 14+28*3.0/7, 1e-9)

	p.PlanWeeklyKM = []float64{1}
	a := assess(t, p)
	if a.Dates.P90 != nil || !warned(a, "beyond_plan") {
		t.Error("a date past 260 weeks is given")
	}
	p.PlanWeeklyKM = nil
	if a := assess(t, p); a.Dates.P50 != nil || a.OrderBy != nil || !warned(a, "no_plan") {
		t.Error("dates without a plan")
	}
}

func warned(a Answer, code string) bool {
	return slices.ContainsFunc(a.Warnings, func(w fault.Warning) bool { return w.Code == code })
}

func TestOrderBy(t *testing.T) {
	p := fresh()
	a := assess(t, p)
	p20, _ := time.Parse(DateLayout, *a.Dates.P20)
	// Seven days of delivery, and 40 km at half of 28 km a week: 20 days.
	if want := p20.AddDate(0, 0, -27).Format(DateLayout); *a.OrderBy != want {
		t.Errorf("order by %s, want %s", *a.OrderBy, want)
	}
	p.PlanWeeklyKM = []float64{0, 28}
	a = assess(t, p)
	p20, _ = time.Parse(DateLayout, *a.Dates.P20)
	if want := p20.AddDate(0, 0, -7).Format(DateLayout); *a.OrderBy != want {
		t.Errorf("nothing planned in the first week: order by %s, want %s", *a.OrderBy, want)
	}
}

func TestStates(t *testing.T) {
	look := []Inspection{{Date: "2026-11-20", Tread: num(0.3)}}
	with := func(change func(*Pair)) Pair { p := fresh(); p.FirstWorn = "2026-09-01"; change(&p); return p }
	for name, c := range map[string]struct {
		p    Pair
		want State
	}{
		"new":           {with(func(p *Pair) { p.Runs = []Run{run("2026-10-01", 100)} }), Fine},
		"in use":        {with(func(p *Pair) { p.Runs = []Run{run("2026-10-01", 250)} }), InUse},
		"six months":    {func() Pair { p := fresh(); p.FirstWorn = "2026-05-24"; return p }(), Look},
		"not quite six": {func() Pair { p := fresh(); p.FirstWorn = "2026-05-25"; return p }(), Fine},
		"look": {with(func(p *Pair) {
			p.Runs = []Run{run("2026-10-01", 520)}
			p.PlanWeeklyKM = []float64{4}
			p.BreakInKM, p.DeliveryDays = num(1), num(0)
		}), Look},
		"order":      {with(func(p *Pair) { p.Runs = []Run{run("2026-10-01", 560)} }), Order},
		"last runs":  {with(func(p *Pair) { p.Runs = []Run{run("2026-10-01", 760)} }), LastRuns},
		"set aside":  {with(func(p *Pair) { p.Runs = []Run{run("2026-10-01", 300), run("2026-10-02", 300), run("2026-10-03", 400)} }), SetAside},
		"a hole":     {with(func(p *Pair) { p.Inspections = []Inspection{{Date: "2026-11-01", Faults: []string{"upper_hole"}}} }), SetAside},
		"tread gone": {with(func(p *Pair) { p.Inspections = []Inspection{{Date: "2026-11-01", Tread: num(0.9)}} }), SetAside},
		"uneven and tall": {with(func(p *Pair) {
			p.HeelStackMM = num(35)
			p.Inspections = []Inspection{{Date: "2026-11-01", Evenness: num(0.6)}}
		}), SetAside},
		"uneven and low": {with(func(p *Pair) {
			p.HeelStackMM = num(34)
			p.Inspections = []Inspection{{Date: "2026-11-01", Evenness: num(0.6)}}
		}), Fine},
		"worn lugs": {with(func(p *Pair) {
			p.Runs = []Run{{Date: "2026-10-01", KM: 20, Ground: term.GroundTrail, Kind: term.Easy}}
			p.Inspections = []Inspection{{Date: "2026-11-01", Tread: num(0.8)}}
		}), SetAside},
		"looked at": {with(func(p *Pair) {
			p.FirstWorn = "2026-01-01"
			p.Runs = []Run{run("2026-10-01", 100)}
			p.Inspections = look
		}), Fine},
	} {
		if a := assess(t, c.p); a.State != c.want {
			t.Errorf("%s: %s (also %v, F %g, order by %v), want %s", name, a.State, a.Also, a.UsedProbability, a.OrderBy, c.want)
		}
	}
	p := with(func(p *Pair) { p.Runs = []Run{run("2026-10-01", 760)} })
	if a := assess(t, p); !slices.Contains(a.Also, Order) || slices.Contains(a.Also, a.State) {
		t.Errorf("also %v", a.Also)
	}
}

func TestRaces(t *testing.T) {
	p := fresh()
	p.Runs = []Run{run("2026-10-01", 500)}
	p.Races = []Race{{"2026-11-24", 42.2}, {"2027-01-19", 42.2}}
	a := assess(t, p)
	life := normal{a.LnLife.Mean, a.LnLife.SD * a.LnLife.SD}
	near(t, "today", a.Races[0].PFail, 1-life.survival(542.2)/life.survival(500), 1e-5)
	near(t, "in eight weeks", a.Races[1].PFail, 1-life.survival(500+8*28+42.2)/life.survival(500), 1e-5)
	if a.Races[0].AtRisk == (a.Races[0].PFail <= 0.20) || !a.Races[1].AtRisk {
		t.Errorf("%+v", a.Races)
	}
}

func TestUnlogged(t *testing.T) {
	p := fresh()
	p.Runner.UsualWeeklyKM = num(20)
	a := assess(t, p)
	near(t, "estimate", a.KM, 20*176/7.0, 0.01)
	if !a.Estimated || !warned(a, "estimated") {
		t.Error("an estimate is not marked")
	}
}

func TestRefused(t *testing.T) {
	for field, change := range map[string]func(*Pair){
		"class": func(p *Pair) { p.Class = "clog" }, "today": func(p *Pair) { p.Today = "" },
		"first_worn":                     func(p *Pair) { p.FirstWorn = "2027-01-01" },
		"runs[0].date":                   func(p *Pair) { p.Runs = []Run{run("2026-05-01", 5)} },
		"runs[0].km":                     func(p *Pair) { p.Runs = []Run{run("2026-07-01", -5)} },
		"runs[0].ground":                 func(p *Pair) { p.Runs = []Run{{Date: "2026-07-01", KM: 5, Ground: "lava", Kind: term.Easy}} },
		"runs[0].kind":                   func(p *Pair) { p.Runs = []Run{{Date: "2026-07-01", KM: 5, Ground: term.GroundRoad, Kind: term.Gym}} },
		"inspections[0].tread":           func(p *Pair) { p.Inspections = []Inspection{{Date: "2026-07-01", Tread: num(1.1)}} },
		"inspections[0].faults[0]":       func(p *Pair) { p.Inspections = []Inspection{{Date: "2026-07-01", Faults: []string{"ugly"}}} },
		"plan_weekly_km[0]":              func(p *Pair) { p.PlanWeeklyKM = []float64{math.Inf(1)} },
		"races[0].date":                  func(p *Pair) { p.Races = []Race{{"2026-01-01", 10}} },
		"runner.mass_kg":                 func(p *Pair) { p.Runner.MassKg = num(0) },
		"runner.history[0].effective_km": func(p *Pair) { p.Runner.History = []Retired{{Class: term.Daily, EffectiveKM: 0}} },
	} {
		p := fresh()
		change(&p)
		_, err := Assess(p)
		l, ok := fault.As(err)
		if !ok || l[0].Field != field {
			t.Errorf("%v, want a fault at %s", err, field)
		}
	}
}

// Whatever the evidence: quantiles rise, chances lie within 0 to 1, more distance
// never leaves more, and the answer is whole as JSON.
func TestProperties(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 400 {
		p := fresh()
		p.Class = term.Classes[r.IntN(len(term.Classes))]
		p.Runs = []Run{run("2026-07-01", 1+399*r.Float64()), run("2026-08-01", 1+399*r.Float64())}
		p.Inspections = []Inspection{{Date: "2026-09-01", Tread: num(r.Float64()), Bounce: num(r.Float64())}}
		p.PlanWeeklyKM = []float64{80 * r.Float64()}
		p.Races = []Race{{"2026-12-24", 21.1}}
		a := assess(t, p)
		q := a.RemainingKM
		if !(0 <= q.P10 && q.P10 <= q.P20 && q.P20 <= q.P50 && q.P50 <= q.P90) || a.UsedProbability < 0 || a.UsedProbability > 1 ||
			a.Races[0].PFail < 0 || a.Races[0].PFail > 1 {
			t.Fatalf("%+v", a)
		}
		life := normal{a.LnLife.Mean, a.LnLife.SD * a.LnLife.SD}
		if (outlook{[]point{{0, life}}, a.EffectiveKM + 50}).remaining(0.5) > (outlook{[]point{{0, life}}, a.EffectiveKM}).remaining(0.5)+50.01 {
			t.Fatal("more distance leaves more")
		}
		if _, err := json.Marshal(a); err != nil {
			t.Fatal(err)
		}
	}
	far := normal{math.Log(300), 0.0004}
	if v := (outlook{[]point{{0, far}}, 3000}).remaining(0.5); v < 0 || math.IsNaN(v) || math.IsInf(v, 0) {
		t.Errorf("far beyond its life: %g", v)
	}
}
