// Package practice is invented runners to practise on: never among the real, always the same for
// a seed, with their truth to be held against.
package practice

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/transfer"
	"trevik/internal/app/visit"
	"trevik/internal/core/term"
	"trevik/internal/device"
	"trevik/internal/form"
	"trevik/internal/jobs"
	"trevik/internal/practice"
	"trevik/internal/record"
	"trevik/internal/store"
	"trevik/internal/store/db"
)

// Practice is that concern.
type Practice struct {
	*app.Core
	Visits   *visit.Visits
	Transfer *transfer.Transfer
	Jobs     *jobs.Queue
}

// New makes the concern; its films are made by a queue.
func New(c *app.Core, v *visit.Visits, t *transfer.Transfer, q *jobs.Queue) *Practice {
	p := &Practice{c, v, t, q}
	q.Register(jobs.Kind{Name: fileKind, Do: p.makeFile})
	return p
}

// mostSeeds is how many invented runners there are.
const mostSeeds = 1_000_000

// Fit is a fit of an invented runner that a person practises on.
type Fit struct {
	FitID, RunnerID, Seed uint64
	Name                  string
	StartedAt             time.Time
}

// Score is how one went.
type Score struct {
	Seed   uint64
	Points float64
	Score  practice.Score
	MadeAt time.Time
}

// Invented is the runner of a seed, with the devices' files: always the same.
func Invented(seed uint64) (*device.InventedRunner, error) {
	return device.NewRunner(seed, time.Date(2026, 11, 22, 0, 0, 0, 0, time.UTC), device.TreadmillOptions{FPS: 120, Seconds: 4, Width: 480,
		Height: 360, Near: term.Left, Gait: "run"})
}

// Start begins a fit of an invented runner for a person; what the runner says at Hello is put
// down. A form that is sent twice is of one runner.
func (p *Practice) Start(ctx context.Context, who app.Actor) (uint64, error) {
	digest := sha256.Sum256([]byte(who.Form.Token))
	seed := binary.BigEndian.Uint64(digest[:]) % mostSeeds
	x, err := Invented(seed)
	if err != nil {
		return 0, err
	}
	told, err := toldOf(x)
	if err != nil {
		return 0, err
	}
	return p.Visits.Begin(ctx, who, record.Runner{Name: x.Told.Name, Contact: "an invented runner", Chart: x.Told.Chart, Practice: &seed},
		told)
}

// toldOf is what an invented runner says at Hello.
func toldOf(x *device.InventedRunner) ([]record.Value, error) {
	word := func(d *record.Decl, k record.Key, s string) record.Value {
		return record.Value{Key: k, Decl: d, Text: s}
	}
	number := func(d *record.Decl, k record.Key, n float64) record.Value {
		return record.Value{Key: k, Decl: d, Number: n}
	}
	t := x.Told
	out := []record.Value{
		word(record.Flags.Decl, record.Flags.Key(), form.None), word(record.Surface.Decl, record.Surface.Key(), string(term.Road)),
		number(record.RunDays.Decl, record.RunDays.Key(), float64(t.RunDays)), number(record.WeeklyKM.Decl, record.WeeklyKM.Key(), t.WeeklyKM),
		number(record.MassKg.Decl, record.MassKg.Key(), t.MassKg),
	}
	if len(t.Complaints) == 0 {
		return append(out, word(record.Complains.Decl, record.Complains.Key(), form.None)), nil
	}
	c := t.Complaints[0]
	if c.MonthsAgo == nil {
		return nil, fmt.Errorf("an invented complaint without its months")
	}
	return append(out, word(record.ComplaintPlace.Decl, record.ComplaintPlace.Key(1), string(c.Place)),
		number(record.ComplaintMonths.Decl, record.ComplaintMonths.Key(1), math.Round(*c.MonthsAgo))), nil
}

