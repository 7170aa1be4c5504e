package gait

import (
	"errors"
	"fmt"
	"image"
	"maps"
	"math"
	"slices"
	"sort"

	"trevik/internal/core/fault"
)

// House values of following.
const (
	bridgeTime    = 0.025 // s, a gap that may be bridged
	coastTime     = 0.060 // s, how long a lost dot is looked for where it should be
	mostUnread    = 0.2   // the share of frames that may be missing or broken
	leapsTogether = 3     // dots of one leg, that go far at once
	leapMost      = 4.0   // diameters, that they go at most
	leapAlike     = 0.2   // of the way, by which theirs differ
	leapPX        = 2.0
	leapReach     = 18.0 // diameters, within which the dots of one leg lie
	aloneReach    = 3.5  // diameters, within which a trail that just began takes a spot that is left
	aloneBy       = 2.0  // times as near as any other that is left
	hiddenShare   = 0.55 // a spot of less than this of a dot's usual area is half hidden
)

// bridgeFrames is how many frames a gap may have and still be bridged.
func bridgeFrames(fps float64) int { return max(1, int(bridgeTime*fps+1e-9)) }

// Follow finds the dots in every frame and gives their paths; f is asked for several frames at once. progress, when not
// nil, is told how many frames are done and stops the work by an error. Follow fails
// with a fault.List when there is no film or there are no dots to be found.
func Follow(f Frames, r Recording, progress func(done int) error) (Followed, error) {
	if err := r.Check(); err != nil {
		return Followed{}, err
	}
	if progress == nil {
		progress = func(int) error { return nil }
	}
	n := f.Len()
	if n < 2 || n > MaxFrames {
		return Followed{}, fault.List{{Field: "frames", Text: fmt.Sprintf("are %d; allowed are 2 to %d", n, MaxFrames)}}
	}
	hand, err := r.hand()
	if err != nil {
		return Followed{}, err
	}
	w := &watcher{frames: f, unread: make([]bool, n)}
	var out Followed
	switch {
	case r.Markers == NoMarkers:
		out, err = w.followLegs(r, nil, progress)
	case hand != nil:
		err = errNoLegs
		if r.View == Rear && sparse(hand) && !w.dotted(r) {
			out, err = w.followLegs(r, hand, progress)
		}
		if err != nil && !stopped(err) {
			w = &watcher{frames: f, unread: make([]bool, n)}
			out, err = w.followHand(hand, *r.FPS, progress)
		}
	default:
		out, err = w.followDots(r, progress)
		if why, bad := fault.As(err); bad && r.View == Rear && r.DotHueDeg == nil {
			w = &watcher{frames: f, unread: make([]bool, n)}
			if out, err = w.followLegs(r, nil, progress); err != nil && !stopped(err) {
				legs, _ := fault.As(err)
				err = fault.List{{Field: why[0].Field, Text: why[0].Text + "; without dots: " + legs[0].Text}}
			}
		}
	}
	if err != nil {
		return out, err
	}
	for i, unread := range w.unread {
		if unread {
			out.Unread = append(out.Unread, i)
		}
	}
	if float64(len(out.Unread)) > mostUnread*float64(n) {
		return out, fault.List{{Field: "frames", Text: fmt.Sprintf("cannot be used in %d of %d places: missing, broken or of another size",
			len(out.Unread), n)}}
	}
	out.Frames, out.Width, out.Height = n, w.size.X, w.size.Y
	return out, nil
}

var errStorm = errors.New("a storm of specks")

var errNoLegs = notLegs("they were not looked for")

// stopped says whether an error is no fault of the film: the work was stopped.
func stopped(err error) bool {
	_, ok := fault.As(err)
	return err != nil && !ok
}

// sparse says whether a hand marked some frames only.
func sparse(hand Tracks) bool {
	for _, dots := range hand {
		for _, marks := range dots {
			if n := len(marks); n > 0 && n < marks[n-1].Frame-marks[0].Frame+1 || n == 1 {
				return true
			}
		}
	}
	return false
}

