package season

import (
	"context"
	"fmt"
	"hash/fnv"
	"math"
	"slices"
	"strconv"

	"trevik/internal/core/rotation"
	"trevik/internal/core/seeded"
	"trevik/internal/core/term"
)

// never is a week or day that does not come.
const never = math.MaxInt32

// copyOf is one copy of a pair: what does not change from future to future.
type copyOf struct {
	pair, number int // number from 1
	lives        []float64
}

// set is which copies.
type set [mostThings / 64]uint64

func (s set) has(i int) bool { return s[i/64]>>(i%64)&1 != 0 }
func (s *set) add(i int)     { s[i/64] |= 1 << (i % 64) }

// within says whether all of s is in o.
func (s set) within(o set) bool {
	for k := range s {
		if s[k]&^o[k] != 0 {
			return false
		}
	}
	return true
}

// solved is what a week comes to with some copies there, its races in some of them. It is the same for every set of copies
// between those that are used and those that it was solved with: whoever is left out was not wanted.
type solved struct {
	there, used set
	racers      []int // the copy of each race, -1 for none
	shares      []share
	before      []share // what each race's copy runs in the week before it
	covered     float64 // km
}

// share is what one copy runs in a week.
type share struct {
	copy int
	km   float64
	load float64 // wear-adjusted km
}

// race is one in the plan.
type race struct {
	week, part int
	begin      float64 // minutes of the week
	run        string
	km         float64
	ground     term.Ground
	suit       []int64 // of each pair in thousandths, -1 where it may not run it
	day        int     // from the plan's start
	ready      int     // futures
	none       int     // in which no pair might run it
	raw, worn  int     // in which it was not broken in; was over its life
	byPair     []int
}

// simulation is a plan made ready to be run.
type simulation struct {
	ctx     context.Context
	plan    *Plan
	weeks   [][]rotation.WeekPart
	km      []float64 // of each week
	races   []race
	ofWeek  [][]int // races of each week
	copies  []copyOf
	first   []int // of each pair its first copy among copies
	known   [][]solved
	draws   int
	orderAt float64
	reach   []int // weeks that an order looks ahead, by pair
	unsure  bool  // a week was not solved to the end
}

func (s *simulation) pair(c int) *Pair { return &s.plan.Pairs[s.copies[c].pair] }

// loadOf is wear-adjusted km of a real one on a ground.
func (p *Pair) loadOf(g term.Ground) float64 {
	if v, told := p.Load[g]; told {
		return v
	}
	return 1
}

func newSimulation(ctx context.Context, p *Plan, weeks [][]rotation.WeekPart) *simulation {
	s := &simulation{ctx: ctx, plan: p, weeks: weeks, draws: or(p.Draws, DefaultDraws), orderAt: or(p.OrderAt, DefaultOrderAt),
		ofWeek: make([][]int, len(weeks)), known: make([][]solved, len(weeks))}
	for i, parts := range weeks {
		sum := 0.0
		for k, part := range parts {
			sum += part.KM
			if part.Kind == term.Race {
				s.ofWeek[i] = append(s.ofWeek[i], len(s.races))
				s.races = append(s.races, s.raceOf(i, k))
			}
		}
		slices.SortStableFunc(s.ofWeek[i], func(a, b int) int {
			if s.races[a].begin < s.races[b].begin {
				return -1
			}
			return 1
		})
		s.km = append(s.km, sum)
	}
	for i := range p.Pairs {
		x := &p.Pairs[i]
		s.first = append(s.first, len(s.copies))
		for n := 1; n <= or(x.Copies, 1); n++ {
			s.copies = append(s.copies, copyOf{i, n, s.livesOf(x, n)})
		}
		days := 0.0
		if s.km[0] > 0 {
			days = or(x.BreakInKM, DefaultBreakIn) / (0.5 * s.km[0] / 7)
		}
		s.reach = append(s.reach, int(math.Ceil((float64(or(x.Delivery, DefaultDelivery))+days)/7-1e-9)))
	}
	return s
}

