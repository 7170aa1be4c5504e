package device

import (
	"math"
	"math/rand/v2"
	"time"

	"trevik/internal/core/gait"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// RunnerTold is what an invented runner says at Hello (runner.json).
type RunnerTold struct {
	Schema     string              `json:"schema"`
	Name       string              `json:"name"`
	Chart      term.Chart          `json:"chart"`
	MassKg     float64             `json:"mass_kg"`
	WeeklyKM   float64             `json:"weekly_km"`
	RunDays    int                 `json:"run_days"`
	Ground     term.Ground         `json:"ground"`
	Complaints []support.Complaint `json:"complaints"`
}

// RunnerTruth is what is true of an invented runner.
type RunnerTruth struct {
	Schema string                  `json:"schema"`
	Seed   uint64                  `json:"seed"`
	Feet   ScanTruth               `json:"feet"`
	Arch   map[term.Side]term.Arch `json:"arch"`
	Rear   TreadmillTruth          `json:"rear"`
	Side   TreadmillTruth          `json:"side"`
	Watch  WatchTruth              `json:"watch"`
	Peak   map[term.Side]float64   `json:"peak_eversion_deg"`
	Index  map[term.Side]float64   `json:"arch_index"`
}

// InventedRunner is one runner of the stand-ins, whose feet, gait and habits hang together.
type InventedRunner struct {
	Told    RunnerTold
	Truth   RunnerTruth
	Scanner *Scanner
	Rear    *Treadmill
	Side    *Treadmill
	Watch   *Watch
}

// Names of invented runners, by seed.
var (
	firstNames = []string{"Ansa", "Bodil", "Corvin", "Dagny", "Eskil", "Frode", "Gudrin", "Halvar", "Ingrun", "Jorvik", "Ketil", "Lovisa",
		"Marit", "Njal", "Orla", "Petra"}
	lastNames = []string{"Ashby", "Birchwater", "Coldharbour", "Dunmere", "Eelgrass", "Fenwick", "Gorsehill", "Heatherley", "Inchmoor",
		"Kelpstone"}
)

// NewRunner invents a runner by a seed; the watch's weeks end on until. The lower the arch
// the more a foot rolls in, loosely, as in life; the heavier and the slower, the more often
// on the heel.
func NewRunner(seed uint64, until time.Time, film TreadmillOptions) (*InventedRunner, error) {
	r := rand.New(rand.NewPCG(seed, 0xF17))
	x := &InventedRunner{Scanner: NewScanner(seed)}
	t := &x.Truth
	*t = RunnerTruth{Schema: "trevik.runner-truth/v1", Seed: seed, Feet: x.Scanner.Truth, Arch: map[term.Side]term.Arch{},
		Peak: map[term.Side]float64{}, Index: map[term.Side]float64{}}
	own := 1.6 * r.NormFloat64() // the runner's own way of rolling in
	for _, side := range term.Sides {
		ai := x.Scanner.Truth.Prints[side].ArchIndex
		t.Index[side] = ai
		switch {
		case ai < 0.21:
			t.Arch[side] = term.ArchHigh
		case ai > 0.26:
			t.Arch[side] = term.ArchLow
		default:
			t.Arch[side] = term.ArchMedium
		}
		peak := 8 + 40*(ai-0.235) + own + 0.8*r.NormFloat64()
		t.Peak[side] = units.Round(math.Min(18, math.Max(1, peak)), 1)
	}
	length := *x.Scanner.Truth.Feet[term.Left].LengthMM
	x.Told = RunnerTold{Schema: "trevik.runner/v1", Name: firstNames[seed%16] + " " + lastNames[seed/16%10], Chart: term.Men,
		Ground: term.GroundRoad, Complaints: []support.Complaint{},
		MassKg: units.Round(math.Min(110, math.Max(45, 70+0.9*(length-258)+7*r.NormFloat64())), 0), RunDays: 2 + r.IntN(4)}
	if length < 250 {
		x.Told.Chart = term.Women
	}
	x.Told.WeeklyKM = units.Round(math.Min(90, float64(x.Told.RunDays)*(5+5*r.Float64())), 0)
	if r.Float64() < 0.2 {
		months := float64(7 + r.IntN(30))
		x.Told.Complaints = append(x.Told.Complaints, support.Complaint{Place: term.Places[r.IntN(len(term.Places))], MonthsAgo: &months})
	}
	film.Seed, film.View, film.Peak = seed, gait.Rear, t.Peak
	var err error
	if x.Rear, err = NewTreadmill(film); err != nil {
		return nil, err
	}
	film.View, film.Peak = gait.Side, nil
	if x.Side, err = NewTreadmill(film); err != nil {
		return nil, err
	}
	if x.Watch, err = NewWatch(WatchOptions{Seed: seed, Until: until, WeeklyKM: math.Max(3, x.Told.WeeklyKM),
		Days: x.Told.RunDays}); err != nil {
		return nil, err
	}
	t.Rear, t.Side, t.Watch = x.Rear.Truth(), x.Side.Truth(), x.Watch.Truth
	return x, nil
}
