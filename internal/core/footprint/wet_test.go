package footprint_test

import (
	"fmt"
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"sync"
	"testing"

	"trevik/internal/core/footprint"
	"trevik/internal/core/term"
)

// waves is smooth noise over a plane: mean 0, SD about 1, its features as large as a cell.
type waves struct {
	cell float64
	grid []float64
}

const wavesAcross = 64

func newWaves(r *rand.Rand, cell float64) *waves {
	w := &waves{cell: cell}
	for range wavesAcross * wavesAcross {
		w.grid = append(w.grid, r.NormFloat64())
	}
	return w
}

func (w *waves) at(x, y float64) float64 {
	x, y = x/w.cell+1000, y/w.cell+1000
	i, j := int(math.Floor(x)), int(math.Floor(y))
	a, b := x-float64(i), y-float64(j)
	a, b = a*a*(3-2*a), b*b*(3-2*b)
	g := func(i, j int) float64 { return w.grid[j%wavesAcross*wavesAcross+i%wavesAcross] }
	return 1.5 * ((g(i, j)*(1-a)+g(i+1, j)*a)*(1-b) + (g(i, j+1)*(1-a)+g(i+1, j+1)*a)*b)
}

// wetFoot is a third maker of prints, that shares nothing with the others but how the method finds the heel: shapes by how far
// inside them a place lies, joined softly, on an axis that is bent, with a border that frays; toes that touch, and hang on to
// the ball by necks. Then come the water, the paper with its creases and lines, the floor that it lies on, light, shadow and a
// telephone's camera. Lengths mm, y from the heel to the toes, x to the inner side.
type wetFoot struct {
	side                    term.Side
	long, soft, bend, stout float64
	heel                    [5]float64    // x, y, half widths, turn
	heads                   [5][3]float64 // x, y, radius
	column                  [][3]float64  // of the outer side, the same
	toes                    [5][5]float64 // as the heel
	necks                   [5]float64    // half widths; 0 is none
	shown                   [5]bool
	fray                    [2]*waves
	frayBy                  [2]float64
	index, lengthMM         float64
	body, toe, second       []bool // on a grid
	w, h                    int
	seenAt                  func(px, py float64) (x, y float64) // where a pixel of its photo lies
	r                       *rand.Rand
}

const wetMM = 0.5 // of the grid

func newWetFoot(seed uint64) *wetFoot {
	r := rand.New(rand.NewPCG(seed, 40961))
	u := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	f := &wetFoot{side: term.Sides[r.IntN(2)], long: u(205, 300), r: r, soft: u(4, 14), bend: u(-0.02, 0.04), stout: u(0.5, 0.8)}
	l := f.long
	wide := u(0.9, 1.12)
	hw := 0.118 * wide * u(0.88, 1.12) * l
	f.heel = [5]float64{u(-0.012, 0.012) * l, hw * u(1.05, 1.3), hw, hw * u(1.05, 1.35), u(-0.12, 0.12)}
	span, slant, arc := 0.125*wide*u(0.92, 1.1), u(0.03, 0.085), u(0.005, 0.035)
	for i := range f.heads {
		t := 1 - float64(i)/2 // 1 on the inner side, -1 on the outer
		rad := (0.052 + 0.012*math.Abs(t)) * l * wide * u(0.9, 1.15)
		if i == 0 {
			rad *= u(1, 1.2)
		}
		f.heads[i] = [3]float64{span*t*l + u(-1.5, 1.5), (0.69+slant*t/2+arc*(1-t*t))*l + u(-2, 2), rad}
	}
	if half := [4]float64{0, u(0.015, 0.04), u(0.04, 0.075), u(0.075, 0.115)}[min(3, int(u(0, 8))/2)]; half > 0 {
		outer, bulge := span+0.045*wide, u(-0.012, 0.02)
		for k := range 9 {
			t := float64(k) / 8
			edge := -(0.108*wide*(1-t) + outer*t + bulge*math.Sin(math.Pi*t))
			half := half * (1 + 0.5*math.Pow(2*t-1, 2))
			f.column = append(f.column, [3]float64{(edge + half) * l, (0.2 + 0.43*t) * l, half * l})
		}
	}
	f.setToes(span, wide, u)
	f.fray = [2]*waves{newWaves(r, u(1.2, 3)), newWaves(r, u(6, 16))}
	f.frayBy = [2]float64{u(0, 0.45), u(0, 1)}
	f.measure()
	return f
}

