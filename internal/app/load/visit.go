package load

import (
	"context"
	"fmt"
	"slices"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// History is everything that was ever set in a shop, the earliest first: nothing set is overwritten; and what the shop learned.
type History struct {
	set     []db.SettingsHistoryRow
	latest  *record.Lesson
	brief   []db.LessonsBriefRow // all lessons, the earliest first
	weights []learned            // where they were ever chosen
}

// Settings reads what was set in a shop, and what it learned.
func Settings(ctx context.Context, q *db.Queries, shopID uint64) (h History, err error) {
	if h.set, err = q.SettingsHistory(ctx, shopID); err != nil {
		return h, err
	}
	if h.latest, err = latest(ctx, q, shopID); err != nil || h.latest == nil {
		return h, err
	}
	if h.brief, err = q.LessonsBrief(ctx, shopID); err != nil {
		return h, err
	}
	if slices.ContainsFunc(h.set, func(r db.SettingsHistoryRow) bool { return r.Name == record.LearnedWeights }) {
		h.weights, err = weightsLearned(ctx, q, shopID)
	}
	return h, err
}

// At is the settings as they were at a time; zero is at present. list tells who set what.
func (h History) At(at time.Time) (record.Settings, []record.Setting) {
	list := record.AllSettings()
	set := map[string]string{}
	for _, r := range h.set {
		if !at.IsZero() && r.MadeAt.After(at) {
			continue
		}
		set[r.Name] = r.Value
		for i := range list {
			if list[i].Name == r.Name {
				list[i].Value, list[i].Maker, list[i].MadeAt = r.Value, r.Maker, r.MadeAt
			}
		}
	}
	s := record.SettingsOf(set)
	if at.IsZero() {
		s.Learned = h.latest
	}
	for i := len(h.weights) - 1; i >= 0 && s.Weights == nil; i-- {
		if w := h.weights[i]; at.IsZero() || !w.madeAt.After(at) {
			s.Weights = w.weights
		}
	}
	s.Choose(set)
	return s, list
}

// Visit reads one fit of the shop. It fails with app.ErrNotFound where there is none.
func Visit(ctx context.Context, q *db.Queries, who app.Actor, h History, id uint64) (*record.Visit, error) {
	all, err := Visits(ctx, q, who, h, []uint64{id})
	if err != nil {
		return nil, err
	}
	if all[id] == nil {
		return nil, app.ErrNotFound
	}
	return all[id], nil
}

// Visits reads fits of the shop by id; one that is not there is missing. It fails where a
// finding or a decision does not decode.
func Visits(ctx context.Context, q *db.Queries, who app.Actor, h History, ids []uint64) (map[uint64]*record.Visit, error) {
	out := map[uint64]*record.Visit{}
	if len(ids) == 0 {
		return out, nil
	}
	rows, err := q.LoadFits(ctx, db.LoadFitsParams{ShopID: who.ShopID, Ids: ids})
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		v := &record.Visit{ID: r.ID, RunnerID: r.RunnerID, Fitter: r.Fitter, StartedAt: who.In(r.StartedAt), ClosedAt: who.In(r.ClosedAt.Time)}
		v.Settings, _ = h.At(r.ClosedAt.Time) // an open fit goes by what is set at present
		if r.ClosedAt.Valid {
			if v.Settings.Learned, err = h.learnedBy(ctx, q, who.ShopID, r.ClosedAt.Time); err != nil {
				return nil, err
			}
		}
		out[r.ID] = v
	}
	found, err := Findings(ctx, q, who, ids)
	if err != nil {
		return nil, err
	}
	for id, v := range out {
		if err := v.Decode(found[id]); err != nil {
			return nil, err
		}
	}
	decisions, err := q.LoadDecisions(ctx, db.LoadDecisionsParams{ShopID: who.ShopID, Fits: ids})
	if err != nil {
		return nil, err
	}
	for _, d := range decisions {
		v := out[d.FitID]
		if v == nil {
			continue
		}
		reason, basis, err := app.DecisionOf(d.Reason, d.Basis, d.Health)
		if err == nil {
			err = v.Decide(record.Decision{ID: d.ID, Kind: d.Kind, Value: d.Value, Reason: reason, Maker: d.Maker, MadeAt: who.In(d.MadeAt)}, basis)
		}
		if err != nil {
			return nil, fmt.Errorf("decision %d: %w", d.ID, err)
		}
	}
	return out, nil
}

