package record_test

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"trevik/internal/core/care"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
	"trevik/internal/record"
)

// Each input of a station leads back to its declaration and its key, and no two are alike.
func TestInputsAreOneToOne(t *testing.T) {
	for _, station := range record.Stations {
		seen := map[string]bool{}
		for _, d := range record.DeclsAt(station) {
			if d.Label == "" || d.How == "" {
				t.Errorf("%s of %s has no label or no way of being found", d.Name, station)
			}
			keys := d.Keys()
			if d.ByModel {
				keys = []record.Key{{Name: d.Name, Model: 41}}
			}
			for _, k := range keys {
				in := k.Input()
				got, key, ok := record.InputAt(station, in)
				if seen[in] || !ok || got != d || key != k {
					t.Errorf("%s %q: %v %+v %v", station, in, seen[in], key, ok)
				}
				seen[in] = true
			}
		}
	}
	for _, in := range []string{"", "nothing", "length_mm", "length_mm.left", "length_mm.left.4", "length_mm.middle.1"} {
		if _, _, ok := record.InputAt("feet", in); ok {
			t.Errorf("%q is an input", in)
		}
	}
}

// What does not decode is loud, and names the finding.
func TestDecodeIsLoud(t *testing.T) {
	nan := math.NaN()
	for name, c := range map[string]struct {
		stored record.Stored
		says   string
	}{
		"not declared":     {record.Stored{Key: record.Key{Name: "shoe_colour"}}, "not declared"},
		"no number":        {record.Stored{Key: record.WeeklyKM.Key()}, "no number"},
		"not a number":     {record.Stored{Key: record.WeeklyKM.Key(), Number: &nan}, "NaN"},
		"another word":     {record.Stored{Key: record.Surface.Key(), Text: "lava"}, "lava"},
		"half of a list":   {record.Stored{Key: record.Goals.Key(), Text: "fitness,"}, "allowed is"},
		"no side":          {record.Stored{Key: record.Key{Name: record.Length.Name, Row: 1}}, "side"},
		"a fourth reading": {record.Stored{Key: record.Length.Key(term.Left, 4)}, "row"},
		"no model":         {record.Stored{Key: record.Key{Name: record.TryComfort.Name}}, "model"},
		"a day in words":   {record.Stored{Key: record.RaceOn.Key(), Text: "someday"}, "someday"},
		"a cut object":     {record.Stored{Key: record.Key{Name: record.PrintRead.Name, Side: term.Left}, Text: `{"arch":`}, "unexpected end"},
		"a suitability of no run": {record.Stored{Key: record.Key{Name: record.Suitability.Name, Model: 1}, Number: ptr(0.5)},
			"kind of run"},
	} {
		v := record.Visit{ID: 9}
		c.stored.ID = 12
		err := v.Decode([]record.Stored{c.stored})
		if err == nil || !strings.Contains(err.Error(), c.says) || !strings.Contains(err.Error(), "fit 9") {
			t.Errorf("%s: %v", name, err)
		}
	}
	v := record.Visit{ID: 9}
	for name, err := range map[string]error{
		"kind":  v.Decide(record.Decision{ID: 1, Kind: "whim", Value: "x"}, nil),
		"basis": v.Decide(record.Decision{ID: 1, Kind: record.Chosen, Value: "skua"}, []byte(`{"ranked":`)),
	} {
		if err == nil {
			t.Errorf("a decision with a wrong %s is taken", name)
		}
	}
	if err := v.Decide(record.Decision{Kind: record.Chosen}, nil); err != nil {
		t.Errorf("a decision that was taken back: %v", err)
	}
	if d, basis := v.Choice(); d != nil || basis != nil {
		t.Error("a choice out of nothing")
	}
}

func ptr[T any](v T) *T { return &v }

// A visit of another runner is refused.
func TestFollowIsOfOneRunner(t *testing.T) {
	w := newWorld()
	w.visit.RunnerID = 8
	if _, err := record.Follow(w.runner, w.visit, w.shop, today); err == nil {
		t.Error("a visit of another runner is followed")
	}
}

