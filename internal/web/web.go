// Package web is Trevik in the browser: Gin, the table of routes, sessions,
// security headers and the assets.
package web

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/alexedwards/scs/mysqlstore"
	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/app/suite"
	"trevik/internal/record"
	"trevik/internal/store"
	"trevik/internal/web/bench"
	"trevik/internal/web/desk"
	"trevik/internal/web/kit"
	"trevik/internal/web/own"
	"trevik/internal/web/stations/card"
	"trevik/internal/web/stations/distance"
	"trevik/internal/web/stations/feet"
	"trevik/internal/web/stations/footprint"
	"trevik/internal/web/stations/gait"
	"trevik/internal/web/stations/hello"
	"trevik/internal/web/stations/oldpair"
	"trevik/internal/web/stations/rotation"
	"trevik/internal/web/stations/shoes"
	"trevik/internal/web/stations/support"
	"trevik/internal/web/stations/tryon"
)

//go:embed all:static
var static embed.FS

// Config of a server.
type Config struct {
	Store *store.Store
	Clock func() time.Time
	Log   *slog.Logger
	// Secure marks the cookie for HTTPS alone.
	Secure bool
	// Proxies are the addresses (or networks, as CIDR) whose word counts for where a request comes
	// from; nil believes nobody's.
	Proxies []string
	// MetricsToken lets who has it read /metrics from elsewhere; without one only this machine may.
	MetricsToken string
}

// Server is the application as an HTTP handler.
type Server struct {
	Handler http.Handler
	Env     *kit.Env
	Routes  []kit.Route
	metrics *metrics
	stop    func()
}

// Close ends what runs beside the requests.
func (s *Server) Close() { s.stop() }

// pageTime is how long a page may take; the database's own limits are within it.
const pageTime = 45 * time.Second

// New makes the application.
func New(cfg Config) *Server {
	sessions := scs.New()
	// Those that are over go with the tidying.
	sessions.Store = &patient{mysqlstore.NewWithCleanupInterval(cfg.Store.DB, 0)}
	sessions.Lifetime = 14 * time.Hour
	// No idle timeout: it would write the session's row at every request.
	sessions.Cookie.Name = "trevik"
	sessions.Cookie.HttpOnly = true
	sessions.Cookie.SameSite = http.SameSiteLaxMode
	sessions.Cookie.Secure = cfg.Secure
	if cfg.Secure {
		sessions.Cookie.Name = "__Host-trevik"
	}
	env := &kit.Env{App: suite.New(cfg.Store, cfg.Clock, cfg.Log), Sessions: sessions, Log: cfg.Log, Assets: assetsVersion(),
		Secure: cfg.Secure}
	b := bench.New(env, []bench.Station{
		hello.Station(), oldpair.Station(), feet.Station(), footprint.Station(), gait.Station(), support.Station(),
		shoes.Station(), tryon.Station(), rotation.Station(), distance.Station(), card.Station(),
	})
	env.App.Jobs.Start()
	s := &Server{Env: env, Routes: slices.Concat(desk.New(env, b).Routes(), b.Routes(), own.Routes(env)), stop: env.App.Jobs.Close}
	s.metrics = s.newMetrics(cfg.MetricsToken)
	s.Handler = s.handler(cfg.Proxies)
	return s
}

// CheckProxies says what of a list of trusted proxies is no address and no network.
func CheckProxies(list []string) error { return gin.New().SetTrustedProxies(list) }

