// Package learn makes a shop's own pairs and try-ons teach its numbers, and says how surely: how long classes, models and
// runners' pairs last (Lives), and what runners like (Liking). Source: the shop's domain book, learning.md.
package learn

import (
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
)

const (
	LivesSchema     = "trevik.lives/v1"
	LearnLifeSchema = "trevik.learn-life/v1"
)

// House values of what is learned about lives: SDs of ln L.
const (
	classSD  = 0.10
	modelSD  = 0.15
	runnerSD = 0.20
	ownSD    = 0.20
	apartAt  = 4.0    // times its prior median, or one part of so many: no life
	tenth    = 1.2816 // SDs from the middle to a tenth
	fewEnded = 5
	mostTold = 50_000
	settled  = 1e-9
)

// How a pair ended.
const (
	WornOut = "worn_out"
	InUse   = "in_use"
	Other   = "other"
)

var endings = []string{WornOut, InUse, Other}

// Pair is one pair's life, or how long it lasted so far. Distances in wear-adjusted km.
type Pair struct {
	Runner      string      `json:"runner"`
	Model       string      `json:"model"`
	Class       term.Class  `json:"class"`
	MedianKM    *float64    `json:"median_life_km"` // as told of the model, in the place of its class's
	MassKG      *float64    `json:"mass_kg"`
	Strike      term.Strike `json:"strike"`
	EffectiveKM *float64    `json:"effective_km"`
	Ended       string      `json:"ended"`
}

// Lives are a shop's pairs.
type Lives struct {
	Schema string `json:"schema"`
	Pairs  []Pair `json:"pairs"`
}

// Span is an interval's tenth, middle and ninth tenth.
type Span struct {
	P10 float64 `json:"p10"`
	P50 float64 `json:"p50"`
	P90 float64 `json:"p90"`
}

// Belief is a mean and its SD.
type Belief struct {
	Mean float64 `json:"mean"`
	SD   float64 `json:"sd"`
}

// Counts are the pairs that a figure comes from, those set apart not among them, and how much of the prior's variance is left.
type Counts struct {
	WornOut int     `json:"worn_out"`
	InUse   int     `json:"in_use"`
	Other   int     `json:"other"`
	Prior   float64 `json:"weight_of_prior"`
}

// ClassLife is a class's median life for a runner of 70 kg who lands on the midfoot.
type ClassLife struct {
	Class  term.Class `json:"class"`
	Median Span       `json:"median_km"`
	Ln     Belief     `json:"ln_median"`
	Counts
}

// ModelLife is the same of a model.
type ModelLife struct {
	Model  string     `json:"model"`
	Class  term.Class `json:"class"`
	Median Span       `json:"median_km"`
	Ln     Belief     `json:"ln_median"`
	Counts
}

// RunnerLife is how much longer a runner's pairs last than mass and strike say.
type RunnerLife struct {
	Runner string `json:"runner"`
	Factor Span   `json:"factor"`
	Ln     Belief `json:"ln_factor"`
	Counts
}

// LifeAnswer is what a shop's pairs taught. Lists are in the order in which the pairs first name them.
type LifeAnswer struct {
	Schema   string          `json:"schema"`
	Pairs    int             `json:"pairs"`
	Ended    int             `json:"ended"`     // worn out, those set apart not among them
	SetApart int             `json:"set_apart"` // lives that can be none
	Classes  []ClassLife     `json:"classes"`
	Models   []ModelLife     `json:"models"`
	Runners  []RunnerLife    `json:"runners"`
	Warnings []fault.Warning `json:"warnings"`
}

// index gives names numbers, in the order in which they come.
type index struct {
	of    map[string]int
	names []string
}

func (x *index) take(name string) int {
	if x.of == nil {
		x.of = map[string]int{}
	}
	i, ok := x.of[name]
	if !ok {
		i = len(x.names)
		x.of[name], x.names = i, append(x.names, name)
	}
	return i
}

// seen is one pair in numbers.
type seen struct {
	class, model, runner int
	x                    float64 // ln of its km over its prior median
	worn                 bool
}

// lives is the model in numbers: places of the unknowns are classes, then models; runners stand apart.
type lives struct {
	seen                     []seen
	classes, models, runners index
	classOf                  []int     // of each model
	told                     []float64 // ln of each model's median: as told, or its class's
	house                    []float64 // ln of each class's median
	byClass, byModel, byRun  []Counts
	apart                    []int // pairs that are set apart
}

