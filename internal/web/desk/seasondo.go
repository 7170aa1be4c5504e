package desk

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	"trevik/internal/app"
	"trevik/internal/app/seasons"
	"trevik/internal/core/fault"
	"trevik/internal/record"
	"trevik/internal/runtable"
	"trevik/internal/web/kit"
)

// seasonRoutes are the forms of a season.
func (d *Desk) seasonRoutes() []kit.Route {
	fitters := []app.Role{app.Owner, app.Fitter}
	var list []kit.Route
	for _, r := range []kit.Route{
		{Path: "move", Handle: d.moveWeek}, {Path: "lay-out", Handle: d.layOutSeason}, {Path: "keep", Handle: d.keepWhat},
		{Path: "orders", Handle: d.decideOrder}, {Path: "orders/:order/drop", Handle: d.dropOrder},
		{Path: "orders/:order/sell", Roles: fitters, Handle: d.sellOrder},
		{Path: "plan", Handle: d.sendPlan}, {Path: "columns", Handle: d.settlePlan}, {Path: "use", Handle: d.usePlan},
		{Path: "let-go", Handle: d.letPlanGo},
	} {
		r.Method, r.Path, r.Back = http.MethodPost, "/runners/:runner/season/"+r.Path, "/runners/:runner/season"
		if r.Roles == nil {
			r.Roles = kit.Everyone
		}
		list = append(list, r)
	}
	week := "/runners/:runner/season/weeks/:week"
	return append(list,
		kit.Route{Method: http.MethodGet, Path: "/runners/:runner/season/plan.json", Roles: kit.Everyone, Handle: d.seasonFile},
		kit.Route{Method: http.MethodGet, Path: week, Roles: kit.Everyone, Handle: d.seasonWeek},
		kit.Route{Method: http.MethodPost, Path: week, Roles: kit.Everyone, Handle: d.setSeasonWeek},
		kit.Route{Method: http.MethodPost, Path: "/outlooks/:outlook/seen", Roles: kit.Everyone, Handle: d.seenOutlook, Back: "/"})
}

// seasonFile gives the season as a plan for the command, which comes to the same; with what the address looks at instead.
func (d *Desk) seasonFile(c *kit.Req) error {
	fit, err := d.ofRunner(c)
	if err != nil {
		return err
	}
	var what record.SeasonWhat
	for _, x := range seasonAsks {
		if c.Query(x.Word) == "yes" {
			what = what.With(x.What, true)
		}
	}
	s, err := fit.Season(c.Ctx(), what)
	if err != nil {
		return err
	}
	if s.Plan() == nil || s.Fault != "" {
		return app.ErrNotFound
	}
	c.File(fmt.Sprintf("season-%d.json", fit.Runner.ID), "application/json; charset=utf-8")
	return c.JSON(http.StatusOK, s.Plan())
}

// ofSeason is a form of a runner's season: do saves what was sent, and the season is shown again, with its faults where there are
// some.
func (d *Desk) ofSeason(c *kit.Req, at string, read func() (url.Values, error), do func(runner uint64) error) error {
	id, err := kit.RowID(c, "runner")
	if err != nil {
		return err
	}
	sent, err := read()
	if err == nil {
		err = do(id)
	}
	if l, ok := fault.As(err); ok {
		return d.showSeason(c, http.StatusUnprocessableEntity, sent, l)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, fmt.Sprintf("/runners/%d/season%s", id, at))
}

func (d *Desk) moveWeek(c *kit.Req) error {
	var v kit.Values
	return d.ofSeason(c, "", func() (sent url.Values, err error) {
		sent, v, err = kit.Decode(c, seasons.WeekFields)
		return sent, err
	}, func(runner uint64) error {
		if v["week_km"].Empty {
			return fault.List{{Field: "week_km", Text: "is missing; type how far the week is to be"}}
		}
		return d.App.Seasons.Move(c.Ctx(), c.Who, runner, v["week_on"].Text, v["week_km"].Number)
	})
}

func (d *Desk) layOutSeason(c *kit.Req) error {
	var sent url.Values
	return d.ofSeason(c, "#weeks", func() (_ url.Values, err error) {
		sent, err = kit.Form(c, kit.Known("shape", "week_on"))
		return sent, err
	}, func(runner uint64) error {
		return d.App.Seasons.LayOut(c.Ctx(), c.Who, runner, record.Shape(sent.Get("shape")), sent.Get("week_on"))
	})
}

// keepWhat keeps a what-if, or drops it.
func (d *Desk) keepWhat(c *kit.Req) error {
	var sent url.Values
	return d.ofSeason(c, "#whatif", func() (_ url.Values, err error) {
		sent, err = kit.Form(c, kit.Known("what", "on"))
		return sent, err
	}, func(runner uint64) error {
		what := record.SeasonWhat{}
		for _, x := range seasonAsks {
			if x.Word == sent.Get("what") {
				what = x.What
			}
		}
		return d.App.Seasons.Keep(c.Ctx(), c.Who, runner, what, sent.Get("on") == "yes")
	})
}

