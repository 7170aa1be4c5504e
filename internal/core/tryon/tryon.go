package tryon

import (
	"cmp"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"math"
	"slices"
	"sync"

	"trevik/internal/core/fault"
	"trevik/internal/core/seeded"
	"trevik/internal/core/units"
)

const (
	Schema       = "trevik.tryon/v1"
	AnswerSchema = "trevik.tryon-answer/v1"
)

// House values of comparing.
const (
	enough     = 0.8   // a chance of being best at which comparing stops
	further    = 3     // comparisons that must be able to lift it there
	draws      = 20000 // of the log-strengths
	usualSeed  = 1
	converged  = 1e-9
	mostRounds = 200000
	asLikely   = 0.01 // chances this near each other are the same: sampling alone moves them by 0.003
	mostPairs  = 12
	mostWins   = 1000
)

// Comparison is one pair on each foot: a winner and a loser, or two that were even.
type Comparison struct {
	Winner string   `json:"winner,omitempty"`
	Loser  string   `json:"loser,omitempty"`
	Even   []string `json:"even,omitempty"`
}

// Comparisons are what was compared so far.
type Comparisons struct {
	Schema string       `json:"schema"`
	Pairs  []string     `json:"pairs"`
	Wins   []Comparison `json:"wins"`
	Seed   *int64       `json:"seed"`
}

// Ranked is one pair's strength: the natural logarithm of it, and its SD.
type Ranked struct {
	Pair        string  `json:"pair"`
	LogStrength float64 `json:"log_strength"`
	SD          float64 `json:"sd"`
}

// Answer is who leads, with what chance of being the best; Next is what to compare
// now, empty with a single pair.
type Answer struct {
	Schema   string             `json:"schema"`
	Ranked   []Ranked           `json:"ranked"`
	PBest    map[string]float64 `json:"p_best"`
	Next     []string           `json:"next"`
	Stop     bool               `json:"stop"`
	Why      string             `json:"why"`
	Warnings []fault.Warning    `json:"warnings"`
}

// table is the comparisons counted: wins[i][j] is how often i was preferred over j,
// halves for even.
type table struct {
	n    int
	wins [][]float64
}

func newTable(n int) table {
	t := table{n, make([][]float64, n)}
	for i := range t.wins {
		t.wins[i] = make([]float64, n)
	}
	return t
}

func (t table) clone() table {
	out := newTable(t.n)
	for i := range t.wins {
		copy(out.wins[i], t.wins[i])
	}
	return out
}

func (t table) met(i, j int) float64 { return t.wins[i][j] + t.wins[j][i] }

// Check notes what of the comparisons cannot be, as a fault.List.
func (c *Comparisons) Check() error {
	_, err := c.check()
	return err
}

// check validates the input and counts it.
func (c *Comparisons) check() (table, error) {
	var l fault.List
	if c.Schema != "" && c.Schema != Schema {
		l.Add("schema", "is %q; allowed is %q", c.Schema, Schema)
	}
	if len(c.Pairs) < 1 || len(c.Pairs) > mostPairs {
		l.Add("pairs", "are %d; allowed are 1 to %d", len(c.Pairs), mostPairs)
	}
	at := map[string]int{}
	for i, p := range c.Pairs {
		field := fmt.Sprintf("pairs[%d]", i)
		if p == "" || len(p) > 120 {
			l.Add(field, "is no name of a pair; allowed is 1 to 120 letters")
		} else if _, twice := at[p]; twice {
			l.Add(field, "is %q, which stands there before; each pair once", p)
		}
		at[p] = i
	}
	if len(c.Wins) > mostWins {
		l.Add("wins", "are %d; allowed are up to %d", len(c.Wins), mostWins)
	}
	if err := l.Err(); err != nil {
		return table{}, err
	}
	t := newTable(len(c.Pairs))
	find := func(field, p string) int {
		i, ok := at[p]
		if !ok {
			l.Add(field, "is %q, which is none of the pairs", p)
			return -1
		}
		return i
	}
	for k, w := range c.Wins {
		field := fmt.Sprintf("wins[%d]", k)
		switch {
		case w.Even != nil && (w.Winner != "" || w.Loser != ""):
			l.Add(field, "holds both even and a winner or loser; give one of them")
		case w.Even != nil && len(w.Even) != 2:
			l.Add(field+".even", "holds %d pairs; allowed are two", len(w.Even))
		case w.Even != nil:
			i, j := find(field+".even[0]", w.Even[0]), find(field+".even[1]", w.Even[1])
			if i >= 0 && i == j {
				l.Add(field+".even[1]", "is the same pair; a pair is not compared with itself")
			} else if i >= 0 && j >= 0 {
				t.wins[i][j] += 0.5
				t.wins[j][i] += 0.5
			}
		default:
			i, j := find(field+".winner", w.Winner), find(field+".loser", w.Loser)
			if i >= 0 && i == j {
				l.Add(field+".loser", "is the same pair; a pair is not compared with itself")
			} else if i >= 0 && j >= 0 {
				t.wins[i][j]++
			}
		}
	}
	return t, l.Err()
}

