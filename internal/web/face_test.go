package web_test

import (
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// Today shows what each fit found, and leads to the first station that found nothing.
func TestTodayDrawsFits(t *testing.T) {
	b := newSite(t).as(t, "teal")
	p := b.get("/")
	p.holds(t, `class="ministrip"`, `href="/fits/4/print">Print ›`, "Jorun Stoker", "To do this week", "Pairs nearing their end")
	if n := strings.Count(p.body, `class="openfit"`); n != 4 {
		t.Errorf("%d fits under way", n)
	}
	if n := strings.Count(p.body, `class="mini"`); n < 4*11 {
		t.Errorf("%d tiny drawings", n)
	}
	// What is found moves it on.
	b.htmx("/fits/4/print", "arch.left", "low", "arch_sure.left", "sure")
	b.get("/").holds(t, `href="/fits/4/shoes">Shoes ›`)
}

func TestSearchEverything(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "wick")
	b.get("/search").holds(t, `name="q"`, "data-search")
	b.get("/search?q=bris").holds(t, `href="/runners/2"`, "Brisa Holloway-Kern")
	p := b.get("/search?q=norr+sku")
	p.holds(t, "Norrbeck Skua 4", `class="shoe"`)
	if strings.Contains(p.body, "Fulmar") {
		t.Error("a model that is not called so")
	}
	code := regexp.MustCompile(`<span>(\d{8,14}): UK`).FindStringSubmatch(b.get("/shoes/models/2").body)
	if code == nil {
		t.Fatal("the demo's boxes have no barcode")
	}
	b.get("/search?q="+code[1]).holds(t, "This box", "Norrbeck Skua 4", "UK ")
	b.get("/search?q=%25").holds(t, "Nothing is called") // a letter, not a pattern
	b.get("/search?q="+strings.Repeat("x", 130)).holds(t, "Nothing is called")
	b.get("/search?q="+url.QueryEscape("<b>x")).holds(t, "&lt;b&gt;x")
	// What is erased is not found.
	owner := s.as(t, "isolde")
	owner.post("/runners/2/erase", "erase_name", "Brisa Holloway-Kern", "own_password", "quay-and-causeway")
	if p := b.get("/search?q=bris"); strings.Contains(p.body, `href="/runners/2"`) {
		t.Error("who was erased is found")
	}
}

// The card shows the address of the runner's own page once, as a code too, and never again.
func TestCardAddress(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	p := b.post("/fits/1/card/address")
	p.holds(t, `class="qr"`, "Your own page")
	at := regexp.MustCompile(`class="address">https?://[^/]+(/r/[\w-]+)<`).FindStringSubmatch(strings.Join(strings.Fields(p.body), " "))
	if at == nil {
		t.Fatalf("%d: no address", p.code)
	}
	s.visitor(t).get(at[1]).holds(t, "Your shoes", "data-worker", `rel="manifest"`)
	if p := b.get("/fits/1/card"); strings.Contains(p.body, at[1]) || strings.Contains(p.body, `class="qr"`) {
		t.Error("the address is shown again")
	}
	if p := s.as(t, "wick").post("/fits/1/card/address"); p.code != http.StatusForbidden {
		t.Errorf("a trainee: %d", p.code)
	}
}

