package app

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
	"trevik/internal/device"
	"trevik/internal/store/db"
)

func checkModels(models []shoe.Model) error {
	var l fault.List
	seen := map[string]bool{}
	for i, m := range models {
		at := fmt.Sprintf("models[%d]", i)
		m = m.WithDefaults()
		m.Check(&l, at)
		if seen[m.ID] {
			l.Add(at+".id", "is %q, which an earlier model has", m.ID)
		}
		seen[m.ID] = true
	}
	return l.Err()
}

// Finding is the value that counts for a key, with who found it, when and how.
type Finding struct {
	ID     uint64
	Key    Key
	Number *float64 // canonical unit
	Text   string
	Unit   string
	Error  *float64
	How    string
	Maker  string
	MadeAt time.Time
}

// Decision is what somebody decided in a fit.
type Decision struct {
	ID     uint64
	Kind   string
	Value  string
	Reason string
	Basis  json.RawMessage
	Maker  string
	MadeAt time.Time
}

// Kinds of decision. An empty value takes the decision back.
const (
	Chosen        = "choice"
	ReferOverride = "refer_override"
	LevelOverrule = "level"
)

// Fit is one runner's visit with all that counts in it.
type Fit struct {
	ID        uint64
	Runner    Runner
	Fitter    string
	StartedAt time.Time
	ClosedAt  time.Time // zero while it is open
	Settings  Settings  // those that it is decided under: a closed fit keeps its own
	Now       Settings  // the shop's at present, for what goes on after the fit
	Findings  map[Key]Finding
	Decisions map[string]Decision
	Consents  map[string]Consent // the runner's, by kind
	Races     []Race
	Today     time.Time
	Units     units.System
	Currency  string
	history   []wear.Retired // of the runner's pairs, once they are served
	logs      bool           // the runner puts runs down
}

// Open says whether the fit can be changed.
func (f *Fit) Open() bool { return f.ClosedAt.IsZero() }

// StartFit begins a fit for a runner, who is made when runner.ID is 0. token
// makes sure that a form that is sent twice begins one fit.
func (a *App) StartFit(ctx context.Context, who Actor, token string, runner Runner) (uint64, error) {
	if runner.ID == 0 {
		if err := checkRunner(&runner); err != nil {
			return 0, err
		}
	} else if _, err := a.Runner(ctx, who, runner.ID); err != nil {
		return 0, err
	}
	result, err := a.once(ctx, who, token, func(q *db.Queries) (string, error) {
		if runner.ID == 0 {
			id, err := q.AddRunner(ctx, db.AddRunnerParams{ShopID: who.ShopID, Name: runner.Name, Contact: runner.Contact, Chart: string(runner.Chart), PracticeSeed: seedOf(runner.Practice), MadeBy: who.UserID, MadeAt: a.Now()})
			if err != nil {
				return "", err
			}
			runner.ID = uint64(id)
		}
		id, err := q.AddFit(ctx, db.AddFitParams{ShopID: who.ShopID, RunnerID: runner.ID, FitterID: who.UserID, StartedAt: a.Now()})
		return strconv.FormatInt(id, 10), err
	})
	if err != nil {
		return 0, err
	}
	return strconv.ParseUint(result, 10, 64)
}

func seedOf(seed *uint64) sql.NullInt64 {
	if seed == nil {
		return sql.NullInt64{}
	}
	return sql.NullInt64{Int64: int64(*seed), Valid: true}
}

