package wear

import (
	"fmt"
	"math"
	"math/rand/v2"
	"sort"
	"testing"
	"time"

	"trevik/internal/core/house"
	"trevik/internal/core/term"
)

// grid computes what the model asks for by adding up a fine grid of the runner's own factor
// and of ln L, without any formula of conjugate normals: the quantiles of L − e given L > e,
// and P(L ≤ e).
func grid(prior float64, history []float64, looks [][2]float64, e float64) (left map[float64]float64, used float64) {
	const n, k = 9000, 300
	density := func(x, mean, sd float64) float64 { z := (x - mean) / sd; return math.Exp(-z*z/2) / sd }
	lo, hi := prior-4, prior+3
	own := make([][2]float64, k)
	for i := range own {
		mu := -2.2 + 3.8*(float64(i)+0.5)/k
		w := density(mu, 0, 0.20)
		for _, r := range history {
			w *= density(r, mu, 0.25)
		}
		own[i] = [2]float64{mu, w}
	}
	xs, cum := make([]float64, n+1), make([]float64, n+1)
	last := 0.0
	for i := range xs {
		x := lo + (hi-lo)*float64(i)/n
		xs[i] = x
		p := 0.0
		for _, o := range own {
			p += o[1] * density(x, prior+o[0], 0.20)
		}
		for _, s := range looks {
			p *= density(x, s[0], s[1])
		}
		if i > 0 {
			cum[i] = cum[i-1] + (last+p)/2
		}
		last = p
	}
	at := func(x float64) float64 {
		f := (x - lo) / (hi - lo) * n
		i := int(math.Max(0, math.Min(n-1, math.Floor(f))))
		return (cum[i] + (cum[i+1]-cum[i])*math.Max(0, math.Min(1, f-float64(i)))) / cum[n]
	}
	if e > 0 {
		used = at(math.Log(e))
	}
	left = map[float64]float64{}
	for _, q := range []float64{0.1, 0.2, 0.5, 0.9} {
		want := (used + (1-used)*q) * cum[n]
		i := sort.SearchFloat64s(cum, want)
		i = max(1, min(i, n))
		x := xs[i-1] + (xs[i]-xs[i-1])*(want-cum[i-1])/(cum[i]-cum[i-1])
		left[q] = math.Exp(x) - e
	}
	return left, used
}

