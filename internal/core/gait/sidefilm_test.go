package gait

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"trevik/internal/core/term"
)

// rgb is a colour of a picture.
type rgb [3]float64

// sideFilm draws a profiled runner as a camera sees it from the side: limbs, a shoe and its sole, the other leg behind, a belt
// with grain, four dots of a vivid colour, drawn out by what the foot moves while the shutter is open.
type sideFilm struct {
	p                *profiled
	k                float64 // px of the picture a px of the maker's
	o                Point
	wall, belt, skin rgb
	shoe, sole, dot  rgb
	short            rgb
	round            [4]float64
	noise, expose    float64
	late             float64
	grain            []float64
	r                *rand.Rand
	rail             bool
	n                int
	light            float64
	wide, high       int
}

func newSideFilm(seed uint64, fps float64, walk bool) *sideFilm {
	p := newProfiled(seed, fps, walk, false)
	p.long = 2.6
	r := rand.New(rand.NewPCG(seed, 991))
	u := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	pick := func(l ...rgb) rgb { return l[r.IntN(len(l))] }
	f := &sideFilm{p: p, r: r, wide: 640, high: 480, n: int(2.6 * fps), noise: u(1, 5), expose: u(0, 0.3) / fps, light: u(-1, 1)}
	lo, hi := math.Inf(1), math.Inf(-1)
	for i := range f.n {
		d := p.pose(float64(i) / fps)
		for _, n := range []string{"back", "tip", "knee", "ankle"} {
			lo, hi = min(lo, d[n].X), max(hi, d[n].X)
		}
	}
	f.k = min(640*u(0.7, 0.95)/(hi-lo), 330/(2.1*p.sole)*u(0.5, 1))
	f.o = Point{320 - f.k*(lo+hi)/2, 480 * u(0.84, 0.93)}
	vivid := []rgb{{230, 20, 140}, {250, 120, 10}, {30, 170, 60}, {250, 225, 30}, {20, 90, 220}}
	f.dot = vivid[r.IntN(len(vivid))]
	f.wall = pick(rgb{205, 203, 198}, rgb{120, 125, 130}, rgb{170, 160, 140}, rgb{90, 100, 120}, rgb{60, 62, 66})
	f.belt = pick(rgb{40, 40, 44}, rgb{70, 70, 72}, rgb{105, 105, 100})
	f.sole = pick(rgb{240, 240, 236}, rgb{200, 180, 150}, rgb{90, 90, 95})
	f.skin = pick(rgb{226, 185, 160}, rgb{196, 146, 116}, rgb{140, 94, 68}, rgb{84, 54, 40}, rgb{35, 36, 44})
	f.short = pick(rgb{30, 30, 36}, rgb{60, 70, 110}, rgb{150, 150, 150})
	for {
		f.shoe = pick(rgb{230, 230, 230}, rgb{200, 60, 50}, rgb{50, 80, 160}, rgb{240, 220, 60}, rgb{120, 120, 126}, rgb{30, 30, 34},
			rgb{60, 160, 150})
		_, a, b := color.RGBToYCbCr(uint8(f.shoe[0]), uint8(f.shoe[1]), uint8(f.shoe[2]))
		_, c, d := color.RGBToYCbCr(uint8(f.dot[0]), uint8(f.dot[1]), uint8(f.dot[2]))
		if math.Hypot(float64(a)-float64(c), float64(b)-float64(d)) > 45 {
			break
		}
	}
	round := u(3.5, 9)
	for i := range f.round {
		f.round[i] = round * u(0.92, 1.08)
	}
	f.late = u(0.4, 0.6)
	f.rail = r.IntN(2) == 0
	for range f.wide * f.high {
		f.grain = append(f.grain, r.NormFloat64())
	}
	return f
}

func (f *sideFilm) at(t float64, far bool) map[string]Point {
	if far {
		mean := 0.0
		for i := 1; i < len(f.p.steps); i++ {
			mean += f.p.steps[i].on - f.p.steps[i-1].on
		}
		mean /= float64(len(f.p.steps) - 1)
		t += f.late * mean
	}
	d := f.p.pose(t)
	if far {
		for n, q := range d {
			d[n] = q.times(0.9).plus(Point{-0.1 * f.p.sole * f.p.way, -0.12 * f.p.sole})
		}
	}
	for n, q := range d {
		q.Y += f.p.slope * t / f.p.long
		d[n] = turned(q, f.p.tilt).times(f.k).plus(f.o)
	}
	return d
}

