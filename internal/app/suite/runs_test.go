package suite_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/due"
	"trevik/internal/app/people"
	"trevik/internal/app/runlog"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
	"trevik/internal/device"
	"trevik/internal/record"
	"trevik/internal/runtable"
)

// owned gives the runner a pair of a model since some days ago.
func (b *bench) owned(t testing.TB, runner uint64, code string, daysAgo int) uint64 {
	t.Helper()
	id, err := b.Wardrobe.Add(context.Background(), b.fitter, runner, wardrobe.Owned{Code: code, UK: 8, Price: 14000, BeforeSure: "counted",
		Since: b.now.AddDate(0, 0, -daysAgo).Format(time.DateOnly)})
	must(t, err)
	return id
}

// watched are the files of a watch's weeks up to now.
func (b *bench) watched(t *testing.T, seed uint64, weeks int) []runlog.NamedFile {
	t.Helper()
	w, err := device.NewWatch(device.WatchOptions{Seed: seed, Weeks: weeks, Until: b.now.AddDate(0, 0, -1), WeeklyKM: 30, Days: 3})
	must(t, err)
	var out []runlog.NamedFile
	for _, r := range w.Truth.Runs {
		out = append(out, runlog.NamedFile{Name: r.File, Data: r.GPX})
	}
	return out
}

func zipped(t *testing.T, files []runlog.NamedFile) runlog.NamedFile {
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
	return runlog.NamedFile{Name: "runs.zip", Data: b.Bytes()}
}

// sending hands files over as a request does.
func sending(files []runlog.NamedFile) runlog.Sender {
	return func() (string, io.Reader, error) {
		if len(files) == 0 {
			return "", nil, io.EOF
		}
		f := files[0]
		files = files[1:]
		return f.Name, bytes.NewReader(f.Data), nil
	}
}

// waiting is the person's file of runs that waits, nil where none does.
func (b *bench) waiting(t *testing.T, runner uint64) *runlog.Import {
	t.Helper()
	in, err := b.Runs.Latest(context.Background(), b.fitter, runner)
	must(t, err)
	return in
}

// read sends files and waits until they are read.
func (b *bench) read(t *testing.T, runner uint64, files ...runlog.NamedFile) *runlog.Import {
	t.Helper()
	_, err := b.Runs.Send(context.Background(), b.fitter, runner, sending(files))
	must(t, err)
	b.settled(t)
	in := b.waiting(t, runner)
	if in == nil || in.Reading() {
		t.Fatal("it is not read")
	}
	return in
}

// putIn puts in what waits.
func (b *bench) putIn(t *testing.T, runner uint64, leaveOut bool) (int, error) {
	t.Helper()
	in := b.waiting(t, runner)
	if in == nil {
		return 0, app.ErrNotFound
	}
	return b.Runs.PutIn(context.Background(), b.fitter, runner, in.Upload.ID, leaveOut)
}

