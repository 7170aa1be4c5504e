package footprint

import (
	"math"
	"slices"
)

// Paper is a size of the print sheet.
type Paper string

const (
	A4     Paper = "a4"
	A3     Paper = "a3"
	Letter Paper = "letter"
)

// Papers are the sizes that are printed.
var Papers = []Paper{A4, A3, Letter}

// Size of a paper in mm, upright.
func (p Paper) Size() (w, h float64) {
	switch p {
	case A3:
		return 297, 420
	case Letter:
		return 215.9, 279.4
	}
	return 210, 297
}

// The marks of the sheet: a ring with a dot in its middle at each corner, mm.
const (
	MarkInset  = 14.0 // from the paper's edges to a mark's middle
	RingOuter  = 8.0  // radius
	RingInner  = 5.0
	DotRadius  = 2.2
	SideMM     = 23.0 // ruler, marks and words stay within this of the long edges
	EndMM      = 4.0  // of the short edges, which printers cannot reach
	ForA3MM    = 255.0
	discAreaMM = math.Pi * RingOuter * RingOuter
	ringAreaMM = math.Pi * (RingOuter*RingOuter - RingInner*RingInner)
)

// PaperFor is the sheet that a foot of so many mm wants.
func PaperFor(lengthMM float64) Paper {
	if lengthMM > ForA3MM {
		return A3
	}
	return A4
}

// marks are the middles of the four marks, in order from the top left clockwise, mm.
func (p Paper) marks() [4]Point {
	w, h := p.Size()
	return [4]Point{{MarkInset, MarkInset}, {w - MarkInset, MarkInset}, {w - MarkInset, h - MarkInset}, {MarkInset, h - MarkInset}}
}

// Point is a place in a picture (pixels) or on paper (mm).
type Point struct{ X, Y float64 }

// homography maps a plane to a plane.
type homography [9]float64

func (h *homography) apply(p Point) Point {
	w := h[6]*p.X + h[7]*p.Y + h[8]
	return Point{(h[0]*p.X + h[1]*p.Y + h[2]) / w, (h[3]*p.X + h[4]*p.Y + h[5]) / w}
}

// jacobian is the map's linear part at a point.
func (h *homography) jacobian(p Point) (a, b, c, d float64) {
	w := h[6]*p.X + h[7]*p.Y + h[8]
	q := h.apply(p)
	return (h[0] - h[6]*q.X) / w, (h[1] - h[7]*q.X) / w, (h[3] - h[6]*q.Y) / w, (h[4] - h[7]*q.Y) / w
}

// inverse is the map back.
func (h *homography) inverse() homography {
	a, b, c, d, e, f, g, i, k := h[0], h[1], h[2], h[3], h[4], h[5], h[6], h[7], h[8]
	return homography{e*k - f*i, c*i - b*k, b*f - c*e, f*g - d*k, a*k - c*g, c*d - a*f, d*i - e*g, b*g - a*i, a*e - b*d}
}

// fitHomography maps four points onto four others; ok is false when three of them
// lie on a line.
func fitHomography(from, to [4]Point) (homography, bool) {
	var m [8][9]float64
	for i := range 4 {
		x, y, u, v := from[i].X, from[i].Y, to[i].X, to[i].Y
		m[2*i] = [9]float64{x, y, 1, 0, 0, 0, -u * x, -u * y, u}
		m[2*i+1] = [9]float64{0, 0, 0, x, y, 1, -v * x, -v * y, v}
	}
	for c := range 8 {
		best := c
		for r := c + 1; r < 8; r++ {
			if math.Abs(m[r][c]) > math.Abs(m[best][c]) {
				best = r
			}
		}
		if math.Abs(m[best][c]) < 1e-9 {
			return homography{}, false
		}
		m[c], m[best] = m[best], m[c]
		for r := range 8 {
			if r == c {
				continue
			}
			k := m[r][c] / m[c][c]
			for j := c; j < 9; j++ {
				m[r][j] -= k * m[c][j]
			}
		}
	}
	var h homography
	for i := range 8 {
		h[i] = m[i][8] / m[i][i]
	}
	h[8] = 1
	return h, true
}

// markAt is a ring with a dot that was found in a picture.
type markAt struct {
	Point
	area       float64 // of the ring, px²
	xx, xy, yy float64
}

// looks are the ways in which marks are looked for, one after the other until all four are there: how much darker than
// about it a mark is, and whether the picture is sharpened first. In a pale picture marks are little darker; in one that is
// not sharp a ring runs into its dot, but where only what is darkest counts.
var looks = []look{{below: 0.78}, {below: 0.90}, {below: 0.65}, {below: 0.80, sharp: true}, {below: 0.92, sharp: true},
	{below: 0.55, sharp: true}, {below: 0.85, solid: true}, {below: 0.93, solid: true}}

type look struct {
	below        float64
	sharp, solid bool
}

