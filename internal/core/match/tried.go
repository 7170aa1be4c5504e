package match

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
)

// Tried is what the try-on found of a model.
type Tried struct {
	In      *Worn    // the size and width that it was found in; nil is the one that is proposed by the feet
	Comfort *float64 // 0 to 10, the later of two answers; nil while it was not worn
	Faults  int      // that lacing did not cure
	Toes    string   // short, right or long; empty is not told
	Tight   bool     // tight, or pressing at the sides
	Left    string   // why it was left; empty where it was not
}

// Worn is a size and width that a model was tried on in.
type Worn struct {
	Figure foot.Figure // on the model's chart
	Width  string
}

// House values of the try-on's say.
const (
	scoreShare   = 0.35
	comfortShare = 0.65
	faultCosts   = 0.1
)

// fitted moves a fitting by what the try-on found: the half size up for toes that were short, down
// for long ones where that keeps the least room, the next width made for a foot that was pressed.
func (r *Request) fitted(m *shoe.Model, f fitting) fitting {
	t, told := r.Tried[m.ID]
	if !told || f.reason != "" {
		return f
	}
	f = r.wornIn(m, f, t.In)
	to := f.at
	switch t.Toes {
	case "short":
		to++
	case "long":
		to--
	}
	switch {
	case to == f.at:
	case to < 0 || to >= len(m.SizesUK):
		f.moves = append(f.moves, fmt.Sprintf("Toes were %s in UK %g: no other size is made.", t.Toes, f.figure.UK(m.Chart)))
	default:
		if room := r.roomFor(m, m.SizesUK[to], r.longest); room < LeastRoomMM-sizeTie {
			f.moves = append(f.moves, fmt.Sprintf("Toes were %s in UK %g: a smaller one leaves too little room.", t.Toes, f.figure.UK(m.Chart)))
		} else {
			f.moves = append(f.moves, fmt.Sprintf("Toes were %s in UK %g: UK %g is proposed.", t.Toes, f.figure.UK(m.Chart),
				m.SizesUK[to].UK(m.Chart)))
			f.at, f.figure, f.room = to, m.SizesUK[to], room
		}
	}
	if t.Tight {
		if w, off, ok := r.nearestWidth(m, func(w string) bool { return letterAt(m, w) > letterAt(m, f.width) }); ok {
			f.moves = append(f.moves, fmt.Sprintf("It pressed at the sides in %s: %s is proposed.", f.width, w))
			f.width, f.off = w, off
		}
	}
	return f
}

// wornIn puts the size and width that a model was tried on in, and liked best, in the place of those
// that the feet alone would have, where it is made so and keeps the least room.
func (r *Request) wornIn(m *shoe.Model, f fitting, in *Worn) fitting {
	if in == nil || in.Figure == f.figure && in.Width == f.width {
		return f
	}
	at, room := slices.Index(m.SizesUK, in.Figure), r.roomFor(m, in.Figure, r.longest)
	if at < 0 || !slices.Contains(m.Widths, in.Width) || room < LeastRoomMM-sizeTie {
		return f
	}
	f.moves = append(f.moves, fmt.Sprintf("Of the sizes and widths that were tried, UK %g %s counts.", in.Figure.UK(m.Chart), in.Width))
	f.off += letterAt(m, in.Width) - letterAt(m, f.width)
	f.at, f.figure, f.room, f.width = at, in.Figure, room, in.Width
	return f
}

// followTryOn puts the ranked in the order that the try-on gives them: those that were worn by their
// score and their comfort, the others by their score as those did in the mean; the leader of the
// comparisons first; what was left, and its twin in colour, last and out of the set.
func (r *Request) followTryOn(a *Answer) {
	if len(r.Tried) == 0 && r.Leader == "" {
		return
	}
	ratio, n := 0.0, 0
	for i := range a.Ranked {
		c := &a.Ranked[i]
		t := r.Tried[c.Model]
		if t.Comfort == nil {
			continue
		}
		place := scoreShare*c.Score + comfortShare**t.Comfort/10 - faultCosts*float64(t.Faults)
		c.Place = &place
		faults := ""
		if t.Faults > 0 {
			faults = fmt.Sprintf(", with %d fault%s that lacing did not cure", t.Faults, map[bool]string{true: "s"}[t.Faults > 1])
		}
		c.Moves = append(c.Moves, fmt.Sprintf("Worn: comfort %s of 10%s.", plain(*t.Comfort), faults))
		if c.Score > 0 {
			ratio, n = ratio+place/c.Score, n+1
		}
	}
	if n > 0 {
		ratio /= float64(n)
	} else {
		ratio = 1
	}
	left := map[string]string{}
	for i := range a.Ranked {
		c := &a.Ranked[i]
		if c.Place == nil {
			place := c.Score * ratio
			c.Place = &place
		}
		if why := r.leftBecause(c.model); why != "" {
			left[c.Model] = why
			c.Moves = append(c.Moves, "Left: "+why+".")
		}
		*c.Place = math.Round(*c.Place*1e6) / 1e6
	}
	rank := func(c *Ranked) int {
		switch {
		case left[c.Model] != "":
			return 2
		case c.Model == r.Leader:
			return 0
		}
		return 1
	}
	a.Ranked = sorted(a.Ranked, func(x, y *Ranked) int {
		return cmp.Or(cmp.Compare(rank(x), rank(y)), cmp.Compare(*y.Place, *x.Place), strings.Compare(x.Model, y.Model))
	})
	if r.Leader != "" && len(a.Ranked) > 0 && a.Ranked[0].Model == r.Leader {
		a.Ranked[0].Moves = append(a.Ranked[0].Moves, "It leads the comparisons, a pair on each foot.")
	}
	a.TryOn = slices.DeleteFunc(a.TryOn, func(id string) bool { return left[id] != "" })
	r.fillSculpted(a, left)
}

// leftBecause is why a model, or its twin in colour, was left; empty where it was not.
func (r *Request) leftBecause(m *shoe.Model) string {
	if why := r.Tried[m.ID].Left; why != "" {
		return why
	}
	for id, t := range r.Tried {
		o := r.byID[id]
		if t.Left == "" || o == nil || o.Maker != m.Maker || o.Name != m.Name || o.Chart != m.Chart {
			continue
		}
		if o.Replaces == m.ID && o.Change == "colour_only" || m.Replaces == o.ID && m.Change == "colour_only" {
			return t.Left + " (its twin in colour)"
		}
	}
	return ""
}

// fillSculpted puts a model that holds a heel into the set, where heels lifted and none is in it.
func (r *Request) fillSculpted(a *Answer, left map[string]string) {
	if r.HeelLifted == nil || !*r.HeelLifted {
		return
	}
	sculpted := func(id string) bool { return r.byID[id] != nil && r.byID[id].HeelCounter == "sculpted" }
	if slices.ContainsFunc(a.TryOn, sculpted) {
		return
	}
	for i := range a.Ranked {
		if c := &a.Ranked[i]; sculpted(c.Model) && left[c.Model] == "" {
			c.Moves = append(c.Moves, "A heel lifted: its counter is sculpted.")
			a.TryOn = append(a.TryOn, c.Model)
			return
		}
	}
}
