package draw

import (
	"fmt"
	"html/template"
	"math"

	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/web/kept"
)

// shoeLength is how long every shoe from the side is drawn, mm, so that models compare by what
// differs between them.
const shoeLength = 280.0

// build is what of a shoe's shape its class decides.
type build struct {
	flare float64 // of the midsole behind the heel, mm
	wall  float64 // how far the midsole rises round the foot, mm
	tall  float64 // the upper's height, 1 a daily trainer's
	wide  float64 // the sole's width, 1 a daily trainer's
	scoop bool    // the midsole is hollowed under the arch
}

var builds = map[term.Class]build{
	term.Daily: {5, 6, 1, 1, false}, term.MaxCushion: {9, 8, 1.02, 1.07, false}, term.TempoClass: {4, 5, .9, .95, false},
	term.RacePlated: {13, 5, .86, .93, true}, term.RaceFlat: {1, 2, .80, .9, false}, term.TrailClass: {5, 7, 1, 1.02, false},
	term.Ultra: {7, 8, 1.02, 1.08, false}, term.Mud: {2, 5, .96, .97, false}, term.LinkClass: {5, 6, 1, 1, false},
	term.Spikes: {0, 1, .78, .86, false}, term.Winter: {4, 7, 1.02, 1.02, false}, term.Minimal: {0, 1, .80, .98, false},
	term.CrossTraining: {6, 4, 1.05, 1.05, false},
}

// buildOf is a model's build; of a class that is not known, a daily trainer's.
func buildOf(m *shoe.Model) build {
	if b, ok := builds[m.Class]; ok {
		return b
	}
	return builds[term.Daily]
}

// shoeShape is a shoe from its outer side in mm: x from heel to toe, y up from the ground under its lugs.
type shoeShape struct {
	m                      *shoe.Model
	midsole, bottom, upper line
	top                    func(u float64) float64 // the midsole's upper edge inside, by the share of the length
	spring, lug, h         float64
	build                  build
}

// shapeOf draws a model from its numbers.
func shapeOf(m *shoe.Model) shoeShape {
	const l = shoeLength
	b := buildOf(m)
	heel, fore := m.StackHeelMM, m.StackForefootMM
	s := shoeShape{m: m, lug: m.LugDepthMM, build: b, h: l * b.tall}
	s.spring = 6 + 5*float64(m.Rocker)
	if m.Class == term.RacePlated || m.Class == term.MaxCushion {
		s.spring += 4
	}
	if m.Class == term.Minimal || m.Class == term.CrossTraining {
		s.spring -= 3
	}
	s.top = func(u float64) float64 { return heel + (fore-heel)*min(1, max(0, (u-.12)/.58)) }
	cut := 3.0
	if m.HeelBevel {
		cut = 9
	}
	rock := .05 * float64(m.Rocker)
	under := []point{{l * .03, cut * 1.6}, {l * .08, cut * .35}, {l * (.12 + .004*cut), 0}}
	if b.scoop {
		under = append(under, point{l * .24, heel * .03}, point{l * .34, heel * .13}, point{l * .44, heel * .03})
	}
	under = append(under, point{l * (.68 - rock*.8), 0}, point{l * .80, s.spring * .26}, point{l * .92, s.spring * .66},
		point{l * 1.005, s.spring + fore*.42})
	s.bottom = curve(under...)
	front := point{l * .985, s.spring*.75 + fore + 2}
	w := b.wall
	upperEdge := curve(front, point{l * .90, fore + w*.5 + s.spring*.42}, point{l * .72, fore + w*.6}, point{l * .5, s.top(.5) + w*.55},
		point{l * .3, s.top(.3) + w}, point{l * .12, heel + w*1.3}, point{0, heel + w*1.1})
	rear := curve(point{0, heel + w*1.1}, point{-b.flare, heel * .72}, point{-b.flare * .75, heel * .38}, under[0])
	s.midsole = join(s.bottom, curve(under[len(under)-1], point{l * 1.008, s.spring + fore*.62}, front), upperEdge, rear)

	h := s.h
	y := func(u float64) float64 { return s.top(u) + w*.4 }
	box := map[term.LastShape]float64{"wide_toe": 1.14, "tapered": .88}[m.LastShape]
	if box == 0 {
		box = 1
	}
	collar, tab := .215, .25
	if m.HeelCounter == "sculpted" {
		collar, tab = .245, .315
	}
	tongue := .325
	if m.Class == term.Winter { // the cuff goes over the ankle
		collar, tab, tongue = .315, .335, .365
	}
	s.upper = curve(point{l * .015, y(0)}, point{l * .004, y(0) + h*.10}, point{l * .022, y(0) + h*.20}, point{l * .012, y(0) + h*tab*.93},
		point{l * .038, y(0) + h*tab}, point{l * .075, y(0) + h*tab*.93}, point{l * .125, y(.1) + h*collar},
		point{l * .20, y(.2) + h*(collar-.022)}, point{l * .265, y(.26) + h*(collar+.012)}, point{l * .318, y(.3) + h*(tongue-.015)},
		point{l * .345, y(.34) + h*tongue}, point{l * .372, y(.36) + h*(tongue-.03)}, point{l * .45, y(.45) + h*.232},
		point{l * .54, y(.54) + h*.176}, point{l * .64, y(.64) + h*.132*box}, point{l * .76, fore + w*.5 + h*.108*box + s.spring*.1},
		point{l * .87, fore + w*.5 + h*.088*box + s.spring*.3}, point{l * .95, fore + w*.5 + h*.05*box + s.spring*.5},
		point{l * .984, fore + 2 + s.spring*.72})
	return s
}

