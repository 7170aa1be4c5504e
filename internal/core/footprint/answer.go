package footprint

import (
	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// Answer is a reading as it is written: lengths mm, null without a scale; points
// [x, y] in pixels of the picture as it is seen (turned by its EXIF orientation).
type Answer struct {
	Schema          string           `json:"schema"`
	Foot            term.Side        `json:"foot"`
	Scale           AnswerScale      `json:"scale"`
	LengthMM        *float64         `json:"length_mm"`
	NoToesMM        *float64         `json:"no_toes_length_mm"`
	BallMM          *float64         `json:"ball_width_mm"`
	HeelMM          *float64         `json:"heel_width_mm"`
	ArchIndex       float64          `json:"arch_index"`
	Areas           *AnswerAreas     `json:"areas_mm2"`
	Chippaux        float64          `json:"chippaux_smirak_percent"`
	Staheli         float64          `json:"staheli"`
	ClarkeDeg       float64          `json:"clarke_deg"`
	Arch            term.Arch        `json:"arch"`
	ArchProbability Probability      `json:"arch_probability"`
	Axis            AnswerAxis       `json:"axis"`
	Thirds          [4][2][2]float64 `json:"thirds"`
	ToeLine         [2][2]float64    `json:"toe_line"`
	Outline         [][2]float64     `json:"outline"`
	Toes            [][][2]float64   `json:"toes"`
	Quality         Quality          `json:"quality"`
	Warnings        []fault.Warning  `json:"warnings"`
}

// AnswerScale is where the scale comes from; mm_per_px is null when unknown.
type AnswerScale struct {
	Source  string   `json:"source"`
	MMPerPx *float64 `json:"mm_per_px"`
	Paper   Paper    `json:"paper,omitempty"`
}

// AnswerAreas are the thirds' areas in mm².
type AnswerAreas struct {
	Heel float64 `json:"heel"`
	Mid  float64 `json:"mid"`
	Fore float64 `json:"fore"`
}

// Probability of each arch class; they sum to 1.
type Probability struct {
	High   float64 `json:"high"`
	Medium float64 `json:"medium"`
	Low    float64 `json:"low"`
}

// AnswerAxis is the axis' two ends.
type AnswerAxis struct {
	Heel [2]float64 `json:"heel"`
	Toe  [2]float64 `json:"toe"`
}

// Quality is the reading's score, 0.3 to 1, and its flags.
type Quality struct {
	Score float64  `json:"score"`
	Flags []string `json:"flags"`
}

// Answer writes a reading.
func (r Reading) Answer() Answer {
	a := Answer{Schema: Schema, Foot: r.Foot, Scale: AnswerScale{Source: r.Scale.Source, Paper: r.Scale.Paper},
		ArchIndex: units.Round(r.ArchIndex, 4),
		Chippaux:  units.Round(r.Chippaux, 1), Staheli: units.Round(r.Staheli, 3), ClarkeDeg: units.Round(r.ClarkeDeg, 1), Arch: r.Arch,
		ArchProbability: Probability{r.P[0], r.P[1], r.P[2]}, Axis: AnswerAxis{place(r.Axis.Heel), place(r.Axis.Toe)},
		ToeLine: [2][2]float64{place(r.ToeLine[0]), place(r.ToeLine[1])}, Outline: line(r.Outline), Toes: [][][2]float64{},
		Quality: Quality{r.Score, r.Flags}, Warnings: r.Warnings}
	for i, t := range r.Thirds {
		a.Thirds[i] = [2][2]float64{place(t[0]), place(t[1])}
	}
	for _, t := range r.Toes {
		a.Toes = append(a.Toes, line(t))
	}
	if r.Scale.MMPerPx > 0 {
		v := units.Round(r.Scale.MMPerPx, 5)
		a.Scale.MMPerPx = &v
	}
	a.LengthMM, a.NoToesMM, a.BallMM, a.HeelMM = known(r.LengthMM), known(r.NoToesMM), known(r.BallMM), known(r.HeelMM)
	if r.NoToesMM > 0 {
		a.Areas = &AnswerAreas{units.Round(r.Areas.Heel, 0), units.Round(r.Areas.Mid, 0), units.Round(r.Areas.Fore, 0)}
	}
	return a
}

// Opinion is what another measure of the same print says.
type Opinion struct {
	Measure string
	Value   float64
	Unit    string
	Word    string    // high, usual, lowered, low
	Arch    term.Arch // the class that it goes with
}

// Opinions are the print's second opinions by the house's limits (from the published
// ranges): Chippaux–Šmirák, Staheli and Clarke's angle.
func (a Answer) Opinions(h *house.Values) []Opinion {
	h = house.Or(h)
	of := func(measure string, v float64, unit string, high, lowered, low bool) Opinion {
		switch {
		case high:
			return Opinion{measure, v, unit, "high", term.ArchHigh}
		case low:
			return Opinion{measure, v, unit, "low", term.ArchLow}
		case lowered:
			return Opinion{measure, v, unit, "lowered", term.ArchMedium}
		}
		return Opinion{measure, v, unit, "usual", term.ArchMedium}
	}
	return []Opinion{
		of("Chippaux–Šmirák", a.Chippaux, " %", a.Chippaux <= nothing, a.Chippaux >= h.ChippauxLowered, a.Chippaux >= h.ChippauxLow),
		of("Staheli", a.Staheli, "", a.Staheli < h.StaheliUsual, false, a.Staheli > h.StaheliLow),
		of("Clarke", a.ClarkeDeg, "°", a.ClarkeDeg > h.ClarkeHigh, false, a.ClarkeDeg <= h.ClarkeUsual),
	}
}

// nothing is how much of a missing midfoot, %, a reading may still see.
const nothing = 0.5

func known(mm float64) *float64 {
	if mm <= 0 {
		return nil
	}
	v := units.Round(mm, 1)
	return &v
}

func place(p Point) [2]float64 { return [2]float64{units.Round(p.X, 1), units.Round(p.Y, 1)} }

func line(points []Point) [][2]float64 {
	out := make([][2]float64, len(points))
	for i, p := range points {
		out[i] = place(p)
	}
	return out
}
