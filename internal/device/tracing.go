package device

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"

	"trevik/internal/core/footprint"
	"trevik/internal/core/term"
)

// TracedTruth is what a traced foot really measures, mm.
type TracedTruth struct {
	Foot     term.Side  `json:"foot"`
	LengthMM float64    `json:"length_mm"`
	BallMM   float64    `json:"ball_width_mm"`
	HeelMM   float64    `json:"heel_width_mm"`
	ToeShape term.Shape `json:"toe_shape"`
}

// Tracing is how a pen was led round the foot.
type Tracing struct {
	PenMM    float64 // how far apart the two sides of the pen's barrel are: the line lies half of it outside
	WidthMM  float64 // of the line
	Open     float64 // mm that are missing at a place
	Over     float64 // mm that the line runs on past where it began
	Twice    float64 // share of the way that is drawn a second time
	Shake    float64 // mm, the hand's
	Pressure float64 // how much of its darkness the line loses here and there, 0 to 0.8
}

// TracedFoot is an invented foot as it stands, and the line that was drawn round it.
type TracedFoot struct {
	Side    term.Side
	Shape   term.Shape
	Length  float64
	border  []pt // the foot's own
	stroke  [][]pt
	width   float64
	press   func(x, y float64) float64
	covered map[[2]int]float32
	heel    pt
}

// RandomTraced invents a foot and draws round it. y runs from heel to toes, x towards the inner side.
func RandomTraced(r *rand.Rand, by Tracing) *TracedFoot {
	u := func(lo, hi float64) float64 { return lo + (hi-lo)*r.Float64() }
	f := &TracedFoot{Side: term.Sides[r.IntN(2)], Length: u(215, 292), width: by.WidthMM}
	f.Shape = []term.Shape{"tapered", "round", "square"}[r.IntN(3)]
	l := f.Length
	b := l * u(0.365, 0.415)
	h := b * u(0.60, 0.70)
	bend := u(-0.015, 0.03) * l
	p := func(t, x float64) { f.border = append(f.border, pt{x - bend*math.Sin(math.Pi*t), t * l}) }
	in, out := b*u(0.48, 0.52), 0.0
	out = b - in
	hi, ho := h/2*u(0.95, 1.05), 0.0
	ho = h - hi
	hollow := u(0.02, 0.17) * b // of the arch's side
	p(0, 0)
	p(0.02, 0.52*hi)
	p(0.06, 0.84*hi)
	p(0.125, hi)
	p(0.22, hi*u(0.97, 1.01))
	p(0.34, 0.72*hi+0.28*in-hollow*0.7)
	p(0.47, 0.45*hi+0.55*in-hollow)
	p(0.60, 0.2*hi+0.8*in-hollow*0.35)
	p(0.70, 0.97*in)
	p(u(0.735, 0.75), in)
	p(0.82, in*u(0.95, 0.99))
	// The toes: where each tip lies, from the big toe outward, by the front's shape.
	tips := map[term.Shape][5]float64{"tapered": {1, 0.966, 0.925, 0.876, 0.822}, "round": {0.985, 1, 0.972, 0.925, 0.865},
		"square": {0.997, 1, 0.993, 0.972, 0.938}}[f.Shape]
	for i := range tips {
		tips[i] += u(-0.004, 0.004)
	}
	top := math.Max(tips[0], tips[1])
	x := [5]float64{0.62 * in, 0.16 * in, -0.20 * out, -0.52 * out, -0.80 * out}
	p(0.5*(0.82+tips[0]/top), in*u(0.93, 0.97))
	p(tips[0]/top-0.012, 0.84*in)
	p(tips[0]/top, x[0])
	for i := 1; i < 5; i++ {
		notch := u(0.002, 0.010) // the pen hardly goes in between two toes
		p((tips[i-1]+tips[i])/2/top-notch, (x[i-1]+x[i])/2)
		p(tips[i]/top, x[i])
	}
	p(tips[4]/top-0.02, -0.93*out)
	p(tips[4]/top-0.08, -0.98*out)
	p(0.665, -out)
	p(0.56, -0.97*out)
	p(0.42, -(0.55*out + 0.45*ho))
	p(0.28, -(0.15*out + 0.87*ho))
	p(0.125, -ho)
	p(0.06, -0.84*ho)
	p(0.02, -0.52*ho)
	f.border = spline(f.border, 14)
	low, high := math.Inf(1), math.Inf(-1)
	for _, q := range f.border {
		low, high = min(low, q.y), max(high, q.y)
	}
	for i := range f.border {
		f.border[i].y -= low
	}
	f.Length = high - low
	f.draw(r, by)
	return f
}

