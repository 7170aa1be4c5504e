package support

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

func num(v float64) *float64 { return &v }

// sure gives certain bands: a probability of 1.
func sure(b term.Band) *Gait {
	var p [5]float64
	p[b.Index()] = 1
	return &Gait{BandProbability: &BandProbability{p[0], p[1], p[2], p[3], p[4]}, Source: term.FilmedRun}
}

func chances(under, neutral, mild, marked, severe float64) *Gait {
	return &Gait{BandProbability: &BandProbability{under, neutral, mild, marked, severe}, Source: term.FilmedRun}
}

func both(g *Gait) *Both[Gait] { return &Both[Gait]{g, g} }

func archOf(a term.Arch) *Arch {
	p := ArchProbability{}
	switch a {
	case term.ArchHigh:
		p.High = 1
	case term.ArchMedium:
		p.Medium = 1
	default:
		p.Low = 1
	}
	return &Arch{&p}
}

func arches(a term.Arch) *Both[Arch] { return &Both[Arch]{archOf(a), archOf(a)} }

func decide(t *testing.T, e Evidence) Answer {
	t.Helper()
	a, err := Decide(e)
	if err != nil {
		t.Fatalf("%v", err)
	}
	return a
}

func word(l *term.Level) string {
	if l == nil {
		return "none"
	}
	return string(*l)
}

func TestPronationMatchedByBand(t *testing.T) {
	for band, level := range map[term.Band]term.Level{term.BandUnder: term.NeutralSoft, term.BandNeutral: term.Neutral,
		term.BandMild: term.Guidance, term.BandMarked: term.Stability, term.BandSevere: term.MotionControl} {
		a := decide(t, Evidence{Gait: both(sure(band)), Arch: arches(term.ArchLow),
			Wear: &WornPair{Left: &Wear{Inner: 1}, Right: &Wear{Inner: 1}}})
		if got := word(a.Schools.PronationMatched.Level); got != string(level) {
			t.Errorf("%s: %s, want %s; with a gait neither arch nor wear moves it", band, got, level)
		}
	}
}

// Without gait the arch gives the level and the strongest wear moves it by one.
func TestPronationMatchedWithoutGait(t *testing.T) {
	inner, edge, heel := &Wear{Inner: 0.6, OuterHeel: 0.5}, &Wear{OuterEdge: 0.7, Inner: 0.1}, &Wear{OuterHeel: 0.9, Inner: 0.8}
	for _, c := range []struct {
		arch term.Arch
		wear *Wear
		shoe term.Level
		want term.Level
	}{
		{"", nil, "", term.Neutral}, {term.ArchHigh, nil, "", term.NeutralSoft}, {term.ArchMedium, nil, "", term.Neutral},
		{term.ArchLow, nil, "", term.Guidance},
		{"", inner, "", term.Guidance}, {term.ArchLow, inner, "", term.Stability}, {term.ArchHigh, inner, "", term.Neutral},
		{term.ArchHigh, edge, "", term.NeutralSoft},
		{term.ArchLow, edge, "", term.Neutral}, {term.ArchLow, edge, term.Guidance, term.Guidance},
		{term.ArchLow, edge, term.Neutral, term.Neutral}, {term.ArchLow, heel, "", term.Guidance},
	} {
		e := Evidence{}
		if c.arch != "" {
			e.Arch = arches(c.arch)
		}
		if c.wear != nil {
			e.Wear = &WornPair{Left: c.wear, Right: c.wear, ShoeLevel: c.shoe}
		}
		if got := word(decide(t, e).Schools.PronationMatched.Level); got != string(c.want) {
			t.Errorf("arch %q wear %+v shoe %q: %s, want %s", c.arch, c.wear, c.shoe, got, c.want)
		}
	}
}

func TestBandOfASide(t *testing.T) {
	for _, c := range []struct {
		g    *Gait
		want term.Level
	}{
		{chances(0, 0.5, 0.5, 0, 0), term.Neutral}, {chances(0, 0.49, 0.51, 0, 0), term.Neutral}, // within 0.02: the lower
		{chances(0, 0.48, 0.52, 0, 0), term.Guidance}, {chances(0.34, 0.33, 0.33, 0, 0), term.NeutralSoft},
		{chances(0, 0.678, 0.314, 0.008, 0), term.Neutral},
	} {
		if got := word(decide(t, Evidence{Gait: both(c.g)}).Schools.PronationMatched.Level); got != string(c.want) {
			t.Errorf("%+v: %s, want %s", *c.g.BandProbability, got, c.want)
		}
	}
	a := decide(t, Evidence{Gait: both(chances(0, 0.5, 0.5, 0, 0))})
	if !slices.ContainsFunc(a.Warnings, func(w fault.Warning) bool { return w.Code == "between" }) {
		t.Error("no band reaches 0.6, and nothing says 'between'")
	}
	if a := decide(t, Evidence{Gait: both(chances(0, 0.6, 0.4, 0, 0))}); len(a.Warnings) != 0 {
		t.Errorf("0.6 is clear, yet %v", a.Warnings)
	}
}

