package record

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/form"
)

// Stations in the order of work, by their path.
var Stations = []string{"hello", "old-pair", "feet", "print", "gait", "support", "shoes", "try-on", "rotation", "distance", "card"}

// Ways in which something is found.
const (
	told    = "told"
	byHand  = "by hand"
	byEye   = "by eye"
	readOff = "read off"
	decided = "decided"
	scanned = "scanner"
	traced  = "outline"
	filmed  = "film"
	photo   = "photo"
)

// Decl declares a finding. Its Name is the one that stands in the database.
type Decl struct {
	form.Field
	Station string  // whose form asks it; empty where no form does
	Rows    int     // readings or lines; 0 is one without a number
	ByModel bool    // one a model of the catalogue
	ByTrial bool    // one each time that a model is tried on, in its size and width
	Reforms bool    // the station's form has other fields when it changes
	How     string  // how it is found
	Error   float64 // one reading's error, canonical
	Health  bool    // tells of the runner's health, and goes when that may not be kept
	decode  func(*Decl, Stored) (any, error)
}

// Stored is a finding as the database holds it.
type Stored struct {
	ID     uint64
	Key    Key
	Number *float64 // canonical unit
	Text   string
	Error  *float64
	How    string
	Maker  string
	MadeAt time.Time
}

// Value is what is to be recorded for a key: a number in the canonical unit, a text, or
// both. Empty takes the value away.
type Value struct {
	Key    Key
	Decl   *Decl
	Empty  bool
	Number float64
	Text   string
	How    string  // where it is found otherwise than declared
	Error  float64 // its own, where it is another than declared
}

// declared are all findings, in the order in which they are asked.
var declared []*Decl

// byName finds a declaration, nil where there is none.
func byName(name string) *Decl {
	at := slices.IndexFunc(declared, func(d *Decl) bool { return d.Name == name })
	if at < 0 {
		return nil
	}
	return declared[at]
}

// DeclsAt are the findings that a station's form asks for, in its order.
func DeclsAt(station string) []*Decl {
	var out []*Decl
	for _, d := range declared {
		if d.Station == station {
			out = append(out, d)
		}
	}
	return out
}

// HealthNames are the names of the findings that tell of a runner's health.
func HealthNames() []string {
	var out []string
	for _, d := range declared {
		if d.Health {
			out = append(out, d.Name)
		}
	}
	return out
}

// sides that a finding is asked of.
func (d *Decl) sides() []string {
	if d.Sides {
		return []string{"left", "right"}
	}
	return []string{""}
}

// Keys lists every key of a finding; one by model has none of its own.
func (d *Decl) Keys() []Key {
	var out []Key
	if d.ByModel {
		return nil
	}
	for _, s := range d.sides() {
		if d.Rows == 0 {
			out = append(out, Key{Name: d.Name, Side: term.Side(s)})
		}
		for i := range d.Rows {
			out = append(out, Key{Name: d.Name, Side: term.Side(s), Row: i + 1})
		}
	}
	return out
}

// InputAt finds the declaration and the key of a station's input.
func InputAt(station, input string) (*Decl, Key, bool) {
	for _, d := range declared {
		if d.Station != station || !d.ByModel {
			continue
		}
		if id, ok := strings.CutPrefix(input, d.Name+"."); ok {
			k := Key{Name: d.Name}
			if again, model, later := strings.Cut(id, "."); later && d.ByTrial {
				n, err := strconv.Atoi(again)
				if err != nil || n < 1 || n >= mostTrials {
					return d, k, false
				}
				k.Row, id = n, model
			}
			n, err := strconv.ParseUint(id, 10, 63)
			k.Model = n
			return d, k, err == nil && n > 0
		}
	}
	at, ok := inputs()[[2]string{station, input}]
	return at.decl, at.key, ok
}

// keyed is an input's declaration and key.
type keyed struct {
	decl *Decl
	key  Key
}

