// Package wardrobe is a runner's pairs: bought, brought along, looked at, set aside, and all
// that is told of them between visits.
package wardrobe

import (
	"bytes"
	"context"
	"image/jpeg"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/visit"
	"trevik/internal/core/fault"
	"trevik/internal/core/limits"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Wardrobe is that concern.
type Wardrobe struct {
	*app.Core
	Visits *visit.Visits
}

// Fields of the forms about a pair in use.
var (
	AsideFields = []form.Field{
		{Name: "aside_reason", Label: "Why", Kind: form.Choice, Choices: record.AsideReasons},
		{Name: "aside_note", Label: "What wore out or was wrong", Kind: form.Text, Max: 300},
	}
	CountedFields = []form.Field{
		{Name: "before_km", Label: "Distance before it was counted here", Kind: form.Number, Unit: form.KM, Lo: 0, Hi: limits.KMBefore.Hi},
		{Name: "before_sure", Label: "How sure", Kind: form.Choice, Choices: Sureties},
	}
	LetInFields   = []form.Field{{Name: "let_in_pair", Label: "Why keep running in it", Kind: form.Text, Max: 300}}
	CalledFields  = []form.Field{{Name: "called", Label: "Its colour or name", Kind: form.Text, Max: 60}}
	LiftingFields = []form.Field{{Name: "lifting_hours", Label: "Hours of lifting in it", Kind: form.Number, Lo: limits.LiftingHours.Lo,
		Hi: limits.LiftingHours.Hi}}
)

// Sureties are how well the distance of a pair is known that ran before anybody counted.
var Sureties = []string{"counted", "about_right", "a_guess", "no_idea"}

// doubts are the SDs of ln of such a distance (house).
var doubts = map[string]float64{"counted": 0, "about_right": 0.2, "a_guess": 0.4}

// before reads what a pair ran before it was counted: nobody's idea where that was said; a figure needs
// how sure it is. told is false where nothing was.
func before(l *fault.List, km *float64, sure string) (b wear.Before, told bool) {
	switch {
	case sure == "no_idea":
		return wear.Before{Unknown: true}, true
	case km == nil && sure == "":
		return b, false
	case km == nil && sure == Sureties[0]: // from its first day
		return b, true
	case km == nil:
		l.Add("before_km", "is missing; type the distance, or choose that nobody has an idea")
		return b, false
	}
	if sure != "" {
		fault.OneOf(l, "before_sure", sure, Sureties)
	}
	limits.KMBefore.Check(l, "before_km", *km)
	return wear.Before{KM: *km, SDLn: doubts[sure]}, true
}

// Counted says what one of the runner's pairs ran before anybody counted. It fails with a fault.List.
func (w *Wardrobe) Counted(ctx context.Context, who app.Actor, runnerID, pairID uint64, km *float64, sure string) error {
	var l fault.List
	b, told := before(&l, km, sure)
	if len(l) == 0 && !told {
		l.Add("before_sure", "is missing; say how well the distance is known")
	}
	if len(l) > 0 {
		return l
	}
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		if _, err := own(ctx, q, who, runnerID, pairID); err != nil {
			return err
		}
		return q.SetPairBefore(ctx, db.SetPairBeforeParams{KmBefore: app.NullFloat(&b.KM), KmBeforeDoubt: app.NullFloat(&b.SDLn),
			KmUnknown: b.Unknown, ID: pairID, ShopID: who.ShopID})
	})
}

// leastWhy is the shortest reason for a pair that is let in again, in letters.
const leastWhy = 5

// LetPairIn lets a pair be run in, though its wear sets it aside, with a reason; an empty reason takes
// that back. It fails with a fault.List.
func (w *Wardrobe) LetPairIn(ctx context.Context, who app.Actor, runnerID, pairID uint64, reason string, undo bool) error {
	if who.Role == app.Trainee {
		return app.ErrNotAllowed
	}
	var l fault.List
	if reason = strings.TrimSpace(reason); undo {
		reason = ""
	} else if form.Length(&l, "let_in_pair", reason, leastWhy, 300); len(l) > 0 {
		return l
	}
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		if _, err := own(ctx, q, who, runnerID, pairID); err != nil {
			return err
		}
		return q.SetPairLetIn(ctx, db.SetPairLetInParams{LetInReason: reason, ID: pairID, ShopID: who.ShopID})
	})
}

// Call gives a pair what tells it from another of its model. It fails with a fault.List.
func (w *Wardrobe) Call(ctx context.Context, who app.Actor, runnerID, pairID uint64, name string) error {
	var l fault.List
	name = strings.TrimSpace(name)
	if form.Length(&l, "called", name, 0, 60); len(l) > 0 {
		return l
	}
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		if _, err := own(ctx, q, who, runnerID, pairID); err != nil {
			return err
		}
		return q.SetPairCalled(ctx, db.SetPairCalledParams{Called: name, ID: pairID, ShopID: who.ShopID})
	})
}

