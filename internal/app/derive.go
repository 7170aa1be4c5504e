package app

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"trevik/internal/core/foot"
	"trevik/internal/core/house"
	"trevik/internal/core/match"
	"trevik/internal/core/rotation"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
)

// House is the house values that the fit is decided under.
func (f *Fit) House() *house.Values { return &f.Settings.House }

// Text gives a text finding, empty when there is none.
func (f *Fit) Text(name string, side term.Side, repeat int) string {
	return f.Findings[Key{name, side, repeat}].Text
}

// Num gives a number finding in its canonical unit, nil when there is none.
func (f *Fit) Num(name string, side term.Side, repeat int) *float64 {
	return f.Findings[Key{name, side, repeat}].Number
}

// Reading brings a foot's repeated readings together, mm.
func (f *Fit) Reading(name string, side term.Side) foot.Reading {
	var values []float64
	for i := 1; i <= 3; i++ {
		if v := f.Num(name, side, i); v != nil {
			values = append(values, *v)
		}
	}
	return foot.Combine(values, f.House())
}

// Measure is what counts of a foot's measure, mm: the readings by hand, or the
// scan's value where there are none or the fitter let the scan count. N is 0 when
// there is neither.
func (f *Fit) Measure(name string, side term.Side) foot.Reading {
	hand := f.Reading(name, side)
	scan := f.Findings[Key{"scan_" + name, side, 0}]
	if scan.Number == nil || hand.N > 0 && f.Text("counts", side, 0) != "scan" {
		return hand
	}
	r := foot.Reading{Value: *scan.Number, N: 1}
	if scan.Error != nil {
		r.Error = *scan.Error
	}
	return r
}

// ScanDiffers is how far hand and scan lie apart in a measure, mm, where both are
// known and differ by more than they may; 0 otherwise.
func (f *Fit) ScanDiffers(name string, side term.Side) float64 {
	hand, scan := f.Reading(name, side), f.Num("scan_"+name, side, 0)
	if hand.N == 0 || scan == nil || math.Abs(hand.Value-*scan) <= foot.ScanDisagreesMM {
		return 0
	}
	return *scan - hand.Value
}

// Foot is one foot as it was measured; zero where it was not.
func (f *Fit) Foot(side term.Side) foot.Measured {
	of := func(name string) float64 { return f.Measure(name, side).Value }
	return foot.Measured{LengthMM: of("length_mm"), BallMM: of("ball_mm"), HeelToBallMM: of("heel_to_ball_mm"), HeelMM: of("heel_mm"), InstepMM: of("instep_mm")}
}

// Volume is a side's volume: as seen by eye, else by its instep.
func (f *Fit) Volume(side term.Side) term.Volume {
	if v := f.Text("volume", side, 0); v != "" {
		return term.Volume(v)
	}
	m := f.Foot(side)
	return foot.VolumeOf(m.InstepMM, m.LengthMM, f.House())
}

// NavicularDrop is how far a side's arch sinks from sitting to standing, mm.
func (f *Fit) NavicularDrop(side term.Side) (drop float64, word string, ok bool) {
	return foot.NavicularDrop(f.Reading("navicular_seated_mm", side).Value, f.Reading("navicular_mm", side).Value)
}

// Feet are both feet as they were measured.
func (f *Fit) Feet() foot.Feet { return foot.Feet{Left: f.Foot(term.Left), Right: f.Foot(term.Right)} }

// Measured says whether at least one foot has its length.
func (f *Fit) Measured() bool {
	return f.Foot(term.Left).LengthMM > 0 || f.Foot(term.Right).LengthMM > 0
}

// SizeOf sizes one foot on the runner's chart; nil without a length. The error
// is a fault.List.
func (f *Fit) SizeOf(side term.Side) (*foot.Size, error) {
	m := f.Foot(side)
	if m.LengthMM == 0 {
		return nil, nil
	}
	s, err := foot.SizeOf(f.Runner.Chart, m.LengthMM, positive(m.BallMM), positive(m.HeelToBallMM), f.House())
	if err != nil {
		return nil, err
	}
	return &s, nil
}

func positive(v float64) *float64 {
	if v <= 0 {
		return nil
	}
	return &v
}

// Flags are the cautions that were told.
func (f *Fit) Flags() []support.Flag {
	var out []support.Flag
	for _, w := range f.many("flags") {
		if w != None {
			out = append(out, support.Flag(w))
		}
	}
	return out
}

func (f *Fit) many(name string) []string {
	if t := f.Text(name, "", 0); t != "" {
		return strings.Split(t, ",")
	}
	return nil
}

