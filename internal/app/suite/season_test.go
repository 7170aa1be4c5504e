package suite_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/due"
	"trevik/internal/core/fault"
	"trevik/internal/core/rotation"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// seasoned is a runner with a fit and a pair that is well worn, their id, and their fit.
func (b *bench) seasoned(t *testing.T) (runner, fit uint64) {
	t.Helper()
	fit = b.ready(t)
	b.typed(t, b.fitter, fit, "hello", "week_kind.1=easy", "week_ground.1=road", "week_km.1=40")
	runner = b.load(t, fit).Runner.ID
	pair := b.owned(t, runner, "norrbeck-skua-4-men", 150)
	b.ran(t, runner, pair, 480)
	return runner, fit
}

func (b *bench) season(t *testing.T, runner uint64) *record.Season {
	t.Helper()
	c, err := b.Visits.OfRunner(context.Background(), b.fitter, runner)
	must(t, err)
	s, err := c.Season(context.Background(), record.SeasonWhat{})
	must(t, err)
	return s
}

// A week that is moved stands as it was moved until it is laid out again; another shop's runner is nobody.
func TestSeasonWeeksMove(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	runner, _ := b.seasoned(t)
	next := record.MondayOf(b.Today(b.fitter)).AddDate(0, 0, 7)
	must(t, b.Seasons.Move(ctx, b.fitter, runner, next.Format(time.DateOnly), 60))
	if s := b.season(t, runner); s.KM(1) < 59.9 || s.KM(1) > 60.1 || s.How[1] != record.ByHand || s.How[2] != "" {
		t.Errorf("%.2f km, %q", s.KM(1), s.How[:3])
	}
	parts := []rotation.WeekPart{{ID: "a", Day: "wed", Start: "18:30", KM: 9, Kind: term.Tempo, Ground: term.GroundTrack}}
	must(t, b.Seasons.SetWeek(ctx, b.fitter, runner, next, parts))
	if s := b.season(t, runner); s.KM(1) != 9 || len(s.Weeks[1]) != 1 || s.Weeks[1][0].Kind != term.Tempo || s.Weeks[1][0].Start != "18:30" {
		t.Errorf("%+v", s.Weeks[1])
	}
	must(t, b.Seasons.SetWeek(ctx, b.fitter, runner, next.AddDate(0, 0, 7), nil))
	if s := b.season(t, runner); s.KM(2) != 0 || s.Fault != "" {
		t.Errorf("a week of rest has %.1f km; %q", s.KM(2), s.Fault)
	}
	must(t, b.Seasons.LayOut(ctx, b.fitter, runner, "", next.Format(time.DateOnly)))
	if s := b.season(t, runner); s.How[1] != "" || s.How[2] != record.ByHand {
		t.Errorf("one week was laid out again: %q", s.How[:3])
	}
	must(t, b.Seasons.LayOut(ctx, b.fitter, runner, record.Steady, ""))
	if s := b.season(t, runner); s.How[2] != "" {
		t.Errorf("all weeks were laid out again: %q", s.How[:3])
	}
	twice := append(parts, rotation.WeekPart{ID: "b", Day: "wed", Start: "18:40", KM: 5, Kind: term.Easy, Ground: term.GroundRoad})
	for name, err := range map[string]error{
		"a Tuesday":        b.Seasons.Move(ctx, b.fitter, runner, next.AddDate(0, 0, 1).Format(time.DateOnly), 60),
		"last week":        b.Seasons.Move(ctx, b.fitter, runner, next.AddDate(0, 0, -14).Format(time.DateOnly), 60),
		"two at one time":  b.Seasons.SetWeek(ctx, b.fitter, runner, next, twice),
		"an unknown shape": b.Seasons.LayOut(ctx, b.fitter, runner, "up", ""),
	} {
		if _, ok := fault.As(err); !ok {
			t.Errorf("%s: %v", name, err)
		}
	}
	if err := b.Seasons.Move(ctx, b.other, runner, next.Format(time.DateOnly), 60); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("by another shop: %v", err)
	}
}

