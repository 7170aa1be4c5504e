package record

import (
	"cmp"
	"context"
	"math"
	"slices"
	"time"

	"trevik/internal/core/match"
	"trevik/internal/core/rotation"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
)

// RacePlan is a race to come in the plan: once, in the week of its day, and in what.
type RacePlan struct {
	Race
	In         string      // the pair's name; empty is none that suits
	Suit       float64     // how well that suits a race of this distance
	Little     bool        // that is under what a pair is asked for: nothing better is there
	Buy        *shoe.Model // to be ordered for it; nil where a pair of theirs or of the plan serves
	OrderBy    string      // a day, where it is to be bought
	Late       bool        // that day is past
	BrokenInBy time.Time
	Text       string // what the wear model says of the pair that they have for it
}

// House values of a pair that is bought for a race.
const (
	raceRest     = 7    // days before a race on which nothing is new any more
	betterBy     = 0.05 // of suitability, from which another pair is worth its money
	unknownBreak = 28   // days of breaking in, where no week is told
)

// Sum is what all purchases cost, minor units.
func (p *Plan) Sum() int64 {
	sum := int64(0)
	for _, x := range p.Purchases {
		sum += x.Price
	}
	return sum
}

// racer is the runner in a race of a distance.
func (c *Conclusions) racer(km float64) shoe.Wearer {
	who := c.Wearer()
	who.RaceKm, who.Plates = km, c.PlateView()
	return who
}

// planRaces gives each race to come its pair: one of theirs that serves it, else one that the plan buys,
// else the model that suits it best, with the day by which it is to be ordered and broken in. Where they run
// for a race, a pair that is not good enough for it is no answer; the pair that was told always is.
func (c *Conclusions) planRaces(p *Plan) ([]RacePlan, error) {
	var out []RacePlan
	least := rotation.LeastSuit
	if slices.Contains(Goals.Of(c.Visit), rotation.ARace) {
		least = rotation.GoodSuit
	}
	for _, r := range c.Races() {
		x := RacePlan{Race: r, BrokenInBy: r.On.AddDate(0, 0, -raceRest)}
		x.Name = cmp.Or(r.Name, "The race")
		who, ground := c.racer(r.KM), c.usualGround()
		own, err := c.RacePair(r)
		if err != nil {
			return nil, err
		}
		if own != nil {
			x.In, x.Suit = own.Name(), own.Model.Suits(term.Race, ground, who)
			said, err := c.raceAnswer(own, r)
			if err != nil {
				return nil, err
			}
			x.Text = said.Text
		}
		if own == nil || own.ID != r.PairID && x.Suit < least-1e-9 {
			for _, id := range p.Turn.Buy {
				if b := p.pair(id); b.Model.Suits(term.Race, ground, who) >= math.Max(rotation.LeastSuit, x.Suit+betterBy) {
					x.In, x.Suit, x.Text = b.Name, b.Model.Suits(term.Race, ground, who), ""
				}
			}
			if x.Suit < least-1e-9 {
				if err := c.buyForRace(&x, ground); err != nil {
					return nil, err
				}
			}
		}
		if x.In == "" {
			c.raceInWhatThereIs(p, &x, ground)
		}
		out = append(out, x)
	}
	return out, nil
}

// raceInWhatThereIs names the pair of the plan that suits a race best, however little: it is run in something.
func (c *Conclusions) raceInWhatThereIs(p *Plan, x *RacePlan, ground term.Ground) {
	for _, y := range p.Pairs {
		v := y.Model.Suits(term.Race, ground, c.racer(x.KM))
		if (y.Owned && !y.Slowed || slices.Contains(p.Turn.Buy, y.ID)) && (x.In == "" || v > x.Suit) {
			x.In, x.Suit, x.Little = y.Name, v, true
		}
	}
}

// raceAnswer is what the wear model says of a race in a pair; the zero value where it says nothing.
func (c *Conclusions) raceAnswer(p *Pair, r Race) (wear.RaceAnswer, error) {
	worn, err := c.Worn()
	if err != nil {
		return wear.RaceAnswer{}, err
	}
	for _, w := range worn {
		if w.Pair.ID == p.ID {
			for _, x := range w.Wear.Races {
				if x.Date == r.On.Format(wear.DateLayout) {
					return x, nil
				}
			}
		}
	}
	return wear.RaceAnswer{}, nil
}

// RacesPlanned are the races to come, the next first, each in its pair: as the plan of the board has it, else
// in the pair of theirs that serves it.
func (c *Conclusions) RacesPlanned(ctx context.Context) ([]RacePlan, error) {
	races := c.Races()
	if len(races) == 0 {
		return nil, nil
	}
	if p, err := c.Plan(ctx, What{}); err != nil || p.Fault == "" {
		return p.races(), err
	}
	var out []RacePlan
	for _, r := range races {
		x := RacePlan{Race: r, BrokenInBy: r.On.AddDate(0, 0, -raceRest)}
		x.Name = cmp.Or(r.Name, "The race")
		own, err := c.RacePair(r)
		if err != nil {
			return nil, err
		}
		if own != nil {
			said, err := c.raceAnswer(own, r)
			if err != nil {
				return nil, err
			}
			x.In, x.Text = own.Name(), said.Text
		}
		out = append(out, x)
	}
	return out, nil
}

// races are those of a plan, none where there is no plan.
func (p *Plan) races() []RacePlan {
	if p == nil {
		return nil
	}
	return p.Races
}

// buyForRace looks for the model that suits a race best of those that fit the runner, the cheaper of two.
func (c *Conclusions) buyForRace(x *RacePlan, ground term.Ground) error {
	sup, err := c.Support()
	if err != nil {
		return err
	}
	r, ready := c.Request(sup)
	if !ready || sup.Refer {
		return nil
	}
	r.Surface, r.Kinds, r.RaceKM = "", []match.KindShare{{Kind: term.Race, Ground: ground, Share: 1}}, &x.KM
	a, err := match.Rank(r)
	if err != nil {
		return err
	}
	who, least := c.racer(x.KM), math.Max(rotation.LeastSuit, x.Suit+betterBy)
	for _, y := range a.Ranked {
		m := c.Shop.Catalogue.ByCode(y.Model)
		v := m.Suits(term.Race, ground, who)
		if v >= least-1e-9 && (x.Buy == nil || v > x.Suit || v == x.Suit && m.Price() < x.Buy.Price()) {
			x.In, x.Suit, x.Buy, x.Text = ModelName(m), v, m, ""
		}
	}
	if x.Buy == nil {
		return nil
	}
	days := unknownBreak
	if week := c.WeeklyTold(); week > 0 { // the wear model's way: at half of a week
		days = int(math.Ceil(7 * c.House().BreakInKM / (week / 2)))
	}
	by := x.BrokenInBy.AddDate(0, 0, -int(c.House().DeliveryDays)-days)
	x.OrderBy, x.Late = by.Format(time.DateOnly), by.Before(c.Today)
	return nil
}
