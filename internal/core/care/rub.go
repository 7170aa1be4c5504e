package care

import (
	"fmt"
	"slices"

	"trevik/internal/core/term"
)

// When is when a place rubs or hurts.
type When string

// Whens are all of them, as they are asked.
var Whens = []When{"from_the_first", "after_some_km", "downhill", "uphill", "when_wet", "in_heat", "next_day"}

// Known is what is known of this runner in this pair; nil is not known. Lengths mm.
type Known struct {
	RoomMM      *float64 // before the longest toe
	LeastMM     float64  // of room that is wanted
	MostMM      float64
	BallMM      *float64 // how much wider the shoe's width is than the foot; negative is narrower
	HeelSlips   bool
	Toes        string   // as the fitter felt at the try-on: short, right or long; empty is not told
	Held        string   // loose, held or tight; empty is not told
	Laced       []string // lacings that were tried
	ThickSock   bool
	TrailRunner bool
	Diabetes    bool
	Numb        bool
	Broken      bool // skin that is open
	Weeks       float64
}

// Cause is a likely cause with the check that tells it and what to do.
type Cause struct {
	Cause string
	Check string
	Fix   string
	Own   string // what this runner's own numbers say of it, empty where they say nothing
	Fits  bool   // the numbers speak for it
	Lace  string // the lacing that helps, one of Lacings
}

// Lacings are those that are drawn.
var Lacings = []string{"heel_lock", "window", "wide_forefoot", "high_instep", "toe_lift"}

// Rubbed is what to look for at a place, likeliest first, and whether it is for a clinician.
type Rubbed struct {
	Place  term.Place
	Causes []Cause
	Refer  string // why a clinician is to see it, empty: no need
}

// RubPlaces are the places that can be tapped.
var RubPlaces = []term.Place{"toe_tips", "toe_tops", "between_toes", "ball", "sides", "heel", "achilles", "top_of_foot", "arch_plantar"}

// notBetter is after how many weeks a place that does not heal is for a clinician.
const notBetter = 2.0

