package gait

import (
	"math"

	"trevik/internal/core/fault"
)

// House values of the search for the dots' hue.
const (
	sampleFrames = 16
	hueStep      = 15.0 // degrees between the directions that are tried
	enoughLike   = 0.3  // a score below this is no set of dots
)

// thresholds of vividness that are tried: a dot on vivid skin or shoe wants a high
// one, a dim film a low one.
var thresholds = []uint8{18, 26, 36, 48, 62, 78, 95}

// look is a hue with the vividness from which a sample belongs to a dot.
type look struct {
	hue   *hue
	vivid uint8
	score float64
}

// findLook finds the hue whose round spots of like size are as many as there should
// be and move. given, when not nil, is the hue that was named.
func findLook(samples []chroma, expected int, given *float64) (look, error) {
	var best look
	var f finder
	try := func(h *hue, levels []uint8) {
		for _, t := range levels {
			if s := scoreLook(&f, samples, h, t, expected); s > best.score {
				best = look{h, t, s}
			}
		}
	}
	if given != nil {
		for _, turn := range []float64{0, -12, 12} {
			try(hueOf(*given+turn+360), thresholds)
		}
	} else {
		for a := 0.0; a < 360; a += hueStep {
			h := newHue(math.Cos(a*math.Pi/180), math.Sin(a*math.Pi/180))
			if vividEnough(samples, h) {
				try(h, thresholds)
			}
		}
	}
	if best.score < enoughLike {
		field, what := "markers", "no set of round dots of one vivid colour that moves with the legs"
		if given != nil {
			field, what = "dot_hue_deg", "no set of round dots of that hue that moves with the legs"
		}
		return look{}, fault.List{{Field: field, Text: "is to find the dots, and there is " + what +
			"; stick them on, name their hue, or mark them by hand on a few frames"}}
	}
	// Once more round the colour that the spots really have.
	if h := ownHue(&f, samples, best); h != nil {
		was := best
		best.score = 0
		try(h, thresholds)
		if best.score < was.score-0.02 {
			best = was
		}
	}
	best.vivid = steady(&f, samples, best, expected)
	return best, nil
}

// steady is the middle of the run of thresholds that do as well as the best.
func steady(f *finder, samples []chroma, best look, expected int) uint8 {
	lo, hi := best.vivid, best.vivid
	for t := int(best.vivid) + 6; t < 220; t += 6 {
		if scoreLook(f, samples, best.hue, uint8(t), expected) < best.score-0.02 {
			break
		}
		hi = uint8(t)
	}
	for t := int(best.vivid) - 4; t >= 14; t -= 4 {
		if scoreLook(f, samples, best.hue, uint8(t), expected) < best.score-0.02 {
			break
		}
		lo = uint8(t)
	}
	return lo + (hi-lo)/2
}

// vividEnough says whether a hue has enough samples to be worth a closer look.
func vividEnough(samples []chroma, h *hue) bool {
	n := 0
	for i := range samples {
		c := &samples[i]
		for j := 0; j < len(c.cb); j += 3 {
			if h.at(c, j) >= thresholds[0] {
				n++
			}
		}
	}
	return n >= 2*len(samples)
}

// scoreLook is 0 to 1: how near the round, like-sized, moving spots of each frame
// are to the number that is expected.
func scoreLook(f *finder, samples []chroma, h *hue, vivid uint8, expected int) float64 {
	all := make([][]spot, len(samples))
	for i := range samples {
		spots, ok := f.find(&samples[i], h, vivid)
		if !ok {
			return 0
		}
		for _, s := range spots {
			if s.round >= 0.55 && s.diameter >= 4 {
				all[i] = append(all[i], s)
			}
		}
		all[i] = likeSized(all[i])
	}
	total, vividness, n := 0.0, 0.0, 0
	for i, spots := range all {
		moving := 0
		for _, s := range spots {
			still := 0
			for j, others := range all {
				if j != i && hasSpotNear(others, s.Point, 1) {
					still++
				}
			}
			if 3*still < 2*(len(all)-1) || len(all) == 1 {
				moving++
				vividness += s.core
				n++
			}
		}
		k := float64(moving) / float64(expected)
		if k > 1 {
			k = max(0, 1-1.5*(k-1))
		}
		total += k
	}
	if n == 0 {
		return 0
	}
	// Of two that fit alike, the more vivid.
	return total / float64(len(all)) * (0.85 + 0.15*min(1, vividness/float64(n)/100))
}

func hasSpotNear(spots []spot, p Point, within float64) bool {
	for _, s := range spots {
		if math.Abs(s.X-p.X) <= within && math.Abs(s.Y-p.Y) <= within {
			return true
		}
	}
	return false
}

// ownHue is the mean colour within the spots of a look.
func ownHue(f *finder, samples []chroma, l look) *hue {
	var u, v float64
	for i := range samples {
		c := &samples[i]
		spots, _ := f.find(c, l.hue, l.vivid)
		for _, s := range likeSized(spots) {
			x, y := int(math.Round((s.X-0.5)/2)), int(math.Round((s.Y-0.5)/2))
			if x >= 0 && y >= 0 && x < c.w && y < c.h {
				u += float64(c.cb[y*c.w+x])
				v += float64(c.cr[y*c.w+x])
			}
		}
	}
	if u == 0 && v == 0 {
		return nil
	}
	return newHue(u, v)
}
