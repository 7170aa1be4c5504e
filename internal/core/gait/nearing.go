package gait

import (
	"image"
	"math"

	"trevik/internal/core/term"
)

// House values of how a foot on the belt comes towards the camera.
const (
	nearsLeast   = 0.008 // a beat, that its distance shrinks by
	nearsMost    = 0.044
	nearsStep    = 0.004
	nearsLooks   = 4    // beats to either side of the middle of a stance
	nearsEvery   = 2    // px of the small picture from one place that is looked at to the next
	nearsHigh    = 0.14 // of the picture's height, that a foot is looked at
	nearsAside   = 0.12 // to either side
	plainlyNears = 0.04 // that a foot grows by over a contact, from which it counts
	plainlyLess  = 0.9  // of what it differs by if it does not come nearer
	nearsAgain   = 0.6  // of the rate that it was taken to, by what is seen of its heel
	nearsTries   = 2    // beats in which feet may stand, and times that a rate is told anew
	nearsFaster  = 2.0  // times the rate, that it comes nearer where that is not seen: beats are blurred
	scaleLook    = 0.06 // larger and smaller, that a heel is looked for
	scaleLooks   = 4    // contacts
	leastScales  = 6    // frames
	largestTimes = 1.9
	leastTimes   = 0.55
)

// nearsOver is how far over the sole a foot's way on the belt may end in the picture, of its height: as high as the camera
// stands over the belt.
var nearsOver = []float64{0.02, 0.08, 0.16, 0.26, 0.4}

// nearing is how feet on the belt come towards the camera: they grow about the place where the belt would end far off. The
// zero value is that of feet which do not.
type nearing struct {
	rate float64 // a frame, of the distance in the middle of the stance
	to   Point   // px of the film
}

// times is how much larger a foot is so many frames after the middle of its stance.
func (n nearing) times(frames float64) float64 {
	return min(largestTimes, max(leastTimes, 1/max(0.1, 1-n.rate*frames)))
}

// seen is where a place of the film as it is in the middle of the stance lies so many frames later.
func (n nearing) seen(p Point, frames float64) Point {
	if n.rate == 0 {
		return p
	}
	k := n.times(frames)
	return Point{n.to.X + k*(p.X-n.to.X), n.to.Y + k*(p.Y-n.to.Y)}
}

// nearing tells when each foot may stand by that it is the same then but for coming nearer, the likelier first: a camera that
// stands close sees feet on the belt grow and sink, and the one that swings may be the stiller.
func (o *overview) nearing(s striding) (out []striding) {
	c := s.cycle
	there := c.there()
	split, ok := c.split(there)
	if !ok {
		return nil
	}
	type spot struct{ x, y int }
	var at [2][beats]spot // the lowest of each foot
	for k := range 2 {
		x0, x1 := c.half(k, split)
		for b := range beats {
			y := c.lowest(x0, x1, func(_, p int) bool { return there(b, p) })
			sum, n := 0, 0
			for p := max(0, y-int(soleBand*float64(c.h))) * c.w; p < (y+1)*c.w; p++ {
				if x := p % c.w; x >= x0 && x < x1 && there(b, p) {
					sum, n = sum+x, n+1
				}
			}
			at[k][b] = spot{sum / max(1, n), y}
		}
	}
	type way struct {
		unlike     float64
		left       int
		right      int
		rate, over float64
	}
	var still, near [beats]way // by the middle of the left foot's stance
	for a := range beats {
		still[a].unlike, near[a].unlike = math.Inf(1), math.Inf(1)
	}
	for r := 0.0; r <= nearsMost; r = max(nearsLeast, r+nearsStep) {
		best := &near
		if r == 0 {
			best = &still
		}
		for _, share := range nearsOver {
			up := share * float64(c.h)
			var unlike [2][beats]float64
			for k := range 2 {
				for b := range beats {
					unlike[k][b] = c.unlikeNearer(there, b, at[k][b].x, at[k][b].y, split, r, up)
				}
			}
			for a := range beats {
				for turn := beats/2 - outOfTurn; turn <= beats/2+outOfTurn; turn++ {
					b := (a + turn) % beats
					if v := (unlike[0][a] + unlike[1][b]) / 2; v < best[a].unlike {
						best[a] = way{v, a, b, r, up}
					}
				}
			}
			if r == 0 {
				break
			}
		}
	}
	for len(out) < 2*nearsTries {
		best, least := way{unlike: math.Inf(1)}, math.Inf(1)
		for a, w := range near {
			apart := true // from those that were found
			for _, f := range out {
				d := (a - f.beat + beats) % beats
				apart = apart && min(d, beats-d) >= beats/4
			}
			// The more it differs unless it comes nearer, the likelier it does.
			less := w.unlike / still[a].unlike
			if apart && less < plainlyLess && less*w.unlike < least {
				best, least = w, less*w.unlike
			}
		}
		if math.IsInf(best.unlike, 1) {
			break
		}
		l, r := float64(at[0][best.left].y), float64(at[1][best.right].y)
		if math.Abs(l-r) > solesApart*float64(c.h) {
			l, r = max(l, r), max(l, r)
		}
		next := striding{hz: s.hz, inStep: s.inStep, cycle: c, beat: best.left, sole: map[term.Side]float64{
			term.Left: l * float64(o.by), term.Right: r * float64(o.by)}}
		c.place(&next, o, [2]int{best.left, best.right}, split, there)
		for _, times := range []float64{1, nearsFaster} {
			next.near = nearing{times * best.rate * beats * s.hz / o.fps,
				Point{(float64(split) + 0.5) * float64(o.by), ((l+r)/2 - best.over) * float64(o.by)}}
			out = append(out, next)
		}
	}
	return out
}

