package desk

import (
	"bytes"
	"encoding/base64"
	"html/template"
	"image/png"
	"net/http"
	"net/url"
	"strconv"

	"github.com/pquerna/otp"

	"trevik/internal/app"
	"trevik/internal/app/people"
	"trevik/internal/core/fault"
	"trevik/internal/web/kit"
)

// accountRoutes are those of one's own account and, for the owner, of the shop's people.
func (d *Desk) accountRoutes() []kit.Route {
	get, post := http.MethodGet, http.MethodPost
	list := []kit.Route{
		{Method: get, Path: Account, Roles: kit.Everyone, Handle: d.account},
		{Method: post, Path: Account + "/password", Roles: kit.Everyone, Handle: d.changePassword, Free: true, Back: Account},
		{Method: post, Path: Account + "/sessions/:session/end", Roles: kit.Everyone, Handle: d.endSession, Free: true, Back: Account},
		{Method: post, Path: Account + "/second", Roles: kit.Everyone, Handle: d.startSecond, Free: true, Back: Account},
		{Method: post, Path: Account + "/second/end", Roles: kit.Everyone, Handle: d.endSecond, Free: true, Back: Account},
		{Method: get, Path: "/people", Roles: []app.Role{app.Owner}, Handle: d.people},
		{Method: get, Path: "/audit", Roles: []app.Role{app.Owner}, Handle: d.audit},
		{Method: get, Path: "/audit/file.csv", Roles: []app.Role{app.Owner}, Handle: d.auditCSV},
		{Method: get, Path: "/retention", Roles: []app.Role{app.Owner}, Handle: d.retention},
		{Method: post, Path: "/people", Roles: []app.Role{app.Owner}, Handle: d.addPerson, Free: true},
	}
	for name, do := range map[string]func(*kit.Req, uint64, url.Values) error{
		"role": func(c *kit.Req, id uint64, sent url.Values) error {
			return d.App.People.SetRole(c.Ctx(), c.Who, id, app.Role(sent.Get("role")))
		},
		"disable": func(c *kit.Req, id uint64, _ url.Values) error {
			return d.App.People.SetDisabled(c.Ctx(), c.Who, id, true)
		},
		"enable": func(c *kit.Req, id uint64, _ url.Values) error {
			return d.App.People.SetDisabled(c.Ctx(), c.Who, id, false)
		},
		"sessions": func(c *kit.Req, id uint64, _ url.Values) error { return d.App.People.EndSessions(c.Ctx(), c.Who, id) },
		"second":   func(c *kit.Req, id uint64, _ url.Values) error { return d.App.People.ResetSecond(c.Ctx(), c.Who, id) },
		"links":    func(c *kit.Req, id uint64, _ url.Values) error { return d.App.People.RevokeLinksBy(c.Ctx(), c.Who, id) },
		"password": func(c *kit.Req, id uint64, sent url.Values) error {
			return d.App.People.SetPassword(c.Ctx(), c.Who, id, sent.Get("new_password"))
		},
	} {
		list = append(list, kit.Route{Method: post, Path: "/people/:person/" + name, Roles: []app.Role{app.Owner}, Handle: d.toPerson(do),
			Free: true,
			Back: "/people"})
	}
	return list
}

// secondKey is where the browser's session keeps the secret of a second factor that is being set up.
const secondKey = "second"

type accountView struct {
	Sessions []people.SessionLine
	Left     int    // codes for when the second factor is lost
	Secret   string // of a second factor that could be set up
	Picture  template.URL
	Codes    []string // that are told this once
	Required bool
	Faults   map[string]string
	Said     string
}

func (d *Desk) account(c *kit.Req) error { return d.showAccount(c, http.StatusOK, nil, nil) }

func (d *Desk) showAccount(c *kit.Req, code int, codes []string, faults fault.List) (err error) {
	v := accountView{Codes: codes, Required: c.Who.SecondAsked && !c.Who.Second,
		Said: map[string]string{"password": "Your password is changed."}[c.Query("said")]}
	var rest string
	v.Faults, rest = kit.Say(c.Who.Units, faults, kit.Known("password", "new_password", "code", "end_password"))
	if v.Sessions, err = d.App.People.Sessions(c.Ctx(), c.Who); err != nil {
		return err
	}
	if c.Who.Second || codes != nil {
		if v.Left, err = d.App.People.RecoveryLeft(c.Ctx(), c.Who); err != nil {
			return err
		}
	} else {
		key, err := d.secondKeyOf(c)
		if err != nil {
			return err
		}
		if v.Secret, v.Picture, err = key.Secret(), "", nil; err == nil {
			v.Picture, err = pictureOf(key)
		}
		if err != nil {
			return err
		}
	}
	return d.pageWith(c, code, "Your account", "account", v, rest)
}

