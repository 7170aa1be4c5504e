package suite_test

import (
	"bytes"
	"context"
	"image/color"
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
	for seed := range uint64(3) {
		r := rand.New(rand.NewPCG(71+seed, 2))
		faint := device.Photo{MMPerPx: 0.4, Base: color.RGBA{160, 120, 80, 255}, Dark: 0.2, Noise: 16, Mottle: 0.4, Printed: 0.3}
		var file bytes.Buffer
		must(t, png.Encode(&file, device.RandomNatural(r, "").Render(faint, r)))
		told, err := b.Prints.Add(ctx, b.fitter, fit, term.Left, file.Bytes(), prints.Options{MMPerPx: 0.4}, false)
		must(t, err)
		pictures, err := b.Prints.Pictures(ctx, b.fitter, fit)
		must(t, err)
		read, err := b.Prints.Read(ctx, b.fitter, fit, pictures[term.Left])
		must(t, err)
		if told.ArchIndex != read.ArchIndex || told.Quality.Score != read.Quality.Score || *told.LengthMM != *read.LengthMM {
			t.Errorf("told %v, score %v, length %v; read again %v, %v, %v", told.ArchIndex, told.Quality.Score, *told.LengthMM,
				read.ArchIndex, read.Quality.Score, *read.LengthMM)
		}
	}
}
