package footprint

import (
	"fmt"
	"image"
	"math"
	"slices"
	"sync/atomic"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// Schema of a reading.
const Schema = "trevik.footprint/v1"

// House values of the reader.
const (
	workLong    = 1400 // px, the longest side that is worked on
	workMM      = 0.35 // mm a pixel of a straightened sheet
	unknownMM   = 330  // mm that a picture's long side is taken for until the foot is seen
	archHigh    = 0.21 // arch index up to here is high
	archLow     = 0.26 // from here low
	readingSD   = 0.010
	leastScore  = 0.3
	lowContrast = 7.0
	softEdgeMM  = 5.0
)

// Stroke paints print (or paper, when Erase is set) along a line, by hand; points
// and radius in the picture's pixels.
type Stroke struct {
	Points []Point
	Radius float64
	Erase  bool
}

// Options are what is known or put right by hand. Points are pixels of the picture.
type Options struct {
	Foot        term.Side // empty: told from the print
	Orientation int       // as EXIF counts, 0 or 1 to 8; points are of the turned picture
	MMPerPx     float64   // 0: not known
	Corners     *[4]Point // the paper's corners, clockwise from its top left
	Paper       Paper     // of Corners
	Level       float64   // where the cut lies between paper (0) and print (1); 0 is 0.5
	Axis        *Axis
	ToeLine     *[2]Point // what lies beyond it, seen from the heel, is toes
	Strokes     []Stroke
	Cuts        *[2]float64 // where the two cuts lie along the print, 0 to 1; nil is equal thirds
}

// Axis runs from the middle of the heel to the tip of the second toe.
type Axis struct{ Heel, Toe Point }

// Scale says where the millimetres come from: sheet, corners, given or unknown.
type Scale struct {
	Source  string
	MMPerPx float64 // at the print's middle; 0 when unknown
	Paper   Paper
}

// Areas of the thirds, mm², or pixels of the worked picture without a scale.
type Areas struct{ Heel, Mid, Fore float64 }

// Reading is what a print comes to. Lengths mm, 0 when the scale is unknown;
// points are pixels of the picture.
type Reading struct {
	Foot          term.Side
	Scale         Scale
	LengthMM      float64
	NoToesMM      float64
	BallMM        float64
	HeelMM        float64
	ArchIndex     float64
	Areas         Areas
	Chippaux      float64 // %
	Staheli       float64
	ClarkeDeg     float64
	Arch          term.Arch
	P             [3]float64 // high, medium, low
	Axis          Axis
	Thirds        [4][2]Point // across the print: heel end, two cuts, front
	ToeLine       [2]Point
	Outline       []Point
	Toes          [][]Point
	Score         float64
	Flags         []string
	Warnings      []fault.Warning
	Width, Height int
}

// plane is the picture as it is worked on: straightened where it could be.
type plane struct {
	c         channels            // of the picture as it was loaded
	channel   func(i int) *raster // one of them on the plane
	w, h      int
	mm        float64 // a pixel, 0 when unknown
	toPicture func(Point) Point
	toPlane   func(Point) Point
	scale     Scale
	missing   int // marks of a sheet that are not in the picture
}

// Read reads the print of one foot. It fails with a fault.List when there is none
// in the picture or an option is not allowed.
func Read(img image.Image, opt Options) (Reading, error) {
	p, err := Prepare(img, opt)
	if err != nil {
		return Reading{}, err
	}
	return p.Read(opt)
}

// Prepared is a picture that was straightened and whose print was parted from the
// paper: what does not change while axis, toe line, level and outline are put right
// by hand.
type Prepared struct {
	plane         plane
	ink           ink
	unit          float64
	width, height int
	others        atomic.Pointer[[]func() *Prepared] // further ways, until one has given a reading
	better        atomic.Pointer[Prepared]           // the one that did where this does not
}

// Prepare does the first half of a reading: of the options it minds Orientation,
// MMPerPx, Corners and Paper.
func Prepare(img image.Image, opt Options) (*Prepared, error) {
	b := img.Bounds()
	if err := opt.check(b); err != nil {
		return nil, err
	}
	p, err := planeOf(img, opt)
	if err != nil {
		return nil, err
	}
	ways := p.ways()
	for i, way := range ways {
		if out := way(); out != nil {
			out.width, out.height = b.Dx(), b.Dy()
			if opt.Orientation >= 5 {
				out.width, out.height = out.height, out.width
			}
			rest := ways[i+1:]
			out.others.Store(&rest)
			return out, nil
		}
	}
	return nil, p.also(noPrint("nothing stands out from the paper"))
}

// ways are those in which the print may be parted from the paper, the likeliest first: each gives nil where nothing stands
// out.
func (p plane) ways() (all []func() *Prepared) {
	add := func(pl plane, part func(plane, int, float64) (ink, bool)) {
		all = append(all, func() *Prepared { return pl.parted(part) })
	}
	likeliest, whole := p, true // whether all that was seen is still to be looked at
	if s := p.scale.Source; s != "sheet" && s != "corners" {
		if paper := paperIn(p.c); len(paper) > 0 {
			likeliest = p.within(paper)
			inner := likeliest.parted(inkOf)
			if borders := p.borders(paper, likeliest, inner); len(borders) > 0 && len(borders) < len(paper) {
				likeliest = p.within(borders)
				add(likeliest, inkOf)
			} else if len(borders) == 0 {
				likeliest, whole = p, false
				add(p, inkOf)
			}
			all = append(all, func() *Prepared { return inner })
		}
	}
	if whole {
		add(p, inkOf)
	}
	add(likeliest, inkByBorder) // it takes longest, and knows a floor from a print no better
	return all
}

// parted is the print on a plane, parted from the paper; nil where nothing stands out.
func (p plane) parted(part func(plane, int, float64) (ink, bool)) *Prepared {
	out := &Prepared{plane: p, unit: p.mm}
	if out.unit == 0 {
		out.unit = unknownMM / float64(max(p.w, p.h))
	}
	k, ok := part(p, max(1, int(0.5/out.unit)), out.unit)
	if !ok {
		return nil
	}
	out.ink = k
	out.plane.c, out.plane.channel = channels{}, nil // the picture itself is no longer needed
	return out
}

// check is what a picture and its scale are refused for.
func (opt Options) check(b image.Rectangle) error {
	var l fault.List
	if b.Dx() < 40 || b.Dy() < 40 {
		l.Add("photo", "is %d by %d pixels; allowed is from 40 by 40", b.Dx(), b.Dy())
		return l
	}
	if opt.MMPerPx != 0 {
		l.Range("mm_per_px", opt.MMPerPx, 0.005, 20, "mm")
	}
	if opt.Corners != nil {
		fault.OneOf(&l, "paper", opt.Paper, Papers)
	}
	if opt.Orientation != 0 {
		l.Range("orientation", float64(opt.Orientation), 1, 8, "")
	}
	return l.Err()
}

// byHand says whether a hand put anything right that changes the reading.
func (opt Options) byHand() bool {
	return opt.Level != 0 || opt.Axis != nil || opt.ToeLine != nil || len(opt.Strokes) > 0 || opt.Cuts != nil
}

// Read does the second half: of the options it minds Foot, Level, Axis, ToeLine and
// Strokes.
func (p *Prepared) Read(opt Options) (Reading, error) {
	var l fault.List
	if opt.Foot != "" {
		fault.OneOf(&l, "foot", opt.Foot, term.Sides)
	}
	if opt.Level != 0 {
		l.Range("level", opt.Level, 0.1, 0.9, "")
	}
	if c := opt.Cuts; c != nil && !(c[0] >= 0.15 && c[1] <= 0.85 && c[1]-c[0] >= 0.1) {
		l.Add("cuts", "lie at %.2f and %.2f of the print; allowed is 0.15 to 0.85, at least 0.1 apart", c[0], c[1])
	}
	if err := l.Err(); err != nil {
		return Reading{}, err
	}
	r := Reading{Scale: p.plane.scale, Warnings: []fault.Warning{}, Flags: []string{}, Width: p.width, Height: p.height}
	if n := p.plane.missing; n > 0 {
		r.Warnings = append(r.Warnings, fault.Warning{Code: "marks_missing",
			Text: fmt.Sprintf("%d of the sheet's four marks cannot be seen, so there is no scale; take the picture again with all four in it, or "+
				"give the paper's corners.", n)})
	}
	if opt.byHand() && p.others.Load() != nil { // the way is chosen without the hand, so that it stays the same under it
		if _, err := p.Read(Options{Foot: opt.Foot}); err != nil {
			p.others.Store(nil)
		}
	}
	if q := p.better.Load(); q != nil {
		return q.read(r, opt)
	}
	got, err := p.read(r, opt)
	others := p.others.Load()
	if err == nil || others == nil {
		p.others.Store(nil)
		return got, err
	}
	for _, way := range *others {
		if q := way(); q != nil {
			if got, e := q.read(r, opt); e == nil {
				p.better.Store(q)
				p.others.Store(nil)
				return got, nil
			}
		}
	}
	p.others.Store(nil)
	return Reading{}, err
}

// read reads the print in the ink as it is into what is known of the picture.
func (p *Prepared) read(known Reading, opt Options) (Reading, error) {
	try := func(turned bool) (out Reading, patchy bool, err error) {
		f, err := findFoot(p.ink.cut(opt, p.plane, p.unit), p.unit, p.plane.mm > 0, turned)
		if err != nil {
			return out, false, err
		}
		out = known
		out.Warnings, out.Flags = slices.Clone(known.Warnings), slices.Clone(known.Flags)
		return out, f.patchy, f.read(&out, p.ink, p.plane, opt)
	}
	got, patchy, err := try(false)
	if err != nil && patchy { // what stayed dry may have hidden which end is the heel
		if other, _, e := try(true); e == nil {
			got, err = other, nil
		}
	}
	if err != nil {
		return Reading{}, p.plane.also(err)
	}
	return got, nil
}

func noPrint(why string) error {
	return fault.List{{Field: "photo", Text: "holds no print of a foot: " + why}}
}

// planeOf straightens the picture by the sheet's marks or by corners, or takes it
// as it is.
func planeOf(img image.Image, opt Options) (plane, error) {
	b := img.Bounds()
	by := max(1, (max(b.Dx(), b.Dy())+workLong-1)/workLong)
	c := load(img, by).oriented(opt.Orientation)
	pix := func(p Point) Point { // worked pixel to picture pixel
		return Point{(p.X+0.5)*float64(by) - 0.5, (p.Y+0.5)*float64(by) - 0.5}
	}
	work := func(p Point) Point {
		return Point{(p.X+0.5)/float64(by) - 0.5, (p.Y+0.5)/float64(by) - 0.5}
	}
	straight := func(paper Paper, h homography, source string, side, end float64) plane {
		back := h.inverse()
		w, hh := paper.Size()
		nw, nh := int((w-2*side)/workMM), int((hh-2*end)/workMM)
		toMM := func(p Point) Point { return Point{side + (p.X+0.5)*workMM, end + (p.Y+0.5)*workMM} }
		pl := plane{c: c, w: nw, h: nh, mm: workMM, scale: Scale{Source: source, Paper: paper}}
		pl.channel = func(i int) *raster {
			out := newRaster(nw, nh)
			for y := range nh {
				for x := range nw {
					q := back.apply(toMM(Point{float64(x), float64(y)}))
					out.v[y*nw+x] = c[i].sample(q.X, q.Y)
				}
			}
			return out
		}
		pl.toPicture = func(p Point) Point { return pix(back.apply(toMM(p))) }
		pl.toPlane = func(p Point) Point {
			q := h.apply(work(p))
			return Point{(q.X-side)/workMM - 0.5, (q.Y-end)/workMM - 0.5}
		}
		return pl
	}
	if opt.Corners != nil {
		var from [4]Point
		for i, p := range opt.Corners {
			from[i] = work(p)
		}
		w, hh := opt.Paper.Size()
		to := [4]Point{{0, 0}, {w, 0}, {w, hh}, {0, hh}}
		if math.Hypot(from[1].X-from[0].X, from[1].Y-from[0].Y) > math.Hypot(from[3].X-from[0].X, from[3].Y-from[0].Y) {
			to = [4]Point{{0, hh}, {0, 0}, {w, 0}, {w, hh}} // the paper lies
		}
		h, ok := fitHomography(from, to)
		if !ok || !convex(from) {
			return plane{}, fault.List{{Field: "corners", Text: "do not make a four-sided paper; give them clockwise from the top left"}}
		}
		return straight(opt.Paper, h, "corners", EndMM, EndMM), nil
	}
	marks := 0
	if opt.MMPerPx == 0 {
		paper, h, n, ok := sheetIn(c[0])
		if ok {
			return straight(paper, h, "sheet", SideMM, EndMM), nil
		}
		marks = n
	}
	p := plane{c: c, w: c[0].w, h: c[0].h, toPicture: pix, toPlane: work, scale: Scale{Source: "unknown"}}
	p.channel = func(i int) *raster { return c[i] }
	if opt.MMPerPx > 0 {
		p.mm, p.scale = opt.MMPerPx*float64(by), Scale{Source: "given", MMPerPx: opt.MMPerPx}
	}
	if marks > 0 && marks < 4 {
		p.missing = 4 - marks
	}
	return p, nil
}

// also tells beside what is wrong that some of the sheet's marks are not in the picture: then what lies about the
// sheet was looked at too.
func (p plane) also(err error) error {
	l, ok := fault.As(err)
	if !ok || p.missing == 0 && p.scale.Source != "unknown" {
		return err
	}
	for i := range l {
		if p.missing > 0 {
			l[i].Text += fmt.Sprintf("; %d of the sheet's four marks cannot be seen: take the picture again with all four in it", p.missing)
		} else {
			l[i].Text += "; on the print sheet, its marks cannot be told: hold the camera still, with light on the paper"
		}
	}
	return l
}

// shifted is the plane seen from a corner of its own.
func (p plane) shifted(x, y int) plane {
	out := p
	out.toPicture = func(q Point) Point { return p.toPicture(Point{q.X + float64(x), q.Y + float64(y)}) }
	out.toPlane = func(q Point) Point {
		at := p.toPlane(q)
		return Point{at.X - float64(x), at.Y - float64(y)}
	}
	return out
}

// cropped is a part of the ink.
func (k ink) cropped(x0, y0, w, h int) ink {
	out := newRaster(w, h)
	for y := range h {
		copy(out.v[y*w:(y+1)*w], k.v[(y+y0)*k.w+x0:(y+y0)*k.w+x0+w])
	}
	return ink{out, k.contrast}
}

func convex(q [4]Point) bool {
	sign := 0.0
	for i := range 4 {
		a, b, c := q[i], q[(i+1)%4], q[(i+2)%4]
		x := (b.X-a.X)*(c.Y-b.Y) - (b.Y-a.Y)*(c.X-b.X)
		if x == 0 || x*sign < 0 {
			return false
		}
		sign = x
	}
	return true
}

// creaseMM is how wide a line may be that skin leaves unprinted where it folds, across ball, arch or heel: what lies on
// both sides of it is one (house).
const creaseMM = 1.1

// cut is the print as a mask: above the level and without its creases, with what was painted and erased.
func (k ink) cut(opt Options, p plane, unit float64) *mask {
	level := float32(0.5)
	if opt.Level > 0 {
		level = float32(opt.Level)
	}
	m := newMask(k.w, k.h)
	for i, v := range k.v {
		m.on[i] = v > level
	}
	m.closeLines(int(math.Round(creaseMM / unit)))
	for _, s := range opt.Strokes {
		m.paint(s, p)
	}
	return m
}

// paint lays a stroke on the mask.
func (m *mask) paint(s Stroke, p plane) {
	for i := range s.Points {
		a := p.toPlane(s.Points[i])
		b := a
		if i > 0 {
			b = p.toPlane(s.Points[i-1])
		}
		edge := p.toPlane(Point{s.Points[i].X + s.Radius, s.Points[i].Y})
		rad := math.Hypot(edge.X-a.X, edge.Y-a.Y)
		for y := int(min(a.Y, b.Y) - rad); y <= int(max(a.Y, b.Y)+rad)+1; y++ {
			for x := int(min(a.X, b.X) - rad); x <= int(max(a.X, b.X)+rad)+1; x++ {
				if x >= 0 && y >= 0 && x < m.w && y < m.h && toSegment(Point{float64(x), float64(y)}, a, b) <= rad {
					m.on[y*m.w+x] = !s.Erase
				}
			}
		}
	}
}

func toSegment(p, a, b Point) float64 {
	dx, dy := b.X-a.X, b.Y-a.Y
	t := 0.0
	if n := dx*dx + dy*dy; n > 0 {
		t = min(1, max(0, ((p.X-a.X)*dx+(p.Y-a.Y)*dy)/n))
	}
	return math.Hypot(p.X-a.X-t*dx, p.Y-a.Y-t*dy)
}

func (r *Reading) flag(name string) {
	if !slices.Contains(r.Flags, name) {
		r.Flags = append(r.Flags, name)
	}
}

// IndexSD is the standard error of an arch index that was read with a quality score.
func IndexSD(score float64) float64 { return readingSD / score }

// classes gives the probability of each arch class from the arch index and the
// reading's own error.
func classes(ai, score float64) (arch term.Arch, p [3]float64) {
	sd := IndexSD(score)
	high := 0.5 * math.Erfc((ai-archHigh)/(sd*math.Sqrt2))
	low := 0.5 * math.Erfc((archLow-ai)/(sd*math.Sqrt2))
	p = [3]float64{units.Round(high, 4), 0, units.Round(low, 4)}
	p[1] = units.Round(1-p[0]-p[2], 4)
	switch {
	case ai <= archHigh:
		arch = term.ArchHigh
	case ai < archLow:
		arch = term.ArchMedium
	default:
		arch = term.ArchLow
	}
	return arch, p
}
