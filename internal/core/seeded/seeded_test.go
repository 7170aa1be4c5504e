package seeded

import (
	"math"
	"testing"
)

// The published numbers of SplitMix64 for a seed of 1234567.
func TestPublished(t *testing.T) {
	s := Stream(1234567)
	for i, want := range []uint64{6457827717110365317, 3203168211198807973, 9817491932198370423, 4593380528125082431} {
		if got := s.Next(); got != want {
			t.Errorf("number %d is %d, want %d", i, got, want)
		}
	}
}

// Units and normals have the mean and the variance that they should.
func TestMoments(t *testing.T) {
	s := Stream(5)
	const n = 200_000
	var u, u2, z, z2 float64
	for range n {
		x, y := s.Unit(), s.Normal()
		if x <= 0 || x >= 1 {
			t.Fatalf("%g is no number between 0 and 1", x)
		}
		u, u2, z, z2 = u+x/n, u2+x*x/n, z+y/n, z2+y*y/n
	}
	if math.Abs(u-0.5) > 0.004 || math.Abs(u2-1.0/3) > 0.004 || math.Abs(z) > 0.012 || math.Abs(z2-1) > 0.02 {
		t.Errorf("units %g, %g; normals %g, %g", u, u2, z, z2)
	}
}
