// Package seasons is what is done to a runner's way to their race: weeks that are moved, the runner's own plan, what-ifs that are
// kept, orders that are decided on and sold, and what is told when the outlook changes.
package seasons

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/people"
	"trevik/internal/app/visit"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/fault"
	"trevik/internal/core/limits"
	"trevik/internal/core/rotation"
	"trevik/internal/core/season"
	"trevik/internal/form"
	"trevik/internal/jobs"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Seasons is that concern.
type Seasons struct {
	*app.Core
	Visits   *visit.Visits
	Wardrobe *wardrobe.Wardrobe
	People   *people.People
	Jobs     *jobs.Queue
}

// New makes the concern; outlooks are looked at again by a queue.
func New(c *app.Core, v *visit.Visits, w *wardrobe.Wardrobe, p *people.People, q *jobs.Queue) *Seasons {
	s := &Seasons{c, v, w, p, q}
	q.Register(jobs.Kind{Name: lookKind, Do: s.lookAll, Within: 30 * time.Minute, Every: lookEvery})
	return s
}

// WeekFields are those of the form that moves a week.
var WeekFields = []form.Field{
	{Name: "week_on", Label: "Week", Kind: form.Day},
	{Name: "week_km", Label: "Distance", Kind: form.Number, Unit: form.KM, Lo: 0, Hi: limits.WeekKM.Hi},
}

// ShapeFields are those of the form that lays all weeks out.
var ShapeFields = []form.Field{{Name: "shape", Label: "Lay all weeks out", Kind: form.Choice, Choices: form.Words(record.Shapes),
	Texts: map[string]string{string(record.Grow): "growing towards the race, easing off before it",
		string(record.Steady): "each like the usual week"}}}

// within says whether a day is the Monday of a week that may be moved: this one, or one within a season.
func (s *Seasons) within(l *fault.List, at string, who app.Actor, day string) time.Time {
	first := record.MondayOf(s.Today(who))
	on, err := time.Parse(time.DateOnly, day)
	last := first.AddDate(0, 0, 7*(season.MostWeeks-1))
	if err != nil || on.Weekday() != time.Monday || on.Before(first) || on.After(last) {
		l.Add(at, "is %q; allowed is a Monday from %s to %s", form.Clip(day), first.Format(time.DateOnly), last.Format(time.DateOnly))
	}
	return on
}

// Move makes a week so many km, its runs kept in their proportion. It fails with a fault.List.
func (s *Seasons) Move(ctx context.Context, who app.Actor, runnerID uint64, day string, km float64) error {
	var l fault.List
	on := s.within(&l, "week_on", who, day)
	if len(l) > 0 {
		return l
	}
	c, err := s.Visits.OfRunner(ctx, who, runnerID)
	if err != nil {
		return err
	}
	parts, err := c.MovedParts(on, km)
	if err != nil {
		return err
	}
	return s.DoOf(ctx, who, runnerID, func(q *db.Queries) error { return s.put(ctx, q, who, runnerID, on, record.ByHand, parts) })
}

// SetWeek puts runs in the place of a week's, none for a week of rest. It fails with a fault.List at plan_…
func (s *Seasons) SetWeek(ctx context.Context, who app.Actor, runnerID uint64, on time.Time, parts []rotation.WeekPart) error {
	var l fault.List
	s.within(&l, "week_on", who, on.Format(time.DateOnly))
	if len(l) > 0 {
		return l
	}
	if err := record.CheckWeek(parts); err != nil {
		return err
	}
	return s.DoOf(ctx, who, runnerID, func(q *db.Queries) error { return s.put(ctx, q, who, runnerID, on, record.ByHand, parts) })
}

// put writes a week over what stands there.
func (s *Seasons) put(ctx context.Context, q *db.Queries, who app.Actor, runner uint64, on time.Time, how string,
	parts []rotation.WeekPart) error {
	if err := s.drop(ctx, q, who, runner, on, on); err != nil {
		return err
	}
	week, err := q.PutSeasonWeek(ctx, db.PutSeasonWeekParams{ShopID: who.ShopID, RunnerID: runner, Week: on, How: how, MadeBy: who.UserID,
		MadeAt: s.Now()})
	for _, p := range parts {
		if err != nil {
			return err
		}
		clock, wrong := time.Parse("15:04", p.Start)
		if wrong != nil {
			return wrong
		}
		err = q.AddSeasonRun(ctx, db.AddSeasonRunParams{ShopID: who.ShopID, WeekID: uint64(week), Day: uint8(slices.Index(rotation.Days, p.Day)),
			Minute: uint16(60*clock.Hour() + clock.Minute()), Km: p.KM, Minutes: app.NullFloat(p.Minutes), Kind: string(p.Kind),
			Ground: string(p.Ground), Run: p.Run})
	}
	return err
}

