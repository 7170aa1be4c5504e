package cluster

import (
	"strings"
	"testing"
	"time"
)

// The table has a line a kind, its quantiles and faults, and how many requests a second there were.
func TestLoadTable(t *testing.T) {
	parts := 0
	for _, m := range mix {
		parts += m.part
	}
	if parts != 100 || kindOf(0) != mix[0].name || kindOf(99) != mix[len(mix)-1].name {
		t.Errorf("the mix comes to %d of a hundred, from %s to %s", parts, kindOf(0), kindOf(99))
	}
	today := &taken{errors: 2}
	for i := range 100 {
		today.ms = append(today.ms, float64(100-i))
	}
	var out strings.Builder
	if err := table(map[string]*taken{"Today": today, "Due": {ms: []float64{7}}}, 10*time.Second, &out); err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"Today    100    51 ms   96 ms  100 ms  100 ms   2", "Due      1      7 ms    7 ms   7 ms    7 ms     0",
		"all      101", "10 requests a second"} {
		if !strings.Contains(out.String(), want) {
			t.Errorf("%q is not in\n%s", want, out.String())
		}
	}
}
