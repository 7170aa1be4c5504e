package support

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

// House values of the schools and of confidence.
const (
	bandTie          = 0.02 // bands this near each other: the lower one
	clearBand        = 0.6  // no band reaching this is 'between'
	signInner        = 0.5  // inner wear
	signDropMM       = 10.0 // navicular drop, over
	signKneeDeg      = 10.0 // knee inward, over
	signMonths       = 12.0 // a complaint within
	kneeSure         = 0.6  // a knee seen inward by eye counts from this certainty (house)
	muchRolling      = 0.7  // P(marked) + P(severe) for guidance
	severeRolling    = 0.6  // P(severe) for stability, and against natural_foot
	underRolling     = 0.7  // P(under) for neutral_soft
	tendonMonths     = 6.0  // calf or Achilles complaint that bars lowering
	raceDays         = 56.0 // a race this near bars a change
	weightRun        = 0.45
	weightWalk       = 0.30
	weightEye        = 0.30
	weightWear       = 0.15
	weightArch       = 0.15
	weightComplaints = 0.10
	weightComfort    = 0.15
	mostConfidence   = 0.95
	perConflict      = 0.85
	nothingKnown     = 0.20
	tiny             = 1e-9
)

// Codes of conflicts.
const (
	LowArchNeutralGait   = "low_arch_neutral_gait"
	HighArchRollsIn      = "high_arch_rolls_in"
	WearAgainstGait      = "wear_against_gait"
	ShoeMayPushOut       = "shoe_may_push_out"
	FeetDiffer           = "feet_differ"
	FeltRightAgainstGait = "felt_right_against_gait"
	Orthotic             = "orthotic"
)

// measureSooner is the code of the warning for feet that change.
const measureSooner = "measure_again_sooner"

// signPlaces are the complaints that count as a sign for a little steering.
var signPlaces = []term.Place{"shin", "knee_inner", "knee_outer", "arch_plantar", "achilles", "hip"}

// Reason is one slip: the evidence, in words, and by how many rungs it moved
// the foot that it speaks of.
type Reason struct {
	Evidence string `json:"evidence"`
	Text     string `json:"text"`
	Moves    int    `json:"moves"`
}

// PerSide is each foot's own level; nil where the school gives none.
type PerSide struct {
	Left  *term.Level `json:"left"`
	Right *term.Level `json:"right"`
}

// SchoolAnswer is one school's level with its reasons.
type SchoolAnswer struct {
	Level   *term.Level `json:"level"`
	PerSide PerSide     `json:"per_side"`
	Why     []Reason    `json:"why"`
}

// Schools is all four answers.
type Schools struct {
	PronationMatched SchoolAnswer `json:"pronation_matched"`
	LeastCorrection  SchoolAnswer `json:"least_correction"`
	ComfortFirst     SchoolAnswer `json:"comfort_first"`
	NaturalFoot      SchoolAnswer `json:"natural_foot"`
}

// Of gives the answer of a school.
func (s *Schools) Of(name term.School) *SchoolAnswer {
	switch name {
	case term.PronationMatched:
		return &s.PronationMatched
	case term.LeastCorrection:
		return &s.LeastCorrection
	case term.NaturalFoot:
		return &s.NaturalFoot
	}
	return &s.ComfortFirst
}

// Conflict names evidence that disagrees.
type Conflict struct {
	Code string `json:"code"`
	Text string `json:"text"`
}

// Answer is the level of support with its reasons. Schools and Level are nil
// when the runner is referred; Level is also nil when the feet differ by two
// rungs or the lead school is not offered.
type Answer struct {
	Schema     string          `json:"schema"`
	Refer      bool            `json:"refer"`
	Schools    *Schools        `json:"schools"`
	Lead       term.School     `json:"lead"`
	Level      *term.Level     `json:"level"`
	Spread     []term.Level    `json:"spread"`
	Why        []Reason        `json:"why"`
	Conflicts  []Conflict      `json:"conflicts"`
	Missing    []string        `json:"missing"`
	Confidence float64         `json:"confidence"`
	Warnings   []fault.Warning `json:"warnings"`
	ForRunner  []string        `json:"for_runner"` // two sentences in plain words
}

