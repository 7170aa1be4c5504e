package suite_test

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/due"
	"trevik/internal/app/wardrobe"
	"trevik/internal/record"
)

// taught is a shop of so many runners with a pair each that wore out after so many km.
func (b *bench) taught(t testing.TB, runners int, km float64) (ids []uint64) {
	t.Helper()
	ctx := context.Background()
	for i := range runners {
		fit := b.ready(t)
		runner := b.load(t, fit).Runner.ID
		pair := b.owned(t, runner, "norrbeck-skua-4-men", 150)
		b.ran(t, runner, pair, km+float64(10*i))
		must(t, b.Wardrobe.SetAside(ctx, b.fitter, runner, pair, record.WornOut, ""))
		ids = append(ids, runner)
	}
	return ids
}

func (b *bench) learn(t *testing.T) *record.Lesson {
	t.Helper()
	_, err := b.Lessons.Refit(context.Background(), b.fitter.ShopID, func(int, int) {})
	must(t, err)
	last, _, err := b.Lessons.Latest(context.Background(), b.fitter)
	must(t, err)
	return last
}

// A shop learns from its own pairs, of nobody else's and of no practice; what it learned stands in the forecast of the next pair;
// nothing names a runner; the house's figures can be chosen again; what was learned before stays.
func TestLessons(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	if none := b.learn(t); none.Life.Pairs != 0 || none.Life.Ended != 0 {
		t.Errorf("of no pair: %+v", none.Life)
	}
	closed := b.ready(t)
	must(t, b.Visits.Close(ctx, b.fitter, closed))
	b.now = b.now.Add(time.Minute)
	ids := b.taught(t, 6, 900) // far longer than the house says
	_, err := b.Practice.Start(ctx, b.fitter)
	must(t, err)
	l := b.learn(t)
	if l.Life.Pairs != 6 || l.Life.Ended != 6 || len(l.Life.Runners) != 0 || l.Runners["norrbeck-skua-4-men"] != 6 {
		t.Fatalf("%+v of %v", l.Life, l.Runners)
	}
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	b.owned(t, runner, "norrbeck-skua-4-men", 10)
	life := func() (float64, string) {
		c, err := b.Visits.OfRunner(ctx, b.fitter, runner)
		must(t, err)
		worn, err := c.Worn()
		must(t, err)
		return worn[0].Wear.LifeKM.P50, strings.Join(worn[0].Wear.Why, " ")
	}
	ours, why := life()
	if !strings.Contains(why, "from 6 pairs of ours") {
		t.Errorf("%q", why)
	}
	must(t, b.People.ChangeSettings(ctx, b.owner, map[string]string{record.LearnedLives: record.HouseLives}))
	house, why := life()
	if ours <= house || strings.Contains(why, "of ours") {
		t.Errorf("ours %.0f km, the house's %.0f; %q", ours, house, why)
	}
	must(t, b.People.ChangeSettings(ctx, b.owner, map[string]string{record.LearnedLives: record.OursFromFive}))
	if again, _ := life(); again != ours {
		t.Errorf("chosen again: %.1f, not %.1f", again, ours)
	}
	// A fit that was closed before keeps the life that it was ranked by; an open one goes by ours.
	ranked := func(fit uint64) float64 {
		answer, ok, err := b.load(t, fit).Match()
		must(t, err)
		if !ok {
			t.Fatal("nothing is ranked")
		}
		for _, r := range answer.Ranked {
			if r.Model == "norrbeck-skua-4-men" {
				return r.LifeKM
			}
		}
		t.Fatal("it is not ranked")
		return 0
	}
	if at := ranked(closed); at >= ranked(fit) {
		t.Errorf("the fit that was closed before is ranked by %.0f km", at)
	}
	// The same again is no new lesson; on another day it is.
	if kept, err := b.Lessons.Refit(ctx, b.fitter.ShopID, func(int, int) {}); err != nil || !kept {
		t.Errorf("a pair more was nothing new: %v", err)
	}
	if kept, err := b.Lessons.Refit(ctx, b.fitter.ShopID, func(int, int) {}); err != nil || kept {
		t.Errorf("the same on the same day was kept: %v", err)
	}
	b.now = b.now.AddDate(0, 0, 1)
	b.learn(t)
	last, before, err := b.Lessons.Latest(ctx, b.fitter)
	must(t, err)
	if before == nil || !last.Day.After(before.Day) {
		t.Errorf("%v, before it %v", last, before)
	}
	// The other shop learned nothing of it.
	if other, _, err := b.Lessons.Latest(ctx, b.other); err != nil || other != nil {
		t.Errorf("another shop: %+v, %v", other, err)
	}
	// Who is erased leaves counts of earlier days alone.
	must(t, b.Transfer.Erase(ctx, b.owner, ids[0]))
	if l = b.learn(t); l.Life.Ended != 5 {
		t.Errorf("after one was erased %d worn out", l.Life.Ended)
	}
	var stored string
	must(t, b.store.DB.QueryRow("SELECT GROUP_CONCAT(CONCAT(life, liking, runners)) FROM lessons").Scan(&stored))
	if strings.Contains(stored, "Anselm") || strings.Contains(stored, `"runner":`) {
		t.Error("a lesson names a runner")
	}
	if err := b.Lessons.Ask(ctx, b.trainee); !errors.Is(err, app.ErrNotAllowed) {
		t.Errorf("a trainee asks: %v", err)
	}
}

