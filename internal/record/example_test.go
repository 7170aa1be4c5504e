package record_test

import (
	"fmt"
	"time"

	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/record"
)

// A runner with one pair that has run 480 km: what is left of it, and what is to be done by when.
func ExampleFollow() {
	today := time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)
	skua := shoe.Model{ID: "skua", Maker: "Norrbeck", Name: "Skua", Version: 4, Chart: term.Men, Surface: term.Road, Class: term.Daily,
		Level: term.Neutral, StackHeelMM: 34, StackForefootMM: 26}.WithDefaults()
	shop := &record.Shop{Name: "Quay", Currency: "EUR", Settings: record.Shipped(),
		Catalogue: record.NewCatalogue(nil, map[uint64]*shoe.Model{1: &skua})}
	pair := record.Pair{ID: 1, Model: skua, ModelRow: 1, Size: 8, Width: "D", BoughtOn: today.AddDate(0, -8, 0),
		FirstWorn: today.AddDate(0, -8, 0)}
	for i := range 24 {
		pair.Runs = append(pair.Runs, record.Run{On: today.AddDate(0, 0, 9*i-230), KM: 20, Ground: term.GroundRoad, Kind: term.Easy})
	}
	runner := &record.Runner{ID: 7, Name: "Sorrel Causeway", Chart: term.Men, Pairs: []record.Pair{pair}}

	visit := &record.Visit{ID: 3, RunnerID: 7, StartedAt: today, Settings: record.Shipped()}
	km := 20.0
	if err := visit.Decode([]record.Stored{
		{ID: 1, Key: record.WeekKind.Key(1), Text: "easy"},
		{ID: 2, Key: record.WeekGround.Key(1), Text: "road"},
		{ID: 3, Key: record.WeekKM.Key(1), Number: &km},
	}); err != nil {
		fmt.Println(err)
		return
	}
	c, err := record.Follow(runner, visit, shop, today)
	if err != nil {
		fmt.Println(err)
		return
	}
	worn, _ := c.Worn()
	fmt.Printf("%s: %.0f km, about %.0f left, %s\n", worn[0].Pair.Name(), worn[0].Wear.KM, worn[0].Wear.RemainingKM.P50, worn[0].Wear.State)
	due, _ := c.Due()
	for _, d := range due {
		fmt.Println(d.On.Format(time.DateOnly), d.Text)
	}
	// Output:
	// Norrbeck Skua 4: 480 km, about 182 left, order
	// 2026-11-16 order Norrbeck Skua 4, US 9 / UK 8 / EU 42 D
	// 2026-11-24 check Norrbeck Skua 4
}

// A finding is read by its declaration, which gives its Go type.
func ExampleVisit_Decode() {
	km := 42.0
	var v record.Visit
	err := v.Decode([]record.Stored{
		{ID: 1, Key: record.WeeklyKM.Key(), Number: &km},
		{ID: 2, Key: record.Surface.Key(), Text: "trail"},
	})
	fmt.Println(err, record.WeeklyKM.Of(&v), record.Surface.Of(&v), record.RunDays.Known(&v))

	err = v.Decode([]record.Stored{{ID: 3, Key: record.Surface.Key(), Text: "lava"}})
	fmt.Println(err)
	// Output:
	// <nil> 42 trail false
	// fit 0: finding 3, surface: it is "lava"; allowed is one of road, trail, link, track, gym
}

// What was typed at an input becomes a value, or a fault at that input.
func ExampleInputAt() {
	d, k, ok := record.InputAt("feet", "length_mm.left.2")
	fmt.Println(d.Label, k.Side, k.Row, ok, d.Lo, d.Hi)
	// Output:
	// Foot length left 2 true 180 340
}
