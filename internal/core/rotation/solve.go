package rotation

import (
	"cmp"
	"context"
	"math"
	"slices"
)

// piece is a part in minutes of the period and metres, in the order of time.
type piece struct {
	week, index int // where it was told
	run         int
	begin, end  float64
	metres      int64
}

// runs are a set of runs, by number.
type runs [2]uint64

func (r runs) with(n int) runs   { r[n>>6] |= 1 << (n & 63); return r }
func (r runs) meets(o runs) bool { return r[0]&o[0] != 0 || r[1]&o[1] != 0 }
func (r runs) empty() bool       { return r[0] == 0 && r[1] == 0 }

// machine is a pair: its price when it is bought, its rest in minutes, its suitability for each
// piece in thousandths, -1 where it may not serve it, the group of those of its model (-1: none
// other is), and for each run those that begin too near it for the pair's rest.
type machine struct {
	price   int64
	owned   bool
	rest    float64
	suit    []int64
	values  []score // of each piece
	model   int
	clashes []runs
	alike   int // the first pair that serves and rests exactly as this one
}

// problem is a week in integers, or several that come in turn.
type problem struct {
	parts     []piece
	pairs     []machine
	runMetres []int64
	runBegin  []float64 // of its first part
	period    float64   // minutes until everything begins again
	maxPairs  int
	budget    int64
	good      int64   // thousandths past which more suitability is worth no money
	models    [][]int // the pairs of each model that more than one is of
}

// score is what an assignment comes to: main holds metres covered first and metres × min(suit,
// good) second, fine metres × suitability. Scores add, and are compared by main first, so that
// what bounds a sum of numbers bounds a sum of scores.
type score struct{ main, fine int64 }

func (a score) plus(b score) score  { return score{a.main + b.main, a.fine + b.fine} }
func (a score) minus(b score) score { return score{a.main - b.main, a.fine - b.fine} }
func (a score) less(b score) bool   { return a.main < b.main || a.main == b.main && a.fine < b.fine }

func (a score) compare(b score) int {
	return cmp.Or(cmp.Compare(a.main, b.main), cmp.Compare(a.fine, b.fine))
}

func lesser(a, b score) score {
	if a.less(b) {
		return a
	}
	return b
}

func greater(a, b score) score {
	if a.less(b) {
		return b
	}
	return a
}

// metre is what a metre covered weighs in a score's main against suitability: more than all
// suitability together (mostMetres at 1,000 thousandths are 6e10).
const metre = int64(1) << 37

// mostMetres of all parts together, so that a score's sums fit 63 bits.
const mostMetres = 60_000_000

// value of a piece in a pair.
func (p *problem) value(part, pair int) score { return p.pairs[pair].values[part] }

// weigh sets the values of all pieces in all pairs.
func (p *problem) weigh() {
	for k := range p.pairs {
		m := &p.pairs[k]
		m.values = make([]score, len(p.parts))
		for i, s := range m.suit {
			if s >= 0 {
				d := p.parts[i].metres
				m.values[i] = score{d * (metre + min(s, p.good)), d * s}
			}
		}
	}
}

// plan is a set of pairs with the best that it serves.
type plan struct {
	set   []int // positions, rising
	value score
	spent int64
	count int // of pairs, owned ones of a model counted once
}

// count is how many pairs a set is, owned ones of one model counted once.
func (p *problem) count(set []int) int {
	n := 0
	for i, k := range set {
		n += p.more(set[:i], k)
	}
	return n
}

// more is by how many a pair more makes a set larger.
func (p *problem) more(set []int, k int) int {
	m := &p.pairs[k]
	if m.owned && m.model >= 0 {
		for _, o := range set {
			if x := &p.pairs[o]; x.owned && x.model == m.model {
				return 0
			}
		}
	}
	return 1
}

// solver looks through sets of pairs.
type solver struct {
	*problem
	ctx     context.Context
	steps   int // left
	stopped bool
	full    score   // what the pieces can have at best
	alone   []score // what each pair can serve by itself, with its rest kept
	above   []int   // how many pairs must be used before each
	best    plan
	goal    *plan // a decision: a set that is as good, and uses all of its pairs, ends the search
	work    assigner
	levels  []*level
}

// level is what the search keeps of one size of set, so that it need not be made anew.
type level struct {
	set     []int
	gains   []score
	uppers  []score
	rest    []score
	relaxed []score
}

// mostSteps bounds the work of one search; it takes some seconds on one core.
const mostSteps = 40_000_000

func (p *problem) solver(ctx context.Context, steps int) *solver {
	s := &solver{problem: p, ctx: ctx, steps: steps, alone: make([]score, len(p.pairs))}
	s.full = s.ceiling()
	for k := range p.pairs {
		s.alone[k] = s.exact([]int{k}, score{})
	}
	s.dominance()
	return s
}

