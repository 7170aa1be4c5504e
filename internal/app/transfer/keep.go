package transfer

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"strconv"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/films"
	"trevik/internal/app/load"
	"trevik/internal/app/prints"
	"trevik/internal/app/visit"
	"trevik/internal/core/fault"
	"trevik/internal/form"
	"trevik/internal/jobs"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

const (
	eraseKind = "erase"
	tidyKind  = "tidy"
	// tidyEvery is how often what may not stay is let go of.
	tidyEvery = 5 * time.Minute
	// forgetForms is how long a form that was sent is remembered.
	forgetForms = 48 * time.Hour
)

// SetConsents records what a runner said of keeping kinds of things, by kind; nothing said is
// nothing recorded. 'no' and 'withdrawn' delete what was kept: frames and pictures, their numbers
// stay; the health answers of closed fits, and when withdrawn those of the fit under way, too. It
// fails with a fault.List.
func (t *Transfer) SetConsents(ctx context.Context, who app.Actor, runnerID uint64, answers map[string]string) error {
	var l fault.List
	for _, kind := range slices.Sorted(maps.Keys(answers)) {
		at := slices.IndexFunc(record.ConsentFields, func(f form.Field) bool { return f.Name == kind })
		if at < 0 {
			l.Add("kind", "is %q; allowed is film or health", form.Clip(kind))
		} else {
			fault.OneOf(&l, kind, answers[kind], append(slices.Clone(record.ConsentFields[at].Choices), record.ConsentWithdrawn))
		}
	}
	if err := l.Err(); err != nil || len(answers) == 0 {
		return err
	}
	return t.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		for _, kind := range slices.Sorted(maps.Keys(answers)) {
			if err := t.consent(ctx, q, who, runnerID, kind, answers[kind]); err != nil {
				return err
			}
		}
		return nil
	})
}

func (t *Transfer) consent(ctx context.Context, q *db.Queries, who app.Actor, runnerID uint64, kind, answer string) error {
	if err := q.AddConsent(ctx, db.AddConsentParams{ShopID: who.ShopID, RunnerID: runnerID, Kind: kind, Answer: answer, MadeBy: who.UserID,
		MadeAt: t.Now()}); err != nil {
		return err
	}
	switch refused := answer == record.ConsentNo || answer == record.ConsentWithdrawn; {
	case refused && kind == record.HealthConsent:
		return visit.ForgetHealth(ctx, q, t.Now(), t.Now(), who.ShopID, runnerID, answer == record.ConsentWithdrawn)
	case refused:
		return forgetFilms(ctx, q, who.ShopID, runnerID)
	}
	return nil
}

// forgetFilms deletes a runner's frames, stills and pictures of prints.
func forgetFilms(ctx context.Context, q *db.Queries, shopID, runnerID uint64) error {
	all, err := q.FramesOfRunner(ctx, db.FramesOfRunnerParams{RunnerID: runnerID, ShopID: shopID})
	if err != nil {
		return err
	}
	for _, id := range all {
		if err := films.Drop(ctx, q, id); err != nil {
			return err
		}
	}
	return q.DeletePicturesOfRunner(ctx, db.DeletePicturesOfRunnerParams{RunnerID: runnerID, ShopID: shopID,
		Kinds: []string{prints.Kind, prints.OutlineKind, films.StillKind}})
}

// Erase deletes everything of a runner; that their pairs were sold stays, without them. They are
// nobody's at once; their rows go by a job. Only an owner may.
func (t *Transfer) Erase(ctx context.Context, who app.Actor, runnerID uint64) error {
	if who.Role != app.Owner {
		return app.ErrNotAllowed
	}
	err := t.Do(ctx, who, func(q *db.Queries) error {
		if err := t.ToErase(ctx, q, who, runnerID); err != nil {
			return err
		}
		return letGo(ctx, q, who.ShopID, t.Today(who), ErasedRunners, 1, t.Now())
	})
	t.Jobs.Wake()
	return err
}

// ToErase is Erase in a verb's transaction.
func (t *Transfer) ToErase(ctx context.Context, q *db.Queries, who app.Actor, runnerID uint64) error {
	if err := app.Some(q.MarkErased(ctx, db.MarkErasedParams{ErasedAt: app.NullTime(t.Now()), ID: runnerID, ShopID: who.ShopID})); err != nil {
		return err
	}
	if err := q.DropLinksOf(ctx, db.DropLinksOfParams{RunnerID: app.NullID(runnerID), ShopID: who.ShopID}); err != nil {
		return err
	}
	if err := q.DropVerdict(ctx, runnerID); err != nil {
		return err
	}
	return jobs.Add(ctx, q, jobs.Job{ShopID: who.ShopID, Kind: eraseKind, Subject: strconv.FormatUint(runnerID, 10), By: who.UserID},
		eraseArgs{runnerID})
}

type eraseArgs struct {
	Runner uint64 `json:"runner"`
}

