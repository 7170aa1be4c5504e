package gait

import (
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"trevik/internal/core/term"
)

// profiled is a second maker of what is seen from the side, that shares nothing with the stand-in which ships: where the
// lower of heel and toe is, is told first, and the foot hung from it; it rolls as a stiff sole or bends at the ball, lands
// on either end, and a heel may never come down. Lengths are px, times s, angles degrees.
type profiled struct {
	fps, sole, speed, way, tilt, slope, noise float64
	strike, shank, tau, off, steep, never     float64
	bends                                     bool
	inset, over                               [2]float64 // of the dots at heel and toe from the sole's ends and its edge, soles
	falls                                     func(u float64) float64
	long                                      float64 // of the film
	swing                                     swing
	steps                                     []stride
	r                                         *rand.Rand
}

// stride is one contact as it truly was.
type stride struct{ on, off, strike, shank, x float64 }

func newProfiled(seed uint64, fps float64, walk, over bool) *profiled {
	r := rand.New(rand.NewPCG(seed, 8123))
	u := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	p := &profiled{fps: fps, sole: u(90, 240), way: 1, tilt: u(-2, 2), slope: u(-4, 4), noise: u(0.05, 0.15), r: r}
	if r.IntN(2) == 0 {
		p.way = -1
	}
	p.speed = u(2.2, 3.8) * p.sole / 0.27
	contact, air := u(0.18, 0.3), u(0.4, 0.5)
	p.strike, p.shank, p.tau = []float64{u(10, 26), u(0, 6), u(-14, -3.5)}[r.IntN(3)], u(-4, 16), u(0.025, 0.06)
	if walk {
		p.speed, contact, air, p.strike, p.tau = u(0.9, 1.7)*p.sole/0.27, u(0.58, 0.75), u(0.36, 0.44), u(12, 28), u(0.06, 0.11)
	} else if p.strike < -3 && r.IntN(3) == 0 {
		p.never = u(-9, -4)
	}
	far := u(5, 8)        // soles, of a stride
	if p.long = 4; over { // through a picture of some 20 soles
		p.speed, p.sole, p.long = 0, p.sole/2, 2.5
	}
	p.off, p.steep, p.bends = u(0.42, 0.62), u(40, 68), r.IntN(2) == 0
	p.inset, p.over = [2]float64{u(0, 0.03), u(0, 0.04)}, [2]float64{u(0, 0.012), u(0, 0.012)}
	p.falls = []func(float64) float64{
		func(u float64) float64 { return 1 - u },
		func(u float64) float64 { return (1 - math.Exp(-3*(1-u))) / (1 - math.Exp(-3)) },
		func(u float64) float64 { return (1 + math.Cos(math.Pi*u)) / 2 },
	}[r.IntN(3)]
	ups, downs := slices.Sorted(maps.Keys(upWays)), slices.Sorted(maps.Keys(downWays))
	p.swing = swing{ups[r.IntN(len(ups))], downs[r.IntN(len(downs))], p.sole * u(0.5, 0.9), air}
	for t := -u(0.1, 0.8); t < p.long+1; {
		s := stride{on: t, off: t + contact*u(0.97, 1.03), strike: p.strike + 0.8*r.NormFloat64(), shank: p.shank + 0.7*r.NormFloat64(),
			x: p.way * p.sole * 0.9}
		if over { // it goes on through the picture
			s.x += p.way * p.sole * far * float64(len(p.steps))
		}
		p.steps, t = append(p.steps, s), s.off+air*u(0.98, 1.02)
	}
	return p
}

// angle of the sole behind the ball on the ground, toe up.
func (p *profiled) angle(s stride, t float64) float64 {
	if d := t - s.on; d < p.tau {
		return p.never + (s.strike-p.never)*p.falls(d/p.tau)
	}
	u := max(0, ((t-s.on)/(s.off-s.on)-p.off)/(1-p.off))
	return p.never - (p.steep+p.never)*u*u*(1.5-0.5*u)
}

