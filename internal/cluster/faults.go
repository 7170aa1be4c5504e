package cluster

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"

	"trevik/internal/app/suite"
	"trevik/internal/demo"
	"trevik/internal/jobs"
	"trevik/internal/store"
)

// Of the trials: how many people write at once, how long they pause between two runs, how long a write may
// go unanswered, and how long all may take to be well again.
const (
	writers    = 6
	pause      = 25 * time.Millisecond
	unanswered = 20 * time.Second
	wellWithin = 90 * time.Second
	longest    = 5 * time.Second // that nobody may be answered
)

// trialDay is the day of the runs that the trials put down, on which the demo world has none.
const trialDay = "2026-01-05"

// ledger is what was acknowledged: runs by their distance, in metres, each told once.
type ledger struct {
	mu       sync.Mutex
	told     map[int]bool
	last     time.Time
	gap      time.Duration // the longest time in which nothing was acknowledged
	slowest  time.Duration
	refusals atomic.Int64 // answers that were no acknowledgement; the same form was sent again
}

func (l *ledger) acknowledge(metres int, took time.Duration) {
	l.mu.Lock()
	defer l.mu.Unlock()
	now := time.Now()
	l.gap, l.slowest = max(l.gap, now.Sub(l.last)), max(l.slowest, took)
	l.last, l.told[metres] = now, true
}

// trial is one kind of fault, done so many times.
type trial struct {
	name  string
	times int
	do    func(ctx context.Context, n int) error
}

// Faults does to a running cluster what happens to machines while people write, and says after each kind
// of it whether all that was acknowledged is there once. It fails where something was lost or doubled, a
// sum does not hold, work stands still, or nobody was answered for too long.
func Faults(ctx context.Context, c *Cluster, o Options, out io.Writer) error {
	s, err := store.Open(dsnOf(c.Nodes, 0, DatabaseName))
	if err != nil {
		return err
	}
	defer s.Close()
	_ = mysql.SetLogger(mysql.Logger(&mysql.NopLogger{})) // what fails is told where it counts
	f := &faults{c: c, o: o, s: s, out: out}
	if f.fits, err = fitsOf(ctx, s); err != nil {
		return err
	}
	for n := range writers {
		p, err := signIn(ctx, c.URL, demo.Staff[n%len(demo.Staff)].Login)
		if err != nil {
			return err
		}
		f.people = append(f.people, p)
	}
	fmt.Fprintf(out, "%d nodes, %d instances, %d people writing\n\n", len(c.Nodes), len(c.Instances), writers)
	fmt.Fprintf(out, "| what happened | times | acknowledged | there once | lost | doubled | longest without an answer | "+
		"asked again | well again, at worst |\n|---|---|---|---|---|---|---|---|---|\n")
	var bad []string
	for _, t := range f.trials() {
		wrong, err := f.run(ctx, t)
		if err != nil {
			return fmt.Errorf("%s: %w", t.name, err)
		}
		bad = append(bad, wrong...)
	}
	fmt.Fprintln(out)
	for _, b := range bad {
		fmt.Fprintln(out, b)
	}
	if len(bad) > 0 {
		return fmt.Errorf("%d things are not as they should be", len(bad))
	}
	fmt.Fprintln(out, "All sums agree, the audit log's seals hold, no job stands still.")
	return nil
}

// fitsOf are fits that the writers put runs down at, one each.
func fitsOf(ctx context.Context, s *store.Store) (ids []uint64, err error) {
	rows, err := s.DB.QueryContext(ctx, "SELECT MIN(id) FROM fits GROUP BY runner_id ORDER BY 1 LIMIT ?", writers)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var id uint64
		if err := rows.Scan(&id); err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	if len(ids) < writers {
		return nil, fmt.Errorf("%d fits are there; the trials need %d", len(ids), writers)
	}
	return ids, rows.Err()
}

type faults struct {
	fits   []uint64
	people []*person
	c      *Cluster
	o      Options
	s      *store.Store
	out    io.Writer
	next   atomic.Int64 // metres
}

func kill(pid int, sig syscall.Signal) error {
	if pid == 0 {
		return errors.New("it does not run")
	}
	return syscall.Kill(pid, sig)
}

