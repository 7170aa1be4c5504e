package wardrobe

import (
	"context"
	"database/sql"
	"slices"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/form"
	"trevik/internal/store/db"
)

// otherCauses are asked for before an ache is laid to a shoe's account.
var otherCauses = []string{"training_went_up", "more_hills", "other_ground", "little_sleep", "none_of_these"}

// lookParts are what is looked at of each shoe, from 0 as new to 4 gone.
var lookParts = []string{"tread", "bounce", "upper", "evenness"}

// grades are how much is gone, as it is seen.
var grades = []string{"0", "1", "2", "3", "4"}

// NewLook is a look at a pair as it is entered: grades 0 to 4 by part and side.
type NewLook struct {
	On     string
	Grades map[string]map[term.Side]string // by part
	Fresh  bool
	Faults []string
	Causes []string
	Note   string
}

func (n NewLook) value(part string, side term.Side) *float64 {
	at := slices.Index(grades, n.Grades[part][side])
	if at < 0 {
		return nil
	}
	v := float64(at) / float64(len(grades)-1)
	return &v
}

// LookFields are those of the form of a look at a pair.
var LookFields = []form.Field{
	{Name: "looked_on", Label: "Date of the check", Kind: form.Day},
	{Name: "look_tread", Label: "Outsole wear", Kind: form.Choice, Choices: grades, Sides: true},
	{Name: "look_bounce", Label: "Cushioning lost (press test)", Kind: form.Choice, Choices: grades, Sides: true},
	{Name: "look_upper", Label: "Upper torn or stretched", Kind: form.Choice, Choices: grades, Sides: true},
	{Name: "look_evenness", Label: "Uneven wear", Kind: form.Choice, Choices: grades, Sides: true},
	{Name: "look_fresh", Label: "Beside a fresh pair", Kind: form.Choice, Choices: []string{"no", "yes"}},
	{Name: "look_faults", Label: "Damage", Kind: form.Many, Choices: []string{"upper_hole", "sole_through"}},
	{Name: "look_causes", Label: "New aches on easy runs? First: what else changed", Kind: form.Many, Choices: otherCauses},
	{Name: "look_note", Label: "Note", Kind: form.Text, Max: 300},
}

// AddLook keeps a look at one of the runner's pairs. It fails with a fault.List.
func (w *Wardrobe) AddLook(ctx context.Context, who app.Actor, runnerID, pairID uint64, n NewLook) error {
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		p, err := own(ctx, q, who, runnerID, pairID)
		if err != nil {
			return err
		}
		on, l := w.lookDay(who, n.On, p.BoughtOn)
		some := len(n.Faults) > 0
		for _, part := range lookParts {
			for _, s := range term.Sides {
				some = some || n.value(part, s) != nil
			}
		}
		if !some {
			l.Add("look_tread.left", "is missing, and so is everything else: say at least one thing that was looked at")
		}
		if form.Length(&l, "look_note", n.Note, 0, 300); len(l) > 0 {
			return l
		}
		seen := func(part string, s term.Side) sql.NullFloat64 { return app.NullFloat(n.value(part, s)) }
		_, err = q.AddInspection(ctx, db.AddInspectionParams{ShopID: who.ShopID, PairID: pairID, LookedOn: on,
			TreadLeft: seen("tread", term.Left), TreadRight: seen("tread", term.Right), BounceLeft: seen("bounce", term.Left),
			BounceRight: seen("bounce", term.Right),
			UpperLeft:   seen("upper", term.Left), UpperRight: seen("upper", term.Right), EvennessLeft: seen("evenness", term.Left),
			EvennessRight: seen("evenness", term.Right),
			BesideFresh:   n.Fresh, UpperHole: slices.Contains(n.Faults, "upper_hole"), SoleThrough: slices.Contains(n.Faults, "sole_through"),
			Aches: strings.Join(n.Causes, ","), Note: strings.TrimSpace(n.Note), ByRunner: who.ByLink, MadeBy: who.UserID, MadeAt: w.Now()})
		return err
	})
}

// lookDay is the day of a look: today where none was told.
func (w *Wardrobe) lookDay(who app.Actor, told string, bought time.Time) (time.Time, fault.List) {
	today := w.Today(who)
	if told == "" {
		return today, nil
	}
	var l fault.List
	on, err := time.Parse(time.DateOnly, told)
	switch {
	case err != nil:
		l.Add("looked_on", "is %q; allowed is a day such as %s", form.Clip(told), today.Format(time.DateOnly))
	case on.After(today):
		l.Add("looked_on", "is after today; allowed is up to %s", today.Format(time.DateOnly))
	case on.Before(bought):
		l.Add("looked_on", "is before the pair was the runner's; allowed is from %s", bought.Format(time.DateOnly))
	}
	return on, l
}

// TakeLookBack withdraws a look.
func (w *Wardrobe) TakeLookBack(ctx context.Context, who app.Actor, runnerID, lookID uint64) error {
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		return app.Some(q.WithdrawInspection(ctx, db.WithdrawInspectionParams{WithdrawnAt: app.NullTime(w.Now()), ID: lookID, ShopID: who.ShopID,
			RunnerID: runnerID}))
	})
}
