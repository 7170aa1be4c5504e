package draw

import (
	"fmt"
	"html/template"
	"math"
	"slices"

	"trevik/internal/core/learn"
	"trevik/internal/core/units"
)

// LifeLine is a class's or a model's life: what was learned, and beside it the house's or the maker's figure. Distances km.
type LifeLine struct {
	Name          string
	Inner         bool // a model, under its class
	P10, P50, P90 float64
	Told          float64 // the house's figure, or the maker's
	Counts        string
}

// Lives draws lives as intervals, w px wide: the bar from the tenth to the ninth tenth, its middle, and a mark for what was told.
func Lives(lines []LifeLine, u units.System, w float64) template.HTML {
	if len(lines) == 0 {
		return ""
	}
	const names, counts, row, head = 270.0, 230.0, 34.0, 30.0
	lo, hi := math.Inf(1), 0.0
	for _, l := range lines {
		lo, hi = min(lo, l.P10, l.Told), max(hi, l.P90, l.Told)
	}
	step := 100.0
	if hi-lo > 900 {
		step = 200
	}
	lo, hi = step*math.Floor(lo/step), step*math.Ceil(hi/step)
	x := func(km float64) float64 { return names + (w-names-counts)*(km-lo)/max(hi-lo, 1) }
	h := head + row*float64(len(lines)) + 6
	var p pen
	p.f(`<svg class="lives" viewBox="0 0 %.0f %.0f" role="img" aria-label="How long pairs last, by class and model">`, w, h)
	for km := lo; km <= hi+1; km += step {
		p.f(`<path class="hair" d="M%.1f %.1fV%.1f"/>`, x(km), head-6, h-6)
		p.word("word faint", x(km), 16, "middle", u.Distance(km))
	}
	for i, l := range lines {
		y := head + row*(float64(i)+.5)
		at, class := 0.0, "word strongword"
		if l.Inner {
			at, class = 18, "word"
		}
		p.word(class, at, y+5, "start", clip(l.Name, 30))
		p.f(`<path class="lived" d="M%.1f %.1fH%.1fV%.1fH%.1fZ"><title>%s</title></path>`, x(l.P10), y-6, x(l.P90), y+6, x(l.P10),
			template.HTMLEscapeString(fmt.Sprintf("%s: %s, likely %s to %s; told %s", l.Name, u.Distance(l.P50), u.Distance(l.P10),
				u.Distance(l.P90), u.Distance(l.Told))))
		p.f(`<path class="lifemid" d="M%.1f %.1fv12"/><path class="toldmark" d="M%.1f %.1fl6 6 -6 6 -6 -6z"/>`, x(l.P50), y-6, x(l.Told), y-6)
		p.word("word faint", w, y+5, "end", l.Counts)
	}
	return p.done()
}

// Likings draws the weights of marks, w px wide: the house's share hollow, the learned one solid with its SD.
func Likings(weights []learn.Weight, name func(string) string, w float64) template.HTML {
	if len(weights) == 0 {
		return ""
	}
	const names, row = 150.0, 30.0
	list := slices.SortedStableFunc(slices.Values(weights), func(a, b learn.Weight) int {
		switch {
		case a.Learned > b.Learned:
			return -1
		case a.Learned < b.Learned:
			return 1
		}
		return 0
	})
	most := 0.01
	for _, x := range list {
		most = max(most, x.House, x.Learned+x.SD)
	}
	x := func(v float64) float64 { return names + (w-names-12)*max(v, 0)/most }
	h := row*float64(len(list)) + 4
	var p pen
	p.f(`<svg class="likings" viewBox="0 0 %.0f %.0f" role="img" aria-label="What our runners care about, beside what the house `+
		`weighs">`, w, h)
	for i, m := range list {
		y := row * (float64(i) + .5)
		p.word("word", names-10, y+5, "end", name(m.Mark))
		p.f(`<rect class="likehouse" x="%.1f" y="%.1f" width="%.1f" height="16"/>`, names, y-8, x(m.House)-names)
		p.f(`<rect class="likeours" x="%.1f" y="%.1f" width="%.1f" height="8"><title>%s</title></rect>`, names, y-4, x(m.Learned)-names,
			template.HTMLEscapeString(fmt.Sprintf("%s: %.0f %% ± %.0f by ours, %.0f %% by the house", name(m.Mark), 100*m.Learned, 100*m.SD,
				100*m.House)))
		p.f(`<path class="likedoubt" d="M%.1f %.1fH%.1f"/>`, x(m.Learned-m.SD), y, x(m.Learned+m.SD))
	}
	return p.done()
}

// Reliability draws how often what was told came, side px wide and high, with the diagonal on which they agree.
func Reliability(k learn.Kept, side float64) template.HTML {
	const left, bottom = 58.0, 34.0
	x := func(v float64) float64 { return left + (side-left-28)*v }
	y := func(v float64) float64 { return side - bottom - (side-bottom-10)*v }
	var p pen
	p.f(`<svg class="reliability" viewBox="0 0 %.0f %.0f" role="img" aria-label="What was told, across, and what came, up">`, side, side)
	for _, v := range []float64{0, .5, 1} {
		p.f(`<path class="hair" d="M%.1f %.1fH%.1f"/>`, left, y(v), x(1))
		p.word("word faint", left-6, y(v)+5, "end", fmt.Sprintf("%.0f %%", 100*v))
		p.word("word faint", x(v), side-bottom+18, "middle", fmt.Sprintf("%.0f %%", 100*v))
	}
	p.f(`<path class="agree" d="M%.1f %.1fL%.1f %.1f"/>`, x(0), y(0), x(1), y(1))
	for _, b := range k.By {
		p.f(`<path class="likedoubt" d="M%.1f %.1fV%.1f"/><circle class="came" cx="%.1f" cy="%.1f" r="%.1f"><title>%s</title></circle>`,
			x(b.Told), y(b.Lo), y(b.Hi), x(b.Told), y(b.Kept), 3+math.Min(6, math.Sqrt(float64(b.N))),
			template.HTMLEscapeString(fmt.Sprintf("told %.0f %%, came %.0f %% of %d", 100*b.Told, 100*b.Kept, b.N)))
	}
	return p.done()
}
