package films

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"testing"

	"trevik/internal/core/gait"
)

// framed is a picture as JPEG, of one brightness.
func framed(t *testing.T, w, h int, level uint8) []byte {
	t.Helper()
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := range img.Pix {
		img.Pix[i] = level
	}
	for i := 3; i < len(img.Pix); i += 4 {
		img.Pix[i] = 255
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, img, nil); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestLatelyKeepsBrightness(t *testing.T) {
	var l lately
	if l.at(7, 0) != nil {
		t.Error("a frame of a film that never came")
	}
	l.keep(7, brightness([]Piece{{0, framed(t, 33, 21, 90)}, {3, []byte("no picture")}, {4, framed(t, 33, 21, 200)}}))
	for n, level := range map[int]uint8{0: 90, 4: 200} {
		g := l.at(7, n)
		if g == nil || g.Bounds() != image.Rect(0, 0, 33, 21) || g.Stride != 33 {
			t.Fatalf("frame %d: %+v", n, g)
		}
		for _, v := range g.Pix {
			if v < level-2 || v > level+2 {
				t.Fatalf("frame %d is %d bright, sent with %d", n, v, level)
			}
		}
	}
	if l.at(7, 3) != nil || l.at(8, 0) != nil {
		t.Error("what is no picture, or another film's, is kept")
	}
	l.keep(7, brightness([]Piece{{0, framed(t, 33, 21, 10)}}))
	if got := l.at(7, 0).GrayAt(5, 5); got.Y > 12 {
		t.Errorf("the frame that came again is %v", got)
	}
	if l.bytes != 2*33*21 {
		t.Errorf("%d bytes kept", l.bytes)
	}
	l.drop(7)
	if l.at(7, 4) != nil || l.bytes != 0 || len(l.films) != 0 {
		t.Errorf("dropped, and %d bytes of %d films kept", l.bytes, len(l.films))
	}
	l.drop(7)
}

func TestLatelyHasBounds(t *testing.T) {
	var l lately
	large := image.NewGray(image.Rect(0, 0, 1<<14, 1<<13))
	l.keep(1, map[int]*image.Gray{0: large, 1: large, 2: large})
	if l.bytes > latelyBytes {
		t.Fatalf("%d bytes kept; at most %d", l.bytes, latelyBytes)
	}
	kept := 0
	for n := range 3 {
		if l.at(1, n) != nil {
			kept++
		}
	}
	if kept != 2 {
		t.Errorf("%d of three kept", kept)
	}
	l.drop(1)
	l.keep(2, map[int]*image.Gray{5: large})
	if l.at(2, 5) == nil {
		t.Error("no room for another film's, though the first was dropped")
	}
	l.drop(2)
}

// A first look takes as many frames a second as it is content with, and says so.
func TestFirstLookIsThinned(t *testing.T) {
	for _, c := range []struct {
		fps, at  float64
		n, taken int
	}{{30, 30, 72, 72}, {60, 60, 144, 144}, {90, 90, 216, 216}, {100, 50, 241, 121}, {120, 60, 288, 144}, {240, 60, 576, 144}} {
		fps := c.fps
		film := Film{ID: 3, Recording: gait.Recording{FPS: &fps}}
		var in Films
		in.lately.keep(3, map[int]*image.Gray{0: {}, 4: {Pix: []uint8{color.Gray{Y: 4}.Y}}})
		first, rec := firstOf(storedFrames{in: &in, film: film}, c.n)
		if *rec.FPS != c.at || first.Len() != c.taken || *film.Recording.FPS != c.fps {
			t.Errorf("of %d frames at %g: %d at %g; want %d at %g", c.n, c.fps, first.Len(), *rec.FPS, c.taken, c.at)
		}
		if (first.Len()-1)*first.every >= c.n {
			t.Errorf("of %d frames at %g: reaches frame %d", c.n, c.fps, (first.Len()-1)*first.every)
		}
		if g := first.Brightness(4 / first.every); g == nil || len(g.Pix) != 1 {
			t.Errorf("at %g: frame %d is not the film's fourth", c.fps, 4/first.every)
		}
		in.lately.drop(3)
	}
}
