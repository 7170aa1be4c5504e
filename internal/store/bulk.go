package store

import (
	"context"
	"strings"

	"trevik/internal/store/db"
)

// Size is one row of model_sizes.
type Size struct {
	ModelID uint64
	UKHalf  int16
	Width   string
	Stock   int16
}

// sizesAtOnce is how many rows one statement holds.
const sizesAtOnce = 500

// AddSizes writes many sizes in few statements: a catalogue has hundreds of thousands.
func AddSizes(ctx context.Context, tx db.DBTX, sizes []Size) error {
	for len(sizes) > 0 {
		part := sizes[:min(sizesAtOnce, len(sizes))]
		sizes = sizes[len(part):]
		args := make([]any, 0, 4*len(part))
		for _, s := range part {
			args = append(args, s.ModelID, s.UKHalf, s.Width, s.Stock)
		}
		rows := strings.Repeat(", (?, ?, ?, ?)", len(part))[2:]
		if _, err := tx.ExecContext(ctx, "INSERT INTO model_sizes (model_id, uk_half, width, stock) VALUES "+rows, args...); err != nil {
			return err
		}
	}
	return nil
}
