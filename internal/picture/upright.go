package picture

import (
	"image"
	"image/color"

	"golang.org/x/image/draw"
)

// Upright is the picture as it is seen, its longest side at most so many px, and how many of
// its own pixels one of the new ones is.
func (p Picture) Upright(longest int) (image.Image, float64) {
	src := p.Image
	if p.Orientation > 1 {
		src = turned{p.Image, p.Orientation}
	}
	b := src.Bounds()
	shrink := max(1, float64(max(b.Dx(), b.Dy()))/float64(longest))
	out := image.NewRGBA(image.Rect(0, 0, int(float64(b.Dx())/shrink), int(float64(b.Dy())/shrink)))
	draw.Draw(out, out.Bounds(), image.White, image.Point{}, draw.Src)
	draw.ApproxBiLinear.Scale(out, out.Bounds(), src, b, draw.Over, nil)
	return out, shrink
}

// turned is a picture seen as its EXIF orientation asks.
type turned struct {
	image.Image
	orientation int
}

func (t turned) Bounds() image.Rectangle {
	b := t.Image.Bounds()
	if t.orientation >= 5 {
		return image.Rect(0, 0, b.Dy(), b.Dx())
	}
	return image.Rect(0, 0, b.Dx(), b.Dy())
}

func (t turned) At(x, y int) color.Color {
	b := t.Image.Bounds()
	if t.orientation >= 5 {
		x, y = y, x
	}
	switch t.orientation {
	case 2, 3, 7, 8:
		x = b.Dx() - 1 - x
	}
	switch t.orientation {
	case 3, 4, 6, 7:
		y = b.Dy() - 1 - y
	}
	return t.Image.At(b.Min.X+x, b.Min.Y+y)
}