// Findings reads the findings that count of each fit: the latest of a key, unless it was
// taken away.
func Findings(ctx context.Context, q *db.Queries, who app.Actor, fits []uint64) (map[uint64][]record.Stored, error) {
	rows, err := app.FindingsOf(ctx, q, who.ShopID, fits)
	if err != nil {
		return nil, err
	}
	return standing(rows, who), nil
}

// standing are the latest of each key among findings in the order in which they were made, by their fits.
func standing(rows []db.LoadFindingsRow, who app.Actor) map[uint64][]record.Stored {
	type key struct {
		fit uint64
		record.Key
	}
	latest := make(map[key]int, len(rows))
	for i, r := range rows {
		latest[key{r.FitID, KeyOf(r.Name, r.Side, r.RepeatNo, uint64(r.ModelID.Int64), uint64(r.OtherModelID.Int64), r.RunKind, r.Ground)}] = i
	}
	out := map[uint64][]record.Stored{}
	for k, i := range latest {
		if r := rows[i]; !r.Withdrawn {
			out[k.fit] = append(out[k.fit], record.Stored{ID: r.ID, Key: k.Key, Number: app.FloatOf(r.NumberValue), Text: r.TextValue.String,
				Error: app.FloatOf(r.ErrorValue), How: r.How, Maker: r.Maker, MadeAt: who.In(r.MadeAt)})
		}
	}
	return out
}

// Feet reads what was found of the feet and their prints at each of many fits, and no more.
func Feet(ctx context.Context, q *db.Queries, shop uint64, fits []uint64) (map[uint64][]record.Stored, error) {
	if len(fits) == 0 {
		return nil, nil
	}
	rows, err := q.LoadFeet(ctx, db.LoadFeetParams{ShopID: shop, Fits: fits, Names: record.FeetNames()})
	if err != nil {
		return nil, err
	}
	whole := make([]db.LoadFindingsRow, len(rows))
	for i, r := range rows {
		whole[i] = db.LoadFindingsRow{ID: r.ID, FitID: r.FitID, Name: r.Name, Side: r.Side, RepeatNo: r.RepeatNo, NumberValue: r.NumberValue,
			TextValue: r.TextValue, ErrorValue: r.ErrorValue, Withdrawn: r.Withdrawn}
	}
	return standing(whole, app.Actor{ShopID: shop}), nil
}

// KeyOf is a finding's key by its columns.
func KeyOf(name, side string, row int32, model, other uint64, kind, ground string) record.Key {
	return record.Key{Name: name, Side: term.Side(side), Row: int(row), Model: model, Other: other, Kind: term.Kind(kind),
		Ground: term.Ground(ground)}
}

// WithWeek reads each runner's latest fit that tells their week, else their latest; a runner
// without a fit is missing.
func WithWeek(ctx context.Context, q *db.Queries, who app.Actor, h History, runners []uint64) (map[uint64]*record.Visit, error) {
	out := map[uint64]*record.Visit{}
	if len(runners) == 0 {
		return out, nil
	}
	rows, err := q.FitsOfRunners(ctx, db.FitsOfRunnersParams{ShopID: who.ShopID, Ids: runners})
	if err != nil {
		return nil, err
	}
	fits := map[uint64][]uint64{} // the newest first
	for _, r := range rows {
		fits[r.RunnerID] = append(fits[r.RunnerID], r.ID)
	}
	open := slices.Clone(runners)
	for round := 0; len(open) > 0; round++ {
		var ids []uint64
		for _, r := range open {
			if round < len(fits[r]) {
				ids = append(ids, fits[r][round])
			}
		}
		visits, err := Visits(ctx, q, who, h, ids)
		if err != nil {
			return nil, err
		}
		var left []uint64
		for _, r := range open {
			if round >= len(fits[r]) {
				continue
			}
			v := visits[fits[r][round]]
			if v == nil {
				continue
			}
			if out[r] == nil {
				out[r] = v
			}
			if v.WeeklyTold() > 0 {
				out[r] = v
			} else {
				left = append(left, r)
			}
		}
		open = left
	}
	return out, nil
}
