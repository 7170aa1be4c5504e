package record

import (
	"cmp"
	"fmt"
	"math"
	"time"

	"trevik/internal/core/foot"
	"trevik/internal/core/limits"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
)

// Measure is one measure of the feet: by hand in readings, by a scanner where one takes it, and from the outline
// of a traced foot.
type Measure struct {
	SidedRows[float64]
	Scan  *Sided[float64]
	Trace *Sided[float64]
	Title string
	What  string // in a sentence
}

// Measures of the feet, in the order in which they are taken.
var (
	LengthMeasure     = Measure{Length, &ScanLength, &TraceLength, "Foot length", "length"}
	BallMeasure       = Measure{Ball, &ScanBall, &TraceBall, "Ball width", "ball width"}
	HeelToBallMeasure = Measure{HeelToBall, &ScanHeelToBall, nil, "Heel to ball", "heel-to-ball"}
	HeelMeasure       = Measure{Heel, &ScanHeel, &TraceHeel, "Heel width", "heel width"}
	InstepMeasure     = Measure{Instep, &ScanInstep, nil, "Instep", "instep"}
	SizeMeasures      = []Measure{LengthMeasure, BallMeasure, HeelToBallMeasure, HeelMeasure, InstepMeasure}
	ArchMeasures      = []Measure{{InstepSeated, nil, nil, "Instep, seated", "seated instep"}, {Navicular, nil, nil, "Navicular", "navicular"},
		{NavicularSeated, nil, nil, "Navicular, seated", "seated navicular"}}
)

// Reading brings a foot's repeated readings together, mm.
func (v *Visit) Reading(m Measure, side term.Side) foot.Reading {
	var values []float64
	for i := range Readings {
		if x := m.Ptr(v, side, i+1); x != nil {
			values = append(values, *x)
		}
	}
	return foot.Combine(values, v.House())
}

// Scanned is a scanner's value of a measure, nil where there is none.
func (v *Visit) Scanned(m Measure, side term.Side) *Finding {
	if m.Scan == nil || !v.Has(m.Scan.Key(side)) {
		return nil
	}
	f := v.Finding(m.Scan.Key(side))
	return &f
}

// Traced is what a measure is by the outline of a traced foot, nil where there is none.
func (v *Visit) Traced(m Measure, side term.Side) *Finding {
	if m.Trace == nil || !v.Has(m.Trace.Key(side)) {
		return nil
	}
	f := v.Finding(m.Trace.Key(side))
	return &f
}

// wakingMM is the doubt of a length that was measured on waking, mm: feet grow by day (house).
const wakingMM = 2.0

// Measured is what counts of a foot's measure, mm: what the fitter lets count of the readings by hand, the scan's
// value and the outline's, else the first of them that there is. N is 0 when there is none.
func (v *Visit) Measured(m Measure, side term.Side) foot.Reading {
	hand, scan, trace := v.Reading(m, side), v.Scanned(m, side), v.Traced(m, side)
	counts := Counts.Of(v, side)
	if scan == nil || trace != nil && counts == "outline" {
		scan = trace
	}
	if scan == nil || hand.N > 0 && counts != "scan" && counts != "outline" || hand.N > 0 && counts == "scan" && v.Scanned(m, side) == nil ||
		hand.N > 0 && counts == "outline" && trace == nil {
		if hand.N > 0 && m.Name == Length.Name && MeasuredWhen.Of(v) == "on_waking" {
			hand.Error = math.Hypot(hand.Error, wakingMM)
		}
		return hand
	}
	r := foot.Reading{Value: *scan.Number, N: 1}
	if scan.Error != nil {
		r.Error = *scan.Error
	}
	return r
}

// Apart is a way of measuring that says another thing than the hand: its word, and how far it is apart, mm.
type Apart struct {
	By string // scanner, outline
	MM float64
}

// ApartFrom lists what lies apart from the hand in a measure by more than it may.
func (v *Visit) ApartFrom(m Measure, side term.Side) []Apart {
	hand := v.Reading(m, side)
	var out []Apart
	for _, x := range []struct {
		by string
		f  *Finding
	}{{"scanner", v.Scanned(m, side)}, {"outline", v.Traced(m, side)}} {
		if hand.N > 0 && x.f != nil && math.Abs(hand.Value-*x.f.Number) > foot.ScanDisagreesMM {
			out = append(out, Apart{x.by, *x.f.Number - hand.Value})
		}
	}
	return out
}

// Foot is one foot as it was measured; zero where it was not. A heel-to-ball that is none of a
// foot of that length does not count (OddBall).
func (v *Visit) Foot(side term.Side) foot.Measured {
	of := func(m Measure) float64 { return v.Measured(m, side).Value }
	f := foot.Measured{LengthMM: of(LengthMeasure), BallMM: of(BallMeasure), HeelToBallMM: of(HeelToBallMeasure), HeelMM: of(HeelMeasure),
		InstepMM: of(InstepMeasure), Shape: v.Shape(side)}
	if v.OddBall(side) != 0 {
		f.HeelToBallMM = 0
	}
	return f
}

// OddBall is a side's heel-to-ball as a share of its length where that can be of no foot, so that
// one of the two is to be measured again; 0 otherwise.
func (v *Visit) OddBall(side term.Side) float64 {
	length, ball := v.Measured(LengthMeasure, side).Value, v.Measured(HeelToBallMeasure, side).Value
	if length == 0 || ball == 0 || foot.BallHolds(ball, length) {
		return 0
	}
	return ball / length
}

