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

// photo12 is a picture as a 12-megapixel JPEG.
func photo12(b *testing.B, small image.Image) []byte {
	b.Helper()
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

// decoding is how long a JPEG takes to be decoded.
func decoding(b *testing.B, data []byte) image.Image {
	b.Helper()
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
	return img
}

// The reading of a print on a sheet of brown paper, a 12-megapixel JPEG, beside the decoding of the same picture.
func BenchmarkPhoto12MP(b *testing.B) {
	r := rand.New(rand.NewPCG(6, 1))
	f := randomRoundFoot(r)
	img := decoding(b, photo12(b, f.Render(device.Photo{Paper: footprint.A4, MMPerPx: 0.2, Tilt: 0.05, Roll: 2,
		Base: color.RGBA{190, 150, 105, 255}, Dark: 0.5, Uneven: 0.3, Noise: 3, Soft: 1.2}, r)))
	b.Run("read", func(b *testing.B) {
		for b.Loop() {
			if _, err := footprint.Read(img, footprint.Options{}); err != nil {
				b.Fatal(err)
			}
		}
	})
}

// The same of a traced foot.
func BenchmarkOutline12MP(b *testing.B) {
	img := decoding(b, photo12(b, newDrawnFoot(7).onSheet(7, 1, 20)))
	b.Run("read", func(b *testing.B) {
		for b.Loop() {
			if _, err := footprint.ReadOutline(img, footprint.OutlineOptions{}); err != nil {
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
