package track

import (
	"fmt"
	"math"
	"slices"

	"trevik/internal/core/units"
)

// House values of the method.
const (
	fastest       = 12.5 // m/s: faster is no runner
	standing      = 0.4  // m/s over the window: slower is standing
	standWindow   = 10.0 // s
	leastPause    = 8.0  // s
	gapSeconds    = 20.0 // without a place, and more than gapSteps usual steps
	gapSteps      = 4.0
	gate          = 25.0 // squared normalised innovation from which a place may be a jump
	leastJump     = 15.0 // m
	turning       = 7.0  // m/s: faster nobody runs out and back
	jumpsInARow   = 8    // after so many jumps the run is where they are
	riseMetres    = 3.0
	heightSeconds = 15.0
	// MostPoints bounds a track: a day and a half at a place a second.
	MostPoints = 150_000
)

// Point is one place: seconds since any moment, degrees, and the height in metres where it
// is known.
type Point struct {
	T        float64
	Lat, Lon float64
	Ele      *float64
}

// Answer is what a track comes to. Distances km, times seconds, heights metres.
type Answer struct {
	KM       float64  `json:"km"`
	Elapsed  float64  `json:"elapsed_s"`
	Moving   float64  `json:"moving_s"`
	AscentM  *float64 `json:"ascent_m"`
	Jumps    int      `json:"jumps"`
	Pauses   int      `json:"pauses"`
	Gaps     int      `json:"gaps"`
	SigmaM   float64  `json:"place_sd_m"` // of a place, as the track itself shows it
	ChordsKM float64  `json:"chords_km"`  // the places as they are, joined by straight lines
}

// Measure gives a track's distance. Points must rise in time; those at the time of the one
// before are left out. It fails when there are fewer than two places, too many, when one is
// not on earth, or when time runs backward.
func Measure(points []Point) (Answer, error) {
	var a Answer
	if len(points) > MostPoints {
		return a, fmt.Errorf("has %d places; allowed are up to %d", len(points), MostPoints)
	}
	kept := make([]Point, 0, len(points))
	for i, p := range points {
		if !finite(p.T) || !finite(p.Lat) || !finite(p.Lon) || math.Abs(p.Lat) > 90 || math.Abs(p.Lon) > 180 || p.Ele != nil && !finite(*p.Ele) {
			return a, fmt.Errorf("place %d is not on earth", i+1)
		}
		if i > 0 && p.T < points[i-1].T {
			return a, fmt.Errorf("time runs backward at place %d", i+1)
		}
		if len(kept) == 0 || p.T > kept[len(kept)-1].T {
			kept = append(kept, p)
		}
	}
	if len(kept) < 2 {
		return a, fmt.Errorf("has fewer than two places with a time")
	}
	xy := project(kept)
	whole := len(kept)
	kept, xy = despike(kept, xy)
	a.Jumps = whole - len(kept)
	a.Elapsed = kept[len(kept)-1].T - kept[0].T
	for i := 1; i < len(xy); i++ {
		a.ChordsKM += dist(xy[i], xy[i-1]) / 1000
	}
	metres := a.measure(kept, xy)
	a.KM = units.Round(metres/1000, 4)
	a.ChordsKM = units.Round(a.ChordsKM, 4)
	a.Moving = units.Round(a.Moving, 1)
	a.AscentM = ascent(kept)
	return a, nil
}

func finite(v float64) bool { return !math.IsNaN(v) && !math.IsInf(v, 0) }

type vec struct{ x, y float64 }

func dist(a, b vec) float64 { return math.Hypot(a.x-b.x, a.y-b.y) }

// project brings places to metres: each step by the ellipsoid's radii where it is made.
func project(points []Point) []vec {
	const a, e2 = 6378137.0, 6.69437999014e-3 // WGS84
	out := make([]vec, len(points))
	rad := math.Pi / 180
	for i := 1; i < len(points); i++ {
		p, q := points[i-1], points[i]
		lat := (p.Lat + q.Lat) / 2 * rad
		w := 1 - e2*math.Sin(lat)*math.Sin(lat)
		north := a * (1 - e2) / math.Pow(w, 1.5)
		east := a / math.Sqrt(w) * math.Cos(lat)
		turn := math.Mod(q.Lon-p.Lon+540, 360) - 180 // over the date line too
		out[i] = vec{out[i-1].x + east*turn*rad, out[i-1].y + north*(q.Lat-p.Lat)*rad}
	}
	return out
}

// despike leaves out single places that lie off the way between their neighbours, farther
// than anybody runs there and back.
func despike(points []Point, xy []vec) ([]Point, []vec) {
	keptP, keptXY := points[:1:1], xy[:1:1]
	for i := 1; i < len(points); i++ {
		if i+1 < len(points) {
			last := len(keptXY) - 1
			h := math.Min(points[i].T-keptP[last].T, points[i+1].T-points[i].T)
			if dist(keptXY[last], xy[i])+dist(xy[i], xy[i+1])-dist(keptXY[last], xy[i+1]) > 2*turning*h+leastJump {
				continue
			}
		}
		keptP, keptXY = append(keptP, points[i]), append(keptXY, xy[i])
	}
	return keptP, keptXY
}

