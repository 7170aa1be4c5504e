package visit

import (
	"context"
	"encoding/json"
	"slices"
	"strings"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Reasons of a decision, in letters.
const (
	leastReason = 10
	mostReason  = 1000
)

// Fields of the forms of decisions.
var (
	OverruleFields = []form.Field{{Name: "reason", Label: "Reason, kept with your name", Kind: form.Text, Max: mostReason}}
	LevelFields    = []form.Field{{Name: "level", Label: "Level", Kind: form.Choice, Choices: form.Words(term.Levels)},
		{Name: "level_reason", Label: "Why, kept with your name", Kind: form.Text, Max: mostReason}}
)

// Decide writes a decision of an open fit in a verb's transaction, with what it was decided on.
func (v *Visits) Decide(ctx context.Context, q *db.Queries, who app.Actor, fitID uint64, kind, value, reason string, basis any) error {
	data, err := json.Marshal(basis)
	if err != nil {
		return err
	}
	p, err := HideDecision(kind, value, reason, data)
	if err != nil {
		return err
	}
	_, err = q.AddDecision(ctx, db.AddDecisionParams{ShopID: who.ShopID, FitID: fitID, Kind: kind, Value: value, Reason: p.Reason,
		Basis: p.Basis, Health: p.Health, MadeBy: who.UserID, MadeAt: v.Now()})
	return err
}

// HideDecision parts a decision into what tells of the runner's health and what does not.
func HideDecision(kind, value, reason string, basis []byte) (db.RewriteDecisionParams, error) {
	hidden := app.Hidden{Basis: basis}
	p := db.RewriteDecisionParams{Basis: []byte("{}"), Reason: reason}
	switch {
	case kind == record.ReferOverride && reason != "":
		hidden.Reason, p.Reason = &reason, ""
	case kind == record.Chosen && value == "": // which pair was taken back tells of nobody's health
		p.Basis = basis
		return p, nil
	case kind == record.Chosen:
		var b record.Basis
		if err := json.Unmarshal(basis, &b); err != nil {
			return p, err
		}
		b.Support.ForgetHealth()
		var err error
		if p.Basis, err = json.Marshal(b); err != nil {
			return p, err
		}
	}
	var err error
	p.Health, err = hidden.Hide()
	return p, err
}

// Overrule lets a fit go on in spite of a caution that refers, with a reason; undo takes that
// back. It fails with a fault.List without a reason.
func (v *Visits) Overrule(ctx context.Context, who app.Actor, fitID uint64, reason string, undo bool) error {
	if who.Role == app.Trainee {
		return app.ErrNotAllowed
	}
	value, reason := "go_on", strings.TrimSpace(reason)
	var l fault.List
	if undo {
		value, reason = "", ""
	} else if form.Length(&l, "reason", reason, leastReason, mostReason); len(l) > 0 {
		return l
	}
	return v.Do(ctx, who, func(q *db.Queries) error {
		fit, err := v.Open(ctx, q, who, fitID)
		if err == nil {
			err = v.Decide(ctx, q, who, fitID, record.ReferOverride, value, reason,
				map[string]any{"flags": fit.Cautions(), "settings": fit.Settings})
		}
		if err == nil {
			err = v.Touch(ctx, q, who, fit.Runner.ID)
		}
		return err
	})
}

// OverruleLevel puts a fitter's level of support in place of the lead's, with a reason that is
// kept; undo takes that back. It fails with a fault.List without a level or a reason, and while
// a caution refers the runner.
func (v *Visits) OverruleLevel(ctx context.Context, who app.Actor, fitID uint64, level term.Level, reason string, undo bool) error {
	if who.Role == app.Trainee {
		return app.ErrNotAllowed
	}
	reason = strings.TrimSpace(reason)
	if undo {
		level, reason = "", ""
	}
	return v.Do(ctx, who, func(q *db.Queries) error {
		fit, err := v.Open(ctx, q, who, fitID)
		if err != nil {
			return err
		}
		answer, err := support.Decide(fit.Evidence())
		if err != nil {
			return err
		}
		var l fault.List
		if !undo {
			fault.OneOf(&l, "level", level, term.Levels)
			form.Length(&l, "level_reason", reason, leastReason, mostReason)
			if answer.Refer {
				l.Add("level", "is not given while a caution refers the runner to a clinician")
			} else if slices.Contains(fit.Cautions(), support.PrescribedOrthotic) {
				l.Add("level", "is not chosen over a prescribed orthotic; ask the prescriber")
			}
		}
		if len(l) > 0 {
			return l
		}
		if err := v.Decide(ctx, q, who, fitID, record.LevelOverrule, string(level), reason, map[string]any{"evidence": fit.Evidence(),
			"settings": fit.Settings, "schools": answer}); err != nil {
			return err
		}
		return v.Touch(ctx, q, who, fit.Runner.ID)
	})
}
