package foot

import (
	"fmt"
	"math"
	"slices"

	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// What is plausible of a foot.
const (
	MinLengthMM  = 180.0
	MaxLengthMM  = 340.0
	MinBallMM    = 60.0
	MaxBallMM    = 140.0
	MinBallShare = 0.60 // plausible heel-to-ball ÷ foot length
	MaxBallShare = 0.80
	MinHeelMM    = 40.0
	MaxHeelMM    = 95.0
)

// Words for what decided the sizing length.
const (
	ByFootLength = "foot_length"
	ByHeelToBall = "heel_to_ball"
)

var adultLetters = []string{"AAAA", "AAA", "AA", "A", "B", "C", "D", "E", "EE", "EEE", "EEEE"}
var youthLetters = []string{"N", "M", "W", "XW"}

type scale struct {
	letters    []string
	standard   string  // the letter of the standard width
	ukOffset   float64 // UK figure = 3 × last inches − ukOffset
	usOverUK   float64
	minUK      float64 // as the running figure, see Figure
	maxUK      float64
	rangeWords string
}

// The standards of the three charts.
var (
	menScale   = scale{adultLetters, "D", 25, 1, 3, 16, "UK 3 to 16"}
	womenScale = scale{adultLetters, "B", 25, 2.5, 2, 12, "UK 2 to 12"}
	youthScale = scale{youthLetters, "M", 12, 1, 4, 19.5, "child UK 4 to adult UK 6½"}
)

var noScale scale // of a chart that is none

func scaleOf(chart term.Chart) *scale {
	switch chart {
	case term.Men:
		return &menScale
	case term.Women:
		return &womenScale
	case term.Youth:
		return &youthScale
	}
	return &noScale
}

// Letters lists the chart's width letters from narrow to wide.
func Letters(chart term.Chart) []string { return scaleOf(chart).letters }

// StandardLetter is the chart's standard width.
func StandardLetter(chart term.Chart) string { return scaleOf(chart).standard }

// Figure is a size on the UK scale as a running number. For adults it is the UK
// size. For youth it keeps counting where the printed size begins again, so 14
// is printed as 1: that makes it one number for one length.
type Figure float64

// FigureOf gives the unrounded running figure of a last length in mm.
func FigureOf(chart term.Chart, lastMM float64) float64 {
	return lastMM/units.Barleycorn - scaleOf(chart).ukOffset
}

// Last gives the standard last length in mm of a running figure.
func (f Figure) Last(chart term.Chart) float64 {
	return (float64(f) + scaleOf(chart).ukOffset) * units.Barleycorn
}

// OnChart says whether the chart goes as far as this figure.
func (f Figure) OnChart(chart term.Chart) bool {
	s := scaleOf(chart)
	return float64(f) >= s.minUK && float64(f) <= s.maxUK
}

// UK is the size as it is printed on the UK scale.
func (f Figure) UK(chart term.Chart) float64 { return restart(chart, float64(f)) }

// US is the size as it is printed on the chart's US scale.
func (f Figure) US(chart term.Chart) float64 {
	return restart(chart, float64(f)+scaleOf(chart).usOverUK)
}

// EU is the size on the EU scale, to the nearest half.
func (f Figure) EU(chart term.Chart) float64 {
	return units.NearestHalf(f.Last(chart) / units.ParisPoint)
}

// restart begins the youth scale again at 1 after 13½.
func restart(chart term.Chart, figure float64) float64 {
	if chart == term.Youth && figure >= 14 {
		return figure - 13
	}
	return figure
}

// Size is a foot's size on every scale. Lengths are mm.
type Size struct {
	Schema       string          `json:"schema"`
	MondopointMM float64         `json:"mondopoint_mm"`
	Chart        term.Chart      `json:"chart"`
	US           float64         `json:"us"`
	UK           float64         `json:"uk"`
	EU           float64         `json:"eu"`
	CM           float64         `json:"cm"`
	Width        *string         `json:"width"`
	LastMM       float64         `json:"last_mm"`
	SizingMM     float64         `json:"sizing_mm"`
	DecidedBy    string          `json:"decided_by"`
	Warnings     []fault.Warning `json:"warnings"`
	Figure       Figure          `json:"-"`
}

// SizingLength is the length in mm that decides the size: the larger of the
// foot's length and the length that its heel-to-ball length stands for
// (heelToBallMM ÷ the house's 0.73; 0 when it was not measured), and which of them it was.
func SizingLength(lengthMM, heelToBallMM float64, h *house.Values) (float64, string) {
	if ball := heelToBallMM / house.Or(h).BallShare; ball > lengthMM {
		return ball, ByHeelToBall
	}
	return lengthMM, ByFootLength
}

// BallHolds says whether a heel-to-ball can be of a foot of such a length, both mm.
func BallHolds(heelToBallMM, lengthMM float64) bool {
	return heelToBallMM >= MinBallShare*lengthMM && heelToBallMM <= MaxBallShare*lengthMM
}

// SizeOf sizes one foot. lengthMM is the standing foot length; ballMM (ball
// width) and heelToBallMM may be nil. It fails with a fault.List when a value
// is not plausible or the size is off the chart.
func SizeOf(chart term.Chart, lengthMM float64, ballMM, heelToBallMM *float64, h *house.Values) (Size, error) {
	var faults fault.List
	fault.OneOf(&faults, "chart", chart, term.Charts)
	okLength := faults.Range("foot_mm", lengthMM, MinLengthMM, MaxLengthMM, "mm")
	if ballMM != nil {
		faults.Range("ball_mm", *ballMM, MinBallMM, MaxBallMM, "mm")
	}
	htb := 0.0
	if heelToBallMM != nil {
		htb = *heelToBallMM
		if okLength && !BallHolds(htb, lengthMM) {
			faults.Add("heel_to_ball_mm", "is %g mm; allowed is 60 to 80 %% of the foot length, %.1f to %.1f mm", htb, MinBallShare*lengthMM,
				MaxBallShare*lengthMM)
		}
	}
	if len(faults) > 0 {
		return Size{}, faults
	}

	sizing, by := SizingLength(lengthMM, htb, h)
	last := sizing + 2*units.Barleycorn
	fig := Figure(units.NearestHalf(FigureOf(chart, last)))
	if !fig.OnChart(chart) {
		field := "foot_mm"
		if by == ByHeelToBall {
			field = "heel_to_ball_mm"
		}
		faults.Add(field, "a foot of %.1f mm is off the %s chart, which goes from %s", sizing, chart, scaleOf(chart).rangeWords)
		return Size{}, faults
	}
	mondo := units.UpTo(sizing, 5)
	s := Size{
		Schema: "trevik.size/v1", MondopointMM: mondo, CM: mondo / 10, Chart: chart,
		US: fig.US(chart), UK: fig.UK(chart), EU: units.NearestHalf(last / units.ParisPoint),
		LastMM: units.Round(last, 1), SizingMM: units.Round(sizing, 1), DecidedBy: by, Figure: fig,
		Warnings: []fault.Warning{},
	}
	if ballMM != nil {
		letter, beyond := Width(chart, lengthMM, *ballMM, h)
		s.Width = &letter
		if beyond != 0 {
			s.Warnings = append(s.Warnings, fault.Warning{Code: "width_off_chart",
				Text: fmt.Sprintf("The ball is %.1f mm beyond the last width letter, %s.", math.Abs(beyond), letter)})
		}
	}
	return s, nil
}

// Width gives the nearest width letter of a ball width in mm on a foot of
// lengthMM, a tie going wider, and by how many mm the ball lies beyond the
// letters' end (negative: narrower; 0 within half a letter of the end).
func Width(chart term.Chart, lengthMM, ballMM float64, h *house.Values) (string, float64) {
	s, letterMM := scaleOf(chart), house.Or(h).LetterMM
	over := (ballMM - StandardBall(chart, lengthMM, h)) / letterMM
	steps := int(math.Floor(over + 0.5 + 1e-9))
	at := slices.Index(s.letters, s.standard) + steps
	last := len(s.letters) - 1
	switch {
	case at < 0:
		return s.letters[0], (over + float64(slices.Index(s.letters, s.standard))) * letterMM
	case at > last:
		return s.letters[last], (over - float64(last-slices.Index(s.letters, s.standard))) * letterMM
	}
	return s.letters[at], 0
}

// LetterIndex is a width letter's place on its chart from narrow to wide, or -1.
func LetterIndex(chart term.Chart, letter string) int {
	return slices.Index(scaleOf(chart).letters, letter)
}

// StandardBall is the chart's standard ball width in mm on a foot of lengthMM.
func StandardBall(chart term.Chart, lengthMM float64, h *house.Values) float64 {
	return house.Or(h).Width(chart) * lengthMM
}
