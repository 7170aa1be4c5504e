package suite_test

import (
	"context"
	"errors"
	"sync"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/runlog"
	"trevik/internal/core/term"
)

// What a form does is put down in the transaction that does it, once; its entries are sealed one over
// the other, however many write at once; each way of touching them shows.
func TestAuditLog(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	pair := b.owned(t, runner, "norrbeck-skua-4-men", 200)
	who := b.fitter
	who.Form = app.Form{Token: "AUDITAAAAAAAAAAAAAAAAAAAAA", Name: "/fits/:fit/runs", Path: "/fits/1/runs"}
	typed := runlog.Typed{PairID: pair, On: b.now.Format(time.DateOnly), KM: ptr(5.0), Ground: term.GroundRoad, Kind: term.Easy}
	for range 2 { // the second sending does nothing, and says nothing
		_, err := b.Runs.Add(ctx, who, runner, typed)
		must(t, err)
	}
	typed.KM = ptr(-5.0)
	who.Form.Token = "AUDITBBBBBBBBBBBBBBBBBBBBB"
	if _, err := b.Runs.Add(ctx, who, runner, typed); err == nil {
		t.Fatal("-5 km")
	}
	log := func(f app.AuditFilter) []app.AuditLine {
		t.Helper()
		lines, err := b.AuditLog(ctx, b.owner, f, 1000, 0)
		must(t, err)
		return lines
	}
	if lines := log(app.AuditFilter{Did: app.Changed}); len(lines) != 1 || lines[0].Who != "fitter" || lines[0].What != "/fits/:fit/runs" ||
		lines[0].RunnerID != runner {
		t.Fatalf("%+v", lines)
	}
	var all sync.WaitGroup
	for i := range 24 {
		all.Go(func() {
			if err := b.Audit(ctx, b.fitter, app.Entry{Did: app.Exported, What: "file", Subject: "x", RunnerID: uint64(i%3 + 1)}); err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	for range 3 {
		must(t, b.Seen(ctx, b.trainee, app.Entry{What: "the runner", RunnerID: runner}))
	}
	if lines := log(app.AuditFilter{Did: app.Saw}); len(lines) != 1 {
		t.Errorf("seen %d times in an hour", len(lines))
	}
	b.now = b.now.Add(2 * time.Hour)
	must(t, b.Seen(ctx, b.trainee, app.Entry{What: "the runner", RunnerID: runner}))
	if lines := log(app.AuditFilter{Did: app.Saw, UserID: b.trainee.UserID}); len(lines) != 2 {
		t.Errorf("%d times in two hours", len(lines))
	}
	n, err := b.CheckAudit(ctx, b.fitter.ShopID)
	if err != nil || n != 27 || len(log(app.AuditFilter{})) != 27 || len(log(app.AuditFilter{RunnerID: 2, Did: app.Exported})) != 8 {
		t.Fatalf("%d entries, %v", n, err)
	}
	if n, err := b.CheckAudit(ctx, b.other.ShopID); err != nil || n != 0 {
		t.Errorf("another shop's: %d, %v", n, err)
	}
	if _, err := b.AuditLog(ctx, b.fitter, app.AuditFilter{}, 10, 0); !errors.Is(err, app.ErrNotAllowed) {
		t.Errorf("a fitter reads it: %v", err)
	}
	for name, touch := range map[string][2]string{
		"another name": {"UPDATE audit SET who = 'nobody' WHERE number = 7", "UPDATE audit SET who = 'fitter' WHERE number = 7"},
		"another hour": {"UPDATE audit SET made_at = made_at + INTERVAL 1 HOUR WHERE number = 9",
			"UPDATE audit SET made_at = made_at - INTERVAL 1 HOUR WHERE number = 9"},
		"the last gone": {"UPDATE audit SET shop_id = 2 WHERE number = 27", "UPDATE audit SET shop_id = 1 WHERE number = 27"},
		"one gone":      {"UPDATE audit SET shop_id = 2 WHERE number = 5", "UPDATE audit SET shop_id = 1 WHERE number = 5"},
	} {
		must(t, exec(b, touch[0]))
		if _, err := b.CheckAudit(ctx, b.fitter.ShopID); !errors.Is(err, app.ErrAudit) {
			t.Errorf("%s: %v", name, err)
		}
		must(t, exec(b, touch[1]))
	}
	if _, err := b.CheckAudit(ctx, b.fitter.ShopID); err != nil {
		t.Errorf("as it was: %v", err)
	}
	must(t, exec(b, "UPDATE audit SET seal = UNHEX(REPEAT('ab', 32)) WHERE number = 27"))
	if _, err := b.CheckAudit(ctx, b.fitter.ShopID); !errors.Is(err, app.ErrAudit) {
		t.Errorf("sealed anew: %v", err)
	}
}
