package shoe

import (
	"math"
	"strings"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/term"
)

// plain is an ordinary road shoe; tests change what they are about.
func plain() Model {
	return Model{ID: "plain", Maker: "Norrbeck", Name: "Skua", Version: 1, Year: 2026, Chart: term.Men, Surface: term.Road, Class: term.Daily,
		Level:       term.Neutral,
		StackHeelMM: 34, StackForefootMM: 24, WeightG: 260, Softness: 3, Bounce: 3, LastShape: "standard", Volume: "medium",
		Widths:  []string{"D"},
		SizesUK: []foot.Figure{8, 8.5, 9}, ListPrice: 14000, Currency: "EUR"}.WithDefaults()
}

func TestInnerLength(t *testing.T) {
	m := plain()
	// A 262.5 mm foot in a plain US 9 (UK 8) and a 9.5, with a sock of 1 mm.
	for size, room := range map[foot.Figure]float64{8: 10.9, 8.5: 15.1} {
		if got := m.InnerLength(size, nil) - 262.5 - 1; math.Abs(got-room) > 0.06 {
			t.Errorf("UK %g: %.2f mm, want %g", float64(size), got, room)
		}
	}
	m.InnerOffsetMM = -3
	if d := plain().SizesUK[0]; m.InnerLength(d, nil) != func() float64 { p := plain(); return p.InnerLength(d, nil) }()-3 {
		t.Error("the model's own offset does not count")
	}
}

func TestBareness(t *testing.T) {
	m := plain()
	m.WeightG, m.StackHeelMM, m.StackForefootMM, m.LastShape, m.Upper, m.Flexibility = 170, 8, 8, "wide_toe", "light", 5
	if b := m.Bareness(); b != 35 {
		t.Errorf("as little shoe as can be: %g, want 35", b)
	}
	m.WeightG, m.StackHeelMM, m.StackForefootMM, m.LastShape, m.Upper, m.Flexibility, m.Level = 310, 32, 22, "tapered", "reinforced", 1,
		term.MotionControl
	if b := m.Bareness(); b != 1 {
		t.Errorf("as much shoe as can be: %g, want its flexibility alone, 1", b)
	}
	m.WeightG = 240 // half-way
	if b := m.Bars()[0].Value; math.Abs(b-2.5) > 1e-9 {
		t.Errorf("the weight's bar at 240 g: %g", b)
	}
}

func TestLabel(t *testing.T) {
	m := plain()
	if got := m.Label(8, "D"); got != "US 9 / UK 8 / EU 42 D" {
		t.Error(got)
	}
	m.LabelChart = &LabelChart{USOverUK: 0.5, EUShift: 0.5}
	if got := m.Label(8, "D"); got != "US 8.5 / UK 8 / EU 42.5 D" {
		t.Error(got)
	}
}

func TestCheck(t *testing.T) {
	for field, change := range map[string]func(*Model){
		"m.id": func(m *Model) { m.ID = "" }, "m.currency": func(m *Model) { m.Currency = "eur" },
		"m.chart": func(m *Model) { m.Chart = "kids" }, "m.class": func(m *Model) { m.Class = "slipper" },
		"m.stack_heel_mm":     func(m *Model) { m.StackHeelMM, m.StackForefootMM = 90, 80 },
		"m.stack_forefoot_mm": func(m *Model) { m.StackForefootMM = 5 }, "m.weight_g": func(m *Model) { m.WeightG = math.NaN() },
		"m.softness": func(m *Model) { m.Softness = 6 }, "m.sizes_uk": func(m *Model) { m.SizesUK = nil },
		"m.sizes_uk[0]": func(m *Model) { m.SizesUK = []foot.Figure{8.3} },
		"m.widths[0]":   func(m *Model) { m.Widths = []string{"M"} }, "m.replaces": func(m *Model) { m.Replaces, m.Change = m.ID, "upper" },
		"m.change":      func(m *Model) { m.Replaces = "other" },
		"m.stock[0].uk": func(m *Model) { m.Stock = []Stock{{UK: 12, Width: "D", Count: 1}} },
		"m.list_price":  func(m *Model) { m.ListPrice = -1 },
	} {
		m := plain()
		change(&m)
		var l fault.List
		m.Check(&l, "m")
		if len(l) == 0 || l[0].Field != field {
			t.Errorf("%s: %v", field, l)
		}
	}
	m := plain()
	var l fault.List
	if m.Check(&l, "m"); len(l) > 0 {
		t.Errorf("a plain model is refused: %v", l)
	}
}

