// Package desk is the pages beside the bench: signing in, Today, the runners, the
// shoes and the shop.
package desk

import (
	"crypto/rand"
	"embed"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/store/db"
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
	return []kit.Route{
		{Method: get, Path: "/sign-in", Handle: d.signInPage},
		{Method: post, Path: "/sign-in", Handle: d.signIn},
		{Method: post, Path: "/sign-out", Handle: d.signOut},
		{Method: get, Path: "/health", Handle: d.health},
		{Method: get, Path: "/", Roles: kit.Everyone, Handle: d.today},
		{Method: get, Path: "/learned", Roles: kit.Everyone, Handle: d.learned},
		{Method: get, Path: "/glossary", Roles: kit.Everyone, Handle: d.glossary},
		{Method: get, Path: "/practice", Roles: kit.Everyone, Handle: d.practice},
		{Method: post, Path: "/practice", Roles: kit.Everyone, Handle: d.startPractice},
		{Method: post, Path: "/practice/reset", Roles: kit.Everyone, Handle: d.resetPractice},
		{Method: get, Path: "/practice/:fit", Roles: kit.Everyone, Handle: d.practiceFit},
		{Method: post, Path: "/practice/:fit/scan", Roles: kit.Everyone, Handle: d.practiceScan},
		{Method: get, Path: "/practice/:fit/files/:file", Roles: kit.Everyone, Handle: d.practiceFile},
		{Method: post, Path: "/practice/:fit/score", Roles: kit.Everyone, Handle: d.practiceScore},
		{Method: get, Path: "/due", Roles: kit.Everyone, Handle: d.due},
		{Method: get, Path: "/due/buying.csv", Roles: kit.Everyone, Handle: d.buying},
		{Method: post, Path: "/due/calendar", Roles: fitters, Handle: d.shopCalendar},
		{Method: post, Path: "/links/:link/revoke", Roles: fitters, Handle: d.revoke},
		{Method: get, Path: "/runners/:runner/export", Roles: fitters, Handle: d.exportRunner},
		{Method: post, Path: "/runners/:runner/erase", Roles: owner, Handle: d.erase},
		{Method: get, Path: "/runners/:runner/care", Roles: kit.Everyone, Handle: d.care},
		{Method: post, Path: "/runners/:runner/rubs", Roles: kit.Everyone, Handle: d.addRub},
		{Method: post, Path: "/runners/:runner/rubs/:rub/helped", Roles: kit.Everyone, Handle: d.rubHelped},
		{Method: post, Path: "/runners/:runner/changes", Roles: kit.Everyone, Handle: d.addChange},
		{Method: post, Path: "/runners/:runner/changes/:change/report", Roles: kit.Everyone, Handle: d.reportSore},
		{Method: post, Path: "/runners/:runner/changes/:change/end", Roles: kit.Everyone, Handle: d.endChange},
		{Method: get, Path: "/sheets/lacing", Roles: kit.Everyone, Handle: d.lacingSheet},
		{Method: get, Path: "/sheets/strength", Roles: kit.Everyone, Handle: d.strengthSheet},
		{Method: post, Path: "/runners/:runner/link", Roles: fitters, Handle: d.runnerLink},
		{Method: get, Path: "/runners", Roles: kit.Everyone, Handle: d.runners},
		{Method: get, Path: "/runners/:runner", Roles: kit.Everyone, Handle: d.runner},
		{Method: post, Path: "/runners/:runner/consent", Roles: kit.Everyone, Handle: d.consent},
		{Method: get, Path: "/new-fit", Roles: kit.Everyone, Handle: d.newFit},
		{Method: post, Path: "/new-fit", Roles: kit.Everyone, Handle: d.startFit},
		{Method: get, Path: "/shoes/names", Roles: kit.Everyone, Handle: d.names},
		{Method: get, Path: "/shoes", Roles: kit.Everyone, Handle: d.shoes},
		{Method: get, Path: "/shoes/export", Roles: kit.Everyone, Handle: d.exportShoes},
		{Method: get, Path: "/shoes/import", Roles: fitters, Handle: d.importPage},
		{Method: post, Path: "/shoes/import", Roles: fitters, Handle: d.readImport},
		{Method: post, Path: "/shoes/import/apply", Roles: fitters, Handle: d.applyImport},
		{Method: post, Path: "/shoes/import/drop", Roles: fitters, Handle: d.dropImport},
		{Method: get, Path: "/shoes/new", Roles: fitters, Handle: d.newModel},
		{Method: post, Path: "/shoes/new", Roles: fitters, Handle: d.saveModel},
		{Method: get, Path: "/shoes/models/:model", Roles: kit.Everyone, Handle: d.model},
		{Method: post, Path: "/shoes/models/:model", Roles: fitters, Handle: d.saveModel},
		{Method: get, Path: "/shop", Roles: kit.Everyone, Handle: d.shop},
		{Method: post, Path: "/shop", Roles: owner, Handle: d.changeShop},
		{Method: get, Path: "/shop/house.json", Roles: kit.Everyone, Handle: d.houseFile},
		{Method: post, Path: "/me/units", Roles: kit.Everyone, Handle: d.units},
		{Method: post, Path: "/me/theme", Roles: kit.Everyone, Handle: d.theme},
	}
}

