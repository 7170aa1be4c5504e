package shoe

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"trevik/internal/core/term"
)

// base is the suitability of a class for a kind of run on the ground that it is
// made for (house): columns in the order of term.Kinds.
var base = map[term.Class][11]float64{
	//                  easy  rec   mid   long  tempo thr   int   race  walk  hike  gym
	term.Daily:         {0.95, 0.85, 0.90, 0.85, 0.60, 0.55, 0.45, 0.50, 0.90, 0.60, 0},
	term.MaxCushion:    {0.95, 1.00, 0.85, 0.95, 0.40, 0.35, 0.20, 0.40, 0.90, 0.60, 0},
	term.TempoClass:    {0.60, 0.45, 0.75, 0.60, 0.95, 0.90, 0.80, 0.75, 0.50, 0.30, 0},
	term.RacePlated:    {0.25, 0.15, 0.40, 0.50, 0.75, 0.85, 0.70, 1.00, 0.10, 0.00, 0},
	term.RaceFlat:      {0.35, 0.25, 0.45, 0.30, 0.85, 0.70, 0.95, 0.80, 0.30, 0.10, 0},
	term.TrailClass:    {0.90, 0.80, 0.90, 0.85, 0.70, 0.60, 0.50, 0.75, 0.90, 0.95, 0},
	term.Ultra:         {0.90, 0.90, 0.90, 1.00, 0.50, 0.45, 0.30, 0.75, 0.90, 0.95, 0},
	term.Mud:           {0.70, 0.50, 0.75, 0.60, 0.80, 0.70, 0.70, 0.90, 0.40, 0.60, 0},
	term.LinkClass:     {0.90, 0.80, 0.90, 0.80, 0.60, 0.50, 0.40, 0.50, 0.90, 0.80, 0},
	term.Spikes:        {0.00, 0.00, 0.00, 0.00, 0.40, 0.50, 0.95, 0.90, 0.00, 0.00, 0},
	term.Winter:        {0.90, 0.80, 0.90, 0.85, 0.50, 0.45, 0.30, 0.30, 0.90, 0.80, 0},
	term.Minimal:       {0.60, 0.60, 0.50, 0.25, 0.50, 0.40, 0.50, 0.40, 0.80, 0.40, 0},
	term.CrossTraining: {0.20, 0.20, 0.00, 0.00, 0.00, 0.00, 0.20, 0.00, 0.70, 0.30, 1},
}

// onGround is what is left of a model's suitability on a ground (house), before
// lugs, rubber and tips: columns in the order of term.Grounds.
var onGround = map[term.Surface][7]float64{
	//               road  trail mud   track mill  snow  ice
	term.Road:       {1.00, 0.45, 0.10, 0.90, 1.00, 0.35, 0.10},
	term.Trail:      {0.45, 1.00, 1.00, 0.50, 0.40, 1.00, 0.10},
	term.Link:       {0.85, 0.80, 0.60, 0.70, 0.70, 0.80, 0.10},
	term.Track:      {0.50, 0.10, 0.00, 1.00, 0.50, 0.00, 0.00},
	term.GymSurface: {0.40, 0.10, 0.00, 0.40, 0.60, 0.00, 0.00},
}

// PlateView is when a plated model is worn: the presets of the suitability table.
type PlateView string

const (
	RaceOnly    PlateView = "race_only"
	KeySessions PlateView = "key_sessions"
	Freely      PlateView = "freely"
)

// PlateViews are all of them, as they are asked.
var PlateViews = []PlateView{RaceOnly, KeySessions, Freely}

// House values of the presets: what a plated model has at most for a kind that it is not
// meant for, and at least for one that it is let into.
const (
	plateNotMeant = 0.30
	plateLetIn    = 0.60
)

// Wearer is what of the runner changes a model's suitability. Zero values are
// 'not known'.
type Wearer struct {
	Strike term.Strike
	MassKg float64
	RaceKm float64
	KM     float64   // of the session
	Plates PlateView // empty: the table as it stands
	On     []term.Condition
}

