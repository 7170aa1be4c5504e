package record

import (
	"slices"

	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
)

// sidePressures and topPressures are where a shoe presses that is too narrow, or too low.
var (
	sidePressures = []string{"ball_inner", "ball_outer"}
	topPressures  = []string{"instep"}
)

// presses says whether a model presses at one of some places, on either foot.
func (v *Visit) presses(model uint64, at []string) bool {
	return slices.ContainsFunc(TryPressure.Of(v, model), func(p string) bool {
		return slices.ContainsFunc(at, func(place string) bool { return p == "left_"+place || p == "right_"+place })
	})
}

// fromTryOn puts what the try-on found into a request: each model's own findings, and what they tell of
// the feet.
func (c *Conclusions) fromTryOn(r *match.Request) {
	v := c.Visit
	ids := slices.Concat(TryComfort.Models(v), TryRoom.Models(v), TryLockdown.Models(v), TryPressure.Models(v), TryLift.Models(v),
		TryLeft.Models(v))
	slices.Sort(ids)
	for _, id := range slices.Compact(ids) {
		m := c.Shop.Catalogue.ByID(id)
		if m == nil || TryMoves.Of(v, id) == "does_not_count" {
			continue
		}
		held := TryLockdown.Of(v, id)
		t := match.Tried{Comfort: TryComfort.Ptr(v, id), Toes: TryRoom.Of(v, id), Left: TryLeft.Of(v, id),
			Tight: held == "tight" || v.presses(id, sidePressures)}
		if later := TryLater.Ptr(v, id); later != nil {
			t.Comfort = rated(later)
		}
		for _, fault := range []bool{c.stillLifts(id), held == "loose" || held == "tight", len(TryPressure.Of(v, id)) > 0,
			t.Toes == "short" || t.Toes == "long"} {
			if fault {
				t.Faults++
			}
		}
		if r.Tried == nil {
			r.Tried = map[string]match.Tried{}
		}
		r.Tried[m.ID] = t
		c.feetFromTryOn(r, m, id, t)
	}
	r.Leader = c.leader()
}

// feetFromTryOn moves what is taken of the feet: slimmer than a model that was loose, wider than one
// that pressed in its widest width, higher than one that pressed on top though its lacing opened.
func (c *Conclusions) feetFromTryOn(r *match.Request, m *shoe.Model, id uint64, t match.Tried) {
	volume := slices.Index(term.Volumes, m.Volume)
	widest := len(m.Widths) == 1 // no wider one is made
	for _, s := range term.Sides {
		f := r.Feet.Of(s)
		if f == nil {
			continue
		}
		if at := slices.Index(term.Volumes, f.Volume); TryLockdown.Of(c.Visit, id) == "loose" && volume > 0 && (at < 0 || at >= volume) {
			f.Volume = term.Volumes[volume-1]
		} else if c.presses(id, topPressures) && slices.Contains(TryLacing.Of(c.Visit, id), "window") && volume < len(term.Volumes)-1 &&
			at <= volume {
			f.Volume = term.Volumes[volume+1]
		}
		if t.Tight && widest {
			f.Shape = map[term.LastShape]term.Shape{"tapered": "round", "standard": "square", "wide_toe": "square"}[m.LastShape]
		}
	}
}

// leader leads the comparisons, by model code; empty before two were compared.
func (c *Conclusions) leader() string {
	var set []string
	for _, x := range c.Comparisons() {
		for _, id := range []string{x.Left, x.Right} {
			if !slices.Contains(set, id) {
				set = append(set, id)
			}
		}
	}
	a, ok, err := c.Leading(set)
	if !ok || err != nil || len(a.Ranked) == 0 {
		return ""
	}
	best, most := "", 0.0
	for _, x := range a.Ranked {
		if p := a.PBest[x.Pair]; p > most+1e-12 {
			best, most = x.Pair, p
		}
	}
	return best
}
