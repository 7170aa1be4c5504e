package device

import (
	"fmt"
	"math"
	"math/rand/v2"

	"trevik/internal/core/fault"
	"trevik/internal/core/gait"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// TreadmillOptions say what the camera at the treadmill records. Zero values are
// those of a good recording of an invented runner.
type TreadmillOptions struct {
	Seed          uint64
	View          gait.View
	Gait          gait.Motion
	FPS           float64
	Seconds       float64
	Width, Height int
	Near          term.Side // side view: the leg towards the camera
	DotHueDeg     *float64  // nil is by the seed
	DotPX         float64   // across; 0 is by the seed
	Barefoot      bool
	Shod          string
	Shop          bool                  // noise, blur, a leaning camera, hidden dots and look-alikes
	Peak          map[term.Side]float64 // mean peak eversion, degrees; absent is by the seed
	OneLeg        term.Side             // only this leg has dots
	NoDots        bool
	Bare          bool    // from behind, without dots, legs and shoes as they are
	Framing       float64 // of the picture's height, that a shank takes: how near the camera stands
	Apart         float64 // how far apart the feet come down, of what is usual here: runners of 0.2 to 0.4 put one foot before the other
}

// Limits of a recording that is simulated.
const (
	maxSeconds = 60
	minSize    = 160
	maxSize    = 1920

	usualFraming = 0.42

	hipsLean = 8.0  // degrees
	swingsIn = 0.15 // shanks
	feetPass = 0.20 // shanks, from the middle of one to that of the other
)

// Check fills defaults in and notes what cannot be recorded.
func (o *TreadmillOptions) Check() error {
	def := func(v *float64, d float64) {
		if *v == 0 {
			*v = d
		}
	}
	if o.View == "" {
		o.View = gait.Rear
	}
	if o.Gait == "" {
		o.Gait = gait.Run
	}
	if o.Near == "" {
		o.Near = term.Left
	}
	def(&o.FPS, 120)
	def(&o.Seconds, 5)
	if o.Width == 0 {
		o.Width = 640
	}
	if o.Height == 0 {
		o.Height = 480
	}
	def(&o.Framing, usualFraming)
	def(&o.Apart, 1)
	var l fault.List
	fault.OneOf(&l, "view", o.View, gait.Views)
	fault.OneOf(&l, "gait", o.Gait, gait.Motions)
	fault.OneOf(&l, "near", o.Near, term.Sides)
	l.Range("fps", o.FPS, gait.MinFPS, 480, "frames a second")
	l.Range("seconds", o.Seconds, 0.5, maxSeconds, "s")
	l.Range("width", float64(o.Width), minSize, maxSize, "px")
	l.Range("height", float64(o.Height), minSize, maxSize, "px")
	if o.DotHueDeg != nil {
		l.Range("dot_hue_deg", *o.DotHueDeg, 0, 360, "°")
	}
	if o.DotPX != 0 {
		l.Range("dot_px", o.DotPX, 6, 40, "px")
	}
	l.Range("framing", o.Framing, 0.25, 0.6, "of the picture's height")
	l.Range("apart", o.Apart, 0.05, 1.5, "of what is usual")
	if o.Bare && o.View != gait.Rear {
		l.Add("view", "is %s; without dots a runner is filmed from behind", o.View)
	}
	if n := o.FPS * o.Seconds; len(l) == 0 && n > gait.MaxFrames {
		l.Add("seconds", "make %.0f frames; allowed are up to %d", n, gait.MaxFrames)
	}
	return l.Err()
}

// StepTruth is one contact as it truly was.
type StepTruth struct {
	TouchdownFrame  int      `json:"touchdown_frame"`
	LiftFrame       int      `json:"lift_frame"` // heel-off, toe-off or the ankle's, by the view
	PeakEversionDeg *float64 `json:"peak_eversion_deg,omitempty"`
	TouchdownDeg    *float64 `json:"touchdown_deg,omitempty"`
	StrikeDeg       *float64 `json:"strike_deg,omitempty"`
	ShankDeg        *float64 `json:"shank_deg,omitempty"`
	KneeInDeg       *float64 `json:"knee_in_deg,omitempty"`
	on, off         float64  // s
	peak, down      float64
	strike, shank   float64
	knee            float64
	rise            float64 // share of contact at which the peak comes
}

// SideTruth is a side's truth: the steps that lie wholly within the recording, and
// their means.
type SideTruth struct {
	Steps           []StepTruth `json:"steps"`
	PeakEversionDeg *float64    `json:"peak_eversion_deg,omitempty"`
	StrikeDeg       *float64    `json:"strike_deg,omitempty"`
	ShankDeg        *float64    `json:"shank_deg,omitempty"`
	KneeInDeg       *float64    `json:"knee_in_deg,omitempty"`
}

// TreadmillTruth is what the invented runner really did.
type TreadmillTruth struct {
	Schema     string                   `json:"schema"`
	Seed       uint64                   `json:"seed"`
	View       gait.View                `json:"view"`
	CadenceSPM float64                  `json:"cadence_spm"`
	Sides      map[term.Side]*SideTruth `json:"sides"`
	TiltDeg    float64                  `json:"tilt_deg"`
}

// Treadmill is the stand-in for a camera at a treadmill: it films an invented runner
// and knows the truth. It is a gait.Frames; a frame is drawn when it is asked for,
// and always the same.
type Treadmill struct {
	opt   TreadmillOptions
	n     int
	legs  []*leg
	truth TreadmillTruth
	look  scenery
	tilt  float64

	bare    *bareLook // nil is a runner with dots
	horizon float64   // px down, where wall and belt meet
}

// leg is one leg's way through the recording, px and s.
type leg struct {
	side           term.Side
	steps          []StepTruth
	scale          float64 // px of a shank
	x, floor       float64
	lift           float64 // px that the heel rises in swing
	late           float64 // how early in the swing the foot is highest
	ways           [2]int  // how it goes up and comes down
	lean, sway     float64 // degrees of the shank
	inward         float64 // px that the foot swings in
	drift          float64 // px that the floor comes down during a contact
	off, swing     float64 // eversion at heel-off and in swing, degrees
	belt           float64 // px/s, side view
	way            float64
	sole           float64 // px from heel to toe dot
	tip            float64 // px that the tip lies before the toe dot
	hip            gait.Point
	bounce, period float64
	hidden         map[string][][2]int // frames in which a dot is not to be seen
}

// NewTreadmill invents a runner and films it. It fails with a fault.List when the
// options cannot be.
func NewTreadmill(o TreadmillOptions) (*Treadmill, error) {
	if err := o.Check(); err != nil {
		return nil, err
	}
	r := rand.New(rand.NewPCG(o.Seed*0x9e3779b97f4a7c15, 11)) // neighbouring seeds apart
	t := &Treadmill{opt: o, n: int(math.Round(o.FPS * o.Seconds))}
	t.look = newScenery(o, r)
	shape := rand.New(rand.NewPCG(o.Seed*0x9e3779b97f4a7c15, 12))
	if o.Bare {
		t.bare, t.horizon = newBareLook(o, shape), 0.72*float64(o.Height)
	}
	if o.Shop {
		t.tilt = 2 + 3*r.Float64()
		if r.IntN(2) == 0 {
			t.tilt = -t.tilt
		}
	}
	cadence := 160 + 25*r.Float64()
	if o.Gait == gait.Walk {
		cadence = 104 + 16*r.Float64()
	}
	sides := term.Sides
	if o.View == gait.Side {
		sides = []term.Side{o.Near}
	}
	start := 0.4 * r.Float64()
	for i, side := range sides {
		l := t.newLeg(side, r)
		l.ways = [2]int{shape.IntN(len(ups)), shape.IntN(len(downs))}
		l.period = 120 / cadence
		t.stepOut(l, start+float64(i)*l.period/2, r)
		if o.Shop {
			l.hide(t.n, o, r)
		}
		t.legs = append(t.legs, l)
	}
	t.tell(cadence)
	return t, nil
}

func (t *Treadmill) newLeg(side term.Side, r *rand.Rand) *leg {
	o := t.opt
	w, h := float64(o.Width), float64(o.Height)
	near := o.Framing / usualFraming // how much nearer the camera stands
	l := &leg{side: side, scale: o.Framing * h * (0.9 + 0.2*r.Float64()), floor: h * (0.865 + 0.006*r.Float64()),
		lift: near * h * (0.14 + 0.1*r.Float64()),
		late: 0.5 + 2*r.Float64(), lean: 2 + 4*r.Float64(), sway: 3 * r.Float64(), drift: near * h * (0.01 + 0.025*r.Float64()), off: -2 +
			4*r.Float64(), swing: -6 + 5*r.Float64(),
		bounce: near * h * 0.02 * r.Float64(), hidden: map[string][][2]int{}}
	if o.Gait == gait.Walk {
		l.lift *= 0.6
		l.bounce *= 0.4
	}
	apart := near * w * (0.10 + 0.03*r.Float64()) * o.Apart
	// The hips stay as wide when the feet come closer, and the feet have to pass each other.
	l.lean -= hipsLean * (1 - o.Apart)
	l.inward = min(swingsIn*l.scale, max(0, 2*apart-feetPass*l.scale))
	l.x = w/2 + apart
	if (side == term.Left) == (o.View == gait.Rear) {
		l.x = w/2 - apart
	}
	switch o.View {
	case gait.Side:
		l.way = 1
		if side == term.Left {
			l.way = -1 // it shows its left side and runs to the left
		}
		l.sole = 0.17 * w * (0.9 + 0.2*r.Float64())
		l.tip = 0.05 * l.sole
		l.scale = 0.36 * h
		l.belt = 0.95 * w * (0.9 + 0.2*r.Float64())
		if o.Gait == gait.Walk {
			l.belt *= 0.45
		}
		l.lift = 0.13 * h
		l.hip = gait.Point{X: w / 2}
	case gait.Front:
		l.scale = 0.3 * h
		l.drift = -l.drift
		l.hip = gait.Point{X: l.x + (l.x-w/2)*0.25, Y: 0.14 * h}
	}
	return l
}

// stepOut lays a leg's contacts out over the recording and beyond its ends.
func (t *Treadmill) stepOut(l *leg, start float64, r *rand.Rand) {
	peak, ok := t.opt.Peak[l.side]
	if !ok {
		peak = 4 + 10*r.Float64()
		if t.opt.Gait == gait.Walk {
			peak -= 2
		}
	}
	down := -5 + 5*r.Float64()
	rise := 0.4 + 0.12*r.Float64()
	strike, shank, knee := -6+26*r.Float64(), 2+11*r.Float64(), -2+14*r.Float64()
	contact := 0.19 + 0.05*r.Float64() // the heel's
	if t.opt.View == gait.Side {
		contact = 0.22 + 0.05*r.Float64()
	}
	if t.opt.Gait == gait.Walk {
		contact *= 2.1
		strike = 14 + 8*r.Float64()
	}
	for on := start - 2*l.period; on < t.opt.Seconds+2*l.period; on += l.period * (1 + 0.008*r.NormFloat64()) {
		s := StepTruth{on: on, off: on + contact*(1+0.02*r.NormFloat64()), peak: peak + 0.6*r.NormFloat64(), down: down + 0.7*r.NormFloat64(),
			strike: strike + 0.8*r.NormFloat64(), shank: shank + 0.7*r.NormFloat64(), knee: knee + 0.8*r.NormFloat64(), rise: rise}
		l.steps = append(l.steps, s)
	}
}

// hide takes dots out of sight for a frame or three, and once for long.
func (l *leg) hide(n int, o TreadmillOptions, r *rand.Rand) {
	names := gait.DotNames(o.View)
	for range int(3 * o.Seconds / 2) {
		at := r.IntN(n)
		name := names[r.IntN(len(names))]
		l.hidden[name] = append(l.hidden[name], [2]int{at, at + r.IntN(max(1, int(0.025*o.FPS)))})
	}
	at := r.IntN(n)
	name := names[r.IntN(len(names))]
	l.hidden[name] = append(l.hidden[name], [2]int{at, at + int(0.06*o.FPS)})
}

func (l *leg) sees(name string, frame int) bool {
	for _, h := range l.hidden[name] {
		if frame >= h[0] && frame <= h[1] {
			return false
		}
	}
	return true
}

// tell writes the truth down: whole contacts, as gait.md counts them.
func (t *Treadmill) tell(cadence float64) {
	t.truth = TreadmillTruth{Schema: "trevik.truth/v1", Seed: t.opt.Seed, View: t.opt.View, CadenceSPM: cadence,
		Sides: map[term.Side]*SideTruth{}, TiltDeg: t.tilt}
	fps := t.opt.FPS
	strides, first, last := 0, 0.0, 0.0
	for _, l := range t.legs {
		s := &SideTruth{Steps: []StepTruth{}}
		var peak, strike, shank, knee float64
		for _, st := range l.steps {
			on, off := int(math.Ceil(st.on*fps-1e-9)), int(math.Floor(st.off*fps+1e-9))
			if float64(on) < 0.04*fps || float64(t.n-1-off) < 0.04*fps {
				continue
			}
			st.TouchdownFrame, st.LiftFrame = on, off
			switch t.opt.View {
			case gait.Rear:
				st.PeakEversionDeg, st.TouchdownDeg = tenth(st.peak), tenth(l.eversion(float64(on)/fps))
			case gait.Side:
				st.StrikeDeg, st.ShankDeg = tenth(l.soleAngle(float64(on)/fps)), tenth(l.shank(float64(on)/fps))
				strike, shank = strike+*st.StrikeDeg, shank+*st.ShankDeg
			case gait.Front:
				st.KneeInDeg = tenth(st.knee)
			}
			peak, knee = peak+st.peak, knee+st.knee
			s.Steps = append(s.Steps, st)
		}
		if n := float64(len(s.Steps)); n > 0 {
			switch t.opt.View {
			case gait.Rear:
				s.PeakEversionDeg = tenth(peak / n)
			case gait.Side:
				s.StrikeDeg, s.ShankDeg = tenth(strike/n), tenth(shank/n)
			case gait.Front:
				s.KneeInDeg = tenth(knee / n)
			}
			if k := len(s.Steps) - 1; k > 0 {
				strides += k
				first, last = first+s.Steps[0].on, last+s.Steps[k].on
			}
		}
		t.truth.Sides[l.side] = s
	}
	if strides > 0 {
		t.truth.CadenceSPM = units.Round(120*float64(strides)/(last-first), 2)
	}
}

func tenth(v float64) *float64 {
	v = units.Round(v, 3)
	return &v
}

// Truth is what the runner really did.
func (t *Treadmill) Truth() TreadmillTruth { return t.truth }

// Recording is the recording.json of the film.
func (t *Treadmill) Recording() gait.Recording {
	fps, speed := t.opt.FPS, 10.0
	if t.opt.Gait == gait.Walk {
		speed = 5
	}
	rec := gait.Recording{Schema: gait.RecordingSchema, View: t.opt.View, Gait: t.opt.Gait, FPS: &fps, Surface: "treadmill", Shod: t.opt.Shod,
		SpeedKMH: &speed, Markers: "auto"}
	if rec.Shod == "" {
		rec.Shod = "test shoe"
		if t.opt.Barefoot {
			rec.Shod = "barefoot"
		}
	}
	if t.opt.Bare {
		rec.Markers = gait.NoMarkers
	}
	if t.opt.View == gait.Side {
		rec.Near = t.opt.Near
	}
	return rec
}

// Len is how many frames the film has.
func (t *Treadmill) Len() int { return t.n }

// Dots are where the dots of both legs are at a time, before the camera leans.
func (t *Treadmill) dots(l *leg, at float64) map[string]gait.Point {
	switch t.opt.View {
	case gait.Side:
		return l.sideDots(at)
	case gait.Front:
		return l.frontDots(at)
	}
	return l.rearDots(at)
}

// Place is where a dot is in a frame's picture, and whether it is to be seen.
func (t *Treadmill) Place(side term.Side, name string, frame int) (gait.Point, bool) {
	for _, l := range t.legs {
		if l.side == side {
			return t.seen(t.dots(l, float64(frame)/t.opt.FPS)[name]), l.sees(name, frame)
		}
	}
	return gait.Point{}, false
}

// seen turns a place as the camera leans.
func (t *Treadmill) seen(p gait.Point) gait.Point {
	sin, cos := math.Sincos(t.tilt * math.Pi / 180)
	cx, cy := float64(t.opt.Width)/2, float64(t.opt.Height)/2
	dx, dy := p.X-cx, p.Y-cy
	return gait.Point{X: cx + cos*dx - sin*dy, Y: cy + sin*dx + cos*dy}
}

// phase finds where in the stride a time lies: on the ground (u from 0 to 1 over the
// contact), or in swing (u from lift to the next touchdown).
func (l *leg) phase(at float64) (step, next *StepTruth, u float64, ground bool) {
	for i := range l.steps[:len(l.steps)-1] {
		s, n := &l.steps[i], &l.steps[i+1]
		if at < s.on || at >= n.on {
			continue
		}
		if at <= s.off {
			return s, n, (at - s.on) / (s.off - s.on), true
		}
		return s, n, (at - s.off) / (n.on - s.off), false
	}
	panic(fmt.Sprintf("no step at %g s", at)) // steps reach beyond both ends
}

// near is how near the camera behind the runner a leg is, of which one hides the other.
func (l *leg) near(at float64) int {
	switch _, _, u, ground := l.phase(at); {
	case ground:
		return 1
	case u < 0.6:
		return 2
	}
	return 0
}

func ease(u float64) float64 { return (1 - math.Cos(math.Pi*min(max(u, 0), 1))) / 2 }

// eversion of the heel against the lower leg, degrees.
func (l *leg) eversion(at float64) float64 {
	s, n, u, ground := l.phase(at)
	if ground {
		if u < s.rise {
			return s.down + (s.peak-s.down)*math.Sin(math.Pi/2*u/s.rise)
		}
		return s.peak - (s.peak-l.off)*ease((u-s.rise)/(1-s.rise))
	}
	if u < 0.5 {
		return l.off + (l.swing-l.off)*ease(2*u)
	}
	return l.swing + (n.down-l.swing)*ease(2*u-1)
}

// ups and downs are further ways in which a foot leaves and comes down: u from 0 at the floor to 1 at the top. One of
// each is nil: the plain swing.
var (
	ups = []func(u float64) float64{nil,
		func(u float64) float64 { return u * u * (3 - 2*u) },
		func(u float64) float64 { return math.Sin(u*math.Pi/2) * begins(u) },
		func(u float64) float64 { return (1 - math.Pow(1-u, 2.2)) * begins(u) },
	}
	downs = []func(u float64) float64{nil,
		func(u float64) float64 { return math.Pow(u, 0.85) },                         // drops and stops dead
		func(u float64) float64 { return max(0.1*min(1, u/0.3), (u-0.4)/0.6) },       // glides low over the belt
		func(u float64) float64 { return 1 - math.Pow(1-u, 3) },                      // hangs
		func(u float64) float64 { return min(1, 2.6*u) },                             // comes down late
		func(u float64) float64 { return 0.5*u + 0.5*min(1, max(0, (u-0.25)/0.25)) }, // in two steps
	}
)

// begins lets a foot gather speed as it leaves: no foot is as fast in its first moment.
func begins(u float64) float64 {
	v := min(1, u/0.3)
	return v * v * (3 - 2*v)
}

// height of the foot over its floor in swing, px.
func (l *leg) height(u float64) float64 {
	const top = 0.42
	if up, down := ups[l.ways[0]], downs[l.ways[1]]; up != nil && down != nil {
		if u < top {
			return l.lift * up(u/top)
		}
		return l.lift * down(1-(u-top)/(1-top))
	}
	return l.plain(u)
}

// plain is a swing that leaves slowly and comes down with some speed.
func (l *leg) plain(u float64) float64 {
	f := func(u float64) float64 { return u * u * (1 - u) * math.Exp(-l.late*u) }
	top := 0.0
	for k := range 50 {
		top = max(top, f(float64(k)/50))
	}
	return l.lift * f(u) / top
}

func (l *leg) rearDots(at float64) map[string]gait.Point {
	_, _, u, ground := l.phase(at)
	out := 1.0 // outward on the picture
	if l.side == term.Left {
		out = -1
	}
	stride := 2 * math.Pi * at / l.period
	shank := l.lean + l.sway*math.Sin(stride)
	heel := shank + l.eversion(at)
	dir := func(deg float64) gait.Point {
		sin, cos := math.Sincos(deg * math.Pi / 180)
		return gait.Point{X: out * sin, Y: cos}
	}
	y, x, short := l.floor, l.x, 1.0
	if ground {
		y += l.drift * (u - 0.5)
	} else {
		y += l.drift*(0.5-ease(u)) - l.height(u)
		x -= out * l.inward * math.Sin(math.Pi*u)
		short = 1 - 0.22*math.Sin(math.Pi*u)*math.Sin(math.Pi*u)
	}
	h, s := dir(heel), dir(shank)
	along := func(p, d gait.Point, k float64) gait.Point { return gait.Point{X: p.X + k*d.X, Y: p.Y + k*d.Y} }
	low := gait.Point{X: x, Y: y}
	joint := along(low, h, -0.24*l.scale)
	return map[string]gait.Point{"heel_low": low, "heel_top": along(joint, h, 0.08*l.scale),
		"calf_low": along(joint, s, -0.16*l.scale), "calf_top": along(joint, s, -(0.16+0.55*short)*l.scale)}
}

// soleAngle against the ground, degrees, toe up positive.
func (l *leg) soleAngle(at float64) float64 {
	s, n, u, ground := l.phase(at)
	const flat, rise, steep = 0.28, 0.55, 52.0
	if ground {
		switch {
		case u < flat:
			return s.strike * (1 - ease(u/flat))
		case u < rise:
			return 0
		}
		return -steep * (1 - math.Cos(math.Pi/2*(u-rise)/(1-rise)))
	}
	// On through the swing, smoothly to the next strike.
	if u < 0.35 {
		return -steep - 38*math.Sin(math.Pi/2*u/0.35)
	}
	return -steep - 38 + (n.strike+steep+38)*ease((u-0.35)/0.55)
}

// shank is the lower leg against the vertical, degrees, ankle ahead positive.
func (l *leg) shank(at float64) float64 {
	s, n, u, ground := l.phase(at)
	const gone = -48.0
	if ground {
		return s.shank + (gone-s.shank)*(0.35*u+0.65*ease(u))
	}
	if u < 0.4 {
		return gone - 40*ease(u/0.4)
	}
	return gone - 40 + (n.shank-gone+40)*ease((u-0.4)/0.6)
}

func (l *leg) sideDots(at float64) map[string]gait.Point {
	s, n, u, ground := l.phase(at)
	middle := l.hip.X
	start := func(st *StepTruth) float64 { return middle + l.way*(0.3*l.belt*(st.off-st.on)) }
	// Where the heel stands on the belt, or stood or would stand.
	belt := func(st *StepTruth, at float64) float64 { return start(st) - l.way*l.belt*(at-st.on) }
	sole := l.soleAngle(at)
	sin, cos := math.Sincos(sole * math.Pi / 180)
	toward := gait.Point{X: l.way * cos, Y: -sin} // from heel to toe
	heelAt := func(st *StepTruth, at float64) gait.Point {
		x := belt(st, at)
		if sole >= 0 {
			return gait.Point{X: x, Y: l.floor}
		}
		// The tip stands; before a flat foot came, the toe's dot.
		tip := l.tip
		if at-st.on < 0.3*(st.off-st.on) {
			tip = 0
		}
		foot := x + l.way*(l.sole+tip)
		return gait.Point{X: foot - (l.sole+tip)*toward.X, Y: l.floor - (l.sole+tip)*toward.Y}
	}
	var heel gait.Point
	if ground {
		heel = heelAt(s, at)
	} else {
		a, b := heelAt(s, s.off), heelAt(n, n.on)
		swing := n.on - s.off
		// Hermite: it leaves and lands with the belt's speed.
		v := -l.way * l.belt * swing
		h00, h10, h01, h11 := 2*u*u*u-3*u*u+1, u*u*u-2*u*u+u, -2*u*u*u+3*u*u, u*u*u-u*u
		heel.X = h00*a.X + h10*v + h01*b.X + h11*v*0.4
		heel.Y = a.Y + (b.Y-a.Y)*ease(u) - l.height(u)
	}
	on := func(p gait.Point, k, up float64) gait.Point { // along the sole and off it
		return gait.Point{X: p.X + k*toward.X + up*toward.Y*l.way, Y: p.Y + k*toward.Y - up*math.Abs(toward.X)*sign(cos)}
	}
	ankle := on(heel, 0.24*l.sole, 0.42*l.sole)
	ss, cs := math.Sincos(l.shank(at) * math.Pi / 180)
	knee := gait.Point{X: ankle.X - l.way*l.scale*ss, Y: ankle.Y - l.scale*cs}
	return map[string]gait.Point{"heel": heel, "toe": on(heel, l.sole, 0), "ankle": ankle, "knee": knee}
}

func sign(v float64) float64 {
	if v < 0 {
		return -1
	}
	return 1
}

func (l *leg) frontDots(at float64) map[string]gait.Point {
	s, n, u, ground := l.phase(at)
	in := -1.0 // inward on the picture
	if l.side == term.Right {
		in = 1
	}
	stride := 2 * math.Pi * at / l.period
	hip := gait.Point{X: l.hip.X + 0.02*l.scale*math.Sin(stride), Y: l.hip.Y + l.bounce*math.Sin(2*stride)}
	ankle := gait.Point{X: l.x, Y: l.floor}
	knee := 0.0
	if ground {
		ankle.Y += l.drift * (u - 0.5)
		knee = s.knee * math.Sin(math.Pi*u)
	} else {
		ankle.Y += l.drift*(0.5-ease(u)) - l.height(u)
		ankle.X += in * 0.1 * l.scale * math.Sin(math.Pi*u)
		knee = 0.3 * n.knee * math.Sin(math.Pi*u)
	}
	mid := gait.Point{X: (hip.X + ankle.X) / 2, Y: (hip.Y + ankle.Y) / 2}
	half := math.Hypot(hip.X-ankle.X, hip.Y-ankle.Y) / 2
	side := half * math.Tan(knee/2*math.Pi/180)
	// Across the line from hip to ankle.
	across := gait.Point{X: (ankle.Y - hip.Y) / (2 * half), Y: -(ankle.X - hip.X) / (2 * half)}
	return map[string]gait.Point{"hip": hip, "ankle": ankle, "knee": {X: mid.X + in*side*across.X, Y: mid.Y + in*side*across.Y}}
}