func TestSuitability(t *testing.T) {
	m := plain()
	value := func(m Model, k term.Kind, g term.Ground, w Wearer) float64 { v, _ := m.Suitability(k, g, w); return v }
	for _, k := range term.Kinds {
		for _, g := range term.Grounds {
			for class := range base {
				m.Class = class
				if v := value(m, k, g, Wearer{}); v < 0 || v > 1 || math.IsNaN(v) {
					t.Fatalf("%s %s %s: %g", class, k, g, v)
				}
			}
		}
	}
	m = plain()
	mud := plain()
	mud.Surface, mud.Class, mud.LugDepthMM, mud.LugSpacing = term.Trail, term.Mud, 7, "wide"
	tips := plain()
	tips.Class, tips.MetalTips, tips.LugDepthMM = term.Winter, true, 4
	for name, ok := range map[string]bool{
		"a daily pair serves easy road runs":     value(m, term.Easy, term.GroundRoad, Wearer{}) > 0.8,
		"a road pair does not serve mud":         value(m, term.Easy, term.GroundMud, Wearer{}) < 0.5,
		"deep lugs serve mud":                    value(mud, term.Race, term.GroundMud, Wearer{}) > 0.8,
		"metal tips do not go on bare road":      value(tips, term.Easy, term.GroundRoad, Wearer{}) == 0,
		"metal tips go on ice":                   value(tips, term.Easy, term.GroundIce, Wearer{}) > 0.5,
		"plain rubber does not":                  value(m, term.Easy, term.GroundIce, Wearer{}) < 0.5,
		"nothing but cross training for lifting": value(m, term.Gym, term.GroundRoad, Wearer{}) == 0,
		"an unknown kind is served by none":      value(m, "dance", term.GroundRoad, Wearer{}) == 0,
	} {
		if !ok {
			t.Error(name)
		}
	}
}

// The views of plates are presets of the table: plated models alone move, and never above
// what they are let into.
func TestPlateViews(t *testing.T) {
	daily, racer := plain(), plain()
	racer.Class, racer.Plate = term.RacePlated, "carbon"
	nylon := plain()
	nylon.Class, nylon.Plate = term.TempoClass, "nylon"
	on := func(m Model, k term.Kind, v PlateView) float64 { return m.Suits(k, term.GroundRoad, Wearer{Plates: v}) }
	for _, k := range term.Kinds {
		for _, v := range PlateViews {
			for _, m := range []Model{daily, nylon} {
				if on(m, k, v) != on(m, k, "") {
					t.Errorf("%s under %s: %s moves without a carbon plate", k, v, m.Class)
				}
			}
		}
		if on(racer, k, Freely) < on(racer, k, KeySessions) || on(racer, k, KeySessions) < on(racer, k, RaceOnly) {
			t.Errorf("%s: freely %g, key sessions %g, race only %g", k, on(racer, k, Freely), on(racer, k, KeySessions), on(racer, k, RaceOnly))
		}
	}
	for name, ok := range map[string]bool{
		"races under every view":         on(racer, term.Race, RaceOnly) >= 0.9 && on(racer, term.Race, KeySessions) >= 0.9,
		"repetitions are key sessions":   on(racer, term.Intervals, KeySessions) >= 0.5 && on(racer, term.Intervals, RaceOnly) < 0.5,
		"a long run only when freely":    on(racer, term.Long, KeySessions) < 0.5 && on(racer, term.Long, Freely) >= 0.5,
		"easy runs when worn freely":     on(racer, term.Easy, Freely) >= 0.5,
		"freely is no leave for the gym": on(racer, term.Gym, Freely) == 0,
	} {
		if !ok {
			t.Error(name)
		}
	}
	if _, why := racer.Suitability(term.Tempo, term.GroundRoad, Wearer{Plates: RaceOnly}); !strings.Contains(why,
		"plates are kept for races") {
		t.Error(why)
	}
}