func (s *Server) handler(proxies []string) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.HandleMethodNotAllowed = true
	if err := r.SetTrustedProxies(proxies); err != nil {
		panic(err) // CheckProxies comes first
	}
	r.Use(s.logged, s.recovered, headers)
	r.GET("/metrics", s.metrics.answer())
	r.GET("/assets/:version/*file", s.assets())
	r.HEAD("/assets/:version/*file", s.assets())
	r.NoRoute(func(c *gin.Context) { s.Env.Fail(kit.NewReq(c, kit.Route{}), app.ErrNotFound) })
	r.NoMethod(func(c *gin.Context) {
		s.Env.FailWith(kit.NewReq(c, kit.Route{}), http.StatusMethodNotAllowed, "Not like that",
			"This address does not take that kind of request.")
	})
	origin := http.NewCrossOriginProtection()
	shown := map[string]bool{}
	for _, route := range s.Routes {
		shown[route.Path] = shown[route.Path] || route.Method == http.MethodGet
	}
	for _, route := range s.Routes {
		answer := func(c *gin.Context) { s.answer(c, route, origin) }
		r.Handle(route.Method, route.Path, answer)
		if route.Method == http.MethodGet {
			r.HEAD(route.Path, answer) // what would be written is let go of by net/http
		}
		if route.Method == http.MethodPost && !shown[route.Path] && route.Back != "" {
			shown[route.Path] = true
			// What a form left in the address bar shows the form's page when it is loaded again.
			r.GET(route.Path, func(c *gin.Context) { c.Redirect(http.StatusSeeOther, filled(c, route.Back)) })
		}
	}
	return s.sessioned(r)
}

// sessionError is the context's key of an error of the session's own store.
type sessionError struct{}

// sessioned loads and keeps the session of every request that is not an asset.
func (s *Server) sessioned(next http.Handler) http.Handler {
	// The session's store fails outside the routes: its errors get the same page.
	failing := gin.New()
	failing.Use(s.logged, headers)
	failing.NoRoute(func(c *gin.Context) {
		s.Env.Fail(kit.NewReq(c, kit.Route{}), c.Request.Context().Value(sessionError{}).(error))
	})
	s.Env.Sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) {
		failing.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), sessionError{}, err)))
	}
	with := s.Env.Sessions.LoadAndSave(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		within := pageTime
		if sending := strings.HasPrefix(r.Header.Get("Content-Type"), "multipart/"); sending {
			within = kit.UploadTime + pageTime
			control := http.NewResponseController(w)
			// Where the connection has no deadlines, as in a test, there are none to set.
			_ = control.SetWriteDeadline(time.Now().Add(within + pageTime))
			r.Body = &steady{ReadCloser: r.Body, control: control, begun: time.Now()}
		}
		ctx, cancel := context.WithTimeout(r.Context(), within)
		defer cancel()
		r = r.WithContext(ctx)
		if strings.HasPrefix(r.URL.Path, "/assets/") || r.URL.Path == "/health" || r.URL.Path == "/metrics" {
			next.ServeHTTP(w, r)
			return
		}
		with.ServeHTTP(w, r)
	})
}

// steady is a body that may take long, as long as it goes on coming.
type steady struct {
	io.ReadCloser
	control *http.ResponseController
	begun   time.Time
	came    int64
}

func (s *steady) Read(p []byte) (int, error) {
	now := time.Now()
	next, until := now.Add(kit.QuietTime), s.begun.Add(kit.UploadTime)
	if paced := s.begun.Add(kit.QuietTime + time.Duration(s.came)*time.Second/kit.LeastPace); paced.Before(until) {
		until = paced
	}
	if next.After(until) {
		next = until
	}
	_ = s.control.SetReadDeadline(next) // as above
	n, err := s.ReadCloser.Read(p)
	s.came += int64(n)
	return n, err
}

// filled is a pattern of the table with the parameters of a request.
func filled(c *gin.Context, pattern string) string {
	for _, p := range c.Params {
		pattern = strings.ReplaceAll(pattern, ":"+p.Key, url.PathEscape(p.Value))
	}
	return pattern
}

// answer is the one way of every request through the table: where it comes from, who asks, what
// form is sent, and the handler.
func (s *Server) answer(c *gin.Context, route kit.Route, origin *http.CrossOriginProtection) {
	r := kit.NewReq(c, route)
	defer r.Close()
	if err := origin.Check(c.Request); err != nil {
		s.Env.FailWith(r, http.StatusForbidden, "Sent from elsewhere", "This form was sent from another site, so nothing was done.")
		return
	}
	patience := store.Patience{}
	for {
		err := s.handle(r)
		if err == nil {
			return
		}
		// What was only read is read again where the database went away or had no time; what a form asks
		// for is tried again by its own transaction.
		again := c.Request.Method != http.MethodPost && !r.Writer.Written() && (store.IsAway(err) || store.IsConflict(err))
		if !again || !patience.Wait(r.Ctx(), err) {
			s.Env.Fail(r, err)
			return
		}
	}
}

