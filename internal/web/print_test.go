package web_test

import (
	"bytes"
	"context"
	"crypto/rand"
	"fmt"
	"image/jpeg"
	"image/png"
	"log/slog"
	"math"
	mrand "math/rand/v2"
	"mime/multipart"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"trevik/internal/app/suite"
	"trevik/internal/core/footprint"
	"trevik/internal/core/term"
	"trevik/internal/device"
)

// printFile is a sheet with the print of a foot, and its truth.
func printFile(t *testing.T, side term.Side) ([]byte, device.PrintTruth) {
	t.Helper()
	s := device.NewScanner(5)
	var b bytes.Buffer
	if err := png.Encode(&b, s.Prints[side].Render(device.Photo{Paper: footprint.A4, MMPerPx: 0.35},
		mrand.New(mrand.NewPCG(5, 5)))); err != nil {
		t.Fatal(err)
	}
	return b.Bytes(), *s.Truth.Prints[side]
}

// upload sends a file with the fields of its form.
func (b *browser) upload(path, name string, file []byte, fields ...string) page {
	b.t.Helper()
	var body bytes.Buffer
	w := multipart.NewWriter(&body)
	fields = append([]string{"token", rand.Text()}, fields...)
	for i := 0; i+1 < len(fields); i += 2 {
		if err := w.WriteField(fields[i], fields[i+1]); err != nil {
			b.t.Fatal(err)
		}
	}
	if file != nil {
		part, err := w.CreateFormFile(name, "picture.png")
		if err != nil {
			b.t.Fatal(err)
		}
		if _, err := part.Write(file); err != nil {
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

func TestPrintOnTheBench(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	file, truth := printFile(t, term.Left)
	b.upload("/fits/5/print/left/photo", "photo", file, "keep", "yes").to(t)
	p := b.get("/fits/5/print")
	p.holds(t, "data-print=\"/fits/5/print/left/adjust\"", string(footprint.A4), "The reading is good to about")
	index := func(p page) float64 {
		t.Helper()
		m := regexp.MustCompile(`Arch index</a></th><td>([\d.]+)`).FindStringSubmatch(p.body)
		if m == nil {
			t.Fatalf("no arch index in %.2000s", p.body)
		}
		v, err := strconv.ParseFloat(m[1], 64)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	read := index(p)
	if d := read - truth.ArchIndex; d > 0.006 || d < -0.006 {
		t.Errorf("arch index %.3f, is %.3f", read, truth.ArchIndex)
	}
	b.get("/fits/5/support").holds(t, "Print <b class=\"side left\">left") // a slip among the evidence

	b.get("/fits/5/card").holds(t, " arch (print, index 0.")

	// Put right by hand: the numbers follow, and go back.
	moved := b.htmx("/fits/5/print/left/adjust", "level", "0.85")
	moved.holds(t, "saved", "id=\"rail\"")
	axis := regexp.MustCompile(`data-line="axis" x1="([\d.]+)" y1="([\d.]+)" x2="([\d.]+)" y2="([\d.]+)"`).FindStringSubmatch(p.body)
	x2, err := strconv.ParseFloat(axis[3], 64)
	if err != nil {
		t.Fatal(err)
	}
	tilted := b.htmx("/fits/5/print/left/adjust", "axis", strings.Join([]string{axis[1], axis[2], strconv.FormatFloat(x2+80, 'f', 1, 64),
		axis[4]}, ","))
	if index(tilted) == read {
		t.Error("a moved axis changes nothing")
	}
	cut := regexp.MustCompile(`data-handle="cut1" data-end="1"[^>]* cx="([\d.]+)" cy="([\d.]+)"`).FindStringSubmatch(p.body)
	y, err := strconv.ParseFloat(cut[2], 64)
	if err != nil {
		t.Fatal(err)
	}
	b.htmx("/fits/5/print/left/adjust", "reset", "yes")
	if got := index(b.htmx("/fits/5/print/left/adjust", "cut", "1,"+cut[1]+","+strconv.FormatFloat(y+30, 'f', 1, 64))); got <= read {
		t.Errorf("the first cut nearer the heel leaves a middle of %.3f, was %.3f", got, read)
	}
	erased := b.htmx("/fits/5/print/left/adjust", "stroke", `{"Points":[{"X":10,"Y":10}],"Radius":5,"Erase":true}`)
	if erased.code != http.StatusOK {
		t.Errorf("%d", erased.code)
	}
	if got := index(b.htmx("/fits/5/print/left/adjust", "reset", "yes")); got != read {
		t.Errorf("as it was read: %.3f, was %.3f", got, read)
	}
	for name, bad := range map[string][]string{"a cut beyond": {"level", "2"}, "half an axis": {"axis", "1,2,3"},
		"no numbers": {"toe_line", "a,b,c,d"}, "no stroke": {"stroke", "{"}, "a third cut": {"cut", "3,1,1"},
		"a cut far off": {"cut", "1,99999,99999"}, "an unknown field": {"colour", "red"}} {
		if p := b.htmx("/fits/5/print/left/adjust", bad...); p.code != http.StatusUnprocessableEntity {
			t.Errorf("%s: %d", name, p.code)
		}
	}
	if got := index(b.get("/fits/5/print")); got != read {
		t.Errorf("after what was refused: %.3f, was %.3f", got, read)
	}

	// The picture can be deleted alone.
	if p := b.get("/fits/5/print/left/picture"); p.code != http.StatusOK || p.header.Get("Content-Type") != "image/jpeg" {
		t.Errorf("the picture: %d", p.code)
	}
	b.post("/fits/5/print/left/delete").to(t)
	if p := b.get("/fits/5/print/left/picture"); p.code != http.StatusNotFound {
		t.Errorf("deleted, yet %d", p.code)
	}
	if got := index(b.get("/fits/5/print")); got != read {
		t.Errorf("the numbers went with the picture: %.3f", got)
	}
}

func TestPrintRefused(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	file, _ := printFile(t, term.Right)
	for name, c := range map[string]struct {
		path   string
		file   []byte
		fields []string
		code   int
		says   string
	}{
		"no file": {"/fits/5/print/left/photo", nil, []string{"keep", "yes"}, http.StatusUnprocessableEntity,
			"Is missing; choose a PNG or JPEG"},
		"no answer": {"/fits/5/print/left/photo", file, nil, http.StatusUnprocessableEntity, "say whether the picture may be kept"},
		"no picture": {"/fits/5/print/left/photo", []byte("hello"), []string{"keep", "no"}, http.StatusUnprocessableEntity,
			"Choose a PNG or JPEG picture"},
		"cut off": {"/fits/5/print/left/photo", file[:len(file)/3], []string{"keep", "no"}, http.StatusUnprocessableEntity, "cut off"},
		"a bad scale": {"/fits/5/print/left/photo", file, []string{"keep", "no", "mm_per_px", "big"}, http.StatusUnprocessableEntity,
			"0.005 to 20 mm"},
		"a third foot": {"/fits/5/print/middle/photo", file, []string{"keep", "no"}, http.StatusNotFound, "Not here"},
		"a closed fit": {"/fits/1/print/left/photo", file, []string{"keep", "no"}, http.StatusConflict, "closed"},
	} {
		if p := b.upload(c.path, "photo", c.file, c.fields...); p.code != c.code || !strings.Contains(p.body, c.says) {
			t.Errorf("%s: %d, no %q", name, p.code, c.says)
		}
	}
	// The other foot's print: read, with a word about it.
	b.upload("/fits/5/print/left/photo", "photo", file, "keep", "no").to(t)
	b.get("/fits/5/print").holds(t, "yet the print looks like a right foot")
	// A picture that nobody agreed to keep goes after two hours, whatever happens.
	later := suite.New(s.store, func() time.Time { return now.Add(2*time.Hour + time.Minute) }, slog.New(slog.DiscardHandler))
	soon := suite.New(s.store, func() time.Time { return now.Add(2*time.Hour - time.Minute) }, slog.New(slog.DiscardHandler))
	if err := soon.Transfer.Tidy(context.Background()); err != nil {
		t.Fatal(err)
	}
	if p := b.get("/fits/5/print/left/picture"); p.code != http.StatusOK {
		t.Errorf("gone too soon: %d", p.code)
	}
	if err := later.Transfer.Tidy(context.Background()); err != nil {
		t.Fatal(err)
	}
	if p := b.get("/fits/5/print/left/picture"); p.code != http.StatusNotFound {
		t.Errorf("after two hours: %d", p.code)
	}
	// And with the fit, when that is closed sooner; one that may be kept stays.
	b.upload("/fits/5/print/left/photo", "photo", file, "keep", "no").to(t)
	b.upload("/fits/5/print/right/photo", "photo", file, "keep", "yes").to(t)
	b.post("/fits/5/close").to(t)
	if p := b.get("/fits/5/print/left/picture"); p.code != http.StatusNotFound {
		t.Errorf("not kept, yet %d", p.code)
	}
	if p := b.get("/fits/5/print/right/picture"); p.code != http.StatusOK {
		t.Errorf("may be kept, yet %d", p.code)
	}
	for path, kind := range map[string]string{"/sheet?paper=a3": "application/pdf", "/sheet?paper=letter&format=svg": "image/svg+xml"} {
		if p := b.get(path); p.code != http.StatusOK || p.header.Get("Content-Type") != kind {
			t.Errorf("%s: %d %s", path, p.code, p.header.Get("Content-Type"))
		}
	}
	if p := b.get("/sheet?paper=a9"); p.code != http.StatusUnprocessableEntity {
		t.Errorf("a9: %d", p.code)
	}
}

func TestScans(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	file := func(text string) []byte { return []byte(text) }
	scan := `{"schema":"trevik.scan/v1","device":"x","left":{"length_mm":241.5,"ball_mm":90},"right":{"length_mm":237.2}}`
	b.upload("/fits/5/scan-file", "scan", file(scan)).to(t)
	p := b.get("/fits/5/feet")
	// By hand the left foot was 236 and 240.5: hand counts until the fitter says else.
	p.holds(t, "Hand and scanner are 3.3 mm apart in the left foot&#39;s length", "Foot length, scanned", "238.3 mm", "What counts")
	b.post("/fits/5/feet", "counts.left", "scan").to(t)
	b.get("/fits/5/feet").holds(t, "<td>241.5 mm</td>")
	b.post("/fits/5/scan").to(t) // the scanner on the bench
	for name, c := range map[string]struct{ text, says string }{
		"nothing":          {"", "is empty"},
		"no JSON":          {"feet!", "is not JSON"},
		"another's schema": {`{"schema":"x","left":{"length_mm":240}}`, "allowed is &#34;trevik.scan/v1&#34;"},
		"not plausible":    {`{"schema":"trevik.scan/v1","left":{"length_mm":24}}`, "180 to 340 mm"},
		"an unknown field": {`{"schema":"trevik.scan/v1","left":{"colour":"red"}}`, "is not a known field"},
		"no foot":          {`{"schema":"trevik.scan/v1"}`, "give at least one foot"},
	} {
		if p := b.upload("/fits/5/scan-file", "scan", file(c.text)); p.code != http.StatusUnprocessableEntity ||
			!strings.Contains(strings.ToLower(p.body), strings.ToLower(c.says)) {
			t.Errorf("%s: %d, no %q", name, p.code, c.says)
		}
	}
	if p := b.upload("/fits/5/scan-file", "scan", nil); p.code != http.StatusUnprocessableEntity {
		t.Errorf("no file: %d", p.code)
	}
	// Seated and standing.
	b.post("/fits/5/feet", "counts.left", "hand", "heel_to_ball_mm.left.1", "176", "instep_mm.left.1", "50", "instep_seated_mm.left.1", "58",
		"navicular_mm.left.1", "30", "navicular_seated_mm.left.1", "42").to(t)
	b.get("/fits/5/feet").holds(t, "0.284 low", "0.045 flexible", "12 mm raised", "slim")
	b.get("/fits/5/support").holds(t, "Navicular drop")
	// A growing foot: its earlier visit behind it, and when to measure again.
	b.get("/fits/8/feet").holds(t, "These feet still grow", "How the feet have grown", "Earlier visits: 1")
}

// outlineFile is the picture of a traced left foot, with what it really measures.
func outlineFile(t *testing.T, seed uint64) ([]byte, device.TracedTruth) {
	t.Helper()
	for ; ; seed++ {
		r := mrand.New(mrand.NewPCG(seed, 5))
		f := device.RandomTraced(r, device.Tracing{PenMM: 7, WidthMM: 0.9, Shake: 0.2})
		if f.Side != term.Left {
			continue
		}
		var b bytes.Buffer
		img := f.Render(device.Photo{Paper: footprint.A3, MMPerPx: 0.4, Tilt: 0.1, Noise: 2, Ink: [3]float64{0.2, 0.25, 0.6}}, r)
		if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: 85}); err != nil {
			t.Fatal(err)
		}
		return b.Bytes(), f.Truth()
	}
}

// A traced foot gives readings of their own beside the hand's; far apart they are pinned together, and the fitter
// says which counts. The pen is put right, the picture is shown to nobody else, and goes with its readings.
func TestOutlineAtFeet(t *testing.T) {
	b := newSite(t).as(t, "teal")
	file, truth := outlineFile(t, 11)
	if p := b.upload("/fits/4/outline", "photo", []byte("no picture"), "keep", "yes", "pen_mm",
		"7"); p.code != http.StatusUnprocessableEntity {
		t.Errorf("no picture: %d", p.code)
	}
	if p := b.upload("/fits/4/outline", "photo", file, "pen_mm", "70"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "0 to 20 mm") || !strings.Contains(p.body, "may be kept") {
		t.Errorf("a pen of 70 mm, and nothing said of keeping: %d", p.code)
	}
	b.upload("/fits/4/outline", "photo", file, "keep", "yes", "pen_mm", "7").to(t)
	p := b.get("/fits/4/feet")
	p.holds(t, "Traced on the sheet", "delete the left outline", "Foot length, traced")
	length := regexp.MustCompile(`Length</th><td>([\d.]+) mm ±`).FindStringSubmatch(p.body)
	if length == nil {
		t.Fatal("no length")
	}
	if mm, err := strconv.ParseFloat(length[1], 64); err != nil || math.Abs(mm-truth.LengthMM) > 1.5 {
		t.Errorf("%s mm, is %.1f", length[1], truth.LengthMM)
	}
	if q := b.get("/fits/4/outline/left/picture"); q.code != http.StatusOK || q.header.Get("Content-Type") != "image/jpeg" {
		t.Errorf("the picture: %d %s", q.code, q.header.Get("Content-Type"))
	}
	if q := b.get("/fits/4/outline/right/picture"); q.code != http.StatusNotFound {
		t.Errorf("no such picture: %d", q.code)
	}
	// The hand says another thing.
	b.htmx("/fits/4/feet", "length_mm.left.1", fmt.Sprintf("%.1f", truth.LengthMM-9)).holds(t, "Hand and outline are")
	b.htmx("/fits/4/feet", "counts.left", "outline").holds(t, length[1]+" mm")
	// A thicker pen makes the foot smaller; the axis is moved, and is its own again.
	b.post("/fits/4/outline/left/adjust", "pen_mm", "11").to(t)
	thick := regexp.MustCompile(`Length</th><td>([\d.]+) mm ±`).FindStringSubmatch(b.get("/fits/4/feet").body)
	if thick == nil || thick[1] >= length[1] {
		t.Errorf("with a thicker pen %v, was %v", thick, length)
	}
	b.htmx("/fits/4/outline/left/adjust", "axis", "300,900,300,200")
	b.get("/fits/4/feet").holds(t, "as it was found")
	b.post("/fits/4/outline/left/adjust", "pen_mm", "7", "reset", "yes").to(t)
	if q := b.post("/fits/4/outline/left/adjust", "axis", "here"); q.code != http.StatusUnprocessableEntity {
		t.Errorf("an axis of no numbers: %d", q.code)
	}
	b.post("/fits/4/outline/left/delete").to(t)
	if q := b.get("/fits/4/feet"); strings.Contains(q.body, "delete the left outline") || strings.Contains(q.body, "Foot length, traced") {
		t.Error("deleted, and still there")
	}
}