// unlikeNearer is by how much what is at a foot in a beat differs from what is there in those about it, with the foot come
// nearer at a rate a beat about a place so far over it: 0 is the same, 1 nothing like it.
func (c *cycle) unlikeNearer(there func(b, p int) bool, beat, x, y, split int, rate, over float64) float64 {
	high, aside := int(nearsHigh*float64(c.h)), int(nearsAside*float64(c.h))
	var off, of float64
	for j := max(0, y-high); j <= y; j += nearsEvery {
		for i := max(0, x-aside); i <= min(c.w-1, x+aside); i += nearsEvery {
			p := j*c.w + i
			if !there(beat, p) {
				continue
			}
			v := c.mean[beat][p]
			own := math.Abs(float64(v - c.back[p]))
			for t := -nearsLooks; t <= nearsLooks; t++ {
				if t == 0 {
					continue
				}
				k := 1 / (1 - rate*float64(t))
				u, w := int(float64(split)+k*float64(i-split)+0.5), int(float64(y)-over+k*(float64(j-y)+over)+0.5)
				of += own
				if u < 0 || w < 0 || u >= c.w || w >= c.h {
					off += own
					continue
				}
				off += min(own, math.Abs(float64(c.mean[(beat+t+beats)%beats][w*c.w+u]-v)))
			}
		}
	}
	if of == 0 {
		return 1
	}
	return off / of
}

