// Package draw makes Trevik's own drawings as SVG, to scale, from the numbers.
// Left is indigo and a solid line, right is amber and a broken line: the classes
// left and right carry both, on screen and in print.
package draw

import (
	"fmt"
	"html/template"
	"math"
	"strings"

	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

type point struct{ x, y float64 }

// sole is the outline of a left foot seen from above, toes up: x in ball widths
// from the outer to the inner side, y in foot lengths from the heel.
var sole = []point{
	{0, 0}, {-0.16, 0.012}, {-0.27, 0.05}, {-0.325, 0.12}, {-0.335, 0.22}, {-0.35, 0.34}, {-0.405, 0.48}, {-0.47, 0.59}, {-0.5, 0.66},
	{-0.485, 0.73}, {-0.455, 0.795}, {-0.40, 0.835}, {-0.33, 0.868}, {-0.24, 0.905}, {-0.15, 0.938}, {-0.05, 0.965}, {0.06, 0.98},
	{0.17, 0.995}, {0.27, 1.0}, {0.37, 0.985}, {0.43, 0.945}, {0.45, 0.885}, {0.455, 0.83}, {0.485, 0.77}, {0.5, 0.715},
	{0.47, 0.635}, {0.385, 0.54}, {0.30, 0.44}, {0.255, 0.34}, {0.255, 0.24}, {0.285, 0.15}, {0.26, 0.065}, {0.16, 0.015},
}

// smooth is a closed Catmull–Rom curve through points as an SVG path.
func smooth(p []point) string {
	var b strings.Builder
	n := len(p)
	fmt.Fprintf(&b, "M%.2f %.2f", p[0].x, p[0].y)
	for i := range p {
		p0, p1, p2, p3 := p[(i+n-1)%n], p[i], p[(i+1)%n], p[(i+2)%n]
		fmt.Fprintf(&b, "C%.2f %.2f %.2f %.2f %.2f %.2f", p1.x+(p2.x-p0.x)/6, p1.y+(p2.y-p0.y)/6, p2.x-(p3.x-p1.x)/6, p2.y-(p3.y-p1.y)/6, p2.x,
			p2.y)
	}
	b.WriteString("Z")
	return b.String()
}

// outline is a foot's path in mm: its heel at heelY, its middle at midX.
func outline(side term.Side, lengthMM, ballMM, midX, heelY float64) string {
	pts := make([]point, len(sole))
	for i, s := range sole {
		x := s.x * ballMM
		if side == term.Right {
			x = -x
		}
		pts[i] = point{midX + x, heelY - s.y*lengthMM}
	}
	return smooth(pts)
}

// ballOf is the ball width to draw: the measured one, else the usual share.
func ballOf(m foot.Measured) float64 {
	if m.BallMM > 0 {
		return m.BallMM
	}
	return 0.381 * m.LengthMM
}

// Feet draws both feet to scale from their numbers, heels on one line, lengths
// and widths dimensioned. A foot that was not measured is left open. Feet of
// earlier visits stand behind as thin lines.
func Feet(f foot.Feet, u units.System, earlier ...foot.Feet) template.HTML {
	longest := math.Max(math.Max(f.Left.LengthMM, f.Right.LengthMM), 240)
	heel := longest + 26
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="feet" viewBox="0 0 360 %.0f" role="img" aria-label="Both feet to scale">`, heel+34)
	fmt.Fprintf(&b, `<line class="hair" x1="8" x2="352" y1="%.1f" y2="%.1f"/>`, heel, heel)
	for _, s := range []struct {
		side    term.Side
		m       foot.Measured
		mid, at float64
	}{{term.Left, f.Left, 110, 22}, {term.Right, f.Right, 250, 338}} {
		if s.m.LengthMM == 0 {
			fmt.Fprintf(&b, `<text class="dim" x="%.0f" y="%.0f" text-anchor="middle">%s not measured</text>`, s.mid, heel-110, s.side)
			continue
		}
		ball := ballOf(s.m)
		top := heel - s.m.LengthMM
		for _, e := range earlier {
			if was := e.Of(s.side); was.LengthMM > 0 {
				fmt.Fprintf(&b, `<path class="hair" d="%s"/>`, outline(s.side, was.LengthMM, ballOf(was), s.mid, heel))
			}
		}
		fmt.Fprintf(&b, `<path class="foot %s" d="%s"/>`, s.side, outline(s.side, s.m.LengthMM, ball, s.mid, heel))
		fmt.Fprintf(&b, `<path class="hair" d="M%.1f %.1fH%.1fM%.1f %.1fV%.1fM%.1f %.1fh8m-4 0v%.1fm-4 0h8"/>`, s.mid, top, s.at, s.at, top,
			heel, s.at-4, top, s.m.LengthMM)
		fmt.Fprintf(&b, `<text class="dim %s" transform="translate(%.1f %.1f) rotate(-90)" text-anchor="middle">%s</text>`, s.side,
			s.at-5+map[term.Side]float64{term.Left: 0, term.Right: 16}[s.side], heel-s.m.LengthMM/2, u.Length(s.m.LengthMM))
		if s.m.BallMM > 0 {
			y := heel - 0.69*s.m.LengthMM
			fmt.Fprintf(&b, `<path class="hair" d="M%.1f %.1fH%.1f"/>`, s.mid-ball/2, y, s.mid+ball/2)
			fmt.Fprintf(&b, `<text class="dim %s" x="%.1f" y="%.1f" text-anchor="middle">%s</text>`, s.side, s.mid, y-4, u.Length(s.m.BallMM))
		}
		fmt.Fprintf(&b, `<text class="dim %s" x="%.1f" y="%.1f" text-anchor="middle">%s</text>`, s.side, s.mid, heel+18, s.side)
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String())
}

// Overlay draws the left foot over the mirrored right one, heels together, with
// the difference at the toes. It is empty unless both feet were measured.
func Overlay(f foot.Feet, u units.System) template.HTML {
	if f.Left.LengthMM == 0 || f.Right.LengthMM == 0 {
		return ""
	}
	longest := math.Max(f.Left.LengthMM, f.Right.LengthMM)
	heel := longest + 20
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="feet" viewBox="0 0 216 %.0f" role="img" aria-label="Left foot over the mirrored right">`, heel+34)
	for _, s := range []struct {
		side term.Side
		m    foot.Measured
	}{{term.Right, f.Right}, {term.Left, f.Left}} {
		fmt.Fprintf(&b, `<path class="foot %s" d="%s"/>`, s.side, outline(term.Left, s.m.LengthMM, ballOf(s.m), 84, heel))
		fmt.Fprintf(&b, `<path class="edge %s" d="M60 %.1fH150"/>`, s.side, heel-s.m.LengthMM)
	}
	if f.Left.BallMM > 0 && f.Right.BallMM > 0 {
		y := heel - 0.69*math.Min(f.Left.LengthMM, f.Right.LengthMM)
		wider := math.Max(f.Left.BallMM, f.Right.BallMM)
		for _, s := range []struct {
			side term.Side
			ball float64
		}{{term.Left, f.Left.BallMM}, {term.Right, f.Right.BallMM}} {
			fmt.Fprintf(&b, `<path class="edge %s" d="M%.1f %.1fv14"/>`, s.side, 84+s.ball/2, y-7)
		}
		fmt.Fprintf(&b, `<text class="dim" x="%.1f" y="%.1f">%s</text>`, 84+wider/2+5, y+4, u.Length(math.Abs(f.Left.BallMM-f.Right.BallMM)))
	}
	d := math.Abs(f.Left.LengthMM - f.Right.LengthMM)
	fmt.Fprintf(&b, `<text class="dim" x="154" y="%.1f">%s</text>`, heel-longest+d/2+4, u.Length(d))
	fmt.Fprintf(&b, `<text class="dim" x="84" y="%.1f" text-anchor="middle">left over right, mirrored</text></svg>`, heel+20)
	return template.HTML(b.String())
}

