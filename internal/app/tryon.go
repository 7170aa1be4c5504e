package app

import (
	"context"
	"slices"
	"strings"

	"trevik/internal/core/fault"
	"trevik/internal/core/tryon"
)

// Lacings are the ways to lace a shoe that Trevik draws.
var Lacings = []string{"as_it_comes", "heel_lock", "window", "wide_forefoot", "high_instep", "toe_lift"}

// PressurePlaces are where a shoe may press, each on either foot.
var PressurePlaces = []string{"big_toe", "small_toes", "ball_inner", "ball_outer", "instep", "arch", "ankle_inner", "ankle_outer", "heel"}

func pressureChoices() []string {
	var out []string
	for _, side := range []string{"left", "right"} {
		for _, p := range PressurePlaces {
			out = append(out, side+"_"+p)
		}
	}
	return out
}

var rated10 = []string{"0", "1", "2", "3", "4", "5", "6", "7", "8", "9", "10"}

// tryOnFields are asked of each pair that is tried on.
var tryOnFields = []Field{
	{Name: "try_comfort", Label: "Comfort", Kind: Number, Lo: 0, Hi: 10, ByModel: true, How: "told"},
	{Name: "try_heel", Label: "Heel", Kind: Choice, Choices: rated10, ByModel: true, How: "told"},
	{Name: "try_midfoot", Label: "Midfoot", Kind: Choice, Choices: rated10, ByModel: true, How: "told"},
	{Name: "try_forefoot", Label: "Forefoot", Kind: Choice, Choices: rated10, ByModel: true, How: "told"},
	{Name: "try_lift", Label: "Heel lifts", Kind: Choice, Choices: []string{"no", "a_little", "much"}, ByModel: true, How: "by eye"},
	{Name: "try_room", Label: "Toe room", Kind: Choice, Choices: []string{"short", "right", "long"}, ByModel: true, How: "by hand"},
	{Name: "try_lockdown", Label: "Held", Kind: Choice, Choices: []string{"loose", "held", "tight"}, ByModel: true, How: "told"},
	{Name: "try_pressure", Label: "Presses at", Kind: Many, Choices: pressureChoices(), ByModel: true, How: "told"},
	{Name: "try_lacing", Label: "Lacing tried", Kind: Many, Choices: Lacings, ByModel: true, How: "by hand"},
	{Name: "try_later", Label: "Comfort after some minutes", Kind: Choice, Choices: rated10, ByModel: true, How: "told"},
	{Name: "try_word", Label: "In a word", Kind: Text, Max: 60, ByModel: true, How: "told"},
	{Name: "try_left", Label: "Why it was left", Kind: Text, Max: 120, ByModel: true, How: "told"},
	{Name: "try_set", Label: "In the set", Kind: Choice, Choices: []string{"in", "out"}, ByModel: true, How: "decided"},
	{Name: "none_today", Label: "None today", Kind: Choice, Choices: []string{"no", "yes"}, How: "decided"},
	{Name: "none_why", Label: "What was missing", Kind: Text, Max: 300, How: "told"},
}

// mostTried is how many pairs a try-on may hold.
const mostTried = 12

// comparedField is one comparison with a pair on each foot: "left>right", "right>left"
// or "left=right" by the models' codes, numbered in the order in which they were made.
var comparedField = Field{Name: "compared", Label: "Compared", Kind: Text, Max: 200, How: "told"}

// TryOnSet is the models to try, by code, in an order that favours none: those that are
// proposed and those that the fitter put in, less what they took out.
func (f *Fit) TryOnSet(c *Catalogue, proposed []string) []string {
	var set []string
	add := func(code string) {
		if m := c.ByCode(code); m != nil && !slices.Contains(set, code) && len(set) < mostTried {
			set = append(set, code)
		}
	}
	for _, code := range proposed {
		if f.Text("try_set", "", c.Row(code)) != "out" {
			add(code)
		}
	}
	for _, found := range f.named("try_set") {
		if found.Text == "in" {
			if m := c.byID(uint64(found.Key.Repeat)); m != nil {
				add(m.ID)
			}
		}
	}
	return tryon.Order(set, f.ID)
}

