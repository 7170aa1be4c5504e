package support

import (
	"math"
	"strings"

	"trevik/internal/core/fault"
	"trevik/internal/core/limits"
	"trevik/internal/core/term"
)

const (
	EvidenceSchema = "trevik.evidence/v1"
	AnswerSchema   = "trevik.support/v1"
)

// BandProbability is the chance of each band; the five sum to 1 (± 0.01).
type BandProbability struct {
	Under   float64 `json:"under"`
	Neutral float64 `json:"neutral"`
	Mild    float64 `json:"mild"`
	Marked  float64 `json:"marked"`
	Severe  float64 `json:"severe"`
}

func (p BandProbability) list() [5]float64 {
	return [5]float64{p.Under, p.Neutral, p.Mild, p.Marked, p.Severe}
}

// ArchProbability is the chance of each arch class; the three sum to 1 (± 0.01).
type ArchProbability struct {
	High   float64 `json:"high"`
	Medium float64 `json:"medium"`
	Low    float64 `json:"low"`
}

// Both holds a value for each foot; nil is not known.
type Both[T any] struct {
	Left  *T `json:"left"`
	Right *T `json:"right"`
}

// Of gives the value of a side, nil when there is none.
func (b *Both[T]) Of(s term.Side) *T {
	if b == nil {
		return nil
	}
	if s == term.Left {
		return b.Left
	}
	return b.Right
}

// any says whether either foot has a value.
func (b *Both[T]) any() bool { return b.Of(term.Left) != nil || b.Of(term.Right) != nil }

// Gait is one side's rolling in: probabilities, or by eye a band and how sure.
type Gait struct {
	BandProbability *BandProbability `json:"band_probability"`
	Band            term.Band        `json:"band"`
	Certainty       term.Certainty   `json:"certainty"`
	Sure            term.Certainty   `json:"sure"` // another name for certainty
	Source          term.Source      `json:"source"`
}

// KneeSeen is one side's knee as seen from the front by eye: its grade and how sure.
type KneeSeen struct {
	Grade     string         `json:"grade"`
	Certainty term.Certainty `json:"certainty"`
	Sure      term.Certainty `json:"sure"` // another name for certainty
}

// KneeGrades of a knee over its foot in the middle of the contact, seen by eye.
var KneeGrades = []string{"outward", "straight", "inward", "far_inward"}

// inward says whether the knee counts as coming inward (house): seen so, and at least
// fairly sure.
func (k KneeSeen) inward() bool {
	if k.Certainty == "" {
		k.Certainty = k.Sure
	}
	return (k.Grade == "inward" || k.Grade == "far_inward") && certaintyOf[k.Certainty] >= kneeSure-tiny
}

// Arch is one side's arch.
type Arch struct {
	ArchProbability *ArchProbability `json:"arch_probability"`
}

// Wear is one worn sole: the strength 0–1 of each pattern found on it.
type Wear struct {
	OuterHeel float64 `json:"outer_heel"`
	Inner     float64 `json:"inner"`
	OuterEdge float64 `json:"outer_edge"`
	Heel      float64 `json:"heel"`
	Centre    float64 `json:"centre"`
	Even      float64 `json:"even"`
}

// WornPair is both soles of the old pair and the level that the pair was.
type WornPair struct {
	Left      *Wear      `json:"left"`
	Right     *Wear      `json:"right"`
	ShoeLevel term.Level `json:"shoe_level"`
}

func (w *WornPair) of(s term.Side) *Wear {
	if w == nil {
		return nil
	}
	return (&Both[Wear]{w.Left, w.Right}).Of(s)
}

// Complaint is something that hurts or hurt. Side may be empty: no side named.
type Complaint struct {
	Place     term.Place `json:"place"`
	Side      term.Side  `json:"side"`
	MonthsAgo *float64   `json:"months_ago"`
}

// Flag is an answer to the cautions that are asked first.
type Flag string

// The flags. Those of ReferFlags stop the reasoning.
const (
	PrescribedOrthotic Flag = "prescribed_orthotic"
	ChildGrowing       Flag = "child_growing"
	Pregnant           Flag = "pregnant"
	Numbness           Flag = "numbness"
	Diabetes           Flag = "diabetes_or_poor_circulation"
)

var (
	ReferFlags = []Flag{"numbness", "night_pain", "pinpoint_bone_pain", "sudden_pain", "swelling_heat_redness", "open_sore",
		"diabetes_or_poor_circulation", "recent_surgery", "new_deformity", "limp"}
	Flags = append(append([]Flag{}, ReferFlags...), PrescribedOrthotic, ChildGrowing, Pregnant)
)

