package gait

import (
	"math"
	"slices"
)

// pose is how a patch lies against where it lay in its own picture: px, and radians clockwise on the screen.
type pose struct{ x, y, turn float64 }

// plot is a picture of brightness with parts of a level.
type plot struct {
	w, h int
	v    []float32
}

func newPlot(w, h int) *plot { return &plot{w, h, make([]float32, w*h)} }

// at is the brightness between pixels; beyond the border that of the border.
func (p *plot) at(x, y float64) float32 {
	x, y = min(max(x, 0), float64(p.w-1)-1e-6), min(max(y, 0), float64(p.h-1)-1e-6)
	i, j := int(x), int(y)
	u, v := float32(x-float64(i)), float32(y-float64(j))
	k := j*p.w + i
	a := p.v[k] + u*(p.v[k+1]-p.v[k])
	b := p.v[k+p.w] + u*(p.v[k+p.w+1]-p.v[k+p.w])
	return a + v*(b-a)
}

// half is the picture at half its size.
func (p *plot) half() *plot {
	out := newPlot(max(2, p.w/2), max(2, p.h/2))
	for y := range out.h {
		for x := range out.w {
			k := min(2*y, p.h-2)*p.w + min(2*x, p.w-2)
			out.v[y*out.w+x] = (p.v[k] + p.v[k+1] + p.v[k+p.w] + p.v[k+p.w+1]) / 4
		}
	}
	return out
}

// rigid is a piece of a picture that is found again in others, moved and turned but not changed: with weights, since
// what lies beside a leg changes and the leg does not.
type rigid struct {
	x0, y0, w, h int // in its own picture
	look         *plot
	weight       []float32
	gx, gy       []float32
	solve        [9]float64 // inverse of the normal matrix
	hold         float64    // how much it is held against moving along itself
	enough       float64    // px by which a pose may still move when it is taken
	sd           float64
	coarse       *rigid
}

// House values of finding a patch again.
const (
	mostTurns  = 14   // of the search for a pose
	settled    = 0.01 // px and, at its rim, of turning
	nearly     = 0.05 // that much will do to go on from
	leastPiece = 12   // px, across
	strayFrom  = 2.0  // of its contrast, by which a place may be off before it counts less: to begin with
	strayLess  = 0.7  // of that from turn to turn of the search
	strayTo    = 0.5  // at the end
	mostMore   = 2.5  // times a step is longer where little of the patch counts
	faintSD    = 12.0 // of brightness: a patch of less contrast is not asked to be more alike
)

// middle is the place about which a patch turns.
func (r *rigid) middle() (float64, float64) { return float64(r.w-1) / 2, float64(r.h-1) / 2 }

// newRigid cuts a patch from a picture. weight may be nil.
func newRigid(from *plot, x0, y0, w, h int, weight []float32, hold float64, coarse bool) *rigid {
	r := &rigid{x0: x0, y0: y0, w: w, h: h, look: newPlot(w, h), weight: weight, hold: hold, enough: settled}
	for y := range h {
		for x := range w {
			r.look.v[y*w+x] = from.at(float64(x0+x), float64(y0+y))
		}
	}
	if r.weight == nil {
		r.weight = make([]float32, w*h)
		cx, cy := r.middle()
		for y := range h {
			for x := range w {
				u, v := (float64(x)-cx)/float64(w)*2, (float64(y)-cy)/float64(h)*2
				r.weight[y*w+x] = float32(max(0.02, (1-u*u*u*u)*(1-v*v*v*v)))
			}
		}
	}
	r.ready()
	if coarse && w >= 2*leastPiece && h >= 2*leastPiece {
		small := from.half()
		weights := make([]float32, (w/2)*(h/2))
		for y := range h / 2 {
			for x := range w / 2 {
				weights[y*(w/2)+x] = r.weight[2*y*w+2*x]
			}
		}
		r.coarse = newRigid(small, x0/2, y0/2, w/2, h/2, weights, hold, false)
		r.coarse.enough = nearly
	}
	return r
}

// weigh gives every place the weight that a picture of weights has there.
func (r *rigid) weigh(by *plot) {
	for y := range r.h {
		for x := range r.w {
			r.weight[y*r.w+x] *= by.at(float64(r.x0+x), float64(r.y0+y))
		}
	}
	r.ready()
	if r.coarse != nil {
		r.coarse.weigh(by.half())
	}
}

