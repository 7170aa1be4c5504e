package record

import (
	"cmp"
	"slices"

	"trevik/internal/core/care"
	"trevik/internal/core/term"
)

// ForDay is a model for a day: one of the runner's pairs, or one on the shelf.
type ForDay struct {
	Name    string
	Pair    *Pair // nil is one on the shelf
	Serves  bool
	Suit    float64
	Missing []string
	Note    string // what it is limited to
	Price   int64
}

// shownOfShelf is how many models of the shelf are offered for a day.
const shownOfShelf = 3

// better orders what serves before what does not, by how well it suits, the cheaper first.
func better(x, y ForDay) int {
	serves := func(f ForDay) int {
		if f.Serves {
			return 0
		}
		return 1
	}
	return cmp.Or(cmp.Compare(serves(x), serves(y)), cmp.Compare(y.Suit, x.Suit), cmp.Compare(x.Price, y.Price))
}

// UnderMyFeet answers what belongs under the feet on a day: the runner's own pairs in use, the
// best first, and what the shelf would offer where none of them serves.
func (c *Conclusions) UnderMyFeet(day care.Day) (own, shelf []ForDay, err error) {
	wearer := c.Wearer()
	serves := false
	for i := range c.Runner.Pairs {
		p := &c.Runner.Pairs[i]
		if !p.SetAsideOn.IsZero() {
			continue
		}
		x := ForDay{Name: p.Name(), Pair: p}
		x.Serves, x.Suit, x.Missing = day.Suits(&p.Model, wearer)
		v, err := c.Verdict(p)
		if err != nil {
			return nil, nil, err
		}
		switch rough := day.Ground == term.GroundRoad && slices.Contains(day.Conditions, term.BlackIce); {
		case !v.Serves():
			x.Serves, x.Missing = false, []string{"retire it now: " + v.Retire}
		case v.WornLugs && (rough || slices.Contains(roughGround, day.Ground)):
			x.Serves, x.Missing = false, append(x.Missing, "lugs that are not worn away")
		case v.Slowed:
			x.Note = "short, easy runs only"
		case v.LastRuns:
			x.Note = "its last runs"
		}
		serves = serves || x.Serves
		own = append(own, x)
	}
	slices.SortStableFunc(own, better)
	if serves {
		return own, nil, nil
	}
	for i := range c.Shop.Catalogue.Models {
		m := &c.Shop.Catalogue.Models[i]
		if m.Chart != c.Runner.Chart {
			continue
		}
		if ok, suit, _ := day.Suits(m, wearer); ok {
			shelf = append(shelf, ForDay{Name: ModelName(m), Serves: true, Suit: suit, Price: m.Price()})
		}
	}
	slices.SortStableFunc(shelf, better)
	return own, shelf[:min(shownOfShelf, len(shelf))], nil
}
