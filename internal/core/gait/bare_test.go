package gait_test

import (
	"errors"
	"image"
	"image/draw"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	xdraw "golang.org/x/image/draw"

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

// The same film larger and smaller is read alike, and one that plays slower than it was filmed is told.
func TestAnyScaleAndSpeed(t *testing.T) {
	t.Parallel()
	m, err := device.NewTreadmill(device.TreadmillOptions{Seed: 907, Bare: true, Seconds: 2.4})
	if err != nil {
		t.Fatal(err)
	}
	film, rec := keep(t, m), m.Recording()
	first := readBare(t, film, rec)
	for _, by := range []float64{0.6, 1.4} {
		got := readBare(t, altered{film, func(_ int, g *image.Gray) *image.Gray {
			out := image.NewGray(image.Rect(0, 0, int(by*float64(g.Rect.Dx())), int(by*float64(g.Rect.Dy()))))
			xdraw.BiLinear.Scale(out, out.Rect, g, g.Rect, draw.Src, nil)
			return out
		}}, rec)
		for side, s := range first.Sides {
			o := got.Sides[side]
			if o == nil || len(o.Steps) != len(s.Steps) {
				t.Errorf("%g times as large, %s: %v steps", by, side, o)
				continue
			}
			t.Logf("%g times as large, %s: peak %.1f°, was %.1f°; excursion %.1f°, was %.1f°", by, side, *o.PeakEversionDeg.Mean,
				*s.PeakEversionDeg.Mean, *o.ExcursionDeg.Mean, *s.ExcursionDeg.Mean)
			if math.Abs(*o.ExcursionDeg.Mean-*s.ExcursionDeg.Mean) > 1.5 || math.Abs(*o.PeakEversionDeg.Mean-*s.PeakEversionDeg.Mean) > 4 {
				t.Errorf("%g times as large, %s: off", by, side)
			}
			at := s.Steps[1].TouchdownFrame + 5
			heel := func(a gait.Answer) float64 {
				marks := a.Markers[side]["heel_low"]
				return marks[slices.IndexFunc(marks, func(m gait.Mark) bool { return m.Frame == at })].X
			}
			if is, was := heel(got), heel(first); math.Abs(is-by*was) > 4*by {
				t.Errorf("%g times as large, %s: the heel lies at %.1f, was %.1f", by, side, is, was)
			}
		}
	}
	slow := rec
	thirty := 30.0
	slow.FPS = &thirty
	l, _ := fault.As(second(gait.Follow(film, slow, nil)))
	if len(l) == 0 || l[0].Field != "fps" || !strings.Contains(l[0].Text, "filmed at 120") {
		t.Errorf("slow motion: %v", l)
	}
}

func second[A any](_ A, err error) error { return err }

// However near the camera stands, the steps are found, and how far the heel rolls.
func TestAnyFraming(t *testing.T) {
	t.Parallel()
	for i, framing := range []float64{0.26, 0.32, 0.37, 0.48} {
		m, err := device.NewTreadmill(device.TreadmillOptions{Seed: 921 + uint64(i), Bare: true, Seconds: 3, Framing: framing})
		if err != nil {
			t.Fatal(err)
		}
		a, truth := readBare(t, keep(t, m), m.Recording()), m.Truth()
		for _, side := range term.Sides {
			s, want := a.Sides[side], truth.Sides[side]
			if s == nil || len(s.Steps) < len(want.Steps)-1 || len(s.Steps) > len(want.Steps) {
				t.Errorf("a shank of %g of the height, %s: %v, of %d steps", framing, side, s, len(want.Steps))
				continue
			}
			roll := 0.0
			for _, st := range want.Steps {
				roll += (*st.PeakEversionDeg - *st.TouchdownDeg) / float64(len(want.Steps))
			}
			roll = *s.ExcursionDeg.Mean - roll
			t.Logf("a shank of %g of the height, %s: peak off by %.1f°, excursion by %.1f°", framing, side,
				*s.PeakEversionDeg.Mean-*want.PeakEversionDeg, roll)
			if math.Abs(roll) > 3 {
				t.Errorf("a shank of %g of the height, %s: excursion off by %.1f°", framing, side, roll)
			}
		}
	}
}

func readBare(t *testing.T, film gait.Frames, rec gait.Recording) gait.Answer {
	t.Helper()
	f, err := gait.Follow(film, rec, nil)
	if err != nil {
		t.Fatal(err)
	}
	r, err := gait.Read(f, rec, gait.Corrections{}, nil)
	if err != nil {
		t.Fatal(err)
	}
	return r.Answer
}

// What a hand sets on the mean picture is weighed, both legs together; it moves the level and nothing else, and is told.
func TestLevelOnTheMeanPicture(t *testing.T) {
	t.Parallel()
	m, err := device.NewTreadmill(device.TreadmillOptions{Seed: 901, Bare: true, Width: 512, Height: 384, Seconds: 3})
	if err != nil {
		t.Fatal(err)
	}
	film, rec := keep(t, m), m.Recording()
	f, err := gait.Follow(film, rec, nil)
	if err != nil {
		t.Fatal(err)
	}
	read := func(level map[term.Side]gait.LevelMark) gait.Answer {
		r, err := gait.Read(f, rec, gait.Corrections{Level: level}, nil)
		if err != nil {
			t.Fatal(err)
		}
		return r.Answer
	}
	peak := func(a gait.Answer, s term.Side) float64 { return *a.Sides[s].PeakEversionDeg.Mean }
	plain := read(nil)
	mean := f.Outline.Means[term.Left]
	if mean == nil || mean.Image.Rect.Dx() != mean.Width || mean.Points[0].Y >= mean.Points[3].Y {
		t.Fatalf("mean picture %+v", mean)
	}
	// Right as they lie: nothing moves, but it is surer.
	same := read(map[term.Side]gait.LevelMark{term.Left: {Points: &mean.Points}})
	sd := func(a gait.Answer, s term.Side) float64 { return a.Sides[s].LevelSD() }
	if d := peak(same, term.Left) - peak(plain, term.Left); math.Abs(d) > 0.01 || !*same.Calibrated ||
		sd(same, term.Left) >= sd(plain, term.Left) || sd(same, term.Right) != sd(plain, term.Right) {
		t.Errorf("right as they lie: moved by %.2f°, calibrated %v, good to %.1f° and %.1f°", d, *same.Calibrated,
			sd(same, term.Left), sd(same, term.Right))
	}
	// Six degrees more on the left: most of it counts, and some of it for the other leg.
	off := 6.0
	more := read(map[term.Side]gait.LevelMark{term.Left: {OffDeg: &off}})
	l, r := peak(more, term.Left)-peak(plain, term.Left), peak(more, term.Right)-peak(plain, term.Right)
	if l < 2.5 || l > 5.5 || r < 0.3 || r > l-1 {
		t.Errorf("6° more on the left moves the peaks by %.1f° and %.1f°", l, r)
	}
	if d := *more.Sides[term.Left].ExcursionDeg.Mean - *plain.Sides[term.Left].ExcursionDeg.Mean; math.Abs(d) > 0.2 {
		t.Errorf("and the excursion by %.2f°", d)
	}
	much := 25.0
	for name, level := range map[string]map[term.Side]gait.LevelMark{"25°": {term.Left: {OffDeg: &much}}, "nothing": {term.Left: {}},
		"upside down": {term.Left: {Points: &[4]gait.Point{mean.Points[1], mean.Points[0], mean.Points[2], mean.Points[3]}}}} {
		if _, err := gait.Read(f, rec, gait.Corrections{Level: level}, nil); err == nil {
			t.Errorf("%s is taken", name)
		}
	}
	f.Outline = nil
	if _, err := gait.Read(f, rec, gait.Corrections{Level: map[term.Side]gait.LevelMark{term.Left: {OffDeg: &off}}}, nil); err == nil {
		t.Error("the level of a film with dots is set")
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

// gappy is a film some of whose frames were lost.
type gappy struct {
	gait.Frames
	lost map[int]bool
}

func (g gappy) Frame(i int) (image.Image, error) {
	if g.lost[i] {
		return nil, errors.New("lost")
	}
	return g.Frames.Frame(i)
}

// What turns at a stride's rhythm is no leg: a camera's test pattern, whole or with frames that were lost.
func TestPatternIsNoLeg(t *testing.T) {
	t.Parallel()
	for seed := range uint64(6) {
		r := rand.New(rand.NewPCG(seed, 44))
		hz, x, y, size := 0.9+1.1*r.Float64(), 150+r.Float64()*340, 100+r.Float64()*160, 40+r.Float64()*70
		var film kept
		lost := map[int]bool{}
		for i := range 150 {
			g := image.NewGray(image.Rect(0, 0, 640, 360))
			_, turned := math.Modf(float64(i) * hz / 30)
			for py := range 360 {
				for px := range 640 {
					v := uint8(110 + 40*px/640)
					dx, dy := float64(px)-x, float64(py)-y
					if math.Hypot(dx, dy) < size && math.Mod(math.Atan2(dy, dx)/2/math.Pi+1, 1) < turned {
						v = 40
					}
					if py > 300 && px < int(600*turned) {
						v = 220
					}
					g.Pix[py*g.Stride+px] = v
				}
			}
			film = append(film, g)
			lost[i] = i > 0 && r.Float64() < 0.04*float64(seed%4)
		}
		fps := 30.0
		rec := gait.Recording{Schema: gait.RecordingSchema, View: gait.Rear, Gait: gait.Run, FPS: &fps, Markers: gait.NoMarkers}
		if _, err := gait.Follow(gappy{film, lost}, rec, nil); err == nil {
			t.Errorf("seed %d: a pattern that turns %.2f times a second was read as legs", seed, hz)
		}
	}
}

// A slice of a disc that opens and shuts in the middle of a still picture, as the stand-in for a camera shows it, is no leg at
// any pace: what is drawn has no grain. Each of these was read as a leg before that was asked.
func TestDrawnDiscIsNoLeg(t *testing.T) {
	t.Parallel()
	for _, n := range []uint64{9, 19, 24, 36} {
		r := rand.New(rand.NewPCG(n, 72))
		cycle, radius, fps := 16+8*r.Float64(), 0.18+0.12*r.Float64(), 29.8+0.5*r.Float64()
		lost := 0.08 * float64(n%2) // of its frames
		w, h := 640, 480
		if n%3 == 0 {
			w, h = 800, 450
		}
		turn := make([]float64, w*h) // of each point of the disc, in 0 to 1; 2 beside it
		for i := range turn {
			dx, dy := float64(i%w-w/2), float64(i/w-h/2)
			if turn[i] = 2; math.Hypot(dx, dy) < radius*float64(h) {
				turn[i] = math.Mod(math.Atan2(dy, dx)/2/math.Pi+1, 1)
			}
		}
		var film kept
		at := float64(r.IntN(18))
		for range 150 {
			at++
			for r.Float64() < lost {
				at++
			}
			g, open := image.NewGray(image.Rect(0, 0, w, h)), math.Mod(at/cycle, 1)
			for i, t := range turn {
				g.Pix[i] = 80
				if t < open {
					g.Pix[i] = 170
				}
			}
			film = append(film, g)
		}
		rec := gait.Recording{Schema: gait.RecordingSchema, View: gait.Rear, Gait: gait.Run, FPS: &fps,
			Shod: []string{"barefoot", "a shoe"}[n/2%2], Markers: gait.NoMarkers}
		if _, err := gait.Follow(film, rec, nil); err == nil {
			t.Errorf("%d: a disc that opens in %.1f frames was read as a leg", n, cycle)
		}
	}
}

// Feet that come down close to one line: the leg that swings hangs beside the one that stands, and hides part of it. It is
// read past that; what is nearer than that is told with a larger error, or refused in words.
func TestCloseLegs(t *testing.T) {
	t.Parallel()
	for i, apart := range []float64{1, 0.55, 0.4, 0.3, 0.15} {
		m, err := device.NewTreadmill(device.TreadmillOptions{Seed: 8100 + uint64(i), Bare: true, Seconds: 2.2, Width: 512, Height: 384,
			Apart: apart})
		if err != nil {
			t.Fatal(err)
		}
		film, rec, truth := keep(t, m), m.Recording(), m.Truth()
		r, err := readAlone(film, rec)
		if err != nil {
			if l, ok := fault.As(err); !ok || l[0].Field != "markers" || apart > 0.2 {
				t.Errorf("%g of the usual: %v", apart, err)
			}
			continue
		}
		if told := slices.Contains(r.Answer.Quality.Flags, gait.LegsCrossed); told && apart > 0.5 || !told && apart < 0.2 {
			t.Errorf("%g of the usual: flags %v", apart, r.Answer.Quality.Flags)
		}
		for side, want := range truth.Sides {
			s := r.Answer.Sides[side]
			if s == nil || len(s.Steps) < len(want.Steps) {
				t.Errorf("%g of the usual, %s: %d contacts are to be read", apart, side, len(want.Steps))
				continue
			}
			excursion := 0.0
			for _, st := range want.Steps {
				excursion += (*st.PeakEversionDeg - *st.TouchdownDeg) / float64(len(want.Steps))
			}
			off, level := *s.ExcursionDeg.Mean-excursion, *s.PeakEversionDeg.Mean-*want.PeakEversionDeg
			t.Logf("%g of the usual, %s: excursion off by %.1f°, level by %.1f°", apart, side, off, level)
			if math.Abs(off) > 3 || math.Abs(level) > 3*s.LevelSD() {
				t.Errorf("%g of the usual, %s: excursion off by %.1f°, level by %.1f° and told to %.1f°", apart, side, off, level, s.LevelSD())
			}
			if told := s.LevelSD() > levelAlone; told != slices.Contains(r.Answer.Quality.Flags, gait.LegsCrossed) {
				t.Errorf("%g of the usual, %s: level to %.1f°", apart, side, s.LevelSD())
			}
		}
	}
}

// readAlone reads a film by itself, without a hand.
func readAlone(film kept, rec gait.Recording) (gait.Reading, error) {
	f, err := gait.Follow(film, rec, nil)
	if err != nil {
		return gait.Reading{}, err
	}
	return gait.Read(f, rec, gait.Corrections{}, nil)
}

// levelAlone is the error of the level of a film without dots, degrees.
const levelAlone = 3.0

// Stripes that come along a dark belt under dark shoes, in step with the runner or nearly: they are no part of a foot.
func TestStripes(t *testing.T) {
	t.Parallel()
	for _, seed := range []uint64{902, 905} {
		m, err := device.NewTreadmill(device.TreadmillOptions{Seed: seed, Bare: true, Seconds: 3})
		if err != nil {
			t.Fatal(err)
		}
		r, err := readAlone(keep(t, m), m.Recording())
		if err != nil {
			t.Errorf("seed %d: %v", seed, err)
			continue
		}
		for side, want := range m.Truth().Sides {
			s := r.Answer.Sides[side]
			if s == nil || len(s.Steps) != len(want.Steps) {
				t.Errorf("seed %d, %s: %d contacts are to be read", seed, side, len(want.Steps))
				continue
			}
			excursion := 0.0
			for _, st := range want.Steps {
				excursion += (*st.PeakEversionDeg - *st.TouchdownDeg) / float64(len(want.Steps))
			}
			if off := *s.ExcursionDeg.Mean - excursion; math.Abs(off) > 3 {
				t.Errorf("seed %d, %s: excursion off by %.1f°", seed, side, off)
			}
		}
	}
}

// Two people beside one another are told from one: running and walking, near and far.
func TestTwoPeople(t *testing.T) {
	for i, how := range []gait.Motion{gait.Run, gait.Walk} {
		t.Run(string(how), func(t *testing.T) {
			t.Parallel()
			var films []kept
			var rec gait.Recording
			for seed := range uint64(2) {
				m, err := device.NewTreadmill(device.TreadmillOptions{Seed: 9300 + 10*seed + uint64(i), Bare: true, Seconds: 2.6, FPS: 60, Width: 320,
					Height: 240, Gait: how})
				if err != nil {
					t.Fatal(err)
				}
				films, rec = append(films, keep(t, m)), m.Recording()
			}
			for _, width := range []int{300, 440} {
				var both kept
				for i := range min(len(films[0]), len(films[1])) {
					g := image.NewGray(image.Rect(0, 0, width, 240))
					for k, f := range films {
						draw.Draw(g, image.Rect(k*width/2, 0, (k+1)*width/2, 240), f[i], image.Pt(160-width/4, 0), draw.Src)
					}
					both = append(both, g)
				}
				if _, err := gait.Follow(both, rec, nil); err == nil || !strings.Contains(err.Error(), "two people") {
					t.Errorf("%d px wide: %v", width, err)
				}
			}
			if _, err := gait.Follow(films[0], rec, nil); err != nil && strings.Contains(err.Error(), "two people") {
				t.Errorf("one alone: %v", err)
			}
		})
	}
}
