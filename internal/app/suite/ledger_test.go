package suite_test

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"math"
	mrand "math/rand/v2"
	"slices"
	"sync"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/people"
	"trevik/internal/app/runlog"
	"trevik/internal/app/suite"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/store"
)

// ledger is what a runner ran, told by whoever saw it happen and by nothing of the application.
type ledger struct {
	sync.Mutex
	metres map[string]int64
}

func (l *ledger) ran(what string, km float64) {
	l.Lock()
	defer l.Unlock()
	l.metres[what] = int64(math.Round(1000 * km))
}

func (l *ledger) sum() (sum int64) {
	l.Lock()
	defer l.Unlock()
	for _, m := range l.metres {
		sum += m
	}
	return sum
}

// refused says whether an error is one that a person is told of, and fails on any other.
func refused(t *testing.T, what string, err error) bool {
	t.Helper()
	if _, faulty := fault.As(err); err != nil && !faulty && !errors.Is(err, app.ErrNotFound) && !errors.Is(err, app.ErrBusy) {
		t.Errorf("%s: %v", what, err)
	}
	return err != nil
}

// rows are a runner's runs as they stand in the database, counting or not.
func rows(t *testing.T, s *store.Store, runner uint64) (counting, away []uint64) {
	t.Helper()
	list, err := s.DB.Query("SELECT id, withdrawn_at IS NULL FROM runs WHERE runner_id = ? ORDER BY id", runner)
	must(t, err)
	defer list.Close()
	for list.Next() {
		var id uint64
		var counts bool
		must(t, list.Scan(&id, &counts))
		if counts {
			counting = append(counting, id)
		} else {
			away = append(away, id)
		}
	}
	must(t, list.Err())
	return counting, away
}

