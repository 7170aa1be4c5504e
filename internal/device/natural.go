package device

import (
	"math"
	"math/rand/v2"
	"slices"

	"trevik/internal/core/term"
)

// ToeWay is how toes lie in a print.
type ToeWay string

// How toes lie: each by itself, in a chain that touches itself, run into the ball, both, or partly without a mark.
const (
	ToesClear      ToeWay = "clear"
	ToesChain      ToeWay = "chain"
	ToesJoined     ToeWay = "joined"
	ToesChainBall  ToeWay = "chain and joined"
	ToesPartly     ToeWay = "partly missing"
	ToesPartlyBall ToeWay = "partly missing and joined"
)

// ToeWays are all of them.
var ToeWays = []ToeWay{ToesClear, ToesChain, ToesJoined, ToesChainBall, ToesPartly, ToesPartlyBall}

// NaturalFoot is an invented foot whose print is drawn as a closed curve through places of its border, not of
// ellipses: borders that bend, an arch from hollow to bulging, a ball and a heel of any proportion, toes in every
// way. Lengths in mm; y runs from the heel's end to the toes, x towards the inner side.
type NaturalFoot struct {
	Side    term.Side
	Way     ToeWay
	parted  bool // the arch is so thin that it may leave the print in two parts
	length  float64
	ball    float64
	border  []pt       // of the body
	gap     [2]float64 // where it is parted, along; both 0 where it is whole
	slant   float64    // of the gap
	toes    [5]pad
	seen    [5]bool
	necks   [5]float64 // widths, 0 is none
	heel    pt
	tip     pt // of the second toe
	covered grid
}

// pad is a toe: a rounded shape with half-axes a across and b along, turned.
type pad struct {
	x, y, a, b, turn, power float64
}

func (p pad) inside(x, y float64) float64 {
	s, c := math.Sincos(p.turn)
	dx, dy := x-p.x, y-p.y
	u, v := math.Abs(dx*c+dy*s)/p.a, math.Abs(-dx*s+dy*c)/p.b
	return math.Pow(math.Pow(u, p.power)+math.Pow(v, p.power), 1/p.power) - 1
}

// RandomNatural invents a foot; way is how its toes lie, empty any.
func RandomNatural(r *rand.Rand, way ToeWay) *NaturalFoot {
	if way == "" {
		way = ToeWays[r.IntN(len(ToeWays))]
	}
	return naturalFoot(r, term.Sides[r.IntN(2)], way, [2]float64{180, 228}, [2]float64{0.37, 0.47}, unlike{1, 1, 1})
}

// unlike is how many times as long a foot is as the other one, its ball as wide, and its midfoot.
type unlike struct{ long, ball, mid float64 }

// NaturalPair invents a runner's two feet, alike as feet are, of usual widths.
func NaturalPair(r *rand.Rand) map[term.Side]*NaturalFoot {
	seed, out := r.Uint64(), map[term.Side]*NaturalFoot{}
	by := unlike{1, 1, 1}
	for _, side := range term.Sides {
		way := ToeWays[r.IntN(len(ToeWays))]
		out[side] = naturalFoot(rand.New(rand.NewPCG(seed, 19)), side, way, [2]float64{188, 238}, [2]float64{0.405, 0.455}, by)
		by = unlike{1 + 0.012*r.NormFloat64(), 1 + 0.012*r.NormFloat64(), 1 + 0.08*r.NormFloat64()}
	}
	return out
}

