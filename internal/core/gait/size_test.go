package gait

import (
	"image"
	"math"
	"math/rand/v2"
	"testing"

	"trevik/internal/core/term"
)

// bent is a leg of a shank of 200 px, as it is taken for, whose rows sway as one of another shank does.
func bent(shank, noise float64, r *rand.Rand) *oneLeg {
	s := &swaying{}
	for up := 2.0; up < 215; up += bendRows {
		s.up, s.x = append(s.up, up), append(s.x, nil)
	}
	for range 30 {
		ankle, knee, hip := 3*r.NormFloat64(), 4*r.NormFloat64(), 6*r.NormFloat64()
		for i, up := range s.up {
			x := ankle * up / (bendsAnkle * shank) // the sole stands
			switch {
			case up > bendsKnee*shank:
				x = knee + (hip-knee)*(up/shank-bendsKnee)/(bendsTop-bendsKnee)
			case up > bendsAnkle*shank:
				x = ankle + (knee-ankle)*(up/shank-bendsAnkle)/(bendsKnee-bendsAnkle)
			}
			x += noise * r.NormFloat64()
			if r.IntN(12) == 0 { // what passes behind it
				x = bendReach * (2*r.Float64() - 1)
			}
			s.x[i] = append(s.x[i], x)
		}
	}
	return &oneLeg{shank: 200, swaying: s}
}

func TestSizeOfLegs(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 1))
	for _, shank := range []float64{95, 110, 140, 200, 240} {
		for _, noise := range []float64{0.1, 0.4} {
			legs := map[term.Side]*oneLeg{term.Left: bent(shank, noise, r), term.Right: bent(shank, noise, r)}
			if got := 200 * sizeOf(legs); math.Abs(math.Log(got/shank)) > 0.1 {
				t.Errorf("a shank of %.0f px with %.1f px of noise is taken for %.0f", shank, noise, got)
			}
		}
	}
}

// Where nothing tells a size, it is the usual one.
func TestSizeOfStillLegs(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 2))
	still := bent(100, 0, r)
	for _, row := range still.swaying.x {
		for k := range row {
			row[k] = 0.3 * r.NormFloat64()
		}
	}
	unseen := bent(100, 0, r)
	for _, row := range unseen.swaying.x {
		for k := range row {
			row[k] = math.NaN()
		}
	}
	for name, l := range map[string]*oneLeg{"still": still, "unseen": unseen, "without rows": {shank: 200, swaying: &swaying{}},
		"not looked at": {shank: 200}} {
		if large := sizeOf(map[term.Side]*oneLeg{term.Left: l}); large < plainSmaller || large > plainLarger {
			t.Errorf("a leg that is %s is %.2f times as large", name, large)
		}
	}
	if large := sizeOf(nil); large != 1 {
		t.Errorf("no legs are %.2f times as large", large)
	}
}

// A part of a film is what the whole is there, and its places go back to the film's own.
func TestView(t *testing.T) {
	img := image.NewGray(image.Rect(0, 0, 160, 120))
	r := rand.New(rand.NewPCG(7, 3))
	for k := range img.Pix {
		img.Pix[k] = uint8(r.IntN(256))
	}
	film := still{img}
	for _, by := range []float64{0.6, 1, 2.3} {
		all := view{by, image.Rectangle{Max: scaledSize(image.Pt(160, 120), by)}}
		part := view{by, image.Rect(20, 11, all.part.Max.X-9, all.part.Max.Y-5)}
		var got [2]*image.Gray
		for k, v := range []view{all, part} {
			f, err := scaled(film, image.Pt(160, 120), v, 0).Frame(0)
			if err != nil {
				t.Fatal(err)
			}
			got[k] = f.(*image.Gray)
		}
		if size := got[1].Rect.Size(); size != part.part.Size() {
			t.Fatalf("at %g: %v, not %v", by, size, part.part.Size())
		}
		for y := range got[1].Rect.Dy() {
			for x := range got[1].Rect.Dx() {
				if got[1].GrayAt(x, y) != got[0].GrayAt(x+20, y+11) {
					t.Fatalf("at %g the part differs at %d, %d", by, x, y)
				}
			}
		}
		at := Point{70.25, 50.5}
		if back := part.out(part.in(at)); back.distance(at) > 1e-9 {
			t.Errorf("at %g: %v goes to %v", by, at, back)
		}
	}
}

type still struct{ image.Image }

func (s still) Len() int                       { return 1 }
func (s still) Frame(int) (image.Image, error) { return s.Image, nil }
