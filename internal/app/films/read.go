package films

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"image"
	"image/jpeg"

	"trevik/internal/app"
	"trevik/internal/app/load"
	"trevik/internal/core/fault"
	"trevik/internal/core/gait"
	"trevik/internal/core/house"
	"trevik/internal/core/term"
	"trevik/internal/device"
	"trevik/internal/jobs"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Kinds of work.
const (
	readKind   = "film.read"
	benchKind  = "film.bench"
	glanceKind = "film.glance"
)

// work is what a job is told: the film, and what the bench is to film.
type work struct {
	Film  uint64                   `json:"film"`
	Bench *device.TreadmillOptions `json:"bench,omitempty"`
}

// encode is a frame as JPEG.
func encode(img image.Image) ([]byte, error) {
	var b bytes.Buffer
	err := jpeg.Encode(&b, img, &jpeg.Options{Quality: quality})
	return b.Bytes(), err
}

// middleOf a band, degrees, for an invented runner who was seen by eye.
var middleOf = map[term.Band]float64{term.BandUnder: 1.5, term.BandNeutral: 6.5, term.BandMild: 10.5, term.BandMarked: 13.5,
	term.BandSevere: 17}

// steadies is how much less the invented runner rolls in in a shoe of a level, degrees.
var steadies = map[term.Level]float64{term.Guidance: 1.5, term.Stability: 3.5, term.MotionControl: 5.5}

// benchSeeds keeps the bench's invented runners apart from others'.
const benchSeeds = 70

// Bench lets the camera on the bench, a stand-in, film an invented runner in the fit's place.
func (f *Films) Bench(ctx context.Context, who app.Actor, fit *record.Conclusions, rec gait.Recording, keep bool) (Film, error) {
	o := device.TreadmillOptions{Seed: benchSeeds + fit.Runner.ID, View: rec.View, Gait: rec.Gait, Seconds: benchSeconds, Width: 480,
		Height: 360, Shod: rec.Shod, Barefoot: rec.Shod == record.Barefoot, Near: rec.Near, Peak: map[term.Side]float64{},
		Bare: rec.Markers == gait.NoMarkers}
	less := 0.0
	for i := range fit.Shop.Catalogue.Models {
		if m := &fit.Shop.Catalogue.Models[i]; record.ModelName(m) == rec.Shod {
			less = steadies[m.Level]
		}
	}
	for _, s := range term.Sides {
		if middle, ok := middleOf[record.BandSeen.Of(fit.Visit, s)]; ok {
			o.Peak[s] = middle - less
		} else if less > 0 {
			o.Peak[s] = middleOf[term.BandNeutral] + 1.5 - less
		}
	}
	m, err := device.NewTreadmill(o)
	if err != nil {
		return Film{}, err
	}
	film, err := f.begin(ctx, who, fit.ID, m.Recording(), m.Len(), keep, func(q *db.Queries, film Film) error {
		return jobs.Add(ctx, q, jobs.Job{ShopID: who.ShopID, Kind: benchKind, Subject: film.subject(), By: who.UserID}, work{film.ID, &o})
	})
	f.Jobs.Wake()
	return film, err
}

// open is the film of a job and who asked for it.
func (f *Films) open(ctx context.Context, j *jobs.Job) (app.Actor, Film, work, error) {
	var w work
	who := app.Actor{UserID: j.By, ShopID: j.ShopID}
	if err := json.Unmarshal(j.Args, &w); err != nil {
		return who, Film{}, w, jobs.Final{Err: err}
	}
	film, err := f.Film(ctx, who, w.Film)
	if err == app.ErrNotFound {
		err = jobs.Final{Err: err} // it was erased meanwhile
	}
	return who, film, w, err
}

// film lets the bench film, and hands what it filmed over to be read.
func (f *Films) film(ctx context.Context, j *jobs.Job, tell func(done, total int)) error {
	who, film, w, err := f.open(ctx, j)
	if err != nil {
		return err
	}
	m, err := device.NewTreadmill(*w.Bench)
	if err != nil {
		return jobs.Final{Err: err}
	}
	for i := range m.Len() {
		tell(i, m.Len())
		if ctx.Err() != nil {
			return ctx.Err()
		}
		img, err := m.Frame(i)
		if err != nil {
			return jobs.Final{Err: err}
		}
		data, err := encode(img)
		if err == nil {
			err = f.AddFrames(ctx, who, film, []Piece{{i, data}})
		}
		if err != nil {
			return err
		}
	}
	err = f.Store.Tx(ctx, func(q *db.Queries) error {
		if err := f.toRead(ctx, q, who, film); err != nil {
			return err
		}
		return j.End(ctx, q)
	})
	if err == nil {
		j.Ended()
	}
	return err
}

// storedFrames is a film in the database as gait reads it.
type storedFrames struct {
	ctx  context.Context
	in   *Films
	who  app.Actor
	film Film
}

func (s storedFrames) Len() int { return s.film.Frames }

// Frame is one of them; one at whose bytes the decoder gives up is left out, not the film.
func (s storedFrames) Frame(i int) (image.Image, error) {
	data, err := s.in.FrameData(s.ctx, s.who, s.film.ID, i)
	if err != nil {
		return nil, err
	}
	return decode(data)
}

