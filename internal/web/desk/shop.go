package desk

import (
	"net/http"
	"net/url"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/web/kit"
)

type setting struct {
	record.Setting
	Options []kit.Option
	Err     string
	Other   bool // it is not what ships
}

// settingGroup is house values that stand together; Open when one of them is not what
// ships or has a fault.
type settingGroup struct {
	Name  string
	Open  bool
	Other int
	List  []setting
}

func (d *Desk) shop(c *kit.Req) error { return d.showShop(c, http.StatusOK, nil, nil) }

func (d *Desk) showShop(c *kit.Req, code int, form url.Values, faults fault.List) error {
	_, list, err := d.App.People.Settings(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	at, rest := kit.Say(c.Who.Units, faults, func(n string) bool { return known(list, n) })
	var choices []setting
	groups := make([]settingGroup, len(house.Groups))
	for i, name := range house.Groups {
		groups[i].Name = name
	}
	for _, s := range list {
		x := setting{Setting: s, Err: at[s.Name], Other: s.Value != s.Shipped}
		x.Value, x.Shipped = s.Typed(s.Value, c.Who.Units), s.Typed(s.Shipped, c.Who.Units)
		x.Unit, x.Reason = c.Who.Units.Say(s.Unit), c.Who.Units.Say(s.Reason)
		if v, sent := form[s.Name]; sent && len(v) > 0 {
			x.Value = v[0]
		}
		for _, w := range s.Choices {
			text := support.Words(w)
			if n, ok := support.SchoolNames[term.School(w)]; ok {
				text = n
			}
			x.Options = append(x.Options, kit.Option{Value: w, Text: text, On: w == x.Value})
		}
		if s.Choices != nil || s.Name == record.TimeZone {
			choices = append(choices, x)
			continue
		}
		for i := range groups {
			if g := &groups[i]; g.Name == s.Group {
				g.List = append(g.List, x)
				g.Open = g.Open || x.Err != ""
				if x.Other {
					g.Other++
				}
			}
		}
	}
	return d.pageWith(c, code, "Shop", "shop", map[string]any{"List": choices, "Groups": groups, "Owner": c.Who.Role == app.Owner}, rest)
}

func known(list []record.Setting, name string) bool {
	for _, s := range list {
		if s.Name == name {
			return true
		}
	}
	return false
}

func (d *Desk) changeShop(c *kit.Req) error {
	_, list, err := d.App.People.Settings(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	form, err := kit.Form(c, func(name string) bool { return known(list, name) })
	if err == nil {
		to := map[string]string{}
		for name := range form {
			if name != "token" {
				to[name] = form.Get(name)
			}
		}
		err = d.App.People.ChangeSettings(c.Ctx(), c.Who, to)
	}
	if faults, ok := fault.As(err); ok {
		return d.showShop(c, http.StatusUnprocessableEntity, form, faults)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, "/shop")
}

// houseFile gives the house values as the command line reads them.
func (d *Desk) houseFile(c *kit.Req) error {
	s, _, err := d.App.People.Settings(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	data, err := s.House.Write()
	if err != nil {
		return err
	}
	c.File("house.json", "application/json; charset=utf-8")
	return c.Data(http.StatusOK, "application/json; charset=utf-8", data)
}
