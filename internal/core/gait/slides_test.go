package gait

import "testing"

// A foot that glides stands once it stops to move sideways; one that rolls as it lands stood before.
func TestWhereAFootStops(t *testing.T) {
	var glides, rolls, y []float64
	for i := range 40 {
		f := float64(i)
		glides = append(glides, min(f, 12))
		rolls = append(rolls, min(max(0, f-5), 6))
		y = append(y, min(5*f, 50)+0.3*f) // on the floor from frame 10 on
	}
	if got := slides(glides, 4, 20, 0.6); got != 12 {
		t.Errorf("a foot that glides until frame 12 stands from %d on", got)
	}
	if got := slides(rolls, 5, 20, 0.6); got != 5 {
		t.Errorf("a foot that lands in frame 5 and rolls stands from %d on", got)
	}
	still := make([]float64, 40)
	if got := landed(still, y, 16, 4, 0.6); got != 10 {
		t.Errorf("a foot that stops to come down in frame 10 stands from %d on", got)
	}
	if got := landed(glides, y, 16, 4, 0.6); got != 16 {
		t.Errorf("before it moves sideways nothing is looked for, but it is said to stand from %d on", got)
	}
	for i := range y {
		y[i] = 0.3 * float64(i)
	}
	if got := landed(still, y, 16, 4, 0.6); got != 16 {
		t.Errorf("where nothing stops to come down, it stands from %d on, not 16", got)
	}
}
