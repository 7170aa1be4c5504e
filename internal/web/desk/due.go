package desk

import (
	"fmt"
	"net/http"
	"slices"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/due"
	"trevik/internal/app/people"
	"trevik/internal/core/fault"
	"trevik/internal/record"
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
	due.Line
	URL  string
	Late bool
}

// lineOf is a line of what is due, with where a tap on it leads.
func lineOf(l due.Line, today time.Time) dueLine {
	out := dueLine{l, bench.PairURL(l.FitID, l.PairID), l.Late(today)}
	switch {
	case l.Kind == record.DueComes:
		out.URL = fmt.Sprintf("/runners/%d%s", l.RunnerID, bookingAt)
	case l.Kind == record.DueOrder && l.PairID == 0: // of the season
		out.URL = fmt.Sprintf("/runners/%d/season#decided", l.RunnerID)
	}
	return out
}

// dueView is the page's filter and what it lets through.
type dueView struct {
	Span     string
	Kind     string
	Spans    []kit.Option
	Kinds    []kit.Option
	Lines    []dueLine
	State    due.State
	Heads    []head
	Pages    pager
	Buying   []due.Buying
	BuyHeads []head
	BuyPages pager
	Links    []people.Link
	Address  string // of a calendar that was just made
	May      bool
	Faults   map[string]string
}

// dueFilter reads the filter of the address into the page.
func (d *Desk) dueFilter(c *kit.Req) (dueView, due.Filter) {
	v := dueView{Span: c.DefaultQuery("within", "month"), Kind: c.Query("kind"), May: c.Who.Role != app.Trainee}
	days := spans[0].Days
	for _, s := range spans {
		if s.Word == v.Span {
			days = s.Days
		}
		v.Spans = append(v.Spans, kit.Option{Value: s.Word, Text: s.Text, On: s.Word == v.Span})
	}
	f := due.Filter{Until: d.App.Today(c.Who).AddDate(0, 0, days)}
	if k := record.DueKind(v.Kind); slices.Contains(record.DueKinds, k) {
		f.Kind = k
	}
	v.Kinds = []kit.Option{{Text: "everything"}}
	for _, k := range record.DueKinds {
		v.Kinds = append(v.Kinds, kit.Option{Value: string(k), Text: dueWords[k]})
	}
	for i := range v.Kinds {
		v.Kinds[i].On = v.Kinds[i].Value == string(f.Kind)
	}
	return v, f
}

var dueWords = map[record.DueKind]string{record.DueOrder: "orders", record.DueLook: "checks", record.DueComfort: "comfort checks",
	record.DueMeasure: "growing feet", record.DueRetire: "pairs to retire", record.DueRace: "races", record.DueSaid: "what runners say",
	record.DueComes: "who comes in"}

func (d *Desk) due(c *kit.Req) error { return d.showDue(c, "", nil) }

// showDue is the page; address is that of a calendar that was just made, faults why it was not.
func (d *Desk) showDue(c *kit.Req, address string, faults fault.List) error {
	v, filter := d.dueFilter(c)
	v.Address = address
	list, state, err := d.App.Due.Due(c.Ctx(), c.Who, filter, due.Page(pageOf(c, "page")))
	if err != nil {
		return err
	}
	v.State, v.Pages = state, pagerOf(c, "page", state.More)
	for _, x := range list {
		v.Lines = append(v.Lines, lineOf(x, d.App.Today(c.Who)))
	}
	v.Heads = order(c, v.Lines, v.Pages.only(), []column[dueLine]{
		{"by", "By", func(a, b dueLine) int { return a.On.Compare(b.On) }},
		{"runner", "Runner", by(func(l dueLine) string { return l.Runner })},
		{"what", "What", by(func(l dueLine) string { return l.Text })},
	})
	if filter.Kind == "" || filter.Kind == record.DueOrder {
		var more bool
		if v.Buying, more, err = d.App.Due.Buying(c.Ctx(), c.Who, filter.Until, due.Page(pageOf(c, "buy"))); err != nil {
			return err
		}
		v.BuyPages = pagerOf(c, "buy", more)
		v.BuyHeads = order(c, v.Buying, v.BuyPages.only(), []column[due.Buying]{
			{"model", "Model", by(func(b due.Buying) string { return record.ModelName(b.Model) })},
			{"size", "Size", by(func(b due.Buying) string { return b.Label })},
			{"pairs", "Pairs", size(func(b due.Buying) int { return b.Pairs })},
			{"shelf", "On the shelf", size(func(b due.Buying) int { return b.Stock })},
			{"first", "First by", func(a, b due.Buying) int { return a.By.Compare(b.By) }},
			{"for", "For", nil},
		})
	}
	if v.Links, err = d.App.People.Links(c.Ctx(), c.Who, 0); err != nil {
		return err
	}
	code := http.StatusOK
	if len(faults) > 0 {
		code = http.StatusUnprocessableEntity
		v.Faults, _ = kit.Say(c.Who.Units, faults, func(string) bool { return true })
	}
	return d.pageWith(c, code, "Due", "due", v, "")
}

// buying is the shop's buying list as a file.
func (d *Desk) buying(c *kit.Req) error {
	_, filter := d.dueFilter(c)
	c.File("buying-"+d.App.Today(c.Who).Format(time.DateOnly)+".csv", "text/csv; charset=utf-8")
	if err := d.App.Due.WriteBuying(c.Ctx(), c.Who, filter.Until, c.Writer); err != nil {
		d.Log.Error("buying list broke off", "error", err.Error())
	}
	return nil
}

// shopCalendar makes the shop's feed and shows its address once.
func (d *Desk) shopCalendar(c *kit.Req) error {
	if _, err := kit.Form(c, kit.Known()); err != nil {
		return err
	}
	secret, err := d.App.People.NewLink(c.Ctx(), c.Who, people.ShopCalendarLink, 0)
	if l, ok := fault.As(err); ok {
		return d.showDue(c, "", l)
	}
	if err != nil {
		return err
	}
	return d.showDue(c, d.Absolute(c, "/calendar/"+secret+".ics"), nil)
}
