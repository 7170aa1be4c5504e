package store

import (
	"context"
	"strings"

	"trevik/internal/store/db"
)

// Size is one row of model_sizes and how it changes: Stock is by how much the shelf moves,
// Gone that the size is no longer made.
type Size struct {
	ModelID uint64
	UKHalf  int16
	Width   string
	Stock   int16
	Gone    bool
}

// Model is a row of models as it is written.
type Model = db.Model

// sizesAtOnce is how many rows one statement holds.
const sizesAtOnce = 500

// AddSizes adds sizes, or raises the stock of those that are there, in few statements: a
// catalogue has hundreds of thousands.
func AddSizes(ctx context.Context, tx db.DBTX, sizes []Size) error {
	for len(sizes) > 0 {
		part := sizes[:min(sizesAtOnce, len(sizes))]
		sizes = sizes[len(part):]
		args := make([]any, 0, 4*len(part))
		for _, s := range part {
			args = append(args, s.ModelID, s.UKHalf, s.Width, s.Stock)
		}
		rows := strings.Repeat(", (?, ?, ?, ?)", len(part))[2:]
		if _, err := tx.ExecContext(ctx,
			"INSERT INTO model_sizes (model_id, uk_half, width, stock) VALUES "+rows+" ON DUPLICATE KEY UPDATE stock = stock + VALUES(stock)",
			args...); err != nil {
			return err
		}
	}
	return nil
}

// LowerStock lowers what is on the shelf, to none at the least.
func LowerStock(ctx context.Context, tx db.DBTX, s Size) error {
	_, err := tx.ExecContext(ctx, "UPDATE model_sizes SET stock = GREATEST(0, stock + ?) WHERE model_id = ? AND uk_half = ? AND width = ?",
		s.Stock, s.ModelID, s.UKHalf, s.Width)
	return err
}

// DropSize takes a size away that is no longer made.
func DropSize(ctx context.Context, tx db.DBTX, s Size) error {
	_, err := tx.ExecContext(ctx, "DELETE FROM model_sizes WHERE model_id = ? AND uk_half = ? AND width = ?", s.ModelID, s.UKHalf, s.Width)
	return err
}

// modelColumns are those that PutModels writes, in the order of modelValues.
var modelColumns = strings.Fields(`shop_id code maker name version year replaces_code change_kind chart surface class level support_by
	stack_heel_mm stack_forefoot_mm stack_measured_by weight_g softness bounce plate rocker heel_bevel flexibility last_shape volume
	inner_offset_mm lug_depth_mm lug_spacing rubber_softness metal_tips rock_plate toe_bumper liner upper_kind upper_firmness heel_counter
	median_life_km list_price sale_price label_us_over_uk label_eu_shift purpose notes`)

func modelValues(m *Model) []any {
	return []any{m.ShopID, m.Code, m.Maker, m.Name, m.Version, m.Year, m.ReplacesCode, m.ChangeKind, m.Chart, m.Surface, m.Class, m.Level,
		m.SupportBy,
		m.StackHeelMm, m.StackForefootMm, m.StackMeasuredBy, m.WeightG, m.Softness, m.Bounce, m.Plate, m.Rocker, m.HeelBevel, m.Flexibility,
		m.LastShape, m.Volume,
		m.InnerOffsetMm, m.LugDepthMm, m.LugSpacing, m.RubberSoftness, m.MetalTips, m.RockPlate, m.ToeBumper, m.Liner, m.UpperKind,
		m.UpperFirmness, m.HeelCounter,
		m.MedianLifeKm, m.ListPrice, m.SalePrice, m.LabelUsOverUk, m.LabelEuShift, m.Purpose, m.Notes}
}

// PutModels writes models in one statement, new ones and those that change, and gives their
// ids by code in small letters. The shop's revision is set by TouchModels.
func PutModels(ctx context.Context, tx db.DBTX, shop uint64, models []Model) (map[string]uint64, error) {
	var args, codes []any
	var set []string
	for i := range models {
		args = append(args, modelValues(&models[i])...)
		codes = append(codes, models[i].Code)
	}
	for _, c := range modelColumns[2:] {
		set = append(set, c+" = VALUES("+c+")")
	}
	one := "(" + strings.Repeat(", ?", len(modelColumns))[2:] + ")"
	rows := one + strings.Repeat(", "+one, len(models)-1)
	query := "INSERT INTO models (" + strings.Join(modelColumns, ", ") + ") VALUES " + rows + " ON DUPLICATE KEY UPDATE " +
		strings.Join(set, ", ")
	if _, err := tx.ExecContext(ctx, query, args...); err != nil {
		return nil, err
	}
	found, err := tx.QueryContext(ctx, "SELECT id, code FROM models WHERE shop_id = ? AND code IN ("+strings.Repeat(", ?",
		len(codes))[2:]+")", append([]any{shop}, codes...)...)
	if err != nil {
		return nil, err
	}
	defer found.Close()
	out := map[string]uint64{}
	for found.Next() {
		var id uint64
		var code string
		if err := found.Scan(&id, &code); err != nil {
			return nil, err
		}
		out[strings.ToLower(code)] = id
	}
	return out, found.Err()
}

// TouchModels gives models the shop's present revision, so that others load them anew.
func TouchModels(ctx context.Context, tx db.DBTX, shop uint64, ids []uint64) error {
	const atOnce = 1000
	for len(ids) > 0 {
		part := ids[:min(atOnce, len(ids))]
		ids = ids[len(part):]
		args := []any{shop, shop}
		for _, id := range part {
			args = append(args, id)
		}
		query := "UPDATE models SET revision = (SELECT s.catalogue_revision FROM shops s WHERE s.id = ?) WHERE shop_id = ? AND id IN (" +
			strings.Repeat(", ?", len(part))[2:] + ")"
		if _, err := tx.ExecContext(ctx, query, args...); err != nil {
			return err
		}
	}
	return nil
}
