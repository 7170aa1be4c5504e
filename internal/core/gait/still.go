package gait

import (
	"image"
	"math"
	"math/cmplx"
	"slices"

	"trevik/internal/core/term"
)

// House values of the look over a film without dots.
const (
	smallHeight  = 240      // px, a film is looked over at
	smallBytes   = 64 << 20 // that its frames take at most
	keptBytes    = 192 << 20
	columns      = 40 // of cells, in which what changes is told apart
	cellRows     = 24
	feetOver     = 12.0 // of brightness, that a foot differs from the ground
	faintCell    = 0.02 // of the cell that changes most: less is noise
	inTurn       = 1.5  // times what a place changes within a beat, from which it changes with the stride
	leadNear     = 25.0 // of brightness, about where a row leads
	leadTimes    = 2.5
	leadClose    = 10.0  // of brightness, that the ground differs from where its row leads to
	leadSeen     = 2     // beats, in which the ground is as its row leads to: it is no leg then, however long that stays
	footHigh     = 0.2   // of the picture's height, that a foot is looked at for standing still
	soleBand     = 0.045 // of the picture's height, over the lowest edge
	runStands    = 0.30  // of the stride, that a foot stands at least
	walkStands   = 0.50
	outOfTurn    = 5 // beats, that the feet come out of turn at most
	cameraLooks  = 24
	cameraReach  = 5    // px of the small picture, that a camera is looked at for having moved
	solesApart   = 0.03 // of the picture's height
	walkFills    = 0.2  // of what it counts in a run, that a standing foot fills its place: walking, the other hardly leaves it
	slowWalk     = 0.5  // Hz, of one leg
	fastWalk     = 1.4
	slowRun      = 1.0
	fastRun      = 2.1
	slowMotionTo = 61   // frames a second, that a film plays at which was filmed at more
	leastInStep  = 0.12 // of what changes, that goes with the stride
	lastParts    = 6
	besideHigh   = 0.55 // of the picture's height, that two people's middles lie apart at least: a runner's feet do by 0.4
	besideRim    = 2    // columns at either side, into which a camera that moves brings what was not there
	besideEmpty  = 0.2  // of what changes all the while, that does so in the third between them at most
	besideInStep = 0.25
	mirrorBeats  = 0.05 // of a stride, that two legs of one runner seem to differ by over a film
	mirrorReach  = 3    // columns, about the one between them
	mirrorAlike  = 0.5
	mirrorPhase  = 25.0 / 180 * math.Pi
)

// overview is a film at a small scale, brightness alone.
type overview struct {
	by     int // pixels of the film to one of it
	w, h   int
	frames [][]uint8 // nil where a frame could not be used
	light  []float64 // of each frame against the first
	fps    float64
	beats  *beating // once it was asked for
}

// at is a frame, or where it could not be used the nearest that could.
func (o *overview) at(i int) []uint8 {
	for k := range o.frames {
		if a := i - k; a >= 0 && a < len(o.frames) && o.frames[a] != nil {
			return o.frames[a]
		}
		if b := i + k; b >= 0 && b < len(o.frames) && o.frames[b] != nil {
			return o.frames[b]
		}
	}
	return nil
}

// emptyOverview has no frames yet.
func (w *watcher) emptyOverview(n int, fps float64) *overview {
	o := &overview{fps: fps, frames: make([][]uint8, n)}
	o.by = max(1, int(math.Round(float64(w.size.Y)/smallHeight)))
	for w.size.X/o.by*(w.size.Y/o.by)*n > smallBytes {
		o.by++
	}
	o.w, o.h = w.size.X/o.by, w.size.Y/o.by
	return o
}

