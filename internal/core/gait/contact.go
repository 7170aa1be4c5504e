package gait

import (
	"math"
	"slices"
)

// contact is one time on the ground. Times are in frames, parts of one included;
// on and off are the first and the last frame on the ground.
type contact struct {
	on, off   int
	peak      *int // its frame, where a hand chose it
	cut       bool // it is not seen to begin or to end
	neverDown bool // the heel never rested: the contact is taken round its lowest place
}

// House values of the search for contacts.
const (
	endTime      = 0.040 // s, a whole contact lies at least so far from each end
	landTime     = 0.045 // s of the way down and of the rise that the fits use
	floorTime    = 0.090 // s of the floor that the fits use
	lowSlack     = 0.050 // s by which the lowest place of the smoothed path may be off
	highShare    = 0.50  // of its rise, over which a foot that slows down is still in the air
	restsPX      = 0.35  // within which a frame lies on the floor
	risenPX      = 0.7   // above which it has left it
	lateRise     = 0.025 // s by which a soft lift may be told too late
	clearShare   = 0.04  // of its rise, that a foot is clear of the floor before and after a contact
	clearPX      = 1.5
	restTime     = 0.060  // s that a heel which comes down rests at least
	graceTime    = 0.0017 // s that a frame counts as on the ground before its touchdown's fit
	nearShare    = 0.30   // of its range, within which the lowest places are looked for
	fastestRun   = 0.28   // s between two contacts of one foot, at least
	strongRise   = 0.35   // of the range that a foot rises at least between contacts
	smallestRise = 4.0    // px, below this nothing moves
)

// contacts finds the times in which y, px down the picture, stays on its floor. The
// floor may drift slowly: it is told anew for every contact. Frames that are not
// known have no say in its times.
func contacts(y []float64, known []bool, fps float64) []contact {
	n := len(y)
	if n < 8 {
		return nil
	}
	smooth := lowPass(y, fps, min(8, fps/5))
	rise := rangeOf(smooth)
	if rise < smallestRise {
		return nil
	}
	var out []contact
	lows := lowest(smooth, fps, rise)
	for k, low := range lows {
		from, to := 0, n-1
		if k > 0 {
			from = highest(smooth, lows[k-1], low)
		}
		if k+1 < len(lows) {
			to = highest(smooth, low, lows[k+1])
		}
		if k == 0 {
			from = highest(smooth, max(0, low-int(0.6*fps)), low)
		}
		if k+1 == len(lows) {
			to = highest(smooth, low, min(n-1, low+int(0.8*fps)))
		}
		out = append(out, refine(y, known, fps, from, low, to))
	}
	return out
}

// whole keeps the contacts that lie wholly within the recording.
func whole(all []contact, n int, fps float64) []contact {
	margin := endTime * fps
	return slices.DeleteFunc(all, func(c contact) bool {
		return c.cut || c.off <= c.on || float64(c.on) < margin-1e-9 || float64(n-1-c.off) < margin-1e-9
	})
}

// rangeOf is how far y moves, without its strays.
func rangeOf(y []float64) float64 {
	s := slices.Clone(y)
	slices.Sort(s)
	return s[len(s)*98/100] - s[len(s)*2/100]
}

// lowest finds the foot's lowest place (largest y) of every cycle: between two of
// them it rises by a good part of its range.
func lowest(y []float64, fps, rise float64) []int {
	need := strongRise * rise
	var out []int
	low, high := 0, 0 // the extremes since the last turn
	descending, known := false, false
	take := func(i int) {
		if k := len(out); k > 0 && float64(i-out[k-1]) < fastestRun*fps {
			if y[i] > y[out[k-1]] {
				out[k-1] = i
			}
			return
		}
		out = append(out, i)
	}
	for i, v := range y {
		if v > y[low] {
			low = i
		}
		if v < y[high] {
			high = i
		}
		if (!known || descending) && v < y[low]-need { // it has begun to rise
			take(low)
			descending, known, high = false, true, i
		}
		if (!known || !descending) && v > y[high]+need { // it comes down
			descending, known, low = true, true, i
		}
	}
	if descending {
		take(low)
	}
	return out
}

