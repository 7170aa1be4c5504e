// Package device holds stand-ins for what a shop has on its bench: they hand over
// what the real device would, with the truth beside it, so that a reading can be
// checked. A seed makes them repeatable.
package device

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"

	"trevik/internal/core/footprint"
	"trevik/internal/core/term"
)

type pt struct{ x, y float64 }

// ellipse with half-axes a, b turned by angle.
type ellipse struct{ x, y, a, b, turn float64 }

// inside is below 0 within the ellipse, near the distance to it in mm.
func (e ellipse) inside(x, y float64) float64 {
	s, c := math.Sincos(e.turn)
	dx, dy := x-e.x, y-e.y
	u, v := (dx*c+dy*s)/e.a, (-dx*s+dy*c)/e.b
	k := math.Hypot(u, v)
	if k == 0 {
		return -min(e.a, e.b)
	}
	// The value over its slope is the distance to first order.
	g := math.Hypot(u/e.a, v/e.b) / k
	return (k - 1) / g
}

// PrintTruth is what a reader should find.
type PrintTruth struct {
	Foot       term.Side `json:"foot"`
	LengthMM   float64   `json:"length_mm"`
	NoToesMM   float64   `json:"no_toes_length_mm"`
	BallMM     float64   `json:"ball_width_mm"`
	HeelMM     float64   `json:"heel_width_mm"`
	ArchIndex  float64   `json:"arch_index"`
	BrokenArch bool      `json:"broken_arch"`
}

// Photo is how a print is photographed. The zero value is a clean scan.
type Photo struct {
	Paper     footprint.Paper // "" for bare paper without a sheet's marks
	MMPerPx   float64         // of bare paper; of a sheet roughly
	Turn      float64         // of the foot on the paper, degrees
	Tilt      float64         // of the camera: how much a side shrinks, 0 to 0.25
	Roll      float64         // of the camera, degrees
	Base      color.RGBA      // the paper
	Dark      float64         // the print's brightness ÷ the paper's; over 1 is lighter
	Uneven    float64         // of the light, 0 to 0.6
	Noise     float64         // grey levels
	Mottle    float64         // of the print, 0 to 0.4
	Soft      float64         // mm, the print's edge
	Specks    int
	Splashes  int
	Grain     float64 // brown paper's fibres, grey levels
	Printed   float64 // how dark lines of words on the paper are, 0 to 1
	Cut       float64 // mm of the heel beyond the picture
	Empty     bool
	Ink       [3]float64 // of a pen: what is left of red, green and blue; all 0 takes Dark for each
	Blotch    float64    // share of the print that stayed dry, in patches
	HalfDry   float64    // how much of its depth the print loses from one side to the other, 0 to 0.8
	Smear     float64    // mm that the foot was dragged as it was lifted
	Hand      float64    // how much light a hand takes, over a corner of the paper, 0 to 0.6
	OffsetXMM float64
}

// Printing is a foot that leaves a print: how much of it there is at a place (0 to 1; mm from its heel's end,
// towards the toes and towards the inner side) under an edge of soft mm; its ball's width and its length without toes, mm.
type Printing interface {
	On(x, y, soft float64) float64
	Size() (ball, body float64)
	Foot() term.Side
}

// Render photographs the foot's print.
func (f *NaturalFoot) Render(p Photo, r *rand.Rand) image.Image { return p.Of(f, r) }

// Of photographs a print.
func (p Photo) Of(f Printing, r *rand.Rand) image.Image {
	ball, body := f.Size()
	if p.MMPerPx == 0 {
		p.MMPerPx = 0.4
	}
	if p.Base == (color.RGBA{}) {
		p.Base = color.RGBA{244, 242, 238, 255}
	}
	if p.Dark == 0 {
		p.Dark = 0.35
	}
	if p.Soft == 0 {
		p.Soft = 0.8
	}
	pw, ph := ball+90, body+110
	if t := math.Abs(math.Sin(p.Turn * math.Pi / 180)); t > 0.02 {
		side := math.Hypot(pw, ph)
		pw, ph = side, side
	}
	if p.Paper != "" {
		pw, ph = p.Paper.Size()
	}
	w, h := int(pw/p.MMPerPx), int(ph/p.MMPerPx)
	if p.Paper != "" && (p.Tilt > 0 || p.Roll != 0) {
		w, h = int(float64(w)*1.12), int(float64(h)*1.12)
	}
	toPaper := camera(p, w, h, pw, ph)
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	turn := p.Turn * math.Pi / 180
	s, c := math.Sincos(turn)
	midY := (body + 20) / 2
	flip := 1.0
	if f.Foot() == term.Right {
		flip = -1
	}
	spots := p.spots(r, pw, ph)
	mottle := lattice(r, pw, ph, 5)
	fibre := lattice(r, pw*3, ph, 2)
	lx, ly := r.Float64()*2-1, r.Float64()*2-1
	look := p.look(r, body)
	for y := range h {
		for x := range w {
			mx, my := toPaper(float64(x), float64(y))
			light := 1 - p.Uneven*(0.5+0.5*(lx*(2*mx/pw-1)+ly*(2*my/ph-1))/1.5) - 0.35*p.Uneven*((2*mx/pw-1)*(2*mx/pw-1)+(2*my/ph-1)*(2*my/ph-1))/2
			on := 0.0
			if !p.Empty {
				// Paper to foot: the foot stands in the middle, toes up.
				ux, uy := mx-pw/2-p.OffsetXMM, ph/2-my
				if p.Cut > 0 {
					uy -= (ph-body)/2 + p.Cut - 8
				}
				fx, fy := (ux*c+uy*s)*flip, -ux*s+uy*c+midY
				if fx > -80 && fx < 80 && fy > -30 && fy < body+70 {
					on = look.at(f, fx, fy, p.Soft)
				}
			}
			for _, q := range spots {
				if math.Abs(mx-q.x) > 12 || math.Abs(my-q.y) > 12 {
					continue
				}
				on = max(on, min(1, max(0, 0.5-q.inside(mx, my)/p.Soft)))
			}
			tone, ink := 1.0, [3]float64{1, 1, 1}
			if on > 0 && p.Ink != ([3]float64{}) {
				for c := range ink {
					ink[c] = 1 - on*(1-p.Ink[c])
				}
			} else if on > 0 {
				tone = 1 - on*(1-p.Dark)*(1-p.Mottle*mottle(mx, my))
			}
			if p.Paper != "" {
				tone *= p.printed(mx, my)
			}
			if p.Printed > 0 && words(mx, my) {
				tone *= 1 - p.Printed
			}
			light *= look.shadow(mx/pw, my/ph)
			if mx < 0 || my < 0 || mx > pw || my > ph {
				tone, light, ink = 0.3, 1, [3]float64{1, 1, 1} // the floor
			}
			grain := p.Grain * (fibre(mx*3, my) - 0.5)
			n := p.Noise*r.NormFloat64() + grain
			px := func(base uint8, ink float64) uint8 { return uint8(min(255, max(0, float64(base)*light*tone*ink+n))) }
			img.SetRGBA(x, y, color.RGBA{px(p.Base.R, ink[0]), px(p.Base.G, ink[1]), px(p.Base.B, ink[2]), 255})
		}
	}
	return img
}

