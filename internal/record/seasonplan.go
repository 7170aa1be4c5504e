package record

import (
	"cmp"
	"context"
	"slices"
	"time"

	"trevik/internal/core/rotation"
	"trevik/internal/core/season"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
)

// seasonPlan is the plan with the pairs: those in use, those that the board's plan buys, and those that a race asks for.
type seasonPlan struct {
	season.Plan
	of      map[string]SeasonPair
	planned map[time.Time]string // what the week's plan has for each race, by name
	others  []CandidateInfo      // models that are not in the plan
}

func (c *Conclusions) seasonPlan(ctx context.Context, s *Season, what SeasonWhat) (*seasonPlan, error) {
	most, draws := c.MostPairs(), season.DefaultDraws
	p := &seasonPlan{Plan: season.Plan{Schema: season.Schema, Starts: s.Starts.Format(time.DateOnly), Seed: c.ID, Draws: &draws,
		Currency: c.Shop.Currency}, of: map[string]SeasonPair{},
		planned: map[time.Time]string{}}
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
	for _, r := range races {
		p.planned[r.On] = r.In
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
		LnLife:      &season.Life{Mean: life.Wear.LnLife.Mean, SD: life.Wear.LnLife.SD}, KM: &km, EffectiveKM: &effective,
		Load: map[term.Ground]float64{}, BreakInKM: &breakIn, Delivery: &delivery, Copies: &copies}
	for _, g := range term.Grounds {
		pair.Load[g] = wear.Load(wear.Run{KM: 1, Ground: g}, x.Model.Surface, nil, h)
	}
	p.Pairs = append(p.Pairs, pair)
	p.of[x.ID] = SeasonPair{Name: x.Name, Model: x.Model, Next: next, Owned: x.Pair != nil, Price: price, Deliver: delivery, pair: x.Pair}
}

// look changes the plan to what is looked at, by what it comes to as it is.
func (p *seasonPlan) look(s *Season, a season.Answer, what SeasonWhat) {
	if what.Cheaper {
		p.cheaper(s, a)
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
}

// cheaper puts a cheaper model in the place of what most is spent on: one that serves each run which that does as well as a week
// asks for. Of a pair that they have, the next ones.
func (p *seasonPlan) cheaper(s *Season, a season.Answer) {
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
		return
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
		return
	}
	info := p.of[x.ID]
	s.Instead = best.Name + " in the place of " + info.Name
	x.Price, info.Price, info.Next = best.Price, best.Price, best.Model
	if x.Owned {
		s.Instead = best.Name + " after " + info.Name
	} else {
		x.Suitability, info.Name, info.Model = best.Suitability, best.Name, best.Model
	}
	p.of[x.ID] = info
}
