package jobs_test

import (
	"context"
	"database/sql/driver"
	"encoding/json"
	"errors"
	"log/slog"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"trevik/internal/jobs"
	"trevik/internal/store"
	"trevik/internal/store/db"
	"trevik/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

func must(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// queue is an instance that does one kind of work.
func queue(t *testing.T, s *store.Store, k jobs.Kind) *jobs.Queue {
	t.Helper()
	q := jobs.New(s, slog.New(slog.DiscardHandler))
	q.Register(k)
	q.Start()
	t.Cleanup(q.Close)
	return q
}

func add(t *testing.T, s *store.Store, kind, subject string, args any) {
	t.Helper()
	must(t, jobs.Add(context.Background(), s.Queries, jobs.Job{Kind: kind, Subject: subject}, args))
}

// until waits for a job to stand so.
func until(t *testing.T, s *store.Store, kind, subject string, so func(jobs.State) bool) jobs.State {
	t.Helper()
	var st jobs.State
	for range 3000 {
		var err error
		st, err = jobs.Of(context.Background(), s.Queries, kind, subject)
		must(t, err)
		if so(st) {
			return st
		}
		time.Sleep(10 * time.Millisecond)
	}
	t.Fatalf("%s %s stays %+v", kind, subject, st)
	return st
}

func ended(st jobs.State) bool { return !st.Live }

// Two instances share the work: what each job writes with its end stands once, and one of a subject
// is under way at a time.
func TestEachIsDoneOnce(t *testing.T) {
	s := storetest.New(t)
	words := []string{"a", "b", "c", "d", "e", "f", "g", "h"}
	k := jobs.Kind{Name: "write", AtOnce: 4, Do: func(ctx context.Context, j *jobs.Job, tell func(int, int)) error {
		var word string
		if err := json.Unmarshal(j.Args, &word); err != nil {
			return err
		}
		tell(1, 2)
		err := s.Tx(ctx, func(q *db.Queries) error {
			if _, err := q.AddShop(ctx, db.AddShopParams{Name: word, Currency: "EUR", CreatedAt: time.Now()}); err != nil {
				return err
			}
			return j.End(ctx, q)
		})
		if err == nil {
			j.Ended()
		}
		return err
	}}
	for _, word := range words {
		add(t, s, "write", word, word)
		add(t, s, "write", word, word) // one of a subject is under way: the second is the first
	}
	queue(t, s, k)
	queue(t, s, k)
	for _, word := range words {
		if st := until(t, s, "write", word, ended); st.Failed {
			t.Errorf("%s: %+v", word, st)
		}
		var n int
		must(t, s.DB.QueryRow("SELECT COUNT(*) FROM shops WHERE name = ?", word).Scan(&n))
		if n != 1 {
			t.Errorf("what %s writes stands %d times", word, n)
		}
	}
}

// What fails is tried again; what panics, or says that it is final, has failed at once and says
// why, and the instance goes on with other work.
func TestFailing(t *testing.T) {
	s := storetest.New(t)
	var tries atomic.Int64
	var given atomic.Int64
	queue(t, s, jobs.Kind{Name: "fail", AtOnce: 2, Tries: 2, GivenUp: func(context.Context, *jobs.Job, error) { given.Add(1) },
		Do: func(_ context.Context, j *jobs.Job, _ func(int, int)) error {
			switch j.Subject {
			case "panics":
				var m map[string]int
				m["x"]++
			case "final":
				return jobs.Final{Err: errors.New("no such film")}
			case "twice":
				if tries.Add(1) < 2 {
					return errors.New("not yet")
				}
			}
			return nil
		}})
	for _, subject := range []string{"panics", "final", "twice", "fine"} {
		add(t, s, "fail", subject, nil)
	}
	if st := until(t, s, "fail", "panics", ended); !st.Failed || !strings.Contains(st.Note, "nil map") {
		t.Errorf("%+v", st)
	}
	if st := until(t, s, "fail", "final", ended); !st.Failed || st.Note != "no such film" {
		t.Errorf("%+v", st)
	}
	if st := until(t, s, "fail", "twice", ended); st.Failed || tries.Load() != 2 {
		t.Errorf("%+v after %d tries", st, tries.Load())
	}
	if st := until(t, s, "fail", "fine", ended); st.Failed {
		t.Errorf("%+v", st)
	}
	if given.Load() != 2 {
		t.Errorf("%d were given up", given.Load())
	}
	if h, err := jobs.Look(context.Background(), s.Queries); err != nil || h.Failed != 2 || h.Stuck() {
		t.Errorf("%+v %v", h, err)
	}
}

// An instance that stops lets its work go, and the next start takes it up; one that dies is
// found out by its silence; what is begun too often is given up, so that what ends the program
// is not met again at each start.
func TestRestart(t *testing.T) {
	s := storetest.New(t)
	begun := make(chan struct{})
	first := jobs.New(s, slog.New(slog.DiscardHandler))
	first.Register(jobs.Kind{Name: "long", Do: func(ctx context.Context, _ *jobs.Job, _ func(int, int)) error {
		close(begun)
		<-ctx.Done()
		return ctx.Err()
	}})
	add(t, s, "long", "stopped", nil)
	first.Start()
	<-begun
	first.Close()
	// However often it is stopped in order, it goes on.
	for range 4 {
		again := make(chan struct{})
		next := jobs.New(s, slog.New(slog.DiscardHandler))
		next.Register(jobs.Kind{Name: "long", Do: func(ctx context.Context, _ *jobs.Job, _ func(int, int)) error {
			close(again)
			<-ctx.Done()
			return ctx.Err()
		}})
		next.Start()
		<-again
		next.Close()
	}
	if st := until(t, s, "long", "stopped", func(jobs.State) bool { return true }); !st.Live || st.Failed {
		t.Fatalf("%+v", st)
	}
	// Dead without a word: it runs for a worker that is silent.
	add(t, s, "long", "dead", nil)
	add(t, s, "long", "deadly", nil)
	if _, err := s.DB.Exec("UPDATE jobs SET state = 'running', worker = 'gone', tries = 1, deaths = IF(subject = 'deadly', 8, 3), beat_at = " +
		"UTC_TIMESTAMP(6) - INTERVAL 1 MINUTE WHERE subject IN ('dead', 'deadly')"); err != nil {
		t.Fatal(err)
	}
	if h, err := jobs.Look(context.Background(), s.Queries); err != nil || h.Silent != 2 || !h.Stuck() {
		t.Errorf("%+v %v", h, err)
	}
	queue(t, s, jobs.Kind{Name: "long", AtOnce: 3, Do: func(context.Context, *jobs.Job, func(int, int)) error { return nil }})
	for _, subject := range []string{"stopped", "dead"} {
		if st := until(t, s, "long", subject, ended); st.Failed {
			t.Errorf("%s: %+v", subject, st)
		}
	}
	if st := until(t, s, "long", "deadly", ended); !st.Failed || !strings.Contains(st.Note, "too often") {
		t.Errorf("%+v", st)
	}
}

// What is cancelled stops where it is, and its transaction does not stand.
func TestCancel(t *testing.T) {
	s := storetest.New(t)
	ctx := context.Background()
	begun, wrong := make(chan struct{}), make(chan error, 1)
	queue(t, s, jobs.Kind{Name: "write", Do: func(work context.Context, j *jobs.Job, _ func(int, int)) error {
		close(begun)
		<-work.Done()
		err := s.Tx(ctx, func(q *db.Queries) error {
			if _, err := q.AddShop(ctx, db.AddShopParams{Name: "late", Currency: "EUR", CreatedAt: time.Now()}); err != nil {
				return err
			}
			return j.End(ctx, q)
		})
		wrong <- err
		return err
	}})
	add(t, s, "write", "x", nil)
	<-begun
	must(t, jobs.Cancel(ctx, s.Queries, "write", "x"))
	if err := <-wrong; err == nil {
		t.Error("it is settled though it was cancelled")
	}
	if st := until(t, s, "write", "x", ended); !st.Cancelled || st.Failed {
		t.Errorf("%+v", st)
	}
	if _, err := s.ShopByName(ctx, "late"); !store.IsNoRows(err) {
		t.Errorf("what was cancelled wrote all the same: %v", err)
	}
	// What is over goes in time.
	if _, err := s.DB.Exec("UPDATE jobs SET ended_at = UTC_TIMESTAMP(6) - INTERVAL 30 DAY"); err != nil {
		t.Fatal(err)
	}
	must(t, jobs.Tidy(ctx, s.Queries))
	var n int
	must(t, s.DB.QueryRow("SELECT COUNT(*) FROM jobs").Scan(&n))
	if n != 0 {
		t.Errorf("%d jobs of a month ago", n)
	}
}

// A database that is away is no try of a job; one that takes too long is, though that looks the same.
func TestAwayIsNoTry(t *testing.T) {
	s := storetest.New(t)
	var away, slow atomic.Int64
	queue(t, s, jobs.Kind{Name: "away", Do: func(context.Context, *jobs.Job, func(int, int)) error {
		if away.Add(1) == 1 {
			return driver.ErrBadConn
		}
		return nil
	}})
	late := func(ctx context.Context, _ *jobs.Job, _ func(int, int)) error {
		slow.Add(1)
		<-ctx.Done()
		return ctx.Err()
	}
	queue(t, s, jobs.Kind{Name: "slow", Tries: 1, Within: 20 * time.Millisecond, Do: late})
	add(t, s, "away", "one", nil)
	add(t, s, "slow", "two", nil)
	if st := until(t, s, "slow", "two", ended); !st.Failed || slow.Load() != 1 {
		t.Errorf("%+v after %d", st, slow.Load())
	}
	if st := until(t, s, "away", "one", ended); st.Failed || away.Load() != 2 {
		t.Errorf("%+v after %d", st, away.Load())
	}
	var tries int
	if err := s.DB.QueryRow("SELECT tries FROM jobs WHERE kind = 'away'").Scan(&tries); err != nil || tries != 1 {
		t.Errorf("%d tries, %v", tries, err)
	}
}