func (l *Lives) check(h *house.Values) (*lives, error) {
	var f fault.List
	if l.Schema != "" && l.Schema != LivesSchema {
		f.Add("schema", "is %q; allowed is %q", l.Schema, LivesSchema)
	}
	if len(l.Pairs) > mostTold {
		f.Add("pairs", "are %d; allowed are up to %d", len(l.Pairs), mostTold)
		return nil, f
	}
	m := &lives{}
	first := map[string]int{}
	for i := range l.Pairs {
		p := &l.Pairs[i]
		at := fmt.Sprintf("pairs[%d].", i)
		before := len(f)
		for _, v := range [][2]string{{"runner", p.Runner}, {"model", p.Model}} {
			if v[1] == "" || len(v[1]) > 120 {
				f.Add(at+v[0], "is missing or over 120 letters")
			}
		}
		fault.OneOf(&f, at+"class", p.Class, term.Classes)
		if p.MedianKM != nil {
			f.Range(at+"median_life_km", *p.MedianKM, 50, 5000, "km")
		}
		if p.MassKG != nil {
			f.Range(at+"mass_kg", *p.MassKG, 20, 250, "kg")
		}
		if p.Strike != "" {
			fault.OneOf(&f, at+"strike", p.Strike, term.Strikes)
		}
		fault.OneOf(&f, at+"ended", p.Ended, endings)
		switch {
		case p.EffectiveKM == nil:
			f.Add(at+"effective_km", "is missing")
		case *p.EffectiveKM == 0 && p.Ended == WornOut:
			f.Add(at+"effective_km", "is 0 km, in which nothing is worn out")
		default:
			f.Range(at+"effective_km", *p.EffectiveKM, 0, 1e5, "km")
		}
		if k, known := first[p.Model]; known && len(f) == before {
			o := &l.Pairs[k]
			if o.Class != p.Class {
				f.Add(at+"class", "is %s; an earlier pair of this model is %s", p.Class, o.Class)
			}
			if (o.MedianKM == nil) != (p.MedianKM == nil) || p.MedianKM != nil && *o.MedianKM != *p.MedianKM {
				f.Add(at+"median_life_km", "is not that of an earlier pair of this model")
			}
		} else if !known {
			first[p.Model] = i
		}
		if len(f) == before {
			m.take(i, p, h)
		}
	}
	return m, f.Err()
}

// take takes a pair in; a life that can be none is set apart.
func (m *lives) take(i int, p *Pair, h *house.Values) {
	s := seen{class: m.classes.take(string(p.Class)), model: m.models.take(p.Model), runner: m.runners.take(p.Runner),
		worn: p.Ended == WornOut}
	if s.class == len(m.house) {
		m.house, m.byClass = append(m.house, math.Log(h.MedianLife(p.Class))), append(m.byClass, Counts{})
	}
	if s.model == len(m.told) {
		told := m.house[s.class]
		if p.MedianKM != nil {
			told = math.Log(*p.MedianKM)
		}
		m.told, m.classOf, m.byModel = append(m.told, told), append(m.classOf, s.class), append(m.byModel, Counts{})
	}
	if s.runner == len(m.byRun) {
		m.byRun = append(m.byRun, Counts{})
	}
	s.x = math.Log(*p.EffectiveKM) - m.told[s.model] - math.Log(wear.RunnerFactor(p.MassKG, p.Strike))
	if s.worn && math.Abs(s.x) > math.Log(apartAt) {
		m.apart = append(m.apart, i)
		return
	}
	for _, c := range []*Counts{&m.byClass[s.class], &m.byModel[s.model], &m.byRun[s.runner]} {
		switch p.Ended {
		case WornOut:
			c.WornOut++
		case InUse:
			c.InUse++
		default:
			c.Other++
		}
	}
	if *p.EffectiveKM > 0 {
		m.seen = append(m.seen, s)
	}
}

// hazard is φ(t) ÷ Φ(t).
func hazard(t float64) float64 {
	if t > -30 {
		return math.Exp(-t*t/2) / math.Sqrt(2*math.Pi) / (0.5 * math.Erfc(-t/math.Sqrt2))
	}
	u := 1 / (t * t)
	return -t / (1 - u*(1-3*u*(1-5*u)))
}

// lnPhi is ln Φ(t).
func lnPhi(t float64) float64 {
	if t > -30 {
		return math.Log(0.5 * math.Erfc(-t/math.Sqrt2))
	}
	return -t*t/2 - math.Log(math.Sqrt(2*math.Pi)*hazard(t))
}

