package footprint

import (
	"math"
	"slices"
)

// ink is how much print there is at each place: 0 is paper, 1 the print's usual
// level, whether it is darker or lighter than the paper.
type ink struct {
	*raster
	contrast float64 // the print's level in multiples of the paper's noise
}

// plainContrast is from where the brightness alone is clear enough and no colour
// needs to be asked.
const plainContrast = 16

// inkOf separates print from paper under uneven light, in the channel in which
// they differ most: brightness, or a colour where that is faint. ok is false when
// nothing stands out.
func inkOf(p plane, smooth int, unit float64) (best ink, ok bool) {
	for i := range channels(p.c) {
		if k, found := inkIn(p.channel(i), smooth, unit); found && (!ok || k.contrast > 1.15*best.contrast) {
			best, ok = k, true
		}
		if ok && best.contrast > plainContrast {
			break
		}
	}
	return best, ok
}

// inkIn models the paper of one channel as a smooth surface over the logarithm of
// its brightness, and takes what lies away from it to one side as print: darker or
// lighter, whichever stands out more.
func inkIn(ch *raster, smooth int, unit float64) (ink, bool) {
	r := newRaster(ch.w, ch.h)
	var logs [256 * 8]float32
	for i := range logs {
		logs[i] = float32(math.Log(float64(i)/8 + 8))
	}
	for i, v := range ch.v {
		r.v[i] = logs[min(len(logs)-1, max(0, int(v*8)))]
	}
	r = blur(r, smooth)
	noise := flatten(r)
	dark, darkShare := r.level(-1, noise)
	light, lightShare := r.level(1, noise)
	// A print covers a good part; a deep shadow or a glare in a corner does not.
	top, way := dark, float32(-1)
	if light*math.Sqrt(lightShare) > dark*math.Sqrt(darkShare) {
		top, way = light, 1
	}
	if top == 0 {
		return ink{}, false
	}
	scale := way / float32(top)
	for i := range r.v {
		r.v[i] *= scale
	}
	r.unshadow(unit)
	r.evenOut(max(faintest, 5*noise/top), max(2, int(evenMM/unit)))
	return ink{r, top / noise}, true
}

// House values of a print that is fainter on one side than on the other, where it was half dry.
const (
	faintest   = 0.2  // of the print's usual level, that counts as print at all
	evenMM     = 6.0  // about which its own level is taken
	usualFrom  = 0.88 // of it, from which a print is as dark as usual
	leastLevel = 0.32 // of the usual level
	denseFrom  = 0.35 // the share of the places about that must be print
)

// evenOut divides by the print's own level about each place, where that is below the usual one: half a level
// then is the print's edge also where it is faint.
func (r *raster) evenOut(least float64, radius int) {
	some, sum := newRaster(r.w, r.h), newRaster(r.w, r.h)
	faint := 0
	for i, v := range r.v {
		if v > float32(least) {
			some.v[i], sum.v[i] = 1, min(v, 1)
			if v < 0.6 {
				faint++
			}
		}
	}
	if float64(faint) < 0.01*float64(len(r.v)) {
		return
	}
	some, sum = blur(some, radius), blur(sum, radius)
	for i := range r.v {
		if n := some.v[i]; n > denseFrom {
			// Near an edge the mean holds the edge's own slope: the level is some more.
			// A print that is nearly as dark as usual is left alone.
			if level := 1.08 * sum.v[i] / n; level < usualFrom {
				k := min(1, (usualFrom-level)/0.15)
				r.v[i] /= 1 - k + k*max(leastLevel, level)
			}
		}
	}
}

// level is the usual level of what lies well away from the paper (0) to one side,
// and the share of the picture that has it; 0 when that is next to nothing or all.
// Edges and specks lie below the print's own level, so it is taken above the point
// that splits the two.
func (r *raster) level(way float32, noise float64) (top, share float64) {
	away := make([]float64, 0, 16000)
	step, seen := max(1, len(r.v)/30000), 0
	for i := 0; i < len(r.v); i += step {
		seen++
		if v := float64(way * r.v[i]); v > 4*noise {
			away = append(away, v)
		}
	}
	if all := float64(len(away)) / float64(seen); all < 0.006 || all > 0.75 {
		return 0, 0
	}
	slices.Sort(away)
	cut := min(split(away), len(away)-1)
	return away[cut+(len(away)-cut)/2], float64(len(away)-cut) / float64(seen)
}

