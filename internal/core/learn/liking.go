package learn

import (
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/tryon"
	"trevik/internal/core/units"
)

const (
	TryOnsSchema      = "trevik.tryons/v1"
	LearnLikingSchema = "trevik.learn-liking/v1"
)

// House values of what is learned about likings.
const (
	worthOf    = 8.0  // τ: what a mark of 1 with all of the weight is worth, in logits
	weightSD   = 0.05 // of each weight about the house's
	folds      = 5
	enoughFits = 40
	mostTryOns = 50_000
	MostWorn   = 12 // pairs in one try-on
	marksN     = 13
)

// unfelt are the marks that no foot can feel: comforts and comparisons leave them out.
var unfelt = []string{"money", "first", "disliked"}

// Worn is one pair of a try-on: its marks, 0 to 1, and how comfortable it was, 0 to 10 (nil: not told).
type Worn struct {
	Pair    string             `json:"pair"`
	Marks   map[string]float64 `json:"marks"`
	Comfort *float64           `json:"comfort"`
}

// TryOn is what one runner wore, compared and chose.
type TryOn struct {
	Runner string             `json:"runner"`
	Pairs  []Worn             `json:"pairs"`
	Wins   []tryon.Comparison `json:"wins"`
	Chosen *string            `json:"chosen"`
}

// TryOns are a shop's.
type TryOns struct {
	Schema string  `json:"schema"`
	TryOns []TryOn `json:"tryons"`
}

// Weight is one mark's: the house's share of 1, the learned one and its SD.
type Weight struct {
	Mark    string  `json:"mark"`
	House   float64 `json:"house"`
	Learned float64 `json:"learned"`
	SD      float64 `json:"sd"`
}

// Loss is the mean of −ln p over the try-ons in which anything was told, each by weights that did not see it; Difference is the
// house's less the learned, with its standard error. All are 0 where nothing was told.
type Loss struct {
	House      float64 `json:"house"`
	Learned    float64 `json:"learned"`
	Difference float64 `json:"difference"`
	SE         float64 `json:"se"`
}

// Hits count how often the chosen pair had the greatest worth among two or more, and was of the first three among four or more.
type Hits struct {
	First   int `json:"first"`
	OfFirst int `json:"of_first"`
	Three   int `json:"three"`
	OfThree int `json:"of_three"`
}

// HitsOf are those of both weights.
type HitsOf struct {
	House   Hits `json:"house"`
	Learned Hits `json:"learned"`
}

// LikingAnswer is what a shop's try-ons taught.
type LikingAnswer struct {
	Schema   string          `json:"schema"`
	TryOns   int             `json:"tryons"`
	WithTwo  int             `json:"with_two"`
	Weights  []Weight        `json:"weights"`
	Scale    float64         `json:"scale"` // the sum of the weights as fitted: how decided the runners are
	Loss     Loss            `json:"log_loss"`
	Hits     HitsOf          `json:"hits"`
	Better   bool            `json:"better"`
	Warnings []fault.Warning `json:"warnings"`
}

// vector is a value a mark.
type vector [marksN]float64

func (a *vector) dot(b *vector) (sum float64) {
	for k, x := range a {
		sum += x * b[k]
	}
	return sum
}

// choice is one thing that was told: of these, that one (or several, in equal parts), ln p = Σ share · ln softmax.
type choice struct {
	of     []int
	share  []float64 // of each, summing to 1
	felt   bool      // by what a foot can feel alone
	weight float64
}

// told is one try-on in numbers.
type told struct {
	fold        int
	marks, felt []vector // of each pair, times τ; without what no foot can feel
	choices     []choice
	chosen      int // -1 for none
}

