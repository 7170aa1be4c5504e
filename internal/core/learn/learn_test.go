package learn_test

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/learn"
	"trevik/internal/core/strict"
	"trevik/internal/core/term"
	"trevik/internal/core/tryon"
	"trevik/internal/core/wear"
	"trevik/internal/device"
	"trevik/internal/practice"
)

func ptr[T any](v T) *T { return &v }

func shop(t testing.TB, o device.ShopOptions) *device.Shop {
	t.Helper()
	s, err := device.NewShop(o)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func lives(t testing.TB, l learn.Lives) learn.LifeAnswer {
	t.Helper()
	a, err := l.Learn(nil)
	if err != nil {
		t.Fatal(err)
	}
	return a
}

func liking(t testing.TB, l learn.TryOns) learn.LikingAnswer {
	t.Helper()
	a, err := l.Learn(nil)
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// One pair that wore out at e times its median: the normal's own posterior, by hand.
func TestOnePair(t *testing.T) {
	a := lives(t, learn.Lives{Pairs: []learn.Pair{{Runner: "r", Model: "m", Class: term.Daily, MassKG: ptr(70.0),
		EffectiveKM: ptr(620 * math.Exp(0.3)), Ended: learn.WornOut}}})
	all := 0.01 + 0.0225 + 0.04 + 0.04
	class, model, runner := a.Classes[0], a.Models[0], a.Runners[0]
	for _, x := range []struct {
		name     string
		is, want float64
	}{
		{"class", class.Ln.Mean, math.Log(620) + 0.3*0.01/all}, {"class sd", class.Ln.SD, math.Sqrt(0.01 - 0.01*0.01/all)},
		{"model", model.Ln.Mean, math.Log(620) + 0.3*0.0325/all}, {"model sd", model.Ln.SD, math.Sqrt(0.0325 - 0.0325*0.0325/all)},
		{"runner", runner.Ln.Mean, 0.3 * 0.04 / all}, {"runner sd", runner.Ln.SD, math.Sqrt(0.04 - 0.04*0.04/all)},
		{"of the prior", runner.Prior, 1 - 0.04/all}, {"p50", class.Median.P50, math.Round(6200*math.Exp(0.3*0.01/all)) / 10},
		{"p90", runner.Factor.P90, math.Exp(0.3*0.04/all + 1.2816*math.Sqrt(0.04-0.04*0.04/all))},
	} {
		if math.Abs(x.is-x.want) > 1e-3*math.Max(1, math.Abs(x.want)/100) {
			t.Errorf("%s is %.6f, want %.6f", x.name, x.is, x.want)
		}
	}
	if a.Ended != 1 || a.Warnings[0].Code != "few_ended" || model.WornOut != 1 {
		t.Errorf("%+v", a)
	}
}

// The same posterior's mode by another optimiser, climbing one unknown after another by golden sections.
func TestLivesAgainstAnother(t *testing.T) {
	for seed := range uint64(2) {
		s := shop(t, device.ShopOptions{Seed: 100 + seed, Pairs: 40})
		a := lives(t, s.Lives)
		class, model, runner := map[string]*float64{}, map[string]*float64{}, map[string]*float64{}
		var all []*float64
		var sds []float64
		at := func(m map[string]*float64, name string, sd float64) {
			if m[name] == nil {
				m[name] = new(float64)
				all, sds = append(all, m[name]), append(sds, sd)
			}
		}
		for _, p := range s.Lives.Pairs {
			at(class, string(p.Class), 0.10)
			at(model, p.Model, 0.15)
			at(runner, p.Runner, 0.20)
		}
		medians := map[string]float64{}
		posterior := func() float64 {
			sum := 0.0
			for i, v := range all {
				sum -= *v * *v / (2 * sds[i] * sds[i])
			}
			for _, p := range s.Lives.Pairs {
				median := house.Shipped().MedianLife(p.Class)
				if p.MedianKM != nil {
					median = *p.MedianKM
				}
				medians[p.Model] = median
				prior := math.Log(median * wear.RunnerFactor(p.MassKG, p.Strike))
				d := (math.Log(*p.EffectiveKM) - prior - *class[string(p.Class)] - *model[p.Model] - *runner[p.Runner]) / 0.20
				switch {
				case p.Ended == learn.WornOut && math.Abs(math.Log(*p.EffectiveKM)-prior) > math.Log(4):
				case p.Ended == learn.WornOut:
					sum -= d * d / 2
				case *p.EffectiveKM > 0:
					sum += math.Log(0.5 * math.Erfc(d/math.Sqrt2))
				}
			}
			return sum
		}
		for range 120 {
			for _, v := range all {
				lo, hi := *v-0.2, *v+0.2
				for hi-lo > 1e-7 {
					x, y := lo+0.382*(hi-lo), lo+0.618*(hi-lo)
					*v = x
					px := posterior()
					*v = y
					if py := posterior(); px > py {
						hi = y
					} else {
						lo = x
					}
				}
				*v = (lo + hi) / 2
			}
		}
		for _, m := range a.Models {
			want := math.Log(medians[m.Model]) + *class[string(m.Class)] + *model[m.Model]
			if math.Abs(m.Ln.Mean-want) > 1e-4 {
				t.Errorf("seed %d: %s is %.6f, another optimiser has %.6f", seed, m.Model, m.Ln.Mean, want)
			}
		}
		for _, r := range a.Runners {
			if math.Abs(r.Ln.Mean-*runner[r.Runner]) > 1e-4 {
				t.Errorf("seed %d: %s is %.6f, another optimiser has %.6f", seed, r.Runner, r.Ln.Mean, *runner[r.Runner])
			}
		}
	}
}

// A life that can be none is set apart, and moves nothing; the order of pairs changes nothing; what lasts longer tells more.
func TestLivesProperties(t *testing.T) {
	s := shop(t, device.ShopOptions{Seed: 4, Pairs: 60})
	plain := lives(t, s.Lives)
	turned := learn.Lives{Pairs: slices.Clone(s.Lives.Pairs)}
	slices.Reverse(turned.Pairs)
	back := lives(t, turned)
	for _, m := range plain.Models {
		k := slices.IndexFunc(back.Models, func(x learn.ModelLife) bool { return x.Model == m.Model })
		if d := math.Abs(back.Models[k].Ln.Mean - m.Ln.Mean); d > 1e-6 {
			t.Errorf("%s moves by %g when the list is turned about", m.Model, d)
		}
		if m.Prior <= 0 || m.Prior > 1.0001 || !(m.Median.P10 < m.Median.P50 && m.Median.P50 < m.Median.P90) {
			t.Errorf("%+v", m)
		}
	}
	odd := learn.Lives{Pairs: slices.Clone(s.Lives.Pairs)}
	p := s.Lives.Pairs[0]
	for _, km := range []float64{9, 5000} {
		p.EffectiveKM, p.Ended = ptr(km), learn.WornOut
		odd.Pairs = append(odd.Pairs, p)
	}
	a := lives(t, odd)
	if a.SetApart != 2 || a.Ended != plain.Ended || a.Classes[0].Ln != plain.Classes[0].Ln {
		t.Errorf("9 and 5,000 km: %d set apart, %+v against %+v", a.SetApart, a.Classes[0], plain.Classes[0])
	}
	more := learn.Lives{Pairs: slices.Clone(s.Lives.Pairs)}
	p.EffectiveKM, p.Ended = ptr(2000.0), learn.InUse
	more.Pairs = append(more.Pairs, p)
	k := slices.IndexFunc(plain.Models, func(x learn.ModelLife) bool { return x.Model == p.Model })
	if up := lives(t, more).Models[k].Ln.Mean; up <= plain.Models[k].Ln.Mean {
		t.Errorf("a pair that is in use at 2,000 km moves its model from %g to %g", plain.Models[k].Ln.Mean, up)
	}
	if none := lives(t, learn.Lives{}); len(none.Classes) != 0 || none.Warnings[0].Code != "few_ended" {
		t.Errorf("no pair: %+v", none)
	}
}

func marks(v float64, more map[string]float64) map[string]float64 {
	m := map[string]float64{}
	for _, name := range house.Marks {
		m[name] = v
	}
	for name, x := range more {
		m[name] = x
	}
	return m
}

// One choice between two that differ by one mark: the posterior's mode solves its own equation, and what no foot can feel
// is told by the choice alone.
func TestOneChoice(t *testing.T) {
	x := learn.TryOn{Runner: "r", Pairs: []learn.Worn{{Pair: "a", Marks: marks(0.5, map[string]float64{"feel": 1})},
		{Pair: "b", Marks: marks(0.5, map[string]float64{"feel": 0})}}, Chosen: ptr("a")}
	a := liking(t, learn.TryOns{TryOns: []learn.TryOn{x}})
	k := slices.Index(house.Marks, "feel")
	w0 := a.Weights[k].House
	w := w0
	for range 200 { // w = w0 + sd² · 8 · (1 − σ(8 w))
		w = w0 + 0.0025*8*(1-1/(1+math.Exp(-8*w)))
	}
	if got := a.Weights[k].Learned * a.Scale; math.Abs(got-w) > 1e-5 || math.Abs(a.Scale-(1-w0+w)) > 1e-5 {
		t.Errorf("learned %.6f of a scale of %.6f, want %.6f of %.6f", got, a.Scale, w, 1-w0+w)
	}
	// By comparison and comfort money tells nothing.
	y := x
	y.Chosen, y.Wins = nil, []tryon.Comparison{{Winner: "a", Loser: "b"}}
	y.Pairs = []learn.Worn{{Pair: "a", Marks: marks(0.5, map[string]float64{"money": 1}), Comfort: ptr(9.0)},
		{Pair: "b", Marks: marks(0.5, nil), Comfort: ptr(2.0)}}
	if a := liking(t, learn.TryOns{TryOns: []learn.TryOn{y}}); math.Abs(a.Scale-1) > 1e-6 {
		t.Errorf("a foot felt the money: scale %g", a.Scale)
	}
	// All that one try-on tells counts as much as an order of its pairs: said three times it is said once.
	z := x
	z.Wins = []tryon.Comparison{{Winner: "a", Loser: "b"}, {Winner: "a", Loser: "b"}}
	if again := liking(t, learn.TryOns{TryOns: []learn.TryOn{z}}); math.Abs(again.Scale-a.Scale) > 1e-6 {
		t.Errorf("said three times: scale %.6f, once %.6f", again.Scale, a.Scale)
	}
}

// The same mode by another optimiser: one weight after another, by golden sections on the loss that the package tells.
func TestLikingAgainstAnother(t *testing.T) {
	s := shop(t, device.ShopOptions{Seed: 9, Pairs: 60, TryOns: 30})
	a := liking(t, s.TryOns)
	told := 0.0 // try-ons that tell anything
	for _, x := range s.TryOns.TryOns {
		comforts := 0
		for _, p := range x.Pairs {
			if p.Comfort != nil {
				comforts++
			}
		}
		if len(x.Wins) > 0 || comforts > 1 || x.Chosen != nil && len(x.Pairs) > 1 {
			told++
		}
	}
	w := map[string]float64{}
	for _, x := range a.Weights {
		w[x.Mark] = x.House
	}
	posterior := func() float64 {
		loss, err := s.TryOns.LossBy(w)
		if err != nil {
			t.Fatal(err)
		}
		sum := -told * loss
		for _, x := range a.Weights {
			d := w[x.Mark] - x.House
			sum -= d * d / (2 * 0.0025)
		}
		return sum
	}
	for range 20 {
		for _, name := range house.Marks {
			lo, hi := 0.0, 0.6
			for hi-lo > 1e-6 {
				x, y := lo+0.382*(hi-lo), lo+0.618*(hi-lo)
				w[name] = x
				px := posterior()
				w[name] = y
				if py := posterior(); px >= py {
					hi = y
				} else {
					lo = x
				}
			}
			w[name] = (lo + hi) / 2
		}
	}
	for _, x := range a.Weights {
		if math.Abs(x.Learned*a.Scale-w[x.Mark]) > 1e-4 {
			t.Errorf("%s is %.6f, another optimiser has %.6f", x.Mark, x.Learned*a.Scale, w[x.Mark])
		}
	}
}

// Over invented shops: intervals hold what they say, forecasts and likings gain, and nothing is said to be better that is not.
func TestOverShops(t *testing.T) {
	l, err := practice.CheckLearning(40, []int{60}, 500, nil)
	if err != nil {
		t.Fatal(err)
	}
	gain, lost := 0.0, 0.0
	for i := range l.Gain {
		gain, lost = gain+l.Gain[i]/float64(len(l.Gain)), lost-l.GainAsTold[i]/float64(len(l.Gain))
	}
	held := float64(l.Held) / float64(l.Intervals)
	t.Logf("intervals hold %.3f, gain %.3f, loss as told %.3f, closed %.2f, better by error %d", held, gain, lost, l.Closed/l.Gap,
		l.FalseBetter)
	if math.Abs(held-0.8) > 0.04 || gain < 0.1 || lost > 0.06 || l.Closed < 0.4*l.Gap || l.FalseBetter > 4 {
		t.Error("learning does not what it promises")
	}
}

// What of either input cannot be is told at its field.
func TestRefused(t *testing.T) {
	good := learn.Pair{Runner: "r", Model: "m", Class: term.Daily, EffectiveKM: ptr(500.0), Ended: learn.WornOut}
	for field, spoil := range map[string]func(p *learn.Pair){
		"pairs[1].runner":         func(p *learn.Pair) { p.Runner = "" },
		"pairs[1].class":          func(p *learn.Pair) { p.Class = "slipper" },
		"pairs[1].ended":          func(p *learn.Pair) { p.Ended = "lost" },
		"pairs[1].effective_km":   func(p *learn.Pair) { p.EffectiveKM = ptr(0.0) },
		"pairs[1].mass_kg":        func(p *learn.Pair) { p.MassKG = ptr(-3.0) },
		"pairs[1].median_life_km": func(p *learn.Pair) { p.MedianKM = ptr(400.0) },
	} {
		bad := good
		spoil(&bad)
		_, err := (&learn.Lives{Pairs: []learn.Pair{good, bad}}).Learn(nil)
		if l, _ := fault.As(err); len(l) == 0 || l[0].Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
	for field, spoil := range map[string]func(x *learn.TryOn){
		"tryons[0].runner":              func(x *learn.TryOn) { x.Runner = "" },
		"tryons[0].pairs":               func(x *learn.TryOn) { x.Pairs = nil },
		"tryons[0].pairs[1].marks.feel": func(x *learn.TryOn) { delete(x.Pairs[1].Marks, "feel") },
		"tryons[0].pairs[0].marks.hold": func(x *learn.TryOn) { x.Pairs[0].Marks["hold"] = 1.5 },
		"tryons[0].pairs[0].comfort":    func(x *learn.TryOn) { x.Pairs[0].Comfort = ptr(11.0) },
		"tryons[0].chosen":              func(x *learn.TryOn) { x.Chosen = ptr("z") },
		"tryons[0].wins[0].loser":       func(x *learn.TryOn) { x.Wins = []tryon.Comparison{{Winner: "a", Loser: "z"}} },
	} {
		x := learn.TryOn{Runner: "r", Pairs: []learn.Worn{{Pair: "a", Marks: marks(0.5, nil)}, {Pair: "b", Marks: marks(0.4, nil)}}}
		spoil(&x)
		_, err := (&learn.TryOns{TryOns: []learn.TryOn{x}}).Learn(nil)
		if l, _ := fault.As(err); len(l) == 0 || l[0].Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
}

// Whatever either file holds, it is learned from or refused.
func FuzzLearn(f *testing.F) {
	s, err := device.NewShop(device.ShopOptions{Seed: 1, Pairs: 3, TryOns: 2})
	if err != nil {
		f.Fatal(err)
	}
	for _, v := range []any{s.Lives, s.TryOns} {
		data, err := json.Marshal(v)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		check := func(a any, err error) {
			if err != nil {
				if _, ok := fault.As(err); !ok {
					t.Fatalf("no fault: %v", err)
				}
				return
			}
			if _, err := json.Marshal(a); err != nil {
				t.Fatalf("%v of %s", err, fmt.Sprint(a))
			}
		}
		var l learn.Lives
		if strict.Decode(data, &l) == nil {
			a, err := l.Learn(nil)
			check(a, err)
		}
		var x learn.TryOns
		if strict.Decode(data, &x) == nil {
			a, err := x.Learn(nil)
			check(a, err)
		}
	})
}

func BenchmarkRefit(b *testing.B) {
	s := shop(b, device.ShopOptions{Seed: 1, Pairs: 10_000, TryOns: 5_000})
	for b.Loop() {
		lives(b, s.Lives)
		liking(b, s.TryOns)
	}
}
