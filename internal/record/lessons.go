package record

import (
	"fmt"
	"math"
	"slices"
	"time"

	"trevik/internal/core/foot"
	"trevik/internal/core/gait"
	"trevik/internal/core/house"
	"trevik/internal/core/learn"
	"trevik/internal/core/limits"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/tryon"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
)

// LeastEnded is how many pairs of a shop's own have to be worn out before what they taught stands in the place of the house's
// figures (source: learning.md).
const LeastEnded = 5

// modelSD is the SD of ln of a model's life about its class's (source: learning.md).
const modelSD = 0.15

// Lesson is what a shop's own pairs and try-ons taught by a day. It names no runner.
type Lesson struct {
	ID       uint64
	Day      time.Time
	MadeAt   time.Time
	Life     learn.LifeAnswer // without its runners
	Liking   learn.LikingAnswer
	Runners  map[string]int        // how many a class's and a model's pairs are of
	Promises map[string]learn.Kept // how they were kept, by kind
	classes  map[term.Class]*learn.ClassLife
	models   map[string]*learn.ModelLife
}

// NewLesson is a lesson that is ready to be asked.
func NewLesson(l Lesson) *Lesson {
	l.Life.Runners = nil
	l.classes, l.models = map[term.Class]*learn.ClassLife{}, map[string]*learn.ModelLife{}
	for i := range l.Life.Classes {
		l.classes[l.Life.Classes[i].Class] = &l.Life.Classes[i]
	}
	for i := range l.Life.Models {
		l.models[l.Life.Models[i].Model] = &l.Life.Models[i]
	}
	return &l
}

// Of is what the shop's own pairs say of a model's median life, wear-adjusted km: of the model itself, else of its class, with
// what models of a class differ by. nil is nothing yet: too few worn out in all, or none of its class.
func (l *Lesson) Of(m *shoe.Model, h *house.Values) *wear.Learned {
	if l == nil || l.Life.Ended < LeastEnded {
		return nil
	}
	class := l.classes[m.Class]
	if class == nil || class.WornOut == 0 {
		return nil
	}
	out := &wear.Learned{Pairs: class.WornOut}
	if own := l.models[m.ID]; own != nil {
		out.MedianKM, out.SDLn = own.Median.P50, own.Ln.SD
		if own.WornOut > 0 {
			out.Pairs = own.WornOut
		}
	} else {
		out.MedianKM = class.Median.P50
		if m.MedianLifeKM != nil { // as told of it, longer or shorter as its class is
			out.MedianKM = *m.MedianLifeKM * class.Median.P50 / house.Or(h).MedianLife(m.Class)
		}
		out.SDLn = math.Hypot(class.Ln.SD, modelSD)
	}
	out.MedianKM = min(max(out.MedianKM, limits.MedianLifeKM.Lo), limits.MedianLifeKM.Hi)
	out.SDLn = min(max(out.SDLn, limits.SDLn.Lo), limits.SDLn.Hi)
	return out
}

// Weights are the learned ones by mark; nil where nothing was learned.
func (l *Lesson) Weights() map[string]float64 {
	if l == nil || len(l.Liking.Weights) == 0 {
		return nil
	}
	out := map[string]float64{}
	for _, w := range l.Liking.Weights {
		out[w.Mark] = w.Learned
	}
	return out
}

// Choose leaves of what the shop learned what it chose to go by.
func (s *Settings) Choose(set map[string]string) {
	if set[LearnedLives] == HouseLives {
		s.Learned = nil
	}
	if set[LearnedWeights] != OurWeights {
		s.Weights = nil
	}
}

// lifeLearned is what the shop's own pairs say of a model, as things stand at present: what a pair lasts is no choice of a fit.
func (c *Conclusions) lifeLearned(m *shoe.Model) *wear.Learned {
	return c.Shop.Settings.Learned.Of(m, &c.Shop.Settings.House)
}

// learnedWeights are the marks' weights that the shop learned, of the house's sum, so that a mark whose weight is set beside them
// counts as it would beside the house's; nil are the house's.
func (v *Visit) learnedWeights() map[string]float64 {
	if v.Settings.Weights == nil {
		return nil
	}
	sum := 0.0
	for _, w := range v.Settings.House.Weights {
		sum += w
	}
	out := map[string]float64{}
	for name, w := range v.Settings.Weights {
		out[name] = sum * w
	}
	return out
}

// WeightOf is what a mark weighs in this fit unless that was set for it: by the house, or as the shop learned.
func (v *Visit) WeightOf(mark string) float64 {
	if w, ok := v.learnedWeights()[mark]; ok {
		return units.Round(w, 2)
	}
	return v.House().Weights[slices.Index(match.MarkNames, mark)]
}

// lifeThen is the same as it stood when this fit was made: a closed fit keeps what it was ranked by.
func (c *Conclusions) lifeThen(m *shoe.Model) *wear.Learned {
	return c.Settings.Learned.Of(m, c.House())
}

