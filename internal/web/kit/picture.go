package kit

import (
	"fmt"

	"trevik/internal/picture"
)

// Picture reads the picture that a form sends in a field; the form's other fields can be read
// after it. It fails with a fault.List at the field.
func Picture(r *Req, field string) ([]byte, error) {
	_, data, err := One(r, field, picture.MaxBytes, "is missing; choose a PNG or JPEG picture")
	return data, err
}

// viewMargin is what of a foot's length is shown around it.
const viewMargin = 0.07

// ViewOf is the part of a picture that a foot's places lie in, with a margin, as an SVG's view box. The places are pixels.
func ViewOf(width, height int, points [][2]float64) string {
	lo, hi := [2]float64{float64(width), float64(height)}, [2]float64{}
	for _, p := range points {
		for i := range p {
			lo[i], hi[i] = min(lo[i], p[i]), max(hi[i], p[i])
		}
	}
	margin := viewMargin * (hi[1] - lo[1])
	for i, size := range [2]float64{float64(width), float64(height)} {
		lo[i], hi[i] = max(0, lo[i]-margin), min(size, hi[i]+margin)
	}
	if hi[0] <= lo[0] || hi[1] <= lo[1] {
		return fmt.Sprintf("0 0 %d %d", width, height)
	}
	return fmt.Sprintf("%.0f %.0f %.0f %.0f", lo[0], lo[1], hi[0]-lo[0], hi[1]-lo[1])
}
