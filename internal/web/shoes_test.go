package web_test

import (
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"testing"
	"time"

	"trevik/internal/core/shoe"
	"trevik/internal/demo"
)

// The catalogue is found by words, exported, looked at before it is put in, and a model
// changed on its page with faults at the column.
func TestCatalogue(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	p := b.get("/shoes?q=max+cushion")
	p.holds(t, "Fulmar")
	if strings.Contains(p.body, "Sanderling") {
		t.Error("words find what they do not name")
	}
	csv := b.get("/shoes/export?format=csv")
	if csv.code != http.StatusOK || !strings.HasPrefix(csv.body, "id,maker,name,version") {
		t.Fatalf("%d %.60s", csv.code, csv.body)
	}
	if p := b.get("/shoes/export?format=xls"); p.code != http.StatusNotFound {
		t.Errorf("%d", p.code)
	}
	p = b.upload("/shoes/import", "file", []byte(strings.Replace(csv.body, ",daily,", ",slippers,", 1)))
	if p.code != http.StatusUnprocessableEntity ||
		!regexp.MustCompile(`row \d+, class</th><td>is &#34;slippers&#34;; allowed is one of daily`).MatchString(p.body) {
		t.Errorf("%d", p.code)
	}
	if p := b.upload("/shoes/import", "file", nil); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "is missing; choose") {
		t.Errorf("%d", p.code)
	}
	if p := b.post("/shoes/import/apply", "import", "77"); p.code != http.StatusUnprocessableEntity {
		t.Errorf("put in without a file: %d", p.code)
	}
	b.upload("/shoes/import", "file", []byte(strings.Replace(csv.body, "Daily miles without fuss", "Daily miles in quiet", 2))).to(t)
	b.get("/shoes/import").holds(t, "<b>0</b> new, <b>2</b> changed", "purpose", "Put all of it in")
	waits := regexp.MustCompile(`name="import" value="(\d+)"`).FindStringSubmatch(b.get("/shoes/import").body)[1]
	b.post("/shoes/import/apply", "import", waits).to(t)
	for range 200 {
		if p = b.get("/shoes/import"); strings.Contains(p.body, ">Put in<") {
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	p.holds(t, ">Put in<", "Done")
	b.get("/shoes?q=quiet").holds(t, "Daily miles in quiet")
	if p := s.as(t, "wick").get("/shoes/import"); p.code != http.StatusForbidden {
		t.Errorf("a trainee imports: %d", p.code)
	}

	at := regexp.MustCompile(`/shoes/models/\d+`).FindString(b.get("/shoes?q=fulmar").body)
	p = b.get(at)
	p.holds(t, "Bareness", "Its numbers", `name="stack_heel_mm"`, "insole not measured here")
	p.body, _, _ = strings.Cut(p.body, `id="box"`) // its boxes have forms of their own
	form := func(change ...string) []string {
		var out []string
		for _, m := range regexp.MustCompile(`<input id="f-[^"]*" name="([^"]*)" type="text" value="([^"]*)"`).FindAllStringSubmatch(p.body, -1) {
			if m[1] != "id" {
				out = append(out, m[1], m[2])
			}
		}
		out = append(out, "stock_shown", regexp.MustCompile(`name="stock_shown" value="([^"]*)"`).FindStringSubmatch(p.body)[1])
		for _, m := range regexp.MustCompile(`(?s)<select id="f-[^"]*" name="([^"]*)".*?</select>`).FindAllStringSubmatch(p.body, -1) {
			if v := regexp.MustCompile(`<option value="([^"]*)" selected`).FindStringSubmatch(m[0]); v != nil {
				out = append(out, m[1], v[1])
			}
		}
		for i := 0; i < len(change); i += 2 {
			for k := 0; k < len(out); k += 2 {
				if out[k] == change[i] {
					out[k+1] = change[i+1]
				}
			}
		}
		return out
	}
	bad := b.post(at, form("stack_heel_mm", "400", "name", "")...)
	if bad.code != http.StatusUnprocessableEntity || !regexp.MustCompile(`id="err-f-name"[^>]*>Is empty`).MatchString(bad.body) ||
		!strings.Contains(bad.body, `value="400"`) {
		t.Errorf("%d", bad.code)
	}
	b.post(at, form("stack_heel_mm", "36", "stack_forefoot_mm", "28")...).to(t)
	b.get(at).holds(t, `value="36"`, "Called max cushion, with 36 mm under the heel; that begins at 38 mm.")

	// An insole and a barcode of it, with their faults; a scan opens the box at the sale and at the try-on,
	// and a count sets the stock.
	if p := b.post(at+"/insole", "insole_size", "8", "insole_mm", "120"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, `value="120"`) {
		t.Errorf("an insole of 120 mm: %d", p.code)
	}
	b.post(at+"/insole", "insole_size", "8", "insole_mm", "275").to(t)
	b.get(at).holds(t, "insole measured once here", "UK 8: 275 mm")
	if p := b.post(at+"/barcode", "barcode", "4006381333932", "barcode_size", "8", "barcode_width",
		"D"); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "last digit") {
		t.Errorf("a wrong barcode: %d", p.code)
	}
	b.post(at+"/barcode", "barcode", "4006381333931", "barcode_size", "8", "barcode_width", "D").to(t)
	b.get(at).holds(t, "4006381333931: UK 8 D")
	for _, station := range []string{"shoes", "try-on"} {
		p := b.post("/fits/4/"+station+"/scan", "barcode", "4006381333931")
		p.to(t)
		b.get(p.header.Get("Location")).holds(t, "In hand:", "Fulmar 2", "UK 8 ")
		if p := b.post("/fits/4/"+station+"/scan", "barcode", "73513537"); p.code != http.StatusUnprocessableEntity ||
			!strings.Contains(p.body, "no box that the shop knows") {
			t.Errorf("%s: a box that nobody knows: %d", station, p.code)
		}
	}
	counted := b.post("/shoes/count", "codes", "4006381333931\n4006381333931\n")
	counted.holds(t, "Norrbeck Fulmar 2", "Counted")
	shown := regexp.MustCompile(`name="shown"\s+value="([^"]*)"`).FindStringSubmatch(counted.body)[1]
	b.post("/shoes/count/set", "codes", "4006381333931 4006381333931", "shown", shown).to(t)
	b.post("/shoes/count", "codes", "4006381333931 4006381333931").holds(t, "All of it is as in the list")
}