// However runs come in, are parted, moved, taken away and given back, by whomever and from how
// many instances at once: what was run stays what was run. Once all is given back that can be, the
// sum is the ledger's to the metre, and the check finds nothing at any time.
func TestKilometresStayUnderConcurrency(t *testing.T) {
	seed := uint64(time.Now().UnixNano())
	t.Logf("seed %d", seed)
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	pairs := []uint64{0, b.owned(t, runner, "norrbeck-skua-4-men", 200), b.owned(t, runner, "norrbeck-skua-3-men", 200)}
	other := suite.New(b.store, func() time.Time { return b.now }, slog.New(slog.DiscardHandler))
	other.Jobs.Start()
	t.Cleanup(other.Jobs.Close)
	secret, err := b.People.NewLink(ctx, b.fitter, people.RunnerLink, runner)
	must(t, err)
	own, _, err := b.People.ByLink(ctx, people.RunnerLink, secret)
	must(t, err)
	files := b.watched(t, seed, 3)
	truth := map[string]float64{} // what each file came to where it was read alone
	alone := newBench(t)
	there := alone.load(t, alone.ready(t)).Runner.ID
	for _, f := range files {
		in := alone.read(t, there, f)
		if len(in.Runs) == 1 {
			truth[f.Name] = in.Runs[0].KM
		}
		must(t, alone.Runs.Drop(ctx, alone.fitter, there, in.Upload.ID))
	}
	told := &ledger{metres: map[string]int64{}}
	var all sync.WaitGroup
	for w, s := range []*suite.Suite{b.Suite, other, b.Suite, other, b.Suite} {
		all.Go(func() {
			r := mrand.New(mrand.NewPCG(seed, uint64(w)))
			who := b.fitter
			if w%2 == 1 {
				who = b.owner
			}
			for n := range 24 {
				counting, away := rows(t, b.store, runner)
				pick := func(list []uint64) uint64 {
					if len(list) == 0 {
						return 999_999
					}
					return list[r.IntN(len(list))]
				}
				switch r.IntN(9) {
				case 0, 1: // a run put down, and sometimes its form sent twice
					km := float64(300+r.IntN(20000)) / 1000
					at := by(who, rand.Text())
					run := runlog.Typed{PairID: pairs[r.IntN(3)], On: b.now.AddDate(0, 0, -30-w).Format(time.DateOnly),
						Start: fmt.Sprintf("%02d:%02d", n, w), KM: &km, Ground: term.GroundRoad, Kind: term.Easy}
					for range 1 + r.IntN(2) {
						if _, err := s.Runs.Add(ctx, at, runner, run); !refused(t, "add", err) {
							told.ran(fmt.Sprintf("%d by hand, by %d", n, w), km)
						}
					}
				case 2: // files over the runner's own page
					list := files[r.IntN(len(files)):]
					list = list[:min(len(list), 1+r.IntN(3))]
					if _, err := s.Runs.PutFiles(ctx, own, runner, list); !refused(t, "files", err) {
						for _, f := range list {
							told.ran(f.Name, truth[f.Name])
						}
					}
				case 3: // files over the shop, put in twice at once
					list := files[r.IntN(len(files)):]
					list = list[:min(len(list), 1+r.IntN(4))]
					id, err := s.Runs.Send(ctx, who, runner, sending(list))
					if refused(t, "send", err) {
						continue
					}
					var twice sync.WaitGroup
					for range 2 {
						twice.Go(func() {
							if _, err := s.Runs.PutIn(ctx, who, runner, id, true); !refused(t, "put in", err) {
								for _, f := range list {
									told.ran(f.Name, truth[f.Name])
								}
							}
						})
					}
					twice.Wait()
				case 4:
					refused(t, "split", s.Runs.Split(ctx, who, runner, pick(counting), 0.1+5*r.Float64(), pairs[r.IntN(3)], term.Intervals))
				case 5:
					refused(t, "move", s.Runs.Move(ctx, who, runner, []uint64{pick(counting), pick(counting)}, pairs[r.IntN(3)]))
				case 6: // put right, as long as it was
					id := pick(counting)
					var on time.Time
					var km float64
					err := b.store.DB.QueryRow("SELECT run_on, CAST(km AS DOUBLE) FROM runs WHERE id = ?", id).Scan(&on, &km)
					if err != nil {
						continue // there was none to pick
					}
					_, err = s.Runs.Mend(ctx, who, runner, id, runlog.Typed{PairID: pairs[r.IntN(3)], On: on.Format(time.DateOnly), KM: &km,
						Start: fmt.Sprintf("%02d:%02d", r.IntN(24), r.IntN(60)), Ground: term.GroundTrail, Kind: term.Long})
					refused(t, "mend", err)
				case 7:
					refused(t, "withdraw", s.Runs.Withdraw(ctx, who, runner, pick(counting)))
				default:
					refused(t, "restore", s.Runs.Restore(ctx, who, runner, pick(away)))
				}
				if n%8 == 0 {
					_, drifts, err := s.Runs.Check(ctx, who.ShopID)
					if err != nil || len(drifts) > 0 {
						t.Errorf("in between: %v %v", drifts, err)
					}
				}
			}
		})
	}
	all.Wait()
	for range 10 { // a part comes back only once its whole is gone, and the other way round
		_, away := rows(t, b.store, runner)
		for _, id := range away {
			refused(t, "the end", b.Runs.Restore(ctx, b.fitter, runner, id))
		}
	}
	b.sums(t)
	var metres int64
	for _, x := range b.load(t, fit).Runner.AllRuns() {
		metres += int64(math.Round(1000 * x.KM))
	}
	if len(told.metres) < 20 {
		t.Errorf("only %d runs were run: %d m", len(told.metres), told.sum())
	}
	if metres != told.sum() {
		t.Errorf("%d m count, %d m were run", metres, told.sum())
	}
}