func newOverview(w *watcher, n int, fps float64, progress func(int) error) (*overview, error) {
	o := w.emptyOverview(n, fps)
	w.kept = make([]*gray, n)
	type seen struct {
		*gray
		small []uint8
	}
	look := func(img image.Image) seen {
		g := grayOf(img)
		return seen{g, o.shrunk(g)}
	}
	return o, eachFrame(w, 1, look, func(i int, s seen) error {
		o.frames[i] = s.small
		if (i+1)*w.size.X*w.size.Y <= keptBytes {
			w.kept[i] = s.gray
		}
		return progress(i)
	})
}

// shrunk is a frame's brightness, averaged over squares.
func (o *overview) shrunk(g *gray) []uint8 {
	out := make([]uint8, o.w*o.h)
	row := func(y int) []uint8 { return g.pix[y*g.w:][:o.w*o.by] }
	if o.by == 2 { // most films; whatever is divided by is known here
		for y := range o.h {
			a, b, to := row(2*y), row(2*y+1), out[y*o.w:(y+1)*o.w]
			for x := range to {
				to[x] = uint8((uint(a[2*x]) + uint(a[2*x+1]) + uint(b[2*x]) + uint(b[2*x+1]) + 2) / 4)
			}
		}
		return out
	}
	area := o.by * o.by
	sum := make([]int, o.w)
	for y := range o.h {
		for x := range sum {
			sum[x] = area / 2
		}
		for dy := range o.by {
			p := row(y*o.by + dy)
			for x := range sum {
				for _, v := range p[x*o.by : (x+1)*o.by] {
					sum[x] += int(v)
				}
			}
		}
		for x, v := range sum {
			out[y*o.w+x] = uint8(v / area)
		}
	}
	return out
}

// steadied takes changes of the light from frame to frame away, once: each is scaled to the same middle.
func (o *overview) steadied() {
	if o.light != nil {
		return
	}
	o.light = make([]float64, len(o.frames))
	first := slices.IndexFunc(o.frames, func(f []uint8) bool { return f != nil })
	_ = eachOf(len(o.frames), func(i int) error {
		f := o.frames[i]
		o.light[i] = 1
		if f == nil || i == first {
			return nil
		}
		ref := o.frames[first]
		// The middle of the ratios, over places all about.
		var ratio []float64
		for p := 0; p < len(f); p += 13 {
			if ref[p] > 20 && ref[p] < 235 && f[p] > 8 && f[p] < 250 {
				ratio = append(ratio, float64(f[p])/float64(ref[p]))
			}
		}
		if len(ratio) < 50 {
			return nil
		}
		k := median(ratio)
		if math.Abs(k-1) < 0.004 {
			return nil
		}
		o.light[i] = k
		for p, v := range f {
			f[p] = uint8(min(255, float64(v)/k+0.5))
		}
		return nil
	})
}

// striding is how a runner strides, as far as the film as a whole shows.
type striding struct {
	hz     float64             // of one leg
	middle map[term.Side][]int // the frames in the middle of each stance
	sole   map[term.Side]float64
	column map[term.Side]float64 // px of the film, where the foot stands
	calf   map[term.Side]float64 // px of the film, where the leg is over it
	masks  map[term.Side][]bool  // of the small picture: what is foot or leg in the middle of a stance, and next to it
	inStep float64               // of what changes, that goes with the stride
	cycle  *cycle
	near   nearing
	beat   int // the middle of the left foot's stance, where that was told by how it comes nearer
}

// cells of the picture whose brightness is followed.
const cells = columns * cellRows

// brightness of each cell in each frame, without what all cells of a row have in common: light, and the belt's
// stripes.
func (o *overview) brightness() [][cells]float64 {
	out := make([][cells]float64, len(o.frames))
	var size [cells]float64
	for y := range o.h {
		for x := range o.w {
			size[y*cellRows/o.h*columns+x*columns/o.w]++
		}
	}
	column := make([]int, o.w)
	for x := range column {
		column[x] = x * columns / o.w
	}
	_ = eachOf(len(out), func(i int) error {
		row := make([]float64, columns)
		f := o.at(i)
		c := &out[i]
		for y := range o.h {
			r := c[y*cellRows/o.h*columns:][:columns]
			for x, v := range f[y*o.w : (y+1)*o.w] {
				r[column[x]] += float64(v)
			}
		}
		for y := range cellRows {
			for x := range columns {
				c[y*columns+x] /= max(1, size[y*columns+x])
				row[x] = c[y*columns+x]
			}
			m := median(row)
			for x := range columns {
				c[y*columns+x] -= m
			}
		}
		return nil
	})
	return out
}

