package match

import (
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
)

// outcome of a model: its label where it is offered, else its reasons.
func outcome(a Answer, id string) string {
	for _, x := range a.Ranked {
		if x.Model == id {
			return x.Size.Label
		}
	}
	for _, x := range a.RuledOut {
		if x.Model == id {
			return strings.Join(x.Reasons, " ")
		}
	}
	return "nowhere"
}

func on(chart term.Chart, id, name string, lo, hi float64) shoe.Model {
	return model(id, func(m *shoe.Model) {
		m.Chart, m.Name, m.SizesUK = chart, name, sizes(lo, hi)
		if chart == term.Youth {
			m.Widths = []string{"M"}
		}
		if chart == term.Women {
			m.Widths = []string{"B", "D"}
		}
	})
}

// A model on two charts is one model, on the runner's own chart where that fits; youth models are
// for youths, and adult ones for a youth only where no youth model has the size.
func TestCharts(t *testing.T) {
	for name, c := range map[string]struct {
		chart  term.Chart
		length float64
		models []shoe.Model
		want   map[string]string // "" is offered without a word, "w" with women's, "m" with men's, else the reason
	}{
		"twins": {term.Men, 262.5, []shoe.Model{on(term.Men, "m", "Skua", 6, 12), on(term.Women, "w", "Skua", 4, 12)},
			map[string]string{"m": "", "w": "chart"}},
		"twins for a woman": {term.Women, 262.5, []shoe.Model{on(term.Men, "m", "Skua", 6, 12), on(term.Women, "w", "Skua", 4, 12)},
			map[string]string{"m": "chart", "w": ""}},
		"own chart is too small": {term.Women, 270, []shoe.Model{on(term.Men, "m", "Skua", 6, 12), on(term.Women, "w", "Skua", 4, 6)},
			map[string]string{"m": ", men's", "w": "size"}},
		"on the other chart alone": {term.Men, 262.5, []shoe.Model{on(term.Women, "w", "Dunlin", 4, 12)}, map[string]string{"w": ", women's"}},
		"another version is another model": {term.Men, 262.5, []shoe.Model{on(term.Men, "m", "Skua", 6, 12), func() shoe.Model {
			m := on(term.Women, "w", "Skua", 4, 12)
			m.Version = 2
			return m
		}()}, map[string]string{"m": "", "w": ", women's"}},
		"youth for adults": {term.Men, 240, []shoe.Model{on(term.Youth, "y", "Skua", 4, 18)}, map[string]string{"y": "chart"}},
		"adults for a youth": {term.Youth, 240, []shoe.Model{on(term.Youth, "y", "Tern", 4, 18), on(term.Men, "m", "Skua", 4, 12),
			on(term.Women, "w", "Skua", 4, 12)}, map[string]string{"y": "", "m": "chart", "w": "chart"}},
		"a youth out of the youth's sizes": {term.Youth, 255, []shoe.Model{on(term.Youth, "y", "Tern", 4, 15), on(term.Men, "m", "Skua", 4, 12),
			on(term.Women, "w", "Skua", 4, 12), on(term.Women, "v", "Dunlin", 4, 12)},
			map[string]string{"y": "size", "m": ", men's", "w": "chart", "v": ", women's"}},
		"a youth model of another level has the size": {term.Youth, 240, []shoe.Model{func() shoe.Model {
			m := on(term.Youth, "y", "Tern", 4, 18)
			m.Level = term.Stability
			return m
		}(), on(term.Men, "m", "Skua", 4, 12)}, map[string]string{"y": "level", "m": "chart"}},
	} {
		q := request(c.models...)
		q.Chart = c.chart
		q.Feet.Left, q.Feet.Right = &Foot{LengthMM: c.length}, nil
		a := rank(t, q)
		for id, want := range c.want {
			got := outcome(a, id)
			offered := slices.ContainsFunc(a.Ranked, func(x Ranked) bool { return x.Model == id })
			switch {
			case want == "" || strings.HasPrefix(want, ", "):
				if !offered || !strings.HasSuffix(got, want) || want == "" && strings.Contains(got, "'s") {
					t.Errorf("%s: %s is %q, want it offered with %q", name, id, got, want)
				}
			case offered || got != want:
				t.Errorf("%s: %s is %q, want %q", name, id, got, want)
			}
		}
	}
}

