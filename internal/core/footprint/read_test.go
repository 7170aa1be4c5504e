package footprint_test

import (
	"bytes"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/footprint"
	"trevik/internal/core/term"
	"trevik/internal/device"
)

var brown = color.RGBA{190, 150, 105, 255}

// conditions are ways in which a print is photographed.
var conditions = map[string]func(r *rand.Rand) device.Photo{
	"a clean scan":  func(*rand.Rand) device.Photo { return device.Photo{MMPerPx: 0.5} },
	"a clean sheet": func(*rand.Rand) device.Photo { return device.Photo{Paper: footprint.A3, MMPerPx: 0.5} },
	"turned":        func(r *rand.Rand) device.Photo { return device.Photo{MMPerPx: 0.5, Turn: 360 * r.Float64()} },
	"light on dark": func(*rand.Rand) device.Photo {
		return device.Photo{MMPerPx: 0.5, Base: color.RGBA{70, 72, 80, 255}, Dark: 2.4, Noise: 2}
	},
	"printed paper": func(r *rand.Rand) device.Photo {
		return device.Photo{MMPerPx: 0.4, Printed: 0.55, Dark: 0.45, Turn: 15 * r.NormFloat64(), Noise: 3, Uneven: 0.2}
	},
	"brown, on a sheet": func(r *rand.Rand) device.Photo { return shop(r, footprint.A3) },
	"brown, bare": func(r *rand.Rand) device.Photo {
		p := shop(r, "")
		p.Tilt, p.Roll, p.MMPerPx = 0, 0, 0.5
		return p
	},
}

func shop(r *rand.Rand, paper footprint.Paper) device.Photo {
	return device.Photo{Paper: paper, MMPerPx: 0.5, Turn: 20 * r.NormFloat64(), Tilt: 0.12 * r.Float64(), Roll: 5 * r.NormFloat64(),
		Base: brown, Dark: 0.5, Uneven: 0.4,
		Noise: 4, Mottle: 0.2, Soft: 1.5, Specks: 60, Splashes: 4, Grain: 14}
}

// How good the reader is on feet and photographs of every kind: arch index within
// 0.005 on average and 0.012 at worst when clean, 0.010 and 0.020 on brown paper;
// lengths within 2 mm; left and right never confused.
func TestAccuracy(t *testing.T) {
	for name, photo := range conditions {
		t.Run(name, func(t *testing.T) { t.Parallel(); accuracy(t, name, photo) })
	}
}

func accuracy(t *testing.T, name string, photo func(*rand.Rand) device.Photo) {
	mean, worst, n := 0.0, 0.0, 0
	for seed := range uint64(10) {
		r := rand.New(rand.NewPCG(seed, 11))
		f := randomRoundFoot(r)
		truth := f.Truth()
		p := photo(r)
		opt := footprint.Options{}
		if p.Paper == "" {
			opt.MMPerPx = p.MMPerPx
		}
		got, err := footprint.Read(f.Render(p, r), opt)
		if err != nil {
			t.Errorf("%s, foot %d: %v", name, seed, err)
			continue
		}
		off := math.Abs(got.ArchIndex - truth.ArchIndex)
		mean, worst, n = mean+off, max(worst, off), n+1
		if got.Foot != truth.Foot {
			t.Errorf("%s, foot %d: read as %s, is %s", name, seed, got.Foot, truth.Foot)
		}
		if math.Abs(got.LengthMM-truth.LengthMM) > 2 || math.Abs(got.BallMM-truth.BallMM) > 2 || math.Abs(got.HeelMM-truth.HeelMM) > 2 {
			t.Errorf("%s, foot %d: length %.1f ball %.1f heel %.1f, is %+v", name, seed, got.LengthMM, got.BallMM, got.HeelMM, truth)
		}
		if truth.BrokenArch != slices.Contains(got.Flags, "broken_arch") {
			t.Errorf("%s, foot %d: broken arch %v, flags %v", name, seed, truth.BrokenArch, got.Flags)
		}
	}
	limit, most := 0.005, 0.012
	if p := photo(rand.New(rand.NewPCG(1, 1))); p.Base == brown {
		limit, most = 0.010, 0.020
	}
	t.Logf("%s: arch index off by %.4f on average, %.4f at worst", name, mean/float64(n), worst)
	if mean/float64(n) > limit || worst > most {
		t.Errorf("%s: arch index off by %.4f on average, %.4f at worst", name, mean/float64(n), worst)
	}
}

