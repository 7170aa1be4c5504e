package wardrobe

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/load"
	"trevik/internal/core/care"
	"trevik/internal/core/fault"
	"trevik/internal/core/limits"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Fields of the forms of changing over.
var (
	ChangeFields = []form.Field{
		{Name: "change_from", Label: "From pair", Kind: form.Number, Lo: 1, Hi: 1 << 53},
		{Name: "change_to", Label: "To pair", Kind: form.Number, Lo: 1, Hi: 1 << 53},
		{Name: "change_km", Label: "Distance a week", Kind: form.Number, Unit: form.KM, Lo: limits.ChangeKM.Lo, Hi: limits.ChangeKM.Hi},
		{Name: "change_goal", Label: "In the end in the new pair, %", Kind: form.Number, Lo: 10, Hi: 100},
		{Name: "change_start", Label: "Start", Kind: form.Day},
	}
	SoreFields = []form.Field{
		{Name: "sore_week", Label: "Week", Kind: form.Number, Lo: 1, Hi: 104},
		{Name: "sore_level", Label: "Soreness, 0 to 10", Kind: form.Number, Lo: 0, Hi: 10},
		{Name: "sore_place", Label: "Where", Kind: form.Choice, Choices: form.Words(term.Places)},
		{Name: "sore_night", Label: "Pain at night", Kind: form.Choice, Choices: []string{"no", "yes"}},
	}
)

// ChangeAsked is a plan of changing over as it is asked for: from one of the runner's pairs to
// another. Goal is the share in the new pair in the end, nil all.
type ChangeAsked struct {
	From, To uint64
	WeeklyKM float64
	Goal     *float64
	Start    string
}

// ChangeOver makes a plan from one of the runner's pairs to another, as of what is known:
// complaints are taken from the latest fit. It fails with a fault.List, and where the plan is
// refused with the reason at change_to.
func (w *Wardrobe) ChangeOver(ctx context.Context, who app.Actor, runnerID uint64, asked ChangeAsked) error {
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		runner, err := load.Runner(ctx, q, who, runnerID)
		if err != nil {
			return err
		}
		var l fault.List
		find := func(field string, id uint64) *record.Pair {
			p := runner.Pair(id)
			if p == nil {
				l.Add(field, "is not one of this runner's pairs; choose one")
			}
			return p
		}
		from, to := find("change_from", asked.From), find("change_to", asked.To)
		if asked.From == asked.To && asked.From != 0 {
			l.Add("change_to", "is the same pair; choose another")
		}
		today := w.Today(who)
		on, err := time.Parse(time.DateOnly, asked.Start)
		if err != nil || on.Before(today.AddDate(0, -6, 0)) || on.After(today.AddDate(1, 0, 0)) {
			l.Add("change_start", "is %q; allowed is a day within half a year back and a year ahead, such as %s", form.Clip(asked.Start),
				today.Format(time.DateOnly))
		}
		if limits.ChangeKM.Check(&l, "change_km", asked.WeeklyKM); len(l) > 0 {
			return l
		}
		complaints, err := w.complaints(ctx, q, who, runnerID)
		if err != nil {
			return err
		}
		ask := care.Change{From: shoeOf(from), To: shoeOf(to), WeeklyKM: asked.WeeklyKM, GoalShare: asked.Goal, Start: asked.Start,
			Complaints: complaints}
		if err := worthAPlan(ask); err != nil {
			return err
		}
		return w.addChange(ctx, q, who, runnerID, record.ChangeFacts{From: from.Name(), FromPair: from.ID, To: to.Name(), ToPair: to.ID,
			Asked: ask})
	})
}

// addChange keeps a plan of changing over.
func (w *Wardrobe) addChange(ctx context.Context, q *db.Queries, who app.Actor, runnerID uint64, f record.ChangeFacts) error {
	data, err := json.Marshal(f.Asked)
	if err != nil {
		return err
	}
	p := db.AddChangeParams{ShopID: who.ShopID, RunnerID: runnerID, FromName: f.From, ToName: f.To, FromPair: app.NullID(f.FromPair),
		ToPair: app.NullID(f.ToPair), MadeBy: who.UserID, MadeAt: w.Now()}
	if p.Asked, err = app.WithoutComplaints(data); err != nil {
		return err
	}
	if p.Health, err = (app.Hidden{Asked: data}).Hide(); err != nil {
		return err
	}
	_, err = q.AddChange(ctx, p)
	return err
}

