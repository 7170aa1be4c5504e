package record

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/rotation"
	"trevik/internal/core/season"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// House values of a season on the page.
const (
	plainWeeks   = 12   // without a race
	seasonCopies = 4    // how often a pair may be had again
	earlierAt    = 0.05 // of the what-if that orders earlier
	freshMost    = 200  // km that a race pair that is kept fresh has at most
	raceStart    = "09:00"
	pastWeeks    = 4 // that are shown before this one
)

// Shape is how the weeks of a season are laid out where nobody moved them.
type Shape string

// Shapes of a season's weeks.
const (
	Grow   Shape = "grow"   // towards the race
	Steady Shape = "steady" // each like the present one
)

// Shapes in the order in which they are offered.
var Shapes = []Shape{Grow, Steady}

// SeasonFacts is what was chosen, moved, decided and told of a runner's season.
type SeasonFacts struct {
	Shape    Shape
	Kept     SeasonWhat  // what-ifs that hold
	Weeks    []MovedWeek // the next first
	Orders   []Decided   // that are neither sold nor dropped, the next first
	Outlooks []Outlook
}

// Ways in which a week came to be other than it was laid out.
const (
	ByHand  = "hand"
	ByTheir = "file" // the runner's own plan
)

// MovedWeek is a week, by its Monday, that was moved or is of the runner's own plan.
type MovedWeek struct {
	On    time.Time
	How   string
	Parts []rotation.WeekPart
}

// Decided is a pair that is to be ordered for a season.
type Decided struct {
	ID       uint64
	ModelRow uint64
	Size     foot.Figure
	Width    string
	Price    int64
	On       time.Time
}

// SeasonWhat is what a season is looked at with instead.
type SeasonWhat struct {
	Earlier bool  // the next pair is ordered earlier
	Fewer   bool  // without the pair that is run least
	Fresh   bool  // the race pair is kept fresh: a second of it, and neither with many km on the day
	Second  bool  // a second of the pair that is run most
	Cheaper bool  // the pair that most is spent on gives way to a cheaper one that serves its runs too
	More    int64 // minor units more to spend, where money was told
}

// and is one what-if with another.
func (w SeasonWhat) and(o SeasonWhat) SeasonWhat {
	return SeasonWhat{w.Earlier || o.Earlier, w.Fewer || o.Fewer, w.Fresh || o.Fresh, w.Second || o.Second, w.Cheaper || o.Cheaper,
		w.More + o.More}
}

// With is the what-ifs with those of another set on, or off.
func (w SeasonWhat) With(o SeasonWhat, on bool) SeasonWhat {
	set := func(to *bool, asked bool) {
		if asked {
			*to = on
		}
	}
	set(&w.Earlier, o.Earlier)
	set(&w.Fewer, o.Fewer)
	set(&w.Fresh, o.Fresh)
	set(&w.Second, o.Second)
	set(&w.Cheaper, o.Cheaper)
	switch {
	case o.More > 0 && on:
		w.More += o.More
	case o.More > 0:
		w.More = 0
	}
	return w
}

// SeasonPair is a pair of a season by its id in the answer.
type SeasonPair struct {
	season.PairAnswer
	Name    string
	Model   *shoe.Model
	Next    *shoe.Model // what is ordered after it
	Owned   bool
	Price   int64
	Deliver int // days
	pair    *Pair
}

// SeasonRace is a race of a season.
type SeasonRace struct {
	Race
	season.RaceAnswer
	Week  int      // from 1
	In    string   // the pair that mostly runs it, empty is none
	Rawly string   // the pair that the week's plan has for it, where no run of these weeks breaks that one in
	Told  *Outlook // what was told of it, where that changed
}

// SeasonOrder is a copy that is likely to be ordered, by its middle week.
type SeasonOrder struct {
	ID      string // the pair's in the answer and the copy's number
	Name    string
	Model   *shoe.Model
	Label   string // its size on the box; empty where it is not known yet
	Size    foot.Figure
	Width   string
	On      time.Time
	Early   time.Time
	Late    time.Time
	Chance  float64
	Price   int64
	Decided bool // it stands on the list of orders
	Now     bool // it is to be ordered today
}

// SeasonDecided is an order on the list.
type SeasonDecided struct {
	Decided
	Model *shoe.Model
	Name  string
	Label string
}

// PastWeek is a week that was: what was run, and what was planned for it.
type PastWeek struct {
	On           time.Time
	Ran, Planned float64
}

