package gait

import (
	"math"

	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// Stat is a figure over the contacts: mean and sample SD, null where there are too
// few.
type Stat struct {
	Mean *float64 `json:"mean"`
	SD   *float64 `json:"sd"`
	N    int      `json:"n"`
}

func statOf(v []float64) *Stat {
	s := &Stat{N: len(v)}
	if s.N == 0 {
		return s
	}
	mean, sd := meanSD(v)
	s.Mean = rounded(mean, 3)
	if s.N > 1 {
		s.SD = rounded(sd, 3)
	}
	return s
}

// meanSD is the mean and the sample SD (0 for one value).
func meanSD(v []float64) (mean, sd float64) {
	for _, x := range v {
		mean += x
	}
	mean /= float64(len(v))
	if len(v) < 2 {
		return mean, 0
	}
	for _, x := range v {
		sd += (x - mean) * (x - mean)
	}
	return mean, math.Sqrt(sd / float64(len(v)-1))
}

func rounded(v float64, decimals int) *float64 {
	v = units.Round(v, decimals)
	return &v
}

// Step is one whole contact. Which figures it has goes by the view.
type Step struct {
	TouchdownFrame  int      `json:"touchdown_frame"`
	HeelOffFrame    *int     `json:"heel_off_frame,omitempty"` // rear
	ToeOffFrame     *int     `json:"toe_off_frame,omitempty"`  // side
	Frame           *int     `json:"frame,omitempty"`          // front: the middle of the contact
	LiftFrame       *int     `json:"lift_frame,omitempty"`     // front: the ankle's last on its floor
	TouchdownDeg    *float64 `json:"touchdown_deg,omitempty"`
	PeakEversionDeg *float64 `json:"peak_eversion_deg,omitempty"`
	PeakAtPercent   *float64 `json:"peak_at_percent,omitempty"`
	ExcursionDeg    *float64 `json:"excursion_deg,omitempty"`
	PeakSpeedDegS   *float64 `json:"peak_speed_deg_s,omitempty"`
	StrikeDeg       *float64 `json:"strike_deg,omitempty"`
	ShankDeg        *float64 `json:"shank_deg,omitempty"`
	ContactMS       *float64 `json:"contact_ms,omitempty"`
	KneeInDeg       *float64 `json:"knee_in_deg,omitempty"`
}

// Last is the contact's last frame on the ground.
func (s Step) Last() int {
	for _, f := range []*int{s.HeelOffFrame, s.ToeOffFrame, s.LiftFrame} {
		if f != nil {
			return *f
		}
	}
	return s.TouchdownFrame
}

// Curve is the mean angle and its SD at 0 to 100 % of contact, 101 points each.
type Curve struct {
	Mean []float64 `json:"mean"`
	SD   []float64 `json:"sd"`
}

// SideReading is what was read of one side.
type SideReading struct {
	Steps           []Step                   `json:"steps"`
	TouchdownDeg    *Stat                    `json:"touchdown_deg,omitempty"`
	PeakEversionDeg *Stat                    `json:"peak_eversion_deg,omitempty"`
	ExcursionDeg    *Stat                    `json:"excursion_deg,omitempty"`
	PeakSpeedDegS   *Stat                    `json:"peak_speed_deg_s,omitempty"`
	Band            term.Band                `json:"band,omitempty"`
	BandWords       string                   `json:"band_words,omitempty"` // 'between neutral and mild' where none is likely
	BandProbability *support.BandProbability `json:"band_probability,omitempty"`
	LevelSDDeg      *float64                 `json:"level_sd_deg,omitempty"` // without dots: how well the level is told
	CurveDeg        *Curve                   `json:"curve_deg,omitempty"`
	StrikeDeg       *Stat                    `json:"strike_deg,omitempty"`
	ShankDeg        *Stat                    `json:"shank_deg,omitempty"`
	ContactMS       *Stat                    `json:"contact_ms,omitempty"`
	Strike          term.Strike              `json:"strike,omitempty"`
	FarAhead        bool                     `json:"far_ahead,omitempty"` // lands far ahead of the body
	KneeInDeg       *Stat                    `json:"knee_in_deg,omitempty"`
	KneeInward      bool                     `json:"knee_inward,omitempty"` // over its limit
}

// Flag is something about the recording that its reading suffers from.
type Flag string

const (
	FewSteps      Flag = "few_steps"
	LowFPS        Flag = "low_fps"
	LostMarkers   Flag = "lost_markers"
	Blurred       Flag = "blurred"
	Tilted        Flag = "tilted"
	OneFootOnly   Flag = "one_foot_only"
	HeelNeverDown Flag = "heel_never_down"
	MixedSpeeds   Flag = "mixed_speeds"
	NoDots        Flag = "no_dots"
	LegNotClear   Flag = "leg_not_clear"
	LegsCrossed   Flag = "legs_crossed"
	TooNear       Flag = "too_near"
	CameraMoved   Flag = "camera_moved"
)

// Quality is how much a reading can be trusted, 0 to 1, and why less.
type Quality struct {
	Score float64 `json:"score"`
	Flags []Flag  `json:"flags"`
}

// Answer is a recording's reading. A side with no step left is nil.
type Answer struct {
	Schema       string                     `json:"schema"`
	View         View                       `json:"view"`
	Gait         Motion                     `json:"gait"`
	FPS          float64                    `json:"fps"`
	Frames       int                        `json:"frames"`
	Surface      string                     `json:"surface,omitempty"`
	Shod         string                     `json:"shod,omitempty"`
	Sides        map[term.Side]*SideReading `json:"sides"`
	CadenceSPM   *float64                   `json:"cadence_spm"`
	CadenceError *float64                   `json:"cadence_error_spm,omitempty"` // SD of the mean over the strides
	AsymmetryDeg *float64                   `json:"asymmetry_deg,omitempty"`
	Markers      Tracks                     `json:"markers,omitempty"`
	Calibrated   *bool                      `json:"calibrated,omitempty"` // of a film without dots: by points that a hand set
	Quality      Quality                    `json:"quality"`
	Warnings     []fault.Warning            `json:"warnings"`
}

// JointSD is what a two-dimensional reading of this kind is good to for the joint,
// degrees, however well the dots are found (house).
const JointSD = 1.5

// WalkLower is how much lower a walk's limits lie than the house's for a run, degrees.
const WalkLower = 2.0

// House values of a verdict.
const (
	loneStepSD   = 0.8 // degrees between steps, where one step alone was read
	clearBand    = 0.6 // a band less likely than this is told with its neighbour
	enoughSteps  = 5   // a side, for a verdict
	kneeLimit    = 10.0
	shankLimit   = 10.0
	heelStrike   = 8.0  // degrees of the sole at touchdown, above: heel (Altman and Davis 2012)
	foreStrike   = -1.6 // below: forefoot
	sureOfChange = 2.0  // SDs
)

// Bands gives the chance of each band of a side's mean peak eversion, degrees, with
// its SD between n steps: a normal distribution round the mean whose SD is
// √(sd²/n + 1.5²).
func Bands(mean, sd float64, n int, m Motion, h *house.Values) support.BandProbability {
	return bandsBy(JointSD, mean, sd, n, m, h)
}

// bandsBy is Bands with the level's own error, degrees.
func bandsBy(level, mean, sd float64, n int, m Motion, h *house.Values) support.BandProbability {
	if n < 2 {
		sd, n = loneStepSD, 1
	}
	s := math.Sqrt(sd*sd/float64(n) + level*level)
	var below [4]float64
	for i, limit := range house.Or(h).Bands {
		if m == Walk {
			limit -= WalkLower
		}
		below[i] = 0.5 * math.Erfc(-(limit-mean)/(s*math.Sqrt2))
	}
	r := func(v float64) float64 { return units.Round(v, 4) }
	return support.BandProbability{Under: r(below[0]), Neutral: r(below[1] - below[0]), Mild: r(below[2] - below[1]),
		Marked: r(below[3] - below[2]), Severe: r(1 - below[3])}
}

// likeliest is the most probable band, and in words the one or two that it may be.
func likeliest(p support.BandProbability) (term.Band, string) {
	v := []float64{p.Under, p.Neutral, p.Mild, p.Marked, p.Severe}
	best := 0
	for i := range v {
		if v[i] > v[best] {
			best = i
		}
	}
	if v[best] >= clearBand {
		return term.Bands[best], string(term.Bands[best])
	}
	other := best - 1
	if best == 0 || best < len(v)-1 && v[best+1] > v[best-1] {
		other = best + 1
	}
	lo, hi := min(best, other), max(best, other)
	return term.Bands[best], "between " + string(term.Bands[lo]) + " and " + string(term.Bands[hi])
}

// StrikeOf is the part of the foot that lands first, by the sole's angle against the
// ground at touchdown, degrees, toe up positive.
func StrikeOf(deg float64) term.Strike {
	switch {
	case deg > heelStrike:
		return term.HeelStrike
	case deg < foreStrike:
		return term.ForefootStrike
	}
	return term.MidfootStrike
}

// Change is what a shoe changed in a side's mean peak eversion: degrees, the SD of
// that, and whether it is more than the two readings' own error.
type Change struct {
	Deg   float64 `json:"deg"`
	SD    float64 `json:"sd"`
	Clear bool    `json:"clear"`
}

// LevelSD is how well a side's level is told, degrees: JointSD by dots, more without.
func (s *SideReading) LevelSD() float64 {
	if s.LevelSDDeg != nil {
		return *s.LevelSDDeg
	}
	return JointSD
}

// ChangeOf compares a side's mean peaks: with − without. Both readings carry the
// error of their own dots or outline, since a shoe's are others.
func ChangeOf(a, b *SideReading) (Change, bool) {
	if a == nil || b == nil {
		return Change{}, false
	}
	with, without := a.PeakEversionDeg, b.PeakEversionDeg
	if with == nil || without == nil || with.Mean == nil || without.Mean == nil {
		return Change{}, false
	}
	variance := a.LevelSD()*a.LevelSD() + b.LevelSD()*b.LevelSD()
	for _, s := range []*Stat{with, without} {
		sd, n := loneStepSD, 1
		if s.SD != nil {
			sd, n = *s.SD, s.N
		}
		variance += sd * sd / float64(n)
	}
	c := Change{Deg: units.Round(*with.Mean-*without.Mean, 2), SD: units.Round(math.Sqrt(variance), 2)}
	c.Clear = math.Abs(c.Deg) > sureOfChange*c.SD
	return c, true
}