// highest is the foot's highest place (smallest y) within from to to.
func highest(y []float64, from, to int) int {
	at := from
	for i := from; i <= to; i++ {
		if y[i] < y[at] {
			at = i
		}
	}
	return at
}

// refine tells touchdown and lift of the contact round its lowest place, from the
// raw path: the kink where the way down meets the floor and the start of the rise.
func refine(y []float64, known []bool, fps float64, from, low, to int) contact {
	height := y[low] - min(y[from], y[to])
	// Down: the fastest frame of the way down, then on until it has all but stopped.
	span := max(1, int(math.Round(fps/120)))
	speed := func(i int) float64 {
		a, b := max(i-span, 0), min(i+span, len(y)-1)
		return (y[b] - y[a]) / float64(b-a)
	}
	after := func(i int) float64 { b := min(i+span, len(y)-1); return (y[b] - y[i]) / float64(max(b-i, 1)) }
	before := func(i int) float64 { a := max(i-span, 0); return (y[i] - y[a]) / float64(max(i-a, 1)) }
	// Smoothing may have put the lowest place before the kink.
	late, early := min(low+max(2, int(lowSlack*fps)), to), max(low-max(2, int(lowSlack*fps)), from)
	on := from
	for on < late {
		fastest := on
		for i := on; i <= low; i++ {
			if speed(i) > speed(fastest) {
				fastest = i
			}
		}
		on = fastest
		for on < late && after(on) > 0.35*speed(fastest) {
			on++
		}
		if y[low]-y[on] < highShare*height || on >= low {
			break
		}
		on++ // it only hovers, high over the floor
	}
	var drift []float64 // the floor's own, just after landing
	for i := on + 1; i <= min(on+max(2, int(lowSlack*fps)), len(y)-1); i++ {
		drift = append(drift, speed(i))
	}
	floor := min(median(drift), 0)
	off := to
	for off > early {
		quickest := off
		for i := off; i >= low; i-- {
			if speed(i) < speed(quickest) {
				quickest = i
			}
		}
		off = quickest
		for off > early && before(off)-floor < 0.15*(speed(quickest)-floor) {
			off--
		}
		if y[low]-y[off] < highShare*height || off <= low {
			break
		}
		off--
	}
	if off <= on {
		return around(y, from, low, to, height)
	}
	outer, inner := max(3, int(landTime*fps)), max(4, int(floorTime*fps))
	inner = min(inner, max(4, (off-on)*2/3))
	t1 := kink(y, known, float64(on), outer, inner, from, off, max(2, 0.03*fps), false)
	t2 := kink(y, known, float64(off), outer, inner, on, to, max(2.5, 0.045*fps), true)
	c := contact{on: max(from, int(math.Ceil(t1-graceTime*fps))), off: min(to, int(math.Floor(t2)))}
	if float64(c.off-c.on) < restTime*fps {
		return around(y, from, low, to, height)
	}
	// What lies on the floor before the fit's touchdown is on the ground too.
	level, slope := line(y, c.on+1, min(c.on+inner, c.off))
	rests := func(i int) bool { return math.Abs(level+slope*float64(i)-y[i]) < restsPX }
	for c.on > from+1 && rests(c.on-1) && rests(c.on-2) {
		c.on--
	}
	// And what has risen off it before the fit's last frame is not.
	level, slope = line(y, c.on+1, c.on+max(2, (c.off-c.on)*2/3))
	for least := c.off - int(lateRise*fps); c.off > least && c.off > c.on+2 && level+slope*float64(c.off)-y[c.off] > risenPX; {
		c.off--
	}
	c.cut = !leaves(y, c, from, height) || !leaves(y, c, to, height)
	return c
}

// leaves says whether the foot is clear of its floor at a frame before or after a
// contact: one that the film's end cuts off never is.
func leaves(y []float64, c contact, at int, height float64) bool {
	level, slope := line(y, c.on+1, c.off-1)
	floor := level + slope*float64(at)
	middle := median(y[c.on : c.off+1])
	return floor-y[at] > max(clearPX, clearShare*height) && middle-y[at] > max(clearPX, clearShare*height)
}

