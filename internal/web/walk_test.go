package web_test

import (
	"bytes"
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/hex"
	"image"
	"image/jpeg"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/people"
	"trevik/internal/core/term"
	"trevik/internal/demo"
	"trevik/internal/record"
	"trevik/internal/web/kit"
)

// walkForms are what is sent to each line of the table that takes a form: what its own page could
// send, with ids of the shop that is walked through. A route without its line fails the walk.
var walkForms = map[string][]string{
	"/practice": {}, "/practice/reset": {}, "/practice/:fit/scan": {}, "/practice/:fit/score": {},
	"/due/calendar": {}, "/due/links/revoke": {}, "/links/:link/revoke": {"back", "/due"},
	"/learned": {"learned_lives", "the_house_figures"}, "/learned/now": {},
	"/new-fit":      {"name", "Walker Walk", "contact", "", "chart", "men"},
	"/shoes/import": {}, "/shoes/import/apply": {"import", "1"}, "/shoes/import/drop": {"import", "1"},
	"/shoes/new": {"id", "x"}, "/shoes/models/:model": {"stock_shown", "", "id", "x"}, "/shop": {"room", "thumb"},
	"/me/units": {"units", "imperial", "back", "/"}, "/me/theme": {"theme", "dim", "back", "/"},
	"/runners/:runner/erase": {"erase_name", "{name}"}, "/runners/:runner/export": {},
	"/runners":                  {"name", "Walker Walk", "contact", "", "chart", "men"},
	"/runners/:runner/bookings": {"comes_day", "2026-12-05", "comes_at", "10:30", "comes_note", "new shoes"},
	"/runners/:runner/bookings/:booking/cancel": {},
	"/runners/:runner/season/move":              {"week_on", "2026-12-07", "week_km", "40"},
	"/runners/:runner/season/lay-out":           {"shape", "steady"}, "/runners/:runner/season/keep": {"what", "earlier", "on", "yes"},
	"/runners/:runner/season/orders": {"order", "pair 1/2"}, "/runners/:runner/season/orders/:order/drop": {},
	"/runners/:runner/season/orders/:order/sell": {}, "/runners/:runner/season/plan": {},
	"/runners/:runner/season/columns": {"plan", "1", "column_date", "1"}, "/runners/:runner/season/use": {"plan", "1"},
	"/runners/:runner/season/let-go":      {"plan", "1"},
	"/runners/:runner/season/weeks/:week": {"plan_day.1", "wed", "plan_km.1", "9", "plan_kind.1", "tempo"}, "/outlooks/:outlook/seen": {},
	"/runners/:runner/link": {}, "/runners/:runner/links/revoke": {},
	"/runners/:runner/consent": {"film", "yes"}, "/account/password": {"password", "x", "new_password", "six old rowing boats"},
	"/account/sessions/:session/end": {}, "/account/second": {"code", "000000"}, "/account/second/end": {"end_password", "x"},
	"/second": {"code", "000000", "next", "/"}, "/people": {"name", "Walker", "login", "walker", "password", "six old rowing boats", "role",
		"fitter"},
	"/people/:person/password": {"new_password", "six old rowing boats"}, "/people/:person/role": {"role", "trainee"},
	"/people/:person/disable": {},
	"/people/:person/enable":  {}, "/people/:person/sessions": {}, "/people/:person/second": {}, "/people/:person/links": {},
	"/runners/:runner/rubs": {"rub_pair", "{pair}", "rub_side", "left", "rub_place", "heel", "rub_when", "uphill", "rub_cause",
		"The heel lifts",
		"rub_tried", "Heel lock"},
	"/runners/:runner/rubs/:rub/helped": {"helped", "yes"},
	"/runners/:runner/changes": {"change_from", "{pair}", "change_to", "{second}", "change_km", "30", "change_goal", "50", "change_start",
		"2026-12-01"},
	"/runners/:runner/changes/:change/report": {"sore_week", "1", "sore_level", "2", "sore_place", "", "sore_night", "no"},
	"/runners/:runner/changes/:change/end":    {},
	"/fits/:fit/hello":                        {"weekly_km", "31"}, "/fits/:fit/runner": {"name", "{name}", "contact", "", "chart",
		"women"},
	"/fits/:fit/still": {}, "/fits/:fit/consent": {"film", "yes"},
	"/fits/:fit/dislike":  {"disliked_model", "norrbeck-skua-4-women", "disliked_why", "rubbed", "take_back", ""},
	"/fits/:fit/old-pair": {"sole.left.1", "2"}, "/fits/:fit/old-pair/own": {"pair", "{pair}"}, "/fits/:fit/old-pair/photo": {},
	"/fits/:fit/old-pair/photos/:photo/delete": {}, "/fits/:fit/feet": {"length_mm.left.1", "251"}, "/fits/:fit/scan": {},
	"/fits/:fit/outline": {}, "/fits/:fit/outline/:side/adjust": {"pen_mm", "7"}, "/fits/:fit/outline/:side/delete": {},
	"/fits/:fit/scan-file": {}, "/fits/:fit/print": {"arch.left", "low"}, "/fits/:fit/print/:side/photo": {},
	"/fits/:fit/print/:side/adjust": {"reset", "yes"}, "/fits/:fit/print/:side/delete": {}, "/fits/:fit/gait": {"strike", "heel"},
	"/fits/:fit/gait/films": {}, "/fits/:fit/gait/bench": {}, "/fits/:fit/gait/archive": {}, "/fits/:fit/gait/films/:film/frames": {},
	"/fits/:fit/gait/films/:film/finish": {}, "/fits/:fit/gait/films/:film/adjust": {"reset", "yes"}, "/fits/:fit/gait/films/:film/resume": {},
	"/fits/:fit/gait/films/:film/marks": {"auto", "yes"}, "/fits/:fit/gait/films/:film/delete": {},
	"/fits/:fit/gait/films/:film/still":    {"frame", "1"},
	"/fits/:fit/gait/stills/:still/delete": {}, "/fits/:fit/support": {"likes_support", "yes"},
	"/fits/:fit/overrule": {"reason", "seen by a clinician"}, "/fits/:fit/level": {"level", "stability", "level_reason", "they like it"},
	"/fits/:fit/shoes": {"mark_weight.1", "3"}, "/fits/:fit/choose": {"model", "norrbeck-skua-4-women", "shelf", "yes"},
	"/fits/:fit/let-in": {"model", "norrbeck-skua-4-women", "reason", "wanted"}, "/fits/:fit/take-back": {},
	"/fits/:fit/try-on":         {"try_comfort.1", "7"},
	"/fits/:fit/try-on/compare": {"on_left", "norrbeck-skua-4-women", "on_right", "ishkel-dunlin-1-women", "better", "left"},
	"/fits/:fit/try-on/set":     {"model", "norrbeck-skua-4-women", "in", "yes"}, "/fits/:fit/rotation": {"plan_money", "300"},
	"/fits/:fit/rotation/split": {"row", "1"}, "/fits/:fit/rotation/lay-out": {"week", "0"},
	"/fits/:fit/rotation/template": {"week", "0", "template_goal", "race", "template_km", "40", "template_days", "4"},
	"/fits/:fit/rotation/resize":   {"row", "1", "minutes", "50"},
	"/fits/:fit/rotation/suit": {"suit_model", "norrbeck-skua-4-women", "suit_kind", "easy", "suit_ground", "road", "suit_value", "0.5",
		"suit_why",
		"by trial"},
	"/fits/:fit/pairs":     {"model", "Sundrey Plover 2, women", "uk", "6", "width", "B", "price", "125", "since", "2026-11-20"},
	"/fits/:fit/runs":      {"pair", "{pair}", "on", "2026-11-20", "km", "5", "kind", "easy", "ground", "road"},
	"/fits/:fit/runs/move": {"run", "{run}", "to", "{second}"}, "/fits/:fit/runs/split": {"run", "{run}", "split_km", "2", "split_pair",
		"{second}",
		"split_kind", "easy"},
	"/fits/:fit/runs/:run/withdraw": {}, "/fits/:fit/runs/:run/restore": {}, "/fits/:fit/runs/file": {}, "/fits/:fit/runs/watch": {},
	"/fits/:fit/runs/columns": {"file", "1"}, "/fits/:fit/runs/put-in": {"file", "1"}, "/fits/:fit/runs/let-go": {"file", "1"},
	"/fits/:fit/rules":           {"rule_kind", "easy", "rule_ground", "road", "rule_pair", "{pair}", "rule_second", ""},
	"/fits/:fit/rules/:rule/end": {}, "/fits/:fit/races": {"race_name", "Walk", "race_day", "2027-03-14", "race_length", "10", "race_pair",
		"{pair}"},
	"/fits/:fit/races/:race/end": {}, "/fits/:fit/pairs/:pair/report": {"report_comfort", "8", "report_note", ""},
	"/fits/:fit/pairs/:pair/look": {"looked_on", "2026-11-20", "look_tread.left", "2"}, "/fits/:fit/looks/:look/take-back": {},
	"/fits/:fit/pairs/:pair/photo": {}, "/fits/:fit/pairs/:pair/lifting": {"lifting_hours", "2"},
	"/fits/:fit/pairs/:pair/set-aside": {"aside_reason", "worn_out", "aside_note", ""}, "/fits/:fit/pairs/:pair/resume": {},
	"/fits/:fit/pairs/:pair/let-in": {"let_in_pair", "for the last mud of the year"},
	"/fits/:fit/pairs/:pair/before": {"before_km", "120", "before_sure", "about_right"}, "/fits/:fit/pairs/:pair/called": {"called", "blue"},
	"/fits/:fit/runs/mend":       {"mend_run", "{run}", "mend_on", "2026-11-20", "mend_km", "6", "mend_kind", "easy", "mend_ground", "road"},
	"/fits/:fit/runs/:run/apart": {}, "/fits/:fit/pairs/:pair/take-away": {}, "/fits/:fit/pairs/:pair/put-back": {},
	"/fits/:fit/pairs/:pair/facts": {"fact_uk", "8", "fact_width", "D", "fact_price", "120", "fact_since", "2026-10-01", "fact_worn",
		""},
	"/fits/:fit/said/:kind/:said/answered": {},
	"/fits/:fit/pairs/:pair/slow":          {"slow", "yes"}, "/fits/:fit/close": {}, "/fits/:fit/reopen": {},
	"/fits/:fit/card/address": {},
	"/fits/:fit/undo":         {"ids", "{finding}"},
	"/r/:secret/runs":         {"pair", "{pair}", "on", "2026-11-20", "km", "5", "kind", "easy", "ground", "road"}, "/r/:secret/file": {},
	"/r/:secret/pairs/:pair/report": {"report_comfort", "8", "report_note", ""}, "/r/:secret/pairs/:pair/look": {"look_tread.left", "2"},
	"/r/:secret/changes/:change": {"sore_week", "1", "sore_level", "2", "sore_place", "", "sore_night", "no"},
	"/r/:secret/runs/mend":       {"mend_run", "{run}", "mend_on", "2026-11-20", "mend_km", "6", "mend_kind", "easy", "mend_ground", "road"},
	"/r/:secret/runs/move":       {"ids", "{run}", "to_pair", "{pair}"}, "/r/:secret/runs/:run/delete": {}, "/r/:secret/runs/:run/undo": {},
	"/r/:secret/runs/:run/apart": {}, "/r/:secret/share": {},
	"/r/:secret/pairs":           {"model", "Sundrey Plover 2, women", "uk", "6", "width", "B", "price", "125", "since", "2026-11-20"},
	"/r/:secret/pairs/:pair/rub": {"rub_place", "heel", "rub_side", "left"}, "/r/:secret/pairs/:pair/lifting": {"lifting_hours", "2"},
	"/r/:secret/races": {"race_name", "Walk", "race_day", "2027-03-14", "race_length", "10"}, "/r/:secret/races/:race/end": {},
	"/fits/:fit/shoes/scan": {"barcode", "4006381333931"}, "/fits/:fit/try-on/scan": {"barcode", "4006381333931"},
	"/fits/:fit/try-on/again":     {"model", "norrbeck-skua-4-women", "again_size", "6", "again_width", "D"},
	"/fits/:fit/try-on/insole":    {"model", "norrbeck-skua-4-men", "pair", "1", "insole_size", "8", "insole_mm", "270"},
	"/shoes/models/:model/insole": {"insole_size", "8", "insole_mm", "270"}, "/shoes/models/:model/insoles/:insole/take-back": {},
	"/shoes/models/:model/barcode":      {"barcode", "4006381333931", "barcode_size", "8", "barcode_width", "D"},
	"/shoes/models/:model/barcode/drop": {"code", "4006381333931"}, "/shoes/count": {"codes", "4006381333931"},
	"/shoes/count/set":    {"codes", "4006381333931", "shown", "1"},
	"/r/:secret/units":    {"units", "metric"},
	"/r/:secret/calendar": {}, "/sign-in": {"login", "nobody", "password", "x"}, "/sign-out": {},
}

