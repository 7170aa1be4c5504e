package record

import (
	"cmp"
	"fmt"
	"slices"

	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
)

// Request is what the shoes are matched to. ok is false while the feet or the week are
// missing.
func (c *Conclusions) Request(answer support.Answer) (r match.Request, ok bool) {
	v := c.Visit
	week, km, _ := v.WeekTold()
	r = match.Request{Schema: match.RequestSchema, Chart: c.Runner.Chart, Sock: Sock.Of(v), Level: answer.Level,
		Spread: answer.Spread,
		Lead:   v.Settings.LeadSchool, Strike: v.Strike(), Experience: Experience.Of(v), MassKg: MassKg.Ptr(v), RaceKM: RaceKM.Ptr(v),
		Conditions: Conditions.Of(v),
		Settings:   match.Settings{Room: v.Room(), Drop: v.Settings.DropRule}, House: v.House(), Models: c.Shop.Catalogue.Models}
	for _, s := range term.Sides {
		m := v.Foot(s)
		if m.LengthMM == 0 {
			continue
		}
		setSide(&r.Feet, s, match.Foot{LengthMM: m.LengthMM, BallMM: positive(m.BallMM), HeelToBallMM: positive(m.HeelToBallMM),
			Shape: v.Shape(s), Volume: v.Volume(s)})
	}
	for _, p := range week {
		r.Kinds = append(r.Kinds, match.KindShare{Kind: p.Kind, Ground: p.Ground, Share: p.KM / km})
	}
	r.Complaints, _ = v.Complaints()
	if d, s, l := PresentDrop.Ptr(v), PresentStack.Ptr(v), PresentLevel.Of(v); d != nil || s != nil || l != "" {
		r.Present = &match.Present{DropMM: d, StackMM: s, Level: l}
	}
	r.Likes = v.likes()
	r.HeelLifted = c.heelLifted()
	// The week tells the grounds; what is between road and trail, and lifting, are no ground of runs.
	switch s := v.SurfaceAsked(); s {
	case term.Link:
		r.Surface = s
	case term.GymSurface:
		r.Surface, r.Kinds = s, []match.KindShare{{Kind: term.Gym, Ground: term.GroundTreadmill, Share: 1}}
	}
	r.Life = func(m *shoe.Model) float64 {
		if l := c.lifeThen(m); l != nil {
			return l.MedianKM
		}
		return 0
	}
	r.Weights = v.learnedWeights()
	for _, name := range match.MarkNames {
		if w := MarkWeight.Ptr(v, MarkRow(name)); w != nil {
			if r.Weights == nil {
				r.Weights = map[string]float64{}
			}
			r.Weights[name] = *w
		}
	}
	c.fromTryOn(&r)
	for _, l := range c.LetIn() {
		r.Overruled = append(r.Overruled, l.Model.ID)
	}
	for _, d := range c.Dislikes() {
		r.Disliked = append(r.Disliked, d.Model.ID)
	}
	if b := Budget.Ptr(v); b != nil {
		r.Budget = &match.Budget{Amount: int64(*b), Currency: c.Shop.Currency, Firm: BudgetFirm.Of(v) == "not_above"}
	}
	return r, v.HasFeet() && len(r.Kinds) > 0 && len(c.Shop.Catalogue.Models) > 0
}

// likes are the wishes that were told, nil without one.
func (v *Visit) likes() *match.Likes {
	l := match.Likes{Softness: rated(LikesSoftness.Ptr(v)), Bounce: rated(LikesBounce.Ptr(v)), Cushion: CushionView.Of(v)}
	if l.Cushion == noCushionWish {
		l.Cushion = ""
	}
	if l == (match.Likes{}) {
		return nil
	}
	return &l
}

// heelLifted is what the try-on saw of heels: true where one lifts though its heel lock was tried,
// nil where nothing was seen.
func (c *Conclusions) heelLifted() *bool {
	var out *bool
	for _, t := range c.tried() {
		if TryLift.Of(c.Visit, t) == "" || !c.leads(t) {
			continue
		}
		lifts := c.stillLifts(t)
		if out == nil || lifts {
			out = &lifts
		}
	}
	return out
}

// stillLifts says whether a pair's heel lifts: much, or at all once the heel lock was tried.
func (c *Conclusions) stillLifts(t Trial) bool {
	switch TryLift.Of(c.Visit, t) {
	case "much":
		return true
	case "a_little":
		return slices.Contains(TryLacing.Of(c.Visit, t), "heel_lock")
	}
	return false
}

// Room is how much room before the toes is wanted: the runner's wish, else the shop's way.
func (v *Visit) Room() string { return cmp.Or(RoomWish.Of(v), v.Settings.Room) }

