package draw

import (
	"encoding/xml"
	"fmt"
	"html/template"
	"io"
	"math"
	"math/rand/v2"
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

// A foot is drawn as long, and as wide at its ball, as it was measured, whatever its toes are like, and
// its inner side lies to the right on the left foot.
func TestFeetAreToScale(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 5))
	for range 300 {
		m := foot.Measured{LengthMM: 180 + 160*rnd.Float64(), Shape: append(term.Shapes, "")[rnd.IntN(4)]}
		m.BallMM = m.LengthMM * (.34 + .09*rnd.Float64())
		if rnd.IntN(2) == 0 {
			m.HeelToBallMM, m.HeelMM = m.LengthMM*(.66+.1*rnd.Float64()), m.LengthMM*(.22+.06*rnd.Float64())
		}
		for _, small := range []bool{false, true} {
			f := topOf(m, small)
			lo, hi := f.edge.box()
			if math.Abs(hi.y-lo.y-m.LengthMM) > .5 || math.Abs(hi.x-lo.x-m.BallMM) > 2.5 {
				t.Fatalf("%+v: drawn %.1f by %.1f", m, hi.y-lo.y, hi.x-lo.x)
			}
			if big := f.edge.points(8); !small && big[0].y > 1 {
				t.Fatalf("%+v: begins at %v, not at the heel", m, big[0])
			}
			tip := point{}
			for _, p := range f.edge.points(8) {
				if p.y > tip.y {
					tip = p
				}
			}
			if m.Shape == "" && tip.x < 0 {
				t.Fatalf("%+v: the big toe lies outside, at %v", m, tip)
			}
		}
	}
	svg := string(Feet(feet, units.Metric, 1.2, foot.Feet{Left: foot.Measured{LengthMM: 250}}))
	for _, text := range []string{`class="foot left"`, `class="foot right"`, "262.5 mm", "97 mm", `class="earlier"`, "7.5 mm shorter"} {
		if !strings.Contains(svg, text) {
			t.Errorf("no %s", text)
		}
	}
}

// A heel that is everted by so many degrees is drawn so, to the outer side; the leg stays.
func TestLegHasItsAngle(t *testing.T) {
	for deg := -8.0; deg <= 24; deg += 2 {
		_, _, leg, heel := legOf(deg)
		at := func(l line) float64 {
			return math.Atan2(l[0].a.x-l[0].d.x, l[0].d.y-l[0].a.y) * 180 / math.Pi // of its lower end from its upper, outwards negative
		}
		if got := -at(heel); math.Abs(got-deg) > .01 {
			t.Errorf("%g° is drawn as %.2f°", deg, got)
		}
		if leg[0].a.x != 0 || leg[len(leg)-1].d.x != 0 {
			t.Error("the leg leans")
		}
	}
}

// inOutline says whether a point lies in a closed line.
func inOutline(l line, p point) bool {
	q := l.points(8)
	in := false
	for i := range q {
		a, b := q[i], q[(i+1)%len(q)]
		if (a.y > p.y) != (b.y > p.y) && p.x < a.x+(b.x-a.x)*(p.y-a.y)/(b.y-a.y) {
			in = !in
		}
	}
	return in
}

// Every place of a sole lies in one zone, and every zone's grade in its own.
func TestZonesShareTheSole(t *testing.T) {
	sole := ring(soleOutline...)
	zones := make([]line, len(soleZones))
	for i := range zones {
		zones[i], _, _ = zoneEdge(i)
		if !inOutline(sole, soleZones[i].at) || !inOutline(zones[i], soleZones[i].at) {
			t.Errorf("the grade of %s stands elsewhere", support.Zones[i])
		}
	}
	rnd := rand.New(rand.NewPCG(1, 2))
	none, twice := 0, 0
	for n := 0; n < 4000; {
		p := point{.4*rnd.Float64() - .2, rnd.Float64()}
		if !inOutline(sole, p) {
			continue
		}
		n++
		in := 0
		for _, z := range zones {
			if inOutline(z, p) {
				in++
			}
		}
		if in == 0 {
			none++
		} else if in > 1 {
			twice++
		}
	}
	// Grooves part the zones: what is not shared lies in them.
	if none > 60 || twice > 60 {
		t.Errorf("of 4000 places %d lie in no zone, %d in two", none, twice)
	}
}

