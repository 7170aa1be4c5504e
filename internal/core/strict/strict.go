// Package strict reads JSON that people and programs hand in. Every field that
// is unknown, named twice or of the wrong kind is a fault at its own path, and
// all faults are told at once.
package strict

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"trevik/internal/core/fault"
)

// maxDepth is far above what any of our formats nests, and keeps a hostile
// input from exhausting the stack.
const maxDepth = 64

type object struct {
	names  []string
	values map[string]any
}

// Tags of a field beside its JSON name, `strict:"..."`: what its zero value would hide.
const (
	nonzero = "nonzero" // a number that is given is not 0, since 0 would pass for missing
	word    = "word"    // a word that is given is not empty
	needed  = "needed"  // the object, where it is given, has this field
)

// Decode reads one JSON value from data into the struct that into points to. It
// fails with a fault.List that names every offending path. A null counts as
// missing.
func Decode(data []byte, into any) error {
	if len(bytes.TrimSpace(data)) == 0 {
		return fault.List{{Field: "input", Text: "is empty; allowed is one JSON object"}}
	}
	var faults fault.List
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.UseNumber()
	v, err := parse(dec, &faults, "", 0)
	if err == nil {
		if _, more := dec.Token(); more != io.EOF {
			err = errors.New("there is more after the first value")
		}
	}
	if err != nil {
		line := 1 + bytes.Count(data[:min(int(dec.InputOffset()), len(data))], []byte("\n"))
		return fault.List{{Field: "input", Text: fmt.Sprintf("is not JSON: %v, near line %d", err, line)}}
	}
	check(&faults, reflect.TypeOf(into).Elem(), v, "")
	if len(faults) > 0 {
		return faults
	}
	if err := json.Unmarshal(data, into); err != nil {
		return fault.List{{Field: "input", Text: "cannot be read: " + err.Error()}}
	}
	return nil
}

func parse(dec *json.Decoder, l *fault.List, path string, depth int) (any, error) {
	if depth > maxDepth {
		return nil, fmt.Errorf("more than %d levels deep", maxDepth)
	}
	tok, err := dec.Token()
	if err != nil {
		if err == io.EOF {
			err = io.ErrUnexpectedEOF
		}
		return nil, err
	}
	switch tok {
	case json.Delim('{'):
		o := object{values: map[string]any{}}
		for dec.More() {
			key, err := dec.Token()
			if err != nil {
				return nil, err
			}
			name := key.(string)
			at := join(path, name)
			v, err := parse(dec, l, at, depth+1)
			if err != nil {
				return nil, err
			}
			if _, twice := o.values[name]; twice {
				l.Add(at, "is named twice; allowed is once")
			} else {
				o.names = append(o.names, name)
			}
			o.values[name] = v
		}
		_, err = dec.Token()
		return o, err
	case json.Delim('['):
		list := []any{}
		for dec.More() {
			v, err := parse(dec, l, fmt.Sprintf("%s[%d]", path, len(list)), depth+1)
			if err != nil {
				return nil, err
			}
			list = append(list, v)
		}
		_, err = dec.Token()
		return list, err
	}
	return tok, nil
}

func check(l *fault.List, t reflect.Type, v any, path string) {
	if v == nil || t.Kind() == reflect.Interface { // a field of any kind is checked by its owner
		return
	}
	if t.Kind() == reflect.Pointer {
		check(l, t.Elem(), v, path)
		return
	}
	at := path
	if at == "" {
		at = "input"
	}
	switch t.Kind() {
	case reflect.Struct:
		o, ok := v.(object)
		if !ok {
			l.Add(at, "is %s; allowed is an object", kindOf(v))
			return
		}
		fields := fieldsOf(t)
		for _, name := range o.names {
			f, known := fields[name]
			if !known {
				l.Add(join(path, name), "is not a known field; allowed here: %s", strings.Join(namesOf(t), ", "))
				continue
			}
			v := o.values[name]
			if n, ok := v.(json.Number); ok && f.Tag.Get("strict") == nonzero && isZero(n) {
				l.Add(join(path, name), "is 0; leave it out where it is not known")
			}
			if v == "" && f.Tag.Get("strict") == word {
				l.Add(join(path, name), "is empty; leave it out where it is not told")
			}
			check(l, f.Type, v, join(path, name))
		}
		for _, name := range slices.Sorted(maps.Keys(fields)) {
			if fields[name].Tag.Get("strict") == needed && o.values[name] == nil {
				l.Add(join(path, name), "is missing")
			}
		}
	case reflect.Map:
		o, ok := v.(object)
		if !ok {
			l.Add(at, "is %s; allowed is an object", kindOf(v))
			return
		}
		for _, name := range o.names {
			check(l, t.Elem(), o.values[name], join(path, name))
		}
	case reflect.Slice, reflect.Array:
		list, ok := v.([]any)
		if !ok {
			l.Add(at, "is %s; allowed is a list", kindOf(v))
			return
		}
		for i, e := range list {
			check(l, t.Elem(), e, fmt.Sprintf("%s[%d]", path, i))
		}
	case reflect.String:
		if _, ok := v.(string); !ok {
			l.Add(at, "is %s; allowed is a text", kindOf(v))
		}
	case reflect.Bool:
		if _, ok := v.(bool); !ok {
			l.Add(at, "is %s; allowed is true or false", kindOf(v))
		}
	case reflect.Float64, reflect.Int, reflect.Int64:
		checkNumber(l, t.Kind(), v, at)
	}
}

func isZero(n json.Number) bool {
	f, err := n.Float64()
	return err == nil && f == 0
}

func checkNumber(l *fault.List, k reflect.Kind, v any, at string) {
	n, ok := v.(json.Number)
	if !ok {
		l.Add(at, "is %s; allowed is a number", kindOf(v))
		return
	}
	if k != reflect.Float64 {
		if _, err := strconv.ParseInt(n.String(), 10, 64); err != nil {
			l.Add(at, "is %s; allowed is a whole number", n)
		}
		return
	}
	if f, err := n.Float64(); err != nil || math.IsInf(f, 0) {
		l.Add(at, "is %s; allowed is a finite number", n)
	}
}

// fieldsOf gives a struct's fields by their JSON name; a field without a tag is
// not part of the format.
func fieldsOf(t reflect.Type) map[string]reflect.StructField {
	out := map[string]reflect.StructField{}
	for i := range t.NumField() {
		if name, _, _ := strings.Cut(t.Field(i).Tag.Get("json"), ","); name != "" && name != "-" {
			out[name] = t.Field(i)
		}
	}
	return out
}

func namesOf(t reflect.Type) []string {
	var out []string
	for name := range fieldsOf(t) {
		out = append(out, name)
	}
	slices.Sort(out)
	return out
}

func join(path, name string) string {
	if path == "" {
		return name
	}
	return path + "." + name
}

func kindOf(v any) string {
	switch v := v.(type) {
	case string:
		return "a text"
	case bool:
		return strconv.FormatBool(v)
	case json.Number:
		return v.String()
	case []any:
		return "a list"
	}
	return "an object"
}
