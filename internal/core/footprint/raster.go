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

// fromYCbCr averages a JPEG's own planes and turns each block's mean into colours:
// the same as turning each pixel, and much less work.
func (c *channels) fromYCbCr(p *image.YCbCr, by int) {
	b := p.Bounds()
	for y := range c[0].h {
		for x := range c[0].w {
			var l, cb, cr int
			for dy := range by {
				py := b.Min.Y + y*by + dy
				at := p.YOffset(b.Min.X+x*by, py)
				for _, v := range p.Y[at : at+by] {
					l += int(v)
				}
				// Colour is coarse in a JPEG: one sample a row of the block is enough.
				ci := p.COffset(b.Min.X+x*by+by/2, py)
				cb += int(p.Cb[ci])
				cr += int(p.Cr[ci])
			}
			fl, fb, fr := float32(l)/float32(by*by), float32(cb)/float32(by)-128, float32(cr)/float32(by)-128
			i := y*c[0].w + x
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
		for x := range in.w {
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

// pieces labels a mask's connected parts (eight neighbours); labels begin at 1.
func pieces(m *mask) ([]int32, []piece) {
	labels := make([]int32, len(m.on))
	var out []piece
	var stack []int32
	for start, on := range m.on {
		if !on || labels[start] != 0 {
			continue
		}
		label := int32(len(out) + 1)
		p := piece{label: int(label), x0: m.w, y0: m.h, x1: -1, y1: -1}
		var sx, sy, sxx, sxy, syy float64
		stack = append(stack[:0], int32(start))
		labels[start] = label
		for len(stack) > 0 {
			i := int(stack[len(stack)-1])
			stack = stack[:len(stack)-1]
			x, y := i%m.w, i/m.w
			p.area++
			fx, fy := float64(x), float64(y)
			sx, sy, sxx, sxy, syy = sx+fx, sy+fy, sxx+fx*fx, sxy+fx*fy, syy+fy*fy
			p.x0, p.y0, p.x1, p.y1 = min(p.x0, x), min(p.y0, y), max(p.x1, x), max(p.y1, y)
			for ny := max(0, y-1); ny <= min(m.h-1, y+1); ny++ {
				for j := ny*m.w + max(0, x-1); j <= ny*m.w+min(m.w-1, x+1); j++ {
					if m.on[j] && labels[j] == 0 {
						labels[j] = label
						stack = append(stack, int32(j))
					}
				}
			}
		}
		n := float64(p.area)
		p.cx, p.cy = sx/n, sy/n
		p.xx, p.xy, p.yy = sxx/n-p.cx*p.cx, sxy/n-p.cx*p.cy, syy/n-p.cy*p.cy
		out = append(out, p)
	}
	return labels, out
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
	columns := make([]float64, m.w*m.h)
	for x := range m.w {
		f[0], f[m.h+1] = outside, outside
		for y := range m.h {
			f[y+1] = 0
			if m.on[y*m.w+x] {
				f[y+1] = far
			}
		}
		pass(m.h + 2)
		for y := range m.h {
			columns[y*m.w+x] = min(far, out[y+1])
		}
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

// opened is the mask after an opening by a disc of radius r pixels.
func opened(m *mask, r float64) *mask {
	core := newMask(m.w, m.h)
	for i, v := range distance(m, true).v {
		core.on[i] = float64(v) > r
	}
	out := newMask(m.w, m.h)
	for i, v := range distance(not(core), false).v {
		out.on[i] = m.on[i] && float64(v) <= r
	}
	return out
}

// fillHoles closes holes of up to area px in a mask: a dry spot is still contact.
func fillHoles(m *mask, area float64) {
	labels, all := pieces(not(m))
	small := make([]bool, len(all)+1)
	for _, p := range all {
		small[p.label] = float64(p.area) <= area && p.x0 > 0 && p.y0 > 0 && p.x1 < m.w-1 && p.y1 < m.h-1
	}
	for i, l := range labels {
		if l > 0 && small[l] {
			m.on[i] = true
		}
	}
}
