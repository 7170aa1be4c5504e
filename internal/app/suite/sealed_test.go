package suite_test

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"testing"
	"time"

	"trevik/internal/app/films"
	"trevik/internal/app/suite"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/care"
	"trevik/internal/core/term"
	"trevik/internal/seal"
	"trevik/internal/store"
	"trevik/internal/store/storetest"
)

// raw is everything of the sealed tables as the database holds it, opened by nobody.
func raw(t *testing.T, dsn string) []byte {
	t.Helper()
	plain, err := sql.Open("mysql", dsn)
	must(t, err)
	defer plain.Close()
	var out bytes.Buffer
	for _, table := range []string{"recording_frames", "pictures", "pair_photos", "run_files", "uploads", "upload_files", "findings",
		"decisions", "changes", "change_reports"} {
		rows, err := plain.Query("SELECT * FROM " + table)
		must(t, err)
		columns, err := rows.Columns()
		must(t, err)
		for rows.Next() {
			cells, to := make([]sql.RawBytes, len(columns)), make([]any, len(columns))
			for i := range cells {
				to[i] = &cells[i]
			}
			must(t, rows.Scan(to...))
			fmt.Fprintf(&out, "%s: %s\n", table, bytes.Join(func() (all [][]byte) {
				for _, c := range cells {
					all = append(all, c)
				}
				return
			}(), []byte(" ")))
		}
		must(t, rows.Err())
		must(t, rows.Close())
	}
	return out.Bytes()
}

// other is the application on another opening of the database.
func other(s *store.Store) *suite.Suite {
	return suite.New(s, func() time.Time { return now }, slog.New(slog.DiscardHandler))
}

// exported is a shop as its file.
func exported(t *testing.T, s *suite.Suite, shop uint64) string {
	t.Helper()
	var out bytes.Buffer
	must(t, s.Transfer.Export(context.Background(), shop, 0, &out))
	return out.String()
}

// diff is the first line in which two texts part.
func diff(a, b string) string {
	x, y := strings.Split(a, "\n"), strings.Split(b, "\n")
	for i := range min(len(x), len(y)) {
		if x[i] != y[i] {
			return fmt.Sprintf("line %d: %.300s | %.300s", i+1, x[i], y[i])
		}
	}
	return fmt.Sprintf("%d and %d lines", len(x), len(y))
}

// told tells a runner's health, films them and takes pictures, and gives the fit, the film and
// what must stand nowhere in clear.
func (b *bench) told(t *testing.T) (fit, film uint64, secrets [][]byte) {
	t.Helper()
	ctx := context.Background()
	fit = b.ready(t)
	runner := b.load(t, fit).Runner.ID
	b.typed(t, b.fitter, fit, "hello", "complaints=some", "complaint_place.1=shin", "complaint_side.1=left", "complaint_months.1=7",
		"flags=swelling_heat_redness")
	must(t, b.Visits.Overrule(ctx, b.fitter, fit, "their doctor looked at it yesterday", false))
	old, bare := b.owned(t, runner, "norrbeck-skua-4-men", 200), b.owned(t, runner, "sundrey-plover-2-men", 1)
	must(t, b.Wardrobe.ChangeOver(ctx, b.fitter, runner, wardrobe.ChangeAsked{From: old, To: bare, WeeklyKM: 30,
		Start: b.now.AddDate(0, 0, -20).Format(time.DateOnly)}))
	calf := term.Place("calf")
	must(t, b.Wardrobe.ReportSore(ctx, b.fitter, runner, b.load(t, fit).Runner.Changes[0].ID, care.Report{Week: 1, Soreness: 2, Place: &calf}))
	f, err := b.Films.Begin(ctx, b.fitter, fit, recordingOf(60), 3, true)
	must(t, err)
	frame := someFrame(t)
	must(t, b.Films.AddFrames(ctx, b.fitter, f, []films.Piece{{Number: 0, Data: frame}}))
	photo := someFrame(t)
	must(t, b.Wardrobe.AddPhoto(ctx, b.fitter, runner, old, term.Left, photo))
	return fit, f.ID, [][]byte{[]byte("shin"), []byte("swelling"), []byte("doctor"), []byte("calf"), frame[:64], {0xff, 0xd8, 0xff}}
}

