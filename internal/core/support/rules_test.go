package support

import (
	"fmt"
	"math"
	"reflect"
	"testing"

	"trevik/internal/core/term"
)

// told is the evidence of one case in plain numbers, and expected what the rules of
// the method say of it, written down a second time and without the code under test.
type told struct {
	gait       [2]*[5]float64
	source     term.Source
	arch       [2]string // high, medium, low, or not known
	navicular  [2]float64
	knee       [2]float64
	wear       [2]string // the strongest pattern, or nothing
	strength   float64
	shoe       int
	place      term.Place
	side       term.Side
	months     float64
	asked      bool
	felt       int // the level that felt right; −1 is not known
	race       float64
	lead       term.School
	trail      bool
	orthotic   bool
	referred   bool
	sameLadder bool
}

func (c told) evidence() Evidence {
	e := Evidence{Lead: c.lead}
	for i, s := range term.Sides {
		if g := c.gait[i]; g != nil {
			if e.Gait == nil {
				e.Gait = &Both[Gait]{}
			}
			p := BandProbability{g[0], g[1], g[2], g[3], g[4]}
			put(&e.Gait.Left, &e.Gait.Right, s, Gait{BandProbability: &p, Source: c.source})
		}
		if c.arch[i] != "" {
			if e.Arch == nil {
				e.Arch = &Both[Arch]{}
			}
			p := map[string]ArchProbability{"high": {High: 0.9, Medium: 0.1}, "medium": {High: 0.1, Medium: 0.8, Low: 0.1},
				"low": {Medium: 0.2, Low: 0.8}}[c.arch[i]]
			put(&e.Arch.Left, &e.Arch.Right, s, Arch{&p})
		}
		if c.wear[i] != "" {
			if e.Wear == nil {
				e.Wear = &WornPair{ShoeLevel: term.Levels[c.shoe]}
			}
			w := Wear{}
			switch c.wear[i] {
			case "inner":
				w.Inner = c.strength
			case "outer_edge":
				w.OuterEdge = c.strength
			case "outer_heel":
				w.OuterHeel = c.strength
			}
			put(&e.Wear.Left, &e.Wear.Right, s, w)
		}
	}
	if c.navicular != [2]float64{} {
		e.NavicularDropMM = &Both[float64]{&c.navicular[0], &c.navicular[1]}
	}
	if c.knee != [2]float64{} {
		e.KneeInDeg = &Both[float64]{&c.knee[0], &c.knee[1]}
	}
	if c.asked {
		e.Complaints = &[]Complaint{}
		if c.place != "" {
			e.Complaints = &[]Complaint{{c.place, c.side, &c.months}}
		}
	}
	if c.felt >= 0 {
		e.ComfortableLevel = &term.Levels[c.felt]
	}
	if c.race > 0 {
		e.RaceInDays = &c.race
	}
	if c.trail {
		e.Surface = term.Trail
	}
	if c.sameLadder {
		e.TrailRule = term.SameLadder
	}
	if c.orthotic {
		e.Flags = append(e.Flags, PrescribedOrthotic)
	}
	if c.referred {
		e.Flags = append(e.Flags, "limp")
	}
	return e
}

func put[T any](left, right **T, s term.Side, v T) {
	if s == term.Left {
		*left = &v
	} else {
		*right = &v
	}
}

const none = -1

// agreed brings both feet into one level: one rung apart the higher, two or more none.
func agreed(l, r int) int {
	if max(l, r)-min(l, r) >= 2 {
		return none
	}
	return max(l, r)
}

func (c told) matched(i int) int {
	if g := c.gait[i]; g != nil {
		top := 0.0
		for _, p := range g {
			top = math.Max(top, p)
		}
		for band, p := range g {
			if p >= top-0.02-1e-12 {
				return band
			}
		}
	}
	rung := map[string]int{"high": 0, "medium": 1, "low": 2, "": 1}[c.arch[i]]
	switch {
	case c.wear[i] == "inner":
		rung++
	case c.wear[i] == "outer_edge" && c.shoe < 2:
		rung--
	}
	return min(max(rung, 0), 4)
}