// What a phone keeps for when there is no connection: a form, the pairs, and nothing else of the runner.
func TestOfflinePage(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	page := strings.Join(strings.Fields(b.post("/runners/2/link").body), " ")
	at := regexp.MustCompile(`class="address">https?://[^/]+(/r/[\w-]+)<`).FindStringSubmatch(page)[1]
	v := s.visitor(t)
	p := v.get(at + "/offline")
	p.holds(t, `data-run="offline"`, "Godwit 4", "Sanderling 3", "own.js")
	for _, private := range []string{"Brisa", "km run", "Worn out", "toe"} {
		if strings.Contains(p.body, private) {
			t.Errorf("a phone would keep %q", private)
		}
	}
	v.get(at+"/app.webmanifest").holds(t, "icon-192.png", "icon-512.png", "share_target", "maskable")
	worker := regexp.MustCompile(`data-worker="([^"]+)"`).FindStringSubmatch(p.body)[1]
	w := v.get(worker)
	if w.code != http.StatusOK || w.header.Get("Service-Worker-Allowed") != "/r/" {
		t.Errorf("the worker: %d, may serve %q", w.code, w.header.Get("Service-Worker-Allowed"))
	}
	// A run that is sent again with its token is there once.
	for range 2 {
		v.post(at+"/runs", "token", tokenOf(7), "km", "7.7", "on", "2026-11-23", "pair", "", "kind", "easy", "ground", "road").to(t)
	}
	if n := strings.Count(v.get(at).body, "<b>7.7 km</b>"); n != 1 {
		t.Errorf("%d runs of 7.7 km", n)
	}
	if p := v.get("/r/none/offline"); p.code != http.StatusNotFound {
		t.Errorf("nobody's: %d", p.code)
	}
}

// The runner's page is their home: pairs on one axis, feet, what is next, runs, fits.
func TestRunnerHome(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	b.get("/runners/2").holds(t, `class="cupboard"`, `class="feet"`, "Next", "in the last four weeks", "Fits", "?pair=")
	b.get("/runners/6").holds(t, "No pair yet.", `class="feet"`)
	// Who was never fitted has a page all the same.
	b.post("/new-fit", "name", "Sorrel Causeway", "contact", "", "chart", "men")
	b.get("/runners/9").holds(t, "Sorrel Causeway", "Not measured yet.")
}

// Every word that a page links to stands in the glossary, with a drawing.
func TestGlossaryHasItsWords(t *testing.T) {
	b := newSite(t).as(t, "teal")
	words := b.get("/glossary").body
	linked := map[string]bool{}
	for _, path := range []string{"/fits/2/feet", "/fits/2/print", "/fits/2/gait", "/fits/2/distance"} {
		for _, m := range regexp.MustCompile(`href="/glossary#(\w+)"`).FindAllStringSubmatch(b.get(path).body, -1) {
			linked[m[1]] = true
		}
	}
	if len(linked) < 4 {
		t.Errorf("only %v are linked", linked)
	}
	for key := range linked {
		if !strings.Contains(words, `id="`+key+`"`) {
			t.Errorf("%s is linked and not explained", key)
		}
	}
	for _, m := range regexp.MustCompile(`(?s)<div class="panel" id="(\w+)">.*?</dd>`).FindAllStringSubmatch(words, -1) {
		if !strings.Contains(m[0], "<path") && !strings.Contains(m[0], "<rect") && !strings.Contains(m[0], "<g ") {
			t.Errorf("%s is not drawn", m[1])
		}
	}
}

// The list of runners is in the order of a column, and turns round at a second tap.
func TestRunnersInOrder(t *testing.T) {
	b := newSite(t).as(t, "teal")
	names := func(path string) (out []string) {
		for _, m := range regexp.MustCompile(`<a href="/runners/\d+">([^<]+)</a></th>`).FindAllStringSubmatch(b.get(path).body, -1) {
			out = append(out, m[1])
		}
		return out
	}
	up, down := names("/runners?sort=name"), names("/runners?sort=-name")
	slices.Reverse(down)
	if len(up) != 8 || !slices.IsSorted(up) || !slices.Equal(up, down) {
		t.Errorf("%v, backwards %v", up, down)
	}
	if most := names("/runners?sort=-fits"); len(most) != 8 || most[0] != "Anselm Lockyer" && most[0] != "Tilly Kitewright" {
		t.Errorf("by fits: %v", most)
	}
	b.get("/runners?sort=fits&q=a").holds(t, `aria-sort="ascending"`, "sort=-fits", "q=a")
	if n := len(names("/runners?sort=shoe_size")); n != 8 {
		t.Errorf("by nothing: %d", n)
	}
}
