package track_test

import (
	"bytes"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"trevik/internal/core/track"
	"trevik/internal/device"
	"trevik/internal/gpx"
)

const metre = 1 / 111132.95 // of latitude at 45°, degrees

// line walks north at a speed for some seconds, a place each step, beside a height.
func line(speed, seconds, every float64) []track.Point {
	var out []track.Point
	for t := 0.0; t <= seconds; t += every {
		h := 100 + t/10
		out = append(out, track.Point{T: t, Lat: 45 + speed*t*metre, Lon: 7, Ele: &h})
	}
	return out
}

func TestMeasureExact(t *testing.T) {
	for _, every := range []float64{1, 5} {
		a, err := track.Measure(line(3, 1000, every))
		if err != nil || math.Abs(a.KM-3) > 0.003 || a.Pauses+a.Jumps+a.Gaps != 0 || math.Abs(a.Moving-1000) > 10 ||
			math.Abs(*a.AscentM-100) > 4 {
			t.Errorf("a straight line at %g s: %+v, %v", every, a, err)
		}
	}
	// A circle of 36.5 m, one place in five seconds: chords cut it short.
	var circle []track.Point
	cos := math.Cos(45 * math.Pi / 180)
	for s := 0.0; s <= 2000; s += 5 {
		turn := 4 * s / 36.5
		circle = append(circle, track.Point{T: s, Lat: 45 + 36.5*math.Sin(turn)*metre, Lon: 7 + 36.5*math.Cos(turn)*metre/cos*0.99664719})
	}
	a, err := track.Measure(circle)
	if err != nil || math.Abs(a.KM-8) > 0.04 || a.ChordsKM > 7.95 || a.AscentM != nil {
		t.Errorf("a circle: %+v, %v", a, err)
	}
	// The date line and a time between that nobody can have run.
	over := []track.Point{{T: 0, Lat: 0, Lon: 179.9999}, {T: 4, Lat: 0, Lon: -179.9999}, {T: 8, Lat: 0, Lon: -179.9997},
		{T: 12, Lat: 0, Lon: -179.9995}}
	if a, err := track.Measure(over); err != nil || a.KM > 0.1 {
		t.Errorf("over the date line: %+v, %v", a, err)
	}
}

// Standing, jumping and silence add nothing that was not run.
func TestMeasureInterrupted(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1))
	run := line(3, 600, 1)
	last := run[len(run)-1]
	for s := 1.0; s <= 300; s++ { // five minutes at a light
		run = append(run, track.Point{T: last.T + s, Lat: last.Lat + 0.8*r.NormFloat64()*metre, Lon: last.Lon + 0.8*r.NormFloat64()*metre})
	}
	for s := 1.0; s <= 600; s++ {
		run = append(run, track.Point{T: last.T + 300 + s, Lat: last.Lat + 3*s*metre, Lon: 7})
	}
	for i := range run {
		run[i].Lat += 0.8 * r.NormFloat64() * metre
	}
	a, err := track.Measure(run)
	if err != nil || math.Abs(a.KM-3.6) > 0.036 || a.Pauses != 1 || math.Abs(a.Moving-1200) > 25 {
		t.Errorf("a light: %+v, %v", a, err)
	}
	jumped := line(3, 600, 1)
	for _, i := range []int{40, 41, 250, 599} {
		jumped[i].Lon += 150 * metre
	}
	if a, err := track.Measure(jumped); err != nil || math.Abs(a.KM-1.8) > 0.018 || a.Jumps < 3 {
		t.Errorf("jumps: %+v, %v", a, err)
	}
	silent := line(3, 900, 1)
	silent = append(silent[:300:300], silent[420:]...) // two minutes under a hill, straight on
	if a, err := track.Measure(silent); err != nil || math.Abs(a.KM-2.7) > 0.02 || a.Gaps != 1 {
		t.Errorf("silence: %+v, %v", a, err)
	}
	bus := line(3, 300, 1)
	for _, p := range line(3, 300, 1) {
		p.T += 700
		p.Lat += 9000 * metre
		bus = append(bus, p)
	}
	if a, err := track.Measure(bus); err != nil || math.Abs(a.KM-1.8) > 0.03 {
		t.Errorf("a ride between counts: %+v, %v", a, err)
	}
	still := make([]track.Point, 200)
	for i := range still {
		still[i] = track.Point{T: float64(i), Lat: 45 + r.NormFloat64()*metre, Lon: 7 + r.NormFloat64()*metre}
	}
	if a, err := track.Measure(still); err != nil || a.KM > 0.02 {
		t.Errorf("a watch on the table runs: %+v, %v", a, err)
	}
}

