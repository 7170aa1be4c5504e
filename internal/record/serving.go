package record

import (
	"context"
	"slices"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/rotation"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
)

// Serving is the runner's week over the pairs that are in use: which pair takes which part.
type Serving struct {
	Parts []rotation.Served
	Takes [][]float64 // km of each part that each pair takes, in the mean of the weeks
	Pairs []Pair
	Ahead [][]float64 // each pair's wear-adjusted km by week from today, the last repeated
	Going []GoingOver // plans of changing over that it obeys
	eff   []float64   // wear-adjusted km of what each pair takes now, in the mean of the weeks
	Board bool        // by the days and hours of the board, with rest kept
	Runs  bool        // no week was told: by the runs of the last eight weeks
}

// Load is where the km ahead come from, in a sentence.
func (s *Serving) Load() string {
	switch {
	case s.Runs:
		return "By the runs of the last eight weeks: no week was told."
	case s.Board:
		return "By the weekly plan, with each pair’s rest kept."
	case len(s.Parts) > 0:
		return "By the week that was told at Hello."
	}
	return ""
}

// Serving spreads the week over the pairs in use: by the board where one is laid out, else
// each kind of run to the pair that suits it best.
func (c *Conclusions) Serving() (*Serving, error) {
	return c.serving.get(c.serve)
}

func (c *Conclusions) serve() (*Serving, error) {
	s := &Serving{Pairs: c.Runner.InUse()}
	var wrong error
	weeks := c.Board()
	parts, _, _ := c.WeekTold()
	if len(weeks) > 0 {
		parts = kindsOf(weeks)
	}
	s.Parts = rotation.Serve(parts, len(s.Pairs), func(i int, p rotation.Part) (float64, string) {
		v, why, _, err := c.SuitOf(&s.Pairs[i], p.Kind, p.Ground)
		if err != nil {
			wrong = err
		}
		return v, why
	})
	if wrong != nil {
		return nil, wrong
	}
	s.Takes = make([][]float64, len(s.Parts))
	for i := range s.Takes {
		s.Takes[i] = make([]float64, len(s.Pairs))
	}
	s.Ahead, s.eff = make([][]float64, len(s.Pairs)), make([]float64, len(s.Pairs))
	if len(s.Parts) == 0 {
		for i := range s.Pairs {
			v, err := c.Verdict(&s.Pairs[i])
			if err != nil {
				return nil, err
			}
			if load := c.loadOfRuns(&s.Pairs[i]); load > 0 && v.Serves() {
				s.Ahead[i], s.Runs = []float64{load}, true
			}
		}
		return s, nil
	}
	var err error
	if s.Going, err = c.GoingOver(); err != nil {
		return nil, err
	}
	if len(weeks) > 0 {
		if s.Board, err = c.serveBoard(s, weeks); s.Board || err != nil {
			return s, err
		}
	}
	for i, p := range s.Parts {
		c.shareOut(s, i, p)
	}
	for i := range s.Pairs {
		s.eff[i] = first(s.Ahead[i])
	}
	return s, nil
}

// shareOut gives a kind of run to the pair that serves it best, and while the runner goes over to that one
// what the plan does not allow to the next best.
func (c *Conclusions) shareOut(s *Serving, part int, p rotation.Served) {
	if p.Pair < 0 {
		return
	}
	give := func(pair int, share []float64) {
		load := wear.Load(wear.Run{KM: p.KM, Ground: p.Ground, Kind: p.Kind}, s.Pairs[pair].Model.Surface, nil, &c.Shop.Settings.House)
		s.Takes[part][pair] += share[0] * p.KM
		for len(s.Ahead[pair]) < len(share) {
			last := 0.0
			if n := len(s.Ahead[pair]); n > 0 {
				last = s.Ahead[pair][n-1]
			}
			s.Ahead[pair] = append(s.Ahead[pair], last)
		}
		for w := range s.Ahead[pair] {
			s.Ahead[pair][w] += load * share[min(w, len(share)-1)]
		}
	}
	at := slices.IndexFunc(s.Going, func(g GoingOver) bool { return g.Pair.ID == s.Pairs[p.Pair].ID })
	other, most := -1, rotation.LeastSuit
	for i, v := range p.All {
		if i != p.Pair && v >= most && (other < 0 || v > most) {
			other, most = i, v
		}
	}
	if at < 0 || other < 0 {
		give(p.Pair, []float64{1})
		return
	}
	var now, rest []float64
	for w := range s.Going[at].weeksLeft(c.Today) + 1 {
		_, share := s.Going[at].Allowed(c.Today.AddDate(0, 0, 7*w))
		now, rest = append(now, share), append(rest, 1-share)
	}
	give(p.Pair, now)
	give(other, rest)
}

func mean(list []float64) float64 {
	sum := 0.0
	for _, v := range list {
		sum += v / float64(len(list))
	}
	return sum
}

func first(list []float64) float64 {
	if len(list) == 0 {
		return 0
	}
	return list[0]
}