// told says whether a condition was told of the runner's ground.
func (w *Wearer) told(c term.Condition) bool { return slices.Contains(w.On, c) }

// Suitability tells how well a model serves a kind of run on a ground, 0 to 1,
// with the reasons.
func (m *Model) Suitability(kind term.Kind, ground term.Ground, who Wearer) (float64, string) {
	var why []string
	v := m.suits(kind, ground, who, &why)
	return v, strings.Join(why, ", ")
}

// Suits is Suitability without its reasons.
func (m *Model) Suits(kind term.Kind, ground term.Ground, who Wearer) float64 {
	return m.suits(kind, ground, who, nil)
}

// suits adds its reasons to why unless it is nil.
func (m *Model) suits(kind term.Kind, ground term.Ground, who Wearer, why *[]string) float64 {
	say := func(format string, args ...any) { *why = append(*why, fmt.Sprintf(format, args...)) }
	k, g := slices.Index(term.Kinds, kind), slices.Index(term.Grounds, ground)
	if k < 0 || g < 0 {
		if why != nil {
			say("unknown kind or ground")
		}
		return 0
	}
	if ground == term.GroundRoad && who.told(term.BlackIce) {
		ground, g = term.GroundIce, slices.Index(term.Grounds, term.GroundIce)
		if why != nil {
			say("black ice: road is ice")
		}
	}
	v := base[m.Class][k]
	if why != nil {
		say("%s for %s %.2f", words(m.Class), words(kind), v)
	}
	add := func(d float64, reason string) {
		if d != 0 && v > 0 {
			v += d
			if why != nil {
				say("%s %+.2f", reason, d)
			}
		}
	}
	switch kind {
	case term.Easy, term.Recovery:
		add(0.03*(m.Softness-3), "softness")
	case term.Middle, term.Long:
		add(0.03*(m.Softness-3), "softness")
		add(-0.05*max(0, m.WeightG-290)/20, "weight over 290 g")
		if kind == term.Long && m.StackHeelMM < 24 {
			add(-0.10, "under 24 mm for a long run")
		}
	case term.Tempo, term.Threshold:
		add(-0.05*max(0, m.WeightG-250)/20, "weight over 250 g")
		add(0.03*(m.Bounce-3), "bounce")
		if load := who.KM * cmp.Or(who.MassKg, usualKg) / usualKg; kind == term.Threshold && load > longThreshold {
			add(0.01*min(load-longThreshold, 10)*max(-1, min(1, (m.StackHeelMM-30)/8)), "more under the foot for a long session")
		}
	case term.Intervals:
		add(0.04*(250-m.WeightG)/20, "weight against 250 g")
		add(0.02*(30-m.StackHeelMM)/4, "height against 30 mm")
		add(0.03*(m.Bounce-3), "bounce")
	case term.Race:
		m.raceMarks(who, add)
	}
	if m.Plate == "carbon" || m.Class == term.RacePlated {
		if to, reason := who.Plates.hold(kind, v); to != v {
			v = to
			if why != nil {
				say("%s: %.2f", reason, v)
			}
		}
	}
	m.groundMarks(ground, who, add)
	f := m.madeFor(ground, g) * m.grip(ground)
	if kind == term.Gym {
		f = 1 // a ground of its own
	}
	if m.MetalTips && (ground == term.GroundRoad || ground == term.GroundTreadmill || ground == term.GroundTrack) {
		f = 0
		if why != nil {
			say("metal tips do not go on bare ground")
		}
	} else if f != 1 && why != nil {
		say("%s model on %s × %.2f", m.Surface, ground, f)
	}
	return min(1, max(0, v*f))
}

// madeFor is what is left of a model's suitability on a ground by what it is made for: winter models
// are for road, trail and snow.
func (m *Model) madeFor(ground term.Ground, column int) float64 {
	if m.Class == term.Winter && (ground == term.GroundRoad || ground == term.GroundTrail || ground == term.GroundSnow) {
		return 1
	}
	return onGround[m.Surface][column]
}

