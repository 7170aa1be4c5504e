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
	if p := b.get("/fits/5/rotation"); strings.Contains(p.body, "Recommended rotation") {
		t.Error("a plan without a week on the board")
	}
	b.post("/fits/5/rotation/lay-out").to(t)
	p := b.get("/fits/5/rotation")
	p.holds(t, "Recommended rotation", `class="weekboard"`, `class="resttail"`, "to buy,", "From one pair to six",
		"up to 6 pairs")
	if strings.Contains(p.body, "more to spend?") {
		t.Error("more money is offered where there is no limit")
	}
	for input, bad := range map[string]string{"plan_start.1": "25:00", "plan_km.1": "-4", "plan_day.1": "moonday", "plan_kind.1": "gym",
		"plan_minutes.1": "9999", "plan_pairs": "0"} {
		if p := b.htmx("/fits/5/rotation", input, bad); p.code != http.StatusUnprocessableEntity ||
			!regexp.MustCompile(`class="err" id="err-[^"]*"\s*(hx-swap-oob="true")?\s*>(Enter|Choose)`).MatchString(p.body) {
			t.Errorf("%s %s: %d", input, bad, p.code)
		}
	}
	week := []string{"plan_day.1", "tue", "plan_start.1", "18:30", "plan_km.1", "4", "plan_kind.1", "easy", "plan_ground.1", "road",
		"plan_day.2", "tue", "plan_start.2", "18:40", "plan_km.2", "5", "plan_kind.2", "tempo", "plan_ground.2", "road"}
	b.htmx("/fits/5/rotation", week...).holds(t, "Row 2 overlaps row 1, a part of another run.")
	b.htmx("/fits/5/rotation", "plan_run.1", "a", "plan_run.2", "a", "plan_start.2", "18:54").holds(t, "Recommended rotation")

	// Without the one that is bought first another takes its place, and nothing is kept.
	drop := regexp.MustCompile(`(?s)<th scope="row">([^<]+)</th>` +
		`<td>to buy.*?href="(/fits/5/rotation\?without=[^"#]+)`).FindStringSubmatch(b.get("/fits/5/rotation").body)
	looked := b.get(strings.ReplaceAll(drop[2], "&amp;", "&"))
	looked.holds(t, "To look only, not saved.", "As it is", "What if", "back to the answer as it is")
	double := regexp.MustCompile(`href="(/fits/5/rotation\?double=[^"#]+)`).FindStringSubmatch(b.get("/fits/5/rotation").body)
	b.get(strings.ReplaceAll(double[1], "&amp;", "&")).holds(t, "To look only, not saved.", "A kilometre costs")
	if name := `<th scope="row">` + drop[1] + `</th>`; strings.Contains(looked.body, name) {
		t.Error("what is left out still stands in the plan")
	}
	b.get("/fits/5/rotation").holds(t, `<th scope="row">`+drop[1]+`</th>`)

	b.htmx("/fits/5/rotation", "plan_money", "0").holds(t, "no rested pair", "50.00 EUR more to spend?")
	b.get("/fits/5/rotation?more=yes").holds(t, "To look only, not saved.")
	if p := s.as(t, "teal").post("/fits/1/rotation/lay-out"); p.code == http.StatusSeeOther {
		t.Error("a closed fit is laid out")
	}

	// Before the feet are measured only what they have stands to choose, and it is said.
	b.post("/fits/10/still").to(t)
	b.post("/fits/10/rotation/lay-out").to(t)
	b.get("/fits/10/rotation").holds(t, "Only pairs that they have stand to choose", "of the one pair")
}

// Weeks that differ, a template, a run that is split, a suitability that is set with its
// reason, and the pair for the gym: each with its faults at the field.
func TestRotationChanges(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	b.post("/fits/5/rotation/template", "week", "0", "template_goal", "faster", "template_km", "45", "template_days", "").to(t)
	p := b.get("/fits/5/rotation")
	p.holds(t, "45 km of 45 km covered", "To order, up to", "cents a kilometre", `data-moves data-rows="14"`)
	if p := b.post("/fits/5/rotation/template", "week", "0", "template_goal", "faster", "template_km", "1", "template_days",
		""); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "Enter a distance from 3 to 300 km") {
		t.Errorf("%d", p.code)
	}
	long := regexp.MustCompile(`(?s)name="row" value="(\d+)">split`).FindStringSubmatch(p.body)
	b.post("/fits/5/rotation/split", "row", long[1]).to(t)
	if p := b.post("/fits/5/rotation/split", "row", long[1]); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "Is a part of a run already") {
		t.Errorf("split twice: %d", p.code)
	}
	if p := b.post("/fits/5/rotation/resize", "row", long[1], "minutes", "-5"); p.code != http.StatusUnprocessableEntity {
		t.Errorf("-5 minutes: %d", p.code)
	}
	if p := b.htmx("/fits/5/rotation", "plan_weeks", "A_and_B_in_turn"); p.header.Get("HX-Refresh") != "true" {
		t.Error("the second week's rows do not come")
	}
	b.get("/fits/5/rotation").holds(t, "Week A, this week", "Week B", "Nothing stands in it yet.", `name="plan_km.15"`)
	b.post("/fits/5/rotation/lay-out", "week", "1").to(t)
	if p := b.get("/fits/5/rotation"); strings.Contains(p.body, "Nothing stands in it yet.") ||
		strings.Count(p.body, `class="weekboard"`) != 2 {
		t.Error("week B has no plan of its own")
	}
	b.post("/fits/5/pairs", "token", tokenOf(5), "model", "Norrbeck Skua 4, women", "uk", "5", "width", "B", "price", "100", "since",
		"2026-06-01").to(t)
	if p := b.post("/fits/5/pairs", "token", tokenOf(6), "model", "Norrbeck Skua", "uk", "5", "width", "B", "price", "100", "since",
		"2026-06-01"); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "type a part of its name") ||
		!strings.Contains(p.body, `value="Norrbeck Skua"`) {
		t.Errorf("half a name: %d", p.code)
	}
	b.post("/fits/5/rotation/suit", "suit_model", "norrbeck-skua-4-women", "suit_kind", "long", "suit_ground", "road", "suit_value", "0.3",
		"suit_why", "numb after an hour").to(t)
	b.get("/fits/5/rotation").holds(t, "numb after an hour (computed:", "back to the computed")
	if p := b.post("/fits/5/rotation/suit", "suit_model", "norrbeck-skua-4-women", "suit_kind", "long", "suit_ground", "road", "suit_value",
		"", "suit_why", "numb"); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "Enter a number from 0 to 1") {
		t.Errorf("no value: %d", p.code)
	}
	b.post("/fits/5/rotation/suit", "suit_model", "norrbeck-skua-4-women", "suit_kind", "long", "suit_ground", "road", "undo", "yes").to(t)
	if strings.Contains(b.get("/fits/5/rotation").body, "numb after an hour") {
		t.Error("it is not taken back")
	}
	b.htmx("/fits/5/hello", "week_kind.5", "gym", "week_km.5", "1")
	b.get("/fits/5/rotation").holds(t, "Lifting in running shoes", "In their size:", "Becket")
	b.get("/shoes/names?as=model&model=skua+wom").holds(t, `<option value="Norrbeck Skua 4, women">`)
	if p := b.get("/shoes/names?as=model&model="); p.code != http.StatusOK || p.body != "" {
		t.Errorf("nothing typed: %d %q", p.code, p.body)
	}
}
