package web_test

import (
	"context"
	"fmt"
	"log/slog"
	"math"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"trevik/internal/core/term"
	"trevik/internal/demo"
	"trevik/internal/device"
	"trevik/internal/store"
	"trevik/internal/store/storetest"
	"trevik/internal/web"
)

// turns sends each request to the next of several instances, with the same cookies.
type turns struct {
	bases []string
	n     int
}

func (a *turns) RoundTrip(r *http.Request) (*http.Response, error) {
	a.n++
	r = r.Clone(r.Context())
	r.URL.Host = strings.TrimPrefix(a.bases[a.n%len(a.bases)], "http://")
	return http.DefaultTransport.RoundTrip(r)
}

// Two instances serve one database, each with its own connections: any request may go to any of them. What
// one begins the other goes on with, nothing is done twice, and both show the same.
func TestAnyInstance(t *testing.T) {
	one := newSite(t)
	other, err := store.Open(storetest.DSNOf(t, one.store))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { other.Close() })
	if err := other.Unlock(context.Background(), storetest.OwnerKey, time.Now()); err != nil {
		t.Fatal(err)
	}
	two := serve(t, other)
	b := one.visitor(t)
	b.Transport = &turns{bases: []string{one.URL, two.URL}}
	for range 6 { // signed in at one, known at both
		b.post("/sign-in", "login", "teal", "password", "quay-and-causeway").to(t)
		b.get("/").holds(t, "Fits under way")
		b.get("/").holds(t, "Fits under way")
		b.post("/sign-out").to(t)
	}
	b.post("/sign-in", "login", "teal", "password", "quay-and-causeway").to(t)

	// An import is looked at by one and put in by the other; both show the models as they are then.
	csv := b.get("/shoes/export?format=csv").body
	b.upload("/shoes/import", "file", []byte(strings.Replace(csv, "Daily miles without fuss", "Daily miles in quiet", 2))).to(t)
	waits := regexp.MustCompile(`name="import" value="(\d+)"`).FindStringSubmatch(b.get("/shoes/import").body)[1]
	b.post("/shoes/import/apply", "import", waits).to(t)
	for range 100 {
		if strings.Contains(b.get("/shoes/import").body, ">Put in<") {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	for range 2 {
		b.get("/shoes?q=quiet").holds(t, "Daily miles in quiet")
	}

	// One form that is sent to both is done once.
	form := []string{"token", strings.Repeat("Q", 26), "pair", "", "on", "2026-11-23", "km", "7.77", "kind", "easy", "ground", "road"}
	for range 4 {
		b.post("/fits/5/runs", form...).to(t)
	}
	var runs int
	if err := one.store.DB.QueryRow("SELECT COUNT(*) FROM runs WHERE km = 7.77").Scan(&runs); err != nil || runs != 1 {
		t.Errorf("%d runs of one form, %v", runs, err)
	}

	// A film's frames go to both; it is read once, and its progress and its end are seen at both.
	_, data := filmed(t, device.TreadmillOptions{Seed: 6, Peak: map[term.Side]float64{term.Left: 12, term.Right: 8}})
	p := b.post("/fits/5/gait/films", "view", "rear", "gait", "run", "shod", "barefoot", "surface", "treadmill", "keep", "yes", "rate", "120",
		"frames", strconv.Itoa(len(data)))
	if p.code != http.StatusCreated {
		t.Fatalf("begin: %d %s", p.code, p.body)
	}
	film := decode[begun](t, p)
	for at := 0; at < len(data); at += 40 {
		b.frames(film.At, span(at, min(at+40, len(data))), data)
	}
	b.post(film.At + "/finish").to(t)
	b.read(t, film.Page)
	for range 2 {
		b.get(film.Page).holds(t, "Peak")
	}
	var done, tries int
	err = one.store.DB.QueryRow("SELECT COUNT(*), COALESCE(MAX(tries), 0) FROM jobs WHERE kind LIKE 'film%'").Scan(&done, &tries)
	if err != nil || done != 1 || tries != 1 {
		t.Errorf("%d jobs of one film, tried %d times, %v", done, tries, err)
	}
}

// How it goes is told to this machine and to who has the token, never through a proxy, and holds nothing of
// a person.
func TestMetrics(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	b.get("/runners/2")
	told := s.visitor(t).get("/metrics")
	told.holds(t, `trevik_request_seconds_count{method="GET",route="/runners/:runner",status="200"} 1`,
		`trevik_statement_seconds_count{statement="LoadRunners"}`, `trevik_jobs{state="failed"} 0`, "go_goroutines", "go_sql_open_connections")
	for _, name := range []string{"teal", "runners/2", "Lockyer"} {
		if strings.Contains(told.body, name) {
			t.Errorf("the metrics name %q", name)
		}
	}
	r, err := http.NewRequest(http.MethodGet, s.URL+"/metrics", nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("X-Forwarded-For", "203.0.113.9")
	if p := s.visitor(t).do(r); p.code != http.StatusForbidden {
		t.Errorf("through a proxy: %d", p.code)
	}
	r.Header.Set("Authorization", "Bearer ")
	if p := s.visitor(t).do(r); p.code != http.StatusForbidden {
		t.Errorf("with an empty token: %d", p.code)
	}
}

// The machine's clock jumps, by hours and days, forward and back, while people write: what was acknowledged is
// there once, sums hold, the audit log's seals hold, and jobs go on.
func TestClockJumps(t *testing.T) {
	s := storetest.New(t)
	if err := demo.Fill(context.Background(), s, now); err != nil {
		t.Fatal(err)
	}
	var jump atomic.Int64
	w := web.New(web.Config{Store: s, Clock: func() time.Time { return now.Add(time.Duration(jump.Load())) },
		Log: slog.New(slog.NewJSONHandler(&lockedBuffer{}, nil))})
	t.Cleanup(w.Close)
	srv := httptest.NewServer(w.Handler)
	t.Cleanup(srv.Close)
	one := &site{srv, w, s, nil}
	b := one.as(t, "teal")
	jumps := []time.Duration{0, 3 * time.Hour, -2 * time.Hour, 26 * time.Hour, -49 * time.Hour, 6 * time.Minute, 0}
	for i, by := range jumps {
		jump.Store(int64(by))
		if p := b.get("/"); p.code != http.StatusOK { // a session that is over by that clock is begun anew
			b = one.as(t, "teal")
		}
		for n := range 4 {
			b.post("/fits/5/runs", "pair", "", "on", "2026-11-20", "km", fmt.Sprintf("%d.%d1", i+1, n), "kind", "easy", "ground", "road").to(t)
		}
	}
	var runs int
	var km float64
	err := s.DB.QueryRow("SELECT COUNT(*), SUM(km) FROM runs WHERE run_on = '2026-11-20' AND withdrawn_at IS NULL AND km < 8 AND "+
		"ROUND(km * 100) MOD 10 = 1").Scan(&runs, &km)
	want := 0.0
	for i := range jumps {
		for n := range 4 {
			want += float64(i+1) + float64(n)/10 + 0.01
		}
	}
	if err != nil || runs != 4*len(jumps) || math.Abs(km-want) > 1e-6 {
		t.Errorf("%d runs of %d, %g km of %g, %v", runs, 4*len(jumps), km, want, err)
	}
	shop := uint64(1)
	if _, wrong, err := w.Env.App.Runs.Check(context.Background(), shop); err != nil || len(wrong) > 0 {
		t.Errorf("%v %v", wrong, err)
	}
	if _, err := w.Env.App.CheckAudit(context.Background(), shop); err != nil {
		t.Error(err)
	}
}
