package gait

import (
	"math"
	"slices"

	"trevik/internal/core/term"
)

// outline is a leg's two lines in its own picture, px of the crop.
type outline struct {
	heelLow, heelTop, calfLow, calfTop Point
}

// House values of an outline.
const (
	widestHalf    = 0.185 // shanks
	slimHalf      = 0.048
	asideMost     = 0.11 // that a leg's middle may lie beside the way from foot to calf
	bendCost      = 0.10 // of an edge, a px that the middle or the width moves from row to row
	widenCost     = 0.35
	stillEdges    = 1.0   // of what stands in the picture without the runner, that is taken off an edge
	insideFrom    = 3.0   // of brightness, that leg differs from ground
	insideShare   = 0.25  // of what the leg's middle differs by
	insideMost    = 30.0  // of brightness
	coreHalf      = 0.05  // shanks
	ankleHalf     = 0.077 // shanks, up to ankleTop
	calfHalf      = 0.125 // from calfTop
	ankleTop      = 0.3
	calfTop       = 0.65
	usualHalfSD   = 0.03
	unusualCost   = 0.15 // of an edge, a row that is one SD off
	heelWideSD    = 0.03
	heelSlimmer   = 0.04  // shanks, that half a heel may be slimmer than usual: the leg may be smaller than it is taken for
	heelWider     = 0.055 // and wider: or larger
	heelTaper     = 0.02  // px aside a px down, that each side of a heel leans outwards
	heelTaperSD   = 0.035
	rollCounts    = 0.03
	leanSharp     = 10.0
	leanShared    = 0.7
	usualRoll     = 7.0 // degrees, of the heel against the leg while it is flat
	rollSD        = 6.0
	mostLooks     = 33   // frames, of which the leg's usual picture is made
	beyondEdge    = 4    // px, to which both sides of an edge are looked at: one is leg
	restless      = 8    // one in so many frames to either side is left out of how much a place varies
	steadyLeast   = 4.0  // of brightness, that a leg varies on film
	steadyTimes   = 2.0  // what the middle of the leg does, from which a place goes by itself
	outsideWeighs = 0.08 // of a place on the leg, one beside it
	rimKept       = 4.0  // px beside a leg that are kept with it: its edge is what is found again
	soleEdge      = 1.2  // of brightness a px, of the sole against the ground
	soleShare     = 0.15
	fallsAtEnds   = 0.03   // shanks, that a foot lies lower at both ends than between
	unevenHeel    = 0.0028 // shanks, that a heel's pivot moves while it rolls
	slidesFrom    = 0.4    // shanks a second sideways, from which a foot does not stand
	crawlsTo      = 0.18   // shanks a second, that a foot on the ground may move
	crawlTime     = 0.075  // s, that it does so at least, to be told from one that lands slowly
	slidesLeast   = 2      // frames, by which an end is put right for that
	besideFrom    = 0.2
	besideTo      = 0.3
	insideCounts  = 1.0
	strangeTimes  = 1.7 // as unlike as it is while it stands
	strangeMore   = 0.06
	strangeAsAir  = 0.8  // of what it was in the frames before
	strangeLeft   = 0.35 // of that, from one frame to the next
	strangeTime   = 0.06 // s
	oddWidth      = 1.2  // times as wide as a calf usually is: another leg is taken for part of it
	oddAnkle      = 0.04 // shanks, that the calf's line passes the heel's at the ankle
	landTimeMost  = 0.08 // s, that a heel seems to come down while it rolls
)

// placed is where a place of a patch's own picture lies in a frame's crop.
func (r *rigid) placed(p pose, q Point) Point {
	cx, cy := r.middle()
	cx, cy = cx+float64(r.x0), cy+float64(r.y0)
	sin, cos := math.Sincos(p.turn)
	x, y := q.X-cx, q.Y-cy
	return Point{cx + p.x + cos*x - sin*y, cy + p.y + sin*x + cos*y}
}