// sums checks that no metre was lost or made, and that the buying list is what is ordered.
func (b *bench) sums(t *testing.T) int64 {
	t.Helper()
	n, drifts, err := b.Runs.Check(context.Background(), b.fitter.ShopID)
	must(t, err)
	buying, err := b.Due.Check(context.Background(), b.fitter.ShopID)
	must(t, err)
	for _, d := range append(drifts, buying...) {
		t.Error(d)
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
	if p.New() != len(files) || p.There() != 0 || len(p.Faults) != 0 {
		t.Fatalf("%d new of %d: %+v", p.New(), len(files), p.Faults)
	}
	n, err := b.putIn(t, runner, false)
	if err != nil || n != len(files) {
		t.Fatalf("%d put in, %v", n, err)
	}
	if b.waiting(t, runner) != nil {
		t.Error("the file still waits")
	}
	loose := b.load(t, fit).Runner.Loose
	if len(loose) != len(files) || loose[0].StartedAt.IsZero() || loose[0].Minutes == nil || loose[0].FileID == 0 ||
		loose[0].How != runlog.ByGPX {
		t.Fatalf("%d, the first %+v", len(loose), loose[0])
	}
	name, data, err := b.Runs.File(ctx, b.fitter, runner, loose[0].FileID)
	if err != nil || name == "" || !bytes.Contains(data, []byte("<gpx")) {
		t.Errorf("the file that it came from: %q %v", name, err)
	}
	if p := b.read(t, runner, files...); p.New() != 0 || p.There() != len(files) {
		t.Errorf("again: %d new, %d there", p.New(), p.There())
	}
	if n, err := b.putIn(t, runner, false); err != nil || n != 0 {
		t.Errorf("again: %d put in, %v", n, err)
	}
	// The same runs as a table, by day and hour.
	var table strings.Builder
	table.WriteString("Date;Start;km\n")
	for _, r := range loose {
		fmt.Fprintf(&table, "%s;%s;%s\n", r.On.Format("02.01.2006"), r.StartedAt.Format("15:04"), strings.Replace(fmt.Sprintf("%.2f", r.KM), ".",
			",", 1))
	}
	b.read(t, runner, runlog.NamedFile{Name: "a.csv", Data: []byte(table.String())})
	in := b.waiting(t, runner)
	if !in.IsTable() || in.Columns().Order != "day_month_year" {
		t.Fatalf("%+v", in.Columns())
	}
	must(t, b.Runs.Settle(ctx, b.fitter, runner, in.Upload.ID, in.Columns()))
	if p := b.waiting(t, runner); p.There() != len(files) || p.New() != 0 {
		t.Errorf("as a table: %d there, %d new, %v", p.There(), p.New(), p.Faults)
	}
	if n := b.sums(t); n != int64(len(files)) {
		t.Errorf("%d runs", n)
	}

	for _, format := range []string{"csv", "json", "gpx"} {
		var out bytes.Buffer
		must(t, b.Runs.Export(ctx, b.fitter, runner, format, &out))
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
	if err := b.Runs.Export(ctx, b.fitter, runner, "doc", &bytes.Buffer{}); !errors.Is(err, app.ErrNotFound) {
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
	bad := runlog.NamedFile{Name: "bomb.gpx", Data: []byte("<?xml version=\"1.0\"?>\n<!DOCTYPE gpx [<!ENTITY a \"aa\">]><gpx>&a;</gpx>")}
	ride := runlog.NamedFile{Name: "ride.gpx", Data: bytes.Replace(good[0].Data, []byte("<type>"), []byte("<type>cycling </type><x>"), 1)}
	ride.Data = bytes.Replace(ride.Data, []byte("</type>\n"), []byte("</x>\n"), 1)
	p := b.read(t, runner, append([]runlog.NamedFile{bad}, good...)...)
	if len(p.Faults) != 1 || p.Faults[0].Field != "bomb.gpx, line 2" || p.New() != len(good) {
		t.Fatalf("%v, %d new", p.Faults, p.New())
	}
	if _, err := b.putIn(t, runner, false); err == nil {
		t.Error("put in with a file at fault")
	}
	if n := b.sums(t); n != 0 {
		t.Errorf("%d runs half put in", n)
	}
	if n, err := b.putIn(t, runner, true); err != nil || n != len(good) {
		t.Errorf("without the bad one: %d, %v", n, err)
	}
	b.read(t, runner, runlog.NamedFile{Name: "a.csv", Data: []byte("Date,Distance\n2026-11-01,8\n2026-11-02,=2+2\n2026-11-03,far\n")})
	in := b.waiting(t, runner)
	must(t, b.Runs.Settle(ctx, b.fitter, runner, in.Upload.ID, in.Columns()))
	if p := b.waiting(t, runner); len(p.Faults) != 2 || p.Faults[0].Field != "line 3" || p.Faults[1].Field != "line 4" {
		t.Errorf("%v", p.Faults)
	}
	if _, err := b.putIn(t, runner, true); err == nil {
		t.Error("a table is put in by parts")
	}
	if b.waiting(t, runner) == nil {
		t.Error("the file was let go of by itself")
	}
	must(t, b.Runs.Drop(ctx, b.fitter, runner, in.Upload.ID))
	if _, err := b.putIn(t, runner, true); err == nil {
		t.Error("nothing was put in")
	}
	// The same header is read at once from now on.
	b.read(t, runner, runlog.NamedFile{Name: "b.csv", Data: []byte("Date,Distance\n2026-11-01,8\n")})
	if p := b.waiting(t, runner); p.New() != 1 {
		t.Errorf("its columns are not remembered: %+v", p)
	}
	if err := b.Runs.Settle(ctx, b.fitter, runner, b.waiting(t, runner).Upload.ID, runtable.Columns{}); err == nil {
		t.Error("no columns are settled")
	}
	for name, f := range map[string]runlog.NamedFile{
		"an empty zip": zipped(t, nil), "a broken zip": {Name: "x.zip", Data: []byte("PK\x03\x04 no")},
		"a picture": {Name: "x.png", Data: []byte("\x89PNG\r\n\x1a\n\x00\x00")}, "nothing": {Name: "x.gpx"},
	} {
		if _, err := b.Runs.Send(ctx, b.fitter, runner, sending([]runlog.NamedFile{f})); err == nil {
			t.Errorf("%s is read", name)
		} else if l, ok := fault.As(err); !ok || l[0].Field != "runs_file" {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := b.Runs.Send(ctx, b.other, runner, sending(good)); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("another shop's runner: %v", err)
	}
	if _, err := b.Runs.Send(ctx, b.fitter, runner, sending(nil)); err == nil {
		t.Error("no file")
	}
}

// However runs are added, moved, split, withdrawn and put back, the sum over pairs and
// those without one is the sum over runs, to the metre.
func TestSumsNeverDrift(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	r := rand.New(rand.NewPCG(8, 3))
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	pairs := []uint64{0, b.owned(t, runner, "norrbeck-skua-4-men", 200), b.owned(t, runner, "norrbeck-skua-3-men", 200)}
	all := func() []record.Run { return b.load(t, fit).Runner.AllRuns() }
	for range 25 {
		_, err := b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{PairID: pairs[r.IntN(3)],
			On: b.now.AddDate(0, 0, -r.IntN(150)).Format(time.DateOnly), KM: ptr(float64(300+r.IntN(20000)) / 1000), Ground: term.GroundRoad,
			Kind: term.Easy})
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
			must(t, b.Runs.Move(ctx, b.fitter, runner, []uint64{x.ID, list[0].ID}, pairs[r.IntN(3)]))
		case 1:
			must(t, b.Runs.Withdraw(ctx, b.fitter, runner, x.ID))
			gone = append(gone, x.ID)
		case 2:
			if len(gone) > 0 {
				must(t, b.Runs.Restore(ctx, b.fitter, runner, gone[0]))
				gone = gone[1:]
			}
		default:
			km := math.Floor(1000*x.KM*r.Float64()) / 1000
			err := b.Runs.Split(ctx, b.fitter, runner, x.ID, km, pairs[r.IntN(3)], term.Intervals)
			if l, ok := fault.As(err); err != nil && (!ok || l[0].Field != "split_km") {
				t.Fatal(err)
			} else if err == nil && (km < 0.1 || km > x.KM-0.0999) {
				t.Fatalf("%g of %g km are split off", km, x.KM)
			}
		}
		b.sums(t)
	}
	for _, id := range gone {
		must(t, b.Runs.Restore(ctx, b.fitter, runner, id))
	}
	if after := sum(); after != before {
		t.Errorf("%d m became %d m", before, after)
	}
	for name, c := range map[string]struct {
		do   func() error
		want any
	}{
		"another's run":    {func() error { return b.Runs.Move(ctx, b.other, runner, []uint64{all()[0].ID}, 0) }, app.ErrNotFound},
		"no such run":      {func() error { return b.Runs.Move(ctx, b.fitter, runner, []uint64{99999}, pairs[1]) }, app.ErrNotFound},
		"no such pair":     {func() error { return b.Runs.Move(ctx, b.fitter, runner, []uint64{all()[0].ID}, 9999) }, app.ErrNotFound},
		"no run":           {func() error { return b.Runs.Move(ctx, b.fitter, runner, nil, pairs[1]) }, "run"},
		"split by a kind":  {func() error { return b.Runs.Split(ctx, b.fitter, runner, all()[0].ID, 1, 0, term.Gym) }, "split_kind"},
		"split in another": {func() error { return b.Runs.Split(ctx, b.fitter, runner, all()[0].ID, 1, 9999, term.Easy) }, app.ErrNotFound},
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
		_, err := b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{PairID: pair, On: b.now.AddDate(0, 0, -daysAgo).Format(time.DateOnly),
			Start: map[term.Ground]string{term.GroundRoad: "07:00", term.GroundTrail: "17:00"}[ground], KM: ptr(8.0), Ground: ground, Kind: kind})
		must(t, err)
	}
	where := func(pair uint64) int { return len(b.load(t, fit).Runner.Pair(pair).Runs) }
	add(40, term.Easy, term.GroundRoad, 0)
	add(20, term.Easy, term.GroundRoad, 0)
	add(20, term.Easy, term.GroundTrail, 0)
	offers := map[uint64]int{}
	for _, o := range b.load(t, fit).Offers() {
		offers[o.Pair.ID] += len(o.IDs)
		if o.Pair.ID == two && o.From.Before(b.now.AddDate(0, 0, -31)) {
			t.Error("a run before the pair was theirs is offered")
		}
	}
	if offers[one] != 2 || offers[two] != 1 || offers[trail] != 1 {
		t.Errorf("offered: %v", offers)
	}
	must(t, b.Runs.AddRule(ctx, b.fitter, runner, record.Rule{Ground: term.GroundRoad, PairID: one, Second: two}))
	must(t, b.Runs.AddRule(ctx, b.fitter, runner, record.Rule{Kind: term.Long, Ground: term.GroundRoad, PairID: two}))
	must(t, b.Runs.AddRule(ctx, b.fitter, runner, record.Rule{Ground: term.GroundTrail, PairID: trail}))
	for i := range 6 {
		add(15-2*i, term.Easy, term.GroundRoad, 0)
	}
	if where(one) != 4 || where(two) != 4 || where(trail) != 1 { // the three that had no pair went by the rules too
		t.Errorf("in turn: %d and %d", where(one), where(two))
	}
	add(2, term.Long, term.GroundRoad, 0)
	add(2, term.Easy, term.GroundTrail, 0)
	add(50, term.Long, term.GroundRoad, 0) // before the second was theirs: the wider rule
	if where(two) != 5 || where(trail) != 2 || where(one) != 5 {
		t.Errorf("by kind and ground: %d, %d, %d", where(two), where(trail), where(one))
	}
	must(t, b.Wardrobe.SetAside(ctx, b.fitter, runner, two, "broken", ""))
	add(0, term.Long, term.GroundRoad, 0)
	if where(one) != 6 {
		t.Error("a rule of a pair that was set aside")
	}
	add(1, term.Long, term.GroundRoad, 0) // a day on which it was in use
	if where(two) != 6 {
		t.Error("a run of the past goes by the pairs of its day")
	}
	rules := b.load(t, fit).Runner.Rules
	must(t, b.Runs.TakeRuleBack(ctx, b.fitter, runner, rules[0].ID))
	if err := b.Runs.TakeRuleBack(ctx, b.fitter, runner, rules[0].ID); !errors.Is(err, app.ErrNotFound) {
		t.Error(err)
	}
	for field, rule := range map[string]record.Rule{"rule_pair": {PairID: 9999}, "rule_second": {PairID: one, Second: one},
		"rule_kind": {Kind: term.Gym, PairID: one}, "rule_ground": {Ground: "lava", PairID: one}} {
		if l, ok := fault.As(b.Runs.AddRule(ctx, b.fitter, runner, rule)); !ok || l[0].Field != field {
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
		_, err := b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{PairID: old, On: b.now.AddDate(0, 0, -290+i).Format(time.DateOnly),
			KM: ptr(25.0), Ground: term.GroundRoad, Kind: term.Easy})
		must(t, err)
		_, err = b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{PairID: pair, On: b.now.AddDate(0, 0, -90+i).Format(time.DateOnly),
			KM: ptr(20.0), Ground: term.GroundRoad, Kind: term.Easy})
		must(t, err)
	}
	worn := func() wear.Answer {
		t.Helper()
		list, err := b.load(t, fit).Worn()
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
	must(t, b.Wardrobe.SetAside(ctx, b.fitter, runner, old, record.WornOut, "flat after 300 km"))
	if a := worn(); a.Schools.ByOwnHistory.LeftKM == nil || a.RemainingKM.P50 >= before.RemainingKM.P50 {
		t.Errorf("their own history of 300 km moves nothing: %+v", a.Schools.ByOwnHistory)
	}
	must(t, b.Wardrobe.Resume(ctx, b.fitter, runner, old))
	must(t, b.Wardrobe.SetAside(ctx, b.fitter, runner, old, "hurts", ""))
	if a := worn(); a.Schools.ByOwnHistory.LeftKM != nil {
		t.Error("a pair that hurt is a history of wear")
	}
	now := worn().RemainingKM.P50
	must(t, b.Wardrobe.AddLook(ctx, b.fitter, runner, pair,
		wardrobe.NewLook{Grades: map[string]map[term.Side]string{"tread": {term.Left: "3", term.Right: "1"}, "bounce": {term.Left: "3"}},
			Causes: []string{"more_hills"}}))
	if a := worn(); a.RemainingKM.P50 >= now {
		t.Errorf("three quarters gone after 240 km leave %g of %g km", a.RemainingKM.P50, now)
	}
	look := b.load(t, fit).Runner.Pair(pair).Inspected[0]
	if *look.Worse("tread") != 0.75 || *look.Worse("bounce") != 0.75 || look.Worse("upper") != nil || look.Causes[0] != "more_hills" {
		t.Errorf("%+v", look)
	}
	must(t, b.Wardrobe.TakeLookBack(ctx, b.fitter, runner, look.ID))
	if a := worn(); a.RemainingKM.P50 != now {
		t.Error("taken back, it still counts")
	}
	must(t, b.Wardrobe.AddLook(ctx, b.fitter, runner, pair, wardrobe.NewLook{Faults: []string{"sole_through"}}))
	if a := worn(); a.State != wear.SetAside {
		t.Errorf("through to the midsole, and it is %s", a.State)
	}
	must(t, b.Wardrobe.AddLifting(ctx, b.fitter, runner, pair, 5))
	if a := worn(); a.EffectiveKM != before.EffectiveKM+40 {
		t.Errorf("five hours of lifting: %g of %g wear-adjusted km", a.EffectiveKM, before.EffectiveKM)
	}
	through := b.load(t, fit).Runner.Pair(pair).Inspected
	must(t, b.Wardrobe.TakeLookBack(ctx, b.fitter, runner, through[len(through)-1].ID))
	race := b.now.AddDate(0, 2, 0).Format(time.DateOnly)
	must(t, b.Wardrobe.AddRace(ctx, b.fitter, runner, "Causeway", race, 42.2, pair))
	if a := worn(); len(a.Races) != 1 || a.Races[0].Date != race || a.Races[0].PFail <= 0 {
		t.Errorf("%+v", a.Races)
	}
	races := b.load(t, fit).Runner.Races
	must(t, b.Wardrobe.TakeRaceBack(ctx, b.fitter, runner, races[0].ID))
	if a := worn(); len(a.Races) != 0 {
		t.Error("the race is still there")
	}
	must(t, b.Wardrobe.SlowDown(ctx, b.fitter, runner, pair, true))
	for field, err := range map[string]error{
		"looked_on": b.Wardrobe.AddLook(ctx, b.fitter, runner, pair, wardrobe.NewLook{On: b.now.AddDate(0, 0, 1).Format(time.DateOnly),
			Faults: []string{"upper_hole"}}),
		"look_tread.left": b.Wardrobe.AddLook(ctx, b.fitter, runner, pair, wardrobe.NewLook{}),
		"lifting_hours":   b.Wardrobe.AddLifting(ctx, b.fitter, runner, pair, -1),
		"race_day":        b.Wardrobe.AddRace(ctx, b.fitter, runner, "", "2020-01-01", 10, 0),
		"race_length":     b.Wardrobe.AddRace(ctx, b.fitter, runner, "", race, 0, 0),
		"race_pair":       b.Wardrobe.AddRace(ctx, b.fitter, runner, "", race, 10, 9999),
		"aside_reason":    b.Wardrobe.SetAside(ctx, b.fitter, runner, pair, "bored", ""),
		"photo":           b.Wardrobe.AddPhoto(ctx, b.fitter, runner, pair, term.Left, []byte("no picture")),
		"photo_side":      b.Wardrobe.AddPhoto(ctx, b.fitter, runner, pair, "middle", nil),
	} {
		if l, ok := fault.As(err); !ok || l[0].Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
	for name, err := range map[string]error{
		"look":    b.Wardrobe.AddLook(ctx, b.other, runner, pair, wardrobe.NewLook{Faults: []string{"upper_hole"}}),
		"lifting": b.Wardrobe.AddLifting(ctx, b.other, runner, pair, 1), "race": b.Wardrobe.AddRace(ctx, b.other, runner, "", race, 10, 0),
		"slow": b.Wardrobe.SlowDown(ctx, b.other, runner, pair, false), "rule": b.Runs.TakeRuleBack(ctx, b.other, runner, 1),
		"take back": b.Wardrobe.TakeLookBack(ctx, b.other, runner, look.ID),
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
		_, err := b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{PairID: pair, On: b.now.AddDate(0, 0, -100+i).Format(time.DateOnly),
			KM: ptr(30.0), Ground: term.GroundRoad, Kind: term.Easy})
		must(t, err)
	}
	second := b.ready(t)
	_, err := b.Wardrobe.Choose(ctx, b.fitter, second, wardrobe.Sale{Model: "norrbeck-skua-4-men"})
	must(t, err)
	year := due.Filter{Until: b.now.AddDate(1, 0, 0)}
	lines := b.due(t, year)
	kinds := map[record.DueKind]int{}
	for i, d := range lines {
		kinds[d.Kind]++
		if i > 0 && d.On.Before(lines[i-1].On) {
			t.Error("not in the order of days")
		}
	}
	if kinds[record.DueOrder] == 0 || kinds[record.DueComfort] != 2 {
		t.Fatalf("%v", kinds)
	}
	list, _, err := b.Due.Buying(ctx, b.fitter, year.Until, 1)
	must(t, err)
	if list[0].Model.ID != "norrbeck-skua-4-men" || len(list[0].For) == 0 {
		t.Errorf("the version after theirs is to be ordered: %+v", list[0])
	}
	var out bytes.Buffer
	must(t, b.Due.WriteBuying(ctx, b.fitter, year.Until, &out))
	if rows, err := csv.NewReader(&out).ReadAll(); err != nil || len(rows) != len(list)+1 {
		t.Errorf("%v", err)
	}
	if only := b.due(t, due.Filter{Until: year.Until, Kind: record.DueComfort}); len(only) != 2 {
		t.Errorf("comfort alone: %d", len(only))
	}
	if other, _, err := b.Due.Due(ctx, b.other, year, 1); err != nil || len(other) != 0 {
		t.Errorf("another shop's: %d, %v", len(other), err)
	}

	secret, err := b.People.NewLink(ctx, b.fitter, people.RunnerLink, runner)
	must(t, err)
	who, whose, err := b.People.ByLink(ctx, people.RunnerLink, secret)
	if err != nil || whose != runner || !who.ByLink || who.Role != "" || who.ShopID != b.fitter.ShopID {
		t.Fatalf("%+v %d %v", who, whose, err)
	}
	mine, err := b.Visits.OfRunner(ctx, who, whose)
	must(t, err)
	feed, err := b.People.NewLink(ctx, who, people.RunnerCalendarLink, runner)
	must(t, err)
	shop, err := b.People.NewLink(ctx, b.fitter, people.ShopCalendarLink, 0)
	must(t, err)
	_, _, err = b.People.ByLink(ctx, people.RunnerCalendarLink, feed)
	must(t, err)
	_, _, err = b.People.ByLink(ctx, people.ShopCalendarLink, shop)
	must(t, err)
	own, err := b.Due.RunnerCalendar(mine)
	must(t, err)
	all, err := b.Due.ShopCalendar(ctx, b.fitter)
	must(t, err)
	if !strings.HasPrefix(own, "BEGIN:VCALENDAR\r\n") || strings.Count(own, "BEGIN:VEVENT") >= strings.Count(all, "BEGIN:VEVENT") ||
		strings.Contains(own, mine.Runner.Name) || !strings.Contains(all, mine.Runner.Name) {
		t.Errorf("own %s, all %s", own, all)
	}
	for name, c := range map[string]struct {
		kind, secret string
	}{"another kind": {people.ShopCalendarLink, secret}, "none": {people.RunnerLink, ""},
		"a guess": {people.RunnerLink, secret[:len(secret)-1] + "A"}} {
		if _, _, err := b.People.ByLink(ctx, c.kind, c.secret); !errors.Is(err, app.ErrNotFound) && secret[len(secret)-1] != 'A' {
			t.Errorf("%s: %v", name, err)
		}
	}
	for name, err := range map[string]error{
		"a trainee":     func() error { _, err := b.People.NewLink(ctx, b.trainee, people.RunnerLink, runner); return err }(),
		"a runner":      func() error { _, err := b.People.NewLink(ctx, who, people.ShopCalendarLink, 0); return err }(),
		"its revoking":  b.People.RevokeLink(ctx, who, 1),
		"a trainee too": b.People.RevokeLink(ctx, b.trainee, 1),
	} {
		if !errors.Is(err, app.ErrNotAllowed) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := b.People.NewLink(ctx, b.other, people.RunnerLink, runner); !errors.Is(err, app.ErrNotFound) {
		t.Error(err)
	}
	links, err := b.People.Links(ctx, b.fitter, runner)
	if err != nil || len(links) != 2 || links[0].UsedAt.IsZero() {
		t.Fatalf("%+v %v", links, err)
	}
	if err := b.People.RevokeLink(ctx, b.other, links[0].ID); !errors.Is(err, app.ErrNotFound) {
		t.Error(err)
	}
	must(t, b.People.RevokeLink(ctx, b.fitter, links[0].ID))
	if _, _, err := b.People.ByLink(ctx, people.RunnerLink, secret); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("revoked: %v", err)
	}
	late, err := b.People.NewLink(ctx, b.fitter, people.RunnerLink, runner)
	must(t, err)
	b.now = b.now.AddDate(2, 0, 0)
	if _, _, err := b.People.ByLink(ctx, people.RunnerLink, late); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("expired: %v", err)
	}
	// A runner's files go in at once, or not at all.
	b.now = b.now.AddDate(-2, 0, 0)
	files := b.watched(t, 9, 1)
	if n, err := b.Runs.PutFiles(ctx, who, runner, files[:2]); err != nil || n != 2 {
		t.Errorf("%d, %v", n, err)
	}
	if n, err := b.Runs.PutFiles(ctx, who, runner, files[:2]); err != nil || n != 0 {
		t.Errorf("again: %d, %v", n, err)
	}
	if _, err := b.Runs.PutFiles(ctx, who, runner, []runlog.NamedFile{files[2], {Name: "x.gpx", Data: []byte("<gpx>")}}); err == nil {
		t.Error("half of it is put in")
	}
	if _, err := b.Runs.PutFiles(ctx, who, runner, []runlog.NamedFile{{Name: "x.csv", Data: []byte("a,b\n")}}); err == nil {
		t.Error("a table from a runner")
	}
	b.sums(t)
}