// pose is heel, toe, ankle and knee, before the camera leans.
func (p *profiled) pose(t float64) map[string]Point {
	dir := func(deg, long float64) Point { // along a sole that is toe up by deg
		sin, cos := math.Sincos(deg * math.Pi / 180)
		return Point{p.way * cos * long, -sin * long}
	}
	k := len(p.steps) - 1
	for k > 0 && p.steps[k].on > t {
		k--
	}
	s := p.steps[k]
	rear, shank, clear := 0.0, 0.0, 0.0
	x := s.x - p.way*p.speed*(t-s.on)
	late := t > s.on+p.tau
	if t <= s.off || k+1 == len(p.steps) {
		u := min(1, (t-s.on)/(s.off-s.on))
		rear, shank = p.angle(s, min(t, s.off)), s.shank-(s.shank+46)*u*(0.7+0.3*u)
	} else {
		n := p.steps[k+1]
		u := (t - s.off) / (n.on - s.off)
		gone := p.angle(s, s.off)
		rear = gone - 35*math.Sin(math.Pi*min(1, u/0.7)) + (n.strike-gone)*(1-math.Cos(math.Pi*min(1, u/0.9)))/2
		shank = -46 - 35*math.Sin(math.Pi*u) + (n.shank+46)*u*u*(3-2*u)
		clear = p.swing.at(u)
		x = s.x - p.way*p.speed*(s.off-s.on)
		x += (n.x - x) * u * u * (3 - 2*u)
		late = u < 0.5
	}
	// The heel stands on x, or what of the forefoot stands does; a shoe that bends leaves its front flat.
	const ball = 0.72
	var heel, toe Point
	switch {
	case p.bends && late && rear < 0:
		at := Point{x + p.way*ball*p.sole, 0}
		heel = at.minus(dir(rear, ball*p.sole))
		toe = at.plus(dir(min(0, rear+50), (1-ball)*p.sole))
		if toe.Y > 0 { // it rolls over its tip then
			heel.Y, toe.Y = heel.Y-toe.Y, 0
		}
	case rear >= 0:
		heel = Point{x, 0}
		toe = heel.plus(dir(rear, p.sole))
	default:
		toe = Point{x + p.way*p.sole, 0}
		heel = toe.minus(dir(rear, p.sole))
	}
	if low := max(heel.Y, toe.Y); clear > 0 || low > 0 {
		heel.Y, toe.Y = heel.Y-low-clear, toe.Y-low-clear
	}
	// The dots lie a little off the ends that land.
	off := func(at, along Point, inset, over float64) Point {
		return at.plus(along.times(inset)).plus(Point{along.Y * p.way, -along.X * p.way}.times(over))
	}
	front := toe.minus(heel)
	if p.bends && late && rear < 0 {
		front = toe.minus(heel.plus(dir(rear, ball*p.sole))).times(1 / (1 - ball))
	}
	back := dir(rear, p.sole)
	ankle := off(heel, back, 0.22, 0.4)
	sin, cos := math.Sincos(shank * math.Pi / 180)
	return map[string]Point{"heel": off(heel, back, p.inset[0], p.over[0]), "toe": off(toe, front, -p.inset[1], p.over[1]), "ankle": ankle,
		"knee": ankle.minus(Point{p.way * sin * 1.6 * p.sole, cos * 1.6 * p.sole}), "back": heel, "tip": toe}
}

// tracks are the dots' paths as a camera that leans sees them, with their noise.
func (p *profiled) tracks() (Followed, term.Side) {
	n := int(p.long * p.fps)
	dots := map[string][]Mark{}
	for i := range n {
		t := float64(i) / p.fps
		pose := p.pose(t)
		for _, name := range DotNames(Side) {
			at := pose[name]
			at.Y += p.slope * t / p.long
			at = turned(at, p.tilt).plus(Point{300 + p.noise*p.r.NormFloat64(), 400 + p.noise*p.r.NormFloat64()})
			dots[name] = append(dots[name], Mark{i, at, Found})
		}
	}
	return Followed{Frames: n, Tracks: Tracks{term.Left: dots}}, term.Left
}