// sharp is the usual picture of rows of the leg over its contacts, as a patch lies, by how much each place varies, and
// the ground without the runner under it.
func (l *oneLeg) sharp(r *rigid, of func(c *standing, i int) pose, y0, y1 int, ground, out, under, varies *plot) {
	type look struct {
		in *plot
		p  pose
	}
	var all []look
	for _, c := range l.contacts {
		from, to := c.a, c.b
		if c.found {
			from, to = c.on, c.off
		}
		for i := range c.ok {
			if f := c.from + i; c.ok[i] && c.frames[i] != nil && f >= from && f <= to {
				all = append(all, look{c.frames[i], of(c, i)})
			}
		}
	}
	if len(all) == 0 {
		return
	}
	n := min(len(all), mostLooks)
	looks := make([]look, n)
	for k := range looks {
		looks[k] = all[k*len(all)/n]
	}
	at, below := make([]float32, l.w*n), make([]float32, l.w)
	for y := y0; y < y1; y++ {
		clear(below)
		for k, v := range looks {
			sin, cos := math.Sincos(v.p.turn)
			q := r.placed(v.p, Point{0, float64(y)})
			for x := range l.w {
				sx, sy := q.X+cos*float64(x), q.Y+sin*float64(x)
				at[x*n+k] = v.in.at(sx, sy)
				below[x] += ground.at(sx, sy)
			}
		}
		for x := range l.w {
			row, i := at[x*n:(x+1)*n], y*l.w+x
			slices.Sort(row)
			out.v[i], under.v[i] = (row[(n-1)/2]+row[n/2])/2, below[x]/float32(n)
			varies.v[i] = row[n-1-n/restless] - row[n/restless]
		}
	}
}

// unsteady is how surely what is seen at each place goes by itself rather than with the leg, 0 to 1.
func (l *oneLeg) unsteady(varies *plot) *plot {
	var all []float64 // of the heel: the lowest part is the last to be hidden
	for y := max(0, int(l.sole-0.16*l.shank)); y < min(l.h, int(l.sole-0.02*l.shank)); y++ {
		for mid, dx := l.centre(y), -0.03*l.shank; dx <= 0.03*l.shank; dx++ {
			all = append(all, float64(varies.at(mid+dx, float64(y))))
		}
	}
	usual := float32(max(steadyLeast, median(all)))
	out := newPlot(l.w, l.h)
	for k, v := range varies.v {
		out.v[k] = min(1, max(0, (v/usual-steadyTimes)/steadyTimes))
	}
	return out
}

// pivot finds the place of the heel that stands while it rolls: what its poses turn about, the floor's own creeping
// apart.
func (l *oneLeg) pivot() {
	// x less a turn times the place's height, y and a turn times how far aside it lies, go on evenly in each contact.
	var tt, tx, ty float64
	for _, c := range l.contacts {
		var t, x, y []float64
		for i := range c.ok {
			from, to := c.a, c.b
			if c.found {
				from, to = c.on+1, c.off-1
			}
			if f := c.from + i; c.ok[i] && f >= from && f <= to {
				t, x, y = append(t, c.heel[i].turn), append(x, c.heel[i].x), append(y, c.heel[i].y)
			}
		}
		if len(t) < 6 {
			continue
		}
		t, x, y = evened(t), evened(x), evened(y)
		for i := range t {
			tt, tx, ty = tt+t[i]*t[i], tx+t[i]*x[i], ty+t[i]*y[i]
		}
	}
	cx, cy := l.heelRef.middle()
	cx, cy = cx+float64(l.heelRef.x0), cy+float64(l.heelRef.y0)
	l.pivotAt = l.line.heelLow
	rim := 0.02 * l.shank // held to the line's own end where the heel hardly turns
	hold := 0.02 * 0.02 * 20
	down, aside := l.line.heelLow.Y-cy, l.line.heelLow.X-cx
	down = (tx + hold*down) / (tt + hold)
	aside = (-ty + hold*aside) / (tt + hold)
	down = min(max(down, l.line.heelLow.Y-cy-5*rim), l.line.heelLow.Y-cy+3*rim)
	aside = min(max(aside, l.line.heelLow.X-cx-6*rim), l.line.heelLow.X-cx+6*rim)
	l.pivotAt = Point{cx + aside, cy + down}
}

// evened takes a straight line off.
func evened(v []float64) []float64 {
	n := float64(len(v))
	var m, mt, tt, tv float64
	mt = (n - 1) / 2
	for _, x := range v {
		m += x / n
	}
	for i, x := range v {
		tt += (float64(i) - mt) * (float64(i) - mt)
		tv += (float64(i) - mt) * (x - m)
	}
	out := make([]float64, len(v))
	for i, x := range v {
		out[i] = x - m - tv/tt*(float64(i)-mt)
	}
	return out
}

func abs(v int) int {
	if v < 0 {
		return -v
	}
	return v
}

