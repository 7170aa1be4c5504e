package suite_test

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"reflect"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/alexedwards/argon2id"

	"trevik/internal/app"
	"trevik/internal/app/people"
	"trevik/internal/app/runlog"
	"trevik/internal/app/suite"
	"trevik/internal/app/visit"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
	"trevik/internal/demo"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store"
	"trevik/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// Signing in by the hundred, the tests hash for little.
func init() {
	people.HashParams = &argon2id.Params{Memory: 1024, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}
}

var now = time.Date(2026, 11, 24, 10, 0, 0, 0, time.UTC)

// bench is a shop with the demo's catalogue and one person of each role.
type bench struct {
	*suite.Suite
	store          *store.Store
	owner, fitter  app.Actor
	trainee, other app.Actor
	now            time.Time
}

func newBench(t testing.TB) *bench {
	t.Helper()
	s := storetest.New(t)
	b := &bench{store: s, now: now}
	b.Suite = suite.New(s, func() time.Time { return b.now }, slog.New(slog.DiscardHandler))
	b.Jobs.Start()
	t.Cleanup(b.Jobs.Close)
	ctx := context.Background()
	for i, name := range []string{"loft", "other"} {
		shop, err := b.People.AddShop(ctx, name, "EUR")
		must(t, err)
		for _, role := range app.Roles[:3-2*i] {
			who, err := b.People.AddUser(ctx, shop, string(role), fmt.Sprintf("%s-%s", name, role), "a long password", role)
			must(t, err)
			switch {
			case i == 1:
				b.other = who
			case role == app.Owner:
				b.owner = who
			case role == app.Fitter:
				b.fitter = who
			default:
				b.trainee = who
			}
		}
		must(t, b.Shelf.Add(ctx, shop, demo.Catalogue()[:len(demo.Catalogue())-51*i]))
	}
	return b
}

