package support

import (
	"fmt"
	"slices"
	"strings"

	"trevik/internal/core/term"
)

// bandForRunner is a band for somebody who has never heard of it.
var bandForRunner = map[term.Band]string{
	term.BandUnder:   "stays on its outer edge and tips inward less than most",
	term.BandNeutral: "tips inward a little as it lands, the way most feet do",
	term.BandMild:    "tips inward a little more than most as it lands",
	term.BandMarked:  "tips inward clearly more than most as it lands", term.BandSevere: "tips inward a great deal as it lands",
}

// shoeWords is a level's kind of shoe for somebody who has never heard of it.
var shoeWords = map[term.Level]string{
	term.NeutralSoft:   "a soft shoe that bends easily, to take the shock and let your feet move",
	term.Neutral:       "a shoe that cushions and otherwise leaves your feet alone",
	term.Guidance:      "a shoe whose sides gently keep your feet on course",
	term.Stability:     "a shoe that is firmer along its inner side, so that your feet tip in less",
	term.MotionControl: "a firm, stiff shoe that holds your feet steady",
}

// forRunner is the answer in two sentences that need no word of the trade: what was
// seen, and what it means for the shoe.
func (e *Evidence) forRunner(a Answer) []string {
	switch {
	case a.Refer:
		return []string{"You told us about something that a doctor or a physiotherapist should look at before shoes are chosen.",
			"Today we measure your feet and find your size, and you get a note to take along."}
	case slices.Contains(e.Flags, PrescribedOrthotic):
		return []string{"Your insoles were made for your feet by somebody who treats you, so they stay as they are.",
			"We look for an even, roomy shoe that they fit into, and change nothing else."}
	}
	return []string{e.seenWords(), e.meansWords(a)}
}

func (e *Evidence) seenWords() string {
	left, okL := e.band(0)
	right, okR := e.band(1)
	how := "We watched you move: "
	switch {
	case okL && okR && left == right:
		return how + "each of your feet " + bandForRunner[left] + "."
	case okL && okR:
		return fmt.Sprintf("%syour left foot %s, and your right foot %s.", how, bandForRunner[left], bandForRunner[right])
	case okL:
		return how + "your left foot " + bandForRunner[left] + "."
	case okR:
		return how + "your right foot " + bandForRunner[right] + "."
	}
	var from []string
	if e.Arch.any() {
		from = append(from, "the shape of your feet")
	}
	if e.hasWear() {
		from = append(from, "your old soles")
	}
	if e.ComfortableLevel != nil {
		from = append(from, "what has felt right to you")
	}
	if len(from) == 0 {
		return "We have not watched you move yet, so this is only a place to begin."
	}
	return "We have not watched you move yet, so this goes by " + strings.Join(from, " and ") + "."
}

func (e *Evidence) meansWords(a Answer) string {
	if e.Surface == term.Trail && e.TrailRule == term.PlatformOnly {
		return "Off the road every step lands differently, so a broad, low shoe with good grip steadies you more than any built-in steering."
	}
	lead := a.Schools.Of(e.Lead)
	switch {
	case lead.differ():
		return "Your two feet ask for different shoes, so you try both kinds and decide together with your fitter."
	case a.Level == nil:
		return "Less shoe is not the right step for you just now, so we start from what you wear and ask again later."
	case e.Lead == term.ComfortFirst && e.ComfortableLevel != nil:
		return "The kind of shoe that you wear has felt right for half a year, so we begin with it: " + shoeWords[*a.Level] + "."
	case e.Lead == term.ComfortFirst:
		return "We begin with " + shoeWords[*a.Level] + ", and what feels best when you try shoes on decides."
	case e.Lead == term.NaturalFoot:
		return "We look for as little shoe as you can take, and you change over to it in weeks, not in a day."
	}
	return "For that we look for " + shoeWords[*a.Level] + "."
}