// On random pairs, with runs of every kind, history and looks, the answer is the grid's to
// a tenth of a per cent, and its dates are those of a plan that is walked day by day.
func TestAgainstIndependent(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	today := time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)
	checked := 0
	for n := 0; checked < 220; n++ {
		p := fresh()
		p.Today, p.FirstWorn = "2026-11-24", "2026-01-10"
		p.Class = term.Classes[r.IntN(len(term.Classes))]
		p.Surface = term.Surfaces[r.IntN(3)]
		mass := 45 + 70*r.Float64()
		p.Runner.MassKg = &mass
		if r.IntN(2) == 0 {
			p.Runner.Strike = term.HeelStrike
		}
		stack := 12 + 30*r.Float64()
		p.HeelStackMM = &stack
		p.PlanWeeklyKM = []float64{5 + 50*r.Float64(), 5 + 50*r.Float64(), 5 + 50*r.Float64()}
		// The load, by the factors as they are written down.
		e := 0.0
		byDay := map[string]float64{}
		for range r.IntN(40) {
			day := today.AddDate(0, 0, -r.IntN(300)).Format(DateLayout)
			x := Run{Date: day, KM: 1 + 20*r.Float64(), Ground: term.Grounds[r.IntN(4)], Kind: term.Kinds[r.IntN(5)], Wet: r.IntN(4) == 0}
			f := 1.0
			if p.Surface == term.Trail && x.Ground == term.GroundRoad {
				f = 1.5
			}
			if p.Surface == term.Link && x.Ground == term.GroundRoad {
				f = 1.1
			}
			if p.Surface == term.Road && (x.Ground == term.GroundTrail || x.Ground == term.GroundMud) {
				f = 1.3
			}
			if x.Wet || x.Ground == term.GroundMud {
				f *= 1.15
			}
			if r.IntN(5) == 0 {
				temp := 24 + 12*r.Float64()
				x.TempC = &temp
				if temp > 30 {
					f *= 1.10
				}
			}
			if r.IntN(3) == 0 {
				hours := 48 * r.Float64()
				x.HoursSinceLast = &hours
				if hours < 24 {
					f *= 1.05
				}
			}
			p.Runs = append(p.Runs, x)
			e += f * x.KM
			byDay[day] += f * x.KM
		}
		factor := math.Max(0.75, math.Min(1.20, math.Sqrt(70/mass)))
		if p.Runner.Strike == term.HeelStrike {
			factor *= 0.97
		}
		h := house.Shipped()
		prior := math.Log(h.MedianLife(p.Class) * factor)
		var history []float64
		for range r.IntN(4) {
			class := term.Classes[r.IntN(len(term.Classes))]
			km := 200 + 700*r.Float64()
			p.Runner.History = append(p.Runner.History, Retired{Class: class, EffectiveKM: km})
			history = append(history, math.Log(km/(h.MedianLife(class)*factor)))
		}
		var looks [][2]float64
		for range r.IntN(3) {
			day := today.AddDate(0, 0, -r.IntN(200)).Format(DateLayout)
			tread, bounce, even := 0.85*r.Float64(), 0.85*r.Float64(), 0.5*r.Float64()
			x := Inspection{Date: day, Tread: &tread, Bounce: &bounce, BesideFresh: r.IntN(2) == 0}
			wb := 0.35
			if stack < 20 {
				wb = 0.15
			}
			sum, weight := 0.35*tread+wb*bounce, 0.35+wb
			if r.IntN(2) == 0 {
				x.Evenness = &even
				sum, weight = sum+0.15*even, weight+0.15
			}
			p.Inspections = append(p.Inspections, x)
			c := math.Max(0.02, math.Min(1, math.Max(sum/weight, 0.9*math.Max(tread, bounce))))
			on := 0.0
			for d, km := range byDay {
				if d <= day {
					on += km
				}
			}
			if on == 0 {
				continue
			}
			s := 0.35
			if x.BesideFresh {
				s = 0.25
			}
			looks = append(looks, [2]float64{math.Log(on / c), math.Max(s, 0.105/c)})
		}
		a, err := Assess(p)
		if err != nil {
			t.Fatal(err)
		}
		left, used := grid(prior, history, looks, e)
		if used > 0.97 {
			continue // the grid's own tail is too thin
		}
		checked++
		near := func(what string, got, want, scale float64) {
			if math.Abs(got-want) > 0.001*scale {
				t.Errorf("%d: %s is %g, by the grid %g", n, what, got, want)
			}
		}
		near("effective km", a.EffectiveKM, e, e+1)
		near("used", a.UsedProbability, used, 1)
		if a.State == SetAside {
			if a.Dates.P50 != nil || a.RemainingKM != (Quantiles{}) || a.OrderBy == nil || *a.OrderBy != p.Today {
				t.Errorf("%d: set aside, and %+v %+v", n, a.RemainingKM, a.Dates)
			}
			continue
		}
		for q, got := range map[float64]float64{0.1: a.RemainingKM.P10, 0.2: a.RemainingKM.P20, 0.5: a.RemainingKM.P50, 0.9: a.RemainingKM.P90} {
			near(fmt.Sprintf("quantile %g", q), got, left[q], left[q]+e)
		}
		// The plan, day by day.
		done, day := 0.0, 0
		for ; done < a.RemainingKM.P50-1e-9 && day < 7*260; day++ {
			done += p.PlanWeeklyKM[min(day/7, 2)] / 7
		}
		if want := today.AddDate(0, 0, day).Format(DateLayout); a.Dates.P50 == nil || *a.Dates.P50 != want {
			t.Errorf("%d: the even date is %v, day by day %s", n, a.Dates.P50, want)
		}
	}
}

