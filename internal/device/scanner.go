package device

import (
	"math/rand/v2"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// ScanSchema of a scanner's file.
const ScanSchema = "trevik.scan/v1"

// ScanFoot is one standing foot as a scanner measures it, mm; nil is not measured.
type ScanFoot struct {
	LengthMM     *float64 `json:"length_mm"`
	BallMM       *float64 `json:"ball_mm"`
	HeelMM       *float64 `json:"heel_mm"`
	HeelToBallMM *float64 `json:"heel_to_ball_mm"`
	InstepMM     *float64 `json:"instep_mm"`
}

// Scan is what a foot scanner hands over.
type Scan struct {
	Schema string    `json:"schema"`
	Device string    `json:"device"`
	Left   *ScanFoot `json:"left"`
	Right  *ScanFoot `json:"right"`
}

// Check notes what is not plausible in a scan, as for values that are typed.
func (s Scan) Check() error {
	var l fault.List
	if s.Schema != ScanSchema {
		l.Add("schema", "is %q; allowed is %q", s.Schema, ScanSchema)
	}
	if s.Left == nil && s.Right == nil {
		l.Add("left", "is missing, and right is too; give at least one foot")
	}
	for _, f := range []struct {
		side term.Side
		foot *ScanFoot
	}{{term.Left, s.Left}, {term.Right, s.Right}} {
		if f.foot == nil {
			continue
		}
		for _, v := range []struct {
			name   string
			value  *float64
			lo, hi float64
		}{{"length_mm", f.foot.LengthMM, foot.MinLengthMM, foot.MaxLengthMM}, {"ball_mm", f.foot.BallMM, foot.MinBallMM, foot.MaxBallMM},
			{"heel_mm", f.foot.HeelMM, foot.MinHeelMM, foot.MaxHeelMM},
			{"heel_to_ball_mm", f.foot.HeelToBallMM, 110, 270}, {"instep_mm", f.foot.InstepMM, 40, 100}} {
			if v.value != nil {
				l.Range(string(f.side)+"."+v.name, *v.value, v.lo, v.hi, "mm")
			}
		}
	}
	return l.Err()
}

// ScanTruth is what the invented runner's feet really are.
type ScanTruth struct {
	Schema string                    `json:"schema"`
	Seed   uint64                    `json:"seed"`
	Feet   map[term.Side]ScanFoot    `json:"feet"`
	Prints map[term.Side]*PrintTruth `json:"prints"`
}

// Scanner is the stand-in for a foot scanner: both feet of an invented runner.
type Scanner struct {
	Scan   Scan
	Prints map[term.Side]*NaturalFoot
	Truth  ScanTruth
}

// NewScanner invents a runner. The two feet are alike, and differ as feet do; a
// print is a little shorter and narrower than its foot.
func NewScanner(seed uint64) *Scanner {
	r := rand.New(rand.NewPCG(seed, 7))
	s := &Scanner{Scan: Scan{Schema: ScanSchema, Device: "Trevik bench scanner"}, Prints: NaturalPair(r),
		Truth: ScanTruth{Schema: "trevik.truth/v1", Seed: seed, Feet: map[term.Side]ScanFoot{}, Prints: map[term.Side]*PrintTruth{}}}
	for _, side := range term.Sides { // in order, so that a seed repeats
		print := s.Prints[side].Truth()
		s.Truth.Prints[side] = &print
		length := print.LengthMM + 4 + 4*r.Float64()
		truth := ScanFoot{mm(length), mm(print.BallMM + 2 + 2*r.Float64()), mm(print.HeelMM + 2), mm(length * (0.715 + 0.03*r.Float64())),
			mm(length * (0.23 + 0.04*r.Float64()))}
		s.Truth.Feet[side] = truth
		// The scanner's own error: some tenths of a millimetre.
		seen := func(v *float64) *float64 { return mm(*v + 0.3*r.NormFloat64()) }
		scan := &ScanFoot{seen(truth.LengthMM), seen(truth.BallMM), seen(truth.HeelMM), seen(truth.HeelToBallMM), seen(truth.InstepMM)}
		if side == term.Left {
			s.Scan.Left = scan
		} else {
			s.Scan.Right = scan
		}
	}
	return s
}

func mm(v float64) *float64 {
	v = units.Round(v, 1)
	return &v
}
