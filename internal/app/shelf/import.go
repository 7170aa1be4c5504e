package shelf

import (
	"context"
	"encoding/json"

	"trevik/internal/app"
	"trevik/internal/catalogue"
	"trevik/internal/core/fault"
	"trevik/internal/jobs"
	"trevik/internal/record"
	"trevik/internal/store"
	"trevik/internal/store/db"
)

// What an import would do with a row.
const (
	RowNew     = "new"
	RowChanged = "changed"
	RowSame    = "same"
)

// ImportRow is one row of an import, and what it would do.
type ImportRow struct {
	At      string
	Name    string
	What    string
	Columns []string // that change
}

// Import is a catalogue that was read and waits to be put in, or is put in.
type Import struct {
	Upload             app.Upload `json:"-"`
	Job                jobs.State `json:"-"`
	Rows               []ImportRow
	New, Changed, Same int
	Changes            []Change
}

// Ended says whether it was put in.
func (i *Import) Ended() bool { return i.Upload.State == app.UploadDone }

// Working says whether it is being put in.
func (i *Import) Working() bool { return i.Upload.State == app.UploadApplying }

// Failed says whether putting it in failed; then nothing was.
func (i *Import) Failed() bool { return i.Upload.State == app.UploadFailed }

const (
	uploadKind = "catalogue"
	applyKind  = "catalogue.apply"
)

// Latest is the person's latest import that was not let go of; nil where there is none.
func (s *Shelf) Latest(ctx context.Context, who app.Actor) (*Import, error) {
	r, err := s.Store.LatestUpload(ctx, db.LatestUploadParams{ShopID: who.ShopID, Kind: uploadKind, MadeBy: who.UserID, But: ""})
	if store.IsNoRows(err) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return s.open(ctx, app.UploadOf(r))
}

// Import is one of the person's imports. It fails with app.ErrNotFound on another's.
func (s *Shelf) Import(ctx context.Context, who app.Actor, id uint64) (*Import, error) {
	r, err := s.Store.UploadByID(ctx, db.UploadByIDParams{ID: id, ShopID: who.ShopID})
	if err != nil {
		return nil, app.Found(err)
	}
	u := app.UploadOf(r)
	if u.Kind != uploadKind || !u.Mine(who) {
		return nil, app.ErrNotFound
	}
	return s.open(ctx, u)
}

func (s *Shelf) open(ctx context.Context, u app.Upload) (*Import, error) {
	in := &Import{Upload: u}
	if err := app.Unpack(u.Found, in); err != nil {
		return nil, err
	}
	var err error
	in.Job, err = jobs.Of(ctx, s.Store.Queries, applyKind, u.Subject())
	return in, err
}

// Read reads a catalogue's file and tells row by row what it would change; nothing is changed
// yet. It fails with a fault.List that names row and column.
func (s *Shelf) Read(ctx context.Context, who app.Actor, name string, data []byte) (uint64, error) {
	if who.Role == app.Trainee {
		return 0, app.ErrNotAllowed
	}
	c, err := s.Catalogue(ctx, who)
	if err != nil {
		return 0, err
	}
	rows, err := catalogue.Read(data, who.Currency, c.Replacing())
	if err != nil {
		return 0, err
	}
	in := &Import{}
	var l fault.List
	for i := range rows {
		if rows[i].Model.Elsewhere() {
			l.Add(rows[i].At, "has an id that pairs of other shops have; choose another")
		}
	}
	if len(l) > 0 {
		return 0, l
	}
	for i := range rows {
		in.add(c, &rows[i])
	}
	found, err := app.Pack(in)
	if err != nil {
		return 0, err
	}
	var id int64
	err = s.Store.Tx(ctx, func(q *db.Queries) error {
		id, err = q.AddUpload(ctx, db.AddUploadParams{ShopID: who.ShopID, Kind: uploadKind, Name: app.FileName(name),
			State: string(app.UploadWaiting), Asked: json.RawMessage("{}"), MadeBy: who.UserID, MadeAt: s.Now()})
		if err != nil {
			return err
		}
		return q.SetUploadFound(ctx, db.SetUploadFoundParams{State: string(app.UploadWaiting), Asked: json.RawMessage("{}"), Found: found,
			ID: uint64(id)})
	})
	return uint64(id), err
}

