package gait_test

import (
	"image"
	"image/draw"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/gait"
	"trevik/internal/core/term"
	"trevik/internal/device"
)

// kept is a film whose frames are drawn once.
type kept []*image.Gray

func keep(t *testing.T, m gait.Frames) kept {
	t.Helper()
	var out kept
	for i := range m.Len() {
		img, err := m.Frame(i)
		if err != nil {
			t.Fatal(err)
		}
		g := image.NewGray(img.Bounds())
		draw.Draw(g, g.Rect, img, img.Bounds().Min, draw.Src)
		out = append(out, g)
	}
	return out
}

func (k kept) Len() int                         { return len(k) }
func (k kept) Frame(i int) (image.Image, error) { return k[i], nil }

// A film without dots is read from legs and shoes: each contact found, its ends, the excursion, the level as well as
// an outline tells it, and better with what a hand marks on three frames.
func TestWithoutDots(t *testing.T) {
	for _, x := range []device.TreadmillOptions{
		{Seed: 901},
		{Seed: 905, Shop: true},
		{Seed: 903, Gait: gait.Walk, Seconds: 4.5},
	} {
		x.Bare, x.Width, x.Height = true, 512, 384
		if x.Seconds == 0 {
			x.Seconds = 3
		}
		t.Run("", func(t *testing.T) {
			t.Parallel()
			m, err := device.NewTreadmill(x)
			if err != nil {
				t.Fatal(err)
			}
			film, rec, truth := keep(t, m), m.Recording(), m.Truth()
			f, err := gait.Follow(film, rec, nil)
			if err != nil {
				t.Fatalf("seed %d: %v", x.Seed, err)
			}
			r, err := gait.Read(f, rec, gait.Corrections{}, nil)
			if err != nil {
				t.Fatalf("seed %d: %v", x.Seed, err)
			}
			a := r.Answer
			if !slices.Contains(a.Quality.Flags, gait.NoDots) || a.Calibrated == nil || *a.Calibrated {
				t.Errorf("seed %d: flags %v, calibrated %v", x.Seed, a.Quality.Flags, a.Calibrated)
			}
			on, off, n := 0.0, 0.0, 0.0
			for _, side := range term.Sides {
				s, want := a.Sides[side], truth.Sides[side]
				if s == nil {
					t.Errorf("seed %d: the %s leg was not read", x.Seed, side)
					continue
				}
				excursion := 0.0
				for _, st := range want.Steps {
					excursion += (*st.PeakEversionDeg - *st.TouchdownDeg) / float64(len(want.Steps))
					k := slices.IndexFunc(s.Steps, func(g gait.Step) bool {
						mid := (st.TouchdownFrame + st.LiftFrame) / 2
						return g.TouchdownFrame < mid && g.Last() > mid
					})
					if k < 0 {
						t.Errorf("seed %d, %s: the contact of frames %d to %d was missed", x.Seed, side, st.TouchdownFrame, st.LiftFrame)
						continue
					}
					on += math.Abs(float64(s.Steps[k].TouchdownFrame - st.TouchdownFrame))
					off += math.Abs(float64(s.Steps[k].Last() - st.LiftFrame))
					n++
				}
				t.Logf("seed %d, %s: peak %.1f°, is %.1f°; excursion %.1f°, is %.1f°", x.Seed, side, *s.PeakEversionDeg.Mean, *want.PeakEversionDeg,
					*s.ExcursionDeg.Mean, excursion)
				if math.Abs(*s.ExcursionDeg.Mean-excursion) > 3 || math.Abs(*s.PeakEversionDeg.Mean-*want.PeakEversionDeg) > 9 {
					t.Errorf("seed %d, %s: off", x.Seed, side)
				}
				if p := s.BandProbability; max(p.Under, p.Neutral, p.Mild, p.Marked, p.Severe) > 0.95 {
					t.Errorf("seed %d, %s: an outline is surer of a band than it can be: %+v", x.Seed, side, *p)
				}
			}
			t.Logf("seed %d: touchdown %.2f frames, lift %.2f", x.Seed, on/n, off/n)
			if on/n > 8 || off/n > 2.5 { // one glides low over the belt before it lands
				t.Errorf("seed %d: the contacts' ends are off", x.Seed)
			}
			byHand(t, m, film, rec, truth)
		})
	}
}

// byHand marks three frames of mid-stance a leg as a hand would, and asks the level to come nearer.
func byHand(t *testing.T, m *device.Treadmill, film kept, rec gait.Recording, truth device.TreadmillTruth) {
	t.Helper()
	r := rand.New(rand.NewPCG(truth.Seed, 5))
	marks := map[string]map[string][][3]float64{}
	for _, side := range term.Sides {
		marks[string(side)] = map[string][][3]float64{}
		for k := range min(3, len(truth.Sides[side].Steps)) {
			st := truth.Sides[side].Steps[k]
			frame := (st.TouchdownFrame + st.LiftFrame) / 2
			for _, name := range gait.DotNames(gait.Rear) {
				p, _ := m.Place(side, name, frame)
				marks[string(side)][name] = append(marks[string(side)][name], [3]float64{float64(frame), p.X + r.NormFloat64(), p.Y + r.NormFloat64()})
			}
		}
	}
	rec.Markers = marks
	f, err := gait.Follow(film, rec, nil)
	if err != nil {
		t.Fatalf("seed %d with marks: %v", truth.Seed, err)
	}
	got, err := gait.Read(f, rec, gait.Corrections{}, nil)
	if err != nil {
		t.Fatalf("seed %d with marks: %v", truth.Seed, err)
	}
	if c := got.Answer.Calibrated; c == nil || !*c {
		t.Errorf("seed %d: not calibrated", truth.Seed)
		return
	}
	for side, s := range got.Answer.Sides {
		if s == nil {
			continue
		}
		d := math.Abs(*s.PeakEversionDeg.Mean - *truth.Sides[side].PeakEversionDeg)
		t.Logf("seed %d, %s with three marked frames: off by %.1f°", truth.Seed, side, d)
		if d > 5.5 {
			t.Errorf("seed %d, %s: off by %.1f° with three marked frames", truth.Seed, side, d)
		}
	}
}

