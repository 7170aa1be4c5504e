package suite_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"image"
	"image/jpeg"
	"log/slog"
	"math"
	"slices"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/films"
	"trevik/internal/app/suite"
	"trevik/internal/app/visit"
	"trevik/internal/core/fault"
	"trevik/internal/core/gait"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/device"
	"trevik/internal/record"
)

func recordingOf(fps float64) gait.Recording {
	return gait.Recording{Schema: gait.RecordingSchema, View: gait.Rear, Gait: gait.Run, FPS: &fps, Shod: record.Barefoot, Markers: "auto"}
}

func someFrame(t *testing.T) []byte {
	t.Helper()
	var b bytes.Buffer
	must(t, jpeg.Encode(&b, image.NewGray(image.Rect(0, 0, 64, 48)), nil))
	return b.Bytes()
}

// Frames go: after two hours where nobody agreed to keep them, after the shop's days
// else, with the fit's end when they are loose; the description stays.
func TestFilmsGoInTime(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	frame := someFrame(t)
	film := func(fit uint64, keep bool) films.Film {
		f, err := b.Films.Begin(ctx, b.fitter, fit, recordingOf(60), 3, keep)
		must(t, err)
		must(t, b.Films.AddFrames(ctx, b.fitter, f, []films.Piece{{Number: 0, Data: frame}}))
		return f
	}
	has := func(f films.Film) bool {
		t.Helper()
		_, err := b.Films.FrameData(ctx, b.fitter, f.ID, 0)
		if err != nil && !errors.Is(err, app.ErrNotFound) {
			t.Fatal(err)
		}
		return err == nil
	}
	tidyAt := func(d time.Duration) {
		t.Helper()
		must(t, suite.New(b.store, func() time.Time { return now.Add(d) }, slog.New(slog.DiscardHandler)).Transfer.Tidy(ctx))
	}
	fit := b.start(t)
	kept, loose := film(fit, true), film(fit, false)
	tidyAt(time.Hour)
	if !has(kept) || !has(loose) {
		t.Error("frames are gone after an hour")
	}
	tidyAt(3 * time.Hour)
	if !has(kept) || has(loose) {
		t.Errorf("after three hours: kept %v, loose %v; want true, false", has(kept), has(loose))
	}
	tidyAt(29 * 24 * time.Hour)
	if !has(kept) {
		t.Error("a kept film is gone before its 30 days")
	}
	must(t, b.People.ChangeSettings(ctx, b.owner, map[string]string{"film_days": record.UntilDeleted}))
	tidyAt(400 * 24 * time.Hour)
	if !has(kept) {
		t.Error("a film that may stay until somebody deletes it is gone")
	}
	must(t, b.People.ChangeSettings(ctx, b.owner, map[string]string{"film_days": "7"}))
	tidyAt(8 * 24 * time.Hour)
	if has(kept) {
		t.Error("a kept film is there after its days")
	}
	if f, err := b.Films.Film(ctx, b.fitter, kept.ID); err != nil || !f.FramesGone {
		t.Errorf("the film's own row: %+v, %v", f, err)
	}
	second := film(fit, false)
	must(t, b.Visits.Close(ctx, b.fitter, fit))
	if has(second) {
		t.Error("a loose film outlives its fit")
	}
	if _, err := b.Films.Film(ctx, b.other, kept.ID); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("another shop's film: %v", err)
	}
	if _, err := b.Films.Begin(ctx, b.fitter, fit, recordingOf(60), 3, true); !errors.Is(err, app.ErrClosed) {
		t.Errorf("a film for a closed fit: %v", err)
	}
}

