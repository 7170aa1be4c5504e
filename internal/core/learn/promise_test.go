package learn_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"trevik/internal/core/learn"
)

// Wilson's interval at its published values, and what is told by fifths.
func TestPromises(t *testing.T) {
	for _, c := range []struct {
		came, n int
		lo, hi  float64
	}{{0, 0, 0, 1}, {8, 10, 0.4902, 0.9433}, {0, 10, 0, 0.2775}, {10, 10, 0.7225, 1}, {50, 100, 0.4038, 0.5962}} {
		if lo, hi := learn.Wilson(c.came, c.n); math.Abs(lo-c.lo) > 2e-4 || math.Abs(hi-c.hi) > 2e-4 {
			t.Errorf("%d of %d: %.4f to %.4f, not %.4f to %.4f", c.came, c.n, lo, hi, c.lo, c.hi)
		}
	}
	k := learn.Promises([]learn.Promise{{0.9, true}, {0.9, true}, {0.9, false}, {0.1, false}, {math.NaN(), true}, {1.2, true}})
	if k.N != 4 || len(k.By) != 2 || k.By[1].N != 3 || math.Abs(k.By[1].Kept-2.0/3) > 1e-4 ||
		math.Abs(k.Brier-(0.01+0.01+0.81+0.01)/4) > 1e-9 ||
		math.Abs(k.Lean-(2.8-2)/4) > 1e-9 {
		t.Errorf("%+v", k)
	}
	if none := learn.Promises(nil); none.N != 0 || none.Brier != 0 || len(none.By) != 0 {
		t.Errorf("%+v", none)
	}
}

// Where chances are true, what comes lies in the intervals about as often as they say, and nothing leans.
func TestPromisesOfTrueChances(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 9))
	held, all, lean := 0, 0, 0.0
	for range 200 {
		var list []learn.Promise
		for range 150 {
			p := r.Float64()
			list = append(list, learn.Promise{Told: p, Kept: r.Float64() < p})
		}
		k := learn.Promises(list)
		lean += k.Lean / 200
		for _, b := range k.By {
			all++
			if b.Told >= b.Lo && b.Told <= b.Hi {
				held++
			}
		}
	}
	if share := float64(held) / float64(all); share < 0.93 || share > 0.985 || math.Abs(lean) > 0.01 {
		t.Errorf("95 %% intervals hold %.1f %%; they lean by %.3f", 100*share, lean)
	}
}
