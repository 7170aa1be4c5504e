// Package app is what a fitter does, as transactions: one verb, one transaction, with what
// must hold for it looked at inside. Its concerns are packages beside it, over one Core. It
// knows nothing of the web.
package app

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
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
	Zone     *time.Location // of the shop; nil is the machine's
	ByLink   bool           // a runner on their own page; UserID is who gave them its address
	Link     uint64         // that address
	Runner   uint64         // whose it is
	Form     Form           // that asks for what is done; none where no form does

	Session     uint64 // the session that they are signed in by, 0 without one
	SecondDue   bool   // their second factor is still to come
	Second      bool   // they have a second factor
	SecondAsked bool   // the shop's owner requires one
	Asked       bool   // their password was told in this session a moment ago
}

// Hand is how what a person types comes in.
func (w Actor) Hand() string {
	if w.ByLink {
		return "by the runner"
	}
	return "by hand"
}

// In is a moment in the shop's time zone.
func (w Actor) In(t time.Time) time.Time {
	if t.IsZero() {
		return t
	}
	if w.Zone == nil {
		return t.Local()
	}
	return t.In(w.Zone)
}

// Form is a form that was sent: its token, which page's form it is, and a digest of what it
// holds. What it asks for is done once.
type Form struct {
	Token  string
	Name   string // the line of the table of routes that it came to
	Path   string // the address that it was sent to
	Digest [32]byte
	Logged *bool // set once it is in the audit log; nil where nobody asks
}

func (f Form) logged() {
	if f.Logged != nil {
		*f.Logged = true
	}
}

// Core is what the concerns share: the store and the clock.
type Core struct {
	Store *store.Store
	clock func() time.Time
}

// NewCore makes a core on a store.
func NewCore(s *store.Store, clock func() time.Time) *Core { return &Core{s, clock} }

// Now is the time in UTC, as the database keeps it: to the microsecond.
func (c *Core) Now() time.Time { return c.clock().UTC().Truncate(time.Microsecond) }

// Today is the shop's day, as midnight UTC like every day in the database.
func (c *Core) Today(who Actor) time.Time {
	y, m, d := who.In(c.Now()).Date()
	return time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
}

// Found is ErrNotFound for a row that is not there.
func Found(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	return err
}

// Some is ErrNotFound where a change touched no row.
func Some(n int64, err error) error {
	if err == nil && n == 0 {
		return ErrNotFound
	}
	return err
}

// Do runs a verb in one transaction, at most once for the form that asks for it.
func (c *Core) Do(ctx context.Context, who Actor, do func(*db.Queries) error) error {
	_, err := c.Once(ctx, who, func(q *db.Queries) (string, error) { return "", do(q) })
	return err
}

// Once runs a verb in one transaction, at most once for the form that asks for it: the second
// sending of the same form gets the first's result. A token that came with another form, or
// with another content, is a fault: what that asks for was never done.
func (c *Core) Once(ctx context.Context, who Actor, do func(*db.Queries) (string, error)) (string, error) {
	return c.OnceBulk(ctx, who, func(q *db.Queries, _ db.DBTX) (string, error) { return do(q) })
}

// OnceBulk is Once with the transaction itself, for statements of many rows.
func (c *Core) OnceBulk(ctx context.Context, who Actor, do func(*db.Queries, db.DBTX) (string, error)) (string, error) {
	var result string
	run := c.Store.TxBulk
	if who.Form.Token != "" {
		run = c.Store.TxTwice // the token finds what was done already
	}
	err := run(ctx, func(q *db.Queries, tx db.DBTX) (err error) {
		f := who.Form
		if f.Token == "" {
			if result, err = do(q, tx); err != nil || f.Name == "" {
				return err
			}
			return c.auditForm(ctx, q, who)
		}
		err = q.AddSubmission(ctx, db.AddSubmissionParams{UserID: who.UserID, Token: f.Token, Form: f.Name, Digest: f.Digest[:], MadeAt: c.Now()})
		if store.IsDuplicate(err) {
			was, err := q.SubmissionResult(ctx, db.SubmissionResultParams{UserID: who.UserID, Token: f.Token})
			if err != nil {
				return err
			}
			if was.Form != f.Name {
				return fault.List{{Field: "form", Text: "is another one than this token was made for; load the page again and send it once more"}}
			}
			if !bytes.Equal(was.Digest, f.Digest[:]) {
				return fault.List{{Field: "form",
					Text: "was sent before with another content, and that was kept; load the page again to see it, then send this once more"}}
			}
			result = was.Result
			f.logged() // as it was the first time
			return nil
		}
		if err != nil {
			return err
		}
		if result, err = do(q, tx); err != nil {
			return err
		}
		if err := q.SetSubmissionResult(ctx, db.SetSubmissionResultParams{Result: result, UserID: who.UserID, Token: f.Token}); err != nil {
			return err
		}
		return c.auditForm(ctx, q, who)
	})
	return result, err
}

