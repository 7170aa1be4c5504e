package record

import (
	"fmt"
	"slices"
	"time"

	"trevik/internal/core/care"
	"trevik/internal/core/foot"
	"trevik/internal/core/match"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
)

// heelHeld is from how many of 10, as told at the try-on, a heel is held (house).
const heelHeld = 5

// RubKnown is what is known of the runner in a pair: room and width in mm, slips and socks.
func (c *Conclusions) RubKnown(p *Pair) care.Known {
	var k care.Known
	room := match.RoadWindow(c.Room(), c.House())
	k.LeastMM, k.MostMM = room.Low, room.High
	long, ball := 0.0, 0.0
	for _, s := range term.Sides {
		m := c.Foot(s)
		long, ball = max(long, m.LengthMM), max(ball, m.BallMM)
	}
	if long > 0 {
		left := p.Model.InnerLength(p.Size, c.House()) - long
		k.RoomMM = &left
	}
	if at := foot.LetterIndex(p.Model.Chart, p.Width); ball > 0 && at >= 0 {
		standard := float64(foot.LetterIndex(p.Model.Chart, foot.StandardLetter(p.Model.Chart)))
		off := (float64(at)-standard)*c.House().LetterMM - (ball - foot.StandardBall(p.Model.Chart, long, c.House()))
		k.BallMM = &off
	}
	k.ThickSock = Sock.Of(c.Visit) == "thick"
	k.TrailRunner = p.Model.Surface == term.Trail
	k.Diabetes = slices.Contains(c.Cautions(), support.Diabetes)
	k.Numb = slices.Contains(c.Cautions(), support.Numbness)
	// What the try-on found of this model.
	t := c.trialOf(p)
	held := TryHeel.Ptr(c.Visit, t)
	k.HeelSlips = held != nil && *held < heelHeld || c.stillLifts(t)
	k.Toes, k.Held, k.Laced = TryRoom.Of(c.Visit, t), TryLockdown.Of(c.Visit, t), TryLacing.Of(c.Visit, t)
	return k
}

// ChangeFacts are a plan of changing over as it was asked for, with its reports.
type ChangeFacts struct {
	ID       uint64
	From, To string
	FromPair uint64 // 0 is none of theirs
	ToPair   uint64
	Asked    care.Change
	MadeAt   time.Time
	Ended    bool
}

// Changing is a plan of changing over as it stands on a day.
type Changing struct {
	ChangeFacts
	Plan care.Transition
	Next int // the calendar week that is to be reported next, 0: none yet
	Now  int // the calendar week that the day lies in, 0: none
}

// On is the plan as it stands on a day. It fails where it cannot be computed.
func (f ChangeFacts) On(today time.Time) (Changing, error) {
	c := Changing{ChangeFacts: f}
	var err error
	if c.Plan, err = care.Plan(f.Asked); err != nil {
		return c, err
	}
	for i, w := range c.Plan.Weeks {
		if w.Starts > today.Format(time.DateOnly) {
			continue
		}
		c.Now = i + 1
		if c.Next == 0 && !slices.ContainsFunc(f.Asked.Reports, func(r care.Report) bool { return r.Week == i+1 }) {
			c.Next = i + 1
		}
	}
	if f.Ended || c.Plan.Stopped {
		c.Next = 0
	}
	return c, nil
}

// Changings are the runner's plans as they stand on a day, the latest first.
func (r *Runner) Changings(today time.Time) ([]Changing, error) {
	var out []Changing
	for _, f := range r.Changes {
		c, err := f.On(today)
		if err != nil {
			return nil, err
		}
		out = append(out, c)
	}
	return out, nil
}

// Summary is a plan of changing over in a sentence, as of a day; empty where it is over.
func (c Changing) Summary(today time.Time) string {
	n := len(c.Plan.Weeks)
	switch {
	case c.Ended || n == 0:
		return ""
	case c.Plan.Stopped:
		return fmt.Sprintf("Changing over to %s is stopped: see a clinician before the next run in it.", c.To)
	}
	first, last := c.Plan.Weeks[0], c.Plan.Weeks[n-1]
	if t, err := time.Parse(time.DateOnly, last.Starts); err == nil && !today.Before(t.AddDate(0, 0, 7)) {
		return ""
	}
	return fmt.Sprintf("Changing over to %s in %d weeks: %.1f km of the week in it from %s, %.1f km from %s, easy runs first, the long "+
		"run last.", c.To, n, first.KMNew, shortDay(first.Starts), last.KMNew, shortDay(last.Starts))
}
