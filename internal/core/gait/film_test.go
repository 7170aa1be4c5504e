package gait_test

import (
	"bytes"
	"errors"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"math"
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/gait"
	"trevik/internal/core/term"
	"trevik/internal/device"
)

func film(t testing.TB, o device.TreadmillOptions) *device.Treadmill {
	t.Helper()
	m, err := device.NewTreadmill(o)
	if err != nil {
		t.Fatal(err)
	}
	return m
}

// compressed is a film whose frames went through JPEG.
type compressed [][]byte

func compress(t testing.TB, m gait.Frames, quality int) compressed {
	t.Helper()
	out := make(compressed, m.Len())
	for i := range out {
		img, err := m.Frame(i)
		if err != nil {
			t.Fatal(err)
		}
		var b bytes.Buffer
		if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: quality}); err != nil {
			t.Fatal(err)
		}
		out[i] = b.Bytes()
	}
	return out
}

func (c compressed) Len() int { return len(c) }

func (c compressed) Frame(i int) (image.Image, error) { return jpeg.Decode(bytes.NewReader(c[i])) }

func read(t testing.TB, f gait.Frames, rec gait.Recording) gait.Reading {
	t.Helper()
	followed, err := gait.Follow(f, rec, nil)
	if err != nil {
		t.Fatal(err)
	}
	r, err := gait.Read(followed, rec, gait.Corrections{}, nil)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// Whole films through the reader: every colour of dot, clean and in a shop's
// conditions, small and large, fast and slow.
func TestFilms(t *testing.T) {
	deg := func(v float64) *float64 { return &v }
	for _, c := range []struct {
		name   string
		o      device.TreadmillOptions
		jpeg   int
		within float64 // degrees, of each side's mean
	}{
		{"magenta", device.TreadmillOptions{Seed: 21, DotHueDeg: deg(320), Width: 400, Height: 300, DotPX: 10}, 0, 0.5},
		{"green in a shop", device.TreadmillOptions{Seed: 22, DotHueDeg: deg(130), Shop: true}, 80, 0.8},
		{"orange, barefoot", device.TreadmillOptions{Seed: 23, DotHueDeg: deg(24), Barefoot: true, Width: 480, Height: 360}, 85, 0.5},
		{"blue, small", device.TreadmillOptions{Seed: 24, DotHueDeg: deg(215), Width: 320, Height: 240, DotPX: 8}, 0, 0.5},
		{"yellow walk, 60", device.TreadmillOptions{Seed: 25, DotHueDeg: deg(56), Gait: gait.Walk, FPS: 60, Seconds: 5, Width: 400, Height: 300},
			0, 1},
		{"side", device.TreadmillOptions{Seed: 26, View: gait.Side, Width: 400, Height: 300}, 0, 0.7},
		{"side in a shop", device.TreadmillOptions{Seed: 27, View: gait.Side, Near: term.Right, Shop: true, Width: 480, Height: 360}, 80, 1.2},
		{"front in a shop", device.TreadmillOptions{Seed: 28, View: gait.Front, Shop: true, Width: 480, Height: 360}, 80, 0.8},
		{"240 a second", device.TreadmillOptions{Seed: 29, FPS: 240, Seconds: 2.5, Width: 320, Height: 240, DotPX: 9}, 0, 0.5},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			if c.o.Seconds == 0 {
				c.o.Seconds = 3
			}
			m := film(t, c.o)
			var f gait.Frames = m
			if c.jpeg > 0 {
				f = compress(t, m, c.jpeg)
			}
			rec := m.Recording()
			rec.Near = ""
			r := read(t, f, rec)
			for side, truth := range m.Truth().Sides {
				s := r.Answer.Sides[side]
				if s == nil {
					t.Fatalf("%s was not read", side)
				}
				compareSteps(t, side, s, truth, *rec.FPS, c.o.Shop)
				for _, v := range []struct {
					got  *gait.Stat
					want *float64
				}{{s.PeakEversionDeg, truth.PeakEversionDeg}, {s.StrikeDeg, truth.StrikeDeg}, {s.ShankDeg, truth.ShankDeg},
					{s.KneeInDeg, truth.KneeInDeg}} {
					if v.want == nil || v.got == nil {
						continue
					}
					if math.Abs(*v.got.Mean-*v.want) > c.within {
						t.Errorf("%s: %g, truly %g", side, *v.got.Mean, *v.want)
					}
				}
			}
			rms, n := 0.0, 0
			for side, dots := range r.Answer.Markers {
				for name, marks := range dots {
					for _, k := range marks {
						if p, seen := m.Place(side, name, k.Frame); seen && k.How == gait.Found {
							rms += (p.X-k.X)*(p.X-k.X) + (p.Y-k.Y)*(p.Y-k.Y)
							n++
						}
					}
				}
			}
			t.Logf("centres %.3f px rms an axis over %d, quality %v", math.Sqrt(rms/float64(n)/2), n, r.Answer.Quality)
			if d := math.Sqrt(rms / float64(n) / 2); d > 0.4 {
				t.Errorf("centres are off by %.2f px", d)
			}
		})
	}
}