// ready works out what does not change from picture to picture.
func (r *rigid) ready() {
	n := r.w * r.h
	r.gx, r.gy = make([]float32, n), make([]float32, n)
	sum, of, square := 0.0, 0.0, 0.0
	for k, v := range r.look.v {
		w := float64(r.weight[k])
		sum, of, square = sum+w*float64(v), of+w, square+w*float64(v)*float64(v)
	}
	mean := sum / of
	r.sd = math.Sqrt(max(1e-6, square/of-mean*mean))
	cx, cy := r.middle()
	var m [6]float64
	for y := range r.h {
		for x := range r.w {
			k := y*r.w + x
			l, t := max(0, x-1), max(0, y-1)
			rr, b := min(r.w-1, x+1), min(r.h-1, y+1)
			gx := (r.look.v[y*r.w+rr] - r.look.v[y*r.w+l]) / float32(max(1, rr-l))
			gy := (r.look.v[b*r.w+x] - r.look.v[t*r.w+x]) / float32(max(1, b-t))
			r.gx[k], r.gy[k] = gx, gy
			w := float64(r.weight[k])
			fx, fy := float64(gx), float64(gy)
			ft := -fx*(float64(y)-cy) + fy*(float64(x)-cx)
			m[0] += w * fx * fx
			m[1] += w * fx * fy
			m[2] += w * fx * ft
			m[3] += w * fy * fy
			m[4] += w * fy * ft
			m[5] += w * ft * ft
		}
	}
	m[3] += r.hold * (m[0] + m[3]) // nothing on a leg says how far along it lies
	rim := float64(r.w*r.w+r.h*r.h) / 12
	m[0], m[3], m[5] = m[0]*1.001+1e-3, m[3]*1.001+1e-3, m[5]*1.001+1e-3*rim
	r.solve = inverse(m)
}

// inverse of a symmetric matrix of three rows, of which m is the upper half, row by row.
func inverse(m [6]float64) [9]float64 {
	a, b, c, d, e, f := m[0], m[1], m[2], m[3], m[4], m[5]
	det := a*(d*f-e*e) - b*(b*f-c*e) + c*(b*e-c*d)
	return [9]float64{(d*f - e*e) / det, (c*e - b*f) / det, (b*e - c*d) / det,
		(c*e - b*f) / det, (a*f - c*c) / det, (b*c - a*e) / det,
		(b*e - c*d) / det, (b*c - a*e) / det, (a*d - b*b) / det}
}

// seen gives the picture under the patch as a pose has it.
func (r *rigid) seen(in *plot, p pose, out []float32) {
	sin, cos := math.Sincos(p.turn)
	cx, cy := r.middle()
	across := float64(r.w - 1)
	for y := range r.h {
		v := float64(y) - cy
		x, yy := float64(r.x0)+cx+p.x-cx*cos-v*sin, float64(r.y0)+cy+p.y-cx*sin+v*cos
		row := out[y*r.w : (y+1)*r.w]
		// A row that lies within the picture by both its ends needs no look at the border.
		if min(x, x+across*cos) < 0 || max(x, x+across*cos) >= float64(in.w-1) || min(yy, yy+across*sin) < 0 ||
			max(yy, yy+across*sin) >= float64(in.h-1) {
			for k := range row {
				row[k] = in.at(x, yy)
				x, yy = x+cos, yy+sin
			}
			continue
		}
		for k := range row {
			i, j := int(x), int(yy)
			u, f := float32(x-float64(i)), float32(yy-float64(j))
			at := j*in.w + i
			a, b := in.v[at:at+2:at+2], in.v[at+in.w:at+in.w+2:at+in.w+2]
			top := a[0] + u*(a[1]-a[0])
			row[k] = top + f*(b[0]+u*(b[1]-b[0])-top)
			x, yy = x+cos, yy+sin
		}
	}
}

