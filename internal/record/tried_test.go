package record_test

import (
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/match"
	"trevik/internal/record"
)

// tried puts down what was found of a model at the try-on.
func (w *world) tried(t testing.TB, model uint64, of map[*record.Decl]string) *world {
	t.Helper()
	for d, text := range of {
		n := 0.0
		if d == record.TryComfort.Decl {
			n = map[string]float64{"4": 4, "9": 9}[text]
		}
		w.found(record.Key{Name: d.Name, Model: model}, n, text)
	}
	return w
}

// What the try-on finds moves the answer that Shoes, the try-on's set and the sale share; said not to
// count, it moves nothing.
func TestTryOnMovesTheAnswer(t *testing.T) {
	rank := func(w *world) map[string]match.Ranked {
		t.Helper()
		a, ok, err := w.follow(t).Match()
		must(t, err)
		if !ok {
			t.Fatal("nothing is ranked")
		}
		out := map[string]match.Ranked{}
		for _, x := range a.Ranked {
			out[x.Model] = x
		}
		return out
	}
	before := rank(fitted(t))
	w := fitted(t).tried(t, skua, map[*record.Decl]string{record.TryComfort.Decl: "4", record.TryRoom.Decl: "short",
		record.TryLift.Decl: "much", record.TryLockdown.Decl: "tight"})
	after := rank(w)
	x := after["skua"]
	if x.Size.UK != before["skua"].Size.UK+0.5 || x.Size.Width != "E" || len(x.Moves) < 3 || x.Place == nil {
		t.Errorf("UK %g %s, was UK %g %s; %v", x.Size.UK, x.Size.Width, before["skua"].Size.UK, before["skua"].Size.Width, x.Moves)
	}
	hold := func(r match.Ranked) float64 {
		for _, m := range r.Marks {
			if m.Mark == "hold" {
				return m.Value
			}
		}
		return -1
	}
	if hold(after["tern"]) >= hold(before["tern"]) {
		t.Error("a heel that lifts says nothing of flat counters")
	}
	c := w.follow(t)
	set, err := c.TryOnSet()
	must(t, err)
	if !strings.Contains(strings.Join(set, " "), "skua") {
		t.Errorf("%v", set)
	}
	w.tried(t, skua, map[*record.Decl]string{record.TryMoves.Decl: "does_not_count"})
	if x := rank(w)["skua"]; x.Size.UK != before["skua"].Size.UK || x.Place != nil {
		t.Errorf("said not to count, it is UK %g", x.Size.UK)
	}
	w = fitted(t).tried(t, skua, map[*record.Decl]string{record.TryLeft.Decl: "too firm"})
	a, _, err := w.follow(t).Match()
	must(t, err)
	if slices.Contains(a.TryOn, "skua") || a.Ranked[len(a.Ranked)-1].Model != "skua" {
		t.Errorf("left, and still proposed: %v", a.TryOn)
	}
	// It stays on the page, where it can be put right.
	if set, err = w.follow(t).TryOnSet(); err != nil || !slices.Contains(set, "skua") {
		t.Errorf("gone from the page: %v %v", set, err)
	}
}
