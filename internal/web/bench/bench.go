// Package bench is the fitter's bench: the rail of stations, the table in the
// middle, the slips and the foot bar. A station gives its template and what its
// table shows; the bench does the rest, the same for all.
package bench

import (
	"embed"
	"fmt"
	"html/template"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/visit"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/web/kit"
)

// TableWidth is how wide a drawing may be on the table, px, where the window is 1280.
const TableWidth = 812

// Station is one station of the bench.
type Station struct {
	Path string // as in record.Stations
	Name string
	Lead string // what the fitter does here, a sentence
	// Body gives what the station's findings show.
	Body func(c *kit.Req, b *Bench, fit *record.Conclusions) (any, error)
	// Template holds "table", the sent, and "findings", what follows from it.
	Template *template.Template
	// Fields are those of a form of the station's own, drawn by View.Own.
	Fields []form.Field
	// Extra are the station's own routes beside showing and recording.
	Extra func(b *Bench) []kit.Route
}

// Bench holds the stations in the order of work.
type Bench struct {
	*kit.Env
	stations []Station
}

// New makes the bench.
func New(env *kit.Env, stations []Station) *Bench { return &Bench{env, stations} }

// Parse reads a station's template over the bench's and the shared ones, once.
func Parse(own embed.FS) *template.Template {
	t, ok := parsed.Load(own)
	if !ok {
		t, _ = parsed.LoadOrStore(own, template.Must(kit.Templates(pages, "*.html").ParseFS(own, "*.html")))
	}
	return t.(*template.Template)
}

// parsed are the stations' templates by their files.
var parsed sync.Map

// Routes of every station.
func (b *Bench) Routes() []kit.Route {
	var out []kit.Route
	for _, s := range b.stations {
		out = append(out, kit.Route{Method: http.MethodGet, Path: "/fits/:fit/" + s.Path, Roles: kit.Everyone, Handle: b.show(s)})
		if len(record.DeclsAt(s.Path)) > 0 {
			out = append(out, kit.Route{Method: http.MethodPost, Path: "/fits/:fit/" + s.Path, Roles: kit.Everyone, Handle: b.record(s), Free: true})
		}
		if s.Extra != nil {
			for _, r := range s.Extra(b) {
				r.Back = "/fits/:fit/" + s.Path
				out = append(out, r)
			}
		}
	}
	return append(out,
		kit.Route{Method: http.MethodGet, Path: "/fits/:fit", Roles: kit.Everyone, Handle: b.begin},
		kit.Route{Method: http.MethodPost, Path: "/fits/:fit/undo", Roles: kit.Everyone, Handle: b.undo, Free: true, Back: "/fits/:fit"},
	)
}

// View is what a station's templates see.
type View struct {
	kit.Page
	// ID of the fit and Units of the reader stand here, too: a page asks for them some hundred times, and a template
	// finds what is embedded slowly.
	ID      uint64
	Units   units.System
	Fit     *record.Conclusions
	Station Station
	Rail    []RailRow
	Slips   []SlipGroup
	Body    any
	Saved   *Saved
	Prev    *Station
	Next    *Station
	Faults  map[string]string
	typed   url.Values
	own     *map[string]kit.Control // the station's own controls, once they were asked for
	posted  []string                // inputs of the form that was sent
}

// Saved is the note that something was kept.
type Saved struct {
	At    time.Time
	IDs   string // what Undo takes back
	Notes []string
}

// Slip is a finding as a slip of paper, as it is read, with where it leads.
type Slip struct {
	Title, Value string
	Side         term.Side
	At           string // the hour
	Hand, How    string
	Moved        []string
	ID           string
	URL          string
	Lift         string // the address of the answer without it; empty where it is no evidence
	Look         string // the address that shows what it moved, where that is drawn; empty elsewhere
}

// SlipGroup is slips that stand together; Note says why they are pinned.
type SlipGroup struct {
	Note  string
	Slips []Slip
}

