package web_test

import (
	"bytes"
	"crypto/rand"
	"fmt"
	"image"
	"image/png"
	"mime/multipart"
	"net/http"
	"regexp"
	"strings"
	"testing"
	"time"

	"trevik/internal/device"
)

// files sends files of runs.
func (b *browser) files(path, field string, extra map[string]string, files ...[2]string) page {
	b.t.Helper()
	var body bytes.Buffer
	w := multipart.NewWriter(&body)
	if err := w.WriteField("token", rand.Text()); err != nil {
		b.t.Fatal(err)
	}
	for name, value := range extra {
		if err := w.WriteField(name, value); err != nil {
			b.t.Fatal(err)
		}
	}
	for _, f := range files {
		part, err := w.CreateFormFile(field, f[0])
		if err == nil {
			_, err = part.Write([]byte(f[1]))
		}
		if err != nil {
			b.t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		b.t.Fatal(err)
	}
	r, err := http.NewRequest(http.MethodPost, b.base+path, &body)
	if err != nil {
		b.t.Fatal(err)
	}
	r.Header.Set("Content-Type", w.FormDataContentType())
	return b.do(r)
}

// waiting is the id of the file of runs that waits on a fit's page.
func (b *browser) waiting(fit string) string {
	b.t.Helper()
	m := regexp.MustCompile(`name="file" value="(\d+)"`).FindStringSubmatch(b.get(fit + "/distance").body)
	if m == nil {
		b.t.Fatal("no file waits")
	}
	return m[1]
}

func watchFiles(t *testing.T, seed uint64, n int) [][2]string {
	t.Helper()
	w, err := device.NewWatch(device.WatchOptions{Seed: seed, Weeks: 3, Until: now.AddDate(0, 0, -1), WeeklyKM: 24, Days: 3})
	if err != nil {
		t.Fatal(err)
	}
	var out [][2]string
	for _, r := range w.Truth.Runs[:n] {
		out = append(out, [2]string{r.File, string(r.GPX)})
	}
	return out
}

// Files come in, wait, are put in and offered to the pair; faults stand at the file.
func TestDistanceFiles(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	const at = "/fits/3"
	files := watchFiles(t, 21, 3)
	b.files(at+"/runs/file", "runs_file", nil, files...).to(t)
	b.get(at+"/distance").holds(t, "3 new runs", "Import 3 runs", "Discard file")
	b.post(at+"/runs/put-in", "file", b.waiting(at)).to(t)
	p := b.get(at + "/distance")
	if strings.Contains(p.body, "without a pair") {
		t.Error("they are not in the only pair that there is")
	}
	run := regexp.MustCompile(`name="run" value="(\d+)"`).FindAllStringSubmatch(p.body, 3)
	b.post(at+"/runs/move", "run", run[0][1], "run", run[1][1], "run", run[2][1], "to_pair", "").to(t)
	p = b.get(at + "/distance")
	p.holds(t, "3 runs without a pair", "All into Ishkel Whimbrel 7", "All ")
	move := regexp.MustCompile(`(?s)name="ids" value="([\d,]+)"><input type="hidden" name="to_pair" value="(\d+)"`).FindStringSubmatch(p.body)
	ids, pair := strings.Split(move[1], ","), move[2]
	b.post(at+"/runs/move", "ids", move[1], "to_pair", pair).to(t)
	if p := b.get(at + "/distance"); strings.Contains(p.body, "All into Ishkel Whimbrel 7") {
		t.Error("they are still without a pair")
	}
	b.get(at+"/distance?split="+ids[0]).holds(t, "Split it")
	if p := b.post(at+"/runs/split", "run", ids[0], "split_km", "300", "split_kind", "intervals", "split_pair",
		""); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "Enter a distance from 0.1 to") {
		t.Errorf("300 km of it: %d", p.code)
	}
	b.post(at+"/runs/split", "run", ids[0], "split_km", "2", "split_kind", "intervals", "split_pair", pair).to(t)
	b.get(at+"/distance").holds(t, "2 km", "intervals")
	if p := b.post(at+"/runs/move", "to_pair", pair); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "tick the runs to move") {
		t.Errorf("none ticked: %d", p.code)
	}
	b.files(at+"/runs/file", "runs_file", nil, files[0]).to(t)
	b.get(at+"/distance").holds(t, "0 new runs", "1 there already")
	b.post(at+"/runs/let-go", "file", b.waiting(at)).to(t)

	b.files(at+"/runs/file", "runs_file", nil, [2]string{"x.gpx", "<?xml version=\"1.0\"?>\n<!DOCTYPE a []>\n<gpx/>"}).to(t)
	p = b.get(at + "/distance")
	p.holds(t, "X.gpx, line 2 holds a document type")
	if strings.Contains(p.body, "runs/put-in") {
		t.Error("a file without a run can be put in")
	}
	b.post(at+"/runs/let-go", "file", b.waiting(at)).to(t)
	if p := b.files(at+"/runs/file", "runs_file", nil, [2]string{"x.png",
		"\x89PNG\r\n\x1a\n\x00"}); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, `id="err-runs_file"`) {
		t.Errorf("a picture: %d", p.code)
	}
	if p := b.files(at+"/runs/file", "nothing", nil); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "Is missing; choose GPX files") {
		t.Errorf("no file: %d", p.code)
	}

	// A table: its columns are guessed, settled once, and remembered.
	table := "Wann;Wie weit;Art\n03.11.2026;8,5;easy\n23.11.2026;12,25;long trail\n"
	b.files(at+"/runs/file", "runs_file", nil, [2]string{"log.csv", table}).to(t)
	b.get(at+"/distance").holds(t, "say which column holds what", "1: Wann", "03.11.2026")
	settle := []string{"file", b.waiting(at), "column_date", "1", "column_order", "day_month_year", "column_distance", "2", "column_unit",
		"km", "column_start", "", "column_time", "", "column_time_unit", "clock", "column_ascent", "", "column_kind", "3", "column_ground", ""}
	if p := b.post(at+"/runs/columns", append([]string{"file", b.waiting(at), "column_date", "2"},
		settle[4:]...)...); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "Is the column that date has") {
		t.Errorf("one column twice: %d", p.code)
	}
	b.post(at+"/runs/columns", settle...).to(t)
	b.get(at+"/distance").holds(t, "2 new runs", "12.3 km", "long, trail")
	b.post(at+"/runs/let-go", "file", b.waiting(at)).to(t)
	b.files(at+"/runs/file", "runs_file", nil, [2]string{"more.csv", strings.Replace(table, "03.11.2026", "31.02.2026", 1)}).to(t)
	p = b.get(at + "/distance")
	p.holds(t, "Line 2 has the date")
	if strings.Contains(p.body, "runs/put-in") {
		t.Error("a table with a fault can be put in")
	}
	b.post(at+"/runs/let-go", "file", b.waiting(at)).to(t)

	for format, kind := range map[string]string{"csv": "text/csv", "json": "application/json", "gpx": "application/zip"} {
		if p := b.get(at + "/runs/export?format=" + format); p.code != http.StatusOK || !strings.HasPrefix(p.header.Get("Content-Type"), kind) ||
			len(p.body) < 100 {
			t.Errorf("%s: %d %s", format, p.code, p.header.Get("Content-Type"))
		}
	}
	if p := b.get(at + "/runs/export?format=doc"); p.code != http.StatusNotFound {
		t.Errorf("doc: %d", p.code)
	}
	b.post(at + "/runs/watch").to(t)
	for range 100 {
		if p := b.get(at + "/distance"); !strings.Contains(p.body, "<progress") {
			p.holds(t, "the watch", "new")
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
	t.Error("the watch is read for ever")
}

// A pair is looked at, photographed, lifted in, slowed down, set aside with a reason and
// taken back; a race and a rule are made and ended; the cupboard goes from pair to pair.
func TestDistancePairs(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	const at = "/fits/2"
	p := b.get(at + "/distance")
	pairs := regexp.MustCompile(`id="pair-(\d+)"`).FindAllStringSubmatch(p.body, -1)
	pair := pairs[0][1]
	b.post(at+"/pairs/"+pair+"/look", "look_tread.left", "2", "look_tread.right", "1", "look_bounce.left", "3", "look_fresh", "yes",
		"look_faults", "", "look_faults", "upper_hole", "look_causes", "", "look_causes", "more_hills", "look_note", "outer edge", "looked_on",
		"2026-11-20").to(t)
	p = b.get(at + "/distance")
	p.holds(t, "tread 50 %", "bounce 75 %", "Beside a fresh pair.", "Upper hole.", "“outer edge”", "more hills",
		"Retire it now: the upper has a hole")
	take := regexp.MustCompile(`/looks/(\d+)/take-back`).FindStringSubmatch(p.body)[1]
	b.post(at + "/looks/" + take + "/take-back").to(t)
	if p := b.get(at + "/distance"); strings.Contains(p.body, "outer edge") {
		t.Error("the look is still there")
	}
	for name, c := range map[string]struct {
		form []string
		text string
	}{
		"nothing looked at": {[]string{"look_note", "x"}, "say at least one thing"},
		"a wild grade":      {[]string{"look_tread.left", "9"}, "Choose one of 0, 1, 2, 3, 4"},
		"tomorrow":          {[]string{"look_tread.left", "1", "looked_on", "2027-01-01"}, "this is after today"},
	} {
		if p := b.post(at+"/pairs/"+pair+"/look", c.form...); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, c.text) {
			t.Errorf("%s: %d", name, p.code)
		}
	}
	var pic bytes.Buffer
	if err := png.Encode(&pic, image.NewGray(image.Rect(0, 0, 40, 30))); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		b.files(at+"/pairs/"+pair+"/photo", "photo", map[string]string{"photo_side": "left"}, [2]string{"a.png", pic.String()}).to(t)
	}
	p = b.get(at + "/distance")
	p.holds(t, "The first picture, left", "The latest picture, left")
	src := regexp.MustCompile(`src="(/fits/2/pair-photos/\d+)"`).FindStringSubmatch(p.body)[1]
	if p := b.get(src); p.code != http.StatusOK || p.header.Get("Content-Type") != "image/jpeg" {
		t.Errorf("the picture: %d", p.code)
	}
	if p := b.get(strings.Replace(src, "/fits/2/", "/fits/1/", 1)); p.code != http.StatusNotFound {
		t.Errorf("another runner's picture: %d", p.code)
	}
	if p := b.files(at+"/pairs/"+pair+"/photo", "photo", map[string]string{"photo_side": "left"},
		[2]string{"a.txt", "no"}); p.code != http.StatusUnprocessableEntity {
		t.Errorf("no picture: %d", p.code)
	}
	// What is wrong in one pair's form stands in that one.
	p = b.post(at+"/pairs/"+pair+"/lifting", "lifting_hours", "9999")
	shown, wrong := strings.Count(p.body, `value="9999"`), strings.Count(p.body, `aria-invalid="true"`)
	if p.code != http.StatusUnprocessableEntity || shown != 1 || wrong != 1 {
		t.Errorf("9,999 hours: %d, shown %d times, %d inputs said to be wrong", p.code, shown, wrong)
	}
	b.post(at+"/pairs/"+pair+"/lifting", "lifting_hours", "2.5").to(t)
	b.get(at+"/distance").holds(t, "2.5 hours so far", "Lifting crushes foam")
	b.post(at+"/pairs/"+pair+"/slow", "slow", "yes").to(t)
	b.get(at+"/distance").holds(t, "for short and slow runs")

	b.post(at+"/races", "race_name", "The Causeway", "race_day", "2027-02-14", "race_length", "42.2", "race_pair", pair).to(t)
	p = b.get(at + "/distance")
	p.holds(t, "The Causeway", `class="race`)
	end := regexp.MustCompile(`/races/(\d+)/end`).FindStringSubmatch(p.body)[1]
	b.post(at + "/races/" + end + "/end").to(t)
	if p := b.post(at+"/races", "race_name", "", "race_day", "2025-01-01", "race_length", "10", "race_pair",
		""); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "Enter a date from today") {
		t.Errorf("a race long ago: %d", p.code)
	}
	b.post(at+"/rules", "rule_kind", "easy", "rule_ground", "", "rule_pair", pair, "rule_second", pairs[1][1]).to(t)
	p = b.get(at + "/distance")
	p.holds(t, "Easy on any ground", "the one that rested longer")
	b.post(at + "/rules/" + regexp.MustCompile(`/rules/(\d+)/end`).FindStringSubmatch(p.body)[1] + "/end").to(t)

	b.get(at+"/distance?cupboard=1").holds(t, "The cupboard: pair 1 of "+fmt.Sprint(len(pairs)), "Keep it, next pair",
		"Short, easy runs only from now")
	to := b.post(at+"/pairs/"+pair+"/set-aside", "aside_reason", "worn_out", "aside_note", "went flat", "cupboard", "1").to(t)
	if !strings.HasSuffix(to, "?cupboard=1") {
		t.Errorf("next pair is at %s", to)
	}
	b.get(at+"/distance").holds(t, "worn out, “went flat”", "counts as their own history", "own usual figure")
	b.post(at + "/pairs/" + pair + "/resume").to(t)
	if p := b.post(at+"/pairs/"+pair+"/set-aside", "aside_reason", "bored", "aside_note", ""); p.code != http.StatusUnprocessableEntity {
		t.Errorf("bored of it: %d", p.code)
	}
}

