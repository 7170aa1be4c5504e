package footprint

import (
	"math"
	"math/rand/v2"
	"testing"

	"trevik/internal/core/fault"
)

// drawn is a print without toes, half a millimetre a pixel, the ball to the picture's top, with discs on or off it.
func drawn(discs ...[4]float64) *mask { // x, y, radius, 1 for on
	m := newMask(1200, 900)
	for y := 200; y < 640; y++ {
		half := 62 - 22*math.Sin(math.Pi*float64(y-200)/440) + 16*float64(640-y)/440
		for x := 300 - int(half); x < 300+int(half); x++ {
			m.on[y*m.w+x] = true
		}
	}
	for _, d := range discs {
		for y := int(d[1] - d[2]); y <= int(d[1]+d[2]); y++ {
			for x := int(d[0] - d[2]); x <= int(d[0]+d[2]); x++ {
				if math.Hypot(float64(x)-d[0], float64(y)-d[1]) < d[2] {
					m.on[y*m.w+x] = d[3] > 0
				}
			}
		}
	}
	return m
}

// Pieces that a picture has far from the print are left out of what is looked at, and the others keep their labels.
func TestPiecesFarFromThePrint(t *testing.T) {
	t.Parallel()
	discs := [][4]float64{{300, 330, 9, 0}, {280, 430, 9, 0}, {310, 540, 9, 0}, // patches that stayed dry
		{366, 420, 10, 1}} // one parted this from the rest
	for k := range 20 { // drops far to the right, labelled before most of the print
		discs = append(discs, [4]float64{1000, 40 + 40*float64(k), 6, 1})
	}
	f, err := findFoot(drawn(discs...), 0.5, true, false)
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

// A drop ahead of the toes is none of them.
func TestDropAheadOfToes(t *testing.T) {
	t.Parallel()
	toes := [][4]float64{{250, 174, 18, 1}, {290, 168, 14, 1}, {322, 174, 13, 1}, {350, 178, 13, 1}}
	for _, discs := range [][][4]float64{toes, append(toes, [4]float64{300, 110, 9, 1})} {
		f, err := findFoot(drawn(discs...), 0.5, true, false)
		if err != nil {
			t.Fatal(err)
		}
		if len(f.toes) != len(toes) {
			t.Errorf("with %d discs: %d toes", len(discs), len(f.toes))
		}
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

// Whatever drops, patches and toes a print has: a foot, or words.
func FuzzDrops(f *testing.F) {
	for seed := range uint64(8) {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, seed uint64) {
		r := rand.New(rand.NewPCG(seed, 9))
		discs := make([][4]float64, r.IntN(60))
		for i := range discs {
			discs[i] = [4]float64{50 + 1100*r.Float64(), 50 + 800*r.Float64(), 2 + 30*r.Float64()*r.Float64(), float64(r.IntN(2))}
			if r.IntN(3) > 0 { // about the print
				discs[i][0], discs[i][1] = 200+200*r.Float64(), 120+560*r.Float64()
			}
		}
		got, err := findFoot(drawn(discs...), 0.5, r.IntN(2) == 0, r.IntN(4) == 0)
		if _, words := fault.As(err); err != nil && !words {
			t.Fatal(err)
		}
		if err == nil && got.area() == 0 {
			t.Error("a foot without a body")
		}
	})
}