// naturalFoot is a foot whose length without toes lies between, and whose ball is so wide, of that.
func naturalFoot(r *rand.Rand, side term.Side, way ToeWay, long, ball [2]float64, by unlike) *NaturalFoot {
	u := func(lo, hi float64) float64 { return lo + (hi-lo)*r.Float64() }
	f := &NaturalFoot{Side: side, Way: way, length: by.long * u(long[0], long[1])}
	l := f.length
	f.ball = by.ball * l * u(ball[0], ball[1])
	b, h := f.ball, f.ball*u(0.54, 0.74)
	f.parted = r.Float64() < 0.15
	// The border: the heel's round, the inner side with its arch, the ball's slanting front, the outer side.
	bend := u(-0.035, 0.05) * l // the whole foot's curve
	mid := func(t float64) float64 { return bend * math.Sin(math.Pi*t) * -1 }
	in, out := b*u(0.47, 0.53), 0.0
	out = b - in
	hi, ho := h*u(0.46, 0.54), 0.0
	ho = h - hi
	narrow := u(0.10, 0.80) * b // the midfoot's band
	if r.Float64() < 0.2 {
		narrow = u(0.75, 1.02) * b // a full print, to one that bulges
	}
	if f.parted {
		narrow = u(0.06, 0.12) * b
	}
	narrow *= by.mid
	outer := out*u(0.66, 0.98) + b*u(-0.02, 0.08) // how far out the midfoot lies
	outer = math.Min(outer, 0.56*b)
	inMid := narrow - outer
	p := func(t, x float64) { f.border = append(f.border, pt{x + mid(t), t * l}) }
	round := u(0.5, 0.66)
	p(0, 0)
	p(u(0.018, 0.03), round*hi)
	p(u(0.065, 0.085), u(0.84, 0.9)*hi)
	p(u(0.13, 0.16), hi)
	a0 := 0.82*hi + 0.18*inMid
	p(u(0.24, 0.28), math.Min(hi, math.Max(a0, inMid)))
	p(u(0.37, 0.41), inMid+u(-0.02, 0.03)*b)
	p(u(0.48, 0.53), inMid+u(-0.01, 0.03)*b)
	p(u(0.60, 0.63), math.Min(0.5*inMid+0.5*in, in))
	p(u(0.70, 0.73), 0.94*in)
	p(u(0.78, 0.81), in)
	p(u(0.87, 0.89), 0.93*in)
	p(u(0.945, 0.96), u(0.66, 0.76)*in)
	p(u(0.985, 1.0), u(0.25, 0.4)*in)
	p(u(0.975, 1.0), -u(0.05, 0.2)*out)
	p(u(0.925, 0.95), -u(0.5, 0.6)*out)
	p(u(0.85, 0.88), -u(0.82, 0.9)*out)
	p(u(0.74, 0.79), -out*u(0.97, 1))
	p(u(0.66, 0.69), -out*u(0.96, 1))
	p(u(0.55, 0.58), -0.5*(out+outer))
	p(u(0.42, 0.46), -outer)
	p(u(0.30, 0.33), -(0.4*outer + 0.6*ho*1.02))
	p(u(0.17, 0.2), -ho)
	p(u(0.07, 0.09), -u(0.84, 0.9)*ho)
	p(u(0.018, 0.03), -round*ho)
	f.border = spline(f.border, 12)
	if f.parted {
		at := u(0.40, 0.50)
		wide := u(0.04, 0.16)
		f.gap, f.slant = [2]float64{(at - wide/2) * l, (at + wide/2) * l}, u(-0.3, 0.3)
	}
	f.heel = pt{mid(0.13) + (hi-ho)/2, 0.52 * h}
	f.layToes(r, mid)
	f.cover()
	return f
}

// layToes puts five toes ahead of the ball's front border and joins them as the way asks.
func (f *NaturalFoot) layToes(r *rand.Rand, mid func(float64) float64) {
	u := func(lo, hi float64) float64 { return lo + (hi-lo)*r.Float64() }
	b := f.ball
	size := b / 95 * u(0.88, 1.1)
	share := [5]float64{0.33, 0.10, -0.08, -0.24, -0.38}
	wide := [5]float64{u(10, 13), u(5.2, 7), u(5, 6.6), u(4.8, 6.2), u(4.6, 6.4)}
	long := [5]float64{u(12, 16), u(6.5, 10), u(6, 9), u(5.6, 8), u(5, 7.6)}
	clear := u(2.2, 6)
	chain := f.Way == ToesChain || f.Way == ToesChainBall
	for i := range 5 {
		x := b*(share[i]+u(-0.012, 0.012)) + mid(1)
		a, bb := wide[i]*size, long[i]*size
		front := f.frontAt(x)
		f.toes[i] = pad{x, front + clear*u(0.7, 1.4) + bb, a, bb, u(-0.12, 0.12) + 0.04*float64(2-i), u(1.9, 2.5)}
		f.seen[i] = true
	}
	// Toes stand by themselves, or touch their neighbour.
	for i := 1; i < 5; i++ {
		p, q := &f.toes[i-1], &f.toes[i]
		space := p.x - q.x - p.a - q.a
		want := u(1.6, 4)
		if chain {
			want = -u(0.8, 2)
		}
		q.x += space - want
		q.y = f.frontAt(q.x) + clear*u(0.7, 1.4) + q.b
		if chain && q.y+0.3*q.b < p.y-p.b {
			q.y = p.y - p.b*0.5
		}
	}
	switch f.Way {
	case ToesJoined, ToesPartlyBall:
		for _, i := range r.Perm(5)[:1+r.IntN(5)] {
			f.necks[i] = f.toes[i].a * 2 * u(0.35, 0.8)
		}
	case ToesChainBall:
		for _, i := range r.Perm(5)[:1+r.IntN(3)] {
			f.necks[i] = f.toes[i].a * 2 * u(0.35, 0.8)
		}
	}
	if f.Way == ToesPartly || f.Way == ToesPartlyBall {
		for _, i := range r.Perm(5)[:1+r.IntN(2)] {
			if i > 0 {
				f.seen[i], f.necks[i] = false, 0
			}
		}
	}
	// The tip of the second toe: its farthest place from the heel.
	t := f.toes[1]
	far := 0.0
	for k := range 720 {
		s, c := math.Sincos(float64(k) * math.Pi / 360)
		n := math.Pow(math.Pow(math.Abs(c), t.power)+math.Pow(math.Abs(s), t.power), 1/t.power)
		x, y := t.a*c/n, t.b*s/n
		st, ct := math.Sincos(t.turn)
		q := pt{t.x + x*ct - y*st, t.y + x*st + y*ct}
		if d := math.Hypot(q.x-f.heel.x, q.y-f.heel.y); d > far {
			far, f.tip = d, q
		}
	}
}

