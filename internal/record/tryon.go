package record

import (
	"cmp"
	"slices"

	"trevik/internal/core/shoe"
	"trevik/internal/core/tryon"
)

// Tried is one model that was tried on.
type Tried struct {
	Model   *shoe.Model
	Comfort *float64 // 0 to 10
	Word    string
	Left    string // why it was left
}

// Tried lists what was tried on, the most comfortable first.
func (c *Conclusions) Tried() []Tried {
	v := c.Visit
	ids := slices.Concat(TryComfort.Models(v), TryWord.Models(v), TryLeft.Models(v))
	slices.Sort(ids)
	var out []Tried
	for _, id := range slices.Compact(ids) {
		if m := c.Shop.Catalogue.ByID(id); m != nil {
			out = append(out, Tried{m, TryComfort.Ptr(v, id), TryWord.Of(v, id), TryLeft.Of(v, id)})
		}
	}
	comfort := func(t Tried) float64 {
		if t.Comfort == nil {
			return -1
		}
		return *t.Comfort
	}
	slices.SortStableFunc(out, func(x, y Tried) int { return cmp.Compare(comfort(y), comfort(x)) })
	return out
}

// mostTried is how many pairs a try-on may hold.
const mostTried = 12

// TryOnSet is the models to try, by code, in an order that favours none: those that the match
// proposes and those that the fitter put in, less what they took out.
func (c *Conclusions) TryOnSet() ([]string, error) {
	answer, _, err := c.Match()
	if err != nil {
		return nil, err
	}
	catalogue := c.Shop.Catalogue
	var set []string
	add := func(code string) {
		if m := catalogue.ByCode(code); m != nil && !slices.Contains(set, code) && len(set) < mostTried {
			set = append(set, code)
		}
	}
	for _, code := range answer.TryOn {
		if TrySet.Of(c.Visit, catalogue.RowID(code)) != "out" {
			add(code)
		}
	}
	// What was tried stays on the page, though it was left: there it can be put right.
	for _, t := range c.Tried() {
		if TrySet.Of(c.Visit, catalogue.RowID(t.Model.ID)) != "out" {
			add(t.Model.ID)
		}
	}
	for _, id := range TrySet.Models(c.Visit) {
		if m := catalogue.ByID(id); m != nil && TrySet.Of(c.Visit, id) == "in" {
			add(m.ID)
		}
	}
	return tryon.Order(set, c.ID), nil
}

// Comparison is one: the pair on the left foot, the one on the right, by code, and which was
// preferred, empty for even.
type Comparison struct {
	Left, Right, Better string
}

// Comparisons lists what was compared, in order.
func (c *Conclusions) Comparisons() []Comparison {
	var out []Comparison
	for _, f := range c.Named(Compared) {
		left, right := c.Shop.Catalogue.ByID(f.Key.Model), c.Shop.Catalogue.ByID(f.Key.Other)
		if left == nil || right == nil {
			continue
		}
		x := Comparison{Left: left.ID, Right: right.ID}
		switch f.Text {
		case "left":
			x.Better = x.Left
		case "right":
			x.Better = x.Right
		}
		out = append(out, x)
	}
	return out
}

// NextComparison is the number of the comparison that would be made next.
func (v *Visit) NextComparison() int {
	made := v.Named(Compared)
	if len(made) == 0 {
		return 1
	}
	return made[len(made)-1].Key.Row + 1
}

// Leading is who leads the comparisons among the set; ok is false with fewer than two pairs.
func (c *Conclusions) Leading(set []string) (a tryon.Answer, ok bool, err error) {
	if len(set) < 2 {
		return a, false, nil
	}
	seed := int64(c.ID)
	in := tryon.Comparisons{Schema: tryon.Schema, Pairs: slices.Sorted(slices.Values(set)), Seed: &seed}
	for _, x := range c.Comparisons() {
		if !slices.Contains(set, x.Left) || !slices.Contains(set, x.Right) {
			continue // one of them was taken out
		}
		switch x.Better {
		case "":
			in.Wins = append(in.Wins, tryon.Comparison{Even: []string{x.Left, x.Right}})
		case x.Left:
			in.Wins = append(in.Wins, tryon.Comparison{Winner: x.Left, Loser: x.Right})
		default:
			in.Wins = append(in.Wins, tryon.Comparison{Winner: x.Right, Loser: x.Left})
		}
	}
	a, err = tryon.Compare(in)
	return a, err == nil, err
}
