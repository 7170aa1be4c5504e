package device

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"

	"trevik/internal/core/gait"
	"trevik/internal/core/term"
)

// bareLook is how a runner without dots looks from behind, and what else is to be seen: the outlines of leg and
// shoe are not symmetric about their bones, the ground moves, someone may pass.
type bareLook struct {
	legs      map[term.Side]*limb
	skin      rgb
	cloth     rgb // of socks or tights
	clothUp   float64
	shoe      rgb
	sole      rgb
	heelTab   rgb
	tabWide   float64
	soleHigh  float64 // of the shank
	barefoot  bool
	stripes   float64 // px apart on the belt, 0 is none
	stripe    rgb
	speed     float64 // px/s, the stripes'
	posts     []post
	flicker   float64 // of the brightness
	hum       float64 // Hz, as the film sees it
	shadow    float64 // how dark the runner's shadow is
	passer    *passer
	toeOut    float64 // of the shank, that the forefoot shows beside the heel
	mottle    [64]float64
	lightFrom float64
}

// limb is one leg's outline about its bones: half widths in multiples of the shank, inner and outer by themselves.
type limb struct {
	ankleIn, ankleOut float64
	calfIn, calfOut   float64
	calfAt, calfLong  float64
	malleolus         float64
	heelIn, heelOut   float64
	heelSkew          float64 // by which the counter's middle leans off the bone, of its height
	calfSkew          float64
}

type post struct {
	x, wide float64
	c       rgb
}

type passer struct {
	from, speed, wide float64
	c                 rgb
}

func newBareLook(o TreadmillOptions, r *rand.Rand) *bareLook {
	u := func(lo, hi float64) float64 { return lo + (hi-lo)*r.Float64() }
	pick := func(list []rgb) rgb { return list[r.IntN(len(list))] }
	w := float64(o.Width)
	b := &bareLook{legs: map[term.Side]*limb{}, soleHigh: u(0.045, 0.085), barefoot: o.Barefoot, toeOut: u(0, 0.06),
		skin:  pick([]rgb{{232, 190, 160}, {205, 155, 120}, {150, 104, 76}, {92, 62, 47}, {240, 208, 186}}),
		shoe:  pick([]rgb{{226, 226, 222}, {48, 50, 58}, {70, 110, 160}, {186, 70, 56}, {150, 160, 84}, {110, 110, 116}}),
		sole:  pick([]rgb{{236, 236, 230}, {60, 60, 62}, {214, 196, 90}, {180, 180, 186}}),
		cloth: pick([]rgb{{235, 235, 235}, {36, 36, 42}, {90, 90, 150}, {120, 124, 120}}), lightFrom: u(-0.5, 0.5)}
	for i := range b.mottle {
		b.mottle[i] = r.NormFloat64()
	}
	switch r.IntN(4) { // bare legs, short socks, long ones, tights
	case 0:
	case 1:
		b.clothUp = u(0.1, 0.2)
	case 2:
		b.clothUp = u(0.3, 0.5)
	case 3:
		b.clothUp = 3
	}
	if o.Barefoot {
		b.clothUp, b.soleHigh = 0, 0.02
		b.shoe = rgb{b.skin.r * 0.96, b.skin.g * 0.94, b.skin.b * 0.93}
		b.sole = rgb{b.skin.r * 0.9, b.skin.g * 0.86, b.skin.b * 0.84}
		b.toeOut *= 0.5
	}
	if !o.Barefoot && r.IntN(2) == 0 {
		b.heelTab, b.tabWide = pick([]rgb{{250, 250, 250}, {20, 20, 24}, {220, 120, 40}}), u(0.02, 0.045)
	}
	// One build for both legs, and each leg's own.
	build := u(0.88, 1.14)
	heel := u(0.070, 0.088)
	if o.Barefoot {
		heel = u(0.062, 0.074)
	}
	fuller := u(-0.006, 0.018)
	skew, calf := 0.022*r.NormFloat64(), 0.012*r.NormFloat64()
	for _, s := range term.Sides {
		b.legs[s] = &limb{ankleIn: build * u(0.062, 0.070), ankleOut: build * u(0.062, 0.070), calfIn: build*u(0.118, 0.136) + fuller,
			calfOut: build * u(0.112, 0.13), calfAt: u(0.56, 0.72), calfLong: u(0.2, 0.28), malleolus: u(0.004, 0.018),
			heelIn: heel * u(0.96, 1.04), heelOut: heel * u(0.96, 1.04), heelSkew: skew + 0.014*r.NormFloat64(),
			calfSkew: calf + 0.008*r.NormFloat64()}
	}
	if r.IntN(3) > 0 {
		b.stripes, b.speed = u(0.05, 0.3)*w, u(0.5, 2.2)*w
		b.stripe = pick([]rgb{{150, 150, 146}, {24, 24, 26}, {190, 170, 60}})
	}
	for range r.IntN(4) {
		b.posts = append(b.posts, post{u(0, w), u(0.01, 0.05) * w, pick([]rgb{{60, 60, 64}, {180, 182, 186}, {120, 90, 70}})})
	}
	if o.Shop {
		b.flicker, b.hum = u(0, 0.05), u(0.5, 18)
		b.shadow = u(0, 0.35)
		if r.IntN(2) == 0 {
			b.passer = &passer{u(-0.4, 1.2) * w, u(-0.7, 0.7) * w, u(0.04, 0.1) * w, pick([]rgb{{70, 60, 90}, {160, 60, 60}, {210, 205, 190}})}
		}
	} else {
		b.shadow = u(0, 0.15)
	}
	return b
}

