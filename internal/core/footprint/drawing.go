package footprint

import (
	"math"
	"slices"
)

// drawing is the search for the drawn line. Points are pixels of the plane.
type drawing struct {
	plane
	dark  *raster // how much darker than its paper each place is, 1 is the line's usual darkness
	light *raster // the logarithm of brightness, in the same measure
	line  []Point
	score float64

	straight []halfPlane // folds and ruled lines
	through  []Point     // by hand
}

// find looks for the closed line about the foot: from each way in which it may lie, and again from how the line that was
// found then lies, until most of one is there.
func (d *drawing) find(out *Traced) error {
	ratio, err := d.darken()
	if err != nil {
		return err
	}
	d.straight = d.straights()
	best, least := found{}, math.Inf(1)
	try := func(at pose) (found, error) {
		f := found{rays: d.capsule(at)}
		if err := d.follow(&f); err != nil {
			return f, err
		}
		d.look(&f)
		if f.lacks() < least {
			best, least = f, f.lacks()
		}
		return f, nil
	}
	var first error
	for _, at := range d.ways(lineSure) {
		lies, err := d.lies(at)
		for range posedAgain {
			if err != nil {
				break
			}
			var f found
			if f, err = try(lies); err != nil {
				break // a hand's place that cannot be, about a foot that lies so
			}
			if least < fewMissing {
				return d.alone(out, best, ratio)
			}
			lies, err = d.lies(f.seen())
		}
		if first == nil {
			first = err
		}
	}
	if math.IsInf(least, 1) {
		return first
	}
	// What is darkest may be no line; by its own darkness it is followed where it is faint.
	var own []float64
	for _, q := range best.seen() {
		own = append(own, float64(d.dark.sample(q.X, q.Y)))
	}
	if usual := median(own); usual > lineFaintest && usual < lineFaint {
		d.level(usual)
		if lies, err := d.lies(best.seen()); err == nil {
			least = math.Inf(1)
			if _, err := try(lies); err != nil {
				return err
			}
		}
	}
	return d.alone(out, best, ratio)
}

// alone judges a line, and refuses it where another foot is drawn beside it.
func (d *drawing) alone(out *Traced, f found, ratio float64) error {
	if err := d.judge(out, f, ratio); err != nil {
		return err
	}
	var about []Point // every few places of the line moved outward: it need not be told exactly
	for i, q := range inward(rounded(f.line, 3), -besideMM/d.mm) {
		if i%4 == 0 {
			about = append(about, q)
		}
	}
	beside := slices.DeleteFunc(d.ways(besideLine)[0], func(q Point) bool { return encloses(about, q) })
	lies, err := d.lies(beside)
	if err != nil {
		return nil
	}
	free := *d // the places by hand are the first line's
	free.through = nil
	other := found{rays: d.capsule(lies)}
	if err := free.follow(&other); err != nil {
		return err
	}
	free.look(&other)
	within := 0
	for _, q := range other.line {
		if encloses(about, q) {
			within++
		}
	}
	if other.lacks() < besideMissing && 5*within < len(other.line) {
		return noOutline("two feet are drawn; one foot is traced on a sheet")
	}
	return nil
}

// encloses says whether a closed line goes round a place.
func encloses(line []Point, q Point) bool {
	in := false
	for i, a := range line {
		b := line[(i+1)%len(line)]
		if (a.Y > q.Y) != (b.Y > q.Y) && q.X < a.X+(q.Y-a.Y)/(b.Y-a.Y)*(b.X-a.X) {
			in = !in
		}
	}
	return in
}

// darken takes the paper's own shade away, in the channel in which the line stands out most. ratio is the line's
// darkness in multiples of the noise.
func (d *drawing) darken() (ratio float64, err error) {
	best, level := 0.0, 0.0
	for i := range 2 { // brightness, and red, in which blue is dark
		ch := d.channel(i)
		r := newRaster(ch.w, ch.h)
		for k, v := range ch.v {
			r.v[k] = float32(math.Log(float64(v) + 8))
		}
		r = blur(r, max(0, int(math.Round(0.25/d.mm))))
		back := blur(r, max(2, int(lineBackMM/d.mm)))
		dark := newRaster(ch.w, ch.h)
		sides := sidesOf(r.w, d.mm)
		sample := make([]float64, 0, len(r.v)/7+1)
		for k := range r.v {
			if dark.v[k] = back.v[k] - r.v[k]; dark.v[k] > 0 {
				dark.v[k] = min(dark.v[k], ridge(r, k, sides))
			}
			if k%7 == 0 {
				sample = append(sample, float64(dark.v[k]))
			}
		}
		slices.Sort(sample)
		middle := sample[len(sample)/2]
		off := make([]float64, len(sample))
		for k, v := range sample {
			off[k] = math.Abs(v - middle)
		}
		slices.Sort(off)
		noise := max(1.4826*off[len(off)/2], 0.003)
		top := sample[len(sample)*9975/10000]
		if v := top / noise; v > 1.2*best {
			best, level, d.dark, d.light = v, top, dark, r
		}
	}
	if level < leastLine || best < lineOverNoise {
		return 0, noOutline("no line stands out from the paper; a line is wanted, drawn round the foot")
	}
	d.level(level)
	return best, nil
}

