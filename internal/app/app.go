// Package app does what a fitter does, as transactions: a fit from arrival to
// the card, the runner's pairs and their distance. It joins the rows of store
// to the computations of core, and knows nothing of the web.
package app

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/store"
	"trevik/internal/store/db"
)

var (
	// ErrNotFound is anything that is not there, or not this shop's.
	ErrNotFound = errors.New("not found")
	// ErrClosed is a change to a fit that was closed.
	ErrClosed = errors.New("this fit is closed; reopen it on its card to change it")
	// ErrNotAllowed is something that the person's role may not do.
	ErrNotAllowed = errors.New("this role may not do that")
)

// Role is what a person of the shop may do.
type Role string

const (
	Owner   Role = "owner"
	Fitter  Role = "fitter"
	Trainee Role = "trainee"
)

// Roles in order of what they may do, most first.
var Roles = []Role{Owner, Fitter, Trainee}

// Actor is the person who does something.
type Actor struct {
	UserID   uint64
	ShopID   uint64
	Name     string
	Shop     string
	Currency string
	Role     Role
	Units    units.System
	Theme    string
	ByLink   bool // a runner on their own page; UserID is who gave them its address
}

// hand is how what a person types comes in.
func (w Actor) hand() string {
	if w.ByLink {
		return "by the runner"
	}
	return "by hand"
}

// App is the shop's work.
type App struct {
	store      *store.Store
	now        func() time.Time
	images     imageCache
	films      filmWork
	catalogues catalogues
	imports    imports
	runImports runImports
}

// New makes the application on a store; now is the clock.
func New(s *store.Store, now func() time.Time) *App {
	return &App{store: s, now: now}
}

// Now is the time in UTC.
func (a *App) Now() time.Time { return a.now().UTC() }

// Today is the shop's day (the process's time zone), as midnight UTC like every
// day in the database.
func (a *App) Today() time.Time {
	y, m, d := a.now().Local().Date()
	return time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
}

// Ping says whether the database answers.
func (a *App) Ping(ctx context.Context) error { return a.store.DB.PingContext(ctx) }

func found(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	return err
}

// once runs do in a transaction at most once for a form's token: the second
// sending of the same form gets the first's result. do gives the result.
func (a *App) once(ctx context.Context, who Actor, token string, do func(*db.Queries) (string, error)) (string, error) {
	var result string
	err := a.store.Tx(ctx, func(q *db.Queries) error {
		err := q.AddSubmission(ctx, db.AddSubmissionParams{UserID: who.UserID, Token: token, MadeAt: a.Now()})
		if store.IsDuplicate(err) {
			result, err = q.SubmissionResult(ctx, db.SubmissionResultParams{UserID: who.UserID, Token: token})
			return err
		}
		if err != nil {
			return err
		}
		if result, err = do(q); err != nil {
			return err
		}
		return q.SetSubmissionResult(ctx, db.SetSubmissionResultParams{Result: result, UserID: who.UserID, Token: token})
	})
	return result, err
}

func nullFloat(v *float64) sql.NullFloat64 {
	if v == nil {
		return sql.NullFloat64{}
	}
	return sql.NullFloat64{Float64: *v, Valid: true}
}

func floatOf(v sql.NullFloat64) *float64 {
	if !v.Valid {
		return nil
	}
	return &v.Float64
}

// nullID is an id of the database, none for 0.
func nullID(id uint64) sql.NullInt64 { return sql.NullInt64{Int64: int64(id), Valid: id > 0} }

func nullTime(t time.Time) sql.NullTime { return sql.NullTime{Time: t, Valid: !t.IsZero()} }

// Runner is a person who is fitted.
type Runner struct {
	ID      uint64
	Name    string
	Contact string
	Chart   term.Chart
	// Practice is the seed of an invented runner; nil is a real one.
	Practice *uint64
}
