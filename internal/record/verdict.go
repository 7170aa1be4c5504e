package record

import (
	"fmt"
	"slices"
	"time"

	"trevik/internal/core/rotation"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
)

// Verdict is what a pair's wear and what was decided of it let it do, whatever the plan gives it:
// every page, list and plan asks it.
type Verdict struct {
	Retire   string // why it is to be set aside; empty where it is not
	LetIn    string // why it is run in all the same
	LastRuns bool   // it serves what is left of it
	Slowed   bool   // short, easy runs only
	WornLugs bool   // no hold on trail, mud, snow and ice
}

// Serves says whether the pair may be run in.
func (v Verdict) Serves() bool { return v.Retire == "" || v.LetIn != "" }

// House values of what a pair is limited to.
const (
	slowedKM     = 8.0 // the longest run in a pair that was slowed
	wornLugTread = 0.8
)

var (
	slowedKinds = []term.Kind{term.Easy, term.Recovery, term.Walk, term.Hike}
	roughGround = []term.Ground{term.GroundTrail, term.GroundMud, term.GroundSnow, term.GroundIce}
)

// Verdict of one of the runner's pairs. It asks of no plan, so that the plan can ask it.
func (c *Conclusions) Verdict(p *Pair) (Verdict, error) {
	if c.verdicts == nil {
		c.verdicts = map[uint64]Verdict{}
	}
	if v, known := c.verdicts[p.ID]; known {
		return v, nil
	}
	a, err := wear.Assess(c.wearInput(p, nil))
	if err != nil {
		return Verdict{}, err
	}
	v := Verdict{LetIn: p.LetIn, Slowed: !p.SlowedOn.IsZero(), LastRuns: a.State == wear.LastRuns}
	if a.RetireBecause != nil {
		v.Retire = *a.RetireBecause
	}
	for _, x := range p.inspections("", "") {
		v.WornLugs = v.WornLugs || p.Model.Surface == term.Trail && x.Tread != nil && *x.Tread >= wornLugTread-1e-9
	}
	c.verdicts[p.ID] = v
	return v, nil
}

// SuitOf is how well one of the runner's pairs serves a kind of run on a ground, as it is now: Suit
// within what its verdict lets it do.
func (c *Conclusions) SuitOf(p *Pair, kind term.Kind, ground term.Ground) (value float64, why, set string, err error) {
	v, err := c.Verdict(p)
	if err != nil {
		return 0, "", "", err
	}
	switch {
	case !v.Serves():
		return 0, "to be retired: " + v.Retire, "", nil
	case v.Slowed && !slices.Contains(slowedKinds, kind):
		return 0, "short, easy runs only", "", nil
	case v.WornLugs && slices.Contains(roughGround, ground):
		return 0, "its lugs are too worn for " + string(ground), "", nil
	}
	value, why, set = c.Suit(&p.Model, p.ModelRow, kind, ground)
	return value, why, set, nil
}

// candidate is a pair of the runner's as the plan takes it; its suitability is still to come.
func (c *Conclusions) candidate(p *Pair) (rotation.Candidate, error) {
	x := rotation.Candidate{ID: PairID(p.ID), Model: p.Model.ID, Owned: true}
	v, err := c.Verdict(p)
	if longest := slowedKM; v.Slowed {
		x.MaxRunKM = &longest
	}
	return x, err
}

// Saying is a verdict in a sentence: what to do with the pair, and why.
func Saying(a wear.Answer, v Verdict) string {
	switch a.State {
	case wear.SetAside:
		because := "."
		if a.RetireBecause != nil {
			because = ": " + *a.RetireBecause + "."
		}
		if v.LetIn != "" {
			return fmt.Sprintf("To be retired%s It is run in all the same: “%s”.", because, v.LetIn)
		}
		return "Retire it now" + because
	case wear.LastRuns:
		return "Its last runs: have the next pair ready."
	case wear.Order:
		return "Order the next pair now."
	case wear.Look:
		return "Check it now."
	}
	if v.Slowed {
		return "Short, easy runs only."
	}
	return "Good to go on."
}