// beating is how each cell's brightness goes from frame to frame, about its mean.
type beating struct {
	fps   float64
	light [][cells]float64
	total [cells]float64 // of what changes
	most  float64        // of one cell
	lasts [cells]float64 // how much it changes all the while: in all but one of some parts of the film at least so much
	known map[int]*[cells]float64
}

// beating is the film's, reckoned once.
func (o *overview) beating() *beating {
	if o.beats != nil {
		if o.beats.fps != o.fps {
			o.beats.fps, o.beats.known = o.fps, map[int]*[cells]float64{}
		}
		return o.beats
	}
	s := &beating{fps: o.fps, light: o.brightness(), known: map[int]*[cells]float64{}}
	o.beats = s
	n := len(s.light)
	var mean [cells]float64
	for i := range s.light {
		for c, v := range s.light[i] {
			mean[c] += v / float64(n)
		}
	}
	s.lasting()
	for i := range s.light {
		w := 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(n))
		for c, v := range s.light[i] {
			s.light[i][c] = (v - mean[c]) * w
			s.total[c] += s.light[i][c] * s.light[i][c]
		}
	}
	s.most = slices.Max(s.total[:])
	return s
}

func (s *beating) lasting() {
	n := len(s.light)
	var all [cells][lastParts]float64
	for p := range lastParts {
		part := s.light[p*n/lastParts : (p+1)*n/lastParts]
		var sum, square [cells]float64
		for i := range part {
			for c, v := range &part[i] {
				sum[c], square[c] = sum[c]+v, square[c]+v*v
			}
		}
		for c := range sum {
			k := float64(max(1, len(part)))
			all[c][p] = math.Sqrt(max(0, square[c]/k-sum[c]/k*sum[c]/k))
		}
	}
	for c := range all {
		slices.Sort(all[c][:])
		s.lasts[c] = all[c][1]
	}
}

// two says whether two people go side by side in the picture, which is so many times as wide as high: what changes all
// the while lies in two places, farther from one another than a runner's feet, each with a rhythm of its own.
func (s *beating) two(wide, slow, fast float64) bool {
	var col [columns]float64
	for c, v := range s.lasts {
		if x := c % columns; c/columns >= cellRows/3 && x >= besideRim && x < columns-besideRim {
			col[x] += v
		}
	}
	split := partedAt(col[:], 1, columns)
	middle := func(from, to int) float64 {
		sum, first := 0.0, 0.0
		for x := from; x < to; x++ {
			sum, first = sum+col[x], first+col[x]*float64(x)
		}
		return first / max(sum, 1e-9)
	}
	left, right := middle(0, split), middle(split, columns)
	if (right-left)*wide/columns < besideHigh {
		return false
	}
	between, all := 0.0, 0.0
	for x, v := range col {
		if all += v; math.Abs(float64(x)-(left+right)/2) < (right-left)/6 {
			between += v
		}
	}
	if between > besideEmpty*all { // where the camera moves all does
		return false
	}
	var hz [2]float64
	for k, far := range []bool{false, true} {
		var share float64
		hz[k], share = s.rhythm(slow, fast, func(c int) bool { return c/columns >= cellRows/3 && (c%columns >= split) == far })
		if share < besideInStep {
			return false
		}
	}
	return !s.mirrored(split, hz)
}

