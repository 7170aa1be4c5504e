package match

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"trevik/internal/core/fault"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
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

// Ranked is one model that is offered. CostPerKM in minor units a km.
type Ranked struct {
	Model     string    `json:"model"`
	Size      Size      `json:"size"`
	Score     float64   `json:"score"`
	Marks     []Mark    `json:"marks"`
	WorstKind term.Kind `json:"worst_kind"`
	CostPerKM float64   `json:"cost_per_km"`
	Earlier   *Earlier  `json:"earlier"`
	model     *shoe.Model
}

// RuledOut is one model that is not offered, and why: Reason is the first that
// holds, Reasons all of them.
type RuledOut struct {
	Model   string   `json:"model"`
	Reason  string   `json:"reason"`
	Text    string   `json:"text"`
	Reasons []string `json:"reasons"`
}

// Answer is the ranking, best first, what was ruled out, and whom to try.
type Answer struct {
	Schema   string          `json:"schema"`
	Ranked   []Ranked        `json:"ranked"`
	RuledOut []RuledOut      `json:"ruled_out"`
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
	a := Answer{Schema: AnswerSchema, TryOn: []string{}, Warnings: []fault.Warning{}}
	if len(r.Spread) == 0 {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "no_level", Text: "No level of support is given, so none is ruled out by it."})
	}
	if r.widest == 0 {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "no_width", Text: "No ball width was measured; the standard width stands in."})
	}
	a.Ranked = make([]Ranked, 0, len(r.Models))
	a.RuledOut = make([]RuledOut, 0, len(r.Models))
	for i := range r.Models {
		m := &r.Models[i]
		size, out := r.ruledOut(m)
		if out != nil {
			a.RuledOut = append(a.RuledOut, *out)
			continue
		}
		a.Ranked = append(a.Ranked, Ranked{Model: m.ID, Size: size, CostPerKM: float64(m.Price()) / m.Life(r.House), model: m})
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
	if len(a.Ranked) == 0 {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "none_fits", Text: "Every model is ruled out; look at the reasons."})
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

// ruledOut sizes the model, or says why it is not offered. Of several reasons the
// first is told in words. What a fitter lets in all the same is sized, unless no size
// fits: that is never overruled.
func (r *Request) ruledOut(m *shoe.Model) (Size, *RuledOut) {
	var out *RuledOut
	add := func(reason string, text func() string) {
		if out == nil {
			out = &RuledOut{Model: m.ID, Reason: reason, Text: text(), Reasons: make([]string, 0, 2)}
		}
		out.Reasons = append(out.Reasons, reason)
	}
	if m.Surface != r.Surface {
		add("surface", func() string { return "Made for " + string(m.Surface) + "; " + string(r.Surface) + " is asked for." })
	}
	if !r.servesAny(m) {
		add("class", func() string { return "A " + words(m.Class) + " model serves none of these runs well (0.5 or more)." })
	}
	if len(r.Spread) > 0 && !slices.Contains(r.Spread, m.Level) {
		add("level", func() string { return "Its support is " + words(m.Level) + ", outside what is to be tried." })
	}
	fit := r.sizeIn(m)
	if fit.reason != "" {
		add(fit.reason, func() string { return r.unfit(m, fit) })
	}
	if r.Budget != nil && r.Budget.Firm && m.Price() > r.Budget.Amount {
		add("budget", func() string { return "It costs more than the runner's firm limit." })
	}
	if r.Settings.InStock && fit.reason == "" && m.StockOf(fit.figure, fit.width) == 0 {
		add("stock", func() string { return m.Label(fit.figure, fit.width) + " is not on the shelf today." })
	}
	if text := r.caution(m); text != "" {
		add("caution", func() string { return text })
	}
	if out != nil && (fit.reason == "size" || !slices.Contains(r.Overruled, m.ID)) {
		return Size{}, out
	}
	return r.sized(m, fit), nil
}

