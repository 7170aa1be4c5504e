package record

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"trevik/internal/core/care"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/house"
	"trevik/internal/core/limits"
	"trevik/internal/core/rotation"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
	"trevik/internal/form"
)

// Runner is a person who is fitted, with what goes on between their visits.
type Runner struct {
	ID       uint64
	Name     string
	Contact  string
	Chart    term.Chart
	Practice *uint64 // the seed of an invented runner; nil is a real one
	Consents map[string]Consent
	Pairs    []Pair // those in use first
	Loose    []Run  // without a pair, the earliest first
	Races    []Race // the next first, those that were run included
	Rules    []Rule
	Changes  []ChangeFacts // plans of changing over, the latest first
	Rubs     []RubReport   // the latest first
	Bookings []Booking     // to come, the next first
	Season   SeasonFacts
}

// Pair is one of a runner's pairs with its model.
type Pair struct {
	ID         uint64
	RunnerID   uint64
	Runner     string
	FitID      uint64
	Model      shoe.Model
	Size       foot.Figure
	Width      string
	Price      int64
	BoughtOn   time.Time
	FirstWorn  time.Time
	SetAsideOn time.Time
	Reason     string // why it was set aside, one of AsideReasons
	AsideNote  string
	SlowedOn   time.Time // from then for short and slow runs
	LetIn      string    // why it is run in all the same, though its wear sets it aside
	Called     string    // what tells it from another of its model: a colour or a name
	nth        int       // of those in use of its model that nothing tells apart, 0 where it is alone
	Before     wear.Before
	Runs       []Run
	Looks      []SoleLook // at fits
	Inspected  []Inspected
	Lifting    float64 // hours
	Photos     []PairPhoto
	Reports    []Report  // the latest first
	ModelRow   uint64    // its model's id in the database
	OrderTold  time.Time // the day on which its next one was first said to be due; zero is not yet
	LastsUntil time.Time // until when it was said to last that day, with a chance of LastsChance
}

// Label is what is printed on the pair's box.
func (p *Pair) Label() string { return p.Model.Label(p.Size, p.Width) }

// Name is the pair's model with its version, and what tells it from another of its model.
func (p *Pair) Name() string {
	switch name := ModelName(&p.Model); {
	case p.Called != "":
		return name + ", " + p.Called
	case p.nth > 0:
		return fmt.Sprintf("%s, pair %d", name, p.nth)
	default:
		return name
	}
}

// TellApart numbers the pairs in use of one model that have no name of their own.
func (r *Runner) TellApart() {
	of := map[string][]int{}
	for i := range r.Pairs {
		if p := &r.Pairs[i]; p.SetAsideOn.IsZero() {
			of[p.Model.ID] = append(of[p.Model.ID], i)
		}
	}
	for _, list := range of {
		for n, i := range list {
			if r.Pairs[i].nth = 0; len(list) > 1 {
				r.Pairs[i].nth = n + 1
			}
		}
	}
}

// ModelName writes a model: maker, name and version.
func ModelName(m *shoe.Model) string { return fmt.Sprintf("%s %s %d", m.Maker, m.Name, m.Version) }

// Run is one run, or part of one, in a pair; PairID is 0 while it has none. StartedAt is
// zero where the hour is not known, the time as the watch told it.
type Run struct {
	ID        uint64
	PairID    uint64
	On        time.Time
	KM        float64
	Ground    term.Ground
	Kind      term.Kind
	Wet       bool
	TempC     *float64
	StartedAt time.Time
	Minutes   *float64
	AscentM   *float64
	FileID    uint64
	How       string
	Part      bool // of a run that was split
	Apart     bool // a person said that it is another run than the one it looks like
}

// Moment is when a run began, as far as it is known.
func (r Run) Moment() time.Time {
	if r.StartedAt.IsZero() {
		return r.On.Add(12 * time.Hour)
	}
	return r.StartedAt
}

// wearRuns are the pair's runs as the wear model takes them, with the hours since the last
// one ended where both hours are known.
func (p *Pair) wearRuns() []wear.Run {
	var out []wear.Run
	var ended time.Time
	for _, r := range p.Runs {
		x := wear.Run{Date: r.On.Format(wear.DateLayout), KM: r.KM, Ground: r.Ground, Kind: r.Kind, Wet: r.Wet, TempC: r.TempC}
		if !r.StartedAt.IsZero() {
			// Parts of one run follow each other at once: that is no second use.
			if h := r.StartedAt.Sub(ended).Hours(); !ended.IsZero() && h > 0.5 {
				x.HoursSinceLast = &h
			}
			ended = r.StartedAt.Add(time.Duration(6 * r.KM * float64(time.Minute)))
			if r.Minutes != nil {
				ended = r.StartedAt.Add(time.Duration(*r.Minutes * float64(time.Minute)))
			}
		} else {
			ended = time.Time{}
		}
		out = append(out, x)
	}
	return out
}

