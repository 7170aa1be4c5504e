package suite_test

import (
	"context"
	"errors"
	"log/slog"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/films"
	"trevik/internal/app/suite"
	"trevik/internal/app/transfer"
	"trevik/internal/record"
)

// What went is counted once, by its shop's day and sort; what is there tells when it goes, and that it is late.
func TestRetention(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	at := func(d time.Duration) *suite.Suite {
		return suite.New(b.store, func() time.Time { return now.Add(d) }, slog.New(slog.DiscardHandler))
	}
	report := func(d time.Duration) map[transfer.Sort]transfer.Kept {
		t.Helper()
		r, err := at(d).Transfer.Retention(ctx, b.owner, 30)
		must(t, err)
		out := map[transfer.Sort]transfer.Kept{}
		for _, k := range r.Kept {
			out[k.Sort] = k
		}
		sums := map[transfer.Sort]int{}
		for _, g := range r.Gone {
			sums[g.Sort] += g.Number
		}
		for sort, k := range out {
			if k.Gone != sums[sort] {
				t.Errorf("%s: %d in all, %d by day", sort, k.Gone, sums[sort])
			}
		}
		return out
	}
	fit := b.start(t)
	for _, keep := range []bool{true, false, false} {
		f, err := b.Films.Begin(ctx, b.fitter, fit, recordingOf(60), 3, keep)
		must(t, err)
		must(t, b.Films.AddFrames(ctx, b.fitter, f, []films.Piece{{Number: 0, Data: someFrame(t)}}))
	}
	if r := report(time.Hour); r[transfer.LooseFilms].Now != 2 || r[transfer.OldFilms].Now != 1 || r[transfer.LooseFilms].Gone != 0 ||
		!r[transfer.LooseFilms].Goes.Equal(now.Add(2*time.Hour)) || r[transfer.LooseFilms].Late {
		t.Errorf("after an hour: %+v", r)
	}
	if r := report(5 * time.Hour); !r[transfer.LooseFilms].Late || r[transfer.OldFilms].Late {
		t.Errorf("nobody tidied for five hours: %+v", r)
	}
	// Twice, and at two instances: each counts once.
	must(t, at(5*time.Hour).Transfer.Tidy(ctx))
	must(t, at(5*time.Hour).Transfer.Tidy(ctx))
	if r := report(5 * time.Hour); r[transfer.LooseFilms].Now != 0 || r[transfer.LooseFilms].Gone != 2 ||
		r[transfer.LooseFilms].Oldest != nil {
		t.Errorf("after they went: %+v", r[transfer.LooseFilms])
	}
	must(t, b.People.ChangeSettings(ctx, b.owner, map[string]string{"film_days": "7"}))
	must(t, at(8*24*time.Hour).Transfer.Tidy(ctx))
	if r := report(8 * 24 * time.Hour); r[transfer.OldFilms].Gone != 1 || r[transfer.OldFilms].Now != 0 || r[transfer.LooseFilms].Gone != 2 {
		t.Errorf("after its days: %+v", r)
	}
	if r := report(60 * 24 * time.Hour); r[transfer.OldFilms].Gone != 0 {
		t.Error("the report looks back farther than it says")
	}
	runner := b.load(t, fit).Runner.ID
	must(t, b.Transfer.Erase(ctx, b.owner, runner))
	if err := b.Transfer.Erase(ctx, b.owner, runner); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("erased twice: %v", err)
	}
	if r := report(0); r[transfer.ErasedRunners].Gone != 1 {
		t.Errorf("erased: %+v", r[transfer.ErasedRunners])
	}
	// By the shop's own day: late in the evening in Auckland is another one than in UTC.
	must(t, b.People.ChangeSettings(ctx, b.owner, map[string]string{record.TimeZone: "Pacific/Auckland", "film_days": record.UntilDeleted}))
	second := b.start(t)
	f, err := b.Films.Begin(ctx, b.fitter, second, recordingOf(60), 3, false)
	must(t, err)
	must(t, b.Films.AddFrames(ctx, b.fitter, f, []films.Piece{{Number: 0, Data: someFrame(t)}}))
	evening := time.Date(now.Year(), now.Month(), now.Day(), 20, 0, 0, 0, time.UTC).AddDate(0, 0, 9).Sub(now)
	must(t, at(evening).Transfer.Tidy(ctx))
	r, err := at(evening).Transfer.Retention(ctx, b.owner, 30)
	must(t, err)
	if want := now.Add(evening).UTC().AddDate(0, 0, 1).Format(time.DateOnly); r.Gone[0].Day != want {
		t.Errorf("the day is %s, in Auckland it is %s", r.Gone[0].Day, want)
	}
	for _, k := range r.Kept {
		if k.Sort == transfer.OldFilms && k.Rule != "until_deleted" {
			t.Errorf("kept films: %+v", k)
		}
	}
	if _, err := b.Transfer.Retention(ctx, b.fitter, 30); !errors.Is(err, app.ErrNotAllowed) {
		t.Errorf("a fitter sees it: %v", err)
	}
	if r, err := b.Transfer.Retention(ctx, b.other, 30); err == nil && len(r.Gone) > 0 {
		t.Errorf("another shop's: %+v", r.Gone)
	}
}
