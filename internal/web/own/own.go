// Package own is a runner's own page, on a phone: their pairs, a run put down, a file from
// the watch, a look at a pair, how it feels, their calendar. It is reached by a private
// address without a password and shows nothing of other runners and nothing of the shop's.
package own

import (
	"crypto/sha256"
	"embed"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/people"
	"trevik/internal/app/runlog"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/web/desk"
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
	post := func(path string, do func(*visitor) (url.Values, string, error)) kit.Route {
		return kit.Route{Method: http.MethodPost, Path: "/r/:secret/" + path, Handle: o.form(do), Back: "/r/:secret"}
	}
	return []kit.Route{
		{Method: http.MethodGet, Path: "/r/:secret", Handle: o.show},
		post("runs", o.addRun), post("file", o.sendFile), post("pairs/:pair/report", o.report), post("pairs/:pair/look", o.look),
		post("changes/:change", o.sore), post("units", o.units),
		{Method: http.MethodPost, Path: "/r/:secret/calendar", Handle: o.newCalendar, Back: "/r/:secret"},
		{Method: http.MethodGet, Path: "/calendar/:secret", Handle: o.calendar},
	}
}

// mostSent is how much a runner may send at once, bytes: three long runs are far less.
const mostSent = 24 << 20

// mostFiles is how many files they may send at once.
const mostFiles = 3

// fields are those of the page's forms: a run's, without what a runner need not say.
var fields = slices.Concat(runlog.RunFields, wardrobe.ReportFields, wardrobe.LookFields, wardrobe.SoreFields)

// visitor is a request of a runner by their address.
type visitor struct {
	*kit.Req
	runner uint64
}

// closed answers at an address that is nobody's.
func (o *Own) closed(c *kit.Req) error {
	o.FailWith(c, http.StatusNotFound, "This address is not open", "It may have expired or been closed. The shop can give you a new one.")
	return nil
}

// visitor is whose address this is. What is sent from it is done in the name of who gave it.
func (o *Own) visitor(c *kit.Req) (*visitor, error) {
	who, runner, err := o.App.People.ByLink(c.Ctx(), people.RunnerLink, c.Param("secret"))
	if err != nil {
		return nil, err
	}
	who.Form = c.Who.Form // the token of what was sent
	c.Who = who
	c.Header("X-Robots-Tag", "noindex")
	c.Header("Referrer-Policy", "no-referrer")
	return &visitor{c, runner}, nil
}