// Evidence is all that is known. A nil part is not known; an empty, non-nil
// Complaints is 'asked, none'. Lengths mm, angles degrees (inward positive).
type Evidence struct {
	Schema             string          `json:"schema"`
	Gait               *Both[Gait]     `json:"gait"`
	Arch               *Both[Arch]     `json:"arch"`
	NavicularDropMM    *Both[float64]  `json:"navicular_drop_mm"`
	KneeInDeg          *Both[float64]  `json:"knee_in_deg"`
	KneeByEye          *Both[KneeSeen] `json:"knee_by_eye"` // where it was not filmed
	Wear               *WornPair       `json:"wear"`
	Complaints         *[]Complaint    `json:"complaints"`
	ComfortableLevel   *term.Level     `json:"comfortable_level"`
	AnklesGive         string          `json:"ankles_give" strict:"word"` // one of AnkleWays
	AnklesGiveOutward  bool            `json:"ankles_give_outward"`       // the older word for outward
	Flags              []Flag          `json:"flags"`
	Surface            term.Surface    `json:"surface"`
	TrailRule          term.TrailRule  `json:"trail_rule"`
	Lead               term.School     `json:"lead"`
	RaceInDays         *float64        `json:"race_in_days"`
	resolvedGait       [2]*[5]float64
	byEyeCertaintyBest float64
}

// Ways in which ankles give, as runners say.
const (
	AnklesOutward = "outward"
	AnklesInward  = "inward"
)

// AnkleWays are all of them.
var AnkleWays = []string{"none", AnklesOutward, AnklesInward}

// certaintyOf is the probability that an observation by eye gives its band.
var certaintyOf = map[term.Certainty]float64{term.Sure: 0.80, term.Fairly: 0.60, term.Unsure: 0.45}

// SpreadByEye gives the band probabilities of an observation by eye: the band
// itself by how sure the fitter is, the rest shared equally by its neighbours,
// all to the one neighbour at an end.
func SpreadByEye(band term.Band, c term.Certainty) BandProbability {
	var p [5]float64
	i, own := band.Index(), certaintyOf[c]
	p[i] = own
	switch i {
	case 0:
		p[1] = 1 - own
	case 4:
		p[3] = 1 - own
	default:
		p[i-1], p[i+1] = (1-own)/2, (1-own)/2
	}
	return BandProbability{p[0], p[1], p[2], p[3], p[4]}
}

// check validates the evidence and resolves the defaults and gaits.
func (e *Evidence) check() error {
	var l fault.List
	if e.Schema != "" && e.Schema != EvidenceSchema {
		l.Add("schema", "is %q; allowed is %q", e.Schema, EvidenceSchema)
	}
	if e.Surface == "" {
		e.Surface = term.Road
	}
	if e.TrailRule == "" {
		e.TrailRule = term.PlatformOnly
	}
	if e.Lead == "" {
		e.Lead = term.ComfortFirst
	}
	fault.OneOf(&l, "surface", e.Surface, []term.Surface{term.Road, term.Trail, term.Link})
	fault.OneOf(&l, "trail_rule", e.TrailRule, term.TrailRules)
	fault.OneOf(&l, "lead", e.Lead, term.Schools)
	for i, s := range term.Sides {
		at := "." + string(s)
		if g := e.Gait.Of(s); g != nil {
			e.resolvedGait[i] = checkGait(&l, "gait"+at, *g)
			if g.Source == term.ByEye && e.resolvedGait[i] != nil {
				e.byEyeCertaintyBest = math.Max(e.byEyeCertaintyBest, eyeCertainty(*g, *e.resolvedGait[i]))
			}
		}
		if a := e.Arch.Of(s); a != nil {
			if a.ArchProbability == nil {
				l.Add("arch"+at+".arch_probability", "is missing; give the chance of high, medium and low")
			} else {
				p := a.ArchProbability
				checkProbabilities(&l, "arch"+at+".arch_probability", []string{"high", "medium", "low"}, []float64{p.High, p.Medium, p.Low})
			}
		}
		if v := e.NavicularDropMM.Of(s); v != nil {
			limits.Navicular.Check(&l, "navicular_drop_mm"+at, *v)
		}
		if v := e.KneeInDeg.Of(s); v != nil {
			l.Range("knee_in_deg"+at, *v, -45, 45, "°")
		}
		if k := e.KneeByEye.Of(s); k != nil {
			fault.OneOf(&l, "knee_by_eye"+at+".grade", k.Grade, KneeGrades)
			certainty := k.Certainty
			if certainty == "" {
				certainty = k.Sure
			}
			fault.OneOf(&l, "knee_by_eye"+at+".certainty", certainty, term.Certainties)
		}
		if w := e.Wear.of(s); w != nil {
			for _, p := range w.patterns() {
				l.Range("wear"+at+"."+p.name, p.strength, 0, 1, "")
			}
		}
	}
	if e.Wear != nil && e.Wear.ShoeLevel != "" {
		fault.OneOf(&l, "wear.shoe_level", e.Wear.ShoeLevel, term.Levels)
	}
	if e.Complaints != nil {
		for i, c := range *e.Complaints {
			checkComplaint(&l, indexed("complaints", i), c)
		}
	}
	switch {
	case e.AnklesGive == "" && e.AnklesGiveOutward:
		e.AnklesGive = AnklesOutward
	case e.AnklesGive != "":
		fault.OneOf(&l, "ankles_give", e.AnklesGive, AnkleWays)
		if e.AnklesGiveOutward && e.AnklesGive != AnklesOutward {
			l.Add("ankles_give_outward", "is true, and ankles_give is %q; give one of them", e.AnklesGive)
		}
	}
	if e.ComfortableLevel != nil {
		fault.OneOf(&l, "comfortable_level", *e.ComfortableLevel, term.Levels)
	}
	for i, f := range e.Flags {
		fault.OneOf(&l, indexed("flags", i), f, Flags)
	}
	if e.RaceInDays != nil {
		limits.RaceInDays.Check(&l, "race_in_days", *e.RaceInDays)
	}
	return l.Err()
}