// erase deletes a runner's rows: the frames of films a few at a time, then all else at once.
func (t *Transfer) erase(ctx context.Context, j *jobs.Job, _ func(done, total int)) error {
	var args eraseArgs
	if err := json.Unmarshal(j.Args, &args); err != nil {
		return jobs.Final{Err: err}
	}
	for {
		frames, err := t.Store.FramesOfErased(ctx, args.Runner)
		if err != nil {
			return err
		}
		if len(frames) == 0 {
			break
		}
		err = t.Store.Tx(ctx, func(q *db.Queries) error {
			for _, f := range frames {
				if err := q.DropFrame(ctx, db.DropFrameParams{RecordingID: f.RecordingID, Number: f.Number}); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	_, err := t.Store.Erase(ctx, j.ShopID, args.Runner)
	return err
}

// Tidy lets go of what may not stay: pictures and films that nobody agreed to keep, after two
// hours, films that are older than the shop keeps them, health answers whose year is over, files
// that waited too long, and forms and jobs of days ago. What of a runner's goes is counted (Retention).
func (t *Transfer) Tidy(ctx context.Context) error {
	t.Prints.Tidy()
	for _, part := range []func(context.Context) error{
		t.tidyPictures, t.tidyFilms, t.tidyHealth, t.tidyUploads,
		func(ctx context.Context) error { return t.Store.ClearSubmissions(ctx, t.Now().Add(-forgetForms)) },
		func(ctx context.Context) error { return t.Store.ClearSessions(ctx, t.Now()) },
		t.People.Tidy,
		func(ctx context.Context) error { return jobs.Tidy(ctx, t.Store.Queries) },
	} {
		if err := part(ctx); err != nil {
			return err
		}
	}
	return nil
}

func (t *Transfer) tidyPictures(ctx context.Context) error {
	before := t.Now().Add(-prints.LooseTime)
	rows, err := t.Store.LoosePictures(ctx, before)
	if err != nil {
		return err
	}
	for _, r := range rows {
		err := t.goes(ctx, r.ShopID, LoosePictures, r.Oldest, func(q *db.Queries) (int, error) {
			n, err := q.DeleteLoosePictures(ctx, db.DeleteLoosePicturesParams{ShopID: r.ShopID, MadeAt: before})
			return int(n), err
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// tidyFilms lets go of frames whose time is over: hours where nobody agreed to keep them, else
// the shop's days.
func (t *Transfer) tidyFilms(ctx context.Context) error {
	loose, err := t.Store.LooseRecordings(ctx, t.Now().Add(-prints.LooseTime))
	if err != nil {
		return err
	}
	for _, r := range loose {
		if err := t.dropFilm(ctx, LooseFilms, r.ID, r.ShopID, r.MadeAt); err != nil {
			return err
		}
	}
	shops, err := t.Store.AllShops(ctx)
	if err != nil {
		return err
	}
	for _, shop := range shops {
		h, err := load.Settings(ctx, t.Store.Queries, shop)
		if err != nil {
			return err
		}
		s, _ := h.At(time.Time{})
		if s.FilmDays == 0 {
			continue
		}
		before := t.Now().AddDate(0, 0, -s.FilmDays)
		old, err := t.Store.OldRecordings(ctx, db.OldRecordingsParams{ShopID: shop, MadeAt: before})
		if err != nil {
			return err
		}
		for _, r := range old {
			if err := t.dropFilm(ctx, OldFilms, r.ID, r.ShopID, r.MadeAt); err != nil {
				return err
			}
		}
		if err := t.dropStills(ctx, shop, before); err != nil {
			return err
		}
	}
	return nil
}

func (t *Transfer) dropFilm(ctx context.Context, sort Sort, id, shop uint64, madeAt time.Time) error {
	return t.goes(ctx, shop, sort, madeAt, func(q *db.Queries) (int, error) { return 1, films.Drop(ctx, q, id) })
}

func (t *Transfer) dropStills(ctx context.Context, shop uint64, before time.Time) error {
	oldest, err := t.Store.OldestPictureOfKind(ctx, db.OldestPictureOfKindParams{ShopID: shop, Kind: films.StillKind, MadeAt: before})
	if errors.Is(err, sql.ErrNoRows) {
		return nil
	}
	if err != nil {
		return err
	}
	return t.goes(ctx, shop, OldStills, oldest, func(q *db.Queries) (int, error) {
		n, err := q.DeleteOldPicturesOfKind(ctx, db.DeleteOldPicturesOfKindParams{ShopID: shop, Kind: films.StillKind, MadeAt: before})
		return int(n), err
	})
}

// tidyHealth deletes the health answers whose year is over.
func (t *Transfer) tidyHealth(ctx context.Context) error {
	rows, err := t.Store.RunOutConsents(ctx, db.RunOutConsentsParams{MadeBefore: t.Now().AddDate(-1, 0, 0), Names: record.HealthNames()})
	if err != nil {
		return err
	}
	for _, r := range rows {
		err := t.goes(ctx, r.ShopID, HealthYears, r.MadeAt, func(q *db.Queries) (int, error) {
			return 1, visit.ForgetHealth(ctx, q, t.Now(), r.MadeAt.AddDate(1, 0, 0), r.ShopID, r.RunnerID, false)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

func (t *Transfer) tidyUploads(ctx context.Context) error {
	rows, err := t.Store.OldUploads(ctx, t.Now().Add(-app.UploadKept))
	if err != nil {
		return err
	}
	for _, r := range rows {
		err := t.goes(ctx, r.ShopID, WaitingFiles, r.MadeAt, func(q *db.Queries) (int, error) {
			n, err := q.DropUpload(ctx, db.DropUploadParams{ID: r.ID, ShopID: r.ShopID})
			return int(n), err
		})
		if err != nil {
			return err
		}
	}
	return nil
}
