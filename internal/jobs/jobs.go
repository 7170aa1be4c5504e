// Package jobs is work that outlasts a request. A job is a row in MariaDB: any instance of
// the application claims it, tells by its beat that it still works, and settles it. One whose
// instance died is taken up by another; one that fails is tried again a few times; one that
// panics or is tried out has failed, and says why. Nothing of it is kept in a process.
package jobs

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"slices"
	"sync"
	"time"

	"trevik/internal/store"
	"trevik/internal/store/db"
)

// Job is one piece of work.
type Job struct {
	ID      uint64
	ShopID  uint64 // 0 is of no shop
	Kind    string
	Subject string // what it is about: one of a kind is under way for a subject
	Args    json.RawMessage
	Try     int // from 1
	deaths  int // of instances at it
	By      uint64
	worker  string
	ended   bool
}

// Kind is a named sort of work.
type Kind struct {
	Name string
	// Do does it; tell says how far it is. It may be done twice, so what it writes it writes
	// with Job.End in one transaction, or in a way that bears it.
	Do func(ctx context.Context, j *Job, tell func(done, total int)) error
	// GivenUp is told once it has failed for good; nil is nobody.
	GivenUp func(ctx context.Context, j *Job, why error)
	AtOnce  int           // that an instance does at once; 0 is one
	Tries   int           // 0 is three
	Within  time.Duration // 0 is ten minutes
	Every   time.Duration // it is done again so long after it ended; 0 is once
}

// Final is an error after which a job is not tried again.
type Final struct{ Err error }

func (f Final) Error() string { return f.Err.Error() }

// Unwrap gives the error itself.
func (f Final) Unwrap() error { return f.Err }

// errTaken says that a job is no longer this worker's: it was cancelled, or taken by another.
var errTaken = errors.New("the job was cancelled or is another's by now")

// House values of the work.
const (
	beatEvery  = 2 * time.Second
	deadAfter  = 15 * time.Second // without a beat
	lookEvery  = time.Second
	againAfter = 3 * time.Second // times the tries so far
	keepEnded  = 7 * 24 * time.Hour
	mostDeaths = 8 // of instances at one job, after which it may be what they die of
	lateAfter  = 5 * time.Minute
)

// Queue does an instance's share of the work.
type Queue struct {
	store  *store.Store
	log    *slog.Logger
	worker string
	kinds  map[string]Kind
	wake   chan struct{}
	ctx    context.Context
	stop   context.CancelFunc
	all    sync.WaitGroup
	mu     sync.Mutex
	busy   map[string]int
}

// New makes a queue; its kinds are registered before Start.
func New(s *store.Store, log *slog.Logger) *Queue {
	ctx, stop := context.WithCancel(context.Background())
	return &Queue{store: s, log: log, worker: rand.Text()[:16], kinds: map[string]Kind{}, wake: make(chan struct{}, 1), ctx: ctx, stop: stop,
		busy: map[string]int{}}
}

// Register adds a kind of work.
func (q *Queue) Register(k Kind) {
	k.AtOnce, k.Tries = max(1, k.AtOnce), orDefault(k.Tries, 3)
	if k.Within == 0 {
		k.Within = 10 * time.Minute
	}
	q.kinds[k.Name] = k
}

func orDefault(n, or int) int {
	if n == 0 {
		return or
	}
	return n
}

// Start begins to work.
func (q *Queue) Start() {
	q.all.Go(func() {
		for _, k := range q.kinds {
			if k.Every > 0 {
				q.again(k, 0)
			}
		}
		for {
			for q.next() {
			}
			select {
			case <-q.ctx.Done():
				return
			case <-q.wake:
			case <-time.After(lookEvery):
			}
		}
	})
}

// Close stops the work; what was under way is left for another, or for the next start.
func (q *Queue) Close() {
	q.stop()
	q.all.Wait()
}

// Wake looks for work at once: a job was added here.
func (q *Queue) Wake() {
	select {
	case q.wake <- struct{}{}:
	default:
	}
}

// Add puts a job down, in the caller's transaction, unless one of its kind is under way for
// its subject. args are kept as JSON. Call Wake once the transaction is committed.
func Add(ctx context.Context, q *db.Queries, j Job, args any) error {
	return addAt(ctx, q, j, args, time.Now())
}

func addAt(ctx context.Context, q *db.Queries, j Job, args any, after time.Time) error {
	data, err := json.Marshal(args)
	if err != nil {
		return err
	}
	p := db.AddJobParams{Kind: j.Kind, Subject: j.Subject, Args: data, RunAfter: after.UTC(), MadeAt: time.Now().UTC()}
	p.ShopID.Int64, p.ShopID.Valid = int64(j.ShopID), j.ShopID > 0
	p.MadeBy.Int64, p.MadeBy.Valid = int64(j.By), j.By > 0
	if _, err = q.AddJob(ctx, p); store.IsDuplicate(err) {
		return nil
	}
	return err
}