// Class probabilities are never more confident than they are right: of the readings
// whose class was said with 60 to 90 %, at least that share is right, over prints
// whose arch lies about the limits.
func TestProbabilitiesHold(t *testing.T) {
	t.Parallel()
	said, right, n := 0.0, 0.0, 0.0
	sum := map[term.Arch]float64{}
	for seed := range uint64(240) {
		r := rand.New(rand.NewPCG(seed, 5))
		f := randomRoundFoot(r)
		truth := f.Truth()
		// A foot's own print varies from step to step by the reading's error.
		p := device.Photo{MMPerPx: 1, Noise: 3, Mottle: 0.2, Uneven: 0.2, Soft: 2}
		got, err := footprint.Read(f.Render(p, r), footprint.Options{MMPerPx: p.MMPerPx})
		if err != nil {
			t.Fatalf("foot %d: %v", seed, err)
		}
		actual := term.ArchMedium
		nominal := truth.ArchIndex + 0.010*r.NormFloat64()
		if nominal <= 0.21 {
			actual = term.ArchHigh
		} else if nominal >= 0.26 {
			actual = term.ArchLow
		}
		at := map[term.Arch]float64{term.ArchHigh: got.P[0], term.ArchMedium: got.P[1], term.ArchLow: got.P[2]}
		if s := got.P[0] + got.P[1] + got.P[2]; math.Abs(s-1) > 1e-6 {
			t.Fatalf("chances sum to %g", s)
		}
		for a, v := range at {
			sum[a] += v
			if v > 0.6 && v < 0.9 {
				said, n = said+v, n+1
				if a == actual {
					right++
				}
			}
		}
	}
	if n < 30 {
		t.Fatalf("only %g readings near a limit", n)
	}
	t.Logf("of %g readings said %.0f %% on average, %.0f %% are right", n, 100*said/n, 100*right/n)
	if math.Abs(said/n-right/n) > 0.12 {
		t.Errorf("said %.2f, right %.2f of %g", said/n, right/n, n)
	}
}

func TestClassesPublished(t *testing.T) {
	f := foot(3)
	got := read(t, f.Render(device.Photo{MMPerPx: 0.5}, rng(1)), footprint.Options{MMPerPx: 0.5})
	sd := 0.010 / got.Score
	if want := 0.5 * math.Erfc((got.ArchIndex-0.21)/(sd*math.Sqrt2)); math.Abs(got.P[0]-want) > 1e-4 {
		t.Errorf("P(high) %g, want %g", got.P[0], want)
	}
}

func rng(seed uint64) *rand.Rand { return rand.New(rand.NewPCG(seed, 3)) }

func foot(seed uint64) roundFoot { return randomRoundFoot(rng(seed)) }