// slips are a fit's findings on the page of a station.
func slips(fit *record.Conclusions, station string) ([]SlipGroup, error) {
	groups, err := fit.Slips()
	var out []SlipGroup
	n := 0
	for _, g := range groups {
		shown := SlipGroup{Note: g.Note}
		for _, x := range g.Slips {
			n++
			s := Slip{Title: x.Title, Value: x.Value, Side: x.Side, At: kit.Clock(x.At), Hand: x.Hand, How: x.How, Moved: x.Moved,
				ID: fmt.Sprintf("slip-%d", n), URL: URL(fit.ID, x.Station)}
			if x.Liftable {
				s.Lift = URL(fit.ID, "support") + "?without=" + x.Evidence
				if station == "support" {
					s.Look = URL(fit.ID, "support") + "/ladder?slip=" + x.Evidence
				}
			}
			shown.Slips = append(shown.Slips, s)
		}
		out = append(out, shown)
	}
	return out, err
}

var slipPieces kit.Pieces

// Pinned is the slips as they lie beside the table.
func (v View) Pinned() (template.HTML, error) {
	return slipPieces.Of(v.Station.Template, "pinned", v.Slips)
}

// Showed is the newest finding that the page shows.
func (v View) Showed() uint64 { return v.Fit.Newest() }

// URL is the address of the station in this fit.
func (v View) URL() string { return URL(v.Fit.ID, v.Station.Path) }

// URL is the address of a station of a fit.
func URL(fit uint64, station string) string { return fmt.Sprintf("/fits/%d/%s", fit, station) }

// PairURL is where a pair stands in a fit's Distance, at its own place; pair 0 is none.
func PairURL(fit, pair uint64) string {
	if pair == 0 {
		return URL(fit, "distance")
	}
	return URL(fit, "distance") + PairAt(pair)
}

// PairAt is a pair's place within Distance.
func PairAt(pair uint64) string { return fmt.Sprintf("?pair=%d#pair-%d", pair, pair) }

// F is the control of a finding by its name, then a side, the number of a row, or the id of a
// model.
func (v View) F(name string, at ...any) (kit.Control, error) {
	k := record.Key{Name: name}
	for _, a := range at {
		switch a := a.(type) {
		case int:
			k.Row = a
		case uint64:
			k.Model = a
		case string:
			k.Side = term.Side(a)
		case term.Side:
			k.Side = a
		}
	}
	d, key, ok := record.InputAt(v.Station.Path, k.Input())
	if !ok {
		return kit.Control{}, fmt.Errorf("no finding %q at %s", k.Input(), v.Station.Path)
	}
	var typed []string
	if v.Faults[k.Input()] != "" {
		typed = v.typed[k.Input()]
	}
	f := v.Fit.Finding(key)
	c := kit.ControlOf(d.Field, key.Input(), v.Units, kit.Held{Number: f.Number, Text: f.Text}, typed, v.Faults[k.Input()])
	c.Disabled = !v.Fit.Open()
	return c.SaveBy(v.URL()), nil
}

// Own is the controls of the station's own sent, by name.
func (v View) Own() map[string]kit.Control {
	if v.own == nil { // one that no page was made for
		return kit.Controls(v.Station.Fields, v.Units, v.typed, v.Faults)
	}
	if *v.own == nil {
		*v.own = kit.Controls(v.Station.Fields, v.Units, v.typed, v.Faults)
	}
	return *v.own
}

// Untyped is the view without what was sent and what is wrong with it: for forms that stand beside the one that was sent
// and have its inputs' names.
func (v View) Untyped() View {
	v.Faults, v.typed, v.own = map[string]string{}, nil, new(map[string]kit.Control)
	return v
}

// Bare is F with its label spoken only, as it is drawn.
func (v View) Bare(name string, at ...any) (template.HTML, error) {
	c, err := v.F(name, at...)
	c.Bare = true
	for _, a := range at {
		c.Label += fmt.Sprintf(", %v", a)
	}
	return c.Entry() + c.Wrong(), err
}

// Pick is F as a row of buttons instead of a list.
func (v View) Pick(name string, at ...any) (kit.Control, error) {
	c, err := v.F(name, at...)
	c.Type = "pick"
	for _, a := range at {
		if side, ok := a.(string); ok { // the row of a model is nobody's word
			c.Label += ", " + side
		}
	}
	return c, err
}

// Label is a finding's name for people.
func (v View) Label(name string) string { return record.LabelOf(name) }

// FaultsOf joins the faults whose field begins so: those of a file, which has no
// fields on the page.
func (v View) FaultsOf(prefix string) string {
	var out []string
	for _, at := range slices.Sorted(maps.Keys(v.Faults)) {
		if name, ok := strings.CutPrefix(at, prefix); ok {
			out = append(out, kit.Sentence(name)+": "+v.Faults[at])
		}
	}
	return strings.Join(out, " ")
}