// dotted says whether there are dots in the film.
func (w *watcher) dotted(r Recording) bool {
	samples := w.samples()
	_, err := findLook(samples, 2*len(DotNames(r.View)), r.DotHueDeg)
	return err == nil
}

// watcher reads frames of one size and remembers which could not be used.
type watcher struct {
	frames Frames
	size   image.Point
	unread []bool
	kept   []*gray   // brightness of frames that are wanted again, nil of those that there was no room for
	over   *overview // of the film as it was last looked over for one runner's legs
	steady bool      // how its camera moves was asked
	sizes  bool      // legs that are plainly smaller or larger than usual are to be told, not read
	large  float64   // how large they were, of what legs are taken for; 0 where nobody asked
}

func (w *watcher) frame(i int) image.Image {
	img := w.usable(i)
	w.unread[i] = img == nil
	return img
}

// usable is a frame, nil where it is known or found to be of no use.
func (w *watcher) usable(i int) image.Image {
	if w.unread[i] {
		return nil
	}
	img, err := w.frames.Frame(i)
	if err != nil || img.Bounds().Size() != w.size || w.size.X < 16 || w.size.Y < 16 {
		return nil
	}
	return img
}

// settleSize takes the size that most of some frames have.
func (w *watcher) settleSize() {
	count := map[image.Point]int{}
	n := w.frames.Len()
	for k := range 5 {
		if img, err := w.frames.Frame(k * (n - 1) / 4); err == nil {
			count[img.Bounds().Size()]++
		}
	}
	best := 0
	for s, k := range count {
		if k > best || k == best && s.X*s.Y > w.size.X*w.size.Y {
			w.size, best = s, k
		}
	}
}

// trail is a spot followed from frame to frame.
type trail struct {
	frames []int
	spots  []spot
}

func (t *trail) last() (int, spot) { return t.frames[len(t.frames)-1], t.spots[len(t.spots)-1] }

// expect is where the trail should be in a frame, px, and how fast it goes, px a
// frame.
func (t *trail) expect(frame int) (Point, float64) {
	n := len(t.frames)
	p := t.spots[n-1].Point
	if n == 1 {
		return p, 0
	}
	v := p.minus(t.spots[n-2].Point).times(1 / float64(t.frames[n-1]-t.frames[n-2]))
	return p.plus(v.times(float64(frame - t.frames[n-1]))), math.Hypot(v.X, v.Y)
}

// fastest is the trail's greatest speed over its last few steps, px a frame.
func (t *trail) fastest() float64 {
	best := 0.0
	for i := max(1, len(t.frames)-4); i < len(t.frames); i++ {
		best = max(best, t.spots[i].distance(t.spots[i-1].Point)/float64(t.frames[i]-t.frames[i-1]))
	}
	return best
}

// samples are the colours of some frames.
func (w *watcher) samples() []chroma {
	w.settleSize()
	var out []chroma
	for k := range sampleFrames {
		// Not at even steps, which could fall in with the stride.
		at := int((float64(k) + 0.35*math.Sin(float64(7*k)) + 0.5) / sampleFrames * float64(w.frames.Len()-1))
		if img := w.frame(at); img != nil {
			var c chroma
			c.read(img)
			out = append(out, c)
		}
	}
	return out
}