// The check finds what it is there for: rows that were put in behind the application's back.
func TestCheckFindsDrift(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	runner := b.load(t, b.ready(t)).Runner.ID
	pair := b.owned(t, runner, "norrbeck-skua-4-men", 200)
	run, err := b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{PairID: pair, On: "2026-11-20", Start: "07:00", KM: ptr(10.0),
		Ground: term.GroundRoad, Kind: term.Easy})
	must(t, err)
	must(t, b.Runs.Split(ctx, b.fitter, runner, run, 3, pair, term.Intervals))
	b.sums(t)
	for name, do := range map[string]string{
		"a whole beside its parts": fmt.Sprintf("UPDATE runs SET withdrawn_at = NULL, withdrawn_by = NULL WHERE id = %d", run),
		"parts that grew":          "UPDATE runs SET km = km + 1 WHERE split_from IS NOT NULL ORDER BY id LIMIT 1",
		"a run twice": "INSERT INTO runs (shop_id, runner_id, pair_id, run_on, km, ground, kind, wet, started_at, how, made_by, " +
			"made_at) SELECT shop_id, runner_id, pair_id, '2026-11-21', 8, ground, kind, wet, '2026-11-21 06:00:00', how, made_by, made_at FROM " +
			"runs, (SELECT 1 UNION SELECT 2) n WHERE id = " + fmt.Sprint(run),
	} {
		_, err := b.store.DB.Exec("CREATE TABLE IF NOT EXISTS runs_kept AS SELECT * FROM runs")
		must(t, err)
		_, err = b.store.DB.Exec(do)
		must(t, err)
		if _, drifts, err := b.Runs.Check(ctx, b.fitter.ShopID); err != nil || len(drifts) == 0 {
			t.Errorf("%s: %v %v", name, drifts, err)
		}
		for _, back := range []string{"SET FOREIGN_KEY_CHECKS = 0", "DELETE FROM runs", "INSERT INTO runs SELECT * FROM runs_kept",
			"SET FOREIGN_KEY_CHECKS = 1"} {
			if _, err := b.store.DB.Exec(back); err != nil {
				t.Fatalf("%s: %v", back, err)
			}
		}
		b.sums(t)
	}
}

// A run is parted, put together, and parted otherwise: a part of the first parting does not come
// back beside those of the second.
func TestPartsOfTwoPartings(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	run, err := b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{On: "2026-11-20", Start: "07:00", KM: ptr(8.0), Ground: term.GroundRoad,
		Kind: term.Easy})
	must(t, err)
	must(t, b.Runs.Split(ctx, b.fitter, runner, run, 3, 0, term.Intervals))
	first, _ := rows(t, b.store, runner)
	must(t, b.Runs.Restore(ctx, b.fitter, runner, run))
	must(t, b.Runs.Split(ctx, b.fitter, runner, run, 2, 0, term.Intervals))
	faultAt(t, b.Runs.Restore(ctx, b.fitter, runner, first[0]), "run", "other parts count by now")
	b.sums(t)
	second, _ := rows(t, b.store, runner)
	must(t, b.Runs.Withdraw(ctx, b.fitter, runner, second[0]))
	must(t, b.Runs.Restore(ctx, b.fitter, runner, second[0]))
	b.sums(t)
}