// local keeps a way back inside the application.
func local(to string) string {
	u, err := url.Parse(to)
	if err != nil || !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsAny(to, "\\\r\n") || u.Host != "" {
		return "/"
	}
	return to
}

func (d *Desk) signInPage(c *gin.Context) { d.showSignIn(c, http.StatusOK, "", "") }

func (d *Desk) showSignIn(c *gin.Context, code int, login, wrong string) {
	p := d.NewPage(c, "Sign in")
	p.Body = map[string]string{"Login": login, "Err": wrong, "Next": local(c.Request.FormValue("next"))}
	d.Render(c, code, pages, "sign-in", p)
}

func (d *Desk) signIn(c *gin.Context) {
	form, err := kit.Form(c, kit.Known("login", "password", "next"))
	if err != nil {
		d.Fail(c, err)
		return
	}
	who, err := d.App.SignIn(c, form.Get("login"), form.Get("password"), c.ClientIP())
	switch err {
	case nil:
	case app.ErrSignIn:
		d.showSignIn(c, http.StatusUnauthorized, form.Get("login"), kit.Sentence(err.Error())+".")
		return
	case app.ErrTooMany:
		c.Header("Retry-After", "900")
		d.showSignIn(c, http.StatusTooManyRequests, form.Get("login"), kit.Sentence(err.Error())+".")
		return
	default:
		d.Fail(c, err)
		return
	}
	// A new token: one that was planted before signing in is worth nothing.
	if err := d.Sessions.RenewToken(c.Request.Context()); err != nil {
		d.Fail(c, err)
		return
	}
	d.Sessions.Put(c.Request.Context(), UserKey, int64(who.UserID))
	kit.Go(c, local(form.Get("next")))
}

func (d *Desk) signOut(c *gin.Context) {
	if err := d.Sessions.Destroy(c.Request.Context()); err != nil {
		d.Fail(c, err)
		return
	}
	kit.Go(c, "/sign-in")
}

// health says whether the application and its database answer.
func (d *Desk) health(c *gin.Context) {
	if err := d.App.Ping(c); err != nil {
		c.JSON(http.StatusServiceUnavailable, gin.H{"status": "database away"})
		return
	}
	c.JSON(http.StatusOK, gin.H{"status": "ok"})
}

type open struct {
	db.OpenFitsRow
	URL string
}

type ending struct {
	app.Ending
	URL string
	Fan template.HTML
}

func (d *Desk) today(c *gin.Context) {
	who := kit.MustWho(c)
	fits, err := d.App.OpenFits(c, who)
	if err != nil {
		d.Fail(c, err)
		return
	}
	worn, err := d.App.Ending(c, who)
	if err != nil {
		d.Fail(c, err)
		return
	}
	body := struct {
		Open   []open
		Ending []ending
		Today  time.Time
		Empty  bool // the shop has no models yet
	}{Today: d.App.Today()}
	cat, err := d.App.Catalogue(c, who)
	if err != nil {
		d.Fail(c, err)
		return
	}
	body.Empty = len(cat.Models) == 0
	for _, f := range fits {
		body.Open = append(body.Open, open{f, bench.URL(f.ID, "hello")})
	}
	for _, e := range worn {
		body.Ending = append(body.Ending, ending{e, bench.URL(e.FitID, "distance"), draw.MiniFan(e.Wear.UsedProbability)})
	}
	d.page(c, "Today", "today", body)
}

func (d *Desk) page(c *gin.Context, title, desk string, body any) {
	d.pageWith(c, http.StatusOK, title, desk, body, "")
}

func (d *Desk) pageWith(c *gin.Context, code int, title, desk string, body any, notice string) {
	p := d.NewPage(c, title)
	p.Desk, p.Body, p.Notice = desk, body, notice
	if desk == "learned" {
		p.Desk = "due"
	}
	if desk == "practice-fit" {
		p.Desk = "practice"
	}
	if desk == "lacing" || desk == "strength" {
		p.Desk = "runners"
	}
	if desk == "import" || desk == "model" {
		p.Desk = "shoes"
	}
	d.Render(c, code, pages, desk, p)
}

