package draw

import (
	"fmt"
	"html/template"
	"slices"

	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/web/kept"
)

// The outsole of a left shoe as seen from above, in parts of its length as a foot's is; the inner
// side positive. From below the left one lies as the right one does from above.
var soleOutline = []point{{0, 0}, {-.068, .008}, {-.114, .045}, {-.134, .115}, {-.139, .20}, {-.138, .30}, {-.147, .40}, {-.168, .50},
	{-.188, .59}, {-.197, .67}, {-.195, .745}, {-.180, .825}, {-.147, .905}, {-.092, .966}, {-.020, .997}, {.045, 1.0}, {.105, .978},
	{.153, .928}, {.181, .855}, {.193, .775}, {.194, .70}, {.180, .62}, {.150, .53}, {.123, .43}, {.113, .34}, {.119, .25}, {.133, .17},
	{.136, .10}, {.113, .04}, {.065, .007}}

// soleGrooves are the grooves between the zones of a sole, in the order toe to heel: three that go
// across and those that part heel, middle and ball lengthwise.
var soleGrooves = [][]point{
	{{-.25, .75}, {-.10, .795}, {.05, .805}, {.25, .785}}, // ball and toe
	{{-.25, .475}, {-.05, .51}, {.10, .525}, {.25, .52}},  // middle and ball
	{{-.25, .265}, {0, .285}, {.25, .275}},                // heel and middle
	{{-.045, -.05}, {-.047, .10}, {-.043, .275}}, {{.047, -.05}, {.049, .10}, {.045, .28}},
	{{-.012, .28}, {-.016, .40}, {-.004, .515}},
	{{-.072, .495}, {-.072, .62}, {-.062, .80}}, {{.058, .52}, {.066, .62}, {.068, .803}},
}

// soleZones are the zones of a left sole between the grooves, in the order of support.Zones: which grooves
// bound it below, above, at its outer and at its inner side, -1 the sole's own edge; at is where a zone's
// grade stands.
var soleZones = [9]struct {
	low, high, outer, inner int
	at                      point
}{
	{-1, 2, 4, -1, point{.085, .15}}, {-1, 2, 3, 4, point{0, .10}}, {-1, 2, -1, 3, point{-.088, .16}},
	{2, 1, 5, -1, point{.055, .40}}, {2, 1, -1, 5, point{-.075, .385}},
	{1, 0, 7, -1, point{.125, .66}}, {1, 0, 6, 7, point{-.004, .655}}, {1, 0, -1, 6, point{-.132, .635}},
	{0, -1, -1, -1, point{-.01, .895}},
}

// zoneEdge is a zone's border, generous at the sole's own edge, which cuts it.
func zoneEdge(i int) (edge line, lo, hi point) {
	z := soleZones[i]
	side := func(groove int, own, y float64) float64 {
		if groove < 0 {
			return own
		}
		g := soleGrooves[groove]
		y = min(max(y, g[0].y), g[len(g)-1].y)
		turned := curve(g...).each(func(p point) point { return point{p.y, p.x} })
		x, _ := turned.highAt(y)
		return x
	}
	across := func(groove int, own float64) []point {
		if groove < 0 {
			return []point{{side(z.outer, -.24, max(own, -.04)), own}, {side(z.inner, .24, max(own, -.04)), own}}
		}
		g := curve(soleGrooves[groove]...)
		at, _ := g.highAt(0)
		from, to := side(z.outer, -.24, at), side(z.inner, .24, at)
		var out []point
		for k := range 5 {
			x := from + (to-from)*float64(k)/4
			y, _ := g.highAt(x)
			out = append(out, point{x, y})
		}
		return out
	}
	below, above := across(z.low, -.05), across(z.high, 1.05)
	slices.Reverse(above)
	edge = straight(append(append(below, above...), below[0])...)
	lo, hi = edge.box()
	return edge, lo, hi
}

// treadOf are the bars of rubber in a zone.
func treadOf(lo, hi point) line {
	var l line
	for y := max(lo.y, -.01) + .014; y < min(hi.y, 1.01); y += .028 {
		mid := (max(lo.x, -.2) + min(hi.x, .2)) / 2
		l = append(l, curve(point{max(lo.x, -.21) + .008, y + .006}, point{mid, y - .006}, point{min(hi.x, .21) - .008, y + .006})...)
	}
	return l
}

// Lies is as which side a sole lies: seen from below the left one lies as the right one does from above.
func Lies(side term.Side, below bool) term.Side {
	switch {
	case !below:
		return side
	case side == term.Left:
		return term.Right
	}
	return term.Left
}