// EffectiveKM is what the pair's runs and lifting come to in wear-adjusted km.
func (p *Pair) EffectiveKM(h *house.Values) float64 {
	rest := rotation.DefaultRest
	sum := p.Lifting*house.Or(h).LiftingKMPH + p.Before.KM
	for _, r := range p.wearRuns() {
		sum += wear.Load(r, p.Model.Surface, &rest, h)
	}
	return sum
}

// Inspected is a pair that was looked at, left and right apart, 0 as new to 1 gone; nil is
// not looked at.
type Inspected struct {
	ID          uint64
	On          time.Time
	Left, Right map[string]*float64 // by part
	BesideFresh bool
	Faults      []string
	Causes      []string
	Note        string
	Maker       string
	ByRunner    bool // on their own page
	Answered    bool
}

// Worse is the worse of both sides.
func (x Inspected) Worse(part string) *float64 {
	l, r := x.Left[part], x.Right[part]
	switch {
	case l == nil:
		return r
	case r == nil:
		return l
	}
	v := math.Max(*l, *r)
	return &v
}

// wear is the look as the wear model takes it: the worse side, since a pair ends with its
// first shoe. What was seen before it was first worn is of that day.
func (x Inspected) wear(firstWorn string) wear.Inspection {
	on := x.On.Format(wear.DateLayout)
	if firstWorn != "" && on < firstWorn {
		on = firstWorn
	}
	return wear.Inspection{Date: on, Tread: x.Worse("tread"), Bounce: x.Worse("bounce"), Upper: x.Worse("upper"),
		Evenness: x.Worse("evenness"), BesideFresh: x.BesideFresh, Faults: x.Faults, Aches: x.aches()}
}

// nothingElse is the cause that leaves the shoe: nothing else explains an ache.
const nothingElse = "none_of_these"

// aches are what the wear model is told of aches on easy runs: they count where nothing else explains
// them; empty where nobody asked.
func (x Inspected) aches() string {
	switch {
	case len(x.Causes) == 0:
		return ""
	case len(x.Causes) == 1 && x.Causes[0] == nothingElse:
		return "unexplained"
	}
	return "explained"
}

// PairPhoto is a picture of a midsole that was pressed.
type PairPhoto struct {
	ID   uint64
	Side term.Side
	At   time.Time
}

// Report is how a pair did after some days, as its runner told.
type Report struct {
	ID        uint64
	ByRunner  bool // on their own page
	Answered  bool
	AfterDays int
	Comfort   int // 0 to 10
	Note      string
	Maker     string
	MadeAt    time.Time
}

// Race is a race that a runner plans, in a pair where one is told.
type Race struct {
	ID     uint64
	Name   string
	On     time.Time
	KM     float64
	PairID uint64
}

// Booking is when a runner comes in, by the shop's clock.
type Booking struct {
	ID     uint64
	On     time.Time // midnight UTC, like every day
	Minute int       // of the day
	Note   string
}

// Clock is its hour, such as 09:30.
func (b Booking) Clock() string { return fmt.Sprintf("%02d:%02d", b.Minute/60, b.Minute%60) }

// Coming is when a runner comes in from a day on.
func (r *Runner) Coming(today time.Time) []Booking {
	var out []Booking
	for _, b := range r.Bookings {
		if !b.On.Before(today) {
			out = append(out, b)
		}
	}
	return out
}

// Rule sends new runs of a kind on a ground into a pair, or into two in turn: the one that
// rested longer. An empty kind or ground is any.
type Rule struct {
	ID     uint64
	Kind   term.Kind
	Ground term.Ground
	PairID uint64
	Second uint64
}

// RubReport is a place that rubbed, what was tried, and whether it helped.
type RubReport struct {
	ID       uint64
	PairID   uint64
	Side     term.Side
	Place    term.Place
	When     care.When
	Cause    string
	Tried    string
	Helped   string // yes, no, or not told yet
	Referred bool
	MadeAt   time.Time
	Maker    string
	ByRunner bool // on their own page
	Answered bool
}

