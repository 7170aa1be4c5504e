package app

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"math"
	"slices"
	"strconv"
	"sync"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/gait"
	"trevik/internal/core/house"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/device"
	"trevik/internal/picture"
	"trevik/internal/recording"
	"trevik/internal/store/db"
)

// House values of films.
const (
	FilmSeconds   = 20   // at most
	FilmFrames    = 2400 // at most
	FrameBytes    = 2 << 20
	framePixels   = 1920 // the longest side
	filmQuality   = 88   // of the JPEG that a frame is kept as
	mostFilms     = 12   // a fit
	mostUndo      = 60
	stillKind     = "still"
	mostStills    = 4
	labelOff      = 0.05 // of the picture's width, that a still's angle stands off its foot
	readingTime   = 10 * time.Minute
	benchSeconds  = 4
	filmFieldName = "film"
)

// FilmState is how far a film has come.
type FilmState string

const (
	FilmArriving  FilmState = "arriving"
	FilmBeingRead FilmState = "reading"
	FilmReady     FilmState = "ready"
	FilmFailed    FilmState = "failed"
)

// What was worn in a film that is read for the runner's own gait; any other text is
// a shoe whose film tells what it changes.
const (
	Barefoot = "barefoot"
	TestShoe = "test shoe"
)

// Film is a recording of a gait.
type Film struct {
	ID, FitID     uint64
	Number        int
	Recording     gait.Recording
	Frames        int
	Width, Height int
	State         FilmState
	Note          string // why it failed
	Kept          bool
	FramesGone    bool
	Maker         string
	MadeAt        time.Time
	Working       bool // it is filmed by the bench or read just now
	Progress      int  // per cent of that
}

// Plain says whether the film shows the runner's own gait: barefoot or in a plain
// neutral shoe.
func (f Film) Plain() bool { return plain(f.Recording.Shod) }

func plain(shod string) bool { return shod == "" || shod == Barefoot || shod == TestShoe }

// ByHand says whether the film's dots were marked by hand.
func (f Film) ByHand() bool { return f.Recording.Markers != "auto" }

// Name is what a film is called: "run from behind, barefoot".
func (f Film) Name() string { return filmName(f.Recording.Gait, f.Recording.View, f.Recording.Shod) }

func filmName(m gait.Motion, v gait.View, shod string) string {
	name := string(m) + map[gait.View]string{gait.Rear: " from behind", gait.Side: " from the side", gait.Front: " from the front"}[v]
	switch shod {
	case "":
		return name
	case Barefoot:
		return name + ", barefoot"
	case TestShoe:
		return name + ", in a plain shoe"
	}
	return name + ", in " + shod
}

var filmField = Field{Name: filmFieldName, Label: "Film", Kind: Text, Max: 2000, How: "film"}

// FilmReading is what a film was read as, without steps, curves and paths.
type FilmReading struct {
	Number int
	gait.Answer
	Finding Finding
}

// Name is what the film is called.
func (r FilmReading) Name() string { return filmName(r.Gait, r.View, r.Shod) }

// FilmReadings are the readings of the fit's films, in their order.
func (f *Fit) FilmReadings() []FilmReading {
	var out []FilmReading
	for k, found := range f.Findings {
		if k.Name != filmFieldName || found.Text == "" {
			continue
		}
		r := FilmReading{Number: k.Repeat, Finding: found}
		if json.Unmarshal([]byte(found.Text), &r.Answer) == nil {
			out = append(out, r)
		}
	}
	slices.SortFunc(out, func(a, b FilmReading) int { return a.Number - b.Number })
	return out
}

// bestFilm is the film that counts for a side in a view: one of the runner's own gait
// before one in another shoe, a run before a walk, the later before the earlier.
func (f *Fit) bestFilm(v gait.View, s term.Side) *FilmReading {
	rank := func(r FilmReading) int {
		n := 0
		if plain(r.Shod) {
			n += 2
		}
		if r.Gait == gait.Run {
			n++
		}
		return n
	}
	var best *FilmReading
	for _, r := range f.FilmReadings() {
		if r.View == v && r.Sides[s] != nil && (best == nil || rank(r) >= rank(*best)) {
			best = &r
		}
	}
	return best
}

// GaitFilm is the film that counts for a side's rolling in; nil without one.
func (f *Fit) GaitFilm(s term.Side) *FilmReading { return f.bestFilm(gait.Rear, s) }

