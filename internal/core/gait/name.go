package gait

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

// dot is one spot of a trail in a frame.
type dot struct {
	spot
	trail int
}

// role is a named dot of a leg.
type role struct {
	leg  int // 0 is the leg on the left of the picture
	name int // among the view's dots, the highest first
}

// name gives the trails their dots and writes the paths. Frames in which every dot
// is seen and the leg is stretched tell by leg and height what each trail is; all
// of a trail's frames vote.
func (out *Followed) name(trails []*trail, r Recording, width int) error {
	return out.nameParts(trails, r, width, true)
}

// nameParts is name; part says whether a trail that went over from one dot to another may be parted there.
func (out *Followed) nameParts(trails []*trail, r Recording, width int, part bool) error {
	names := DotNames(r.View)
	frames := map[int][]dot{}
	last := 0
	for i, t := range trails {
		for k, f := range t.frames {
			frames[f] = append(frames[f], dot{t.spots[k], i})
			last = max(last, f)
		}
	}
	legs := 1
	if r.View != Side {
		several, seen := 0, 0
		for _, d := range frames {
			if len(d) >= len(names) {
				seen++
				if len(d) >= len(names)+2 {
					several++
				}
			}
		}
		if several*10 > seen*3 {
			legs = 2
		}
	}
	chosen := pickTrails(trails, frames, legs*len(names), legs, r.View)
	votes, voted := make([]map[role]int, len(trails)), make([]map[int]role, len(trails))
	for i := range votes {
		votes[i], voted[i] = map[role]int{}, map[int]role{}
	}
	split := splitLegs(frames, chosen, legs, len(names))
	stretched := stretchOf(frames, chosen, split, legs, len(names))
	full := 0
	for f := range last + 1 {
		for leg, dots := range split(keep(frames[f], chosen)) {
			if len(dots) != len(names) || extent(dots) < 0.8*stretched[leg] {
				continue
			}
			order, ok := orderOf(dots, r.View)
			if !ok {
				continue
			}
			full++
			for name, d := range order {
				votes[d.trail][role{leg, name}]++
				voted[d.trail][f] = role{leg, name}
			}
		}
	}
	if full < 5 {
		return fault.List{{Field: "markers",
			Text: fmt.Sprintf("are to be %s on each leg that is read, and are seen together in %d frames only; stick them on anew, or mark them "+
				"by hand on a few frames", words(names), full)}}
	}
	if part {
		var parts []*trail
		for i, t := range trails {
			parts = append(parts, t.parted(voted[i], max(partLeast, int(partTime**r.FPS)))...)
		}
		if len(parts) > len(trails) {
			return out.nameParts(parts, r, width, false)
		}
	}
	roles, doubtful := settle(trails, frames, votes, legs, len(names))
	usual := usualSize(trails, roles)
	out.Tracks = Tracks{}
	sideOf := out.sides(trails, roles, r, legs, width)
	var edges, sizes []float64
	for i, t := range trails {
		ro, ok := roles[i]
		if !ok {
			continue
		}
		side := sideOf(ro.leg)
		if out.Tracks[side] == nil {
			out.Tracks[side] = map[string][]Mark{}
		}
		path := out.Tracks[side][names[ro.name]]
		for k, f := range t.frames {
			s := t.spots[k]
			if s.diameter*s.diameter < hiddenShare*usual[ro]*usual[ro] || doubtful[i][f] {
				continue // half hidden, its centre is not the dot's
			}
			path = append(path, Mark{f, s.Point, Found})
			if k > 0 && t.frames[k-1] == f-1 && s.distance(t.spots[k-1].Point) < 1 {
				edges = append(edges, s.edge)
				sizes = append(sizes, s.diameter)
			}
		}
		out.Tracks[side][names[ro.name]] = path
	}
	for _, dots := range out.Tracks {
		for name, path := range dots {
			slices.SortStableFunc(path, func(a, b Mark) int { return a.Frame - b.Frame })
			dots[name] = slices.CompactFunc(path, func(a, b Mark) bool { return a.Frame == b.Frame })
		}
		for i, a := range names {
			for _, b := range names[i+1:] {
				unswap(dots[a], dots[b])
			}
		}
	}
	out.EdgePX, out.DiameterPX = median(edges), median(sizes)
	return nil
}

