package gait

import (
	"image"
	"image/color"
	"math"
	"slices"
)

// chroma is a frame's colour at half its size, each sample the mean of 2 × 2 pixels:
// Cb and Cr less 128. A mean over an area keeps the centre of what it covers, so
// places lose nothing by it.
type chroma struct {
	w, h   int
	cb, cr []int8
}

// full turns a place among the samples into one in the picture.
func (p Point) full() Point { return Point{2*p.X + 0.5, 2*p.Y + 0.5} }

func (c *chroma) resize(w, h int) {
	c.w, c.h = w, h
	if n := w * h; cap(c.cb) < n {
		c.cb, c.cr = make([]int8, n), make([]int8, n)
	} else {
		c.cb, c.cr = c.cb[:n], c.cr[:n]
	}
}

// read takes the colour of a frame.
func (c *chroma) read(img image.Image) {
	b := img.Bounds()
	c.resize((b.Dx()+1)/2, (b.Dy()+1)/2)
	switch img := img.(type) {
	case *image.YCbCr:
		c.readYCbCr(img)
	case *image.RGBA:
		c.readPixels(b, func(x, y int) (r, g, b int32) {
			p := img.Pix[img.PixOffset(x, y):]
			return int32(p[0]), int32(p[1]), int32(p[2])
		})
	case *image.NRGBA:
		c.readPixels(b, func(x, y int) (r, g, b int32) {
			p := img.Pix[img.PixOffset(x, y):]
			return int32(p[0]), int32(p[1]), int32(p[2])
		})
	default:
		c.readPixels(b, func(x, y int) (r, g, b int32) {
			p := color.RGBAModel.Convert(img.At(x, y)).(color.RGBA)
			return int32(p.R), int32(p.G), int32(p.B)
		})
	}
}

func (c *chroma) readYCbCr(img *image.YCbCr) {
	b := img.Rect
	if img.SubsampleRatio == image.YCbCrSubsampleRatio420 && b.Min == (image.Point{}) {
		for y := range c.h {
			cb, cr := img.Cb[y*img.CStride:][:c.w], img.Cr[y*img.CStride:][:c.w]
			outB, outR := c.cb[y*c.w:][:c.w], c.cr[y*c.w:][:c.w]
			for x := range outB {
				outB[x], outR[x] = int8(cb[x]-128), int8(cr[x]-128)
			}
		}
		return
	}
	for y := range c.h {
		for x := range c.w {
			var sb, sr, n int32
			for _, d := range [4][2]int{{0, 0}, {1, 0}, {0, 1}, {1, 1}} {
				px, py := b.Min.X+2*x+d[0], b.Min.Y+2*y+d[1]
				if px >= b.Max.X || py >= b.Max.Y {
					continue
				}
				o := img.COffset(px, py)
				sb, sr, n = sb+int32(img.Cb[o])-128, sr+int32(img.Cr[o])-128, n+1
			}
			c.cb[y*c.w+x], c.cr[y*c.w+x] = int8(sb/n), int8(sr/n)
		}
	}
}

func (c *chroma) readPixels(b image.Rectangle, at func(x, y int) (r, g, b int32)) {
	for y := range c.h {
		for x := range c.w {
			var r, g, bl, n int32
			for _, d := range [4][2]int{{0, 0}, {1, 0}, {0, 1}, {1, 1}} {
				px, py := b.Min.X+2*x+d[0], b.Min.Y+2*y+d[1]
				if px >= b.Max.X || py >= b.Max.Y {
					continue
				}
				pr, pg, pb := at(px, py)
				r, g, bl, n = r+pr, g+pg, bl+pb, n+1
			}
			// JFIF's conversion, in 1/65536, of the mean of the four.
			cb := (-11056*r - 21712*g + 32768*bl) / n
			cr := (32768*r - 27440*g - 5328*bl) / n
			c.cb[y*c.w+x], c.cr[y*c.w+x] = clip8((cb+32768)>>16), clip8((cr+32768)>>16)
		}
	}
}

func clip8(v int32) int8 { return int8(min(max(v, -128), 127)) }

// hue is a direction of colour: how vivid a sample is along it counts, less how far
// beside it lies.
type hue struct {
	table [1 << 16]uint8
	u, v  float64
}

// besideCosts is what a step beside the hue takes from a step along it: a cone of
// some 34° to each side.
const besideCosts = 1.5

