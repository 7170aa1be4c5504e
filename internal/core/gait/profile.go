package gait

import (
	"math"
	"slices"

	"trevik/internal/core/term"
)

// House values of the side view.
const (
	flatTime     = 0.040 // s over which a foot is looked at for lying flat
	flatWithin   = 0.70  // of the contact in which it does, if it does
	beltAgrees   = 4.0   // degrees between a flat foot and the level in which the foot stays lowest
	floorWithin  = 1.5   // px within which a foot counts as at its lowest
	coarseStrike = 6.0   // degrees from a limit within which a slow film does not tell the strike
	unevenSole   = 0.012 // of the sole's length, that its two dots lie unlike over the floor
	tipShare     = 0.03  // of the sole's length that the toe's dot rises as the sole rolls over its tip
)

// profile reads the near leg from the side: how the foot lands, where, and for how
// long it stays.
func (rd *reader) profile(side term.Side, raw map[string]*path) *SideReading {
	heel, toe, knee, ankle := raw["heel"], raw["toe"], raw["knee"], raw["ankle"]
	way := 1.0 // to the right
	var along []float64
	for i := range rd.Frames {
		if heel.known[i] && toe.known[i] {
			along = append(along, toe.x[i]-heel.x[i])
		}
	}
	if median(along) < 0 {
		way = -1
	}
	// The sole against the picture's level, toe up positive.
	sole := make([]float64, rd.Frames)
	for i := range sole {
		d := toe.at(i).minus(heel.at(i))
		sole[i] = math.Atan2(-d.Y, way*d.X) * 180 / math.Pi
	}
	floorDots := []*path{heel, toe}
	ground := rd.groundOf(sole, heel, toe, way)
	rd.tilt = ground
	// Turned so that the ground is level. A level line that rises towards the toe
	// rises to the right when the foot points there.
	turn := ground * way
	y := lower(heel, toe, turn)
	length := median(lengths(heel, toe))
	list := rd.contactsOf(side, y, unevenSole*length, floorDots, raw)
	var s SideReading
	var strike, shank, ms []float64
	for i := range list {
		list[i].off = rollOver(y, list[i], tipShare*length, rd.fps)
	}
	for _, c := range whole(list, rd.Frames, rd.fps) {
		off := c.off
		leg := turned(ankle.at(c.on).minus(knee.at(c.on)), turn)
		st := Step{TouchdownFrame: c.on, ToeOffFrame: &off, StrikeDeg: rounded(sole[c.on]-ground, 3),
			ShankDeg: rounded(math.Atan2(way*leg.X, leg.Y)*180/math.Pi, 3), ContactMS: rounded(1000*float64(c.off-c.on)/rd.fps, 1)}
		if rd.dropped(side, c) {
			rd.out.Left[side] = append(rd.out.Left[side], st)
			continue
		}
		s.Steps = append(s.Steps, st)
		strike, shank, ms = append(strike, *st.StrikeDeg), append(shank, *st.ShankDeg), append(ms, *st.ContactMS)
	}
	shown := make([]float64, rd.Frames)
	for i := range shown {
		shown[i] = sole[i] - ground
		if !heel.known[i] || !toe.known[i] {
			shown[i] = math.NaN()
		}
	}
	rd.out.Angles[side] = shown
	if len(s.Steps) == 0 {
		return nil
	}
	s.StrikeDeg, s.ShankDeg, s.ContactMS = statOf(strike), statOf(shank), statOf(ms)
	s.Strike = StrikeOf(*s.StrikeDeg.Mean)
	if m := *s.StrikeDeg.Mean; rd.fps < goodFPS-1 && min(math.Abs(m-heelStrike), math.Abs(m-foreStrike)) < coarseStrike {
		s.Strike = ""
		rd.warn("strike_not_told", "at %g frames a second the sole turns by many degrees between two frames: which part lands first is not told",
			rd.fps)
	}
	s.FarAhead = *s.ShankDeg.Mean > shankLimit
	return &s
}

