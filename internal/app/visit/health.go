package visit

import (
	"context"
	"time"

	"trevik/internal/app"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// ForgetHealth deletes a runner's health answers: findings, what decisions say of them, and in
// plans for changing over the complaints and what was reported; such a plan ends, since it can
// no longer listen. Those of fits under way stay unless openToo, and plans that were made after
// until.
func ForgetHealth(ctx context.Context, q *db.Queries, now, until time.Time, shopID, runnerID uint64, openToo bool) error {
	if err := q.DeleteFindingsOfRunner(ctx, db.DeleteFindingsOfRunnerParams{RunnerID: runnerID, ShopID: shopID, OpenToo: openToo,
		Names: record.HealthNames()}); err != nil {
		return err
	}
	rows, err := q.DecisionsOfRunner(ctx, db.DecisionsOfRunnerParams{RunnerID: runnerID, ShopID: shopID, OpenToo: openToo})
	if err != nil {
		return err
	}
	for _, d := range rows {
		reason, basis, err := app.DecisionOf(d.Reason, d.Basis, d.Health)
		if err != nil {
			return err
		}
		p, err := HideDecision(d.Kind, d.Value, reason, basis)
		if err != nil {
			return err
		}
		p.ID, p.ShopID, p.Health = d.ID, shopID, ""
		if d.Kind == record.ReferOverride && reason != "" {
			p.Reason = "deleted with the health answers"
		}
		if err := q.RewriteDecision(ctx, p); err != nil {
			return err
		}
	}
	if err := forgetInPlans(ctx, q, now, until, shopID, runnerID); err != nil {
		return err
	}
	return q.TouchVerdict(ctx, db.TouchVerdictParams{RunnerID: runnerID, ShopID: shopID})
}

func forgetInPlans(ctx context.Context, q *db.Queries, now, until time.Time, shopID, runnerID uint64) error {
	plans, err := q.LoadChanges(ctx, db.LoadChangesParams{ShopID: shopID, Ids: []uint64{runnerID}})
	if err != nil {
		return err
	}
	for _, p := range plans {
		if p.MadeAt.After(until) {
			continue
		}
		data, err := app.WithoutComplaints(p.Asked)
		if err != nil {
			return err
		}
		ended := p.EndedAt
		if !ended.Valid {
			ended = app.NullTime(now)
		}
		if err := q.RewriteChange(ctx, db.RewriteChangeParams{Asked: data, EndedAt: ended, ID: p.ID, ShopID: shopID}); err != nil {
			return err
		}
		if err := q.DeleteChangeReports(ctx, db.DeleteChangeReportsParams{ChangeID: p.ID, ShopID: shopID}); err != nil {
			return err
		}
	}
	return nil
}
