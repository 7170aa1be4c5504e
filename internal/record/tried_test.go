package record_test

import (
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/foot"
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
	uncounted := rank(w)
	if x := uncounted["skua"]; x.Size.UK != before["skua"].Size.UK || x.Place != nil {
		t.Errorf("said not to count, it is UK %g", x.Size.UK)
	}
	if hold(uncounted["tern"]) != hold(before["tern"]) {
		t.Error("said not to count, its heel still speaks against flat counters")
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

// A model is tried in two sizes and two widths: each keeps its own findings, and the most comfortable
// that was not left is proposed, sold and laced.
func TestTwoSizesOfAModelAreKept(t *testing.T) {
	w := fitted(t)
	again := func(size foot.Figure, width string) error {
		values, err := w.follow(t).AgainValues("skua", size, width)
		for _, x := range values {
			w.found(x.Key, x.Number, x.Text)
		}
		return err
	}
	proposed := func() match.Size {
		t.Helper()
		r, ok, err := w.follow(t).Offered("skua")
		must(t, err)
		if !ok {
			t.Fatal("it is not offered")
		}
		return r.Size
	}
	first := proposed()
	w.tried(t, skua, map[*record.Decl]string{record.TryComfort.Decl: "4", record.TryRoom.Decl: "short"})
	up := proposed()
	if up.Figure != first.Figure+0.5 {
		t.Fatalf("toes were short in UK %g, proposed is UK %g", first.UK, up.UK)
	}
	must(t, again(up.Figure, up.Width))
	c := w.follow(t)
	trials := c.Trials(skua)
	if len(trials) != 2 {
		t.Fatalf("%v", trials)
	}
	for i, want := range []foot.Figure{first.Figure, up.Figure} {
		if in, ok := c.In(w.shop.Catalogue.ByID(skua), trials[i]); !ok || in.Figure != want || in.RoomMM <= 0 {
			t.Errorf("trial %d is in %+v", i, in)
		}
	}
	// The larger one is right: it stays proposed, though the smaller one's toes were short.
	put := func(d record.PerTrial[string], trial record.Trial, word string) { w.found(d.Key(trial), 0, word) }
	w.found(record.TryComfort.Key(trials[1]), 9, "")
	put(record.TryRoom, trials[1], "right")
	put(record.TryWord, trials[1], "home")
	if got := proposed(); got.Figure != up.Figure {
		t.Errorf("proposed is UK %g", got.UK)
	}
	if got := w.follow(t).Tried(); len(got) != 2 || *got[0].Comfort != 9 || got[0].In == got[1].In || got[1].In == "" {
		t.Errorf("%+v", got)
	}
	// A width of it, too, and that one is left: the second stands.
	must(t, again(up.Figure, "E"))
	third := w.follow(t).Trials(skua)[2]
	w.found(record.TryComfort.Key(third), 10, "")
	if got := proposed(); got.Width != "E" || got.Figure != up.Figure {
		t.Errorf("the best of the three is in %s, proposed is UK %g %s", "E", got.UK, got.Width)
	}
	put(record.TryLeft, third, "sloppy")
	if got := proposed(); got.Width != up.Width {
		t.Errorf("left, and still proposed: %s", got.Width)
	}
	if a, _, err := w.follow(t).Match(); err != nil || !slices.Contains(a.TryOn, "skua") {
		t.Errorf("one of its widths was left, and the model is gone: %v %v", a.TryOn, err)
	}
	for _, bad := range []struct {
		size  foot.Figure
		width string
	}{{up.Figure, "E"}, {first.Figure, first.Width}, {up.Figure + 0.25, "D"}, {up.Figure, "EEE"}, {6, "D"}} {
		if err := again(bad.size, bad.width); err == nil {
			t.Errorf("taken: UK %g %s", float64(bad.size), bad.width)
		}
	}
}

// Inputs of a model's later trials name the trial; others are nobody's.
func TestInputsOfTrials(t *testing.T) {
	for _, c := range []struct {
		in string
		ok bool
	}{{"try_comfort.7", true}, {"try_comfort.1.7", true}, {"try_comfort.3.7", true}, {"try_comfort.4.7", false}, {"try_comfort.0.7", false},
		{"try_comfort.-1.7", false}, {"try_comfort.1.0", false}, {"try_comfort.1.7.2", false}, {"try_comfort.", false}} {
		if _, k, ok := record.InputAt("try-on", c.in); ok != c.ok || ok && k.Input() != c.in {
			t.Errorf("%s: %v, back as %s", c.in, ok, k.Input())
		}
	}
}

// The toes of an outline move the match where nobody saw them by eye; what was seen leads.
func TestTracedToes(t *testing.T) {
	w := fitted(t)
	shape := func() string {
		c := w.follow(t)
		sup, err := c.Support()
		must(t, err)
		r, _ := c.Request(sup)
		return string(r.Feet.Left.Shape)
	}
	seen := shape()
	w.found(record.TraceShape.Key("left"), 0, "square")
	if got := shape(); seen == "" && got != "square" || seen != "" && got != seen {
		t.Errorf("seen %q, traced square, matched as %q", seen, got)
	}
	w.found(record.ToeShape.Key("left"), 0, "tapered")
	if got := shape(); got != "tapered" {
		t.Errorf("seen tapered, matched as %q", got)
	}
}
