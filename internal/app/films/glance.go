package films

import (
	"context"
	"database/sql"
	"encoding/json"
	"image"
	"math"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/gait"
	"trevik/internal/core/term"
	"trevik/internal/jobs"
	"trevik/internal/store/db"
)

// House values of a first look at a film that is arriving.
const (
	firstLook    = 2.4 // s of it, three steps a leg
	firstWalk    = 3.4
	lookAgain    = 2.0  // times what was looked at before
	nearlyAll    = 0.85 // of the film: the reading itself tells as soon
	arrivedShare = 0.95 // of the frames looked at, that have to be there
	surelyEnough = 0.5  // of the level's own error, that the spread of the steps adds: more steps tell little more
	stepsOfALook = 3
	lookFPS      = 50.0 // a second, of the frames that a look is content with
)

// Glance is what was read of a film while the rest was on its way.
type Glance struct {
	Film   Film
	Answer *gait.Answer // nil while there is none
	Frames int          // that were looked at
	Enough bool         // more steps make it hardly surer
}

// nextLook is of how many frames the next look is, 0 for none.
func nextLook(film Film, looked int) int {
	first := firstLook
	if film.Recording.Gait == gait.Walk {
		first = firstWalk
	}
	n := int(math.Ceil(first * *film.Recording.FPS))
	if looked > 0 {
		n = int(lookAgain * float64(looked))
	}
	if float64(n) > nearlyAll*float64(film.Frames) {
		return 0
	}
	return n
}

// glanceWork is what a look is told.
type glanceWork struct {
	Film   uint64 `json:"film"`
	Frames int    `json:"frames"`
}

// toGlance puts a look down among the work once enough frames are there.
func (f *Films) toGlance(ctx context.Context, q *db.Queries, who app.Actor, film Film) (bool, error) {
	row, err := q.RecordingGlance(ctx, db.RecordingGlanceParams{ID: film.ID, ShopID: who.ShopID})
	if err != nil {
		return false, app.Found(err)
	}
	n := nextLook(film, int(row.Glanced))
	if n == 0 {
		return false, nil
	}
	there, err := q.FramesUnder(ctx, db.FramesUnderParams{RecordingID: film.ID, Number: int32(n)})
	if err != nil || float64(there) < arrivedShare*float64(n) {
		return false, err
	}
	return true, jobs.Add(ctx, q, jobs.Job{ShopID: who.ShopID, Kind: glanceKind, Subject: film.subject(), By: who.UserID},
		glanceWork{film.ID, n})
}

// firstFrames are those of a film that have arrived first: of n each, or some left out between.
type firstFrames struct {
	storedFrames
	n, every int
}

// firstOf are the first n frames of a film, as many a second as a look is content with, and the recording that they are.
func firstOf(s storedFrames, n int) (firstFrames, gait.Recording) {
	rec := s.film.Recording
	every := max(1, int(*rec.FPS/lookFPS))
	fps := *rec.FPS / float64(every)
	rec.FPS = &fps
	return firstFrames{s, n, every}, rec
}

func (f firstFrames) Len() int { return (f.n + f.every - 1) / f.every }

func (f firstFrames) Frame(i int) (image.Image, error) { return f.storedFrames.Frame(i * f.every) }

// Brightness is that of a frame, nil where it is not at hand.
func (f firstFrames) Brightness(i int) *image.Gray { return f.storedFrames.Brightness(i * f.every) }

// glance reads the first frames of a film; what they do not tell, more may.
func (f *Films) glance(ctx context.Context, j *jobs.Job, tell func(done, total int)) error {
	var w glanceWork
	who := app.Actor{UserID: j.By, ShopID: j.ShopID}
	if err := json.Unmarshal(j.Args, &w); err != nil {
		return jobs.Final{Err: err}
	}
	film, err := f.Film(ctx, who, w.Film)
	if err != nil || film.State != Arriving && film.State != BeingRead {
		return err
	}
	first, rec := firstOf(storedFrames{ctx, f, who, film}, w.Frames)
	followed, err := gait.Follow(first, rec, func(done int) error {
		tell(done, first.Len())
		return ctx.Err()
	})
	h, wrong := houseOf(ctx, f.Store.Queries, who, film)
	if wrong != nil {
		return wrong
	}
	var r gait.Reading
	if err == nil {
		r, err = gait.Read(followed, rec, gait.Corrections{}, h)
	}
	set := db.SetRecordingGlanceParams{Glanced: int32(w.Frames), ID: film.ID, ShopID: who.ShopID}
	if _, faulty := fault.As(err); err != nil && !faulty {
		return err
	} else if err == nil {
		data, err := json.Marshal(summary(r.Answer))
		if err != nil {
			return jobs.Final{Err: err}
		}
		set.Glance = sql.NullString{String: string(data), Valid: true}
	}
	return f.Store.SetRecordingGlance(ctx, set)
}

// Glance is what is known of a film so far.
func (f *Films) Glance(ctx context.Context, who app.Actor, film Film) (Glance, error) {
	row, err := f.Store.RecordingGlance(ctx, db.RecordingGlanceParams{ID: film.ID, ShopID: who.ShopID})
	g := Glance{Film: film, Frames: int(row.Glanced)}
	if err != nil || !row.Glance.Valid {
		return g, app.Found(err)
	}
	g.Answer = &gait.Answer{}
	if err := json.Unmarshal([]byte(row.Glance.String), g.Answer); err != nil {
		return g, err
	}
	g.Enough = enough(g.Answer)
	return g, nil
}

// enough says whether more steps would make a film's figures hardly surer: what the steps differ by, over the root of
// their number, is small against the reading's own error.
func enough(a *gait.Answer) bool {
	for _, s := range term.Sides {
		of := a.Sides[s]
		if of == nil || of.PeakEversionDeg == nil || of.PeakEversionDeg.N < stepsOfALook || of.PeakEversionDeg.SD == nil {
			return false
		}
		if *of.PeakEversionDeg.SD/math.Sqrt(float64(of.PeakEversionDeg.N)) > surelyEnough*of.LevelSD() {
			return false
		}
	}
	return true
}
