package footprint_test

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"testing"

	"trevik/internal/core/footprint"
	"trevik/internal/core/term"
)

// pressedFoot is a second maker of prints, that shares nothing with the stand-ins which ship: pads of flesh press on the
// paper, and what is pressed hard enough leaves ink. So parts run together, thin out or part as a load would have it, and
// no border is drawn. Lengths in mm, y from the heel to the toes, x to the inner side.
type pressedFoot struct {
	side       term.Side
	long       float64 // of the foot
	pads       []flesh // of the heel, the outer column, the arch, the ball
	toes       [5]flesh
	stems      []flesh
	stemOf     []int
	light      float64 // the pressure from which it leaves ink
	w, h       int
	body, toe  []bool
	press      []float64
	heel, tip  [2]float64
	index      float64
	lengthMM   float64
	ballMM     float64
	r          *rand.Rand
	joined     bool
	toesMissed int
}

// flesh presses along the line from (x, y) to (u, v), less and less beside it: so much at most, over so wide, the more sharply the
// firmer it is.
type flesh struct{ x, y, u, v, most, wide, long, firm float64 }

func (f flesh) at(x, y float64) float64 {
	dx, dy := f.u-f.x, f.v-f.y
	n := dx*dx + dy*dy
	if n == 0 {
		a, b := (x-f.x)/f.wide, (y-f.y)/f.long
		return f.most * math.Exp(-math.Pow(a*a+b*b, f.firm))
	}
	t := min(1, max(0, ((x-f.x)*dx+(y-f.y)*dy)/n))
	a, b := x-f.x-t*dx, y-f.y-t*dy
	return f.most * math.Exp(-math.Pow((a*a+b*b)/(f.wide*f.wide), f.firm))
}

const pressedMM = 0.25 // of a cell

func newPressedFoot(seed uint64) *pressedFoot {
	r := rand.New(rand.NewPCG(seed, 815))
	u := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	f := &pressedFoot{side: term.Sides[r.IntN(2)], long: u(215, 295), light: u(0.28, 0.42), r: r}
	l := f.long
	spot := func(x, y, most, wide, long, firm float64) flesh {
		return flesh{x * l, y * l, x * l, y * l, most, wide * l, long * l, firm}
	}
	line := func(x, y, u, v, most, wide, firm float64) flesh {
		return flesh{x * l, y * l, u * l, v * l, most, wide * l, 0, firm}
	}
	broad := u(0.88, 1.12)
	lean := u(-0.012, 0.012)
	f.pads = append(f.pads, line(lean, 0.1, u(-0.015, 0.005), u(0.13, 0.19), u(1, 1.4), 0.092*broad*u(0.9, 1.1), u(1, 2)))
	heads := [5][2]float64{{0.118, 0.69}, {0.055, 0.715}, {0.0, 0.705}, {-0.055, 0.68}, {-0.112, 0.645}}
	turned := u(-0.015, 0.015)
	for i, h := range heads {
		wide := 0.055 * broad * u(0.92, 1.1)
		if i == 0 || i == 4 {
			wide *= 1.12
		}
		f.pads = append(f.pads, spot(h[0]*broad, h[1]+turned*float64(2-i)-0.01, u(0.7, 1.05), wide, wide*u(1.2, 1.6), u(1, 1.8)))
	}
	f.pads = append(f.pads, line(-0.05*broad, 0.17, -0.09*broad, 0.6, u(0.25, 1), u(0.045, 0.085), u(1, 2)))
	if r.Float64() < 0.35 { // a low arch presses, too
		f.pads = append(f.pads, line(0, 0.2, u(0.01, 0.04), 0.62, u(0.2, 0.8), u(0.06, 0.09), u(1, 1.6)))
	}
	places := [5][2]float64{{0.105, 0.875}, {0.043, 0.895}, {-0.008, 0.88}, {-0.055, 0.853}, {-0.1, 0.815}}
	ahead := u(-0.015, 0.01)
	f.joined = r.Float64() < 0.4
	for i, p := range places {
		wide, long := 0.026*u(0.92, 1.15), 0.032*u(0.9, 1.2)
		if i == 0 {
			wide, long = 0.044*u(0.92, 1.1), 0.055*u(0.92, 1.15)
		}
		most := u(0.6, 1)
		if i > 1 && r.Float64() < 0.08 {
			most, f.toesMissed = 0.15, f.toesMissed+1
		}
		f.toes[i] = spot(p[0]*broad+u(-0.004, 0.004), p[1]+ahead+u(-0.01, 0.01), most, wide, long, u(1, 2.5))
		if f.joined && most > 0.5 && r.Float64() < 0.5 {
			t, h := f.toes[i], heads[i]
			f.stems = append(f.stems, flesh{t.x, t.y - 0.02*l, (t.x + h[0]*l) / 2, (t.y + h[1]*l) / 2, u(0.3, 0.65), u(0.4, 0.8) * t.wide, 0, 1.5})
			f.stemOf = append(f.stemOf, i)
		}
	}
	f.measure()
	return f
}

