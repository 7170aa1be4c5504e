// Package own is a runner's own page, on a phone: their pairs, a run put down, a file from
// the watch, a look at a pair, how it feels, their calendar. It is reached by a private
// address without a password and shows nothing of other runners and nothing of the shop's.
package own

import (
	"embed"
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/care"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/web/kit"
	"trevik/internal/web/stations/distance"
)

//go:embed *.html
var files embed.FS

var pages = kit.Templates(files, "*.html")

// Own holds the pages.
type Own struct{ *kit.Env }

// Routes of a runner's own pages, and of the calendars.
func Routes(env *kit.Env) []kit.Route {
	o := &Own{env}
	return []kit.Route{
		{Method: http.MethodGet, Path: "/r/:secret", Handle: o.show},
		{Method: http.MethodPost, Path: "/r/:secret/runs", Handle: o.addRun},
		{Method: http.MethodPost, Path: "/r/:secret/file", Handle: o.sendFile},
		{Method: http.MethodPost, Path: "/r/:secret/pairs/:pair/report", Handle: o.report},
		{Method: http.MethodPost, Path: "/r/:secret/pairs/:pair/look", Handle: o.look},
		{Method: http.MethodPost, Path: "/r/:secret/changes/:change", Handle: o.sore},
		{Method: http.MethodPost, Path: "/r/:secret/calendar", Handle: o.newCalendar},
		{Method: http.MethodGet, Path: "/calendar/:secret", Handle: o.calendar},
	}
}

// mostSent is how much a runner may send at once, bytes: three long runs are far less.
const mostSent = 24 << 20

// fields are those of the page's forms: a run's, without what a runner need not say.
var fields = slices.Concat(app.RunFields, app.ReportFields, app.InspectFields, app.SoreFields)

// who is whose address this is; it answers where it is nobody's.
func (o *Own) who(c *gin.Context, kind string) (app.Actor, uint64, bool) {
	who, runner, err := o.App.ByLink(c, kind, strings.TrimSuffix(c.Param("secret"), ".ics"))
	if errors.Is(err, app.ErrNotFound) {
		o.FailWith(c, http.StatusNotFound, "This address is not open", "It may have expired or been closed. The shop can give you a new one.")
		return who, 0, false
	}
	if err != nil {
		o.Fail(c, err)
		return who, 0, false
	}
	c.Header("X-Robots-Tag", "noindex")
	return who, runner, true
}

type view struct {
	kit.Page
	Mine     app.RunnersOwn
	Changes  []app.Changing // those that go on
	Own      map[string]kit.Control
	Faults   map[string]string
	URL      string
	Options  []kit.Option
	Usual    string // the pair that is chosen before another is: the one that they have
	On       string
	Calendar string // the address of a calendar that was just made
	Said     string
	Units    units.System
	Shop     string
}

func (o *Own) show(c *gin.Context) {
	if who, runner, ok := o.who(c, app.RunnerLink); ok {
		o.page(c, who, runner, http.StatusOK, nil, nil, "")
	}
}

// said are the notes after something was sent, by the address's word for it.
var said = map[string]string{"run": "Your run is put down.", "file": "Your runs are in.", "there": "Nothing new: these runs were there already.", "report": "Thank you. The shop sees it.", "look": "Your look is kept.", "sore": "The plan has heard it."}

func (o *Own) page(c *gin.Context, who app.Actor, runner uint64, code int, form url.Values, faults fault.List, calendar string) {
	mine, err := o.App.RunnersOwn(c, who, runner)
	if err != nil {
		o.Fail(c, err)
		return
	}
	changes, err := o.App.Changings(c, who, runner)
	if err != nil {
		o.Fail(c, err)
		return
	}
	changes = slices.DeleteFunc(changes, func(x app.Changing) bool { return x.Ended })
	v := view{Changes: changes, Page: o.NewPage(c, "Your shoes"), Mine: mine, URL: "/r/" + c.Param("secret"), On: o.App.Today().Format("2006-01-02"), Units: who.Units, Shop: who.Shop, Calendar: calendar, Said: said[c.Query("said")]}
	at, rest := kit.Say(faults, func(in string) bool {
		name, _, _ := strings.Cut(in, ".")
		return name == "runs_file" || slices.ContainsFunc(fields, func(f app.Field) bool { return f.Name == name })
	})
	v.Faults, v.Notice = at, rest
	v.Own = kit.Controls(fields, who.Units, form, at)
	v.Options = []kit.Option{{Text: "not told"}}
	for _, w := range mine.Pairs {
		v.Options = append(v.Options, kit.Option{Value: strconv.FormatUint(w.Pair.ID, 10), Text: w.Pair.Name()})
	}
	if len(mine.Pairs) == 1 {
		v.Usual = v.Options[1].Value
	}
	o.Render(c, code, pages, "own", v)
}

// done goes on after a form, or shows what was wrong with it.
func (o *Own) done(c *gin.Context, who app.Actor, runner uint64, form url.Values, err error, note string) {
	if faults, ok := fault.As(err); ok {
		o.page(c, who, runner, http.StatusUnprocessableEntity, form, faults, "")
		return
	}
	if err != nil {
		o.Fail(c, err)
		return
	}
	kit.Go(c, "/r/"+c.Param("secret")+"?said="+note)
}