// Feet are both feet as they were measured.
func (v *Visit) Feet() foot.Feet {
	return foot.Feet{Left: v.Foot(term.Left), Right: v.Foot(term.Right)}
}

// HasFeet says whether at least one foot has its length.
func (v *Visit) HasFeet() bool {
	return v.Foot(term.Left).LengthMM > 0 || v.Foot(term.Right).LengthMM > 0
}

// Shape is a side's toe shape: as seen by eye, else by its outline.
func (v *Visit) Shape(side term.Side) term.Shape {
	return cmp.Or(ToeShape.Of(v, side), TraceShape.Of(v, side))
}

// Volume is a side's volume: as seen by eye, else by its instep.
func (v *Visit) Volume(side term.Side) term.Volume {
	if seen := VolumeSeen.Of(v, side); seen != "" {
		return seen
	}
	m := v.Foot(side)
	return foot.VolumeOf(m.InstepMM, m.LengthMM, v.House())
}

// NavicularDrop is how far a side's arch sinks from sitting to standing, mm.
func (v *Visit) NavicularDrop(side term.Side) (drop float64, word string, ok bool) {
	standing, seated := ArchMeasures[1], ArchMeasures[2]
	drop, word, ok = foot.NavicularDrop(v.Reading(seated, side).Value, v.Reading(standing, side).Value)
	return drop, word, ok && limits.Navicular.Holds(drop)
}

// Sizing is a foot's sizing length as it was measured, mm; 0 where it was not.
func (v *Visit) Sizing(side term.Side) float64 {
	m := v.Foot(side)
	if m.LengthMM == 0 {
		return 0
	}
	length, _ := foot.SizingLength(m.LengthMM, m.HeelToBallMM, v.House())
	return length
}

// FeetNames are the findings that tell of feet and their prints, whoever or whatever measured them.
func FeetNames() []string {
	names := []string{TraceShape.Name, PrintRead.Name}
	for _, station := range []string{"feet", "print"} {
		for _, d := range DeclsAt(station) {
			names = append(names, d.Name)
		}
	}
	for _, m := range SizeMeasures {
		for _, by := range []*Sided[float64]{m.Scan, m.Trace} {
			if by != nil {
				names = append(names, by.Name)
			}
		}
	}
	return names
}

// FeetKind is what of the feet decides whether another's shoe suits them.
func (v *Visit) FeetKind() foot.Kind {
	var k foot.Kind
	for _, s := range term.Sides {
		m := v.Foot(s)
		if l := m.Sizing(v.House()); l > k.LengthMM {
			k.LengthMM, k.Volume, k.Arch = l, v.Volume(s), v.Arch(s)
		}
		k.BallMM = max(k.BallMM, m.BallMM)
	}
	return k
}

// SizeOf sizes one foot on the runner's chart; nil without a length. The error is a
// fault.List.
func (c *Conclusions) SizeOf(side term.Side) (*foot.Size, error) {
	m := c.Foot(side)
	if m.LengthMM == 0 {
		return nil, nil
	}
	s, err := foot.SizeOf(c.Runner.Chart, m.LengthMM, positive(m.BallMM), positive(m.HeelToBallMM), c.House())
	if err != nil {
		return nil, err
	}
	return &s, nil
}

func positive(v float64) *float64 {
	if v <= 0 {
		return nil
	}
	return &v
}

// Growing says whether the feet still grow, and the day from which to measure them again.
func (c *Conclusions) Growing() (growing bool, again time.Time) {
	growing = c.Runner.Chart == term.Youth
	for _, flag := range c.Cautions() {
		growing = growing || flag == support.ChildGrowing
	}
	return growing, dayOf(c.StartedAt).AddDate(0, foot.RemeasureMonths, 0)
}

// dayOf is the day of a moment in its time zone, as midnight UTC like every day here.
func dayOf(t time.Time) time.Time {
	y, m, d := t.Date()
	return time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
}

// Feet are both feet as they are sized.
func (c *Conclusions) Feet() foot.Feet {
	feet, _ := c.feet.get(func() (foot.Feet, error) { return c.Visit.Feet(), nil })
	return feet
}

// RoomError is the error of the room that a model leaves, SD mm: of the fitted foot's reading, and of how
// long the model is inside.
func (c *Conclusions) RoomError(m *shoe.Model) float64 {
	reading, _ := c.fittedSD.get(func() (float64, error) {
		long, sd := 0.0, 0.0
		for _, s := range term.Sides {
			if v := c.Foot(s).Sizing(c.House()); v > long {
				long, sd = v, c.Measured(LengthMeasure, s).Error
			}
		}
		return sd, nil
	})
	_, inside := m.Offset(c.House())
	return math.Hypot(reading, inside)
}

// usualSock is taken where none was told.
const usualSock term.Sock = "medium"

// RoomIn is the room that a model in a size leaves the fitted foot, mm; ok is false where no foot was measured.
func (c *Conclusions) RoomIn(m *shoe.Model, size foot.Figure) (mm float64, ok bool) {
	long := 0.0
	for _, s := range term.Sides {
		long = max(long, c.Foot(s).Sizing(c.House()))
	}
	return m.InnerLength(size, c.House()) - long - match.SockMM[cmp.Or(Sock.Of(c.Visit), usualSock)], long > 0
}

// InsideWords says how the inside of a model is known.
func InsideWords(m *shoe.Model) string {
	switch n := len(m.Insoles); n {
	case 0:
		return "insole not measured here"
	case 1:
		return "insole measured once here"
	default:
		return fmt.Sprintf("insole measured %d times here", n)
	}
}
