package app

import (
	"context"
	"database/sql"
	"strings"

	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/store/db"
)

// Catalogue is the shop's models. Rows and IDs run beside Models.
type Catalogue struct {
	Models []shoe.Model
	ids    []uint64
	byRow  map[uint64]int
	byCode map[string]int
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

// Row is a model's row, by which findings of a model are kept.
func (c *Catalogue) Row(code string) int { return int(c.rowID(code)) }

func (c *Catalogue) rowID(code string) uint64 { return c.ids[c.byCode[code]] }

// Catalogue loads the shop's models with their sizes and stock.
func (a *App) Catalogue(ctx context.Context, who Actor) (*Catalogue, error) {
	rows, err := a.store.ModelsOf(ctx, who.ShopID)
	if err != nil {
		return nil, err
	}
	sizes, err := a.store.ModelSizesOf(ctx, who.ShopID)
	if err != nil {
		return nil, err
	}
	c := &Catalogue{Models: make([]shoe.Model, len(rows)), ids: make([]uint64, len(rows)), byRow: map[uint64]int{}, byCode: map[string]int{}}
	for i, r := range rows {
		c.Models[i], c.ids[i] = modelOf(r, who.Currency), r.ID
		c.byRow[r.ID], c.byCode[r.Code] = i, i
	}
	for _, s := range sizes {
		m := &c.Models[c.byRow[s.ModelID]]
		fig := foot.Figure(float64(s.UkHalf) / 2)
		if n := len(m.SizesUK); n == 0 || m.SizesUK[n-1] != fig {
			m.SizesUK = append(m.SizesUK, fig)
		}
		if !hasString(m.Widths, s.Width) {
			m.Widths = append(m.Widths, s.Width)
		}
		if s.Stock > 0 {
			m.Stock = append(m.Stock, shoe.Stock{UK: fig, Width: s.Width, Count: int(s.Stock)})
		}
	}
	return c, nil
}

func hasString(list []string, s string) bool {
	for _, v := range list {
		if v == s {
			return true
		}
	}
	return false
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
	return a.store.Tx(ctx, func(q *db.Queries) error {
		for _, m := range models {
			if err := addModel(ctx, q, shopID, m.WithDefaults()); err != nil {
				return err
			}
		}
		return nil
	})
}

func addModel(ctx context.Context, q *db.Queries, shopID uint64, m shoe.Model) error {
	p := db.AddModelParams{
		ShopID: shopID, Code: m.ID, Maker: m.Maker, Name: m.Name, Version: int16(m.Version), Year: int16(m.Year), ReplacesCode: m.Replaces, ChangeKind: m.Change,
		Chart: string(m.Chart), Surface: string(m.Surface), Class: string(m.Class), Level: string(m.Level), SupportBy: strings.Join(texts(m.SupportBy), ","),
		StackHeelMm: m.StackHeelMM, StackForefootMm: m.StackForefootMM, StackMeasuredBy: m.StackMeasuredFrom, WeightG: m.WeightG, Softness: m.Softness,
		Bounce: m.Bounce, Plate: m.Plate, Rocker: int8(m.Rocker), HeelBevel: m.HeelBevel, Flexibility: m.Flexibility, LastShape: string(m.LastShape),
		Volume: string(m.Volume), InnerOffsetMm: m.InnerOffsetMM, LugDepthMm: m.LugDepthMM, LugSpacing: m.LugSpacing, RubberSoftness: m.RubberSoftness,
		MetalTips: m.MetalTips, RockPlate: m.RockPlate, ToeBumper: m.ToeBumper, Liner: m.Liner, UpperKind: m.Upper, UpperFirmness: m.UpperFirmness,
		HeelCounter: m.HeelCounter, MedianLifeKm: nullFloat(m.MedianLifeKM), ListPrice: m.ListPrice, Purpose: m.Purpose, Notes: m.Notes,
	}
	if m.SalePrice != nil {
		p.SalePrice = sql.NullInt64{Int64: *m.SalePrice, Valid: true}
	}
	if m.LabelChart != nil {
		p.LabelUsOverUk, p.LabelEuShift = nullFloat(&m.LabelChart.USOverUK), nullFloat(&m.LabelChart.EUShift)
	}
	id, err := q.AddModel(ctx, p)
	if err != nil {
		return err
	}
	for _, size := range m.SizesUK {
		for _, w := range m.Widths {
			if err := q.AddModelSize(ctx, db.AddModelSizeParams{ModelID: uint64(id), UkHalf: halves(size), Width: w, Stock: int16(m.StockOf(size, w))}); err != nil {
				return err
			}
		}
	}
	return nil
}

func halves(f foot.Figure) int16 { return int16(2*float64(f) + 0.5) }
