package season_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/rotation"
	"trevik/internal/core/season"
	"trevik/internal/core/strict"
	"trevik/internal/core/term"
)

func ptr[T any](v T) *T { return &v }

func part(id, day string, km float64, kind term.Kind) rotation.WeekPart {
	return rotation.WeekPart{ID: id, Day: day, Start: "18:00", KM: km, Kind: kind, Ground: term.GroundRoad}
}

// suits is a pair's suitability for kinds on road.
func suits(v float64, kinds ...term.Kind) (out []rotation.Suit) {
	for _, k := range kinds {
		out = append(out, rotation.Suit{Kind: k, Ground: term.GroundRoad, Value: v})
	}
	return out
}

func pair(id string, life, sd float64) season.Pair {
	return season.Pair{ID: id, Owned: true, Price: 10000, LnLife: &season.Life{Mean: math.Log(life), SD: sd},
		Suitability: suits(0.9, term.Easy, term.Long, term.Race)}
}

// plain is so many weeks of three easy runs of 10 km.
func plain(weeks int, pairs ...season.Pair) season.Plan {
	p := season.Plan{Starts: "2026-12-07", Seed: 1, OrderAt: ptr(1.0), Pairs: pairs,
		Weeks: []season.Week{{Parts: []rotation.WeekPart{part("a", "mon", 10, term.Easy), part("b", "wed", 10, term.Easy),
			part("c", "sat", 10, term.Easy)}}}}
	for range weeks - 1 {
		p.Weeks = append(p.Weeks, season.Week{Like: ptr(1)})
	}
	return p
}