// lugStep is how far apart lugs stand, mm, by their spacing.
var lugStep = map[string]float64{"close": 9, "medium": 12, "wide": 16}

// lugLine are the lugs under a sole, from heel to toe, and the metal tips in every other one.
func (s shoeShape) lugLine() (lugs, tips line) {
	depth := s.lug
	if depth == 0 && !s.m.MetalTips {
		return nil, nil
	}
	step := lugStep[s.m.LugSpacing]
	if step == 0 {
		step = 11
	}
	if depth == 0 {
		depth, step = 1.5, 24
	}
	w := step * .55
	for i, x := 0, shoeLength*.06; x < shoeLength*.95; i, x = i+1, x+step {
		a, _ := s.bottom.lowAt(x)
		b, _ := s.bottom.lowAt(x + w)
		lugs = append(lugs, straight(point{x, a}, point{x + .15*w, a - depth}, point{x + .85*w, b - depth}, point{x + w, b})...)
		if s.m.MetalTips && i%2 == 0 {
			tips = append(tips, straight(point{x + .3*w, a - depth}, point{x + .5*w, a - depth - 3.5}, point{x + .7*w, a - depth})...)
		}
	}
	return lugs, tips
}

// side draws the shoe on a sheet.
func (s shoeShape) side(p *pen, on sheet) {
	l, h, m := shoeLength, s.h, s.m
	y := func(u float64) float64 { return s.top(u) + s.build.wall*.4 }
	// What lies over the midsole's edge is hidden by it.
	p.path("upper", on.shut(join(s.upper, straight(point{l * .98, m.StackForefootMM}, point{l * .02, m.StackHeelMM}))))
	p.path("seam", on.d(curve(point{l * .20, y(.2) + 2}, point{l * .215, y(.2) + h*.10}, point{l * .245, y(.25) + h*.19},
		point{l * .262, y(.26) + h*.245})))
	if m.HeelCounter == "sculpted" {
		p.path("seam", on.d(curve(point{l * .03, y(0) + h*.24}, point{l * .08, y(.08) + h*.15}, point{l * .15, y(.15) + h*.08},
			point{l * .185, y(.18) + 2})))
	}
	if m.Upper == "reinforced" { // a band round the forefoot
		p.path("seam", on.d(curve(point{l * .52, y(.52) + 3}, point{l * .58, y(.58) + h*.07}, point{l * .70, y(.7) + h*.055},
			point{l * .86, m.StackForefootMM + s.build.wall*.5 + s.spring*.3 + h*.035})))
	}
	if m.ToeBumper {
		f, w, sp := m.StackForefootMM, s.build.wall, s.spring
		p.path("bumper", on.shut(join(curve(point{l * .988, f + sp*.72}, point{l * .955, f + w*.5 + h*.052 + sp*.5},
			point{l * .90, f + w*.5 + h*.06 + sp*.36}, point{l * .86, f + w*.5 + sp*.3}), straight(point{l * .86, f + w*.5 + sp*.3},
			point{l * .985, f + sp*.6}))))
	}
	for k := range 5 {
		f := float64(k)
		p.path("lace", on.d(straight(point{l * (.375 + .047*f), y(.4) + h*(.268-.042*f)}, point{l * (.352 + .047*f), y(.4) + h*(.205-.036*f)})))
	}
	p.path("midsole", on.shut(s.midsole))
	if m.Level.Rung() >= term.Guidance.Rung() {
		s.dense(p, on)
	}
	if m.Plate != "" && m.Plate != "none" {
		heel, fore := m.StackHeelMM, m.StackForefootMM
		p.path("plate "+m.Plate, on.d(curve(point{l * .06, heel * .62}, point{l * .3, s.top(.3) * .52}, point{l * .55, s.top(.55) * .34},
			point{l * .75, fore*.36 + s.spring*.18}, point{l * .95, fore*.55 + s.spring*.72})))
	}
	if m.RockPlate {
		p.path("plate nylon", on.d(curve(point{l * .5, s.top(.5) * .22}, point{l * .7, s.top(.7) * .22}, point{l * .86, s.spring*.5 + 4})))
	}
	lugs, tips := s.lugLine()
	if len(lugs) > 0 {
		p.path("lug", on.shut(lugs))
	}
	if len(tips) > 0 {
		p.path("spike", on.shut(tips))
	}
}