// handle is one try at a request.
func (s *Server) handle(r *kit.Req) error {
	if err := s.who(r); err != nil {
		return err
	}
	if r.Route.Roles != nil && !r.Signed {
		s.signIn(r)
		return nil
	}
	if to := before(r); to != "" {
		s.first(r, to)
		return nil
	}
	if r.Route.Roles != nil && !slices.Contains(r.Route.Roles, r.Who.Role) {
		return app.ErrNotAllowed
	}
	if err := r.Receive(); err != nil {
		return err
	}
	if err := s.seen(r); err != nil {
		return err
	}
	if err := r.Route.Handle(r); err != nil {
		return err
	}
	return s.log(r)
}

// seen puts down who looks at a runner, or takes their data away as a file; what is not put down is
// not shown.
func (s *Server) seen(r *kit.Req) error {
	if r.Request.Method == http.MethodPost || !r.Signed {
		return nil
	}
	at := r.Route.Path
	e := app.Entry{What: at, Subject: r.Request.URL.Path}
	switch {
	case strings.HasSuffix(at, "/export") && r.Param("runner") == "" && r.Param("fit") == "":
		return nil // the catalogue: nobody's
	case strings.HasSuffix(at, ".csv"), strings.HasSuffix(at, "/export"):
		e.Did = app.Exported
	case !strings.Contains(at, ":runner") && !strings.Contains(at, ":fit") || strings.HasPrefix(at, "/practice"):
		return nil
	}
	var err error
	if e.RunnerID, err = s.Env.App.RunnerAt(r.Ctx(), r.Who, r.Param("runner"), r.Param("fit")); err != nil {
		return err
	}
	if e.Did == app.Exported {
		return s.Env.App.Audit(r.Ctx(), r.Who, e)
	}
	e.What, e.Subject = "the runner", fmt.Sprintf("runner %d", e.RunnerID)
	return s.Env.App.Seen(r.Ctx(), r.Who, e)
}

// log puts down what a form did where its verb did not: to an account, or to a runner's data. What is
// recorded at a station is a row with its maker and hour already, and a film is put down when it begins.
func (s *Server) log(r *kit.Req) error {
	at := r.Route.Path
	if r.Request.Method != http.MethodPost || !r.Signed || r.Writer.Status() >= 400 || r.Who.Form.Logged == nil || *r.Who.Form.Logged {
		return nil
	}
	station, ofFit := strings.CutPrefix(at, "/fits/:fit/")
	switch {
	case strings.HasPrefix(at, desk.Account), at == "/people", strings.HasPrefix(at, "/people/:person/password"):
		return s.Env.App.Audit(r.Ctx(), r.Who, app.Entry{Did: app.OfAccount, What: at, Subject: r.Request.URL.Path})
	case ofFit && slices.Contains(record.Stations, station), strings.HasSuffix(at, "/frames"):
		return nil
	case ofFit, strings.HasPrefix(at, "/runners/:runner"):
		return s.Env.App.LogForm(r.Ctx(), r.Who)
	}
	return nil
}

// who finds the signed-in person of a request.
func (s *Server) who(r *kit.Req) error {
	if r.Route.Path == "/health" {
		return nil
	}
	secret := s.Env.Sessions.GetString(r.Ctx(), desk.SessionKey)
	if secret == "" {
		return nil
	}
	who, err := s.Env.App.People.Session(r.Ctx(), secret)
	if errors.Is(err, app.ErrNotFound) { // it was ended, or the person was disabled since
		return nil
	}
	r.Who, r.Signed = who, err == nil
	return err
}

// before is the page that comes before all others: where the second factor is told, or given
// oneself where the shop's owner requires one. Empty: nothing does.
func before(r *kit.Req) string {
	at := r.Route.Path
	switch {
	case !r.Signed || r.Route.Roles == nil:
		return ""
	case r.Who.SecondDue && at != desk.Second:
		return desk.Second
	case r.Who.SecondAsked && !r.Who.Second && !strings.HasPrefix(at, desk.Account):
		return desk.Account
	}
	return ""
}