// again puts a kind that is done again and again down for its next time.
func (q *Queue) again(k Kind, after time.Duration) {
	if err := addAt(q.ctx, q.store.Queries, Job{Kind: k.Name}, struct{}{}, time.Now().Add(after)); err != nil && q.ctx.Err() == nil {
		q.log.Warn("job", "kind", k.Name, "error", err.Error())
	}
}

// next claims a job and does it beside; false where there is none.
func (q *Queue) next() bool {
	if q.ctx.Err() != nil {
		return false
	}
	var free []string
	q.mu.Lock()
	for name, k := range q.kinds {
		if q.busy[name] < k.AtOnce {
			free = append(free, name)
		}
	}
	q.mu.Unlock()
	if len(free) == 0 {
		return false
	}
	slices.Sort(free)
	var j *Job
	err := q.store.Tx(q.ctx, func(tx *db.Queries) error {
		j = nil
		now := time.Now().UTC()
		row, err := tx.NextJobOf(q.ctx, db.NextJobOfParams{Kinds: free, Now: now, Dead: store.NullTime(now.Add(-deadAfter))})
		if err != nil {
			return err
		}
		j = &Job{ID: row.ID, ShopID: uint64(row.ShopID.Int64), Kind: row.Kind, Subject: row.Subject, Args: row.Args, Try: int(row.Tries),
			deaths: int(row.Deaths), By: uint64(row.MadeBy.Int64), worker: q.worker}
		if row.State == "running" {
			j.deaths++
		} else {
			j.Try++
		}
		return tx.ClaimJob(q.ctx, db.ClaimJobParams{Worker: q.worker, BeatAt: store.NullTime(time.Now().UTC()), ID: row.ID})
	})
	if err != nil {
		if !store.IsNoRows(err) && q.ctx.Err() == nil {
			q.log.Warn("jobs", "error", err.Error())
		}
		return false
	}
	q.mu.Lock()
	q.busy[j.Kind]++
	q.mu.Unlock()
	q.all.Go(func() {
		q.do(j, q.kinds[j.Kind])
		q.mu.Lock()
		q.busy[j.Kind]--
		q.mu.Unlock()
		q.Wake()
	})
	return true
}

// do does a claimed job and settles it.
func (q *Queue) do(j *Job, k Kind) {
	ctx, cancel := context.WithTimeout(q.ctx, k.Within)
	defer cancel()
	beat := newBeat(q, j, cancel)
	defer beat.stop()
	var err error
	if j.deaths > mostDeaths {
		err = Final{Err: errors.New("it was begun too often without coming to an end")}
	} else {
		err = q.run(ctx, j, k, beat.tell)
	}
	beat.stop()
	q.settle(j, k, ctx, err)
	if k.Every > 0 {
		q.again(k, k.Every)
	}
}

// run does the work; a panic in it is an error after which it is not tried again.
func (q *Queue) run(ctx context.Context, j *Job, k Kind, tell func(done, total int)) (err error) {
	defer func() {
		if v := recover(); v != nil {
			q.log.Error("job panicked", "job", j.ID, "kind", j.Kind, "panic", fmt.Sprint(v), "stack", string(debug.Stack()))
			err = Final{Err: fmt.Errorf("Trevik failed at this: %v", v)}
		}
	}()
	return k.Do(ctx, j, tell)
}