// dense hatches what supports the inner side, as by the model's means and level: from the heel to
// the arch, the farther the more it is.
func (s shoeShape) dense(p *pen, on sheet) {
	l := shoeLength
	from, to := .16, .36+.07*float64(s.m.Level.Rung())
	d := ""
	for u := from; u <= to; u += .022 {
		t := (u - from) / (to - from)
		up := s.top(u)*(.97-.10*t) - 1
		down := up * (.42 - .22*math.Sin(math.Pi*t))
		d += on.d(straight(point{l * u, down}, point{l*u + 5, up}))
	}
	p.path("dense", d)
}

// shoeWords say what the drawing of a model shows.
func shoeWords(m *shoe.Model) string {
	text := fmt.Sprintf("%s %d from the side", m.Name, m.Version)
	if m.Plate != "" && m.Plate != "none" {
		text += ", " + m.Plate + " plate"
	}
	if m.LugDepthMM > 0 {
		text += ", with lugs"
	}
	return text
}

// The field of a shoe from the side, mm: every one is drawn in the same, so that lists compare.
const (
	shoeLeft, shoeRight, shoeTop, shoeLow = -16.0, 288.0, 144.0, -12.0
)

// Shoe draws a model from its outer side, to scale from its own numbers, w px wide. Its silhouette
// is its class's, its heel, forefoot, rocker, bevel, plate and lugs are its own.
func Shoe(m *shoe.Model, w float64) template.HTML {
	k := w / (shoeRight - shoeLeft)
	var p pen
	p.open("shoe", w, (shoeTop-shoeLow)*k, shoeWords(m))
	shoeOn(&p, m, k)
	return p.done()
}

// shoeKey is all that a shoe from the side is drawn from.
type shoeKey struct {
	k                              float64
	rocker                         int
	class                          term.Class
	heel, fore, lug                float64
	last                           term.LastShape
	level                          term.Level
	bevel, metal, bumper, rock     bool
	counter, upper, plate, between string
}

var keptShoes kept.By[shoeKey]

