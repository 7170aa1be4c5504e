// Package kit is what every page shares: rendering, the form decoder, errors,
// sessions and the table of routes.
package kit

import (
	"bytes"
	"context"
	"crypto/rand"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/store"
	"trevik/internal/web/draw"
)

//go:embed *.html
var shared embed.FS

// Env is what the handlers work with.
type Env struct {
	App      *app.App
	Sessions *scs.SessionManager
	Log      *slog.Logger
	Assets   string // version of the assets, for their addresses
}

// Route is one line of the table of routes. Roles nil is open to anybody; the
// table is the only place where a role is let in.
type Route struct {
	Method, Path string
	Roles        []app.Role
	Handle       gin.HandlerFunc
}

// Everyone is every role of the shop.
var Everyone = []app.Role{app.Owner, app.Fitter, app.Trainee}

// Page is what every page shows around its own content.
type Page struct {
	Title  string
	Who    *app.Actor
	Assets string
	Now    time.Time
	Desk   string // which entry of the desk is current
	Body   any
	Path   string
	Token  string // of this rendering's forms
	Notice string
}

// Units is how the reader reads lengths and distances.
func (p Page) Units() units.System {
	if p.Who == nil {
		return units.Metric
	}
	return p.Who.Units
}

// Funcs are the template functions; words and formats have their one place here.
var Funcs = template.FuncMap{
	"words":    func(v any) string { return support.Words(fmt.Sprint(v)) },
	"title":    func(v any) string { return Sentence(support.Words(fmt.Sprint(v))) },
	"length":   func(u units.System, mm float64) string { return u.Length(mm) },
	"km":       func(u units.System, km float64) string { return u.Distance(km) },
	"day":      LongDay,
	"dayat":    func(t time.Time) string { return LongDay(t.Local()) },
	"dayOf":    dayOf,
	"clock":    func(t time.Time) string { return t.Local().Format("15:04") },
	"money":    Money,
	"num":      func(v float64) string { return strconv.FormatFloat(units.Round(v, 2), 'f', -1, 64) },
	"pct":      func(v float64) string { return strconv.FormatFloat(units.Round(100*v, 0), 'f', -1, 64) + " %" },
	"share":    func(part, rest float64) float64 { return 100 * part / max(part+rest, 1e-9) },
	"sub":      func(a, b int) int { return a - b },
	"deref":    deref,
	"sentence": Sentence,
	"level":    func(l *term.Level) string { return string(*l) },
	"seq":      seq,
	"dict":     dict,
	"model":    app.ModelName,
	"shoe":     draw.Shoe,
	"lookshoe": func(side string) template.HTML { return draw.LookShoe(term.Side(side)) },
	"each":     func(s ...string) []string { return s },
	"list":     func(s []string) string { return strings.Join(s, ", ") },
}

func seq(n int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = i + 1
	}
	return out
}

func deref(v any) any {
	switch v := v.(type) {
	case *float64:
		if v != nil {
			return *v
		}
	case *string:
		if v != nil {
			return *v
		}
	}
	return ""
}

func dict(pairs ...any) (map[string]any, error) {
	if len(pairs)%2 != 0 {
		return nil, errors.New("dict wants pairs")
	}
	m := map[string]any{}
	for i := 0; i < len(pairs); i += 2 {
		m[fmt.Sprint(pairs[i])] = pairs[i+1]
	}
	return m, nil
}

// LongDay writes a day in full: "Tuesday 24 November 2026".
func LongDay(t time.Time) string {
	if t.IsZero() {
		return "no date"
	}
	return t.Format("Monday 2 January 2006")
}

func dayOf(s *string) string {
	if s == nil {
		return "no date"
	}
	t, err := time.Parse(time.DateOnly, *s)
	if err != nil {
		return *s
	}
	return t.Format("2 January 2006")
}

// Money writes minor units with their currency code: "149.00 EUR".
func Money(minor int64, currency string) string {
	return fmt.Sprintf("%d.%02d %s", minor/100, minor%100, currency)
}

