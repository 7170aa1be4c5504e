// Package films is the films of a gait: they arrive frame by frame, are read beside the
// requests, put right by hand, and give stills for the card.
package films

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/jpeg"
	"slices"
	"strconv"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/visit"
	"trevik/internal/core/fault"
	"trevik/internal/core/gait"
	"trevik/internal/core/term"
	"trevik/internal/form"
	"trevik/internal/jobs"
	"trevik/internal/picture"
	"trevik/internal/record"
	"trevik/internal/recording"
	"trevik/internal/store/db"
)

// House values of films.
const (
	Seconds      = 20   // at most
	MostFrames   = 2400 // at most
	FrameBytes   = 2 << 20
	framePixels  = 1920 // the longest side
	quality      = 88   // of the JPEG that a frame is kept as
	mostUndo     = 60
	StillKind    = "still" // of a still among the pictures
	mostStills   = 4
	labelOff     = 0.05 // of the picture's width, that a still's angle stands off its foot
	readingTime  = 10 * time.Minute
	benchSeconds = 4
)

// NoDots says of a film that nobody stuck dots on.
const NoDots = "none"

// Fields describe a film before it is taken.
var Fields = []form.Field{
	{Name: "view", Label: "View", Kind: form.Choice, Choices: form.Words(gait.Views)},
	{Name: "gait", Label: "Pace", Kind: form.Choice, Choices: form.Words(gait.Motions)},
	{Name: "shod", Label: "Footwear", Kind: form.Text, Max: 80},
	{Name: "surface", Label: "Surface", Kind: form.Choice, Choices: gait.Surfaces},
	{Name: "near", Label: "Leg towards the camera", Kind: form.Choice, Choices: form.Words(term.Sides)},
	{Name: "dots", Label: "Colour of the dots", Kind: form.Choice, Choices: []string{"any", NoDots, "magenta", "orange", "green", "yellow",
		"blue"}},
	{Name: "speed_kmh", Label: "Speed", Kind: form.Number, Unit: form.KMH, Lo: 0.5, Hi: 45},
	{Name: "fps", Label: "Frames a second, if not the film's own", Kind: form.Number, Lo: gait.MinFPS, Hi: gait.MaxFPS},
	{Name: "keep", Label: "May we keep the film?", Kind: form.Choice, Choices: []string{"yes", "no"}},
}

// Films is that concern.
type Films struct {
	*app.Core
	Visits *visit.Visits
	Jobs   *jobs.Queue
	lately lately
}

// New makes the concern; its films are read by a queue.
func New(c *app.Core, v *visit.Visits, q *jobs.Queue) *Films {
	f := &Films{Core: c, Visits: v, Jobs: q}
	v.Reopened = f.catchUp
	q.Register(jobs.Kind{Name: readKind, Do: f.read, GivenUp: f.failed, Within: readingTime})
	q.Register(jobs.Kind{Name: glanceKind, Do: f.glance, Tries: 1, Within: readingTime})
	q.Register(jobs.Kind{Name: benchKind, Do: f.film, GivenUp: f.failed, Within: readingTime})
	return f
}

// State is how far a film has come.
type State string

const (
	Arriving  State = "arriving"
	BeingRead State = "reading"
	Ready     State = "ready"
	Failed    State = "failed"
)

// Film is a recording of a gait.
type Film struct {
	ID, FitID     uint64
	Number        int
	Recording     gait.Recording
	Frames        int
	Width, Height int
	State         State
	Note          string // why it failed
	Kept          bool
	FramesGone    bool
	Maker         string
	MadeAt        time.Time
	Working       bool // it is filmed by the bench or read just now
	Progress      int  // per cent of that
}

func (f Film) subject() string { return strconv.FormatUint(f.ID, 10) }

// Plain says whether the film shows the runner's own gait: barefoot or in a plain neutral
// shoe.
func (f Film) Plain() bool { return record.Plain(f.Recording.Shod) }

// ByHand says whether the film's dots were marked by hand.
func (f Film) ByHand() bool {
	_, told := f.Recording.Markers.(string)
	return !told
}

// Name is what a film is called: "run from behind, barefoot".
func (f Film) Name() string {
	return record.FilmName(f.Recording.Gait, f.Recording.View, f.Recording.Shod)
}

