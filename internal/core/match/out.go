package match

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// ruledOut sizes the model, or says why it is not offered; instead is the label of the size that
// fits better where another stands in for it today. Of several reasons the first is told in words.
// What a fitter lets in all the same is sized, unless no size fits: that is never overruled.
func (r *Request) ruledOut(m *shoe.Model) (fit fitting, instead *string, out *RuledOut) {
	add := func(reason string, off float64, text func() string) {
		if out == nil {
			out = &RuledOut{Model: m.ID, Reason: reason, Reasons: make([]string, 0, 2)}
		}
		out.Reasons, out.off = append(out.Reasons, reason), out.off+off
		out.texts = append(out.texts, text())
	}
	// Not one of these has a measure; each is a step.
	if text := r.offGround(m); text != "" {
		add("surface", 1, func() string { return text })
	}
	if !r.servesAny(m) {
		add("class", 1, func() string { return "A " + words(m.Class) + " model serves none of these runs well (0.5 or more)." })
	}
	if len(r.Spread) > 0 && !slices.Contains(r.Spread, m.Level) {
		add("level", r.rungsOff(m), func() string { return "Its support is " + words(m.Level) + ", outside what is to be tried." })
	}
	if text := r.offChart(m); text != "" {
		add("chart", 1, func() string { return text })
	}
	fit = r.sizeIn(m)
	if fit.reason == "size" {
		add("size", r.sizeOff(m, fit), func() string { return r.unfitSize(m, fit) })
	}
	if abs(fit.off) > 1 {
		add("width", float64(abs(fit.off)-1), func() string { return r.unfitWidth(m, fit) })
	}
	if r.Budget != nil && r.Budget.Firm && m.Price() > r.Budget.Amount {
		over := m.Price() - r.Budget.Amount
		add("budget", float64(over)/float64(max(1, r.Budget.Amount)), func() string {
			return fmt.Sprintf("It costs %s more than the runner's firm limit.", money(over, m.Currency))
		})
	}
	if r.Settings.InStock && fit.reason == "" {
		label := m.Label(fit.figure, fit.width)
		if there, ok := r.onShelf(m, fit); !ok {
			add("stock", 1, func() string { return label + " is not on the shelf today." })
		} else if there.figure != fit.figure || there.width != fit.width {
			fit, instead = there, &label
		}
	}
	if text := r.caution(m); text != "" {
		add("caution", 1, func() string { return text })
	}
	if out != nil {
		out.Text = out.texts[0]
		if fit.reason == "size" || !slices.Contains(r.Overruled, m.ID) {
			return fit, nil, out
		}
	}
	return fit, instead, nil
}

// rungsOff is how many rungs a model's level lies outside the spread.
func (r *Request) rungsOff(m *shoe.Model) float64 {
	least := math.Inf(1)
	for _, s := range r.Spread {
		least = min(least, float64(abs(s.Rung()-m.Level.Rung())))
	}
	return least
}

// sizeOff is how many half sizes the nearest size made lies beyond what is taken.
func (r *Request) sizeOff(m *shoe.Model, f fitting) float64 {
	least := math.Inf(1)
	for _, s := range m.SizesUK {
		room := r.roomFor(m, s, r.longest)
		least = min(least, max(f.window.outside(room)-halfSizeMM, LeastRoomMM-room, 0))
	}
	return least / halfSizeMM
}

// nearestModels is how many are told where none is left.
const nearestModels = 3

// nearest are those that come closest: the fewest reasons, then the least by how much.
func nearest(out []RuledOut) []Nearest {
	list := slices.Clone(out)
	slices.SortStableFunc(list, func(x, y RuledOut) int {
		return cmp.Or(cmp.Compare(len(x.Reasons), len(y.Reasons)), cmp.Compare(x.off, y.off), strings.Compare(x.Model, y.Model))
	})
	near := []Nearest{}
	for _, x := range list[:min(nearestModels, len(list))] {
		near = append(near, Nearest{x.Model, x.Reasons, strings.Join(x.texts, " ")})
	}
	return near
}

func (r *Request) caution(m *shoe.Model) string {
	if r.tendon() && r.Present != nil && r.Present.DropMM != nil {
		if lower := *r.Present.DropMM - m.Drop(); lower >= cautionDropMM-1e-9 {
			return fmt.Sprintf("Its drop is %g mm lower than now, with a calf or Achilles complaint within six months.", units.Round(lower, 1))
		}
	}
	if m.MetalTips && !slices.Contains(r.Conditions, term.BlackIce) &&
		slices.ContainsFunc(r.Kinds, func(k KindShare) bool { return k.Ground == term.GroundRoad && k.Share > 0 }) {
		return "Metal tips slip on bare road."
	}
	return ""
}
