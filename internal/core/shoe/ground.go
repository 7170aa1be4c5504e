package shoe

import (
	"slices"

	"trevik/internal/core/term"
)

// House values of grip.
const (
	softRubber  = 4.0 // from here rubber holds on cold and wet pavement
	hardRubber  = 2.0 // up to here it slips there
	deepLugs    = 5.0 // mm, from here lugs shed mud when they stand wide
	lowPlatform = 30.0
)

// GroundHints say how a model goes with a runner's ground and season (Hello's
// conditions), in a sentence each; none where nothing is to be said.
func (m *Model) GroundHints(conditions []term.Condition) []string {
	var out []string
	on := func(c term.Condition) bool { return slices.Contains(conditions, c) }
	if on(term.BlackIce) {
		if m.MetalTips {
			out = append(out, "Its metal tips hold on ice, and do not go on bare road.")
		} else {
			out = append(out, "It has no hold on black ice: metal tips, or indoors.")
		}
	}
	if on(term.Cold) || on(term.Wet) {
		switch {
		case m.RubberSoftness >= softRubber:
			out = append(out, "Soft rubber: it holds on cold and wet pavement.")
		case m.RubberSoftness <= hardRubber && m.RubberSoftness > 0:
			out = append(out, "Hard rubber slips on cold and wet pavement.")
		}
	}
	if m.Liner {
		switch {
		case on(term.LongGrass):
			out = append(out, "Its waterproof liner fills in long grass and dries slowly.")
		case on(term.Heat):
			out = append(out, "Its waterproof liner is hot.")
		case on(term.Wet) || on(term.Cold):
			out = append(out, "Its waterproof liner suits short wet grass and winter.")
		}
	}
	if on(term.Rocks) {
		switch {
		case m.RockPlate && m.ToeBumper && m.StackHeelMM <= lowPlatform:
			out = append(out, "Plate, bumper and a low platform: made for rocks.")
		case !m.RockPlate || !m.ToeBumper:
			out = append(out, "Rocks want a plate and a bumper; it lacks them.")
		}
	}
	if m.LugDepthMM >= deepLugs && m.Surface == term.Trail {
		if m.LugSpacing == "wide" {
			out = append(out, "Deep lugs, set wide: they shed mud, and are unsteady on hard ground.")
		} else {
			out = append(out, "Deep lugs set close hold mud.")
		}
	}
	return out
}