func filmOf(who app.Actor, r db.RecordingsOfRow) (Film, error) {
	f := Film{ID: r.ID, FitID: r.FitID, Number: int(r.Number), Frames: int(r.Frames), Width: int(r.Width), Height: int(r.Height),
		State: State(r.State), Note: r.Note,
		Kept: r.Kept, FramesGone: r.FramesGone, Maker: r.Maker, MadeAt: who.In(r.MadeAt)}
	if err := json.Unmarshal(r.Description, &f.Recording); err != nil {
		return f, fmt.Errorf("film %d: %w", r.ID, err)
	}
	return f, nil
}

// Of are the films of a fit, in order.
func (f *Films) Of(ctx context.Context, who app.Actor, fitID uint64) ([]Film, error) {
	rows, err := f.Store.RecordingsOf(ctx, db.RecordingsOfParams{FitID: fitID, ShopID: who.ShopID})
	if err != nil {
		return nil, err
	}
	var out []Film
	var subjects []string
	for _, r := range rows {
		film, err := filmOf(who, r)
		if err != nil {
			return nil, err
		}
		out = append(out, film)
		subjects = append(subjects, film.subject())
	}
	for _, kind := range []string{readKind, benchKind} {
		live, err := jobs.Live(ctx, f.Store.Queries, kind, subjects)
		if err != nil {
			return nil, err
		}
		for i := range out {
			if s, ok := live[out[i].subject()]; ok {
				out[i].Working, out[i].Progress = true, s.Percent()
			}
		}
	}
	return out, nil
}