type view struct {
	kit.Page
	Runner   *record.Runner
	Pairs    []record.Worn
	Last     []record.Run
	Races    []record.Race
	Changes  []record.Changing // those that go on
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

func (o *Own) show(c *kit.Req) error {
	v, err := o.visitor(c)
	if errors.Is(err, app.ErrNotFound) {
		return o.closed(c)
	}
	if err != nil {
		return err
	}
	return o.page(v, http.StatusOK, nil, nil, "")
}

// said are the notes after something was sent, by the address's word for it.
var said = map[string]string{"run": "Your run is put down.", "file": "Your runs are in.",
	"there": "Nothing new: these runs were there already.", "report": "Thank you. The shop sees it.", "look": "Your look is kept.",
	"sore": "The plan has heard it."}

// lastRuns is how many of their runs the page shows.
const lastRuns = 8

func (o *Own) page(c *visitor, code int, sent url.Values, faults fault.List, calendar string) error {
	r, err := o.App.Visits.Runner(c.Ctx(), c.Who, c.runner)
	if err != nil {
		return err
	}
	today := o.App.Today(c.Who)
	v := view{Page: o.NewPage(c.Req, "Your shoes"), Runner: r, URL: "/r/" + c.Param("secret"), On: today.Format(time.DateOnly),
		Units: c.Who.Units, Shop: c.Who.Shop, Calendar: calendar, Said: said[c.Query("said")]}
	fit, err := o.App.Visits.OfRunner(c.Ctx(), c.Who, c.runner)
	if err == nil {
		v.Races = fit.Races()
		v.Pairs, err = fit.Worn()
	}
	if err != nil && !errors.Is(err, app.ErrNotFound) { // who was never fitted has pairs all the same, and no forecast
		return err
	}
	if v.Changes, err = r.Changings(today); err != nil {
		return err
	}
	v.Changes = slices.DeleteFunc(v.Changes, func(x record.Changing) bool { return x.Ended })
	all := r.AllRuns()
	slices.Reverse(all)
	v.Last = all[:min(lastRuns, len(all))]
	v.Faults, v.Notice = kit.Say(c.Who.Units, faults, func(in string) bool {
		name, _, _ := strings.Cut(in, ".")
		return name == "runs_file" || slices.ContainsFunc(fields, func(f form.Field) bool { return f.Name == name })
	})
	v.Own = kit.Controls(fields, c.Who.Units, sent, v.Faults)
	v.Options = []kit.Option{{Text: "not told"}}
	for _, p := range r.InUse() {
		v.Options = append(v.Options, kit.Option{Value: strconv.FormatUint(p.ID, 10), Text: p.Name()})
	}
	if len(v.Options) == 2 {
		v.Usual = v.Options[1].Value
	}
	return o.Render(c.Req, code, pages, "own", v)
}

// form is a form of the page: do saves it and gives what was sent and the note of what it did.
func (o *Own) form(do func(*visitor) (url.Values, string, error)) kit.Handler {
	return func(c *kit.Req) error {
		v, err := o.visitor(c)
		if errors.Is(err, app.ErrNotFound) {
			return o.closed(c)
		}
		if err != nil {
			return err
		}
		sent, note, err := do(v)
		if faults, ok := fault.As(err); ok {
			return o.page(v, http.StatusUnprocessableEntity, sent, faults, "")
		}
		if err != nil {
			return err
		}
		return kit.Go(c, "/r/"+c.Param("secret")+"?said="+note)
	}
}

func (o *Own) addRun(c *visitor) (url.Values, string, error) {
	sent, v, err := kit.Decode(c.Req, runlog.RunFields)
	if err == nil {
		_, err = o.App.Runs.Add(c.Ctx(), c.Who, c.runner, runlog.Typed{PairID: uint64(v["pair"].Number), On: v["on"].Text, Start: v["start"].Text,
			KM: v["km"].Ptr(), Ground: term.Ground(v["ground"].Text), Kind: term.Kind(v["kind"].Text), Wet: !v["wet"].Empty,
			TempC: v["temp_c"].Ptr()})
	}
	return sent, "run", err
}

// sendFile takes the runner's GPX files and puts them in at once: what is there already is
// left out, and nothing is put in where a file is at fault.
func (o *Own) sendFile(c *visitor) (url.Values, string, error) {
	if err := c.Hold(mostSent); err != nil {
		return nil, "", err
	}
	sending, err := kit.Upload(c.Req, "runs_file", mostSent)
	if err != nil {
		return nil, "", err
	}
	var files []runlog.NamedFile
	digest := sha256.New()
	for next := distance.Files(sending); ; {
		name, in, err := next()
		if err == io.EOF {
			break
		}
		if err == nil && len(files) >= mostFiles {
			err = fault.List{{Field: "runs_file", Text: fmt.Sprintf("are more than %d files; send up to %d at a time", mostFiles, mostFiles)}}
		}
		var data []byte
		if err == nil {
			data, err = io.ReadAll(in) // held: the whole form is
		}
		if err != nil {
			return nil, "", err
		}
		fmt.Fprintf(digest, "%q %d ", name, len(data))
		digest.Write(data)
		files = append(files, runlog.NamedFile{Name: name, Data: data})
	}
	if err := c.Ticket([32]byte(digest.Sum(nil))); err != nil {
		return nil, "", err
	}
	if len(files) == 0 {
		return nil, "", fault.List{{Field: "runs_file", Text: "is missing; choose GPX files"}}
	}
	n, err := o.App.Runs.PutFiles(c.Ctx(), c.Who, c.runner, files)
	if n == 0 {
		return nil, "there", err
	}
	return nil, "file", err
}

func (o *Own) report(c *visitor) (url.Values, string, error) {
	pair, err := kit.RowID(c.Req, "pair")
	if err != nil {
		return nil, "", err
	}
	sent, v, err := kit.Decode(c.Req, wardrobe.ReportFields)
	if err == nil {
		err = o.App.Wardrobe.AddReport(c.Ctx(), c.Who, c.runner, pair, v["report_comfort"].Ptr(), v["report_note"].Text)
	}
	return sent, "report", err
}

func (o *Own) look(c *visitor) (url.Values, string, error) {
	pair, err := kit.RowID(c.Req, "pair")
	if err != nil {
		return nil, "", err
	}
	sent, n, err := distance.ReadLook(c.Req)
	if err == nil {
		err = o.App.Wardrobe.AddLook(c.Ctx(), c.Who, c.runner, pair, n)
	}
	return sent, "look", err
}

// units changes how the runner reads lengths and distances.
func (o *Own) units(c *visitor) (url.Values, string, error) {
	sent, err := kit.Form(c.Req, kit.Known("units"))
	if err == nil {
		err = o.App.People.SetLinkUnits(c.Ctx(), c.Param("secret"), units.System(sent.Get("units")))
	}
	return sent, "", err
}

// sore tells the plan of changing over how the week went.
func (o *Own) sore(c *visitor) (url.Values, string, error) {
	id, err := kit.RowID(c.Req, "change")
	if err != nil {
		return nil, "", err
	}
	sent, v, err := kit.Decode(c.Req, wardrobe.SoreFields)
	if err != nil {
		return sent, "", err
	}
	r, err := desk.Sore(v)
	if err == nil {
		err = o.App.Wardrobe.ReportSore(c.Ctx(), c.Who, c.runner, id, r)
	}
	return sent, "sore", err
}

// newCalendar makes a feed of the runner's own and shows its address once.
func (o *Own) newCalendar(c *kit.Req) error {
	v, err := o.visitor(c)
	if errors.Is(err, app.ErrNotFound) {
		return o.closed(c)
	}
	if err == nil {
		_, err = kit.Form(c, kit.Known())
	}
	if err != nil {
		return err
	}
	secret, err := o.App.People.NewLink(c.Ctx(), c.Who, people.RunnerCalendarLink, v.runner)
	if l, ok := fault.As(err); ok {
		return o.page(v, http.StatusUnprocessableEntity, nil, l, "")
	}
	if err != nil {
		return err
	}
	return o.page(v, http.StatusOK, nil, nil, o.Absolute(c, "/calendar/"+secret+".ics"))
}

// calendar is a feed: the shop's, or a runner's.
func (o *Own) calendar(c *kit.Req) error {
	text, err := o.feed(c, strings.TrimSuffix(c.Param("secret"), ".ics"))
	if err != nil {
		return err
	}
	c.Header("X-Robots-Tag", "noindex")
	c.Header("Referrer-Policy", "no-referrer")
	return c.Data(http.StatusOK, "text/calendar; charset=utf-8", []byte(text))
}

func (o *Own) feed(c *kit.Req, secret string) (string, error) {
	who, _, err := o.App.People.ByLink(c.Ctx(), people.ShopCalendarLink, secret)
	if err == nil {
		return o.App.Due.ShopCalendar(c.Ctx(), who)
	}
	if !errors.Is(err, app.ErrNotFound) {
		return "", err
	}
	who, runner, err := o.App.People.ByLink(c.Ctx(), people.RunnerCalendarLink, secret)
	if err != nil {
		return "", err
	}
	fit, err := o.App.Visits.OfRunner(c.Ctx(), who, runner)
	if err != nil && !errors.Is(err, app.ErrNotFound) {
		return "", err
	}
	return o.App.Due.RunnerCalendar(fit)
}
