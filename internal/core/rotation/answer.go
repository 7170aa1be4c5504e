package rotation

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"trevik/internal/core/fault"
	"trevik/internal/core/units"
)

// Statuses of an answer.
const (
	Optimal   = "optimal"
	BestFound = "best_found"
)

// Point is the optimum with at most so many pairs, and what each of them takes. Distances
// km, money minor units.
type Point struct {
	Pairs     int     `json:"pairs"`
	CoveredKM float64 `json:"covered_km"`
	SuitKM    float64 `json:"suit_km"`
	Spent     int64   `json:"spent"`
	Takes     []Used  `json:"takes"`
}

// Used is one pair of the answer: its km a week, weeks that it lasts (nil: its life is not
// known) and the shortest time from the start of one run in it to that of the next (nil: one
// run alone).
type Used struct {
	ID           string   `json:"id"`
	WeeklyKM     float64  `json:"weekly_km"`
	WeeksLeft    *float64 `json:"weeks_left"`
	MinRestHours *float64 `json:"min_rest_hours"`
}

// Answer is the best set of pairs for the week, and which part goes in which.
type Answer struct {
	Schema    string            `json:"schema"`
	Status    string            `json:"status"`
	Buy       []string          `json:"buy"`
	Use       []string          `json:"use"`
	Assign    map[string]string `json:"assign"`
	Uncovered []string          `json:"uncovered"`
	CoveredKM float64           `json:"covered_km"`
	SuitKM    float64           `json:"suit_km"`
	Spent     int64             `json:"spent"`
	GapKM     float64           `json:"gap_km"` // that a better answer could still cover at most; 0 where it is proven
	Curve     []Point           `json:"curve"`
	Pairs     []Used            `json:"pairs"`
	Why       []string          `json:"why"` // the proof in words
	Warnings  []fault.Warning   `json:"warnings"`
}

// Solve finds the best set of pairs for a week, proven. It fails with a fault.List when
// the week holds a value that is not allowed; a search that is too long, or cancelled by
// its context, ends with the best that was found and the gap.
func Solve(ctx context.Context, w Week) (Answer, error) {
	t, _, err := InTurn(ctx, w, [][]WeekPart{w.Parts})
	if err != nil {
		return Answer{}, err
	}
	a := t.Answers[0]
	a.Schema, a.Buy, a.Curve, a.Warnings = AnswerSchema, t.Buy, t.Curve, t.Warnings
	return a, nil
}

func kilometres(metres int64) float64 { return units.Round(float64(metres)/1000, 3) }

// suitKM is km × suitability of a score.
func suitKM(v score) float64 { return units.Round(float64(v.fine)/1e6, 3) }

// takes tells what each pair of a plan takes of the pieces that are asked for, a week in the mean
// of so many weeks, by the pair of each piece.
func (p *problem) takes(w *Week, own plan, to []int, weeks int, of func(piece) bool) []Used {
	out := []Used{}
	for _, k := range own.set {
		c := &w.Pairs[k]
		u := Used{ID: c.ID}
		metres := int64(0)
		var in []int
		for i, x := range p.parts {
			if to[i] != k {
				continue
			}
			in = append(in, x.run)
			if of(x) {
				metres += x.metres
			}
		}
		u.WeeklyKM = units.Round(float64(metres)/1000/float64(weeks), 3)
		if c.LifeKM != nil && metres > 0 {
			left := units.Round(*c.LifeKM/u.WeeklyKM, 2)
			u.WeeksLeft = &left
		}
		u.MinRestHours = p.shortestRest(in)
		out = append(out, u)
	}
	return out
}

// shortestRest from the start of one run to that of the next of some runs, hours, round the
// period's end too; nil with one run alone.
func (p *problem) shortestRest(in []int) *float64 {
	least := math.Inf(1)
	for _, a := range in {
		for _, b := range in {
			if a != b {
				apart := math.Abs(p.runBegin[a] - p.runBegin[b])
				least = math.Min(least, math.Min(apart, p.period-apart))
			}
		}
	}
	if math.IsInf(least, 1) {
		return nil
	}
	hours := units.Round(least/60, 3)
	return &hours
}

// week is what a plan makes of one week.
func (p *problem) week(w *Week, n int, parts []WeekPart, own plan, to []int) Answer {
	a := Answer{Status: Optimal, Buy: []string{}, Use: []string{}, Assign: map[string]string{}, Uncovered: []string{},
		Curve: []Point{}, Why: []string{}, Warnings: []fault.Warning{}, Spent: own.spent}
	a.Pairs = p.takes(w, own, to, 1, func(x piece) bool { return x.week == n })
	if len(parts) > 0 { // an empty week has no answer
		a.Schema = AnswerSchema
	}
	byPart := slices.Repeat([]int{-1}, len(parts))
	sum := score{}
	for i, x := range p.parts {
		if x.week == n && to[i] >= 0 {
			byPart[x.index] = to[i]
			sum = sum.plus(p.value(i, to[i]))
		}
	}
	a.CoveredKM, a.SuitKM = kilometres(sum.main/metre), suitKM(sum)
	for i, part := range parts {
		if byPart[i] < 0 {
			a.Uncovered = append(a.Uncovered, part.ID)
		} else {
			a.Assign[part.ID] = w.Pairs[byPart[i]].ID
		}
	}
	for _, k := range own.set {
		a.Use = append(a.Use, w.Pairs[k].ID)
	}
	return a
}

// proof says in words what bounds the answer.
func (p *problem) proof(weeks [][]WeekPart, own plan, to []int) []string {
	all := int64(0)
	for _, x := range p.parts {
		all += x.metres
	}
	sets := fmt.Sprintf("of at most %d of the %d pairs", p.maxPairs, len(p.pairs))
	if len(p.pairs) == 1 {
		sets = "of the one pair"
	}
	out := []string{"Every set " + sets + " was looked at, or bounded by one that was: none covers more."}
	if own.value.main/metre == all {
		out[0] = fmt.Sprintf("Every run is covered. Of all sets %s that do, none suits better up to %.2f, of those none costs less, and of "+
			"those none "+
			"suits better.", sets, float64(p.good)/1000)
		return out
	}
	var nobody, later []string
	for i, x := range p.parts {
		if to[i] >= 0 {
			continue
		}
		serves := false
		for k := range p.pairs {
			serves = serves || p.pairs[k].suit[i] >= 0
		}
		if id := weeks[x.week][x.index].ID; serves {
			later = append(later, id)
		} else {
			nobody = append(nobody, id)
		}
	}
	if len(nobody) > 0 {
		out = append(out, "No pair suits "+strings.Join(nobody, ", ")+": a model for that kind and ground would cover it.")
	}
	if len(later) > 0 {
		out = append(out, "No rested pair within the number of pairs and the budget: "+strings.Join(later, ", ")+".")
	}
	return out
}
