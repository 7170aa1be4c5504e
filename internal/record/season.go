package record

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/rotation"
	"trevik/internal/core/season"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
)

// House values of a season on the page.
const (
	plainWeeks   = 12   // without a race
	seasonCopies = 4    // how often a pair may be had again
	earlierAt    = 0.05 // of the what-if that orders earlier
	freshMost    = 200  // km that a race pair that is kept fresh has at most
	raceStart    = "09:00"
)

// SeasonWhat is what a season is looked at with instead.
type SeasonWhat struct {
	Earlier bool  // the next pair is ordered earlier
	Fewer   bool  // without the pair that is run least
	Fresh   bool  // the race pair is kept fresh: a second of it, and neither with many km on the day
	Second  bool  // a second of the pair that is run most
	More    int64 // minor units more to spend, where money was told
}

// Any says whether something is looked at.
func (w SeasonWhat) Any() bool { return w != SeasonWhat{} }

// SeasonPair is a pair of a season by its id in the answer.
type SeasonPair struct {
	season.PairAnswer
	Name    string
	Model   *shoe.Model
	Next    *shoe.Model // what is ordered after it
	Owned   bool
	Price   int64
	Deliver int // days
}

// SeasonRace is a race of a season.
type SeasonRace struct {
	Race
	season.RaceAnswer
	Week  int    // from 1
	In    string // the pair that mostly runs it, empty is none
	Rawly string // the pair that the week's plan has for it, where no run of these weeks breaks that one in
}

// SeasonOrder is a copy that is likely to be ordered, by its middle week.
type SeasonOrder struct {
	Name   string
	Label  string // its size on the box
	On     time.Time
	Early  time.Time
	Late   time.Time
	Chance float64
	Price  int64
}

// Season is the way from this week to the race: which pair when, what is to be ordered, and how likely it works out.
type Season struct {
	Starts  time.Time // a Monday
	Weeks   [][]rotation.WeekPart
	Answer  season.Answer
	Pairs   []SeasonPair // those that are run, the most km first
	Races   []SeasonRace
	Orders  []SeasonOrder // the likely ones, the next first
	Assumed []string      // what was not told
	Fault   string        // why there is none
}

// Season looks at the weeks from the next Monday to the last race within MostWeeks, or twelve without one.
func (c *Conclusions) Season(ctx context.Context, what SeasonWhat) (*Season, error) {
	s := &Season{Starts: monday(c.Today)}
	week := c.presentWeek(s)
	if len(week) == 0 {
		s.Fault = "no week is told: tell what is run in a usual week at Hello"
		return s, nil
	}
	c.seasonWeeks(s, week)
	p, err := c.seasonPlan(ctx, s, what)
	if err != nil || s.Fault != "" {
		return s, err
	}
	if what.Fewer || what.Second || what.Fresh {
		base, err := season.Look(ctx, p.Plan, nil)
		if err != nil {
			return nil, err
		}
		p.look(base, what)
	}
	s.Answer, err = season.Look(ctx, p.Plan, nil)
	if l, ok := fault.As(err); ok {
		s.Fault = l.Error()
		return s, nil
	}
	if err != nil {
		return nil, err
	}
	c.tell(s, p)
	return s, nil
}

// monday is the next one, today included.
func monday(day time.Time) time.Time {
	return day.AddDate(0, 0, (8-int(day.Weekday()))%7)
}

// presentWeek is the week that lies on the board, else one that is laid out from what Hello was told.
func (c *Conclusions) presentWeek(s *Season) []rotation.WeekPart {
	if board := c.Board(); len(board) > 0 {
		return board[c.WeekOn(s.Starts)%len(board)]
	}
	told, km, sketched := c.WeekTold()
	if km <= 0 {
		return nil
	}
	if sketched {
		s.Assumed = append(s.Assumed, "the kinds of run, from the usual week and the longest run")
	}
	s.Assumed = append(s.Assumed, "the days of the week")
	return rotation.Lay(told, int(RunDays.Of(c.Visit)))
}

// seasonWeeks lays the weeks out to the last race, and puts each race into its week.
func (c *Conclusions) seasonWeeks(s *Season, week []rotation.WeekPart) {
	n, km := plainWeeks, 0.0
	for _, r := range c.Races() {
		if at := weekFrom(s.Starts, r.On); at >= 0 && at < season.MostWeeks {
			s.Races = append(s.Races, SeasonRace{Race: r, Week: at + 1})
			n, km = at+1, r.KM
		}
	}
	if len(s.Races) == 0 {
		s.Assumed = append(s.Assumed, fmt.Sprintf("no race, so %d weeks like this one", plainWeeks))
	} else {
		s.Assumed = append(s.Assumed, "how the weeks grow and ease off; Trevik is no coach")
	}
	s.Weeks = season.Template(week, km, n)
	for _, r := range s.Races {
		at := r.Week - 1
		day := rotation.Days[(int(r.On.Weekday())+6)%7]
		kept := slices.DeleteFunc(slices.Clone(s.Weeks[at]), func(p rotation.WeekPart) bool { return p.Day == day || p.Kind == term.Race })
		s.Weeks[at] = append(kept, rotation.WeekPart{ID: fmt.Sprintf("race %d", r.ID), Day: day, Start: raceStart, KM: r.KM, Kind: term.Race,
			Ground: c.usualGround()})
	}
}