func (r *Request) caution(m *shoe.Model) string {
	if r.tendon() && r.Present != nil && r.Present.DropMM != nil {
		if lower := *r.Present.DropMM - m.Drop(); lower >= cautionDropMM-1e-9 {
			return fmt.Sprintf("Its drop is %g mm lower than now, with a calf or Achilles complaint within six months.", units.Round(lower, 1))
		}
	}
	if m.MetalTips && !slices.Contains(r.Conditions, term.BlackIce) &&
		slices.ContainsFunc(r.Kinds, func(k KindShare) bool { return k.Ground == term.GroundRoad && k.Share > 0 }) {
		return "Metal tips slip on bare road."
	}
	return ""
}

func (r *Request) wearer() shoe.Wearer {
	w := shoe.Wearer{Strike: r.Strike}
	if r.MassKg != nil {
		w.MassKg = *r.MassKg
	}
	if r.RaceKM != nil {
		w.RaceKm = *r.RaceKM
	}
	return w
}

// servesAny says whether the model serves one of the runner's running kinds;
// for somebody who only walks, hikes or lifts those kinds count.
func (r *Request) servesAny(m *shoe.Model) bool {
	running := func(k KindShare) bool { return k.Kind != term.Walk && k.Kind != term.Hike && k.Kind != term.Gym }
	runs := slices.ContainsFunc(r.Kinds, func(k KindShare) bool { return k.Share > 0 && running(k) })
	return slices.ContainsFunc(r.Kinds, func(k KindShare) bool {
		if k.Share <= 0 || runs && !running(k) {
			return false
		}
		return m.Suits(k.Kind, k.Ground, r.wearer()) >= serves-1e-9
	})
}

// mark gives a model its marks and score.
func (r *Request) mark(c *Ranked, cheapest float64) {
	m := c.model
	c.Marks = make([]Mark, 0, len(MarkNames))
	// In the order of MarkNames.
	add := func(name string, value float64, why string) {
		value, weight := min(1, max(0, value)), r.share[len(c.Marks)]
		c.Marks = append(c.Marks, Mark{name, units.Round(value, 6), units.Round(weight, 6), why})
		c.Score += value * weight
	}
	use, worst, why := r.use(m)
	c.WorstKind = worst
	add("use", use, why)
	shapeValue, why := r.shape(m, c.Size)
	add("shape", shapeValue, why)
	feel, why := r.feel(m)
	add("feel", feel, why)
	drop, why := r.drop(m)
	add("drop", drop, why)
	weight, why := r.weight(m)
	add("weight", weight, why)
	body, why := r.body(m)
	add("body", body, why)
	level, why := r.level(m)
	add("level", level, why)
	money := 1.0
	if cheapest > 0 {
		money = 1 - (c.CostPerKM/cheapest-1)/(dearTimes-1)
	}
	add("money", money, perKM(c.CostPerKM, m.Currency)+" an expected km; the cheapest here is "+perKM(cheapest, m.Currency))
	first, why := r.first(m)
	add("first", first, why)
	if slices.Contains(r.Disliked, m.ID) {
		add("disliked", 0, "disliked before, in this version")
	} else {
		add("disliked", 1, "nothing said against it")
	}
	c.Score = units.Round(c.Score, 6)
	c.CostPerKM = units.Round(c.CostPerKM, 4)
}

func (r *Request) use(m *shoe.Model) (float64, term.Kind, string) {
	sum, shares := 0.0, 0.0
	worst, worstValue := term.Kind(""), math.Inf(1)
	for _, k := range r.Kinds {
		if k.Share <= 0 {
			continue
		}
		v := m.Suits(k.Kind, k.Ground, r.wearer())
		sum += v * k.Share
		shares += k.Share
		if v < worstValue-1e-9 {
			worst, worstValue = k.Kind, v
		}
	}
	return sum / shares, worst, "serves " + words(worst) + " least, " + strconv.FormatFloat(worstValue, 'f', 2, 64)
}