// The runner's own plan waits, is used whole, tells its race, and stays out where it holds a fault.
func TestSeasonPlanFile(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	runner, _ := b.seasoned(t)
	bad := b.Seasons.Send(ctx, b.fitter, runner, "a.csv", []byte("PK\x03\x04\x00"))
	if l, ok := fault.As(bad); !ok || l[0].Field != "season_file" {
		t.Errorf("no table: %v", bad)
	}
	must(t, b.Seasons.Send(ctx, b.fitter, runner, "own.csv",
		[]byte("Tag;Weg;Was\n1.12.2026;12;easy\n13.12.2026;21,1;race\n22.12.2026;8;easy\n")))
	f, err := b.Seasons.Waiting(ctx, b.fitter, runner)
	must(t, err)
	if f == nil || f.Settled || len(f.Weeks) != 0 {
		t.Fatalf("columns of names that tell nothing: %+v", f)
	}
	if err := b.Seasons.Use(ctx, b.fitter, runner, f.ID); err == nil {
		t.Error("a plan was used before its columns were told")
	}
	c := f.Columns
	c.Date, c.Distance, c.Kind, c.Order, c.Unit = 1, 2, 3, "day_month_year", "km"
	must(t, b.Seasons.Settle(ctx, b.fitter, runner, f.ID, c))
	f, err = b.Seasons.Waiting(ctx, b.fitter, runner)
	must(t, err)
	if len(f.Runs) != 3 || len(f.Weeks) != 4 || len(f.Weeks[2].Parts) != 0 {
		t.Fatalf("%d runs in %d weeks", len(f.Runs), len(f.Weeks))
	}
	if other, err := b.Seasons.Waiting(ctx, b.owner, runner); err != nil || other != nil {
		t.Errorf("another person's plan waits for the owner: %v", err)
	}
	must(t, b.Seasons.Use(ctx, b.fitter, runner, f.ID))
	s := b.season(t, runner)
	var races int
	must(t, b.store.DB.QueryRow("SELECT COUNT(*) FROM season_runs WHERE kind = 'race'").Scan(&races))
	if races != 0 {
		t.Error("a race stands beside the one list of races")
	}
	if s.How[1] != record.ByTheir || s.KM(1) != 12 || len(s.Races) != 1 || s.Races[0].KM != 21.1 || s.Fault != "" {
		t.Errorf("%q: %q, races %+v", s.Fault, s.How, s.Races)
	}
	if err := b.Seasons.Use(ctx, b.fitter, runner, f.ID); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("used twice: %v", err)
	}
	// The columns are known by now; a fault leaves what stands.
	must(t, b.Seasons.Send(ctx, b.fitter, runner, "own.csv", []byte("Tag;Weg;Was\n2.12.2026;12;juggling\n")))
	f, err = b.Seasons.Waiting(ctx, b.fitter, runner)
	must(t, err)
	if len(f.Faults) == 0 || !strings.Contains(f.Faults[0].Text, "juggling") {
		t.Errorf("%+v", f)
	}
	if err := b.Seasons.Use(ctx, b.fitter, runner, f.ID); err == nil {
		t.Error("a plan with a fault was used")
	}
	if s := b.season(t, runner); s.KM(1) != 12 {
		t.Errorf("after a fault the week has %.1f km", s.KM(1))
	}
	must(t, b.Seasons.LetGo(ctx, b.fitter, runner, f.ID))
	if f, err = b.Seasons.Waiting(ctx, b.fitter, runner); err != nil || f != nil {
		t.Errorf("let go of: %+v, %v", f, err)
	}
}