// weekFrom is the week of a day from a Monday, from 0; under 0 lies before it.
func weekFrom(starts, day time.Time) int { return int(math.Floor(day.Sub(starts).Hours() / (24 * 7))) }

// seasonPlan is the plan with the pairs: those in use, those that the board's plan buys, and those that a race asks for.
type seasonPlan struct {
	season.Plan
	of      map[string]SeasonPair
	planned []string // what the week's plan has for each race, by name
}

func (c *Conclusions) seasonPlan(ctx context.Context, s *Season, what SeasonWhat) (*seasonPlan, error) {
	most, draws := c.MostPairs(), season.DefaultDraws
	p := &seasonPlan{Plan: season.Plan{Schema: season.Schema, Starts: s.Starts.Format(time.DateOnly), Seed: c.ID, Draws: &draws,
		Currency: c.Shop.Currency}, of: map[string]SeasonPair{}}
	if what.Earlier {
		at := earlierAt
		p.OrderAt = &at
	}
	var all []rotation.WeekPart
	for _, w := range s.Weeks {
		p.Weeks = append(p.Weeks, season.Week{Parts: w})
		all = append(all, w...)
	}
	races, err := c.RacesPlanned(ctx)
	if err != nil {
		return nil, err
	}
	for _, r := range races {
		p.planned = append(p.planned, r.In)
	}
	buy, err := c.bought(ctx, races)
	if err != nil {
		return nil, err
	}
	candidates, err := c.Candidates(all)
	if err != nil {
		return nil, err
	}
	worn, err := c.Worn()
	if err != nil {
		return nil, err
	}
	for _, x := range candidates {
		owned := x.Pair != nil
		if x.Second || !owned && !buy[x.Model.ID] {
			continue
		}
		life := Worn{}
		if owned {
			at := slices.IndexFunc(worn, func(w Worn) bool { return w.Pair.ID == x.Pair.ID })
			life = worn[at]
		} else if life, err = c.assess(&Pair{Model: *x.Model, Price: x.Price}, nil, 0); err != nil {
			return nil, err
		}
		p.add(c, x, life)
		if !owned {
			p.Buy = append(p.Buy, x.ID)
		}
	}
	most = max(most, len(p.Pairs)) + seasonCopies // a copy comes before the one before it has gone
	p.MaxPairs = &most
	if len(p.Pairs) == 0 {
		s.Fault = "no pair is there yet: choose one at Shoes, or add one they have at Distance"
	}
	if m := PlanMoney.Ptr(c.Visit); m != nil {
		budget := int64(*m) + what.More
		p.Budget = &budget
	}
	return p, nil
}

// bought are the models that the board's plan buys, and that a race asks for.
func (c *Conclusions) bought(ctx context.Context, races []RacePlan) (map[string]bool, error) {
	out := map[string]bool{}
	for _, r := range races {
		if r.Buy != nil {
			out[r.Buy.ID] = true
		}
	}
	if len(c.Board()) == 0 {
		return out, nil
	}
	plan, err := c.Plan(ctx, What{})
	if err != nil || plan.Fault != "" {
		return out, err
	}
	for _, id := range plan.Turn.Buy {
		out[plan.pair(id).Model.ID] = true
	}
	return out, nil
}

// add puts a pair into the plan with its life, its load by ground, and how often it may be had again.
func (p *seasonPlan) add(c *Conclusions, x CandidateInfo, life Worn) {
	h := c.House()
	next, price := x.Model, x.Price
	copies, delivery, breakIn := seasonCopies, int(h.DeliveryDays), h.BreakInKM
	if x.Pair != nil { // a version that follows it may stand in its place by then
		next = c.Shop.Catalogue.Latest(x.Model)
		price = next.Price()
		if next.Elsewhere() {
			copies = 1 // the shop cannot order it
		}
	}
	km, effective := life.Wear.KM, life.Wear.EffectiveKM
	pair := season.Pair{ID: x.ID, Model: x.Candidate.Model, Owned: x.Pair != nil, Price: price, MaxRunKM: x.MaxRunKM,
		Suitability: x.Suitability,
		LnLife:      &season.Life{Mean: life.Wear.LnLife.Mean, SD: life.Wear.LnLife.SD}, KM: &km, EffectiveKM: &effective,
		Load: map[term.Ground]float64{}, BreakInKM: &breakIn, Delivery: &delivery, Copies: &copies}
	for _, g := range term.Grounds {
		pair.Load[g] = wear.Load(wear.Run{KM: 1, Ground: g}, x.Model.Surface, nil, h)
	}
	p.Pairs = append(p.Pairs, pair)
	p.of[x.ID] = SeasonPair{Name: x.Name, Model: x.Model, Next: next, Owned: x.Pair != nil, Price: price, Deliver: delivery}
}

