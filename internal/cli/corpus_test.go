package cli

import (
	"encoding/json"
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"trevik/internal/core/care"
	"trevik/internal/core/match"
	"trevik/internal/core/rotation"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/tryon"
	"trevik/internal/core/wear"
	"trevik/internal/demo"
)

var update = flag.Bool("update", false, "write the corpus of answers anew")

// dice draws inputs: always the same ones.
type dice struct{ *rand.Rand }

func (d dice) between(lo, hi float64) float64 { return math.Round(10*(lo+(hi-lo)*d.Float64())) / 10 }

func (d dice) maybe(lo, hi float64) *float64 {
	if d.Float64() < 0.4 {
		return nil
	}
	v := d.between(lo, hi)
	return &v
}

func one[T any](d dice, list []T) T { return list[d.IntN(len(list))] }

func (d dice) evidence() support.Evidence {
	e := support.Evidence{Schema: support.EvidenceSchema, Surface: one(d, []term.Surface{term.Road, term.Trail}),
		TrailRule: one(d, term.TrailRules), Lead: one(d, term.Schools), KneeInDeg: &support.Both[float64]{Left: d.maybe(0, 14),
			Right: d.maybe(0, 14)},
		NavicularDropMM: &support.Both[float64]{Left: d.maybe(2, 15), Right: d.maybe(2, 15)}, AnklesGiveOutward: d.IntN(6) == 0,
		RaceInDays: d.maybe(3, 90)}
	gait := func() *support.Gait {
		if d.IntN(5) == 0 {
			return nil
		}
		return &support.Gait{Band: one(d, term.Bands), Certainty: one(d, term.Certainties), Source: term.ByEye}
	}
	e.Gait = &support.Both[support.Gait]{Left: gait(), Right: gait()}
	arch := func() *support.Arch {
		p := support.ArchByEye(one(d, term.Arches), one(d, term.Certainties))
		return &support.Arch{ArchProbability: &p}
	}
	e.Arch = &support.Both[support.Arch]{Left: arch(), Right: arch()}
	if d.IntN(3) == 0 {
		e.Wear = &support.WornPair{Left: &support.Wear{Inner: d.between(0, 1), OuterHeel: d.between(0, 1)},
			Right: &support.Wear{OuterEdge: d.between(0, 1)}, ShoeLevel: one(d, term.Levels)}
	}
	months := d.between(0, 12)
	e.Complaints = &[]support.Complaint{{Place: one(d, term.Places), MonthsAgo: &months}}
	if d.IntN(2) == 0 {
		level := one(d, term.Levels)
		e.ComfortableLevel = &level
	}
	if d.IntN(4) == 0 {
		e.Flags = []support.Flag{one(d, support.Flags)}
	}
	return e
}

func (d dice) request() match.Request {
	chart := one(d, []term.Chart{term.Men, term.Women})
	level := one(d, term.Levels)
	feet := func() *match.Foot {
		return &match.Foot{LengthMM: d.between(235, 280), BallMM: d.maybe(88, 112), Shape: one(d, term.Shapes), Volume: one(d, term.Volumes)}
	}
	r := match.Request{Schema: match.RequestSchema, Chart: chart, Sock: one(d, term.Socks),
		Surface: one(d, []term.Surface{term.Road, term.Trail}), Level: &level, Spread: []term.Level{level}, Lead: one(d, term.Schools),
		Strike: one(d, term.Strikes), Experience: one(d, match.Experiences), MassKg: d.maybe(50, 100), RaceKM: d.maybe(5, 50),
		Settings: match.Settings{Room: one(d, match.Rooms), Drop: one(d, match.DropRules), InStock: d.IntN(2) == 0},
		Kinds: []match.KindShare{{Kind: term.Easy, Ground: one(d, term.Grounds), Share: 0.7}, {Kind: term.Tempo, Ground: term.GroundRoad,
			Share: 0.3}}}
	r.Feet.Left, r.Feet.Right = feet(), feet()
	if d.IntN(2) == 0 {
		r.Present = &match.Present{DropMM: d.maybe(0, 12), StackMM: d.maybe(18, 40), Level: one(d, term.Levels)}
	}
	r.Likes = &match.Likes{Softness: d.maybe(1, 5), Bounce: d.maybe(1, 5), Cushion: one(d, match.Cushions)}
	if d.IntN(2) == 0 {
		r.Budget = &match.Budget{Amount: int64(10 * d.between(900, 2400)), Currency: demo.Currency, Firm: d.IntN(2) == 0}
	}
	all := demo.Catalogue()
	from := d.IntN(len(all) - 12)
	r.Models = all[from : from+12]
	return r
}