// findMarks looks for rings with a dot in their middle; what an earlier look found is kept.
func findMarks(light *raster, by look, found []markAt) []markAt {
	long := max(light.w, light.h)
	mean := blur(light, max(4, long/50))
	if by.sharp {
		soft, edged := blur(light, max(2, long/220)), newRaster(light.w, light.h)
		for i, v := range light.v {
			edged.v[i] = v + sharpenBy*(v-soft.v[i])
		}
		light = edged
	}
	dark := newMask(light.w, light.h)
	for i, v := range light.v {
		dark.on[i] = v < float32(by.below)*mean.v[i]-2
	}
	_, all := pieces(dark)
	least, most := float64(long)*0.012, float64(long)*0.14
	var rings, dots []piece
	for _, p := range all {
		w, h := float64(p.x1-p.x0+1), float64(p.y1-p.y0+1)
		if w > 2.2*h || h > 2.2*w || max(w, h) > most {
			continue
		}
		if fill := float64(p.area) / (w * h); fill > 0.55 {
			if dots = append(dots, p); by.solid && max(w, h) >= least {
				found = add(found, markAt{Point{p.cx, p.cy}, float64(p.area) * ringAreaMM / discAreaMM, p.xx, p.xy, p.yy}, math.Sqrt(w*h))
			}
		} else if fill > 0.2 && max(w, h) >= least {
			rings = append(rings, p)
		}
	}
	for _, r := range rings {
		size := math.Sqrt(float64((r.x1 - r.x0 + 1) * (r.y1 - r.y0 + 1)))
		for _, d := range dots {
			share := float64(d.area) / float64(r.area)
			if math.Hypot(r.cx-d.cx, r.cy-d.cy) < 0.12*size && share > 0.04 && share < 0.35 {
				found = add(found, markAt{Point{(r.cx + d.cx) / 2, (r.cy + d.cy) / 2}, float64(r.area), r.xx, r.xy, r.yy}, size)
				break
			}
		}
	}
	return found
}

// add takes a mark of a size in, unless it is there already.
func add(found []markAt, m markAt, size float64) []markAt {
	if slices.ContainsFunc(found, func(o markAt) bool { return math.Hypot(m.X-o.X, m.Y-o.Y) < size/2 }) {
		return found
	}
	return append(found, m)
}

// sharpenBy is how much what is finer than a mark's ring is brought out.
const sharpenBy = 2

// sheetIn finds Trevik's print sheet: its paper and the map from the picture's
// pixels to mm on the paper; where it is not to be found, how many marks there are.
func sheetIn(light *raster) (paper Paper, h homography, marks int, ok bool) {
	var found []markAt
	for i, l := range looks {
		// A later look may take something else for a mark, but hardly three of them; a blot is anything.
		if found = findMarks(light, l, found); i == 0 || len(found) == 3 && !l.solid {
			marks = len(found)
		}
		if len(found) < 4 {
			continue
		}
		if paper, h, ok = sheetOf(found); ok {
			return paper, h, 4, true
		}
	}
	return "", homography{}, marks, false
}

// sheetOf finds the four marks that are a sheet's.
func sheetOf(found []markAt) (Paper, homography, bool) {
	if found = slices.Clone(found); len(found) > 8 {
		slices.SortFunc(found, func(a, b markAt) int { return int(b.area - a.area) })
		found = found[:8]
	}
	bestOff, bestPaper, best := math.Inf(1), Paper(""), homography{}
	pick := func(four [4]markAt) {
		ordered := around(four)
		for turn := range 2 { // the paper upright, or lying
			var from [4]Point
			for i := range 4 {
				from[i] = ordered[(i+turn)%4].Point
			}
			for _, paper := range Papers {
				h, ok := fitHomography(from, paper.marks())
				if !ok {
					continue
				}
				if off := ringsOff(&h, ordered); off < bestOff {
					bestOff, bestPaper, best = off, paper, h
				}
			}
		}
	}
	n := len(found)
	for a := range n {
		for b := a + 1; b < n; b++ {
			for c := b + 1; c < n; c++ {
				for d := c + 1; d < n; d++ {
					pick([4]markAt{found[a], found[b], found[c], found[d]})
				}
			}
		}
	}
	return bestPaper, best, bestOff < 0.35
}

// ringsOff is how far the four rings, mapped onto paper, are from circles of the
// size that is printed: the mean of size and squareness off, 0 is exact.
func ringsOff(h *homography, four [4]markAt) float64 {
	sum := 0.0
	for _, m := range four {
		a, b, c, d := h.jacobian(m.Point)
		det := math.Abs(a*d - b*c)
		xx := a*a*m.xx + 2*a*b*m.xy + b*b*m.yy
		yy := c*c*m.xx + 2*c*d*m.xy + d*d*m.yy
		xy := a*c*m.xx + (a*d+b*c)*m.xy + b*d*m.yy
		sum += math.Abs(math.Log(det*m.area/ringAreaMM)) + math.Abs(math.Log(xx/yy)) + math.Abs(xy)/math.Sqrt(xx*yy)
	}
	return sum / 4
}

// around orders four marks clockwise about their middle, from the top left.
func around(four [4]markAt) [4]markAt {
	var cx, cy float64
	for _, m := range four {
		cx, cy = cx+m.X/4, cy+m.Y/4
	}
	s := four[:]
	slices.SortFunc(s, func(a, b markAt) int {
		if math.Atan2(a.Y-cy, a.X-cx) < math.Atan2(b.Y-cy, b.X-cx) {
			return -1
		}
		return 1
	})
	return [4]markAt(s)
}