func look(t testing.TB, p season.Plan) season.Answer {
	t.Helper()
	a, err := season.Look(context.Background(), p, nil)
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// A single pair that takes all: the week in which half of the futures have it set aside is the median of its life. Two
// equal pairs last twice as long.
func TestMedianOfALife(t *testing.T) {
	for _, life := range []float64{200, 333, 460} {
		want := int(math.Ceil(life / 30))
		if got := look(t, plain(30, pair("x", life, 0.3))).Pairs[0].Ends.P50; got == nil || abs(*got-want) > 1 {
			t.Errorf("a life of %g km ends in week %v, want %d", life, got, want)
		}
		two := plain(30, pair("x", life, 0.02), pair("y", life, 0.02))
		for i := range two.Weeks {
			two.Weeks[i] = season.Week{Parts: []rotation.WeekPart{part("a", "mon", 15, term.Easy), part("b", "mon", 15, term.Easy)}}
			two.Weeks[i].Parts[1].Start = "06:00"
		}
		for _, x := range look(t, two).Pairs {
			if wide := 2 * life / 30; x.Ends.P50 != nil && math.Abs(float64(*x.Ends.P50)-wide) > 1.5 || x.Ends.P50 == nil && wide < 29 {
				t.Errorf("%s of two with a life of %g km ends in week %v, want %.0f", x.ID, life, x.Ends.P50, wide)
			}
		}
	}
}

func abs(n int) int { return max(n, -n) }

// With lives of no doubt the answer is a plain schedule: 30 km a week, 100 km, so set aside in week 4; ordered then, it
// misses a week.
func TestPlainSchedule(t *testing.T) {
	x := pair("x", 100, 0)
	x.Copies = ptr(3)
	a := look(t, plain(12, x))
	p := a.Pairs[0]
	if *p.Ends.P10 != 4 || *p.Ends.P90 != 4 || len(p.Orders) != 2 || p.Orders[0].P50 != 5 || p.Orders[0].Chance != 1 || p.Orders[1].P50 != 10 {
		t.Errorf("ends %v, orders %+v", *p.Ends.P50, p.Orders)
	}
	for w, share := range []float64{1, 1, 1, 1, 0, 1, 1, 1, 1, 0, 1, 1} {
		if a.Weeks[w].Covered != share {
			t.Errorf("week %d: %g of the km covered, want %g", w+1, a.Weeks[w].Covered, share)
		}
	}
	if a.Spent.P50 != 20000 || a.SpentByWeek[3] != 0 || a.SpentByWeek[4] != 10000 || p.KM != 300 || p.Copies[1].KM != 120 {
		t.Errorf("spent %v by week %v; %g km, %+v", a.Spent, a.SpentByWeek, p.KM, p.Copies)
	}
	// Early enough, no week is missed: broken in within 40 km at 15 a week and delivered in 7 days is four weeks ahead.
	early := plain(12, x)
	early.OrderAt, early.Pairs[0].Copies = ptr(0.2), ptr(5)
	if got := look(t, early); got.Covered != 1 || got.Pairs[0].Orders[0].P50 != 1 {
		t.Errorf("ordered early: %g covered, %+v", got.Covered, got.Pairs[0].Orders)
	}
	// On day 0, whatever is known.
	early.OrderAt = ptr(0.0)
	if o := look(t, early).Pairs[0].Orders[0]; o.P90 != 1 || o.Copy != 2 || o.Chance != 1 {
		t.Errorf("order_at 0: %+v", o)
	}
	// Of money for one, one copy is short.
	early.Budget = ptr(int64(15000))
	if got := look(t, early); got.Spent.P90 != 10000 || got.Short != 1 {
		t.Errorf("with money for one: spent %v, short %g", got.Spent, got.Short)
	}
	// What is bought at the start misses its first week; what was never had and is not bought, all of them.
	y := pair("y", 1000, 0)
	y.Owned = false
	bought := plain(3, y)
	if got := look(t, bought); got.Covered != 0 || len(got.Pairs[0].Copies) != 0 || got.Pairs[0].Ends.P50 != nil {
		t.Errorf("never had: %+v", got)
	}
	bought.Buy = []string{"y"}
	if got := look(t, bought); got.Weeks[0].Covered != 0 || got.Weeks[1].Covered != 1 || got.Pairs[0].Orders[0].Copy != 1 {
		t.Errorf("bought at the start: %+v", got)
	}
}

// A race is run in the pair that is broken in and fresh enough, and is ready when that lasts.
func TestRace(t *testing.T) {
	racer := pair("racer", 300, 0)
	racer.Suitability = suits(0.95, term.Race)
	racer.EffectiveKM = ptr(30.0)
	daily := pair("daily", 2000, 0)
	daily.EffectiveKM = ptr(100.0)
	p := plain(4, racer, daily)
	race := part("r", "sun", 21.1, term.Race)
	race.Start = "09:00"
	p.Weeks[3] = season.Week{Parts: append(slices.Clone(p.Weeks[0].Parts), race)}
	run := func() season.RaceAnswer { return look(t, p).Races[0] }
	if r := run(); r.Date != "2027-01-03" || *r.Pair != "daily" || r.Ready != 1 || r.ReadySE != 0 || r.PairChance != 1 {
		t.Errorf("the racer has too few km: %+v", r)
	}
	p.Pairs[0].BreakInKM = ptr(20.0)
	if r := run(); *r.Pair != "racer" || r.Ready != 1 {
		t.Errorf("broken in, the better suited: %+v", r)
	}
	p.Pairs[0].RaceKM = []float64{50, 100}
	if r := run(); *r.Pair != "daily" || r.Ready != 1 {
		t.Errorf("outside of the km that it should have: %+v", r)
	}
	p.Pairs[0].RaceKM = []float64{10, 100}
	p.Pairs[0].LnLife.Mean = math.Log(50)
	if r := run(); *r.Pair != "racer" || r.Ready != 0 || !strings.Contains(r.Why[0], "worn out") {
		t.Errorf("worn out before the end: %+v", r)
	}
	p.Pairs = p.Pairs[:1]
	p.Pairs[0].Suitability = suits(0.4, term.Race)
	if a := look(t, p); a.Races[0].Pair != nil || a.Races[0].Ready != 0 || a.Warnings[0].Code == "" {
		t.Errorf("no pair may run it: %+v", a.Races[0])
	}
	// The km before the race count: 10 + 10 + 10 in its week make 40.
	p = plain(2, pair("x", 1000, 0))
	p.Pairs[0].KM = ptr(0.0)
	p.Weeks[1] = season.Week{Parts: append(slices.Clone(p.Weeks[0].Parts), race)}
	if r := run(); r.Ready != 1 {
		t.Errorf("60 km before the race: %+v", r)
	}
	p.Pairs[0].BreakInKM = ptr(61.0)
	if r := run(); r.Ready != 0 || !strings.Contains(r.Why[0], "too few km") {
		t.Errorf("60 km of 61: %+v", r)
	}
	// It rests before it: nothing else that day or the day before in the racer.
	p = plain(1, pair("x", 1000, 0))
	p.Weeks[0].Parts = append(p.Weeks[0].Parts, race)
	p.Weeks[0].Parts[2] = part("c", "sat", 10, term.Easy) // 15 hours before
	if a := look(t, p); math.Abs(a.Covered-41.1/51.1) > 1e-4 {
		t.Errorf("%g covered, with 15 hours before the race", a.Covered)
	}
}

// More money never lowers the chance with one pair in the plan, ordering earlier neither; the list's order changes nothing.
func TestMoreNeverHurts(t *testing.T) {
	for seed := range uint64(12) {
		r := rand.New(rand.NewPCG(seed, 3))
		x := pair("x", 150+300*r.Float64(), 0.25)
		x.Copies, x.EffectiveKM = ptr(4), ptr(100*r.Float64())
		p := plain(16, x)
		p.Seed, p.Draws = seed, ptr(400)
		race := part("r", "sun", 10, term.Race)
		race.Start = "09:00"
		p.Weeks[15] = season.Week{Parts: append(slices.Clone(p.Weeks[0].Parts), race)}
		last := -1.0
		for _, money := range []int64{0, 10000, 20000, 30000} {
			p.Budget = ptr(money)
			if got := look(t, p).Races[0].Ready; got < last {
				t.Errorf("seed %d: with %d the race is ready with %g, with less with %g", seed, money, got, last)
			} else {
				last = got
			}
		}
	}
	p := plain(10, pair("x", 250, 0.3), pair("y", 180, 0.3))
	q := plain(10, p.Pairs[1], p.Pairs[0])
	a, b := look(t, p), look(t, q)
	again := look(t, p)
	if fmt.Sprint(*a.Pairs[0].Ends.P50, a.Spent, a.Covered) != fmt.Sprint(*again.Pairs[0].Ends.P50, again.Spent, again.Covered) {
		t.Error("the same seed gives another answer")
	}
	if math.Abs(a.Pairs[0].KM+a.Pairs[1].KM-b.Pairs[0].KM-b.Pairs[1].KM) > 25 {
		t.Errorf("turned about: %g and %g km", a.Pairs[0].KM, b.Pairs[1].KM)
	}
}

// An independent simulation of small plans: one pair that takes all, by its own words and its own random numbers.
func TestAgainstAnother(t *testing.T) {
	for seed := range uint64(20) {
		r := rand.New(rand.NewPCG(seed, 8))
		km := 20 + 40*r.Float64()
		weeks := 8 + r.IntN(12)
		x := pair("x", 120+300*r.Float64(), 0.1+0.3*r.Float64())
		x.EffectiveKM, x.Copies, x.Delivery = ptr(150*r.Float64()), ptr(1+r.IntN(4)), ptr(r.IntN(20))
		x.Load = map[term.Ground]float64{term.GroundRoad: 0.7 + 0.8*r.Float64()}
		orderAt := 0.05 + 0.9*r.Float64()
		budget := int64(10000 * r.IntN(4))
		p := season.Plan{Starts: "2026-12-07", Seed: seed, OrderAt: &orderAt, Budget: &budget, Pairs: []season.Pair{x},
			Weeks: []season.Week{{Parts: []rotation.WeekPart{part("a", "tue", km, term.Easy)}}}}
		for i := 1; i < weeks; i++ {
			p.Weeks = append(p.Weeks, season.Week{Like: ptr(i), KMFactor: ptr(0.9 + 0.2*r.Float64())})
		}
		race := part("r", "sun", 15, term.Race)
		race.Start = "09:00"
		plan := make([]float64, weeks)
		plan[0] = math.Round(1000*km) / 1000
		p.Weeks[0].Parts[0].KM = plan[0]
		for i := 1; i < weeks; i++ {
			plan[i] = math.Round(1000**p.Weeks[i].KMFactor*plan[i-1]) / 1000
		}
		p.Weeks[weeks-1] = season.Week{Parts: []rotation.WeekPart{part("a", "tue", plan[weeks-1], term.Easy), race}}
		got := look(t, p)
		ready, second, covered := another(x, plan, 15, orderAt, budget, 6000, seed)
		near := func(what string, is, want, n float64) {
			t.Helper()
			se := math.Sqrt(max(want*(1-want), 0.002)/6000 + max(is*(1-is), 0.002)/2000)
			if math.Abs(is-want) > n*se {
				t.Errorf("seed %d: %s %.4f, another simulation has %.4f", seed, what, is, want)
			}
		}
		near("ready", got.Races[0].Ready, ready, 3.5)
		chance := 0.0
		for _, o := range got.Pairs[0].Orders {
			if o.Copy == 2 {
				chance = o.Chance
			}
		}
		near("a second copy is ordered", chance, second, 3.5)
		if math.Abs(got.Covered-covered) > 0.02 {
			t.Errorf("seed %d: %.4f covered, another simulation has %.4f", seed, got.Covered, covered)
		}
	}
}

// another runs one pair through weeks of one run each, a race in the last.
func another(x season.Pair, plan []float64, raceKM, orderAt float64, budget int64, draws int,
	seed uint64) (ready, second, covered float64) {
	r := rand.New(rand.NewPCG(seed, 99))
	load := x.Load[term.GroundRoad]
	cdf := func(e float64) float64 {
		if e <= 0 {
			return 0
		}
		return 0.5 * (1 + math.Erf((math.Log(e)-x.LnLife.Mean)/x.LnLife.SD/math.Sqrt2))
	}
	all := raceKM
	for _, km := range plan {
		all += km
	}
	ahead := int(math.Ceil((float64(*x.Delivery) + 40/(plan[0]/14)) / 7))
	type shoe struct {
		life, e, km float64
		arrives     int
	}
	for range draws {
		life := math.Exp(x.LnLife.Mean + x.LnLife.SD*r.NormFloat64())
		for life <= *x.EffectiveKM {
			life = math.Exp(x.LnLife.Mean + x.LnLife.SD*r.NormFloat64())
		}
		shoes := []*shoe{{life, *x.EffectiveKM, *x.EffectiveKM, 0}}
		money := budget
		buy := func(w int) {
			if money >= x.Price {
				money -= x.Price
				shoes = append(shoes, &shoe{math.Exp(x.LnLife.Mean + x.LnLife.SD*r.NormFloat64()), 0, 0, 7*w + *x.Delivery})
			}
		}
		gone := -1 // the week at whose end the newest was set aside
		for w, km := range plan {
			newest := shoes[len(shoes)-1]
			lives := newest.e < newest.life
			if len(shoes) < *x.Copies && newest.arrives <= 7*w {
				switch {
				case !lives && gone == w-1:
					buy(w)
				case lives:
					e := newest.e
					alone := 0
					for _, s := range shoes {
						if s.e < s.life && s.arrives <= 7*w {
							alone++
						}
					}
					for k := w; k < min(len(plan), w+ahead); k++ {
						e += plan[k] * load / float64(alone)
						if k == len(plan)-1 {
							e += raceKM * load
						}
					}
					if (cdf(e)-cdf(newest.e))/(1-cdf(newest.e)) >= orderAt {
						buy(w)
					}
				}
			}
			var run *shoe
			for _, s := range shoes { // of two alike there never are two here for long: the first that is there runs
				if s.e < s.life && s.arrives <= 7*w && run == nil {
					run = s
				}
			}
			if run == nil {
				continue
			}
			covered += km
			run.e, run.km = run.e+km*load, run.km+km
			if w == len(plan)-1 {
				covered += raceKM
				racer, best := run, run.km-km
				for _, s := range shoes {
					if s.e < s.life && s.arrives <= 7*w && s != run {
						fit, was := s.km >= 40, best >= 40
						if fit && !was || fit == was && s.km < best {
							racer, best = s, s.km
						}
					}
				}
				if racer.km >= 40 && racer.e+raceKM*load < racer.life {
					ready++
				}
				racer.e += raceKM * load
			}
			for _, s := range shoes {
				if s == shoes[len(shoes)-1] && s.e >= s.life && gone < w && s.arrives <= 7*w && s == run {
					gone = w
				}
			}
		}
		if len(shoes) > 1 {
			second++
		}
	}
	n := float64(draws)
	return ready / n, second / n, covered / n / all
}

// Of races that are said to be ready with a chance, that many are: lives drawn by the model, apart from the answer's own.
func TestCalibrated(t *testing.T) {
	said, came, n := 0.0, 0.0, 0.0
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 17))
		x := pair("x", 250+250*r.Float64(), 0.3)
		x.EffectiveKM = ptr(40 + 60*r.Float64())
		weeks := 4 + r.IntN(6)
		p := plain(weeks, x)
		p.Seed, p.Draws = seed, ptr(1000)
		race := part("r", "sun", 10, term.Race)
		race.Start = "09:00"
		p.Weeks[weeks-1] = season.Week{Parts: append(slices.Clone(p.Weeks[0].Parts), race)}
		said += look(t, p).Races[0].Ready
		need := *x.EffectiveKM + 30*float64(weeks) // the race in the place of the run too near it
		for range 200 {
			life := 0.0
			for life <= *x.EffectiveKM {
				life = math.Exp(x.LnLife.Mean + 0.3*r.NormFloat64())
			}
			// Worn out before the last week it is not there to race; in it, it must last through the race.
			if life > need {
				came += 1.0 / 200
			}
		}
		n++
	}
	if math.Abs(said-came)/n > 0.02 {
		t.Errorf("said %.3f, came %.3f", said/n, came/n)
	}
}