func (d dice) comparisons() tryon.Comparisons {
	seed := int64(d.IntN(1000))
	in := tryon.Comparisons{Schema: tryon.Schema, Pairs: []string{"a", "b", "c", "d"}[:2+d.IntN(3)], Seed: &seed}
	for range d.IntN(7) {
		x, y := d.IntN(len(in.Pairs)), d.IntN(len(in.Pairs)-1)
		if y >= x {
			y++
		}
		if d.IntN(4) == 0 {
			in.Wins = append(in.Wins, tryon.Comparison{Even: []string{in.Pairs[x], in.Pairs[y]}})
		} else {
			in.Wins = append(in.Wins, tryon.Comparison{Winner: in.Pairs[x], Loser: in.Pairs[y]})
		}
	}
	return in
}

func (d dice) week() rotation.Week {
	most, budget := 1+d.IntN(4), int64(1000*d.IntN(60))
	w := rotation.Week{Schema: rotation.WeekSchema, Currency: demo.Currency, MaxPairs: &most, Budget: &budget, RestHours: d.maybe(12, 48)}
	kinds := []term.Kind{term.Easy, term.Tempo, term.Long}
	for i, day := range rotation.Days {
		if d.IntN(3) > 0 {
			w.Parts = append(w.Parts, rotation.WeekPart{ID: fmt.Sprint("part ", i), Day: day, Start: fmt.Sprintf("%02d:30", 6+d.IntN(12)),
				KM: d.between(3, 24), Kind: one(d, kinds), Ground: one(d, []term.Ground{term.GroundRoad, term.GroundTrail})})
		}
	}
	for i := range 6 {
		c := rotation.Candidate{ID: fmt.Sprint("pair ", i), Owned: i < 2, Price: int64(100 * d.IntN(250)), LifeKM: d.maybe(100, 900),
			MaxRunKM: d.maybe(10, 30)}
		for _, k := range kinds {
			for _, g := range []term.Ground{term.GroundRoad, term.GroundTrail} {
				c.Suitability = append(c.Suitability, rotation.Suit{Kind: k, Ground: g, Value: math.Round(100*d.Float64()) / 100})
			}
		}
		w.Pairs = append(w.Pairs, c)
	}
	return w
}

func (d dice) pair() wear.Pair {
	today := time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)
	p := wear.Pair{Schema: wear.PairSchema, Class: one(d, term.Classes), Surface: one(d, term.Surfaces), Today: today.Format(wear.DateLayout),
		FirstWorn: today.AddDate(0, 0, -200).Format(wear.DateLayout), MedianKM: d.maybe(300, 900),
		Price: d.maybe(9000, 20000), HeelStackMM: d.maybe(18, 42), Runner: wear.Runner{MassKg: d.maybe(50, 110), Strike: one(d, term.Strikes)},
		RestHours: d.maybe(12, 36), LiftingHours: d.between(0, 9), PlanWeeklyKM: []float64{d.between(0, 40), d.between(10, 40)}}
	for i := range d.IntN(30) {
		p.Runs = append(p.Runs, wear.Run{Date: today.AddDate(0, 0, -190+6*i).Format(wear.DateLayout), KM: d.between(3, 25),
			Ground: one(d, term.Grounds), Kind: one(d, []term.Kind{term.Easy, term.Tempo, term.Long}), Wet: d.IntN(3) == 0, TempC: d.maybe(-5, 30)})
	}
	if d.IntN(2) == 0 {
		p.Inspections = append(p.Inspections, wear.Inspection{Date: today.AddDate(0, 0, -10).Format(wear.DateLayout), Tread: d.maybe(0, 1),
			Bounce: d.maybe(0, 1), Upper: d.maybe(0, 1)})
	}
	for range d.IntN(4) {
		p.Runner.History = append(p.Runner.History, wear.Retired{Class: one(d, term.Classes), EffectiveKM: d.between(200, 900)})
	}
	return p
}

