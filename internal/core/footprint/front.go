package footprint

import (
	"math"
	"slices"
)

// House values of the ball's front border, by which toes that run into the ball are cut off.
const (
	frontInlierMM = 1.5  // from the curve, within which a column ends at the ball's own border
	toeRiseMM     = 2.0  // beyond the curve, from which a column runs on into a toe
	frontEdge     = 0.86 // of the ball's half width, within which the curve is looked for
	leastAhead    = 0.12 // of the ball's width that its front lies ahead of its widest place
	mostAhead     = 0.86
	mostSlant     = 0.5  // that one side of the front lies ahead of the other
	mostDropMM    = 12.0 // that a ball's corner lies behind the curve beside a toe
	widestNeck    = 0.3  // of the ball's width; two toes have a notch between them
	leastCorner   = 0.0  // that its corners lie ahead of the widest place
	leastCoreMM2  = 1.0  // of a toe's middle
	leastSupport  = 0.02 // of the columns, for a curve
	usualSlant    = 0.2  // of the ball's width, to which a front slants, to either side
	usualBend     = -0.3 // the parabola's, of the ball's width
	shortestMM    = 9.0  // that a toe stands out from the ball at least
	slimmestMM    = 3.3  // of a circle within a toe, its radius at least
	triples       = 22   // places across that a curve is tried through, three at a time
)

// column is one line of pixels along the print, from the ball's widest place ahead: where it leaves the print and
// where it meets it again.
type column struct {
	s, x float64   // across, px, and as a share of the ball's half width from its middle
	ends []float64 // px ahead: it leaves, meets, leaves, ...
}

// past is how far a column runs on beyond a place: to where it leaves the print next, or, where it lies off the
// print there, as a negative figure from where it left it.
func (c column) past(t float64) float64 {
	i := 0
	for i+2 < len(c.ends) && c.ends[i+1] <= t {
		i += 2
	}
	return c.ends[i] - t
}

// cubic is a curve over the ball's half width.
type cubic [4]float64

// at is the curve at a place across; beyond the ball's edges, where its corners bend in ways of their own, it is
// held as it is there.
func (c cubic) at(x float64) float64 {
	x = min(frontEdge, max(-frontEdge, x))
	return c[0] + x*(c[1]+x*(c[2]+x*c[3]))
}

// cutToes takes toes that run into the ball off the body. Between toes, and beside them, the ball ends at its
// own border; a smooth curve through those ends goes on behind the toes, and what lies ahead of it there is
// theirs: each is cut at its neck, where the outline turns inward on both sides. apart are pieces that may be
// toes by themselves.
func (f *foot) cutToes(apart []piece) {
	a := f.about()
	w := smooth(f.widthsOf(a), 2)
	ball := bins * 56 / 100 // behind it a midfoot that bulges may be wider
	for i := ball; i < bins*90/100; i++ {
		if w[i] > w[ball] {
			ball = i
		}
	}
	if ball < bins*59/100 { // the midfoot's bulge goes on into the ball
		ball = bins * 66 / 100
	}
	from := a.lo + (float64(ball)+0.5)/bins*a.length()
	cols, left, right := f.columns(a, from)
	if len(cols) < 20 {
		return
	}
	g, ok := f.frontCurve(cols, right-left, 1)
	if !ok && !f.patchy && f.cutNecks(a, right-left) {
		return
	}
	if !ok && (f.patchy || f.parted(a, 1-endShare, 1) > 0.25) { // toes are seen, and little of what lies behind them
		for _, strict := range []float64{0.4, 0.15} {
			if g, ok = f.frontCurve(cols, right-left, strict); ok {
				break
			}
		}
		f.guessed = ok
	}
	if !ok {
		return
	}
	f.cutBeyond(a, from, cols, g, left, right, apart)
	if !f.patchy && f.cutNecks(f.about(), right-left) { // the curve went through toes
		f.guessed = true
	}
}

func (f *foot) widthsOf(a frame) []float64 {
	w := f.widths(a)
	return w[:]
}