func rated(n *int) *float64 {
	if n == nil {
		return nil
	}
	v := float64(*n)
	return &v
}

// Match ranks the catalogue for this fit. ok is false while something is missing or a
// caution keeps the shoes back.
func (c *Conclusions) Match() (answer match.Answer, ok bool, err error) {
	answer, err = c.match.get(func() (match.Answer, error) {
		sup, err := c.Support()
		if err != nil {
			return match.Answer{}, err
		}
		r, ready := c.Request(sup)
		if !ready || sup.Refer {
			return match.Answer{}, nil
		}
		return match.Rank(r)
	})
	return answer, err == nil && answer.Schema != "", err
}

// Dislike is a model with what was said of it: that the runner disliked it in that version
// and why, or why it is let in.
type Dislike struct {
	Model *shoe.Model
	Why   string
}

// Dislikes lists the models of the catalogue that the runner disliked.
func (c *Conclusions) Dislikes() []Dislike { return c.ofModels(Disliked) }

// LetIn lists the models that were ruled out and that a fitter let in all the same.
func (c *Conclusions) LetIn() []Dislike { return c.ofModels(LetIn) }

func (c *Conclusions) ofModels(d PerModel[string]) []Dislike {
	var out []Dislike
	for _, id := range d.Models(c.Visit) {
		if m := c.Shop.Catalogue.ByID(id); m != nil {
			out = append(out, Dislike{m, d.Of(c.Visit, id)})
		}
	}
	slices.SortFunc(out, func(x, y Dislike) int { return cmp.Compare(x.Model.ID, y.Model.ID) })
	return out
}

// PlateView is when this runner wears plates: their choice, else the shop's.
func (v *Visit) PlateView() shoe.PlateView {
	return cmp.Or(PlanPlates.Of(v), shoe.PlateView(v.Settings.Plates))
}

// Suit is how well a model serves a kind of run for this runner, with the reasons: what a
// fitter set, else what is computed under the runner's view of plates. set is who set it.
func (v *Visit) Suit(m *shoe.Model, id uint64, kind term.Kind, ground term.Ground) (value float64, why, set string) {
	who := v.Wearer()
	who.Plates = v.PlateView()
	if f := v.Finding(SuitKey(id, kind, ground)); f.value != nil {
		s := f.value.(Suited)
		return s.Value, fmt.Sprintf("set by %s: %s (computed: %.2f)", f.Maker, s.Why, m.Suits(kind, ground, who)), f.Maker
	}
	value, why = m.Suitability(kind, ground, who)
	return value, why, ""
}

// SuitSet is a suitability that was set for this runner.
type SuitSet struct {
	Model  *shoe.Model
	Kind   term.Kind
	Ground term.Ground
	Value  float64
	Why    string
}

// SuitsSet lists what was set, by model, kind and ground.
func (c *Conclusions) SuitsSet() []SuitSet {
	var out []SuitSet
	for _, f := range c.Named(Suitability) {
		if m := c.Shop.Catalogue.ByID(f.Key.Model); m != nil {
			value, why, _ := c.Suit(m, f.Key.Model, f.Key.Kind, f.Key.Ground)
			out = append(out, SuitSet{m, f.Key.Kind, f.Key.Ground, value, why})
		}
	}
	slices.SortStableFunc(out, func(x, y SuitSet) int {
		return cmp.Or(cmp.Compare(x.Model.ID, y.Model.ID), cmp.Compare(slices.Index(term.Kinds, x.Kind), slices.Index(term.Kinds, y.Kind)),
			cmp.Compare(slices.Index(term.Grounds, x.Ground), slices.Index(term.Grounds, y.Ground)))
	})
	return out
}

// ForGym are the models for lifting and the gym that fit the runner, the best first.
func (c *Conclusions) ForGym() ([]*shoe.Model, error) {
	sup, err := c.Support()
	if err != nil {
		return nil, err
	}
	r, ready := c.Request(sup)
	if !ready || sup.Refer {
		return nil, nil
	}
	r.Surface, r.Kinds = term.GymSurface, []match.KindShare{{Kind: term.Gym, Ground: term.GroundTreadmill, Share: 1}}
	neutral := term.Neutral
	r.Level, r.Spread = &neutral, []term.Level{neutral}
	answer, err := match.Rank(r)
	if err != nil {
		return nil, err
	}
	var out []*shoe.Model
	for _, x := range answer.Ranked[:min(3, len(answer.Ranked))] {
		out = append(out, c.Shop.Catalogue.ByCode(x.Model))
	}
	return out, nil
}
