package wear

import (
	"encoding/json"
	"fmt"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/limits"
	"trevik/internal/core/term"
)

const (
	PairSchema   = "trevik.pair/v1"
	AnswerSchema = "trevik.wear/v1"
)

// DateLayout is how days are written.
const DateLayout = time.DateOnly

// Retired is an earlier pair of the runner's. WornOut is true when it is missing, KMBeforeSDLn 0
// (its distance is known from the first day), LargestC the largest used fraction that a look found.
type Retired struct {
	Class        term.Class `json:"class"`
	EffectiveKM  float64    `json:"effective_km"`
	MedianKM     *float64   `json:"median_km"`
	WornOut      *bool      `json:"worn_out"`
	KMBeforeSDLn *float64   `json:"km_before_sd_ln"`
	LargestC     *float64   `json:"largest_c"`
}

// Before is what a pair ran before anybody counted, with the SD of its ln. The zero value is a
// pair that was counted from its first day; null in JSON is Unknown: nobody has an idea.
type Before struct {
	KM      float64 `json:"km" strict:"needed"`
	SDLn    float64 `json:"sd_ln"`
	Unknown bool    `json:"-"`
}

// UnmarshalJSON reads null as Unknown.
func (b *Before) UnmarshalJSON(data []byte) error {
	if string(data) == "null" {
		*b = Before{Unknown: true}
		return nil
	}
	type plain Before
	return json.Unmarshal(data, (*plain)(b))
}

// MarshalJSON writes what UnmarshalJSON reads.
func (b Before) MarshalJSON() ([]byte, error) {
	if b.Unknown {
		return []byte("null"), nil
	}
	type plain Before
	return json.Marshal(plain(b))
}

// Runner is what of the runner moves a pair's life. Nil is not known.
type Runner struct {
	MassKg        *float64    `json:"mass_kg"`
	Strike        term.Strike `json:"strike"`
	History       []Retired   `json:"history"`
	UsualWeeklyKM *float64    `json:"usual_weekly_km"`
}

// Run is one part of a run in this pair; nil facts are not known and move nothing.
type Run struct {
	Date           string      `json:"date"`
	KM             float64     `json:"km"`
	Ground         term.Ground `json:"ground"`
	Kind           term.Kind   `json:"kind"`
	Wet            bool        `json:"wet"`
	TempC          *float64    `json:"temp_c"`
	HoursSinceLast *float64    `json:"hours_since_last"`
}

// Inspection is a look at the pair: each part 0 (as new) to 1 (gone), nil when
// it was not looked at. Faults: upper_hole, sole_through. Aches on easy runs: none,
// explained (by training, hills, ground or sleep) or unexplained; empty is not asked.
type Inspection struct {
	Date        string   `json:"date"`
	Tread       *float64 `json:"tread"`
	Bounce      *float64 `json:"bounce"`
	Upper       *float64 `json:"upper"`
	Evenness    *float64 `json:"evenness"`
	BesideFresh bool     `json:"beside_fresh"`
	Aches       string   `json:"aches" strict:"word"`
	Faults      []string `json:"faults"`
}

// Race is a race planned in this pair; its km come on top of the plan.
type Race struct {
	Date string  `json:"date"`
	KM   float64 `json:"km"`
}

// Pair is all that is known of a pair. Price in minor units; days as
// 2006-01-02; distances km; PlanWeeklyKM in wear-adjusted km from Today, the last
// week repeated.
type Pair struct {
	Schema        string        `json:"schema"`
	Class         term.Class    `json:"class"`
	MedianKM      *float64      `json:"median_km"`
	Price         *float64      `json:"price"`
	HeelStackMM   *float64      `json:"heel_stack_mm"`
	FirstWorn     string        `json:"first_worn"`
	Today         string        `json:"today"`
	Runner        Runner        `json:"runner"`
	KMBefore      Before        `json:"km_before"`
	Share         *float64      `json:"share"` // of the usual week that this pair took before anybody counted
	Runs          []Run         `json:"runs"`
	LiftingHours  float64       `json:"lifting_hours"`
	Surface       term.Surface  `json:"surface"`
	RestHours     *float64      `json:"rest_hours"`
	Inspections   []Inspection  `json:"inspections"`
	PlanWeeklyKM  []float64     `json:"plan_weekly_km"`
	PlanLoad      *float64      `json:"plan_load"` // the plan's wear-adjusted km a real km
	Races         []Race        `json:"races"`
	DeliveryDays  *float64      `json:"delivery_days"`
	BreakInKM     *float64      `json:"break_in_km"`
	FixedKM       *float64      `json:"fixed_km"` // the by_distance school's figure
	Learned       *Learned      `json:"learned"`  // from the shop's own pairs, in the place of the house's median
	House         *house.Values `json:"-"`        // nil is as shipped
	today, first  time.Time
	runDays       []time.Time
	inspectedDays []time.Time
	raceDays      []time.Time
}