// livesOf draws the lives of one copy in all futures. They hang on the seed, the pair's id and the copy alone, not on where
// in the list the pair stands.
func (s *simulation) livesOf(x *Pair, number int) []float64 {
	h := fnv.New64a()
	fmt.Fprintf(h, "%d %s", number, x.ID)
	mix := seeded.Stream(s.plan.Seed)
	r := seeded.Stream(mix.Next() ^ h.Sum64())
	e := 0.0
	if x.Owned && number == 1 {
		e = or(x.EffectiveKM, 0)
	}
	out := make([]float64, s.draws)
	life := x.lifeOf(number)
	lasts := beyond(life, e) // given that it lives
	for i := range out {
		z := math.Sqrt2 * math.Erfcinv(2*r.Unit()*lasts)
		if life.SD == 0 || lasts == 0 {
			z = 0
		}
		out[i] = math.Max(e, math.Exp(life.Mean+life.SD*z))
	}
	return out
}

// beyond is the chance that a life is over e wear-adjusted km.
func beyond(l *Life, e float64) float64 {
	if e <= 0 {
		return 1
	}
	if l.SD == 0 {
		if math.Exp(l.Mean) > e {
			return 1
		}
		return 0
	}
	return 0.5 * math.Erfc((math.Log(e)-l.Mean)/l.SD/math.Sqrt2)
}

// raceOf is a race with who may run it.
func (s *simulation) raceOf(week, k int) race {
	part := s.weeks[week][k]
	begin, _ := part.Times()
	r := race{week: week, part: k, begin: begin, run: runOf(part), km: part.KM, ground: part.Ground,
		day: 7*week + slices.Index(rotation.Days, part.Day), byPair: make([]int, len(s.plan.Pairs))}
	long := 0.0
	for _, other := range s.weeks[week] {
		if runOf(other) == r.run {
			long += other.KM
		}
	}
	least := or(s.plan.MinSuit, rotation.LeastSuit)
	for i := range s.plan.Pairs {
		x := &s.plan.Pairs[i]
		suit := int64(-1)
		for _, v := range x.Suitability {
			if v.Kind == part.Kind && v.Ground == part.Ground && v.Value >= least-1e-9 {
				suit = int64(math.Round(1000 * v.Value))
			}
		}
		if x.MaxRunKM != nil && long > *x.MaxRunKM+0.0005 {
			suit = -1
		}
		r.suit = append(r.suit, suit)
	}
	return r
}

func runOf(p rotation.WeekPart) string {
	if p.Run == "" {
		return "part " + p.ID
	}
	return "run " + p.Run
}

// state is one future as it goes.
type state struct {
	arrives []int // day, never where it was not ordered
	ended   []int // the week at whose end it was set aside, from 0; never
	e, km   []float64
	owed    []int // the week in which it was ordered; never
	denied  []bool
	spent   int64
	short   int
}

func (s *simulation) begin() *state {
	n := len(s.copies)
	st := &state{arrives: make([]int, n), ended: make([]int, n), owed: make([]int, n), e: make([]float64, n), km: make([]float64, n),
		denied: make([]bool, n)}
	for c := range s.copies {
		st.arrives[c], st.ended[c], st.owed[c] = never, never, never
		if x := s.pair(c); x.Owned && s.copies[c].number == 1 {
			st.arrives[c] = 0
			st.e[c] = or(x.EffectiveKM, 0)
			st.km[c] = or(x.KM, st.e[c])
		}
	}
	return st
}

// there are the copies that have arrived by a week's Monday and are not worn out.
func (s *simulation) there(st *state, week int) (out set) {
	for c := range s.copies {
		if st.arrives[c] <= 7*week && st.ended[c] == never {
			out.add(c)
		}
	}
	return out
}

// order orders a copy in a week, where the money is there.
func (s *simulation) order(st *state, c, week int) {
	x := s.pair(c)
	if s.plan.Budget != nil && st.spent+x.Price > *s.plan.Budget {
		if !st.denied[c] {
			st.denied[c], st.short = true, st.short+1
		}
		return
	}
	st.spent += x.Price
	st.owed[c], st.arrives[c] = week, 7*week+or(x.Delivery, DefaultDelivery)
}

// orders are made at the start of a week, by what is known then.
func (s *simulation) orders(st *state, week int) error {
	var ahead [][]float64 // wear-adjusted km of each copy after each week that is looked ahead
	for i := range s.plan.Pairs {
		last := -1 // the newest copy
		from, to := s.first[i], s.first[i]+or(s.plan.Pairs[i].Copies, 1)
		for c := from; c < to; c++ {
			if st.arrives[c] != never {
				last = c
			}
		}
		if last < 0 || last+1 >= to || st.arrives[last] > 7*week {
			continue // never had, no copy left, or one on its way
		}
		if st.ended[last] != never {
			if st.ended[last] == week-1 {
				s.order(st, last+1, week)
			}
			continue
		}
		if s.orderAt >= 1 {
			continue
		}
		if ahead == nil {
			var err error
			if ahead, err = s.ahead(st, week); err != nil {
				return err
			}
		}
		e := st.e[last]
		if n := min(s.reach[i], len(ahead)); n > 0 {
			e = ahead[n-1][last]
		}
		l := s.plan.Pairs[i].lifeOf(s.copies[last].number)
		chance := 1.0
		if now := beyond(l, st.e[last]); now > 0 {
			chance = 1 - beyond(l, e)/now
		}
		if chance >= s.orderAt {
			s.order(st, last+1, week)
		}
	}
	return nil
}

