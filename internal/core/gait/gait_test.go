package gait

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if !(math.Abs(got-want) <= within) {
		t.Errorf("%s is %g, want %g ± %g", what, got, want, within)
	}
}

// The published check: mean 8.3, SD 0.5 over 7 steps.
func TestBandsPublished(t *testing.T) {
	p := Bands(8.3, 0.5, 7, Run, nil)
	near(t, "neutral", p.Neutral, 0.678, 0.0006)
	near(t, "mild", p.Mild, 0.314, 0.0006)
	near(t, "marked", p.Marked, 0.007, 0.0006)
	walk := Bands(6.3, 0.5, 7, Walk, nil)
	if walk != p {
		t.Errorf("a walk's bands lie 2° lower: %v, want %v", walk, p)
	}
	if lone, two := Bands(8.3, 0, 1, Run, nil), Bands(8.3, 0.8*math.Sqrt2, 2, Run, nil); math.Abs(lone.Neutral-two.Neutral) > 1e-4 {
		t.Errorf("one step alone is given an SD of 0.8: %v, want %v", lone, two)
	}
	for mean := -10.0; mean < 30; mean += 0.7 {
		p := Bands(mean, 1, 5, Run, nil)
		near(t, "the sum", p.Under+p.Neutral+p.Mild+p.Marked+p.Severe, 1, 0.0003)
	}
}

func TestLikeliest(t *testing.T) {
	for _, c := range []struct {
		p     support.BandProbability
		band  term.Band
		words string
	}{
		{support.BandProbability{Neutral: 0.678, Mild: 0.314, Marked: 0.007}, term.BandNeutral, "neutral"},
		{support.BandProbability{Neutral: 0.55, Mild: 0.45}, term.BandNeutral, "between neutral and mild"},
		{support.BandProbability{Neutral: 0.3, Mild: 0.5, Marked: 0.2}, term.BandMild, "between neutral and mild"},
		{support.BandProbability{Under: 0.5, Neutral: 0.5}, term.BandUnder, "between under and neutral"},
		{support.BandProbability{Marked: 0.45, Severe: 0.55}, term.BandSevere, "between marked and severe"},
	} {
		if band, words := likeliest(c.p); band != c.band || words != c.words {
			t.Errorf("likeliest(%v) = %s, %q; want %s, %q", c.p, band, words, c.band, c.words)
		}
	}
}

func TestStrikeLimits(t *testing.T) {
	for deg, want := range map[float64]term.Strike{8.01: "heel", 8: "midfoot", -1.6: "midfoot", -1.61: "forefoot", 25: "heel",
		-20: "forefoot"} {
		if got := StrikeOf(deg); got != want {
			t.Errorf("a sole of %g° lands on the %s, want %s", deg, got, want)
		}
	}
}

// Both passes together halve the power (−3 dB) at the cut-off, pass what is slow,
// stop what is fast, and do not shift it.
func TestLowPass(t *testing.T) {
	for _, fps := range []float64{60, 120, 240} {
		gain := func(hz float64) float64 {
			n := int(6 * fps)
			v := make([]float64, n)
			for i := range v {
				v[i] = math.Sin(2 * math.Pi * hz * float64(i) / fps)
			}
			out := lowPass(v, fps, 10)
			var dot, self float64
			for i := n / 3; i < 2*n/3; i++ {
				dot, self = dot+out[i]*v[i], self+v[i]*v[i]
			}
			return dot / self // in phase: a lag would lower it
		}
		near(t, "gain at 1 Hz", gain(1), 1, 0.001)
		near(t, "gain at the cut-off", gain(10), math.Sqrt(0.5), 0.02)
		near(t, "gain at 25 Hz", gain(25), 0, 0.06)
	}
	line := make([]float64, 100)
	for i := range line {
		line[i] = 3 + 0.5*float64(i)
	}
	for i, v := range lowPass(line, 120, 10) {
		near(t, "a line", v, line[i], 0.02)
	}
}

// A foot that stands for times and is lifted between, its floor coming down.
func steps(fps, lift, drift float64, on, off []float64, seconds float64) []float64 {
	y := make([]float64, int(seconds*fps))
	for i := range y {
		at := float64(i) / fps
		y[i] = 400 - lift
		for k := range on {
			from, next := off[k], seconds+1
			if k+1 < len(on) {
				next = on[k+1]
			}
			switch {
			case at >= on[k] && at <= from:
				y[i] = 400 + drift*(at-on[k])
			case at > from && at < next:
				u := (at - from) / (next - from)
				y[i] = 400 + drift*(from-on[k])*(1-u) - lift*6.75*u*u*(1-u)
			}
		}
	}
	return y
}