// gaitOf is the evidence of a side's rolling in: a film before the eye.
func (f *Fit) gaitOf(s term.Side) *support.Gait {
	if r := f.GaitFilm(s); r != nil {
		p := *r.Sides[s].BandProbability
		return &support.Gait{BandProbability: &p, Source: term.Source(r.Gait)}
	}
	if b, sure := f.Text("band", s, 0), f.Text("band_sure", s, 0); b != "" && sure != "" {
		return &support.Gait{Band: term.Band(b), Certainty: term.Certainty(sure), Source: term.ByEye}
	}
	return nil
}

// Band is a side's most probable band, by film or by eye; empty when not seen.
func (f *Fit) Band(s term.Side) term.Band {
	if r := f.GaitFilm(s); r != nil {
		return r.Sides[s].Band
	}
	return term.Band(f.Text("band", s, 0))
}

// PeakOf is a side's mean peak eversion on film, degrees; nil without a film from behind.
func (f *Fit) PeakOf(s term.Side) *float64 {
	if r := f.GaitFilm(s); r != nil && r.Sides[s].PeakEversionDeg != nil {
		return r.Sides[s].PeakEversionDeg.Mean
	}
	return nil
}

// KneeIn is how far a side's knee goes inward on film, degrees; nil without a film
// from the front.
func (f *Fit) KneeIn(s term.Side) *float64 {
	if r := f.bestFilm(gait.Front, s); r != nil && r.Sides[s].KneeInDeg != nil {
		return r.Sides[s].KneeInDeg.Mean
	}
	return nil
}

// Strike is which part of the foot lands first: by a film from the side, else by eye.
func (f *Fit) Strike() term.Strike {
	for _, s := range term.Sides {
		if r := f.bestFilm(gait.Side, s); r != nil && r.Sides[s].Strike != "" {
			return r.Sides[s].Strike
		}
	}
	return term.Strike(f.Text("strike", "", 0))
}

// FilmChange is what a shoe changed on one side against the runner's own gait.
type FilmChange struct {
	Shod  string
	Side  term.Side
	Value gait.Change
}

// FilmChanges compares each film in a shoe with the one of the runner's own gait in
// the same motion.
func (f *Fit) FilmChanges() []FilmChange {
	all := f.FilmReadings()
	var out []FilmChange
	for _, r := range all {
		if r.View != gait.Rear || plain(r.Shod) {
			continue
		}
		for _, s := range term.Sides {
			var own *FilmReading
			for _, o := range all {
				if o.View == gait.Rear && o.Gait == r.Gait && plain(o.Shod) && o.Sides[s] != nil {
					own = &o
				}
			}
			if own == nil || r.Sides[s] == nil {
				continue
			}
			if c, ok := gait.ChangeOf(r.Sides[s].PeakEversionDeg, own.Sides[s].PeakEversionDeg); ok {
				out = append(out, FilmChange{r.Shod, s, c})
			}
		}
	}
	return out
}

func (a *App) filmOf(r db.RecordingsOfRow) (Film, error) {
	f := Film{ID: r.ID, FitID: r.FitID, Number: int(r.Number), Frames: int(r.Frames), Width: int(r.Width), Height: int(r.Height), State: FilmState(r.State), Note: r.Note,
		Kept: r.Kept, FramesGone: r.FramesGone, Maker: r.Maker, MadeAt: r.MadeAt}
	f.Progress, f.Working = a.films.progress(r.ID)
	return f, json.Unmarshal(r.Description, &f.Recording)
}

// Films of a fit, in order. One whose reading was cut off is taken up again.
func (a *App) Films(ctx context.Context, who Actor, fitID uint64) ([]Film, error) {
	rows, err := a.store.RecordingsOf(ctx, db.RecordingsOfParams{FitID: fitID, ShopID: who.ShopID})
	if err != nil {
		return nil, err
	}
	var out []Film
	for _, r := range rows {
		f, err := a.filmOf(r)
		if err != nil {
			return nil, err
		}
		if f.State == FilmBeingRead {
			a.startReading(who, f)
		}
		out = append(out, f)
	}
	return out, nil
}

