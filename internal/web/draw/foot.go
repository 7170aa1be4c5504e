package draw

import (
	"fmt"
	"hash/fnv"
	"html/template"
	"math"
	"strings"

	"trevik/internal/core/foot"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/web/kept"
)

// The foot from above, a left one: x in parts of the length, the inner side positive, y from the
// heel at 0 to the longest toe at 1. It is drawn for a ball of ballShare and a heel of heelShare
// of the length.
const (
	ballShare, heelShare = 0.385, 0.255
	ballY                = 0.715 // where the first metatarsal's head lies
)

var (
	footOuter = []point{{0, 0}, {-.060, .008}, {-.104, .047}, {-.126, .118}, {-.130, .22}, {-.134, .33}, {-.150, .45}, {-.173, .56},
		{-.190, .645}, {-.192, .70}, {-.186, .745}}
	// footToes are the outer web, outer side, tip and inner side of each toe, from the little one.
	footToes = [][]point{
		{{-.186, .745}, {-.191, .785}, {-.178, .820}, {-.151, .825}, {-.134, .795}},
		{{-.134, .795}, {-.141, .846}, {-.125, .884}, {-.097, .886}, {-.080, .845}},
		{{-.080, .845}, {-.087, .905}, {-.067, .940}, {-.037, .938}, {-.022, .889}},
		{{-.022, .889}, {-.029, .950}, {-.007, .981}, {.029, .979}, {.045, .915}},
		{{.045, .915}, {.037, .960}, {.068, .995}, {.117, 1.0}, {.159, .966}, {.174, .908}, {.173, .845}, {.168, .795}}}
	footInner = []point{{.168, .795}, {.178, .755}, {.192, .715}, {.190, .665}, {.172, .60}, {.146, .53}, {.120, .45}, {.108, .37},
		{.108, .28}, {.115, .19}, {.119, .115}, {.099, .045}, {.057, .008}, {0, 0}}
	// footNails are where each toe's nail lies: its middle and half its width.
	footNails = []struct{ x, y, r float64 }{{-.163, .806, .011}, {-.112, .869, .013}, {-.056, .922, .014}, {.008, .962, .015},
		{.113, .966, .028}}
	// toeTips is how far each toe's tip lies from that of a tapered foot, from the little one.
	toeTips = map[term.Shape][5]float64{"square": {.018, .030, .038, .012, 0}, "round": {0, .010, .024, .030, -.012}}
)

// top is a foot from above in mm, its heel at the origin, its toes up, its inner side to the right
// as a left foot has it: the outline, and the nails.
type top struct {
	edge, nails line
	ball        [2]point // the widest places of the ball
	heel        [2]point // and of the heel
}

