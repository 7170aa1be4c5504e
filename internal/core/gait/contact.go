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
	floorTime    = 0.090 // s of the floor next to an end, by which that end is told
	lowSlack     = 0.050 // s by which the lowest place of the smoothed path may be off
	highShare    = 0.50  // of its rise, over which a foot that slows down is still in the air
	lowShare     = 0.15  // of its rise, under which a foot is low
	restsPX      = 0.35  // within which a frame lies on the floor
	strayTimes   = 3.2   // times what its frames stray, within which a frame lies on it
	mostStray    = 0.5   // px
	steepest     = 80.0  // px/s that a floor may slope
	creepTime    = 0.035 // s
	usualSlope   = 25.0  // px/s, of a foot that comes towards the camera
	slowPX       = 2.5   // that a slow way is over the floor in its first frame off it
	slowFrames   = 3     // by which a slow way is drawn on to the floor, at least
	slowTime     = 0.040 // s of a slow way down by which it is
	mostBack     = 0.025 // s, so far at most
	liftsLate    = 0.5   // frames, that a line through a slow rise leaves the floor after the foot, which is slow at first
	sinksTime    = 0.050 // s after it is on the floor, in which a foot may go on coming down
	clearShare   = 0.04  // of its rise, that a foot is clear of the floor before and after a contact
	clearPX      = 1.5
	restTime     = 0.060 // s that a heel which comes down rests at least
	nearShare    = 0.30  // of its range, within which the lowest places are looked for
	fastestRun   = 0.28  // s between two contacts of one foot, at least
	strongRise   = 0.35  // of the range that a foot rises at least between contacts
	smallestRise = 4.0   // px, below this nothing moves
)