// LockOpen locks a fit that may be changed, and gives its runner. It fails with ErrClosed on
// one that was closed.
func (c *Core) LockOpen(ctx context.Context, q *db.Queries, who Actor, fitID uint64) (runnerID uint64, err error) {
	f, err := q.LockFit(ctx, db.LockFitParams{ID: fitID, ShopID: who.ShopID})
	if err != nil {
		return 0, Found(err)
	}
	if f.ClosedAt.Valid {
		return 0, ErrClosed
	}
	return f.RunnerID, nil
}

// LockRunner locks a runner, so that what is read of them in this transaction stays so. It
// fails with ErrNotFound on one that is not there, or was erased meanwhile.
func (c *Core) LockRunner(ctx context.Context, q *db.Queries, who Actor, runnerID uint64) error {
	_, err := q.LockRunner(ctx, db.LockRunnerParams{ID: runnerID, ShopID: who.ShopID})
	return Found(err)
}

// Touch says that something is known otherwise of a runner, so that what was concluded of
// their pairs is concluded anew.
func (c *Core) Touch(ctx context.Context, q *db.Queries, who Actor, runnerID uint64) error {
	return q.TouchVerdict(ctx, db.TouchVerdictParams{RunnerID: runnerID, ShopID: who.ShopID})
}

// DoOf runs a verb that changes what is known of a runner: in one transaction, once for its
// form, with the runner locked.
func (c *Core) DoOf(ctx context.Context, who Actor, runnerID uint64, do func(*db.Queries) error) error {
	_, err := c.OnceOf(ctx, who, runnerID, func(q *db.Queries) (string, error) { return "", do(q) })
	return err
}

// OnceOf is DoOf with a result.
func (c *Core) OnceOf(ctx context.Context, who Actor, runnerID uint64, do func(*db.Queries) (string, error)) (string, error) {
	return c.Once(ctx, who, func(q *db.Queries) (string, error) {
		if err := c.LockRunner(ctx, q, who, runnerID); err != nil {
			return "", err
		}
		result, err := do(q)
		if err != nil {
			return "", err
		}
		return result, c.Touch(ctx, q, who, runnerID)
	})
}

// Helpers between Go's values and the database's.

// NullFloat is a number, none for nil.
func NullFloat(v *float64) sql.NullFloat64 {
	if v == nil {
		return sql.NullFloat64{}
	}
	return sql.NullFloat64{Float64: *v, Valid: true}
}

// FloatOf is a number, nil for none.
func FloatOf(v sql.NullFloat64) *float64 {
	if !v.Valid {
		return nil
	}
	return &v.Float64
}

// NullID is an id of the database, none for 0.
func NullID(id uint64) sql.NullInt64 { return sql.NullInt64{Int64: int64(id), Valid: id > 0} }

// NullInt is a whole number of the database.
func NullInt(v int64) sql.NullInt64 { return sql.NullInt64{Int64: v, Valid: true} }

// NullTime is a time, none for the zero one.
func NullTime(t time.Time) sql.NullTime { return store.NullTime(t) }

// Halves is a size as the database keeps it: twice the running UK figure.
func Halves(f foot.Figure) int16 { return int16(2*float64(f) + 0.5) }