// stretch is a part of a track without a gap.
type stretch struct {
	t  []float64
	xy []vec
}

// measure splits the track at its gaps and measures each stretch, metres.
func (a *Answer) measure(points []Point, xy []vec) float64 {
	steps := make([]float64, len(points)-1)
	for i := range steps {
		steps[i] = points[i+1].T - points[i].T
	}
	slices.Sort(steps)
	usual := steps[len(steps)/2]
	limit := math.Max(gapSeconds, gapSteps*usual)
	var list []stretch
	var now stretch
	for i, p := range points {
		if i > 0 && p.T-points[i-1].T > limit {
			list = append(list, now)
			now = stretch{}
		}
		now.t = append(now.t, p.T)
		now.xy = append(now.xy, xy[i])
	}
	list = append(list, now)
	q, sigma := likeliest(list)
	a.SigmaM = units.Round(sigma, 2)
	total := 0.0
	var last *state
	for _, s := range list {
		for _, run := range s.smooth(q, sigma, &a.Jumps) {
			if last != nil {
				a.Gaps++
				between, dt := dist(last.at, run[0].at), run[0].t-last.t
				// The straight line counts where people move at its speed, and is no mere error.
				if v := between / dt; v >= 1 && v <= fastest && between > 4*sigma {
					total += between
					a.Moving += dt
				}
			}
			total += a.along(run)
			last = &run[len(run)-1]
		}
	}
	return total
}

// state is the smoothed run at a time: where and how fast.
type state struct {
	t      float64
	at, v  vec
	moving bool
}

// along adds up a smoothed run, metres.
func (a *Answer) along(run []state) float64 {
	markStanding(run)
	total := 0.0
	for i := 0; i+1 < len(run); {
		if !run[i].moving {
			// Standing: the straight line from where it began to where it ended.
			j := i
			for j+1 < len(run) && !run[j].moving {
				j++
			}
			total += dist(run[i].at, run[j].at)
			if run[j].t-run[i].t >= leastPause {
				a.Pauses++
			}
			i = j
			continue
		}
		total += arc(run[i], run[i+1])
		a.Moving += run[i+1].t - run[i].t
		i++
	}
	return total
}

// markStanding tells where the run moves: by how far it comes in a window about each time.
func markStanding(run []state) {
	lo, hi := 0, 0
	for i := range run {
		for run[i].t-run[lo].t > standWindow/2 {
			lo++
		}
		for hi+1 < len(run) && run[hi+1].t-run[i].t <= standWindow/2 {
			hi++
		}
		from, to := lo, hi
		if from == to {
			from, to = max(0, i-1), min(len(run)-1, i+1)
		}
		span := run[to].t - run[from].t
		run[i].moving = span <= 0 || dist(run[from].at, run[to].at) >= standing*span
	}
	// What is shorter than a pause is a slow step.
	for i := 0; i < len(run); {
		j := i
		for j+1 < len(run) && run[j+1].moving == run[i].moving {
			j++
		}
		if !run[i].moving && run[j].t-run[i].t < leastPause {
			for k := i; k <= j; k++ {
				run[k].moving = true
			}
		}
		i = j + 1
	}
}

// gauss are the places and weights of Gauss's integral over 0 to 1 with five values.
var gauss = [5][2]float64{{0.046910077, 0.118463443}, {0.230765345, 0.239314335}, {0.5, 0.284444444}, {0.769234655, 0.239314335},
	{0.953089923, 0.118463443}}

// arc is the length of the cubic between two states.
func arc(p, q state) float64 {
	h := q.t - p.t
	dx, dy := (q.at.x-p.at.x)/h, (q.at.y-p.at.y)/h
	sum := 0.0
	for _, g := range gauss {
		u := g[0]
		a, b, c := 6*u*(1-u), (1-u)*(1-3*u), u*(3*u-2)
		vx, vy := a*dx+b*p.v.x+c*q.v.x, a*dy+b*p.v.y+c*q.v.y
		sum += g[1] * math.Hypot(vx, vy)
	}
	return h * sum
}

// ascent sums the rises of heights smoothed over time; nil where most places have none.
func ascent(points []Point) *float64 {
	var t, h []float64
	for _, p := range points {
		if p.Ele != nil {
			t, h = append(t, p.T), append(h, *p.Ele)
		}
	}
	if len(h)*2 < len(points) || len(h) < 2 {
		return nil
	}
	smooth := make([]float64, len(h))
	lo, hi, sum := 0, 0, 0.0
	for i := range h {
		for ; hi < len(h) && t[hi]-t[i] <= heightSeconds/2; hi++ {
			sum += h[hi]
		}
		for ; t[i]-t[lo] > heightSeconds/2; lo++ {
			sum -= h[lo]
		}
		smooth[i] = sum / float64(hi-lo)
	}
	total, low, high := 0.0, smooth[0], smooth[0]
	rising := false
	for _, v := range smooth {
		switch {
		case rising && v > high:
			high = v
		case rising && high-v > riseMetres:
			total += high - low
			rising, low = false, v
		case !rising && v < low:
			low = v
		case !rising && v-low > riseMetres:
			rising, high = true, v
		}
	}
	if rising {
		total += high - low
	}
	total = units.Round(total, 1)
	return &total
}
