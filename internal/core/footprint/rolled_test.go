package footprint_test

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"testing"

	"trevik/internal/core/footprint"
	"trevik/internal/core/term"
)

// rolledFoot is a second maker of traced feet, that shares nothing with the stand-in which ships: a foot of rounds, about
// which a pen of some thickness rolls, wherever it can go. Lengths in mm, y from the heel to the toes, x to the inner side.
type rolledFoot struct {
	side               term.Side
	long               float64
	parts              [][6]float64 // from x, y with a radius to x, y with another
	length, ball, heel float64
	r                  *rand.Rand
}

func newRolledFoot(seed uint64) *rolledFoot {
	r := rand.New(rand.NewPCG(seed, 1633))
	u := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	f := &rolledFoot{side: term.Sides[r.IntN(2)], long: u(215, 300), r: r}
	l, broad := f.long, u(0.9, 1.1)
	part := func(x, y, a, u, v, b float64) {
		f.parts = append(f.parts, [6]float64{x * l * broad, y * l, a * l * broad, u * l * broad, v * l, b * l * broad})
	}
	back := 0.11 * u(0.92, 1.06)
	mid := 0.085 * u(0.9, 1.1)
	part(0, 0.115, back, u(-0.01, 0.005), 0.2, back*u(0.9, 1))
	part(0, 0.2, back*0.9, -0.02, 0.45, mid)
	part(-0.02, 0.45, mid, -0.065, 0.64, 0.105*u(0.92, 1.08))
	part(-0.02, 0.45, mid*0.9, 0.05, 0.7, 0.12*u(0.92, 1.06))
	part(-0.065, 0.64, 0.1, 0.05, 0.7, 0.115)
	second, drop := u(-0.012, 0.012), u(0.8, 1.2)
	tips := [5][4]float64{{0.075, 0.9, 0.055, 0.05}, {0.015, 0.918 + second, 0.03, 0.025}, {-0.035, 0.918 - 0.022*drop, 0.028, 0.023},
		{-0.08, 0.918 - 0.055*drop, 0.027, 0.022}, {-0.12, 0.918 - 0.1*drop, 0.027, 0.022}}
	for i, t := range tips {
		x, y := 0.05-0.03*float64(i), 0.74-0.02*float64(i)
		part(x, y, 0.055, t[0], t[1], t[2]*u(0.95, 1.08))
	}
	f.length, f.ball, f.heel = measureTraced(f.away, f.long)
	return f
}

// away is how far a place lies from the foot, mm; below 0 within it.
func (f *rolledFoot) away(x, y float64) float64 {
	best := math.Inf(1)
	for _, p := range f.parts {
		dx, dy := p[3]-p[0], p[4]-p[1]
		t := min(1, max(0, ((x-p[0])*dx+(y-p[1])*dy)/(dx*dx+dy*dy)))
		best = min(best, math.Hypot(x-p[0]-t*dx, y-p[1]-t*dy)-p[2]-t*(p[5]-p[2]))
	}
	return best
}

// measureTraced measures a foot by the method's own words, of which it is known how far a place lies from it.
func measureTraced(away func(x, y float64) float64, long float64) (length, ball, heel float64) {
	var border [][2]float64
	const step = 0.25
	for y := -0.1 * long; y < 1.1*long; y += step {
		in := false
		for x := -0.35 * long; x < 0.35*long; x += step {
			if now := away(x, y) < 0; now != in {
				border, in = append(border, [2]float64{x, y}), now
			}
		}
	}
	ux, uy := 0.0, 1.0
	for range 6 {
		lo, hi := math.Inf(1), math.Inf(-1)
		for _, p := range border {
			t := p[0]*ux + p[1]*uy
			lo, hi = min(lo, t), max(hi, t)
		}
		left, right := map[int]float64{}, map[int]float64{} // outer and inner edge, by the millimetre along
		for _, p := range border {
			k, s := int(p[0]*ux+p[1]*uy-lo), p[0]*uy-p[1]*ux
			if v, ok := left[k]; !ok || s < v {
				left[k] = s
			}
			if v, ok := right[k]; !ok || s > v {
				right[k] = s
			}
		}
		length, ball, heel = hi-lo, 0, 0
		inner := math.Inf(-1)
		for k := range left {
			at := (float64(k) + 0.5) / (hi - lo)
			if wide := right[k] - left[k]; at < 0.25 {
				heel = max(heel, wide)
			} else if at > 0.55 && at < 0.85 {
				ball, inner = max(ball, wide), max(inner, right[k])
			}
		}
		k := int(heel / 2)
		s0, t0 := (left[k]+right[k])/2, lo+heel/2
		s1, t1 := inner-0.46*ball, hi
		for t1 > lo && away(t1*ux+s1*uy, t1*uy-s1*ux) > 0 {
			t1 -= step
		}
		hx, hy, tx, ty := t0*ux+s0*uy, t0*uy-s0*ux, t1*ux+s1*uy, t1*uy-s1*ux
		n := math.Hypot(tx-hx, ty-hy)
		ux, uy = (tx-hx)/n, (ty-hy)/n
	}
	return length, ball, heel
}

