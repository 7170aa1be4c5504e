package web_test

import (
	"context"
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/demo"
	"trevik/internal/record"
)

// After the sale: a place is tapped, a cause is tried and helps, a plan is made and listens,
// the day is answered, and the sheets are there to print.
func TestCarePage(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	const at = "/runners/2"
	p := b.get(at + "/care")
	p.holds(t, "Tap the place on the foot", `aria-label="toe tips"`, "Which pair today?")
	pair := regexp.MustCompile(`<option value="(\d+)"`).FindAllStringSubmatch(p.body, -1)
	p = b.get(at + "/care?place=heel&pair=" + pair[0][1] + "&when=uphill&weeks=3&broken=yes")
	p.holds(t, "The heel lifts", "Heel lock lacing", "For a clinician.", "Skin that is broken", `aria-current="true" aria-label="heel"`)
	b.get(at+"/care?place=ear&weeks=long").holds(t, "Tap the place on the foot")
	b.post(at+"/rubs", "rub_pair", pair[0][1], "rub_side", "", "rub_place", "heel", "rub_when", "uphill", "rub_cause", "The heel lifts",
		"rub_tried", "Heel lock", "referred", "yes").to(t)
	p = b.get(at + "/care")
	p.holds(t, "The heel lifts.", "To a clinician.", "it helped")
	helped := regexp.MustCompile(`/rubs/(\d+)/helped`).FindStringSubmatch(p.body)[1]
	b.post(at+"/rubs/"+helped+"/helped", "helped", "no").to(t)
	b.get(at+"/care").holds(t, "It did not help.")
	if p := b.post(at+"/rubs", "rub_pair", "1", "rub_side", "", "rub_place", "heel", "rub_when", "", "rub_cause", "", "rub_tried",
		""); p.code != http.StatusUnprocessableEntity {
		t.Errorf("another's pair: %d", p.code)
	}

	if p := b.post(at+"/changes", "change_from", pair[0][1], "change_to", pair[0][1], "change_km", "30", "change_goal", "", "change_start",
		"2026-11-24"); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "Is the same pair") ||
		!strings.Contains(p.body, `value="30"`) {
		t.Errorf("to the same pair: %d", p.code)
	}
	b.post("/fits/2/pairs", "token", tokenOf(8), "model", "Sundrey Plover 2, women", "uk", "6", "width", "B", "price", "125", "since",
		"2026-11-20").to(t)
	bare := regexp.MustCompile(`<option value="(\d+)"\s*>Sundrey Plover 2`).FindStringSubmatch(b.get(at + "/care").body)[1]
	b.post(at+"/changes", "change_from", pair[0][1], "change_to", bare, "change_km", "30", "change_goal", "50", "change_start",
		"2026-11-02").to(t)
	p = b.get(at + "/care")
	p.holds(t, `class="changeweeks"`, "This week:", "Week 1:", "A fortnight of walking about in it comes first.")
	change := regexp.MustCompile(`/changes/(\d+)/report`).FindStringSubmatch(p.body)[1]
	if p := b.post(at+"/changes/"+change+"/report", "sore_week", "1", "sore_level", "11", "sore_place", "", "sore_night",
		"no"); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "Enter a number from 0 to 10") {
		t.Errorf("soreness 11: %d", p.code)
	}

	// The runner tells the plan on their own page.
	mine := regexp.MustCompile(`<code class="address">https?://[^/]+([^<]+)</code>`).FindStringSubmatch(b.post(at + "/link").body)[1]
	visitor := s.visitor(t)
	visitor.get(mine).holds(t, "Changing over to Sundrey Plover 2", "How was week 1?")
	visitor.post(mine+"/changes/"+change, "sore_week", "1", "sore_level", "3", "sore_place", "achilles", "sore_night", "no").to(t)
	visitor.get(mine).holds(t, "Stop running in it, and see a clinician.")
	b.get(at+"/care").holds(t, "<b>Stopped.</b>", "Stop changing over and see a clinician")
	b.post(at + "/changes/" + change + "/end").to(t)

	b.get(at+"/care?ground=ice").holds(t, "metal tips, or indoors", "On the shelf:", "Icebreak")
	b.get(at+"/care?ground=trail&conditions=wet&conditions=long_grass").holds(t, "no waterproof liner", "it is theirs and costs nothing more")
	b.get("/sheets/lacing").holds(t, "Heel lock", "Toe lift", "Window", "Wide forefoot", "High instep")
	b.get("/sheets/strength").holds(t, "Calf raises", "Side steps", "no treatment")
}