func TestMeasureRefuses(t *testing.T) {
	nan := math.NaN()
	for name, p := range map[string][]track.Point{
		"nothing": nil, "one place": {{}}, "one time": {{}, {Lat: 1}}, "backward": {{T: 2}, {T: 1}},
		"not a place": {{}, {T: 1, Lat: nan}}, "off the earth": {{}, {T: 1, Lat: 91}}, "no time": {{}, {T: math.Inf(1)}},
		"no height": {{}, {T: 1, Ele: &nan}},
		"too many":  make([]track.Point, track.MostPoints+1),
	} {
		if a, err := track.Measure(p); err == nil {
			t.Errorf("%s: %+v", name, a)
		}
	}
}

// Against the stand-in's truth, with an error of places, pauses, jumps and gaps: within
// half a per cent, at a place a second and one in five.
func TestMeasureSimulated(t *testing.T) {
	for _, every := range []float64{1, 5} {
		n, over, sum := 0, 0, 0.0
		for seed := range uint64(8) {
			w, err := device.NewWatch(device.WatchOptions{Seed: 300 + seed, Weeks: 2, Every: every, Until: time.Date(2026, 11, 22, 0, 0, 0, 0,
				time.UTC)})
			if err != nil {
				t.Fatal(err)
			}
			for _, run := range w.Truth.Runs {
				tracks, err := gpx.Decode(bytes.NewReader(run.GPX))
				if err != nil {
					t.Fatal(err)
				}
				a, err := track.Measure(tracks[0].Points())
				if err != nil {
					t.Fatal(err)
				}
				e := a.KM/run.KM - 1
				n++
				sum += e
				if math.Abs(e) > 0.005 {
					over++
				}
				if math.Abs(e) > 0.012 || math.Abs(a.Moving-run.MovingS) > 0.04*run.MovingS+30 ||
					math.Abs(*a.AscentM-run.AscentM) > 12+0.1*run.AscentM {
					t.Errorf("seed %d at %g s: %+v beside %+v", 300+seed, every, a, run)
				}
			}
		}
		t.Logf("at %g s: %d runs, %d over half a per cent, mean %+.3f %%", every, n, over, 100*sum/float64(n))
		if float64(over) > 0.06*float64(n) || math.Abs(sum/float64(n)) > 0.0015 {
			t.Errorf("at %g s: %d of %d runs over half a per cent, mean %+.3f %%", every, over, n, 100*sum/float64(n))
		}
	}
}

func BenchmarkMeasureHour(b *testing.B) {
	w, err := device.NewWatch(device.WatchOptions{Seed: 1, Weeks: 1, Days: 1, WeeklyKM: 12, Until: time.Date(2026, 11, 22, 0, 0, 0, 0,
		time.UTC)})
	if err != nil {
		b.Fatal(err)
	}
	tracks, err := gpx.Decode(bytes.NewReader(w.Truth.Runs[0].GPX))
	if err != nil {
		b.Fatal(err)
	}
	points := tracks[0].Points()
	for b.Loop() {
		if _, err := track.Measure(points); err != nil {
			b.Fatal(err)
		}
	}
}
