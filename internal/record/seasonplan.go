package record

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/rotation"
	"trevik/internal/core/season"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
)

// seasonPlan is the plan with the pairs: those in use, those that the board's plan buys, and those that a race asks for.
type seasonPlan struct {
	season.Plan
	of      map[string]SeasonPair
	planned []RacePlan // what the week's plan has for each race
	breaks  []BreakIn
	others  []CandidateInfo // models that are not in the plan
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
		p.Weeks = append(p.Weeks, season.Week{Parts: append([]rotation.WeekPart{}, w...)}) // none is a week of rest
		all = append(all, w...)
	}
	races, err := c.RacesPlanned(ctx)
	if err != nil {
		return nil, err
	}
	p.planned = races
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
			if !x.Second {
				p.others = append(p.others, x)
			}
			continue
		}
		life := Worn{}
		if owned {
			at := slices.IndexFunc(worn, func(w Worn) bool { return w.Pair.ID == x.Pair.ID })
			life = worn[at]
		} else if life, err = c.assess(&Pair{Model: *x.Model, Price: x.Price}, nil, 0); err != nil {
			return nil, err
		}
		if err := p.add(c, x, life); err != nil {
			return nil, err
		}
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
func (p *seasonPlan) add(c *Conclusions, x CandidateInfo, life Worn) error {
	h := c.House()
	next, price := x.Model, x.Price
	copies, delivery, breakIn := seasonCopies, int(h.DeliveryDays), h.BreakInKM
	if x.Pair == nil {
		delivery += weekday(c.Today) // a plan begins on its Monday, and it is ordered today
	} else { // a version that follows it may stand in its place by then
		next = c.Shop.Catalogue.Latest(x.Model)
		price = next.Price()
		if next.Elsewhere() {
			copies = 1 // the shop cannot order it
		}
	}
	km, effective := life.Wear.KM, life.Wear.EffectiveKM
	pair := season.Pair{ID: x.ID, Model: x.Candidate.Model, Owned: x.Pair != nil, Price: price, MaxRunKM: x.MaxRunKM,
		Suitability: x.Suitability,
		LnLife:      lifeOf(life), KM: &km, EffectiveKM: &effective,
		Load: loadsOf(x.Model, h), BreakInKM: &breakIn, Delivery: &delivery, Copies: &copies}
	if x.Pair != nil { // what was seen on this pair says nothing of the one that follows it
		fresh, err := c.assess(&Pair{Model: *next, Price: price}, nil, 0)
		if err != nil {
			return err
		}
		pair.NextLife = lifeOf(fresh)
	}
	p.Pairs = append(p.Pairs, pair)
	p.of[x.ID] = SeasonPair{Name: x.Name, Model: x.Model, Next: next, Owned: x.Pair != nil, Price: price, Deliver: delivery, pair: x.Pair}
	return nil
}

// loadsOf is what a real km wears a model by its ground.
func loadsOf(m *shoe.Model, h *house.Values) map[term.Ground]float64 {
	out := map[term.Ground]float64{}
	for _, g := range term.Grounds {
		out[g] = wear.Load(wear.Run{KM: 1, Ground: g}, m.Surface, nil, h)
	}
	return out
}

func lifeOf(w Worn) *season.Life { return &season.Life{Mean: w.Wear.LnLife.Mean, SD: w.Wear.LnLife.SD} }

// look changes the plan to what is looked at, by what it comes to as it is.
func (p *seasonPlan) look(c *Conclusions, s *Season, a season.Answer, what SeasonWhat) error {
	if what.Cheaper {
		if err := p.cheaper(c, s, a); err != nil {
			return err
		}
	}
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
	return nil
}

// cheaper puts a cheaper model in the place of what most is spent on: one that serves each run which that does as well as a week
// asks for. Of a pair that they have, the next ones.
func (p *seasonPlan) cheaper(c *Conclusions, s *Season, a season.Answer) error {
	at, most := -1, 0.0
	for _, x := range a.Pairs {
		spent := 0.0
		for _, o := range x.Orders {
			spent += o.Chance * float64(p.of[x.ID].Price)
		}
		if spent > most {
			at, most = slices.IndexFunc(p.Pairs, func(k season.Pair) bool { return k.ID == x.ID }), spent
		}
	}
	if at < 0 {
		return nil
	}
	x := &p.Pairs[at]
	var best *CandidateInfo
	for i := range p.others {
		o := &p.others[i]
		serves := func(had rotation.Suit) bool {
			return had.Value < rotation.GoodSuit || slices.ContainsFunc(o.Suitability, func(v rotation.Suit) bool {
				return v.Kind == had.Kind && v.Ground == had.Ground && v.Value >= rotation.GoodSuit-1e-9
			})
		}
		if o.Pair != nil || o.Price >= x.Price || best != nil && o.Price >= best.Price ||
			slices.ContainsFunc(x.Suitability, func(v rotation.Suit) bool { return !serves(v) }) {
			continue
		}
		best = o
	}
	if best == nil {
		s.Instead = "nothing cheaper that fits serves these runs"
		return nil
	}
	life, err := c.assess(&Pair{Model: *best.Model, Price: best.Price}, nil, 0)
	if err != nil {
		return err
	}
	info := p.of[x.ID]
	s.Instead = best.Name + " in the place of " + info.Name
	x.Price, info.Price, info.Next = best.Price, best.Price, best.Model
	if x.Owned {
		s.Instead = best.Name + " after " + info.Name
		x.NextLife = lifeOf(life)
	} else {
		x.LnLife, x.Load = lifeOf(life), loadsOf(best.Model, c.House())
		x.Suitability, info.Name, info.Model = best.Suitability, best.Name, best.Model
	}
	p.of[x.ID] = info
	return nil
}

