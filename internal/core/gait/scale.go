package gait

import (
	"image"
	"image/color"
	"math"
)

// The height that a film without dots is read at, px: what is told by rows and pixels is told alike in all of them.
const (
	legsHigh   = 480
	nearEnough = 0.04 // of that: a film is read as it is
)

// scaledFrames are a film's brightness at another scale.
type scaledFrames struct {
	Frames
	red    float64 // how much of redness counts as brightness
	from   image.Point
	to     image.Point
	across []taps
	down   []taps
}

// taps are the pixels that one of the scaled picture is made of.
type taps struct {
	at int
	by []float32
}

// tapsOf are a triangle's, as wide as a pixel of the smaller picture.
func tapsOf(from, to int) []taps {
	scale := float64(from) / float64(to)
	reach := math.Max(1, scale)
	out := make([]taps, to)
	for i := range out {
		middle := (float64(i)+0.5)*scale - 0.5
		first, last := max(0, int(math.Ceil(middle-reach))), min(from-1, int(math.Floor(middle+reach)))
		t := taps{at: first}
		sum := float32(0)
		for k := first; k <= last; k++ {
			w := float32(1 - math.Abs(float64(k)-middle)/reach)
			t.by, sum = append(t.by, w), sum+w
		}
		for k := range t.by {
			t.by[k] /= sum
		}
		out[i] = t
	}
	return out
}

// scaled is a film at another scale, or with another brightness.
func scaled(f Frames, from image.Point, by, red float64) *scaledFrames {
	to := image.Pt(int(math.Round(by*float64(from.X))), int(math.Round(by*float64(from.Y))))
	return &scaledFrames{Frames: f, red: red, from: from, to: to, across: tapsOf(from.X, to.X), down: tapsOf(from.Y, to.Y)}
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
	if s.from == s.to {
		return &image.Gray{Pix: g.pix, Stride: g.w, Rect: image.Rect(0, 0, g.w, g.h)}, nil
	}
	rows := make([]float32, s.to.X*s.from.Y)
	for y := range s.from.Y {
		p, out := g.pix[y*g.w:(y+1)*g.w], rows[y*s.to.X:(y+1)*s.to.X]
		for x, t := range s.across {
			sum := float32(0)
			for k, w := range t.by {
				sum += w * float32(p[t.at+k])
			}
			out[x] = sum
		}
	}
	out := image.NewGray(image.Rect(0, 0, s.to.X, s.to.Y))
	line := make([]float32, s.to.X)
	for y, t := range s.down {
		clear(line)
		for k, w := range t.by {
			for x, v := range rows[(t.at+k)*s.to.X : (t.at+k+1)*s.to.X] {
				line[x] += w * v
			}
		}
		for x, v := range line {
			out.Pix[y*out.Stride+x] = uint8(v + 0.5)
		}
	}
	return out, nil
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

// moved are tracks in a picture of another scale: a pixel's middle stays its middle.
func (t Tracks) moved(by float64) Tracks {
	out := Tracks{}
	for side, dots := range t {
		out[side] = map[string][]Mark{}
		for name, marks := range dots {
			to := make([]Mark, len(marks))
			for i, m := range marks {
				to[i] = Mark{m.Frame, Point{(m.X+0.5)*by - 0.5, (m.Y+0.5)*by - 0.5}, m.How}
			}
			out[side][name] = to
		}
	}
	return out
}