func (t *TryOns) check() ([]told, error) {
	var l fault.List
	if t.Schema != "" && t.Schema != TryOnsSchema {
		l.Add("schema", "is %q; allowed is %q", t.Schema, TryOnsSchema)
	}
	if len(t.TryOns) > mostTryOns {
		l.Add("tryons", "are %d; allowed are up to %d", len(t.TryOns), mostTryOns)
		return nil, l
	}
	var runners index
	var out []told
	for i := range t.TryOns {
		x := &t.TryOns[i]
		at := fmt.Sprintf("tryons[%d].", i)
		if x.Runner == "" || len(x.Runner) > 120 {
			l.Add(at+"runner", "is missing or over 120 letters")
		}
		if len(x.Pairs) < 1 || len(x.Pairs) > MostWorn {
			l.Add(at+"pairs", "are %d; allowed are 1 to %d", len(x.Pairs), MostWorn)
			continue
		}
		k := told{fold: runners.take(x.Runner) % folds, chosen: -1}
		c := tryon.Comparisons{Wins: x.Wins}
		for n := range x.Pairs {
			p := &x.Pairs[n]
			in := fmt.Sprintf("%spairs[%d].", at, n)
			c.Pairs = append(c.Pairs, p.Pair)
			var marks, felt vector
			for m, name := range house.Marks {
				v, ok := p.Marks[name]
				if !ok {
					l.Add(in+"marks."+name, "is missing; give all thirteen")
					continue
				}
				l.Range(in+"marks."+name, v, 0, 1, "")
				marks[m] = worthOf * v
				if !slices.Contains(unfelt, name) {
					felt[m] = worthOf * v
				}
			}
			if len(p.Marks) > marksN {
				for name := range p.Marks {
					fault.OneOf(&l, in+"marks", name, house.Marks)
				}
			}
			if p.Comfort != nil {
				l.Range(in+"comfort", *p.Comfort, 0, 10, "")
			}
			k.marks, k.felt = append(k.marks, marks), append(k.felt, felt)
		}
		if faults, bad := fault.As(c.Check()); bad {
			for _, f := range faults {
				l.Add(at+f.Field, "%s", f.Text)
			}
			continue
		}
		if x.Chosen != nil {
			if k.chosen = slices.Index(c.Pairs, *x.Chosen); k.chosen < 0 {
				l.Add(at+"chosen", "is %q, which is none of the pairs", *x.Chosen)
				continue
			}
		}
		k.tell(x, c.Pairs)
		out = append(out, k)
	}
	return out, l.Err()
}

// tell lays out what a try-on tells: each comparison, the choice, each comfort but the least.
func (t *told) tell(x *TryOn, names []string) {
	for _, w := range x.Wins {
		if w.Even != nil {
			t.choices = append(t.choices, choice{of: []int{slices.Index(names, w.Even[0]), slices.Index(names, w.Even[1])},
				share: []float64{0.5, 0.5}, felt: true})
		} else {
			t.choices = append(t.choices, choice{of: []int{slices.Index(names, w.Winner), slices.Index(names, w.Loser)},
				share: []float64{1, 0}, felt: true})
		}
	}
	if t.chosen >= 0 && len(names) > 1 {
		c := choice{share: make([]float64, len(names))}
		for i := range names {
			c.of = append(c.of, i)
		}
		c.share[t.chosen] = 1
		t.choices = append(t.choices, c)
	}
	var left []int
	for i, p := range x.Pairs {
		if p.Comfort != nil {
			left = append(left, i)
		}
	}
	slices.SortStableFunc(left, func(a, b int) int {
		switch d := *x.Pairs[b].Comfort - *x.Pairs[a].Comfort; {
		case d > 0:
			return 1
		case d < 0:
			return -1
		}
		return 0
	})
	for len(left) > 1 {
		n := 1
		for n < len(left) && *x.Pairs[left[n]].Comfort == *x.Pairs[left[0]].Comfort {
			n++
		}
		c := choice{of: slices.Clone(left), share: make([]float64, len(left)), felt: true}
		for i := range n {
			c.share[i] = 1 / float64(n)
		}
		t.choices = append(t.choices, c)
		left = left[n:]
	}
	// One liking is told several times: all of it counts as much as an order of the pairs could.
	weight := min(1, float64(len(names)-1)/max(1, float64(len(t.choices))))
	for i := range t.choices {
		t.choices[i].weight = weight
	}
}

// each goes through what a try-on tells by some weights: ln p, times how much it counts, and where they are wanted its gradient
// and the negative of its curvature.
func (t *told) each(w *vector, grad *vector, curve *[marksN][marksN]float64) (sum float64) {
	for i := range t.choices {
		c := &t.choices[i]
		marks := t.marks
		if c.felt {
			marks = t.felt
		}
		most := math.Inf(-1)
		v := make([]float64, len(c.of))
		for k, p := range c.of {
			v[k] = marks[p].dot(w)
			most = math.Max(most, v[k])
		}
		all := 0.0
		for _, x := range v {
			all += math.Exp(x - most)
		}
		for k, x := range v {
			sum += c.weight * c.share[k] * (x - most - math.Log(all))
		}
		if grad == nil {
			continue
		}
		var mean vector
		for k, p := range c.of {
			q := math.Exp(v[k]-most) / all
			for m, x := range marks[p] {
				mean[m] += q * x
				grad[m] += c.weight * c.share[k] * x
			}
			for a, x := range marks[p] {
				for b, y := range marks[p] {
					curve[a][b] += c.weight * q * x * y
				}
			}
		}
		for a, x := range mean {
			grad[a] -= c.weight * x
			for b, y := range mean {
				curve[a][b] -= c.weight * x * y
			}
		}
	}
	return sum
}