// solve finds the best set of at most limit pairs. least is a value that some allowed set
// is known to reach. proven is false where the search was stopped before it had seen all;
// upper is then what no set can beat.
func (p *problem) solve(ctx context.Context, limit int, least score, steps int) (best plan, proven bool, upper score) {
	s := p.solver(ctx, steps)
	// First the best value, cost and number of pairs, in the order that bounds best: those
	// that serve most by themselves first, so that what is left serves ever less.
	floor := plan{value: score{least.main, -1}, spent: math.MaxInt64, count: math.MaxInt}
	s.best = floor
	s.search(nil, s.byAlone(0), limit)
	if s.best.set == nil || s.best.value.main <= 0 {
		s.best = plan{} // nothing is covered
	}
	slices.Sort(s.best.set)
	if s.stopped {
		return s.best, false, s.full
	}
	// Then, of all sets that are as good, the one with the smallest positions, the longer of
	// two of which one begins the other: each place is the first pair with which the rest can
	// still be reached, until none can.
	goal := s.best
	set := []int{}
	for len(goal.set) > 0 {
		next := -1
		for k := nextAfter(set); k < len(p.pairs) && next < 0 && !s.stopped; k++ {
			if s.reaches(append(slices.Clone(set), k), goal, limit) {
				next = k
			}
		}
		if s.stopped {
			return goal, false, goal.value
		}
		if next < 0 {
			break
		}
		set = append(set, next)
	}
	goal.set = set
	return goal, true, goal.value
}

func nextAfter(set []int) int {
	if len(set) == 0 {
		return 0
	}
	return set[len(set)-1] + 1
}

// cost of a set.
func (s *solver) cost(set []int) int64 {
	sum := int64(0)
	for _, k := range set {
		sum += s.pairs[k].price
	}
	return sum
}

// reaches says whether a set, or the set with pairs that come later, is as good as the goal with
// all of its pairs used.
func (s *solver) reaches(set []int, goal plan, limit int) bool {
	if len(set) > limit || s.cost(set) > goal.spent || s.count(set) > goal.count {
		return false
	}
	s.goal, s.best = &goal, plan{}
	defer func() { s.goal = nil }()
	if s.meets(set, goal) {
		return true
	}
	s.search(set, s.byAlone(nextAfter(set)), limit)
	return s.best.set != nil
}

// meets says whether a set is as good as the goal with all of its pairs used.
func (s *solver) meets(set []int, goal plan) bool {
	if s.cost(set) != goal.spent || s.count(set) != goal.count {
		return false
	}
	a := s.assigner(set)
	a.useAll = true
	a.best = goal.value.minus(score{0, 1})
	a.give(0, score{})
	return a.best == goal.value
}

// byAlone are the pairs from a position on, those that serve most by themselves first.
func (s *solver) byAlone(from int) []int {
	out := make([]int, 0, len(s.pairs))
	for k := from; k < len(s.pairs); k++ {
		if s.alone[k].main > 0 {
			out = append(out, k)
		}
	}
	slices.SortFunc(out, func(a, b int) int { return cmp.Or(s.alone[b].compare(s.alone[a]), cmp.Compare(a, b)) })
	return out
}

// search tries every further pair of the candidates beside a set.
func (s *solver) search(set, candidates []int, limit int) {
	relaxed := make([]score, len(s.parts))
	sum, reach := score{}, score{}
	for _, k := range set {
		reach = reach.plus(s.alone[k])
		for i := range relaxed {
			relaxed[i] = greater(relaxed[i], s.value(i, k))
		}
	}
	for _, v := range relaxed {
		sum = sum.plus(v)
	}
	s.extend(set, candidates, limit, s.cost(set), relaxed, sum, lesser(reach, sum))
}

// worth says whether a set that costs so much, counts so many pairs and serves at most upper
// can still be better than the best, or reach the goal.
func (s *solver) worth(upper score, cost int64, count int) bool {
	if s.goal != nil {
		return s.best.set == nil && !upper.less(s.goal.value) && cost <= s.goal.spent && count <= s.goal.count
	}
	switch {
	case upper.main != s.best.value.main:
		return upper.main > s.best.value.main
	case cost != s.best.spent:
		return cost < s.best.spent
	case upper.fine != s.best.value.fine:
		return upper.fine > s.best.value.fine
	}
	return count < s.best.count
}

// need is the least value at which a set of a cost is better than the best, or as good.
func (s *solver) need(cost int64) score {
	switch {
	case cost < s.best.spent:
		return score{s.best.value.main, 0}
	case cost == s.best.spent:
		return s.best.value
	}
	return score{s.best.value.main + 1, 0}
}