// secondKeyOf is the second factor that this browser is setting up: one until it is set up.
func (d *Desk) secondKeyOf(c *kit.Req) (*otp.Key, error) {
	if text := d.Sessions.GetString(c.Ctx(), secondKey); text != "" {
		if key, err := otp.NewKeyFromURL(text); err == nil {
			return key, nil
		}
	}
	key, err := d.App.People.Key(c.Who)
	if err == nil {
		d.Sessions.Put(c.Ctx(), secondKey, key.URL())
	}
	return key, err
}

// pictureOf is a key as a picture that an authenticator films.
func pictureOf(key *otp.Key) (template.URL, error) {
	img, err := key.Image(220, 220)
	if err != nil {
		return "", err
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		return "", err
	}
	return template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(b.Bytes())), nil
}

func (d *Desk) changePassword(c *kit.Req) error {
	sent, err := kit.Form(c, kit.Known("password", "new_password"))
	if err == nil {
		err = d.App.People.ChangePassword(c.Ctx(), c.Who, sent.Get("password"), sent.Get("new_password"))
	}
	if l, ok := fault.As(err); ok {
		return d.showAccount(c, http.StatusUnprocessableEntity, nil, l)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, Account+"?said=password")
}

// endSession ends one of one's own sessions; "others" ends all but this one.
func (d *Desk) endSession(c *kit.Req) error {
	if _, err := kit.Form(c, kit.Known()); err != nil {
		return err
	}
	id, err := strconv.ParseUint(c.Param("session"), 10, 63)
	if err != nil && c.Param("session") != "others" || err == nil && id == 0 {
		return app.ErrNotFound
	}
	if err := d.App.People.EndSession(c.Ctx(), c.Who, id); err != nil {
		return err
	}
	return kit.Go(c, Account)
}

func (d *Desk) startSecond(c *kit.Req) error {
	sent, err := kit.Form(c, kit.Known("code"))
	if err != nil {
		return err
	}
	key, err := d.secondKeyOf(c)
	if err != nil {
		return err
	}
	codes, err := d.App.People.StartSecond(c.Ctx(), c.Who, key.Secret(), sent.Get("code"))
	if l, ok := fault.As(err); ok {
		return d.showAccount(c, http.StatusUnprocessableEntity, nil, l)
	}
	if err != nil {
		return err
	}
	d.Sessions.Remove(c.Ctx(), secondKey)
	c.Who.Second = true
	return d.showAccount(c, http.StatusOK, codes, nil)
}

func (d *Desk) endSecond(c *kit.Req) error {
	sent, err := kit.Form(c, kit.Known("end_password"))
	if err == nil {
		err = d.App.People.Ask(c.Ctx(), c.Who, "end_password", sent.Get("end_password"))
	}
	if err == nil {
		err = d.App.People.EndSecond(c.Ctx(), c.Who)
	}
	if l, ok := fault.As(err); ok {
		return d.showAccount(c, http.StatusUnprocessableEntity, nil, l)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, Account)
}

func (d *Desk) people(c *kit.Req) error { return d.showPeople(c, http.StatusOK, nil, nil, 0) }

type peopleView struct {
	List   []people.Person
	Roles  []app.Role
	Sent   url.Values
	Faults map[string]string
	At     uint64 // whose form the faults are at, 0 for the new one
}

func (d *Desk) showPeople(c *kit.Req, code int, sent url.Values, faults fault.List, at uint64) (err error) {
	v := peopleView{Roles: app.Roles, Sent: sent, At: at}
	var rest string
	v.Faults, rest = kit.Say(c.Who.Units, faults, kit.Known("name", "login", "password", "role", "new_password", "person"))
	if v.List, err = d.App.People.All(c.Ctx(), c.Who); err != nil {
		return err
	}
	return d.pageWith(c, code, "People", "people", v, rest)
}

func (d *Desk) addPerson(c *kit.Req) error {
	sent, err := kit.Form(c, kit.Known("name", "login", "password", "role"))
	if err == nil {
		err = d.App.People.Add(c.Ctx(), c.Who, sent.Get("name"), sent.Get("login"), sent.Get("password"), app.Role(sent.Get("role")))
	}
	if l, ok := fault.As(err); ok {
		return d.showPeople(c, http.StatusUnprocessableEntity, sent, l, 0)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, "/people")
}

// toPerson is a form that does something to one person of the shop.
func (d *Desk) toPerson(do func(*kit.Req, uint64, url.Values) error) kit.Handler {
	return func(c *kit.Req) error {
		id, err := kit.RowID(c, "person")
		if err != nil {
			return err
		}
		sent, err := kit.Form(c, kit.Known("role", "new_password"))
		if err == nil {
			err = do(c, id, sent)
		}
		if l, ok := fault.As(err); ok {
			return d.showPeople(c, http.StatusUnprocessableEntity, sent, l, id)
		}
		if err != nil {
			return err
		}
		return kit.Go(c, "/people")
	}
}