// bell is a smooth bump about the middle.
func bell(u, middle, wide float64) float64 {
	return math.Exp(-(u - middle) * (u - middle) / (2 * wide * wide))
}

// legWidth is a leg's half width on its inner or outer side, k from 0 at the ankle's joint to 1 at the knee.
func (b *limb) legWidth(k float64, inner bool) float64 {
	thin, full, bump := b.ankleOut, b.calfOut, bell(k, 0.02, 0.035)
	skew := -b.calfSkew
	if inner {
		thin, full, bump = b.ankleIn, b.calfIn, bell(k, 0.06, 0.035)
		skew = b.calfSkew
	}
	rise := bell(k, b.calfAt, b.calfLong)
	if k > b.calfAt {
		rise = max(rise, 0.72)
	}
	return thin + (full-thin)*rise + b.malleolus*bump + skew*k
}

// heelWidth is a heel's half width, k from 0 at the ground to 1 where the shoe ends.
func (b *limb) heelWidth(k float64, inner bool, barefoot bool) float64 {
	w, skew := b.heelOut, -b.heelSkew
	if inner {
		w, skew = b.heelIn, b.heelSkew
	}
	shape := 1.03 - 0.16*k*k
	if barefoot {
		shape = 1 - 0.25*(k-0.35)*(k-0.35)*2
	}
	if k < 0.12 {
		shape *= 0.9 + 0.1*math.Sqrt(max(0, k)/0.12)
	}
	return w*shape + skew*(k-0.3)*0.16
}

