package visit

import (
	"context"
	"slices"
	"strings"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/rotation"
	"trevik/internal/core/term"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Fields of the forms about models.
var (
	LetInFields = []form.Field{{Name: "model", Label: "Model", Kind: form.Text, Max: 80},
		{Name: "let_in", Label: "Why, kept with your name", Kind: form.Text, Max: 300}}
	DislikeFields = []form.Field{{Name: "disliked_model", Label: "Model", Kind: form.Text, Max: 80},
		{Name: "disliked_why", Label: "Why", Kind: form.Text, Max: 200}}
	SuitFields = []form.Field{
		{Name: "suit_model", Label: "Model", Kind: form.Text, Max: 80},
		{Name: "suit_kind", Label: "Kind of run", Kind: form.Choice, Choices: form.Words(record.RunKinds())},
		{Name: "suit_ground", Label: "Ground", Kind: form.Choice, Choices: form.Words(term.Grounds)},
		{Name: "suit_value", Label: "Suitability, 0 to 1", Kind: form.Number, Lo: 0, Hi: 1},
		{Name: "suit_why", Label: "Why, kept with your name", Kind: form.Text, Max: 200},
	}
)

// Dislike puts down that the runner disliked a model, by its code or name, in that version and
// why; undo takes that back. It fails with a fault.List.
func (v *Visits) Dislike(ctx context.Context, who app.Actor, fitID uint64, model, why string, undo bool) (Saved, error) {
	return v.change(ctx, who, fitID, func(_ *db.Queries, fit *record.Conclusions) ([]record.Value, error) {
		m := fit.Shop.Catalogue.Find(model)
		switch {
		case m == nil:
			return nil, fault.List{{Field: "disliked_model", Text: "is not in the catalogue; choose one, or write it down below"}}
		case why == "" && !undo:
			return nil, fault.List{{Field: "disliked_why", Text: "is missing: say why, so that another version can be told apart"}}
		}
		d := record.Disliked
		return []record.Value{{Key: d.Key(fit.Shop.Catalogue.RowID(m.ID)), Decl: d.Decl, Text: why, Empty: undo}}, nil
	})
}

// never are the reasons for which a model is ruled out whatever a fitter says.
var never = []string{"size", "caution"}

// LetIn lets a model in that was ruled out, with a reason that is kept; undo takes that back. It
// fails with a fault.List without a reason, and where no size of the model fits or a caution
// keeps it out.
func (v *Visits) LetIn(ctx context.Context, who app.Actor, fitID uint64, code, reason string, undo bool) (Saved, error) {
	if who.Role == app.Trainee {
		return Saved{}, app.ErrNotAllowed
	}
	reason = strings.TrimSpace(reason)
	return v.change(ctx, who, fitID, func(_ *db.Queries, fit *record.Conclusions) ([]record.Value, error) {
		id := fit.Shop.Catalogue.RowID(code)
		if id == 0 {
			return nil, app.ErrNotFound
		}
		if !undo {
			var l fault.List
			form.Length(&l, "let_in", reason, leastReason, 300)
			answer, _, err := fit.Match()
			if err != nil {
				return nil, err
			}
			for _, o := range answer.RuledOut {
				if o.Model == code && slices.ContainsFunc(o.Reasons, func(r string) bool { return slices.Contains(never, r) }) {
					l.Add("let_in", "is not possible: %s", o.Text)
				}
			}
			if len(l) > 0 {
				return nil, l
			}
		}
		d := record.LetIn
		return []record.Value{{Key: d.Key(id), Decl: d.Decl, Text: reason, Empty: undo}}, nil
	})
}

// Suit is how well a model suits a kind of run for a runner, as a fitter sets it.
type Suit struct {
	Model  string // its code or its name
	Kind   term.Kind
	Ground term.Ground
	Value  *float64 // 0 to 1
	Why    string
	Undo   bool // back to what is computed
}

// SetSuit lays down how well a model suits a kind of run for this runner, with the reason, in
// the place of the computed value. It fails with a fault.List.
func (v *Visits) SetSuit(ctx context.Context, who app.Actor, fitID uint64, s Suit) (Saved, error) {
	return v.change(ctx, who, fitID, func(_ *db.Queries, fit *record.Conclusions) ([]record.Value, error) {
		var l fault.List
		m := fit.Shop.Catalogue.Find(s.Model)
		if m == nil {
			l.Add("suit_model", "is not in the catalogue; choose one")
		}
		fault.OneOf(&l, "suit_kind", s.Kind, record.RunKinds())
		fault.OneOf(&l, "suit_ground", s.Ground, term.Grounds)
		value := record.Value{Decl: record.Suitability, Text: strings.TrimSpace(s.Why), Empty: s.Undo}
		switch {
		case s.Undo:
		case s.Value == nil:
			l.Add("suit_value", "is missing; allowed is 0 to 1")
		default:
			l.Range("suit_value", *s.Value, 0, 1, "")
			form.Length(&l, "suit_why", value.Text, 3, 200)
			value.Number = *s.Value
		}
		if len(l) > 0 {
			return nil, l
		}
		value.Key = record.SuitKey(fit.Shop.Catalogue.RowID(m.ID), s.Kind, s.Ground)
		return []record.Value{value}, nil
	})
}

// Compare puts down one comparison: left and right are the models on the feet, by code, better
// is "left", "right" or "even". It fails with a fault.List.
func (v *Visits) Compare(ctx context.Context, who app.Actor, fitID uint64, left, right, better string) (Saved, error) {
	return v.change(ctx, who, fitID, func(_ *db.Queries, fit *record.Conclusions) ([]record.Value, error) {
		var l fault.List
		ids := map[string]uint64{}
		for field, code := range map[string]string{"on_left": left, "on_right": right} {
			if ids[field] = fit.Shop.Catalogue.RowID(code); ids[field] == 0 {
				l.Add(field, "is no model of the catalogue; choose one of the set")
			}
		}
		if left == right {
			l.Add("on_right", "is the same as on the left; a pair is not compared with itself")
		}
		fault.OneOf(&l, "better", better, record.Compared.Choices)
		n := fit.NextComparison()
		if n > record.Compared.Rows {
			l.Add("better", "would be comparison %d; allowed are %d", n, record.Compared.Rows)
		}
		if len(l) > 0 {
			return nil, l
		}
		return []record.Value{{Key: record.ComparedKey(n, ids["on_left"], ids["on_right"]), Decl: record.Compared, Text: better}}, nil
	})
}

// AgainFields are those of a model that is tried in another size or width, too.
var AgainFields = []form.Field{
	{Name: "again_size", Label: "Size", Kind: form.Number, Lo: 0, Hi: 20},
	{Name: "again_width", Label: "Width", Kind: form.Text, Max: 4},
}

// TryAgain puts a model that is tried on into the set in another size (the running UK figure on its
// chart) or width, too. It fails with a fault.List.
func (v *Visits) TryAgain(ctx context.Context, who app.Actor, fitID uint64, code string, size float64, width string) (Saved, error) {
	return v.change(ctx, who, fitID, func(_ *db.Queries, fit *record.Conclusions) ([]record.Value, error) {
		return fit.AgainValues(code, foot.Figure(size), width)
	})
}

// SetInTryOn puts a model into the set that is tried on, or takes it out. It fails with a
// fault.List.
func (v *Visits) SetInTryOn(ctx context.Context, who app.Actor, fitID uint64, code string, in bool) (Saved, error) {
	return v.change(ctx, who, fitID, func(_ *db.Queries, fit *record.Conclusions) ([]record.Value, error) {
		id := fit.Shop.Catalogue.RowID(code)
		if id == 0 {
			return nil, fault.List{{Field: "model", Text: "is no model of the catalogue; choose one"}}
		}
		word := "in"
		if !in {
			word = "out"
		}
		return []record.Value{{Key: record.TrySet.Key(id), Decl: record.TrySet.Decl, Text: word}}, nil
	})
}

// TemplateFields are those of a week from a template.
var TemplateFields = []form.Field{
	{Name: "template_goal", Label: "Goal", Kind: form.Choice, Choices: form.Words(rotation.Goals)},
	{Name: "template_km", Label: "Distance a week", Kind: form.Number, Unit: form.KM, Lo: 3, Hi: 300},
	{Name: "template_days", Label: "Days a week", Kind: form.Number, Lo: 1, Hi: 7},
}

// LayOut puts the week that was told at Hello on the board.
func (v *Visits) LayOut(ctx context.Context, who app.Actor, fitID uint64, week int) (Saved, error) {
	return v.change(ctx, who, fitID, func(_ *db.Queries, fit *record.Conclusions) ([]record.Value, error) { return fit.ToldValues(week), nil })
}

// LayTemplate puts a plain week for a goal and a weekly distance, km, on the board; days nil is
// as many as that distance is usually run on. It fails with a fault.List.
func (v *Visits) LayTemplate(ctx context.Context, who app.Actor, fitID uint64, week int, goal rotation.Goal, km float64,
	days *float64) (Saved, error) {
	return v.change(ctx, who, fitID, func(_ *db.Queries, fit *record.Conclusions) ([]record.Value, error) {
		return fit.TemplateValues(week, goal, km, days)
	})
}

// SplitRun parts the run in a row of the board. It fails with a fault.List.
func (v *Visits) SplitRun(ctx context.Context, who app.Actor, fitID uint64, row int) (Saved, error) {
	return v.change(ctx, who, fitID, func(_ *db.Queries, fit *record.Conclusions) ([]record.Value, error) { return fit.SplitValues(row) })
}

// ResizeRun makes the run in a row of the board last so many minutes at its pace. It fails with
// a fault.List.
func (v *Visits) ResizeRun(ctx context.Context, who app.Actor, fitID uint64, row int, minutes float64) (Saved, error) {
	return v.change(ctx, who, fitID, func(_ *db.Queries, fit *record.Conclusions) ([]record.Value, error) {
		return fit.ResizeValues(row, minutes)
	})
}