func read(t *testing.T, img image.Image, opt footprint.Options) footprint.Reading {
	t.Helper()
	r, err := footprint.Read(img, opt)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// The same print, whatever kind of picture holds it.
func TestKindsOfPicture(t *testing.T) {
	f := foot(4)
	src := f.Render(device.Photo{MMPerPx: 0.5, Noise: 2}, rng(4))
	b := src.Bounds()
	opt := footprint.Options{MMPerPx: 0.5}
	want := read(t, src, opt)
	var jpg bytes.Buffer
	if err := jpeg.Encode(&jpg, src, nil); err != nil {
		t.Fatal(err)
	}
	fromJPEG, err := jpeg.Decode(&jpg)
	if err != nil {
		t.Fatal(err)
	}
	kinds := map[string]draw.Image{"NRGBA": image.NewNRGBA(b), "grey": image.NewGray(b), "16-bit": image.NewRGBA64(b),
		"16-bit grey": image.NewGray16(b), "CMYK": image.NewCMYK(b),
		"shifted": image.NewRGBA(b.Add(image.Pt(-37, 51)))}
	pictures := map[string]image.Image{"JPEG": fromJPEG}
	for name, k := range kinds {
		draw.Draw(k, k.Bounds(), src, b.Min, draw.Src)
		pictures[name] = k
	}
	clear := image.NewNRGBA(b) // print on nothing: what is not there is laid on white
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			v := src.(*image.RGBA).RGBAAt(x, y).R
			clear.SetNRGBA(x, y, color.NRGBA{0, 0, 0, 255 - v})
		}
	}
	pictures["transparent"] = clear
	for name, img := range pictures {
		got := read(t, img, opt)
		if math.Abs(got.ArchIndex-want.ArchIndex) > 0.004 || math.Abs(got.LengthMM-want.LengthMM) > 0.7 || got.Foot != want.Foot {
			t.Errorf("%s: %.4f %.1f mm %s, want %.4f %.1f mm %s", name, got.ArchIndex, got.LengthMM, got.Foot, want.ArchIndex, want.LengthMM,
				want.Foot)
		}
	}
}

// A picture that a camera stored turned reads as it is seen.
func TestOrientation(t *testing.T) {
	f := foot(5)
	src := f.Render(device.Photo{MMPerPx: 0.5}, rng(5)).(*image.RGBA)
	want := read(t, src, footprint.Options{MMPerPx: 0.5})
	w, h := src.Bounds().Dx(), src.Bounds().Dy()
	// stored gives the file's pixel for a seen one.
	stored := map[int]func(x, y int) (int, int){
		1: func(x, y int) (int, int) { return x, y }, 2: func(x, y int) (int, int) { return w - 1 - x, y },
		3: func(x, y int) (int, int) { return w - 1 - x, h - 1 - y }, 4: func(x, y int) (int, int) { return x, h - 1 - y },
		5: func(x, y int) (int, int) { return y, x }, 6: func(x, y int) (int, int) { return y, w - 1 - x },
		7: func(x, y int) (int, int) { return h - 1 - y, w - 1 - x }, 8: func(x, y int) (int, int) { return h - 1 - y, x },
	}
	for o, place := range stored {
		size := image.Rect(0, 0, w, h)
		if o >= 5 {
			size = image.Rect(0, 0, h, w)
		}
		img := image.NewRGBA(size)
		for y := range h {
			for x := range w {
				sx, sy := place(x, y)
				img.SetRGBA(sx, sy, src.RGBAAt(x, y))
			}
		}
		got := read(t, img, footprint.Options{MMPerPx: 0.5, Orientation: o})
		if got.Foot != want.Foot || math.Abs(got.ArchIndex-want.ArchIndex) > 0.002 || got.Width != w ||
			math.Hypot(got.Axis.Heel.X-want.Axis.Heel.X, got.Axis.Heel.Y-want.Axis.Heel.Y) > 3 {
			t.Errorf("orientation %d: %s %.4f heel %v, want %s %.4f heel %v", o, got.Foot, got.ArchIndex, got.Axis.Heel, want.Foot, want.ArchIndex,
				want.Axis.Heel)
		}
	}
}