// printed is the sheet's own ink: marks, and the ruler beside the foot.
func (p Photo) printed(x, y float64) float64 {
	w, h := p.Paper.Size()
	for _, m := range [4][2]float64{{footprint.MarkInset, footprint.MarkInset}, {w - footprint.MarkInset, footprint.MarkInset},
		{w - footprint.MarkInset, h - footprint.MarkInset}, {footprint.MarkInset, h - footprint.MarkInset}} {
		d := math.Hypot(x-m[0], y-m[1])
		if d < footprint.DotRadius || d > footprint.RingInner && d < footprint.RingOuter {
			return 0.12
		}
	}
	if x > 12 && x < 18 && y > 40 && y < h-40 && math.Mod(y, 10) < 0.5 {
		return 0.2
	}
	return 1
}

// words says whether there is a letter at a place of a page of small print: lines
// every 5 mm, words of broken strokes.
func words(x, y float64) bool {
	if math.Mod(y, 5) > 1.8 || math.Mod(x+7*math.Floor(y/5), 23) < 3 {
		return false
	}
	return math.Mod(x*1.7+3*math.Floor(y/5), 1.9) < 0.6 || math.Mod(y, 5) < 0.4 && math.Mod(x, 3.1) < 1.9
}

// camera gives the map from a pixel to mm on the paper.
func camera(p Photo, w, h int, pw, ph float64) func(x, y float64) (float64, float64) {
	if p.Tilt == 0 && p.Roll == 0 {
		return func(x, y float64) (float64, float64) {
			return (x + 0.5) / float64(w) * pw, (y + 0.5) / float64(h) * ph
		}
	}
	s, c := math.Sincos(p.Roll * math.Pi / 180)
	return func(x, y float64) (float64, float64) {
		u, v := (x+0.5)/float64(w)*2-1, (y+0.5)/float64(h)*2-1
		aspect := float64(w) / float64(h)
		u, v = u*c*1-v*s/aspect, u*s*aspect+v*c
		k := (1.06 + 2.2*p.Tilt + 0.016*math.Abs(p.Roll)) / (1 + p.Tilt*v - 0.5*p.Tilt*u)
		return (u*k + 1) / 2 * pw, (v*k + 1) / 2 * ph
	}
}

// spots are specks and splashes beside the print.
func (p Photo) spots(r *rand.Rand, pw, ph float64) []ellipse {
	var out []ellipse
	for range p.Specks {
		out = append(out, ellipse{r.Float64() * pw, r.Float64() * ph, 0.4 + r.Float64(), 0.4 + r.Float64(), 0})
	}
	for range p.Splashes {
		x := 0.08 * pw
		if r.IntN(2) == 0 {
			x = 0.92 * pw
		}
		out = append(out, ellipse{x + 6*r.NormFloat64(), (0.2 + 0.6*r.Float64()) * ph, 2 + 4*r.Float64(), 2 + 4*r.Float64(), r.Float64()})
	}
	return out
}

// lattice is smooth noise, 0 to 1, with a grain of so many mm.
func lattice(r *rand.Rand, w, h, grain float64) func(x, y float64) float64 {
	nw, nh := int(w/grain)+3, int(h/grain)+3
	v := make([]float64, nw*nh)
	for i := range v {
		v[i] = r.Float64()
	}
	return func(x, y float64) float64 {
		gx, gy := min(float64(nw-2), max(0, x/grain)), min(float64(nh-2), max(0, y/grain))
		ix, iy := int(gx), int(gy)
		fx, fy := gx-float64(ix), gy-float64(iy)
		at := func(i, j int) float64 { return v[min(nh-1, j)*nw+min(nw-1, i)] }
		return (at(ix, iy)*(1-fx)+at(ix+1, iy)*fx)*(1-fy) + (at(ix, iy+1)*(1-fx)+at(ix+1, iy+1)*fx)*fy
	}
}