func (r *Request) shape(m *shoe.Model, size Size) (float64, string) {
	steps, why := 0, []string{}
	var shape, volume int
	for _, s := range term.Sides {
		f := r.Feet.Of(s)
		if f == nil {
			continue
		}
		if f.Shape != "" {
			shape = max(shape, abs(slices.Index(term.Shapes, f.Shape)-slices.Index(term.LastShapes, m.LastShape)))
		}
		if f.Volume != "" {
			volume = max(volume, abs(slices.Index(term.Volumes, f.Volume)-slices.Index(term.Volumes, m.Volume)))
		}
	}
	for _, p := range []struct {
		n    int
		name string
	}{{shape, "toe shape"}, {volume, "volume"}, {abs(size.widthOff), "width letter"}} {
		if p.n > 0 {
			steps += p.n
			why = append(why, fmt.Sprintf("%s %d off", p.name, p.n))
		}
	}
	if steps == 0 {
		return 1, "toe shape, volume and width go with the foot"
	}
	return 1 - 0.25*float64(steps), strings.Join(why, ", ")
}

func (r *Request) feel(m *shoe.Model) (float64, string) {
	if r.Likes == nil || r.Likes.Softness == nil && r.Likes.Bounce == nil {
		return nothingSaid, "no wish was told"
	}
	off, asked := 0.0, 0.0
	if s := r.Likes.Softness; s != nil {
		off, asked = off+math.Abs(m.Softness-*s), asked+4
	}
	if b := r.Likes.Bounce; b != nil {
		off, asked = off+math.Abs(m.Bounce-*b), asked+4
	}
	return 1 - off/asked, "softness " + plain(m.Softness) + ", bounce " + plain(m.Bounce) + ": " + plain(units.Round(off, 1)) + " off the wish"
}

// strikeBand is the drop in mm that a strike asks for.
var strikeBand = map[term.Strike][2]float64{term.ForefootStrike: {0, 4}, term.MidfootStrike: {5, 8}, term.HeelStrike: {9, 12}}

func (r *Request) drop(m *shoe.Model) (float64, string) {
	sum, n, why := 0.0, 0.0, []string{}
	d := m.Drop()
	if r.Present != nil && r.Present.DropMM != nil {
		change := d - *r.Present.DropMM
		counts := math.Abs(change)
		if change < 0 {
			counts *= loweringCounts
		}
		habit := 1 - max(0, counts-habitFreeMM)/habitSpanMM
		sum, n = sum+max(0, habit), n+1
		why = append(why, fmt.Sprintf("%+g mm against now", units.Round(change, 1)))
	}
	if band, ok := strikeBand[r.Strike]; ok && r.Settings.Drop != "habit_only" {
		outside := max(0, band[0]-d, d-band[1])
		sum, n = sum+max(0, 1-strikePerMM*outside), n+1
		why = append(why, fmt.Sprintf("%s landing asks for %g to %g mm", r.Strike, band[0], band[1]))
	}
	if n == 0 {
		return nothingSaid, "neither present drop nor strike is known"
	}
	return sum / n, fmt.Sprintf("drop %g mm: %s", units.Round(d, 1), strings.Join(why, ", "))
}

func (r *Request) weight(m *shoe.Model) (float64, string) {
	easy, all := 0.0, 0.0
	for _, k := range r.Kinds {
		all += k.Share
		if k.Kind == term.Easy || k.Kind == term.Recovery {
			easy += k.Share
		}
	}
	lost := min(1, max(0, (m.WeightG-lightShoeG)/(heavyShoeG-lightShoeG)))
	return 1 - lost*(1-0.5*easy/all), plain(m.WeightG) + " g"
}

func (r *Request) body(m *shoe.Model) (float64, string) {
	if r.MassKg == nil || *r.MassKg < heavyRunnerKg {
		return 1, "no firmer foam is needed"
	}
	v := 1 - 0.2*max(0, m.Softness-3) - 0.1*max(0, m.Bounce-4)
	if v < 1 {
		return v, "soft foam may bottom out"
	}
	return 1, "firm enough to hold up"
}

func (r *Request) level(m *shoe.Model) (float64, string) {
	if r.Level == nil {
		return 1, "no level is given"
	}
	off := abs(m.Level.Rung() - r.Level.Rung())
	if off == 0 {
		return 1, words(m.Level) + ", as asked"
	}
	return 1 - 0.4*float64(off), fmt.Sprintf("%s, %d off %s", words(m.Level), off, words(*r.Level))
}

