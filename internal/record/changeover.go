package record

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"trevik/internal/core/care"
	"trevik/internal/core/limits"
	"trevik/internal/core/match"
	"trevik/internal/core/rotation"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
)

// Way is what it would take to go over to a model from what the runner runs in now.
type Way struct {
	From     string
	FromPair uint64 // 0 is none of theirs
	Ask      care.Change
	Plan     care.Transition
}

// CareShoe is what of a model matters for changing over.
func CareShoe(m *shoe.Model) *care.Shoe {
	return &care.Shoe{DropMM: m.Drop(), StackMM: m.StackHeelMM, Bareness: m.Bareness()}
}

// WayTo is the plan of going over to a model, from today; nil where it is not known what the runner runs
// in, or how far.
func (c *Conclusions) WayTo(m *shoe.Model) (*Way, error) {
	w := &Way{}
	var from *care.Shoe
	if p := c.runsIn(); p != nil {
		if p.Model.ID == m.ID {
			return nil, nil
		}
		from, w.From, w.FromPair = CareShoe(&p.Model), p.Name(), p.ID
	} else if drop, stack := PresentDrop.Ptr(c.Visit), PresentStack.Ptr(c.Visit); drop != nil && stack != nil {
		told := shoe.Model{StackHeelMM: *stack, StackForefootMM: *stack - *drop, WeightG: m.WeightG, LastShape: m.LastShape, Upper: m.Upper,
			Flexibility: m.Flexibility, Level: cmp.Or(PresentLevel.Of(c.Visit), m.Level)} // what was not told is as in the new one
		from, w.From = CareShoe(&told), "the present pair"
	}
	km := c.WeeklyTold()
	if km == 0 {
		km = c.weeklyRun()
	}
	if from == nil || !limits.ChangeKM.Holds(km) {
		return nil, nil
	}
	w.Ask = care.Change{Schema: care.ChangeSchema, From: from, To: CareShoe(m), WeeklyKM: km, Start: c.Today.Format(time.DateOnly)}
	if list, _ := c.Complaints(); list != nil {
		for _, x := range *list {
			w.Ask.Complaints = append(w.Ask.Complaints, care.Complaint{Place: x.Place, MonthsAgo: *x.MonthsAgo})
		}
	}
	var err error
	w.Plan, err = care.Plan(w.Ask)
	return w, err
}

// Text is the way in a sentence; empty where none is needed.
func (w *Way) Text() string {
	switch {
	case w == nil:
		return ""
	case w.Plan.Refused != nil:
		return "Not from " + w.From + ": " + *w.Plan.Refused
	case !w.Plan.Needed || len(w.Plan.Weeks) == 0:
		return ""
	}
	first, last := w.Plan.Weeks[0], w.Plan.Weeks[len(w.Plan.Weeks)-1]
	text := fmt.Sprintf("Going over from %s takes %d weeks: %.1f km of the week in it from %s, %.1f km from %s.", w.From, len(w.Plan.Weeks),
		first.KMNew, shortDay(first.Starts), last.KMNew, shortDay(last.Starts))
	if w.Plan.WalkingFirst {
		text += " A fortnight of walking about in it comes first."
	}
	return text
}

func shortDay(day string) string {
	t, err := time.Parse(time.DateOnly, day)
	if err != nil {
		return day
	}
	return t.Format("2 January 2006")
}

// runsIn is the pair that the runner runs in now: the one that they came in, else that with the most km of
// the last weeks; nil where none is known.
func (c *Conclusions) runsIn() *Pair {
	if id := CameInPair.Ptr(c.Visit); id != nil {
		if p := c.Runner.Pair(uint64(*id)); p != nil {
			return p
		}
	}
	from := c.Today.AddDate(0, 0, -7*runWeeks)
	var best *Pair
	most := 0.0
	for i := range c.Runner.Pairs {
		p, sum := &c.Runner.Pairs[i], 0.0
		for _, r := range p.Runs {
			if r.On.After(from) {
				sum += r.KM
			}
		}
		if sum > most {
			best, most = p, sum
		}
	}
	return best
}

