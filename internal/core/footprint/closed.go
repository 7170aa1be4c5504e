package footprint

import (
	"math"
	"slices"

	"trevik/internal/core/fault"
)

// follow finds the closed way round along which there is most line, by dynamic programming over how far out it
// lies on each ray. Along a toe's side it may go out or in on one ray.
func (d *drawing) follow(f *found) error {
	rays := f.rays
	n := len(rays)
	least, most := int(8/d.mm), int(105/d.mm)
	w := most - least
	const bend = 3                    // steps that the line may move from one ray to the next
	const outward, inwards = 100, 101 // or on one ray
	seen := make([][]float32, n)
	for k, r := range rays {
		seen[k] = make([]float32, w)
		for j := range w {
			q := Point{r.from.X + float64(least+j)*r.dir.X, r.from.Y + float64(least+j)*r.dir.Y}
			if q.X >= 0 && q.Y >= 0 && q.X <= float64(d.w-1) && q.Y <= float64(d.h-1) {
				seen[k][j] = min(1, max(0, d.dark.sample(q.X, q.Y)/lineEnough))
			}
		}
	}
	if err := d.hold(f, seen, least); err != nil {
		return err
	}
	// Twice round, so that where it begins says nothing; the middle of it counts.
	turns := 2 * n
	cost := make([]float32, w)
	back := make([][]int8, turns)
	slide := float32(d.mm / sampleMM) // of a pixel along a ray
	for t := range turns {
		row := seen[t%n]
		next := make([]float32, w)
		from := make([]int8, w)
		for j := range w {
			best, at := float32(math.Inf(1)), 0
			for k := -bend; k <= bend; k++ {
				if i := j + k; i >= 0 && i < w {
					if c := cost[i] + stiffness*float32(k*k); c < best {
						best, at = c, k
					}
				}
			}
			next[j], from[j] = best+1-row[j], int8(at)
		}
		for j := 1; j < w; j++ {
			if c := next[j-1] + slide*(slideCost+1-row[j]); c < next[j] {
				next[j], from[j] = c, outward
			}
		}
		for j := w - 2; j >= 0; j-- {
			if c := next[j+1] + slide*(slideCost+1-row[j]); c < next[j] {
				next[j], from[j] = c, inwards
			}
		}
		cost, back[t] = next, from
	}
	j := 0
	for i := range cost {
		if cost[i] < cost[j] {
			j = i
		}
	}
	var way []Point
	var ray []int
	for t := turns - 1; t >= n/2; {
		if t < n/2+n {
			r, out := rays[t%n], float64(least+j)
			way, ray = append(way, Point{r.from.X + out*r.dir.X, r.from.Y + out*r.dir.Y}), append(ray, t%n)
		}
		switch k := back[t][j]; k {
		case outward:
			j--
		case inwards:
			j++
		default:
			j += int(k)
			t--
		}
	}
	slices.Reverse(way)
	slices.Reverse(ray)
	held := f.held
	f.line, f.held = nil, nil
	// As far apart as the rays, and each in the middle of the line about there.
	for k, q := range way {
		if k == 0 || q.distance(f.line[len(f.line)-1])*d.mm > sampleMM/2 {
			f.line, f.held = append(f.line, q), append(f.held, held[ray[k]])
		}
	}
	f.out = normals(f.line)
	moved := slices.Clone(f.line)
	for k, q := range f.line {
		if s := d.middle(q, f.out[k]); f.held[k] {
			moved[k] = q.along(f.out[k], min(heldMoveMM, max(-heldMoveMM, s))/d.mm)
		} else {
			moved[k] = q.along(f.out[k], s/d.mm)
		}
	}
	f.line = moved
	return nil
}

// middle is how far outward from a place the middle of the line lies that goes by there, mm.
func (d *drawing) middle(q, out Point) float64 {
	const step = lineMiddleMM / 6
	at := func(s float64) float64 {
		p := q.along(out, s/d.mm)
		if p.X < 0 || p.Y < 0 || p.X > float64(d.w-1) || p.Y > float64(d.h-1) {
			return 0
		}
		return min(1, max(0, float64(d.dark.sample(p.X, p.Y))))
	}
	ends := [2]float64{-lineMiddleMM, lineMiddleMM}
	if at(0) > lineThere { // as wide as it is
		for i, sign := range [2]float64{-1, 1} {
			s := 0.0
			for s < lineWideMM && at(sign*s) > lineThere {
				s += step
			}
			ends[i] = sign * (s + step)
		}
	}
	sum, weight := 0.0, 0.0
	for s := ends[0]; s <= ends[1]; s += step {
		sum, weight = sum+at(s)*s, weight+at(s)
	}
	if weight < 0.5 {
		return 0
	}
	return sum / weight
}

