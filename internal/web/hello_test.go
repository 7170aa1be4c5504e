package web_test

import (
	"bytes"
	"image"
	"image/jpeg"
	"net/http"
	"regexp"
	"strings"
	"testing"
)

// Who comes again is asked 'still so?', what may be kept is answered where they stand
// and on their own page, and answers that contradict each other are refused.
func TestHelloAgain(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	b.get("/fits/10/hello").holds(t, "still so?", "easy road 20 km, long road 12 km", "All still so", "Cautions are asked anew")
	b.post("/fits/10/still", "question", "surface").to(t)
	p := b.get("/fits/10/hello")
	if strings.Contains(p.body, `<b>Where most runs are</b>`) {
		t.Error("what was taken over is asked again")
	}
	if p := b.post("/fits/10/still", "question", "flags"); p.code != http.StatusNotFound {
		t.Errorf("cautions taken over: %d", p.code)
	}
	b.post("/fits/10/still").to(t)
	b.get("/fits/10/hello").holds(t, "The week: <b>32 km</b>")

	b.htmx("/fits/10/consent", "film", "no").holds(t, `id="consent"`, "no, to Teal Marsh")
	if p := b.post("/fits/10/consent", "film", "no", "film", "yes"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "contradict each other") {
		t.Errorf("two answers at once: %d", p.code)
	}
	if p := b.post("/fits/10/consent", "film", "yes", "withdraw", "film"); p.code != http.StatusUnprocessableEntity ||
		!strings.Contains(p.body, "agreed to and taken back at once") {
		t.Errorf("agreed and taken back at once: %d", p.code)
	}
	if p := b.htmx("/fits/10/consent", "health", "for_ever"); p.code != http.StatusUnprocessableEntity ||
		!regexp.MustCompile(`id="err-f-health"[^>]*>[^<]*Choose one of`).MatchString(p.body) {
		t.Errorf("an unknown answer: %d", p.code)
	}
	if p := b.post("/fits/10/gait/bench", "view", "rear", "gait", "run", "shod", "barefoot", "surface", "treadmill", "keep",
		"yes"); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "contradicts the runner’s no") &&
		!strings.Contains(p.body, "contradicts the runner&#39;s no") {
		t.Errorf("a film is kept in spite of a no: %d", p.code)
	}
	b.post("/runners/2/consent", "withdraw", "health").to(t)
	b.get("/runners/2").holds(t, "withdrawn, to Teal Marsh")
	if p := b.get("/fits/2/hello"); strings.Contains(p.body, "toe tips") && strings.Contains(p.body, `value="toe_tips" selected`) {
		t.Error("a complaint that was taken back is still there")
	}
}

// A fit with health answers asks, on closing, whether they may be kept.
func TestClosingAsksConsent(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	b.get("/fits/6/card").holds(t, "Note for a clinician", "swelling, heat or redness", "right ball, a month ago",
		"left: length 266 mm, ball 101 mm", "May we keep the health answers?")
	if p := b.post("/fits/6/close"); p.code != http.StatusUnprocessableEntity ||
		!regexp.MustCompile(`id="err-f-health"[^>]*>[^<]*whether the health answers may be kept`).MatchString(p.body) {
		t.Errorf("closed without asking: %d", p.code)
	}
	b.post("/fits/6/close", "health", "no").to(t)
	p := b.get("/fits/6/card")
	p.holds(t, "Decided under the settings of", "settings are the same today")
	if strings.Contains(p.body, "Note for a clinician") {
		t.Error("a health answer that may not be kept is still on the card")
	}
}

// House values: shipped value and reason beside each, faults at the field with what was
// typed, a file for the command line, and nobody but an owner.
func TestHouseValues(t *testing.T) {
	s := newSite(t)
	owner, teal := s.as(t, "isolde"), s.as(t, "teal")
	owner.get("/shop").holds(t, `name="feet.repeat_mm"`, "Ships as <b>3</b> mm. Careful hands", "House values", `name="life.daily"`)
	owner.post("/shop", "feet.repeat_mm", "2,5", "life.daily", "700").to(t)
	owner.get("/shop").holds(t, `value="2.5"`, "Set by Isolde Quay", "<b>1 not as shipped</b>")
	p := owner.post("/shop", "gait.mild_from", "2", "feet.ball_share", "none")
	if p.code != http.StatusUnprocessableEntity {
		t.Fatalf("%d", p.code)
	}
	p.holds(t, `value="none"`)
	if !regexp.MustCompile(`id="err-s-feet.ball_share"[^>]*>[^<]*this is no number`).MatchString(p.body) {
		t.Error("no fault at the share")
	}
	p = owner.post("/shop", "gait.mild_from", "2")
	if !regexp.MustCompile(`id="err-s-gait.mild_from"[^>]*>Enter more than 3.*not 2`).MatchString(p.body) {
		t.Error("no fault at the band")
	}
	if p := teal.post("/shop", "feet.repeat_mm", "5"); p.code != http.StatusForbidden {
		t.Errorf("a fitter sets a house value: %d", p.code)
	}
	teal.get("/shop/house.json").holds(t, `"trevik.house/v1"`, `"feet.repeat_mm": 2.5`)
}