// own is one of the runner's pairs, in a verb's transaction; app.ErrNotFound on another's.
func own(ctx context.Context, q *db.Queries, who app.Actor, runnerID, pairID uint64) (db.PairByIDRow, error) {
	p, err := q.PairByID(ctx, db.PairByIDParams{ID: pairID, ShopID: who.ShopID})
	if err == nil && p.RunnerID != runnerID {
		return p, app.ErrNotFound
	}
	return p, app.Found(err)
}

// inUse notes a fault at a field where a pair is none of the runner's in use.
func inUse(ctx context.Context, q *db.Queries, who app.Actor, l *fault.List, field string, runnerID, pairID uint64) error {
	p, err := own(ctx, q, who, runnerID, pairID)
	if err == app.ErrNotFound || err == nil && p.SetAsideOn.Valid {
		l.Add(field, "is not one of this runner's pairs in use; choose one")
		return nil
	}
	return err
}

// SetAside ends a pair's running days for a reason. Worn out, its distance becomes the runner's
// own history. It fails with a fault.List.
func (w *Wardrobe) SetAside(ctx context.Context, who app.Actor, runnerID, pairID uint64, reason, note string) error {
	var l fault.List
	note = strings.TrimSpace(note)
	fault.OneOf(&l, "aside_reason", reason, record.AsideReasons)
	if form.Length(&l, "aside_note", note, 0, 300); len(l) > 0 {
		return l
	}
	return w.aside(ctx, who, runnerID, pairID, w.Today(who), reason, note)
}

// Resume takes a pair that was set aside back into use.
func (w *Wardrobe) Resume(ctx context.Context, who app.Actor, runnerID, pairID uint64) error {
	return w.aside(ctx, who, runnerID, pairID, time.Time{}, "", "")
}

func (w *Wardrobe) aside(ctx context.Context, who app.Actor, runnerID, pairID uint64, on time.Time, reason, note string) error {
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		p, err := own(ctx, q, who, runnerID, pairID)
		if err != nil {
			return err
		}
		if p.SetAsideOn.Valid != on.IsZero() {
			return app.ErrNotFound // it is so already
		}
		return q.SetPairAside(ctx, db.SetPairAsideParams{SetAsideOn: app.NullTime(on), AsideReason: reason, AsideNote: note, ID: pairID,
			ShopID: who.ShopID})
	})
}

// SlowDown lets a pair do short and slow runs alone from today, or all again.
func (w *Wardrobe) SlowDown(ctx context.Context, who app.Actor, runnerID, pairID uint64, slow bool) error {
	var on time.Time
	if slow {
		on = w.Today(who)
	}
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		if _, err := own(ctx, q, who, runnerID, pairID); err != nil {
			return err
		}
		return q.SetPairSlowed(ctx, db.SetPairSlowedParams{SlowedOn: app.NullTime(on), ID: pairID, ShopID: who.ShopID})
	})
}

// AddLifting adds hours of lifting in a pair. It fails with a fault.List.
func (w *Wardrobe) AddLifting(ctx context.Context, who app.Actor, runnerID, pairID uint64, hours float64) error {
	var l fault.List
	if !limits.LiftingHours.Check(&l, "lifting_hours", hours) {
		return l
	}
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		if _, err := own(ctx, q, who, runnerID, pairID); err != nil {
			return err
		}
		so, err := q.LiftingOfPair(ctx, db.LiftingOfPairParams{PairID: pairID, ShopID: who.ShopID})
		if err != nil {
			return err
		}
		if sum := so + hours; !limits.LiftingSum.Holds(sum) {
			return fault.List{{Field: "lifting_hours", Text: "makes more hours than a pair can have; it has " + form.Field{}.Show(so, "") +
				" already"}}
		}
		return q.AddLifting(ctx, db.AddLiftingParams{ShopID: who.ShopID, PairID: pairID, Hours: hours, MadeBy: who.UserID, MadeAt: w.Now()})
	})
}

// AddPhoto keeps a picture of a pressed midsole. It fails with a fault.List on what is no
// picture.
func (w *Wardrobe) AddPhoto(ctx context.Context, who app.Actor, runnerID, pairID uint64, side term.Side, data []byte) error {
	var l fault.List
	if fault.OneOf(&l, "photo_side", side, term.Sides); len(l) > 0 {
		return l
	}
	img, _, err := app.Upright(ctx, "photo", data, visit.SoleLong)
	if err != nil {
		return err
	}
	var out bytes.Buffer
	if err := jpeg.Encode(&out, img, &jpeg.Options{Quality: 85}); err != nil {
		return err
	}
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		if _, err := own(ctx, q, who, runnerID, pairID); err != nil {
			return err
		}
		return q.AddPairPhoto(ctx, db.AddPairPhotoParams{ShopID: who.ShopID, PairID: pairID, Side: string(side), Data: out.Bytes(),
			MadeBy: who.UserID, MadeAt: w.Now()})
	})
}

// Photo is a picture of a runner's pair, JPEG.
func (w *Wardrobe) Photo(ctx context.Context, who app.Actor, runnerID, id uint64) ([]byte, error) {
	data, err := w.Store.PairPhoto(ctx, db.PairPhotoParams{ID: id, RunnerID: runnerID, ShopID: who.ShopID})
	return data, app.Found(err)
}
