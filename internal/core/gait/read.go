package gait

import (
	"fmt"
	"image"
	"math"
	"slices"
	"strings"

	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// HandMark is a dot that a hand put in its place in one frame.
type HandMark struct {
	Side  term.Side `json:"side"`
	Dot   string    `json:"dot"`
	Frame int       `json:"frame"`
	X     float64   `json:"x"`
	Y     float64   `json:"y"`
}

// MovedContact is a contact whose ends a hand moved: the one that At, a frame, lies
// in.
type MovedContact struct {
	Side term.Side `json:"side"`
	At   int       `json:"at"`
	On   int       `json:"on"`
	Off  int       `json:"off"`
	Peak *int      `json:"peak,omitempty"` // the frame of the peak, where a hand chose it
}

// DroppedStep is a contact that is left out: the one that At lies in.
type DroppedStep struct {
	Side term.Side `json:"side"`
	At   int       `json:"at"`
}

// Corrections are what was put right by hand after following.
type Corrections struct {
	Marks    []HandMark              `json:"marks,omitempty"`
	Contacts []MovedContact          `json:"contacts,omitempty"`
	Dropped  []DroppedStep           `json:"dropped,omitempty"`
	Level    map[term.Side]LevelMark `json:"level,omitempty"` // of a film without dots
}

// Check notes what cannot be of a film of so many frames in a view.
func (c Corrections) Check(v View, frames int) error {
	var l fault.List
	frame := func(at string, f int) {
		if f < 0 || f >= frames {
			l.Add(at, "is frame %d; allowed are 0 to %d", f, frames-1)
		}
	}
	for i, m := range c.Marks {
		at := fmt.Sprintf("marks[%d].", i)
		fault.OneOf(&l, at+"side", m.Side, term.Sides)
		fault.OneOf(&l, at+"dot", m.Dot, DotNames(v))
		frame(at+"frame", m.Frame)
		l.Range(at+"x", m.X, -1e5, 1e5, "px")
		l.Range(at+"y", m.Y, -1e5, 1e5, "px")
	}
	for i, m := range c.Contacts {
		at := fmt.Sprintf("contacts[%d].", i)
		fault.OneOf(&l, at+"side", m.Side, term.Sides)
		frame(at+"at", m.At)
		frame(at+"on", m.On)
		frame(at+"off", m.Off)
		if m.Peak != nil && (*m.Peak < m.On || *m.Peak > m.Off) {
			l.Add(at+"peak", "is frame %d; allowed are frames of the contact, %d to %d", *m.Peak, m.On, m.Off)
		}
		if m.Off <= m.On {
			l.Add(at+"off", "is frame %d; allowed are frames after the touchdown, %d", m.Off, m.On)
		}
	}
	for i, d := range c.Dropped {
		at := fmt.Sprintf("dropped[%d].", i)
		fault.OneOf(&l, at+"side", d.Side, term.Sides)
		frame(at+"at", d.At)
	}
	for _, side := range term.Sides {
		if m, ok := c.Level[side]; ok {
			m.check(&l, "level."+string(side))
		}
	}
	return l.Err()
}

// Reading is an answer with what a screen draws beside it: the angle in each frame
// (NaN where it is not known), and the contacts that were left out.
type Reading struct {
	Answer  Answer
	Angles  map[term.Side][]float64
	Left    map[term.Side][]Step // dropped by hand
	Changed bool                 // something was put right by hand
}

// reader reads one recording.
type reader struct {
	Followed
	rec      Recording
	house    *house.Values
	fps      float64
	fix      Corrections
	out      Reading
	lost     int // contacts dropped for a gap
	bridged  int
	seen     int
	never    int // contacts whose heel never rested
	tilt     float64
	touchAll map[term.Side][]int // touchdowns of every whole contact
}

// Read tells contacts, angles and bands from followed paths and what was put right
// by hand, by the shop's limits of the bands (nil: as shipped). It fails with a fault.List when no step of any side can be read.
func Read(f Followed, r Recording, fix Corrections, h *house.Values) (Reading, error) {
	if err := r.Check(); err != nil {
		return Reading{}, err
	}
	if err := fix.Check(r.View, f.Frames); err != nil {
		return Reading{}, err
	}
	f, err := f.levelled(fix.Level)
	if err != nil {
		return Reading{}, err
	}
	rd := &reader{Followed: f, rec: r, house: h, fps: *r.FPS, fix: fix, touchAll: map[term.Side][]int{},
		out: Reading{Angles: map[term.Side][]float64{}, Left: map[term.Side][]Step{},
			Changed: len(fix.Marks)+len(fix.Contacts)+len(fix.Dropped)+len(fix.Level) > 0}}
	a := &rd.out.Answer
	*a = Answer{Schema: AnswerSchema, View: r.View, Gait: r.Gait, FPS: rd.fps, Frames: f.Frames, Surface: r.Surface, Shod: r.Shod,
		Sides: map[term.Side]*SideReading{}, Markers: Tracks{}, Quality: Quality{Flags: []Flag{}}, Warnings: []fault.Warning{}}
	steps := 0
	for _, side := range term.Sides {
		if r.View == Side && f.Tracks[side] == nil {
			continue // only the near side is there
		}
		a.Sides[side] = nil
		s := rd.side(side)
		if s != nil && len(s.Steps) > 0 {
			a.Sides[side] = s
			steps += len(s.Steps)
		}
	}
	if steps == 0 {
		return Reading{}, fault.List{{Field: "frames", Text: rd.whyNone()}}
	}
	rd.cadence()
	rd.asymmetry()
	rd.quality()
	return rd.out, nil
}

func (rd *reader) whyNone() string {
	if rd.lost > 0 {
		return fmt.Sprintf("hold no step that can be read: in each of %d contacts a dot is lost for longer than %.0f ms", rd.lost,
			1000*bridgeTime)
	}
	return "hold no whole contact with the ground; film at least three steps of a foot, from before it lands until it has left"
}

// paths lays the marks of a leg's dots out; nil when one of them was never seen.
func (rd *reader) paths(side term.Side) map[string]*path {
	out := map[string]*path{}
	for _, name := range DotNames(rd.rec.View) {
		marks := rd.Tracks[side][name]
		for _, m := range rd.fix.Marks {
			if m.Side == side && m.Dot == name {
				marks = placed(marks, Mark{m.Frame, Point{m.X, m.Y}, ByHand})
			}
		}
		p := newPath(relaid(marks, rd.Shaken.in(rd.middle())), rd.Frames, bridgeFrames(rd.fps))
		if !p.exists {
			return nil
		}
		out[name] = p
	}
	return out
}

// middle is the middle of the film's picture.
func (f *Followed) middle() Point { return middleOf(image.Pt(f.Width, f.Height)) }

// placed is marks with m in place of what was in its frame.
func placed(marks []Mark, m Mark) []Mark {
	i, there := slices.BinarySearchFunc(marks, m.Frame, func(a Mark, f int) int { return a.Frame - f })
	out := slices.Clone(marks)
	if there {
		out[i] = m
		return out
	}
	return slices.Insert(out, i, m)
}

func (rd *reader) side(side term.Side) *SideReading {
	raw := rd.paths(side)
	if raw == nil {
		return nil
	}
	rd.out.Answer.Markers[side] = map[string][]Mark{}
	for name, p := range raw {
		rd.out.Answer.Markers[side][name] = relaid(p.marks, rd.Shaken.out(rd.middle()))
	}
	switch rd.rec.View {
	case Rear:
		return rd.rear(side, raw)
	case Side:
		return rd.profile(side, raw)
	}
	return rd.front(side, raw)
}

// contactsOf finds a side's whole contacts and puts right what a hand put right;
// those in which a dot is lost for too long are left out. mend, where there is one, tells the ends of what was found better.
func (rd *reader) contactsOf(side term.Side, y []float64, on floorKind, floorDots []*path, all map[string]*path,
	mend func(list []contact, known []bool)) []contact {
	known := make([]bool, rd.Frames)
	for i := range known {
		known[i] = true
		for _, p := range floorDots {
			known[i] = known[i] && p.known[i]
		}
	}
	var list []contact
	if rd.Outline != nil {
		for _, c := range rd.Outline.Contacts[side] {
			list = append(list, contact{on: c.On, off: c.Off})
		}
	} else {
		list = contacts(y, known, rd.fps, on)
	}
	if mend != nil {
		mend(list, known)
	}
	list = whole(list, rd.Frames, rd.fps)
	for _, m := range rd.fix.Contacts {
		if m.Side != side {
			continue
		}
		moved := contact{on: m.On, off: m.Off, peak: m.Peak}
		near := slices.IndexFunc(list, func(c contact) bool { return m.At >= c.on && m.At <= c.off })
		if near >= 0 {
			list[near] = moved
		} else {
			list = append(list, moved)
		}
	}
	slices.SortFunc(list, func(a, b contact) int { return a.on - b.on })
	for _, c := range list {
		rd.touchAll[side] = append(rd.touchAll[side], c.on)
	}
	return slices.DeleteFunc(list, func(c contact) bool {
		gap := false
		for _, p := range all {
			for i := c.on; i <= c.off; i++ {
				gap = gap || !p.known[i]
			}
		}
		if gap {
			rd.lost++
			return true
		}
		for _, p := range all {
			for _, m := range p.marks {
				if m.Frame >= c.on && m.Frame <= c.off {
					rd.seen++
					if m.How == Bridged {
						rd.bridged++
					}
				}
			}
		}
		if c.neverDown {
			rd.never++
		}
		return false
	})
}

// dropped says whether a hand left a contact out.
func (rd *reader) dropped(side term.Side, c contact) bool {
	return slices.ContainsFunc(rd.fix.Dropped, func(d DroppedStep) bool { return d.Side == side && d.At >= c.on && d.At <= c.off })
}

func (rd *reader) smoothAll(raw map[string]*path) map[string]*path {
	cut := cutOffAt(rd.fps)
	if rd.Outline != nil { // what was registered over whole patches strays little
		cut = min(outlineCut, rd.fps/slowDivisor)
	}
	out := map[string]*path{}
	for name, p := range raw {
		out[name] = p.smooth(rd.fps, cut)
	}
	return out
}

// bend is the angle from the direction of a to that of b, degrees, clockwise on the
// screen positive.
func bend(a, b Point) float64 {
	return math.Atan2(a.X*b.Y-a.Y*b.X, a.X*b.X+a.Y*b.Y) * 180 / math.Pi
}

// rear reads a leg from behind: the heel against the lower leg.
func (rd *reader) rear(side term.Side, raw map[string]*path) *SideReading {
	sign := 1.0
	if side == term.Right {
		sign = -1
	}
	low := raw["heel_low"]
	list := rd.contactsOf(side, levelled(low, raw["heel_top"], rd.fps), floorKind{0, usualSlope}, []*path{low}, raw, nil)
	p := rd.smoothAll(raw)
	rolled := func(p map[string]*path, i int) float64 {
		return sign * bend(p["calf_low"].at(i).minus(p["calf_top"].at(i)), p["heel_low"].at(i).minus(p["heel_top"].at(i)))
	}
	angle := make([]float64, rd.Frames)
	plain := make([]float64, rd.Frames)
	for i := range angle {
		angle[i], plain[i] = rolled(p, i), rolled(raw, i)
	}
	for _, c := range list {
		land(angle, plain, c, rd.fps)
	}
	shown := slices.Clone(angle)
	for i := range shown {
		for _, q := range raw {
			if !q.known[i] {
				shown[i] = math.NaN()
			}
		}
	}
	rd.out.Angles[side] = shown
	var s SideReading
	var down, peak, excursion, speed []float64
	var curves [][101]float64
	for _, c := range list {
		st := rearStep(angle, c, rd.fps)
		if rd.dropped(side, c) {
			rd.out.Left[side] = append(rd.out.Left[side], st)
			continue
		}
		s.Steps = append(s.Steps, st)
		down, peak = append(down, *st.TouchdownDeg), append(peak, *st.PeakEversionDeg)
		excursion, speed = append(excursion, *st.ExcursionDeg), append(speed, *st.PeakSpeedDegS)
		curves = append(curves, overContact(angle, c))
	}
	if len(s.Steps) == 0 {
		return nil
	}
	s.TouchdownDeg, s.PeakEversionDeg, s.ExcursionDeg, s.PeakSpeedDegS = statOf(down), statOf(peak), statOf(excursion), statOf(speed)
	mean, sd := meanSD(peak)
	level := JointSD
	if rd.Outline != nil {
		level = max(level, rd.Outline.LevelSD[side])
		s.LevelSDDeg = rounded(level, 1)
	}
	chance := bandsBy(level, mean, sd, len(peak), rd.rec.Gait, rd.house)
	s.BandProbability = &chance
	s.Band, s.BandWords = likeliest(chance)
	s.CurveDeg = meanCurve(curves)
	return &s
}

// House values of the angle at touchdown.
const (
	landTime  = 0.034 // s after touchdown by which it is told
	landLeast = 3     // frames
)

// land mends the smoothed angle where a contact begins. The heel turns at once where it lands, and a filter that
// looks to both sides rounds that corner off: a line through the frames after it, unsmoothed, is drawn back to it.
func land(angle, plain []float64, c contact, fps float64) {
	n := min(max(landLeast, int(math.Round(landTime*fps))+1), c.off-c.on+1)
	var t, v, tt, tv float64
	for k := range n {
		t, v = t+float64(k)/float64(n), v+plain[c.on+k]/float64(n)
	}
	for k := range n {
		tt, tv = tt+(float64(k)-t)*(float64(k)-t), tv+(float64(k)-t)*(plain[c.on+k]-v)
	}
	if tt == 0 {
		return
	}
	off := v - t*tv/tt - angle[c.on]
	for k := range n { // less and less as the filter looks at nothing but the contact
		u := 1 - float64(k)/float64(n)
		angle[c.on+k] += off * u * u
	}
}

func rearStep(angle []float64, c contact, fps float64) Step {
	top := c.on
	for i := c.on; i <= c.off; i++ {
		if angle[i] > angle[top] {
			top = i
		}
	}
	at, peak := float64(top), angle[top]
	if c.peak != nil {
		at, peak, top = float64(*c.peak), angle[*c.peak], *c.peak
	} else if top > c.on && top < c.off { // between the frames
		lo, hi := angle[top-1], angle[top+1]
		if k := lo - 2*peak + hi; k < 0 {
			d := (lo - hi) / (2 * k)
			at, peak = at+d, peak-(lo-hi)*d/4
		}
	}
	fastest := 0.0
	for i := c.on; i <= top; i++ {
		if i > 0 && i+1 < len(angle) {
			fastest = max(fastest, (angle[i+1]-angle[i-1])*fps/2)
		}
	}
	off, down := c.off, angle[c.on]
	return Step{TouchdownFrame: c.on, HeelOffFrame: &off, TouchdownDeg: rounded(down, 3), PeakEversionDeg: rounded(peak, 3),
		PeakAtPercent: rounded(100*(at-float64(c.on))/float64(c.off-c.on), 1), ExcursionDeg: rounded(peak-down, 3),
		PeakSpeedDegS: rounded(fastest, 1)}
}

// overContact is the angle at 0 to 100 % of a contact.
func overContact(v []float64, c contact) (out [101]float64) {
	for k := range out {
		t := float64(c.on) + float64(k)/100*float64(c.off-c.on)
		i := min(int(t), c.off-1)
		f := t - float64(i)
		out[k] = (1-f)*v[i] + f*v[i+1]
	}
	return out
}

func meanCurve(curves [][101]float64) *Curve {
	c := &Curve{Mean: make([]float64, 101), SD: make([]float64, 101)}
	at := make([]float64, len(curves))
	for k := range 101 {
		for i := range curves {
			at[i] = curves[i][k]
		}
		mean, sd := meanSD(at)
		c.Mean[k], c.SD[k] = units.Round(mean, 3), units.Round(sd, 3)
	}
	return c
}

// front reads a leg from the front: the knee's angle in the middle of the contact.
func (rd *reader) front(side term.Side, raw map[string]*path) *SideReading {
	sign := 1.0
	if side == term.Left {
		sign = -1
	}
	ankle := raw["ankle"]
	list := rd.contactsOf(side, ankle.y, floorKind{0, usualSlope}, []*path{ankle}, raw, nil)
	p := rd.smoothAll(raw)
	angle := make([]float64, rd.Frames)
	for i := range angle {
		angle[i] = sign * bend(p["knee"].at(i).minus(p["hip"].at(i)), p["ankle"].at(i).minus(p["knee"].at(i)))
	}
	rd.out.Angles[side] = angle
	var s SideReading
	var in []float64
	for _, c := range list {
		mid, lift := (c.on+c.off)/2, c.off
		st := Step{TouchdownFrame: c.on, LiftFrame: &lift, Frame: &mid, KneeInDeg: rounded((angle[mid]+angle[(c.on+c.off+1)/2])/2, 3)}
		if rd.dropped(side, c) {
			rd.out.Left[side] = append(rd.out.Left[side], st)
			continue
		}
		s.Steps, in = append(s.Steps, st), append(in, *st.KneeInDeg)
	}
	if len(s.Steps) == 0 {
		return nil
	}
	s.KneeInDeg = statOf(in)
	s.KneeInward = *s.KneeInDeg.Mean > kneeLimit
	return &s
}

// cadence pools both feet: the strides between touchdowns, a contact that was missed
// counting as passed over.
func (rd *reader) cadence() {
	var gaps []float64
	for _, on := range rd.touchAll {
		for i := 1; i < len(on); i++ {
			gaps = append(gaps, float64(on[i]-on[i-1]))
		}
	}
	if len(gaps) == 0 {
		return
	}
	slices.Sort(gaps)
	one := gaps[(len(gaps)-1)/2]
	strides, frames := 0.0, 0.0
	for _, g := range gaps {
		strides += math.Round(g / one)
		frames += g
	}
	spm := 2 * 60 * strides * rd.fps / frames
	if stride, off := evenStride(rd.touchAll); off && len(gaps) > 3 && math.Abs(stride-one) < 0.2*one && !rd.mixedSpeeds() {
		spm = 2 * 60 * rd.fps / stride
	}
	rd.out.Answer.CadenceSPM = rounded(spm, 1)
	if len(gaps) > 1 { // a stride's own spread, over all of them
		each := make([]float64, len(gaps))
		for i, g := range gaps {
			each[i] = 2 * 60 * math.Round(g/one) * rd.fps / g
		}
		_, sd := meanSD(each)
		rd.out.Answer.CadenceError = rounded(sd/math.Sqrt(float64(len(gaps))), 2)
	}
	lo, hi := 130.0, 240.0
	if rd.rec.Gait == Walk {
		lo, hi = 70, 160
	}
	if spm < lo || spm > hi {
		rd.warn("unusual_cadence", "%.0f steps a minute is unusual for a %s: is the film's rate %g frames a second?", spm, rd.rec.Gait, rd.fps)
	}
}

// outOfTime is how far a touchdown lies off the even line through a foot's others, of the stride, when it was told
// wrong: no runner strides so unevenly.
const outOfTime = 0.025

// evenStride is the stride, frames, in the middle of all pairs of a foot's touchdowns, and whether one of them lies
// off the line that this makes: at the film's ends it would move the cadence.
func evenStride(feet map[term.Side][]int) (stride float64, off bool) {
	var slopes []float64
	for _, on := range feet {
		for i := range on {
			for j := i + 1; j < len(on); j++ {
				slopes = append(slopes, float64(on[j]-on[i])/float64(j-i))
			}
		}
	}
	stride = median(slopes)
	for _, on := range feet {
		from := make([]float64, len(on))
		for i, f := range on {
			from[i] = float64(f) - stride*float64(i)
		}
		middle := median(from)
		for _, v := range from {
			off = off || math.Abs(v-middle) > outOfTime*stride
		}
	}
	return stride, off
}

func (rd *reader) asymmetry() {
	l, r := rd.out.Answer.Sides[term.Left], rd.out.Answer.Sides[term.Right]
	if rd.rec.View == Rear && l != nil && r != nil {
		rd.out.Answer.AsymmetryDeg = rounded(math.Abs(*l.PeakEversionDeg.Mean-*r.PeakEversionDeg.Mean), 3)
	}
}

func (rd *reader) warn(code, text string, args ...any) {
	rd.out.Answer.Warnings = append(rd.out.Answer.Warnings, fault.Warning{Code: code, Text: fmt.Sprintf(text, args...)})
}

// House values of quality.
const (
	goodFPS      = 60.0
	tiltLimit    = 2.5   // degrees
	tiltAtLeast  = 3.0   // px that the floor of left and right differ
	bridgedShare = 0.05  // of the dots within contacts
	speedShare   = 0.06  // by which the stride changes from first half to second
	edgeShare    = 0.45  // of a dot's diameter that its edge takes
	edgeAtLeast  = 5.0   // px
	shakenTold   = 0.004 // of the picture's height, that a camera moved
)

// quality tells what the reading suffers from.
func (rd *reader) quality() {
	a := &rd.out.Answer
	score := 1.0
	flag := func(is bool, f Flag, cost float64, text string, args ...any) {
		if !is {
			return
		}
		a.Quality.Flags = append(a.Quality.Flags, f)
		score *= 1 - cost
		rd.warn(string(f), text, args...)
	}
	fewest, sides := math.MaxInt, 0
	for _, s := range a.Sides {
		if s != nil {
			fewest = min(fewest, len(s.Steps))
			sides++
		}
	}
	if o := rd.Outline; o != nil {
		a.Calibrated = &o.Calibrated
		if o.Calibrated {
			flag(true, NoDots, 0.15, "there are no dots: legs and shoes were read by their outlines, and their level by the points set by hand, "+
				"good to about %.1f°", worstLevel(o))
		} else {
			flag(true, NoDots, 0.25, "there are no dots: legs and shoes were read by their outlines. What changes is read well, the level to about "+
				"%.1f°; set the four points of each leg on one to five frames of mid-stance where the band counts", worstLevel(o))
		}
		flag(o.Crossed, LegsCrossed, 0.8,
			"the feet come down close to one line, so that the leg that swings hides part of the one that stands: the level is read less well")
		flag(o.Near, TooNear, 0.4, "the legs fill the picture, and the knees are hardly in it: how far the foot rolls may be read up to "+
			"10° too little; film from farther off, so that floor to knee is half of the picture's height")
		flag(len(o.Unclear) > 0, LegNotClear, 0.3, "the %s leg does not stand out clearly from what is behind it", sidesIn(o.Unclear))
	}
	flag(fewest < enoughSteps, FewSteps, 0.3, "only %d steps of a side; at least %d make a verdict", fewest, enoughSteps)
	moved := rd.Shaken.far()
	flag(moved > shakenTold*float64(rd.Height), CameraMoved, 0.1, "the camera moved, by up to %.0f px: what stands still in the picture told "+
		"how, and it was taken out; a camera on a stand, off the belt's frame, is read better", moved)
	flag(rd.fps < goodFPS, LowFPS, 0.35, "%g frames a second are few: the peak is drawn flatter and times are coarse; film at 60 or more",
		rd.fps)
	flag(rd.lost > 0 || len(rd.Unread) > 0 || float64(rd.bridged) > bridgedShare*float64(rd.seen), LostMarkers, 0.15, "%s", rd.lostWords())
	flag(rd.EdgePX > max(edgeAtLeast, edgeShare*rd.DiameterPX), Blurred, 0.15,
		"the dots' edges are %.1f px wide: more light, a shorter exposure or a steadier camera makes them sharp", rd.EdgePX)
	rd.rearTilt()
	flag(math.Abs(rd.tilt) > tiltLimit, Tilted, 0.1, "the camera leans by about %.0f°; angles are taken against the ground all the same",
		math.Abs(rd.tilt))
	if rd.rec.View != Side {
		flag(sides < 2, OneFootOnly, 0.2, "one foot alone could be read")
		if sides < 2 && rd.OneLegAtPlace {
			rd.warn("side_by_place", "only one leg has dots; which it is was told by its half of the picture")
		}
	}
	flag(rd.never > 0, HeelNeverDown, 0.1, "in %d contacts the heel never rests on the ground: the contact is taken round its lowest place",
		rd.never)
	flag(rd.mixedSpeeds(), MixedSpeeds, 0.15, "the stride changes within the film; read each speed by itself")
	a.Quality.Score = units.Round(score, 2)
}

func worstLevel(o *OutlineFound) float64 {
	worst := 0.0
	for _, v := range o.LevelSD {
		worst = max(worst, v)
	}
	return worst
}

func sidesIn(list []term.Side) string {
	words := make([]string, len(list))
	for i, s := range list {
		words[i] = string(s)
	}
	return strings.Join(words, " and the ")
}

func (rd *reader) lostWords() string {
	switch {
	case rd.lost > 0:
		return fmt.Sprintf("%d steps are left out: a dot was lost in them for longer than %.0f ms", rd.lost, 1000*bridgeTime)
	case len(rd.Unread) > 0:
		return fmt.Sprintf("%d frames could not be used (first: %d) and are bridged over", len(rd.Unread), rd.Unread[0])
	}
	return fmt.Sprintf("%.0f %% of the dots' places are bridged over", 100*float64(rd.bridged)/float64(rd.seen))
}

// rearTilt is the camera's lean seen from behind or from the front: the line from
// the left foot's contacts to the right one's against the level.
func (rd *reader) rearTilt() {
	if rd.rec.View == Side {
		return
	}
	foot := "heel_low"
	if rd.rec.View == Front {
		foot = "ankle"
	}
	var at [2]Point
	for i, side := range term.Sides {
		s := rd.out.Answer.Sides[side]
		if s == nil {
			return
		}
		marks := rd.out.Answer.Markers[side][foot]
		var x, y []float64
		for _, st := range s.Steps {
			mid := (st.TouchdownFrame + st.Last()) / 2
			if k, ok := slices.BinarySearchFunc(marks, mid, func(m Mark, f int) int { return m.Frame - f }); ok {
				x, y = append(x, marks[k].X), append(y, marks[k].Y)
			}
		}
		at[i] = Point{median(x), median(y)}
	}
	d := at[1].minus(at[0])
	if math.Abs(d.Y) > tiltAtLeast {
		rd.tilt = math.Atan2(d.Y, math.Abs(d.X)) * 180 / math.Pi
	}
}

func (rd *reader) mixedSpeeds() bool {
	for _, on := range rd.touchAll {
		if len(on) < 7 {
			continue
		}
		var d []float64
		for i := 1; i < len(on); i++ {
			d = append(d, float64(on[i]-on[i-1]))
		}
		half := len(d) / 2
		if math.Abs(median(d[:half])-median(d[len(d)-half:])) > speedShare*median(d) {
			return true
		}
	}
	return false
}
