package footprint

import (
	"math"
	"slices"
)

// frame is a print's own directions: a place that is counted from, which way is along and which
// across, and how far the body reaches along, all in pixels of the part about the print.
type frame struct {
	from          Point
	along, across Point // units
	lo, hi        float64
}

// framed is the frame about a place with a direction along it and one across.
func (f *foot) framed(from, along, across Point) frame {
	lo, hi := f.extent(along, from)
	return frame{from, along, across, lo, hi}
}

// ahead is the frame about a place along the print, the right as the picture is seen across it.
func (f *foot) ahead(from Point) frame { return f.framed(from, f.dir, Point{-f.dir.Y, f.dir.X}) }

// about is the frame ahead from the body's middle.
func (f *foot) about() frame {
	mean, _, _ := f.moments()
	return f.ahead(mean)
}

// length is the body's, along the frame.
func (a *frame) length() float64 { return a.hi - a.lo }

// past is how far along a place lies from the body's rear end.
func (a *frame) past(x, y float64) float64 {
	return (x-a.from.X)*a.along.X + (y-a.from.Y)*a.along.Y - a.lo
}

// share is how far along a place lies, as a share of the body's length: 0 is its rear end, 1 its
// front.
func (a *frame) share(x, y float64) float64 { return a.past(x, y) / a.length() }

// off is how far across a place lies.
func (a *frame) off(x, y float64) float64 {
	return (x-a.from.X)*a.across.X + (y-a.from.Y)*a.across.Y
}

// place is the place t along and s across.
func (a *frame) place(t, s float64) Point {
	return Point{a.from.X + t*a.along.X + s*a.across.X, a.from.Y + t*a.along.Y + s*a.across.Y}
}

// moments give the body's middle and its long and short direction.
func (f *foot) moments() (mean, along, across Point) {
	var n, sx, sy, xx, xy, yy float64
	f.each(func(x, y float64) {
		n, sx, sy = n+1, sx+x, sy+y
		xx, xy, yy = xx+x*x, xy+x*y, yy+y*y
	})
	mean = Point{sx / n, sy / n}
	xx, xy, yy = xx/n-mean.X*mean.X, xy/n-mean.X*mean.Y, yy/n-mean.Y*mean.Y
	angle := 0.5 * math.Atan2(2*xy, xx-yy)
	along = Point{math.Cos(angle), math.Sin(angle)}
	return mean, along, Point{-along.Y, along.X}
}

// each visits the body's pixels.
func (f *foot) each(visit func(x, y float64)) {
	for y := range f.h {
		for x, on := range f.body.on[y*f.w : (y+1)*f.w] {
			if on {
				visit(float64(x), float64(y))
			}
		}
	}
}

// extent is the body's reach along a direction from a point.
func (f *foot) extent(dir, from Point) (lo, hi float64) {
	lo, hi = math.Inf(1), math.Inf(-1)
	for y := range f.h {
		row := f.body.on[y*f.w : (y+1)*f.w]
		first := slices.Index(row, true)
		if first < 0 {
			continue
		}
		last := len(row) - 1
		for !row[last] {
			last--
		}
		for _, x := range []int{first, last} { // what lies between them reaches no farther
			t := (float64(x)-from.X)*dir.X + (float64(y)-from.Y)*dir.Y
			lo, hi = min(lo, t), max(hi, t)
		}
	}
	return lo - 0.5, hi + 0.5
}

// bins are the slices that a print's length is looked at in.
const bins = 120

// widths is the body's width in each bin along a frame.
func (f *foot) widths(a frame) [bins]float64 {
	var w [bins]float64
	size := a.length() / bins
	f.each(func(x, y float64) {
		t := a.past(x, y)/size - 0.5
		i := int(math.Floor(t))
		k := t - float64(i)
		if i >= 0 && i < bins {
			w[i] += (1 - k) / size
		}
		if i+1 >= 0 && i+1 < bins {
			w[i+1] += k / size
		}
	})
	return w
}

func indexOfMax(v []float64) int {
	best := 0
	for i := range v {
		if v[i] > v[best] {
			best = i
		}
	}
	return best
}

func smooth(v []float64, r int) []float64 {
	out := make([]float64, len(v))
	for i := range v {
		sum, n := 0.0, 0.0
		for j := max(0, i-r); j <= min(len(v)-1, i+r); j++ {
			sum, n = sum+v[j], n+1
		}
		out[i] = sum / n
	}
	return out
}
