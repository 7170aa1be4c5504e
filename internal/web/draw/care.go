package draw

import (
	"fmt"
	"html/template"
	"math"
	"strings"

	"trevik/internal/core/care"
	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/web/kept"
)

// RubSpot is a place of the drawn foot that can be tapped.
type RubSpot struct {
	Place term.Place
	URL   string
	On    bool
}

// rubAt are where the places lie on the drawing: the foot from above, its sole, its side.
var rubAt = map[term.Place][2]float64{
	"toe_tips": {92, 52}, "toe_tops": {70, 92}, "between_toes": {106, 96}, "ball": {268, 116}, "arch_plantar": {282, 206}, "heel": {264, 298},
	"top_of_foot": {90, 170}, "achilles": {420, 236}, "sides": {42, 128},
}

// RubFoot draws a foot, as it was measured, from above, from below and from the side with the places that
// can be tapped; each is a link.
func RubFoot(spots []RubSpot, m foot.Measured) template.HTML {
	if m.LengthMM == 0 {
		m = likeAny(262)
	}
	const h, heel = 352.0, 328.0
	k := 288 / m.LengthMM
	shape := topOf(m, false)
	var p pen
	p.f(`<svg class="rubfoot" width="660" height="%.0f" viewBox="0 0 660 %.0f" role="group" aria-label="Where it rubs: the foot from above, `+
		`from below and from the side">`, h, h)
	above, below := sheet{point{88, heel}, k, false}, sheet{point{264, heel}, k, true}
	p.path("footline", above.shut(shape.edge))
	p.path("nails", above.d(shape.nails))
	p.path("footline", below.shut(shape.edge))
	// From below: where the sole bears.
	for _, pad := range [][]point{{{-.11, .66}, {-.05, .72}, {.05, .75}, {.14, .72}, {.13, .62}, {.0, .59}, {-.10, .58}},
		{{-.07, .07}, {0, .035}, {.07, .07}, {.085, .15}, {.05, .215}, {-.05, .215}, {-.085, .15}}} {
		for i := range pad {
			pad[i] = pad[i].times(m.LengthMM)
		}
		p.path("pad", below.shut(ring(pad...)))
	}
	edge, _ := footSide(.06, .26)
	side := sheet{point{400, heel - 10}, 236, false}
	p.path("footline", side.shut(edge))
	p.path("ground", "M384 "+tenth(heel-8)+"H650")
	for _, t := range []struct {
		x    float64
		text string
	}{{88, "from above"}, {264, "from below"}, {520, "from the side"}} {
		p.word("word faint", t.x, h-4, "middle", t.text)
	}
	for _, s := range spots {
		at := rubAt[s.Place]
		class, current := "spot", ""
		if s.On {
			class, current = "spot on", ` aria-current="true"`
		}
		name := strings.ReplaceAll(string(s.Place), "_", " ")
		p.f(`<a href="%s"%s aria-label="%s"><circle class="hit" cx="%.0f" cy="%.0f" r="22"/><circle class="%s" cx="%.0f" cy="%.0f" r="13"/>`+
			`<title>%s</title></a>`, template.HTMLEscapeString(s.URL), current, name, at[0], at[1], class, at[0], at[1], name)
	}
	return p.done()
}

// LookShoe draws one shoe of a pair to be looked at: its sole from below, its upper and
// midsole from the side. The parts p-tread, p-evenness, p-upper and p-bounce are shaded as
// they are graded.
func LookShoe(side term.Side) template.HTML {
	return keptLooks.Drawn(side, func() template.HTML { return lookShoe(side) })
}

var keptLooks kept.By[term.Side]

func lookShoe(side term.Side) template.HTML {
	const w, h = 330.0, 176.0
	like := shoe.Model{Class: term.Daily, StackHeelMM: 34, StackForefootMM: 25, HeelCounter: "sculpted", LastShape: "standard", Rocker: 1}
	s := shapeOf(&like)
	lies := Lies(side, true)
	sole := sheet{point{50, h - 6}, h - 12, lies == term.Right}
	on := sheet{point{112, 150}, .74, false}
	var p pen
	p.open("lookshoe "+string(side), w, h, "The "+string(side)+" shoe: its sole from below, and its side")
	edge := sole.shut(ring(soleOutline...))
	p.path("p p-tread", edge)
	// The outer side is where most pairs wear.
	p.f(`<g %s>`, p.clipTo(edge))
	p.path("p p-evenness", sole.shut(straight(point{-.3, -.1}, point{-.06, -.1}, point{-.07, .5}, point{-.09, 1.1}, point{-.3, 1.1})))
	for _, g := range soleGrooves {
		p.path("hair", sole.d(curve(g...)))
	}
	p.f(`</g>`)
	p.path("edgeline", edge)
	upper := join(s.upper, straight(point{shoeLength * .98, like.StackForefootMM}, point{shoeLength * .02, like.StackHeelMM}))
	p.path("p p-upper", on.shut(upper))
	p.path("p p-bounce", on.shut(s.midsole))
	s.side(&p, on)
	return p.done()
}

