package device

import (
	"cmp"
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"slices"

	"trevik/internal/core/gait"
)

// scenery is what a recording looks like: colours, light and faults of the camera.
type scenery struct {
	wall, belt, rail, skin, shoe, shorts rgb
	dot                                  rgb
	dotPX                                float64
	noise                                float64 // SD of brightness
	soft                                 float64 // px that edges are wide
	exposure                             float64 // share of a frame's time
	grain                                []int8
	alikes                               []alike
	back                                 *image.RGBA
}

type rgb struct{ r, g, b float64 }

// alike is something of the dots' hue that is no dot.
type alike struct {
	at     gait.Point // px, or shares of the picture
	across float64
	long   float64 // px, 0 is round
	leg    int     // −1 stands still
	name   string  // it goes with this dot
}

func hsv(h, s, v float64) rgb {
	f := func(n float64) float64 {
		k := math.Mod(n+h/60, 6)
		return 255 * v * (1 - s*max(0, min(k, 4-k, 1)))
	}
	return rgb{f(5), f(3), f(1)}
}

// dotHues are those that are sold: magenta, orange, green, yellow, blue.
var dotHues = []float64{320, 24, 130, 56, 215}

func newScenery(o TreadmillOptions, r *rand.Rand) scenery {
	pick := func(list []rgb) rgb { return list[r.IntN(len(list))] }
	s := scenery{
		wall:   pick([]rgb{{188, 186, 180}, {150, 160, 168}, {205, 196, 180}, {120, 118, 116}}),
		belt:   pick([]rgb{{58, 58, 62}, {78, 76, 72}, {40, 44, 52}, {96, 100, 104}}),
		rail:   pick([]rgb{{110, 112, 118}, {150, 148, 144}}),
		skin:   pick([]rgb{{232, 190, 160}, {205, 155, 120}, {150, 104, 76}, {96, 64, 48}, {240, 208, 186}}),
		shoe:   pick([]rgb{{230, 230, 226}, {44, 46, 54}, {90, 120, 150}, {176, 70, 60}, {140, 150, 90}}),
		shorts: pick([]rgb{{40, 42, 60}, {70, 70, 74}, {120, 30, 40}}),
		soft:   1, exposure: 0.08,
	}
	h := dotHues[r.IntN(len(dotHues))]
	if o.DotHueDeg != nil {
		h = *o.DotHueDeg
	}
	s.dot = hsv(h, 0.92, 0.95)
	s.dotPX = o.DotPX
	if s.dotPX == 0 {
		s.dotPX = float64(o.Height) * (0.024 + 0.012*r.Float64())
	}
	if o.Barefoot {
		s.shoe = rgb{s.skin.r * 0.95, s.skin.g * 0.93, s.skin.b * 0.92}
	}
	if o.Shop {
		s.noise, s.soft, s.exposure = 5, 1.8, 0.3
		s.dot = hsv(h, 0.85, 0.8)
		w, ht := float64(o.Width), float64(o.Height)
		d := s.dotPX
		s.alikes = []alike{
			{at: gait.Point{X: 0.08 * w, Y: 0.2 * ht}, across: d, leg: -1},             // a lamp on the wall
			{at: gait.Point{X: 0.94 * w, Y: 0.55 * ht}, across: 2.6 * d, leg: -1},      // a large one on the rail
			{at: gait.Point{X: 0.9 * w, Y: 0.9 * ht}, across: d, long: 5 * d, leg: -1}, // a strip
			{at: gait.Point{X: 0.055 * w, Y: 0}, across: 0.4 * d, leg: 0, name: gait.DotNames(o.View)[0]},
		}
	}
	s.grain = make([]int8, 1<<16)
	for i := range s.grain {
		s.grain[i] = int8(max(-100, min(100, s.noise*r.NormFloat64())))
	}
	s.back = s.background(o)
	return s
}

