package films

import (
	"context"
	"encoding/json"
	"maps"
	"slices"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/visit"
	"trevik/internal/core/fault"
	"trevik/internal/core/gait"
	"trevik/internal/core/term"
	"trevik/internal/jobs"
	"trevik/internal/store/db"
)

// keptCorrections are those that hold and, for undo, those before them.
type keptCorrections struct {
	gait.Corrections
	Before []gait.Corrections `json:"before,omitempty"`
}

// Reading reads a film's kept paths with what was put right by hand.
func (f *Films) Reading(ctx context.Context, who app.Actor, film Film) (gait.Reading, error) {
	return reading(ctx, f.Store.Queries, who, film)
}

func reading(ctx context.Context, q *db.Queries, who app.Actor, film Film) (gait.Reading, error) {
	followed, fix, err := paths(ctx, q, who, film)
	if err != nil {
		return gait.Reading{}, err
	}
	h, err := houseOf(ctx, q, who, film)
	if err != nil {
		return gait.Reading{}, err
	}
	return gait.Read(followed, film.Recording, fix.Corrections, h)
}

// paths are what was followed in a film, and what was put right by hand.
func paths(ctx context.Context, q *db.Queries, who app.Actor, film Film) (followed gait.Followed, fix keptCorrections, err error) {
	row, err := q.RecordingPaths(ctx, db.RecordingPathsParams{ID: film.ID, ShopID: who.ShopID})
	if err != nil {
		return followed, fix, app.Found(err)
	}
	if !row.Followed.Valid {
		return followed, fix, fault.List{{Field: "film", Text: "was not read yet, or could not be; mark it by hand"}}
	}
	if err := json.Unmarshal([]byte(row.Followed.String), &followed); err != nil {
		return followed, fix, err
	}
	return followed, fix, json.Unmarshal(row.Corrections, &fix)
}

// Correct puts a film's reading right by hand: change alters what was put right so far; undo
// takes the last change back instead. It fails with a fault.List, and changes nothing, when
// that leaves no step.
func (f *Films) Correct(ctx context.Context, who app.Actor, fitID, id uint64, undo bool,
	change func(*gait.Corrections) error) (gait.Reading, error) {
	var r gait.Reading
	err := f.Do(ctx, who, func(q *db.Queries) error {
		film, err := f.ofFit(ctx, q, who, fitID, id)
		if err != nil {
			return err
		}
		followed, fix, err := paths(ctx, q, who, film)
		if err != nil {
			return err
		}
		h, err := houseOf(ctx, q, who, film)
		if err != nil {
			return err
		}
		if undo {
			if len(fix.Before) == 0 {
				return nil
			}
			last := len(fix.Before) - 1
			fix.Corrections, fix.Before = fix.Before[last], fix.Before[:last]
		} else {
			was := cloned(fix.Corrections)
			if err := change(&fix.Corrections); err != nil {
				return err
			}
			fix.Before = append(fix.Before, was)
			if len(fix.Before) > mostUndo {
				fix.Before = fix.Before[1:]
			}
		}
		if r, err = gait.Read(followed, film.Recording, fix.Corrections, h); err != nil {
			return err
		}
		data, err := json.Marshal(fix)
		if err != nil {
			return err
		}
		if err := q.SetRecordingCorrections(ctx, db.SetRecordingCorrectionsParams{Corrections: data, ID: id, ShopID: who.ShopID}); err != nil {
			return err
		}
		return f.keep(ctx, q, who, film, r)
	})
	return r, err
}

func cloned(c gait.Corrections) gait.Corrections {
	return gait.Corrections{Marks: slices.Clone(c.Marks), Contacts: slices.Clone(c.Contacts), Dropped: slices.Clone(c.Dropped),
		Level: maps.Clone(c.Level)}
}

// Mark follows a film anew from dots that were marked by hand on key frames, or finds them by
// itself again when there are no marks.
func (f *Films) Mark(ctx context.Context, who app.Actor, fitID, id uint64, marks []gait.HandMark) error {
	by := map[term.Side]map[string][][3]float64{}
	for _, m := range marks {
		if by[m.Side] == nil {
			by[m.Side] = map[string][][3]float64{}
		}
		by[m.Side][m.Dot] = append(by[m.Side][m.Dot], [3]float64{float64(m.Frame), m.X, m.Y})
	}
	err := f.Do(ctx, who, func(q *db.Queries) error {
		film, err := f.ofFit(ctx, q, who, fitID, id)
		if err != nil {
			return err
		}
		if film.FramesGone || film.State != Ready && film.State != Failed {
			return fault.List{{Field: "marks", Text: "come too late or too soon: the film's frames are not at hand"}}
		}
		if err := (gait.Corrections{Marks: marks}).Check(film.Recording.View, film.Frames); err != nil {
			return err
		}
		film.Recording.Markers = by
		if len(by) == 0 {
			film.Recording.Markers = gait.AutoMarkers
		}
		description, err := json.Marshal(film.Recording)
		if err != nil {
			return err
		}
		if film.Recording, err = gait.ParseRecording(description); err != nil {
			return err
		}
		if err := q.SetRecordingDescription(ctx, db.SetRecordingDescriptionParams{Description: description, ID: id,
			ShopID: who.ShopID}); err != nil {
			return err
		}
		return f.toRead(ctx, q, who, film)
	})
	f.Jobs.Wake()
	return err
}