// level finds the two lines on the leg's mean picture; false where too little of the leg lies in it.
func (l *oneLeg) level(c *cycle, by int) bool {
	pic := newPlot(l.w, l.h)
	seam := min(l.h-2, max(2, int(l.sole-0.29*l.shank)))
	ground, under, varies := newPlot(l.w, l.h), newPlot(l.w, l.h), newPlot(l.w, l.h)
	for y := range l.h {
		for x := range l.w {
			fx, fy := (float64(l.x0+x)+0.5)/float64(by)-0.5, (float64(l.y0+y)+0.5)/float64(by)-0.5
			ground.v[y*l.w+x] = (&plot{c.w, c.h, c.back}).at(fx, fy)
		}
	}
	still := l.still(c, by)
	l.sharp(l.calfRef, func(c *standing, i int) pose { return c.calf[i] }, 0, seam, ground, pic, under, varies)
	l.sharp(l.heelRef, func(c *standing, i int) pose { return c.heel[i] }, seam, l.h, ground, pic, under, varies)
	l.mean = pic
	l.sole = l.bottom(pic)
	moving := l.unsteady(varies)
	edge, inside := l.edges(pic, still, moving), l.inside(pic, under, moving, c.noise)
	low, high := min(l.h-3, int(l.sole-0.01*l.shank)), max(2, int(l.sole-0.68*l.shank))
	if float64(low-high) < calfFrom*l.shank {
		return false
	}
	mid, half := l.pair(edge, inside, low, high)
	row := func(share float64) int { return int(l.sole - share*l.shank) }
	fit := func(a, b float64) (at func(y float64) Point) {
		var ys, xs []float64
		for y := row(b); y <= row(a); y++ {
			if y >= high && y <= low {
				ys, xs = append(ys, float64(y)), append(xs, mid[y-high])
			}
		}
		a0, slope := robustLine(ys, xs)
		return func(y float64) Point { return Point{a0 + slope*y, y} }
	}
	calf := fit(calfFrom, calfTo)
	var at []float64
	for y := row(0.17); y <= row(0.09); y++ {
		if y >= high && y <= low {
			at = append(at, mid[y-high])
		}
	}
	heel := l.counter(edge, median(at), calf(l.sole-calfFrom*l.shank).X-calf(l.sole-calfTo*l.shank).X)
	l.shape = newPlot(l.w, l.h)
	for y := range l.h {
		x0, x1 := -1.0, -1.0
		switch fy := float64(y); {
		case fy > l.sole-0.24*l.shank && fy < l.sole+0.01*l.shank:
			d := fy - (l.sole - (heelTo+heelFrom)/2*l.shank)
			x0, x1 = l.sides[0]+l.sides[1]*d, l.sides[2]+l.sides[3]*d
		case y >= high && y <= low:
			x0, x1 = mid[y-high]-half[y-high], mid[y-high]+half[y-high]
		}
		for x := range l.w {
			l.shape.v[y*l.w+x] = outsideWeighs
			if l.within(float64(x), float64(y)) < 0 {
				l.shape.v[y*l.w+x] = 0
			} else if fx := float64(x); x1 > x0 && fx > x0-rimKept && fx < x1+rimKept {
				l.shape.v[y*l.w+x] = 1
			}
		}
	}
	hidden, of := 0.0, 0.0
	for y := row(calfTo); y <= row(calfFrom); y++ {
		if y < high || y > low {
			continue
		}
		for x := mid[y-high] - half[y-high] + rimKept; x <= mid[y-high]+half[y-high]-rimKept; x++ {
			hidden, of = hidden+float64(moving.at(x, float64(y))), of+1
		}
	}
	l.hidden = hidden / max(1, of)
	var wider []float64
	for y := row(calfTo); y <= row(calfFrom); y++ {
		if y >= high && y <= low {
			wider = append(wider, half[y-high]/l.shank/usualHalf((l.sole-float64(y))/l.shank))
		}
	}
	ankle := l.sole - ankleHigh*l.shank
	l.odd = median(wider) > oddWidth || math.Abs(calf(ankle).X-heel(ankle).X) > oddAnkle*l.shank
	l.line.heelLow, l.line.heelTop = heel(l.sole), heel(l.sole-heelTo*l.shank)
	l.line.calfLow, l.line.calfTop = calf(l.sole-calfFrom*l.shank), calf(l.sole-calfTo*l.shank)
	return true
}

