package gait

import (
	"image"
	"image/color"
	"math"

	"trevik/internal/core/term"
)

// The height that a film without dots is read at, px: what is told by rows and pixels is told alike in all of them.
const (
	legsHigh   = 480
	nearEnough = 0.04 // of that: a film is read as it is
	viewWide   = 640  // px, that a part of a film is at least
	soleDown   = 0.88 // of legsHigh, where the soles come to lie in a part of a film
)

// view is how a film is looked at: at another scale, and of that a part.
type view struct {
	by   float64
	part image.Rectangle // px at that scale
}

// wholeView is all of a film of that size, at the scale that it is read at.
func wholeView(size image.Point) view {
	by := float64(legsHigh) / float64(size.Y)
	if math.Abs(by-1) <= nearEnough {
		by = 1
	}
	return view{by, image.Rectangle{Max: scaledSize(size, by)}}
}

func scaledSize(size image.Point, by float64) image.Point {
	return image.Pt(int(math.Round(by*float64(size.X))), int(math.Round(by*float64(size.Y))))
}

// nearer is the view of a film of that size in which legs that are so large, of what they were taken for, are as large as
// they are read best.
func (v view) nearer(legs map[term.Side]*oneLeg, large float64, size image.Point) view {
	by := v.by / (readBest * large)
	all := scaledSize(size, by)
	left, right, low := math.Inf(1), math.Inf(-1), 0.0
	for _, l := range legs {
		left, right = min(left, float64(l.x0)), max(right, float64(l.x0+l.w))
		low = max(low, float64(l.y0)+l.sole)
	}
	k := by / v.by
	wide, high := min(all.X, max(viewWide, int(k*(right-left)))), min(all.Y, legsHigh)
	x := min(max(0, int(k*(left+right)/2)-wide/2), all.X-wide)
	y := min(max(0, int(k*low-soleDown*legsHigh)), all.Y-high)
	return view{by, image.Rect(x, y, x+wide, y+high)}
}

// in is where a place of the film lies in the view; a pixel's middle stays its middle.
func (v view) in(p Point) Point {
	return Point{(p.X+0.5)*v.by - 0.5 - float64(v.part.Min.X), (p.Y+0.5)*v.by - 0.5 - float64(v.part.Min.Y)}
}

// out is where a place of the view lies in the film.
func (v view) out(p Point) Point {
	return Point{(p.X+float64(v.part.Min.X)+0.5)/v.by - 0.5, (p.Y+float64(v.part.Min.Y)+0.5)/v.by - 0.5}
}

// look has the watcher look at a film of that size by a view.
func (w *watcher) look(f Frames, size image.Point, v view, red float64) {
	w.frames, w.size = f, size
	if v.by != 1 || red > 0 || v.part.Size() != size {
		w.frames, w.size = scaled(f, size, v, red), v.part.Size()
	}
}

// held is a film whose frames need not be decoded again where they were kept as they are.
func (w *watcher) held(f Frames, v view, size image.Point) Frames {
	if v.by != 1 || v.part.Size() != size {
		return f
	}
	return heldFrames{f, w.kept}
}

// heldFrames gives what was kept once: whoever looks at it keeps it as it is seen then.
type heldFrames struct {
	Frames
	kept []*gray
}

func (h heldFrames) Frame(i int) (image.Image, error) {
	if g := h.kept[i]; g != nil {
		h.kept[i] = nil
		return g.image(), nil
	}
	return h.Frames.Frame(i)
}

func (g *gray) image() *image.Gray {
	return &image.Gray{Pix: g.pix, Stride: g.w, Rect: image.Rect(0, 0, g.w, g.h)}
}

// scaledFrames are a film's brightness in a view.
type scaledFrames struct {
	Frames
	red    float64 // how much of redness counts as brightness
	from   image.Point
	to     image.Point
	plain  bool // at the film's own scale, all of it
	across taps // of the columns of the view
	down   taps // and its rows
}

// taps are the pixels that those of the scaled picture are made of: k of them each, from at on.
type taps struct {
	k  int
	at []int
	by []float32
}

// fewTaps is how many there are unless a picture is shrunk by much.
const fewTaps = 4

// tapsOf are a triangle's, as wide as a pixel of the smaller picture, for the pixels first to last of all to which from come.
func tapsOf(from, to, first, last int) taps {
	scale := float64(from) / float64(to)
	reach := math.Max(1, scale)
	t := taps{k: min(from, max(fewTaps, int(2*reach)+1))}
	for i := first; i < last; i++ {
		middle := (float64(i)+0.5)*scale - 0.5
		at := min(max(0, int(math.Ceil(middle-reach))), from-t.k)
		t.at = append(t.at, at)
		sum := float32(0)
		for k := range t.k {
			w := float32(max(0, 1-math.Abs(float64(at+k)-middle)/reach))
			t.by, sum = append(t.by, w), sum+w
		}
		for k := len(t.by) - t.k; k < len(t.by); k++ {
			t.by[k] /= sum
		}
	}
	return t
}

