package desk

import (
	"html/template"
	"net/http"
	"strconv"
	"time"

	"trevik/internal/app/due"
	"trevik/internal/app/visit"
	"trevik/internal/jobs"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

// health says whether the application and its database answer, and how the work behind goes. Jobs
// that are stuck are told and do not make the application ill: its pages still answer.
func (d *Desk) health(c *kit.Req) error {
	if err := d.App.Store.Writable(c.Ctx()); err != nil {
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

type open struct {
	visit.Brief
	URL string
}

type ending struct {
	due.Ending
	URL string
	Fan template.HTML
}

func (d *Desk) today(c *kit.Req) error {
	fits, err := d.App.Visits.UnderWay(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	worn, state, err := d.App.Due.Ending(c.Ctx(), c.Who, due.Page(pageOf(c, "page")))
	if err != nil {
		return err
	}
	body := struct {
		Open   []open
		Ending []ending
		Said   []dueLine // what runners say of their pairs, to be answered
		State  due.State
		Pages  pager
		Today  time.Time
		Empty  bool // the shop has no models yet
	}{Today: d.App.Today(c.Who), State: state, Pages: pagerOf(c, "page", state.More)}
	cat, err := d.App.Shelf.Catalogue(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	body.Empty = len(cat.Models) == 0
	for _, f := range fits {
		body.Open = append(body.Open, open{f, bench.URL(f.ID, "hello")})
	}
	for _, e := range worn {
		body.Ending = append(body.Ending, ending{e, bench.URL(e.FitID, "distance"), draw.MiniFan(e.Used)})
	}
	said, _, err := d.App.Due.Due(c.Ctx(), c.Who, due.Filter{Until: body.Today, Kind: record.DueSaid}, 1)
	if err != nil {
		return err
	}
	for _, l := range said {
		body.Said = append(body.Said, dueLine{Line: l, URL: bench.URL(l.FitID, "distance") + "#pair-" + strconv.FormatUint(l.PairID, 10)})
	}
	return d.page(c, "Today", "today", body)
}
