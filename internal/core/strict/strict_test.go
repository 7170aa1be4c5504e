package strict

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"

	"trevik/internal/core/fault"
)

type inner struct {
	N *float64 `json:"n"`
	S string   `json:"s"`
}

type outer struct {
	Schema string             `json:"schema"`
	Inner  *inner             `json:"inner"`
	List   []inner            `json:"list"`
	Map    map[string]float64 `json:"map"`
	Whole  int64              `json:"whole"`
	Yes    bool               `json:"yes"`
	hidden int
}

func TestFaultsNameTheirPath(t *testing.T) {
	for in, fields := range map[string][]string{
		``:                               {"input"},
		`{`:                              {"input"},
		`[]`:                             {"input"},
		`{} {}`:                          {"input"},
		`{"nope":1}`:                     {"nope"},
		`{"hidden":1}`:                   {"hidden"},
		`{"Schema":"x"}`:                 {"Schema"}, // names are exact
		`{"schema":1,"yes":"true"}`:      {"schema", "yes"},
		`{"inner":{"n":"1","x":2}}`:      {"inner.n", "inner.x"},
		`{"list":[{"n":1},{"m":2}]}`:     {"list[1].m"},
		`{"map":{"a":"b"}}`:              {"map.a"},
		`{"whole":1.5}`:                  {"whole"},
		`{"inner":{"n":1e999}}`:          {"inner.n"},
		`{"whole":1,"whole":2}`:          {"whole"},
		`{"inner":{"n":NaN}}`:            {"input"},
		strings.Repeat(`{"inner":`, 200): {"input"},
	} {
		var o outer
		l, ok := fault.As(Decode([]byte(in), &o))
		if !ok {
			t.Errorf("%.40s: no fault", in)
			continue
		}
		var got []string
		for _, f := range l {
			got = append(got, f.Field)
		}
		if !reflect.DeepEqual(got, fields) {
			t.Errorf("%.40s: faults at %v, want %v", in, got, fields)
		}
	}
}

func TestDecodes(t *testing.T) {
	var o outer
	if err := Decode([]byte(`{"schema":"a","inner":{"n":1.5,"s":null},"list":[{"s":"é"}],"map":{"a":2},"whole":3,"yes":true}`),
		&o); err != nil {
		t.Fatal(err)
	}
	if o.Schema != "a" || *o.Inner.N != 1.5 || o.List[0].S != "é" || o.Map["a"] != 2 || o.Whole != 3 || !o.Yes || o.hidden != 0 {
		t.Errorf("%+v", o)
	}
}

// What Decode takes, the standard decoder takes too, and to the same value.
func FuzzDecode(f *testing.F) {
	for _, s := range []string{`{}`, `{"inner":{"n":1e3}}`, `{"list":[{"s":"\ud800"}]}`, `{"map":{"a":-0}}`, `[[[[`, `{"a":{"a":`,
		"{\"schema\":\"\xff\"}"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		var a, b outer
		if err := Decode(data, &a); err != nil {
			if _, ok := fault.As(err); !ok {
				t.Fatalf("an error that is no fault: %v", err)
			}
			return
		}
		if err := json.Unmarshal(data, &b); err != nil || !reflect.DeepEqual(a, b) {
			t.Fatalf("%q: %+v, the standard library: %+v %v", data, a, b, err)
		}
	})
}
