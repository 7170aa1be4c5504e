package rotation

import (
	"math"
	"slices"
)

// assign gives the assignment of a set that reaches a value with all of its pairs used, the pair of
// each piece, -1 for none. Of equally good ones it is that in which the most used of each model's
// pairs has the fewest metres, and then the earliest part in the earliest pair, uncovered last.
func (s *solver) assign(set []int, value score) []int {
	out := slices.Repeat([]int{-1}, len(s.parts))
	if len(set) == 0 {
		return out
	}
	a := s.assigner(set)
	// A search that was broken off may hold a pair that its best leaves out.
	if a.useAll = true; !a.can(0, value) {
		a.useAll = false
	}
	a.even(value)
	left := value
	for part := range s.parts {
		for i, k := range set {
			v := s.value(part, k)
			if v.main == 0 || !a.may(part, i) {
				continue
			}
			was := a.put(part, i)
			if a.can(part+1, left.minus(v)) {
				out[part], left = k, left.minus(v)
				break
			}
			a.take(part, i, was)
		}
	}
	return out
}

// can says whether the pieces from one on can come to exactly what is left.
func (a *assigner) can(part int, left score) bool {
	a.best = left.minus(score{0, 1})
	a.give(part, score{})
	return a.best == left
}

// even sets the caps: for each model of which there is more than one pair, in the order of the
// list, the fewest metres that its most used pair can have while the value is reached.
func (a *assigner) even(value score) {
	for _, group := range a.models {
		var members []int
		for _, k := range group {
			if at := slices.Index(a.set, k); at >= 0 {
				members = append(members, at)
			}
		}
		if len(members) == 0 {
			continue
		}
		if a.caps == nil {
			a.caps = slices.Repeat([]int64{math.MaxInt64}, len(a.set))
		}
		most, ok := a.mostUsed(members, value)
		for ok && most > 0 {
			for _, at := range members {
				a.caps[at] = most - 1
			}
			next, less := a.mostUsed(members, value)
			if !less {
				break
			}
			most = next
		}
		for _, at := range members {
			a.caps[at] = most
		}
	}
}

// evenSteps bounds the search for one more even assignment.
const evenSteps = 3_000_000

// mostUsed is the metres of the most used of some pairs in an assignment that reaches the value
// within the caps; ok is false where there is none.
func (a *assigner) mostUsed(members []int, value score) (most int64, ok bool) {
	e := &evener{a, members, math.MaxInt64}
	steps := e.steps
	e.solver.steps = evenSteps
	e.give(0, value)
	e.solver.steps, e.solver.stopped = steps, false // what was not found in time is left as even as it is
	return e.most, e.most < math.MaxInt64
}

// evener looks for one assignment that reaches a value, the less used pairs first.
type evener struct {
	*assigner
	members []int
	most    int64
}

func (e *evener) give(part int, left score) bool {
	if e.after[part].less(left) || e.stopped || e.unused > len(e.parts)-part {
		return false
	}
	if part == len(e.parts) {
		if left != (score{}) {
			return false
		}
		e.most = 0
		for _, at := range e.members {
			e.most = max(e.most, e.load[at])
		}
		return true
	}
	if e.steps--; e.steps < 0 {
		e.solver.stopped = true
		return false
	}
	choices := slices.Clone(e.order[part])
	slices.SortStableFunc(choices, func(x, y choice) int {
		if c := y.value.compare(x.value); c != 0 {
			return c
		}
		switch lx, ly := e.load[x.at], e.load[y.at]; {
		case lx < ly:
			return -1
		case lx > ly:
			return 1
		}
		return 0
	})
	for n, c := range choices {
		if !e.may(part, c.at) || slices.ContainsFunc(choices[:n], func(o choice) bool {
			return e.in[o.at] == e.in[c.at] && e.load[o.at] == e.load[c.at] && e.caps[o.at] == e.caps[c.at] &&
				e.pairs[e.set[o.at]].alike == e.pairs[e.set[c.at]].alike && e.isMember(o.at) == e.isMember(c.at)
		}) {
			continue
		}
		was := e.put(part, c.at)
		done := e.give(part+1, left.minus(c.value))
		e.take(part, c.at, was)
		if done {
			return true
		}
	}
	return e.give(part+1, left)
}

func (e *evener) isMember(at int) bool { return slices.Contains(e.members, at) }
