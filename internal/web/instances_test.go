package web_test

import (
	"context"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"trevik/internal/core/term"
	"trevik/internal/device"
	"trevik/internal/store"
	"trevik/internal/store/storetest"
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