// Compared is one comparison: the pair on the left foot, the one on the right, and
// which was preferred, empty for even.
type Compared struct {
	Left, Right, Better string
}

// Comparisons lists what was compared, in order.
func (f *Fit) Comparisons() []Compared {
	var out []Compared
	for _, found := range f.named(comparedField.Name) {
		for _, sign := range []string{">", "<", "="} {
			if l, r, ok := strings.Cut(found.Text, sign); ok {
				c := Compared{Left: l, Right: r}
				switch sign {
				case ">":
					c.Better = l
				case "<":
					c.Better = r
				}
				out = append(out, c)
			}
		}
	}
	return out
}

// Leading is who leads the comparisons among the set; ok is false with fewer than two
// pairs.
func (f *Fit) Leading(set []string) (a tryon.Answer, ok bool, err error) {
	if len(set) < 2 {
		return a, false, nil
	}
	seed := int64(f.ID)
	in := tryon.Comparisons{Schema: tryon.Schema, Pairs: slices.Sorted(slices.Values(set)), Seed: &seed}
	for _, c := range f.Comparisons() {
		if !slices.Contains(set, c.Left) || !slices.Contains(set, c.Right) {
			continue // one of them was taken out
		}
		switch c.Better {
		case "":
			in.Wins = append(in.Wins, tryon.Comparison{Even: []string{c.Left, c.Right}})
		case c.Left:
			in.Wins = append(in.Wins, tryon.Comparison{Winner: c.Left, Loser: c.Right})
		default:
			in.Wins = append(in.Wins, tryon.Comparison{Winner: c.Right, Loser: c.Left})
		}
	}
	a, err = tryon.Compare(in)
	return a, err == nil, err
}

// AddComparison puts down one comparison: left and right are the models on the feet,
// better is one of them or empty for even. It fails with a fault.List.
func (a *App) AddComparison(ctx context.Context, who Actor, fitID uint64, left, right, better string) (Saved, error) {
	c, err := a.Catalogue(ctx, who)
	if err != nil {
		return Saved{}, err
	}
	var l fault.List
	for field, code := range map[string]string{"on_left": left, "on_right": right} {
		if c.ByCode(code) == nil {
			l.Add(field, "is no model of the catalogue; choose one of the set")
		}
	}
	if left == right {
		l.Add("on_right", "is the same as on the left; a pair is not compared with itself")
	}
	if better != "" && better != left && better != right {
		l.Add("better", "is neither of the two; allowed is left, right or even")
	}
	if err := l.Err(); err != nil {
		return Saved{}, err
	}
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return Saved{}, err
	}
	sign := "="
	switch better {
	case left:
		sign = ">"
	case right:
		sign = "<"
	}
	last := 0
	if made := fit.named(comparedField.Name); len(made) > 0 {
		last = made[len(made)-1].Key.Repeat
	}
	return a.Record(ctx, who, fitID, []Value{{Key: Key{Name: comparedField.Name, Repeat: last + 1}, Field: comparedField, Text: left + sign + right}})
}

// SetInTryOn puts a model into the set that is tried on, or takes it out.
func (a *App) SetInTryOn(ctx context.Context, who Actor, fitID uint64, code string, in bool) (Saved, error) {
	c, err := a.Catalogue(ctx, who)
	if err != nil {
		return Saved{}, err
	}
	if c.ByCode(code) == nil {
		return Saved{}, fault.List{{Field: "model", Text: "is no model of the catalogue; choose one"}}
	}
	field, key, _ := FieldOf("try-on", (Key{Name: "try_set", Repeat: c.Row(code)}).Input())
	v := Value{Key: key, Field: field, Text: "in"}
	if !in {
		v.Text = "out"
	}
	return a.Record(ctx, who, fitID, []Value{v})
}

// Name is a model's name by its code; the code itself where it is gone.
func (c *Catalogue) Name(code string) string {
	if m := c.ByCode(code); m != nil {
		return ModelName(m)
	}
	return code
}