// ahead is the wear-adjusted km of every copy after each of the weeks that an order looks ahead, run with the copies that are
// there now, none of them wearing out.
func (s *simulation) ahead(st *state, week int) ([][]float64, error) {
	there := s.there(st, week)
	e, km := slices.Clone(st.e), slices.Clone(st.km)
	var out [][]float64
	for w := week; w < min(len(s.weeks), week+slices.Max(s.reach)); w++ {
		if _, err := s.run(w, there, e, km, nil); err != nil {
			return nil, err
		}
		out = append(out, slices.Clone(e))
	}
	return out, nil
}

// pick is the copy that a race is run in, -1 for none.
func (s *simulation) pick(r *race, there set, km []float64) int {
	best := -1
	better := func(a, b int) bool {
		x, y := s.pair(a), s.pair(b)
		if p, q := km[a] >= or(x.BreakInKM, DefaultBreakIn)-1e-9, km[b] >= or(y.BreakInKM, DefaultBreakIn)-1e-9; p != q {
			return p
		}
		if p, q := off(x.RaceKM, km[a]), off(y.RaceKM, km[b]); math.Abs(p-q) > 1e-9 {
			return p < q
		}
		if p, q := r.suit[s.copies[a].pair], r.suit[s.copies[b].pair]; p != q {
			return p > q
		}
		return km[a] < km[b]-1e-9
	}
	for c := range s.copies {
		if there.has(c) && r.suit[s.copies[c].pair] >= 0 && (best < 0 || better(c, best)) {
			best = c
		}
	}
	return best
}

// off is how far km lie outside of a span.
func off(span []float64, km float64) float64 {
	if span == nil {
		return 0
	}
	return math.Max(0, math.Max(span[0]-km, km-span[1]))
}

// run adds a week's km to the copies that are there, and gives the km that are covered. ran, where it is not nil, is told
// of each race its copy, that copy's km before the race and its wear-adjusted km after it.
func (s *simulation) run(week int, there set, e, km []float64, ran func(r *race, c int, before, after float64)) (float64, error) {
	var in [2]int
	with := in[:0]
	for _, k := range s.ofWeek[week] {
		with = append(with, s.pick(&s.races[k], there, km))
	}
	x, err := s.solve(week, there, with)
	if err != nil {
		return 0, err
	}
	for n, k := range s.ofWeek[week] {
		r, c := &s.races[k], with[n]
		if c < 0 {
			if ran != nil {
				ran(r, -1, 0, 0)
			}
			continue
		}
		b := x.before[n]
		after := e[c] + b.load + r.km*s.pair(c).loadOf(r.ground)
		if ran != nil {
			ran(r, c, km[c]+b.km, after)
		}
	}
	for _, m := range x.shares {
		e[m.copy] += m.load
		km[m.copy] += m.km
	}
	return x.covered, nil
}