func (f *wetFoot) setToes(span, wide float64, u func(a, b float64) float64) {
	l, back, valgus, crowd, joins := f.long, u(0, 0.05), u(-0.05, 0.35), u(0.85, 1.08), u(0, 1)
	tips := [5]float64{0.985, 0.985 + u(-0.02, 0.02), 0.96, 0.925, 0.88}
	for i := range f.toes {
		a, b := 0.024*l*wide*u(0.88, 1.15), 0.03*l*u(0.85, 1.3)
		x, turn := span*0.88*(1-float64(i)/2)*crowd*l, u(-0.15, 0.2)*float64(i-1)/2
		if i == 0 {
			a, b = 0.041*l*wide*u(0.9, 1.1), 0.05*l*u(0.9, 1.2)
			x, turn = x-valgus*0.06*l, -valgus
		}
		f.toes[i] = [5]float64{x, (tips[i]-back+u(-0.012, 0.012))*l - b, a, b, turn}
		f.shown[i] = i < 3 || f.r.Float64() >= 0.07
		if joins < 0.35 && f.shown[i] && f.r.Float64() < 0.45 {
			f.necks[i] = a * u(0.35, 0.65)
		}
	}
}

// inEllipse is about how far inside an ellipse a place lies.
func inEllipse(x, y float64, e [5]float64) float64 {
	s, c := math.Sincos(e[4])
	p, q := ((x-e[0])*c+(y-e[1])*s)/e[2], (-(x-e[0])*s+(y-e[1])*c)/e[3]
	n := math.Hypot(p, q)
	if n < 1e-9 {
		return min(e[2], e[3])
	}
	return (1 - n) * n / math.Hypot(p/e[2], q/e[3])
}

// inLimb is how far inside a limb of half widths a and b between two places.
func inLimb(x, y float64, a, b [3]float64) float64 {
	dx, dy := b[0]-a[0], b[1]-a[1]
	t := min(1, max(0, ((x-a[0])*dx+(y-a[1])*dy)/(dx*dx+dy*dy)))
	return a[2] + t*(b[2]-a[2]) - math.Hypot(x-a[0]-t*dx, y-a[1]-t*dy)
}

// soften is how far inside either of two shapes that are joined softly.
func soften(a, b, k float64) float64 {
	h := max(k-math.Abs(a-b), 0) / k
	return max(a, b) + h*h*k/4
}

// at is how far inside the body and the toes a place lies, and in which toe.
func (f *wetFoot) at(x, y float64) (body, toe float64, which int) {
	x += f.bend * f.long * 4 * math.Pow(y/f.long-0.45, 2)
	ball, column := math.Inf(-1), math.Inf(-1)
	for i, h := range f.heads {
		if in := h[2] - math.Hypot(x-h[0], (y-h[1]+0.012*f.long)*f.stout); i == 0 {
			ball = in
		} else {
			ball = soften(ball, in, f.soft)
		}
	}
	for k := 1; k < len(f.column); k++ {
		column = max(column, inLimb(x, y, f.column[k-1], f.column[k]))
	}
	if body = inEllipse(x, y, f.heel); len(f.column) > 0 {
		body = soften(soften(body, column, f.soft), ball, f.soft)
	} else {
		body = max(body, ball)
	}
	toe = math.Inf(-1)
	for i, e := range f.toes {
		if !f.shown[i] {
			continue
		}
		in := inEllipse(x, y, e)
		if h := f.heads[i]; f.necks[i] > 0 && y < e[1] { // the toe's own down to half way between it and the ball
			neck := inLimb(x, y, [3]float64{e[0], e[1], f.necks[i]}, [3]float64{h[0], h[1], f.necks[i]})
			if y > (h[1]+h[2]+e[1]-e[3])/2 {
				in = max(in, neck)
			} else {
				body = max(body, neck)
			}
		}
		if in > toe {
			toe, which = in, i
		}
	}
	fray := f.frayBy[0]*f.fray[0].at(x, y) + f.frayBy[1]*f.fray[1].at(x, y)
	return body + fray, toe + fray, which
}