// Fits are a person's own, the latest first.
func (p *Practice) Fits(ctx context.Context, who app.Actor) ([]Fit, error) {
	rows, err := p.Store.PracticeFits(ctx, db.PracticeFitsParams{ShopID: who.ShopID, FitterID: who.UserID})
	out := make([]Fit, len(rows))
	for i, r := range rows {
		out[i] = Fit{r.FitID, r.RunnerID, uint64(r.PracticeSeed.Int64), r.Name, who.In(r.StartedAt)}
	}
	return out, err
}

// Of loads a practice fit; app.ErrNotFound on a real runner's.
func (p *Practice) Of(ctx context.Context, who app.Actor, fitID uint64) (*record.Conclusions, *device.InventedRunner, error) {
	fit, err := p.Visits.Fit(ctx, who, fitID)
	if err != nil {
		return nil, nil, err
	}
	if fit.Runner.Practice == nil {
		return nil, nil, app.ErrNotFound
	}
	x, err := Invented(*fit.Runner.Practice)
	return fit, x, err
}

// Scan lets the invented runner of a practice fit stand on the scanner.
func (p *Practice) Scan(ctx context.Context, who app.Actor, fitID uint64) error {
	_, x, err := p.Of(ctx, who, fitID)
	if err != nil {
		return err
	}
	_, err = p.Visits.RecordScan(ctx, who, fitID, x.Scanner.Scan)
	return err
}

// Files are what the devices hand over for a practice fit.
var Files = []string{"left.png", "right.png", "rear.zip", "side.zip"}

const (
	fileKind   = "practice.file"
	uploadKind = "practice"
)

type fileArgs struct {
	Seed uint64 `json:"seed"`
	Name string `json:"name"`
}

func (a fileArgs) subject(by uint64) string { return fmt.Sprintf("%d %d %s", by, a.Seed, a.Name) }

// File is one of the files of a practice fit. A film takes seconds to be made: nil while it is
// being made behind; ask again.
func (p *Practice) File(ctx context.Context, who app.Actor, fitID uint64, name string) ([]byte, error) {
	fit, x, err := p.Of(ctx, who, fitID)
	if err != nil {
		return nil, err
	}
	if !slices.Contains(Files, name) {
		return nil, app.ErrNotFound
	}
	if name == "left.png" || name == "right.png" {
		return practice.PrintFile(x, name)
	}
	args := fileArgs{*fit.Runner.Practice, name}
	u, err := p.Store.UploadNamed(ctx, db.UploadNamedParams{ShopID: who.ShopID, Kind: uploadKind, Name: args.subject(who.UserID)})
	if err == nil {
		var data bytes.Buffer
		files, err := app.Files(ctx, p.Store.Queries, u)
		if err == nil && len(files) == 1 {
			err = files[0].Write(ctx, p.Store.Queries, u, &data)
		}
		return data.Bytes(), err
	}
	if !store.IsNoRows(err) {
		return nil, err
	}
	err = p.Store.Tx(ctx, func(q *db.Queries) error {
		return jobs.Add(ctx, q, jobs.Job{ShopID: who.ShopID, Kind: fileKind, Subject: args.subject(who.UserID), By: who.UserID}, args)
	})
	p.Jobs.Wake()
	return nil, err
}

// makeFile makes a film as the camera would hand it over, and keeps it for a while.
func (p *Practice) makeFile(ctx context.Context, j *jobs.Job, _ func(done, total int)) error {
	var args fileArgs
	if err := json.Unmarshal(j.Args, &args); err != nil {
		return jobs.Final{Err: err}
	}
	x, err := Invented(args.Seed)
	if err != nil {
		return jobs.Final{Err: err}
	}
	data, err := practice.FilmFile(x, args.Name)
	if err != nil {
		return jobs.Final{Err: err}
	}
	err = p.Store.Tx(ctx, func(q *db.Queries) error {
		id, err := q.AddUpload(ctx, db.AddUploadParams{ShopID: j.ShopID, Kind: uploadKind, Name: j.Subject, State: string(app.UploadDone),
			Asked: json.RawMessage("{}"), MadeBy: j.By, MadeAt: p.Now()})
		if err == nil {
			err = app.Keep(ctx, q, uint64(id), 0, args.Name, bytes.NewReader(data))
		}
		if err == nil {
			err = j.End(ctx, q)
		}
		return err
	})
	if err == nil {
		j.Ended()
	}
	return err
}

