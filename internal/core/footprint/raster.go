package footprint

import (
	"image"
	"image/color"
	"math"
)

// raster is brightness or any other value on a grid, row by row.
type raster struct {
	w, h int
	v    []float32
}

func newRaster(w, h int) *raster { return &raster{w, h, make([]float32, w*h)} }

func (r *raster) at(x, y int) float32 { return r.v[y*r.w+x] }

// sample is the bilinear value at a point; outside it is the nearest edge's.
func (r *raster) sample(x, y float64) float32 {
	x = min(float64(r.w-1), max(0, x))
	y = min(float64(r.h-1), max(0, y))
	x0, y0 := int(x), int(y)
	x1, y1 := min(x0+1, r.w-1), min(y0+1, r.h-1)
	fx, fy := float32(x-float64(x0)), float32(y-float64(y0))
	top := r.at(x0, y0)*(1-fx) + r.at(x1, y0)*fx
	bottom := r.at(x0, y1)*(1-fx) + r.at(x1, y1)*fx
	return top*(1-fy) + bottom*fy
}

// channels of a picture, linear in what the file holds, 0 to 255: brightness, red,
// green, blue.
type channels [4]*raster

// load reads a picture into channels, averaged over blocks of by × by pixels.
// Transparent parts are laid on white.
func load(img image.Image, by int) channels {
	b := img.Bounds()
	w, h := max(1, b.Dx()/by), max(1, b.Dy()/by)
	var c channels
	for i := range c {
		c[i] = newRaster(w, h)
	}
	if p, ok := img.(*image.YCbCr); ok {
		c.fromYCbCr(p, by)
		return c
	}
	row := reader(img)
	sums := make([][3]float32, w)
	line := make([][3]float32, b.Dx())
	n := float32(by * by)
	for y := range h {
		clear(sums)
		for dy := range by {
			row(b.Min.Y+y*by+dy, line)
			for x := range w {
				s := &sums[x]
				for _, p := range line[x*by : x*by+by] {
					s[0] += p[0]
					s[1] += p[1]
					s[2] += p[2]
				}
			}
		}
		for x, s := range sums {
			r, g, bl := s[0]/n, s[1]/n, s[2]/n
			i := y*w + x
			c[0].v[i], c[1].v[i], c[2].v[i], c[3].v[i] = 0.299*r+0.587*g+0.114*bl, r, g, bl
		}
	}
	return c
}

// oriented turns the channels as an EXIF orientation (1 to 8) asks.
func (c channels) oriented(o int) channels {
	if o <= 1 {
		return c
	}
	var out channels
	for i, r := range c {
		w, h := r.w, r.h
		if o >= 5 {
			w, h = h, w
		}
		t := newRaster(w, h)
		for y := range h {
			for x := range w {
				sx, sy := x, y
				if o >= 5 {
					sx, sy = y, x
				}
				switch o {
				case 2, 7, 8:
					sx = r.w - 1 - sx
				case 3:
					sx, sy = r.w-1-sx, r.h-1-sy
				case 4:
					sy = r.h - 1 - sy
				}
				if o == 6 || o == 7 {
					sy = r.h - 1 - sy
				}
				t.v[y*w+x] = r.at(sx, sy)
			}
		}
		out[i] = t
	}
	return out
}

