package footprint_test

import (
	"image"
	"image/color"
	"image/draw"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/footprint"
	"trevik/internal/core/term"
	"trevik/internal/device"
)

// Feet that were traced on the sheet and photographed as shops do: lengths and widths within 1.5 mm on average
// and 3 mm at worst, left and right told, none refused.
func TestTracedFeet(t *testing.T) {
	t.Parallel()
	mean, worst, n, within, shapes := 0.0, 0.0, 0, 0, 0
	for seed := range uint64(tracedFeet) {
		r := rand.New(rand.NewPCG(7000+seed, 41))
		by, photo := device.RandomTracing(r)
		f := device.RandomTraced(r, by)
		truth := f.Truth()
		got, err := footprint.ReadOutline(f.Render(photo, r), footprint.OutlineOptions{})
		if err != nil {
			t.Errorf("foot %d: %v (%+v %+v)", seed, err, by, photo)
			continue
		}
		if got.Foot != truth.Foot {
			t.Errorf("foot %d: read as %s, is %s", seed, got.Foot, truth.Foot)
		}
		if got.ToeShape == truth.ToeShape {
			shapes++
		}
		for name, x := range map[string][2]float64{"length": {got.LengthMM, truth.LengthMM}, "ball": {got.BallMM, truth.BallMM},
			"heel": {got.HeelMM, truth.HeelMM}} {
			off := math.Abs(x[0] - x[1])
			mean, worst, n = mean+off, max(worst, off), n+1
			if off <= 2*footprint.OutlineSD(got.Score) {
				within++
			}
			if off > 3 {
				t.Errorf("foot %d: %s %.1f, is %.1f, score %.2f %v (%+v %+v)", seed, name, x[0], x[1], got.Score, got.Flags, by, photo)
			}
		}
		if by.Open > 6 && !slices.Contains(got.Flags, "open_line") {
			t.Errorf("foot %d: %.0f mm are open, flags %v", seed, by.Open, got.Flags)
		}
	}
	t.Logf("%d measures: off by %.2f mm on average, %.2f at worst; %.0f %% within two standard deviations; %d of %d toe shapes", n,
		mean/float64(n), worst, 100*float64(within)/float64(n), shapes, n/3)
	if mean/float64(n) > 1.5 || float64(within) < 0.95*float64(n) {
		t.Errorf("off by %.2f mm on average, %d of %d within two standard deviations", mean/float64(n), within, n)
	}
}

const tracedFeet = 24

// What holds no traced foot is refused in words.
func TestTracedRefused(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(3, 3))
	by, photo := device.RandomTracing(r)
	photo.Tilt, photo.Roll, photo.Hand = 0.1, 3, 0
	f := device.RandomTraced(r, by)
	sheet := photo
	sheet.Empty = true
	solid := device.RandomNatural(r, device.ToesClear)
	dark := device.Photo{Paper: footprint.A3, MMPerPx: 0.4, Dark: 0.3}
	bare := photo
	bare.Paper, bare.Tilt, bare.Roll = "", 0, 0
	long := by
	long.Open, long.Over = 60, 0
	for name, c := range map[string]struct {
		img  image.Image
		says string
	}{
		"no sheet":          {f.Render(bare, r), "has no scale"},
		"no line":           {f.Render(sheet, r), "holds no foot that was traced"},
		"a print":           {solid.Render(dark, r), "a line is wanted"},
		"far from closed":   {device.RandomTraced(r, long).Render(photo, r), "no closed line"},
		"nothing":           {image.NewRGBA(image.Rect(0, 0, 0, 0)), "pixels"},
		"one pixel":         {image.NewRGBA(image.Rect(0, 0, 1, 1)), "pixels"},
		"a sheet and two":   {two(f.Render(photo, r), device.RandomTraced(r, by).Render(photo, r)), "photo"},
		"grey all over":     {image.NewUniform(color.Gray{90}), ""},
		"half of a picture": {half(f.Render(photo, r)), "has no scale"},
	} {
		if name == "grey all over" {
			g := image.NewGray(image.Rect(0, 0, 300, 400))
			draw.Draw(g, g.Rect, c.img, image.Point{}, draw.Src)
			c.img = g
		}
		_, err := footprint.ReadOutline(c.img, footprint.OutlineOptions{})
		if err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", name, err)
		}
	}
	bad := -1.0
	if _, err := footprint.ReadOutline(f.Render(photo, r), footprint.OutlineOptions{Foot: "both", PenMM: &bad}); err == nil ||
		!strings.Contains(err.Error(), "pen_mm") || !strings.Contains(err.Error(), "foot") {
		t.Errorf("%v", err)
	}
}