// shoeOn draws a model and its ground at the foot of a field of k px a mm.
func shoeOn(p *pen, m *shoe.Model, k float64) {
	key := shoeKey{k: k, rocker: int(m.Rocker), class: m.Class, heel: m.StackHeelMM, fore: m.StackForefootMM, lug: m.LugDepthMM,
		last: m.LastShape, level: m.Level, bevel: m.HeelBevel, metal: m.MetalTips, bumper: m.ToeBumper, rock: m.RockPlate,
		counter: string(m.HeelCounter), upper: string(m.Upper), plate: string(m.Plate), between: string(m.LugSpacing)}
	p.WriteString(string(keptShoes.Drawn(key, func() template.HTML {
		var p pen
		on := sheet{point{-shoeLeft * k, (shoeTop - m.LugDepthMM) * k}, k, false}
		p.f(`<path class="ground" d="M0 %.1fH%.1f"/>`, shoeTop*k+1, (shoeRight-shoeLeft)*k)
		shapeOf(m).side(&p, on)
		return template.HTML(p.String())
	})))
}

// usual are three models that stand for those to come.
var usual = []shoe.Model{
	{Name: "A daily shoe", Class: term.Daily, StackHeelMM: 34, StackForefootMM: 25, HeelCounter: "sculpted", Rocker: 1},
	{Name: "A trail shoe", Class: term.TrailClass, StackHeelMM: 31, StackForefootMM: 25, HeelCounter: "sculpted", Rocker: 1, LugDepthMM: 4,
		LugSpacing: "medium", ToeBumper: true},
	{Name: "A racer", Class: term.RacePlated, StackHeelMM: 39, StackForefootMM: 31, Rocker: 3, HeelBevel: true, Plate: "carbon"},
}

// ShoesToCome draws three shoes, to be shown pale where none is chosen yet.
func ShoesToCome() template.HTML {
	const k, each = 0.74, 244.0
	var p pen
	p.plain("shoe", 3*each, (shoeTop-shoeLow)*k)
	for i := range usual {
		p.f(`<g transform="translate(%.0f 0)">`, each*float64(i))
		shoeOn(&p, &usual[i], k)
		p.f(`</g>`)
	}
	return p.done()
}

// ShoeMeasured is the shoe from the side with its heel and forefoot stack, its drop and its toe's rise.
func ShoeMeasured(m *shoe.Model, u units.System) template.HTML {
	const side, k, w = 84.0, 1.32, (shoeRight-shoeLeft)*1.32 + 2*84
	var p pen
	h := (shoeTop-shoeLow)*k + 16
	p.open("shoe measured", w, h, fmt.Sprintf("%s, heel %s, forefoot %s", shoeWords(m), u.Length(m.StackHeelMM), u.Length(m.StackForefootMM)))
	p.f(`<g transform="translate(%.0f 0)">`, side)
	shoeOn(&p, m, k)
	p.f(`</g>`)
	ground := shoeTop * k
	lift := m.LugDepthMM * k
	mark := func(x, y0, y1, at, far float64, anchor, text string) {
		p.f(`<path class="dimline" d="M%.1f %.1fV%.1fm-5 0h10M%.1f %.1fh10M%.1f %.1fH%.1f"/>`, x, y0, y1, x-5, y0, x, y1, far)
		p.word("dim", at, (y0+y1)/2+5, anchor, text)
	}
	// Stacks are measured from the ground to under the foot.
	mark(side-14, ground, ground-m.StackHeelMM*k-lift, side-22, side+.14*shoeLength*k, "end", u.Length(m.StackHeelMM))
	x := side + (shoeRight-shoeLeft)*k + 8
	mark(x, ground, ground-m.StackForefootMM*k-lift, x+8, side+.72*shoeLength*k, "start", u.Length(m.StackForefootMM))
	p.word("dim", w/2, h-3, "middle", "drop "+u.Length(m.Drop()))
	return p.done()
}

// Overlay lays two models over each other, to one scale: the first whole, the second broken.
func Overlay(a, b *shoe.Model) template.HTML {
	const k = 2.0
	var p pen
	p.open("shoe pairover", (shoeRight-shoeLeft)*k, (shoeTop-shoeLow)*k, fmt.Sprintf("%s %d laid over %s %d, to one scale", a.Name, a.Version,
		b.Name, b.Version))
	for _, x := range []struct {
		m     *shoe.Model
		class string
	}{{b, "second"}, {a, "first"}} {
		p.f(`<g class="%s">`, x.class)
		shoeOn(&p, x.m, k)
		p.f(`</g>`)
	}
	return p.done()
}