// On runners whose lives are drawn from the model, P10 to P90 holds the truth eight times in
// ten, and history and looks make it narrower.
func TestCalibration(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 9))
	widths := map[string]float64{}
	for _, c := range []struct {
		name           string
		history, looks int
	}{{"nothing", 0, 0}, {"history", 4, 0}, {"looks", 0, 2}, {"both", 4, 2}} {
		held, n, width := 0, 0, 0.0
		for n < 2500 {
			own := 0.20 * r.NormFloat64()
			life := 620 * math.Exp(own+0.20*r.NormFloat64())
			e := 450 * r.Float64()
			if life <= e {
				continue // worn out before: nobody asks
			}
			p := Pair{Class: term.Daily, FirstWorn: "2026-01-01", Today: "2026-11-24", PlanWeeklyKM: []float64{20}, Surface: term.Road}
			p.Runs = []Run{{Date: "2026-02-01", KM: math.Max(0.1, e/2), Ground: term.GroundRoad, Kind: term.Easy},
				{Date: "2026-08-01", KM: math.Max(0.1, e/2), Ground: term.GroundRoad, Kind: term.Easy}}
			for range c.history {
				p.Runner.History = append(p.Runner.History, Retired{Class: term.Daily, EffectiveKM: 620 * math.Exp(own+0.25*r.NormFloat64())})
			}
			for i := range c.looks {
				on := []string{"2026-05-01", "2026-10-01"}[i]
				at := e * float64(i+1) / 2
				// What a look sees of the truth, with the error that the model gives to such
				// a look: it depends on what is seen, so it is found by halving.
				z := r.NormFloat64()
				lo, hi := 0.02, 1.0
				for range 40 {
					mid := math.Sqrt(lo * hi)
					if math.Log(mid)-math.Log(at/life) > z*math.Max(0.25, 0.105/mid) {
						hi = mid
					} else {
						lo = mid
					}
				}
				seen := lo
				p.Inspections = append(p.Inspections, Inspection{Date: on, Tread: &seen, Bounce: &seen, BesideFresh: true})
			}
			a, err := Assess(p)
			if err != nil {
				t.Fatal(err)
			}
			n++
			// What the model says of its life; what it says of a pair to set aside is nothing.
			ahead := outlook{[]point{{0, normal{a.LnLife.Mean, a.LnLife.SD * a.LnLife.SD}}}, a.EffectiveKM}
			p10, p90 := ahead.remaining(0.1), ahead.remaining(0.9)
			if left := life - e; left >= p10 && left <= p90 {
				held++
			}
			width += p90 - p10
		}
		share := float64(held) / float64(n)
		t.Logf("%s: %.1f %% held, %.0f km wide", c.name, 100*share, width/float64(n))
		if share < 0.76 || share > 0.84 {
			t.Errorf("with %s P10 to P90 holds %.1f %%", c.name, 100*share)
		}
		widths[c.name] = width / float64(n)
	}
	if !(widths["both"] < widths["history"] && widths["both"] < widths["looks"] && widths["history"] < widths["nothing"] &&
		widths["looks"] < widths["nothing"]) {
		t.Errorf("%v", widths)
	}
}

// On random pairs that nobody counted at first, with runs, lifting, looks and aches, the answer is
// that of the two-dimensional belief written out with matrices, and summed over its 41 quantiles.
func TestUnknownDistanceAgainstIndependent(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 17))
	today := time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)
	for n := range 400 {
		p := Pair{Class: term.Classes[r.IntN(len(term.Classes))], Today: "2026-11-24", Surface: term.Road,
			PlanWeeklyKM: []float64{5 + 40*r.Float64()}}
		m := house.Shipped().MedianLife(p.Class)
		usual, share := 5+60*r.Float64(), 0.2+0.8*r.Float64()
		var mean, sd float64 // of ln E0
		first := today.AddDate(0, 0, -20-r.IntN(700))
		counting := first.AddDate(0, 0, 7+r.IntN(300))
		switch r.IntN(3) {
		case 0:
			p.KMBefore = Before{KM: 20 + 900*r.Float64(), SDLn: 0.05 + 0.6*r.Float64()}
			mean, sd = math.Log(p.KMBefore.KM), p.KMBefore.SDLn
		case 1:
			p.KMBefore.Unknown, p.FirstWorn = true, first.Format(DateLayout)
			p.Runner.UsualWeeklyKM, p.Share = &usual, &share
			to := today
			if counting.Before(today) {
				p.Runs = []Run{{Date: counting.Format(DateLayout), KM: 0.001, Ground: term.GroundRoad, Kind: term.Easy}}
				to = counting
			}
			mean, sd = math.Log(to.Sub(first).Hours()/168*usual*share), 0.5
		case 2:
			p.KMBefore.Unknown = true
			mean, sd = math.Log(m/2), 0.7
		}
		if counting.Before(today) {
			days := int(today.Sub(counting).Hours() / 24)
			for range r.IntN(12) {
				on := counting.AddDate(0, 0, r.IntN(days+1)).Format(DateLayout)
				p.Runs = append(p.Runs, Run{Date: on, KM: 2 + 18*r.Float64(), Ground: term.GroundRoad, Kind: term.Easy})
			}
		}
		if r.IntN(3) == 0 {
			p.LiftingHours = 10 * r.Float64()
		}
		countedOn := func(day string) float64 {
			sum := 8 * p.LiftingHours
			for _, x := range p.Runs {
				if x.Date <= day {
					sum += x.KM
				}
			}
			return sum
		}
		type seen struct {
			day   string
			c, sd float64
		}
		var looks []seen
		for range r.IntN(4) {
			day := today.AddDate(0, 0, -r.IntN(15)).Format(DateLayout)
			c := 0.05 + 0.8*r.Float64()
			x := Inspection{Date: day, Tread: &c, Bounce: &c}
			looks = append(looks, seen{day, c, math.Max(0.35, 0.105/c)})
			if r.IntN(3) == 0 {
				x.Aches = "unexplained"
				looks = append(looks, seen{day, 0.85, 0.45})
			}
			p.Inspections = append(p.Inspections, x)
		}
		sort.SliceStable(looks, func(i, j int) bool { return looks[i].day < looks[j].day })
		x := [2]float64{math.Log(m), mean}
		cov := [2][2]float64{{0.04 + 0.04, 0}, {0, sd * sd}}
		for _, l := range looks {
			k := countedOn(l.day)
			e0 := math.Exp(x[1])
			h := [2]float64{1, -e0 / (e0 + k)}
			resid := -math.Log(l.c) - (x[0] - math.Log(e0+k))
			// The information form: the inverse of the covariance gains h hᵀ ÷ sd².
			det := cov[0][0]*cov[1][1] - cov[0][1]*cov[1][0]
			a := cov[1][1]/det + h[0]*h[0]/(l.sd*l.sd)
			b := -cov[0][1]/det + h[0]*h[1]/(l.sd*l.sd)
			d := cov[0][0]/det + h[1]*h[1]/(l.sd*l.sd)
			det = a*d - b*b
			cov = [2][2]float64{{d / det, -b / det}, {-b / det, a / det}}
			for i := range x {
				x[i] += (cov[i][0]*h[0] + cov[i][1]*h[1]) * resid / (l.sd * l.sd)
			}
		}
		a, err := Assess(p)
		if err != nil {
			t.Fatal(err)
		}
		k := countedOn("2026-11-24")
		// P(L > E + y) by adding up over quantiles found by halving.
		phi := func(z float64) float64 { return 0.5 * math.Erfc(-z/math.Sqrt2) }
		survives := func(y float64) float64 {
			sum := 0.0
			for i := 1; i <= 41; i++ {
				lo, hi := -9.0, 9.0
				for range 60 {
					if mid := (lo + hi) / 2; phi(mid) < (float64(i)-0.5)/41 {
						lo = mid
					} else {
						hi = mid
					}
				}
				rho := cov[0][1] / math.Sqrt(cov[0][0]*cov[1][1])
				e0 := math.Exp(x[1] + lo*math.Sqrt(cov[1][1]))
				cm := x[0] + rho*math.Sqrt(cov[0][0])*lo
				cs := math.Sqrt(cov[0][0] * (1 - rho*rho))
				sum += 1 - phi((math.Log(e0+k+y)-cm)/cs)
			}
			return sum / 41
		}
		near := func(what string, got, want, to float64) {
			if math.Abs(got-want) > to {
				t.Errorf("%d: %s is %g, independently %g", n, what, got, want)
			}
		}
		near("effective km", a.EffectiveKM, math.Exp(x[1])+k, 0.01)
		near("ln life", a.LnLife.Mean, x[0], 1e-5)
		near("its SD", a.LnLife.SD, math.Sqrt(cov[0][0]), 1e-5)
		near("used", a.UsedProbability, 1-survives(0), 1e-5)
		if a.State == SetAside {
			continue
		}
		near("even chance", survives(a.RemainingKM.P50), 0.5*survives(0), 1e-5)
		near("1 in 10", survives(a.RemainingKM.P10), 0.9*survives(0), 1e-5)
	}
}

