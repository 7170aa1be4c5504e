// Package bench is the fitter's bench: the rail of stations, the table in the
// middle, the slips and the foot bar. A station gives its template and what its
// table shows; the bench does the rest, the same for all.
package bench

import (
	"fmt"
	"html/template"
	"io/fs"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/web/kit"
)

// Station is one station of the bench.
type Station struct {
	Path string // as in app.Stations
	Name string
	Lead string // what the fitter does here, a sentence
	// Body gives what the station's findings show.
	Body func(c *gin.Context, b *Bench, fit *app.Fit) (any, error)
	// Template holds "table", the form, and "findings", what follows from it.
	Template *template.Template
	// Fields are those of a form of the station's own, drawn by View.Own.
	Fields []app.Field
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

// Parse reads a station's template over the bench's and the shared ones.
func Parse(own fs.FS, files ...string) *template.Template {
	t := kit.Templates(pages, "*.html")
	return template.Must(t.ParseFS(own, files...))
}

// Routes of every station.
func (b *Bench) Routes() []kit.Route {
	var out []kit.Route
	for _, s := range b.stations {
		out = append(out, kit.Route{Method: http.MethodGet, Path: "/fits/:fit/" + s.Path, Roles: kit.Everyone, Handle: b.show(s)})
		if len(app.Fields[s.Path]) > 0 {
			out = append(out, kit.Route{Method: http.MethodPost, Path: "/fits/:fit/" + s.Path, Roles: kit.Everyone, Handle: b.record(s)})
		}
		if s.Extra != nil {
			out = append(out, s.Extra(b)...)
		}
	}
	return append(out,
		kit.Route{Method: http.MethodGet, Path: "/fits/:fit", Roles: kit.Everyone, Handle: b.begin},
		kit.Route{Method: http.MethodPost, Path: "/fits/:fit/undo", Roles: kit.Everyone, Handle: b.undo},
	)
}

// View is what a station's templates see.
type View struct {
	kit.Page
	Fit     *app.Fit
	Station Station
	Rail    []RailRow
	Slips   []SlipGroup
	Body    any
	Saved   *Saved
	Prev    *Station
	Next    *Station
	Faults  map[string]string
	typed   url.Values
	posted  []string // inputs of the form that was sent
}

// Saved is the note that something was kept.
type Saved struct {
	At  time.Time
	IDs string // what Undo takes back
}

// URL is the address of the station in this fit.
func (v View) URL() string { return URL(v.Fit.ID, v.Station.Path) }

// URL is the address of a station of a fit.
func URL(fit uint64, station string) string { return fmt.Sprintf("/fits/%d/%s", fit, station) }

// F is the control of a field: name, then a side or a number of the repeat.
func (v View) F(name string, at ...any) (kit.Control, error) {
	k := app.Key{Name: name}
	for _, a := range at {
		switch a := a.(type) {
		case int:
			k.Repeat = a
		case string:
			k.Side = term.Side(a)
		case term.Side:
			k.Side = a
		}
	}
	return v.control(k)
}

func (v View) control(k app.Key) (kit.Control, error) {
	f, key, ok := app.FieldOf(v.Station.Path, k.Input())
	if !ok {
		return kit.Control{}, fmt.Errorf("no field %q at %s", k.Input(), v.Station.Path)
	}
	var typed []string
	if v.Faults[k.Input()] != "" {
		typed = v.typed[k.Input()]
	}
	c := kit.ControlOf(f, key, v.Units(), v.Fit.Findings[key], typed, v.Faults[k.Input()])
	c.Disabled = !v.Fit.Open()
	return c.SaveBy(v.URL()), nil
}

// Own is the controls of the station's own form, by name.
func (v View) Own() map[string]kit.Control {
	return kit.Controls(v.Station.Fields, v.Units(), v.typed, v.Faults)
}

// Bare is F with its label spoken only.
func (v View) Bare(name string, at ...any) (kit.Control, error) {
	c, err := v.F(name, at...)
	c.Bare = true
	for _, a := range at {
		c.Label += fmt.Sprintf(", %v", a)
	}
	return c, err
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

// Label is a field's name for people.
func (v View) Label(name string) string {
	for _, f := range app.Fields[v.Station.Path] {
		if f.Name == name {
			return f.Label
		}
	}
	return name
}

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
func (b *Bench) Load(c *gin.Context) (*app.Fit, error) {
	id, err := kit.ID(c, "fit")
	if err != nil {
		return nil, err
	}
	return b.App.Fit(c, kit.MustWho(c), id)
}

// View makes a station's view of a fit.
func (b *Bench) View(c *gin.Context, s Station, fit *app.Fit) (View, error) {
	v := View{Page: b.NewPage(c, fit.Runner.Name+" · "+s.Name), Fit: fit, Station: s, Faults: map[string]string{}}
	v.Path = URL(fit.ID, s.Path)
	at := slices.IndexFunc(b.stations, func(o Station) bool { return o.Path == s.Path })
	if at > 0 {
		v.Prev = &b.stations[at-1]
	}
	if at+1 < len(b.stations) {
		v.Next = &b.stations[at+1]
	}
	pairs, err := b.App.Pairs(c, kit.MustWho(c), fit.Runner.ID)
	if err != nil {
		return v, err
	}
	c.Set(pairsKey, pairs)
	if v.Rail, err = b.rail(fit, s, pairs); err != nil {
		return v, err
	}
	if v.Slips, err = slips(fit); err != nil {
		return v, err
	}
	if s.Body != nil {
		v.Body, err = s.Body(c, b, fit)
	}
	return v, err
}

const pairsKey = "pairs"

// Pairs of the runner whose view is being made.
func Pairs(c *gin.Context) []app.Pair { return c.MustGet(pairsKey).([]app.Pair) }

// Show answers with a station's page; faults of a form that was sent stand at
// their fields, with what was typed.
func (b *Bench) Show(c *gin.Context, s Station, fit *app.Fit, form url.Values, faults fault.List) {
	v, err := b.View(c, s, fit)
	if err != nil {
		b.Fail(c, err)
		return
	}
	code := http.StatusOK
	if len(faults) > 0 {
		code = http.StatusUnprocessableEntity
		v.typed = form
		v.Faults, v.Notice = kit.Say(faults, func(in string) bool {
			_, sent := form[in]
			return sent || strings.Contains(in, ".") || slices.ContainsFunc(s.Fields, func(f app.Field) bool { return f.Name == in })
		})
	}
	if at, err := strconv.ParseInt(c.Query("saved"), 10, 64); err == nil && len(faults) == 0 {
		v.Saved = &Saved{At: time.Unix(at, 0).UTC(), IDs: digits(c.Query("ids"))}
	}
	b.Render(c, code, s.Template, "bench", v)
}

// SavedURL is a station's address with the note of what was saved, and its undo.
func (b *Bench) SavedURL(fit *app.Fit, station string, saved app.Saved) string {
	return fmt.Sprintf("%s?saved=%d&ids=%s", URL(fit.ID, station), saved.At.Unix(), idList(saved.IDs))
}

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
func (b *Bench) Done(c *gin.Context, s Station, fit *app.Fit, form url.Values, err error, next string) {
	if faults, ok := fault.As(err); ok {
		b.Show(c, s, fit, form, faults)
		return
	}
	if err != nil {
		b.Fail(c, err)
		return
	}
	kit.Go(c, next)
}

func (b *Bench) show(s Station) gin.HandlerFunc {
	return func(c *gin.Context) {
		fit, err := b.Load(c)
		if err != nil {
			b.Fail(c, err)
			return
		}
		b.Show(c, s, fit, nil, nil)
	}
}

func (b *Bench) begin(c *gin.Context) {
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	kit.Go(c, URL(fit.ID, b.stations[0].Path))
}

// record keeps what a station's form holds: the values that are allowed are
// saved, the others come back with their faults and as they were typed.
func (b *Bench) record(s Station) gin.HandlerFunc {
	return func(c *gin.Context) {
		who := kit.MustWho(c)
		fit, err := b.Load(c)
		if err != nil {
			b.Fail(c, err)
			return
		}
		form, err := kit.Form(c, func(name string) bool {
			_, _, ok := app.FieldOf(s.Path, name)
			return ok || name == "go"
		})
		if err != nil {
			b.Fail(c, err)
			return
		}
		var faults fault.List
		var values []app.Value
		var posted []string
		for _, input := range slices.Sorted(maps.Keys(form)) {
			f, k, ok := app.FieldOf(s.Path, input)
			if !ok {
				continue
			}
			posted = append(posted, input)
			if f.Reforms && kit.IsHTMX(c) {
				c.Header("HX-Refresh", "true")
			}
			if v, ok := f.Read(&faults, k, form[input], who.Units); ok {
				values = append(values, v)
			}
		}
		saved, err := b.App.Record(c, who, fit.ID, values)
		if err != nil {
			b.Fail(c, err)
			return
		}
		if !kit.IsHTMX(c) && len(faults) == 0 {
			to := s.Path
			if g := form.Get("go"); g != "" && slices.Contains(app.Stations, g) {
				to = g
			}
			kit.Go(c, b.SavedURL(fit, to, saved))
			return
		}
		if fit, err = b.App.Fit(c, who, fit.ID); err != nil {
			b.Fail(c, err)
			return
		}
		if !kit.IsHTMX(c) {
			b.Show(c, s, fit, form, faults)
			return
		}
		b.parts(c, s, fit, faults, posted, saved)
	}
}

// Changed answers after something of a station was changed by hand: the page or its
// parts as they are now, with the faults that kept it from changing.
func (b *Bench) Changed(c *gin.Context, s Station, err error) { b.ChangedBy(c, s, nil, err) }

// ChangedBy is Changed by a form, at whose fields the faults stand.
func (b *Bench) ChangedBy(c *gin.Context, s Station, form url.Values, err error) {
	faults, faulty := fault.As(err)
	if err != nil && !faulty {
		b.Fail(c, err)
		return
	}
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	if !kit.IsHTMX(c) {
		b.Show(c, s, fit, form, faults)
		return
	}
	b.parts(c, s, fit, faults, slices.Sorted(maps.Keys(form)), app.Saved{At: b.App.Now()})
}

// parts answers htmx with what changes when something was saved.
func (b *Bench) parts(c *gin.Context, s Station, fit *app.Fit, faults fault.List, posted []string, saved app.Saved) {
	v, err := b.View(c, s, fit)
	if err != nil {
		b.Fail(c, err)
		return
	}
	v.Faults, v.Notice = kit.Say(faults, func(in string) bool { return slices.Contains(posted, in) })
	v.posted = posted
	code := http.StatusOK
	if len(faults) > 0 {
		code = http.StatusUnprocessableEntity
	} else {
		v.Saved = &Saved{At: saved.At, IDs: idList(saved.IDs)}
	}
	b.Render(c, code, s.Template, "parts", v)
}

func idList(ids []uint64) string {
	out := make([]string, len(ids))
	for i, id := range ids {
		out[i] = strconv.FormatUint(id, 10)
	}
	return strings.Join(out, ",")
}

// undo takes the last saving back and shows the station anew.
func (b *Bench) undo(c *gin.Context) {
	who := kit.MustWho(c)
	fit, err := b.Load(c)
	if err != nil {
		b.Fail(c, err)
		return
	}
	form, err := kit.Form(c, kit.Known("ids", "station"))
	if err != nil {
		b.Fail(c, err)
		return
	}
	station := form.Get("station")
	if !slices.Contains(app.Stations, station) {
		b.Fail(c, app.ErrNotFound)
		return
	}
	var ids []uint64
	for _, s := range strings.Split(form.Get("ids"), ",") {
		id, err := strconv.ParseUint(s, 10, 63)
		if err != nil || len(ids) > 500 {
			b.Fail(c, app.ErrNotFound)
			return
		}
		ids = append(ids, id)
	}
	saved, err := b.App.Undo(c, who, fit.ID, ids)
	if err != nil {
		b.Fail(c, err)
		return
	}
	kit.Go(c, b.SavedURL(fit, station, saved))
}