// goOver keeps the plan of going over to a pair that was just sold, where one is needed.
func (w *Wardrobe) goOver(ctx context.Context, q *db.Queries, who app.Actor, fit *record.Conclusions, m *shoe.Model, pair uint64) error {
	way, err := fit.WayTo(m)
	if err != nil || way == nil || !way.Plan.Needed || way.Plan.Refused != nil {
		return err
	}
	return w.addChange(ctx, q, who, fit.Runner.ID, record.ChangeFacts{From: way.From, FromPair: way.FromPair, To: record.ModelName(m),
		ToPair: pair, Asked: way.Ask})
}

func shoeOf(p *record.Pair) *care.Shoe { return record.CareShoe(&p.Model) }

// complaints are those of the latest fit, as old as they are by now.
func (w *Wardrobe) complaints(ctx context.Context, q *db.Queries, who app.Actor, runnerID uint64) ([]care.Complaint, error) {
	h, err := load.Settings(ctx, q, who.ShopID)
	if err != nil {
		return nil, err
	}
	visits, err := load.WithWeek(ctx, q, who, h, []uint64{runnerID})
	if err != nil || visits[runnerID] == nil {
		return nil, err
	}
	list, _ := visits[runnerID].Complaints()
	if list == nil {
		return nil, nil
	}
	since := max(0, record.Months(visits[runnerID].StartedAt, w.Now()))
	var out []care.Complaint
	for _, c := range *list {
		out = append(out, care.Complaint{Place: c.Place, MonthsAgo: min(limits.MonthsAgo.Hi, *c.MonthsAgo+since)})
	}
	return out, nil
}

// worthAPlan says in a fault.List why a plan is refused, or that none is needed.
func worthAPlan(ask care.Change) error {
	plan, err := care.Plan(ask)
	if faults, ok := fault.As(err); ok {
		var l fault.List
		for _, f := range faults {
			l.Add("change_to", "%s %s", f.Field, f.Text)
		}
		return l
	}
	switch {
	case err != nil:
		return err
	case plan.Refused != nil:
		return fault.List{{Field: "change_to", Text: "is refused. " + strings.TrimSuffix(*plan.Refused, ".")}}
	case !plan.Needed:
		return fault.List{{Field: "change_to",
			Text: fmt.Sprintf("is close enough to the old pair (size %.2f, from %.2f a plan is needed): no plan is needed", plan.Size,
				care.LeastSize)}}
	}
	return nil
}

// ReportSore tells the plan how a calendar week went. It fails with a fault.List.
func (w *Wardrobe) ReportSore(ctx context.Context, who app.Actor, runnerID, changeID uint64, r care.Report) error {
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		runner, err := load.Runner(ctx, q, who, runnerID)
		if err != nil {
			return err
		}
		plans, err := runner.Changings(w.Today(who))
		if err != nil {
			return err
		}
		at := slices.IndexFunc(plans, func(c record.Changing) bool { return c.ID == changeID })
		if at < 0 {
			return app.ErrNotFound
		}
		var l fault.List
		switch next := plans[at].Next; {
		case next == 0:
			l.Add("sore_week", "is %d; nothing is to be reported yet", r.Week)
		case r.Week != next:
			l.Add("sore_week", "is %d; week %d is to be reported next", r.Week, next)
		}
		l.Range("sore_level", r.Soreness, 0, 10, "")
		place := ""
		if r.Place != nil {
			fault.OneOf(&l, "sore_place", *r.Place, term.Places)
			place = string(*r.Place)
		}
		if len(l) > 0 {
			return l
		}
		hidden, err := app.Hidden{Soreness: &r.Soreness, Place: &place, Night: &r.Night}.Hide()
		if err != nil {
			return err
		}
		return q.AddChangeReport(ctx, db.AddChangeReportParams{ShopID: who.ShopID, ChangeID: changeID, Week: int32(r.Week), Health: hidden,
			MadeBy: who.UserID, MadeAt: w.Now()})
	})
}

// EndChange ends a plan; what was reported stays.
func (w *Wardrobe) EndChange(ctx context.Context, who app.Actor, runnerID, changeID uint64) error {
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		return app.Some(q.EndChange(ctx, db.EndChangeParams{EndedAt: app.NullTime(w.Now()), ID: changeID, RunnerID: runnerID,
			ShopID: who.ShopID}))
	})
}
