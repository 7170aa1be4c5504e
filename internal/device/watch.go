package device

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/gpx"
)

// WatchOptions say what runs a watch hands over. Zero values are those of an invented
// runner with an ordinary watch.
type WatchOptions struct {
	Seed     uint64
	Weeks    int
	Until    time.Time // the last day
	WeeklyKM float64   // 0 is by the seed
	Days     int       // runs a week, 0 is by the seed
	Every    float64   // seconds between places
	ErrorM   float64   // of a place, metres; negative is none
	Clean    bool      // no pauses, no jumps, no gaps
	Prefix   string
}

// Check notes what is not allowed.
func (o *WatchOptions) Check() error {
	var l fault.List
	if o.Weeks == 0 {
		o.Weeks = 4
	}
	if o.Every == 0 {
		o.Every = 1
	}
	if o.ErrorM == 0 {
		o.ErrorM = 2
	}
	l.Range("weeks", float64(o.Weeks), 1, 104, "weeks")
	l.Range("every", o.Every, 1, 30, "s")
	l.Range("error", o.ErrorM, -1, 15, "m")
	if o.WeeklyKM != 0 {
		l.Range("weekly-km", o.WeeklyKM, 3, 250, "km")
	}
	if o.Days != 0 {
		l.Range("days", float64(o.Days), 1, 7, "days")
	}
	return l.Err()
}

// WatchRun is the truth of one run.
type WatchRun struct {
	File     string      `json:"file"`
	Start    time.Time   `json:"start"`
	KM       float64     `json:"km"`
	MovingS  float64     `json:"moving_s"`
	ElapsedS float64     `json:"elapsed_s"`
	AscentM  float64     `json:"ascent_m"`
	Kind     term.Kind   `json:"kind"`
	Ground   term.Ground `json:"ground"`
	Pauses   int         `json:"pauses"`
	Jumps    int         `json:"jumps"`
	Gaps     int         `json:"gaps"`
	GPX      []byte      `json:"-"`
}

// WatchTruth is what truth.json holds.
type WatchTruth struct {
	Schema   string     `json:"schema"`
	Seed     uint64     `json:"seed"`
	WeeklyKM float64    `json:"weekly_km"`
	Runs     []WatchRun `json:"runs"`
}

// Watch is a watch with the runs of some weeks on it.
type Watch struct{ Truth WatchTruth }

// NewWatch makes an invented runner's weeks. It fails with a fault.List.
func NewWatch(o WatchOptions) (*Watch, error) {
	if err := o.Check(); err != nil {
		return nil, err
	}
	r := rand.New(rand.NewPCG(o.Seed, 0x3A7C4))
	if o.WeeklyKM == 0 {
		o.WeeklyKM = math.Round(15 + 45*r.Float64())
	}
	if o.Days == 0 {
		o.Days = 2 + r.IntN(4)
	}
	w := &Watch{WatchTruth{Schema: "trevik.watch/v1", Seed: o.Seed, WeeklyKM: o.WeeklyKM}}
	home := [2]float64{54 + 8*r.Float64(), -4 + 12*r.Float64()}
	pace := 2.5 + 1.2*r.Float64() // m/s, easy
	hilly := r.Float64()
	days := r.Perm(7)[:o.Days]
	for week := range o.Weeks {
		for n, day := range days {
			back := 7*(o.Weeks-1-week) + day
			date := o.Until.AddDate(0, 0, -back)
			kind, share, speed := term.Easy, 1.0, 1.0
			switch {
			case n == 0 && o.Days > 1:
				kind, share = term.Long, 1.6
			case n == 1 && o.Days > 2:
				kind, speed = term.Tempo, 1.22
			}
			km := o.WeeklyKM * share / (float64(o.Days) + 0.6*math.Min(1, float64(o.Days-1)))
			km = math.Max(1, km*(0.92+0.16*r.Float64()))
			ground := term.GroundRoad
			if r.Float64() < 0.25 {
				ground = term.GroundTrail
			}
			start := time.Date(date.Year(), date.Month(), date.Day(), 6+r.IntN(13), r.IntN(60), r.IntN(60), 0, time.UTC)
			run := WatchRun{File: fmt.Sprintf("%s%s-%s.gpx", o.Prefix, start.Format("2006-01-02-1504"), kind), Start: start, Kind: kind,
				Ground: ground}
			if err := run.record(o, r, home, pace*speed*(0.96+0.08*r.Float64()), km, hilly); err != nil {
				return nil, err
			}
			w.Truth.Runs = append(w.Truth.Runs, run)
		}
	}
	return w, nil
}

// tick is the step in which a run is walked through, s.
const tick = 0.1