// houseWeights are those of the ranking, of a sum of 1.
func houseWeights(h *house.Values) (w vector) {
	sum := 0.0
	for _, x := range h.Weights {
		sum += x
	}
	for k, x := range h.Weights {
		w[k] = x / sum
	}
	return w
}

// posterior is the log posterior of weights about the house's.
func posterior(all []told, prior, w *vector) float64 {
	sum := 0.0
	for k, x := range w {
		sum -= (x - prior[k]) * (x - prior[k]) / (2 * weightSD * weightSD)
	}
	for i := range all {
		sum += all[i].each(w, nil, nil)
	}
	return sum
}

// fit is the posterior's mode with no weight under 0, by Newton steps that are held to that, and the negative Hessian there.
func fit(all []told, prior vector) (w vector, hessian *mat.SymDense, err error) {
	w = prior
	now := posterior(all, &prior, &w)
	for range 300 {
		var grad vector
		var curve [marksN][marksN]float64
		for i := range all {
			all[i].each(&w, &grad, &curve)
		}
		for k := range w {
			grad[k] -= (w[k] - prior[k]) / (weightSD * weightSD)
			curve[k][k] += 1 / (weightSD * weightSD)
		}
		hessian = mat.NewSymDense(marksN, nil)
		var free []int
		for a := range marksN {
			for b := a; b < marksN; b++ {
				hessian.SetSym(a, b, curve[a][b])
			}
			if w[a] > 0 || grad[a] > 0 {
				free = append(free, a)
			}
		}
		part := mat.NewSymDense(len(free), nil)
		g := mat.NewVecDense(len(free), nil)
		for i, a := range free {
			g.SetVec(i, grad[a])
			for j, b := range free[i:] {
				part.SetSym(i, i+j, curve[a][b])
			}
		}
		var chol mat.Cholesky
		if !chol.Factorize(part) {
			return w, nil, fmt.Errorf("what %d try-ons tell cannot be solved", len(all))
		}
		var d mat.VecDense
		if err := chol.SolveVecTo(&d, g); err != nil {
			return w, nil, err
		}
		moved := 0.0
		for k := 1.0; k > 1e-9; k /= 2 {
			next := w
			for i, a := range free {
				next[a] = math.Max(0, w[a]+k*d.AtVec(i))
			}
			if v := posterior(all, &prior, &next); v >= now-1e-13*math.Abs(now) {
				for a := range w {
					moved = math.Max(moved, math.Abs(next[a]-w[a]))
				}
				w, now = next, v
				break
			}
		}
		if moved < 1e-11 {
			break
		}
	}
	return w, hessian, nil
}

// decided is by how much the house weights are to be taken so that they tell best how decided runners are.
func decided(all []told, prior vector) float64 {
	s := 1.0
	for range 100 {
		w := prior
		for k := range w {
			w[k] *= s
		}
		var grad vector
		var curve [marksN][marksN]float64
		for i := range all {
			all[i].each(&w, &grad, &curve)
		}
		g, h := grad.dot(&prior)-(s-1)/(marksN*weightSD*weightSD), 1/(marksN*weightSD*weightSD)
		for a, x := range prior {
			for b, y := range prior {
				h += x * y * curve[a][b]
			}
		}
		step := g / h
		next := math.Max(0, s+math.Max(-0.5, math.Min(0.5, step)))
		if math.Abs(next-s) < 1e-12 {
			break
		}
		s = next
	}
	return s
}