func newHue(u, v float64) *hue {
	n := math.Hypot(u, v)
	h := &hue{u: u / n, v: v / n}
	for b := -128; b < 128; b++ {
		for r := -128; r < 128; r++ {
			along := float64(b)*h.u + float64(r)*h.v
			beside := math.Abs(float64(b)*h.v - float64(r)*h.u)
			h.table[int(uint8(b))<<8|int(uint8(r))] = uint8(max(0, min(255, along-besideCosts*beside)))
		}
	}
	return h
}

// hueOf is the direction of a hue of the colour wheel, degrees.
func hueOf(deg float64) *hue {
	var rgb [3]float64
	for i := range rgb {
		k := math.Mod(float64([3]int{5, 3, 1}[i])+deg/60, 6)
		rgb[i] = 1 - max(0, min(k, 4-k, 1))
	}
	_, cb, cr := color.RGBToYCbCr(uint8(255*rgb[0]), uint8(255*rgb[1]), uint8(255*rgb[2]))
	return newHue(float64(cb)-128, float64(cr)-128)
}

// degrees gives the direction back as a hue of the colour wheel: that of the most
// vivid colour along it.
func (h *hue) degrees() float64 {
	best, deg := -2.0, 0.0
	for d := range 360 {
		o := hueOf(float64(d))
		if c := o.u*h.u + o.v*h.v; c > best {
			best, deg = c, float64(d)
		}
	}
	return deg
}

func (h *hue) at(c *chroma, i int) uint8 {
	return h.table[int(uint8(c.cb[i]))<<8|int(uint8(c.cr[i]))]
}

// spot is a patch of one hue that may be a dot. Lengths are px of the picture.
type spot struct {
	Point
	diameter float64 // of the disc of its area
	round    float64 // smaller over larger spread; 1 is a disc
	core     float64 // how vivid it is within
	edge     float64 // how wide its edge is
}

// House values of a spot, in samples of half size.
const (
	minSamples  = 4
	maxDiameter = 24.0
	mostSpots   = 400 // in one frame; with more, the hue is no dot's
)

type run struct{ y, x0, x1, label int }

// finder finds the spots of a frame; it keeps its working memory between frames.
type finder struct {
	runs   []run
	parent []int
	boxes  []box
}

type box struct{ x0, y0, x1, y1, n int }

func (f *finder) root(i int) int {
	for f.parent[i] != i {
		f.parent[i] = f.parent[f.parent[i]]
		i = f.parent[i]
	}
	return i
}

// find gives the spots of a hue that are at least so vivid. ok is false when there
// are far too many patches for dots.
func (f *finder) find(c *chroma, h *hue, vivid uint8) (out []spot, ok bool) {
	f.runs, f.parent = f.runs[:0], f.parent[:0]
	above := 0 // the first run of the row above
	for y := range c.h {
		start := len(f.runs)
		row := y * c.w
		for x := 0; x < c.w; x++ {
			if h.at(c, row+x) < vivid {
				continue
			}
			x0 := x
			for x < c.w && h.at(c, row+x) >= vivid {
				x++
			}
			f.runs = append(f.runs, run{y, x0, x, len(f.parent)})
			f.parent = append(f.parent, len(f.parent))
		}
		f.join(above, start)
		above = start
	}
	f.boxes = f.boxes[:0]
	of := map[int]int{}
	for _, r := range f.runs {
		root := f.root(r.label)
		at, there := of[root]
		if !there {
			at = len(f.boxes)
			of[root] = at
			f.boxes = append(f.boxes, box{r.x0, r.y, r.x1, r.y + 1, 0})
		}
		b := &f.boxes[at]
		b.x0, b.x1, b.y1, b.n = min(b.x0, r.x0), max(b.x1, r.x1), r.y+1, b.n+r.x1-r.x0
	}
	for _, b := range f.boxes {
		if b.n < minSamples {
			continue
		}
		if s, is := measure(c, h, b); is {
			if out = append(out, s); len(out) > mostSpots {
				return nil, false
			}
		}
	}
	return out, true
}

// join unites the runs of a row, from start on, with those they touch in the row
// above, corners too.
func (f *finder) join(above, start int) {
	i := above
	for j := start; j < len(f.runs); j++ {
		r := f.runs[j]
		for i < start && (f.runs[i].y < r.y-1 || f.runs[i].x1 < r.x0) {
			i++
		}
		for k := i; k < start && f.runs[k].x0 <= r.x1; k++ {
			if f.runs[k].y == r.y-1 {
				f.parent[f.root(r.label)] = f.root(f.runs[k].label)
			}
		}
	}
}