// A run is put right: what was typed counts and the run as it was does not; it comes back whole, and its
// file, as it was or as it is, is known when it comes again. What cannot be says so at its field.
func TestMend(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	one, two := b.owned(t, runner, "norrbeck-skua-4-men", 200), b.owned(t, runner, "norrbeck-skua-3-men", 10)
	typed := runlog.Typed{PairID: one, On: "2026-11-01", Start: "07:30", KM: ptr(8.0), Ground: term.GroundRoad, Kind: term.Easy}
	run, err := b.Runs.Add(ctx, b.fitter, runner, typed)
	must(t, err)
	now := func() (ids []uint64, km float64) {
		for _, x := range b.load(t, fit).Runner.AllRuns() {
			ids, km = append(ids, x.ID), km+x.KM
		}
		return ids, km
	}
	for field, change := range map[string]func(*runlog.Typed){
		"mend_km": func(x *runlog.Typed) { x.KM = ptr(0.0) }, "mend_on": func(x *runlog.Typed) { x.On = "2027-01-01" },
		"mend_start": func(x *runlog.Typed) { x.Start = "late" }, "mend_kind": func(x *runlog.Typed) { x.Kind = "" },
		"mend_pair": func(x *runlog.Typed) { x.PairID = 9999 },
	} {
		x := typed
		change(&x)
		_, err := b.Runs.Mend(ctx, b.fitter, runner, run, x)
		if l, ok := fault.As(err); !ok || l[0].Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
	early := typed
	early.PairID = two
	_, err = b.Runs.Mend(ctx, b.fitter, runner, run, early)
	faultAt(t, err, "mend_on", "before the pair was the runner's")
	if _, err := b.Runs.Mend(ctx, b.other, runner, run, typed); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("another shop's run: %v", err)
	}
	if same, err := b.Runs.Mend(ctx, b.fitter, runner, run, typed); err != nil || same != run {
		t.Errorf("nothing was changed: %d, %v", same, err)
	}
	longer := typed
	longer.KM, longer.Kind, longer.PairID = ptr(11.0), term.Long, 0
	mended, err := b.Runs.Mend(ctx, b.fitter, runner, run, longer)
	must(t, err)
	if ids, km := now(); len(ids) != 1 || ids[0] != mended || km != 11 {
		t.Errorf("runs %v, %g km", ids, km)
	}
	b.sums(t)
	// No rule puts back what a person took out of its pair.
	must(t, b.Runs.AddRule(ctx, b.fitter, runner, record.Rule{PairID: one}))
	if loose := b.load(t, fit).Runner.Loose; len(loose) != 1 {
		t.Errorf("%d runs without a pair", len(loose))
	}
	// Parted and put together again, it is as long as it was mended to be.
	must(t, b.Runs.Split(ctx, b.fitter, runner, mended, 4, one, term.Easy))
	b.sums(t)
	parts, _ := now()
	must(t, b.Runs.Withdraw(ctx, b.fitter, runner, parts[0]))
	must(t, b.Runs.Restore(ctx, b.fitter, runner, parts[0]))
	if _, km := now(); km != 11 {
		t.Errorf("in parts %g km", km)
	}
	must(t, b.Runs.Restore(ctx, b.fitter, runner, run))
	if ids, km := now(); len(ids) != 1 || ids[0] != run || km != 8 {
		t.Errorf("as it was: %v, %g km", ids, km)
	}
	b.sums(t)
}

// Two runs of a day that are nearly as long are asked about until a person says that they are two, or takes
// one away; parts of one run, another hour and another length are not.
func TestLookAlikes(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	b.owned(t, runner, "norrbeck-skua-4-men", 200)
	add := func(day, start string, km float64) uint64 {
		t.Helper()
		id, err := b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{On: day, Start: start, KM: &km, Ground: term.GroundRoad, Kind: term.Easy})
		must(t, err)
		return id
	}
	asked := func() (out [][2]uint64) {
		for _, x := range b.load(t, fit).Runner.LookAlikes() {
			out = append(out, [2]uint64{x.First.ID, x.Second.ID})
		}
		return out
	}
	first, second := add("2026-11-02", "", 10), add("2026-11-02", "07:00", 10.25)
	add("2026-11-03", "07:00", 10)
	add("2026-11-03", "18:00", 10)
	add("2026-11-04", "", 10)
	add("2026-11-04", "", 10.4)
	whole := add("2026-11-05", "", 12)
	must(t, b.Runs.Split(ctx, b.fitter, runner, whole, 6, 0, term.Intervals))
	if got := asked(); len(got) != 1 || got[0] != [2]uint64{first, second} {
		t.Fatalf("asked about %v", got)
	}
	must(t, b.Runs.Withdraw(ctx, b.fitter, runner, second))
	if len(asked()) != 0 {
		t.Error("one is gone, and it is asked about")
	}
	must(t, b.Runs.Restore(ctx, b.fitter, runner, second))
	must(t, b.Runs.SayApart(ctx, b.fitter, runner, second))
	if len(asked()) != 0 {
		t.Error("they are two, and it is asked about")
	}
	if err := b.Runs.SayApart(ctx, b.other, runner, first); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("another shop's run: %v", err)
	}
}