// contacts finds the times in which y, px down the picture, stays on its floor. The
// floor may drift slowly: it is told anew for every contact. Frames that are not
// known have no say in its times.
func contacts(y []float64, known []bool, fps float64, on floorKind) []contact {
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
		out = append(out, refine(y, known, fps, on, from, low, to))
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
func refine(y []float64, known []bool, fps float64, kind floorKind, from, low, to int) contact {
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
	// The floor is looked for wherever the foot is low, whatever its way there: it may glide before it lands.
	for on > from && y[on-1] > y[low]-lowShare*height {
		on--
	}
	for off < to && y[off+1] > y[low]-lowShare*height {
		off++
	}
	c, ok := ends(y, known, fps, kind, from, min(on, low), max(off, low), to)
	if !ok || float64(c.off-c.on) < restTime*fps {
		return around(y, from, low, to, height)
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
	c.cut = c.on == from || c.off == to // it is not seen to come or to go
	return c
}

// floorKind is how uneven a floor is known to be, px, and how steep it usually is, px/s.
type floorKind struct{ slack, slope float64 }

// floorLine is a foot's floor: a straight line, what its frames stray from it, how uneven it is known to be, px, and how
// many frames lie on it, less those that lie under it.
type floorLine struct{ level, slope, stray, slack, lies float64 }

// near is how far over it a frame still lies on it.
func (f floorLine) near() float64 { return max(restsPX, f.slack, strayTimes*f.stray) }

func (f floorLine) height(y []float64, i int) float64 { return f.level + f.slope*float64(i) - y[i] }

// ends tells both ends of a contact by where the height over the floor ends, each by itself. The floor is the
// lowest line that many frames between a and b lie on; near each end it is taken from the frames next to it.
func ends(y []float64, known []bool, fps float64, kind floorKind, from, a, b, to int) (contact, bool) {
	floor, ok := floorOf(y, known, fps, kind, max(from, a), min(to, b))
	if !ok {
		return contact{}, false
	}
	// The stretch of frames on it.
	best, run, end := 0, 0, a
	for i := max(from, a-2); i <= min(to, b+2); i++ {
		if run++; known[i] && math.Abs(floor.height(y, i)) > floor.near() {
			run = 0
		}
		if run > best {
			best, end = run, i
		}
	}
	first, last := end-best+1, end
	if best < 3 {
		return contact{}, false
	}
	span := max(4, int(floorTime*fps))
	skip := int(creepTime * fps) // the frames in which it may be leaving already say nothing of the floor
	first = leaving(y, known, fps, floor.beside(y, known, first, min(last, first+span)), first, from, -1)
	first = sinks(y, known, floor, first, last, fps)
	last = leaving(y, known, fps, floor.beside(y, known, max(first, last-skip-span), last-skip), last-min(skip, (last-first)/3), to, 1)
	return contact{on: max(from, first), off: min(to, last)}, last > first
}

// beside is the floor by the frames from a to b, as far as those are enough to tell it.
func (f floorLine) beside(y []float64, known []bool, a, b int) floorLine {
	var n, mt, my, tt, ty float64
	limit := f.near()
	each := func(visit func(i int)) {
		for i := a; i <= b; i++ {
			if known[i] && math.Abs(f.height(y, i)) <= limit {
				visit(i)
			}
		}
	}
	each(func(i int) { n, mt, my = n+1, mt+float64(i), my+y[i] })
	if n < 4 {
		return f
	}
	mt, my = mt/n, my/n
	each(func(i int) {
		tt += (float64(i) - mt) * (float64(i) - mt)
		ty += (float64(i) - mt) * (y[i] - my)
	})
	// A few frames tell a slope badly: it is held to the whole floor's.
	held := 60.0
	slope := (ty + held*f.slope) / (tt + held)
	return floorLine{my - slope*mt, slope, f.stray, f.slack, f.lies}
}

// leaving goes from a frame on the floor outward (way −1 or 1) to the last that is on it: beyond, the foot is over
// it for good. A slow way is followed back to where it meets the floor.
func leaving(y []float64, known []bool, fps float64, f floorLine, at, limit, way int) int {
	near := f.near()
	inside := func(i int) bool { return way < 0 && i > limit || way > 0 && i < limit }
	for inside(at) {
		next := at + way
		h := f.height(y, next)
		if known[next] && h > near && (h > 2*near || !inside(next) || f.height(y, next+way) > near) {
			break
		}
		at = next
	}
	if !inside(at) || !inside(at+way) {
		return at
	}
	// Of a slow way the frames nearest the floor lie within its noise: it is drawn on to the floor.
	if h := f.height(y, at+way); h > slowPX {
		return at
	}
	many := slowFrames
	if way < 0 { // a rise is slow at first, and its line is to be short; a way down is told better by a longer one
		many = max(many, int(math.Round(slowTime*fps)))
	}
	var n, mk, mh, kk, kh float64
	each := func(visit func(k, h float64)) {
		for k := 1; k <= many; k++ {
			i := at + k*way
			if i < 0 || i >= len(y) || f.height(y, i) > 2*slowPX {
				break
			}
			if known[i] {
				visit(float64(k), f.height(y, i))
			}
		}
	}
	each(func(k, h float64) { n, mk, mh = n+1, mk+k, mh+h })
	if n < 2 {
		return at
	}
	mk, mh = mk/n, mh/n
	each(func(k, h float64) { kk, kh = kk+(k-mk)*(k-mk), kh+(k-mk)*(h-mh) })
	if rate := kh / kk; rate > 0.03 {
		back := mh/rate - mk + 1 // the frame before it is on the floor, the one after in the air
		if way > 0 {
			back += liftsLate
		}
		at -= way * min(max(0, int(back)), max(1, int(mostBack*fps)))
	}
	return at
}

// sinks goes from the first frame on the floor inward to where the foot stops to come down, where that is under the floor:
// the back of a heel that lands toe up lies deeper than it stands once the sole is flat.
func sinks(y []float64, known []bool, f floorLine, at, last int, fps float64) int {
	deepest := at
	for i := at; i < last && known[i] && float64(i-at) <= sinksTime*fps; i++ {
		if y[i] > y[deepest] {
			deepest = i
		}
	}
	if f.height(y, deepest) > -f.near() {
		return at
	}
	for y[at] < y[deepest]-restsPX {
		at++
	}
	return at
}

// floorOf is the lowest line, with at most the slope of a floor, on which most frames from a to b lie.
func floorOf(y []float64, known []bool, fps float64, kind floorKind, a, b int) (best floorLine, ok bool) {
	n := b - a + 1
	if n < 4 {
		return best, false
	}
	steep := steepest / fps
	most := 0.0
	step := max(1, n/24)
	for i := a; i <= b; i += step {
		for j := i + max(2, n/6); j <= b; j += step {
			if !known[i] || !known[j] {
				continue
			}
			slope := (y[j] - y[i]) / float64(j-i)
			if math.Abs(slope) > steep {
				continue
			}
			f := floorLine{level: y[i] - slope*float64(i), slope: slope, slack: kind.slack}
			steepness := slope * fps / kind.slope
			sum := -0.5 * steepness * steepness // a floor hardly slopes; a foot that glides down does
			for k := a; k <= b; k++ {
				if !known[k] {
					continue
				}
				switch h := f.height(y, k); {
				case math.Abs(h) <= restsPX:
					sum += 1 - 0.5*math.Abs(h)/restsPX
				case h < -2*restsPX:
					sum -= 0.7 // nothing lies under a floor
				}
			}
			if sum > most {
				most, best, ok = sum, f, true
				best.lies = sum
			}
		}
	}
	if !ok {
		return best, false
	}
	// The frames on it say what it is, and how they stray.
	for range 3 {
		var off []float64
		var m, mt, my, tt, ty float64
		on := func(i int) bool {
			return known[i] && math.Abs(best.height(y, i)) <= max(restsPX, strayTimes*best.stray)
		}
		for i := a; i <= b; i++ {
			if on(i) {
				m, mt, my = m+1, mt+float64(i), my+y[i]
			}
		}
		if m < 3 {
			return best, false
		}
		mt, my = mt/m, my/m
		for i := a; i <= b; i++ {
			if on(i) {
				tt += (float64(i) - mt) * (float64(i) - mt)
				ty += (float64(i) - mt) * (y[i] - my)
			}
		}
		if tt > 0 {
			best.slope = min(steep, max(-steep, ty/tt))
		}
		best.level = my - best.slope*mt
		for i := a; i <= b; i++ {
			if on(i) {
				off = append(off, math.Abs(best.height(y, i)))
			}
		}
		best.stray = min(mostStray, 1.4826*median(off))
	}
	return best, true
}
