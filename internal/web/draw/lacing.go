package draw

import (
	"html/template"
	"strings"

	"trevik/internal/web/kept"
)

// lacing is one way to lace: segments between eyelets, each [row, side, row, side] with
// rows from the toe (0) to the ankle (6) and side 0 left, 1 right; and what to do, step
// by step.
type lacing struct {
	segments [][4]int
	loops    []int // rows at which the lace makes a loop on both sides
	steps    []string
}

func crosses(rows ...int) [][4]int {
	var out [][4]int
	for i := 1; i < len(rows); i++ {
		out = append(out, [4]int{rows[i-1], 0, rows[i], 1}, [4]int{rows[i-1], 1, rows[i], 0})
	}
	return out
}

var lacings = map[string]lacing{
	"as_it_comes": {segments: append([][4]int{{0, 0, 0, 1}}, crosses(0, 1, 2, 3, 4, 5)...), steps: []string{"Straight across at the toe.",
		"Cross to each next eyelet.", "Tie at the last but one."}},
	"heel_lock": {segments: append([][4]int{{0, 0, 0, 1}}, crosses(0, 1, 2, 3, 4, 5)...), loops: []int{6},
		steps: []string{"Lace as it comes up to the last eyelet but one.",
			"On each side lead the lace up into the last eyelet, so that it makes a loop.", "Lead each end through the loop of the other side.",
			"Pull down and back until the heel is held, then tie."}},
	"window": {segments: append([][4]int{{0, 0, 0, 1}, {2, 0, 3, 0}, {2, 1, 3, 1}}, append(crosses(0, 1, 2), crosses(3, 4, 5)...)...),
		steps: []string{"Lace as it comes up to below the place that presses.",
			"Go straight up on each side past that place: nothing crosses it.", "Cross again above it, and tie."}},
	"wide_forefoot": {segments: append([][4]int{{0, 0, 0, 1}, {0, 0, 1, 0}, {0, 1, 1, 1}, {1, 0, 2, 0}, {1, 1, 2, 1}}, crosses(2, 3, 4, 5)...),
		steps: []string{"Straight across at the toe.", "Go straight up on each side for the first three rows: the forefoot may spread.",
			"Cross from there on, and tie."}},
	"high_instep": {segments: append([][4]int{{0, 0, 0, 1}, {1, 0, 2, 0}, {1, 1, 2, 1}, {2, 0, 3, 0}, {2, 1, 3, 1}, {3, 0, 4, 0},
		{3, 1, 4, 1}}, append(crosses(0, 1), crosses(4, 5)...)...),
		steps: []string{"Cross once at the toe.", "Go straight up on each side over the instep: nothing presses on it.",
			"Cross once more near the ankle, and tie."}},
	"toe_lift": {segments: append([][4]int{{0, 0, 5, 1}}, [][4]int{{0, 1, 1, 0}, {1, 0, 1, 1}, {1, 1, 2, 0}, {2, 0, 2, 1}, {2, 1, 3, 0},
		{3, 0, 3, 1}, {3, 1, 4, 0}, {4, 0, 4, 1}, {4, 1, 5, 0}}...),
		steps: []string{"Lead one end from the eyelet over the big toe straight to the top of the other side.",
			"Lace the other end across and up, row by row.", "Pull the long one: the shoe lifts off the toe."}},
}

// eyelet is where an eyelet lies on the drawing, from the toe's row up; side 0 is the left.
func eyelet(row, side int) point {
	// The eyestay opens towards the ankle.
	x, y := 22+3.2*float64(row), 232-27*float64(row)
	if side == 0 {
		x = -x
	}
	return point{90 + x, y}
}

// Lacing draws one way to lace on a shoe seen from above, the toe down; empty for a name that is
// none.
func Lacing(name string) template.HTML {
	return keptLacings.Drawn(name, func() template.HTML { return lacingOf(name) })
}

var keptLacings kept.By[string]

func lacingOf(name string) template.HTML {
	l, ok := lacings[name]
	if !ok {
		return ""
	}
	var p pen
	p.open("lacing", 180, 300, "Lacing: "+strings.ReplaceAll(name, "_", " "))
	both := func(class string, half ...point) {
		var all []point
		for _, q := range half {
			all = append(all, point{90 - q.x, q.y})
		}
		for i := len(half) - 1; i >= 0; i-- {
			all = append(all, point{90 + half[i].x, half[i].y})
		}
		plain := sheet{k: 1}
		p.path(class, plain.d(curve(all...).each(func(q point) point { return point{q.x, -q.y} })))
	}
	// The shoe's front with its toe, the tongue, and the edge of the throat.
	both("upperline", point{72, 8}, point{64, 60}, point{62, 110}, point{72, 170}, point{76, 215}, point{68, 256}, point{40, 288})
	both("tongue", point{30, 244}, point{40, 120}, point{48, 30}, point{36, 8})
	both("throat", point{56, 12}, point{44, 50}, point{34, 130}, point{24, 214}, point{12, 250})
	for _, s := range l.segments {
		a, b := eyelet(s[0], s[1]), eyelet(s[2], s[3])
		p.lacePiece(a, b)
	}
	for _, row := range l.loops {
		for side := range 2 {
			from, to, way := eyelet(row-1, side), eyelet(row, side), float64(2*side-1)
			p.f(`<path class="laceedge" d="M%[1]s %[2]sC%[3]s %[4]s %[3]s %[5]s %[6]s %[7]s"/><path class="laceline" d="M%[1]s %[2]sC%[3]s `+
				`%[4]s %[3]s %[5]s %[6]s %[7]s"/>`, tenth(from.x), tenth(from.y), tenth(from.x+24*way), tenth(from.y-6), tenth(to.y+2), tenth(to.x),
				tenth(to.y))
			other := eyelet(row-1, 1-side)
			p.lacePiece(to, point{other.x - 12*way, other.y - 9})
		}
	}
	for row := range 7 {
		for side := range 2 {
			e := eyelet(row, side)
			p.f(`<circle class="eyelet" cx="%s" cy="%s" r="4"/>`, tenth(e.x), tenth(e.y))
		}
	}
	return p.done()
}

// lacePiece draws a stretch of lace, which covers what lies under it.
func (p *pen) lacePiece(a, b point) {
	d := "M" + tenth(a.x) + " " + tenth(a.y) + "L" + tenth(b.x) + " " + tenth(b.y)
	p.path("laceedge", d)
	p.path("laceline", d)
}

// LacingSteps is what to do, step by step.
func LacingSteps(name string) []string { return lacings[name].steps }