// photo is the drawn line on paper, as a scanner has it, mm a pixel, turned by so much.
func (f *rolledFoot) photo(mm, turn, pen float64) image.Image {
	r := f.r
	u := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	size := int(1.4 * f.long / mm)
	img := image.NewRGBA(image.Rect(0, 0, size, size))
	papers := [][3]float64{{246, 245, 240}, {232, 228, 216}, {238, 240, 246}}
	inks := [][3]float64{{40, 60, 150}, {30, 30, 36}, {110, 110, 114}, {150, 40, 40}}
	paper, ink := papers[r.IntN(len(papers))], inks[r.IntN(len(inks))]
	half, noise, light := u(0.3, 0.8), u(1, 4), [2]float64{u(-20, 20), u(-20, 20)}
	var waves [4][4]float64 // how the hand strays
	for i := range waves {
		waves[i] = [4]float64{u(0, 0.25), u(0.015, 0.05), u(0.015, 0.05), u(0, 2*math.Pi)}
	}
	gap := 0.0
	if r.Float64() < 0.4 {
		gap = u(2, 12)
	}
	openY, openX := math.Sincos(u(0, 2*math.Pi)) // where it is open: as far out this way as the pen goes
	reach := f.long
	for f.away(reach*openX, reach*openY+f.long/2) > pen/2 {
		reach--
	}
	openX, openY = reach*openX, reach*openY+f.long/2
	twice, off := r.Float64() < 0.25, u(-0.8, 0.8)
	inner := 1.0
	if f.side == term.Right {
		inner = -1
	}
	sin, cos := math.Sincos(turn)
	for py := range size {
		for px := range size {
			dx, dy := (float64(px)-float64(size)/2)*mm, (float64(size)/2-float64(py))*mm
			x, y := inner*(dx*cos+dy*sin), -dx*sin+dy*cos+f.long/2
			on := 0.0
			if d := f.away(x, y) - pen/2; math.Abs(d) < 4 {
				for _, w := range waves {
					d += w[0] * math.Sin(w[1]*x+w[2]*y+w[3])
				}
				on = min(1, max(0, (half-math.Abs(d))/mm+0.5))
				if twice && y < 0.5*f.long {
					on = max(on, min(1, max(0, (half-math.Abs(d-off))/mm+0.5)))
				}
				if math.Hypot(x-openX, y-openY) < gap/2 {
					on = 0
				}
			}
			on *= 0.75 + 0.25*math.Sin(x/7+y/5)
			lit := light[0]*(float64(px)/float64(size)-0.5) + light[1]*(float64(py)/float64(size)-0.5)
			g := lit + noise*r.NormFloat64()
			c := [3]uint8{}
			for i := range c {
				c[i] = uint8(min(255, max(0, paper[i]+on*(ink[i]-paper[i])+g)))
			}
			img.SetRGBA(px, py, color.RGBA{c[0], c[1], c[2], 255})
		}
	}
	return packed(img, 75+r.IntN(20))
}

// The reader of outlines was shaped by the maker that ships; here it meets another.
func TestRolledOutlines(t *testing.T) {
	t.Parallel()
	var sum, worst, n float64
	for seed := uint64(100); seed < 120; seed++ {
		f := newRolledFoot(seed)
		mm, turn, pen := 0.25+0.2*f.r.Float64(), 2*math.Pi*f.r.Float64(), 7+3*f.r.Float64()
		got, err := footprint.ReadOutline(f.photo(mm, turn, pen), footprint.OutlineOptions{MMPerPx: mm, PenMM: &pen})
		if err != nil {
			t.Errorf("seed %d: %v", seed, err)
			continue
		}
		if got.Foot != f.side {
			t.Errorf("seed %d: read as %s, is %s", seed, got.Foot, f.side)
		}
		for name, x := range map[string][2]float64{"length": {got.LengthMM, f.length}, "ball": {got.BallMM, f.ball},
			"heel": {got.HeelMM, f.heel}} {
			off := math.Abs(x[0] - x[1])
			if sum, worst, n = sum+off, max(worst, off), n+1; off > 3 {
				t.Errorf("seed %d: %s %.1f, is %.1f, score %.2f %v", seed, name, x[0], x[1], got.Score, got.Flags)
			}
		}
	}
	t.Logf("%.0f measures: off by %.2f mm on average, %.2f at worst", n, sum/n, worst)
	if sum/n > 1.5 {
		t.Errorf("off by %.2f mm on average", sum/n)
	}
}
