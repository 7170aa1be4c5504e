package learn

import (
	"math"

	"trevik/internal/core/units"
)

// Promise is a chance that was told, and whether it came.
type Promise struct {
	Told float64 // 0 to 1
	Kept bool
}

// Came is how often what was told came, of the promises whose chance lies in a fifth.
type Came struct {
	Told float64 `json:"told"` // in the mean
	Kept float64 `json:"kept"` // the share
	N    int     `json:"n"`
	Lo   float64 `json:"lo"` // Wilson's interval, 95 %
	Hi   float64 `json:"hi"`
}

// Kept is how well a kind of promise was kept: by fifths of the chance that was told, those without a promise left out; the Brier
// score (0 is perfect, 0.25 is a coin); and by how much more was told than came.
type Kept struct {
	N     int     `json:"n"`
	Brier float64 `json:"brier"`
	Lean  float64 `json:"lean"`
	By    []Came  `json:"by"`
}

const (
	fifths   = 5
	wilson95 = 1.959964
)

// Promises tells how well promises were kept; one whose chance is no number from 0 to 1 is left out.
func Promises(list []Promise) Kept {
	out := Kept{By: []Came{}}
	var by [fifths]Came
	for _, p := range list {
		if !(p.Told >= 0 && p.Told <= 1) {
			continue
		}
		came := 0.0
		if p.Kept {
			came = 1
		}
		b := &by[min(int(p.Told*fifths), fifths-1)]
		b.N++
		b.Told, b.Kept = b.Told+p.Told, b.Kept+came
		out.N++
		out.Brier += (p.Told - came) * (p.Told - came)
		out.Lean += p.Told - came
	}
	if out.N == 0 {
		return out
	}
	out.Brier, out.Lean = units.Round(out.Brier/float64(out.N), 4), units.Round(out.Lean/float64(out.N), 4)
	for _, b := range by {
		if b.N == 0 {
			continue
		}
		n := float64(b.N)
		b.Lo, b.Hi = Wilson(int(b.Kept), b.N)
		b.Told, b.Kept = units.Round(b.Told/n, 4), units.Round(b.Kept/n, 4)
		out.By = append(out.By, b)
	}
	return out
}

// Wilson is the 95 % interval of a share, of so many of n that came; 0 to 1 where n is 0. Source: Wilson 1927.
func Wilson(came, n int) (lo, hi float64) {
	if n == 0 {
		return 0, 1
	}
	const z2 = wilson95 * wilson95
	m, p := float64(n), float64(came)/float64(n)
	mid := (p + z2/(2*m)) / (1 + z2/m)
	half := wilson95 * math.Sqrt(p*(1-p)/m+z2/(4*m*m)) / (1 + z2/m)
	return units.Round(max(mid-half, 0), 4), units.Round(min(mid+half, 1), 4)
}