// drop lets go of what stands in the place of weeks as they were laid out.
func (s *Seasons) drop(ctx context.Context, q *db.Queries, who app.Actor, runner uint64, first, last time.Time) error {
	if err := q.DropSeasonRunsFrom(ctx, db.DropSeasonRunsFromParams{ShopID: who.ShopID, RunnerID: runner, First: first,
		Last: last}); err != nil {
		return err
	}
	return q.DropSeasonWeeksFrom(ctx, db.DropSeasonWeeksFromParams{ShopID: who.ShopID, RunnerID: runner, First: first, Last: last})
}

// LayOut lays the weeks out anew in a shape; a day that is a Monday: that week alone.
func (s *Seasons) LayOut(ctx context.Context, who app.Actor, runnerID uint64, shape record.Shape, day string) error {
	var l fault.List
	first := record.MondayOf(s.Today(who))
	last := first.AddDate(1, 0, 0)
	if day != "" {
		first = s.within(&l, "week_on", who, day)
		last = first
	} else {
		fault.OneOf(&l, "shape", shape, record.Shapes)
	}
	if len(l) > 0 {
		return l
	}
	return s.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		if err := s.drop(ctx, q, who, runnerID, first, last); err != nil || day != "" {
			return err
		}
		return s.keep(ctx, q, who, runnerID, func(f *record.SeasonFacts) { f.Shape = shape })
	})
}

// keep changes what was chosen of a season.
func (s *Seasons) keep(ctx context.Context, q *db.Queries, who app.Actor, runner uint64, change func(*record.SeasonFacts)) error {
	f := record.SeasonFacts{Shape: record.Grow}
	rows, err := q.LoadSeasons(ctx, db.LoadSeasonsParams{ShopID: who.ShopID, Ids: []uint64{runner}})
	if err != nil {
		return err
	}
	for _, x := range rows {
		f.Shape = record.Shape(x.Shape)
		f.Kept = record.SeasonWhat{Earlier: x.Earlier, Fewer: x.Fewer, Fresh: x.Fresh, Second: x.Second, Cheaper: x.Cheaper, More: x.More}
	}
	change(&f)
	k := f.Kept
	return q.KeepSeason(ctx, db.KeepSeasonParams{ShopID: who.ShopID, RunnerID: runner, Shape: string(f.Shape), Earlier: k.Earlier,
		Fewer: k.Fewer, Fresh: k.Fresh, Second: k.Second, Cheaper: k.Cheaper, More: k.More})
}

// Keep keeps a what-if, or drops it.
func (s *Seasons) Keep(ctx context.Context, who app.Actor, runnerID uint64, what record.SeasonWhat, on bool) error {
	if what == (record.SeasonWhat{}) {
		return app.ErrNotFound
	}
	return s.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		return s.keep(ctx, q, who, runnerID, func(f *record.SeasonFacts) { f.Kept = f.Kept.With(what, on) })
	})
}

// mostDecided is how many orders a runner has on the list.
const mostDecided = 12

// Decide puts orders of the season on the list, by their ids; none is all that are likely. It fails with a fault.List at order.
func (s *Seasons) Decide(ctx context.Context, who app.Actor, runnerID uint64, ids []string) error {
	c, err := s.Visits.OfRunner(ctx, who, runnerID)
	if err != nil {
		return err
	}
	look, err := c.Season(ctx, record.SeasonWhat{})
	if err != nil {
		return err
	}
	var take []record.SeasonOrder
	for _, o := range look.Orders {
		if !o.Decided && o.Label != "" && (slices.Contains(ids, o.ID) || len(ids) == 0 && o.Chance >= record.LikelyOrder) {
			take = append(take, o)
		}
	}
	switch {
	case len(take) == 0:
		return fault.List{{Field: "order", Text: "is not asked for any more as things stand; look at the season again"}}
	case len(take)+len(look.Decided) > mostDecided:
		return fault.List{{Field: "order", Text: fmt.Sprintf("would be too many: %d may stand on the list of a runner", mostDecided)}}
	}
	return s.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		for _, o := range take {
			if err := q.AddSeasonOrder(ctx, db.AddSeasonOrderParams{ShopID: who.ShopID, RunnerID: runnerID,
				ModelID: c.Shop.Catalogue.RowID(o.Model.ID), UkHalf: app.Halves(o.Size), Width: o.Width, Price: o.Price, OrderOn: o.On,
				MadeBy: who.UserID, MadeAt: s.Now()}); err != nil {
				return err
			}
		}
		return nil
	})
}

// Drop takes an order off the list.
func (s *Seasons) Drop(ctx context.Context, who app.Actor, runnerID, id uint64) error {
	return s.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		return app.Some(q.DropSeasonOrder(ctx, db.DropSeasonOrderParams{DroppedAt: app.NullTime(s.Now()), ID: id, RunnerID: runnerID,
			ShopID: who.ShopID}))
	})
}

