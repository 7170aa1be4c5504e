package footprint

import (
	"cmp"
	"math"
	"slices"

	"trevik/internal/core/term"
)

// heelMiddle is the centre of the largest circle in the rear of the print.
func (f *foot) heelMiddle() Point {
	a := f.about()
	depth := distance(f.body, false)
	var best Point
	most := -1.0
	f.each(func(x, y float64) {
		if a.past(x, y) < 0.34*a.length() {
			if d := float64(depth.at(int(x), int(y))); d > most {
				most, best = d, Point{x, y}
			}
		}
	})
	// The middle of all places that are nearly as deep steadies it.
	var sx, sy, n float64
	f.each(func(x, y float64) {
		if math.Hypot(x-best.X, y-best.Y) < most*0.5 && float64(depth.at(int(x), int(y))) > most-1.2 {
			sx, sy, n = sx+x, sy+y, n+1
		}
	})
	if n == 0 {
		return best
	}
	return Point{sx / n, sy / n}
}

// inner tells on which side of the heel–toe direction the inner edge lies: 1 when
// to the right of it as the picture is seen (a left foot), -1 otherwise; told is
// how clear that is, 0 to 1. The largest toe is the inner one; the arch is hollow
// on the inner side.
func (f *foot) inner(heel Point) (sign, told float64) {
	a := f.ahead(heel)
	evidence := f.innerByToes(a) + f.innerByArch(a)
	sign = 1
	if evidence < 0 {
		sign = -1
	}
	return sign, min(1, math.Abs(evidence))
}

// innerByToes is what the toes say of the inner edge: above 0 it is to the right.
func (f *foot) innerByToes(a frame) (evidence float64) {
	if len(f.toes) < 2 {
		return 0
	}
	// By the circle that fits into each: toes that touch may be one piece, of any area.
	big, second := 0, 0.0
	mean := 0.0
	for i, t := range f.toes {
		if t.r > f.toes[big].r {
			big = i
		}
		mean += a.off(t.cx, t.cy) / float64(len(f.toes))
	}
	for i, t := range f.toes {
		if i != big {
			second = max(second, t.r)
		}
	}
	off := func(t *toe) float64 { return a.off(t.cx, t.cy) }
	clear := max(0, min(1, math.Pow(f.toes[big].r/max(1, second), 2)-1))
	if spread := off(f.toes[len(f.toes)-1]) - off(f.toes[0]); spread != 0 {
		evidence += 1.2 * clear * (off(f.toes[big]) - mean) / math.Abs(spread) * 2
	}
	// Toes run back towards the outer side.
	if len(f.toes) >= 4 {
		var sx, sy, sxx, sxy float64
		for _, t := range f.toes {
			x, y := off(t), a.past(t.cx, t.cy)
			sx, sy, sxx, sxy = sx+x, sy+y, sxx+x*x, sxy+x*y
		}
		n := float64(len(f.toes))
		if v := sxx - sx*sx/n; v > 0 {
			evidence += 0.8 * max(-1, min(1, 2*(sxy-sx*sy/n)/v))
		}
	}
	return evidence
}

// fullFrom is the midfoot's width, of the ball's, from which it has no hollow (house).
const fullFrom = 0.85

// innerByArch is what the hollow of the arch says of the inner edge: against the line from heel to
// ball, the middle lies to the outer side.
func (f *foot) innerByArch(a frame) float64 {
	var m, nm, b, nb float64
	f.each(func(x, y float64) {
		switch t := a.share(x, y); {
		case t > 0.36 && t < 0.62:
			m, nm = m+a.off(x, y), nm+1
		case t > 0.7 && t < 0.95:
			b, nb = b+a.off(x, y), nb+1
		}
	})
	if nm == 0 || nb == 0 {
		return 0
	}
	// A full midfoot has no hollow, and may bulge to either side.
	full := (nm / (0.62 - 0.36)) / (nb / (0.95 - 0.7))
	hollow := min(1, max(0, (fullFrom-full)/0.2))
	off := m/nm - 0.55*b/nb
	return -1.5 * hollow * max(-0.6, min(0.6, off/(0.12*a.length())))
}

func sideOf(sign float64) term.Side {
	if sign > 0 {
		return term.Left
	}
	return term.Right
}