// columns are the print's lines along, from the ball's widest place ahead.
func (f *foot) columns(a frame, from float64) (cols []column, left, right float64) {
	on := func(t, s float64) bool {
		p := a.place(t, s)
		return f.body.get(int(math.Round(p.X)), int(math.Round(p.Y)))
	}
	lo, hi := f.extent(a.across, a.from)
	left, right = hi, lo
	for s := math.Ceil(lo); s <= hi; s++ {
		if on(from, s) {
			left, right = min(left, s), max(right, s)
		}
	}
	for s := left; s <= right; s++ {
		if !on(from, s) {
			continue
		}
		c := column{s: s, x: 2*(s-left)/max(1, right-left) - 1}
		for t, in := from, true; t < a.hi; t += 0.5 {
			if next := on(t+0.5, s) || on(t+1, s); next != in {
				c.ends, in = append(c.ends, t-from), next
			}
		}
		if len(c.ends)%2 == 0 { // it ends with the print itself
			c.ends = append(c.ends, a.hi-from)
		}
		cols = append(cols, c)
	}
	return cols, left, right
}

// frontCurve looks for the smooth curve at which most columns end and before which hardly any does: of all
// parabolas through three of the ends the one with the best support, then a cubic through what supports it.
// strict is how much each end before the curve speaks against it.
func (f *foot) frontCurve(cols []column, ball, strict float64) (best cubic, ok bool) {
	var inner []column
	for _, c := range cols {
		if math.Abs(c.x) <= frontEdge {
			inner = append(inner, c)
		}
	}
	if len(inner) < 12 {
		return best, false
	}
	inlier, rise := frontInlierMM/f.unit, toeRiseMM/f.unit
	support := func(g cubic) float64 {
		sum, run := 0.0, 0.0
		for _, c := range inner {
			r := c.past(g.at(c.x))
			if run++; r <= rise {
				run = 0
			} else if run > widestNeck*ball {
				sum--
			}
			switch {
			case math.Abs(r) <= inlier:
				sum += 1 - r*r/(inlier*inlier)
			case r < -mostDropMM/f.unit: // it ends at a patch that stayed dry, or before a toe
				sum -= 0.8 * strict
			case r < 0:
				sum -= strict * min(2, (-r-inlier)/rise)
			case r < 3*rise: // no toe is so short
				sum -= 0.5 * strict
			default:
				sum -= 0.1
			}
		}
		// Where little is seen of it, the front is like most.
		slant, bend := max(0, math.Abs(g.at(1)-g.at(-1))/ball-usualSlant), g[2]/ball
		like := 0.2*(slant/0.25)*(slant/0.25) + 0.1*((bend-usualBend)/0.2)*((bend-usualBend)/0.2)
		return sum - like*float64(len(inner))
	}
	most := 0.0
	n := len(inner)
	var tried []Point // place across, end
	for i := range triples {
		c := inner[i*(n-1)/(triples-1)]
		for k := 0; k < len(c.ends); k += 2 {
			tried = append(tried, Point{c.x, c.ends[k]})
		}
	}
	for i, p := range tried {
		for j, q := range tried[i+1:] {
			for _, r := range tried[i+j+2:] {
				g, fine := parabola(p, q, r)
				// The ball's front bulges ahead, and lies at some distance from its widest place.
				if !fine || g[2] > 0.02*ball || g[2] < -0.6*ball || g.at(0) < leastAhead*ball || g.at(0) > mostAhead*ball ||
					math.Abs(g.at(1)-g.at(-1)) > mostSlant*ball || min(g.at(1), g.at(-1)) < leastCorner*ball {
					continue
				}
				if v := support(g); v > most {
					most, best, ok = v, g, true
				}
			}
		}
	}
	if !ok || most < leastSupport*float64(n) {
		return best, false
	}
	for range 3 {
		if g, fine := through(inner, best, inlier); fine && support(g) > most {
			most, best = support(g), g
		}
	}
	return best, true
}

// parabola goes through three columns' ends.
func parabola(p, q, r Point) (cubic, bool) {
	d1, d2 := q.X-p.X, r.X-q.X
	if d1 < 0.05 || d2 < 0.05 {
		return cubic{}, false
	}
	s1, s2 := (q.Y-p.Y)/d1, (r.Y-q.Y)/d2
	c := (s2 - s1) / (r.X - p.X)
	b := s1 - c*(p.X+q.X)
	return cubic{p.Y - b*p.X - c*p.X*p.X, b, c}, true
}