func (f *wetFoot) place(k int) (x, y float64) {
	return (float64(k%f.w)-float64(f.w)/2+0.5)*wetMM - 0.02*f.long, (float64(k/f.w)+0.5)*wetMM - 0.05*f.long
}

// measure measures the print on a grid, by the method's own words.
func (f *wetFoot) measure() {
	f.w, f.h = int(0.6*f.long/wetMM), int(1.2*f.long/wetMM)
	f.body, f.toe, f.second = make([]bool, f.w*f.h), make([]bool, f.w*f.h), make([]bool, f.w*f.h)
	for k := range f.body {
		x, y := f.place(k)
		b, t, n := f.at(x, y)
		f.body[k], f.toe[k] = b > 0 && b >= t, t > 0 && t > b
		f.second[k] = f.toe[k] && n == 1
	}
	lo, hi, row := heelRow(f.body, f.w)
	x0, hy := f.place(row*f.w + lo)
	x1, _ := f.place(hi)
	hx := (x0 + x1) / 2
	far, ax, ay := 0.0, 0.0, 1.0
	for k, on := range f.second {
		if x, y := f.place(k); on && math.Hypot(x-hx, y-hy) > far {
			far = math.Hypot(x-hx, y-hy)
			ax, ay = (x-hx)/far, (y-hy)/far
		}
	}
	low, high, tips := math.Inf(1), math.Inf(-1), math.Inf(-1)
	along := func(k int) float64 { x, y := f.place(k); return (x-hx)*ax + (y-hy)*ay }
	for k := range f.body {
		if f.body[k] {
			low, high = min(low, along(k)), max(high, along(k))
		} else if f.toe[k] {
			tips = max(tips, along(k))
		}
	}
	var all, middle float64
	for k, on := range f.body {
		if t := (along(k) - low) / (high - low); on {
			if all++; t >= 1.0/3 && t < 2.0/3 {
				middle++
			}
		}
	}
	f.index, f.lengthMM = middle/all, max(high, tips)-low
}

// wetKinds are of what a print is made.
var wetKinds = []string{"ink", "wet", "light on dark"}

// photo is the print as a telephone has it, mm a pixel.
func (f *wetFoot) photo(kind string) (image.Image, float64) {
	r := f.r
	u := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	mm, turn := u(0.32, 0.65), u(-0.5, 0.5)
	if r.IntN(4) == 0 {
		turn = u(0, 2*math.Pi)
	}
	w, h := int(u(0.75, 1.05)*f.long/mm), int(u(1.2, 1.5)*f.long/mm)
	if math.Abs(math.Sin(turn)) > 0.5 || r.IntN(4) == 0 {
		w, h = max(w, h), max(w, h)
	}
	return seen(f.shot(kind, w, h, mm, turn, false), w, h, u, r), mm
}

// onSheet is the print on the sheet with its marks, as a telephone that leans has it.
func (f *wetFoot) onSheet(kind string) image.Image {
	r := f.r
	u := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	const mm = 0.3
	sw, sh := footprint.PaperFor(f.long).Size()
	w, h := int(sw/mm), int(sh/mm)
	return leaned(f.shot(kind, w, h, mm, u(-0.15, 0.15)+math.Pi*float64(r.IntN(4)/3), true), [2]float64{sw, sh}, mm,
		[3]float64{u(1.7, 2.6), u(0, 38), u(-12, 12)}, u, r)
}

