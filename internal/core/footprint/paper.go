package footprint

import (
	"math"
	"slices"
)

// House values of a paper's border against what it lies on. Lengths in px of a picture of paperLong, steps in the logarithm of
// the brightness.
const (
	paperLong   = 128
	paperTurn   = math.Pi / 120
	paperStep   = 0.05 // from one side to the other, at least
	paperNoise  = 6.0  // times the picture's usual step
	paperWhole  = 0.78 // of a border that has such a step, all the same way
	paperGlance = 6    // places, of which one tells whether the others are worth a look
	paperHalf   = 0.5
	paperFar    = 5.0 // on either side, where what lies there is still unlike
	paperStays  = 0.6 // by so much of the step
	leastChord  = 0.3 // of the picture's shorter side, that a border is long
	leastOff    = 0.002
	leastLeft   = 0.3 // of the picture, that the paper is
	paperSides  = 6   // a corner may be cut or folded
	paperInset  = 1.5
	paperEdge   = 0.028 // of the picture's longer side, along its own edge
)

// halfPlane is what lies where n·p ≤ at.
type halfPlane struct {
	n  Point
	at float64
}

func (h halfPlane) past(p Point) float64 { return h.n.X*p.X + h.n.Y*p.Y - h.at }

// paperIn finds a paper that lies on something else within the picture: the half-planes that hold it, in pixels of the
// channels, none where its border is not to be seen. A border goes straight through the whole picture, or to the next one,
// sharp and with one and the same side the lighter; the paper is where the picture's middle is.
func paperIn(c channels) []halfPlane {
	by := max(1, (max(c[0].w, c[0].h)+paperLong-1)/paperLong)
	w, h := c[0].w/by, c[0].h/by
	if min(w, h) < 32 {
		return nil
	}
	var logs [3]*raster
	var gx, gy [3][]float32
	var usual []float64
	for k := range logs {
		logs[k] = newRaster(w, h)
		for y := range h {
			for x := range w {
				sum := float32(0)
				for dy := range by {
					for _, v := range c[k+1].v[(y*by+dy)*c[0].w+x*by:][:by] {
						sum += v
					}
				}
				logs[k].v[y*w+x] = float32(math.Log(max(0, float64(sum))/float64(by*by) + 8)) // a JPEG's colours go below 0
			}
		}
		gx[k], gy[k] = make([]float32, w*h), make([]float32, w*h)
		for y := 1; y < h-1; y++ {
			for x := 1; x < w-1; x++ {
				gx[k][y*w+x], gy[k][y*w+x] = logs[k].at(x+1, y)-logs[k].at(x-1, y), logs[k].at(x, y+1)-logs[k].at(x, y-1)
				if (x+y)%3 == 0 {
					usual = append(usual, math.Abs(float64(gx[k][y*w+x])))
				}
			}
		}
	}
	least := max(paperStep, paperNoise*median(usual))
	middle := Point{float64(w-1) / 2, float64(h-1) / 2}
	area := []Point{{1, 1}, {float64(w - 2), 1}, {float64(w - 2), float64(h - 2)}, {1, float64(h - 2)}}
	all := areaOf(area)
	var out []halfPlane
	for len(out) < paperSides {
		var best halfPlane
		most := 0.0
		for turn := 0.0; turn < 2*math.Pi; turn += paperTurn {
			line := halfPlane{n: Point{math.Cos(turn), math.Sin(turn)}}
			centre := line.past(middle)
			far := 0.0
			for _, p := range area {
				far = max(far, line.past(p)-centre)
			}
			for at := 2.0; at < far-0.5; at += 0.5 {
				line.at = centre + at
				if s := line.border(area, gx, gy, logs, least, w); s > most {
					rest := areaOf(line.clip(area))
					if areaOf(area)-rest > leastOff*all && rest > leastLeft*all {
						best, most = line, s
					}
				}
			}
		}
		if most == 0 {
			break
		}
		best.at -= paperInset
		out, area = append(out, best), best.clip(area)
	}
	for i := range out { // from the middles of blocks to those of the channels' own pixels
		shift := (float64(by) - 1) / 2
		out[i].at = float64(by)*out[i].at + shift*(out[i].n.X+out[i].n.Y)
	}
	return out
}

// border is how much a line looks like a paper's border within an area, 0 for not at all.
func (l halfPlane) border(area []Point, gx, gy [3][]float32, logs [3]*raster, least float64, w int) float64 {
	from, to, ok := l.chord(area)
	long := from.distance(to)
	if !ok || long < leastChord*float64(min(w, len(gx[0])/w)) {
		return 0
	}
	n := int(long / 1.5)
	way := Point{(to.X - from.X) / float64(n), (to.Y - from.Y) / float64(n)}
	// steps counts those of every so manieth place that go up and down by enough in a channel, and adds all.
	steps := func(k, every int) (most, sum, of float64) {
		up, down := 0.0, 0.0
		for i := every / 2; i < n; i += every {
			x, y := int(from.X+(float64(i)+0.5)*way.X+0.5), int(from.Y+(float64(i)+0.5)*way.Y+0.5)
			s := float64(gx[k][y*w+x])*l.n.X + float64(gy[k][y*w+x])*l.n.Y
			if sum, of = sum+s, of+1; s > least {
				up++
			} else if s < -least {
				down++
			}
		}
		return max(up, down), sum, of
	}
	best := 0.0
	for k := range gx {
		if most, _, of := steps(k, paperGlance); most < paperHalf*of {
			continue
		}
		most, sum, of := steps(k, 1)
		if most < paperWhole*of || math.Abs(sum) < best*of {
			continue
		}
		// What lies farther off is as unlike: not so where a line is drawn.
		wide := 0.0
		for i := range n {
			x, y := from.X+(float64(i)+0.5)*way.X, from.Y+(float64(i)+0.5)*way.Y
			wide += float64(logs[k].sample(x+paperFar*l.n.X, y+paperFar*l.n.Y) - logs[k].sample(x-paperFar*l.n.X, y-paperFar*l.n.Y))
		}
		if wide*sum > 0 && math.Abs(wide) > paperStays*math.Abs(sum) {
			best = math.Abs(sum) / float64(n)
		}
	}
	return best
}