// Decide weighs the evidence. It fails with a fault.List when the evidence
// holds a value that is not allowed.
func Decide(e Evidence) (Answer, error) {
	if err := e.check(); err != nil {
		return Answer{}, err
	}
	a := Answer{Schema: AnswerSchema, Lead: e.Lead, Spread: []term.Level{}, Why: []Reason{}, Conflicts: []Conflict{}, Missing: e.missing(),
		Warnings: e.warnings()}
	for _, f := range e.Flags {
		if slices.Contains(ReferFlags, f) {
			a.Refer = true
			a.Why = append(a.Why, Reason{"flags." + string(f), "Told at the cautions: " + Words(string(f)) +
				". This is for a clinician first, so no level of support is given.", 0})
		}
	}
	if a.Refer {
		a.Confidence = e.confidence(0)
		a.ForRunner = e.forRunner(a)
		return a, nil
	}

	s := &Schools{PronationMatched: e.pronationMatched(), LeastCorrection: e.leastCorrection(), NaturalFoot: e.naturalFoot()}
	s.ComfortFirst = e.comfortFirst(s.LeastCorrection)
	a.Schools = s
	lead := s.Of(e.Lead)
	a.Level = lead.Level
	a.Spread = spread(e.Lead, *lead)
	a.Why = append(a.Why, Reason{"lead", "The shop lets " + Words(string(e.Lead)) + " lead.", 0})
	a.Conflicts = e.conflicts(s)

	neutral := term.Neutral
	if e.Surface == term.Trail && e.TrailRule == term.PlatformOnly {
		a.Level, a.Spread = &neutral, []term.Level{neutral}
		a.Why = append(a.Why, Reason{"surface",
			"On trail every step lands differently: the model is chosen neutral, and its steadiness is width, height and grip.", 0})
	}
	if slices.Contains(e.Flags, PrescribedOrthotic) {
		a.Level, a.Spread = &neutral, []term.Level{neutral}
		a.Why = append(a.Why, Reason{"flags.prescribed_orthotic",
			"The prescribed orthotic stays: a neutral model with room goes round it, and nothing is changed without the prescriber.", 0})
	}
	a.Confidence = e.confidence(len(a.Conflicts))
	a.ForRunner = e.forRunner(a)
	return a, nil
}

// band gives a side's band: the most probable, and of those within 0.02 of it
// the lower one. ok is false without a gait.
func (e *Evidence) band(side int) (term.Band, bool) {
	p := e.resolvedGait[side]
	if p == nil {
		return "", false
	}
	best := slices.Max(p[:])
	for i, v := range p {
		if v >= best-bandTie-tiny {
			return term.Bands[i], true
		}
	}
	return "", false
}

// between gives the two likeliest bands in order of rising amount when no band
// reaches 0.6.
func (e *Evidence) between(side int) (lower, upper term.Band, yes bool) {
	p := e.resolvedGait[side]
	if p == nil || slices.Max(p[:]) >= clearBand-tiny {
		return "", "", false
	}
	first, second := 0, 1
	for i, v := range p {
		if v > p[first] {
			first = i
		}
	}
	if first == 1 {
		second = 0
	}
	for i, v := range p {
		if i != first && v > p[second] {
			second = i
		}
	}
	return term.Bands[min(first, second)], term.Bands[max(first, second)], true
}

// arch gives a side's most probable arch; a tie goes to medium.
func (e *Evidence) arch(s term.Side) (term.Arch, bool) {
	a := e.Arch.Of(s)
	if a == nil {
		return "", false
	}
	p := a.ArchProbability
	switch {
	case p.High > p.Medium+tiny && p.High > p.Low+tiny:
		return term.ArchHigh, true
	case p.Low > p.Medium+tiny && p.Low > p.High+tiny:
		return term.ArchLow, true
	}
	return term.ArchMedium, true
}

