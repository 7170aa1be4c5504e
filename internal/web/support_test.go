package web_test

import (
	"net/http"
	"strings"
	"testing"
)

// Soles are tapped zone by zone and become evidence; a slip is lifted out to look; a
// fitter chooses another level with a reason, a trainee does not.
func TestSolesWhatIfAndLevel(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	p := b.htmx("/fits/4/old-pair", "sole.left.1", "3")
	p.holds(t, `aria-label="left heel inner: 3 of 4 gone"`, "saved", `name="sole.left.1" value="4"`)
	b.htmx("/fits/4/old-pair", "sole.left.6", "3").holds(t, "The left sole is worn on the inner side: the foot pronates.", "Old sole")
	if p := b.htmx("/fits/4/old-pair", "sole.left.1", "7"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, `id="err-f-sole-left-1"`) {
		t.Errorf("a grade of 7: %d", p.code)
	}
	b.htmx("/fits/4/old-pair", "press", "inner_firmer").holds(t, "most likely <b>stability</b> (75 %)")
	b.htmx("/fits/4/old-pair", "sole.right.3", "3", "sole.right.5", "2", "sole.right.8", "3").holds(t,
		"with a pair of stability the pair is blamed first")

	b.get("/fits/4/support").holds(t, "without=wear.left", "a sign, the old sole is worn on the inner side")
	p = b.get("/fits/4/support?without=wear.left&without=comfortable_level")
	p.holds(t, "What if, not saved:", "without left wear", "comfortable level", "put it back")
	if p := b.get("/fits/4/support"); strings.Contains(p.body, "What if") {
		t.Error("what was only looked at is kept")
	}
	if p := b.get("/fits/4/support?without=the_moon"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "allowed is any of gait.left, arch.left") {
		t.Errorf("without a piece that is none: %d", p.code)
	}

	for _, bad := range [][]string{{"level", "neutral"}, {"level_reason", "they like it that way"},
		{"level", "soft", "level_reason", "they like it that way"}, {"level", "neutral", "level_reason", "short"}} {
		if p := b.post("/fits/4/level", bad...); p.code != http.StatusUnprocessableEntity {
			t.Errorf("%v: %d", bad, p.code)
		}
	}
	b.post("/fits/4/level", "level", "neutral", "level_reason", "a neutral pair was fine for years").to(t)
	b.get("/fits/4/support").holds(t, `<p class="level">Neutral</p>`,
		"Teal Marsh chose neutral over the schools: “a neutral pair was fine for years”", "let the schools decide again")
	if p := s.as(t, "wick").post("/fits/4/level", "undo", "yes"); p.code != http.StatusForbidden {
		t.Errorf("a trainee takes a level back: %d", p.code)
	}
	b.post("/fits/4/level", "undo", "yes").to(t)
	if p := b.get("/fits/4/support"); strings.Contains(p.body, "over the schools") {
		t.Error("a level that was taken back still stands")
	}
	if p := b.post("/fits/6/level", "level", "neutral", "level_reason", "they insist on a level"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "clinician") {
		t.Errorf("a level in spite of a caution: %d", p.code)
	}
	b.post("/fits/9/reopen").to(t)
	if p := b.post("/fits/9/level", "level", "stability", "level_reason",
		"they insist on a level"); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "prescriber") {
		t.Errorf("a level over an orthotic: %d", p.code)
	}
}
