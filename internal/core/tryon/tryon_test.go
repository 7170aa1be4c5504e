package tryon

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/strict"
)

func sigma(x float64) float64 { return 1 / (1 + math.Exp(-x)) }

func compare(t *testing.T, pairs []string, wins ...Comparison) Answer {
	t.Helper()
	a, err := Compare(Comparisons{Pairs: pairs, Wins: wins})
	if err != nil {
		t.Fatal(err)
	}
	return a
}

func beats(winner, loser string) Comparison { return Comparison{Winner: winner, Loser: loser} }
func even(a, b string) Comparison           { return Comparison{Even: []string{a, b}} }

func (a Answer) of(pair string) Ranked {
	for _, r := range a.Ranked {
		if r.Pair == pair {
			return r
		}
	}
	return Ranked{}
}

// Two pairs have a closed form up to one equation: their log-strengths are ±x, where the
// derivative of the log posterior is zero; and the leader's chance is Φ of their
// difference over its SD.
func TestTwoPairs(t *testing.T) {
	for w := range 7 {
		for l := range 4 {
			var wins []Comparison
			for range w {
				wins = append(wins, beats("a", "b"))
			}
			for range l {
				wins = append(wins, beats("b", "a"))
			}
			slope := func(x float64) float64 {
				return 2*float64(w)*sigma(-2*x) - 2*float64(l)*sigma(2*x) + sigma(-x) - sigma(x)
			}
			lo, hi := -20.0, 20.0
			for range 200 {
				if mid := (lo + hi) / 2; slope(mid) > 0 {
					lo = mid
				} else {
					hi = mid
				}
			}
			a := compare(t, []string{"a", "b"}, wins...)
			if math.Abs(a.of("a").LogStrength-lo) > 2e-6 || math.Abs(a.of("b").LogStrength+lo) > 2e-6 {
				t.Errorf("%d:%d: %+v, want ±%g", w, l, a.Ranked, lo)
			}
			// Information: the comparisons' c between them, and each one's own against the middle.
			c := float64(w+l) * sigma(2*lo) * sigma(-2*lo)
			own := sigma(lo) * sigma(-lo)
			if sd := math.Sqrt((own + c) / (own * (own + 2*c))); math.Abs(a.of("a").SD-sd) > 2e-6 {
				t.Errorf("%d:%d: SD %g, want %g", w, l, a.of("a").SD, sd)
			}
			difference := math.Sqrt(2 / (own + 2*c))
			if want := 0.5 * math.Erfc(-2*lo/difference/math.Sqrt2); math.Abs(a.PBest["a"]-want) > 0.012 {
				t.Errorf("%d:%d: chance %g, want %g", w, l, a.PBest["a"], want)
			}
		}
	}
}

// logPosterior written down a second time, from the comparisons.
func logPosterior(x []float64, pairs []string, wins []Comparison) float64 {
	at := func(p string) float64 { return x[slices.Index(pairs, p)] }
	sum := 0.0
	for _, v := range x {
		sum += 0.5*math.Log(sigma(v)) + 0.5*math.Log(sigma(-v))
	}
	for _, w := range wins {
		if w.Even != nil {
			d := at(w.Even[0]) - at(w.Even[1])
			sum += 0.5*math.Log(sigma(d)) + 0.5*math.Log(sigma(-d))
		} else {
			sum += math.Log(sigma(at(w.Winner) - at(w.Loser)))
		}
	}
	return sum
}

func random(r *rand.Rand) ([]string, []Comparison) {
	pairs := []string{"a", "b", "c", "d", "e", "f"}[:2+r.IntN(5)]
	var wins []Comparison
	for range r.IntN(14) {
		i := r.IntN(len(pairs))
		j := (i + 1 + r.IntN(len(pairs)-1)) % len(pairs)
		if r.IntN(4) == 0 {
			wins = append(wins, even(pairs[i], pairs[j]))
		} else {
			wins = append(wins, beats(pairs[i], pairs[j]))
		}
	}
	return pairs, wins
}

