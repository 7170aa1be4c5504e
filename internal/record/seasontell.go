package record

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"trevik/internal/core/season"
	"trevik/internal/core/units"
)

// LeastChance is that of an order which is told, LikelyOrder that of one which is put on the list with the others.
const (
	LeastChance = 0.1
	LikelyOrder = 0.5
)

// tell puts the answer into the runner's words.
func (c *Conclusions) tell(s *Season, p *seasonPlan) error {
	for _, a := range s.Answer.Pairs {
		x := p.of[a.ID]
		// What is there in few futures alone is not told.
		likely := func(number int) bool {
			at := slices.IndexFunc(a.Orders, func(o season.Order) bool { return o.Copy == number })
			return at < 0 && number == 1 || at >= 0 && a.Orders[at].Chance >= LeastChance
		}
		a.Copies = slices.DeleteFunc(slices.Clone(a.Copies), func(k season.Copy) bool { return !likely(k.Copy) })
		x.PairAnswer = a
		if a.KM >= 0.05 || len(a.Orders) > 0 {
			s.Pairs = append(s.Pairs, x)
		}
		for _, o := range a.Orders {
			if o.Chance < LeastChance {
				continue
			}
			order := SeasonOrder{ID: a.ID + "/" + strconv.Itoa(o.Copy), Name: ModelName(x.Next), Model: x.Next, On: s.week(o.P50),
				Early: s.week(o.P10), Late: s.week(o.P90), Chance: o.Chance, Price: x.Price}
			if order.On.Before(c.Today) {
				order.On, order.Now = c.Today, true
			}
			if offered, ok, err := c.Offered(x.Next.ID); err != nil {
				return err
			} else if ok { // without one its size is seen at Shoes
				order.Label, order.Size, order.Width = offered.Size.Label, offered.Size.Figure, offered.Size.Width
			} else if x.pair != nil && x.Next.ID == x.Model.ID {
				order.Label, order.Size, order.Width = x.pair.Label(), x.pair.Size, x.pair.Width
			}
			s.Orders = append(s.Orders, order)
		}
	}
	slices.SortStableFunc(s.Pairs, func(a, b SeasonPair) int { return cmp.Compare(b.KM, a.KM) })
	slices.SortStableFunc(s.Orders, func(a, b SeasonOrder) int { return a.On.Compare(b.On) })
	s.markDecided()
	for i := range s.Races {
		r := &s.Races[i]
		for _, a := range s.Answer.Races {
			if a.Date == r.On.Format(time.DateOnly) {
				r.RaceAnswer = a
				if a.Pair != nil {
					r.In = p.of[*a.Pair].Name
				}
				at := slices.IndexFunc(p.planned, func(x RacePlan) bool { return sameRace(x.Race, r.Race) })
				if at >= 0 && p.planned[at].In != "" && p.planned[at].In != r.In && !s.broken(p.planned[at].In, c.House().BreakInKM) {
					r.Rawly = p.planned[at].In
				}
			}
		}
		if at := slices.IndexFunc(c.Runner.Season.Outlooks, func(o Outlook) bool { return o.RaceOn.Equal(r.On) }); at >= 0 {
			if o := &c.Runner.Season.Outlooks[at]; o.Was != nil && o.Why != "" {
				r.Told = o
			}
		}
	}
	return nil
}

// OnList is what stands on the list of orders for the season, the next first.
func (c *Conclusions) OnList() []SeasonDecided {
	var out []SeasonDecided
	for _, d := range c.Runner.Season.Orders {
		if m := c.Shop.Catalogue.ByID(d.ModelRow); m != nil {
			out = append(out, SeasonDecided{Decided: d, Model: m, Name: ModelName(m), Label: m.Label(d.Size, d.Width)})
		}
	}
	return out
}

// markDecided says of the likely orders which stand on the list: of a model the next.
func (s *Season) markDecided() {
	for _, d := range s.Decided {
		for i := range s.Orders {
			if o := &s.Orders[i]; !o.Decided && o.Model.ID == d.Model.ID {
				o.Decided = true
				break
			}
		}
	}
}

// broken says whether a pair of a name runs enough to be broken in.
func (s *Season) broken(name string, breakIn float64) bool {
	at := slices.IndexFunc(s.Pairs, func(x SeasonPair) bool { return x.Name == name })
	return at >= 0 && (s.Pairs[at].Owned || s.Pairs[at].KM >= breakIn)
}

// week is the Monday of a week of the season by its number, from 1.
func (s *Season) week(n int) time.Time { return s.Starts.AddDate(0, 0, 7*(n-1)) }

// KM is what is still to be run in a week, from 0.
func (s *Season) KM(week int) float64 { return kmOf(s.Weeks[week]) }

