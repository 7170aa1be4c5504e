package rotation

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"sort"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/strict"
	"trevik/internal/core/term"
)

func num(v float64) *float64 { return &v }

var someKinds = []term.Kind{term.Easy, term.Long, term.Tempo, term.Intervals, term.Race}
var someGrounds = []term.Ground{term.GroundRoad, term.GroundTrail}

// week is a random week: runs of one to three parts, and pairs with coarse values, so
// that ties are common.
func week(r *rand.Rand, runs, pairs int) Week {
	rest := []float64{0, 20, 24, 36, 48}[r.IntN(5)]
	limit := 1 + r.IntN(max(1, pairs))
	budget := int64(r.IntN(5)) * 8000
	w := Week{Schema: WeekSchema, MaxPairs: &limit, RestHours: &rest}
	if r.IntN(3) > 0 {
		w.Budget = &budget
	}
	slots := r.Perm(14)[:min(runs, 14)]
	sort.Ints(slots)
	for n, slot := range slots {
		at := 6*60 + (slot%2)*12*60 + r.IntN(60)
		for k := range 1 + r.IntN(2) {
			minutes := float64(20 + r.IntN(40))
			w.Parts = append(w.Parts, WeekPart{ID: fmt.Sprintf("p%d-%d", n, k), Run: fmt.Sprintf("run%d", n), Day: Days[slot/2],
				Start: fmt.Sprintf("%02d:%02d", at/60, at%60), Minutes: &minutes,
				KM: float64(1 + r.IntN(12)), Kind: someKinds[r.IntN(len(someKinds))], Ground: someGrounds[r.IntN(2)]})
			at += int(minutes)
		}
	}
	for k := range pairs {
		c := Candidate{ID: fmt.Sprintf("pair%d", k), Owned: r.IntN(2) == 0, Price: 4000 * int64(1+r.IntN(4)), LifeKM: num(300)}
		if r.IntN(3) == 0 {
			c.RestHours = num([]float64{0, 24, 60}[r.IntN(3)])
		}
		if r.IntN(4) == 0 {
			c.MaxRunKM = num(float64(6 + r.IntN(12)))
		}
		for _, kind := range someKinds {
			for _, ground := range someGrounds {
				if r.IntN(4) > 0 {
					c.Suitability = append(c.Suitability, Suit{kind, ground, float64(3+r.IntN(7)) / 10})
				}
			}
		}
		w.Pairs = append(w.Pairs, c)
	}
	return w
}

// outcome is an assignment with what it comes to.
type outcome struct {
	covered, suit, spent int64
	used                 []int
	to                   []int // by part in the order of time; len(pairs) is uncovered
}

func (a outcome) better(b outcome) bool {
	switch {
	case a.covered != b.covered:
		return a.covered > b.covered
	case a.suit != b.suit:
		return a.suit > b.suit
	case a.spent != b.spent:
		return a.spent < b.spent
	case len(a.used) != len(b.used):
		return len(a.used) < len(b.used)
	}
	if c := slices.Compare(a.used, b.used); c != 0 {
		return c < 0
	}
	return slices.Compare(a.to, b.to) < 0
}