// Against brute force: nothing near the answer is likelier, a search from elsewhere ends
// there, and the errors are those of the curvature measured by differences.
func TestBruteForce(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for range 70 {
		pairs, wins := random(r)
		a := compare(t, pairs, wins...)
		x := make([]float64, len(pairs))
		for i, p := range pairs {
			x[i] = a.of(p).LogStrength
		}
		// A search by coordinates, from zero, that only compares values of the posterior.
		y := make([]float64, len(pairs))
		for step := 1.0; step > 1e-7; {
			moved := false
			for i := range y {
				for _, d := range []float64{step, -step} {
					z := slices.Clone(y)
					z[i] += d
					if logPosterior(z, pairs, wins) > logPosterior(y, pairs, wins) {
						y, moved = z, true
					}
				}
			}
			if !moved {
				step /= 2
			}
		}
		for i := range x {
			if math.Abs(x[i]-y[i]) > 2e-4 {
				t.Fatalf("%v %v: %v, by search %v", pairs, wins, x, y)
			}
		}
		const h = 1e-3
		hessian := make([][]float64, len(x))
		for i := range x {
			hessian[i] = make([]float64, len(x))
			for j := range x {
				f := func(di, dj float64) float64 {
					z := slices.Clone(x)
					z[i] += di
					z[j] += dj
					return logPosterior(z, pairs, wins)
				}
				hessian[i][j] = -(f(h, h) - f(h, -h) - f(-h, h) + f(-h, -h)) / (4 * h * h)
			}
		}
		cov := inverse(hessian)
		for i, p := range pairs {
			if math.Abs(math.Sqrt(cov[i][i])-a.of(p).SD) > 2e-3 {
				t.Fatalf("%v %v: SD of %s %g, by differences %g", pairs, wins, p, a.of(p).SD, math.Sqrt(cov[i][i]))
			}
		}
	}
}

// The order of the comparisons and of the pairs never matters, nor do names; a further
// win never weakens the winner; chances sum to 1.
func TestProperties(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 1))
	for range 60 {
		pairs, wins := random(r)
		a := compare(t, pairs, wins...)
		sum := 0.0
		for _, p := range a.PBest {
			sum += p
		}
		if math.Abs(sum-1) > 1e-9 {
			t.Fatalf("chances sum to %g", sum)
		}
		mixed, other := slices.Clone(wins), slices.Clone(pairs)
		r.Shuffle(len(mixed), func(i, j int) { mixed[i], mixed[j] = mixed[j], mixed[i] })
		r.Shuffle(len(other), func(i, j int) { other[i], other[j] = other[j], other[i] })
		b := compare(t, other, mixed...)
		for _, p := range pairs {
			if math.Abs(a.of(p).LogStrength-b.of(p).LogStrength) > 2e-6 || math.Abs(a.PBest[p]-b.PBest[p]) > 0.02 {
				t.Fatalf("%v %v: %s moved with the order: %+v %g, %+v %g", pairs, wins, p, a.of(p), a.PBest[p], b.of(p), b.PBest[p])
			}
		}
		winner, loser := pairs[0], pairs[1]
		more := compare(t, pairs, append(slices.Clone(wins), beats(winner, loser))...)
		if more.of(winner).LogStrength < a.of(winner).LogStrength-1e-6 || more.of(loser).LogStrength > a.of(loser).LogStrength+1e-6 {
			t.Fatalf("%v %v: a win weakened %s", pairs, wins, winner)
		}
	}
}

func TestNextAndStop(t *testing.T) {
	a := compare(t, []string{"a", "b", "c"}, beats("a", "b"), even("a", "c"))
	if !slices.Equal(a.Next, []string{"a", "c"}) || math.Abs(a.PBest["a"]-0.456) > 0.02 {
		t.Errorf("%+v", a)
	}
	if a := compare(t, []string{"a", "b", "c"}); a.Stop || len(a.Warnings) != 3 || len(a.Next) != 2 {
		t.Errorf("nothing compared: %+v", a)
	}
	// Two that have met, and a third that has not: as likely, so the two that met least.
	if a := compare(t, []string{"a", "b", "c", "d"}, even("a", "b"), even("c", "d"), even("a", "c"), even("b", "d"),
		even("a", "d")); !slices.Equal(a.Next, []string{"b", "c"}) {
		t.Errorf("%+v", a)
	}
	// One more win settles it, or could.
	if a := compare(t, []string{"a", "b"}, beats("a", "b")); a.Stop || a.PBest["a"] > 0.8 {
		t.Errorf("a lead that can be settled: %+v", a)
	}
	var wins []Comparison
	for range 6 {
		wins = append(wins, beats("a", "b"), beats("a", "c"))
	}
	if a := compare(t, []string{"a", "b", "c"}, wins...); !a.Stop || a.PBest["a"] < 0.8 {
		t.Errorf("a clear leader: %+v", a)
	}
	// Sixty times even: three more wins do not tell them apart.
	wins = nil
	for range 60 {
		wins = append(wins, even("a", "b"))
	}
	if a := compare(t, []string{"a", "b"}, wins...); !a.Stop || a.PBest["a"] > 0.8 {
		t.Errorf("two that are alike: %+v", a)
	}
	if a := compare(t, []string{"only"}); !a.Stop || a.PBest["only"] != 1 || len(a.Next) != 0 {
		t.Errorf("one pair: %+v", a)
	}
	seed := int64(9)
	c := Comparisons{Pairs: []string{"a", "b", "c"}, Wins: []Comparison{beats("a", "b")}, Seed: &seed}
	x, _ := Compare(c)
	y, _ := Compare(c)
	if fmt.Sprint(x) != fmt.Sprint(y) {
		t.Error("the same seed gives two answers")
	}
}

