package foot

import (
	"math"
	"slices"

	"trevik/internal/core/house"
	"trevik/internal/core/term"
)

// What repeated readings and the two feet are held against.
const (
	FitLongerMM     = 4.0  // from here the longer foot is fitted and the shorter helped
	SplitSizesMM    = 8.5  // from here two sizes are put before the runner
	ImplausibleMM   = 15.0 // feet that differ by more are kept with a warning
	WiderNoticeMM   = 4.0  // a letter: from here the wider foot is named
	standardReadSD  = 1.0  // mm, one tape or gauge reading by hand
	threeReadFactor = 0.67 // a median of three is about this much of one reading's error
)

// Reading is what repeated readings of one length or width come to, in mm.
type Reading struct {
	Value      float64 // the mean of two that agree, else the median of three
	Error      float64 // standard error, mm
	Apart      float64 // largest less smallest, mm
	NeedsThird bool    // two readings are over 3 mm apart and a third is missing
	N          int
}

// Combine brings together one to three readings in mm. Of two within the house's 3 mm
// the mean counts; of three the median. With two that disagree the mean is given
// for the time being, and NeedsThird is set. No readings give N = 0.
func Combine(values []float64, h *house.Values) Reading {
	n := len(values)
	if n == 0 {
		return Reading{}
	}
	v := slices.Clone(values)
	slices.Sort(v)
	r := Reading{N: n, Apart: v[n-1] - v[0]}
	switch n {
	case 1:
		r.Value, r.Error = v[0], standardReadSD
	case 2:
		r.Value = (v[0] + v[1]) / 2
		r.NeedsThird = r.Apart > house.Or(h).RepeatMM+1e-9
		r.Error = math.Max(standardReadSD/math.Sqrt2, r.Apart/2)
	default:
		mid := n / 2
		r.Value = v[mid]
		if n%2 == 0 {
			r.Value = (v[mid-1] + v[mid]) / 2
		}
		r.Error = math.Max(standardReadSD*threeReadFactor, math.Min(v[mid]-v[0], v[n-1]-v[mid])/2)
	}
	return r
}

// Feet are the two feet's combined lengths and ball widths in mm; 0 is not measured.
type Feet struct {
	Left, Right Measured
}

// Measured is one foot, in mm; 0 is not measured. Its toe shape is empty where nobody said it.
type Measured struct {
	LengthMM, BallMM, HeelToBallMM, HeelMM, InstepMM float64

	Shape term.Shape
}

// Sizing is the length in mm that decides this foot's size, 0 when not measured.
func (m Measured) Sizing(h *house.Values) float64 {
	s, _ := SizingLength(m.LengthMM, m.HeelToBallMM, h)
	return s
}

// Of gives the foot of a side.
func (f Feet) Of(s term.Side) Measured {
	if s == term.Left {
		return f.Left
	}
	return f.Right
}

// Advice is what a difference between the feet asks for.
type Advice string

const (
	Alike       Advice = "alike"        // under 4 mm
	HelpShorter Advice = "help_shorter" // fit the longer, help the shorter
	SplitSizes  Advice = "split_sizes"  // a full size apart: two pairs are a choice
)

// Difference compares the two feet. Lengths and widths in mm.
type Difference struct {
	LengthMM, WidthMM float64   // absolute
	Longer, Wider     term.Side // empty when equal or not measured
	Fitted            term.Side // the foot that the shoe is fitted to
	Advice            Advice
	Implausible       bool // over 15 mm apart: measure again
}

// Compare tells which foot is fitted and what to do about the other. The shoe
// is fitted to the longer foot; at equal length to the wider.
func Compare(f Feet, h *house.Values) Difference {
	var d Difference
	d.LengthMM, d.Longer = apart(f.Left.Sizing(h), f.Right.Sizing(h))
	d.WidthMM, d.Wider = apart(f.Left.BallMM, f.Right.BallMM)
	d.Fitted = d.Longer
	if d.Fitted == "" {
		d.Fitted = d.Wider
	}
	if d.Fitted == "" {
		d.Fitted = term.Right
		if f.Left.LengthMM > 0 && f.Right.LengthMM == 0 {
			d.Fitted = term.Left
		}
	}
	d.Implausible = d.LengthMM > ImplausibleMM || d.WidthMM > ImplausibleMM
	switch {
	case d.LengthMM >= SplitSizesMM-1e-9:
		d.Advice = SplitSizes
	case d.LengthMM >= FitLongerMM-1e-9:
		d.Advice = HelpShorter
	default:
		d.Advice = Alike
	}
	return d
}