func (w *watcher) followDots(r Recording, progress func(int) error) (Followed, error) {
	names := DotNames(r.View)
	legs := 2
	if r.View == Side {
		legs = 1
	}
	n := w.frames.Len()
	samples := w.samples()
	if len(samples) == 0 {
		return Followed{}, fault.List{{Field: "frames", Text: "cannot be read; allowed are JPEG or PNG pictures of one size"}}
	}
	look, err := findLook(samples, legs*len(names), r.DotHueDeg)
	if err != nil {
		return Followed{}, err
	}
	var c chroma
	var f finder
	var open, all []*trail
	coast := max(2, int(coastTime**r.FPS))
	crowded := 0
	var same repeater
	o := w.emptyOverview(n, *r.FPS)
	type seen struct {
		image.Image
		small []uint8
	}
	whole := func(img image.Image) seen { return seen{img, o.shrunk(grayOf(img))} }
	err = eachFrame(w, 1, whole, func(i int, s seen) error {
		if err := progress(i); err != nil || s.Image == nil {
			return err
		}
		o.frames[i] = s.small
		c.read(s.Image)
		spots, ok := f.find(&c, look.hue, look.vivid)
		if !ok {
			crowded++
			return nil
		}
		if same.repeats(spots) { // a frame that came twice stands where another is lost
			w.unread[i] = true
			return nil
		}
		open = slices.DeleteFunc(open, func(t *trail) bool { l, _ := t.last(); return i-l > coast })
		for _, s := range link(open, spots, i) {
			t := &trail{frames: []int{i}, spots: []spot{s}}
			open, all = append(open, t), append(all, t)
		}
		if len(all) > 200*mostSpots {
			crowded = n // a storm of specks, and no end of memory
			return errStorm
		}
		return nil
	})
	if err != nil && err != errStorm {
		return Followed{}, err
	}
	if 2*crowded > n {
		return Followed{}, fault.List{{Field: "markers",
			Text: fmt.Sprintf("cannot be told from more than %d spots of their colour in a frame; name another hue, or mark them by hand",
				mostSpots)}}
	}
	deg := math.Round(look.hue.degrees())
	out := Followed{HueDeg: &deg}
	out.Shaken = o.shakes()
	in := out.Shaken.in(middleOf(w.size))
	for _, t := range all {
		for k := range t.spots {
			t.spots[k].Point = in(t.frames[k], t.spots[k].Point)
		}
	}
	kept := keepDots(all, *r.FPS)
	if err := out.name(kept, r, w.size.X); err != nil {
		return out, err
	}
	out.Tracks = out.Tracks.mapped(out.Shaken.out(middleOf(w.size)))
	return out, nil
}

// repeater tells a frame that came twice: everything that moved stands still at once.
type repeater struct {
	last  []spot
	moved float64 // px, the middle spot's last step
}

// House values of a frame that came twice.
const (
	stillPX  = 0.12
	movingPX = 1.0
	fewSpots = 3
)

func (r *repeater) repeats(spots []spot) bool {
	last := r.last
	if len(spots) != len(last) || len(spots) < fewSpots {
		r.last, r.moved = spots, 0
		return false
	}
	steps := make([]float64, len(spots))
	for i, s := range spots {
		steps[i] = s.distance(last[i].Point)
	}
	if slices.Max(steps) < stillPX && r.moved > movingPX {
		return true
	}
	r.last, r.moved = spots, median(steps)
	return false
}

// link gives every trail its spot of the frame, the surest pair first, and returns
// the spots that no trail took.
func link(open []*trail, spots []spot, frame int) (left []spot) {
	type pair struct {
		trail, spot int
		cost        float64
	}
	var pairs []pair
	for ti, t := range open {
		at, last := t.last()
		p, speed := t.expect(frame)
		gap := float64(frame - at)
		gate := gap * (3 + 0.35*last.diameter + 0.8*max(speed, 0.7*t.fastest()))
		for si, s := range spots {
			d := s.distance(p)
			// A dot that lands or starts stays nearer to where it was.
			if still := s.distance(last.Point); still < d && speed > 0 {
				d = (d + still) / 2
			}
			if d > gate || s.diameter > 2.2*last.diameter || last.diameter > 2.2*s.diameter {
				continue
			}
			size := math.Abs(math.Log(s.diameter / last.diameter))
			pairs = append(pairs, pair{ti, si, d * (1 + size) * (1 + 0.2*(gap-1))})
		}
	}
	sort.Slice(pairs, func(a, b int) bool { return pairs[a].cost < pairs[b].cost })
	of, by := make([]int, len(open)), make([]int, len(spots)) // each trail's spot, each spot's trail; -1 for none
	for i := range of {
		of[i] = -1
	}
	for i := range by {
		by[i] = -1
	}
	for _, p := range pairs {
		if of[p.trail] < 0 && by[p.spot] < 0 {
			of[p.trail], by[p.spot] = p.spot, p.trail
		}
	}
	for leap(open, spots, frame, of, by) {
	}
	alone(open, spots, frame, of, by)
	for i, t := range open {
		if k := of[i]; k >= 0 {
			t.frames, t.spots = append(t.frames, frame), append(t.spots, spots[k])
		}
	}
	for i, s := range spots {
		if by[i] < 0 {
			left = append(left, s)
		}
	}
	return left
}