// weeklyRun is the runner's km a week as their runs of the last eight weeks have it.
func (c *Conclusions) weeklyRun() float64 {
	from, sum := c.Today.AddDate(0, 0, -7*runWeeks), 0.0
	for _, r := range c.Runner.AllRuns() {
		if r.On.After(from) {
			sum += r.KM / runWeeks
		}
	}
	return sum
}

// GoingOver is a plan of changing over that the rotation obeys now.
type GoingOver struct {
	Changing
	Pair *Pair // the new one
}

// GoingOver are the plans that go on: into a pair that is in use, while another pair is there to take the
// rest.
func (c *Conclusions) GoingOver() ([]GoingOver, error) {
	all, err := c.Runner.Changings(c.Today)
	if err != nil {
		return nil, err
	}
	var out []GoingOver
	for _, x := range all {
		if x.Ended || x.Plan.Refused != nil || len(x.Plan.Weeks) == 0 {
			continue
		}
		p := c.goesTo(x.ChangeFacts)
		if p == nil || !p.SetAsideOn.IsZero() || slices.ContainsFunc(out, func(o GoingOver) bool { return o.Pair.ID == p.ID }) {
			continue
		}
		other, err := c.anotherServes(p)
		if err != nil {
			return nil, err
		}
		if g := (GoingOver{x, p}); other && g.weeksLeft(c.Today) > 0 {
			out = append(out, g)
		}
	}
	return out, nil
}

// goesTo is the pair that a plan goes to: by its id, else by its name, for plans of before that was kept.
func (c *Conclusions) goesTo(f ChangeFacts) *Pair {
	if f.ToPair != 0 {
		return c.Runner.Pair(f.ToPair)
	}
	for i := range c.Runner.Pairs {
		if c.Runner.Pairs[i].Name() == f.To {
			return &c.Runner.Pairs[i]
		}
	}
	return nil
}

// anotherServes says whether another pair in use can take runs.
func (c *Conclusions) anotherServes(but *Pair) (bool, error) {
	for i := range c.Runner.Pairs {
		p := &c.Runner.Pairs[i]
		if p.ID == but.ID || !p.SetAsideOn.IsZero() {
			continue
		}
		v, err := c.Verdict(p)
		if err != nil || v.Serves() {
			return err == nil, err
		}
	}
	return false, nil
}

// Week is the plan's calendar week that a day lies in, from 1: 0 before the first, and one more than there
// are after the last.
func (g GoingOver) Week(day time.Time) int {
	n, last := 0, ""
	for i, w := range g.Plan.Weeks {
		if w.Starts <= day.Format(time.DateOnly) {
			n, last = i+1, w.Starts
		}
	}
	if n == len(g.Plan.Weeks) && n > 0 {
		if t, err := time.Parse(time.DateOnly, last); err == nil && !day.Before(t.AddDate(0, 0, 7)) {
			n++
		}
	}
	return n
}

// weeksLeft is how many calendar weeks from a day the plan still holds; a plan that was stopped holds for
// as long as it is not ended.
func (g GoingOver) weeksLeft(day time.Time) int {
	if g.Plan.Stopped {
		return stoppedWeeks
	}
	n := 0
	for g.Week(day.AddDate(0, 0, 7*n)) <= len(g.Plan.Weeks) {
		n++
	}
	return n
}

// stoppedWeeks is for how long ahead a plan that was stopped keeps the new pair out of the week.
const stoppedWeeks = 8

// Allowed is how far the new pair may be run in the week of a day, km, and the share of the week.
func (g GoingOver) Allowed(day time.Time) (km, share float64) {
	switch n := g.Week(day); {
	case g.Plan.Stopped || n == 0:
		return 0, 0
	case n > len(g.Plan.Weeks):
		return g.Asked.WeeklyKM, 1
	default:
		return g.Plan.Weeks[n-1].KMNew, g.Plan.Weeks[n-1].Share
	}
}

