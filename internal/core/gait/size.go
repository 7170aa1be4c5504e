package gait

import (
	"math"

	"trevik/internal/core/term"
)

// House values of how large a leg is in the picture, told by where it bends while it stands. Lengths are in shanks.
const (
	bendsLow     = -0.06 // under the sole
	bendsAnkle   = 0.265 // where a heel is seen to turn against the leg: over the joint, as the skin and the shoe's rim go along
	bendsKnee    = 1.05
	bendsTop     = 2.4
	bendCounts   = 10.0 // how much surer a bend makes of a size, by how much less is left of what moves
	bendLooks    = 20   // frames, with which it counts so
	bendSlack    = 0.5  // px, by which a row may be off before it counts less
	bendTo       = 0.8  // of a contact: then the heel leaves the ground
	bendRows     = 3    // px from one row that is looked at to the next
	bendBand     = 2    // px to either side, that a row is the mean of
	bendReach    = 12   // px aside, that it is looked for
	bendOff      = 20.0 // of brightness, by which leg surely differs from ground
	bendStray    = 20.0 // of brightness, by which a place may differ before it counts less
	smallestLeg  = 0.4  // of what it is taken for
	largestLeg   = 1.7
	sizeStep     = 1.06
	sizeSD       = 0.35 // of how large legs are filmed, log
	plainSmaller = 0.82 // from where on a leg is read as what it is
	plainLarger  = 1.3
	veryLarge    = 1.4  // from where on the knees are hardly in the picture, and no bend there tells the size
	readBest     = 0.88 // of the size that legs seem to have, as which they are read best: their heels rather too small than too large
	leastBends   = 12   // rows
)

// swaying is how far aside rows of a leg lie in frames in which it stands, against the middle of their contact: px, by row
// and frame; NaN where a row does not tell.
type swaying struct {
	up []float64 // px over the ground, of each row
	x  [][]float64
}

// sways looks at the leg row by row, for itself: no patch is needed, and no size.
func (l *oneLeg) sways(c *cycle, by int, fps float64) *swaying {
	s := &swaying{}
	var ys []int
	for y := min(int(l.sole), l.h-1) - bendBand; y > bendBand; y -= bendRows {
		ys, s.up = append(ys, y), append(s.up, l.sole-float64(y))
	}
	s.x = make([][]float64, len(ys))
	ground := &plot{c.w, c.h, c.back}
	step := max(1, int(math.Round(fps/60)))
	line := func(p *plot, y int) []float32 {
		out := make([]float32, l.w)
		for j := y - bendBand; j <= y+bendBand; j++ {
			for x, v := range p.v[j*l.w : (j+1)*l.w] {
				out[x] += v / (2*bendBand + 1)
			}
		}
		return out
	}
	half := 0.2 * l.shank
	for _, k := range l.contacts {
		middle := k.middle - k.from
		if !k.found || middle < 0 || middle >= len(k.ok) || !k.ok[middle] {
			continue
		}
		to := k.on + int(bendTo*float64(k.off-k.on))
		for row, y := range ys {
			from, until := max(bendReach, int(l.centre(y)-half)), min(l.w-1-bendReach, int(l.centre(y)+half))
			usual, weight, all := line(k.frames[middle], y), make([]float32, l.w), float32(0)
			for x := from; x <= until; x++ {
				if l.within(float64(x), float64(y)) >= 0 {
					g := ground.at((float64(l.x0+x)+0.5)/float64(by)-0.5, (float64(l.y0+y)+0.5)/float64(by)-0.5)
					weight[x] = min(1, float32(math.Abs(float64(usual[x]-g)))/bendOff)
					all += weight[x]
				}
			}
			for f := max(k.on, k.from); f <= to; f += step {
				i := f - k.from
				if i >= len(k.ok) || !k.ok[i] {
					continue
				}
				if all < bendBand {
					s.x[row] = append(s.x[row], math.NaN())
					continue
				}
				s.x[row] = append(s.x[row], aside(usual, line(k.frames[i], y), weight, from, until))
			}
		}
	}
	return s
}

