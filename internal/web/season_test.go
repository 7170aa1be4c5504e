package web_test

import (
	"context"
	"fmt"
	"html"
	"regexp"
	"strings"
	"testing"

	"trevik/internal/core/season"
	"trevik/internal/core/strict"
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
	if n := strings.Count(p.body, `class="weekstair"`); n != 15 {
		t.Errorf("%d weeks from this week's Monday, 23 November, to the race's week, not 15", n)
	}
	ready := regexp.MustCompile(`<b>Lock Gate Half: (\d+) % ready</b>`)
	if ready.FindString(p.body) == "" {
		t.Error("it does not say how likely the race works out")
	}
	for _, what := range []string{"earlier", "fewer", "fresh", "second", "cheaper"} {
		if n := strings.Count(b.get("/runners/2/season?"+what+"=yes").body, `<th scope="col">`); n != 2 {
			t.Errorf("%s: %d columns beside one another", what, n)
		}
	}
	// The command comes to the same by the plan that the page gives it.
	var plan season.Plan
	if err := strict.Decode([]byte(b.get("/runners/2/season/plan.json").body), &plan); err != nil {
		t.Fatal(err)
	}
	answer, err := season.Look(context.Background(), plan, nil)
	if err != nil || len(answer.Races) != 1 {
		t.Fatal(answer.Races, err)
	}
	if said := fmt.Sprintf("%.0f", 100*answer.Races[0].Ready); ready.FindStringSubmatch(p.body)[1] != said {
		t.Errorf("the page says %s ready, the command %s %%", ready.FindString(p.body), said)
	}
	// So it does with a what-if.
	beside := b.get("/runners/2/season?earlier=yes")
	beside.holds(t, "/runners/2/season/plan.json?earlier=yes")
	var earlier season.Plan
	if err := strict.Decode([]byte(b.get("/runners/2/season/plan.json?earlier=yes").body), &earlier); err != nil {
		t.Fatal(err)
	}
	if answer, err = season.Look(context.Background(), earlier, nil); err != nil || earlier.OrderAt == nil {
		t.Fatal(err)
	}
	if said := fmt.Sprintf("<b>%.0f ±", 100*answer.Races[0].Ready); !strings.Contains(beside.body, said) {
		t.Errorf("ordered earlier the command says %s, the page does not", said)
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

// A week is moved, opened, kept and laid out again; a what-if is kept; what cannot be is said at its field, and what was typed
// stays.
func TestSeasonForms(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	b.post("/fits/2/races", "race_name", "Lock Gate Half", "race_day", "2027-03-07", "race_length", "21.1", "race_pair", "").to(t)
	season := "/runners/2/season"
	b.post(season+"/move", "week_on", "2026-12-07", "week_km", "61").to(t)
	b.get(season).holds(t, "Week of 7 December: 61 km", "week of 7 December")
	b.post(season+"/move", "week_on", "2026-12-07", "week_km", "900").fails(t, `value="900"`, "from 0 to 300 km, not 900")
	b.post(season+"/move", "week_on", "2026-12-08", "week_km", "50").fails(t, "a Monday from 2026-11-23")
	week := season + "/weeks/2026-12-07"
	p := b.get(week)
	p.holds(t, "Week of 7 December", `class="weekboard"`, `name="plan_km.1"`, "moved")
	b.post(week, "plan_day.1", "wed", "plan_start.1", "07:00", "plan_km.1", "9", "plan_kind.1", "tempo", "plan_ground.1", "track",
		"plan_day.2", "sun", "plan_start.2", "09:00", "plan_km.2", "21", "plan_kind.2", "long", "plan_ground.2", "").to(t)
	b.get(season).holds(t, "Week of 7 December: 30 km")
	b.post(week, "row", "1", "minutes", "108").to(t)
	b.get(season).holds(t, "Week of 7 December: 39 km")
	b.post(week, "plan_day.1", "wed", "plan_start.1", "07:00", "plan_km.1", "", "plan_kind.1", "tempo").fails(t, "a run has its day")
	b.post(week, "plan_day.1", "wed", "plan_km.1", "9", "plan_kind.1", "race").fails(t, "where all races stand")
	b.post(week, "plan_day.1", "wed", "plan_start.1", "25:00", "plan_km.1", "12.5", "plan_kind.1", "tempo").fails(t, `value="12.5"`,
		`value="25:00"`)
	b.post(week, "plan_day.1", "wed", "plan_start.1", "07:00", "plan_km.1", "9", "plan_kind.1", "tempo", "plan_day.2", "wed", "plan_start.2",
		"07:10", "plan_km.2", "9", "plan_kind.2", "easy").fails(t, "plan_start")
	b.get(season).holds(t, "Week of 7 December: 39 km")
	b.post(week).to(t)
	b.get(season).holds(t, "Week of 7 December: 0 km")
	b.post(season+"/lay-out", "week_on", "2026-12-07").to(t)
	if p := b.get(season); strings.Contains(p.body, "week of 7 December") {
		t.Error("a week that was laid out again is still moved")
	}
	for _, at := range []string{"2026-12-08", "2025-12-08", "2028-12-04", "soon"} {
		if p := b.get(season + "/weeks/" + at); p.code != 404 {
			t.Errorf("%s: %d", at, p.code)
		}
	}
	// An order that was decided on stands on the card and at Due, where wear may ask for it sooner.
	order := regexp.MustCompile(`name="order"\s+value="([^"]+)"`).FindStringSubmatch(b.get(season).body)
	if order == nil {
		t.Fatal("the season asks for no order")
	}
	b.post(season+"/orders", "order", html.UnescapeString(order[1])).to(t)
	on := regexp.MustCompile(`(?s)To order by\s+<b>[^<]+</b>: ([^,]+),`).FindStringSubmatch(b.get("/fits/2/card").body)
	if on == nil {
		t.Fatal("the card does not tell the order")
	}
	b.get("/due?within=year").holds(t, "Order "+on[1])
	b.post(season+"/keep", "what", "second", "on", "yes").to(t)
	b.get(season).holds(t, "A second of the favourite, kept: drop it")
	b.post(season+"/keep", "what", "second", "on", "no").to(t)
	if p := b.post(season+"/keep", "what", "luck", "on", "yes"); p.code != 404 {
		t.Errorf("an unknown what-if: %d", p.code)
	}
}

// fails holds a form that was refused to its page: 422, and the texts that say why and what was typed.
func (p page) fails(t testing.TB, texts ...string) {
	t.Helper()
	if p.code != 422 {
		t.Errorf("%d, not 422", p.code)
	}
	p.holds(t, texts...)
}
