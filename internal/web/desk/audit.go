package desk

import (
	"encoding/csv"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/people"
	"trevik/internal/form"
	"trevik/internal/web/kit"
)

// auditPage is how many entries a page shows, and auditFile how many a file holds.
const (
	auditPage = 100
	auditFile = 100_000
)

type auditView struct {
	Lines  []app.AuditLine
	Kinds  []kit.Option
	People []people.Person
	Filter app.AuditFilter
	From   string
	To     string
	Runner string
	Query  string // of the same as a file
	Pages  pager
}

// auditFilter reads what of the log the address asks for; what is not readable asks for nothing.
func auditFilter(c *kit.Req) (f app.AuditFilter) {
	for _, d := range app.Dids {
		if string(d) == c.Query("did") {
			f.Did = d
		}
	}
	f.RunnerID, _ = strconv.ParseUint(c.Query("runner"), 10, 63) // 0: all
	f.UserID, _ = strconv.ParseUint(c.Query("person"), 10, 63)
	f.From, _ = time.Parse(time.DateOnly, c.Query("from")) // zero: from the first
	f.To, _ = time.Parse(time.DateOnly, c.Query("to"))
	return f
}

func (d *Desk) audit(c *kit.Req) error {
	v := auditView{Filter: auditFilter(c), From: c.Query("from"), To: c.Query("to"), Runner: c.Query("runner"), Query: c.Request.URL.RawQuery,
		Kinds: []kit.Option{{Text: "everything"}}}
	for _, x := range app.Dids {
		v.Kinds = append(v.Kinds, kit.Option{Value: string(x), Text: string(x), On: x == v.Filter.Did})
	}
	lines, err := d.App.AuditLog(c.Ctx(), c.Who, v.Filter, auditPage+1, (pageOf(c, "page")-1)*auditPage)
	if err != nil {
		return err
	}
	v.Pages = pagerOf(c, "page", len(lines) > auditPage)
	v.Lines = lines[:min(len(lines), auditPage)]
	if v.People, err = d.App.People.All(c.Ctx(), c.Who); err != nil {
		return err
	}
	return d.page(c, "Who did what", "audit", v)
}

// auditCSV is the log as a file.
func (d *Desk) auditCSV(c *kit.Req) error {
	lines, err := d.App.AuditLog(c.Ctx(), c.Who, auditFilter(c), auditFile, 0)
	if err != nil {
		return err
	}
	c.File("audit-"+d.App.Today(c.Who).Format(time.DateOnly)+".csv", "text/csv; charset=utf-8")
	c.Writer.WriteHeader(http.StatusOK)
	w := csv.NewWriter(c.Writer)
	_ = w.Write([]string{"Number", "When", "Who", "Did", "What", "Where", "Runner"}) // an error stays with the writer
	for _, l := range lines {
		runner := ""
		if l.RunnerID > 0 {
			runner = fmt.Sprint(l.RunnerID)
		}
		_ = w.Write([]string{fmt.Sprint(l.Number), l.At.Format(time.RFC3339), form.PlainCell(l.Who), string(l.Did), l.What, l.Subject, runner})
	}
	w.Flush()
	return w.Error()
}