// solve is a week with the copies that are there. Its races are in racers; the rest is solved exactly, by those copies alone.
func (s *simulation) solve(week int, there set, racers []int) (*solved, error) {
	for i := range s.known[week] {
		if x := &s.known[week][i]; x.used.within(there) && there.within(x.there) && slices.Equal(x.racers, racers) {
			return x, nil
		}
	}
	if err := s.ctx.Err(); err != nil {
		return nil, err
	}
	x := solved{there: there, racers: slices.Clone(racers), before: make([]share, len(racers))}
	parts := s.weeks[week]
	to, err := s.rest(week, there, racers, or(s.plan.MaxPairs, mostThings))
	if err != nil {
		return nil, err
	}
	for n, k := range s.ofWeek[week] {
		to[s.races[k].part] = racers[n]
	}
	sums := map[int]*share{}
	for i, c := range to {
		if c < 0 {
			continue
		}
		part := &parts[i]
		load := part.KM * s.pair(c).loadOf(part.Ground)
		if sums[c] == nil {
			sums[c] = &share{copy: c}
		}
		sums[c].km, sums[c].load, x.covered = sums[c].km+part.KM, sums[c].load+load, x.covered+part.KM
		if part.Kind != term.Race {
			x.used.add(c)
		}
		begin, _ := part.Times()
		for n, k := range s.ofWeek[week] {
			if c == racers[n] && i != s.races[k].part && begin < s.races[k].begin {
				x.before[n].km, x.before[n].load = x.before[n].km+part.KM, x.before[n].load+load
			}
		}
	}
	for c := range s.copies {
		if sums[c] != nil {
			x.shares = append(x.shares, *sums[c])
		}
	}
	for _, c := range racers {
		if c >= 0 {
			x.used.add(c)
		}
	}
	s.known[week] = append(s.known[week], x)
	return &s.known[week][len(s.known[week])-1], nil
}

// rest is the copy of each part of a week but its races, -1 for none: the best that at most so many copies do, those of the
// races among them, with each race's copy resting before it and after.
func (s *simulation) rest(week int, there set, racers []int, most int) ([]int, error) {
	to := slices.Repeat([]int{-1}, len(s.weeks[week]))
	var who []int
	pairs := s.plan.candidates()
	w := rotation.Week{MinSuit: s.plan.MinSuit, GoodSuit: s.plan.GoodSuit, RestHours: s.plan.RestHours, Parts: slices.Clone(s.weeks[week])}
	ids := make([]string, len(s.copies))
	for c, x := range s.copies {
		ids[c] = strconv.Itoa(c)
		if !there.has(c) {
			continue
		}
		k := pairs[x.pair]
		k.ID = ids[c]
		k.Model = "of its own " + strconv.Itoa(x.pair) // copies of a pair are of one model, named or not
		if m := s.plan.Pairs[x.pair].Model; m != "" {
			k.Model = m
		}
		w.Pairs, who = append(w.Pairs, k), append(who, c)
	}
	if len(w.Pairs) == 0 || len(w.Parts) == 0 {
		return to, nil
	}
	for i := range w.Parts {
		part := &w.Parts[i]
		if part.Kind == term.Race {
			part.Barred = ids // it has its pair
			continue
		}
		part.Barred = s.copiesOf(part.Barred, ids)
		for n, k := range s.ofWeek[week] {
			if c := racers[n]; c >= 0 && s.tooNear(week, &s.races[k], *part, s.pair(c)) {
				part.Barred = append(slices.Clone(part.Barred), ids[c])
			}
		}
	}
	limit := most
	for {
		if limit <= 0 {
			return slices.Repeat([]int{-1}, len(to)), nil
		}
		n := min(limit, len(w.Pairs))
		w.MaxPairs = &n
		at, proven, err := rotation.Assign(s.ctx, w)
		if err != nil {
			return nil, err
		}
		s.unsure = s.unsure || !proven
		var all set
		count := 0
		take := func(c int) {
			if c >= 0 && !all.has(c) {
				all.add(c)
				count++
			}
		}
		for i, k := range at {
			if to[i] = -1; k >= 0 {
				to[i] = who[k]
			}
			take(to[i])
		}
		for _, c := range racers {
			take(c)
		}
		if count <= most {
			return to, nil
		}
		limit--
	}
}

// copiesOf are the copies of pairs by their ids as a week's candidates.
func (s *simulation) copiesOf(pairs, ids []string) []string {
	var out []string
	for c, x := range s.copies {
		if slices.Contains(pairs, s.plan.Pairs[x.pair].ID) {
			out = append(out, ids[c])
		}
	}
	return out
}

// tooNear says whether a part's run begins too near a race for the rest of the pair that runs it; parts of the race's own
// run do not.
func (s *simulation) tooNear(week int, r *race, part rotation.WeekPart, x *Pair) bool {
	if runOf(part) == r.run {
		return false
	}
	first := func(run string) float64 {
		begin := math.Inf(1)
		for _, p := range s.weeks[week] {
			if runOf(p) == run {
				b, _ := p.Times()
				begin = math.Min(begin, b)
			}
		}
		return begin
	}
	apart := math.Abs(first(runOf(part)) - first(r.run))
	rest := 60 * or(x.RestHours, or(s.plan.RestHours, rotation.DefaultRest))
	return math.Min(apart, 7*24*60-apart) < rest-1e-9
}