var bandRung = map[term.Band]int{term.BandUnder: 0, term.BandNeutral: 1, term.BandMild: 2, term.BandMarked: 3, term.BandSevere: 4}
var archRung = map[term.Arch]int{term.ArchHigh: 0, term.ArchMedium: 1, term.ArchLow: 2}

func (e *Evidence) pronationMatched() SchoolAnswer {
	var rungs [2]int
	var why []Reason
	for i, s := range term.Sides {
		if b, ok := e.band(i); ok {
			rungs[i] = bandRung[b]
			text := fmt.Sprintf("%s foot, %s: %s.", title(s), Words(string(e.Gait.Of(s).Source)), bandWords[b])
			if lo, up, yes := e.between(i); yes {
				text = fmt.Sprintf("%s foot, %s: between %s and %s; %s is taken.", title(s), Words(string(e.Gait.Of(s).Source)), Words(string(lo)),
					Words(string(up)), Words(string(b)))
			}
			why = append(why, Reason{"gait." + string(s), text, rungs[i] - 1})
			continue
		}
		rungs[i] = 1
		if a, ok := e.arch(s); ok {
			rungs[i] = archRung[a]
			why = append(why, Reason{"arch." + string(s), fmt.Sprintf("%s foot: no gait was seen, so we go by the %s arch.", title(s), a),
				rungs[i] - 1})
		} else {
			why = append(why, Reason{"gait." + string(s), fmt.Sprintf("%s foot: neither gait nor arch is known; neutral is taken.", title(s)), 0})
		}
		if w := e.Wear.of(s); w != nil {
			move, text := 0, ""
			switch w.strongest() {
			case "inner":
				move, text = 1, "the old sole is worn most on the inner side."
			case "outer_edge":
				if e.shoeSteers() {
					text = "the old sole is worn along the outer edge, but that pair steered: the shoe is asked first."
				} else {
					move, text = -1, "the old sole is worn most along the outer edge."
				}
			case "":
				continue
			default:
				text = "the wear of the old sole says nothing for or against support."
			}
			to := min(4, max(0, rungs[i]+move))
			why = append(why, Reason{"wear." + string(s), fmt.Sprintf("%s foot: %s", title(s), text), to - rungs[i]})
			rungs[i] = to
		}
	}
	return decided(rungs, why)
}

func (e *Evidence) shoeSteers() bool {
	return e.Wear != nil && e.Wear.ShoeLevel.Rung() >= term.Guidance.Rung()
}

// signs lists the signs of a side that count for a little steering, each kind
// of sign once.
func (e *Evidence) signs(s term.Side) []Reason {
	var out []Reason
	if w := e.Wear.of(s); w != nil && w.Inner >= signInner-tiny {
		out = append(out, Reason{"wear." + string(s), fmt.Sprintf("%s foot: a sign, the old sole is worn on the inner side (%.2g of 1).",
			title(s), w.Inner), 0})
	}
	if d := e.NavicularDropMM.Of(s); d != nil && *d > signDropMM {
		out = append(out, Reason{"navicular_drop." + string(s), fmt.Sprintf("%s foot: a sign, the arch sinks %.1f mm from sitting to standing.",
			title(s), *d), 0})
	}
	if k := e.KneeInDeg.Of(s); k != nil && *k > signKneeDeg {
		out = append(out, Reason{"knee_in." + string(s), fmt.Sprintf("%s foot: a sign, the knee comes %.1f° inward.", title(s), *k), 0})
	} else if seen := e.KneeByEye.Of(s); k == nil && seen != nil && seen.inward() {
		out = append(out, Reason{"knee_by_eye." + string(s), fmt.Sprintf("%s foot: a sign, the knee was seen %s.", title(s), Words(seen.Grade)),
			0})
	}
	if e.Complaints != nil {
		for _, c := range *e.Complaints {
			if (c.Side == s || c.Side == "") && slices.Contains(signPlaces, c.Place) && *c.MonthsAgo <= signMonths {
				out = append(out, Reason{"complaints", fmt.Sprintf("%s foot: a sign, the %s was felt within a year.", title(s),
					Words(string(c.Place))), 0})
				break
			}
		}
	}
	if e.AnklesGive == AnklesInward {
		out = append(out, Reason{"ankles_give", title(s) + " foot: a sign, the ankles give inward.", 0})
	}
	if e.ComfortableLevel != nil && e.ComfortableLevel.Rung() >= term.Guidance.Rung() {
		out = append(out, Reason{"comfortable_level", fmt.Sprintf("%s foot: a sign, %s has felt right.", title(s),
			Words(string(*e.ComfortableLevel))), 0})
	}
	return out
}

