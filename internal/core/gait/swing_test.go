package gait

import (
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

// swing is a foot's height over its floor from one contact to the next, with the times at which it leaves and
// meets it: of shapes that runners have, and that no reader was shaped by.
type swing struct {
	up, down string
	height   float64 // px
	time     float64 // s
}

// Ways up and down. u runs from 0 to 1 over the part of the swing that they take.
var (
	upWays = map[string]func(u float64) float64{
		"eases":   func(u float64) float64 { return u * u * (3 - 2*u) },
		"peels":   func(u float64) float64 { return math.Sin(u * math.Pi / 2) },
		"creeps":  func(u float64) float64 { return 0.05*u + 0.95*math.Pow(u, 3) },
		"springs": func(u float64) float64 { return 1 - math.Pow(1-u, 2.2) },
	}
	// Of what is left of the height, u from 1 at the top to 0 at the floor.
	downWays = map[string]func(u float64) float64{
		"drops":  func(u float64) float64 { return math.Pow(u, 0.8) },
		"falls":  func(u float64) float64 { return u * (1.2 - 0.2*u) },
		"glides": func(u float64) float64 { return max(0.09*min(1, u/0.45), (u-0.45)/0.55) },
		"hangs":  func(u float64) float64 { return 1 - math.Pow(1-u, 3) },
		"late":   func(u float64) float64 { return min(1, 3*u) },
		"steps":  func(u float64) float64 { return 0.5*u + 0.5*min(1, max(0, (u-0.25)/0.2)) },
	}
)

// at is the height at a share of the swing.
func (s swing) at(u float64) float64 {
	const top = 0.45
	if u < top {
		return s.height * upWays[s.up](u/top)
	}
	return s.height * downWays[s.down](1-(u-top)/(1-top))
}

// footfall is a path down the picture with its true first and last moments on the ground, in frames.
type footfall struct {
	y       []float64
	on, off []float64
	fps     float64
}

// dips lets a heel that lands toe up come down that much deeper, px, than it stands once the sole lies flat, so long after.
func (f footfall) dips(deep, time float64) {
	for k, on := range f.on {
		for i := range f.y {
			switch t := float64(i) - on; {
			case t >= 0 && t < time*f.fps:
				u := 1 - t/(time*f.fps)
				f.y[i] += deep * u * u
			case t < 0 && (k == 0 || float64(i) > f.off[k-1]):
				u := 1.0
				if k > 0 {
					u = min(1, 2*(float64(i)-f.off[k-1])/(on-f.off[k-1]))
				}
				f.y[i] += deep * u
			}
		}
	}
}

func randomFootfall(r *rand.Rand, fps float64, walk bool, up, down string) footfall {
	u := func(lo, hi float64) float64 { return lo + (hi-lo)*r.Float64() }
	f := footfall{fps: fps}
	stance, air := u(0.13, 0.26), u(0.4, 0.55)
	if walk {
		stance, air = u(0.35, 0.5), u(0.4, 0.5)
	}
	height := u(45, 150)
	level, slope, sway := u(350, 420), u(-14, 14), u(0, 3) // px, px/s, px
	type part struct {
		from, to float64
		s        *swing
	}
	var parts []part
	t := -u(0, air)
	for t < 4 {
		s := swing{up, down, height * u(0.95, 1.05), air * u(0.97, 1.03)}
		parts = append(parts, part{t, t + s.time, &s})
		t += s.time
		c := stance * u(0.96, 1.04)
		parts = append(parts, part{t, t + c, nil})
		f.on, f.off = append(f.on, t*fps), append(f.off, (t+c)*fps)
		t += c
	}
	n := int(4 * fps)
	f.y = make([]float64, n)
	for i := range f.y {
		at := float64(i) / fps
		floor := level + slope*at/4 + sway*math.Sin(at*1.3)
		h := 0.0
		for _, p := range parts {
			if at >= p.from && at < p.to && p.s != nil {
				h = p.s.at((at - p.from) / (p.to - p.from))
			}
		}
		f.y[i] = floor - h + 0.1*r.NormFloat64()
	}
	return f
}

// Touchdown and lift by what the foot does, each end by itself, for ways up and down of every shape, running and
// walking, slow films and fast.
func TestSwingsOfAnyShape(t *testing.T) {
	type tally struct{ on, onWorst, off, offWorst, n, missed, invented float64 }
	for _, x := range []struct{ fps, on, onWorst, off, offWorst float64 }{{60, 0.25, 2, 0.8, 3}, {120, 0.3, 2, 1, 4}, {240, 0.5, 4, 1.6, 10}} {
		fps := x.fps
		byWay := map[string]*tally{}
		all := &tally{}
		for i, up := range slices.Sorted(maps.Keys(upWays)) {
			for j, down := range slices.Sorted(maps.Keys(downWays)) {
				for k := range 4 {
					r := rand.New(rand.NewPCG(uint64(900+100*i+10*j+k), uint64(fps)))
					f := randomFootfall(r, fps, k == 3, up, down)
					known := make([]bool, len(f.y))
					for i := range known {
						known[i] = true
					}
					got := whole(contacts(f.y, known, fps, floorKind{0, usualSlope}), len(f.y), fps)
					used := map[int]bool{}
					for i := range f.on {
						if f.on[i] < endTime*fps+2 || f.off[i] > float64(len(f.y)-1)-endTime*fps-2 {
							continue
						}
						found := false
						for g, c := range got {
							mid := (f.on[i] + f.off[i]) / 2
							if float64(c.on) < mid && float64(c.off) > mid {
								found = true
								used[g] = true
								don := math.Abs(float64(c.on) - math.Ceil(f.on[i]))
								doff := math.Abs(float64(c.off) - math.Floor(f.off[i]))
								for _, x := range []*tally{all, tallyOf(byWay, "down "+down), tallyOf(byWay, "up "+up)} {
									x.on, x.onWorst, x.off, x.offWorst, x.n = x.on+don, max(x.onWorst, don), x.off+doff, max(x.offWorst, doff), x.n+1
								}
							}
						}
						if !found {
							all.missed++
						}
					}
					for g, c := range got { // one at the film's ends is not asked after, and may be told
						if !used[g] && float64(c.on) > f.off[0] && float64(c.off) < f.on[len(f.on)-1] {
							all.invented++
						}
					}
				}
			}
		}
		t.Logf("%g fps: touchdown %.2f, %.0f; lift %.2f, %.0f; %.0f contacts, %.0f missed", fps, all.on/all.n, all.onWorst, all.off/all.n,
			all.offWorst,
			all.n, all.missed)
		for way, x := range byWay {
			t.Logf("    %-14s touchdown %.2f, %.0f; lift %.2f, %.0f", way, x.on/x.n, x.onWorst, x.off/x.n, x.offWorst)
		}
		if all.on/all.n > x.on || all.onWorst > x.onWorst || all.off/all.n > x.off || all.offWorst > x.offWorst || all.missed > 0.01*all.n ||
			all.invented > 0.01*all.n {
			t.Errorf("%g frames a second: %+v of %g contacts", fps, *all, all.n)
		}
	}
}

// A heel that lands toe up, whose back comes down deeper than it stands later.
func TestHeelsThatDip(t *testing.T) {
	for _, fps := range []float64{60, 120, 240} {
		off, n, missed := 0.0, 0.0, 0.0
		for i, up := range slices.Sorted(maps.Keys(upWays)) {
			for j, down := range slices.Sorted(maps.Keys(downWays)) {
				r := rand.New(rand.NewPCG(uint64(3900+10*i+j), uint64(fps)))
				f := randomFootfall(r, fps, j == 3, up, down)
				f.dips(1+2*r.Float64(), 0.025+0.04*r.Float64())
				known := make([]bool, len(f.y))
				for i := range known {
					known[i] = true
				}
				got := whole(contacts(f.y, known, fps, floorKind{0, usualSlope}), len(f.y), fps)
				for k := range f.on {
					if f.on[k] < endTime*fps+2 || f.off[k] > float64(len(f.y)-1)-endTime*fps-2 {
						continue
					}
					at := slices.IndexFunc(got, func(c contact) bool {
						mid := (f.on[k] + f.off[k]) / 2
						return float64(c.on) < mid && float64(c.off) > mid
					})
					if at < 0 {
						missed++
						continue
					}
					off, n = off+math.Abs(float64(got[at].on)-math.Ceil(f.on[k])), n+1
				}
			}
		}
		t.Logf("%g fps: touchdown %.2f frames off, %.0f of %.0f missed", fps, off/n, missed, n+missed)
		if off/n > max(0.5, fps/240) || missed > 0.03*n {
			t.Errorf("%g frames a second: touchdown %.2f frames off, %.0f of %.0f missed", fps, off/n, missed, n+missed)
		}
	}
}

// rolls are how a foot may roll in over a contact, u from 0 to 1: 0 at touchdown, 1 at the peak.
var rolls = []func(u, rise float64) float64{
	func(u, rise float64) float64 { // a sine in, a cosine out
		if u < rise {
			return math.Sin(math.Pi / 2 * u / rise)
		}
		return 0.5 + 0.5*math.Cos(math.Pi*(u-rise)/(1-rise))
	},
	func(u, rise float64) float64 { // fast in, then held
		return min(1, (1-math.Exp(-2.5*u/rise))/(1-math.Exp(-2.5))) * (1 - 0.8*math.Pow(max(0, u-rise)/(1-rise), 2))
	},
	func(u, rise float64) float64 { // slow at first
		if u < rise {
			return (1 - math.Cos(math.Pi*u/rise)) / 2
		}
		return 1 - 0.9*(u-rise)/(1-rise)
	},
}

// Excursion, cadence and contact time follow from both ends, for swings of every shape.
func TestFiguresOfAnySwing(t *testing.T) {
	for _, fps := range []float64{60, 120, 240} {
		var off, worst, n, cadence, cadenceWorst, time, timeWorst, legs float64
		seed := uint64(0)
		for _, up := range slices.Sorted(maps.Keys(upWays)) {
			for _, down := range slices.Sorted(maps.Keys(downWays)) {
				seed++
				r := rand.New(rand.NewPCG(7000+seed, uint64(fps)))
				f := randomFootfall(r, fps, seed%4 == 0, up, down)
				roll, rise := rolls[r.IntN(len(rolls))], 0.35+0.2*r.Float64()
				first, peak, lean := -6+5*r.Float64(), 4+9*r.Float64(), 2+4*r.Float64()
				angle := func(i int) float64 {
					at := float64(i)
					for k := range f.on {
						if at >= f.on[k] && at <= f.off[k] {
							return first + (peak-first)*roll((at-f.on[k])/(f.off[k]-f.on[k]), rise)
						}
					}
					last := first + (peak-first)*roll(1, rise)
					for k := 1; k < len(f.on); k++ { // in the air it turns back
						if at > f.off[k-1] && at < f.on[k] {
							u := (at - f.off[k-1]) / (f.on[k] - f.off[k-1])
							return last + (first-last)*(1-math.Cos(math.Pi*min(1, u/0.8)))/2
						}
					}
					return first
				}
				tracks := map[string][]Mark{}
				put := func(name string, i int, p Point) {
					p = Point{p.X + 0.1*r.NormFloat64(), p.Y}
					tracks[name] = append(tracks[name], Mark{i, p, Found})
				}
				dir := func(deg, long float64) Point {
					return Point{-math.Sin(deg*math.Pi/180) * long, math.Cos(deg*math.Pi/180) * long}
				}
				for i := range f.y { // a left foot: outward is to the left
					low := Point{250, f.y[i]}
					h := lean + angle(i)
					put("heel_low", i, low)
					top := low.minus(dir(h, 40))
					put("heel_top", i, top)
					calf := top.minus(dir(lean, 40))
					put("calf_low", i, calf)
					put("calf_top", i, calf.minus(dir(lean, 110)))
				}
				rec := Recording{Schema: RecordingSchema, View: Rear, Gait: Run, FPS: &fps, Markers: "auto"}
				got, err := Read(Followed{Frames: len(f.y), Tracks: Tracks{"left": tracks}}, rec, Corrections{}, nil)
				if err != nil {
					t.Fatal(err)
				}
				var truth, trueTime, trueStride []float64
				for k := range f.on {
					on, end := math.Ceil(f.on[k]), math.Floor(f.off[k])
					if on < endTime*fps || end > float64(len(f.y)-1)-endTime*fps {
						continue
					}
					top := math.Inf(-1)
					for i := int(on); i <= int(end); i++ {
						top = max(top, angle(i))
					}
					truth, trueTime = append(truth, top-angle(int(on))), append(trueTime, (end-on)/fps*1000)
					trueStride = append(trueStride, f.on[k])
				}
				s := got.Answer.Sides["left"]
				mean, _ := meanSD(truth)
				d := math.Abs(*s.ExcursionDeg.Mean - mean)
				off, worst, n = off+d, max(worst, d), n+1
				if k := len(trueStride); k > 1 && got.Answer.CadenceSPM != nil {
					want := 120 * float64(k-1) * fps / (trueStride[k-1] - trueStride[0])
					c := 100 * math.Abs(*got.Answer.CadenceSPM-want) / want
					cadence, cadenceWorst = cadence+c, max(cadenceWorst, c)
				}
				var seen []float64
				for _, st := range s.Steps {
					seen = append(seen, float64(st.Last()-st.TouchdownFrame)/fps*1000)
				}
				a, _ := meanSD(seen)
				b, _ := meanSD(trueTime)
				time, timeWorst, legs = time+math.Abs(a-b), max(timeWorst, math.Abs(a-b)), legs+1
			}
		}
		t.Logf("%g fps: excursion %.2f°, %.2f° at worst; contact time %.1f ms, %.1f; cadence %.2f %%, %.2f %%", fps, off/n, worst, time/legs,
			timeWorst, cadence/legs, cadenceWorst)
		twice := 1.0
		if fps < 100 {
			twice = 2
		}
		if off/n > 0.5 || worst > 2 || time/legs > 6*twice || cadence/legs > 0.5*twice {
			t.Errorf("%g fps: over the limits", fps)
		}
	}
}

func tallyOf[T any](m map[string]*T, k string) *T {
	if m[k] == nil {
		m[k] = new(T)
	}
	return m[k]
}
