package draw

import (
	"encoding/xml"
	"html/template"
	"io"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"trevik/internal/core/foot"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
)

func wellFormed(t *testing.T, name string, html template.HTML) {
	t.Helper()
	if !strings.HasPrefix(string(html), "<svg ") {
		t.Errorf("%s: %.60s is no drawing", name, html)
	}
	d := xml.NewDecoder(strings.NewReader(string(html)))
	for {
		if _, err := d.Token(); err == io.EOF {
			return
		} else if err != nil {
			t.Errorf("%s: %v in %s", name, err, html)
			return
		}
	}
}

var feet = foot.Feet{Left: foot.Measured{LengthMM: 262.5, BallMM: 100}, Right: foot.Measured{LengthMM: 255, BallMM: 97}}

var points = regexp.MustCompile(`(-?\d+\.\d+) (-?\d+\.\d+)`)

// extent is a path's reach in x and y.
func extent(t *testing.T, d string) (w, h float64) {
	t.Helper()
	loX, hiX, loY, hiY := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
	for _, m := range points.FindAllStringSubmatch(d, -1) {
		x, err := strconv.ParseFloat(m[1], 64)
		if err != nil {
			t.Fatal(err)
		}
		y, err := strconv.ParseFloat(m[2], 64)
		if err != nil {
			t.Fatal(err)
		}
		loX, hiX, loY, hiY = min(loX, x), max(hiX, x), min(loY, y), max(hiY, y)
	}
	return hiX - loX, hiY - loY
}

// Both feet are drawn to scale: a path is as long and wide in mm as the foot.
func TestFeetAreToScale(t *testing.T) {
	for _, side := range term.Sides {
		m := feet.Of(side)
		w, h := extent(t, outline(side, m.LengthMM, m.BallMM, 100, 300))
		if math.Abs(h-m.LengthMM) > 2 || math.Abs(w-m.BallMM) > 2 {
			t.Errorf("%s: drawn %.1f by %.1f, is %.1f by %.1f", side, h, w, m.LengthMM, m.BallMM)
		}
	}
	svg := string(Feet(feet, units.Metric, foot.Feet{Left: foot.Measured{LengthMM: 250}}))
	for _, text := range []string{`class="foot left"`, `class="foot right"`, "262.5 mm", "97 mm", `class="hair" d="M110.00`} {
		if !strings.Contains(svg, text) {
			t.Errorf("no %s", text)
		}
	}
	if !strings.Contains(string(Overlay(feet, units.Metric)), "7.5 mm") || !strings.Contains(string(Overlay(feet, units.Metric)), "3 mm") {
		t.Error("the differences are not dimensioned")
	}
	if Overlay(foot.Feet{Left: feet.Left}, units.Metric) != "" {
		t.Error("one foot is laid over none")
	}
}

func TestDrawingsAreWellFormed(t *testing.T) {
	wellFormed(t, "feet", Feet(feet, units.Imperial))
	wellFormed(t, "no feet", Feet(foot.Feet{}, units.Metric))
	wellFormed(t, "overlay", Overlay(feet, units.Metric))
	for _, side := range term.Sides {
		for _, a := range term.Arches {
			wellFormed(t, string(a), Print(side, a))
		}
		for _, b := range term.Bands {
			wellFormed(t, string(b), Rear(side, b))
		}
	}
	for _, class := range term.Classes {
		m := shoe.Model{Name: `A <b>"model"`, Class: class, Level: term.Stability, StackHeelMM: 40, StackForefootMM: 30, LugDepthMM: 5,
			LugSpacing: "wide", Plate: "carbon", Rocker: 3, HeelBevel: true}
		wellFormed(t, string(class), Shoe(&m))
	}
	a, err := support.Decide(support.Evidence{})
	if err != nil {
		t.Fatal(err)
	}
	wellFormed(t, "ladder", Ladder(a, nil))
	stiff := term.Stability
	felt, err := support.Decide(support.Evidence{ComfortableLevel: &stiff})
	if err != nil {
		t.Fatal(err)
	}
	moved := Ladder(felt, &a)
	wellFormed(t, "ladder with what moved", moved)
	// Comfort first's mark and both feet were moved by what felt right.
	if n := strings.Count(string(moved), "movedto"); n != 3 {
		t.Errorf("%d arrows, want 3", n)
	}
	if strings.Contains(string(Ladder(a, &a)), "movedto") {
		t.Error("an arrow where nothing moved")
	}
	refer, err := support.Decide(support.Evidence{Flags: []support.Flag{"limp"}})
	if err != nil {
		t.Fatal(err)
	}
	if Ladder(refer, nil) != "" {
		t.Error("a ladder for somebody who is referred")
	}
	room := 12.5
	wellFormed(t, "room", Room(match.Size{Room: match.Room{Left: &room}, WantedMM: [2]float64{12, 17}}, units.Metric))
	today := time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)
	worn, err := wear.Assess(wear.Pair{Class: term.Daily, Today: "2026-11-24", FirstWorn: "2026-06-01", PlanWeeklyKM: []float64{30}})
	if err != nil {
		t.Fatal(err)
	}
	wellFormed(t, "fan", Fan(worn, today, nil, units.Metric))
	worn.Dates = wear.Dates{}
	if Fan(worn, today, nil, units.Metric) != "" {
		t.Error("a fan without dates")
	}
	level := term.Guidance
	for name, m := range map[string]template.HTML{"empty": MiniEmpty(), "feet": MiniFeet(feet), "arch": MiniArch(term.ArchLow, ""),
		"gait": MiniGait(term.BandMild, ""), "ladder": MiniLadder(&level), "sole": MiniSole("yes"),
		"shoe": MiniShoe(3), "week": MiniWeek([]float64{12, 0, 8}), "fan": MiniFan(0.7), "page": MiniPage()} {
		wellFormed(t, name, m)
	}
	grown := []Grown{{today.AddDate(0, -6, 0), feet}, {today, foot.Feet{Left: foot.Measured{LengthMM: 270}}}}
	wellFormed(t, "growth", Growth(grown, units.Metric))
	if Growth(grown[:1], units.Metric) != "" {
		t.Error("a curve of one visit")
	}
}

// Seen from below, as it is held, a left sole lies as the right one does from above, with its own wear.
func TestSoleFromBelow(t *testing.T) {
	cells := func(s template.HTML) []string {
		return regexp.MustCompile(`<rect class="gone g\d" x="\d+"`).FindAllString(string(s), -1)
	}
	worn := support.Sole{4, 3, 2, 1, 0, 1, 2, 3, 4}
	for _, s := range term.Sides {
		other := Lies(s, true)
		if a, b := cells(Sole(s, true, worn)), cells(Sole(other, false, worn)); len(a) != 9 || !slices.Equal(a, b) || other == s {
			t.Errorf("%s from below: %v, %s from above: %v", s, a, other, b)
		}
		if slices.Equal(cells(Sole(s, true, worn)), cells(Sole(s, false, worn))) {
			t.Errorf("%s lies the same from both sides", s)
		}
	}
}