// FilmsOfRunner are the runner's films of every visit that were read, newest first.
func (a *App) FilmsOfRunner(ctx context.Context, who Actor, runnerID uint64) ([]Film, error) {
	rows, err := a.store.RecordingsOfRunner(ctx, db.RecordingsOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
	if err != nil {
		return nil, err
	}
	var out []Film
	for _, r := range rows {
		f, err := a.filmOf(db.RecordingsOfRow(r))
		if err != nil {
			return nil, err
		}
		out = append(out, f)
	}
	return out, nil
}

// Film is one film of the person's shop.
func (a *App) Film(ctx context.Context, who Actor, id uint64) (Film, error) {
	r, err := a.store.RecordingByID(ctx, db.RecordingByIDParams{ID: id, ShopID: who.ShopID})
	if err != nil {
		return Film{}, found(err)
	}
	return a.filmOf(db.RecordingsOfRow(r))
}

// filmOfFit is a film, when it is of that fit.
func (a *App) filmOfFit(ctx context.Context, who Actor, fitID, id uint64) (Film, error) {
	f, err := a.Film(ctx, who, id)
	if err == nil && f.FitID != fitID {
		err = ErrNotFound
	}
	return f, err
}

// BeginFilm makes room for a film of so many frames, which then arrive. It fails
// with a fault.List when the description or the number cannot be.
func (a *App) BeginFilm(ctx context.Context, who Actor, fitID uint64, rec gait.Recording, frames int, keep bool) (Film, error) {
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return Film{}, err
	}
	var l fault.List
	if faults, ok := fault.As(fit.checkKeep("keep", keep)); ok {
		l = append(l, faults...)
	}
	if faults, ok := fault.As(rec.Check()); ok {
		l = append(l, faults...)
	}
	if frames < 2 || frames > FilmFrames {
		l.Add("frames", "are %d; allowed are 2 to %d", frames, FilmFrames)
	} else if rec.FPS != nil && float64(frames) > FilmSeconds**rec.FPS+1 {
		l.Add("frames", "last %.1f s; allowed are up to %d s", float64(frames)/(*rec.FPS), FilmSeconds)
	}
	if err := l.Err(); err != nil {
		return Film{}, err
	}
	description, err := json.Marshal(rec)
	if err != nil {
		return Film{}, err
	}
	var id int64
	err = a.store.Tx(ctx, func(q *db.Queries) error {
		if err := a.lockOpen(ctx, q, who, fitID); err != nil {
			return err
		}
		n, err := q.NextRecordingNumber(ctx, db.NextRecordingNumberParams{FitID: fitID, ShopID: who.ShopID})
		if err != nil {
			return err
		}
		if n > mostFilms {
			return fault.List{{Field: "film", Text: fmt.Sprintf("would be number %d of this fit; allowed are %d", n, mostFilms)}}
		}
		id, err = q.AddRecording(ctx, db.AddRecordingParams{ShopID: who.ShopID, FitID: fitID, Number: int32(n), Description: description, Frames: int32(frames), Kept: keep, MadeBy: who.UserID, MadeAt: a.Now()})
		return err
	})
	if err != nil {
		return Film{}, err
	}
	return a.Film(ctx, who, uint64(id))
}

// AddFrame keeps one frame (JPEG) of a film that is arriving; the same frame may
// come again. It fails with a fault.List when it is no such picture.
func (a *App) AddFrame(ctx context.Context, film Film, number int, data []byte) error {
	field := "frames." + strconv.Itoa(number)
	if film.State != FilmArriving {
		return fault.List{{Field: field, Text: "comes too late: the film is " + string(film.State)}}
	}
	if number < 0 || number >= film.Frames {
		return fault.List{{Field: field, Text: fmt.Sprintf("is no frame of this film; allowed are 0 to %d", film.Frames-1)}}
	}
	if len(data) > FrameBytes {
		return fault.List{{Field: field, Text: fmt.Sprintf("is larger than %d MiB", FrameBytes>>20)}}
	}
	config, err := jpeg.DecodeConfig(bytes.NewReader(data))
	if err != nil || max(config.Width, config.Height) > framePixels {
		return fault.List{{Field: field, Text: fmt.Sprintf("is no JPEG of up to %d pixels a side", framePixels)}}
	}
	return a.store.PutFrame(ctx, db.PutFrameParams{RecordingID: film.ID, Number: int32(number), Data: data})
}