// Any model that the catalogue takes fits its field (the tallest stand a little over its edge), stands on the ground,
// and is as high as its stack.
func TestShoesFitTheirField(t *testing.T) {
	rnd := rand.New(rand.NewPCG(7, 7))
	for range 2000 {
		m := shoe.Model{Class: term.Classes[rnd.IntN(len(term.Classes))], StackHeelMM: 4 + 46*rnd.Float64(), Rocker: rnd.IntN(4),
			HeelBevel: rnd.IntN(2) == 0, HeelCounter: shoe.HeelCounters[rnd.IntN(2)], LastShape: term.LastShapes[rnd.IntN(3)],
			LugDepthMM: 8 * rnd.Float64(), LugSpacing: shoe.LugSpacings[rnd.IntN(3)], Level: term.Levels[rnd.IntN(5)]}
		m.StackForefootMM = math.Max(3, m.StackHeelMM-14*rnd.Float64())
		s := shapeOf(&m)
		lo, hi := join(s.midsole, s.upper).box()
		if lo.x < shoeLeft || hi.x > shoeRight || hi.y+m.LugDepthMM > shoeTop+24 || lo.y < -4 {
			t.Fatalf("%+v: lies in %v to %v", m, lo, hi)
		}
		under, ok := s.bottom.lowAt(.6 * shoeLength)
		if !ok || math.Abs(under) > 5 {
			t.Fatalf("%+v: its sole is %.1f mm over the ground", m, under)
		}
		// The foot stands stack over the ground: the midsole's wall rises a little above it.
		for _, at := range []struct{ u, stack float64 }{{.12, m.StackHeelMM}, {.72, m.StackForefootMM}} {
			if got, _ := s.midsole.highAt(at.u * shoeLength); got < at.stack-.5 || got > at.stack+s.build.wall*1.5+1 {
				t.Fatalf("%+v: %.1f mm high at %.2f, stack %.1f", m, got, at.u, at.stack)
			}
		}
	}
}

// The classes have silhouettes of their own: no two are drawn by the same numbers.
func TestClassesDiffer(t *testing.T) {
	for i, a := range term.Classes {
		if _, ok := builds[a]; !ok {
			t.Errorf("%s has no build", a)
		}
		for _, b := range term.Classes[:i] {
			if builds[a] == builds[b] && !(a == term.LinkClass || b == term.LinkClass) {
				t.Errorf("%s is built as %s", a, b)
			}
		}
	}
}

// A curve goes through its points, keeps near them, and its path ends where it began when it is shut.
func FuzzCurve(f *testing.F) {
	f.Add(int64(1), 4)
	f.Add(int64(9), 30)
	f.Fuzz(func(t *testing.T, seed int64, n int) {
		n = 3 + abs(n)%40
		rnd := rand.New(rand.NewPCG(uint64(seed), 1))
		p := make([]point, n)
		for i := range p {
			p[i] = point{200 * rnd.Float64(), 200 * rnd.Float64()}
			if i > 0 && rnd.IntN(9) == 0 {
				p[i] = p[i-1] // twice the same
			}
		}
		for _, l := range []line{curve(p...), ring(p...)} {
			lo, hi := l.box()
			for _, v := range []float64{lo.x, lo.y, hi.x, hi.y} {
				if math.IsNaN(v) || v < -400 || v > 600 {
					t.Fatalf("%v: reaches %v to %v", p, lo, hi)
				}
			}
			for i := range l {
				if l[i].a != p[i] {
					t.Fatalf("piece %d begins at %v, not at %v", i, l[i].a, p[i])
				}
			}
		}
		if d := (sheet{point{10, 10}, 1.5, true}).shut(ring(p...)); !strings.HasPrefix(d, "M") || !strings.HasSuffix(d, "Z") ||
			strings.Contains(d, "NaN") {
			t.Fatalf("%.60s", d)
		}
	})
}

func abs(n int) int {
	if n < 0 {
		return -(n + 1)
	}
	return n
}

