package web_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"image/jpeg"
	"math"
	"mime/multipart"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"trevik/internal/core/gait"
	"trevik/internal/core/term"
	"trevik/internal/device"
)

// filmed is a short film of an invented runner as JPEG frames.
func filmed(t *testing.T, o device.TreadmillOptions) (*device.Treadmill, [][]byte) {
	t.Helper()
	o.Width, o.Height, o.DotPX = 320, 240, 9
	if o.Seconds == 0 {
		o.Seconds = 2.6
	}
	m, err := device.NewTreadmill(o)
	if err != nil {
		t.Fatal(err)
	}
	out := make([][]byte, m.Len())
	for i := range out {
		img, err := m.Frame(i)
		if err != nil {
			t.Fatal(err)
		}
		var b bytes.Buffer
		if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: 92}); err != nil {
			t.Fatal(err)
		}
		out[i] = b.Bytes()
	}
	return m, out
}

// frames sends some frames of a film, as the browser does.
func (b *browser) frames(at string, numbers []int, data [][]byte) page {
	b.t.Helper()
	var body bytes.Buffer
	w := multipart.NewWriter(&body)
	for _, n := range numbers {
		part, err := w.CreateFormFile(strconv.Itoa(n), "frame.jpg")
		if err != nil {
			b.t.Fatal(err)
		}
		if _, err := part.Write(data[n%len(data)]); err != nil {
			b.t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		b.t.Fatal(err)
	}
	r, err := http.NewRequest(http.MethodPost, b.base+at+"/frames", &body)
	if err != nil {
		b.t.Fatal(err)
	}
	r.Header.Set("Content-Type", w.FormDataContentType())
	return b.do(r)
}

func decode[T any](t *testing.T, p page) (v T) {
	t.Helper()
	if err := json.Unmarshal([]byte(p.body), &v); err != nil {
		t.Fatalf("%v in %.300s", err, p.body)
	}
	return v
}

// read waits until a film is read and gives its page.
func (b *browser) read(t *testing.T, url string) page {
	t.Helper()
	for range 300 {
		p := b.get(url)
		if !strings.Contains(p.body, "hx-trigger=\"load delay:500ms\"") {
			return p
		}
		time.Sleep(100 * time.Millisecond)
	}
	t.Fatal("the film is not read in time")
	return page{}
}

func span(from, to int) (out []int) {
	for i := from; i < to; i++ {
		out = append(out, i)
	}
	return out
}

type begun struct{ At, Page string }

// A film arrives in pieces, is read beside other work, becomes evidence, is put right
// by hand, goes on the card and is deleted alone.
func TestFilmOnTheBench(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	m, data := filmed(t, device.TreadmillOptions{Seed: 4, Peak: map[term.Side]float64{term.Left: 13.5, term.Right: 7}})
	describe := []string{"view", "rear", "gait", "run", "shod", "barefoot", "surface", "treadmill", "keep", "yes", "rate", "120"}
	p := b.post("/fits/5/gait/films", append(describe, "frames", strconv.Itoa(len(data)))...)
	if p.code != http.StatusCreated {
		t.Fatalf("begin: %d %s", p.code, p.body)
	}
	film := decode[begun](t, p)
	b.frames(film.At, span(0, 100), data)
	b.frames(film.At, span(90, 200), data) // some come again after a lost connection
	gone := decode[struct{ Missing []int }](t, b.get(film.At+"/missing"))
	if len(gone.Missing) != len(data)-200 || gone.Missing[0] != 200 {
		t.Fatalf("missing are %d from %v", len(gone.Missing), gone.Missing[:1])
	}
	b.get(film.Page).holds(t, "Choose the same file again")
	if p := b.frames(film.At, []int{len(data) + 3}, data); p.code != http.StatusUnprocessableEntity {
		t.Errorf("a frame beyond the last: %d", p.code)
	}
	if p := b.frames(film.At, []int{201}, [][]byte{[]byte("no picture")}); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "frames.201") {
		t.Errorf("a frame that is no picture: %d %s", p.code, p.body)
	}
	b.frames(film.At, span(200, len(data)), data)
	b.post(film.At + "/finish").to(t)
	p = b.read(t, film.Page)
	p.holds(t, "data-contacts", "class=\"curves\"", "The left heel pronates to", "± 1.5° for the joint")
	peak := func(p page, side string) float64 {
		t.Helper()
		row := regexp.MustCompile(`<th scope="row"><b class="side ` + side + `">` + side + `</b></th>\s*<td>([-\d.]+)`).FindStringSubmatch(p.body)
		if row == nil {
			t.Fatalf("no peak of the %s side", side)
		}
		v, err := strconv.ParseFloat(row[1], 64)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	for side, truth := range m.Truth().Sides {
		if d := math.Abs(peak(p, string(side)) - *truth.PeakEversionDeg); d > 0.6 {
			t.Errorf("%s peak is off by %.2f°", side, d)
		}
	}
	// A fault of the next film stands where it is seen, though a film is on the table.
	if p := b.upload("/fits/5/gait/archive", "archive", []byte("no zip"), "archive_keep", "yes"); !strings.Contains(p.body,
		`<details class="panel" open>`) {
		t.Error("the fault of an archive is folded away")
	}
	b.get("/fits/5/support").holds(t, "Pronation, filmed", "neutral")

	// A page whose fit was looked up before the film was read, and its films after, asks once more.
	if strings.Contains(p.body, `id="filmwork" hx-get`) {
		t.Error("a page that has all asks again")
	}
	lift := func(from, to string) {
		t.Helper()
		if _, err := s.store.DB.Exec("UPDATE findings SET fit_id = ? WHERE fit_id = ? AND name = 'film'", to, from); err != nil {
			t.Fatal(err)
		}
	}
	lift("5", "6")
	const more = `hx-get="/fits/5/gait?again=1&amp;film=`
	b.get(film.Page).holds(t, more)
	if p := b.get(film.Page + "&again=1"); strings.Contains(p.body, more) {
		t.Error("a page that asked once more asks on")
	}
	lift("6", "5")
	b.get(film.Page+"&again=1").holds(t, "Pronation, filmed")
	b.get("/fits/5/card").holds(t, "gait (filmed run from behind, barefoot")
	drawn := decode[struct {
		Legs map[string]struct {
			Dots     map[string][][]any
			Contacts []struct{ On, Off int }
			Angles   []*float64
		}
	}](t, b.get(film.At+"/data"))
	left := drawn.Legs["left"]
	if len(left.Dots["heel_low"]) < 280 || len(left.Angles) != len(data) || len(left.Contacts) < 2 {
		t.Fatalf("what is drawn: %d dots, %d angles, %d contacts", len(left.Dots["heel_low"]), len(left.Angles), len(left.Contacts))
	}
	if p := b.get(film.At + "/frames/7"); p.code != http.StatusOK || p.header.Get("Content-Type") != "image/jpeg" {
		t.Errorf("a frame: %d %s", p.code, p.header.Get("Content-Type"))
	}

	// By hand: a contact is moved, a step left out and taken back, a dot dragged, all undone.
	c := left.Contacts[0]
	mid := (c.On + c.Off) / 2
	moved := b.htmx(film.At+"/adjust", "contact", fmt.Sprintf("left,%d,%d,%d", mid, c.On-3, c.Off))
	moved.holds(t, fmt.Sprintf(`data-on="%d"`, c.On-3), "Put right by hand", "saved")
	again := b.htmx(film.At+"/adjust", "contact", fmt.Sprintf("left,%d,%d,%d", mid, c.On-5, c.Off))
	again.holds(t, fmt.Sprintf(`data-on="%d"`, c.On-5))
	if strings.Contains(again.body, fmt.Sprintf(`data-on="%d"`, c.On-3)) {
		t.Error("a contact moved twice is there twice")
	}
	b.htmx(film.At+"/adjust", "undo", "yes").holds(t, fmt.Sprintf(`data-on="%d"`, c.On-3))
	b.htmx(film.At+"/adjust", "drop", fmt.Sprintf("left,%d", mid)).holds(t, "data-out")
	if p := b.htmx(film.At+"/adjust", "restore", fmt.Sprintf("left,%d", mid)); strings.Contains(p.body, "data-out") {
		t.Error("a step that was taken back is still left out")
	}
	heel := left.Dots["heel_low"][mid]
	before := peak(b.get(film.Page), "left")
	for i := mid - 4; i <= mid+4; i++ {
		b.htmx(film.At+"/adjust", "mark", fmt.Sprintf("left,heel_low,%d,%.1f,%.1f", i, heel[1].(float64)-7, heel[2].(float64)))
	}
	if after := peak(b.get(film.Page), "left"); after <= before {
		t.Errorf("the heel's dot dragged outward: peak %g, was %g", after, before)
	}
	for _, bad := range [][]string{{"mark", "left,heel_low,5"}, {"mark", "left,nose,5,1,1"}, {"contact", "left,1,90,20"}, {"contact", "up"},
		{"drop", "left,x"}} {
		if p := b.htmx(film.At+"/adjust", bad...); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "id=\"notice\"") {
			t.Errorf("%v: %d", bad, p.code)
		}
	}
	b.htmx(film.At+"/adjust", "reset", "yes")
	if now := peak(b.get(film.Page), "left"); now != peak(p, "left") {
		t.Errorf("as it was read: %g, was %g", now, peak(p, "left"))
	}

	b.post(film.At+"/still", "frame", strconv.Itoa(mid)).to(t)
	b.get("/fits/5/card").holds(t, "cardstill", "/fits/5/gait/stills/", `text-anchor="end"`, `text-anchor="start"`)
	b.post(film.At + "/delete").to(t)
	if p := b.get(film.At + "/frames/7"); p.code != http.StatusNotFound {
		t.Errorf("a frame of a deleted film: %d", p.code)
	}
	p = b.get(film.Page)
	p.holds(t, "The film itself is gone, its numbers stay", "The left heel pronates to")

	// Another fit's, another shop's: not to be had.
	if p := b.get(strings.Replace(film.At, "/fits/5/", "/fits/1/", 1) + "/data"); p.code != http.StatusNotFound {
		t.Errorf("another runner's film: %d", p.code)
	}
}

