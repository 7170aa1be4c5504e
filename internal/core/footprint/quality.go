package footprint

import (
	"fmt"
	"math"
	"slices"
)

// House values of what is a foot, as shares.
const (
	leastBall, mostBall    = 0.27, 0.66 // the ball's width of the length
	leastHeel, mostHeel    = 0.38, 1.08 // the heel's width of the ball's
	mostForked             = 0.30       // of the length
	mostDryForked          = 0.35       // where patches stayed dry
	mostBroken             = 0.30       // arch index of a print in two parts
	mostToeless            = 0.33       // without a toe: a full print shows toes, or is a puddle
	leastToeless           = 0.02
	longestToeless         = 248.0 // mm, of a print without its toes
	mostIndex              = 0.46
	leastFore, leastBehind = 0.22, 0.14 // of the body's area
)

// plausible refuses what is cut out cleanly and is no foot: a hand, a patch, a
// shadow's edge.
func (f *foot) plausible(r *Reading, w breadths, a frame, opt Options) error {
	body := r.Areas.Heel + r.Areas.Mid + r.Areas.Fore
	ball, heel := w.ball/a.length(), w.heel/w.ball
	switch {
	case ball < leastBall || ball > mostBall:
		return noPrint(fmt.Sprintf("its widest place is %.2f of its length", ball))
	case heel < leastHeel || heel > mostHeel:
		return noPrint(fmt.Sprintf("its ends are as %.2f to 1 in width", heel))
	case f.forked(a) > mostForked && (!f.patchy || f.forked(a) > mostDryForked):
		return noPrint("it is split lengthwise, as a hand is")
	case f.broken && !f.patchy && r.ArchIndex > mostBroken: // a patch that stayed dry may part any foot
		return noPrint("its two parts do not lie as heel and ball do")
	case len(f.toes) == 0 && opt.ToeLine == nil && (r.ArchIndex > mostToeless || f.two && r.ArchIndex < leastToeless):
		return noPrint("it shows neither toes nor an arch, as a puddle does; press once more, with the toes")
	case len(f.toes) == 0 && opt.ToeLine == nil && r.NoToesMM > longestToeless:
		return noPrint(fmt.Sprintf("it is %.0f mm long without a toe, as a shoe's sole is", r.NoToesMM))
	case r.ArchIndex > mostIndex || r.Areas.Fore/body < leastFore || r.Areas.Heel/body < leastBehind:
		return noPrint("its thirds are not a foot's")
	}
	return nil
}

// forked is the share of the body's length over which a line across it leaves the
// print and meets it again.
func (f *foot) forked(a frame) float64 {
	left, right := f.extent(a.across, a.from)
	forks, all := 0.0, 0.0
	gapPx := 4 / f.unit
	for t := a.lo + 1; t < a.hi; t += 2 / f.unit {
		runs, gap := 0, gapPx+1
		for s := left - 1; s <= right+1; s++ {
			p := a.place(t, s)
			if !f.body.get(int(math.Round(p.X)), int(math.Round(p.Y))) {
				gap++
				continue
			}
			if gap > gapPx {
				runs++
			}
			gap = 0
		}
		all++
		if runs > 1 {
			forks++
		}
	}
	return forks / max(1, all)
}

// touchesEdge says whether the print reaches the worked picture's edge.
func (f *foot) touchesEdge() bool {
	n := 0
	count := func(x, y int) {
		if x+f.x0 == 0 || y+f.y0 == 0 || x+f.x0 == f.fullW-1 || y+f.y0 == f.fullH-1 {
			n++
		}
	}
	f.each(func(x, y float64) { count(int(x), int(y)) })
	for _, tt := range f.toes {
		for _, i := range tt.at {
			count(i%f.w, i/f.w)
		}
	}
	return float64(n)*f.unit > 4
}

// quality scores the reading and flags what is wrong with it.
func (f *foot) quality(r *Reading, k ink) {
	score := 1.0
	mark := func(name string, factor float64) {
		r.flag(name)
		score *= factor
	}
	if r.Scale.Source == "unknown" {
		r.flag("no_scale")
	}
	if f.cutOff {
		mark("cut_off", 0.4)
	}
	if f.two {
		mark("two_prints", 0.6)
	}
	if len(f.toes) == 0 {
		mark("no_toes", 0.6)
	}
	if f.broken {
		r.flag("broken_arch")
	}
	if k.contrast < lowContrast {
		mark("low_contrast", max(0.45, k.contrast/lowContrast))
	}
	edge := f.edgeWidth(k) * f.unit
	if edge > softEdgeMM {
		mark("blurred", max(0.5, softEdgeMM/edge))
	}
	score *= 1 - 0.08*min(1, max(0, edge-1)/4)
	score *= 0.9 + 0.1*f.headingX
	if f.guessed {
		score *= 0.5
	}
	score *= 1 - min(0.5, faintCounts*max(0, f.faint(k)-faintLeast))
	score *= 1 - min(0.6, 4*f.dry) // what stayed dry at the border is not told from where nothing stood
	r.Score = math.Round(1000*max(leastScore, min(1, score))) / 1000
}

// House values of what is neither print nor paper for sure.
const (
	faintFrom, faintTo = 0.25, 0.6 // of the print's usual level
	faintMM            = 1.0       // half as wide as that is at least: less is an edge
	faintLeast         = 0.002     // of the body's area
	faintCounts        = 20.0
)

// faint is how much lies about the arch that may be print or not, as a share of the body: a band pressed so lightly that it
// is half as dark.
func (f *foot) faint(k ink) float64 {
	a := f.about()
	r := max(2, int(math.Round(faintMM/f.unit)))
	between := func(x, y int) bool { v := k.at(x, y); return v > faintFrom && v < faintTo }
	n := 0
	for y := r; y < f.h-r; y++ {
		for x := r; x < f.w-r; x++ {
			if between(x, y) && between(x-r, y) && between(x+r, y) && between(x, y-r) && between(x, y+r) {
				if t := a.share(float64(x), float64(y)); t > 0.2 && t < 0.8 {
					n++
				}
			}
		}
	}
	return float64(n) / float64(max(1, f.area()))
}

// edgeWidth is how wide the print's edge is, in pixels: the level between paper and
// print over the slope at the edge.
func (f *foot) edgeWidth(k ink) float64 {
	var slopes []float64
	for y := 2; y < f.h-2; y++ {
		for x := 2; x < f.w-2; x++ {
			if f.body.on[y*f.w+x] && !(f.body.get(x-1, y) && f.body.get(x+1, y) && f.body.get(x, y-1) && f.body.get(x, y+1)) {
				gx, gy := float64(k.at(x+1, y)-k.at(x-1, y))/2, float64(k.at(x, y+1)-k.at(x, y-1))/2
				slopes = append(slopes, math.Hypot(gx, gy))
			}
		}
	}
	if len(slopes) == 0 {
		return 0
	}
	slices.Sort(slopes)
	return 1 / max(1e-3, slopes[len(slopes)/2])
}