// FlagsAsked says whether the cautions were asked.
func (f *Fit) FlagsAsked() bool { return len(f.many("flags")) > 0 }

// Complaints are what was told: nil when it was not asked. half counts rows
// that lack their place or their months and do not count yet.
func (f *Fit) Complaints() (list *[]support.Complaint, half int) {
	rows := []support.Complaint{}
	for i := 1; i <= ComplaintRows; i++ {
		place, months := f.Text("complaint_place", "", i), f.Num("complaint_months", "", i)
		switch {
		case place != "" && months != nil:
			side := term.Side(f.Text("complaint_side", "", i))
			if side == "both" {
				side = ""
			}
			rows = append(rows, support.Complaint{Place: term.Place(place), Side: side, MonthsAgo: months})
		case place != "" || months != nil:
			half++
		}
	}
	if f.Text("complaints", "", 0) == "" && len(rows) == 0 {
		return nil, half
	}
	if f.Text("complaints", "", 0) == "some" && len(rows) == 0 {
		return nil, half // something hurts, and what is not told yet
	}
	return &rows, half
}

// Surface is what the pair is asked for; road when it was not said.
func (f *Fit) Surface() term.Surface {
	if s := f.Text("surface", "", 0); s != "" {
		return term.Surface(s)
	}
	return term.Road
}

// Sole is how a side's old sole is worn; ok is false until a zone was tapped.
func (f *Fit) Sole(side term.Side) (sole support.Sole, ok bool) {
	for i := range support.Zones {
		if t := f.Text("sole", side, i+1); t != "" {
			ok = true
			sole[i], _ = strconv.Atoi(t) // one of the field's choices
		}
	}
	return sole, ok
}

// OldPair is what hands found on the pair that the runner came in.
func (f *Fit) OldPair() support.OldPair {
	of := func(name string) string { return f.Text(name, "", 0) }
	return support.OldPair{Press: of("press"), Bend: of("bend"), Insert: of("insert"), Walls: of("walls"), Base: of("base")}
}

// worn is the evidence of the old soles; nil when neither was looked at.
func (f *Fit) worn() *support.WornPair {
	w := support.WornPair{ShoeLevel: term.Level(f.Text("present_level", "", 0))}
	for _, s := range term.Sides {
		sole, ok := f.Sole(s)
		if !ok || sole.Gone() == 0 {
			continue
		}
		patterns := sole.Patterns()
		if s == term.Left {
			w.Left = &patterns
		} else {
			w.Right = &patterns
		}
	}
	if w.Left == nil && w.Right == nil {
		return nil
	}
	return &w
}

// Evidence gathers what the schools of support weigh.
func (f *Fit) Evidence() support.Evidence {
	e := support.Evidence{Schema: support.EvidenceSchema, Surface: f.Surface(), TrailRule: f.Settings.TrailRule, Lead: f.Settings.LeadSchool, Flags: f.Flags()}
	if e.Surface != term.Trail && e.Surface != term.Link {
		e.Surface = term.Road
	}
	if _, overruled := f.Decisions[ReferOverride]; overruled {
		e.Flags = slices.DeleteFunc(e.Flags, func(f support.Flag) bool { return slices.Contains(support.ReferFlags, f) })
	}
	var gait support.Both[support.Gait]
	var arch support.Both[support.Arch]
	for _, s := range term.Sides {
		if g := f.gaitOf(s); g != nil {
			setSide(&gait, s, *g)
		}
		if k := f.KneeIn(s); k != nil {
			if e.KneeInDeg == nil {
				e.KneeInDeg = &support.Both[float64]{}
			}
			setSide(e.KneeInDeg, s, *k)
		}
		if p := f.ArchOf(s); p != nil {
			setSide(&arch, s, support.Arch{ArchProbability: p})
		}
	}
	if gait.Left != nil || gait.Right != nil {
		e.Gait = &gait
	}
	if arch.Left != nil || arch.Right != nil {
		e.Arch = &arch
	}
	for _, s := range term.Sides {
		if drop, _, ok := f.NavicularDrop(s); ok {
			if e.NavicularDropMM == nil {
				e.NavicularDropMM = &support.Both[float64]{}
			}
			setSide(e.NavicularDropMM, s, drop)
		}
	}
	for _, s := range term.Sides {
		if grade, sure := f.Text("knee", s, 0), f.Text("knee_sure", s, 0); grade != "" && sure != "" {
			if e.KneeByEye == nil {
				e.KneeByEye = &support.Both[support.KneeSeen]{}
			}
			setSide(e.KneeByEye, s, support.KneeSeen{Grade: grade, Certainty: term.Certainty(sure)})
		}
	}
	e.Wear = f.worn()
	e.Complaints, _ = f.Complaints()
	if level := term.Level(f.Text("present_level", "", 0)); level != "" && f.Text("felt_right", "", 0) == "yes" {
		e.ComfortableLevel = &level
	}
	e.AnklesGiveOutward = f.Text("ankles_outward", "", 0) == "yes"
	if on, ok := f.RaceOn(); ok {
		if days := on.Sub(f.Today).Hours() / 24; days >= 0 {
			e.RaceInDays = &days
		}
	}
	return e
}

