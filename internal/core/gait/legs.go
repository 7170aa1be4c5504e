package gait

import (
	"errors"
	"fmt"
	"image"
	"maps"
	"math"
	"slices"
	"sync"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

// House values of reading legs. Lengths are in shanks: from the ground to the knee's hollow.
const (
	shankShare    = 0.42 // of the picture's height, to begin with
	heelWide      = 0.175
	bareWide      = 0.143
	heelTo        = 0.185 // over the ground, where the heel's line ends
	heelFrom      = 0.04
	heelAlone     = 0.17 // up to which the heel surely lies under the ankle
	calfFrom      = 0.34 // where the leg's line begins
	calfTo        = 0.60
	aroundTime    = 0.62 // of half the stride, to either side of a stance's middle, that a foot is followed
	mostUnlike    = 0.62 // of its own contrast, that a patch may differ where it is found
	leastSeen     = 0.35 // of a calf, that is seen as it is: something may hang before the rest
	leastHeel     = 0.6  // of a heel that comes nearer
	mostKept      = 8    // contacts a leg by which its own picture is made
	mostJump      = 0.09 // a frame at 120 a second
	outlineCut    = 20.0 // Hz
	sharpWithin   = 0.10 // of the stride about the middle of stance, of which the mean picture is made
	passes        = 3
	leastRoll     = 1.5  // degrees
	mostHidden    = 0.5  // of the calf
	leaningCounts = 0.3  // of how far along the leg that is, where feet come nearer
	jointSlack    = 0.04 // that the ankle of the heel lies off the ankle of the leg
	ankleHigh     = 0.23 // where the heel turns against the leg
	mostCalfLost  = 0.3  // of the frames on the ground
	flatFrom      = 0.15 // of a contact
	flatTo        = 0.75
	leastWide     = 160 // px, of a film that is read without dots
	leastHigh     = 120
	leastContact  = 2 // a leg, that are like one another

	// By how much the contacts of one foot differ at most (alike); a runner's differ by a third of that.
	mostUnlikeDeg = 4.0
	mostOffPhase  = 0.07
	longestRun    = 0.42  // of a stride, that a runner's foot stands at most, where it is not seen to stand
	overGround    = 0.06  // shanks, that a heel lies over the lowest that is seen of its leg, at most
	underGround   = 0.02  // and under it
	plainlyLower  = 0.05  // shanks
	mostOutOfTurn = 0.2   // of the stride, that two legs stand off half of it from one another
	leastGrain    = 0.008 // of its own contrast, that a heel differs from itself on film: grain, light, skin
	exactGrain    = 0.001 // not even what turning a picture does to it
	redCounts     = 3.0   // of Cr, that counts as brightness

	// Nearer to one another, in shanks, the leg that swings hides edges of the one that stands.
	closeLegs  = 0.3
	hidesLegs  = 0.36
	closeTimes = 1.3 // the level's error, where they are close
	nearTimes  = 1.6 // the same, where the legs fill the picture
)

// oneLeg is a leg that is followed: pictures of it about its contacts, and where its heel and its calf lie in them.
type oneLeg struct {
	side     term.Side
	bare     bool
	x0, y0   int // of its crops in the film
	w, h     int
	sole     float64 // px down in the crop
	foot     float64 // px across in the crop
	calf     float64
	shank    float64 // px
	stride   float64 // frames
	contacts []*standing
	heelRef  *rigid
	calfRef  *rigid
	line     outline
	usual    float64    // how unlike its patch a heel on the ground is
	pivotAt  Point      // of the heel's own picture, that stands while it rolls
	mean     *plot      // the leg's mean picture
	hidden   float64    // of the calf, how much something hangs before it
	odd      bool       // it is not as legs are: another's part may be taken for its own
	free     bool       // of its wall: what goes by itself is told by that it moves
	sides    [4]float64 // of the heel, left and right: px across in the middle of its height, and px across a px down
	shape    *plot      // of the mean picture: what is leg
	swaying  *swaying   // nil where its size was not asked for
	wall     [2]float64 // px across in the crop, at the ground and at the calf: what lies beyond is the other leg's
	near     nearing    // by which its pictures were made as large as they are in the middle of a contact
}

// wallAt is where in a row the other leg's side begins.
func (l *oneLeg) wallAt(y float64) float64 {
	u := (l.sole - y) / (0.45 * l.shank)
	return l.wall[0] + min(1.5, max(0, u))*(l.wall[1]-l.wall[0])
}

// within is how far a place lies on the leg's own side, px; less than 0 is the other's.
func (l *oneLeg) within(x, y float64) float64 {
	if l.free {
		return 1
	}
	if l.side == term.Left {
		return l.wallAt(y) - x
	}
	return x - l.wallAt(y)
}

// standing is one contact with the frames about it.
type standing struct {
	middle     int
	large      int // the frame in which it is as large as it is read
	a, b       int // the frames in which the foot stands flat
	from       int // the first frame that is kept
	frames     []*plot
	heel, calf []pose
	ok         []bool
	unlike     []float64
	on, off    int
	found      bool
	lost       []int // frames in which the calf could not be told
}

// otherSize is an error of legs that are to be looked at from nearer, or from farther off: so large, of what they were
// taken for.
type otherSize float64

func (o otherSize) Error() string { return fmt.Sprintf("legs of %.2f of the usual size", float64(o)) }

func notLegs(why string) error {
	return fault.List{{Field: "markers", Text: "are none, and no legs can be read without dots: " + why}}
}

var errCamera = notLegs("the camera moves; put it on a stand, at the height of the ankles")

// followLegs reads a film without dots, seen from behind; of one that is refused it says where a camera that moves may be why.
func (w *watcher) followLegs(r Recording, hand Tracks, progress func(int) error) (Followed, error) {
	out, err := w.readLegs(r, hand, progress)
	if l, ok := fault.As(err); ok && l[0].Field == "markers" && w.over != nil && w.over.quartered().cameraMoves() {
		return out, errCamera
	}
	return out, err
}

func (w *watcher) readLegs(r Recording, hand Tracks, progress func(int) error) (Followed, error) {
	if r.View != Rear {
		return Followed{}, notLegs("they are read from behind; from the side and the front stick dots on, or mark them by hand")
	}
	n := w.frames.Len()
	w.settleSize()
	if w.size.X < leastWide || w.size.Y < leastHigh {
		return Followed{}, notLegs(fmt.Sprintf("the picture of %d by %d pixels is too small", w.size.X, w.size.Y))
	}
	was := w.size
	at := wholeView(was)
	// Where brightness does not tell the legs from the ground, redness may: skin is redder than belts and walls.
	legs := map[term.Side]*oneLeg{}
	var wrong error
	var moves shaken
	whole := w.frames
	for i, redness := range []float64{0, redCounts} {
		plain := whole
		if redness == 0 {
			plain = brightOf(whole)
		}
		told := func(done int) error { return progress(max(done, i*(n-1))) }
		w.look(plain, was, at, redness)
		w.sizes, w.steady = i == 0, i > 0
		found, sure, err := w.findLegs(r, told)
		if errors.As(err, &moves) {
			w.steady, moves = true, moves.by(1/at.by)
			whole, plain = steadyFrames{whole, was, moves}, steadyFrames{plain, was, moves}
			w.look(plain, was, at, redness)
			found, sure, err = w.findLegs(r, func(done int) error { return told(max(done, n/2)) })
			if len(found) == 0 && !stopped(err) { // as it was filmed, then
				moves = nil
				whole, plain = whole.(steadyFrames).Frames, plain.(steadyFrames).Frames
				w.look(plain, was, at, redness)
				if as, surely, failed := w.findLegs(r, told); len(as) > 0 {
					found, sure, err = as, surely, failed
				}
			}
		}
		w.steady = true
		var large otherSize
		if errors.As(err, &large) {
			// What is told by rows and pixels is told alike in all legs: they are read as large as they are read best.
			all, many := at, len(found)
			at, told, w.sizes = all.nearer(found, float64(large), was), func(int) error { return progress(n - 1) }, false
			w.look(w.held(plain, all, was), was, at, redness)
			found, sure, err = w.findLegs(r, told)
			if !stopped(err) && clearOf(found) < many {
				w.look(plain, was, all, redness)
				again, surely, failed := w.findLegs(r, told)
				if stopped(failed) || err != nil || clearOf(again) > clearOf(found) {
					at, found, sure, err = all, again, surely, failed
				}
			}
		}
		if stopped(err) {
			return Followed{}, err
		}
		if i == 0 {
			if wrong = err; err != nil && sure {
				return Followed{}, err
			}
		}
		for side, l := range found {
			if now := legs[side]; now != nil && now.steps() < leastContact && l.steps() > now.steps() {
				legs[side] = l
			}
		}
		legs = lowestOf(legs, found)
		if sure && len(legs) == 2 && legs[term.Left].steps() >= leastContact && legs[term.Right].steps() >= leastContact {
			break
		}
	}
	w.frames, w.size = whole, was
	hand = hand.mapped(moves.in(middleOf(was))).mapped(func(_ int, p Point) Point { return at.in(p) })
	if len(legs) == 0 && wrong != nil {
		return Followed{}, wrong
	}
	out := Followed{Tracks: Tracks{}, Outline: &OutlineFound{Contacts: map[term.Side][]Contact{}, LevelSD: map[term.Side]float64{},
		Means: map[term.Side]*MeanPicture{}}}
	read, drawn, exact := 0, 0, 0
	out.Outline.Calibrated = calibrate(legs, hand, out.Outline.LevelSD)
	if out.Outline.Near = w.large > veryLarge; out.Outline.Near && !out.Outline.Calibrated {
		for side := range out.Outline.LevelSD {
			out.Outline.LevelSD[side] *= nearTimes
		}
	}
	for _, side := range term.Sides {
		l := legs[side]
		if l == nil {
			continue
		}
		if l.unclear() {
			out.Outline.Unclear = append(out.Outline.Unclear, side)
		}
		if marks := l.marks(); len(marks) > 0 {
			out.Tracks[side] = marks
			out.Outline.Means[side] = l.picture()
			read++
			if l.grain() < leastGrain {
				drawn++
			}
			if l.grain() < exactGrain {
				exact++
			}
			for _, c := range l.contacts {
				if c.found {
					out.Outline.Contacts[side] = append(out.Outline.Contacts[side], Contact{c.on, c.off})
				}
			}
		}
	}
	if read == 2 {
		if len(out.Outline.Unclear) == 2 && !out.Outline.Calibrated {
			return Followed{}, notLegs("neither leg can be told clearly; film both from behind, with light on them, or mark three frames by hand")
		}
		apart := apartOf(legs)
		odd := legs[term.Left].odd || legs[term.Right].odd
		if apart < hidesLegs && (odd || len(out.Outline.Unclear) > 0) && !out.Outline.Calibrated {
			return Followed{}, notLegs("the feet come down in one line, and the leg that swings hides the one that stands; mark three frames by " +
				"hand, or stick dots on")
		}
		if out.Outline.Crossed = apart < closeLegs; out.Outline.Crossed {
			for side := range out.Outline.LevelSD {
				out.Outline.LevelSD[side] *= closeTimes
			}
		}
	}
	out.Tracks = out.Tracks.mapped(func(_ int, p Point) Point { return at.out(p) }).mapped(moves.out(middleOf(was)))
	out.Shaken = moves
	if read == 0 {
		return Followed{}, notLegs("the legs do not stand out from what is behind them")
	}
	if read == 1 && drawn == 1 || read > 0 && exact == read {
		return Followed{}, notLegs("what moves like one leg is the same to the last point each time, as no film of a leg is: " +
			"is it a test picture?")
	}
	if read == 1 && len(out.Outline.Unclear) > 0 {
		return Followed{}, notLegs("only one leg can be told, and not clearly; film both from behind, with light on them")
	}
	return out, nil
}

// apartOf is how far apart the two heels stand, in shanks.
func apartOf(legs map[term.Side]*oneLeg) float64 {
	l, r := legs[term.Left], legs[term.Right]
	return math.Abs(float64(l.x0)+l.line.heelLow.X-float64(r.x0)-r.line.heelLow.X) / l.shank
}

// steps is how many of the leg's contacts were found.
func (l *oneLeg) steps() (n int) {
	for _, c := range l.contacts {
		if c.found {
			n++
		}
	}
	return n
}

// findLegs finds and follows both legs; one that cannot be told is left out. It is sure that two people's are none to be
// read, and of two that stand in turn when they seem to: two that were found only half a stride later may both be in the
// air, with feet that nothing tells from the belt.
func (w *watcher) findLegs(r Recording, progress func(int) error) (legs map[term.Side]*oneLeg, sure bool, err error) {
	n := w.frames.Len()
	o, err := newOverview(w, n, *r.FPS, func(done int) error { return progress(done / 2) })
	if err != nil {
		return nil, false, err
	}
	o.steadied()
	if o.twoPeople(r.Gait) {
		return nil, true, notLegs("two people go side by side in the picture; film one alone")
	}
	w.over = o
	if !w.steady {
		if moves := o.shakes(); moves != nil {
			return nil, false, moves
		}
	}
	if o.cameraMoves() {
		return nil, false, errCamera
	}
	s, ok := o.stride(r.Gait)
	if !ok {
		if fps, slow := o.slowed(r.Gait); slow {
			return nil, false, fault.List{{Field: "fps", Text: fmt.Sprintf("is %g, at which nobody runs so slowly: it looks like slow motion "+
				"that was filmed at %g a second; say so and it can be read", *r.FPS, fps)}}
		}
		return nil, false, notLegs("nothing comes down in turn left and right; film both legs from behind, with light on them")
	}
	legs, err = w.learnLegs(r, o, &s, func(done int) error { return progress((n + done) / 2) })
	var large otherSize
	if err != nil && !errors.As(err, &large) {
		return nil, false, err
	}
	last := func(int) error { return progress(n - 1) }
	if err != nil || !stridesOn(legs) {
		near, failed := w.nearLegs(r, o, s, last)
		if failed != nil {
			return nil, false, failed
		}
		if near != nil {
			return near, true, nil
		}
	}
	if err != nil {
		return legs, len(legs) == 2, err
	}
	if stridesOn(legs) {
		if legs, _, err = w.settleNearing(r, o, s, legs, last); err != nil {
			return nil, false, err
		}
		return legs, true, nil
	}
	// What seemed to stand may have been in the air, one leg or both.
	turned, ok := o.turned(s, r.Gait)
	if !ok {
		return lowestOf(legs, nil), false, nil
	}
	other, err := w.learnLegs(r, o, &turned, last)
	if err != nil {
		return other, false, err
	}
	maps.DeleteFunc(other, func(side term.Side, l *oneLeg) bool { // the leg comes down lower than that, or nothing does
		over := (s.sole[side] - float64(l.y0) - l.line.heelLow.Y) / l.shank
		return over > overGround || over < -underGround
	})
	for side, l := range legs {
		if now := other[side]; len(legs) == 1 && now != nil && lowerBy(now, l) < plainlyLower*l.shank {
			return legs, false, nil // nothing says that it was in the air
		}
	}
	if len(legs) == 0 && len(other) < 2 {
		return nil, false, nil // one alone, that was not seen to stand at first, is none
	}
	if legs = lowestOf(legs, other); inTheAir(legs, r.Gait) {
		return nil, false, notLegs("the feet cannot be told from the belt; put light on them, or film on another belt or in other shoes")
	}
	return legs, false, nil
}

// stridesOn says whether both legs were told, and stand in turn.
func stridesOn(legs map[term.Side]*oneLeg) bool {
	return len(legs) == 2 && inTurns(legs[term.Left], legs[term.Right])
}

// lowerBy is how much lower one's heel stands than another's, px.
func lowerBy(a, b *oneLeg) float64 {
	return float64(a.y0) + a.line.heelLow.Y - float64(b.y0) - b.line.heelLow.Y
}

// inTheAir says whether two legs of a runner that stand in turn do so for longer than any does: what seems to stand is
// then the foot that swings.
func inTheAir(legs map[term.Side]*oneLeg, how Motion) bool {
	var share []float64 // of the stride
	for _, l := range legs {
		for _, c := range l.contacts {
			if c.found {
				share = append(share, float64(c.off-c.on)/l.stride)
			}
		}
	}
	return how == Run && len(legs) == 2 && len(share) > 0 && median(share) > longestRun
}

// lowestOf is of two tries the leg, or the two that come down in turn, whose feet stand lowest; of the first, unless the
// other is plainly so.
func lowestOf(a, b map[term.Side]*oneLeg) map[term.Side]*oneLeg {
	best, low := map[term.Side]*oneLeg{}, math.Inf(-1)
	for _, left := range []*oneLeg{a[term.Left], b[term.Left], nil} {
		for _, right := range []*oneLeg{a[term.Right], b[term.Right], nil} {
			two := map[term.Side]*oneLeg{}
			sum, plain := 0.0, 0.0
			for _, l := range []*oneLeg{left, right} {
				if l != nil {
					two[l.side] = l
					sum, plain = sum+float64(l.y0)+l.line.heelLow.Y, plainlyLower*l.shank
				}
			}
			if len(two) < 2 || inTurns(left, right) {
				if len(two) > len(best) || len(two) == len(best) && sum > low+plain {
					best, low = two, sum
				}
			}
		}
	}
	return best
}

// inTurns says whether two legs stand in turn, as all do who run or walk.
func inTurns(left, right *oneLeg) bool {
	phase := func(l *oneLeg) float64 {
		var sin, cos float64
		for _, c := range l.contacts {
			if c.found {
				s, k := math.Sincos(math.Pi * float64(c.on+c.off) / l.stride)
				sin, cos = sin+s, cos+k
			}
		}
		return math.Atan2(sin, cos) / (2 * math.Pi)
	}
	d := phase(left) - phase(right)
	return math.Abs(math.Abs(d-math.Round(d))-0.5) < mostOutOfTurn
}

// learnLegs follows both legs through their contacts; one that cannot be told is left out.
func (w *watcher) learnLegs(r Recording, o *overview, s *striding, progress func(int) error) (map[term.Side]*oneLeg, error) {
	legs := map[term.Side]*oneLeg{}
	for _, side := range term.Sides {
		l := newLeg(side, s, w.size, w.frames.Len(), *r.FPS)
		l.bare = r.Shod == "barefoot"
		l.shape = l.masked(s.masks[side], o)
		legs[side] = l
	}
	if err := w.crop(legs, o, s.cycle, progress); err != nil {
		return nil, err
	}
	told := eachLeg(legs, func(l *oneLeg) bool {
		if !l.begin(*r.FPS, s.hz) {
			return false
		}
		if w.sizes {
			l.swaying = l.sways(s.cycle, o.by, *r.FPS)
		}
		return true
	})
	if w.sizes {
		begun := maps.Clone(legs)
		maps.DeleteFunc(begun, func(side term.Side, _ *oneLeg) bool { return !told[side] })
		if w.large = sizeOf(begun); w.large < plainSmaller || w.large > plainLarger {
			return begun, otherSize(w.large)
		}
	}
	told = eachLeg(legs, func(l *oneLeg) bool {
		if !told[l.side] || !l.learn(s.cycle, o.by, *r.FPS) || !l.rolls() || l.steps() < len(l.contacts)/2 {
			return false
		}
		deg, phase := l.alike(l.stride)
		return deg <= mostUnlikeDeg && phase <= mostOffPhase
	})
	maps.DeleteFunc(legs, func(side term.Side, _ *oneLeg) bool { return !told[side] })
	return legs, nil
}

// eachLeg asks both legs at once.
func eachLeg(legs map[term.Side]*oneLeg, ask func(*oneLeg) bool) map[term.Side]bool {
	var told [2]bool
	var fell [2]any
	var both sync.WaitGroup
	for k, side := range term.Sides {
		both.Go(func() {
			defer func() { fell[k] = recover() }() // whoever asked is told, not the whole program
			told[k] = ask(legs[side])
		})
	}
	both.Wait()
	for _, v := range fell {
		if v != nil {
			panic(v)
		}
	}
	return map[term.Side]bool{term.Left: told[0], term.Right: told[1]}
}

func newLeg(side term.Side, s *striding, size image.Point, n int, fps float64) *oneLeg {
	l := &oneLeg{side: side, shank: shankShare * float64(size.Y), near: s.near}
	l.w, l.h, l.stride = int(0.9*l.shank), int(1.25*l.shank), fps/s.hz
	mid := (s.column[side] + s.calf[side]) / 2
	l.x0 = max(0, min(size.X-l.w, int(mid)-l.w/2))
	l.y0 = max(0, min(size.Y-l.h, int(s.sole[side]-1.08*l.shank)))
	l.w, l.h = min(l.w, size.X-l.x0), min(l.h, size.Y-l.y0)
	l.sole, l.foot = s.sole[side]-float64(l.y0), s.column[side]-float64(l.x0)
	l.calf = s.calf[side] - float64(l.x0)
	l.wall = [2]float64{(s.column[term.Left]+s.column[term.Right])/2 - float64(l.x0),
		(s.calf[term.Left]+s.calf[term.Right])/2 - float64(l.x0)}
	reach := int(aroundTime / 2 * fps / s.hz)
	for _, m := range s.middle[side] {
		from, to := max(0, m-reach), min(n-1, m+reach)
		l.contacts = append(l.contacts, &standing{middle: m, large: m, from: from, frames: make([]*plot, to-from+1)})
	}
	return l
}

// masked is what of the crops is leg, by a mask of the small picture.
func (l *oneLeg) masked(mask []bool, o *overview) *plot {
	out := newPlot(l.w, l.h)
	for y := range l.h {
		for x := range l.w {
			out.v[y*l.w+x] = outsideWeighs
			if i, j := min(o.w-1, (l.x0+x)/o.by), min(o.h-1, (l.y0+y)/o.by); mask[j*o.w+i] {
				out.v[y*l.w+x] = 1
			}
			if l.within(float64(x), float64(y)) < 0 {
				out.v[y*l.w+x] = 0
			}
		}
	}
	return out
}

// crop keeps of every frame what is about the legs' contacts.
func (w *watcher) crop(legs map[term.Side]*oneLeg, o *overview, c *cycle, progress func(int) error) error {
	n, light := w.frames.Len(), o.light
	whole := map[*oneLeg]*oneLeg{}
	for _, l := range legs {
		whole[l] = l.window(w.size)
	}
	ground := w.newBelt(slices.Collect(maps.Values(whole)), c, o.by, light)
	var told sync.Mutex
	done := 0
	return eachOf(n, func(i int) error {
		told.Lock()
		err := progress(done)
		done++
		told.Unlock()
		if err != nil {
			return err
		}
		var g *gray
		var rows []float64
		for _, l := range legs {
			for _, c := range l.contacts {
				if i < c.from || i >= c.from+len(c.frames) {
					continue
				}
				if g == nil {
					if g = w.grayAt(i); g == nil {
						break
					}
					if ground != nil {
						rows = ground.rows(g, light[i])
					}
				}
				all := whole[l]
				p, k := newPlot(all.w, all.h), float32(1/light[i])
				for y := range all.h {
					row := g.pix[(all.y0+y)*g.w+all.x0:]
					for x := range all.w {
						p.v[y*all.w+x] = k * float32(row[x])
					}
				}
				if ground != nil {
					ground.clear(all, p, rows)
				}
				c.frames[i-c.from] = l.unzoomed(all, p, float64(i-c.large))
			}
		}
		return nil
	})
}

// grayAt is a frame's brightness; nil where it cannot be used.
func (w *watcher) grayAt(i int) *gray {
	if g := w.kept[i]; g != nil {
		return g
	}
	if img := w.frame(i); img != nil {
		return grayOf(img)
	}
	return nil
}

// boxes are where heel and calf lie to begin with.
func (l *oneLeg) heelBox() (x, y, w, h int) {
	w, h = int(0.27*l.shank), int(0.25*l.shank)
	return int(l.foot) - w/2, int(l.sole+0.02*l.shank) - h, w, h
}

func (l *oneLeg) calfBox() (x, y, w, h int) {
	w, h = int(0.36*l.shank), int(0.36*l.shank)
	return int(l.calf) - w/2, int(l.sole-0.33*l.shank) - h, w, h
}

// begin finds the leg in its contacts by patches from one frame.
func (l *oneLeg) begin(fps, hz float64) bool {
	l.contacts = slices.DeleteFunc(l.contacts, func(c *standing) bool {
		i := c.middle - c.from
		return i < 0 || i >= len(c.frames) || c.frames[i] == nil
	})
	if len(l.contacts) < leastContact {
		return false
	}
	for _, c := range l.contacts {
		c.a, c.b = c.middle-int(sharpWithin*fps/hz), c.middle+int(sharpWithin*fps/hz)
	}
	first := l.contacts[len(l.contacts)/2]
	l.cut(first.frames[first.middle-first.from])
	l.heelRef.weigh(l.shape)
	l.calfRef.weigh(l.shape)
	return l.pass(fps, mostKept)
}

// learn goes on from there with the mean of what was found, with the patches where heel and calf then are.
func (l *oneLeg) learn(ground *cycle, by int, fps float64) bool {
	for pass := 1; pass < passes; pass++ {
		if !l.level(ground, by) {
			return false
		}
		l.relearn(pass > 1)
		l.free = false
		many := mostKept
		if pass+1 == passes {
			many = len(l.contacts)
		}
		if !l.pass(fps, many) {
			return false
		}
		l.free = true
	}
	return l.level(ground, by)
}

// pass follows the leg through so many of its contacts, and tells their ends.
func (l *oneLeg) pass(fps float64, many int) bool {
	for _, c := range l.contacts[:min(many, len(l.contacts))] {
		l.follow(c, fps)
	}
	var all []float64
	l.flat(func(c *standing, i int) { all = append(all, c.unlike[i]) })
	l.usual = median(all)
	l.pivot()
	l.ends(fps)
	return l.steady()
}

// rolls says whether the heel turns against the leg while it stands, as every heel does: what does not is no foot.
func (l *oneLeg) rolls() bool {
	var all []float64
	for _, c := range l.contacts {
		if !c.found {
			continue
		}
		lo, hi := math.Inf(1), math.Inf(-1)
		for i := range c.ok {
			if f := c.from + i; c.ok[i] && f >= c.on && f <= c.off {
				d := c.heel[i].turn - c.calf[i].turn
				lo, hi = min(lo, d), max(hi, d)
			}
		}
		all = append(all, (hi-lo)*180/math.Pi)
	}
	return median(all) >= leastRoll
}

// alike is by how much the contacts differ from one another: in the middle of how the heel stands against the leg, degrees, and
// in how far off an even stride they begin, of the stride.
func (l *oneLeg) alike(stride float64) (deg, phase float64) {
	var turn, begin []float64
	for _, c := range l.contacts {
		if !c.found {
			continue
		}
		var all []float64
		for i := range c.ok {
			if f := c.from + i; c.ok[i] && f >= c.on && f <= c.off {
				all = append(all, (c.heel[i].turn-c.calf[i].turn)*180/math.Pi)
			}
		}
		turn = append(turn, median(all))
		if c.on > 0 { // it was seen to land
			_, part := math.Modf(float64(c.on) / stride)
			begin = append(begin, part)
		}
	}
	off := func(v []float64, round bool) float64 {
		// Of a phase, about the middle of the circle that it goes round.
		mid := median(v)
		if round {
			var s, c float64
			for _, x := range v {
				s, c = s+math.Sin(2*math.Pi*x), c+math.Cos(2*math.Pi*x)
			}
			mid = math.Atan2(s, c) / (2 * math.Pi)
		}
		var d []float64
		for _, x := range v {
			y := x - mid
			if round {
				y -= math.Round(y)
			}
			d = append(d, math.Abs(y))
		}
		return 1.4826 * median(d)
	}
	if len(turn) >= 3 {
		deg = off(turn, false)
	}
	if len(begin) >= 3 {
		phase = off(begin, true)
	}
	return deg, phase
}

// grain is by how much the heel differs from its own picture while it stands, of its contrast: in the middle of all frames. What a
// program draws is the same each time.
func (l *oneLeg) grain() float64 {
	var all []float64
	for _, c := range l.contacts {
		for i := range c.ok {
			if f := c.from + i; c.found && c.ok[i] && f >= c.on && f <= c.off {
				all = append(all, c.unlike[i])
			}
		}
	}
	return median(all)
}

// unclear says whether the leg was told badly: calf or heel lost in many of the frames on the ground.
func (l *oneLeg) unclear() bool {
	lost, of := 0, 0
	for _, c := range l.contacts {
		if c.found {
			of += c.off - c.on + 1
			for _, f := range c.lost {
				// One that comes nearer is followed on into the air.
				if l.near.rate == 0 || f >= c.on && f <= c.off {
					lost++
				}
			}
		}
	}
	return float64(lost) > mostCalfLost*float64(of) || l.hidden > mostHidden
}

// clearOf is how many legs are told clearly.
func clearOf(legs map[term.Side]*oneLeg) (n int) {
	for _, l := range legs {
		if !l.unclear() {
			n++
		}
	}
	return n
}

// cut takes heel and calf from a picture of the leg.
func (l *oneLeg) cut(pic *plot) {
	hx, hy, hw, hh := l.heelBox()
	cx, cy, cw, ch := l.calfBox()
	l.heelRef = newRigid(pic, hx, hy, hw, hh, nil, 0, true)
	l.calfRef = newRigid(pic, cx, cy, cw, ch, nil, 0.3, true)
	l.heelRef.enough, l.calfRef.enough = nearly, nearly // of one picture, or of what was found by one
	l.line.heelLow = Point{l.foot, l.sole}
}

// steady keeps, of a contact that was found, the frames in which the foot is flat for the mean pictures, and says
// whether there are any.
func (l *oneLeg) steady() bool {
	found := false
	for _, c := range l.contacts {
		if c.found {
			d := float64(c.off - c.on)
			c.a, c.b = c.on+int(flatFrom*d), c.on+int(flatTo*d)
			c.middle = (c.on + c.off) / 2
			found = true
		}
	}
	return found
}

// follow finds the leg in the middle of a contact and from there frame by frame to both sides.
func (l *oneLeg) follow(c *standing, fps float64) {
	n := len(c.frames)
	c.lost = nil
	c.heel, c.calf, c.ok, c.unlike = make([]pose, n), make([]pose, n), make([]bool, n), make([]float64, n)
	small := make([]*plot, n)
	half := func(i int) *plot {
		if small[i] == nil {
			small[i] = c.frames[i].half()
		}
		return small[i]
	}
	at := c.middle - c.from
	heel, unlike := l.seek(c.frames[at], half(at))
	calf, _, _ := l.calfRef.find(c.frames[at], half(at), pose{heel.x, heel.y, 0})
	c.heel[at], c.calf[at], c.ok[at], c.unlike[at] = heel, calf, unlike < mostUnlike, unlike
	if !c.ok[at] {
		return
	}
	jump := mostJump * l.shank * 120 / fps
	limit := min(mostUnlike, 0.1+4*max(unlike, l.usual))
	for _, way := range []int{-1, 1} {
		h, k := c.heel[at], c.calf[at]
		var vh, vk pose
		for i := at + way; i >= 0 && i < n; i += way {
			if c.frames[i] == nil {
				break
			}
			gh := pose{h.x + vh.x, h.y + vh.y, h.turn}
			p, u, share := l.heelRef.find(c.frames[i], half(i), gh)
			if l.near.rate != 0 && share > leastHeel { // what lies behind it goes by, and the forefoot lifts
				u = min(u, limit)
			}
			if u > limit || math.Hypot(p.x-gh.x, p.y-gh.y) > jump || math.Abs(p.turn-h.turn) > 0.2 {
				break
			}
			gk := pose{k.x + vk.x, k.y + vk.y, k.turn}
			q, uk, seen := l.calfRef.find(c.frames[i], half(i), gk)
			if uk > mostUnlike && seen < leastSeen || math.Hypot(q.x-gk.x, q.y-gk.y) > jump || math.Abs(q.turn-k.turn) > 0.06 ||
				l.apart(p, q) > jointSlack*l.shank {
				q = pose{k.x + p.x - h.x, k.y + p.y - h.y, k.turn} // it goes along with the heel until it is found again
				c.lost = append(c.lost, c.from+i)
			}
			vh = pose{p.x - h.x, p.y - h.y, 0}
			vk = pose{q.x - k.x, q.y - k.y, 0}
			h, k = p, q
			c.heel[i], c.calf[i], c.ok[i], c.unlike[i] = p, q, true, u
		}
	}
}

// apart is how far the ankle by the heel's pose lies from that by the calf's, px: one joint, wherever they are.
func (l *oneLeg) apart(heel, calf pose) float64 {
	at := Point{(l.foot + l.calf) / 2, l.sole - ankleHigh*l.shank}
	a, b := l.heelRef.placed(heel, at), l.calfRef.placed(calf, at)
	if l.near.rate != 0 { // the leg leans away from the camera as the foot comes nearer, and is seen shorter
		return math.Hypot(a.X-b.X, leaningCounts*(a.Y-b.Y))
	}
	return math.Hypot(a.X-b.X, a.Y-b.Y)
}

// seek finds the heel anywhere about where it should stand.
func (l *oneLeg) seek(in, small *plot) (pose, float64) {
	best, least := pose{}, math.Inf(1)
	step := max(3, 0.04*l.shank)
	for dy := -2.0; dy <= 2; dy++ {
		for dx := -4.0; dx <= 4; dx++ {
			from := pose{dx * step, dy * step, 0}
			if dx != 0 && l.within(l.foot+from.x, l.sole) < heelWide/2*l.shank {
				continue // that would be the other foot
			}
			r := l.heelRef
			got := make([]float32, r.w*r.h)
			r.seen(in, from, got)
			if u := r.unlike(got, r.weight) * (1 + 0.02*math.Hypot(dx, dy)); u < least {
				best, least = from, u
			}
		}
	}
	p, unlike, _ := l.heelRef.find(in, small, best)
	return p, unlike
}

// relearn makes the patches anew from the mean picture of the leg, about where heel and calf were found on it; what
// varies loses weight.
func (l *oneLeg) relearn(weigh bool) {
	if !weigh {
		l.foot, l.sole = (l.line.heelLow.X+l.line.heelTop.X)/2, l.line.heelLow.Y
		was := [2]*rigid{l.heelRef, l.calfRef}
		low := l.line.heelLow
		l.cut(l.mean)
		l.line.heelLow = low
		l.heelRef.weigh(l.shape)
		l.calfRef.weigh(l.shape)
		for _, c := range l.contacts {
			for i := range c.ok {
				if c.ok[i] {
					c.heel[i] = l.heelRef.taken(was[0], c.heel[i])
					c.calf[i] = l.calfRef.taken(was[1], c.calf[i])
				}
			}
		}
		return
	}
	again := func(r *rigid, from float64, of func(c *standing, i int) pose) *rigid {
		n := r.w * r.h
		sum, square := make([]float64, n), make([]float64, n)
		got := make([]float32, n)
		count := 0.0
		l.flat(func(c *standing, i int) {
			r.seen(c.frames[i], of(c, i), got)
			gain, bias := r.light(got, r.weight)
			for k, v := range got {
				x := float64(v)*gain + bias
				sum[k], square[k] = sum[k]+x, square[k]+x*x
			}
			count++
		})
		if count < 3 {
			return r
		}
		mean := newPlot(r.w, r.h)
		weight := make([]float32, n)
		var all []float64
		for k := range sum {
			m := sum[k] / count
			mean.v[k] = float32(m)
			square[k] = max(0, square[k]/count-m*m)
			all = append(all, square[k])
		}
		usual := max(4, median(all))
		cx, cy := r.middle()
		for y := range r.h {
			for x := range r.w {
				k := y*r.w + x
				u, v := (float64(x)-cx)/float64(r.w)*2, (float64(y)-cy)/float64(r.h)*2
				leg := l.shape.v[min(l.h-1, max(0, r.y0+y))*l.w+min(l.w-1, max(0, r.x0+x))]
				if float64(r.y0+y) < from {
					leg *= outsideWeighs
				}
				weight[k] = leg * float32(max(0.02, (1-u*u*u*u)*(1-v*v*v*v))*usual/(usual+square[k]))
			}
		}
		// The patch keeps its place; its picture is now the mean.
		big := newPlot(l.w, l.h)
		copyInto(big, mean, r.x0, r.y0)
		return newRigid(big, r.x0, r.y0, r.w, r.h, weight, r.hold, true)
	}
	// What is found by all of the heel is followed by the part of it that surely lies under the ankle: what turns with the
	// leg would hold it back.
	l.heelRef = again(l.heelRef, l.sole-heelAlone*l.shank, func(c *standing, i int) pose { return c.heel[i] })
	l.calfRef = again(l.calfRef, 0, func(c *standing, i int) pose { return c.calf[i] })
}

// flat goes through the frames in which the foot stands flat.
func (l *oneLeg) flat(each func(c *standing, i int)) {
	for _, c := range l.contacts {
		for i := range c.ok {
			if f := c.from + i; c.ok[i] && c.frames[i] != nil && f >= c.a && f <= c.b {
				each(c, i)
			}
		}
	}
}

// taken is another patch's pose as this one's: the same movement about its own middle.
func (r *rigid) taken(was *rigid, p pose) pose {
	cx, cy := r.middle()
	at := Point{cx + float64(r.x0), cy + float64(r.y0)}
	q := was.placed(p, at)
	return pose{q.X - at.X, q.Y - at.Y, p.turn}
}

// copyInto lays a picture into another, its border drawn on outward.
func copyInto(big, small *plot, x0, y0 int) {
	for y := range big.h {
		for x := range big.w {
			i, j := min(max(x-x0, 0), small.w-1), min(max(y-y0, 0), small.h-1)
			big.v[y*big.w+x] = small.v[j*small.w+i]
		}
	}
}
