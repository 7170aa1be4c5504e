package record_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/care"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
	"trevik/internal/record"
)

// shown is everything that a page, a list or a calendar can say of a runner's pairs, by place.
func (w *world) shown(t testing.TB) map[string]string {
	t.Helper()
	c := w.follow(t)
	out := map[string]string{}
	worn, err := c.Worn()
	must(t, err)
	for _, x := range worn {
		out["worn "+x.Pair.Name()] = fmt.Sprintf("%s %s %.1f %s", x.Wear.State, x.Says(), x.Weekly, day(x.Wear.OrderBy))
	}
	s, err := c.Serving()
	must(t, err)
	out["load"] = s.Load()
	for i := range s.Parts {
		for j := range s.Pairs {
			out[fmt.Sprintf("serving %s %s", s.Parts[i].Kind, s.Pairs[j].Name())] = fmt.Sprintf("%.1f of %.2f", s.Takes[i][j], s.Parts[i].All[j])
		}
	}
	due, err := c.Due()
	must(t, err)
	for _, d := range due {
		out["due "+d.ID()] = d.On.Format("2006-01-02") + " " + d.Text
		out["calendar "+d.ID()] = d.Mine
	}
	own, _, err := c.UnderMyFeet(care.Day{Ground: term.GroundRoad})
	must(t, err)
	for _, x := range own {
		out["today "+x.Name] = fmt.Sprint(x.Serves, x.Missing, x.Note)
	}
	plan, err := c.Plan(context.Background(), record.What{})
	must(t, err)
	for _, x := range plan.Pairs {
		out["candidate "+x.ID] = fmt.Sprint(x.Suitability, x.MaxRunKM != nil)
	}
	for _, l := range plan.Lines {
		out["plan "+l.Name] = fmt.Sprintf("%.1f buy %v", l.KM, l.Buy)
	}
	for _, p := range plan.Purchases {
		out["purchase "+p.Name] = p.By + " " + p.Why
	}
	for _, r := range c.Races() {
		out["race "+r.On.Format("2006-01-02")] = r.Name
	}
	return out
}

func day(s *string) string {
	if s == nil {
		return "no date"
	}
	return *s
}

// changed lists the places that say another thing.
func changed(a, b map[string]string) (out []string) {
	for k, v := range a {
		if b[k] != v {
			out = append(out, k)
		}
	}
	for k := range b {
		if _, there := a[k]; !there {
			out = append(out, k)
		}
	}
	slices.Sort(out)
	return out
}

// busy is a runner with a week, a plan by days and three pairs, two of them alike.
func busy(t testing.TB) *world {
	w := fitted(t).told(t, "rotation", "plan_day.1", "tue", "plan_km.1", "10", "plan_kind.1", "intervals", "plan_ground.1", "road",
		"plan_day.2",
		"thu", "plan_km.2", "12", "plan_kind.2", "easy", "plan_ground.2", "road", "plan_day.3", "sun", "plan_km.3", "18", "plan_kind.3", "long",
		"plan_ground.3", "road")
	w.owns(skua, 200, 300)
	w.owns(skua, 90, 80)
	w.owns(tern, 60, 60)
	w.runner.TellApart()
	return w
}