// Fit loads a fit of the person's shop.
func (a *App) Fit(ctx context.Context, who Actor, id uint64) (*Fit, error) {
	row, err := a.store.FitByID(ctx, db.FitByIDParams{ID: id, ShopID: who.ShopID})
	if err != nil {
		return nil, found(err)
	}
	f := &Fit{ID: row.ID, Fitter: row.Fitter, StartedAt: row.StartedAt, ClosedAt: row.ClosedAt.Time, Findings: map[Key]Finding{}, Decisions: map[string]Decision{},
		Today: a.Today(), Units: who.Units, Currency: who.Currency}
	if f.Runner, err = a.Runner(ctx, who, row.RunnerID); err != nil {
		return nil, err
	}
	if f.Now, _, err = a.Settings(ctx, who); err != nil {
		return nil, err
	}
	if f.Consents, err = a.Consents(ctx, who, f.Runner.ID); err != nil {
		return nil, err
	}
	if f.Races, err = a.Races(ctx, who, f.Runner.ID); err != nil {
		return nil, err
	}
	f.Settings = f.Now
	if !f.Open() {
		if f.Settings, _, err = a.settingsAt(ctx, who, f.ClosedAt); err != nil {
			return nil, err
		}
	}
	findings, err := a.store.FindingsOf(ctx, db.FindingsOfParams{FitID: id, ShopID: who.ShopID})
	if err != nil {
		return nil, err
	}
	for _, r := range findings {
		k := Key{r.Name, term.Side(r.Side), int(r.RepeatNo)}
		f.Findings[k] = Finding{ID: r.ID, Key: k, Number: floatOf(r.NumberValue), Text: r.TextValue.String, Unit: r.Unit, Error: floatOf(r.ErrorValue), How: r.How, Maker: r.Maker, MadeAt: r.MadeAt}
	}
	decisions, err := a.store.LatestDecisions(ctx, db.LatestDecisionsParams{FitID: id, ShopID: who.ShopID})
	if err != nil {
		return nil, err
	}
	for _, d := range decisions {
		if d.Value != "" {
			f.Decisions[d.Kind] = Decision{d.ID, d.Kind, d.Value, d.Reason, d.Basis, d.Maker, d.MadeAt}
		}
	}
	return f, nil
}

// Saved is what a recording did: the rows that were written, newest last.
type Saved struct {
	IDs []uint64
	At  time.Time
}

// Record writes the values that differ from what counts now, a row each. what
// is typed in the person's units is compared as it would be shown, so that a
// form sent again changes nothing.
func (a *App) Record(ctx context.Context, who Actor, fitID uint64, values []Value) (Saved, error) {
	saved := Saved{At: a.Now()}
	if slices.ContainsFunc(values, func(v Value) bool { return v.Field.ByModel }) {
		c, err := a.Catalogue(ctx, who)
		if err != nil {
			return saved, err
		}
		for _, v := range values {
			if v.Field.ByModel && c.byID(uint64(v.Key.Repeat)) == nil {
				return saved, ErrNotFound
			}
		}
	}
	err := a.store.Tx(ctx, func(q *db.Queries) error {
		saved.IDs = nil
		if err := a.lockOpen(ctx, q, who, fitID); err != nil {
			return err
		}
		rows, err := q.FindingsOf(ctx, db.FindingsOfParams{FitID: fitID, ShopID: who.ShopID})
		if err != nil {
			return err
		}
		now := map[Key]db.FindingsOfRow{}
		for _, r := range rows {
			now[Key{r.Name, term.Side(r.Side), int(r.RepeatNo)}] = r
		}
		for _, v := range values {
			was, there := now[v.Key]
			if v.Empty && !there || there && !v.Empty && sameValue(v, was, who.Units) {
				continue
			}
			p := db.AddFindingParams{ShopID: who.ShopID, FitID: fitID, Name: v.Key.Name, Side: string(v.Key.Side), RepeatNo: int32(v.Key.Repeat),
				Unit: string(v.Field.Unit), Withdrawn: v.Empty, How: v.Field.How, MadeBy: who.UserID, MadeAt: saved.At}
			if !v.Empty && v.Field.Kind == Number {
				p.NumberValue = nullFloat(&v.Number)
				if v.Field.Error > 0 {
					p.ErrorValue = nullFloat(&v.Field.Error)
				}
			} else if !v.Empty {
				p.TextValue = sql.NullString{String: v.Text, Valid: true}
			}
			id, err := q.AddFinding(ctx, p)
			if err != nil {
				return err
			}
			saved.IDs = append(saved.IDs, uint64(id))
		}
		return nil
	})
	return saved, err
}

func sameValue(v Value, was db.FindingsOfRow, u units.System) bool {
	if v.Field.Kind == Number {
		return was.NumberValue.Valid && v.Field.Show(v.Number, u) == v.Field.Show(was.NumberValue.Float64, u)
	}
	return was.TextValue.Valid && was.TextValue.String == v.Text
}

