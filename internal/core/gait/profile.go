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
	rideAgrees   = 3.0   // and the way of the belt
	leastRide    = 0.25  // of the sole's length, that a foot on a belt goes with it while it lies flat
	leastStride  = 2.0   // soles, that a foot goes from contact to contact over ground
	flatTurns    = 0.4   // degrees, within which it does
	leansCost    = 0.03  // of how often a foot is at its lowest, that each degree costs by which the camera would lean
	floorWithin  = 1.5   // px within which a foot counts as at its lowest
	coarseStrike = 6.0   // degrees from a limit within which a slow film does not tell the strike
	levelSlope   = 13.0  // px/s that a floor may slope once it is turned level
	unevenSole   = 0.012 // of the sole's length, that its two dots lie unlike over the floor
	insetStep    = 0.005 // of the sole's length, by which is looked for how far its dots lie inside its ends
	mostInset    = 0.08
	heelFirst    = 0.035 // sine of the sole's angle, from which the heel is what lands
	unevenTip    = 0.003 // of the sole's length, that its tip rises before it leaves
	insetCosts   = 0.15  // frames a contact and step, that a dot further inside has to bring on the floor
	landsWithin  = 0.060 // s, that a landing is told better by the dots' own floors
	liftsWithin  = 0.100 // and a lift
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
	flat, ground := rd.groundOf(sole, heel, toe, way)
	rd.tilt = ground
	// Turned so that the ground is level. A level line that rises towards the toe
	// rises to the right when the foot points there.
	turn := ground * way
	y := lower(heel, toe, flat*way) // both dots lie on one level where the sole is flat
	length := median(lengths(heel, toe))
	list := rd.contactsOf(side, y, floorKind{unevenSole * length, levelSlope}, floorDots, raw, func(list []contact, known []bool) {
		rd.roll(list, known, sole, flat, length, downs(heel, turn), downs(toe, turn))
	})
	var s SideReading
	var strike, shank, ms []float64
	for _, c := range whole(list, rd.Frames, rd.fps) {
		off := c.off
		leg := turned(ankle.at(c.on).minus(knee.at(c.on)), turn)
		st := Step{TouchdownFrame: c.on, ToeOffFrame: &off, StrikeDeg: rounded(sole[c.on]-flat, 3),
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
		shown[i] = sole[i] - flat
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
		if near *= 1 - leansCost*math.Abs(deg); near > best { // a foot that stays in its place lies level at any turn
			best, turn = near, deg
		}
	}
	return turn
}

// groundOf is how the sole lies where it is flat on the ground in mid-stance, and the ground's direction, degrees, rising
// towards the toe positive: that in which a foot goes with a belt, or the flat sole's. Where the heel never comes down both
// are the ground's own.
func (rd *reader) groundOf(sole []float64, heel, toe *path, way float64) (flat, ground float64) {
	turn, length := levelTurn(heel, toe), median(lengths(heel, toe))
	y := lower(heel, toe, turn)
	list := whole(contacts(y, both(heel, toe), rd.fps, floorKind{unevenSole * length, usualSlope}), rd.Frames, rd.fps)
	var lies, rides, strides []float64
	var last Point
	stood := false
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
			// One that hangs in the air keeps its angle too, but sinks.
			if cost := hi - lo + math.Abs(y[i+span]-y[i])/length*180/math.Pi; ok && cost < best {
				best, at = cost, i
			}
		}
		if at < 0 {
			continue
		}
		sum := 0.0
		for k := at; k <= at+span; k++ {
			sum += sole[k]
		}
		lies = append(lies, sum/float64(span+1))
		if deg, ok := rideOf(c, at, at+span, sole, toe, length); ok && math.Abs(deg-turn) <= beltAgrees {
			rides = append(rides, deg)
		}
		// Over ground it is told by where the toe stands from contact to contact.
		place := toe.at(at + span/2)
		if d := place.minus(last); stood && math.Abs(d.X) > leastStride*length {
			strides = append(strides, -math.Atan(d.Y/d.X)*180/math.Pi)
		}
		last, stood = place, true
	}
	if len(rides) == 0 {
		rides = strides
	}
	goes := len(rides) > 0 && 2*len(rides) >= len(lies)
	agrees := beltAgrees
	if ground = turn * way; goes {
		ground, agrees = median(rides)*way, rideAgrees
	}
	if len(lies) == 0 {
		return ground, ground
	}
	if flat = median(lies); math.Abs(flat-ground) > agrees {
		rd.never += len(lies)
		return ground, ground
	}
	if !goes {
		ground = flat
	}
	return flat, ground
}