// Nothing of health, of films and of pictures stands in clear, and everything is read as it was
// told; by a new key, and by a new key of the data, it still is, and by no other.
func TestSealed(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit, film, secrets := b.told(t)
	dsn := storetest.DSNOf(t, b.store)
	hidden := func(when string) {
		t.Helper()
		all := raw(t, dsn)
		for _, s := range secrets {
			if at := bytes.Index(all, s); at >= 0 {
				t.Errorf("%s: %q stands in clear: %.120q", when, s, all[max(0, at-60):])
			}
		}
	}
	hidden("at first")
	before := exported(t, b.Suite, b.owner.ShopID)
	for _, s := range []string{"shin", "swelling", "doctor", "calf"} {
		if !strings.Contains(before, s) {
			t.Errorf("%s is missing from what is read back", s)
		}
	}

	after := seal.NewKey()
	if _, err := b.store.Rekey(ctx, seal.NewKey(), after); !errors.Is(err, store.ErrOtherKey) {
		t.Errorf("a stranger's key was taken: %v", err)
	}
	n, err := b.store.Rekey(ctx, storetest.OwnerKey, after)
	if err != nil || n != 1 {
		t.Errorf("rotated %d, %v", n, err)
	}
	again, err := store.Open(dsn)
	must(t, err)
	defer again.Close()
	if err := again.Unlock(ctx, storetest.OwnerKey, b.now); !errors.Is(err, store.ErrOtherKey) {
		t.Errorf("the key before still opens it: %v", err)
	}
	if err := again.NeedKey(ctx); !errors.Is(err, store.ErrNoKey) {
		t.Errorf("opened without a key: %v", err)
	}
	if _, err := other(again).Visits.Fit(ctx, b.fitter, fit); !errors.Is(err, seal.ErrLocked) {
		t.Errorf("read without a key: %v", err)
	}
	must(t, again.Unlock(ctx, after, b.now))
	if got := exported(t, other(again), b.owner.ShopID); got != before {
		t.Error("the new key reads otherwise")
	}
	must(t, again.FreshDataKey(ctx, after, b.now.Add(time.Hour)))
	was, err := again.CountSealed(ctx)
	must(t, err)
	var want int
	for _, x := range was {
		want += int(x.Sealed)
		if x.Clear != 0 {
			t.Errorf("%s: %d in clear", x.Table, x.Clear)
		}
	}
	if n, err := again.SealAll(ctx); err != nil || n != want || want < 8 {
		t.Errorf("sealed %d of %d anew, %v", n, want, err)
	}
	if n, err := again.SealAll(ctx); err != nil || n != 0 {
		t.Errorf("sealed %d once more, %v", n, err)
	}
	if got := exported(t, other(again), b.owner.ShopID); got != before {
		t.Error("the new key of the data reads otherwise")
	}
	if data, err := other(again).Films.FrameData(ctx, b.fitter, film, 0); err != nil || !bytes.Equal(data, someFrame(t)) {
		t.Errorf("a frame comes back otherwise: %v", err)
	}
	hidden("under the new key")
}

// A lost key takes what it sealed and nothing else.
func TestLostKey(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit, film, _ := b.told(t)
	feet := b.load(t, fit).Feet()
	runner := b.load(t, fit).Runner
	lost, err := store.Open(storetest.DSNOf(t, b.store))
	must(t, err)
	defer lost.Close()
	_, err = lost.Forget(ctx, b.now)
	must(t, err)
	must(t, lost.NeedKey(ctx))
	s := other(lost)
	f, err := s.Visits.Fit(ctx, b.fitter, fit)
	must(t, err)
	if len(f.Cautions()) > 0 || f.HasHealth() || f.CautionsAsked() {
		t.Errorf("health answers are still told: %v", f.Cautions())
	}
	if got, want := fmt.Sprint(f.Feet()), fmt.Sprint(feet); got != want {
		t.Errorf("the feet are otherwise: %s, were %s", got, want)
	}
	if len(f.Runner.Pairs) != len(runner.Pairs) {
		t.Errorf("%d pairs, were %d", len(f.Runner.Pairs), len(runner.Pairs))
	}
	if _, err := s.Films.FrameData(ctx, b.fitter, film, 0); err == nil {
		t.Error("a frame is still there")
	}
	if list, err := f.Runner.Changings(f.Today); err != nil || !list[0].Ended {
		t.Errorf("a plan that can no longer listen goes on: %+v, %v", list, err)
	}
	must(t, lost.Unlock(ctx, seal.NewKey(), b.now))
	if got, err := lost.CountSealed(ctx); err != nil || got[0].Sealed+got[0].Clear != 0 {
		t.Errorf("%+v, %v", got, err)
	}
}

// What was written before there was a key, and before health stood apart, is sealed afterwards.
func TestSealedLater(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	b.told(t)
	// As an earlier Trevik wrote it: a file of today holds it so, and these columns did.
	before := exported(t, b.Suite, b.owner.ShopID)
	var file struct {
		Rows store.Copy `json:"rows"`
	}
	must(t, json.Unmarshal([]byte(before), &file))
	for table, rows := range file.Rows.Tables {
		columns := map[string][]string{"findings": {"number_value", "text_value"}, "decisions": {"reason", "basis"}, "changes": {"asked"},
			"change_reports": {"soreness", "place", "night"}}[table]
		for _, r := range rows {
			for _, c := range columns {
				_, err := b.store.DB.Exec("UPDATE "+table+" SET "+c+" = ? WHERE id = ?", r[c], r["id"])
				must(t, err)
			}
			if columns != nil {
				_, err := b.store.DB.Exec("UPDATE "+table+" SET health = NULL WHERE id = ?", r["id"])
				must(t, err)
			}
		}
	}
	if all := raw(t, storetest.DSNOf(t, b.store)); !bytes.Contains(all, []byte("shin")) || !bytes.Contains(all, []byte("doctor")) {
		t.Fatal("nothing stands in clear to begin with")
	}
	if got := exported(t, b.Suite, b.owner.ShopID); got != before {
		t.Errorf("what an earlier Trevik wrote is read otherwise: %s", diff(before, got))
	}
	n, err := b.Transfer.HideAll(ctx)
	if err != nil || n < 5 {
		t.Errorf("%d, %v", n, err)
	}
	all := raw(t, storetest.DSNOf(t, b.store))
	for _, s := range []string{"shin", "swelling", "doctor", "calf"} {
		if bytes.Contains(all, []byte(s)) {
			t.Errorf("%s still stands in clear", s)
		}
	}
	if got := exported(t, b.Suite, b.owner.ShopID); got != before {
		t.Error("read otherwise once it is sealed")
	}
	if n, err := b.Transfer.HideAll(ctx); err != nil || n != 0 {
		t.Errorf("%d once more, %v", n, err)
	}
}
