package web_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"

	"trevik/internal/app/people"
	"trevik/internal/demo"
	"trevik/internal/web"
	"trevik/internal/web/kit"
)

// Where a request comes from is what a trusted proxy says, and nobody else.
func TestProxies(t *testing.T) {
	s := newSite(t)
	try := func(h http.Handler, login, remote, told string) int {
		form := url.Values{"login": {login}, "password": {"wrong"}}
		r := httptest.NewRequest(http.MethodPost, "/sign-in", strings.NewReader(form.Encode()))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.RemoteAddr = remote + ":4711"
		if told != "" {
			r.Header.Set("X-Forwarded-For", told)
		}
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w.Code
	}
	behind := web.New(web.Config{Store: s.store, Clock: func() time.Time { return now }, Log: s.web.Env.Log,
		Proxies: []string{"10.0.0.0/24"}})
	t.Cleanup(behind.Close)
	for range people.TriesHere {
		if code := try(behind.Handler, "teal", "10.0.0.7", "203.0.113.5"); code != http.StatusUnauthorized {
			t.Fatalf("%d", code)
		}
	}
	for name, c := range map[string]struct {
		h            http.Handler
		remote, told string
		code         int
	}{
		"the same, through the proxy":            {behind.Handler, "10.0.0.8", "203.0.113.5", http.StatusTooManyRequests},
		"another, through the proxy":             {behind.Handler, "10.0.0.7", "203.0.113.6", http.StatusUnauthorized},
		"the same with more before it":           {behind.Handler, "10.0.0.7", "198.51.100.1, 203.0.113.5", http.StatusTooManyRequests},
		"a stranger who says he is another":      {behind.Handler, "203.0.113.5", "198.51.100.9", http.StatusTooManyRequests},
		"a stranger who names the one kept out":  {behind.Handler, "198.51.100.7", "203.0.113.5", http.StatusUnauthorized},
		"where no proxy is trusted, told nobody": {s.web.Handler, "10.0.0.9", "203.0.113.5", http.StatusUnauthorized},
	} {
		if code := try(c.h, "teal", c.remote, c.told); code != c.code {
			t.Errorf("%s: %d, want %d", name, code, c.code)
		}
	}
	if err := web.CheckProxies([]string{"nowhere"}); err == nil {
		t.Error("a proxy that is no address")
	}
}

// Every page is asked for by HEAD as by GET; assets are kept at their own address alone; what shows
// a person is not kept.
func TestHeadAssetsAndCaches(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	head := func(path string) page {
		r, err := http.NewRequest(http.MethodHead, s.URL+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		return b.do(r)
	}
	for _, path := range []string{"/", "/health", "/runners", "/fits/2/feet", "/sign-in", "/assets/" + s.web.Env.Assets + "/app.js"} {
		if p := head(path); p.code != http.StatusOK || p.body != "" {
			t.Errorf("HEAD %s: %d, %d bytes", path, p.code, len(p.body))
		}
	}
	if p := head("/nowhere"); p.code != http.StatusNotFound {
		t.Errorf("HEAD of nothing: %d", p.code)
	}
	for path, keep := range map[string]bool{"/assets/" + s.web.Env.Assets + "/app.js": true, "/assets/anything/app.js": false} {
		if p := b.get(path); p.code != http.StatusOK || strings.Contains(p.header.Get("Cache-Control"), "immutable") != keep {
			t.Errorf("%s: %d %s", path, p.code, p.header.Get("Cache-Control"))
		}
	}
	for _, path := range []string{"/", "/runners/2", "/fits/2/card"} {
		if got := b.get(path).header.Get("Cache-Control"); got != "no-store" {
			t.Errorf("%s: %s", path, got)
		}
	}
	if p := b.post("/sign-out"); p.header.Get("Clear-Site-Data") == "" {
		t.Error("what was shown stays in the browser after signing out")
	}
	// A name is one line.
	owner := s.as(t, "isolde")
	for _, name := range []string{"Sorrel\r\nCauseway", "Sorrel\u2028Causeway", "So\x07rrel"} {
		if p := owner.post("/new-fit", "name", name, "contact", "", "chart", "men"); p.code != http.StatusUnprocessableEntity {
			t.Errorf("%q is a name: %d", name, p.code)
		}
	}
}

// A database that only reads, as a node without quorum or one that is being moved, is told as away.
func TestReadOnlyDatabase(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "isolde")
	// The tests' own user may write in spite of read_only, so each session is made to read alone.
	if _, err := s.store.DB.Exec("SET GLOBAL tx_read_only = ON"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if _, err := s.store.DB.Exec("SET GLOBAL tx_read_only = OFF"); err != nil {
			t.Error(err)
		}
	})
	s.store.DB.SetMaxIdleConns(0) // the next connections begin as the server says now
	p := b.get("/health")
	var told map[string]any
	if err := json.Unmarshal([]byte(p.body), &told); err != nil || p.code != http.StatusServiceUnavailable ||
		told["status"] != "database away" ||
		p.header.Get("Retry-After") == "" {
		t.Errorf("health: %d %s", p.code, p.body)
	}
	p = b.post("/new-fit", "name", "Sorrel Causeway", "contact", "", "chart", "men")
	if p.code != http.StatusServiceUnavailable || !strings.Contains(p.body, "The database is away") || p.header.Get("Retry-After") == "" {
		t.Errorf("%d %.300s", p.code, p.body)
	}
}

