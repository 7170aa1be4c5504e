package app

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/term"
	"trevik/internal/store/db"
)

// Report is how a pair did after some days, as its runner told.
type Report struct {
	AfterDays int
	Comfort   int // 0 to 10
	Note      string
	Maker     string
	MadeAt    time.Time
}

// ReportFields are asked of a pair after some weeks.
var ReportFields = []Field{
	{Name: "report_comfort", Label: "Comfort now, 0 to 10", Kind: Number, Lo: 0, Hi: 10},
	{Name: "report_note", Label: "In their words", Kind: Text, Max: 300},
}

// lateDays is from when a report tells how a model is liked: first impressions turn.
const lateDays = 20

// Reports of a runner's pairs, by pair, the latest first.
func (a *App) Reports(ctx context.Context, who Actor, runnerID uint64) (map[uint64][]Report, error) {
	rows, err := a.store.ReportsOfRunner(ctx, db.ReportsOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
	out := map[uint64][]Report{}
	for _, r := range rows {
		out[r.PairID] = append(out[r.PairID], Report{int(r.AfterDays), int(r.Comfort), r.Note, r.Maker, r.MadeAt})
	}
	return out, err
}

// AddReport puts down how one of the runner's pairs does, as of today. It fails with a
// fault.List, and with ErrNotFound on a pair that is not the runner's.
func (a *App) AddReport(ctx context.Context, who Actor, runnerID, pairID uint64, comfort *float64, note string) error {
	p, err := a.store.PairByID(ctx, db.PairByIDParams{ID: pairID, ShopID: who.ShopID})
	if err != nil {
		return found(err)
	}
	if p.RunnerID != runnerID {
		return ErrNotFound
	}
	note = strings.TrimSpace(note)
	var l fault.List
	if comfort == nil {
		l.Add("report_comfort", "is missing; allowed is 0 to 10")
	} else if l.Range("report_comfort", *comfort, 0, 10, "") && *comfort != float64(int(*comfort)) {
		l.Add("report_comfort", "is %g; allowed is a whole number from 0 to 10", *comfort)
	}
	text(&l, "report_note", note, 0, 300)
	if err := l.Err(); err != nil {
		return err
	}
	days := int32(a.Today().Sub(p.BoughtOn).Hours() / 24)
	return a.store.AddReport(ctx, db.AddReportParams{ShopID: who.ShopID, PairID: pairID, AfterDays: max(0, days), Comfort: int8(*comfort), Note: note, MadeBy: who.UserID, MadeAt: a.Now()})
}

// Kind is what of the fit's feet decides whether another's shoe suits them.
func (f *Fit) Kind() foot.Kind {
	var k foot.Kind
	for _, s := range term.Sides {
		m := f.Foot(s)
		if l := m.Sizing(f.House()); l > k.LengthMM {
			k.LengthMM, k.Volume = l, f.Volume(s)
			k.Arch = term.Arch(f.Text("arch", s, 0))
			if r := f.PrintReading(s); r != nil {
				k.Arch = r.Arch
			}
		}
		k.BallMM = max(k.BallMM, m.BallMM)
	}
	return k
}

// Liking is how runners with like feet liked a model after some weeks.
type Liking struct {
	Mean float64 // of comfort, 0 to 10
	N    int     // runners
}

// Few says whether the number is too small to lean on.
func (l Liking) Few() bool { return l.N < 5 }

// LikedBy is how runners with feet like this fit's liked each model, by its row; their
// own reports do not count.
func (a *App) LikedBy(ctx context.Context, who Actor, fit *Fit) (map[uint64]Liking, error) {
	rows, err := a.store.LateReports(ctx, db.LateReportsParams{ShopID: who.ShopID, LeastDays: lateDays})
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	fits := map[uint64]*Fit{}
	var ids []uint64
	for _, r := range rows {
		if id := uint64(r.FitID.Int64); fits[id] == nil && r.RunnerID != fit.Runner.ID {
			fits[id] = &Fit{Settings: fit.Settings, Findings: map[Key]Finding{}}
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 {
		return nil, nil
	}
	found, err := a.store.FeetFindings(ctx, db.FeetFindingsParams{ShopID: who.ShopID, Fits: ids})
	if err != nil {
		return nil, err
	}
	for _, r := range found {
		k := Key{r.Name, term.Side(r.Side), int(r.RepeatNo)}
		fits[r.FitID].Findings[k] = Finding{Key: k, Number: floatOf(r.NumberValue), Text: r.TextValue.String, Error: floatOf(r.ErrorValue)}
	}
	own := fit.Kind()
	out := map[uint64]Liking{}
	for _, r := range rows {
		f := fits[uint64(r.FitID.Int64)]
		if f == nil || r.RunnerID == fit.Runner.ID || !own.Like(f.Kind()) {
			continue
		}
		l := out[r.ModelID]
		l.Mean = (l.Mean*float64(l.N) + float64(r.Comfort)) / float64(l.N+1)
		l.N++
		out[r.ModelID] = l
	}
	return out, nil
}

// Learned is what the shop's reports say of one thing: a level, a room, a model.
type Learned struct {
	What string
	Liking
}

// Lessons are what the shop learns from the last report of every pair that it sold.
type Lessons struct {
	Levels, Rooms, Models []Learned
	N                     int
}

// WhatWasLearned adds up the shop's reports by the level that was decided on, by the room
// of the pair against what was wanted, and by model.
func (a *App) WhatWasLearned(ctx context.Context, who Actor) (Lessons, error) {
	rows, err := a.store.ReportsWithBasis(ctx, who.ShopID)
	if err != nil {
		return Lessons{}, err
	}
	c, err := a.Catalogue(ctx, who)
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
	for _, r := range rows {
		var b Basis
		if json.Unmarshal(r.Basis, &b) != nil {
			continue
		}
		out.N++
		if b.Support.Level != nil {
			add(&out.Levels, string(*b.Support.Level), r.Comfort)
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
		if m := c.byID(r.ModelID); m != nil {
			add(&out.Models, FullName(m), r.Comfort)
		}
	}
	for _, list := range [][]Learned{out.Levels, out.Rooms, out.Models} {
		slices.SortStableFunc(list, func(x, y Learned) int { return cmp.Compare(y.Mean, x.Mean) })
	}
	return out, nil
}