func must(t testing.TB, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// by gives a person the token of a form that is sent, again and again if the token is the same.
func by(who app.Actor, token string) app.Actor {
	who.Form = app.Form{Token: token, Name: "a form"}
	return who
}

func ptr[T any](v T) *T { return &v }

// settled waits until no work is left behind.
func (b *bench) settled(t testing.TB) {
	t.Helper()
	for range 3000 {
		var n int
		must(t, b.store.DB.QueryRow("SELECT COUNT(*) FROM jobs WHERE state = 'running' OR state = 'waiting' AND run_after <= "+
			"UTC_TIMESTAMP(6)").Scan(&n))
		if n == 0 {
			return
		}
		time.Sleep(5 * time.Millisecond)
	}
	t.Fatal("work is left behind for ever")
}

// found is the declaration and the key of an input, whatever its station.
func found(input string) (*record.Decl, record.Key) {
	for _, station := range record.Stations {
		if d, k, ok := record.InputAt(station, input); ok {
			return d, k
		}
	}
	panic("no input " + input)
}

// num and text are the finding of an input; nil and empty where there is none.
func num(f *record.Conclusions, input string) *float64 {
	_, k := found(input)
	return f.Finding(k).Number
}

func text(f *record.Conclusions, input string) string {
	_, k := found(input)
	return f.Finding(k).Text
}

func (b *bench) start(t testing.TB) uint64 {
	t.Helper()
	id, err := b.Visits.Start(context.Background(), b.fitter, record.Runner{Name: "Anselm", Chart: term.Men})
	must(t, err)
	return id
}

// typed records what is typed at a station: "input=value".
func (b *bench) typed(t testing.TB, who app.Actor, fit uint64, station string, inputs ...string) visit.Saved {
	t.Helper()
	var l fault.List
	var values []record.Value
	for _, in := range inputs {
		name, typed, _ := strings.Cut(in, "=")
		f, k, ok := record.InputAt(station, name)
		if !ok {
			t.Fatalf("no input %s", name)
		}
		parts := []string{typed}
		if f.Kind == form.Many {
			parts = strings.Split(typed, ",")
		}
		if v, ok := f.Read(&l, k, parts, who.Units); ok {
			values = append(values, v)
		}
	}
	must(t, l.Err())
	saved, err := b.Visits.Record(context.Background(), who, fit, visit.Page{}, values)
	must(t, err)
	return saved
}

func (b *bench) load(t testing.TB, fit uint64) *record.Conclusions {
	t.Helper()
	f, err := b.Visits.Fit(context.Background(), b.fitter, fit)
	must(t, err)
	return f
}

// ready records a fit that shoes can be matched to.
func (b *bench) ready(t testing.TB) uint64 {
	fit := b.start(t)
	b.typed(t, b.fitter, fit, "hello", "flags=none", "complaints=none", "surface=road", "week_kind.1=easy", "week_ground.1=road",
		"week_km.1=28", "mass_kg=70")
	b.typed(t, b.fitter, fit, "feet", "length_mm.left.1=262", "length_mm.left.2=263", "length_mm.right.1=261", "length_mm.right.2=261",
		"ball_mm.left.1=100", "ball_mm.left.2=100")
	return fit
}

func TestEveryCorrectionIsARow(t *testing.T) {
	b := newBench(t)
	fit := b.start(t)
	b.typed(t, b.fitter, fit, "feet", "length_mm.left.1=262", "length_mm.left.2=266")
	if r := b.load(t, fit).Reading(record.LengthMeasure, term.Left); !r.NeedsThird {
		t.Errorf("4 mm apart: %+v", r)
	}
	b.typed(t, b.fitter, fit, "feet", "length_mm.left.3=263")
	if r := b.load(t, fit).Reading(record.LengthMeasure, term.Left); r.Value != 263 {
		t.Errorf("the median: %+v", r)
	}
	if saved := b.typed(t, b.fitter, fit, "feet", "length_mm.left.1=262", "length_mm.left.2=266.0"); len(saved.IDs) != 0 {
		t.Errorf("nothing changed, yet %d rows", len(saved.IDs))
	}
	saved := b.typed(t, b.fitter, fit, "feet", "length_mm.left.2=262,5")
	if len(saved.IDs) != 1 || *num(b.load(t, fit), "length_mm.left.2") != 262.5 {
		t.Error("a comma for the point")
	}
	must(t, func() error { _, err := b.Visits.Undo(context.Background(), b.fitter, fit, saved.IDs); return err }())
	if v := num(b.load(t, fit), "length_mm.left.2"); *v != 266 {
		t.Errorf("undone: %g, want 266", *v)
	}
	b.typed(t, b.fitter, fit, "feet", "length_mm.left.2=")
	if v := num(b.load(t, fit), "length_mm.left.2"); v != nil {
		t.Errorf("emptied: %g", *v)
	}
	var rows int
	must(t, b.store.DB.QueryRow("SELECT COUNT(*) FROM findings WHERE fit_id = ? AND name = 'length_mm' AND repeat_no = 2", fit).Scan(&rows))
	if rows != 4 {
		t.Errorf("%d rows of the second reading, want 4: nothing is overwritten", rows)
	}
}

// What was typed in mm and is shown in inches is not changed by sending it again.
func TestUnitsDoNotDrift(t *testing.T) {
	b := newBench(t)
	fit := b.start(t)
	b.typed(t, b.fitter, fit, "feet", "length_mm.left.1=262.5")
	inches := b.fitter
	inches.Units = units.Imperial
	if saved := b.typed(t, inches, fit, "feet", "length_mm.left.1=10.33"); len(saved.IDs) != 0 {
		t.Error("10.33 in is what 262.5 mm is shown as, yet it was written")
	}
	b.typed(t, inches, fit, "feet", "length_mm.left.1=10.4")
	if v := *num(b.load(t, fit), "length_mm.left.1"); v != 264.16 {
		t.Errorf("10.4 in are %g mm", v)
	}
}

func TestUndoLeavesNewerAlone(t *testing.T) {
	b := newBench(t)
	fit := b.start(t)
	first := b.typed(t, b.fitter, fit, "gait", "band.left=mild")
	b.typed(t, b.fitter, fit, "gait", "band.left=marked")
	if _, err := b.Visits.Undo(context.Background(), b.fitter, fit, first.IDs); err != nil {
		t.Fatal(err)
	}
	if v := text(b.load(t, fit), "band.left"); v != "marked" {
		t.Errorf("%s: an old undo took a newer finding away", v)
	}
	another := b.start(t)
	if _, err := b.Visits.Undo(context.Background(), b.fitter, another, first.IDs); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("a slip of another runner is undone: %v", err)
	}
}