// The Shoes station: two compared, the picture, what was ruled out by its reason, let in.
func TestShoesStation(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	p := b.get("/fits/5/shoes?x=drop&y=weight")
	p.holds(t, "All candidates", `class="candidate totry"`, "Drop", "Weight", "Priorities and toe room")
	if p := b.get("/fits/5/shoes?x=colour"); p.code != http.StatusNotFound {
		t.Errorf("%d", p.code)
	}
	b.htmx("/fits/5/shoes", "mark_weight.8", "0.5").holds(t, "offered,")
	if p := b.htmx("/fits/5/shoes", "mark_weight.8", "-1"); p.code != http.StatusUnprocessableEntity {
		t.Errorf("%d", p.code)
	}
	models := regexp.MustCompile(`id="model-([^"]+)"`).FindAllStringSubmatch(p.body, -1)
	b.get("/fits/5/shoes?with="+models[0][1]+"&with="+models[1][1]).holds(t, "pairover", "pairover", "Heel stack")
	b.get("/fits/5/shoes?out=level").holds(t, `<span class="tag rust">level</span>`)
	out := regexp.MustCompile(`(?s)name="model"><option value="([^"]+)"`).FindStringSubmatch(b.get("/fits/5/shoes?out=level").body)
	if p := b.post("/fits/5/let-in", "model", out[1], "let_in", "short"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "letters long") {
		t.Errorf("%d", p.code)
	}
	if p := s.as(t, "wick").post("/fits/5/let-in", "model", out[1], "let_in", "they want to feel it once"); p.code != http.StatusForbidden {
		t.Errorf("a trainee: %d", p.code)
	}
	b.post("/fits/5/let-in", "model", out[1], "let_in", "they want to feel it once").to(t)
	b.get("/fits/5/shoes").holds(t, "is offered: “they want to feel it once”", `id="model-`+out[1]+`"`)
	figure := regexp.MustCompile(`(?s)id="fig-` + models[0][1] +
		`".*?<option value="([\d.]+)">.*?<option value="([\d.]+)">`).FindStringSubmatch(b.get("/fits/5/shoes").body)
	if p := b.post("/fits/5/choose", "token", tokenOf(1), "model", models[0][1], "figure", "2"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "this is no size that fits this runner") {
		t.Errorf("%d", p.code)
	}
	b.post("/fits/5/choose", "token", tokenOf(2), "model", models[0][1], "figure", figure[2], "price", "-3", "reason",
		"they know it").holds(t, `id="wrong-price-`+models[0][1]+`">Enter`, `value="-3"`, `value="they know it"`,
		`<option value="`+figure[2]+`" selected>`)
	b.post("/fits/5/choose", "token", tokenOf(2), "model", models[0][1], "figure", figure[1], "price", "99,50", "reason", "they know it").to(t)
	b.get("/fits/5/card").holds(t, "99.50 EUR", "they know it")
}

