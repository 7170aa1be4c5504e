package footprint

import (
	"fmt"
	"image"
	"math"
	"slices"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// OutlineSchema of a traced foot.
const OutlineSchema = "trevik.outline/v1"

// House values of the outline reader.
const (
	PenMM          = 7.0  // a pencil's barrel keeps the line half of it from the foot
	lineBackMM     = 5.0  // over which the paper about a line is taken
	leastLine      = 0.05 // of the logarithm of brightness, that a line is darker than its paper
	lineOverNoise  = 5.0
	strokeMM       = 10.0 // a piece of the line reaches so far at least
	leastAcrossMM  = 110.0
	mostAcrossMM   = 380.0
	stoutestTraced = 0.62 // width of the length; two feet are stouter
	slimmestTraced = 0.24
	sampleMM       = 0.8 // along the outline
	stiffness      = 0.06
	lineThere      = 0.3  // of the line's usual darkness
	openFromMM     = 3.0  // a gap that is told
	mostOpenMM     = 26.0 // a gap that cannot be bridged
	mostMissing    = 0.34 // of the line
	doubleFromMM   = 1.6
	doubleToMM     = 6.5
	mostDouble     = 0.12 // of the line, from which it is told as drawn twice
	edgeMM         = 1.0
	frontShare     = 0.46 // of the ball's width from the inner side, where the second toe lies
	mostThrough    = 60   // places by hand
	heldMM         = 14.4 // along the line to either side of a place by hand, that it has a say in
	heldAsideMM    = 3.0  // that the line may leave it next to it, and heldSpread times what it lies away more
	heldSpread     = 0.6
)

// OutlineOptions are what is known or put right by hand. Points are pixels of the picture.
type OutlineOptions struct {
	Foot        term.Side // empty: told from the outline
	Orientation int       // as EXIF counts
	MMPerPx     float64
	Corners     *[4]Point
	Paper       Paper
	PenMM       *float64 // nil is PenMM
	Axis        *Axis
	Through     []Point // places that the drawn line goes through, put right by hand
}

// Traced is what a traced foot comes to. Lengths mm, points pixels of the picture.
type Traced struct {
	Foot          term.Side
	Scale         Scale
	LengthMM      float64
	BallMM        float64
	HeelMM        float64
	ToeShape      term.Shape
	Axis          Axis
	Line          []Point // the middle of what was drawn
	Outline       []Point // the foot's own
	Score         float64
	Flags         []string
	Warnings      []fault.Warning
	Width, Height int
}

// OutlineSD is the standard error of a length or width, mm, that was read with a score.
func OutlineSD(score float64) float64 { return 1 / score }

func noOutline(why string, args ...any) error {
	return fault.List{{Field: "photo", Text: "holds no foot that was traced: " + fmt.Sprintf(why, args...)}}
}

// ReadOutline reads a foot that was traced on the print sheet. It fails with a fault.List where there is no scale,
// no line, more than one foot, or an option that is not allowed.
func ReadOutline(img image.Image, opt OutlineOptions) (Traced, error) {
	pen := PenMM
	var l fault.List
	if opt.Foot != "" {
		fault.OneOf(&l, "foot", opt.Foot, term.Sides)
	}
	if opt.PenMM != nil {
		l.Range("pen_mm", *opt.PenMM, 0, 20, "mm")
		pen = *opt.PenMM
	}
	if n := len(opt.Through); n > mostThrough {
		l.Add("through", "has %d places; allowed are up to %d", n, mostThrough)
	}
	for _, q := range opt.Through {
		if !(math.Abs(q.X) < 1e5 && math.Abs(q.Y) < 1e5) {
			l.Add("through", "holds a place that is no pixel of the picture")
			break
		}
	}
	if err := l.Err(); err != nil {
		return Traced{}, err
	}
	b := img.Bounds()
	if err := (Options{Orientation: opt.Orientation, MMPerPx: opt.MMPerPx, Corners: opt.Corners, Paper: opt.Paper}).check(b); err != nil {
		return Traced{}, err
	}
	p, err := planeOf(img, Options{Orientation: opt.Orientation, MMPerPx: opt.MMPerPx, Corners: opt.Corners, Paper: opt.Paper})
	if err != nil {
		return Traced{}, err
	}
	if p.mm == 0 {
		why := "without a scale an outline tells nothing; photograph all four marks of the print sheet, or give the paper's corners or mm a pixel"
		if p.missing > 0 {
			why = fmt.Sprintf("%d of the sheet's four marks cannot be seen; %s", p.missing, why)
		}
		return Traced{}, fault.List{{Field: "photo", Text: "has no scale: " + why}}
	}
	out := Traced{Scale: p.scale, Flags: []string{}, Warnings: []fault.Warning{}, Width: b.Dx(), Height: b.Dy()}
	if opt.Orientation >= 5 {
		out.Width, out.Height = out.Height, out.Width
	}
	d := drawing{plane: p, score: 1}
	for _, q := range opt.Through {
		d.through = append(d.through, p.toPlane(q))
	}
	if err := d.find(&out); err != nil {
		return Traced{}, err
	}
	if err := d.measure(&out, pen, opt); err != nil {
		return Traced{}, err
	}
	return out, nil
}

// drawing is the search for the drawn line. Points are pixels of the plane.
type drawing struct {
	plane
	dark  *raster // how much darker than its paper each place is, 1 is the line's usual darkness
	light *raster // the logarithm of brightness, in the same measure
	line  []Point
	score float64

	through []Point // by hand
	held    []bool  // the looks outward that a hand has a say in
}

// find looks for the closed line about the foot.
func (d *drawing) find(out *Traced) error {
	ratio, err := d.darken()
	if err != nil {
		return err
	}
	from, along, across, err := d.pose()
	if err != nil {
		return err
	}
	c := d.capsule(from, along, across)
	if err := d.follow(c); err != nil {
		return err
	}
	return d.judge(out, c, ratio)
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
		sample := make([]float64, 0, len(r.v)/7+1)
		for k := range r.v {
			dark.v[k] = back.v[k] - r.v[k]
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
		top := sample[len(sample)*996/1000]
		if v := top / noise; v > 1.2*best {
			best, level, d.dark, d.light = v, top, dark, r
		}
	}
	if level < leastLine || best < lineOverNoise {
		return 0, noOutline("no line stands out from the paper")
	}
	for k := range d.dark.v {
		d.dark.v[k] /= float32(level)
		d.light.v[k] /= float32(level)
	}
	return best, nil
}

// pose is where the drawn foot lies: its middle, and half its length and width as directions.
func (d *drawing) pose() (from, along, across Point, err error) {
	m := newMask(d.w, d.h)
	for i, v := range d.dark.v {
		m.on[i] = v > 0.5
	}
	labels, all := pieces(m)
	keep := make([]bool, len(all)+1)
	for _, p := range all {
		keep[p.label] = math.Hypot(float64(p.x1-p.x0), float64(p.y1-p.y0))*d.mm >= strokeMM
	}
	var at []Point
	for i, l := range labels {
		if l > 0 && keep[l] {
			at = append(at, Point{float64(i % d.w), float64(i / d.w)})
		}
	}
	if len(at) < 200 {
		return from, along, across, noOutline("no line goes round a foot")
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
		err = noOutline("what is drawn is %.0f mm long", long)
	case wide > stoutestTraced*long:
		err = noOutline("what is drawn is %.0f by %.0f mm; one foot is traced on a sheet", long, wide)
	case wide < slimmestTraced*long:
		err = noOutline("what is drawn is %.0f by %.0f mm, and goes round no foot", long, wide)
	}
	ma, mb := (a0+a1)/2, (b0+b1)/2
	from = Point{sx + ma*u.X + mb*v.X, sy + ma*u.Y + mb*v.Y}
	return from, Point{u.X * (a1 - a0) / 2, u.Y * (a1 - a0) / 2}, Point{v.X * (b1 - b0) / 2, v.Y * (b1 - b0) / 2}, err
}

// ray is one look outward from the foot's middle line.
type ray struct {
	from, dir Point
}

// capsule is the looks outward all about a foot: square to its middle line along the sides, in a fan at its ends.
func (d *drawing) capsule(from, along, across Point) []ray {
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

// follow finds the closed way round along which there is most line, by dynamic programming over how far out it
// lies on each ray.
func (d *drawing) follow(rays []ray) error {
	n := len(rays)
	least, most := int(8/d.mm), int(85/d.mm)
	w := most - least
	const bend = 3 // steps that the line may move from one ray to the next
	seen := make([][]float32, n)
	for k, r := range rays {
		seen[k] = make([]float32, w)
		for j := range w {
			q := Point{r.from.X + float64(least+j)*r.dir.X, r.from.Y + float64(least+j)*r.dir.Y}
			if q.X >= 0 && q.Y >= 0 && q.X <= float64(d.w-1) && q.Y <= float64(d.h-1) {
				seen[k][j] = min(1, max(0, d.dark.sample(q.X, q.Y)))
			}
		}
	}
	if err := d.hold(rays, seen, least); err != nil {
		return err
	}
	// Twice round, so that where it begins says nothing; the middle of it counts.
	turns := 2 * n
	cost := make([]float32, w)
	back := make([][]int8, turns)
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
		cost, back[t] = next, from
	}
	j := 0
	for i := range cost {
		if cost[i] < cost[j] {
			j = i
		}
	}
	at := make([]int, turns)
	for t := turns - 1; t >= 0; t-- {
		at[t] = j
		j += int(back[t][j])
	}
	d.line = make([]Point, n)
	for k := range n {
		t := k + n/2
		r := rays[t%n]
		// The middle of the line about there.
		sum, weight := 0.0, 0.0
		reach := int(math.Ceil(1.2 / d.mm))
		for i := max(0, at[t]-reach); i <= min(w-1, at[t]+reach); i++ {
			v := max(0, float64(seen[t%n][i]))
			sum, weight = sum+v*float64(i), weight+v
		}
		out := float64(at[t])
		if weight > 0.5 {
			out = sum / weight
		}
		out += float64(least)
		d.line[t%n] = Point{r.from.X + out*r.dir.X, r.from.Y + out*r.dir.Y}
	}
	return nil
}

// hold lets the line pass only through the places that a hand gave, and near them beside those.
func (d *drawing) hold(rays []ray, seen [][]float32, least int) error {
	const barred = -40
	n := len(rays)
	d.held = make([]bool, n)
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
		d.held[i] = true
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

// judge says what is wrong with the line that was found, and refuses what is none.
func (d *drawing) judge(out *Traced, rays []ray, ratio float64) error {
	n := len(d.line)
	there := make([]bool, n)
	missing, twice, edge, filled, looked := 0, 0, 0, 0, 0
	for k, p := range d.line {
		dir := rays[k].dir
		at := func(mm float64, r *raster) float64 {
			x, y := p.X+mm/d.mm*dir.X, p.Y+mm/d.mm*dir.Y
			if x < 0 || y < 0 || x > float64(d.w-1) || y > float64(d.h-1) {
				return 0
			}
			return float64(r.sample(x, y))
		}
		there[k] = d.held[k]
		for mm := -0.7; mm <= 0.7; mm += 0.35 {
			there[k] = there[k] || at(mm, d.dark) > lineThere
		}
		if !there[k] {
			missing++
		}
		second := false
		for mm := doubleFromMM; mm <= doubleToMM; mm += 0.3 {
			second = second || at(mm, d.dark) > 0.5 || at(-mm, d.dark) > 0.5
		}
		if second {
			twice++
		}
		if p.X < edgeMM/d.mm || p.Y < edgeMM/d.mm || p.X > float64(d.w-1)-edgeMM/d.mm || p.Y > float64(d.h-1)-edgeMM/d.mm {
			edge++
		}
		if looked++; at(3.5, d.light)-at(-3.5, d.light) > 0.5 {
			filled++
		}
	}
	around := 0.0
	for k, p := range d.line {
		q := d.line[(k+1)%n]
		around += math.Hypot(p.X-q.X, p.Y-q.Y) * d.mm
	}
	each := around / float64(n)
	gap, run := 0, 0
	for k := range 2 * n {
		if run++; there[k%n] {
			run = 0
		}
		gap = max(gap, min(run, n))
	}
	open := float64(gap) * each
	switch {
	case float64(filled) > 0.5*float64(looked):
		return noOutline("inside it is darker than outside, as a picture or a print of a foot is; a line is wanted")
	case float64(edge)*each > 12:
		return noOutline("the line leaves the sheet's inner part over %.0f mm", float64(edge)*each)
	case open > mostOpenMM || float64(missing) > mostMissing*float64(n):
		return noOutline("no closed line goes round it; %.0f mm of it are missing at one place, %.0f %% in all", open,
			100*float64(missing)/float64(n))
	}
	mark := func(flag string, factor float64) {
		out.Flags = append(out.Flags, flag)
		d.score *= factor
	}
	if edge > 0 {
		mark("cut_off", 0.5)
	}
	if open > openFromMM {
		mark("open_line", max(0.5, 1-open/40))
	}
	if float64(twice) > mostDouble*float64(n) {
		mark("double_line", 0.75)
	}
	if wide := d.thickness(rays); wide > 3.2 {
		mark("blurred", max(0.5, 3.2/wide))
	}
	d.score *= 1 - 0.4*float64(missing)/float64(n)
	d.score *= min(1, 0.7+0.3*ratio/12)
	return nil
}

// thickness is the line's own, mm, in the middle.
func (d *drawing) thickness(rays []ray) float64 {
	var all []float64
	for k, p := range d.line {
		n := 0
		for mm := -5.0; mm <= 5; mm += 0.2 {
			x, y := p.X+mm/d.mm*rays[k].dir.X, p.Y+mm/d.mm*rays[k].dir.Y
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

// measure takes the foot's own outline from the line and measures it.
func (d *drawing) measure(out *Traced, pen float64, opt OutlineOptions) error {
	foot := inward(rounded(d.line, 3), pen/2/d.mm)
	m := newTracedFrame(foot)
	if !(m.spans(leastAcrossMM/d.mm, mostAcrossMM/d.mm)) {
		return noOutline("the line goes round no foot")
	}
	m.orient()
	sign, told := m.innerSide()
	seen := sideOf(sign)
	if out.Foot = opt.Foot; out.Foot == "" {
		out.Foot = seen
		if told < tracedUnsure {
			out.Warnings = append(out.Warnings, fault.Warning{Code: "side_unsure",
				Text: "Left or right cannot be told for sure from this outline; say which foot it is."})
		}
	} else if seen != out.Foot {
		if told > tracedUnsure {
			out.Warnings = append(out.Warnings, fault.Warning{Code: "side_differs",
				Text: fmt.Sprintf("Given as %s, yet the outline looks like a %s foot.", opt.Foot, seen)})
		}
		sign = -sign
	}
	heel, front := m.settle(sign)
	if opt.Axis != nil {
		heel, front = d.toPlane(opt.Axis.Heel), d.toPlane(opt.Axis.Toe)
		m.along(heel, front)
	}
	w := m.widths()
	out.LengthMM, out.BallMM, out.HeelMM = (m.hi-m.lo)*d.mm, w.ball*d.mm, w.heel*d.mm
	if out.LengthMM < 140 || out.LengthMM > 360 || out.BallMM < 0.28*out.LengthMM || out.BallMM > 0.56*out.LengthMM ||
		out.HeelMM > 1.02*out.BallMM || out.HeelMM < 0.42*out.BallMM {
		return noOutline("its %.0f mm of length, %.0f of ball and %.0f of heel are no foot's", out.LengthMM, out.BallMM, out.HeelMM)
	}
	out.ToeShape = m.toeShape(sign, w.ball)
	out.Axis = Axis{d.toPicture(heel), d.toPicture(front)}
	for _, q := range d.line {
		out.Line = append(out.Line, d.toPicture(q))
	}
	for _, q := range foot {
		out.Outline = append(out.Outline, d.toPicture(q))
	}
	if out.Scale.Source == "sheet" || out.Scale.Source == "corners" {
		if px := math.Hypot(out.Axis.Heel.X-out.Axis.Toe.X, out.Axis.Heel.Y-out.Axis.Toe.Y); px > 0 {
			out.Scale.MMPerPx = math.Hypot(heel.X-front.X, heel.Y-front.Y) * d.mm / px
		}
	}
	out.Score = units.Round(min(1, max(leastScore, d.score)), 3)
	return nil
}

// rounded is a closed line averaged over r points to either side.
func rounded(line []Point, r int) []Point {
	n := len(line)
	out := make([]Point, n)
	for i := range line {
		for k := -r; k <= r; k++ {
			q := line[(i+k+n)%n]
			out[i].X += q.X / float64(2*r+1)
			out[i].Y += q.Y / float64(2*r+1)
		}
	}
	return out
}

// inward is a closed line moved to its inner side.
func inward(line []Point, by float64) []Point {
	n := len(line)
	area := 0.0
	for i, p := range line {
		q := line[(i+1)%n]
		area += p.X*q.Y - q.X*p.Y
	}
	if area < 0 {
		by = -by
	}
	out := make([]Point, n)
	for i, p := range line {
		a, b := line[(i+n-3)%n], line[(i+3)%n]
		dx, dy := b.X-a.X, b.Y-a.Y
		l := max(1e-9, math.Hypot(dx, dy))
		out[i] = Point{p.X - dy/l*by, p.Y + dx/l*by}
	}
	return out
}
