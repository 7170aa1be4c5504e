package desk

import (
	"cmp"
	"errors"
	"html/template"
	"slices"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/foot"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

// Of a runner's page: how wide its drawings are, px, how many retired pairs, runs and things to come it
// shows, and how far ahead these lie, days.
const (
	homeWidth   = 1010
	homeRetired = 4
	homeRuns    = 6
	homeDue     = 5
	homeAhead   = 120
	homeFeet    = 1.15
)

// home is what follows for a runner from all their visits, pairs and runs.
type home struct {
	URL      string // their latest fit's Distance
	Cupboard template.HTML
	Feet     template.HTML
	Measured time.Time
	Earlier  int // visits at which the feet were measured before
	Growth   template.HTML
	Due      []homeLine
	Runs     []record.Run // the latest
	MonthKM  float64
}

type homeLine struct {
	record.Due
	Late bool
}

// homeOf is a runner's home; nil where they had no fit.
func (d *Desk) homeOf(c *kit.Req, runner uint64) (*home, error) {
	fit, err := d.App.Visits.OfRunner(c.Ctx(), c.Who, runner)
	if errors.Is(err, app.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	h := home{URL: bench.URL(fit.ID, "distance")}
	worn, err := fit.Worn()
	if err != nil {
		return nil, err
	}
	h.Cupboard = draw.Cupboard(kit.Lives(fit.Runner, worn, fit.Units, homeRetired, func(id uint64) string {
		return bench.PairURL(fit.ID, id)
	}), kit.Events(fit.Races(), worn), fit.Today, homeWidth)
	if err := d.homeFeet(c, fit, &h); err != nil {
		return nil, err
	}
	due, err := fit.Due()
	if err != nil {
		return nil, err
	}
	slices.SortStableFunc(due, func(a, b record.Due) int { return a.On.Compare(b.On) })
	for _, x := range due {
		if len(h.Due) < homeDue && x.On.Before(fit.Today.AddDate(0, 0, homeAhead)) {
			h.Due = append(h.Due, homeLine{x, x.On.Before(fit.Today)})
		}
	}
	runs := slices.Clone(fit.Runner.AllRuns())
	slices.SortStableFunc(runs, func(a, b record.Run) int {
		return cmp.Or(b.On.Compare(a.On), b.StartedAt.Compare(a.StartedAt))
	})
	for _, r := range runs {
		if r.On.After(fit.Today.AddDate(0, 0, -28)) {
			h.MonthKM += r.KM
		}
	}
	h.Runs = runs[:min(len(runs), homeRuns)]
	return &h, nil
}

// homeFeet draws the feet as they were measured last, those of earlier visits behind them.
func (d *Desk) homeFeet(c *kit.Req, fit *record.Conclusions, h *home) error {
	visits, err := d.App.Visits.EarlierFeet(c.Ctx(), c.Who, fit)
	if err != nil {
		return err
	}
	if fit.HasFeet() {
		visits = append(visits, fit.Visit)
	}
	if len(visits) == 0 {
		return nil
	}
	var grown []draw.Grown
	var feet []foot.Feet
	for _, v := range visits {
		grown, feet = append(grown, draw.Grown{On: v.StartedAt, Feet: v.Feet()}), append(feet, v.Feet())
	}
	last := len(visits) - 1
	h.Measured, h.Earlier = visits[last].StartedAt, last
	h.Feet = draw.Feet(feet[last], fit.Units, homeFeet, feet[:last]...)
	h.Growth = draw.Growth(grown, fit.Units)
	return nil
}
