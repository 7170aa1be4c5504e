package app

import (
	"cmp"
	"context"
	"database/sql"
	"slices"
	"strings"
	"sync"

	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/store"
	"trevik/internal/store/db"
)

// Catalogue is the shop's models. Rows and IDs run beside Models.
type Catalogue struct {
	Models []shoe.Model
	ids    []uint64
	byRow  map[uint64]int
	byCode map[string]int
	// revision is the number of the last change that it holds.
	revision int64
}

// ByCode finds a model by its id in the catalogue, nil when there is none.
func (c *Catalogue) ByCode(code string) *shoe.Model {
	if i, ok := c.byCode[code]; ok {
		return &c.Models[i]
	}
	return nil
}

func (c *Catalogue) byID(id uint64) *shoe.Model {
	if i, ok := c.byRow[id]; ok {
		return &c.Models[i]
	}
	return nil
}

// ByID finds a model by its row, nil when there is none.
func (c *Catalogue) ByID(row uint64) *shoe.Model { return c.byID(row) }

// FullName names a model with its chart, as it is typed and found.
func FullName(m *shoe.Model) string { return ModelName(m) + ", " + string(m.Chart) }

// Find gives the model of a code, or of a name as it is written on the page, with its chart
// where the name is of two; nil where there is none or it is not told which.
func (c *Catalogue) Find(typed string) *shoe.Model {
	typed = strings.TrimSpace(typed)
	if m := c.ByCode(typed); m != nil || typed == "" {
		return m
	}
	var named *shoe.Model
	count := 0
	for i := range c.Models {
		m := &c.Models[i]
		if strings.EqualFold(FullName(m), typed) {
			return m
		}
		if strings.EqualFold(ModelName(m), typed) {
			named = m
			count++
		}
	}
	if count != 1 {
		return nil
	}
	return named
}

// Names are up to so many models' labels that hold every word that was typed.
func (c *Catalogue) Names(typed string, most int) []string {
	words := strings.Fields(strings.ToLower(typed))
	var out []string
	for i := range c.Models {
		if len(out) == most || len(words) == 0 {
			break
		}
		label := FullName(&c.Models[i])
		low := strings.ToLower(label)
		if !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(low, w) }) {
			out = append(out, label)
		}
	}
	return out
}

// Row is a model's row, by which findings of a model are kept.
func (c *Catalogue) Row(code string) int { return int(c.rowID(code)) }

func (c *Catalogue) rowID(code string) uint64 { return c.ids[c.byCode[code]] }

// catalogues keeps each shop's catalogue as it was last loaded.
type catalogues struct {
	sync.Mutex
	of map[uint64]*Catalogue
}

// Catalogue is the shop's models with their sizes and stock; it is shared, so nobody
// changes it. What was loaded before is brought up to date by the models that were
// changed since.
func (a *App) Catalogue(ctx context.Context, who Actor) (*Catalogue, error) {
	revision, err := a.store.CatalogueRevision(ctx, who.ShopID)
	if err != nil {
		return nil, found(err)
	}
	a.catalogues.Lock()
	was := a.catalogues.of[who.ShopID]
	a.catalogues.Unlock()
	if was != nil && was.revision == revision {
		return was, nil
	}
	since := int64(-1)
	if was != nil {
		since = was.revision
	}
	rows, err := a.store.ModelsOf(ctx, db.ModelsOfParams{ShopID: who.ShopID, Revision: since})
	if err != nil {
		return nil, err
	}
	sizes, err := a.store.ModelSizesOf(ctx, db.ModelSizesOfParams{ShopID: who.ShopID, Revision: since})
	if err != nil {
		return nil, err
	}
	changed := make(map[uint64]*shoe.Model, len(rows))
	for _, r := range rows {
		m := modelOf(r, who.Currency)
		changed[r.ID] = &m
	}
	for _, s := range sizes {
		m := changed[s.ModelID]
		if m == nil {
			continue // changed between the two queries: the next look has it
		}
		fig := foot.Figure(float64(s.UkHalf) / 2)
		if n := len(m.SizesUK); n == 0 || m.SizesUK[n-1] != fig {
			m.SizesUK = append(m.SizesUK, fig)
		}
		if !slices.Contains(m.Widths, s.Width) {
			m.Widths = append(m.Widths, s.Width)
		}
		if s.Stock > 0 {
			m.Stock = append(m.Stock, shoe.Stock{UK: fig, Width: s.Width, Count: int(s.Stock)})
		}
	}
	c := catalogueOf(was, changed)
	c.revision = revision
	a.catalogues.Lock()
	defer a.catalogues.Unlock()
	if a.catalogues.of == nil {
		a.catalogues.of = map[uint64]*Catalogue{}
	}
	if now := a.catalogues.of[who.ShopID]; now == nil || now.revision < revision {
		a.catalogues.of[who.ShopID] = c
	}
	return c, nil
}