// draw leads the pen round.
func (f *TracedFoot) draw(r *rand.Rand, by Tracing) {
	n := len(f.border)
	round := func(shift float64, seed float64) []pt {
		out := make([]pt, n)
		for i, p := range f.border {
			a, b := f.border[(i+n-2)%n], f.border[(i+2)%n]
			dx, dy := b.x-a.x, b.y-a.y
			l := math.Hypot(dx, dy)
			w := 2 * math.Pi * float64(i) / float64(n)
			off := by.PenMM/2 + shift + by.Shake*(0.6*math.Sin(5*w+seed)+0.5*math.Sin(13*w+2*seed)+0.35*math.Sin(31*w+3*seed))
			out[i] = pt{p.x + dy/l*off, p.y - dx/l*off} // the border runs so that the outside lies to its right
		}
		return out
	}
	area := 0.0
	for i, p := range f.border {
		q := f.border[(i+1)%n]
		area += p.x*q.y - q.x*p.y
	}
	if area < 0 {
		for i, j := 0, n-1; i < j; i, j = i+1, j-1 {
			f.border[i], f.border[j] = f.border[j], f.border[i]
		}
	}
	first := round(0, 6*r.Float64())
	begin := r.IntN(n)
	long := 0.0
	var way []pt
	total := 0.0
	for i := range n {
		p, q := first[i], first[(i+1)%n]
		total += math.Hypot(q.x-p.x, q.y-p.y)
	}
	end := total - by.Open + by.Over
	for i := 0; long < end && i < 2*n; i++ {
		p, q := first[(begin+i)%n], first[(begin+i+1)%n]
		if i >= n { // past where it began it strays
			k := float64(i-n) * 0.06
			p.x, p.y = p.x+k, p.y+k
		}
		way = append(way, p)
		long += math.Hypot(q.x-p.x, q.y-p.y)
	}
	f.stroke = append(f.stroke, way)
	if by.Twice > 0 {
		second := round(1.2+1.8*r.Float64(), 6*r.Float64())
		at := r.IntN(n)
		var part []pt
		for i := range int(by.Twice * float64(n)) {
			part = append(part, second[(at+i)%n])
		}
		f.stroke = append(f.stroke, part)
	}
	noise := lattice(r, 400, 500, 18)
	f.press = func(x, y float64) float64 { return 1 - by.Pressure*noise(x+200, y+60) }
	f.cover()
}

// cover draws the strokes on a grid.
func (f *TracedFoot) cover() {
	f.covered = map[[2]int]float32{}
	const step = 0.2
	for _, s := range f.stroke {
		for i := range len(s) - 1 {
			a, b := s[i], s[i+1]
			k := int(math.Hypot(b.x-a.x, b.y-a.y)/step) + 1
			for j := range k {
				t := float64(j) / float64(k)
				x, y := a.x+t*(b.x-a.x), a.y+t*(b.y-a.y)
				r := f.width/2 + 0.2
				for gy := int(math.Floor((y - r) / step)); gy <= int(math.Ceil((y+r)/step)); gy++ {
					for gx := int(math.Floor((x - r) / step)); gx <= int(math.Ceil((x+r)/step)); gx++ {
						d := math.Hypot(float64(gx)*step-x, float64(gy)*step-y)
						v := float32(min(1, max(0, (f.width/2-d)/0.2+0.5)))
						if c := [2]int{gx, gy}; v > f.covered[c] {
							f.covered[c] = v
						}
					}
				}
			}
		}
	}
}

// On is how dark the drawn line is at a place, 0 to 1.
func (f *TracedFoot) On(x, y, _ float64) float64 {
	v := f.covered[[2]int{int(math.Round(x / 0.2)), int(math.Round(y / 0.2))}]
	if v == 0 {
		return 0
	}
	return float64(v) * f.press(x, y)
}

