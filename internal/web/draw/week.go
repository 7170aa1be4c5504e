package draw

import (
	"cmp"
	"html/template"
	"slices"
	"strings"

	"trevik/internal/core/shoe"
)

// WeekRow is one pair's lane in the picture of a week: its runs as minutes of the week,
// and the rest behind each. An open row holds what no pair covers.
type WeekRow struct {
	Name  string
	Model *shoe.Model // nil draws none
	Runs  []WeekRun
	Rest  float64 // minutes
	Open  bool
	Buy   bool // it is to be bought first
}

// WeekRun is one part of a run on the picture.
type WeekRun struct {
	Begin, End float64
	Label      string
	Row        string // the board's row, by its number
	Run        string // parts of one run share it
}

var dayNames = []string{"Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"}

const weekMinutes = 7 * 24 * 60

// WeekBoard draws the week, w px wide: lanes are pairs, columns days, runs bars with their rest as a
// fading tail, round the week's end too. Where it moves, a script may drag the bars;
// perWeek is how many rows of the board a week has.
func WeekBoard(rows []WeekRow, moves bool, perWeek int, w float64) template.HTML {
	const x0, rowH, top = 196.0, 74.0, 34.0
	width := w - x0 - 6
	x := func(m float64) float64 { return x0 + width*m/weekMinutes }
	height := top + rowH*float64(len(rows)) + 6
	var p pen
	p.f(`<svg class="weekboard" width="%.0f" height="%.0f" viewBox="0 0 %.0f %.0f" data-left="%.0f" data-width="%.0f"`, w, height, w, height,
		x0, width)
	if moves {
		p.f(` data-moves data-rows="%d"`, perWeek)
	}
	p.f(` role="img" aria-label="The week: a lane for each pair, a column for each day"><defs><linearGradient id="restfade">` +
		`<stop offset="0" class="rest-near"/><stop offset="1" class="rest-far"/></linearGradient></defs>`)
	for i, day := range dayNames {
		if i%2 == 1 {
			p.f(`<rect class="dayband" x="%.1f" y="%.0f" width="%.1f" height="%.0f"/>`, x(float64(i)*1440), top-4, width/7, height-top)
		}
		p.word("word strongword", x((float64(i)+.5)*1440), 20, "middle", day)
	}
	for n, r := range rows {
		p.lane(r, top+rowH*float64(n), rowH, w, moves, x)
	}
	return p.done()
}

func (p *pen) lane(r WeekRow, y, rowH, field float64, moves bool, x func(float64) float64) {
	class, name := "runbar", "word strongword"
	if r.Open {
		class, name = "runbar open", "word act"
	}
	p.f(`<path class="hair" d="M0 %.1fH%.1f"/>`, y+rowH, field)
	at := y + rowH/2 + 5
	if r.Model != nil {
		const k = 88 / (shoeRight - shoeLeft)
		p.f(`<g class="shoe" transform="translate(0 %.1f)">`, y+4)
		shoeOn(p, r.Model, k)
		p.f(`</g>`)
		at = y + 66
	}
	p.word(name, 0, at, "start", clip(r.Name, 26))
	if r.Buy {
		p.word("word act", 96, y+34, "start", "to buy")
	}
	for _, run := range r.Runs {
		if r.Rest > 0 {
			p.tail(run.End, r.Rest-(run.End-run.Begin), y+14, x) // rest counts from start to start
		}
	}
	said := -1e9
	runs := slices.SortedFunc(slices.Values(r.Runs), func(a, b WeekRun) int { return cmp.Compare(a.Begin, b.Begin) })
	for _, run := range runs {
		w := max(8, x(run.End)-x(run.Begin))
		if moves {
			// What pulls its end: wider than it looks, for a finger.
			p.f(`<rect class="runend" data-row="%s" data-minutes="%.0f" x="%.1f" y="%.1f" width="16" height="36"/>`,
				template.HTMLEscapeString(run.Row), run.End-run.Begin, x(run.Begin)+w, y+6)
		}
		p.f(`<rect class="%s" data-row="%s" data-run="%s" data-begin="%.0f" x="%.1f" y="%.1f" width="%.1f" height="26"><title>%s</title></rect>`,
			class, template.HTMLEscapeString(run.Row), template.HTMLEscapeString(run.Run), run.Begin, x(run.Begin), y+10, w,
			template.HTMLEscapeString(run.Label))
		// A part right after another one has its name in the table and on the bar itself.
		if at := x(run.Begin); at-said > 80 {
			if at > field-100 { // at the end of the week its name stands before it, under another one's
				down := 54.0
				if at-said < 180 {
					down = 69
				}
				p.word("word", at+w, y+down, "end", clip(run.Label, 16))
			} else {
				p.word("word", at, y+54, "start", clip(run.Label, 16))
			}
			said = at
		}
	}
}

