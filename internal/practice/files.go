package practice

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"image/jpeg"
	"image/png"

	"trevik/internal/core/term"
	"trevik/internal/device"
	"trevik/internal/recording"
)

// filmQuality is of the JPEG frames of a film's file (house).
const filmQuality = 88

// PrintFile is the photo of a print as a PNG: left.png or right.png.
func PrintFile(x *device.InventedRunner, name string) ([]byte, error) {
	side := term.Left
	if name == "right.png" {
		side = term.Right
	}
	var data bytes.Buffer
	err := png.Encode(&data, Photo(x.Scanner, x.Truth.Seed, side))
	return data.Bytes(), err
}

// FilmFile is a film as the camera hands it over, a zip of frames: rear.zip or side.zip.
func FilmFile(x *device.InventedRunner, name string) ([]byte, error) {
	m := x.Rear
	if name == "side.zip" {
		m = x.Side
	}
	var data bytes.Buffer
	z := zip.NewWriter(&data)
	w, err := z.Create(recording.File)
	if err == nil {
		err = json.NewEncoder(w).Encode(m.Recording())
	}
	for i := 0; err == nil && i < m.Len(); i++ {
		img, frameErr := m.Frame(i)
		if frameErr != nil {
			return nil, frameErr
		}
		if w, err = z.Create(fmt.Sprintf("%04d.jpg", i)); err == nil {
			err = jpeg.Encode(w, img, &jpeg.Options{Quality: filmQuality})
		}
	}
	if closeErr := z.Close(); err == nil {
		err = closeErr
	}
	return data.Bytes(), err
}