// Ago writes how many months ago something was.
func Ago(months float64) string {
	if months == 1 {
		return "a month ago"
	}
	return fmt.Sprintf("%g months ago", months)
}

// Words writes a word of the lists for people.
func Words(s string) string { return support.Words(s) }

// Sentence begins a text with a capital.
func Sentence(s string) string { return app.Sentence(s) }

// Templates parses the shared templates with a page's own.
func Templates(own fs.FS, files ...string) *template.Template {
	t := template.Must(template.New("").Funcs(Funcs).ParseFS(shared, "*.html"))
	if own != nil {
		t = template.Must(t.ParseFS(own, files...))
	}
	return t
}

// NewPage begins a page for the person of a request.
func (e *Env) NewPage(c *gin.Context, title string) Page {
	p := Page{Title: title, Assets: e.Assets, Path: c.Request.URL.Path, Token: rand.Text()}
	if e.App != nil {
		p.Now = e.App.Now()
	}
	if who, ok := Who(c); ok {
		p.Who = &who
	}
	return p
}

// Render writes a template; nothing is written unless all of it can be.
func (e *Env) Render(c *gin.Context, status int, t *template.Template, name string, data any) {
	var b bytes.Buffer
	if err := t.ExecuteTemplate(&b, name, data); err != nil {
		e.Fail(c, fmt.Errorf("template %s: %w", name, err))
		return
	}
	c.Data(status, "text/html; charset=utf-8", b.Bytes())
}

const whoKey = "who"

// SetWho puts the signed-in person into a request.
func SetWho(c *gin.Context, who app.Actor) { c.Set(whoKey, who) }

// Who is the signed-in person.
func Who(c *gin.Context) (app.Actor, bool) {
	v, ok := c.Get(whoKey)
	if !ok {
		return app.Actor{}, false
	}
	who, ok := v.(app.Actor)
	return who, ok
}

// MustWho is the signed-in person of a route that has roles.
func MustWho(c *gin.Context) app.Actor {
	who, ok := Who(c)
	if !ok {
		panic("a route with roles was reached without a person")
	}
	return who
}

// ID reads a row id from the address.
func ID(c *gin.Context, name string) (uint64, error) {
	id, err := strconv.ParseUint(c.Param(name), 10, 63)
	if err != nil || id == 0 {
		return 0, app.ErrNotFound
	}
	return id, nil
}

// Absolute is an address of this server as another program needs it.
func Absolute(c *gin.Context, path string) string {
	scheme := "http"
	if c.Request.TLS != nil || c.GetHeader("X-Forwarded-Proto") == "https" {
		scheme = "https"
	}
	return scheme + "://" + c.Request.Host + path
}

// IsHTMX says whether a part of a page is asked for.
func IsHTMX(c *gin.Context) bool { return c.GetHeader("HX-Request") == "true" }

// Go sends the browser on, with or without htmx.
func Go(c *gin.Context, to string) {
	if IsHTMX(c) {
		c.Header("HX-Redirect", to)
		c.Status(http.StatusNoContent)
		return
	}
	c.Redirect(http.StatusSeeOther, to)
}

// maxForm is the largest form, in bytes.
const maxForm = 1 << 20

var tokenForm = regexp.MustCompile(`^[A-Z2-7]{26}$`)

// Form reads a posted form. Fields that the handler does not know are a fault;
// token and undo belong to every form.
func Form(c *gin.Context, known func(name string) bool) (url.Values, error) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxForm)
	if err := c.Request.ParseForm(); err != nil {
		var tooBig *http.MaxBytesError
		if errors.As(err, &tooBig) {
			return nil, errTooLarge
		}
		return nil, fault.List{{Field: "form", Text: "cannot be read; it is not a form"}}
	}
	var l fault.List
	for name := range c.Request.PostForm {
		if name != "token" && !known(name) {
			l.Add("form", "holds a field %q that is not known here", clip(name))
		}
	}
	return c.Request.PostForm, l.Err()
}

func clip(s string) string {
	if len(s) > 40 {
		s = s[:40] + "…"
	}
	return strings.ToValidUTF8(s, "?")
}