// Learned is what a shop's own pairs say of the median life of this one's model (core/learn), before mass and strike.
type Learned struct {
	MedianKM float64 `json:"median_km"`
	SDLn     float64 `json:"sd_ln"`
	Pairs    int     `json:"pairs"` // that it comes from
}

var (
	faultWords = []string{"upper_hole", "sole_through"}
	achesWords = []string{"none", "explained", AchesUnexplained}
)

// check validates the pair and resolves its days.
func (p *Pair) check() error {
	var l fault.List
	if p.Schema != "" && p.Schema != PairSchema {
		l.Add("schema", "is %q; allowed is %q", p.Schema, PairSchema)
	}
	fault.OneOf(&l, "class", p.Class, term.Classes)
	if x := p.Learned; x != nil {
		limits.MedianLifeKM.Check(&l, "learned.median_km", x.MedianKM)
		limits.SDLn.Check(&l, "learned.sd_ln", x.SDLn)
		if x.Pairs < 1 || x.Pairs > 1_000_000 {
			l.Add("learned.pairs", "are %d; allowed are 1 to 1,000,000", x.Pairs)
		}
	}
	if p.Surface != "" {
		fault.OneOf(&l, "surface", p.Surface, term.Surfaces)
	}
	if p.Runner.Strike != "" {
		fault.OneOf(&l, "runner.strike", p.Runner.Strike, term.Strikes)
	}
	for _, r := range []struct {
		name    string
		v       *float64
		allowed limits.Range
	}{
		{"median_km", p.MedianKM, limits.MedianLifeKM}, {"price", p.Price, limits.Range{Lo: 0, Hi: 1e9, Unit: "cents"}},
		{"heel_stack_mm", p.HeelStackMM, limits.StackMM},
		{"runner.mass_kg", p.Runner.MassKg, limits.MassKg}, {"runner.usual_weekly_km", p.Runner.UsualWeeklyKM, limits.LoadKM},
		{"rest_hours", p.RestHours, limits.RestHours},
		{"delivery_days", p.DeliveryDays, limits.Range{Lo: 0, Hi: 120, Unit: "days"}},
		{"break_in_km", p.BreakInKM, limits.Range{Lo: 0, Hi: 500, Unit: "km"}},
		{"lifting_hours", &p.LiftingHours, limits.LiftingSum}, {"fixed_km", p.FixedKM, limits.MedianLifeKM},
		{"km_before.km", &p.KMBefore.KM, limits.KMBefore}, {"km_before.sd_ln", &p.KMBefore.SDLn, limits.SDLn},
		{"share", p.Share, limits.Share}, {"plan_load", p.PlanLoad, limits.Range{Lo: 0.1, Hi: 10}},
	} {
		if r.v != nil {
			r.allowed.Check(&l, r.name, *r.v)
		}
	}
	for i, h := range p.Runner.History {
		at := fmt.Sprintf("runner.history[%d]", i)
		fault.OneOf(&l, at+".class", h.Class, term.Classes)
		limits.PairKM.Check(&l, at+".effective_km", h.EffectiveKM)
		for _, r := range []struct {
			name    string
			v       *float64
			allowed limits.Range
		}{{"median_km", h.MedianKM, limits.MedianLifeKM}, {"km_before_sd_ln", h.KMBeforeSDLn, limits.SDLn}, {"largest_c", h.LargestC,
			limits.Share}} {
			if r.v != nil {
				r.allowed.Check(&l, at+"."+r.name, *r.v)
			}
		}
	}
	p.today, _ = day(&l, "today", p.Today, false)
	p.first, _ = day(&l, "first_worn", p.FirstWorn, true)
	if !p.first.IsZero() && !p.today.IsZero() && p.first.After(p.today) {
		l.Add("first_worn", "is %s, after today %s", p.FirstWorn, p.Today)
	}
	p.runDays, p.inspectedDays, p.raceDays = nil, nil, nil
	for i, r := range p.Runs {
		var of fault.List // without the run's number, which hundreds of runs that are right have no need of
		d, ok := day(&of, "date", r.Date, false)
		p.runDays = append(p.runDays, d)
		if ok {
			p.notOutside(&of, "date", d)
		}
		of.Range("km", r.KM, 0.001, 5000, "km")
		fault.OneOf(&of, "ground", r.Ground, term.Grounds)
		if r.Kind == term.Gym {
			of.Add("kind", "is \"gym\", which is not a run; count it in lifting_hours")
		} else {
			fault.OneOf(&of, "kind", r.Kind, term.Kinds)
		}
		if r.TempC != nil {
			limits.TemperatureC.Check(&of, "temp_c", *r.TempC)
		}
		if r.HoursSinceLast != nil {
			of.Range("hours_since_last", *r.HoursSinceLast, 0, 1e6, "hours")
		}
		for _, f := range of {
			l = append(l, fault.Fault{Field: fmt.Sprintf("runs[%d].%s", i, f.Field), Text: f.Text})
		}
	}
	for i, in := range p.Inspections {
		at := fmt.Sprintf("inspections[%d]", i)
		d, ok := day(&l, at+".date", in.Date, false)
		p.inspectedDays = append(p.inspectedDays, d)
		if ok {
			p.notOutside(&l, at+".date", d)
		}
		for _, part := range in.parts() {
			if part.v != nil {
				l.Range(at+"."+part.name, *part.v, 0, 1, "")
			}
		}
		if in.Aches != "" {
			fault.OneOf(&l, at+".aches", in.Aches, achesWords)
		}
		for j, f := range in.Faults {
			fault.OneOf(&l, fmt.Sprintf("%s.faults[%d]", at, j), f, faultWords)
		}
	}
	for i, w := range p.PlanWeeklyKM {
		limits.LoadKM.Check(&l, fmt.Sprintf("plan_weekly_km[%d]", i), w)
	}
	for i, r := range p.Races {
		at := fmt.Sprintf("races[%d]", i)
		d, ok := day(&l, at+".date", r.Date, false)
		p.raceDays = append(p.raceDays, d)
		if ok && !p.today.IsZero() && d.Before(p.today) {
			l.Add(at+".date", "is %s, before today %s; a race that was run is a run", r.Date, p.Today)
		}
		l.Range(at+".km", r.KM, 0.001, 1000, "km")
	}
	return l.Err()
}

