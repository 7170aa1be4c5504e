package footprint

import (
	"fmt"
	"math"
	"slices"
)

// foot is a print found in a mask: its body without toes, and its toes.
type foot struct {
	w, h     int // of the part about the print
	x0, y0   int // where that lies in the worked picture
	fullW    int // the worked picture
	fullH    int
	unit     float64 // mm a pixel, guessed from the foot where the scale is unknown
	body     *mask
	toes     []*toe
	dir      Point // from heel to toes, unit
	broken   bool
	two      bool
	cutOff   bool
	guessed  bool    // where the ball ends before toes that run into it
	dry      float64 // the share of the body that stayed dry, in holes
	patchy   bool    // so much or so often that its border has dry patches, too
	headingX float64 // how sure the heel end is, 0–1
}

// spots are the pieces of a mask: the label of each pixel, the pieces, and which are the body's.
type spots struct {
	label []int32
	all   []piece
	body  map[int]bool
	chain map[int]bool // toes that touch one another
}

// House values of what a foot looks like.
const (
	leastShare         = 0.012 // of the picture that a print covers
	pieceOfBody        = 0.10  // of the largest piece: heel and ball apart
	stoutest, slimmest = 1.3, 5.2
	shortest, longest  = 110.0, 360.0 // mm
	withoutToesMM      = 225.0        // a print's body, where the scale is unknown: some 215, with joined toes more
	holeMM2            = 30.0         // a dry spot of so much is still contact
	mostPieces         = 4000
	padShare           = 0.32 // of the body's reach, kept about it
)

// findFoot picks the pieces of a mask that make a foot. turned takes for the heel the end that looks less like it.
func findFoot(m *mask, unit float64, known, turned bool) (*foot, error) {
	holes := fillHoles(m, holeMM2/(unit*unit))
	labels, all := pieces(m)
	if len(all) > mostPieces {
		return nil, noPrint("the picture is full of small spots")
	}
	slices.SortFunc(all, func(a, b piece) int { return b.area - a.area })
	if len(all) == 0 || float64(all[0].area) < leastShare*float64(m.w*m.h) {
		return nil, noPrint("no piece is large enough")
	}
	f := &foot{w: m.w, h: m.h, unit: unit}
	main := all[0]
	s := spots{labels, all, map[int]bool{main.label: true}, map[int]bool{}}
	var parts, others []piece // that lie in line with it, as heel and ball do, and other feet
	for _, p := range all[1:] {
		if float64(p.area) < pieceOfBody*float64(main.area) {
			break
		}
		if chainOf(main, p) || aheadOf(main, p) {
			s.chain[p.label] = true
			continue
		}
		switch goesWith(main, p) {
		case anotherFoot:
			others = append(others, p)
		case samePrint:
			parts = append(parts, p)
		default:
			// It may be toes that touch one another: where it lies will tell.
			s.chain[p.label] = float64(p.area) < chainMost*float64(main.area)
		}
	}
	for k, p := range parts {
		// Heel and ball are the largest; what lies ahead of them is toes, not a part of either.
		if k > 0 && beyond(main, parts[0], p) {
			s.chain[p.label] = true
			continue
		}
		s.body[p.label] = true
		f.broken = true
	}
	for _, p := range others {
		if f.broken && beyond(main, parts[0], p) && float64(p.area) < mostChain*float64(main.area+parts[0].area) {
			s.chain[p.label] = true
		} else {
			f.two = true
		}
	}
	s = f.crop(s)
	f.body = newMask(f.w, f.h)
	for i, l := range s.label {
		f.body.on[i] = s.body[int(l)]
	}
	mean, along, across := f.moments()
	f.dir = along
	lo, hi := f.extent(along, mean)
	if !known {
		f.unit = withoutToesMM / (hi - lo)
	}
	left, right := f.extent(across, mean)
	if ratio := (hi - lo) / (right - left); ratio < stoutest || ratio > slimmest {
		return nil, noPrint(fmt.Sprintf("the largest piece is %.1f times as long as wide", ratio))
	}
	if mm := (hi - lo) * f.unit; known && (mm < shortest || mm > longest) {
		return nil, noPrint(fmt.Sprintf("the largest piece is %.0f mm long", mm))
	}
	f.heading(s, turned)
	seen := slices.Clone(f.body.on)
	f.fillDry(s, holes)
	if was := f.dir; f.patchy && !turned { // patches at the heel look like toes until they are filled
		if f.heading(s, false); f.dir != was { // what was filled before was filled between the toes
			f.body.on = seen
			f.fillDry(s, holes)
		}
	}
	f.cutToes(f.toeLike(s))
	if f.patchy { // without its toes no hole lies between them
		fillHoles(f.body, dryMM2/(f.unit*f.unit))
	}
	f.looseToes(s)
	f.cutOff = f.touchesEdge()
	return f, nil
}