// leaned is what lies on a sheet of such a size, mm, with its marks and a ruler, as a camera sees it: from a distance, leaning
// and turned, as seenBy has them.
func leaned(img [][3]float64, sheet [2]float64, mm float64, by [3]float64, u func(a, b float64) float64, r *rand.Rand) image.Image {
	sw, sh := sheet[0], sheet[1]
	w, h := int(sw/mm), int(sh/mm)
	flat := image.NewRGBA(image.Rect(0, 0, w, h))
	for k, c := range img {
		x, y := (float64(k%w)+0.5)*mm, (float64(k/w)+0.5)*mm
		d := math.Hypot(min(x, sw-x)-footprint.MarkInset, min(y, sh-y)-footprint.MarkInset)
		mark := min(1, max(0, min(footprint.RingOuter-d, d-footprint.RingInner)/mm+0.5, (footprint.DotRadius-d)/mm+0.5))
		if x < 6 && math.Mod(y, 10) < 0.5 && y > 30 && y < sh-30 { // a ruler
			mark = 1
		}
		var p [3]uint8
		for i := range p {
			p[i] = uint8(min(255, max(0, c[i]*(1-0.85*mark))))
		}
		flat.SetRGBA(k%w, k/w, color.RGBA{p[0], p[1], p[2], 255})
	}
	leans := seenBy(flat, by[0], by[1], by[2]).(*image.RGBA)
	w, h = leans.Rect.Dx(), leans.Rect.Dy()
	img = make([][3]float64, w*h)
	for k := range img {
		img[k] = [3]float64{float64(leans.Pix[4*k]), float64(leans.Pix[4*k+1]), float64(leans.Pix[4*k+2])}
	}
	return seen(img, w, h, u, r)
}

// shot is the print on paper before a camera has it; plain is paper that fills the picture, without lines.
func (f *wetFoot) shot(kind string, w, h int, mm, turn float64, plain bool) [][3]float64 {
	r := f.r
	u := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	pick := func(of ...[3]float64) [3]float64 { return of[r.IntN(len(of))] }
	paper := pick([3]float64{248, 247, 243}, [3]float64{226, 219, 203}, [3]float64{201, 172, 130}, [3]float64{181, 150, 110},
		[3]float64{236, 238, 244}, [3]float64{214, 216, 210})
	ink := pick([3]float64{40, 44, 60}, [3]float64{50, 62, 128}, [3]float64{96, 74, 58}, [3]float64{28, 28, 30}, [3]float64{150, 30, 40})
	thick, soft, mottle, rim, halo := u(0.5, 0.9), u(0.2, 0.8), u(0, 0.25), u(-0.2, 0.3), 0.0
	switch kind {
	case "wet": // darker paper, without a colour of its own
		ink = [3]float64{paper[0] * 0.45, paper[1] * 0.43, paper[2] * 0.40}
		thick, soft, mottle, rim, halo = u(0.4, 0.95), u(0.4, 1.2), u(0.05, 0.35), u(-0.3, 0.35), u(0, 0.15)
	case "light on dark":
		paper = pick([3]float64{42, 44, 48}, [3]float64{60, 40, 38}, [3]float64{30, 50, 70})
		ink = pick([3]float64{215, 212, 205}, [3]float64{190, 170, 150})
	}
	sheet := f.sheetOf(w, h, mm, plain)
	inner, pores, poresAt := newWaves(r, u(3, 9)), newWaves(r, u(1, 2.5)), 1.9-u(0, 0.24)
	drops := make([][3]float64, r.IntN(8))
	for i := range drops {
		drops[i] = [3]float64{u(0, 1) * float64(w), u(0, 1) * float64(h), u(0.6, 4) / mm}
	}
	mirror := 1.0
	if f.side == term.Right {
		mirror = -1
	}
	sin, cos := math.Sincos(turn)
	f.seenAt = func(px, py float64) (x, y float64) {
		dx, dy := (px-float64(w)/2)*mm, (float64(h)/2-py)*mm
		return mirror * (dx*cos + dy*sin), -dx*sin + dy*cos + f.long*0.48
	}
	img := make([][3]float64, w*h)
	for k := range img {
		px, py := float64(k%w), float64(k/w)
		x, y := f.seenAt(px, py)
		body, toe, _ := f.at(x, y)
		in := max(body, toe)
		on := min(1, max(0, in/soft+0.5)) * (1 + rim*math.Exp(-max(0, in)/2.5) - max(0, rim))
		on *= 1 - mottle*min(1, max(0, 0.5+0.5*inner.at(x, y)))
		if in > 1 && pores.at(x, y) > poresAt {
			on *= 0.35
		}
		if in < 0 {
			on = max(on, halo*math.Exp(in/1.5))
		}
		for _, d := range drops {
			on = max(on, min(1, d[2]-math.Hypot(px-d[0], py-d[1])+0.5))
		}
		img[k] = sheet(px, py, paper, ink, thick*on)
	}
	return img
}

