package match

import (
	"cmp"
	"math"
	"slices"
	"strconv"
	"strings"

	"trevik/internal/core/fault"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
)

// House values of ruling out and ranking.
const (
	serves         = 0.5 // a kind is served from this suitability
	cautionDropMM  = 3.0
	nothingSaid    = 0.7
	heavyRunnerKg  = 85.0
	lightShoeG     = 220.0
	heavyShoeG     = 340.0
	tallFirstMM    = 40.0
	bareFirst      = 25.0
	dearTimes      = 3.0
	nearBest       = 0.85
	mostTried      = 6
	leastTried     = 4
	strikePerMM    = 0.15
	liftNothing    = 0.8 // of hold, where nothing is known
	flatHold       = 0.4
	firmUpper      = 4.0
	firmUpperMark  = 0.1
	cushionSpanMM  = 20.0
	knownMonths    = 12.0 // in which a complaint asks for cushion
	naturalDropMM  = 4.0  // the next step towards less shoe
	naturalStackMM = 10.0
	naturalLeastMM = 15.0
	habitFreeMM    = 4.0
	habitSpanMM    = 6.0
	loweringCounts = 1.5
)

// Mark is one reason of the ranking: value 0 to 1 and its share of the score.
type Mark struct {
	Mark   string  `json:"mark"`
	Value  float64 `json:"value"`
	Weight float64 `json:"weight"`
	Why    string  `json:"why"`
}

// Earlier is the version before a model, where it is on the list and cheaper.
type Earlier struct {
	Model  string `json:"model"`
	Price  int64  `json:"price"`
	Change string `json:"change"`
	Text   string `json:"text"`
}

// Ranked is one model that is offered. CostPerKM in minor units an expected km, of which LifeKM are.
type Ranked struct {
	Model     string    `json:"model"`
	Size      Size      `json:"size"`
	Score     float64   `json:"score"`
	Marks     []Mark    `json:"marks"`
	WorstKind term.Kind `json:"worst_kind"`
	CostPerKM float64   `json:"cost_per_km"`
	LifeKM    float64   `json:"life_km"`
	Earlier   *Earlier  `json:"earlier"`
	// Once something was tried on: its place, which the order follows, and what moved it, in sentences.
	Place *float64 `json:"place,omitempty"`
	Moves []string `json:"moves,omitempty"`
	model *shoe.Model
	fit   fitting
}

// RuledOut is one model that is not offered, and why: Reason is the first that
// holds, Reasons all of them.
type RuledOut struct {
	Model   string   `json:"model"`
	Reason  string   `json:"reason"`
	Text    string   `json:"text"`
	Reasons []string `json:"reasons"`
	texts   []string
	off     float64 // how far it is from being offered, in steps of a size, a letter or its price
}

// Nearest is one of the models that come closest where none is left, with all that is wrong.
type Nearest struct {
	Model   string   `json:"model"`
	Reasons []string `json:"reasons"`
	Text    string   `json:"text"`
}

// Answer is the ranking, best first, what was ruled out, and whom to try.
type Answer struct {
	Schema   string          `json:"schema"`
	Ranked   []Ranked        `json:"ranked"`
	RuledOut []RuledOut      `json:"ruled_out"`
	Nearest  []Nearest       `json:"nearest"`
	TryOn    []string        `json:"try_on"`
	Warnings []fault.Warning `json:"warnings"`
}