// An order that was decided on stands at Due, on the buying list and in both calendars; sold it is the runner's pair and gone from
// there, once, however often it is asked for.
func TestSeasonOrder(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	runner, _ := b.seasoned(t)
	s := b.season(t, runner)
	if len(s.Orders) == 0 {
		t.Fatalf("no order is likely: %q", s.Fault)
	}
	must(t, b.Seasons.Decide(ctx, b.fitter, runner, []string{s.Orders[0].ID}))
	if err := b.Seasons.Decide(ctx, b.fitter, runner, []string{s.Orders[0].ID}); err == nil {
		t.Error("the same order was put on the list twice")
	}
	s = b.season(t, runner)
	if len(s.Decided) != 1 || !s.Orders[0].Decided {
		t.Fatalf("%+v", s.Decided)
	}
	name := s.Decided[0].Name
	until := b.Today(b.fitter).AddDate(1, 0, 0)
	orders := func() (n int) {
		lines, _, err := b.Due.Due(ctx, b.fitter, due.Filter{Until: until, Kind: record.DueOrder}, 1)
		must(t, err)
		for _, l := range lines {
			if l.RunnerID == runner && strings.Contains(l.Text, name) {
				n++
			}
		}
		return n
	}
	if n := orders(); n != 1 {
		t.Errorf("%d lines at Due", n)
	}
	c, err := b.Visits.OfRunner(ctx, b.fitter, runner)
	must(t, err)
	own, err := b.Due.RunnerCalendar(c)
	must(t, err)
	shop, err := b.Due.ShopCalendar(ctx, b.fitter)
	must(t, err)
	for of, cal := range map[string]string{"own": own, "shop": shop} {
		if !strings.Contains(strings.ReplaceAll(cal, "\r\n ", ""), name) {
			t.Errorf("the %s calendar does not tell the order", of)
		}
	}
	order := s.Decided[0].ID
	before := len(c.Runner.InUse())
	pair, err := b.Wardrobe.SellOrdered(ctx, b.fitter, runner, order)
	must(t, err)
	if _, err := b.Wardrobe.SellOrdered(ctx, b.fitter, runner, order); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("sold twice: %v", err)
	}
	c, err = b.Visits.OfRunner(ctx, b.fitter, runner)
	must(t, err)
	if p := c.Runner.Pair(pair); p == nil || len(c.Runner.InUse()) != before+1 || len(c.Runner.Season.Orders) != 0 || p.FitID == 0 {
		t.Errorf("sold: %+v, %d on the list", p, len(c.Runner.Season.Orders))
	}
	s = b.season(t, runner)
	if text := s.BreakIn(pair, 40); !strings.Contains(text, "40 km") || !strings.Contains(text, "week") {
		t.Errorf("it does not say how it is broken in: %q", text)
	}
	// One that is dropped is gone too.
	for _, o := range s.Orders {
		if !o.Decided && o.Label != "" {
			must(t, b.Seasons.Decide(ctx, b.fitter, runner, []string{o.ID}))
			id := b.season(t, runner).Decided[0].ID
			must(t, b.Seasons.Drop(ctx, b.fitter, runner, id))
			if left := b.season(t, runner).Decided; len(left) != 0 {
				t.Errorf("%+v", left)
			}
			break
		}
	}
}