// two lays a second sheet's drawing beside the first on the same paper.
func two(a, b image.Image) image.Image {
	out := image.NewRGBA(a.Bounds())
	draw.Draw(out, out.Rect, a, a.Bounds().Min, draw.Src)
	shift := a.Bounds().Dx() / 3
	for y := range out.Rect.Dy() {
		for x := out.Rect.Dx() - 1; x >= 0; x-- {
			q := out.RGBAAt(x, y)
			if x >= shift && x-shift < b.Bounds().Dx() && y < b.Bounds().Dy() {
				r, g, bl, _ := b.At(x-shift, y).RGBA()
				q.R, q.G, q.B = min(q.R, uint8(r>>8)), min(q.G, uint8(g>>8)), min(q.B, uint8(bl>>8))
			}
			out.SetRGBA(x, y, q)
		}
	}
	return out
}

func half(a image.Image) image.Image {
	out := image.NewRGBA(image.Rect(0, 0, a.Bounds().Dx(), a.Bounds().Dy()/2))
	draw.Draw(out, out.Rect, a, a.Bounds().Min, draw.Src)
	return out
}

// What was put right by hand is measured: the line, the axis, the pen; the given foot stands.
func TestTracedByHand(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(5, 5))
	by, photo := device.RandomTracing(r)
	img := device.RandomTraced(r, by).Render(photo, r)
	first, err := footprint.ReadOutline(img, footprint.OutlineOptions{})
	if err != nil {
		t.Fatal(err)
	}
	again, err := footprint.ReadOutline(img, footprint.OutlineOptions{Through: []footprint.Point{first.Line[0], first.Line[len(first.Line)/2]},
		Axis: &first.Axis})
	if err != nil || math.Abs(again.LengthMM-first.LengthMM) > 0.3 || math.Abs(again.BallMM-first.BallMM) > 0.3 {
		t.Errorf("the same line: %.2f and %.2f, was %.2f and %.2f (%v)", again.LengthMM, again.BallMM, first.LengthMM, first.BallMM, err)
	}
	thick := 11.0
	thin, err := footprint.ReadOutline(img, footprint.OutlineOptions{PenMM: &thick})
	if d := first.LengthMM - thin.LengthMM; err != nil || math.Abs(d-4) > 0.4 {
		t.Errorf("a pen thicker by 4 mm takes %.2f mm (%v)", d, err)
	}
	other := term.Left
	if first.Foot == term.Left {
		other = term.Right
	}
	given, err := footprint.ReadOutline(img, footprint.OutlineOptions{Foot: other})
	if err != nil || given.Foot != other || len(given.Warnings) == 0 {
		t.Errorf("given as the other foot: %+v %v", given.Foot, err)
	}
}