// background is what does not move: wall, belt, rails.
func (s *scenery) background(o TreadmillOptions) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, o.Width, o.Height))
	for y := range o.Height {
		for x := range o.Width {
			c := s.wall
			light := 1 - 0.15*float64(y)/float64(o.Height) + 0.08*float64(x)/float64(o.Width)
			if float64(y) > 0.72*float64(o.Height) {
				c, light = s.belt, 0.9+0.2*float64(y)/float64(o.Height)
				if x < o.Width/12 || x > o.Width*11/12 {
					c = s.rail
				}
			}
			img.SetRGBA(x, y, color.RGBA{byteOf(c.r * light), byteOf(c.g * light), byteOf(c.b * light), 255})
		}
	}
	return img
}

func byteOf(v float64) uint8 { return uint8(min(max(v+0.5, 0), 255)) }

// capsule draws a line with round ends of radii ra and rb, with an edge that is soft
// px wide; a disc is a capsule from a point to itself.
func capsule(img *image.RGBA, a, b gait.Point, ra, rb, soft float64, c rgb, weight float64) {
	reach := max(ra, rb) + soft
	x0, x1 := int(math.Floor(min(a.X, b.X)-reach)), int(math.Ceil(max(a.X, b.X)+reach))
	y0, y1 := int(math.Floor(min(a.Y, b.Y)-reach)), int(math.Ceil(max(a.Y, b.Y)+reach))
	x0, y0, x1, y1 = max(x0, 0), max(y0, 0), min(x1, img.Rect.Dx()-1), min(y1, img.Rect.Dy()-1)
	dx, dy := b.X-a.X, b.Y-a.Y
	l2 := dx*dx + dy*dy
	for y := y0; y <= y1; y++ {
		for x := x0; x <= x1; x++ {
			px, py := float64(x)-a.X, float64(y)-a.Y
			k := 0.0
			if l2 > 0 {
				k = min(max((px*dx+py*dy)/l2, 0), 1)
			}
			ex, ey := px-k*dx, py-k*dy
			cover := ((ra+k*(rb-ra))-math.Sqrt(ex*ex+ey*ey))/soft + 0.5
			if cover <= 0 {
				continue
			}
			cover = min(cover, 1) * weight
			p := img.Pix[img.PixOffset(x, y):]
			p[0] = byteOf(float64(p[0]) + cover*(c.r-float64(p[0])))
			p[1] = byteOf(float64(p[1]) + cover*(c.g-float64(p[1])))
			p[2] = byteOf(float64(p[2]) + cover*(c.b-float64(p[2])))
		}
	}
}

// Frame draws one frame.
func (t *Treadmill) Frame(i int) (image.Image, error) {
	o := t.opt
	img := image.NewRGBA(t.look.back.Rect)
	copy(img.Pix, t.look.back.Pix)
	at := float64(i) / o.FPS
	if t.bare != nil {
		t.drawGround(img, at)
	}
	if t.bare != nil { // a foot that has left the ground trails towards the camera, and swings past to the other side
		legs := slices.Clone(t.legs)
		slices.SortStableFunc(legs, func(a, b *leg) int { return cmp.Compare(a.near(at), b.near(at)) })
		for _, l := range legs {
			t.drawBare(img, l, at)
		}
	} else {
		for k := range t.legs {
			t.drawLeg(img, t.legs[k], at)
		}
	}
	for k := range t.legs {
		t.drawDots(img, k, i, at)
	}
	for _, a := range t.look.alikes {
		if a.leg < 0 && t.bare == nil {
			end := gait.Point{X: a.at.X, Y: a.at.Y - a.long}
			capsule(img, t.seen(a.at), t.seen(end), a.across/2, a.across/2, t.look.soft, t.look.dot, 1)
		}
	}
	if b := t.bare; b != nil && b.flicker > 0 {
		light := 1 + b.flicker*math.Sin(2*math.Pi*b.hum*at)
		for p := range img.Pix {
			if p%4 != 3 {
				img.Pix[p] = byteOf(float64(img.Pix[p]) * light)
			}
		}
	}
	if t.look.noise > 0 {
		r := rand.New(rand.NewPCG(t.opt.Seed, uint64(i)))
		at := r.IntN(len(t.look.grain))
		for p := 0; p < len(img.Pix); p += 4 {
			for c := range 3 {
				img.Pix[p+c] = byteOf(float64(img.Pix[p+c]) + float64(t.look.grain[(at+p+7919*c+p/251)&(len(t.look.grain)-1)]))
			}
		}
	}
	return img, nil
}

