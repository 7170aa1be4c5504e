// Package lessons is what a shop learns from its own pairs and try-ons: how long its pairs last, what its runners care about, and
// which promises were kept. What is learned is figures and counts; nobody's name is in it, and nothing crosses shops.
package lessons

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/load"
	"trevik/internal/app/people"
	"trevik/internal/app/shelf"
	"trevik/internal/app/visit"
	"trevik/internal/core/fault"
	"trevik/internal/core/learn"
	"trevik/internal/device"
	"trevik/internal/jobs"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Lessons is that concern.
type Lessons struct {
	*app.Core
	Visits *visit.Visits
	Shelf  *shelf.Shelf
	People *people.People
	Jobs   *jobs.Queue
}

const (
	nightKind = "lessons.night"
	shopKind  = "lessons"
	nightly   = 10 * time.Minute // how often it is looked for shops whose last lesson is of another day
	within    = time.Hour
	atOnce    = 100  // runners, or fits, that are read together
	mostFits  = 5000 // that are learned from, the latest first
)

// New makes the concern; a queue learns each night, and when it is asked to.
func New(c *app.Core, v *visit.Visits, s *shelf.Shelf, p *people.People, q *jobs.Queue) *Lessons {
	l := &Lessons{c, v, s, p, q}
	q.Register(jobs.Kind{Name: nightKind, Do: l.night, Within: within, Every: nightly})
	q.Register(jobs.Kind{Name: shopKind, Within: within, Do: func(ctx context.Context, j *jobs.Job, tell func(done, total int)) error {
		_, err := l.Refit(ctx, j.ShopID, tell)
		return err
	}})
	return l
}

// night learns for each shop whose last lesson is of another day, or that has none and was there yesterday.
func (l *Lessons) night(ctx context.Context, _ *jobs.Job, tell func(done, total int)) error {
	shops, err := l.Store.AllShops(ctx)
	for i, shop := range shops {
		tell(i, len(shops))
		err = errors.Join(err, l.daily(ctx, shop))
	}
	return err
}

func (l *Lessons) daily(ctx context.Context, shop uint64) error {
	who, err := l.People.OfShop(ctx, shop)
	if err != nil {
		return err
	}
	since, err := l.Store.ShopSince(ctx, shop)
	if err != nil {
		return err
	}
	rows, err := l.Store.LatestLessons(ctx, db.LatestLessonsParams{ShopID: shop, Limit: 1})
	if err != nil {
		return err
	}
	if len(rows) > 0 {
		since = rows[0].Day
	}
	if !since.Before(l.Today(who)) {
		return nil
	}
	_, err = l.Refit(ctx, shop, func(int, int) {})
	return err
}

// Ask has the shop learned from now, by a job. Only an owner or a fitter may.
func (l *Lessons) Ask(ctx context.Context, who app.Actor) error {
	if who.Role == app.Trainee {
		return app.ErrNotAllowed
	}
	err := l.Do(ctx, who, func(q *db.Queries) error {
		return jobs.Add(ctx, q, jobs.Job{ShopID: who.ShopID, Kind: shopKind, Subject: strconv.FormatUint(who.ShopID, 10), By: who.UserID},
			struct{}{})
	})
	l.Jobs.Wake()
	return err
}

// State is how a job that learns stands.
func (l *Lessons) State(ctx context.Context, who app.Actor) (jobs.State, error) {
	return jobs.Of(ctx, l.Store.Queries, shopKind, strconv.FormatUint(who.ShopID, 10))
}

// Refit learns from a shop's pairs and try-ons as they are now, and keeps what it came to beside what was learned before; kept
// says that it differs from the last of the same day. Practice never counts.
func (l *Lessons) Refit(ctx context.Context, shop uint64, tell func(done, total int)) (kept bool, err error) {
	who, err := l.People.OfShop(ctx, shop)
	if err != nil {
		return false, err
	}
	h, err := load.Settings(ctx, l.Store.Queries, shop)
	if err != nil {
		return false, err
	}
	now, err := l.Shelf.Shop(ctx, who, h)
	if err != nil {
		return false, err
	}
	tell(0, 3)
	told := promises{}
	lives, err := l.lives(ctx, who, h, now, told)
	if err != nil {
		return false, err
	}
	tell(1, 3)
	tried, err := l.tried(ctx, who, h, now, told)
	if err != nil {
		return false, err
	}
	tell(2, 3)
	life, err := lives.Learn(&now.Settings.House)
	if err != nil {
		return false, fmt.Errorf("lives: %w", err)
	}
	life.Runners = []learn.RunnerLife{} // nobody's own figure is kept
	spread := spreadOf(lives)
	liking, err := tried.Learn(&now.Settings.House)
	if err != nil {
		return false, fmt.Errorf("likings: %w", err)
	}
	return l.keep(ctx, who, life, liking, spread, told.kept())
}