func setSide[T any](b *support.Both[T], s term.Side, v T) {
	if s == term.Left {
		b.Left = &v
	} else {
		b.Right = &v
	}
}

// RaceOn is the day of the race that was told.
func (f *Fit) RaceOn() (time.Time, bool) {
	d, err := time.Parse(time.DateOnly, f.Text("race_on", "", 0))
	return d, err == nil
}

// Support weighs the evidence; a fitter's overrule stands over the lead.
func (f *Fit) Support() (support.Answer, error) {
	a, err := support.Decide(f.Evidence())
	if d, ok := f.Decisions[LevelOverrule]; ok && err == nil {
		a.Overrule(term.Level(d.Value), fmt.Sprintf("%s chose %s over the schools: “%s”", d.Maker, support.Words(d.Value), d.Reason))
	}
	if err == nil && f.Text("likes_light_support", "", 0) == "yes" {
		a.Like()
	}
	return a, err
}

// Dislike is a model with what was said of it: that the runner disliked it in that
// version and why, or why it is let in.
type Dislike struct {
	Model *shoe.Model
	Why   string
}

// Dislikes lists the models of the catalogue that the runner disliked.
func (f *Fit) Dislikes(c *Catalogue) []Dislike { return f.ofModels(c, "disliked") }

// LetIn lists the models that were ruled out and that a fitter let in all the same.
func (f *Fit) LetIn(c *Catalogue) []Dislike { return f.ofModels(c, letInField.Name) }

func (f *Fit) ofModels(c *Catalogue, name string) []Dislike {
	var out []Dislike
	for k, found := range f.Findings {
		if k.Name != name {
			continue
		}
		if m := c.byID(uint64(k.Repeat)); m != nil {
			out = append(out, Dislike{m, found.Text})
		}
	}
	slices.SortFunc(out, func(x, y Dislike) int { return strings.Compare(x.Model.ID, y.Model.ID) })
	return out
}

// Week is the runner's week: its parts, and km altogether. Where its kinds of run were
// not told one by one it is sketched from what was.
func (f *Fit) Week() (parts []rotation.Part, km float64) {
	for i := 1; i <= WeekRows; i++ {
		kind, ground, v := f.Text("week_kind", "", i), f.Text("week_ground", "", i), f.Num("week_km", "", i)
		if kind == "" || v == nil || *v <= 0 {
			continue
		}
		if ground == "" {
			ground = string(f.usualGround())
		}
		parts = append(parts, rotation.Part{Kind: term.Kind(kind), Ground: term.Ground(ground), KM: *v})
		km += *v
	}
	if len(parts) == 0 {
		parts = f.sketch()
		for _, p := range parts {
			km += p.KM
		}
	}
	return parts, km
}

// sketch is a plain week from the usual and longest run, km and days that were told.
func (f *Fit) sketch() []rotation.Part {
	of := func(name string) float64 {
		if v := f.Num(name, "", 0); v != nil {
			return *v
		}
		return 0
	}
	told := rotation.Told{WeeklyKM: of("weekly_km"), UsualKM: of("usual_km"), LongestKM: of("longest_km"), Days: int(of("run_days")), Ground: f.usualGround()}
	for _, g := range f.many("goals") {
		told.Goals = append(told.Goals, rotation.Goal(g))
	}
	return told.Week()
}

// Sketched says whether the week is a sketch.
func (f *Fit) Sketched() bool {
	for i := 1; i <= WeekRows; i++ {
		if v := f.Num("week_km", "", i); f.Text("week_kind", "", i) != "" && v != nil && *v > 0 {
			return false
		}
	}
	return len(f.sketch()) > 0
}

func (f *Fit) usualGround() term.Ground {
	switch f.Surface() {
	case term.Trail:
		return term.GroundTrail
	case term.Track:
		return term.GroundTrack
	}
	return term.GroundRoad
}

// Conditions are the runner's ground and season.
func (f *Fit) Conditions() []term.Condition {
	var out []term.Condition
	for _, c := range f.many("conditions") {
		out = append(out, term.Condition(c))
	}
	return out
}