func (t *Treadmill) drawLeg(img *image.RGBA, l *leg, at float64) {
	d := t.dots(l, at)
	for name, p := range d {
		d[name] = t.seen(p)
	}
	s := &t.look
	on := func(a, b gait.Point, k float64) gait.Point {
		return gait.Point{X: a.X + k*(b.X-a.X), Y: a.Y + k*(b.Y-a.Y)}
	}
	unit := 0.42 * float64(t.opt.Height)
	switch t.opt.View {
	case gait.Side:
		hip := t.seen(gait.Point{X: l.hip.X, Y: -0.1 * float64(t.opt.Height)})
		capsule(img, hip, d["knee"], 0.17*unit, 0.12*unit, s.soft, s.skin, 1)
		capsule(img, d["knee"], d["ankle"], 0.12*unit, 0.065*unit, s.soft, s.skin, 1)
		capsule(img, on(d["heel"], d["ankle"], 0.35), on(d["toe"], d["ankle"], 0.12), 0.1*unit, 0.055*unit, s.soft, s.shoe, 1)
		capsule(img, on(d["heel"], d["toe"], -0.05), on(d["heel"], d["toe"], 1.05), 0.035*unit, 0.03*unit, s.soft, s.shoe, 1)
	case gait.Front:
		capsule(img, gait.Point{X: d["hip"].X, Y: -20}, on(d["hip"], d["knee"], 0.5), 0.16*unit, 0.13*unit, s.soft, s.shorts, 1)
		capsule(img, on(d["hip"], d["knee"], 0.5), d["knee"], 0.12*unit, 0.09*unit, s.soft, s.skin, 1)
		capsule(img, d["knee"], d["ankle"], 0.09*unit, 0.055*unit, s.soft, s.skin, 1)
		capsule(img, d["ankle"], gait.Point{X: d["ankle"].X, Y: d["ankle"].Y + 0.12*unit}, 0.06*unit, 0.08*unit, s.soft, s.shoe, 1)
	default:
		up := on(d["calf_low"], d["calf_top"], 2)
		capsule(img, up, d["calf_top"], 0.16*unit, 0.15*unit, s.soft, s.skin, 1)
		capsule(img, d["calf_top"], d["calf_low"], 0.15*unit, 0.085*unit, s.soft, s.skin, 1)
		capsule(img, d["calf_low"], d["heel_top"], 0.085*unit, 0.08*unit, s.soft, s.skin, 1)
		capsule(img, d["heel_top"], on(d["heel_top"], d["heel_low"], 1.15), 0.095*unit, 0.105*unit, s.soft, s.shoe, 1)
	}
}

// drawDots draws a leg's dots as the open shutter sees them.
func (t *Treadmill) drawDots(img *image.RGBA, k, frame int, at float64) {
	l, s := t.legs[k], &t.look
	if t.opt.NoDots || t.bare != nil || t.opt.OneLeg != "" && t.opt.OneLeg != l.side {
		return
	}
	open := s.exposure / t.opt.FPS
	half := 0.5 * open
	before, now, after := t.dots(l, max(at-half, 0)), t.dots(l, at), t.dots(l, at+half)
	disc := func(a, b, c gait.Point, r float64) {
		// Three thin looks through the shutter, laid over one another.
		travel := math.Hypot(c.X-a.X, c.Y-a.Y)
		if travel < 0.7 {
			capsule(img, b, b, r, r, s.soft, s.dot, 1)
			return
		}
		capsule(img, a, a, r, r, s.soft+travel/2, s.dot, 0.34)
		capsule(img, c, c, r, r, s.soft+travel/2, s.dot, 0.5)
		capsule(img, b, b, r, r, s.soft+travel/2, s.dot, 0.75)
	}
	for _, name := range gait.DotNames(t.opt.View) {
		if l.sees(name, frame) {
			disc(t.seen(before[name]), t.seen(now[name]), t.seen(after[name]), s.dotPX/2)
		}
	}
	for _, a := range s.alikes {
		if a.leg == k {
			p := now[a.name]
			q := t.seen(gait.Point{X: p.X + a.at.X, Y: p.Y + a.at.Y})
			capsule(img, q, q, a.across/2, a.across/2, s.soft, s.dot, 1)
		}
	}
}