// notWatched are the tables that may change though nothing of a shop's was touched: who is signed
// in, what was tried, what is concluded anew.
var notWatched = []string{"seasons", "season_outlooks",
	"sessions", "signed_in", "devices", "sign_in_counts", "submissions", "jobs", "verdicts", "verdict_lines",
	"buying",
	"goose_db_version", "audit", "audit_heads"}

// state is a digest of every row of the database, but for the tables that are not watched; links
// without when they were used.
func state(t *testing.T, d *sql.DB) map[string]string {
	t.Helper()
	for range 600 { // what jobs were given to do is done first
		var busy int
		if err := d.QueryRow("SELECT COUNT(*) FROM jobs WHERE live AND (state = 'running' OR run_after < UTC_TIMESTAMP(6) + INTERVAL 5 SECOND)").
			Scan(&busy); err != nil {
			t.Fatal(err)
		}
		if busy == 0 {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	rows, err := d.Query(`SELECT TABLE_NAME, GROUP_CONCAT(CONCAT('COALESCE(', COLUMN_NAME, ",'')") ORDER BY ORDINAL_POSITION SEPARATOR ',')
		FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = DATABASE() AND COLUMN_NAME <> 'used_at' GROUP BY TABLE_NAME`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	out := map[string]string{}
	var queries [][2]string
	for rows.Next() {
		var table, columns string
		if err := rows.Scan(&table, &columns); err != nil {
			t.Fatal(err)
		}
		if !slices.Contains(notWatched, table) {
			queries = append(queries, [2]string{table, "SELECT CONCAT(COUNT(*), ' ', COALESCE(SUM(CRC32(CONCAT_WS('|'," + columns +
				"))), 0)) FROM " + table})
		}
	}
	for _, q := range queries {
		var digest string
		if err := d.QueryRow(q[1]).Scan(&digest); err != nil {
			t.Fatalf("%s: %v", q[0], err)
		}
		out[q[0]] = digest
	}
	return out
}

// world is the demo's shop with a row of everything that has an id, and another shop beside it.
type walkWorld struct {
	*site
	ids               map[string]string
	name              string
	page, over, ended string // secrets of a runner's pages: open, expired, closed
	next              int
}

func (w *walkWorld) one(t *testing.T, query string) string {
	t.Helper()
	var v string
	if err := w.store.DB.QueryRow(query).Scan(&v); err != nil {
		t.Fatalf("%s: %v", query, err)
	}
	return v
}

func (w *walkWorld) exec(t *testing.T, query string) {
	t.Helper()
	if _, err := w.store.DB.Exec(query); err != nil {
		t.Fatalf("%s: %v", query, err)
	}
}

// jpegHex is a small grey JPEG in hexadecimal letters.
func jpegHex(t *testing.T) string {
	t.Helper()
	var b bytes.Buffer
	if err := jpeg.Encode(&b, image.NewGray(image.Rect(0, 0, 200, 300)), nil); err != nil {
		t.Fatal(err)
	}
	return hex.EncodeToString(b.Bytes())
}

func newWalk(t *testing.T) *walkWorld {
	w := &walkWorld{site: newSite(t), ids: map[string]string{"side": "left", "file": "1", "photo": "", "still": "", "model": "1",
		"frame": "1", "film": ""}}
	owner := w.as(t, "isolde")
	for _, f := range corpusForms {
		w.next++
		owner.post(f[0], append([]string{"token", tokenOf(w.next)}, f[1:]...)...)
	}
	send := func(path string, form ...string) {
		t.Helper()
		w.next++
		if p := owner.post(path, append([]string{"token", tokenOf(w.next)}, form...)...); p.code >= 400 {
			t.Fatalf("%s: %d %v", path, p.code, regexp.MustCompile(`<p class="(err|notice)"[^>]*>[^<]+`).FindAllString(p.body, -1))
		}
	}
	send("/fits/2/pairs", "model", "Sundrey Plover 2, women", "uk", "6", "width", "B", "price", "125", "since", "2026-11-20")
	w.ids["pair"] = w.one(t, "SELECT MIN(id) FROM pairs WHERE runner_id = 2 AND set_aside_on IS NULL")
	w.ids["second"] = w.one(t, "SELECT MAX(id) FROM pairs WHERE runner_id = 2 AND set_aside_on IS NULL")
	send("/fits/2/rules", "rule_kind", "easy", "rule_ground", "road", "rule_pair", w.ids["pair"], "rule_second", "")
	send("/runners/2/changes", "change_from", w.ids["pair"], "change_to", w.ids["second"], "change_km", "30", "change_goal", "50",
		"change_start", "2026-11-16")
	send("/runners/2/bookings", "comes_day", "2026-12-05", "comes_at", "10:30", "comes_note", "")
	w.exec(t, `INSERT INTO season_orders (shop_id, runner_id, model_id, uk_half, width, price, order_on, made_by, made_at)
		SELECT p.shop_id, 2, p.model_id, p.uk_half, p.width, 9900, '2026-12-07', p.made_by, p.made_at FROM pairs p WHERE p.runner_id = 2 LIMIT 1`)
	w.exec(t, `INSERT INTO season_outlooks (shop_id, runner_id, race_on, race, ready, told_on, basis, was, was_on, why)
		SELECT shop_id, 2, '2027-03-07', 'Walk', 0.5, '2026-11-20', '{}', 0.9, '2026-11-01', 'it changed' FROM runners WHERE id = 2`)
	send("/practice")
	w.exec(t, `INSERT INTO pictures (shop_id, fit_id, kind, side, width, height, data, options, kept, made_by, made_at)
		SELECT shop_id, 2, k.kind, 'left', 200, 300, x'`+jpegHex(t)+`', '{}', TRUE, made_by, made_at FROM runners
		JOIN (SELECT 'sole' AS kind UNION SELECT 'still') k WHERE id = 2`)
	w.exec(t, `INSERT INTO pair_reports (shop_id, pair_id, after_days, comfort, note, by_runner, made_by, made_at) SELECT shop_id, `+
		w.ids["pair"]+`, 9, 2, 'it rubs', TRUE, made_by, made_at FROM runners WHERE id = 2`)
	w.exec(t, `INSERT INTO insoles (shop_id, model_id, uk_half, length_mm, made_by, made_at)
		SELECT shop_id, (SELECT MIN(id) FROM models), 16, 270, made_by, made_at FROM runners WHERE id = 2`)
	w.exec(t, `INSERT INTO barcodes (shop_id, code, model_id, uk_half, width, made_by, made_at) SELECT shop_id, '04006381333931',
		(SELECT MIN(id) FROM models), 16, 'D', made_by, made_at FROM runners WHERE id = 2`)
	w.exec(t, `INSERT INTO pair_photos (shop_id, pair_id, side, data, made_by, made_at) SELECT shop_id, `+w.ids["pair"]+`, 'left', `+
		`x'`+jpegHex(t)+`', made_by, made_at
		FROM runners WHERE id = 2`)
	w.exec(t, `INSERT INTO recordings (shop_id, fit_id, number, description, frames, state, corrections, kept, made_by, made_at)
		SELECT shop_id, 2, 1, '{"schema":"trevik.recording/v1","view":"rear","gait":"run","fps":60,"markers":"auto"}', 2, 'failed', '{}',
			TRUE, made_by, made_at
		FROM runners WHERE id = 2`)
	w.exec(t, "INSERT INTO recording_frames (recording_id, number, data) SELECT id, n, x'"+jpegHex(t)+
		"' FROM recordings JOIN (SELECT 1 AS n UNION SELECT -1) k WHERE fit_id = 2")
	print, _ := printFile(t, term.Left)
	if p := owner.upload("/fits/2/print/left/photo", "photo", print, "keep", "yes", "paper", "A4"); p.code >= 400 {
		t.Fatalf("%d %v", p.code, regexp.MustCompile(`<p class="(err|notice)"[^>]*>[^<]+`).FindAllString(p.body, -1))
	}
	outline, _ := outlineFile(t, 3)
	if p := owner.upload("/fits/2/outline", "photo", outline, "keep", "yes", "pen_mm", "7", "side", "left"); p.code >= 400 {
		t.Fatalf("%d %v", p.code, regexp.MustCompile(`<p class="(err|notice)"[^>]*>[^<]+`).FindAllString(p.body, -1))
	}
	for param, query := range map[string]string{
		"run": "SELECT MAX(id) FROM runs WHERE runner_id = 2 AND withdrawn_at IS NULL", "race": "SELECT MAX(id) FROM races WHERE runner_id = 2",
		"rule": "SELECT MAX(id) FROM run_rules WHERE runner_id = 2", "look": "SELECT MAX(id) FROM inspections", "rub": "SELECT MAX(id) FROM rubs",
		"change": "SELECT MAX(id) FROM changes", "sole": "SELECT MAX(id) FROM pictures WHERE kind = 'sole'",
		"still": "SELECT MAX(id) FROM pictures WHERE kind = 'still'", "pairphoto": "SELECT MAX(id) FROM pair_photos",
		"practice": "SELECT MAX(f.id) FROM fits f JOIN runners r ON r.id = f.runner_id WHERE r.practice_seed IS NOT NULL",
		"person":   "SELECT id FROM users WHERE login = 'teal'", "finding": "SELECT MAX(id) FROM findings WHERE fit_id = 2",
		"session": "SELECT MAX(id) FROM signed_in", "said": "SELECT MAX(id) FROM pair_reports", "insole": "SELECT MAX(id) FROM insoles",
		"booking": "SELECT MAX(id) FROM bookings", "order": "SELECT MAX(id) FROM season_orders",
		"outlook": "SELECT MAX(id) FROM season_outlooks",
	} {
		w.ids[param] = w.one(t, query)
	}
	w.ids["week"] = "2026-12-07"
	w.ids["film"], w.ids["fit"], w.ids["runner"], w.ids["kind"] = "1", "2", "2", "report"
	w.name = w.one(t, "SELECT name FROM runners WHERE id = 2")
	ctx := context.Background()
	w.page, w.over, w.ended = w.link(t), w.link(t), w.link(t)
	w.ids["link"] = w.one(t, "SELECT MIN(id) FROM links")
	w.exec(t, "UPDATE links SET expires_at = '2020-01-01' WHERE id = "+w.ids["link"]+" + 1")
	w.exec(t, "UPDATE links SET revoked_at = '2020-01-01' WHERE id = "+w.ids["link"]+" + 2")
	shop, err := w.web.Env.App.People.AddShop(ctx, "The Other Loft", "EUR")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := w.web.Env.App.People.AddUser(ctx, shop, "Other Owner", "other-owner", demo.Password, app.Owner); err != nil {
		t.Fatal(err)
	}
	return w
}

// link is a new address of the runner's page.
func (w *walkWorld) link(t *testing.T) string {
	t.Helper()
	who, err := w.web.Env.App.People.ActorNamed(context.Background(), "isolde")
	if err != nil {
		t.Fatal(err)
	}
	secret, err := w.web.Env.App.People.NewLink(context.Background(), who, people.RunnerLink, 2)
	if err != nil {
		t.Fatal(err)
	}
	return secret
}

// fill puts ids into a pattern or a form.
func (w *walkWorld) fill(route, s, secret string) string {
	ids := map[string]string{"{pair}": w.ids["pair"], "{second}": w.ids["second"], "{run}": w.ids["run"], "{name}": w.name,
		"{finding}": w.ids["finding"], ":secret": secret}
	for param, v := range w.ids {
		if ids[":"+param] == "" {
			ids[":"+param] = v
		}
	}
	ids[":photo"] = w.ids["sole"]
	if strings.Contains(route, "pair-photos") {
		ids[":photo"] = w.ids["pairphoto"]
	}
	if strings.HasPrefix(route, "/practice") {
		ids[":fit"], ids[":file"] = w.ids["practice"], "left.png"
	}
	names := make([]string, 0, len(ids))
	for k := range ids {
		names = append(names, k)
	}
	slices.SortFunc(names, func(a, b string) int { return len(b) - len(a) }) // ":pair" is no part of ":pairphoto"
	for _, k := range names {
		s = strings.ReplaceAll(s, k, ids[k])
	}
	return s
}

func (w *walkWorld) send(b *browser, r kit.Route, secret string) page {
	path := w.fill(r.Path, r.Path, secret)
	if r.Method == http.MethodGet {
		return b.get(path)
	}
	w.next++
	form := []string{"token", rand.Text()}
	for _, f := range walkForms[r.Path] {
		form = append(form, w.fill(r.Path, f, secret))
	}
	return b.post(path, form...)
}

// Every route, as everybody: a role that the table does not name, somebody of another shop, nobody,
// a runner by an address that is open, expired or closed. With real ids in every place, none of them
// sees or changes anything of the shop's.
func TestWalk(t *testing.T) {
	w := newWalk(t)
	for _, r := range w.web.Routes {
		if _, there := walkForms[r.Path]; r.Method == http.MethodPost && !there {
			t.Errorf("%s has no line in the walk", r.Path)
		}
	}
	owner, other, nobody := w.as(t, "isolde"), w.as(t, "other-owner"), w.visitor(t)
	staff := map[app.Role]*browser{app.Fitter: w.as(t, "corin"), app.Trainee: w.as(t, "wick")}
	hasID := func(r kit.Route) bool {
		return strings.Contains(r.Path, ":") && !strings.HasPrefix(r.Path, "/account")
	}
	before := state(t, w.store.DB)
	unchanged := func(what string) {
		t.Helper()
		now := state(t, w.store.DB)
		for table, digest := range before {
			if now[table] != digest {
				t.Errorf("%s changed %s", what, table)
			}
		}
		before = now
	}
	for _, r := range w.web.Routes {
		at := r.Method + " " + r.Path
		if r.Roles == nil {
			continue
		}
		// Nobody, and a runner who has an address and no more.
		if p := w.send(nobody, r, w.page); p.code != http.StatusSeeOther || !strings.HasPrefix(p.header.Get("Location"), "/sign-in") {
			t.Errorf("%s lets nobody in: %d", at, p.code)
		}
		for role, b := range staff {
			if p := w.send(b, r, ""); !slices.Contains(r.Roles, role) && p.code != http.StatusForbidden {
				t.Errorf("%s lets a %s in: %d", at, role, p.code)
			} else if r.Method == http.MethodGet && slices.Contains(r.Roles, role) && p.code >= 400 {
				t.Errorf("%s keeps a %s out: %d", at, role, p.code)
			}
			if r.Method == http.MethodPost && slices.Contains(r.Roles, role) {
				before = state(t, w.store.DB) // they may
			} else if r.Method == http.MethodPost {
				unchanged(at + " as a " + string(role))
			}
		}
		if !hasID(r) {
			continue
		}
		p := w.send(other, r, "")
		if p.code != http.StatusNotFound && !(r.Method == http.MethodPost && p.code == http.StatusUnprocessableEntity) ||
			strings.Contains(p.body, w.name) {
			t.Errorf("%s lets another shop's owner in: %d", at, p.code)
		}
		if r.Method == http.MethodPost {
			unchanged(at + " as another shop's owner")
		}
	}
	for name, secret := range map[string]string{"expired": w.over, "closed": w.ended, "made up": strings.Repeat("a", 32), "": ""} {
		for _, r := range w.web.Routes {
			if !strings.HasPrefix(r.Path, "/r/") && !strings.HasPrefix(r.Path, "/calendar") || secret == "" {
				continue
			}
			if p := w.send(nobody, r, secret); p.code != http.StatusNotFound || strings.Contains(p.body, w.name) {
				t.Errorf("%s %s by an address that is %s: %d", r.Method, r.Path, name, p.code)
			}
		}
		unchanged("an address that is " + name)
	}
	// An open one shows its own runner, and takes nothing to another's pair or plan.
	w.page = w.link(t) // the staff closed the others
	if p := nobody.get("/r/" + w.page); p.code != http.StatusOK || !strings.Contains(p.body, w.name) {
		t.Errorf("their own page: %d", p.code)
	}
	before = state(t, w.store.DB)
	strange := w.one(t, "SELECT MIN(id) FROM pairs WHERE runner_id <> 2 AND set_aside_on IS NULL")
	for path, form := range map[string][]string{"/r/" + w.page + "/pairs/" + strange + "/report": {"report_comfort", "1", "report_note", ""},
		"/r/" + w.page + "/pairs/" + strange + "/look": {"look_tread.left", "4"}, "/r/" + w.page +
			"/changes/999": walkForms["/r/:secret/changes/:change"],
		"/r/" + w.page + "/runs": {"pair", strange, "on", "2026-11-20", "km", "5", "kind", "easy", "ground", "road"}} {
		w.next++
		if p := nobody.post(path, append([]string{"token", tokenOf(w.next % 60)}, form...)...); p.code < 400 {
			t.Errorf("%s: %d", path, p.code)
		}
	}
	unchanged("a runner at another's pair")
	// What is not there is not done: an id of nothing never says saved.
	for param := range w.ids {
		w.ids[param] = "999999"
	}
	for _, r := range w.web.Routes {
		if r.Method != http.MethodPost || r.Roles == nil || !hasID(r) || strings.Contains(r.Path, "/print/:side") {
			continue
		}
		if p := w.send(owner, r, ""); p.code < 400 {
			t.Errorf("%s of nothing: %d", r.Path, p.code)
		}
	}
}

// Whatever a form changed of a runner is in the audit log, once: its verb put it down, or the pipeline did.
// What a station records is a row with its maker, and is not told twice.
func TestEveryChangeIsLogged(t *testing.T) {
	w := newWalk(t)
	owner := w.as(t, "isolde")
	entries := func() int {
		n, err := strconv.Atoi(w.one(t, "SELECT COUNT(*) FROM audit WHERE did <> 'saw'"))
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	done := 0
	for _, r := range w.web.Routes {
		station, ofFit := strings.CutPrefix(r.Path, "/fits/:fit/")
		if r.Method != http.MethodPost || !ofFit && !strings.HasPrefix(r.Path, "/runners/:runner") || strings.HasSuffix(r.Path, "/erase") ||
			slices.Contains(record.Stations, station) || station == "close" {
			continue
		}
		before := entries()
		p := w.send(owner, r, "")
		if p.code >= 400 {
			if now := entries(); now != before {
				t.Errorf("%s answered %d, and is in the log", r.Path, p.code)
			}
			continue
		}
		done++
		if now := entries(); now != before+1 {
			t.Errorf("%s answered %d, and is in the log %d times", r.Path, p.code, now-before)
		}
	}
	if done < 35 {
		t.Errorf("%d forms were taken", done)
	}
	// A picture of a sole and a still that are deleted are among them.
	for _, what := range []string{"/fits/:fit/old-pair/photos/:photo/delete", "/fits/:fit/gait/stills/:still/delete",
		"/fits/:fit/gait/films/:film/delete"} {
		if n := w.one(t, "SELECT COUNT(*) FROM audit WHERE runner_id = 2 AND what = '"+what+"'"); n != "1" {
			t.Errorf("%s is in the log %s times", what, n)
		}
	}
}