func (f *sideFilm) paint(img []rgb, x0, y0, x1, y1 float64, inside func(x, y float64) float64, c func(x, y float64) rgb) {
	for y := max(0, int(y0)); y <= min(f.high-1, int(y1)+1); y++ {
		for x := max(0, int(x0)); x <= min(f.wide-1, int(x1)+1); x++ {
			if k := min(1, inside(float64(x), float64(y))+0.5); k > 0 {
				q := c(float64(x), float64(y))
				for i := range q {
					img[y*f.wide+x][i] += k * (q[i] - img[y*f.wide+x][i])
				}
			}
		}
	}
}

// bone is a limb with another half width at either end.
func (f *sideFilm) bone(img []rgb, a, b Point, wa, wb float64, c rgb) {
	d := b.minus(a)
	n := math.Hypot(d.X, d.Y)
	w := max(wa, wb) + 2
	f.paint(img, min(a.X, b.X)-w, min(a.Y, b.Y)-w, max(a.X, b.X)+w, max(a.Y, b.Y)+w, func(x, y float64) float64 {
		t := min(1, max(0, ((x-a.X)*d.X+(y-a.Y)*d.Y)/n/n))
		return wa + t*(wb-wa) - math.Hypot(x-a.X-t*d.X, y-a.Y-t*d.Y)
	}, func(x, y float64) rgb {
		s := ((x-a.X)*d.Y - (y-a.Y)*d.X) / n / w
		k := 1 - 0.2*(s-f.light)*(s-f.light)
		return rgb{k * c[0], k * c[1], k * c[2]}
	})
}

func (f *sideFilm) leg(img []rgb, d map[string]Point, far bool) {
	s := f.k * f.p.sole
	dim := func(c rgb) rgb {
		if far {
			return rgb{0.75 * c[0], 0.75 * c[1], 0.75 * c[2]}
		}
		return c
	}
	hip := d["knee"].plus(Point{f.p.way * 0.3 * s, -1.7 * s})
	f.bone(img, d["knee"], hip, 0.26*s, 0.38*s, dim(f.short))
	f.bone(img, d["ankle"], d["knee"], 0.14*s, 0.23*s, dim(f.skin))
	heel, toe := d["back"], d["tip"]
	ax := toe.minus(heel)
	n := math.Hypot(ax.X, ax.Y)
	up := Point{ax.Y, -ax.X}.times(f.p.way / n)
	in := func(a float64, b float64) Point { return heel.plus(ax.times(a)).plus(up.times(b * s)) }
	f.bone(img, in(0.16, 0.2), in(0.6, 0.12), 0.17*s, 0.1*s, dim(f.shoe))
	f.bone(img, in(0.6, 0.12), in(0.92, 0.08), 0.11*s, 0.07*s, dim(f.shoe))
	f.bone(img, in(0.18, 0.28), d["ankle"], 0.14*s, 0.13*s, dim(f.shoe))
	f.bone(img, in(0.05, 0.045), in(0.95, 0.045), 0.05*s, 0.045*s, dim(f.sole))
	if far {
		return
	}
	for i, name := range []string{"knee", "ankle", "heel", "toe"} {
		c := d[name]
		r := f.round[i]
		f.paint(img, c.X-r-2, c.Y-r-2, c.X+r+2, c.Y+r+2, func(x, y float64) float64 { return r - math.Hypot(x-c.X, y-c.Y) },
			func(x, y float64) rgb { return f.dot })
	}
}

