package record

import (
	"trevik/internal/core/rotation"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
)

// WeekTold is the runner's week: its parts, and km altogether. Where its kinds of run were
// not told one by one it is sketched from what was, and sketched is true.
func (v *Visit) WeekTold() (parts []rotation.Part, km float64, sketched bool) {
	for i := range WeekRows {
		kind, ground, d := WeekKind.Of(v, i+1), WeekGround.Of(v, i+1), WeekKM.Of(v, i+1)
		if kind == "" || d <= 0 {
			continue
		}
		if ground == "" {
			ground = v.usualGround()
		}
		parts = append(parts, rotation.Part{Kind: kind, Ground: ground, KM: d})
	}
	if len(parts) == 0 {
		parts = v.sketch()
		sketched = len(parts) > 0
	}
	for _, p := range parts {
		km += p.KM
	}
	return parts, km, sketched
}

// WeeklyTold is the week's distance in all, km.
func (v *Visit) WeeklyTold() float64 {
	_, km, _ := v.WeekTold()
	return km
}

// sketch is a plain week from the usual and longest run, km and days that were told.
func (v *Visit) sketch() []rotation.Part {
	t := rotation.Told{WeeklyKM: WeeklyKM.Of(v), UsualKM: UsualKM.Of(v), LongestKM: LongestKM.Of(v), Days: int(RunDays.Of(v)),
		Ground: v.usualGround(), Goals: Goals.Of(v)}
	return t.Week()
}

func (v *Visit) usualGround() term.Ground {
	switch v.SurfaceAsked() {
	case term.Trail:
		return term.GroundTrail
	case term.Track:
		return term.GroundTrack
	}
	return term.GroundRoad
}

// Wearer is what of the runner changes a model's suitability.
func (v *Visit) Wearer() shoe.Wearer {
	return shoe.Wearer{Strike: v.Strike(), MassKg: MassKg.Of(v), RaceKm: RaceKM.Of(v), On: Conditions.Of(v)}
}
