package suite_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/due"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/care"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/record"
)

// A place that rubs is kept with what is known of the pair, and whether what was tried
// helped; it goes to what is told of the model.
func TestRubs(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	f := b.load(t, fit)
	runner := f.Runner.ID
	pair := b.owned(t, runner, "norrbeck-skua-4-men", 30)
	f = b.load(t, fit)
	k := f.RubKnown(f.Runner.Pair(pair))
	// UK 8 on a foot of 262.5 mm is short, and D narrow for a ball of 100 mm.
	if k.RoomMM == nil || *k.RoomMM > 12 || k.BallMM == nil || *k.BallMM > 2 || k.LeastMM != 12 || k.Diabetes || k.HeelSlips {
		t.Errorf("%+v room %v ball %v", k, *k.RoomMM, *k.BallMM)
	}
	must(t, b.Wardrobe.AddRub(ctx, b.fitter, runner, record.RubReport{PairID: pair, Side: term.Left, Place: "toe_tips", When: "downhill",
		Cause: "The shoe is short", Tried: "A half size up."}))
	rubs := b.load(t, fit).Runner.Rubs
	if len(rubs) != 1 || rubs[0].Place != "toe_tips" || rubs[0].Helped != "" {
		t.Fatalf("%+v", rubs)
	}
	for range 2 {
		must(t, b.Wardrobe.RubHelped(ctx, b.fitter, runner, rubs[0].ID, true))
	}
	if rubs = b.load(t, fit).Runner.Rubs; rubs[0].Helped != "yes" {
		t.Errorf("%+v", rubs)
	}
	c, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	told, err := b.Shelf.RubsOf(ctx, b.fitter, (c.RowID("norrbeck-skua-4-men")))
	if err != nil || len(told) != 1 || told[0].Told != 1 || told[0].Pairs != 1 {
		t.Errorf("%+v %v", told, err)
	}
	for field, r := range map[string]record.RubReport{"rub_pair": {PairID: 999, Place: "heel"}, "rub_place": {PairID: pair, Place: "ear"},
		"rub_side": {PairID: pair, Place: "heel", Side: "middle"}, "rub_when": {PairID: pair, Place: "heel", When: "never"}} {
		if l, ok := fault.As(b.Wardrobe.AddRub(ctx, b.fitter, runner, r)); !ok || l[0].Field != field {
			t.Errorf("%s: %v", field, l)
		}
	}
	if err := b.Wardrobe.RubHelped(ctx, b.other, runner, rubs[0].ID, false); !errors.Is(err, app.ErrNotFound) {
		t.Error(err)
	}
}

