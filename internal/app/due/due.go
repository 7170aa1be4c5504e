// Package due is what over all runners asks for something: pairs that near their end, what is
// to be done by when, what to buy, and calendars of it. It is read from verdicts that are kept:
// a change of a runner's facts makes theirs stale, and a list brings stale ones up to date
// before it is shown, a few itself and many by a job; each night all are.
package due

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/load"
	"trevik/internal/app/shelf"
	"trevik/internal/core/fault"
	"trevik/internal/jobs"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Lists is that concern.
type Lists struct {
	*app.Core
	Shelf *shelf.Shelf
	Jobs  *jobs.Queue
}

// House values of keeping verdicts.
const (
	atOnce    = 40               // runners that are brought up to date together
	nightly   = 10 * time.Minute // how often verdicts of another day are looked for
	jobWithin = 30 * time.Minute
)

const (
	shopKind  = "verdicts"
	nightKind = "verdicts.night"
)

// New makes the concern; its verdicts are kept by a queue.
func New(c *app.Core, s *shelf.Shelf, q *jobs.Queue) *Lists {
	d := &Lists{c, s, q}
	q.Register(jobs.Kind{Name: shopKind, Do: d.refreshShop, Within: jobWithin})
	q.Register(jobs.Kind{Name: nightKind, Do: d.refreshAll, Within: jobWithin, Every: nightly})
	return d
}

// refreshAll brings the verdicts of every shop up to date that are stale or of another day.
func (d *Lists) refreshAll(ctx context.Context, _ *jobs.Job, tell func(done, total int)) error {
	shops, err := d.Store.AllShops(ctx)
	for i, shop := range shops {
		if err == nil {
			tell(i, len(shops))
			err = errors.Join(d.refreshWhole(ctx, shop), d.Store.ClearBuying(ctx, shop))
		}
	}
	return err
}

func (d *Lists) refreshShop(ctx context.Context, j *jobs.Job, _ func(done, total int)) error {
	return d.refreshWhole(ctx, j.ShopID)
}

func (d *Lists) refreshWhole(ctx context.Context, shop uint64) error {
	who, err := d.ofShop(ctx, shop)
	for err == nil {
		var more bool
		if more, err = d.refresh(ctx, who); err == nil && !more {
			return nil
		}
	}
	return err
}

// ofShop is nobody in particular of a shop.
func (d *Lists) ofShop(ctx context.Context, shop uint64) (app.Actor, error) {
	s, err := d.Store.ShopByID(ctx, shop)
	if err != nil {
		return app.Actor{}, app.Found(err)
	}
	name, err := d.Store.ZoneOf(ctx, shop)
	if err = app.Found(err); err != nil && err != app.ErrNotFound {
		return app.Actor{}, err
	}
	who := app.Actor{ShopID: shop, Shop: s.Name, Currency: s.Currency}
	who.Zone, err = record.ZoneOf(name)
	return who, err
}

// verdict is one that is to be brought up to date: as of a change.
type verdict struct {
	runner   uint64
	changeNo int64
}

// refresh brings some verdicts up to date; more says that others wait.
func (d *Lists) refresh(ctx context.Context, who app.Actor) (more bool, err error) {
	today := d.Today(who)
	var list []verdict
	stale, err := d.Store.StaleVerdicts(ctx, db.StaleVerdictsParams{ShopID: who.ShopID, Limit: atOnce})
	if err != nil {
		return false, err
	}
	for _, v := range stale {
		list = append(list, verdict{v.RunnerID, v.ChangeNo})
	}
	if len(list) < atOnce {
		aged, err := d.Store.AgedVerdicts(ctx, db.AgedVerdictsParams{ShopID: who.ShopID, Day: today, Limit: int32(atOnce - len(list))})
		if err != nil {
			return false, err
		}
		for _, v := range aged {
			if !slices.ContainsFunc(list, func(o verdict) bool { return o.runner == v.RunnerID }) {
				list = append(list, verdict{v.RunnerID, v.ChangeNo})
			}
		}
	}
	if len(list) == 0 {
		return false, nil
	}
	return len(list) >= atOnce, d.conclude(ctx, who, today, list)
}

// conclude computes verdicts and writes them. One that cannot be computed says so.
func (d *Lists) conclude(ctx context.Context, who app.Actor, today time.Time, list []verdict) error {
	q := d.Store.Queries
	ids := make([]uint64, len(list))
	for i, v := range list {
		ids[i] = v.runner
	}
	h, err := load.Settings(ctx, q, who.ShopID)
	if err != nil {
		return err
	}
	shop, err := d.Shelf.Shop(ctx, who, h)
	if err != nil {
		return err
	}
	of := func(ids []uint64) (map[uint64]*record.Runner, map[uint64]*record.Visit, error) {
		runners, err := load.Runners(ctx, q, who, ids)
		if err != nil {
			return nil, nil, err
		}
		visits, err := load.WithWeek(ctx, q, who, h, ids)
		return runners, visits, err
	}
	runners, visits, err := of(ids)
	for _, v := range list {
		r, visit, wrong := runners[v.runner], visits[v.runner], error(nil)
		if err != nil { // one of them does not decode: each by itself, so that the others stand
			var one map[uint64]*record.Runner
			var fit map[uint64]*record.Visit
			one, fit, wrong = of([]uint64{v.runner})
			if ctx.Err() != nil {
				return ctx.Err()
			}
			r, visit = one[v.runner], fit[v.runner]
		}
		lines, told, ferr := d.lines(r, visit, shop, today)
		if wrong == nil {
			wrong = ferr
		}
		if err := d.write(ctx, who, today, v, lines, told, wrong); err != nil {
			return err
		}
	}
	return nil
}

