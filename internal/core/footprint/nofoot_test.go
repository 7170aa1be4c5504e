package footprint_test

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"testing"

	"trevik/internal/core/footprint"
)

// blob draws what is inside a function, mm.
func blob(w, h int, mm float64, in func(x, y float64) bool) image.Image {
	img := image.NewGray(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			v := uint8(238)
			if in(float64(x)*mm, float64(y)*mm) {
				v = 90
			}
			img.SetGray(x, y, color.Gray{v})
		}
	}
	return img
}

// Puddles, the soles of shoes and hands are no prints of feet.
func TestWhatIsNoFoot(t *testing.T) {
	t.Parallel()
	for seed := range 6 {
		r := rand.New(rand.NewPCG(uint64(60+seed), 8))
		// A puddle.
		a := [6]float64{}
		for i := range a {
			a[i] = 0.35 * r.NormFloat64() / float64(i+1)
		}
		sx, sy := 40+50*r.Float64(), 60+50*r.Float64()
		puddle := blob(500, 700, 0.5, func(x, y float64) bool {
			dx, dy := (x-125)/sx, (y-175)/sy
			th := math.Atan2(dy, dx)
			rr := 1.0
			for i := range a {
				rr += a[i] * math.Sin(float64(i+1)*th+float64(i)*1.7)
			}
			return math.Hypot(dx, dy) < rr
		})
		// The sole of a shoe: a long outline with bars across
		L, B := 250+40*r.Float64(), 95+15*r.Float64()
		gap, bar := 2+3*r.Float64(), 6+8*r.Float64()
		shape := func(x, y float64) bool {
			t := (y - 30) / L
			if t < 0 || t > 1 {
				return false
			}
			w := B * (0.36 + 0.14*math.Sin(math.Pi*(t*1.1-0.1)) - 0.08*math.Exp(-math.Pow((t-0.58)/0.14, 2)))
			if t < 0.12 {
				w *= math.Sqrt(1 - math.Pow(1-t/0.12, 2))
			}
			if t > 0.9 {
				w *= math.Sqrt(1 - math.Pow((t-0.9)/0.1, 2))
			}
			return math.Abs(x-125) < w
		}
		sole := blob(500, 700, 0.5, func(x, y float64) bool {
			return shape(x, y) && math.Mod(y, bar+gap) < bar && (math.Abs(x-125) > gap/2 || seed%2 == 0)
		})
		full := blob(500, 700, 0.5, shape)
		// A hand: a palm and five fingers
		pw := 38 + 8*r.Float64()
		hand := blob(500, 700, 0.5, func(x, y float64) bool {
			dx, dy := x-125, y-190
			if math.Abs(dx) < pw && math.Abs(dy) < 45 {
				return true
			}
			for i := range 4 {
				fx := -pw + pw/4 + float64(i)*pw/2
				if math.Abs(dx-fx) < pw/5 && dy < -40 && dy > -120-15*math.Sin(float64(i)) {
					return true
				}
			}
			// The thumb.
			u, v := dx*0.6-dy*0.8, dx*0.8+dy*0.6
			return math.Abs(v+pw-10) < 10 && u > -40 && u < 60 && dx < 0
		})
		for name, img := range map[string]image.Image{"puddle": puddle, "sole": sole, "full": full, "hand": hand} {
			if got, err := footprint.Read(img, footprint.Options{MMPerPx: 0.5}); err == nil {
				t.Errorf("%s %d is read: arch index %.3f, score %.2f, %v, %d toes", name, seed, got.ArchIndex, got.Score, got.Flags, len(got.Toes))
			}
		}
	}
}