// scaled is a film of one size by a view, or with another brightness.
func scaled(f Frames, from image.Point, v view, red float64) *scaledFrames {
	all := scaledSize(from, v.by)
	return &scaledFrames{Frames: f, red: red, from: from, to: v.part.Size(), plain: v.part.Size() == from && all == from,
		across: tapsOf(from.X, all.X, v.part.Min.X, v.part.Max.X), down: tapsOf(from.Y, all.Y, v.part.Min.Y, v.part.Max.Y)}
}

// Frame is one of them; one that has another size than the film keeps its own.
func (s *scaledFrames) Frame(i int) (image.Image, error) {
	img, err := s.Frames.Frame(i)
	if err != nil || img.Bounds().Size() != s.from {
		return img, err
	}
	g := grayOf(img)
	if s.red != 0 {
		g.redden(img, s.red)
	}
	if s.plain {
		return g.image(), nil
	}
	out := image.NewGray(image.Rectangle{Max: s.to})
	w, k := s.to.X, s.down.k
	shrunk := make([]float32, k*w) // the last k rows, in turn
	rows := make([][]float32, k)
	next := 0
	for y, at := range s.down.at {
		for next = max(next, at); next < at+k; next++ {
			s.across.row(shrunk[next%k*w:][:w], g.pix[next*g.w:][:g.w])
		}
		for j := range rows {
			rows[j] = shrunk[(at+j)%k*w:][:w]
		}
		blend(out.Pix[y*out.Stride:][:w], rows, s.down.by[y*k:][:k])
	}
	return out, nil
}

// row is one row of a picture, shrunk.
func (t *taps) row(out []float32, p []uint8) {
	if t.k == fewTaps {
		for x, at := range t.at[:len(out)] {
			q, w := p[at:at+fewTaps:at+fewTaps], t.by[fewTaps*x:][:fewTaps:fewTaps]
			out[x] = w[0]*float32(q[0]) + w[1]*float32(q[1]) + w[2]*float32(q[2]) + w[3]*float32(q[3])
		}
		return
	}
	for x, at := range t.at[:len(out)] {
		sum := float32(0)
		for k, w := range t.by[t.k*x:][:t.k] {
			sum += w * float32(p[at+k])
		}
		out[x] = sum
	}
}

// blend is the sum of rows by their weights.
func blend(out []uint8, rows [][]float32, by []float32) {
	n := len(out)
	if len(rows) == fewTaps {
		a, b, c, d := rows[0][:n], rows[1][:n], rows[2][:n], rows[3][:n]
		for x := range out {
			out[x] = uint8(by[0]*a[x] + by[1]*b[x] + by[2]*c[x] + by[3]*d[x] + 0.5)
		}
		return
	}
	for x := range out {
		sum := float32(0.5)
		for k, row := range rows {
			sum += by[k] * row[x]
		}
		out[x] = uint8(sum)
	}
}

// redden adds so much of an image's redness (Cr) to its brightness.
func (g *gray) redden(img image.Image, by float64) {
	b := img.Bounds()
	for y := range g.h {
		for x := range g.w {
			var cr uint8
			switch m := img.(type) {
			case *image.YCbCr:
				cr = m.Cr[m.COffset(b.Min.X+x, b.Min.Y+y)]
			case *image.Gray:
				return
			default:
				cr = color.YCbCrModel.Convert(img.At(b.Min.X+x, b.Min.Y+y)).(color.YCbCr).Cr
			}
			k := y*g.w + x
			g.pix[k] = uint8(min(255, max(0, float64(g.pix[k])+by*(float64(cr)-128))))
		}
	}
}

// mapped are tracks with each place of a frame where to puts it.
func (t Tracks) mapped(to func(frame int, p Point) Point) Tracks {
	out := Tracks{}
	for side, dots := range t {
		out[side] = map[string][]Mark{}
		for name, marks := range dots {
			out[side][name] = relaid(marks, to)
		}
	}
	return out
}

// relaid are marks where to puts them.
func relaid(marks []Mark, to func(frame int, p Point) Point) []Mark {
	out := make([]Mark, len(marks))
	for i, m := range marks {
		out[i] = Mark{m.Frame, to(m.Frame, m.Point), m.How}
	}
	return out
}