// A runner goes out as a file, and is erased when their name is typed, by an owner.
func TestExportAndErase(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	if p := b.post("/runners/4/export"); p.code != http.StatusOK || !strings.Contains(p.body, "trevik.export/v1") ||
		!strings.Contains(p.header.Get("Content-Disposition"), "runner-4.json") {
		t.Errorf("%d %s", p.code, p.header)
	}
	if p := b.post("/runners/4/erase", "erase_name", "Jorun"); p.code != http.StatusForbidden {
		t.Errorf("a fitter erases: %d", p.code)
	}
	owner := s.as(t, "isolde")
	if p := owner.post("/runners/4/erase", "erase_name", "Jorum"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "Is not their name") || !strings.Contains(p.body, `value="Jorum"`) {
		t.Errorf("a wrong name: %d", p.code)
	}
	name := regexp.MustCompile(`Type ([^<]+) to erase them`).FindStringSubmatch(owner.get("/runners/4").body)[1]
	owner.post("/runners/4/erase", "erase_name", name).to(t)
	for _, path := range []string{"/runners/4", "/fits/4/hello"} {
		if p := owner.get(path); p.code != http.StatusNotFound {
			t.Errorf("%s: %d", path, p.code)
		}
	}
	if p := owner.get("/"); p.code != http.StatusOK || strings.Contains(p.body, name) {
		t.Errorf("today still knows %s: %d", name, p.code)
	}
}

// A trainee practises on an invented runner: the devices' files go through the stations, the
// truth stands beside what was found, and nothing of it is among the real.
func TestPractice(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "wick")
	at := b.post("/practice", "token", tokenOf(1)).to(t)
	if again := b.post("/practice", "token", tokenOf(1)).to(t); again != at {
		t.Errorf("sent twice: %s and %s", at, again)
	}
	id := strings.TrimPrefix(at, "/practice/")
	b.get(at).holds(t, "An invented runner", "left.png", "rear.zip")
	b.get("/fits/"+id+"/hello").holds(t, "checked")
	if to := b.post(at + "/scan").to(t); to != "/fits/"+id+"/feet" {
		t.Error(to)
	}
	for name, begins := range map[string]string{"left.png": "\x89PNG", "right.png": "\x89PNG", "side.zip": "PK"} {
		p := b.get(at + "/files/" + name)
		for range 600 { // a film is made behind
			if p.code != http.StatusAccepted {
				break
			}
			time.Sleep(50 * time.Millisecond)
			p = b.get(at + "/files/" + name)
		}
		if p.code != http.StatusOK || !strings.HasPrefix(p.body, begins) {
			t.Errorf("%s: %d", name, p.code)
		}
	}
	if p := b.get(at + "/files/truth.json"); p.code != http.StatusNotFound {
		t.Errorf("the truth is handed out: %d", p.code)
	}
	b.htmx("/fits/"+id+"/gait", "band.left", "neutral", "band_sure.left", "sure", "band.right", "neutral", "band_sure.right", "sure")
	p := b.post(at + "/score")
	p.holds(t, "of 100", "the truth", "Left foot length", "would have gone on with")
	scan := regexp.MustCompile(`<th scope="row">Left foot length</th> <td>[\d.]+ mm</td><td>[\d.]+ mm</td><td>(&#43;|-)[\d.]+ mm`)
	if !scan.MatchString(p.body) {
		t.Error("the scan's length has no error beside it")
	}
	b.get("/practice").holds(t, "on average")

	// What is chosen for an invented runner leaves the shelf alone.
	shoes := b.get("/fits/" + id + "/shoes")
	model := regexp.MustCompile(`name="model" value="([^"]+)"`).FindStringSubmatch(shoes.body)
	stock := func() (n int) {
		if err := s.store.DB.QueryRow("SELECT SUM(stock) FROM model_sizes").Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	if before := stock(); model == nil {
		t.Error("no model is offered")
	} else {
		b.post("/fits/"+id+"/choose", "token", tokenOf(2), "model", model[1], "reason", "").to(t)
		if after := stock(); after != before {
			t.Errorf("%d pairs on the shelf became %d", before, after)
		}
	}
	name := regexp.MustCompile(`<h1>([^<]+)</h1>`).FindStringSubmatch(b.get(at).body)[1]
	for _, path := range []string{"/", "/runners", "/due?within=year"} {
		if p := s.as(t, "isolde").get(path); strings.Contains(p.body, name) {
			t.Errorf("%s is among the real on %s", name, path)
		}
	}
	if p := b.get("/practice/1"); p.code != http.StatusNotFound {
		t.Errorf("a real fit is practised on: %d", p.code)
	}
	b.post("/practice/reset").to(t)
	b.get("/practice").holds(t, "None yet.")
	if p := b.get("/fits/" + id + "/hello"); p.code != http.StatusNotFound {
		t.Errorf("the invented runner is still there: %d", p.code)
	}
}