// The try-on by its screens, and one on each foot.
func TestTryOnStation(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	p := b.get("/fits/5/try-on")
	p.holds(t, "next pair", "One on each foot", "heel lock", "Lead each end through the loop", `aria-label="left big toe"`)
	row := regexp.MustCompile(`name="try_comfort\.(\d+)"`).FindStringSubmatch(p.body)[1]
	b.htmx("/fits/5/try-on", "try_comfort."+row, "8").holds(t, "saved")
	b.htmx("/fits/5/try-on", "try_pressure."+row, "", "try_pressure."+row, "left_big_toe", "try_pressure."+row, "right_heel").holds(t, "saved")
	if p := b.htmx("/fits/5/try-on", "try_pressure."+row, "left_ear"); p.code != http.StatusUnprocessableEntity {
		t.Errorf("%d", p.code)
	}
	if p := b.htmx("/fits/5/try-on", "try_comfort."+row, "11"); p.code != http.StatusUnprocessableEntity {
		t.Errorf("%d", p.code)
	}
	models := regexp.MustCompile(`(?s)name="on_left">(.*?)</select>`).FindStringSubmatch(p.body)[1]
	codes := regexp.MustCompile(`value="([^"]+)"`).FindAllStringSubmatch(models, -1)
	x, y := codes[0][1], codes[1][1]
	if p := b.post("/fits/5/try-on/compare", "on_left", x, "on_right", x, "better", "left"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "a pair is not compared with itself") {
		t.Errorf("%d", p.code)
	}
	if p := b.post("/fits/5/try-on/compare", "on_left", x, "on_right", y, "better", "both"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "choose one of left, right, even") {
		t.Errorf("%d", p.code)
	}
	b.post("/fits/5/try-on/compare", "on_left", x, "on_right", y, "better", "right").to(t)
	b.get("/fits/5/try-on").holds(t, "1 comparisons", "was better", "Not every pair was compared yet")
	// Whatever a finding moves, the answer is of the pair that it is of: what it changed, or why it is not offered any more.
	for _, m := range regexp.MustCompile(`\?pair=(\d+)`).FindAllStringSubmatch(b.get("/fits/4/try-on").body, -1) {
		at := regexp.MustCompile(`name="try_room\.([\w.]+)"`).FindStringSubmatch(b.get("/fits/4/try-on?pair=" + m[1]).body)
		if at == nil {
			continue
		}
		p := b.htmx("/fits/4/try-on", "try_room."+at[1], "short")
		if !strings.Contains(p.body, "Toes were short") && !strings.Contains(p.body, "not offered any more") {
			t.Errorf("pair %s, short toes: %.300s", m[1], p.body)
		}
	}
	// Toes are short: the next half size is tried, too, and each keeps its own findings.
	b.htmx("/fits/5/try-on", "try_room."+row, "short").holds(t, "is proposed", "Try it in")
	try := regexp.MustCompile(`(/fits/5/try-on/again\?pair=\d+)">.*?name="model"\s+value="([^"]+)">.*?name="again_size"\s+value="([^"]+)">` +
		`.*?name="again_width"\s+value="([^"]+)"`)
	found := try.FindStringSubmatch(b.get("/fits/5/try-on").body)
	if found == nil {
		t.Fatal("the proposed size cannot be tried")
	}
	again := []string{"model", found[2], "again_size", found[3], "again_width", found[4]}
	to := b.post(found[1], again...).to(t)
	b.get(to).holds(t, "try_comfort.1."+row)
	b.post(found[1], again...).holds(t, "Is tried already")
	b.htmx("/fits/5/try-on", "try_comfort.1."+row, "9").holds(t, "saved")
	b.htmx("/fits/5/try-on", "try_room.1."+row, "right").holds(t, "Of the sizes and widths that were tried")
	b.get("/fits/5/card").holds(t, "8 of 10", "9 of 10", "/ UK ")
	b.post("/fits/5/try-on/set", "model", x, "in", "no").to(t)
	if p := b.get("/fits/5/try-on"); strings.Contains(p.body, `<option value="`+x+`" selected`) {
		t.Error("what was taken out is still in the set")
	}
	b.get("/fits/5/try-on").holds(t, "They choose it", "Why, in their words")
	b.htmx("/fits/5/try-on", "none_today", "yes").holds(t, "saved")
	b.htmx("/fits/5/try-on", "none_why", "nothing wide enough").holds(t, "saved")
	b.get("/fits/5/card").holds(t, "None today: nothing wide enough")
	b.post("/fits/5/choose", "token", tokenOf(3), "model", y, "reason", "it was simply gone from my mind").to(t)
	b.get("/fits/5/try-on").holds(t, "They chose", "it was simply gone from my mind")
}

// BenchmarkShoes20000 is the Shoes station's page over a catalogue of 20,000 models.
func BenchmarkShoes20000(b *testing.B) {
	s := newSite(b)
	base := demo.Catalogue()
	list := make([]shoe.Model, 20000)
	for i := range list {
		m := base[i%len(base)]
		m.ID, m.Replaces, m.Change, m.WeightG = fmt.Sprintf("m%d", i), "", "", m.WeightG+float64(i%40)
		list[i] = m
	}
	a := s.web.Env.App
	who, err := a.People.ActorNamed(b.Context(), "isolde")
	if err != nil {
		b.Fatal(err)
	}
	if err := a.Shelf.Add(b.Context(), who.ShopID, list); err != nil {
		b.Fatal(err)
	}
	measure(b, s.web.Handler, "/fits/1/shoes", "trevik="+s.as(b, "teal").cookie())
}
