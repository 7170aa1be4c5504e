package desk

import (
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/people"
	"trevik/internal/core/fault"
	"trevik/internal/core/units"
	"trevik/internal/web/kit"
)

// local keeps a way back inside the application.
func local(to string) string {
	u, err := url.Parse(to)
	if err != nil || !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsAny(to, "\\\r\n") || u.Host != "" {
		return "/"
	}
	return to
}

func (d *Desk) signInPage(c *kit.Req) error { return d.showSignIn(c, http.StatusOK, "", "") }

func (d *Desk) showSignIn(c *kit.Req, code int, login, wrong string) error {
	p := d.NewPage(c, "Sign in")
	next := c.Query("next")
	if next == "" {
		next = c.PostForm("next")
	}
	p.Body = map[string]string{"Login": login, "Err": wrong, "Next": local(next)}
	return d.Render(c, code, pages, "sign-in", p)
}

func (d *Desk) signIn(c *kit.Req) error {
	sent, err := kit.Form(c, kit.Known("login", "password", "next"))
	if err != nil {
		return err
	}
	in, err := d.App.People.SignIn(c.Ctx(), sent.Get("login"), sent.Get("password"),
		people.From{Address: c.Address(), Agent: c.Request.UserAgent(), Device: c.Cookie(d.browser())})
	var tooMany people.TooMany
	switch {
	case errors.Is(err, people.ErrSignIn):
		return d.showSignIn(c, http.StatusUnauthorized, sent.Get("login"), kit.Sentence(err.Error())+".")
	case errors.As(err, &tooMany):
		c.Header("Retry-After", strconv.Itoa(int(tooMany.After.Seconds())+1))
		return d.showSignIn(c, http.StatusTooManyRequests, sent.Get("login"), kit.Sentence(err.Error())+".")
	case errors.Is(err, app.ErrBusy):
		c.Header("Retry-After", "5")
		return d.showSignIn(c, http.StatusServiceUnavailable, sent.Get("login"), kit.Sentence(err.Error())+".")
	case err != nil:
		return err
	}
	// A new token: one that was planted before signing in is worth nothing.
	if err := d.Sessions.RenewToken(c.Ctx()); err != nil {
		return err
	}
	d.Sessions.Put(c.Ctx(), SessionKey, in.Session)
	c.SetCookie(d.browser(), in.Device, browserTime, d.Secure)
	if in.Second {
		return kit.Go(c, "/second?next="+url.QueryEscape(local(sent.Get("next"))))
	}
	return kit.Go(c, local(sent.Get("next")))
}

// browserTime is how long a browser is known in which somebody signed in.
const browserTime = 400 * 24 * time.Hour

// browser is the name of the cookie by which a browser is known.
func (d *Desk) browser() string {
	if d.Secure {
		return "__Host-trevik_browser"
	}
	return "trevik_browser"
}

func (d *Desk) second(c *kit.Req) error { return d.showSecond(c, http.StatusOK, "") }

func (d *Desk) showSecond(c *kit.Req, code int, wrong string) error {
	p := d.NewPage(c, "One more thing")
	next := c.Query("next")
	if next == "" {
		next = c.PostForm("next")
	}
	p.Body = map[string]string{"Err": wrong, "Next": local(next)}
	return d.Render(c, code, pages, "second", p)
}

// tellSecond finishes signing in.
func (d *Desk) tellSecond(c *kit.Req) error {
	sent, err := kit.Form(c, kit.Known("code", "next"))
	if err != nil {
		return err
	}
	err = d.App.People.TellSecond(c.Ctx(), c.Who, sent.Get("code"), c.Cookie(d.browser()))
	if l, ok := fault.As(err); ok {
		return d.showSecond(c, http.StatusUnauthorized, kit.Sentence(l[0].Text)+".")
	}
	if err != nil {
		return err
	}
	if err := d.Sessions.RenewToken(c.Ctx()); err != nil {
		return err
	}
	return kit.Go(c, local(sent.Get("next")))
}

func (d *Desk) signOut(c *kit.Req) error {
	if c.Signed {
		if err := d.App.People.SignOut(c.Ctx(), c.Who); err != nil {
			return err
		}
	}
	if err := d.Sessions.Destroy(c.Ctx()); err != nil {
		return err
	}
	c.Header("Clear-Site-Data", `"cache"`)
	return kit.Go(c, "/sign-in")
}

func (d *Desk) units(c *kit.Req) error {
	return d.change(c, "units", func(v string) error { return d.App.People.SetUnits(c.Ctx(), c.Who, units.System(v)) })
}

func (d *Desk) theme(c *kit.Req) error {
	return d.change(c, "theme", func(v string) error { return d.App.People.SetTheme(c.Ctx(), c.Who, v) })
}

func (d *Desk) change(c *kit.Req, name string, set func(string) error) error {
	sent, err := kit.Form(c, kit.Known(name, "back"))
	if err == nil {
		err = set(sent.Get(name))
	}
	if err != nil {
		return err
	}
	return kit.Go(c, local(sent.Get("back")))
}
