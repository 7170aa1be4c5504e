package app

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"

	"trevik/internal/seal"
	"trevik/internal/store/db"
)

// Hidden is what of a row tells of a runner's health, by the names of its columns. It stands in
// the row's column health, sealed where the owner has a key, and is put over the row once that
// is read.
type Hidden struct {
	Number   *float64        `json:"number_value,omitempty"`
	Text     *string         `json:"text_value,omitempty"`
	Basis    json.RawMessage `json:"basis,omitempty"`
	Reason   *string         `json:"reason,omitempty"`
	Asked    json.RawMessage `json:"asked,omitempty"`
	Soreness *float64        `json:"soreness,omitempty"`
	Place    *string         `json:"place,omitempty"`
	Night    *bool           `json:"night,omitempty"`
}

// Hide makes the column of it.
func (h Hidden) Hide() (seal.Text, error) {
	data, err := json.Marshal(h)
	return seal.Text(data), err
}

// Shown reads the column; an empty one hides nothing.
func Shown(t seal.Text) (Hidden, error) {
	var h Hidden
	if t == "" {
		return h, nil
	}
	if err := json.Unmarshal([]byte(t), &h); err != nil {
		return h, fmt.Errorf("its health answers: %w", err)
	}
	return h, nil
}

// FindingsOf reads the findings of fits, with the health answers among them.
func FindingsOf(ctx context.Context, q *db.Queries, shop uint64, fits []uint64) ([]db.LoadFindingsRow, error) {
	rows, err := q.LoadFindings(ctx, db.LoadFindingsParams{ShopID: shop, Fits: fits})
	for i := range rows {
		h, wrong := Shown(rows[i].Health)
		if wrong != nil {
			return nil, fmt.Errorf("finding %d: %w", rows[i].ID, wrong)
		}
		if h.Number != nil {
			rows[i].NumberValue = NullFloat(h.Number)
		}
		if h.Text != nil {
			rows[i].TextValue = sql.NullString{String: *h.Text, Valid: true}
		}
	}
	return rows, err
}

// DecisionOf is a decision's reason and basis, with what its health column tells of them.
func DecisionOf(reason string, basis []byte, health seal.Text) (string, []byte, error) {
	h, err := Shown(health)
	if h.Reason != nil {
		reason = *h.Reason
	}
	if h.Basis != nil {
		basis = h.Basis
	}
	return reason, basis, err
}

// WithoutComplaints is what was asked of a plan for changing over, less the complaints in it.
func WithoutComplaints(plan []byte) ([]byte, error) {
	var asked map[string]json.RawMessage
	if err := json.Unmarshal(plan, &asked); err != nil {
		return nil, err
	}
	delete(asked, "complaints")
	return json.Marshal(asked)
}