func (f *faults) trials() []trial {
	c := f.c
	instance := func(n int) *Instance { return c.Instances[n%len(c.Instances)] }
	list := []trial{{"an instance was killed", 30, func(_ context.Context, n int) error { return kill(instance(n).PID(), syscall.SIGKILL) }}}
	nodeKilled := trial{"a node was killed", 10, func(_ context.Context, n int) error {
		return kill(c.Nodes[n%len(c.Nodes)].PID(), syscall.SIGKILL)
	}}
	switch {
	case f.o.Few && len(c.Nodes) > 1:
		return append(few(list, 2), few([]trial{nodeKilled}, 1)...)
	case f.o.Few:
		return append(few(list, 3), few(f.databaseKilled(), 2)...)
	case len(c.Nodes) == 1:
		list = append(append(list, f.databaseKilled()...), trial{"the disk was full for 4 s", 3, f.fillDisk})
	default:
		list = append(list, nodeKilled, trial{"a node stood still for 15 s", 3, func(ctx context.Context, n int) error {
			pid := c.Nodes[n%len(c.Nodes)].PID()
			if err := kill(pid, syscall.SIGSTOP); err != nil {
				return err
			}
			rest(ctx, 15*time.Second)
			err := kill(pid, syscall.SIGCONT)
			rest(ctx, 2*time.Second) // until it has seen that it was away
			return err
		}})
	}
	return append(list, trial{"an instance's network took 60 ms a packet for 5 s", 3, func(ctx context.Context, n int) error {
		mine := c.linesOf(n % len(c.Instances))
		for _, l := range mine {
			l.Slow(60 * time.Millisecond)
		}
		rest(ctx, 5*time.Second)
		for _, l := range mine {
			l.Slow(0)
		}
		return nil
	}}, trial{"an instance was cut off from the database for 6 s", 3, func(ctx context.Context, n int) error {
		mine := c.linesOf(n % len(c.Instances))
		for _, l := range mine {
			l.Cut(true)
		}
		rest(ctx, 6*time.Second)
		for _, l := range mine {
			l.Cut(false)
		}
		return nil
	}})
}

// databaseKilled kills the one database.
func (f *faults) databaseKilled() []trial {
	return []trial{{"the database was killed", 10, func(context.Context, int) error { return kill(f.c.Nodes[0].PID(), syscall.SIGKILL) }}}
}

func few(list []trial, times int) []trial {
	for i := range list {
		list[i].times = times
	}
	return list
}

// fillDisk fills the small disk that the database lies on, for a while. Where it lies on another one,
// nothing is filled.
func (f *faults) fillDisk(ctx context.Context, _ int) error {
	dir := dirOf(f.o, 0)
	if !f.c.small {
		return fmt.Errorf("%s is no disk of its own", dir)
	}
	name := filepath.Join(dir, "filler")
	file, err := os.Create(name)
	if err != nil {
		return err
	}
	block := make([]byte, 64<<10)
	for len(block) > 0 {
		if _, err := file.Write(block); err != nil {
			block = block[:len(block)/2]
		}
	}
	rest(ctx, 4*time.Second)
	if err := file.Close(); err != nil {
		return err
	}
	return os.Remove(name)
}

func rest(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

// run does a trial and says what was wrong after it.
func (f *faults) run(ctx context.Context, t trial) (wrong []string, err error) {
	l := &ledger{told: map[int]bool{}, last: time.Now()}
	writing, stop := context.WithCancel(ctx)
	defer stop()
	var all sync.WaitGroup
	failed := make(chan error, writers)
	for n := range writers {
		all.Go(func() {
			if err := f.write(writing, n, l); err != nil {
				failed <- err
			}
		})
	}
	worst := time.Duration(0)
	for n := range t.times {
		rest(ctx, time.Second)
		begun := time.Now()
		if err := t.do(ctx, n); err != nil {
			return nil, err
		}
		if err := f.well(ctx); err != nil {
			return nil, err
		}
		worst = max(worst, time.Since(begun))
	}
	rest(ctx, time.Second)
	stop()
	all.Wait()
	close(failed)
	for err := range failed {
		wrong = append(wrong, t.name+": "+err.Error())
	}
	there, lost, doubled, err := f.hold(ctx, l)
	if err != nil {
		return nil, err
	}
	fmt.Fprintf(f.out, "| %s | %d | %d | %d | %d | %d | %.1f s | %d | %.1f s |\n", t.name, t.times, len(l.told), there, lost, doubled,
		l.gap.Seconds(), l.refusals.Load(), worst.Seconds())
	if lost+doubled > 0 {
		wrong = append(wrong, fmt.Sprintf("%s: %d runs were lost and %d doubled", t.name, lost, doubled))
	}
	if l.gap > longest && len(f.c.Nodes) > 1 {
		wrong = append(wrong, fmt.Sprintf("%s: nobody was answered for %.1f s", t.name, l.gap.Seconds()))
	}
	more, err := f.sums(ctx)
	return append(wrong, more...), err
}

// person writes through the proxy.
type person struct {
	client *http.Client
	url    string
}

// send posts a form and gives the answer's status; 0 is none.
func (p *person) send(ctx context.Context, path string, form url.Values) int {
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, p.url+path, strings.NewReader(form.Encode()))
	if err != nil {
		return 0
	}
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	answer, err := p.client.Do(r)
	if err != nil {
		return 0
	}
	_, _ = io.Copy(io.Discard, answer.Body) // only its status counts
	_ = answer.Body.Close()
	return answer.StatusCode
}

