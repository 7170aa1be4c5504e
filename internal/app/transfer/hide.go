package transfer

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"trevik/internal/app"
	"trevik/internal/app/visit"
	"trevik/internal/record"
	"trevik/internal/seal"
	"trevik/internal/store"
	"trevik/internal/store/db"
)

// show puts a row's health answers back over the columns that they are of: in a file they stand
// where they belong.
func show(table string, r store.Row) error {
	column, there := r["health"]
	if !there {
		return nil
	}
	delete(r, "health")
	h, err := app.Shown(seal.Text(word(column)))
	if err != nil {
		return fmt.Errorf("%s %v: %w", table, r["id"], err)
	}
	for name, v := range map[string]*float64{"number_value": h.Number, "soreness": h.Soreness} {
		if v != nil {
			r[name] = *v
		}
	}
	for name, v := range map[string]*string{"text_value": h.Text, "reason": h.Reason, "place": h.Place} {
		if v != nil {
			r[name] = *v
		}
	}
	for name, v := range map[string]json.RawMessage{"basis": h.Basis, "asked": h.Asked} {
		if v != nil {
			r[name] = string(v)
		}
	}
	if h.Night != nil { // as the database's column has it
		r["night"] = int64(0)
		if *h.Night {
			r["night"] = int64(1)
		}
	}
	return nil
}

// hide takes a row's health answers out of the columns that they are of, into the one that is
// sealed.
func hide(table string, r store.Row) error {
	var h app.Hidden
	switch table {
	case "findings":
		if !slices.Contains(record.HealthNames(), word(r["name"])) || r["number_value"] == nil && r["text_value"] == nil {
			return nil
		}
		if n, ok := figure(r["number_value"]); ok {
			h.Number = &n
		}
		if t, ok := r["text_value"].(string); ok {
			h.Text = &t
		}
		r["number_value"], r["text_value"] = nil, nil
	case "decisions":
		p, err := visit.HideDecision(word(r["kind"]), word(r["value"]), word(r["reason"]), []byte(word(r["basis"])))
		if err != nil {
			return err
		}
		r["basis"], r["reason"], r["health"] = string(p.Basis), p.Reason, p.Health
		return nil
	case "changes":
		h.Asked = json.RawMessage(word(r["asked"]))
		less, err := app.WithoutComplaints(h.Asked)
		if err != nil {
			return fmt.Errorf("asked: %w", err)
		}
		r["asked"] = string(less)
	case "change_reports":
		n, ok := figure(r["soreness"])
		if !ok || n < 0 || n > mostSoreness {
			return fmt.Errorf("soreness is %v; allowed is 0 to %d", r["soreness"], mostSoreness)
		}
		place := word(r["place"])
		taken, _ := figure(r["night"])
		night := taken != 0 || r["night"] == true
		h = app.Hidden{Soreness: &n, Place: &place, Night: &night}
		r["soreness"], r["night"], r["place"] = nil, nil, ""
	default:
		return nil
	}
	column, err := h.Hide()
	r["health"] = column
	return err
}

// mostSoreness ends the scale of soreness.
const mostSoreness = 10

// hideAtOnce is how many rows are read at once.
const hideAtOnce = 200

// HideAll takes the health answers that were written before they stood apart into the column that
// is sealed, and gives how many rows that were.
func (t *Transfer) HideAll(ctx context.Context) (int, error) {
	n := 0
	for _, table := range []string{"findings", "decisions", "changes", "change_reports"} {
		for {
			var done int
			err := t.Store.TxBulk(ctx, func(_ *db.Queries, tx db.DBTX) error {
				rows, err := store.Bare(ctx, tx, table, record.HealthNames(), hideAtOnce)
				if err != nil {
					return err
				}
				for _, r := range rows {
					if err := hide(table, r); err != nil {
						return fmt.Errorf("%v: %w", r["id"], err)
					}
					if err := store.Rewrite(ctx, tx, table, r); err != nil {
						return err
					}
				}
				done = len(rows)
				return nil
			})
			if err != nil {
				return n, fmt.Errorf("%s: %w", table, err)
			}
			if n += done; done < hideAtOnce {
				break
			}
		}
	}
	return n, nil
}