// A conclusion is computed once, so that no two pages can hold two.
func TestConclusionsAreComputedOnce(t *testing.T) {
	w := fitted(t)
	w.owns(skua, 200, 300)
	c := w.follow(t)
	s1, err := c.Serving()
	if err != nil {
		t.Fatal(err)
	}
	first, err := c.Worn()
	if err != nil {
		t.Fatal(err)
	}
	w.runner.Pairs[0].Runs = nil // what comes later is another visit's
	s2, _ := c.Serving()
	again, _ := c.Worn()
	if s1 != s2 || &first[0] != &again[0] || first[0].Wear.KM != 300 {
		t.Error("computed twice")
	}
}

// Each part of the week goes to the pair that suits it, and to none once that pair is set aside;
// what each pair has ahead is the sum of its parts.
func TestServing(t *testing.T) {
	w := fitted(t)
	w.owns(skua, 100, 100)
	w.owns(tern, 100, 50)
	c := w.follow(t)
	s, err := c.Serving()
	if err != nil {
		t.Fatal(err)
	}
	took := func(s *record.Serving, kind term.Kind) string {
		for i, p := range s.Parts {
			if p.Kind == kind {
				for j, km := range s.Takes[i] {
					if km > 0 {
						return s.Pairs[j].Model.ID
					}
				}
			}
		}
		return ""
	}
	if s.Board || took(s, term.Easy) != "skua" || took(s, term.Intervals) != "tern" {
		t.Errorf("easy in %q, intervals in %q", took(s, term.Easy), took(s, term.Intervals))
	}
	for j := range s.Pairs {
		sum := 0.0
		for i := range s.Parts {
			sum += s.Takes[i][j]
		}
		if len(s.Ahead[j]) != 1 || s.Ahead[j][0] < sum*0.8 || s.Ahead[j][0] > sum*1.6 {
			t.Errorf("%s takes %g km and has %v ahead", s.Pairs[j].Model.ID, sum, s.Ahead[j])
		}
	}
	w.runner.Pairs[1].SetAsideOn = daysAgo(1)
	s, err = w.follow(t).Serving()
	if err != nil || len(s.Pairs) != 1 || took(s, term.Easy) != "skua" || took(s, term.Intervals) != "" {
		t.Errorf("with the faster pair set aside: easy in %q, intervals in %q, %v", took(s, term.Easy), took(s, term.Intervals), err)
	}
}

