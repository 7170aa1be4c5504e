package footprint

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

// Parts are those that a plain flood over eight neighbours finds, in the order of their first pixels, with the
// sums of their pixels.
func TestPieces(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	for range 300 {
		m := newMask(1+r.IntN(24), 1+r.IntN(24))
		share := r.Float64()
		for i := range m.on {
			m.on[i] = r.Float64() < share
		}
		labels, parts := pieces(m)
		want := make([]int32, len(m.on))
		n := int32(0)
		var flood func(x, y int)
		flood = func(x, y int) {
			if !m.get(x, y) || want[y*m.w+x] != 0 {
				return
			}
			want[y*m.w+x] = n
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					flood(x+dx, y+dy)
				}
			}
		}
		for i, on := range m.on {
			if on && want[i] == 0 {
				n++
				flood(i%m.w, i/m.w)
			}
		}
		if int(n) != len(parts) {
			t.Fatalf("%d parts, are %d", len(parts), n)
		}
		sum := make([]piece, n)
		for i, l := range want {
			if labels[i] != l {
				t.Fatalf("pixel %d is of part %d, not %d", i, l, labels[i])
			}
			if l > 0 {
				p := &sum[l-1]
				p.area++
				p.cx, p.cy, p.xy = p.cx+float64(i%m.w), p.cy+float64(i/m.w), p.xy+float64(i%m.w)*float64(i/m.w)
				p.xx += float64(i%m.w) * float64(i%m.w)
			}
		}
		for i, p := range parts {
			k := float64(sum[i].area)
			cx, cy := sum[i].cx/k, sum[i].cy/k
			if p.area != sum[i].area || math.Abs(p.cx-cx) > 1e-9 || math.Abs(p.cy-cy) > 1e-9 ||
				math.Abs(p.xx-(sum[i].xx/k-cx*cx)) > 1e-7 || math.Abs(p.xy-(sum[i].xy/k-cx*cy)) > 1e-7 {
				t.Fatalf("part %d: %+v", i+1, p)
			}
		}
	}
}

// Gaps are closed along rows and columns, as far as they are narrow, and nothing at the picture's edges.
func TestCloseLines(t *testing.T) {
	m := newMask(9, 9)
	for i := range m.on {
		x, y := i%9, i/9
		m.on[i] = x != 0 && y != 4 && x != 8 && (x < 5 || x > 7 || y > 4)
	}
	m.on[0] = true
	before := slices.Clone(m.on)
	m.closeLines(1)
	for i, on := range m.on {
		x, y := i%9, i/9
		want := before[i] || y == 4 && x >= 1 && x < 5
		if on != want {
			t.Errorf("%d, %d is %t", x, y, on)
		}
	}
}