// history is the runner's worn out pairs, each against what is known of its model by now.
func (c *Conclusions) history() []wear.Retired {
	h := &c.Shop.Settings.House
	out := c.Runner.History(h)
	if c.Shop.Settings.Learned == nil {
		return out
	}
	at := 0
	for i := range c.Runner.Pairs {
		p := &c.Runner.Pairs[i]
		if !p.counts(h) {
			continue
		}
		if l := c.lifeLearned(&p.Model); l != nil {
			out[at].MedianKM = &l.MedianKM
		}
		at++
	}
	return out
}

// Lives are the runner's pairs for learning from: worn out ones are lives, others lasted at least so long. A worn out pair of
// which nobody knows what it ran before tells none.
func (c *Conclusions) Lives() []learn.Pair {
	h := &c.Shop.Settings.House
	var out []learn.Pair
	for i := range c.Runner.Pairs {
		p := &c.Runner.Pairs[i]
		km := min(p.EffectiveKM(h), limits.PairKM.Hi)
		x := learn.Pair{Model: p.Model.ID, Class: p.Model.Class, MedianKM: p.Model.MedianLifeKM, MassKG: MassKg.Ptr(c.Visit), Strike: c.Strike(),
			EffectiveKM: &km, Ended: learn.InUse}
		switch {
		case p.SetAsideOn.IsZero():
		case p.Reason != WornOut:
			x.Ended = learn.Other
		case p.Before.Unknown || km <= 0:
			continue
		default:
			x.Ended = learn.WornOut
		}
		out = append(out, x)
	}
	return out
}

// Kinds of promise, by their word.
const (
	LevelPromise = "level"
	RoomPromise  = "room"
	RacePromise  = "race"
	OrderPromise = "order"
	BandPromise  = "band"
)

// LastsChance is the chance with which a pair lasts until its P20 date.
const LastsChance = 0.8

// leastRuns is how many runs of a pair were counted before it can have been told in time that its next one is due (house).
const leastRuns = 5

// Promises are what was told this runner of their pairs, and what came. A race: the chance that its pair is ready, as the season told
// it last; it was where the pair that ran it was broken in before and not worn out by then. The day to order by: a pair lasts until
// its P20 date of the day on which the next was first due; one that was worn out before it was ever due did not.
func (c *Conclusions) Promises() map[string][]learn.Promise {
	out := map[string][]learn.Promise{}
	for _, o := range c.Runner.Season.Outlooks {
		if kept, known := c.racedReady(o.RaceOn); known && o.On.Before(o.RaceOn) {
			out[RacePromise] = append(out[RacePromise], learn.Promise{Told: o.Ready, Kept: kept})
		}
	}
	for i := range c.Runner.Pairs {
		p := &c.Runner.Pairs[i]
		worn := !p.SetAsideOn.IsZero() && p.Reason == WornOut
		end := p.SetAsideOn
		if end.IsZero() {
			end = c.Today
		}
		switch {
		case !p.LastsUntil.IsZero() && !end.Before(p.LastsUntil):
			out[OrderPromise] = append(out[OrderPromise], learn.Promise{Told: LastsChance, Kept: true})
		case worn && (!p.LastsUntil.IsZero() || len(p.Runs) >= leastRuns && p.Before == (wear.Before{})):
			out[OrderPromise] = append(out[OrderPromise], learn.Promise{Told: LastsChance})
		}
	}
	return out
}

// racedReady says whether the pair that ran a race was broken in before it and not worn out by then; known is false where that
// race was run in no pair.
func (c *Conclusions) racedReady(on time.Time) (ready, known bool) {
	if !on.Before(c.Today) {
		return false, false
	}
	least := math.Inf(1) // what is run as a race is one; so is what is about as long as the race was said to be
	if at := slices.IndexFunc(c.Runner.Races, func(r Race) bool { return r.On.Equal(on) && r.KM > 0 }); at >= 0 {
		least = racedShare * c.Runner.Races[at].KM
	}
	var in *Pair
	for i := range c.Runner.Pairs {
		p := &c.Runner.Pairs[i]
		if slices.ContainsFunc(p.Runs, func(r Run) bool { return r.On.Equal(on) && (r.Kind == term.Race || r.KM >= least) }) {
			in = p
		}
	}
	if in == nil {
		return false, false
	}
	km := in.Before.KM
	for _, r := range in.Runs {
		if r.On.Before(on) {
			km += r.KM
		}
	}
	worn := in.Reason == WornOut && !in.SetAsideOn.IsZero() && !in.SetAsideOn.After(on)
	return (km >= c.House().BreakInKM || in.Before.Unknown) && !worn, true
}