// measure presses the foot on a fine grid and measures the print by the method's own words.
func (f *pressedFoot) measure() {
	f.w, f.h = int(0.5*f.long/pressedMM), int(1.06*f.long/pressedMM)
	f.body, f.toe, f.press = make([]bool, f.w*f.h), make([]bool, f.w*f.h), make([]float64, f.w*f.h)
	second := make([]bool, f.w*f.h)
	for j := range f.h {
		for i := range f.w {
			x, y := f.place(i, j)
			body := 0.0
			for _, p := range f.pads {
				body += p.at(x, y)
			}
			toe, best, which := 0.0, 0.0, 0
			for k, p := range f.toes {
				v := p.at(x, y)
				for n, s := range f.stems {
					if f.stemOf[n] == k {
						v = max(v, s.at(x, y))
					}
				}
				toe += v
				if v > best {
					best, which = v, k
				}
			}
			k := j*f.w + i
			if f.press[k] = body + toe; f.press[k] > f.light {
				f.body[k], f.toe[k] = body >= toe, body < toe
				second[k] = f.toe[k] && which == 1
			}
		}
	}
	f.keepLargest()
	lo, hi, row := heelRow(f.body, f.w)
	x0, _ := f.place(lo, 0)
	x1, y := f.place(hi, row)
	f.heel = [2]float64{(x0 + x1) / 2, y}
	far := 0.0
	for k, on := range second {
		if x, y := f.place(k%f.w, k/f.w); on && math.Hypot(x-f.heel[0], y-f.heel[1]) > far {
			far, f.tip = math.Hypot(x-f.heel[0], y-f.heel[1]), [2]float64{x, y}
		}
	}
	ax, ay := (f.tip[0]-f.heel[0])/far, (f.tip[1]-f.heel[1])/far
	along := func(k int) float64 {
		x, y := f.place(k%f.w, k/f.w)
		return (x-f.heel[0])*ax + (y-f.heel[1])*ay
	}
	low, high, tips := math.Inf(1), math.Inf(-1), math.Inf(-1)
	for k := range f.body {
		if t := along(k); f.body[k] {
			low, high = min(low, t), max(high, t)
		} else if f.toe[k] {
			tips = max(tips, t)
		}
	}
	var all, middle float64
	slices := map[int]float64{} // areas of the ball's, each a millimetre thick
	for k, on := range f.body {
		if !on {
			continue
		}
		t := along(k)
		part := (t - low) / (high - low)
		if all++; part >= 1.0/3 && part < 2.0/3 {
			middle++
		}
		if part > 2.0/3 {
			slices[int(t)] += pressedMM * pressedMM
		}
	}
	f.index, f.lengthMM = middle/all, max(high, tips)-low
	for _, mm2 := range slices {
		f.ballMM = max(f.ballMM, mm2)
	}
}

