package record

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/match"
	"trevik/internal/core/rotation"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
)

// House values of a plan.
const (
	perSurface  = 10  // models of a surface that stand as candidates
	planDays    = 182 // that a plan looks ahead where no race lies beyond
	usualPairs  = 3   // at most, where the runner said nothing
	secondOfOne = 5   // models of a surface that stand twice where pairs are to be the same
)

// surfaceOf is what a model for a ground is made for.
var surfaceOf = map[term.Ground]term.Surface{
	term.GroundRoad: term.Road, term.GroundTreadmill: term.Road, term.GroundTrack: term.Track, term.GroundTrail: term.Trail,
	term.GroundMud: term.Trail, term.GroundSnow: term.Trail, term.GroundIce: term.Trail,
}

// Variety is whether this runner's pairs are to be the same or different: their choice, else
// the shop's; empty is either.
func (v *Visit) Variety() string {
	if w := cmp.Or(PlanVariety.Of(v), v.Settings.Variety); slices.Contains(Varieties, w) {
		return w
	}
	return ""
}

// CandidateInfo is a candidate of the plan with what a page says of it.
type CandidateInfo struct {
	rotation.Candidate
	Name     string
	Second   bool // a second one of a pair that they have
	Model    *shoe.Model
	Pair     *Pair // nil where it is to be bought
	LastRuns bool
	Slowed   bool
	PerKM    float64 // minor units a km over its life
	Stock    int     // on the shelf in the runner's size, of one to buy
}

// secondOne ends the id of a candidate that is the second of a model.
const secondOne = " (second)"

// PairID is an owned pair's id among the candidates.
func PairID(id uint64) string { return fmt.Sprintf("pair %d", id) }

// Candidates are what the week can be run in: the pairs in use, a second one of each, and the
// models that fit the runner best, by the surfaces that the week asks for. Where pairs are to
// be the same, each new model stands twice and none of the kind of a pair that they have
// stands beside its second; where they are to differ there are no seconds.
func (c *Conclusions) Candidates(parts []rotation.WeekPart) ([]CandidateInfo, error) {
	worn, err := c.Worn()
	if err != nil {
		return nil, err
	}
	sup, err := c.Support()
	if err != nil {
		return nil, err
	}
	var out []CandidateInfo
	have := map[string]bool{}
	type kind struct {
		class   term.Class
		surface term.Surface
	}
	favourites := map[kind]bool{}
	for i := range worn {
		w := &worn[i]
		life := w.Wear.RemainingKM.P50
		m := &w.Pair.Model
		have[m.ID] = true
		if !w.Verdict.Serves() {
			continue // to be retired: no candidate
		}
		x := CandidateInfo{Name: w.Pair.Name(), Model: m, Pair: &w.Pair, LastRuns: w.Verdict.LastRuns, Slowed: w.Verdict.Slowed}
		if x.Candidate, err = c.candidate(&w.Pair); err != nil {
			return nil, err
		}
		x.LifeKM = &life
		x.Suitability, err = c.suits(parts, func(kind term.Kind, ground term.Ground) (float64, error) {
			v, _, _, err := c.SuitOf(&w.Pair, kind, ground)
			return v, err
		})
		if err != nil {
			return nil, err
		}
		if w.Wear.CostPerKM != nil {
			x.PerKM = *w.Wear.CostPerKM
		}
		out = append(out, x)
		favourites[kind{m.Class, m.Surface}] = true
	}
	r, ready := c.Request(sup)
	if !ready || sup.Refer {
		return out, nil
	}
	var surfaces []term.Surface
	for _, p := range parts {
		if s := surfaceOf[p.Ground]; !slices.Contains(surfaces, s) {
			surfaces = append(surfaces, s)
		}
	}
	variety := c.Variety()
	listed := map[string]bool{} // a model of two surfaces stands once
	for _, s := range surfaces {
		answer, err := c.rankFor(r, s, parts)
		if err != nil {
			return nil, err
		}
		n := 0
		for _, x := range answer.Ranked {
			if listed[x.Model] {
				continue
			}
			m := c.Shop.Catalogue.ByCode(x.Model)
			buy := func(id string, second bool, stock int) {
				name := ModelName(m)
				if second {
					name = "a second " + name
				}
				b := c.toBuy(m, id, name, c.suitsOf(m, parts), stock)
				b.Second = second
				out = append(out, b)
			}
			if have[x.Model] {
				listed[x.Model] = true
				if variety != "different" {
					buy(x.Model, true, x.Size.Stock)
				}
				continue
			}
			if n++; n > perSurface || variety == "same" && favourites[kind{m.Class, m.Surface}] {
				continue
			}
			listed[x.Model] = true
			buy(x.Model, false, x.Size.Stock)
			if variety == "same" && n <= secondOfOne {
				buy(x.Model+secondOne, true, x.Size.Stock-1)
			}
		}
	}
	// A model of both charts is told apart by its chart.
	count := map[string]int{}
	for _, x := range out {
		count[x.Name]++
	}
	for i, x := range out {
		if count[x.Name] > 1 {
			out[i].Name += ", " + string(x.Model.Chart)
		}
	}
	return out, nil
}

