package rotation

import (
	"cmp"
	"context"
	"math"
	"slices"
)

// piece is a part in minutes of the week and metres, in the order of time.
type piece struct {
	index, run int
	begin, end float64
	metres     int64
}

// machine is a pair: its price when it is bought, its rest in minutes, and its
// suitability for each piece in thousandths, -1 where it may not serve it.
type machine struct {
	index int
	price int64
	rest  float64
	suit  []int64
}

// problem is a week in integers.
type problem struct {
	parts     []piece
	pairs     []machine
	runMetres []int64
	maxPairs  int
	budget    int64
}

// metre is what a metre covered weighs in a value against suitability: more than all
// suitability of a week together (60 parts of 1,000 km at 1,000 thousandths are 6e10).
const metre = int64(1) << 37

// value of a piece in a pair: metres covered first, metres × suitability second.
func (p *problem) value(part, pair int) int64 {
	s := p.pairs[pair].suit[part]
	if s < 0 {
		return 0
	}
	return p.parts[part].metres * (metre + s)
}

// plan is a set of pairs with the best value that it serves.
type plan struct {
	set   []int // positions, rising
	value int64
	spent int64
}

// better compares by the five steps: value holds the first two.
func (a plan) better(b plan) bool {
	switch {
	case a.value != b.value:
		return a.value > b.value
	case a.spent != b.spent:
		return a.spent < b.spent
	case len(a.set) != len(b.set):
		return len(a.set) < len(b.set)
	}
	return slices.Compare(a.set, b.set) < 0
}

// solver looks through sets of pairs.
type solver struct {
	*problem
	ctx     context.Context
	steps   int // left
	stopped bool
	full    int64   // what the pieces can have at best
	alone   []int64 // what each pair can serve by itself, with its rest kept
	above   [][]int // pairs that must be used before each
	best    plan
	goal    *plan // a decision: any set that reaches its value, at its cost and size, ends the search
}

// mostSteps bounds the work of one search; it takes some seconds on one core.
const mostSteps = 40_000_000

func (p *problem) solver(ctx context.Context, steps int) *solver {
	s := &solver{problem: p, ctx: ctx, steps: steps, alone: make([]int64, len(p.pairs))}
	s.full = s.ceiling()
	for k := range p.pairs {
		s.alone[k] = s.exact([]int{k}, 0)
	}
	s.dominance()
	return s
}