func TestContacts(t *testing.T) {
	on := []float64{0.2, 0.9, 1.6, 2.3}
	off := []float64{0.4, 1.1, 1.8, 2.5}
	for _, fps := range []float64{60, 120, 240} {
		for _, drift := range []float64{0, 60, -40} {
			y := steps(fps, 80, drift, on, off, 3)
			known := make([]bool, len(y))
			for i := range known {
				known[i] = true
			}
			got := whole(contacts(y, known, fps, floorKind{0, usualSlope}), len(y), fps)
			if len(got) != 4 {
				t.Errorf("at %g frames a second with a drift of %g px/s: %d contacts, want 4", fps, drift, len(got))
				continue
			}
			for k, c := range got {
				near(t, "touchdown", float64(c.on), on[k]*fps, 1)
				if k < 3 { // the last one's swing has no end, and hardly rises
					near(t, "heel-off", float64(c.off), off[k]*fps, 0.030*fps)
				}
			}
		}
	}
	flat := make([]float64, 500)
	if got := contacts(flat, make([]bool, 500), 120, floorKind{0, usualSlope}); len(got) != 0 {
		t.Errorf("a dot that rests has %d contacts, want none", len(got))
	}
}

// legs makes the rear view's tracks of both legs with a known eversion.
func legs(fps float64, eversion float64) Followed {
	on, off := []float64{0.2, 0.9, 1.6, 2.3, 3.0, 3.7}, []float64{0.4, 1.1, 1.8, 2.5, 3.2, 3.9}
	f := Followed{Frames: int(4.3 * fps), Width: 640, Height: 480, Tracks: Tracks{}}
	for s, side := range term.Sides {
		dots := map[string][]Mark{}
		y := steps(fps, 80, 20, on, off, 4.3)
		sin, cos := math.Sincos(eversion * math.Pi / 180)
		out := 1.0
		if side == term.Left {
			out = -1
		}
		for i := range y {
			x := 250 + 140*float64(s)
			put := func(name string, p Point) { dots[name] = append(dots[name], Mark{i, p, Found}) }
			joint := Point{x - out*sin*60, y[i] - cos*60}
			put("heel_low", Point{x, y[i]})
			put("heel_top", Point{joint.X + out*sin*20, joint.Y + cos*20})
			put("calf_low", Point{joint.X, joint.Y - 40})
			put("calf_top", Point{joint.X, joint.Y - 140})
		}
		f.Tracks[side] = dots
	}
	return f
}

func rec(fps float64) Recording {
	return Recording{Schema: RecordingSchema, View: Rear, FPS: &fps, Markers: "auto"}
}

// Heel low outward of the leg's line is eversion, positive on both sides.
func TestRearAngleSigns(t *testing.T) {
	for _, deg := range []float64{-4, 7.5, 14} {
		r, err := Read(legs(120, deg), rec(120), Corrections{}, nil)
		if err != nil {
			t.Fatal(err)
		}
		for _, side := range term.Sides {
			s := r.Answer.Sides[side]
			if len(s.Steps) != 6 {
				t.Fatalf("%s has %d steps, want 6", side, len(s.Steps))
			}
			near(t, string(side)+" peak", *s.PeakEversionDeg.Mean, deg, 0.05)
			near(t, "the curve", s.CurveDeg.Mean[50], deg, 0.05)
		}
		near(t, "cadence", *r.Answer.CadenceSPM, 120/0.7, 0.6)
		near(t, "asymmetry", *r.Answer.AsymmetryDeg, 0, 0.01)
	}
}

// A rate that is not the film's own gives steps that nobody takes: it is asked.
func TestWrongRate(t *testing.T) {
	for rate, asked := range map[float64]bool{120: false, 60: true, 240: true} {
		r, err := Read(legs(120, 8), rec(rate), Corrections{}, nil)
		if err != nil {
			continue // a refusal in words does as well
		}
		if got := strings.Contains(jsonOf(t, r.Answer.Warnings), "unusual_cadence"); got != asked {
			t.Errorf("%g frames a second for a film of 120: asked %v, want %v (%v)", rate, got, asked, *r.Answer.CadenceSPM)
		}
	}
}

