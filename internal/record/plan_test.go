package record_test

import (
	"context"
	"math"
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/rotation"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/record"
)

// put takes values as they would be recorded, over what is there.
func (w *world) put(values []record.Value) *world {
	for _, v := range values {
		w.stored = slices.DeleteFunc(w.stored, func(s record.Stored) bool { return s.Key == v.Key })
		if !v.Empty {
			w.found(v.Key, v.Number, v.Text)
		}
	}
	return w
}

func days(parts []rotation.WeekPart) (out []string) {
	for _, p := range parts {
		out = append(out, p.Day)
	}
	return out
}

// A week that is laid out stands on the board as it was laid, and what is written back is the same.
func TestBoardRoundTrip(t *testing.T) {
	for km := 10.0; km <= 120; km += 10 {
		for _, goal := range rotation.Goals {
			w := fitted(t)
			values, err := w.follow(t).TemplateValues(record.WeekA, goal, km, nil)
			if err != nil {
				t.Fatalf("%s %g km: %v", goal, km, err)
			}
			parts, half := w.put(values).follow(t).Planned(record.WeekA)
			sum := 0.0
			for _, p := range parts {
				sum += p.KM
			}
			if half != 0 || len(parts) == 0 || math.Abs(sum-km) > 1 {
				t.Errorf("%s, %g km: %d parts, %d halves, %g km", goal, km, len(parts), half, sum)
			}
			again, _ := w.put(record.WeekValues(record.WeekA, parts)).follow(t).Planned(record.WeekA)
			if toJSON(again) != toJSON(parts) {
				t.Errorf("%s, %g km:\n%s\n%s", goal, km, toJSON(parts), toJSON(again))
			}
		}
	}
	for km, field := range map[float64]string{1: "template_km", 900: "template_km"} {
		_, err := fitted(t).follow(t).TemplateValues(record.WeekA, rotation.Goals[0], km, nil)
		if l, ok := fault.As(err); !ok || l[0].Field != field {
			t.Errorf("%g km: %v", km, err)
		}
	}
	// What was told at Hello is laid over as many days as were told.
	w := fitted(t).told(t, "hello", "run_days", "4")
	parts, _ := w.put(w.follow(t).ToldValues(record.WeekA)).follow(t).Planned(record.WeekA)
	sum, on := 0.0, days(parts)
	for _, p := range parts {
		sum += p.KM
	}
	if slices.Sort(on); math.Abs(sum-40) > 0.5 || len(slices.Compact(on)) != 4 {
		t.Errorf("%g km on %v", sum, on)
	}
}

// A run in parts keeps its distance and its day; what cannot be parted says why at its distance.
func TestSplitAndResize(t *testing.T) {
	w := fitted(t).told(t, "rotation", "plan_day.1", "tue", "plan_km.1", "12", "plan_kind.1", "intervals", "plan_start.1", "18:30")
	values, err := w.follow(t).SplitValues(1)
	if err != nil {
		t.Fatal(err)
	}
	parts, _ := w.put(values).follow(t).Planned(record.WeekA)
	sum := 0.0
	for _, p := range parts {
		sum += p.KM
		if p.Day != "tue" || p.Run != parts[0].Run {
			t.Errorf("%+v", p)
		}
	}
	if len(parts) != 3 || math.Abs(sum-12) > 1e-9 {
		t.Fatalf("%d parts of %g km", len(parts), sum)
	}
	for row, why := range map[int]string{1: "a part of a run already", 9: "not a whole run", 0: "not a whole run", 999: "not a whole run"} {
		if _, err := w.follow(t).SplitValues(row); err == nil || !strings.Contains(err.Error(), why) {
			t.Errorf("row %d: %v", row, err)
		}
	}
	w = fitted(t).told(t, "rotation", "plan_day.1", "tue", "plan_km.1", "10", "plan_kind.1", "easy", "plan_start.1", "18:30")
	c := w.follow(t)
	before, _ := c.Planned(record.WeekA)
	begin, end := before[0].Times()
	values, err = c.ResizeValues(1, 2*(end-begin))
	if err != nil {
		t.Fatal(err)
	}
	if after, _ := w.put(values).follow(t).Planned(record.WeekA); math.Abs(after[0].KM-20) > 0.1 {
		t.Errorf("twice the time is %g km", after[0].KM)
	}
	for _, minutes := range []float64{-1, 0, 1e6, math.NaN()} {
		if _, err := w.follow(t).ResizeValues(1, minutes); err == nil {
			t.Errorf("%g minutes are taken", minutes)
		}
	}
}

