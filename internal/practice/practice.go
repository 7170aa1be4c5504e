// Package practice holds what a fitter, or the core itself, finds of an invented runner
// against the truth that the stand-ins know: the error of each reading, the level that the
// truth would have given, and the room of the chosen pair on the true foot.
package practice

import (
	"fmt"
	"image"
	"math"
	"math/rand/v2"

	"trevik/internal/core/footprint"
	"trevik/internal/core/gait"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/device"
)

// Found is what was found of a runner; nil was not looked at. Lengths mm, angles degrees.
type Found struct {
	LengthMM  map[term.Side]*float64
	BallMM    map[term.Side]*float64
	ArchIndex map[term.Side]*float64
	Arch      map[term.Side]term.Arch // empty: not told
	PeakDeg   map[term.Side]*float64
	Level     *term.Level
	RoomMM    *float64 // of the chosen pair, on the true foot
	Window    [2]float64
}

// Line is one thing that was found, beside the truth.
type Line struct {
	What   string   `json:"what"`
	Found  string   `json:"found"`
	Truth  string   `json:"truth"`
	Error  *float64 `json:"error"`  // in Unit, where it is a number
	Points float64  `json:"points"` // 0 to 1
	Unit   string   `json:"unit,omitempty"`
}

// Score is how a fit of an invented runner went: its lines, and all of them together as 0
// to 100. Expert is what the truth itself would have led to.
type Score struct {
	Lines  []Line      `json:"lines"`
	Points float64     `json:"points"`
	Expert *term.Level `json:"expert"`
}

// House values: the error at which a reading earns nothing.
const (
	lengthOff = 4.0  // mm
	ballOff   = 5.0  // mm
	indexOff  = 0.03 // of the arch index
	peakOff   = 3.0  // degrees
	seen      = 0.01 // SD of the truth, degrees: nothing is left to read
	manySteps = 1_000
)

// Truth is the evidence that the truth itself gives.
func Truth(x *device.InventedRunner) support.Evidence {
	e := support.Evidence{Schema: support.EvidenceSchema, Gait: &support.Both[support.Gait]{}, Arch: &support.Both[support.Arch]{},
		Complaints: &x.Told.Complaints}
	for _, s := range term.Sides {
		band := gait.Bands(x.Truth.Peak[s], seen, manySteps, gait.Run, nil)
		var arch support.ArchProbability
		switch x.Truth.Arch[s] {
		case term.ArchHigh:
			arch.High = 1
		case term.ArchLow:
			arch.Low = 1
		default:
			arch.Medium = 1
		}
		g, a := support.Gait{BandProbability: &band, Source: term.FilmedRun}, support.Arch{ArchProbability: &arch}
		if s == term.Left {
			e.Gait.Left, e.Arch.Left = &g, &a
		} else {
			e.Gait.Right, e.Arch.Right = &g, &a
		}
	}
	return e
}

// Against scores what was found against the truth.
func Against(x *device.InventedRunner, f Found) (Score, error) {
	expert, err := support.Decide(Truth(x))
	if err != nil {
		return Score{}, err
	}
	s := Score{Expert: expert.Level}
	num := func(what, unit string, found *float64, truth, nothing float64) {
		l := Line{What: what, Truth: fmt.Sprintf("%.3g", units.Round(truth, 3)), Found: "not looked at", Unit: unit}
		if found != nil {
			e := units.Round(*found-truth, 4)
			l.Found, l.Error, l.Points = fmt.Sprintf("%.3g", units.Round(*found, 3)), &e, math.Max(0, 1-math.Abs(e)/nothing)
			if nothing >= 1 {
				l.Found, l.Truth = fmt.Sprintf("%.1f", *found), fmt.Sprintf("%.1f", truth)
			}
		}
		s.Lines = append(s.Lines, l)
	}
	word := func(what, found, truth string) {
		l := Line{What: what, Found: support.Words(found), Truth: support.Words(truth)}
		if found == "" {
			l.Found = "not told"
		} else if found == truth {
			l.Points = 1
		}
		s.Lines = append(s.Lines, l)
	}
	for _, side := range term.Sides {
		num(string(side)+" foot length", "mm", f.LengthMM[side], *x.Truth.Feet.Feet[side].LengthMM, lengthOff)
		num(string(side)+" ball width", "mm", f.BallMM[side], *x.Truth.Feet.Feet[side].BallMM, ballOff)
		if f.ArchIndex[side] != nil || f.Arch[side] == "" {
			num(string(side)+" arch index", "", f.ArchIndex[side], x.Truth.Index[side], indexOff)
		} else {
			word(string(side)+" arch", string(f.Arch[side]), string(x.Truth.Arch[side]))
		}
		num(string(side)+" peak eversion", "°", f.PeakDeg[side], x.Truth.Peak[side], peakOff)
	}
	level := func(l *term.Level) string {
		if l == nil {
			return ""
		}
		return string(*l)
	}
	word("level of support", level(f.Level), level(expert.Level))
	room := Line{What: "room of the pair on the true foot", Found: "no pair chosen", Unit: "mm"}
	if f.RoomMM != nil {
		room.Found, room.Truth = fmt.Sprintf("%.1f", *f.RoomMM), fmt.Sprintf("%.0f to %.0f", f.Window[0], f.Window[1])
		if *f.RoomMM >= f.Window[0]-1e-9 && *f.RoomMM <= f.Window[1]+1e-9 {
			room.Points = 1
		}
	}
	s.Lines = append(s.Lines, room)
	for _, l := range s.Lines {
		s.Points += 100 * l.Points / float64(len(s.Lines))
	}
	s.Points = units.Round(s.Points, 1)
	return s, nil
}