// look changes the plan to what is looked at, by what it comes to as it is.
func (p *seasonPlan) look(a season.Answer, what SeasonWhat) {
	km := map[string]float64{}
	for _, x := range a.Pairs {
		km[x.ID] = x.KM
	}
	byKM := slices.SortedFunc(slices.Values(p.Pairs), func(a, b season.Pair) int { return cmp.Compare(km[a.ID], km[b.ID]) })
	second := func(id string) {
		at := slices.IndexFunc(p.Pairs, func(x season.Pair) bool { return x.ID == id })
		x := p.Pairs[at]
		x.ID += secondOne
		zero := 0.0
		x.Owned, x.KM, x.EffectiveKM = false, &zero, &zero
		p.Pairs = slices.Insert(p.Pairs, at+1, x)
		p.Buy = append(p.Buy, x.ID)
		info := p.of[id]
		info.Owned, info.Name = false, "a second "+info.Name
		p.of[x.ID] = info
	}
	if what.Second {
		second(byKM[len(byKM)-1].ID)
	}
	if what.Fresh {
		for _, r := range a.Races {
			if r.Pair == nil || slices.Contains(p.Buy, *r.Pair+secondOne) {
				continue
			}
			id := *r.Pair
			second(id)
			for i := range p.Pairs {
				if x := &p.Pairs[i]; x.ID == id || x.ID == id+secondOne {
					x.RaceKM = []float64{*x.BreakInKM, freshMost}
				}
			}
		}
	}
	if what.Fewer && len(p.Pairs) > 1 {
		p.Pairs = slices.DeleteFunc(p.Pairs, func(x season.Pair) bool { return x.ID == byKM[0].ID })
		p.Buy = slices.DeleteFunc(p.Buy, func(id string) bool { return id == byKM[0].ID })
	}
}

// LeastChance is that of an order which is told.
const LeastChance = 0.1

// tell puts the answer into the runner's words.
func (c *Conclusions) tell(s *Season, p *seasonPlan) {
	for _, a := range s.Answer.Pairs {
		x := p.of[a.ID]
		// What is there in few futures alone is not told.
		likely := func(number int) bool {
			at := slices.IndexFunc(a.Orders, func(o season.Order) bool { return o.Copy == number })
			return at < 0 && number == 1 || at >= 0 && a.Orders[at].Chance >= LeastChance
		}
		a.Copies = slices.DeleteFunc(slices.Clone(a.Copies), func(k season.Copy) bool { return !likely(k.Copy) })
		x.PairAnswer = a
		if a.KM >= 0.05 || len(a.Orders) > 0 {
			s.Pairs = append(s.Pairs, x)
		}
		for _, o := range a.Orders {
			if o.Chance < LeastChance {
				continue
			}
			order := SeasonOrder{Name: ModelName(x.Next), On: s.week(o.P50), Early: s.week(o.P10), Late: s.week(o.P90),
				Chance: o.Chance, Price: x.Price}
			if offered, ok, err := c.Offered(x.Next.ID); err == nil && ok { // without one its size is seen at Shoes
				order.Label = offered.Size.Label
			}
			s.Orders = append(s.Orders, order)
		}
	}
	slices.SortStableFunc(s.Pairs, func(a, b SeasonPair) int { return cmp.Compare(b.KM, a.KM) })
	slices.SortStableFunc(s.Orders, func(a, b SeasonOrder) int { return a.On.Compare(b.On) })
	for i := range s.Races {
		r := &s.Races[i]
		for _, a := range s.Answer.Races {
			if a.Date == r.On.Format(time.DateOnly) {
				r.RaceAnswer = a
				if a.Pair != nil {
					r.In = p.of[*a.Pair].Name
				}
				if i < len(p.planned) && p.planned[i] != r.In && !s.broken(p.planned[i], c.House().BreakInKM) {
					r.Rawly = p.planned[i]
				}
			}
		}
	}
}

// broken says whether a pair of a name runs enough to be broken in.
func (s *Season) broken(name string, breakIn float64) bool {
	at := slices.IndexFunc(s.Pairs, func(x SeasonPair) bool { return x.Name == name })
	return at >= 0 && (s.Pairs[at].Owned || s.Pairs[at].KM >= breakIn)
}

// week is the Monday of a week of the season by its number, from 1.
func (s *Season) week(n int) time.Time { return s.Starts.AddDate(0, 0, 7*(n-1)) }

// KM is what a week comes to.
func (s *Season) KM(week int) float64 {
	sum := 0.0
	for _, p := range s.Weeks[week] {
		sum += p.KM
	}
	return units.Round(sum, 1)
}
