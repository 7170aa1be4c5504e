package record_test

import (
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/units"
	"trevik/internal/form"
	"trevik/internal/record"
)

// Whatever is typed at a finding's input: a value within its limits, or one fault at it.
func FuzzRead(f *testing.F) {
	for _, s := range []string{"262.5", "262,5", "1e999", "NaN", "-0", "mild", "2026-02-30", "25:61", "=1+1", "\x00", "\xff", "none,limp",
		"1.7976931348623157e308", "0x10"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, typed string) {
		for _, station := range record.Stations {
			for _, d := range record.DeclsAt(station) {
				k := record.Key{Name: d.Name, Model: 1}
				if keys := d.Keys(); len(keys) > 0 {
					k = keys[0]
				}
				for _, u := range []units.System{units.Metric, units.Imperial} {
					var l fault.List
					v, ok := d.Read(&l, k, []string{typed}, u)
					if ok != (len(l) == 0) || !ok && (len(l) != 1 || l[0].Field != k.Input()) {
						t.Fatalf("%s %s %q: %v %v", station, d.Name, typed, ok, l)
					}
					if ok && !v.Empty && d.Kind == form.Number && !(v.Number >= d.Lo-1e-5 && v.Number <= d.Hi+1e-5) {
						t.Fatalf("%s %s %q: %g is outside %g to %g", station, d.Name, typed, v.Number, d.Lo, d.Hi)
					}
				}
			}
		}
	})
}