// A fit that is closed keeps the weights that it was made under; an open one goes by what is chosen now; try-ons of two pairs or
// more are learned from, with what was chosen.
func TestLessonsWeights(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	ranked, ok, err := b.load(t, fit).Match()
	must(t, err)
	if !ok || len(ranked.Ranked) < 2 {
		t.Fatal("nothing is ranked")
	}
	c := b.load(t, fit)
	for i, r := range ranked.Ranked[:2] {
		b.typed(t, b.fitter, fit, "try-on", fmt.Sprintf("try_comfort.%d=%d", c.Shop.Catalogue.RowID(r.Model), 5+3*i))
	}
	_, err = b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: ranked.Ranked[1].Model})
	must(t, err)
	l := b.learn(t)
	if l.Liking.TryOns != 1 || l.Liking.WithTwo != 1 || l.Liking.Hits.House.OfFirst != 1 || len(l.Liking.Weights) == 0 {
		t.Fatalf("%+v", l.Liking)
	}
	sum := 0.0
	for _, w := range l.Liking.Weights {
		sum += w.Learned
	}
	if sum < 0.999 || sum > 1.001 {
		t.Errorf("the weights come to %g", sum)
	}
	must(t, b.Visits.Close(ctx, b.fitter, fit))
	b.now = b.now.Add(time.Hour)
	must(t, b.People.ChangeSettings(ctx, b.owner, map[string]string{record.LearnedWeights: record.OurWeights}))
	if s := b.load(t, fit).Settings; s.Weights != nil {
		t.Error("the closed fit goes by weights that were chosen later")
	}
	open := b.ready(t)
	s := b.load(t, open).Settings
	if len(s.Weights) != len(l.Liking.Weights) {
		t.Errorf("an open fit goes by %v", s.Weights)
	}
	basis, err := json.Marshal(record.Basis{Settings: s})
	must(t, err)
	if !strings.Contains(string(basis), `"weights"`) {
		t.Error("what a choice is made under does not hold the weights")
	}
}

// What recurs in a model is told from five runners on, beside the version before it where enough told of that; fewer are told of
// nobody.
func TestRecurring(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	rub := func(code string, runners, rubbed int) {
		t.Helper()
		for i := range runners {
			fit := b.start(t)
			runner := b.load(t, fit).Runner.ID
			pair := b.owned(t, runner, code, 60)
			if i < rubbed {
				for range 2 { // told twice it is one runner still
					_, err := b.store.DB.Exec(`INSERT INTO rubs (shop_id, pair_id, side, place, comes, cause, tried, referred, by_runner, made_by,
						made_at) VALUES (?, ?, '', 'heel', '', '', '', FALSE, FALSE, ?, NOW())`, b.fitter.ShopID, pair, b.fitter.UserID)
					must(t, err)
				}
			}
		}
	}
	rub("norrbeck-skua-4-men", 8, 4)
	if list, err := b.Lessons.Recurring(ctx, b.fitter); err != nil || len(list) != 0 {
		t.Errorf("four runners told it, and it is shown: %+v, %v", list, err)
	}
	rub("norrbeck-skua-4-men", 4, 1)
	list, err := b.Lessons.Recurring(ctx, b.fitter)
	must(t, err)
	if len(list) != 1 || list[0].Told != 5 || list[0].Of != 12 || list[0].What != "rubs at the heel" || list[0].Before != nil ||
		list[0].Cured() != "" {
		t.Fatalf("%+v", list)
	}
	rub("norrbeck-skua-3-men", 6, 6)
	list, err = b.Lessons.Recurring(ctx, b.fitter)
	must(t, err)
	if len(list) != 2 || list[0].Told != 6 || list[1].Before == nil || list[1].Before.Told != 6 ||
		list[1].Cured() != "better than the version before" {
		t.Errorf("%+v", list)
	}
	if other, err := b.Lessons.Recurring(ctx, b.other); err != nil || len(other) != 0 {
		t.Errorf("another shop: %+v, %v", other, err)
	}
}