// Score holds what was found against the truth; keep keeps the score.
func (p *Practice) Score(ctx context.Context, who app.Actor, fitID uint64, keep bool) (practice.Score, error) {
	fit, x, err := p.Of(ctx, who, fitID)
	if err != nil {
		return practice.Score{}, err
	}
	found, err := foundOf(fit, x)
	if err != nil {
		return practice.Score{}, err
	}
	score, err := practice.Against(x, found)
	if err != nil || !keep {
		return score, err
	}
	data, err := json.Marshal(score)
	if err != nil {
		return score, err
	}
	return score, p.Do(ctx, who, func(q *db.Queries) error {
		return q.AddPracticeScore(ctx, db.AddPracticeScoreParams{ShopID: who.ShopID, UserID: who.UserID, Seed: *fit.Runner.Practice,
			Points: score.Points, Score: data, MadeAt: p.Now()})
	})
}

// foundOf is what was found in a practice fit.
func foundOf(fit *record.Conclusions, x *device.InventedRunner) (practice.Found, error) {
	f := practice.Found{LengthMM: map[term.Side]*float64{}, BallMM: map[term.Side]*float64{}, ArchIndex: map[term.Side]*float64{},
		Arch: map[term.Side]term.Arch{}, PeakDeg: map[term.Side]*float64{}}
	positive := func(v float64) *float64 {
		if v <= 0 {
			return nil
		}
		return &v
	}
	long := 0.0
	for _, s := range term.Sides {
		f.LengthMM[s], f.BallMM[s] = positive(fit.Foot(s).LengthMM), positive(fit.Foot(s).BallMM)
		long = math.Max(long, fit.Sizing(s))
		if r := fit.PrintReading(s); r != nil {
			index := r.ArchIndex
			f.ArchIndex[s] = &index
		} else {
			f.Arch[s] = record.ArchSeen.Of(fit.Visit, s)
		}
		f.PeakDeg[s] = fit.PeakOf(s)
	}
	sup, err := fit.Support()
	if err != nil {
		return f, err
	}
	if sup.Told() { // without any evidence the level is nobody's finding
		f.Level = sup.Level
	}
	if _, basis := fit.Choice(); basis != nil {
		room := practice.TrueRoom(x, basis.Ranked.Size, long)
		f.RoomMM, f.Window = &room, basis.Ranked.Size.WantedMM
		f.Level = basis.Support.Level
	}
	return f, nil
}

// Scores are a person's, the latest first.
func (p *Practice) Scores(ctx context.Context, who app.Actor) ([]Score, error) {
	rows, err := p.Store.PracticeScores(ctx, db.PracticeScoresParams{UserID: who.UserID, ShopID: who.ShopID})
	if err != nil {
		return nil, err
	}
	out := make([]Score, len(rows))
	for i, r := range rows {
		out[i] = Score{Seed: r.Seed, Points: r.Points, MadeAt: who.In(r.MadeAt)}
		if err := json.Unmarshal(r.Score, &out[i].Score); err != nil {
			return nil, fmt.Errorf("practice score %d: %w", r.ID, err)
		}
	}
	return out, nil
}

// Reset lets a person's invented runners and scores go.
func (p *Practice) Reset(ctx context.Context, who app.Actor) error {
	fits, err := p.Fits(ctx, who)
	if err != nil {
		return err
	}
	err = p.Do(ctx, who, func(q *db.Queries) error {
		for _, f := range fits {
			if err := p.Transfer.ToErase(ctx, q, who, f.RunnerID); err != nil && err != app.ErrNotFound {
				return err
			}
		}
		return q.ClearPracticeScores(ctx, db.ClearPracticeScoresParams{UserID: who.UserID, ShopID: who.ShopID})
	})
	p.Jobs.Wake()
	return err
}
