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
	headingX float64 // how sure the heel end is, 0–1
}

// spots are the pieces of a mask: the label of each pixel, the pieces, and which are the body's.
type spots struct {
	label []int32
	all   []piece
	body  map[int]bool
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

// findFoot picks the pieces of a mask that make a foot.
func findFoot(m *mask, unit float64, known bool) (*foot, error) {
	fillHoles(m, holeMM2/(unit*unit))
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
	s := spots{labels, all, map[int]bool{main.label: true}}
	for _, p := range all[1:] {
		if float64(p.area) < pieceOfBody*float64(main.area) {
			break
		}
		switch goesWith(main, p) {
		case anotherFoot:
			f.two = true
		case samePrint:
			s.body[p.label] = true
			f.broken = true
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
	f.heading(s)
	f.cutToes()
	f.looseToes(s)
	f.cutOff = f.touchesEdge()
	return f, nil
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
	near := spots{label: make([]int32, w*h), body: s.body}
	for y := range h {
		copy(near.label[y*w:(y+1)*w], s.label[(y+y0)*f.w+x0:(y+y0)*f.w+x1+1])
	}
	for _, p := range s.all {
		if p.x1 < x0 || p.x0 > x1 || p.y1 < y0 || p.y0 > y1 {
			continue
		}
		p.cx, p.cy = p.cx-float64(x0), p.cy-float64(y0)
		p.x0, p.x1, p.y0, p.y1 = p.x0-x0, p.x1-x0, p.y0-y0, p.y1-y0
		near.all = append(near.all, p)
	}
	f.fullW, f.fullH, f.x0, f.y0, f.w, f.h = f.w, f.h, x0, y0, w, h
	return near
}

const (
	splash = iota
	samePrint
	anotherFoot
)

// goesWith tells whether a second large piece is the same print (a high arch leaves
// heel and ball apart), another foot beside it, or a splash.
func goesWith(a, b piece) int {
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
	u := piece{
		xx: (wa*a.xx+wb*b.xx)/n + wa*wb/(n*n)*dx*dx,
		xy: (wa*a.xy+wb*b.xy)/n + wa*wb/(n*n)*dx*dy,
		yy: (wa*a.yy+wb*b.yy)/n + wa*wb/(n*n)*dy*dy,
	}
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

// heading turns dir towards the toes: the heel end is the narrower, and toes lie
// ahead of the other.
func (f *foot) heading(s spots) {
	a := f.about()
	w := f.widths(a)
	rear, front := slices.Max(w[:bins*4/10]), slices.Max(w[bins*6/10:])
	evidence := 3 * (front - rear) / (front + rear)
	for _, p := range f.toeLike(s) {
		t := a.share(p.cx, p.cy)
		if math.Abs(a.off(p.cx, p.cy))/a.length() > 0.32 {
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
