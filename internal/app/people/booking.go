package people

import (
	"context"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// BookingFields are those of the form of when a runner comes in.
var BookingFields = []form.Field{
	{Name: "comes_day", Label: "Day", Kind: form.Day},
	{Name: "comes_at", Label: "Time", Kind: form.Clock},
	{Name: "comes_note", Label: "Reason", Kind: form.Text, Max: 300},
}

// Booked is when a runner of the shop comes in.
type Booked struct {
	record.Booking
	RunnerID uint64
	Runner   string
}

// mostBooked is how many runners a list of who comes in holds.
const mostBooked = 60

// Book puts down that a runner comes in, at an hour of the shop's clock. It fails with a fault.List.
func (p *People) Book(ctx context.Context, who app.Actor, runnerID uint64, day, clock, note string) error {
	var l fault.List
	today := p.Today(who)
	on, err := time.Parse(time.DateOnly, day)
	if err != nil || on.Before(today) || on.After(today.AddDate(2, 0, 0)) {
		l.Add("comes_day", "is %q; allowed is a day from today, such as %s", form.Clip(day), today.AddDate(0, 0, 7).Format(time.DateOnly))
	}
	at, err := time.Parse("15:04", clock)
	if err != nil {
		l.Add("comes_at", "is %q; allowed is an hour of the day, such as 09:30", form.Clip(clock))
	}
	note = strings.TrimSpace(note)
	form.Length(&l, "comes_note", note, 0, 300)
	if len(l) > 0 {
		return l
	}
	return p.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		return q.AddBooking(ctx, db.AddBookingParams{ShopID: who.ShopID, RunnerID: runnerID, OnDay: on,
			Minute: uint16(60*at.Hour() + at.Minute()),
			Note:   note, MadeBy: who.UserID, MadeAt: p.Now()})
	})
}

// CancelBooking takes back that a runner comes in.
func (p *People) CancelBooking(ctx context.Context, who app.Actor, runnerID, booking uint64) error {
	return p.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		return app.Some(q.WithdrawBooking(ctx, db.WithdrawBookingParams{WithdrawnAt: app.NullTime(p.Now()), ID: booking, RunnerID: runnerID,
			ShopID: who.ShopID}))
	})
}

// ComingIn are the runners who come in today and in the days after it, up to so many of them, the next first.
func (p *People) ComingIn(ctx context.Context, who app.Actor, days int) ([]Booked, error) {
	today := p.Today(who)
	rows, err := p.Store.Bookings(ctx, db.BookingsParams{ShopID: who.ShopID, OnDay: today, OnDay_2: today.AddDate(0, 0, days),
		Limit: mostBooked})
	out := make([]Booked, len(rows))
	for i, r := range rows {
		out[i] = Booked{record.Booking{ID: r.ID, On: r.OnDay, Minute: int(r.Minute), Note: r.Note}, r.RunnerID, r.Runner}
	}
	return out, err
}
