package draw

import (
	"fmt"
	"html/template"
	"math"
	"strings"

	"trevik/internal/core/gait"
	"trevik/internal/core/house"
	"trevik/internal/core/term"
)

// Curves draws both sides' mean angle over the contact with its SD, and that of a
// second recording thin beside it.
func Curves(a gait.Answer, with *gait.Answer, h *house.Values) template.HTML {
	const x0, x1, top, bottom = 48.0, 716.0, 10.0, 168.0
	lo, hi := -4.0, 12.0
	each := func(a gait.Answer, do func(term.Side, *gait.Curve)) {
		for _, s := range term.Sides {
			if of := a.Sides[s]; of != nil && of.CurveDeg != nil {
				do(s, of.CurveDeg)
			}
		}
	}
	seen := false
	grow := func(_ term.Side, c *gait.Curve) {
		seen = true
		for k := range c.Mean {
			lo, hi = min(lo, c.Mean[k]-c.SD[k]), max(hi, c.Mean[k]+c.SD[k])
		}
	}
	each(a, grow)
	if with != nil {
		each(*with, grow)
	}
	if !seen {
		return ""
	}
	lo, hi = 2*math.Floor(lo/2)-1, 2*math.Ceil(hi/2)+1
	x := func(k float64) float64 { return x0 + (x1-x0)*k/100 }
	y := func(v float64) float64 { return bottom - (bottom-top)*(v-lo)/(hi-lo) }
	var b strings.Builder
	b.WriteString(`<svg class="curves" width="812" height="194" viewBox="0 0 812 194" role="img" ` +
		`aria-label="Pronation over the contact, each side's mean with its ` +
		`spread">`)
	lower := 0.0
	if a.Gait == gait.Walk {
		lower = gait.WalkLower
	}
	edges := append([]float64{lo}, house.Or(h).Bands[:]...)
	for i, band := range term.Bands {
		from, to := edges[i], hi
		if i > 0 {
			from -= lower
		}
		if i+1 < len(edges) {
			to = edges[i+1] - lower
		}
		from, to = max(from, lo), min(to, hi)
		if to-from < 0.5 {
			continue
		}
		if i > 0 {
			fmt.Fprintf(&b, `<path class="tick" d="M%.0f %.1fH%.0f"/>`, x0, y(from), x1)
		}
		fmt.Fprintf(&b, `<text class="word small" x="%.0f" y="%.1f">%s</text>`, x1+8, y((from+to)/2)+5, band)
	}
	for v := 5 * math.Ceil(lo/5); v <= hi; v += 5 {
		fmt.Fprintf(&b, `<text class="word small" x="%.0f" y="%.1f" text-anchor="end">%g°</text>`, x0-8, y(v)+5, v)
	}
	fmt.Fprintf(&b, `<path class="axisline" d="M%.0f %.0fV%.0fH%.0f"/>`, x0, top, bottom, x1)
	for _, t := range []struct {
		k            float64
		text, anchor string
	}{{0, "touchdown", "start"}, {25, "25 %", "middle"}, {50, "50 % of the contact", "middle"}, {75, "75 %", "middle"},
		{100, "heel-off", "end"}} {
		fmt.Fprintf(&b, `<text class="word small" x="%.0f" y="%.0f" text-anchor="%s">%s</text>`, x(t.k), bottom+18, t.anchor, t.text)
	}
	line := func(at func(int) float64) string {
		var p strings.Builder
		for k := 0; k <= 100; k += 2 {
			c := 'L'
			if k == 0 {
				c = 'M'
			}
			fmt.Fprintf(&p, "%c%.1f %.1f", c, x(float64(k)), y(at(k)))
		}
		return p.String()
	}
	draw := func(a gait.Answer, class string, spread bool) {
		each(a, func(s term.Side, c *gait.Curve) {
			if spread {
				back := strings.Builder{}
				for k := 100; k >= 0; k -= 2 {
					fmt.Fprintf(&back, "L%.1f %.1f", x(float64(k)), y(c.Mean[k]-c.SD[k]))
				}
				fmt.Fprintf(&b, `<path class="spread %s" d="%s%sZ"/>`, s, line(func(k int) float64 { return c.Mean[k] + c.SD[k] }), back.String())
			}
			fmt.Fprintf(&b, `<path class="curve %s%s" d="%s"/>`, s, class, line(func(k int) float64 { return c.Mean[k] }))
		})
	}
	draw(a, "", true)
	if with != nil {
		draw(*with, " second", false)
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String())
}

