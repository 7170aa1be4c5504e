package suite_test

import (
	"bytes"
	"context"
	"image/png"
	"math/rand/v2"
	"testing"

	"trevik/internal/app/prints"
	"trevik/internal/core/term"
	"trevik/internal/device"
)

// What a picture told when it came and what its page reads from the picture that was kept are one.
func TestPrintReadAsItIsKept(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	r := rand.New(rand.NewPCG(71, 2))
	var file bytes.Buffer
	must(t, png.Encode(&file, device.RandomNatural(r, "").Render(device.Photo{MMPerPx: 0.6, Dark: 0.12, Noise: 9, Mottle: 0.3, Soft: 1.5}, r)))
	told, err := b.Prints.Add(ctx, b.fitter, fit, term.Left, file.Bytes(), prints.Options{MMPerPx: 0.6}, false)
	must(t, err)
	pictures, err := b.Prints.Pictures(ctx, b.fitter, fit)
	must(t, err)
	read, err := b.Prints.Read(ctx, b.fitter, fit, pictures[term.Left])
	must(t, err)
	if told.ArchIndex != read.ArchIndex || told.Quality.Score != read.Quality.Score || *told.LengthMM != *read.LengthMM {
		t.Errorf("told %v, score %v, length %v; read again %v, %v, %v", told.ArchIndex, told.Quality.Score, *told.LengthMM, read.ArchIndex,
			read.Quality.Score, *read.LengthMM)
	}
}