// mirrored says whether what strides to the left of a column and what does to the right of it are the two legs of one who
// is near: in one rhythm, each the other's mirror image half a stride later.
func (s *beating) mirrored(split int, hz [2]float64) bool {
	seconds := float64(len(s.light)) / s.fps
	if math.Abs(hz[1]-hz[0])*seconds > mirrorBeats {
		return false
	}
	var of [cells]complex128 // each cell's change with the stride
	for i := range s.light {
		turn := cmplx.Rect(1, -math.Pi*(hz[0]+hz[1])*float64(i)/s.fps)
		for c, v := range &s.light[i] {
			of[c] += complex(v, 0) * turn
		}
	}
	alike, most := complex128(0), 0.0
	for sum := 2*split - mirrorReach; sum <= 2*split+mirrorReach; sum++ {
		both, left, right := complex128(0), 0.0, 0.0
		for c := cellRows / 3 * columns; c < cells; c++ {
			x := c % columns
			other := sum - x
			if x >= split || other < split || other >= columns {
				continue
			}
			a, b := of[c], of[c-x+other]
			both += a * cmplx.Conj(b)
			left, right = left+real(a*cmplx.Conj(a)), right+real(b*cmplx.Conj(b))
		}
		if v := cmplx.Abs(both) / math.Sqrt(left*right+1e-9); v > most {
			alike, most = both, v
		}
	}
	return most > mirrorAlike && math.Abs(cmplx.Phase(-alike)) < mirrorPhase
}

// power is what of each cell's change goes with a frequency, Hz.
func (s *beating) power(f float64) *[cells]float64 {
	key := int(math.Round(f * 1000))
	if v, ok := s.known[key]; ok {
		return v
	}
	var re, im [cells]float64
	for i := range s.light {
		sin, cos := math.Sincos(2 * math.Pi * f * float64(i) / s.fps)
		for c, v := range &s.light[i] {
			re[c], im[c] = re[c]+cos*v, im[c]+sin*v
		}
	}
	for c := range re {
		re[c] = 2 * (re[c]*re[c] + im[c]*im[c]) / float64(len(s.light))
	}
	s.known[key] = &re
	return &re
}

// inStep is the share of each cell's change that goes with a stride's first three beats: what passes by goes with none.
func (s *beating) inStep(f float64) (of [cells]float64) {
	a, b, c := s.power(f), s.power(2*f), s.power(3*f)
	for k, first := range a {
		of[k] = (first + min(first, b[k]) + 0.5*min(first, c[k])) / (s.total[k] + faintCell*s.most)
	}
	return of
}

// rhythm is the frequency of the stride that cells go with, Hz, and how much of all that changes there goes with it. It
// is 0 where none does.
func (s *beating) rhythm(slow, fast float64, among func(cell int) bool) (hz, inStep float64) {
	if s.most == 0 {
		return 0, 0
	}
	best := 0.0
	look := func(from, to, step float64) {
		for f := from; f <= to; f += step {
			if f*float64(len(s.light))/s.fps < 1.2 {
				continue // hardly a stride
			}
			sum, share, of := 0.0, 0.0, 0.0
			for k, v := range s.inStep(f) {
				if among(k) {
					sum, share, of = sum+v*v, share+v*s.total[k], of+s.total[k]
				}
			}
			if sum > best {
				best, hz, inStep = sum, f, share/of
			}
		}
	}
	look(slow, fast, 0.02)
	if hz > 0 {
		look(hz-0.018, hz+0.018, 0.003)
	}
	return hz, inStep
}

// stride finds the rhythm in which two feet come down in turn. ok is false where there is none.
func (o *overview) stride(m Motion) (out striding, ok bool) {
	slow, fast, standing, fills := slowRun, fastRun, runStands, 1.0
	if m == Walk {
		slow, fast, standing, fills = slowWalk, fastWalk, walkStands, walkFills
	}
	out.hz, out.inStep = o.beating().rhythm(slow, fast, func(int) bool { return true })
	if out.hz == 0 || out.inStep < leastInStep {
		return out, false
	}
	out.cycle = o.fold(out.hz)
	out.cycle.ground()
	return out, out.cycle.feet(&out, o, standing, fills, 0)
}

