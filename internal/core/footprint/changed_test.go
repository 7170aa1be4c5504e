package footprint_test

import (
	"bytes"
	"fmt"
	"image"
	"image/draw"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"testing"

	"trevik/internal/core/footprint"
	"trevik/internal/device"
)

// toned is a picture with each channel of each pixel changed; u and v are its place, from -0.5 to 0.5.
func toned(m image.Image, of func(c float64, channel int, u, v float64) float64) image.Image {
	b := m.Bounds()
	out := image.NewRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	draw.Draw(out, out.Rect, m, b.Min, draw.Src)
	for i := range out.Pix {
		if k := i % 4; k < 3 {
			x, y := i%out.Stride/4, i/out.Stride
			c := of(float64(out.Pix[i]), k, float64(x)/float64(b.Dx())-0.5, float64(y)/float64(b.Dy())-0.5)
			out.Pix[i] = uint8(math.Max(0, math.Min(255, math.Round(c))))
		}
	}
	return out
}

// laidOut is a picture of another size, each pixel the mean of some places of the old one: r pixels about its own, and
// as many as it covers.
func laidOut(m image.Image, scale float64, r float64) image.Image {
	b := m.Bounds()
	in := image.NewRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	draw.Draw(in, in.Rect, m, b.Min, draw.Src)
	out := image.NewRGBA(image.Rect(0, 0, int(float64(b.Dx())*scale), int(float64(b.Dy())*scale)))
	reach := math.Max(r, 0.5/scale)
	for y := range out.Rect.Dy() {
		for x := range out.Rect.Dx() {
			cx, cy := (float64(x)+0.5)/scale, (float64(y)+0.5)/scale
			var sum [3]float64
			n := 0.0
			for yy := int(cy - reach); yy <= int(cy+reach-1e-9); yy++ {
				for xx := int(cx - reach); xx <= int(cx+reach-1e-9); xx++ {
					i := in.PixOffset(min(max(xx, 0), b.Dx()-1), min(max(yy, 0), b.Dy()-1))
					for k := range sum {
						sum[k] += float64(in.Pix[i+k])
					}
					n++
				}
			}
			i := out.PixOffset(x, y)
			for k := range sum {
				out.Pix[i+k] = uint8(sum[k]/n + 0.5)
			}
			out.Pix[i+3] = 255
		}
	}
	return out
}

// Photos of a sheet as telephones and mail make them. Marks that are pale, small or not sharp are found all the same.
func TestPicturesChanged(t *testing.T) {
	changes := map[string]func(m image.Image) image.Image{
		"packed hard": func(m image.Image) image.Image {
			var b bytes.Buffer
			if err := jpeg.Encode(&b, m, &jpeg.Options{Quality: 20}); err != nil {
				t.Error(err)
			}
			out, err := jpeg.Decode(&b)
			if err != nil {
				t.Error(err)
			}
			return out
		},
		"small":     func(m image.Image) image.Image { return laidOut(m, 0.4, 0) },
		"large":     func(m image.Image) image.Image { return laidOut(m, 1.7, 0) },
		"not sharp": func(m image.Image) image.Image { return laidOut(m, 1, 3.5) },
		"washed out": func(m image.Image) image.Image {
			return toned(m, func(c float64, _ int, _, _ float64) float64 { return 150 + 0.35*(c-150) })
		},
		"too bright": func(m image.Image) image.Image {
			return toned(m, func(c float64, _ int, _, _ float64) float64 { return 255 * math.Sqrt(c/255) })
		},
		"too dark": func(m image.Image) image.Image {
			return toned(m, func(c float64, _ int, _, _ float64) float64 { return c * c / 255 })
		},
		"lamp light": func(m image.Image) image.Image {
			return toned(m, func(c float64, k int, _, _ float64) float64 { return c * []float64{1, 0.8, 0.5}[k] })
		},
		"a window at one side": func(m image.Image) image.Image {
			return toned(m, func(c float64, _ int, u, v float64) float64 { return c * (0.75 + 0.5*(0.8*u+0.6*v)) })
		},
	}
	kinds := []string{"brown paper", "a tilted sheet"}
	for name, change := range changes {
		for i, kind := range kinds {
			t.Run(kind+", "+name, func(t *testing.T) {
				t.Parallel()
				for _, way := range device.ToeWays[i : i+1] {
					r := rand.New(rand.NewPCG(uint64(43000+i), 77))
					f := device.RandomNatural(r, way)
					truth := f.Truth()
					var p device.Photo
					for _, n := range natural {
						if n.name == kind {
							p = n.photo(r)
						}
					}
					at := fmt.Sprintf("%s %d", way, i)
					got, err := footprint.Read(change(f.Render(p, r)), footprint.Options{})
					if err != nil {
						t.Errorf("%s: %v", at, err)
						continue
					}
					if off := math.Abs(got.ArchIndex - truth.ArchIndex); off > 0.015 {
						t.Errorf("%s: arch index %.4f, is %.4f", at, got.ArchIndex, truth.ArchIndex)
					}
					if got.Scale.Source != "sheet" || got.Foot != truth.Foot {
						t.Errorf("%s: scale by %s, the %s foot is read as %s", at, got.Scale.Source, truth.Foot, got.Foot)
					}
					if math.Abs(got.LengthMM-truth.LengthMM) > 3 || math.Abs(got.BallMM-truth.BallMM) > 3 {
						t.Errorf("%s: length %.1f ball %.1f, is %.1f and %.1f", at, got.LengthMM, got.BallMM, truth.LengthMM, truth.BallMM)
					}
				}
			})
		}
	}
}