// Print draws what a wet print of an arch class looks like, left or right.
func Print(side term.Side, arch term.Arch) template.HTML {
	waist := map[term.Arch]float64{term.ArchHigh: 0.02, term.ArchMedium: 0.31, term.ArchLow: 0.48}[arch]
	flip := 1.0
	if side == term.Right {
		flip = -1
	}
	const mid, heel, length, ball = 50.0, 150.0, 130.0, 54.0
	at := func(x, y float64) point { return point{mid + flip*x*ball, heel - y*length} }
	body := smooth([]point{at(-0.02, 0), at(-0.25, 0.05), at(-0.31, 0.16), at(-0.33, 0.3), at(-0.4, 0.47), at(-0.48, 0.6), at(-0.47, 0.7),
		at(-0.3, 0.78), at(0.05, 0.82),
		at(0.36, 0.8), at(0.47, 0.72), at(0.42, 0.62), at(-0.4+waist+0.1, 0.5), at(-0.36+waist, 0.4), at(-0.3+waist+0.12, 0.28), at(0.25, 0.17),
		at(0.22, 0.05)})
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="print" viewBox="0 0 100 160" aria-hidden="true"><path class="wet %s" d="%s"/>`, side, body)
	for _, t := range []struct{ x, y, r float64 }{{0.33, 0.93, 8.5}, {0.06, 0.95, 5.5}, {-0.13, 0.92, 5}, {-0.29, 0.87, 4.6},
		{-0.42, 0.81, 4.2}} {
		p := at(t.x, t.y)
		fmt.Fprintf(&b, `<circle class="wet %s" cx="%.1f" cy="%.1f" r="%.1f"/>`, side, p.x, p.y, t.r)
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String())
}

// bandAngle is a typical eversion of each band, degrees, for the drawing.
var bandAngle = map[term.Band]float64{term.BandUnder: 0, term.BandNeutral: 6, term.BandMild: 10.5, term.BandMarked: 13.5,
	term.BandSevere: 18}

// Rear draws leg and heel from behind, rolled in as a band is.
func Rear(side term.Side, band term.Band) template.HTML {
	angle := bandAngle[band]
	// From behind, the left foot is on the left and rolls towards the right.
	if side == term.Right {
		angle = -angle
	}
	return template.HTML(fmt.Sprintf(`<svg class="rear" viewBox="0 0 100 130" aria-hidden="true"><path class="hair" d="M50 8V122M14 122H86"/>`+
		`<path class="flesh %[1]s" d="M38 6C37 34 41 56 43 78M62 6C63 34 59 56 57 78"/><path class="bone %[1]s" d="M50 10V78"/>`+
		`<g transform="rotate(%.1[2]f 50 78)"><path class="flesh %[1]s" d="M43 78C38 90 33 104 35 114C37 121 63 121 65 114C67 104 62 90 57 `+
		`78"/><path class="bone %[1]s" d="M50 78V114"/></g>`+
		`<circle class="dot %[1]s" cx="50" cy="78" r="3"/></svg>`, side, angle))
}

