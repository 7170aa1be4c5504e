package footprint_test

import (
	"fmt"
	"image/color"
	"math"
	"math/rand/v2"
	"sync/atomic"
	"testing"

	"trevik/internal/core/footprint"
	"trevik/internal/device"
)

// natural are ways in which prints of natural feet come: how they were wetted, what became of them, and how they
// were photographed. mean and worst are what the arch index may be off by; len what lengths and widths may, mm.
var natural = []struct {
	name             string
	mean, worst, len float64
	photo            func(r *rand.Rand) device.Photo
}{
	{"a clean scan", 0.005, 0.012, 3, func(*rand.Rand) device.Photo { return device.Photo{MMPerPx: 0.5} }},
	{"turned", 0.005, 0.012, 3, func(r *rand.Rand) device.Photo { return device.Photo{MMPerPx: 0.5, Turn: 360 * r.Float64(), Noise: 2} }},
	{"a tilted sheet", 0.005, 0.020, 3, func(r *rand.Rand) device.Photo {
		return device.Photo{Paper: footprint.A3, MMPerPx: 0.45, Turn: 15 * r.NormFloat64(), Tilt: 0.28 * r.Float64(), Roll: 8 * r.NormFloat64(),
			Noise: 3, Uneven: 0.25}
	}},
	{"light on dark", 0.005, 0.020, 3, func(r *rand.Rand) device.Photo {
		return device.Photo{MMPerPx: 0.5, Base: color.RGBA{70, 72, 80, 255}, Dark: 2.4, Noise: 2, Turn: 10 * r.NormFloat64()}
	}},
	{"brown paper", 0.010, 0.020, 3, func(r *rand.Rand) device.Photo { return shop(r, footprint.A3) }},
	{"printed paper", 0.010, 0.020, 3, func(r *rand.Rand) device.Photo {
		return device.Photo{MMPerPx: 0.4, Printed: 0.55, Dark: 0.45, Turn: 15 * r.NormFloat64(), Noise: 3, Uneven: 0.2}
	}},
	{"half dry", 0.010, 0.020, 3, func(*rand.Rand) device.Photo {
		return device.Photo{Paper: footprint.A3, MMPerPx: 0.5, Base: brown, Dark: 0.5, Noise: 3, Uneven: 0.3, HalfDry: 0.65, Mottle: 0.2,
			Soft: 1.2}
	}},
	{"smeared", 0.010, 0.035, 4, func(r *rand.Rand) device.Photo {
		return device.Photo{Paper: footprint.A3, MMPerPx: 0.5, Dark: 0.4, Noise: 3, Smear: 2 + 3*r.Float64(), Soft: 1.2}
	}},
	{"blotchy", 0.010, 0.025, 6, func(r *rand.Rand) device.Photo {
		return device.Photo{Paper: footprint.A3, MMPerPx: 0.5, Dark: 0.5, Noise: 3, Uneven: 0.2, Blotch: 0.03 + 0.07*r.Float64(), Mottle: 0.2,
			Soft: 1.2}
	}},
	{"the shadow of a hand", 0.010, 0.020, 3, func(r *rand.Rand) device.Photo {
		return device.Photo{Paper: footprint.A3, MMPerPx: 0.5, Dark: 0.5, Noise: 3, Uneven: 0.3, Hand: 0.25 + 0.2*r.Float64(), Splashes: 4,
			Specks: 40}
	}},
}

// How good the reader is on feet that no reader was shaped by: borders that bend, arches from broken to bulging,
// toes clear, in a chain, run into the ball, missing. None is refused, left and right are told, and the score
// knows when it is unsure.
func TestNaturalPrints(t *testing.T) {
	var within, all atomic.Int64
	t.Run("", func(t *testing.T) {
		for c, x := range natural {
			t.Run(x.name, func(t *testing.T) {
				t.Parallel()
				in, of := naturals(t, c)
				within.Add(int64(in))
				all.Add(int64(of))
			})
		}
	})
	if float64(within.Load()) < 0.95*float64(all.Load()) {
		t.Errorf("%d of %d within two of their own standard deviations", within.Load(), all.Load())
	}
}

// naturals reads prints of one kind: how many lie within two of their own standard deviations, of how many.
func naturals(t *testing.T, c int) (within, all int) {
	x := natural[c]
	mean, worst, n := 0.0, 0.0, 0
	for i, way := range device.ToeWays {
		for k := range 2 {
			r := rand.New(rand.NewPCG(uint64(90000+100*c+10*i+k), 31))
			f := device.RandomNatural(r, way)
			truth, p := f.Truth(), x.photo(r)
			opt := footprint.Options{}
			if p.Paper == "" {
				opt.MMPerPx = p.MMPerPx
			}
			at := fmt.Sprintf("%s, %s %d", x.name, way, k)
			got, err := footprint.Read(f.Render(p, r), opt)
			if err != nil {
				t.Errorf("%s: %v", at, err)
				continue
			}
			off := math.Abs(got.ArchIndex - truth.ArchIndex)
			mean, worst, n = mean+off, max(worst, off), n+1
			if all++; off <= 2*footprint.IndexSD(got.Score) {
				within++
			}
			if off > x.worst {
				t.Errorf("%s: arch index %.4f, is %.4f", at, got.ArchIndex, truth.ArchIndex)
			}
			if got.Foot != truth.Foot {
				t.Errorf("%s: read as %s, is %s", at, got.Foot, truth.Foot)
			}
			if math.Abs(got.LengthMM-truth.LengthMM) > x.len || math.Abs(got.BallMM-truth.BallMM) > x.len {
				t.Errorf("%s: length %.1f ball %.1f, is %.1f and %.1f", at, got.LengthMM, got.BallMM, truth.LengthMM, truth.BallMM)
			}
		}
	}
	t.Logf("%s: arch index off by %.4f on average, %.4f at worst", x.name, mean/float64(n), worst)
	if mean/float64(n) > x.mean {
		t.Errorf("%s: arch index off by %.4f on average", x.name, mean/float64(n))
	}
	return within, all
}