// A pair that is to be retired is that everywhere: it takes no run, is no candidate, has no distance
// left and no date, stands in Due and in the calendar today, and is not for the day. Let in again it is
// run in, and still said to be done.
func TestOneVerdict(t *testing.T) {
	for name, worn := range map[string]record.Inspected{
		"a hole":         {On: daysAgo(3), Faults: []string{"upper_hole"}},
		"a sole through": {On: daysAgo(3), Faults: []string{"sole_through"}},
		"no tread":       {On: daysAgo(3), Left: grades("tread", 1)},
		"no bounce":      {On: daysAgo(3), Right: grades("bounce", 0.95)},
		"an upper gone":  {On: daysAgo(3), Right: grades("upper", 0.9)},
	} {
		w := busy(t)
		before := w.shown(t)
		p := &w.runner.Pairs[0]
		p.Inspected = append(p.Inspected, worn)
		c := w.follow(t)
		all, err := c.Worn()
		must(t, err)
		if x := all[0]; x.Wear.State != wear.SetAside || x.Weekly != 0 || x.Wear.RemainingKM != (wear.Quantiles{}) ||
			x.Wear.Dates != (wear.Dates{}) || !strings.HasPrefix(x.Says(), "Retire it now: ") {
			t.Errorf("%s: %s %q %+v", name, x.Wear.State, x.Says(), x.Wear.RemainingKM)
		}
		after := w.shown(t)
		for k, v := range after {
			switch {
			case strings.HasPrefix(k, "serving ") && strings.HasSuffix(k, p.Name()) && v != "0.0 of 0.00",
				k == "candidate "+record.PairID(p.ID),
				k == "today "+p.Name() && !strings.Contains(v, "retire it now"):
				t.Errorf("%s: %s still says %s", name, k, v)
			}
		}
		due := false
		for k, v := range after {
			due = due || strings.HasPrefix(k, "due retire-") && strings.Contains(v, p.Name()) && strings.HasPrefix(v, today.Format("2006-01-02"))
		}
		if !due {
			t.Errorf("%s: Due says nothing of it", name)
		}
		p.LetIn = "for the garden path"
		in := w.shown(t)
		if _, there := in["candidate "+record.PairID(p.ID)]; !there || !strings.Contains(in["worn "+p.Name()], "for the garden path") {
			t.Errorf("%s: let in again it is %s", name, in["worn "+p.Name()])
		}
		p.LetIn, p.Inspected = "", nil
		if d := changed(before, w.shown(t)); len(d) > 0 {
			t.Errorf("%s: taken back, these are otherwise: %v", name, d)
		}
	}
}

func grades(part string, v float64) map[string]*float64 { return map[string]*float64{part: &v} }

// Slowed, a pair serves short and easy runs alone, everywhere; worn lugs serve no rough ground.
func TestSlowedAndWornLugs(t *testing.T) {
	w := busy(t)
	p := &w.runner.Pairs[2]
	p.SlowedOn = today
	c := w.follow(t)
	for _, kind := range term.Kinds {
		v, _, _, err := c.SuitOf(p, kind, term.GroundRoad)
		must(t, err)
		if gentle := kind == term.Easy || kind == term.Recovery || kind == term.Walk || kind == term.Hike; v > 0 && !gentle {
			t.Errorf("slowed, and %s suits it %.2f", kind, v)
		}
	}
	candidates, err := c.Candidates(c.Board()[0])
	must(t, err)
	at := slices.IndexFunc(candidates, func(x record.CandidateInfo) bool { return x.ID == record.PairID(p.ID) })
	if at < 0 || candidates[at].MaxRunKM == nil || *candidates[at].MaxRunKM != 8 {
		t.Errorf("%+v", candidates)
	}
	w = fitted(t)
	p = w.owns(knot, 60, 60)
	v, _, _, err := w.follow(t).SuitOf(p, term.Easy, term.GroundTrail)
	must(t, err)
	if v < 0.5 {
		t.Fatalf("a sound trail pair suits trail %.2f", v)
	}
	p.Inspected = []record.Inspected{{On: daysAgo(2), Left: grades("tread", 0.8)}}
	c = w.follow(t)
	for _, g := range []term.Ground{term.GroundTrail, term.GroundMud, term.GroundSnow, term.GroundIce} {
		if v, why, _, err := c.SuitOf(p, term.Easy, g); err != nil || v != 0 || !strings.Contains(why, "worn") {
			t.Errorf("%s: %.2f, %s, %v", g, v, why, err)
		}
	}
}

// A runner who told no week is forecast by their runs, and it is said.
func TestLoadOfRuns(t *testing.T) {
	w := newWorld().told(t, "hello", "flags", "none", "complaints", "none", "mass_kg", "70")
	w.owns(skua, 100, 200)
	c := w.follow(t)
	s, err := c.Serving()
	must(t, err)
	worn, err := c.Worn()
	must(t, err)
	if !s.Runs || !strings.Contains(s.Load(), "eight weeks") || worn[0].Weekly < 10 || worn[0].Weekly > 18 || worn[0].Wear.Dates.P50 == nil {
		t.Errorf("%q, %.1f a week, %v", s.Load(), worn[0].Weekly, worn[0].Wear.Dates)
	}
	w.told(t, "hello", "weekly_km", "40")
	if s, err = w.follow(t).Serving(); err != nil || s.Runs {
		t.Errorf("a week was told: %q, %v", s.Load(), err)
	}
}