// The cupboard: a pair's bar ends today, its fan opens after it, and what is far or long ago stays on the
// axis.
func TestCupboard(t *testing.T) {
	day := func(s string) time.Time {
		d, err := time.Parse(time.DateOnly, s)
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	m := shoe.Model{Name: "Skua", Class: term.Daily, StackHeelMM: 34, StackForefootMM: 25}
	svg := Cupboard([]Life{
		{Name: `Skua <3>`, Model: &m, Said: "377 km", State: "Check due", Act: true, URL: "?pair=1&x=2", From: day("2026-02-01"),
			Early: day("2026-12-10"), Likely: day("2027-02-02"), Late: day("2031-04-20"), Order: day("2026-10-22")},
		{Name: "Old", Model: &m, Said: "812 km", State: "Retired", From: day("2011-10-20"), Until: day("2026-08-01")},
		{Name: "Just bought", Said: "0 km", State: "In use"}},
		[]Event{{"Causeway half", day("2027-01-24"), true}, {"Far one", day("2029-01-24"), false}}, day("2026-11-28"), 812)
	wellFormed(t, "cupboard", svg)
	for _, want := range []string{"377 km", "2 Feb", "Causeway half", "raceflag risk", "Order the next by 22 October 2026", "Skua &lt;3&gt;",
		"retired 1 August 2026"} {
		if !strings.Contains(string(svg), want) {
			t.Errorf("no %q", want)
		}
	}
	for _, x := range regexp.MustCompile(`[ "]x="(-?[\d.]+)"`).FindAllStringSubmatch(string(svg), -1) {
		if v, err := strconv.ParseFloat(x[1], 64); err != nil || v < 0 || v > 812 {
			t.Errorf("x = %s lies outside", x[1])
		}
	}
	if Cupboard(nil, nil, day("2026-11-28"), 812) != "" {
		t.Error("a cupboard of no pair")
	}
}

func TestDrawingsAreWellFormed(t *testing.T) {
	wellFormed(t, "feet", Feet(feet, units.Imperial, 1.2))
	wellFormed(t, "no feet", Feet(foot.Feet{}, units.Metric, 1.2))
	wellFormed(t, "a foot to tap on", TopFoot(term.Right, feet.Right))
	wellFormed(t, "where it rubs", RubFoot([]RubSpot{{Place: "heel", URL: "?a=1&b=2", On: true}}, foot.Measured{}))
	wellFormed(t, "a shoe to look at", LookShoe(term.Left))
	wellFormed(t, "leg", RearAt(term.Right, 12, "12°"))
	for name := range terms {
		wellFormed(t, name, Term(name))
	}
	for name := range lacings {
		wellFormed(t, name, Lacing(name))
	}
	if Lacing("knots") != "" {
		t.Error("a lacing that is none")
	}
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
		for _, d := range []template.HTML{Shoe(&m, 228), ShoeMeasured(&m, units.Imperial), Outsole(&m, 200), ShoeRear(&m, term.Left, 4),
			ShoeAbove(&m, term.Right, feet.Right, 270, units.Metric), ShoeAbove(&m, term.Left, foot.Measured{}, 0, units.Metric), Overlay(&m, &m),
			MiniShoe(&m, &m, &m, &m)} {
			wellFormed(t, string(class), d)
		}
	}
	a, err := support.Decide(support.Evidence{})
	if err != nil {
		t.Fatal(err)
	}
	wellFormed(t, "ladder", Ladder(a, nil, feet))
	stiff := term.Stability
	felt, err := support.Decide(support.Evidence{ComfortableLevel: &stiff})
	if err != nil {
		t.Fatal(err)
	}
	moved := Ladder(felt, &a, foot.Feet{})
	wellFormed(t, "ladder with what moved", moved)
	// Comfort first's mark and both feet were moved by what felt right.
	if n := strings.Count(string(moved), "movedto"); n != 3 {
		t.Errorf("%d arrows, want 3", n)
	}
	if strings.Contains(string(Ladder(a, &a, feet)), "movedto") {
		t.Error("an arrow where nothing moved")
	}
	refer, err := support.Decide(support.Evidence{Flags: []support.Flag{"limp"}})
	if err != nil {
		t.Fatal(err)
	}
	if Ladder(refer, nil, feet) != "" {
		t.Error("a ladder for somebody who is referred")
	}
	room := 12.5
	wellFormed(t, "room", Room(match.Size{Room: match.Room{Left: &room}, WantedMM: [2]float64{12, 17}}, feet, "standard", units.Metric))
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
		"gait": MiniGait(term.BandMild, ""), "ladder": MiniLadder(&level), "sole": MiniSole(.2, 1),
		"no shoe": MiniShoe(), "week": MiniWeek([]float64{12, 0, 8}), "fan": MiniFan(0.7), "page": MiniPage()} {
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
		return regexp.MustCompile(`<path class="rubber g\d" d="[^"]+"`).FindAllString(string(s), -1)
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

// Drawings stand together on a page: a name within one must not lead to another's shape.
func TestCutsAreTheirOwn(t *testing.T) {
	room := 11.0
	size := match.Size{WantedMM: [2]float64{9, 14}}
	size.Room.Left, size.Room.Right = &room, &room
	feet := foot.Feet{Left: foot.Measured{LengthMM: 262, BallMM: 100}, Right: foot.Measured{LengthMM: 264, BallMM: 101}}
	cut := regexp.MustCompile(`<clipPath id="([^"]+)">(.*?)</clipPath>`)
	of := map[string]string{}
	var drawings []template.HTML
	for _, last := range []term.LastShape{"tapered", "standard", "wide"} {
		drawings = append(drawings, Room(size, feet, last, units.Metric))
	}
	for _, side := range term.Sides {
		drawings = append(drawings, Sole(side, true, support.Sole{}), LookShoe(side))
	}
	for _, class := range []term.Class{term.Daily, term.RacePlated, term.TrailClass} {
		drawings = append(drawings, Outsole(&shoe.Model{Class: class, StackHeelMM: 34, StackForefootMM: 25}, 200))
	}
	for _, d := range drawings {
		for _, m := range cut.FindAllStringSubmatch(string(d), -1) {
			if was, there := of[m[1]]; there && was != m[2] {
				t.Errorf("%s is %.60s… and %.60s…", m[1], was, m[2])
			}
			of[m[1]] = m[2]
		}
	}
	if len(of) < 10 {
		t.Errorf("only %d cuts in %d drawings", len(of), len(drawings))
	}
}

// Each run of a week stands in its day's column on the card, whatever else is run that day.
func TestCardWeek(t *testing.T) {
	rnd := rand.New(rand.NewPCG(11, 4))
	for range 200 {
		var rows []WeekRow
		want := map[string]int{}
		for n := range 1 + rnd.IntN(4) {
			r := WeekRow{Name: fmt.Sprintf("Pair %d", n)}
			for range 1 + rnd.IntN(5) {
				day := rnd.IntN(7)
				begin := float64(day*1440 + rnd.IntN(1300))
				label := fmt.Sprintf("%d.%d", n, rnd.IntN(1e6))
				want[label] = day
				r.Runs = append(r.Runs, WeekRun{Begin: begin, End: begin + 40, Label: "easy " + label + " km"})
			}
			rows = append(rows, r)
		}
		svg := string(CardWeek(rows, 720))
		high, _ := strconv.ParseFloat(regexp.MustCompile(`viewBox="0 0 720 (\d+)"`).FindStringSubmatch(svg)[1], 64)
		found := regexp.MustCompile(`x="([\d.]+)" y="([\d.]+)"[^>]*>([\d.]+) km<`).FindAllStringSubmatch(svg, -1)
		if len(found) != len(want) {
			t.Fatalf("%d runs, %d drawn", len(want), len(found))
		}
		for _, f := range found {
			x, _ := strconv.ParseFloat(f[1], 64)
			y, _ := strconv.ParseFloat(f[2], 64)
			if day := int((x - 150) / (570.0 / 7)); day != want[f[3]] || y > high {
				t.Errorf("%s on day %d at %g of %g, not %d", f[3], day, y, high, want[f[3]])
			}
		}
	}
}

// A season's bars, marks and lines lie within it, in their weeks, however many weeks and pairs there are.
func TestSeasonFits(t *testing.T) {
	rnd := rand.New(rand.NewPCG(21, 6))
	for range 300 {
		n := 1 + rnd.IntN(30)
		v := SeasonView{Starts: time.Date(2026, 11, 30, 0, 0, 0, 0, time.UTC)}
		for i := range n {
			v.Weeks = append(v.Weeks, SeasonWeek{KM: 100 * rnd.Float64(), Label: "66", Title: fmt.Sprint(i)})
			v.Spent, v.Says = append(v.Spent, float64(1000*i)), append(v.Says, "1000.00 EUR")
		}
		past := func() int { return rnd.IntN(n+8) - 4 }
		for i := range rnd.IntN(8) {
			l := SeasonLane{Name: fmt.Sprintf("Pair %d with a long name & more", i)}
			for range rnd.IntN(4) {
				l.Copies = append(l.Copies, SeasonCopy{From: past(), Early: past(), Likely: past(), End: past()})
			}
			l.Orders = append(l.Orders, SeasonMark{Week: rnd.IntN(n), Title: "<order>"})
			v.Lanes = append(v.Lanes, l)
		}
		for range rnd.IntN(3) {
			v.Races = append(v.Races, SeasonFlag{Name: "Orlund Marathon", On: v.Starts.AddDate(0, 0, rnd.IntN(7*n)), Ready: "97 %"})
		}
		svg := string(Season(v, 1010))
		wellFormed(t, "season", template.HTML(svg))
		for _, m := range regexp.MustCompile(`[MH](-?[\d.]+)`).FindAllStringSubmatch(svg, -1) {
			if x, _ := strconv.ParseFloat(m[1], 64); x < 0 || x > 1011 {
				t.Fatalf("something lies at %g of 1010", x)
			}
		}
		if got := strings.Count(svg, `class="stair"`); got != n {
			t.Errorf("%d weeks, %d drawn", n, got)
		}
		if got := strings.Count(svg, `class="raceline`); got != len(v.Races) {
			t.Errorf("%d races, %d drawn", len(v.Races), got)
		}
	}
	if Season(SeasonView{}, 1010) != "" {
		t.Error("of no weeks there is a picture")
	}
}