// The field of a sole to tap on, px: SoleAt says where its zones lie in it.
const (
	soleWidth, soleHeight = 186.0, 434.0
	soleK                 = 420.0 // px a length
)

func soleSheet(lies term.Side) sheet {
	return sheet{point{soleWidth/2 - map[term.Side]float64{term.Left: -1, term.Right: 1}[lies], soleHeight - 7}, soleK, lies == term.Right}
}

// Sole draws a worn sole, as it is held, from below, or from above: the rubber of a zone grows paler,
// and its tread thins out, the more of it is gone.
func Sole(side term.Side, below bool, worn support.Sole) template.HTML {
	return keptSoles.Drawn(soleKey{side, below, worn}, func() template.HTML { return soleOf(side, below, worn) })
}

type soleKey struct {
	side  term.Side
	below bool
	worn  support.Sole
}

var keptSoles kept.By[soleKey]

func soleOf(side term.Side, below bool, worn support.Sole) template.HTML {
	lies := Lies(side, below)
	on := soleSheet(lies)
	edge := on.shut(ring(soleOutline...))
	var p pen
	p.plain("soledraw "+string(side), soleWidth, soleHeight)
	p.f(`<g %s>`, p.clipTo(edge))
	p.path("foam", edge)
	for i := range soleZones {
		border, lo, hi := zoneEdge(i)
		p.path(fmt.Sprintf("rubber g%d", worn[i]), on.shut(border))
		if worn[i] < support.MostGone {
			p.path(fmt.Sprintf("tread g%d", worn[i]), on.d(treadOf(lo, hi)))
		}
	}
	for _, g := range soleGrooves {
		p.path("groove", on.d(curve(g...)))
	}
	p.f(`</g>`)
	p.path("foot "+string(side), edge)
	return p.done()
}

// outsole draws a model's sole from below as new, its lugs by their spacing, to a length of k px a part.
func outsole(p *pen, m *shoe.Model, on sheet) {
	wide := buildOf(m).wide
	edge := on.shut(ring(soleOutline...).each(func(q point) point { return point{q.x * wide, q.y} }))
	p.f(`<g %s>`, p.clipTo(edge))
	p.path("foam", edge)
	step, w := .030, .62
	if m.LugDepthMM > 0 {
		step = map[string]float64{"close": .036, "medium": .050, "wide": .068}[m.LugSpacing]
		if step == 0 {
			step = .045
		}
		w = .5
	}
	d := ""
	for row, y := 0, .02; y < .99; row, y = row+1, y+step {
		if m.LugDepthMM == 0 { // bars right across
			d += on.d(curve(point{-.2, y + .012}, point{0, y - .006}, point{.2, y + .012}))
			continue
		}
		for x := -.21 + step*.5*float64(row%2); x < .21; x += step {
			d += on.shut(straight(point{x, y}, point{x + step*w/2, y + step*.28}, point{x + step*w, y}, point{x + step*w, y + step*.42},
				point{x + step*w/2, y + step*.7}, point{x, y + step*.42}))
		}
	}
	if m.LugDepthMM > 0 {
		p.path("lug", d)
	} else {
		p.path("tread", d)
	}
	p.f(`</g>`)
	p.path("shoeline", edge)
	if m.MetalTips {
		for _, at := range []point{{-.11, .88}, {.06, .90}, {.13, .78}, {-.14, .74}, {.02, .74}, {.14, .62}, {-.10, .60}, {-.09, .12}, {.09,
			.12}} {
			c := on.px(point{at.x * wide, at.y})
			p.f(`<circle class="spike" cx="%.1f" cy="%.1f" r="3"/>`, c.x, c.y)
		}
	}
}

// Outsole draws a model's sole from below, h px high.
func Outsole(m *shoe.Model, h float64) template.HTML {
	var p pen
	w := h * .46
	p.open("outsole", w, h, fmt.Sprintf("%s %d from below", m.Name, m.Version))
	outsole(&p, m, sheet{point{w / 2, h - 4}, h - 8, false})
	return p.done()
}

// inside is the outline of a shoe's inner room from above, in mm: its length and the widths at ball and
// heel, its toe box by the last.
func inside(last term.LastShape, length, ball, heel float64) line {
	// How far the box keeps its width towards the toes.
	full := map[term.LastShape]float64{"wide_toe": .060, "tapered": -.045}[last]
	p := []point{{0, 0}, {-.075, .010}, {-.115, .05}, {-.132, .12}, {-.135, .22}, {-.138, .33}, {-.152, .45}, {-.175, .56}, {-.192, .65},
		{-.194, .72}, {-.182 - full*.3, .80}, {-.150 - full*.8, .88}, {-.100 - full*.8, .945}, {-.030 - full*.3, .987}, {.045, 1},
		{.105 + full*.3, .982}, {.150 + full*.5, .935}, {.175 + full*.4, .86}, {.187, .79}, {.193, .72}, {.185, .64}, {.155, .54}, {.128, .44},
		{.118, .34}, {.122, .24}, {.132, .15}, {.125, .07}, {.085, .014}}
	for i := range p {
		k := heel/(.267*length) + (ball/(.387*length)-heel/(.267*length))*smoothly(p[i].y, .25, .58)
		p[i] = point{p[i].x * k * length, p[i].y * length}
	}
	return ring(p...)
}

