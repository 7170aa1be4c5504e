package footprint_test

import (
	"image"
	"math/rand/v2"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/footprint"
)

// Whatever lies on the paper, and however much of it lies outside: a reading, or words.
func TestBlobs(t *testing.T) {
	t.Parallel()
	for seed := uint64(310); seed < 340; seed++ {
		r := rand.New(rand.NewPCG(seed, 5))
		w, h := 120+r.IntN(300), 120+r.IntN(300)
		img := image.NewGray(image.Rect(0, 0, w, h))
		for i := range img.Pix {
			img.Pix[i] = uint8(220 + r.IntN(20))
		}
		for range 1 + r.IntN(9) {
			x0, y0, a, b := r.Float64()*float64(w), r.Float64()*float64(h), 3+r.Float64()*60, 3+r.Float64()*60
			for i := range img.Pix {
				if x, y := (float64(i%w)-x0)/a, (float64(i/w)-y0)/b; x*x+y*y < 1 {
					img.Pix[i] = uint8(60 + r.IntN(20))
				}
			}
		}
		got, err := footprint.Read(img, footprint.Options{MMPerPx: 0.7 + r.Float64()})
		if _, words := fault.As(err); err != nil && !words {
			t.Fatalf("seed %d: %v", seed, err)
		}
		if err == nil && !(got.ArchIndex >= 0 && got.ArchIndex <= 1 && got.Score >= 0.3 && got.Score <= 1) {
			t.Errorf("seed %d: %+v", seed, got)
		}
	}
}