// bottom is the row of the sole's lowest edge: the lowest about where it was thought at which the picture changes
// sharply down the middle of the foot.
func (l *oneLeg) bottom(pic *plot) float64 {
	y0, y1 := max(2, int(l.sole-0.11*l.shank)), min(l.h-3, int(l.sole+0.08*l.shank))
	strong := make([]float64, max(0, y1-y0))
	most := 0.0
	change := func(y int, from, to float64) float64 { // down the picture, a px
		sum, n := 0.0, 0.0
		for x := max(0, int(from)); x <= min(l.w-1, int(to)); x++ {
			sum += float64(pic.v[(y+1)*l.w+x]-pic.v[(y-1)*l.w+x]) / 2
			n++
		}
		return sum / max(1, n)
	}
	for k := range strong {
		y := y0 + k
		foot := change(y, l.foot-0.05*l.shank, l.foot+0.05*l.shank)
		// What changes beside the foot too is the belt's.
		left := change(y, l.foot-besideTo*l.shank, l.foot-besideFrom*l.shank)
		right := change(y, l.foot+besideFrom*l.shank, l.foot+besideTo*l.shank)
		if l.within(l.foot-besideTo*l.shank, l.sole) < 0 { // the other leg's
			left = right
		}
		if l.within(l.foot+besideTo*l.shank, l.sole) < 0 {
			right = left
		}
		strong[k] = min(math.Abs(foot), math.Abs(foot-left), math.Abs(foot-right))
		most = max(most, strong[k])
	}
	for k := len(strong) - 2; k > 0; k-- {
		if strong[k] > max(soleEdge, soleShare*most) && strong[k] >= strong[k-1] && strong[k] >= strong[k+1] {
			return float64(y0 + k)
		}
	}
	return l.sole
}

// still is how strongly what is there at every beat of the stride changes across each place of the crop, px of the
// film.
func (l *oneLeg) still(c *cycle, by int) *plot {
	small := newPlot(c.w, c.h)
	for y := range c.h {
		for x := 1; x < c.w-1; x++ {
			k := y*c.w + x
			least := float32(math.Inf(1))
			sign := c.back[k+1] > c.back[k-1]
			for b := range beats {
				d := c.mean[b][k+1] - c.mean[b][k-1]
				if (d > 0) != sign {
					d = 0
				} else if d < 0 {
					d = -d
				}
				least = min(least, d)
			}
			small.v[k] = least / float32(2*by)
		}
	}
	out := newPlot(l.w, l.h)
	for y := range l.h {
		for x := range l.w {
			// The widest of what lies next to it: the small picture is coarse.
			fx, fy := (float64(l.x0+x)+0.5)/float64(by)-0.5, (float64(l.y0+y)+0.5)/float64(by)-0.5
			out.v[y*l.w+x] = max(small.at(fx-1, fy), small.at(fx, fy), small.at(fx+1, fy))
		}
	}
	return out
}

// edges is how strongly the picture changes across each place, less what stands there without the runner.
func (l *oneLeg) edges(pic, still, moving *plot) *plot {
	out := newPlot(l.w, l.h)
	var all []float64
	for y := 2; y < l.h-2; y++ {
		for x := 2; x < l.w-2; x++ {
			g := float32(0)
			for dy := -2; dy <= 2; dy++ {
				k := (y+dy)*l.w + x
				g += pic.v[k+1] - pic.v[k-1] + (pic.v[k+2]-pic.v[k-2])/2
			}
			g = float32(math.Abs(float64(g))) / 10
			k := y*l.w + x
			g = max(0, g-stillEdges*still.v[k])
			g *= 1 - min(moving.at(float64(x-beyondEdge), float64(y)), moving.at(float64(x+beyondEdge), float64(y)))
			out.v[y*l.w+x] = g
			if x%3 == 0 && y%3 == 0 {
				all = append(all, float64(g))
			}
		}
	}
	for k := range out.v {
		if l.within(float64(k%l.w), float64(k/l.w)) < 0 {
			out.v[k] = 0
		}
	}
	slices.Sort(all)
	usual := float32(max(0.4, all[len(all)*88/100], 0.3*all[len(all)*98/100]))
	for k, g := range out.v {
		out.v[k] = g / (g + usual)
	}
	return out
}