// suitsOf is how well a model suits each kind of run of a week.
func (c *Conclusions) suitsOf(m *shoe.Model, parts []rotation.WeekPart) []rotation.Suit {
	list, _ := c.suits(parts, func(kind term.Kind, ground term.Ground) (float64, error) { // never fails
		v, _, _ := c.Suit(m, c.Shop.Catalogue.RowID(m.ID), kind, ground)
		return v, nil
	})
	return list
}

// suits is how well something suits each kind of run of a week.
func (c *Conclusions) suits(parts []rotation.WeekPart, of func(term.Kind, term.Ground) (float64, error)) ([]rotation.Suit, error) {
	var list []rotation.Suit
	for _, p := range parts {
		if !slices.ContainsFunc(list, func(s rotation.Suit) bool { return s.Kind == p.Kind && s.Ground == p.Ground }) {
			v, err := of(p.Kind, p.Ground)
			if err != nil {
				return nil, err
			}
			list = append(list, rotation.Suit{Kind: p.Kind, Ground: p.Ground, Value: v})
		}
	}
	return list, nil
}

// toBuy is a candidate that is on the shelf, or is to be ordered where stock is 0.
func (c *Conclusions) toBuy(m *shoe.Model, id, name string, suits []rotation.Suit, stock int) CandidateInfo {
	life := m.Life(c.House())
	if l := c.lifeThen(m); l != nil {
		life = l.MedianKM
	}
	return CandidateInfo{Candidate: rotation.Candidate{ID: id, Model: m.ID, Price: m.Price(), LifeKM: &life, Suitability: suits}, Name: name,
		Model: m,
		PerKM: float64(m.Price()) / life, Stock: max(0, stock)}
}

// rankFor ranks the catalogue for a surface of the week.
func (c *Conclusions) rankFor(r match.Request, s term.Surface, parts []rotation.WeekPart) (match.Answer, error) {
	r.Surface = s
	if s == term.Trail && c.Settings.TrailRule == term.PlatformOnly {
		neutral := term.Neutral
		r.Level, r.Spread = &neutral, []term.Level{neutral}
	}
	r.Kinds = nil
	for _, p := range parts {
		if surfaceOf[p.Ground] == s {
			r.Kinds = append(r.Kinds, match.KindShare{Kind: p.Kind, Ground: p.Ground, Share: p.KM})
		}
	}
	return match.Rank(r)
}

// Offered is a model as it is offered to the runner: as Shoes ranks it, else as the plan does for a
// ground of the week; ok is false where it is not.
func (c *Conclusions) Offered(model string) (x match.Ranked, ok bool, err error) {
	find := func(a match.Answer) bool {
		at := slices.IndexFunc(a.Ranked, func(r match.Ranked) bool { return r.Model == model })
		if at >= 0 {
			x = a.Ranked[at]
		}
		return at >= 0
	}
	answer, ready, err := c.Match()
	if err != nil || !ready || find(answer) {
		return x, err == nil && ready, err
	}
	sup, err := c.Support()
	if err != nil {
		return x, false, err
	}
	r, _ := c.Request(sup)
	parts := slices.Concat(c.Board()...)
	var seen []term.Surface
	for _, p := range parts {
		s := surfaceOf[p.Ground]
		if slices.Contains(seen, s) {
			continue
		}
		seen = append(seen, s)
		a, err := c.rankFor(r, s, parts)
		if err != nil {
			return x, false, err
		}
		if find(a) {
			return x, true, nil
		}
	}
	return x, false, nil
}

// What asks for another answer than the present one, to look at beside it.
type What struct {
	Without []string // candidates that are left out
	Double  []string // candidates that stand twice
	More    int64    // minor units more for new pairs
}

// Any says whether anything is asked for.
func (w What) Any() bool { return len(w.Without)+len(w.Double) > 0 || w.More > 0 }

// MostPairs is how many pairs the plan may hold, without a second one that is looked at.
func (v *Visit) MostPairs() int {
	switch n := PlanPairs.Ptr(v); {
	case n != nil:
		return int(*n)
	case PairsWanted.Of(v) == "one_for_all":
		return 1
	}
	return usualPairs
}

