package web_test

import (
	"net/http"
	"regexp"
	"strings"
	"testing"
)

// The board of a week: laid out, moved, its faults at the field, and the best pairs for
// it beside what was only looked at.
func TestRotationBoard(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	if p := b.get("/fits/5/rotation"); strings.Contains(p.body, "The best pairs for this week") {
		t.Error("a plan without a week on the board")
	}
	b.post("/fits/5/rotation/lay-out").to(t)
	p := b.get("/fits/5/rotation")
	p.holds(t, "The best pairs for this week, proven", `class="weekboard"`, `class="resttail"`, "to buy,", "From one pair to six", "up to 6 pairs")
	if strings.Contains(p.body, "more to spend?") {
		t.Error("more money is offered where there is no limit")
	}
	for input, bad := range map[string]string{"plan_start.1": "25:00", "plan_km.1": "-4", "plan_day.1": "moonday", "plan_kind.1": "gym", "plan_minutes.1": "9999", "plan_pairs": "0"} {
		if p := b.htmx("/fits/5/rotation", input, bad); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "allowed is") {
			t.Errorf("%s %s: %d", input, bad, p.code)
		}
	}
	week := []string{"plan_day.1", "tue", "plan_start.1", "18:30", "plan_km.1", "4", "plan_kind.1", "easy", "plan_ground.1", "road",
		"plan_day.2", "tue", "plan_start.2", "18:40", "plan_km.2", "5", "plan_kind.2", "tempo", "plan_ground.2", "road"}
	b.htmx("/fits/5/rotation", week...).holds(t, "Row 2 overlaps row 1, a part of another run.")
	b.htmx("/fits/5/rotation", "plan_run.1", "a", "plan_run.2", "a", "plan_start.2", "18:54").holds(t, "The best pairs for this week, proven")

	// Without the one that is bought first another takes its place, and nothing is kept.
	drop := regexp.MustCompile(`(?s)<th scope="row">([^<]+)</th><td>to buy.*?href="(/fits/5/rotation\?without=[^"#]+)`).FindStringSubmatch(b.get("/fits/5/rotation").body)
	looked := b.get(strings.ReplaceAll(drop[2], "&amp;", "&"))
	looked.holds(t, "To look only, not saved.", "As it is:", "back to it")
	if name := `<th scope="row">` + drop[1] + `</th>`; strings.Contains(looked.body, name) {
		t.Error("what is left out still stands in the plan")
	}
	b.get("/fits/5/rotation").holds(t, `<th scope="row">`+drop[1]+`</th>`)

	b.htmx("/fits/5/rotation", "plan_money", "0").holds(t, "not covered", "50.00 EUR more to spend?")
	b.get("/fits/5/rotation?more=yes").holds(t, "To look only, not saved.")
	if p := s.as(t, "teal").post("/fits/1/rotation/lay-out"); p.code == http.StatusSeeOther {
		t.Error("a closed fit is laid out")
	}

	// Before the feet are measured only what they have stands to choose, and it is said.
	b.post("/fits/10/still").to(t)
	b.post("/fits/10/rotation/lay-out").to(t)
	b.get("/fits/10/rotation").holds(t, "Only pairs that they have stand to choose", "of the one pair")
}
