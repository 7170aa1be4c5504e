package match

import (
	"math"
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/shoe"
)

// order of the ranked, by id.
func order(a Answer) string {
	var ids []string
	for _, x := range a.Ranked {
		ids = append(ids, x.Model)
	}
	return strings.Join(ids, " ")
}

func rankedOf(t *testing.T, a Answer, id string) Ranked {
	t.Helper()
	for _, x := range a.Ranked {
		if x.Model == id {
			return x
		}
	}
	t.Fatalf("%s is not offered", id)
	return Ranked{}
}

// three models, the first the best by its marks.
func three() []shoe.Model {
	return []shoe.Model{model("a", nil), model("b", func(m *shoe.Model) { m.WeightG = 290 }),
		model("c", func(m *shoe.Model) { m.WeightG = 330 })}
}

// What the toes felt takes the next half size, where one is made and keeps 8 mm.
func TestToesMoveTheSize(t *testing.T) {
	for toes, want := range map[string]float64{"": 8.5, "right": 8.5, "short": 9, "long": 8} {
		q := request(three()...)
		q.Tried = map[string]Tried{"a": {Toes: toes}}
		x := rankedOf(t, rank(t, q), "a")
		if x.Size.UK != want || (len(x.Moves) > 0) != (want != 8.5) {
			t.Errorf("toes %q: UK %g, %v", toes, x.Size.UK, x.Moves)
		}
		if y := rankedOf(t, rank(t, q), "b"); y.Size.UK != 8.5 {
			t.Errorf("toes %q moved another model to UK %g", toes, y.Size.UK)
		}
	}
	q := request(model("a", func(m *shoe.Model) { m.SizesUK = sizes(7.5, 8.5) }))
	q.Settings.Room, q.Tried = "thumbnail", map[string]Tried{"a": {Toes: "long"}}
	if x := rankedOf(t, rank(t, q), "a"); x.Size.UK != 8 { // UK 7.5 would leave 6.7 mm
		t.Errorf("long toes took UK %g, which leaves %g mm", x.Size.UK, x.Size.RoomMM)
	}
}

// Pressed at the sides, the next width made is proposed.
func TestTightTakesTheNextWidth(t *testing.T) {
	q := request(model("a", func(m *shoe.Model) { m.Widths = []string{"D", "EE", "E"} }))
	q.Tried = map[string]Tried{"a": {Tight: true}}
	if x := rankedOf(t, rank(t, q), "a"); x.Size.Width != "E" || len(x.Moves) != 1 {
		t.Errorf("%s %v", x.Size.Width, x.Moves)
	}
}

// Once worn, a pair's place is its score and its comfort, less its faults; the others go by their
// score as those did in the mean.
func TestComfortDecides(t *testing.T) {
	q := request(three()...)
	before := rank(t, q)
	if order(before) != "a b c" || before.Ranked[0].Place != nil {
		t.Fatalf("%s", order(before))
	}
	q.Tried = map[string]Tried{"a": {Comfort: num(4), Faults: 1}, "c": {Comfort: num(9)}}
	a := rank(t, q)
	place := map[string]float64{}
	for _, x := range before.Ranked {
		place[x.Model] = x.Score
	}
	wantA, wantC := 0.35*place["a"]+0.65*0.4-0.1, 0.35*place["c"]+0.65*0.9
	wantB := place["b"] * (wantA/place["a"] + wantC/place["c"]) / 2
	for id, want := range map[string]float64{"a": wantA, "b": wantB, "c": wantC} {
		if got := *rankedOf(t, a, id).Place; math.Abs(got-want) > 2e-6 {
			t.Errorf("%s is at %g, want %g", id, got, want)
		}
	}
	if order(a) != "c b a" {
		t.Errorf("the order is %s", order(a))
	}
	q.Leader = "b"
	if got := order(rank(t, q)); got != "b c a" {
		t.Errorf("with b leading: %s", got)
	}
}

// What was left is not proposed again, nor its twin in colour.
func TestLeftIsNotProposed(t *testing.T) {
	models := append(three(), model("twin", func(m *shoe.Model) {
		m.Name, m.Version, m.Replaces, m.Change = "a", 2, "a", "colour_only"
	}))
	q := request(models...)
	q.Tried = map[string]Tried{"a": {Left: "rubs at the heel"}}
	a := rank(t, q)
	if slices.Contains(a.TryOn, "a") || slices.Contains(a.TryOn, "twin") || !strings.HasSuffix(order(a), "a twin") {
		t.Errorf("%s, to try %v", order(a), a.TryOn)
	}
	if x := rankedOf(t, a, "twin"); !strings.Contains(strings.Join(x.Moves, " "), "twin in colour") {
		t.Errorf("%v", x.Moves)
	}
}

// A heel that lifted fills the set with one that holds.
func TestSculptedFillsTheSet(t *testing.T) {
	yes := true
	models := three()
	for i := range 6 {
		models = append(models, model("plain"+string(rune('a'+i)), func(m *shoe.Model) { m.Softness = float64(1 + i%5) }))
	}
	models = append(models, model("held", func(m *shoe.Model) {
		m.HeelCounter, m.ListPrice, m.WeightG, m.LastShape, m.Volume, m.Softness = "sculpted", 40000, 340, "wide_toe", "slim", 5
	}))
	q := request(models...)
	if a := rank(t, q); slices.Contains(a.TryOn, "held") {
		t.Fatalf("it is in the set anyway: %v", a.TryOn)
	}
	q.HeelLifted, q.Tried = &yes, map[string]Tried{"a": {Comfort: num(6), Faults: 1}}
	if a := rank(t, q); !slices.Contains(a.TryOn, "held") {
		t.Errorf("no model that holds a heel in %v", a.TryOn)
	}
}