// brute tries every assignment, with the rules as rotation.md writes them.
func brute(w Week) outcome {
	n, m := len(w.Parts), len(w.Pairs)
	order := make([]int, n)
	begin := make([]float64, n)
	for i, p := range w.Parts {
		order[i] = i
		var h, mi int
		fmt.Sscanf(p.Start, "%d:%d", &h, &mi)
		begin[i] = float64(slices.Index(Days, p.Day)*1440 + 60*h + mi)
	}
	sort.SliceStable(order, func(i, j int) bool { return begin[order[i]] < begin[order[j]] })
	runKM := map[string]float64{}
	for _, p := range w.Parts {
		runKM[p.Run] += p.KM
	}
	suit := func(part, pair int) float64 {
		for _, s := range w.Pairs[pair].Suitability {
			if s.Kind == w.Parts[part].Kind && s.Ground == w.Parts[part].Ground {
				return s.Value
			}
		}
		return 0
	}
	allowed := func(part, pair int) bool {
		c := w.Pairs[pair]
		return suit(part, pair) >= 0.5-1e-12 && (c.MaxRunKM == nil || *c.MaxRunKM >= runKM[w.Parts[part].Run]-1e-9)
	}
	rest := func(pair int) float64 {
		if r := w.Pairs[pair].RestHours; r != nil {
			return 60 * *r
		}
		return 60 * *w.RestHours
	}
	best := outcome{to: slices.Repeat([]int{m}, n)}
	to := make([]int, n)
	var try func(int)
	try = func(i int) {
		if i == n {
			o := outcome{to: slices.Clone(to)}
			uses := map[int]bool{}
			for k, part := range order {
				if to[k] == m {
					continue
				}
				metres := int64(math.Round(1000 * w.Parts[part].KM))
				o.covered += metres
				o.suit += metres * int64(math.Round(1000*suit(part, to[k])))
				uses[to[k]] = true
			}
			for k := range m {
				if uses[k] {
					o.used = append(o.used, k)
					if !w.Pairs[k].Owned {
						o.spent += w.Pairs[k].Price
					}
				}
			}
			if len(o.used) <= *w.MaxPairs && (w.Budget == nil || o.spent <= *w.Budget) && o.better(best) {
				best = o
			}
			return
		}
		part := order[i]
		for pair := range m {
			if !allowed(part, pair) {
				continue
			}
			fits := true
			for k := range i {
				other := order[k]
				if to[k] != pair || w.Parts[other].Run == w.Parts[part].Run {
					continue
				}
				if begin[part]-(begin[other]+*w.Parts[other].Minutes) < rest(pair)-1e-9 ||
					begin[other]+7*1440-(begin[part]+*w.Parts[part].Minutes) < rest(pair)-1e-9 {
					fits = false
					break
				}
			}
			if fits {
				to[i] = pair
				try(i + 1)
			}
		}
		to[i] = m
		try(i + 1)
	}
	try(0)
	return best
}

// The solver against brute force: every step of the order, and the assignment.
func TestBruteForce(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 22))
	for n := range 600 {
		w := week(r, 1+r.IntN(4), 1+r.IntN(4))
		a, err := Solve(context.Background(), w)
		if err != nil {
			t.Fatal(err)
		}
		want := brute(w)
		data, _ := json.Marshal(w)
		var use []string
		for _, k := range want.used {
			use = append(use, w.Pairs[k].ID)
		}
		if a.Status != Optimal || math.Abs(1000*a.CoveredKM-float64(want.covered)) > 0.5 || math.Abs(1e6*a.SuitKM-float64(want.suit)) > 501 ||
			a.Spent != want.spent || !slices.Equal(a.Use, use) && len(use)+len(a.Use) > 0 {
			t.Fatalf("%d: %+v, want %+v of %v in %s", n, a, want, use, data)
		}
		order := make([]int, len(w.Parts))
		for i := range order {
			order[i] = i
		}
		minute := func(i int) int {
			s, _ := clock(w.Parts[i].Start)
			return slices.Index(Days, w.Parts[i].Day)*1440 + s
		}
		sort.SliceStable(order, func(i, j int) bool { return minute(order[i]) < minute(order[j]) })
		for k, part := range order {
			id := ""
			if want.to[k] < len(w.Pairs) {
				id = w.Pairs[want.to[k]].ID
			}
			if a.Assign[w.Parts[part].ID] != id {
				t.Fatalf("%d: %s goes in %q, want %q in %s", n, w.Parts[part].ID, a.Assign[w.Parts[part].ID], id, data)
			}
		}
		// The point of the curve with as many pairs is the answer.
		if p := a.Curve[*w.MaxPairs-1]; p.CoveredKM != a.CoveredKM || p.Spent != a.Spent || len(a.Curve) != 6 {
			t.Fatalf("%d: curve %+v beside %+v", n, a.Curve, a)
		}
	}
}

