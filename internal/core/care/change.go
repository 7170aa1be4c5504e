package care

import (
	"fmt"
	"math"
	"slices"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

const (
	ChangeSchema     = "trevik.change/v1"
	TransitionSchema = "trevik.transition/v1"
)

// House values of changing over.
const (
	dropStep  = 4.0  // mm that the drop may be lowered for a size of 1
	stackStep = 10.0 // mm that the stack may change
	bareStep  = 8.0  // steps that bareness may rise
	// LeastSize is from how large a change a plan is needed.
	LeastSize     = 0.75
	weeksPerSize  = 4.0
	leastWeeks    = 4
	mostWeeks     = 16
	firstShare    = 0.10
	bareFrom      = 25.0 // bareness from which a shoe is minimal
	bareGoal      = 0.30
	bareWeekly    = 40.0 // km a week over which that goal holds
	walkingDays   = 14
	tendonMonths  = 6.0
	againFrom     = 3.0 // soreness
	backFrom      = 5.0
	weeksBack     = 2
	restDays      = 3
	mostCalendar  = 104
	mostChangeKM  = 400.0
	defaultGoal   = 1.0
	dayLayout     = time.DateOnly
	daysOfWeek    = 7
	mostSoreness  = 10.0
	mostComplaint = 600.0
)

// Shoe is what of a shoe matters for changing over: mm, and bareness 0 to 35.
type Shoe struct {
	DropMM   float64 `json:"drop_mm"`
	StackMM  float64 `json:"stack_mm"`
	Bareness float64 `json:"bareness"`
}

// Report is how a calendar week of the plan went: soreness 0 to 10, where it was, and
// whether it hurt at night. Week counts calendar weeks of the plan from 1; one that is not
// reported went well.
type Report struct {
	Week     int         `json:"week"`
	Soreness float64     `json:"soreness"`
	Place    *term.Place `json:"place"`
	Night    bool        `json:"night"`
}

// Complaint is an earlier one that bears on lowering the drop.
type Complaint struct {
	Place     term.Place `json:"place"`
	MonthsAgo float64    `json:"months_ago"`
}

// Change is from which shoe to which a runner changes. Start is the first day; GoalShare is
// the share of the week's km that is to be in the new pair in the end, nil all of it.
type Change struct {
	Schema     string      `json:"schema"`
	From       *Shoe       `json:"from"`
	To         *Shoe       `json:"to"`
	WeeklyKM   float64     `json:"weekly_km"`
	GoalShare  *float64    `json:"goal_share"`
	Start      string      `json:"start"`
	Reports    []Report    `json:"reports"`
	Complaints []Complaint `json:"complaints"`
}

// Week is one calendar week of the plan: its first day, the plan's week that is run in it,
// and how its km are shared. Repeat says that this week of the plan was run before.
type Week struct {
	Step   int     `json:"step"`
	Starts string  `json:"starts"`
	Share  float64 `json:"share"`
	KMNew  float64 `json:"km_new"`
	KMOld  float64 `json:"km_old"`
	Repeat bool    `json:"repeat"`
}

// Transition is the plan, those weeks included that were reported already. Ends is its last
// day, nil where there is none; Refused tells why there is no plan.
type Transition struct {
	Schema       string          `json:"schema"`
	Needed       bool            `json:"needed"`
	Size         float64         `json:"size"`
	WalkingFirst bool            `json:"walking_first"`
	Goal         float64         `json:"goal_share"`
	Weeks        []Week          `json:"weeks"`
	Ends         *string         `json:"ends"`
	Stopped      bool            `json:"stopped"`
	Refused      *string         `json:"refused"`
	Rules        []string        `json:"rules"` // that hold through the plan
	Warnings     []fault.Warning `json:"warnings"`
}

// check validates the change and gives its first day.
func (c *Change) check() (time.Time, error) {
	var l fault.List
	if c.Schema != "" && c.Schema != ChangeSchema {
		l.Add("schema", "is %q; allowed is %q", c.Schema, ChangeSchema)
	}
	for _, s := range []struct {
		name string
		shoe *Shoe
	}{{"from", c.From}, {"to", c.To}} {
		if s.shoe == nil {
			l.Add(s.name, "is missing; give its drop_mm, stack_mm and bareness")
			continue
		}
		l.Range(s.name+".drop_mm", s.shoe.DropMM, -10, 25, "mm")
		l.Range(s.name+".stack_mm", s.shoe.StackMM, 0, 70, "mm")
		l.Range(s.name+".bareness", s.shoe.Bareness, 0, 35, "")
	}
	l.Range("weekly_km", c.WeeklyKM, 0, mostChangeKM, "km")
	if c.GoalShare != nil {
		l.Range("goal_share", *c.GoalShare, firstShare, 1, "")
	}
	start, err := time.Parse(dayLayout, c.Start)
	if err != nil || start.Year() < 1970 || start.Year() > 2200 {
		l.Add("start", "is %q; allowed is a day such as 2026-12-01", c.Start)
	}
	if len(c.Reports) > mostCalendar {
		l.Add("reports", "are %d; allowed are %d", len(c.Reports), mostCalendar)
	}
	seen := map[int]bool{}
	for i, r := range c.Reports {
		at := fmt.Sprintf("reports[%d]", i)
		switch {
		case r.Week < 1 || r.Week > mostCalendar:
			l.Add(at+".week", "is %d; allowed is a week of the calendar from the start, 1 to %d", r.Week, mostCalendar)
		case seen[r.Week]:
			l.Add(at+".week", "is %d, which an earlier report has", r.Week)
		}
		seen[r.Week] = true
		l.Range(at+".soreness", r.Soreness, 0, mostSoreness, "")
		if r.Place != nil {
			fault.OneOf(&l, at+".place", *r.Place, term.Places)
		}
	}
	for i, x := range c.Complaints {
		at := fmt.Sprintf("complaints[%d]", i)
		fault.OneOf(&l, at+".place", x.Place, term.Places)
		l.Range(at+".months_ago", x.MonthsAgo, 0, mostComplaint, "months")
	}
	return start, l.Err()
}

// tendon says whether a place is one that lowering the drop loads.
func tendon(p term.Place) bool { return p == "calf" || p == "achilles" }

// Size is how far a shoe lies from the one that a runner is used to; under 0.75 no plan is
// needed.
func Size(from, to Shoe) float64 {
	return math.Max((from.DropMM-to.DropMM)/dropStep, math.Max(math.Abs(to.StackMM-from.StackMM)/stackStep,
		math.Max(0, (to.Bareness-from.Bareness)/bareStep)))
}

// Plan makes the plan of a change and lets it listen to what was reported. It fails with a
// fault.List on a value that is not allowed.
func Plan(c Change) (Transition, error) {
	start, err := c.check()
	if err != nil {
		return Transition{}, err
	}
	size := math.Max(0, Size(*c.From, *c.To))
	t := Transition{Schema: TransitionSchema, Size: units.Round(size, 6), Goal: defaultGoal, Weeks: []Week{}, Rules: []string{},
		Warnings: []fault.Warning{}}
	if c.GoalShare != nil {
		t.Goal = *c.GoalShare
	}
	t.Needed = size >= LeastSize-1e-9
	if c.To.DropMM < c.From.DropMM {
		for _, x := range c.Complaints {
			if tendon(x.Place) && x.MonthsAgo <= tendonMonths {
				why := fmt.Sprintf("A complaint at the %s %g months ago: lowering the drop loads it. Wait until half a year without, or ask a "+
					"clinician.", x.Place, units.Round(x.MonthsAgo, 1))
				t.Refused = &why
				return t, nil
			}
		}
	}
	if !t.Needed {
		return t, nil
	}
	bare := c.To.Bareness >= bareFrom
	if bare && c.WeeklyKM > bareWeekly && t.Goal > bareGoal {
		t.Goal = bareGoal
		t.Warnings = append(t.Warnings, fault.Warning{Code: "goal_held",
			Text: fmt.Sprintf("Over %.0f km a week at most %.0f %% go into a shoe with so little under the foot.", bareWeekly, 100*bareGoal)})
	}
	n := min(mostWeeks, max(leastWeeks, int(math.Ceil(weeksPerSize*size-1e-9))))
	if bare {
		t.WalkingFirst = true
		start = start.AddDate(0, 0, walkingDays)
		t.Rules = append(t.Rules, "A fortnight of walking about in it comes first.", "One easy run a week stays in the supported pair.")
	}
	t.Rules = append(t.Rules, "Until half the km are in the new pair, a run in the old one follows each in the new.",
		"The long run goes over last.", "Weekly distance goes up by at most 10 %.",
		"Soreness under 3: go on. From 3 the same week again. From 5 three days' rest and two weeks back. Calf or Achilles at 3, or pain at "+
			"night: stop, and see a clinician.")
	t.run(c, n, start)
	return t, nil
}

// run lays the plan's weeks on the calendar, as the reports let them.
func (t *Transition) run(c Change, n int, start time.Time) {
	reports := map[int]Report{}
	lastReport := 0
	for _, r := range c.Reports {
		reports[r.Week] = r
		lastReport = max(lastReport, r.Week)
	}
	step, furthest := 1, 0
	for calendar := 1; step <= n && calendar <= mostCalendar; calendar++ {
		share := firstShare + (t.Goal-firstShare)*float64(step-1)/float64(n-1)
		w := Week{Step: step, Starts: start.Format(dayLayout), Share: units.Round(share, 6), KMNew: units.Round(share*c.WeeklyKM, 3),
			Repeat: step <= furthest}
		w.KMOld = units.Round(c.WeeklyKM-w.KMNew, 3)
		t.Weeks = append(t.Weeks, w)
		furthest = max(furthest, step)
		last := start.AddDate(0, 0, daysOfWeek-1)
		start = start.AddDate(0, 0, daysOfWeek)
		// A week that nobody reported went well.
		if r, reported := reports[calendar]; reported {
			switch {
			case r.Night || r.Place != nil && tendon(*r.Place) && r.Soreness >= againFrom:
				t.Stopped = true
				t.Warnings = append(t.Warnings, fault.Warning{Code: "clinician", Text: "Stop changing over and see a clinician: " + why(r) + "."})
				return
			case r.Soreness >= backFrom:
				step = max(1, step-weeksBack)
				start = start.AddDate(0, 0, restDays)
			case r.Soreness < againFrom:
				step++
			}
		} else {
			step++
		}
		if step > n {
			ends := last.Format(dayLayout)
			t.Ends = &ends
		}
	}
	if lastReport > len(t.Weeks) {
		t.Warnings = append(t.Warnings, fault.Warning{Code: "reports_after_the_end",
			Text: fmt.Sprintf("The plan ended after %d weeks; later reports move nothing.", len(t.Weeks))})
	}
	if slices.ContainsFunc(t.Weeks, func(w Week) bool { return w.Repeat }) {
		t.Warnings = append(t.Warnings, fault.Warning{Code: "slower", Text: "The plan takes longer, as soreness asked for."})
	}
}

func why(r Report) string {
	if r.Night {
		return "pain at night"
	}
	return fmt.Sprintf("soreness %g at the %s", r.Soreness, *r.Place)
}