// twoPeople says whether two people go side by side.
func (o *overview) twoPeople(m Motion) bool {
	slow, fast := slowRun, fastRun
	if m == Walk {
		slow, fast = slowWalk, fastWalk
	}
	return o.beating().two(float64(o.w)/float64(o.h), slow, fast)
}

// slowed says whether a film in which nothing strides is slow motion, in which something does, and at what rate that was
// filmed, frames a second.
func (o *overview) slowed(m Motion) (fps float64, ok bool) {
	was := o.fps
	defer func() { o.fps = was }()
	if was > slowMotionTo {
		return 0, false
	}
	for _, times := range []float64{4, 8, 2} {
		o.fps = times * was
		if _, ok := o.stride(m); ok {
			return o.fps, true
		}
	}
	return 0, false
}

// turned is the stride with the feet standing half of it later.
func (o *overview) turned(s striding, m Motion) (out striding, ok bool) {
	standing, fills := runStands, 1.0
	if m == Walk {
		standing, fills = walkStands, walkFills
	}
	out = striding{hz: s.hz, inStep: s.inStep, cycle: s.cycle}
	return out, s.cycle.feet(&out, o, standing, fills, beats/2)
}

// cycle is the film laid over itself, stride upon stride.
type cycle struct {
	w, h  int
	mean  [beats][]float32
	turns []bool // where it changes with the stride rather than by itself
	noise float64
	back  []float32 // what is there without the runner
}

const (
	beats      = 32   // of a stride
	mostFolded = 10.0 // strides
)

func (o *overview) fold(hz float64) *cycle {
	c := &cycle{w: o.w, h: o.h}
	var count [beats]float32
	for b := range c.mean {
		c.mean[b] = make([]float32, o.w*o.h)
	}
	square := make([]float32, o.w*o.h)
	n := min(len(o.frames), int(mostFolded/hz*o.fps))
	for i := range n {
		f := o.frames[i]
		if f == nil {
			continue
		}
		b := beatOf(i, hz, o.fps)
		count[b]++
		m := c.mean[b]
		for p, v := range f {
			m[p] += float32(v)
			square[p] += float32(v) * float32(v)
		}
	}
	for b := range c.mean {
		if count[b] == 0 {
			copy(c.mean[b], c.mean[(b+beats-1)%beats])
			continue
		}
		for p := range c.mean[b] {
			c.mean[b][p] /= count[b]
			square[p] -= count[b] * c.mean[b][p] * c.mean[b][p]
		}
	}
	// What goes through a whole row, as the belt's stripes do, is no foot: where a place changes less without it,
	// it is taken away.
	row := make([]float64, c.w)
	for y := range c.h {
		var middle [beats]float32
		usual := float32(0)
		for b := range c.mean {
			for x, v := range c.mean[b][y*c.w : (y+1)*c.w] {
				row[x] = float64(v)
			}
			middle[b] = float32(median(row))
			usual += middle[b] / beats
		}
		for p := y * c.w; p < (y+1)*c.w; p++ {
			var plain, less, of float32
			for b := range c.mean {
				of += c.mean[b][p] / beats
			}
			for b := range c.mean {
				d := c.mean[b][p] - of
				plain += d * d
				d -= middle[b] - usual
				less += d * d
			}
			if less < plain {
				for b := range c.mean {
					c.mean[b][p] -= middle[b] - usual
				}
			}
		}
	}
	// What a place changes from beat to beat against what it does within one.
	c.turns = make([]bool, o.w*o.h)
	all := float32(0)
	for _, k := range count {
		all += k
	}
	for p := range c.turns {
		of := float32(0)
		for b := range c.mean {
			of += count[b] * c.mean[b][p] / all
		}
		within := square[p]
		between := float32(0)
		for b := range c.mean {
			d := c.mean[b][p] - of
			between += count[b] * d * d
		}
		c.turns[p] = between > inTurn*max(within, all)
	}
	return c
}