// Shoe draws a model from the outer side, to scale from its own numbers: stack,
// drop, rocker, heel bevel and lugs. Every length is in mm.
func Shoe(m *shoe.Model) template.HTML {
	const left, right, ground = 20.0, 300.0, 118.0
	heel, fore := m.StackHeelMM, m.StackForefootMM
	lift := 4 + 7*float64(m.Rocker) // how far the toe is off the ground
	bevel := 3.0
	if m.HeelBevel {
		bevel = 11
	}
	h, f := ground-heel, ground-fore
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="shoe" viewBox="0 0 320 136" role="img" aria-label="%s from its own numbers">`,
		template.HTMLEscapeString(m.Name))
	// Upper: heel, collar, tongue, throat, toe.
	fmt.Fprintf(&b, `<path class="upper" d="M%.1f %.1fc-7 -20 -4 -38 5 -53c8 -7 17 -3 22 6c12 12 28 6 42 -10l17 -8c8 0 12 5 18 12C%.1f `+
		`%.1f %.1f %.1f %.1f %.1fC%.1f %.1f %.1f %.1f %.1f %.1f"/>`,
		left+8, h,
		left+140, f-38, left+170, f-30, left+204, f-26,
		right-46, f-22, right-16, f-16-lift*0.4, right-5, f-lift*0.5)
	fmt.Fprintf(&b, `<path class="lace" d="M%.1f %.1fl15 13m-1 -22l15 13m0 -20l14 12"/>`, left+118, f-34)
	// Midsole and outsole.
	fmt.Fprintf(&b, `<path class="midsole" d="M%.1f %.1fC%.1f %.1f %.1f %.1f %.1f %.1fC%.1f %.1f %.1f %.1f %.1f %.1fC%.1f %.1f %.1f %.1f `+
		`%.1f %.1fL%.1f %.1fC%.1f %.1f %.1f %.1f %.1f %.1fZ"/>`,
		left+2, h-3,
		left+60, h+4, left+120, (h+f)/2+2, left+170, f,
		left+215, f-1, right-40, f-lift*0.2, right-2, f-lift*0.5-3,
		right+2, f-lift*0.5+fore*0.3, right-24, ground-lift*0.12, left+190, ground,
		left+20+bevel, ground,
		left+8, ground-bevel*0.2, left-3, ground-bevel-2, left-4, h+heel*0.4)
	// The toe box from above, small, in the corner: its shape is the last's.
	toe := map[term.LastShape]string{"tapered": "M262 8C286 9 304 17 310 25C302 33 286 39 262 40",
		"standard": "M262 8C292 8 309 14 310 25C309 35 292 40 262 40", "wide_toe": "M262 6C298 5 311 11 311 24C311 37 298 42 262 42"}[m.LastShape]
	if toe != "" {
		fmt.Fprintf(&b, `<path class="toebox" d="%s"/>`, toe)
	}
	if m.Plate != "none" && m.Plate != "" {
		fmt.Fprintf(&b, `<path class="plate" d="M%.1f %.1fC%.1f %.1f %.1f %.1f %.1f %.1f"/>`, left+24, h+heel*0.45, left+110, h+heel*0.6,
			left+170, ground-fore*0.3, right-22, f-lift*0.4+6)
	}
	if m.Level.Rung() >= term.Guidance.Rung() {
		fmt.Fprintf(&b, `<path class="firm" d="M%.1f %.1fC%.1f %.1f %.1f %.1f %.1f %.1fZ"/>`, left+34, h+4, left+60, ground-heel*0.25, left+110,
			ground-heel*0.25, left+138, (h+f)/2+2)
	}
	if m.LugDepthMM > 0 {
		step := map[string]float64{"close": 9, "medium": 13, "wide": 18}[m.LugSpacing]
		if step == 0 {
			step = 11
		}
		for x := left + 24 + bevel; x < left+200; x += step {
			fmt.Fprintf(&b, `<rect class="lug" x="%.1f" y="%.1f" width="%.1f" height="%.1f"/>`, x, ground, step*0.55, m.LugDepthMM)
		}
	}
	fmt.Fprintf(&b, `<path class="hair" d="M0 %.1fH320M%.1f %.1fv%.1fm-3 0h6M%.1f %.1fv%.1fm-3 0h6"/>`, ground+m.LugDepthMM, left-10, h, heel,
		right+10, f, fore)
	fmt.Fprintf(&b, `<text class="dim" x="0" y="%.1f">%g</text><text class="dim" x="320" y="%.1f" text-anchor="end">%g</text></svg>`, h-6,
		heel, f-12, fore)
	return template.HTML(b.String())
}