// split is Otsu's threshold among sorted values, as an index.
func split(sorted []float64) int {
	total := 0.0
	for _, v := range sorted {
		total += v
	}
	best, at, sum := -1.0, 0, 0.0
	n := float64(len(sorted))
	for i, v := range sorted {
		sum += v
		a, b := float64(i+1), n-float64(i+1)
		if b == 0 {
			break
		}
		d := sum/a - (total-sum)/b
		if s := a * b * d * d; s > best {
			best, at = s, i+1
		}
	}
	return at
}

// terms of the surface: all products of x and y up to the fourth order.
const terms = 15

func basis(x, y float64) [terms]float64 {
	var b [terms]float64
	i := 0
	for o := range 5 {
		for k := range o + 1 {
			b[i] = math.Pow(x, float64(o-k)) * math.Pow(y, float64(k))
			i++
		}
	}
	return b
}

// flatten takes the paper's surface away, so that paper is 0, and gives the
// paper's noise. The paper is what lies at the picture's border; from there it is
// followed inward by trimmed least squares.
func flatten(r *raster) float64 {
	type sampled struct {
		b      [terms]float64
		v      float64
		border bool
	}
	step := max(1, int(math.Sqrt(float64(len(r.v))/9000)))
	var s []sampled
	frame := 0.06
	for y := step / 2; y < r.h; y += step {
		for x := step / 2; x < r.w; x += step {
			fx, fy := 2*float64(x)/float64(r.w)-1, 2*float64(y)/float64(r.h)-1
			s = append(s, sampled{basis(fx, fy), float64(r.at(x, y)), max(math.Abs(fx), math.Abs(fy)) > 1-2*frame})
		}
	}
	use := make([]bool, len(s))
	res := make([]float64, len(s))
	for i := range s {
		use[i] = s[i].border
	}
	var coef [terms]float64
	noise := 0.0
	for pass := range 14 {
		n := [...]int{1, 3, 6, 10, 15}[min(4, pass/2+1)]
		coef = solve(func(add func(b *[terms]float64, v float64)) {
			for i := range s {
				if use[i] {
					add(&s[i].b, s[i].v)
				}
			}
		}, n)
		var kept []float64
		for i := range s {
			res[i] = s[i].v
			for k := range n {
				res[i] -= coef[k] * s[i].b[k]
			}
			if use[i] {
				kept = append(kept, math.Abs(res[i]))
			}
		}
		slices.Sort(kept)
		noise = max(1.4826*kept[len(kept)/2], 0.002)
		count := 0
		for i := range s {
			use[i] = math.Abs(res[i]) < 3*noise
			if use[i] {
				count++
			}
		}
		if count < len(s)/50 {
			for i := range s {
				use[i] = s[i].border
			}
		}
	}
	// The surface is evaluated on a coarse grid and drawn between: it is smooth.
	const cell = 16
	gw, gh := r.w/cell+2, r.h/cell+2
	grid := newRaster(gw, gh)
	for y := range gh {
		for x := range gw {
			b := basis(2*float64(x*cell)/float64(r.w)-1, 2*float64(y*cell)/float64(r.h)-1)
			v := 0.0
			for k := range terms {
				v += coef[k] * b[k]
			}
			grid.v[y*gw+x] = float32(v)
		}
	}
	for y := range r.h {
		for x := range r.w {
			r.v[y*r.w+x] -= grid.sample(float64(x)/cell, float64(y)/cell)
		}
	}
	return noise
}

// solve is a least-squares fit of the first n terms, lightly held towards 0.
func solve(each func(add func(b *[terms]float64, v float64)), n int) [terms]float64 {
	var m [terms][terms + 1]float64
	each(func(b *[terms]float64, v float64) {
		for i := range n {
			for j := i; j < n; j++ {
				m[i][j] += b[i] * b[j]
			}
			m[i][terms] += b[i] * v
		}
	})
	return solved(&m, n)
}

// solved solves the first n normal equations, lightly held towards 0.
func solved(m *[terms][terms + 1]float64, n int) [terms]float64 {
	for i := range n {
		m[i][i] += 1e-6 * (1 + m[0][0])
		for j := range i {
			m[i][j] = m[j][i]
		}
	}
	for c := range n {
		best := c
		for r := c + 1; r < n; r++ {
			if math.Abs(m[r][c]) > math.Abs(m[best][c]) {
				best = r
			}
		}
		m[c], m[best] = m[best], m[c]
		for r := range n {
			if r == c || m[c][c] == 0 {
				continue
			}
			k := m[r][c] / m[c][c]
			for j := c; j < n; j++ {
				m[r][j] -= k * m[c][j]
			}
			m[r][terms] -= k * m[c][terms]
		}
	}
	var out [terms]float64
	for i := range n {
		if m[i][i] != 0 {
			out[i] = m[i][terms] / m[i][i]
		}
	}
	return out
}