// frontAt is how far ahead the body's border lies at a place across.
func (f *NaturalFoot) frontAt(x float64) float64 {
	best := 0.6 * f.length
	for i, a := range f.border {
		b := f.border[(i+1)%len(f.border)]
		if (a.x-x)*(b.x-x) <= 0 && a.x != b.x {
			best = math.Max(best, a.y+(x-a.x)/(b.x-a.x)*(b.y-a.y))
		}
	}
	if best == 0.6*f.length { // beside the ball
		best = 0.88 * f.length
	}
	return best
}

// spline is a closed curve through places, with so many steps between two (Catmull and Rom).
func spline(at []pt, steps int) []pt {
	n := len(at)
	var out []pt
	for i := range n {
		a, b, c, d := at[(i+n-1)%n], at[i], at[(i+1)%n], at[(i+2)%n]
		for k := range steps {
			t := float64(k) / float64(steps)
			w := func(p, q, r, s float64) float64 {
				return 0.5 * (2*q + (r-p)*t + (2*p-5*q+4*r-s)*t*t + (3*q-p-3*r+s)*t*t*t)
			}
			out = append(out, pt{w(a.x, b.x, c.x, d.x), w(a.y, b.y, c.y, d.y)})
		}
	}
	return out
}

// grid holds which places are the body's and which the toes', cell by cell.
type grid struct {
	x0, y0, step float64
	w, h         int
	body, toes   []bool
	soft         map[float64][]float32 // cover of both, with an edge of so many mm
}

const (
	gridMM     = 0.25
	behindToes = 0.5 // of the length, that holds none
)

// cover fills the grid.
func (f *NaturalFoot) cover() {
	g := &f.covered
	g.step, g.x0, g.y0 = gridMM, -0.75*f.ball, -12
	g.w, g.h = int(1.5*f.ball/gridMM), int((f.length+75)/gridMM)
	g.body, g.toes, g.soft = make([]bool, g.w*g.h), make([]bool, g.w*g.h), map[float64][]float32{}
	var back [5]float64
	for k, t := range f.toes {
		back[k] = f.frontAt(t.x) - 4
	}
	for j := range g.h {
		y := g.y0 + (float64(j)+0.5)*gridMM
		// The crossings of a line with the border, in order.
		var cross []float64
		for i, a := range f.border {
			b := f.border[(i+1)%len(f.border)]
			if a.y <= y && b.y > y || b.y <= y && a.y > y {
				cross = append(cross, a.x+(y-a.y)/(b.y-a.y)*(b.x-a.x))
			}
		}
		for i := range g.w {
			x := g.x0 + (float64(i)+0.5)*gridMM
			n := 0
			for _, c := range cross {
				if c > x {
					n++
				}
			}
			at := y + f.slant*x
			g.body[j*g.w+i] = n%2 == 1 && !(f.gap[1] > 0 && at > f.gap[0]+0.04*x*x && at < f.gap[1]-0.02*x*x)
			for k, t := range f.toes {
				if !f.seen[k] || y < behindToes*f.length {
					continue
				}
				if math.Abs(x-t.x) < 1.5*t.b && math.Abs(y-t.y) < 1.5*t.b && t.inside(x, y) < 0 {
					g.toes[j*g.w+i] = true
				}
				// A neck: from the toe's middle straight back into the ball.
				if w := f.necks[k]; w > 0 && math.Abs(x-t.x) < w/2 && y < t.y && y > back[k] {
					g.toes[j*g.w+i] = true
				}
			}
		}
	}
	for i, on := range g.body {
		if on {
			g.toes[i] = false
		}
	}
}