// inside is how surely each place is leg rather than ground, -1 to 1, summed along its row from the left. Ground is
// what is there without the runner, or what the row is like to both sides of the leg.
func (l *oneLeg) inside(pic, under, moving *plot, noise float64) *plot {
	out := newPlot(l.w, l.h)
	least := float32(insideFrom + 0.5*noise)
	apart := func(a, b float32) float32 { return float32(math.Abs(float64(a - b))) }
	for y := range l.h {
		mid := l.centre(y)
		beside := func(sign float64) (at float64, v float32, ok bool) {
			var all []float64
			for k := besideFrom * l.shank; k <= besideTo*l.shank; k++ {
				if x := int(mid + sign*k); x >= 0 && x < l.w && l.within(float64(x), float64(y)) >= 0 {
					all = append(all, float64(pic.v[y*l.w+x]))
				}
			}
			at = mid + sign*(besideFrom+besideTo)/2*l.shank
			if len(all) == 0 {
				return at, 0, false
			}
			return at, float32(median(all)), true
		}
		x0, v0, left := beside(-1)
		x1, v1, right := beside(1)
		// Where the other leg stands, or the picture ends, the ground is what it is on the other side.
		if !left {
			v0 = v1
		}
		if !right {
			v1 = v0
		}
		differs := func(x int) float32 {
			k := y*l.w + x
			d := apart(pic.v[k], under.v[k])
			if left || right {
				d = min(d, apart(pic.v[k], v0+(v1-v0)*float32((float64(x)-x0)/(x1-x0))))
			}
			return d
		}
		// Where the leg stands out, what differs a little is ground in another light.
		var core []float64
		for x := max(0, int(mid-coreHalf*l.shank)); x <= min(l.w-1, int(mid+coreHalf*l.shank)); x++ {
			core = append(core, float64(differs(x)))
		}
		from, sure := least, float32(1) // how surely what differs little is no leg
		if len(core) > 0 {
			slices.Sort(core) // lit from one side, part of it may be as bright as the wall
			quarter := float32(core[len(core)/4])
			from = max(least, min(insideMost, insideShare*quarter))
			sure = max(0, min(1, quarter/least-1))
		}
		sum := float32(0)
		for x := range l.w {
			k := y*l.w + x
			sum += min(max(-sure, min(1, (differs(x)-from)/from)), 1-2*moving.v[k])
			out.v[k] = sum
		}
	}
	return out
}

// centre is where the leg's middle lies in a row, by the way from the foot to the calf.
func (l *oneLeg) centre(y int) float64 {
	u := (l.sole - float64(y)) / (0.45 * l.shank)
	return l.foot + min(1.5, u)*(l.calf-l.foot)
}

// pair finds the two edges of the leg from the ground up: at each row its middle and half its width, by what stands
// out most along the whole of both.
func (l *oneLeg) pair(edge, inside *plot, low, high int) (mid, half []float64) {
	rows := low - high + 1
	aside := int(asideMost * l.shank)
	w0, w1 := int(slimHalf*l.shank), int(widestHalf*l.shank)
	nc, nw := 2*aside+1, w1-w0+1
	centre := func(y int) int { return int(l.centre(y)) }
	wide := float32(heelWide * l.shank)
	cost := make([]float32, nc*nw)
	back := make([][]int8, rows)
	for k := range rows {
		y := low - k
		c0 := centre(y) - aside
		shift := 0
		if k > 0 {
			shift = c0 - (centre(y+1) - aside)
		}
		next := make([]float32, nc*nw)
		from := make([]int8, nc*nw)
		unusual := make([]float32, nw)
		for w := range unusual {
			d := (float64(w0+w)/l.shank - usualHalf((l.sole-float64(y))/l.shank)) / usualHalfSD
			unusual[w] = float32(unusualCost * d * d)
		}
		for c := range nc {
			for w := range nw {
				l1, r1 := c0+c-(w0+w), c0+c+(w0+w)
				score := -unusual[w]
				if l1 > 1 && r1 < l.w-2 {
					in := inside.v[y*l.w+r1] - inside.v[y*l.w+l1]
					score += edge.v[y*l.w+l1] + edge.v[y*l.w+r1] + insideCounts*2*in/wide
				}
				if k == 0 {
					next[c*nw+w] = score
					continue
				}
				best, at := float32(math.Inf(-1)), 0
				for dc := -1; dc <= 1; dc++ {
					for dw := -1; dw <= 1; dw++ {
						pc, pw := c+shift+dc, w+dw
						if pc < 0 || pc >= nc || pw < 0 || pw >= nw {
							continue
						}
						v := cost[pc*nw+pw] - bendCost*float32(abs(dc)) - widenCost*float32(abs(dw))
						if v > best {
							best, at = v, (dc+1)*3+dw+1
						}
					}
				}
				next[c*nw+w], from[c*nw+w] = best+score, int8(at)
			}
		}
		cost, back[k] = next, from
	}
	at := 0
	for k := range cost {
		if cost[k] > cost[at] {
			at = k
		}
	}
	mid, half = make([]float64, rows), make([]float64, rows)
	c, w := at/nw, at%nw
	for k := rows - 1; k >= 0; k-- {
		y := low - k
		c0 := centre(y) - aside
		l1, r1 := c0+c-(w0+w), c0+c+(w0+w)
		a, b := l.between(edge, l1, y), l.between(edge, r1, y)
		mid[y-high], half[y-high] = (a+b)/2, (b-a)/2
		if k > 0 {
			step := int(back[k][c*nw+w])
			shift := c0 - (centre(y+1) - aside)
			// Where the way leads out of the picture no step was allowed, and none is kept.
			c, w = min(nc-1, max(0, c+shift+step/3-1)), min(nw-1, max(0, w+step%3-1))
		}
	}
	return mid, half
}