func (f *sideFilm) frame(i int) image.Image {
	noise := rand.New(rand.NewPCG(uint64(i), 77))
	img := make([]rgb, f.wide*f.high)
	subs := 5
	if f.expose*f.p.fps < 0.05 {
		subs = 1
	}
	bg := make([]rgb, f.wide*f.high)
	sin, cos := math.Sincos(-f.p.tilt * math.Pi / 180)
	moved := float64(i) / f.p.fps * f.p.speed * f.k * f.p.way
	for y := range f.high {
		for x := range f.wide {
			c := f.wall
			px, py := float64(x)-f.o.X, float64(y)-f.o.Y
			dx, dy := cos*px-sin*py, sin*px+cos*py
			if dy > -0.16*f.p.sole*f.k {
				c = f.belt
				if dy < 0.05*f.p.sole*f.k {
					gx := int(math.Mod(dx+moved+100*float64(f.wide), float64(f.wide)))
					g := 6 * f.grain[(y/3)*f.wide+max(0, gx)/3]
					c = rgb{c[0] + g, c[1] + g, c[2] + g}
				} else {
					c = rgb{0.6 * c[0], 0.6 * c[1], 0.6 * c[2]}
				}
			} else if f.rail && math.Abs(float64(x)-500) < 14 {
				c = rgb{150, 150, 155}
			}
			bg[y*f.wide+x] = c
		}
	}
	for sub := range subs {
		t := float64(i)/f.p.fps + f.expose*(float64(sub)/float64(subs)-0.5)
		one := slices.Clone(bg)
		f.leg(one, f.at(t, true), true)
		f.leg(one, f.at(t, false), false)
		for j := range img {
			for q := range 3 {
				img[j][q] += one[j][q] / float64(subs)
			}
		}
	}
	out := image.NewYCbCr(image.Rect(0, 0, f.wide, f.high), image.YCbCrSubsampleRatio420)
	for k := range img {
		x, y := k%f.wide, k/f.wide
		if x%2 == 1 || y%2 == 1 { // brightness alone
			g := f.noise * noise.NormFloat64()
			b := func(v float64) uint8 { return uint8(min(255, max(0, v+g))) }
			out.Y[out.YOffset(x, y)], _, _ = color.RGBToYCbCr(b(img[k][0]), b(img[k][1]), b(img[k][2]))
			continue
		}
		var m rgb
		for _, o := range []int{0, 1, f.wide, f.wide + 1} {
			for q := range 3 {
				m[q] += img[k+o][q] / 4
			}
		}
		b := func(v float64) uint8 { return uint8(min(255, max(0, v+f.noise*noise.NormFloat64()))) }
		o := out.COffset(x, y)
		out.Y[out.YOffset(x, y)], _, _ = color.RGBToYCbCr(b(img[k][0]), b(img[k][1]), b(img[k][2]))
		_, out.Cb[o], out.Cr[o] = color.RGBToYCbCr(b(m[0]), b(m[1]), b(m[2]))
	}
	return out
}

type sideFrames []image.Image

func (f sideFrames) Len() int                         { return len(f) }
func (f sideFrames) Frame(i int) (image.Image, error) { return f[i], nil }

// The side view on films that the reader was not shaped by: a dot that goes far from one frame to the next is followed.
func TestAnotherMakersSideFilms(t *testing.T) {
	t.Parallel()
	for seed := uint64(200); seed < 204; seed++ {
		kind, fps := Run, 60.0
		if seed%4 == 3 {
			kind = Walk
		}
		f := newSideFilm(seed, fps, kind == Walk)
		film := make(sideFrames, f.n)
		for i := range film {
			film[i] = f.frame(i)
		}
		rec := Recording{Schema: RecordingSchema, View: Side, Gait: kind, FPS: &fps, Markers: AutoMarkers}
		followed, err := Follow(film, rec, nil)
		if err != nil {
			t.Errorf("seed %d: %v", seed, err)
			continue
		}
		side := term.Left
		if f.p.way > 0 {
			side = term.Right
		}
		for _, name := range DotNames(Side) {
			marks, off := followed.Tracks[side][name], 0.0
			for _, m := range marks {
				off += f.at(float64(m.Frame)/fps, false)[name].distance(m.Point) / float64(len(marks))
			}
			if len(marks) < f.n*9/10 || off > 1 {
				t.Errorf("seed %d: the %s was followed in %d of %d frames, %.1f px off", seed, name, len(marks), f.n, off)
			}
		}
		got, err := Read(followed, rec, Corrections{}, nil)
		if err != nil {
			t.Errorf("seed %d: %v", seed, err)
			continue
		}
		var strikes, shanks []float64
		for _, st := range f.p.steps {
			on, off := math.Ceil(st.on*fps-1e-9), math.Floor(st.off*fps+1e-9)
			if on < endTime*fps || float64(f.n-1)-off < endTime*fps {
				continue
			}
			d := f.p.pose(on / fps)
			sole, leg := d["tip"].minus(d["back"]), d["ankle"].minus(d["knee"])
			strikes = append(strikes, math.Atan2(-sole.Y, f.p.way*sole.X)*180/math.Pi)
			shanks = append(shanks, math.Atan2(f.p.way*leg.X, leg.Y)*180/math.Pi)
		}
		s := got.Answer.Sides[side]
		strike, _ := meanSD(strikes)
		shank, _ := meanSD(shanks)
		if s == nil || len(s.Steps) != len(strikes) || math.Abs(*s.StrikeDeg.Mean-strike) > 2.5 || math.Abs(*s.ShankDeg.Mean-shank) > 2 {
			t.Errorf("seed %d: %+v; truly %d steps, strike %.1f°, shank %.1f°", seed, s, len(strikes), strike, shank)
		}
	}
}