// unswap gives two dots of a leg back what each took of the other in a single frame, as it happens where a foot stops or
// starts so fast that one comes to lie where the other was expected.
func unswap(a, b []Mark) {
	between := func(m []Mark, i int) (Point, bool) {
		if i < 1 || i+1 >= len(m) || m[i-1].Frame != m[i].Frame-1 || m[i+1].Frame != m[i].Frame+1 {
			return Point{}, false
		}
		return m[i-1].Point.plus(m[i+1].Point).times(0.5), true
	}
	for i, j := 0, 0; i < len(a) && j < len(b); {
		switch {
		case a[i].Frame < b[j].Frame:
			i++
		case a[i].Frame > b[j].Frame:
			j++
		default:
			p, known := between(a, i)
			q, also := between(b, j)
			as := a[i].distance(p) + b[j].distance(q)
			if known && also && a[i].distance(q)+b[j].distance(p) < swapGains*as && as > swapPX {
				a[i].Point, b[j].Point = b[j].Point, a[i].Point
			}
			i, j = i+1, j+1
		}
	}
}

// House values of a trail that went over from one dot to another.
const (
	partLeast = 3     // votes in turn for a role
	partTime  = 0.045 // s of them

	swapGains = 0.4 // of how far two dots are off their ways, that is left of it when they are exchanged
	swapPX    = 8.0

	shortMeeting = 0.34 // of the shorter trail, in which two have one role
)

// parted is the trail in parts where it went over from one dot to another, as its frames voted: each time at its largest step
// between those that did for the one, at least so many in turn, and those that did for the other.
func (t *trail) parted(voted map[int]role, least int) []*trail {
	type run struct {
		of          role
		first, last int // places in the trail
		votes       int
	}
	var runs []run
	for k, f := range t.frames {
		ro, ok := voted[f]
		if n := len(runs); ok && n > 0 && runs[n-1].of == ro {
			runs[n-1].last, runs[n-1].votes = k, runs[n-1].votes+1
		} else if ok {
			runs = append(runs, run{ro, k, k, 1})
		}
	}
	runs = slices.DeleteFunc(runs, func(r run) bool { return r.votes < least })
	var parts []*trail
	from := 0
	for i := 1; i < len(runs); i++ {
		if runs[i].of == runs[i-1].of {
			continue
		}
		cut, far := runs[i].first, -1.0
		for k := runs[i-1].last + 1; k <= runs[i].first; k++ {
			if d := t.spots[k].distance(t.spots[k-1].Point); d > far {
				cut, far = k, d
			}
		}
		parts = append(parts, &trail{t.frames[from:cut:cut], t.spots[from:cut:cut]})
		from = cut
	}
	return append(parts, &trail{t.frames[from:], t.spots[from:]})
}

func words(names []string) string {
	s := ""
	for i, n := range names {
		switch {
		case i == 0:
		case i == len(names)-1:
			s += " and "
		default:
			s += ", "
		}
		s += n
	}
	return s
}

func keep(dots []dot, chosen map[int]bool) []dot {
	var out []dot
	for _, d := range dots {
		if chosen[d.trail] {
			out = append(out, d)
		}
	}
	return out
}

func extent(dots []dot) float64 {
	lo, hi := math.Inf(1), math.Inf(-1)
	for _, d := range dots {
		lo, hi = min(lo, d.Y), max(hi, d.Y)
	}
	return hi - lo
}