// Photos of soles stand beside them; another runner's is not to be had.
func TestSolePhotos(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	var pic bytes.Buffer
	if err := jpeg.Encode(&pic, image.NewGray(image.Rect(0, 0, 300, 600)), nil); err != nil {
		t.Fatal(err)
	}
	b.upload("/fits/4/old-pair/photo", "photo", pic.Bytes(), "side", "left").to(t)
	p := b.get("/fits/4/old-pair")
	p.holds(t, "The left old sole, photographed", "delete the left photo")
	at := regexp.MustCompile(`/old-pair/photos/\d+`).FindString(p.body)
	if p := b.get("/fits/4" + at); p.code != http.StatusOK || !strings.HasPrefix(p.body, "\xff\xd8") {
		t.Errorf("%d", p.code)
	}
	if p := b.get("/fits/5" + at); p.code != http.StatusNotFound {
		t.Errorf("another runner's photo: %d", p.code)
	}
	if p := b.upload("/fits/4/old-pair/photo", "photo", []byte("no picture"), "side", "right"); p.code != http.StatusUnprocessableEntity ||
		!regexp.MustCompile(`id="err-photo-right"[^>]*>[A-Z]`).MatchString(p.body) {
		t.Errorf("no picture: %d", p.code)
	}
	b.post("/fits/4" + at + "/delete").to(t)
	if p := b.get("/fits/4/old-pair"); strings.Contains(p.body, "photographed") {
		t.Error("a photo that was deleted is still shown")
	}
	if p := b.post("/fits/4/old-pair/own", "pair", "1"); p.code != http.StatusNotFound {
		t.Errorf("another runner's pair: %d", p.code)
	}
	b.post("/fits/10/old-pair/own", "pair", "1").to(t)
	b.get("/fits/10/old-pair").holds(t, "They came in <b>Norrbeck Skua 4</b>", `value="10"`)
}

// A slip under the finger shows what it moved; light support is liked, outside the
// evidence; the knee by eye is evidence of its own.
func TestSlipsOnTheLadder(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	b.get("/fits/4/support?slip=gait.left").holds(t, "The left gait moved", "matched to pronation from guidance to stability", "movedto",
		"confidence by ")
	b.get("/fits/4/support").holds(t, "Rest on a reason or a slip", "hx-get=\"/fits/4/support/ladder?slip=gait.left\"",
		"We watched you move: your left foot tips inward clearly more than most")
	if p := b.get("/fits/4/support?slip=gait.middle"); p.code != http.StatusUnprocessableEntity {
		t.Errorf("%d", p.code)
	}
	b.htmx("/fits/5/support", "likes_light_support", "yes").holds(t, "Light support is liked", "guidance", `<p class="level">Neutral</p>`)
	b.htmx("/fits/5/gait", "knee.left", "far_inward").holds(t, "saved")
	b.htmx("/fits/5/gait", "knee_sure.left", "sure").holds(t, "Knee, by eye", "far inward, sure")
	b.htmx("/fits/5/gait", "band.left", "severe").holds(t, "saved")
	b.htmx("/fits/5/gait", "band_sure.left", "sure").holds(t, "saved")
	b.get("/fits/5/support").holds(t, "a sign, the knee was seen far inward")
}

// What was disliked stays with its model, and its maker's others say so.
func TestDisliked(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "teal")
	if p := b.post("/fits/4/dislike", "disliked_model", "norrbeck-skua-4-men", "disliked_why",
		""); p.code != http.StatusUnprocessableEntity || !strings.Contains(p.body, "Is missing: say why") {
		t.Errorf("%d", p.code)
	}
	if p := b.post("/fits/4/dislike", "disliked_model", "moon-boot", "disliked_why", "too round"); p.code != http.StatusUnprocessableEntity {
		t.Errorf("%d", p.code)
	}
	b.post("/fits/1/dislike", "disliked_model", "norrbeck-skua-4-men", "disliked_why", "hard tongue")
	b.post("/fits/10/still").to(t)
	b.post("/fits/10/dislike", "disliked_model", "norrbeck-skua-4-men", "disliked_why", "hard tongue").to(t)
	b.get("/fits/10/hello").holds(t, "Norrbeck Skua 4: “hard tongue”")
	b.htmx("/fits/10/feet", "length_mm.left.1", "262", "length_mm.left.2", "263")
	b.get("/fits/10/shoes").holds(t, "Disliked before, in this version: “hard tongue”",
		"Norrbeck Skua 4 was disliked (“hard tongue”); this one is made on")
	b.post("/fits/10/dislike", "take_back", "norrbeck-skua-4-men").to(t)
	if p := b.get("/fits/10/shoes"); strings.Contains(p.body, "hard tongue") {
		t.Error("a dislike that was taken back still counts")
	}
}
