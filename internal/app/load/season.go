package load

import (
	"encoding/json"
	"fmt"

	"trevik/internal/app"
	"trevik/internal/core/foot"
	"trevik/internal/core/rotation"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// seasons reads what was chosen, moved, decided and told of runners' seasons.
func (r *reader) seasons() error {
	rows, err := r.q.LoadSeasons(r.ctx, db.LoadSeasonsParams{ShopID: r.who.ShopID, Ids: r.ids})
	if err != nil {
		return err
	}
	for _, x := range rows {
		if of := r.runners[x.RunnerID]; of != nil {
			of.Season.Shape = record.Shape(x.Shape)
			of.Season.Kept = record.SeasonWhat{Earlier: x.Earlier, Fewer: x.Fewer, Fresh: x.Fresh, Second: x.Second, Cheaper: x.Cheaper,
				More: x.More}
		}
	}
	if err := r.seasonWeeks(); err != nil {
		return err
	}
	orders, err := r.q.LoadSeasonOrders(r.ctx, db.LoadSeasonOrdersParams{ShopID: r.who.ShopID, Ids: r.ids})
	if err != nil {
		return err
	}
	for _, x := range orders {
		if of := r.runners[x.RunnerID]; of != nil {
			of.Season.Orders = append(of.Season.Orders, record.Decided{ID: x.ID, ModelRow: x.ModelID, Size: foot.Figure(float64(x.UkHalf) / 2),
				Width: x.Width, Price: x.Price, On: x.OrderOn})
		}
	}
	told, err := r.q.LoadOutlooks(r.ctx, db.LoadOutlooksParams{ShopID: r.who.ShopID, Ids: r.ids})
	for _, x := range told {
		of := r.runners[x.RunnerID]
		if of == nil {
			continue
		}
		o := record.Outlook{ID: x.ID, RaceOn: x.RaceOn, Race: x.Race, Ready: x.Ready, On: x.ToldOn, Was: app.FloatOf(x.Was), WasOn: x.WasOn.Time,
			Why: x.Why, Seen: x.SeenAt.Valid}
		if err := json.Unmarshal(x.Basis, &o.Basis); err != nil {
			return fmt.Errorf("outlook %d: %w", x.ID, err)
		}
		of.Season.Outlooks = append(of.Season.Outlooks, o)
	}
	return err
}

func (r *reader) seasonWeeks() error {
	rows, err := r.q.LoadSeasonWeeks(r.ctx, db.LoadSeasonWeeksParams{ShopID: r.who.ShopID, Ids: r.ids})
	if err != nil || len(rows) == 0 {
		return err
	}
	runs, err := r.q.LoadSeasonRuns(r.ctx, db.LoadSeasonRunsParams{ShopID: r.who.ShopID, Ids: r.ids})
	of := map[uint64][]rotation.WeekPart{}
	for _, x := range runs {
		of[x.WeekID] = append(of[x.WeekID], rotation.WeekPart{ID: fmt.Sprintf("row %d", len(of[x.WeekID])+1), Day: rotation.Days[x.Day],
			Start: fmt.Sprintf("%02d:%02d", x.Minute/60, x.Minute%60), KM: x.Km, Minutes: app.FloatOf(x.Minutes), Kind: term.Kind(x.Kind),
			Ground: term.Ground(x.Ground), Run: x.Run})
	}
	for _, w := range rows {
		if who := r.runners[w.RunnerID]; who != nil {
			who.Season.Weeks = append(who.Season.Weeks, record.MovedWeek{On: w.Week, How: w.How, Parts: of[w.ID]})
		}
	}
	return err
}