func beatOf(i int, hz, fps float64) int {
	_, part := math.Modf(float64(i) * hz / fps)
	return min(beats-1, int(part*beats))
}

// ground tells what is there without the runner. What never changes with the stride is ground; elsewhere it is that
// of the values which a place takes over a stride that it keeps long and that its neighbours in the row lead to.
func (c *cycle) ground() {
	c.back = make([]float32, c.w*c.h)
	var diff []float64
	for p := 0; p < c.w*c.h; p += 7 {
		for b := 1; b < beats; b += 3 {
			diff = append(diff, math.Abs(float64(c.mean[b][p]-c.mean[b-1][p])))
		}
	}
	c.noise = max(0.8, 1.4826*median(diff)/math.Sqrt2)
	near := float32(max(3, 2.5*c.noise))
	over := func(p int) (sum float32) {
		for b := range beats {
			sum += c.mean[b][p] / beats
		}
		return sum
	}
	for y := range c.h {
		last := -1
		for x := 0; x <= c.w; x++ {
			if x < c.w && c.turns[y*c.w+x] {
				continue
			}
			if x < c.w {
				c.back[y*c.w+x] = over(y*c.w + x)
			}
			for k := last + 1; k < x; k++ {
				var lead float32
				switch {
				case last < 0 && x == c.w:
					lead = over(y*c.w + k)
				case last < 0:
					lead = c.back[y*c.w+x]
				case x == c.w:
					lead = c.back[y*c.w+last]
				default:
					u := float32(k-last) / float32(x-last)
					lead = (1-u)*c.back[y*c.w+last] + u*c.back[y*c.w+x]
				}
				c.back[y*c.w+k] = c.kept(y*c.w+k, near, lead)
			}
			last = x
		}
	}
}

// kept is the value that a place keeps long over a stride, the rather the nearer it lies to where it is led.
func (c *cycle) kept(p int, near, lead float32) float32 {
	var close, of float32
	for b := range beats {
		if d := c.mean[b][p] - lead; d < leadClose && d > -leadClose {
			close, of = close+c.mean[b][p], of+1
		}
	}
	if of >= leadSeen {
		return close / of
	}
	best, at := -1.0, lead
	for b := range beats {
		v, count, sum := c.mean[b][p], 0.0, float32(0)
		for k := range beats {
			if d := c.mean[k][p] - v; d < near && d > -near {
				count++
				sum += c.mean[k][p]
			}
		}
		mean := sum / float32(count)
		d := float64(mean-lead) / leadNear
		if count *= 1 + leadTimes*math.Exp(-d*d); count > best {
			best, at = count, mean
		}
	}
	return at
}