// aside is how far aside a row lies, px.
func aside(usual, now, weight []float32, from, to int) float64 {
	var costs [2*bendReach + 1]float32
	at := 0
	for k := range costs {
		by := k - bendReach
		for x := from; x <= to; x++ {
			if w := weight[x]; w > 0 {
				d := now[x+by] - usual[x]
				d *= d
				costs[k] += w * d / (1 + d/(bendStray*bendStray))
			}
		}
		if costs[k] < costs[at] {
			at = k
		}
	}
	out := float64(at - bendReach)
	if at > 0 && at+1 < len(costs) {
		if a, b, c := costs[at-1], costs[at], costs[at+1]; a+c > 2*b {
			out += float64(a-c) / float64(2*(a+c-2*b))
		}
	}
	return out
}

// left is how much of what a leg sways is left, px², where it bends as one of that shank does: at the ankle and the knee,
// straight between.
func (s *swaying) left(shank float64) float64 {
	nodes := [4]float64{bendsLow * shank, bendsAnkle * shank, bendsKnee * shank, bendsTop * shank}
	hats := make([][4]float64, len(s.up))
	for i, up := range s.up {
		k := 0
		for k < 2 && up > nodes[k+1] {
			k++
		}
		u := (up - nodes[k]) / (nodes[k+1] - nodes[k])
		hats[i][k], hats[i][k+1] = 1-u, u
	}
	sum, of := 0.0, 0.0
	weight := make([]float64, len(s.up))
	for j := range s.x[0] {
		for i := range weight {
			weight[i] = 1
			if math.IsNaN(s.x[i][j]) {
				weight[i] = 0
			}
		}
		for range 6 {
			at := nodesOf(hats, weight, func(i int) float64 { return s.x[i][j] })
			for i, h := range hats {
				if weight[i] == 0 {
					continue
				}
				d := s.x[i][j] - h[0]*at[0] - h[1]*at[1] - h[2]*at[2] - h[3]*at[3]
				weight[i] = 1 / (1 + d*d/(bendSlack*bendSlack))
			}
		}
		for _, w := range weight {
			if w > 0 {
				sum, of = sum+bendSlack*bendSlack*(1-w), of+1
			}
		}
	}
	return sum / max(1, of)
}

// nodesOf is where the nodes of a bent line lie that comes nearest to what was seen, by least squares.
func nodesOf(hats [][4]float64, weight []float64, seen func(i int) float64) (at [4]float64) {
	var a [4][5]float64
	for i, h := range hats {
		if weight[i] == 0 {
			continue
		}
		for r := range h {
			for k := range h {
				a[r][k] += weight[i] * h[r] * h[k]
			}
			a[r][4] += weight[i] * h[r] * seen(i)
		}
	}
	for r := range a {
		a[r][r] += 1e-3 // a node that no row lies near stays
	}
	for r := range a {
		for k := r + 1; k < len(a); k++ {
			f := a[k][r] / a[r][r]
			for m := r; m < len(a[k]); m++ {
				a[k][m] -= f * a[r][m]
			}
		}
	}
	for r := len(a) - 1; r >= 0; r-- {
		at[r] = a[r][4]
		for k := r + 1; k < len(a); k++ {
			at[r] -= a[r][k] * at[k]
		}
		at[r] /= a[r][r]
	}
	return at
}

// sizeOf is how large the legs' shanks are, of what they were taken for: by where they bend, and how large legs are filmed.
func sizeOf(legs map[term.Side]*oneLeg) float64 {
	best, least := 1.0, math.Inf(1)
	if len(legs) == 0 {
		return best
	}
	for size := smallestLeg; size < largestLeg; size *= sizeStep {
		cost := 0.0
		for _, l := range legs {
			d := math.Log(size) / sizeSD
			cost += d * d / 2
			if s := l.swaying; s != nil && len(s.up) >= leastBends && len(s.x[0]) > 0 {
				cost += bendCounts * min(1, float64(len(s.x[0]))/bendLooks) * math.Log(max(1e-6, s.left(size*l.shank)))
			}
		}
		if cost < least {
			best, least = size, cost
		}
	}
	return best
}