// due is what is due once the lists are up to date.
func (b *bench) due(t *testing.T, f due.Filter) []due.Line {
	t.Helper()
	for range 600 {
		list, state, err := b.Due.Due(context.Background(), b.fitter, f, 1)
		must(t, err)
		if len(state.Faults) > 0 {
			t.Fatalf("%+v", state.Faults)
		}
		if !state.Behind {
			return list
		}
		time.Sleep(10 * time.Millisecond)
	}
	t.Fatal("the list stays behind")
	return nil
}

// The watch hands over the last weeks, and the next time only what is new.
func TestTakeWatch(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	take := func() *runlog.Import {
		t.Helper()
		_, err := b.Runs.TakeWatch(ctx, b.fitter, b.load(t, fit))
		must(t, err)
		b.settled(t)
		return b.waiting(t, runner)
	}
	first := take()
	if first.New() == 0 || first.There() != 0 {
		t.Fatalf("%+v", first)
	}
	n, err := b.putIn(t, runner, false)
	must(t, err)
	if p := take(); p.New() != 0 {
		t.Errorf("%d new at once", p.New())
	}
	b.now = b.now.AddDate(0, 0, 7)
	if p := take(); p.New() == 0 || p.New() > first.New() {
		t.Errorf("%d new a week later, %d at first", p.New(), n)
	}
	loose := b.load(t, fit).Runner.Loose
	if loose[0].How != runlog.ByWatch {
		t.Errorf("%+v", loose[0])
	}
}