// heelRow is where a print's heel lies on a grid so wide, the heel in its first rows: half of the heel's widest, within the
// rear quarter, up from its end, and from where to where it reaches across there.
func heelRow(on []bool, w int) (lo, hi, row int) {
	rear, front := len(on)/w, 0
	for k, in := range on {
		if in {
			rear, front = min(rear, k/w), max(front, k/w)
		}
	}
	across := func(j int) (lo, hi int) {
		lo, hi = w, -1
		for i, in := range on[j*w : (j+1)*w] {
			if in {
				lo, hi = min(lo, i), max(hi, i)
			}
		}
		return lo, hi
	}
	wide := 0
	for j := rear; j < rear+(front-rear)/4; j++ {
		lo, hi := across(j)
		wide = max(wide, hi-lo+1)
	}
	row = rear + wide/2
	lo, hi = across(row)
	return lo, hi, row
}

// keepLargest drops ink of the body that lies by itself, as the reader drops a splash, but for what an arch parts.
func (f *pressedFoot) keepLargest() {
	seen := make([]bool, len(f.body))
	for k := range f.body {
		if !f.body[k] || seen[k] {
			continue
		}
		seen[k] = true
		part := []int{k}
		for n := 0; n < len(part); n++ {
			for _, d := range []int{-1, 1, -f.w, f.w} {
				if q := part[n] + d; q >= 0 && q < len(seen) && f.body[q] && !seen[q] {
					seen[q] = true
					part = append(part, q)
				}
			}
		}
		if float64(len(part))*pressedMM*pressedMM < 60 {
			for _, q := range part {
				f.body[q] = false
				f.press[q] = 0
			}
		}
	}
}

func (f *pressedFoot) place(i, j int) (x, y float64) {
	return (float64(i) - float64(f.w)/2 + 0.5) * pressedMM, (float64(j)+0.5)*pressedMM - 0.02*f.long
}

// photo is the print on paper as a camera straight above has it, mm a pixel, turned by so much.
func (f *pressedFoot) photo(mm, turn float64) image.Image {
	r := f.r
	u := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	size := int(1.35 * f.long / mm)
	img := image.NewRGBA(image.Rect(0, 0, size, size))
	papers := [][3]float64{{246, 245, 240}, {226, 219, 203}, {201, 172, 130}, {236, 238, 244}}
	inks := [][3]float64{{40, 44, 60}, {50, 62, 128}, {96, 74, 58}, {28, 28, 30}}
	paper, ink := papers[r.IntN(len(papers))], inks[r.IntN(len(inks))]
	thick := u(0.45, 0.9) // how dark the ink is at most
	rim := u(-0.25, 0.25) // darker or paler where it is pressed least
	ridges := u(0, 0.5)   // how deep
	tilt := [2]float64{u(-25, 25), u(-25, 25)}
	noise := u(1, 4)
	grain := u(0, 6)
	creases := make([][4]float64, r.IntN(5))
	for i := range creases {
		y := f.long * u(0.25, 0.7)
		creases[i] = [4]float64{y, u(-0.4, 0.4), u(0.3, 0.9), u(0, 6)}
	}
	whirl := u(0, 2*math.Pi)
	mirror := 1.0 // seen from above with the toes up, a left foot's inner side lies to the right
	if f.side == term.Right {
		mirror = -1
	}
	fibre := make([]float64, size*size/9+size)
	for i := range fibre {
		fibre[i] = r.NormFloat64()
	}
	sin, cos := math.Sincos(turn)
	for py := range size {
		for px := range size {
			dx, dy := (float64(px)-float64(size)/2)*mm, (float64(size)/2-float64(py))*mm
			x, y := mirror*(dx*cos+dy*sin), -dx*sin+dy*cos+f.long/2
			fx, fy := x/pressedMM+float64(f.w)/2-0.5, (y+0.02*f.long)/pressedMM-0.5
			on := 0.0
			if i, j := int(math.Floor(fx)), int(math.Floor(fy)); i >= 0 && j >= 0 && i < f.w-1 && j < f.h-1 {
				a, b := fx-float64(i), fy-float64(j)
				k := j*f.w + i
				p := (f.press[k]*(1-a)+f.press[k+1]*a)*(1-b) + (f.press[k+f.w]*(1-a)+f.press[k+f.w+1]*a)*b
				soft := 0.04
				on = min(1, max(0, (p-f.light)/soft+0.5))
				if on > 0 {
					deep := min(1, max(0, (p-f.light)/0.3))
					on *= 1 + rim*(deep-1)
					on *= 1 - ridges*0.5*(1+math.Sin(2*math.Pi*(y+3*math.Sin(x/9+whirl))/0.9))
					for _, c := range creases {
						if d := math.Abs(y - c[0] - c[1]*x - c[3]*math.Sin(x/14)); d < c[2] {
							on *= d / c[2]
						}
					}
				}
			}
			light := 1 + (tilt[0]*(float64(px)/float64(size)-0.5)+tilt[1]*(float64(py)/float64(size)-0.5))/255
			g := noise*r.NormFloat64() + grain*fibre[py/3*(size/3)+px/3]/2
			c := [3]uint8{}
			for i := range c {
				v := light*(paper[i]+thick*on*(ink[i]-paper[i])) + g
				c[i] = uint8(min(255, max(0, v)))
			}
			img.SetRGBA(px, py, color.RGBA{c[0], c[1], c[2], 255})
		}
	}
	return packed(img, 70+r.IntN(25))
}

