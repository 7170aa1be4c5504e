package web_test

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/alexedwards/argon2id"

	"trevik/internal/app"
	"trevik/internal/app/people"
	"trevik/internal/core/foot"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/demo"
	"trevik/internal/record"
	"trevik/internal/store"
	"trevik/internal/store/storetest"
	"trevik/internal/web"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// Signing in by the hundred, the tests hash for little.
func init() {
	people.HashParams = &argon2id.Params{Memory: 1024, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}
}

var now = time.Date(2026, 11, 24, 13, 0, 0, 0, time.UTC)

type site struct {
	*httptest.Server
	web   *web.Server
	store *store.Store
	log   *lockedBuffer
}

type lockedBuffer struct {
	sync.Mutex
	bytes.Buffer
}

func (b *lockedBuffer) Write(p []byte) (int, error) {
	b.Lock()
	defer b.Unlock()
	return b.Buffer.Write(p)
}

// newSite serves a fresh demo world.
func newSite(t testing.TB) *site {
	t.Helper()
	s := storetest.New(t)
	if err := demo.Fill(context.Background(), s, now); err != nil {
		t.Fatal(err)
	}
	return serve(t, s)
}

func serve(t testing.TB, s *store.Store) *site {
	t.Helper()
	log := &lockedBuffer{}
	w := web.New(web.Config{Store: s, Clock: func() time.Time { return now }, Log: slog.New(slog.NewJSONHandler(log, nil))})
	srv := httptest.NewServer(w.Handler)
	t.Cleanup(func() {
		srv.Close()
		w.Close()
		for _, line := range strings.Split(log.String(), "\n") {
			if t.Failed() && strings.Contains(line, `"level":"ERROR"`) {
				t.Log(line)
			}
		}
	})
	return &site{srv, w, s, log}
}

// browser is a person at a browser.
type browser struct {
	t testing.TB
	*http.Client
	base string
}

func (s *site) visitor(t testing.TB) *browser {
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &browser{t, &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }},
		s.URL}
}

func (s *site) as(t testing.TB, login string) *browser {
	t.Helper()
	b := s.visitor(t)
	if p := b.post("/sign-in", "login", login, "password", demo.Password); p.code != http.StatusSeeOther {
		t.Fatalf("signing in as %s: %d %s", login, p.code, p.body)
	}
	return b
}

type page struct {
	code   int
	body   string
	header http.Header
}