// A race is one race, wherever it was told, and goes to the pair that suits it.
func TestRaceToldOnce(t *testing.T) {
	w := busy(t).told(t, "hello", "race_km", "21.1", "race_on", today.AddDate(0, 0, 40).Format("2006-01-02"))
	c := w.follow(t)
	if r := c.Races(); len(r) != 1 {
		t.Fatalf("%+v", r)
	}
	in, err := c.RacePair(c.Races()[0])
	must(t, err)
	if in == nil || in.ID != w.runner.Pairs[2].ID { // the tempo pair
		t.Errorf("run in %+v", in)
	}
	w.runner.Races = []record.Race{{ID: 1, Name: "The quay half", On: today.AddDate(0, 0, 40), KM: 21.1, PairID: w.runner.Pairs[0].ID}}
	c = w.follow(t)
	if r := c.Races(); len(r) != 1 || r[0].Name != "The quay half" {
		t.Errorf("told twice it is %+v", r)
	}
	worn, err := c.Worn()
	must(t, err)
	if len(worn[0].Wear.Races) != 1 || len(worn[2].Wear.Races) != 0 {
		t.Errorf("it is in %d and %d", len(worn[0].Wear.Races), len(worn[2].Wear.Races))
	}
	due, err := c.Due()
	must(t, err)
	if !slices.ContainsFunc(due, func(d record.Due) bool { return d.Kind == record.DueRace && strings.Contains(d.Text, "The quay half") }) {
		t.Errorf("not in Due: %+v", due)
	}
}

// Old pairs that nobody counted: the sole leads, and a logged run does not make them young.
func TestUncounted(t *testing.T) {
	w := fitted(t)
	p := w.owns(skua, 500, 0)
	p.Before = wear.Before{Unknown: true}
	state := func() record.Worn {
		t.Helper()
		worn, err := w.follow(t).Worn()
		must(t, err)
		return worn[0]
	}
	old := state()
	if !old.Wear.Estimated || old.Wear.EffectiveKM < 1000 {
		t.Errorf("500 days at 40 km a week are %.0f km", old.Wear.EffectiveKM)
	}
	p.Inspected = []record.Inspected{{On: daysAgo(5), Left: grades("tread", 0.75), Right: grades("bounce", 0.75)}}
	looked := state()
	p.Runs = []record.Run{{ID: 1, PairID: p.ID, On: daysAgo(2), KM: 6, Ground: term.GroundRoad, Kind: term.Easy}}
	if after := state(); after.Wear.UsedProbability < looked.Wear.UsedProbability-0.02 {
		t.Errorf("a run of 6 km: %.2f, was %.2f", after.Wear.UsedProbability, looked.Wear.UsedProbability)
	}
}

