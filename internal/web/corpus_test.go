package web_test

import (
	"flag"
	"fmt"
	"html"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

var update = flag.Bool("update", false, "write the corpus of answers anew")

// corpusForms lay the demo's world out further, so that every page has something to tell.
var corpusForms = [][]string{
	{"/fits/6/overrule", "reason", "the clinician wrote that running is fine"},
	{"/fits/4/level", "level", "stability", "level_reason", "has run in stability for ten years"},
	{"/fits/10/still"},
	{"/fits/4/dislike", "disliked_model", "norrbeck-skua-4-men", "disliked_why", "the heel rubbed", "take_back", ""},
	{"/fits/4/rotation/lay-out", "week", "0"},
	{"/fits/2/reopen"},
	{"/fits/2/rotation/lay-out", "week", "0"},
	{"/fits/10/rotation/template", "week", "0", "template_goal", "race", "template_km", "42", "template_days", "5"},
	{"/fits/10/rotation", "plan_weeks", "A_and_B_in_turn", "plan_pairs", "3", "plan_money", "300"},
	{"/fits/10/rotation/template", "week", "1", "template_goal", "race", "template_km", "55", "template_days", "6"},
	{"/fits/4/try-on", "try_comfort.1", "7"},
	{"/fits/2/pairs/3/slow", "slow", "yes"},
	{"/fits/2/pairs/2/look", "looked_on", "2026-11-20", "look_tread.left", "2", "look_tread.right", "3", "look_bounce.left", "2",
		"look_upper.right", "1", "look_fresh", "no", "look_note", "the edge"},
	{"/fits/2/races", "race_name", "Causeway half", "race_day", "2027-03-14", "race_length", "21.1", "race_pair", "3"},
	{"/fits/3/pairs/4/lifting", "lifting_hours", "12"},
	{"/fits/1/pairs/1/report", "report_comfort", "8", "report_note", "still soft"},
	{"/fits/3/pairs/4/report", "report_comfort", "5", "report_note", "hard by now"},
	{"/fits/4/old-pair", "sole.left.1", "3", "sole.left.2", "1", "sole.right.1", "4", "sole.right.5", "2", "press", "inner_firmer", "bend",
		"stiff"},
	{"/runners/2/rubs", "rub_pair", "3", "rub_side", "left", "rub_place", "heel", "rub_when", "uphill", "rub_cause", "The heel lifts",
		"rub_tried", "Heel lock"},
}

var (
	tags = regexp.MustCompile(`(?s)<(script|style)[^>]*>.*?</(script|style)>|<[^>]*>`)
	odd  = regexp.MustCompile(`[A-Z2-7]{26}|[0-9a-f]{12,}`)
)

// figures are the lines of a page's text that hold a number.
func figures(body string) string {
	var out []string
	for _, line := range strings.Split(tags.ReplaceAllString(strings.ReplaceAll(body, "\n", " "), "\n"), "\n") {
		line = strings.Join(strings.Fields(html.UnescapeString(odd.ReplaceAllString(line, ""))), " ")
		if strings.ContainsAny(line, "0123456789") {
			out = append(out, line)
		}
	}
	return strings.Join(out, "\n")
}

// corpusPaths are the pages of the demo's world.
func corpusPaths() []string {
	stations := []string{"hello", "old-pair", "feet", "print", "gait", "support", "shoes", "try-on", "rotation", "distance", "card"}
	paths := []string{"/", "/due?within=year", "/due?within=month&kind=order", "/runners", "/shoes", "/shop", "/learned", "/glossary",
		"/fits/4/shoes?all=yes", "/fits/4/support?without=gait.left", "/fits/10/rotation?more=yes", "/fits/2/distance?cupboard=1",
		"/runners/2/care?place=heel&pair=3&when=uphill", "/runners/2/care?ground=trail&conditions=wet"}
	for fit := 1; fit <= 10; fit++ {
		for _, at := range stations {
			paths = append(paths, fmt.Sprintf("/fits/%d/%s", fit, at))
		}
	}
	for runner := 1; runner <= 8; runner++ {
		paths = append(paths, fmt.Sprintf("/runners/%d", runner), fmt.Sprintf("/runners/%d/care", runner))
	}
	return paths
}

// What every page of the demo's world says in numbers stays as it was: a change that means
// to move a number writes the corpus anew with -update, and shows in the diff what it moved.
func TestPagesKeepTheirNumbers(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "isolde")
	for i, f := range corpusForms {
		p := b.post(f[0], append([]string{"token", tokenOf(i)}, f[1:]...)...)
		if p.code >= 400 {
			t.Fatalf("%v: %d %v", f, p.code, regexp.MustCompile(`<p class="(err|notice)"[^>]*>[^<]+`).FindAllString(p.body, -1))
		}
	}
	paths := corpusPaths()
	var got strings.Builder
	for _, path := range paths {
		p := b.get(path)
		if p.code != 200 {
			t.Errorf("%s: %d", path, p.code)
		}
		fmt.Fprintf(&got, "== %s\n%s\n", path, figures(p.body))
	}
	golden(t, filepath.Join("testdata", "pages.txt"), got.String())
}

// golden holds a text against a file line by line, or writes it with -update.
func golden(t *testing.T, file, got string) {
	t.Helper()
	if *update {
		if err := os.WriteFile(file, []byte(got), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	was, is := strings.Split(string(data), "\n== "), strings.Split(got, "\n== ")
	if len(is) != len(was) {
		t.Errorf("%d pages, were %d", len(is), len(was))
	}
	for i := range min(len(is), len(was)) {
		a, b := strings.Split(was[i], "\n"), strings.Split(is[i], "\n")
		for k := range max(len(a), len(b)) {
			var x, y string
			if k < len(a) {
				x = a[k]
			}
			if k < len(b) {
				y = b[k]
			}
			if x != y {
				t.Errorf("%s line %d:\n is  %s\n was %s", a[0], k, y, x)
				break
			}
		}
	}
}
