package support

import (
	"fmt"
	"math"
	"strings"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// Zone of a worn sole.
type Zone string

// Zones of a sole, from heel to toe, inner before outer.
var Zones = []Zone{"heel_inner", "heel_centre", "heel_outer", "mid_inner", "mid_outer", "ball_inner", "ball_centre", "ball_outer", "toe"}

// MostGone is the grade of a zone that is gone; 0 is as new.
const MostGone = 4

// Sole is how far each zone is gone, 0 to MostGone, in the order of Zones.
type Sole [9]int

// Check notes a grade that is none.
func (s Sole) Check(l *fault.List, field string) {
	for i, v := range s {
		if v < 0 || v > MostGone {
			l.Add(fmt.Sprintf("%s.%s", field, Zones[i]), "is %d; allowed is 0 to %d", v, MostGone)
		}
	}
}

// patternZones are the zones of each pattern; even has none of its own.
var patternZones = map[string][]Zone{
	"outer_heel": {"heel_outer"},
	"inner":      {"heel_inner", "ball_inner"},
	"outer_edge": {"heel_outer", "mid_outer", "ball_outer"},
	"heel":       {"heel_inner", "heel_centre", "heel_outer"},
	"centre":     {"ball_centre", "toe"},
}

// Patterns gives the strength of each pattern on a sole, 0 to 1 (house): the mean of
// its zones less the mean of all others, in parts of MostGone, not below 0. Even is 1
// where all zones are worn alike, 0.5 where they are a grade apart, 0 from two on and
// on a new sole.
func (s Sole) Patterns() Wear {
	strength := func(name string) float64 {
		in := map[Zone]bool{}
		for _, z := range patternZones[name] {
			in[z] = true
		}
		var own, rest, nOwn, nRest float64
		for i, v := range s {
			if in[Zones[i]] {
				own, nOwn = own+float64(v), nOwn+1
			} else {
				rest, nRest = rest+float64(v), nRest+1
			}
		}
		return units.Round(math.Max(0, (own/nOwn-rest/nRest)/MostGone), 3)
	}
	return Wear{OuterHeel: strength("outer_heel"), Inner: strength("inner"), OuterEdge: strength("outer_edge"), Heel: strength("heel"),
		Centre: strength("centre"), Even: math.Max(0, 2*s.Evenness()-1)}
}

// Evenness is 1 less the share of a full grade range between the most and the least
// worn zone; 0 on a new sole, of which nothing can be told.
func (s Sole) Evenness() float64 {
	lo, hi := s[0], s[0]
	for _, v := range s {
		lo, hi = min(lo, v), max(hi, v)
	}
	if hi == 0 {
		return 0
	}
	return 1 - float64(hi-lo)/MostGone
}

// Wear is what the sole tells a pair's wear, each 0 as new to 1 gone (house): how much
// of the tread is gone on average, and how uneven it is.
func (s Sole) Wear() (tread, evenness float64) {
	if tread = s.Gone(); tread == 0 {
		return 0, 0
	}
	return tread, 1 - s.Evenness()
}

// Gone is how much of the sole is gone on average, 0 to 1.
func (s Sole) Gone() float64 {
	sum := 0
	for _, v := range s {
		sum += v
	}
	return float64(sum) / (MostGone * float64(len(s)))
}

// Strongest names the strongest pattern of a sole; empty where nothing is worn, and
// "several" where patterns share the first place.
func (w Wear) Strongest() string { return w.strongest() }

// OldPair is what hands find on a pair of unknown level. Empty is not looked at.
type OldPair struct {
	Press  string // the midsole's inner side against its outer: even, inner_firmer
	Bend   string // easy, stiff
	Insert string // under the arch: yes, no
	Walls  string // beside the heel: yes, no
	Base   string // usual, broad
}

// The answers to an old pair's questions.
var (
	Presses = []string{"even", "inner_firmer"}
	Bends   = []string{"easy", "stiff"}
	Bases   = []string{"usual", "broad"}
)

// Guess is the level that an old pair of unknown level most likely had, and how
// likely (house). ok is false until the midsole was pressed.
func (p OldPair) Guess() (level term.Level, chance float64, ok bool) {
	steers := p.Insert == "yes" || p.Walls == "yes" || p.Base == "broad"
	switch {
	case p.Press == "":
		return "", 0, false
	case p.Press == "inner_firmer" && p.Bend == "stiff" && steers:
		return term.MotionControl, 0.6, true
	case p.Press == "inner_firmer":
		return term.Stability, 0.75, true
	case p.Insert == "yes" && (p.Walls == "yes" || p.Base == "broad"):
		return term.Stability, 0.5, true
	case steers:
		return term.Guidance, 0.7, true
	case p.Bend == "easy" && p.Walls == "no" && p.Insert == "no":
		return term.Neutral, 0.8, true
	}
	return term.Neutral, 0.6, true
}

// Without is the evidence less the pieces that are named, such as "gait.left",
// "wear.right", "complaints" or "comfortable_level": what the schools would answer
// then. It fails with a fault.List on a name that is no piece of evidence.
func (e Evidence) Without(names ...string) (Evidence, error) {
	var l fault.List
	out := e
	for _, name := range names {
		if !out.drop(name) {
			l.Add("without", "holds %.40q, which is no piece of evidence; allowed is any of %s", name, strings.Join(Pieces, ", "))
		}
	}
	return out, l.Err()
}

// Pieces of evidence that can be left out.
var Pieces = func() []string {
	var out []string
	for _, s := range term.Sides {
		for _, piece := range []string{"gait", "arch", "navicular_drop", "knee_in", "knee_by_eye", "wear"} {
			out = append(out, piece+"."+string(s))
		}
	}
	return append(out, "complaints", "comfortable_level", "ankles_give_outward")
}()

func (e *Evidence) drop(name string) bool {
	for _, s := range term.Sides {
		at := "." + string(s)
		switch name {
		case "gait" + at:
			e.Gait = e.Gait.less(s)
			return true
		case "arch" + at:
			e.Arch = e.Arch.less(s)
			return true
		case "navicular_drop" + at:
			e.NavicularDropMM = e.NavicularDropMM.less(s)
			return true
		case "knee_in" + at:
			e.KneeInDeg = e.KneeInDeg.less(s)
			return true
		case "knee_by_eye" + at:
			e.KneeByEye = e.KneeByEye.less(s)
			return true
		case "wear" + at:
			if w := e.Wear; w != nil {
				both := (&Both[Wear]{w.Left, w.Right}).less(s)
				if both == nil {
					e.Wear = nil
				} else {
					e.Wear = &WornPair{both.Left, both.Right, w.ShoeLevel}
				}
			}
			return true
		}
	}
	switch name {
	case "complaints":
		e.Complaints = nil
	case "comfortable_level":
		e.ComfortableLevel = nil
	case "ankles_give", "ankles_give_outward":
		e.AnklesGive, e.AnklesGiveOutward = "", false
	default:
		return false
	}
	return true
}

// less is both without a side, nil when nothing is left. The value itself is not
// changed.
func (b *Both[T]) less(s term.Side) *Both[T] {
	if b == nil {
		return nil
	}
	out := *b
	if s == term.Left {
		out.Left = nil
	} else {
		out.Right = nil
	}
	if out.Left == nil && out.Right == nil {
		return nil
	}
	return &out
}
