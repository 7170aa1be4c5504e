package footprint

import (
	"fmt"
	"math"
	"slices"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
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
	length   float64 // of the body along dir, px
	headingX float64 // how sure the heel end is, 0–1
}

// toe is one toe's pixels.
type toe struct {
	at     []int
	cx, cy float64
}

// House values of what a foot looks like, as shares of the print's length.
const (
	leastShare     = 0.012 // of the picture that a print covers
	pieceOfBody    = 0.10  // of the largest piece: heel and ball apart
	toeReachShare  = 0.24  // ahead of the body
	largestToe     = 0.16  // of the body's area
	smallestToeMM2 = 14.0
	slimmest       = 5.2
	mostPieces     = 4000
)

// findFoot picks the pieces of a mask that make a foot.
func findFoot(m *mask, unit float64, known bool) (*foot, error) {
	fillHoles(m, 30/(unit*unit))
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
	in := map[int]bool{main.label: true}
	for _, p := range all[1:] {
		if float64(p.area) < pieceOfBody*float64(main.area) {
			break
		}
		switch f.goesWith(main, p) {
		case anotherFoot:
			f.two = true
		case samePrint:
			in[p.label] = true
			f.broken = true
		}
	}
	labels, all = f.crop(labels, all, in)
	f.body = newMask(f.w, f.h)
	for i, l := range labels {
		f.body.on[i] = in[int(l)]
	}
	mean, along, across := f.moments()
	f.dir = along
	lo, hi := f.extent(along, mean)
	f.length = hi - lo
	if !known {
		// A print without its toes is some 215 mm long; with joined toes more.
		f.unit = 225 / f.length
	}
	left, right := f.extent(across, mean)
	if ratio := f.length / (right - left); ratio < 1.3 || ratio > slimmest {
		return nil, noPrint(fmt.Sprintf("the largest piece is %.1f times as long as wide", ratio))
	}
	if mm := f.length * f.unit; known && (mm < 110 || mm > 360) {
		return nil, noPrint(fmt.Sprintf("the largest piece is %.0f mm long", mm))
	}
	f.heading(labels, all, in, mean)
	f.cutToes()
	f.looseToes(labels, all, in)
	f.cutOff = f.touchesEdge()
	return f, nil
}

// crop keeps the part of the worked picture about the print: what comes after looks
// at nothing else. x0 and y0 say where it lies.
func (f *foot) crop(labels []int32, all []piece, in map[int]bool) ([]int32, []piece) {
	x0, y0, x1, y1 := f.w, f.h, 0, 0
	for _, p := range all {
		if in[p.label] {
			x0, y0, x1, y1 = min(x0, p.x0), min(y0, p.y0), max(x1, p.x1), max(y1, p.y1)
		}
	}
	pad := int(0.32*float64(max(x1-x0, y1-y0))) + 4
	x0, y0, x1, y1 = max(0, x0-pad), max(0, y0-pad), min(f.w-1, x1+pad), min(f.h-1, y1+pad)
	w, h := x1-x0+1, y1-y0+1
	out := make([]int32, w*h)
	for y := range h {
		copy(out[y*w:(y+1)*w], labels[(y+y0)*f.w+x0:(y+y0)*f.w+x1+1])
	}
	var near []piece
	for _, p := range all {
		if p.x1 < x0 || p.x0 > x1 || p.y1 < y0 || p.y0 > y1 {
			continue
		}
		p.cx, p.cy = p.cx-float64(x0), p.cy-float64(y0)
		p.x0, p.x1, p.y0, p.y1 = p.x0-x0, p.x1-x0, p.y0-y0, p.y1-y0
		near = append(near, p)
	}
	f.fullW, f.fullH, f.x0, f.y0, f.w, f.h = f.w, f.h, x0, y0, w, h
	return out, near
}

const (
	splash = iota
	samePrint
	anotherFoot
)

