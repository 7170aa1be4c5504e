package suite_test

import (
	"context"
	"encoding/json"
	"errors"
	"reflect"
	"strings"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/prints"
	"trevik/internal/app/runlog"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/record"
)

// faultAt fails unless err is a list of faults whose first stands at a field.
func faultAt(t *testing.T, err error, field, words string) {
	t.Helper()
	l, ok := fault.As(err)
	if !ok || l[0].Field != field || !strings.Contains(l[0].Text, words) {
		t.Errorf("%v, want a fault at %s with %q", err, field, words)
	}
}

// Health answers stay with a consent alone: a fit closes once it was asked, a no lets
// them go then, taking it back deletes them at once, and a year ends.
func TestHealthAnswersNeedConsent(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	told := func(fit uint64) {
		t.Helper()
		b.typed(t, b.fitter, fit, "hello", "flags=prescribed_orthotic", "treated=yes", "complaints=some", "complaint_place.1=shin",
			"complaint_side.1=left", "complaint_months.1=2", "complaint_when.1=after")
	}
	holds := func(fit uint64, want bool) {
		t.Helper()
		f := b.load(t, fit)
		list, _ := f.Complaints()
		if got := f.HasHealth(); got != want || want != (list != nil) || want != f.CautionsAsked() {
			t.Errorf("health answers there: %v, want %v", got, want)
		}
		if text(f, "surface") != "road" {
			t.Error("what is no health answer went too")
		}
	}
	fit := b.ready(t)
	must(t, b.Visits.Close(ctx, b.fitter, fit)) // 'asked, none' needs no consent
	must(t, b.Visits.Reopen(ctx, b.fitter, fit))
	told(fit)
	faultAt(t, b.Visits.Close(ctx, b.fitter, fit), record.HealthConsent, "is missing")
	if !b.load(t, fit).Open() {
		t.Error("it closed all the same")
	}
	runner := b.load(t, fit).Runner.ID
	must(t, b.Transfer.SetConsents(ctx, b.fitter, runner, map[string]string{record.HealthConsent: record.ConsentNo}))
	holds(fit, true) // the fit under way needs them
	must(t, b.Visits.Close(ctx, b.fitter, fit))
	holds(fit, false)

	again, err := b.Visits.Start(ctx, b.fitter, record.Runner{ID: runner})
	must(t, err)
	b.typed(t, b.fitter, again, "hello", "surface=road")
	told(again)
	must(t, b.Transfer.SetConsents(ctx, b.fitter, runner, map[string]string{record.HealthConsent: record.ConsentYear}))
	must(t, b.Visits.Close(ctx, b.fitter, again))
	holds(again, true)
	b.now = b.now.AddDate(1, 0, -1)
	must(t, b.Transfer.Tidy(ctx))
	holds(again, true)
	b.now = b.now.AddDate(0, 0, 2)
	must(t, b.Transfer.Tidy(ctx))
	holds(again, false)

	must(t, b.Visits.Reopen(ctx, b.fitter, again))
	told(again)
	must(t, b.Transfer.SetConsents(ctx, b.fitter, runner, map[string]string{record.HealthConsent: record.ConsentUntilWithdrawn}))
	must(t, b.Transfer.SetConsents(ctx, b.fitter, runner, map[string]string{record.HealthConsent: record.ConsentWithdrawn}))
	holds(again, false)
	if c := b.load(t, again).Runner.Consents[record.HealthConsent]; c.Answer != record.ConsentWithdrawn || c.Maker == "" ||
		!c.MadeAt.Equal(b.now.UTC().Truncate(time.Microsecond)) {
		t.Errorf("%+v", c)
	}
}

// What a decision says of health goes with the answers; its size and price stay.
func TestDecisionsForgetHealth(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	b.typed(t, b.fitter, fit, "hello", "flags=numbness", "complaints=some", "complaint_place.1=shin", "complaint_months.1=2")
	b.typed(t, b.fitter, fit, "gait", "band.left=severe", "band_sure.left=sure", "band.right=severe", "band_sure.right=sure")
	must(t, b.Visits.Overrule(ctx, b.fitter, fit, "the clinician cleared the numbness", false))
	match, _, err := b.load(t, fit).Match()
	must(t, err)
	_, err = b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: match.Ranked[0].Model, Reason: "felt right"})
	must(t, err)
	_, before := b.load(t, fit).Choice()
	if data, _ := json.Marshal(before.Support); !strings.Contains(string(data), "shin") {
		t.Fatal("the basis says nothing of the complaint, so there is nothing to forget")
	}
	must(t, b.Transfer.SetConsents(ctx, b.fitter, b.load(t, fit).Runner.ID, map[string]string{record.HealthConsent: record.ConsentWithdrawn}))
	f := b.load(t, fit)
	_, after := f.Choice()
	data, err := json.Marshal(after.Support)
	must(t, err)
	for _, word := range []string{"shin", "numbness", "complaints", "flags"} {
		if strings.Contains(string(data), word) {
			t.Errorf("the choice's basis still tells of %s: %s", word, data)
		}
	}
	if after.Ranked.Size.Label != before.Ranked.Size.Label || after.Price != before.Price ||
		!reflect.DeepEqual(after.Settings, before.Settings) ||
		*after.Support.Level != *before.Support.Level {
		t.Errorf("the rest of the choice changed: %+v", after)
	}
	if d := f.Overruled(); strings.Contains(d.Reason, "numbness") {
		t.Errorf("the override still tells: %+v", d)
	}
}