func (d dice) change() care.Change {
	c := care.Change{Schema: care.ChangeSchema, From: &care.Shoe{DropMM: d.between(4, 12), StackMM: d.between(20, 40),
		Bareness: d.between(2, 14)}, To: &care.Shoe{DropMM: d.between(0, 8), StackMM: d.between(8, 40), Bareness: d.between(2, 33)},
		WeeklyKM: d.between(5, 90), GoalShare: d.maybe(0.2, 1), Start: "2026-10-05"}
	for w := range d.IntN(4) {
		c.Reports = append(c.Reports, care.Report{Week: w + 1, Soreness: d.between(0, 6)})
	}
	return c
}

// told is an input without the words and grades that were left out of it.
func told(t *testing.T, in []byte) string {
	t.Helper()
	var v any
	if err := json.Unmarshal(in, &v); err != nil {
		t.Fatal(err)
	}
	var strip func(v any)
	strip = func(v any) {
		switch v := v.(type) {
		case map[string]any:
			for name, x := range v {
				if x == "" || x == 0.0 && slices.Contains([]string{"flexibility", "rubber_softness", "upper_firmness"}, name) {
					delete(v, name)
				} else {
					strip(x)
				}
			}
		case []any:
			for _, x := range v {
				strip(x)
			}
		}
	}
	strip(v)
	out, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(out)
}

// What the commands answer stays as it was: a change that means to move a rule writes the
// corpus anew with -update, and shows in the diff what it moved.
func TestCommandsKeepTheirAnswers(t *testing.T) {
	var got strings.Builder
	ask := func(name string, n int, draw func(dice) any) {
		for i := range n {
			in, err := json.Marshal(draw(dice{rand.New(rand.NewPCG(uint64(i), 2611))}))
			if err != nil {
				t.Fatal(err)
			}
			code, out, wrong := call(told(t, in), name, "-", "--json")
			fmt.Fprintf(&got, "%s %d: exit %d %s%s\n", name, i, code, strings.TrimSpace(out), strings.TrimSpace(wrong))
		}
	}
	ask("support", 24, func(d dice) any { return d.evidence() })
	ask("match", 10, func(d dice) any { return d.request() })
	ask("tryon", 12, func(d dice) any { return d.comparisons() })
	ask("rotate", 24, func(d dice) any { return d.week() })
	ask("wear", 24, func(d dice) any { return d.pair() })
	ask("transition", 16, func(d dice) any { return d.change() })
	d := dice{rand.New(rand.NewPCG(7, 2611))}
	for range 30 {
		_, out, wrong := call("", "size", "--json", "--foot-mm", fmt.Sprint(d.between(190, 320)), "--ball-mm", fmt.Sprint(d.between(80, 120)),
			"--chart", string(one(d, term.Charts)))
		got.WriteString("size: " + strings.TrimSpace(out+wrong) + "\n")
	}
	file := filepath.Join("testdata", "answers.txt")
	if *update {
		if err := os.WriteFile(file, []byte(got.String()), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	is, was := strings.Split(got.String(), "\n"), strings.Split(string(data), "\n")
	if len(is) != len(was) {
		t.Fatalf("%d answers, were %d", len(is), len(was))
	}
	for i := range is {
		if is[i] != was[i] {
			t.Errorf("is  %.2000s\nwas %.2000s", is[i], was[i])
		}
	}
}