// Runs without a pair go to the only pair of their day, in the past too; with two pairs they wait.
func TestTheOnlyPair(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	add := func(day string) {
		t.Helper()
		_, err := b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{On: day, KM: ptr(9.0), Ground: term.GroundRoad, Kind: term.Easy})
		must(t, err)
	}
	add("2026-11-10") // before there was any
	one := b.owned(t, runner, "norrbeck-skua-4-men", 20)
	in := func(pair uint64) int { return len(b.load(t, fit).Runner.Pair(pair).Runs) }
	if in(one) != 1 {
		t.Fatalf("%d runs of the past are in the only pair", in(one))
	}
	add("2026-11-12")
	two := b.owned(t, runner, "norrbeck-skua-3-men", 8)
	add("2026-11-13") // the second came later
	add("2026-11-20")
	if in(one) != 3 || in(two) != 0 || len(b.load(t, fit).Runner.Loose) != 1 {
		t.Errorf("%d and %d, %d loose", in(one), in(two), len(b.load(t, fit).Runner.Loose))
	}
}

// A pair is put right, deleted and brought back with its runs; what cannot be says so at its field.
func TestPairPutRightAndTakenAway(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	pair := b.owned(t, runner, "norrbeck-skua-4-men", 30)
	other := b.owned(t, runner, "norrbeck-skua-3-men", 30)
	for day := 2; day < 6; day++ {
		_, err := b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{PairID: pair, On: b.now.AddDate(0, 0, -day).Format(time.DateOnly), KM: ptr(7.0),
			Ground: term.GroundRoad, Kind: term.Easy})
		must(t, err)
	}
	day := func(ago int) string { return b.now.AddDate(0, 0, -ago).Format(time.DateOnly) }
	good := wardrobe.Facts{UK: 8.5, Width: "E", Price: 9900, Since: day(40), Worn: day(20)}
	for field, change := range map[string]func(*wardrobe.Facts){
		"fact_uk": func(f *wardrobe.Facts) { f.UK = 8.3 }, "fact_width": func(f *wardrobe.Facts) { f.Width = "Q" },
		"fact_price": func(f *wardrobe.Facts) { f.Price = -1 }, "fact_since": func(f *wardrobe.Facts) { f.Since = day(3) },
		"fact_worn": func(f *wardrobe.Facts) { f.Worn = day(50) },
	} {
		x := good
		change(&x)
		l, _ := fault.As(b.Wardrobe.PutRight(ctx, b.fitter, runner, pair, x))
		if !slices.ContainsFunc(l, func(f fault.Fault) bool { return f.Field == field }) {
			t.Errorf("%s: %v", field, l)
		}
	}
	must(t, b.Wardrobe.PutRight(ctx, b.fitter, runner, pair, good))
	p := b.load(t, fit).Runner.Pair(pair)
	if p.Size != 8.5 || p.Width != "E" || p.Price != 9900 || p.BoughtOn.Format(time.DateOnly) != day(40) ||
		p.FirstWorn.Format(time.DateOnly) != day(20) {
		t.Errorf("%+v", p)
	}
	must(t, b.Wardrobe.TakeAway(ctx, b.fitter, runner, pair))
	r := b.load(t, fit).Runner
	if r.Pair(pair) != nil || len(r.Loose) != 4 {
		t.Fatalf("deleted, %d runs are loose", len(r.Loose))
	}
	b.sums(t)
	must(t, b.Runs.Move(ctx, b.fitter, runner, []uint64{r.Loose[0].ID}, other))
	must(t, b.Wardrobe.PutBack(ctx, b.fitter, runner, pair))
	r = b.load(t, fit).Runner
	if len(r.Pair(pair).Runs) != 3 || len(r.Pair(other).Runs) != 1 || len(r.Loose) != 0 {
		t.Errorf("back with %d runs, %d moved meanwhile, %d loose", len(r.Pair(pair).Runs), len(r.Pair(other).Runs), len(r.Loose))
	}
	if err := b.Wardrobe.PutBack(ctx, b.fitter, runner, pair); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("back a second time: %v", err)
	}
	sold, err := b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: "norrbeck-skua-4-men"})
	must(t, err)
	faultAt(t, b.Wardrobe.TakeAway(ctx, b.fitter, runner, sold), "pair", "was sold here")
	for name, err := range map[string]error{
		"put right": b.Wardrobe.PutRight(ctx, b.other, runner, pair, good), "take away": b.Wardrobe.TakeAway(ctx, b.other, runner, pair),
	} {
		if !errors.Is(err, app.ErrNotFound) {
			t.Errorf("%s of another shop: %v", name, err)
		}
	}
}

