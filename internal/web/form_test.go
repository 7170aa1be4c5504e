package web_test

import (
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"trevik/internal/record"
	"trevik/internal/web/kit"
)

var (
	formTag  = regexp.MustCompile(`(?s)<form\b[^>]*\bmethod="post"[^>]*>.*?</form>`)
	action   = regexp.MustCompile(`<form\b[^>]*\baction="([^"]*)"`)
	byButton = regexp.MustCompile(`formaction="([^"]*)"`)
	byHTMX   = regexp.MustCompile(`hx-post="([^"]*)"`)
)

// routeOf is the line of the table that a form's address goes to.
func (s *site) routeOf(path string) (kit.Route, bool) {
	for _, r := range s.web.Routes {
		like := regexp.MustCompile(`:\w+`).ReplaceAllString(regexp.QuoteMeta(r.Path), `[^/]+`)
		if r.Method == http.MethodPost && regexp.MustCompile("^"+like+"$").MatchString(path) {
			return r, true
		}
	}
	return kit.Route{}, false
}

// Every form of every page goes to a line of the table, carries a token of its own where that
// asks for one, and what a control sends by itself goes where none is asked for. The address of
// each, loaded again by itself, shows its page.
func TestEveryFormHasItsToken(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "isolde")
	for i, f := range corpusForms {
		b.post(f[0], append([]string{"token", tokenOf(i)}, f[1:]...)...)
	}
	paths := []string{"/", "/due?within=year", "/runners", "/runners/2", "/runners/2/care?place=heel&pair=3", "/new-fit", "/shoes",
		"/shoes/import", "/shoes/new",
		"/shoes/models/1", "/shop", "/learned", "/practice"}
	for _, fit := range []int{2, 4, 6, 10} {
		for _, station := range record.Stations {
			paths = append(paths, fmt.Sprintf("/fits/%d/%s", fit, station))
		}
	}
	tokens := map[string]bool{}
	for _, path := range paths {
		p := b.get(path)
		if p.code != http.StatusOK {
			t.Errorf("%s: %d", path, p.code)
		}
		for _, form := range formTag.FindAllString(p.body, -1) {
			to := action.FindStringSubmatch(form)
			if to == nil {
				t.Errorf("%s: a form that goes nowhere: %.120s", path, form)
				continue
			}
			token := regexp.MustCompile(`name="token" value="([A-Z2-7]{26})"`).FindAllStringSubmatch(form, -1)
			for _, at := range append([]string{to[1]}, flat(byButton.FindAllStringSubmatch(form, -1))...) {
				at, _, _ = strings.Cut(at, "?")
				r, ok := s.routeOf(at)
				if !ok {
					t.Errorf("%s: a form goes to %s, where none is taken", path, at)
				} else if !r.Free && len(token) != 1 {
					t.Errorf("%s: the form to %s has %d tokens", path, at, len(token))
				}
			}
			for _, x := range token {
				if tokens[x[1]] {
					t.Errorf("%s: a token is given twice", path)
				}
				tokens[x[1]] = true
			}
			if again := b.get(to[1]); again.code != http.StatusOK && again.code != http.StatusSeeOther {
				t.Errorf("%s loaded by itself: %d", to[1], again.code)
			}
		}
		for _, at := range flat(byHTMX.FindAllStringSubmatch(p.body, -1)) {
			if r, ok := s.routeOf(at); !ok || !r.Free {
				t.Errorf("%s: a control sends to %s without a token", path, at)
			}
		}
	}
	if len(tokens) < 100 {
		t.Errorf("%d forms", len(tokens))
	}
}

func flat(found [][]string) (out []string) {
	for _, m := range found {
		out = append(out, m[1])
	}
	return out
}

// A form that comes twice is done once; the same token with another content is refused, and so is
// a form without one; what was refused leaves its token free for what is put right.
func TestTokens(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	runs := func() (n int) {
		if err := s.store.DB.QueryRow("SELECT COUNT(*) FROM runs WHERE runner_id = 1 AND withdrawn_at IS NULL").Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	run := func(token, km string) page {
		return b.post("/fits/1/runs", "token", token, "pair", "1", "on", "2026-11-24", "km", km, "kind", "easy", "ground", "road")
	}
	before := runs()
	if p := run(tokenOf(1), "far"); p.code != http.StatusUnprocessableEntity {
		t.Fatalf("%d", p.code)
	}
	run(tokenOf(1), "5").to(t)
	run(tokenOf(1), "5").to(t)
	if n := runs(); n != before+1 {
		t.Errorf("%d runs became %d", before, n)
	}
	if p := run(tokenOf(1), "6"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "was sent before with another content") {
		t.Errorf("another content: %d", p.code)
	}
	for _, bad := range []string{"", "short", strings.Repeat("a", 26)} {
		if p := run(bad, "7"); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "out of date") {
			t.Errorf("token %q: %d", bad, p.code)
		}
	}
	if p := b.post("/fits/1/pairs/1/lifting", "token", tokenOf(1), "lifting_hours", "2"); p.code != http.StatusUnprocessableEntity {
		t.Errorf("another form's token: %d", p.code)
	}
	if n := runs(); n != before+1 {
		t.Errorf("%d runs became %d", before, n)
	}
}