// A film counts before the eye, a run before a walk, the runner's own gait before one
// in a shoe; a film in a shoe tells what that shoe changes and overwrites nothing.
func TestFilmsAsEvidence(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.start(t)
	b.typed(t, b.fitter, fit, "gait", "band.left=severe", "band_sure.left=sure", "strike=heel")
	put := func(number int, v gait.View, m gait.Motion, shod string, deg float64) {
		t.Helper()
		sd := 0.5
		p := gait.Bands(deg, sd, 8, m, nil)
		s := &gait.SideReading{PeakEversionDeg: &gait.Stat{Mean: &deg, SD: &sd, N: 8}, BandProbability: &p, Band: term.BandNeutral}
		switch v {
		case gait.Front:
			s = &gait.SideReading{KneeInDeg: &gait.Stat{Mean: &deg, SD: &sd, N: 8}}
		case gait.Side:
			s = &gait.SideReading{StrikeDeg: &gait.Stat{Mean: &deg, SD: &sd, N: 8}, Strike: gait.StrikeOf(deg)}
		}
		data, err := json.Marshal(gait.Answer{Schema: gait.AnswerSchema, View: v, Gait: m, Shod: shod,
			Sides: map[term.Side]*gait.SideReading{term.Left: s}})
		must(t, err)
		_, err = b.Visits.Record(ctx, b.fitter, fit, visit.Page{},
			[]record.Value{{Key: record.FilmRead.Key(number), Decl: record.FilmRead.Decl, Text: string(data)}})
		must(t, err)
	}
	source := func() (term.Source, support.BandProbability) {
		g := b.load(t, fit).Evidence().Gait.Of(term.Left)
		if g.BandProbability == nil {
			return g.Source, support.BandProbability{}
		}
		return g.Source, *g.BandProbability
	}
	if s, _ := source(); s != term.ByEye {
		t.Errorf("without a film the eye counts, not %s", s)
	}
	put(1, gait.Rear, gait.Walk, record.Barefoot, 5)
	if s, p := source(); s != term.FilmedWalk || p != gait.Bands(5, 0.5, 8, gait.Walk, nil) {
		t.Errorf("a walk on film: %s %v", s, p)
	}
	put(2, gait.Rear, gait.Run, "Ishkel Dunlin 1", 4)
	if s, _ := source(); s != term.FilmedWalk {
		t.Errorf("a run in a shoe overwrote the runner's own walk: %s", s)
	}
	put(3, gait.Rear, gait.Run, record.TestShoe, 13)
	if s, p := source(); s != term.FilmedRun || p != gait.Bands(13, 0.5, 8, gait.Run, nil) {
		t.Errorf("a run in a plain shoe: %s %v", s, p)
	}
	f := b.load(t, fit)
	changes := f.FilmChanges()
	if len(changes) != 1 || changes[0].Shod != "Ishkel Dunlin 1" || changes[0].Value.Deg != -9 || !changes[0].Value.Clear {
		t.Errorf("what the shoe changed: %+v", changes)
	}
	if f.Strike() != term.HeelStrike || f.Evidence().KneeInDeg != nil {
		t.Errorf("by eye: strike %s, knee %v", f.Strike(), f.Evidence().KneeInDeg)
	}
	put(4, gait.Side, gait.Run, record.TestShoe, -5)
	put(5, gait.Front, gait.Run, record.TestShoe, 12)
	f = b.load(t, fit)
	if f.Strike() != term.ForefootStrike {
		t.Errorf("a film from the side: %s", f.Strike())
	}
	if k := f.Evidence().KneeInDeg.Of(term.Left); k == nil || *k != 12 {
		t.Errorf("a film from the front: %v", k)
	}
	if a, err := f.Support(); err != nil || a.Schools == nil {
		t.Errorf("support on film: %+v, %v", a, err)
	}
}