// MissingFrames are the frames of a film that have not arrived.
func (a *App) MissingFrames(ctx context.Context, film Film) ([]int, error) {
	have, err := a.store.FrameNumbers(ctx, film.ID)
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

// FinishFilm says that all has arrived: the film is read, beside other work.
func (a *App) FinishFilm(ctx context.Context, who Actor, fitID, id uint64) error {
	film, err := a.filmOfFit(ctx, who, fitID, id)
	if err != nil || film.State != FilmArriving {
		return err // sent twice
	}
	err = a.store.Tx(ctx, func(q *db.Queries) error {
		if err := a.lockOpen(ctx, q, who, fitID); err != nil {
			return err
		}
		return q.SetRecordingState(ctx, db.SetRecordingStateParams{State: string(FilmBeingRead), ID: id, ShopID: who.ShopID})
	})
	if err == nil {
		film.State = FilmBeingRead
		a.startReading(who, film)
	}
	return err
}

// AddFilmFile takes a film as a zip archive of frames.
func (a *App) AddFilmFile(ctx context.Context, who Actor, fitID uint64, from *recording.Film, keep bool) (Film, error) {
	film, err := a.BeginFilm(ctx, who, fitID, from.Recording, from.Len(), keep)
	if err != nil {
		return film, err
	}
	for i := range from.Len() {
		data, err := frameData(from, i)
		if err != nil {
			continue // a broken frame among good ones is missing
		}
		if err := a.AddFrame(ctx, film, i, data); err != nil {
			if _, faulty := fault.As(err); !faulty {
				return film, err
			}
		}
	}
	return film, a.FinishFilm(ctx, who, fitID, film.ID)
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
	return encodeFrame(p.Image)
}

func encodeFrame(img image.Image) ([]byte, error) {
	var b bytes.Buffer
	err := jpeg.Encode(&b, img, &jpeg.Options{Quality: filmQuality})
	return b.Bytes(), err
}

// middleOf a band, degrees, for an invented runner who was seen by eye.
var middleOf = map[term.Band]float64{term.BandUnder: 1.5, term.BandNeutral: 6.5, term.BandMild: 10.5, term.BandMarked: 13.5, term.BandSevere: 17}

// steadies is how much less the invented runner rolls in in a shoe of a level, degrees.
var steadies = map[term.Level]float64{term.Guidance: 1.5, term.Stability: 3.5, term.MotionControl: 5.5}

// BenchFilm lets the camera on the bench, a stand-in, film an invented runner in the
// fit's place.
func (a *App) BenchFilm(ctx context.Context, who Actor, fit *Fit, rec gait.Recording, keep bool) (Film, error) {
	o := device.TreadmillOptions{Seed: 70 + fit.Runner.ID, View: rec.View, Gait: rec.Gait, Seconds: benchSeconds, Width: 480, Height: 360, Shod: rec.Shod, Barefoot: rec.Shod == Barefoot, Near: rec.Near, Peak: map[term.Side]float64{}}
	catalogue, err := a.Catalogue(ctx, who)
	if err != nil {
		return Film{}, err
	}
	less := 0.0
	for i := range catalogue.Models {
		if m := &catalogue.Models[i]; ModelName(m) == rec.Shod {
			less = steadies[m.Level]
		}
	}
	for _, s := range term.Sides {
		if middle, ok := middleOf[term.Band(fit.Text("band", s, 0))]; ok {
			o.Peak[s] = middle - less
		} else if less > 0 {
			o.Peak[s] = 8 - less
		}
	}
	m, err := device.NewTreadmill(o)
	if err != nil {
		return Film{}, err
	}
	film, err := a.BeginFilm(ctx, who, fit.ID, m.Recording(), m.Len(), keep)
	if err != nil {
		return film, err
	}
	a.films.run(film.ID, func(ctx context.Context, tell func(int)) {
		for i := range m.Len() {
			tell(40 * i / m.Len())
			img, err := m.Frame(i)
			var data []byte
			if err == nil {
				data, err = encodeFrame(img)
			}
			if err == nil {
				err = a.AddFrame(ctx, film, i, data)
			}
			if err != nil {
				a.failFilm(ctx, who, film, err)
				return
			}
		}
		if err := a.store.SetRecordingState(ctx, db.SetRecordingStateParams{State: string(FilmBeingRead), ID: film.ID, ShopID: who.ShopID}); err == nil {
			a.readFilm(ctx, who, film, func(p int) { tell(40 + 60*p/100) })
		}
	})
	return film, nil
}

// storedFrames is a film in the database as gait reads it.
type storedFrames struct {
	ctx  context.Context
	app  *App
	shop uint64
	film Film
}

func (s storedFrames) Len() int { return s.film.Frames }

func (s storedFrames) Frame(i int) (image.Image, error) {
	data, err := s.app.store.FrameData(s.ctx, db.FrameDataParams{RecordingID: s.film.ID, Number: int32(i), ShopID: s.shop})
	if err != nil {
		return nil, err
	}
	return jpeg.Decode(bytes.NewReader(data))
}

// FrameData is one frame of a film (JPEG).
func (a *App) FrameData(ctx context.Context, who Actor, id uint64, number int) ([]byte, error) {
	data, err := a.store.FrameData(ctx, db.FrameDataParams{RecordingID: id, Number: int32(number), ShopID: who.ShopID})
	return data, found(err)
}

func (a *App) startReading(who Actor, film Film) {
	a.films.run(film.ID, func(ctx context.Context, tell func(int)) { a.readFilm(ctx, who, film, tell) })
}

// houseOf is the house values that a film is read by: those of when it was taken.
func (a *App) houseOf(ctx context.Context, who Actor, film Film) (*house.Values, error) {
	s, _, err := a.settingsAt(ctx, who, film.MadeAt)
	return &s.House, err
}

// readFilm follows the dots of a film and records what was read.
func (a *App) readFilm(ctx context.Context, who Actor, film Film, tell func(int)) {
	followed, err := gait.Follow(storedFrames{ctx, a, who.ShopID, film}, film.Recording, func(done int) error {
		tell(100 * done / film.Frames)
		return ctx.Err()
	})
	var r gait.Reading
	var h *house.Values
	if err == nil {
		h, err = a.houseOf(ctx, who, film)
	}
	if err == nil {
		r, err = gait.Read(followed, film.Recording, gait.Corrections{}, h)
	}
	if err != nil {
		a.failFilm(ctx, who, film, err)
		return
	}
	data, err := json.Marshal(followed)
	if err == nil {
		err = a.store.SetRecordingFollowed(ctx, db.SetRecordingFollowedParams{Followed: sql.NullString{String: string(data), Valid: true}, Width: int32(followed.Width), Height: int32(followed.Height), ID: film.ID, ShopID: who.ShopID})
	}
	if err == nil {
		err = a.recordFilm(ctx, who, film, r)
	}
	if err != nil && !errors.Is(err, ErrClosed) {
		a.failFilm(ctx, who, film, err)
	}
}

// failFilm says in words why a film could not be read. Work that was stopped is left
// to be taken up again.
func (a *App) failFilm(ctx context.Context, who Actor, film Film, err error) {
	if ctx.Err() != nil {
		return
	}
	note := "Trevik failed on this film; film it again"
	if faults, ok := fault.As(err); ok {
		note = faults.Error()
	}
	if len(note) > 1000 {
		note = note[:1000]
	}
	// Should this fail too, the film stays as being read and is taken up again.
	_ = a.store.SetRecordingState(ctx, db.SetRecordingStateParams{State: string(FilmFailed), Note: note, ID: film.ID, ShopID: who.ShopID})
}

// recordFilm keeps a reading's summary as a finding.
func (a *App) recordFilm(ctx context.Context, who Actor, film Film, r gait.Reading) error {
	s := r.Answer
	s.Markers, s.Warnings = nil, nil
	s.Sides = map[term.Side]*gait.SideReading{}
	for side, of := range r.Answer.Sides {
		if of != nil {
			c := *of
			c.Steps, c.CurveDeg = nil, nil
			of = &c
		}
		s.Sides[side] = of
	}
	data, err := json.Marshal(s)
	if err != nil {
		return err
	}
	_, err = a.Record(ctx, who, film.FitID, []Value{{Key: Key{filmFieldName, "", film.Number}, Field: filmField, Text: string(data)}})
	return err
}

// keptCorrections are those that hold and, for undo, those before them.
type keptCorrections struct {
	gait.Corrections
	Before []gait.Corrections `json:"before,omitempty"`
}

// FilmReading reads a film's kept paths with what was put right by hand.
func (a *App) FilmReading(ctx context.Context, who Actor, film Film) (gait.Reading, error) {
	r, _, err := a.followedFilm(ctx, who, film)
	return r, err
}

func (a *App) followedFilm(ctx context.Context, who Actor, film Film) (gait.Reading, gait.Followed, error) {
	row, err := a.store.RecordingPaths(ctx, db.RecordingPathsParams{ID: film.ID, ShopID: who.ShopID})
	if err != nil {
		return gait.Reading{}, gait.Followed{}, found(err)
	}
	var followed gait.Followed
	var fix keptCorrections
	if err := json.Unmarshal([]byte(row.Followed.String), &followed); err != nil {
		return gait.Reading{}, followed, err
	}
	if err := json.Unmarshal(row.Corrections, &fix); err != nil {
		return gait.Reading{}, followed, err
	}
	h, err := a.houseOf(ctx, who, film)
	if err != nil {
		return gait.Reading{}, followed, err
	}
	r, err := gait.Read(followed, film.Recording, fix.Corrections, h)
	return r, followed, err
}

// CorrectFilm puts a film's reading right by hand: change alters what was put right
// so far; undo takes the last change back instead. It fails with a fault.List, and
// changes nothing, when that leaves no step.
func (a *App) CorrectFilm(ctx context.Context, who Actor, fitID, id uint64, undo bool, change func(*gait.Corrections) error) (gait.Reading, error) {
	film, err := a.filmOfFit(ctx, who, fitID, id)
	if err != nil {
		return gait.Reading{}, err
	}
	_, followed, err := a.followedFilm(ctx, who, film)
	if err != nil {
		return gait.Reading{}, err
	}
	h, err := a.houseOf(ctx, who, film)
	if err != nil {
		return gait.Reading{}, err
	}
	var r gait.Reading
	err = a.store.Tx(ctx, func(q *db.Queries) error {
		if err := a.lockOpen(ctx, q, who, fitID); err != nil {
			return err
		}
		row, err := q.LockRecording(ctx, db.LockRecordingParams{ID: id, ShopID: who.ShopID})
		if err != nil {
			return found(err)
		}
		var fix keptCorrections
		if err := json.Unmarshal(row.Corrections, &fix); err != nil {
			return err
		}
		if undo {
			if len(fix.Before) == 0 {
				return nil
			}
			last := len(fix.Before) - 1
			fix.Corrections, fix.Before = fix.Before[last], fix.Before[:last]
		} else {
			was := clonedCorrections(fix.Corrections)
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
		return q.SetRecordingCorrections(ctx, db.SetRecordingCorrectionsParams{Corrections: data, ID: id, ShopID: who.ShopID})
	})
	if err != nil || r.Answer.Schema == "" {
		return r, err
	}
	return r, a.recordFilm(ctx, who, film, r)
}

func clonedCorrections(c gait.Corrections) gait.Corrections {
	return gait.Corrections{Marks: slices.Clone(c.Marks), Contacts: slices.Clone(c.Contacts), Dropped: slices.Clone(c.Dropped)}
}

// MarkFilm follows a film anew from dots that were marked by hand on key frames, or
// finds them by itself again when there are no marks.
func (a *App) MarkFilm(ctx context.Context, who Actor, fitID, id uint64, marks []gait.HandMark) error {
	film, err := a.filmOfFit(ctx, who, fitID, id)
	if err != nil {
		return err
	}
	if film.FramesGone || film.State != FilmReady && film.State != FilmFailed {
		return fault.List{{Field: "marks", Text: "come too late or too soon: the film's frames are not at hand"}}
	}
	if err := (gait.Corrections{Marks: marks}).Check(film.Recording.View, film.Frames); err != nil {
		return err
	}
	by := map[term.Side]map[string][][3]float64{}
	for _, m := range marks {
		if by[m.Side] == nil {
			by[m.Side] = map[string][][3]float64{}
		}
		by[m.Side][m.Dot] = append(by[m.Side][m.Dot], [3]float64{float64(m.Frame), m.X, m.Y})
	}
	film.Recording.Markers = by
	if len(by) == 0 {
		film.Recording.Markers = "auto"
	}
	description, err := json.Marshal(film.Recording)
	if err != nil {
		return err
	}
	if film.Recording, err = gait.ParseRecording(description); err != nil {
		return err
	}
	err = a.store.Tx(ctx, func(q *db.Queries) error {
		if err := a.lockOpen(ctx, q, who, fitID); err != nil {
			return err
		}
		if err := q.SetRecordingDescription(ctx, db.SetRecordingDescriptionParams{Description: description, ID: id, ShopID: who.ShopID}); err != nil {
			return err
		}
		return q.SetRecordingState(ctx, db.SetRecordingStateParams{State: string(FilmBeingRead), ID: id, ShopID: who.ShopID})
	})
	if err == nil {
		a.startReading(who, film)
	}
	return err
}

// DeleteFilm removes a film's frames: the numbers stay, and stills that were put on
// the card until they are taken off it.
func (a *App) DeleteFilm(ctx context.Context, who Actor, fitID, id uint64) error {
	if _, err := a.filmOfFit(ctx, who, fitID, id); err != nil {
		return err
	}
	return a.dropFrames(ctx, id)
}

func (a *App) dropFrames(ctx context.Context, id uint64) error {
	a.films.stop(id)
	return a.store.Tx(ctx, func(q *db.Queries) error {
		if err := q.DeleteFrames(ctx, id); err != nil {
			return err
		}
		return q.MarkFramesGone(ctx, id)
	})
}

// tidyFilms lets go of frames whose time is over: hours where nobody agreed to keep
// them, else the shop's days.
func (a *App) tidyFilms(ctx context.Context) error {
	ids, err := a.store.LooseRecordings(ctx, a.Now().Add(-looseTime))
	if err != nil {
		return err
	}
	shops, err := a.store.AllShops(ctx)
	if err != nil {
		return err
	}
	for _, shop := range shops {
		s, _, err := a.Settings(ctx, Actor{ShopID: shop})
		if err != nil {
			return err
		}
		if s.FilmDays == 0 {
			continue
		}
		before := a.Now().AddDate(0, 0, -s.FilmDays)
		old, err := a.store.OldRecordings(ctx, db.OldRecordingsParams{ShopID: shop, MadeAt: before})
		if err != nil {
			return err
		}
		ids = append(ids, old...)
		if err := a.store.DeleteOldPicturesOfKind(ctx, db.DeleteOldPicturesOfKindParams{Kind: stillKind, ShopID: shop, MadeAt: before}); err != nil {
			return err
		}
	}
	for _, id := range ids {
		if err := a.dropFrames(ctx, id); err != nil {
			return err
		}
	}
	return nil
}

// Line is a drawn line of a still, px of its picture.
type Line struct {
	Side           term.Side `json:"side"`
	X1, Y1, X2, Y2 float64
}

// Still is one frame of a film with what is drawn over it.
type Still struct {
	ID            uint64    `json:"-"`
	Width, Height int       `json:"-"`
	MadeAt        time.Time `json:"-"`
	Caption       string    `json:"caption"`
	Lines         []Line    `json:"lines"`
	Labels        []Label   `json:"labels"`
}

// Label is a text of a still.
type Label struct {
	Side   term.Side `json:"side"`
	X, Y   float64
	Anchor string `json:"anchor"` // end or start: which end of the text stands at X
	Text   string `json:"text"`
}

// AddStill puts a frame with its drawing on the card.
func (a *App) AddStill(ctx context.Context, who Actor, fitID, id uint64, frame int) error {
	film, err := a.filmOfFit(ctx, who, fitID, id)
	if err != nil {
		return err
	}
	data, err := a.FrameData(ctx, who, id, frame)
	if err != nil {
		return err
	}
	r, err := a.FilmReading(ctx, who, film)
	if err != nil {
		return err
	}
	stills, err := a.Stills(ctx, who, fitID)
	if err != nil {
		return err
	}
	if len(stills) >= mostStills {
		return fault.List{{Field: "still", Text: fmt.Sprintf("would be the card's number %d; allowed are %d, take one off first", mostStills+1, mostStills)}}
	}
	options, err := json.Marshal(DrawFrame(film, r, frame))
	if err != nil {
		return err
	}
	return a.store.Tx(ctx, func(q *db.Queries) error {
		if err := a.lockOpen(ctx, q, who, fitID); err != nil {
			return err
		}
		_, err := q.AddPicture(ctx, db.AddPictureParams{ShopID: who.ShopID, FitID: fitID, Kind: stillKind, Side: string(term.Left), Width: int32(film.Width), Height: int32(film.Height), Data: data,
			Options: options, Kept: film.Kept, MadeBy: who.UserID, MadeAt: a.Now()})
		return err
	})
}

// DrawFrame is what is drawn over a frame: each leg's segments and its angle.
func DrawFrame(film Film, r gait.Reading, frame int) Still {
	s := Still{Caption: fmt.Sprintf("%s, at %.2f s", film.Name(), float64(frame)/r.Answer.FPS)}
	for _, side := range term.Sides {
		dots := map[string]gait.Point{}
		for name, marks := range r.Answer.Markers[side] {
			if k, ok := slices.BinarySearchFunc(marks, frame, func(m gait.Mark, f int) int { return m.Frame - f }); ok {
				dots[name] = marks[k].Point
			}
		}
		for _, seg := range Segments[film.Recording.View] {
			p, okP := dots[seg[0]]
			q, okQ := dots[seg[1]]
			if okP && okQ {
				s.Lines = append(s.Lines, Line{side, p.X, p.Y, q.X, q.Y})
			}
		}
		names := gait.DotNames(film.Recording.View)
		if p, ok := dots[names[len(names)-1]]; ok && frame < len(r.Angles[side]) && !math.IsNaN(r.Angles[side][frame]) {
			// Outward of the leg, where it hides nothing.
			x, anchor := p.X+labelOff*float64(film.Width), "start"
			if p.X < float64(film.Width)/2 {
				x, anchor = p.X-labelOff*float64(film.Width), "end"
			}
			s.Labels = append(s.Labels, Label{side, x, p.Y, anchor, fmt.Sprintf("%.1f°", r.Angles[side][frame])})
		}
	}
	return s
}

// Segments are the lines that join a leg's dots, by view.
var Segments = map[gait.View][][2]string{
	gait.Rear:  {{"calf_top", "calf_low"}, {"heel_top", "heel_low"}},
	gait.Side:  {{"knee", "ankle"}, {"heel", "toe"}},
	gait.Front: {{"hip", "knee"}, {"knee", "ankle"}},
}

// Stills of a fit's card.
func (a *App) Stills(ctx context.Context, who Actor, fitID uint64) ([]Still, error) {
	rows, err := a.store.PicturesOf(ctx, db.PicturesOfParams{FitID: fitID, ShopID: who.ShopID, Kind: stillKind})
	var out []Still
	for _, r := range rows {
		s := Still{ID: r.ID, Width: int(r.Width), Height: int(r.Height), MadeAt: r.MadeAt}
		if err := json.Unmarshal(r.Options, &s); err != nil {
			return nil, err
		}
		out = append(out, s)
	}
	return out, err
}

// StillData is a still's frame (JPEG).
func (a *App) StillData(ctx context.Context, who Actor, fitID, id uint64) ([]byte, error) {
	r, err := a.store.PictureByID(ctx, db.PictureByIDParams{ID: id, FitID: fitID, ShopID: who.ShopID, Kind: stillKind})
	return r.Data, found(err)
}

// DeleteStill takes a still off the card.
func (a *App) DeleteStill(ctx context.Context, who Actor, fitID, id uint64) error {
	return a.store.DeletePicture(ctx, db.DeletePictureParams{ID: id, FitID: fitID, ShopID: who.ShopID, Kind: stillKind})
}

// filmWork is the films that are being read beside the requests.
type filmWork struct {
	sync.Mutex
	jobs   map[uint64]*filmJob
	closed bool
	all    sync.WaitGroup
}

type filmJob struct {
	percent int
	cancel  context.CancelFunc
}

// run does the work of a film unless it is under way.
func (w *filmWork) run(id uint64, do func(ctx context.Context, tell func(percent int))) {
	w.Lock()
	defer w.Unlock()
	if w.closed || w.jobs[id] != nil {
		return
	}
	if w.jobs == nil {
		w.jobs = map[uint64]*filmJob{}
	}
	ctx, cancel := context.WithTimeout(context.Background(), readingTime)
	job := &filmJob{cancel: cancel}
	w.jobs[id] = job
	w.all.Go(func() {
		defer cancel()
		do(ctx, func(percent int) {
			w.Lock()
			job.percent = percent
			w.Unlock()
		})
		w.Lock()
		delete(w.jobs, id)
		w.Unlock()
	})
}

func (w *filmWork) progress(id uint64) (percent int, working bool) {
	w.Lock()
	defer w.Unlock()
	if j := w.jobs[id]; j != nil {
		return j.percent, true
	}
	return 0, false
}

func (w *filmWork) stop(id uint64) {
	w.Lock()
	defer w.Unlock()
	if j := w.jobs[id]; j != nil {
		j.cancel()
	}
}

// Close ends what is done beside the requests; a film that is being read is taken up
// again when it is next asked for.
func (a *App) Close() {
	a.films.Lock()
	a.films.closed = true
	for _, j := range a.films.jobs {
		j.cancel()
	}
	a.films.Unlock()
	a.films.all.Wait()
}