// promises are those of a shop by their kind, and of how many runners they are.
type promises map[string]*promised

type promised struct {
	list    []learn.Promise
	runners map[uint64]bool
}

func (p promises) add(kind string, runner uint64, list ...learn.Promise) {
	if len(list) == 0 {
		return
	}
	if p[kind] == nil {
		p[kind] = &promised{runners: map[uint64]bool{}}
	}
	p[kind].list = append(p[kind].list, list...)
	p[kind].runners[runner] = true
}

// kept are the kinds of which enough runners were told something: fewer could be named by it.
func (p promises) kept() map[string]learn.Kept {
	out := map[string]learn.Kept{}
	for kind, x := range p {
		if len(x.runners) >= FewRunners {
			out[kind] = learn.Promises(x.list)
		}
	}
	return out
}

// keep writes a lesson, unless the last one says the same and is of the same day.
func (l *Lessons) keep(ctx context.Context, who app.Actor, life learn.LifeAnswer, liking learn.LikingAnswer,
	spread map[string]int, promised map[string]learn.Kept) (bool, error) {
	lives, err := json.Marshal(life)
	if err != nil {
		return false, err
	}
	likings, err := json.Marshal(liking)
	if err != nil {
		return false, err
	}
	weights, err := json.Marshal(liking.Weights)
	if err != nil {
		return false, err
	}
	runners, err := json.Marshal(spread)
	if err != nil {
		return false, err
	}
	came, err := json.Marshal(promised)
	if err != nil {
		return false, err
	}
	kept := false
	err = l.Store.Tx(ctx, func(q *db.Queries) error {
		rows, err := q.LatestLessons(ctx, db.LatestLessonsParams{ShopID: who.ShopID, Limit: 1})
		if err != nil {
			return err
		}
		day := l.Today(who)
		if kept = len(rows) == 0 || !rows[0].Day.Equal(day) || !bytes.Equal(rows[0].Life, lives) || !bytes.Equal(rows[0].Liking, likings) ||
			!bytes.Equal(rows[0].Promises, came); !kept {
			return nil
		}
		if err := q.AddLesson(ctx, db.AddLessonParams{ShopID: who.ShopID, Day: day, Pairs: int32(life.Pairs), Ended: int32(life.Ended),
			Tryons: int32(liking.TryOns), WithTwo: int32(liking.WithTwo), Life: lives, Liking: likings, Weights: weights, Runners: runners,
			Promises: came, MadeAt: l.Now()}); err != nil {
			return err
		}
		return q.TouchVerdictsOfShop(ctx, who.ShopID)
	})
	return kept, err
}

// spreadOf is of how many runners the pairs of each class and each model are.
func spreadOf(l learn.Lives) map[string]int {
	seen := map[[2]string]bool{}
	out := map[string]int{}
	for _, p := range l.Pairs {
		for _, of := range []string{string(p.Class), p.Model} {
			if k := [2]string{of, p.Runner}; !seen[k] {
				seen[k] = true
				out[of]++
			}
		}
	}
	return out
}

// lives are those of a shop's runners; a runner is a number that stands for nobody.
func (l *Lessons) lives(ctx context.Context, who app.Actor, h load.History, shop *record.Shop, told promises) (learn.Lives, error) {
	out := learn.Lives{Schema: learn.LivesSchema, Pairs: []learn.Pair{}}
	q, after, number := l.Store.Queries, uint64(0), 0
	for {
		ids, err := q.RunnersToLearn(ctx, db.RunnersToLearnParams{ShopID: who.ShopID, ID: after, Limit: atOnce})
		if err != nil || len(ids) == 0 {
			return out, err
		}
		after = ids[len(ids)-1]
		runners, err := load.Runners(ctx, q, who, ids)
		if err != nil {
			return out, err
		}
		visits, err := load.WithWeek(ctx, q, who, h, ids)
		if err != nil {
			return out, err
		}
		for _, id := range ids {
			r := runners[id]
			if r == nil || len(r.Pairs) == 0 {
				continue
			}
			v := visits[id]
			if v == nil { // who was never fitted has pairs all the same
				v = &record.Visit{RunnerID: id, StartedAt: who.In(l.Now()), Settings: shop.Settings}
			}
			c, err := record.Follow(r, v, shop, l.Today(who))
			if err != nil {
				return out, err
			}
			number++
			for _, p := range c.Lives() {
				p.Runner = strconv.Itoa(number)
				out.Pairs = append(out.Pairs, p)
			}
			for kind, list := range c.Promises() {
				told.add(kind, id, list...)
			}
		}
	}
}