// compareSteps finds every whole contact and none beside; in a shop one that lost a
// dot may be left out. Contacts at the very ends may fall either way.
func compareSteps(t *testing.T, side term.Side, s *gait.SideReading, truth *device.SideTruth, fps float64, shop bool) {
	t.Helper()
	off, n := 0.0, 0
	matched := map[int]bool{}
	for _, st := range s.Steps {
		best := -1
		for j, tr := range truth.Steps {
			if math.Abs(float64(tr.TouchdownFrame-st.TouchdownFrame)) < 0.06*fps {
				best = j
			}
		}
		if best < 0 {
			if float64(st.TouchdownFrame) > 0.3*fps && len(truth.Steps) > 0 && st.TouchdownFrame < truth.Steps[len(truth.Steps)-1].TouchdownFrame {
				t.Errorf("%s: a contact at %d that never was", side, st.TouchdownFrame)
			}
			continue
		}
		matched[best] = true
		off += math.Abs(float64(truth.Steps[best].TouchdownFrame - st.TouchdownFrame))
		n++
	}
	for j := 1; j+1 < len(truth.Steps); j++ {
		if !matched[j] && !shop {
			t.Errorf("%s: the contact at %d was missed", side, truth.Steps[j].TouchdownFrame)
		}
	}
	// Half a frame at 120 a second, a little over 4 ms.
	if n == 0 || off/float64(n) > 0.7*max(1, fps/120) {
		t.Errorf("%s: touchdown is off by %.2f frames on average over %d", side, off/float64(max(n, 1)), n)
	}
}

// paths are a film's true paths with the error of finding them: a fast simulation
// without pictures.
func paths(m *device.Treadmill, v gait.View, noise float64, r func() float64) gait.Followed {
	f := gait.Followed{Frames: m.Len(), Width: 640, Height: 480, Tracks: gait.Tracks{}}
	truths := m.Truth().Sides
	for _, side := range term.Sides { // in one order, so that the noise is the same each time
		if _, there := truths[side]; !there {
			continue
		}
		f.Tracks[side] = map[string][]gait.Mark{}
		for _, name := range gait.DotNames(v) {
			for i := range m.Len() {
				if p, seen := m.Place(side, name, i); seen {
					p.X, p.Y = p.X+noise*r(), p.Y+noise*r()
					f.Tracks[side][name] = append(f.Tracks[side][name], gait.Mark{Frame: i, Point: p, How: gait.Found})
				}
			}
		}
	}
	return f
}

