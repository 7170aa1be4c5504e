package transfer

import (
	"context"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/films"
	"trevik/internal/app/load"
	"trevik/internal/app/prints"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Sort is a sort of things that may not stay for ever.
type Sort string

// What goes, by its sort.
const (
	LoosePictures Sort = "pictures"
	LooseFilms    Sort = "films"
	OldFilms      Sort = "films_old"
	OldStills     Sort = "stills"
	HealthYears   Sort = "health"
	WaitingFiles  Sort = "files"
	ErasedRunners Sort = "runners"
)

// Late is how long after its time a thing may still be there: the work is done every few minutes, some at once.
const Late = 2 * time.Hour

// Kept is what a shop has of one sort at present, and what of it went.
type Kept struct {
	Sort   Sort       `json:"sort"`
	Rule   string     `json:"rule"`
	Now    int        `json:"kept"`
	Oldest *time.Time `json:"oldest"` // nil where there is none
	Goes   *time.Time `json:"goes"`   // the oldest; nil where somebody deletes it
	Late   bool       `json:"late"`   // it should have gone
	Gone   int        `json:"gone"`   // in the report's days
}

// Gone is what went on a day.
type Gone struct {
	Day    string    `json:"day"`
	Sort   Sort      `json:"sort"`
	Number int       `json:"gone"`
	Oldest time.Time `json:"oldest"`
}

// Retention is a shop's report on what may not stay: trevik.retention/v1.
type Retention struct {
	Schema string `json:"schema"`
	Shop   string `json:"shop"`
	Days   int    `json:"days"`      // that it looks back
	Films  int    `json:"film_days"` // that the shop keeps films; 0 is until somebody deletes them
	Kept   []Kept `json:"sorts"`
	Gone   []Gone `json:"gone"` // the latest day first
}

// RetentionDays is how far a report looks back.
const RetentionDays = 30

// Retention tells what a shop keeps of what may not stay, when it goes, and what went in so many days. Only an owner
// may.
func (t *Transfer) Retention(ctx context.Context, who app.Actor, days int) (*Retention, error) {
	if who.Role != app.Owner {
		return nil, app.ErrNotAllowed
	}
	h, err := load.Settings(ctx, t.Store.Queries, who.ShopID)
	if err != nil {
		return nil, err
	}
	s, _ := h.At(time.Time{})
	r := &Retention{Schema: "trevik.retention/v1", Shop: who.Shop, Days: days, Films: s.FilmDays, Gone: []Gone{}}
	rows, err := t.Store.LetGoSince(ctx, db.LetGoSinceParams{ShopID: who.ShopID, OnDay: t.Today(who).AddDate(0, 0, -days)})
	if err != nil {
		return nil, err
	}
	sum := map[Sort]int{}
	for _, g := range rows {
		r.Gone = append(r.Gone, Gone{g.OnDay.Format(time.DateOnly), Sort(g.Kind), int(g.Gone), g.Oldest})
		sum[Sort(g.Kind)] += int(g.Gone)
	}
	film := func(at time.Time) time.Time { return at.AddDate(0, 0, s.FilmDays) }
	hours := func(d time.Duration) func(time.Time) time.Time {
		return func(at time.Time) time.Time { return at.Add(d) }
	}
	filmRule := "shop_days"
	if s.FilmDays == 0 {
		film, filmRule = nil, "until_deleted"
	}
	type count struct {
		n      int64
		oldest time.Time
		err    error
	}
	of := func(n int64, oldest time.Time, err error) count { return count{n, oldest, err} }
	loose, err1 := t.Store.CountPictures(ctx, who.ShopID)
	looseFilms, err2 := t.Store.CountRecordings(ctx, db.CountRecordingsParams{ShopID: who.ShopID})
	keptFilms, err3 := t.Store.CountRecordings(ctx, db.CountRecordingsParams{ShopID: who.ShopID, Kept: true})
	stills, err4 := t.Store.CountStills(ctx, db.CountStillsParams{ShopID: who.ShopID, Kind: films.StillKind})
	years, err5 := t.Store.CountYears(ctx, db.CountYearsParams{ShopID: who.ShopID, Names: record.HealthNames()})
	files, err6 := t.Store.CountUploads(ctx, who.ShopID)
	erasing, err7 := t.Store.CountErasing(ctx, app.NullID(who.ShopID))
	for _, x := range []struct {
		sort Sort
		rule string
		of   count
		goes func(time.Time) time.Time
	}{
		{LoosePictures, "two_hours", of(loose.Number, loose.Oldest, err1), hours(prints.LooseTime)},
		{LooseFilms, "two_hours", of(looseFilms.Number, looseFilms.Oldest, err2), hours(prints.LooseTime)},
		{OldFilms, filmRule, of(keptFilms.Number, keptFilms.Oldest, err3), film},
		{OldStills, filmRule, of(stills.Number, stills.Oldest, err4), film},
		{HealthYears, "one_year", of(years.Number, years.Oldest, err5), func(at time.Time) time.Time { return at.AddDate(1, 0, 0) }},
		{WaitingFiles, "two_days", of(files.Number, files.Oldest, err6), hours(app.UploadKept)},
		{ErasedRunners, "when_asked", of(erasing.Number, erasing.Oldest, err7), hours(0)},
	} {
		if x.of.err != nil {
			return nil, x.of.err
		}
		k := Kept{Sort: x.sort, Rule: x.rule, Now: int(x.of.n), Gone: sum[x.sort]}
		if k.Now > 0 {
			k.Oldest = &x.of.oldest
			if x.goes != nil {
				at := x.goes(x.of.oldest)
				k.Goes, k.Late = &at, t.Now().After(at.Add(Late))
			}
		}
		r.Kept = append(r.Kept, k)
	}
	return r, nil
}

// letGo enters what goes on a shop's day, in the transaction in which it does.
func letGo(ctx context.Context, q *db.Queries, shop uint64, day time.Time, sort Sort, number int, oldest time.Time) error {
	if number == 0 {
		return nil
	}
	return q.AddLetGo(ctx, db.AddLetGoParams{ShopID: shop, OnDay: day, Kind: string(sort), Gone: uint32(number), Oldest: oldest})
}

// dayOf is a shop's day.
func (t *Transfer) dayOf(ctx context.Context, shop uint64) (time.Time, error) {
	who, err := t.People.OfShop(ctx, shop)
	return t.Today(who), err
}

// goes does in one transaction what lets something of a shop go, and enters how much.
func (t *Transfer) goes(ctx context.Context, shop uint64, sort Sort, oldest time.Time, do func(q *db.Queries) (int, error)) error {
	day, err := t.dayOf(ctx, shop)
	if err != nil {
		return err
	}
	return t.Store.Tx(ctx, func(q *db.Queries) error {
		n, err := do(q)
		if err != nil {
			return err
		}
		return letGo(ctx, q, shop, day, sort, n, oldest)
	})
}