// House values of dry patches.
const (
	dryMM2   = 1500.0 // a hole behind the ball's front of up to so much is a patch that stayed dry
	dryEnd   = 0.82   // of the print's length; ahead of it a hole may lie between toes
	patchy   = 0.015  // of the body in holes, from which bays of its border are dry patches, too
	patches  = 3      // holes of some size, of which the same is said
	patchMM2 = 2.0
	poreMM   = 1.8  // half the width of the largest hole; below it all are pores of the skin or the paper
	bayMM    = 4.5  // half the width of a bay that is closed, at most
	wideMM   = 12.0 // of one in heel or ball, where the border bends outward
	bayLike  = 1.5  // half widths of the largest hole, of a bay: pores do not part toes from the ball
	wideLike = 4.0
	heelEnd  = 0.26 // of the print's length
	ballFrom = 0.66
)

// fillDry closes what stayed dry of the print's inside: the foot stood there. small are the holes of the picture
// that were closed before.
func (f *foot) fillDry(s spots, small []piece) {
	a := f.about()
	labels, all := pieces(not(f.body))
	dry := make([]bool, len(all)+1)
	holes, n, largest := 0, 0, 0
	for _, p := range all {
		dry[p.label] = float64(p.area)*f.unit*f.unit <= dryMM2 && a.share(p.cx, p.cy) < dryEnd && p.x0 > 0 && p.y0 > 0 &&
			p.x1 < f.w-1 && p.y1 < f.h-1
		if dry[p.label] {
			holes, n, largest = holes+p.area, n+1, max(largest, p.area)
		}
	}
	for i, l := range labels {
		f.body.on[i] = f.body.on[i] || dry[l]
	}
	for _, p := range small {
		x, y, mm2 := p.x0-f.x0, p.y0-f.y0, float64(p.area)*f.unit*f.unit
		if mm2 >= patchMM2 && f.body.get(x, y) && a.share(float64(x), float64(y)) < dryEnd {
			holes, n, largest = holes+p.area, n+1, max(largest, p.area)
		}
	}
	f.dry = float64(holes) / float64(max(1, f.area()))
	half := math.Sqrt(float64(largest)/math.Pi) * f.unit
	if f.patchy = half >= poreMM && (f.dry >= patchy || n >= patches); !f.patchy {
		return
	}
	f.joinDry(s, a)
	f.closeBays(a, min(bayMM, bayLike*half), func(t float64) bool { return t < dryEnd })
	f.closeBays(a, min(wideMM, wideLike*half), func(t float64) bool { return t < heelEnd || t > ballFrom && t < dryEnd })
	fillHoles(f.body, holeMM2/(f.unit*f.unit))
}

// joinDry adds the parts that dry patches parted from the rest.
func (f *foot) joinDry(s spots, a frame) {
	near := distance(not(f.body), false)
	join := map[int32]bool{} // by label: what was cropped away is left out of s.all, and the others keep theirs
	for _, p := range s.all {
		if at := a.share(p.cx, p.cy); !s.body[p.label] && at > 0 && at < dryEnd {
			join[int32(p.label)] = true
		}
	}
	apart := map[int32]float32{}
	for i, l := range s.label {
		if l == 0 || !join[l] {
			continue
		}
		if d, seen := apart[l]; !seen || near.v[i] < d {
			apart[l] = near.v[i]
		}
	}
	for i, l := range s.label {
		if l > 0 && join[l] && float64(apart[l]) < 2*bayMM/f.unit {
			f.body.on[i] = true
		}
	}
}

// closeBays closes the body by a disc, where along its length it may be.
func (f *foot) closeBays(a frame, mm float64, where func(share float64) bool) {
	grown := newMask(f.w, f.h)
	for i, d := range distance(not(f.body), false).v {
		grown.on[i] = float64(d) <= mm/f.unit
	}
	for i, d := range distance(grown, false).v {
		if !f.body.on[i] && float64(d) > mm/f.unit && where(a.share(float64(i%f.w), float64(i/f.w))) {
			f.body.on[i] = true
		}
	}
}