// More pairs, budget or candidates never cover less or suit less; the input's order never
// matters up to the last step.
func TestProperties(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 32))
	solve := func(w Week) Answer {
		t.Helper()
		a, err := Solve(context.Background(), w)
		if err != nil {
			t.Fatal(err)
		}
		return a
	}
	worse := func(a, b Answer) bool {
		return b.CoveredKM < a.CoveredKM-1e-9 || b.CoveredKM == a.CoveredKM && b.SuitKM < a.SuitKM-1e-9
	}
	for range 120 {
		w := week(r, 4+r.IntN(7), 4+r.IntN(8))
		a := solve(w)
		for i := 1; i < len(a.Curve); i++ {
			if a.Curve[i].CoveredKM < a.Curve[i-1].CoveredKM {
				t.Fatalf("the curve falls: %+v", a.Curve)
			}
		}
		more := w
		limit := *w.MaxPairs + 1
		more.MaxPairs = &limit
		if b := solve(more); worse(a, b) {
			t.Fatal("a pair more is worse")
		}
		if w.Budget != nil {
			rich := *w.Budget + 9000
			more = w
			more.Budget = &rich
			if b := solve(more); worse(a, b) {
				t.Fatal("more budget is worse")
			}
		}
		more = w
		more.Pairs = append(slices.Clone(w.Pairs), week(r, 1, 1).Pairs...)
		more.Pairs[len(more.Pairs)-1].ID = "one more"
		if b := solve(more); worse(a, b) {
			t.Fatal("a candidate more is worse")
		}
		mixed := w
		mixed.Parts, mixed.Pairs = slices.Clone(w.Parts), slices.Clone(w.Pairs)
		r.Shuffle(len(mixed.Parts), func(i, j int) { mixed.Parts[i], mixed.Parts[j] = mixed.Parts[j], mixed.Parts[i] })
		r.Shuffle(len(mixed.Pairs), func(i, j int) { mixed.Pairs[i], mixed.Pairs[j] = mixed.Pairs[j], mixed.Pairs[i] })
		if b := solve(mixed); b.CoveredKM != a.CoveredKM || b.SuitKM != a.SuitKM || b.Spent != a.Spent || len(b.Use) != len(a.Use) {
			t.Fatalf("the order matters: %+v, then %+v", a, b)
		}
		for _, u := range a.Pairs {
			if u.WeeklyKM <= 0 || u.WeeksLeft == nil || math.Abs(*u.WeeksLeft-300/u.WeeklyKM) > 0.01 {
				t.Fatalf("%+v", u)
			}
		}
	}
}

// Cancelled, it answers with what it found and the gap, and says so.
func TestCancelled(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	w := week(rand.New(rand.NewPCG(1, 2)), 14, 40)
	a, err := Solve(ctx, w)
	if err != nil || a.Status != BestFound || a.GapKM < 0 || len(a.Why) == 0 {
		t.Errorf("%+v %v", a, err)
	}
}