// Errs are the errors, or their absence, of the inputs that were sent.
func (v View) Errs() []kit.Control {
	var out []kit.Control
	for _, in := range v.posted {
		out = append(out, kit.Control{ID: kit.ControlID(in), Input: in, Err: v.Faults[in], OOB: true})
	}
	return out
}

// Load finds the fit of a request.
func (b *Bench) Load(c *kit.Req) (*record.Conclusions, error) {
	id, err := kit.RowID(c, "fit")
	if err != nil {
		return nil, err
	}
	return b.App.Visits.Fit(c.Ctx(), c.Who, id)
}

// View makes a station's view of a fit.
func (b *Bench) View(c *kit.Req, s Station, fit *record.Conclusions) (View, error) {
	v := View{Page: b.NewPage(c, fit.Runner.Name+" · "+s.Name), Fit: fit, Station: s, Faults: map[string]string{},
		own: new(map[string]kit.Control), ID: fit.ID}
	v.Units = v.Page.Units()
	v.Path = URL(fit.ID, s.Path)
	at := slices.IndexFunc(b.stations, func(o Station) bool { return o.Path == s.Path })
	if at > 0 {
		v.Prev = &b.stations[at-1]
	}
	if at+1 < len(b.stations) {
		v.Next = &b.stations[at+1]
	}
	var err error
	if v.Rail, err = b.Rail(fit, s); err != nil {
		return v, err
	}
	if v.Slips, err = slips(fit, s.Path); err != nil {
		return v, err
	}
	if s.Body != nil {
		v.Body, err = s.Body(c, b, fit)
	}
	return v, err
}

// Show answers with a station's page; faults of a form that was sent stand at
// their fields, with what was typed.
func (b *Bench) Show(c *kit.Req, s Station, fit *record.Conclusions, sent url.Values, faults fault.List) error {
	v, err := b.View(c, s, fit)
	if err != nil {
		return err
	}
	code := http.StatusOK
	if len(faults) > 0 {
		code = http.StatusUnprocessableEntity
		v.typed = sent
		v.Faults, v.Notice = kit.Say(c.Who.Units, faults, func(in string) bool {
			_, sent := sent[in]
			return sent || strings.Contains(in, ".") || slices.ContainsFunc(s.Fields, func(f form.Field) bool { return f.Name == in })
		})
	}
	if at, err := strconv.ParseInt(c.Query("saved"), 10, 64); err == nil && len(faults) == 0 {
		v.Saved = &Saved{At: c.Who.In(time.Unix(at, 0)), IDs: digits(c.Query("ids")), Notes: c.QueryArray("note")}
	}
	return b.Render(c, code, s.Template, "bench", v)
}

// SavedURL is a station's address with the note of what was saved, and its undo.
func (b *Bench) SavedURL(fit *record.Conclusions, station string, saved visit.Saved) string {
	to := fmt.Sprintf("%s?saved=%d&ids=%s", URL(fit.ID, station), saved.At.Unix(), idList(saved.IDs))
	for _, n := range saved.Notes[:min(len(saved.Notes), mostNotes)] {
		to += "&note=" + url.QueryEscape(n)
	}
	return to
}

// mostNotes is how many notes an address carries.
const mostNotes = 8

func digits(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' || r == ',' {
			return r
		}
		return -1
	}, s)
}

// Done ends a station's own form: faults stand at their fields with what was typed,
// other errors have their page, and else the browser goes on.
func (b *Bench) Done(c *kit.Req, s Station, fit *record.Conclusions, sent url.Values, err error, next string) error {
	if faults, ok := fault.As(err); ok {
		return b.Show(c, s, fit, sent, faults)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, next)
}

func (b *Bench) show(s Station) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		return b.Show(c, s, fit, nil, nil)
	}
}

func (b *Bench) begin(c *kit.Req) error {
	fit, err := b.Load(c)
	if err != nil {
		return err
	}
	return kit.Go(c, URL(fit.ID, b.stations[0].Path))
}