// What a hand changes counts: a dot, a contact's ends, a step left out. What it
// cannot change is refused at its field.
func TestCorrections(t *testing.T) {
	f := legs(120, 8)
	base, err := Read(f, rec(120), Corrections{}, nil)
	if err != nil {
		t.Fatal(err)
	}
	first := base.Answer.Sides[term.Left].Steps[0]
	dropped, err := Read(f, rec(120), Corrections{Dropped: []DroppedStep{{term.Left, first.TouchdownFrame + 3}}}, nil)
	if err != nil {
		t.Fatal(err)
	}
	if n := len(dropped.Answer.Sides[term.Left].Steps); n != 5 || len(dropped.Left[term.Left]) != 1 {
		t.Errorf("a step left out leaves %d and tells %d, want 5 and 1", n, len(dropped.Left[term.Left]))
	}
	moved, err := Read(f, rec(120), Corrections{Contacts: []MovedContact{{Side: term.Left, At: first.TouchdownFrame + 3,
		On: first.TouchdownFrame - 4, Off: *first.HeelOffFrame + 2}}}, nil)
	if err != nil {
		t.Fatal(err)
	}
	if s := moved.Answer.Sides[term.Left].Steps[0]; s.TouchdownFrame != first.TouchdownFrame-4 || *s.HeelOffFrame != *first.HeelOffFrame+2 {
		t.Errorf("a moved contact is %d to %d", s.TouchdownFrame, *s.HeelOffFrame)
	}
	late := *first.HeelOffFrame - 2
	peaked, err := Read(f, rec(120), Corrections{Contacts: []MovedContact{{Side: term.Left, At: first.TouchdownFrame + 3,
		On: first.TouchdownFrame, Off: *first.HeelOffFrame, Peak: &late}}}, nil)
	if err != nil {
		t.Fatal(err)
	}
	if at := *peaked.Answer.Sides[term.Left].Steps[0].PeakAtPercent; at < 85 {
		t.Errorf("a peak that a hand chose is at %g %%", at)
	}
	mid := (first.TouchdownFrame + *first.HeelOffFrame) / 2
	var marks []HandMark
	for i := mid - 3; i <= mid+3; i++ {
		m := f.Tracks[term.Left]["heel_low"][i]
		marks = append(marks, HandMark{term.Left, "heel_low", i, m.X - 6, m.Y})
	}
	dragged, err := Read(f, rec(120), Corrections{Marks: marks}, nil)
	if err != nil {
		t.Fatal(err)
	}
	if was, is := *first.PeakEversionDeg, *dragged.Answer.Sides[term.Left].Steps[0].PeakEversionDeg; is < was+3 {
		t.Errorf("the heel's dot dragged outward: peak %g, was %g", is, was)
	}
	if how := dragged.Answer.Markers[term.Left]["heel_low"][mid].How; how != ByHand {
		t.Errorf("a dragged dot is %q, want by_hand", how)
	}
	_, err = Read(f, rec(120), Corrections{Marks: []HandMark{{"middle", "nose", 9999, math.NaN(), 0}},
		Contacts: []MovedContact{{Side: term.Left, At: 1, On: 9, Off: 9}}}, nil)
	faults, _ := fault.As(err)
	for i, want := range []string{"marks[0].side", "marks[0].dot", "marks[0].frame", "marks[0].x", "contacts[0].off"} {
		if i >= len(faults) || faults[i].Field != want {
			t.Fatalf("faults are %v, want one at %s", faults, want)
		}
	}
}

// Gaps of up to 25 ms are bridged and flagged, longer ones cost their step.
func TestGaps(t *testing.T) {
	for _, c := range []struct{ gap, steps int }{{1, 6}, {3, 6}, {4, 5}} {
		f := legs(120, 8)
		base, _ := Read(f, rec(120), Corrections{}, nil)
		at := base.Answer.Sides[term.Right].Steps[2].TouchdownFrame + 6
		dot := f.Tracks[term.Right]["heel_top"]
		f.Tracks[term.Right]["heel_top"] = append(append([]Mark{}, dot[:at]...), dot[at+c.gap:]...)
		r, err := Read(f, rec(120), Corrections{}, nil)
		if err != nil {
			t.Fatal(err)
		}
		s := r.Answer.Sides[term.Right]
		if len(s.Steps) != c.steps {
			t.Errorf("a gap of %d frames leaves %d steps, want %d", c.gap, len(s.Steps), c.steps)
		}
		lost := strings.Contains(jsonOf(t, r.Answer.Quality.Flags), string(LostMarkers))
		if lost != (c.steps == 5) {
			t.Errorf("a gap of %d frames: flags %v", c.gap, r.Answer.Quality.Flags)
		}
		near(t, "peak", *s.PeakEversionDeg.Mean, 8, 0.1)
		near(t, "cadence", *r.Answer.CadenceSPM, 120/0.7, 0.6)
	}
}

