package gait

import "math"

// path is one dot's place in every frame of the recording. Where it was not seen
// and the gap is too long to bridge, known is false and the place is only there so
// that the filter has something to run over.
type path struct {
	x, y   []float64
	known  []bool
	marks  []Mark // what is known, with how it came about
	exists bool   // it was seen at all
}

func (p *path) at(i int) Point { return Point{p.x[i], p.y[i]} }

// newPath lays marks out over n frames and bridges gaps of up to so many frames.
func newPath(marks []Mark, n, bridge int) *path {
	p := &path{x: make([]float64, n), y: make([]float64, n), known: make([]bool, n)}
	var at []Mark
	for _, m := range marks {
		if m.Frame >= 0 && m.Frame < n {
			at = append(at, m)
		}
	}
	if len(at) == 0 {
		return p
	}
	p.exists = true
	set := func(i int, q Point) { p.x[i], p.y[i] = q.X, q.Y }
	for i := range at[0].Frame {
		set(i, at[0].Point)
	}
	for i := at[len(at)-1].Frame + 1; i < n; i++ {
		set(i, at[len(at)-1].Point)
	}
	for k, m := range at {
		if k > 0 {
			from, gap := at[k-1].Frame, m.Frame-at[k-1].Frame-1
			for i := from + 1; i < m.Frame; i++ {
				q := between(at, k, i)
				set(i, q)
				if gap <= bridge {
					p.known[i] = true
					p.marks = append(p.marks, Mark{i, q, Bridged})
				}
			}
		}
		set(m.Frame, m.Point)
		p.known[m.Frame] = true
		p.marks = append(p.marks, m)
	}
	return p
}

// between is the place in frame i, which lies between marks k − 1 and k: a cubic
// through the two and their outer neighbours where these are near, else a line.
func between(at []Mark, k, i int) Point {
	pts := at[k-1 : k+1]
	if k >= 2 && k+1 < len(at) {
		gap := at[k].Frame - at[k-1].Frame
		if at[k-1].Frame-at[k-2].Frame <= gap && at[k+1].Frame-at[k].Frame <= gap {
			pts = at[k-2 : k+2]
		}
	}
	var out Point
	for a, p := range pts { // Lagrange
		w := 1.0
		for b, q := range pts {
			if a != b {
				w *= float64(i-q.Frame) / float64(p.Frame-q.Frame)
			}
		}
		out = out.plus(p.Point.times(w))
	}
	return out
}

// House values of smoothing.
const (
	cutOff      = 10.0  // Hz, of the two passes together
	slowDivisor = 6.0   // below 60 frames a second the cut-off is the rate over this
	twoPasses   = 0.802 // a second-order Butterworth run twice cuts off at this times its design
)

func cutOffAt(fps float64) float64 {
	if fps < 60 {
		return fps / slowDivisor
	}
	return cutOff
}

// smooth is a path low-passed without lag.
func (p *path) smooth(fps, cut float64) *path {
	return &path{x: smoothed(p.x, fps, cut), y: smoothed(p.y, fps, cut), known: p.known, marks: p.marks, exists: p.exists}
}

// smoothed is v low-passed. Below 60 frames a second the low cut-off would flatten a
// peak by a degree and more, so what the filter took away is filtered and given back
// once (twicing, Tukey 1977).
func smoothed(v []float64, fps, cut float64) []float64 {
	out := lowPass(v, fps, cut)
	if fps >= goodFPS {
		return out
	}
	rest := make([]float64, len(v))
	for i := range v {
		rest[i] = v[i] - out[i]
	}
	for i, d := range lowPass(rest, fps, cut) {
		out[i] += d
	}
	return out
}

// lowPass runs a second-order Butterworth filter forward and backward over v, with
// an effective cut-off in Hz, over ends that are reflected in their last point.
func lowPass(v []float64, fps, cut float64) []float64 {
	n := len(v)
	if n < 3 {
		return append([]float64(nil), v...)
	}
	pad := min(int(math.Ceil(2*fps/cut)), n-1)
	w := make([]float64, n+2*pad)
	for i := range w {
		switch k := i - pad; {
		case k < 0:
			w[i] = 2*v[0] - v[-k]
		case k >= n:
			w[i] = 2*v[n-1] - v[2*(n-1)-k]
		default:
			w[i] = v[k]
		}
	}
	k := math.Tan(math.Pi*cut/fps) / twoPasses
	d := 1 + math.Sqrt2*k + k*k
	b0, b1 := k*k/d, 2*k*k/d
	a1, a2 := 2*(k*k-1)/d, (1-math.Sqrt2*k+k*k)/d
	pass := func() {
		x1, x2, y1, y2 := w[0], w[0], w[0], w[0]
		for i, x := range w {
			y := b0*x + b1*x1 + b0*x2 - a1*y1 - a2*y2
			x2, x1, y2, y1 = x1, x, y1, y
			w[i] = y
		}
	}
	turn := func() {
		for i, j := 0, len(w)-1; i < j; i, j = i+1, j-1 {
			w[i], w[j] = w[j], w[i]
		}
	}
	pass()
	turn()
	pass()
	turn()
	return w[pad : pad+n : pad+n]
}