// Every paper is told from the marks, and by corners the lengths are the same.
func TestPapersAndCorners(t *testing.T) {
	f := foot(6)
	truth := f.Truth()
	for _, paper := range footprint.Papers {
		img := f.Render(device.Photo{Paper: paper, MMPerPx: 0.4, Tilt: 0.06, Roll: 4}, rng(6))
		got := read(t, img, footprint.Options{})
		if got.Scale.Source != "sheet" || got.Scale.Paper != paper || math.Abs(got.LengthMM-truth.LengthMM) > 1.5 {
			t.Errorf("%s: read as %+v, %.1f mm, is %.1f", paper, got.Scale, got.LengthMM, truth.LengthMM)
		}
	}
	plain := f.Render(device.Photo{MMPerPx: 0.5}, rng(6))
	b := plain.Bounds()
	w, h := footprint.A4.Size()
	// The picture as if it were an A4: lengths scale with it.
	corners := [4]footprint.Point{{X: 0, Y: 0}, {X: float64(b.Dx()), Y: 0}, {X: float64(b.Dx()), Y: float64(b.Dy())},
		{X: 0, Y: float64(b.Dy())}}
	got := read(t, plain, footprint.Options{Corners: &corners, Paper: footprint.A4})
	if want := truth.LengthMM / 0.5 * h / float64(b.Dy()); math.Abs(got.LengthMM-want) > 4 || got.Scale.Source != "corners" {
		t.Errorf("by corners %.1f mm, want %.1f (paper %g wide)", got.LengthMM, want, w)
	}
	crossed := [4]footprint.Point{corners[0], corners[2], corners[1], corners[3]}
	if _, err := footprint.Read(plain, footprint.Options{Corners: &crossed, Paper: footprint.A4}); err == nil {
		t.Error("crossed corners are taken")
	}
}

func TestPutRightByHand(t *testing.T) {
	f := foot(7)
	img := f.Render(device.Photo{MMPerPx: 0.5}, rng(7))
	opt := footprint.Options{MMPerPx: 0.5}
	base := read(t, img, opt)

	same := opt
	same.Axis = &base.Axis
	if got := read(t, img, same); math.Abs(got.ArchIndex-base.ArchIndex) > 1e-4 {
		t.Errorf("the axis as it was read gives %.4f, was %.4f", got.ArchIndex, base.ArchIndex)
	}
	if got := read(t, img, footprint.Options{MMPerPx: 0.5, Level: 0.8}); got.BallMM >= base.BallMM {
		t.Errorf("a higher cut leaves %.1f mm of ball, was %.1f", got.BallMM, base.BallMM)
	}
	// Erasing the middle leaves heel and ball apart.
	mid := footprint.Point{X: (base.Thirds[1][0].X + base.Thirds[2][1].X) / 2, Y: (base.Thirds[1][0].Y + base.Thirds[2][1].Y) / 2}
	a, c := base.Thirds[1][0], base.Thirds[1][1]
	cut := footprint.Stroke{Points: []footprint.Point{{X: a.X, Y: mid.Y}, {X: c.X, Y: mid.Y}}, Radius: 20, Erase: true}
	if got := read(t, img, footprint.Options{MMPerPx: 0.5, Strokes: []footprint.Stroke{cut}}); got.ArchIndex >= base.ArchIndex ||
		!slices.Contains(got.Flags, "broken_arch") {
		t.Errorf("erased, yet %.3f (was %.3f) %v", got.ArchIndex, base.ArchIndex, got.Flags)
	}
	// A toe line further back makes the body shorter.
	line := base.ToeLine
	shift := func(p footprint.Point) footprint.Point {
		dx, dy := base.Axis.Heel.X-base.Axis.Toe.X, base.Axis.Heel.Y-base.Axis.Toe.Y
		n := math.Hypot(dx, dy)
		return footprint.Point{X: p.X + 20*dx/n, Y: p.Y + 20*dy/n}
	}
	line = [2]footprint.Point{shift(line[0]), shift(line[1])}
	if got := read(t, img, footprint.Options{MMPerPx: 0.5, ToeLine: &line}); math.Abs(got.NoToesMM-(base.NoToesMM-10)) > 1.5 {
		t.Errorf("the toe line 10 mm back leaves %.1f mm, was %.1f", got.NoToesMM, base.NoToesMM)
	}
	other := term.Left
	if base.Foot == term.Left {
		other = term.Right
	}
	if got := read(t, img, footprint.Options{MMPerPx: 0.5, Foot: other}); got.Foot != other ||
		!slices.ContainsFunc(got.Warnings, func(w fault.Warning) bool { return w.Code == "side_differs" }) {
		t.Errorf("given as the other foot: %s %v", got.Foot, got.Warnings)
	}
}

