package footprint

import "math"

// House values of a shadow: its border is soft, a print's is not.
const (
	sharpPerMM   = 0.11  // of the print's level a mm, from which a border is a print's
	borderMM     = 1.2   // over which that is looked at
	shadowFrom   = 0.25  // of the print's level, from which a shadow would be taken for print
	leastShadow  = 0.004 // of the picture
	leastSharp   = 0.02  // of the picture, print within sharp borders, beside which there may be a shadow in the midst
	leastSoft    = 0.15  // of a shadow's border in the midst of the picture, at least
	mostOwn      = 0.2   // of it, that is sharp and leads to what is lighter, at most
	coarsestMM   = 0.7   // a pixel, beyond which borders are not told apart
	shadowFollow = 5.0   // mm about which the ground under a shadow is taken
)

// unshadow takes away what is dark without a sharp border, such as the shadow of a hand: all ground that the
// picture's edge leads to without a sharp border between is paper, whatever its shade.
func (r *raster) unshadow(unit float64) {
	if unit > coarsestMM {
		return
	}
	step := max(1, int(math.Round(borderMM/unit/2)))
	smooth := blur(r, max(1, step/2))
	sharp := newMask(r.w, r.h)
	limit := float32(sharpPerMM * unit * float64(2*step))
	for y := range r.h {
		above, below := smooth.v[max(0, y-step)*r.w:], smooth.v[min(r.h-1, y+step)*r.w:]
		row := smooth.v[y*r.w : (y+1)*r.w]
		for x := range row {
			gx, gy := row[min(r.w-1, x+step)]-row[max(0, x-step)], below[x]-above[x]
			sharp.on[y*r.w+x] = gx*gx+gy*gy > limit*limit
		}
	}
	ground := make([]bool, len(r.v))
	var stack []int
	// A border that noise breaks is whole all the same: no way leads past a pixel beside it.
	push := func(x, y int) {
		if i := y*r.w + x; !ground[i] && !sharp.on[i] && !(x > 0 && sharp.on[i-1]) && !(x < r.w-1 && sharp.on[i+1]) &&
			!(y > 0 && sharp.on[i-r.w]) && !(y < r.h-1 && sharp.on[i+r.w]) {
			ground[i] = true
			stack = append(stack, i)
		}
	}
	for x := range r.w {
		push(x, 0)
		push(x, r.h-1)
	}
	for y := range r.h {
		push(0, y)
		push(r.w-1, y)
	}
	shaded := 0
	for len(stack) > 0 {
		i := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if r.v[i] > shadowFrom {
			shaded++
		}
		x, y := i%r.w, i/r.w
		if x > 0 {
			push(x-1, y)
		}
		if x < r.w-1 {
			push(x+1, y)
		}
		if y > 0 {
			push(x, y-1)
		}
		if y < r.h-1 {
			push(x, y+1)
		}
	}
	if float64(shaded) < leastShadow*float64(len(r.v)) {
		return
	}
	// A shadow falls in from the picture's edge; or its own border is soft, and print alone, darker yet, bounds it sharply. What
	// else is dark is print that is faint somewhere along its border, or all about where nothing is sharp.
	dark, printed := newMask(r.w, r.h), 0
	for i, v := range r.v {
		dark.on[i] = ground[i] && v > shadowFrom
		if !ground[i] && v > 0.5 {
			printed++
		}
	}
	midst := float64(printed) > leastSharp*float64(len(r.v))
	labels, parts := pieces(dark)
	soft, beside, own := make([]int, len(parts)), make([]int, len(parts)), make([]int, len(parts))
	beyond := 4*step + 2
	for i, l := range labels {
		x, y := i%r.w, i/r.w
		if l == 0 || x < beyond || y < beyond || x >= r.w-beyond || y >= r.h-beyond {
			continue
		}
		for _, d := range [4]int{-1, 1, -r.w, r.w} {
			switch j := i + d; {
			case dark.on[j]:
			case ground[j]:
				soft[l-1]++
			case r.v[i+d*beyond] > r.v[i]+shadowFrom:
				beside[l-1]++
			default:
				own[l-1]++
			}
		}
	}
	for i, l := range labels {
		if l > 0 {
			p, about := parts[l-1], float64(soft[l-1]+beside[l-1]+own[l-1])
			ground[i] = p.x0 <= 1 || p.y0 <= 1 || p.x1 >= r.w-2 || p.y1 >= r.h-2 ||
				midst && float64(soft[l-1]) > leastSoft*about && float64(own[l-1]) < mostOwn*about
		}
	}
	some, sum := newRaster(r.w, r.h), newRaster(r.w, r.h)
	for i, g := range ground {
		if g {
			some.v[i], sum.v[i] = 1, r.v[i]
		}
	}
	radius := max(1, int(shadowFollow/unit))
	some, sum = blur(some, radius), blur(sum, radius)
	wide, wideSum := blur(some, 4*radius), blur(sum, 4*radius)
	for i := range r.v {
		switch {
		case some.v[i] > 0.02:
			r.v[i] -= sum.v[i] / some.v[i]
		case wide.v[i] > 0.002:
			r.v[i] -= wideSum.v[i] / wide.v[i]
		}
	}
}