func (d *Desk) decideOrder(c *kit.Req) error {
	var sent url.Values
	return d.ofSeason(c, "#decided", func() (_ url.Values, err error) {
		sent, err = kit.Form(c, kit.Known("order"))
		return sent, err
	}, func(runner uint64) error { return d.App.Seasons.Decide(c.Ctx(), c.Who, runner, sent["order"]) })
}

func (d *Desk) dropOrder(c *kit.Req) error {
	return d.ofSeason(c, "#decided", func() (url.Values, error) { return kit.Form(c, kit.Known()) }, func(runner uint64) error {
		id, err := kit.RowID(c, "order")
		if err != nil {
			return err
		}
		return d.App.Seasons.Drop(c.Ctx(), c.Who, runner, id)
	})
}

// sellOrder makes an order that arrived the runner's pair, and goes where it is told how that is broken in.
func (d *Desk) sellOrder(c *kit.Req) error {
	id, err := kit.RowID(c, "runner")
	if err != nil {
		return err
	}
	order, err := kit.RowID(c, "order")
	if err != nil {
		return err
	}
	if _, err := kit.Form(c, kit.Known()); err != nil {
		return err
	}
	pair, err := d.App.Wardrobe.SellOrdered(c.Ctx(), c.Who, id, order)
	if err != nil {
		return err
	}
	return kit.Go(c, fmt.Sprintf("/runners/%d/season?sold=%d", id, pair))
}

func (d *Desk) sendPlan(c *kit.Req) error {
	var name string
	var data []byte
	return d.ofSeason(c, "#plan", func() (_ url.Values, err error) {
		name, data, err = kit.One(c, "season_file", seasons.MaxPlan, "is missing; choose a table (CSV) or a calendar (ICS)")
		return nil, err
	}, func(runner uint64) error { return d.App.Seasons.Send(c.Ctx(), c.Who, runner, name, data) })
}

// ofPlan is a form of a plan that waits, told by its id.
func (d *Desk) ofPlan(c *kit.Req, at string, also []string, do func(runner, plan uint64, v kit.Values) error) error {
	var sent url.Values
	var v kit.Values
	return d.ofSeason(c, at, func() (_ url.Values, err error) {
		if len(also) > 0 {
			sent, v, err = kit.Decode(c, kit.ColumnFields, "plan")
		} else {
			sent, err = kit.Form(c, kit.Known("plan"))
		}
		return sent, err
	}, func(runner uint64) error {
		plan, err := strconv.ParseUint(sent.Get("plan"), 10, 63)
		if err != nil {
			return app.ErrNotFound
		}
		return do(runner, plan, v)
	})
}

func (d *Desk) settlePlan(c *kit.Req) error {
	return d.ofPlan(c, "#plan", []string{"columns"}, func(runner, plan uint64, v kit.Values) error {
		return d.App.Seasons.Settle(c.Ctx(), c.Who, runner, plan, kit.ColumnsOf(v))
	})
}

func (d *Desk) usePlan(c *kit.Req) error {
	return d.ofPlan(c, "", nil, func(runner, plan uint64, _ kit.Values) error { return d.App.Seasons.Use(c.Ctx(), c.Who, runner, plan) })
}

func (d *Desk) letPlanGo(c *kit.Req) error {
	return d.ofPlan(c, "#plan", nil, func(runner, plan uint64, _ kit.Values) error {
		return d.App.Seasons.LetGo(c.Ctx(), c.Who, runner, plan)
	})
}

// seenOutlook says that somebody of the shop has seen how a race's chance changed.
func (d *Desk) seenOutlook(c *kit.Req) error {
	id, err := kit.RowID(c, "outlook")
	if err == nil {
		_, err = kit.Form(c, kit.Known())
	}
	if err == nil {
		err = d.App.Seasons.See(c.Ctx(), c.Who, id)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, "/")
}

// planFile is a runner's own plan that waits.
type planFile struct {
	*seasons.File
	Settle  bool
	Columns map[string]string
	Choices []kit.Option
	Shown   []runtable.Run
	More    int
}

// planShown is how many runs of a plan a page shows.
const planShown = 21

func planOf(f *seasons.File) *planFile {
	if f == nil {
		return nil
	}
	p := &planFile{File: f, Settle: f.IsTable && (!f.Settled || len(f.Faults) > 0)}
	p.Columns, p.Choices = kit.ColumnChoices(f.Header, f.Columns)
	p.Shown = f.Runs[:min(planShown, len(f.Runs))]
	p.More = len(f.Runs) - len(p.Shown)
	return p
}
