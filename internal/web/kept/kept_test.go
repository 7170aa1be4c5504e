package kept

import (
	"errors"
	"html/template"
	"strings"
	"testing"
)

// What nobody asks for goes, and what is asked for again and again stays.
func TestGoes(t *testing.T) {
	var k By[int]
	drawn := 0
	long := template.HTML(strings.Repeat("x", 1<<16))
	of := func(n int) { k.Drawn(n, func() template.HTML { drawn++; return long }) }
	const all = 10 * mostHeld >> 16
	for n := range all {
		of(n)
		of(-1)
		held := 0
		for _, some := range []map[int]template.HTML{k.fresh, k.stale} {
			for _, is := range some {
				held += len(is)
			}
		}
		if held > 2*(mostHeld+2<<16) {
			t.Fatalf("%d bytes are held", held)
		}
	}
	if drawn != all+1 {
		t.Errorf("%d were drawn of %d", drawn, all+1)
	}
}

// What was asked for long ago is not held for ever: it may be of somebody who is gone.
func TestGrowsOld(t *testing.T) {
	var k By[int]
	ask := func(n int) { k.Drawn(n, func() template.HTML { return "x" }) }
	ask(1)
	for range 2 {
		k.since = k.since.Add(-2 * longest)
		ask(2)
	}
	if _, there := k.fresh[1]; there {
		t.Error("it is as fresh as what was asked for now")
	}
	if _, there := k.stale[1]; there {
		t.Error("it is held still")
	}
}

// What fails is tried again.
func TestFails(t *testing.T) {
	var k By[string]
	if _, err := k.Of("a", func() (template.HTML, error) { return "", errors.New("no") }); err == nil {
		t.Error("it did not fail")
	}
	if is, err := k.Of("a", func() (template.HTML, error) { return "yes", nil }); err != nil || is != "yes" {
		t.Errorf("%q, %v", is, err)
	}
}