// Season is the way from this week to the race: which pair when, what is to be ordered, and how likely it works out.
type Season struct {
	Starts   time.Time // this week's Monday
	Weeks    [][]rotation.WeekPart
	How      []string            // of each week: empty as it was laid out, else ByHand or ByTheir
	Ran      float64             // km of the first week that were run by now
	Over     []rotation.WeekPart // of the first week, what was planned for days that are over
	Past     []PastWeek
	Answer   season.Answer
	Pairs    []SeasonPair // those that are run, the most km first
	Races    []SeasonRace
	Orders   []SeasonOrder // the likely ones, the next first
	Decided  []SeasonDecided
	Going    []GoingOver // plans of changing over that it obeys
	BreakIns []BreakIn   // runs that break in pairs for races
	Assumed  []string    // what was not told
	Instead  string      // the cheaper model that stands in for another one, where that is looked at
	Fault    string      // why there is none
	plan     *seasonPlan
}

// Season looks at the weeks from this one to the last race within MostWeeks, or twelve without one: with the what-ifs that are
// kept, and what is asked beside them.
func (c *Conclusions) Season(ctx context.Context, what SeasonWhat) (*Season, error) {
	if what != (SeasonWhat{}) {
		return c.season(ctx, what)
	}
	return c.seasonAsIs.get(func() (*Season, error) { return c.season(ctx, what) })
}

func (c *Conclusions) season(ctx context.Context, what SeasonWhat) (*Season, error) {
	what = c.Runner.Season.Kept.and(what)
	s := &Season{Starts: MondayOf(c.Today), Decided: c.OnList()}
	weeks := c.presentWeeks(s)
	if len(weeks) == 0 {
		s.Fault = "no week is told: tell what is run in a usual week at Hello"
		return s, nil
	}
	if err := c.seasonWeeks(s, weeks); err != nil {
		return nil, err
	}
	p, err := c.seasonPlan(ctx, s, what)
	s.plan = p
	if err != nil || s.Fault != "" {
		return s, err
	}
	if err := p.breakIn(ctx, s); err != nil {
		return nil, err
	}
	s.BreakIns = p.breaks
	if what.Fewer || what.Second || what.Fresh || what.Cheaper {
		p.named()
		base, err := season.Look(ctx, p.Plan, nil)
		if err != nil {
			return nil, err
		}
		if err := p.look(c, s, base, what); err != nil {
			return nil, err
		}
	}
	p.named()
	s.Answer, err = season.Look(ctx, p.Plan, nil)
	if l, ok := fault.As(err); ok {
		s.Fault = s.says(l[0])
		return s, nil
	}
	if err != nil {
		return nil, err
	}
	return s, c.tell(s, p)
}

// says is a fault of the plan by its week.
func (s *Season) says(f fault.Fault) string {
	var week int
	if n, _ := fmt.Sscanf(f.Field, "weeks[%d]", &week); n == 1 {
		return fmt.Sprintf("the week of %s cannot be run: %s", s.week(week+1).Format("2 January"), f.Text)
	}
	return f.Field + " " + f.Text
}

// MondayOf is the Monday of a day's week.
func MondayOf(day time.Time) time.Time { return day.AddDate(0, 0, -weekday(day)) }

// weekday is a day's place in its week, from 0, Monday.
func weekday(day time.Time) int { return (int(day.Weekday()) + 6) % 7 }

// presentWeeks are the weeks that lie on the board, one or two in turn from that of the fit, else one that is laid out from what
// Hello was told.
func (c *Conclusions) presentWeeks(s *Season) [][]rotation.WeekPart {
	if board := c.Board(); len(board) > 0 {
		return board
	}
	told, km, sketched := c.WeekTold()
	if km <= 0 {
		return nil
	}
	if sketched {
		s.Assumed = append(s.Assumed, "the kinds of run, from the usual week and the longest run")
	}
	s.Assumed = append(s.Assumed, "the days of the week")
	return [][]rotation.WeekPart{rotation.Lay(told, int(RunDays.Of(c.Visit)))}
}