// Week A is the one in which the fit began; weeks turn on Mondays, before and after.
func TestWeekOn(t *testing.T) {
	w := fitted(t)
	if c := w.follow(t); c.TwoWeeks() || c.WeekOn(today.AddDate(0, 0, 7)) != record.WeekA {
		t.Error("one week is always A")
	}
	w.told(t, "rotation", "plan_weeks", "A_and_B_in_turn")
	c := w.follow(t)
	for off := -30; off <= 30; off++ {
		day := today.AddDate(0, 0, off) // today is a Tuesday
		want := ((off+1+70)/7 - 10) & 1
		if got := c.WeekOn(day); got != want {
			t.Errorf("%s %d days off: week %d, want %d", day.Weekday(), off, got, want)
		}
	}
}

// The plan covers what its pairs can run, spends no more than was told, and buys nothing that is
// left out; a fault of the board is said by its row.
func TestPlan(t *testing.T) {
	ctx := context.Background()
	w := fitted(t).told(t, "rotation", "plan_day.1", "tue", "plan_km.1", "10", "plan_kind.1", "intervals", "plan_ground.1", "road",
		"plan_day.2", "sun", "plan_km.2", "18", "plan_kind.2", "long", "plan_ground.2", "road")
	w.owns(skua, 60, 120)
	plan := func(w *world, what record.What) *record.Plan {
		t.Helper()
		p, err := w.follow(t).Plan(ctx, what)
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	free := plan(w, record.What{})
	s := free.Sums()
	if free.Fault != "" || !s.Proven || s.AllKM != 28 || s.CoveredKM != 28 || s.Buy != 1 || s.Spent != 14000 {
		t.Errorf("%+v %q", s, free.Fault)
	}
	if len(free.Lines) != 2 || len(free.Purchases) == 0 || free.Purchases[0].Model.ID != "tern" {
		t.Errorf("%d lines, purchases %s", len(free.Lines), toJSON(free.Purchases))
	}
	for _, l := range free.Lines {
		if l.KM <= 0 || len(l.Reasons) == 0 || l.Buy == l.Owned {
			t.Errorf("%+v", l)
		}
	}
	if s := plan(w, record.What{Without: []string{"tern"}}).Sums(); s.CoveredKM >= 28 || slices.Contains(s.Names, "Norrbeck tern 1") {
		t.Errorf("without the fast pair: %+v", s)
	}
	w.told(t, "rotation", "plan_money", "100")
	if s := plan(w, record.What{}).Sums(); s.Spent > 10000 || s.Buy != 0 {
		t.Errorf("with 100 to spend: %+v", s)
	}
	if s := plan(w, record.What{More: 10000}).Sums(); s.Buy != 1 {
		t.Errorf("with 100 more: %+v", s)
	}
	w.runner.Pairs[0].SetAsideOn = daysAgo(1)
	if p := plan(w, record.What{}); slices.ContainsFunc(p.Pairs, func(x record.CandidateInfo) bool { return x.Owned }) {
		t.Error("a pair that is set aside stands in the plan")
	}
	w = fitted(t).told(t, "rotation", "plan_day.1", "tue", "plan_km.1", "10", "plan_kind.1", "easy", "plan_start.1", "18:30",
		"plan_day.2", "tue", "plan_km.2", "10", "plan_kind.2", "easy", "plan_start.2", "18:40")
	if p := plan(w, record.What{}); !strings.HasPrefix(p.Fault, "row ") {
		t.Errorf("two runs at one time: %q", p.Fault)
	}
	// The race moves how far the plan looks.
	if c := fitted(t).told(t, "hello", "race_km", "42.2", "race_on", "2027-09-05").follow(t); c.Until().Format("2006-01-02") != "2027-09-05" {
		t.Errorf("until %s", c.Until())
	}
}

// Week A's parts and week B's each go to the pairs that serve them; what is ahead follows the turn.
func TestServingTwoWeeks(t *testing.T) {
	w := fitted(t).told(t, "rotation", "plan_weeks", "A_and_B_in_turn", "plan_day.1", "tue", "plan_km.1", "10", "plan_kind.1", "easy",
		"plan_ground.1", "road", "plan_day.15", "tue", "plan_km.15", "20", "plan_kind.15", "intervals", "plan_ground.15", "road")
	w.owns(skua, 60, 120)
	w.owns(tern, 60, 120)
	s, err := w.follow(t).Serving()
	if err != nil || !s.Board {
		t.Fatalf("%v %v", s, err)
	}
	easy, fast := s.Ahead[0], s.Ahead[1]
	if len(easy) < 4 || easy[0] <= 0 || easy[1] != 0 || easy[2] != easy[0] || fast[0] != 0 || fast[1] <= easy[0] {
		t.Errorf("easy %v, fast %v", easy[:4], fast[:4])
	}
	for i, p := range s.Parts {
		want := map[term.Kind]float64{term.Easy: 5, term.Intervals: 10}[p.Kind]
		if got := s.Takes[i][0] + s.Takes[i][1]; got != want {
			t.Errorf("%s: %g km a week, want %g", p.Kind, got, want)
		}
	}
}

// Who runs for a race has a pair for it: one of theirs that is good enough, or the pair that was told, else
// one to buy with its day, which is late where that is past. It stands once, and in no week of the board.
func TestRacesInThePlan(t *testing.T) {
	at := func(change func(*world)) *record.Plan {
		t.Helper()
		w := fitted(t).told(t, "rotation", "plan_day.1", "tue", "plan_km.1", "10", "plan_kind.1", "easy", "plan_ground.1", "road")
		w.owns(skua, 60, 120)
		change(w)
		p, err := w.follow(t).Plan(context.Background(), record.What{})
		must(t, err)
		return p
	}
	race := func(w *world, days int) {
		w.told(t, "hello", "race_km", "10", "race_on", today.AddDate(0, 0, days).Format("2006-01-02"))
	}
	if p := at(func(*world) {}); len(p.Races) != 0 {
		t.Errorf("no race, yet %+v", p.Races)
	}
	p := at(func(w *world) { race(w, 120); w.told(t, "hello", "goals", "race") })
	if len(p.Races) != 1 || p.Races[0].Buy == nil || p.Races[0].Buy.ID != "tern" || p.Races[0].Late || p.Races[0].Suit < rotation.LeastSuit {
		t.Fatalf("%+v", p.Races)
	}
	x := p.Races[0]
	// 7 days before the race, 7 of delivery, 40 km at half of 40 km a week.
	if want := today.AddDate(0, 0, 120-7-7-14).Format("2006-01-02"); x.OrderBy != want {
		t.Errorf("to be ordered by %s, want %s", x.OrderBy, want)
	}
	if n := len(p.Purchases); n == 0 || p.Purchases[n-1].Name != x.In || p.Purchases[n-1].By != x.OrderBy {
		t.Errorf("to order: %s", toJSON(p.Purchases))
	}
	sum := int64(0)
	for _, b := range p.Purchases {
		sum += b.Price
	}
	if p.Sum() != sum {
		t.Errorf("in all %d, want %d", p.Sum(), sum)
	}
	if p := at(func(w *world) { race(w, 20); w.told(t, "hello", "goals", "race") }); !p.Races[0].Late {
		t.Errorf("in 20 days: %+v", p.Races[0])
	}
	// Run without being the goal, what serves it is enough; and told, it is that pair.
	if p := at(func(w *world) { race(w, 120) }); p.Races[0].Buy != nil && p.Races[0].Suit < rotation.LeastSuit {
		t.Errorf("not the goal: %+v", p.Races[0])
	}
	if p := at(func(w *world) {
		w.told(t, "hello", "goals", "race")
		w.runner.Races = []record.Race{{ID: 1, Name: "Quay 10", On: today.AddDate(0, 0, 120), KM: 10, PairID: w.runner.Pairs[0].ID}}
	}); p.Races[0].Buy != nil || p.Races[0].In != p.Lines[0].Name {
		t.Errorf("in the pair that was told: %+v", p.Races[0])
	}
}

// A model that is made for two surfaces of the week stands once.
func TestCandidatesStandOnce(t *testing.T) {
	w := fitted(t)
	m := *w.shop.Catalogue.ByID(skua)
	m.ID, m.Name, m.Class, m.Surface, m.LugDepthMM = "link", "link", term.LinkClass, term.Link, 3
	w.shop.Catalogue = record.NewCatalogue(nil, map[uint64]*shoe.Model{skua: w.shop.Catalogue.ByID(skua), knot: w.shop.Catalogue.ByID(knot),
		9: &m})
	w.told(t, "rotation", "plan_day.1", "tue", "plan_km.1", "10", "plan_kind.1", "easy", "plan_ground.1", "road",
		"plan_day.2", "sat", "plan_km.2", "12", "plan_kind.2", "easy", "plan_ground.2", "trail")
	c := w.follow(t)
	list, err := c.Candidates(c.Board()[0])
	must(t, err)
	seen := map[string]int{}
	for _, x := range list {
		seen[x.ID]++
	}
	if seen["link"] != 1 {
		t.Errorf("the candidates: %v", seen)
	}
}
