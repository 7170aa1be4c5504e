package gait

import (
	"errors"
	"sync/atomic"
	"testing"
)

// Each piece of work is done once; the first error, or panic, ends the rest and is told.
func TestEachOf(t *testing.T) {
	for _, n := range []int{0, 1, 3, 4, 5, 97} {
		seen := make([]atomic.Int32, n)
		if err := eachOf(n, func(i int) error { seen[i].Add(1); return nil }); err != nil {
			t.Fatal(err)
		}
		for i := range seen {
			if seen[i].Load() != 1 {
				t.Errorf("piece %d of %d was done %d times", i, n, seen[i].Load())
			}
		}
	}
	wrong := errors.New("wrong")
	var done atomic.Int32
	err := eachOf(100_000, func(i int) error {
		if i == 10 {
			return wrong
		}
		done.Add(1)
		return nil
	})
	if err != wrong || done.Load() == 99_999 {
		t.Errorf("after an error: %v, %d pieces done", err, done.Load())
	}
	defer func() {
		if v := recover(); v != "fell" {
			t.Errorf("a panic came as %v", v)
		}
	}()
	_ = eachOf(9, func(i int) error {
		if i == 7 {
			panic("fell")
		}
		return nil
	})
	t.Error("a panic was lost")
}