func (c told) least(i int) int {
	g := c.gait[i]
	if g == nil {
		return 1
	}
	signs := 0
	for _, is := range []bool{c.wear[i] == "inner" && c.strength >= 0.5, c.navicular[i] > 10, c.knee[i] > 10, c.felt >= 2,
		c.asked && map[term.Place]bool{"shin": true, "knee_inner": true, "knee_outer": true, "arch_plantar": true, "achilles": true,
			"hip": true}[c.place] && c.months <= 12 && (c.side == "" || c.side == term.Sides[i])} {
		if is {
			signs++
		}
	}
	switch {
	case g[4] >= 0.6-1e-9 && signs >= 2:
		return 3
	case g[3]+g[4] >= 0.7-1e-9 && signs >= 1:
		return 2
	case g[0] >= 0.7-1e-9:
		return 0
	}
	return 1
}

func (c told) natural() int {
	if c.asked && (c.place == "calf" || c.place == "achilles") && c.months <= 6 || c.race > 0 && c.race <= 56 {
		return none
	}
	for _, g := range c.gait {
		if g != nil && g[4] >= 0.6-1e-9 {
			return none
		}
	}
	return 1
}

func rungOf(l *term.Level) int {
	if l == nil {
		return none
	}
	return l.Rung()
}

// compare holds an answer against the rules.
func compare(t *testing.T, name string, c told, a Answer) {
	t.Helper()
	if c.referred {
		if !a.Refer || a.Schools != nil || a.Level != nil || len(a.Spread) != 0 {
			t.Errorf("%s: a caution that refers gives a level", name)
		}
		return
	}
	least := agreed(c.least(0), c.least(1))
	comfort := least
	if c.felt >= 0 {
		comfort = c.felt
	}
	want := map[term.School]int{term.PronationMatched: agreed(c.matched(0), c.matched(1)), term.LeastCorrection: least,
		term.ComfortFirst: comfort, term.NaturalFoot: c.natural()}
	for school, rung := range want {
		if got := rungOf(a.Schools.Of(school).Level); got != rung {
			t.Errorf("%s: %s gives rung %d, want %d", name, school, got, rung)
		}
	}
	level := want[c.lead]
	spread := []int{level}
	switch {
	case level == none && c.lead == term.NaturalFoot:
		spread = nil
	case level == none: // the feet differ
		l, r := c.matched(0), c.matched(1)
		if c.lead != term.PronationMatched {
			l, r = c.least(0), c.least(1)
		}
		spread = []int{min(l, r), max(l, r)}
	case c.lead == term.ComfortFirst:
		spread = nil
		for rung := max(0, level-1); rung <= min(4, level+1); rung++ {
			spread = append(spread, rung)
		}
	}
	if c.trail && !c.sameLadder || c.orthotic {
		level, spread = 1, []int{1}
	}
	if got := rungOf(a.Level); got != level {
		t.Errorf("%s: the level is rung %d, want %d", name, got, level)
	}
	var got []int
	for _, l := range a.Spread {
		got = append(got, l.Rung())
	}
	if !reflect.DeepEqual(got, spread) {
		t.Errorf("%s: the spread is %v, want %v", name, got, spread)
	}
	sum := 0.0
	if c.gait[0] != nil || c.gait[1] != nil {
		sum += map[term.Source]float64{term.FilmedRun: 0.45, term.FilmedWalk: 0.30}[c.source]
	}
	for _, there := range []struct {
		is bool
		w  float64
	}{{c.wear != [2]string{}, 0.15}, {c.arch != [2]string{}, 0.15}, {c.asked, 0.10}, {c.felt >= 0, 0.15}} {
		if there.is {
			sum += there.w
		}
	}
	sum = math.Max(0.2, math.Min(sum, 0.95)*math.Pow(0.85, float64(len(a.Conflicts))))
	if math.Abs(a.Confidence-sum) > 0.006 {
		t.Errorf("%s: confidence %g, want %g (%d conflicts)", name, a.Confidence, sum, len(a.Conflicts))
	}
}