func (d *Desk) runners(c *gin.Context) {
	list, err := d.App.SearchRunners(c, kit.MustWho(c), c.Query("q"))
	if err != nil {
		d.Fail(c, err)
		return
	}
	d.page(c, "Runners", "runners", map[string]any{"Q": c.Query("q"), "List": list})
}

func (d *Desk) runner(c *gin.Context) { d.showRunner(c, http.StatusOK, nil, nil) }

// consent records what a runner said of keeping films and health answers.
func (d *Desk) consent(c *gin.Context) {
	id, err := kit.ID(c, "runner")
	if err != nil {
		d.Fail(c, err)
		return
	}
	form, err := kit.SetConsents(c, d.Env, id)
	if faults, ok := fault.As(err); ok {
		d.showRunner(c, http.StatusUnprocessableEntity, form, faults)
		return
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	kit.Go(c, fmt.Sprintf("/runners/%d", id))
}

func (d *Desk) showRunner(c *gin.Context, code int, form url.Values, faults fault.List) {
	who := kit.MustWho(c)
	id, err := kit.ID(c, "runner")
	if err != nil {
		d.Fail(c, err)
		return
	}
	r, err := d.App.Runner(c, who, id)
	if err != nil {
		d.Fail(c, err)
		return
	}
	fits, err := d.App.FitsOfRunner(c, who, id)
	if err != nil {
		d.Fail(c, err)
		return
	}
	pairs, err := d.App.Pairs(c, who, id)
	if err != nil {
		d.Fail(c, err)
		return
	}
	consents, err := d.App.Consents(c, who, id)
	if err != nil {
		d.Fail(c, err)
		return
	}
	links, err := d.App.Links(c, who, id)
	if err != nil {
		d.Fail(c, err)
		return
	}
	at, rest := kit.Say(faults, kit.Known(app.FilmConsent, app.HealthConsent, "erase_name"))
	p := d.NewPage(c, r.Name)
	p.Desk, p.Notice, p.Body = "runners", rest, map[string]any{"Runner": r, "Fits": fits, "Pairs": pairs, "Currency": who.Currency, "Links": links, "Address": c.GetString(addressKey), "May": who.Role != app.Trainee, "Owner": who.Role == app.Owner, "EraseErr": at["erase_name"], "EraseName": form.Get("erase_name"),
		"Consents": kit.ConsentLines(consents, d.App.Now()), "Own": kit.Controls(app.ConsentFields, who.Units, form, at)}
	d.Render(c, code, pages, "runner", p)
}

func (d *Desk) newFit(c *gin.Context) { d.showNewFit(c, http.StatusOK, nil, nil) }

func (d *Desk) showNewFit(c *gin.Context, code int, form url.Values, faults fault.List) {
	list, err := d.App.SearchRunners(c, kit.MustWho(c), c.Query("q"))
	if err != nil {
		d.Fail(c, err)
		return
	}
	at, rest := kit.Say(faults, kit.Known("name", "contact", "chart"))
	d.pageWith(c, code, "New fit", "new-fit", map[string]any{"Q": c.Query("q"), "List": list, "Own": kit.Controls(app.RunnerFields, units.Metric, form, at), "Token": rand.Text()}, rest)
}

func (d *Desk) startFit(c *gin.Context) {
	form, v, err := kit.Decode(c, app.RunnerFields, kit.MustWho(c).Units, "runner")
	var token string
	if err == nil {
		token, err = kit.Token(form)
	}
	var id uint64
	if err == nil {
		r := app.Runner{Name: v["name"].Text, Contact: v["contact"].Text, Chart: term.Chart(v["chart"].Text)}
		if s := form.Get("runner"); s != "" {
			if r.ID, err = strconv.ParseUint(s, 10, 63); err != nil || r.ID == 0 {
				d.Fail(c, app.ErrNotFound)
				return
			}
		}
		id, err = d.App.StartFit(c, kit.MustWho(c), token, r)
	}
	if faults, ok := fault.As(err); ok {
		d.showNewFit(c, http.StatusUnprocessableEntity, form, faults)
		return
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	kit.Go(c, bench.URL(id, "hello"))
}

func (d *Desk) units(c *gin.Context) {
	d.change(c, "units", func(v string) error { return d.App.SetUnits(c, kit.MustWho(c), units.System(v)) })
}

func (d *Desk) theme(c *gin.Context) {
	d.change(c, "theme", func(v string) error { return d.App.SetTheme(c, kit.MustWho(c), v) })
}

func (d *Desk) change(c *gin.Context, name string, set func(string) error) {
	form, err := kit.Form(c, kit.Known(name, "back"))
	if err == nil {
		err = set(form.Get(name))
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	kit.Go(c, local(form.Get("back")))
}
