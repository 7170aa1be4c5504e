package season

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/units"
)

// Weeks are a week number's quantiles over the futures, by nearest rank; nil lies past the plan.
type Weeks struct {
	P10 *int `json:"p10"`
	P50 *int `json:"p50"`
	P90 *int `json:"p90"`
}

// Order is a copy that is ordered in some of the futures: quantiles over those.
type Order struct {
	Copy     int     `json:"copy"`
	P10      int     `json:"week_p10"`
	P50      int     `json:"week_p50"`
	P90      int     `json:"week_p90"`
	Chance   float64 `json:"chance"`
	ChanceSE float64 `json:"chance_se"`
}

// Copy is one copy of a pair over those futures in which it was there; km that it runs in the plan, over all.
type Copy struct {
	Copy int     `json:"copy"`
	Ends Weeks   `json:"ends_week"`
	KM   float64 `json:"km"`
}

// PairAnswer is a pair over all futures: its first copy's end, and the km that all of its copies run in the plan.
type PairAnswer struct {
	ID     string  `json:"id"`
	Orders []Order `json:"orders"`
	Ends   Weeks   `json:"ends_week"`
	KM     float64 `json:"km"`
	Copies []Copy  `json:"copies"`
}

// WeekAnswer is a week: its planned km, and the share of them that a pair is there for.
type WeekAnswer struct {
	Week    int     `json:"week"`
	Starts  string  `json:"starts"`
	KM      float64 `json:"km"`
	Covered float64 `json:"covered_share"`
}

// RaceAnswer is a race: how likely its pair is broken in and lasts, and the pair that mostly runs it (nil: none may).
type RaceAnswer struct {
	Date         string   `json:"date"`
	Ready        float64  `json:"ready"`
	ReadySE      float64  `json:"ready_se"`
	Pair         *string  `json:"pair"`
	PairChance   float64  `json:"pair_chance"`
	PairChanceSE float64  `json:"pair_chance_se"`
	Why          []string `json:"why"`
}

// Money are quantiles in minor units.
type Money struct {
	P10 int64 `json:"p10"`
	P50 int64 `json:"p50"`
	P90 int64 `json:"p90"`
}

// Answer is what the futures come to. Errors (se) are those of counting so many futures.
type Answer struct {
	Schema      string          `json:"schema"`
	Weeks       []WeekAnswer    `json:"weeks"`
	Pairs       []PairAnswer    `json:"pairs"`
	Races       []RaceAnswer    `json:"races"`
	Spent       Money           `json:"spent"`
	SpentByWeek []float64       `json:"spent_by_week"` // spent so far, mean, minor units
	Short       float64         `json:"short"`         // copies that the money was not there for, mean
	Covered     float64         `json:"covered_share"`
	Warnings    []fault.Warning `json:"warnings"`
}

// tally counts over the futures.
type tally struct {
	ordered, ended [][]int // weeks, of each copy, in the futures in which it was ordered; was there
	km             []float64
	spent          []int64
	spentBy        []float64
	covered        []float64 // km, of each week
	short          int
}

// Look runs a plan's futures. progress, where it is not nil, is told how many are done and stops the work by an error. Look
// fails with a fault.List when something of the plan cannot be.
func Look(ctx context.Context, p Plan, progress func(done, of int) error) (Answer, error) {
	starts, weeks, err := p.check()
	if err != nil {
		return Answer{}, err
	}
	s := newSimulation(ctx, &p, weeks)
	t := tally{ordered: make([][]int, len(s.copies)), ended: make([][]int, len(s.copies)), km: make([]float64, len(s.copies)),
		spentBy: make([]float64, len(weeks)), covered: make([]float64, len(weeks))}
	for d := range s.draws {
		if progress != nil && d%100 == 0 {
			if err := progress(d, s.draws); err != nil {
				return Answer{}, err
			}
		}
		if err := s.future(d, &t); err != nil {
			return Answer{}, err
		}
	}
	return s.answer(starts, &t), nil
}

// future runs one future and counts it.
func (s *simulation) future(d int, t *tally) error {
	st := s.begin()
	from := slices.Clone(st.km)
	for _, id := range s.plan.Buy {
		i := slices.IndexFunc(s.plan.Pairs, func(x Pair) bool { return x.ID == id })
		c := s.first[i]
		if s.plan.Pairs[i].Owned {
			c++
		}
		s.order(st, c, 0)
	}
	for w := range s.weeks {
		if err := s.orders(st, w); err != nil {
			return err
		}
		there := s.there(st, w)
		covered, err := s.run(w, there, st.e, st.km, func(r *race, c int, before, after float64) {
			if c < 0 {
				r.none++
				return
			}
			raw, worn := before < or(s.pair(c).BreakInKM, DefaultBreakIn)-1e-9, after >= s.copies[c].lives[d]
			switch {
			case raw:
				r.raw++
			case worn:
				r.worn++
			default:
				r.ready++
			}
			r.byPair[s.copies[c].pair]++
		})
		if err != nil {
			return err
		}
		for c := range s.copies {
			if there.has(c) && st.e[c] >= s.copies[c].lives[d] {
				st.ended[c] = w
			}
		}
		t.spentBy[w] += float64(st.spent)
		t.covered[w] += covered
	}
	for c := range s.copies {
		if st.owed[c] != never {
			t.ordered[c] = append(t.ordered[c], st.owed[c]+1)
		}
		if st.arrives[c] <= 7*(len(s.weeks)-1) {
			end := st.ended[c]
			if end != never {
				end++
			}
			t.ended[c] = append(t.ended[c], end)
		}
		t.km[c] += st.km[c] - from[c]
	}
	t.spent = append(t.spent, st.spent)
	t.short += st.short
	return nil
}

