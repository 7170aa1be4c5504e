package desk

import (
	"bytes"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"trevik/internal/app"
	"trevik/internal/app/people"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/kit"
)

// under is the entry of the rail that a page stands under, where it has none of its own.
var under = map[string]string{"learned": "due",
	"season": "runners", "seasonweek": "runners", "practice-fit": "practice", "practice-file": "practice", "lacing": "runners",
	"strength": "runners", "import": "shoes", "model": "shoes"}

func (d *Desk) runners(c *kit.Req) error {
	list, err := d.App.People.SearchRunners(c.Ctx(), c.Who, c.Query("q"))
	if err != nil {
		return err
	}
	heads := order(c, list, true, []column[people.FoundRunner]{
		{"name", "Name", by(func(r people.FoundRunner) string { return r.Name })},
		{"chart", "Chart", by(func(r people.FoundRunner) string { return string(r.Chart) })},
		{"fits", "Fits", size(func(r people.FoundRunner) int64 { return r.Fits })},
		{"pairs", "Pairs in use", size(func(r people.FoundRunner) int64 { return r.Pairs })},
	})
	return d.page(c, "Runners", "runners", map[string]any{"Q": c.Query("q"), "List": list, "Heads": heads})
}

func (d *Desk) runner(c *kit.Req) error { return d.showRunner(c, http.StatusOK, runnerShown{}) }

// consent records what a runner said of keeping films and health answers.
func (d *Desk) consent(c *kit.Req) error {
	id, err := kit.RowID(c, "runner")
	if err != nil {
		return err
	}
	sent, err := kit.SetConsents(c, d.Env, id)
	if faults, ok := fault.As(err); ok {
		return d.showRunner(c, http.StatusUnprocessableEntity, runnerShown{sent: sent, faults: faults})
	}
	if err != nil {
		return err
	}
	return kit.Go(c, fmt.Sprintf("/runners/%d", id))
}

// runnerShown is what a runner's page shows beside them: a form that could not be kept, with its
// faults, or the address of their own page that was just made.
type runnerShown struct {
	sent    url.Values
	faults  fault.List
	address string
}

func (d *Desk) showRunner(c *kit.Req, code int, shown runnerShown) error {
	id, err := kit.RowID(c, "runner")
	if err != nil {
		return err
	}
	r, err := d.App.Visits.Runner(c.Ctx(), c.Who, id)
	if err != nil {
		return err
	}
	fits, err := d.App.Visits.Of(c.Ctx(), c.Who, id)
	if err != nil {
		return err
	}
	links, err := d.App.People.Links(c.Ctx(), c.Who, id)
	if err != nil {
		return err
	}
	home, err := d.homeOf(c, id)
	if err != nil {
		return err
	}
	at, rest := kit.Say(c.Who.Units, shown.faults, kit.Known(record.FilmConsent, record.HealthConsent, "erase_name", "own_password",
		"comes_day", "comes_at", "comes_note"))
	p := d.NewPage(c, r.Name)
	p.Desk, p.Notice, p.Body = "runners", rest, map[string]any{"Home": home, "Runner": r, "Fits": fits, "Currency": c.Who.Currency,
		"Links":   links,
		"Address": shown.address,
		"May":     c.Who.Role != app.Trainee, "Owner": c.Who.Role == app.Owner, "EraseErr": at["erase_name"], "PassErr": at["own_password"],
		"Asked":     c.Who.Asked,
		"EraseName": shown.sent.Get("erase_name"),
		"Coming":    r.Coming(d.App.Today(c.Who)), "Book": kit.Controls(people.BookingFields, c.Who.Units, shown.sent, at),
		"Consents": kit.ConsentLines(r.Consents, c.Who.In(d.App.Now())), "Own": kit.Controls(record.ConsentFields, c.Who.Units, shown.sent, at)}
	return d.Render(c, code, pages, "runner", p)
}

func (d *Desk) newFit(c *kit.Req) error { return d.showNewFit(c, http.StatusOK, nil, nil) }

func (d *Desk) showNewFit(c *kit.Req, code int, sent url.Values, faults fault.List) error {
	list, err := d.App.People.SearchRunners(c.Ctx(), c.Who, c.Query("q"))
	if err != nil {
		return err
	}
	at, rest := kit.Say(c.Who.Units, faults, kit.Known("name", "contact", "chart"))
	return d.pageWith(c, code, "New fit", "new-fit",
		map[string]any{"Q": c.Query("q"), "List": list, "Own": kit.Controls(people.RunnerFields, units.Metric, sent, at)}, rest)
}