// seasonWeeks lays the weeks out to the last race, from the week of the fit on so that they do not begin anew each Monday; puts
// in their place what was moved or is of the runner's own plan, and each race into its week. Of this week stands what is to come.
func (c *Conclusions) seasonWeeks(s *Season, present [][]rotation.WeekPart) error {
	n, km := plainWeeks, 0.0
	for _, r := range c.Races() {
		if at := weekFrom(s.Starts, r.On); at < season.MostWeeks {
			s.Races = append(s.Races, SeasonRace{Race: r, Week: at + 1})
			n, km = at+1, r.KM
		}
	}
	switch {
	case len(s.Races) == 0:
		s.Assumed = append(s.Assumed, fmt.Sprintf("no race, so %d weeks like this one", plainWeeks))
	case c.Runner.Season.Shape == Steady:
		s.Assumed = append(s.Assumed, "each week like this one, as was chosen")
		km = 0
	default:
		s.Assumed = append(s.Assumed, "how the weeks grow and ease off; Trevik is no coach")
	}
	past := min(max(weekFrom(MondayOf(dayOf(c.StartedAt)), s.Starts), 0), season.MostWeeks-n)
	laid := make([][][]rotation.WeekPart, len(present))
	for i, week := range present {
		laid[i] = season.Template(week, km, past+n)
	}
	all := make([][]rotation.WeekPart, past+n)
	how := make([]string, past+n)
	for i := range all {
		on := s.Starts.AddDate(0, 0, 7*(i-past))
		all[i] = laid[c.WeekOn(on)%len(laid)][i]
		if at := slices.IndexFunc(c.Runner.Season.Weeks, func(w MovedWeek) bool { return w.On.Equal(on) }); at >= 0 {
			all[i], how[i] = c.Runner.Season.Weeks[at].Parts, c.Runner.Season.Weeks[at].How
		}
	}
	s.Weeks, s.How = all[past:], how[past:]
	for _, r := range s.Races {
		at := r.Week - 1
		day := rotation.Days[weekday(r.On)]
		kept := slices.DeleteFunc(slices.Clone(s.Weeks[at]), func(p rotation.WeekPart) bool { return p.Day == day || p.Kind == term.Race })
		s.Weeks[at] = append(kept, rotation.WeekPart{ID: fmt.Sprintf("race %d", r.ID), Day: day, Start: raceStart, KM: r.KM, Kind: term.Race,
			Ground: c.usualGround()})
	}
	c.ran(s, all[:past])
	var err error
	if s.Going, err = c.GoingOver(); err != nil {
		return err
	}
	for i := range s.Weeks {
		s.Weeks[i] = c.barred(s.Weeks[i:i+1], s.Going, s.Starts.AddDate(0, 0, 7*i))[0]
	}
	return nil
}

// ran puts what was run in the place of what was planned: of the weeks before this one, and of the days of this one.
func (c *Conclusions) ran(s *Season, before [][]rotation.WeekPart) {
	km, today := map[int]float64{}, false
	for _, r := range c.Runner.AllRuns() {
		if at := weekFrom(s.Starts, r.On); at >= -pastWeeks && at <= 0 && !r.On.After(c.Today) {
			km[at] += r.KM
		}
		today = today || r.On.Equal(c.Today)
	}
	s.Ran = units.Round(km[0], 1)
	for k := min(pastWeeks, len(before)); k >= 1; k-- {
		s.Past = append(s.Past, PastWeek{On: s.Starts.AddDate(0, 0, -7*k), Ran: units.Round(km[-k], 1), Planned: kmOf(before[len(before)-k])})
	}
	s.Weeks[0] = slices.DeleteFunc(slices.Clone(s.Weeks[0]), func(p rotation.WeekPart) bool {
		day := slices.Index(rotation.Days, p.Day)
		over := day < weekday(c.Today) || day == weekday(c.Today) && today && p.Kind != term.Race
		if over && p.Kind != term.Race {
			s.Over = append(s.Over, p)
		}
		return over
	})
}

// kmOf is what a week comes to.
func kmOf(parts []rotation.WeekPart) float64 {
	sum := 0.0
	for _, p := range parts {
		sum += p.KM
	}
	return units.Round(sum, 1)
}

// weekFrom is the week of a day from a Monday, from 0; under 0 lies before it.
func weekFrom(starts, day time.Time) int { return int(math.Floor(day.Sub(starts).Hours() / (24 * 7))) }

// SeasonLane is a pair with the runs of a week that it takes; one without a name takes what no pair can.
type SeasonLane struct {
	Name  string
	Model *shoe.Model
	Buy   bool
	Parts []rotation.WeekPart
}