// settle writes how a job ended. What was stopped with the instance waits for another.
func (q *Queue) settle(j *Job, k Kind, work context.Context, err error) {
	if j.ended || errors.Is(err, errTaken) {
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	now := time.Now().UTC()
	var final Final
	switch {
	case err == nil:
		_, err = q.store.EndJob(ctx, db.EndJobParams{State: "done", EndedAt: store.NullTime(now), ID: j.ID, Worker: j.worker})
	// Neither is the work's fault; one that took too long looks like a database that is away.
	case q.ctx.Err() != nil, work.Err() == nil && store.IsAway(err) && !store.IsConflict(err):
		after := now
		if q.ctx.Err() == nil {
			after = now.Add(againAfter)
		}
		_, err = q.store.HandJobBack(ctx, db.HandJobBackParams{RunAfter: after, ID: j.ID, Worker: j.worker})
	case errors.As(err, &final) || j.Try >= k.Tries:
		if work.Err() != nil && !errors.As(err, &final) {
			err = fmt.Errorf("it took longer than %s: %w", k.Within, err)
		}
		n, wrong := q.store.EndJob(ctx, db.EndJobParams{State: "failed", Note: short(err), EndedAt: store.NullTime(now), ID: j.ID,
			Worker: j.worker})
		q.log.Error("job failed", "job", j.ID, "kind", j.Kind, "error", err.Error())
		if wrong == nil && n > 0 && k.GivenUp != nil {
			k.GivenUp(ctx, j, err)
		}
		err = wrong
	default:
		q.log.Warn("job to be tried again", "job", j.ID, "kind", j.Kind, "try", j.Try, "error", err.Error())
		_, err = q.store.RetryJob(ctx, db.RetryJobParams{Note: short(err), RunAfter: now.Add(time.Duration(j.Try) * againAfter), ID: j.ID,
			Worker: j.worker})
	}
	if err != nil {
		q.log.Warn("job not settled; it is taken up again", "job", j.ID, "kind", j.Kind, "error", err.Error())
	}
}

func short(err error) string {
	s := []rune(err.Error())
	return string(s[:min(len(s), 900)])
}

// End settles a job in the transaction that writes what it did: either both stand, or
// neither. It fails where the job is another's by now.
func (j *Job) End(ctx context.Context, q *db.Queries) error {
	n, err := q.EndJob(ctx, db.EndJobParams{State: "done", EndedAt: store.NullTime(time.Now().UTC()), ID: j.ID, Worker: j.worker})
	if err == nil && n == 0 {
		return errTaken
	}
	return err
}

// Ended says that the transaction of End was committed.
func (j *Job) Ended() { j.ended = true }

// beat tells the database that a job is worked at, and how far it is.
type beat struct {
	mu          sync.Mutex
	done, total int
	quit        chan struct{}
	once        sync.Once
	ended       sync.WaitGroup
}

func newBeat(q *Queue, j *Job, cancel context.CancelFunc) *beat {
	b := &beat{quit: make(chan struct{})}
	b.ended.Go(func() {
		for {
			select {
			case <-b.quit:
				return
			case <-q.ctx.Done():
				return
			case <-time.After(beatEvery):
			}
			b.mu.Lock()
			done, total := b.done, b.total
			b.mu.Unlock()
			n, err := q.store.BeatJob(q.ctx, db.BeatJobParams{BeatAt: store.NullTime(time.Now().UTC()), Done: int32(done), Total: int32(total),
				ID: j.ID, Worker: j.worker})
			if err == nil && n == 0 {
				cancel() // cancelled, or another's
				return
			}
		}
	})
	return b
}

func (b *beat) tell(done, total int) {
	b.mu.Lock()
	b.done, b.total = done, total
	b.mu.Unlock()
}

func (b *beat) stop() {
	b.once.Do(func() { close(b.quit) })
	b.ended.Wait()
}

// State is how a job stands.
type State struct {
	Live        bool // it waits or is worked at
	Failed      bool
	Cancelled   bool
	Done, Total int
	Note        string
}

// Percent is how far it is, 0 to 100.
func (s State) Percent() int {
	if s.Total == 0 {
		return 0
	}
	return 100 * s.Done / s.Total
}

// Of is how the latest job of a kind for a subject stands; the zero State where there is none.
func Of(ctx context.Context, q *db.Queries, kind, subject string) (State, error) {
	r, err := q.JobOf(ctx, db.JobOfParams{Kind: kind, Subject: subject})
	if store.IsNoRows(err) {
		return State{}, nil
	}
	return State{Live: r.State == "waiting" || r.State == "running", Failed: r.State == "failed", Cancelled: r.State == "cancelled",
		Done: int(r.Done), Total: int(r.Total), Note: r.Note}, err
}

// Live are the jobs of a kind that are under way, by subject.
func Live(ctx context.Context, q *db.Queries, kind string, subjects []string) (map[string]State, error) {
	out := map[string]State{}
	if len(subjects) == 0 {
		return out, nil
	}
	rows, err := q.LiveJobs(ctx, db.LiveJobsParams{Kind: kind, Subjects: subjects})
	for _, r := range rows {
		out[r.Subject] = State{Live: true, Done: int(r.Done), Total: int(r.Total)}
	}
	return out, err
}

// Cancel ends the job of a kind that is under way for a subject; its worker stops at its next
// beat.
func Cancel(ctx context.Context, q *db.Queries, kind, subject string) error {
	_, err := q.CancelJob(ctx, db.CancelJobParams{EndedAt: store.NullTime(time.Now().UTC()), Kind: kind, Subject: subject})
	return err
}

// Health is how the work goes: jobs that wait for too long, whose instance is silent, and
// that failed in the last day.
type Health struct {
	Waiting int64 `json:"waiting"`
	Silent  int64 `json:"silent"`
	Failed  int64 `json:"failed"`
}

// Stuck says whether work does not go on.
func (h Health) Stuck() bool { return h.Waiting > 0 || h.Silent > 0 }

// Look is how the work goes.
func Look(ctx context.Context, q *db.Queries) (Health, error) {
	now := time.Now().UTC()
	r, err := q.StuckJobs(ctx, db.StuckJobsParams{Late: now.Add(-lateAfter), Dead: store.NullTime(now.Add(-2 * deadAfter)),
		Since: store.NullTime(now.AddDate(0, 0, -1))})
	return Health{r.Waiting, r.Silent, r.Failed}, err
}

// Tidy lets jobs go that ended long ago.
func Tidy(ctx context.Context, q *db.Queries) error {
	return q.DropEndedJobs(ctx, store.NullTime(time.Now().UTC().Add(-keepEnded)))
}