// ranked is a quantile by nearest rank of sorted values.
func ranked[T any](sorted []T, p float64) T {
	return sorted[max(0, int(math.Ceil(p*float64(len(sorted))-1e-9))-1)]
}

func weeksOf(all []int) (w Weeks) {
	if len(all) == 0 {
		return w
	}
	slices.Sort(all)
	at := func(p float64) *int {
		if v := ranked(all, p); v != never {
			return &v
		}
		return nil
	}
	return Weeks{at(0.1), at(0.5), at(0.9)}
}

func (s *simulation) share(n int) (p, se float64) {
	p = float64(n) / float64(s.draws)
	return units.Round(p, 4), units.Round(math.Sqrt(p*(1-p)/float64(s.draws)), 4)
}

func (s *simulation) answer(starts time.Time, t *tally) Answer {
	n := float64(s.draws)
	a := Answer{Schema: AnswerSchema, Weeks: []WeekAnswer{}, Pairs: []PairAnswer{}, Races: []RaceAnswer{}, Warnings: []fault.Warning{},
		Short: units.Round(float64(t.short)/n, 4)}
	planned, covered := 0.0, 0.0
	for w, km := range s.km {
		x := WeekAnswer{Week: w + 1, Starts: starts.AddDate(0, 0, 7*w).Format(time.DateOnly), KM: units.Round(km, 3), Covered: 1}
		if km > 0 {
			x.Covered = units.Round(t.covered[w]/n/km, 4)
		}
		planned, covered = planned+km, covered+t.covered[w]/n
		a.Weeks = append(a.Weeks, x)
		a.SpentByWeek = append(a.SpentByWeek, units.Round(t.spentBy[w]/n, 2))
	}
	a.Covered = 1
	if planned > 0 {
		a.Covered = units.Round(covered/planned, 4)
	}
	slices.Sort(t.spent)
	a.Spent = Money{ranked(t.spent, 0.1), ranked(t.spent, 0.5), ranked(t.spent, 0.9)}
	for i := range s.plan.Pairs {
		x := PairAnswer{ID: s.plan.Pairs[i].ID, Orders: []Order{}, Copies: []Copy{}}
		km := 0.0
		for c := s.first[i]; c < len(s.copies) && s.copies[c].pair == i; c++ {
			km += t.km[c]
			if all := t.ordered[c]; len(all) > 0 {
				slices.Sort(all)
				o := Order{Copy: s.copies[c].number, P10: ranked(all, 0.1), P50: ranked(all, 0.5), P90: ranked(all, 0.9)}
				o.Chance, o.ChanceSE = s.share(len(all))
				x.Orders = append(x.Orders, o)
			}
			if len(t.ended[c]) > 0 {
				ends := weeksOf(t.ended[c])
				if s.copies[c].number == 1 {
					x.Ends = ends
				}
				x.Copies = append(x.Copies, Copy{s.copies[c].number, ends, units.Round(t.km[c]/n, 2)})
			}
		}
		x.KM = units.Round(km/n, 2)
		a.Pairs = append(a.Pairs, x)
	}
	order := make([]int, len(s.races))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(x, y int) int { return s.races[x].day - s.races[y].day })
	for _, i := range order {
		a.Races = append(a.Races, s.raceAnswer(&s.races[i], starts, &a))
	}
	if s.unsure {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "week_not_proven", Text: "A week was too long to be solved to the end: the best " +
			"that was found was run."})
	}
	if a.Short > 0 {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "short_of_money", Text: fmt.Sprintf("The money is not there for %.2f copies on "+
			"average.", a.Short)})
	}
	if a.Covered < 0.995 {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "not_covered", Text: fmt.Sprintf("For %.1f %% of the km no pair is there.",
			100*(1-a.Covered))})
	}
	return a
}

// raceAnswer says how a race comes out, and why.
func (s *simulation) raceAnswer(r *race, starts time.Time, a *Answer) RaceAnswer {
	x := RaceAnswer{Date: starts.AddDate(0, 0, r.day).Format(time.DateOnly), Why: []string{}}
	x.Ready, x.ReadySE = s.share(r.ready)
	most := -1
	for i, k := range r.byPair {
		if k > 0 && (most < 0 || k > r.byPair[most]) {
			most = i
		}
	}
	say := func(n int, text string) {
		if n > 0 {
			x.Why = append(x.Why, fmt.Sprintf("In %.1f %% of the futures %s.", 100*float64(n)/float64(s.draws), text))
		}
	}
	if most >= 0 {
		id := s.plan.Pairs[most].ID
		x.Pair = &id
		x.PairChance, x.PairChanceSE = s.share(r.byPair[most])
	} else {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "race_without_pair", Text: "No pair may run the race of " + x.Date + "."})
	}
	say(r.ready, "its pair is broken in and lasts through it")
	say(r.raw, "its pair has too few km behind it")
	say(r.worn, "its pair is worn out before it ends")
	say(r.none, "no pair that may run it is there")
	return x
}