// goesWith tells whether a second large piece is the same print (a high arch leaves
// heel and ball apart), another foot beside it, or a splash.
func (f *foot) goesWith(a, b piece) int {
	long := func(p piece) (major, minor float64, ux, uy float64) {
		t := math.Hypot(p.xx-p.yy, 2*p.xy)
		major, minor = math.Sqrt((p.xx+p.yy+t)/2), math.Sqrt(max(0, (p.xx+p.yy-t)/2))
		angle := 0.5 * math.Atan2(2*p.xy, p.xx-p.yy)
		return major, minor, math.Cos(angle), math.Sin(angle)
	}
	ma, na, ax, ay := long(a)
	mb, nb, _, _ := long(b)
	dx, dy := b.cx-a.cx, b.cy-a.cy
	apart := math.Hypot(dx, dy)
	// The union as one print: its own moments.
	wa, wb := float64(a.area), float64(b.area)
	n := wa + wb
	u := piece{xx: (wa*a.xx+wb*b.xx)/n + wa*wb/(n*n)*dx*dx, xy: (wa*a.xy+wb*b.xy)/n + wa*wb/(n*n)*dx*dy, yy: (wa*a.yy+wb*b.yy)/n + wa*wb/(n*n)*dy*dy}
	mu, nu, ux, uy := long(u)
	elongated := ma/na > 1.6 && mb/nb > 1.6
	beside := apart > 0 && math.Abs(dx*ax+dy*ay)/apart < 0.8
	inLine := apart > 0 && math.Abs(dx*ux+dy*uy)/apart > 0.9
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

// fillHoles closes holes of up to area px in a mask: a dry spot is still contact.
func fillHoles(m *mask, area float64) {
	labels, all := pieces(not(m))
	small := make([]bool, len(all)+1)
	for _, p := range all {
		small[p.label] = float64(p.area) <= area && p.x0 > 0 && p.y0 > 0 && p.x1 < m.w-1 && p.y1 < m.h-1
	}
	for i, l := range labels {
		if l > 0 && small[l] {
			m.on[i] = true
		}
	}
}

// moments give the body's middle and its long and short direction.
func (f *foot) moments() (mean, along, across Point) {
	var n, sx, sy, xx, xy, yy float64
	f.each(func(x, y float64) {
		n, sx, sy = n+1, sx+x, sy+y
		xx, xy, yy = xx+x*x, xy+x*y, yy+y*y
	})
	mean = Point{sx / n, sy / n}
	xx, xy, yy = xx/n-mean.X*mean.X, xy/n-mean.X*mean.Y, yy/n-mean.Y*mean.Y
	angle := 0.5 * math.Atan2(2*xy, xx-yy)
	along = Point{math.Cos(angle), math.Sin(angle)}
	return mean, along, Point{-along.Y, along.X}
}

// each visits the body's pixels.
func (f *foot) each(visit func(x, y float64)) {
	for i, on := range f.body.on {
		if on {
			visit(float64(i%f.w), float64(i/f.w))
		}
	}
}

// extent is the body's reach along a direction from a point.
func (f *foot) extent(dir, from Point) (lo, hi float64) {
	lo, hi = math.Inf(1), math.Inf(-1)
	f.each(func(x, y float64) {
		t := (x-from.X)*dir.X + (y-from.Y)*dir.Y
		lo, hi = min(lo, t), max(hi, t)
	})
	return lo - 0.5, hi + 0.5
}

const bins = 120

// widths is the body's width in bins along dir, from lo to hi.
func (f *foot) widths(dir, from Point, lo, hi float64) [bins]float64 {
	var w [bins]float64
	size := (hi - lo) / bins
	f.each(func(x, y float64) {
		t := ((x-from.X)*dir.X+(y-from.Y)*dir.Y-lo)/size - 0.5
		i := int(math.Floor(t))
		k := t - float64(i)
		if i >= 0 && i < bins {
			w[i] += (1 - k) / size
		}
		if i+1 >= 0 && i+1 < bins {
			w[i+1] += k / size
		}
	})
	return w
}

// heading turns dir towards the toes: the heel end is the narrower, and toes lie
// ahead of the other.
func (f *foot) heading(labels []int32, all []piece, in map[int]bool, mean Point) {
	lo, hi := f.extent(f.dir, mean)
	w := f.widths(f.dir, mean, lo, hi)
	rear, front := slices.Max(w[:bins*4/10]), slices.Max(w[bins*6/10:])
	evidence := 3 * (front - rear) / (front + rear)
	body := 0.0
	for _, on := range f.body.on {
		if on {
			body++
		}
	}
	for _, p := range all {
		share := float64(p.area) / body
		if in[p.label] || share > largestToe || float64(p.area)*f.unit*f.unit < smallestToeMM2 {
			continue
		}
		t := ((p.cx-mean.X)*f.dir.X + (p.cy-mean.Y)*f.dir.Y - lo) / (hi - lo)
		s := math.Abs(-(p.cx-mean.X)*f.dir.Y+(p.cy-mean.Y)*f.dir.X) / (hi - lo)
		if s > 0.32 {
			continue
		}
		if t > 0.8 && t < 1+toeReachShare {
			evidence += 0.25
		} else if t < 0.2 && t > -toeReachShare {
			evidence -= 0.25
		}
	}
	if evidence < 0 {
		f.dir = Point{-f.dir.X, -f.dir.Y}
	}
	f.headingX = min(1, math.Abs(evidence))
}

// cutToes takes toes that touch the ball off the body: a toe is what a growing
// erosion parts from the ball ahead of its widest place, cut where it was joined.
func (f *foot) cutToes() {
	mean, _, _ := f.moments()
	lo, hi := f.extent(f.dir, mean)
	w := f.widths(f.dir, mean, lo, hi)
	ball := bins * 45 / 100
	for i := ball; i < bins*92/100; i++ {
		if w[i] > w[ball] {
			ball = i
		}
	}
	t := func(i int) float64 {
		return ((float64(i%f.w)-mean.X)*f.dir.X + (float64(i/f.w)-mean.Y)*f.dir.Y - lo) / (hi - lo)
	}
	ballAt := (float64(ball) + 0.5) / bins
	depth := distance(f.body, true)
	ahead := make([]int, 0, len(f.body.on)/4) // the body from a little behind the ball on
	for i, on := range f.body.on {
		if on && t(i) > ballAt-0.13 {
			ahead = append(ahead, i)
		}
	}
	coreOf := make([]int32, len(f.body.on)) // 1 is ball, 2 and on toes
	next := int32(2)
	for r := 1.5 / f.unit; r < 11/f.unit; r += max(0.6/f.unit, 0.5) {
		core := newMask(f.w, f.h)
		for _, i := range ahead {
			core.on[i] = float64(depth.v[i]) > r
		}
		labels, parts := pieces(core)
		if len(parts) < 2 {
			continue
		}
		// The ball's part holds the most of the band about its widest place.
		count := make([]int, len(parts)+1)
		for _, i := range ahead {
			if l := labels[i]; l > 0 {
				if at := t(i); at > ballAt-0.12 && at < ballAt+0.02 {
					count[l]++
				}
			}
		}
		main := 0
		for l := range count {
			if count[l] > count[main] {
				main = l
			}
		}
		if main == 0 {
			break
		}
		for _, p := range parts {
			at := ((p.cx-mean.X)*f.dir.X + (p.cy-mean.Y)*f.dir.Y - lo) / (hi - lo)
			if p.label == main || at < ballAt+0.06 || float64(p.area)*f.unit*f.unit < 6 {
				continue
			}
			// New only when none of it was a toe's core before.
			fresh := true
			for i, l := range labels {
				if int(l) == p.label && coreOf[i] >= 2 {
					fresh = false
					break
				}
			}
			if !fresh {
				continue
			}
			toeCore, ballCore := newMask(f.w, f.h), newMask(f.w, f.h)
			for i, l := range labels {
				switch int(l) {
				case p.label:
					toeCore.on[i] = true
					coreOf[i] = next
				case main:
					ballCore.on[i] = true
				}
			}
			next++
			toTt, toBall := distance(not(toeCore), false), distance(not(ballCore), false)
			tt := &toe{}
			for i, on := range f.body.on {
				if on && t(i) > ballAt && toTt.v[i] < toBall.v[i] && float64(toTt.v[i]) < 14/f.unit {
					tt.at = append(tt.at, i)
				}
			}
			if float64(len(tt.at))*f.unit*f.unit >= smallestToeMM2 {
				f.toes = append(f.toes, tt)
				for _, i := range tt.at {
					f.body.on[i] = false
				}
			}
		}
	}
	if len(f.toes) > 0 {
		f.shaveNecks(func(i int) bool { return t(i) > ballAt })
	}
	f.keepLargest()
	for _, tt := range f.toes {
		tt.settle(f.w)
	}
}

// shaveNecks gives what is left of necks on the ball's front to the toes: anything
// ahead that a disc of 5.5 mm does not fit into.
func (f *foot) shaveNecks(ahead func(i int) bool) {
	core := opened(f.body, 5.5/f.unit)
	stub := newMask(f.w, f.h)
	for i, on := range f.body.on {
		stub.on[i] = on && !core.on[i] && ahead(i)
	}
	labels, parts := pieces(stub)
	for _, p := range parts {
		reach := math.Hypot(float64(p.x1-p.x0+1), float64(p.y1-p.y0+1)) * f.unit
		if reach < 2.5 { // the ball's own rounding
			continue
		}
		for i, l := range labels {
			if int(l) == p.label {
				f.body.on[i] = false
			}
		}
	}
}

// keepLargest drops crumbs that a cut left of the body.
func (f *foot) keepLargest() {
	labels, parts := pieces(f.body)
	most := 0
	for _, p := range parts {
		most = max(most, p.area)
	}
	for i, l := range labels {
		if l > 0 && float64(parts[l-1].area) < 0.06*float64(most) {
			f.body.on[i] = false
		}
	}
}

func (t *toe) settle(w int) {
	t.cx, t.cy = 0, 0
	for _, i := range t.at {
		t.cx, t.cy = t.cx+float64(i%w), t.cy+float64(i/w)
	}
	t.cx, t.cy = t.cx/float64(len(t.at)), t.cy/float64(len(t.at))
}

// looseToes adds the pieces ahead of the ball that stand by themselves.
func (f *foot) looseToes(labels []int32, all []piece, in map[int]bool) {
	mean, _, _ := f.moments()
	lo, hi := f.extent(f.dir, mean)
	body := 0.0
	for _, on := range f.body.on {
		if on {
			body++
		}
	}
	side := Point{-f.dir.Y, f.dir.X}
	w := f.widths(f.dir, mean, lo, hi)
	ball := slices.Max(w[bins/2:])
	// The ball's middle line: splashes lie off it.
	var mid, n float64
	f.each(func(x, y float64) {
		if t := ((x-mean.X)*f.dir.X + (y-mean.Y)*f.dir.Y - lo) / (hi - lo); t > 0.65 {
			mid, n = mid+(x-mean.X)*side.X+(y-mean.Y)*side.Y, n+1
		}
	})
	mid /= max(1, n)
	for _, p := range all {
		share := float64(p.area) / body
		if in[p.label] || share > largestToe || float64(p.area)*f.unit*f.unit < smallestToeMM2 {
			continue
		}
		t := ((p.cx-mean.X)*f.dir.X + (p.cy-mean.Y)*f.dir.Y - lo) / (hi - lo)
		s := (p.cx-mean.X)*side.X + (p.cy-mean.Y)*side.Y - mid
		if t < 0.82 || t > 1+toeReachShare || math.Abs(s) > 0.62*ball {
			continue
		}
		tt := &toe{}
		for i, l := range labels {
			if int(l) == p.label {
				tt.at = append(tt.at, i)
			}
		}
		tt.settle(f.w)
		f.toes = append(f.toes, tt)
	}
	slices.SortFunc(f.toes, func(a, b *toe) int {
		return int(math.Copysign(1, (a.cx-b.cx)*side.X+(a.cy-b.cy)*side.Y))
	})
	for len(f.toes) > 5 {
		smallest := 0
		for i, tt := range f.toes {
			if len(tt.at) < len(f.toes[smallest].at) {
				smallest = i
			}
		}
		f.toes = slices.Delete(f.toes, smallest, smallest+1)
	}
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

// read measures the print.
func (f *foot) read(r *Reading, k ink, p plane, opt Options) error {
	p = p.shifted(f.x0, f.y0)
	k = k.cropped(f.x0, f.y0, f.w, f.h)
	if opt.ToeLine != nil {
		f.cutAt(p.toPlane(opt.ToeLine[0]), p.toPlane(opt.ToeLine[1]))
	}
	heel := f.heelMiddle()
	sign, told := f.inner(heel)
	if opt.Foot == "" && (told < 0.35 || len(f.toes) < 2) {
		r.Warnings = append(r.Warnings, fault.Warning{Code: "side_unsure", Text: "Left or right cannot be told for sure from this print; say which foot it is."})
	}
	r.Foot = opt.Foot
	if seen := sideOf(sign); r.Foot == "" {
		r.Foot = seen
	} else if told > 0.5 && len(f.toes) >= 2 && seen != opt.Foot {
		r.Warnings = append(r.Warnings, fault.Warning{Code: "side_differs", Text: fmt.Sprintf("Given as %s, yet the print looks like a %s foot.", opt.Foot, seen)})
		sign = -sign
	} else if seen != opt.Foot {
		sign = -sign
	}
	tip := f.secondToe(heel, sign)
	if opt.Axis != nil {
		heel, tip = p.toPlane(opt.Axis.Heel), p.toPlane(opt.Axis.Toe)
	}
	d := math.Hypot(tip.X-heel.X, tip.Y-heel.Y)
	if d < 10 {
		return noPrint("heel and toes lie in one place")
	}
	axis := Point{(tip.X - heel.X) / d, (tip.Y - heel.Y) / d}
	side := Point{-axis.Y * sign, axis.X * sign} // towards the inner edge
	lo, hi := f.extent(axis, heel)
	cuts := [4]float64{0, (hi - lo) / 3, 2 * (hi - lo) / 3, hi - lo}
	if opt.Cuts != nil {
		cuts[1], cuts[2] = opt.Cuts[0]*(hi-lo), opt.Cuts[1]*(hi-lo)
	}
	var area [3]float64
	f.each(func(x, y float64) {
		t := (x-heel.X)*axis.X + (y-heel.Y)*axis.Y - lo
		// A pixel on a cut belongs to both thirds by its share.
		first := min(1, max(0, cuts[1]-t+0.5))
		last := min(1, max(0, t+0.5-cuts[2]))
		area[0] += first
		area[2] += last
		area[1] += 1 - first - last
	})
	whole := area[0] + area[1] + area[2]
	r.ArchIndex = area[1] / whole
	mm := p.mm
	unit := mm
	if unit == 0 {
		unit = 1
	}
	r.Areas = Areas{area[0] * unit * unit, area[1] * unit * unit, area[2] * unit * unit}
	front := hi
	for _, tt := range f.toes {
		for _, i := range tt.at {
			front = max(front, (float64(i%f.w)-heel.X)*axis.X+(float64(i/f.w)-heel.Y)*axis.Y+0.5)
		}
	}
	w := f.widths(axis, heel, lo, hi)
	smoothed := smooth(w[:], 2)
	ballW, heelW := slices.Max(smoothed[bins*2/3:]), slices.Max(smoothed[:bins/3])
	ballAt := bins*2/3 + indexOfMax(smoothed[bins*2/3:])
	heelAt := indexOfMax(smoothed[:bins/3])
	narrow := math.Inf(1)
	for _, v := range smoothed[min(heelAt+bins/10, bins/3):ballAt] {
		narrow = min(narrow, v)
	}
	if f.broken {
		narrow = 0
	}
	r.Chippaux, r.Staheli = 100*narrow/ballW, narrow/heelW
	r.ClarkeDeg = f.clarke(heel, axis, side, lo, hi)
	if mm > 0 {
		r.NoToesMM, r.BallMM, r.HeelMM = (hi-lo)*mm, ballW*mm, heelW*mm
		if len(f.toes) > 0 {
			r.LengthMM = (front - lo) * mm
		}
	}
	pic := p.toPicture
	at := func(t, s float64) Point {
		return pic(Point{heel.X + t*axis.X + s*side.X, heel.Y + t*axis.Y + s*side.Y})
	}
	r.Axis = Axis{pic(heel), pic(tip)}
	inner, outer := f.extentSides(heel, side)
	for i := range 4 {
		t := lo + cuts[i]
		r.Thirds[i] = [2]Point{at(t, outer), at(t, inner)}
	}
	r.ToeLine = [2]Point{at(hi, outer), at(hi, inner)}
	r.Outline = f.trace(f.body, pic)
	for _, tt := range f.toes {
		m := newMask(f.w, f.h)
		for _, i := range tt.at {
			m.on[i] = true
		}
		r.Toes = append(r.Toes, f.trace(m, pic))
	}
	if r.Scale.Source == "sheet" || r.Scale.Source == "corners" {
		a, b := pic(heel), pic(tip)
		if px := math.Hypot(a.X-b.X, a.Y-b.Y); px > 0 {
			r.Scale.MMPerPx = d * mm / px
		}
	}
	if err := f.plausible(r, ballW, heelW, hi-lo, axis, heel); err != nil {
		return err
	}
	f.quality(r, k)
	r.Arch, r.P = classes(r.ArchIndex, r.Score)
	return nil
}

// plausible refuses what is cut out cleanly and is no foot: a hand, a patch, a
// shadow's edge.
func (f *foot) plausible(r *Reading, ball, heel, length float64, axis, heelAt Point) error {
	body := r.Areas.Heel + r.Areas.Mid + r.Areas.Fore
	share := func(a float64) float64 { return a / body }
	switch {
	case ball/length < 0.27 || ball/length > 0.66:
		return noPrint(fmt.Sprintf("its widest place is %.2f of its length", ball/length))
	case heel/ball < 0.38 || heel/ball > 1.08:
		return noPrint(fmt.Sprintf("its ends are as %.2f to 1 in width", heel/ball))
	case f.forked(axis, heelAt) > 0.16:
		return noPrint("it is split lengthwise, as a hand is")
	case f.broken && r.ArchIndex > 0.24:
		return noPrint("its two parts do not lie as heel and ball do")
	case r.ArchIndex > 0.42 || share(r.Areas.Fore) < 0.22 || share(r.Areas.Heel) < 0.14:
		return noPrint("its thirds are not a foot's")
	}
	return nil
}

// forked is the share of the body's length over which a line across it leaves the
// print and meets it again.
func (f *foot) forked(axis, from Point) float64 {
	side := Point{-axis.Y, axis.X}
	lo, hi := f.extent(axis, from)
	left, right := f.extent(side, from)
	forks, all := 0.0, 0.0
	gapPx := 4 / f.unit
	for t := lo + 1; t < hi; t += 2 / f.unit {
		runs, gap := 0, gapPx+1
		for s := left - 1; s <= right+1; s++ {
			x, y := int(math.Round(from.X+t*axis.X+s*side.X)), int(math.Round(from.Y+t*axis.Y+s*side.Y))
			if !f.body.get(x, y) {
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

func sideOf(sign float64) term.Side {
	if sign > 0 {
		return term.Left
	}
	return term.Right
}

func indexOfMax(v []float64) int {
	best := 0
	for i := range v {
		if v[i] > v[best] {
			best = i
		}
	}
	return best
}

func smooth(v []float64, r int) []float64 {
	out := make([]float64, len(v))
	for i := range v {
		sum, n := 0.0, 0.0
		for j := max(0, i-r); j <= min(len(v)-1, i+r); j++ {
			sum, n = sum+v[j], n+1
		}
		out[i] = sum / n
	}
	return out
}

// cutAt takes what lies beyond a line, seen from the heel, off the body as toes.
func (f *foot) cutAt(a, b Point) {
	mean, _, _ := f.moments()
	lo, _ := f.extent(f.dir, mean)
	heel := Point{mean.X + lo*f.dir.X, mean.Y + lo*f.dir.Y}
	beyond := func(x, y float64) float64 { return (b.X-a.X)*(y-a.Y) - (b.Y-a.Y)*(x-a.X) }
	keep := beyond(heel.X, heel.Y)
	var cut toe
	for _, tt := range f.toes {
		var stay []int
		for _, i := range tt.at {
			if beyond(float64(i%f.w), float64(i/f.w))*keep > 0 {
				f.body.on[i] = true // on the heel's side of the line it is body
			} else {
				stay = append(stay, i)
			}
		}
		tt.at = stay
	}
	for i, on := range f.body.on {
		if on && beyond(float64(i%f.w), float64(i/f.w))*keep < 0 {
			f.body.on[i] = false
			cut.at = append(cut.at, i)
		}
	}
	if len(cut.at) > 0 {
		f.toes = append(f.toes, &cut)
	}
	f.toes = slices.DeleteFunc(f.toes, func(t *toe) bool { return len(t.at) == 0 })
	for _, tt := range f.toes {
		tt.settle(f.w)
	}
}

// heelMiddle is the centre of the largest circle in the rear of the print.
func (f *foot) heelMiddle() Point {
	mean, _, _ := f.moments()
	lo, hi := f.extent(f.dir, mean)
	depth := distance(f.body, false)
	var best Point
	most := -1.0
	f.each(func(x, y float64) {
		if (x-mean.X)*f.dir.X+(y-mean.Y)*f.dir.Y-lo < 0.34*(hi-lo) {
			if d := float64(depth.at(int(x), int(y))); d > most {
				most, best = d, Point{x, y}
			}
		}
	})
	// The middle of all places that are nearly as deep steadies it.
	var sx, sy, n float64
	f.each(func(x, y float64) {
		if math.Hypot(x-best.X, y-best.Y) < most*0.5 && float64(depth.at(int(x), int(y))) > most-1.2 {
			sx, sy, n = sx+x, sy+y, n+1
		}
	})
	if n == 0 {
		return best
	}
	return Point{sx / n, sy / n}
}

// inner tells on which side of the heel–toe direction the inner edge lies: 1 when
// to the right of it as the picture is seen (a left foot), -1 otherwise; told is
// how clear that is, 0 to 1. The largest toe is the inner one; the arch is hollow
// on the inner side.
func (f *foot) inner(heel Point) (sign, told float64) {
	right := Point{-f.dir.Y, f.dir.X}
	lat := func(x, y float64) float64 { return (x-heel.X)*right.X + (y-heel.Y)*right.Y }
	evidence := 0.0
	if len(f.toes) >= 2 {
		big := 0
		mean := 0.0
		for i, t := range f.toes {
			if len(t.at) > len(f.toes[big].at) {
				big = i
			}
			mean += lat(t.cx, t.cy) / float64(len(f.toes))
		}
		second := 0
		for i, t := range f.toes {
			if i != big {
				second = max(second, len(t.at))
			}
		}
		clear := min(1, float64(len(f.toes[big].at))/float64(max(1, second))-1)
		spread := lat(f.toes[len(f.toes)-1].cx, f.toes[len(f.toes)-1].cy) - lat(f.toes[0].cx, f.toes[0].cy)
		if spread != 0 {
			evidence += 1.2 * clear * (lat(f.toes[big].cx, f.toes[big].cy) - mean) / math.Abs(spread) * 2
		}
		// Toes run back towards the outer side.
		if len(f.toes) >= 4 {
			var sx, sy, sxx, sxy float64
			for _, t := range f.toes {
				x, y := lat(t.cx, t.cy), (t.cx-heel.X)*f.dir.X+(t.cy-heel.Y)*f.dir.Y
				sx, sy, sxx, sxy = sx+x, sy+y, sxx+x*x, sxy+x*y
			}
			n := float64(len(f.toes))
			if v := sxx - sx*sx/n; v > 0 {
				evidence += 0.8 * max(-1, min(1, 2*(sxy-sx*sy/n)/v))
			}
		}
	}
	lo, hi := f.extent(f.dir, heel)
	var m, nm, b, nb float64
	f.each(func(x, y float64) {
		switch t := ((x-heel.X)*f.dir.X + (y-heel.Y)*f.dir.Y - lo) / (hi - lo); {
		case t > 0.36 && t < 0.62:
			m, nm = m+lat(x, y), nm+1
		case t > 0.7 && t < 0.95:
			b, nb = b+lat(x, y), nb+1
		}
	})
	if nm > 0 && nb > 0 {
		// Against the line from heel to ball, the middle lies to the outer side.
		off := m/nm - 0.55*b/nb
		evidence -= 1.5 * max(-0.6, min(0.6, off/(0.12*(hi-lo))))
	}
	sign = 1
	if evidence < 0 {
		sign = -1
	}
	return sign, min(1, math.Abs(evidence))
}

// secondToe is the tip of the second toe; without toes the front of the ball at
// the place where that toe would stand.
func (f *foot) secondToe(heel Point, sign float64) Point {
	inward := Point{-f.dir.Y * sign, f.dir.X * sign}
	lat := func(x, y float64) float64 { return (x-heel.X)*inward.X + (y-heel.Y)*inward.Y }
	toes := slices.Clone(f.toes)
	slices.SortFunc(toes, func(a, b *toe) int { return int(math.Copysign(1, lat(b.cx, b.cy)-lat(a.cx, a.cy))) })
	if len(toes) >= 2 {
		second := toes[1]
		return f.tipOf(second, heel)
	}
	// By the ball: the second toe stands some 36 % of its width from the inner edge.
	lo, hi := f.extent(f.dir, heel)
	inner, outer := math.Inf(-1), math.Inf(1)
	f.each(func(x, y float64) {
		if t := ((x-heel.X)*f.dir.X + (y-heel.Y)*f.dir.Y - lo) / (hi - lo); t > 0.66 {
			inner, outer = max(inner, lat(x, y)), min(outer, lat(x, y))
		}
	})
	s := inner - 0.36*(inner-outer)
	return Point{heel.X + hi*1.12*f.dir.X + s*inward.X, heel.Y + hi*1.12*f.dir.Y + s*inward.Y}
}

// tipOf is a toe's farthest place from the heel, steadied over its front.
func (f *foot) tipOf(t *toe, heel Point) Point {
	dir := Point{t.cx - heel.X, t.cy - heel.Y}
	n := math.Hypot(dir.X, dir.Y)
	dir = Point{dir.X / n, dir.Y / n}
	far := math.Inf(-1)
	for _, i := range t.at {
		far = max(far, (float64(i%f.w)-heel.X)*dir.X+(float64(i/f.w)-heel.Y)*dir.Y)
	}
	var sx, sy, m float64
	for _, i := range t.at {
		x, y := float64(i%f.w), float64(i/f.w)
		if (x-heel.X)*dir.X+(y-heel.Y)*dir.Y > far-1.5/f.unit {
			sx, sy, m = sx+x, sy+y, m+1
		}
	}
	return Point{sx / m, sy / m}
}

// extentSides is the print's reach to the inner and the outer side of the axis.
func (f *foot) extentSides(heel, side Point) (inner, outer float64) {
	lo, hi := f.extent(side, heel)
	return hi, lo
}

// clarke is Clarke's angle in degrees: at the ball's innermost place, between the
// line to the heel's innermost place and the line that touches the arch.
func (f *foot) clarke(heel, axis, side Point, lo, hi float64) float64 {
	var edge [bins]float64
	for i := range edge {
		edge[i] = math.Inf(-1)
	}
	f.each(func(x, y float64) {
		t := ((x-heel.X)*axis.X + (y-heel.Y)*axis.Y - lo) / (hi - lo)
		if i := int(t * bins); i >= 0 && i < bins {
			edge[i] = max(edge[i], (x-heel.X)*side.X+(y-heel.Y)*side.Y)
		}
	})
	step := (hi - lo) / bins
	ball, back := bins*6/10, 0
	for i := bins * 6 / 10; i < bins*95/100; i++ {
		if edge[i] > edge[ball] {
			ball = i
		}
	}
	for i := range bins * 35 / 100 {
		if edge[i] > edge[back] {
			back = i
		}
	}
	angle := func(i int) float64 { return math.Atan2(edge[ball]-edge[i], float64(ball-i)*step) }
	base, most := angle(back), 0.0
	for i := back + 1; i < ball-2; i++ {
		if !math.IsInf(edge[i], 0) {
			most = max(most, angle(i)-base)
		}
	}
	return most * 180 / math.Pi
}

// trace is a mask's outer edge as points of the picture, at most 400.
func (f *foot) trace(m *mask, pic func(Point) Point) []Point {
	_, parts := pieces(m)
	var out []Point
	for _, p := range parts {
		if line := contour(m, p); len(line) > len(out) {
			out = line
		}
	}
	step := max(1, len(out)/400)
	var short []Point
	for i := 0; i < len(out); i += step {
		short = append(short, pic(out[i]))
	}
	return short
}

// contour follows a piece's outer edge, clockwise (Moore neighbours), until it
// leaves its first pixel the same way again.
func contour(m *mask, p piece) []Point {
	x, y := p.x0, p.y0
	for !m.get(x, y) {
		x++
	}
	around := [8][2]int{{1, 0}, {1, 1}, {0, 1}, {-1, 1}, {-1, 0}, {-1, -1}, {0, -1}, {1, -1}}
	startX, startY, first, d := x, y, -1, 0
	var out []Point
	for range 8 * (m.w + m.h) {
		next := -1
		for k := range 8 {
			if n := (d + 5 + k) % 8; m.get(x+around[n][0], y+around[n][1]) {
				next = n
				break
			}
		}
		if next < 0 || x == startX && y == startY && next == first {
			break
		}
		if first < 0 {
			first = next
		}
		out = append(out, Point{float64(x), float64(y)})
		x, y, d = x+around[next][0], y+around[next][1], next
	}
	if out == nil {
		out = []Point{{float64(x), float64(y)}}
	}
	return out
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
	r.Score = math.Round(1000*max(leastScore, min(1, score))) / 1000
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
