package support

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

func TestPatterns(t *testing.T) {
	for name, c := range map[string]struct {
		sole      Sole // heel inner, centre, outer; mid inner, outer; ball inner, centre, outer; toe
		want      Wear
		strongest string
	}{
		"new":         {Sole{}, Wear{}, ""},
		"nearly even": {Sole{2, 2, 3, 2, 2, 2, 2, 2, 2}, Wear{OuterHeel: 0.25, OuterEdge: 0.083, Heel: 0.083, Even: 0.5}, "even"},
		"even":        {Sole{2, 2, 2, 2, 2, 2, 2, 2, 2}, Wear{Even: 1}, "even"},
		"inner":       {Sole{4, 1, 1, 1, 1, 4, 1, 1, 1}, Wear{Inner: 0.75, Heel: 0.125}, "inner"},
		"outer heel":  {Sole{0, 0, 3, 0, 0, 0, 0, 0, 0}, Wear{OuterHeel: 0.75, OuterEdge: 0.25, Heel: 0.25}, "outer_heel"},
		"outer edge":  {Sole{1, 1, 3, 1, 3, 1, 1, 3, 1}, Wear{OuterHeel: 0.375, OuterEdge: 0.5}, "outer_edge"},
		"ground heel": {Sole{4, 4, 4, 1, 1, 1, 1, 1, 1}, Wear{OuterHeel: 0.5625, Inner: 0.161, Heel: 0.75}, "heel"},
		"scuffed":     {Sole{1, 1, 1, 1, 1, 1, 3, 1, 4}, Wear{Centre: 0.625}, "centre"},
	} {
		got := c.sole.Patterns()
		for i, p := range got.patterns() {
			if want := c.want.patterns()[i].strength; math.Abs(p.strength-want) > 0.001 {
				t.Errorf("%s: %s is %g, want %g", name, p.name, p.strength, want)
			}
		}
		if got.Strongest() != c.strongest {
			t.Errorf("%s: the strongest is %q, want %q", name, got.Strongest(), c.strongest)
		}
	}
	var l fault.List
	Sole{5}.Check(&l, "sole.left")
	if len(l) != 1 || l[0].Field != "sole.left.heel_inner" {
		t.Errorf("a grade of 5: %v", l)
	}
}

// Every strength lies within 0 to 1, so what a sole gives is evidence that the schools
// take; and a zone that is worn more never weakens its own patterns.
func TestPatternsProperties(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 2000 {
		var s Sole
		for i := range s {
			s[i] = r.IntN(MostGone + 1)
		}
		w := s.Patterns()
		if _, err := Decide(Evidence{Wear: &WornPair{Left: &w}}); err != nil {
			t.Fatalf("%v gives %+v: %v", s, w, err)
		}
		if s[0] < MostGone {
			more := s
			more[0]++
			if m := more.Patterns(); m.Inner < w.Inner || m.Heel < w.Heel {
				t.Fatalf("%v worn more on the inner heel: %+v, was %+v", s, m, w)
			}
		}
	}
}

func TestGuess(t *testing.T) {
	for _, c := range []struct {
		pair  OldPair
		level term.Level
	}{
		{OldPair{Press: "inner_firmer", Bend: "stiff", Walls: "yes"}, term.MotionControl}, {OldPair{Press: "inner_firmer"}, term.Stability},
		{OldPair{Press: "even", Insert: "yes", Base: "broad"}, term.Stability},
		{OldPair{Press: "even", Walls: "yes"}, term.Guidance}, {OldPair{Press: "even", Base: "broad"}, term.Guidance},
		{OldPair{Press: "even", Bend: "easy", Walls: "no", Insert: "no"}, term.Neutral}, {OldPair{Press: "even"}, term.Neutral},
	} {
		level, chance, ok := c.pair.Guess()
		if !ok || level != c.level || chance < 0.5 || chance > 0.95 {
			t.Errorf("%+v: %s with %g, want %s", c.pair, level, chance, c.level)
		}
	}
	if _, _, ok := (OldPair{Bend: "stiff", Walls: "yes"}).Guess(); ok {
		t.Error("a pair that was not pressed was guessed")
	}
}

func full() Evidence {
	seven, twelve, level := 7.0, 12.0, term.Stability
	months := 2.0
	mild := BandProbability{Neutral: 0.2, Mild: 0.7, Marked: 0.1}
	low := ArchProbability{Medium: 0.2, Low: 0.8}
	return Evidence{
		Gait: &Both[Gait]{&Gait{BandProbability: &mild, Source: term.FilmedRun}, &Gait{Band: term.BandMarked, Certainty: term.Sure,
			Source: term.ByEye}},
		Arch:            &Both[Arch]{&Arch{&low}, &Arch{&low}},
		NavicularDropMM: &Both[float64]{&seven, &twelve}, KneeInDeg: &Both[float64]{&twelve, &seven},
		Wear: &WornPair{&Wear{Inner: 0.6}, &Wear{OuterEdge: 0.4}, term.Guidance}, Complaints: &[]Complaint{{"shin", term.Left, &months}},
		ComfortableLevel: &level, AnklesGiveOutward: true,
	}
}

// A slip that is lifted out leaves all else as it was; put back, the answer is the
// same to the letter; and the order in which they are lifted does not matter.
func TestWithout(t *testing.T) {
	pieces := []string{"gait.left", "gait.right", "arch.left", "arch.right", "navicular_drop.left", "navicular_drop.right", "knee_in.left",
		"knee_in.right", "wear.left", "wear.right", "complaints", "comfortable_level", "ankles_give"}
	text := func(e Evidence) string {
		a, err := Decide(e)
		if err != nil {
			t.Fatal(err)
		}
		data, err := json.Marshal(a)
		if err != nil {
			t.Fatal(err)
		}
		return string(data)
	}
	e := full()
	before := text(e)
	r := rand.New(rand.NewPCG(5, 6))
	for range 300 {
		r.Shuffle(len(pieces), func(i, j int) { pieces[i], pieces[j] = pieces[j], pieces[i] })
		some := pieces[:1+r.IntN(len(pieces))]
		less, err := e.Without(some...)
		if err != nil {
			t.Fatal(err)
		}
		back := append([]string{}, some...)
		r.Shuffle(len(back), func(i, j int) { back[i], back[j] = back[j], back[i] })
		other, err := e.Without(back...)
		if err != nil {
			t.Fatal(err)
		}
		if text(less) != text(other) {
			t.Fatalf("without %v and %v differ", some, back)
		}
	}
	if text(e) != before {
		t.Error("looking without some changed the evidence")
	}
	none, err := e.Without(pieces...)
	if err != nil {
		t.Fatal(err)
	}
	if a, _ := Decide(none); a.Confidence != 0.2 || *a.Level != term.Neutral {
		t.Errorf("without anything: %v with %g, want neutral with 0.2", *a.Level, a.Confidence)
	}
	if _, err := e.Without("gait.middle"); err == nil {
		t.Error("a piece that is none was lifted out")
	}
}