// line is the straight line through y over frames a to b: its value at frame 0 and
// its slope, px a frame.
func line(y []float64, a, b int) (level, slope float64) {
	var n, mt, my, tt, ty float64
	for i := a; i <= b; i++ {
		n, mt, my = n+1, mt+float64(i), my+y[i]
	}
	mt, my = mt/n, my/n
	for i := a; i <= b; i++ {
		tt += (float64(i) - mt) * (float64(i) - mt)
		ty += (float64(i) - mt) * (y[i] - my)
	}
	if tt > 0 {
		slope = ty / tt
	}
	return my - slope*mt, slope
}

// around takes a contact round the lowest place of a heel that never rests.
func around(y []float64, from, low, to int, height float64) contact {
	c := contact{on: low, off: low, neverDown: true}
	near := y[low] - nearShare*height
	for c.on > from && y[c.on-1] >= near {
		c.on--
	}
	for c.off < to && y[c.off+1] >= near {
		c.off++
	}
	return c
}

// kink finds, near a first guess, the time at which a level line with a slope (the
// floor) is joined by a way that leaves it ever faster. The way lies before it, or
// with after behind it. The time that leaves the least of y unexplained counts.
func kink(y []float64, known []bool, guess float64, outer, inner, from, to int, reach float64, after bool) float64 {
	a, b := int(guess)-outer-int(reach), int(guess)+inner+int(reach)
	if after {
		a, b = int(guess)-inner-int(reach), int(guess)+outer+int(reach)
	}
	a, b = max(a, from), min(b, to)
	best, at := math.Inf(1), guess
	const parts = 8
	for s := -int(reach * parts); s <= int(reach*parts); s++ {
		t := guess + float64(s)/parts
		if cost := joint(y, known, t, a, b, after); cost < best-1e-12 {
			best, at = cost, t
		}
	}
	return at
}

// joint is what stays unexplained, px², of y over frames a to b by a floor and a way
// that meets it at t: height above the floor p·u + q·u², p and q not below 0, where u
// is the time from t in frames.
func joint(y []float64, known []bool, t float64, a, b int, after bool) float64 {
	away := func(i int) float64 {
		u := t - float64(i)
		if after {
			u = -u
		}
		return max(u, 0)
	}
	best := math.Inf(1)
	for _, use := range [4][2]bool{{true, true}, {true, false}, {false, true}, {false, false}} {
		var m [4][5]float64
		cols := 2
		for _, u := range use {
			if u {
				cols++
			}
		}
		for i := a; i <= b; i++ {
			if !known[i] {
				continue
			}
			u := away(i)
			row := [4]float64{1, float64(i) - t}
			k := 2
			if use[0] {
				row[k] = -u
				k++
			}
			if use[1] {
				row[k] = -u * u
				k++
			}
			for p := range cols {
				for q := range cols {
					m[p][q] += row[p] * row[q]
				}
				m[p][4] += row[p] * y[i]
			}
		}
		x, ok := solve(m, cols)
		if !ok || cols > 2 && x[2] < 0 || cols > 3 && x[3] < 0 {
			continue
		}
		cost := 0.0
		for i := a; i <= b; i++ {
			if !known[i] {
				continue
			}
			u := away(i)
			v := x[0] + x[1]*(float64(i)-t)
			k := 2
			if use[0] {
				v -= x[k] * u
				k++
			}
			if use[1] {
				v -= x[k] * u * u
			}
			cost += (y[i] - v) * (y[i] - v)
		}
		if cost < best {
			best = cost
		}
		if use[0] && use[1] {
			break // both fit: a smaller model cannot do better
		}
	}
	return best
}

// solve n linear equations by Gauss, the right side in column 4.
func solve(m [4][5]float64, n int) (x [4]float64, ok bool) {
	for c := range n {
		p := c
		for r := c + 1; r < n; r++ {
			if math.Abs(m[r][c]) > math.Abs(m[p][c]) {
				p = r
			}
		}
		if math.Abs(m[p][c]) < 1e-12 {
			return x, false
		}
		m[c], m[p] = m[p], m[c]
		for r := range n {
			if r != c {
				k := m[r][c] / m[c][c]
				for j := c; j < 5; j++ {
					m[r][j] -= k * m[c][j]
				}
			}
		}
	}
	for c := range n {
		x[c] = m[c][4] / m[c][c]
	}
	return x, true
}
