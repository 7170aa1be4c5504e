// Package picture opens pictures that come from outside: PNG and JPEG, of a size
// that is known before anything is decoded.
package picture

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"

	"trevik/internal/core/fault"
)

// Limits of a picture.
const (
	MaxPixels = 50_000_000
	MaxBytes  = 64 << 20
)

// Picture is a decoded picture. Orientation is how it is to be turned, as EXIF
// counts: 1 is as it is.
type Picture struct {
	image.Image
	Orientation int
	Format      string // png or jpeg
}

// Open decodes a picture. It fails with a fault.List at field when the data is not
// a PNG or JPEG, is animated, cut off or broken, or larger than the limits; what is
// too large is refused before it is decoded.
func Open(field string, data []byte) (Picture, error) {
	refuse := func(format string, args ...any) (Picture, error) {
		return Picture{}, fault.List{{Field: field, Text: fmt.Sprintf(format, args...)}}
	}
	if len(data) == 0 {
		return refuse("is empty; allowed is a PNG or JPEG picture")
	}
	if len(data) > MaxBytes {
		return refuse("is larger than %d MiB", MaxBytes>>20)
	}
	p := Picture{Orientation: 1}
	var config image.Config
	var err error
	switch {
	case bytes.HasPrefix(data, []byte("\x89PNG\r\n\x1a\n")):
		p.Format = "png"
		config, err = png.DecodeConfig(bytes.NewReader(data))
	case bytes.HasPrefix(data, []byte("\xff\xd8\xff")):
		p.Format = "jpeg"
		config, err = jpeg.DecodeConfig(bytes.NewReader(data))
	default:
		return refuse("is not a picture that can be read; allowed is PNG or JPEG")
	}
	if err != nil {
		return refuse("is a broken %s picture: %v", p.Format, err)
	}
	if n := config.Width * config.Height; n > MaxPixels || config.Width > 1<<16 || config.Height > 1<<16 {
		return refuse("has %d × %d pixels; allowed are up to %d megapixels", config.Width, config.Height, MaxPixels/1_000_000)
	}
	if p.Format == "png" {
		if animated(data) {
			return refuse("is animated; allowed is a still picture")
		}
		p.Image, err = png.Decode(bytes.NewReader(data))
	} else {
		p.Orientation = orientation(data)
		p.Image, err = jpeg.Decode(bytes.NewReader(data))
	}
	if err != nil {
		return refuse("is a broken or cut off %s picture: %v", p.Format, err)
	}
	return p, nil
}

// Room is about how much memory a picture takes while it is decoded, bytes; what is no picture takes
// next to none, since it is refused before.
func Room(data []byte) int64 {
	config, _, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil || config.Width <= 0 || config.Height <= 0 || config.Width*config.Height > MaxPixels {
		return 1
	}
	each := int64(5)
	if config.ColorModel == color.NRGBA64Model || config.ColorModel == color.RGBA64Model {
		each = 9
	}
	return each * int64(config.Width) * int64(config.Height)
}

// animated says whether a PNG has an animation control chunk before its picture.
func animated(data []byte) bool {
	for at := 8; at+8 <= len(data); {
		size := int(binary.BigEndian.Uint32(data[at:]))
		switch string(data[at+4 : at+8]) {
		case "acTL":
			return true
		case "IDAT":
			return false
		}
		if size < 0 || size > len(data) {
			return false
		}
		at += 12 + size
	}
	return false
}

// orientation reads a JPEG's EXIF orientation, 1 when it has none that is sound.
func orientation(data []byte) int {
	for at := 2; at+4 <= len(data) && data[at] == 0xff; {
		marker, size := data[at+1], int(binary.BigEndian.Uint16(data[at+2:]))
		if marker == 0xda || size < 2 || at+2+size > len(data) {
			return 1
		}
		if body := data[at+4 : at+2+size]; marker == 0xe1 && bytes.HasPrefix(body, []byte("Exif\x00\x00")) {
			return tiffOrientation(body[6:])
		}
		at += 2 + size
	}
	return 1
}

func tiffOrientation(t []byte) int {
	if len(t) < 8 {
		return 1
	}
	var order binary.ByteOrder = binary.LittleEndian
	if string(t[:2]) == "MM" {
		order = binary.BigEndian
	} else if string(t[:2]) != "II" {
		return 1
	}
	at := int(order.Uint32(t[4:]))
	if at < 8 || at+2 > len(t) {
		return 1
	}
	n := int(order.Uint16(t[at:]))
	for i := range n {
		e := at + 2 + 12*i
		if e+12 > len(t) {
			return 1
		}
		if order.Uint16(t[e:]) == 0x0112 {
			if v := int(order.Uint16(t[e+8:])); v >= 1 && v <= 8 {
				return v
			}
			return 1
		}
	}
	return 1
}
