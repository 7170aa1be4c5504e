package gait_test

import (
	"image"
	"reflect"
	"sync/atomic"
	"testing"

	"trevik/internal/core/gait"
	"trevik/internal/device"
)

// atHand is a film whose brightness need not be decoded, but for frames that some number divides.
type atHand struct {
	compressed
	gray    []*image.Gray
	lacks   int
	decoded *atomic.Int32
}

func (a atHand) Frame(i int) (image.Image, error) {
	a.decoded.Add(1)
	return a.compressed.Frame(i)
}

func (a atHand) Brightness(i int) *image.Gray {
	if i%a.lacks == 0 {
		return nil
	}
	return a.gray[i]
}

// A film without dots reads the same where brightness is at hand, of most frames or of none, and is decoded no more than it must.
func TestBrightnessAtHand(t *testing.T) {
	m := film(t, device.TreadmillOptions{Seed: 907, Bare: true, Seconds: 3, FPS: 60, Width: 480, Height: 360})
	f := compress(t, m, 90)
	plain, err := gait.Follow(f, m.Recording(), nil)
	if err != nil {
		t.Fatal(err)
	}
	a := atHand{f, nil, 9, new(atomic.Int32)}
	for i := range f {
		img, err := f.Frame(i)
		if err != nil {
			t.Fatal(err)
		}
		g := image.NewGray(img.Bounds())
		for y := range g.Rect.Dy() {
			copy(g.Pix[y*g.Stride:][:g.Stride], img.(*image.YCbCr).Y[y*img.(*image.YCbCr).YStride:])
		}
		a.gray = append(a.gray, g)
	}
	was := append([]uint8(nil), a.gray[10].Pix...)
	quick, err := gait.Follow(a, m.Recording(), nil)
	if err != nil {
		t.Fatal(err)
	}
	if !reflect.DeepEqual(plain, quick) {
		t.Error("the film reads otherwise where its brightness is at hand")
	}
	if !reflect.DeepEqual(was, a.gray[10].Pix) {
		t.Error("what was at hand was changed")
	}
	if n := a.decoded.Load(); int(n) > len(f)/2 {
		t.Errorf("%d of %d frames were decoded", n, len(f))
	}
}