// ContactStrip draws every contact of both feet along the film: a bar from touchdown
// to lift with handles at its ends and a tick at its peak. A contact that was left
// out is an empty bar.
func ContactStrip(r gait.Reading, open bool) template.HTML {
	const width, lane, pad = 812.0, 30.0, 18.0
	n := float64(max(r.Answer.Frames-1, 1))
	x := func(f float64) float64 { return pad + (width-2*pad)*f/n }
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="contacts" width="812" height="92" viewBox="0 0 812 92" `+
		`data-contacts data-frames="%d" data-pad="%g" role="group" `+
		`aria-label="Contacts along the film">`, r.Answer.Frames, pad)
	second := r.Answer.FPS
	for f := 0.0; f <= n; f += second {
		fmt.Fprintf(&b, `<path class="tick" d="M%.1f 4V72"/><text class="word small" x="%.1f" y="87" text-anchor="middle">%.0f s</text>`, x(f),
			x(f), f/second)
	}
	for i, s := range term.Sides {
		y := 6 + float64(i)*(lane+6)
		fmt.Fprintf(&b, `<path class="laneline" d="M%.0f %.0fH%.0f"/>`, pad, y+lane/2, width-pad)
		if of := r.Answer.Sides[s]; of != nil {
			for k, st := range of.Steps {
				bar(&b, s, k+1, st, x, y, lane, open)
			}
		}
		for _, st := range r.Left[s] {
			mid := (st.TouchdownFrame + st.Last()) / 2
			fmt.Fprintf(&b, `<rect class="contact out %s" data-side="%s" data-at="%d" data-out x="%.1f" y="%.1f" width="%.1f" height="%.1f">`+
				`<title>%s, left out</title></rect>`, s, s, mid,
				x(float64(st.TouchdownFrame)), y+6, x(float64(st.Last()))-x(float64(st.TouchdownFrame)), lane-12, s)
		}
	}
	b.WriteString(`<path class="playhead" d="M18 0V74"/></svg>`)
	return template.HTML(b.String())
}

func bar(b *strings.Builder, s term.Side, k int, st gait.Step, x func(float64) float64, y, lane float64, open bool) {
	on, off := float64(st.TouchdownFrame), float64(st.Last())
	mid := (st.TouchdownFrame + st.Last()) / 2
	fmt.Fprintf(b, `<g class="contact %s" data-side="%s" data-at="%d" data-on="%d" data-off="%d"><rect x="%.1f" y="%.1f" width="%.1f" `+
		`height="%.1f"/>`, s, s, mid, st.TouchdownFrame, st.Last(), x(on), y+6, x(off)-x(on), lane-12)
	type handle struct {
		end, name string
		f         float64
	}
	handles := []handle{{"on", "touchdown", on}, {"off", "lift", off}}
	if st.PeakAtPercent != nil {
		peak := on + (off-on)**st.PeakAtPercent/100
		fmt.Fprintf(b, `<path class="peak" d="M%.1f %.1fV%.1f"><title>peak %.1f° at %.0f %% of contact</title></path>`, x(peak), y+2, y+lane-2,
			*st.PeakEversionDeg, *st.PeakAtPercent)
		handles = []handle{handles[0], {"peak", "peak", math.Round(peak)}, handles[1]}
	}
	if open {
		for _, e := range handles {
			fmt.Fprintf(b, `<circle data-end="%s" cx="%.1f" cy="%.1f" r="6" tabindex="0" role="slider" aria-label="%s step %d, %s" `+
				`aria-valuenow="%.0f" aria-valuemin="0" aria-valuemax="99999"/>`, e.end, x(e.f), y+lane/2, s, k, e.name, e.f)
		}
	}
	b.WriteString(`</g>`)
}
