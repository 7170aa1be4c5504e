// Package suite is the application's concerns, wired over one core and one queue.
package suite

import (
	"log/slog"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/due"
	"trevik/internal/app/films"
	"trevik/internal/app/lessons"
	"trevik/internal/app/people"
	"trevik/internal/app/practice"
	"trevik/internal/app/prints"
	"trevik/internal/app/runlog"
	"trevik/internal/app/seasons"
	"trevik/internal/app/shelf"
	"trevik/internal/app/transfer"
	"trevik/internal/app/visit"
	"trevik/internal/app/wardrobe"
	"trevik/internal/jobs"
	"trevik/internal/store"
)

// Suite is all of them.
type Suite struct {
	*app.Core
	Jobs     *jobs.Queue
	People   *people.People
	Shelf    *shelf.Shelf
	Visits   *visit.Visits
	Prints   *prints.Prints
	Films    *films.Films
	Wardrobe *wardrobe.Wardrobe
	Runs     *runlog.Log
	Seasons  *seasons.Seasons
	Due      *due.Lists
	Lessons  *lessons.Lessons
	Transfer *transfer.Transfer
	Practice *practice.Practice
}

// New wires the concerns on a store; clock tells the time. Its queue works once Jobs is started.
func New(s *store.Store, clock func() time.Time, log *slog.Logger) *Suite {
	core, queue := app.NewCore(s, clock), jobs.New(s, log)
	out := &Suite{Core: core, Jobs: queue, People: &people.People{Core: core}, Shelf: shelf.New(core, queue)}
	out.Visits = &visit.Visits{Core: core, Shelf: out.Shelf}
	out.Prints = &prints.Prints{Core: core, Visits: out.Visits}
	out.Films = films.New(core, out.Visits, queue)
	out.Wardrobe = &wardrobe.Wardrobe{Core: core, Visits: out.Visits}
	out.Runs = runlog.New(core, out.Visits, queue)
	out.Seasons = seasons.New(core, out.Visits, out.Wardrobe, out.People, queue)
	out.Lessons = lessons.New(core, out.Visits, out.Shelf, out.People, queue)
	out.Due = due.New(core, out.Shelf, queue)
	out.Transfer = transfer.New(core, out.Shelf, out.Prints, out.People, queue)
	out.Practice = practice.New(core, out.Visits, out.Transfer, queue)
	return out
}
