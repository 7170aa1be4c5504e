package draw

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"time"

	"trevik/internal/core/shoe"
)

// Life is a pair on the cupboard's axis: days that are not known are zero.
type Life struct {
	Name  string
	Model *shoe.Model
	Said  string // what its bar says: the distance that was run
	State string // what to do with it, or that it is at rest
	Act   bool   // its state asks for something
	URL   string // where a tap on it leads
	From  time.Time
	// Until is when it was retired; while it is in use, the days on which it is worn out: early is one
	// chance in ten, likely an even one, late nine in ten.
	Until               time.Time
	Early, Likely, Late time.Time
	Order               time.Time
}

// Event is a day on the axis.
type Event struct {
	Name   string
	On     time.Time
	AtRisk bool
}

// Cupboard draws all pairs on one time axis, from first worn to where they are likely worn out: what was
// run is a solid bar, what is left a fan from the earliest to the latest likely day; today, races and
// days to order by are marks. w is its width in px.
func Cupboard(pairs []Life, events []Event, today time.Time, w float64) template.HTML {
	if len(pairs) == 0 {
		return ""
	}
	const names, rowH, top, right = 236.0, 66.0, 58.0, 18.0
	from, to := today.AddDate(0, -2, 0), today.AddDate(0, 3, 0)
	for _, p := range pairs {
		if !p.From.IsZero() && p.From.Before(from) {
			from = p.From
		}
		for _, t := range []time.Time{p.Late, p.Likely, p.Order} {
			if t.After(to) {
				to = t
			}
		}
	}
	for _, e := range events {
		if e.On.After(to) {
			to = e.On
		}
	}
	// A pair that lasts for years does not press the others together.
	if far := today.AddDate(1, 6, 0); to.After(far) {
		to = far
	}
	if long := today.AddDate(-2, 0, 0); from.Before(long) {
		from = long
	}
	span := to.Sub(from).Hours() * 1.04
	x := func(t time.Time) float64 {
		return names + (w-names-right)*min(max(t.Sub(from).Hours()/span, 0), 1)
	}
	h := top + rowH*float64(len(pairs)) + 26
	var p pen
	p.f(`<svg class="cupboard" width="%.0f" height="%.0f" viewBox="0 0 %.0f %.0f" role="group" aria-label="All pairs from first worn to `+
		`likely worn out">`, w, h, w, h)
	p.months(from, to, x, top, h-22, w)
	now := x(today)
	p.f(`<path class="todayline" d="M%.1f %.0fV%.0f"/>`, now, top-14, h-16)
	p.word("word strongword", now, h-3, "middle", "today")
	for i, pair := range pairs {
		p.life(pair, top+rowH*float64(i), now, names, w, x)
	}
	flags(&p, events, x, w, h-22)
	return p.done()
}