// tried are the try-ons of a shop's fits, each under what it was made.
func (l *Lessons) tried(ctx context.Context, who app.Actor, h load.History, shop *record.Shop, told promises) (learn.TryOns,
	error) {
	out := learn.TryOns{Schema: learn.TryOnsSchema, TryOns: []learn.TryOn{}}
	q := l.Store.Queries
	fits, err := q.FitsWithTryOn(ctx, db.FitsWithTryOnParams{ShopID: who.ShopID, Names: []string{record.TryComfort.Name, record.TryLater.Name,
		record.TryRoom.Name, record.Compared.Name, record.FilmRead.Name}, Limit: mostFits})
	if err != nil {
		return out, err
	}
	numbers := map[uint64]string{}
	for len(fits) > 0 {
		ids := fits[:min(len(fits), atOnce)]
		fits = fits[len(ids):]
		visits, err := load.Visits(ctx, q, who, h, ids)
		if err != nil {
			return out, err
		}
		var of []uint64
		for _, id := range ids {
			if v := visits[id]; v != nil {
				of = append(of, v.RunnerID)
			}
		}
		runners, err := load.Runners(ctx, q, who, of)
		if err != nil {
			return out, err
		}
		for _, id := range ids {
			v := visits[id]
			if v == nil || runners[v.RunnerID] == nil {
				continue
			}
			c, err := record.Follow(runners[v.RunnerID], v, shop, l.Today(who))
			if err != nil {
				return out, err
			}
			told.add(record.BandPromise, v.RunnerID, c.BandPromises()...)
			rooms, err := c.RoomPromises()
			if _, faulty := fault.As(err); err != nil && !faulty {
				return out, err
			}
			told.add(record.RoomPromise, v.RunnerID, rooms...)
			t, ok, err := c.TriedOn()
			if _, faulty := fault.As(err); err != nil && !faulty {
				return out, err
			}
			if err != nil || !ok {
				continue
			}
			if numbers[v.RunnerID] == "" {
				numbers[v.RunnerID] = strconv.Itoa(len(numbers) + 1)
			}
			t.Runner = numbers[v.RunnerID]
			out.TryOns = append(out.TryOns, t)
		}
	}
	return out, nil
}

// Sizes are the invented shops' that the page shows, in pairs.
var Sizes = []int{50, 200, 1000}

// inventedSeed is the invented shops'.
const inventedSeed = 7

// Invented is what an invented shop of so many pairs teaches, and how its promises were kept by their kind: to see what a shop's own
// may teach one day. It fails with app.ErrNotFound on a size that is none of Sizes.
func (l *Lessons) Invented(who app.Actor, pairs int) (*record.Lesson, map[string]learn.Kept, error) {
	if !slices.Contains(Sizes, pairs) {
		return nil, nil, app.ErrNotFound
	}
	shop, err := device.NewShop(device.ShopOptions{Seed: inventedSeed, Pairs: pairs})
	if err != nil {
		return nil, nil, err
	}
	out := record.Lesson{Day: l.Today(who), Runners: spreadOf(shop.Lives)}
	if out.Life, err = shop.Lives.Learn(nil); err != nil {
		return nil, nil, err
	}
	if out.Liking, err = shop.TryOns.Learn(nil); err != nil {
		return nil, nil, err
	}
	by := promises{}
	for i, p := range shop.Promises { // each of a runner of its own
		by.add(p.Kind, uint64(i), learn.Promise{Told: p.Told, Kept: p.Kept})
	}
	return record.NewLesson(out), by.kept(), nil
}

// Latest are a shop's last lesson and the one before it; nil where there is none.
func (l *Lessons) Latest(ctx context.Context, who app.Actor) (last, before *record.Lesson, err error) {
	rows, err := l.Store.LatestLessons(ctx, db.LatestLessonsParams{ShopID: who.ShopID, Limit: 2})
	if err != nil || len(rows) == 0 {
		return nil, nil, err
	}
	if last, err = load.LessonOf(rows[0]); err == nil && len(rows) > 1 {
		before, err = load.LessonOf(rows[1])
	}
	return last, before, err
}