// topOf is the foot of these numbers. What was not measured is of the usual share of the length;
// small draws the toes as one.
func topOf(m foot.Measured, small bool) top {
	l := m.LengthMM
	ball, heel, at := m.BallMM/l, m.HeelMM/l, m.HeelToBallMM/l
	if ball == 0 {
		ball = ballShare
	}
	if heel == 0 {
		heel = heelShare * math.Sqrt(ball/ballShare) // a broad foot has a broad heel, if less so
	}
	if at == 0 {
		at = ballY
	}
	shift := toeTips[m.Shape]
	move := func(p point) point {
		k := heel/heelShare + (ball/ballShare-heel/heelShare)*smoothly(p.y, .25, .55)
		y := p.y
		if y < ballY {
			y *= 1 + (at/ballY-1)*smoothly(y, .1, ballY)
		} else {
			y = at + (y-ballY)*(1-at)/(1-ballY)
		}
		return point{p.x * k * l, y * l}
	}
	toes := make([][]point, len(footToes))
	tip := 0.0
	for i, t := range footToes {
		toes[i] = append([]point(nil), t...)
		lo := math.Max(t[0].y, t[len(t)-1].y)
		if i == 4 {
			lo = .9
		}
		for k := range t {
			toes[i][k].y += shift[i] * smoothly(t[k].y, min(t[0].y, t[len(t)-1].y), lo+.05)
			tip = max(tip, toes[i][k].y)
		}
	}
	each := func(p []point) []point {
		out := make([]point, len(p))
		for i, q := range p {
			if q.y > .8 {
				q.y = .8 + (q.y-.8)*(.2/(tip-.8)) // the longest toe ends at the length
			}
			out[i] = move(q)
		}
		return out
	}
	edge := []line{curve(each(footOuter)...)}
	if small {
		hull := []point{footOuter[len(footOuter)-1]}
		for i, t := range toes {
			hull = append(hull, t[2])
			if i == 4 {
				hull = append(hull, t[3], t[4], t[5], t[7])
			}
		}
		edge = append(edge, curve(each(hull)...))
	} else {
		for _, t := range toes {
			edge = append(edge, curve(each(t)...))
		}
	}
	f := top{edge: join(append(edge, curve(each(footInner)...))...)}
	// A curve swells a little past its points: what was measured is what is drawn.
	lo, hi := f.edge.box()
	fit := func(p point) point {
		k := ball * l / (hi.x - lo.x)
		k = 1 + (k-1)*smoothly(p.y, .3*l, .6*l)
		return point{p.x * k, (p.y - lo.y) * l / (hi.y - lo.y)}
	}
	f.edge = f.edge.each(fit)
	for i, n := range footNails {
		y := n.y + shift[i]
		around := each([]point{{n.x - n.r, y - .012}, {n.x - .8*n.r, y + .3*n.r}, {n.x, y + .7*n.r}, {n.x + .8*n.r, y + .3*n.r},
			{n.x + n.r, y - .012}})
		if !small {
			f.nails = append(f.nails, curve(around...).each(fit)...)
		}
	}
	widest := func(from, to float64) (w [2]point) {
		w = [2]point{{math.Inf(1), 0}, {math.Inf(-1), 0}}
		for _, p := range f.edge.points(10) {
			if p.y < from*l || p.y > to*l {
				continue
			}
			if p.x < w[0].x {
				w[0] = p
			}
			if p.x > w[1].x {
				w[1] = p
			}
		}
		return w
	}
	f.ball, f.heel = widest(.55, .82), widest(.03, .25)
	return f
}

// footPath is a foot from above on a sheet of one px a mm times k, its heel at heelY and its
// middle at midX, toes up.
func footPath(side term.Side, m foot.Measured, k, midX, heelY float64, small bool) string {
	return sheet{point{midX, heelY}, k, side == term.Right}.shut(topOf(m, small).edge)
}

// likeAny is a foot of usual shape where only its side counts.
func likeAny(length float64) foot.Measured { return foot.Measured{LengthMM: length} }

// pen writes a drawing.
type pen struct{ strings.Builder }

func (p *pen) f(format string, a ...any) { fmt.Fprintf(p, format, a...) }

// open begins a drawing of w by h px with its name for those who cannot see it.
func (p *pen) open(class string, w, h float64, name string) {
	p.f(`<svg class="%s" width="%.0f" height="%.0f" viewBox="0 0 %.0f %.0f" role="img" aria-label="%s">`, class, w, h, w, h,
		template.HTMLEscapeString(name))
}

// plain begins a drawing that says nothing that is not beside it in words.
func (p *pen) plain(class string, w, h float64) {
	p.f(`<svg class="%s" width="%.0f" height="%.0f" viewBox="0 0 %.0f %.0f" aria-hidden="true">`, class, w, h, w, h)
}

func (p *pen) path(class, d string) { p.f(`<path class="%s" d="%s"/>`, class, d) }

// clipTo writes a field that others are cut to and gives the attribute that does it. Its name is made from
// its shape: drawings of the same kind stand on one page, and a name must not lead to another's field.
func (p *pen) clipTo(d string) string {
	h := fnv.New64a()
	h.Write([]byte(d))
	p.f(`<clipPath id="cut-%x"><path d="%s"/></clipPath>`, h.Sum64(), d)
	return fmt.Sprintf(`clip-path="url(#cut-%x)"`, h.Sum64())
}

// word writes a text; anchor is start, middle or end.
func (p *pen) word(class string, x, y float64, anchor, text string) {
	p.f(`<text class="%s" x="%s" y="%s"`, class, tenth(x), tenth(y))
	if anchor != "start" {
		p.f(` text-anchor="%s"`, anchor)
	}
	p.f(`>%s</text>`, template.HTMLEscapeString(text))
}

func (p *pen) done() template.HTML {
	p.WriteString(`</svg>`)
	return template.HTML(p.String())
}