// crop keeps the part of the worked picture about the print: what comes after looks
// at nothing else. x0 and y0 say where it lies.
func (f *foot) crop(s spots) spots {
	x0, y0, x1, y1 := f.w, f.h, 0, 0
	for _, p := range s.all {
		if s.body[p.label] {
			x0, y0, x1, y1 = min(x0, p.x0), min(y0, p.y0), max(x1, p.x1), max(y1, p.y1)
		}
	}
	pad := int(padShare*float64(max(x1-x0, y1-y0))) + 4
	x0, y0, x1, y1 = max(0, x0-pad), max(0, y0-pad), min(f.w-1, x1+pad), min(f.h-1, y1+pad)
	w, h := x1-x0+1, y1-y0+1
	near := spots{label: make([]int32, w*h), body: s.body, chain: s.chain}
	for y := range h {
		copy(near.label[y*w:(y+1)*w], s.label[(y+y0)*f.w+x0:(y+y0)*f.w+x1+1])
	}
	for _, p := range s.all {
		if p.x1 < x0 || p.x0 > x1 || p.y1 < y0 || p.y0 > y1 {
			continue
		}
		p.cx, p.cy = p.cx-float64(x0), p.cy-float64(y0)
		p.x0, p.x1, p.y0, p.y1 = max(0, p.x0-x0), min(w-1, p.x1-x0), max(0, p.y0-y0), min(h-1, p.y1-y0) // part of it may lie outside
		near.all = append(near.all, p)
	}
	f.fullW, f.fullH, f.x0, f.y0, f.w, f.h = f.w, f.h, x0, y0, w, h
	return near
}

// axes are a piece's standard deviations along its two directions, and the first of these.
func (p piece) axes() (major, minor, ux, uy float64) {
	t := math.Hypot(p.xx-p.yy, 2*p.xy)
	major, minor = math.Sqrt((p.xx+p.yy+t)/2), math.Sqrt(max(0, (p.xx+p.yy-t)/2))
	angle := 0.5 * math.Atan2(2*p.xy, p.xx-p.yy)
	return major, minor, math.Cos(angle), math.Sin(angle)
}

// House values of a chain of toes: much thinner than the foot or its ball is wide, and across the way to it.
const (
	chainThin   = 0.45
	chainStout  = 0.6 // of a heel or a ball by itself
	chainLong   = 1.9 // times its width
	chainAcross = 0.5
	chainMost   = 0.45 // of the largest piece's area
	mostChain   = 0.3  // of heel and ball together
)

// chainOf says whether a piece is toes that touch one another, ahead of the largest piece.
func chainOf(a, b piece) bool {
	ma, na, _, _ := a.axes()
	mb, nb, bx, by := b.axes()
	dx, dy := b.cx-a.cx, b.cy-a.cy
	apart, thin := math.Hypot(dx, dy), chainThin
	if ma/na < stoutFoot {
		thin = chainStout
	}
	return apart > 0 && nb < thin*na && mb > chainLong*nb && math.Abs(dx*bx+dy*by)/apart < chainAcross &&
		float64(b.area) < chainMost*float64(a.area)
}

// wholeFoot is how far from a whole foot's middle, in its standard deviations along, toes ahead of it may lie: a heel lies
// farther from a ball that is as slim as a foot, since that has a long tail (house).
const wholeFoot = 2.6

// aheadOf says whether a piece is toes that touch one another, ahead of a largest piece that is a whole foot.
func aheadOf(a, b piece) bool {
	ma, na, ax, ay := a.axes()
	dx, dy := b.cx-a.cx, b.cy-a.cy
	return ma/na > stoutFoot && float64(b.area) < chainMost*float64(a.area) && math.Abs(dx*ax+dy*ay) < wholeFoot*ma &&
		math.Abs(dx*ax+dy*ay) > math.Sqrt(3)*ma && math.Abs(dx*ay-dy*ax) < math.Sqrt(3)*na
}

// beyond says whether a piece lies ahead of two others that lie in line, rather than between them.
func beyond(a, b, p piece) bool {
	dx, dy := b.cx-a.cx, b.cy-a.cy
	t := ((p.cx-a.cx)*dx + (p.cy-a.cy)*dy) / (dx*dx + dy*dy)
	return t < 0 || t > 1
}

// along is a piece's standard deviation along a direction.
func (p piece) along(x, y float64) float64 { return math.Sqrt(max(0, p.xx*x*x+2*p.xy*x*y+p.yy*y*y)) }

// House values of two parts of one print.
const (
	stoutFoot = 2.1 // as long as wide, by standard deviations: no whole foot is so stout
	nearParts = 4.5 // times their standard deviations towards one another that they lie apart
)

const (
	splash = iota
	samePrint
	anotherFoot
)

