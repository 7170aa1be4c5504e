package foot

import (
	"math"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

func ptr(v float64) *float64 { return &v }

func TestSizesPublished(t *testing.T) {
	for _, c := range []struct {
		mm           float64
		chart        term.Chart
		us, uk, eu   float64
		mondopointMM float64
	}{
		{262.5, term.Men, 9, 8, 42, 265},
		{245.5, term.Women, 8.5, 6, 39.5, 250},
		{220, term.Youth, 4, 3, 35.5, 220},
		{265, term.Men, 9.5, 8.5, 42.5, 265}, // a multiple of 5 stays
	} {
		s, err := SizeOf(c.chart, c.mm, nil, nil, nil)
		if err != nil {
			t.Fatalf("%g %s: %v", c.mm, c.chart, err)
		}
		if s.US != c.us || s.UK != c.uk || s.EU != c.eu || s.MondopointMM != c.mondopointMM || s.CM != c.mondopointMM/10 {
			t.Errorf("%g %s: US %g UK %g EU %g Mondopoint %g, want %v", c.mm, c.chart, s.US, s.UK, s.EU, s.MondopointMM, c)
		}
		if s.Width != nil {
			t.Errorf("%g %s: a width %q without a ball", c.mm, c.chart, *s.Width)
		}
	}
	if s, _ := SizeOf(term.Men, 262.5, nil, nil, nil); s.LastMM != 279.4 {
		t.Errorf("last %g, want 279.4", s.LastMM)
	}
}

func TestHeelToBallDecides(t *testing.T) {
	s, err := SizeOf(term.Men, 262.5, nil, ptr(200), nil) // 200 ÷ 0.73 = 273.97
	if err != nil || s.DecidedBy != ByHeelToBall || s.MondopointMM != 275 || s.UK != 9.5 {
		t.Errorf("%+v %v", s, err)
	}
	if s, _ := SizeOf(term.Men, 262.5, nil, ptr(190), nil); s.DecidedBy != ByFootLength {
		t.Errorf("190 mm stands for less than the foot, yet %s decides", s.DecidedBy)
	}
}

func TestWidthLetters(t *testing.T) {
	for _, c := range []struct {
		chart      term.Chart
		foot, ball float64
		want       string
	}{
		{term.Men, 262.5, 100, "D"}, {term.Men, 262.5, 0.381 * 262.5, "D"}, {term.Men, 262.5, 0.381*262.5 + 2, "E"}, // a tie goes wider
		{term.Men, 262.5, 0.381*262.5 - 1.99, "D"}, {term.Men, 262.5, 0.381*262.5 - 2.01, "C"}, {term.Women, 245, 0.371 * 245, "B"},
		{term.Women, 245, 0.371*245 + 8, "D"},
		{term.Youth, 220, 0.385 * 220, "M"}, {term.Youth, 220, 0.385*220 + 4, "W"}, {term.Youth, 220, 0.385*220 - 4, "N"},
	} {
		if got, beyond := Width(c.chart, c.foot, c.ball, nil); got != c.want || beyond != 0 {
			t.Errorf("%s foot %g ball %g: %s (%g), want %s", c.chart, c.foot, c.ball, got, beyond, c.want)
		}
	}
	if got, beyond := Width(term.Youth, 220, 140, nil); got != "XW" || beyond <= 0 {
		t.Errorf("far too wide: %s %g", got, beyond)
	}
}

func TestRefused(t *testing.T) {
	for name, c := range map[string]struct {
		chart     term.Chart
		mm        float64
		ball, htb *float64
		field     string
	}{
		"too short": {term.Men, 179, nil, nil, "foot_mm"}, "not a number": {term.Men, math.NaN(), nil, nil, "foot_mm"},
		"infinite":      {term.Men, math.Inf(1), nil, nil, "foot_mm"},
		"unknown chart": {"kids", 250, nil, nil, "chart"}, "ball": {term.Men, 262, ptr(30), nil, "ball_mm"},
		"heel to ball":        {term.Men, 262, nil, ptr(120), "heel_to_ball_mm"},
		"off the men's chart": {term.Men, 200, nil, nil, "foot_mm"}, "off the women's chart": {term.Women, 320, nil, nil, "foot_mm"},
		"off the youth chart": {term.Youth, 270, nil, nil, "foot_mm"},
	} {
		_, err := SizeOf(c.chart, c.mm, c.ball, c.htb, nil)
		l, ok := fault.As(err)
		if !ok || l[0].Field != c.field {
			t.Errorf("%s: %v, want a fault at %s", name, err, c.field)
		}
	}
}

func TestChartEnds(t *testing.T) {
	for chart, ends := range map[term.Chart][2]Figure{term.Men: {3, 16}, term.Women: {2, 12}, term.Youth: {4, 19.5}} {
		for _, f := range ends {
			mm := f.Last(chart) - 2*units.Barleycorn
			if mm < MinLengthMM {
				continue // the smallest youth sizes are shorter than a plausible foot here
			}
			if s, err := SizeOf(chart, mm, nil, nil, nil); err != nil || s.Figure != f {
				t.Errorf("%s %g: %+v %v", chart, float64(f), s, err)
			}
		}
	}
	if uk := Figure(19.5).UK(term.Youth); uk != 6.5 {
		t.Errorf("the largest youth size prints %g, want 6.5", uk)
	}
	if uk := Figure(13.5).UK(term.Youth); uk != 13.5 {
		t.Errorf("13½ prints %g", uk)
	}
}

// A longer foot never gets a smaller size, and last and figure agree both ways.
func TestSizeProperties(t *testing.T) {
	for _, chart := range term.Charts {
		before := Figure(-99)
		for mm := MinLengthMM; mm <= MaxLengthMM; mm += 0.25 {
			s, err := SizeOf(chart, mm, nil, nil, nil)
			if err != nil {
				continue
			}
			if s.Figure < before {
				t.Fatalf("%s %g mm: %g after %g", chart, mm, float64(s.Figure), float64(before))
			}
			if off := math.Abs(s.Figure.Last(chart) - (mm + 2*units.Barleycorn)); off > units.Barleycorn/4+1e-9 {
				t.Fatalf("%s %g mm: the size's last is %g mm off", chart, mm, off)
			}
			before = s.Figure
		}
	}
}

func TestReadings(t *testing.T) {
	for _, c := range []struct {
		in    []float64
		value float64
		third bool
	}{
		{nil, 0, false}, {[]float64{262}, 262, false}, {[]float64{262, 264}, 263, false}, {[]float64{262, 265}, 263.5, false},
		{[]float64{262, 265.5}, 263.75, true}, {[]float64{262, 270, 263}, 263, false}, {[]float64{270, 262, 263}, 263, false},
	} {
		r := Combine(c.in, nil)
		if r.Value != c.value || r.NeedsThird != c.third || r.N != len(c.in) {
			t.Errorf("%v: %+v, want %g, third %v", c.in, r, c.value, c.third)
		}
	}
}

func TestTwoFeet(t *testing.T) {
	foot := func(l, b float64) Measured { return Measured{LengthMM: l, BallMM: b} }
	for name, c := range map[string]struct {
		f      Feet
		fitted term.Side
		advice Advice
	}{
		"alike":                 {Feet{foot(260, 100), foot(261, 101)}, term.Right, Alike},
		"4 mm is half a size":   {Feet{foot(264, 100), foot(260, 100)}, term.Left, HelpShorter},
		"8.5 mm is a full size": {Feet{foot(268.5, 100), foot(260, 100)}, term.Left, SplitSizes},
		"as long, one wider":    {Feet{foot(260, 104), foot(260, 100)}, term.Left, Alike},
		"left alone":            {Feet{foot(260, 104), Measured{}}, term.Left, Alike},
		"heel to ball decides":  {Feet{Measured{LengthMM: 260, HeelToBallMM: 195}, foot(262, 100)}, term.Left, HelpShorter},
	} {
		d := Compare(c.f, nil)
		if d.Fitted != c.fitted || d.Advice != c.advice {
			t.Errorf("%s: %+v", name, d)
		}
	}
	if !Compare(Feet{foot(280, 100), foot(260, 100)}, nil).Implausible {
		t.Error("20 mm apart passes without a warning")
	}
}

func TestArchAndVolume(t *testing.T) {
	for _, c := range []struct {
		instep, htb float64
		want        term.Arch
	}{{0.295 * 190, 190, term.ArchMedium}, {0.294 * 190, 190, term.ArchLow}, {0.385 * 190, 190, term.ArchMedium},
		{0.386 * 190, 190, term.ArchHigh}, {0, 190, ""}, {60, 0, ""}} {
		if _, got := ArchHeight(c.instep, c.htb); got != c.want {
			t.Errorf("instep %g, heel to ball %g: %q, want %q", c.instep, c.htb, got, c.want)
		}
	}
	for give, want := range map[float64]string{0.011: "stiff", 0.012: "usual", 0.035: "usual", 0.036: "flexible"} {
		if _, got, ok := Stiffness(0.34+give, 0.34, nil); !ok || got != want {
			t.Errorf("give %g: %s, want %s", give, got, want)
		}
	}
	for drop, want := range map[float64]string{4.9: "stiff", 5: "usual", 10: "usual", 10.1: "raised", 15: "raised", 15.1: "marked"} {
		if _, got, ok := NavicularDrop(40+drop, 40); !ok || got != want {
			t.Errorf("drop %g: %s, want %s", drop, got, want)
		}
	}
	if _, _, ok := NavicularDrop(40, 0); ok {
		t.Error("a drop without a standing height")
	}
	for share, want := range map[float64]term.Volume{0.234: "slim", 0.235: "medium", 0.265: "medium", 0.266: "full"} {
		if got := VolumeOf(share*260, 260, nil); got != want {
			t.Errorf("instep %g of the length: %s, want %s", share, got, want)
		}
	}
}

func TestLikeFeet(t *testing.T) {
	a := Kind{262, 100, "medium", term.ArchLow}
	for name, c := range map[string]struct {
		b    Kind
		want bool
	}{
		"the same": {a, true}, "6 mm longer": {Kind{268, 100, "medium", term.ArchLow}, true},
		"longer": {Kind{268.5, 100, "medium", term.ArchLow}, false},
		"wider":  {Kind{262, 105.5, "medium", term.ArchLow}, false}, "another volume": {Kind{262, 100, "full", term.ArchLow}, false},
		"another arch": {Kind{262, 100, "medium", term.ArchHigh}, false},
		"less known":   {Kind{LengthMM: 260}, true}, "no length": {Kind{BallMM: 100}, false},
	} {
		if got := a.Like(c.b); got != c.want || c.b.Like(a) != c.want {
			t.Errorf("%s: %v", name, got)
		}
	}
}