func (b *browser) do(r *http.Request) page {
	b.t.Helper()
	res, err := b.Do(r)
	if err != nil {
		b.t.Fatal(err)
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	if err != nil {
		b.t.Fatal(err)
	}
	// A template's line may go on in the next one.
	return page{res.StatusCode, strings.ReplaceAll(string(body), "\n\t", " "), res.Header}
}

func (b *browser) get(path string) page {
	b.t.Helper()
	r, err := http.NewRequest(http.MethodGet, b.base+path, nil)
	if err != nil {
		b.t.Fatal(err)
	}
	return b.do(r)
}

func (b *browser) request(path string, pairs []string) *http.Request {
	b.t.Helper()
	form := url.Values{}
	for i := 0; i+1 < len(pairs); i += 2 {
		form.Add(pairs[i], pairs[i+1])
	}
	if !form.Has("token") { // every page gives its forms one
		form.Set("token", rand.Text())
	}
	r, err := http.NewRequest(http.MethodPost, b.base+path, strings.NewReader(form.Encode()))
	if err != nil {
		b.t.Fatal(err)
	}
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return r
}

func (b *browser) post(path string, pairs ...string) page {
	b.t.Helper()
	return b.do(b.request(path, pairs))
}

// htmx sends one control as it is changed.
func (b *browser) htmx(path string, pairs ...string) page {
	b.t.Helper()
	r := b.request(path, pairs)
	r.Header.Set("HX-Request", "true")
	return b.do(r)
}

func (p page) to(t testing.TB) string {
	t.Helper()
	if p.code != http.StatusSeeOther {
		t.Fatalf("%d, want a redirect: %.600s", p.code, p.body)
	}
	return p.header.Get("Location")
}

func (p page) holds(t testing.TB, texts ...string) {
	t.Helper()
	for _, s := range texts {
		if !strings.Contains(p.body, s) {
			t.Errorf("%d: no %q in %.300s", p.code, s, p.body)
		}
	}
}

const token = "ABCDEFGHIJKLMNOPQRSTUVWX"

func tokenOf(n int) string { return token + string("ABCDEFGH"[n/8]) + string("ABCDEFGH"[n%8]) }

// The whole fit, as forms are sent by a browser without scripts.
func TestJourney(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	b.get("/").holds(t, "Fits under way", "Jorun Stoker", "Pairs nearing their end", "Edric Belltower")

	fit := strings.TrimSuffix(b.post("/new-fit", "token", tokenOf(1), "name", "Willa Harbour", "contact", "berth nine", "chart",
		"women").to(t), "/hello")
	if again := b.post("/new-fit", "token", tokenOf(1), "name", "Willa Harbour", "contact", "berth nine", "chart",
		"women").to(t); again != fit+"/hello" {
		t.Errorf("sent twice: %s and %s", fit, again)
	}
	b.get(fit+"/hello").holds(t, "Willa Harbour", "Ask these first")
	b.post(fit+"/hello", "flags", "", "flags", "none", "complaints", "none", "surface", "road", "week_kind.1", "easy", "week_ground.1",
		"road", "week_km.1", "20",
		"week_kind.2", "long", "week_ground.2", "road", "week_km.2", "10", "mass_kg", "62", "budget", "170", "budget_firm", "not_above").to(t)
	b.post(fit+"/old-pair", "present_level", "neutral", "felt_right", "yes", "present_drop_mm", "9").to(t)
	b.post(fit+"/feet", "length_mm.left.1", "245", "length_mm.left.2", "246", "length_mm.right.1", "247", "length_mm.right.2", "247",
		"ball_mm.left.1", "91", "ball_mm.left.2", "91", "ball_mm.right.1", "92", "ball_mm.right.2", "92").to(t)
	b.get(fit+"/feet").holds(t, "245.5 mm", "8.5", "39.5", "The <b class=\"side right\">right</b> foot is 1.5 mm longer")
	b.post(fit+"/print", "arch.left", "low", "arch_sure.left", "sure", "arch.right", "medium", "arch_sure.right", "fairly").to(t)
	b.post(fit+"/gait", "band.left", "neutral", "band_sure.left", "sure", "band.right", "neutral", "band_sure.right", "sure", "strike",
		"heel").to(t)
	b.get(fit+"/support").holds(t, "Neutral", "A low arch, yet a neutral gait (left)", "Comfort first", "Missing: wear")
	shoes := b.get(fit + "/shoes")
	shoes.holds(t, "offered", "ruled out", "mm of room", "Why this score")
	model := regexp.MustCompile(`name="model" value="([^"]+)"`).FindStringSubmatch(shoes.body)[1]
	b.post(fit+"/choose", "token", tokenOf(2), "model", model, "reason", "like slippers").to(t)
	b.get(fit+"/rotation").holds(t, "<b>takes ")
	dist := b.get(fit + "/distance")
	dist.holds(t, "Log a run")
	pair := regexp.MustCompile(`<option value="(\d+)"`).FindStringSubmatch(dist.body)[1]
	b.post(fit+"/runs", "token", tokenOf(3), "pair", pair, "on", "2026-11-24", "km", "10", "kind", "easy", "ground", "road", "wet",
		"yes").to(t)
	b.get(fit+"/distance").holds(t, "10 km", `11.5 km <a class="gloss"`, "Order by", "2027")
	b.get(fit+"/card").holds(t, "Willa Harbour", "245.5 mm", "Neutral", "like slippers", "Order the next by", "fitted by Teal Marsh")
	b.post(fit + "/close").to(t)
	if p := b.post(fit+"/gait", "band.left", "mild"); p.code != http.StatusConflict {
		t.Errorf("a closed fit takes a finding: %d", p.code)
	}
}

// The page and the command compute the same: the page's sizes are core's.
func TestPageAndCoreAgree(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	fit := "/fits/1"
	a := s.web.Env.App
	who, err := a.People.ActorNamed(context.Background(), "teal")
	if err != nil {
		t.Fatal(err)
	}
	f, err := a.Visits.Fit(context.Background(), who, 1)
	if err != nil {
		t.Fatal(err)
	}
	l := 262.5
	ball := 100.5
	size, err := foot.SizeOf(term.Men, l, &ball, nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	b.get(fit+"/feet").holds(t, fmt.Sprintf("<td>%g</td><td>%g</td><td>%g</td>", size.US, size.UK, size.EU))
	answer, err := support.Decide(f.Evidence())
	if err != nil {
		t.Fatal(err)
	}
	b.get(fit+"/support").holds(t, fmt.Sprintf("Confidence %.0f %%", 100*answer.Confidence))
}

// Every route lets in whom the table lets in, and nobody else.
func TestRoutesAndRoles(t *testing.T) {
	s := newSite(t)
	staff := map[app.Role]*browser{app.Owner: s.as(t, "isolde"), app.Fitter: s.as(t, "teal"), app.Trainee: s.as(t, "wick")}
	stranger := s.visitor(t)
	fill := strings.NewReplacer(":fit", "4", ":runner", "4", ":pair", "999", ":run", "999")
	for _, r := range s.web.Routes {
		path := fill.Replace(r.Path)
		send := func(b *browser) page {
			if r.Method == http.MethodGet {
				return b.get(path)
			}
			return b.post(path, "nonsense", "1")
		}
		if r.Roles == nil {
			if r.Path == "/sign-out" {
				continue // it would end the session under test
			}
			if p := send(stranger); p.code == http.StatusForbidden || p.code >= 500 {
				t.Errorf("%s %s keeps a visitor out: %d", r.Method, r.Path, p.code)
			}
			continue
		}
		if p := send(stranger); p.code != http.StatusSeeOther || !strings.HasPrefix(p.header.Get("Location"), "/sign-in?next=") {
			t.Errorf("%s %s lets a visitor in: %d", r.Method, r.Path, p.code)
		}
		for role, b := range staff {
			p := send(b)
			if slices.Contains(r.Roles, role) == (p.code == http.StatusForbidden) || p.code >= 500 {
				t.Errorf("%s %s as %s: %d", r.Method, r.Path, role, p.code)
			}
			if r.Method == http.MethodPost && p.code != http.StatusForbidden && p.code != http.StatusUnprocessableEntity &&
				p.code != http.StatusNotFound {
				t.Errorf("%s %s as %s takes an unknown field: %d", r.Method, r.Path, role, p.code)
			}
		}
	}
}

func TestErrorsAtTheirField(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	p := b.post("/fits/4/feet", "length_mm.left.1", "26,5", "length_mm.right.1", "271.5", "ball_mm.left.1", "wide")
	if p.code != http.StatusUnprocessableEntity {
		t.Fatalf("%d", p.code)
	}
	p.holds(t, `value="26,5"`, "Enter a length from 180 to 340 mm, not 26,5.", `value="wide"`, "this is not a number", `value="271.5"`)
	b.get("/fits/4/feet").holds(t, `value="271.5"`, `value="281"`) // the good one is kept, the bad one changed nothing

	p = b.htmx("/fits/4/feet", "length_mm.left.1", "500")
	if p.code != http.StatusUnprocessableEntity || strings.Contains(p.body, "<!doctype") {
		t.Errorf("%d %.200s", p.code, p.body)
	}
	p.holds(t, `id="err-f-length_mm-left-1"`, "Enter a length from 180 to 340 mm")
	p = b.htmx("/fits/4/feet", "length_mm.left.1", "282")
	p.holds(t, "saved 13:00", "undo", `id="rail"`, `id="slips"`, "281.8 mm")
	if p.code != http.StatusOK {
		t.Errorf("%d", p.code)
	}
	ids := regexp.MustCompile(`name="ids" value="([\d,]+)"`).FindStringSubmatch(p.body)[1]
	b.post("/fits/4/undo", "station", "feet", "ids", ids).to(t)
	b.get("/fits/4/feet").holds(t, `value="281"`)

	for name, c := range map[string]struct {
		path  string
		pairs []string
		text  string
	}{
		"no name": {"/new-fit", []string{"token", tokenOf(9), "name", " ", "chart", "men"},
			"Write something, 120 letters at most"},
		"too long a name": {"/new-fit", []string{"token", tokenOf(9), "name", strings.Repeat("x", 121), "chart", "men"},
			"this is 121 letters long"},
		"no chart":           {"/new-fit", []string{"token", tokenOf(9), "name", "X"}, "Choose one of men, women, youth"},
		"an old form":        {"/new-fit", []string{"token", "", "name", "X", "chart", "men"}, "out of date"},
		"none beside others": {"/fits/4/hello", []string{"flags", "none", "flags", "limp"}, "&#39;none&#39; beside others"},
		"an unknown word":    {"/fits/4/gait", []string{"band.left", "wild"}, "Choose one of underpronates, neutral"},
		"a run tomorrow": {"/fits/1/runs", []string{"token", tokenOf(9), "pair", "1", "on", "2026-11-25", "km", "5", "kind", "easy",
			"ground", "road"}, "this is after today"},
		"a run of letters": {"/fits/1/runs", []string{"token", tokenOf(9), "pair", "1", "on", "2026-11-24", "km", "far", "kind", "easy",
			"ground", "road"}, "this is not a number"},
		"another's pair": {"/fits/2/runs", []string{"token", tokenOf(9), "pair", "1", "on", "2026-11-24", "km", "5", "kind", "easy",
			"ground", "road"}, "Is not one of this runner"},
		"a pair of no size": {"/fits/4/pairs", []string{"token", tokenOf(9), "model", "norrbeck-skua-4-men", "uk", "4", "since", "2026-01-01"},
			"a size that is not made"},
		"no reason to go on":  {"/fits/6/overrule", []string{"reason", "eh"}, "Write 10 to 1000 letters; this is 2 letters long"},
		"a model that is not": {"/fits/4/choose", []string{"token", tokenOf(9), "model", "boot"}, "not among the models"},
	} {
		p := b.post(c.path, c.pairs...)
		if p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, c.text) {
			t.Errorf("%s: %d, no %q in %.3000s", name, p.code, c.text, p.body)
		}
	}
}

func TestNotHere(t *testing.T) {
	s := newSite(t)
	ctx := context.Background()
	a := s.web.Env.App
	shop, err := a.People.AddShop(ctx, "Other", "EUR")
	if err != nil {
		t.Fatal(err)
	}
	other, err := a.People.AddUser(ctx, shop, "Other", "other", demo.Password, app.Owner)
	if err != nil {
		t.Fatal(err)
	}
	theirs, err := a.Visits.Start(ctx, other, record.Runner{Name: "Theirs", Chart: term.Men})
	if err != nil {
		t.Fatal(err)
	}
	b := s.as(t, "isolde")
	for _, path := range []string{"/nowhere", "/fits/99999/feet", "/fits/x/feet", "/fits/0/feet", "/fits/-1/feet",
		"/fits/18446744073709551616/feet", "/runners/99999", fmt.Sprintf("/fits/%d/feet", theirs)} {
		if p := b.get(path); p.code != http.StatusNotFound || !strings.Contains(p.body, "Not here") {
			t.Errorf("%s: %d", path, p.code)
		}
	}
	if p := b.post("/new-fit", "token", tokenOf(21), "runner", "9999"); p.code != http.StatusNotFound {
		t.Errorf("a runner who is not there: %d", p.code)
	}
	if p := b.post("/fits/4/try-on", "try_comfort.99999", "5"); p.code != http.StatusNotFound {
		t.Errorf("a model that is not there: %d", p.code)
	}
	if p := b.do(mustRequest(t, http.MethodDelete, s.URL+"/fits/4/feet")); p.code != http.StatusMethodNotAllowed {
		t.Errorf("DELETE: %d", p.code)
	}
}

func mustRequest(t testing.TB, method, url string) *http.Request {
	t.Helper()
	r, err := http.NewRequest(method, url, nil)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func TestSessionsAndSigningIn(t *testing.T) {
	s := newSite(t)
	b := s.visitor(t)
	if to := b.get("/fits/4/feet?x=1").to(t); to != "/sign-in?next=%2Ffits%2F4%2Ffeet%3Fx%3D1" {
		t.Errorf("to %s", to)
	}
	if p := b.post("/sign-in", "login", "teal", "password", "wrong", "next", "/fits/4/feet"); p.code != http.StatusUnauthorized ||
		!strings.Contains(p.body, "The name or the password is not right") || !strings.Contains(p.body, `value="teal"`) {
		t.Errorf("%d", p.code)
	}
	for next, want := range map[string]string{"/fits/4/feet": "/fits/4/feet", "//evil.example/": "/", "https://evil.example/": "/",
		`/\evil.example`: "/", "": "/"} {
		if to := s.visitor(t).post("/sign-in", "login", "teal", "password", demo.Password, "next", next).to(t); to != want {
			t.Errorf("next %q leads to %q", next, to)
		}
	}
	first := b.cookie()
	b.post("/sign-in", "login", "teal", "password", demo.Password).to(t)
	if b.cookie() == first {
		t.Error("the session's token is not renewed at signing in")
	}
	// A lost session in mid-form: htmx is told where to go, and comes back.
	lost := s.as(t, "teal")
	if _, err := s.store.DB.Exec("DELETE FROM sessions"); err != nil {
		t.Fatal(err)
	}
	r := lost.request("/fits/4/feet", []string{"length_mm.left.1", "280"})
	r.Header.Set("HX-Request", "true")
	r.Header.Set("Referer", s.URL+"/fits/4/feet")
	if p := lost.do(r); p.code != http.StatusUnauthorized || p.header.Get("HX-Redirect") != "/sign-in?next=%2Ffits%2F4%2Ffeet" {
		t.Errorf("%d %v", p.code, p.header)
	}
	// Signed out is signed out.
	out := s.as(t, "teal")
	out.post("/sign-out").to(t)
	if p := out.get("/"); p.code != http.StatusSeeOther {
		t.Errorf("signed out, yet %d", p.code)
	}
	// Somebody who was disabled is out at once.
	gone := s.as(t, "corin")
	if _, err := s.store.DB.Exec("UPDATE users SET disabled_at = NOW() WHERE login = 'corin'"); err != nil {
		t.Fatal(err)
	}
	if p := gone.get("/"); p.code != http.StatusSeeOther {
		t.Errorf("disabled, yet %d", p.code)
	}
	for range people.TriesByLogin {
		b.post("/sign-in", "login", "wick", "password", "wrong")
	}
	if p := b.post("/sign-in", "login", "wick", "password", demo.Password); p.code != http.StatusTooManyRequests ||
		p.header.Get("Retry-After") == "" {
		t.Errorf("after too many tries: %d", p.code)
	}
}

func (b *browser) cookie() string {
	u, _ := url.Parse(b.base)
	for _, c := range b.Jar.Cookies(u) {
		if c.Name == "trevik" { // the browser's own mark stands beside it
			return c.Value
		}
	}
	return ""
}

func TestHeadersAndOrigins(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	for _, path := range []string{"/", "/sign-in", "/nowhere", "/health"} {
		p := b.get(path)
		csp := p.header.Get("Content-Security-Policy")
		if !strings.Contains(csp, "default-src 'none'") || strings.Contains(csp, "unsafe") ||
			p.header.Get("X-Content-Type-Options") != "nosniff" || p.header.Get("X-Request-Id") == "" {
			t.Errorf("%s: %v", path, p.header)
		}
	}
	p := b.get("/fits/4/support")
	if regexp.MustCompile(`<script>|\son\w+="|\sstyle="|javascript:`).MatchString(p.body) {
		t.Error("inline script or style on a page")
	}
	for _, m := range regexp.MustCompile(`(?:href|src)="([^"]+)"`).FindAllStringSubmatch(p.body, -1) {
		if !strings.HasPrefix(m[1], "/") && !strings.HasPrefix(m[1], "#") {
			t.Errorf("the page points to %s", m[1])
		}
	}
	r := b.request("/me/theme", []string{"theme", "dim", "back", "/"})
	r.Header.Set("Sec-Fetch-Site", "cross-site")
	if p := b.do(r); p.code != http.StatusForbidden {
		t.Errorf("a form from another site: %d", p.code)
	}
	r = b.request("/me/theme", []string{"theme", "dim", "back", "/"})
	r.Header.Set("Origin", "https://evil.example")
	if p := b.do(r); p.code != http.StatusForbidden {
		t.Errorf("a form from another origin: %d", p.code)
	}
	if p := b.post("/fits/4/hello", "present", strings.Repeat("x", 2<<20)); p.code != http.StatusRequestEntityTooLarge {
		t.Errorf("2 MiB: %d", p.code)
	}
	asset := regexp.MustCompile(`/assets/\w+/app\.js`).FindString(p.body)
	if p := b.get(asset); p.code != http.StatusOK || !strings.Contains(p.header.Get("Cache-Control"), "immutable") {
		t.Errorf("%s: %d %v", asset, p.code, p.header)
	}
	for _, path := range []string{"/assets/x/../web.go", "/assets/x/", "/assets/x/none.js"} {
		if p := b.get(path); p.code == http.StatusOK {
			t.Errorf("%s is served", path)
		}
	}
}

// The cookie of a served site travels over TLS alone, and never to a script.
func TestCookieFlags(t *testing.T) {
	s := storetest.New(t)
	if err := demo.Fill(context.Background(), s, now); err != nil {
		t.Fatal(err)
	}
	w := web.New(web.Config{Store: s, Clock: time.Now, Log: slog.New(slog.DiscardHandler), Secure: true})
	defer w.Close()
	rec := httptest.NewRecorder()
	r := httptest.NewRequest(http.MethodPost, "/sign-in", strings.NewReader("login=teal&password="+demo.Password))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	w.Handler.ServeHTTP(rec, r)
	c := rec.Result().Cookies()
	if len(c) != 2 || slices.ContainsFunc(c, func(c *http.Cookie) bool {
		return !c.Secure || !c.HttpOnly || c.SameSite != http.SameSiteLaxMode || !strings.HasPrefix(c.Name, "__Host-")
	}) {
		t.Errorf("%+v", c)
	}
}

// The log tells what happened and nothing of whom.
func TestLogHoldsNobody(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	b.get("/runners?q=Jorun")
	b.get("/fits/4/card")
	s.log.Lock()
	defer s.log.Unlock()
	text := s.log.String()
	for _, secret := range []string{"Jorun", "Stoker", "teal", demo.Password, "/fits/4"} {
		if strings.Contains(text, secret) {
			t.Errorf("the log holds %q", secret)
		}
	}
	var line map[string]any
	first, _, _ := strings.Cut(text, "\n")
	if err := json.Unmarshal([]byte(first), &line); err != nil || line["request"] == nil || line["status"] == nil ||
		line["route"] != "/sign-in" {
		t.Errorf("%v in %q", err, first)
	}
}

func TestTraineeAndOwner(t *testing.T) {
	s := newSite(t)
	trainee, owner := s.as(t, "wick"), s.as(t, "isolde")
	if p := trainee.get("/fits/6/support"); strings.Contains(p.body, "Go on all the same") {
		t.Error("a trainee is offered the overrule")
	}
	owner.post("/fits/6/overrule", "reason", "cleared by the clinician this morning").to(t)
	trainee.get("/fits/6/support").holds(t, "Isolde Quay went on in spite of a caution", "cleared by the clinician")
	owner.post("/shop", "lead_school", "pronation_matched").to(t)
	trainee.get("/fits/4/support").holds(t, "Matched to pronation <span class=\"tag\">leads")
	trainee.get("/fits/1/support").holds(t, "Comfort first <span class=\"tag\">leads") // closed under it
	trainee.get("/fits/1/card").holds(t, "School that leads: comfort first then, pronation matched now")
	if p := owner.post("/shop", "lead_school", "loudest"); p.code != http.StatusUnprocessableEntity {
		t.Errorf("%d", p.code)
	}
	trainee.post("/me/units", "units", "imperial", "back", "/fits/1/feet").to(t)
	trainee.get("/fits/1/feet").holds(t, "10.33 in", `value="10.31"`)
}

// The database goes away and comes back: a plain page, then work as before.
func TestDatabaseAway(t *testing.T) {
	s := newSite(t)
	gate := newGate(t, storetest.Server(t).DSN("", nil))
	behind, err := store.Open(strings.Replace(gate.dsn, "/", "/"+database(t, s.store), 1))
	if err != nil {
		t.Fatal(err)
	}
	defer behind.Close()
	if err := behind.Unlock(context.Background(), storetest.OwnerKey, time.Now()); err != nil {
		t.Fatal(err)
	}
	site2 := serve(t, behind)
	b := site2.as(t, "teal")
	b.get("/fits/4/feet").holds(t, "Jorun Stoker")
	gate.close()
	p := b.get("/fits/4/feet")
	if p.code != http.StatusServiceUnavailable || !strings.Contains(p.body, "The database is away") {
		t.Errorf("%d %.300s", p.code, p.body)
	}
	if p := b.htmx("/fits/4/feet", "length_mm.left.1", "283"); p.code != http.StatusServiceUnavailable || strings.Contains(p.body, "<") {
		t.Errorf("htmx: %d %.300s", p.code, p.body)
	}
	if p := b.get("/health"); p.code != http.StatusServiceUnavailable {
		t.Errorf("health: %d", p.code)
	}
	gate.open()
	b.get("/fits/4/feet").holds(t, "Jorun Stoker", `value="281"`)
	if p := b.get("/health"); p.code != http.StatusOK {
		t.Errorf("health afterwards: %d", p.code)
	}
}

func database(t *testing.T, s *store.Store) string {
	t.Helper()
	var name string
	if err := s.DB.QueryRow("SELECT DATABASE()").Scan(&name); err != nil {
		t.Fatal(err)
	}
	return name
}