// The copies after the first have a life of their own where one is told; who is barred from a run does not run it.
func TestNextLifeAndBarred(t *testing.T) {
	x := pair("x", 60, 0)
	x.Copies, x.Delivery = ptr(3), ptr(0)
	p := plain(10, x) // 30 km a week
	p.OrderAt = ptr(1.0)
	ends := func() (out []int) {
		for _, c := range look(t, p).Pairs[0].Copies {
			if c.Ends.P50 == nil {
				out = append(out, 0)
			} else {
				out = append(out, *c.Ends.P50)
			}
		}
		return out
	}
	if got := ends(); !slices.Equal(got, []int{2, 4, 6}) {
		t.Errorf("three of 60 km end in %v", got)
	}
	p.Pairs[0].NextLife = &season.Life{Mean: math.Log(90)}
	if got := ends(); !slices.Equal(got, []int{2, 5, 8}) {
		t.Errorf("one of 60 km and two of 90 end in %v", got)
	}
	p = plain(2, pair("x", 1000, 0), pair("y", 1000, 0))
	for i := range p.Weeks[0].Parts {
		p.Weeks[0].Parts[i].Barred = []string{"x"}
	}
	if a := look(t, p); a.Pairs[0].KM != 0 || a.Pairs[1].KM <= 0 || a.Covered != 1 {
		t.Errorf("barred from all, x runs %.0f km, y %.0f", a.Pairs[0].KM, a.Pairs[1].KM)
	}
}

