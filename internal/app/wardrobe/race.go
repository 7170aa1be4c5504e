package wardrobe

import (
	"context"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/limits"
	"trevik/internal/form"
	"trevik/internal/store/db"
)

// RaceFields are those of the form of a race.
var RaceFields = []form.Field{
	{Name: "race_name", Label: "Race", Kind: form.Text, Max: 120},
	{Name: "race_day", Label: "Race day", Kind: form.Day},
	{Name: "race_length", Label: "Distance", Kind: form.Number, Unit: form.KM, Lo: limits.RaceKM.Lo, Hi: limits.RaceKM.Hi},
	{Name: "race_pair", Label: "Pair", Kind: form.Number, Lo: 1, Hi: 1 << 53},
}

// AddRace puts a race down, in a pair where one is told. It fails with a fault.List.
func (w *Wardrobe) AddRace(ctx context.Context, who app.Actor, runnerID uint64, name, day string, km float64, pairID uint64) error {
	var l fault.List
	name = strings.TrimSpace(name)
	form.Length(&l, "race_name", name, 0, 120)
	today := w.Today(who)
	on, err := time.Parse(time.DateOnly, day)
	if err != nil || on.Before(today) || on.After(today.AddDate(5, 0, 0)) {
		l.Add("race_day", "is %q; allowed is a day from today, such as %s", form.Clip(day), today.AddDate(0, 3, 0).Format(time.DateOnly))
	}
	limits.RaceKM.Check(&l, "race_length", km)
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		if pairID != 0 {
			if err := inUse(ctx, q, who, &l, "race_pair", runnerID, pairID); err != nil {
				return err
			}
		}
		if len(l) > 0 {
			return l
		}
		return q.AddRace(ctx, db.AddRaceParams{ShopID: who.ShopID, RunnerID: runnerID, Name: name, RaceOn: on, Km: km,
			PairID: app.NullID(pairID), MadeBy: who.UserID, MadeAt: w.Now()})
	})
}

// TakeRaceBack withdraws a race.
func (w *Wardrobe) TakeRaceBack(ctx context.Context, who app.Actor, runnerID, raceID uint64) error {
	return w.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		return app.Some(q.WithdrawRace(ctx, db.WithdrawRaceParams{WithdrawnAt: app.NullTime(w.Now()), ID: raceID, RunnerID: runnerID,
			ShopID: who.ShopID}))
	})
}