// Every corner of the rules: each pair of gaits with each set of signs and each lead,
// every still foot with every sole, and the flags over them.
func TestEveryRule(t *testing.T) {
	gaits := []*[5]float64{{0.8, 0.2, 0, 0, 0}, {0.69, 0.31, 0, 0, 0}, {0.1, 0.8, 0.1, 0, 0}, {0, 0.5, 0.49, 0.01, 0},
		{0, 0.47, 0.5, 0.03, 0}, {0, 0, 0.3, 0.6, 0.1}, {0, 0, 0.31, 0.6, 0.09}, {0, 0, 0, 0.4, 0.6}, {0, 0, 0, 0.41, 0.59}}
	plain := told{source: term.FilmedRun, felt: none, lead: term.PronationMatched}
	signs := map[string]func(*told){
		"no sign":        func(*told) {},
		"inner wear":     func(c *told) { c.wear, c.strength = [2]string{"inner", "inner"}, 0.5 },
		"weak wear":      func(c *told) { c.wear, c.strength = [2]string{"inner", ""}, 0.49 },
		"navicular":      func(c *told) { c.navicular = [2]float64{10, 10.1} },
		"knee and shin":  func(c *told) { c.knee, c.asked, c.place, c.months = [2]float64{10.1, 10}, true, "shin", 12 },
		"one side's hip": func(c *told) { c.asked, c.place, c.side, c.months = true, "hip", term.Right, 3 },
		"long ago":       func(c *told) { c.asked, c.place, c.months = true, "shin", 13 },
		"felt right":     func(c *told) { c.felt = 2 },
		"felt neutral":   func(c *told) { c.felt = 1 },
		"achilles":       func(c *told) { c.asked, c.place, c.months = true, "achilles", 6 },
		"calf long ago":  func(c *told) { c.asked, c.place, c.months = true, "calf", 6.5 },
		"a race":         func(c *told) { c.race = 56 },
		"a race far off": func(c *told) { c.race = 57 },
		"a toe":          func(c *told) { c.asked, c.place, c.months = true, "toe_tips", 1 },
	}
	n := 0
	check := func(name string, c told) {
		t.Helper()
		n++
		a, err := Decide(c.evidence())
		if err != nil {
			t.Errorf("%s: %v", name, err)
			return
		}
		compare(t, name, c, a)
	}
	for l, left := range gaits {
		for r, right := range gaits {
			for sign, add := range signs {
				c := plain
				c.gait = [2]*[5]float64{left, right}
				c.lead = term.Schools[(l+r+len(sign))%len(term.Schools)]
				if (l+r)%2 == 1 {
					c.source = term.FilmedWalk
				}
				add(&c)
				check(fmt.Sprintf("gait %d and %d, %s, %s", l, r, sign, c.lead), c)
			}
		}
	}
	for _, arch := range []string{"", "high", "medium", "low"} {
		for _, wear := range []string{"", "inner", "outer_edge", "outer_heel"} {
			for shoe := range term.Levels {
				for _, lead := range term.Schools {
					c := plain
					c.arch, c.wear, c.strength, c.shoe, c.lead = [2]string{arch, arch}, [2]string{wear, wear}, 0.4, shoe, lead
					check(fmt.Sprintf("arch %q, wear %q in level %d, %s", arch, wear, shoe, lead), c)
				}
			}
		}
	}
	for i, g := range gaits {
		for _, lead := range term.Schools {
			for name, flag := range map[string]func(*told){"limp": func(c *told) { c.referred = true },
				"orthotic": func(c *told) { c.orthotic = true }, "trail": func(c *told) { c.trail = true },
				"same ladder": func(c *told) { c.trail, c.sameLadder = true, true }} {
				c := plain
				c.gait, c.lead = [2]*[5]float64{g, g}, lead
				flag(&c)
				check(fmt.Sprintf("gait %d, %s, %s", i, name, lead), c)
			}
		}
	}
	t.Logf("%d cases", n)
}