// add looks at one row of a file.
func (i *Import) add(c *record.Catalogue, row *catalogue.Row) {
	m := &row.Model
	line := ImportRow{At: row.At, Name: record.FullName(m), What: RowNew}
	was := c.ByCode(m.ID)
	if was != nil {
		is := *m
		if m.Stock == nil {
			is.Stock = was.Stock
		}
		full := was.WithDefaults()
		line.What, line.Columns = RowChanged, catalogue.Changed(&full, &is)
		if len(line.Columns) == 0 {
			line.What = RowSame
		}
	}
	switch line.What {
	case RowNew:
		i.New++
	case RowChanged:
		i.Changed++
	default:
		i.Same++
	}
	if line.What != RowSame {
		i.Changes = append(i.Changes, Change{*m, was})
	}
	i.Rows = append(i.Rows, line)
}

// Drop lets a person's import go, unless it is being put in.
func (s *Shelf) Drop(ctx context.Context, who app.Actor, id uint64) error {
	in, err := s.Import(ctx, who, id)
	if err != nil || in.Working() {
		return err
	}
	_, err = s.Store.DropUpload(ctx, db.DropUploadParams{ID: id, ShopID: who.ShopID})
	return err
}

// Apply begins to put a person's import in, all of it or none, beside the requests.
func (s *Shelf) Apply(ctx context.Context, who app.Actor, id uint64) error {
	if _, err := s.Import(ctx, who, id); err == app.ErrNotFound {
		return fault.List{{Field: "file", Text: "is missing: choose a file and look at what it would change first"}}
	} else if err != nil {
		return err
	}
	err := s.Do(ctx, who, func(q *db.Queries) error {
		u, err := q.LockUpload(ctx, db.LockUploadParams{ID: id, ShopID: who.ShopID})
		if err != nil {
			return app.Found(err)
		}
		if u.State != string(app.UploadWaiting) && u.State != string(app.UploadFailed) {
			return nil // it is begun, or done
		}
		if err := q.SetUploadState(ctx, db.SetUploadStateParams{State: string(app.UploadApplying), ID: id}); err != nil {
			return err
		}
		return jobs.Add(ctx, q, jobs.Job{ShopID: who.ShopID, Kind: applyKind, Subject: app.Upload{ID: id}.Subject(), By: who.UserID},
			applyArgs{id})
	})
	s.Jobs.Wake()
	return err
}

type applyArgs struct {
	Upload uint64 `json:"upload"`
}

// apply puts an import in and settles its job in one transaction.
func (s *Shelf) apply(ctx context.Context, j *jobs.Job, tell func(done, total int)) error {
	var args applyArgs
	if err := json.Unmarshal(j.Args, &args); err != nil {
		return jobs.Final{Err: err}
	}
	r, err := s.Store.UploadByID(ctx, db.UploadByIDParams{ID: args.Upload, ShopID: j.ShopID})
	if err != nil {
		return err
	}
	in, err := s.open(ctx, app.UploadOf(r))
	if err != nil {
		return jobs.Final{Err: err}
	}
	err = s.Store.TxBulk(ctx, func(q *db.Queries, tx db.DBTX) error {
		if err := Write(ctx, q, tx, j.ShopID, in.Changes, func(n int) { tell(n, len(in.Changes)) }); err != nil {
			return err
		}
		if err := q.SetUploadState(ctx, db.SetUploadStateParams{State: string(app.UploadDone), ID: args.Upload}); err != nil {
			return err
		}
		return j.End(ctx, q)
	})
	if err == nil {
		j.Ended()
	}
	return err
}

func (s *Shelf) applyFailed(ctx context.Context, j *jobs.Job, _ error) {
	var args applyArgs
	if json.Unmarshal(j.Args, &args) == nil {
		// Should this fail too, the page shows the job itself as failed.
		_ = s.Store.SetUploadState(ctx, db.SetUploadStateParams{State: string(app.UploadFailed), ID: args.Upload})
	}
}
