package track

import "math"

// The grid over which the likeliest q (m²/s³) and σ (m) are sought.
var (
	densities = []float64{0.003, 0.01, 0.03, 0.1, 0.3, 1}
	sigmas    = []float64{0.05, 0.15, 0.3, 0.5, 0.8, 1.2, 1.8, 2.5, 3.5, 5, 7, 10}
)

// likeliest gives the q and σ under which the stretches are likeliest. A jump counts as far
// as the gate and no further.
func likeliest(list []stretch) (q, sigma float64) {
	best := math.Inf(-1)
	for _, d := range densities {
		for _, s := range sigmas {
			l := 0.0
			for _, x := range list {
				l += x.likelihood(d, s)
			}
			if l > best {
				best, q, sigma = l, d, s
			}
		}
	}
	return q, sigma
}

// cov is the covariance of a place and its velocity along one axis; both axes share it.
type cov struct{ pp, pv, vv float64 }

// ahead is the covariance after h seconds.
func (c cov) ahead(h, q float64) cov {
	return cov{c.pp + 2*h*c.pv + h*h*c.vv + q*h*h*h/3, c.pv + h*c.vv + q*h*h/2, c.vv + q*h}
}

// seen is the covariance after a place was seen with variance r, and the gains.
func (c cov) seen(r float64) (cov, float64, float64) {
	s := c.pp + r
	kp, kv := c.pp/s, c.pv/s
	return cov{(1 - kp) * c.pp, (1 - kp) * c.pv, c.vv - kv*c.pv}, kp, kv
}

// start is the belief at a stretch's first place.
func (s stretch) start(r float64) (at, v vec, c cov) {
	return s.xy[0], vec{}, cov{r, 0, 16}
}

func (s stretch) likelihood(q, sigma float64) float64 {
	r := sigma * sigma
	at, v, c := s.start(r)
	sum := 0.0
	for i := 1; i < len(s.t); i++ {
		h := s.t[i] - s.t[i-1]
		at = vec{at.x + h*v.x, at.y + h*v.y}
		c = c.ahead(h, q)
		ex, ey := s.xy[i].x-at.x, s.xy[i].y-at.y
		w := c.pp + r
		d := (ex*ex + ey*ey) / w
		sum -= math.Log(w) + math.Min(d, gate)/2
		if d > gate {
			continue
		}
		var kp, kv float64
		c, kp, kv = c.seen(r)
		at, v = vec{at.x + kp*ex, at.y + kp*ey}, vec{v.x + kv*ex, v.y + kv*ey}
	}
	return sum
}

// smooth gives the stretch as it was run, in pieces where a row of jumps shows that the
// receiver found itself somewhere else. jumps counts the places that were left out.
func (s stretch) smooth(q, sigma float64, jumps *int) [][]state {
	var out [][]state
	for len(s.t) > 0 {
		states, used := s.piece(q, sigma, jumps)
		if len(states) > 1 || len(s.t) == len(states) {
			out = append(out, states)
		}
		s = stretch{s.t[used:], s.xy[used:]}
	}
	return out
}

// step is what the filter knew before and after a place.
type step struct {
	t             float64
	at, v         vec // after
	c             cov
	priorAt       vec // before
	priorV        vec
	prior         cov
	sinceLastStep float64
}

// piece smooths from the first place on, as far as places follow one another; used is how
// many places it took.
func (s stretch) piece(q, sigma float64, jumps *int) (states []state, used int) {
	r := sigma * sigma
	at, v, c := s.start(r)
	steps := []step{{t: s.t[0], at: at, v: v, c: c}}
	used = len(s.t)
	row := 0
	for i := 1; i < len(s.t); i++ {
		last := &steps[len(steps)-1]
		h := s.t[i] - last.t
		priorAt := vec{last.at.x + h*last.v.x, last.at.y + h*last.v.y}
		prior := last.c.ahead(h, q)
		ex, ey := s.xy[i].x-priorAt.x, s.xy[i].y-priorAt.y
		if off := ex*ex + ey*ey; off/(prior.pp+r) > gate && off > leastJump*leastJump || dist(s.xy[i], last.at) > fastest*h+6*sigma {
			if row++; row >= jumpsInARow {
				used = i - row + 1
				*jumps -= row - 1
				break
			}
			*jumps++
			continue
		}
		row = 0
		c, kp, kv := prior.seen(r)
		steps = append(steps, step{s.t[i], vec{priorAt.x + kp*ex, priorAt.y + kp*ey}, vec{last.v.x + kv*ex, last.v.y + kv*ey}, c, priorAt,
			last.v, prior, h})
	}
	states = make([]state, len(steps))
	n := len(steps) - 1
	end := steps[n]
	sc := end.c
	states[n] = state{t: end.t, at: end.at, v: end.v}
	for i := n - 1; i >= 0; i-- {
		f, next := steps[i], steps[i+1]
		h := next.sinceLastStep
		// G = C Fᵀ P⁻¹
		p := next.prior
		det := p.pp*p.vv - p.pv*p.pv
		m00, m01 := f.c.pp+h*f.c.pv, f.c.pv
		m10, m11 := f.c.pv+h*f.c.vv, f.c.vv
		g00, g01 := (m00*p.vv-m01*p.pv)/det, (m01*p.pp-m00*p.pv)/det
		g10, g11 := (m10*p.vv-m11*p.pv)/det, (m11*p.pp-m10*p.pv)/det
		ax, ay := states[i+1].at.x-next.priorAt.x, states[i+1].at.y-next.priorAt.y
		vx, vy := states[i+1].v.x-next.priorV.x, states[i+1].v.y-next.priorV.y
		d := cov{sc.pp - p.pp, sc.pv - p.pv, sc.vv - p.vv}
		sc = cov{
			f.c.pp + g00*(g00*d.pp+g01*d.pv) + g01*(g00*d.pv+g01*d.vv),
			f.c.pv + g00*(g10*d.pp+g11*d.pv) + g01*(g10*d.pv+g11*d.vv),
			f.c.vv + g10*(g10*d.pp+g11*d.pv) + g11*(g10*d.pv+g11*d.vv),
		}
		states[i] = state{t: f.t, at: vec{f.at.x + g00*ax + g01*vx, f.at.y + g00*ay + g01*vy}, v: vec{f.v.x + g10*ax + g11*vx, f.v.y + g10*ay +
			g11*vy}}
	}
	return states, used
}
