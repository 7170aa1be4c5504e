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
		if r.IntN(2) == 0 {
			c.Model = fmt.Sprint("model ", r.IntN(3))
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
		// Two of a model are alike in all but what they cost.
		if at := slices.IndexFunc(w.Pairs, func(o Candidate) bool { return c.Model != "" && o.Model == c.Model }); at >= 0 && r.IntN(3) > 0 {
			c.Suitability, c.RestHours, c.MaxRunKM = w.Pairs[at].Suitability, w.Pairs[at].RestHours, w.Pairs[at].MaxRunKM
		}
		w.Pairs = append(w.Pairs, c)
	}
	return w
}

// outcome is an assignment with what it comes to.
type outcome struct {
	covered, capped, spent, suit int64
	count                        int // owned ones of a model once
	used                         []int
	most                         []int64 // metres of the most used of each model of which there are more
	to                           []int   // by part in the order of time; len(pairs) is uncovered
}

func (a outcome) better(b outcome) bool {
	switch {
	case a.covered != b.covered:
		return a.covered > b.covered
	case a.capped != b.capped:
		return a.capped > b.capped
	case a.spent != b.spent:
		return a.spent < b.spent
	case a.suit != b.suit:
		return a.suit > b.suit
	case a.count != b.count:
		return a.count < b.count
	}
	for i := range min(len(a.used), len(b.used)) {
		if a.used[i] != b.used[i] {
			return a.used[i] < b.used[i]
		}
	}
	if len(a.used) != len(b.used) {
		return len(a.used) > len(b.used)
	}
	if c := slices.Compare(a.most, b.most); c != 0 {
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
	good := 0.8
	if w.GoodSuit != nil {
		good = *w.GoodSuit
	}
	var groups [][]int
	for k, c := range w.Pairs {
		first := slices.IndexFunc(w.Pairs, func(o Candidate) bool { return o.Model == c.Model })
		if c.Model == "" || first < k {
			continue
		}
		var g []int
		for j, o := range w.Pairs {
			if o.Model == c.Model {
				g = append(g, j)
			}
		}
		if len(g) > 1 {
			groups = append(groups, g)
		}
	}
	start := map[string]float64{}
	for i, p := range w.Parts {
		if s, ok := start[p.Run]; !ok || begin[i] < s {
			start[p.Run] = begin[i]
		}
	}
	best := outcome{to: slices.Repeat([]int{m}, n), most: make([]int64, len(groups))}
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
				o.capped += metres * int64(math.Round(1000*math.Min(good, suit(part, to[k]))))
				uses[to[k]] = true
			}
			for _, g := range groups {
				most := int64(0)
				for _, pair := range g {
					sum := int64(0)
					for k, part := range order {
						if to[k] == pair {
							sum += int64(math.Round(1000 * w.Parts[part].KM))
						}
					}
					most = max(most, sum)
				}
				o.most = append(o.most, most)
			}
			alike := map[string]bool{}
			for k := range uses {
				if c := w.Pairs[k]; !c.Owned || c.Model == "" || !alike[c.Model] {
					o.count++
				}
				if w.Pairs[k].Owned {
					alike[w.Pairs[k].Model] = true
				}
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
				apart := math.Abs(start[w.Parts[part].Run] - start[w.Parts[other].Run])
				if apart < rest(pair)-1e-9 || 7*1440-apart < rest(pair)-1e-9 {
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
		if r.IntN(2) == 0 {
			w.GoodSuit = num([]float64{0.5, 0.6, 0.8, 0.9, 1}[r.IntN(5)])
		}
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
	worse := func(a, b Answer) bool { return b.CoveredKM < a.CoveredKM-1e-9 }
	for range 40 {
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
			t.Fatal("a pair more covers less")
		}
		if w.Budget != nil {
			rich := *w.Budget + 9000
			more = w
			more.Budget = &rich
			if b := solve(more); worse(a, b) {
				t.Fatal("more budget covers less")
			}
		}
		more = w
		more.Pairs = append(slices.Clone(w.Pairs), week(r, 1, 1).Pairs...)
		more.Pairs[len(more.Pairs)-1].ID = "one more"
		if b := solve(more); worse(a, b) {
			t.Fatal("a candidate more covers less")
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

// Rest is from start to start: the same hour on the next day is 24 hours, and what a run's warm-up
// began in another pair counts.
func TestRestFromStartToStart(t *testing.T) {
	limit := 2
	day := func(id, day, start string, km float64) WeekPart {
		return WeekPart{ID: id, Run: id[:3], Day: day, Start: start, KM: km, Kind: term.Easy, Ground: term.GroundRoad}
	}
	w := Week{MaxPairs: &limit, RestHours: num(24), Parts: []WeekPart{day("mon", "mon", "18:30", 10), day("tue", "tue", "18:30", 10),
		day("wed", "wed", "18:29", 10)},
		Pairs: []Candidate{{ID: "x", Owned: true, Suitability: []Suit{{term.Easy, term.GroundRoad, 0.9}}}}}
	a, err := Solve(context.Background(), w)
	if err != nil || !slices.Equal(a.Uncovered, []string{"wed"}) || *a.Pairs[0].MinRestHours != 24 {
		t.Errorf("%+v %v", a, err)
	}
	// A run's parts: its warm-up at 18:00 is its start, whichever pair has that.
	w.Parts = []WeekPart{day("mon1", "mon", "18:00", 2), day("mon2", "mon", "18:30", 6), day("tue1", "tue", "18:15", 8)}
	w.Pairs = append(w.Pairs, Candidate{ID: "y", Owned: true, MaxRunKM: num(8), Suitability: []Suit{{term.Easy, term.GroundRoad, 0.6}}})
	if a, err = Solve(context.Background(), w); err != nil || len(a.Uncovered) > 0 || a.Assign["mon2"] != "x" || a.Assign["tue1"] != "x" {
		t.Errorf("%+v %v", a, err)
	}
}

// Past good enough no money is spent for hundredths, and what they own serves first.
func TestGoodEnoughCostsNothing(t *testing.T) {
	w := Week{Parts: []WeekPart{{ID: "a", Day: "tue", Start: "18:30", KM: 10, Kind: term.Easy, Ground: term.GroundRoad}},
		Pairs: []Candidate{{ID: "dear", Price: 16900, Suitability: []Suit{{term.Easy, term.GroundRoad, 1}}},
			{ID: "theirs", Owned: true, Suitability: []Suit{{term.Easy, term.GroundRoad, 0.82}}}}}
	buys := func(good *float64) []string {
		t.Helper()
		w.GoodSuit = good
		a, err := Solve(context.Background(), w)
		if err != nil {
			t.Fatal(err)
		}
		return a.Buy
	}
	if b := buys(nil); len(b) > 0 {
		t.Errorf("buys %v for hundredths", b)
	}
	if b := buys(num(1)); len(b) != 1 {
		t.Errorf("with good enough at 1 it buys %v", b)
	}
	w.Pairs[1].Suitability[0].Value = 0.7
	if b := buys(nil); len(b) != 1 {
		t.Errorf("with theirs at 0.7 it buys %v", b)
	}
}

// Two alike are both used, and as evenly as the runs allow.
func TestTwoAlikeTakeTurns(t *testing.T) {
	limit := 3
	w := Week{MaxPairs: &limit, RestHours: num(20)}
	for i, km := range []float64{12, 8, 8, 6, 6} {
		w.Parts = append(w.Parts, WeekPart{ID: Days[i], Day: Days[i], Start: "18:30", KM: km, Kind: term.Easy, Ground: term.GroundRoad})
	}
	suits := []Suit{{term.Easy, term.GroundRoad, 0.9}}
	w.Pairs = []Candidate{{ID: "blue", Model: "skua", Owned: true, Suitability: suits},
		{ID: "red", Model: "skua", Owned: true, Suitability: suits},
		{ID: "other", Owned: true, Suitability: suits}}
	a, err := Solve(context.Background(), w)
	if err != nil || !slices.Equal(a.Use, []string{"blue", "red"}) || a.Pairs[0].WeeklyKM != 20 || a.Pairs[1].WeeklyKM != 20 {
		t.Errorf("%+v %v", a, err)
	}
}

// Two weeks in turn are one problem: one set for both, rest kept from each into the next, and
// money spent once.
func TestInTurnIsOneProblem(t *testing.T) {
	run := func(id, day, start string, kind term.Kind) WeekPart {
		return WeekPart{ID: id, Day: day, Start: start, KM: 10, Kind: kind, Ground: term.GroundRoad}
	}
	limit, money := 2, int64(20000)
	w := Week{MaxPairs: &limit, Budget: &money, Pairs: []Candidate{{ID: "easy", Price: 12000,
		Suitability: []Suit{{term.Easy, term.GroundRoad, 1}}},
		{ID: "race", Price: 15000, Suitability: []Suit{{term.Race, term.GroundRoad, 1}}},
		{ID: "both", Price: 18000, Suitability: []Suit{{term.Easy, term.GroundRoad, 0.8}, {term.Race, term.GroundRoad, 0.8}}}}}
	// By itself the first week would take the easy pair and leave nothing for the second.
	weeks := [][]WeekPart{{run("a", "tue", "18:30", term.Easy)}, {run("a", "sun", "10:00", term.Race)}}
	turn, _, err := InTurn(context.Background(), w, weeks)
	if err != nil || !slices.Equal(turn.Buy, []string{"both"}) || turn.Spent != 18000 || turn.Answers[0].Assign["a"] != "both" ||
		turn.Answers[1].Assign["a"] != "both" || turn.Curve[0].CoveredKM != 20 {
		t.Errorf("%+v %v", turn, err)
	}
	// Sunday night of one week, Monday morning of the other.
	weeks = [][]WeekPart{{run("a", "sun", "20:00", term.Easy)}, {run("a", "mon", "08:00", term.Easy)}}
	turn, _, err = InTurn(context.Background(), w, weeks)
	if err != nil || turn.Curve[0].CoveredKM != 10 {
		t.Errorf("%+v %v", turn, err)
	}
	// A fault is told with its week.
	weeks[1][0].Day = "noday"
	if _, at, err := InTurn(context.Background(), w, weeks); err == nil || at != 1 {
		t.Errorf("week %d, %v", at, err)
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