// catalogueOf is an earlier catalogue (nil: none) with the models that changed, by row.
func catalogueOf(was *Catalogue, changed map[uint64]*shoe.Model) *Catalogue {
	type line struct {
		id uint64
		m  *shoe.Model
	}
	var lines []line
	if was != nil {
		for i, id := range was.ids {
			if changed[id] == nil {
				lines = append(lines, line{id, &was.Models[i]})
			}
		}
	}
	for id, m := range changed {
		lines = append(lines, line{id, m})
	}
	slices.SortFunc(lines, func(x, y line) int {
		return cmp.Or(strings.Compare(x.m.Maker, y.m.Maker), strings.Compare(x.m.Name, y.m.Name), cmp.Compare(x.m.Version, y.m.Version), cmp.Compare(x.id, y.id))
	})
	c := &Catalogue{Models: make([]shoe.Model, len(lines)), ids: make([]uint64, len(lines)), byRow: make(map[uint64]int, len(lines)), byCode: make(map[string]int, len(lines))}
	for i, l := range lines {
		c.Models[i], c.ids[i] = *l.m, l.id
		c.byRow[l.id], c.byCode[l.m.ID] = i, i
	}
	return c
}

func modelOf(r db.Model, currency string) shoe.Model {
	m := shoe.Model{
		ID: r.Code, Maker: r.Maker, Name: r.Name, Version: int(r.Version), Year: int(r.Year), Replaces: r.ReplacesCode, Change: r.ChangeKind,
		Chart: term.Chart(r.Chart), Surface: term.Surface(r.Surface), Class: term.Class(r.Class), Level: term.Level(r.Level),
		StackHeelMM: r.StackHeelMm, StackForefootMM: r.StackForefootMm, StackMeasuredFrom: r.StackMeasuredBy, WeightG: r.WeightG,
		Softness: r.Softness, Bounce: r.Bounce, Plate: r.Plate, Rocker: int(r.Rocker), HeelBevel: r.HeelBevel, Flexibility: r.Flexibility,
		LastShape: term.LastShape(r.LastShape), Volume: term.Volume(r.Volume), InnerOffsetMM: r.InnerOffsetMm, LugDepthMM: r.LugDepthMm,
		LugSpacing: r.LugSpacing, RubberSoftness: r.RubberSoftness, MetalTips: r.MetalTips, RockPlate: r.RockPlate, ToeBumper: r.ToeBumper,
		Liner: r.Liner, Upper: r.UpperKind, UpperFirmness: r.UpperFirmness, HeelCounter: r.HeelCounter, MedianLifeKM: floatOf(r.MedianLifeKm),
		ListPrice: r.ListPrice, Currency: currency, Purpose: r.Purpose, Notes: r.Notes,
	}
	for _, s := range strings.Split(r.SupportBy, ",") {
		m.SupportBy = append(m.SupportBy, term.Means(s))
	}
	if r.SalePrice.Valid {
		m.SalePrice = &r.SalePrice.Int64
	}
	if r.LabelUsOverUk.Valid {
		m.LabelChart = &shoe.LabelChart{USOverUK: r.LabelUsOverUk.Float64, EUShift: r.LabelEuShift.Float64}
	}
	return m
}