// Lanes are a week of the season, from 0, in the pairs that are there now and those that are bought at once.
func (s *Season) Lanes(ctx context.Context, week int) ([]SeasonLane, error) {
	parts := s.Weeks[week]
	if len(parts) == 0 || s.plan == nil {
		return nil, nil
	}
	w := rotation.Week{Parts: parts, MaxPairs: s.plan.MaxPairs}
	for _, x := range s.plan.Pairs {
		w.Pairs = append(w.Pairs, rotation.Candidate{ID: x.ID, Model: x.Model, Owned: true, MaxRunKM: x.MaxRunKM, Suitability: x.Suitability})
	}
	at, _, err := rotation.Assign(ctx, w)
	if err != nil {
		return nil, err
	}
	var out []SeasonLane
	for i, x := range s.plan.Pairs {
		lane := SeasonLane{Name: s.plan.of[x.ID].Name, Model: s.plan.of[x.ID].Model, Buy: !x.Owned}
		for k, part := range parts {
			if at[k] == i {
				lane.Parts = append(lane.Parts, part)
			}
		}
		if len(lane.Parts) > 0 {
			out = append(out, lane)
		}
	}
	none := SeasonLane{}
	for k, part := range parts {
		if at[k] < 0 {
			none.Parts = append(none.Parts, part)
		}
	}
	if len(none.Parts) > 0 {
		out = append(out, none)
	}
	return out, nil
}

// Plan is the season as the command takes it.
func (s *Season) Plan() *season.Plan {
	if s.plan == nil {
		return nil
	}
	return &s.plan.Plan
}

// MovedParts are a week, by its Monday, of so many km: its runs in their proportion, the races and the days that are past as they
// are. It fails with a fault.List at week_km.
func (c *Conclusions) MovedParts(on time.Time, km float64) ([]rotation.WeekPart, error) {
	s := &Season{Starts: MondayOf(c.Today)}
	present := c.presentWeeks(s)
	if len(present) == 0 {
		return nil, fault.List{{Field: "week_km", Text: "is of no week: tell what is run in a usual week at Hello"}}
	}
	if err := c.seasonWeeks(s, present); err != nil {
		return nil, err
	}
	at := weekFrom(s.Starts, on)
	week := slices.DeleteFunc(slices.Clone(present[c.WeekOn(on)%len(present)]), func(p rotation.WeekPart) bool {
		return at == 0 && slices.Index(rotation.Days, p.Day) < weekday(c.Today)
	})
	if at < len(s.Weeks) && slices.ContainsFunc(s.Weeks[at], func(p rotation.WeekPart) bool { return p.Kind != term.Race }) {
		week = s.Weeks[at]
	}
	sum, races := 0.0, 0.0
	for _, p := range week {
		if p.Kind == term.Race {
			races += p.KM
		} else {
			sum += p.KM
		}
	}
	if sum <= 0 {
		return nil, fault.List{{Field: "week_km", Text: "is of a week without a run; open the week and put one in"}}
	}
	var out []rotation.WeekPart
	for _, p := range week {
		if p.Kind == term.Race {
			continue // it stands in the list of races
		}
		was := p.KM
		if p.KM = units.Round(p.KM*max(km-races, 0)/sum, 2); p.KM < leastRun {
			continue
		}
		if p.Minutes != nil {
			m := *p.Minutes * p.KM / was
			p.Minutes = &m
		}
		p.Barred = nil
		out = append(out, p)
	}
	if at == 0 {
		out = append(out, s.Over...)
	}
	return out, CheckWeek(out)
}

// leastRun is what a planned run comes to at least, km.
const leastRun = 0.1

// CheckWeek holds the runs of a week to what a week may be. It fails with a fault.List at plan_…, by the run's row where its id
// tells that, else by its place from 1.
func CheckWeek(parts []rotation.WeekPart) error {
	if len(parts) == 0 {
		return nil // a week of rest
	}
	named := slices.Clone(parts)
	for i := range named { // rows of two sources may be called alike
		named[i].ID = fmt.Sprintf("run %d", i+1)
	}
	w := rotation.Week{Parts: named, Pairs: []rotation.Candidate{{ID: "any", Model: "any", Owned: true}}}
	faults, _ := fault.As(w.Check())
	var l fault.List
	for _, f := range faults {
		i, field := 0, ""
		if n, _ := fmt.Sscanf(f.Field, "parts[%d].%s", &i, &field); n < 1 {
			continue // of the pair that stands in
		}
		if field == "" {
			field = "start"
		}
		row := i + 1
		_, _ = fmt.Sscanf(parts[i].ID, "row %d", &row) // another id tells none
		l.Add(fmt.Sprintf("plan_%s.%d", field, row), "%s", strings.ReplaceAll(f.Text, `"`, ""))
	}
	return l.Err()
}