// first sends somebody to a page that comes before the one that was asked for.
func (s *Server) first(r *kit.Req, to string) {
	if kit.IsHTMX(r) {
		r.Header("HX-Redirect", to)
		r.Writer.WriteHeader(http.StatusForbidden)
		return
	}
	_ = kit.Go(r, to) // it cannot fail
}

// signIn sends somebody to the page where they sign in, to come back after it.
func (s *Server) signIn(r *kit.Req) {
	next := r.Request.URL.RequestURI()
	if r.Request.Method != http.MethodGet {
		next = formPage(r)
	}
	to := "/sign-in?next=" + url.QueryEscape(next)
	if kit.IsHTMX(r) {
		r.Header("HX-Redirect", to)
		r.Writer.WriteHeader(http.StatusUnauthorized)
		return
	}
	_ = kit.Go(r, to) // it cannot fail
}

// formPage is the page whose form was sent, to come back to after signing in:
// the draft of what was typed waits there on the device.
func formPage(c *kit.Req) string {
	if u, err := url.Parse(c.GetHeader("Referer")); err == nil && u.Host == c.Request.Host {
		return u.RequestURI()
	}
	return "/"
}

// logged gives every request an id and a line without personal data: the route's
// pattern, never its address.
func (s *Server) logged(c *gin.Context) {
	id := rand.Text()[:12]
	c.Set("request", id)
	c.Header("X-Request-Id", id)
	begin := time.Now()
	c.Next()
	s.metrics.seen(c, time.Since(begin))
	if route := c.FullPath(); !strings.HasPrefix(route, "/assets/") {
		s.Env.Log.Info("request", "request", id, "method", c.Request.Method, "route", route, "status", c.Writer.Status(), "ms",
			time.Since(begin).Milliseconds())
	}
}

func (s *Server) recovered(c *gin.Context) {
	defer func() {
		if v := recover(); v != nil {
			if v == http.ErrAbortHandler {
				panic(v)
			}
			s.Env.Log.Error("panic", "request", c.GetString("request"), "route", c.FullPath(), "panic", v)
			s.Env.Fail(kit.NewReq(c, kit.Route{}), errors.New("panic"))
		}
	}()
	c.Next()
}

// headers keep the page to itself: no inline script or style, no other origin.
func headers(c *gin.Context) {
	for name, value := range map[string]string{
		"Content-Security-Policy": "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; media-src 'self' " +
			"blob:; font-src 'self'; connect-src 'self'; manifest-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'",
		"X-Content-Type-Options":       "nosniff",
		"Referrer-Policy":              "same-origin",
		"Cross-Origin-Opener-Policy":   "same-origin",
		"Cross-Origin-Resource-Policy": "same-origin",
		"Permissions-Policy":           "camera=(self), microphone=(), geolocation=()",
		"Cache-Control":                "no-store",
	} {
		c.Header(name, value)
	}
}

// assetsVersion is a short hash over the assets: their addresses change with them.
func assetsVersion() string {
	h := sha256.New()
	err := fs.WalkDir(static, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := static.ReadFile(path)
		h.Write([]byte(path))
		h.Write(data)
		return err
	})
	if err != nil {
		panic(err) // the assets are part of the program
	}
	return hex.EncodeToString(h.Sum(nil))[:12]
}

// assets are immutable at the address of their version; at any other they are not kept.
func (s *Server) assets() gin.HandlerFunc {
	root, err := fs.Sub(static, "static")
	if err != nil {
		panic(err)
	}
	files := http.FS(root)
	return func(c *gin.Context) {
		name := strings.TrimPrefix(c.Param("file"), "/")
		if info, err := fs.Stat(root, name); err != nil || info.IsDir() {
			c.String(http.StatusNotFound, "no such asset")
			return
		}
		if c.Param("version") == s.Env.Assets {
			c.Header("Cache-Control", "public, max-age=31536000, immutable")
		}
		if name == "worker.js" {
			c.Header("Service-Worker-Allowed", "/r/") // it serves a runner's own page alone
		}
		c.FileFromFS(name, files)
	}
}
