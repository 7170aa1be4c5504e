package web_test

import (
	"net/http"
	"regexp"
	"strings"
	"testing"
)

// ownPage is the address of a runner's own page, as the shop made it.
func (s *site) ownPage(t *testing.T, runner string) string {
	t.Helper()
	p := s.as(t, "teal").post("/runners/" + runner + "/link")
	m := regexp.MustCompile(`/r/[\w-]{32}`).FindString(p.body)
	if m == "" {
		t.Fatalf("no address: %d", p.code)
	}
	return m
}

// A runner logs a run with one tap, changes it, brings it back, deletes it, is told what a place that rubs
// may be, adds a pair and a race; what cannot be kept stands at its field.
func TestOwnPage(t *testing.T) {
	s := newSite(t)
	at := s.ownPage(t, "1")
	b := s.visitor(t)
	page := b.get(at)
	page.holds(t, "Log a run", "Your runs", "Your races", "app.webmanifest")
	pair := regexp.MustCompile(`name="pair" value="(\d+)"`).FindStringSubmatch(page.body)[1]
	again := []string{"pair", pair, "on", "2026-11-24", "km", "8.5", "kind", "long", "ground", "road"}
	b.post(at+"/runs", again...).to(t)
	page = b.get(at)
	page.holds(t, "8.5 km</b>, Tue 24 Nov")
	run := regexp.MustCompile(`\?mend=(\d+)#mend`).FindStringSubmatch(page.body)[1]
	b.get(at+"?mend="+run).holds(t, "Save run", "Delete this")
	if p := b.post(at+"/runs/mend", "mend_run", run, "mend_on", "2026-11-24", "mend_km", "999", "mend_kind", "easy", "mend_ground",
		"road"); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, `value="999"`) {
		t.Errorf("999 km: %d", p.code)
	}
	b.post(at+"/runs/mend", "mend_run", run, "mend_on", "2026-11-24", "mend_km", "9.5", "mend_kind", "easy", "mend_ground", "trail",
		"mend_pair", pair).to(t)
	b.get(at).holds(t, "9.5 km</b>, Tue 24 Nov", "easy, trail")
	b.post(at + "/runs/" + run + "/undo").to(t)
	if p := b.get(at); strings.Contains(p.body, "9.5 km") || !strings.Contains(p.body, "8.5 km</b>, Tue 24 Nov") {
		t.Error("it is not as it was")
	}
	b.post(at + "/runs/" + run + "/delete").to(t)
	if p := b.get(at); strings.Contains(p.body, "8.5 km</b>, Tue 24 Nov") {
		t.Error("it was deleted and is there")
	}
	// Two that look alike are asked about.
	b.post(at+"/runs", "pair", pair, "on", "2026-11-23", "km", "7", "kind", "easy", "ground", "road").to(t)
	b.post(at+"/runs", "pair", pair, "on", "2026-11-23", "km", "7.1", "kind", "easy", "ground", "road").to(t)
	page = b.get(at)
	page.holds(t, "Same run twice?")
	two := regexp.MustCompile(`/runs/(\d+)/apart`).FindStringSubmatch(page.body)[1]
	b.post(at + "/runs/" + two + "/apart").to(t)
	if strings.Contains(b.get(at).body, "Same run twice?") {
		t.Error("they are two, and it is asked again")
	}

	p := b.post(at+"/pairs/"+pair+"/rub", "rub_place", "heel", "rub_side", "left", "rub_when", "downhill", "rub_signs", "it_is_numb")
	p.to(t)
	b.get(p.header.Get("Location")).holds(t, "Heel: what it may be", "The heel lifts", "Numbness is for a clinician")
	if p := b.post(at+"/pairs/"+pair+"/rub", "rub_side", "left"); p.code != http.StatusUnprocessableEntity {
		t.Errorf("it rubs nowhere: %d", p.code)
	}
	b.post(at+"/pairs/"+pair+"/lifting", "lifting_hours", "2").to(t)
	b.get(at).holds(t, "2 hours so far")
	b.post(at+"/races", "race_name", "Ness Half", "race_day", "2027-03-14", "race_length", "21.1").to(t)
	page = b.get(at)
	page.holds(t, "Ness Half on Sunday 14 March 2027")
	race := regexp.MustCompile(`/races/(\d+)/end`).FindStringSubmatch(page.body)[1]
	b.post(at + "/races/" + race + "/end").to(t)
	if strings.Contains(b.get(at).body, "Ness Half") {
		t.Error("the race is still there")
	}
	if p := b.post(at+"/pairs", "model", "no such shoe", "uk", "8", "since", "2026-10-01"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "not in the catalogue") {
		t.Errorf("no such model: %d", p.code)
	}
	b.post(at+"/pairs", "model", "Sundrey Plover 2, men", "uk", "8", "since", "2026-10-01", "before_sure", "no_idea").to(t)
	b.get(at).holds(t, "Sundrey Plover 2")
	// What is wrong in one pair's form stands in that one.
	p = b.post(at+"/pairs/"+pair+"/lifting", "lifting_hours", "9999")
	shown, wrong := strings.Count(p.body, `value="9999"`), strings.Count(p.body, `aria-invalid="true"`)
	if p.code != http.StatusUnprocessableEntity || shown != 1 || wrong != 1 {
		t.Errorf("9,999 hours: %d, shown %d times, %d inputs said to be wrong", p.code, shown, wrong)
	}
	// A hole that the runner sees is in the shop's list under their name, and the pair is to be retired; a
	// run in it is kept and said.
	b.post(at+"/pairs/"+pair+"/look", "look_faults", "upper_hole").to(t)
	s.as(t, "teal").get("/due").holds(t, "Anselm Lockyer looked at", "a hole through the upper", "says: ", "rubs, heel of the left foot")
	p = b.post(at+"/runs", again...)
	p.to(t)
	b.get(p.header.Get("Location")).holds(t, "Run saved. That pair is to be retired")
	// Installed, it takes files that are shared with it, once each.
	m := b.get(at + "/app.webmanifest")
	if !strings.Contains(m.body, at+"/share") || m.header.Get("Content-Type") != "application/manifest+json" {
		t.Errorf("%s %s", m.header.Get("Content-Type"), m.body)
	}
	files := watchFiles(t, 5, 1)
	for _, note := range []string{"said=file", "said=there"} {
		if p := b.files(at+"/share", "runs_file", nil, files...); !strings.Contains(p.header.Get("Location"), note) {
			t.Errorf("shared: %d %s, want %s", p.code, p.header.Get("Location"), note)
		}
	}
}