// lines are what a runner's pairs ask for. A panic in computing them is an error of this runner
// alone.
func (d *Lists) lines(r *record.Runner, visit *record.Visit, shop *record.Shop, today time.Time) (out []db.AddVerdictLineParams,
	told []db.TellOrderParams, err error) {
	defer func() {
		if v := recover(); v != nil {
			err = fmt.Errorf("%v", v)
		}
	}()
	if r == nil || visit == nil || r.Practice != nil || len(r.InUse())+len(r.Season.Orders) == 0 {
		return nil, nil, nil
	}
	c, err := record.Follow(r, visit, shop, today)
	if err != nil {
		return nil, nil, err
	}
	ending, err := c.Ending()
	if err != nil {
		return nil, nil, err
	}
	for i := range ending {
		w := &ending[i]
		out = append(out, line("ending", string(w.Wear.State), today, &w.Pair, w.Pair.Name(),
			EndingDetail{KM: w.Wear.KM, Left: w.Wear.RemainingKM.P50, OrderBy: w.Wear.OrderBy, Used: w.Wear.UsedProbability}))
		out[len(out)-1].Urgency = int8(slices.Index(record.EndingStates, w.Wear.State))
		if until, due := w.OrderDue(today); due && w.Pair.OrderTold.IsZero() {
			told = append(told, db.TellOrderParams{ID: w.Pair.ID, ToldOn: app.NullTime(today), LastsUntil: app.NullTime(until)})
		}
	}
	due, err := c.Due()
	if err != nil {
		return nil, nil, err
	}
	for _, x := range due {
		l := line("due", string(x.Kind), x.On, x.Pair, x.Text, struct{}{})
		if x.Order != nil {
			l.ModelID, l.Label = app.NullID(shop.Catalogue.RowID(x.Order.ID)), x.Label
			if x.Pair == nil {
				l.UkHalf, l.Width = app.Halves(x.Size), x.Width
			}
		}
		out = append(out, l)
	}
	for i := range out {
		out[i].FitID, out[i].RunnerID = visit.ID, r.ID
	}
	return out, told, nil
}

// EndingDetail is what Today shows of a pair that nears its end, km.
type EndingDetail struct {
	KM      float64 `json:"km"`
	Left    float64 `json:"left"`
	OrderBy *string `json:"order_by"`
	Used    float64 `json:"used"`
}

func line(list, kind string, on time.Time, p *record.Pair, words string, detail any) db.AddVerdictLineParams {
	data, err := json.Marshal(detail)
	if err != nil {
		panic(err) // plain numbers
	}
	runes := []rune(words)
	l := db.AddVerdictLineParams{List: list, Kind: kind, OnDay: on, Words: string(runes[:min(len(runes), 300)]), Detail: data}
	if p != nil {
		l.PairID, l.UkHalf, l.Width = app.NullID(p.ID), app.Halves(p.Size), p.Width
	}
	return l
}

// write replaces a runner's lines and keeps what was told of orders, unless their facts changed again meanwhile.
func (d *Lists) write(ctx context.Context, who app.Actor, today time.Time, v verdict, lines []db.AddVerdictLineParams,
	told []db.TellOrderParams, wrong error) error {
	note := ""
	if wrong != nil {
		note = wrong.Error()
		if faults, ok := fault.As(wrong); ok {
			note = faults[0].Field + " " + faults[0].Text
		}
		runes := []rune(note)
		note, lines, told = string(runes[:min(len(runes), 300)]), nil, nil
	}
	return d.Store.Tx(ctx, func(q *db.Queries) error {
		n, err := q.SettleVerdict(ctx, db.SettleVerdictParams{AsOf: today, Fault: note, RunnerID: v.runner, ChangeNo: v.changeNo})
		if err != nil || n == 0 {
			return err
		}
		if err := q.TakeFromBuying(ctx, v.runner); err != nil {
			return err
		}
		if err := q.DropVerdictLines(ctx, v.runner); err != nil {
			return err
		}
		for _, l := range lines {
			l.ShopID = who.ShopID
			if err := q.AddVerdictLine(ctx, l); err != nil {
				return err
			}
		}
		for _, t := range told {
			t.ShopID = who.ShopID
			if err := q.TellOrder(ctx, t); err != nil {
				return err
			}
		}
		return q.AddToBuying(ctx, v.runner)
	})
}

// upToDate brings what is stale up to date before a list is read: a batch at once, and what is
// more by a job. behind says that some lines are of an earlier moment still.
func (d *Lists) upToDate(ctx context.Context, who app.Actor) (behind bool, err error) {
	more, err := d.refresh(ctx, who)
	if err != nil || !more {
		return false, err
	}
	err = d.Store.Tx(ctx, func(q *db.Queries) error {
		return jobs.Add(ctx, q, jobs.Job{ShopID: who.ShopID, Kind: shopKind, Subject: strconv.FormatUint(who.ShopID, 10)}, struct{}{})
	})
	d.Jobs.Wake()
	return true, err
}