func TestFilmRefused(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	ok := map[string]string{"view": "rear", "gait": "run", "keep": "no", "rate": "60", "frames": "300"}
	for name, change := range map[string]map[string]string{
		"view": {"view": "top"}, "keep": {"keep": ""}, "gait": {"gait": ""}, "frames": {"frames": "5000"}, "fps": {"rate": "3"},
		"speed_kmh": {"speed_kmh": "900"},
	} {
		var form []string
		for k, v := range ok {
			if to, changed := change[k]; changed {
				v = to
			}
			form = append(form, k, v)
		}
		for k, v := range change {
			if _, there := ok[k]; !there {
				form = append(form, k, v)
			}
		}
		p := b.post("/fits/5/gait/films", form...)
		if p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, `"field":"`+name+`"`) {
			t.Errorf("%s: %d %.200s", name, p.code, p.body)
		}
	}
	if p := b.post("/fits/5/gait/films", "view", "rear", "gait", "run", "keep", "no", "rate", "60", "frames",
		"1300"); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "20 s") {
		t.Errorf("over 20 s: %d %s", p.code, p.body)
	}
	if p := b.post("/fits/5/gait/bench", "view", "rear", "gait", "run"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "choose one") {
		t.Errorf("without consent: %d", p.code)
	}
	if p := b.post("/fits/5/gait/bench", "view", "side", "gait", "run", "near", "left", "dots", "none", "keep", "no"); p.code !=
		http.StatusUnprocessableEntity || !strings.Contains(p.body, "from behind only") {
		t.Errorf("from the side without dots: %d", p.code)
	}
	if p := b.upload("/fits/5/gait/archive", "archive", []byte("no zip"), "archive_keep", "yes"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "no zip archive") {
		t.Errorf("no zip: %d", p.code)
	}
	if p := b.upload("/fits/5/gait/archive", "archive", nil); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, `<p class="err" >Is missing; say whether the film may be kept.</p>`) ||
		!strings.Contains(p.body, `<p class="err" >Is missing; choose a .zip`) {
		t.Errorf("nothing: %d", p.code)
	}
}