// Over many runners: mean errors within the bounds of the method at each rate, and
// probabilities that are neither too sure nor too shy.
func TestManyRunners(t *testing.T) {
	for _, c := range []struct {
		fps        float64
		view       gait.View
		gait       gait.Motion
		mean, most float64
	}{
		{60, gait.Rear, gait.Run, 0.2, 1}, {120, gait.Rear, gait.Run, 0.15, 0.35}, {240, gait.Rear, gait.Run, 0.15, 0.4},
		{60, gait.Rear, gait.Walk, 0.2, 1}, {120, gait.Rear, gait.Walk, 0.15, 0.8}, {30, gait.Rear, gait.Run, 0.6, 1.6},
		{60, gait.Side, gait.Run, 0.5, 2.4}, {120, gait.Side, gait.Run, 0.2, 1.2}, {120, gait.Side, gait.Walk, 0.2, 1.2},
		{120, gait.Front, gait.Run, 0.2, 0.8}, {60, gait.Front, gait.Walk, 0.2, 1},
	} {
		sum, most, n := 0.0, 0.0, 0
		noise := noiseOf(7)
		for seed := uint64(1); seed <= 40; seed++ {
			m := film(t, device.TreadmillOptions{Seed: seed, View: c.view, Gait: c.gait, FPS: c.fps, Seconds: 6, Shop: seed%2 == 0})
			r, err := gait.Read(paths(m, c.view, 0.1, noise), m.Recording(), gait.Corrections{}, nil)
			if err != nil {
				t.Fatalf("%+v seed %d: %v", c, seed, err)
			}
			for side, truth := range m.Truth().Sides {
				s := r.Answer.Sides[side]
				if s == nil {
					continue
				}
				for _, v := range []struct {
					got  *gait.Stat
					want *float64
				}{{s.PeakEversionDeg, truth.PeakEversionDeg}, {s.StrikeDeg, truth.StrikeDeg}, {s.ShankDeg, truth.ShankDeg},
					{s.KneeInDeg, truth.KneeInDeg}} {
					if v.got != nil && v.want != nil {
						e := math.Abs(*v.got.Mean - *v.want)
						sum, most, n = sum+e, max(most, e), n+1
					}
				}
			}
			// A touchdown after a low glide may be told frames early, which moves a film of few strides a little.
			if e := math.Abs(*r.Answer.CadenceSPM/m.Truth().CadenceSPM - 1); c.fps >= 120 && c.view != gait.Side && e > 0.0075 {
				t.Errorf("%+v seed %d: cadence %g, truly %g", c, seed, *r.Answer.CadenceSPM, m.Truth().CadenceSPM)
			}
		}
		t.Logf("%g %s %s: mean error %.3f°, at most %.2f° over %d", c.fps, c.view, c.gait, sum/float64(n), most, n)
		if sum/float64(n) > c.mean || most > c.most {
			t.Errorf("%g %s %s: mean error %.3f°, at most %.2f°; allowed are %g and %g", c.fps, c.view, c.gait, sum/float64(n), most, c.mean, c.most)
		}
	}
}

// noiseOf is a repeatable normal noise.
func noiseOf(seed uint64) func() float64 {
	x := seed
	next := func() float64 {
		x = x*6364136223846793005 + 1442695040888963407
		return (float64(x>>11) + 0.5) / (1 << 53)
	}
	return func() float64 { return math.Sqrt(-2*math.Log(next())) * math.Cos(2*math.Pi*next()) }
}

// The band's chance is what it says: where the joint truly differs from its dots by
// 1.5°, a band told with p is right in a share p of the runners.
func TestBandCalibration(t *testing.T) {
	noise := noiseOf(3)
	type bin struct{ said, right, n float64 }
	var bins [5]bin
	for seed := uint64(1); seed <= 150; seed++ {
		m := film(t, device.TreadmillOptions{Seed: 1000 + seed, Seconds: 4})
		r, err := gait.Read(paths(m, gait.Rear, 0.1, noise), m.Recording(), gait.Corrections{}, nil)
		if err != nil {
			t.Fatal(err)
		}
		for side, truth := range m.Truth().Sides {
			s := r.Answer.Sides[side]
			joint := *truth.PeakEversionDeg + 1.5*noise()
			p := s.BandProbability
			for i, v := range []float64{p.Under, p.Neutral, p.Mild, p.Marked, p.Severe} {
				lo, hi := []float64{math.Inf(-1), 3, 9, 12, 15}[i], []float64{3, 9, 12, 15, math.Inf(1)}[i]
				b := &bins[min(int(v*5), 4)]
				b.n++
				b.said += v
				if joint >= lo && joint < hi {
					b.right++
				}
			}
		}
	}
	for _, b := range bins {
		if b.n < 30 {
			continue
		}
		p := b.said / b.n
		t.Logf("said %.2f, was %.2f (%g)", p, b.right/b.n, b.n)
		if d := math.Abs(b.right/b.n - p); d > 0.03+3*math.Sqrt(p*(1-p)/b.n) {
			t.Errorf("bands told with %.2f hold in %.2f of %g", p, b.right/b.n, b.n)
		}
	}
}

