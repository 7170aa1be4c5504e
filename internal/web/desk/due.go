package desk

import (
	"bytes"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/web/bench"
	"trevik/internal/web/kit"
)

// spans are how far ahead the page looks, by the address's word for it.
var spans = []struct {
	Word string
	Text string
	Days int
}{{"month", "this month", 31}, {"now", "now", 0}, {"quarter", "three months", 92}, {"year", "a year", 366}}

type dueLine struct {
	app.Due
	URL  string
	Late bool
}

// dueView is the page's filter and what it lets through.
type dueView struct {
	Span    string
	Kind    string
	Spans   []kit.Option
	Kinds   []kit.Option
	Lines   []dueLine
	Buying  []app.Buying
	Links   []app.Link
	Address string // of a calendar that was just made
	May     bool
}

// dueList reads the filter and gives what is due.
func (d *Desk) dueList(c *gin.Context) (dueView, []app.Due, error) {
	v := dueView{Span: c.DefaultQuery("within", "month"), Kind: c.Query("kind"), May: kit.MustWho(c).Role != app.Trainee}
	days := spans[0].Days
	for _, s := range spans {
		if s.Word == v.Span {
			days = s.Days
		}
		v.Spans = append(v.Spans, kit.Option{Value: s.Word, Text: s.Text, On: s.Word == v.Span})
	}
	var only []string
	if slices.Contains(app.DueKinds, v.Kind) {
		only = []string{v.Kind}
	}
	v.Kinds = []kit.Option{{Text: "everything", On: only == nil}, {Value: app.DueOrder, Text: "orders"}, {Value: app.DueLook, Text: "looks"}, {Value: app.DueComfort, Text: "how it is"}, {Value: app.DueMeasure, Text: "growing feet"}}
	for i := range v.Kinds {
		v.Kinds[i].On = v.Kinds[i].Value == v.Kind
	}
	list, err := d.App.Due(c, kit.MustWho(c), d.App.Today().AddDate(0, 0, days), only)
	return v, list, err
}

func (d *Desk) due(c *gin.Context) { d.showDue(c, "") }

func (d *Desk) showDue(c *gin.Context, address string) {
	v, list, err := d.dueList(c)
	if err == nil {
		v.Links, err = d.App.Links(c, kit.MustWho(c), 0)
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	v.Address, v.Buying = address, app.BuyingList(list)
	for _, x := range list {
		v.Lines = append(v.Lines, dueLine{x, bench.URL(x.FitID, "distance"), x.Late(d.App.Today())})
	}
	d.page(c, "Due", "due", v)
}

// buying is the shop's buying list as a file.
func (d *Desk) buying(c *gin.Context) {
	_, list, err := d.dueList(c)
	if err != nil {
		d.Fail(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="buying-`+d.App.Today().Format(time.DateOnly)+`.csv"`)
	c.Header("Content-Type", "text/csv; charset=utf-8")
	if err := app.WriteBuying(c.Writer, app.BuyingList(list)); err != nil {
		d.Log.Error("buying list broke off", "error", err.Error())
	}
}

// shopCalendar makes the shop's feed and shows its address once.
func (d *Desk) shopCalendar(c *gin.Context) {
	_, err := kit.Form(c, kit.Known())
	var secret string
	if err == nil {
		secret, err = d.App.NewLink(c, kit.MustWho(c), app.ShopCalendarLink, 0)
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	d.showDue(c, kit.Absolute(c, "/calendar/"+secret+".ics"))
}

// runnerLink makes a runner's private address and shows it once.
func (d *Desk) runnerLink(c *gin.Context) {
	id, err := kit.ID(c, "runner")
	if err == nil {
		_, err = kit.Form(c, kit.Known())
	}
	var secret string
	if err == nil {
		secret, err = d.App.NewLink(c, kit.MustWho(c), app.RunnerLink, id)
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	c.Set(addressKey, kit.Absolute(c, "/r/"+secret))
	d.showRunner(c, http.StatusOK, nil, nil)
}

// addressKey holds an address that was just made, for the page that shows it.
const addressKey = "address"

// revoke ends an address and goes back to where it was listed.
func (d *Desk) revoke(c *gin.Context) {
	id, err := kit.ID(c, "link")
	form, wrong := kit.Form(c, kit.Known("back"))
	if err == nil {
		err = wrong
	}
	if err == nil {
		err = d.App.RevokeLink(c, kit.MustWho(c), id)
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	kit.Go(c, local(form.Get("back")))
}

// exportRunner gives a runner as a file.
func (d *Desk) exportRunner(c *gin.Context) {
	id, err := kit.ID(c, "runner")
	var data bytes.Buffer
	if err == nil {
		err = d.App.Export(c, kit.MustWho(c).ShopID, id, &data)
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	c.Header("Content-Disposition", fmt.Sprintf(`attachment; filename="runner-%d.json"`, id))
	c.Data(http.StatusOK, "application/json; charset=utf-8", data.Bytes())
}

// erase deletes a runner when their name was typed.
func (d *Desk) erase(c *gin.Context) {
	who := kit.MustWho(c)
	id, err := kit.ID(c, "runner")
	form, wrong := kit.Form(c, kit.Known("erase_name"))
	if err == nil {
		err = wrong
	}
	if err == nil {
		var r app.Runner
		if r, err = d.App.Runner(c, who, id); err == nil && strings.TrimSpace(form.Get("erase_name")) != r.Name {
			d.showRunner(c, http.StatusUnprocessableEntity, form, fault.List{{Field: "erase_name", Text: "is not their name; type " + r.Name + " to erase them"}})
			return
		}
	}
	if err == nil {
		err = d.App.Erase(c, who, id)
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	kit.Go(c, "/runners")
}

// learned is what the shop's reports say.
func (d *Desk) learned(c *gin.Context) {
	l, err := d.App.WhatWasLearned(c, kit.MustWho(c))
	if err != nil {
		d.Fail(c, err)
		return
	}
	d.page(c, "What was learned", "learned", l)
}
