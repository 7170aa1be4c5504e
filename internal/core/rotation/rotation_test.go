package rotation

import (
	"maps"
	"math"
	"testing"

	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
)

func model(class term.Class, surface term.Surface) shoe.Model {
	return shoe.Model{Class: class, Surface: surface, StackHeelMM: 34, StackForefootMM: 26, WeightG: 240, Softness: 3, Bounce: 3,
		LugDepthMM: 4, LugSpacing: "medium", Plate: "none"}
}

// serve is Serve over models whose suitability is computed.
func serve(parts []Part, pairs []shoe.Model) []Served {
	return Serve(parts, len(pairs), func(i int, p Part) (float64, string) { return pairs[i].Suitability(p.Kind, p.Ground, shoe.Wearer{}) })
}

func TestServe(t *testing.T) {
	pairs := []shoe.Model{model(term.Daily, term.Road), model(term.TempoClass, term.Road), model(term.TrailClass, term.Trail)}
	got := serve([]Part{{term.Easy, term.GroundRoad, 20}, {term.Tempo, term.GroundRoad, 8}, {term.Easy, term.GroundTrail, 9},
		{term.Gym, term.GroundRoad, 1}}, pairs)
	for i, want := range []int{0, 1, 2, -1} {
		if got[i].Pair != want {
			t.Errorf("%s on %s: pair %d, want %d (%v)", got[i].Kind, got[i].Ground, got[i].Pair, want, got[i].All)
		}
		if got[i].Pair >= 0 && got[i].Suit != got[i].All[got[i].Pair] {
			t.Errorf("%s: the suitability told is not the pair's", got[i].Kind)
		}
	}
}

// Between equals the earlier takes it, and nobody takes what suits below 0.5.
func TestTiesAndLimits(t *testing.T) {
	same := []shoe.Model{model(term.Daily, term.Road), model(term.Daily, term.Road)}
	if got := serve([]Part{{term.Easy, term.GroundRoad, 5}}, same); got[0].Pair != 0 {
		t.Errorf("a tie goes to %d", got[0].Pair)
	}
	if got := serve([]Part{{term.Easy, term.GroundMud, 5}}, same); got[0].Pair != -1 || got[0].All[0] >= LeastSuit {
		t.Errorf("mud in a road pair: %+v", got[0])
	}
	if got := serve([]Part{{term.Easy, term.GroundRoad, 5}}, nil); got[0].Pair != -1 {
		t.Errorf("no pairs: %+v", got[0])
	}
}

func TestToldWeek(t *testing.T) {
	for _, c := range []struct {
		told Told
		want map[term.Kind]float64
	}{
		{Told{}, map[term.Kind]float64{}},
		{Told{LongestKM: 20}, map[term.Kind]float64{}},
		{Told{WeeklyKM: 30}, map[term.Kind]float64{term.Easy: 30}},
		{Told{UsualKM: 8, Days: 3}, map[term.Kind]float64{term.Easy: 24}},
		{Told{UsualKM: 8, Days: 3, LongestKM: 14}, map[term.Kind]float64{term.Easy: 16, term.Long: 14}},
		{Told{WeeklyKM: 30, Days: 3, LongestKM: 11}, map[term.Kind]float64{term.Easy: 30}},
		{Told{WeeklyKM: 40, Days: 4, LongestKM: 16, Goals: []Goal{Faster}}, map[term.Kind]float64{term.Easy: 16, term.Long: 16, term.Tempo: 8}},
		{Told{WeeklyKM: 40, Days: 2, LongestKM: 16, Goals: []Goal{ARace}}, map[term.Kind]float64{term.Easy: 40}},
		{Told{WeeklyKM: 10, Days: 2, LongestKM: 50}, map[term.Kind]float64{term.Long: 10}},
	} {
		got := map[term.Kind]float64{}
		for _, p := range c.told.Week() {
			got[p.Kind] += p.KM
		}
		if !maps.Equal(got, c.want) {
			t.Errorf("%+v: %v, want %v", c.told, got, c.want)
		}
	}
}

// The parts of a sketched week add up to what was told, and none is negative.
func FuzzToldWeek(f *testing.F) {
	f.Add(40.0, 8.0, 16.0, 4, true)
	f.Fuzz(func(t *testing.T, weekly, usual, longest float64, days int, faster bool) {
		if !(weekly >= 0 && weekly <= 300 && usual >= 0 && usual <= 100 && longest >= 0 && longest <= 300 && days >= 0 && days <= 7) {
			return
		}
		told := Told{WeeklyKM: weekly, UsualKM: usual, LongestKM: longest, Days: days}
		if faster {
			told.Goals = []Goal{Faster}
		}
		sum := 0.0
		for _, p := range told.Week() {
			if p.KM <= 0 {
				t.Fatalf("%+v: %+v", told, p)
			}
			sum += p.KM
		}
		if weekly > 0 && math.Abs(sum-weekly) > 0.01 {
			t.Fatalf("%+v: %g km", told, sum)
		}
	})
}