// life draws one pair's row.
func (p *pen) life(l Life, y, now, names, w float64, x func(time.Time) float64) {
	p.f(`<a href="%s" class="liferow"><rect class="rowwash" x="0" y="%.1f" width="%.1f" height="62"/>`, template.HTMLEscapeString(l.URL),
		y+1, w)
	if l.Model != nil {
		const k = 92 / (shoeRight - shoeLeft)
		p.f(`<g class="shoe" transform="translate(2 %.1f)">`, y+10)
		shoeOn(p, l.Model, k)
		p.f(`</g>`)
	}
	p.word("word strongword", 102, y+22, "start", clip(l.Name, 18))
	state := "word faint"
	if l.Act {
		state = "word act"
	}
	p.word(state, 102, y+40, "start", clip(l.State, 20))
	mid := y + 24
	begin := names
	if !l.From.IsZero() {
		begin = x(l.From)
	}
	end := now
	class := "lived"
	if !l.Until.IsZero() {
		end, class = x(l.Until), "lived retired"
	}
	p.f(`<rect class="%s" x="%.1f" y="%.1f" width="%.1f" height="16"/>`, class, begin, mid-8, math.Max(end-begin, 2))
	if l.Until.IsZero() && !l.Likely.IsZero() {
		early, late := math.Max(x(l.Early), now), x(l.Late)
		if l.Late.IsZero() {
			late = x(l.Likely) + (x(l.Likely) - early)
		}
		likely := math.Max(x(l.Likely), now)
		p.f(`<path class="left" d="M%.1f %.1fH%.1fL%.1f %.1fL%.1f %.1fH%.1fZ"/>`, now, mid-8, early, late, mid, early, mid+8, now)
		p.f(`<path class="likely" d="M%.1f %.1fv20"/>`, likely, mid-10)
		at, anchor := likely, "middle"
		if likely > w-60 {
			at, anchor = w-4, "end"
		}
		p.word("word", at, mid+27, anchor, l.Likely.Format("2 Jan"))
	}
	// The distance stands in its bar where there is room, else behind it.
	if end-begin > 70 {
		p.word("onbar", begin+8, mid+5, "start", l.Said)
	} else {
		p.word("word", begin, mid+27, "start", l.Said)
	}
	if !l.Order.IsZero() && l.Until.IsZero() {
		at := math.Max(x(l.Order), now)
		p.f(`<path class="orderby" d="M%.1f %.1fl-7 -11h14zm0 0v18"/><title>%s</title>`, at, mid-9,
			template.HTMLEscapeString("Order the next by "+l.Order.Format("2 January 2006")))
	}
	p.f(`<title>%s</title></a>`, template.HTMLEscapeString(lifeWords(l)))
}

func lifeWords(l Life) string {
	text := l.Name + ": " + l.Said
	switch {
	case !l.Until.IsZero():
		text += ", retired " + l.Until.Format("2 January 2006")
	case !l.Likely.IsZero():
		text += ", likely worn out " + l.Likely.Format("2 January 2006")
		if !l.Order.IsZero() {
			text += ", order the next by " + l.Order.Format("2 January 2006")
		}
	}
	return text
}

// months draws the axis: a line at each month's beginning, named where there is room.
func (p *pen) months(from, to time.Time, x func(time.Time) float64, top, bottom, w float64) {
	said := math.Inf(-1)
	for m := time.Date(from.Year(), from.Month(), 1, 0, 0, 0, 0, from.Location()); m.Before(to); m = m.AddDate(0, 1, 0) {
		if m.Before(from) {
			continue
		}
		at := x(m)
		p.f(`<path class="tick" d="M%.1f %.0fV%.0f"/>`, at, top-6, bottom)
		name := m.Format("Jan")
		if m.Month() == time.January || math.IsInf(said, -1) {
			name = m.Format("Jan 2006")
		}
		if at+8*float64(len(name)) > w {
			continue
		}
		if at-said > 40 || (m.Month() == time.January && at-said > 30) {
			p.word("word faint", at+3, top-12, "start", name)
			said = at + map[bool]float64{true: 36, false: 0}[len(name) > 3]
		}
	}
}

// flags are the races: a pennant over all rows, its name beside it where there is room.
func flags(p *pen, events []Event, x func(time.Time) float64, w, bottom float64) {
	events = slices.Clone(events)
	slices.SortFunc(events, func(a, b Event) int { return a.On.Compare(b.On) })
	said := math.Inf(-1)
	for _, e := range events {
		at := x(e.On)
		if name := clip(e.Name, 22); at > said && at+34+8*float64(len(name)) < w {
			p.word("word", at+32, 23, "start", name)
			said = at + 40 + 8*float64(len(name))
		} else if at-8-8*float64(len(name)) > said {
			p.word("word", at-6, 23, "end", name)
			said = at + 30
		}
		class := "raceflag"
		if e.AtRisk {
			class = "raceflag risk"
		}
		p.f(`<g class="%s"><path d="M%.1f %.0fV12h26l-6 6 6 6h-26"/><title>%s</title></g>`, class, at, bottom,
			template.HTMLEscapeString(fmt.Sprintf("%s, %s", e.Name, e.On.Format("2 January 2006"))))
	}
}
