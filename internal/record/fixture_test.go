package record_test

import (
	"testing"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/record"
)

// today is the day on which the tests' visits are looked at.
var today = time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)

func daysAgo(n int) time.Time { return today.AddDate(0, 0, -n) }

// model is an ordinary road shoe, changed.
func model(code string, change func(*shoe.Model)) *shoe.Model {
	m := shoe.Model{ID: code, Maker: "Norrbeck", Name: code, Version: 1, Year: 2026, Chart: term.Men, Surface: term.Road, Class: term.Daily,
		Level: term.Neutral, StackHeelMM: 34, StackForefootMM: 26, WeightG: 265, Softness: 3, Bounce: 3, LastShape: "standard",
		Volume: "medium", Widths: []string{"D", "E"}, ListPrice: 14000, Currency: "EUR"}
	for half := 12; half <= 24; half++ {
		size := float64(half) / 2
		m.SizesUK = append(m.SizesUK, foot.Figure(size))
		m.Stock = append(m.Stock, shoe.Stock{UK: foot.Figure(size), Width: "D", Count: 1})
	}
	if change != nil {
		change(&m)
	}
	m = m.WithDefaults()
	return &m
}

// world is a shop with three models and a runner of its own without a pair.
type world struct {
	shop   *record.Shop
	runner *record.Runner
	visit  *record.Visit
	stored []record.Stored
}

// Rows of the world's models.
const (
	skua = 1 + iota
	tern
	knot
)

func newWorld() *world {
	models := map[uint64]*shoe.Model{
		skua: model("skua", nil),
		tern: model("tern", func(m *shoe.Model) { m.Class, m.WeightG, m.Bounce = term.TempoClass, 215, 4 }),
		knot: model("knot", func(m *shoe.Model) {
			m.Class, m.Surface, m.LugDepthMM, m.LugSpacing = term.TrailClass, term.Trail, 4, "medium"
		}),
	}
	return &world{
		shop:   &record.Shop{Name: "Quay", Currency: "EUR", Catalogue: record.NewCatalogue(nil, models), Settings: record.Shipped()},
		runner: &record.Runner{ID: 7, Name: "Sorrel Causeway", Chart: term.Men},
		visit:  &record.Visit{ID: 3, RunnerID: 7, StartedAt: daysAgo(0), Settings: record.Shipped()},
	}
}

// told puts down what was typed at inputs of a station: the input's name, then what was typed.
func (w *world) told(t testing.TB, station string, inputs ...string) *world {
	t.Helper()
	for i := 0; i < len(inputs); i += 2 {
		d, k, ok := record.InputAt(station, inputs[i])
		if !ok {
			t.Fatalf("%s has no input %q", station, inputs[i])
		}
		var l fault.List
		v, ok := d.Read(&l, k, []string{inputs[i+1]}, units.Metric)
		if !ok || v.Empty {
			t.Fatalf("%s %s: %v", inputs[i], inputs[i+1], l)
		}
		w.found(k, v.Number, v.Text)
	}
	return w
}

// found puts a finding down.
func (w *world) found(k record.Key, number float64, text string) {
	w.stored = append(w.stored, record.Stored{ID: uint64(len(w.stored) + 1), Key: k, Number: &number, Text: text, Maker: "Isolde",
		MadeAt: today})
}

// owns gives the runner a pair that has been in use for some days, with runs that add up to km.
func (w *world) owns(row uint64, days int, km float64) *record.Pair {
	m := w.shop.Catalogue.ByID(row)
	p := record.Pair{ID: uint64(len(w.runner.Pairs) + 11), RunnerID: w.runner.ID, Model: *m, ModelRow: row, Size: 8, Width: "D", Price: 14000,
		BoughtOn: daysAgo(days), FirstWorn: daysAgo(days)}
	const a = 10 // km a run
	for i := 0; float64(i)*a < km; i++ {
		p.Runs = append(p.Runs, record.Run{ID: uint64(100*len(w.runner.Pairs) + i + 1), PairID: p.ID,
			On: daysAgo(days - 1 - i*(days-1)/int(km/a+1)),
			KM: min(a, km-float64(i)*a), Ground: term.GroundRoad, Kind: term.Easy})
	}
	w.runner.Pairs = append(w.runner.Pairs, p)
	return &w.runner.Pairs[len(w.runner.Pairs)-1]
}

// follow is what follows from the world.
func (w *world) follow(t testing.TB) *record.Conclusions {
	t.Helper()
	if err := w.visit.Decode(w.stored); err != nil {
		t.Fatal(err)
	}
	c, err := record.Follow(w.runner, w.visit, w.shop, today)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// fitted is a world whose runner told a week and was measured.
func fitted(t testing.TB) *world {
	return newWorld().told(t, "hello", "flags", "none", "complaints", "none", "surface", "road", "week_kind.1", "easy", "week_ground.1",
		"road",
		"week_km.1", "30", "week_kind.2", "intervals", "week_ground.2", "road", "week_km.2", "10", "mass_kg", "70", "sock", "medium").
		told(t, "feet", "length_mm.left.1", "262", "length_mm.left.2", "262", "length_mm.right.1", "260", "length_mm.right.2", "261",
			"ball_mm.left.1", "100", "ball_mm.left.2", "100", "ball_mm.right.1", "99", "ball_mm.right.2", "99")
}