// What a runner says on their own page waits to be answered, each thing by itself.
func TestSaidIsAnswered(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	pair := b.owned(t, runner, "norrbeck-skua-4-men", 30)
	secret, err := b.People.NewLink(ctx, b.fitter, people.RunnerLink, runner)
	must(t, err)
	own, _, err := b.People.ByLink(ctx, people.RunnerLink, secret)
	must(t, err)
	said := func() map[string]uint64 {
		out := map[string]uint64{}
		r := b.load(t, fit).Runner
		for _, x := range r.Said(r.Pair(pair)) {
			out[x.Kind] = x.ID
		}
		return out
	}
	must(t, b.Wardrobe.AddReport(ctx, own, runner, pair, ptr(9.0), "")) // asks for nothing
	must(t, b.Wardrobe.AddLook(ctx, own, runner, pair, wardrobe.NewLook{Grades: map[string]map[term.Side]string{"tread": {term.Left: "1"}}}))
	must(t, b.Wardrobe.AddLook(ctx, b.fitter, runner, pair, wardrobe.NewLook{Faults: []string{"upper_hole"}}))
	if got := said(); len(got) != 0 {
		t.Errorf("nothing of it asks: %v", got)
	}
	must(t, b.Wardrobe.AddReport(ctx, own, runner, pair, ptr(2.0), "the heel"))
	must(t, b.Wardrobe.AddLook(ctx, own, runner, pair, wardrobe.NewLook{Faults: []string{"upper_hole"}}))
	must(t, b.Wardrobe.AddRub(ctx, own, runner, record.RubReport{PairID: pair, Place: "heel", Side: term.Left, When: "downhill"}))
	got := said()
	if len(got) != 3 {
		t.Fatalf("%v", got)
	}
	lines, err := b.load(t, fit).Due()
	must(t, err)
	ids := map[string]bool{}
	for _, d := range lines {
		if ids[d.ID()] {
			t.Errorf("two lines are %s", d.ID())
		}
		ids[d.ID()] = true
	}
	for kind, id := range got {
		if err := b.Wardrobe.Answered(ctx, b.other, runner, kind, id); !errors.Is(err, app.ErrNotFound) {
			t.Errorf("another shop answers: %v", err)
		}
		must(t, b.Wardrobe.Answered(ctx, b.fitter, runner, kind, id))
		if _, still := said()[kind]; still {
			t.Errorf("%s was answered and still asks", kind)
		}
		if err := b.Wardrobe.Answered(ctx, b.fitter, runner, kind, id); !errors.Is(err, app.ErrNotFound) {
			t.Errorf("answered twice: %v", err)
		}
	}
}