func TestTwiceSentIsDoneOnce(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	who := by(b.fitter, rand.Text())
	ids := make([]uint64, 6)
	var all sync.WaitGroup
	for i := range ids {
		all.Go(func() {
			id, err := b.Visits.Start(ctx, who, record.Runner{Name: "Once", Chart: term.Men})
			if err != nil {
				t.Error(err)
			}
			ids[i] = id
		})
	}
	all.Wait()
	for _, id := range ids {
		if id != ids[0] {
			t.Fatalf("one form began several fits: %v", ids)
		}
	}
	found, err := b.People.SearchRunners(ctx, b.fitter, "once")
	must(t, err)
	if len(found) != 1 {
		t.Errorf("%d runners", len(found))
	}
}

func TestAnotherShopSeesNothing(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	pair, err := b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: "norrbeck-skua-4-men", Reason: ""})
	must(t, err)
	run, err := b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{PairID: pair, On: "2026-11-24", KM: ptr(5.0), Ground: term.GroundRoad,
		Kind: term.Easy})
	must(t, err)
	f, k := found("mass_kg")
	saved := b.typed(t, b.fitter, fit, "hello", "mass_kg=71")
	for name, do := range map[string]func() error{
		"fit":    func() error { _, err := b.Visits.Fit(ctx, b.other, fit); return err },
		"runner": func() error { _, err := b.Visits.Runner(ctx, b.other, runner); return err },
		"change": func() error {
			return b.People.ChangeRunner(ctx, b.other, record.Runner{ID: runner, Name: "x", Chart: term.Men})
		},
		"record": func() error {
			_, err := b.Visits.Record(ctx, b.other, fit, visit.Page{}, []record.Value{{Key: k, Decl: f, Number: 80}})
			return err
		},
		"undo":  func() error { _, err := b.Visits.Undo(ctx, b.other, fit, saved.IDs); return err },
		"close": func() error { return b.Visits.Close(ctx, b.other, fit) },
		"choose": func() error {
			_, err := b.Wardrobe.Choose(ctx, b.other, fit, wardrobe.Sale{Model: "norrbeck-skua-4-men", Reason: ""})
			return err
		},
		"start": func() error { _, err := b.Visits.Start(ctx, b.other, record.Runner{ID: runner}); return err },
		"run":   func() error { return b.Runs.Withdraw(ctx, b.other, runner, run) },
		"aside": func() error { return b.Wardrobe.SetAside(ctx, b.other, runner, pair, record.WornOut, "") },
		"overrule": func() error {
			who := b.other
			who.Role = app.Owner
			return b.Visits.Overrule(ctx, who, fit, "because I say so", false)
		},
	} {
		if err := do(); !errors.Is(err, app.ErrNotFound) {
			t.Errorf("%s: %v, want 'not found'", name, err)
		}
	}
	if list, err := b.People.SearchRunners(ctx, b.other, ""); err != nil || len(list) != 0 {
		t.Errorf("another shop finds %v %v", list, err)
	}
}