// A line that was missing over a long way, or that a stray stroke leads astray, is read where a hand says that it goes.
func TestTracedLineByHand(t *testing.T) {
	t.Parallel()
	for seed := range uint64(4) {
		r := rand.New(rand.NewPCG(70+seed, 5))
		by, photo := device.RandomTracing(r)
		whole := device.RandomTraced(r, by).Render(photo, r)
		first, err := footprint.ReadOutline(whole, footprint.OutlineOptions{})
		if err != nil {
			t.Fatal(err)
		}
		// The paper's own look is laid over a part of the line: a disc of it from beside the line.
		at := first.Line[len(first.Line)/3]
		var middle footprint.Point
		for _, p := range first.Line {
			middle.X, middle.Y = middle.X+p.X/float64(len(first.Line)), middle.Y+p.Y/float64(len(first.Line))
		}
		bare := image.NewRGBA(whole.Bounds())
		draw.Draw(bare, bare.Rect, whole, whole.Bounds().Min, draw.Src)
		const reachMM = 18.0
		reach := reachMM / first.Scale.MMPerPx
		for y := range bare.Rect.Dy() {
			for x := range bare.Rect.Dx() {
				if math.Hypot(float64(x)-at.X, float64(y)-at.Y) < reach {
					bare.Set(x, y, whole.At(int(middle.X)+x%9, int(middle.Y)+y%9))
				}
			}
		}
		if _, err := footprint.ReadOutline(bare, footprint.OutlineOptions{}); err == nil {
			t.Errorf("seed %d: a line with a gap of %.0f mm was read", seed, 2*reachMM)
		}
		var byHand []footprint.Point
		for i, p := range first.Line {
			if i%12 == 0 && math.Hypot(p.X-at.X, p.Y-at.Y) < 1.3*reach {
				byHand = append(byHand, p)
			}
		}
		got, err := footprint.ReadOutline(bare, footprint.OutlineOptions{Through: byHand, Axis: &first.Axis, Foot: first.Foot})
		if err != nil {
			t.Errorf("seed %d: with %d places by hand: %v", seed, len(byHand), err)
			continue
		}
		if math.Abs(got.LengthMM-first.LengthMM) > 1.5 || math.Abs(got.BallMM-first.BallMM) > 1.5 {
			t.Errorf("seed %d: %.1f and %.1f mm, was %.1f and %.1f", seed, got.LengthMM, got.BallMM, first.LengthMM, first.BallMM)
		}
		for _, p := range byHand {
			near := math.Inf(1)
			for _, q := range got.Line {
				near = min(near, math.Hypot(p.X-q.X, p.Y-q.Y))
			}
			if near*first.Scale.MMPerPx > 1 {
				t.Errorf("seed %d: the line passes a place by hand at %.1f mm", seed, near*first.Scale.MMPerPx)
			}
		}
	}
}

// Whatever a picture holds, an outline is read within its limits or refused in words.
func FuzzOutline(f *testing.F) {
	f.Add([]byte{0, 255, 10, 200, 90}, uint8(40), uint8(3))
	f.Add([]byte{255, 255, 255, 255, 255, 20}, uint8(120), uint8(1))
	f.Fuzz(func(t *testing.T, data []byte, w, by uint8) {
		if len(data) == 0 {
			return
		}
		img := image.NewGray(image.Rect(0, 0, 40+int(w), 120))
		for i := range img.Pix {
			img.Pix[i] = data[(i/(1+int(by)))%len(data)]
		}
		for _, opt := range []footprint.OutlineOptions{{MMPerPx: 1.5}, {}, {MMPerPx: 2, Through: line(data)}} {
			r, err := footprint.ReadOutline(img, opt)
			if err != nil {
				if _, ok := fault.As(err); !ok {
					t.Fatal(err)
				}
				continue
			}
			if !(r.LengthMM >= 140 && r.LengthMM <= 360) || !(r.BallMM > 0 && r.HeelMM > 0) || r.Score < 0.3 || r.Score > 1 {
				t.Fatalf("%+v", r)
			}
		}
	})
}

// line is a line through places that the data name.
func line(data []byte) []footprint.Point {
	var out []footprint.Point
	for i := range 40 {
		out = append(out, footprint.Point{X: float64(data[i%len(data)]), Y: float64(data[(i+7)%len(data)])})
	}
	return out
}
