package footprint

import (
	"cmp"
	"math"
	"slices"
)

// toe is one toe's pixels.
type toe struct {
	at     []int
	cx, cy float64
	r      float64 // of the largest circle in it, px
}

// House values of toes.
const (
	toeReachShare  = 0.24 // of the body's length, ahead of it
	largestToe     = 0.16 // of the body's area; a chain of them may have more
	smallestToeMM2 = 14.0
	crumbShare     = 0.06
	firstErosionMM = 1.5
	lastErosionMM  = 11.0
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
		if !s.body[p.label] && (float64(p.area)/body <= largestToe || s.chain[p.label]) &&
			float64(p.area)*f.unit*f.unit >= smallestToeMM2 {
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
		f.addToes(s.label, p)
	}
	f.dropAhead(a)
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

// tipMM is how far ahead of its toe a tip may lie that a dry patch parts from it.
const tipMM = 5.0

// dropAhead leaves out what lies wholly ahead of all other toes: a drop of water.
func (f *foot) dropAhead(a frame) {
	ahead := 0.0
	if f.patchy {
		ahead = tipMM / f.unit
	}
	ends := func(t *toe) (rear, tip float64) {
		rear, tip = math.Inf(1), math.Inf(-1)
		for _, i := range t.at {
			p := a.past(float64(i%f.w), float64(i/f.w))
			rear, tip = min(rear, p), max(tip, p)
		}
		return rear, tip
	}
	slices.SortFunc(f.toes, func(p, q *toe) int {
		_, a := ends(p)
		_, b := ends(q)
		return cmp.Compare(b, a)
	})
	for len(f.toes) >= 3 {
		rear, _ := ends(f.toes[0])
		if _, tip := ends(f.toes[1]); rear < tip+ahead {
			return
		}
		f.toes = f.toes[1:]
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
