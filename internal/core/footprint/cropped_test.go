package footprint

import (
	"math"
	"testing"
)

// Pieces that a picture has far from the print are left out of what is looked at, and the others keep their labels.
func TestPiecesFarFromThePrint(t *testing.T) {
	t.Parallel()
	const unit = 0.5
	m := newMask(1200, 900)
	disc := func(x, y, r float64, on bool) {
		for i := range m.on {
			if math.Hypot(float64(i%m.w)-x, float64(i/m.w)-y) < r {
				m.on[i] = on
			}
		}
	}
	for k := range 20 { // rows of drops far to the right, labelled before most of the print
		disc(1000, 40+40*float64(k), 6, true)
	}
	for y := 200; y < 640; y++ { // the print, wider in front
		half := 62 - 22*math.Sin(math.Pi*float64(y-200)/440) + 16*float64(640-y)/440
		for x := 300 - int(half); x < 300+int(half); x++ {
			m.on[y*m.w+x] = true
		}
	}
	for _, at := range [][2]float64{{300, 330}, {280, 430}, {310, 540}} { // patches that stayed dry
		disc(at[0], at[1], 9, false)
	}
	disc(366, 420, 10, true) // a patch parted it from the rest
	f, err := findFoot(m, unit, true, false)
	if err != nil {
		t.Fatal(err)
	}
	if !f.patchy {
		t.Error("the dry patches were not noticed")
	}
	if !f.body.get(366-f.x0, 420-f.y0) {
		t.Error("what lies beside the arch was not joined to it")
	}
	if f.body.get(1000-f.x0, 40-f.y0) {
		t.Error("a drop far away was")
	}
}

// The border of a paper is found wherever it lies, and nothing else is taken for one.
func TestPaperIn(t *testing.T) {
	t.Parallel()
	draw := func(in func(x, y float64) float64) channels {
		var c channels
		for i := range c {
			c[i] = newRaster(640, 480)
			for k := range c[i].v {
				x, y := float64(k%640), float64(k/640)
				c[i].v[k] = float32(in(x, y) + 3*math.Sin(12.9898*x+78.233*y))
			}
		}
		return c
	}
	paper := []halfPlane{{Point{-0.995, -0.0998}, -60}, {Point{0.995, 0.0998}, 590}, {Point{0.1, -0.995}, -30}}
	laid := draw(func(x, y float64) float64 {
		for _, l := range paper {
			if l.past(Point{x, y}) > 0 {
				return 90
			}
		}
		return 210
	})
	got := paperIn(laid)
	if len(got) != len(paper) {
		t.Fatalf("%d borders: %v", len(got), got)
	}
	for _, want := range paper {
		near := math.Inf(1)
		for _, g := range got {
			if g.n.X*want.n.X+g.n.Y*want.n.Y > 0.999 {
				near = math.Abs(want.past(Point{320, 240}) - g.past(Point{320, 240}))
			}
		}
		if near > 14 { // px, with what it is held inside
			t.Errorf("%v is %.0f px off", want, near)
		}
	}
	for name, in := range map[string]func(x, y float64) float64{
		"plain paper": func(_, _ float64) float64 { return 210 },
		"a line":      func(x, y float64) float64 { return map[bool]float64{true: 90, false: 210}[math.Abs(x-200) < 3] },
		"a shadow":    func(x, y float64) float64 { return 130 + 80/(1+math.Exp((x-300)/40)) },
		"a print": func(x, y float64) float64 {
			return map[bool]float64{true: 90, false: 210}[math.Hypot((x-320)/60, (y-240)/150) < 1]
		},
	} {
		if got := paperIn(draw(in)); len(got) > 0 {
			t.Errorf("%s has borders: %v", name, got)
		}
	}
}