// sheetOf is the paper in its light: with creases, and perhaps squares or lines, a shadow over it, or a floor about it.
func (f *wetFoot) sheetOf(w, h int, mm float64, plain bool) func(x, y float64, paper, ink [3]float64, on float64) [3]float64 {
	r := f.r
	u := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	creased, creases := u(0, 6), [2]*waves{newWaves(r, 12/mm), newWaves(r, 35/mm)}
	lines, lineBy, aslant := r.IntN(5), u(0.08, 0.35), u(-0.04, 0.04) // squared, ruled, or neither
	colour := [3]float64{u(0.85, 1.1), u(0.9, 1.05), u(0.7, 1.1)}
	slope, vignette := [2]float64{u(-0.25, 0.25), u(-0.25, 0.25)}, u(0, 0.3)
	shadow, sx, sy, sa, wide := 0.0, u(0, 1), u(0, 1), u(0, 2*math.Pi), u(0.02, 0.15)
	if r.IntN(3) == 0 {
		shadow = u(0.12, 0.4)
	}
	floor := [4][3]float64{{120, 90, 62}, {70, 70, 74}, {160, 160, 158}, {38, 34, 32}}[r.IntN(4)]
	grain, laid, lies := newWaves(r, 20), r.IntN(2) == 0 && !plain, u(-0.2, 0.2)
	if plain {
		lines = 4
	}
	var ends [4][3]float64
	for i := range ends {
		a := lies + math.Pi/2*float64(i) + u(-0.05, 0.05)
		ends[i] = [3]float64{math.Cos(a), math.Sin(a), float64([2]int{w, h}[i%2]) / 2 * u(0.84, 1.02)}
	}
	return func(x, y float64, paper, ink [3]float64, on float64) (c [3]float64) {
		cx, cy := x/float64(w)-0.5, y/float64(h)-0.5
		light := (1 + slope[0]*cx + slope[1]*cy) * (1 - 2*vignette*(cx*cx+cy*cy))
		if shadow > 0 {
			light *= 1 - shadow/(1+math.Exp(-4/wide*((cx+0.5-sx)*math.Cos(sa)+(cy+0.5-sy)*math.Sin(sa))))
		}
		beside := false
		for _, e := range ends {
			beside = beside || laid && cx*float64(w)*e[0]+cy*float64(h)*e[1] > e[2]
		}
		gx, gy := math.Mod((x+aslant*y)*mm+500, 5), math.Mod((y-aslant*x)*mm+500, 5+3*float64(lines))
		for i := range c {
			if c[i] = paper[i]; lines < 2 && (gy < 0.35 || lines == 0 && gx < 0.35) {
				c[i] *= 1 - lineBy*[3]float64{1, 0.7, 0.35}[i]
			}
			c[i] += creased * (creases[0].at(x, y) + creases[1].at(x, y))
			if c[i] += on * (ink[i] - c[i]); beside {
				c[i] = floor[i] * (1 + 0.12*grain.at(x/8, y))
			}
			c[i] *= light * colour[i]
		}
		return c
	}
}

// seen is a picture as a telephone makes it: not quite sharp, sharpened, with noise, packed.
func seen(img [][3]float64, w, h int, u func(a, b float64) float64, r *rand.Rand) image.Image {
	img = softened(img, w, h, u(0, 1.3))
	if by := u(0, 1.2); by > 0.3 {
		soft := softened(img, w, h, 1.5)
		for i := range img {
			for q := range 3 {
				img[i][q] += by * (img[i][q] - soft[i][q])
			}
		}
	}
	noise := u(0.5, 4.5)
	out := image.NewRGBA(image.Rect(0, 0, w, h))
	for i, c := range img {
		var p [3]uint8
		for q := range p {
			p[q] = uint8(min(255, max(0, c[q]+noise*r.NormFloat64())))
		}
		out.SetRGBA(i%w, i/w, color.RGBA{p[0], p[1], p[2], 255})
	}
	return packed(out, 55+r.IntN(42))
}