func (d *Desk) startFit(c *kit.Req) error {
	sent, v, err := kit.Decode(c, people.RunnerFields, "runner")
	var id uint64
	if err == nil {
		r := record.Runner{Name: v["name"].Text, Contact: v["contact"].Text, Chart: term.Chart(v["chart"].Text)}
		if s := sent.Get("runner"); s != "" {
			if r.ID, err = strconv.ParseUint(s, 10, 63); err != nil || r.ID == 0 {
				return app.ErrNotFound
			}
		}
		id, err = d.App.Visits.Start(c.Ctx(), c.Who, r)
	}
	if faults, ok := fault.As(err); ok {
		return d.showNewFit(c, http.StatusUnprocessableEntity, sent, faults)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, bench.URL(id, "hello"))
}

// runnerLink makes a runner's private address and shows it once.
func (d *Desk) runnerLink(c *kit.Req) error {
	id, err := kit.RowID(c, "runner")
	if err == nil {
		_, err = kit.Form(c, kit.Known())
	}
	if err != nil {
		return err
	}
	secret, err := d.App.People.NewLink(c.Ctx(), c.Who, people.RunnerLink, id)
	if l, ok := fault.As(err); ok {
		return d.showRunner(c, http.StatusUnprocessableEntity, runnerShown{faults: l})
	}
	if err != nil {
		return err
	}
	return d.showRunner(c, http.StatusOK, runnerShown{address: d.Absolute(c, "/r/"+secret)})
}

// revoke ends an address and goes back to where it was listed.
func (d *Desk) revoke(c *kit.Req) error {
	id, err := kit.RowID(c, "link")
	if err != nil {
		return err
	}
	sent, err := kit.Form(c, kit.Known("back"))
	if err == nil {
		err = d.App.People.RevokeLink(c.Ctx(), c.Who, id)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, local(sent.Get("back")))
}

// revokeAll closes every address of a runner, or of the shop.
func (d *Desk) revokeAll(c *kit.Req) error {
	id, back := uint64(0), "/due"
	if c.Param("runner") != "" {
		var err error
		if id, err = kit.RowID(c, "runner"); err != nil {
			return err
		}
		back = "/runners/" + c.Param("runner")
	}
	if _, err := kit.Form(c, kit.Known()); err != nil {
		return err
	}
	if err := d.App.People.RevokeLinks(c.Ctx(), c.Who, id); err != nil {
		return err
	}
	return kit.Go(c, back)
}

// asked holds the password that a form tells for something that matters, unless it was told a moment
// ago in this session.
func (d *Desk) asked(c *kit.Req, password string) error {
	if c.Who.Asked && password == "" {
		return nil
	}
	if password == "" {
		return fault.List{{Field: "own_password", Text: "is missing; tell it once more for this"}}
	}
	return d.App.People.Ask(c.Ctx(), c.Who, "own_password", password)
}

// exportRunner gives a runner as a file.
func (d *Desk) exportRunner(c *kit.Req) error {
	id, err := kit.RowID(c, "runner")
	if err != nil {
		return err
	}
	if _, err := d.App.People.Runner(c.Ctx(), c.Who, id); err != nil {
		return err
	}
	sent, err := kit.Form(c, kit.Known("own_password"))
	if err == nil {
		err = d.asked(c, sent.Get("own_password"))
	}
	if l, ok := fault.As(err); ok {
		return d.showRunner(c, http.StatusUnprocessableEntity, runnerShown{sent: sent, faults: l})
	}
	if err != nil {
		return err
	}
	if err := d.App.Audit(c.Ctx(), c.Who, app.Entry{Did: app.Exported, What: c.Route.Path, Subject: c.Request.URL.Path,
		RunnerID: id}); err != nil {
		return err
	}
	var data bytes.Buffer
	if err := d.App.Transfer.Export(c.Ctx(), c.Who.ShopID, id, &data); err != nil {
		return err
	}
	c.File(fmt.Sprintf("runner-%d.json", id), "application/json; charset=utf-8")
	return c.Data(http.StatusOK, "application/json; charset=utf-8", data.Bytes())
}

// erase deletes a runner when their name was typed.
func (d *Desk) erase(c *kit.Req) error {
	id, err := kit.RowID(c, "runner")
	if err != nil {
		return err
	}
	sent, err := kit.Form(c, kit.Known("erase_name", "own_password"))
	if err != nil {
		return err
	}
	r, err := d.App.People.Runner(c.Ctx(), c.Who, id)
	if err != nil {
		return err
	}
	if strings.TrimSpace(sent.Get("erase_name")) != r.Name {
		return d.showRunner(c, http.StatusUnprocessableEntity, runnerShown{sent: sent,
			faults: fault.List{{Field: "erase_name", Text: "is not their name; type " + r.Name + " to erase them"}}})
	}
	if err := d.asked(c, sent.Get("own_password")); err != nil {
		if l, ok := fault.As(err); ok {
			return d.showRunner(c, http.StatusUnprocessableEntity, runnerShown{sent: sent, faults: l})
		}
		return err
	}
	if err := d.App.Transfer.Erase(c.Ctx(), c.Who, id); err != nil {
		return err
	}
	return kit.Go(c, "/runners")
}