// rideOf is the way, degrees, rising to the right positive, in which the toe goes with a belt that it stands on over frames a
// to b, and as long before and after as the sole lies as it does then: false where it stays, as on the ground.
func rideOf(c contact, a, b int, sole []float64, toe *path, length float64) (deg float64, ok bool) {
	lies := func(i int) bool { return toe.known[i] && math.Abs(sole[i]-(sole[a]+sole[b])/2) < flatTurns }
	for a > c.on && lies(a-1) {
		a--
	}
	for b < c.off && lies(b+1) {
		b++
	}
	var n, mx, my, xx, xy float64
	for i := a; i <= b; i++ {
		n, mx, my = n+1, mx+toe.x[i], my+toe.y[i]
	}
	mx, my = mx/n, my/n
	for i := a; i <= b; i++ {
		xx, xy = xx+(toe.x[i]-mx)*(toe.x[i]-mx), xy+(toe.x[i]-mx)*(toe.y[i]-my)
	}
	return -math.Atan(xy/xx) * 180 / math.Pi, math.Abs(toe.x[b]-toe.x[a]) >= leastRide*length
}

// downs is how far down a dot is in every frame, px, with the ground turned level.
func downs(p *path, turn float64) []float64 {
	out := make([]float64, len(p.x))
	for i := range out {
		out[i] = turned(p.at(i), turn).Y
	}
	return out
}

// roll tells each contact's ends by the floors of heel and toe, each by itself. A dot lies inside the end of the sole that
// rolls over the ground, and rises with the sole's angle while that end stands: how far inside is told from the contacts,
// as what lets most frames lie on the floor and none under it.
func (rd *reader) roll(list []contact, known []bool, sole []float64, flat, length float64, heel, toe []float64) {
	up, down := make([]float64, rd.Frames), make([]float64, rd.Frames)
	for i, deg := range sole {
		s := math.Sin((deg - flat) * math.Pi / 180)
		up[i], down[i] = max(0, s), max(0, -s)
	}
	lands, lifts := int(math.Round(landsWithin*rd.fps)), int(math.Round(liftsWithin*rd.fps))
	// A shoe that bends leaves its front flat as the heel rises: the toe's dot may lie inside another end when it lands.
	heel = rd.rolling(list, known, heel, up, length, func(c contact) (int, int) { return c.on - lands, c.off })
	first := rd.rolling(list, known, toe, down, length, func(c contact) (int, int) { return c.on - lands, (c.on + c.off) / 2 })
	toe = rd.rolling(list, known, toe, down, length, func(c contact) (int, int) { return (c.on + c.off) / 2, c.off + lifts })
	for i, c := range list {
		if c.cut {
			continue
		}
		from, to := max(0, c.on-2*lands), min(rd.Frames-1, c.off+2*lifts)
		a, b := max(from, c.on-lands), min(to, c.off+lifts)
		h, onHeel := ends(heel, known, rd.fps, floorKind{0, levelSlope}, from, a, b, to)
		f, onFront := ends(first, known, rd.fps, floorKind{0, levelSlope}, from, a, b, to)
		t, onToe := ends(toe, known, rd.fps, floorKind{unevenTip * length, levelSlope}, from, a, b, to)
		on, off := c.off, c.off
		if onHeel && max(h.on-c.on, c.on-h.on) <= lands {
			on = h.on
		} else if up[c.on] > heelFirst {
			on = c.on
		}
		if onFront && max(f.on-c.on, c.on-f.on) <= lands {
			on = min(on, f.on)
		}
		if onToe && max(t.off-c.off, c.off-t.off) <= lifts {
			off = t.off
		}
		if on == c.off {
			on = c.on
		}
		if float64(off-on) >= restTime*rd.fps {
			list[i].on, list[i].off = on, off
		}
	}
}

// rolling is how far down the end of the sole is that a dot lies inside of, px, where the sole's angle raises the dot by
// its sine.
func (rd *reader) rolling(list []contact, known []bool, dot, sine []float64, length float64,
	over func(c contact) (from, to int)) []float64 {
	best, most, at := dot, math.Inf(-1), 0.0
	try := func(inset float64) {
		y := make([]float64, len(dot))
		for i := range y {
			y[i] = dot[i] + inset*length*sine[i]
		}
		sum := 0.0
		for _, c := range list {
			from, to := over(c)
			if f, ok := floorOf(y, known, rd.fps, floorKind{0, levelSlope}, max(0, from), min(rd.Frames-1, to)); ok && !c.cut {
				sum += f.lies - insetCosts*inset/insetStep
			}
		}
		if sum > most {
			best, most, at = y, sum, inset
		}
	}
	for inset := 0.0; inset <= mostInset; inset += insetStep {
		try(inset)
	}
	for k, coarse := -3, at; k <= 3; k++ {
		try(max(0, coarse+float64(k)*insetStep/4))
	}
	return best
}