// On is how much print there is at a place, 0 to 1, under an edge of soft mm.
func (f *NaturalFoot) On(x, y, soft float64) float64 {
	g := &f.covered
	v := g.soft[soft]
	if v == nil {
		v = make([]float32, g.w*g.h)
		for i := range v {
			if g.body[i] || g.toes[i] {
				v[i] = 1
			}
		}
		v = box(box(v, g.w, g.h, int(soft/2/gridMM)), g.h, g.w, int(soft/2/gridMM))
		g.soft[soft] = v
	}
	i, j := (x-g.x0)/g.step-0.5, (y-g.y0)/g.step-0.5
	if i < 0 || j < 0 || i >= float64(g.w-1) || j >= float64(g.h-1) {
		return 0
	}
	i0, j0 := int(i), int(j)
	fx, fy := i-float64(i0), j-float64(j0)
	at := func(i, j int) float64 { return float64(v[j*g.w+i]) }
	return (at(i0, j0)*(1-fx)+at(i0+1, j0)*fx)*(1-fy) + (at(i0, j0+1)*(1-fx)+at(i0+1, j0+1)*fx)*fy
}

// box averages rows over 2r + 1 cells and turns the grid over.
func box(v []float32, w, h, r int) []float32 {
	out := make([]float32, len(v))
	for y := range h {
		sum := float32(0)
		at := func(x int) float32 { return v[y*w+min(w-1, max(0, x))] }
		for x := -r; x <= r; x++ {
			sum += at(x)
		}
		for x := range w {
			out[x*h+y] = sum / float32(2*r+1)
			sum += at(x+r+1) - at(x-r)
		}
	}
	return out
}

// Size is its ball's width and its length without toes.
func (f *NaturalFoot) Size() (ball, body float64) { return f.ball, f.length }

// Foot is which one it is.
func (f *NaturalFoot) Foot() term.Side { return f.Side }

// Truth measures the print on its own grid, by the method's definitions.
func (f *NaturalFoot) Truth() PrintTruth {
	g := &f.covered
	n := math.Hypot(f.tip.x-f.heel.x, f.tip.y-f.heel.y)
	ax, ay := (f.tip.x-f.heel.x)/n, (f.tip.y-f.heel.y)/n
	lo, hi, front := math.Inf(1), math.Inf(-1), math.Inf(-1)
	var along []float64
	for i, on := range g.body {
		if !on && !g.toes[i] {
			continue
		}
		x, y := g.x0+(float64(i%g.w)+0.5)*g.step, g.y0+(float64(i/g.w)+0.5)*g.step
		t := (x-f.heel.x)*ax + (y-f.heel.y)*ay
		if on {
			lo, hi = min(lo, t), max(hi, t)
			along = append(along, t)
		} else {
			front = max(front, t)
		}
	}
	lo, hi, front = lo-g.step/2, hi+g.step/2, front+g.step/2
	var area [3]float64
	width := make([]float64, int(hi-lo)+2)
	for _, t := range along {
		area[min(2, max(0, int(3*(t-lo)/(hi-lo))))]++
		width[max(0, int(t-lo))] += g.step * g.step
	}
	most := func(a, b int) float64 {
		v := 0.0
		for i := a; i < b && i < len(width); i++ {
			v = max(v, width[i])
		}
		return v
	}
	w := len(width)
	return PrintTruth{Foot: f.Side, LengthMM: max(hi, front) - lo, NoToesMM: hi - lo, BallMM: most(w*2/3, w), HeelMM: most(0, w/3),
		ArchIndex: area[1] / (area[0] + area[1] + area[2]), BrokenArch: slices.Contains(width[w/4:3*w/4], 0)}
}
