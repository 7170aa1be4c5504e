package footprint

import (
	"fmt"
	"image"
	"math"
	"slices"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// OutlineSchema of a traced foot.
const OutlineSchema = "trevik.outline/v1"

// House values of the outline reader.
const (
	PenMM          = 7.0  // a pencil's barrel keeps the line half of it from the foot
	lineBackMM     = 5.0  // over which the paper about a line is taken
	ridgeNearMM    = 2.5  // to either side of a line, or
	ridgeFarMM     = 4.0  // where another lies beside it
	leastLine      = 0.05 // of the logarithm of brightness, that a line is darker than its paper
	lineOverNoise  = 3.0
	strokeMM       = 10.0 // a piece of the line reaches so far at least
	leastAcrossMM  = 110.0
	mostAcrossMM   = 380.0
	stoutestTraced = 0.62 // width of the length; two feet are stouter
	slimmestTraced = 0.24
	sampleMM       = 0.8 // along the outline
	stiffness      = 0.06
	slideCost      = 0.15 // beside what is not drawn there, along a ray
	lineMiddleMM   = 1.2  // to either side, in which the line's middle is
	lineWideMM     = 2.4  // of a felt pen's, at most so far from within it
	heldMoveMM     = 0.3  // that it may lie from a place by hand
	lineThere      = 0.3  // of the line's usual darkness
	lineEnough     = 0.6  // what is darker is not more of a line
	openFromMM     = 3.0  // a gap that is told
	mostOpenMM     = 26.0 // a gap that cannot be bridged
	mostMissing    = 0.15 // of the line; what a foot was drawn about lacks under 0.05
	doubleFromMM   = 1.6
	doubleToMM     = 6.5
	mostDouble     = 0.12 // of the line, from which it is told as drawn twice
	edgeMM         = 1.0
	frontShare     = 0.46 // of the ball's width from the inner side, where the second toe lies
	mostThrough    = 60   // places by hand
	heldMM         = 14.4 // along the line to either side of a place by hand, that it has a say in
	heldAsideMM    = 3.0  // that the line may leave it next to it, and heldSpread times what it lies away more
	heldSpread     = 0.6

	mostHooks   = 4
	hookMM      = 45.0 // of the line, that leaves it and comes back
	leastHookMM = 12.0
	hookBent    = 0.75 // of that, that its ends lie apart; a heel's round has 0.9
	behindBall  = 0.6  // of the length

	leastStraightMM = 100.0 // of a fold or a ruled line
	straightShare   = 0.55  // of its way across the paper
	lineFaint       = 0.8   // what is drawn, of the picture's darkest; it is looked at again
	lineFaintest    = 0.15
	mostStraights   = 1500 // a picture of stripes has more
	mostPapers      = 4
	straightPlaces  = 8000 // that tell of them
	straightPx      = 3.0  // to either side that they take
	fewMissing      = 0.04 // of a line with which the search ends
	lineSure        = 0.5  // of the line's usual darkness
	besideLine      = 0.3  // the same of another foot's
	cornerReach     = 5    // places to either side of a corner
	sharp           = 1.05 // rad, from before it to behind it
	mostCorners     = 3    // tails and ticks at a gap
	besideMissing   = 0.34 // of its line, at most
	besideMM        = 8.0  // from a line, where what is drawn is another's
	posedAgain      = 3    // times that a line is followed anew from how it lies
)

// OutlineOptions are what is known or put right by hand. Points are pixels of the picture.
type OutlineOptions struct {
	Foot        term.Side // empty: told from the outline
	Orientation int       // as EXIF counts
	MMPerPx     float64
	Corners     *[4]Point
	Paper       Paper
	PenMM       *float64 // nil is PenMM
	Axis        *Axis
	Through     []Point // places that the drawn line goes through, put right by hand
}

// Traced is what a traced foot comes to. Lengths mm, points pixels of the picture.
type Traced struct {
	Foot          term.Side
	Scale         Scale
	LengthMM      float64
	BallMM        float64
	HeelMM        float64
	ToeShape      term.Shape
	Axis          Axis
	Line          []Point // the middle of what was drawn
	Outline       []Point // the foot's own
	Score         float64
	Flags         []string
	Warnings      []fault.Warning
	Width, Height int
}

// OutlineSD is the standard error of a length or width, mm, that was read with a score.
func OutlineSD(score float64) float64 { return 1 / score }

func noOutline(why string, args ...any) error {
	return fault.List{{Field: "photo", Text: "holds no foot that was traced: " + fmt.Sprintf(why, args...)}}
}

// ReadOutline reads a foot that was traced on the print sheet. It fails with a fault.List where there is no scale,
// no line, more than one foot, or an option that is not allowed.
func ReadOutline(img image.Image, opt OutlineOptions) (Traced, error) {
	pen := PenMM
	var l fault.List
	if opt.Foot != "" {
		fault.OneOf(&l, "foot", opt.Foot, term.Sides)
	}
	if opt.PenMM != nil {
		l.Range("pen_mm", *opt.PenMM, 0, 20, "mm")
		pen = *opt.PenMM
	}
	if n := len(opt.Through); n > mostThrough {
		l.Add("through", "has %d places; allowed are up to %d", n, mostThrough)
	}
	for _, q := range opt.Through {
		if !(math.Abs(q.X) < 1e5 && math.Abs(q.Y) < 1e5) {
			l.Add("through", "holds a place that is no pixel of the picture")
			break
		}
	}
	if err := l.Err(); err != nil {
		return Traced{}, err
	}
	b := img.Bounds()
	if err := (Options{Orientation: opt.Orientation, MMPerPx: opt.MMPerPx, Corners: opt.Corners, Paper: opt.Paper}).check(b); err != nil {
		return Traced{}, err
	}
	p, err := planeOf(img, Options{Orientation: opt.Orientation, MMPerPx: opt.MMPerPx, Corners: opt.Corners, Paper: opt.Paper})
	if err != nil {
		return Traced{}, err
	}
	if p.mm == 0 {
		why := "without a scale an outline tells nothing; photograph all four marks of the print sheet, or give the paper's corners or mm a pixel"
		if p.missing > 0 {
			why = fmt.Sprintf("%d of the sheet's four marks cannot be seen; %s", p.missing, why)
		}
		return Traced{}, fault.List{{Field: "photo", Text: "has no scale: " + why}}
	}
	out := Traced{Scale: p.scale, Flags: []string{}, Warnings: []fault.Warning{}, Width: b.Dx(), Height: b.Dy()}
	if opt.Orientation >= 5 {
		out.Width, out.Height = out.Height, out.Width
	}
	read := func(p plane) (Traced, error) {
		out := out
		d := drawing{plane: p, score: 1}
		for _, q := range opt.Through {
			d.through = append(d.through, p.toPlane(q))
		}
		if err := d.find(&out); err != nil {
			return Traced{}, err
		}
		if err := d.measure(&out, pen, opt); err != nil {
			return Traced{}, err
		}
		return out, nil
	}
	if p.scale.Source == "given" { // what the paper lies on says nothing
		for _, paper := range fewer(paperIn(p.c)) { // a shadow's border may be among them
			out, err := read(p.within(paper))
			over := slices.ContainsFunc(out.Line, func(q Point) bool {
				q = p.toPlane(q)
				return slices.ContainsFunc(paper, func(l halfPlane) bool { return l.past(q) > 0 })
			})
			if err == nil && !over {
				return out, nil
			}
		}
	}
	return read(p)
}

// fewer are a paper's borders, then without the last of them, the least sharp, and so on.
func fewer(paper []halfPlane) (out [][]halfPlane) {
	for n := len(paper); n > 0 && len(out) < mostPapers; n-- {
		out = append(out, paper[:n])
	}
	return out
}

// measure takes the foot's own outline from the line and measures it.
func (d *drawing) measure(out *Traced, pen float64, opt OutlineOptions) error {
	if len(d.through) == 0 {
		d.unhook()
	}
	foot := inward(rounded(d.line, 3), pen/2/d.mm)
	m := newTracedFrame(foot)
	if !(m.spans(leastAcrossMM/d.mm, mostAcrossMM/d.mm)) {
		return noOutline("the line goes round no foot")
	}
	m.orient()
	sign, told := m.innerSide()
	seen := sideOf(sign)
	if out.Foot = opt.Foot; out.Foot == "" {
		out.Foot = seen
		if told < tracedUnsure {
			out.Warnings = append(out.Warnings, fault.Warning{Code: "side_unsure",
				Text: "Left or right cannot be told for sure from this outline; say which foot it is."})
		}
	} else if seen != out.Foot {
		if told > tracedUnsure {
			out.Warnings = append(out.Warnings, fault.Warning{Code: "side_differs",
				Text: fmt.Sprintf("Given as %s, yet the outline looks like a %s foot.", opt.Foot, seen)})
		}
		sign = -sign
	}
	heel, front := m.settle(sign)
	if opt.Axis != nil {
		heel, front = d.toPlane(opt.Axis.Heel), d.toPlane(opt.Axis.Toe)
		m.along(heel, front)
	}
	w := m.widths()
	out.LengthMM, out.BallMM, out.HeelMM = (m.hi-m.lo)*d.mm, w.ball*d.mm, w.heel*d.mm
	if out.LengthMM < 140 || out.LengthMM > 360 || out.BallMM < 0.28*out.LengthMM || out.BallMM > 0.56*out.LengthMM ||
		out.HeelMM > 1.02*out.BallMM || out.HeelMM < 0.42*out.BallMM {
		return noOutline("its %.0f mm of length, %.0f of ball and %.0f of heel are no foot's", out.LengthMM, out.BallMM, out.HeelMM)
	}
	out.ToeShape = m.toeShape(sign, w.ball)
	out.Axis = Axis{d.toPicture(heel), d.toPicture(front)}
	for _, q := range d.line {
		out.Line = append(out.Line, d.toPicture(q))
	}
	for _, q := range foot {
		out.Outline = append(out.Outline, d.toPicture(q))
	}
	if out.Scale.Source == "sheet" || out.Scale.Source == "corners" {
		if px := math.Hypot(out.Axis.Heel.X-out.Axis.Toe.X, out.Axis.Heel.Y-out.Axis.Toe.Y); px > 0 {
			out.Scale.MMPerPx = math.Hypot(heel.X-front.X, heel.Y-front.Y) * d.mm / px
		}
	}
	out.Score = units.Round(min(1, max(leastScore, d.score)), 3)
	return nil
}

// unhook takes away what leaves the line behind the ball and comes back to it, as no foot does there: a word that is written
// over it.
func (d *drawing) unhook() {
	m := newTracedFrame(rounded(d.line, 3))
	m.orient()
	n := len(d.line)
	for range mostHooks {
		from, to, most := 0, 0, 0.0
		for i, p := range d.line {
			arc := 0.0
			for j := i + 1; arc < hookMM; j++ {
				q := d.line[j%n]
				arc += d.line[(j-1)%n].distance(q) * d.mm
				if t, _ := m.place(q); t-m.lo > behindBall*(m.hi-m.lo) {
					break
				}
				if chord := p.distance(q) * d.mm; arc > leastHookMM && chord < hookBent*arc && arc-chord > most {
					from, to, most = i, j, arc-chord
				}
			}
		}
		if most == 0 {
			return
		}
		p, q := d.line[from], d.line[to%n]
		for k := from + 1; k < to; k++ {
			t := float64(k-from) / float64(to-from)
			d.line[k%n] = Point{p.X + t*(q.X-p.X), p.Y + t*(q.Y-p.Y)}
		}
	}
}

// rounded is a closed line averaged over r points to either side.
func rounded(line []Point, r int) []Point {
	n := len(line)
	out := make([]Point, n)
	for i := range line {
		for k := -r; k <= r; k++ {
			q := line[(i+k+n)%n]
			out[i].X += q.X / float64(2*r+1)
			out[i].Y += q.Y / float64(2*r+1)
		}
	}
	return out
}

// inward is a closed line moved to its inner side.
func inward(line []Point, by float64) []Point {
	out := normals(line)
	for i, p := range line {
		out[i] = Point{p.X - by*out[i].X, p.Y - by*out[i].Y}
	}
	return out
}

// normals are the ways outward from a closed line, units.
func normals(line []Point) []Point {
	n := len(line)
	area, sign := 0.0, 1.0
	for i, p := range line {
		q := line[(i+1)%n]
		area += p.X*q.Y - q.X*p.Y
	}
	if area < 0 {
		sign = -1
	}
	out := make([]Point, n)
	for i := range line {
		a, b := line[(i+n-3)%n], line[(i+3)%n]
		dx, dy := b.X-a.X, b.Y-a.Y
		l := sign / max(1e-9, math.Hypot(dx, dy))
		out[i] = Point{dy * l, -dx * l}
	}
	return out
}