func (p Point) along(way Point, by float64) Point { return Point{p.X + by*way.X, p.Y + by*way.Y} }

// hold lets the line pass only through the places that a hand gave, and near them beside those.
func (d *drawing) hold(f *found, seen [][]float32, least int) error {
	const barred = -40
	rays, n := f.rays, len(f.rays)
	f.held = make([]bool, n)
	reach := int(math.Round(heldMM / sampleMM))
	// Which place has a say in a look: the nearest along the line.
	near, out := make([]int, n), make([]float64, n)
	for k := range near {
		near[k] = reach + 1
	}
	for _, q := range d.through {
		at, off := -1, math.Inf(1)
		for k, r := range rays {
			x, y := q.X-r.from.X, q.Y-r.from.Y
			if aside := math.Abs(x*r.dir.Y - y*r.dir.X); x*r.dir.X+y*r.dir.Y > 0 && aside < off {
				at, off = k, aside
			}
		}
		if at < 0 {
			return fault.List{{Field: "through", Text: "holds a place from which no line goes round the foot"}}
		}
		r := rays[at]
		far := (q.X-r.from.X)*r.dir.X + (q.Y-r.from.Y)*r.dir.Y - float64(least)
		if far < 0 || far > float64(len(seen[at])-1) {
			return fault.List{{Field: "through", Text: "holds a place too far from the foot"}}
		}
		for k := -reach; k <= reach; k++ {
			away := k
			if away < 0 {
				away = -away
			}
			if i := (at + k + n) % n; away < near[i] {
				near[i], out[i] = away, far
			}
		}
	}
	for i, away := range near {
		if away > reach {
			continue
		}
		f.held[i] = true
		wide := (heldAsideMM + heldSpread*float64(away)*sampleMM) / d.mm
		if away == 0 {
			wide = 0.6
		}
		for j := range seen[i] {
			if math.Abs(float64(j)-out[i]) > wide {
				seen[i][j] += barred
			}
		}
	}
	return nil
}

// found is a closed line that was followed about a foot, by the looks outward on which it lies.
type found struct {
	rays                []ray
	line                []Point
	out                 []Point // the way outward from it, units
	held                []bool  // by hand: in follow the looks outward, then the places
	there               []bool  // where something is drawn
	twice, edge, filled int     // places at which there is another line, the picture's edge, a darker inside
	open                int     // places over which the largest gap goes
}

// lacks is the share of the line that is not there, the largest gap counted twice.
func (f *found) lacks() float64 {
	missing := f.open
	for _, on := range f.there {
		if !on {
			missing++
		}
	}
	return float64(missing) / float64(len(f.there))
}

// seen are the places of the line at which something is drawn.
func (f *found) seen() (out []Point) {
	for k, p := range f.line {
		if f.there[k] {
			out = append(out, p)
		}
	}
	return out
}

// corners is how many sharp corners a line has that point outward: a foot's toes and heel are round.
func (f *found) corners() (count int) {
	line := rounded(f.line, 1)
	n := len(line)
	for k := 0; k < n; k++ {
		p, a, b := line[k], line[(k+n-cornerReach)%n], line[(k+cornerReach)%n]
		if (p.X-(a.X+b.X)/2)*f.out[k].X+(p.Y-(a.Y+b.Y)/2)*f.out[k].Y <= 0 {
			continue
		}
		x1, y1, x2, y2 := p.X-a.X, p.Y-a.Y, b.X-p.X, b.Y-p.Y
		if math.Abs(math.Atan2(x1*y2-y1*x2, x1*x2+y1*y2)) > sharp {
			count++
			k += 2 * cornerReach
		}
	}
	return count
}