// record keeps what a station's form holds: the values that are allowed are
// saved, the others come back with their faults and as they were typed.
func (b *Bench) record(s Station) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err != nil {
			return err
		}
		sent, err := kit.Form(c, func(name string) bool {
			_, _, ok := record.InputAt(s.Path, name)
			return ok || name == "go" || name == "seen"
		})
		if err != nil {
			return err
		}
		var faults fault.List
		var values []record.Value
		var posted []string
		for _, input := range slices.Sorted(maps.Keys(sent)) {
			d, k, ok := record.InputAt(s.Path, input)
			if !ok {
				continue
			}
			posted = append(posted, input)
			if d.Reforms && kit.IsHTMX(c) {
				c.Header("HX-Refresh", "true")
			}
			if v, ok := d.Read(&faults, k, sent[input], c.Who.Units); ok {
				values = append(values, v)
			}
		}
		seen, _ := strconv.ParseUint(sent.Get("seen"), 10, 63) // what is no number is not told
		saved, err := b.App.Visits.Record(c.Ctx(), c.Who, fit.ID, visit.Page{Newest: seen, Whole: !kit.IsHTMX(c)}, values)
		if more, ok := fault.As(err); ok {
			faults, err = append(faults, more...), nil
		}
		if err != nil {
			return err
		}
		if !kit.IsHTMX(c) && len(faults) == 0 {
			to := s.Path
			if g := sent.Get("go"); g != "" && slices.Contains(record.Stations, g) {
				to = g
			}
			return kit.Go(c, b.SavedURL(fit, to, saved))
		}
		if fit, err = b.Load(c); err != nil {
			return err
		}
		if !kit.IsHTMX(c) {
			return b.Show(c, s, fit, sent, faults)
		}
		return b.parts(c, s, fit, faults, posted, saved)
	}
}

// Changed answers after something of a station was changed by hand: the page or its
// parts as they are now, with the faults that kept it from changing.
func (b *Bench) Changed(c *kit.Req, s Station, err error) error { return b.ChangedBy(c, s, nil, err) }

// ChangedBy is Changed by a sent, at whose fields the faults stand.
func (b *Bench) ChangedBy(c *kit.Req, s Station, sent url.Values, err error) error {
	faults, faulty := fault.As(err)
	if err != nil && !faulty {
		return err
	}
	fit, err := b.Load(c)
	if err != nil {
		return err
	}
	if !kit.IsHTMX(c) {
		return b.Show(c, s, fit, sent, faults)
	}
	return b.parts(c, s, fit, faults, slices.Sorted(maps.Keys(sent)), visit.Saved{At: b.App.Now()})
}

// parts answers htmx with what changes when something was saved.
func (b *Bench) parts(c *kit.Req, s Station, fit *record.Conclusions, faults fault.List, posted []string, saved visit.Saved) error {
	v, err := b.View(c, s, fit)
	if err != nil {
		return err
	}
	v.Faults, v.Notice = kit.Say(c.Who.Units, faults, func(in string) bool { return slices.Contains(posted, in) })
	v.posted = posted
	code := http.StatusOK
	if len(faults) > 0 {
		code = http.StatusUnprocessableEntity
	} else {
		v.Saved = &Saved{At: c.Who.In(saved.At), IDs: idList(saved.IDs), Notes: saved.Notes}
	}
	return b.Render(c, code, s.Template, "parts", v)
}

func idList(ids []uint64) string {
	out := make([]string, len(ids))
	for i, id := range ids {
		out[i] = strconv.FormatUint(id, 10)
	}
	return strings.Join(out, ",")
}

// undo takes the last saving back and shows the station anew.
func (b *Bench) undo(c *kit.Req) error {
	fit, err := b.Load(c)
	if err != nil {
		return err
	}
	sent, err := kit.Form(c, kit.Known("ids", "station"))
	if err != nil {
		return err
	}
	station := sent.Get("station")
	if !slices.Contains(record.Stations, station) {
		return app.ErrNotFound
	}
	var ids []uint64
	for _, s := range strings.Split(sent.Get("ids"), ",") {
		id, err := strconv.ParseUint(s, 10, 63)
		if err != nil || len(ids) > 500 {
			return app.ErrNotFound
		}
		ids = append(ids, id)
	}
	saved, err := b.App.Visits.Undo(c.Ctx(), c.Who, fit.ID, ids)
	if err != nil {
		return err
	}
	return kit.Go(c, b.SavedURL(fit, station, saved))
}