// fromYCbCr averages a JPEG's own planes and turns each block's mean into colours: the same as turning each pixel,
// and much less work. Colour is coarse in a JPEG: one sample a block is enough.
func (c *channels) fromYCbCr(p *image.YCbCr, by int) {
	b := p.Bounds()
	w := c[0].w
	light := make([]int, w)
	half := 0 // how often pixels across that share a colour are halved
	switch p.SubsampleRatio {
	case image.YCbCrSubsampleRatio422, image.YCbCrSubsampleRatio420:
		half = 1
	case image.YCbCrSubsampleRatio411, image.YCbCrSubsampleRatio410:
		half = 2
	}
	of := 1 / float32(by*by)
	for y := range c[0].h {
		clear(light)
		for dy := range by {
			at := p.YOffset(b.Min.X, b.Min.Y+y*by+dy)
			row := p.Y[at : at+w*by]
			for x := range light {
				for _, v := range row[:by] {
					light[x] += int(v)
				}
				row = row[by:]
			}
		}
		base := p.COffset(b.Min.X, b.Min.Y+y*by+by/2) - b.Min.X>>half
		for x, l := range light {
			ci := base + (b.Min.X+x*by+by/2)>>half
			fl, fb, fr := float32(l)*of, float32(p.Cb[ci])-128, float32(p.Cr[ci])-128
			i := y*w + x
			c[0].v[i], c[1].v[i], c[2].v[i], c[3].v[i] = fl, fl+1.402*fr, fl-0.344136*fb-0.714136*fr, fl+1.772*fb
		}
	}
}

// reader gives a function that reads a row of a picture as red, green and blue,
// fast for the kinds that files decode to.
func reader(img image.Image) func(y int, into [][3]float32) {
	b := img.Bounds()
	switch p := img.(type) {
	case *image.Gray:
		return func(y int, into [][3]float32) {
			at := p.PixOffset(b.Min.X, y)
			for x := range into {
				v := float32(p.Pix[at+x])
				into[x] = [3]float32{v, v, v}
			}
		}
	case *image.NRGBA:
		return func(y int, into [][3]float32) {
			at := p.PixOffset(b.Min.X, y)
			for x := range into {
				q := p.Pix[at+4*x : at+4*x+4]
				a := float32(q[3]) / 255
				w := 255 * (1 - a)
				into[x] = [3]float32{float32(q[0])*a + w, float32(q[1])*a + w, float32(q[2])*a + w}
			}
		}
	case *image.RGBA:
		return func(y int, into [][3]float32) {
			at := p.PixOffset(b.Min.X, y)
			for x := range into {
				q := p.Pix[at+4*x : at+4*x+4]
				w := 255 - float32(q[3])
				into[x] = [3]float32{float32(q[0]) + w, float32(q[1]) + w, float32(q[2]) + w}
			}
		}
	}
	return func(y int, into [][3]float32) {
		for x := range into {
			c := color.NRGBA64Model.Convert(img.At(b.Min.X+x, y)).(color.NRGBA64)
			a := float32(c.A) / 65535
			w := 255 * (1 - a)
			into[x] = [3]float32{float32(c.R)/257*a + w, float32(c.G)/257*a + w, float32(c.B)/257*a + w}
		}
	}
}

// blur is a box blur of radius r pixels, twice: near a bell.
func blur(in *raster, r int) *raster {
	if r < 1 {
		return in
	}
	out := in
	for range 2 {
		out = boxRows(boxRows(out, r), r)
	}
	return out
}

// boxRows averages along rows and turns the picture over its diagonal, so that two
// of them are a box blur.
func boxRows(in *raster, r int) *raster {
	out := newRaster(in.h, in.w)
	inv := 1 / float32(2*r+1)
	for y := range in.h {
		row := in.v[y*in.w : (y+1)*in.w]
		clampAt := func(x int) float32 { return row[min(in.w-1, max(0, x))] }
		sum := float32(0)
		for x := -r; x <= r; x++ {
			sum += clampAt(x)
		}
		for x := 0; x < in.w; x++ {
			if x >= r && x+r+1 < in.w { // none of it lies beyond the border
				ahead, behind := row[x+r+1:], row[x-r:]
				at := x*in.h + y
				for k, v := range ahead {
					out.v[at] = sum * inv
					sum += v - behind[k]
					at += in.h
				}
				x += len(ahead) - 1
				continue
			}
			out.v[x*in.h+y] = sum * inv
			sum += clampAt(x+r+1) - clampAt(x-r)
		}
	}
	return out
}

// mask is a set of pixels.
type mask struct {
	w, h int
	on   []bool
}

func newMask(w, h int) *mask { return &mask{w, h, make([]bool, w*h)} }