// kindsOf adds up the parts of the board's weeks by kind and ground, km in the mean week.
func kindsOf(weeks [][]rotation.WeekPart) []rotation.Part {
	var out []rotation.Part
	for _, week := range weeks {
		for _, p := range week {
			i := slices.IndexFunc(out, func(o rotation.Part) bool { return o.Kind == p.Kind && o.Ground == p.Ground })
			if i < 0 {
				i = len(out)
				out = append(out, rotation.Part{Kind: p.Kind, Ground: p.Ground})
			}
			out[i].KM += p.KM / float64(len(weeks))
		}
	}
	return out
}

// serveBoard gives the board's parts to the pairs in use as the proven plan does; false where
// the board holds a fault, such as two runs at one time.
func (c *Conclusions) serveBoard(s *Serving, weeks [][]rotation.WeekPart) (bool, error) {
	most := max(1, len(s.Pairs))
	w := rotation.Week{MaxPairs: &most}
	byID := map[string]int{}
	for i := range s.Pairs {
		x, err := c.candidate(&s.Pairs[i])
		if err != nil {
			return false, err
		}
		byID[x.ID] = i
		for j, p := range s.Parts {
			x.Suitability = append(x.Suitability, rotation.Suit{Kind: p.Kind, Ground: p.Ground, Value: s.Parts[j].All[i]})
		}
		w.Pairs = append(w.Pairs, x)
	}
	answers := func(weeks [][]rotation.WeekPart) ([]rotation.Answer, error) {
		turn, _, err := rotation.InTurn(context.Background(), w, weeks)
		return turn.Answers, err
	}
	now, err := answers(c.barred(weeks, s.Going, c.Today))
	if _, faulty := fault.As(err); faulty {
		return false, nil // such as two runs at one time, which the board says
	}
	if err != nil {
		return false, err
	}
	model := func(id string) *shoe.Model { return &s.Pairs[byID[id]].Model }
	for n, parts := range weeks {
		for _, p := range parts {
			if id, ok := now[n].Assign[p.ID]; ok {
				at := slices.IndexFunc(s.Parts, func(o rotation.Served) bool { return o.Kind == p.Kind && o.Ground == p.Ground })
				s.Takes[at][byID[id]] += p.KM / float64(len(weeks))
			}
		}
	}
	for n, parts := range weeks {
		for id, km := range c.weekLoad(parts, now[n], model) {
			s.eff[byID[id]] += km / float64(len(weeks))
		}
	}
	last := now
	if len(s.Going) > 0 {
		if last, err = answers(weeks); err != nil {
			return false, err
		}
	}
	for id, km := range c.ahead(weeks, last, model) {
		s.Ahead[byID[id]] = km
	}
	return true, c.goingAhead(s, weeks, byID, answers)
}

// goingAhead puts the weeks in which plans of changing over go on before those after them.
func (c *Conclusions) goingAhead(s *Serving, weeks [][]rotation.WeekPart, byID map[string]int,
	answers func([][]rotation.WeekPart) ([]rotation.Answer, error)) error {
	n := 0
	for _, g := range s.Going {
		n = max(n, g.weeksLeft(c.Today))
	}
	if n == 0 {
		return nil
	}
	before := make([][]float64, len(s.Pairs))
	for w := range n {
		day := c.Today.AddDate(0, 0, 7*w)
		list, err := answers(c.barred(weeks, s.Going, day))
		if err != nil {
			return err
		}
		at := 0
		if len(weeks) > 1 {
			at = c.WeekOn(day)
		}
		load := c.weekLoad(weeks[at], list[at], func(id string) *shoe.Model { return &s.Pairs[byID[id]].Model })
		for i := range before {
			before[i] = append(before[i], load[PairID(s.Pairs[i].ID)])
		}
	}
	for i := range s.Ahead {
		if len(s.Ahead[i]) == 0 {
			s.Ahead[i] = []float64{0}
		}
		after := s.Ahead[i][min(n, len(s.Ahead[i])-1):]
		s.Ahead[i] = append(before[i], after...)
	}
	return nil
}

// wearInput is what the wear model is told of a pair, races aside. ahead is its wear-adjusted km by week
// from today, the last repeated.
func (c *Conclusions) wearInput(p *Pair, ahead []float64) wear.Pair {
	if len(ahead) == 0 {
		ahead = []float64{0}
	}
	usual := mean(ahead)
	price, stack, rest := float64(p.Price), p.Model.StackHeelMM, rotation.DefaultRest
	in := wear.Pair{Schema: wear.PairSchema, Class: p.Model.Class, MedianKM: p.Model.MedianLifeKM, Price: &price, HeelStackMM: &stack,
		Surface: p.Model.Surface,
		Today:   c.Today.Format(wear.DateLayout), Runs: p.wearRuns(), LiftingHours: p.Lifting, RestHours: &rest, PlanWeeklyKM: ahead,
		House: &c.Shop.Settings.House, KMBefore: p.Before, Learned: c.lifeLearned(&p.Model),
		Runner: wear.Runner{MassKg: MassKg.Ptr(c.Visit), Strike: c.Strike(), History: c.history()}}
	if !p.FirstWorn.IsZero() {
		in.FirstWorn = p.FirstWorn.Format(wear.DateLayout)
	}
	in.Inspections = p.inspections(in.FirstWorn, in.Today)
	switch week, share := c.WeeklyTold(), 1/float64(max(1, len(c.Runner.InUse()))); {
	case p.Before.Unknown && week > 0: // its share of what the runner runs, as even as the pairs in use
		in.Runner.UsualWeeklyKM, in.Share = &week, &share
	case !c.Runner.Logs() && len(p.Runs) == 0 && usual > 0:
		in.Runner.UsualWeeklyKM = &usual
	}
	return in
}

