package draw

import (
	"fmt"
	"html/template"
	"strings"

	"trevik/internal/core/term"
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

// Lacing draws one way to lace, seen from above with the toe up; empty for a name that is
// none.
func Lacing(name string) template.HTML {
	l, ok := lacings[name]
	if !ok {
		return ""
	}
	x := func(side int) float64 { return 34 + 52*float64(side) }
	y := func(row int) float64 { return 150 - 20*float64(row) }
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="lacing" viewBox="0 0 120 176" role="img" aria-label="Lacing: %s"><path class="upper" d="M14 170C8 110 10 `+
		`60 22 14M106 170C112 110 110 60 98 14M14 170C30 178 90 178 106 170"/>`, strings.ReplaceAll(name, "_", " "))
	for _, s := range l.segments {
		fmt.Fprintf(&b, `<path class="laceline" d="M%.0f %.0fL%.0f %.0f"/>`, x(s[1]), y(s[0]), x(s[3]), y(s[2]))
	}
	for _, row := range l.loops {
		fmt.Fprintf(&b, `<path class="laceline" d="M%.0f %.0fc-14 -4 -14 -18 0 -20M%.0f %.0fc14 -4 14 -18 0 -20M%.0f %.0fL%.0f %.0fM%.0f `+
			`%.0fL%.0f %.0f"/>`,
			x(0), y(row-1), x(1), y(row-1), x(0), y(row-1), x(1)+8, y(row-1)-8, x(1), y(row-1), x(0)-8, y(row-1)-8)
	}
	for row := range 7 {
		for side := range 2 {
			fmt.Fprintf(&b, `<circle class="eyelet" cx="%.0f" cy="%.0f" r="3"/>`, x(side), y(row))
		}
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String())
}

// LacingSteps is what to do, step by step.
func LacingSteps(name string) []string { return lacings[name].steps }

// TopFoot draws a foot from above, toes up, to tap on.
func TopFoot(side string) template.HTML {
	s := term.Side(side)
	return template.HTML(fmt.Sprintf(`<svg class="topfoot" viewBox="0 0 120 280" aria-hidden="true"><path class="foot %s" d="%s"/></svg>`, s,
		outline(s, 264, 100, 60, 272)))
}