// What runners told is added up by level, room and model, few said as few; a model's page
// tells where it rubs; the glossary is drawn.
func TestLearned(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	b.post("/fits/1/pairs/1/report", "report_comfort", "8", "report_note", "").to(t)
	p := b.get("/learned")
	p.holds(t, "What we learned", "How long pairs last", "too few to lean on", "of 1 pair sold here", "not shown by itself")
	if strings.Contains(p.body, "Skua") || strings.Contains(p.body, "8.0 of 10") {
		t.Error("what one runner told is shown by itself")
	}
	b.get("/learned?invented=200").holds(t, "An invented shop of 200 pairs", `class="lives"`, `class="likings"`, `class="reliability"`,
		"A race pair that lasts")
	if p := b.get("/learned?invented=7"); p.code != 404 {
		t.Errorf("an invented shop of seven pairs: %d", p.code)
	}
	if p := b.get("/learned.csv"); !strings.HasPrefix(p.body, "what,of,figure") || strings.Contains(p.body, "Anselm") {
		t.Errorf("%.200s", p.body)
	}
	b.get("/learned.json").holds(t, `"schema": "trevik.learned/v1"`, `"lives"`, `"liking"`)
	if p := b.post("/learned", "learned_lives", "the_house_figures"); p.code != 403 {
		t.Errorf("a fitter chooses: %d", p.code)
	}
	owner := s.as(t, "isolde")
	owner.post("/learned", "learned_weights", "learned").to(t)
	owner.get("/shop").holds(t, "What the ranking weighs")
	owner.post("/learned", "learned_weights", "by luck").fails(t, "house, learned")
	owner.post("/learned", "learned_weights", "house").to(t)
	b.post("/learned/now").to(t)
	if p := s.as(t, "wick").get("/learned"); p.code != 403 {
		t.Errorf("a trainee reads it: %d", p.code)
	}
	b.post("/runners/1/rubs", "rub_pair", "1", "rub_side", "", "rub_place", "heel", "rub_when", "", "rub_cause", "", "rub_tried", "").to(t)
	model := regexp.MustCompile(`href="(/shoes/models/\d+)">Norrbeck <b>Skua 4</b></a></h2>` +
		`<p class="faint">men`).FindStringSubmatch(b.get("/shoes?q=skua+4").body)
	b.get(model[1]).holds(t, "Where it was told to rub", "heel: 1, in 1 pair")
	b.get("/glossary").holds(t, "Arch index", "Drop", "Wear-adjusted kilometres", `class="termpic"`)
}

// A runner who goes out as a file, is erased and comes back has the same card, to the byte
// but for the numbers in its addresses.
func TestCardComesBack(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "isolde")
	card := func(fit string) string {
		t.Helper()
		p := b.get("/fits/" + fit + "/card")
		article := regexp.MustCompile(`(?s)<article class="card".*</article>`).FindString(p.body)
		if p.code != http.StatusOK || article == "" {
			t.Fatalf("%d", p.code)
		}
		return regexp.MustCompile(`/fits/\d+/`).ReplaceAllString(article, "/fits/N/")
	}
	for _, runner := range []string{"1", "2", "3"} {
		// The demo's first fits are of the runners of the same number.
		before := card(runner)
		file := b.post("/runners/" + runner + "/export").body
		name := regexp.MustCompile(`Type ([^<]+) to erase them`).FindStringSubmatch(b.get("/runners/" + runner).body)[1]
		b.post("/runners/"+runner+"/erase", "erase_name", name).to(t)
		who, err := s.web.Env.App.People.ActorNamed(context.Background(), "isolde")
		if err != nil {
			t.Fatal(err)
		}
		ids, err := s.web.Env.App.Transfer.Import(context.Background(), who, []byte(file))
		if err != nil || len(ids) != 1 {
			t.Fatalf("runner %s: %v %v", runner, ids, err)
		}
		var fit uint64
		if err := s.store.DB.QueryRow("SELECT MIN(id) FROM fits WHERE runner_id = ?", ids[0]).Scan(&fit); err != nil {
			t.Fatal(err)
		}
		if after := card(fmt.Sprint(fit)); after != before {
			t.Errorf("runner %s: the card was\n%s\nand is\n%s", runner, before, after)
		}
	}
}

// A shop without anything: it says what to do first, and every station works without models.
func TestEmptyShop(t *testing.T) {
	s := newSite(t)
	ctx := context.Background()
	shop, err := s.web.Env.App.People.AddShop(ctx, "The New Loft", "EUR")
	if err == nil {
		_, err = s.web.Env.App.People.AddUser(ctx, shop, "Newt", "newt", demo.Password, app.Owner)
	}
	if err != nil {
		t.Fatal(err)
	}
	b := s.as(t, "newt")
	b.get("/").holds(t, "the first ten minutes", "/shoes/import", "/practice", "/glossary", "No fit is under way")
	to := b.post("/new-fit", "token", tokenOf(1), "name", "First", "contact", "", "chart", "men").to(t)
	fit := regexp.MustCompile(`^/fits/\d+`).FindString(to)
	b.htmx(fit+"/hello", "flags", "none", "weekly_km", "20")
	b.htmx(fit+"/feet", "length_mm.left.1", "262")
	for _, station := range record.Stations {
		if p := b.get(fit + "/" + station); p.code != http.StatusOK || station == "shoes" &&
			!strings.Contains(p.body, "The shop has no models yet") {
			t.Errorf("%s: %d", station, p.code)
		}
	}
	for _, path := range []string{"/due", "/learned", "/practice", "/runners", "/shoes", "/shop"} {
		if p := b.get(path); p.code != http.StatusOK || strings.Contains(p.body, "Anselm") {
			t.Errorf("%s: %d", path, p.code)
		}
	}
}
