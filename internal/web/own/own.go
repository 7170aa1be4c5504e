// Package own is a runner's own page, on a phone: their pairs and what to do now, runs put down, mended and
// shared from the watch, a look at a pair, where it rubs, races, their calendar. It is reached by a private
// address without a password and shows nothing of other runners and nothing of the shop's.
package own

import (
	"cmp"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"math"
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
	"trevik/internal/core/care"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/web/draw"
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
		{Method: http.MethodGet, Path: "/r/:secret", Handle: o.guest(o.show)},
		{Method: http.MethodGet, Path: "/r/:secret/app.webmanifest", Handle: o.manifest},
		{Method: http.MethodGet, Path: "/r/:secret/offline", Handle: o.guest(o.offline)},
		post("runs", o.addRun), post("runs/mend", o.mend), post("runs/move", o.move), post("runs/:run/delete", o.deleteRun),
		post("runs/:run/undo", o.undoRun), post("runs/:run/apart", o.apart), post("file", o.sendFile),
		{Method: http.MethodPost, Path: "/r/:secret/share", Handle: o.form(o.share), Back: "/r/:secret", Free: true},
		post("pairs", o.addPair), post("pairs/:pair/report", o.report), post("pairs/:pair/look", o.look), post("pairs/:pair/rub", o.rub),
		post("pairs/:pair/lifting", o.lifting), post("races", o.addRace), post("races/:race/end", o.endRace),
		post("changes/:change", o.sore), post("units", o.units),
		{Method: http.MethodPost, Path: "/r/:secret/calendar", Handle: o.guest(o.newCalendar), Back: "/r/:secret"},
		{Method: http.MethodGet, Path: "/calendar/:secret", Handle: o.calendar},
	}
}

// fields are those of the page's forms: a run's, without what a runner need not say.
var fields = slices.Concat(runlog.RunFields, runlog.MendFields, wardrobe.ReportFields, wardrobe.LookFields, wardrobe.SoreFields,
	wardrobe.RaceFields, wardrobe.LiftingFields, wardrobe.OwnedPairFields, wardrobe.RubFields, []form.Field{wardrobe.RubSigns})

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

// guest answers whoever has a runner's address; at one that is nobody's it says so.
func (o *Own) guest(do func(*visitor) error) kit.Handler {
	return func(c *kit.Req) error {
		v, err := o.visitor(c)
		if errors.Is(err, app.ErrNotFound) {
			return o.closed(c)
		}
		if err != nil {
			return err
		}
		return do(v)
	}
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
	Pairs    []pair
	Again    []again
	Last     record.Run // as the next run is most likely
	LastIn   string     // its pair's name
	Runs     []logged   // a page, the latest first
	All      int
	Older    int
	Newer    int
	Alike    []record.Alike
	Loose    int
	Offers   []record.Offer
	Mend     []kit.Control // of the run that is put right
	MendID   uint64
	Undo     uint64 // a run that was just changed or deleted
	Races    []race
	Coming   []record.Booking
	Orders   []record.SeasonDecided // pairs that the shop is to order for them
	Changes  []record.Changing      // those that go on
	Models   []string
	Own      map[string]kit.Control
	Faults   map[string]string
	URL      string
	Options  []kit.Option
	On       string
	Calendar string // the address of a calendar that was just made
	Said     string
	Units    units.System
	Shop     string
}

// pair is one of theirs in use, with what they asked of it.
type pair struct {
	record.Worn
	Rub  *care.Rubbed
	Lace map[string]template.HTML
	Open bool                   // its forms: what was sent of it could not be kept
	Own  map[string]kit.Control // their inputs, with what was sent of this pair alone
}

// again is a run like one of the last, put down with one tap.
type again struct {
	record.Run
	In string
}

// logged is a run with its pair's name.
type logged struct {
	record.Run
	In string
}

func (o *Own) show(c *visitor) error { return o.page(c, http.StatusOK, nil, nil, "") }

// said are the notes after something was sent, by the address's word for it.
var said = map[string]string{"run": "Run saved.", "sent": "The runs that were saved on this phone are sent.", "file": "Your runs are in.",
	"there": "Nothing new: these runs were there already.", "report": "Thank you. The shop sees it.", "look": "Check saved.",
	"sore": "The plan has heard it.", "mended": "Run changed.", "deleted": "Run deleted.", "undone": "It is as it was.",
	"moved": "They are in that pair.", "two": "They are two runs.", "pair": "Pair added.", "lifted": "Hours added.",
	"race": "Race added.", "norace": "Race deleted.", "rub": "The shop sees it. This is what it may be."}

