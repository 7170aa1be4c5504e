package visit

import (
	"cmp"
	"context"
	"database/sql"
	"fmt"
	"slices"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/load"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/device"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Saved is what a recording did: the rows that were written, newest last, and what is to be
// said of it.
type Saved struct {
	IDs   []uint64
	At    time.Time
	Notes []string
}

// Page is what the page showed that a form was sent from: its newest finding (0: it is not
// told), and whether all of its fields were sent or the one that was changed alone.
type Page struct {
	Newest uint64
	Whole  bool
}

// Record writes the values that differ from what counts now, a row each. What is typed in the
// person's units is compared as it would be shown, so that a form sent again changes nothing.
// A value that a page merely carries along does not take back what was written since it was
// shown, and one that takes back what another hand wrote is told. It fails with a fault.List where the values together are more than is
// allowed; then
// those are not written.
func (v *Visits) Record(ctx context.Context, who app.Actor, fitID uint64, page Page, values []record.Value) (Saved, error) {
	if slices.ContainsFunc(values, func(x record.Value) bool { return x.Decl.ByModel }) {
		c, err := v.Shelf.Catalogue(ctx, who)
		if err != nil {
			return Saved{}, err
		}
		for _, x := range values {
			if x.Decl.ByModel && c.ByID(x.Key.Model) == nil {
				return Saved{}, app.ErrNotFound
			}
		}
	}
	var saved Saved
	var faults fault.List
	err := v.Store.Tx(ctx, func(q *db.Queries) (err error) {
		saved, faults, err = v.record(ctx, q, who, fitID, page, values)
		return err
	})
	if err == nil {
		err = faults.Err()
	}
	return saved, err
}

// Put is Record in a verb's transaction, all of it or none.
func (v *Visits) Put(ctx context.Context, q *db.Queries, who app.Actor, fitID uint64, values []record.Value) (Saved, error) {
	saved, faults, err := v.record(ctx, q, who, fitID, Page{}, values)
	if err == nil {
		err = faults.Err()
	}
	return saved, err
}

func (v *Visits) record(ctx context.Context, q *db.Queries, who app.Actor, fitID uint64, page Page, values []record.Value) (Saved,
	fault.List, error) {
	saved := Saved{At: v.Now()}
	runner, err := v.LockOpen(ctx, q, who, fitID)
	if err != nil {
		return saved, nil, err
	}
	rows, err := app.FindingsOf(ctx, q, who.ShopID, []uint64{fitID})
	if err != nil {
		return saved, nil, err
	}
	now, then := map[record.Key]db.LoadFindingsRow{}, map[record.Key]db.LoadFindingsRow{}
	for _, r := range rows {
		k := load.KeyOf(r.Name, r.Side, r.RepeatNo, uint64(r.ModelID.Int64), uint64(r.OtherModelID.Int64), r.RunKind, r.Ground)
		now[k] = r
		if r.ID <= page.Newest {
			then[k] = r
		}
	}
	values, faults := record.Allowed(values, totalsOf(now))
	for _, x := range values {
		was := now[x.Key]
		if same(x, was, who) {
			continue
		}
		if page.Newest > 0 && was.ID > page.Newest {
			if page.Whole && same(x, then[x.Key], who) {
				continue // carried along: what was written since stands
			}
			if was.MadeBy != who.UserID {
				saved.Notes = append(saved.Notes, meanwhile(x, was, who))
			}
		}
		row, err := v.row(who, fitID, x, saved.At)
		if err != nil {
			return saved, nil, err
		}
		id, err := q.AddFinding(ctx, row)
		if err != nil {
			return saved, nil, err
		}
		saved.IDs = append(saved.IDs, uint64(id))
	}
	if len(saved.IDs) > 0 {
		err = v.Touch(ctx, q, who, runner)
	}
	return saved, faults, err
}

// totalsOf are the numbers that count now.
func totalsOf(now map[record.Key]db.LoadFindingsRow) func(record.Key) *float64 {
	return func(k record.Key) *float64 {
		if r, ok := now[k]; ok && !r.Withdrawn {
			return app.FloatOf(r.NumberValue)
		}
		return nil
	}
}

// same says whether a value is what a row holds; a row that is missing or was taken away holds
// nothing.
func same(x record.Value, was db.LoadFindingsRow, who app.Actor) bool {
	there := was.ID != 0 && !was.Withdrawn
	if x.Empty || !there {
		return x.Empty == !there
	}
	if x.Decl.Kind == form.Number {
		text := x.Decl.Name == record.Suitability.Name && was.TextValue.String != x.Text
		return was.NumberValue.Valid && !text && x.Decl.Show(x.Number, who.Units) == x.Decl.Show(was.NumberValue.Float64, who.Units)
	}
	return was.TextValue.Valid && was.TextValue.String == x.Text
}

// meanwhile says that another hand changed a value since the page was loaded.
func meanwhile(x record.Value, was db.LoadFindingsRow, who app.Actor) string {
	value := "took it away"
	switch {
	case was.Withdrawn:
	case x.Decl.Kind == form.Number:
		value = "put " + x.Decl.Show(was.NumberValue.Float64, who.Units)
	default:
		value = fmt.Sprintf("put “%s”", form.Clip(was.TextValue.String))
	}
	return fmt.Sprintf("%s: %s %s at %s, while this page was open; what you sent stands now.", x.Decl.Label, was.Maker, value,
		who.In(was.MadeAt).Format("15:04"))
}

func (v *Visits) row(who app.Actor, fitID uint64, x record.Value, at time.Time) (db.AddFindingParams, error) {
	k, how := x.Key, x.How
	if how == "" {
		how = x.Decl.How
	}
	p := db.AddFindingParams{ShopID: who.ShopID, FitID: fitID, Name: k.Name, Side: string(k.Side), RepeatNo: int32(k.Row),
		ModelID: app.NullID(k.Model), OtherModelID: app.NullID(k.Other),
		RunKind: string(k.Kind), Ground: string(k.Ground), Unit: string(x.Decl.Unit), Withdrawn: x.Empty, How: how, MadeBy: who.UserID,
		MadeAt: at}
	if x.Empty {
		return p, nil
	}
	if x.Decl.Kind == form.Number {
		p.NumberValue = app.NullFloat(&x.Number)
		if sd := cmp.Or(x.Error, x.Decl.Error); sd > 0 {
			p.ErrorValue = app.NullFloat(&sd)
		}
	}
	if x.Decl.Kind != form.Number || x.Text != "" {
		p.TextValue = sql.NullString{String: x.Text, Valid: true}
	}
	if !x.Decl.Health {
		return p, nil
	}
	number := p.NumberValue
	h := app.Hidden{Number: app.FloatOf(number)}
	if text := p.TextValue; text.Valid {
		h.Text = &text.String
	}
	var err error
	p.NumberValue, p.TextValue = sql.NullFloat64{}, sql.NullString{}
	p.Health, err = h.Hide()
	return p, err
}

// RecordScan writes what a scanner handed over, beside what was measured by hand. It fails with
// a fault.List when a value is not plausible.
func (v *Visits) RecordScan(ctx context.Context, who app.Actor, fitID uint64, s device.Scan) (Saved, error) {
	if err := s.Check(); err != nil {
		return Saved{}, err
	}
	var values []record.Value
	for side, of := range map[term.Side]*device.ScanFoot{term.Left: s.Left, term.Right: s.Right} {
		if of == nil {
			continue
		}
		for i, n := range []*float64{of.LengthMM, of.BallMM, of.HeelToBallMM, of.HeelMM, of.InstepMM} {
			if n != nil {
				scan := record.SizeMeasures[i].Scan
				values = append(values, record.Value{Key: scan.Key(side), Decl: scan.Decl, Number: *n})
			}
		}
	}
	return v.Record(ctx, who, fitID, Page{}, values)
}

// Undo takes findings back to what counted before them, as new rows. One that was changed again
// since stays, and that is said.
func (v *Visits) Undo(ctx context.Context, who app.Actor, fitID uint64, ids []uint64) (Saved, error) {
	var saved Saved
	err := v.Do(ctx, who, func(q *db.Queries) error {
		saved = Saved{At: v.Now()}
		runner, err := v.LockOpen(ctx, q, who, fitID)
		if err != nil {
			return err
		}
		for _, id := range slices.Backward(ids) {
			newID, note, err := v.undo(ctx, q, who, fitID, id, saved.At)
			if err != nil {
				return err
			}
			if newID > 0 {
				saved.IDs = append(saved.IDs, newID)
			}
			if note != "" {
				saved.Notes = append(saved.Notes, note)
			}
		}
		return v.Touch(ctx, q, who, runner)
	})
	return saved, err
}

func (v *Visits) undo(ctx context.Context, q *db.Queries, who app.Actor, fitID, id uint64, at time.Time) (newID uint64, note string,
	err error) {
	f, err := q.FindingByID(ctx, db.FindingByIDParams{ID: id, FitID: fitID, ShopID: who.ShopID})
	if err != nil {
		return 0, "", app.Found(err)
	}
	all, err := q.FindingsBefore(ctx, db.FindingsBeforeParams{FitID: fitID, Name: f.Name, Side: f.Side, RepeatNo: f.RepeatNo,
		ModelID: f.ModelID, OtherModelID: f.OtherModelID, RunKind: f.RunKind, Ground: f.Ground})
	if err != nil {
		return 0, "", err
	}
	if len(all) == 0 || all[0].ID != id {
		return 0, record.LabelOf(f.Name) + " was changed again since, so it stays as it is.", nil
	}
	p := db.AddFindingParams{ShopID: who.ShopID, FitID: fitID, Name: f.Name, Side: f.Side, RepeatNo: f.RepeatNo, ModelID: f.ModelID,
		OtherModelID: f.OtherModelID, RunKind: f.RunKind, Ground: f.Ground,
		Unit: f.Unit, Withdrawn: true, How: "undone", MadeBy: who.UserID, MadeAt: at}
	if len(all) > 1 {
		b := all[1]
		p.NumberValue, p.TextValue, p.Health, p.ErrorValue, p.Withdrawn = b.NumberValue, b.TextValue, b.Health, b.ErrorValue, b.Withdrawn
	}
	made, err := q.AddFinding(ctx, p)
	return uint64(made), "", err
}
