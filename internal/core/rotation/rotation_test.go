package rotation

import (
	"testing"

	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
)

func model(class term.Class, surface term.Surface) shoe.Model {
	return shoe.Model{Class: class, Surface: surface, StackHeelMM: 34, StackForefootMM: 26, WeightG: 240, Softness: 3, Bounce: 3, LugDepthMM: 4, LugSpacing: "medium", Plate: "none"}
}

func TestServe(t *testing.T) {
	pairs := []shoe.Model{model(term.Daily, term.Road), model(term.TempoClass, term.Road), model(term.TrailClass, term.Trail)}
	got := Serve([]Part{{term.Easy, term.GroundRoad, 20}, {term.Tempo, term.GroundRoad, 8}, {term.Easy, term.GroundTrail, 9}, {term.Gym, term.GroundRoad, 1}}, pairs, shoe.Wearer{})
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
	if got := Serve([]Part{{term.Easy, term.GroundRoad, 5}}, same, shoe.Wearer{}); got[0].Pair != 0 {
		t.Errorf("a tie goes to %d", got[0].Pair)
	}
	if got := Serve([]Part{{term.Easy, term.GroundMud, 5}}, same, shoe.Wearer{}); got[0].Pair != -1 || got[0].All[0] >= LeastSuit {
		t.Errorf("mud in a road pair: %+v", got[0])
	}
	if got := Serve([]Part{{term.Easy, term.GroundRoad, 5}}, nil, shoe.Wearer{}); got[0].Pair != -1 {
		t.Errorf("no pairs: %+v", got[0])
	}
}
