package record

import (
	"fmt"
	"math"
	"slices"
	"time"

	"trevik/internal/core/limits"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
)

// SurfaceAsked is what the pair is asked for; road when it was not said.
func (v *Visit) SurfaceAsked() term.Surface {
	if s := Surface.Of(v); s != "" {
		return s
	}
	return term.Road
}

// anklesGive is how the runner's ankles give, in the newer or the older words.
func (v *Visit) anklesGive() string {
	if way := AnklesGive.Of(v); way != "" || !AnklesOutward.Of(v) {
		return way
	}
	return support.AnklesOutward
}

// Sole is how a side's old sole is worn; ok is false until a zone was tapped.
func (v *Visit) Sole(side term.Side) (sole support.Sole, ok bool) {
	for i := range support.Zones {
		if gone := SoleZone.Ptr(v, side, i+1); gone != nil {
			sole[i], ok = *gone, true
		}
	}
	return sole, ok
}

// SoleLooked is when a side's sole was last looked at, as the finding that was made then.
func (v *Visit) SoleLooked(side term.Side) Finding {
	var last Finding
	for i := range support.Zones {
		if f := v.Finding(SoleZone.Key(side, i+1)); f.ID > last.ID {
			last = f
		}
	}
	return last
}

// OldPair is what hands found on the pair that the runner came in.
func (v *Visit) OldPair() support.OldPair {
	return support.OldPair{Press: Press.Of(v), Bend: Bend.Of(v), Insert: Insert.Of(v), Walls: Walls.Of(v), Base: Base.Of(v)}
}

// CameIn is the id of the runner's own pair that they came in; ok is false where it is
// another.
func (v *Visit) CameIn() (pairID uint64, ok bool) {
	id := CameInPair.Ptr(v)
	if id == nil {
		return 0, false
	}
	return uint64(*id), true
}

// LookOf is what the soles tell of a pair's wear; ok is false until a zone was tapped.
func (v *Visit) LookOf() (SoleLook, bool) {
	look, seen := SoleLook{On: dayOf(v.StartedAt)}, false
	for _, s := range term.Sides {
		if sole, ok := v.Sole(s); ok {
			look.Add(sole)
			seen = true
		}
	}
	return look, seen
}

// SoleLook is what was seen of a pair's soles at a visit, each 0 as new to 1 gone: the worse
// of both sides.
type SoleLook struct {
	On       time.Time // the day
	Tread    float64
	Evenness float64
}

// Add joins a side's sole to the look.
func (l *SoleLook) Add(s support.Sole) {
	tread, evenness := s.Wear()
	l.Tread, l.Evenness = math.Max(l.Tread, tread), math.Max(l.Evenness, evenness)
}

// worn is the evidence of the old soles; nil when neither was looked at.
func (v *Visit) worn() *support.WornPair {
	w := support.WornPair{ShoeLevel: PresentLevel.Of(v)}
	for _, s := range term.Sides {
		sole, ok := v.Sole(s)
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

func setSide[T any](b *support.Both[T], s term.Side, v T) {
	if s == term.Left {
		b.Left = &v
	} else {
		b.Right = &v
	}
}

// both holds a value for each foot that has one; nil where neither has.
func both[T any](of func(term.Side) *T) *support.Both[T] {
	b := support.Both[T]{Left: of(term.Left), Right: of(term.Right)}
	if b.Left == nil && b.Right == nil {
		return nil
	}
	return &b
}

// Evidence gathers what the schools of support weigh.
func (c *Conclusions) Evidence() support.Evidence {
	e, _ := c.evidence.get(func() (support.Evidence, error) { return c.gather(), nil })
	return e
}

func (c *Conclusions) gather() support.Evidence {
	v := c.Visit
	e := support.Evidence{Schema: support.EvidenceSchema, Surface: v.SurfaceAsked(), TrailRule: v.Settings.TrailRule,
		Lead:  v.Settings.LeadSchool,
		Flags: slices.Clone(v.Cautions()), Wear: v.worn(), AnklesGive: v.anklesGive()}
	if e.Surface != term.Trail && e.Surface != term.Link {
		e.Surface = term.Road
	}
	if v.overrule != nil {
		e.Flags = slices.DeleteFunc(e.Flags, func(f support.Flag) bool { return slices.Contains(support.ReferFlags, f) })
	}
	e.Gait = both(v.gaitOf)
	e.KneeInDeg = both(v.KneeIn)
	e.Arch = both(func(s term.Side) *support.Arch {
		if p := v.ArchOf(s); p != nil {
			return &support.Arch{ArchProbability: p}
		}
		return nil
	})
	e.NavicularDropMM = both(func(s term.Side) *float64 {
		if drop, _, ok := v.NavicularDrop(s); ok {
			return &drop
		}
		return nil
	})
	e.KneeByEye = both(func(s term.Side) *support.KneeSeen {
		if grade, sure := KneeSeen.Of(v, s), KneeSure.Of(v, s); grade != "" && sure != "" {
			return &support.KneeSeen{Grade: grade, Certainty: sure}
		}
		return nil
	})
	e.Complaints, _ = v.Complaints()
	if level := PresentLevel.Of(v); level != "" && FeltRight.Of(v) == "yes" {
		e.ComfortableLevel = &level
	}
	if on := RaceOn.Ptr(v); on != nil {
		if days := on.Sub(c.Today).Hours() / 24; limits.RaceInDays.Holds(days) {
			e.RaceInDays = &days
		}
	}
	return e
}

// Support weighs the evidence; a fitter's overrule stands over the lead.
func (c *Conclusions) Support() (support.Answer, error) {
	return c.support.get(func() (support.Answer, error) {
		a, err := support.Decide(c.Evidence())
		if err != nil {
			return a, err
		}
		if d := c.level; d != nil {
			a.Overrule(term.Level(d.Value), fmt.Sprintf("%s chose %s over the schools: “%s”", d.Maker, support.Words(d.Value), d.Reason))
		}
		if LikesSupport.Of(c.Visit) {
			a.Like()
		}
		return a, nil
	})
}