// race is one to come, with how likely it is that its pair is broken in and lasts; none where that is not known.
type race struct {
	record.Race
	Ready string
	In    string
	Break string          // how its pair is broken in before
	Told  *record.Outlook // what was told of it, where that changed in the last weeks
}

// toldFor is how long a change of a race's chance stands on the page, days.
const toldFor = 28

func (v *view) races(c *visitor, fit *record.Conclusions) error {
	for _, r := range fit.Races() {
		v.Races = append(v.Races, race{Race: r})
	}
	if len(v.Races)+len(fit.Runner.Season.Orders) == 0 {
		return nil
	}
	s, err := fit.Season(c.Ctx(), record.SeasonWhat{})
	if err != nil {
		return err
	}
	v.Orders = s.Decided
	for i := range v.Races {
		x := &v.Races[i]
		for _, r := range s.Races {
			if r.ID != x.ID || !r.On.Equal(x.On) || r.In == "" {
				continue
			}
			for _, b := range s.BreakIns {
				if b.Race.On.Equal(r.On) {
					x.Break = b.Text()
				}
			}
			x.Ready, x.In = fmt.Sprintf("%.0f %%", 100*r.Ready), r.In
			if r.Told != nil && r.Told.On.AddDate(0, 0, toldFor).After(fit.Today) {
				x.Told = r.Told
			}
		}
	}
	return nil
}

// House values of the page.
const (
	aPage    = 10 // runs
	againFor = 3  // runs that are offered to be put down again
)