// softened is a picture under a bell of some pixels.
func softened(img [][3]float64, w, h int, sigma float64) [][3]float64 {
	if sigma < 0.2 {
		return img
	}
	n := int(math.Ceil(2.5 * sigma))
	bell, sum := make([]float64, 2*n+1), 0.0
	for i := range bell {
		bell[i] = math.Exp(-float64((i-n)*(i-n)) / 2 / sigma / sigma)
		sum += bell[i]
	}
	pass := func(in [][3]float64, dx, dy int) [][3]float64 {
		out := make([][3]float64, len(in))
		for k := range out {
			for i, v := range bell {
				x, y := min(w-1, max(0, k%w+(i-n)*dx)), min(h-1, max(0, k/w+(i-n)*dy))
				for q := range 3 {
					out[k][q] += v / sum * in[y*w+x][q]
				}
			}
		}
		return out
	}
	return pass(pass(img, 1, 0), 0, 1)
}

// wetTally is how a reader did on such prints.
type wetTally struct {
	sync.Mutex
	sum, worst, n, within, refused, sides, far float64
}

func (w *wetTally) add(t *testing.T, f *wetFoot, got footprint.Reading, err error) {
	w.Lock()
	defer w.Unlock()
	if err != nil {
		t.Log(err)
		w.refused++
		return
	}
	off := math.Abs(got.ArchIndex - f.index)
	w.n, w.sum, w.worst = w.n+1, w.sum+off, max(w.worst, off)
	if off <= 2*footprint.IndexSD(got.Score) {
		w.within++
	}
	if got.Foot != f.side {
		w.sides++
	}
	if math.Abs(got.LengthMM-f.lengthMM) > 3 {
		w.far++
	}
}

func (w *wetTally) check(t *testing.T) {
	t.Helper()
	t.Logf("%.0f read, %.0f refused: arch index off by %.4f on average, %.4f at worst, %.0f within two of their own SDs; "+
		"side told wrong %.0f, length over 3 mm off %.0f", w.n, w.refused, w.sum/w.n, w.worst, w.within, w.sides, w.far)
	if w.refused > 1 || w.sides > 1 || w.sum/w.n > 0.008 || w.within < 0.92*w.n || w.far > 0.15*w.n {
		t.Error("over the limits")
	}
}

// wetPrints reads the prints of some seeds, each by itself, and checks how all of them were read.
func wetPrints(t *testing.T, from, to uint64, read func(t *testing.T, seed uint64, f *wetFoot) (footprint.Reading, error)) {
	t.Helper()
	var all wetTally
	t.Run("", func(t *testing.T) {
		for seed := from; seed < to; seed++ {
			t.Run(fmt.Sprint(seed), func(t *testing.T) {
				t.Parallel()
				f := newWetFoot(seed)
				got, err := read(t, seed, f)
				all.add(t, f, got, err)
			})
		}
	})
	all.check(t)
}

// Prints that no reader was shaped by, on papers that lie on a floor, are creased, squared, ruled or half in a shadow.
func TestWetPrints(t *testing.T) {
	t.Parallel()
	wetPrints(t, 700, 736, func(t *testing.T, seed uint64, f *wetFoot) (footprint.Reading, error) {
		img, mm := f.photo(wetKinds[seed%3])
		got, err := footprint.Read(img, footprint.Options{MMPerPx: mm})
		if err != nil {
			return got, err
		}
		// What is drawn over the picture lies on the print.
		if body, _, _ := f.at(f.seenAt(got.Axis.Heel.X, got.Axis.Heel.Y)); body < 8 {
			t.Errorf("the heel's middle lies %.1f mm inside the print", body)
		}
		for _, p := range got.Outline {
			if body, toe, _ := f.at(f.seenAt(p.X, p.Y)); math.Abs(body) > 25 && math.Abs(toe) > 25 {
				t.Errorf("the outline at %v lies %.1f mm from the print's border", p, body)
				break
			}
		}
		return got, nil
	})
}