func (e *Evidence) leastCorrection() SchoolAnswer {
	rungs := [2]int{1, 1}
	var why []Reason
	for i, s := range term.Sides {
		p := e.resolvedGait[i]
		if p == nil {
			why = append(why, Reason{"gait." + string(s), title(s) + " foot: no gait was seen; most runners need no correction, so neutral.", 0})
			continue
		}
		signs := e.signs(s)
		under, much, severe := p[0], p[3]+p[4], p[4]
		text := "most runners need no correction, and this one shows no need of it."
		switch {
		case severe >= severeRolling-tiny && len(signs) >= 2:
			rungs[i], text = 3, fmt.Sprintf("severe pronation is likely (%.0f %%), with %d supporting signs.", 100*severe, len(signs))
		case much >= muchRolling-tiny && len(signs) >= 1:
			rungs[i], text = 2, fmt.Sprintf("marked or severe pronation is likely (%.0f %%), with one supporting sign.", 100*much)
		case under >= underRolling-tiny:
			rungs[i], text = 0, fmt.Sprintf("it underpronates (%.0f %%): cushion and flexibility.", 100*under)
		case much >= muchRolling-tiny:
			text = fmt.Sprintf("it pronates a good deal (%.0f %% marked or severe), with no supporting sign.", 100*much)
		}
		why = append(why, Reason{"gait." + string(s), title(s) + " foot: " + text, rungs[i] - 1})
		why = append(why, signs...)
	}
	why = append(why, Reason{"school", "Strong feet and ankles do more than a shoe: the strength sheet goes with it.", 0})
	return decided(rungs, why)
}

func (e *Evidence) comfortFirst(least SchoolAnswer) SchoolAnswer {
	if e.ComfortableLevel == nil {
		why := append([]Reason{{"comfortable_level",
			"No level is known to have felt right for six months, so the least correction is the start; comfort in the try-on decides.", 0}},
			least.Why...)
		return SchoolAnswer{Level: least.Level, PerSide: least.PerSide, Why: why}
	}
	level := *e.ComfortableLevel
	return SchoolAnswer{Level: &level, PerSide: PerSide{&level, &level},
		Why: []Reason{{"comfortable_level", title(level) + " felt right for six months or more without a complaint, so it stays.",
			level.Rung() - 1}}}
}

func (e *Evidence) naturalFoot() SchoolAnswer {
	if evidence, why := e.naturalBarred(); why != "" {
		return SchoolAnswer{Why: []Reason{{evidence, why, 0}}}
	}
	level := term.Neutral
	return SchoolAnswer{Level: &level, PerSide: PerSide{&level, &level},
		Why: []Reason{{"school", "Neutral, with a lower drop and stack than now, changed over by a plan in weeks.", 0}}}
}

// naturalBarred says which evidence bars natural_foot, and why.
func (e *Evidence) naturalBarred() (evidence, why string) {
	if e.Complaints != nil {
		for _, c := range *e.Complaints {
			if TendonComplaint(c) {
				return "complaints", "Not offered: a complaint at the " + Words(string(c.Place)) + " within six months does not go with a lower drop."
			}
		}
	}
	if e.RaceInDays != nil && *e.RaceInDays <= raceDays {
		return "race_in_days", "Not offered: a race within eight weeks is no time for a change."
	}
	for i, s := range term.Sides {
		if p := e.resolvedGait[i]; p != nil && p[4] >= severeRolling-tiny {
			return "gait." + string(s), "Not offered: severe pronation is likely on the " + string(s) + " foot."
		}
	}
	return "", ""
}