// What is no print of a foot is refused, or flagged so that nothing is sure.
func TestNoPrint(t *testing.T) {
	f := foot(8)
	blank := f.Render(device.Photo{MMPerPx: 0.5, Empty: true, Noise: 3, Uneven: 0.4, Base: brown, Grain: 12}, rng(8))
	specks := f.Render(device.Photo{MMPerPx: 0.5, Empty: true, Noise: 3, Specks: 300, Splashes: 20}, rng(9))
	for name, img := range map[string]image.Image{"blank paper": blank, "specks alone": specks, "a hand": shapes(hand),
		"a stripe": shapes(stripe), "a disc": shapes(disc), "one colour": image.NewGray(image.Rect(0, 0, 300, 400)),
		"noise": noise(), "tiny": image.NewGray(image.Rect(0, 0, 20, 30)), "a checkerboard": checkers()} {
		if got, err := footprint.Read(img, footprint.Options{MMPerPx: 0.5}); err == nil {
			t.Errorf("%s is read as a %s arch with %v (score %.2f, %v)", name, got.Arch, got.P, got.Score, got.Flags)
		} else if _, ok := fault.As(err); !ok {
			t.Errorf("%s: %v is no fault", name, err)
		}
	}
	for name, c := range map[string]struct {
		img  image.Image
		flag string
	}{
		"over the edge": {f.Render(device.Photo{MMPerPx: 0.5, Cut: 25}, rng(10)), "cut_off"},
		"a shoe sole":   {shapes(soleShape), "no_toes"},
		"faint":         {f.Render(device.Photo{MMPerPx: 0.5, Dark: 0.975, Noise: 6}, rng(11)), "low_contrast"},
		"out of focus":  {f.Render(device.Photo{MMPerPx: 0.5, Soft: 14}, rng(12)), "blurred"},
		"two feet":      {twoFeet(f), "two_prints"},
	} {
		got, err := footprint.Read(c.img, footprint.Options{MMPerPx: 0.5})
		if err == nil && (!slices.Contains(got.Flags, c.flag) || got.Score > 0.8) {
			t.Errorf("%s: flags %v, score %.2f, want %s", name, got.Flags, got.Score, c.flag)
		}
	}
	noScale := read(t, f.Render(device.Photo{MMPerPx: 0.5}, rng(8)), footprint.Options{})
	if a := noScale.Answer(); a.LengthMM != nil || a.Areas != nil || a.Scale.MMPerPx != nil ||
		!slices.Contains(a.Quality.Flags, "no_scale") || a.ArchIndex == 0 {
		t.Errorf("without a scale: %+v", a)
	}
}

// shapes draws black ellipses on white, each x, y, a, b in pixels and a turn.
func shapes(list [][5]float64) image.Image {
	img := image.NewGray(image.Rect(0, 0, 420, 640))
	for y := range 640 {
		for x := range 420 {
			v := uint8(245)
			for _, e := range list {
				s, c := math.Sincos(e[4])
				dx, dy := float64(x)-e[0], float64(y)-e[1]
				if u, w := (dx*c+dy*s)/e[2], (-dx*s+dy*c)/e[3]; u*u+w*w < 1 {
					v = 60
				}
			}
			img.SetGray(x, y, color.Gray{v})
		}
	}
	return img
}

