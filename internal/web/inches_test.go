package web_test

import (
	"html"
	"regexp"
	"strings"
	"testing"
)

var (
	scripts  = regexp.MustCompile(`(?s)<(script|style)[^>]*>.*?</(script|style)>`)
	spoken   = regexp.MustCompile(`(?:aria-label|title|placeholder|alt)="([^"]*)"`)
	inMetric = regexp.MustCompile(`.{0,50}\b\d*(mm|cm|km)\b.{0,30}`)
	inInches = regexp.MustCompile(`\b\d*(in|mi)\b`)
)

// metric are the places of a page that tell of mm or km, to the eye and to the ear, but for the
// switch itself.
func metric(body string) (found []string) {
	body = scripts.ReplaceAllString(body, "")
	var texts []string
	for _, m := range spoken.FindAllStringSubmatch(body, -1) {
		texts = append(texts, m[1])
	}
	for _, x := range append(texts, strings.Split(tags.ReplaceAllString(body, "\n"), "\n")...) {
		x = strings.Join(strings.Fields(html.UnescapeString(x)), " ")
		if m := inMetric.FindString(x); m != "" && !strings.Contains(x, "→") {
			found = append(found, m)
		}
	}
	return found
}

// Who reads inches and miles finds no mm and no km on any page of the demo's world, in no chart,
// on no card, on no phone and in no calendar.
func TestInchesEverywhere(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "isolde")
	for i, f := range corpusForms {
		b.post(f[0], append([]string{"token", tokenOf(i)}, f[1:]...)...)
	}
	next := len(corpusForms)
	send := func(path string, form ...string) page {
		t.Helper()
		next++
		return b.post(path, append([]string{"token", tokenOf(next)}, form...)...)
	}
	send("/fits/2/pairs", "model", "Sundrey Plover 2, women", "uk", "6", "width", "B", "price", "125", "since", "2026-11-20").to(t)
	care := b.get("/runners/2/care").body
	bare := regexp.MustCompile(`<option value="(\d+)"\s*>Sundrey Plover 2`).FindStringSubmatch(care)[1]
	send("/runners/2/changes", "change_from", "3", "change_to", bare, "change_km", "30", "change_goal", "50", "change_start",
		"2026-11-16").to(t)
	b.post("/me/units", "units", "imperial", "back", "/").to(t)
	for _, path := range append(corpusPaths(), "/fits/4/shoes?with=norrbeck-skua-4-men&with=norrbeck-skua-3-men",
		"/fits/4/shoes?x=drop&y=stack", "/shoes/models/1", "/sheets/lacing", "/sheets/strength", "/practice") {
		p := b.get(path)
		if p.code != 200 {
			t.Errorf("%s: %d", path, p.code)
		}
		for _, x := range metric(p.body) {
			t.Errorf("%s: %s", path, x)
		}
	}
	// A fault is told in inches, and what was typed stands in it as it was typed.
	send("/shop", "room.thumb_low", "700").holds(t, "0.31 to 1.57 in")
	// A value that was not touched stays as it was, however it is rounded for the page.
	shop := b.get("/shop").body
	var form []string
	for _, m := range regexp.MustCompile(`<input id="s-[^"]*" name="([^"]+)" value="([^"]*)"`).FindAllStringSubmatch(shop, -1) {
		form = append(form, m[1], html.UnescapeString(m[2]))
	}
	send("/shop", form...).to(t)
	if other := regexp.MustCompile(`\d+ not as shipped`).FindString(b.get("/shop").body); other != "" {
		t.Errorf("saving the page as it stands: %s", other)
	}
	catalogue, model := b.get("/shoes/export").body, b.get("/shoes/models/1").body
	model, _, _ = strings.Cut(model, `id="box"`) // its boxes have forms of their own
	form = []string{"stock_shown", regexp.MustCompile(`name="stock_shown" value="([^"]*)"`).FindStringSubmatch(model)[1]}
	for _, m := range regexp.MustCompile(`<input id="f-[^>]* name="([^"]+)"[^>]* value="([^"]*)"`).FindAllStringSubmatch(model, -1) {
		form = append(form, m[1], html.UnescapeString(m[2]))
	}
	for _, m := range regexp.MustCompile(`(?s)<select id="[^"]*" name="([^"]+)".*?</select>`).FindAllStringSubmatch(model, -1) {
		if on := regexp.MustCompile(`<option value="([^"]*)"\s+selected`).FindStringSubmatch(m[0]); on != nil {
			form = append(form, m[1], on[1])
		}
	}
	if p := send("/shoes/models/1", form...); p.code >= 400 {
		t.Fatal(regexp.MustCompile(`<p class="(err|notice)"[^>]*>[^<]+`).FindAllString(p.body, -1), form)
	}
	if b.get("/shoes/export").body != catalogue || len(form) < 40 {
		t.Error("saving a model as it stands moves it")
	}
	// The runner's page begins with the shop's units, and has a switch of its own.
	address := regexp.MustCompile(`/r/[\w-]{32}`).FindString(send("/runners/2/link").body)
	if address == "" {
		t.Fatal("no address")
	}
	phone := s.visitor(t)
	own := phone.get(address)
	if found := metric(own.body); len(found) > 0 || !inInches.MatchString(own.body) {
		t.Errorf("%s: %v", address, found)
	}
	feed := regexp.MustCompile(`/calendar/[\w-]+\.ics`).FindString(phone.post(address+"/calendar", "token", tokenOf(next+1)).body)
	if text := phone.get(feed).body; inMetric.MatchString(text) || !strings.Contains(text, " mi ") {
		t.Errorf("the calendar: %s", text)
	}
	phone.post(address+"/units", "token", tokenOf(next+2), "units", "metric").to(t)
	if found := metric(phone.get(address).body); len(found) == 0 {
		t.Error("the switch of the runner's page does nothing")
	}
	if found := metric(b.get("/fits/1/feet").body); len(found) > 0 {
		t.Errorf("and moves the shop's: %v", found)
	}
}