// inputs are those of all stations that are no model's, by station and name.
var inputs = sync.OnceValue(func() map[[2]string]keyed {
	out := map[[2]string]keyed{}
	for _, d := range declared {
		for _, k := range d.Keys() {
			if at := [2]string{d.Station, k.Input()}; out[at].decl == nil {
				out[at] = keyed{d, k}
			}
		}
	}
	return out
})

// Read turns what was typed for a key into a value, or notes the fault at its input.
func (d *Decl) Read(l *fault.List, k Key, typed []string, u units.System) (Value, bool) {
	v, ok := d.Field.Read(l, k.Input(), typed, u)
	return Value{Key: k, Decl: d, Empty: v.Empty, Number: v.Number, Text: v.Text}, ok
}

// check says what of a stored finding the declaration does not allow.
func (d *Decl) check(s Stored) error {
	k := s.Key
	switch {
	case d.Sides != (k.Side != ""):
		return fmt.Errorf("its side is %q", k.Side)
	case d.ByModel != (k.Model != 0):
		return fmt.Errorf("its model is %d", k.Model)
	case d.ByTrial && (k.Row < 0 || k.Row >= mostTrials):
		return fmt.Errorf("it is trial %d of %d", k.Row+1, mostTrials)
	case d.Rows == 0 && !d.ByTrial && k.Row != 0 || d.Rows > 0 && (k.Row < 1 || k.Row > d.Rows):
		return fmt.Errorf("its row is %d of %d", k.Row, d.Rows)
	}
	return nil
}

// Handles: a finding with its Go type, by the shape of its keys.
type (
	// One is a finding that a visit has once.
	One[T any] struct{ *Decl }
	// Sided is a finding of each foot.
	Sided[T any] struct{ *Decl }
	// Rows is a finding in numbered lines.
	Rows[T any] struct{ *Decl }
	// SidedRows is a finding of each foot in numbered readings.
	SidedRows[T any] struct{ *Decl }
	// PerModel is a finding of a model of the catalogue.
	PerModel[T any] struct{ *Decl }
	// PerTrial is a finding of a model that was tried on in a size and width.
	PerTrial[T any] struct{ *Decl }
)

// declare registers a finding; its handle's type tells how it decodes.
func declare(d Decl, decode func(*Decl, Stored) (any, error)) *Decl {
	d.decode = decode
	declared = append(declared, &d)
	return &d
}

// figure decodes a number.
func figure(d *Decl, s Stored) (any, error) {
	if s.Number == nil {
		return nil, fmt.Errorf("it is no number")
	}
	if math.IsNaN(*s.Number) || math.IsInf(*s.Number, 0) {
		return nil, fmt.Errorf("it is %g", *s.Number)
	}
	return *s.Number, nil
}

// word decodes one of the choices.
func word[T ~string](d *Decl, s Stored) (any, error) {
	if !slices.Contains(d.Choices, s.Text) {
		return nil, fmt.Errorf("it is %.40q; allowed is one of %s", s.Text, strings.Join(d.Choices, ", "))
	}
	return T(s.Text), nil
}

// count decodes a choice among whole numbers.
func count(d *Decl, s Stored) (any, error) {
	if _, err := word[string](d, s); err != nil {
		return nil, err
	}
	return strconv.Atoi(s.Text)
}

// yes decodes a choice of no and yes.
func yes(d *Decl, s Stored) (any, error) {
	w, err := word[string](d, s)
	return w == "yes", err
}

// words decodes any of the choices; 'none' alone is an empty list.
func words[T ~string](d *Decl, s Stored) (any, error) {
	out := []T{}
	for _, w := range strings.Split(s.Text, ",") {
		if !slices.Contains(d.Choices, w) {
			return nil, fmt.Errorf("it holds %.40q; allowed is any of %s", w, strings.Join(d.Choices, ", "))
		}
		if w != form.None {
			out = append(out, T(w))
		}
	}
	return out, nil
}

// letters decodes free text.
func letters(_ *Decl, s Stored) (any, error) { return s.Text, nil }

