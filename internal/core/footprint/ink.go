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

// leastContrast is a print's level in multiples of the paper's noise, below which nothing stands out.
const leastContrast = 3

// inkIn models the paper of one channel as a smooth surface over the logarithm of
// its brightness, and takes what lies away from it to one side as print: darker or
// lighter, whichever stands out more.
func inkIn(ch *raster, smooth int, unit float64) (ink, bool) {
	r := logOf(ch, smooth)
	noise := flatten(r)
	dark, darkShare := r.level(-1, noise)
	light, lightShare := r.level(1, noise)
	// A print covers a good part; a deep shadow or a glare in a corner does not.
	top, way := dark, float32(-1)
	if light*math.Sqrt(lightShare) > dark*math.Sqrt(darkShare) {
		top, way = light, 1
	}
	if top < leastContrast*noise {
		return ink{}, false
	}
	r.times(way / float32(top))
	r.unshadow(unit)
	r.evenOut(max(faintest, 5*noise/top), max(2, int(evenMM/unit)))
	return ink{r, top / noise}, true
}

// borderLevels are what a print may be darker or lighter than its paper by, in the logarithm of the brightness, where the
// paper's own shade hides it.
var borderLevels = []float64{0.2, 0.33, 0.55, 0.9}

// lineMM is how wide a line may be that is drawn or printed on the paper, which would fence its squares in.
const lineMM = 1.4

// levelAgrees is how far a level that is found may be from that with which it was looked for.
const levelAgrees = 1.6

// inkByBorder separates print from paper by the print's sharp border alone: on paper that is creased, squared or half in
// a shadow no smooth surface lies, but each way of the paper's own is soft. It tries some levels that a print may have.
func inkByBorder(p plane, smooth int, unit float64) (best ink, ok bool) {
	r := logOf(p.channel(0), smooth)
	flatten(r)
	line := max(1, int(math.Round(lineMM/unit/2)))
	for _, way := range []float32{-1, 1} {
		bare := r.ranked(line, -way).ranked(line, way) // without lines that are thinner
		for _, level := range borderLevels {
			q := newRaster(r.w, r.h)
			copy(q.v, bare.v)
			q.times(way / float32(level))
			q.unshadow(unit)
			noise := q.spread()
			top, _ := q.level(1, noise)
			if top < 1/levelAgrees || top > levelAgrees || top < leastContrast*noise || top/noise < best.contrast {
				continue
			}
			q.times(1 / float32(top))
			q.evenOut(max(faintest, 5*noise/top), max(2, int(evenMM/unit)))
			best, ok = ink{q, top / noise}, true
		}
	}
	return best, ok
}

// logOf is the logarithm of a channel's brightness, smoothed.
func logOf(ch *raster, smooth int) *raster {
	r := newRaster(ch.w, ch.h)
	var logs [256 * 8]float32
	for i := range logs {
		logs[i] = float32(math.Log(float64(i)/8 + 8))
	}
	for i, v := range ch.v {
		r.v[i] = logs[min(len(logs)-1, max(0, int(v*8)))]
	}
	return blur(r, smooth)
}

func (r *raster) times(k float32) {
	for i := range r.v {
		r.v[i] *= k
	}
}

// ranked is the greatest value about each place, so many pixels to either side; with a way of -1 the least.
func (r *raster) ranked(about int, way float32) *raster {
	out := r
	for range 2 { // along rows, and turned over the diagonal along columns
		in, turned := out, newRaster(out.h, out.w)
		for y := range in.h {
			row := in.v[y*in.w : (y+1)*in.w]
			for x := range row {
				best := row[x]
				for _, v := range row[max(0, x-about):min(in.w, x+about+1)] {
					if way*v > way*best {
						best = v
					}
				}
				turned.v[x*in.h+y] = best
			}
		}
		out = turned
	}
	return out
}

// spread is how far places usually lie from 0, as a standard deviation.
func (r *raster) spread() float64 {
	step := max(1, len(r.v)/30000)
	var off []float64
	for i := 0; i < len(r.v); i += step {
		off = append(off, math.Abs(float64(r.v[i])))
	}
	return max(1.4826*median(off), 0.002)
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