func TestGroundHints(t *testing.T) {
	for name, c := range map[string]struct {
		change     func(*Model)
		conditions []term.Condition
		want       string // in one of the hints; empty: none
	}{
		"nothing asked":    {nil, nil, ""},
		"ice without tips": {nil, []term.Condition{term.BlackIce}, "metal tips, or indoors"},
		"ice with tips":    {func(m *Model) { m.MetalTips = true }, []term.Condition{term.BlackIce}, "hold on ice"},
		"soft rubber":      {func(m *Model) { m.RubberSoftness = 5 }, []term.Condition{term.Wet}, "holds on cold"},
		"hard rubber":      {func(m *Model) { m.RubberSoftness = 1 }, []term.Condition{term.Cold}, "slips"},
		"liner in grass":   {func(m *Model) { m.Liner = true }, []term.Condition{term.LongGrass, term.Wet}, "fills in long grass"},
		"liner in heat":    {func(m *Model) { m.Liner = true }, []term.Condition{term.Heat}, "is hot"},
		"liner in winter":  {func(m *Model) { m.Liner = true }, []term.Condition{term.Cold}, "short wet grass and winter"},
		"rocks":            {nil, []term.Condition{term.Rocks}, "lacks them"},
		"made for rocks": {func(m *Model) { m.RockPlate, m.ToeBumper, m.StackHeelMM = true, true, 28 }, []term.Condition{term.Rocks},
			"made for rocks"},
		"mud": {func(m *Model) { m.Surface, m.LugDepthMM, m.LugSpacing = term.Trail, 6, "wide" }, nil, "shed mud"},
	} {
		m := plain()
		if c.change != nil {
			c.change(&m)
		}
		got := strings.Join(m.GroundHints(c.conditions), " ")
		if c.want == "" && got != "" || !strings.Contains(got, c.want) {
			t.Errorf("%s: %q, want %q", name, got, c.want)
		}
	}
}

func TestDoubts(t *testing.T) {
	m := plain()
	m.Class, m.StackHeelMM, m.Plate = term.MaxCushion, 38, "none"
	if d := m.Doubts(nil); len(d) != 0 {
		t.Error(d)
	}
	m.StackHeelMM, m.Plate = 37.5, "carbon"
	if d := m.Doubts(nil); len(d) != 2 {
		t.Error(d)
	}
	m.Class = term.Daily
	if d := m.Doubts(nil); len(d) != 0 {
		t.Error(d)
	}
}

// Insoles that were measured move the inside between what is told and what they say, by their errors: told
// plain, and one insole 5.6 mm longer than usual, it is 4.48 mm longer, SD 1.34; more of them count more,
// whatever their sizes.
func TestInsoles(t *testing.T) {
	m := plain()
	if mm, sd := m.Offset(nil); mm != 0 || sd != 3 {
		t.Errorf("told: %g ± %g", mm, sd)
	}
	usual := m.InnerLength(8, nil) // 274.4 mm
	m.Insoles = []Insole{{8, usual + 5.6}}
	if mm, sd := m.Offset(nil); math.Abs(mm-4.48) > 1e-9 || math.Abs(sd-math.Sqrt(1.8)) > 1e-9 {
		t.Errorf("one insole: %g ± %g", mm, sd)
	}
	if d := m.InnerLength(9, nil) - plainLength(9); math.Abs(d-4.48) > 1e-9 {
		t.Errorf("in another size %g mm", d)
	}
	m.InnerOffsetMM = -3
	for range 40 {
		m.Insoles = append(m.Insoles, Insole{9, plainLength(9) + 5.6})
	}
	if mm, sd := m.Offset(nil); math.Abs(mm-5.6) > 0.1 || sd > 0.24 {
		t.Errorf("41 insoles: %g ± %g", mm, sd)
	}
}

func plainLength(size foot.Figure) float64 {
	m := plain()
	return m.InnerLength(size, nil)
}