// usualHalf is half the width of a leg so far up from the ground, both in shanks: some 7 cm at the ankle and 12 at the
// calf, of a shank of 41 to 48.
func usualHalf(up float64) float64 {
	return ankleHalf + (calfHalf-ankleHalf)*min(1, max(0, (up-ankleTop)/(calfTop-ankleTop)))
}

// between is where about a place an edge is strongest, to a part of a pixel.
func (l *oneLeg) between(edge *plot, x, y int) float64 {
	if x < 3 || x > l.w-4 {
		return float64(x)
	}
	sum, at := float32(0), float32(0)
	for d := -2; d <= 2; d++ {
		v := edge.v[y*l.w+x+d]
		v *= v
		sum, at = sum+v, at+v*float32(d)
	}
	if sum == 0 {
		return float64(x)
	}
	return float64(x) + float64(at/sum)
}

// robustLine is x by y through places of which some are strays.
func robustLine(ys, xs []float64) (at0, slope float64) {
	n := len(ys)
	if n < 3 {
		return median(xs), 0
	}
	// Theil and Sen's to begin with, then least squares of what lies near.
	var slopes []float64
	for i := range n {
		if j := i + n/3; j < n {
			for k := j; k < n; k += max(1, n/12) {
				slopes = append(slopes, (xs[k]-xs[i])/(ys[k]-ys[i]))
			}
		}
	}
	slope = median(slopes)
	off := make([]float64, n)
	for i := range n {
		off[i] = xs[i] - slope*ys[i]
	}
	at0 = median(off)
	for range 5 {
		var stray []float64
		for i := range n {
			stray = append(stray, math.Abs(xs[i]-at0-slope*ys[i]))
		}
		wide := max(0.4, 3*1.4826*median(stray))
		var s, sx, sy, syy, sxy float64
		for i := range n {
			u := (xs[i] - at0 - slope*ys[i]) / wide
			if math.Abs(u) >= 1 {
				continue
			}
			w := (1 - u*u) * (1 - u*u)
			s, sx, sy = s+w, sx+w*xs[i], sy+w*ys[i]
			syy, sxy = syy+w*ys[i]*ys[i], sxy+w*xs[i]*ys[i]
		}
		if d := s*syy - sy*sy; d > 1e-9 {
			slope = (s*sxy - sx*sy) / d
			at0 = (sx - slope*sy) / s
		}
	}
	return at0, slope
}