// look looks at what is drawn along a line that was followed.
func (d *drawing) look(f *found) {
	n := len(f.line)
	f.there = make([]bool, n)
	for k, p := range f.line {
		dir := f.out[k]
		at := func(mm float64, r *raster) float64 {
			x, y := p.X+mm/d.mm*dir.X, p.Y+mm/d.mm*dir.Y
			if x < 0 || y < 0 || x > float64(d.w-1) || y > float64(d.h-1) {
				return 0
			}
			return float64(r.sample(x, y))
		}
		f.there[k] = f.held[k]
		for mm := -0.7; mm <= 0.7; mm += 0.35 {
			f.there[k] = f.there[k] || at(mm, d.dark) > lineThere
		}
		// Where it is darker on one side alone, a paper ends or a shadow begins.
		for _, sign := range [2]float64{-1, 1} {
			paper := max(at(sign*2.5, d.light), at(sign*3.5, d.light), at(sign*4.5, d.light))
			f.there[k] = f.there[k] && (f.held[k] || paper-at(0, d.light) > lineThere/2)
		}
		second := false
		for mm := doubleFromMM; mm <= doubleToMM; mm += 0.3 {
			second = second || at(mm, d.dark) > 0.5 || at(-mm, d.dark) > 0.5
		}
		if second {
			f.twice++
		}
		if p.X < edgeMM/d.mm || p.Y < edgeMM/d.mm || p.X > float64(d.w-1)-edgeMM/d.mm || p.Y > float64(d.h-1)-edgeMM/d.mm {
			f.edge++
		}
		if at(3.5, d.light)-at(-3.5, d.light) > 0.5 {
			f.filled++
		}
	}
	run := 0
	for k := range 2 * n {
		if run++; f.there[k%n] {
			run = 0
		}
		f.open = max(f.open, min(run, n))
	}
}

// judge says what is wrong with the line that was found, and refuses what is none.
func (d *drawing) judge(out *Traced, f found, ratio float64) error {
	d.line = f.line
	n := len(d.line)
	missing := n - len(f.seen())
	around := 0.0
	for k, p := range d.line {
		q := d.line[(k+1)%n]
		around += math.Hypot(p.X-q.X, p.Y-q.Y) * d.mm
	}
	each := around / float64(n)
	open := float64(f.open) * each
	switch {
	case float64(f.filled) > 0.5*float64(n):
		return noOutline("inside it is darker than outside, as a picture or a print of a foot is; a line is wanted")
	case float64(f.edge)*each > 12:
		return noOutline("the line leaves the sheet's inner part over %.0f mm", float64(f.edge)*each)
	case open > mostOpenMM || float64(missing) > mostMissing*float64(n):
		return noOutline("no closed line goes round it; %.0f mm of it are missing at one place, %.0f %% in all", open,
			100*float64(missing)/float64(n))
	}
	if corners := f.corners(); corners > mostCorners && len(d.through) == 0 {
		return noOutline("the line has %d sharp corners, a foot has none", corners)
	}
	mark := func(flag string, factor float64) {
		out.Flags = append(out.Flags, flag)
		d.score *= factor
	}
	if f.edge > 0 {
		mark("cut_off", 0.5)
	}
	if open > openFromMM {
		mark("open_line", max(0.5, 1-open/40))
	}
	if float64(f.twice) > mostDouble*float64(n) {
		mark("double_line", 0.75)
	}
	if wide := d.thickness(f.out); wide > 3.2 {
		mark("blurred", max(0.5, 3.2/wide))
	}
	d.score *= 1 - 0.4*float64(missing)/float64(n)
	d.score *= min(1, 0.7+0.3*ratio/12)
	return nil
}

// thickness is the line's own, mm, in the middle.
func (d *drawing) thickness(out []Point) float64 {
	var all []float64
	for k, p := range d.line {
		n := 0
		for mm := -5.0; mm <= 5; mm += 0.2 {
			x, y := p.X+mm/d.mm*out[k].X, p.Y+mm/d.mm*out[k].Y
			if x >= 0 && y >= 0 && x <= float64(d.w-1) && y <= float64(d.h-1) && d.dark.sample(x, y) > 0.4 {
				n++
			}
		}
		all = append(all, 0.2*float64(n))
	}
	return median(all)
}

func median(v []float64) float64 {
	if len(v) == 0 {
		return 0
	}
	s := slices.Clone(v)
	slices.Sort(s)
	return s[len(s)/2]
}