func (a *App) lockOpen(ctx context.Context, q *db.Queries, who Actor, fitID uint64) error {
	if _, err := q.LockFit(ctx, db.LockFitParams{ID: fitID, ShopID: who.ShopID}); err != nil {
		return found(err)
	}
	f, err := q.FitByID(ctx, db.FitByIDParams{ID: fitID, ShopID: who.ShopID})
	if err != nil {
		return found(err)
	}
	if f.ClosedAt.Valid {
		return ErrClosed
	}
	return nil
}

// RecordScan writes what a scanner handed over, beside what was measured by hand.
// It fails with a fault.List when a value is not plausible.
func (a *App) RecordScan(ctx context.Context, who Actor, fitID uint64, s device.Scan) (Saved, error) {
	if err := s.Check(); err != nil {
		return Saved{}, err
	}
	var values []Value
	for side, of := range map[term.Side]*device.ScanFoot{term.Left: s.Left, term.Right: s.Right} {
		if of == nil {
			continue
		}
		for i, v := range []*float64{of.LengthMM, of.BallMM, of.HeelMM, of.HeelToBallMM, of.InstepMM} {
			if v != nil {
				values = append(values, Value{Key: Key{ScanFields[i].Name, side, 0}, Field: ScanFields[i], Number: *v})
			}
		}
	}
	return a.Record(ctx, who, fitID, values)
}

// Undo takes findings back to what counted before them, as new rows. A finding
// that was changed again since is left alone.
func (a *App) Undo(ctx context.Context, who Actor, fitID uint64, ids []uint64) (Saved, error) {
	saved := Saved{At: a.Now()}
	err := a.store.Tx(ctx, func(q *db.Queries) error {
		saved.IDs = nil
		if err := a.lockOpen(ctx, q, who, fitID); err != nil {
			return err
		}
		for _, id := range slices.Backward(ids) {
			f, err := q.FindingByID(ctx, db.FindingByIDParams{ID: id, FitID: fitID, ShopID: who.ShopID})
			if err != nil {
				return found(err)
			}
			latest, err := q.FindingBefore(ctx, db.FindingBeforeParams{FitID: fitID, Name: f.Name, Side: f.Side, RepeatNo: f.RepeatNo, ID: 1 << 62})
			if err != nil {
				return found(err)
			}
			if latest.ID != id {
				continue
			}
			p := db.AddFindingParams{ShopID: who.ShopID, FitID: fitID, Name: f.Name, Side: f.Side, RepeatNo: f.RepeatNo, Unit: f.Unit, Withdrawn: true, How: "undone", MadeBy: who.UserID, MadeAt: saved.At}
			before, err := q.FindingBefore(ctx, db.FindingBeforeParams{FitID: fitID, Name: f.Name, Side: f.Side, RepeatNo: f.RepeatNo, ID: id})
			if err == nil {
				p.NumberValue, p.TextValue, p.ErrorValue, p.Withdrawn = before.NumberValue, before.TextValue, before.ErrorValue, before.Withdrawn
			} else if found(err) != ErrNotFound {
				return err
			}
			newID, err := q.AddFinding(ctx, p)
			if err != nil {
				return err
			}
			saved.IDs = append(saved.IDs, uint64(newID))
		}
		return nil
	})
	return saved, err
}

// Overrule lets a fit go on in spite of a caution that refers, with a reason; an
// empty reason takes that back when it is asked for by undo.
func (a *App) Overrule(ctx context.Context, who Actor, fitID uint64, reason string, undo bool) error {
	if who.Role == Trainee {
		return ErrNotAllowed
	}
	reason = strings.TrimSpace(reason)
	value := "go_on"
	if undo {
		value, reason = "", ""
	} else {
		var l fault.List
		text(&l, "reason", reason, 10, 1000)
		if err := l.Err(); err != nil {
			return err
		}
	}
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return err
	}
	basis, err := json.Marshal(map[string]any{"flags": fit.Flags(), "settings": fit.Settings})
	if err != nil {
		return err
	}
	return a.store.Tx(ctx, func(q *db.Queries) error {
		if err := a.lockOpen(ctx, q, who, fitID); err != nil {
			return err
		}
		_, err := q.AddDecision(ctx, db.AddDecisionParams{ShopID: who.ShopID, FitID: fitID, Kind: ReferOverride, Value: value, Reason: reason, Basis: basis, MadeBy: who.UserID, MadeAt: a.Now()})
		return err
	})
}

