package shelf

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"trevik/internal/app"
	"trevik/internal/core/barcode"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store"
	"trevik/internal/store/db"
)

// BarcodeFields are those of the form of a box's barcode.
var BarcodeFields = []form.Field{
	{Name: "barcode", Label: "Barcode on the box", Kind: form.Text, Max: 40},
	{Name: "barcode_size", Label: "UK size", Kind: form.Number, Lo: 0, Hi: 20},
	{Name: "barcode_width", Label: "Width", Kind: form.Text, Max: 4},
}

// Boxed is a model in a size and width, with the barcode on its box.
type Boxed struct {
	Code  string // fourteen digits
	Model uint64
	UK    foot.Figure
	Width string
}

// Shown is the barcode as it stands on the box.
func (b Boxed) Shown() string { return barcode.Shown(b.Code) }

// SetBarcode says which barcode stands on the box of a model in a size and width. It fails with a
// fault.List, also where the barcode stands on another box.
func (s *Shelf) SetBarcode(ctx context.Context, who app.Actor, model uint64, typed string, size *float64, width string) error {
	if who.Role == app.Trainee {
		return app.ErrNotAllowed
	}
	c, err := s.Catalogue(ctx, who)
	if err != nil {
		return err
	}
	m := c.ByID(model)
	if m == nil {
		return app.ErrNotFound
	}
	var l fault.List
	code, err := barcode.Read(typed)
	if err != nil {
		l.Add("barcode", "%v", err)
	}
	if size == nil || !slices.Contains(m.SizesUK, foot.Figure(*size)) {
		l.Add("barcode_size", "is no size that is made; choose one")
	}
	fault.OneOf(&l, "barcode_width", width, m.Widths)
	if len(l) > 0 {
		return l
	}
	return s.Do(ctx, who, func(q *db.Queries) error {
		err := q.SetBarcode(ctx, db.SetBarcodeParams{ShopID: who.ShopID, Code: code, ModelID: model, UkHalf: app.Halves(foot.Figure(*size)),
			Width: width, MadeBy: who.UserID, MadeAt: s.Now()})
		if store.IsDuplicate(err) {
			return fault.List{{Field: "barcode", Text: "stands on a box of the shop already; delete it there first"}}
		}
		return err
	})
}

// DropBarcode takes a barcode away.
func (s *Shelf) DropBarcode(ctx context.Context, who app.Actor, code string) error {
	if who.Role == app.Trainee {
		return app.ErrNotAllowed
	}
	return s.Do(ctx, who, func(q *db.Queries) error {
		return app.Some(q.DropBarcode(ctx, db.DropBarcodeParams{ShopID: who.ShopID, Code: code}))
	})
}

// Barcodes are those of a model.
func (s *Shelf) Barcodes(ctx context.Context, who app.Actor, model uint64) ([]Boxed, error) {
	rows, err := s.Store.BarcodesOfModel(ctx, db.BarcodesOfModelParams{ShopID: who.ShopID, ModelID: model})
	out := make([]Boxed, len(rows))
	for i, r := range rows {
		out[i] = Boxed{r.Code, model, foot.Figure(float64(r.UkHalf) / 2), r.Width}
	}
	return out, err
}

// Scan finds the box of a barcode as a hand scanner types it. It fails with a fault.List at barcode.
func (s *Shelf) Scan(ctx context.Context, who app.Actor, typed string) (Boxed, error) {
	code, err := barcode.Read(typed)
	if err != nil {
		return Boxed{}, fault.List{{Field: "barcode", Text: err.Error()}}
	}
	r, err := s.Store.BarcodeByCode(ctx, db.BarcodeByCodeParams{ShopID: who.ShopID, Code: code})
	if err = app.Found(err); err == app.ErrNotFound {
		return Boxed{}, fault.List{{Field: "barcode", Text: "is on no box that the shop knows; say at the model which size it is"}}
	}
	return Boxed{code, r.ModelID, foot.Figure(float64(r.UkHalf) / 2), r.Width}, err
}

// Counted is what a count of the stock found of a model in a size and width.
type Counted struct {
	Boxed
	M     *shoe.Model
	Pairs int // that were scanned
	Stock int // that the list has
}

// Name is the model with its size.
func (c Counted) Name() string { return record.FullName(c.M) + ", " + c.M.Label(c.UK, c.Width) }

// mostScans is how many boxes are counted at once.
const mostScans = 2000

// CountOf adds up the boxes that were scanned, a barcode a line. It fails with a fault.List that names each
// line that is no box of the shop.
func (s *Shelf) CountOf(ctx context.Context, who app.Actor, typed string) ([]Counted, error) {
	lines := strings.Fields(typed)
	switch {
	case len(lines) == 0:
		return nil, fault.List{{Field: "codes", Text: "are missing; scan the boxes, a barcode a line"}}
	case len(lines) > mostScans:
		return nil, fault.List{{Field: "codes", Text: fmt.Sprintf("are %d; count up to %d boxes at once", len(lines), mostScans)}}
	}
	c, err := s.Catalogue(ctx, who)
	if err != nil {
		return nil, err
	}
	var l fault.List
	var out []Counted
	at := map[string]int{}
	for n, line := range lines {
		i, seen := at[line]
		if !seen {
			b, err := s.Scan(ctx, who, line)
			if faults, ok := fault.As(err); ok {
				l.Add("codes", "line %d, %s: %s", n+1, form.Clip(line), faults[0].Text)
				continue
			}
			if err != nil {
				return nil, err
			}
			m := c.ByID(b.Model)
			if m == nil {
				l.Add("codes", "line %d, %s: is of a model that is gone", n+1, form.Clip(line))
				continue
			}
			x := Counted{Boxed: b, M: m}
			for _, z := range m.Stock {
				if z.UK == b.UK && z.Width == b.Width {
					x.Stock = z.Count
				}
			}
			i = slices.IndexFunc(out, func(o Counted) bool { return o.Model == b.Model && o.UK == b.UK && o.Width == b.Width })
			if i < 0 {
				i, out = len(out), append(out, x)
			}
			at[line] = i
		}
		out[i].Pairs++
	}
	return out, l.Err()
}

// SetCount sets the stock to what was counted: by the difference to the list as the count was shown, so
// that a pair that was sold meanwhile stays sold. shown is the stock of each line, in CountOf's order. It
// fails with a fault.List where the list of lines is another.
func (s *Shelf) SetCount(ctx context.Context, who app.Actor, typed string, shown []int) error {
	if who.Role == app.Trainee {
		return app.ErrNotAllowed
	}
	list, err := s.CountOf(ctx, who, typed)
	if err != nil {
		return err
	}
	if len(list) != len(shown) {
		return fault.List{{Field: "codes", Text: "were changed since they were looked at; look once more"}}
	}
	return s.Do(ctx, who, func(q *db.Queries) error {
		for i, x := range list {
			if x.Pairs == shown[i] {
				continue
			}
			if err := q.CountStock(ctx, db.CountStockParams{ByPairs: int16(x.Pairs - shown[i]), ModelID: x.Model, UkHalf: app.Halves(x.UK),
				Width: x.Width}); err != nil {
				return err
			}
			if err := Changed(ctx, q, who.ShopID, x.Model); err != nil {
				return err
			}
		}
		return nil
	})
}

// Figure is the size's running figure.
func (b Boxed) Figure() float64 { return float64(b.UK) }