func apart(left, right float64) (float64, term.Side) {
	if left <= 0 || right <= 0 || left == right {
		return 0, ""
	}
	if left > right {
		return left - right, term.Left
	}
	return right - left, term.Right
}

// Norms of the arch and limits of what is plausible.
const (
	ArchHeightLow    = 0.295 // 1.5 SD under the standing norm 0.340 (Butler and others 2008)
	ArchHeightHigh   = 0.385
	DropStiffMM      = 5.0 // navicular drop (Brody 1982; Mueller 1993)
	DropRaisedMM     = 10.0
	DropMarkedMM     = 15.0
	ScanDisagreesMM  = 3.0
	RemeasureMonths  = 3 // a foot that still grows
	MinInstepMM      = 40.0
	MaxInstepMM      = 100.0
	MinNavicularMM   = 15.0
	MaxNavicularMM   = 80.0
	MinHeelToBallMM  = 110.0
	MaxHeelToBallMM  = 270.0
	classEpsilon     = 1e-9
	stiff, flexible  = "stiff", "flexible"
	usual            = "usual"
	raised, markedly = "raised", "marked"
)

// ArchHeight is the arch height index, standing dorsum height at half the length ÷
// heel-to-ball length (Williams and McClay 2000), and its class. Both in mm; an
// index of 0 is not known.
func ArchHeight(instepMM, heelToBallMM float64) (index float64, arch term.Arch) {
	if instepMM <= 0 || heelToBallMM <= 0 {
		return 0, ""
	}
	index = instepMM / heelToBallMM
	switch {
	case index < ArchHeightLow-classEpsilon:
		return index, term.ArchLow
	case index > ArchHeightHigh+classEpsilon:
		return index, term.ArchHigh
	}
	return index, term.ArchMedium
}

// Stiffness is the seated less the standing arch height index, and its word: stiff
// under the house's 0.012, usual to 0.035, flexible over. ok is false when one is not known.
func Stiffness(seated, standing float64, h *house.Values) (give float64, word string, ok bool) {
	if seated <= 0 || standing <= 0 {
		return 0, "", false
	}
	give = seated - standing
	switch {
	case give < house.Or(h).StiffUnder-classEpsilon:
		return give, stiff, true
	case give > house.Or(h).FlexibleOver+classEpsilon:
		return give, flexible, true
	}
	return give, usual, true
}

// NavicularDrop is the seated less the standing navicular height in mm, and its
// word: stiff under 5, usual to 10, raised over 10, marked over 15. ok is false when
// one is not known.
func NavicularDrop(seatedMM, standingMM float64) (drop float64, word string, ok bool) {
	if seatedMM <= 0 || standingMM <= 0 {
		return 0, "", false
	}
	drop = seatedMM - standingMM
	switch {
	case drop < DropStiffMM-classEpsilon:
		return drop, stiff, true
	case drop > DropMarkedMM+classEpsilon:
		return drop, markedly, true
	case drop > DropRaisedMM+classEpsilon:
		return drop, raised, true
	}
	return drop, usual, true
}

// VolumeOf is the foot's volume by its instep height ÷ length; empty when one is
// not known.
func VolumeOf(instepMM, lengthMM float64, h *house.Values) term.Volume {
	if instepMM <= 0 || lengthMM <= 0 {
		return ""
	}
	switch v := instepMM / lengthMM; {
	case v < house.Or(h).SlimUnder-classEpsilon:
		return "slim"
	case v <= house.Or(h).MediumTo+classEpsilon:
		return "medium"
	}
	return "full"
}