// find looks for the patch from a pose on. unlike is how much what it finds differs from it, in multiples of its
// own contrast: 0 is the same, 1 nothing like it; seen is the share of it that is like it. small is the picture at half
// its size, or nil.
func (r *rigid) find(in, small *plot, from pose) (p pose, unlike, seen float64) {
	p = from
	if r.coarse != nil && small != nil {
		q, _, _ := r.coarse.find(small, nil, pose{p.x / 2, p.y / 2, p.turn})
		if math.Hypot(2*q.x-p.x, 2*q.y-p.y) < float64(r.w) && math.Abs(q.turn-p.turn) < 0.3 {
			p = pose{2 * q.x, 2 * q.y, q.turn}
		}
	}
	got, counts := make([]float32, r.w*r.h), slices.Clone(r.weight)
	cx, cy := r.middle()
	rim := 0.5 * math.Hypot(float64(r.w), float64(r.h))
	within, least := strayFrom*max(faintSD, r.sd), strayTo*max(faintSD, r.sd)
	if small == nil { // far from its place all of it may be off
		least = within
	}
	for range mostTurns {
		r.seen(in, p, got)
		gain, bias := r.light(got, counts)
		within = max(within*strayLess, least)
		g, o, per := float32(gain), float32(bias), float32(1/(within*within))
		var ex, ey, et, all, left float64
		for y := range r.h {
			row := got[y*r.w : (y+1)*r.w]
			look, weight, count := r.look.v[y*r.w:][:len(row)], r.weight[y*r.w:][:len(row)], counts[y*r.w:][:len(row)]
			slopeX, slopeY := r.gx[y*r.w:][:len(row)], r.gy[y*r.w:][:len(row)]
			var rx, ry, rt, ra, rl float32
			u := -float32(cx)
			for x, is := range row {
				// What passes before the leg, or beside it, is no part of it: the less like the patch, the less it counts.
				d := is*g + o - look[x]
				k := 1 / (1 + d*d*per)
				k *= weight[x] * k
				count[x] = k
				d *= k
				dy := d * slopeY[x]
				rx, ry, rt = rx+d*slopeX[x], ry+dy, rt+dy*u
				ra, rl = ra+weight[x], rl+k
				u++
			}
			ex, ey, et = ex+float64(rx), ey+float64(ry), et+float64(rt)-float64(rx)*(float64(y)-cy)
			all, left = all+float64(ra), left+float64(rl)
		}
		s := &r.solve
		seen = left / all
		more := min(mostMore, 1/max(1e-9, seen))
		ex, ey, et = more*ex, more*ey, more*et
		dx, dy, dt := s[0]*ex+s[1]*ey+s[2]*et, s[3]*ex+s[4]*ey+s[5]*et, s[6]*ex+s[7]*ey+s[8]*et
		// Turn the step as the patch lies, and take it back.
		sin, cos := math.Sincos(p.turn)
		p = pose{p.x - (cos*dx - sin*dy), p.y - (sin*dx + cos*dy), p.turn - dt}
		moves := math.Abs(dx) + math.Abs(dt)*rim
		if r.hold == 0 { // what is held creeps along itself for long, and nobody asks how far
			moves += math.Abs(dy)
		}
		if moves < r.enough {
			break
		}
	}
	r.seen(in, p, got)
	return p, r.unlike(got, counts), seen
}

// light is the scale and shift that bring what was seen to the patch's own light, by what counts of it.
func (r *rigid) light(got, counts []float32) (gain, bias float64) {
	var sum, of, square, own, ownSquare float64
	for y := range r.h {
		row, count, looks := got[y*r.w:(y+1)*r.w], counts[y*r.w:(y+1)*r.w], r.look.v[y*r.w:(y+1)*r.w]
		var s, n, q, e, f float32
		for k, is := range row {
			w, look := count[k], looks[k]
			wi, wl := w*is, w*look
			s, n, q, e, f = s+wi, n+w, q+wi*is, e+wl, f+wl*look
		}
		sum, of, square = sum+float64(s), of+float64(n), square+float64(q)
		own, ownSquare = own+float64(e), ownSquare+float64(f)
	}
	mean := sum / of
	own /= of
	gain = min(2, max(0.5, math.Sqrt(max(1e-6, ownSquare/of-own*own)/max(1, square/of-mean*mean))))
	return gain, own - gain*mean
}

func (r *rigid) unlike(got, counts []float32) float64 {
	gain, bias := r.light(got, counts)
	sum, of := 0.0, 0.0
	for k, v := range got {
		w := float64(r.weight[k])
		d := float64(v)*gain + bias - float64(r.look.v[k])
		sum, of = sum+w*d*d, of+w
	}
	return math.Sqrt(sum/of) / max(faintSD, r.sd)
}
