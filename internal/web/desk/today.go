package desk

import (
	"context"
	"html/template"
	"net/http"
	"slices"
	"time"

	"trevik/internal/app/due"
	"trevik/internal/app/seasons"
	"trevik/internal/app/visit"
	"trevik/internal/core/wear"
	"trevik/internal/jobs"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

// healthIn is how long the database may take to say that it takes what is written.
const healthIn = 2 * time.Second

// health says whether the application and its database answer, and how the work behind goes. Jobs
// that are stuck are told and do not make the application ill: its pages still answer.
func (d *Desk) health(c *kit.Req) error {
	ctx, cancel := context.WithTimeout(c.Ctx(), healthIn)
	defer cancel()
	if err := d.App.Store.Writable(ctx); err != nil {
		c.Header("Retry-After", "5")
		return c.JSON(http.StatusServiceUnavailable, map[string]any{"status": "database away"})
	}
	work, err := jobs.Look(c.Ctx(), d.App.Store.Queries)
	if err != nil {
		return err
	}
	status := "ok"
	if work.Stuck() {
		status = "jobs stuck"
	}
	return c.JSON(http.StatusOK, map[string]any{"status": status, "jobs": work})
}

// open is a fit under way with what its stations found, as tiny drawings, and the first that found nothing.
type open struct {
	visit.Brief
	URL  string
	Rail []bench.RailRow
	Next string // the station's name
}

type ending struct {
	due.Ending
	URL string
	Fan template.HTML
	By  string // the day to order the next by, short; empty is none
}

// Of Today: how many fits under way are drawn, and how far ahead what is due is shown, days.
const (
	drawnFits = 8
	dueDays   = 7
	dueShown  = 10
)

// underWay are the fits under way, the first ones drawn.
func (d *Desk) underWay(c *kit.Req) ([]open, error) {
	fits, err := d.App.Visits.UnderWay(c.Ctx(), c.Who)
	if err != nil {
		return nil, err
	}
	var ids []uint64
	for _, f := range fits[:min(len(fits), drawnFits)] {
		ids = append(ids, f.ID)
	}
	found, err := d.App.Visits.Fits(c.Ctx(), c.Who, ids)
	if err != nil {
		return nil, err
	}
	var out []open
	for _, f := range fits {
		o := open{Brief: f, URL: bench.URL(f.ID, "hello")}
		if fit := found[f.ID]; fit != nil {
			if o.Rail, err = d.bench.Rail(fit, bench.Station{}); err != nil {
				return nil, err
			}
			if next := slices.IndexFunc(o.Rail, func(r bench.RailRow) bool { return !r.Found }); next >= 0 {
				o.Next, o.URL = o.Rail[next].Station.Name, o.Rail[next].URL
			}
		}
		out = append(out, o)
	}
	return out, nil
}

func (d *Desk) today(c *kit.Req) error {
	fits, err := d.underWay(c)
	if err != nil {
		return err
	}
	worn, state, err := d.App.Due.Ending(c.Ctx(), c.Who, due.Page(pageOf(c, "page")))
	if err != nil {
		return err
	}
	body := struct {
		Open    []open
		Coming  []coming          // who comes in today and tomorrow
		Seasons []seasons.Changed // whose outlook changed
		Ending  []ending
		Heads   []head
		Said    []dueLine // what runners say of their pairs, to be answered
		Due     []dueLine // what is to be done this week
		More    bool
		State   due.State
		Pages   pager
		Today   time.Time
		Empty   bool // the shop has no models yet
	}{Open: fits, Today: d.App.Today(c.Who), State: state, Pages: pagerOf(c, "page", state.More)}
	cat, err := d.App.Shelf.Catalogue(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	body.Empty = len(cat.Models) == 0
	if body.Coming, err = d.coming(c, body.Today); err != nil {
		return err
	}
	if body.Seasons, err = d.App.Seasons.Changes(c.Ctx(), c.Who); err != nil {
		return err
	}
	for _, e := range worn {
		x := ending{Ending: e, URL: bench.URL(e.FitID, "distance"), Fan: draw.MiniFan(e.Used)}
		if e.OrderBy != nil {
			if on, err := time.Parse(time.DateOnly, *e.OrderBy); err == nil {
				x.By = on.Format("2 Jan")
			}
		}
		body.Ending = append(body.Ending, x)
	}
	body.Heads = order(c, body.Ending, body.Pages.only(), []column[ending]{
		{"runner", "Runner", by(func(e ending) string { return e.Runner })},
		{"pair", "Pair", by(func(e ending) string { return e.Pair })},
		{"do", "To do", size(func(e ending) int {
			return slices.IndexFunc(record.EndingStates, func(s wear.State) bool { return string(s) == e.State })
		})},
		{"run", "Run", size(func(e ending) float64 { return e.KM })},
		{"left", "Likely left", size(func(e ending) float64 { return e.Left })},
	})
	said, _, err := d.App.Due.Due(c.Ctx(), c.Who, due.Filter{Until: body.Today, Kind: record.DueSaid}, 1)
	if err != nil {
		return err
	}
	for _, l := range said {
		body.Said = append(body.Said, lineOf(l, body.Today))
	}
	list, dueState, err := d.App.Due.Due(c.Ctx(), c.Who, due.Filter{Until: body.Today.AddDate(0, 0, dueDays)}, 1)
	if err != nil {
		return err
	}
	for _, l := range list {
		if l.Kind == record.DueSaid || l.Kind == record.DueComes {
			continue // they stand in lists of their own
		}
		if len(body.Due) == dueShown {
			body.More = true
			break
		}
		body.Due = append(body.Due, lineOf(l, body.Today))
	}
	body.More = body.More || dueState.More
	return d.page(c, "Today", "today", body)
}
