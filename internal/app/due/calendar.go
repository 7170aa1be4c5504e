package due

import (
	"context"
	"fmt"
	"hash/crc32"
	"time"

	ics "github.com/arran4/golang-ical"

	"trevik/internal/app"
	"trevik/internal/form"
	"trevik/internal/record"
)

// calendarDays is how far a calendar looks ahead.
const calendarDays = 366

// entry is a day of a calendar.
type entry struct {
	id   string
	on   time.Time
	text string
}

// calendar writes entries as iCalendar, a day each. What is late stands on its day.
func calendar(name string, now time.Time, list []entry) string {
	cal := ics.NewCalendarFor("Trevik")
	cal.SetMethod(ics.MethodPublish)
	cal.SetName(name)
	cal.SetXWRCalName(name)
	for _, x := range list {
		e := cal.AddEvent(x.id + "@trevik")
		e.SetDtStampTime(now.UTC())
		e.SetAllDayStartAt(x.on)
		e.SetAllDayEndAt(x.on.AddDate(0, 0, 1))
		e.SetSummary(form.Sentence(x.text))
		e.SetTimeTransparency(ics.TransparencyTransparent)
	}
	return cal.Serialize(ics.WithNewLineWindows) // RFC 5545 wants CR LF everywhere
}

// ShopCalendar is the shop's calendar of what is due.
func (d *Lists) ShopCalendar(ctx context.Context, who app.Actor) (string, error) {
	if _, err := d.upToDate(ctx, who); err != nil {
		return "", err
	}
	list, err := d.due(ctx, who, Filter{Until: d.Today(who).AddDate(0, 0, calendarDays)}, mostWritten, 0)
	if err != nil {
		return "", err
	}
	var entries []entry
	for _, l := range list {
		id := fmt.Sprintf("%s-%d-%d-%s", l.Kind, l.FitID, l.PairID, l.On.Format("20060102"))
		if l.PairID == 0 { // of no pair there may be several on a day
			id += fmt.Sprintf("-%x", crc32.ChecksumIEEE([]byte(l.Text)))
		}
		entries = append(entries, entry{id, l.On, l.Runner + ": " + l.Text})
	}
	return calendar(who.Shop, d.Now(), entries), nil
}

// RunnerCalendar is a runner's own, from what follows from their latest visit (nil: they had
// none): nothing of others, nothing of the shop's.
func (d *Lists) RunnerCalendar(c *record.Conclusions) (string, error) {
	var entries []entry
	if c != nil {
		due, err := c.Due()
		if err != nil {
			return "", err
		}
		changes, err := c.DueOfChanges()
		if err != nil {
			return "", err
		}
		for _, x := range append(due, changes...) {
			if x.Mine != "" { // what they said themself is the shop's to answer
				entries = append(entries, entry{x.ID(), x.On, x.Mine})
			}
		}
	}
	return calendar("Running shoes", d.Now(), entries), nil
}