// turned is a direction seen from a camera that leans so that what rises to the right
// by deg becomes level.
func turned(d Point, deg float64) Point {
	sin, cos := math.Sincos(deg * math.Pi / 180)
	return Point{cos*d.X - sin*d.Y, sin*d.X + cos*d.Y}
}

// lower is how far down the lower of heel and toe is in every frame, px, with the
// ground turned level.
func lower(heel, toe *path, turn float64) []float64 {
	out := make([]float64, len(heel.x))
	for i := range out {
		out[i] = max(turned(heel.at(i), turn).Y, turned(toe.at(i), turn).Y)
	}
	return out
}

func both(a, b *path) []bool {
	out := make([]bool, len(a.known))
	for i := range out {
		out[i] = a.known[i] && b.known[i]
	}
	return out
}

func lengths(heel, toe *path) []float64 {
	var out []float64
	for i := range heel.x {
		if heel.known[i] && toe.known[i] {
			out = append(out, heel.at(i).distance(toe.at(i)))
		}
	}
	return out
}

// levelTurn is the turn of the picture, degrees, that makes the ground level: the one
// under which the lower of heel and toe keeps to its lowest place most often.
func levelTurn(heel, toe *path) float64 {
	known := both(heel, toe)
	best, turn := -1.0, 0.0
	for k := -30; k <= 30; k++ {
		deg := float64(k) / 2
		var y []float64
		for i, v := range lower(heel, toe, deg) {
			if known[i] {
				y = append(y, v)
			}
		}
		if len(y) == 0 {
			return 0
		}
		slices.Sort(y)
		low := y[len(y)*97/100]
		near := 0.0
		for _, v := range y {
			if d := math.Abs(v - low); d < floorWithin {
				near += 1 - d/floorWithin
			}
		}
		if near > best {
			best, turn = near, deg
		}
	}
	return turn
}

// groundOf is the ground's direction, degrees, rising towards the toe positive: that
// of the sole where it lies flat in mid-stance, or that in which the foot stays
// lowest where the heel never comes down.
func (rd *reader) groundOf(sole []float64, heel, toe *path, way float64) float64 {
	turn := levelTurn(heel, toe)
	list := whole(contacts(lower(heel, toe, turn), both(heel, toe), rd.fps, unevenSole*median(lengths(heel, toe))), rd.Frames, rd.fps)
	var flat []float64
	span := max(2, int(flatTime*rd.fps))
	for _, c := range list {
		best, at := math.Inf(1), -1
		end := c.on + int(flatWithin*float64(c.off-c.on))
		for i := c.on; i+span <= end; i++ {
			ok := true
			lo, hi := math.Inf(1), math.Inf(-1)
			for k := i; k <= i+span; k++ {
				ok = ok && heel.known[k] && toe.known[k]
				lo, hi = min(lo, sole[k]), max(hi, sole[k])
			}
			if ok && hi-lo < best {
				best, at = hi-lo, i
			}
		}
		if at < 0 {
			continue
		}
		sum := 0.0
		for k := at; k <= at+span; k++ {
			sum += sole[k]
		}
		flat = append(flat, sum/float64(span+1))
	}
	belt := turn * way
	if len(flat) == 0 {
		return belt
	}
	if g := median(flat); math.Abs(g-belt) <= beltAgrees {
		return g
	}
	rd.never += len(flat)
	return belt
}

// rollOver is the last frame with the toe on the ground: after its dot begins to
// rise, it does so by a little while the sole rolls over its tip.
func rollOver(y []float64, c contact, little, fps float64) int {
	from := max(c.on, c.off-int(0.08*fps))
	floor := y[from:c.off]
	if len(floor) == 0 {
		return c.off
	}
	level := median(floor)
	for c.off+1 < len(y) && level-y[c.off+1] < little {
		c.off++
	}
	return c.off
}