func (r *Request) first(m *shoe.Model) (float64, string) {
	if r.Experience == "new" {
		switch {
		case m.Plate == "carbon":
			return 0, "a carbon plate is much for a first pair"
		case m.StackHeelMM >= tallFirstMM:
			return 0, "a heel this tall is much for a first pair"
		case m.Bareness() >= bareFirst:
			return 0, "so little shoe is much for a first pair"
		}
		return 1, "good for a first pair"
	}
	return 1, "not a first pair"
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

// tryOn proposes up to six models: the best, then those near it that differ
// most from all chosen; under comfort_first the best of each level in the
// spread takes the place of the last ones.
func (r *Request) tryOn(ranked []Ranked) []string {
	if len(ranked) == 0 {
		return []string{}
	}
	width := r.space()
	// Those near the best, and how far each is from the nearest that is chosen.
	near := 1
	for near < len(ranked) && ranked[near].Score >= nearBest*ranked[0].Score-1e-9 {
		near++
	}
	scaled, apart := make([]space, near), make([]float64, near)
	for i := range scaled {
		scaled[i], apart[i] = width.scale(ranked[i].model), math.Inf(1)
	}
	chosen := []int{0}
	for len(chosen) < min(mostTried, near) {
		last, next := chosen[len(chosen)-1], -1
		for i := range scaled {
			apart[i] = min(apart[i], scaled[i].distance(scaled[last]))
			if !slices.Contains(chosen, i) && (next < 0 || apart[i] > apart[next]+1e-12) {
				next = i
			}
		}
		chosen = append(chosen, next)
	}
	for i := 0; len(chosen) < min(leastTried, len(ranked)); i++ {
		if !slices.Contains(chosen, i) {
			chosen = append(chosen, i)
		}
	}
	if r.Lead == term.ComfortFirst {
		chosen = r.eachLevel(ranked, chosen)
	}
	out := make([]string, len(chosen))
	for i, c := range chosen {
		out[i] = ranked[c].Model
	}
	return out
}

func (r *Request) eachLevel(ranked []Ranked, chosen []int) []int {
	best := map[term.Level]int{}
	for i := len(ranked) - 1; i >= 0; i-- {
		best[ranked[i].model.Level] = i
	}
	for _, level := range r.Spread {
		b, there := best[level]
		if !there || slices.Contains(chosen, b) {
			continue
		}
		if len(chosen) < mostTried {
			chosen = append(chosen, b)
			continue
		}
		for at := len(chosen) - 1; at > 0; at-- {
			if best[ranked[chosen[at]].model.Level] != chosen[at] {
				chosen[at] = b
				break
			}
		}
	}
	return chosen
}

// space is what models differ in, each divided by its range in the catalogue.
type space [6]float64

func features(m *shoe.Model) space {
	return space{m.StackHeelMM, m.Drop(), m.WeightG, m.Softness, m.Bounce, m.Bareness()}
}

// space is the range of each in the catalogue.
func (r *Request) space() space {
	lo, hi := features(&r.Models[0]), features(&r.Models[0])
	for i := range r.Models {
		for k, v := range features(&r.Models[i]) {
			lo[k], hi[k] = min(lo[k], v), max(hi[k], v)
		}
	}
	var s space
	for k := range s {
		s[k] = hi[k] - lo[k]
	}
	return s
}

// scale is a model's place, each divided by its range.
func (s space) scale(m *shoe.Model) space {
	f := features(m)
	for k, width := range s {
		if width > 0 {
			f[k] /= width
		} else {
			f[k] = 0
		}
	}
	return f
}

func (s space) distance(o space) float64 {
	sum := 0.0
	for k := range s {
		d := s[k] - o[k]
		sum += d * d
	}
	return math.Sqrt(sum)
}

func plain(v float64) string { return strconv.FormatFloat(v, 'g', -1, 64) }

// perKM writes what a km costs, given in minor units.
func perKM(v float64, currency string) string {
	return strconv.FormatFloat(v/100, 'f', 3, 64) + " " + cmp.Or(currency, "of the currency")
}

func words[T ~string](w T) string { return strings.ReplaceAll(string(w), "_", " ") }
