package record

import (
	"slices"

	"trevik/internal/core/fault"
	"trevik/internal/core/limits"
	"trevik/internal/form"
)

// LabelOf is a finding's name for people.
func LabelOf(name string) string {
	if d := byName(name); d != nil {
		return d.Label
	}
	return name
}

// OfModel says whether a finding of a name is one of a model.
func OfModel(name string) bool {
	d := byName(name)
	return d != nil && d.ByModel
}

// Allowed joins to values what they bring about by themselves, and leaves those out that are
// more than is allowed together with what counts now, with a fault at each. now gives a number
// that counts.
func Allowed(values []Value, now func(Key) *float64) ([]Value, fault.List) {
	var l fault.List
	values = consequences(values)
	changed := map[Key]*float64{}
	for _, v := range values {
		if weekOf(v) != nil {
			changed[v.Key] = pointer(v.Number, !v.Empty)
		}
	}
	var out []Value
	for _, v := range slices.Backward(values) {
		if rows := weekOf(v); rows != nil && !v.Empty {
			if sum := total(rows, changed, now); sum > limits.WeekKM.Hi {
				l.Add(v.Key.Input(), "makes the week %.0f km in all; allowed is up to %g km", sum, limits.WeekKM.Hi)
				delete(changed, v.Key)
				continue
			}
		}
		out = append(out, v)
	}
	slices.Reverse(out)
	return out, l
}

// weekOf are the keys whose distances make up a week together with a value's: the kinds told at
// Hello, or a week on the board; nil where it is of none.
func weekOf(v Value) []Key {
	var out []Key
	switch v.Decl {
	case WeekKM.Decl:
		return v.Decl.Keys()
	case PlanKM.Decl:
		from := (v.Key.Row - 1) / PlanRows * PlanRows
		for i := range PlanRows {
			out = append(out, PlanKM.Key(from+i+1))
		}
	}
	return out
}

// total adds up what would count of some keys.
func total(keys []Key, changed map[Key]*float64, now func(Key) *float64) float64 {
	sum := 0.0
	for _, k := range keys {
		n, given := changed[k]
		if !given {
			n = now(k)
		}
		if n != nil {
			sum += *n
		}
	}
	return sum
}

// consequences are values with those that they bring about: who says that nothing hurts has no
// complaints, and who tells of one has some.
func consequences(values []Value) []Value {
	none, told := false, false
	for _, v := range values {
		none = none || v.Decl == Complains.Decl && v.Text == form.None
		told = told || v.Decl == ComplaintPlace.Decl && !v.Empty
	}
	switch {
	case none:
		for _, d := range []*Decl{ComplaintPlace.Decl, ComplaintSide.Decl, ComplaintMonths.Decl, ComplaintWhen.Decl} {
			for _, k := range d.Keys() {
				values = without(values, k)
				values = append(values, Value{Key: k, Decl: d, Empty: true})
			}
		}
	case told:
		values = without(values, Complains.Key())
		values = append(values, Value{Key: Complains.Key(), Decl: Complains.Decl, Text: "some"})
	}
	return values
}

func without(values []Value, k Key) []Value {
	var out []Value
	for _, v := range values {
		if v.Key != k {
			out = append(out, v)
		}
	}
	return out
}
