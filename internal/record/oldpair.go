package record

import (
	"fmt"

	"trevik/internal/core/term"
	"trevik/internal/core/wear"
)

// What is to be done with the pair that the runner came in.
const (
	KeepOld  = "keep"
	SlowOld  = "slow_down"
	AsideOld = "set_aside"
)

// OldVerdict is what is to be done with the pair that the runner came in, and why.
type OldVerdict struct {
	Word string // one of the above
	Why  string
	KM   float64 // run, as far as it is known; Estimated where it is reckoned
	Wear wear.Answer
}

// OldVerdict judges the pair that the runner came in: one of theirs as everywhere else, another by its
// soles, its bounce, its age and its km. ok is false while nothing of that is known.
func (c *Conclusions) OldVerdict() (v OldVerdict, ok bool, err error) {
	if id, of := c.CameIn(); of {
		worn, err := c.Worn()
		if err != nil {
			return v, false, err
		}
		for _, w := range worn {
			if w.Pair.ID == id {
				return oldVerdict(w.Wear, w.Says()), true, nil
			}
		}
	}
	look, seen := c.LookOf()
	months, km, bounce, aches := PresentMonths.Ptr(c.Visit), PresentKM.Ptr(c.Visit), PresentBounce.Ptr(c.Visit), PresentAches.Of(c.Visit)
	if !seen && months == nil && km == nil && bounce == nil && aches == "" {
		return v, false, nil
	}
	day := dayOf(c.StartedAt)
	in := wear.Pair{Schema: wear.PairSchema, Class: term.Daily, Today: day.Format(wear.DateLayout), HeelStackMM: PresentStack.Ptr(c.Visit),
		Surface: c.SurfaceAsked(), KMBefore: wear.Before{Unknown: true}, PlanWeeklyKM: []float64{c.WeeklyTold()}, House: c.House(),
		Runner: wear.Runner{MassKg: MassKg.Ptr(c.Visit), Strike: c.Strike(), History: c.Runner.History(c.House())}}
	if class := PresentClass.Of(c.Visit); class != "" {
		in.Class = class
	}
	if months != nil {
		in.FirstWorn = day.AddDate(0, 0, -int(*months*daysAMonth)).Format(wear.DateLayout)
		if week := c.WeeklyTold(); week > 0 {
			in.Runner.UsualWeeklyKM = &week
		}
	}
	if km != nil {
		in.KMBefore = wear.Before{KM: *km, SDLn: toldDoubt}
	}
	at := wear.Inspection{Date: in.Today, Aches: aches}
	if seen {
		at.Tread, at.Evenness = &look.Tread, &look.Evenness
	}
	if bounce != nil {
		gone := float64(*bounce) / 4
		at.Bounce = &gone
	}
	in.Inspections = []wear.Inspection{at}
	a, err := wear.Assess(in)
	if err != nil {
		return v, false, err
	}
	return oldVerdict(a, Saying(a, Verdict{})), true, nil
}

// toldDoubt is the SD of ln of a distance that a runner tells of an old pair (house).
const toldDoubt = 0.3

func oldVerdict(a wear.Answer, says string) OldVerdict {
	v := OldVerdict{Word: KeepOld, KM: a.KM, Wear: a}
	switch {
	case a.RetireBecause != nil:
		v.Word, v.Why = AsideOld, *a.RetireBecause
	case a.UsedProbability >= slowFrom:
		v.Word, v.Why = SlowOld, fmt.Sprintf("the chance that it is worn out is %.0f %%: short, easy runs only, and the next pair now",
			100*a.UsedProbability)
	default:
		v.Why = fmt.Sprintf("some %.0f km are likely left. %s", a.RemainingKM.P50, says)
	}
	return v
}

// slowFrom is the chance that a pair is worn out from which it is for short, easy runs (wear.md's last
// runs).
const slowFrom = 0.75
