package kit

import "trevik/internal/picture"

// Picture reads the picture that a form sends in a field; the form's other fields can be read
// after it. It fails with a fault.List at the field.
func Picture(r *Req, field string) ([]byte, error) {
	_, data, err := One(r, field, picture.MaxBytes, "is missing; choose a PNG or JPEG picture")
	return data, err
}