func TestRefused(t *testing.T) {
	for text, field := range map[string]string{
		`{"schema":"trevik.tryon/v2","pairs":["a"]}`: "schema",
		`{"pairs":[]}`:        "pairs",
		`{"pairs":["a","a"]}`: "pairs[1]",
		`{"pairs":["a",""]}`:  "pairs[1]",
		`{"pairs":["a","b"],"wins":[{"winner":"a","loser":"c"}]}`:                  "wins[0].loser",
		`{"pairs":["a","b"],"wins":[{"winner":"a","loser":"a"}]}`:                  "wins[0].loser",
		`{"pairs":["a","b"],"wins":[{"winner":"a"}]}`:                              "wins[0].loser",
		`{"pairs":["a","b"],"wins":[{}]}`:                                          "wins[0].winner",
		`{"pairs":["a","b"],"wins":[{"even":["a"]}]}`:                              "wins[0].even",
		`{"pairs":["a","b"],"wins":[{"even":["a","a"]}]}`:                          "wins[0].even[1]",
		`{"pairs":["a","b"],"wins":[{"even":["a","b"],"winner":"a","loser":"b"}]}`: "wins[0]",
		`{"pairs":["a","b","c","d","e","f","g","h","i","j","k","l","m"]}`:          "pairs",
		`{"pairs":["a","b"],"colour":"red"}`:                                       "colour",
	} {
		var c Comparisons
		err := strict.Decode([]byte(text), &c)
		if err == nil {
			_, err = Compare(c)
		}
		if l, ok := fault.As(err); !ok || l[0].Field != field {
			t.Errorf("%s: %v, want a fault at %s", text, err, field)
		}
	}
}

// The order of a try-on holds each pair once, is the same for the same seed, leaves each
// place as likely for the first, and stays when a pair is taken away.
func TestOrder(t *testing.T) {
	pairs := []string{"a", "b", "c", "d", "e", "f"}
	var first [6]int
	for seed := range uint64(3000) {
		order := Order(pairs, seed)
		if again := Order(pairs, seed); !slices.Equal(order, again) {
			t.Fatal("the same seed gives two orders")
		}
		less := Order([]string{"f", "d", "b", "a"}, seed)
		if want := slices.DeleteFunc(slices.Clone(order), func(p string) bool { return p == "c" || p == "e" }); !slices.Equal(less, want) {
			t.Fatalf("%v without c and e: %v", order, less)
		}
		first[slices.Index(order, "a")]++
		slices.Sort(order)
		if !slices.Equal(order, pairs) {
			t.Fatal(order)
		}
	}
	for place, n := range first {
		if n < 400 || n > 600 {
			t.Errorf("the first stands at %d %d times of 3000", place, n)
		}
	}
}

func FuzzCompare(f *testing.F) {
	f.Add([]byte(`{"schema":"trevik.tryon/v1","pairs":["a","b","c"],"wins":[{"winner":"a","loser":"b"},{"even":["a","c"]}],"seed":1}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		var c Comparisons
		if strict.Decode(data, &c) != nil || len(c.Wins) > 40 {
			return
		}
		a, err := Compare(c)
		if err != nil {
			if _, ok := fault.As(err); !ok {
				t.Fatal(err)
			}
			return
		}
		if _, err := json.Marshal(a); err != nil { // NaN or an infinity
			t.Fatal(err)
		}
	})
}

func BenchmarkCompare(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 1))
	pairs := []string{"a", "b", "c", "d", "e", "f"}
	var wins []Comparison
	for range 12 {
		i := r.IntN(6)
		wins = append(wins, even(pairs[i], pairs[(i+1)%6]))
	}
	for seed := int64(2); b.Loop(); seed++ { // one that was asked before is known
		if _, err := Compare(Comparisons{Pairs: pairs, Wins: wins, Seed: &seed}); err != nil {
			b.Fatal(err)
		}
	}
}

// What was asked before is answered the same, and another question is another.
func TestCompareAgain(t *testing.T) {
	c := Comparisons{Pairs: []string{"a", "b"}, Wins: []Comparison{{Winner: "a", Loser: "b"}}}
	first, err := Compare(c)
	again, err2 := Compare(c)
	if err != nil || err2 != nil || !reflect.DeepEqual(first, again) {
		t.Errorf("%+v %v, then %+v %v", first, err, again, err2)
	}
	c.Wins = append(c.Wins, Comparison{Winner: "a", Loser: "b"})
	if more, err := Compare(c); err != nil || more.PBest["a"] <= first.PBest["a"] {
		t.Errorf("after one more win: %+v, %v", more, err)
	}
	for range mostAnswers + 5 {
		c.Wins = append(c.Wins[:1:1], Comparison{Even: []string{"a", "b"}})
		seed := int64(len(answers.by) + 1000)
		c.Seed = &seed
		if _, err := Compare(c); err != nil {
			t.Fatal(err)
		}
	}
	if n := len(answers.by); n > mostAnswers {
		t.Errorf("%d answers are kept", n)
	}
}
