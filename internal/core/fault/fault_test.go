package fault

import (
	"errors"
	"fmt"
	"math"
	"testing"
)

func TestFaults(t *testing.T) {
	var l List
	if l.Err() != nil {
		t.Error("no faults are an error")
	}
	for _, v := range []float64{math.NaN(), math.Inf(1), math.Inf(-1), 0.9, 2.1} {
		if l.Range("x", v, 1, 2, "mm") {
			t.Errorf("%g is within 1 to 2", v)
		}
	}
	if !l.Range("x", 1, 1, 2, "") || !l.Range("x", 2, 1, 2, "") || len(l) != 5 {
		t.Errorf("the ends are allowed: %v", l)
	}
	if OneOf(&l, "y", "c", []string{"a", "b"}) || !OneOf(&l, "y", "a", []string{"a", "b"}) {
		t.Error("OneOf")
	}
	got, ok := As(fmt.Errorf("reading: %w", l.Err()))
	if !ok || len(got) != 6 || got[5].String() != `y: is "c"; allowed is one of a, b` {
		t.Errorf("%v", got)
	}
	if _, ok := As(errors.New("other")); ok {
		t.Error("another error holds faults")
	}
}
