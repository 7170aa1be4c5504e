package units

import (
	"math"
	"testing"
)

func TestRounding(t *testing.T) {
	for in, want := range map[float64]float64{8.24: 8, 8.25: 8.5, 8.74: 8.5, 8.75: 9, -0.25: 0} {
		if got := NearestHalf(in); got != want {
			t.Errorf("NearestHalf(%g) = %g, want %g", in, got, want)
		}
	}
	if UpTo(265, 5) != 265 || UpTo(265.01, 5) != 270 {
		t.Error("UpTo moves a multiple or leaves what is above it")
	}
	if math.Signbit(Round(-0.001, 1)) {
		t.Error("a negative zero")
	}
}

func TestPeoplesUnits(t *testing.T) {
	for _, c := range []struct{ got, want string }{
		{Metric.Length(262.5), "262.5 mm"}, {Imperial.Length(254), "10.00 in"}, {Metric.Distance(42.195), "42.2 km"},
		{Imperial.Distance(42.195), "26.2 mi"},
	} {
		if c.got != c.want {
			t.Errorf("%q, want %q", c.got, c.want)
		}
	}
	for _, s := range []System{Metric, Imperial} {
		if v := s.FromMM(s.ToMM(10.33)); math.Abs(v-10.33) > 1e-12 {
			t.Errorf("%s length comes back as %g", s, v)
		}
		if v := s.FromKm(s.ToKm(6.2)); math.Abs(v-6.2) > 1e-12 {
			t.Errorf("%s distance comes back as %g", s, v)
		}
	}
}