// chord is where the line goes through an area.
func (l halfPlane) chord(area []Point) (from, to Point, ok bool) {
	var ends []Point
	for i, p := range area {
		q := area[(i+1)%len(area)]
		if a, b := l.past(p), l.past(q); a < 0 != (b < 0) {
			t := a / (a - b)
			ends = append(ends, Point{p.X + t*(q.X-p.X), p.Y + t*(q.Y-p.Y)})
		}
	}
	if len(ends) != 2 {
		return from, to, false
	}
	return ends[0], ends[1], true
}

// clip is what of an area the half-plane holds.
func (l halfPlane) clip(area []Point) []Point {
	var out []Point
	for i, p := range area {
		q := area[(i+1)%len(area)]
		a, b := l.past(p), l.past(q)
		if a <= 0 {
			out = append(out, p)
		}
		if a < 0 != (b < 0) && a != b {
			t := a / (a - b)
			out = append(out, Point{p.X + t*(q.X-p.X), p.Y + t*(q.Y-p.Y)})
		}
	}
	return out
}

func areaOf(p []Point) float64 {
	sum := 0.0
	for i, a := range p {
		b := p[(i+1)%len(p)]
		sum += a.X*b.Y - a.Y*b.X
	}
	return math.Abs(sum) / 2
}

func (p Point) distance(q Point) float64 { return math.Hypot(p.X-q.X, p.Y-q.Y) }

// runsOver says whether print lies along a border of a paper, in the ink of the plane within it.
func (p plane) runsOver(l halfPlane, paper []halfPlane, inner plane, k ink) bool {
	area := p.corners()
	for _, o := range paper {
		if o != l {
			area = o.clip(area)
		}
	}
	from, to, ok := l.chord(area)
	if !ok {
		return false
	}
	n, over := int(from.distance(to)), 0
	for i := range n {
		t := (float64(i) + 0.5) / float64(n)
		q := inner.toPlane(p.toPicture(Point{from.X + t*(to.X-from.X), from.Y + t*(to.Y-from.Y)}))
		if k.sample(q.X, q.Y) > overAt {
			over++
		}
	}
	return float64(over) > overShare*float64(n)
}

// corners are the plane's own.
func (p plane) corners() []Point {
	w, h := float64(p.w-1), float64(p.h-1)
	return []Point{{0, 0}, {w, 0}, {w, h}, {0, h}}
}

// within is the plane about a paper alone; what lies beyond its border shows the paper beside it.
func (p plane) within(paper []halfPlane) plane {
	area := p.corners()
	for _, l := range paper {
		area = l.clip(area)
	}
	// A sliver along the picture's own edge is too narrow to be told.
	edge := paperEdge * float64(max(p.w, p.h))
	paper = append(slices.Clone(paper), halfPlane{Point{-1, 0}, -edge}, halfPlane{Point{0, -1}, -edge},
		halfPlane{Point{1, 0}, float64(p.w-1) - edge}, halfPlane{Point{0, 1}, float64(p.h-1) - edge})
	lo, hi := Point{math.Inf(1), math.Inf(1)}, Point{}
	for _, q := range area {
		lo, hi = Point{min(lo.X, q.X), min(lo.Y, q.Y)}, Point{max(hi.X, q.X), max(hi.Y, q.Y)}
	}
	x0, y0 := int(lo.X), int(lo.Y)
	out := p.shifted(x0, y0)
	out.w, out.h = int(hi.X)-x0+1, int(hi.Y)-y0+1
	out.channel = func(i int) *raster {
		c, r := p.channel(i), newRaster(out.w, out.h)
		for y := range r.h {
			for x := range r.w {
				q := Point{float64(x + x0), float64(y + y0)}
				for range 2 { // at a corner two borders push
					for _, l := range paper {
						if d := l.past(q); d > 0 {
							q = Point{q.X - d*l.n.X, q.Y - d*l.n.Y}
						}
					}
				}
				r.v[y*r.w+x] = c.sample(q.X, q.Y)
			}
		}
		return r
	}
	return out
}

// House values of a border that print runs over: a straight shadow, or the edge of a board below thin paper.
const (
	overAt    = 0.5  // of the print's level
	overShare = 0.02 // of the border's length
)

// borders are those of a paper that print does not run over, in the ink of the plane within it: all where that has none.
func (p plane) borders(paper []halfPlane, inner plane, print *Prepared) []halfPlane {
	if print == nil {
		return paper
	}
	return slices.DeleteFunc(slices.Clone(paper), func(l halfPlane) bool { return p.runsOver(l, paper, inner, print.ink) })
}