// posterior is the log posterior (but for what is constant) at values of the unknowns.
func (m *lives) posterior(v, r []float64) float64 {
	sum := 0.0
	for i, x := range v {
		sd := classSD
		if i >= len(m.classes.names) {
			sd = modelSD
		}
		sum -= x * x / (2 * sd * sd)
	}
	for _, x := range r {
		sum -= x * x / (2 * runnerSD * runnerSD)
	}
	for _, s := range m.seen {
		t := (v[s.class] + v[len(m.classes.names)+s.model] + r[s.runner] - s.x) / ownSD
		if s.worn {
			sum -= t * t / 2
		} else {
			sum += lnPhi(t)
		}
	}
	return sum
}

// curvature is the gradient of the log posterior and its negative Hessian: of classes and models in full, of the runners, who
// are independent of one another given those, by their diagonal and their rows.
type curvature struct {
	grad, gradRun []float64
	main          *mat.SymDense
	run           []float64     // diagonal
	rows          [][]cell      // of each runner, by class and model
	schur         mat.Cholesky  // of main less what the runners take
	inverse       *mat.SymDense // of that: the covariance of classes and models
}

// cell is one value of a row that is mostly nothing.
type cell struct {
	at int
	v  float64
}

func (c *curvature) add(runner, at int, v float64) {
	k := slices.IndexFunc(c.rows[runner], func(x cell) bool { return x.at == at })
	if k < 0 {
		c.rows[runner] = append(c.rows[runner], cell{at, v})
	} else {
		c.rows[runner][k].v += v
	}
}

func (m *lives) curved(v, r []float64) (*curvature, error) {
	nc := len(m.classes.names)
	n := nc + len(m.models.names)
	c := &curvature{grad: make([]float64, n), gradRun: make([]float64, len(r)), main: mat.NewSymDense(n, nil), run: make([]float64, len(r)),
		rows: make([][]cell, len(r))}
	for i, x := range v {
		sd := classSD
		if i >= nc {
			sd = modelSD
		}
		c.grad[i] = -x / (sd * sd)
		c.main.SetSym(i, i, 1/(sd*sd))
	}
	for i, x := range r {
		c.gradRun[i], c.run[i] = -x/(runnerSD*runnerSD), 1/(runnerSD*runnerSD)
	}
	for _, s := range m.seen {
		a, b := s.class, nc+s.model
		t := (v[a] + v[b] + r[s.runner] - s.x) / ownSD
		g, h := -t/ownSD, 1/(ownSD*ownSD)
		if !s.worn {
			k := hazard(t)
			g, h = k/ownSD, k*(t+k)/(ownSD*ownSD)
		}
		c.grad[a], c.grad[b], c.gradRun[s.runner] = c.grad[a]+g, c.grad[b]+g, c.gradRun[s.runner]+g
		c.main.SetSym(a, a, c.main.At(a, a)+h)
		c.main.SetSym(b, b, c.main.At(b, b)+h)
		c.main.SetSym(a, b, c.main.At(a, b)+h)
		c.run[s.runner] += h
		c.add(s.runner, a, h)
		c.add(s.runner, b, h)
	}
	s := mat.NewSymDense(n, nil)
	s.CopySym(c.main)
	for i, row := range c.rows {
		for _, x := range row {
			for _, y := range row {
				if x.at <= y.at {
					s.SetSym(x.at, y.at, s.At(x.at, y.at)-x.v*y.v/c.run[i])
				}
			}
		}
	}
	if !c.schur.Factorize(s) {
		return nil, fmt.Errorf("what %d pairs tell cannot be solved", len(m.seen))
	}
	return c, nil
}

// step is Newton's.
func (c *curvature) step() (dv, dr []float64, err error) {
	g := slices.Clone(c.grad)
	for i, row := range c.rows {
		for _, x := range row {
			g[x.at] -= x.v * c.gradRun[i] / c.run[i]
		}
	}
	var d mat.VecDense
	if err := c.schur.SolveVecTo(&d, mat.NewVecDense(len(g), g)); err != nil {
		return nil, nil, err
	}
	dv, dr = make([]float64, len(g)), make([]float64, len(c.run))
	for i := range dv {
		dv[i] = d.AtVec(i)
	}
	for i, row := range c.rows {
		s := c.gradRun[i]
		for _, x := range row {
			s -= x.v * dv[x.at]
		}
		dr[i] = s / c.run[i]
	}
	return dv, dr, nil
}

