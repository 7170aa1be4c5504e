package footprint_test

import (
	"image"
	"math"
	"math/rand/v2"

	"trevik/internal/core/term"
	"trevik/internal/device"
)

// oval with half-axes a, b turned by angle.
type oval struct{ x, y, a, b, turn float64 }

// inside is below 0 within the oval, near the distance to it in mm.
func (e oval) inside(x, y float64) float64 {
	return -inEllipse(x, y, [5]float64{e.x, e.y, e.a, e.b, e.turn})
}

// roundFoot is the first maker of prints: a foot of ovals. Lengths in mm.
type roundFoot struct {
	Side     term.Side
	Body     float64 // length without toes
	Ball     float64 // width
	Heel     float64 // width
	Isthmus  float64 // width of the arch's band; 0 leaves heel and ball apart
	Toes     bool
	Joined   int // how many toes touch the ball
	toes     [5]oval
	necks    [][3]oval
	heelC    oval
	ballC    oval
	band     [2]oval
	hasBand  bool
	secondAt [2]float64
}

// randomRoundFoot invents a foot whose parts hang together.
func randomRoundFoot(r *rand.Rand) roundFoot {
	f := roundFoot{Side: term.Sides[r.IntN(2)], Body: 188 + 38*r.Float64(), Toes: true}
	f.Ball = f.Body * (0.40 + 0.05*r.Float64())
	f.Heel = f.Ball * (0.60 + 0.08*r.Float64())
	f.Isthmus = f.Ball * (0.12 + 0.52*r.Float64())
	if r.Float64() < 0.08 {
		f.Isthmus = 0
	}
	if r.Float64() < 0.35 {
		f.Joined = 1 + r.IntN(3)
	}
	f.shape(r)
	return f
}

// shape lays the foot out: heel at the origin's end, y towards the toes, x towards
// the inner side.
func (f *roundFoot) shape(r *rand.Rand) {
	b, h := f.Ball, f.Heel
	f.heelC = oval{0, h * 0.56, h / 2, h * 0.56, 0}
	by := 0.30 * f.Body
	f.ballC = oval{b * (0.02 + 0.05*r.Float64()), f.Body - by*0.78, b / 2, by * 0.72, -0.16 - 0.1*r.Float64()}
	f.hasBand = f.Isthmus > 0
	if f.hasBand {
		w := f.Isthmus / 2
		lateral := -h*0.44 + 0.02*b
		f.band[0] = oval{lateral + w, f.Body * 0.40, w, f.Body * 0.33, 0.03}
		f.band[1] = oval{lateral + w - 2, f.Body * 0.50, w, f.Body * 0.25, 0.05}
	}
	front := f.ballC.y + f.ballC.b*0.93
	size := b / 95
	lateral := []float64{0.33, 0.09, -0.10, -0.27, -0.41}
	ahead := []float64{15, 17, 12.5, 6, -2}
	wide := []float64{11, 6.2, 5.8, 5.4, 5.2}
	long := []float64{14, 8, 7, 6.4, 5.8}
	for i := range 5 {
		x := b*lateral[i] + 1.5*(r.Float64()-0.5)
		y := front + size*(ahead[i]+2.5*(r.Float64()-0.5)+1)
		f.toes[i] = oval{x, y, wide[i] * size, long[i] * size, 0.05 * float64(2-i)}
	}
	for i := range f.Joined {
		t := f.toes[i]
		w := (2.2 + 1.6*r.Float64()) * size
		f.necks = append(f.necks, [3]oval{{t.x, t.y - t.b*0.9, w, t.b * 0.9, 0}, {t.x, t.y - t.b*1.6, w, t.b * 0.9, 0},
			{t.x, t.y - t.b*2.2, w, t.b, 0}})
	}
	second := f.toes[1]
	dx, dy := second.x-f.heelC.x, second.y-f.heelC.y
	n := math.Hypot(dx, dy)
	// The tip: the toe's farthest place along the axis.
	u := math.Hypot(second.a*dx/n, second.b*dy/n)
	f.secondAt = [2]float64{second.x + second.a*second.a*dx/n/u, second.y + second.b*second.b*dy/n/u}
}

// body is below 0 inside the print without toes.
func (f *roundFoot) body(x, y float64) float64 {
	d := min(f.heelC.inside(x, y), f.ballC.inside(x, y))
	if f.hasBand {
		d = blend(d, min(f.band[0].inside(x, y), f.band[1].inside(x, y)), 6)
	}
	return d
}

// blend joins two shapes with a soft corner of k mm.
func blend(a, b, k float64) float64 {
	h := max(k-math.Abs(a-b), 0) / k
	return min(a, b) - h*h*k/4
}

// toeOf is below 0 inside a toe or the neck that joins it.
func (f *roundFoot) toeOf(x, y float64) float64 {
	d := math.Inf(1)
	if !f.Toes {
		return d
	}
	for _, t := range f.toes {
		d = min(d, t.inside(x, y))
	}
	for _, n := range f.necks {
		for _, e := range n {
			d = min(d, e.inside(x, y))
		}
	}
	return d
}

// Truth measures the foot's own shape on a fine grid, by the reader's definitions.
func (f *roundFoot) Truth() device.PrintTruth {
	const step = 0.5
	dx, dy := f.secondAt[0]-f.heelC.x, f.secondAt[1]-f.heelC.y
	n := math.Hypot(dx, dy)
	ax, ay := dx/n, dy/n
	type cell struct{ t, share float64 }
	var cells []cell
	lo, hi, front := math.Inf(1), math.Inf(-1), math.Inf(-1)
	for y := -5.0; y < f.Body+60; y += step {
		for x := -0.62 * f.Ball; x < 0.62*f.Ball; x += step {
			t := (x-f.heelC.x)*ax + (y-f.heelC.y)*ay
			if d := f.body(x, y); d < step/2 {
				cells = append(cells, cell{t, min(1, 0.5-d/step)})
				if d < 0 {
					lo, hi = min(lo, t), max(hi, t)
				}
			} else if f.toeOf(x, y) < 0 {
				front = max(front, t)
			}
		}
	}
	lo, hi, front = lo-step/2, hi+step/2, front+step/2
	third := (hi - lo) / 3
	area := [3]float64{}
	width := make([]float64, int((hi-lo)/1)+2)
	for _, c := range cells {
		area[min(2, max(0, int((c.t-lo)/third)))] += c.share
		width[max(0, int(c.t-lo))] += c.share * step * step
	}
	most := func(a, b int) float64 {
		v := 0.0
		for i := a; i < b && i < len(width); i++ {
			v = max(v, width[i])
		}
		return v
	}
	w := len(width)
	return device.PrintTruth{Foot: f.Side, LengthMM: max(hi, front) - lo, NoToesMM: hi - lo, BallMM: most(w*2/3, w), HeelMM: most(0, w/3),
		ArchIndex: area[1] / (area[0] + area[1] + area[2]), BrokenArch: !f.hasBand}
}

func (f *roundFoot) Size() (ball, body float64) { return f.Ball, f.Body }

func (f *roundFoot) Foot() term.Side { return f.Side }

func (f *roundFoot) On(x, y, soft float64) float64 {
	return min(1, max(0, 0.5-min(f.body(x, y), f.toeOf(x, y))/soft))
}

// Render photographs the foot's print.
func (f *roundFoot) Render(p device.Photo, r *rand.Rand) image.Image { return p.Of(f, r) }