// secondToe is the tip of the second toe; without toes the front of the ball at
// the place where that toe would stand.
func (f *foot) secondToe(heel Point, sign float64) Point {
	a := f.framed(heel, f.dir, Point{-f.dir.Y * sign, f.dir.X * sign})
	// From the inner side.
	toes := slices.Clone(f.toes)
	slices.SortFunc(toes, func(p, q *toe) int { return cmp.Compare(a.off(q.cx, q.cy), a.off(p.cx, p.cy)) })
	inner, outer := math.Inf(-1), math.Inf(1)
	f.each(func(x, y float64) {
		if a.share(x, y) > 0.66 {
			inner, outer = max(inner, a.off(x, y)), min(outer, a.off(x, y))
		}
	})
	ball := inner - outer
	if len(toes) == 5 {
		return f.tipOf(toes[1], heel)
	}
	if len(toes) >= 2 {
		if t := f.besideBig(toes[0], toes[1:], a); t != nil {
			return f.tipOf(t, heel)
		}
	}
	at := inner - secondAt*ball                                 // by the ball
	if len(toes) > 0 && f.across(toes[0], a) > widestBig*ball { // the big one and others are one piece
		return a.place(a.hi*1.12, at)
	}
	if len(toes) >= 2 && toes[0].r > bigToe*toes[1].r {
		// By the big toe: one that left no mark is not taken for the next.
		big := a.off(toes[0].cx, toes[0].cy)
		if big-a.off(toes[1].cx, toes[1].cy) < widestStep*ball && f.across(toes[1], a) < widestToe*ball {
			return f.tipOf(toes[1], heel)
		}
		return a.place(a.hi*1.12, big-usualStep*ball)
	}
	for _, t := range toes {
		if len(toes) >= 2 && math.Abs(a.off(t.cx, t.cy)-at) < secondWithin*ball {
			return f.tipOf(t, heel)
		}
	}
	return a.place(a.hi*1.12, at)
}

// Where the second toe stands, of the ball's width (house).
const (
	secondAt     = 0.36 // from the inner edge
	secondWithin = 0.12 // of that, it is taken for the second
	bigToe       = 1.3  // times the next one's circle, from which the innermost is the big toe
	usualStep    = 0.24 // from the big toe to the second
	widestStep   = 0.33
	widestBig    = 0.4  // of the big toe; one that is wider is several that touch
	widestToe    = 0.26 // of another

	besideBy   = 1.08 // radii of the big toe's circle that a toe beside it begins at
	besideOff  = 0.3
	besideLike = 0.4 // of the other toes' circles, that it holds
)

// besideBig is the second toe where it and the big one are one piece: what a piece has beside the largest circle in it, on the
// outer side, if that is about as large as the other toes are. It is nil where the piece is one toe.
func (f *foot) besideBig(big *toe, others []*toe, a frame) *toe {
	m := newMask(f.w, f.h)
	for _, i := range big.at {
		m.on[i] = true
	}
	depth := distance(m, true)
	at := slices.MaxFunc(big.at, func(i, k int) int { return cmp.Compare(depth.v[i], depth.v[k]) })
	centre, r := Point{float64(at % f.w), float64(at / f.w)}, float64(depth.v[at])
	for _, i := range big.at {
		x, y := float64(i%f.w), float64(i/f.w)
		m.on[i] = math.Hypot(x-centre.X, y-centre.Y) > besideBy*r && a.off(x, y) < a.off(centre.X, centre.Y)-besideOff*r
	}
	var usual []float64
	for _, t := range others {
		usual = append(usual, t.r)
	}
	labels, parts := pieces(m)
	deep := distance(m, true)
	var best *toe
	for _, p := range parts {
		t := &toe{}
		for _, i := range big.at {
			if int(labels[i]) == p.label {
				t.at, t.r = append(t.at, i), max(t.r, float64(deep.v[i]))
			}
		}
		if t.r >= besideLike*median(usual) && (best == nil || t.r > best.r) {
			best = t
		}
	}
	if best != nil {
		best.settle(f.w)
	}
	return best
}

// across is a toe's width across a frame.
func (f *foot) across(t *toe, a frame) float64 {
	lo, hi := math.Inf(1), math.Inf(-1)
	for _, i := range t.at {
		s := a.off(float64(i%f.w), float64(i/f.w))
		lo, hi = min(lo, s), max(hi, s)
	}
	return hi - lo
}

// tipOf is a toe's farthest place from the heel, steadied over its front.
func (f *foot) tipOf(t *toe, heel Point) Point {
	dir := Point{t.cx - heel.X, t.cy - heel.Y}
	n := math.Hypot(dir.X, dir.Y)
	dir = Point{dir.X / n, dir.Y / n}
	far := math.Inf(-1)
	for _, i := range t.at {
		far = max(far, (float64(i%f.w)-heel.X)*dir.X+(float64(i/f.w)-heel.Y)*dir.Y)
	}
	var sx, sy, m float64
	for _, i := range t.at {
		x, y := float64(i%f.w), float64(i/f.w)
		if (x-heel.X)*dir.X+(y-heel.Y)*dir.Y > far-1.5/f.unit {
			sx, sy, m = sx+x, sy+y, m+1
		}
	}
	return Point{sx / m, sy / m}
}
