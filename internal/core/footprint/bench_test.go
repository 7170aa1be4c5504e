package footprint_test

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"math/rand/v2"
	"testing"

	"trevik/internal/core/footprint"
	"trevik/internal/device"
)

// photo12 is a 12-megapixel JPEG of a print on a sheet of brown paper, and the
// options to read it with.
func photo12(b *testing.B) []byte {
	b.Helper()
	r := rand.New(rand.NewPCG(6, 1))
	f := device.RandomFoot(r)
	small := f.Render(device.Photo{Paper: footprint.A4, MMPerPx: 0.2, Tilt: 0.05, Roll: 2, Base: color.RGBA{190, 150, 105, 255}, Dark: 0.5,
		Uneven: 0.3, Noise: 3, Soft: 1.2}, r)
	// A phone's picture of it: 3000 × 4000.
	big := image.NewRGBA(image.Rect(0, 0, 3000, 4000))
	sb := small.Bounds()
	for y := range 4000 {
		for x := range 3000 {
			big.Set(x, y, small.At(x*sb.Dx()/3000, y*sb.Dy()/4000))
		}
	}
	var out bytes.Buffer
	if err := jpeg.Encode(&out, big, &jpeg.Options{Quality: 88}); err != nil {
		b.Fatal(err)
	}
	return out.Bytes()
}

// The reading of a 12-megapixel JPEG beside the decoding of the same picture.
func BenchmarkPhoto12MP(b *testing.B) {
	data := photo12(b)
	img, err := jpeg.Decode(bytes.NewReader(data))
	if err != nil {
		b.Fatal(err)
	}
	b.Run("decode", func(b *testing.B) {
		for b.Loop() {
			if _, err := jpeg.Decode(bytes.NewReader(data)); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("read", func(b *testing.B) {
		for b.Loop() {
			if _, err := footprint.Read(img, footprint.Options{}); err != nil {
				b.Fatal(err)
			}
		}
	})
}

// A picture of a print on plain paper that lies on a floor, 2 megapixels, whose border is looked for.
func BenchmarkPaperOnFloor(b *testing.B) {
	f := newWetFoot(801)
	small, mm := f.photo("ink")
	sb := small.Bounds()
	img := image.NewRGBA(image.Rect(0, 0, 2*sb.Dx(), 2*sb.Dy()))
	for y := range img.Rect.Dy() {
		for x := range img.Rect.Dx() {
			img.Set(x, y, small.At(x/2, y/2))
		}
	}
	for b.Loop() {
		if _, err := footprint.Read(img, footprint.Options{MMPerPx: mm / 2}); err != nil {
			b.Fatal(err)
		}
	}
}
