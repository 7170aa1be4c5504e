package app

import (
	"context"
	"io"
	"slices"
	"sync"
	"time"

	"trevik/internal/catalogue"
	"trevik/internal/core/fault"
	"trevik/internal/core/shoe"
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
	MadeAt             time.Time
	Rows               []ImportRow
	New, Changed, Same int
	models             []shoe.Model // new and changed
	mu                 sync.Mutex
	working            bool
	done               int
	ended              bool
	err                error
}

// Progress is how many models are written of how many, whether it still works, and how
// it ended.
func (i *Import) Progress() (done, all int, working, ended bool, err error) {
	i.mu.Lock()
	defer i.mu.Unlock()
	return i.done, len(i.models), i.working, i.ended, i.err
}

// imports are the files that wait, one a person.
type imports struct {
	sync.Mutex
	of map[uint64]*Import
}

// ImportOf is the person's import that waits; nil where there is none.
func (a *App) ImportOf(who Actor) *Import {
	a.imports.Lock()
	defer a.imports.Unlock()
	return a.imports.of[who.UserID]
}

// DropImport lets a person's import go, unless it is being written.
func (a *App) DropImport(who Actor) {
	a.imports.Lock()
	defer a.imports.Unlock()
	if i := a.imports.of[who.UserID]; i != nil {
		if _, _, working, _, _ := i.Progress(); !working {
			delete(a.imports.of, who.UserID)
		}
	}
}

// replacing is each model's earlier version, by code.
func (c *Catalogue) replacing() map[string]string {
	out := make(map[string]string, len(c.Models))
	for i := range c.Models {
		out[c.Models[i].ID] = c.Models[i].Replaces
	}
	return out
}

// ReadImport reads a catalogue's file and tells row by row what it would change; nothing
// is changed yet. It fails with a fault.List that names row and column.
func (a *App) ReadImport(ctx context.Context, who Actor, data []byte) (*Import, error) {
	if who.Role == Trainee {
		return nil, ErrNotAllowed
	}
	c, err := a.Catalogue(ctx, who)
	if err != nil {
		return nil, err
	}
	rows, err := catalogue.Read(data, who.Currency, c.replacing())
	if err != nil {
		return nil, err
	}
	in := &Import{MadeAt: a.Now()}
	for i := range rows {
		m := &rows[i].Model
		line := ImportRow{At: rows[i].At, Name: ModelName(m) + ", " + string(m.Chart), What: RowNew}
		if was := c.ByCode(m.ID); was != nil {
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
			in.New++
		case RowChanged:
			in.Changed++
		default:
			in.Same++
		}
		if line.What != RowSame {
			in.models = append(in.models, *m)
		}
		in.Rows = append(in.Rows, line)
	}
	a.imports.Lock()
	defer a.imports.Unlock()
	if a.imports.of == nil {
		a.imports.of = map[uint64]*Import{}
	}
	if was := a.imports.of[who.UserID]; was != nil {
		if _, _, working, _, _ := was.Progress(); working {
			return nil, fault.List{{Field: "file", Text: "waits: an earlier import is still being put in"}}
		}
	}
	a.imports.of[who.UserID] = in
	return in, nil
}

var errNoImport = fault.List{{Field: "file", Text: "is missing: choose a file and look at what it would change first"}}

// ApplyImport begins to put the person's import in, all of it or none, beside the
// requests; its Progress tells how far it is.
func (a *App) ApplyImport(ctx context.Context, who Actor) error {
	in := a.ImportOf(who)
	if in == nil {
		return errNoImport
	}
	c, err := a.Catalogue(ctx, who)
	if err != nil {
		return err
	}
	in.mu.Lock()
	defer in.mu.Unlock()
	if in.working || in.ended {
		return nil
	}
	in.working = true
	a.films.all.Go(func() { // waited for when the application closes
		err := a.putModels(context.WithoutCancel(ctx), who.ShopID, in.models, c, func(n int) error {
			in.mu.Lock()
			defer in.mu.Unlock()
			in.done = n
			return nil
		})
		in.mu.Lock()
		defer in.mu.Unlock()
		in.working, in.ended, in.err = false, true, err
	})
	return nil
}

// ExportCatalogue writes the shop's models, as "csv" or "json".
func (a *App) ExportCatalogue(ctx context.Context, who Actor, format string, w io.Writer) error {
	c, err := a.Catalogue(ctx, who)
	if err != nil {
		return err
	}
	switch format {
	case "csv":
		return catalogue.WriteCSV(w, c.Models)
	case "json":
		return catalogue.WriteJSON(w, c.Models)
	}
	return ErrNotFound
}

// MakersLabels is the answer that a model's label chart is its maker's, for all models of
// the same maker and chart.
const MakersLabels = "makers_labels"

// SaveModel writes one model as it was typed, column by column. code is the model that is
// changed, empty for a new one; its id stays. It fails with a fault.List at the columns.
func (a *App) SaveModel(ctx context.Context, who Actor, code string, cells map[string]string) (string, error) {
	if who.Role == Trainee {
		return "", ErrNotAllowed
	}
	c, err := a.Catalogue(ctx, who)
	if err != nil {
		return "", err
	}
	if code != "" {
		if c.ByCode(code) == nil {
			return "", ErrNotFound
		}
		cells["id"] = code
	} else if c.ByCode(cells["id"]) != nil {
		return "", fault.List{{Field: "id", Text: "is taken by another model; choose another, or change that one"}}
	}
	cells["currency"] = who.Currency
	existing := c.replacing()
	forMaker := cells[MakersLabels] == "yes"
	delete(cells, MakersLabels)
	m, err := catalogue.FromCells(cells, who.Currency, existing)
	if err != nil {
		return "", err
	}
	if m.Stock == nil {
		m.Stock = []shoe.Stock{}
	}
	put := []shoe.Model{m}
	for i := range c.Models {
		// A maker prints all of its labels one way.
		if o := c.Models[i]; forMaker && o.Maker == m.Maker && o.ID != m.ID && o.Chart == m.Chart {
			o.LabelChart = m.LabelChart
			put = append(put, o)
		}
	}
	return m.ID, a.putModels(ctx, who.ShopID, put, c, func(int) error { return nil })
}

// Line is a model's versions, the earliest first, with what each changed.
func (c *Catalogue) Line(code string) []*shoe.Model {
	var out []*shoe.Model
	for m := c.ByCode(code); m != nil && !slices.Contains(out, m) && len(out) < 40; m = c.ByCode(m.Replaces) {
		out = append([]*shoe.Model{m}, out...)
	}
	for again := true; again && len(out) > 0 && len(out) < 40; {
		again = false
		for i := range c.Models {
			if m := &c.Models[i]; m.Replaces == out[len(out)-1].ID && !slices.Contains(out, m) {
				out, again = append(out, m), true
				break
			}
		}
	}
	return out
}