// Feet draws both feet from above to scale, from their own numbers, heels on one line: lengths and
// widths dimensioned, and at the shorter one how much it lacks. Feet of earlier visits stand behind
// as thin lines. k is px a mm; a foot that was not measured is drawn pale, as what is still to come.
func Feet(f foot.Feet, u units.System, k float64, earlier ...foot.Feet) template.HTML {
	const side, gap = 62.0, 34.0
	long := math.Max(f.Left.LengthMM, f.Right.LengthMM)
	if long == 0 {
		long = 260
	}
	wide := func(m foot.Measured) float64 {
		if m.LengthMM == 0 {
			return ballShare * long
		}
		return math.Max(ballOf(m), ballShare*0.9*m.LengthMM)
	}
	wl, wr := wide(f.Left)*k, wide(f.Right)*k
	top := 30.0
	heel := top + long*k
	w, h := 2*side+wl+gap+wr, heel+44
	var p pen
	p.open("feet", w, h, feetWords(f, u))
	p.f(`<path class="hair" d="M%.1f %.1fH%.1f"/>`, side-8, heel, w-side+8)
	for _, s := range []struct {
		side    term.Side
		m       foot.Measured
		mid     float64
		at, way float64 // where its length is dimensioned, and which way is out
		said    float64 // where it is written
	}{{term.Left, f.Left, side + wl/2, side - 22, -1, side - 29}, {term.Right, f.Right, w - side - wr/2, w - side + 22, 1, w - side + 40}} {
		on := sheet{point{s.mid, heel}, k, s.side == term.Right}
		if s.m.LengthMM == 0 {
			p.path("foot pale "+string(s.side), on.shut(topOf(likeAny(long), false).edge))
			p.word("word faint", s.mid, heel-long*k*.35, "middle", "not measured")
			p.word("sidename "+string(s.side), s.mid, heel+30, "middle", string(s.side))
			continue
		}
		for _, e := range earlier {
			if was := e.Of(s.side); was.LengthMM > 0 {
				p.path("earlier", on.shut(topOf(was, true).edge))
			}
		}
		shape := topOf(s.m, false)
		tip := heel - s.m.LengthMM*k
		p.path("foot "+string(s.side), on.shut(shape.edge))
		p.path("nails "+string(s.side), on.d(shape.nails))
		p.f(`<path class="dimline" d="M%.1f %.1fH%.1fM%.1f %.1fV%.1fm-5 0h10M%.1f %.1fh10"/>`, s.mid, tip, s.at+5*s.way, s.at, tip, heel, s.at-5,
			tip)
		p.f(`<text class="dim %s" transform="translate(%.1f %.1f) rotate(-90)" text-anchor="middle">%s</text>`, s.side, s.said,
			heel-s.m.LengthMM*k/2, u.Length(s.m.LengthMM))
		p.across(on, shape.ball, string(s.side), s.m.BallMM, u)
		p.across(on, shape.heel, string(s.side), s.m.HeelMM, u)
		p.word("sidename "+string(s.side), s.mid, heel+30, "middle", string(s.side))
	}
	if d := f.Left.LengthMM - f.Right.LengthMM; f.Left.LengthMM > 0 && f.Right.LengthMM > 0 && math.Abs(d) >= 0.5 {
		mid, short := w-side-wr/2, f.Right.LengthMM
		if d < 0 {
			mid, short = side+wl/2, f.Left.LengthMM
		}
		p.f(`<path class="lack" d="M%.1f %.1fh%.1fM%.1f %.1fV%.1fm-4 0h8"/>`, mid-wl/3, top, wl/1.5, mid, top, heel-short*k)
		p.word("dim strongword", mid, top-8, "middle", u.Length(math.Abs(d))+" shorter")
	}
	return p.done()
}

// across dimensions a width between two places of an outline; a width that was not measured has none.
func (p *pen) across(on sheet, at [2]point, class string, mm float64, u units.System) {
	if mm == 0 || on.k < 0.9 { // small feet have their widths in the table beside them
		return
	}
	a, b := on.px(at[0]), on.px(at[1])
	y := (a.y + b.y) / 2
	p.f(`<path class="dimline" d="M%.1f %.1fH%.1fm0 -5v10M%.1f %.1fv10"/>`, a.x, y, b.x, a.x, y-5)
	p.word("dim "+class, (a.x+b.x)/2, y-7, "middle", u.Length(mm))
}