// problem is what the board's weeks are solved under. Money that was not told is no limit.
func (c *Conclusions) problem(candidates []CandidateInfo, what What) rotation.Week {
	pairs := c.MostPairs() + len(what.Double) // a second one comes beside the others
	w := rotation.Week{Schema: rotation.WeekSchema, Currency: c.Shop.Currency, MaxPairs: &pairs}
	if m := PlanMoney.Ptr(c.Visit); m != nil {
		budget := int64(*m) + what.More
		w.Budget = &budget
	}
	for _, x := range candidates {
		if !slices.Contains(what.Without, x.ID) {
			w.Pairs = append(w.Pairs, x.Candidate)
		}
	}
	return w
}

// doubled is the candidates with a second one of each that is to stand twice, beside it.
func (c *Conclusions) doubled(candidates []CandidateInfo, what What) []CandidateInfo {
	out := slices.Clone(candidates)
	for _, id := range what.Double {
		i := slices.IndexFunc(out, func(x CandidateInfo) bool { return x.ID == id })
		if i < 0 || slices.ContainsFunc(out, func(x CandidateInfo) bool { return x.ID == id+secondOne }) {
			continue
		}
		second := c.toBuy(out[i].Model, id+secondOne, "a second "+strings.TrimPrefix(out[i].Name, "a second "), out[i].Suitability,
			max(0, out[i].Stock-1))
		second.Second = true
		out = slices.Insert(out, i+1, second)
	}
	return out
}

// Plan is the best set of pairs for the weeks in the weekly plan.
type Plan struct {
	Weeks     [][]rotation.WeekPart
	Turn      rotation.Turn
	Pairs     []CandidateInfo
	Lines     []PlanLine
	Purchases []Purchase
	Races     []RacePlan  // the next first
	Going     []GoingOver // plans of changing over that the answer obeys
	OnlyOwn   bool        // no model stands as a candidate
	Fault     string      // why the board has no answer; then there is none
}

// PlanLine is one pair that the plan uses.
type PlanLine struct {
	CandidateInfo
	Buy          bool
	KM           float64 // a week, in the mean
	Weeks        *float64
	Rest         *float64
	OrderBy, Out *string
	Reasons      []string
}

// Sums are what a plan comes to, of all weeks of the board.
type Sums struct {
	CoveredKM, SuitKM, AllKM float64 // a week, in the mean
	Spent                    int64
	Names                    []string
	Buy                      int
	PerKM                    float64 // minor units
	Proven                   bool
}

// Plan finds the best set of pairs for the board, as it is or as what asks. Where the board
// holds a fault, such as two runs at one time, the plan says so.
func (c *Conclusions) Plan(ctx context.Context, what What) (*Plan, error) {
	if what.Any() {
		return c.solve(ctx, what)
	}
	return c.plan.get(func() (*Plan, error) { return c.solve(ctx, what) })
}

func (c *Conclusions) solve(ctx context.Context, what What) (*Plan, error) {
	weeks := c.Board()
	candidates, err := c.Candidates(slices.Concat(weeks...))
	if err != nil {
		return nil, err
	}
	p := &Plan{Weeks: weeks, OnlyOwn: !slices.ContainsFunc(candidates, func(x CandidateInfo) bool { return !x.Owned }),
		Pairs: c.doubled(candidates, what)}
	if len(weeks) == 0 {
		p.Fault = "the board is empty"
		return p, nil
	}
	var at int
	if p.Going, err = c.GoingOver(); err != nil {
		return nil, err
	}
	p.Turn, at, err = rotation.InTurn(ctx, c.problem(p.Pairs, what), c.barred(weeks, p.Going, c.Today))
	if faults, ok := fault.As(err); ok {
		p.Fault = boardFault(faults[0], weeks[at])
		return p, nil
	}
	if err != nil {
		return nil, err
	}
	return p, c.forecast(p)
}

// boardFault says a fault of the week by its row in the weekly plan.
func boardFault(f fault.Fault, parts []rotation.WeekPart) string {
	at, i := "the board", 0
	if n, _ := fmt.Sscanf(f.Field, "parts[%d]", &i); n == 1 && i < len(parts) {
		at = parts[i].ID
	}
	return at + " " + strings.ReplaceAll(f.Text, `"`, "")
}