// House values of the conditions: what each of a model's means is worth, and what a link model loses
// by a mm of lug too little or too much.
const (
	rockMark      = 0.05
	descentMark   = 0.05
	linkMark      = 0.05
	lowRockMM     = 30.0
	descentLugMM  = 4.0
	linkLeastLug  = 2.0
	linkMostLug   = 4.0
	usualKg       = 70.0
	longThreshold = 8.0 // km × mass ÷ 70 kg from which a threshold session asks for more under the foot
)

// groundMarks are what the conditions told of a ground count for a model.
func (m *Model) groundMarks(ground term.Ground, who Wearer, add func(float64, string)) {
	rough := ground == term.GroundTrail || ground == term.GroundMud
	has := func(is bool, mark float64, reason string) {
		if is {
			add(mark, reason)
		}
	}
	if rough && who.told(term.Rocks) {
		has(m.RockPlate, rockMark, "rock plate")
		has(m.ToeBumper, rockMark, "toe bumper")
		has(m.StackHeelMM <= lowRockMM, rockMark, "a low heel for rocks")
	}
	if rough && who.told(term.Descents) {
		has(m.LugDepthMM >= descentLugMM, descentMark, "lugs for descents")
		has(m.HeelCounter == "sculpted", descentMark, "a heel that holds on descents")
	}
	if m.Surface == term.Link {
		has(ground == term.GroundTrail, -linkMark*max(0, linkLeastLug-m.LugDepthMM), "shallow lugs on trail")
		has(ground == term.GroundRoad, -linkMark*max(0, m.LugDepthMM-linkMostLug), "deep lugs on road")
	}
}

// hold is a plated model's suitability for a kind under a view.
func (p PlateView) hold(kind term.Kind, v float64) (float64, string) {
	race := kind == term.Race
	key := race || kind == term.Tempo || kind == term.Threshold || kind == term.Intervals
	switch {
	case p == RaceOnly && !race:
		return min(v, plateNotMeant), "plates are kept for races"
	case p == KeySessions && !key:
		return min(v, plateNotMeant), "plates are for races and key sessions"
	case p == Freely && (kind == term.Easy || kind == term.Middle || kind == term.Long):
		return max(v, plateLetIn), "plates are worn freely"
	}
	return v, ""
}

func (m *Model) raceMarks(who Wearer, add func(float64, string)) {
	if who.RaceKm > 0 && who.RaceKm <= 10 {
		add(-0.05*max(0, m.WeightG-220)/20, "weight over 220 g for a short race")
		add(0.03*(3-m.Softness), "firmness for a short race")
	}
	if who.RaceKm > 15 {
		add(0.04*(m.Bounce-3), "bounce for a long race")
		if m.StackHeelMM < 26 {
			add(-0.15, "under 26 mm for a long race")
		}
	}
	if m.WeightG > 260 && m.Bounce < 4 {
		add(-0.15, "heavy without much bounce")
	}
	if m.Plate != "none" && who.Strike == term.HeelStrike && m.Rocker < 2 {
		add(-0.10, "a plate tuned for the forefoot, under a heel lander")
	}
	if m.Rocker >= 2 && (who.Strike == term.HeelStrike || who.Strike == term.MidfootStrike) {
		add(0.03, "a smooth roll")
	}
}

// grip is the factor of lugs, rubber and metal tips on a ground.
func (m *Model) grip(ground term.Ground) float64 {
	switch ground {
	case term.GroundMud:
		f := min(1, max(0.3, (m.LugDepthMM-2)/4))
		if m.LugSpacing == "close" {
			f *= 0.8
		}
		return f
	case term.GroundSnow:
		return min(1, max(0.4, 0.2*m.RubberSoftness)) * min(1, max(0.5, m.LugDepthMM/4))
	case term.GroundIce:
		if m.MetalTips {
			return 10 // undoes the ground's own 0.1: tips are what ice asks for
		}
	case term.GroundTrail:
		if m.Surface == term.Trail && m.LugDepthMM >= 6 {
			return 0.9 // deep lugs are unsteady on hard ground
		}
	}
	return 1
}

func words[T ~string](w T) string { return strings.ReplaceAll(string(w), "_", " ") }