// The mean pictures of a film without dots are kept among its frames, and go with them.
var meanNumber = map[term.Side]int{term.Left: -1, term.Right: -2}

func keepMeans(ctx context.Context, q *db.Queries, film Film, followed gait.Followed) error {
	if followed.Outline == nil {
		return nil
	}
	for side, m := range followed.Outline.Means {
		data, err := encode(m.Image)
		if err == nil {
			err = q.PutFrame(ctx, db.PutFrameParams{RecordingID: film.ID, Number: int32(meanNumber[side]), Data: data})
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// MeanData is the mean picture of a leg of a film without dots (JPEG).
func (f *Films) MeanData(ctx context.Context, who app.Actor, id uint64, side term.Side) ([]byte, error) {
	return f.FrameData(ctx, who, id, meanNumber[side])
}

// LevelSide is a leg whose level may be set by a hand, or was.
type LevelSide struct {
	Side term.Side
	Mean *gait.MeanPicture
	Now  [4]gait.Point // px of its mean picture: as a hand set them, else as read
}

// Level is what a hand may set the level of a film without dots by.
type Level struct {
	Sides  []LevelSide
	Taken  bool // it was set, all of it
	Others []LevelFrom
}

// LevelFrom is a film of the same runner, day and shoe whose level was set: what it says may be taken over.
type LevelFrom struct {
	Film Film
	Off  map[term.Side]float64
}

// LevelOf is the level of a film that was read without dots and not by points on its frames; ok is false for others.
func (f *Films) LevelOf(ctx context.Context, who app.Actor, film Film, others []Film) (out Level, ok bool, err error) {
	followed, fix, err := paths(ctx, f.Store.Queries, who, film)
	if err != nil || followed.Outline == nil || followed.Outline.Calibrated {
		return out, false, err
	}
	out.Taken = true
	for _, side := range term.Sides {
		mean := followed.Outline.Means[side]
		if mean == nil {
			continue
		}
		s := LevelSide{Side: side, Mean: mean, Now: mean.Points}
		if m, set := fix.Level[side]; set {
			if m.Points != nil {
				s.Now = *m.Points
			}
		} else {
			out.Taken = false
		}
		out.Sides = append(out.Sides, s)
	}
	for _, o := range others {
		if o.ID == film.ID || o.Recording.Shod != film.Recording.Shod || o.MadeAt.Format(time.DateOnly) != film.MadeAt.Format(time.DateOnly) {
			continue
		}
		its, itsFix, err := paths(ctx, f.Store.Queries, who, o)
		if err != nil {
			return out, false, err
		}
		if its.Outline == nil || len(itsFix.Level) == 0 {
			continue
		}
		from := LevelFrom{Film: o, Off: map[term.Side]float64{}}
		for side, m := range itsFix.Level {
			if deg, ok := its.Outline.Off(side, m); ok {
				from.Off[side] = deg
			}
		}
		out.Others = append(out.Others, from)
	}
	return out, len(out.Sides) > 0, nil
}

// Delete removes a film's frames: the numbers stay, and stills that were put on the card until
// they are taken off it.
func (f *Films) Delete(ctx context.Context, who app.Actor, fitID, id uint64) error {
	return f.Do(ctx, who, func(q *db.Queries) error {
		film, err := filmIn(ctx, q, who, id)
		if err == nil && film.FitID != fitID {
			err = app.ErrNotFound
		}
		if err != nil {
			return err
		}
		f.lately.drop(id)
		return Drop(ctx, q, id)
	})
}

// Drop ends what is done with a film and deletes its frames.
func Drop(ctx context.Context, q *db.Queries, id uint64) error {
	for _, kind := range []string{readKind, benchKind, glanceKind} {
		if err := jobs.Cancel(ctx, q, kind, Film{ID: id}.subject()); err != nil {
			return err
		}
	}
	return visit.DropFrames(ctx, q, id)
}