// OfRunner are the runner's films of every visit that were read, newest first.
func (f *Films) OfRunner(ctx context.Context, who app.Actor, runnerID uint64) ([]Film, error) {
	rows, err := f.Store.RecordingsOfRunner(ctx, db.RecordingsOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
	if err != nil {
		return nil, err
	}
	var out []Film
	for _, r := range rows {
		film, err := filmOf(who, db.RecordingsOfRow(r))
		if err != nil {
			return nil, err
		}
		out = append(out, film)
	}
	return out, nil
}

// Film is one film of the person's shop.
func (f *Films) Film(ctx context.Context, who app.Actor, id uint64) (Film, error) {
	return filmIn(ctx, f.Store.Queries, who, id)
}

func filmIn(ctx context.Context, q *db.Queries, who app.Actor, id uint64) (Film, error) {
	r, err := q.RecordingByID(ctx, db.RecordingByIDParams{ID: id, ShopID: who.ShopID})
	if err != nil {
		return Film{}, app.Found(err)
	}
	return filmOf(who, db.RecordingsOfRow(r))
}

// ofFit is a film of an open fit in a transaction that changes it.
func (f *Films) ofFit(ctx context.Context, q *db.Queries, who app.Actor, fitID, id uint64) (Film, error) {
	if _, err := f.LockOpen(ctx, q, who, fitID); err != nil {
		return Film{}, err
	}
	if _, err := q.LockRecording(ctx, db.LockRecordingParams{ID: id, ShopID: who.ShopID}); err != nil {
		return Film{}, app.Found(err)
	}
	film, err := filmIn(ctx, q, who, id)
	if err == nil && film.FitID != fitID {
		err = app.ErrNotFound
	}
	return film, err
}

// check says what of a film's description or number of frames cannot be.
func check(rec gait.Recording, frames int) fault.List {
	var l fault.List
	if faults, ok := fault.As(rec.Check()); ok {
		l = append(l, faults...)
	}
	if frames < 2 || frames > MostFrames {
		l.Add("frames", "are %d; allowed are 2 to %d", frames, MostFrames)
	} else if rec.FPS != nil && float64(frames) > Seconds**rec.FPS+1 {
		l.Add("frames", "last %.1f s; allowed are up to %d s", float64(frames)/(*rec.FPS), Seconds)
	}
	return l
}

// Begin makes room for a film of so many frames, which then arrive. It fails with a fault.List
// when the description or the number cannot be.
func (f *Films) Begin(ctx context.Context, who app.Actor, fitID uint64, rec gait.Recording, frames int, keep bool) (Film, error) {
	return f.begin(ctx, who, fitID, rec, frames, keep, nil)
}

// begin is Begin; after does what else belongs to the same transaction.
func (f *Films) begin(ctx context.Context, who app.Actor, fitID uint64, rec gait.Recording, frames int, keep bool,
	after func(q *db.Queries, film Film) error) (Film, error) {
	l := check(rec, frames)
	description, err := json.Marshal(rec)
	if err != nil {
		return Film{}, err
	}
	result, err := f.Once(ctx, who, func(q *db.Queries) (string, error) {
		fit, err := f.Visits.Open(ctx, q, who, fitID)
		if err != nil {
			return "", err
		}
		if faults, ok := fault.As(fit.Runner.MayKeep("keep", keep)); ok {
			l = append(faults, l...)
		}
		if len(l) > 0 {
			return "", l
		}
		n, err := q.NextRecordingNumber(ctx, db.NextRecordingNumberParams{FitID: fitID, ShopID: who.ShopID})
		if err != nil {
			return "", err
		}
		if n > record.MostFilms {
			return "", fault.List{{Field: "film", Text: fmt.Sprintf("would be number %d of this fit; allowed are %d", n, record.MostFilms)}}
		}
		id, err := q.AddRecording(ctx, db.AddRecordingParams{ShopID: who.ShopID, FitID: fitID, Number: int32(n), Description: description,
			Frames: int32(frames), Kept: keep, MadeBy: who.UserID, MadeAt: f.Now()})
		if err == nil && after != nil {
			err = after(q, Film{ID: uint64(id), FitID: fitID})
		}
		return strconv.FormatInt(id, 10), err
	})
	if err != nil {
		return Film{}, err
	}
	id, err := strconv.ParseUint(result, 10, 64)
	if err != nil {
		return Film{}, err
	}
	return f.Film(ctx, who, id)
}

// Resume says anew how a film is to be read and whether it may be kept, whose frames have not
// all arrived. It fails with a fault.List like Begin, and where the film was begun with other
// frames.
func (f *Films) Resume(ctx context.Context, who app.Actor, fitID, id uint64, rec gait.Recording, frames int, keep bool) (Film, error) {
	l := check(rec, frames)
	description, err := json.Marshal(rec)
	if err != nil {
		return Film{}, err
	}
	err = f.Do(ctx, who, func(q *db.Queries) error {
		film, err := f.ofFit(ctx, q, who, fitID, id)
		if err != nil {
			return err
		}
		fit, err := f.Visits.Open(ctx, q, who, fitID)
		if err != nil {
			return err
		}
		if faults, ok := fault.As(fit.Runner.MayKeep("keep", keep)); ok {
			l = append(faults, l...)
		}
		if film.State != Arriving || film.Frames != frames {
			l.Add("film", "cannot go on: it was begun with %d frames and is %s", film.Frames, film.State)
		}
		if len(l) > 0 {
			return l
		}
		return q.ResumeRecording(ctx, db.ResumeRecordingParams{Description: description, Kept: keep, ID: id, ShopID: who.ShopID})
	})
	if err != nil {
		return Film{}, err
	}
	return f.Film(ctx, who, id)
}

// Piece is one frame of a film, by its number (JPEG).
type Piece struct {
	Number int
	Data   []byte
}

// AddFrames keeps some frames of a film that is arriving, all or none; the same frame may come again. It fails with a
// fault.List when one is no such picture. Once enough have arrived for a first look, they are read beside.
func (f *Films) AddFrames(ctx context.Context, who app.Actor, film Film, pieces []Piece) error {
	if film.State != Arriving {
		return fault.List{{Field: "frames", Text: "come too late: the film is " + string(film.State)}}
	}
	for _, p := range pieces {
		field := "frames." + strconv.Itoa(p.Number)
		if p.Number < 0 || p.Number >= film.Frames {
			return fault.List{{Field: field, Text: fmt.Sprintf("is no frame of this film; allowed are 0 to %d", film.Frames-1)}}
		}
		if len(p.Data) > FrameBytes {
			return fault.List{{Field: field, Text: fmt.Sprintf("is larger than %d MiB", FrameBytes>>20)}}
		}
		config, err := jpeg.DecodeConfig(bytes.NewReader(p.Data))
		if err != nil || max(config.Width, config.Height) > framePixels {
			return fault.List{{Field: field, Text: fmt.Sprintf("is no JPEG of up to %d pixels a side", framePixels)}}
		}
	}
	var seen map[int]*image.Gray
	if film.Recording.Markers == gait.NoMarkers {
		seen = brightness(pieces)
	}
	wake := false
	err := f.Store.Tx(ctx, func(q *db.Queries) error {
		for _, p := range pieces {
			if err := q.PutFrame(ctx, db.PutFrameParams{RecordingID: film.ID, Number: int32(p.Number), Data: p.Data}); err != nil {
				return err
			}
		}
		var err error
		wake, err = f.toGlance(ctx, q, who, film)
		return err
	})
	if err == nil && seen != nil {
		f.lately.keep(film.ID, seen)
	}
	if wake {
		f.Jobs.Wake()
	}
	return err
}

// Missing are the frames of a film that have not arrived.
func (f *Films) Missing(ctx context.Context, film Film) ([]int, error) {
	have, err := f.Store.FrameNumbers(ctx, film.ID)
	if err != nil {
		return nil, err
	}
	missing := []int{}
	for i := range film.Frames {
		if _, ok := slices.BinarySearch(have, int32(i)); !ok {
			missing = append(missing, i)
		}
	}
	return missing, nil
}

// Finish says that all has arrived: the film is read, beside other work. Fewer frames than it was begun with cut it there:
// the camera was stopped.
func (f *Films) Finish(ctx context.Context, who app.Actor, fitID, id uint64, frames int) error {
	err := f.Do(ctx, who, func(q *db.Queries) error {
		film, err := f.ofFit(ctx, q, who, fitID, id)
		if err != nil || film.State != Arriving {
			return err // sent twice
		}
		if frames > 0 && frames < film.Frames {
			if l := check(film.Recording, frames); len(l) > 0 {
				return l
			}
			if err := q.CutRecording(ctx, db.CutRecordingParams{Frames: int32(frames), ID: id, ShopID: who.ShopID}); err != nil {
				return err
			}
			if err := q.DeleteFramesFrom(ctx, db.DeleteFramesFromParams{RecordingID: id, Number: int32(frames)}); err != nil {
				return err
			}
		}
		return f.toRead(ctx, q, who, film)
	})
	f.Jobs.Wake()
	return err
}

// toRead puts a film's reading down among the work.
func (f *Films) toRead(ctx context.Context, q *db.Queries, who app.Actor, film Film) error {
	if err := q.SetRecordingState(ctx, db.SetRecordingStateParams{State: string(BeingRead), ID: film.ID, ShopID: who.ShopID}); err != nil {
		return err
	}
	return jobs.Add(ctx, q, jobs.Job{ShopID: who.ShopID, Kind: readKind, Subject: film.subject(), By: who.UserID}, work{Film: film.ID})
}

// AddFile takes a film as a zip archive of frames.
func (f *Films) AddFile(ctx context.Context, who app.Actor, fitID uint64, from *recording.Film, keep bool) (Film, error) {
	film, err := f.Begin(ctx, who, fitID, from.Recording, from.Len(), keep)
	if err != nil || film.State != Arriving {
		return film, err
	}
	for i := range from.Len() {
		data, err := frameData(from, i)
		if err != nil {
			continue // a broken frame among good ones is missing
		}
		if err := f.AddFrames(ctx, who, film, []Piece{{i, data}}); err != nil {
			if _, faulty := fault.As(err); !faulty {
				return film, err
			}
		}
	}
	who.Form.Token = "" // its token was spent on beginning
	return film, f.Finish(ctx, who, fitID, film.ID, 0)
}

// frameData is a frame as JPEG.
func frameData(from *recording.Film, i int) ([]byte, error) {
	data, err := from.Data(i)
	if err != nil || bytes.HasPrefix(data, []byte("\xff\xd8\xff")) {
		return data, err
	}
	p, err := picture.Open("frame", data)
	if err != nil {
		return nil, err
	}
	return encode(p.Image)
}

// FrameShown is a frame of a film, or where it is missing the last one before it (JPEG).
func (f *Films) FrameShown(ctx context.Context, who app.Actor, id uint64, number int) ([]byte, error) {
	data, err := f.Store.FrameShown(ctx, db.FrameShownParams{RecordingID: id, Number: int32(number), ShopID: who.ShopID})
	return data, app.Found(err)
}

// FrameData is one frame of a film (JPEG).
func (f *Films) FrameData(ctx context.Context, who app.Actor, id uint64, number int) ([]byte, error) {
	data, err := f.Store.FrameData(ctx, db.FrameDataParams{RecordingID: id, Number: int32(number), ShopID: who.ShopID})
	return data, app.Found(err)
}