// Size is about its ball's width, and its length.
func (f *TracedFoot) Size() (ball, body float64) { return 0.4 * f.Length, f.Length }

// Foot is which one it is.
func (f *TracedFoot) Foot() term.Side { return f.Side }

// Render photographs the sheet.
func (f *TracedFoot) Render(p Photo, r *rand.Rand) image.Image { return p.Of(f, r) }

// Truth measures the foot's own border by the method's definitions.
func (f *TracedFoot) Truth() TracedTruth {
	heel, front := pt{0, 0.15 * f.Length}, pt{0, f.Length}
	var t TracedTruth
	for range 12 {
		l := math.Hypot(front.x-heel.x, front.y-heel.y)
		ux, uy := (front.x-heel.x)/l, (front.y-heel.y)/l
		const bins = 400
		lo, hi := math.Inf(1), math.Inf(-1)
		for _, p := range f.border {
			v := p.x*ux + p.y*uy
			lo, hi = min(lo, v), max(hi, v)
		}
		var left, right [bins]float64
		for i := range left {
			left[i], right[i] = math.Inf(1), math.Inf(-1)
		}
		n := len(f.border)
		for i, a := range f.border {
			b := f.border[(i+1)%n]
			for k := range 20 {
				z := float64(k) / 20
				x, y := a.x+z*(b.x-a.x), a.y+z*(b.y-a.y)
				j := min(bins-1, max(0, int((x*ux+y*uy-lo)/(hi-lo)*bins)))
				s := x*uy - y*ux // towards the inner side
				left[j], right[j] = min(left[j], s), max(right[j], s)
			}
		}
		ball, wide, inner := 0.0, 0.0, math.Inf(-1)
		for i := range left {
			at := (float64(i) + 0.5) / bins
			if at < 0.25 {
				wide = max(wide, right[i]-left[i])
			}
			if at > 0.55 && at < 0.85 {
				ball, inner = max(ball, right[i]-left[i]), max(inner, right[i])
			}
		}
		i := int(wide / 2 / (hi - lo) * bins)
		v, s := lo+wide/2, (left[i]+right[i])/2
		heel = pt{v*ux + s*uy, v*uy - s*ux}
		at := inner - 0.46*ball
		far := lo
		for k, a := range f.border {
			b := f.border[(k+1)%n]
			s0, s1 := a.x*uy-a.y*ux, b.x*uy-b.y*ux
			if (s0-at)*(s1-at) <= 0 && s0 != s1 {
				v0, v1 := a.x*ux+a.y*uy, b.x*ux+b.y*uy
				far = max(far, v0+(at-s0)/(s1-s0)*(v1-v0))
			}
		}
		front = pt{far*ux + at*uy, far*uy - at*ux}
		t = TracedTruth{f.Side, hi - lo, ball, wide, f.Shape}
	}
	return t
}

// RandomTracing is a way of drawing and of photographing that a shop would see.
func RandomTracing(r *rand.Rand) (Tracing, Photo) {
	u := func(lo, hi float64) float64 { return lo + (hi-lo)*r.Float64() }
	by := Tracing{PenMM: footprint.PenMM, WidthMM: u(0.5, 1.4), Shake: u(0, 0.35), Pressure: u(0, 0.5)}
	inks := [][3]float64{{0.25, 0.3, 0.62}, {0.16, 0.16, 0.18}, {0.45, 0.45, 0.46}, {0.2, 0.24, 0.5}, {0.62, 0.2, 0.2}}
	p := Photo{Paper: footprint.A3, MMPerPx: u(0.26, 0.42), Turn: u(-8, 8), Tilt: u(0, 0.26), Roll: u(-8, 8), Uneven: u(0, 0.35),
		Noise: u(1, 4), Ink: inks[r.IntN(len(inks))], Dark: 0.3}
	if r.Float64() < 0.3 {
		by.Open = u(3, 14)
	} else if r.Float64() < 0.5 {
		by.Over = u(5, 40)
	}
	if r.Float64() < 0.25 {
		by.Twice = u(0.1, 0.6)
	}
	if r.Float64() < 0.25 {
		p.Hand = u(0.2, 0.4)
	}
	if r.Float64() < 0.2 {
		p.Base = color.RGBA{226, 214, 190, 255}
	}
	return by, p
}