// TendonComplaint says whether a complaint is a calf or Achilles one within six
// months, which bars lowering the drop.
func TendonComplaint(c Complaint) bool {
	return (c.Place == "calf" || c.Place == "achilles") && c.MonthsAgo != nil && *c.MonthsAgo <= tendonMonths
}

// decided brings the two feet together: one rung apart, the higher for both;
// two or more apart, none.
func decided(rungs [2]int, why []Reason) SchoolAnswer {
	l, r := term.Levels[rungs[0]], term.Levels[rungs[1]]
	a := SchoolAnswer{PerSide: PerSide{&l, &r}, Why: why}
	if d := rungs[0] - rungs[1]; d >= -1 && d <= 1 {
		level := term.Levels[max(rungs[0], rungs[1])]
		a.Level = &level
		if d != 0 {
			a.Why = append(a.Why, Reason{"feet", "The feet are one rung apart: the higher counts for both.", 0})
		}
	}
	return a
}

// differ says whether a school gave both feet a level but no common one.
func (a SchoolAnswer) differ() bool {
	return a.Level == nil && a.PerSide.Left != nil && a.PerSide.Right != nil
}

// Overrule puts a fitter's level, with what they said of it, in place of the lead's;
// the schools' answers stay. By comfort first the try-on still reaches a rung to each
// side.
func (a *Answer) Overrule(level term.Level, why string) {
	orthotic := slices.ContainsFunc(a.Conflicts, func(c Conflict) bool { return c.Code == Orthotic })
	if a.Refer || orthotic {
		return // a caution is overruled first, and what was prescribed stays
	}
	a.Level = &level
	a.Spread = spread(a.Lead, SchoolAnswer{Level: &level})
	a.Why = append(a.Why, Reason{"overrule", why, 0})
	a.ForRunner = []string{a.ForRunner[0], "Your fitter looked at all of it and chose: " + shoeWords[level] + "."}
}

// ForgetHealth takes out of an answer what it says of complaints and cautions; the
// levels stay.
func (a *Answer) ForgetHealth() {
	health := func(evidence string) bool {
		return evidence == "complaints" || strings.HasPrefix(evidence, "flags.")
	}
	told := slices.ContainsFunc(a.Why, func(r Reason) bool { return health(r.Evidence) })
	drop := func(list []Reason) []Reason {
		return slices.DeleteFunc(list, func(r Reason) bool { return health(r.Evidence) })
	}
	a.Why = drop(a.Why)
	if a.Schools != nil {
		for _, s := range term.Schools {
			of := a.Schools.Of(s)
			of.Why = drop(of.Why)
		}
	}
	a.Conflicts = slices.DeleteFunc(a.Conflicts, func(c Conflict) bool { return c.Code == Orthotic })
	a.Warnings = slices.DeleteFunc(a.Warnings, func(w fault.Warning) bool { return w.Code == measureSooner })
	a.Missing = slices.DeleteFunc(a.Missing, func(m string) bool { return m == "complaints" })
	if told {
		a.ForRunner = nil
	}
}

// Like adds light support to the try-on because the runner likes it: outside the
// evidence, so the level stays. Nothing is added where the level is more than neutral
// already, was referred, is an orthotic's or none.
func (a *Answer) Like() {
	orthotic := slices.ContainsFunc(a.Conflicts, func(c Conflict) bool { return c.Code == Orthotic })
	if a.Refer || orthotic || a.Level == nil || a.Level.Rung() > term.Neutral.Rung() {
		return
	}
	a.Why = append(a.Why, Reason{"liked", "Light support is liked: guidance joins the try-on, outside the evidence.", 0})
	if !slices.Contains(a.Spread, term.Guidance) {
		a.Spread = append(a.Spread, term.Guidance)
	}
}