func TestOneFootAndNone(t *testing.T) {
	f := legs(120, 8)
	delete(f.Tracks, term.Right)
	r, err := Read(f, rec(120), Corrections{}, nil)
	if err != nil {
		t.Fatal(err)
	}
	text := jsonOf(t, r.Answer)
	if !strings.Contains(text, `"right":null`) || !strings.Contains(text, "one_foot_only") || r.Answer.AsymmetryDeg != nil {
		t.Errorf("one foot: %.300s", text)
	}
	near(t, "cadence, the foot doubled", *r.Answer.CadenceSPM, 120/0.7, 0.6)
	delete(f.Tracks, term.Left)
	if _, err := Read(f, rec(120), Corrections{}, nil); err == nil {
		t.Error("a recording without a step was read")
	}
}

func jsonOf(t *testing.T, v any) string {
	t.Helper()
	data, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

func TestMarkJSON(t *testing.T) {
	m := Mark{12, Point{1.234, -5}, Bridged}
	text := jsonOf(t, m)
	if text != `[12,1.23,-5.00,"bridged"]` {
		t.Errorf("a mark is %s", text)
	}
	var back Mark
	if err := json.Unmarshal([]byte(text), &back); err != nil || back.Frame != 12 || back.How != Bridged || back.X != 1.23 {
		t.Errorf("read back: %v, %v", back, err)
	}
}

func TestChangeOf(t *testing.T) {
	stat := func(mean, sd float64, n int) *SideReading { return &SideReading{PeakEversionDeg: &Stat{&mean, &sd, n}} }
	c, ok := ChangeOf(stat(6, 0.5, 8), stat(11.5, 0.6, 8))
	if !ok || c.Deg != -5.5 || !c.Clear {
		t.Errorf("a shoe that takes 5.5° away: %+v", c)
	}
	near(t, "its SD", c.SD, math.Sqrt(0.25/8+0.36/8+2*1.5*1.5), 0.006)
	if c, _ := ChangeOf(stat(8, 0.5, 8), stat(10, 0.6, 8)); c.Clear {
		t.Errorf("2° are within the error: %+v", c)
	}
	rough, level := stat(6, 0.5, 8), 3.0
	if rough.LevelSDDeg = &level; true {
		c, _ := ChangeOf(rough, stat(11.5, 0.6, 8))
		near(t, "its SD without dots", c.SD, math.Sqrt(0.25/8+0.36/8+9+1.5*1.5), 0.006)
	}
	if _, ok := ChangeOf(stat(8, 1, 3), nil); ok {
		t.Error("a change against nothing")
	}
}

func TestRecordingFaults(t *testing.T) {
	for text, want := range map[string]string{
		`{}`: "schema", `{"schema":"trevik.recording/v1","view":"above","fps":120,"markers":"auto"}`: "view",
		`{"schema":"trevik.recording/v1","view":"rear","markers":"auto"}`:                                "fps",
		`{"schema":"trevik.recording/v1","view":"rear","fps":0,"markers":"auto"}`:                        "fps",
		`{"schema":"trevik.recording/v1","view":"rear","fps":"many","markers":"auto"}`:                   "fps",
		`{"schema":"trevik.recording/v1","view":"rear","fps":120}`:                                       "markers",
		`{"schema":"trevik.recording/v1","view":"rear","fps":120,"markers":"by magic"}`:                  "markers",
		`{"schema":"trevik.recording/v1","view":"rear","fps":120,"markers":{}}`:                          "markers",
		`{"schema":"trevik.recording/v1","view":"rear","fps":120,"markers":{"left":{"nose":[[0,1,2]]}}}`: "markers.left.nose",
		`{"schema":"trevik.recording/v1","view":"rear","fps":120,
		"markers":{"left":{"calf_top":[[0,1]]}}}`: "markers.left.calf_top[0]",
		`{"schema":"trevik.recording/v1","view":"rear","fps":120,
		"markers":{"left":{"calf_top":[[0.5,1,2]]}}}`: "markers.left.calf_top[0]",
		`{"schema":"trevik.recording/v1","view":"rear","fps":120,
		"markers":{"left":{"calf_top":[[1,1,2],[1,2,3]]}}}`: "markers.left.calf_top[1]",
		`{"schema":"trevik.recording/v1","view":"rear","fps":120,"markers":{"up":{}}}`:                               "markers.up",
		`{"schema":"trevik.recording/v1","view":"rear","fps":120,"markers":"auto","shoes":1}`:                        "shoes",
		`{"schema":"trevik.recording/v1","view":"rear","gait":"hop","fps":120,"markers":"auto"}`:                     "gait",
		`{"schema":"trevik.recording/v1","view":"side","fps":120,"markers":"auto","near":"middle"}`:                  "near",
		`{"schema":"trevik.recording/v1","view":"rear","fps":120,"markers":"auto","dot_hue_deg":400,"speed_kmh":10}`: "dot_hue_deg",
		`{"schema":"trevik.recording/v1","view":"rear","fps":120,"markers":"auto","speed_kmh":-1}`:                   "speed_kmh",
		`{"schema":"trevik.recording/v1","view":"rear","fps":120,"markers":"auto","surface":"ice"}`:                  "surface",
		`{"schema":"trevik.recording/v1","view":"rear","fps":120,
		"markers":{"left":{"calf_top":[[0,1,2],["a",2,3]]}}}`: "markers.left.calf_top[1][0]",
	} {
		_, err := ParseRecording([]byte(text))
		faults, ok := fault.As(err)
		if !ok || len(faults) == 0 || faults[0].Field != want {
			t.Errorf("%s: %v, want a fault at %s", text, err, want)
		}
	}
	r, err := ParseRecording([]byte(`{"schema":"trevik.recording/v1","view":"rear","fps":59.94,"markers":"auto"}`))
	if err != nil || r.Gait != Run || *r.FPS != 59.94 {
		t.Errorf("the least that is needed: %+v, %v", r, err)
	}
}

func FuzzRecording(f *testing.F) {
	f.Add([]byte(`{"schema":"trevik.recording/v1","view":"rear","fps":120,"markers":{"left":{"calf_top":[[0,1,2],[9,2,3]]}}}`))
	f.Add([]byte(`{"schema":"trevik.recording/v1","view":"side","gait":"walk","fps":30,"markers":"auto","near":"left","shod":"barefoot"}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		r, err := ParseRecording(data)
		if err != nil {
			if faults, ok := fault.As(err); !ok || len(faults) == 0 {
				t.Fatalf("not a list of faults: %v", err)
			}
			return
		}
		if again := r.Check(); again != nil {
			t.Fatalf("what was taken is refused when it is checked again: %v", again)
		}
	})
}

// Whatever places a file or a hand gives, reading answers or refuses in words.
func TestReadTakesAnything(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 9))
	for range 1500 {
		v := Views[r.IntN(len(Views))]
		fps := []float64{24, 30, 60, 120, 1000}[r.IntN(5)]
		f := Followed{Frames: 2 + r.IntN(300), Width: 640, Height: 480, Tracks: Tracks{}}
		kind := r.IntN(4)
		for _, side := range term.Sides[r.IntN(2):] {
			f.Tracks[side] = map[string][]Mark{}
			for _, name := range DotNames(v) {
				for i := 0; i < f.Frames; i += 1 + r.IntN(1+kind*5) {
					p := Point{100 + 50*math.Sin(float64(i)/9), 300 + 60*math.Sin(float64(i)/7)}
					if kind > 1 {
						p = Point{2e5 * (r.Float64() - 0.5), 2e5 * (r.Float64() - 0.5)}
					}
					f.Tracks[side][name] = append(f.Tracks[side][name], Mark{i, p, Found})
				}
			}
		}
		var fix Corrections
		if f.Frames > 20 && r.IntN(2) == 0 {
			on := r.IntN(f.Frames - 10)
			fix.Contacts = []MovedContact{{Side: term.Left, At: on, On: on, Off: on + 1 + r.IntN(f.Frames-on-1)}}
		}
		out, err := Read(f, Recording{Schema: RecordingSchema, View: v, FPS: &fps, Markers: "auto"}, fix, nil)
		if err != nil {
			if _, ok := fault.As(err); !ok {
				t.Fatalf("not a list of faults: %v", err)
			}
			continue
		}
		jsonOf(t, out.Answer) // no number in it that is none
	}
}
