package app_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
	"trevik/internal/device"
	"trevik/internal/runtable"
)

// owned gives the runner a pair of a model since some days ago.
func (b *bench) owned(t *testing.T, runner uint64, code string, daysAgo int) uint64 {
	t.Helper()
	id, err := b.AddOwnedPair(context.Background(), b.fitter, b.token(), runner, app.OwnedPair{Code: code, UK: 8, Price: 14000, Since: b.now.AddDate(0, 0, -daysAgo).Format(time.DateOnly)})
	must(t, err)
	return id
}

// watched are the files of a watch's weeks up to now.
func (b *bench) watched(t *testing.T, seed uint64, weeks int) []app.NamedFile {
	t.Helper()
	w, err := device.NewWatch(device.WatchOptions{Seed: seed, Weeks: weeks, Until: b.now.AddDate(0, 0, -1), WeeklyKM: 30, Days: 3})
	must(t, err)
	var out []app.NamedFile
	for _, r := range w.Truth.Runs {
		out = append(out, app.NamedFile{Name: r.File, Data: r.GPX})
	}
	return out
}

func zipped(t *testing.T, files []app.NamedFile) app.NamedFile {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, f := range files {
		w, err := z.Create("export/" + f.Name)
		must(t, err)
		_, err = w.Write(f.Data)
		must(t, err)
	}
	must(t, z.Close())
	return app.NamedFile{Name: "runs.zip", Data: b.Bytes()}
}

// read waits until a file is read.
func (b *bench) read(t *testing.T, runner uint64, files ...app.NamedFile) app.RunProgress {
	t.Helper()
	in, err := b.ReadRuns(context.Background(), b.fitter, runner, files)
	must(t, err)
	for range 2000 {
		if p := in.Progress(); !p.Reading {
			return p
		}
		time.Sleep(5 * time.Millisecond)
	}
	t.Fatal("it is read for ever")
	return app.RunProgress{}
}

// sums checks that no metre was lost or made.
func (b *bench) sums(t *testing.T) int64 {
	t.Helper()
	n, drifts, err := b.CheckRuns(context.Background(), b.fitter.ShopID)
	must(t, err)
	for _, d := range drifts {
		t.Error(d.Text)
	}
	return n
}

