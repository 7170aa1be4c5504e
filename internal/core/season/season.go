// Package season looks from this week to the race: which pair is run when, when the next is to be ordered, what it costs
// and how likely it is that it works out.
//
// Each of many seeded futures draws a life for every copy of every pair (wear: log-normal, an owned one given that it
// lives), runs the plan's weeks one after another with the copies that are there, each week solved exactly by rotation,
// wears them, orders by what would be known on the day, and runs each race in the pair that is best for it. The answer
// counts over the futures. Source: the shop's domain book, season.md.
package season

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/rotation"
	"trevik/internal/core/term"
)

const (
	Schema       = "trevik.season/v1"
	AnswerSchema = "trevik.season-answer/v1"
)

// Limits and house values of a season.
const (
	MostWeeks   = 30
	MostPairs   = 40
	MostCopies  = 20 // of a pair
	MostDraws   = 100_000
	mostThings  = 128 // copies of all pairs
	mostFactor  = 10.0
	mostLnLife  = 11.5 // 100,000 km
	mostLnSD    = 2.0
	mostBreakIn = 500.0
	mostDays    = 365
	mostLoad    = 10.0

	DefaultDraws    = 2000
	DefaultOrderAt  = 0.2
	DefaultBreakIn  = 40.0
	DefaultDelivery = 7
)

// Life is the natural logarithm of a life in wear-adjusted km: mean and SD.
type Life struct {
	Mean float64 `json:"mean"`
	SD   float64 `json:"sd"`
}

// Pair is a pair that is owned or may be had. Distances km, price in minor units.
type Pair struct {
	ID          string                  `json:"id"`
	Model       string                  `json:"model" strict:"word"`
	Owned       bool                    `json:"owned"`
	Price       int64                   `json:"price"`
	RestHours   *float64                `json:"rest_hours"`
	MaxRunKM    *float64                `json:"max_run_km"`
	LifeKM      *float64                `json:"life_km"` // as a week's, and not used: ln_life is
	Suitability []rotation.Suit         `json:"suitability"`
	LnLife      *Life                   `json:"ln_life"`
	NextLife    *Life                   `json:"next_ln_life,omitempty"` // of its later copies; ln_life when missing
	EffectiveKM *float64                `json:"effective_km"`
	KM          *float64                `json:"km"` // real; effective_km when missing
	Load        map[term.Ground]float64 `json:"load"`
	BreakInKM   *float64                `json:"break_in_km"`
	Delivery    *int                    `json:"delivery_days"`
	Copies      *int                    `json:"copies"`  // how often it may be had, the first included
	RaceKM      []float64               `json:"race_km"` // the least and most real km on a race day
}

// Week is a list of parts, or like an earlier week, each km times a factor.
type Week struct {
	Parts    []rotation.WeekPart `json:"parts"`
	Like     *int                `json:"like"`
	KMFactor *float64            `json:"km_factor"`
}

// Plan is a season as it is planned.
type Plan struct {
	Schema    string   `json:"schema"`
	Starts    string   `json:"starts"` // a Monday, 2006-01-02
	Seed      uint64   `json:"seed"`
	Draws     *int     `json:"draws"`
	OrderAt   *float64 `json:"order_at"`
	Buy       []string `json:"buy"`
	Weeks     []Week   `json:"weeks"`
	Pairs     []Pair   `json:"pairs"`
	Budget    *int64   `json:"budget"` // minor units; nil is no limit
	Currency  string   `json:"currency"`
	MaxPairs  *int     `json:"max_pairs"`
	MinSuit   *float64 `json:"min_suit"`
	GoodSuit  *float64 `json:"good_suit"`
	RestHours *float64 `json:"rest_hours"`
}

// or is a value where it is told, else another.
func or[T any](v *T, other T) T {
	if v == nil {
		return other
	}
	return *v
}

// check notes everything that cannot be, and gives the day that the plan starts and its weeks with their parts.
func (p *Plan) check() (starts time.Time, weeks [][]rotation.WeekPart, err error) {
	var l fault.List
	if p.Schema != "" && p.Schema != Schema {
		l.Add("schema", "is %q; allowed is %q", p.Schema, Schema)
	}
	starts, err = time.Parse(time.DateOnly, p.Starts)
	if err != nil || starts.Weekday() != time.Monday {
		l.Add("starts", "is %q; allowed is a Monday such as 2026-12-07", p.Starts)
	}
	if p.Draws != nil && (*p.Draws < 1 || *p.Draws > MostDraws) {
		l.Add("draws", "are %d; allowed are 1 to %d", *p.Draws, MostDraws)
	}
	if p.OrderAt != nil {
		l.Range("order_at", *p.OrderAt, 0, 1, "")
	}
	p.checkPairs(&l)
	if n := len(p.Weeks); n < 1 || n > MostWeeks {
		l.Add("weeks", "are %d; allowed are 1 to %d", n, MostWeeks)
		return starts, nil, l
	}
	weeks = make([][]rotation.WeekPart, len(p.Weeks))
	for i, w := range p.Weeks {
		at := fmt.Sprintf("weeks[%d]", i)
		switch {
		case w.Parts != nil && w.Like != nil:
			l.Add(at+".like", "stands beside parts; give one of the two")
		case w.Parts == nil && w.Like == nil:
			l.Add(at+".parts", "are missing; give parts, or like an earlier week")
		case w.Like != nil && i == 0:
			l.Add(at+".like", "is %d; before the first week there is none", *w.Like)
		case w.Like != nil && (*w.Like < 1 || *w.Like > i):
			l.Add(at+".like", "is %d; allowed are the weeks before, 1 to %d", *w.Like, i)
		case w.Like == nil && w.KMFactor != nil:
			l.Add(at+".km_factor", "goes with like alone")
		}
		if w.KMFactor != nil {
			l.Range(at+".km_factor", *w.KMFactor, 0.01, mostFactor, "")
		}
		if w.Like == nil || *w.Like < 1 || *w.Like > i {
			weeks[i] = w.Parts
			continue
		}
		f := or(w.KMFactor, 1)
		for _, part := range weeks[*w.Like-1] {
			part.KM = math.Round(1000*f*part.KM) / 1000
			if part.Minutes != nil {
				m := f * *part.Minutes
				part.Minutes = &m
			}
			weeks[i] = append(weeks[i], part)
		}
	}
	if len(l) > 0 {
		return starts, nil, l
	}
	for i, parts := range weeks {
		if len(parts) == 0 {
			continue // a week of rest
		}
		for k, part := range p.Weeks[i].Parts { // those of a week like another are told there
			for _, id := range part.Barred {
				if !slices.ContainsFunc(p.Pairs, func(x Pair) bool { return x.ID == id }) {
					l.Add(fmt.Sprintf("weeks[%d].parts[%d].barred", i, k), "names %q, which is none of the pairs", id)
				}
			}
		}
		w := rotation.Week{MaxPairs: p.MaxPairs, MinSuit: p.MinSuit, GoodSuit: p.GoodSuit, RestHours: p.RestHours, Parts: parts,
			Pairs: p.candidates()}
		faults, _ := fault.As(w.Check())
		for _, f := range faults {
			if strings.HasPrefix(f.Field, "parts") {
				f.Field = fmt.Sprintf("weeks[%d].%s", i, f.Field)
			}
			if !slices.Contains(l, f) { // of pairs it is the same in every week
				l = append(l, f)
			}
		}
	}
	return starts, weeks, l.Err()
}