// altered is a film of which each frame is changed.
type altered struct {
	kept
	by func(i int, g *image.Gray) *image.Gray
}

func (a altered) Frame(i int) (image.Image, error) { return a.by(i, a.kept[i]), nil }

// What holds no legs that can be told from the ground is refused in words.
func TestNoLegs(t *testing.T) {
	t.Parallel()
	m, err := device.NewTreadmill(device.TreadmillOptions{Seed: 904, Bare: true, Width: 320, Height: 240, Seconds: 2})
	if err != nil {
		t.Fatal(err)
	}
	film, rec := keep(t, m), m.Recording()
	wall := altered{film, func(i int, g *image.Gray) *image.Gray {
		out := image.NewGray(g.Rect)
		r := rand.New(rand.NewPCG(1, uint64(i)))
		for p := range out.Pix {
			out.Pix[p] = uint8(150 + 4*r.NormFloat64())
		}
		return out
	}}
	night := altered{film, func(int, *image.Gray) *image.Gray { return image.NewGray(film[0].Rect) }}
	shaky := altered{film, func(i int, g *image.Gray) *image.Gray {
		out := image.NewGray(g.Rect)
		d := image.Pt(int(9*math.Sin(float64(i)/9)), int(7*math.Cos(float64(i)/13)))
		draw.Draw(out, out.Rect, g, d, draw.Src)
		return out
	}}
	for name, f := range map[string]gait.Frames{"a wall": wall, "night": night, "a moving camera": shaky} {
		_, err := gait.Follow(f, rec, nil)
		l, ok := fault.As(err)
		if !ok || l[0].Field != "markers" {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if name == "a moving camera" && !strings.Contains(l[0].Text, "camera moves") {
			t.Errorf("%s: %s", name, l[0].Text)
		}
	}
	side := rec
	side.View = gait.Side
	if _, err := gait.Follow(film, side, nil); err == nil || !strings.Contains(err.Error(), "from behind") {
		t.Errorf("from the side: %v", err)
	}
}

// Whatever moves in a film, it is read within sense or refused in words.
func TestOddFilms(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(3, 3))
	paint := map[string]func(i, x, y int) uint8{
		"noise":       func(int, int, int) uint8 { return uint8(r.IntN(256)) },
		"a flash":     func(i, _, _ int) uint8 { return uint8(i % 7 * 30) },
		"a bar":       func(i, x, _ int) uint8 { return uint8(200 * bell(float64(x)-80-50*math.Sin(float64(i)/13), 9)) },
		"two bars":    func(i, x, y int) uint8 { return twoBars(i, x, y, 0) },
		"stumps":      func(i, x, y int) uint8 { return twoBars(i, x, y, 70) },
		"stripes":     func(i, _, y int) uint8 { return uint8(100 + 60*math.Sin(float64(y-3*i)/4)) },
		"a slow drag": func(i, x, y int) uint8 { return uint8(x + y + i/3) },
	}
	for name, at := range paint {
		var film kept
		for i := range 240 {
			g := image.NewGray(image.Rect(0, 0, 170, 130))
			for p := range g.Pix {
				g.Pix[p] = at(i, p%170, p/170)
			}
			film = append(film, g)
		}
		for _, fps := range []float64{24, 120, 1000} {
			rec := gait.Recording{Schema: gait.RecordingSchema, View: gait.Rear, FPS: &fps, Markers: gait.NoMarkers}
			f, err := gait.Follow(film, rec, nil)
			if err == nil {
				_, err = gait.Read(f, rec, gait.Corrections{}, nil)
			}
			if _, ok := fault.As(err); err != nil && !ok {
				t.Errorf("%s at %g: %v", name, fps, err)
			}
		}
	}
	for _, size := range []image.Point{{16, 16}, {160, 40}, {5000, 17}} {
		fps := 60.0
		film := kept{image.NewGray(image.Rectangle{Max: size}), image.NewGray(image.Rectangle{Max: size})}
		_, err := gait.Follow(film, gait.Recording{Schema: gait.RecordingSchema, View: gait.Rear, FPS: &fps, Markers: gait.NoMarkers}, nil)
		if _, ok := fault.As(err); !ok {
			t.Errorf("%v: %v", size, err)
		}
	}
}

func bell(d, wide float64) float64 { return math.Exp(-d * d / (2 * wide * wide)) }

// twoBars come down in turn, from a height.
func twoBars(i, x, y, top int) uint8 {
	for k := range 2 {
		low := 90 + 25*math.Sin(2*math.Pi*(float64(i)/85+float64(k)/2))
		if abs := math.Abs(float64(x) - 55 - 60*float64(k)); abs < 8 && y > top && float64(y) < low {
			return 210
		}
	}
	return 60
}