// measuredNearing is how feet come nearer by legs that were followed: their heels are looked for larger and smaller. ok is false
// where that is not plain, or as it was taken for.
func measuredNearing(legs map[term.Side]*oneLeg, was nearing) (out nearing, ok bool) {
	var tt, ts, ty, long, n, over float64
	for _, l := range legs {
		larger, smaller := l.heelRef.scaled(1+scaleLook), l.heelRef.scaled(1/(1+scaleLook))
		for _, c := range l.contacts[:min(scaleLooks, len(l.contacts))] {
			if !c.found {
				continue
			}
			var t, s, y []float64
			for i := range c.ok {
				f := c.from + i
				if !c.ok[i] || f < c.on || f > c.off {
					continue
				}
				_, a, _ := smaller.find(c.frames[i], nil, c.heel[i])
				_, b, _ := l.heelRef.find(c.frames[i], nil, c.heel[i])
				_, e, _ := larger.find(c.frames[i], nil, c.heel[i])
				a, b, e = a*a, b*b, e*e
				if bend := a + e - 2*b; bend > 0 {
					t, s, y = append(t, float64(f)), append(s, min(1.5, max(-1.5, (a-e)/2/bend))*math.Log(1+scaleLook)), append(y, c.heel[i].y)
				}
			}
			if len(t) < leastScales {
				continue
			}
			m := median(t)
			ms, my := median(s), median(y)
			for i := range t {
				tt, ts, ty = tt+(t[i]-m)*(t[i]-m), ts+(t[i]-m)*(s[i]-ms), ty+(t[i]-m)*(y[i]-my)
			}
			long, n = long+float64(c.off-c.on), n+1
		}
		over += (float64(l.y0) + l.sole - was.to.Y) / float64(len(legs))
	}
	if n == 0 || tt == 0 {
		return was, false
	}
	grows, sinks := ts/tt, ty/tt
	out = nearing{rate: was.rate + grows, to: was.to}
	if math.Abs(grows)*long/n < plainlyNears || out.rate*long/n < plainlyNears {
		return out, false
	}
	if was.rate == 0 {
		out.to.X, over = 0, 0
		low := 0.0
		for _, l := range legs {
			out.to.X += (float64(l.x0) + l.line.heelLow.X) / float64(len(legs))
			low += (float64(l.y0) + l.line.heelLow.Y) / float64(len(legs))
		}
		out.to.Y = low - sinks/out.rate
		return out, true
	}
	out.to.Y += over - (was.rate*over+sinks)/out.rate
	return out, true
}

// scaled is the patch with its picture so much larger about its middle.
func (r *rigid) scaled(by float64) *rigid {
	out := &rigid{x0: r.x0, y0: r.y0, w: r.w, h: r.h, look: newPlot(r.w, r.h), weight: r.weight, hold: r.hold, enough: nearly}
	cx, cy := r.middle()
	for y := range r.h {
		for x := range r.w {
			out.look.v[y*r.w+x] = r.look.at(cx+(float64(x)-cx)/by, cy+(float64(y)-cy)/by)
		}
	}
	out.ready()
	return out
}

// nearLegs finds and follows both legs of a runner whose feet on the belt come nearer; nil where it is not that.
func (w *watcher) nearLegs(r Recording, o *overview, s striding, progress func(int) error) (map[term.Side]*oneLeg, error) {
	for _, near := range o.nearing(s) {
		legs, err := w.sized(r, o, &near, progress)
		if err != nil {
			return nil, err
		}
		if !stridesOn(legs) {
			continue
		}
		legs, rate, err := w.settleNearing(r, o, near, legs, progress)
		if err != nil {
			return nil, err
		}
		if rate >= nearsAgain*near.near.rate { // else it was taken to come nearer, and does not
			return legs, nil
		}
	}
	return nil, nil
}

// sized is learnLegs with legs as large as they are taken for.
func (w *watcher) sized(r Recording, o *overview, s *striding, progress func(int) error) (map[term.Side]*oneLeg, error) {
	was := w.sizes
	w.sizes = false
	defer func() { w.sizes = was }()
	return w.learnLegs(r, o, s, progress)
}

// settleNearing follows legs anew that are seen to come nearer, or otherwise than they were taken to. It gives the rate, too.
func (w *watcher) settleNearing(r Recording, o *overview, s striding, legs map[term.Side]*oneLeg,
	progress func(int) error) (map[term.Side]*oneLeg, float64, error) {
	rate := s.near.rate
	for range nearsTries {
		near, ok := measuredNearing(legs, s.near)
		rate = near.rate
		if !ok {
			break
		}
		s.near = near
		again, err := w.sized(r, o, &s, progress)
		if err != nil {
			return nil, rate, err
		}
		if !stridesOn(again) {
			break
		}
		legs = again
	}
	return legs, rate, nil
}