func TestConsentRefused(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	faultAt(t, b.Transfer.SetConsents(ctx, b.fitter, runner, map[string]string{"shoe": "yes"}), "kind", "film or health")
	faultAt(t, b.Transfer.SetConsents(ctx, b.fitter, runner, map[string]string{record.FilmConsent: "year"}), record.FilmConsent,
		"allowed is one of yes, no")
	if err := b.Transfer.SetConsents(ctx, b.other, runner, map[string]string{record.FilmConsent: "yes"}); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("another shop's runner: %v", err)
	}
	must(t, b.Transfer.SetConsents(ctx, b.fitter, runner, map[string]string{record.FilmConsent: record.ConsentNo}))
	_, err := b.Prints.Add(ctx, b.fitter, fit, term.Left, someFrame(t), prints.Options{}, true)
	faultAt(t, err, "keep", "contradicts")
	if b.load(t, fit).Runner.KeepAnswer() != "no" {
		t.Error("the film's question does not begin with what was said")
	}
}

// Who comes again starts from last time's answers, cautions and past races excepted,
// and a complaint is older by the months between.
func TestStillSo(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	first := b.ready(t)
	b.typed(t, b.fitter, first, "hello", "complaints=some", "complaint_place.1=calf", "complaint_months.1=3", "race_km=21.1",
		"race_on="+b.now.AddDate(0, 0, 30).Format(time.DateOnly), "goals=faster,race", "budget=150")
	runner := b.load(t, first).Runner.ID
	b.now = b.now.AddDate(0, 0, 100)
	second, err := b.Visits.Start(ctx, b.fitter, record.Runner{ID: runner})
	must(t, err)
	fit := b.load(t, second)
	last, err := b.Visits.Last(ctx, b.fitter, fit)
	must(t, err)
	asked := map[string]string{}
	for _, q := range fit.StillAsked(last) {
		asked[q.Name] = q.Words
	}
	for name, want := range map[string]string{"complaints": "some, calf 6 months ago", "surface": "road", "week_kind": "easy road 28 km",
		"goals": "faster, race", "mass_kg": "70 kg", "budget": "150 EUR"} {
		if asked[name] != want {
			t.Errorf("%s: %q, want %q", name, asked[name], want)
		}
	}
	for _, name := range []string{"flags", "race_km"} {
		if _, there := asked[name]; there {
			t.Errorf("%s is taken over", name)
		}
	}
	_, err = b.Visits.StillSo(ctx, b.fitter, second, []string{"surface"})
	must(t, err)
	b.typed(t, b.fitter, second, "hello", "mass_kg=74") // not so any more
	if _, err := b.Visits.StillSo(ctx, b.fitter, second, []string{"flags"}); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("cautions are taken over: %v", err)
	}
	saved, err := b.Visits.StillSo(ctx, b.fitter, second, nil)
	must(t, err)
	fit = b.load(t, second)
	if *num(fit, "mass_kg") != 74 || *num(fit, "complaint_months.1") != 6 || fit.CautionsAsked() || len(fit.StillAsked(last)) != 0 {
		t.Errorf("%+v", fit.Visit)
	}
	if f := fit.Finding(record.Key{Name: "goals"}); f.How != "still so" || !f.MadeAt.Equal(b.now.UTC()) {
		t.Errorf("%+v", f)
	}
	_, err = b.Visits.Undo(ctx, b.fitter, second, saved.IDs)
	must(t, err)
	if fit = b.load(t, second); text(fit, "surface") != "road" || text(fit, "goals") != "" {
		t.Error("undo takes back more or less than was taken over")
	}
}