// record walks a path of straights and bends through the run and writes down what the watch
// saw of it.
func (run *WatchRun) record(o WatchOptions, r *rand.Rand, home [2]float64, speed, km, hilly float64) error {
	const a, e2 = 6378137.0, 6.69437999014e-3
	rad := math.Pi / 180
	var dist, t, next, standing, silent, low, high float64
	lat, lon := home[0]+0.02*r.NormFloat64(), home[1]+0.02*r.NormFloat64()
	heading, bend, left := 2*math.Pi*r.Float64(), 0.0, 0.0
	phase := 2 * math.Pi * r.Float64()
	height := func(d float64) float64 {
		return 60 + hilly*(18*math.Sin(d/640+phase)+6*math.Sin(d/170+2*phase)) - hilly*(18*math.Sin(phase)+6*math.Sin(2*phase))
	}
	sharp := 1.0
	if run.Ground == term.GroundTrail {
		sharp = 1.5
	}
	// The receiver's error wanders smoothly, as its satellites and the houses beside it do,
	// over minutes; beside that every place has some of its own.
	sigma := math.Max(0, o.ErrorM)
	var waves [2][4][2]float64 // by axis: periods (s) and phases
	for i := range waves {
		for j := range waves[i] {
			waves[i][j] = [2]float64{240 + 900*r.Float64(), 2 * math.Pi * r.Float64()}
		}
	}
	wander := func(axis int) float64 {
		sum := 0.0
		for _, w := range waves[axis] {
			sum += math.Sin(2*math.Pi*t/w[0] + w[1])
		}
		return sigma * sum / math.Sqrt2 // four waves of variance a half
	}
	var pauses, gaps []float64
	total := km * 1000
	if !o.Clean {
		for range r.IntN(3) {
			pauses = append(pauses, total*(0.1+0.8*r.Float64()))
		}
		if r.IntN(3) == 0 {
			gaps = append(gaps, total*(0.1+0.8*r.Float64()))
		}
	}
	var points []gpx.Point
	low, high = height(0), height(0)
	rising := false
	write := func() {
		east, north := wander(0)+0.3*sigma*r.NormFloat64(), wander(1)+0.3*sigma*r.NormFloat64()
		if !o.Clean && r.Float64() < 0.0008*o.Every && len(points) > 20 {
			far, way := 60+200*r.Float64(), 2*math.Pi*r.Float64()
			east, north = east+far*math.Cos(way), north+far*math.Sin(way)
			run.Jumps++
		}
		w := 1 - e2*math.Pow(math.Sin(lat*rad), 2)
		h := math.Round(10*(height(dist)+0.3*r.NormFloat64())) / 10
		points = append(points, gpx.Point{Lat: lat + north/(a*(1-e2)/math.Pow(w, 1.5))/rad, Lon: lon +
			east/(a/math.Sqrt(w)*math.Cos(lat*rad))/rad, Ele: &h, At: run.Start.Add(time.Duration(t * float64(time.Second)))})
	}
	for dist < total {
		if t >= next-1e-9 {
			if silent <= 0 {
				write()
			}
			next += o.Every
		}
		t += tick
		if silent > 0 {
			silent -= tick
		}
		if standing > 0 {
			standing -= tick
			continue
		}
		if len(pauses) > 0 && dist >= pauses[0] {
			standing = 15 + 75*r.Float64()
			pauses = pauses[1:]
			run.Pauses++
			continue
		}
		if len(gaps) > 0 && dist >= gaps[0] && bend == 0 && left > 130 {
			silent = 25 + 10*r.Float64() // under a bridge, straight on
			gaps = gaps[1:]
			run.Gaps++
		}
		if left <= 0 {
			if bend == 0 && r.IntN(4) > 0 {
				// A bend of some radius, to one side.
				radius := (15 + 110*r.Float64()) / sharp
				turn := (25 + 95*r.Float64()) * rad
				bend, left = 1/radius, radius*turn
				if r.IntN(2) == 0 {
					bend = -bend
				}
			} else {
				bend, left = 0, 40+260*r.Float64()/sharp
			}
		}
		v := speed * (1 + 0.06*math.Sin(t/97+phase) + 0.03*math.Sin(t/31))
		step := math.Min(v*tick, total-dist)
		heading += bend * step
		dist += step
		left -= step
		run.MovingS += tick
		w := 1 - e2*math.Pow(math.Sin(lat*rad), 2)
		lat += step * math.Sin(heading) / (a * (1 - e2) / math.Pow(w, 1.5)) / rad
		lon += step * math.Cos(heading) / (a / math.Sqrt(w) * math.Cos(lat*rad)) / rad
		// Rises of more than three metres, as the truth of the path.
		switch h := height(dist); {
		case rising && h > high:
			high = h
		case rising && high-h > 3:
			run.AscentM += high - low
			rising, low = false, h
		case !rising && h < low:
			low = h
		case !rising && h-low > 3:
			rising, high = true, h
		}
	}
	if rising {
		run.AscentM += high - low
	}
	silent = 0
	write()
	run.KM, run.MovingS, run.ElapsedS, run.AscentM = units.Round(dist/1000, 4), units.Round(run.MovingS, 1), units.Round(t, 1),
		units.Round(run.AscentM, 1)
	var b bytes.Buffer
	kind := "running"
	if run.Ground == term.GroundTrail {
		kind = "trail_running"
	}
	err := gpx.Encode(&b, "Trevik watch stand-in", []gpx.Track{{Name: string(run.Kind) + " run", Kind: kind, Segments: [][]gpx.Point{points}}})
	run.GPX = b.Bytes()
	return err
}
