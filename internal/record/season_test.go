package record_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"trevik/internal/core/season"
	"trevik/internal/core/strict"
	"trevik/internal/core/term"
	"trevik/internal/record"
)

func lookAhead(t *testing.T, w *world, what record.SeasonWhat) *record.Season {
	t.Helper()
	s, err := w.follow(t).Season(context.Background(), what)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// From Hello's short answers and a pair a season stands; a race leads the weeks to it; what is known otherwise
// moves it.
func TestSeason(t *testing.T) {
	w := newWorld()
	if s := lookAhead(t, w, record.SeasonWhat{}); s.Fault == "" {
		t.Error("nothing is told, and there is a season")
	}
	w = fitted(t)
	w.owns(skua, 30, 100)
	s := lookAhead(t, w, record.SeasonWhat{})
	if s.Fault != "" || len(s.Weeks) != 12 || s.Starts != record.MondayOf(today) || len(s.Assumed) == 0 {
		t.Fatalf("%q, %d weeks from %s", s.Fault, len(s.Weeks), s.Starts)
	}
	for i := range s.Weeks {
		if km := s.KM(i); i > 0 && (km < 39.9 || km > 40.1) || km > 40.1 {
			t.Errorf("without a race week %d has %.1f km, not the 40 that were told", i+1, km)
		}
	}
	on := s.Starts.AddDate(0, 0, 7*15+6)
	w.runner.Races = []record.Race{{ID: 1, Name: "Quay Half", On: on, KM: 21.1}}
	s = lookAhead(t, w, record.SeasonWhat{})
	if len(s.Weeks) != 16 || len(s.Races) != 1 || s.Races[0].Week != 16 || s.KM(8) <= s.KM(1) || s.KM(14) >= s.KM(12) {
		t.Fatalf("%d weeks, races %+v", len(s.Weeks), s.Races)
	}
	last := s.Weeks[15]
	if r := last[len(last)-1]; r.Kind != term.Race || r.KM != 21.1 || r.Day != "sun" {
		t.Errorf("the race's week ends with %+v", r)
	}
	if r := s.Races[0]; r.Ready < 0 || r.Ready > 1 || len(r.Why) == 0 {
		t.Errorf("%+v", r)
	}
	// The same is told each time, and a pair that is nearly done is ordered sooner than a new one.
	if again := lookAhead(t, w, record.SeasonWhat{}); toJSON(again.Answer) != toJSON(s.Answer) {
		t.Error("a second look comes to something else")
	}
	first := func(s *record.Season) time.Time {
		if len(s.Orders) == 0 {
			return time.Time{}
		}
		return s.Orders[0].On
	}
	old := fitted(t)
	old.owns(skua, 200, 620)
	old.runner.Races = w.runner.Races
	if o := lookAhead(t, old, record.SeasonWhat{}); o.Fault != "" || first(o).IsZero() || !first(s).IsZero() && first(o).After(first(s)) {
		t.Errorf("a pair of 620 km is followed in %s, one of 100 km in %s; %q", first(o), first(s), o.Fault)
	}
	// What is looked at instead.
	if e := lookAhead(t, w, record.SeasonWhat{Earlier: true}); !first(s).IsZero() && first(e).After(first(s)) {
		t.Errorf("ordered earlier, in %s, after %s", first(e), first(s))
	}
	if two := lookAhead(t, w, record.SeasonWhat{Second: true}); len(two.Pairs) <= len(s.Pairs) ||
		two.Answer.Spent.P50 <= s.Answer.Spent.P50 && s.Answer.Spent.P50 == 0 {
		t.Errorf("with a second pair: %d pairs of %d, %d spent of %d", len(two.Pairs), len(s.Pairs), two.Answer.Spent.P50, s.Answer.Spent.P50)
	}
	// One that is set aside is not in the season.
	w.runner.Pairs[0].SetAsideOn = daysAgo(1)
	if s := lookAhead(t, w, record.SeasonWhat{}); s.Fault == "" {
		for _, p := range s.Pairs {
			if p.Owned {
				t.Errorf("%s was set aside", p.Name)
			}
		}
	} else if !strings.Contains(s.Fault, "no pair") {
		t.Errorf("%q", s.Fault)
	}
}

// Of this week stands what is to come; what was run stands in its place, and that of the weeks before. A week that was moved is
// so, its runs in proportion; a week of rest is one; weeks in turn stay in turn.
func TestSeasonWeeks(t *testing.T) {
	w := fitted(t)
	w.owns(skua, 30, 100)
	w.told(t, "rotation", "plan_day.1", "mon", "plan_km.1", "10", "plan_kind.1", "easy", "plan_day.2", "tue", "plan_km.2", "8", "plan_kind.2",
		"easy", "plan_day.3", "thu", "plan_km.3", "6", "plan_kind.3", "intervals", "plan_day.4", "sun", "plan_km.4", "16", "plan_kind.4", "long")
	s := lookAhead(t, w, record.SeasonWhat{}) // today is a Tuesday
	if s.KM(0) != 30 || s.KM(1) != 40 || s.Ran != 0 {
		t.Errorf("of this week %.1f km are to come, %.1f were run; the next has %.1f", s.KM(0), s.Ran, s.KM(1))
	}
	p := &w.runner.Pairs[0]
	p.Runs = append(p.Runs, record.Run{ID: 900, PairID: p.ID, On: daysAgo(1), KM: 9, Ground: term.GroundRoad, Kind: term.Easy},
		record.Run{ID: 901, PairID: p.ID, On: today, KM: 8.5, Ground: term.GroundRoad, Kind: term.Easy})
	if s = lookAhead(t, w, record.SeasonWhat{}); s.KM(0) != 22 || s.Ran != 17.5 {
		t.Errorf("with Monday's and today's run %.1f km are to come, %.1f were run", s.KM(0), s.Ran)
	}
	monday := record.MondayOf(today)
	parts, err := w.follow(t).MovedParts(monday.AddDate(0, 0, 14), 60)
	if err != nil || len(parts) != 4 || parts[3].KM != 24 || parts[2].Kind != term.Intervals || parts[2].KM != 9 {
		t.Fatalf("a week of 40 km made one of 60: %+v, %v", parts, err)
	}
	w.runner.Season.Weeks = []record.MovedWeek{{On: monday.AddDate(0, 0, 7), How: record.ByTheir},
		{On: monday.AddDate(0, 0, 14), How: record.ByHand, Parts: parts}}
	s = lookAhead(t, w, record.SeasonWhat{})
	if s.Fault != "" || s.KM(1) != 0 || s.How[1] != record.ByTheir || s.KM(2) != 60 || s.How[2] != record.ByHand || s.How[3] != "" {
		t.Errorf("%q; weeks %.0f %.0f %.0f, %q", s.Fault, s.KM(1), s.KM(2), s.KM(3), s.How[:4])
	}
	if parts, err = w.follow(t).MovedParts(monday.AddDate(0, 0, 7), 20); err != nil || len(parts) != 4 {
		t.Errorf("a week of rest is laid out again: %+v, %v", parts, err)
	}
	// Of this week what is over stays as it was planned, so that it is not lost when the rest is moved.
	w.runner.Season.Weeks = nil
	if parts, err = w.follow(t).MovedParts(monday, 44); err != nil || len(parts) != 4 {
		t.Fatalf("%+v, %v", parts, err)
	}
	w.runner.Season.Weeks = []record.MovedWeek{{On: monday, How: record.ByHand, Parts: parts}}
	if s = lookAhead(t, w, record.SeasonWhat{}); s.KM(0) != 44 || len(s.Over) != 2 || s.Over[0].KM+s.Over[1].KM != 18 {
		t.Errorf("%.1f km to come, over are %+v", s.KM(0), s.Over)
	}
	// A fit of weeks ago: the weeks grow from then on, and do not begin anew.
	w.runner.Season.Weeks = nil
	w.runner.Races = []record.Race{{ID: 1, Name: "Quay Half", On: monday.AddDate(0, 0, 7*9+6), KM: 21.1}}
	fresh := lookAhead(t, w, record.SeasonWhat{})
	w.visit.StartedAt = daysAgo(7)
	old := lookAhead(t, w, record.SeasonWhat{})
	if old.KM(1) <= fresh.KM(1) || len(old.Past) != 1 || old.Past[0].Planned != 40 {
		t.Errorf("of a fit a week ago: next week %.1f km, of today's %.1f; before it %+v", old.KM(1), fresh.KM(1), old.Past)
	}
	w.runner.Season.Shape = record.Steady
	if s = lookAhead(t, w, record.SeasonWhat{}); s.KM(8) != 40 || s.KM(5) != 40 {
		t.Errorf("each like the usual week: %.1f, %.1f", s.KM(5), s.KM(8))
	}
}

// A plan of changing over holds in the weeks that it is for.
func TestSeasonObeysChange(t *testing.T) {
	w := goingOver(t, 1)
	s := lookAhead(t, w, record.SeasonWhat{})
	if s.Fault != "" || len(s.Going) != 1 {
		t.Fatalf("%q, %d plans", s.Fault, len(s.Going))
	}
	in := func(week int) (km float64) {
		lanes, err := s.Lanes(context.Background(), week)
		if err != nil {
			t.Fatal(err)
		}
		for _, l := range lanes {
			if l.Name == w.runner.Pairs[1].Name() {
				for _, p := range l.Parts {
					km += p.KM
				}
			}
		}
		return km
	}
	for week := range 4 {
		on := s.Starts.AddDate(0, 0, 7*week)
		allowed, _ := s.Going[0].Allowed(on)
		if km := in(week); km > allowed+1e-9 {
			t.Errorf("in the week of %s %.1f km in the new pair, allowed are %.1f", on.Format(time.DateOnly), km, allowed)
		}
	}
	bound := 0.0
	for week := range s.Weeks {
		allowed, share := s.Going[0].Allowed(s.Starts.AddDate(0, 0, 7*week))
		bound += min(allowed, s.KM(week))
		if share >= 1 {
			bound = 1e9
		}
	}
	free := goingOver(t, 1)
	free.runner.Changes = nil
	other := lookAhead(t, free, record.SeasonWhat{})
	kmOf := func(s *record.Season) float64 {
		for _, p := range s.Pairs {
			if p.Name == w.runner.Pairs[1].Name() {
				return p.KM
			}
		}
		return 0
	}
	if held, loose := kmOf(s), kmOf(other); held >= loose || held > bound {
		t.Errorf("the new pair runs %.0f km with the plan, %.0f without", held, loose)
	}
}

// What is kept holds without being asked; what is put on the list is asked for no more, and stands at Due once, with the order
// that the wear of the pair asks for.
func TestSeasonKeptAndDecided(t *testing.T) {
	w := fitted(t)
	w.owns(skua, 200, 560)
	w.told(t, "rotation", "plan_money", "900")
	asked := lookAhead(t, w, record.SeasonWhat{Second: true})
	w.runner.Season.Kept = record.SeasonWhat{}.With(record.SeasonWhat{Second: true}, true)
	if kept := lookAhead(t, w, record.SeasonWhat{}); toJSON(kept.Answer) != toJSON(asked.Answer) {
		t.Error("a what-if that is kept comes to something else than one that is asked")
	}
	none := record.SeasonWhat{}
	if w.runner.Season.Kept = w.runner.Season.Kept.With(record.SeasonWhat{Second: true}, false); w.runner.Season.Kept != none {
		t.Errorf("dropped: %+v", w.runner.Season.Kept)
	}
	s := lookAhead(t, w, record.SeasonWhat{})
	if len(s.Orders) == 0 || s.Orders[0].Label == "" {
		t.Fatalf("orders %+v", s.Orders)
	}
	due := func() (n int, first record.Due) {
		list, err := w.follow(t).Due()
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range list {
			if d.Kind == record.DueOrder {
				if n++; n == 1 {
					first = d
				}
			}
		}
		return n, first
	}
	before, wear := due()
	o := s.Orders[0]
	w.runner.Season.Orders = []record.Decided{{ID: 5, ModelRow: w.shop.Catalogue.RowID(o.Model.ID), Size: o.Size, Width: o.Width,
		Price: o.Price, On: wear.On.AddDate(0, 0, -7)}}
	s = lookAhead(t, w, record.SeasonWhat{})
	if len(s.Decided) != 1 || !s.Orders[0].Decided || len(s.Orders) > 1 && s.Orders[1].Decided {
		t.Errorf("decided %+v, orders %+v", s.Decided, s.Orders)
	}
	after, season := due()
	if before != 1 || after != 1 || !season.On.Equal(wear.On.AddDate(0, 0, -7)) || !strings.Contains(season.Text, "for the season") {
		t.Errorf("Due has %d orders, then %d: %+v", before, after, season)
	}
	w.runner.Season.Orders[0].On = wear.On.AddDate(0, 0, 7)
	if n, first := due(); n != 1 || !first.On.Equal(wear.On) {
		t.Errorf("of an order a week later: %d, %+v", n, first)
	}
}

// A change of a race's chance by more than ten points is told once with why; less is not, and adds up.
func TestOutlooks(t *testing.T) {
	w := fitted(t)
	w.owns(skua, 60, 200)
	w.runner.Races = []record.Race{{ID: 1, Name: "Quay Half", On: record.MondayOf(today).AddDate(0, 0, 7*9+6), KM: 21.1}}
	tell := func() record.Outlook {
		t.Helper()
		c := w.follow(t)
		s, err := c.Season(context.Background(), record.SeasonWhat{})
		if err != nil {
			t.Fatal(err)
		}
		list, err := c.Outlooks(s)
		if err != nil || len(list) != 1 {
			t.Fatalf("%+v, %v", list, err)
		}
		return list[0]
	}
	first := tell()
	if first.Was != nil || first.Why != "" || !first.Seen {
		t.Errorf("the first time there is nothing to tell: %+v", first)
	}
	w.runner.Season.Outlooks = []record.Outlook{first}
	if again := tell(); again.Ready != first.Ready || again.Was != nil {
		t.Errorf("nothing changed: %+v", again)
	}
	little := first
	little.Ready = first.Ready - 0.08
	w.runner.Season.Outlooks[0] = little
	if again := tell(); again.Ready != little.Ready || again.Was != nil {
		t.Errorf("by eight points: what was told stays, so that small changes add up: %+v", again)
	}
	w.runner.Season.Outlooks[0] = first
	name := w.runner.Pairs[0].Name()
	w.runner.Pairs[0].SetAsideOn = today
	w.owns(tern, 1, 0)
	w.runner.Season.Outlooks[0].Ready = 0.2
	changed := tell()
	if changed.Was == nil || *changed.Was != 0.2 || changed.Seen || !strings.Contains(changed.Why, name+" is no longer in use") ||
		!strings.Contains(changed.Why, w.runner.Pairs[1].Name()+" is new") {
		t.Errorf("%+v", changed)
	}
}

// A cheaper model stands in for what most is spent on where one serves its runs, and costs less.
func TestSeasonCheaper(t *testing.T) {
	w := fitted(t)
	w.owns(skua, 200, 600)
	s := lookAhead(t, w, record.SeasonWhat{})
	c := lookAhead(t, w, record.SeasonWhat{Cheaper: true})
	if c.Instead == "" {
		t.Fatal("it does not say what stands in")
	}
	if less := c.Answer.Spent.P50 < s.Answer.Spent.P50; less == strings.HasPrefix(c.Instead, "nothing cheaper") {
		t.Errorf("%q: %d spent, %d before", c.Instead, c.Answer.Spent.P50, s.Answer.Spent.P50)
	}
}

// A cheaper model after a pair of theirs lasts as long as such a model does, and what was seen on a pair says nothing of the next.
func TestSeasonNextLives(t *testing.T) {
	w := fitted(t)
	w.owns(skua, 200, 600)
	before := lookAhead(t, w, record.SeasonWhat{}).Plan()
	w.runner.Pairs[0].Looks = append(w.runner.Pairs[0].Looks, record.SoleLook{On: daysAgo(1), Tread: 0.2, Evenness: 0.2})
	after := lookAhead(t, w, record.SeasonWhat{}).Plan()
	a, b := after.Pairs[0], before.Pairs[0]
	if *a.LnLife == *b.LnLife {
		t.Errorf("a look at it does not move its life of %+v", *a.LnLife)
	}
	if *a.NextLife != *b.NextLife {
		t.Errorf("a look at this pair moved the life of the next from %+v to %+v", *b.NextLife, *a.NextLife)
	}
}

// A pair that is too new for its race is run before it, next to the race and not in its week; the plan says on which days.
func TestSeasonBreaksIn(t *testing.T) {
	w := fitted(t)
	w.owns(skua, 200, 200)
	fresh := w.owns(tern, 3, 0)
	on := record.MondayOf(today).AddDate(0, 0, 7*4+6)
	w.runner.Races = []record.Race{{ID: 1, Name: "Quay Ten", On: on, KM: 10, PairID: fresh.ID}}
	w.told(t, "rotation", "plan_day.1", "tue", "plan_km.1", "8", "plan_kind.1", "easy", "plan_day.2", "thu", "plan_km.2", "7", "plan_kind.2",
		"easy", "plan_day.3", "sat", "plan_km.3", "16", "plan_kind.3", "long")
	s := lookAhead(t, w, record.SeasonWhat{})
	if s.Fault != "" || len(s.Races) != 1 {
		t.Fatalf("%q, %+v", s.Fault, s.Races)
	}
	if r := s.Races[0]; r.In != fresh.Name() || r.Ready < 0.9 || r.Rawly != "" {
		t.Errorf("the race is run in %s, %.2f ready, %q is raw; %v, %v", r.In, r.Ready, r.Rawly, r.Why, s.BreakIns)
	}
	if x := s.Plan().Pairs; len(x) < 2 {
		t.Fatalf("%d pairs", len(x))
	}
	if len(s.BreakIns) != 1 {
		t.Fatalf("%d pairs are broken in; %+v %+v", len(s.BreakIns), s.Races, s.Pairs)
	} else {
		km := 0.0
		for _, r := range s.BreakIns[0].Runs {
			km += r.KM
			if !r.On.Before(record.MondayOf(on)) || r.On.Before(today) || r.Kind == term.Race {
				t.Errorf("it is broken in on %+v, the race is on %s", r, on)
			}
		}
		if km < 40 || !strings.HasPrefix(s.BreakIns[0].Text(), fresh.Name()+" is broken in on ") {
			t.Errorf("%.0f km break it in: %s", km, s.BreakIns[0].Text())
		}
	}
	// The command comes to the same: what is kept for one pair stands in the plan.
	var plan season.Plan
	if err := strict.Decode([]byte(toJSON(s.Plan())), &plan); err != nil {
		t.Fatal(err)
	}
	if a, err := season.Look(context.Background(), plan, nil); err != nil || toJSON(a) != toJSON(s.Answer) {
		t.Errorf("by the plan it comes to something else: %v", err)
	}
}

// A race that was run this morning is over: no season, plan or list has it to come.
func TestRaceOfTodayIsOver(t *testing.T) {
	w := fitted(t)
	p := w.owns(skua, 200, 200)
	w.runner.Races = []record.Race{{ID: 1, Name: "Quay Half", On: today, KM: 21.1}}
	if c := w.follow(t); len(c.Races()) != 1 || len(lookAhead(t, w, record.SeasonWhat{}).Races) != 1 {
		t.Fatal("the race of today is not to come")
	}
	p.Runs = append(p.Runs, record.Run{ID: 900, PairID: p.ID, On: today, KM: 2, Ground: term.GroundRoad, Kind: term.Easy})
	if len(w.follow(t).Races()) != 1 {
		t.Error("a short run before it is taken for the race")
	}
	p.Runs = append(p.Runs, record.Run{ID: 901, PairID: p.ID, On: today, KM: 21.3, Ground: term.GroundRoad, Kind: term.Long})
	s := lookAhead(t, w, record.SeasonWhat{})
	if len(w.follow(t).Races()) != 0 || len(s.Races) != 0 {
		t.Error("the race was run, and is to come")
	}
	for _, part := range s.Weeks[0] {
		if part.Kind == term.Race {
			t.Errorf("the week still has %+v", part)
		}
	}
}
