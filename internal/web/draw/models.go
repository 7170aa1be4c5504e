package draw

import (
	"cmp"
	"fmt"
	"html/template"
	"math"
	"slices"
	"strings"

	"trevik/internal/core/shoe"
	"trevik/internal/core/units"
)

// Axis is something in which models differ, for the picture of all candidates.
type Axis struct {
	Name, Label, Unit string
	Of                func(*shoe.Model) float64
}

// Axes that a fitter can choose from.
var Axes = []Axis{
	{"stack", "Heel stack", "mm", func(m *shoe.Model) float64 { return m.StackHeelMM }},
	{"softness", "Softness", "", func(m *shoe.Model) float64 { return m.Softness }},
	{"drop", "Drop", "mm", func(m *shoe.Model) float64 { return m.Drop() }},
	{"weight", "Weight", "g", func(m *shoe.Model) float64 { return m.WeightG }},
	{"bounce", "Bounce", "", func(m *shoe.Model) float64 { return m.Bounce }},
	{"bareness", "How little shoe", "of 35", func(m *shoe.Model) float64 { return m.Bareness() }},
	{"flexibility", "Flexibility", "", func(m *shoe.Model) float64 { return m.Flexibility }},
	{"price", "Price", "", func(m *shoe.Model) float64 { return float64(m.Price()) / 100 }},
}

// In is the axis in a person's units.
func (a Axis) In(u units.System) Axis {
	if a.Unit != "mm" {
		return a
	}
	of := a.Of
	a.Unit, a.Of = u.LengthUnit(), func(m *shoe.Model) float64 { return u.FromMM(of(m)) }
	return a
}

// AxisOf finds an axis by its name.
func AxisOf(name string) (Axis, bool) {
	for _, a := range Axes {
		if a.Name == name {
			return a, true
		}
	}
	return Axis{}, false
}

// Candidate is a model in the picture of all: whether it is in the try-on set, and where
// a tap on it leads.
type Candidate struct {
	M     *shoe.Model
	TryOn bool
	URL   string
}

// Spread draws all candidates on two axes, the try-on set marked and named.
func Spread(list []Candidate, x, y Axis) template.HTML {
	const x0, x1, top, bottom = 62.0, 752.0, 22.0, 320.0
	if len(list) == 0 {
		return ""
	}
	span := func(a Axis) (lo, hi, step float64) {
		lo, hi = math.Inf(1), math.Inf(-1)
		for _, c := range list {
			v := a.Of(c.M)
			lo, hi = min(lo, v), max(hi, v)
		}
		step = niceStep(max(hi-lo, 1e-6) / 5)
		if hi-lo < step {
			lo, hi = lo-step, hi+step
		}
		return step * (math.Floor(lo/step) - 0.5), step * (math.Ceil(hi/step) + 0.5), step
	}
	xLo, xHi, xStep := span(x)
	yLo, yHi, yStep := span(y)
	px := func(v float64) float64 { return x0 + (x1-x0)*(v-xLo)/(xHi-xLo) }
	py := func(v float64) float64 { return bottom - (bottom-top)*(v-yLo)/(yHi-yLo) }
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="spread" width="772" height="366" viewBox="0 0 772 366" role="group" `+
		`aria-label="All candidates, %s against %s">`, x.Label, y.Label)
	fmt.Fprintf(&b, `<path class="axisline" d="M%.0f %.0fV%.0fH%.0f"/>`, x0, top, bottom, x1)
	for v := math.Ceil(xLo/xStep) * xStep; v <= xHi; v += xStep {
		fmt.Fprintf(&b, `<path class="tick" d="M%.1f %.0fV%.0f"/><text class="word small" x="%.1f" y="%.0f" text-anchor="middle">%g</text>`,
			px(v), top, bottom, px(v), bottom+17, tidy(v))
	}
	for v := math.Ceil(yLo/yStep) * yStep; v <= yHi; v += yStep {
		fmt.Fprintf(&b, `<path class="tick" d="M%.0f %.1fH%.0f"/><text class="word small" x="%.0f" y="%.1f" text-anchor="end">%g</text>`, x0,
			py(v), x1, x0-8, py(v)+4, tidy(v))
	}
	fmt.Fprintf(&b, `<text class="word small" x="%.0f" y="%.0f" text-anchor="middle">%s</text>`+
		`<text class="word small" transform="translate(14 %.0f) rotate(-90)" text-anchor="middle">%s</text>`,
		(x0+x1)/2, bottom+36, strings.TrimSpace(x.Label+" "+x.Unit), (top+bottom)/2, strings.TrimSpace(y.Label+" "+y.Unit))
	named := 0 // names stand above and below in turn
	slices.SortFunc(list, func(a, b Candidate) int { return cmp.Compare(x.Of(a.M), x.Of(b.M)) })
	// Those to try last, so that they lie on top.
	for _, tryOn := range []bool{false, true} {
		for _, c := range list {
			if c.TryOn != tryOn {
				continue
			}
			name := template.HTMLEscapeString(fmt.Sprintf("%s %s %d", c.M.Maker, c.M.Name, c.M.Version))
			class, r := "candidate", 5.0
			if c.TryOn {
				class, r = "candidate totry", 7
			}
			fmt.Fprintf(&b, `<a href="%s" aria-label="%s: %s %g, %s %g"><title>%s</title><circle class="%s" cx="%.1f" cy="%.1f" r="%.0f"/>`,
				template.HTMLEscapeString(c.URL), name, x.Label, tidy(x.Of(c.M)), y.Label, tidy(y.Of(c.M)), name, class, px(x.Of(c.M)), py(y.Of(c.M)),
				r)
			if c.TryOn {
				dy := -12.0
				if named%2 == 1 {
					dy = 20
				}
				named++
				fmt.Fprintf(&b, `<text class="word small named" x="%.1f" y="%.1f" text-anchor="middle">%s %d</text>`, px(x.Of(c.M)), py(y.Of(c.M))+dy,
					template.HTMLEscapeString(c.M.Name), c.M.Version)
			}
			b.WriteString(`</a>`)
		}
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String())
}

func tidy(v float64) float64 { return math.Round(v*100) / 100 }

// niceStep is 1, 2 or 5 times a power of ten, at least v.
func niceStep(v float64) float64 {
	p := math.Pow(10, math.Floor(math.Log10(v)))
	for _, k := range []float64{1, 2, 5, 10} {
		if k*p >= v-1e-12 {
			return k * p
		}
	}
	return 10 * p
}
