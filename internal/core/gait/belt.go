package gait

import (
	"math"
	"slices"
)

// House values of stripes that come along the belt.
const (
	stripeFrom  = 6.0  // of brightness, that a stripe differs from the belt
	stripeRows  = 0.03 // of the rows about the feet, that are stripe in the usual frame
	stripeLeans = 0.09 // a px across, at most: the camera leans
	stripeStep  = 0.015
	leanCosts   = 2.0 // of how far they stand out: a camera stands upright unless it is plain that it leans
	stripeLooks = 12  // frames, that are looked at for stripes
	stripeKept  = 0.3
	stripeEvery = 4 // px across, that are looked at
)

// belt is the ground about both feet in the film, which goes along under them with stripes on it.
type belt struct {
	x0, x1, y0, y1 int
	lean           float64 // px down a px across, of its stripes
	still          []float32
	usual          []float64 // of each row, off the still ground
}

// newBelt is the ground about two legs' crops; nil where nothing passes along it.
func (w *watcher) newBelt(legs []*oneLeg, c *cycle, by int, light []float64) *belt {
	b := &belt{x0: w.size.X, y0: w.size.Y}
	for _, l := range legs {
		b.x0, b.x1 = min(b.x0, l.x0), max(b.x1, l.x0+l.w)
		b.y0, b.y1 = min(b.y0, l.y0+int(l.sole-0.5*l.shank)), max(b.y1, l.y0+l.h)
	}
	b.y0 = max(0, b.y0)
	n := b.x1 - b.x0
	b.still = make([]float32, n*(b.y1-b.y0))
	small := &plot{c.w, c.h, c.back}
	for y := b.y0; y < b.y1; y++ {
		for x := b.x0; x < b.x1; x++ {
			b.still[(y-b.y0)*n+x-b.x0] = small.at((float64(x)+0.5)/float64(by)-0.5, (float64(y)+0.5)/float64(by)-0.5)
		}
	}
	var frames []*gray
	var lights []float64
	for i := range stripeLooks {
		k := i * (w.frames.Len() - 1) / (stripeLooks - 1)
		if g := w.grayAt(k); g != nil {
			frames, lights = append(frames, g), append(lights, light[k])
		}
	}
	most, share := -1.0, 0.0
	var found belt
	for lean := -stripeLeans; lean <= stripeLeans+1e-9; lean += stripeStep {
		b.lean, b.usual = lean, nil
		looks := make([][]float64, len(frames))
		for k, g := range frames {
			looks[k] = b.rows(g, lights[k])
		}
		b.usual = make([]float64, b.y1-b.y0)
		stripes, strong := 0.0, 0.0
		one := make([]float64, len(frames))
		for y := range b.usual {
			for k := range looks {
				one[k] = looks[k][y]
			}
			b.usual[y] = median(one)
			for k := range looks {
				if d := math.Abs(looks[k][y] - b.usual[y]); d > stripeFrom {
					stripes += 1 / float64(len(frames)*len(b.usual))
					strong += d * d // they stand out most where the rows lie along them
				}
			}
		}
		if strong *= 1 - leanCosts*math.Abs(lean); strong > most {
			most, found, share = strong, *b, stripes
		}
	}
	if share < stripeRows {
		return nil
	}
	return &found
}

// rows is by how much a frame differs from the still ground along each row of the belt: in the middle of its places.
func (b *belt) rows(g *gray, light float64) []float64 {
	n, mid := b.x1-b.x0, float64(b.x0+b.x1)/2
	out := make([]float64, b.y1-b.y0)
	row := make([]float64, 0, n/stripeEvery+1)
	for y := range out {
		row = row[:0]
		for x := 0; x < n; x += stripeEvery {
			k := y + int(math.Round(b.lean*(float64(b.x0+x)-mid)))
			if k >= 0 && k < len(out) {
				row = append(row, float64(g.pix[(b.y0+k)*g.w+b.x0+x])/light-float64(b.still[k*n+x]))
			}
		}
		if len(row) > 0 {
			slices.Sort(row)
			out[y] = row[len(row)/2]
		}
		if b.usual != nil {
			out[y] -= b.usual[y]
		}
	}
	return out
}

// clear takes from a leg's crop of a frame the stripes that lie open on the belt.
func (b *belt) clear(l *oneLeg, p *plot, rows []float64) {
	n, mid := b.x1-b.x0, float64(b.x0+b.x1)/2
	for y := max(0, b.y0-l.y0); y < l.h; y++ {
		for x := range l.w {
			k := l.y0 + y - b.y0
			at := k - int(math.Round(b.lean*(float64(l.x0+x)-mid)))
			if at < 0 || at >= len(rows) || math.Abs(rows[at]) < stripeFrom {
				continue
			}
			ground, v := float64(b.still[k*n+l.x0+x-b.x0]), float64(p.v[y*l.w+x])
			if math.Abs(v-rows[at]-ground) < max(stripeFrom, stripeKept*math.Abs(rows[at])) {
				p.v[y*l.w+x] = float32(v - rows[at])
			}
		}
	}
}