// WornOut is the reason for setting a pair aside that makes it the runner's own history.
const WornOut = "worn_out"

// AsideReasons are why a pair is set aside for running.
var AsideReasons = []string{WornOut, "broken", "hurts", "does_not_fit", "given_away"}

// Check trims what was typed of a runner and notes what is not allowed.
func (r *Runner) Check() error {
	var l fault.List
	r.Name, r.Contact = strings.TrimSpace(r.Name), strings.TrimSpace(r.Contact)
	form.Line(&l, "name", r.Name, 1, 120)
	form.Line(&l, "contact", r.Contact, 0, 200)
	fault.OneOf(&l, "chart", r.Chart, term.Charts)
	return l.Err()
}

// InUse are the pairs that are not set aside.
func (r *Runner) InUse() []Pair {
	var out []Pair
	for _, p := range r.Pairs {
		if p.SetAsideOn.IsZero() {
			out = append(out, p)
		}
	}
	return out
}

// Pair is one of the runner's pairs, nil where it is none of theirs.
func (r *Runner) Pair(id uint64) *Pair {
	for i := range r.Pairs {
		if r.Pairs[i].ID == id {
			return &r.Pairs[i]
		}
	}
	return nil
}

// Logs says whether the runner puts runs down.
func (r *Runner) Logs() bool {
	for i := range r.Pairs {
		if len(r.Pairs[i].Runs) > 0 {
			return true
		}
	}
	return false
}

// unknownDoubt is more doubt of a distance than a pair of the runner's history may have.
const unknownDoubt = 0.5

// History is what the runner's own worn-out pairs came to, each with what says whether it counts.
func (r *Runner) History(h *house.Values) []wear.Retired {
	var out []wear.Retired
	for i := range r.Pairs {
		p := &r.Pairs[i]
		if !p.counts(h) {
			continue
		}
		km := p.EffectiveKM(h)
		doubt := p.Before.SDLn
		if p.Before.Unknown {
			doubt = unknownDoubt
		}
		x := wear.Retired{Class: p.Model.Class, EffectiveKM: min(km, limits.PairKM.Hi), MedianKM: p.Model.MedianLifeKM, KMBeforeSDLn: &doubt}
		stack := p.Model.StackHeelMM
		for _, l := range p.inspections("", "") {
			if c, seen := l.UsedFraction(&stack); seen && (x.LargestC == nil || c > *x.LargestC) {
				x.LargestC = &c
			}
		}
		out = append(out, x)
	}
	return out
}

// counts says whether a pair is one of the runner's own history: worn out after some distance.
func (p *Pair) counts(h *house.Values) bool {
	return !p.SetAsideOn.IsZero() && p.Reason == WornOut && p.EffectiveKM(h) >= 1
}

// inspections are all looks at the pair as the wear model takes them, those of fits too: between its
// first day and another, where these are told.
func (p *Pair) inspections(first, last string) []wear.Inspection {
	var out []wear.Inspection
	for _, l := range p.Looks {
		on := l.On.Format(wear.DateLayout)
		if first != "" && on < first || last != "" && on > last {
			continue // seen before it was worn: tells nothing
		}
		tread, evenness := l.Tread, l.Evenness
		out = append(out, wear.Inspection{Date: on, Tread: &tread, Evenness: &evenness})
	}
	for _, x := range p.Inspected {
		out = append(out, x.wear(first))
	}
	return out
}

// Since is from when a run can be in the pair: the day on which it was first worn, else the
// day on which it was bought.
func (p *Pair) Since() time.Time {
	if p.FirstWorn.IsZero() {
		return p.BoughtOn
	}
	return p.FirstWorn
}

// LastSeen is when the pair was last looked at, else when it was first worn; zero where
// neither is known.
func (p *Pair) LastSeen() time.Time {
	last := p.FirstWorn
	for _, x := range p.Inspected {
		if x.On.After(last) {
			last = x.On
		}
	}
	return last
}

// AllRuns are the runner's runs that count, in pairs and without one, the earliest first.
func (r *Runner) AllRuns() []Run {
	all := slices.Clone(r.Loose)
	for i := range r.Pairs {
		all = append(all, r.Pairs[i].Runs...)
	}
	slices.SortFunc(all, func(x, y Run) int {
		return cmp.Or(x.On.Compare(y.On), x.StartedAt.Compare(y.StartedAt), cmp.Compare(x.ID, y.ID))
	})
	return all
}