// goesWith tells whether a second large piece is the same print (a high arch leaves
// heel and ball apart), another foot beside it, or a splash.
func goesWith(a, b piece) int {
	ma, na, ax, ay := a.axes()
	mb, nb, _, _ := b.axes()
	dx, dy := b.cx-a.cx, b.cy-a.cy
	apart := math.Hypot(dx, dy)
	// The union as one print: its own moments.
	wa, wb := float64(a.area), float64(b.area)
	n := wa + wb
	u := piece{
		xx: (wa*a.xx+wb*b.xx)/n + wa*wb/(n*n)*dx*dx,
		xy: (wa*a.xy+wb*b.xy)/n + wa*wb/(n*n)*dx*dy,
		yy: (wa*a.yy+wb*b.yy)/n + wa*wb/(n*n)*dy*dy,
	}
	mu, nu, ux, uy := u.axes()
	elongated := ma/na > 1.6 && mb/nb > 1.6
	beside := apart > 0 && math.Abs(dx*ax+dy*ay)/apart < 0.8
	inLine := apart > 0 && math.Abs(dx*ux+dy*uy)/apart > 0.9
	// A ball and a heel that each have a tail lie aslant to one another; neither is as slim as a foot.
	if inLine && ma/na < stoutFoot && mb/nb < stoutFoot && mu/nu > stoutFoot && mu/nu < 4 && wb > 0.12*wa &&
		apart < nearParts*(a.along(ux, uy)+b.along(ux, uy)) {
		return samePrint
	}
	if elongated && beside && wb > 0.4*wa {
		return anotherFoot
	}
	if elongated && wb > 0.6*wa && mu/nu > 4 {
		return anotherFoot
	}
	if inLine && mu/nu > 1.7 && mu/nu < 5 && apart < 4.2*mu && wb > 0.12*wa {
		return samePrint
	}
	return splash
}

// endShare is the part of a print, at either end, in which toes that run into the ball stand.
const endShare = 0.17

// holeTells is how much a hole tells of toes, against a bay.
const holeTells = 0.3

// parted is the share of a stretch of the print over which a line across it leaves the print and meets it again,
// as it does between toes.
func (f *foot) parted(a frame, from, to float64) float64 {
	left, right := f.extent(a.across, a.from)
	parted, all := 0.0, 0.0
	for t := a.lo + from*a.length(); t < a.lo+to*a.length(); t += 1 / f.unit {
		runs, gap := 0, math.Inf(1)
		for s := left - 1; s <= right+1; s++ {
			p := a.place(t, s)
			if !f.body.get(int(math.Round(p.X)), int(math.Round(p.Y))) {
				gap++
				continue
			}
			if gap*f.unit > 1.5 {
				runs++
			}
			gap = 0
		}
		all++
		if runs > 1 {
			parted++
		}
	}
	return parted / max(1, all)
}

// forward is how much more the front end looks like toes than the rear end does, by where lines across leave the
// print. A hole in the print, which may be a patch that stayed dry, counts for less than a bay does.
func (f *foot) forward(a frame) float64 {
	whole := *f
	whole.body = newMask(f.w, f.h)
	copy(whole.body.on, f.body.on)
	fillHoles(whole.body, dryMM2/(f.unit*f.unit))
	end := func(from, to float64) float64 {
		return (1-holeTells)*whole.parted(a, from, to) + holeTells*f.parted(a, from, to)
	}
	return end(1-endShare, 1) - end(0, endShare)
}

// heading turns dir towards the toes: the heel end is the narrower, and toes lie
// ahead of the other.
func (f *foot) heading(s spots, turned bool) {
	a := f.about()
	w := f.widths(a)
	rear, front := slices.Max(w[:bins*4/10]), slices.Max(w[bins*6/10:])
	evidence := 3*(front-rear)/(front+rear) + 1.5*f.forward(a)
	for _, p := range f.toeLike(s) {
		t := a.share(p.cx, p.cy)
		if math.Abs(a.off(p.cx, p.cy))/a.length() > 0.32 {
			continue
		}
		weight := 0.25
		if float64(p.area) > 0.04*float64(f.area()) { // toes that touch one another
			weight = 0.8
		}
		if t > 0.8 && t < 1+toeReachShare {
			evidence += weight
		} else if t < 0.2 && t > -toeReachShare {
			evidence -= weight
		}
	}
	if evidence < 0 != turned {
		f.dir = Point{-f.dir.X, -f.dir.Y}
	}
	f.headingX = min(1, math.Abs(evidence))
}