// lifeOf is the life of one of a pair's copies, from 1.
func (p *Pair) lifeOf(number int) *Life {
	if number > 1 && p.NextLife != nil {
		return p.NextLife
	}
	return p.LnLife
}

// candidates are the pairs as a week's, all owned: nothing is bought within a week.
func (p *Plan) candidates() []rotation.Candidate {
	out := make([]rotation.Candidate, len(p.Pairs))
	for i := range p.Pairs {
		x := &p.Pairs[i]
		out[i] = rotation.Candidate{ID: x.ID, Model: x.Model, Owned: true, RestHours: x.RestHours, MaxRunKM: x.MaxRunKM, LifeKM: x.LifeKM,
			Suitability: x.Suitability}
	}
	return out
}

func (p *Plan) checkPairs(l *fault.List) {
	if p.Budget != nil {
		l.Range("budget", float64(*p.Budget), 0, 1e9, "cents")
	}
	if len(p.Pairs) > MostPairs {
		l.Add("pairs", "are %d; allowed are up to %d", len(p.Pairs), MostPairs)
	}
	things := 0
	known := map[string]int{}
	for i := range p.Pairs {
		x := &p.Pairs[i]
		at := fmt.Sprintf("pairs[%d].", i)
		if _, twice := known[x.ID]; !twice {
			known[x.ID] = i
		}
		l.Range(at+"price", float64(x.Price), 0, 1e8, "cents")
		if x.LnLife == nil {
			l.Add(at+"ln_life", "is missing; give its mean and sd")
		}
		for name, life := range map[string]*Life{"ln_life": x.LnLife, "next_ln_life": x.NextLife} {
			if life != nil {
				l.Range(at+name+".mean", life.Mean, 0, mostLnLife, "")
				l.Range(at+name+".sd", life.SD, 0, mostLnSD, "")
			}
		}
		for name, v := range map[string]*float64{"effective_km": x.EffectiveKM, "km": x.KM} {
			if v != nil {
				l.Range(at+name, *v, 0, 1e5, "km")
			}
		}
		for ground, v := range x.Load {
			if fault.OneOf(l, at+"load."+string(ground), ground, term.Grounds) {
				l.Range(at+"load."+string(ground), v, 0, mostLoad, "")
			}
		}
		if x.BreakInKM != nil {
			l.Range(at+"break_in_km", *x.BreakInKM, 0, mostBreakIn, "km")
		}
		if x.Delivery != nil && (*x.Delivery < 0 || *x.Delivery > mostDays) {
			l.Add(at+"delivery_days", "are %d; allowed are 0 to %d", *x.Delivery, mostDays)
		}
		if n := or(x.Copies, 1); n < 1 || n > MostCopies {
			l.Add(at+"copies", "are %d; allowed are 1 to %d", n, MostCopies)
		} else if things += n; things > mostThings {
			l.Add(at+"copies", "make more than %d of all pairs together", mostThings)
			things = math.MinInt / 2 // said once
		}
		if r := x.RaceKM; r != nil {
			if len(r) != 2 || r[0] > r[1] || r[0] < 0 {
				l.Add(at+"race_km", "is %v; allowed are the least and the most km", r)
			}
		}
	}
	slices.SortFunc(*l, func(a, b fault.Fault) int { return strings.Compare(a.Field, b.Field) })
	for i, id := range p.Buy {
		at := fmt.Sprintf("buy[%d]", i)
		k, ok := known[id]
		switch {
		case !ok:
			l.Add(at, "is %q, which is none of the pairs", id)
		case slices.Contains(p.Buy[:i], id):
			l.Add(at, "is %q, which stands there already", id)
		case p.Pairs[k].Owned && or(p.Pairs[k].Copies, 1) < 2:
			l.Add(at, "is %q, which is owned and of which no copy more may be had", id)
		}
	}
}