// The due page, its files and its calendar; the runner's page by its address alone.
func TestDueAndOwnPage(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	b.get("/due?within=year").holds(t, "Anselm", "The buying list", "late", "Order ")
	if p := b.get("/due?within=year&kind=comfort"); strings.Contains(p.body, "The buying list") || !strings.Contains(p.body, "comfort check") {
		t.Error("comfort alone holds orders")
	}
	if p := b.get("/due/buying.csv?within=year"); p.code != http.StatusOK || !strings.Contains(p.body, "Order by,Maker,Model") ||
		strings.Count(p.body, "\n") < 3 {
		t.Errorf("%d %s", p.code, p.body)
	}
	address := regexp.MustCompile(`<code class="address">https?://[^/]+([^<]+)</code>`)
	visitor := s.visitor(t)
	feed := address.FindStringSubmatch(b.post("/due/calendar").body)[1]
	for range 4 {
		b.post("/due/calendar")
	}
	if p := b.post("/due/calendar"); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "Would be the 6th that is open") ||
		!strings.Contains(p.body, "In your calendar") {
		t.Errorf("the sixth calendar: %d", p.code)
	}
	if p := visitor.get(feed); p.code != http.StatusOK || !strings.HasPrefix(p.header.Get("Content-Type"), "text/calendar") ||
		!strings.Contains(p.body, "Anselm") {
		t.Errorf("the feed: %d", p.code)
	}
	page := b.post("/runners/1/link")
	mine := address.FindStringSubmatch(page.body)[1]
	p := visitor.get(mine)
	p.holds(t, "Anselm Lockyer", "The Fitting Loft", "Log a run", "Norrbeck Skua 4")
	if p.header.Get("X-Robots-Tag") != "noindex" {
		t.Error("the page may be found by others")
	}
	for _, other := range []string{"Brisa", "Edric", "/fits/", "/runners", "cents", "EUR"} {
		if strings.Contains(p.body, other) {
			t.Errorf("the runner's page holds %q", other)
		}
	}
	pair := regexp.MustCompile(`<option value="(\d+)"`).FindStringSubmatch(p.body)[1]
	visitor.post(mine+"/runs", "token", tokenOf(3), "km", "7,5", "on", "2026-11-24", "pair", pair, "kind", "easy", "ground", "road").to(t)
	visitor.get(mine+"?said=run").holds(t, "Run saved.", "7.5 km")
	b.get("/fits/1/distance").holds(t, "by the runner")
	if p := visitor.post(mine+"/runs", "token", tokenOf(4), "km", "far", "on", "2026-11-24", "pair", "", "kind", "easy", "ground",
		"road"); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, `value="far"`) ||
		!strings.Contains(p.body, "this is not a number") {
		t.Errorf("no distance: %d", p.code)
	}
	if p := visitor.post(mine+"/runs", "token", tokenOf(5), "km", "5", "on", "2026-11-24", "pair", "2", "kind", "easy", "ground",
		"road"); p.code != http.StatusUnprocessableEntity {
		t.Errorf("another's pair: %d", p.code)
	}
	files := watchFiles(t, 33, 2)
	if to := visitor.files(mine+"/file", "runs_file", nil, files...).to(t); !strings.HasSuffix(to, "said=file") {
		t.Error(to)
	}
	if to := visitor.files(mine+"/file", "runs_file", nil, files...).to(t); !strings.HasSuffix(to, "said=there") {
		t.Error(to)
	}
	if p := visitor.files(mine+"/file", "runs_file", nil, [2]string{"x.gpx", "<gpx>"}); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "line 1") {
		t.Errorf("a broken file: %d", p.code)
	}
	if p := visitor.files(mine+"/file", "runs_file", nil, [2]string{"long.gpx",
		strings.Repeat(" ", 26<<20)}); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "Is larger than 24 MiB") {
		t.Errorf("more than a runner may send: %d", p.code)
	}
	visitor.post(mine+"/pairs/"+pair+"/report", "report_comfort", "4", "report_note", "rubs at the heel").to(t)
	visitor.post(mine+"/pairs/"+pair+"/look", "look_tread.left", "2", "look_bounce.right", "1").to(t)
	b.get("/fits/1/distance").holds(t, "rubs at the heel", "tread 50 %")
	if p := visitor.post(mine+"/pairs/2/report", "report_comfort", "4", "report_note", ""); p.code != http.StatusNotFound {
		t.Errorf("another's pair: %d", p.code)
	}
	own := visitor.post(mine + "/calendar")
	if p := visitor.get(address.FindStringSubmatch(own.body)[1]); p.code != http.StatusOK || strings.Contains(p.body, "Anselm") ||
		!strings.Contains(p.body, "BEGIN:VEVENT") {
		t.Errorf("their calendar: %d", p.code)
	}
	if p := s.as(t, "wick").post("/runners/1/link"); p.code != http.StatusForbidden {
		t.Errorf("a trainee gives out an address: %d", p.code)
	}
	link := regexp.MustCompile(`/links/(\d+)/revoke`).FindStringSubmatch(b.get("/runners/1").body)[1]
	b.post("/links/"+link+"/revoke", "back", "/runners/1").to(t)
	for _, path := range []string{mine, "/r/nobody", "/calendar/nobody.ics"} {
		if p := visitor.get(path); p.code != http.StatusNotFound {
			t.Errorf("%s: %d", path, p.code)
		}
	}
}