// Wearer is what of the runner changes a model's suitability.
func (f *Fit) Wearer() shoe.Wearer {
	w := shoe.Wearer{Strike: f.Strike()}
	if v := f.Num("mass_kg", "", 0); v != nil {
		w.MassKg = *v
	}
	if v := f.Num("race_km", "", 0); v != nil {
		w.RaceKm = *v
	}
	return w
}

// Request is what the shoes are matched to. ok is false while the feet or the
// week are missing.
func (f *Fit) Request(answer support.Answer, c *Catalogue) (r match.Request, ok bool) {
	week, km := f.Week()
	r = match.Request{Schema: match.RequestSchema, Chart: f.Runner.Chart, Sock: term.Sock(f.Text("sock", "", 0)), Surface: f.Surface(), Level: answer.Level, Spread: answer.Spread,
		Lead: f.Settings.LeadSchool, Strike: f.Strike(), Experience: f.Text("experience", "", 0), MassKg: f.Num("mass_kg", "", 0),
		RaceKM: f.Num("race_km", "", 0), Settings: match.Settings{Room: f.Settings.Room, Drop: f.Settings.DropRule}, House: f.House(), Models: c.Models}
	for _, s := range term.Sides {
		m := f.Foot(s)
		if m.LengthMM == 0 {
			continue
		}
		setSide(&r.Feet, s, match.Foot{LengthMM: m.LengthMM, BallMM: positive(m.BallMM), HeelToBallMM: positive(m.HeelToBallMM),
			Shape: term.Shape(f.Text("toe_shape", s, 0)), Volume: f.Volume(s)})
	}
	for _, p := range week {
		r.Kinds = append(r.Kinds, match.KindShare{Kind: p.Kind, Ground: p.Ground, Share: p.KM / km})
	}
	r.Conditions = f.Conditions()
	r.Complaints, _ = f.Complaints()
	if d, s, l := f.Num("present_drop_mm", "", 0), f.Num("present_stack_mm", "", 0), f.Text("present_level", "", 0); d != nil || s != nil || l != "" {
		r.Present = &match.Present{DropMM: d, StackMM: s, Level: term.Level(l)}
	}
	r.Likes = match.LikesOf(rated(f.Text("likes_softness", "", 0)), rated(f.Text("likes_bounce", "", 0)), f.Text("cushion_view", "", 0))
	if wish := f.Text("room_wish", "", 0); wish != "" {
		r.Settings.Room = wish
	}
	for i, name := range match.MarkNames {
		if w := f.Num("mark_weight", "", i+1); w != nil {
			if r.Weights == nil {
				r.Weights = map[string]float64{}
			}
			r.Weights[name] = *w
		}
	}
	for _, l := range f.LetIn(c) {
		r.Overruled = append(r.Overruled, l.Model.ID)
	}
	for _, d := range f.Dislikes(c) {
		r.Disliked = append(r.Disliked, d.Model.ID)
	}
	if b := f.Num("budget", "", 0); b != nil {
		r.Budget = &match.Budget{Amount: int64(*b), Currency: f.Currency, Firm: f.Text("budget_firm", "", 0) == "not_above"}
	}
	return r, f.Measured() && len(week) > 0 && len(c.Models) > 0
}

func rated(s string) *float64 {
	v, err := strconv.ParseFloat(s, 64)
	if err != nil {
		return nil
	}
	return &v
}

// Tried is one model that was tried on.
type Tried struct {
	Model   *shoe.Model
	Comfort *float64 // 0 to 10
	Word    string
	Left    string // why it was left
}

// Tried lists what was tried on, the most comfortable first.
func (f *Fit) Tried(c *Catalogue) []Tried {
	by := map[int]*Tried{}
	var rows []int
	for k, found := range f.Findings {
		if k.Name != "try_comfort" && k.Name != "try_word" && k.Name != "try_left" {
			continue
		}
		m := c.byID(uint64(k.Repeat))
		if m == nil {
			continue
		}
		if by[k.Repeat] == nil {
			by[k.Repeat] = &Tried{Model: m}
			rows = append(rows, k.Repeat)
		}
		switch k.Name {
		case "try_comfort":
			by[k.Repeat].Comfort = found.Number
		case "try_word":
			by[k.Repeat].Word = found.Text
		default:
			by[k.Repeat].Left = found.Text
		}
	}
	comfort := func(row int) float64 {
		if v := by[row].Comfort; v != nil {
			return *v
		}
		return -1
	}
	slices.SortFunc(rows, func(x, y int) int {
		if d := comfort(y) - comfort(x); d != 0 {
			return int(math.Copysign(1, d))
		}
		return x - y
	})
	out := make([]Tried, len(rows))
	for i, row := range rows {
		out[i] = *by[row]
	}
	return out
}