func (m *mask) get(x, y int) bool {
	return x >= 0 && y >= 0 && x < m.w && y < m.h && m.on[y*m.w+x]
}

// piece is one connected part of a mask.
type piece struct {
	label      int
	area       int
	cx, cy     float64
	x0, y0     int
	x1, y1     int
	xx, xy, yy float64 // central second moments, px²
}

// run is a stretch of a row that is on.
type run struct{ y, from, to, parent int } // to is the first pixel past it

// pieces labels a mask's connected parts (eight neighbours); labels begin at 1, in the order of their first pixels.
// It joins stretches of rows, so that it reads the picture twice and in order.
func pieces(m *mask) ([]int32, []piece) {
	var runs []run
	root := func(i int) int {
		for runs[i].parent != i {
			runs[i].parent = runs[runs[i].parent].parent
			i = runs[i].parent
		}
		return i
	}
	above, here := 0, 0 // where the runs of the row before, and of this one, begin
	for y := range m.h {
		above, here = here, len(runs)
		row := m.on[y*m.w : (y+1)*m.w]
		k := above
		for x := 0; x < len(row); x++ {
			if !row[x] {
				continue
			}
			from := x
			for x < len(row) && row[x] {
				x++
			}
			n := len(runs)
			runs = append(runs, run{y, from, x, n})
			for k < here && runs[k].to < from {
				k++
			}
			for j := k; j < here && runs[j].from <= x; j++ {
				// The earlier is the parent, so that a part's root is its first stretch.
				if p, q := root(j), root(n); p < q {
					runs[q].parent = p
				} else {
					runs[p].parent = q
				}
			}
		}
	}
	labels := make([]int32, len(m.on))
	at := make([]int32, len(runs))
	var out []piece
	type sums struct{ x, y, xx, xy, yy float64 }
	var sum []sums
	for i, r := range runs {
		top := root(i)
		if top == i {
			at[i] = int32(len(out) + 1)
			out = append(out, piece{label: len(out) + 1, x0: m.w, y0: m.h, x1: -1, y1: -1})
			sum = append(sum, sums{})
		}
		label := at[top]
		p, s := &out[label-1], &sum[label-1]
		n, first, last, fy := float64(r.to-r.from), float64(r.from), float64(r.to-1), float64(r.y)
		sx := n * (first + last) / 2
		p.area += r.to - r.from
		s.x, s.y, s.xy, s.yy = s.x+sx, s.y+n*fy, s.xy+sx*fy, s.yy+n*fy*fy
		s.xx += (last*(last+1)*(2*last+1) - (first-1)*first*(2*first-1)) / 6
		p.x0, p.y0, p.x1, p.y1 = min(p.x0, r.from), min(p.y0, r.y), max(p.x1, r.to-1), max(p.y1, r.y)
		line := labels[r.y*m.w+r.from : r.y*m.w+r.to]
		for k := range line {
			line[k] = label
		}
	}
	for i := range out {
		p, s := &out[i], sum[i]
		n := float64(p.area)
		p.cx, p.cy = s.x/n, s.y/n
		p.xx, p.xy, p.yy = s.xx/n-p.cx*p.cx, s.xy/n-p.cx*p.cy, s.yy/n-p.cy*p.cy
	}
	return labels, out
}

// of is a piece by itself, in its own corner of the picture, which is so wide.
func (p piece) of(labels []int32, wide int) *mask {
	m := newMask(p.x1-p.x0+1, p.y1-p.y0+1)
	for y := range m.h {
		for x := range m.w {
			m.on[y*m.w+x] = int(labels[(y+p.y0)*wide+x+p.x0]) == p.label
		}
	}
	return m
}