// The commonest cupboard of all: old pairs that nobody counted. Soles lead, few logged runs never
// make a pair young again, and no look is needed to know that years have passed.
func TestOldPairs(t *testing.T) {
	usual := 30.0
	old := Pair{Class: term.Daily, Today: "2026-11-24", FirstWorn: "2025-03-01", KMBefore: Before{Unknown: true}, Surface: term.Road,
		Runner: Runner{UsualWeeklyKM: &usual}, PlanWeeklyKM: []float64{30}}
	get := func(p Pair) Answer {
		t.Helper()
		a, err := Assess(p)
		if err != nil {
			t.Fatal(err)
		}
		return a
	}
	worn, sound := 0.75, 0.15
	alone := get(old)
	if alone.State != SetAside && alone.State != LastRuns || !alone.Estimated {
		t.Errorf("20 months at 30 km a week: %s", alone.State)
	}
	old.Inspections = []Inspection{{Date: "2026-11-20", Tread: &worn, Bounce: &worn}}
	gone := get(old)
	logged := old
	logged.Runs = []Run{{Date: "2026-11-21", KM: 8, Ground: term.GroundRoad, Kind: term.Easy}}
	if after := get(logged); after.UsedProbability < gone.UsedProbability-0.02 {
		t.Errorf("one logged run made it younger: %.3f, was %.3f", after.UsedProbability, gone.UsedProbability)
	}
	old.Inspections = []Inspection{{Date: "2026-11-20", Tread: &sound, Bounce: &sound, BesideFresh: true}}
	if fresh := get(old); fresh.UsedProbability > alone.UsedProbability-0.2 || fresh.EffectiveKM > 0.5*alone.EffectiveKM {
		t.Errorf("soles as new do not lead: %.0f km, used %.2f", fresh.EffectiveKM, fresh.UsedProbability)
	}
}