// A pair of another shop is put down by its name and what it is made for: it is run in, forecast and takes
// its part of the week, is offered to nobody, and goes along in an export.
func TestPairFromElsewhere(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	own := wardrobe.Owned{Code: "Brindle Path 3", UK: 8, Since: b.now.AddDate(0, 0, -90).Format(time.DateOnly), BeforeSure: "no_idea"}
	_, err := b.Wardrobe.Add(ctx, b.fitter, runner, own)
	faultAt(t, err, "model", "say what it is made for")
	own.MadeFor = "sandal"
	_, err = b.Wardrobe.Add(ctx, b.fitter, runner, own)
	faultAt(t, err, "made_for", "allowed is")
	before, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	own.MadeFor = term.Daily
	pair, err := b.Wardrobe.Add(ctx, b.fitter, runner, own)
	must(t, err)
	second := own
	second.Code, second.UK = "  brindle path 3", 9 // another runner's, typed otherwise
	_, err = b.Wardrobe.Add(ctx, b.fitter, runner, second)
	must(t, err)
	f := b.load(t, fit)
	p := f.Runner.Pair(pair)
	if p == nil || p.Model.Maker != "Brindle" || p.Model.Class != term.Daily || !p.Model.Elsewhere() {
		t.Fatalf("%+v", p)
	}
	if n := len(f.Shop.Catalogue.Models); n != len(before.Models) || f.Shop.Catalogue.ByID(p.ModelRow) == nil {
		t.Errorf("%d models are sold, there were %d", n, len(before.Models))
	}
	answer, _, err := f.Match()
	must(t, err)
	for _, x := range answer.Ranked {
		if m := f.Shop.Catalogue.ByCode(x.Model); m.Elsewhere() {
			t.Errorf("%s is offered", x.Model)
		}
	}
	s, err := f.Serving()
	must(t, err)
	km := 0.0
	for i := range s.Takes {
		for j := range s.Pairs {
			km += s.Takes[i][j]
		}
	}
	if worn, err := f.Worn(); err != nil || len(worn) != 2 || worn[0].Wear.RemainingKM.P50 <= 0 || km == 0 {
		t.Errorf("%v, %d pairs, %.1f km of the week", err, len(worn), km)
	}
	due, err := f.Due()
	must(t, err)
	for _, d := range due {
		if d.Kind == record.DueOrder && (d.Order != nil || !strings.Contains(d.Text, "not of this shop")) {
			t.Errorf("the shop is asked to order it: %s", d.Text)
		}
	}
	var file bytes.Buffer
	must(t, b.Transfer.Export(ctx, b.fitter.ShopID, 0, &file))
	if !strings.Contains(file.String(), p.Model.ID) {
		t.Error("it stays behind in an export")
	}
	_, err = b.Shelf.Save(ctx, b.fitter, "", map[string]string{"id": "elsewhere-x"})
	faultAt(t, err, "id", "choose another")
}
