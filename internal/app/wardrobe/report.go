package wardrobe

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"trevik/internal/app"
	"trevik/internal/app/load"
	"trevik/internal/core/fault"
	"trevik/internal/core/learn"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// ReportFields are asked of a pair after some weeks.
var ReportFields = []form.Field{
	{Name: "report_comfort", Label: "Comfort now, 0 to 10", Kind: form.Number, Lo: 0, Hi: 10},
	{Name: "report_note", Label: "Comment", Kind: form.Text, Max: 300},
}

// lateDays is from when a report tells how a model is liked: first impressions turn.
const lateDays = 20

// AddReport puts down how one of the runner's pairs does, as of today. It fails with a
// fault.List, and with app.ErrNotFound on a pair that is not the runner's.
func (w *Wardrobe) AddReport(ctx context.Context, who app.Actor, runnerID, pairID uint64, comfort *float64, note string) error {
	note = strings.TrimSpace(note)
	var l fault.List
	if comfort == nil {
		l.Add("report_comfort", "is missing; allowed is 0 to 10")
	} else if l.Range("report_comfort", *comfort, 0, 10, "") && *comfort != float64(int(*comfort)) {
		l.Add("report_comfort", "is %g; allowed is a whole number from 0 to 10", *comfort)
	}
	form.Length(&l, "report_note", note, 0, 300)
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		p, err := own(ctx, q, who, runnerID, pairID)
		if err != nil {
			return err
		}
		if len(l) > 0 {
			return l
		}
		days := int32(w.Today(who).Sub(p.BoughtOn).Hours() / 24)
		return q.AddReport(ctx, db.AddReportParams{ShopID: who.ShopID, PairID: pairID, AfterDays: max(0, days), Comfort: int8(*comfort),
			Note: note, ByRunner: who.ByLink, MadeBy: who.UserID, MadeAt: w.Now()})
	})
}

// Answered says that somebody of the shop has answered what a runner said of a pair: kind is one of
// record.SaidKinds.
func (w *Wardrobe) Answered(ctx context.Context, who app.Actor, runnerID uint64, kind string, id uint64) error {
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		runner, err := load.Runner(ctx, q, who, runnerID)
		if err != nil {
			return err
		}
		said := func(p record.Pair) bool {
			return slices.ContainsFunc(runner.Said(&p), func(s record.Said) bool { return s.Kind == kind && s.ID == id })
		}
		if !slices.ContainsFunc(runner.Pairs, said) {
			return app.ErrNotFound
		}
		at := app.NullTime(w.Now())
		switch kind {
		case "report":
			return q.AnswerReport(ctx, db.AnswerReportParams{AnsweredAt: at, ID: id, RunnerID: runnerID, ShopID: who.ShopID})
		case "look":
			return q.AnswerLook(ctx, db.AnswerLookParams{AnsweredAt: at, ID: id, RunnerID: runnerID, ShopID: who.ShopID})
		default:
			return q.AnswerRub(ctx, db.AnswerRubParams{AnsweredAt: at, ID: id, RunnerID: runnerID, ShopID: who.ShopID})
		}
	})
}

// Liking is how runners with like feet liked a model after some weeks.
type Liking struct {
	Mean float64 // of comfort, 0 to 10
	N    int     // runners
}

// Few says whether the number is too small to lean on.
func (l Liking) Few() bool { return l.N < 5 }

// Learned is what the shop's reports say of one thing: a level, a room, a model.
type Learned struct {
	What string
	Liking
}

// Lessons are what the shop learns from the last report of every pair that it sold.
type Lessons struct {
	Levels, Rooms, Models []Learned
	N                     int
	Level                 learn.Kept // the confidence that was told of the level, against feeling right after some weeks
}

// Of a report that tells whether a pair felt right: after how many days it is, and from which comfort on it does (house).
const (
	keptDays    = 21
	keptComfort = 7
)

// WhatWasLearned adds up the shop's reports by the level that was decided on, by the room
// of the pair against what was wanted, and by model.
func (w *Wardrobe) WhatWasLearned(ctx context.Context, who app.Actor) (Lessons, error) {
	rows, err := w.Store.ReportsWithBasis(ctx, who.ShopID)
	if err != nil {
		return Lessons{}, err
	}
	c, err := w.Visits.Shelf.Catalogue(ctx, who)
	if err != nil {
		return Lessons{}, err
	}
	var out Lessons
	add := func(list *[]Learned, what string, comfort int8) {
		i := slices.IndexFunc(*list, func(l Learned) bool { return l.What == what })
		if i < 0 {
			i = len(*list)
			*list = append(*list, Learned{What: what})
		}
		l := &(*list)[i]
		l.Mean = (l.Mean*float64(l.N) + float64(comfort)) / float64(l.N+1)
		l.N++
	}
	var level []learn.Promise
	for _, r := range rows {
		var b record.Basis
		if err := json.Unmarshal(r.Basis, &b); err != nil {
			return out, fmt.Errorf("what a choice was decided on: %w", err)
		}
		out.N++
		if b.Support.Level != nil {
			add(&out.Levels, string(*b.Support.Level), r.Comfort)
			if r.AfterDays >= keptDays {
				level = append(level, learn.Promise{Told: b.Support.Confidence, Kept: r.Comfort >= keptComfort})
			}
		}
		size := b.Ranked.Size
		room := "as wanted"
		switch {
		case size.RoomMM < size.WantedMM[0]:
			room = "less than wanted"
		case size.RoomMM > size.WantedMM[1]:
			room = "more than wanted"
		}
		add(&out.Rooms, room, r.Comfort)
		if m := c.ByID(r.ModelID); m != nil {
			add(&out.Models, record.FullName(m), r.Comfort)
		}
	}
	out.Level = learn.Promises(level)
	for _, list := range [][]Learned{out.Levels, out.Rooms, out.Models} {
		slices.SortStableFunc(list, func(x, y Learned) int { return cmp.Compare(y.Mean, x.Mean) })
	}
	return out, nil
}

// mostReports is how many reports of the models on a page are looked at, the latest: what more would tell is not worth the wait.
const mostReports = 300

// LikedBy is how runners with feet like this fit's liked each of some models, by its id; their own
// reports do not count.
func (w *Wardrobe) LikedBy(ctx context.Context, who app.Actor, fit *record.Conclusions, models []uint64) (map[uint64]Liking, error) {
	if len(models) == 0 {
		return nil, nil
	}
	rows, err := w.Store.LateReports(ctx, db.LateReportsParams{ShopID: who.ShopID, LeastDays: lateDays, Models: models, But: fit.Runner.ID,
		Limit: mostReports})
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	var ids []uint64
	for _, r := range rows {
		ids = append(ids, uint64(r.FitID.Int64))
	}
	slices.Sort(ids)
	ids = slices.Compact(ids)
	found, err := load.Feet(ctx, w.Store.Queries, who.ShopID, ids)
	if err != nil {
		return nil, err
	}
	feet := map[uint64]*record.Visit{}
	for _, id := range ids {
		v := &record.Visit{ID: id, Settings: fit.Settings}
		if err := v.Decode(found[id]); err != nil {
			return nil, err
		}
		feet[id] = v
	}
	own := fit.FeetKind()
	out := map[uint64]Liking{}
	for _, r := range rows {
		v := feet[uint64(r.FitID.Int64)]
		if v == nil || !own.Like(v.FeetKind()) {
			continue
		}
		l := out[r.ModelID]
		l.Mean = (l.Mean*float64(l.N) + float64(r.Comfort)) / float64(l.N+1)
		l.N++
		out[r.ModelID] = l
	}
	return out, nil
}