// splitLegs gives a function that shares a frame's dots out between the legs, by a
// line that lies half way between them in the frames in which all are seen; where there is none, between all dots.
func splitLegs(frames map[int][]dot, chosen map[int]bool, legs, perLeg int) func([]dot) [][]dot {
	if legs == 1 {
		return func(d []dot) [][]dot { return [][]dot{d} }
	}
	var lines []float64
	for _, d := range frames {
		d = keep(d, chosen)
		if len(d) != 2*perLeg {
			continue
		}
		x := xs(d)
		if gap := x[perLeg] - x[perLeg-1]; gap > 0 {
			lines = append(lines, (x[perLeg]+x[perLeg-1])/2)
		}
	}
	line := median(lines)
	if len(lines) == 0 { // one leg or the other always hides some of its dots
		var col []float64 // how often a dot was in each column
		for _, d := range frames {
			for _, x := range xs(keep(d, chosen)) {
				for len(col) <= int(x) {
					col = append(col, 0)
				}
				col[max(0, int(x))]++
			}
		}
		line = float64(partedAt(col, 1, len(col)))
	}
	return func(d []dot) [][]dot {
		// All there: the outer half of them by place; else the line.
		if len(d) == 2*perLeg {
			x := xs(d)
			line := (x[perLeg] + x[perLeg-1]) / 2
			return cut(d, line)
		}
		return cut(d, line)
	}
}

func cut(d []dot, line float64) [][]dot {
	out := make([][]dot, 2)
	for _, s := range d {
		if s.X < line {
			out[0] = append(out[0], s)
		} else {
			out[1] = append(out[1], s)
		}
	}
	return out
}

func xs(d []dot) []float64 {
	x := make([]float64, len(d))
	for i, s := range d {
		x[i] = s.X
	}
	slices.Sort(x)
	return x
}

// stretchOf is how far apart a leg's highest and lowest dot usually are when it is
// stretched, px.
func stretchOf(frames map[int][]dot, chosen map[int]bool, split func([]dot) [][]dot, legs, perLeg int) []float64 {
	all := make([][]float64, legs)
	for _, d := range frames {
		for leg, dots := range split(keep(d, chosen)) {
			if len(dots) == perLeg {
				all[leg] = append(all[leg], extent(dots))
			}
		}
	}
	out := make([]float64, legs)
	for leg, e := range all {
		if slices.Sort(e); len(e) > 0 {
			out[leg] = e[len(e)*9/10]
		}
	}
	return out
}

// orderOf names one leg's dots in a frame, the highest first; ok is false where two
// are too near to tell.
func orderOf(dots []dot, v View) ([]dot, bool) {
	d := slices.Clone(dots)
	slices.SortFunc(d, func(a, b dot) int {
		if a.Y < b.Y {
			return -1
		}
		return 1
	})
	if v != Side {
		for i := 1; i < len(d); i++ {
			if d[i].Y-d[i-1].Y < 0.5*d[i].diameter {
				return nil, false
			}
		}
		return d, true
	}
	// Knee on top; of the other three the longest side joins heel and toe, and the
	// heel is the one nearer to the ankle.
	foot := d[1:]
	best, ankle := 0.0, 0
	for i := range foot {
		if l := foot[(i+1)%3].distance(foot[(i+2)%3].Point); l > best {
			best, ankle = l, i
		}
	}
	heel, toe := foot[(ankle+1)%3], foot[(ankle+2)%3]
	a, b := heel.distance(foot[ankle].Point), toe.distance(foot[ankle].Point)
	if a > b {
		heel, toe = toe, heel
		a, b = b, a
	}
	return []dot{d[0], foot[ankle], heel, toe}, b > 1.15*a
}

// pickTrails chooses, where more moving dots are seen than there should be, the set
// that is built like legs: pairs on one bone keep their distance, and the legs are
// alike. Short trails are left in: the votes sort them out.
func pickTrails(trails []*trail, frames map[int][]dot, expected, legs int, v View) map[int]bool {
	chosen := map[int]bool{}
	for i := range trails {
		chosen[i] = true
	}
	counts := map[int]int{}
	for _, d := range frames {
		counts[len(d)]++
	}
	most, often := 0, 0
	for n, k := range counts {
		if k > often {
			most, often = n, k
		}
	}
	if most <= expected {
		return chosen
	}
	var long []int
	for i, t := range trails {
		if 4*len(t.frames) >= len(frames) {
			long = append(long, i)
		}
	}
	if len(long) <= expected || len(long) > expected+5 {
		return chosen
	}
	rigid := newRigidity(trails, long)
	best, bestCost := []int(nil), math.Inf(1)
	var combine func(from int, set []int)
	combine = func(from int, set []int) {
		if len(set) == expected {
			if cost := rigid.cost(set, legs, v); cost < bestCost {
				best, bestCost = slices.Clone(set), cost
			}
			return
		}
		for i := from; i <= len(long)-(expected-len(set)); i++ {
			combine(i+1, append(set, long[i]))
		}
	}
	combine(0, nil)
	for _, i := range long {
		if !slices.Contains(best, i) {
			delete(chosen, i)
		}
	}
	return chosen
}