// day decodes a day.
func day(_ *Decl, s Stored) (any, error) { return time.Parse(time.DateOnly, s.Text) }

// object decodes what is kept as JSON.
func object[T any](_ *Decl, s Stored) (any, error) {
	var v T
	err := json.Unmarshal([]byte(s.Text), &v)
	return v, err
}

func get[T any](v *Visit, k Key) (T, bool) {
	f, ok := v.found[k]
	if !ok {
		var zero T
		return zero, false
	}
	return f.value.(T), true // its declaration decoded it
}

func pointer[T any](v T, ok bool) *T {
	if !ok {
		return nil
	}
	return &v
}

// Of is the visit's value; the zero value where there is none.
func (d One[T]) Of(v *Visit) T { x, _ := get[T](v, d.Key()); return x }

// Known says whether the visit has the value.
func (d One[T]) Known(v *Visit) bool { return v.Has(d.Key()) }

// Ptr is the visit's value, nil where there is none.
func (d One[T]) Ptr(v *Visit) *T { return pointer(get[T](v, d.Key())) }

// Key of the finding.
func (d One[T]) Key() Key { return Key{Name: d.Name} }

// Of is a foot's value; the zero value where there is none.
func (d Sided[T]) Of(v *Visit, s term.Side) T { x, _ := get[T](v, d.Key(s)); return x }

// Ptr is a foot's value, nil where there is none.
func (d Sided[T]) Ptr(v *Visit, s term.Side) *T { return pointer(get[T](v, d.Key(s))) }

// Key of a foot's finding.
func (d Sided[T]) Key(s term.Side) Key { return Key{Name: d.Name, Side: s} }

// Of is a line's value; the zero value where there is none.
func (d Rows[T]) Of(v *Visit, row int) T { x, _ := get[T](v, d.Key(row)); return x }

// Ptr is a line's value, nil where there is none.
func (d Rows[T]) Ptr(v *Visit, row int) *T { return pointer(get[T](v, d.Key(row))) }

// Key of a line's finding.
func (d Rows[T]) Key(row int) Key { return Key{Name: d.Name, Row: row} }

// Of is a foot's reading; the zero value where there is none.
func (d SidedRows[T]) Of(v *Visit, s term.Side, row int) T {
	x, _ := get[T](v, d.Key(s, row))
	return x
}

// Ptr is a foot's reading, nil where there is none.
func (d SidedRows[T]) Ptr(v *Visit, s term.Side, row int) *T {
	return pointer(get[T](v, d.Key(s, row)))
}

// Key of a foot's reading.
func (d SidedRows[T]) Key(s term.Side, row int) Key { return Key{Name: d.Name, Side: s, Row: row} }

// Of is a model's value; the zero value where there is none.
func (d PerModel[T]) Of(v *Visit, model uint64) T { x, _ := get[T](v, d.Key(model)); return x }

// Ptr is a model's value, nil where there is none.
func (d PerModel[T]) Ptr(v *Visit, model uint64) *T { return pointer(get[T](v, d.Key(model))) }

// Key of a model's finding.
func (d PerModel[T]) Key(model uint64) Key { return Key{Name: d.Name, Model: model} }

// Of is a trial's value; the zero value where there is none.
func (d PerTrial[T]) Of(v *Visit, t Trial) T { x, _ := get[T](v, d.Key(t)); return x }

// Ptr is a trial's value, nil where there is none.
func (d PerTrial[T]) Ptr(v *Visit, t Trial) *T { return pointer(get[T](v, d.Key(t))) }

// Key of a trial's finding.
func (d PerTrial[T]) Key(t Trial) Key { return Key{Name: d.Name, Model: t.Model, Row: t.Again} }

// Models are those that have a value, the earliest first.
func (d PerModel[T]) Models(v *Visit) []uint64 {
	var out []uint64
	for k := range v.found {
		if k.Name == d.Name {
			out = append(out, k.Model)
		}
	}
	slices.Sort(out)
	return out
}
