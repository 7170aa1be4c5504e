package rotation

import (
	"fmt"
	"math"
	"slices"
	"sort"
	"strconv"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

const (
	WeekSchema   = "trevik.week/v1"
	AnswerSchema = "trevik.rotation/v1"
)

// Limits and house values of a week.
const (
	MostParts    = 60
	MostPairs    = 120
	mostWeeks    = 2 // that come in turn
	weekMinutes  = 7 * 24 * 60
	minutesPerKM = 6.0 // where a part's minutes are not told
	// DefaultRest is the hours that foam rests where a week says nothing else.
	DefaultRest    = 24.0
	defaultMinSuit = LeastSuit
	// GoodSuit is the suitability past which no money is spent for more (house).
	GoodSuit = 0.8
	curveTo  = 6
)

// Days of a week, in order.
var Days = []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

// WeekPart is one part of a run in a week that repeats.
type WeekPart struct {
	ID      string      `json:"id"`
	Run     string      `json:"run"` // parts of one run share it; the part's own id when missing
	Day     string      `json:"day"`
	Start   string      `json:"start"` // 15:04
	Minutes *float64    `json:"minutes"`
	KM      float64     `json:"km"`
	Kind    term.Kind   `json:"kind"`
	Ground  term.Ground `json:"ground"`
	Barred  []string    `json:"barred,omitempty"` // pairs that may not have it, whatever their suitability
}

// Named fails with a fault.List where a part bars what is none of the pairs: one who writes a week by hand meant another.
func (w *Week) Named() error {
	var l fault.List
	for i, part := range w.Parts {
		for _, id := range part.Barred {
			if !slices.ContainsFunc(w.Pairs, func(c Candidate) bool { return c.ID == id }) {
				l.Add(fmt.Sprintf("parts[%d].barred", i), "names %q, which is none of the pairs", id)
			}
		}
	}
	return l.Err()
}

// Suit is how well a pair serves a kind of run on a ground, 0 to 1.
type Suit struct {
	Kind   term.Kind   `json:"kind"`
	Ground term.Ground `json:"ground"`
	Value  float64     `json:"value"`
}

// Candidate is a pair that is owned or can be bought. Price in minor units. Pairs of one Model are
// alike: owned ones count as one pair, and are used evenly.
type Candidate struct {
	ID          string   `json:"id"`
	Model       string   `json:"model" strict:"word"`
	Owned       bool     `json:"owned"`
	Price       int64    `json:"price"`
	RestHours   *float64 `json:"rest_hours"`
	MaxRunKM    *float64 `json:"max_run_km"`
	LifeKM      *float64 `json:"life_km"`
	Suitability []Suit   `json:"suitability"`
}

// Week is a week of runs and the pairs to choose among.
type Week struct {
	Schema    string      `json:"schema"`
	Budget    *int64      `json:"budget"` // minor units; nil is no limit
	Currency  string      `json:"currency"`
	MaxPairs  *int        `json:"max_pairs"` // nil is no limit
	MinSuit   *float64    `json:"min_suit"`
	GoodSuit  *float64    `json:"good_suit"` // past it no money is spent for more; 1 always does
	RestHours *float64    `json:"rest_hours"`
	Parts     []WeekPart  `json:"parts"`
	Pairs     []Candidate `json:"pairs"`
}

// Times are when a part of a valid week begins and ends, in minutes of the week.
func (p WeekPart) Times() (begin, end float64) {
	start, _ := clock(p.Start)
	begin = float64(slices.Index(Days, p.Day)*24*60 + start)
	if p.Minutes != nil {
		return begin, begin + *p.Minutes
	}
	return begin, begin + minutesPerKM*p.KM
}

// check validates a week's pairs and limits and the parts of weeks that come in turn, and turns
// them into the problem in integers. A fault of a part is told with its week's number.
func (w *Week) check(weeks [][]WeekPart) (p *problem, week int, err error) {
	var l fault.List
	if w.Schema != "" && w.Schema != WeekSchema {
		l.Add("schema", "is %q; allowed is %q", w.Schema, WeekSchema)
	}
	if w.Budget != nil {
		l.Range("budget", float64(*w.Budget), 0, 1e9, "cents")
	}
	if w.MaxPairs != nil && (*w.MaxPairs < 1 || *w.MaxPairs > MostPairs) {
		l.Add("max_pairs", "is %d; allowed is 1 to %d", *w.MaxPairs, MostPairs)
	}
	minSuit, rest, good := defaultMinSuit, DefaultRest, GoodSuit
	if w.MinSuit != nil && l.Range("min_suit", *w.MinSuit, 0, 1, "") {
		minSuit = *w.MinSuit
	}
	if w.GoodSuit != nil && l.Range("good_suit", *w.GoodSuit, 0, 1, "") {
		good = *w.GoodSuit
	}
	if w.RestHours != nil && l.Range("rest_hours", *w.RestHours, 0, 168, "hours") {
		rest = *w.RestHours
	}
	all := 0
	for _, parts := range weeks {
		all += len(parts)
		if len(parts) > MostParts {
			l.Add("parts", "are %d; allowed are up to %d in a week", len(parts), MostParts)
		}
	}
	if all == 0 {
		l.Add("parts", "are missing; give the parts of a week's runs")
	}
	if len(weeks) > mostWeeks {
		l.Add("parts", "are of %d weeks; allowed are up to %d", len(weeks), mostWeeks)
	}
	if len(w.Pairs) > MostPairs {
		l.Add("pairs", "are %d; allowed are up to %d", len(w.Pairs), MostPairs)
	}
	if len(l) > 0 {
		return nil, 0, l
	}
	p = &problem{maxPairs: len(w.Pairs), budget: math.MaxInt64, good: int64(math.Round(1000 * good)),
		period: float64(len(weeks) * weekMinutes)}
	if w.MaxPairs != nil {
		p.maxPairs = min(p.maxPairs, *w.MaxPairs)
	}
	if w.Budget != nil {
		p.budget = *w.Budget
	}
	for n, parts := range weeks {
		if p.addParts(&l, n, parts); len(l) > 0 {
			return nil, n, l
		}
	}
	if n := p.order(&l, weeks); len(l) > 0 {
		return nil, n, l
	}
	w.checkPairs(&l, p, weeks, minSuit, rest)
	if len(l) == 0 {
		p.relate()
	}
	return p, 0, l.Err()
}

// addParts takes the parts of one week into the problem.
func (p *problem) addParts(l *fault.List, week int, parts []WeekPart) {
	seen, runs, first := ids{}, map[string]int{}, len(p.runMetres)
	for i, part := range parts {
		at := fmt.Sprintf("parts[%d]", i)
		seen.take(l, at, part.ID, 80)
		day := slices.Index(Days, part.Day)
		fault.OneOf(l, at+".day", part.Day, Days)
		start, okStart := clock(part.Start)
		if !okStart {
			l.Add(at+".start", "is %q; allowed is a time of day such as 18:30", part.Start)
		}
		okKM := l.Range(at+".km", part.KM, 0.001, 1000, "km")
		minutes := minutesPerKM * part.KM
		if part.Minutes != nil {
			minutes = *part.Minutes
			l.Range(at+".minutes", minutes, 0.1, 48*60, "minutes")
		}
		fault.OneOf(l, at+".kind", part.Kind, term.Kinds)
		fault.OneOf(l, at+".ground", part.Ground, term.Grounds)
		run := part.Run
		if run == "" {
			run = "part " + part.ID
		}
		if _, known := runs[run]; !known {
			runs[run] = first + len(runs)
			p.runMetres, p.runBegin = append(p.runMetres, 0), append(p.runBegin, math.Inf(1))
		}
		if okKM {
			begin, n := float64(week*weekMinutes+day*24*60+start), runs[run]
			x := piece{week: week, index: i, run: n, begin: begin, end: begin + minutes, metres: int64(math.Round(1000 * part.KM))}
			p.parts = append(p.parts, x)
			p.runMetres[n] += x.metres
			p.runBegin[n] = math.Min(p.runBegin[n], begin)
		}
	}
}

// order puts the parts in the order of time, and tells of runs that overlap, the period's end
// included; week is that of the first that does.
func (p *problem) order(l *fault.List, weeks [][]WeekPart) (week int) {
	sum := int64(0)
	for _, x := range p.parts {
		if sum += x.metres; sum > mostMetres {
			l.Add(fmt.Sprintf("parts[%d].km", x.index), "makes more than %d km in all", mostMetres/1000)
			return x.week
		}
	}
	sort.SliceStable(p.parts, func(i, j int) bool { return p.parts[i].begin < p.parts[j].begin })
	for i, x := range p.parts {
		for _, y := range p.parts[i+1:] {
			if x.run != y.run && (y.begin < x.end-1e-9 || x.begin+p.period < y.end-1e-9) {
				if len(*l) == 0 {
					week = y.week
				}
				if y.week == week {
					l.Add(fmt.Sprintf("parts[%d].start", y.index), "overlaps %q, a part of another run", weeks[x.week][x.index].ID)
				}
			}
		}
	}
	return week
}

// relate finds which runs begin too near each other for a pair's rest, which pairs are alike, and
// which are of one model.
func (p *problem) relate() {
	p.weigh()
	for k := range p.pairs {
		m := &p.pairs[k]
		m.clashes = make([]runs, len(p.runBegin))
		for a := range p.runBegin {
			for b := range p.runBegin {
				if apart := math.Abs(p.runBegin[a] - p.runBegin[b]); a != b && math.Min(apart, p.period-apart) < m.rest-1e-9 {
					m.clashes[a] = m.clashes[a].with(b)
				}
			}
		}
		m.alike = slices.IndexFunc(p.pairs, func(o machine) bool { return o.rest == m.rest && slices.Equal(o.suit, m.suit) })
	}
}

// ids are those that were seen in a list.
type ids map[string]bool

// take notes an id, and the fault of one that is missing, too long or there already.
func (seen ids) take(l *fault.List, at, id string, most int) {
	switch {
	case id == "" || len(id) > most:
		l.Add(at+".id", "is missing or over %d letters", most)
	case seen[id]:
		l.Add(at+".id", "is %q, which an earlier one has", id)
	}
	seen[id] = true
}

func clock(s string) (int, bool) {
	if len(s) != 5 || s[2] != ':' {
		return 0, false
	}
	h, err1 := strconv.Atoi(s[:2])
	m, err2 := strconv.Atoi(s[3:])
	return 60*h + m, err1 == nil && err2 == nil && h >= 0 && h < 24 && m >= 0 && m < 60
}

func (w *Week) checkPairs(l *fault.List, p *problem, weeks [][]WeekPart, minSuit, rest float64) {
	seen, models := ids{}, map[string][]int{}
	var names []string
	for i, c := range w.Pairs {
		at := fmt.Sprintf("pairs[%d]", i)
		seen.take(l, at, c.ID, 120)
		l.Range(at+".price", float64(c.Price), 0, 1e8, "cents")
		k := machine{owned: c.Owned, rest: 60 * rest, suit: make([]int64, len(p.parts)), model: -1}
		if len(c.Model) > 120 {
			l.Add(at+".model", "is over 120 letters")
		}
		if c.Model != "" {
			if models[c.Model] == nil {
				names = append(names, c.Model)
			}
			models[c.Model] = append(models[c.Model], i)
		}
		if !c.Owned {
			k.price = c.Price
		}
		if c.RestHours != nil && l.Range(at+".rest_hours", *c.RestHours, 0, 168, "hours") {
			k.rest = 60 * *c.RestHours
		}
		if c.MaxRunKM != nil {
			l.Range(at+".max_run_km", *c.MaxRunKM, 0, 1000, "km")
		}
		if c.LifeKM != nil {
			l.Range(at+".life_km", *c.LifeKM, 0, 1e5, "km")
		}
		table := map[[2]string]float64{}
		for j, s := range c.Suitability {
			in := fmt.Sprintf("%s.suitability[%d]", at, j)
			fault.OneOf(l, in+".kind", s.Kind, term.Kinds)
			fault.OneOf(l, in+".ground", s.Ground, term.Grounds)
			l.Range(in+".value", s.Value, 0, 1, "")
			key := [2]string{string(s.Kind), string(s.Ground)}
			if _, twice := table[key]; twice {
				l.Add(in, "is the second value for %s on %s", s.Kind, s.Ground)
			}
			table[key] = s.Value
		}
		for j, x := range p.parts {
			part := weeks[x.week][x.index]
			v := table[[2]string{string(part.Kind), string(part.Ground)}]
			long := c.MaxRunKM != nil && float64(p.runMetres[x.run]) > 1000**c.MaxRunKM+0.5
			if v < minSuit-1e-9 || long || slices.Contains(part.Barred, c.ID) {
				k.suit[j] = -1
			} else {
				k.suit[j] = int64(math.Round(1000 * v))
			}
		}
		p.pairs = append(p.pairs, k)
	}
	for _, name := range names {
		if group := models[name]; len(group) > 1 {
			for _, k := range group {
				p.pairs[k].model = len(p.models)
			}
			p.models = append(p.models, group)
		}
	}
}