// Sums adds up what the plan comes to.
func (p *Plan) Sums() Sums {
	out := Sums{Proven: true, Buy: len(p.Turn.Buy), Spent: p.Turn.Spent}
	n := float64(len(p.Weeks))
	km := map[string]float64{}
	for i, a := range p.Turn.Answers {
		out.CoveredKM += a.CoveredKM / n
		out.SuitKM += a.SuitKM / n
		out.Proven = out.Proven && a.Status == rotation.Optimal
		for _, part := range p.Weeks[i] {
			out.AllKM += part.KM / n
		}
		for _, u := range a.Pairs {
			km[u.ID] += u.WeeklyKM / n
		}
	}
	cost, all := 0.0, 0.0
	for _, x := range p.Pairs {
		if d, used := km[x.ID]; used {
			out.Names = append(out.Names, x.Name)
			cost += d * x.PerKM
			all += d
		}
	}
	if all > 0 {
		out.PerKM = cost / all
	}
	return out
}

// PerKM is what a km costs in a point of the curve, minor units.
func (p *Plan) PerKM(x rotation.Point) float64 {
	cost, km := 0.0, 0.0
	for _, u := range x.Takes {
		cost += u.WeeklyKM * p.pair(u.ID).PerKM
		km += u.WeeklyKM
	}
	return cost / math.Max(km, 0.001)
}

// pair is a candidate by its id, nil where there is none.
func (p *Plan) pair(id string) *CandidateInfo {
	at := slices.IndexFunc(p.Pairs, func(x CandidateInfo) bool { return x.ID == id })
	if at < 0 {
		return nil
	}
	return &p.Pairs[at]
}

// Names are the candidates' names by id.
func (p *Plan) Names() map[string]string {
	out := map[string]string{}
	for _, x := range p.Pairs {
		out[x.ID] = x.Name
	}
	return out
}

// forecast moves the pairs' forecasts by the plan, and lists what it uses and what is to be
// ordered.
func (c *Conclusions) forecast(p *Plan) error {
	ahead := c.ahead(p.Weeks, p.Turn.Answers, func(id string) *shoe.Model { return p.pair(id).Model })
	s, err := c.Serving()
	if err != nil {
		return err
	}
	moved := make([]Worn, len(s.Pairs))
	for i := range s.Pairs {
		id := PairID(s.Pairs[i].ID)
		if len(p.Going) > 0 { // by the weeks of changing over, not by this one alone
			ahead[id] = s.Ahead[i]
		}
		if moved[i], err = c.assess(&s.Pairs[i], ahead[id], p.load(c, id)); err != nil {
			return err
		}
	}
	if p.Purchases, err = c.purchases(p, ahead, moved); err != nil {
		return err
	}
	for _, x := range p.Pairs {
		if l, used := c.line(p, x); used {
			for i := range moved {
				if PairID(moved[i].Pair.ID) == x.ID {
					l.OrderBy, l.Out = moved[i].Wear.OrderBy, moved[i].Wear.Dates.P50
				}
			}
			p.Lines = append(p.Lines, l)
		}
	}
	return nil
}

// load is the wear-adjusted km of a candidate a real one, 0 where it takes none.
func (p *Plan) load(c *Conclusions, id string) float64 {
	real, eff := 0.0, 0.0
	for n, a := range p.Turn.Answers {
		for _, u := range a.Pairs {
			if u.ID == id {
				real += u.WeeklyKM
			}
		}
		eff += c.weekLoad(p.Weeks[n], a, func(id string) *shoe.Model { return p.pair(id).Model })[id]
	}
	if real == 0 {
		return 0
	}
	return eff / real
}

// line is what the plan makes of a candidate; used is false where it is left out.
func (c *Conclusions) line(p *Plan, x CandidateInfo) (l PlanLine, used bool) {
	l = PlanLine{CandidateInfo: x, Buy: slices.Contains(p.Turn.Buy, x.ID)}
	seen := map[rotation.Part]bool{}
	for n, a := range p.Turn.Answers {
		for _, u := range a.Pairs {
			if u.ID == x.ID {
				used = true
				l.KM += u.WeeklyKM / float64(len(p.Weeks))
				if l.Rest == nil || u.MinRestHours != nil && *u.MinRestHours < *l.Rest {
					l.Rest = u.MinRestHours
				}
			}
		}
		for _, part := range p.Weeks[n] {
			if k := (rotation.Part{Kind: part.Kind, Ground: part.Ground}); a.Assign[part.ID] == x.ID && !seen[k] {
				seen[k] = true
				v, why, _ := c.Suit(x.Model, c.Shop.Catalogue.RowID(x.Model.ID), part.Kind, part.Ground) // as its verdict lets it
				l.Reasons = append(l.Reasons, fmt.Sprintf("%s on %s %.2f: %s.", support.Words(string(part.Kind)), part.Ground, v, why))
			}
		}
	}
	if x.LifeKM != nil && l.KM > 0 {
		left := *x.LifeKM / l.KM
		l.Weeks = &left
	}
	return l, used
}