// A zip archive of frames: one without dots fails in words, and is then marked by hand
// on key frames and followed.
func TestFilmArchiveMarkedByHand(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "corin")
	m, data := filmed(t, device.TreadmillOptions{Seed: 34, Seconds: 2})
	var file bytes.Buffer
	z := zip.NewWriter(&file)
	add := func(name string, content []byte) {
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write(content)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	rec := m.Recording()
	blue := 200.0
	rec.DotHueDeg = &blue // a hue that no dot has: they are not found
	description, err := json.Marshal(rec)
	if err != nil {
		t.Fatal(err)
	}
	add("recording.json", description)
	for i, d := range data {
		add(fmt.Sprintf("%d.jpg", i), d)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	p := b.upload("/fits/5/gait/archive", "archive", file.Bytes(), "archive_keep", "no")
	if p.code != http.StatusSeeOther {
		t.Fatalf("archive: %d %.300s", p.code, p.body)
	}
	url := p.header.Get("Location")
	p = b.read(t, url)
	p.holds(t, "This film was not read", "no set of round dots of that hue", "mark by hand")
	at := regexp.MustCompile(`data-film="([^"]+)/data"`).FindStringSubmatch(p.body)[1]
	var marks []string
	for _, side := range term.Sides {
		for _, name := range gait.DotNames(gait.Rear) {
			for i := 0; i < m.Len(); i += 20 {
				q, _ := m.Place(side, name, i)
				marks = append(marks, fmt.Sprintf("%s,%s,%d,%.1f,%.1f", side, name, i, q.X, q.Y))
			}
		}
	}
	if p := b.post(at+"/marks", "marks", "left,nose,1,2,3"); p.code != http.StatusUnprocessableEntity {
		t.Errorf("an unknown dot: %d", p.code)
	}
	b.post(at+"/marks", "marks", strings.Join(marks, " ")).to(t)
	p = b.read(t, url)
	p.holds(t, "data-contacts", "The left heel pronates to", "find the dots again")
	b.post(at+"/marks", "auto", "yes").to(t)
	b.read(t, url).holds(t, "no set of round dots of that hue")
}
