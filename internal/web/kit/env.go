package kit

import (
	"bytes"
	"context"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net/http"
	"strconv"
	"time"

	"github.com/alexedwards/scs/v2"

	"trevik/internal/app"
	"trevik/internal/app/people"
	"trevik/internal/app/suite"
	"trevik/internal/core/fault"
	"trevik/internal/core/units"
	"trevik/internal/form"
	"trevik/internal/store"
)

//go:embed *.html
var shared embed.FS

// Env is what the handlers work with.
type Env struct {
	App      *suite.Suite
	Sessions *scs.SessionManager
	Log      *slog.Logger
	Assets   string // version of the assets, for their addresses
	Secure   bool   // cookies travel by TLS alone
}

// Page is what every page shows around its own content.
type Page struct {
	Title  string
	Who    *app.Actor
	Assets string
	Now    time.Time // in the shop's time zone
	Desk   string    // which entry of the desk is current
	Body   any
	Path   string
	Notice string
	// Manifest is the address of what lets a phone install the page; empty is none.
	Manifest string
}

// Units is how the reader reads lengths and distances.
func (p Page) Units() units.System {
	if p.Who == nil {
		return units.Metric
	}
	return p.Who.Units
}

// Templates parses the shared templates with a page's own.
func Templates(own fs.FS, files ...string) *template.Template {
	t := template.Must(template.New("").Funcs(Funcs).ParseFS(shared, "*.html"))
	if own != nil {
		t = template.Must(t.ParseFS(own, files...))
	}
	return t
}

// NewPage begins a page for the person of a request.
func (e *Env) NewPage(r *Req, title string) Page {
	p := Page{Title: title, Assets: e.Assets, Path: r.Request.URL.Path}
	if e.App != nil {
		p.Now = r.Who.In(e.App.Now())
	}
	if r.Signed {
		p.Who = &r.Who
	}
	return p
}

// Render writes a template; nothing is written unless all of it can be. Every form that it posts
// gets a token.
func (e *Env) Render(r *Req, status int, t *template.Template, name string, data any) error {
	var b bytes.Buffer
	if err := t.ExecuteTemplate(&b, name, data); err != nil {
		return fmt.Errorf("template %s: %w", name, err)
	}
	seen := uint64(0)
	if p, ok := data.(interface{ Showed() uint64 }); ok {
		seen = p.Showed()
	}
	return r.Data(status, "text/html; charset=utf-8", tokens(b.Bytes(), seen))
}

// Absolute is an address of this server as another program needs it.
func (e *Env) Absolute(r *Req, path string) string {
	scheme := "http"
	if e.Secure || r.Request.TLS != nil {
		scheme = "https"
	}
	return scheme + "://" + r.Request.Host + path
}

// status gives what an error means to a browser, and what a person is told.
func status(err error) (int, string, string) {
	_, faulty := fault.As(err)
	var often people.TooMany
	switch {
	case errors.As(err, &often):
		return http.StatusTooManyRequests, "Too often", form.Sentence(err.Error()) + "."
	case errors.Is(err, app.ErrNotFound):
		return http.StatusNotFound, "Not here", "There is no such page, or it is not your shop's."
	case errors.Is(err, app.ErrNotAllowed):
		return http.StatusForbidden, "Not yours to do", "Your role may not do that. An owner or a fitter can."
	case errors.Is(err, app.ErrClosed):
		return http.StatusConflict, "This fit is closed", form.Sentence(app.ErrClosed.Error()) + "."
	case errors.Is(err, errTooLarge):
		return http.StatusRequestEntityTooLarge, "Too large", form.Sentence(errTooLarge.Error()) + "."
	case faulty:
		return http.StatusUnprocessableEntity, "Something is not right", form.Sentence(err.Error()) + "."
	case errors.Is(err, app.ErrBusy):
		return http.StatusServiceUnavailable, "Busy", form.Sentence(err.Error()) + "."
	case store.IsAway(err), errors.Is(err, context.DeadlineExceeded):
		return http.StatusServiceUnavailable, "The database is away",
			"Trevik cannot reach its database just now. What was saved is safe, what you typed stays on this device; try again in a moment."
	}
	return http.StatusInternalServerError, "Something broke", "Trevik failed at this. It is logged; what was saved is safe."
}

// Fail answers with an error: a page, or a line for htmx.
func (e *Env) Fail(r *Req, err error) {
	code, title, text := status(err)
	if often := (people.TooMany{}); errors.As(err, &often) {
		r.Header("Retry-After", strconv.Itoa(int(often.After.Seconds())+1))
	}
	if code >= 500 && !errors.Is(err, context.Canceled) { // who went away needs no answer
		e.Log.Error("request failed", "request", r.ID, "route", r.gin.FullPath(), "status", code, "error", err.Error())
	}
	e.FailWith(r, code, title, text)
}

// FailWith answers with an error page, or a line for htmx.
func (e *Env) FailWith(r *Req, code int, title, text string) {
	r.gin.Abort()
	if code == http.StatusServiceUnavailable {
		r.Header("Retry-After", "5")
	}
	if IsHTMX(r) {
		r.gin.String(code, "%s", text)
		return
	}
	p := e.NewPage(r, title)
	p.Body = map[string]any{"Code": code, "Text": text, "Request": r.ID}
	var b bytes.Buffer
	if err := errorTemplate.ExecuteTemplate(&b, "error", p); err != nil {
		r.gin.String(code, "%s", text)
		return
	}
	r.gin.Data(code, "text/html; charset=utf-8", tokens(b.Bytes(), 0))
}

var errorTemplate = Templates(nil)
