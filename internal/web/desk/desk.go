// Package desk is the pages beside the bench: signing in, Today, the runners, the
// shoes and the shop.
package desk

import (
	"cmp"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/due"
	"trevik/internal/app/people"
	"trevik/internal/app/visit"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/jobs"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

var pages = kit.Templates(files, "*.html")

// Desk holds the pages.
type Desk struct{ *kit.Env }

// New makes the desk.
func New(env *kit.Env) *Desk { return &Desk{env} }

// UserKey is where the session keeps the signed-in person.
const UserKey = "user"

// Routes of the desk.
func (d *Desk) Routes() []kit.Route {
	owner, fitters := []app.Role{app.Owner}, []app.Role{app.Owner, app.Fitter}
	get, post := http.MethodGet, http.MethodPost
	list := []kit.Route{
		{Method: get, Path: "/sign-in", Handle: d.signInPage},
		{Method: post, Path: "/sign-in", Handle: d.signIn, Free: true},
		{Method: post, Path: "/sign-out", Handle: d.signOut, Free: true, Back: "/"},
		{Method: get, Path: "/health", Handle: d.health},
		{Method: get, Path: "/", Roles: kit.Everyone, Handle: d.today},
		{Method: get, Path: "/learned", Roles: kit.Everyone, Handle: d.learned},
		{Method: get, Path: "/glossary", Roles: kit.Everyone, Handle: d.glossary},
		{Method: get, Path: "/practice", Roles: kit.Everyone, Handle: d.practice},
		{Method: post, Path: "/practice", Roles: kit.Everyone, Handle: d.startPractice},
		{Method: post, Path: "/practice/reset", Roles: kit.Everyone, Handle: d.resetPractice, Back: "/practice"},
		{Method: get, Path: "/practice/:fit", Roles: kit.Everyone, Handle: d.practiceFit},
		{Method: post, Path: "/practice/:fit/scan", Roles: kit.Everyone, Handle: d.practiceScan, Back: "/practice/:fit"},
		{Method: get, Path: "/practice/:fit/files/:file", Roles: kit.Everyone, Handle: d.practiceFile},
		{Method: post, Path: "/practice/:fit/score", Roles: kit.Everyone, Handle: d.practiceScore, Back: "/practice/:fit"},
		{Method: get, Path: "/due", Roles: kit.Everyone, Handle: d.due},
		{Method: get, Path: "/due/buying.csv", Roles: kit.Everyone, Handle: d.buying},
		{Method: post, Path: "/due/calendar", Roles: fitters, Handle: d.shopCalendar, Back: "/due"},
		{Method: post, Path: "/links/:link/revoke", Roles: fitters, Handle: d.revoke, Back: "/due"},
		{Method: get, Path: "/runners", Roles: kit.Everyone, Handle: d.runners},
		{Method: get, Path: "/runners/:runner", Roles: kit.Everyone, Handle: d.runner},
		{Method: get, Path: "/runners/:runner/export", Roles: fitters, Handle: d.exportRunner},
		{Method: get, Path: "/runners/:runner/care", Roles: kit.Everyone, Handle: d.care},
		{Method: get, Path: "/sheets/lacing", Roles: kit.Everyone, Handle: d.lacingSheet},
		{Method: get, Path: "/sheets/strength", Roles: kit.Everyone, Handle: d.strengthSheet},
		{Method: get, Path: "/new-fit", Roles: kit.Everyone, Handle: d.newFit},
		{Method: post, Path: "/new-fit", Roles: kit.Everyone, Handle: d.startFit},
		{Method: get, Path: "/shoes/names", Roles: kit.Everyone, Handle: d.names},
		{Method: get, Path: "/shoes", Roles: kit.Everyone, Handle: d.shoes},
		{Method: get, Path: "/shoes/export", Roles: kit.Everyone, Handle: d.exportShoes},
		{Method: get, Path: "/shoes/import", Roles: fitters, Handle: d.importPage},
		{Method: post, Path: "/shoes/import", Roles: fitters, Handle: d.readImport},
		{Method: post, Path: "/shoes/import/apply", Roles: fitters, Handle: d.applyImport, Back: "/shoes/import"},
		{Method: post, Path: "/shoes/import/drop", Roles: fitters, Handle: d.dropImport, Back: "/shoes/import"},
		{Method: get, Path: "/shoes/new", Roles: fitters, Handle: d.newModel},
		{Method: post, Path: "/shoes/new", Roles: fitters, Handle: d.saveModel},
		{Method: get, Path: "/shoes/models/:model", Roles: kit.Everyone, Handle: d.model},
		{Method: post, Path: "/shoes/models/:model", Roles: fitters, Handle: d.saveModel},
		{Method: get, Path: "/shop", Roles: kit.Everyone, Handle: d.shop},
		{Method: post, Path: "/shop", Roles: owner, Handle: d.changeShop},
		{Method: get, Path: "/shop/house.json", Roles: kit.Everyone, Handle: d.houseFile},
		{Method: post, Path: "/me/units", Roles: kit.Everyone, Handle: d.units, Free: true, Back: "/"},
		{Method: post, Path: "/me/theme", Roles: kit.Everyone, Handle: d.theme, Free: true, Back: "/"},
	}
	for _, r := range []kit.Route{
		{Path: "erase", Roles: owner, Handle: d.erase}, {Path: "link", Roles: fitters, Handle: d.runnerLink}, {Path: "consent", Roles: kit.Everyone, Handle: d.consent, Free: true},
	} {
		r.Method, r.Path, r.Back = post, "/runners/:runner/"+r.Path, "/runners/:runner"
		list = append(list, r)
	}
	for _, r := range []kit.Route{
		{Path: "rubs", Handle: d.addRub}, {Path: "rubs/:rub/helped", Handle: d.rubHelped},
		{Path: "changes", Handle: d.addChange}, {Path: "changes/:change/report", Handle: d.reportSore}, {Path: "changes/:change/end", Handle: d.endChange},
	} {
		r.Method, r.Path, r.Roles, r.Back = post, "/runners/:runner/"+r.Path, kit.Everyone, "/runners/:runner/care"
		list = append(list, r)
	}
	return list
}

// local keeps a way back inside the application.
func local(to string) string {
	u, err := url.Parse(to)
	if err != nil || !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsAny(to, "\\\r\n") || u.Host != "" {
		return "/"
	}
	return to
}

func (d *Desk) signInPage(c *kit.Req) error { return d.showSignIn(c, http.StatusOK, "", "") }

func (d *Desk) showSignIn(c *kit.Req, code int, login, wrong string) error {
	p := d.NewPage(c, "Sign in")
	next := c.Query("next")
	if next == "" {
		next = c.PostForm("next")
	}
	p.Body = map[string]string{"Login": login, "Err": wrong, "Next": local(next)}
	return d.Render(c, code, pages, "sign-in", p)
}

func (d *Desk) signIn(c *kit.Req) error {
	sent, err := kit.Form(c, kit.Known("login", "password", "next"))
	if err != nil {
		return err
	}
	who, err := d.App.People.SignIn(c.Ctx(), sent.Get("login"), sent.Get("password"), c.Address())
	switch {
	case errors.Is(err, people.ErrSignIn):
		return d.showSignIn(c, http.StatusUnauthorized, sent.Get("login"), kit.Sentence(err.Error())+".")
	case errors.Is(err, people.ErrTooMany):
		c.Header("Retry-After", strconv.Itoa(int(people.SignInWindow.Seconds())))
		return d.showSignIn(c, http.StatusTooManyRequests, sent.Get("login"), kit.Sentence(err.Error())+".")
	case err != nil:
		return err
	}
	// A new token: one that was planted before signing in is worth nothing.
	if err := d.Sessions.RenewToken(c.Ctx()); err != nil {
		return err
	}
	d.Sessions.Put(c.Ctx(), UserKey, int64(who.UserID))
	return kit.Go(c, local(sent.Get("next")))
}

func (d *Desk) signOut(c *kit.Req) error {
	if err := d.Sessions.Destroy(c.Ctx()); err != nil {
		return err
	}
	return kit.Go(c, "/sign-in")
}

// health says whether the application and its database answer, and how the work behind goes. Jobs
// that are stuck are told and do not make the application ill: its pages still answer.
func (d *Desk) health(c *kit.Req) error {
	if err := d.App.Ping(c.Ctx()); err != nil {
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

// pager leads to the pages before and after; 0 is none.
type pager struct {
	At, Prev, Next int
	URL            string // to which the number is added
}

// pageOf is which page of a list the address asks for, by its name there.
func pageOf(c *kit.Req, name string) int {
	n, _ := strconv.Atoi(c.Query(name)) // what is no number is the first
	return min(max(n, 1), mostPages)
}

// mostPages bounds how far a list is looked into.
const mostPages = 100_000

func pagerOf(c *kit.Req, name string, more bool) pager {
	q := c.Request.URL.Query()
	q.Del(name)
	p := pager{At: pageOf(c, name), URL: "?" + q.Encode() + "&" + name + "="}
	if p.At > 1 {
		p.Prev = p.At - 1
	}
	if more {
		p.Next = p.At + 1
	}
	return p
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
	return d.page(c, "Today", "today", body)
}

func (d *Desk) page(c *kit.Req, title, desk string, body any) error {
	return d.pageWith(c, http.StatusOK, title, desk, body, "")
}

// under is the entry of the rail that a page stands under, where it has none of its own.
var under = map[string]string{"learned": "due", "practice-fit": "practice", "practice-file": "practice", "lacing": "runners", "strength": "runners", "import": "shoes", "model": "shoes"}

func (d *Desk) pageWith(c *kit.Req, code int, title, desk string, body any, notice string) error {
	p := d.NewPage(c, title)
	p.Desk, p.Body, p.Notice = cmp.Or(under[desk], desk), body, notice
	return d.Render(c, code, pages, desk, p)
}

func (d *Desk) runners(c *kit.Req) error {
	list, err := d.App.People.SearchRunners(c.Ctx(), c.Who, c.Query("q"))
	if err != nil {
		return err
	}
	return d.page(c, "Runners", "runners", map[string]any{"Q": c.Query("q"), "List": list})
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
	at, rest := kit.Say(shown.faults, kit.Known(record.FilmConsent, record.HealthConsent, "erase_name"))
	p := d.NewPage(c, r.Name)
	p.Desk, p.Notice, p.Body = "runners", rest, map[string]any{"Runner": r, "Fits": fits, "Currency": c.Who.Currency, "Links": links, "Address": shown.address,
		"May": c.Who.Role != app.Trainee, "Owner": c.Who.Role == app.Owner, "EraseErr": at["erase_name"], "EraseName": shown.sent.Get("erase_name"),
		"Consents": kit.ConsentLines(r.Consents, c.Who.In(d.App.Now())), "Own": kit.Controls(record.ConsentFields, c.Who.Units, shown.sent, at)}
	return d.Render(c, code, pages, "runner", p)
}

func (d *Desk) newFit(c *kit.Req) error { return d.showNewFit(c, http.StatusOK, nil, nil) }

func (d *Desk) showNewFit(c *kit.Req, code int, sent url.Values, faults fault.List) error {
	list, err := d.App.People.SearchRunners(c.Ctx(), c.Who, c.Query("q"))
	if err != nil {
		return err
	}
	at, rest := kit.Say(faults, kit.Known("name", "contact", "chart"))
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

func (d *Desk) units(c *kit.Req) error {
	return d.change(c, "units", func(v string) error { return d.App.People.SetUnits(c.Ctx(), c.Who, units.System(v)) })
}

func (d *Desk) theme(c *kit.Req) error {
	return d.change(c, "theme", func(v string) error { return d.App.People.SetTheme(c.Ctx(), c.Who, v) })
}

func (d *Desk) change(c *kit.Req, name string, set func(string) error) error {
	sent, err := kit.Form(c, kit.Known(name, "back"))
	if err == nil {
		err = set(sent.Get(name))
	}
	if err != nil {
		return err
	}
	return kit.Go(c, local(sent.Get("back")))
}