// alone gives trails that just began their spots, farther than is expected of what has no speed yet, where nothing else could
// be meant: on a foot that swings they would end at once, frame by frame.
func alone(open []*trail, spots []spot, frame int, of, by []int) {
	type pair struct {
		trail, spot int
		far         float64
	}
	var near []pair
	for i, t := range open {
		at, last := t.last()
		if of[i] >= 0 || at != frame-1 || len(t.frames) > 1 {
			continue
		}
		for k, s := range spots {
			d := s.distance(last.Point)
			if by[k] < 0 && d < aloneReach*last.diameter && s.diameter < 1.5*last.diameter && last.diameter < 1.5*s.diameter {
				near = append(near, pair{i, k, d})
			}
		}
	}
	for _, p := range near {
		if !slices.ContainsFunc(near, func(q pair) bool {
			return q != p && (q.trail == p.trail || q.spot == p.spot) && q.far <= aloneBy*p.far
		}) {
			of[p.trail], by[p.spot] = p.spot, p.trail
		}
	}
}

// leap gives the trails of one leg, which all went farther at once than any was expected to, their spots: those that lie
// as far from where the trails were, the same way. A foot that starts or lands at once does that, and one that goes on
// while a frame is left out. Where it goes as far as its dots are apart, some of them seem to stay, each where the next one
// was: they go along. Those that were followed so far anyhow bear the others out. It says whether there was such a leg.
func leap(open []*trail, spots []spot, frame int, of, by []int) bool {
	var lost []int
	for i, t := range open {
		if at, _ := t.last(); of[i] < 0 && at == frame-1 {
			lost = append(lost, i)
		}
	}
	// where is the spot that a trail has after a leap, -1 where there is none.
	where := func(i int, far Point) int {
		_, last := open[i].last()
		best, near := -1, leapAlike*math.Hypot(far.X, far.Y)+leapPX
		for k, s := range spots {
			if d := s.distance(last.plus(far)); d < near && s.diameter < 1.5*last.diameter && last.diameter < 1.5*s.diameter {
				best, near = k, d
			}
		}
		return best
	}
	// together are the trails that leap so far, by their spots: those that are lost, and those whose spots these take.
	together := func(far Point) map[int]int {
		all := map[int]int{}
		for _, i := range lost {
			chain := map[int]int{}
			for i := i; i >= 0; {
				k := where(i, far)
				_, leapt := all[k]
				_, twice := chain[k]
				if k < 0 || leapt || twice {
					chain = nil // whose spot was taken has to have another
					break
				}
				chain[k], i = i, by[k]
			}
			maps.Copy(all, chain)
		}
		return all
	}
	// beside is how many trails near a place went so far anyhow.
	beside := func(leaps map[int]int, at, far Point) (n int) {
		for i, t := range open {
			k := of[i]
			_, last := t.last()
			if k < 0 || last.distance(at) > leapReach*last.diameter {
				continue
			}
			if _, leaps := leaps[k]; !leaps && spots[k].minus(last.Point).distance(far) < leapAlike*math.Hypot(far.X, far.Y)+leapPX/2 {
				n++
			}
		}
		return n
	}
	var best map[int]int
	most, least := leapsTogether-1, 0.0
	for _, i := range lost {
		_, last := open[i].last()
		for k, s := range spots {
			far := s.minus(last.Point)
			d := math.Hypot(far.X, far.Y)
			if by[k] >= 0 || d > leapMost*last.diameter {
				continue
			}
			all := together(far)
			if n := len(all) + beside(all, last.Point, far); len(all) > 0 && (n > most || n == most && n >= leapsTogether && d < least) {
				most, least, best = n, d, all
			}
		}
	}
	for _, i := range best {
		if k := of[i]; k >= 0 {
			by[k] = -1
		}
	}
	for k, i := range best {
		of[i], by[k] = k, i
	}
	return best != nil
}