// A film is read while it arrives, from the first steps; one that is stopped early ends where it was stopped. Without dots
// its level is set on the mean picture, offered to the day's films in the same shoe, and goes with the film.
func TestFilmReadWhileItArrives(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.start(t)
	m, err := device.NewTreadmill(device.TreadmillOptions{Seed: 901, Bare: true, Width: 512, Height: 384, Seconds: 4, FPS: 60,
		Shod: record.TestShoe})
	must(t, err)
	begin := func() films.Film {
		f, err := b.Films.Begin(ctx, b.fitter, fit, m.Recording(), m.Len(), true)
		must(t, err)
		return f
	}
	film := begin()
	send := func(f films.Film, from, to int) {
		var pieces []films.Piece
		for i := from; i < to; i++ {
			img, err := m.Frame(i)
			must(t, err)
			var data bytes.Buffer
			must(t, jpeg.Encode(&data, img, nil))
			pieces = append(pieces, films.Piece{Number: i, Data: data.Bytes()})
		}
		must(t, b.Films.AddFrames(ctx, b.fitter, f, pieces))
	}
	until := func(what string, done func() bool) {
		t.Helper()
		for range 1200 {
			if done() {
				return
			}
			time.Sleep(50 * time.Millisecond)
		}
		t.Fatalf("%s never came", what)
	}
	send(film, 0, 100)
	if g, err := b.Films.Glance(ctx, b.fitter, film); err != nil || g.Answer != nil || g.Enough {
		t.Errorf("a look before there are three steps: %+v, %v", g, err)
	}
	send(film, 100, 180)
	until("the first look", func() bool {
		g, err := b.Films.Glance(ctx, b.fitter, film)
		must(t, err)
		return g.Answer != nil && g.Answer.Sides[term.Left] != nil && g.Answer.Sides[term.Left].PeakEversionDeg.N > 1
	})
	if faults, ok := fault.As(b.Films.AddFrames(ctx, b.fitter, film, []films.Piece{{Number: 5, Data: someFrame(t)}, {Number: 999}})); !ok ||
		faults[0].Field != "frames.999" {
		t.Errorf("a frame that is none: %v", faults)
	}
	must(t, b.Films.Finish(ctx, b.fitter, fit, film.ID, 175))
	ready := func(id uint64) func() bool {
		return func() bool {
			f, err := b.Films.Film(ctx, b.fitter, id)
			must(t, err)
			if f.State == films.Failed {
				t.Fatal(f.Note)
			}
			return f.State == films.Ready
		}
	}
	until("the reading", ready(film.ID))
	film, err = b.Films.Film(ctx, b.fitter, film.ID)
	must(t, err)
	if film.Frames != 175 {
		t.Errorf("%d frames of a film that was stopped after 175", film.Frames)
	}
	if missing, err := b.Films.Missing(ctx, film); err != nil || len(missing) > 0 {
		t.Errorf("missing %v, %v", missing, err)
	}
	if _, err := b.Films.FrameShown(ctx, b.fitter, film.ID, 179); err != nil { // the last before it
		t.Error(err)
	}

	level, ok, err := b.Films.LevelOf(ctx, b.fitter, film, nil)
	must(t, err)
	if !ok || level.Taken || len(level.Sides) == 0 || len(level.Others) > 0 {
		t.Fatalf("level %+v, %v", level, ok)
	}
	side := level.Sides[0].Side
	if _, err := b.Films.MeanData(ctx, b.fitter, film.ID, side); err != nil {
		t.Error(err)
	}
	off := 5.0
	before, err := b.Films.Reading(ctx, b.fitter, film)
	must(t, err)
	after, err := b.Films.Correct(ctx, b.fitter, fit, film.ID, false, func(c *gait.Corrections) error {
		c.Level = map[term.Side]gait.LevelMark{side: {OffDeg: &off}}
		return nil
	})
	must(t, err)
	peak := func(r gait.Reading) float64 { return *r.Answer.Sides[side].PeakEversionDeg.Mean }
	if d := peak(after) - peak(before); d < 1 {
		t.Errorf("5° more on the mean picture move the peak by %.1f°", d)
	}
	if kept := b.load(t, fit).GaitFilm(side); kept == nil || *kept.Sides[side].PeakEversionDeg.Mean != peak(after) {
		t.Errorf("the conclusions did not hear of the level: %+v", kept)
	}
	// Another film of the day in the same shoe may take it over.
	second := begin()
	send(second, 0, m.Len())
	must(t, b.Films.Finish(ctx, b.fitter, fit, second.ID, 0))
	// It is read while the fit is closed, which then keeps what it was decided on, and arrives once that is open again.
	must(t, b.Visits.Close(ctx, b.fitter, fit))
	until("the second reading", ready(second.ID))
	has := func() bool {
		return slices.ContainsFunc(b.load(t, fit).FilmReadings(), func(r record.FilmReading) bool { return r.Number == second.Number })
	}
	if has() {
		t.Error("a film that was read since the fit was closed is in it")
	}
	must(t, b.Visits.Reopen(ctx, b.fitter, fit))
	if !has() {
		t.Error("a film that was read while the fit was closed is not in it when it is open again")
	}
	if kept := b.load(t, fit).FilmReadings()[0]; *kept.Sides[side].PeakEversionDeg.Mean != peak(after) {
		t.Errorf("opened again, the first film is at %g°", *kept.Sides[side].PeakEversionDeg.Mean)
	}
	second, err = b.Films.Film(ctx, b.fitter, second.ID)
	must(t, err)
	all, err := b.Films.OfRunner(ctx, b.fitter, b.load(t, fit).Runner.ID)
	must(t, err)
	if level, ok, err = b.Films.LevelOf(ctx, b.fitter, second, all); err != nil || !ok || len(level.Others) != 1 ||
		math.Abs(level.Others[0].Off[side]-off) > 1e-9 {
		t.Errorf("what the first film says of the second: %+v, %v, %v", level.Others, ok, err)
	}
	must(t, b.Films.Delete(ctx, b.fitter, fit, film.ID))
	if _, err := b.Films.MeanData(ctx, b.fitter, film.ID, side); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("the mean picture outlives its film: %v", err)
	}
}