// rigidity knows, of long trails, their middle places and how steady the distance
// of each two is.
type rigidity struct {
	middle map[int]Point
	spread map[[2]int]float64
	mean   map[[2]int]float64
}

func newRigidity(trails []*trail, long []int) *rigidity {
	r := &rigidity{map[int]Point{}, map[[2]int]float64{}, map[[2]int]float64{}}
	for _, i := range long {
		var x, y []float64
		at := map[int]Point{}
		for k, f := range trails[i].frames {
			x, y = append(x, trails[i].spots[k].X), append(y, trails[i].spots[k].Y)
			at[f] = trails[i].spots[k].Point
		}
		r.middle[i] = Point{median(x), median(y)}
		for _, j := range long {
			if j <= i {
				continue
			}
			var d []float64
			for k, f := range trails[j].frames {
				if p, ok := at[f]; ok {
					d = append(d, p.distance(trails[j].spots[k].Point))
				}
			}
			m := median(d)
			for k := range d {
				d[k] = math.Abs(d[k] - m)
			}
			r.spread[[2]int{i, j}], r.mean[[2]int{i, j}] = median(d), m
		}
	}
	return r
}

func (r *rigidity) of(i, j int) (spread, mean float64) {
	k := [2]int{min(i, j), max(i, j)}
	return r.spread[k], r.mean[k]
}

func (r *rigidity) cost(set []int, legs int, v View) float64 {
	s := slices.Clone(set)
	slices.SortFunc(s, func(a, b int) int {
		if r.middle[a].X < r.middle[b].X {
			return -1
		}
		return 1
	})
	per := len(s) / legs
	cost := 0.0
	var lengths [2][]float64
	for leg := range legs {
		l := s[leg*per : (leg+1)*per]
		slices.SortFunc(l, func(a, b int) int {
			if r.middle[a].Y < r.middle[b].Y {
				return -1
			}
			return 1
		})
		for i := 1; i < per; i++ {
			spread, mean := r.of(l[i-1], l[i])
			weight := 1.0
			if v == Rear && i == 2 {
				weight = 0.2 // across the ankle the distance changes
			}
			cost += weight * spread / (mean + 1)
			lengths[leg] = append(lengths[leg], mean)
		}
	}
	if legs == 2 {
		for i := range lengths[0] {
			a, b := lengths[0][i], lengths[1][i]
			cost += 0.3 * math.Abs(a-b) / (a + b + 1)
		}
	}
	return cost
}

// settle gives each trail the role that most of its frames voted for, each role one
// trail at a time; a trail without votes takes the one role that is left where it is. In doubtful frames a trail is not known
// to have its role.
func settle(trails []*trail, frames map[int][]dot, votes []map[role]int, legs, perLeg int) (roles map[int]role, doubtful frameSets) {
	roles, doubtful = map[int]role{}, frameSets{}
	sure := map[int]int{}
	for i, v := range votes {
		all, best := 0, role{}
		for ro, n := range v {
			all += n
			if n > v[best] || n == v[best] && (ro.leg < best.leg || ro.leg == best.leg && ro.name < best.name) {
				best = ro
			}
		}
		if all > 0 && v[best]*10 >= all*7 {
			roles[i], sure[i] = best, v[best]
		}
	}
	// Two at once with one role: where they meet for a moment, as one foot passes the other or starts, both are doubtful there;
	// else the one with fewer votes gives way.
	type meeting struct{ a, b int }
	for again := true; again; {
		again = false
		met := map[meeting][]int{}
		for f := range frames {
			holder := map[role]int{}
			for _, d := range frames[f] {
				ro, ok := roles[d.trail]
				if !ok || doubtful[d.trail][f] {
					continue
				}
				if other, taken := holder[ro]; taken {
					m := meeting{min(other, d.trail), max(other, d.trail)}
					met[m] = append(met[m], f)
				} else {
					holder[ro] = d.trail
				}
			}
		}
		order := slices.SortedFunc(maps.Keys(met), func(a, b meeting) int { // the surest first: who gave way takes no one along
			return cmp.Or(max(sure[b.a], sure[b.b])-max(sure[a.a], sure[a.b]), a.a-b.a, a.b-b.b)
		})
		for _, m := range order {
			at := met[m]
			_, one := roles[m.a]
			_, other := roles[m.b]
			if !one || !other {
				continue
			}
			if float64(len(at)) <= shortMeeting*float64(min(len(trails[m.a].frames), len(trails[m.b].frames))) {
				for _, f := range at {
					doubtful.add(m.a, f)
					doubtful.add(m.b, f)
				}
				continue
			}
			loser := m.b
			if sure[m.a] < sure[m.b] {
				loser = m.a
			}
			delete(roles, loser)
			again = true
		}
	}
	for i, t := range trails {
		if _, named := roles[i]; named || len(votes[i]) > 0 {
			continue
		}
		lone := map[role]int{}
		for k, f := range t.frames {
			if ro, ok := onlyLeft(frames[f], roles, legs, perLeg, t.spots[k].Point); ok {
				lone[ro]++
			}
		}
		for ro, n := range lone {
			if 10*n >= 7*len(t.frames) {
				roles[i] = ro
			}
		}
	}
	return roles, doubtful
}