// Rank matches the models to the request. It fails with a fault.List when the
// request holds a value that is not allowed.
func Rank(r Request) (Answer, error) {
	// The models are given their defaults; the caller's stay as they were.
	r.Models = slices.Clone(r.Models)
	if err := r.check(); err != nil {
		return Answer{}, err
	}
	a := Answer{Schema: AnswerSchema, Nearest: []Nearest{}, TryOn: []string{}, Warnings: []fault.Warning{}}
	if len(r.Spread) == 0 {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "no_level", Text: "No level of support is given, so none is ruled out by it."})
	}
	if r.widest == 0 {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "no_width",
			Text: "No ball width was measured, so no width is judged; the standard stands in."})
	}
	a.Ranked = make([]Ranked, 0, len(r.Models))
	a.RuledOut = make([]RuledOut, 0, len(r.Models))
	for i := range r.Models {
		m := &r.Models[i]
		fit, instead, out := r.ruledOut(m)
		if out != nil {
			a.RuledOut = append(a.RuledOut, *out)
			continue
		}
		c := Ranked{Model: m.ID, Size: r.sized(m, fit), LifeKM: r.lifeOf(m), model: m, fit: fit}
		c.Size.InsteadOf, c.Moves = instead, fit.moves
		c.CostPerKM = float64(m.Price()) / c.LifeKM
		a.Ranked = append(a.Ranked, c)
	}
	cheapest := math.Inf(1)
	for _, c := range a.Ranked {
		cheapest = min(cheapest, c.CostPerKM)
	}
	for i := range a.Ranked {
		r.mark(&a.Ranked[i], cheapest)
		r.earlier(&a.Ranked[i])
	}
	a.Ranked = sorted(a.Ranked, func(x, y *Ranked) int {
		if x.Score != y.Score {
			return cmp.Compare(y.Score, x.Score)
		}
		return strings.Compare(x.Model, y.Model)
	})
	a.RuledOut = sorted(a.RuledOut, func(x, y *RuledOut) int { return strings.Compare(x.Model, y.Model) })
	a.TryOn = r.tryOn(a.Ranked)
	r.followTryOn(&a)
	if len(a.Ranked) == 0 {
		a.Nearest = nearest(a.RuledOut)
		a.Warnings = append(a.Warnings, fault.Warning{Code: "none_fits",
			Text: "Every model is ruled out; the nearest are told with what is wrong."})
	}
	return a, nil
}

// sorted puts large values in order by moving each once.
func sorted[T any](list []T, compare func(x, y *T) int) []T {
	at := make([]*T, len(list))
	for i := range list {
		at[i] = &list[i]
	}
	slices.SortFunc(at, compare)
	out := make([]T, len(list))
	for i, p := range at {
		out[i] = *p
	}
	return out
}

func (r *Request) wearer() shoe.Wearer {
	w := shoe.Wearer{Strike: r.Strike, On: r.Conditions}
	if r.MassKg != nil {
		w.MassKg = *r.MassKg
	}
	if r.RaceKM != nil {
		w.RaceKm = *r.RaceKM
	}
	return w
}

// suits is how well a model serves a kind of the runner's week under the conditions told.
func (r *Request) suits(m *shoe.Model, k KindShare) float64 {
	w := r.wearer()
	if k.KM != nil {
		w.KM = *k.KM
	}
	return m.Suits(k.Kind, k.Ground, w)
}

// servesAny says whether the model serves one of the kinds of the runner's week, walking, hiking
// and lifting included.
func (r *Request) servesAny(m *shoe.Model) bool {
	return slices.ContainsFunc(r.Kinds, func(k KindShare) bool { return k.Share > 0 && r.suits(m, k) >= serves-1e-9 })
}

func (r *Request) earlier(c *Ranked) {
	e := r.byID[c.model.Replaces]
	if e == nil || e.Price() >= c.model.Price() {
		return
	}
	text := "The same shoe for less."
	if c.model.Change == "midsole" || c.model.Change == "overhaul" {
		text = "Cheaper, but another shoe underfoot: to be tried again."
	}
	c.Earlier = &Earlier{Model: e.ID, Price: e.Price(), Change: c.model.Change, Text: text}
}

func plain(v float64) string { return strconv.FormatFloat(v, 'g', -1, 64) }

// perKM writes what a km costs, given in minor units.
func perKM(v float64, currency string) string {
	return strconv.FormatFloat(v/100, 'f', 3, 64) + " " + cmp.Or(currency, "of the currency")
}

// money writes an amount of minor units.
func money(v int64, currency string) string {
	return strconv.FormatFloat(float64(v)/100, 'f', 2, 64) + " " + cmp.Or(currency, "of the currency")
}

func words[T ~string](w T) string { return strings.ReplaceAll(string(w), "_", " ") }

// lifeOf is how long a model lasts, wear-adjusted km.
func (r *Request) lifeOf(m *shoe.Model) float64 {
	if r.Life != nil {
		if km := r.Life(m); km > 0 {
			return km
		}
	}
	return m.Life(r.House)
}