// StateWords are what a state is called on a page.
var StateWords = map[wear.State]string{wear.SetAside: "Retire now", wear.LastRuns: "Last runs", wear.Order: "Order the next",
	wear.Look: "Check due", wear.Fine: "Good", wear.InUse: "In use"}

// runWeeks is over how many weeks the logged runs tell what a week is, where none was told.
const runWeeks = 8

// loadOfRuns is a pair's wear-adjusted km a week as its runs of the last eight weeks have it, or since the
// runner's first run where that is later.
func (c *Conclusions) loadOfRuns(p *Pair) float64 {
	from := c.Today.AddDate(0, 0, -7*runWeeks)
	first := c.Today
	for _, r := range c.Runner.AllRuns() {
		if r.On.Before(first) {
			first = r.On
		}
	}
	weeks := min(runWeeks, max(1, c.Today.Sub(first).Hours()/(24*7)))
	sum, rest := 0.0, rotation.DefaultRest
	for i, r := range p.wearRuns() {
		if p.Runs[i].On.After(from) {
			sum += wear.Load(r, p.Model.Surface, &rest, &c.Shop.Settings.House)
		}
	}
	return sum / weeks
}

// sameRace says whether two races are one: on the same day, and about as far.
func sameRace(a, b Race) bool {
	return a.On.Equal(b.On) && (a.KM == 0 || b.KM == 0 || max(a.KM, b.KM) <= 1.03*min(a.KM, b.KM))
}

// Races are the races to come, one of today until it was run, the next first, each once wherever it was told: at Hello, at Distance or
// on the phone.
func (c *Conclusions) Races() []Race {
	var out []Race
	for _, r := range c.Runner.Races {
		if !r.On.Before(c.Today) && !c.raced(r) {
			out = append(out, r)
		}
	}
	if on, km := RaceOn.Ptr(c.Visit), RaceKM.Of(c.Visit); on != nil && km > 0 && !on.Before(c.Today) {
		told := Race{Name: "The race", On: *on, KM: km}
		if !c.raced(told) && !slices.ContainsFunc(out, func(r Race) bool { return sameRace(r, told) }) {
			out = append(out, told)
		}
	}
	slices.SortStableFunc(out, func(x, y Race) int { return x.On.Compare(y.On) })
	return out
}

// racedShare is the share of a race's distance from which what was run on its day was the race.
const racedShare = 0.9

// raced says whether a race of today was run already.
func (c *Conclusions) raced(race Race) bool {
	return race.On.Equal(c.Today) && slices.ContainsFunc(c.Runner.AllRuns(), func(r Run) bool {
		return r.On.Equal(c.Today) && (r.Kind == term.Race || race.KM > 0 && r.KM >= racedShare*race.KM)
	})
}

// RacePair is the pair that a race would be run in: the one that was told, else of those that serve a
// race of its distance the one that suits it best; nil where none does.
func (c *Conclusions) RacePair(r Race) (*Pair, error) {
	var best *Pair
	most := rotation.LeastSuit
	for i := range c.Runner.Pairs {
		p := &c.Runner.Pairs[i]
		if !p.SetAsideOn.IsZero() {
			continue
		}
		v, err := c.Verdict(p)
		if err != nil {
			return nil, err
		}
		if !v.Serves() || v.Slowed {
			continue // whatever was told: it is raced in another
		}
		if p.ID == r.PairID {
			return p, nil
		}
		who := c.Wearer()
		who.RaceKm, who.Plates = r.KM, c.PlateView()
		if suit := p.Model.Suits(term.Race, c.usualGround(), who); suit >= most && (best == nil || suit > most) {
			best, most = p, suit
		}
	}
	return best, nil
}

// racesOf are the races that a pair would be run in.
func (c *Conclusions) racesOf(p *Pair) ([]wear.Race, error) {
	var out []wear.Race
	for _, r := range c.Races() {
		in, err := c.RacePair(r)
		if err != nil {
			return nil, err
		}
		if in != nil && in.ID == p.ID {
			out = append(out, wear.Race{Date: r.On.Format(time.DateOnly), KM: r.KM})
		}
	}
	return out, nil
}