// level makes so much the line's usual darkness.
func (d *drawing) level(usual float64) {
	for k := range d.dark.v {
		d.dark.v[k] /= float32(usual)
		d.light.v[k] /= float32(usual)
	}
}

// sidesOf are the places to either side of a line that may go any way, in steps through a raster.
func sidesOf(w int, mm float64) (out []side) {
	for k := range 4 {
		sin, cos := math.Sincos(math.Pi * float64(k) / 4)
		for _, off := range []float64{ridgeNearMM, ridgeFarMM} {
			x, y := int(math.Round(off*cos/mm)), int(math.Round(off*sin/mm))
			out = append(out, side{x, y, y*w + x})
		}
	}
	return out
}

type side struct{ x, y, step int }

// ridge is how much darker a place is than what lies on both sides of it, whichever way: not at a paper's end, nor where a
// shadow begins.
func ridge(r *raster, k int, sides []side) float32 {
	x, y := k%r.w, k/r.w
	best := float32(0)
	for _, s := range sides {
		if x+s.x < r.w && x-s.x >= 0 && x-s.x < r.w && x+s.x >= 0 && y+s.y < r.h && y-s.y >= 0 {
			best = max(best, min(r.v[k+s.step], r.v[k-s.step])-r.v[k])
		}
	}
	return best
}

// ways are the places that may be the line's, at least so dark, each another choice of them: without what is straight across
// the paper (folds, ruled lines), with that, and the largest piece alone.
func (d *drawing) ways(least float32) [][]Point {
	m := newMask(d.w, d.h)
	for i, v := range d.dark.v {
		m.on[i] = v > least
	}
	bent := newMask(d.w, d.h)
	copy(bent.on, m.on)
	for _, l := range d.straight {
		from, to, _ := l.chord(d.corners())
		for long, t := from.distance(to), 0.0; t <= long; t++ {
			for s := -straightPx; s <= straightPx; s++ {
				x, y := int(from.X+t/long*(to.X-from.X)+s*l.n.X), int(from.Y+t/long*(to.Y-from.Y)+s*l.n.Y)
				if x >= 0 && y >= 0 && x < m.w && y < m.h {
					bent.on[y*m.w+x] = false
				}
			}
		}
	}
	var out [][]Point
	for i, m := range []*mask{bent, m} {
		if i == 1 && len(d.straight) == 0 {
			break
		}
		labels, all := pieces(m)
		keep, largest := make([]bool, len(all)+1), 0
		long := func(p piece) float64 { return math.Hypot(float64(p.x1-p.x0), float64(p.y1-p.y0)) }
		for k, p := range all {
			keep[p.label] = long(p)*d.mm >= strokeMM
			if long(p) > long(all[largest]) {
				largest = k
			}
		}
		var every, alone []Point
		for i, l := range labels {
			if l > 0 && keep[l] {
				q := Point{float64(i % d.w), float64(i / d.w)}
				if every = append(every, q); l == int32(all[largest].label) {
					alone = append(alone, q)
				}
			}
		}
		out = append(out, every, alone)
	}
	return out
}

