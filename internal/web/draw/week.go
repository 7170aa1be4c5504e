package draw

import (
	"fmt"
	"html/template"
	"strings"
)

// WeekRow is one pair's row in the picture of a week: its runs as minutes of the week,
// and the rest behind each. An open row holds what no pair covers.
type WeekRow struct {
	Name string
	Runs []WeekRun
	Rest float64 // minutes
	Open bool
}

// WeekRun is one part of a run on the picture.
type WeekRun struct {
	Begin, End float64
	Label      string
	Row        string // the board's row, by its number
	Run        string // parts of one run share it
}

var dayNames = []string{"Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"}

// WeekBoard draws the week: rows are pairs, columns days, runs bars with their rest as a
// fading tail, round the week's end too. Where it moves, a script may drag the bars;
// perWeek is how many rows of the board a week has.
func WeekBoard(rows []WeekRow, moves bool, perWeek int) template.HTML {
	const x0, width, rowH, top = 150.0, 720.0, 46.0, 28.0
	const minutes = 7 * 24 * 60
	x := func(m float64) float64 { return x0 + width*m/minutes }
	height := top + rowH*float64(len(rows)) + 8
	moving := ""
	if moves {
		moving = fmt.Sprintf(` data-moves data-rows="%d"`, perWeek)
	}
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="weekboard" viewBox="0 0 880 %.0f" data-left="%.0f" data-width="%.0f"%s role="img" aria-label="The week: `+
		`pairs by days">`, height, x0, width, moving)
	b.WriteString(`<defs><linearGradient id="restfade"><stop offset="0" class="rest-near"/><stop offset="1" class="rest-far"/>` +
		`</linearGradient></defs>`)
	for i, day := range dayNames {
		fmt.Fprintf(&b, `<path class="tick" d="M%.1f %.0fV%.0f"/><text class="word small" x="%.1f" y="18">%s</text>`, x(float64(i)*1440), top-4,
			height, x(float64(i)*1440)+5, day)
	}
	for n, r := range rows {
		y := top + rowH*float64(n)
		class := "runbar"
		if r.Open {
			class = "runbar open"
		}
		fmt.Fprintf(&b, `<path class="hair" d="M0 %.1fH870"/><text class="word" x="0" y="%.1f">%s</text>`, y+rowH, y+28,
			template.HTMLEscapeString(clip(r.Name, 24)))
		for _, run := range r.Runs {
			if r.Rest > 0 {
				tail(&b, run.End, r.Rest-(run.End-run.Begin), y, x) // rest counts from start to start
			}
		}
		said := -1e9
		for _, run := range r.Runs {
			w := max(7, x(run.End)-x(run.Begin))
			if moves {
				// What pulls its end: wider than it looks, for a finger.
				fmt.Fprintf(&b, `<rect class="runend" data-row="%s" data-minutes="%.0f" x="%.1f" y="%.1f" width="14" height="26"/>`,
					template.HTMLEscapeString(run.Row), run.End-run.Begin, x(run.Begin)+w, y+4)
			}
			fmt.Fprintf(&b, `<rect class="%s" data-row="%s" data-run="%s" data-begin="%.0f" x="%.1f" y="%.1f" width="%.1f" height="18">`+
				`<title>%s</title></rect>`, class, template.HTMLEscapeString(run.Row), template.HTMLEscapeString(run.Run),
				run.Begin, x(run.Begin), y+8, w, template.HTMLEscapeString(run.Label))
			// A part right after another one has its name in the table and on the bar itself.
			if at := x(run.Begin); at-said > 75 || at < said {
				fmt.Fprintf(&b, `<text class="word small" x="%.1f" y="%.1f">%s</text>`, at, y+40, template.HTMLEscapeString(clip(run.Label, 16)))
				said = at
			}
		}
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String())
}

// tail draws the rest behind a run; what goes past the week's end comes in at its start.
func tail(b *strings.Builder, end, rest, y float64, x func(float64) float64) {
	const minutes = 7 * 24 * 60
	piece := func(from, to float64) {
		if to > from {
			fmt.Fprintf(b, `<rect class="resttail" x="%.1f" y="%.1f" width="%.1f" height="10"/>`, x(from), y+12, x(to)-x(from))
		}
	}
	if end < minutes {
		piece(end, min(end+rest, minutes))
	}
	if over := end + rest - minutes; over > 0 {
		piece(max(0, end-minutes), min(over, minutes))
	}
}

func clip(s string, n int) string {
	r := []rune(s)
	if len(r) > n {
		return string(r[:n-1]) + "…"
	}
	return s
}
