package desk

import (
	"fmt"
	"net/http"
	"time"

	"trevik/internal/app/people"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/web/kit"
)

// comingDays is how many days after today are looked at for who comes in.
const comingDays = 1

// coming is a runner who comes in today or tomorrow.
type coming struct {
	people.Booked
	Today bool
}

func (d *Desk) coming(c *kit.Req, today time.Time) ([]coming, error) {
	list, err := d.App.People.ComingIn(c.Ctx(), c.Who, comingDays)
	out := make([]coming, len(list))
	for i, b := range list {
		out[i] = coming{b, b.On.Equal(today)}
	}
	return out, err
}

// bookingAt is where a runner's page says when they come in.
const bookingAt = "#comes"

// book puts down when a runner comes in.
func (d *Desk) book(c *kit.Req) error {
	id, err := kit.RowID(c, "runner")
	if err != nil {
		return err
	}
	sent, v, err := kit.Decode(c, people.BookingFields)
	if err == nil {
		err = d.App.People.Book(c.Ctx(), c.Who, id, v["comes_day"].Text, v["comes_at"].Text, v["comes_note"].Text)
	}
	if l, ok := fault.As(err); ok {
		return d.showRunner(c, http.StatusUnprocessableEntity, runnerShown{sent: sent, faults: l})
	}
	if err != nil {
		return err
	}
	return kit.Go(c, fmt.Sprintf("/runners/%d%s", id, bookingAt))
}

// unbook takes it back.
func (d *Desk) unbook(c *kit.Req) error {
	id, err := kit.RowID(c, "runner")
	if err != nil {
		return err
	}
	booking, err := kit.RowID(c, "booking")
	if err != nil {
		return err
	}
	if _, err := kit.Form(c, kit.Known()); err != nil {
		return err
	}
	if err := d.App.People.CancelBooking(c.Ctx(), c.Who, id, booking); err != nil {
		return err
	}
	return kit.Go(c, fmt.Sprintf("/runners/%d%s", id, bookingAt))
}

// writeDown puts a new runner down without a fit: they come in later.
func (d *Desk) writeDown(c *kit.Req) error {
	sent, v, err := kit.Decode(c, people.RunnerFields)
	var id uint64
	if err == nil {
		id, err = d.App.People.AddRunner(c.Ctx(), c.Who, record.Runner{Name: v["name"].Text, Contact: v["contact"].Text,
			Chart: term.Chart(v["chart"].Text)})
	}
	if l, ok := fault.As(err); ok {
		return d.showNewFit(c, http.StatusUnprocessableEntity, sent, l)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, fmt.Sprintf("/runners/%d%s", id, bookingAt))
}