// The side view on runners that the reader was not shaped by.
func TestAnotherMakersProfiles(t *testing.T) {
	for _, x := range []struct {
		fps  float64
		over bool // ground, not a belt
	}{{60, false}, {120, false}, {240, false}, {60, true}, {120, true}} {
		fps, over := x.fps, x.over
		type tally struct{ sum, worst, n float64 }
		add := func(x *tally, d float64) { x.sum, x.worst, x.n = x.sum+math.Abs(d), max(x.worst, math.Abs(d)), x.n+1 }
		var strike, shank, ms, on, off tally
		missed, invented, wrong := 0, 0, 0
		for seed := uint64(1); seed <= 60; seed++ {
			p := newProfiled(seed, fps, seed%4 == 0, over)
			followed, side := p.tracks()
			kind := Run
			if seed%4 == 0 {
				kind = Walk
			}
			got, err := Read(followed, Recording{Schema: RecordingSchema, View: Side, Gait: kind, FPS: &fps, Near: side, Markers: "auto"},
				Corrections{}, nil)
			if err != nil {
				t.Errorf("%g fps, seed %d: %v", fps, seed, err)
				continue
			}
			s := got.Answer.Sides[side]
			var strikes, shanks, times []float64
			used := map[int]bool{}
			for _, st := range p.steps {
				a, b := math.Ceil(st.on*fps-1e-9), math.Floor(st.off*fps+1e-9)
				if a < endTime*fps || float64(followed.Frames-1)-b < endTime*fps {
					continue
				}
				d := p.pose(a / fps)
				sole, leg := d["tip"].minus(d["back"]), d["ankle"].minus(d["knee"])
				strikes = append(strikes, math.Atan2(-sole.Y, p.way*sole.X)*180/math.Pi)
				shanks = append(shanks, math.Atan2(p.way*leg.X, leg.Y)*180/math.Pi)
				times = append(times, 1000*(b-a)/fps)
				k := slices.IndexFunc(s.Steps, func(g Step) bool {
					return float64(g.TouchdownFrame) < (a+b)/2 && float64(*g.ToeOffFrame) > (a+b)/2
				})
				if k < 0 {
					missed++
					continue
				}
				used[k] = true
				add(&on, float64(s.Steps[k].TouchdownFrame)-a)
				add(&off, float64(*s.Steps[k].ToeOffFrame)-b)
			}
			invented += len(s.Steps) - len(used)
			a, _ := meanSD(strikes)
			b, _ := meanSD(shanks)
			c, _ := meanSD(times)
			add(&strike, *s.StrikeDeg.Mean-a)
			add(&shank, *s.ShankDeg.Mean-b)
			add(&ms, *s.ContactMS.Mean-c)
			if math.Min(math.Abs(a-heelStrike), math.Abs(a-foreStrike)) > 2 && s.Strike != "" && s.Strike != StrikeOf(a) {
				wrong++
			}
		}
		t.Logf("%g fps, over ground %v: strike %.2f° (%.1f), shank %.2f° (%.1f), contact %.1f ms (%.0f), touchdown %.2f frames (%.0f), "+
			"toe-off %.2f (%.0f); missed %d, invented %d of %.0f, landing told wrong %d", fps, over, strike.sum/strike.n, strike.worst,
			shank.sum/shank.n, shank.worst, ms.sum/ms.n, ms.worst, on.sum/on.n, on.worst, off.sum/off.n, off.worst, missed, invented, on.n,
			wrong)
		if strike.sum/strike.n > 0.5 || strike.worst > 5 || shank.sum/shank.n > 0.5 || ms.sum/ms.n > 12 || on.sum/on.n > 0.3 ||
			float64(missed+invented) > 0.02*on.n || wrong > 1 {
			t.Errorf("%g frames a second, over ground %v: over the limits", fps, over)
		}
	}
}