// extend tries every further pair. relaxed is each piece's best value in the set when rest
// is left aside, sum its total; reach is what the set serves at most with rest kept.
func (s *solver) extend(set, candidates []int, limit int, spent int64, relaxed []score, sum, reach score) {
	left := limit - len(set)
	if left <= 0 || len(candidates) == 0 || s.stopped {
		return
	}
	s.steps -= len(candidates)*len(s.parts)/8 + 1
	if s.steps < 0 || s.ctx.Err() != nil {
		s.stopped = true
		return
	}
	// Gains over what is there shrink as the set grows: the best gains added up bound all.
	for len(s.levels) <= len(set) {
		s.levels = append(s.levels, &level{})
	}
	at := s.levels[len(set)]
	gains := append(at.gains[:0], make([]score, len(candidates))...)
	at.gains = gains
	for n, k := range candidates {
		for i := range s.parts {
			if v := s.value(i, k); relaxed[i].less(v) {
				gains[n] = gains[n].plus(v.minus(relaxed[i]))
			}
		}
	}
	// rest holds the largest gains of the candidates after each.
	rest := at.rest[:0]
	uppers := append(at.uppers[:0], gains...)
	at.uppers = uppers
	for n := len(candidates) - 1; n >= 0; n-- {
		byGain := sum.plus(gains[n])
		for m := 0; m < min(left-1, len(rest)); m++ {
			byGain = byGain.plus(rest[m])
		}
		// A set serves no more than its parts do: the set itself and each pair alone.
		byReach := reach
		for m := n; m < min(n+left, len(candidates)); m++ {
			byReach = byReach.plus(s.alone[candidates[m]])
		}
		uppers[n] = lesser(lesser(byGain, byReach), s.full)
		rest = append(rest, gains[n])
		for m := len(rest) - 1; m > 0 && rest[m-1].less(rest[m]); m-- {
			rest[m-1], rest[m] = rest[m], rest[m-1]
		}
		if len(rest) > left {
			rest = rest[:left]
		}
	}
	at.rest = rest
	counted := s.count(set)
	for n, k := range candidates {
		cost, count := spent+s.pairs[k].price, counted+s.more(set, k)
		// Those that could take its place are used before it, and there must be room for them.
		if cost > s.budget || s.above[k] >= limit || !s.worth(uppers[n], cost, count) {
			continue
		}
		next := append(append(at.set[:0], set...), k)
		at.set = next
		with := append(at.relaxed[:0], relaxed...)
		at.relaxed = with
		total := score{}
		for i := range with {
			with[i] = greater(with[i], s.value(i, k))
			total = total.plus(with[i])
		}
		now := lesser(total, reach.plus(s.alone[k]))
		switch {
		case !s.worth(now, cost, count):
		case s.goal != nil:
			if s.meets(next, *s.goal) {
				s.best = plan{slices.Clone(next), s.goal.value, cost, count}
				return
			}
		default:
			need := s.need(cost)
			got := s.exact(next, need)
			now = lesser(now, greater(got, need.minus(score{0, 1})))
			if !s.stopped && !got.less(need) && s.worth(got, cost, count) {
				s.best = plan{slices.Clone(next), got, cost, count}
			}
		}
		if s.stopped {
			return
		}
		s.extend(next, candidates[n+1:], limit, cost, with, total, now)
		if s.stopped || s.goal != nil && s.best.set != nil {
			return
		}
	}
}

// greedy adds the pair that gains most, one after another: a set to begin from.
func (p *problem) greedy(ctx context.Context, limit int) score {
	s := &solver{problem: p, ctx: ctx, steps: mostSteps}
	var best plan
	for len(best.set) < limit {
		next := plan{}
		for k := range p.pairs {
			cost := best.spent + p.pairs[k].price
			if slices.Contains(best.set, k) || cost > p.budget {
				continue
			}
			set := append(slices.Clone(best.set), k)
			if v := s.exact(set, score{}); next.set == nil || next.value.less(v) || next.value == v && cost < next.spent {
				next = plan{set: set, value: v, spent: cost}
			}
		}
		if next.set == nil || !best.value.less(next.value) || s.stopped {
			break
		}
		best = next
	}
	return best.value
}

// dominance counts for each pair those that are used before it: a pair that serves every piece
// as well, rests as little, costs as little and stands earlier could take its place, and the set
// would be no worse in any step and smaller in the last. One that is owned beside another of its
// model may count for nothing, so only one of that model can take its place.
func (s *solver) dominance() {
	s.above = make([]int, len(s.pairs))
	for j := range s.pairs {
		for i := range j {
			a, b := &s.pairs[i], &s.pairs[j]
			same := a.owned && b.owned && a.model == b.model
			if a.price > b.price || a.rest > b.rest || b.owned && b.model >= 0 && !same {
				continue
			}
			at := true
			for k := range a.suit {
				if a.suit[k] < b.suit[k] {
					at = false
					break
				}
			}
			if at {
				s.above[j]++
			}
		}
	}
}