// solve finds the best set of at most limit pairs. least is a value that some allowed set
// is known to reach. proven is false where the search was stopped before it had seen all;
// upper is then what no set can beat.
func (p *problem) solve(ctx context.Context, limit int, least int64, steps int) (best plan, proven bool, upper int64) {
	s := p.solver(ctx, steps)
	// First the best value, cost and number of pairs, in the order that bounds best: those
	// that serve most by themselves first, so that what is left serves ever less.
	s.best = plan{value: least - 1} // an empty set that costs nothing: what reaches least is better
	s.search(nil, s.byAlone(0), limit)
	if s.best.set == nil || s.best.value <= 0 {
		s.best = plan{} // nothing is covered
	}
	if s.stopped {
		slices.Sort(s.best.set)
		return s.best, false, s.full
	}
	// Then, of all sets that are as good, the one with the smallest positions: each place is
	// the first pair with which the rest can still be reached.
	goal := s.best
	var set []int
	for len(set) < len(goal.set) {
		for k := nextAfter(set); k < len(p.pairs); k++ {
			try := append(slices.Clone(set), k)
			if s.reaches(try, goal) {
				set = try
				break
			}
			if s.stopped || k == len(p.pairs)-1 {
				slices.Sort(goal.set)
				return goal, false, goal.value
			}
		}
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

// reaches says whether a set can be completed by pairs that come later to one as good as
// the goal.
func (s *solver) reaches(set []int, goal plan) bool {
	spent := int64(0)
	for _, k := range set {
		spent += s.pairs[k].price
	}
	if spent > goal.spent {
		return false
	}
	s.goal, s.best = &goal, plan{}
	defer func() { s.goal = nil }()
	if len(set) == len(goal.set) {
		return spent == goal.spent && s.exact(set, goal.value) == goal.value
	}
	s.search(set, s.byAlone(nextAfter(set)), len(goal.set))
	return s.best.set != nil
}

// byAlone are the pairs from a position on, those that serve most by themselves first.
func (s *solver) byAlone(from int) []int {
	out := make([]int, 0, len(s.pairs))
	for k := from; k < len(s.pairs); k++ {
		if s.alone[k] > 0 {
			out = append(out, k)
		}
	}
	slices.SortFunc(out, func(a, b int) int { return cmp.Or(cmp.Compare(s.alone[b], s.alone[a]), cmp.Compare(a, b)) })
	return out
}

// search tries every further pair of the candidates beside a set.
func (s *solver) search(set, candidates []int, limit int) {
	relaxed := make([]int64, len(s.parts))
	sum, spent := int64(0), int64(0)
	for _, k := range set {
		spent += s.pairs[k].price
		for i := range relaxed {
			relaxed[i] = max(relaxed[i], s.value(i, k))
		}
	}
	for _, v := range relaxed {
		sum += v
	}
	reach := int64(0)
	if len(set) > 0 {
		for _, k := range set {
			reach += s.alone[k]
		}
		reach = min(reach, sum)
	}
	s.extend(set, candidates, limit, spent, relaxed, sum, reach)
}

// worth says whether a set that costs so much, holds so many pairs and serves at most
// upper can still be better than the best, or reach the goal.
func (s *solver) worth(upper, cost int64, size int) bool {
	if s.goal != nil {
		return s.best.set == nil && upper >= s.goal.value && cost <= s.goal.spent
	}
	switch {
	case upper != s.best.value:
		return upper > s.best.value
	case cost != s.best.spent:
		return cost < s.best.spent
	}
	return size < len(s.best.set)
}

// extend tries every further pair. relaxed is each piece's best value in the set when rest
// is left aside, sum its total; reach is what the set serves at most with rest kept.
func (s *solver) extend(set, candidates []int, limit int, spent int64, relaxed []int64, sum, reach int64) {
	left := limit - len(set)
	if left == 0 || len(candidates) == 0 || s.stopped {
		return
	}
	s.steps -= len(candidates)*len(s.parts)/8 + 1
	if s.steps < 0 || s.ctx.Err() != nil {
		s.stopped = true
		return
	}
	// Gains over what is there shrink as the set grows: the best gains added up bound all.
	gains := make([]int64, len(candidates))
	for n, k := range candidates {
		for i := range s.parts {
			if v := s.value(i, k); v > relaxed[i] {
				gains[n] += v - relaxed[i]
			}
		}
	}
	// top holds the largest gains of the candidates after each, rising with their number.
	rest := make([]int64, 0, len(candidates))
	uppers := make([]int64, len(candidates))
	for n := len(candidates) - 1; n >= 0; n-- {
		byGain := sum + gains[n]
		for m := 0; m < min(left-1, len(rest)); m++ {
			byGain += rest[m]
		}
		// A set serves no more than its parts do: the set itself and each pair alone.
		byReach := reach
		for m := n; m < min(n+left, len(candidates)); m++ {
			byReach += s.alone[candidates[m]]
		}
		uppers[n] = min(byGain, byReach, s.full)
		at, _ := slices.BinarySearchFunc(rest, gains[n], func(a, b int64) int { return cmp.Compare(b, a) })
		rest = slices.Insert(rest, at, gains[n])
		if len(rest) > left {
			rest = rest[:left]
		}
	}
	for n, k := range candidates {
		cost := spent + s.pairs[k].price
		if cost > s.budget || !s.worth(uppers[n], cost, len(set)+1) || !s.ready(set, k, limit) {
			continue
		}
		next := append(slices.Clone(set), k)
		with := slices.Clone(relaxed)
		total := int64(0)
		for i := range with {
			with[i] = max(with[i], s.value(i, k))
			total += with[i]
		}
		now := min(total, reach+s.alone[k])
		if s.worth(now, cost, len(next)) || s.goal != nil && now >= s.goal.value {
			need := s.best.value
			if s.goal != nil {
				need = s.goal.value
			}
			got := s.exact(next, need)
			if s.stopped {
				return
			}
			now = min(now, max(got, need-1))
			p := plan{next, got, cost}
			switch {
			case s.goal != nil:
				if p.value == s.goal.value && p.spent == s.goal.spent && len(p.set) == len(s.goal.set) {
					s.best = p
					return
				}
			case s.worth(p.value, p.spent, len(p.set)):
				s.best = p
			}
		}
		s.extend(next, candidates[n+1:], limit, cost, with, total, now)
		if s.stopped || s.goal != nil && s.best.set != nil {
			return
		}
	}
}

// ready says whether a pair may be used yet: those that could take its place come first.
// They may come later in the search's order, so only their number is asked for.
func (s *solver) ready(set []int, k, limit int) bool { return len(s.above[k]) < limit }

// greedy adds the pair that gains most, one after another: a set to begin from.
func (p *problem) greedy(ctx context.Context, limit int) plan {
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
			slices.Sort(set)
			if t := (plan{set, s.exact(set, 0), cost}); next.set == nil || t.better(next) {
				next = t
			}
		}
		if next.set == nil || next.value <= best.value || s.stopped {
			return best
		}
		best = next
	}
	return best
}