func TestWeekRefused(t *testing.T) {
	good := `{"schema":"trevik.week/v1","budget":32000,"max_pairs":3,"parts":[{"id":"a","run":"tue","day":"tue","start":"18:30",
	"minutes":40,"km":6,"kind":"intervals","ground":"track"},{"id":"b","run":"wed","day":"wed","start":"18:30","minutes":40,"km":6,
	"kind":"easy","ground":"road"}],"pairs":[{"id":"x","owned":true,"price":0,"suitability":[{"kind":"easy","ground":"road","value":0.9}]}]}`
	solve := func(text string) error {
		var w Week
		err := strict.Decode([]byte(text), &w)
		if err == nil {
			_, err = Solve(context.Background(), w)
		}
		return err
	}
	if err := solve(good); err != nil {
		t.Fatal(err)
	}
	replace := func(from, to string) string {
		s := string(slices.Clone([]byte(good)))
		for i := 0; i+len(from) <= len(s); i++ {
			if s[i:i+len(from)] == from {
				return s[:i] + to + s[i+len(from):]
			}
		}
		t.Fatalf("no %s", from)
		return ""
	}
	many := `{"schema":"trevik.week/v1","parts":[`
	for i := range 5000 {
		if i > 0 {
			many += ","
		}
		many += fmt.Sprintf(`{"id":"p%d","day":"mon","start":"10:00","km":1,"kind":"easy","ground":"road"}`, i)
	}
	for text, field := range map[string]string{
		replace(`"day":"wed"`, `"day":"tue"`): "parts[1].start", replace(`"wed","start"`, `"someday","start"`): "parts[1].day",
		replace("18:30", "25:00"): "parts[0].start", replace(`"km":6`, `"km":-6`): "parts[0].km",
		replace("0.9", "1.1"): "pairs[0].suitability[0].value", replace(`"id":"b"`, `"id":"a"`): "parts[1].id",
		replace(`"budget":32000`, `"budget":-1`): "budget", replace(`"max_pairs":3`, `"max_pairs":0`): "max_pairs",
		replace(`"kind":"easy","ground":"road"}],"pairs"`, `"kind":"crawl","ground":"road"}],"pairs"`): "parts[1].kind", many +
			`],"pairs":[]}`: "parts", replace(`"price":0`, `"price":-5`): "pairs[0].price",
		`{"schema":"trevik.week/v1","parts":[],"pairs":[]}`: "parts",
	} {
		l, ok := fault.As(solve(text))
		if !ok || l[0].Field != field {
			t.Errorf("%.80s: %v, want a fault at %s", text, l, field)
		}
	}
}

// A week that ends in the next: a run late on Sunday rests into Monday.
func TestRoundTheWeeksEnd(t *testing.T) {
	rest, limit := 24.0, 1
	w := Week{MaxPairs: &limit, RestHours: &rest, Parts: []WeekPart{{ID: "mon", Day: "mon", Start: "07:00", KM: 5, Kind: term.Easy,
		Ground: term.GroundRoad}, {ID: "sun", Day: "sun", Start: "23:00", Minutes: num(90), KM: 12, Kind: term.Easy, Ground: term.GroundRoad}},
		Pairs: []Candidate{{ID: "x", Owned: true, Suitability: []Suit{{term.Easy, term.GroundRoad, 0.9}}}}}
	a, err := Solve(context.Background(), w)
	if err != nil || !reflect.DeepEqual(a.Uncovered, []string{"mon"}) || a.Pairs[0].MinRestHours != nil {
		t.Errorf("%+v %v", a, err)
	}
	w.Parts[0].Start = "00:15"
	if _, err := Solve(context.Background(), w); err == nil {
		t.Error("an overlap round the week's end is taken")
	}
}

// Hard random weeks: 40 candidates and 14 parts.
func BenchmarkSolve40x14(b *testing.B) {
	for seed := range uint64(5) {
		b.Run(fmt.Sprint(seed), func(b *testing.B) {
			r := rand.New(rand.NewPCG(seed, 7))
			var w Week
			for {
				if w = week(r, 10, 40); len(w.Parts) >= 14 && *w.MaxPairs >= 3 {
					break
				}
			}
			w.Parts = w.Parts[:14]
			limit := 3 + int(seed)%4
			w.MaxPairs = &limit
			for b.Loop() {
				a, err := Solve(context.Background(), w)
				if err != nil {
					b.Fatal(err)
				}
				if a.Status != Optimal {
					b.ReportMetric(1, "unproven")
				}
			}
		})
	}
}