// spoiled lays faults over a film.
type spoiled struct {
	gait.Frames
	at func(i int, img image.Image) (image.Image, error)
}

func (s spoiled) Frame(i int) (image.Image, error) {
	img, err := s.Frames.Frame(i)
	if err != nil {
		return nil, err
	}
	return s.at(i, img)
}

func TestSpoiledFilms(t *testing.T) {
	small := device.TreadmillOptions{Seed: 31, Seconds: 2.5, Width: 320, Height: 240, DotPX: 9}
	m := film(t, small)
	broken := errors.New("broken")
	r := read(t, spoiled{m, func(i int, img image.Image) (image.Image, error) {
		switch {
		case i == 50 || i == 120 || i == 121:
			return nil, broken
		case i == 80:
			return image.NewRGBA(image.Rect(0, 0, 100, 100)), nil // of another size
		}
		return img, nil
	}}, m.Recording())
	if !strings.Contains(jsonish(r.Answer.Quality.Flags), "lost_markers") {
		t.Errorf("frames that could not be used are not flagged: %v", r.Answer.Quality)
	}
	for side, truth := range m.Truth().Sides {
		if s := r.Answer.Sides[side]; s == nil || math.Abs(*s.PeakEversionDeg.Mean-*truth.PeakEversionDeg) > 0.6 {
			t.Errorf("%s with four frames spoiled is off: %v, truly %g", side, s, *truth.PeakEversionDeg)
		}
	}
	refused := func(name string, f gait.Frames, rec gait.Recording, field string) {
		t.Helper()
		followed, err := gait.Follow(f, rec, nil)
		if err == nil {
			_, err = gait.Read(followed, rec, gait.Corrections{}, nil)
		}
		faults, ok := fault.As(err)
		if !ok || faults[0].Field != field {
			t.Errorf("%s: %v, want a fault at %s", name, err, field)
		}
	}
	small.NoDots = true
	bare := film(t, small)
	// Without dots it is read by its outlines, and says so.
	if f, err := gait.Follow(bare, bare.Recording(), nil); err != nil || f.Outline == nil {
		t.Errorf("no dots: outlines %v, %v", f.Outline, err)
	} else if r, err := gait.Read(f, bare.Recording(), gait.Corrections{}, nil); err != nil ||
		!slices.Contains(r.Answer.Quality.Flags, gait.NoDots) {
		t.Errorf("no dots: flags %v, %v", r.Answer.Quality.Flags, err)
	}
	blue := 215.0
	named := bare.Recording()
	named.DotHueDeg = &blue
	refused("no dots of that hue", bare, named, "dot_hue_deg")
	refused("all broken", spoiled{bare, func(int, image.Image) (image.Image, error) { return nil, broken }}, bare.Recording(), "frames")
	confetti := spoiled{bare, func(i int, img image.Image) (image.Image, error) {
		for k := range 1000 {
			x, y := (k*97+i*3)%310, (k*31+i*5)%230
			draw.Draw(img.(*image.RGBA), image.Rect(x, y, x+4, y+4), image.NewUniform(color.RGBA{240, 0, 200, 255}), image.Point{}, draw.Src)
		}
		return img, nil
	}}
	refused("a thousand dots", confetti, bare.Recording(), "markers")
	small.NoDots, small.Seconds = false, 0.6
	short := film(t, small)
	refused("no whole contact", spoiled{short, func(i int, img image.Image) (image.Image, error) { return short.Frame(0) }},
		short.Recording(), "markers")
}

