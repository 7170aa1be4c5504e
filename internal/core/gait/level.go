package gait

import (
	"fmt"
	"image"
	"maps"
	"math"
	"slices"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

// House values of the level of a film without dots, degrees.
const (
	levelOwn    = 1.9 // SD of a leg's outline off its bones, apart from what both legs share
	levelShared = 1.8
	handSD      = 2.9 // of four points that a hand sets on one frame
	meanCounts  = 3.0 // frames: what four points on a leg's mean picture count as
)

// levelSD is the error of a side's level by how many frames calibrate it (house).
func levelSD(frames int) float64 {
	switch {
	case frames >= 3:
		return 1.8
	case frames == 2:
		return 2.0
	case frames == 1:
		return 2.2
	}
	return 3.0
}

// weighed is by how much each heel's line is turned inward, degrees, when count frames of each leg were marked by hand and
// lay so far off its outline: weighed against the outlines' own error, both feet together, since that has two unknowns,
// each leg's own and what both share.
func weighed(count, off [2]float64) (turn [2]float64) {
	v, w := levelOwn*levelOwn+levelShared*levelShared, levelShared*levelShared
	det := v*v - w*w
	a, b, c := v/det+count[0]/(handSD*handSD), -w/det, v/det+count[1]/(handSD*handSD)
	x, y := count[0]*off[0]/(handSD*handSD), count[1]*off[1]/(handSD*handSD)
	return [2]float64{(c*x - b*y) / (a*c - b*b), (a*y - b*x) / (a*c - b*b)}
}

// turnedIn is the upper end of a heel's line that is turned inward about its lower one.
func turnedIn(side term.Side, top, low Point, deg float64) Point {
	if side == term.Right { // clockwise on the screen is rolling in on the left
		deg = -deg
	}
	sin, cos := math.Sincos(deg * math.Pi / 180)
	d := low.minus(top)
	return low.minus(Point{cos*d.X - sin*d.Y, sin*d.X + cos*d.Y})
}

// rolledIn is how far a leg's four points, the highest first, are rolled in, degrees.
func rolledIn(side term.Side, p [4]Point) float64 {
	a := bend(p[1].minus(p[0]), p[3].minus(p[2]))
	if side == term.Right {
		a = -a
	}
	return a
}

// calibrate turns the heels' lines by what a hand marked on some frames. It gives each side's error in sd, and whether
// anything was marked.
func calibrate(legs map[term.Side]*oneLeg, hand Tracks, sd map[term.Side]float64) bool {
	var count, off [2]float64
	for k, side := range term.Sides {
		if l := legs[side]; l != nil {
			count[k], off[k] = l.against(hand[side])
		}
		sd[side] = levelSD(int(count[k]))
	}
	turn := weighed(count, off)
	for k, side := range term.Sides {
		if l := legs[side]; l != nil && turn[k] != 0 {
			l.line.heelTop = turnedIn(side, l.line.heelTop, l.line.heelLow, turn[k])
		}
	}
	return count[0]+count[1] > 0
}

// against is on how many frames all four points of a leg were marked, and how much more rolled in they are in the mean
// than its outline, degrees.
func (l *oneLeg) against(hand map[string][]Mark) (frames, off float64) {
	own := l.marks()
	at := func(marks []Mark, f int) (Point, bool) {
		i, ok := slices.BinarySearchFunc(marks, f, func(m Mark, f int) int { return m.Frame - f })
		if !ok {
			return Point{}, false
		}
		return marks[i].Point, true
	}
	angle := func(marks map[string][]Mark, f int) (float64, bool) {
		var p [4]Point
		for k, name := range DotNames(Rear) {
			q, ok := at(marks[name], f)
			if !ok {
				return 0, false
			}
			p[k] = q
		}
		return rolledIn(l.side, p), true
	}
	for _, m := range hand["calf_top"] {
		h, ok := angle(hand, m.Frame)
		o, found := angle(own, m.Frame)
		if ok && found {
			frames, off = frames+1, off+h-o
		}
	}
	if frames > 0 {
		off /= frames
	}
	return frames, off
}

// MeanPicture is a leg of a film without dots over its contacts, the usual brightness of each place, each part where it
// lies with the runner standing: what a hand sets the level on.
type MeanPicture struct {
	Image  *image.Gray `json:"-"`      // kept apart: it is a picture of the runner, and goes with the film
	Points [4]Point    `json:"points"` // px of the picture, as read: the highest first, as DotNames
	Width  int         `json:"width"`
	Height int         `json:"height"`
}

// picture is the leg's mean picture with the points as they were read; nil where it has none.
func (l *oneLeg) picture() *MeanPicture {
	if l.mean == nil {
		return nil
	}
	img := image.NewGray(image.Rect(0, 0, l.w, l.h))
	for i, v := range l.mean.v {
		img.Pix[i] = uint8(min(255, max(0, v+0.5)))
	}
	return &MeanPicture{Image: img, Points: [4]Point{l.line.calfTop, l.line.calfLow, l.line.heelTop, l.line.heelLow}, Width: l.w,
		Height: l.h}
}

// LevelMark is what a hand found on a leg's mean picture: its four points there, px, the highest first; or, taken over from
// another film of the same leg in the same shoe, how much more rolled in they were than as read, degrees.
type LevelMark struct {
	Points *[4]Point `json:"points,omitempty"`
	OffDeg *float64  `json:"off_deg,omitempty"`
}

// mostLevel is how far a hand may set a level off what was read, degrees: further is no heel.
const mostLevel = 20.0

func (m LevelMark) check(l *fault.List, at string) {
	switch {
	case (m.Points == nil) == (m.OffDeg == nil):
		l.Add(at, "is to have four points, or by how much it is off")
	case m.OffDeg != nil:
		l.Range(at+".off_deg", *m.OffDeg, -mostLevel, mostLevel, "°")
	default:
		for i, p := range m.Points {
			l.Range(fmt.Sprintf("%s.points[%d]", at, i), max(math.Abs(p.X), math.Abs(p.Y)), 0, 1e4, "px")
		}
		if m.Points[0].Y >= m.Points[1].Y || m.Points[2].Y >= m.Points[3].Y {
			l.Add(at+".points", "are not the upper end before the lower one")
		}
	}
}

// Off is how much more rolled in a leg is by a hand's mark on its mean picture than as read, degrees.
func (o *OutlineFound) Off(side term.Side, m LevelMark) (deg float64, ok bool) {
	if m.OffDeg != nil {
		return *m.OffDeg, true
	}
	mean := o.Means[side]
	if m.Points == nil || mean == nil {
		return 0, false
	}
	return rolledIn(side, *m.Points) - rolledIn(side, mean.Points), true
}

// levelled is what was followed with the heels' lines turned as a hand found them on the mean pictures, and each side's
// error by then.
func (f Followed) levelled(by map[term.Side]LevelMark) (Followed, error) {
	if len(by) == 0 {
		return f, nil
	}
	if f.Outline == nil {
		return f, fault.List{{Field: "level", Text: "is of a film without dots alone; this one has dots"}}
	}
	if f.Outline.Calibrated {
		return f, fault.List{{Field: "level", Text: "was set by points on the film's frames already"}}
	}
	o := *f.Outline
	o.LevelSD = maps.Clone(o.LevelSD)
	var count, off [2]float64
	for k, side := range term.Sides {
		m, marked := by[side]
		if !marked {
			continue
		}
		deg, ok := o.Off(side, m)
		if !ok || f.Tracks[side] == nil {
			return f, fault.List{{Field: "level." + string(side), Text: "is of a leg that was not read"}}
		}
		if math.Abs(deg) > mostLevel {
			return f, fault.List{{Field: "level." + string(side),
				Text: fmt.Sprintf("is %.0f° off what was read; up to %.0f° can be", deg, mostLevel)}}
		}
		count[k], off[k] = meanCounts, deg
		o.Calibrated, o.LevelSD[side] = true, levelSD(int(meanCounts))
	}
	turn := weighed(count, off)
	tracks := maps.Clone(f.Tracks)
	for k, side := range term.Sides {
		if tracks[side] == nil || turn[k] == 0 {
			continue
		}
		dots := maps.Clone(tracks[side])
		tops := slices.Clone(dots["heel_top"])
		lows := dots["heel_low"]
		for i := range min(len(tops), len(lows)) {
			if tops[i].Frame == lows[i].Frame {
				tops[i].Point = turnedIn(side, tops[i].Point, lows[i].Point, turn[k])
			}
		}
		dots["heel_top"] = tops
		tracks[side] = dots
	}
	f.Tracks, f.Outline = tracks, &o
	return f, nil
}
