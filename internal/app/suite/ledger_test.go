package suite_test

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"math"
	mrand "math/rand/v2"
	"sync"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/people"
	"trevik/internal/app/runlog"
	"trevik/internal/app/suite"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
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
				switch r.IntN(8) {
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
				case 6:
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
