package app_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
	"trevik/internal/demo"
	"trevik/internal/store"
	"trevik/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var now = time.Date(2026, 11, 24, 10, 0, 0, 0, time.UTC)

// bench is a shop with the demo's catalogue and one person of each role.
type bench struct {
	*app.App
	store          *store.Store
	owner, fitter  app.Actor
	trainee, other app.Actor
	n              int
	now            time.Time
}

func newBench(t testing.TB) *bench {
	t.Helper()
	s := storetest.New(t)
	b := &bench{store: s, now: now}
	b.App = app.New(s, func() time.Time { return b.now })
	ctx := context.Background()
	for i, name := range []string{"loft", "other"} {
		shop, err := b.AddShop(ctx, name, "EUR")
		must(t, err)
		for _, role := range app.Roles[:3-2*i] {
			who, err := b.AddUser(ctx, shop, string(role), fmt.Sprintf("%s-%s", name, role), "a long password", role)
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
		must(t, b.AddModels(ctx, shop, demo.Catalogue()[:len(demo.Catalogue())-51*i]))
	}
	return b
}

func must(t testing.TB, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

func (b *bench) token() string {
	b.n++
	return strings.Repeat("A", 24) + string("ABCDEFGHIJKLMNOPQRSTUVWXYZ234567"[b.n/32%32]) + string("ABCDEFGHIJKLMNOPQRSTUVWXYZ234567"[b.n%32])
}

func (b *bench) start(t *testing.T) uint64 {
	t.Helper()
	id, err := b.StartFit(context.Background(), b.fitter, b.token(), app.Runner{Name: "Anselm", Chart: term.Men})
	must(t, err)
	return id
}

// typed records what is typed at a station: "input=value".
func (b *bench) typed(t *testing.T, who app.Actor, fit uint64, station string, inputs ...string) app.Saved {
	t.Helper()
	var l fault.List
	var values []app.Value
	for _, in := range inputs {
		name, typed, _ := strings.Cut(in, "=")
		f, k, ok := app.FieldOf(station, name)
		if !ok {
			t.Fatalf("no input %s", name)
		}
		parts := []string{typed}
		if f.Kind == app.Many {
			parts = strings.Split(typed, ",")
		}
		if v, ok := f.Read(&l, k, parts, who.Units); ok {
			values = append(values, v)
		}
	}
	must(t, l.Err())
	saved, err := b.Record(context.Background(), who, fit, values)
	must(t, err)
	return saved
}

func (b *bench) load(t *testing.T, fit uint64) *app.Fit {
	t.Helper()
	f, err := b.Fit(context.Background(), b.fitter, fit)
	must(t, err)
	return f
}

// ready records a fit that shoes can be matched to.
func (b *bench) ready(t *testing.T) uint64 {
	fit := b.start(t)
	b.typed(t, b.fitter, fit, "hello", "flags=none", "complaints=none", "surface=road", "week_kind.1=easy", "week_ground.1=road", "week_km.1=28", "mass_kg=70")
	b.typed(t, b.fitter, fit, "feet", "length_mm.left.1=262", "length_mm.left.2=263", "length_mm.right.1=261", "length_mm.right.2=261", "ball_mm.left.1=100", "ball_mm.left.2=100")
	return fit
}

func TestEveryCorrectionIsARow(t *testing.T) {
	b := newBench(t)
	fit := b.start(t)
	b.typed(t, b.fitter, fit, "feet", "length_mm.left.1=262", "length_mm.left.2=266")
	if r := b.load(t, fit).Reading("length_mm", term.Left); !r.NeedsThird {
		t.Errorf("4 mm apart: %+v", r)
	}
	b.typed(t, b.fitter, fit, "feet", "length_mm.left.3=263")
	if r := b.load(t, fit).Reading("length_mm", term.Left); r.Value != 263 {
		t.Errorf("the median: %+v", r)
	}
	if saved := b.typed(t, b.fitter, fit, "feet", "length_mm.left.1=262", "length_mm.left.2=266.0"); len(saved.IDs) != 0 {
		t.Errorf("nothing changed, yet %d rows", len(saved.IDs))
	}
	saved := b.typed(t, b.fitter, fit, "feet", "length_mm.left.2=262,5")
	if len(saved.IDs) != 1 || *b.load(t, fit).Num("length_mm", term.Left, 2) != 262.5 {
		t.Error("a comma for the point")
	}
	must(t, func() error { _, err := b.Undo(context.Background(), b.fitter, fit, saved.IDs); return err }())
	if v := b.load(t, fit).Num("length_mm", term.Left, 2); *v != 266 {
		t.Errorf("undone: %g, want 266", *v)
	}
	b.typed(t, b.fitter, fit, "feet", "length_mm.left.2=")
	if v := b.load(t, fit).Num("length_mm", term.Left, 2); v != nil {
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
	if v := *b.load(t, fit).Num("length_mm", term.Left, 1); v != 264.16 {
		t.Errorf("10.4 in are %g mm", v)
	}
}

func TestUndoLeavesNewerAlone(t *testing.T) {
	b := newBench(t)
	fit := b.start(t)
	first := b.typed(t, b.fitter, fit, "gait", "band.left=mild")
	b.typed(t, b.fitter, fit, "gait", "band.left=marked")
	if _, err := b.Undo(context.Background(), b.fitter, fit, first.IDs); err != nil {
		t.Fatal(err)
	}
	if v := b.load(t, fit).Text("band", term.Left, 0); v != "marked" {
		t.Errorf("%s: an old undo took a newer finding away", v)
	}
	another := b.start(t)
	if _, err := b.Undo(context.Background(), b.fitter, another, first.IDs); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("a slip of another runner is undone: %v", err)
	}
}

func TestTwiceSentIsDoneOnce(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	token := b.token()
	ids := make([]uint64, 6)
	var all sync.WaitGroup
	for i := range ids {
		all.Go(func() {
			id, err := b.StartFit(ctx, b.fitter, token, app.Runner{Name: "Once", Chart: term.Men})
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
	found, err := b.SearchRunners(ctx, b.fitter, "once")
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
	pair, err := b.Choose(ctx, b.fitter, b.token(), fit, app.Sale{Model: "norrbeck-skua-4-men", Reason: ""})
	must(t, err)
	run, err := b.AddRun(ctx, b.fitter, b.token(), runner, app.NewRun{PairID: pair, On: "2026-11-24", KM: 5, Ground: term.GroundRoad, Kind: term.Easy})
	must(t, err)
	f, k, _ := app.FieldOf("hello", "mass_kg")
	saved := b.typed(t, b.fitter, fit, "hello", "mass_kg=71")
	for name, do := range map[string]func() error{
		"fit":    func() error { _, err := b.Fit(ctx, b.other, fit); return err },
		"runner": func() error { _, err := b.Runner(ctx, b.other, runner); return err },
		"change": func() error { return b.ChangeRunner(ctx, b.other, app.Runner{ID: runner, Name: "x", Chart: term.Men}) },
		"record": func() error {
			_, err := b.Record(ctx, b.other, fit, []app.Value{{Key: k, Field: f, Number: 80}})
			return err
		},
		"undo":  func() error { _, err := b.Undo(ctx, b.other, fit, saved.IDs); return err },
		"close": func() error { return b.SetClosed(ctx, b.other, fit, true) },
		"choose": func() error {
			_, err := b.Choose(ctx, b.other, b.token(), fit, app.Sale{Model: "norrbeck-skua-4-men", Reason: ""})
			return err
		},
		"start": func() error { _, err := b.StartFit(ctx, b.other, b.token(), app.Runner{ID: runner}); return err },
		"run":   func() error { return b.SetRunCounts(ctx, b.other, runner, run, false) },
		"aside": func() error { return b.SetAside(ctx, b.other, runner, pair, true, app.WornOut, "") },
		"overrule": func() error {
			who := b.other
			who.Role = app.Owner
			return b.Overrule(ctx, who, fit, "because I say so", false)
		},
	} {
		if err := do(); !errors.Is(err, app.ErrNotFound) {
			t.Errorf("%s: %v, want 'not found'", name, err)
		}
	}
	if list, err := b.SearchRunners(ctx, b.other, ""); err != nil || len(list) != 0 {
		t.Errorf("another shop finds %v %v", list, err)
	}
}

func TestClosedFitStays(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	must(t, b.SetClosed(ctx, b.fitter, fit, true))
	f, k, _ := app.FieldOf("hello", "mass_kg")
	if _, err := b.Record(ctx, b.fitter, fit, []app.Value{{Key: k, Field: f, Number: 80}}); !errors.Is(err, app.ErrClosed) {
		t.Errorf("a closed fit is changed: %v", err)
	}
	if _, err := b.Choose(ctx, b.fitter, b.token(), fit, app.Sale{Model: "norrbeck-skua-4-men", Reason: ""}); !errors.Is(err, app.ErrClosed) {
		t.Errorf("a pair is chosen in a closed fit: %v", err)
	}
	must(t, b.SetClosed(ctx, b.fitter, fit, false))
	if !b.load(t, fit).Open() {
		t.Error("it does not open again")
	}
}

func TestReferKeepsShoesBack(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	b.typed(t, b.fitter, fit, "hello", "flags=numbness")
	c, err := b.Catalogue(ctx, b.fitter)
	must(t, err)
	if _, ok, err := b.load(t, fit).Match(c); ok || err != nil {
		t.Errorf("shoes are offered to somebody who is referred (%v)", err)
	}
	if _, err := b.Choose(ctx, b.fitter, b.token(), fit, app.Sale{Model: "norrbeck-skua-4-men", Reason: ""}); err == nil {
		t.Error("a pair is chosen for somebody who is referred")
	}
	if err := b.Overrule(ctx, b.trainee, fit, "it is only a little numb", false); !errors.Is(err, app.ErrNotAllowed) {
		t.Errorf("a trainee overrules: %v", err)
	}
	if _, ok := fault.As(b.Overrule(ctx, b.fitter, fit, "  ", false)); !ok {
		t.Error("an overrule without a reason")
	}
	must(t, b.Overrule(ctx, b.fitter, fit, "seen by the clinician on Monday", false))
	if a, err := b.load(t, fit).Support(); err != nil || a.Refer || a.Level == nil {
		t.Errorf("overruled: %+v %v", a, err)
	}
	must(t, b.Overrule(ctx, b.owner, fit, "", true))
	if a, _ := b.load(t, fit).Support(); !a.Refer {
		t.Error("taken back, yet a level is given")
	}
}

func TestChoosingAndTakingBack(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	c, err := b.Catalogue(ctx, b.fitter)
	must(t, err)
	answer, ok, err := b.load(t, fit).Match(c)
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
		c, err := b.Catalogue(ctx, b.fitter)
		must(t, err)
		return c.ByCode(best.Model).StockOf(best.Size.Figure, best.Size.Width)
	}
	before := stock()
	token := b.token()
	pair, err := b.Choose(ctx, b.fitter, token, fit, app.Sale{Model: best.Model, Reason: "soft"})
	must(t, err)
	again, err := b.Choose(ctx, b.fitter, token, fit, app.Sale{Model: best.Model, Reason: "soft"})
	must(t, err)
	if again != pair || stock() != before-1 {
		t.Errorf("sent twice: pairs %d and %d, stock from %d to %d", pair, again, before, stock())
	}
	d, basis := b.load(t, fit).Choice()
	if d == nil || basis.PairID != pair || basis.Settings != app.Shipped() || basis.Ranked.Size.UK != best.Size.UK || basis.Support.Level == nil {
		t.Errorf("%+v %+v", d, basis)
	}
	if _, err := b.Choose(ctx, b.fitter, b.token(), fit, app.Sale{Model: "no-such-model", Reason: ""}); err == nil {
		t.Error("a model that is not there is chosen")
	}
	runner := b.load(t, fit).Runner.ID
	run, err := b.AddRun(ctx, b.fitter, b.token(), runner, app.NewRun{PairID: pair, On: "2026-11-24", KM: 5, Ground: term.GroundRoad, Kind: term.Easy})
	must(t, err)
	if _, ok := fault.As(b.TakeBack(ctx, b.fitter, fit)); !ok {
		t.Error("a pair that was run in is taken back")
	}
	must(t, b.SetRunCounts(ctx, b.fitter, runner, run, false))
	must(t, b.TakeBack(ctx, b.fitter, fit))
	if d, _ := b.load(t, fit).Choice(); d != nil || stock() != before {
		t.Errorf("taken back: %+v, stock %d, want %d", d, stock(), before)
	}
	if err := b.TakeBack(ctx, b.fitter, fit); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("nothing to take back: %v", err)
	}
}

func TestRuns(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	pair, err := b.Choose(ctx, b.fitter, b.token(), fit, app.Sale{Model: "norrbeck-skua-4-men", Reason: ""})
	must(t, err)
	runner := b.load(t, fit).Runner.ID
	good := app.NewRun{PairID: pair, On: "2026-11-24", KM: 10, Ground: term.GroundRoad, Kind: term.Easy}
	for field, change := range map[string]func(*app.NewRun){
		"pair": func(r *app.NewRun) { r.PairID = 999 }, "on": func(r *app.NewRun) { r.On = "2026-11-25" }, "km": func(r *app.NewRun) { r.KM = 0 },
		"ground": func(r *app.NewRun) { r.Ground = "lava" }, "kind": func(r *app.NewRun) { r.Kind = term.Gym },
	} {
		r := good
		change(&r)
		_, err := b.AddRun(ctx, b.fitter, b.token(), runner, r)
		if l, ok := fault.As(err); !ok || l[0].Field != field {
			t.Errorf("%v, want a fault at %s", err, field)
		}
	}
	_, err = b.AddRun(ctx, b.fitter, b.token(), runner, good)
	must(t, err)
	km := func() wear.Answer {
		pairs, err := b.Pairs(ctx, b.fitter, runner)
		must(t, err)
		f := b.load(t, fit)
		worn, err := f.Worn(f.Serve(pairs))
		must(t, err)
		if len(worn) == 0 {
			return wear.Answer{}
		}
		return worn[0].Wear
	}
	if a := km(); a.KM != 10 || a.Dates.P50 == nil || a.OrderBy == nil {
		t.Errorf("%+v", a)
	}
	must(t, b.SetAside(ctx, b.fitter, runner, pair, true, app.WornOut, ""))
	if a := km(); a.KM != 0 {
		t.Errorf("set aside, yet assessed: %+v", a)
	}
	_, err = b.AddRun(ctx, b.fitter, b.token(), runner, good)
	if l, ok := fault.As(err); !ok || l[0].Field != "pair" {
		t.Errorf("a run in a pair that was set aside: %v", err)
	}
	must(t, b.SetAside(ctx, b.fitter, runner, pair, false, "", ""))
	if a := km(); a.KM != 10 {
		t.Errorf("back in use: %+v", a)
	}
}

func TestSettings(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	if err := b.ChangeSettings(ctx, b.fitter, map[string]string{"lead_school": "natural_foot"}); !errors.Is(err, app.ErrNotAllowed) {
		t.Errorf("a fitter changes the shop: %v", err)
	}
	for _, bad := range []map[string]string{{"lead_school": "loudest"}, {"colour": "blue"}} {
		if _, ok := fault.As(b.ChangeSettings(ctx, b.owner, bad)); !ok {
			t.Errorf("%v is taken", bad)
		}
	}
	fit := b.ready(t)
	must(t, b.ChangeSettings(ctx, b.owner, map[string]string{"lead_school": "pronation_matched", "room": "thumb"}))
	if a, err := b.load(t, fit).Support(); err != nil || a.Lead != term.PronationMatched || len(a.Spread) != 1 {
		t.Errorf("%+v %v", a, err)
	}
	if s, _, err := b.Settings(ctx, b.other); err != nil || s != app.Shipped() {
		t.Errorf("another shop's settings changed: %+v %v", s, err)
	}
}

func TestSignIn(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	who, err := b.SignIn(ctx, " LOFT-owner ", "a long password", "127.0.0.1")
	if err != nil || who.Role != app.Owner {
		t.Fatal(who, err)
	}
	for i := range app.TriesByLogin {
		if _, err := b.SignIn(ctx, "loft-fitter", "wrong", "127.0.0.1"); err != app.ErrSignIn {
			t.Fatalf("try %d: %v", i, err)
		}
	}
	if _, err := b.SignIn(ctx, "loft-fitter", "a long password", "127.0.0.1"); err != app.ErrTooMany {
		t.Errorf("after %d tries: %v", app.TriesByLogin, err)
	}
	if _, err := b.SignIn(ctx, "loft-owner", "a long password", "127.0.0.1"); err != nil {
		t.Errorf("somebody else is kept out too: %v", err)
	}
	if _, err := b.SignIn(ctx, "nobody", "x", "10.0.0.1"); err != app.ErrSignIn {
		t.Errorf("an unknown login: %v", err)
	}
	for field, bad := range map[string][3]string{"name": {"", "abcd", "a long password"}, "login": {"A", "ab", "a long password"}, "password": {"A", "abcd", "short"}} {
		_, err := b.AddUser(ctx, b.owner.ShopID, bad[0], bad[1], bad[2], app.Fitter)
		if l, ok := fault.As(err); !ok || l[0].Field != field {
			t.Errorf("%v, want a fault at %s", err, field)
		}
	}
	if _, err := b.AddUser(ctx, b.owner.ShopID, "A", "loft-owner", "a long password", app.Fitter); err == nil {
		t.Error("a login is given twice")
	}
}

// Whatever is typed at a field: a value within its limits, or a fault at it.
func FuzzRead(f *testing.F) {
	for _, s := range []string{"262.5", "262,5", "1e999", "NaN", "-0", "mild", "2026-02-30", "=1+1", "\x00", "\xff", "none,limp", "1.7976931348623157e308", "0x10"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, typed string) {
		for station, fields := range app.Fields {
			for _, field := range fields {
				keys := field.Keys()
				if len(keys) == 0 {
					keys = []app.Key{{Name: field.Name, Repeat: 1}}
				}
				for _, u := range []units.System{units.Metric, units.Imperial} {
					var l fault.List
					v, ok := field.Read(&l, keys[0], []string{typed}, u)
					if ok != (len(l) == 0) || !ok && l[0].Field != keys[0].Input() {
						t.Fatalf("%s %s %q: %v %v", station, field.Name, typed, ok, l)
					}
					if ok && !v.Empty && field.Kind == app.Number && !(v.Number >= field.Lo-1e-5 && v.Number <= field.Hi+1e-5) {
						t.Fatalf("%s %s %q: %g is outside %g to %g", station, field.Name, typed, v.Number, field.Lo, field.Hi)
					}
				}
			}
		}
	})
}
