package footprint

import (
	"fmt"
	"math"
	"slices"

	"trevik/internal/core/fault"
)

// House values of telling left from right, as inner tells how clear it is.
const (
	sideUnsure = 0.35
	sideSure   = 0.5
)

// read measures the print.
func (f *foot) read(r *Reading, k ink, p plane, opt Options) error {
	p = p.shifted(f.x0, f.y0)
	k = k.cropped(f.x0, f.y0, f.w, f.h)
	if opt.ToeLine != nil {
		f.cutAt(p.toPlane(opt.ToeLine[0]), p.toPlane(opt.ToeLine[1]))
	}
	heel := f.heelMiddle()
	sign := f.side(r, heel, opt)
	tip := f.secondToe(heel, sign)
	if opt.Axis != nil {
		heel, tip = p.toPlane(opt.Axis.Heel), p.toPlane(opt.Axis.Toe)
	}
	d := math.Hypot(tip.X-heel.X, tip.Y-heel.Y)
	if d < 10 {
		return noPrint("heel and toes lie in one place")
	}
	axis := Point{(tip.X - heel.X) / d, (tip.Y - heel.Y) / d}
	a := f.framed(heel, axis, Point{-axis.Y * sign, axis.X * sign}) // across: towards the inner edge
	cuts := [4]float64{0, a.length() / 3, 2 * a.length() / 3, a.length()}
	if opt.Cuts != nil {
		cuts[1], cuts[2] = opt.Cuts[0]*a.length(), opt.Cuts[1]*a.length()
	}
	f.thirds(r, a, cuts, p.mm)
	w := f.breadths(a)
	r.Chippaux, r.Staheli = 100*w.narrow/w.ball, w.narrow/w.heel
	r.ClarkeDeg = f.clarke(a)
	if p.mm > 0 {
		r.NoToesMM, r.BallMM, r.HeelMM = a.length()*p.mm, w.ball*p.mm, w.heel*p.mm
		if len(f.toes) > 0 {
			r.LengthMM = (f.front(a) - a.lo) * p.mm
		}
	}
	r.Axis = Axis{p.toPicture(heel), p.toPicture(tip)}
	f.draw(r, a, cuts, p.toPicture)
	if r.Scale.Source == "sheet" || r.Scale.Source == "corners" {
		if px := math.Hypot(r.Axis.Heel.X-r.Axis.Toe.X, r.Axis.Heel.Y-r.Axis.Toe.Y); px > 0 {
			r.Scale.MMPerPx = d * p.mm / px
		}
	}
	if err := f.plausible(r, w, a, opt); err != nil {
		return err
	}
	f.quality(r, k)
	r.Arch, r.P = classes(r.ArchIndex, r.Score)
	return nil
}

// side settles which foot it is, and warns where that is unsure or differs from what was given.
// sign is inner's.
func (f *foot) side(r *Reading, heel Point, opt Options) (sign float64) {
	sign, told := f.inner(heel)
	if opt.Foot == "" && (told < sideUnsure || len(f.toes) < 2) {
		r.Warnings = append(r.Warnings, fault.Warning{Code: "side_unsure",
			Text: "Left or right cannot be told for sure from this print; say which foot it is."})
	}
	seen := sideOf(sign)
	if r.Foot = opt.Foot; r.Foot == "" {
		r.Foot = seen
	}
	if seen == r.Foot {
		return sign
	}
	if told > sideSure && len(f.toes) >= 2 {
		r.Warnings = append(r.Warnings, fault.Warning{Code: "side_differs",
			Text: fmt.Sprintf("Given as %s, yet the print looks like a %s foot.", opt.Foot, seen)})
	}
	return -sign
}

// thirds measures the areas between the cuts and with them the arch index. A pixel on a cut belongs
// to both thirds by its share.
func (f *foot) thirds(r *Reading, a frame, cuts [4]float64, mm float64) {
	var area [3]float64
	f.each(func(x, y float64) {
		t := a.past(x, y)
		first := min(1, max(0, cuts[1]-t+0.5))
		last := min(1, max(0, t+0.5-cuts[2]))
		area[0] += first
		area[2] += last
		area[1] += 1 - first - last
	})
	r.ArchIndex = area[1] / (area[0] + area[1] + area[2])
	if mm == 0 {
		mm = 1 // without a scale in pixels
	}
	r.Areas = Areas{area[0] * mm * mm, area[1] * mm * mm, area[2] * mm * mm}
}

// breadths are the print's widths, px: the widest of heel and ball, and the narrowest between.
type breadths struct{ ball, heel, narrow float64 }

func (f *foot) breadths(a frame) breadths {
	w := f.widths(a)
	s := smooth(w[:], 1)
	heelAt, ballAt := indexOfMax(s[:bins/3]), bins*2/3+indexOfMax(s[bins*2/3:])
	b := breadths{ball: s[ballAt], heel: s[heelAt], narrow: slices.Min(s[min(heelAt+bins/10, bins/3):ballAt])}
	if f.broken {
		b.narrow = 0
	}
	return b
}

// front is how far along the farthest toe reaches, or the body.
func (f *foot) front(a frame) float64 {
	front := a.hi
	for _, tt := range f.toes {
		for _, i := range tt.at {
			front = max(front, a.past(float64(i%f.w), float64(i/f.w))+a.lo+0.5)
		}
	}
	return front
}

// draw puts lines and outlines into the reading as points of the picture.
func (f *foot) draw(r *Reading, a frame, cuts [4]float64, pic func(Point) Point) {
	outer, inner := f.extent(a.across, a.from)
	across := func(t float64) [2]Point { return [2]Point{pic(a.place(t, outer)), pic(a.place(t, inner))} }
	for i := range r.Thirds {
		r.Thirds[i] = across(a.lo + cuts[i])
	}
	r.ToeLine = across(a.hi)
	r.Outline = f.trace(f.body, pic)
	for _, tt := range f.toes {
		m := newMask(f.w, f.h)
		for _, i := range tt.at {
			m.on[i] = true
		}
		r.Toes = append(r.Toes, f.trace(m, pic))
	}
}

// clarke is Clarke's angle in degrees: at the ball's innermost place, between the
// line to the heel's innermost place and the line that touches the arch.
func (f *foot) clarke(a frame) float64 {
	var edge [bins]float64
	for i := range edge {
		edge[i] = math.Inf(-1)
	}
	f.each(func(x, y float64) {
		if i := int(a.share(x, y) * bins); i >= 0 && i < bins {
			edge[i] = max(edge[i], a.off(x, y))
		}
	})
	step := a.length() / bins
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