// frameSets are frames of trails.
type frameSets map[int]map[int]bool

func (s frameSets) add(trail, frame int) {
	if s[trail] == nil {
		s[trail] = map[int]bool{}
	}
	s[trail][frame] = true
}

// onlyLeft is the role that no named trail has in a frame, when it is the only one
// on its leg and the place lies on that leg's side.
func onlyLeft(dots []dot, roles map[int]role, legs, perLeg int, p Point) (role, bool) {
	have := make([]map[int]bool, legs)
	x := make([][]float64, legs)
	for i := range have {
		have[i] = map[int]bool{}
	}
	for _, d := range dots {
		if ro, ok := roles[d.trail]; ok {
			have[ro.leg][ro.name] = true
			x[ro.leg] = append(x[ro.leg], d.X)
		}
	}
	best, at := math.Inf(1), -1
	for leg := range have {
		if len(have[leg]) == perLeg-1 {
			if d := math.Abs(median(x[leg]) - p.X); d < best {
				best, at = d, leg
			}
		}
	}
	if at < 0 {
		return role{}, false
	}
	for name := range perLeg {
		if !have[at][name] {
			return role{at, name}, true
		}
	}
	return role{}, false
}

func usualSize(trails []*trail, roles map[int]role) map[role]float64 {
	all := map[role][]float64{}
	for i, ro := range roles {
		for _, s := range trails[i].spots {
			all[ro] = append(all[ro], s.diameter)
		}
	}
	out := map[role]float64{}
	for ro, d := range all {
		out[ro] = median(d)
	}
	return out
}

// sides says which leg is which foot: from behind the left foot is on the left, from
// the front on the right; from the side the near foot is told by the recording, or
// by the way that the toe points.
func (out *Followed) sides(trails []*trail, roles map[int]role, r Recording, legs, width int) func(leg int) term.Side {
	mean := func(name int) Point {
		var x, y []float64
		for i, t := range trails {
			if ro, ok := roles[i]; ok && (ro.name == name || name < 0) {
				for _, s := range t.spots {
					x, y = append(x, s.X), append(y, s.Y)
				}
			}
		}
		return Point{median(x), median(y)}
	}
	if r.View == Side {
		near := r.Near
		if near == "" {
			near = term.Left
			if mean(3).X > mean(2).X {
				near = term.Right // it runs to the right, and shows its right side
			}
		}
		return func(int) term.Side { return near }
	}
	leftOf := func(inLeftHalf bool) term.Side {
		if inLeftHalf == (r.View == Rear) {
			return term.Left
		}
		return term.Right
	}
	if legs == 1 {
		out.OneLegAtPlace = true
		one := leftOf(mean(-1).X < float64(width)/2)
		return func(int) term.Side { return one }
	}
	return func(leg int) term.Side { return leftOf(leg == 0) }
}