// What is due of a pair, by how far it is.
func TestDue(t *testing.T) {
	kinds := func(c *record.Conclusions) (out []record.DueKind) {
		list, err := c.Due()
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range list {
			out = append(out, d.Kind)
			if d.Text == "" || d.Mine == "" || d.Kind == record.DueOrder && (d.Order == nil || d.Label == "") {
				t.Errorf("%+v says too little", d)
			}
		}
		return out
	}
	for name, c := range map[string]struct {
		set  func(*record.Pair)
		days int
		km   float64
		want []record.DueKind
	}{
		"a young pair": {nil, 20, 60, []record.DueKind{record.DueOrder, record.DueLook}},
		"one from this shop": {func(p *record.Pair) { p.FitID = 3 }, 20, 60,
			[]record.DueKind{record.DueOrder, record.DueLook, record.DueComfort, record.DueComfort}},
		"asked after two weeks":   {reported(14), 20, 60, []record.DueKind{record.DueOrder, record.DueLook, record.DueComfort}},
		"asked after a month":     {reported(30), 40, 60, []record.DueKind{record.DueOrder, record.DueLook}},
		"never asked, too late":   {func(p *record.Pair) { p.FitID = 3 }, 100, 60, []record.DueKind{record.DueOrder, record.DueLook}},
		"set aside":               {func(p *record.Pair) { p.SetAsideOn = daysAgo(2) }, 200, 600, nil},
		"a hole, looked at today": {holed, 200, 300, []record.DueKind{record.DueRetire, record.DueOrder}},
	} {
		w := fitted(t)
		p := w.owns(skua, c.days, c.km)
		if c.set != nil {
			c.set(p)
		}
		got := kinds(w.follow(t))
		if !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
	// A newer version is what is to be ordered, and it says so.
	w := fitted(t)
	newer := model("skua2", func(m *shoe.Model) { m.Name, m.Version, m.Replaces = "skua", 2, "skua" })
	w.shop.Catalogue = record.NewCatalogue(w.shop.Catalogue, map[uint64]*shoe.Model{9: newer})
	w.owns(skua, 200, 300)
	list, err := w.follow(t).Due()
	if err != nil || list[0].Order.ID != "skua2" || !strings.Contains(list[0].Text, "the newer version") {
		t.Errorf("%+v %v", list, err)
	}
	seen := map[string]bool{}
	for _, d := range list {
		if seen[d.ID()] {
			t.Errorf("two lines are %s", d.ID())
		}
		seen[d.ID()] = true
	}
}

func reported(days int) func(*record.Pair) {
	return func(p *record.Pair) {
		p.FitID, p.Reports = 3, []record.Report{{AfterDays: days, Comfort: 8}}
	}
}

func holed(p *record.Pair) {
	p.Inspected = []record.Inspected{{On: today, Faults: []string{"upper_hole", "sole_through"}}}
}

// The more a pair has run, the less is left and the earlier the next is to be ordered; a look that
// finds more gone never leaves more.
func TestWornIsMonotone(t *testing.T) {
	left, by := math.Inf(1), "9999"
	for km := 100.0; km <= 700; km += 100 {
		w := fitted(t)
		w.owns(skua, 300, km)
		worn, err := w.follow(t).Worn()
		if err != nil {
			t.Fatal(err)
		}
		a := worn[0].Wear
		if a.KM != km || a.RemainingKM.P50 > left+1e-9 || a.OrderBy != nil && *a.OrderBy > by {
			t.Errorf("%g km: %g left (was %g), by %v (was %s)", km, a.RemainingKM.P50, left, a.OrderBy, by)
		}
		if left = a.RemainingKM.P50; a.OrderBy != nil {
			by = *a.OrderBy
		}
	}
	w := fitted(t)
	w.owns(skua, 300, 250)
	c := w.follow(t)
	ifs, err := c.WhatIfs(0)
	if err != nil || len(ifs) != 3 || !(ifs[0].Left >= ifs[1].Left && ifs[1].Left >= ifs[2].Left) {
		t.Errorf("%+v %v", ifs, err)
	}
	if ending, err := c.Ending(); err != nil || len(ending) > 1 || len(ending) == 1 &&
		!slices.Contains(record.EndingStates, ending[0].Wear.State) {
		t.Errorf("%+v %v", ending, err)
	}
}

// A hole ends a pair whatever it has run, and Today names it first.
func TestAHoleEndsAPair(t *testing.T) {
	w := fitted(t)
	w.owns(tern, 50, 40)
	holed(w.owns(skua, 50, 40))
	ending, err := w.follow(t).Ending()
	if err != nil || len(ending) != 1 || ending[0].Pair.Model.ID != "skua" || ending[0].Wear.State != wear.SetAside {
		t.Errorf("%+v %v", ending, err)
	}
}

// What is typed brings about what follows by itself, and a week never holds more than is allowed,
// however it is typed.
func TestAllowed(t *testing.T) {
	value := func(station, input, typed string) record.Value {
		t.Helper()
		d, k, ok := record.InputAt(station, input)
		var l fault.List
		v, read := d.Read(&l, k, []string{typed}, units.Metric)
		if !ok || !read {
			t.Fatalf("%s: %v", input, l)
		}
		return v
	}
	nothing := func(record.Key) *float64 { return nil }
	out, l := record.Allowed([]record.Value{value("hello", "complaint_place.1", "shin"), value("hello", "complaints", "none")}, nothing)
	if len(l) > 0 {
		t.Fatal(l)
	}
	for _, v := range out {
		if v.Decl == record.ComplaintPlace.Decl && !v.Empty {
			t.Error("'none' leaves the shin")
		}
	}
	out, _ = record.Allowed([]record.Value{value("hello", "complaint_place.2", "knee_inner")}, nothing)
	if !slices.ContainsFunc(out, func(v record.Value) bool { return v.Decl == record.Complains.Decl && v.Text == "some" }) {
		t.Error("a complaint does not say that there are some")
	}
	rng := rand.New(rand.NewPCG(4, 2))
	for range 300 {
		now := map[record.Key]*float64{}
		var typed []record.Value
		for row := range record.WeekRows {
			k := record.WeekKM.Key(row + 1)
			if rng.IntN(2) == 0 {
				now[k] = ptr(float64(rng.IntN(120)))
			}
			if rng.IntN(2) == 0 {
				typed = append(typed, record.Value{Key: k, Decl: record.WeekKM.Decl, Number: float64(rng.IntN(300)), Empty: rng.IntN(6) == 0})
			}
		}
		sum := func() (km float64) {
			for _, n := range now {
				if n != nil {
					km += *n
				}
			}
			return km
		}
		before := sum()
		kept, l := record.Allowed(typed, func(k record.Key) *float64 { return now[k] })
		if len(kept)+len(l) != len(typed) {
			t.Fatalf("%d kept and %d at fault of %d", len(kept), len(l), len(typed))
		}
		for _, v := range kept {
			if now[v.Key] = ptr(v.Number); v.Empty {
				now[v.Key] = nil
			}
		}
		if after := sum(); after > max(before, 250)+1e-9 && after > 400 {
			t.Fatalf("a week of %g km", after)
		}
	}
}

// What is not known yet holds the shoes back; once it is, they follow, and a caution holds them
// back again until somebody takes it on.
func TestWhatHoldsTheShoesBack(t *testing.T) {
	ranked := func(w *world) (ids []string, ok bool) {
		a, ok, err := w.follow(t).Match()
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range a.Ranked {
			ids = append(ids, m.Model)
		}
		return ids, ok
	}
	if _, ok := ranked(newWorld()); ok {
		t.Error("shoes for nobody")
	}
	if _, ok := ranked(newWorld().told(t, "feet", "length_mm.left.1", "262", "length_mm.right.1", "262")); ok {
		t.Error("shoes for feet without a week")
	}
	ids, ok := ranked(fitted(t))
	if !ok || !slices.Contains(ids, "skua") || slices.Contains(ids, "knot") {
		t.Errorf("%v %v: the trail shoe is not for roads", ids, ok)
	}
	w := fitted(t).told(t, "hello", "flags", "limp")
	if _, ok := ranked(w); ok {
		t.Error("shoes in spite of a limp")
	}
	must(t, w.visit.Decide(record.Decision{ID: 1, Kind: record.ReferOverride, Value: "yes", Reason: "seen by a doctor"}, nil))
	if _, ok := ranked(w); !ok {
		t.Error("no shoes, although it was taken on")
	}
	// What was disliked falls, what a fitter chose stands over the schools.
	a, _, err := fitted(t).told(t, "hello", "disliked.1", "rubbed").follow(t).Match()
	must(t, err)
	for _, m := range a.Ranked {
		if m.Model == "skua" && !strings.Contains(toJSON(m), "disliked") {
			t.Errorf("%+v does not say that it was disliked", m)
		}
	}
	w = fitted(t)
	must(t, w.visit.Decide(record.Decision{ID: 2, Kind: record.LevelOverrule, Value: string(term.Stability), Reason: "they like it",
		Maker: "Isolde"}, nil))
	sup, err := w.follow(t).Support()
	must(t, err)
	if sup.Level == nil || *sup.Level != term.Stability || !strings.Contains(toJSON(sup.Why), "Isolde") {
		t.Errorf("%+v", sup)
	}
}

func must(t testing.TB, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

func toJSON(v any) string {
	b, _ := json.Marshal(v)
	return string(b)
}

// Each piece of evidence comes from its finding, and from nothing else.
func TestEvidence(t *testing.T) {
	bare := newWorld().follow(t).Evidence()
	if bare.Gait != nil || bare.Arch != nil || bare.Wear != nil || bare.NavicularDropMM != nil || bare.ComfortableLevel != nil ||
		bare.RaceInDays != nil || bare.Surface != term.Road {
		t.Errorf("evidence out of nothing: %s", toJSON(bare))
	}
	for name, c := range map[string]struct {
		station string
		inputs  []string
		holds   func(support.Evidence) bool
	}{
		"navicular": {"feet", []string{"navicular_mm.left.1", "45", "navicular_seated_mm.left.1", "51"},
			func(e support.Evidence) bool {
				return e.NavicularDropMM != nil && math.Abs(*e.NavicularDropMM.Left-6) < 1e-9
			}},
		"complaint": {"hello", []string{"complaints", "some", "complaint_place.1", "shin", "complaint_side.1", "left", "complaint_months.1", "2"},
			func(e support.Evidence) bool { return e.Complaints != nil && len(*e.Complaints) == 1 }},
		"ankles": {"hello", []string{"ankles_give", "outward"}, func(e support.Evidence) bool { return e.AnklesGive == support.AnklesOutward }},
		"sole":   {"old-pair", []string{"sole.left.1", "3"}, func(e support.Evidence) bool { return e.Wear != nil && e.Wear.Left != nil }},
		"felt right": {"old-pair", []string{"present_level", "guidance", "felt_right", "yes"},
			func(e support.Evidence) bool {
				return e.ComfortableLevel != nil && *e.ComfortableLevel == term.Guidance
			}},
		"race":  {"hello", []string{"race_km", "42.2", "race_on", "2026-12-04"}, func(e support.Evidence) bool { return *e.RaceInDays == 10 }},
		"trail": {"hello", []string{"surface", "trail"}, func(e support.Evidence) bool { return e.Surface == term.Trail }},
		"knee": {"gait", []string{"knee.left", support.KneeGrades[len(support.KneeGrades)-1], "knee_sure.left", "sure"},
			func(e support.Evidence) bool {
				return e.KneeByEye != nil && e.KneeByEye.Left != nil && e.KneeByEye.Right == nil
			}},
	} {
		e := newWorld().told(t, c.station, c.inputs...).follow(t).Evidence()
		if !c.holds(e) {
			t.Errorf("%s: %s", name, toJSON(e))
		}
	}
	past := newWorld().told(t, "hello", "race_km", "10", "race_on", "2026-11-01").follow(t).Evidence()
	if past.RaceInDays != nil {
		t.Error("a race that was run is still ahead")
	}
}

// Last time's answers are asked again where this visit has none: a complaint is older by the time
// between, a race that was run is not asked for, cautions are asked anew.
func TestStillAsked(t *testing.T) {
	last := newWorld().told(t, "hello", "flags", "none", "complaints", "some", "complaint_place.1", "shin", "complaint_side.1", "left",
		"complaint_months.1", "1", "surface", "trail", "race_km", "10", "race_on", "2026-06-01", "weekly_km", "40", "sock", "thick")
	last.visit.StartedAt = daysAgo(120)
	before := last.follow(t).Visit
	c := newWorld().told(t, "hello", "sock", "thin").follow(t)
	asked := c.StillAsked(before)
	names := map[string]record.Question{}
	for _, q := range asked {
		names[q.Name] = q
	}
	for _, gone := range []string{record.Flags.Name, record.RaceKM.Name, record.Sock.Name} {
		if _, there := names[gone]; there {
			t.Errorf("%s is asked", gone)
		}
	}
	if q := names[record.Complains.Name]; !strings.Contains(q.Words, "5 months ago") && !strings.Contains(q.Words, "4 months ago") {
		t.Errorf("%+v", q)
	}
	if q := names[record.WeeklyKM.Name]; q.Words != "40 km" {
		t.Errorf("%+v", q)
	}
	c.Units = units.Imperial
	for _, q := range c.StillAsked(before) {
		if q.Name == record.WeeklyKM.Name && !strings.Contains(q.Words, "mi") {
			t.Errorf("%+v", q)
		}
	}
	if _, ok := record.TakeOver(asked, []string{record.Sock.Name}); ok {
		t.Error("what is not asked is taken over")
	}
	all, ok := record.TakeOver(asked, nil)
	one, ok1 := record.TakeOver(asked, []string{record.Surface.Name})
	if !ok || !ok1 || len(one) != 1 || len(all) <= len(one) || c.StillAsked(nil) != nil {
		t.Errorf("%d and %d values", len(all), len(one))
	}
	for months, want := range map[float64]string{0: "this month", 0.2: "this month", 1: "a month ago", 3.0003846: "3 months ago",
		2.4: "2.5 months ago"} {
		if got := record.Ago(months); got != want {
			t.Errorf("%g: %s, want %s", months, got, want)
		}
	}
}

// A pair is offered the loose runs that it is made for, since it is there.
func TestOffers(t *testing.T) {
	w := fitted(t)
	w.owns(skua, 30, 0)
	w.owns(knot, 30, 0)
	for i, r := range []record.Run{{On: daysAgo(40), Ground: term.GroundRoad}, {On: daysAgo(10), Ground: term.GroundRoad},
		{On: daysAgo(5), Ground: term.GroundRoad}, {On: daysAgo(3), Ground: term.GroundTrail}} {
		r.ID, r.KM, r.Kind = uint64(i+1), 8, term.Easy
		w.runner.Loose = append(w.runner.Loose, r)
	}
	got := map[string]float64{}
	for _, o := range w.follow(t).Offers() {
		got[o.Pair.Model.ID+" "+string(o.Ground)] = o.KM
		if o.From.Before(o.Pair.Since()) || o.To.Before(o.From) {
			t.Errorf("%+v", o)
		}
	}
	if got["skua road"] != 16 || got["knot trail"] != 8 {
		t.Errorf("%v", got)
	}
}

// What belongs under the feet on a day: their own pairs first, the shelf where none serves.
func TestUnderMyFeet(t *testing.T) {
	w := fitted(t)
	w.owns(skua, 30, 50)
	dry := care.Day{Ground: term.GroundRoad}
	own, shelf, err := w.follow(t).UnderMyFeet(dry)
	must(t, err)
	if len(own) != 1 || !own[0].Serves || shelf != nil {
		t.Errorf("%+v, %+v", own, shelf)
	}
	w.runner.Pairs[0].SetAsideOn = daysAgo(1)
	own, shelf, err = w.follow(t).UnderMyFeet(dry)
	must(t, err)
	if len(own) != 0 || len(shelf) == 0 || len(shelf) > 3 {
		t.Errorf("%+v, %+v", own, shelf)
	}
}

// The runner's own worn-out pairs are their history; what was given away tells nothing.
func TestHistory(t *testing.T) {
	w := fitted(t)
	worn, given := w.owns(skua, 400, 500), w.owns(skua, 400, 200)
	worn = &w.runner.Pairs[0]
	worn.SetAsideOn, worn.Reason = daysAgo(3), record.WornOut
	given.SetAsideOn, given.Reason = daysAgo(3), "given_away"
	h := w.runner.History(&w.shop.Settings.House)
	if len(h) != 1 || h[0].Class != term.Daily || math.Abs(h[0].EffectiveKM-worn.EffectiveKM(nil)) > 1e-9 {
		t.Errorf("%+v", h)
	}
	if n := len(w.runner.InUse()); n != 0 || !w.runner.Logs() || w.runner.Pair(given.ID) != given || w.runner.Pair(99) != nil {
		t.Errorf("%d in use", n)
	}
	runs := w.runner.AllRuns()
	if len(runs) != 70 || !slices.IsSortedFunc(runs, func(x, y record.Run) int { return x.On.Compare(y.On) }) {
		t.Errorf("%d runs", len(runs))
	}
}

// Comparisons stand in their order, and one with a model that is gone does not count.
func TestComparisons(t *testing.T) {
	w := fitted(t)
	for n, c := range [][2]uint64{{skua, tern}, {tern, skua}, {skua, 99}} {
		w.found(record.ComparedKey(n+1, c[0], c[1]), 0, []string{"left", "even", "left"}[n])
	}
	c := w.follow(t)
	if got := c.Comparisons(); len(got) != 2 || got[0].Better != "skua" || got[1].Better != "" || c.NextComparison() != 4 {
		t.Errorf("%+v, next %d", got, c.NextComparison())
	}
	a, ok, err := c.Leading([]string{"skua", "tern"})
	if err != nil || !ok || a.Ranked[0].Pair != "skua" {
		t.Errorf("%+v %v %v", a, ok, err)
	}
	if _, ok, _ := c.Leading([]string{"skua"}); ok {
		t.Error("one pair leads itself")
	}
}

// Consent for health answers ends, is refused and is withdrawn.
func TestConsent(t *testing.T) {
	for name, c := range map[string]struct {
		consent record.Consent
		agreed  bool
	}{
		"none":      {record.Consent{}, false},
		"given":     {record.Consent{Answer: record.ConsentYes, MadeAt: daysAgo(2)}, true},
		"a year":    {record.Consent{Answer: record.ConsentYear, MadeAt: daysAgo(364)}, true},
		"over":      {record.Consent{Answer: record.ConsentYear, MadeAt: daysAgo(366)}, false},
		"refused":   {record.Consent{Answer: record.ConsentNo, MadeAt: today}, false},
		"withdrawn": {record.Consent{Answer: record.ConsentWithdrawn, MadeAt: today}, false},
	} {
		if got := c.consent.Agreed(today.Add(time.Hour)); got != c.agreed {
			t.Errorf("%s: agreed %v", name, got)
		}
		r := record.Runner{Consents: map[string]record.Consent{record.FilmConsent: c.consent}}
		if err := r.MayKeep("keep_film", true); (err != nil) != c.consent.Refused() {
			t.Errorf("%s: %v", name, err)
		}
		if err := r.MayKeep("keep_film", false); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// Rub advice is reckoned with the values of the house, as the sizes are: what the shop sets moves it.
func TestHouseValuesReachTheAdvice(t *testing.T) {
	known := func(set map[string]string) care.Known {
		w := fitted(t)
		w.visit.Settings = record.SettingsOf(set)
		p := w.owns(skua, 30, 50)
		p.Width = "E"
		return w.follow(t).RubKnown(p)
	}
	shipped := known(nil)
	if k := known(map[string]string{"room": "thumb"}); k.LeastMM <= shipped.LeastMM || k.MostMM <= shipped.MostMM {
		t.Errorf("a thumb wants %g to %g, a finger %g to %g", k.LeastMM, k.MostMM, shipped.LeastMM, shipped.MostMM)
	}
	if k := known(map[string]string{"feet.letter_mm": "6"}); math.Abs(*k.BallMM-*shipped.BallMM-2) > 1e-9 {
		t.Errorf("a letter of 6 mm instead of 4 moves the ball by %g", *k.BallMM-*shipped.BallMM)
	}
	if k := known(map[string]string{"shoes.inner_allowance_mm": "8"}); math.Abs(*shipped.RoomMM-*k.RoomMM-3) > 1e-9 {
		t.Errorf("3 mm more for padding move the room by %g", *shipped.RoomMM-*k.RoomMM)
	}
}

// Growing feet are measured again after one span, and half a year after the last look a pair is
// looked at again: at each place that says so.
func TestOneSpanEach(t *testing.T) {
	w := fitted(t).told(t, "hello", "flags", "child_growing")
	c := w.follow(t)
	due, err := c.Due()
	must(t, err)
	growing, again := c.Growing()
	if want := today.AddDate(0, foot.RemeasureMonths, 0); !growing || !again.Equal(want) || len(due) != 1 || !due[0].On.Equal(want) {
		t.Errorf("again on %s, due %+v", again, due)
	}
	w = fitted(t)
	w.owns(skua, 40, 50)
	list, err := w.follow(t).Due()
	must(t, err)
	for _, d := range list {
		if d.Kind == record.DueLook && !d.On.Equal(wear.NextLook(daysAgo(40))) {
			t.Errorf("looked at on %s", d.On)
		}
	}
}
