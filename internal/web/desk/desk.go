// Package desk is the pages beside the bench: signing in, Today, the runners, the
// shoes and the shop.
package desk

import (
	"cmp"
	"embed"
	"net/http"

	"trevik/internal/app"
	"trevik/internal/web/bench"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

var pages = kit.Templates(files, "*.html")

// Desk holds the pages.
type Desk struct {
	*kit.Env
	bench *bench.Bench
}

// Pages that are open while something is still to come before the others are.
const (
	Second  = "/second"
	Account = "/account"
	SignOut = "/sign-out"
)

// New makes the desk.
func New(env *kit.Env, b *bench.Bench) *Desk { return &Desk{env, b} }

// SessionKey is where the browser's session keeps the secret of who is signed in.
const SessionKey = "in"

// Routes of the desk.
func (d *Desk) Routes() []kit.Route {
	owner, fitters := []app.Role{app.Owner}, []app.Role{app.Owner, app.Fitter}
	get, post := http.MethodGet, http.MethodPost
	list := []kit.Route{
		{Method: get, Path: "/sign-in", Handle: d.signInPage},
		{Method: post, Path: "/sign-in", Handle: d.signIn, Free: true},
		{Method: post, Path: "/sign-out", Handle: d.signOut, Free: true, Back: "/"},
		{Method: get, Path: Second, Roles: kit.Everyone, Handle: d.second},
		{Method: post, Path: Second, Roles: kit.Everyone, Handle: d.tellSecond, Free: true},
		{Method: get, Path: "/health", Handle: d.health},
		{Method: get, Path: "/", Roles: kit.Everyone, Handle: d.today},
		{Method: get, Path: "/search", Roles: kit.Everyone, Handle: d.search},
		{Method: get, Path: "/learned", Roles: fitters, Handle: d.learned},
		{Method: get, Path: "/learned.csv", Roles: fitters, Handle: d.learnedCSV},
		{Method: get, Path: "/learned.json", Roles: fitters, Handle: d.learnedJSON},
		{Method: post, Path: "/learned", Roles: owner, Handle: d.chooseLearned},
		{Method: post, Path: "/learned/now", Roles: fitters, Handle: d.learnNow, Back: "/learned"},
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
		{Method: post, Path: "/due/links/revoke", Roles: fitters, Handle: d.revokeAll, Back: "/due"},
		{Method: post, Path: "/links/:link/revoke", Roles: fitters, Handle: d.revoke, Back: "/due"},
		{Method: get, Path: "/runners", Roles: kit.Everyone, Handle: d.runners},
		{Method: post, Path: "/runners", Roles: kit.Everyone, Handle: d.writeDown},
		{Method: get, Path: "/runners/:runner", Roles: kit.Everyone, Handle: d.runner},
		{Method: get, Path: "/runners/:runner/season", Roles: kit.Everyone, Handle: d.season},
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
		{Method: post, Path: "/shoes/models/:model/insole", Roles: fitters, Handle: d.addInsole, Back: "/shoes/models/:model"},
		{Method: post, Path: "/shoes/models/:model/insoles/:insole/take-back", Roles: fitters, Handle: d.takeInsoleBack,
			Back: "/shoes/models/:model"},
		{Method: post, Path: "/shoes/models/:model/barcode", Roles: fitters, Handle: d.setBarcode, Back: "/shoes/models/:model"},
		{Method: post, Path: "/shoes/models/:model/barcode/drop", Roles: fitters, Handle: d.dropBarcode, Back: "/shoes/models/:model"},
		{Method: get, Path: "/shoes/count", Roles: fitters, Handle: d.countPage},
		{Method: post, Path: "/shoes/count", Roles: fitters, Handle: d.count, Free: true},
		{Method: post, Path: "/shoes/count/set", Roles: fitters, Handle: d.setCount, Back: "/shoes/count"},
		{Method: get, Path: "/shop", Roles: kit.Everyone, Handle: d.shop},
		{Method: post, Path: "/shop", Roles: owner, Handle: d.changeShop},
		{Method: get, Path: "/shop/house.json", Roles: kit.Everyone, Handle: d.houseFile},
		{Method: post, Path: "/me/units", Roles: kit.Everyone, Handle: d.units, Free: true, Back: "/"},
		{Method: post, Path: "/me/theme", Roles: kit.Everyone, Handle: d.theme, Free: true, Back: "/"},
	}
	for _, r := range []kit.Route{
		{Path: "erase", Roles: owner, Handle: d.erase}, {Path: "export", Roles: fitters, Handle: d.exportRunner, Free: true},
		{Path: "link", Roles: fitters, Handle: d.runnerLink},
		{Path: "links/revoke", Roles: fitters, Handle: d.revokeAll},
		{Path: "consent", Roles: kit.Everyone, Handle: d.consent, Free: true},
		{Path: "bookings", Roles: kit.Everyone, Handle: d.book}, {Path: "bookings/:booking/cancel", Roles: kit.Everyone, Handle: d.unbook},
	} {
		r.Method, r.Path, r.Back = post, "/runners/:runner/"+r.Path, "/runners/:runner"
		list = append(list, r)
	}
	list = append(list, d.accountRoutes()...)
	list = append(list, d.seasonRoutes()...)
	for _, r := range []kit.Route{
		{Path: "rubs", Handle: d.addRub}, {Path: "rubs/:rub/helped", Handle: d.rubHelped},
		{Path: "changes", Handle: d.addChange}, {Path: "changes/:change/report", Handle: d.reportSore},
		{Path: "changes/:change/end", Handle: d.endChange},
	} {
		r.Method, r.Path, r.Roles, r.Back = post, "/runners/:runner/"+r.Path, kit.Everyone, "/runners/:runner/care"
		list = append(list, r)
	}
	return list
}

func (d *Desk) page(c *kit.Req, title, desk string, body any) error {
	return d.pageWith(c, http.StatusOK, title, desk, body, "")
}

func (d *Desk) pageWith(c *kit.Req, code int, title, desk string, body any, notice string) error {
	p := d.NewPage(c, title)
	p.Desk, p.Body, p.Notice = cmp.Or(under[desk], desk), body, notice
	return d.Render(c, code, pages, desk, p)
}