func (p *Pair) notOutside(l *fault.List, field string, d time.Time) {
	if !p.today.IsZero() && d.After(p.today) {
		l.Add(field, "is %s, after today %s", d.Format(DateLayout), p.Today)
	}
	if !p.first.IsZero() && d.Before(p.first) {
		l.Add(field, "is %s, before the pair was first worn, %s", d.Format(DateLayout), p.FirstWorn)
	}
}

func day(l *fault.List, field, s string, optional bool) (time.Time, bool) {
	if s == "" && optional {
		return time.Time{}, false
	}
	if s == "" {
		l.Add(field, "is missing; allowed is a day such as 2026-11-24")
		return time.Time{}, false
	}
	t, err := time.Parse(DateLayout, s)
	if err != nil || t.Year() < 1970 || t.Year() > 2200 {
		l.Add(field, "is %q; allowed is a day such as 2026-11-24", s)
		return time.Time{}, false
	}
	return t, true
}

type part struct {
	name   string
	v      *float64
	weight float64
}

// parts of an inspection with their weights (house).
func (in Inspection) parts() []part {
	return []part{{"tread", in.Tread, 0.35}, {"bounce", in.Bounce, 0.35}, {"upper", in.Upper, 0.15}, {"evenness", in.Evenness, 0.15}}
}

// Load gives the wear-adjusted km of a run in a model made for surface, whose rest
// hours are restHours (nil: not known): its km times the house's factors that apply.
func Load(r Run, surface term.Surface, restHours *float64, h *house.Values) float64 {
	h = house.Or(h)
	f := 1.0
	switch {
	case surface == term.Trail && r.Ground == term.GroundRoad:
		f *= h.TrailOnRoad
	case surface == term.Link && r.Ground == term.GroundRoad:
		f *= h.LinkOnRoad
	case surface == term.Road && (r.Ground == term.GroundTrail || r.Ground == term.GroundMud):
		f *= h.RoadOnTrail
	}
	if r.Wet || r.Ground == term.GroundMud {
		f *= h.WetOrMud
	}
	if r.TempC != nil && *r.TempC > 30 {
		f *= h.HeatOver30
	}
	if r.Ground == term.GroundTreadmill {
		f *= h.OnTreadmill
	}
	if r.Kind == term.Walk || r.Kind == term.Hike {
		f *= h.WalkOrHike
	}
	if r.HoursSinceLast != nil && restHours != nil && *r.HoursSinceLast < *restHours {
		f *= h.TooSoonAgain
	}
	return r.KM * f
}

// MedianKM is the prior median of a pair's life in wear-adjusted km before the
// runner's own factor: the model's own figure, else its class's.
func (p *Pair) medianKM() float64 {
	if p.Learned != nil {
		return p.Learned.MedianKM
	}
	if p.MedianKM != nil {
		return *p.MedianKM
	}
	return house.Or(p.House).MedianLife(p.Class)
}
