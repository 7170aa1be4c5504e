package footprint

import (
	"math"
	"slices"
)

// toe is one toe's pixels.
type toe struct {
	at     []int
	cx, cy float64
}

// House values of toes.
const (
	toeReachShare  = 0.24 // of the body's length, ahead of it
	largestToe     = 0.16 // of the body's area
	smallestToeMM2 = 14.0
	toeCoreMM2     = 6.0 // the least that a toe's core holds
	toeReachMM     = 14.0
	neckMM         = 5.5 // a disc of so much does not fit into a neck
	ownRoundingMM  = 2.5 // the ball's
	crumbShare     = 0.06
	firstErosionMM = 1.5
	lastErosionMM  = 11.0
	erosionStepMM  = 0.6
)

func (t *toe) settle(w int) {
	t.cx, t.cy = 0, 0
	for _, i := range t.at {
		t.cx, t.cy = t.cx+float64(i%w), t.cy+float64(i/w)
	}
	t.cx, t.cy = t.cx/float64(len(t.at)), t.cy/float64(len(t.at))
}

// toeLike are the pieces beside the body that may be a toe by their size.
func (f *foot) toeLike(s spots) (out []piece) {
	body := float64(f.area())
	for _, p := range s.all {
		if !s.body[p.label] && float64(p.area)/body <= largestToe && float64(p.area)*f.unit*f.unit >= smallestToeMM2 {
			out = append(out, p)
		}
	}
	return out
}

// area is the body's, in pixels.
func (f *foot) area() (n int) {
	for _, on := range f.body.on {
		if on {
			n++
		}
	}
	return n
}

// parting is the search for toes that touch the ball: what a growing erosion leaves of the body.
type parting struct {
	*foot
	frame
	ball  float64 // where the ball is widest, as a share of the length
	front []int   // the body's pixels from a little behind the ball on
	known []bool  // pixels of the cores of toes that were found
}

func (p *parting) at(i int) float64 { return p.share(float64(i%p.w), float64(i/p.w)) }

// cutToes takes toes that touch the ball off the body: a toe is what a growing
// erosion parts from the ball ahead of its widest place, cut where it was joined.
func (f *foot) cutToes() {
	p := parting{foot: f, frame: f.about(), known: make([]bool, len(f.body.on))}
	w := f.widths(p.frame)
	ball := bins * 45 / 100
	for i := ball; i < bins*92/100; i++ {
		if w[i] > w[ball] {
			ball = i
		}
	}
	p.ball = (float64(ball) + 0.5) / bins
	p.front = make([]int, 0, len(f.body.on)/4)
	for i, on := range f.body.on {
		if on && p.at(i) > p.ball-0.13 {
			p.front = append(p.front, i)
		}
	}
	depth := distance(f.body, true)
	for r := firstErosionMM / f.unit; r < lastErosionMM/f.unit; r += max(erosionStepMM/f.unit, 0.5) {
		core := newMask(f.w, f.h)
		for _, i := range p.front {
			core.on[i] = float64(depth.v[i]) > r
		}
		if !p.part(core) {
			break
		}
	}
	if len(f.toes) > 0 {
		f.shaveNecks(func(i int) bool { return p.at(i) > p.ball })
	}
	f.keepLargest()
	for _, tt := range f.toes {
		tt.settle(f.w)
	}
}

// part takes the toes that a core shows off the body. It is false once nothing of the ball is left.
func (p *parting) part(core *mask) bool {
	labels, parts := pieces(core)
	if len(parts) < 2 {
		return true
	}
	main := p.ballOf(labels, len(parts))
	if main == 0 {
		return false
	}
	for _, x := range parts {
		if x.label == main || p.share(x.cx, x.cy) < p.ball+0.06 || float64(x.area)*p.unit*p.unit < toeCoreMM2 || !p.fresh(labels, x.label) {
			continue
		}
		toeCore, ballCore := newMask(p.w, p.h), newMask(p.w, p.h)
		for i, l := range labels {
			switch int(l) {
			case x.label:
				toeCore.on[i], p.known[i] = true, true
			case main:
				ballCore.on[i] = true
			}
		}
		toToe, toBall := distance(not(toeCore), false), distance(not(ballCore), false)
		tt := &toe{}
		for i, on := range p.body.on {
			if on && p.at(i) > p.ball && toToe.v[i] < toBall.v[i] && float64(toToe.v[i]) < toeReachMM/p.unit {
				tt.at = append(tt.at, i)
			}
		}
		if float64(len(tt.at))*p.unit*p.unit >= smallestToeMM2 {
			p.toes = append(p.toes, tt)
			for _, i := range tt.at {
				p.body.on[i] = false
			}
		}
	}
	return true
}