// A week asks for the grounds that have a fifth of it; a wish narrows it.
func TestSurfacesOfTheWeek(t *testing.T) {
	models := []shoe.Model{model("road", nil), model("trail", func(m *shoe.Model) { m.Surface, m.Class = term.Trail, term.TrailClass }),
		model("link", func(m *shoe.Model) { m.Surface, m.Class = term.Link, term.LinkClass }),
		model("winter", func(m *shoe.Model) { m.Surface, m.Class = term.Trail, term.Winter }),
		model("gym", func(m *shoe.Model) { m.Surface, m.Class = term.GymSurface, term.CrossTraining })}
	kinds := func(list ...KindShare) []KindShare { return list }
	at := func(kind term.Kind, g term.Ground, share float64) KindShare {
		return KindShare{Kind: kind, Ground: g, Share: share}
	}
	for name, c := range map[string]struct {
		kinds []KindShare
		wish  term.Surface
		want  string
	}{
		"road":              {kinds(at(term.Easy, term.GroundRoad, 1)), "", "link road winter"},
		"a fifth on trail":  {kinds(at(term.Easy, term.GroundRoad, 0.8), at(term.Easy, term.GroundTrail, 0.2)), "", "link road trail winter"},
		"less than a fifth": {kinds(at(term.Easy, term.GroundRoad, 0.81), at(term.Easy, term.GroundTrail, 0.19)), "", "link road winter"},
		"narrowed": {kinds(at(term.Easy, term.GroundRoad, 0.5), at(term.Easy, term.GroundTrail, 0.5)), term.Trail,
			"link trail winter"},
		"lifting": {kinds(at(term.Gym, term.GroundRoad, 1)), "", "gym"},
		"treadmill and lifting": {kinds(at(term.Easy, term.GroundTreadmill, 0.7), at(term.Gym, term.GroundTreadmill, 0.3)), "",
			"gym link road"},
		"walking":      {kinds(at(term.Walk, term.GroundRoad, 1)), "", "link road winter"},
		"mostly walks": {kinds(at(term.Walk, term.GroundRoad, 0.9), at(term.Intervals, term.GroundRoad, 0.1)), "", "link road winter"},
	} {
		q := request(models...)
		q.Kinds, q.Surface = c.kinds, c.wish
		var got []string
		for _, x := range rank(t, q).Ranked {
			got = append(got, x.Model)
		}
		slices.Sort(got)
		if strings.Join(got, " ") != c.want {
			t.Errorf("%s: %v, want %s", name, got, c.want)
		}
	}
}

// On black ice a spiked model is the right answer, and what has no hold is not on top.
func TestBlackIce(t *testing.T) {
	q := request(model("plain", nil), model("tips", func(m *shoe.Model) { m.MetalTips, m.Class, m.LugDepthMM = true, term.Winter, 4 }))
	if a := rank(t, q); outcome(a, "tips") != "class caution" {
		t.Errorf("tips on bare road: %q", outcome(a, "tips"))
	}
	q.Conditions = []term.Condition{term.BlackIce}
	a := rank(t, q)
	if len(a.Ranked) == 0 || a.Ranked[0].Model != "tips" || markOf(t, a, "tips", "ground") != 1 {
		t.Errorf("on black ice: %+v", a.RuledOut)
	}
}

// A shelf that lacks the size offers what stands nearest on it, and says instead of what.
func TestInsteadOf(t *testing.T) {
	with := func(stock ...shoe.Stock) Size {
		t.Helper()
		q := request(model("a", func(m *shoe.Model) { m.Widths, m.Stock = []string{"B", "D", "E"}, stock }))
		q.Settings.InStock = true
		a := rank(t, q)
		if len(a.Ranked) == 0 {
			if a.RuledOut[0].Reason != "stock" {
				t.Errorf("ruled out by %v", a.RuledOut[0].Reasons)
			}
			return Size{}
		}
		return a.Ranked[0].Size
	}
	q := request(model("a", nil))
	q.Feet.Left.LengthMM = 264 // 13.6 mm in a UK 8.5, 17.9 in a 9
	best := rank(t, q).Ranked[0].Size.Figure
	for name, c := range map[string]struct {
		stock   []shoe.Stock
		uk      foot.Figure
		width   string
		instead bool
	}{
		"itself":                   {[]shoe.Stock{{UK: 8.5, Width: "D", Count: 1}, {UK: 8, Width: "D", Count: 3}}, 8.5, "D", false},
		"a letter wider":           {[]shoe.Stock{{UK: 8.5, Width: "E", Count: 1}}, 8.5, "E", true},
		"a size outside the room":  {[]shoe.Stock{{UK: 8, Width: "D", Count: 1}}, 0, "", false},
		"nothing":                  {nil, 0, "", false},
		"the other width, far off": {[]shoe.Stock{{UK: 9.5, Width: "D", Count: 1}, {UK: 8.5, Width: "B", Count: 1}}, 0, "", false},
	} {
		s := with(c.stock...)
		if s.Figure != c.uk || s.Width != c.width || (s.InsteadOf != nil) != c.instead {
			t.Errorf("%s: UK %g %s instead of %v", name, float64(s.Figure), s.Width, s.InsteadOf)
		}
	}
	if best != 8.5 {
		t.Errorf("the size is UK %g", float64(best))
	}
	// The half size beside it, where both lie within a wide window.
	q = request(model("a", func(m *shoe.Model) {
		m.Widths = []string{"D", "E"}
		m.Stock = []shoe.Stock{{UK: 9.5, Width: "D", Count: 1}, {UK: 9, Width: "E", Count: 1}}
	}))
	q.Conditions, q.Settings.InStock = []term.Condition{term.Heat}, true
	if s := rank(t, q).Ranked[0].Size; s.Figure != 9.5 || s.InsteadOf == nil || !strings.HasPrefix(*s.InsteadOf, "US 10 ") {
		t.Errorf("%+v", s)
	}
}