// ballOf is the ball width to draw: the measured one, else the usual share.
func ballOf(m foot.Measured) float64 {
	if m.BallMM > 0 {
		return m.BallMM
	}
	return ballShare * m.LengthMM
}

// feetWords say what the drawing of both feet shows.
func feetWords(f foot.Feet, u units.System) string {
	var parts []string
	for _, s := range term.Sides {
		m := f.Of(s)
		if m.LengthMM == 0 {
			parts = append(parts, string(s)+" foot not measured")
			continue
		}
		part := fmt.Sprintf("%s foot %s long", s, u.Length(m.LengthMM))
		if m.BallMM > 0 {
			part += ", " + u.Length(m.BallMM) + " wide at the ball"
		}
		parts = append(parts, part)
	}
	return "Both feet from above, to scale: " + strings.Join(parts, "; ")
}

// TopFoot draws a foot from above, toes up, to tap on.
func TopFoot(side term.Side, m foot.Measured) template.HTML {
	return keptTops.Drawn(topKey{side, m}, func() template.HTML { return topFootOf(side, m) })
}

type topKey struct {
	side term.Side
	m    foot.Measured
}

var keptTops kept.By[topKey]

func topFootOf(side term.Side, m foot.Measured) template.HTML {
	if m.LengthMM == 0 {
		m = likeAny(264)
	}
	const w, h = 130.0, 290.0
	k := (h - 12) / m.LengthMM
	shape := topOf(m, false)
	on := sheet{point{w / 2, h - 6}, k, side == term.Right}
	var p pen
	p.plain("topfoot", w, h)
	p.path("foot "+string(side), on.shut(shape.edge))
	p.path("nails "+string(side), on.d(shape.nails))
	return p.done()
}

// footSide is a foot from its inner side in parts of its length, heel at 0, toes at 1, cut off above
// the ankle; arch is how high its arch stands, instep how high the foot is at half its length.
func footSide(arch, instep float64) (edge, sole line) {
	sole = curve(point{-.012, .075}, point{.0, .03}, point{.045, .006}, point{.11, 0}, point{.19, .006}, point{.28, .012 + arch*.55},
		point{.40, .016 + arch}, point{.52, .012 + arch*.6}, point{.62, .006}, point{.70, 0}, point{.77, .006}, point{.83, .012},
		point{.885, .004}, point{.95, .004}, point{.99, .026})
	over := curve(point{.99, .026}, point{1.0, .052}, point{.975, .078}, point{.925, .086}, point{.88, .088}, point{.83, .104},
		point{.75, .145}, point{.66, .19}, point{.58, instep * .86}, point{.50, instep}, point{.42, instep * 1.2}, point{.365, instep * 1.5},
		point{.345, .50}, point{.35, .60})
	rear := curve(point{.085, .60}, point{.09, .50}, point{.082, .40}, point{.058, .30}, point{.018, .21}, point{-.008, .15},
		point{-.012, .075})
	return join(sole, over, straight(point{.35, .60}, point{.085, .60}), rear), sole
}

// The lower leg from behind, a left one, in mm: half widths at heights over the floor, to the outer
// and to the inner side, from the heel's pad up.
var legHalf = []struct{ y, outer, inner float64 }{{2, 20, 20}, {10, 30, 29}, {26, 33, 32}, {44, 30, 29}, {58, 29, 30}, {70, 34, 33},
	{80, 35, 35}, {92, 31, 33}, {112, 27, 28}, {150, 31, 32}, {200, 43, 45}, {246, 53, 56}, {290, 56, 59}, {330, 53, 55}}

// legJoint is where heel and leg turn against one another, mm over the floor.
const legJoint = 74.0