// ceiling is what the pieces can have at best, each in the pair that suits it best.
func (s *solver) ceiling() score {
	sum := score{}
	for i := range s.parts {
		best := score{}
		for k := range s.pairs {
			best = greater(best, s.value(i, k))
		}
		sum = sum.plus(best)
	}
	return sum
}

// exact is the best value of a set of pairs with rest kept, where it is at least need;
// else something less than need.
func (s *solver) exact(set []int, need score) score {
	a := s.assigner(set)
	a.best = greater(need, score{1, 0}).minus(score{0, 1})
	a.give(0, score{})
	return a.best
}

// assigner gives the pieces to a set's pairs in the order of time.
type assigner struct {
	*solver
	set     []int
	in      []runs // the runs in each pair so far
	choices []choice
	order   [][]choice // of each piece: the pairs that may serve it, the best first
	after   []score    // the best of all pieces from here on, rest left aside
	best    score
	useAll  bool    // every pair takes something
	unused  int     // pairs without a run so far
	load    []int64 // metres of each pair so far, by position in the set
	caps    []int64 // the most that each may take; nil is no limit
}

type choice struct {
	at    int // in the set
	value score
}

// assigner is the solver's own, made ready for a set: there is one at a time.
func (s *solver) assigner(set []int) *assigner {
	n, a := len(s.parts), &s.work
	if a.solver == nil {
		*a = assigner{solver: s, order: make([][]choice, n), after: make([]score, n+1), choices: make([]choice, 0, n*len(s.pairs))}
	}
	a.set, a.unused, a.useAll, a.caps = set, len(set), false, nil
	a.in, a.load = append(a.in[:0], make([]runs, len(set))...), append(a.load[:0], make([]int64, len(set))...)
	all := a.choices[:0]
	for part := n - 1; part >= 0; part-- {
		from := len(all)
		for i, k := range set {
			if v := s.pairs[k].values[part]; v.main > 0 {
				at := len(all)
				all = append(all, choice{i, v})
				for at > from && all[at-1].value.less(v) {
					all[at], all[at-1] = all[at-1], all[at]
					at--
				}
			}
		}
		a.order[part] = all[from:len(all):len(all)]
		a.after[part] = a.after[part+1]
		if len(a.order[part]) > 0 {
			a.after[part] = a.after[part].plus(a.order[part][0].value)
		}
	}
	return a
}

// may says whether a piece may go into a pair of the set: rest is kept with every other run in
// it, both ways round the period, and its metres stay within the cap.
func (a *assigner) may(part, at int) bool {
	x := &a.parts[part]
	return !a.in[at].meets(a.pairs[a.set[at]].clashes[x.run]) && (a.caps == nil || a.load[at]+x.metres <= a.caps[at])
}

// put gives a piece to a pair; the runs that it gives back stood in the pair before.
func (a *assigner) put(part, at int) runs {
	was := a.in[at]
	if was.empty() {
		a.unused--
	}
	a.in[at] = was.with(a.parts[part].run)
	a.load[at] += a.parts[part].metres
	return was
}

func (a *assigner) take(part, at int, was runs) {
	a.in[at] = was
	a.load[at] -= a.parts[part].metres
	if was.empty() {
		a.unused++
	}
}

// twin says whether an earlier choice of a piece came to the same: a pair that serves and rests
// alike and holds the same runs.
func (a *assigner) twin(choices []choice, n int) bool {
	at := choices[n].at
	for _, c := range choices[:n] {
		if a.in[c.at] == a.in[at] && a.pairs[a.set[c.at]].alike == a.pairs[a.set[at]].alike &&
			(a.caps == nil || a.load[c.at] == a.load[at] && a.caps[c.at] == a.caps[at]) {
			return true
		}
	}
	return false
}

// give tries every way to give out the pieces from one on that can still beat the best;
// sum is what those before it came to.
func (a *assigner) give(part int, sum score) {
	if !a.best.less(sum.plus(a.after[part])) || a.stopped || a.useAll && a.unused > len(a.parts)-part {
		return
	}
	if part == len(a.parts) {
		a.best = sum
		return
	}
	if a.steps--; a.steps < 0 {
		a.solver.stopped = true
		return
	}
	for n, c := range a.order[part] {
		value := sum.plus(c.value)
		if !a.best.less(value.plus(a.after[part+1])) {
			break // those after it serve it less well
		}
		if !a.may(part, c.at) || a.twin(a.order[part], n) {
			continue
		}
		was := a.put(part, c.at)
		a.give(part+1, value)
		a.take(part, c.at, was)
	}
	a.give(part+1, sum) // left uncovered
}
