package app

import (
	"context"
	"image"
	"time"

	"trevik/internal/picture"
)

// decoding is the room that pictures have together while they are decoded: one of 50 megapixels, or
// several smaller ones.
var decoding = NewGate(260<<20, 64, 25*time.Second)

// Upright opens a picture from outside, turns it up and makes it at most so long, px; shrunk is how
// many of its pixels are one of the answer. Large ones wait for each other. It fails with a
// fault.List at the field, and with ErrBusy.
func Upright(ctx context.Context, field string, data []byte, long int) (img image.Image, shrunk float64, err error) {
	leave, err := decoding.Enter(ctx, picture.Room(data))
	if err != nil {
		return nil, 0, err
	}
	defer leave()
	pic, err := picture.Open(field, data)
	if err != nil {
		return nil, 0, err
	}
	img, shrunk = pic.Upright(long)
	return img, shrunk, nil
}