// An account in the browser: a password changed, sessions ended, a second factor set up and asked
// for; and the owner's page of people.
func TestAccountPages(t *testing.T) {
	s := newSite(t)
	b, elsewhere := s.as(t, "teal"), s.as(t, "teal")
	b.get("/account").holds(t, "Where you are signed in", "Second factor", "data:image/png", "sign out there")
	b.post("/account/password", "password", "wrong", "new_password", "six old rowing boats").holds(t, "Is not your password.")
	b.post("/account/password", "password", demo.Password, "new_password", "short").holds(t, "Write 10 to 200 letters")
	b.post("/account/password", "password", demo.Password, "new_password", "six old rowing boats").to(t)
	if p := elsewhere.get("/runners"); p.code != http.StatusSeeOther {
		t.Errorf("signed in elsewhere with a password that is gone: %d", p.code)
	}
	secret := regexp.MustCompile(`<code class="address">([A-Z2-7]+)</code>`).FindStringSubmatch(b.get("/account").body)[1]
	code := func(at time.Time) string {
		c, err := totp.GenerateCode(secret, at)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	if p := b.post("/account/second", "code", "000000"); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, secret) {
		t.Errorf("a wrong code: %d", p.code)
	}
	p := b.post("/account/second", "code", code(now))
	p.holds(t, "Write these down", "10 codes on paper left")
	paper := regexp.MustCompile(`<li><code>([\w-]+)</code>`).FindStringSubmatch(p.body)[1]
	again := s.visitor(t)
	if to := again.post("/sign-in", "login", "teal", "password", "six old rowing boats", "next", "/due").to(t); to != "/second?next=%2Fdue" {
		t.Fatalf("to %s", to)
	}
	for _, path := range []string{"/", "/runners/2", "/account", "/fits/2/card", "/due/buying.csv"} {
		if p := again.get(path); p.code != http.StatusSeeOther || p.header.Get("Location") != "/second" {
			t.Errorf("%s before the second factor: %d %s", path, p.code, p.header.Get("Location"))
		}
	}
	again.post("/second", "code", "111111", "next", "/due").holds(t, "Is not the one of this moment")
	if to := again.post("/second", "code", paper, "next", "/due").to(t); to != "/due" {
		t.Errorf("to %s", to)
	}
	again.get("/due").holds(t, "Due")
	b.post("/account/second/end", "end_password", "six old rowing boats").to(t)
	if to := s.visitor(t).post("/sign-in", "login", "teal", "password", "six old rowing boats").to(t); to != "/" {
		t.Errorf("to %s", to)
	}
	// The owner's page.
	owner := s.as(t, "isolde")
	owner.get("/people").holds(t, "Teal Marsh", "signs in as teal", "Somebody new")
	owner.post("/people", "name", "New Hand", "login", "hand", "password", "password123", "role", "fitter").holds(t, "guessed first",
		`value="New Hand"`)
	owner.post("/people", "name", "New Hand", "login", "hand", "password", "six old rowing boats", "role", "trainee").to(t)
	hand := s.visitor(t)
	hand.post("/sign-in", "login", "hand", "password", "six old rowing boats").to(t)
	if p := hand.get("/people"); p.code != http.StatusForbidden {
		t.Errorf("a trainee sees the people: %d", p.code)
	}
	id := regexp.MustCompile(`/people/(\d+)/role`).FindAllStringSubmatch(owner.get("/people").body, -1)
	var newest string
	for _, m := range id {
		if newest < m[1] {
			newest = m[1]
		}
	}
	owner.post("/people/"+newest+"/role", "role", "emperor").holds(t, "Choose one of")
	owner.post("/people/"+newest+"/role", "role", "fitter").to(t)
	owner.post("/people/" + newest + "/disable").to(t)
	if p := hand.get("/"); p.code != http.StatusSeeOther {
		t.Errorf("barred, and yet in: %d", p.code)
	}
	owner.post("/people/999/disable").isGone(t)
	// Who did what stands in the log, with filters and as a file.
	s.as(t, "corin").get("/fits/2/feet")
	owner.get("/audit").holds(t, "Corin Vane", "saw", "account", "New Hand")
	if p := owner.get("/audit?did=saw&runner=2"); !strings.Contains(p.body, "runner 2") || strings.Contains(p.body, "/account/password") {
		t.Errorf("the filter lets through: %d", p.code)
	}
	owner.get("/audit?did=erased").holds(t, "No entries.")
	if p := owner.get("/audit/file.csv?did=account"); p.code != http.StatusOK ||
		!strings.HasPrefix(p.body, "Number,When,Who,Did,What,Where,Runner") ||
		!strings.Contains(p.body, "/account/password") {
		t.Errorf("%d %.300s", p.code, p.body)
	}
	owner.get("/retention").holds(t, "What goes, and when", "Films that nobody agreed to keep", "two hours",
		"Health answers agreed to for a year")
	// What matters asks for the password again once it was told long ago.
	if _, err := s.store.DB.Exec("UPDATE signed_in SET asked_at = asked_at - INTERVAL 1 HOUR"); err != nil {
		t.Fatal(err)
	}
	owner.get("/runners/2").holds(t, "Your password")
	owner.post("/runners/2/export").holds(t, "Is missing; tell it once more")
	owner.post("/runners/2/export", "own_password", "wrong").holds(t, "Is not your password")
	owner.post("/runners/2/export", "own_password", demo.Password).holds(t, "trevik.export/v1")
	owner.post("/runners/2/erase", "erase_name", "x").holds(t, "Is not their name") // told a moment ago: not asked again
	// A second factor for everybody: nothing goes on before it.
	owner.post("/shop", "second_factor", "required").to(t)
	if p := owner.get("/runners"); p.header.Get("Location") != "/account" {
		t.Errorf("%d %s", p.code, p.header.Get("Location"))
	}
	owner.get("/account").holds(t, "Your shop asks for a second factor")
}