// OverruleLevel puts a fitter's level of support in place of the lead's, with a
// reason that is kept; undo takes that back. It fails with a fault.List without a
// level or a reason, and while a caution refers the runner.
func (a *App) OverruleLevel(ctx context.Context, who Actor, fitID uint64, level term.Level, reason string, undo bool) error {
	if who.Role == Trainee {
		return ErrNotAllowed
	}
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return err
	}
	answer, err := support.Decide(fit.Evidence())
	if err != nil {
		return err
	}
	reason = strings.TrimSpace(reason)
	if undo {
		level, reason = "", ""
	} else {
		var l fault.List
		fault.OneOf(&l, "level", level, term.Levels)
		text(&l, "level_reason", reason, 10, 1000)
		if answer.Refer {
			l.Add("level", "is not given while a caution refers the runner to a clinician")
		} else if slices.Contains(fit.Flags(), support.PrescribedOrthotic) {
			l.Add("level", "is not chosen over a prescribed orthotic; ask the prescriber")
		}
		if err := l.Err(); err != nil {
			return err
		}
	}
	basis, err := json.Marshal(map[string]any{"evidence": fit.Evidence(), "settings": fit.Settings, "schools": answer})
	if err != nil {
		return err
	}
	return a.store.Tx(ctx, func(q *db.Queries) error {
		if err := a.lockOpen(ctx, q, who, fitID); err != nil {
			return err
		}
		_, err := q.AddDecision(ctx, db.AddDecisionParams{ShopID: who.ShopID, FitID: fitID, Kind: LevelOverrule, Value: string(level), Reason: reason, Basis: basis, MadeBy: who.UserID, MadeAt: a.Now()})
		return err
	})
}

// SetClosed closes a fit, or opens it again. A fit with health answers closes once the
// runner has said whether they may be kept; those that may not go with it. It fails
// with a fault.List at that question.
func (a *App) SetClosed(ctx context.Context, who Actor, fitID uint64, closed bool) error {
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return err
	}
	if closed {
		if _, asked := fit.Consents[HealthConsent]; !asked && fit.HasHealth() {
			return fault.List{{Field: HealthConsent, Text: "is missing: say whether the health answers may be kept; with ‘no’ they go when the fit is closed"}}
		}
		// With the fit go the pictures that nobody agreed to keep.
		pictures, err := a.PrintPictures(ctx, who, fitID)
		if err != nil {
			return err
		}
		for _, p := range pictures {
			if !p.Kept {
				a.images.drop(p.ID)
			}
		}
		if err := a.store.DeleteLoosePicturesOfFit(ctx, db.DeleteLoosePicturesOfFitParams{FitID: fitID, ShopID: who.ShopID}); err != nil {
			return err
		}
		loose, err := a.store.LooseRecordingsOfFit(ctx, db.LooseRecordingsOfFitParams{FitID: fitID, ShopID: who.ShopID})
		if err != nil {
			return err
		}
		for _, id := range loose {
			if err := a.dropFrames(ctx, id); err != nil {
				return err
			}
		}
		return a.store.Tx(ctx, func(q *db.Queries) error {
			if err := q.CloseFit(ctx, db.CloseFitParams{ClosedAt: nullTime(a.Now()), ID: fitID, ShopID: who.ShopID}); err != nil {
				return err
			}
			if c, asked := fit.Consents[HealthConsent]; asked && !c.Agreed(a.Now()) {
				return forgetHealth(ctx, q, who.ShopID, fit.Runner.ID, false)
			}
			return nil
		})
	}
	return a.store.ReopenFit(ctx, db.ReopenFitParams{ID: fitID, ShopID: who.ShopID})
}

// OpenFits lists the fits under way, newest first.
func (a *App) OpenFits(ctx context.Context, who Actor) ([]db.OpenFitsRow, error) {
	return a.store.OpenFits(ctx, db.OpenFitsParams{ShopID: who.ShopID, Limit: 40})
}

// FitsOfRunner lists a runner's fits, newest first.
func (a *App) FitsOfRunner(ctx context.Context, who Actor, runnerID uint64) ([]db.FitsOfRunnerRow, error) {
	return a.store.FitsOfRunner(ctx, db.FitsOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
}