// CardWeek draws the same week to be read on paper, w px wide: a lane for each pair, a column for each
// day, and in it what is run that day.
func CardWeek(rows []WeekRow, w float64) template.HTML {
	const x0, head, line, shoeWide = 150.0, 22.0, 17.0, 66.0
	day := (w - x0) / 7
	lanes := make([][7][]string, len(rows))
	high := make([]float64, len(rows))
	height := head
	for n, r := range rows {
		most := 1
		for _, run := range slices.SortedFunc(slices.Values(r.Runs), func(a, b WeekRun) int { return cmp.Compare(a.Begin, b.Begin) }) {
			d := min(max(int(run.Begin/1440), 0), 6)
			lanes[n][d] = append(lanes[n][d], run.Label)
			most = max(most, len(lanes[n][d]))
		}
		high[n] = max(56, line*2*float64(most)+10)
		height += high[n]
	}
	var p pen
	p.f(`<svg class="cardweek" viewBox="0 0 %.0f %.0f" role="img" aria-label="The week: a lane for each pair, `+
		`a column for each day">`, w, height)
	for i, name := range dayNames {
		if i%2 == 1 {
			p.f(`<rect class="dayband" x="%.1f" y="0" width="%.1f" height="%.1f"/>`, x0+float64(i)*day, day, height)
		}
		p.word("word strongword", x0+(float64(i)+.5)*day, 15, "middle", name)
	}
	y := head
	for n, r := range rows {
		p.f(`<path class="hair" d="M0 %.1fH%.1f"/>`, y, w)
		class := "word strongword"
		if r.Open {
			class = "word act"
		}
		at := y + high[n]/2 + 5
		if r.Model != nil {
			p.f(`<g class="shoe" transform="translate(0 %.1f)">`, y+4)
			shoeOn(&p, r.Model, shoeWide/(shoeRight-shoeLeft))
			p.f(`</g>`)
			at = y + 51
		}
		p.word(class, 0, at, "start", clip(r.Name, 20))
		if r.Buy {
			p.word("word act", shoeWide+8, y+30, "start", "to buy")
		}
		for d, runs := range lanes[n] {
			down := y + 18
			for _, label := range runs {
				kind, km, _ := cutLast(label)
				p.word("word", x0+(float64(d)+.5)*day, down, "middle", clip(kind, 11))
				p.word("word strongword", x0+(float64(d)+.5)*day, down+line, "middle", km)
				down += 2 * line
			}
		}
		y += high[n]
	}
	return p.done()
}

// cutLast cuts a run's label before its distance, the last two words.
func cutLast(label string) (kind, km string, ok bool) {
	unit := strings.LastIndexByte(label, ' ')
	if unit < 0 {
		return label, "", false
	}
	at := strings.LastIndexByte(label[:unit], ' ')
	if at < 0 {
		return label, "", false
	}
	return label[:at], label[at+1:], true
}

// tail draws the rest behind a run; what goes past the week's end comes in at its start.
func (p *pen) tail(end, rest, y float64, x func(float64) float64) {
	piece := func(from, to float64) {
		if to > from {
			p.f(`<rect class="resttail" x="%.1f" y="%.1f" width="%.1f" height="18"/>`, x(from), y, x(to)-x(from))
		}
	}
	if end < weekMinutes {
		piece(end, min(end+rest, weekMinutes))
	}
	if over := end + rest - weekMinutes; over > 0 {
		piece(max(0, end-weekMinutes), min(over, weekMinutes))
	}
}

func clip(s string, n int) string {
	r := []rune(s)
	if len(r) > n {
		return string(r[:n-1]) + "…"
	}
	return s
}