func jsonish(flags []gait.Flag) string {
	s := ""
	for _, f := range flags {
		s += string(f) + " "
	}
	return s
}

func TestOneLegWithDots(t *testing.T) {
	m := film(t, device.TreadmillOptions{Seed: 33, Seconds: 3, Width: 320, Height: 240, DotPX: 9, OneLeg: term.Right})
	r := read(t, m, m.Recording())
	if r.Answer.Sides[term.Left] != nil || r.Answer.Sides[term.Right] == nil || !strings.Contains(jsonish(r.Answer.Quality.Flags),
		"one_foot_only") {
		t.Errorf("one leg: %+v", r.Answer.Quality)
	}
}

// Without dots, marks by hand on a few frames are followed between by the picture.
func TestMarkedByHand(t *testing.T) {
	m := film(t, device.TreadmillOptions{Seed: 34, Seconds: 2, Width: 320, Height: 240, DotPX: 9})
	marks := map[string]any{}
	for _, side := range term.Sides {
		dots := map[string]any{}
		for _, name := range gait.DotNames(gait.Rear) {
			var at [][]float64
			for i := 0; i < m.Len(); i += 20 {
				p, _ := m.Place(side, name, i)
				at = append(at, []float64{float64(i), p.X, p.Y})
			}
			dots[name] = at
		}
		marks[string(side)] = dots
	}
	rec := m.Recording()
	rec.Markers = marks
	r := read(t, m, rec)
	for side, truth := range m.Truth().Sides {
		s := r.Answer.Sides[side]
		if s == nil || math.Abs(*s.PeakEversionDeg.Mean-*truth.PeakEversionDeg) > 1 {
			t.Errorf("%s marked by hand: %+v, truly %g", side, s, *truth.PeakEversionDeg)
		}
		byHand, between := 0, 0
		for _, k := range r.Answer.Markers[side]["heel_low"] {
			if k.How == gait.ByHand {
				byHand++
			} else {
				between++
			}
		}
		if byHand != 12 || between < m.Len()-20 {
			t.Errorf("%s: %d by hand and %d between over %d frames", side, byHand, between, m.Len())
		}
	}
}

func BenchmarkRead600(b *testing.B) {
	beside(b, film(b, device.TreadmillOptions{Seed: 5, Seconds: 5}))
}

// A film without dots: 480 frames of 640 × 480.
func BenchmarkWithoutDots480(b *testing.B) {
	beside(b, film(b, device.TreadmillOptions{Seed: 901, Bare: true, Seconds: 4}))
}

// beside reads a film beside the decoding of its frames.
func beside(b *testing.B, m *device.Treadmill) {
	b.Helper()
	f := compress(b, m, 90)
	b.Run("decode", func(b *testing.B) {
		for b.Loop() {
			for i := range f {
				if _, err := f.Frame(i); err != nil {
					b.Fatal(err)
				}
			}
		}
	})
	b.Run("decode and read", func(b *testing.B) {
		for b.Loop() {
			read(b, f, m.Recording())
		}
	})
}

// A frame that came twice, in place of a lost one, is told and bridged over.
func TestRepeatedFrames(t *testing.T) {
	m := film(t, device.TreadmillOptions{Seed: 42, Seconds: 2.5, FPS: 60, Width: 320, Height: 240, DotPX: 9})
	f := spoiled{m, nil}
	f.at = func(i int, img image.Image) (image.Image, error) {
		if i%25 == 24 {
			return m.Frame(i - 1)
		}
		return img, nil
	}
	r := read(t, f, m.Recording())
	for side, truth := range m.Truth().Sides {
		s := r.Answer.Sides[side]
		if s == nil || math.Abs(*s.PeakEversionDeg.Mean-*truth.PeakEversionDeg) > 1 || len(s.Steps) < len(truth.Steps) {
			t.Errorf("%s: %+v, truly %g over %d", side, s, *truth.PeakEversionDeg, len(truth.Steps))
		}
	}
}