// BreakIn says how long a pair of the season takes to be broken in, by the week's km that it gets; empty where it gets none.
func (s *Season) BreakIn(pair uint64, breakInKM float64) string {
	at := slices.IndexFunc(s.Pairs, func(x SeasonPair) bool { return x.ID == PairID(pair) })
	if at < 0 || s.Pairs[at].KM < 1 {
		return ""
	}
	weekly := s.Pairs[at].KM / float64(len(s.Weeks))
	weeks := int(math.Ceil(breakInKM / weekly))
	return fmt.Sprintf("Break it in first: %.0f km on easy runs, about %d %s at the %.0f km a week that it gets.", breakInKM, weeks,
		plural(weeks, "week"), weekly)
}

func plural(n int, word string) string {
	if n == 1 {
		return word
	}
	return word + "s"
}

// Outlook is how likely a race is ready as it was told, and a change of more than tellPoints since.
type Outlook struct {
	ID     uint64
	RaceOn time.Time
	Race   string
	Ready  float64
	On     time.Time // told on
	Basis  OutlookBasis
	Was    *float64 // what was told before; nil is nothing, or nothing else
	WasOn  time.Time
	Why    string // it changed
	Seen   bool   // by the shop
}

// OutlookBasis is what an outlook came from, to say later what changed.
type OutlookBasis struct {
	KM    float64     `json:"km"` // a week, in the mean
	In    string      `json:"in"` // the pair that mostly runs the race
	Pairs []BasisPair `json:"pairs"`
}

// BasisPair is a pair in use: its km by then, and what is likely left of its life, wear-adjusted km.
type BasisPair struct {
	Name string  `json:"name"`
	KM   float64 `json:"km"`
	Life float64 `json:"life"`
}

// House values of telling a change.
const (
	tellPoints  = 0.10 // of a race's chance
	lifeChanged = 0.03 // of a pair's life
	weekChanged = 0.05 // of a week
	mostReasons = 3
)

// Outlooks are what is to be told of each race from now on: anew where nothing was told yet or where it changed by more than
// tellPoints, with why; else as it was told.
func (c *Conclusions) Outlooks(s *Season) ([]Outlook, error) {
	if s.Fault != "" {
		return nil, nil
	}
	basis, err := c.outlookBasis(s)
	if err != nil {
		return nil, err
	}
	var out []Outlook
	for _, r := range s.Races {
		now := Outlook{RaceOn: r.On, Race: cmp.Or(r.Name, "Race"), Ready: r.Ready, On: c.Today, Basis: basis, Seen: true}
		now.Basis.In = r.In
		at := slices.IndexFunc(c.Runner.Season.Outlooks, func(o Outlook) bool { return o.RaceOn.Equal(r.On) })
		if at >= 0 {
			told := c.Runner.Season.Outlooks[at]
			if math.Abs(told.Ready-r.Ready) <= tellPoints {
				told.Race = now.Race
				now = told
			} else {
				now.Was, now.WasOn, now.Seen = &told.Ready, told.On, false
				now.Why = strings.Join(now.Basis.since(told.Basis), "; ")
			}
		}
		out = append(out, now)
	}
	return out, nil
}

func (c *Conclusions) outlookBasis(s *Season) (b OutlookBasis, err error) {
	worn, err := c.Worn()
	for _, w := range worn {
		b.Pairs = append(b.Pairs, BasisPair{Name: w.Pair.Name(), KM: units.Round(w.Wear.KM, 1), Life: units.Round(w.Wear.LifeKM.P50, 1)})
	}
	for i := range s.Weeks {
		b.KM += s.KM(i) / float64(len(s.Weeks))
	}
	return b, err
}

// since says what changed, the most telling first.
func (b OutlookBasis) since(was OutlookBasis) []string {
	var out, run []string
	say := func(text string, a ...any) { out = append(out, fmt.Sprintf(text, a...)) }
	find := func(list []BasisPair, name string) int {
		return slices.IndexFunc(list, func(p BasisPair) bool { return p.Name == name })
	}
	for _, p := range was.Pairs {
		if find(b.Pairs, p.Name) < 0 {
			say("%s is no longer in use", p.Name)
		}
	}
	for _, p := range b.Pairs {
		at := find(was.Pairs, p.Name)
		if at < 0 {
			say("%s is new", p.Name)
			continue
		}
		if old := was.Pairs[at]; math.Abs(p.Life-old.Life) > lifeChanged*old.Life {
			say("%s is now likely to last %.0f km in all, not %.0f km", p.Name, p.Life, old.Life)
		} else if p.KM-old.KM >= 1 {
			run = append(run, fmt.Sprintf("%s has run %.0f km since", p.Name, p.KM-old.KM))
		}
	}
	if b.In != was.In && b.In != "" {
		say("the race is likely run in %s", b.In)
	}
	if math.Abs(b.KM-was.KM) > weekChanged*math.Max(was.KM, 1) {
		say("a week comes to %.0f km in the mean, not %.0f km", b.KM, was.KM)
	}
	out = append(out, run...)
	if len(out) == 0 {
		return []string{"what was chosen for the season, or the days that passed"}
	}
	return out[:min(len(out), mostReasons)]
}