// ChangeWeeks draws a plan of changing over: a bar a calendar week, the old pair's km below
// and the new pair's above, weeks that are run again with a broken edge; now is the week
// that today lies in, from 1, 0 none.
func ChangeWeeks(weeks []care.Week, now int, u units.System) template.HTML {
	if len(weeks) == 0 {
		return ""
	}
	const x0, w, top, bottom = 34.0, 680.0, 14.0, 150.0
	most := 1.0
	for _, x := range weeks {
		most = math.Max(most, x.KMNew+x.KMOld)
	}
	step := w / float64(len(weeks))
	h := func(km float64) float64 { return (bottom - top) * km / most }
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="changeweeks" width="730" height="192" viewBox="0 0 730 192" role="img" `+
		`aria-label="%d weeks, from %.0f to %.0f per cent in the new `+
		`pair"><path class="hair" d="M%.0f %.0fV%.0fH%.0f"/><text class="word small" x="0" `+
		`y="%.0f">%s</text>`, len(weeks), 100*weeks[0].Share, 100*weeks[len(weeks)-1].Share, x0, top, bottom, x0+w, top+8, u.DistanceUnit())
	for i, x := range weeks {
		at := x0 + step*float64(i) + 3
		class := ""
		if x.Repeat {
			class = " again"
		}
		fmt.Fprintf(&b, `<rect class="oldkm%s" x="%.1f" y="%.1f" width="%.1f" height="%.1f"/><rect class="newkm%s" x="%.1f" y="%.1f" `+
			`width="%.1f" height="%.1f"><title>week from %s: %s in the new pair, %s in the old</title></rect>`,
			class, at, bottom-h(x.KMOld), step-6, h(x.KMOld), class, at, bottom-h(x.KMOld)-h(x.KMNew), step-6, h(x.KMNew), x.Starts,
			u.Distance(x.KMNew), u.Distance(x.KMOld))
		if step > 34 || i%2 == 0 {
			fmt.Fprintf(&b, `<text class="word small" x="%.1f" y="%.0f" text-anchor="middle">%.0f</text>`, at+step/2-3, bottom+14, u.FromKm(x.KMNew))
		}
		if i+1 == now {
			fmt.Fprintf(&b, `<path class="strong" d="M%.1f %.0fv10"/><text class="word small" x="%.1f" y="%.0f" text-anchor="middle">now</text>`,
				at+step/2-3, bottom+18, at+step/2-3, bottom+38)
		}
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String())
}

// Exercise is one of the strength sheet.
type Exercise struct {
	Name  string
	Dose  string
	Steps string
	draw  string
}

// Drawing is a person in a field of 120 by 120: limbs as lines with a body, drawn twice, the second time
// narrower, so that they have an outline.
func (e Exercise) Drawing() template.HTML {
	var p pen
	p.f(`<svg class="exercise" width="200" height="200" viewBox="0 0 120 120" role="img" aria-label="%s">`+
		`<path class="ground" d="M8 114H112"/>`, e.Name)
	p.WriteString(e.draw)
	p.WriteString(strings.ReplaceAll(e.draw, `class="limb"`, `class="limb within"`))
	return p.done()
}

// Exercises are those of the sheet, with easy doses.
var Exercises = []Exercise{
	{"Calf raises", "2 × 12, every other day",
		"Stand at a wall, rise on both feet over two seconds, come down over three. When it is easy, on one foot.",
		`<path class="limb" d="M60 34V66L56 90L58 104M60 66L66 90L66 104M58 104L70 110M66 104L78 110M60 44L90 52"/>` +
			`<circle class="limb" cx="60" cy="24" r="9"/><path class="hair" d="M92 20V110"/><path class="arrow" d="M36 100V78M36 78l-5 8M36 78l5 ` +
			`8"/>`},
	{"One-leg balance", "3 × 30 seconds a side", "Stand on one foot, the knee soft and over the toes. Eyes shut when it is easy.",
		`<path class="limb" d="M60 34V66L60 88L58 108H68M60 66L76 82L64 94M60 44L38 52M60 44L84 50"/><circle class="limb" cx="60" cy="24" ` +
			`r="9"/>`},
	{"Towel curls", "2 × 10 a side", "Sit, heel down on a towel; draw it in with the toes, and let it go.",
		`<path class="limb" d="M40 34V66L74 68L74 104H92M40 66L44 104"/><circle class="limb" cx="40" cy="24" r="9"/>` +
			`<path class="strong" d="M84 108q6 -8 12 0t12 0"/><path class="arrow" d="M108 96H90M90 96l7 -5M90 96l7 5"/>`},
	{"Ankle with a band", "2 × 12 each way, each side",
		"A band round the forefoot, tied at the side: turn the foot in against it, then out, slowly.",
		`<path class="limb" d="M26 40V72L70 76L104 76M104 76V60"/><circle class="limb" cx="26" cy="30" r="9"/><path class="strong" d="M102 ` +
			`62q-16 -18 -34 -14"/><path class="arrow" d="M96 50q12 -6 16 6M112 56l-8 -2M112 56l2 -8"/>`},
	{"Side steps", "2 × 10 steps each way", "A band above the knees, hips low: step sideways, and follow without letting the band go slack.",
		`<path class="limb" d="M60 34V62L44 84L40 108H50M60 62L78 84L82 108H92M60 44L44 58M60 44L76 58"/><circle class="limb" cx="60" cy="24" ` +
			`r="9"/><path class="strong" d="M47 80Q61 86 75 80"/><path class="arrow" d="M92 60H112M112 60l-7 -5M112 60l-7 5"/>`},
}
