package gait

import "testing"

// A trail that went over from one dot to another is parted at its step; one that did not, or of which nobody can say, is not.
func TestTrailParted(t *testing.T) {
	upper, lower := role{0, 2}, role{0, 3}
	trail := func() *trail {
		t := &trail{}
		for f := range 30 {
			y := 100.0
			if f >= 17 {
				y = 124
			}
			t.frames, t.spots = append(t.frames, 5+f), append(t.spots, spot{Point: Point{50, y}})
		}
		return t
	}
	votes := func(of func(k int) role) map[int]role {
		out := map[int]role{}
		for k := range 30 {
			if k < 14 || k > 19 { // between, the leg was bent
				out[5+k] = of(k)
			}
		}
		return out
	}
	for name, x := range map[string]struct {
		of    func(k int) role
		parts []int // first frames
	}{
		"over": {func(k int) role {
			if k < 17 {
				return upper
			}
			return lower
		}, []int{5, 22}},
		"over and back": {func(k int) role {
			if k < 6 || k > 24 {
				return upper
			}
			return lower
		}, []int{5, 11, 30}},
		"one": {func(int) role { return upper }, []int{5}},
		"in turn": {func(k int) role {
			if k%2 == 0 {
				return upper
			}
			return lower
		}, []int{5}},
	} {
		got := trail().parted(votes(x.of), 4)
		if len(got) != len(x.parts) {
			t.Errorf("%s: %d parts", name, len(got))
			continue
		}
		for i, p := range got {
			if p.frames[0] != x.parts[i] || len(p.frames) != len(p.spots) {
				t.Errorf("%s: part %d begins at %d with %d frames, %d spots", name, i, p.frames[0], len(p.frames), len(p.spots))
			}
		}
	}
}

// Dots of one leg that go far at once keep their trails; one by itself does not.
func TestLeap(t *testing.T) {
	for _, n := range []int{4, 3, 1} {
		var open []*trail
		var spots []spot
		for k := range n {
			at := spot{Point: Point{100, 100 + 30*float64(k)}, diameter: 10}
			open = append(open, &trail{frames: []int{7, 8}, spots: []spot{at, at}})
			at.Y -= 15
			spots = append(spots, at)
		}
		left := link(open, spots, 9)
		for k, tr := range open {
			at, last := tr.last()
			if n >= leapsTogether && (at != 9 || last.Y != 85+30*float64(k)) {
				t.Errorf("of %d, trail %d is at %v in frame %d", n, k, last.Point, at)
			}
		}
		if want := map[bool]int{true: 0, false: n}[n >= leapsTogether]; len(left) != want {
			t.Errorf("of %d, %d spots are left", n, len(left))
		}
	}
}

// Where a foot goes as far as its dots are apart, each seems to lie where the next one was.
func TestLeapByOneDot(t *testing.T) {
	heights := []float64{290, 379, 403, 425} // calf and heel, as they stand
	for _, far := range []float64{-22, -24, 22} {
		var open []*trail
		var spots []spot
		for leg := range 2 {
			for _, y := range heights {
				at := spot{Point: Point{300 + 100*float64(leg), y}, diameter: 8}
				open = append(open, &trail{frames: []int{7, 8}, spots: []spot{at, at}})
				if leg == 0 { // the other stands
					at.Y += far
				}
				spots = append(spots, at)
			}
		}
		if left := link(open, spots, 9); len(left) != 0 {
			t.Errorf("by %g px: %d spots are left", far, len(left))
		}
		for k, tr := range open {
			want := heights[k%4]
			if k < 4 {
				want += far
			}
			if at, last := tr.last(); at != 9 || last.Y != want {
				t.Errorf("by %g px: dot %d is at %g in frame %d, not at %g", far, k, last.Y, at, want)
			}
		}
	}
}