// Worn is a pair with what is left of it.
type Worn struct {
	Pair    Pair
	Weekly  float64 // wear-adjusted km a week, in the mean of what lies ahead
	Wear    wear.Answer
	Verdict Verdict
}

// OrderDue says whether the next pair is due to be ordered by a day, and until when this one lasts with a chance of LastsChance.
func (w *Worn) OrderDue(day time.Time) (until time.Time, due bool) {
	if w.Wear.OrderBy == nil || w.Wear.Dates.P20 == nil || *w.Wear.OrderBy > day.Format(wear.DateLayout) {
		return until, false
	}
	until, err := time.Parse(wear.DateLayout, *w.Wear.Dates.P20)
	return until, err == nil && until.After(day)
}

// Says is what to do with the pair, and why.
func (w Worn) Says() string { return Saying(w.Wear, w.Verdict) }

// State is what its state is called.
func (w Worn) State() string { return StateWords[w.Wear.State] }

// assess is what is left of a pair that has so much ahead of it; load is its wear-adjusted km a real one, 0
// where none is run.
func (c *Conclusions) assess(p *Pair, ahead []float64, load float64) (Worn, error) {
	in := c.wearInput(p, ahead)
	if load > 0 {
		in.PlanLoad = &load
	}
	var err error
	out := Worn{Pair: *p, Weekly: mean(ahead)}
	if in.Races, err = c.racesOf(p); err != nil {
		return out, err
	}
	if out.Verdict, err = c.Verdict(p); err != nil {
		return out, err
	}
	out.Wear, err = wear.Assess(in)
	return out, err
}

// load is the wear-adjusted km of a pair a real one, 0 where it takes none.
func (s *Serving) load(pair int) float64 {
	sum := 0.0
	for i := range s.Takes {
		sum += s.Takes[i][pair]
	}
	if sum == 0 {
		return 0
	}
	return s.eff[pair] / sum
}

// Worn assesses every pair in use.
func (c *Conclusions) Worn() ([]Worn, error) {
	return c.worn.get(func() ([]Worn, error) {
		s, err := c.Serving()
		if err != nil {
			return nil, err
		}
		out := make([]Worn, len(s.Pairs))
		for i := range s.Pairs {
			if out[i], err = c.assess(&s.Pairs[i], s.Ahead[i], s.load(i)); err != nil {
				return nil, err
			}
		}
		return out, nil
	})
}

// WhatIf is what a look at a pair would change.
type WhatIf struct {
	Seen string
	Left float64 // km, even chance
	By   *string // the day to order by
}

// WhatIfs are what a look today at a pair in use would change: a quarter of tread and bounce
// gone, half, three quarters.
func (c *Conclusions) WhatIfs(pair int) ([]WhatIf, error) {
	s, err := c.Serving()
	if err != nil {
		return nil, err
	}
	var out []WhatIf
	for _, look := range []struct {
		seen string
		gone float64
	}{{"a quarter gone", 0.25}, {"half gone", 0.5}, {"three quarters gone", 0.75}} {
		in := c.wearInput(&s.Pairs[pair], s.Ahead[pair])
		in.Inspections = append(in.Inspections, wear.Inspection{Date: in.Today, Tread: &look.gone, Bounce: &look.gone})
		a, err := wear.Assess(in)
		if err != nil {
			return nil, err
		}
		out = append(out, WhatIf{look.seen, a.RemainingKM.P50, a.OrderBy})
	}
	return out, nil
}

// Offer is what could be put into a pair in one go: the runs without a pair, on a ground that
// it is made for, since it was first worn.
type Offer struct {
	Pair   *Pair
	Ground term.Ground
	IDs    []uint64
	KM     float64
	From   time.Time
	To     time.Time
}

// Offers lists what each pair in use could take of the loose runs, by ground.
func (c *Conclusions) Offers() []Offer {
	var out []Offer
	for i := range c.Runner.Pairs {
		p := &c.Runner.Pairs[i]
		if !p.SetAsideOn.IsZero() {
			continue
		}
		for _, g := range term.Grounds {
			o := Offer{Pair: p, Ground: g}
			for _, r := range c.Runner.Loose {
				if r.Ground != g || r.On.Before(p.Since()) {
					continue
				}
				if v, _, _ := c.Suit(&p.Model, p.ModelRow, r.Kind, g); v < rotation.LeastSuit { // past runs: as it was
					continue
				}
				if o.From.IsZero() {
					o.From = r.On
				}
				o.IDs, o.KM, o.To = append(o.IDs, r.ID), o.KM+r.KM, r.On
			}
			if len(o.IDs) > 0 {
				out = append(out, o)
			}
		}
	}
	return out
}