// window is the part of a film of that size that the leg's pictures are taken from.
func (l *oneLeg) window(size image.Point) *oneLeg {
	if l.near.rate == 0 {
		return l
	}
	x0, y0, x1, y1 := l.x0, l.y0, l.x0+l.w, l.y0+l.h
	for _, c := range l.contacts {
		for _, i := range []int{c.from, c.from + len(c.frames) - 1} {
			a := l.near.seen(Point{float64(l.x0), float64(l.y0)}, float64(i-c.large))
			b := l.near.seen(Point{float64(l.x0 + l.w), float64(l.y0 + l.h)}, float64(i-c.large))
			x0, y0, x1, y1 = min(x0, int(a.X)), min(y0, int(a.Y)), max(x1, int(b.X)+1), max(y1, int(b.Y)+1)
		}
	}
	out := &oneLeg{shank: l.shank, x0: max(0, x0), y0: max(0, y0)}
	out.w, out.h = min(size.X, x1)-out.x0, min(size.Y, y1)-out.y0
	out.sole = l.sole + float64(l.y0-out.y0)
	return out
}

// unzoomed is the leg's own part of a picture of its window, as large as it is in the middle of the contact, so many
// frames before.
func (l *oneLeg) unzoomed(all *oneLeg, p *plot, frames float64) *plot {
	if l.near.rate == 0 {
		return p
	}
	out, k := newPlot(l.w, l.h), l.near.times(frames)
	from := l.near.seen(Point{float64(l.x0), float64(l.y0)}, frames).minus(Point{float64(all.x0), float64(all.y0)})
	for y := range l.h {
		for x := range l.w {
			out.v[y*l.w+x] = p.at(from.X+k*float64(x), from.Y+k*float64(y))
		}
	}
	return out
}

// House values of how dots on a heel come nearer. Times are shares of the stride.
const (
	sinkTime   = 0.10 // s before its lowest place, in which a heel on the belt is taken to be flat
	leastSinks = 4    // frames of that
	sinksFrom  = 30.0 // px/s, of a floor that is brought to a level: one that sinks less is followed
	growsFrom  = 0.25 // a second
	growsAlike = 0.5  // of its rate, that it differs by from contact to contact at most
	sinkMiddle = 0.18 // before the lowest place
	sinkReach  = 0.32 // to either side of that
	sinkEnds   = 0.48
)

// levelled is a heel's height with the way that it sinks on the belt as it comes nearer taken off, where two dots on it move
// apart as they sink; else as it is. Only what is about the lowest places is changed.
func levelled(low, top *path, fps float64) []float64 {
	y := low.y
	if len(y) < 8 {
		return y
	}
	smooth := lowPass(y, fps, min(8, fps/5))
	rise := rangeOf(smooth)
	if rise < smallestRise {
		return y
	}
	lows := lowest(smooth, fps, rise)
	var grows, sinks []float64 // a frame
	for _, at := range lows {
		var t, s, h []float64
		for i := max(0, at-int(math.Round(sinkTime*fps))); i < at; i++ {
			if low.known[i] && top.known[i] {
				d := low.at(i).minus(top.at(i))
				t, s, h = append(t, float64(i)), append(s, math.Log(math.Hypot(d.X, d.Y))), append(h, y[i])
			}
		}
		if len(t) >= leastSinks {
			_, g := robustLine(t, s)
			_, v := robustLine(t, h)
			grows, sinks = append(grows, g), append(sinks, v)
		}
	}
	if len(grows) < 2 {
		return y
	}
	rate, sink := median(grows), median(sinks)
	var off []float64
	for _, g := range grows {
		off = append(off, math.Abs(g-rate))
	}
	if rate*fps < growsFrom || sink*fps < sinksFrom || median(off) > growsAlike*rate {
		return y
	}
	var strides []float64
	for k := 1; k < len(lows); k++ {
		strides = append(strides, float64(lows[k]-lows[k-1]))
	}
	stride := median(strides)
	out := make([]float64, len(y))
	copy(out, y)
	for _, at := range lows {
		m := float64(at) - sinkMiddle*stride
		end := y[min(len(y)-1, max(0, int(m)))] - sink/rate // where the belt would end far off
		for i := max(0, int(m-sinkEnds*stride)); i <= min(len(y)-1, int(m+sinkEnds*stride)); i++ {
			u := float64(i) - m
			if a := math.Abs(u) / stride; a > sinkReach {
				u *= sinkReach / a * (sinkEnds - a) / (sinkEnds - sinkReach)
			}
			out[i] = end + (y[i]-end)*(1-rate*u)
		}
	}
	return out
}
