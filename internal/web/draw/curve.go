package draw

import (
	"math"
	"strconv"
	"strings"
)

// point is a place in mm: x to the right, y up from the ground or the heel.
type point struct{ x, y float64 }

func (p point) plus(q point) point          { return point{p.x + q.x, p.y + q.y} }
func (p point) times(k float64) point       { return point{k * p.x, k * p.y} }
func (p point) to(q point, t float64) point { return point{p.x + (q.x-p.x)*t, p.y + (q.y-p.y)*t} }

// apart is the distance of two places, never quite nothing, to the power that makes a
// Catmull–Rom curve centripetal: it neither loops nor overshoots between near points.
func apart(p, q point) float64 { return math.Max(math.Sqrt(math.Hypot(q.x-p.x, q.y-p.y)), 1e-3) }

// piece is a cubic Bézier from a to d.
type piece struct{ a, b, c, d point }

func (s piece) at(t float64) point {
	u := 1 - t
	return s.a.times(u * u * u).plus(s.b.times(3 * u * u * t)).plus(s.c.times(3 * u * t * t)).plus(s.d.times(t * t * t))
}

// line is a run of pieces, each beginning where the last one ended.
type line []piece

// curve goes smoothly through points: a centripetal Catmull–Rom curve, as Béziers.
func curve(p ...point) line {
	n := len(p)
	q := append([]point{{2*p[0].x - p[1].x, 2*p[0].y - p[1].y}}, p...)
	return through(append(q, point{2*p[n-1].x - p[n-2].x, 2*p[n-1].y - p[n-2].y}))
}

// ring is a curve that ends where it began.
func ring(p ...point) line {
	n := len(p)
	return through(append(append([]point{p[n-1]}, p...), p[0], p[1]))
}

// through is the curve through all points but the outer two, which only give it its way.
func through(p []point) line {
	var l line
	for i := 1; i+2 < len(p); i++ {
		p0, p1, p2, p3 := p[i-1], p[i], p[i+1], p[i+2]
		d1, d2, d3 := apart(p0, p1), apart(p1, p2), apart(p2, p3)
		mix := func(far, at, next point, df, dn float64) point {
			k := 3 * df * (df + dn)
			return next.times(df * df / k).plus(far.times(-dn * dn / k)).plus(at.times((2*df*df + 3*df*dn + dn*dn) / k))
		}
		l = append(l, piece{p1, mix(p0, p1, p2, d1, d2), mix(p3, p2, p1, d3, d2), p2})
	}
	return l
}

// straight goes from point to point without a bend.
func straight(p ...point) line {
	var l line
	for i := 1; i < len(p); i++ {
		l = append(l, piece{p[i-1], p[i-1].to(p[i], 1.0/3), p[i-1].to(p[i], 2.0/3), p[i]})
	}
	return l
}

// join hangs lines on one another, with a straight piece where an end and a beginning differ.
func join(lines ...line) line {
	var out line
	for _, l := range lines {
		if n := len(out); n > 0 && len(l) > 0 && math.Hypot(out[n-1].d.x-l[0].a.x, out[n-1].d.y-l[0].a.y) > 0.01 {
			out = append(out, straight(out[n-1].d, l[0].a)...)
		}
		out = append(out, l...)
	}
	return out
}

// each moves every point.
func (l line) each(f func(point) point) line {
	out := make(line, len(l))
	for i, s := range l {
		out[i] = piece{f(s.a), f(s.b), f(s.c), f(s.d)}
	}
	return out
}

// back is the line the other way round.
func (l line) back() line {
	out := make(line, len(l))
	for i, s := range l {
		out[len(l)-1-i] = piece{s.d, s.c, s.b, s.a}
	}
	return out
}

// points are places along the line, n on each piece and its end.
func (l line) points(n int) []point {
	var out []point
	for i, s := range l {
		for k := range n {
			out = append(out, s.at(float64(k)/float64(n)))
		}
		if i == len(l)-1 {
			out = append(out, s.d)
		}
	}
	return out
}

// box is what the line takes: its lowest and highest x and y.
func (l line) box() (lo, hi point) {
	lo, hi = point{math.Inf(1), math.Inf(1)}, point{math.Inf(-1), math.Inf(-1)}
	for _, p := range l.points(16) {
		lo, hi = point{min(lo.x, p.x), min(lo.y, p.y)}, point{max(hi.x, p.x), max(hi.y, p.y)}
	}
	return lo, hi
}

// highAt is the highest y of the line at x; false where it does not pass.
func (l line) highAt(x float64) (float64, bool) { return l.extreme(x, math.Max) }

// lowAt is the lowest y of the line at x; false where it does not pass.
func (l line) lowAt(x float64) (float64, bool) { return l.extreme(x, math.Min) }

func (l line) extreme(x float64, pick func(a, b float64) float64) (float64, bool) {
	p := l.points(12)
	y, there := 0.0, false
	for i := 1; i < len(p); i++ {
		a, b := p[i-1], p[i]
		if a.x == b.x || (a.x-x)*(b.x-x) > 0 {
			continue
		}
		v := a.y + (b.y-a.y)*(x-a.x)/(b.x-a.x)
		if !there {
			y, there = v, true
		} else {
			y = pick(y, v)
		}
	}
	return y, there
}

// sheet is where a drawing lies on its picture: px = at + k·mm, y turned over.
type sheet struct {
	at   point // px of the origin
	k    float64
	flip bool // x runs to the left
}

func (s sheet) px(p point) point {
	if s.flip {
		p.x = -p.x
	}
	return point{s.at.x + s.k*p.x, s.at.y - s.k*p.y}
}

// d is lines as a path on the sheet, open; where a piece does not begin where the last one ended, the pen
// is lifted.
func (s sheet) d(lines ...line) string { return s.write("", lines) }

// shut is lines as closed paths on the sheet, each part for itself.
func (s sheet) shut(lines ...line) string { return s.write("Z", lines) }

func (s sheet) write(end string, lines []line) string {
	var b strings.Builder
	var x, y float64
	var last point
	for _, l := range lines {
		for i, piece := range l {
			if i == 0 || math.Hypot(piece.a.x-last.x, piece.a.y-last.y) > .01 {
				if b.Len() > 0 {
					b.WriteString(end)
				}
				at := s.px(piece.a)
				b.WriteString("M" + tenth(at.x) + " " + tenth(at.y))
				x, y = rounded(at.x), rounded(at.y)
			}
			e := s.px(piece.d)
			b.WriteString("c")
			for k, p := range []point{s.px(piece.b), s.px(piece.c), e} {
				if k > 0 {
					b.WriteString(" ")
				}
				b.WriteString(tenth(p.x-x) + " " + tenth(p.y-y))
			}
			x, y, last = x+rounded(e.x-x), y+rounded(e.y-y), piece.d
		}
	}
	if b.Len() > 0 {
		b.WriteString(end)
	}
	return b.String()
}

func rounded(v float64) float64 { return math.Round(10*v) / 10 }

func tenth(v float64) string {
	v = rounded(v)
	if v == 0 {
		v = 0 // no minus
	}
	return strconv.FormatFloat(v, 'f', -1, 64)
}

// smoothly goes from 0 at lo to 1 at hi.
func smoothly(v, lo, hi float64) float64 {
	t := min(max((v-lo)/(hi-lo), 0), 1)
	return t * t * (3 - 2*t)
}
