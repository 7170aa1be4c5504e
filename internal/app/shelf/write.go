package shelf

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"trevik/internal/app"
	"trevik/internal/catalogue"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/form"
	"trevik/internal/store"
	"trevik/internal/store/db"
)

// Change is a model to be written. Was is the model as it was looked at when the change was
// made, nil for a new one: where Model has a stock of its own, the shelf moves by how that
// differs from Was; else it stays as it is.
type Change struct {
	Model shoe.Model  `json:"model"`
	Was   *shoe.Model `json:"was"`
}

// Add puts models into a shop's catalogue that are not in it, all or none. It fails with a
// fault.List when a model is not allowed.
func (s *Shelf) Add(ctx context.Context, shopID uint64, models []shoe.Model) error {
	changes, err := Changes(models)
	if err != nil {
		return err
	}
	return s.Store.TxBulk(ctx, func(q *db.Queries, tx db.DBTX) error { return Write(ctx, q, tx, shopID, changes, func(int) {}) })
}

// AddElsewhere keeps a model that a runner brought along and that the shop does not sell; one that is there
// already stays.
func (s *Shelf) AddElsewhere(ctx context.Context, who app.Actor, m shoe.Model) error {
	c, err := s.Catalogue(ctx, who)
	if err != nil || c.ByCode(m.ID) != nil {
		return err
	}
	return s.Add(ctx, who.ShopID, []shoe.Model{m})
}

// Changes are new models to be written. It fails with a fault.List when one is not allowed.
func Changes(models []shoe.Model) ([]Change, error) {
	var l fault.List
	seen := map[string]bool{}
	out := make([]Change, len(models))
	for i, m := range models {
		at := fmt.Sprintf("models[%d]", i)
		m = m.WithDefaults()
		m.Check(&l, at)
		if seen[m.ID] {
			l.Add(at+".id", "is %q, which an earlier model has", m.ID)
		}
		seen[m.ID] = true
		out[i] = Change{Model: m}
	}
	return out, l.Err()
}

// atOnce is how many models one statement writes.
const atOnce = 100

// Write writes models that were checked in one transaction. What is not in a model's sizes any
// more goes; done is told how many are written. The shop's other changes of the catalogue wait
// only for its end.
func Write(ctx context.Context, q *db.Queries, tx db.DBTX, shopID uint64, changes []Change, done func(int)) error {
	ids := make([]uint64, 0, len(changes))
	for at := 0; at < len(changes); at += atOnce {
		part := changes[at:min(at+atOnce, len(changes))]
		rows := make([]store.Model, len(part))
		for i := range part {
			part[i].Model = part[i].Model.WithDefaults()
			rows[i] = row(shopID, &part[i].Model)
		}
		byCode, err := store.PutModels(ctx, tx, shopID, rows)
		if err != nil {
			return err
		}
		var sizes []store.Size
		for i := range part {
			id := byCode[strings.ToLower(part[i].Model.ID)]
			ids = append(ids, id)
			for _, z := range moved(id, &part[i]) {
				if z.Gone {
					err = store.DropSize(ctx, tx, z)
				} else if z.Stock < 0 {
					err = store.LowerStock(ctx, tx, z)
				} else {
					sizes = append(sizes, z)
				}
				if err != nil {
					return err
				}
			}
		}
		if err := store.AddSizes(ctx, tx, sizes); err != nil {
			return err
		}
		done(at + len(part))
	}
	if err := q.BumpCatalogue(ctx, shopID); err != nil {
		return err
	}
	if err := store.TouchModels(ctx, tx, shopID, ids); err != nil || !slices.ContainsFunc(changes, tells) {
		return err
	}
	return q.TouchVerdictsOfShop(ctx, shopID)
}

// tells says whether a change bears on what is concluded of pairs, such as how long they last and
// which version follows: all but the shelf's stock.
func tells(c Change) bool {
	return c.Was == nil || slices.ContainsFunc(catalogue.Changed(c.Was, &c.Model), func(column string) bool { return column != "stock" })
}

// moved is how a model's sizes and their stock change.
func moved(id uint64, c *Change) []store.Size {
	was := &shoe.Model{}
	if c.Was != nil {
		was = c.Was
	}
	var out []store.Size
	made := func(m *shoe.Model, f float64, w string) bool {
		return slices.ContainsFunc(m.SizesUK, func(o foot.Figure) bool { return float64(o) == f }) && slices.Contains(m.Widths, w)
	}
	for _, size := range c.Model.SizesUK {
		for _, w := range c.Model.Widths {
			diff := 0
			if c.Model.Stock != nil {
				diff = c.Model.StockOf(size, w) - was.StockOf(size, w)
			}
			if diff != 0 || !made(was, float64(size), w) {
				out = append(out, store.Size{ModelID: id, UKHalf: app.Halves(size), Width: w, Stock: int16(diff)})
			}
		}
	}
	for _, size := range was.SizesUK {
		for _, w := range was.Widths {
			if !made(&c.Model, float64(size), w) {
				out = append(out, store.Size{ModelID: id, UKHalf: app.Halves(size), Width: w, Gone: true})
			}
		}
	}
	return out
}