// answers are what was asked lately: a page asks the same again each time that something else was told of a try-on.
var answers struct {
	sync.Mutex
	by map[string]Answer
}

// mostAnswers is how many are kept, of some kB each.
const mostAnswers = 500

// Compare tells who leads; the answer is to be read only. It fails with a fault.List when the
// input holds a value that is not allowed.
func Compare(c Comparisons) (Answer, error) {
	t, err := c.check()
	if err != nil {
		return Answer{}, err
	}
	asked, err := json.Marshal(c)
	if err != nil {
		return Answer{}, err
	}
	answers.Lock()
	a, known := answers.by[string(asked)]
	answers.Unlock()
	if known {
		return a, nil
	}
	a = t.answer(c)
	answers.Lock()
	defer answers.Unlock()
	if answers.by == nil || len(answers.by) >= mostAnswers {
		answers.by = map[string]Answer{}
	}
	answers.by[string(asked)] = a
	return a, nil
}

func (t table) answer(c Comparisons) Answer {
	seed := uint64(usualSeed)
	if c.Seed != nil {
		seed = uint64(*c.Seed)
	}
	logs, cov := t.fit()
	z := normals(t.n, seed)
	best := chances(logs, cov, z)
	a := Answer{Schema: AnswerSchema, PBest: map[string]float64{}, Next: []string{}, Warnings: []fault.Warning{}}
	for i, p := range c.Pairs {
		a.Ranked = append(a.Ranked, Ranked{p, units.Round(logs[i], 6), units.Round(math.Sqrt(cov[i][i]), 6)})
		a.PBest[p] = best[i]
	}
	slices.SortStableFunc(a.Ranked, func(x, y Ranked) int { return cmp.Compare(y.LogStrength, x.LogStrength) })
	if i, j := t.next(best); j > 0 {
		a.Next = []string{c.Pairs[i], c.Pairs[j]}
	}
	a.Stop, a.Why = t.stop(logs, best, z, c.Pairs)
	for i, p := range c.Pairs {
		if t.n > 1 && t.compared(i) == 0 {
			a.Warnings = append(a.Warnings, fault.Warning{Code: "not_compared", Text: p + " was not compared yet; its strength is the middle."})
		}
	}
	return a
}

func (t table) compared(i int) float64 {
	sum := 0.0
	for j := range t.n {
		sum += t.met(i, j)
	}
	return sum
}

// fit gives the log-strengths and their covariance.
func (t table) fit() (logs []float64, cov [][]float64) {
	p := make([]float64, t.n)
	for i := range p {
		p[i] = 1
	}
	for range mostRounds {
		worst := 0.0
		for i := range p {
			won, sum := 0.5, 1/(p[i]+1) // half a win and half a loss against the middle one
			for j := range p {
				if j != i {
					won += t.wins[i][j]
					sum += t.met(i, j) / (p[i] + p[j])
				}
			}
			to := won / sum
			worst = math.Max(worst, math.Abs(math.Log(to/p[i])))
			p[i] = to
		}
		if worst < converged {
			break
		}
	}
	h := make([][]float64, t.n)
	logs = make([]float64, t.n)
	for i := range h {
		logs[i] = math.Log(p[i])
		h[i] = make([]float64, t.n)
		h[i][i] = p[i] / ((p[i] + 1) * (p[i] + 1))
	}
	for i := range h {
		for j := range h {
			if i != j {
				v := t.met(i, j) * p[i] * p[j] / ((p[i] + p[j]) * (p[i] + p[j]))
				h[i][i] += v
				h[i][j] -= v
			}
		}
	}
	return logs, inverse(h)
}

// cholesky gives the lower triangle L with L·Lᵀ = m, for a positive definite m.
func cholesky(m [][]float64) [][]float64 {
	n := len(m)
	l := make([][]float64, n)
	for i := range l {
		l[i] = make([]float64, n)
		for j := 0; j <= i; j++ {
			sum := m[i][j]
			for k := range j {
				sum -= l[i][k] * l[j][k]
			}
			if i == j {
				l[i][i] = math.Sqrt(sum)
			} else {
				l[i][j] = sum / l[j][j]
			}
		}
	}
	return l
}