// tube paints what lies about an axis from a to b: half widths by how far along it is, on the side to the right of
// the way from a to b and on the other, in px.
func tube(img *image.RGBA, a, b gait.Point, k0, k1, widest, soft float64, half func(k float64, right bool) float64,
	paint func(k, o float64) rgb) {
	dx, dy := b.X-a.X, b.Y-a.Y
	l := math.Hypot(dx, dy)
	if l < 1 {
		return
	}
	dx, dy = dx/l, dy/l
	reach := widest + soft
	box := func(p, q, d0, d1 float64) (int, int) {
		lo, hi := min(p+d0, p+d1)-reach, max(p+d0, p+d1)+reach
		_ = q
		return int(math.Floor(lo)), int(math.Ceil(hi))
	}
	x0, x1 := box(a.X, b.X, k0*l*dx, k1*l*dx)
	y0, y1 := box(a.Y, b.Y, k0*l*dy, k1*l*dy)
	for y := max(0, y0); y <= min(img.Rect.Dy()-1, y1); y++ {
		for x := max(0, x0); x <= min(img.Rect.Dx()-1, x1); x++ {
			px, py := float64(x)-a.X, float64(y)-a.Y
			k := (px*dx + py*dy) / l
			if k < k0-soft/l || k > k1+soft/l {
				continue
			}
			o := px*-dy + py*dx // to the right of the way on the screen, where y points down
			w := half(min(max(k, k0), k1), o >= 0)
			cover := (w-math.Abs(o))/soft + 0.5
			cover = min(cover, (k-k0)*l/soft+0.5, (k1-k)*l/soft+0.5)
			if cover <= 0 {
				continue
			}
			cover = min(cover, 1)
			c := paint(k, o/max(w, 1))
			p := img.Pix[img.PixOffset(x, y):]
			p[0] = byteOf(float64(p[0]) + cover*(c.r-float64(p[0])))
			p[1] = byteOf(float64(p[1]) + cover*(c.g-float64(p[1])))
			p[2] = byteOf(float64(p[2]) + cover*(c.b-float64(p[2])))
		}
	}
}

func (c rgb) lit(k float64) rgb { return rgb{c.r * k, c.g * k, c.b * k} }

// drawGround draws what is there without the runner, as it moves.
func (t *Treadmill) drawGround(img *image.RGBA, at float64) {
	b, o := t.bare, t.opt
	w, h := float64(o.Width), float64(o.Height)
	edge := t.horizon
	for _, p := range b.posts {
		for y := range int(edge) {
			for x := max(0, int(p.x)); x < min(o.Width, int(p.x+p.wide)); x++ {
				img.SetRGBA(x, y, color.RGBA{byteOf(p.c.r), byteOf(p.c.g), byteOf(p.c.b), 255})
			}
		}
	}
	if b.passer != nil {
		p := b.passer
		x := p.from + p.speed*at
		for _, side := range []float64{-1, 1} {
			stride := 0.3 * p.wide * math.Sin(9*at) * side
			capsule(img, gait.Point{X: x, Y: -20}, gait.Point{X: x + stride, Y: edge - 4}, 0.5*p.wide, 0.28*p.wide, 2, p.c, 1)
		}
	}
	if b.stripes > 0 { // they come towards the camera
		for y := int(edge); y < o.Height; y++ {
			// Farther rows lie closer together.
			deep := (float64(y) - edge) / (h - edge)
			along := math.Mod(b.stripes*8*math.Sqrt(deep)-b.speed*at, b.stripes)
			if along < 0 {
				along += b.stripes
			}
			if along < 0.12*b.stripes {
				for x := int(w / 12); x < int(w*11/12); x++ {
					img.SetRGBA(x, y, color.RGBA{byteOf(b.stripe.r), byteOf(b.stripe.g), byteOf(b.stripe.b), 255})
				}
			}
		}
	}
}