// mode is the posterior's, by Newton with steps that are halved where they overshoot.
func (m *lives) mode() (v, r []float64, c *curvature, err error) {
	v, r = make([]float64, len(m.classes.names)+len(m.models.names)), make([]float64, len(m.runners.names))
	now := m.posterior(v, r)
	for range 200 {
		if c, err = m.curved(v, r); err != nil {
			return nil, nil, nil, err
		}
		dv, dr, err := c.step()
		if err != nil {
			return nil, nil, nil, err
		}
		most := 0.0
		for _, d := range slices.Concat(dv, dr) {
			most = math.Max(most, math.Abs(d))
		}
		moved := func(from, by []float64, k float64) []float64 {
			out := slices.Clone(from)
			for i, d := range by {
				out[i] += k * d
			}
			return out
		}
		k := 1.0
		for ; k > 1e-6; k /= 2 {
			if next := m.posterior(moved(v, dv, k), moved(r, dr, k)); next >= now-1e-12 {
				now = next
				break
			}
		}
		v, r = moved(v, dv, k), moved(r, dr, k)
		if k*most < settled {
			break
		}
	}
	if c, err = m.curved(v, r); err != nil {
		return nil, nil, nil, err
	}
	c.inverse = mat.NewSymDense(len(v), nil)
	return v, r, c, c.schur.InverseTo(c.inverse)
}

// span is exp of a belief about a logarithm.
func (b Belief) span(decimals int) Span {
	at := func(z float64) float64 { return units.Round(math.Exp(b.Mean+z*b.SD), decimals) }
	return Span{at(-tenth), at(0), at(tenth)}
}

func (b Belief) rounded() Belief { return Belief{units.Round(b.Mean, 6), units.Round(b.SD, 6)} }

// Learn tells how long a shop's pairs last, by class, model and runner, by the shop's class medians (nil: as shipped). It
// fails with a fault.List when something of the pairs cannot be.
func (l *Lives) Learn(h *house.Values) (LifeAnswer, error) {
	if h == nil {
		h = house.Shipped()
	}
	m, err := l.check(h)
	if err != nil {
		return LifeAnswer{}, err
	}
	a := LifeAnswer{Schema: LearnLifeSchema, Pairs: len(l.Pairs), SetApart: len(m.apart), Classes: []ClassLife{}, Models: []ModelLife{},
		Runners: []RunnerLife{}, Warnings: []fault.Warning{}}
	for _, c := range m.byClass {
		a.Ended += c.WornOut
	}
	for _, i := range m.apart {
		p := &l.Pairs[i]
		a.Warnings = append(a.Warnings, fault.Warning{Code: "set_apart", Text: fmt.Sprintf("Pair %d (%s, of %s) is set apart: worn out after %g "+
			"km is no life of a %s pair.", i+1, p.Model, p.Runner, *p.EffectiveKM, p.Class)})
	}
	if a.Ended < fewEnded {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "few_ended", Text: fmt.Sprintf("%d pairs are worn out; under %d the house figures "+
			"stand.", a.Ended, fewEnded)})
	}
	if len(m.classes.names) == 0 {
		return a, nil
	}
	v, r, c, err := m.mode()
	if err != nil {
		return a, err
	}
	nc := len(m.classes.names)
	for i, name := range m.classes.names {
		v2 := c.inverse.At(i, i)
		b := Belief{m.house[i] + v[i], math.Sqrt(v2)}
		x := ClassLife{Class: term.Class(name), Median: b.span(1), Ln: b.rounded(), Counts: m.byClass[i]}
		x.Prior = units.Round(v2/(classSD*classSD), 4)
		a.Classes = append(a.Classes, x)
	}
	for i, name := range m.models.names {
		k, j := m.classOf[i], nc+i
		v2 := c.inverse.At(k, k) + c.inverse.At(j, j) + 2*c.inverse.At(k, j)
		b := Belief{m.told[i] + v[k] + v[j], math.Sqrt(v2)}
		x := ModelLife{Model: name, Class: term.Class(m.classes.names[k]), Median: b.span(1), Ln: b.rounded(), Counts: m.byModel[i]}
		x.Prior = units.Round(v2/(classSD*classSD+modelSD*modelSD), 4)
		a.Models = append(a.Models, x)
	}
	for i, name := range m.runners.names {
		v2 := 1 / c.run[i]
		for _, x := range c.rows[i] {
			for _, y := range c.rows[i] {
				v2 += x.v * y.v * c.inverse.At(x.at, y.at) / (c.run[i] * c.run[i])
			}
		}
		b := Belief{r[i], math.Sqrt(v2)}
		x := RunnerLife{Runner: name, Factor: b.span(4), Ln: b.rounded(), Counts: m.byRun[i]}
		x.Prior = units.Round(v2/(runnerSD*runnerSD), 4)
		a.Runners = append(a.Runners, x)
	}
	return a, nil
}