// AddModels puts models into a shop's catalogue, all or none. It fails with a
// fault.List when a model is not allowed.
func (a *App) AddModels(ctx context.Context, shopID uint64, models []shoe.Model) error {
	if err := checkModels(models); err != nil {
		return err
	}
	return a.putModels(ctx, shopID, models, nil, func(int) error { return nil })
}

// putModels writes models that were checked, new ones and those that change, all or
// none. was is the catalogue before, nil where there is none: a model without a stock of
// its own keeps what is on the shelf. done is told how many are written.
func (a *App) putModels(ctx context.Context, shopID uint64, models []shoe.Model, was *Catalogue, done func(int) error) error {
	return a.store.TxBulk(ctx, func(q *db.Queries, tx db.DBTX) error {
		revision, err := bump(ctx, q, shopID)
		if err != nil {
			return err
		}
		var sizes []store.Size
		for i, m := range models {
			m = m.WithDefaults()
			id, err := q.PutModel(ctx, putParams(shopID, revision, &m))
			if err != nil {
				return err
			}
			shelf := &m
			if was != nil {
				if before := was.ByCode(m.ID); before != nil {
					if err := q.DeleteModelSizes(ctx, uint64(id)); err != nil {
						return err
					}
					if m.Stock == nil {
						shelf = before
					}
				}
			}
			for _, size := range m.SizesUK {
				for _, w := range m.Widths {
					sizes = append(sizes, store.Size{ModelID: uint64(id), UKHalf: halves(size), Width: w, Stock: int16(shelf.StockOf(size, w))})
				}
			}
			if len(sizes) >= 5000 {
				if err := store.AddSizes(ctx, tx, sizes); err != nil {
					return err
				}
				sizes = sizes[:0]
			}
			if err := done(i + 1); err != nil {
				return err
			}
		}
		return store.AddSizes(ctx, tx, sizes)
	})
}

// bump begins a change of a shop's catalogue and gives its number; changes wait for
// each other.
func bump(ctx context.Context, q *db.Queries, shopID uint64) (int64, error) {
	if err := q.BumpCatalogue(ctx, shopID); err != nil {
		return 0, err
	}
	return q.CatalogueRevision(ctx, shopID)
}

func putParams(shopID uint64, revision int64, m *shoe.Model) db.PutModelParams {
	p := db.PutModelParams{
		ShopID: shopID, Code: m.ID, Maker: m.Maker, Name: m.Name, Version: int16(m.Version), Year: int16(m.Year), ReplacesCode: m.Replaces, ChangeKind: m.Change,
		Chart: string(m.Chart), Surface: string(m.Surface), Class: string(m.Class), Level: string(m.Level), SupportBy: strings.Join(texts(m.SupportBy), ","),
		StackHeelMm: m.StackHeelMM, StackForefootMm: m.StackForefootMM, StackMeasuredBy: m.StackMeasuredFrom, WeightG: m.WeightG, Softness: m.Softness,
		Bounce: m.Bounce, Plate: m.Plate, Rocker: int8(m.Rocker), HeelBevel: m.HeelBevel, Flexibility: m.Flexibility, LastShape: string(m.LastShape),
		Volume: string(m.Volume), InnerOffsetMm: m.InnerOffsetMM, LugDepthMm: m.LugDepthMM, LugSpacing: m.LugSpacing, RubberSoftness: m.RubberSoftness,
		MetalTips: m.MetalTips, RockPlate: m.RockPlate, ToeBumper: m.ToeBumper, Liner: m.Liner, UpperKind: m.Upper, UpperFirmness: m.UpperFirmness,
		Revision: revision, HeelCounter: m.HeelCounter, MedianLifeKm: nullFloat(m.MedianLifeKM), ListPrice: m.ListPrice, Purpose: m.Purpose, Notes: m.Notes,
	}
	if m.SalePrice != nil {
		p.SalePrice = sql.NullInt64{Int64: *m.SalePrice, Valid: true}
	}
	if m.LabelChart != nil {
		p.LabelUsOverUk, p.LabelEuShift = nullFloat(&m.LabelChart.USOverUK), nullFloat(&m.LabelChart.EUShift)
	}
	return p
}

func halves(f foot.Figure) int16 { return int16(2*float64(f) + 0.5) }
