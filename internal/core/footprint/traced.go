package footprint

import (
	"math"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// House values of a traced foot.
const (
	tracedUnsure = 0.25
	tracedBins   = 200
)

// tracedFrame is an outline in its own directions: along from heel to toes, across to the right as it is seen.
type tracedFrame struct {
	line          []Point
	from, dir, at Point // dir along, at across; units
	lo, hi        float64
}

func newTracedFrame(line []Point) *tracedFrame {
	m := &tracedFrame{line: line}
	var xx, xy, yy float64
	n := float64(len(line))
	for _, p := range line {
		m.from.X, m.from.Y = m.from.X+p.X/n, m.from.Y+p.Y/n
	}
	for _, p := range line {
		x, y := p.X-m.from.X, p.Y-m.from.Y
		xx, xy, yy = xx+x*x, xy+x*y, yy+y*y
	}
	angle := 0.5 * math.Atan2(2*xy, xx-yy)
	m.turn(Point{math.Cos(angle), math.Sin(angle)})
	return m
}

// spans says whether the outline is as long as a foot may be, and not all but a line.
func (m *tracedFrame) spans(least, most float64) bool {
	wide := 0.0
	for _, p := range m.line {
		_, s := m.place(p)
		wide = max(wide, math.Abs(s))
	}
	long := m.hi - m.lo
	return long >= least && long <= most && wide > 0.08*long
}

// turn sets the direction along and how far the outline reaches in it.
func (m *tracedFrame) turn(dir Point) {
	m.dir, m.at = dir, Point{-dir.Y, dir.X}
	m.lo, m.hi = math.Inf(1), math.Inf(-1)
	for _, p := range m.line {
		t, _ := m.place(p)
		m.lo, m.hi = min(m.lo, t), max(m.hi, t)
	}
}

// place is how far along and across a point lies.
func (m *tracedFrame) place(p Point) (t, s float64) {
	x, y := p.X-m.from.X, p.Y-m.from.Y
	return x*m.dir.X + y*m.dir.Y, x*m.at.X + y*m.at.Y
}

// edges are how far the outline reaches to either side in each part of its length.
func (m *tracedFrame) edges() (left, right [tracedBins]float64) {
	for i := range left {
		left[i], right[i] = math.Inf(1), math.Inf(-1)
	}
	n := len(m.line)
	for i, p := range m.line {
		t0, s0 := m.place(p)
		t1, s1 := m.place(m.line[(i+1)%n])
		a, b := (t0-m.lo)/(m.hi-m.lo)*tracedBins, (t1-m.lo)/(m.hi-m.lo)*tracedBins
		steps := int(math.Abs(b-a))*2 + 1
		for k := 0; k <= steps; k++ {
			z := float64(k) / float64(steps)
			j := min(tracedBins-1, max(0, int(a+z*(b-a))))
			s := s0 + z*(s1-s0)
			left[j], right[j] = min(left[j], s), max(right[j], s)
		}
	}
	return left, right
}

// orient turns the frame so that the toes lie ahead: the ball is wider than the heel.
func (m *tracedFrame) orient() {
	left, right := m.edges()
	rear, front := 0.0, 0.0
	for i := range left {
		w := right[i] - left[i]
		switch t := (float64(i) + 0.5) / tracedBins; {
		case t > 0.15 && t < 0.45:
			rear += w
		case t > 0.55 && t < 0.85:
			front += w
		}
	}
	if rear > front {
		m.turn(Point{-m.dir.X, -m.dir.Y})
	}
}

// innerSide tells which side is the inner one: 1 to the right of the way from heel to toes, as the picture is seen
// (a left foot). The front reaches farther on the inner side, and the arch is hollow there.
func (m *tracedFrame) innerSide() (sign, told float64) {
	left, right := m.edges()
	bin := func(t float64) int { return min(tracedBins-1, int(t*tracedBins)) }
	// The front's middle third against its outer ones.
	sum, weight := 0.0, 0.0
	middle := (left[bin(0.72)] + right[bin(0.72)]) / 2
	half := (right[bin(0.72)] - left[bin(0.72)]) / 2
	for i := bin(0.9); i < tracedBins; i++ {
		if right[i] > left[i] {
			sum, weight = sum+((left[i]+right[i])/2-middle)/half, weight+1
		}
	}
	evidence := 2.2 * sum / max(1, weight)
	// How far each side lies within the line from heel to ball.
	hollow := func(e [tracedBins]float64, out float64) float64 {
		h, b := bin(0.13), bin(0.72)
		deep := 0.0
		for i := bin(0.25); i < bin(0.62); i++ {
			k := float64(i-h) / float64(b-h)
			deep = max(deep, out*(e[h]+k*(e[b]-e[h])-e[i]))
		}
		return deep / half
	}
	evidence += 2.5 * (hollow(right, 1) - hollow(left, -1))
	if evidence < 0 {
		return -1, min(1, -evidence)
	}
	return 1, min(1, evidence)
}

// along sets the frame by an axis.
func (m *tracedFrame) along(heel, front Point) {
	l := max(1e-9, math.Hypot(front.X-heel.X, front.Y-heel.Y))
	m.turn(Point{(front.X - heel.X) / l, (front.Y - heel.Y) / l})
}

// tracedWidths are an outline's, px.
type tracedWidths struct {
	ball, heel float64
	ballAt     int
	left       [tracedBins]float64
	right      [tracedBins]float64
}

func (m *tracedFrame) widths() tracedWidths {
	var w tracedWidths
	w.left, w.right = m.edges()
	for i := range w.left {
		v := w.right[i] - w.left[i]
		if t := (float64(i) + 0.5) / tracedBins; t < 0.25 {
			w.heel = max(w.heel, v)
		} else if t > 0.55 && t < 0.85 && v > w.ball {
			w.ball, w.ballAt = v, i
		}
	}
	return w
}

// settle finds the axis: from the heel's middle, half a heel's width up, to the front where the second toe lies.
func (m *tracedFrame) settle(sign float64) (heel, front Point) {
	for range 8 {
		w := m.widths()
		i := min(tracedBins-1, max(0, int(w.heel/2/(m.hi-m.lo)*tracedBins)))
		heel = m.point(m.lo+w.heel/2, (w.left[i]+w.right[i])/2)
		inner := 0.0
		for k := range w.left {
			if t := (float64(k) + 0.5) / tracedBins; t > 0.55 && t < 0.85 {
				edge := w.right[k]
				if sign < 0 {
					edge = -w.left[k]
				}
				if edge > inner || inner == 0 {
					inner = edge
				}
			}
		}
		at := sign * (inner - frontShare*w.ball)
		front = m.point(m.reach(at), at)
		m.along(heel, front)
	}
	return heel, front
}

func (m *tracedFrame) point(t, s float64) Point {
	return Point{m.from.X + t*m.dir.X + s*m.at.X, m.from.Y + t*m.dir.Y + s*m.at.Y}
}

// reach is how far along the outline reaches at a place across.
func (m *tracedFrame) reach(at float64) float64 {
	far := m.lo
	n := len(m.line)
	for k, p := range m.line {
		t0, s0 := m.place(p)
		t1, s1 := m.place(m.line[(k+1)%n])
		if (s0-at)*(s1-at) <= 0 && s0 != s1 {
			far = max(far, t0+(at-s0)/(s1-s0)*(t1-t0))
		}
	}
	return far
}

// House values of the front's shape.
const (
	squareWithin = 0.20 // of the ball's width, that the outer toes lie behind the longest
	taperedFrom  = 0.34
)

// toeShape is the front's: square where all toes end about alike, tapered where they run back far from the big
// one, else round.
func (m *tracedFrame) toeShape(sign, ball float64) term.Shape {
	w := m.widths()
	inner := sign * w.right[w.ballAt]
	if sign < 0 {
		inner = -w.left[w.ballAt]
	}
	reach := func(share float64) float64 { return m.reach(sign * (math.Abs(inner) - share*ball)) }
	big, fourth := reach(0.22), reach(0.78)
	switch drop := (m.hi - fourth) / ball; {
	case drop < squareWithin:
		return "square"
	case drop > taperedFrom && m.hi-big < 0.06*ball:
		return "tapered"
	}
	return "round"
}

// OutlineAnswer is a traced foot as it is written: lengths mm, points [x, y] in pixels of the picture as it is seen.
type OutlineAnswer struct {
	Schema   string          `json:"schema"`
	Foot     term.Side       `json:"foot"`
	Scale    AnswerScale     `json:"scale"`
	LengthMM float64         `json:"length_mm"`
	BallMM   float64         `json:"ball_width_mm"`
	HeelMM   float64         `json:"heel_width_mm"`
	ToeShape term.Shape      `json:"toe_shape"`
	Axis     AnswerAxis      `json:"axis"`
	Outline  [][2]float64    `json:"outline"`
	Quality  Quality         `json:"quality"`
	Warnings []fault.Warning `json:"warnings"`
}

// Answer writes a traced foot.
func (t Traced) Answer() OutlineAnswer {
	a := OutlineAnswer{Schema: OutlineSchema, Foot: t.Foot, Scale: AnswerScale{Source: t.Scale.Source, Paper: t.Scale.Paper},
		LengthMM: units.Round(t.LengthMM, 1), BallMM: units.Round(t.BallMM, 1), HeelMM: units.Round(t.HeelMM, 1), ToeShape: t.ToeShape,
		Axis: AnswerAxis{place(t.Axis.Heel), place(t.Axis.Toe)}, Outline: line(t.Outline), Quality: Quality{t.Score, t.Flags},
		Warnings: t.Warnings}
	if t.Scale.MMPerPx > 0 {
		v := units.Round(t.Scale.MMPerPx, 5)
		a.Scale.MMPerPx = &v
	}
	return a
}