// drawBare draws one leg without dots.
func (t *Treadmill) drawBare(img *image.RGBA, l *leg, at float64) {
	b, s := t.bare, t.look
	limb := b.legs[l.side]
	_, _, u, ground := l.phase(at)
	d := t.dots(l, at)
	floor := d["heel_low"].Y
	for name, p := range d {
		d[name] = t.seen(p)
	}
	size := l.scale
	inner := func(right bool) bool { return right == (l.side == term.Left) }
	low, top, calf, knee := d["heel_low"], d["heel_top"], d["calf_low"], d["calf_top"]
	// The joint of ankle: where the two lines meet.
	up := gait.Point{X: top.X - low.X, Y: top.Y - low.Y}
	n := math.Hypot(up.X, up.Y)
	up = gait.Point{X: up.X / n, Y: up.Y / n}
	joint := gait.Point{X: low.X + 0.24*size*up.X, Y: low.Y + 0.24*size*up.Y}
	away := gait.Point{X: knee.X - joint.X, Y: knee.Y - joint.Y}
	knee = gait.Point{X: joint.X + away.X*1.28, Y: joint.Y + away.Y*1.28}
	_ = calf
	if b.shadow > 0 {
		y := t.seen(gait.Point{X: low.X, Y: max(floor, l.floor)})
		capsule(img, gait.Point{X: y.X - 0.08*size, Y: y.Y + 4}, gait.Point{X: y.X + 0.2*size, Y: y.Y + 5}, 0.05*size, 0.03*size, 0.05*size,
			rgb{20, 20, 22}, b.shadow)
	}
	// The forefoot: beside the heel on the ground, under it while the heel is up.
	out := 1.0
	if l.side == term.Left {
		out = -1
	}
	raised := 0.0
	if !ground {
		raised = max(0, l.floor-floor)
	}
	if raised > 0.02*size { // the sole is seen
		// Never into the floor: what hangs under the heel is less than the heel is up.
		hang := 0.75 * raised
		heelEnd, toeEnd := min(limb.heelIn*size*0.95, hang), min(limb.heelIn*size*1.15, hang)
		long := min(0.42*size, hang-toeEnd)
		toe := gait.Point{X: low.X + out*(b.toeOut*size+0.02*raised), Y: low.Y + long}
		capsule(img, low, toe, heelEnd, toeEnd, s.soft, b.sole.lit(0.72), 1)
	} else {
		fore := gait.Point{X: low.X + out*b.toeOut*size, Y: low.Y - 0.05*size}
		capsule(img, gait.Point{X: fore.X, Y: fore.Y + 0.02*size}, fore, 0.075*size, 0.06*size, s.soft, b.shoe.lit(0.85), 1)
	}
	shade := func(c rgb, k, o, seed float64) rgb {
		light := 1 - 0.28*(o-b.lightFrom)*(o-b.lightFrom)
		i := int(math.Abs(k*9+3*o+seed)) % (len(b.mottle) - 1)
		light += 0.012 * b.mottle[i]
		return c.lit(light)
	}
	// Thigh and calf.
	capsule(img, knee, gait.Point{X: knee.X + 0.25*away.X, Y: knee.Y + 0.9*away.Y}, 0.135*size, 0.19*size, s.soft, b.legTone(2).lit(0.93), 1)
	widest := (limb.calfIn + limb.calfOut) * size
	tube(img, joint, knee, -0.03, 1, widest, s.soft, func(k float64, right bool) float64 { return size * limb.legWidth(k, inner(right)) },
		func(k, o float64) rgb { return shade(b.legTone(k), k, o, 0) })
	// The heel, with its sole.
	topK := 0.215 * size
	tube(img, low, gait.Point{X: low.X + topK*up.X, Y: low.Y + topK*up.Y}, -b.soleHigh*0.35*size/topK, 1, 0.14*size, s.soft,
		func(k float64, right bool) float64 {
			return size * limb.heelWidth(max(0, k), inner(!right), b.barefoot)
		}, func(k, o float64) rgb {
			if k*topK < b.soleHigh*size*0.65 {
				return shade(b.sole, k, o, 20)
			}
			if b.tabWide > 0 && math.Abs(o) < b.tabWide/limb.heelIn && k > 0.4 {
				return b.heelTab
			}
			return shade(b.shoe, k, o, 40)
		})
	_ = u
}

// legTone is the leg's colour by how far up it is.
func (b *bareLook) legTone(k float64) rgb {
	if k < b.clothUp {
		return b.cloth
	}
	return b.skin
}
