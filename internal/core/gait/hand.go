package gait

import (
	"image"
	"image/color"
	"math"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

// House values of matching the picture round a mark.
const (
	patchRadius = 11   // px, of the square that is compared
	minAlike    = 0.55 // correlation below this is no match
)

// gray is a frame's brightness, 0 to 255.
type gray struct {
	w, h int
	pix  []uint8
}

func grayOf(img image.Image) *gray {
	b := img.Bounds()
	if y, ok := img.(*image.Gray); ok && y.Stride == b.Dx() && len(y.Pix) == b.Dx()*b.Dy() {
		return &gray{b.Dx(), b.Dy(), y.Pix} // nobody changes it
	}
	g := &gray{b.Dx(), b.Dy(), make([]uint8, b.Dx()*b.Dy())}
	if y, ok := img.(*image.YCbCr); ok {
		for row := range g.h {
			copy(g.pix[row*g.w:(row+1)*g.w], y.Y[y.YOffset(b.Min.X, b.Min.Y+row):])
		}
		return g
	}
	if y, ok := img.(*image.Gray); ok {
		for row := range g.h {
			copy(g.pix[row*g.w:(row+1)*g.w], y.Pix[y.PixOffset(b.Min.X, b.Min.Y+row):])
		}
		return g
	}
	for y := range g.h {
		for x := range g.w {
			g.pix[y*g.w+x] = color.GrayModel.Convert(img.At(b.Min.X+x, b.Min.Y+y)).(color.Gray).Y
		}
	}
	return g
}

// patch is the picture round a place: differences from its mean, and their size.
type patch struct {
	pix  [(2*patchRadius + 1) * (2*patchRadius + 1)]float64
	norm float64
}

// patchAt takes the picture round a place, which may lie between pixels; ok is
// false where it is all alike.
func (g *gray) patchAt(p Point) (out patch, ok bool) {
	x0, y0 := int(math.Floor(p.X)), int(math.Floor(p.Y))
	fx, fy := p.X-float64(x0), p.Y-float64(y0)
	at := func(x, y int) float64 {
		return float64(g.pix[min(max(y, 0), g.h-1)*g.w+min(max(x, 0), g.w-1)])
	}
	sum, i := 0.0, 0
	for dy := -patchRadius; dy <= patchRadius; dy++ {
		for dx := -patchRadius; dx <= patchRadius; dx++ {
			x, y := x0+dx, y0+dy
			v := at(x, y)
			if fx != 0 || fy != 0 {
				v = (1-fx)*(1-fy)*v + fx*(1-fy)*at(x+1, y) + (1-fx)*fy*at(x, y+1) + fx*fy*at(x+1, y+1)
			}
			out.pix[i] = v
			sum += v
			i++
		}
	}
	mean := sum / float64(len(out.pix))
	for i := range out.pix {
		out.pix[i] -= mean
		out.norm += out.pix[i] * out.pix[i]
	}
	out.norm = math.Sqrt(out.norm)
	return out, out.norm > 2*float64(2*patchRadius+1)
}

// alike is the correlation of two patches, −1 to 1.
func (p *patch) alike(q *patch) float64 {
	s := 0.0
	for i, v := range p.pix {
		s += v * q.pix[i]
	}
	return s / (p.norm*q.norm + 1e-9)
}

// seek finds where a frame is most like a patch, near a place and within a radius,
// to a fraction of a pixel.
func (g *gray) seek(want *patch, near Point, radius int) (Point, float64) {
	cx, cy := math.Round(near.X), math.Round(near.Y)
	score := func(dx, dy int) float64 {
		p := Point{cx + float64(dx), cy + float64(dy)}
		if p.X < 0 || p.Y < 0 || p.X >= float64(g.w) || p.Y >= float64(g.h) {
			return -1
		}
		q, _ := g.patchAt(p)
		return want.alike(&q)
	}
	best, bx, by := -1.0, 0, 0
	for dy := -radius; dy <= radius; dy += 2 {
		for dx := -radius; dx <= radius; dx += 2 {
			if s := score(dx, dy); s > best {
				best, bx, by = s, dx, dy
			}
		}
	}
	for again := true; again; {
		again = false
		for _, d := range [8][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}, {1, 1}, {1, -1}, {-1, 1}, {-1, -1}} {
			if s := score(bx+d[0], by+d[1]); s > best {
				best, bx, by, again = s, bx+d[0], by+d[1], true
			}
		}
	}
	peak := func(lo, mid, hi float64) float64 {
		if c := lo - 2*mid + hi; c < -1e-9 {
			return max(-0.5, min(0.5, (lo-hi)/(2*c)))
		}
		return 0
	}
	fx := peak(score(bx-1, by), best, score(bx+1, by))
	fy := peak(score(bx, by-1), best, score(bx, by+1))
	return Point{cx + float64(bx) + fx, cy + float64(by) + fy}, best
}

// runner follows one dot from a mark in one direction of time.
type runner struct {
	look      patch
	at, speed Point
	missed    int
}