// A zip of a watch's weeks is read behind, held against what is there, put in whole, and
// recognised when it comes again, as files or as a table.
func TestRunFiles(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	files := b.watched(t, 5, 3)
	p := b.read(t, runner, zipped(t, files))
	if p.New != len(files) || p.There != 0 || len(p.Faults) != 0 || p.Done != len(files) {
		t.Fatalf("%d new of %d: %+v %v", p.New, len(files), p.Faults, p.Err)
	}
	n, err := b.PutRunsIn(ctx, b.fitter, runner, false)
	if err != nil || n != len(files) {
		t.Fatalf("%d put in, %v", n, err)
	}
	if b.RunImportOf(b.fitter, runner) != nil {
		t.Error("the file still waits")
	}
	loose, err := b.LooseRuns(ctx, b.fitter, runner)
	must(t, err)
	if len(loose) != len(files) || loose[0].StartedAt.IsZero() || loose[0].Minutes == nil || loose[0].FileID == 0 || loose[0].How != app.ByGPX {
		t.Fatalf("%d, the first %+v", len(loose), loose[0])
	}
	name, data, err := b.RunFile(ctx, b.fitter, runner, loose[0].FileID)
	if err != nil || name == "" || !bytes.Contains(data, []byte("<gpx")) {
		t.Errorf("the file that it came from: %q %v", name, err)
	}
	if p := b.read(t, runner, files...); p.New != 0 || p.There != len(files) {
		t.Errorf("again: %d new, %d there", p.New, p.There)
	}
	if n, err := b.PutRunsIn(ctx, b.fitter, runner, false); err != nil || n != 0 {
		t.Errorf("again: %d put in, %v", n, err)
	}
	// The same runs as a table, by day and hour.
	var table strings.Builder
	table.WriteString("Date;Start;km\n")
	for _, r := range loose {
		fmt.Fprintf(&table, "%s;%s;%s\n", r.On.Format("02.01.2006"), r.StartedAt.Format("15:04"), strings.Replace(fmt.Sprintf("%.2f", r.KM), ".", ",", 1))
	}
	b.read(t, runner, app.NamedFile{Name: "a.csv", Data: []byte(table.String())})
	in := b.RunImportOf(b.fitter, runner)
	if in.Table == nil || in.Columns.Order != "day_month_year" {
		t.Fatalf("%+v", in.Columns)
	}
	must(t, b.SettleColumns(ctx, b.fitter, runner, in.Columns))
	if p := in.Progress(); p.There != len(files) || p.New != 0 {
		t.Errorf("as a table: %d there, %d new, %v", p.There, p.New, p.Faults)
	}
	if n := b.sums(t); n != int64(len(files)) {
		t.Errorf("%d runs", n)
	}

	for _, format := range []string{"csv", "json", "gpx"} {
		var out bytes.Buffer
		must(t, b.ExportRuns(ctx, b.fitter, runner, format, &out))
		switch format {
		case "csv":
			rows, err := csv.NewReader(&out).ReadAll()
			if err != nil || len(rows) != len(files)+1 {
				t.Errorf("csv: %d rows, %v", len(rows), err)
			}
		case "gpx":
			z, err := zip.NewReader(bytes.NewReader(out.Bytes()), int64(out.Len()))
			if err != nil || len(z.File) != len(files) {
				t.Errorf("gpx: %v", err)
			}
		default:
			if strings.Count(out.String(), `"km"`) != len(files) {
				t.Error(out.String())
			}
		}
	}
	if err := b.ExportRuns(ctx, b.fitter, runner, "doc", &bytes.Buffer{}); !errors.Is(err, app.ErrNotFound) {
		t.Error(err)
	}
}