func TestClosedFitStays(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	must(t, b.Visits.Close(ctx, b.fitter, fit))
	f, k := found("mass_kg")
	if _, err := b.Visits.Record(ctx, b.fitter, fit, visit.Page{}, []record.Value{{Key: k, Decl: f, Number: 80}}); !errors.Is(err,
		app.ErrClosed) {
		t.Errorf("a closed fit is changed: %v", err)
	}
	if _, err := b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: "norrbeck-skua-4-men", Reason: ""}); !errors.Is(err,
		app.ErrClosed) {
		t.Errorf("a pair is chosen in a closed fit: %v", err)
	}
	must(t, b.Visits.Reopen(ctx, b.fitter, fit))
	if !b.load(t, fit).Open() {
		t.Error("it does not open again")
	}
}

func TestReferKeepsShoesBack(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	b.typed(t, b.fitter, fit, "hello", "flags=numbness")
	if _, ok, err := b.load(t, fit).Match(); ok || err != nil {
		t.Errorf("shoes are offered to somebody who is referred (%v)", err)
	}
	if _, err := b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: "norrbeck-skua-4-men", Reason: ""}); err == nil {
		t.Error("a pair is chosen for somebody who is referred")
	}
	if err := b.Visits.Overrule(ctx, b.trainee, fit, "it is only a little numb", false); !errors.Is(err, app.ErrNotAllowed) {
		t.Errorf("a trainee overrules: %v", err)
	}
	if _, ok := fault.As(b.Visits.Overrule(ctx, b.fitter, fit, "  ", false)); !ok {
		t.Error("an overrule without a reason")
	}
	must(t, b.Visits.Overrule(ctx, b.fitter, fit, "seen by the clinician on Monday", false))
	if a, err := b.load(t, fit).Support(); err != nil || a.Refer || a.Level == nil {
		t.Errorf("overruled: %+v %v", a, err)
	}
	must(t, b.Visits.Overrule(ctx, b.owner, fit, "", true))
	if a, _ := b.load(t, fit).Support(); !a.Refer {
		t.Error("taken back, yet a level is given")
	}
}

func TestChoosingAndTakingBack(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	answer, ok, err := b.load(t, fit).Match()
	if !ok || err != nil {
		t.Fatal(ok, err)
	}
	// One that is on the shelf, so that the shelf can be watched.
	at := 0
	for answer.Ranked[at].Size.Stock == 0 {
		at++
	}
	best := answer.Ranked[at]
	stock := func() int {
		c, err := b.Shelf.Catalogue(ctx, b.fitter)
		must(t, err)
		return c.ByCode(best.Model).StockOf(best.Size.Figure, best.Size.Width)
	}
	before := stock()
	who := by(b.fitter, rand.Text())
	pair, err := b.Wardrobe.Choose(ctx, who, fit, wardrobe.Sale{Model: best.Model, Reason: "soft"})
	must(t, err)
	again, err := b.Wardrobe.Choose(ctx, who, fit, wardrobe.Sale{Model: best.Model, Reason: "soft"})
	must(t, err)
	if again != pair || stock() != before-1 {
		t.Errorf("sent twice: pairs %d and %d, stock from %d to %d", pair, again, before, stock())
	}
	d, basis := b.load(t, fit).Choice()
	if d == nil || basis.PairID != pair || !reflect.DeepEqual(basis.Settings, record.Shipped()) || basis.Ranked.Size.UK != best.Size.UK ||
		basis.Support.Level == nil {
		t.Errorf("%+v %+v", d, basis)
	}
	if _, err := b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: "no-such-model", Reason: ""}); err == nil {
		t.Error("a model that is not there is chosen")
	}
	runner := b.load(t, fit).Runner.ID
	run, err := b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{PairID: pair, On: "2026-11-24", KM: ptr(5.0), Ground: term.GroundRoad,
		Kind: term.Easy})
	must(t, err)
	if _, ok := fault.As(b.Wardrobe.TakeBack(ctx, b.fitter, fit, 0)); !ok {
		t.Error("a pair that was run in is taken back")
	}
	must(t, b.Runs.Withdraw(ctx, b.fitter, runner, run))
	must(t, b.Wardrobe.TakeBack(ctx, b.fitter, fit, 0))
	if d, _ := b.load(t, fit).Choice(); d != nil || stock() != before {
		t.Errorf("taken back: %+v, stock %d, want %d", d, stock(), before)
	}
	if err := b.Wardrobe.TakeBack(ctx, b.fitter, fit, 0); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("nothing to take back: %v", err)
	}
}