// BreakIn is a pair that a race is run in, and the runs that break it in before.
type BreakIn struct {
	Name string
	Race Race
	Runs []PlannedRun // by their days
}

// Text says which runs break the pair in.
func (b BreakIn) Text() string {
	var runs []string
	for _, r := range b.Runs {
		runs = append(runs, fmt.Sprintf("%s (%s, %.0f km)", r.On.Format("2 January"), strings.ReplaceAll(string(r.Kind), "_", " "), r.KM))
	}
	return fmt.Sprintf("%s is broken in on %s.", b.Name, strings.Join(runs, ", "))
}

// PlannedRun is a run of the season on its day.
type PlannedRun struct {
	On   time.Time
	KM   float64
	Kind term.Kind
}

// breakIn gives each race's pair that would come to it too new the runs that break it in: those that it serves best, in the weeks
// that lie next before the race, no more than two a week, and none after the day by which it is to be broken in.
func (p *seasonPlan) breakIn(ctx context.Context, s *Season) error {
	if len(p.planned) == 0 {
		return nil
	}
	few := p.Plan
	draws := breakInDraws
	few.Draws = &draws
	a, err := season.Look(ctx, few, nil)
	if _, wrong := fault.As(err); wrong {
		return nil // it is told of the whole plan
	}
	if err != nil {
		return err
	}
	for _, r := range p.planned {
		week := weekFrom(s.Starts, r.On)
		at := slices.IndexFunc(p.Pairs, func(x season.Pair) bool { return p.of[x.ID].Name == r.In })
		if at < 0 || week < 0 || week >= len(s.Weeks) {
			continue
		}
		x := p.Pairs[at]
		need := *x.BreakInKM - *x.KM
		if k := slices.IndexFunc(a.Pairs, func(y season.PairAnswer) bool { return y.ID == x.ID }); k >= 0 {
			for _, before := range a.Races { // it is broken in by what it runs anyway
				if before.Date == r.On.Format(time.DateOnly) && before.Pair != nil && *before.Pair == x.ID && before.Ready > 1-LeastChance {
					need = 0
				}
			}
		}
		if need <= 0 {
			continue
		}
		there := 0 // the week in which it is there
		if !x.Owned {
			there = (*x.Delivery + 6) / 7
		}
		done := BreakIn{Name: r.In, Race: r.Race}
		for w := week - 1; w >= there && need > 0; w-- {
			var taken []int
			for range mostBreakIns {
				k := p.bestRun(p.Weeks[w].Parts, x, func(i int) bool {
					return !slices.Contains(taken, i) && !dayIn(s.Starts, w, p.Weeks[w].Parts[i].Day).After(r.BrokenInBy)
				})
				if k < 0 || need <= 0 {
					break
				}
				taken = append(taken, k)
				part := p.keepFor(w, k, x.ID)
				need -= part.KM
				done.Runs = append(done.Runs, PlannedRun{dayIn(s.Starts, w, part.Day), part.KM, part.Kind})
			}
			s.Weeks[w] = p.Weeks[w].Parts
		}
		if len(done.Runs) > 0 {
			slices.SortStableFunc(done.Runs, func(a, b PlannedRun) int { return a.On.Compare(b.On) })
			p.breaks = append(p.breaks, done)
		}
	}
	return nil
}

// House values of breaking in a pair for a race.
const (
	mostBreakIns = 2   // runs of a week
	breakInDraws = 200 // futures, to see whether it is broken in anyway
)

// bestRun is the run of a week that a pair serves best, of these the shortest; -1 where it serves none that is free.
func (p *seasonPlan) bestRun(week []rotation.WeekPart, x season.Pair, free func(part int) bool) int {
	best, most := -1, rotation.LeastSuit-1e-9
	for i, part := range week {
		if part.Kind == term.Race || !free(i) || len(part.Barred) > 0 || x.MaxRunKM != nil && part.KM > *x.MaxRunKM {
			continue
		}
		for _, v := range x.Suitability {
			if v.Kind == part.Kind && v.Ground == part.Ground && (v.Value > most+1e-9 || v.Value > most-1e-9 && best >= 0 &&
				part.KM < week[best].KM) {
				best, most = i, v.Value
			}
		}
	}
	return best
}

// keepFor keeps a run for one pair: the others are barred from it.
func (p *seasonPlan) keepFor(week, part int, id string) rotation.WeekPart {
	x := &p.Weeks[week].Parts[part]
	for _, other := range p.Pairs {
		if other.ID != id {
			x.Barred = append(x.Barred, other.ID)
		}
	}
	return *x
}

// dayIn is a day of a week of the season, by its name.
func dayIn(starts time.Time, week int, day string) time.Time {
	return starts.AddDate(0, 0, 7*week+max(0, slices.Index(rotation.Days, day)))
}

// named keeps of what is barred the pairs that are there.
func (p *seasonPlan) named() {
	for _, w := range p.Weeks {
		for i := range w.Parts {
			w.Parts[i].Barred = slices.DeleteFunc(slices.Clone(w.Parts[i].Barred), func(id string) bool {
				return !slices.ContainsFunc(p.Pairs, func(x season.Pair) bool { return x.ID == id })
			})
		}
	}
}
