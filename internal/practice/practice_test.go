package practice_test

import (
	"math"
	"testing"
	"time"

	"trevik/internal/core/term"
	"trevik/internal/demo"
	"trevik/internal/device"
	"trevik/internal/practice"
)

func invented(t *testing.T, seed uint64) *device.InventedRunner {
	t.Helper()
	x, err := device.NewRunner(seed, time.Date(2026, 11, 22, 0, 0, 0, 0, time.UTC), device.TreadmillOptions{FPS: 120, Seconds: 3, Width: 400,
		Height: 300, Near: term.Left, Gait: "run"})
	if err != nil {
		t.Fatal(err)
	}
	return x
}

// The truth itself has full points, nothing none, and an error its part.
func TestAgainst(t *testing.T) {
	x := invented(t, 3)
	f := practice.Found{LengthMM: map[term.Side]*float64{}, BallMM: map[term.Side]*float64{}, ArchIndex: map[term.Side]*float64{},
		Arch: map[term.Side]term.Arch{}, PeakDeg: map[term.Side]*float64{}}
	nothing, err := practice.Against(x, f)
	if err != nil || nothing.Points != 0 || nothing.Expert == nil {
		t.Fatalf("%+v %v", nothing, err)
	}
	for _, s := range term.Sides {
		index, peak := x.Truth.Index[s], x.Truth.Peak[s]
		f.LengthMM[s], f.BallMM[s], f.ArchIndex[s], f.PeakDeg[s] = x.Truth.Feet.Feet[s].LengthMM, x.Truth.Feet.Feet[s].BallMM, &index, &peak
	}
	room := 14.0
	f.Level, f.RoomMM, f.Window = nothing.Expert, &room, [2]float64{12, 17}
	whole, err := practice.Against(x, f)
	if err != nil || whole.Points != 100 {
		t.Errorf("the truth has %g points: %+v", whole.Points, whole.Lines)
	}
	off := *f.LengthMM[term.Left] + 2 // half of what earns nothing
	f.LengthMM[term.Left] = &off
	room = 20
	less, err := practice.Against(x, f)
	if err != nil || math.Abs(less.Points-85) > 0.1 || *less.Lines[0].Error != 2 {
		t.Errorf("with 2 mm off and too much room: %g, %+v", less.Points, less.Lines[0])
	}
	delete(f.ArchIndex, term.Left)
	f.Arch[term.Left] = x.Truth.Arch[term.Left]
	if by, err := practice.Against(x, f); err != nil || math.Abs(by.Points-85) > 0.1 {
		t.Errorf("the arch by eye: %g, %v", by.Points, err)
	}
}

// The core itself reads an invented runner closely, and the same each time.
func TestByCore(t *testing.T) {
	for _, seed := range []uint64{5, 6} {
		x := invented(t, seed)
		f, err := practice.ByCore(x, demo.Catalogue())
		if err != nil {
			t.Fatal(err)
		}
		s, err := practice.Against(x, f)
		if err != nil || s.Points < 75 {
			t.Errorf("seed %d: %g points, %v: %+v", seed, s.Points, err, s.Lines)
		}
		for _, side := range term.Sides {
			if math.Abs(*f.LengthMM[side]-*x.Truth.Feet.Feet[side].LengthMM) > 1.5 || f.PeakDeg[side] == nil ||
				math.Abs(*f.PeakDeg[side]-x.Truth.Peak[side]) > 1.5 {
				t.Errorf("seed %d %s: %+v", seed, side, f)
			}
		}
		again, err := practice.ByCore(invented(t, seed), demo.Catalogue())
		if err != nil || *again.RoomMM != *f.RoomMM || *again.PeakDeg[term.Left] != *f.PeakDeg[term.Left] {
			t.Errorf("seed %d does not repeat: %v", seed, err)
		}
	}
}