func (o *Own) page(c *visitor, code int, sent url.Values, faults fault.List, calendar string) error {
	r, err := o.App.Visits.Runner(c.Ctx(), c.Who, c.runner)
	if err != nil {
		return err
	}
	today := o.App.Today(c.Who)
	v := view{Page: o.NewPage(c.Req, "Your shoes"), Runner: r, URL: "/r/" + c.Param("secret"), On: today.Format(time.DateOnly),
		Units: c.Who.Units, Shop: c.Who.Shop, Calendar: calendar, Said: said[c.Query("said")], Loose: len(r.Loose), Alike: r.LookAlikes(),
		Coming: r.Coming(today)}
	fit, err := o.App.Visits.OfRunner(c.Ctx(), c.Who, c.runner)
	switch {
	case err == nil:
		v.Offers = fit.Offers()
		if err := v.races(c, fit); err != nil {
			return err
		}
		if err := v.wear(c, fit); err != nil {
			return err
		}
	case !errors.Is(err, app.ErrNotFound): // who was never fitted has pairs all the same, and no forecast
		return err
	}
	if v.Changes, err = r.Changings(today); err != nil {
		return err
	}
	v.Changes = slices.DeleteFunc(v.Changes, func(x record.Changing) bool { return x.Ended })
	v.Faults, v.Notice = kit.Say(c.Who.Units, faults, func(in string) bool {
		name, _, _ := strings.Cut(in, ".")
		return name == "runs_file" || slices.ContainsFunc(fields, func(f form.Field) bool { return f.Name == name })
	})
	v.Own = kit.Controls(fields, c.Who.Units, sent, v.Faults)
	empty := kit.Controls(fields, c.Who.Units, nil, nil)
	for i := range v.Pairs {
		p := &v.Pairs[i]
		if p.Own = empty; p.Open {
			p.Own = v.Own
		}
	}
	v.Options = pairOptions(r)
	v.log(c)
	shelf, err := o.App.Shelf.Catalogue(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	for _, m := range shelf.Models {
		if m.Chart == r.Chart {
			v.Models = append(v.Models, record.FullName(&m))
		}
	}
	v.Manifest = v.URL + "/app.webmanifest"
	return o.Render(c.Req, code, pages, "own", v)
}

// pairOptions are the pairs in use.
func pairOptions(r *record.Runner) []kit.Option {
	var out []kit.Option
	for _, p := range r.InUse() {
		out = append(out, kit.Option{Value: strconv.FormatUint(p.ID, 10), Text: p.Name()})
	}
	return out
}

// wear is what is left of their pairs, with the advice for a place that was said to rub.
func (v *view) wear(c *visitor, fit *record.Conclusions) error {
	worn, err := fit.Worn()
	if err != nil {
		return err
	}
	for _, w := range worn {
		p := pair{Worn: w, Lace: map[string]template.HTML{}, Open: c.Param("pair") == strconv.FormatUint(w.Pair.ID, 10)}
		if c.Query("in") == strconv.FormatUint(w.Pair.ID, 10) {
			switch place := term.Place(c.Query("rub")); {
			case slices.Contains(care.RubPlaces, place):
				known := fit.RubKnown(&w.Pair)
				signs(&known, strings.Split(c.Query("signs"), ","))
				rub := care.Rub(place, when(c.Query("when")), known)
				p.Rub = &rub
				for _, x := range rub.Causes {
					if x.Lace != "" {
						p.Lace[x.Lace] = draw.Lacing(x.Lace)
					}
				}
			case w.Wear.RetireBecause != nil && v.Said != "":
				v.Said += " That pair is to be retired: " + *w.Wear.RetireBecause + "."
			}
		}
		v.Pairs = append(v.Pairs, p)
	}
	return nil
}

// log is a page of their runs, those to put down again, and the one that is put right.
func (v *view) log(c *visitor) {
	names := map[uint64]string{}
	for i := range v.Runner.Pairs {
		names[v.Runner.Pairs[i].ID] = v.Runner.Pairs[i].Name()
	}
	all := v.Runner.AllRuns()
	slices.Reverse(all)
	v.All = len(all)
	v.Last = record.Run{Kind: term.Easy, Ground: term.GroundRoad}
	if len(v.Options) == 1 {
		v.Last.PairID, _ = strconv.ParseUint(v.Options[0].Value, 10, 63) // written a moment ago
	}
	inUse := func(id uint64) bool {
		return slices.ContainsFunc(v.Options, func(o kit.Option) bool { return o.Value == strconv.FormatUint(id, 10) })
	}
	half := 0.5 // km
	if v.Units == units.Imperial {
		half *= units.KmPerMile
	}
	for _, x := range all {
		if x.Part || !inUse(x.PairID) {
			continue
		}
		x.KM = math.Round(x.KM/half) * half // nobody ran 8.37 twice
		like := func(y again) bool {
			return y.PairID == x.PairID && y.Kind == x.Kind && y.Ground == x.Ground && y.KM == x.KM
		}
		if len(v.Again) == 0 {
			v.Last.PairID, v.Last.Kind, v.Last.Ground = x.PairID, x.Kind, x.Ground
		}
		if len(v.Again) < againFor && x.KM > 0 && !slices.ContainsFunc(v.Again, like) {
			v.Again = append(v.Again, again{x, names[x.PairID]})
		}
	}
	v.LastIn = names[v.Last.PairID]
	asked := cmp.Or(c.Query("mend"), c.PostForm("mend_run"))
	id, _ := strconv.ParseUint(asked, 10, 63) // what is no number is none
	if at := slices.IndexFunc(all, func(r record.Run) bool { return r.ID == id }); at >= 0 {
		pairs := slices.Clone(v.Options)
		if in := all[at].PairID; in != 0 && !inUse(in) {
			pairs = append(pairs, kit.Option{Value: strconv.FormatUint(in, 10), Text: names[in] + ", retired"})
		}
		v.MendID, v.Mend = id, distance.MendControls(v.Own, &all[at], pairs, v.Units)
	}
	v.Undo, _ = strconv.ParseUint(c.Query("undo"), 10, 63)
	page, _ := strconv.Atoi(c.Query("page"))
	page = max(1, page)
	from := min((page-1)*aPage, len(all))
	for _, x := range all[from:min(from+aPage, len(all))] {
		v.Runs = append(v.Runs, logged{x, names[x.PairID]})
	}
	if page > 1 {
		v.Newer = page - 1
	}
	if from+aPage < len(all) {
		v.Older = page + 1
	}
}

// form is a form of the page: do saves it and gives what was sent and the note of what it did.
func (o *Own) form(do func(*visitor) (url.Values, string, error)) kit.Handler {
	return o.guest(func(c *visitor) error {
		sent, note, err := do(c)
		if faults, ok := fault.As(err); ok {
			return o.page(c, http.StatusUnprocessableEntity, sent, faults, "")
		}
		if err != nil {
			return err
		}
		return kit.Go(c.Req, "/r/"+c.Param("secret")+"?said="+note)
	})
}

// units changes how the runner reads lengths and distances.
func (o *Own) units(c *visitor) (url.Values, string, error) {
	sent, err := kit.Form(c.Req, kit.Known("units"))
	if err == nil {
		err = o.App.People.SetLinkUnits(c.Ctx(), c.Param("secret"), units.System(sent.Get("units")))
	}
	return sent, "", err
}

// newCalendar makes a feed of the runner's own and shows its address once.
func (o *Own) newCalendar(c *visitor) error {
	if _, err := kit.Form(c.Req, kit.Known()); err != nil {
		return err
	}
	secret, err := o.App.People.NewLink(c.Ctx(), c.Who, people.RunnerCalendarLink, c.runner)
	if l, ok := fault.As(err); ok {
		return o.page(c, http.StatusUnprocessableEntity, nil, l, "")
	}
	if err != nil {
		return err
	}
	return o.page(c, http.StatusOK, nil, nil, o.Absolute(c.Req, "/calendar/"+secret+".ics"))
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
