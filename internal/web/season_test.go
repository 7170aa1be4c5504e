package web_test

import (
	"regexp"
	"strings"
	"testing"
)

// A race that is told leads the weeks to it; the season says when to order and how likely it works out, beside
// it what a what-if comes to, in the units of who looks.
func TestSeasonPage(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	b.get("/runners/2").holds(t, `href="/runners/2/season"`)
	b.post("/fits/2/races", "race_name", "Lock Gate Half", "race_day", "2027-03-07", "race_length", "21.1", "race_pair", "").to(t)
	p := b.get("/runners/2/season")
	p.holds(t, "Lock Gate Half", `class="season"`, "To order", "Assumed:", "Trevik is no coach", `class="raceline`)
	if n := strings.Count(p.body, `class="stair"`); n != 14 {
		t.Errorf("%d weeks from Monday 30 November to the race's week, not 14", n)
	}
	ready := regexp.MustCompile(`<b>Lock Gate Half: (\d+) % ready</b>`)
	if ready.FindString(p.body) == "" {
		t.Error("it does not say how likely the race works out")
	}
	for _, what := range []string{"earlier", "fewer", "fresh", "second"} {
		if n := strings.Count(b.get("/runners/2/season?"+what+"=yes").body, `<th scope="col">`); n != 2 {
			t.Errorf("%s: %d columns beside one another", what, n)
		}
	}
	week := regexp.MustCompile(`Week of 7 December: ([\d.]+) km`)
	if week.FindString(p.body) == "" {
		t.Error("a week does not say its distance")
	}
	b.post("/me/units", "units", "imperial", "back", "/").to(t)
	if miles := b.get("/runners/2/season").body; week.MatchString(miles) || !strings.Contains(miles, " mi,") {
		t.Error("in miles it says kilometres")
	}
	// Who was never fitted has no season; nor has a runner of another shop.
	at, _, _ := strings.Cut(b.post("/runners", "name", "Ottilie Fennick", "contact", "", "chart", "women").to(t), "#")
	if p := b.get(at + "/season"); p.code != 404 {
		t.Errorf("of nobody's visit: %d", p.code)
	}
}