// step follows a runner into the next frame; ok is false where it lost its dot.
func (r *runner) step(g *gray) (Point, float64, bool) {
	guess := r.at.plus(r.speed)
	radius := min(8+2*r.missed+int(0.6*math.Hypot(r.speed.X, r.speed.Y)), 28)
	p, s := g.seek(&r.look, guess, radius)
	if s < minAlike {
		r.missed++
		r.at, r.speed = guess, r.speed.times(0.8)
		return p, s, false
	}
	r.speed, r.at, r.missed = p.minus(r.at), p, 0
	return p, s, true
}

// followHand follows dots that were marked by hand on some frames: forward from each
// mark and backward from the next, and between them both count, the nearer the more.
func (w *watcher) followHand(hand Tracks, fps float64, progress func(int) error) (Followed, error) {
	n := w.frames.Len()
	for side, dots := range hand {
		for name, marks := range dots {
			if len(marks) > 0 && marks[len(marks)-1].Frame >= n {
				return Followed{}, fault.List{{Field: "markers." + string(side) + "." + name, Text: "names a frame after the last"}}
			}
		}
	}
	w.settleSize()
	forth, back := map[dotKey]map[int]Mark{}, map[dotKey]map[int]Mark{}
	dense := true
	for _, dots := range hand {
		for _, marks := range dots {
			dense = dense && len(marks) > 1 && len(marks) == marks[len(marks)-1].Frame-marks[0].Frame+1
		}
	}
	o := w.emptyOverview(n, fps)
	if !dense {
		half := func(done int) error { return progress(done / 2) }
		if err := w.sweep(hand, forth, 1, o, half); err != nil {
			return Followed{}, err
		}
		if err := w.sweep(hand, back, -1, nil, func(done int) error { return progress((n + done) / 2) }); err != nil {
			return Followed{}, err
		}
	} else {
		for i := range n {
			if img := w.frame(i); img != nil {
				o.frames[i] = o.shrunk(grayOf(img))
			}
		}
	}
	out := Followed{Tracks: Tracks{}, Shaken: o.shakes()}
	for side, dots := range hand {
		out.Tracks[side] = map[string][]Mark{}
		for name, marks := range dots {
			k := dotKey{side, name}
			out.Tracks[side][name] = join(marks, forth[k], back[k], n)
		}
	}
	return out, nil
}

type dotKey struct {
	side term.Side
	name string
}

// sweep follows every dot through the film in one direction, anew from each mark; it looks the film over for whoever asks.
func (w *watcher) sweep(hand Tracks, found map[dotKey]map[int]Mark, way int, over *overview, progress func(int) error) error {
	live := map[dotKey]*runner{}
	marked := map[int][]dotKey{}
	at := map[dotKey]map[int]Point{}
	for side, dots := range hand {
		for name, marks := range dots {
			k := dotKey{side, name}
			found[k], at[k] = map[int]Mark{}, map[int]Point{}
			for _, m := range marks {
				marked[m.Frame] = append(marked[m.Frame], k)
				at[k][m.Frame] = m.Point
			}
		}
	}
	step := 0
	return eachFrame(w, way, grayOf, func(i int, g *gray) error {
		if err := progress(step); err != nil {
			return err
		}
		step++
		if g == nil {
			for _, r := range live {
				r.missed++
				r.at = r.at.plus(r.speed)
			}
			return nil
		}
		if over != nil {
			over.frames[i] = over.shrunk(g)
		}
		for k, r := range live {
			if _, isMarked := at[k][i]; isMarked {
				continue
			}
			if p, s, ok := r.step(g); ok {
				found[k][i] = Mark{i, p, Found}
			} else if r.missed > 12 || s < 0 {
				delete(live, k)
			}
		}
		for _, k := range marked[i] {
			p := at[k][i]
			look, ok := g.patchAt(p)
			if !ok {
				continue
			}
			r := &runner{look: look, at: p}
			if was := live[k]; was != nil {
				r.speed = was.speed
			}
			live[k] = r
		}
		return nil
	})
}

// join brings marks by hand and what was followed from both sides into one path.
func join(marks []Mark, forth, back map[int]Mark, n int) []Mark {
	byHand := map[int]Point{}
	for _, m := range marks {
		byHand[m.Frame] = m.Point
	}
	var out []Mark
	next := 0
	for i := range n {
		for next < len(marks) && marks[next].Frame < i {
			next++
		}
		if p, ok := byHand[i]; ok {
			out = append(out, Mark{i, p, ByHand})
			continue
		}
		f, okF := forth[i]
		b, okB := back[i]
		switch {
		case okF && okB && next > 0 && next < len(marks):
			span := float64(marks[next].Frame - marks[next-1].Frame)
			k := float64(i-marks[next-1].Frame) / span
			if f.distance(b.Point) > 6 { // they disagree: the nearer mark is right
				if k > 0.5 {
					f = b
				}
				out = append(out, f)
				continue
			}
			out = append(out, Mark{i, f.times(1 - k).plus(b.times(k)), Found})
		case okF:
			out = append(out, f)
		case okB:
			out = append(out, b)
		}
	}
	return out
}
