package device

import (
	"math"
	"math/rand/v2"
)

// smudge is what happens to a print before it is photographed, and the shadow over it.
type smudge struct {
	p          Photo
	patch      func(x, y float64) float64
	fadeX      float64
	fadeY      float64
	dragX      float64
	dragY      float64
	body       float64
	hand       [3]ellipse // shares of the picture
	patchLevel float64
}

// look decides by chance how a photo's smudges lie. It draws nothing from chance where none is asked for.
func (p Photo) look(r *rand.Rand, body float64) smudge {
	s := smudge{p: p, body: body}
	if p.Blotch > 0 {
		noise := lattice(r, 200, body+60, 9)
		s.patch = func(x, y float64) float64 { return noise(x+100, y+10) }
		// The level under which so large a share of the noise lies.
		var v []float64
		for range 2000 {
			v = append(v, noise(200*r.Float64(), (body+60)*r.Float64()))
		}
		s.patchLevel = quantile(v, p.Blotch)
	}
	if p.HalfDry > 0 {
		a := 2 * math.Pi * r.Float64()
		s.fadeX, s.fadeY = math.Cos(a), math.Sin(a)
	}
	if p.Smear > 0 {
		a := 2 * math.Pi * r.Float64()
		s.dragX, s.dragY = p.Smear*math.Cos(a), p.Smear*math.Sin(a)
	}
	if p.Hand > 0 {
		x, y := float64(r.IntN(2)), 0.2+0.6*r.Float64()
		for i := range s.hand {
			s.hand[i] = ellipse{x, y + 0.09*float64(i-1), 0.22 + 0.12*r.Float64(), 0.05 + 0.04*r.Float64(), 0.3 * (r.Float64() - 0.5)}
		}
	}
	return s
}

func quantile(v []float64, q float64) float64 {
	n, lo, hi := int(q*float64(len(v))), 0.0, 1.0
	for range 30 {
		m, below := (lo+hi)/2, 0
		for _, x := range v {
			if x < m {
				below++
			}
		}
		if below < n {
			lo = m
		} else {
			hi = m
		}
	}
	return lo
}

// at is how much print there is at a place once it was smudged.
func (s *smudge) at(f Printing, x, y, soft float64) float64 {
	on := f.On(x, y, soft)
	if s.p.Smear > 0 {
		// The drag leaves a thin tail.
		for k := 1; k <= 5; k++ {
			d := float64(k) / 5
			on = max(on, (0.4-0.06*float64(k))*f.On(x-d*s.dragX, y-d*s.dragY, soft))
		}
	}
	if on > 0 && s.patch != nil {
		on *= 1 - 0.9*min(1, max(0, (s.patchLevel-s.patch(x, y))/0.06+0.5))
	}
	if s.p.HalfDry > 0 {
		t := (x*s.fadeX/0.5 + (y-s.body/2)*s.fadeY) / s.body
		on *= 1 - s.p.HalfDry*min(1, max(0, t+0.5))
	}
	return on
}

// shadow is the light that a hand beside the camera leaves at a share of the picture.
func (s *smudge) shadow(x, y float64) float64 {
	if s.p.Hand == 0 {
		return 1
	}
	d := math.Inf(1)
	for _, e := range s.hand {
		d = min(d, e.inside(x, y))
	}
	return 1 - s.p.Hand*min(1, max(0, 0.5-d/0.06))
}