func TestRuns(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	pair, err := b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: "norrbeck-skua-4-men", Reason: ""})
	must(t, err)
	runner := b.load(t, fit).Runner.ID
	good := runlog.Typed{PairID: pair, On: "2026-11-24", KM: ptr(10.0), Ground: term.GroundRoad, Kind: term.Easy}
	for field, change := range map[string]func(*runlog.Typed){
		"pair": func(r *runlog.Typed) { r.PairID = 999 }, "on": func(r *runlog.Typed) { r.On = "2026-11-25" },
		"km":     func(r *runlog.Typed) { r.KM = ptr(0.0) },
		"ground": func(r *runlog.Typed) { r.Ground = "lava" }, "kind": func(r *runlog.Typed) { r.Kind = term.Gym },
	} {
		r := good
		change(&r)
		_, err := b.Runs.Add(ctx, b.fitter, runner, r)
		if l, ok := fault.As(err); !ok || l[0].Field != field {
			t.Errorf("%v, want a fault at %s", err, field)
		}
	}
	_, err = b.Runs.Add(ctx, b.fitter, runner, good)
	must(t, err)
	km := func() wear.Answer {
		worn, err := b.load(t, fit).Worn()
		must(t, err)
		if len(worn) == 0 {
			return wear.Answer{}
		}
		return worn[0].Wear
	}
	if a := km(); a.KM != 10 || a.Dates.P50 == nil || a.OrderBy == nil {
		t.Errorf("%+v", a)
	}
	must(t, b.Wardrobe.SetAside(ctx, b.fitter, runner, pair, record.WornOut, ""))
	if a := km(); a.KM != 0 {
		t.Errorf("set aside, yet assessed: %+v", a)
	}
	b.now = b.now.AddDate(0, 0, 1)
	late := good
	late.On = b.now.Format(time.DateOnly)
	_, err = b.Runs.Add(ctx, b.fitter, runner, late)
	if l, ok := fault.As(err); !ok || l[0].Field != "pair" {
		t.Errorf("a run in a pair that was set aside: %v", err)
	}
	must(t, b.Wardrobe.Resume(ctx, b.fitter, runner, pair))
	if a := km(); a.KM != 10 {
		t.Errorf("back in use: %+v", a)
	}
}

func TestSettings(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	if err := b.People.ChangeSettings(ctx, b.fitter, map[string]string{"lead_school": "natural_foot"}); !errors.Is(err, app.ErrNotAllowed) {
		t.Errorf("a fitter changes the shop: %v", err)
	}
	for _, bad := range []map[string]string{{"lead_school": "loudest"}, {"colour": "blue"}} {
		if _, ok := fault.As(b.People.ChangeSettings(ctx, b.owner, bad)); !ok {
			t.Errorf("%v is taken", bad)
		}
	}
	fit := b.ready(t)
	must(t, b.People.ChangeSettings(ctx, b.owner, map[string]string{"lead_school": "pronation_matched", "room": "thumb"}))
	if a, err := b.load(t, fit).Support(); err != nil || a.Lead != term.PronationMatched || len(a.Spread) != 1 {
		t.Errorf("%+v %v", a, err)
	}
	if s, _, err := b.People.Settings(ctx, b.other); err != nil || !reflect.DeepEqual(s, record.Shipped()) {
		t.Errorf("another shop's settings changed: %+v %v", s, err)
	}
}