// Rub gives the likely causes at a place in order. Those for which the runner's own numbers
// speak come first; else the order is that of fitters (docs/method.md).
func Rub(place term.Place, when When, k Known) Rubbed {
	r := Rubbed{Place: place}
	short := k.RoomMM != nil && *k.RoomMM < k.LeastMM || k.Toes == "short"
	long := k.RoomMM != nil && *k.RoomMM > k.MostMM || k.Toes == "long"
	narrow, wide := k.BallMM != nil && *k.BallMM < -1 || k.Held == "tight", k.BallMM != nil && *k.BallMM > 4 || k.Held == "loose"
	damp := when == "in_heat" || when == "when_wet" || when == "after_some_km"
	room, width := "", ""
	if k.RoomMM != nil {
		room = fmt.Sprintf("%.1f mm before the toes, %.0f to %.0f wanted", *k.RoomMM, k.LeastMM, k.MostMM)
	}
	if k.BallMM != nil {
		width = fmt.Sprintf("the shoe is %+.1f mm against the ball", *k.BallMM)
	}
	room, width = told(room, map[string]string{"short": "toes felt short at the try-on", "long": "toes felt long at the try-on"}[k.Toes]),
		told(width, map[string]string{"loose": "it felt loose at the try-on", "tight": "it felt tight at the try-on"}[k.Held])
	lifts := ""
	if k.HeelSlips {
		lifts = "the heel lifted at the try-on"
	}
	add := func(c Cause) { r.Causes = append(r.Causes, c) }
	switch place {
	case "toe_tips":
		add(Cause{"The shoe is short", "Stand on a slope, toes down: do they touch?", "A half size up.", room, short, ""})
		add(Cause{"The shoe is long and the foot slides", "Lock the heel with a finger and walk downhill: better?",
			"Heel-lock lacing; then a half size down.", room, long || k.HeelSlips || when == "downhill" && !short, "heel_lock"})
		add(Cause{"Long nails", "Look at them.", "Trim them straight.", "", false, ""})
	case "toe_tops":
		add(Cause{"The toe box is low", "Press the upper over the toes: is there play?", "A model with more volume, or a thinner sock.", "",
			k.ThickSock, "toe_lift"})
		add(Cause{"A seam or a stiff fold", "Feel inside with a finger.", "Another upper.", "", false, ""})
	case "between_toes":
		add(Cause{"Toe against toe", "Look for red sides that face each other.", "Toe socks, lubricant.", "", narrow, ""})
	case "ball":
		add(Cause{"Too narrow across the ball", "Trace the foot and lay the insole on it: does it lie within?",
			"A wider width, or wide-forefoot lacing.", width, narrow, "wide_forefoot"})
		add(Cause{"Too wide, and the foot slides", "Twist the foot in the shoe: does it move?", "A narrower width, an insole, firmer lacing.",
			width, wide && !narrow, "heel_lock"})
		add(Cause{"Too long, so that it bends behind the ball", "Where does the shoe bend?", "Size by the ball.", room, long, ""})
	case "sides":
		add(Cause{"Too narrow at the sides", "Where is the red line: at the ball, or at the height of the arch?",
			"A wider width; wide-forefoot lacing; a wider last.", width, narrow, "wide_forefoot"})
		add(Cause{"Too wide, and the foot slides from side to side", "Twist the foot in the shoe: does it move?",
			"A narrower width, an insole, firmer lacing.", width, wide && !narrow, "heel_lock"})
		add(Cause{"A seam, or the edge of the insole", "Feel along the inside with a finger.", "Tape for now; another insole or upper.", "",
			false,
			""})
	case "heel":
		add(Cause{"The heel lifts", "Push a finger in behind while walking: how far does it rise?",
			"The last eyelet laced (heel lock); a sculpted heel; tape for now.", lifts, k.HeelSlips || long, "heel_lock"})
		add(Cause{"A hard counter", "Press it: does it give?", "Tape for now; another model.", "", false, ""})
	case "achilles":
		add(Cause{"A high or hard collar", "Is the red line where the collar ends?", "Another collar; tape for now.", "", false, ""})
		add(Cause{"The heel lifts", "Push a finger in behind while walking.", "Heel-lock lacing.", lifts, k.HeelSlips || long, "heel_lock"})
	case "top_of_foot":
		add(Cause{"The laces press", "Loosen the middle: gone?", "Window lacing over the place, and looser.", "", when == "after_some_km",
			"window"})
		add(Cause{"The instep is higher than the shoe", "Do the eyelets stand far apart?", "High-instep lacing; a model with more volume.", "",
			k.ThickSock, "high_instep"})
		add(Cause{"The tongue has slipped", "Look where it lies.", "Lace it through its loop.", "", false, ""})
	case "arch_plantar":
		add(Cause{"The insole's edge or a lump", "Take the insole out: gone?", "Another insole.", "", false, ""})
	}
	socks := "Are the socks wet after a run? Have they seams, or folds?"
	wet := Cause{"Damp feet, or poor socks", socks, "Wicking seamless socks, powder; race socks are tried in training.", "", damp, ""}
	if damp { // long, hot, hard or wet runs: asked first
		r.Causes = append([]Cause{wet}, r.Causes...)
	} else {
		add(wet)
	}
	if k.TrailRunner {
		add(Cause{"Grit from the trail", "Shake the shoe out after a run.", "Ankle-high socks.", "", false, ""})
	}
	for i, c := range r.Causes {
		if c.Lace != "" && slices.Contains(k.Laced, c.Lace) {
			r.Causes[i].Own = told(c.Own, "that lacing was tried at the fit")
		}
	}
	// Those for which the numbers speak come first, each part in its order.
	var first, rest []Cause
	for _, c := range r.Causes {
		if c.Fits {
			first = append(first, c)
		} else {
			rest = append(rest, c)
		}
	}
	r.Causes = append(first, rest...)
	switch {
	case k.Diabetes:
		r.Refer = "With diabetes every sore place on a foot is for a clinician."
	case k.Numb:
		r.Refer = "Numbness is for a clinician."
	case k.Broken:
		r.Refer = "Skin that is broken or dirty is for a clinician if it does not close at once; cover it clean."
	case k.Weeks >= notBetter:
		r.Refer = "Not better in two weeks: let a clinician see it."
	}
	return r
}

// told joins what is known of a cause.
func told(a, b string) string {
	switch {
	case a == "":
		return b
	case b == "":
		return a
	}
	return a + "; " + b
}