func (p page) isGone(t *testing.T) {
	t.Helper()
	if p.code != http.StatusNotFound {
		t.Errorf("%d, want 404", p.code)
	}
}

// Files that stop coming are told so at their field, and not as a database that is away; a form of
// more files than a browser sends at once arrives whole.
func TestUploadsArriveOrSayWhy(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "isolde")
	was := kit.QuietTime
	kit.QuietTime = 200 * time.Millisecond
	t.Cleanup(func() { kit.QuietTime = was })
	in, out := io.Pipe()
	form := multipart.NewWriter(out)
	go func() {
		_ = form.WriteField("token", tokenOf(1))
		part, _ := form.CreateFormFile("runs_file", "run.gpx")
		_, _ = part.Write([]byte("<gpx>"))
		time.Sleep(time.Second) // and then nothing more
		_ = out.Close()
	}()
	r, err := http.NewRequest(http.MethodPost, s.URL+"/fits/2/runs/file", in)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Content-Type", form.FormDataContentType())
	if p := b.do(r); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "Came too slowly") {
		t.Errorf("%d %v", p.code, regexp.MustCompile(`<p class="err"[^>]*>[^<]+`).FindAllString(p.body, -1))
	}
	kit.QuietTime = was
	var body bytes.Buffer
	form = multipart.NewWriter(&body)
	_ = form.WriteField("token", tokenOf(2))
	const files = 1500
	for i := range files {
		part, err := form.CreateFormFile("runs_file", fmt.Sprintf("%d.gpx", i))
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(part, `<gpx version="1.1"><trk><name>%d</name></trk></gpx>`, i)
	}
	_ = form.Close()
	r, err = http.NewRequest(http.MethodPost, s.URL+"/fits/2/runs/file", &body)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Content-Type", form.FormDataContentType())
	b.do(r).to(t)
	var there int
	if err := s.store.DB.QueryRow("SELECT COUNT(DISTINCT number) FROM upload_files").Scan(&there); err != nil || there != files {
		t.Errorf("%d of %d files arrived, %v", there, files, err)
	}
}
