package app

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/json"
	"math"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/term"
	"trevik/internal/device"
	"trevik/internal/practice"
	"trevik/internal/store/db"
)

// mostSeeds is how many invented runners there are.
const mostSeeds = 1_000_000

// PracticeFit is a fit of an invented runner that a person practises on.
type PracticeFit struct {
	FitID, RunnerID, Seed uint64
	Name                  string
	StartedAt             time.Time
}

// PracticeScore is how one went.
type PracticeScore struct {
	Seed   uint64
	Points float64
	Score  practice.Score
	MadeAt time.Time
}

// Invented is the runner of a seed, with the devices' files: always the same.
func Invented(seed uint64) (*device.InventedRunner, error) {
	return device.NewRunner(seed, time.Date(2026, 11, 22, 0, 0, 0, 0, time.UTC), device.TreadmillOptions{FPS: 120, Seconds: 4, Width: 480, Height: 360, Near: term.Left, Gait: "run"})
}

// StartPractice begins a fit of an invented runner for a person; what the runner says at
// Hello is put down.
func (a *App) StartPractice(ctx context.Context, who Actor, token string) (uint64, error) {
	digest := sha256.Sum256([]byte(token)) // a form that is sent twice is of one runner
	seed := binary.BigEndian.Uint64(digest[:]) % mostSeeds
	x, err := Invented(seed)
	if err != nil {
		return 0, err
	}
	fitID, err := a.StartFit(ctx, who, token, Runner{Name: x.Told.Name, Contact: "an invented runner", Chart: x.Told.Chart, Practice: &seed})
	if err != nil {
		return 0, err
	}
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil || len(fit.Findings) > 0 || fit.Runner.Practice == nil {
		return fitID, err // it was begun before
	}
	var l fault.List
	var values []Value
	put := func(input, typed string) {
		field, key, _ := FieldOf("hello", input)
		if v, ok := field.Read(&l, key, []string{typed}, who.Units); ok {
			values = append(values, v)
		}
	}
	told := x.Told
	put("flags", None)
	put("surface", string(term.Road))
	put("run_days", figure(float64(told.RunDays)))
	for name, v := range map[string]float64{"weekly_km": told.WeeklyKM, "mass_kg": told.MassKg} {
		field, key, _ := FieldOf("hello", name)
		values = append(values, Value{Key: key, Field: field, Number: v})
	}
	if len(told.Complaints) == 0 {
		put("complaints", None)
	} else {
		put("complaints", "some")
		put("complaint_place.1", string(told.Complaints[0].Place))
		put("complaint_months.1", figure(math.Round(*told.Complaints[0].MonthsAgo)))
	}
	if err := l.Err(); err != nil {
		return 0, err
	}
	_, err = a.Record(ctx, who, fitID, values)
	return fitID, err
}

// PracticeFits are a person's own, the latest first.
func (a *App) PracticeFits(ctx context.Context, who Actor) ([]PracticeFit, error) {
	rows, err := a.store.PracticeFits(ctx, db.PracticeFitsParams{ShopID: who.ShopID, FitterID: who.UserID})
	out := make([]PracticeFit, len(rows))
	for i, r := range rows {
		out[i] = PracticeFit{r.FitID, r.RunnerID, uint64(r.PracticeSeed.Int64), r.Name, r.StartedAt}
	}
	return out, err
}

// practised loads a practice fit; ErrNotFound on a real runner's.
func (a *App) practised(ctx context.Context, who Actor, fitID uint64) (*Fit, *device.InventedRunner, error) {
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return nil, nil, err
	}
	if fit.Runner.Practice == nil {
		return nil, nil, ErrNotFound
	}
	x, err := Invented(*fit.Runner.Practice)
	return fit, x, err
}

// PracticeRunner is the invented runner of a practice fit.
func (a *App) PracticeRunner(ctx context.Context, who Actor, fitID uint64) (*device.InventedRunner, error) {
	_, x, err := a.practised(ctx, who, fitID)
	return x, err
}

