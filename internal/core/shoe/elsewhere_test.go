package shoe

import (
	"strings"
	"testing"

	"trevik/internal/core/term"
)

// Of every class and chart a model from elsewhere is one that the catalogue could hold, is told from those
// that are sold, and suits best what it is made for.
func TestFromElsewhere(t *testing.T) {
	for _, class := range term.Classes {
		for _, chart := range term.Charts {
			m, err := FromElsewhere("Brindle Ölpfad 12", class, chart, "EUR")
			if err != nil {
				t.Fatalf("%s, %s: %v", class, chart, err)
			}
			if !m.Elsewhere() || m.Maker != "Brindle" || m.Name != "Ölpfad" || m.Version != 12 || m.Class != class || len(m.SizesUK) < 5 {
				t.Errorf("%+v", m)
			}
		}
	}
	for class, kind := range map[term.Class]term.Kind{term.Daily: term.Easy, term.TempoClass: term.Tempo, term.RacePlated: term.Race,
		term.CrossTraining: term.Gym} {
		m, err := FromElsewhere("Some Pair", class, term.Men, "EUR")
		if err != nil {
			t.Fatal(err)
		}
		if v := m.Suits(kind, term.GroundRoad, Wearer{}); v < 0.5 {
			t.Errorf("%s suits %s %.2f", class, kind, v)
		}
	}
	a, _ := FromElsewhere("Brindle  ölpfad 12", term.Daily, term.Men, "EUR")
	if b, _ := FromElsewhere("brindle Ölpfad 12", term.Daily, term.Men, "EUR"); a.ID != b.ID {
		t.Errorf("one pair, typed twice: %s and %s", a.ID, b.ID)
	}
	for typed, class := range map[string]term.Class{"": term.Daily, "Brindle": "sandal", strings.Repeat("x", 61): term.Daily} {
		if _, err := FromElsewhere(typed, class, term.Men, "EUR"); err == nil {
			t.Errorf("%q, %s is taken", typed, class)
		}
	}
}

func FuzzFromElsewhere(f *testing.F) {
	f.Add("Brindle Path 3", "daily")
	f.Add("  7", "mud")
	f.Fuzz(func(t *testing.T, typed, class string) {
		m, err := FromElsewhere(typed, term.Class(class), term.Women, "EUR")
		if err == nil && (!m.Elsewhere() || m.Maker == "" || m.Name == "") {
			t.Fatalf("%q: %+v", typed, m)
		}
	})
}
