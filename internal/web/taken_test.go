package web_test

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"testing"
	"time"

	"trevik/internal/core/units"
	"trevik/internal/form"
	"trevik/internal/record"
)

// typedFor is something that a person may type into a field: its ends, what lies between, nothing.
func typedFor(r *rand.Rand, f form.Field) []string {
	if r.IntN(12) == 0 {
		return []string{""}
	}
	switch f.Kind {
	case form.Number:
		v := f.Lo + (f.Hi-f.Lo)*r.Float64()
		switch r.IntN(4) {
		case 0:
			v = f.Lo
		case 1:
			v = f.Hi
		case 2: // as large as it gets at the lower end, where usual answers lie
			v = f.Lo + (f.Hi-f.Lo)*r.Float64()*r.Float64()*r.Float64()
		}
		return []string{f.Show(v, units.Metric)}
	case form.Choice:
		return []string{f.Choices[r.IntN(len(f.Choices))]}
	case form.Many:
		out := []string{""}
		for _, c := range f.Choices {
			if r.IntN(3) == 0 {
				out = append(out, c)
			}
		}
		return out
	case form.Day:
		return []string{now.AddDate(0, 0, r.IntN(900)-450).Format(time.DateOnly)}
	case form.Clock:
		return []string{fmt.Sprintf("%02d:%02d", r.IntN(24), r.IntN(60))}
	}
	return []string{[]string{"x", "some words of theirs", "<b>&\"'", "Ünï ✓"}[r.IntN(4)]}
}

// Whatever the forms of a fit take, every page of that fit and of the desk shows, the calendars
// among them: what cannot be computed with is refused where it is typed.
func TestWhatIsTakenIsShown(t *testing.T) {
	s := newSite(t)
	b := s.as(t, "isolde")
	seed := uint64(time.Now().UnixNano())
	r := rand.New(rand.NewPCG(seed, 15))
	t.Logf("seed %d", seed)
	feed := regexp.MustCompile(`<code class="address">https?://[^/]+([^<]+)</code>`).FindStringSubmatch(b.post("/due/calendar").body)[1]
	desk := []string{"/", "/due?within=year", "/due/buying.csv?within=year", "/learned", "/runners/4/care?place=heel", "/runners/4", feed}
	const fit = "/fits/4"
	b.post(fit+"/pairs", "model", "Norrbeck Skua 4, men", "uk", "9", "width", "D", "price", "100", "since", "2026-03-01").to(t)
	pair := regexp.MustCompile(`id="pair-(\d+)"`).FindStringSubmatch(b.get(fit + "/distance").body)[1]
	model := regexp.MustCompile(`name="try_comfort\.(\d+)"`)
	var sent []string // what was taken, to tell how a page was broken
	send := func(path string, values url.Values) {
		var pairs []string
		for name, list := range values {
			for _, v := range list {
				pairs = append(pairs, name, v)
			}
		}
		p := b.post(path, pairs...)
		if p.code >= 500 {
			t.Fatalf("%s %v: %d", path, values, p.code)
		}
		if p.code == http.StatusSeeOther {
			sent = append(sent, path+"?"+values.Encode())
		}
	}
	rounds := 12
	if testing.Short() {
		rounds = 3
	}
	for range rounds {
		tried := ""
		if m := model.FindStringSubmatch(b.get(fit + "/try-on").body); m != nil {
			tried = m[1]
		}
		for _, station := range record.Stations {
			for _, d := range record.DeclsAt(station) {
				if r.IntN(3) > 0 {
					continue
				}
				values := url.Values{}
				if d.ByModel {
					if tried != "" {
						values[d.Name+"."+tried] = typedFor(r, d.Field)
					}
				} else {
					keys := d.Keys()
					for range 1 + r.IntN(3) {
						values[keys[r.IntN(len(keys))].Input()] = typedFor(r, d.Field)
					}
				}
				send(fit+"/"+station, values)
			}
		}
		day := now.AddDate(0, 0, -r.IntN(250)).Format(time.DateOnly)
		of := func(lo, hi float64) string {
			return strconv.FormatFloat([]float64{lo, hi, lo + (hi-lo)*r.Float64()}[r.IntN(3)], 'f', 2, 64)
		}
		send(fit+"/runs", url.Values{"pair": {pair}, "on": {day}, "km": {of(0.1, 300)}, "kind": {"easy"}, "ground": {"road"},
			"temp_c": {of(-40, 50)}})
		send(fit+"/pairs/"+pair+"/lifting", url.Values{"lifting_hours": {of(0.1, 3000)}})
		send(fit+"/pairs/"+pair+"/look", url.Values{"look_tread.left": {strconv.Itoa(r.IntN(5))},
			"look_evenness.right": {strconv.Itoa(r.IntN(5))}, "looked_on": {day}})
		send(fit+"/races", url.Values{"race_name": {"X"}, "race_day": {now.AddDate(0, 0, r.IntN(700)).Format(time.DateOnly)},
			"race_length": {of(0.1, 500)}, "race_pair": {pair}})
		send(fit+"/pairs", url.Values{"model": {"Norrbeck Skua 3, men"}, "uk": {strconv.Itoa(7 + r.IntN(5))}, "width": {"D"},
			"price": {of(0, 100000)}, "since": {day}})
		send(fit+"/rotation/template", url.Values{"week": {strconv.Itoa(r.IntN(2))}, "template_goal": {"race"}, "template_km": {of(3, 300)},
			"template_days": {of(1, 7)}})
		send(fit+"/rotation/lay-out", url.Values{"week": {strconv.Itoa(r.IntN(2))}})
		send("/runners/4/changes", url.Values{"change_from": {pair}, "change_to": {pair}, "change_km": {of(1, 300)},
			"change_goal": {of(10, 100)}, "change_start": {day}})
		for _, path := range desk {
			if p := b.get(path); p.code != http.StatusOK {
				t.Fatalf("%s: %d after %q", path, p.code, sent)
			}
		}
		for _, station := range record.Stations {
			if p := b.get(fit + "/" + station); p.code != http.StatusOK {
				t.Fatalf("%s: %d, %v, after %q", station, p.code, regexp.MustCompile(`<p>[^<]+`).FindAllString(p.body, 2), sent)
			}
		}
	}
	if len(sent) < 5*rounds {
		t.Errorf("only %d forms were taken", len(sent))
	}
	// Nobody is a line that cannot be counted: what is taken can be computed with.
	if why := regexp.MustCompile(`cannot be counted:[^<]*`).FindString(b.get("/due?within=year").body); why != "" {
		t.Errorf("a runner %s after %q", why, sent)
	}
}