// counter finds the two straight sides of the heel: of all pairs of lines as far apart as a heel is wide, and about
// in line with each other, those along which the picture changes most. Forefoot, shadow and a tab on the heel have
// edges too, but none so straight at that distance.
func (l *oneLeg) counter(edge *plot, about, calfAside float64) func(y float64) Point {
	y0, y1 := l.sole-heelTo*l.shank, l.sole-heelFrom*l.shank
	middle := (y0 + y1) / 2
	lean := -calfAside / ((calfTo - calfFrom) * l.shank) // dx by dy of the leg, down
	out := 1.0
	if l.side == term.Left {
		out = -1
	}
	usual := heelWide
	if l.bare {
		usual = bareWide
	}
	along := func(x, slope float64) float64 {
		sum, n := 0.0, 0.0
		for y := y0; y <= y1; y++ {
			sum += float64(edge.at(x+slope*(y-middle), y))
			n++
		}
		return sum / n
	}
	type sides struct{ x, slope, half, taper float64 }
	score := func(s sides) float64 {
		a, b := along(s.x-s.half, s.slope-s.taper), along(s.x+s.half, s.slope+s.taper)
		w := (2*s.half/l.shank - usual) / heelWideSD
		turn := (math.Atan(s.slope)*out - math.Atan(-lean)*out) * 180 / math.Pi
		e := (turn - usualRoll) / rollSD
		taper := (s.taper - heelTaper) / heelTaperSD
		return a + b + 0.5*min(a, b) - 0.02*(w*w+taper*taper) - rollCounts*e*e
	}
	// climb goes from sides to the best about them, by such steps.
	climb := func(from sides, steps []sides) (sides, float64) {
		v := score(from)
		for d := 0.5; d > 0.04; d /= 1.7 {
			for again := true; again; {
				again = false
				for _, t := range steps {
					for _, k := range []float64{-d, d} {
						s := sides{from.x + k*t.x, from.slope + k*t.slope, from.half + k*t.half, from.taper + k*t.taper}
						if now := score(s); now > v+1e-9 {
							from, v, again = s, now, true
						}
					}
				}
			}
		}
		return from, v
	}
	atLean := []sides{{x: 1}, {half: 1}, {taper: 0.03}}
	step := max(1, 0.008*l.shank)
	var leans, scores [51]float64
	var tries [51]sides
	for n := range leans {
		slope, most := -0.5+0.02*float64(n), math.Inf(-1)
		for x := about - 0.04*l.shank; x <= about+0.04*l.shank; x += step {
			for half := (usual/2 - heelSlimmer) * l.shank; half <= (usual/2+heelWider)*l.shank; half += step {
				for taper := -0.05; taper <= 0.1001; taper += 0.05 {
					if s := (sides{x, slope, half, taper}); score(s) > most {
						tries[n], most = s, score(s)
					}
				}
			}
		}
		leans[n] = slope
		tries[n], scores[n] = climb(tries[n], atLean)
	}
	top := slices.Index(scores[:], slices.Max(scores[:]))
	best, most := climb(tries[top], append(atLean, sides{slope: 0.02}))
	for n, slope := range leans { // what is best may have been on no way from where these began
		_, v := climb(sides{best.x, slope, best.half, best.taper}, atLean)
		scores[n] = max(scores[n], v)
	}
	// Where several pairs of lines are about as good, the lean lies between them.
	sum, lean2 := 0.0, 0.0
	for k, v := range scores {
		weight := math.Exp(leanSharp * (v - most))
		sum, lean2 = sum+weight, lean2+weight*leans[k]
	}
	best.slope += (lean2/sum - best.slope) * leanShared
	l.sides = [4]float64{best.x - best.half, best.slope - best.taper, best.x + best.half, best.slope + best.taper}
	return func(y float64) Point { return Point{best.x + best.slope*(y-middle), y} }
}