// Where nothing is left, the three that come closest stand with all that is wrong with them.
func TestNearest(t *testing.T) {
	q := request(model("dear", func(m *shoe.Model) { m.ListPrice = 15000 }), model("dearer", func(m *shoe.Model) { m.ListPrice = 30000 }),
		model("narrow", func(m *shoe.Model) { m.Widths, m.ListPrice = []string{"A"}, 15000 }),
		model("all wrong", func(m *shoe.Model) {
			m.Surface, m.Class, m.Level, m.SizesUK = term.Track, term.Spikes, term.Stability, sizes(3, 4)
		}))
	q.Budget = &Budget{Amount: 10000, Currency: "EUR", Firm: true}
	a := rank(t, q)
	if len(a.Ranked) > 0 || len(a.Nearest) != 3 || a.Nearest[0].Model != "dear" || a.Nearest[1].Model != "dearer" ||
		a.Nearest[2].Model != "narrow" || !strings.Contains(a.Nearest[0].Text, "50.00 EUR") || !strings.Contains(a.Nearest[2].Text, "letters") {
		t.Errorf("%+v", a.Nearest)
	}
	q.Budget = nil
	if a := rank(t, q); len(a.Nearest) > 0 {
		t.Errorf("told though some are left: %+v", a.Nearest)
	}
}

// Nobody new gets a race flat, a carbon plate or next to nothing in the set to try.
func TestNewcomersSet(t *testing.T) {
	models := []shoe.Model{model("flat", func(m *shoe.Model) { m.Class, m.StackHeelMM, m.StackForefootMM = term.RaceFlat, 22, 18 }),
		model("carbon", func(m *shoe.Model) { m.Plate = "carbon" }),
		model("tall", func(m *shoe.Model) { m.StackHeelMM, m.StackForefootMM = 41, 33 }),
		model("plain", nil), model("other", func(m *shoe.Model) { m.WeightG = 275 })}
	q := request(models...)
	q.Kinds = []KindShare{{Kind: term.Tempo, Ground: term.GroundRoad, Share: 1}}
	if a := rank(t, q); !slices.Contains(a.TryOn, "flat") || !slices.Contains(a.TryOn, "carbon") {
		t.Errorf("for one who runs: %v", a.TryOn)
	}
	q.Experience = "new"
	a := rank(t, q)
	if slices.Contains(a.TryOn, "flat") || slices.Contains(a.TryOn, "carbon") || slices.Contains(a.TryOn, "tall") || len(a.TryOn) != 2 {
		t.Errorf("for a newcomer: %v", a.TryOn)
	}
	if len(a.Ranked) != 5 {
		t.Errorf("they are marked down, not ruled out: %+v", a.RuledOut)
	}
}

// What was disliked is disliked on the other chart too, and the weight in a size is told beside the
// one that is compared.
func TestTwinsAndWeights(t *testing.T) {
	q := request(on(term.Men, "m", "Skua", 6, 12), on(term.Women, "w", "Skua", 4, 12), on(term.Men, "other", "Dunlin", 6, 12))
	q.Disliked = []string{"w"}
	a := rank(t, q)
	if markOf(t, a, "m", "disliked") != 0 || markOf(t, a, "other", "disliked") != 1 {
		t.Error("the twin of what was disliked is not")
	}
	s := a.Ranked[0].Size
	last := func(uk float64) float64 { return (uk + 25) * 25.4 / 3 }
	if want := 260 * last(s.UK) * last(s.UK) / (last(8) * last(8)); s.WeightG < want-0.06 || s.WeightG > want+0.06 {
		t.Errorf("%g g in UK %g, want %.1f", s.WeightG, s.UK, want)
	}
	q = request(on(term.Women, "w", "Skua", 4, 12))
	q.Chart = term.Women
	if got := markOf(t, rank(t, q), "w", "weight"); got >= 1-(260-220)/120.0*0.5 {
		t.Errorf("260 g on the women's chart is marked %g, no less than on the men's", got)
	}
}