// soleCells are the zones of a sole in the drawing's box of 120 × 280: x, y, width,
// height of a left sole, its inner side on the right; in the order of support.Zones.
var soleCells = [9][4]float64{
	{74, 204, 46, 76}, {46, 204, 28, 76}, {0, 204, 46, 76}, {60, 138, 60, 66}, {0, 138, 60, 66}, {78, 58, 42, 80}, {44, 58, 34, 80},
	{0, 58, 44, 80}, {0, 0, 120, 58},
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

// Sole draws a worn sole, as it is held, from below, or from above: the darker a zone, the more of it is gone.
func Sole(side term.Side, below bool, worn support.Sole) template.HTML {
	var b strings.Builder
	lies := Lies(side, below)
	path := outline(lies, 264, 100, 60, 272)
	fmt.Fprintf(&b, `<svg class="soledraw %s" viewBox="0 0 120 280" aria-hidden="true"><clipPath id="sole-%s"><path d="%s"/></clipPath>`+
		`<g clip-path="url(#sole-%s)">`, side, side, path, side)
	for i, c := range soleCells {
		x := c[0]
		if lies == term.Right {
			x = 120 - c[0] - c[2]
		}
		fmt.Fprintf(&b, `<rect class="gone g%d" x="%.0f" y="%.0f" width="%.0f" height="%.0f"/>`, worn[i], x, c[1], c[2], c[3])
	}
	fmt.Fprintf(&b, `</g><path class="foot %s" d="%s"/></svg>`, side, path)
	return template.HTML(b.String())
}