// The day on which a pair's next one is first due is kept once, with until when it was said to last; a lesson holds what came of it,
// and of the room that was told of what was tried.
func TestLessonsPromises(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	pair := b.owned(t, runner, "norrbeck-skua-4-men", 150)
	b.ran(t, runner, pair, 620)
	told := func() (on, until sql.NullTime) {
		_, _, err := b.Due.Ending(ctx, b.fitter, due.Page(1))
		must(t, err)
		must(t, b.store.DB.QueryRow("SELECT order_told_on, lasts_until FROM pairs WHERE id = ?", pair).Scan(&on, &until))
		return on, until
	}
	on, until := told()
	if !on.Valid || !until.Valid || !until.Time.After(on.Time) {
		t.Fatalf("told on %v, until %v", on, until)
	}
	b.now = b.now.AddDate(0, 0, 1)
	if again, same := told(); again != on || same != until {
		t.Errorf("told again on %v, until %v", again, same)
	}
	c := b.load(t, fit)
	ranked, _, err := c.Match()
	must(t, err)
	b.typed(t, b.fitter, fit, "try-on", fmt.Sprintf("try_room.%d=right", c.Shop.Catalogue.RowID(ranked.Ranked[0].Model)))
	if l := b.learn(t); len(l.Promises) != 0 {
		t.Errorf("of one runner it tells %+v", l.Promises)
	}
	must(t, b.store.Multiply(ctx, 4))
	if l := b.learn(t); l.Promises[record.OrderPromise].N != 0 || l.Promises[record.RoomPromise].N != 5 {
		t.Errorf("before the day: %+v", l.Promises)
	}
	b.now = until.Time.AddDate(0, 0, 1).Add(12 * time.Hour)
	if k := b.learn(t).Promises[record.OrderPromise]; k.N != 5 || k.By[0].Kept != 1 || k.By[0].Told != record.LastsChance {
		t.Errorf("in use past the day: %+v", k)
	}
	must(t, b.Wardrobe.SetAside(ctx, b.fitter, runner, pair, record.WornOut, ""))
	if k := b.learn(t).Promises[record.OrderPromise]; k.N != 5 || k.By[0].Kept != 1 {
		t.Errorf("worn out after the day: %+v", k)
	}
}

// More of every runner are runners of their own: what was theirs goes along, what follows from it is the same, sums agree.
func TestMultiply(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	pair := b.owned(t, runner, "norrbeck-skua-4-men", 100)
	b.ran(t, runner, pair, 300)
	b.start(t)
	count := func(table string) (n int) {
		must(t, b.store.DB.QueryRow("SELECT COUNT(*) FROM "+table).Scan(&n))
		return n
	}
	tables := []string{"runners", "fits", "findings", "pairs", "runs"}
	before := map[string]int{}
	for _, name := range tables {
		before[name] = count(name)
	}
	must(t, b.store.Multiply(ctx, 3))
	for _, name := range tables {
		if n := count(name); n != 4*before[name] {
			t.Errorf("%s: %d, before %d", name, n, before[name])
		}
	}
	rows, err := b.store.DB.Query("SELECT runner_id FROM pairs WHERE id <> ?", pair)
	must(t, err)
	defer rows.Close()
	want, err := b.load(t, fit).Worn()
	must(t, err)
	others := 0
	for rows.Next() {
		var other uint64
		must(t, rows.Scan(&other))
		c, err := b.Visits.OfRunner(ctx, b.fitter, other)
		must(t, err)
		worn, err := c.Worn()
		must(t, err)
		if len(worn) != 1 || worn[0].Wear.KM != want[0].Wear.KM || worn[0].Wear.LnLife != want[0].Wear.LnLife || other == runner {
			t.Errorf("runner %d: %+v, not %+v", other, worn, want)
		}
		others++
	}
	must(t, rows.Err())
	if others != 3 {
		t.Errorf("%d others", others)
	}
}

// A shop of 10,000 pairs and 5,000 try-ons learns anew, read from its database.
func BenchmarkRefitOfShop(b *testing.B) {
	s := newBench(b)
	ctx := context.Background()
	s.taught(b, 2, 600)
	for range 2 {
		fit := s.ready(b)
		c := s.load(b, fit)
		s.owned(b, c.Runner.ID, "norrbeck-skua-4-men", 60)
		ranked, _, err := c.Match()
		must(b, err)
		for i, r := range ranked.Ranked[:2] {
			s.typed(b, s.fitter, fit, "try-on", fmt.Sprintf("try_comfort.%d=%d", c.Shop.Catalogue.RowID(r.Model), 5+3*i))
		}
	}
	must(b, s.store.Multiply(ctx, 2499))
	for b.Loop() {
		_, err := s.Lessons.Refit(ctx, s.fitter.ShopID, func(int, int) {})
		must(b, err)
	}
	last, _, err := s.Lessons.Latest(ctx, s.fitter)
	must(b, err)
	b.ReportMetric(float64(last.Life.Pairs), "pairs")
	b.ReportMetric(float64(last.Liking.TryOns), "try-ons")
}
