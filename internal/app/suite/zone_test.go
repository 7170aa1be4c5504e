package suite_test

import (
	"context"
	"database/sql"
	"errors"
	"strings"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/runlog"
	"trevik/internal/app/visit"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/care"
	"trevik/internal/core/term"
	"trevik/internal/record"
)

// Today, the weeks of the board and what is 'after today' follow the shop's own clock, at both
// ends of the world and over a change of clocks.
func TestShopsOwnDays(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	for _, c := range []struct {
		zone, today string
		at          time.Time
	}{
		{"Pacific/Kiritimati", "2026-11-25", time.Date(2026, 11, 24, 10, 30, 0, 0, time.UTC)},
		{"Pacific/Pago_Pago", "2026-11-23", time.Date(2026, 11, 24, 10, 30, 0, 0, time.UTC)},
		{"Europe/Amsterdam", "2026-03-29", time.Date(2026, 3, 28, 23, 30, 0, 0, time.UTC)}, // the night of the change
		{"Australia/Sydney", "2026-04-05", time.Date(2026, 4, 4, 13, 30, 0, 0, time.UTC)},  // back again, in the south
	} {
		b.now = c.at
		must(t, b.People.ChangeSettings(ctx, b.owner, map[string]string{record.TimeZone: c.zone}))
		who, err := b.People.Actor(ctx, b.fitter.UserID)
		must(t, err)
		b.fitter = who
		fit := b.ready(t)
		f := b.load(t, fit)
		if got := f.Today.Format(time.DateOnly); got != c.today {
			t.Errorf("%s: today is %s, want %s", c.zone, got, c.today)
		}
		tomorrow := f.Today.AddDate(0, 0, 1).Format(time.DateOnly)
		run := runlog.Typed{On: c.today, KM: ptr(5.0), Ground: term.GroundRoad, Kind: term.Easy}
		_, err = b.Runs.Add(ctx, b.fitter, f.Runner.ID, run)
		must(t, err)
		run.On = tomorrow
		_, err = b.Runs.Add(ctx, b.fitter, f.Runner.ID, run)
		faultAt(t, err, "on", "after today")
		// Weeks in turn begin on the shop's Mondays, 7 days apart whatever the clocks do.
		b.typed(t, b.fitter, fit, "rotation", "plan_weeks=A_and_B_in_turn")
		f = b.load(t, fit)
		monday := f.Today.AddDate(0, 0, -(int(f.Today.Weekday())+6)%7)
		for week := range 60 {
			for day := range 7 {
				if got := f.WeekOn(monday.AddDate(0, 0, 7*week+day)); got != week%2 {
					t.Fatalf("%s: day %d of week %d lies in week %d", c.zone, day, week, got)
				}
			}
		}
	}
	for _, bad := range []string{"Mars/Olympus", "", "Local", "../etc/passwd"} {
		if err := b.People.ChangeSettings(ctx, b.owner, map[string]string{record.TimeZone: bad}); bad != "" && err == nil {
			t.Errorf("%q is a time zone", bad)
		}
	}
}

// Withdrawing the consent takes the health answers out of plans for changing over and what was
// told of them; such a plan ends. Who is erased is gone for whoever comes a moment later.
func TestHealthGoesFromPlans(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	old, bare := b.owned(t, runner, "norrbeck-skua-4-men", 200), b.owned(t, runner, "sundrey-plover-2-men", 1)
	b.typed(t, b.fitter, fit, "hello", "complaints=some", "complaint_place.1=shin", "complaint_side.1=left", "complaint_months.1=12")
	must(t, b.Wardrobe.ChangeOver(ctx, b.fitter, runner, wardrobe.ChangeAsked{From: old, To: bare, WeeklyKM: 30,
		Start: b.now.AddDate(0, 0, -20).Format(time.DateOnly)}))
	plans := b.load(t, fit).Runner.Changes
	calf := term.Place("calf")
	must(t, b.Wardrobe.ReportSore(ctx, b.fitter, runner, plans[0].ID, care.Report{Week: 1, Soreness: 3, Place: &calf}))
	held := func() string {
		rows, err := b.store.DB.Query("SELECT r.health FROM change_reports r JOIN changes c ON c.id = r.change_id WHERE c.runner_id = ? "+
			"UNION ALL SELECT asked FROM changes WHERE runner_id = ? UNION ALL SELECT health FROM changes WHERE runner_id = ?",
			runner, runner, runner)
		must(t, err)
		defer rows.Close()
		var all string
		for rows.Next() {
			var text sql.NullString
			must(t, rows.Scan(&text))
			all += text.String + "\n"
		}
		must(t, rows.Err())
		return all
	}
	if before := held(); !strings.Contains(before, "calf") || !strings.Contains(before, "shin") {
		t.Fatalf("there is nothing to forget: %s", before)
	}
	must(t, b.Transfer.SetConsents(ctx, b.fitter, runner, map[string]string{record.HealthConsent: record.ConsentWithdrawn}))
	if after := held(); strings.Contains(after, "calf") || strings.Contains(after, "shin") {
		t.Errorf("left behind: %s", after)
	}
	f := b.load(t, fit)
	if list, err := f.Runner.Changings(f.Today); err != nil || !list[0].Ended {
		t.Errorf("%+v %v", list, err)
	}

	must(t, b.Transfer.Erase(ctx, b.owner, runner))
	for name, err := range map[string]error{
		"a run": func() error {
			_, err := b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{On: "2026-11-24", KM: ptr(5.0), Ground: term.GroundRoad, Kind: term.Easy})
			return err
		}(),
		"a finding": func() error {
			d, k := found("mass_kg")
			_, err := b.Visits.Record(ctx, b.fitter, fit, visit.Page{}, []record.Value{{Key: k, Decl: d, Number: 70}})
			return err
		}(),
		"their fit": func() error { _, err := b.Visits.Fit(ctx, b.fitter, fit); return err }(),
	} {
		if !errors.Is(err, app.ErrNotFound) {
			t.Errorf("%s of who was erased: %v", name, err)
		}
	}
	b.settled(t)
	var left int
	must(t, b.store.DB.QueryRow("SELECT (SELECT COUNT(*) FROM runners WHERE id = ?) + (SELECT COUNT(*) FROM fits WHERE runner_id = ?) + "+
		"(SELECT COUNT(*) FROM changes WHERE runner_id = ?)", runner, runner, runner).Scan(&left))
	if left != 0 {
		t.Errorf("%d rows are left", left)
	}
}