// RoomPromises are, of each pair that was tried and whose toes were told right, short or long, the chance that its room lies within
// what was wanted, by the room's own error.
func (c *Conclusions) RoomPromises() ([]learn.Promise, error) {
	answer, ready, err := c.Match()
	if err != nil || !ready {
		return nil, err
	}
	var out []learn.Promise
	for _, id := range c.tried() {
		toes, m := TryRoom.Of(c.Visit, id), c.Shop.Catalogue.ByID(id.Model)
		if toes == "" || m == nil {
			continue
		}
		at := slices.IndexFunc(answer.Ranked, func(r match.Ranked) bool { return r.Model == m.ID })
		if at < 0 {
			continue
		}
		wanted := answer.Ranked[at].Size.WantedMM
		room, ok := c.triedWith(m, id, wanted)
		if sd := c.RoomError(m); ok && sd > 0 {
			below := func(mm float64) float64 { return 0.5 * math.Erfc((room-mm)/sd/math.Sqrt2) }
			out = append(out, learn.Promise{Told: below(wanted[1]) - below(wanted[0]), Kept: toes == "right"})
		}
	}
	return out, nil
}

// BandPromises are, of each foot that was filmed from behind twice alike, the chance of its band by the first film, and whether the
// next came to the same band.
func (v *Visit) BandPromises() []learn.Promise {
	var out []learn.Promise
	for _, s := range term.Sides {
		before := map[string]FilmReading{}
		for _, r := range v.FilmReadings() {
			if r.View != gait.Rear || r.Sides[s] == nil || r.Sides[s].BandProbability == nil {
				continue
			}
			if first, twice := before[r.Name()]; twice {
				p := first.Sides[s].BandProbability
				out = append(out, learn.Promise{Told: max(p.Under, p.Neutral, p.Mild, p.Marked, p.Severe),
					Kept: r.Sides[s].Band == first.Sides[s].Band})
			}
			before[r.Name()] = r
		}
	}
	return out
}

// triedWith is the room that a model left as it was tried, mm: in the size that was told, else in the one that was offered before
// the toes moved it, whose room is nearest the middle of what was wanted, a tie going up.
func (c *Conclusions) triedWith(m *shoe.Model, id Trial, wanted [2]float64) (room float64, ok bool) {
	if uk := TrySize.Ptr(c.Visit, id); uk != nil {
		return c.RoomIn(m, foot.Figure(*uk))
	}
	nearest := math.Inf(1)
	for _, size := range m.SizesUK {
		mm, known := c.RoomIn(m, size)
		if off := math.Abs(mm - (wanted[0]+wanted[1])/2); known && mm >= match.LeastRoomMM && off <= nearest+1e-9 {
			room, ok, nearest = mm, true, off
		}
	}
	return room, ok
}

// TriedOn is a fit's try-on for learning from: the marks of each pair that was worn under this fit, its comfort, what was compared
// and what was chosen. ok is false where fewer than two pairs with marks were worn.
func (c *Conclusions) TriedOn() (t learn.TryOn, ok bool, err error) {
	answer, ready, err := c.Match()
	if err != nil || !ready {
		return t, false, err
	}
	worn := map[string]bool{}
	for _, id := range c.tried() {
		m := c.Shop.Catalogue.ByID(id.Model)
		if m == nil || !c.leads(id) || worn[m.ID] || len(t.Pairs) == learn.MostWorn {
			continue
		}
		for _, r := range answer.Ranked {
			if r.Model == m.ID {
				t.Pairs = append(t.Pairs, learn.Worn{Pair: m.ID, Marks: marksOf(r), Comfort: c.comfort(id)})
				worn[m.ID] = true
			}
		}
	}
	for _, x := range c.Comparisons() {
		if !worn[x.Left] || !worn[x.Right] {
			continue
		}
		switch x.Better {
		case x.Left:
			t.Wins = append(t.Wins, tryon.Comparison{Winner: x.Left, Loser: x.Right})
		case x.Right:
			t.Wins = append(t.Wins, tryon.Comparison{Winner: x.Right, Loser: x.Left})
		default:
			t.Wins = append(t.Wins, tryon.Comparison{Even: []string{x.Left, x.Right}})
		}
	}
	for _, x := range c.Choices() {
		if code := x.Basis.Ranked.Model; worn[code] && t.Chosen == nil {
			t.Chosen = &code
		}
	}
	return t, len(t.Pairs) >= 2, nil
}

func marksOf(r match.Ranked) map[string]float64 {
	out := map[string]float64{}
	for _, m := range r.Marks {
		out[m.Mark] = m.Value
	}
	return out
}

// FromOurs says that a model's life comes from the shop's own pairs, and from how many; empty where it does not.
func (c *Conclusions) FromOurs(m *shoe.Model) string {
	switch l := c.lifeThen(m); {
	case l == nil:
		return ""
	case l.Pairs == 1:
		return ", from one pair of ours"
	default:
		return fmt.Sprintf(", from %d pairs of ours", l.Pairs)
	}
}