func spread(lead term.School, a SchoolAnswer) []term.Level {
	if a.differ() {
		lo, hi := *a.PerSide.Left, *a.PerSide.Right
		if lo.Rung() > hi.Rung() {
			lo, hi = hi, lo
		}
		return []term.Level{lo, hi}
	}
	if a.Level == nil {
		return []term.Level{}
	}
	if lead != term.ComfortFirst {
		return []term.Level{*a.Level}
	}
	at := a.Level.Rung()
	return slices.Clone(term.Levels[max(0, at-1) : min(4, at+1)+1])
}

func (e *Evidence) conflicts(s *Schools) []Conflict {
	out := []Conflict{}
	add := func(code string, sides []string, format string) {
		if len(sides) > 0 {
			out = append(out, Conflict{code, fmt.Sprintf(format, strings.Join(sides, " and "))})
		}
	}
	var lowNeutral, highIn, wearAgainst, pushOut []string
	gaitLevels := map[term.Level]bool{}
	for i, side := range term.Sides {
		b, hasGait := e.band(i)
		if hasGait {
			gaitLevels[term.Levels[bandRung[b]]] = true
		}
		if a, ok := e.arch(side); ok && hasGait {
			if a == term.ArchLow && b == term.BandNeutral {
				lowNeutral = append(lowNeutral, string(side))
			}
			if a == term.ArchHigh && b.Index() >= term.BandMild.Index() {
				highIn = append(highIn, string(side))
			}
		}
		if w := e.Wear.of(side); w != nil {
			strongest := w.strongest()
			switch {
			case strongest == "outer_edge" && e.shoeSteers():
				pushOut = append(pushOut, string(side))
			case hasGait && strongest == "outer_edge" && w.OuterEdge >= signInner-tiny && b.Index() >= term.BandMild.Index(),
				hasGait && strongest == "inner" && w.Inner >= signInner-tiny && b.Index() <= term.BandNeutral.Index():
				wearAgainst = append(wearAgainst, string(side))
			}
		}
	}
	add(LowArchNeutralGait, lowNeutral, "A low arch, yet a neutral gait (%s): the gait counts, a low arch alone does not mean pronation.")
	add(HighArchRollsIn, highIn, "A high arch, yet it pronates (%s): some high arches do.")
	add(WearAgainstGait, wearAgainst, "The old sole and the gait disagree (%s): film outranks wear; look at how old the pair is.")
	add(ShoeMayPushOut, pushOut, "The old pair is worn along the outer edge and steered (%s): it may have pushed the foot out.")
	if s.PronationMatched.differ() || s.LeastCorrection.differ() || s.ComfortFirst.differ() {
		out = append(out, Conflict{FeetDiffer, "The feet ask for levels two rungs or more apart: the fitter decides, with a try-on of both."})
	}
	if e.ComfortableLevel != nil && len(gaitLevels) > 0 && !gaitLevels[*e.ComfortableLevel] {
		out = append(out, Conflict{FeltRightAgainstGait, title(*e.ComfortableLevel) + " felt right, and the gait points elsewhere."})
	}
	if slices.Contains(e.Flags, PrescribedOrthotic) {
		out = append(out, Conflict{Orthotic, "A prescribed orthotic is worn: whatever the schools say, a neutral model with room goes round it."})
	}
	return out
}

func (e *Evidence) gaitWeight() float64 {
	w := 0.0
	for i, s := range term.Sides {
		if e.resolvedGait[i] == nil {
			continue
		}
		switch e.Gait.Of(s).Source {
		case term.FilmedRun:
			w = math.Max(w, weightRun)
		case term.FilmedWalk:
			w = math.Max(w, weightWalk)
		case term.ByEye:
			w = math.Max(w, weightEye*e.byEyeCertaintyBest)
		}
	}
	return w
}

func (e *Evidence) hasWear() bool {
	return e.Wear.of(term.Left) != nil || e.Wear.of(term.Right) != nil
}