// shaded is a photo with the shadow of a telephone or a head in its midst, mm a pixel: so dark, with a soft border.
func shaded(img image.Image, mm float64, r *rand.Rand) image.Image {
	u := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	b := img.Bounds()
	x, y := u(0.3, 0.7)*float64(b.Dx()), u(0.3, 0.7)*float64(b.Dy())
	sin, cos := math.Sincos(u(0, 2*math.Pi))
	dark, soft, head := u(0.15, 0.32), u(6, 18), r.IntN(2) == 0
	out := image.NewRGBA(b)
	for py := b.Min.Y; py < b.Max.Y; py++ {
		for px := b.Min.X; px < b.Max.X; px++ {
			dx, dy := (float64(px)-x)*mm, (float64(py)-y)*mm
			dx, dy = cos*dx+sin*dy, cos*dy-sin*dx
			in := min(40-math.Abs(dx), 85-math.Abs(dy))
			if head {
				in = 50 * (1 - math.Hypot(dx/50, dy/65))
			}
			k := 1 - dark*min(1, max(0, in/soft+0.5))
			red, green, blue, _ := img.At(px, py).RGBA()
			out.SetRGBA(px, py, color.RGBA{uint8(k * float64(red>>8)), uint8(k * float64(green>>8)), uint8(k * float64(blue>>8)), 255})
		}
	}
	return out
}

// A shadow in the midst of the picture, as whoever photographs throws it, is no print, also where the print lies across it.
func TestShadowInTheMidst(t *testing.T) {
	t.Parallel()
	wetPrints(t, 760, 784, func(_ *testing.T, seed uint64, f *wetFoot) (footprint.Reading, error) {
		img, mm := f.photo(wetKinds[seed%2])
		return footprint.Read(shaded(img, mm, f.r), footprint.Options{MMPerPx: mm})
	})
}

// Those prints on the print sheet, from a camera that leans.
func TestWetPrintsOnSheet(t *testing.T) {
	t.Parallel()
	wetPrints(t, 740, 752, func(t *testing.T, seed uint64, f *wetFoot) (footprint.Reading, error) {
		got, err := footprint.Read(f.onSheet(wetKinds[seed%2]), footprint.Options{})
		if err == nil && got.Scale.Source != "sheet" {
			t.Errorf("the scale is %s", got.Scale.Source)
		}
		return got, err
	})
}

// The way in which a print was parted from its paper stays the same under a hand, also where the hand comes first.
func TestSameWayUnderAHand(t *testing.T) {
	t.Parallel()
	f := newWetFoot(709) // squared paper on a floor, read by the print's border alone
	img, mm := f.photo(wetKinds[709%3])
	opt := footprint.Options{MMPerPx: mm}
	hand := footprint.Options{MMPerPx: mm, Level: 0.45, Strokes: []footprint.Stroke{
		{Points: []footprint.Point{{X: 115, Y: 180}, {X: 165, Y: 180}}, Radius: 28},
		{Points: []footprint.Point{{X: 180, Y: 200}, {X: 185, Y: 380}}, Radius: 18}, {Points: []footprint.Point{{X: 182, Y: 385}}, Radius: 36}}}
	var got [2]footprint.Reading
	for i := range got {
		p, err := footprint.Prepare(img, opt)
		if err != nil {
			t.Fatal(err)
		}
		if i == 0 {
			if _, err := p.Read(opt); err != nil {
				t.Fatal(err)
			}
		}
		if got[i], err = p.Read(hand); err != nil {
			t.Fatal(err)
		}
	}
	if got[0].ArchIndex != got[1].ArchIndex || got[0].LengthMM != got[1].LengthMM {
		t.Errorf("arch index %.4f and %.4f, length %.1f and %.1f mm", got[0].ArchIndex, got[1].ArchIndex, got[0].LengthMM, got[1].LengthMM)
	}
}