// Any one fact, changed and put back, leaves all as it was; and the order in which facts came says
// nothing.
func TestFactsMoveAndComeBack(t *testing.T) {
	w := busy(t)
	before := w.shown(t)
	p := func(i int) *record.Pair { return &w.runner.Pairs[i] }
	keep := *w.runner
	keep.Pairs = slices.Clone(w.runner.Pairs)
	stored := slices.Clone(w.stored)
	for name, c := range map[string]struct {
		change func()
		moves  string // a place that must say another thing
	}{
		"a hole": {func() { p(0).Inspected = []record.Inspected{{On: daysAgo(1), Faults: []string{"upper_hole"}}} },
			"worn Norrbeck skua 1, pair 1"},
		"slowed": {func() { p(2).SlowedOn = today }, "today Norrbeck tern 1"},
		"aside":  {func() { p(1).SetAsideOn, p(1).Reason = today, record.WornOut }, "worn Norrbeck skua 1, pair 2"},
		"a race": {func() { w.runner.Races = []record.Race{{Name: "Quay", On: today.AddDate(0, 0, 30), KM: 10}} }, "race 2026-12-24"},
		"a run more": {func() {
			p(2).Runs = append(slices.Clone(p(2).Runs), record.Run{ID: 999, On: daysAgo(1), KM: 30, Ground: "road", Kind: "easy"})
		}, "worn Norrbeck tern 1"},
		"lifting":       {func() { p(0).Lifting = 40 }, "worn Norrbeck skua 1, pair 1"},
		"a name":        {func() { p(0).Called = "blue" }, "worn Norrbeck skua 1, blue"},
		"km before":     {func() { p(2).Before = wear.Before{KM: 300, SDLn: 0.2} }, "worn Norrbeck tern 1"},
		"heavier":       {func() { w.told(t, "hello", "mass_kg", "95") }, "worn Norrbeck skua 1, pair 1"},
		"a longer week": {func() { w.told(t, "rotation", "plan_km.3", "28") }, "serving long Norrbeck skua 1, pair 1"},
	} {
		c.change()
		w.runner.TellApart()
		if d := changed(before, w.shown(t)); !slices.Contains(d, c.moves) && name != "a longer week" || len(d) == 0 {
			t.Errorf("%s: %s says what it said; moved: %v", name, c.moves, d)
		}
		*w.runner, w.stored = keep, slices.Clone(stored)
		w.runner.Pairs = slices.Clone(keep.Pairs)
		w.visit = &record.Visit{ID: 3, RunnerID: 7, StartedAt: daysAgo(0), Settings: record.Shipped()}
		w.runner.TellApart()
		if d := changed(before, w.shown(t)); len(d) > 0 {
			t.Errorf("%s: put back, these are otherwise: %v", name, d)
		}
	}
	r := rand.New(rand.NewPCG(4, 5))
	for range 5 {
		r.Shuffle(len(w.stored), func(i, j int) { w.stored[i], w.stored[j] = w.stored[j], w.stored[i] })
		for i := range w.runner.Pairs {
			looks := w.runner.Pairs[i].Inspected
			r.Shuffle(len(looks), func(a, b int) { looks[a], looks[b] = looks[b], looks[a] })
		}
		w.visit = &record.Visit{ID: 3, RunnerID: 7, StartedAt: daysAgo(0), Settings: record.Shipped()}
		if d := changed(before, w.shown(t)); len(d) > 0 {
			t.Errorf("the order of facts moved %v", d)
		}
	}
}

// The pair that they came in is judged: one of theirs as everywhere else, another by its soles, its
// bounce, its age and what hurts.
func TestOldPairIsJudged(t *testing.T) {
	judged := func(inputs ...string) (record.OldVerdict, bool) {
		t.Helper()
		w := fitted(t)
		if len(inputs) > 0 {
			w.told(t, "old-pair", inputs...)
		}
		v, ok, err := w.follow(t).OldVerdict()
		must(t, err)
		return v, ok
	}
	if v, ok := judged(); ok {
		t.Errorf("nothing was told, and it is %+v", v)
	}
	for name, c := range map[string]struct {
		inputs []string
		word   string
	}{
		"a month old":        {[]string{"present_months", "1", "present_bounce", "0"}, record.KeepOld},
		"two years at 40 km": {[]string{"present_months", "24"}, record.AsideOld},
		"flat":               {[]string{"present_bounce", "4"}, record.AsideOld},
		"a good way through": {[]string{"present_km", "850"}, record.SlowOld},
		"300 km, sound":      {[]string{"present_km", "300", "present_bounce", "1"}, record.KeepOld},
		"a sole with no heel": {[]string{"sole.left.1", "4", "sole.left.2", "4", "sole.left.3", "4", "sole.left.4", "4", "sole.left.5", "4",
			"sole.left.6", "4", "sole.left.7", "4", "sole.left.8", "4", "sole.left.9", "4"}, record.AsideOld},
	} {
		if v, ok := judged(c.inputs...); !ok || v.Word != c.word {
			t.Errorf("%s: %s, %s (%.2f)", name, v.Word, v.Why, v.Wear.UsedProbability)
		}
	}
	quiet, _ := judged("present_km", "400")
	hurts, _ := judged("present_km", "400", "present_aches", "unexplained")
	if hurts.Wear.UsedProbability <= quiet.Wear.UsedProbability {
		t.Error("aches that nothing else explains say nothing")
	}
	w := fitted(t)
	p := w.owns(skua, 100, 300)
	p.Inspected = []record.Inspected{{On: daysAgo(1), Faults: []string{"upper_hole"}}}
	w.found(record.CameInPair.Key(), float64(p.ID), "")
	if v, ok, err := w.follow(t).OldVerdict(); err != nil || !ok || v.Word != record.AsideOld || !strings.Contains(v.Why, "hole") {
		t.Errorf("their own with a hole: %+v, %v", v, err)
	}
}