// inverse of a positive definite matrix.
func inverse(m [][]float64) [][]float64 {
	n := len(m)
	l := cholesky(m)
	out := make([][]float64, n)
	for i := range out {
		out[i] = make([]float64, n)
	}
	for c := range n {
		y := make([]float64, n)
		for i := range n {
			if i == c {
				y[i] = 1
			}
			for k := range i {
				y[i] -= l[i][k] * y[k]
			}
			y[i] /= l[i][i]
		}
		for i := n - 1; i >= 0; i-- {
			for k := i + 1; k < n; k++ {
				y[i] -= l[k][i] * y[k]
			}
			y[i] /= l[i][i]
			out[i][c] = y[i]
		}
	}
	return out
}

// normals are the draws of n pairs, one after another: the same for each question that is
// asked of them, so that answers differ by the question alone. They are to be read only.
func normals(n int, seed uint64) []float64 {
	if seed == usualSeed {
		return usual.first(draws * n)
	}
	own := drawn{stream: seeded.Stream(seed)}
	return own.first(draws * n)
}

// drawn are a stream's normals, as many as were asked for yet.
type drawn struct {
	mu     sync.Mutex
	stream seeded.Stream
	all    []float64
}

// usual are those of the usual seed, which every page that shows a comparison asks for.
var usual = drawn{stream: usualSeed}

func (d *drawn) first(n int) []float64 {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.all = slices.Grow(d.all, max(0, n-len(d.all)))
	for len(d.all) < n {
		d.all = append(d.all, d.stream.Normal())
	}
	return d.all[:n:n]
}

// chances of each pair to be the best, by the draws z.
func chances(logs []float64, cov [][]float64, z []float64) []float64 {
	n := len(logs)
	var flat []float64 // the rows of the lower triangle, one after another
	for i, row := range cholesky(cov) {
		flat = append(flat, row[:i+1]...)
	}
	count := make([]int, n)
	for ; len(z) >= n; z = z[n:] {
		best, top := 0, math.Inf(-1)
		l := flat
		for i, v := range logs {
			for k, of := range l[:i+1] {
				v += of * z[k]
			}
			l = l[i+1:]
			if v > top {
				best, top = i, v
			}
		}
		count[best]++
	}
	out := make([]float64, n)
	for i, c := range count {
		out[i] = float64(c) / draws
	}
	return out
}

// next is the comparison between the two most likely bests; of those that are as
// likely, the two that have met least. j is 0 where there is but one pair.
func (t table) next(best []float64) (i, j int) {
	most := 0.0
	for a := range best {
		for b := a + 1; b < len(best); b++ {
			most = math.Max(most, best[a]+best[b])
		}
	}
	least := math.Inf(1)
	for a := range best {
		for b := a + 1; b < len(best); b++ {
			if best[a]+best[b] >= most-asLikely && t.met(a, b) < least {
				i, j, least = a, b, t.met(a, b)
			}
		}
	}
	return i, j
}

// stop says whether comparing may end: the leader's chance is high enough, or every
// pair was compared and three more comparisons, whatever comes of them, cannot lift it
// there.
func (t table) stop(logs, best, z []float64, names []string) (bool, string) {
	if t.n == 1 {
		return true, "There is nothing to compare it with."
	}
	lead := 0
	for i := range logs {
		if logs[i] > logs[lead]+1e-12 {
			lead = i
		}
	}
	if best[lead] >= enough {
		return true, fmt.Sprintf("%s is the best with a chance of %.0f %%: enough to stop.", names[lead], 100*best[lead])
	}
	for i := range t.n {
		if t.compared(i) == 0 {
			return false, "Not every pair was compared yet."
		}
	}
	// The outcome that lifts the leader most, three times over.
	most, more := best[lead], t
	for range further {
		lifted := more
		for i := range t.n {
			for j := range t.n {
				if i == j || j == lead {
					continue
				}
				try := more.clone()
				try.wins[i][j]++
				logs, cov := try.fit()
				if chance := chances(logs, cov, z)[lead]; chance > most {
					most, lifted = chance, try
				}
			}
		}
		if most >= enough {
			return false, fmt.Sprintf("%s leads with a chance of %.0f %% of being the best; a few more comparisons can settle it.", names[lead],
				100*best[lead])
		}
		more = lifted
	}
	return true, fmt.Sprintf("%s leads with a chance of %.0f %%, and three more comparisons could lift it to %.0f %% at most: they are too "+
		"alike to tell apart this way.", names[lead], 100*best[lead], 100*most)
}

// Order is the order in which pairs are tried, so that the first in the ranking has no
// advantage: each pair's place follows from the seed and its name alone, so that taking
// one away or adding one leaves the others in their order.
func Order(pairs []string, seed uint64) []string {
	out := slices.Clone(pairs)
	place := func(p string) uint64 {
		h := fnv.New64a()
		h.Write([]byte(p))
		r := seeded.Stream(seed ^ h.Sum64())
		return r.Next()
	}
	slices.SortFunc(out, func(x, y string) int { return cmp.Or(cmp.Compare(place(x), place(y)), cmp.Compare(x, y)) })
	return out
}