// keepDots refuses what is no dot: patches that are not round even at rest, of
// another size than most, or that stay where they are.
func keepDots(all []*trail, fps float64) []*trail {
	still := stillPlaces(all, fps)
	all = slices.DeleteFunc(all, func(t *trail) bool {
		return len(t.frames) < max(3, int(0.02*fps)) || t.roundness() < 0.6 || still(t)
	})
	// The usual diameter, every trail counting by its length.
	type sized struct {
		d float64
		n int
	}
	var d []sized
	total := 0
	for _, t := range all {
		d = append(d, sized{t.diameter(), len(t.frames)})
		total += len(t.frames)
	}
	slices.SortFunc(d, func(a, b sized) int {
		if a.d < b.d {
			return -1
		}
		return 1
	})
	usual, seen := 0.0, 0
	for _, s := range d {
		if seen += s.n; 2*seen >= total {
			usual = s.d
			break
		}
	}
	return slices.DeleteFunc(all, func(t *trail) bool {
		return t.diameter() < sizeLow*usual || t.diameter() > sizeHigh*usual
	})
}

// roundness of a trail: what it is in its better frames, since speed draws a dot out.
func (t *trail) roundness() float64 {
	r := make([]float64, len(t.spots))
	for i, s := range t.spots {
		r[i] = s.round
	}
	slices.Sort(r)
	return r[3*(len(r)-1)/4]
}

func (t *trail) diameter() float64 {
	d := make([]float64, len(t.spots))
	for i, s := range t.spots {
		d[i] = s.diameter
	}
	return median(d)
}

// stillPlaces tells the trails that stand at a place where a spot stands nearly all
// the time: something on the wall or on the treadmill.
func stillPlaces(all []*trail, fps float64) func(*trail) bool {
	type place struct {
		p           Point
		first, last int
		n           int
	}
	var places []*place
	middle := func(t *trail) (Point, bool) {
		x, y := make([]float64, len(t.spots)), make([]float64, len(t.spots))
		for i, s := range t.spots {
			x[i], y[i] = s.X, s.Y
		}
		m := Point{median(x), median(y)}
		off := make([]float64, len(t.spots))
		for i, s := range t.spots {
			off[i] = s.distance(m)
		}
		return m, median(off) < 0.8
	}
	find := func(m Point) *place {
		for _, p := range places {
			if p.p.distance(m) < 2.5 {
				return p
			}
		}
		return nil
	}
	for _, t := range all {
		m, still := middle(t)
		if !still {
			continue
		}
		p := find(m)
		if p == nil {
			p = &place{p: m, first: t.frames[0]}
			places = append(places, p)
		}
		p.first, p.last = min(p.first, t.frames[0]), max(p.last, t.frames[len(t.frames)-1])
		p.n += len(t.frames)
	}
	return func(t *trail) bool {
		m, still := middle(t)
		if !still {
			return false
		}
		p := find(m)
		span := float64(p.last - p.first + 1)
		return span > fps && float64(p.n) > 0.7*span
	}
}
