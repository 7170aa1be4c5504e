package rotation

import (
	"context"
	"fmt"
	"math"
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
// known) and the shortest rest between two different runs in it (nil: one run alone).
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
	p, err := w.check()
	if err != nil {
		return Answer{}, err
	}
	a := Answer{Schema: AnswerSchema, Status: Optimal, Buy: []string{}, Use: []string{}, Assign: map[string]string{}, Uncovered: []string{},
		Curve: []Point{}, Pairs: []Used{}, Why: []string{}, Warnings: []fault.Warning{}}
	if len(w.Pairs) == 0 {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "no_pairs", Text: "No pair is given, so nothing is covered."})
	}
	// Each point of the curve has its own optimum; a pair more never covers less.
	value := int64(0)
	own := plan{}
	proven, upper := true, int64(0)
	last := max(curveTo, p.maxPairs)
	for n := 1; n <= last; n++ {
		if n > curveTo && n != p.maxPairs {
			continue
		}
		least := max(value, p.greedy(ctx, min(n, len(p.pairs))).value)
		best, ok, bound := p.solve(ctx, min(n, len(p.pairs)), least, mostSteps)
		value = max(value, best.value)
		if n <= curveTo {
			takes, _ := p.takes(&w, best)
			a.Curve = append(a.Curve, Point{n, kilometres(best.value / metre), units.Round(float64(best.value%metre)/1e6, 3), best.spent, takes})
		}
		if n == p.maxPairs || p.maxPairs == 0 && n == 1 {
			own, proven, upper = best, ok, bound
		}
		if !ok && n != p.maxPairs {
			a.Warnings = append(a.Warnings, fault.Warning{Code: "curve_not_proven",
				Text: fmt.Sprintf("The best with %d pairs is the best found, not proven.", n)})
		}
	}
	a.fill(&w, p, own)
	if proven {
		a.Why = append(a.Why, p.proof(&w, own)...)
	} else {
		a.Status = BestFound
		a.GapKM = kilometres(upper/metre - own.value/metre)
		a.Why = append(a.Why, fmt.Sprintf("The search was ended before every set was seen: another could cover at most %.1f km more.", a.GapKM))
	}
	return a, nil
}

func kilometres(metres int64) float64 { return units.Round(float64(metres)/1000, 3) }

// takes tells what each pair of a plan takes, and the pair of each piece, -1 for none.
func (p *problem) takes(w *Week, own plan) ([]Used, []int) {
	s := &solver{problem: p, ctx: context.Background(), steps: math.MaxInt}
	to := s.assign(own.set, own.value)
	out := []Used{}
	for _, k := range own.set {
		c := &w.Pairs[k]
		u := Used{ID: c.ID}
		metres := int64(0)
		var mine []piece
		for i, x := range p.parts {
			if to[i] == k {
				metres += x.metres
				mine = append(mine, x)
			}
		}
		u.WeeklyKM = kilometres(metres)
		if c.LifeKM != nil && metres > 0 {
			weeks := units.Round(*c.LifeKM/u.WeeklyKM, 2)
			u.WeeksLeft = &weeks
		}
		u.MinRestHours = shortestRest(mine)
		out = append(out, u)
	}
	return out, to
}

// fill writes the plan with its assignment.
func (a *Answer) fill(w *Week, p *problem, own plan) {
	var to []int
	a.Pairs, to = p.takes(w, own)
	a.Spent = own.spent
	a.CoveredKM, a.SuitKM = kilometres(own.value/metre), units.Round(float64(own.value%metre)/1e6, 3)
	byPart := make([]int, len(w.Parts))
	for i, x := range p.parts {
		byPart[x.index] = to[i]
	}
	for i, part := range w.Parts {
		if byPart[i] < 0 {
			a.Uncovered = append(a.Uncovered, part.ID)
		} else {
			a.Assign[part.ID] = w.Pairs[byPart[i]].ID
		}
	}
	for _, k := range own.set {
		c := &w.Pairs[k]
		a.Use = append(a.Use, c.ID)
		if !c.Owned {
			a.Buy = append(a.Buy, c.ID)
		}
	}
}

// shortestRest between two different runs of a pair's pieces, hours, round the week's end
// too; nil with one run alone.
func shortestRest(mine []piece) *float64 {
	least := math.Inf(1)
	for i, x := range mine {
		for j, y := range mine {
			if x.run == y.run {
				continue
			}
			gap := y.begin - x.end
			if j < i {
				gap += weekMinutes
			}
			least = math.Min(least, gap)
		}
	}
	if math.IsInf(least, 1) {
		return nil
	}
	hours := units.Round(least/60, 3)
	return &hours
}

// proof says in words what bounds the answer.
func (p *problem) proof(w *Week, own plan) []string {
	all := int64(0)
	for _, x := range p.parts {
		all += x.metres
	}
	sets := fmt.Sprintf("of at most %d of the %d pairs", p.maxPairs, len(p.pairs))
	if len(p.pairs) == 1 {
		sets = "of the one pair"
	}
	out := []string{"Every set " + sets + " was looked at, or bounded by one that was: none covers more."}
	if own.value/metre == all {
		out[0] = "Every run is covered. Of all sets " + sets + " that do, none suits better, and of those none costs less."
		return out
	}
	var nobody, later []string
	s := &solver{problem: p, ctx: context.Background(), steps: math.MaxInt}
	to := s.assign(own.set, own.value)
	for i, x := range p.parts {
		if to[i] >= 0 {
			continue
		}
		serves := false
		for k := range p.pairs {
			serves = serves || p.pairs[k].suit[i] >= 0
		}
		if serves {
			later = append(later, w.Parts[x.index].ID)
		} else {
			nobody = append(nobody, w.Parts[x.index].ID)
		}
	}
	if len(nobody) > 0 {
		out = append(out, "No pair suits "+strings.Join(nobody, ", ")+": a model for that kind and ground would cover it.")
	}
	if len(later) > 0 {
		out = append(out, "Left open by rest, by the number of pairs or by the budget: "+strings.Join(later, ", ")+".")
	}
	return out
}