func TestLeastCorrection(t *testing.T) {
	shin := []Complaint{{Place: "shin", MonthsAgo: num(2)}}
	old := []Complaint{{Place: "shin", MonthsAgo: num(13)}}
	toes := []Complaint{{Place: "toe_tips", MonthsAgo: num(1)}}
	guidance := term.Guidance
	for name, c := range map[string]struct {
		e    Evidence
		want term.Level
	}{
		"marked, no sign":   {Evidence{Gait: both(sure(term.BandMarked))}, term.Neutral},
		"marked and a shin": {Evidence{Gait: both(sure(term.BandMarked)), Complaints: &shin}, term.Guidance},
		"0.7 is enough":     {Evidence{Gait: both(chances(0, 0, 0.3, 0.4, 0.3)), Complaints: &shin}, term.Guidance},
		"0.69 is not":       {Evidence{Gait: both(chances(0, 0, 0.31, 0.39, 0.3)), Complaints: &shin}, term.Neutral},
		"a shin long ago":   {Evidence{Gait: both(sure(term.BandMarked)), Complaints: &old}, term.Neutral},
		"toes are no sign":  {Evidence{Gait: both(sure(term.BandMarked)), Complaints: &toes}, term.Neutral},
		"severe, one sign":  {Evidence{Gait: both(sure(term.BandSevere)), Complaints: &shin}, term.Guidance},
		"severe, two signs": {Evidence{Gait: both(sure(term.BandSevere)), Complaints: &shin,
			KneeInDeg: &Both[float64]{num(11), num(11)}}, term.Stability},
		"severe, three signs": {Evidence{Gait: both(sure(term.BandSevere)), Complaints: &shin,
			KneeInDeg: &Both[float64]{num(11), num(11)}, ComfortableLevel: &guidance}, term.Stability},
		"10° of knee is not over 10": {Evidence{Gait: both(sure(term.BandMarked)), KneeInDeg: &Both[float64]{num(10), num(10)}},
			term.Neutral},
		"navicular drop over 10": {Evidence{Gait: both(sure(term.BandMarked)), NavicularDropMM: &Both[float64]{num(10.5), num(10.5)}},
			term.Guidance},
		"inner wear 0.5": {Evidence{Gait: both(sure(term.BandMarked)), Wear: &WornPair{Left: &Wear{Inner: 0.5},
			Right: &Wear{Inner: 0.5}}}, term.Guidance},
		"underpronates":                      {Evidence{Gait: both(chances(0.7, 0.3, 0, 0, 0))}, term.NeutralSoft},
		"a little too little":                {Evidence{Gait: both(chances(0.69, 0.31, 0, 0, 0))}, term.Neutral},
		"nothing known":                      {Evidence{}, term.Neutral},
		"ankles that give inward are a sign": {Evidence{Gait: both(sure(term.BandMarked)), AnklesGive: "inward"}, term.Guidance},
		"outward they are none":              {Evidence{Gait: both(sure(term.BandMarked)), AnklesGive: "outward"}, term.Neutral},
		"nor where they hold":                {Evidence{Gait: both(sure(term.BandMarked)), AnklesGive: "none"}, term.Neutral},
		"a comfortable level is a sign":      {Evidence{Gait: both(sure(term.BandMarked)), ComfortableLevel: &guidance}, term.Guidance},
		// one rung apart: the higher
		"a sign on one side is its side": {Evidence{Gait: both(sure(term.BandMarked)), KneeInDeg: &Both[float64]{num(11), nil}}, term.Guidance},
	} {
		if got := word(decide(t, c.e).Schools.LeastCorrection.Level); got != string(c.want) {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
}

func TestTwoFeet(t *testing.T) {
	one := decide(t, Evidence{Gait: &Both[Gait]{sure(term.BandNeutral), sure(term.BandMild)}, Lead: term.PronationMatched})
	if word(one.Level) != "guidance" || !reflect.DeepEqual(one.Spread, []term.Level{term.Guidance}) {
		t.Errorf("a rung apart: %s %v", word(one.Level), one.Spread)
	}
	if p := one.Schools.PronationMatched.PerSide; word(p.Left) != "neutral" || word(p.Right) != "guidance" {
		t.Errorf("per side %s %s", word(p.Left), word(p.Right))
	}
	two := decide(t, Evidence{Gait: &Both[Gait]{sure(term.BandNeutral), sure(term.BandMarked)}, Lead: term.PronationMatched})
	if two.Level != nil || !reflect.DeepEqual(two.Spread, []term.Level{term.Neutral, term.Stability}) || !has(two, FeetDiffer) {
		t.Errorf("two rungs apart: %s %v %v", word(two.Level), two.Spread, two.Conflicts)
	}
}

func has(a Answer, code string) bool {
	return slices.ContainsFunc(a.Conflicts, func(c Conflict) bool { return c.Code == code })
}

func TestNaturalFoot(t *testing.T) {
	achilles := func(months float64) *[]Complaint { return &[]Complaint{{Place: "achilles", MonthsAgo: num(months)}} }
	for name, c := range map[string]struct {
		e    Evidence
		want string
	}{
		"offered": {Evidence{}, "neutral"}, "achilles": {Evidence{Complaints: achilles(6)}, "none"},
		"achilles long ago": {Evidence{Complaints: achilles(6.5)}, "neutral"},
		"race in 8 weeks":   {Evidence{RaceInDays: num(56)}, "none"}, "race later": {Evidence{RaceInDays: num(57)}, "neutral"},
		"severe":        {Evidence{Gait: &Both[Gait]{chances(0, 0, 0, 0.4, 0.6), nil}}, "none"},
		"nearly severe": {Evidence{Gait: both(chances(0, 0, 0, 0.41, 0.59))}, "neutral"},
	} {
		s := decide(t, c.e).Schools.NaturalFoot
		if word(s.Level) != c.want || len(s.Why) == 0 {
			t.Errorf("%s: %s (%v), want %s", name, word(s.Level), s.Why, c.want)
		}
	}
}

func TestComfortFirstAndSpread(t *testing.T) {
	for _, c := range []struct {
		level  term.Level
		spread []term.Level
	}{
		{term.NeutralSoft, []term.Level{term.NeutralSoft, term.Neutral}},
		{term.Neutral, []term.Level{term.NeutralSoft, term.Neutral, term.Guidance}},
		{term.MotionControl, []term.Level{term.Stability, term.MotionControl}},
	} {
		a := decide(t, Evidence{ComfortableLevel: &c.level})
		if word(a.Level) != string(c.level) || !reflect.DeepEqual(a.Spread, c.spread) {
			t.Errorf("%s: %s %v", c.level, word(a.Level), a.Spread)
		}
	}
	if a := decide(t, Evidence{Lead: term.LeastCorrection}); !reflect.DeepEqual(a.Spread, []term.Level{term.Neutral}) {
		t.Errorf("other schools try their level alone: %v", a.Spread)
	}
}

func TestFlags(t *testing.T) {
	for _, f := range ReferFlags {
		a := decide(t, Evidence{Flags: []Flag{f}, Gait: both(sure(term.BandMild))})
		if !a.Refer || a.Schools != nil || a.Level != nil || a.Spread == nil || len(a.Spread) != 0 || len(a.Why) != 1 {
			t.Errorf("%s: %+v", f, a)
		}
	}
	o := decide(t, Evidence{Flags: []Flag{PrescribedOrthotic}, Gait: both(sure(term.BandSevere)), Lead: term.PronationMatched})
	if word(o.Level) != "neutral" || !reflect.DeepEqual(o.Spread, []term.Level{term.Neutral}) || !has(o, Orthotic) ||
		word(o.Schools.PronationMatched.Level) != "motion_control" {
		t.Errorf("orthotic: %+v", o)
	}
	for _, f := range []Flag{ChildGrowing, Pregnant} {
		if a := decide(t, Evidence{Flags: []Flag{f}}); a.Refer || len(a.Warnings) == 0 {
			t.Errorf("%s: %+v", f, a)
		}
	}
}

func TestTrail(t *testing.T) {
	e := Evidence{Gait: both(sure(term.BandMarked)), Surface: term.Trail, Lead: term.PronationMatched}
	a := decide(t, e)
	if word(a.Level) != "neutral" || !reflect.DeepEqual(a.Spread, []term.Level{term.Neutral}) ||
		word(a.Schools.PronationMatched.Level) != "stability" {
		t.Errorf("platform only: %+v", a)
	}
	e.TrailRule = term.SameLadder
	if a := decide(t, e); word(a.Level) != "stability" {
		t.Errorf("same ladder: %s", word(a.Level))
	}
}

func TestConflicts(t *testing.T) {
	neutral, stability := term.Neutral, term.Stability
	for code, e := range map[string]Evidence{
		LowArchNeutralGait:   {Gait: both(sure(term.BandNeutral)), Arch: arches(term.ArchLow)},
		HighArchRollsIn:      {Gait: both(sure(term.BandMild)), Arch: arches(term.ArchHigh)},
		WearAgainstGait:      {Gait: both(sure(term.BandNeutral)), Wear: &WornPair{Left: &Wear{Inner: 0.7}}},
		ShoeMayPushOut:       {Wear: &WornPair{Right: &Wear{OuterEdge: 0.7}, ShoeLevel: term.Stability}},
		FeltRightAgainstGait: {Gait: both(sure(term.BandNeutral)), ComfortableLevel: &stability},
	} {
		if a := decide(t, e); !has(a, code) || len(a.Conflicts) != 1 {
			t.Errorf("%s: %v", code, a.Conflicts)
		}
	}
	if a := decide(t, Evidence{Gait: both(sure(term.BandNeutral)), ComfortableLevel: &neutral,
		Arch: arches(term.ArchMedium)}); len(a.Conflicts) != 0 {
		t.Errorf("evidence that agrees: %v", a.Conflicts)
	}
}

func TestConfidence(t *testing.T) {
	none := []Complaint{}
	level := term.Neutral
	eye := func(c term.Certainty) *Both[Gait] {
		return both(&Gait{Band: term.BandNeutral, Certainty: c, Source: term.ByEye})
	}
	walk := sure(term.BandNeutral)
	walk.Source = term.FilmedWalk
	for name, c := range map[string]struct {
		e    Evidence
		want float64
	}{
		"nothing": {Evidence{}, 0.20}, "run": {Evidence{Gait: both(sure(term.BandNeutral))}, 0.45}, "walk": {Evidence{Gait: both(walk)}, 0.30},
		"by eye, sure": {Evidence{Gait: eye(term.Sure)}, 0.24}, "by eye, unsure": {Evidence{Gait: eye(term.Unsure)}, 0.20},
		"asked, none": {Evidence{Complaints: &none}, 0.20}, "arch": {Evidence{Arch: arches(term.ArchMedium)}, 0.20},
		"arch, and asked": {Evidence{Arch: arches(term.ArchMedium), Complaints: &none}, 0.25},
		"all of it": {Evidence{Gait: both(sure(term.BandNeutral)), Wear: &WornPair{Left: &Wear{Even: 1}},
			Arch: arches(term.ArchMedium), Complaints: &none, ComfortableLevel: &level}, 0.95},
		"run against the rest": {Evidence{Gait: both(sure(term.BandNeutral)), Arch: arches(term.ArchLow)}, 0.60 * 0.85},
	} {
		if got := decide(t, c.e).Confidence; math.Abs(got-c.want) > 1e-6 {
			t.Errorf("%s: %g, want %g", name, got, c.want)
		}
	}
	if a := decide(t, Evidence{}); !reflect.DeepEqual(a.Missing, []string{"gait", "arch", "wear", "complaints", "comfortable_level"}) {
		t.Errorf("missing %v", a.Missing)
	}
}

func TestByEye(t *testing.T) {
	for _, c := range []struct {
		band term.Band
		sure term.Certainty
		want BandProbability
	}{
		{term.BandMild, term.Sure, BandProbability{0, 0.1, 0.8, 0.1, 0}}, {term.BandUnder, term.Fairly, BandProbability{0.6, 0.4, 0, 0, 0}},
		{term.BandSevere, term.Unsure, BandProbability{0, 0, 0, 0.55, 0.45}},
	} {
		got := SpreadByEye(c.band, c.sure)
		for i, v := range got.list() {
			if math.Abs(v-c.want.list()[i]) > 1e-12 {
				t.Errorf("%s %s: %+v", c.band, c.sure, got)
			}
		}
	}
}

// How sure an eye is may stand under either name.
func TestCertaintyByEitherName(t *testing.T) {
	a := decide(t, Evidence{Gait: both(&Gait{Source: term.ByEye, Band: term.BandMarked, Certainty: term.Fairly})})
	b := decide(t, Evidence{Gait: both(&Gait{Source: term.ByEye, Band: term.BandMarked, Sure: term.Fairly})})
	if !reflect.DeepEqual(a, b) || a.Confidence != 0.20 {
		t.Errorf("%+v\n%+v", a, b)
	}
}

func TestRefused(t *testing.T) {
	for field, e := range map[string]Evidence{
		"gait.left.band_probability":         {Gait: both(chances(0, 0.5, 0.4, 0, 0))},
		"gait.left.band_probability.neutral": {Gait: both(chances(0, -0.1, 1.1, 0, 0))},
		"gait.left.band":                     {Gait: both(&Gait{Source: term.ByEye, Band: "wild", Certainty: term.Sure})},
		"gait.left.source":                   {Gait: both(&Gait{Source: "guess", Band: term.BandMild, Certainty: term.Sure})},
		"arch.left.arch_probability":         {Arch: &Both[Arch]{Left: &Arch{}}},
		"complaints[0].place":                {Complaints: &[]Complaint{{Place: "soul", MonthsAgo: num(1)}}},
		"complaints[0].months_ago":           {Complaints: &[]Complaint{{Place: "shin"}}},
		"flags[0]":                           {Flags: []Flag{"tired"}},
		"lead":                               {Lead: "loudest"},
		"surface":                            {Surface: "moon"},
		"wear.left.inner":                    {Wear: &WornPair{Left: &Wear{Inner: math.NaN()}}},
		"knee_in_deg.right":                  {KneeInDeg: &Both[float64]{Right: num(90)}},
	} {
		_, err := Decide(e)
		l, ok := fault.As(err)
		if !ok || l[0].Field != field {
			t.Errorf("%v, want a fault at %s", err, field)
		}
	}
	if _, err := Decide(Evidence{Gait: both(chances(0, 0.7, 0.309, 0, 0))}); err != nil {
		t.Errorf("0.991 is within a hundredth: %v", err)
	}
}

// The order in which complaints and flags arrive never matters, an answer is the
// same each time, and it is whole as JSON.
func TestOrderNeverMatters(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 300 {
		list := []Complaint{{Place: "shin", Side: term.Left, MonthsAgo: num(3)}, {Place: "hip", MonthsAgo: num(20)},
			{Place: "calf", Side: term.Right, MonthsAgo: num(5)}}
		e := Evidence{Gait: &Both[Gait]{sure(term.Bands[r.IntN(5)]), sure(term.Bands[r.IntN(5)])}, Arch: arches(term.Arches[r.IntN(3)]),
			Complaints: &list,
			Flags:      []Flag{ChildGrowing, PrescribedOrthotic}, Lead: term.Schools[r.IntN(4)]}
		a := decide(t, e)
		swapped := slices.Clone(list)
		r.Shuffle(len(swapped), func(i, j int) { swapped[i], swapped[j] = swapped[j], swapped[i] })
		f := e
		f.Complaints, f.Flags = &swapped, []Flag{PrescribedOrthotic, ChildGrowing}
		b := decide(t, f)
		if word(a.Level) != word(b.Level) || !reflect.DeepEqual(a.Spread, b.Spread) || a.Confidence != b.Confidence ||
			!reflect.DeepEqual(a.Conflicts, b.Conflicts) {
			t.Fatalf("order matters:\n%+v\n%+v", a, b)
		}
		for _, l := range a.Spread {
			if l.Rung() < 0 {
				t.Fatalf("spread %v", a.Spread)
			}
		}
		if _, err := json.Marshal(a); err != nil {
			t.Fatal(err)
		}
	}
}

// The two sentences for a runner are two, and hold no word of the trade.
func TestForRunner(t *testing.T) {
	trade := []string{"pronat", "evers", "neutral", "guidance", "stability", "motion control", "gait", "rung", "school", "midsole", "_"}
	seen := map[string]bool{}
	check := func(e Evidence) []string {
		t.Helper()
		a, err := Decide(e)
		if err != nil {
			t.Fatal(err)
		}
		if len(a.ForRunner) != 2 {
			t.Fatalf("%q", a.ForRunner)
		}
		for _, s := range a.ForRunner {
			seen[s] = true
			if strings.Count(s, ".") != 1 || !strings.HasSuffix(s, ".") {
				t.Errorf("not one sentence: %q", s)
			}
			for _, w := range trade {
				if strings.Contains(strings.ToLower(s), w) {
					t.Errorf("%q holds %q", s, w)
				}
			}
		}
		return a.ForRunner
	}
	for _, lead := range term.Schools {
		for _, left := range append([]term.Band{""}, term.Bands...) {
			for _, right := range append([]term.Band{""}, term.Bands...) {
				for _, surface := range []term.Surface{term.Road, term.Trail} {
					e := Evidence{Lead: lead, Surface: surface, Gait: &Both[Gait]{}}
					for s, b := range map[term.Side]term.Band{term.Left: left, term.Right: right} {
						if b != "" {
							p := SpreadByEye(b, term.Sure)
							put(&e.Gait.Left, &e.Gait.Right, s, Gait{BandProbability: &p, Source: term.FilmedRun})
						}
					}
					plain := check(e)
					level := term.Stability
					e.ComfortableLevel = &level
					if told := check(e); lead == term.ComfortFirst && surface == term.Road && told[1] == plain[1] {
						t.Errorf("what felt right is not told: %q", told)
					}
				}
			}
		}
	}
	check(Evidence{Flags: []Flag{"numbness"}})
	check(Evidence{Flags: []Flag{PrescribedOrthotic}})
	if len(seen) < 20 {
		t.Errorf("only %d sentences: they do not follow the evidence", len(seen))
	}
}

func TestLike(t *testing.T) {
	a, err := Decide(Evidence{Lead: term.LeastCorrection})
	if err != nil {
		t.Fatal(err)
	}
	a.Like()
	if *a.Level != term.Neutral || !slices.Equal(a.Spread, []term.Level{term.Neutral, term.Guidance}) ||
		a.Why[len(a.Why)-1].Evidence != "liked" {
		t.Errorf("%+v", a)
	}
	for name, e := range map[string]Evidence{"orthotic": {Flags: []Flag{PrescribedOrthotic}}, "referred": {Flags: []Flag{"limp"}}} {
		a, err := Decide(e)
		if err != nil {
			t.Fatal(err)
		}
		if before := len(a.Spread); true {
			a.Like()
			if len(a.Spread) != before {
				t.Errorf("%s: light support joined", name)
			}
		}
	}
}

// A knee seen by eye is a sign of its own, from fairly sure on, and a filmed one
// outranks it.
func TestKneeByEye(t *testing.T) {
	severe := SpreadByEye(term.BandSevere, term.Sure)
	with := func(k *KneeSeen, deg *float64) term.Level {
		e := Evidence{Gait: &Both[Gait]{Left: &Gait{BandProbability: &severe, Source: term.FilmedRun}}}
		if k != nil {
			e.KneeByEye = &Both[KneeSeen]{Left: k}
		}
		if deg != nil {
			e.KneeInDeg = &Both[float64]{Left: deg}
		}
		a, err := Decide(e)
		if err != nil {
			t.Fatal(err)
		}
		return *a.Schools.LeastCorrection.PerSide.Left
	}
	straight := 2.0
	for _, c := range []struct {
		k    *KneeSeen
		deg  *float64
		want term.Level
	}{
		{nil, nil, term.Neutral},
		{&KneeSeen{Grade: "inward", Certainty: term.Sure}, nil, term.Guidance},
		{&KneeSeen{Grade: "far_inward", Sure: term.Fairly}, nil, term.Guidance},
		{&KneeSeen{Grade: "inward", Certainty: term.Unsure}, nil, term.Neutral},
		{&KneeSeen{Grade: "straight", Certainty: term.Sure}, nil, term.Neutral},
		{&KneeSeen{Grade: "inward", Certainty: term.Sure}, &straight, term.Neutral},
	} {
		if got := with(c.k, c.deg); got != c.want {
			t.Errorf("%+v: %s, want %s", c.k, got, c.want)
		}
	}
	_, err := Decide(Evidence{KneeByEye: &Both[KneeSeen]{Right: &KneeSeen{Grade: "bent", Certainty: "maybe"}}})
	if l, ok := fault.As(err); !ok || len(l) != 2 || l[0].Field != "knee_by_eye.right.grade" || l[1].Field != "knee_by_eye.right.certainty" {
		t.Errorf("%v", err)
	}
}
