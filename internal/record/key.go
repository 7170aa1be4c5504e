package record

import (
	"strconv"
	"strings"

	"trevik/internal/core/term"
)

// Key names one value of a visit. What does not apply is zero.
type Key struct {
	Name   string
	Side   term.Side
	Row    int         // of a reading, or of a line of a form, from 1; of a trial, 0 the first of its model
	Model  uint64      // the model's id in the database
	Other  uint64      // the second model of a comparison
	Kind   term.Kind   // of a suitability
	Ground term.Ground // of a suitability
}

// Input is the key as a form's field name: "length_mm.left.2", "try_heel.17".
func (k Key) Input() string {
	parts := []string{k.Name}
	if k.Side != "" {
		parts = append(parts, string(k.Side))
	}
	if k.Row > 0 {
		parts = append(parts, strconv.Itoa(k.Row))
	}
	if k.Model > 0 {
		parts = append(parts, strconv.FormatUint(k.Model, 10))
	}
	return strings.Join(parts, ".")
}