// ballOf is the label of the part that holds the most of the band about the ball's widest place.
func (p *parting) ballOf(labels []int32, parts int) int {
	count := make([]int, parts+1)
	for _, i := range p.front {
		if l := labels[i]; l > 0 {
			if at := p.at(i); at > p.ball-0.12 && at < p.ball+0.02 {
				count[l]++
			}
		}
	}
	main := 0
	for l := range count {
		if count[l] > count[main] {
			main = l
		}
	}
	return main
}

// fresh says whether none of a part was a toe's core before.
func (p *parting) fresh(labels []int32, label int) bool {
	for i, l := range labels {
		if int(l) == label && p.known[i] {
			return false
		}
	}
	return true
}

// shaveNecks gives what is left of necks on the ball's front to the toes: anything
// ahead that a disc of neckMM does not fit into.
func (f *foot) shaveNecks(ahead func(i int) bool) {
	core := opened(f.body, neckMM/f.unit)
	stub := newMask(f.w, f.h)
	for i, on := range f.body.on {
		stub.on[i] = on && !core.on[i] && ahead(i)
	}
	labels, parts := pieces(stub)
	for _, p := range parts {
		reach := math.Hypot(float64(p.x1-p.x0+1), float64(p.y1-p.y0+1)) * f.unit
		if reach < ownRoundingMM {
			continue
		}
		for i, l := range labels {
			if int(l) == p.label {
				f.body.on[i] = false
			}
		}
	}
}

// keepLargest drops crumbs that a cut left of the body.
func (f *foot) keepLargest() {
	labels, parts := pieces(f.body)
	most := 0
	for _, p := range parts {
		most = max(most, p.area)
	}
	for i, l := range labels {
		if l > 0 && float64(parts[l-1].area) < crumbShare*float64(most) {
			f.body.on[i] = false
		}
	}
}

// looseToes adds the pieces ahead of the ball that stand by themselves.
func (f *foot) looseToes(s spots) {
	a := f.about()
	w := f.widths(a)
	ball := slices.Max(w[bins/2:])
	// The ball's middle line: splashes lie off it.
	var mid, n float64
	f.each(func(x, y float64) {
		if a.share(x, y) > 0.65 {
			mid, n = mid+a.off(x, y), n+1
		}
	})
	mid /= max(1, n)
	for _, p := range f.toeLike(s) {
		if t := a.share(p.cx, p.cy); t < 0.82 || t > 1+toeReachShare || math.Abs(a.off(p.cx, p.cy)-mid) > 0.62*ball {
			continue
		}
		tt := &toe{}
		for i, l := range s.label {
			if int(l) == p.label {
				tt.at = append(tt.at, i)
			}
		}
		tt.settle(f.w)
		f.toes = append(f.toes, tt)
	}
	slices.SortFunc(f.toes, func(p, q *toe) int { return int(math.Copysign(1, a.off(p.cx, p.cy)-a.off(q.cx, q.cy))) })
	for len(f.toes) > 5 {
		smallest := 0
		for i, tt := range f.toes {
			if len(tt.at) < len(f.toes[smallest].at) {
				smallest = i
			}
		}
		f.toes = slices.Delete(f.toes, smallest, smallest+1)
	}
}

// cutAt takes what lies beyond a line, seen from the heel, off the body as toes.
func (f *foot) cutAt(a, b Point) {
	fr := f.about()
	heel := fr.place(fr.lo, 0)
	beyond := func(x, y float64) float64 { return (b.X-a.X)*(y-a.Y) - (b.Y-a.Y)*(x-a.X) }
	keep := beyond(heel.X, heel.Y)
	var cut toe
	for _, tt := range f.toes {
		var stay []int
		for _, i := range tt.at {
			if beyond(float64(i%f.w), float64(i/f.w))*keep > 0 {
				f.body.on[i] = true // on the heel's side of the line it is body
			} else {
				stay = append(stay, i)
			}
		}
		tt.at = stay
	}
	for i, on := range f.body.on {
		if on && beyond(float64(i%f.w), float64(i/f.w))*keep < 0 {
			f.body.on[i] = false
			cut.at = append(cut.at, i)
		}
	}
	if len(cut.at) > 0 {
		f.toes = append(f.toes, &cut)
	}
	f.toes = slices.DeleteFunc(f.toes, func(t *toe) bool { return len(t.at) == 0 })
	for _, tt := range f.toes {
		tt.settle(f.w)
	}
}