// A what-if that is kept holds; an outlook that changes by more than ten points is told once, with why, until somebody has seen it.
func TestSeasonOutlook(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	runner, _ := b.seasoned(t)
	must(t, b.Seasons.Keep(ctx, b.fitter, runner, record.SeasonWhat{Earlier: true}, true))
	must(t, b.Seasons.LayOut(ctx, b.fitter, runner, record.Steady, ""))
	c, err := b.Visits.OfRunner(ctx, b.fitter, runner)
	must(t, err)
	if !c.Runner.Season.Kept.Earlier || c.Runner.Season.Shape != record.Steady {
		t.Errorf("%+v", c.Runner.Season)
	}
	must(t, b.Wardrobe.AddRace(ctx, b.fitter, runner, "Quay Half", "2027-01-31", 21.1, 0))
	look := func() []record.Outlook {
		must(t, b.Seasons.LookAgain(ctx, b.fitter.ShopID))
		c, err := b.Visits.OfRunner(ctx, b.fitter, runner)
		must(t, err)
		return c.Runner.Season.Outlooks
	}
	told := look()
	if len(told) != 1 || told[0].Was != nil || len(told[0].Basis.Pairs) == 0 {
		t.Fatalf("%+v", told)
	}
	changes := func() int {
		list, err := b.Seasons.Changes(ctx, b.fitter)
		must(t, err)
		return len(list)
	}
	if changes() != 0 {
		t.Error("what is told for the first time is no change")
	}
	// As if something quite else had been told before.
	far := told[0]
	far.Ready = 0.5
	if told[0].Ready < 0.6 {
		far.Ready = 1
	}
	must(t, b.store.TellOutlook(ctx, db.TellOutlookParams{ShopID: b.fitter.ShopID, RunnerID: runner, RaceOn: far.RaceOn, Race: far.Race,
		Ready: far.Ready, ToldOn: far.On, Basis: []byte(`{"km":1,"in":"","pairs":[]}`)}))
	b.now = b.now.AddDate(0, 0, 1)
	told = look()
	if len(told) != 1 || told[0].Was == nil || *told[0].Was != far.Ready || told[0].Why == "" || told[0].Seen || changes() != 1 {
		t.Fatalf("%+v", told)
	}
	if again := look(); again[0].Why != told[0].Why || again[0].Ready != told[0].Ready {
		t.Errorf("looked at again: %+v", again)
	}
	if err := b.Seasons.See(ctx, b.other, told[0].ID); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("seen by another shop: %v", err)
	}
	must(t, b.Seasons.See(ctx, b.fitter, told[0].ID))
	if changes() != 0 {
		t.Error("what was seen is still told")
	}
	// A race that is taken back has no outlook.
	races := b.season(t, runner).Races
	must(t, b.Wardrobe.TakeRaceBack(ctx, b.fitter, runner, races[0].ID))
	b.now = b.now.AddDate(0, 0, 1)
	must(t, b.Wardrobe.AddRace(ctx, b.fitter, runner, "Another", "2027-03-07", 10, 0))
	if told = look(); len(told) != 1 || told[0].Race != "Another" {
		t.Errorf("%+v", told)
	}
}

// Who is erased leaves nothing of a season, or of when they come in; an export holds it.
func TestSeasonErased(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	runner, _ := b.seasoned(t)
	must(t, b.People.Book(ctx, b.fitter, runner, "2026-12-01", "10:00", "a new pair"))
	next := record.MondayOf(b.Today(b.fitter)).AddDate(0, 0, 7)
	must(t, b.Seasons.Move(ctx, b.fitter, runner, next.Format(time.DateOnly), 60))
	must(t, b.Wardrobe.AddRace(ctx, b.fitter, runner, "Quay Half", "2027-01-31", 21.1, 0))
	must(t, b.Seasons.LookAgain(ctx, b.fitter.ShopID))
	must(t, b.Seasons.Decide(ctx, b.fitter, runner, []string{b.season(t, runner).Orders[0].ID}))
	of := []string{"bookings", "seasons", "season_weeks", "season_orders", "season_outlooks"}
	rows := func(table string) (n int) {
		must(t, b.store.DB.QueryRow("SELECT COUNT(*) FROM "+table+" WHERE runner_id = ?", runner).Scan(&n))
		return n
	}
	copied, err := b.store.Dump(ctx, b.fitter.ShopID, runner)
	must(t, err)
	for _, table := range of {
		if rows(table) == 0 || len(copied.Tables[table]) != rows(table) {
			t.Errorf("%s: %d rows, %d in the export", table, rows(table), len(copied.Tables[table]))
		}
	}
	if len(copied.Tables["season_runs"]) == 0 {
		t.Error("the export holds no runs of the week that was moved")
	}
	must(t, b.Transfer.Erase(ctx, b.owner, runner))
	for end := time.Now().Add(20 * time.Second); rows("bookings")+rows("seasons") > 0 && time.Now().Before(end); {
		time.Sleep(50 * time.Millisecond)
	}
	for _, table := range of {
		if n := rows(table); n != 0 {
			t.Errorf("%s still holds %d rows of who was erased", table, n)
		}
	}
}
