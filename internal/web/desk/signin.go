package desk

import (
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"trevik/internal/app/people"
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
	who, err := d.App.People.SignIn(c.Ctx(), sent.Get("login"), sent.Get("password"), c.Address())
	switch {
	case errors.Is(err, people.ErrSignIn):
		return d.showSignIn(c, http.StatusUnauthorized, sent.Get("login"), kit.Sentence(err.Error())+".")
	case errors.Is(err, people.ErrTooMany):
		c.Header("Retry-After", strconv.Itoa(int(people.SignInWindow.Seconds())))
		return d.showSignIn(c, http.StatusTooManyRequests, sent.Get("login"), kit.Sentence(err.Error())+".")
	case err != nil:
		return err
	}
	// A new token: one that was planted before signing in is worth nothing.
	if err := d.Sessions.RenewToken(c.Ctx()); err != nil {
		return err
	}
	d.Sessions.Put(c.Ctx(), UserKey, int64(who.UserID))
	return kit.Go(c, local(sent.Get("next")))
}

func (d *Desk) signOut(c *kit.Req) error {
	if err := d.Sessions.Destroy(c.Ctx()); err != nil {
		return err
	}
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
