// Package kit is what every page shares: the request as handlers see it, the pipeline's parts,
// rendering, the form decoder, errors and the table of routes.
package kit

import (
	"context"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
)

// Handler answers a request. What it fails with is answered by the pipeline: a page, a line, or
// the form with its faults where the handler has shown it.
type Handler func(*Req) error

// Route is one line of the table of routes. Roles nil is open to anybody; the table is the only
// place where a role is let in.
type Route struct {
	Method, Path string
	Roles        []app.Role
	Handle       Handler
	// Free is a form that needs no token, since sending it twice does what sending it once does.
	Free bool
	// Back is the page that a form's address shows when it is asked for by itself, with the
	// route's own parameters.
	Back string
}

// Everyone is every role of the shop.
var Everyone = []app.Role{app.Owner, app.Fitter, app.Trainee}

// Req is one request. It is no context: what outlives the request never holds it.
type Req struct {
	Request *http.Request
	Writer  gin.ResponseWriter
	Who     app.Actor // the signed-in person; on a route with roles there is one
	Signed  bool      // somebody is signed in
	Route   Route
	ID      string // told to the person and in the log
	form    url.Values
	sent    bool
	pairs   any
	after   []func()
	gin     *gin.Context
}

// NewReq is a request for a route's handler.
func NewReq(c *gin.Context, route Route) *Req {
	return &Req{Request: c.Request, Writer: c.Writer, Route: route, ID: c.GetString("request"), gin: c}
}

// Ctx is the request's own context.
func (r *Req) Ctx() context.Context { return r.Request.Context() }

// Param is a part of the address by its name in the route.
func (r *Req) Param(name string) string { return r.gin.Param(name) }

// Query is a value of the address's query.
func (r *Req) Query(name string) string { return r.gin.Query(name) }

// DefaultQuery is Query, or another value where it is missing.
func (r *Req) DefaultQuery(name, or string) string { return r.gin.DefaultQuery(name, or) }

// QueryArray are all values of a name of the address's query.
func (r *Req) QueryArray(name string) []string { return r.gin.QueryArray(name) }

// PostForm is a value of the form that was sent.
func (r *Req) PostForm(name string) string {
	if r.form != nil {
		return r.form.Get(name)
	}
	return ""
}

// Sent are the names of the fields of the form that was sent.
func (r *Req) Sent() []string { return slices.Sorted(maps.Keys(r.form)) }

// Address is where the request comes from.
func (r *Req) Address() string { return r.gin.ClientIP() }

// Cookie is what a cookie holds, empty without one.
func (r *Req) Cookie(name string) string {
	c, err := r.Request.Cookie(name)
	if err != nil {
		return ""
	}
	return c.Value
}

// SetCookie gives the browser a cookie of the whole application that no script reads.
func (r *Req) SetCookie(name, value string, keep time.Duration, secure bool) {
	http.SetCookie(r.Writer, &http.Cookie{Name: name, Value: value, Path: "/", MaxAge: int(keep.Seconds()), HttpOnly: true, Secure: secure,
		SameSite: http.SameSiteLaxMode})
}

// Header sets a header of the answer.
func (r *Req) Header(name, value string) { r.gin.Header(name, value) }

// GetHeader is a header of the request.
func (r *Req) GetHeader(name string) string { return r.gin.GetHeader(name) }

// Data answers with bytes of a kind.
func (r *Req) Data(code int, kind string, data []byte) error {
	r.gin.Data(code, kind, data)
	return nil
}

// JSON answers with a value.
func (r *Req) JSON(code int, v any) error {
	r.gin.JSON(code, v)
	return nil
}

// Text answers with a line.
func (r *Req) Text(code int, text string) error {
	r.gin.String(code, "%s", text)
	return nil
}

// Picture answers with a JPEG. It may show a person, so that nothing keeps it.
func (r *Req) Picture(jpeg []byte) error {
	return r.Data(http.StatusOK, "image/jpeg", jpeg)
}

// File begins the answer with a file to keep.
func (r *Req) File(name, kind string) {
	r.Header("Content-Disposition", `attachment; filename="`+url.PathEscape(name)+`"`)
	r.Header("Content-Type", kind)
}

// RowID reads a row's id from the address.
func RowID(r *Req, name string) (uint64, error) {
	id, err := strconv.ParseUint(r.Param(name), 10, 63)
	if err != nil || id == 0 {
		return 0, app.ErrNotFound
	}
	return id, nil
}

// IsHTMX says whether a part of a page is asked for.
func IsHTMX(r *Req) bool { return r.GetHeader("HX-Request") == "true" }

// Go sends the browser on, with or without htmx.
func Go(r *Req, to string) error {
	if IsHTMX(r) {
		r.Header("HX-Redirect", to)
		r.gin.Status(http.StatusNoContent)
		return nil
	}
	r.gin.Redirect(http.StatusSeeOther, to)
	return nil
}