// crossed cross-validates: each fold's try-ons by what the others taught.
func crossed(all []told, prior vector, a *LikingAnswer) error {
	var house, learned []float64
	for f := range folds {
		var others, own []told
		for _, t := range all {
			if t.fold == f {
				own = append(own, t)
			} else {
				others = append(others, t)
			}
		}
		if len(own) == 0 {
			continue
		}
		w, _, err := fit(others, prior)
		if err != nil {
			return err
		}
		s := decided(others, prior)
		h := prior
		for k := range h {
			h[k] *= s
		}
		for i := range own {
			t := &own[i]
			if len(t.choices) > 0 {
				house, learned = append(house, -t.each(&h, nil, nil)), append(learned, -t.each(&w, nil, nil))
			}
			t.hits(&h, &a.Hits.House)
			t.hits(&w, &a.Hits.Learned)
		}
	}
	n := float64(len(house))
	if n == 0 {
		return nil
	}
	d := make([]float64, len(house))
	for i := range house {
		a.Loss.House, a.Loss.Learned = a.Loss.House+house[i]/n, a.Loss.Learned+learned[i]/n
		d[i] = house[i] - learned[i]
	}
	a.Loss.Difference = a.Loss.House - a.Loss.Learned
	if n > 1 {
		square := 0.0
		for _, x := range d {
			square += (x - a.Loss.Difference) * (x - a.Loss.Difference)
		}
		a.Loss.SE = math.Sqrt(square/(n-1)) / math.Sqrt(n)
	}
	return nil
}

// hits counts the place of the chosen pair.
func (t *told) hits(w *vector, h *Hits) {
	if t.chosen < 0 || len(t.marks) < 2 {
		return
	}
	own, place := t.marks[t.chosen].dot(w), 1
	for i := range t.marks {
		if t.marks[i].dot(w) > own+1e-12 {
			place++
		}
	}
	h.OfFirst++
	if place == 1 {
		h.First++
	}
	if len(t.marks) >= 4 {
		h.OfThree++
		if place <= 3 {
			h.Three++
		}
	}
}

// LossBy is the mean of −ln p over the try-ons in which anything was told, by weights by mark as they stand (missing is 0). It
// fails with a fault.List when something of the try-ons cannot be.
func (t *TryOns) LossBy(weights map[string]float64) (float64, error) {
	all, err := t.check()
	if err != nil {
		return 0, err
	}
	var w vector
	for k, name := range house.Marks {
		w[k] = weights[name]
	}
	sum, n := 0.0, 0.0
	for i := range all {
		if len(all[i].choices) > 0 {
			sum, n = sum-all[i].each(&w, nil, nil), n+1
		}
	}
	return sum / max(1, n), nil
}

// Learn tells which marks a shop's runners care about, beside the house weights (nil: as shipped), and whether that foretells
// their choices better. It fails with a fault.List when something of the try-ons cannot be.
func (t *TryOns) Learn(h *house.Values) (LikingAnswer, error) {
	if h == nil {
		h = house.Shipped()
	}
	all, err := t.check()
	if err != nil {
		return LikingAnswer{}, err
	}
	a := LikingAnswer{Schema: LearnLikingSchema, TryOns: len(all), Weights: []Weight{}, Warnings: []fault.Warning{}}
	for i := range all {
		if len(all[i].marks) > 1 {
			a.WithTwo++
		}
	}
	prior := houseWeights(h)
	w, hessian, err := fit(all, prior)
	if err != nil {
		return a, err
	}
	if err := crossed(all, prior, &a); err != nil {
		return a, err
	}
	a.Better = a.Loss.Difference > a.Loss.SE && a.WithTwo >= enoughFits
	for _, x := range w {
		a.Scale += x
	}
	var chol mat.Cholesky
	cov := mat.NewSymDense(marksN, nil)
	if !chol.Factorize(hessian) {
		return a, fmt.Errorf("what %d try-ons tell has no error that can be told", len(all))
	}
	if err := chol.InverseTo(cov); err != nil {
		return a, err
	}
	for k, name := range house.Marks {
		share, sd := prior[k], 0.0
		if a.Scale > 0 {
			share = w[k] / a.Scale
			// Of w ÷ Σw: (1 where it is the mark itself, − its share) ÷ Σw.
			slope := make([]float64, marksN)
			for j := range slope {
				slope[j] = -share / a.Scale
			}
			slope[k] += 1 / a.Scale
			v := mat.NewVecDense(marksN, slope)
			sd = math.Sqrt(mat.Inner(v, cov, v))
		}
		a.Weights = append(a.Weights, Weight{name, units.Round(prior[k], 6), units.Round(share, 6), units.Round(sd, 6)})
	}
	a.Scale = units.Round(a.Scale, 6)
	for _, v := range []*float64{&a.Loss.House, &a.Loss.Learned, &a.Loss.Difference, &a.Loss.SE} {
		*v = units.Round(*v, 6)
	}
	if a.WithTwo < enoughFits {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "few_tryons", Text: fmt.Sprintf("%d try-ons had two pairs or more; under %d the "+
			"house weights stand.", a.WithTwo, enoughFits)})
	}
	return a, nil
}
