package record

import (
	"cmp"
	"slices"

	"trevik/internal/core/foot"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
)

// sidePressures and topPressures are where a shoe presses that is too narrow, or too low.
var (
	sidePressures = []string{"ball_inner", "ball_outer"}
	topPressures  = []string{"instep"}
)

// mostTrials is in how many sizes and widths a model is tried in one fit.
const mostTrials = 4

// Trial is one time that a model was tried on: Again 0 is the first, 1 the next in another size or width.
type Trial struct {
	Model uint64
	Again int
}

// tried are the trials of which something was put down, by model, the earliest first.
func (v *Visit) tried() []Trial {
	var out []Trial
	for k := range v.found {
		if d := byName(k.Name); d != nil && d.ByTrial {
			out = append(out, Trial{k.Model, k.Row})
		}
	}
	slices.SortFunc(out, func(x, y Trial) int { return cmp.Or(cmp.Compare(x.Model, y.Model), cmp.Compare(x.Again, y.Again)) })
	return slices.Compact(out)
}

// Trials are those of a model, the earliest first; the first alone where nothing was put down yet.
func (v *Visit) Trials(model uint64) []Trial {
	out := []Trial{{Model: model}}
	for _, t := range v.tried() {
		if t.Model == model && t.Again > 0 {
			out = append(out, t)
		}
	}
	return out
}

// comfort is how comfortable a pair was, 0 to 10, the later of two answers; nil where none was given.
func (v *Visit) comfort(t Trial) *float64 {
	if later := TryLater.Ptr(v, t); later != nil {
		return rated(later)
	}
	return TryComfort.Ptr(v, t)
}

// leads says whether a trial is the one of its model that counts: of those that were not left and
// that count, the most comfortable; of like ones the later.
func (v *Visit) leads(t Trial) bool { at, ok := v.leading(t.Model); return ok && at == t }

func (v *Visit) leading(model uint64) (best Trial, ok bool) {
	rank := func(t Trial) float64 {
		switch c := v.comfort(t); {
		case TryLeft.Of(v, t) != "":
			return -2
		case c == nil:
			return -1
		default:
			return *c
		}
	}
	for _, t := range v.Trials(model) {
		if TryMoves.Of(v, t) != "does_not_count" && (!ok || rank(t) >= rank(best)) {
			best, ok = t, true
		}
	}
	return best, ok
}

// trialOf is the trial of a pair's model: the one in its size and width, else the one that counts.
func (v *Visit) trialOf(p *Pair) Trial {
	for _, t := range v.Trials(p.ModelRow) {
		if uk := TrySize.Ptr(v, t); uk != nil && foot.Figure(*uk) == p.Size && TryWidth.Of(v, t) == p.Width {
			return t
		}
	}
	t, _ := v.leading(p.ModelRow)
	t.Model = p.ModelRow
	return t
}

// presses says whether a pair presses at one of some places, on either foot.
func (v *Visit) presses(t Trial, at []string) bool {
	return slices.ContainsFunc(TryPressure.Of(v, t), func(p string) bool {
		return slices.ContainsFunc(at, func(place string) bool { return p == "left_"+place || p == "right_"+place })
	})
}

// fromTryOn puts what the try-on found into a request: each model's own findings, and what they tell of
// the feet.
func (c *Conclusions) fromTryOn(r *match.Request) {
	v := c.Visit
	for _, id := range v.tried() {
		m := c.Shop.Catalogue.ByID(id.Model)
		if m == nil || !v.leads(id) {
			continue
		}
		held := TryLockdown.Of(v, id)
		t := match.Tried{Comfort: v.comfort(id), Toes: TryRoom.Of(v, id), Left: TryLeft.Of(v, id),
			Tight: held == "tight" || v.presses(id, sidePressures)}
		if uk := TrySize.Ptr(v, id); uk != nil {
			t.In = &match.Worn{Figure: foot.Figure(*uk), Width: TryWidth.Of(v, id)}
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
func (c *Conclusions) feetFromTryOn(r *match.Request, m *shoe.Model, id Trial, t match.Tried) {
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