var (
	hand = [][5]float64{{210, 430, 85, 95, 0}, {115, 370, 22, 90, -0.7}, {150, 250, 20, 100, -0.15}, {200, 225, 21, 110, 0},
		{250, 235, 20, 105, 0.1}, {295, 270, 17, 85, 0.25}}
	stripe    = [][5]float64{{210, 320, 18, 280, 0}}
	disc      = [][5]float64{{210, 320, 150, 150, 0}}
	soleShape = [][5]float64{{215, 180, 95, 150, 0}, {205, 330, 62, 200, 0.03}, {200, 480, 70, 110, 0}}
)

func noise() image.Image {
	r := rng(1)
	img := image.NewGray(image.Rect(0, 0, 400, 600))
	for i := range img.Pix {
		img.Pix[i] = uint8(r.IntN(256))
	}
	return img
}

func checkers() image.Image {
	img := image.NewGray(image.Rect(0, 0, 400, 600))
	for y := range 600 {
		for x := range 400 {
			if (x/25+y/25)%2 == 0 {
				img.SetGray(x, y, color.Gray{255})
			}
		}
	}
	return img
}

func twoFeet(f roundFoot) image.Image {
	one := f.Render(device.Photo{MMPerPx: 0.5}, rng(13))
	b := one.Bounds()
	img := image.NewRGBA(image.Rect(0, 0, 2*b.Dx(), b.Dy()))
	draw.Draw(img, b, one, b.Min, draw.Src)
	draw.Draw(img, b.Add(image.Pt(b.Dx(), 0)), one, b.Min, draw.Src)
	return img
}

// Whatever the pixels: an answer that is whole, or a fault. Never a panic.
func FuzzPixels(f *testing.F) {
	f.Add([]byte{0, 255, 10, 200, 90}, uint8(40), false)
	f.Add([]byte{255, 255, 0}, uint8(60), true)
	f.Fuzz(func(t *testing.T, data []byte, w uint8, sheet bool) {
		if len(data) == 0 {
			return
		}
		img := image.NewGray(image.Rect(0, 0, 40+int(w), 90))
		for i := range img.Pix {
			img.Pix[i] = data[(i/7)%len(data)]
		}
		opt := footprint.Options{MMPerPx: 3}
		if sheet {
			opt = footprint.Options{}
		}
		r, err := footprint.Read(img, opt)
		if err != nil {
			if _, ok := fault.As(err); !ok {
				t.Fatal(err)
			}
			return
		}
		if !(r.ArchIndex >= 0 && r.ArchIndex <= 1) || r.Score < 0.3 || r.Score > 1 || math.Abs(r.P[0]+r.P[1]+r.P[2]-1) > 1e-6 {
			t.Fatalf("%+v", r)
		}
	})
}

// Without toes the arch index still holds nearly; the length is not given, and the
// reading says so.
func TestWithoutToes(t *testing.T) {
	for seed := range uint64(10) {
		f := foot(100 + seed)
		truth := f.Truth()
		f.Toes = false
		got := read(t, f.Render(device.Photo{MMPerPx: 0.5, Turn: 40 * float64(seed)}, rng(seed)), footprint.Options{MMPerPx: 0.5})
		if a := got.Answer(); a.LengthMM != nil || a.NoToesMM == nil || !slices.Contains(got.Flags, "no_toes") || got.Score > 0.7 {
			t.Errorf("foot %d: %v %v, score %.2f", seed, got.LengthMM, got.Flags, got.Score)
		}
		if off := math.Abs(got.ArchIndex - truth.ArchIndex); off > 0.02 {
			t.Errorf("foot %d: arch index %.3f, is %.3f", seed, got.ArchIndex, truth.ArchIndex)
		}
		if got.Foot != truth.Foot && !slices.ContainsFunc(got.Warnings, func(w fault.Warning) bool { return w.Code == "side_unsure" }) {
			t.Errorf("foot %d: read as %s without a word, is %s", seed, got.Foot, truth.Foot)
		}
	}
}