// straights are the lines that go straight across the whole paper; none where all of it is stripes.
func (d *drawing) straights() (out []halfPlane) {
	const turns, wide = 720, 3.0
	var at []Point // the ridges
	for y := 2; y < d.h-2; y++ {
		for x := 2; x < d.w-2; x++ {
			v, i, w := d.dark.v, y*d.w+x, d.w
			if v[i] > besideLine && (v[i] >= max(v[i-1], v[i-2], v[i+1], v[i+2]) || v[i] >= max(v[i-w], v[i-2*w], v[i+w], v[i+2*w])) {
				at = append(at, Point{float64(x), float64(y)})
			}
		}
	}
	each := len(at)/straightPlaces + 1 // of them one tells
	bins := int(2*math.Hypot(float64(d.w), float64(d.h))/wide) + 4
	votes := make([]int, bins)
	for k := range turns {
		sin, cos := math.Sincos(math.Pi * float64(k) / turns)
		clear(votes)
		for i := 0; i < len(at); i += each {
			votes[int((at[i].X*cos+at[i].Y*sin)/wide+float64(bins/2))]++
		}
		for i, n := range votes {
			if n *= each; float64(n)*d.mm < leastStraightMM {
				continue
			}
			l := halfPlane{Point{cos, sin}, (float64(i-bins/2) + 0.5) * wide}
			if from, to, ok := l.chord(d.corners()); ok && float64(n) >= straightShare*from.distance(to) {
				if out = append(out, l); len(out) > mostStraights {
					return nil
				}
			}
		}
	}
	return out
}

// pose is where a drawn foot lies: its middle, and half its length and width as directions.
type pose struct{ from, along, across Point }

// lies is how the foot lies about which such places are drawn.
func (d *drawing) lies(at []Point) (pose, error) {
	if len(at) < 200 {
		return pose{}, noOutline("no line goes round a foot")
	}
	var sx, sy, xx, xy, yy float64
	n := float64(len(at))
	for _, p := range at {
		sx, sy = sx+p.X/n, sy+p.Y/n
	}
	for _, p := range at {
		x, y := p.X-sx, p.Y-sy
		xx, xy, yy = xx+x*x, xy+x*y, yy+y*y
	}
	angle := 0.5 * math.Atan2(2*xy, xx-yy)
	u := Point{math.Cos(angle), math.Sin(angle)}
	v := Point{-u.Y, u.X}
	reach := func(w Point) (lo, hi float64) {
		t := make([]float64, len(at))
		for i, p := range at {
			t[i] = (p.X-sx)*w.X + (p.Y-sy)*w.Y
		}
		slices.Sort(t)
		return t[len(t)*5/1000], t[len(t)*995/1000]
	}
	a0, a1 := reach(u)
	b0, b1 := reach(v)
	long, wide := (a1-a0)*d.mm, (b1-b0)*d.mm
	switch {
	case long < leastAcrossMM || long > mostAcrossMM:
		return pose{}, noOutline("what is drawn is %.0f mm long; a line is wanted, drawn round the foot", long)
	case wide > stoutestTraced*long:
		return pose{}, noOutline("what is drawn is %.0f by %.0f mm; one foot is traced on a sheet", long, wide)
	case wide < slimmestTraced*long:
		return pose{}, noOutline("what is drawn is %.0f by %.0f mm, and goes round no foot", long, wide)
	}
	ma, mb := (a0+a1)/2, (b0+b1)/2
	return pose{Point{sx + ma*u.X + mb*v.X, sy + ma*u.Y + mb*v.Y}, Point{u.X * (a1 - a0) / 2, u.Y * (a1 - a0) / 2},
		Point{v.X * (b1 - b0) / 2, v.Y * (b1 - b0) / 2}}, nil
}

// ray is one look outward from the foot's middle line.
type ray struct {
	from, dir Point
}

// capsule is the looks outward all about a foot: square to its middle line along the sides, in a fan at its ends.
func (d *drawing) capsule(at pose) []ray {
	from, along, across := at.from, at.along, at.across
	half, wide := math.Hypot(along.X, along.Y), math.Hypot(across.X, across.Y)
	u := Point{along.X / half, along.Y / half}
	v := Point{across.X / wide, across.Y / wide}
	straight := half - wide
	step := sampleMM / d.mm
	var out []ray
	side := func(sign float64) {
		for t := -straight; t < straight; t += step {
			out = append(out, ray{Point{from.X + sign*t*u.X, from.Y + sign*t*u.Y}, Point{sign * v.X, sign * v.Y}})
		}
	}
	fan := func(sign float64) {
		end := Point{from.X + sign*straight*u.X, from.Y + sign*straight*u.Y}
		n := int(math.Pi * wide / step)
		for k := range n {
			s, c := math.Sincos(math.Pi * float64(k) / float64(n))
			// From the side on which this end is reached, over the end, to the other.
			out = append(out, ray{end, Point{sign * (c*v.X + s*u.X), sign * (c*v.Y + s*u.Y)}})
		}
	}
	side(1)
	fan(1)
	side(-1)
	fan(-1)
	return out
}
