// Package fault names what is wrong with an input, field by field, in words
// that say what is allowed. The command line prints a fault a line; a page
// shows it at the field.
package fault

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
)

// Fault is one thing wrong with an input. Field is the path of the value, such
// as "gait.left.band_probability"; Text says what is allowed.
type Fault struct {
	Field string `json:"field"`
	Text  string `json:"text"`
}

func (f Fault) String() string { return f.Field + ": " + f.Text }

// List is a collection of faults, and an error when it is not empty.
type List []Fault

func (l List) Error() string {
	lines := make([]string, len(l))
	for i, f := range l {
		lines[i] = f.String()
	}
	return strings.Join(lines, "\n")
}

// Err gives the list as an error, or nil when nothing is wrong.
func (l List) Err() error {
	if len(l) == 0 {
		return nil
	}
	return l
}

// Add notes a fault at a field.
func (l *List) Add(field, format string, args ...any) {
	*l = append(*l, Fault{Field: field, Text: fmt.Sprintf(format, args...)})
}

// Range notes a fault unless v is finite and within lo to hi, in unit.
func (l *List) Range(field string, v, lo, hi float64, unit string) bool {
	if math.IsNaN(v) || math.IsInf(v, 0) || v < lo || v > hi {
		if unit != "" {
			unit = " " + unit
		}
		l.Add(field, "is %g%s; allowed is %g to %g%s", v, unit, lo, hi, unit)
		return false
	}
	return true
}

// OneOf notes a fault unless v is one of the allowed words.
func OneOf[T ~string](l *List, field string, v T, allowed []T) bool {
	if slices.Contains(allowed, v) {
		return true
	}
	words := make([]string, len(allowed))
	for i, a := range allowed {
		words[i] = string(a)
	}
	l.Add(field, "is %q; allowed is one of %s", string(v), strings.Join(words, ", "))
	return false
}

// As gives the faults within err, if it holds any.
func As(err error) (List, bool) {
	var l List
	ok := errors.As(err, &l)
	return l, ok
}

// Warning is something that the answer's reader should know and that did not
// keep Trevik from answering.
type Warning struct {
	Code string `json:"code"`
	Text string `json:"text"`
}
