package footprint_test

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"trevik/internal/core/footprint"
	"trevik/internal/device"
)

// seenBy is a flat picture as a pinhole camera sees it that looks down on its middle from a distance, in multiples
// of its longer side, leaning by tilt and turned by turn, degrees.
func seenBy(flat image.Image, distance, tilt, turn float64) image.Image {
	b := flat.Bounds()
	w, h := b.Dx(), b.Dy()
	long := float64(max(w, h))
	out := image.NewRGBA(image.Rect(0, 0, w*12/10, h*12/10))
	sinT, cosT := math.Sincos(tilt * math.Pi / 180)
	sinR, cosR := math.Sincos(turn * math.Pi / 180)
	d := distance * long
	focal := 0.85 * d
	for y := range out.Rect.Dy() {
		for x := range out.Rect.Dx() {
			// The ray through this pixel meets the floor, z = 0. The camera stands at (0, d sin, d cos).
			px, py := float64(x)-float64(out.Rect.Dx())/2, float64(y)-float64(out.Rect.Dy())/2
			rx, ry := (px*cosR+py*sinR)/focal, (-px*sinR+py*cosR)/focal
			// Forward is (0, -sin, -cos), down on the picture (0, cos, -sin).
			dx, dy, dz := rx, -sinT+ry*cosT, -cosT-ry*sinT
			t := -d * cosT / dz
			fx, fy := t*dx+float64(w)/2, d*sinT+t*dy+float64(h)/2
			out.SetRGBA(x, y, color.RGBA{58, 60, 57, 255})
			if i, j := int(math.Floor(fx)), int(math.Floor(fy)); i >= 0 && j >= 0 && i < w-1 && j < h-1 && t > 0 {
				u, v := fx-float64(i), fy-float64(j)
				var sum [3]float64
				for k, q := range [4]color.Color{flat.At(b.Min.X+i, b.Min.Y+j), flat.At(b.Min.X+i+1, b.Min.Y+j),
					flat.At(b.Min.X+i, b.Min.Y+j+1), flat.At(b.Min.X+i+1, b.Min.Y+j+1)} {
					weight := [4]float64{(1 - u) * (1 - v), u * (1 - v), (1 - u) * v, u * v}[k]
					r, g, bl, _ := q.RGBA()
					sum[0], sum[1], sum[2] = sum[0]+weight*float64(r>>8), sum[1]+weight*float64(g>>8), sum[2]+weight*float64(bl>>8)
				}
				out.SetRGBA(x, y, color.RGBA{uint8(sum[0]), uint8(sum[1]), uint8(sum[2]), 255})
			}
		}
	}
	return out
}

// cutOff is a sheet of which two marks lie outside the picture.
func cutOff(t *testing.T) image.Image {
	t.Helper()
	r := rand.New(rand.NewPCG(4101, 40))
	flat := device.RandomNatural(r, "").Render(device.Photo{Paper: footprint.A3, MMPerPx: 0.3, Noise: 2, Dark: 0.5}, r)
	return seenBy(flat, 1.6, 30, 40)
}

// Prints and outlines on the sheet are read from a camera that leans by up to 40°.
func TestSteepCamera(t *testing.T) {
	t.Parallel()
	var off, worst, long, n float64
	for i := range 6 {
		r := rand.New(rand.NewPCG(uint64(4100+i), 40))
		f := device.RandomNatural(r, "")
		flat := f.Render(device.Photo{Paper: footprint.A3, MMPerPx: 0.3, Noise: 2, Dark: 0.5}, r)
		tilt := 15 + 25*float64(i)/5
		got, err := footprint.Read(seenBy(flat, 1.6+r.Float64(), tilt, 16*r.Float64()-8), footprint.Options{})
		if err != nil {
			t.Errorf("print %d at %.0f°: %v", i, tilt, err)
			continue
		}
		truth := f.Truth()
		d := math.Abs(got.ArchIndex - truth.ArchIndex)
		off, worst, long, n = off+d, max(worst, d), max(long, math.Abs(got.LengthMM-truth.LengthMM)), n+1
	}
	t.Logf("prints: arch index %.4f on average, %.4f at worst; length %.1f mm at worst", off/n, worst, long)
	if _, err := footprint.Read(cutOff(t), footprint.Options{}); err != nil && !strings.Contains(err.Error(), "marks cannot be seen") {
		t.Errorf("a sheet of which a corner is outside the picture: %v", err)
	}
	if off/n > 0.01 || worst > 0.02 || long > 3 {
		t.Error("over the limits")
	}
	off, worst, n = 0, 0, 0
	for i := range 5 {
		r := rand.New(rand.NewPCG(uint64(4200+i), 40))
		by, photo := device.RandomTracing(r)
		photo.Tilt, photo.Roll, photo.Turn, photo.MMPerPx = 0, 0, 0, 0.26
		f := device.RandomTraced(r, by)
		tilt := 12 + 23*float64(i)/4
		got, err := footprint.ReadOutline(seenBy(f.Render(photo, r), 1.6+r.Float64(), tilt, 16*r.Float64()-8), footprint.OutlineOptions{})
		if err != nil {
			t.Errorf("outline %d at %.0f°: %v", i, tilt, err)
			continue
		}
		truth := f.Truth()
		for _, d := range []float64{got.LengthMM - truth.LengthMM, got.BallMM - truth.BallMM, got.HeelMM - truth.HeelMM} {
			off, worst, n = off+math.Abs(d), max(worst, math.Abs(d)), n+1
		}
	}
	t.Logf("outlines: %.2f mm on average, %.2f at worst", off/n, worst)
	if off/n > 1.5 || worst > 3 {
		t.Error("over the limits")
	}
}