// What is at fault is told by file and line, and nothing goes in: a table never in part,
// files only when those at fault are to be left out.
func TestRunFilesAtFault(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	runner := b.load(t, b.ready(t)).Runner.ID
	good := b.watched(t, 6, 1)
	bad := app.NamedFile{Name: "bomb.gpx", Data: []byte("<?xml version=\"1.0\"?>\n<!DOCTYPE gpx [<!ENTITY a \"aa\">]><gpx>&a;</gpx>")}
	ride := app.NamedFile{Name: "ride.gpx", Data: bytes.Replace(good[0].Data, []byte("<type>"), []byte("<type>cycling </type><x>"), 1)}
	ride.Data = bytes.Replace(ride.Data, []byte("</type>\n"), []byte("</x>\n"), 1)
	p := b.read(t, runner, append([]app.NamedFile{bad}, good...)...)
	if len(p.Faults) != 1 || p.Faults[0].Field != "bomb.gpx, line 2" || p.New != len(good) {
		t.Fatalf("%v, %d new", p.Faults, p.New)
	}
	if _, err := b.PutRunsIn(ctx, b.fitter, runner, false); err == nil {
		t.Error("put in with a file at fault")
	}
	if n := b.sums(t); n != 0 {
		t.Errorf("%d runs half put in", n)
	}
	if n, err := b.PutRunsIn(ctx, b.fitter, runner, true); err != nil || n != len(good) {
		t.Errorf("without the bad one: %d, %v", n, err)
	}
	b.read(t, runner, app.NamedFile{Name: "a.csv", Data: []byte("Date,Distance\n2026-11-01,8\n2026-11-02,=2+2\n2026-11-03,far\n")})
	in := b.RunImportOf(b.fitter, runner)
	must(t, b.SettleColumns(ctx, b.fitter, runner, in.Columns))
	if p := in.Progress(); len(p.Faults) != 2 || p.Faults[0].Field != "line 3" || p.Faults[1].Field != "line 4" {
		t.Errorf("%v", p.Faults)
	}
	if _, err := b.PutRunsIn(ctx, b.fitter, runner, true); err == nil {
		t.Error("a table is put in by parts")
	}
	if b.RunImportOf(b.fitter, runner) == nil {
		t.Error("the file was let go of by itself")
	}
	b.DropRunImport(b.fitter, runner)
	if _, err := b.PutRunsIn(ctx, b.fitter, runner, true); err == nil {
		t.Error("nothing was put in")
	}
	// The same header is read at once from now on.
	b.read(t, runner, app.NamedFile{Name: "b.csv", Data: []byte("Date,Distance\n2026-11-01,8\n")})
	if p := b.RunImportOf(b.fitter, runner).Progress(); p.New != 1 {
		t.Errorf("its columns are not remembered: %+v", p)
	}
	if err := b.SettleColumns(ctx, b.fitter, runner, runtable.Columns{}); err == nil {
		t.Error("no columns are settled")
	}
	for name, f := range map[string]app.NamedFile{
		"an empty zip": zipped(t, nil), "a broken zip": {Name: "x.zip", Data: []byte("PK\x03\x04 no")}, "a picture": {Name: "x.png", Data: []byte("\x89PNG\r\n\x1a\n\x00\x00")}, "nothing": {Name: "x.gpx"},
	} {
		if _, err := b.ReadRuns(ctx, b.fitter, runner, []app.NamedFile{f}); err == nil {
			t.Errorf("%s is read", name)
		} else if l, ok := fault.As(err); !ok || l[0].Field != "runs_file" {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := b.ReadRuns(ctx, b.other, runner, good); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("another shop's runner: %v", err)
	}
	if _, err := b.ReadRuns(ctx, b.fitter, runner, nil); err == nil {
		t.Error("no file")
	}
}

// However runs are added, moved, split, withdrawn and put back, the sum over pairs and
// those without one is the sum over runs, to the metre.
func TestSumsNeverDrift(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	r := rand.New(rand.NewPCG(8, 3))
	runner := b.load(t, b.ready(t)).Runner.ID
	pairs := []uint64{0, b.owned(t, runner, "norrbeck-skua-4-men", 200), b.owned(t, runner, "norrbeck-skua-3-men", 200)}
	all := func() []app.Run {
		list, err := b.Pairs(ctx, b.fitter, runner)
		must(t, err)
		out, err := b.LooseRuns(ctx, b.fitter, runner)
		must(t, err)
		for _, p := range list {
			out = append(out, p.Runs...)
		}
		return out
	}
	for range 25 {
		_, err := b.AddRun(ctx, b.fitter, b.token(), runner, app.NewRun{PairID: pairs[r.IntN(3)], On: b.now.AddDate(0, 0, -r.IntN(150)).Format(time.DateOnly), KM: float64(300+r.IntN(20000)) / 1000, Ground: term.GroundRoad, Kind: term.Easy})
		must(t, err)
	}
	sum := func() (metres int64) {
		for _, x := range all() {
			metres += int64(math.Round(1000 * x.KM))
		}
		return metres
	}
	before := sum()
	var gone []uint64
	for range 60 {
		list := all()
		x := list[r.IntN(len(list))]
		switch r.IntN(4) {
		case 0:
			must(t, b.MoveRuns(ctx, b.fitter, runner, []uint64{x.ID, list[0].ID}, pairs[r.IntN(3)]))
		case 1:
			must(t, b.SetRunCounts(ctx, b.fitter, runner, x.ID, false))
			gone = append(gone, x.ID)
		case 2:
			if len(gone) > 0 {
				must(t, b.SetRunCounts(ctx, b.fitter, runner, gone[0], true))
				gone = gone[1:]
			}
		default:
			km := math.Floor(1000*x.KM*r.Float64()) / 1000
			err := b.SplitLogged(ctx, b.fitter, runner, x.ID, km, pairs[r.IntN(3)], term.Intervals)
			if l, ok := fault.As(err); err != nil && (!ok || l[0].Field != "split_km") {
				t.Fatal(err)
			} else if err == nil && (km < 0.1 || km > x.KM-0.0999) {
				t.Fatalf("%g of %g km are split off", km, x.KM)
			}
		}
		b.sums(t)
	}
	for _, id := range gone {
		must(t, b.SetRunCounts(ctx, b.fitter, runner, id, true))
	}
	if after := sum(); after != before {
		t.Errorf("%d m became %d m", before, after)
	}
	for name, c := range map[string]struct {
		do   func() error
		want any
	}{
		"another's run":    {func() error { return b.MoveRuns(ctx, b.other, runner, []uint64{all()[0].ID}, 0) }, app.ErrNotFound},
		"no such run":      {func() error { return b.MoveRuns(ctx, b.fitter, runner, []uint64{99999}, pairs[1]) }, app.ErrNotFound},
		"no such pair":     {func() error { return b.MoveRuns(ctx, b.fitter, runner, []uint64{all()[0].ID}, 9999) }, app.ErrNotFound},
		"no run":           {func() error { return b.MoveRuns(ctx, b.fitter, runner, nil, pairs[1]) }, "run"},
		"split by a kind":  {func() error { return b.SplitLogged(ctx, b.fitter, runner, all()[0].ID, 1, 0, term.Gym) }, "split_kind"},
		"split in another": {func() error { return b.SplitLogged(ctx, b.fitter, runner, all()[0].ID, 1, 9999, term.Easy) }, app.ErrNotFound},
	} {
		err := c.do()
		if want, ok := c.want.(error); ok && !errors.Is(err, want) {
			t.Errorf("%s: %v", name, err)
		} else if field, ok := c.want.(string); ok {
			if l, is := fault.As(err); !is || l[0].Field != field {
				t.Errorf("%s: %v", name, err)
			}
		}
	}
	b.sums(t)
}

// New runs go by the narrowest rule that holds, two of a favourite in turn, and the runs
// without a pair are offered by ground since the pair was theirs.
func TestRulesAndOffers(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	one, two := b.owned(t, runner, "norrbeck-skua-4-men", 60), b.owned(t, runner, "norrbeck-skua-3-men", 30)
	trail := b.owned(t, runner, "quillon-godwit-4-men", 60)
	add := func(daysAgo int, kind term.Kind, ground term.Ground, pair uint64) {
		t.Helper()
		_, err := b.AddRun(ctx, b.fitter, b.token(), runner, app.NewRun{PairID: pair, On: b.now.AddDate(0, 0, -daysAgo).Format(time.DateOnly), Start: "07:00", KM: 8, Ground: ground, Kind: kind})
		must(t, err)
	}
	where := func(pair uint64) int {
		t.Helper()
		list, err := b.Pairs(ctx, b.fitter, runner)
		must(t, err)
		for _, p := range list {
			if p.ID == pair {
				return len(p.Runs)
			}
		}
		return -1
	}
	add(40, term.Easy, term.GroundRoad, 0)
	add(20, term.Easy, term.GroundRoad, 0)
	add(20, term.Easy, term.GroundTrail, 0)
	loose, err := b.LooseRuns(ctx, b.fitter, runner)
	must(t, err)
	pairs, err := b.Pairs(ctx, b.fitter, runner)
	must(t, err)
	offers := map[uint64]int{}
	for _, o := range b.load(t, fit).Offers(pairs, loose) {
		offers[o.Pair.ID] += len(o.IDs)
		if o.Pair.ID == two && o.From.Before(b.now.AddDate(0, 0, -31)) {
			t.Error("a run before the pair was theirs is offered")
		}
	}
	if offers[one] != 2 || offers[two] != 1 || offers[trail] != 1 {
		t.Errorf("offered: %v", offers)
	}
	must(t, b.AddRule(ctx, b.fitter, runner, app.Rule{Ground: term.GroundRoad, PairID: one, Second: two}))
	must(t, b.AddRule(ctx, b.fitter, runner, app.Rule{Kind: term.Long, Ground: term.GroundRoad, PairID: two}))
	must(t, b.AddRule(ctx, b.fitter, runner, app.Rule{Ground: term.GroundTrail, PairID: trail}))
	for i := range 6 {
		add(15-2*i, term.Easy, term.GroundRoad, 0)
	}
	if where(one) != 3 || where(two) != 3 {
		t.Errorf("in turn: %d and %d", where(one), where(two))
	}
	add(2, term.Long, term.GroundRoad, 0)
	add(2, term.Easy, term.GroundTrail, 0)
	add(50, term.Long, term.GroundRoad, 0) // before the second was theirs: the wider rule
	if where(two) != 4 || where(trail) != 1 || where(one) != 4 {
		t.Errorf("by kind and ground: %d, %d, %d", where(two), where(trail), where(one))
	}
	must(t, b.SetAside(ctx, b.fitter, runner, two, true, "broken", ""))
	add(1, term.Long, term.GroundRoad, 0)
	if where(one) != 5 {
		t.Error("a rule of a pair that was set aside")
	}
	rules, err := b.Rules(ctx, b.fitter, runner)
	must(t, err)
	must(t, b.TakeRuleBack(ctx, b.fitter, runner, rules[0].ID))
	if err := b.TakeRuleBack(ctx, b.fitter, runner, rules[0].ID); !errors.Is(err, app.ErrNotFound) {
		t.Error(err)
	}
	for field, rule := range map[string]app.Rule{"rule_pair": {PairID: 9999}, "rule_second": {PairID: one, Second: one}, "rule_kind": {Kind: term.Gym, PairID: one}, "rule_ground": {Ground: "lava", PairID: one}} {
		if l, ok := fault.As(b.AddRule(ctx, b.fitter, runner, rule)); !ok || l[0].Field != field {
			t.Errorf("%s: %v", field, l)
		}
	}
	b.sums(t)
}

// What is looked at, set aside and lifted in moves the forecast, as the wear model says.
func TestLooksAndHistory(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	old, pair := b.owned(t, runner, "norrbeck-skua-3-men", 300), b.owned(t, runner, "norrbeck-skua-4-men", 100)
	for i := range 12 {
		_, err := b.AddRun(ctx, b.fitter, b.token(), runner, app.NewRun{PairID: old, On: b.now.AddDate(0, 0, -290+i).Format(time.DateOnly), KM: 25, Ground: term.GroundRoad, Kind: term.Easy})
		must(t, err)
		_, err = b.AddRun(ctx, b.fitter, b.token(), runner, app.NewRun{PairID: pair, On: b.now.AddDate(0, 0, -90+i).Format(time.DateOnly), KM: 20, Ground: term.GroundRoad, Kind: term.Easy})
		must(t, err)
	}
	worn := func() wear.Answer {
		t.Helper()
		f := b.load(t, fit)
		pairs, err := b.Pairs(ctx, b.fitter, runner)
		must(t, err)
		list, err := f.Worn(f.Serve(pairs))
		must(t, err)
		for _, w := range list {
			if w.Pair.ID == pair {
				return w.Wear
			}
		}
		t.Fatal("the pair is gone")
		return wear.Answer{}
	}
	before := worn()
	must(t, b.SetAside(ctx, b.fitter, runner, old, true, app.WornOut, "flat after 300 km"))
	if a := worn(); a.Schools.ByOwnHistory.LeftKM == nil || a.RemainingKM.P50 >= before.RemainingKM.P50 {
		t.Errorf("their own history of 300 km moves nothing: %+v", a.Schools.ByOwnHistory)
	}
	must(t, b.SetAside(ctx, b.fitter, runner, old, false, "", ""))
	must(t, b.SetAside(ctx, b.fitter, runner, old, true, "hurts", ""))
	if a := worn(); a.Schools.ByOwnHistory.LeftKM != nil {
		t.Error("a pair that hurt is a history of wear")
	}
	now := worn().RemainingKM.P50
	must(t, b.AddLook(ctx, b.fitter, runner, pair, app.NewLook{Grades: map[string]map[term.Side]string{"tread": {term.Left: "3", term.Right: "1"}, "bounce": {term.Left: "3"}}, Causes: []string{"more_hills"}}))
	if a := worn(); a.RemainingKM.P50 >= now {
		t.Errorf("three quarters gone after 240 km leave %g of %g km", a.RemainingKM.P50, now)
	}
	pairs, err := b.Pairs(ctx, b.fitter, runner)
	must(t, err)
	var look app.Inspected
	for _, p := range pairs {
		if p.ID == pair {
			look = p.Inspected[0]
		}
	}
	if *look.Worse("tread") != 0.75 || *look.Worse("bounce") != 0.75 || look.Worse("upper") != nil || look.Causes[0] != "more_hills" {
		t.Errorf("%+v", look)
	}
	must(t, b.TakeLookBack(ctx, b.fitter, runner, look.ID))
	if a := worn(); a.RemainingKM.P50 != now {
		t.Error("taken back, it still counts")
	}
	must(t, b.AddLook(ctx, b.fitter, runner, pair, app.NewLook{Faults: []string{"sole_through"}}))
	if a := worn(); a.State != wear.SetAside {
		t.Errorf("through to the midsole, and it is %s", a.State)
	}
	must(t, b.AddLifting(ctx, b.fitter, runner, pair, 5))
	if a := worn(); a.EffectiveKM != before.EffectiveKM+40 {
		t.Errorf("five hours of lifting: %g of %g effective km", a.EffectiveKM, before.EffectiveKM)
	}
	race := b.now.AddDate(0, 2, 0).Format(time.DateOnly)
	must(t, b.AddRace(ctx, b.fitter, runner, "Causeway", race, 42.2, pair))
	if a := worn(); len(a.Races) != 1 || a.Races[0].Date != race || a.Races[0].PFail <= 0 {
		t.Errorf("%+v", a.Races)
	}
	races, err := b.Races(ctx, b.fitter, runner)
	must(t, err)
	must(t, b.TakeRaceBack(ctx, b.fitter, runner, races[0].ID))
	if a := worn(); len(a.Races) != 0 {
		t.Error("the race is still there")
	}
	must(t, b.SlowDown(ctx, b.fitter, runner, pair, true))
	for field, err := range map[string]error{
		"looked_on":       b.AddLook(ctx, b.fitter, runner, pair, app.NewLook{On: b.now.AddDate(0, 0, 1).Format(time.DateOnly), Faults: []string{"upper_hole"}}),
		"look_tread.left": b.AddLook(ctx, b.fitter, runner, pair, app.NewLook{}),
		"lifting_hours":   b.AddLifting(ctx, b.fitter, runner, pair, -1),
		"race_day":        b.AddRace(ctx, b.fitter, runner, "", "2020-01-01", 10, 0),
		"race_length":     b.AddRace(ctx, b.fitter, runner, "", race, 0, 0),
		"race_pair":       b.AddRace(ctx, b.fitter, runner, "", race, 10, 9999),
		"aside_reason":    b.SetAside(ctx, b.fitter, runner, pair, true, "bored", ""),
		"photo":           b.AddPairPhoto(ctx, b.fitter, runner, pair, term.Left, []byte("no picture")),
		"photo_side":      b.AddPairPhoto(ctx, b.fitter, runner, pair, "middle", nil),
	} {
		if l, ok := fault.As(err); !ok || l[0].Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
	for name, err := range map[string]error{
		"look": b.AddLook(ctx, b.other, runner, pair, app.NewLook{Faults: []string{"upper_hole"}}), "lifting": b.AddLifting(ctx, b.other, runner, pair, 1), "race": b.AddRace(ctx, b.other, runner, "", race, 10, 0),
		"slow": b.SlowDown(ctx, b.other, runner, pair, false), "rule": b.TakeRuleBack(ctx, b.other, runner, 1), "take back": b.TakeLookBack(ctx, b.other, runner, look.ID),
	} {
		if !errors.Is(err, app.ErrNotFound) {
			t.Errorf("%s of another shop: %v", name, err)
		}
	}
}

// What is due over all runners, the buying list, and the calendars: each runner's own holds
// nothing of others; an address ends when it is revoked or has expired.
func TestDueAndLinks(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	pair := b.owned(t, runner, "norrbeck-skua-3-men", 120)
	for i := range 14 {
		_, err := b.AddRun(ctx, b.fitter, b.token(), runner, app.NewRun{PairID: pair, On: b.now.AddDate(0, 0, -100+i).Format(time.DateOnly), KM: 30, Ground: term.GroundRoad, Kind: term.Easy})
		must(t, err)
	}
	second := b.ready(t)
	_, err := b.Choose(ctx, b.fitter, b.token(), second, app.Sale{Model: "norrbeck-skua-4-men"})
	must(t, err)
	due, err := b.Due(ctx, b.fitter, b.now.AddDate(1, 0, 0), nil)
	must(t, err)
	kinds := map[string]int{}
	for i, d := range due {
		kinds[d.Kind]++
		if i > 0 && d.On.Before(due[i-1].On) {
			t.Error("not in the order of days")
		}
	}
	if kinds[app.DueOrder] == 0 || kinds[app.DueComfort] != 2 {
		t.Fatalf("%v", kinds)
	}
	list := app.BuyingList(due)
	if list[0].Model.ID != "norrbeck-skua-4-men" || len(list[0].For) == 0 {
		t.Errorf("the version after theirs is to be ordered: %+v", list[0])
	}
	var out bytes.Buffer
	must(t, app.WriteBuying(&out, list))
	if rows, err := csv.NewReader(&out).ReadAll(); err != nil || len(rows) != len(list)+1 {
		t.Errorf("%v", err)
	}
	if only, err := b.Due(ctx, b.fitter, b.now.AddDate(1, 0, 0), []string{app.DueComfort}); err != nil || len(only) != 2 {
		t.Errorf("comfort alone: %d, %v", len(only), err)
	}
	if other, err := b.Due(ctx, b.other, b.now.AddDate(1, 0, 0), nil); err != nil || len(other) != 0 {
		t.Errorf("another shop's: %d, %v", len(other), err)
	}

	secret, err := b.NewLink(ctx, b.fitter, app.RunnerLink, runner)
	must(t, err)
	who, whose, err := b.ByLink(ctx, app.RunnerLink, secret)
	if err != nil || whose != runner || !who.ByLink || who.Role != "" || who.ShopID != b.fitter.ShopID {
		t.Fatalf("%+v %d %v", who, whose, err)
	}
	mine, err := b.RunnersOwn(ctx, who, whose)
	if err != nil || len(mine.Pairs) != 1 || len(mine.Last) == 0 {
		t.Errorf("%+v %v", mine, err)
	}
	feed, err := b.NewLink(ctx, who, app.RunnerCalendarLink, runner)
	must(t, err)
	shop, err := b.NewLink(ctx, b.fitter, app.ShopCalendarLink, 0)
	must(t, err)
	_, _, err = b.ByLink(ctx, app.RunnerCalendarLink, feed)
	must(t, err)
	_, _, err = b.ByLink(ctx, app.ShopCalendarLink, shop)
	must(t, err)
	own, err := b.RunnerCalendar(ctx, who, runner)
	must(t, err)
	all, err := b.ShopCalendar(ctx, b.fitter)
	must(t, err)
	if !strings.HasPrefix(own, "BEGIN:VCALENDAR\r\n") || strings.Count(own, "BEGIN:VEVENT") >= strings.Count(all, "BEGIN:VEVENT") || strings.Contains(own, mine.Runner.Name) || !strings.Contains(all, mine.Runner.Name) {
		t.Errorf("own %s, all %s", own, all)
	}
	for name, c := range map[string]struct {
		kind, secret string
	}{"another kind": {app.ShopCalendarLink, secret}, "none": {app.RunnerLink, ""}, "a guess": {app.RunnerLink, secret[:len(secret)-1] + "A"}} {
		if _, _, err := b.ByLink(ctx, c.kind, c.secret); !errors.Is(err, app.ErrNotFound) && secret[len(secret)-1] != 'A' {
			t.Errorf("%s: %v", name, err)
		}
	}
	for name, err := range map[string]error{
		"a trainee":     func() error { _, err := b.NewLink(ctx, b.trainee, app.RunnerLink, runner); return err }(),
		"a runner":      func() error { _, err := b.NewLink(ctx, who, app.ShopCalendarLink, 0); return err }(),
		"its revoking":  b.RevokeLink(ctx, who, 1),
		"a trainee too": b.RevokeLink(ctx, b.trainee, 1),
	} {
		if !errors.Is(err, app.ErrNotAllowed) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := b.NewLink(ctx, b.other, app.RunnerLink, runner); !errors.Is(err, app.ErrNotFound) {
		t.Error(err)
	}
	links, err := b.Links(ctx, b.fitter, runner)
	if err != nil || len(links) != 2 || links[0].UsedAt.IsZero() {
		t.Fatalf("%+v %v", links, err)
	}
	if err := b.RevokeLink(ctx, b.other, links[0].ID); !errors.Is(err, app.ErrNotFound) {
		t.Error(err)
	}
	must(t, b.RevokeLink(ctx, b.fitter, links[0].ID))
	if _, _, err := b.ByLink(ctx, app.RunnerLink, secret); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("revoked: %v", err)
	}
	late, err := b.NewLink(ctx, b.fitter, app.RunnerLink, runner)
	must(t, err)
	b.now = b.now.AddDate(2, 0, 0)
	if _, _, err := b.ByLink(ctx, app.RunnerLink, late); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("expired: %v", err)
	}
	// A runner's files go in at once, or not at all.
	b.now = b.now.AddDate(-2, 0, 0)
	files := b.watched(t, 9, 1)
	if n, err := b.PutFilesIn(ctx, who, runner, files[:2]); err != nil || n != 2 {
		t.Errorf("%d, %v", n, err)
	}
	if n, err := b.PutFilesIn(ctx, who, runner, files[:2]); err != nil || n != 0 {
		t.Errorf("again: %d, %v", n, err)
	}
	if _, err := b.PutFilesIn(ctx, who, runner, []app.NamedFile{files[2], {Name: "x.gpx", Data: []byte("<gpx>")}}); err == nil {
		t.Error("half of it is put in")
	}
	if _, err := b.PutFilesIn(ctx, who, runner, []app.NamedFile{{Name: "x.csv", Data: []byte("a,b\n")}}); err == nil {
		t.Error("a table from a runner")
	}
	b.sums(t)
}

// The watch hands over the last weeks, and the next time only what is new.
func TestTakeWatch(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	take := func() app.RunProgress {
		t.Helper()
		in, err := b.TakeWatch(ctx, b.fitter, b.load(t, fit))
		must(t, err)
		for in.Progress().Reading {
			time.Sleep(5 * time.Millisecond)
		}
		return in.Progress()
	}
	first := take()
	if first.New == 0 || first.There != 0 {
		t.Fatalf("%+v", first)
	}
	n, err := b.PutRunsIn(ctx, b.fitter, runner, false)
	must(t, err)
	if p := take(); p.New != 0 {
		t.Errorf("%d new at once", p.New)
	}
	b.now = b.now.AddDate(0, 0, 7)
	if p := take(); p.New == 0 || p.New > first.New {
		t.Errorf("%d new a week later, %d at first", p.New, n)
	}
	loose, err := b.LooseRuns(ctx, b.fitter, runner)
	must(t, err)
	if loose[0].How != app.ByWatch {
		t.Errorf("%+v", loose[0])
	}
}