// dominance lists for each pair those that must be used before it: a pair that serves
// every piece as well, rests as little, costs as little and stands earlier could take its
// place, and the set would be no worse in any step and smaller in the last.
func (s *solver) dominance() {
	s.above = make([][]int, len(s.pairs))
	for j := range s.pairs {
		for i := range j {
			a, b := &s.pairs[i], &s.pairs[j]
			if a.price > b.price || a.rest > b.rest {
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
				s.above[j] = append(s.above[j], i)
			}
		}
	}
}

// ceiling is what the pieces can have at best, each in the pair that suits it best.
func (s *solver) ceiling() int64 {
	sum := int64(0)
	for i := range s.parts {
		best := int64(0)
		for k := range s.pairs {
			best = max(best, s.value(i, k))
		}
		sum += best
	}
	return sum
}

// use is a pair's place in time so far: when its first part of the week began and in
// which run, and when its last one ended and in which.
type use struct {
	firstRun, lastRun int
	first, last       float64
}

var unused = use{firstRun: -1, lastRun: -1}

// may says whether a piece may go into a pair that was used so: rest since the last
// different run, and until the first one of the next week.
func (u use) may(x piece, rest float64) bool {
	if u.lastRun >= 0 && u.lastRun != x.run && x.begin-u.last < rest-1e-9 {
		return false
	}
	return u.firstRun < 0 || u.firstRun == x.run || u.first+weekMinutes-x.end >= rest-1e-9
}

func (u use) with(x piece) use {
	if u.firstRun < 0 {
		u.firstRun, u.first = x.run, x.begin
	}
	u.lastRun, u.last = x.run, math.Max(u.last, x.end)
	return u
}

// exact is the best value of a set of pairs with rest kept, where it is at least need;
// else something less than need.
func (s *solver) exact(set []int, need int64) int64 {
	a := s.assigner(set)
	a.best = max(need, 1) - 1
	a.give(0, 0)
	return a.best
}

// assigner gives the pieces to a set's pairs in the order of time.
type assigner struct {
	*solver
	set   []int
	uses  []use
	order [][]choice // of each piece: the pairs that may serve it, the best first
	after []int64    // the best of all pieces from here on, rest left aside
	best  int64
}

type choice struct {
	at    int // in the set
	value int64
}

func (s *solver) assigner(set []int) *assigner {
	n := len(s.parts)
	a := &assigner{solver: s, set: set, uses: make([]use, len(set)), order: make([][]choice, n), after: make([]int64, n+1)}
	all := make([]choice, 0, n*len(set))
	for part := n - 1; part >= 0; part-- {
		from := len(all)
		for i, k := range set {
			if v := s.value(part, k); v > 0 {
				at := len(all)
				all = append(all, choice{i, v})
				for at > from && all[at-1].value < v {
					all[at], all[at-1] = all[at-1], all[at]
					at--
				}
			}
		}
		a.order[part] = all[from:len(all):len(all)]
		a.after[part] = a.after[part+1]
		if len(a.order[part]) > 0 {
			a.after[part] += a.order[part][0].value
		}
	}
	for i := range a.uses {
		a.uses[i] = unused
	}
	return a
}

// give tries every way to give out the pieces from one on that can still beat the best;
// sum is what those before it came to.
func (a *assigner) give(part int, sum int64) {
	if sum+a.after[part] <= a.best || a.stopped {
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
	x := a.parts[part]
	for _, c := range a.order[part] {
		if sum+c.value+a.after[part+1] <= a.best {
			break // those after it serve it less well
		}
		if !a.uses[c.at].may(x, a.pairs[a.set[c.at]].rest) {
			continue
		}
		was := a.uses[c.at]
		a.uses[c.at] = was.with(x)
		a.give(part+1, sum+c.value)
		a.uses[c.at] = was
	}
	a.give(part+1, sum) // left uncovered
}

// assign gives the assignment of a set that reaches a value: of equally good ones the
// earliest part in the earliest pair. -1 is uncovered.
func (s *solver) assign(set []int, value int64) []int {
	out := make([]int, len(s.parts))
	a := s.assigner(set)
	left := value
	for part, x := range s.parts {
		out[part] = -1
		for i, k := range set {
			v := s.value(part, k)
			if v == 0 || v+a.after[part+1] < left || !a.uses[i].may(x, s.pairs[k].rest) {
				continue
			}
			was := a.uses[i]
			a.uses[i] = was.with(x)
			// Can the rest still come to what is left?
			if a.best = left - v - 1; left == v {
				a.best = -1
			}
			goal := a.best
			if a.give(part+1, 0); a.best > goal {
				out[part], left = k, left-v
				break
			}
			a.uses[i] = was
		}
	}
	return out
}