// CheckComplaints notes what is wrong with a list of complaints.
func CheckComplaints(l *fault.List, field string, list []Complaint) {
	for i, c := range list {
		checkComplaint(l, indexed(field, i), c)
	}
}

func checkComplaint(l *fault.List, field string, c Complaint) {
	fault.OneOf(l, field+".place", c.Place, term.Places)
	if c.Side != "" {
		fault.OneOf(l, field+".side", c.Side, term.Sides)
	}
	if c.MonthsAgo == nil {
		l.Add(field+".months_ago", "is missing; allowed is 0 to 600 months")
	} else {
		limits.MonthsAgo.Check(l, field+".months_ago", *c.MonthsAgo)
	}
}

func checkGait(l *fault.List, field string, g Gait) *[5]float64 {
	g = g.plain()
	ok := fault.OneOf(l, field+".source", g.Source, term.Sources)
	if g.BandProbability != nil {
		if g.Band != "" || g.Certainty != "" {
			l.Add(field, "holds both band_probability and band; give one of them")
			return nil
		}
		p := g.BandProbability.list()
		names := make([]string, len(term.Bands))
		for i, b := range term.Bands {
			names[i] = string(b)
		}
		checkProbabilities(l, field+".band_probability", names, p[:])
		return &p
	}
	if ok && g.Source != term.ByEye {
		l.Add(field+".band_probability", "is missing; a gait on film gives the chance of each band")
		return nil
	}
	okBand := fault.OneOf(l, field+".band", g.Band, term.Bands)
	okSure := fault.OneOf(l, field+".certainty", g.Certainty, term.Certainties)
	if !okBand || !okSure {
		return nil
	}
	p := SpreadByEye(g.Band, g.Certainty).list()
	return &p
}

// plain gives the certainty its one name.
func (g Gait) plain() Gait {
	if g.Certainty == "" {
		g.Certainty, g.Sure = g.Sure, ""
	}
	return g
}

func eyeCertainty(g Gait, p [5]float64) float64 {
	g = g.plain()
	if g.BandProbability == nil {
		return certaintyOf[g.Certainty]
	}
	best := 0.0
	for _, v := range p {
		best = math.Max(best, v)
	}
	return best
}

func checkProbabilities(l *fault.List, field string, names []string, p []float64) {
	sum, ok := 0.0, true
	for i, v := range p {
		ok = l.Range(field+"."+names[i], v, 0, 1, "") && ok
		sum += v
	}
	if ok && math.Abs(sum-1) > 0.01+1e-9 {
		l.Add(field, "sums to %.4g; allowed is 1 ± 0.01", sum)
	}
}

type pattern struct {
	name     string
	strength float64
}

func (w Wear) patterns() []pattern {
	return []pattern{{"outer_heel", w.OuterHeel}, {"inner", w.Inner}, {"outer_edge", w.OuterEdge}, {"heel", w.Heel}, {"centre", w.Centre},
		{"even", w.Even}}
}

// strongest names the strongest pattern of a sole. Patterns that share the
// first place settle nothing.
func (w Wear) strongest() string {
	best, name := 0.0, ""
	for _, p := range w.patterns() {
		switch {
		case p.strength > best+1e-9:
			best, name = p.strength, p.name
		case p.strength > best-1e-9 && best > 0:
			name = "several"
		}
	}
	return name
}

func indexed(field string, i int) string {
	var b strings.Builder
	b.WriteString(field)
	b.WriteByte('[')
	b.WriteString(itoa(i))
	b.WriteByte(']')
	return b.String()
}

// ArchByEye gives the arch probabilities of an observation by eye, shared out
// as SpreadByEye shares a band's.
func ArchByEye(arch term.Arch, c term.Certainty) ArchProbability {
	own := certaintyOf[c]
	switch arch {
	case term.ArchHigh:
		return ArchProbability{High: own, Medium: 1 - own}
	case term.ArchLow:
		return ArchProbability{Low: own, Medium: 1 - own}
	}
	return ArchProbability{Medium: own, High: (1 - own) / 2, Low: (1 - own) / 2}
}
