package suite_test

import (
	"archive/zip"
	"bytes"
	"context"
	"io"
	"strings"
	"testing"

	"trevik/internal/app/films"
	"trevik/internal/app/runlog"
	"trevik/internal/core/gait"
)

// A film that did not all arrive goes on as it is described by now: its view and whether it may
// be kept are those of the second telling.
func TestResumedFilmIsAsTold(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.start(t)
	film, err := b.Films.Begin(ctx, b.fitter, fit, recordingOf(60), 3, true)
	must(t, err)
	must(t, b.Films.AddFrames(ctx, b.fitter, film, []films.Piece{{Number: 0, Data: someFrame(t)}}))
	rec := recordingOf(60)
	rec.View = gait.Front
	again, err := b.Films.Resume(ctx, b.fitter, fit, film.ID, rec, 3, false)
	must(t, err)
	now, err := b.Films.Film(ctx, b.fitter, again.ID)
	must(t, err)
	if now.Recording.View != gait.Front || now.Kept {
		t.Errorf("%+v", now)
	}
}

// A GPX with a long name keeps its ending, goes out in an export and is known when it comes back.
func TestLongNamesComeBack(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	runner := b.load(t, b.ready(t)).Runner.ID
	f := b.watched(t, 11, 1)[0]
	f.Name = strings.Repeat("a long way round the reservoir ", 4) + "é.gpx"
	if n, err := b.Runs.PutFiles(ctx, b.fitter, runner, []runlog.NamedFile{f}); err != nil || n != 1 {
		t.Fatal(n, err)
	}
	var out bytes.Buffer
	must(t, b.Runs.Export(ctx, b.fitter, runner, "gpx", &out))
	z, err := zip.NewReader(bytes.NewReader(out.Bytes()), int64(out.Len()))
	must(t, err)
	if len(z.File) != 1 || !strings.HasSuffix(z.File[0].Name, ".gpx") {
		t.Fatalf("%+v", z.File)
	}
	r, err := z.File[0].Open()
	must(t, err)
	data, err := io.ReadAll(r)
	must(t, err)
	if in := b.read(t, runner, runlog.NamedFile{Name: z.File[0].Name, Data: data}); in.There() != 1 || in.New() != 0 || len(in.Faults) > 0 {
		t.Errorf("%d there, %d new, %v", in.There(), in.New(), in.Faults)
	}
}