// measure weighs a patch against its own surroundings: every sample counts by how
// far it stands out of them, so that the centre is good to a fraction of a pixel.
func measure(c *chroma, h *hue, b box) (spot, bool) {
	w, ht := b.x1-b.x0, b.y1-b.y0
	if float64(max(w, ht)) > 3*maxDiameter || w*ht > 4*b.n {
		return spot{}, false
	}
	const margin = 3
	x0, y0, x1, y1 := max(b.x0-margin, 0), max(b.y0-margin, 0), min(b.x1+margin, c.w), min(b.y1+margin, c.h)
	var rim, inner [256]int
	nRim, nInner := 0, 0
	for y := y0; y < y1; y++ {
		for x := x0; x < x1; x++ {
			v := h.at(c, y*c.w+x)
			if y < b.y0-1 || y > b.y1 || x < b.x0-1 || x > b.x1 {
				rim[v]++
				nRim++
			} else {
				inner[v]++
				nInner++
			}
		}
	}
	floor := float64(quantile(&rim, nRim, 0.7))
	// The core is the upper part of what lies within, less the few brightest.
	core := float64(quantile(&inner, nInner, 1-0.12*float64(b.n)/float64(max(nInner, 1))))
	if core-floor < 12 {
		return spot{}, false
	}
	floor += 0.04 * (core - floor) // a veil over the rim counts for nothing
	// Its soft edge belongs to it, and a neighbour beyond that does not.
	x0, y0, x1, y1 = max(b.x0-2, 0), max(b.y0-2, 0), min(b.x1+2, c.w), min(b.y1+2, c.h)
	var sum, sx, sy, xx, yy, xy float64
	low, high := 0.0, 0.0
	for y := y0; y < y1; y++ {
		for x := x0; x < x1; x++ {
			k := min((float64(h.at(c, y*c.w+x))-floor)/(core-floor), 1)
			if k <= 0 {
				continue
			}
			fx, fy := float64(x-x0), float64(y-y0)
			sum, sx, sy = sum+k, sx+k*fx, sy+k*fy
			xx, yy, xy = xx+k*fx*fx, yy+k*fy*fy, xy+k*fx*fy
			if k > 0.2 {
				low++
			}
			if k > 0.8 {
				high++
			}
		}
	}
	cx, cy := sx/sum, sy/sum
	xx, yy, xy = xx-sum*cx*cx, yy-sum*cy*cy, xy-sum*cx*cy
	mean, diff := (xx+yy)/2, math.Hypot((xx-yy)/2, xy)
	s := spot{Point: Point{float64(x0) + cx, float64(y0) + cy}.full(), diameter: 4 * math.Sqrt(sum/math.Pi), core: core,
		round: math.Sqrt(max(0, mean-diff) / (mean + diff)),
		edge:  2 * (math.Sqrt(low/math.Pi) - math.Sqrt(high/math.Pi))}
	return s, s.diameter <= 2*maxDiameter
}

// quantile of a histogram of n values.
func quantile(hist *[256]int, n int, q float64) int {
	want := int(q * float64(n))
	for v, k := range hist {
		if want -= k; want < 0 {
			return v
		}
	}
	return 255
}

// likeSized keeps the spots whose diameter is like the middle one's.
func likeSized(spots []spot) []spot {
	if len(spots) == 0 {
		return nil
	}
	d := make([]float64, len(spots))
	for i, s := range spots {
		d[i] = s.diameter
	}
	m := median(d)
	return slices.DeleteFunc(slices.Clone(spots), func(s spot) bool { return s.diameter < m*sizeLow || s.diameter > m*sizeHigh })
}

// A dot's diameter lies within these times the middle one's: those on the heel come
// nearer to the camera.
const (
	sizeLow  = 0.62
	sizeHigh = 1.6
)

func median(v []float64) float64 {
	if len(v) == 0 {
		return 0
	}
	s := slices.Clone(v)
	slices.Sort(s)
	if n := len(s); n%2 == 0 {
		return (s[n/2-1] + s[n/2]) / 2
	}
	return s[len(s)/2]
}
