// Package shelf is what a shop sells: its models with sizes and stock, read from files, typed,
// and taken by sales. Stock moves by differences only.
package shelf

import (
	"context"
	"io"
	"slices"
	"sync"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/load"
	"trevik/internal/catalogue"
	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/jobs"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Shelf is that concern.
type Shelf struct {
	*app.Core
	Jobs   *jobs.Queue
	mu     sync.Mutex
	loaded map[uint64]*record.Catalogue // by shop, as last loaded
}

// New makes a shelf whose imports are done by a queue.
func New(c *app.Core, q *jobs.Queue) *Shelf {
	s := &Shelf{Core: c, Jobs: q, loaded: map[uint64]*record.Catalogue{}}
	q.Register(jobs.Kind{Name: applyKind, Do: s.apply, GivenUp: s.applyFailed})
	return s
}

// Catalogue is the shop's models with their sizes and stock; it is shared, so nobody changes
// it. What was loaded before is brought up to date by the models that were changed since.
func (s *Shelf) Catalogue(ctx context.Context, who app.Actor) (*record.Catalogue, error) {
	revision, err := s.Store.CatalogueRevision(ctx, who.ShopID)
	if err != nil {
		return nil, app.Found(err)
	}
	s.mu.Lock()
	was := s.loaded[who.ShopID]
	s.mu.Unlock()
	if was != nil && was.Revision == revision {
		return was, nil
	}
	c, err := update(ctx, s.Store.Queries, who, was, revision)
	if err != nil {
		return nil, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if now := s.loaded[who.ShopID]; now == nil || now.Revision < revision {
		s.loaded[who.ShopID] = c
	}
	return c, nil
}

// Shop is what of the shop bears on a fit, as it is set at present.
func (s *Shelf) Shop(ctx context.Context, who app.Actor, h load.History) (*record.Shop, error) {
	c, err := s.Catalogue(ctx, who)
	if err != nil {
		return nil, err
	}
	out := &record.Shop{Name: who.Shop, Currency: who.Currency, Catalogue: c}
	out.Settings, _ = h.At(time.Time{})
	return out, nil
}

// update brings a catalogue (nil: none) to a revision.
func update(ctx context.Context, q *db.Queries, who app.Actor, was *record.Catalogue, revision int64) (*record.Catalogue, error) {
	since := int64(-1)
	if was != nil {
		since = was.Revision
	}
	rows, err := q.ModelsOf(ctx, db.ModelsOfParams{ShopID: who.ShopID, Revision: since})
	if err != nil {
		return nil, err
	}
	sizes, err := q.ModelSizesOf(ctx, db.ModelSizesOfParams{ShopID: who.ShopID, Revision: since})
	if err != nil {
		return nil, err
	}
	changed := make(map[uint64]*shoe.Model, len(rows))
	for _, r := range rows {
		m := load.Model(r, who.Currency)
		changed[r.ID] = &m
	}
	for _, z := range sizes {
		m := changed[z.ModelID]
		if m == nil {
			continue // changed between the two queries: the next look has it
		}
		fig := foot.Figure(float64(z.UkHalf) / 2)
		if n := len(m.SizesUK); n == 0 || m.SizesUK[n-1] != fig {
			m.SizesUK = append(m.SizesUK, fig)
		}
		if !slices.Contains(m.Widths, z.Width) {
			m.Widths = append(m.Widths, z.Width)
		}
		if z.Stock > 0 {
			m.Stock = append(m.Stock, shoe.Stock{UK: fig, Width: z.Width, Count: int(z.Stock)})
		}
	}
	insoles, err := q.InsolesOf(ctx, db.InsolesOfParams{ShopID: who.ShopID, Revision: since})
	if err != nil {
		return nil, err
	}
	for _, x := range insoles {
		if m := changed[x.ModelID]; m != nil {
			m.Insoles = append(m.Insoles, shoe.Insole{UK: foot.Figure(float64(x.UkHalf) / 2), LengthMM: x.LengthMm})
		}
	}
	c := record.NewCatalogue(was, changed)
	c.Revision = revision
	return c, nil
}

// Take takes a pair from the shelf in a sale's transaction; false where there is none.
func Take(ctx context.Context, q *db.Queries, model uint64, size foot.Figure, width string) (bool, error) {
	n, err := q.TakeFromStock(ctx, db.TakeFromStockParams{ModelID: model, UkHalf: app.Halves(size), Width: width})
	return n > 0, err
}

// Changed says at the end of a transaction that a model is otherwise: what others have loaded
// is brought up to date. Changes of a shop wait for each other from here on.
func Changed(ctx context.Context, q *db.Queries, shopID, model uint64) error {
	if err := q.BumpCatalogue(ctx, shopID); err != nil {
		return err
	}
	return q.TouchModel(ctx, model)
}

// Export writes the shop's models, as "csv" or "json".
func (s *Shelf) Export(ctx context.Context, who app.Actor, format string, w io.Writer) error {
	c, err := s.Catalogue(ctx, who)
	if err != nil {
		return err
	}
	switch format {
	case "csv":
		return catalogue.WriteCSV(w, c.Models)
	case "json":
		return catalogue.WriteJSON(w, c.Models)
	}
	return app.ErrNotFound
}

// ModelRub is how often a model was told to rub at a place.
type ModelRub struct {
	Place term.Place
	Told  int64
	Pairs int64
}

// RubsOf is what runners told of a model, the most told first.
func (s *Shelf) RubsOf(ctx context.Context, who app.Actor, model uint64) ([]ModelRub, error) {
	rows, err := s.Store.RubsOfModel(ctx, db.RubsOfModelParams{ModelID: model, ShopID: who.ShopID})
	out := make([]ModelRub, len(rows))
	for i, r := range rows {
		out[i] = ModelRub{term.Place(r.Place), r.Told, r.Pairs}
	}
	return out, err
}