// distance is each pixel's distance in pixels to the nearest pixel that is off;
// beyond the picture's edge counts as off when edge is set. The exact transform of
// Felzenszwalb and Huttenlocher.
func distance(m *mask, edge bool) *raster {
	const far = 1e12
	outside := far
	if edge {
		outside = 0
	}
	d := newRaster(m.w, m.h)
	n := max(m.w, m.h) + 2
	f, out := make([]float64, n), make([]float64, n)
	v, z := make([]int, n), make([]float64, n+1)
	pass := func(n int) {
		k := 0
		v[0], z[0], z[1] = 0, math.Inf(-1), math.Inf(1)
		for q := 1; q < n; q++ {
			for {
				s := ((f[q] + float64(q*q)) - (f[v[k]] + float64(v[k]*v[k]))) / float64(2*q-2*v[k])
				if s > z[k] {
					k++
					v[k], z[k], z[k+1] = q, s, math.Inf(1)
					break
				}
				k--
			}
		}
		k = 0
		for q := range n {
			for z[k+1] < float64(q) {
				k++
			}
			d := float64(q - v[k])
			out[q] = d*d + f[v[k]]
		}
	}
	// Down and up the columns first: there the nearest is told by counting.
	columns := make([]float64, m.w*m.h)
	beyond := math.Sqrt(outside)
	step := func(y, from int) {
		for x := range m.w {
			i, near := y*m.w+x, beyond
			if from >= 0 && from < m.h {
				near = columns[from*m.w+x]
			}
			switch {
			case !m.on[i]:
				columns[i] = 0
			case from < y:
				columns[i] = near + 1
			default:
				columns[i] = min(columns[i], near+1)
			}
		}
	}
	for y := range m.h {
		step(y, y-1)
	}
	for y := m.h - 1; y >= 0; y-- {
		step(y, y+1)
	}
	for i, c := range columns {
		columns[i] = min(far, c*c)
	}
	for y := range m.h {
		f[0], f[m.w+1] = outside, outside
		copy(f[1:], columns[y*m.w:(y+1)*m.w])
		pass(m.w + 2)
		for x := range m.w {
			d.v[y*m.w+x] = float32(math.Sqrt(min(far, out[x+1])))
		}
	}
	return d
}

// not is every pixel that is off.
func not(m *mask) *mask {
	out := newMask(m.w, m.h)
	for i, on := range m.on {
		out.on[i] = !on
	}
	return out
}

// reached is what of a mask a disc of r px reaches that lies wholly in it, by how deep each pixel lies.
func (m *mask) reached(depth *raster, r float64) *mask {
	core := newMask(m.w, m.h)
	for i, v := range depth.v {
		core.on[i] = float64(v) > r
	}
	out := newMask(m.w, m.h)
	for i, v := range distance(not(core), false).v {
		out.on[i] = m.on[i] && float64(v) <= r
	}
	return out
}

// closeLines closes gaps of at most so many pixels along a row or a column.
func (m *mask) closeLines(most int) {
	above := make([]int, m.w) // the last row in which a column was on
	for x := range above {
		above[x] = -most - 2
	}
	var gaps []int
	for y := range m.h {
		left := -most - 2
		for x, on := range m.on[y*m.w : (y+1)*m.w] {
			if !on {
				continue
			}
			if gap := x - left - 1; gap > 0 && gap <= most {
				for k := left + 1; k < x; k++ {
					gaps = append(gaps, y*m.w+k)
				}
			}
			if gap := y - above[x] - 1; gap > 0 && gap <= most {
				for k := above[x] + 1; k < y; k++ {
					gaps = append(gaps, k*m.w+x)
				}
			}
			left, above[x] = x, y
		}
	}
	for _, i := range gaps {
		m.on[i] = true
	}
}

// fillHoles closes holes of up to area px in a mask, and gives them: a dry spot is still contact.
func fillHoles(m *mask, area float64) (holes []piece) {
	labels, all := pieces(not(m))
	small := make([]bool, len(all)+1)
	for _, p := range all {
		if float64(p.area) <= area && p.x0 > 0 && p.y0 > 0 && p.x1 < m.w-1 && p.y1 < m.h-1 {
			small[p.label] = true
			holes = append(holes, p)
		}
	}
	for i, l := range labels {
		if l > 0 && small[l] {
			m.on[i] = true
		}
	}
	return holes
}