// Brightness is that of a frame, nil where it is not at hand.
func (s storedFrames) Brightness(i int) *image.Gray { return s.in.lately.at(s.film.ID, i) }

// houseOf is the house values that a film is read by: those of when it was taken.
func houseOf(ctx context.Context, q *db.Queries, who app.Actor, film Film) (*house.Values, error) {
	h, err := load.Settings(ctx, q, who.ShopID)
	if err != nil {
		return nil, err
	}
	s, _ := h.At(film.MadeAt)
	return &s.House, nil
}

// read follows the dots of a film and records what was read. What cannot be read has failed;
// other errors are tried again.
func (f *Films) read(ctx context.Context, j *jobs.Job, tell func(done, total int)) error {
	who, film, _, err := f.open(ctx, j)
	if err != nil {
		return err
	}
	followed, err := gait.Follow(storedFrames{ctx, f, who, film}, film.Recording, func(done int) error {
		tell(done, film.Frames)
		return ctx.Err()
	})
	var h *house.Values
	if err == nil {
		h, err = houseOf(ctx, f.Store.Queries, who, film)
	}
	var r gait.Reading
	if err == nil {
		r, err = gait.Read(followed, film.Recording, gait.Corrections{}, h)
	}
	if _, faulty := fault.As(err); faulty {
		return jobs.Final{Err: err}
	}
	if err != nil {
		return err
	}
	data, err := json.Marshal(followed)
	if err != nil {
		return jobs.Final{Err: err}
	}
	err = f.Store.Tx(ctx, func(q *db.Queries) error {
		now, err := q.LockRecording(ctx, db.LockRecordingParams{ID: film.ID, ShopID: who.ShopID})
		if err != nil {
			return app.Found(err)
		}
		if now.State == string(BeingRead) {
			if err := keepMeans(ctx, q, film, followed); err != nil {
				return err
			}
			if err := q.SetRecordingFollowed(ctx, db.SetRecordingFollowedParams{Followed: sql.NullString{String: string(data), Valid: true},
				Width: int32(followed.Width), Height: int32(followed.Height), ID: film.ID, ShopID: who.ShopID}); err != nil {
				return err
			}
			// A fit that was closed meanwhile keeps what it was decided on.
			if err := f.keep(ctx, q, who, film, r); err != nil && err != app.ErrClosed {
				return err
			}
		}
		return j.End(ctx, q)
	})
	if err == nil {
		f.lately.drop(film.ID)
		j.Ended()
	}
	return err
}

// failed says in words why a film could not be read.
func (f *Films) failed(ctx context.Context, j *jobs.Job, why error) {
	who, film, _, err := f.open(ctx, j)
	if err != nil {
		return
	}
	f.lately.drop(film.ID)
	note := "Trevik failed on this film; film it again"
	if faults, ok := fault.As(why); ok {
		note = faults.Error()
	}
	runes := []rune(note)
	// Should this fail too, the film stays as being read, and its job as failed.
	_ = f.Store.SetRecordingState(ctx, db.SetRecordingStateParams{State: string(Failed), Note: string(runes[:min(len(runes), 900)]),
		ID: film.ID, ShopID: who.ShopID})
}

// summary is an answer without steps, curves and paths.
func summary(a gait.Answer) gait.Answer {
	s := a
	s.Markers, s.Warnings = nil, nil
	s.Sides = map[term.Side]*gait.SideReading{}
	for side, of := range a.Sides {
		if of != nil {
			c := *of
			c.Steps, c.CurveDeg = nil, nil
			of = &c
		}
		s.Sides[side] = of
	}
	return s
}

// keep keeps a reading's summary as a finding.
func (f *Films) keep(ctx context.Context, q *db.Queries, who app.Actor, film Film, r gait.Reading) error {
	data, err := json.Marshal(summary(r.Answer))
	if err != nil {
		return err
	}
	_, err = f.Visits.Put(ctx, q, who, film.FitID, []record.Value{{Key: record.FilmRead.Key(film.Number), Decl: record.FilmRead.Decl,
		Text: string(data)}})
	return err
}

// catchUp keeps the readings of films that were read while their fit was closed; one that was taken back stays so.
func (f *Films) catchUp(ctx context.Context, q *db.Queries, who app.Actor, fitID uint64) error {
	rows, err := q.RecordingsOf(ctx, db.RecordingsOfParams{FitID: fitID, ShopID: who.ShopID})
	if err != nil {
		return err
	}
	findings, err := app.FindingsOf(ctx, q, who.ShopID, []uint64{fitID})
	if err != nil {
		return err
	}
	withdrawn := map[int32]bool{}
	for _, r := range findings {
		if r.Name == record.FilmRead.Name {
			withdrawn[r.RepeatNo] = r.Withdrawn
		}
	}
	for _, row := range rows {
		film, err := filmOf(who, row)
		if err != nil {
			return err
		}
		if film.State != Ready || withdrawn[row.Number] {
			continue
		}
		r, err := reading(ctx, q, who, film)
		if _, faulty := fault.As(err); faulty {
			continue // its paths are gone
		}
		if err != nil {
			return err
		}
		if err := f.keep(ctx, q, who, film, r); err != nil {
			return err
		}
	}
	return nil
}