// Text says what the plan allows in the week of a day.
func (g GoingOver) Text(day time.Time) string {
	if g.Plan.Stopped {
		return fmt.Sprintf("Changing over to %s is stopped: no run in it until a clinician has seen the runner.", g.Pair.Name())
	}
	km, _ := g.Allowed(day)
	n := g.Week(day)
	if n == 0 {
		return fmt.Sprintf("Changing over to %s: walk about in it until %s.", g.Pair.Name(), shortDay(g.Plan.Weeks[0].Starts))
	}
	return fmt.Sprintf("Changing over to %s, week %d of %d: up to %.1f km in it this week, on easy runs first.", g.Pair.Name(), n,
		len(g.Plan.Weeks), km)
}

// house: from this share of the week on runs in the new pair may follow one another.
const followShare = 0.5

// bar says which parts of a week a pair may not have while its runner goes over to it: what the plan does
// not allow in the week of a day. Easy runs come first and the long one last, the shorter first.
func (g GoingOver) bar(parts []rotation.WeekPart, day time.Time) map[string]bool {
	type run struct {
		ids   []string
		km    float64
		begin float64
		rank  int
	}
	var runs []run
	at := map[string]int{}
	for _, p := range parts {
		id := cmp.Or(p.Run, p.ID)
		i, seen := at[id]
		if !seen {
			i = len(runs)
			at[id] = i
			begin, _ := p.Times()
			runs = append(runs, run{begin: begin})
		}
		r := &runs[i]
		r.ids, r.km = append(r.ids, p.ID), r.km+p.KM
		switch {
		case p.Kind == term.Long:
			r.rank = 2
		case !slices.Contains(slowedKinds, p.Kind):
			r.rank = max(r.rank, 1)
		}
	}
	order := make([]int, len(runs))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		return cmp.Or(cmp.Compare(runs[a].rank, runs[b].rank), cmp.Compare(runs[a].km, runs[b].km), cmp.Compare(runs[a].begin, runs[b].begin))
	})
	byTime := slices.Clone(order)
	slices.SortStableFunc(byTime, func(a, b int) int { return cmp.Compare(runs[a].begin, runs[b].begin) })
	allowed, share := g.Allowed(day)
	in := map[int]bool{}
	left := allowed
	for _, i := range order {
		k := slices.Index(byTime, i)
		n := len(byTime)
		follows := n > 1 && (in[byTime[(k+1)%n]] || in[byTime[(k+n-1)%n]])
		if runs[i].km <= left+1e-9 && !(share < followShare && follows) {
			in[i] = true
			left -= runs[i].km
		}
	}
	out := map[string]bool{}
	for i, r := range runs {
		for _, id := range r.ids {
			out[id] = !in[i]
		}
	}
	return out
}

// barred are the weeks of the board with what plans of changing over keep out of the new pairs, in the week
// of a day.
func (c *Conclusions) barred(weeks [][]rotation.WeekPart, going []GoingOver, day time.Time) [][]rotation.WeekPart {
	if len(going) == 0 {
		return weeks
	}
	out := make([][]rotation.WeekPart, len(weeks))
	for n, parts := range weeks {
		out[n] = slices.Clone(parts)
		for _, g := range going {
			bar := g.bar(parts, day)
			for i := range out[n] {
				if bar[out[n][i].ID] {
					out[n][i].Barred = append(slices.Clone(out[n][i].Barred), PairID(g.Pair.ID))
				}
			}
		}
	}
	return out
}

// NextStep is what the natural foot proposes next, in a sentence; empty where another school leads, or
// where the present pair is not known.
func (c *Conclusions) NextStep() string {
	if c.Settings.LeadSchool != term.NaturalFoot {
		return ""
	}
	drop, stack := PresentDrop.Ptr(c.Visit), PresentStack.Ptr(c.Visit)
	if drop == nil {
		return ""
	}
	next, heel := match.NaturalStep(*drop, stack)
	text := fmt.Sprintf("The next step of the natural foot: a drop of about %.0f mm", next)
	if heel != nil {
		text += fmt.Sprintf(" and some %.0f mm under the heel", *heel)
	}
	return text + ", with the weeks that it takes; and calves and feet made strong for it."
}