// What of a plan cannot be is told at its field.
func TestBadPlans(t *testing.T) {
	for field, spoil := range map[string]func(p *season.Plan){
		"starts":                func(p *season.Plan) { p.Starts = "2026-12-08" },
		"schema":                func(p *season.Plan) { p.Schema = "other" },
		"draws":                 func(p *season.Plan) { p.Draws = ptr(1_000_000_000) },
		"order_at":              func(p *season.Plan) { p.OrderAt = ptr(1.5) },
		"weeks":                 func(p *season.Plan) { p.Weeks = nil },
		"weeks[1].like":         func(p *season.Plan) { p.Weeks[1].Like = ptr(2) },
		"weeks[1].km_factor":    func(p *season.Plan) { p.Weeks[1].KMFactor = ptr(-1.0) },
		"weeks[1].parts":        func(p *season.Plan) { p.Weeks[1] = season.Week{} },
		"weeks[0].parts[1].day": func(p *season.Plan) { p.Weeks[0].Parts[1].Day = "someday" },
		"weeks[0].parts[1].start": func(p *season.Plan) {
			p.Weeks = p.Weeks[:1]
			p.Weeks[0].Parts[1] = part("b", "mon", 10, term.Easy)
		},
		"pairs[0].ln_life":         func(p *season.Plan) { p.Pairs[0].LnLife = nil },
		"pairs[0].ln_life.sd":      func(p *season.Plan) { p.Pairs[0].LnLife.SD = 5 },
		"pairs[0].ln_life.mean":    func(p *season.Plan) { p.Pairs[0].LnLife.Mean = math.NaN() },
		"pairs[0].price":           func(p *season.Plan) { p.Pairs[0].Price = -1 },
		"pairs[0].copies":          func(p *season.Plan) { p.Pairs[0].Copies = ptr(1000) },
		"pairs[0].delivery_days":   func(p *season.Plan) { p.Pairs[0].Delivery = ptr(-1) },
		"pairs[0].race_km":         func(p *season.Plan) { p.Pairs[0].RaceKM = []float64{5} },
		"pairs[0].load.moon":       func(p *season.Plan) { p.Pairs[0].Load = map[term.Ground]float64{"moon": 1} },
		"pairs[0].next_ln_life.sd": func(p *season.Plan) { p.Pairs[0].NextLife = &season.Life{Mean: 5, SD: -1} },
		"weeks[0].parts[1].barred": func(p *season.Plan) { p.Weeks[0].Parts[1].Barred = []string{"nobody"} },
		"buy[0]":                   func(p *season.Plan) { p.Buy = []string{"nobody"} },
		"max_pairs":                func(p *season.Plan) { p.MaxPairs = ptr(0) },
		"budget":                   func(p *season.Plan) { p.Budget = ptr(int64(-5)) },
	} {
		p := plain(3, pair("x", 300, 0.2))
		spoil(&p)
		_, err := season.Look(context.Background(), p, nil)
		if l, ok := fault.As(err); !ok || l[0].Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
	p := plain(31, pair("x", 300, 0.2))
	if l, _ := fault.As(second(season.Look(context.Background(), p, nil))); len(l) != 1 || l[0].Field != "weeks" {
		t.Errorf("31 weeks: %v", l)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := season.Look(ctx, plain(3, pair("x", 300, 0.2)), nil); err == nil {
		t.Error("a cancelled look gives an answer")
	}
}

func second[A any](_ A, err error) error { return err }

// 2,000 futures of 20 weeks with 12 pairs and 7 parts.
func BenchmarkSeason(b *testing.B) {
	kinds := []term.Kind{term.Easy, term.Long, term.Tempo, term.Intervals, term.Recovery}
	r := rand.New(rand.NewPCG(1, 1))
	p := season.Plan{Starts: "2026-12-07", Seed: 1, Weeks: []season.Week{{}}}
	for i, day := range rotation.Days {
		p.Weeks[0].Parts = append(p.Weeks[0].Parts, part(fmt.Sprint(i), day, 6+4*float64(i%4), kinds[i%len(kinds)]))
	}
	for range 18 {
		p.Weeks = append(p.Weeks, season.Week{Like: ptr(len(p.Weeks)), KMFactor: ptr(1.03)})
	}
	last := slices.Clone(p.Weeks[0].Parts)
	last[6] = part("race", "sun", 42.2, term.Race)
	p.Weeks = append(p.Weeks, season.Week{Parts: last})
	for i := range 12 {
		x := pair(fmt.Sprint("p", i), 300+400*r.Float64(), 0.25)
		x.Suitability = nil
		for _, k := range append(kinds, term.Race) {
			x.Suitability = append(x.Suitability, rotation.Suit{Kind: k, Ground: term.GroundRoad, Value: 0.4 + 0.6*r.Float64()})
		}
		x.EffectiveKM, x.Copies, x.Owned = ptr(200*r.Float64()), ptr(2), i < 8
		p.Pairs = append(p.Pairs, x)
	}
	p.Buy = []string{"p9"}
	for b.Loop() {
		look(b, p)
	}
}

// Whatever a plan holds, it is looked through or refused.
func FuzzLook(f *testing.F) {
	f.Add([]byte(`{"starts":"2026-12-07","draws":3,"weeks":[{"parts":[{"id":"a","day":"mon","start":"18:00","km":10,"kind":"race",` +
		`"ground":"road"}]},{"like":1,"km_factor":1.1}],` +
		`"pairs":[{"id":"x","owned":true,"ln_life":{"mean":5,"sd":0.2},"copies":2,"suitability":[{"kind":"race",` +
		`"ground":"road","value":0.9}]}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		var p season.Plan
		if strict.Decode(data, &p) != nil {
			return
		}
		p.Draws = ptr(3)
		a, err := season.Look(context.Background(), p, nil)
		if err != nil {
			if _, ok := fault.As(err); !ok {
				t.Fatalf("no fault: %v", err)
			}
			return
		}
		if len(a.Weeks) != len(p.Weeks) || a.Covered < 0 || a.Covered > 1.0001 || math.IsNaN(a.Short) {
			t.Fatalf("%+v", a)
		}
		if _, err := json.Marshal(a); err != nil {
			t.Fatal(err)
		}
	})
}