// through is the cubic of least squares through the columns that end near a curve.
func through(cols []column, g cubic, inlier float64) (cubic, bool) {
	var m [terms][terms + 1]float64
	n := 0
	for _, c := range cols {
		off := c.past(g.at(c.x))
		if math.Abs(off) > inlier {
			continue
		}
		n++
		b := [4]float64{1, c.x, c.x * c.x, c.x * c.x * c.x}
		for i := range 4 {
			for j := range 4 {
				m[i][j] += b[i] * b[j]
			}
			m[i][terms] += b[i] * (g.at(c.x) + off)
		}
	}
	if n < 12 {
		return g, false
	}
	m[3][3] += 0.3 * float64(n) // a bend that changes its way is held back
	out := solved(&m, 4)
	return cubic{out[0], out[1], out[2], out[3]}, true
}

// cutBeyond gives what lies ahead of the curve where columns run on beyond it to the toes.
func (f *foot) cutBeyond(a frame, from float64, cols []column, g cubic, left, right float64, apart []piece) {
	rise := toeRiseMM / f.unit
	level := map[int]float64{} // by column across, how far ahead the ball reaches where a toe begins
	for i := 0; i < len(cols); i++ {
		if cols[i].past(g.at(cols[i].x)) <= rise {
			continue
		}
		j := i
		for j+1 < len(cols) && cols[j+1].past(g.at(cols[j+1].x)) > rise {
			j++
		}
		// The ends beside the neck say how far the ball reaches there, against the curve.
		off := func(k int) float64 {
			if k < 0 || k >= len(cols) {
				return 0
			}
			return min(frontInlierMM/f.unit, max(-mostDropMM/f.unit, cols[k].past(g.at(cols[k].x))))
		}
		before, after := off(i-3), off(j+3)
		for k := i; k <= j; k++ {
			t := (float64(k-i) + 1) / (float64(j-i) + 2)
			level[int(math.Round(cols[k].s))] = g.at(cols[k].x) + before*(1-t) + after*t
		}
		i = j
	}
	// Elsewhere what lies ahead of both its own end and the curve hangs on by a corner.
	for _, c := range cols {
		if k := int(math.Round(c.s)); level[k] == 0 {
			level[k] = math.Max(g.at(c.x)+rise, g.at(c.x)+c.past(g.at(c.x))+1)
		}
	}
	curve := func(s float64) float64 { return g.at(2*(s-left)/max(1, right-left) - 1) }
	cut := newMask(f.w, f.h)
	for i, on := range f.body.on {
		if !on {
			continue
		}
		x, y := float64(i%f.w), float64(i/f.w)
		s, t := a.off(x, y), a.past(x, y)+a.lo-from
		l, known := level[int(math.Round(s))]
		if !known { // a toe that leans out beside the ball
			l = curve(s) + rise
		}
		cut.on[i] = t > l
	}
	// What is no longer joined to the ball is the rest of the toes that were.
	rest, seam := newMask(f.w, f.h), newMask(f.w, f.h)
	ahead := func(x, y float64) bool { return a.past(x, y)+a.lo-from > curve(a.off(x, y)) }
	for i, on := range f.body.on {
		if on && !cut.on[i] {
			seam.on[i] = f.beside(cut, i) && ahead(float64(i%f.w), float64(i/f.w))
			rest.on[i] = !seam.on[i]
		}
	}
	loose, all := pieces(rest)
	gone := make([]bool, len(all)+1)
	for _, p := range all {
		gone[p.label] = ahead(p.cx, p.cy)
	}
	for i, l := range loose {
		cut.on[i] = cut.on[i] || seam.on[i] || gone[l]
	}
	labels, parts := pieces(cut)
	for _, p := range parts {
		if float64(p.area)*f.unit*f.unit < smallestToeMM2 {
			continue // a tooth of the border
		}
		round := float64(slices.Max(distance(p.of(labels, f.w), true).v))
		if round*f.unit < slimmestMM || f.standsOut(labels, p, cut)*f.unit < shortestMM {
			continue // a sliver along it
		}
		if !f.patchy && f.behindToe(a, labels, p, apart) { // a dry patch may part a toe from itself
			continue
		}
		for i, l := range labels {
			if int(l) == p.label {
				f.body.on[i] = false
			}
		}
		f.addToes(labels, p)
	}
	f.keepLargest()
}

// House values of a toe by itself, which tells that what lies behind it is none.
const (
	looseMM2    = 40.0 // that it leaves at least
	behindShare = 0.5  // of the narrower of the two, that lies behind the other
)