// ScanPractice lets the invented runner of a practice fit stand on the scanner.
func (a *App) ScanPractice(ctx context.Context, who Actor, fitID uint64) error {
	_, x, err := a.practised(ctx, who, fitID)
	if err != nil {
		return err
	}
	_, err = a.RecordScan(ctx, who, fitID, x.Scanner.Scan)
	return err
}

// ScorePractice holds what was found against the truth. keep keeps the score.
func (a *App) ScorePractice(ctx context.Context, who Actor, fitID uint64, keep bool) (practice.Score, error) {
	fit, x, err := a.practised(ctx, who, fitID)
	if err != nil {
		return practice.Score{}, err
	}
	f := practice.Found{LengthMM: map[term.Side]*float64{}, BallMM: map[term.Side]*float64{}, ArchIndex: map[term.Side]*float64{}, Arch: map[term.Side]term.Arch{}, PeakDeg: map[term.Side]*float64{}}
	long := 0.0
	for _, s := range term.Sides {
		f.LengthMM[s], f.BallMM[s] = positive(fit.Foot(s).LengthMM), positive(fit.Foot(s).BallMM)
		long = math.Max(long, fit.sizing(s))
		if p := fit.PrintReading(s); p != nil {
			index := p.ArchIndex
			f.ArchIndex[s] = &index
		} else {
			f.Arch[s] = term.Arch(fit.Text("arch", s, 0))
		}
		f.PeakDeg[s] = fit.PeakOf(s)
	}
	sup, err := fit.Support()
	if err != nil {
		return practice.Score{}, err
	}
	// Without any evidence the level is nobody's finding.
	if sup.Confidence > 0.2 {
		f.Level = sup.Level
	}
	if _, basis := fit.Choice(); basis != nil {
		room := practice.TrueRoom(x, basis.Ranked.Size, long)
		f.RoomMM, f.Window = &room, basis.Ranked.Size.WantedMM
		f.Level = basis.Support.Level
	}
	score, err := practice.Against(x, f)
	if err != nil || !keep {
		return score, err
	}
	data, err := json.Marshal(score)
	if err != nil {
		return score, err
	}
	return score, a.store.AddPracticeScore(ctx, db.AddPracticeScoreParams{ShopID: who.ShopID, UserID: who.UserID, Seed: *fit.Runner.Practice, Points: score.Points, Score: data, MadeAt: a.Now()})
}

// PracticeScores are a person's, the latest first.
func (a *App) PracticeScores(ctx context.Context, who Actor) ([]PracticeScore, error) {
	rows, err := a.store.PracticeScores(ctx, db.PracticeScoresParams{UserID: who.UserID, ShopID: who.ShopID})
	if err != nil {
		return nil, err
	}
	out := make([]PracticeScore, len(rows))
	for i, r := range rows {
		out[i] = PracticeScore{Seed: r.Seed, Points: r.Points, MadeAt: r.MadeAt}
		if err := json.Unmarshal(r.Score, &out[i].Score); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// ResetPractice lets a person's invented runners and scores go.
func (a *App) ResetPractice(ctx context.Context, who Actor) error {
	fits, err := a.PracticeFits(ctx, who)
	if err != nil {
		return err
	}
	for _, f := range fits {
		if _, err := a.store.Erase(ctx, who.ShopID, f.RunnerID); err != nil {
			return err
		}
	}
	return a.store.ClearPracticeScores(ctx, db.ClearPracticeScoresParams{UserID: who.UserID, ShopID: who.ShopID})
}

// sizing is a foot's sizing length as it was measured, mm; 0 where it was not.
func (f *Fit) sizing(s term.Side) float64 {
	m := f.Foot(s)
	if m.LengthMM == 0 {
		return 0
	}
	length, _ := foot.SizingLength(m.LengthMM, m.HeelToBallMM, f.House())
	return length
}