// A closed fit keeps the settings that it was decided under; an open one goes by today's.
func TestClosedFitKeepsItsSettings(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	must(t, b.Visits.Close(ctx, b.fitter, fit))
	before, err := b.load(t, fit).Support()
	must(t, err)
	b.now = b.now.Add(time.Hour)
	must(t, b.People.ChangeSettings(ctx, b.owner, map[string]string{"lead_school": "natural_foot", "feet.repeat_mm": "0,5",
		"wear.fixed_km": "700"}))
	f := b.load(t, fit)
	if after, err := f.Support(); err != nil || after.Lead != before.Lead || f.House().RepeatMM != 3 || f.Shop.Settings.House.RepeatMM != 0.5 {
		t.Errorf("%+v %v", after, err)
	}
	if f.Reading(record.LengthMeasure, term.Left).NeedsThird {
		t.Error("a closed fit's readings are held against today's value")
	}
	if got := f.Shop.Settings.ChangedSince(f.Settings); len(got) != 3 || !strings.Contains(strings.Join(got, "; "),
		"Two readings agree within: 3 mm then, 0.5 now") {
		t.Errorf("%q", got)
	}
	must(t, b.Visits.Reopen(ctx, b.fitter, fit))
	if f = b.load(t, fit); !f.Reading(record.LengthMeasure, term.Left).NeedsThird || f.Settings.LeadSchool != term.NaturalFoot {
		t.Error("an open fit does not go by today's settings")
	}
	for name, bad := range map[string]map[string]string{
		"feet.repeat_mm": {"feet.repeat_mm": "three"}, "feet.ball_share": {"feet.ball_share": "7"}, "gait.mild_from": {"gait.mild_from": "2"},
		"room.finger_high": {"room.finger_high": "12"},
	} {
		faultAt(t, b.People.ChangeSettings(ctx, b.owner, bad), name, "allowed is")
	}
}

// The pair that they came in brings its numbers along, and what is seen on its soles
// counts for its wear.
func TestCameIn(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	c, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	m := c.Models[0]
	runner := b.load(t, fit).Runner.ID
	pair, err := b.Wardrobe.Add(ctx, b.fitter, runner, wardrobe.Owned{Code: m.ID, UK: m.SizesUK[0],
		Since: b.now.AddDate(0, -4, 0).Format(time.DateOnly)})
	must(t, err)
	_, err = b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{PairID: pair, On: b.now.AddDate(0, -1, 0).Format(time.DateOnly), KM: ptr(200.0),
		Ground: term.GroundRoad, Kind: term.Easy})
	must(t, err)
	worn := func() record.Worn {
		t.Helper()
		list, err := b.load(t, fit).Worn()
		must(t, err)
		return list[0]
	}
	before := worn()
	if _, err := b.Visits.SetCameIn(ctx, b.fitter, fit, pair+1); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("a pair that is not theirs: %v", err)
	}
	_, err = b.Visits.SetCameIn(ctx, b.fitter, fit, pair)
	must(t, err)
	f := b.load(t, fit)
	if *num(f, "present_drop_mm") != m.Drop() || text(f, "present_level") != string(m.Level) {
		t.Errorf("%+v", f.Visit)
	}
	var taps []string
	for i := range 9 {
		taps = append(taps, "sole.left."+string(rune('1'+i))+"=3")
	}
	b.typed(t, b.fitter, fit, "old-pair", taps...)
	look, ok := b.load(t, fit).LookOf()
	if !ok || look.Tread != 0.75 || look.Evenness != 0 {
		t.Errorf("%+v", look)
	}
	after := worn()
	if len(after.Pair.Looks) != 1 || after.Wear.RemainingKM.P50 >= before.Wear.RemainingKM.P50 {
		t.Errorf("a sole that is three quarters gone moved the forecast from %g to %g km", before.Wear.RemainingKM.P50,
			after.Wear.RemainingKM.P50)
	}
	_, err = b.Visits.SetCameIn(ctx, b.fitter, fit, 0)
	must(t, err)
	if again := worn(); again.Wear.RemainingKM != before.Wear.RemainingKM {
		t.Error("in another pair, yet the soles still count for this one")
	}
}

// A model that was disliked is marked down, in that version, and a view of cushion is a
// wish for the foam.
func TestDislikesAndViews(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	match, _, err := b.load(t, fit).Match()
	must(t, err)
	code := match.Ranked[0].Model
	b.typed(t, b.fitter, fit, "hello", "cushion_view=ground_feel")
	_, err = b.Visits.Dislike(ctx, b.fitter, fit, code, "hard tongue", false)
	must(t, err)
	f := b.load(t, fit)
	if d := f.Dislikes(); len(d) != 1 || d[0].Model.ID != code || d[0].Why != "hard tongue" {
		t.Errorf("%+v", d)
	}
	after, _, err := f.Match()
	must(t, err)
	for _, r := range after.Ranked {
		for _, m := range r.Marks {
			if m.Mark == "disliked" && (m.Value == 0) != (r.Model == code) {
				t.Errorf("%s: %+v", r.Model, m)
			}
			if m.Mark == "feel" && m.Why == "no wish was told" {
				t.Errorf("%s: a view of cushion is no wish", r.Model)
			}
		}
	}
}