// weekLoad is the wear-adjusted km that an answer gives to each candidate in a week.
func (c *Conclusions) weekLoad(parts []rotation.WeekPart, a rotation.Answer, model func(id string) *shoe.Model) map[string]float64 {
	out := map[string]float64{}
	for _, p := range parts {
		if id, ok := a.Assign[p.ID]; ok {
			out[id] += wear.Load(wear.Run{KM: p.KM, Ground: p.Ground, Kind: p.Kind}, model(id).Surface, nil, &c.Shop.Settings.House)
		}
	}
	return out
}

// ahead are the pairs' wear-adjusted km by week from today, by candidate: what the answers give
// to each. They are by week of the board.
func (c *Conclusions) ahead(weeks [][]rotation.WeekPart, answers []rotation.Answer,
	model func(id string) *shoe.Model) map[string][]float64 {
	km := make([]map[string]float64, len(weeks))
	ids := map[string]bool{}
	for n, parts := range weeks {
		km[n] = c.weekLoad(parts, answers[n], model)
		for id := range km[n] {
			ids[id] = true
		}
	}
	length := 1
	if len(weeks) > 1 {
		length = wear.HorizonWeeks
	}
	out := map[string][]float64{}
	for id := range ids {
		for w := range length {
			n := 0
			if len(weeks) > 1 {
				n = c.WeekOn(c.Today.AddDate(0, 0, 7*w))
			}
			out[id] = append(out[id], km[n][id])
		}
	}
	return out
}

// Purchase is a pair that the plan asks to order, and by when.
type Purchase struct {
	Name  string
	Model *shoe.Model
	Price int64
	By    string // the day to order by; empty is now
	Late  bool   // that day is past
	Out   string // the day at which the pair that it follows is worn out, even chance
	Why   string
}

// Until is the last day that the plan looks at: half a year, or the race if that is later.
func (c *Conclusions) Until() time.Time {
	until := c.Today.AddDate(0, 0, planDays)
	if d := RaceOn.Ptr(c.Visit); d != nil && d.After(until) && d.Before(c.Today.AddDate(2, 0, 0)) {
		return *d
	}
	return until
}

// purchases are what the plan asks to order, the first day first: the pairs that it buys, and
// the next of every pair that runs out before the plan ends.
func (c *Conclusions) purchases(p *Plan, ahead map[string][]float64, worn []Worn) ([]Purchase, error) {
	var out []Purchase
	until := c.Until().Format(time.DateOnly)
	next := func(w Worn, name string) {
		by := w.Wear.OrderBy
		if by == nil || *by > until {
			return
		}
		to := c.Shop.Catalogue.Latest(&w.Pair.Model) // a favourite is bought again before its version goes
		x := Purchase{Name: ModelName(to), Model: to, Price: to.Price(), By: *by, Late: *by < c.Today.Format(time.DateOnly), Why: "after " + name}
		if to.Elsewhere() {
			x.Name = "a pair in its place"
		}
		if w.Wear.Dates.P50 != nil {
			x.Out = *w.Wear.Dates.P50
		}
		out = append(out, x)
	}
	for _, x := range p.Pairs {
		if slices.Contains(p.Turn.Buy, x.ID) {
			out = append(out, Purchase{Name: x.Name, Model: x.Model, Price: x.Price, Why: "for the weekly plan"})
			w, err := c.assess(&Pair{Model: *x.Model, Price: x.Price}, ahead[x.ID], p.load(c, x.ID))
			if err != nil {
				return nil, err
			}
			next(w, "the new "+x.Name)
		}
	}
	for _, w := range worn {
		next(w, w.Pair.Name())
	}
	var err error
	if p.Races, err = c.planRaces(p); err != nil {
		return nil, err
	}
	for _, r := range p.Races {
		if r.Buy != nil && r.OrderBy <= until {
			out = append(out, Purchase{Name: r.In, Model: r.Buy, Price: r.Buy.Price(), By: r.OrderBy, Late: r.Late,
				Why: fmt.Sprintf("for %s on %s, broken in by %s", r.Name, r.On.Format("2 January 2006"), r.BrokenInBy.Format("2 January"))})
		}
	}
	slices.SortStableFunc(out, func(x, y Purchase) int { return cmp.Compare(x.By, y.By) })
	return out, nil
}