func (o *Own) addRun(c *gin.Context) {
	who, runner, ok := o.who(c, app.RunnerLink)
	if !ok {
		return
	}
	form, v, err := kit.Decode(c, app.RunFields, who.Units)
	var token string
	if err == nil {
		token, err = kit.Token(form)
	}
	if err == nil {
		r := app.NewRun{PairID: uint64(v["pair"].Number), On: v["on"].Text, Start: v["start"].Text, KM: v["km"].Number, Ground: term.Ground(v["ground"].Text), Kind: term.Kind(v["kind"].Text), Wet: !v["wet"].Empty}
		_, err = o.App.AddRun(c, who, token, runner, r)
	}
	o.done(c, who, runner, form, err, "run")
}

// sendFile takes the runner's GPX files and puts them in at once: what is there already is
// left out, and nothing is put in where a file is at fault.
func (o *Own) sendFile(c *gin.Context) {
	who, runner, ok := o.who(c, app.RunnerLink)
	if !ok {
		return
	}
	files, err := distance.RunFiles(c, mostSent)
	n := 0
	if err == nil && len(files) > 3 {
		err = fault.List{{Field: "runs_file", Text: "are " + strconv.Itoa(len(files)) + " files; send up to three at a time"}}
	}
	if err == nil {
		n, err = o.App.PutFilesIn(c, who, runner, files)
	}
	note := "file"
	if n == 0 {
		note = "there"
	}
	o.done(c, who, runner, nil, err, note)
}

func (o *Own) report(c *gin.Context) {
	who, runner, ok := o.who(c, app.RunnerLink)
	if !ok {
		return
	}
	pair, err := kit.ID(c, "pair")
	form, v, wrong := kit.Decode(c, app.ReportFields, who.Units)
	if err == nil {
		err = wrong
	}
	if err == nil {
		var comfort *float64
		if x := v["report_comfort"]; !x.Empty {
			comfort = &x.Number
		}
		err = o.App.AddReport(c, who, runner, pair, comfort, v["report_note"].Text)
	}
	o.done(c, who, runner, form, err, "report")
}

func (o *Own) look(c *gin.Context) {
	who, runner, ok := o.who(c, app.RunnerLink)
	if !ok {
		return
	}
	pair, err := kit.ID(c, "pair")
	form, n, wrong := distance.ReadLook(c, who.Units)
	if err == nil {
		err = wrong
	}
	if err == nil {
		err = o.App.AddLook(c, who, runner, pair, n)
	}
	o.done(c, who, runner, form, err, "look")
}

// sore tells the plan of changing over how the week went.
func (o *Own) sore(c *gin.Context) {
	who, runner, ok := o.who(c, app.RunnerLink)
	if !ok {
		return
	}
	id, err := kit.ID(c, "change")
	form, v, wrong := kit.Decode(c, app.SoreFields, who.Units)
	if err == nil {
		err = wrong
	}
	if err == nil && v["sore_level"].Empty {
		err = fault.List{{Field: "sore_level", Text: "is missing; allowed is 0 to 10"}}
	}
	if err == nil {
		r := care.Report{Week: int(v["sore_week"].Number), Soreness: v["sore_level"].Number, Night: v["sore_night"].Text == "yes"}
		if p := term.Place(v["sore_place"].Text); p != "" {
			r.Place = &p
		}
		err = o.App.ReportSore(c, who, runner, id, r)
	}
	o.done(c, who, runner, form, err, "sore")
}

// newCalendar makes a feed of the runner's own and shows its address once.
func (o *Own) newCalendar(c *gin.Context) {
	who, runner, ok := o.who(c, app.RunnerLink)
	if !ok {
		return
	}
	form, err := kit.Form(c, kit.Known())
	var secret string
	if err == nil {
		secret, err = o.App.NewLink(c, who, app.RunnerCalendarLink, runner)
	}
	if err != nil {
		o.done(c, who, runner, form, err, "")
		return
	}
	o.page(c, who, runner, http.StatusOK, nil, nil, kit.Absolute(c, "/calendar/"+secret+".ics"))
}

// calendar is a feed: the shop's, or a runner's.
func (o *Own) calendar(c *gin.Context) {
	secret := strings.TrimSuffix(c.Param("secret"), ".ics")
	who, _, err := o.App.ByLink(c, app.ShopCalendarLink, secret)
	var text string
	if err == nil {
		text, err = o.App.ShopCalendar(c, who)
	} else if errors.Is(err, app.ErrNotFound) {
		var runner uint64
		if who, runner, err = o.App.ByLink(c, app.RunnerCalendarLink, secret); err == nil {
			text, err = o.App.RunnerCalendar(c, who, runner)
		}
	}
	if err != nil {
		o.Fail(c, err)
		return
	}
	c.Header("X-Robots-Tag", "noindex")
	c.Data(http.StatusOK, "text/calendar; charset=utf-8", []byte(text))
}
