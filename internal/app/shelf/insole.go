package shelf

import (
	"context"
	"math"
	"slices"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/form"
	"trevik/internal/store/db"
)

// InsoleFields are those of the form of an insole that was measured.
var InsoleFields = []form.Field{
	{Name: "insole_size", Label: "UK size", Kind: form.Number, Lo: 0, Hi: 20},
	{Name: "insole_mm", Label: "Insole, heel to tip", Kind: form.Number, Unit: form.MM, Lo: 100, Hi: 400},
}

// mostOff is by how much an insole may differ from what its size and its model's told offset give, mm: more
// is another size, or a slip of the hand.
const mostOff = 20.0

// Measured is an insole that somebody of the shop measured.
type Measured struct {
	ID       uint64
	UK       foot.Figure
	LengthMM float64
	Maker    string
	MadeAt   time.Time
}

// AddInsole keeps the length of a model's insole in a size: the room in that model follows from it, in every
// size. It fails with a fault.List, and with app.ErrNotFound on another shop's model.
func (s *Shelf) AddInsole(ctx context.Context, who app.Actor, model uint64, size *float64, mm *float64) error {
	c, err := s.Catalogue(ctx, who)
	if err != nil {
		return err
	}
	m := c.ByID(model)
	if m == nil {
		return app.ErrNotFound
	}
	var l fault.List
	if size == nil || !slices.Contains(m.SizesUK, foot.Figure(*size)) {
		l.Add("insole_size", "is no size that is made; choose one")
	}
	if mm == nil {
		l.Add("insole_mm", "is missing; allowed is %s", InsoleFields[1].Allowed(who.Units))
	}
	if len(l) == 0 {
		plain := *m
		plain.Insoles = nil
		if told := plain.InnerLength(foot.Figure(*size), nil); math.Abs(*mm-told) > mostOff {
			l.Add("insole_mm", "is %s, far from the %s of this size; look at the size once more", who.Units.Length(*mm), who.Units.Length(told))
		}
	}
	if len(l) > 0 {
		return l
	}
	return s.Do(ctx, who, func(q *db.Queries) error {
		if _, err := q.AddInsole(ctx, db.AddInsoleParams{ShopID: who.ShopID, ModelID: model, UkHalf: app.Halves(foot.Figure(*size)),
			LengthMm: *mm, MadeBy: who.UserID, MadeAt: s.Now()}); err != nil {
			return err
		}
		return Changed(ctx, q, who.ShopID, model)
	})
}

// TakeInsoleBack withdraws a measurement of an insole.
func (s *Shelf) TakeInsoleBack(ctx context.Context, who app.Actor, id uint64) error {
	return s.Do(ctx, who, func(q *db.Queries) error {
		x, err := q.InsoleByID(ctx, db.InsoleByIDParams{ID: id, ShopID: who.ShopID})
		if err != nil {
			return app.Found(err)
		}
		if err := q.WithdrawInsole(ctx, db.WithdrawInsoleParams{WithdrawnAt: app.NullTime(s.Now()), ID: id}); err != nil {
			return err
		}
		return Changed(ctx, q, who.ShopID, x.ModelID)
	})
}

// Insoles are those of a model that were measured, the earliest first.
func (s *Shelf) Insoles(ctx context.Context, who app.Actor, model uint64) ([]Measured, error) {
	rows, err := s.Store.InsolesOf(ctx, db.InsolesOfParams{ShopID: who.ShopID, Revision: -1})
	var out []Measured
	for _, x := range rows {
		if x.ModelID == model {
			out = append(out, Measured{x.ID, foot.Figure(float64(x.UkHalf) / 2), x.LengthMm, x.Maker, who.In(x.MadeAt)})
		}
	}
	return out, err
}

// Figure is the size's running figure.
func (m Measured) Figure() float64 { return float64(m.UK) }