// TrueRoom is the room that a size leaves the true feet, mm: what it leaves those that were
// read (the longer's sizing length), and how much the truth is longer or shorter.
func TrueRoom(x *device.InventedRunner, s match.Size, read float64) float64 {
	return s.RoomMM + read - trueSizing(x)
}

// trueSizing is the sizing length of the longer true foot, mm.
func trueSizing(x *device.InventedRunner) float64 {
	long := 0.0
	for _, side := range term.Sides {
		t := x.Truth.Feet.Feet[side]
		f := match.Foot{LengthMM: *t.LengthMM, BallMM: t.BallMM, HeelToBallMM: t.HeelToBallMM}
		long = math.Max(long, f.Sizing(nil))
	}
	return long
}

// ByCore does the whole fit as the core alone would: the scan, the prints, the film, the
// level, the first of the ranking. It fails where a reading cannot be taken.
func ByCore(x *device.InventedRunner, models []shoe.Model) (Found, error) {
	f := Found{LengthMM: map[term.Side]*float64{}, BallMM: map[term.Side]*float64{}, ArchIndex: map[term.Side]*float64{},
		PeakDeg: map[term.Side]*float64{}}
	e := support.Evidence{Schema: support.EvidenceSchema, Gait: &support.Both[support.Gait]{}, Arch: &support.Both[support.Arch]{},
		Complaints: &x.Told.Complaints}
	followed, err := gait.Follow(x.Rear, x.Rear.Recording(), nil)
	if err != nil {
		return f, err
	}
	film, err := gait.Read(followed, x.Rear.Recording(), gait.Corrections{}, nil)
	if err != nil {
		return f, err
	}
	r := match.Request{Schema: match.RequestSchema, Chart: x.Told.Chart,
		Kinds: []match.KindShare{{Kind: term.Easy, Ground: x.Told.Ground, Share: 1}}, Surface: term.Road, MassKg: &x.Told.MassKg, Models: models}
	for _, side := range term.Sides {
		scan := x.Scanner.Scan.Left
		if side == term.Right {
			scan = x.Scanner.Scan.Right
		}
		f.LengthMM[side], f.BallMM[side] = scan.LengthMM, scan.BallMM
		print, err := footprint.Read(Photo(x.Scanner, x.Truth.Seed, side), footprint.Options{Foot: side})
		if err != nil {
			return f, err
		}
		a := print.Answer()
		index := a.ArchIndex
		f.ArchIndex[side] = &index
		arch := support.Arch{ArchProbability: &support.ArchProbability{High: a.ArchProbability.High, Medium: a.ArchProbability.Medium,
			Low: a.ArchProbability.Low}}
		foot := match.Foot{LengthMM: *scan.LengthMM, BallMM: scan.BallMM, HeelToBallMM: scan.HeelToBallMM}
		var g *support.Gait
		if s := film.Answer.Sides[side]; s != nil && s.PeakEversionDeg != nil {
			f.PeakDeg[side] = s.PeakEversionDeg.Mean
			g = &support.Gait{BandProbability: s.BandProbability, Source: term.FilmedRun}
		}
		if side == term.Left {
			e.Gait.Left, e.Arch.Left, r.Feet.Left = g, &arch, &foot
		} else {
			e.Gait.Right, e.Arch.Right, r.Feet.Right = g, &arch, &foot
		}
	}
	decided, err := support.Decide(e)
	if err != nil {
		return f, err
	}
	f.Level = decided.Level
	r.Level, r.Spread = decided.Level, decided.Spread
	ranked, err := match.Rank(r)
	if err != nil {
		return f, err
	}
	if len(ranked.Ranked) > 0 {
		first := ranked.Ranked[0]
		room := TrueRoom(x, first.Size, math.Max(r.Feet.Left.Sizing(nil), r.Feet.Right.Sizing(nil)))
		f.RoomMM, f.Window = &room, first.Size.WantedMM
	}
	return f, nil
}

// Photo is a photo of a print of a scanner's runner on its sheet, the same for a seed.
func Photo(s *device.Scanner, seed uint64, side term.Side) image.Image {
	paper := footprint.PaperFor(s.Truth.Prints[side].LengthMM)
	return s.Prints[side].Render(device.Photo{Paper: paper, MMPerPx: 0.3, Noise: 2, Uneven: 0.1, Mottle: 0.15},
		rand.New(rand.NewPCG(seed, uint64(len(side)))))
}
