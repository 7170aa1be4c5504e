package web_test

import (
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// Told once on a runner's page, when they come in stands on Today, at Due, in both calendars and on the
// runner's phone, and is gone from all of them once their fit begins.
func TestWhoComesIn(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	own := s.ownPage(t, "2")
	feed := func(path string) string {
		return regexp.MustCompile(`/calendar/[\w-]{32}\.ics`).FindString(b.post(path).body)
	}
	shops := feed("/due/calendar")
	name := regexp.MustCompile(`<h1>([^<]+)</h1>`).FindStringSubmatch(b.get("/runners/2").body)[1]
	b.post("/runners/2/bookings", "comes_day", "2026-11-24", "comes_at", "9:30", "comes_note", "a flat pair").to(t)
	b.get("/").holds(t, "09:30</b> <a href=\"/runners/2\">"+name+"</a>: a flat pair", "the fit of "+name)
	b.get("/runners/2").holds(t, "Tuesday 24 November 2026, 09:30</b>: a flat pair")
	b.get("/due?kind=comes").holds(t, "Comes in at 09:30: a flat pair", `/runners/2#comes`)
	s.visitor(t).get(own).holds(t, "at <b>09:30</b>")
	if !strings.Contains(s.visitor(t).get(shops).body, "comes in at 09:30") {
		t.Error("it is not in the shop's calendar")
	}

	b.post("/new-fit", "runner", "2").to(t)
	for _, path := range []string{"/", "/runners/2", "/due?kind=comes"} {
		if strings.Contains(b.get(path).body, "09:30") {
			t.Errorf("%s: they are here, and are expected still", path)
		}
	}
	if strings.Contains(s.visitor(t).get(own).body, "09:30") || strings.Contains(s.visitor(t).get(shops).body, "09:30") {
		t.Error("they are here, and their phone or the calendar expects them still")
	}

	// What cannot be kept stands at its field with what was typed.
	p := b.post("/runners/2/bookings", "comes_day", "2026-11-20", "comes_at", "25:00", "comes_note", "half kept")
	if p.code != http.StatusUnprocessableEntity {
		t.Fatalf("a day that is past, at 25: %d", p.code)
	}
	p.holds(t, `value="2026-11-20"`, `value="25:00"`, `value="half kept"`, `aria-invalid="true"`)
	// Someone new is written down without a fit, expected, and cancelled.
	at := b.post("/runners", "name", "Ottilie Fennick", "contact", "", "chart", "women").to(t)
	at, _, _ = strings.Cut(at, "#")
	b.post(at+"/bookings", "comes_day", "2026-11-25", "comes_at", "10:00", "comes_note", "").to(t)
	b.get("/").holds(t, "tomorrow 10:00</b>", "Ottilie Fennick")
	b.post(regexp.MustCompile(at + `/bookings/\d+/cancel`).FindString(b.get(at).body)).to(t)
	if strings.Contains(b.get("/").body, "Ottilie Fennick") {
		t.Error("it was cancelled")
	}
}

// A list is put in the order of any of its columns, and back.
func TestOrder(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	prices := func(sort string) []string {
		var out []string
		for _, m := range regexp.MustCompile(`<p>(\d+\.\d\d) EUR`).FindAllStringSubmatch(b.get("/shoes?sort="+sort).body, -1) {
			out = append(out, strings.Repeat("0", 8-len(m[1]))+m[1])
		}
		return out
	}
	up, down := prices("price"), prices("-price")
	if len(up) < 20 || !slices.IsSorted(up) {
		t.Errorf("%d models by price: %v", len(up), up)
	}
	slices.Reverse(down)
	if !slices.IsSorted(down) || slices.Equal(prices("name"), up) {
		t.Error("not in the order that was asked for")
	}
	b.get("/due?within=year&sort=runner").holds(t, `aria-sort="ascending"`, `sort=-runner`)
	b.get("/?sort=-left").holds(t, `aria-sort="descending"`)
	if strings.Contains(b.get("/due?sort=nothing").body, "▲") {
		t.Error("an order that is not there")
	}
}
