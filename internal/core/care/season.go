package care

import (
	"slices"

	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
)

// Day is what a day is like underfoot and above.
type Day struct {
	Ground     term.Ground
	Conditions []term.Condition
}

func (d Day) is(c term.Condition) bool { return slices.Contains(d.Conditions, c) }

// Need is what the day asks of a shoe, in words, and how a model answers.
type Need struct {
	Text string
	met  func(*shoe.Model) bool
}

// House values of a day.
const (
	softRubber  = 4.0 // of 5
	shallowLugs = 4.0 // mm
	deepLugs    = 5.0
	lowStack    = 34.0 // mm: under it a platform is low
)

// Needs are what the day asks for. indoors says that the honest answer is to stay in unless
// the shoe has metal tips.
func (d Day) Needs() (needs []Need, indoors bool) {
	add := func(text string, met func(*shoe.Model) bool) { needs = append(needs, Need{text, met}) }
	if d.Ground == term.GroundIce || d.is(term.BlackIce) {
		add("metal tips, or indoors", func(m *shoe.Model) bool { return m.MetalTips })
		return needs, true
	}
	if d.Ground == term.GroundSnow {
		add("lugs in soft rubber, on city pavement too", func(m *shoe.Model) bool {
			return m.LugDepthMM >= 3 &&
				m.RubberSoftness >= softRubber-1
		})
	}
	if d.is(term.Cold) && d.is(term.Wet) && (d.Ground == term.GroundRoad || d.Ground == term.GroundTrack) {
		add("soft rubber for cold wet pavement", func(m *shoe.Model) bool { return m.RubberSoftness >= softRubber-1 })
	}
	switch d.Ground {
	case term.GroundMud:
		add("deep lugs set wide, which shed mud", func(m *shoe.Model) bool { return m.LugDepthMM >= deepLugs && m.LugSpacing == "wide" })
	case term.GroundTrail:
		if d.is(term.Rocks) {
			add("a plate or a bumper, low to the ground", func(m *shoe.Model) bool {
				return (m.RockPlate || m.ToeBumper) &&
					m.StackHeelMM < lowStack
			})
		} else {
			add("lugs, shallow and close on hard ground", func(m *shoe.Model) bool { return m.LugDepthMM >= 2 && m.LugDepthMM <= shallowLugs+1 })
		}
	case term.GroundRoad, term.GroundTreadmill, term.GroundTrack:
		add("a flat sole for hard ground", func(m *shoe.Model) bool { return m.LugDepthMM <= shallowLugs && !m.MetalTips })
	}
	if d.is(term.LongGrass) || d.is(term.Heat) {
		add("no waterproof liner: it fills and dries slowly", func(m *shoe.Model) bool { return !m.Liner })
	}
	return needs, false
}

// Cautions are what goes for the day whatever is worn.
func (d Day) Cautions() []string {
	var out []string
	if d.Ground == term.GroundIce || d.is(term.BlackIce) {
		out = append(out, "Wet that has frozen cannot be seen: without metal tips, run indoors.")
	}
	if d.is(term.Cold) {
		out = append(out, "Warm socks; indoors soon after the run. In severe cold local advice comes first.")
	}
	if d.is(term.Heat) {
		out = append(out, "Heat and effort sweat more: wicking socks, tried before a race. In a heat warning local advice comes first.")
	}
	if d.is(term.Wet) {
		out = append(out, "Seamless wicking socks; a liner keeps short wet grass out, streams fill it.")
	}
	return append(out, "In a storm or any weather warning local advice comes first.")
}

// Suits is how a model answers the day: which needs it meets, and its suitability for easy
// running on the ground, 0 to 1. It serves where it meets all and suits the ground by half.
func (d Day) Suits(m *shoe.Model, who shoe.Wearer) (serves bool, suit float64, missing []string) {
	needs, _ := d.Needs()
	for _, n := range needs {
		if !n.met(m) {
			missing = append(missing, n.Text)
		}
	}
	ground := d.Ground
	if d.is(term.BlackIce) {
		ground = term.GroundIce
	}
	suit = m.Suits(term.Easy, ground, who)
	return len(missing) == 0 && suit >= 0.5, suit, missing
}