// packed is a picture as a JPEG of some quality has it.
func packed(img image.Image, quality int) image.Image {
	var buf bytes.Buffer
	if err := jpeg.Encode(&buf, img, &jpeg.Options{Quality: quality}); err != nil {
		panic(err)
	}
	out, err := jpeg.Decode(&buf)
	if err != nil {
		panic(err)
	}
	return out
}

// The reader was shaped by the makers that ship; here it meets another.
func TestPressedPrints(t *testing.T) { pressedPrints(t, 100, 124) }
func TestPressedMore(t *testing.T)   { pressedPrints(t, 3000, 3040) }

func pressedPrints(t *testing.T, from, to uint64) {
	t.Parallel()
	var sum, worst, n, within, beside, far float64
	for seed := from; seed < to; seed++ {
		f := newPressedFoot(seed)
		mm, turn := 0.35+0.25*f.r.Float64(), 2*math.Pi*f.r.Float64()
		at := fmt.Sprintf("seed %d (joined %t, %d toes missing, index %.3f)", seed, f.joined, f.toesMissed, f.index)
		got, err := footprint.Read(f.photo(mm, turn), footprint.Options{MMPerPx: mm})
		if err != nil {
			t.Errorf("%s: %v", at, err)
			continue
		}
		off := math.Abs(got.ArchIndex - f.index)
		sum, worst, n = sum+off, max(worst, off), n+1
		if off <= 2*footprint.IndexSD(got.Score) {
			within++
		}
		if off > 0.020 { // a band so faint that it is half print
			far++
			t.Logf("%s: arch index %.4f, score %.2f %v", at, got.ArchIndex, got.Score, got.Flags)
		}
		if got.Foot != f.side {
			t.Errorf("%s: read as %s, is %s", at, got.Foot, f.side)
		}
		if math.Abs(got.LengthMM-f.lengthMM) > 3 || math.Abs(got.BallMM-f.ballMM) > 3 {
			beside++
			t.Logf("%s: length %.1f ball %.1f, is %.1f and %.1f", at, got.LengthMM, got.BallMM, f.lengthMM, f.ballMM)
		}
	}
	t.Logf("arch index off by %.4f on average, %.4f at worst; %.0f of %.0f within two of their own SDs", sum/n, worst, within, n)
	if sum/n > 0.008 || worst > 0.045 || far > 0.04*n || within < 0.95*n || beside > 0.05*n {
		t.Errorf("arch index off by %.4f on average, %.0f of %.0f within two of their own SDs; lengths or balls of %.0f more than 3 mm off",
			sum/n, within, n, beside)
	}
}