// ends tells each contact's first and last frame by the heel's height, and by where it stops to move.
func (l *oneLeg) ends(fps float64) {
	for _, c := range l.contacts {
		n := len(c.ok)
		x, y := make([]float64, n), make([]float64, n)
		at := c.middle - c.from
		c.found = false
		if n == 0 || !c.ok[at] {
			continue
		}
		from, to := at, at
		for from > 0 && c.ok[from-1] {
			from--
		}
		for to+1 < n && c.ok[to+1] {
			to++
		}
		for i := from; i <= to; i++ {
			p := l.heelRef.placed(c.heel[i], l.pivotAt)
			x[i], y[i] = p.X, p.Y
		}
		for i := range from {
			y[i] = y[from]
		}
		for i := to + 1; i < n; i++ {
			y[i] = y[to]
		}
		e, ok := ends(y, c.ok, fps, floorKind{unevenHeel * l.shank, usualSlope}, from, from, to, to)
		if !ok || float64(e.off-e.on) < restTime*fps {
			continue
		}
		most := slidesFrom * l.shank / fps
		e.on = crept(x, y, e.on, from, int(crawlTime*fps), crawlsTo*l.shank/fps)
		e.on = landed(x, y, e.on, max(from, e.on-int(landTimeMost*fps)), most)
		mid := (e.on + e.off) / 2
		e.on, e.off = from+slides(x[from:to+1], e.on-from, mid-from, most), from+slides(x[from:to+1], e.off-from, mid-from, most)
		// Before it comes down a heel shows its sole: what does not look as it does standing, does not stand yet. That it
		// stops to come down or to move sideways says it better.
		strange := max(strangeTimes*l.usual, l.usual+strangeMore)
		stops := e.on > from+1 && max(math.Abs(x[e.on]-x[e.on-2]), y[e.on]-y[e.on-2]) >= 2*most
		for on := e.on; !stops && l.near.rate == 0 && on < e.on+int(strangeTime*fps) && on < (e.on+e.off)/2; on++ {
			air := max(c.unlike[max(0, on-1)], c.unlike[max(0, on-2)])
			if c.unlike[on] > max(strange, strangeAsAir*air) && c.unlike[on+1]-l.usual < strangeLeft*(c.unlike[on]-l.usual) {
				e.on = on + 1
				break
			}
		}
		if float64(e.off-e.on) < restTime*fps {
			continue
		}
		// A foot leaves the ground upward, on both ends; one in the air comes down on both.
		if mid := (e.on + e.off) / 2; (y[from]+y[to])/2-y[mid] > fallsAtEnds*l.shank {
			continue
		}
		c.on, c.off, c.found = c.from+e.on, c.from+e.off, true
	}
}

// crept goes from the first frame of a contact back over frames in which the foot hardly moves, downward or aside: on the
// ground it may still creep, and what is followed may jump by part of a pixel, which looks like the end of the floor. most
// is how far it may move from one frame to the next.
func crept(x, y []float64, on, from, over int, most float64) int {
	still := func(a, b int) bool {
		span := float64(b-a) * most
		return math.Abs(y[b]-y[a]) < span && math.Abs(x[b]-x[a]) < span
	}
	first := on
	for first > from && still(first-1, min(first-1+over, len(y)-1)) {
		first--
	}
	for first < on && !still(first, first+1) {
		first++
	}
	if on-first < over {
		return on
	}
	return first
}

// landed goes from the first frame of a contact back to where the foot stops to come down, where that is near: a heel
// that rolls fast as it lands seems to come down a little longer. most is what a foot on the ground hardly moves from
// one frame to the next.
func landed(x, y []float64, on, from int, most float64) int {
	for i := on; i > from && math.Abs(x[i]-x[i-1]) < most; i-- {
		if y[i]-y[i-1] < 2*most {
			continue
		}
		if y[i+1]-y[i] > most {
			i++
		}
		return min(on, i)
	}
	return on
}

// slides goes from an end of a contact inward to where the foot stops to move sideways: on a belt it does not, however
// low it glides before it lands. most is how far it may move from one frame to the next. What begins to move only there
// is a heel that rolls.
func slides(x []float64, end, middle int, most float64) int {
	way := 1
	if middle < end {
		way = -1
	}
	rests := func(i int) bool { return math.Abs(x[i+way]-x[i]) < most }
	if before := end - 2*way; before >= 0 && before < len(x) && math.Abs(x[end]-x[before]) < 2*most {
		return end
	}
	for i := end; i != middle && i+2*way != middle; i += way {
		if rests(i) && rests(i+way) {
			if abs(i-end) < slidesLeast {
				return end
			}
			return i
		}
	}
	return end
}

// marks are the virtual points of the leg in every frame in which it was found.
func (l *oneLeg) marks() map[string][]Mark {
	out := map[string][]Mark{}
	last := -1
	for _, c := range l.contacts {
		if !c.found {
			continue
		}
		for i := range c.ok {
			if !c.ok[i] || c.from+i <= last {
				continue
			}
			last = c.from + i
			put := func(name string, r *rigid, p pose, q Point) {
				at := r.placed(p, q)
				at = l.near.seen(Point{at.X + float64(l.x0), at.Y + float64(l.y0)}, float64(last-c.large))
				out[name] = append(out[name], Mark{last, at, OnOutline})
			}
			put("heel_low", l.heelRef, c.heel[i], l.line.heelLow)
			put("heel_top", l.heelRef, c.heel[i], l.line.heelTop)
			put("calf_low", l.calfRef, c.calf[i], l.line.calfLow)
			put("calf_top", l.calfRef, c.calf[i], l.line.calfTop)
		}
	}
	return out
}
