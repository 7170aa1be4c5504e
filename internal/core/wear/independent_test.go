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
			p.Runner.History = append(p.Runner.History, Retired{class, km})
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
				p.Runner.History = append(p.Runner.History, Retired{term.Daily, 620 * math.Exp(own+0.25*r.NormFloat64())})
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
			if left := life - e; left >= a.RemainingKM.P10 && left <= a.RemainingKM.P90 {
				held++
			}
			width += a.RemainingKM.P90 - a.RemainingKM.P10
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
