package record

import (
	"cmp"
	"slices"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/tryon"
)

// Tried is one pair that was tried on.
type Tried struct {
	Model   *shoe.Model
	In      string   // the size and width, where the model was tried in more than one
	Comfort *float64 // 0 to 10
	Word    string
	Left    string // why it was left
}

// Tried lists what was tried on, the most comfortable first.
func (c *Conclusions) Tried() []Tried {
	v := c.Visit
	var out []Tried
	for _, id := range v.tried() {
		m := c.Shop.Catalogue.ByID(id.Model)
		if m == nil || TryComfort.Ptr(v, id) == nil && TryWord.Of(v, id) == "" && TryLeft.Of(v, id) == "" {
			continue
		}
		t := Tried{Model: m, Comfort: TryComfort.Ptr(v, id), Word: TryWord.Of(v, id), Left: TryLeft.Of(v, id)}
		if uk := TrySize.Ptr(v, id); uk != nil {
			t.In = m.Label(foot.Figure(*uk), TryWidth.Of(v, id))
		}
		out = append(out, t)
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

// InSize is what a trial is in: a size and width with the room that they leave.
type InSize struct {
	Figure foot.Figure
	Width  string
	Label  string
	RoomMM float64
	Stock  int
}

func (c *Conclusions) inSize(m *shoe.Model, size foot.Figure, width string) InSize {
	room, _ := c.RoomIn(m, size)
	return InSize{size, width, m.Label(size, width), room, m.StockOf(size, width)}
}

// In is the size and width that a trial is in: those that were put down, else those that the feet
// alone ask for. ok is false where the model is not offered.
func (c *Conclusions) In(m *shoe.Model, t Trial) (InSize, bool) {
	if uk := TrySize.Ptr(c.Visit, t); uk != nil {
		return c.inSize(m, foot.Figure(*uk), TryWidth.Of(c.Visit, t)), true
	}
	answer, err := c.untried.get(func() (match.Answer, error) {
		if len(c.tried()) == 0 {
			answer, _, err := c.Match()
			return answer, err
		}
		sup, err := c.Support()
		if err != nil {
			return match.Answer{}, err
		}
		r, ready := c.Request(sup)
		if !ready {
			return match.Answer{}, nil
		}
		r.Tried, r.Leader = nil, ""
		return match.Rank(r)
	})
	if at := slices.IndexFunc(answer.Ranked, func(r match.Ranked) bool { return r.Model == m.ID }); err == nil && at >= 0 {
		x := answer.Ranked[at].Size
		return c.inSize(m, x.Figure, x.Width), true
	}
	return InSize{}, false
}

// AgainValues put down that a model is tried in another size or width, too. It fails with a
// fault.List where it is not made so, leaves too little room, or was tried so already.
func (c *Conclusions) AgainValues(code string, size foot.Figure, width string) ([]Value, error) {
	m, id := c.Shop.Catalogue.ByCode(code), c.Shop.Catalogue.RowID(code)
	if m == nil {
		return nil, fault.List{{Field: "again_size", Text: "is of no model of the catalogue; choose one of the set"}}
	}
	trials := c.Trials(id)
	first, ok := c.In(m, trials[0])
	var l fault.List
	switch room, known := c.RoomIn(m, size); {
	case !ok:
		l.Add("again_size", "is of a model that is not offered to this runner")
	case len(trials) >= mostTrials:
		l.Add("again_size", "would be trial %d of this model; allowed are %d", len(trials)+1, mostTrials)
	case !slices.Contains(m.SizesUK, size):
		l.Add("again_size", "is not made; choose one of the list")
	case known && room < match.LeastRoomMM:
		l.Add("again_size", "leaves %.1f mm; under %g mm is never offered", room, match.LeastRoomMM)
	case !slices.Contains(m.Widths, width):
		l.Add("again_width", "is not made; choose one of the list")
	}
	for _, t := range trials {
		if in, ok := c.In(m, t); ok && in.Figure == size && in.Width == width {
			l.Add("again_size", "is tried already: %s; choose another size or width", in.Label)
		}
	}
	if len(l) > 0 {
		return nil, l
	}
	put := func(t Trial, in InSize) []Value {
		return []Value{{Key: TrySize.Key(t), Decl: TrySize.Decl, Number: float64(in.Figure)},
			{Key: TryWidth.Key(t), Decl: TryWidth.Decl, Text: in.Width}}
	}
	next := Trial{id, trials[len(trials)-1].Again + 1}
	return append(put(trials[0], first), put(next, InSize{Figure: size, Width: width})...), nil
}

// LacedIn is how the trial of a model that counts was laced.
func (c *Conclusions) LacedIn(code string) []string {
	t, _ := c.leading(c.Shop.Catalogue.RowID(code))
	return TryLacing.Of(c.Visit, t)
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
	in := tryon.Comparisons{Schema: tryon.Schema, Pairs: slices.Sorted(slices.Values(set))} // of the usual draws, as the command has them
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