// See says that the shop has seen how an outlook changed.
func (s *Seasons) See(ctx context.Context, who app.Actor, id uint64) error {
	return s.Do(ctx, who, func(q *db.Queries) error {
		return app.Some(q.SeeOutlook(ctx, db.SeeOutlookParams{SeenAt: app.NullTime(s.Now()), ID: id, ShopID: who.ShopID}))
	})
}

// Changed is an outlook that changed by more than ten points.
type Changed struct {
	record.Outlook
	RunnerID uint64
	Runner   string
}

// mostChanged is how many of them a page shows.
const mostChanged = 20

// Changes are the outlooks that changed and that nobody of the shop has seen yet, the next race first.
func (s *Seasons) Changes(ctx context.Context, who app.Actor) ([]Changed, error) {
	rows, err := s.Store.ChangedOutlooks(ctx, db.ChangedOutlooksParams{ShopID: who.ShopID, RaceOn: s.Today(who), Limit: mostChanged})
	var out []Changed
	for _, x := range rows {
		out = append(out, Changed{record.Outlook{ID: x.ID, RaceOn: x.RaceOn, Race: x.Race, Ready: x.Ready, On: x.ToldOn, Was: app.FloatOf(x.Was),
			WasOn: x.WasOn.Time, Why: x.Why}, x.RunnerID, x.Runner})
	}
	return out, err
}

const (
	lookKind  = "seasons.look"
	lookEvery = 30 * time.Second
	lookAtOne = 20 // runners of a shop at a time
)

// lookAll looks again at the seasons of every shop whose runners' facts changed, or on another day.
func (s *Seasons) lookAll(ctx context.Context, _ *jobs.Job, tell func(done, total int)) error {
	shops, err := s.Store.AllShops(ctx)
	for i, shop := range shops {
		tell(i, len(shops))
		err = errors.Join(err, s.LookAgain(ctx, shop))
	}
	return err
}

// LookAgain looks again at a shop's seasons whose facts changed, or on another day, and tells what changed by more than ten points.
func (s *Seasons) LookAgain(ctx context.Context, shop uint64) error {
	who, err := s.People.OfShop(ctx, shop)
	if err != nil {
		return err
	}
	after := uint64(0)
	for {
		rows, err := s.Store.SeasonsToLook(ctx, db.SeasonsToLookParams{ShopID: shop, Today: s.Today(who), After: after, Limit: lookAtOne})
		if err != nil {
			return err
		}
		for _, r := range rows {
			after = r.RunnerID
			if err := s.look(ctx, who, r.RunnerID, r.ChangeNo); err != nil {
				return err
			}
		}
		if len(rows) < lookAtOne {
			return nil
		}
	}
}

// look tells a runner's outlooks as of a change of their facts. A season that cannot be computed tells nothing.
func (s *Seasons) look(ctx context.Context, who app.Actor, runner uint64, changeNo int64) error {
	told, err := s.outlooks(ctx, who, runner)
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if _, faulty := fault.As(err); err != nil && !faulty && !errors.Is(err, app.ErrNotFound) {
		return err
	}
	return s.Store.Tx(ctx, func(q *db.Queries) error {
		if err := s.LockRunner(ctx, q, who, runner); err != nil {
			if errors.Is(err, app.ErrNotFound) {
				return nil // erased meanwhile
			}
			return err
		}
		var kept []time.Time
		for _, o := range told {
			kept = append(kept, o.RaceOn)
			if err := q.TellOutlook(ctx, outlookRow(who, runner, o, s.Now())); err != nil {
				return err
			}
		}
		if len(kept) == 0 {
			err = q.DropOutlooks(ctx, db.DropOutlooksParams{RunnerID: runner, ShopID: who.ShopID, Today: s.Today(who)})
		} else {
			err = q.DropOutlooksBut(ctx, db.DropOutlooksButParams{RunnerID: runner, ShopID: who.ShopID, Today: s.Today(who), Kept: kept})
		}
		if err != nil {
			return err
		}
		return q.LookedAtSeason(ctx, db.LookedAtSeasonParams{ShopID: who.ShopID, RunnerID: runner, LookedNo: changeNo, LookedOn: s.Today(who)})
	})
}

func (s *Seasons) outlooks(ctx context.Context, who app.Actor, runner uint64) (told []record.Outlook, err error) {
	defer func() { // of this runner alone
		if v := recover(); v != nil {
			told, err = nil, fault.List{{Field: "season", Text: strings.TrimSpace(fmt.Sprint(v))}}
		}
	}()
	c, err := s.Visits.OfRunner(ctx, who, runner)
	if err != nil {
		return nil, err
	}
	look, err := c.Season(ctx, record.SeasonWhat{})
	if err != nil {
		return nil, err
	}
	return c.Outlooks(look)
}
