package wardrobe

import (
	"context"
	"slices"
	"strings"

	"trevik/internal/app"
	"trevik/internal/app/load"
	"trevik/internal/core/care"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// RubFields are those of the form of a place that rubs.
var RubFields = []form.Field{
	{Name: "rub_pair", Label: "Pair", Kind: form.Number, Lo: 1, Hi: 1 << 53},
	{Name: "rub_side", Label: "Foot", Kind: form.Choice, Choices: form.Words(term.Sides)},
	{Name: "rub_place", Label: "Where", Kind: form.Choice, Choices: form.Words(care.RubPlaces)},
	{Name: "rub_when", Label: "When it comes", Kind: form.Choice, Choices: form.Words(care.Whens)},
	{Name: "rub_cause", Label: "What it is laid to", Kind: form.Text, Max: 120},
	{Name: "rub_tried", Label: "What is tried", Kind: form.Text, Max: 300},
}

// RubSigns is what a runner says besides of a place that rubs; each sends them to a clinician.
var RubSigns = form.Field{Name: "rub_signs", Label: "Besides", Kind: form.Many, Choices: []string{"skin_is_broken", "it_is_numb",
	"for_over_two_weeks"}}

// AddRub keeps that a pair rubs at a place. It fails with a fault.List.
func (w *Wardrobe) AddRub(ctx context.Context, who app.Actor, runnerID uint64, r record.RubReport) error {
	r.Cause, r.Tried = strings.TrimSpace(r.Cause), strings.TrimSpace(r.Tried)
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		var l fault.List
		if _, err := own(ctx, q, who, runnerID, r.PairID); err == app.ErrNotFound {
			l.Add("rub_pair", "is not one of this runner's pairs; choose one")
		} else if err != nil {
			return err
		}
		fault.OneOf(&l, "rub_place", r.Place, care.RubPlaces)
		if r.Side != "" {
			fault.OneOf(&l, "rub_side", r.Side, term.Sides)
		}
		if r.When != "" {
			fault.OneOf(&l, "rub_when", r.When, care.Whens)
		}
		form.Length(&l, "rub_cause", r.Cause, 0, 120)
		if form.Length(&l, "rub_tried", r.Tried, 0, 300); len(l) > 0 {
			return l
		}
		return q.AddRub(ctx, db.AddRubParams{ShopID: who.ShopID, PairID: r.PairID, Side: string(r.Side), Place: string(r.Place),
			Comes: string(r.When), Cause: r.Cause, Tried: r.Tried,
			Referred: r.Referred, ByRunner: who.ByLink, MadeBy: who.UserID, MadeAt: w.Now()})
	})
}

// RubHelped says whether what was tried helped.
func (w *Wardrobe) RubHelped(ctx context.Context, who app.Actor, runnerID, rubID uint64, yes bool) error {
	word := "no"
	if yes {
		word = "yes"
	}
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		all, err := load.Runner(ctx, q, who, runnerID)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(all.Rubs, func(r record.RubReport) bool { return r.ID == rubID }) {
			return app.ErrNotFound
		}
		_, err = q.SetRubHelped(ctx, db.SetRubHelpedParams{Helped: word, ID: rubID, ShopID: who.ShopID, RunnerID: runnerID})
		return err
	})
}