// ShoeAbove draws a model from above with a foot in it: its toe box by its last, the room before the
// toes in mm dimensioned. innerMM is how long the shoe is inside; with no foot it stands empty.
func ShoeAbove(m *shoe.Model, side term.Side, f foot.Measured, innerMM float64, u units.System) template.HTML {
	const k, w = 1.12, 264.0
	if innerMM == 0 {
		innerMM = 275
	}
	top := 30.0
	h := top + innerMM*k + 16
	heel := h - 14
	ball := .387 * innerMM
	on := sheet{point{w/2 - 27, heel}, k, side == term.Right}
	var p pen
	name := fmt.Sprintf("%s %d from above", m.Name, m.Version)
	if f.LengthMM > 0 {
		name += fmt.Sprintf(" with the %s foot in it, %s of room before the toes", side, u.Length(innerMM-f.LengthMM))
	}
	p.open("above", w, h, name)
	room := inside(m.LastShape, innerMM, ball, .267*innerMM)
	p.path("shoewall", on.shut(room.each(func(q point) point { return point{q.x * 1.06, q.y*1.025 - 3} })))
	p.path("shoeroom", on.shut(room))
	if f.LengthMM > 0 {
		p.path("foot "+string(side), on.shut(topOf(f, false).edge))
		tip, end := heel-f.LengthMM*k, heel-innerMM*k
		p.f(`<path class="dimline" d="M%.1f %.1fh66M%.1f %.1fh66M%.1f %.1fV%.1f"/>`, w/2+6, tip, w/2+6, end, w/2+66, tip, end)
		p.word("dim "+string(side), w/2+76, (tip+end)/2+5, "start", u.Length(innerMM-f.LengthMM))
	}
	return p.done()
}

// ShoeRear draws a model from behind, standing straight or tipped by deg to its inner side: how wide
// its base stands and how it flares.
func ShoeRear(m *shoe.Model, side term.Side, deg float64) template.HTML {
	const w, h, k = 170.0, 176.0, 1.15
	b := buildOf(m)
	heel, wide := m.StackHeelMM, 37*b.wide
	base := wide + b.flare*.5
	if m.Level.Rung() >= term.Guidance.Rung() {
		base += 3
	}
	midsole := join(straight(point{-base + 3, 0}, point{base - 3, 0}),
		curve(point{base - 3, 0}, point{base, 4}, point{wide + 1, heel * .6}, point{wide - 1, heel + b.wall}),
		straight(point{wide - 1, heel + b.wall}, point{-wide + 1, heel + b.wall}),
		curve(point{-wide + 1, heel + b.wall}, point{-wide - 1, heel * .6}, point{-base, 4}, point{-base + 3, 0}))
	tall := heel + 62*b.tall
	upper := curve(point{-wide + 4, heel + b.wall}, point{-wide + 2, heel + 22}, point{-wide + 10, tall - 12}, point{-21, tall},
		point{0, tall + 5}, point{21, tall}, point{wide - 10, tall - 12}, point{wide - 2, heel + 22}, point{wide - 4, heel + b.wall})
	var p pen
	p.open("heelon", w, h, fmt.Sprintf("the %s shoe from behind", side))
	p.f(`<path class="ground" d="M14 %.1fH%.0f"/><path class="hair" d="M%.0f 8V%.1f"/>`, h-14, w-14, w/2, h-14)
	turn := deg
	if side == term.Left {
		turn = -deg
	}
	p.f(`<g transform="rotate(%.1f %.0f %.0f)">`, -turn, w/2, h-14)
	on := sheet{point{w / 2, h - 14}, k, side == term.Right}
	p.path("upper", on.d(upper))
	p.path("seam", on.d(curve(point{-7, heel + b.wall}, point{-6, tall - 20}, point{-8, tall + 3}))+
		on.d(curve(point{7, heel + b.wall}, point{6, tall - 20}, point{8, tall + 3})))
	p.path("midsole", on.shut(midsole))
	p.f(`</g>`)
	return p.done()
}