// behindToe says whether one of the pieces that stand apart stands right ahead of a piece of the ball: toes stand side by side.
func (f *foot) behindToe(a frame, labels []int32, p piece, apart []piece) bool {
	lo, hi, front := math.Inf(1), math.Inf(-1), math.Inf(-1)
	for y := p.y0; y <= p.y1; y++ {
		for x := p.x0; x <= p.x1; x++ {
			if int(labels[y*f.w+x]) == p.label {
				s := a.off(float64(x), float64(y))
				lo, hi, front = min(lo, s), max(hi, s), max(front, a.past(float64(x), float64(y)))
			}
		}
	}
	return slices.ContainsFunc(apart, func(t piece) bool {
		s, half, ahead := a.off(t.cx, t.cy), math.Sqrt(3)*t.along(a.across.X, a.across.Y), a.past(t.cx, t.cy)
		return float64(t.area)*f.unit*f.unit >= looseMM2 && min(hi, s+half)-max(lo, s-half) > behindShare*min(hi-lo, 2*half) &&
			ahead > front && ahead < (1+toeReachShare)*a.length()
	})
}

// standsOut is how far a piece that is cut off reaches from what stays of the body, px.
func (f *foot) standsOut(labels []int32, p piece, cut *mask) (most float64) {
	const about = 3
	m := newMask(p.x1-p.x0+1+2*about, p.y1-p.y0+1+2*about)
	x0, y0 := p.x0-about, p.y0-about
	for i := range m.on {
		x, y := x0+i%m.w, y0+i/m.w
		m.on[i] = !f.body.get(x, y) || cut.get(x, y)
	}
	for i, d := range distance(m, false).v {
		if x, y := x0+i%m.w, y0+i/m.w; x >= 0 && y >= 0 && x < f.w && y < f.h && int(labels[y*f.w+x]) == p.label {
			most = max(most, float64(d))
		}
	}
	return most
}

// beside says whether a pixel lies beside one of a mask.
func (f *foot) beside(m *mask, i int) bool {
	x, y := i%f.w, i/f.w
	for dy := -1; dy <= 1; dy++ {
		for dx := -1; dx <= 1; dx++ {
			if m.get(x+dx, y+dy) {
				return true
			}
		}
	}
	return false
}

// addToes adds a piece as the toes that it holds: those that touch one another are parted where a growing
// erosion parts them.
func (f *foot) addToes(labels []int32, p piece) {
	// All of it is done in the piece's own corner of the picture.
	m := p.of(labels, f.w)
	w := m.w
	depth := distance(m, true)
	cores := f.cores(m, depth, firstErosionMM/f.unit/2)
	near := make([]*raster, len(cores))
	toes := make([]*toe, len(cores))
	for i, c := range cores {
		toes[i] = &toe{}
		if len(cores) > 1 {
			near[i] = distance(not(c), false)
		}
	}
	for i, on := range m.on {
		if !on {
			continue
		}
		best := 0
		for k := 1; k < len(cores); k++ {
			if near[k].v[i] < near[best].v[i] {
				best = k
			}
		}
		toes[best].r = max(toes[best].r, float64(depth.v[i]))
		toes[best].at = append(toes[best].at, (i/w+p.y0)*f.w+i%w+p.x0)
	}
	for _, t := range toes {
		if len(t.at) > 0 {
			t.settle(f.w)
			f.toes = append(f.toes, t)
		}
	}
}

// cores are the toes' middles in a mask: what stays apart under the least erosion that parts it, each parted
// further in the same way.
func (f *foot) cores(m *mask, depth *raster, r float64) []*mask {
	for step := max(0.3/f.unit, 0.5); r < lastErosionMM/f.unit; r += step {
		core := newMask(m.w, m.h)
		left := 0
		for i, on := range m.on {
			if core.on[i] = on && float64(depth.v[i]) > r; core.on[i] {
				left++
			}
		}
		if left == 0 {
			break
		}
		labels, parts := pieces(core)
		parts = slices.DeleteFunc(parts, func(q piece) bool { return float64(q.area)*f.unit*f.unit < leastCoreMM2 })
		if len(parts) < 2 {
			continue
		}
		var out []*mask
		for _, q := range parts {
			own := newMask(m.w, m.h)
			for i, l := range labels {
				own.on[i] = int(l) == q.label
			}
			out = append(out, f.cores(own, depth, r+step)...)
		}
		return out
	}
	return []*mask{m}
}
