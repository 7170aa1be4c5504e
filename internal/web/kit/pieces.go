package kit

import (
	"encoding/binary"
	"fmt"
	"html/template"
	"math"
	"reflect"
	"strings"

	"trevik/internal/web/kept"
)

// Pieces are parts of pages by all that they show, so that a template is not run again for what has not changed. What a
// piece's template is given is its key: it sees nothing else, so that a piece that is kept is the one that it would write.
type Pieces struct{ kept kept.By[string] }

// Of is what a template writes of what is shown: plain values, lists and structs of them, without anything hidden.
func (p *Pieces) Of(t *template.Template, name string, shown any) (template.HTML, error) {
	key := string(appendShown(append(make([]byte, 0, 16<<10), name...), reflect.ValueOf(shown)))
	return p.kept.Of(key, func() (template.HTML, error) {
		var b strings.Builder
		if err := t.ExecuteTemplate(&b, name, shown); err != nil {
			return "", fmt.Errorf("template %s: %w", name, err)
		}
		return template.HTML(b.String()), nil
	})
}

// Each is what a template writes of each of a list, one after the other.
func Each[T any](p *Pieces, t *template.Template, name string, list []T) (template.HTML, error) {
	var out strings.Builder
	for _, shown := range list {
		piece, err := p.Of(t, name, shown)
		if err != nil {
			return "", err
		}
		out.WriteString(string(piece))
	}
	return template.HTML(out.String()), nil
}

// appendShown writes a value so that no other value of its type is written alike.
func appendShown(b []byte, v reflect.Value) []byte {
	switch v.Kind() {
	case reflect.String:
		s := v.String()
		return append(binary.AppendUvarint(b, uint64(len(s))), s...)
	case reflect.Bool:
		if v.Bool() {
			return append(b, 1)
		}
		return append(b, 0)
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		return binary.AppendVarint(b, v.Int())
	case reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		return binary.AppendUvarint(b, v.Uint())
	case reflect.Float64:
		return binary.BigEndian.AppendUint64(b, math.Float64bits(v.Float()))
	case reflect.Pointer:
		if v.IsNil() {
			return append(b, 0)
		}
		return appendShown(append(b, 1), v.Elem())
	case reflect.Slice, reflect.Array:
		b = binary.AppendUvarint(b, uint64(v.Len()))
		for i := range v.Len() {
			b = appendShown(b, v.Index(i))
		}
		return b
	case reflect.Struct:
		for i := range v.NumField() {
			if !v.Type().Field(i).IsExported() {
				panic(fmt.Sprintf("a piece of a page cannot show a %s: it hides %s", v.Type(), v.Type().Field(i).Name))
			}
			b = appendShown(b, v.Field(i))
		}
		return b
	}
	panic(fmt.Sprintf("a piece of a page cannot show a %s", v.Type()))
}