func row(shopID uint64, m *shoe.Model) store.Model {
	r := store.Model{
		ShopID: shopID, Code: m.ID, Maker: m.Maker, Name: m.Name, Version: int16(m.Version), Year: int16(m.Year), ReplacesCode: m.Replaces,
		ChangeKind: m.Change,
		Chart:      string(m.Chart), Surface: string(m.Surface), Class: string(m.Class), Level: string(m.Level),
		SupportBy:   strings.Join(form.Words(m.SupportBy), ","),
		StackHeelMm: m.StackHeelMM, StackForefootMm: m.StackForefootMM, StackMeasuredBy: m.StackMeasuredFrom, WeightG: m.WeightG,
		Softness: m.Softness,
		Bounce:   m.Bounce, Plate: m.Plate, Rocker: int8(m.Rocker), HeelBevel: m.HeelBevel, Flexibility: m.Flexibility,
		LastShape: string(m.LastShape),
		Volume:    string(m.Volume), InnerOffsetMm: m.InnerOffsetMM, LugDepthMm: m.LugDepthMM, LugSpacing: m.LugSpacing,
		RubberSoftness: m.RubberSoftness,
		MetalTips:      m.MetalTips, RockPlate: m.RockPlate, ToeBumper: m.ToeBumper, Liner: m.Liner, UpperKind: m.Upper,
		UpperFirmness: m.UpperFirmness,
		HeelCounter:   m.HeelCounter, MedianLifeKm: app.NullFloat(m.MedianLifeKM), ListPrice: m.ListPrice, Purpose: m.Purpose, Notes: m.Notes,
	}
	if m.SalePrice != nil {
		r.SalePrice = app.NullInt(*m.SalePrice)
	}
	if m.LabelChart != nil {
		r.LabelUsOverUk, r.LabelEuShift = app.NullFloat(&m.LabelChart.USOverUK), app.NullFloat(&m.LabelChart.EUShift)
	}
	return r
}

// MakersLabels is the answer that a model's label chart is its maker's, for all models of the
// same maker and chart.
const MakersLabels = "makers_labels"

// StockShown is the stock as the form showed it, from which what is typed differs.
const StockShown = "stock_shown"

// Save writes one model as it was typed, column by column. code is the model that is changed,
// empty for a new one; its id stays. It fails with a fault.List at the columns.
func (s *Shelf) Save(ctx context.Context, who app.Actor, code string, cells map[string]string) (string, error) {
	if who.Role == app.Trainee {
		return "", app.ErrNotAllowed
	}
	c, err := s.Catalogue(ctx, who)
	if err != nil {
		return "", err
	}
	forMaker, shown := cells[MakersLabels] == "yes", cells[StockShown]
	delete(cells, MakersLabels)
	delete(cells, StockShown)
	var was *shoe.Model
	if code != "" {
		if was = c.ByCode(code); was == nil {
			return "", app.ErrNotFound
		}
		cells["id"] = code
	} else if c.ByCode(cells["id"]) != nil {
		return "", fault.List{{Field: "id", Text: "is taken by another model; choose another, or change that one"}}
	}
	if m := (shoe.Model{ID: cells["id"]}); code == "" && m.Elsewhere() {
		return "", fault.List{{Field: "id", Text: "is an id that pairs of other shops have; choose another"}}
	}
	cells["currency"] = who.Currency
	m, err := catalogue.FromCells(cells, who.Currency, c.Replacing())
	if err != nil {
		return "", err
	}
	if m.Stock == nil {
		m.Stock = []shoe.Stock{}
	}
	put := []Change{{m, was}}
	if was != nil {
		seen := *was
		if seen.Stock, err = catalogue.ParseStock(shown); err != nil {
			return "", fault.List{{Field: "form", Text: "is out of date; load the page again and send it once more"}}
		}
		put[0].Was = &seen
	}
	for i := range c.Models {
		// A maker prints all of its labels one way.
		if o := c.Models[i]; forMaker && o.Maker == m.Maker && o.ID != m.ID && o.Chart == m.Chart {
			before := o
			o.LabelChart, o.Stock = m.LabelChart, nil
			put = append(put, Change{o, &before})
		}
	}
	_, err = s.OnceBulk(ctx, who, func(q *db.Queries, tx db.DBTX) (string, error) {
		return m.ID, Write(ctx, q, tx, who.ShopID, put, func(int) {})
	})
	return m.ID, err
}

// choicesOf are the columns of a model that hold one of several words.
var choicesOf = map[string][]string{
	"change": shoe.Changes, "chart": form.Words(term.Charts), "surface": form.Words(term.Surfaces), "class": form.Words(term.Classes),
	"level": form.Words(term.Levels),
	"plate": shoe.Plates, "lug_spacing": shoe.LugSpacings, "upper": shoe.Uppers, "heel_counter": shoe.HeelCounters,
	"last_shape": form.Words(term.LastShapes),
	"volume":     form.Words(term.Volumes), "heel_bevel": {"no", "yes"}, "metal_tips": {"no", "yes"}, "rock_plate": {"no", "yes"},
	"toe_bumper": {"no", "yes"}, "liner": {"no", "yes"},
}

// ModelFields are the columns of a model as they are typed on its page; currency is the
// shop's.
var ModelFields = func() []form.Field {
	var out []form.Field
	for _, c := range catalogue.Cells(&shoe.Model{}) {
		if c.Name == "currency" {
			continue
		}
		f := form.Field{Name: c.Name, Label: strings.ToUpper(c.Name[:1]) + support.Words(c.Name[1:]), Kind: form.Text, Max: 4000}
		if words := choicesOf[c.Name]; words != nil {
			f.Kind, f.Choices = form.Choice, words
		}
		out = append(out, f)
	}
	return append(out, form.Field{Name: MakersLabels, Label: "Labels so for all of this maker’s", Kind: form.Choice,
		Choices: []string{"no", "yes"}})
}()