func (e *Evidence) confidence(conflicts int) float64 {
	sum := e.gaitWeight()
	for _, part := range []struct {
		there  bool
		weight float64
	}{{e.hasWear(), weightWear}, {e.Arch.any(), weightArch}, {e.Complaints != nil, weightComplaints},
		{e.ComfortableLevel != nil, weightComfort}} {
		if part.there {
			sum += part.weight
		}
	}
	// Never under what nothing at all counts, so that to have asked never counts less.
	c := math.Max(nothingKnown, math.Min(sum, mostConfidence)*math.Pow(perConflict, float64(conflicts)))
	return math.Round(c*1e6) / 1e6
}

func (e *Evidence) missing() []string {
	out := []string{}
	for _, part := range []struct {
		there bool
		name  string
	}{{e.Gait.any(), "gait"}, {e.Arch.any(), "arch"}, {e.hasWear(), "wear"}, {e.Complaints != nil, "complaints"},
		{e.ComfortableLevel != nil, "comfortable_level"}} {
		if !part.there {
			out = append(out, part.name)
		}
	}
	return out
}

func (e *Evidence) warnings() []fault.Warning {
	out := []fault.Warning{}
	for i, s := range term.Sides {
		if lo, up, yes := e.between(i); yes {
			out = append(out, fault.Warning{Code: "between", Text: fmt.Sprintf("%s foot: between %s and %s; no band is clear.", title(s),
				Words(string(lo)), Words(string(up)))})
		}
	}
	if l, r := e.Gait.Of(term.Left) != nil, e.Gait.Of(term.Right) != nil; l != r {
		out = append(out, fault.Warning{Code: "one_foot_only", Text: "The gait of one foot only is known."})
	}
	if e.AnklesGive == AnklesOutward {
		out = append(out, fault.Warning{Code: "ankles_give_outward",
			Text: "The ankles roll outward: a wide-based neutral model joins the try-on."})
	}
	for _, f := range e.Flags {
		if f == ChildGrowing || f == Pregnant {
			out = append(out, fault.Warning{Code: measureSooner, Text: title(Words(string(f))) + ": fit now, and measure again sooner."})
		}
	}
	return out
}

var bandWords = map[term.Band]string{
	term.BandUnder: "underpronates", term.BandNeutral: "pronates as most do", term.BandMild: "pronates a little more than most",
	term.BandMarked: "pronates markedly", term.BandSevere: "pronates severely",
}

// spelt are the words that underscores alone do not spell.
var spelt = map[string]string{"swelling_heat_redness": "swelling, heat or redness", "achilles": "Achilles", "link": "road to trail",
	"under": "underpronates", "arch_plantar": "arch", "on_waking": "on waking", "cross_training": "cross-training"}

// Words writes one of the job's words for people: "by_eye" is "by eye".
func Words(w string) string {
	if s, ok := spelt[w]; ok {
		return s
	}
	return strings.ReplaceAll(w, "_", " ")
}

func title[T ~string](w T) string {
	s := Words(string(w))
	return strings.ToUpper(s[:1]) + s[1:]
}

func itoa(i int) string { return strconv.Itoa(i) }

// WordsOf writes several of the job's words for people.
func WordsOf[T ~string](list []T) []string {
	out := make([]string, len(list))
	for i, w := range list {
		out[i] = Words(string(w))
	}
	return out
}

// SchoolNames are how the schools are called in words.
var SchoolNames = map[term.School]string{
	term.PronationMatched: "matched to pronation", term.LeastCorrection: "least correction", term.ComfortFirst: "comfort first",
	term.NaturalFoot: "natural foot",
}

// Told says whether the level rests on evidence of the feet, the gait or a pair; complaints alone are
// none.
func (a Answer) Told() bool {
	known := 0
	for _, name := range []string{"gait", "arch", "wear", "comfortable_level"} {
		if !slices.Contains(a.Missing, name) {
			known++
		}
	}
	return !a.Refer && known > 0
}