// feet tells where and when each foot stands.
func (c *cycle) feet(out *striding, o *overview, standing, fills float64, later int) bool {
	there := c.there()
	split, ok := c.split(there)
	if !ok {
		return false
	}
	out.sole = map[term.Side]float64{}
	var stands [2][beats]float64
	for k, side := range term.Sides {
		x0, x1 := c.half(k, split)
		sole := c.lowest(x0, x1, there)
		out.sole[side] = float64(sole * o.by)
		// A foot that stands is still, and fills the place above its lowest edge.
		top, band := max(0, sole-int(footHigh*float64(c.h))), max(0, sole-int(soleBand*float64(c.h)))
		var change, filled [beats]float64
		for b := range beats {
			last := (b + beats - 1) % beats
			for p := top * c.w; p < (sole+1)*c.w; p++ {
				if x := p % c.w; x < x0 || x >= x1 || !c.turns[p] {
					continue
				}
				change[b] += math.Abs(float64(c.mean[b][p] - c.mean[last][p]))
				if p >= band*c.w && there(b, p) {
					filled[b] += math.Abs(float64(c.mean[b][p] - c.back[p]))
				}
			}
		}
		span := int(math.Round(standing * beats))
		var still, full [beats]float64
		for b := range beats {
			for j := 1 - span/2; j <= span/2; j++ {
				still[b] += change[(b+j+beats)%beats]
				full[b] += filled[(b+j+beats)%beats]
			}
		}
		mostStill, mostFull := max(1, slices.Max(still[:])), max(1, slices.Max(full[:]))
		for b := range beats {
			stands[k][b] = fills*full[b]/mostFull - still[b]/mostStill
		}
	}
	// Both stand on one belt: an edge that was not seen is taken to lie as low as the other's.
	l, r := out.sole[term.Left], out.sole[term.Right]
	if apart := solesApart * float64(c.h*o.by); math.Abs(l-r) > apart {
		out.sole[term.Left], out.sole[term.Right] = max(l, r), max(l, r)
	}
	// One foot half a stride after the other.
	best := math.Inf(-1)
	var at0 [2]int
	for a := range beats {
		for turn := beats/2 - outOfTurn; turn <= beats/2+outOfTurn; turn++ {
			b := (a + turn) % beats
			if v := stands[0][a] + stands[1][b]; v > best {
				best, at0 = v, [2]int{a, b}
			}
		}
	}
	c.place(out, o, [2]int{(at0[0] + later) % beats, (at0[1] + later) % beats}, split, there)
	return true
}

// there says of a beat and a place whether something is before the ground.
func (c *cycle) there() func(b, p int) bool {
	limit := float32(max(feetOver, 4*c.noise))
	return func(b, p int) bool {
		d := c.mean[b][p] - c.back[p]
		return c.turns[p] && (d > limit || d < -limit)
	}
}

// split is the column between the legs: where the two parts have least spread about their own middles. ok is false where
// there is too little of them.
func (c *cycle) split(there func(b, p int) bool) (at int, ok bool) {
	col := make([]float64, c.w) // how often each column is not ground
	total := 0.0
	for b := range beats {
		for p := c.h / 4 * c.w; p < c.w*c.h; p++ {
			if there(b, p) {
				col[p%c.w]++
				total++
			}
		}
	}
	return partedAt(col, c.w/8, c.w*7/8), total >= 8*beats
}

// half is the columns of the left foot, or of the right.
func (c *cycle) half(k, split int) (from, to int) {
	if k == 0 {
		return 0, split
	}
	return split, c.w
}

// place tells where each foot stands, by the beats in the middle of their stances.
func (c *cycle) place(out *striding, o *overview, at0 [2]int, split int, there func(b, p int) bool) {
	out.middle, out.column = map[term.Side][]int{}, map[term.Side]float64{}
	out.masks, out.calf = map[term.Side][]bool{}, map[term.Side]float64{}
	for k, side := range term.Sides {
		x0, x1 := c.half(k, split)
		sole := int(out.sole[side]) / o.by
		out.masks[side] = make([]bool, c.w*c.h)
		for y := range c.h {
			for x := x0; x < x1; x++ {
				for j := -1; j <= 1; j++ {
					if !there((at0[k]+j+beats)%beats, y*c.w+x) {
						continue
					}
					for dy := -2; dy <= 2; dy++ {
						for dx := -2; dx <= 2; dx++ {
							if yy, xx := y+dy, x+dx; yy >= 0 && yy < c.h && xx >= 0 && xx < c.w {
								out.masks[side][yy*c.w+xx] = true
							}
						}
					}
				}
			}
		}
		// What is there in its middle: at the foot, and over it.
		reach := func(low, high float64) float64 {
			var at []float64
			for j := -2; j <= 2; j++ {
				b := (at0[k] + j + beats) % beats
				for y := max(0, sole-int(high*float64(c.h))); y <= sole-int(low*float64(c.h)); y++ {
					first, last := -1, -1
					for x := x0; x < x1; x++ {
						if there(b, y*c.w+x) {
							if first < 0 {
								first = x
							}
							last = x
						}
					}
					if first >= 0 {
						at = append(at, float64(first+last)/2)
					}
				}
			}
			if len(at) == 0 {
				return float64(x0+x1) / 2
			}
			return median(at)
		}
		foot, calf := reach(0.01, soleBand), reach(0.15, 0.25)
		out.column[side] = (foot + 0.5) * float64(o.by)
		out.calf[side] = (calf + 0.5) * float64(o.by)
		phase := (float64(at0[k]) + 0.5) / beats
		period := o.fps / out.hz
		for t := phase * period; t < float64(len(o.frames)); t += period {
			out.middle[side] = append(out.middle[side], int(t))
		}
	}
}