// signIn signs somebody of the demo shop in.
func signIn(ctx context.Context, at, login string) (*person, error) {
	jar, err := cookiejar.New(nil)
	if err != nil {
		return nil, err
	}
	p := &person{url: at, client: &http.Client{Jar: jar, Timeout: unanswered, CheckRedirect: func(*http.Request, []*http.Request) error {
		return http.ErrUseLastResponse
	}}}
	for range 5 {
		if p.send(ctx, "/sign-in", url.Values{"login": {login}, "password": {demo.Password}}) == http.StatusSeeOther {
			return p, nil
		}
		rest(ctx, time.Second)
	}
	return nil, fmt.Errorf("%s was not let in", login)
}

// write puts runs down one after the other, each until it is acknowledged; a form that was not is sent
// again as it was.
func (f *faults) write(ctx context.Context, n int, l *ledger) error {
	for ctx.Err() == nil {
		metres := int(f.next.Add(1))
		form := url.Values{"token": {rand.Text()}, "pair": {""}, "on": {trialDay}, "km": {fmt.Sprintf("%.3f", 1+float64(metres)/1000)},
			"kind": {"easy"}, "ground": {"road"}}
		begun := time.Now()
		for ctx.Err() == nil {
			code := f.people[n].send(ctx, fmt.Sprintf("/fits/%d/runs", f.fits[n]), form)
			if code == http.StatusSeeOther || code == http.StatusOK {
				l.acknowledge(metres, time.Since(begun))
				break
			}
			if code >= 400 && code < 500 {
				return fmt.Errorf("a run was answered with %d", code)
			}
			if ctx.Err() == nil {
				l.refusals.Add(1)
			}
			rest(ctx, 200*time.Millisecond)
		}
		rest(ctx, pause)
	}
	return nil
}

// well waits until every instance and every node takes what is written.
func (f *faults) well(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, wellWithin)
	defer cancel()
	client := &http.Client{Timeout: 3 * time.Second}
	for {
		ok := true
		for _, in := range f.c.Instances {
			answer, err := client.Get(in.URL + "/health")
			if err == nil {
				ok = ok && answer.StatusCode == http.StatusOK
				_ = answer.Body.Close() // only its status counts
			} else {
				ok = false
			}
		}
		for _, n := range f.c.Nodes {
			ok = ok && n.Takes(ctx, len(f.c.Nodes))
		}
		if ok {
			return nil
		}
		select {
		case <-ctx.Done():
			return errors.New("it was not well again in time")
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// hold compares what was acknowledged with what is there.
func (f *faults) hold(ctx context.Context, l *ledger) (there, lost, doubled int, err error) {
	rows, err := f.s.DB.QueryContext(ctx, "SELECT ROUND((km - 1) * 1000), COUNT(*) FROM runs WHERE run_on = ? GROUP BY 1", trialDay)
	if err != nil {
		return 0, 0, 0, err
	}
	defer rows.Close()
	found := map[int]int{}
	for rows.Next() {
		var metres, n int
		if err := rows.Scan(&metres, &n); err != nil {
			return 0, 0, 0, err
		}
		found[metres] = n
	}
	for metres := range l.told {
		switch n := found[metres]; {
		case n == 0:
			lost++
		case n == 1:
			there++
		default:
			doubled++
		}
	}
	return there, lost, doubled, rows.Err()
}

// sums says which of the shop's sums do not hold, and whether jobs stand still.
func (f *faults) sums(ctx context.Context) (wrong []string, err error) {
	a := suite.New(f.s, time.Now, slog.New(slog.DiscardHandler))
	shop, err := a.People.ShopNamed(ctx, demo.Shop)
	if err != nil {
		return nil, err
	}
	_, wrong, err = a.Runs.Check(ctx, shop)
	if err != nil {
		return nil, err
	}
	for i := range wrong { // runs that look alike are what the trials put down
		if strings.Contains(wrong[i], "twice") {
			wrong[i] = ""
		}
	}
	more, err := a.Due.Check(ctx, shop)
	if err != nil {
		return nil, err
	}
	if _, err := a.CheckAudit(ctx, shop); err != nil {
		more = append(more, err.Error())
	}
	work, err := jobs.Look(ctx, f.s.Queries)
	if work.Stuck() || work.Failed > 0 {
		more = append(more, fmt.Sprintf("jobs: %+v", work))
	}
	var out []string
	for _, w := range append(wrong, more...) {
		if w != "" {
			out = append(out, w)
		}
	}
	return out, err
}
