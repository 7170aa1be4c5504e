package footprint

import "math"

// House values of necks, at which toes hang on to the ball.
const (
	neckDisc    = 0.19 // of the ball's width: the radius of a disc that fits into the ball and into no toe
	neckHeld    = 0.85 // of the largest disc that the ball holds, where it is a slim one
	neckAhead   = 0.72 // of the print's length, from which what the disc does not reach may be toes
	neckOutMM   = 5.0  // that a toe stands out from the ball at least
	neckRoundMM = 3.5  // of a circle within a toe, its radius at least
	neckTimes   = 2.6  // of that, how wide a neck is at most: what is widest where it begins is a corner of the ball
	neckAtMM    = 1.0  // about the ball, in which a neck's width is taken
	farOutMM    = 12.0 // that no corner of a ball stands out
	neckOnMM    = 2.0  // that a toe's middle lies ahead of its neck at least
	mostOfBody  = 0.3  // that all toes have of the body's area
)

// cutNecks takes toes that run into the ball off the body where they hang on to it by a neck: what stands out ahead of the
// ball, is too slim for a disc that the ball holds, and is wider than where it hangs on. ball is the ball's width, px. It
// says whether there are any.
func (f *foot) cutNecks(a frame, ball float64) bool {
	// Only the front is looked at; where the body goes on behind it, a disc may lie over its border.
	x0, y0, x1, y1 := f.w, f.h, 0, 0
	f.each(func(x, y float64) {
		if a.share(x, y) > ballFrom-0.1 {
			x0, y0, x1, y1 = min(x0, int(x)), min(y0, int(y)), max(x1, int(x)), max(y1, int(y))
		}
	})
	front := newMask(x1-x0+3, y1-y0+3)
	place := func(i int) (x, y int) { return i%front.w + x0 - 1, i/front.w + y0 - 1 }
	past := func(x, y float64) float64 { return a.past(x+float64(x0-1), y+float64(y0-1)) }
	for i := range front.on {
		front.on[i] = f.body.get(place(i))
	}
	core, ok := f.ballCore(front, a, place, neckDisc*ball)
	if !ok {
		return false
	}
	out := distance(not(core), false)
	rest, necks := newMask(front.w, front.h), newMask(front.w, front.h)
	for i, on := range front.on {
		rest.on[i] = on && !core.on[i]
		necks.on[i] = rest.on[i] && float64(out.v[i]) <= max(1.5, neckAtMM/f.unit)
	}
	labels, all := pieces(rest)
	in := distance(rest, true)
	far, round, wide := make([]float64, len(all)+1), make([]float64, len(all)+1), make([]float64, len(all)+1)
	for i, l := range labels {
		far[l], round[l] = max(far[l], float64(out.v[i])), max(round[l], float64(in.v[i]))
	}
	at, neck := pieces(necks)
	begins, of := make([]float64, len(all)+1), make([]float64, len(all)+1) // how far along, in the mean of its necks
	for i, l := range at {
		if l > 0 {
			p, k := neck[l-1], labels[i]
			wide[k] = max(wide[k], math.Hypot(float64(p.x1-p.x0), float64(p.y1-p.y0)))
			begins[k], of[k] = begins[k]+past(float64(i%front.w), float64(i/front.w)), of[k]+1
		}
	}
	cut := make([]bool, len(all)+1)
	area := 0
	for _, p := range all {
		l := p.label
		middle := past(p.cx, p.cy)
		ahead := middle - begins[l]/max(1, of[l])
		cut[l] = ahead*f.unit > neckOnMM && middle > neckAhead*a.length() && far[l]*f.unit >= neckOutMM && round[l]*f.unit >= neckRoundMM &&
			(wide[l] <= neckTimes*round[l] || far[l]*f.unit > farOutMM) && float64(p.area)*f.unit*f.unit >= smallestToeMM2
		if cut[l] {
			area += p.area
		}
	}
	if area == 0 || float64(area) > mostOfBody*float64(f.area()) {
		return false
	}
	toes := make([]int32, f.w*f.h)
	for i, l := range labels {
		if cut[l] {
			x, y := place(i)
			f.body.on[y*f.w+x] = false
			toes[y*f.w+x] = l
		}
	}
	for _, p := range all {
		if cut[p.label] {
			p.x0, p.x1, p.y0, p.y1 = p.x0+x0-1, p.x1+x0-1, p.y0+y0-1, p.y1+y0-1
			f.addToes(toes, p)
		}
	}
	f.keepLargest()
	return true
}

// ballCore is what of the front a disc reaches that lies wholly in it: of so many px, or as large as the ball holds where
// that is slim. ok is false where there is next to nothing.
func (f *foot) ballCore(front *mask, a frame, place func(int) (x, y int), r float64) (core *mask, ok bool) {
	depth := distance(front, false)
	held := 0.0
	for i, d := range depth.v {
		if d := float64(d); d > held {
			if x, y := place(i); a.share(float64(x), float64(y)) > ballFrom {
				held = d
			}
		}
	}
	if r = min(r, neckHeld*held); r < 1 {
		return nil, false
	}
	return front.reached(depth, r), true
}