// lowest is the lowest row in which several places beside one another come and go.
func (c *cycle) lowest(x0, x1 int, there func(b, p int) bool) int {
	need := max(3, c.w/90)
	for y := c.h - 1; y > 0; y-- {
		for b := range beats {
			run := 0
			for x := x0; x < x1; x++ {
				if run++; !there(b, y*c.w+x) {
					run = 0
				}
				if run >= need {
					return y
				}
			}
		}
	}
	return 0
}

// partedAt is where, of the places from one on to another, a distribution falls into two with least spread about their own
// middles.
func partedAt(v []float64, from, to int) (at int) {
	least := math.Inf(1)
	for i := from; i < to; i++ {
		if s := spread(v[:i]) + spread(v[i:]); s < least {
			least, at = s, i
		}
	}
	return at
}

// spread of a distribution about its middle, not normed.
func spread(v []float64) float64 {
	sum, first, second := 0.0, 0.0, 0.0
	for i, w := range v {
		x := float64(i)
		sum, first, second = sum+w, first+w*x, second+w*x*x
	}
	if sum == 0 {
		return 0
	}
	return second - first*first/sum
}

// quartered is the same at a quarter of the scale, at which what goes far is found.
func (o *overview) quartered() *overview {
	out := &overview{fps: o.fps, by: 4, w: o.w / 4, h: o.h / 4, frames: make([][]uint8, len(o.frames))}
	for i, f := range o.frames {
		if f != nil {
			out.frames[i] = out.shrunk(&gray{w: o.w, h: o.h, pix: f})
		}
	}
	return out
}

// cameraMoves says whether what should stand still does not: strips at the picture's sides lie elsewhere in many frames.
func (o *overview) cameraMoves() bool {
	wide := o.w / 9
	moved, looked := 0, 0
	ref := o.at(0)
	for k := 1; k <= cameraLooks; k++ {
		f := o.at(k * (len(o.frames) - 1) / cameraLooks)
		both := true
		for _, x0 := range []int{cameraReach, o.w - wide - cameraReach} {
			best, bx, by, still := math.Inf(1), 0, 0, 0.0
			for dy := -cameraReach; dy <= cameraReach; dy++ {
				for dx := -cameraReach; dx <= cameraReach; dx++ {
					sum := 0.0
					for y := cameraReach; y < o.h*2/3; y += 2 {
						for x := x0; x < x0+wide; x += 2 {
							sum += math.Abs(float64(f[(y+dy)*o.w+x+dx]) - float64(ref[y*o.w+x]))
						}
					}
					if dx == 0 && dy == 0 {
						still = sum
					}
					if sum < best {
						best, bx, by = sum, dx, dy
					}
				}
			}
			both = both && (bx != 0 || by != 0) && best < 0.7*still
		}
		looked++
		if both {
			moved++
		}
	}
	return float64(moved) > 0.3*float64(looked)
}