// legOf is a lower leg from behind whose heel is everted by deg, so that its pad goes outwards: its
// outline, its Achilles tendon, and the middles of leg and heel.
func legOf(deg float64) (edge, tendon, leg, heel line) {
	rad := deg * math.Pi / 180
	// The heel turns as a whole, the ankle bends between it and the leg.
	turn := func(p point) point {
		a := -rad * (1 - smoothly(p.y, legJoint-14, legJoint+26))
		x, y := p.x, p.y-legJoint
		return point{x*math.Cos(a) - y*math.Sin(a), legJoint + x*math.Sin(a) + y*math.Cos(a)}
	}
	var outer, inner []point
	for _, h := range legHalf {
		outer = append(outer, turn(point{-h.outer, h.y}))
		inner = append(inner, turn(point{h.inner, h.y}))
	}
	sole := curve(outer[0], turn(point{0, 0}), inner[0])
	edge = join(curve(outer...).back(), sole, curve(inner...))
	tendon = append(curve(turn(point{-12, 42}), turn(point{-9, 70}), point{-8, 110}, point{-13, 165}, point{-20, 205}),
		curve(turn(point{12, 42}), turn(point{9, 70}), point{8, 110}, point{13, 165}, point{20, 205})...)
	leg = straight(point{0, legJoint}, point{0, 330})
	heel = straight(turn(point{0, 0}), point{0, legJoint})
	return edge, tendon, leg, heel
}

// Rear draws the lower leg from behind with its heel at the angle of a band; a mean of the angle in
// degrees stands beside it where one was read.
func Rear(side term.Side, band term.Band) template.HTML { return RearAt(side, bandAngle[band], "") }

// RearAt draws the lower leg from behind with its heel at an angle to it, degrees, pronation
// positive, and what is said of it; empty says nothing.
func RearAt(side term.Side, deg float64, said string) template.HTML {
	const w, h, k = 190.0, 312.0, 0.82
	var p pen
	name := fmt.Sprintf("%s lower leg from behind", side)
	if said != "" {
		name += ", " + said
	}
	p.open("rear", w, h, name)
	on := sheet{point{w / 2, h - 12}, k, side == term.Right}
	p.f(`<path class="ground" d="M20 %.1fH%.0f"/>`, h-12, w-20)
	edge, tendon, leg, heel := legOf(deg)
	p.path("flesh "+string(side), on.d(edge))
	p.path("crease", on.d(tendon))
	// The leg's own line goes on below the joint, thin, so that the angle is seen.
	p.path("hair", on.d(straight(point{0, -4}, point{0, legJoint})))
	p.path("bone "+string(side), on.d(leg))
	p.path("bone "+string(side), on.d(heel))
	c := on.px(point{0, legJoint})
	p.f(`<circle class="dot %s" cx="%.1f" cy="%.1f" r="4"/>`, side, c.x, c.y)
	if said != "" {
		p.word("dim strongword "+string(side), w/2, 18, "middle", said)
	}
	return p.done()
}

// bandAngle is a typical eversion of each band, degrees, for the drawing.
var bandAngle = map[term.Band]float64{term.BandUnder: 0, term.BandNeutral: 6, term.BandMild: 10.5, term.BandMarked: 13.5,
	term.BandSevere: 18}

// Print draws what a wet print of an arch class looks like, left or right.
func Print(side term.Side, arch term.Arch) template.HTML {
	waist := map[term.Arch]float64{term.ArchHigh: .012, term.ArchMedium: .09, term.ArchLow: .185}[arch]
	const w, h, length = 110.0, 190.0, 172.0
	on := sheet{point{w/2 - 2, h - 8}, length, side == term.Right}
	body := ring(point{0, .004}, point{-.075, .03}, point{-.108, .10}, point{-.112, .2}, point{-.113, .3}, point{-.128, .42},
		point{-.155, .54}, point{-.172, .63}, point{-.165, .70}, point{-.12, .755}, point{-.03, .80}, point{.07, .815}, point{.14, .80},
		point{.168, .74}, point{.158, .66}, point{-.02 + waist*1.0, .565}, point{-.098 + waist, .46}, point{-.088 + waist, .36},
		point{-.035 + waist*.8, .26}, point{.072, .21}, point{.098, .13}, point{.082, .045})
	var p pen
	p.plain("print", w, h)
	p.path("wet "+string(side), on.shut(body))
	for _, t := range []struct{ x, y, rx, ry float64 }{{.115, .925, .052, .058}, {.012, .955, .030, .034}, {-.052, .920, .027, .031},
		{-.110, .868, .025, .028}, {-.158, .803, .023, .025}} {
		c := on.px(point{t.x, t.y})
		p.f(`<ellipse class="wet %s" cx="%.1f" cy="%.1f" rx="%.1f" ry="%.1f"/>`, side, c.x, c.y, t.rx*length, t.ry*length)
	}
	return p.done()
}