// Token reads a form's token.
func Token(form url.Values) (string, error) {
	t := form.Get("token")
	if !tokenForm.MatchString(t) {
		return "", fault.List{{Field: "form", Text: "is out of date; load the page again and send it once more"}}
	}
	return t, nil
}

// Known allows the names given.
func Known(names ...string) func(string) bool {
	return func(n string) bool { return slices.Contains(names, n) }
}

// Values are what a form's fields came to, by name.
type Values map[string]app.Value

// Decode reads a posted form by its fields: what is not known, not allowed or of
// the wrong kind is a fault at its field. extra are names that the handler reads
// itself.
func Decode(c *gin.Context, fields []app.Field, u units.System, extra ...string) (url.Values, Values, error) {
	form, err := Form(c, func(name string) bool {
		return slices.Contains(extra, name) || slices.ContainsFunc(fields, func(f app.Field) bool { return f.Name == name })
	})
	if err != nil {
		return form, nil, err
	}
	var l fault.List
	values := Values{}
	for _, f := range fields {
		if v, ok := f.Read(&l, app.Key{Name: f.Name}, form[f.Name], u); ok {
			values[f.Name] = v
		}
	}
	return form, values, l.Err()
}

// Controls draws a form's fields, with what was typed and the faults at them.
func Controls(fields []app.Field, u units.System, form url.Values, faults map[string]string) map[string]Control {
	out := map[string]Control{}
	for _, f := range fields {
		typed, sent := form[f.Name]
		if !sent {
			typed = nil
		}
		out[f.Name] = ControlOf(f, app.Key{Name: f.Name}, u, app.Finding{}, typed, faults[f.Name])
	}
	return out
}

var errTooLarge = errors.New("what was sent is larger than 1 MiB")

// status gives what an error means to a browser, and what a person is told.
func status(err error) (int, string, string) {
	_, faulty := fault.As(err)
	switch {
	case errors.Is(err, app.ErrNotFound):
		return http.StatusNotFound, "Not here", "There is no such page, or it is not your shop's."
	case errors.Is(err, app.ErrNotAllowed):
		return http.StatusForbidden, "Not yours to do", "Your role may not do that. An owner or a fitter can."
	case errors.Is(err, app.ErrClosed):
		return http.StatusConflict, "This fit is closed", Sentence(app.ErrClosed.Error()) + "."
	case errors.Is(err, errTooLarge):
		return http.StatusRequestEntityTooLarge, "Too large", Sentence(errTooLarge.Error()) + "."
	case faulty:
		return http.StatusUnprocessableEntity, "Something is not right", Sentence(err.Error()) + "."
	case store.IsAway(err), errors.Is(err, context.DeadlineExceeded):
		return http.StatusServiceUnavailable, "The database is away", "Trevik cannot reach its database just now. What was saved is safe, what you typed stays on this device; try again in a moment."
	}
	return http.StatusInternalServerError, "Something broke", "Trevik failed at this. It is logged; what was saved is safe."
}

// Fail answers with an error: a page, or a line for htmx.
func (e *Env) Fail(c *gin.Context, err error) {
	code, title, text := status(err)
	if code >= 500 && !errors.Is(err, context.Canceled) { // who went away needs no answer
		e.Log.Error("request failed", "request", c.GetString("request"), "route", c.FullPath(), "status", code, "error", err.Error())
	}
	e.FailWith(c, code, title, text)
}

// FailWith answers with an error page, or a line for htmx.
func (e *Env) FailWith(c *gin.Context, code int, title, text string) {
	c.Abort()
	if code == http.StatusServiceUnavailable {
		c.Header("Retry-After", "5")
	}
	if IsHTMX(c) {
		c.String(code, "%s", text)
		return
	}
	p := e.NewPage(c, title)
	p.Body = map[string]any{"Code": code, "Text": text, "Request": c.GetString("request")}
	var b bytes.Buffer
	if err := errorTemplate.ExecuteTemplate(&b, "error", p); err != nil {
		c.String(code, "%s", text)
		return
	}
	c.Data(code, "text/html; charset=utf-8", b.Bytes())
}

var errorTemplate = Templates(nil)