// A plan of changing over is made from the pairs' own numbers, listens week by week, and is
// refused where the fit tells of a fresh complaint.
func TestChangeOver(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	old, bare := b.owned(t, runner, "norrbeck-skua-4-men", 200), b.owned(t, runner, "sundrey-plover-2-men", 1)
	near := b.owned(t, runner, "norrbeck-skua-3-men", 100)
	start := b.now.AddDate(0, 0, -20).Format(time.DateOnly)
	must(t, b.Wardrobe.ChangeOver(ctx, b.fitter, runner, wardrobe.ChangeAsked{From: old, To: bare, WeeklyKM: 30, Start: start}))
	changings := func() []record.Changing {
		t.Helper()
		f := b.load(t, fit)
		list, err := f.Runner.Changings(f.Today)
		must(t, err)
		return list
	}
	list := changings()
	c := list[0]
	// A fortnight of walking first: on day 20 the first week is under way.
	if len(list) != 1 || !c.Plan.WalkingFirst || c.Now != 1 || c.Next != 1 || c.Plan.Size < 2 || c.From != "Norrbeck Skua 4" {
		t.Fatalf("%+v", c)
	}
	must(t, b.Wardrobe.ReportSore(ctx, b.fitter, runner, c.ID, care.Report{Week: 1, Soreness: 4}))
	list = changings()
	if w := list[0].Plan.Weeks; !w[1].Repeat || w[1].Step != 1 || list[0].Next != 0 {
		t.Errorf("%+v", list[0])
	}
	if l, ok := fault.As(b.Wardrobe.ReportSore(ctx, b.fitter, runner, c.ID, care.Report{Week: 2})); !ok || l[0].Field != "sore_week" {
		t.Errorf("a week that is to come: %v", l)
	}
	if text, err := b.Due.RunnerCalendar(b.load(t, fit)); err != nil || !strings.Contains(text, "Week 1 of changing over") {
		t.Errorf("the calendar does not hold the plan: %v %.400s", err, text)
	}
	b.typed(t, b.fitter, fit, "hello", "flags=child_growing")
	if due, _, err := b.Due.Due(ctx, b.fitter, due.Filter{Until: b.now.AddDate(0, 4, 0), Kind: record.DueMeasure}, 1); err != nil ||
		len(due) != 1 || due[0].On.Before(b.now.AddDate(0, 2, 25)) {
		t.Errorf("growing feet: %+v %v", due, err)
	}
	b.now = b.now.AddDate(0, 0, 7)
	calf := term.Place("calf")
	must(t, b.Wardrobe.ReportSore(ctx, b.fitter, runner, c.ID, care.Report{Week: 2, Soreness: 5, Place: &calf}))
	if list = changings(); !list[0].Plan.Stopped || list[0].Next != 0 {
		t.Errorf("%+v", list[0])
	}
	must(t, b.Wardrobe.EndChange(ctx, b.fitter, runner, c.ID))
	if err := b.Wardrobe.EndChange(ctx, b.fitter, runner, c.ID); !errors.Is(err, app.ErrNotFound) {
		t.Error(err)
	}
	start = b.now.Format(time.DateOnly)
	for name, x := range map[string]struct {
		err   error
		field string
	}{
		"no pair": {b.Wardrobe.ChangeOver(ctx, b.fitter, runner, wardrobe.ChangeAsked{From: 999, To: bare, WeeklyKM: 30, Start: start}),
			"change_from"},
		"the same": {b.Wardrobe.ChangeOver(ctx, b.fitter, runner, wardrobe.ChangeAsked{From: old, To: old, WeeklyKM: 30, Start: start}),
			"change_to"},
		"no need": {b.Wardrobe.ChangeOver(ctx, b.fitter, runner, wardrobe.ChangeAsked{From: old, To: near, WeeklyKM: 30, Start: start}),
			"change_to"},
		"no km": {b.Wardrobe.ChangeOver(ctx, b.fitter, runner, wardrobe.ChangeAsked{From: old, To: bare, WeeklyKM: 0, Start: start}),
			"change_km"},
		"years ahead": {b.Wardrobe.ChangeOver(ctx, b.fitter, runner, wardrobe.ChangeAsked{From: old, To: bare, WeeklyKM: 30,
			Start: "2099-01-01"}), "change_start"},
	} {
		if l, ok := fault.As(x.err); !ok || l[0].Field != x.field {
			t.Errorf("%s: %v", name, x.err)
		}
	}
	b.typed(t, b.fitter, fit, "hello", "complaints=some", "complaint_place.1=achilles", "complaint_side.1=left", "complaint_months.1=2")
	if l, ok := fault.As(b.Wardrobe.ChangeOver(ctx, b.fitter, runner, wardrobe.ChangeAsked{From: old, To: bare, WeeklyKM: 30,
		Start: start})); !ok || l[0].Field != "change_to" {
		t.Errorf("with a fresh Achilles complaint: %v", l)
	}
	if err := b.Wardrobe.ReportSore(ctx, b.other, runner, c.ID, care.Report{Week: 1}); !errors.Is(err, app.ErrNotFound) {
		t.Error(err)
	}
}

// The day's answer: their own pair where it serves, else the shelf.
func TestUnderMyFeet(t *testing.T) {
	b := newBench(t)
	fit := b.ready(t)
	b.owned(t, b.load(t, fit).Runner.ID, "norrbeck-skua-4-men", 30)
	own, shelf, err := b.load(t, fit).UnderMyFeet(care.Day{Ground: term.GroundRoad})
	must(t, err)
	if len(own) != 1 || !own[0].Serves || len(shelf) != 0 {
		t.Errorf("a road: %+v %+v", own, shelf)
	}
	own, shelf, err = b.load(t, fit).UnderMyFeet(care.Day{Ground: term.GroundIce})
	must(t, err)
	if own[0].Serves || len(shelf) == 0 || shelf[0].Name != "Sundrey Icebreak 1" {
		t.Errorf("ice: %+v %+v", own, shelf)
	}
}
