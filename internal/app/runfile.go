package app

import (
	"archive/zip"
	"bytes"
	"cmp"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"path"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/track"
	"trevik/internal/device"
	"trevik/internal/gpx"
	"trevik/internal/runtable"
	"trevik/internal/store/db"
)

// Limits of a file of runs.
const (
	MaxRunFile  = 512 << 20 // what is sent at once, bytes
	mostFiles   = 6000
	sameStart   = 3 * time.Minute
	sameLength  = 0.05 // of the distance, for a run at the same hour
	likeLength  = 0.01 // for a run of the same day whose hour is not known
	shownFaults = 100
)

// Ways of an import's file.
const (
	ByGPX   = "gpx"
	ByCSV   = "csv"
	ByWatch = "watch"
)

// FileRun is one run of a file that waits.
type FileRun struct {
	Run
	At     string // "line 7", or the file's name in a zip
	Name   string
	There  bool // the runner has it already
	Jumps  int
	Pauses int
	file   *NamedFile // the GPX that it came from, packed
	digest [32]byte   // of the file as it was
}

// RunImport is a file of runs that is being read or waits to be put in.
type RunImport struct {
	RunnerID uint64
	Name     string
	How      string
	MadeAt   time.Time
	Table    *runtable.Table // of a CSV
	Columns  runtable.Columns
	mu       sync.Mutex
	done     int
	all      int
	reading  bool
	runs     []FileRun
	faults   fault.List
	left     []string // tracks that were passed over, and why
	err      error
}

// RunProgress is how far an import is.
type RunProgress struct {
	Done, All int
	Reading   bool
	Runs      []FileRun
	New       int
	There     int
	Faults    fault.List
	Left      []string
	Err       error
}

// Progress is a snapshot of the import.
func (i *RunImport) Progress() RunProgress {
	i.mu.Lock()
	defer i.mu.Unlock()
	p := RunProgress{Done: i.done, All: i.all, Reading: i.reading, Runs: slices.Clone(i.runs), Faults: slices.Clone(i.faults), Left: slices.Clone(i.left), Err: i.err}
	for _, r := range i.runs {
		if r.There {
			p.There++
		} else {
			p.New++
		}
	}
	return p
}

// runImports are the files that wait, by person and runner: kept until they are put in or
// let go of.
type runImports struct {
	sync.Mutex
	of map[[2]uint64]*RunImport
}

// importKey tells a runner's own file, sent by their page, from one that a person at the
// shop sent for them.
func importKey(who Actor, runnerID uint64) [2]uint64 {
	if who.ByLink {
		return [2]uint64{0, runnerID}
	}
	return [2]uint64{who.UserID, runnerID}
}

// RunImportOf is the person's file of runs for a runner; nil where none waits.
func (a *App) RunImportOf(who Actor, runnerID uint64) *RunImport {
	a.runImports.Lock()
	defer a.runImports.Unlock()
	return a.runImports.of[importKey(who, runnerID)]
}

// DropRunImport lets a file go.
func (a *App) DropRunImport(who Actor, runnerID uint64) {
	a.runImports.Lock()
	defer a.runImports.Unlock()
	delete(a.runImports.of, importKey(who, runnerID))
}

func (a *App) keepRunImport(who Actor, in *RunImport) {
	a.runImports.Lock()
	defer a.runImports.Unlock()
	if a.runImports.of == nil {
		a.runImports.of = map[[2]uint64]*RunImport{}
	}
	a.runImports.of[importKey(who, in.RunnerID)] = in
}

// NamedFile is a file with its name.
type NamedFile struct {
	Name string
	Data []byte
}

// ReadRuns reads files of runs: GPX, zips of GPX, or one table. What it finds waits until
// it is put in; reading many goes on behind. It fails with a fault.List at once on what is
// no such file.
func (a *App) ReadRuns(ctx context.Context, who Actor, runnerID uint64, files []NamedFile) (*RunImport, error) {
	if _, err := a.Runner(ctx, who, runnerID); err != nil {
		return nil, err
	}
	if len(files) == 0 {
		return nil, fault.List{{Field: "runs_file", Text: "is missing; choose GPX files, a zip of them, or a CSV"}}
	}
	in := &RunImport{RunnerID: runnerID, Name: files[0].Name, MadeAt: a.Now(), How: ByGPX}
	if len(files) > 1 {
		in.Name = fmt.Sprintf("%s and %d more", files[0].Name, len(files)-1)
	}
	if len(files) == 1 && isTable(files[0]) {
		return in, a.readTable(ctx, who, in, files[0].Data)
	}
	var list []source
	for _, f := range files {
		more, err := unpack(f)
		if err != nil {
			return nil, err
		}
		list = append(list, more...)
	}
	if len(list) > mostFiles {
		return nil, fault.List{{Field: "runs_file", Text: fmt.Sprintf("holds %d files; allowed are %d at once", len(list), mostFiles)}}
	}
	in.all, in.reading = len(list), true
	a.keepRunImport(who, in)
	if len(list) > 3 {
		go a.readTracks(context.WithoutCancel(ctx), who, in, list)
	} else {
		a.readTracks(ctx, who, in, list)
	}
	return in, nil
}

func isTable(f NamedFile) bool {
	name := strings.ToLower(f.Name)
	if strings.HasSuffix(name, ".csv") || strings.HasSuffix(name, ".tsv") || strings.HasSuffix(name, ".txt") {
		return true
	}
	return !bytes.HasPrefix(f.Data, []byte("PK")) && !bytes.Contains(f.Data[:min(len(f.Data), 400)], []byte("<"))
}

// source is a GPX that is read when its turn comes: thousands of them unpacked at once
// would be more than a machine holds.
type source struct {
	name string
	read func() ([]byte, error)
}

// unpack gives the GPX files of a zip, or the file itself. Each file is held to its limit as
// it is unpacked, whatever the zip says of itself.
func unpack(f NamedFile) ([]source, error) {
	if !bytes.HasPrefix(f.Data, []byte("PK")) {
		return []source{{f.Name, func() ([]byte, error) { return f.Data, nil }}}, nil
	}
	z, err := zip.NewReader(bytes.NewReader(f.Data), int64(len(f.Data)))
	if err != nil {
		return nil, fault.List{{Field: "runs_file", Text: fmt.Sprintf("%s is no zip that can be read: %v", clip(f.Name), err)}}
	}
	var out []source
	for _, e := range z.File {
		if e.FileInfo().IsDir() || !strings.HasSuffix(strings.ToLower(e.Name), ".gpx") || strings.HasPrefix(path.Base(e.Name), ".") {
			continue
		}
		if len(out) >= mostFiles {
			return nil, fault.List{{Field: "runs_file", Text: fmt.Sprintf("%s holds more than %d files", clip(f.Name), mostFiles)}}
		}
		out = append(out, source{path.Base(e.Name), func() ([]byte, error) {
			r, err := e.Open()
			if err != nil {
				return nil, err
			}
			defer r.Close()
			return io.ReadAll(io.LimitReader(r, gpx.MaxBytes+1)) // one over its limit is told by the reader
		}})
	}
	if len(out) == 0 {
		return nil, fault.List{{Field: "runs_file", Text: clip(f.Name) + " holds no GPX file"}}
	}
	return out, nil
}

// readTracks measures every track of the files.
func (a *App) readTracks(ctx context.Context, who Actor, in *RunImport, list []source) {
	known, digests, err := a.knownRuns(ctx, who, in.RunnerID)
	today := a.Today()
	for n, f := range list {
		if err != nil {
			break
		}
		runs, left, wrong := readSource(f, today)
		in.mu.Lock()
		for i := range runs {
			runs[i].There = digests[runs[i].digest] || known.has(runs[i].Run)
			known = append(known, runs[i].Run)
		}
		in.runs = append(in.runs, runs...)
		in.left = append(in.left, left...)
		if len(in.faults) < shownFaults {
			in.faults = append(in.faults, wrong...)
		}
		in.done = n + 1
		in.mu.Unlock()
	}
	in.mu.Lock()
	slices.SortStableFunc(in.runs, func(x, y FileRun) int { return x.StartedAt.Compare(y.StartedAt) })
	in.reading, in.err = false, err
	in.mu.Unlock()
}

// readSource reads a GPX and keeps it packed beside its runs.
func readSource(f source, today time.Time) ([]FileRun, []string, fault.List) {
	data, err := f.read()
	if err != nil {
		return nil, nil, fault.List{{Field: clip(f.name), Text: "cannot be read: " + err.Error()}}
	}
	runs, left, l := tracksOf(NamedFile{f.name, data}, today)
	if len(runs) == 0 {
		return runs, left, l
	}
	packed, err := pack(data)
	if err != nil {
		return nil, left, fault.List{{Field: clip(f.name), Text: "cannot be packed: " + err.Error()}}
	}
	file, digest := &NamedFile{f.name, packed}, sha256.Sum256(data)
	for i := range runs {
		runs[i].file, runs[i].digest = file, digest
	}
	return runs, left, l
}

func pack(data []byte) ([]byte, error) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	_, err := z.Write(data)
	if closeErr := z.Close(); err == nil {
		err = closeErr
	}
	return b.Bytes(), err
}

// tracksOf are a GPX's runs. left tells what was passed over.
func tracksOf(f NamedFile, today time.Time) (runs []FileRun, left []string, l fault.List) {
	tracks, err := gpx.Decode(bytes.NewReader(f.Data))
	if err != nil {
		faults, ok := fault.As(err)
		if !ok {
			faults = fault.List{{Field: "file", Text: "cannot be read"}}
		}
		for _, x := range faults {
			l.Add(clip(f.Name)+", "+x.Field, "%s", x.Text)
		}
		return nil, nil, l
	}
	for i := range tracks {
		t := &tracks[i]
		at := clip(f.Name)
		if len(tracks) > 1 {
			at = fmt.Sprintf("%s, line %d", at, t.Line)
		}
		if !t.OnFoot() {
			left = append(left, fmt.Sprintf("%s: %q is not on foot.", at, t.Kind))
			continue
		}
		a, err := track.Measure(t.Points())
		if err != nil {
			l.Add(at, "%v", err)
			continue
		}
		start := t.Start()
		// The watch's own clock: the zone that its times carry, else UTC.
		on := time.Date(start.Year(), start.Month(), start.Day(), 0, 0, 0, 0, time.UTC)
		clock := time.Date(start.Year(), start.Month(), start.Day(), start.Hour(), start.Minute(), start.Second(), 0, time.UTC)
		if on.After(today.AddDate(0, 0, 1)) {
			l.Add(at, "is of %s, which is yet to come", on.Format(time.DateOnly))
			continue
		}
		if a.KM < 0.1 {
			left = append(left, fmt.Sprintf("%s: %.0f m are no run.", at, 1000*a.KM))
			continue
		}
		if a.KM > 400 {
			l.Add(at, "comes to %.0f km; allowed are 400", a.KM)
			continue
		}
		if t.Untimed > 0 {
			left = append(left, fmt.Sprintf("%s: %d places without a time were left out.", at, t.Untimed))
		}
		minutes := a.Moving / 60
		kind, ground := kindOfTrack(t)
		runs = append(runs, FileRun{Run: Run{On: on, KM: math.Round(1000*a.KM) / 1000, Kind: kind, Ground: ground, StartedAt: clock, Minutes: &minutes, AscentM: a.AscentM, How: ByGPX},
			At: at, Name: t.Name, Jumps: a.Jumps, Pauses: a.Pauses})
	}
	return runs, left, l
}

// kindOfTrack tells the kind and the ground from a track's type and name, as far as they do.
func kindOfTrack(t *gpx.Track) (term.Kind, term.Ground) {
	kind, ground := cmp.Or(runtable.KindOf(t.Kind+" "+t.Name), term.Easy), term.GroundRoad
	for _, w := range []struct {
		word   string
		ground term.Ground
	}{{"treadmill", term.GroundTreadmill}, {"trail", term.GroundTrail}, {"track", term.GroundTrack}} {
		if strings.Contains(strings.ToLower(t.Kind), w.word) {
			ground = w.ground
			break
		}
	}
	return kind, ground
}

// knownList are runs that the runner has.
type knownList []Run

// has says whether a run is there already: at the same hour and about as long, or, where an
// hour is not known, on the same day and just as long.
func (k knownList) has(r Run) bool {
	for _, o := range k {
		near := math.Abs(o.KM-r.KM) / math.Max(o.KM, r.KM)
		if !o.StartedAt.IsZero() && !r.StartedAt.IsZero() {
			if d := o.StartedAt.Sub(r.StartedAt).Abs(); d <= sameStart && near <= sameLength {
				return true
			}
		} else if o.On.Equal(r.On) && near <= likeLength {
			return true
		}
	}
	return false
}

// knownRuns are the runner's runs, those put together again that were split.
func (a *App) knownRuns(ctx context.Context, who Actor, runnerID uint64) (knownList, map[[32]byte]bool, error) {
	rows, err := a.store.RunsOfRunner(ctx, db.RunsOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
	if err != nil {
		return nil, nil, err
	}
	out := make(knownList, len(rows))
	for i, r := range rows {
		out[i] = Run{ID: r.ID, On: r.RunOn, KM: r.Km, StartedAt: r.StartedAt.Time}
	}
	sums, err := a.store.RunFileDigests(ctx, db.RunFileDigestsParams{RunnerID: runnerID, ShopID: who.ShopID})
	digests := map[[32]byte]bool{}
	for _, d := range sums {
		digests[[32]byte(d)] = true
	}
	return out, digests, err
}

// readTable reads a CSV; where its header was settled once, its runs too.
func (a *App) readTable(ctx context.Context, who Actor, in *RunImport, data []byte) error {
	t, err := runtable.Read(data)
	if err != nil {
		return renamed(err)
	}
	in.How, in.Table, in.Columns = ByCSV, t, t.Guess()
	digest := t.Digest()
	known, err := a.store.RunColumns(ctx, db.RunColumnsParams{ShopID: who.ShopID, Header: digest[:]})
	if err = found(err); err != nil && err != ErrNotFound {
		return err
	}
	a.keepRunImport(who, in)
	if err == nil && json.Unmarshal(known, &in.Columns) == nil {
		return a.tableRuns(ctx, who, in)
	}
	return nil
}

// renamed lets the faults of a file stand at the file's field.
func renamed(err error) error {
	faults, ok := fault.As(err)
	if !ok {
		return err
	}
	var l fault.List
	for _, f := range faults {
		if f.Field == "file" {
			l.Add("runs_file", "%s", f.Text)
		} else {
			l.Add("runs_file", "%s %s", f.Field, f.Text)
		}
	}
	return l
}

// SettleColumns says which column of the waiting table holds what, and remembers it for
// tables with the same header. It fails with a fault.List; the file goes on waiting.
func (a *App) SettleColumns(ctx context.Context, who Actor, runnerID uint64, c runtable.Columns) error {
	in := a.RunImportOf(who, runnerID)
	if in == nil || in.Table == nil {
		return ErrNotFound
	}
	var l fault.List
	if c.Check(&l, len(in.Table.Header)); len(l) > 0 {
		return l
	}
	in.mu.Lock()
	in.Columns = c
	in.mu.Unlock()
	if err := a.tableRuns(ctx, who, in); err != nil {
		return err
	}
	data, err := json.Marshal(c)
	if err != nil {
		return err
	}
	digest := in.Table.Digest()
	return a.store.AddRunColumns(ctx, db.AddRunColumnsParams{ShopID: who.ShopID, Header: digest[:], ColumnsRead: data, MadeBy: who.UserID, MadeAt: a.Now()})
}

func (a *App) tableRuns(ctx context.Context, who Actor, in *RunImport) error {
	known, _, err := a.knownRuns(ctx, who, in.RunnerID)
	if err != nil {
		return err
	}
	rows, empty, err := in.Table.Runs(in.Columns, a.Today())
	faults, ok := fault.As(err)
	if err != nil && !ok {
		return err
	}
	in.mu.Lock()
	defer in.mu.Unlock()
	in.runs, in.faults, in.left = nil, faults, nil
	in.done, in.all = len(in.Table.Rows), len(in.Table.Rows)
	if len(faults) > 0 {
		return nil
	}
	if empty > 0 {
		in.left = append(in.left, fmt.Sprintf("%d rows without a distance were passed over.", empty))
	}
	for _, r := range rows {
		x := FileRun{Run: Run{On: r.On, KM: math.Round(1000*r.KM) / 1000, Kind: r.Kind, Ground: r.Ground, Minutes: r.Minutes, AscentM: r.AscentM, How: ByCSV}, At: "line " + strconv.Itoa(r.Line)}
		if x.Kind == "" {
			x.Kind = term.Easy
		}
		if x.Ground == "" {
			x.Ground = term.GroundRoad
		}
		if r.Start != "" {
			clock, _ := time.Parse("15:04", r.Start) // written by the reader
			x.StartedAt = r.On.Add(time.Duration(clock.Hour())*time.Hour + time.Duration(clock.Minute())*time.Minute)
		}
		x.There = known.has(x.Run)
		known = append(known, x.Run)
		in.runs = append(in.runs, x)
	}
	slices.SortStableFunc(in.runs, func(x, y FileRun) int { return x.On.Compare(y.On) })
	return nil
}

// PutRunsIn writes the waiting runs that the runner does not have, all or none, each into
// the pair that the rules give it. Files with faults keep it from doing so unless they are
// to be left out, which a table's rows cannot be.
func (a *App) PutRunsIn(ctx context.Context, who Actor, runnerID uint64, leaveOut bool) (int, error) {
	in := a.RunImportOf(who, runnerID)
	if in == nil {
		return 0, fault.List{{Field: "runs_file", Text: "is missing: choose a file and look at what it holds first"}}
	}
	p := in.Progress()
	switch {
	case p.Reading:
		return 0, fault.List{{Field: "runs_file", Text: "is still being read"}}
	case len(p.Faults) > 0 && (in.How == ByCSV || !leaveOut):
		return 0, fault.List{{Field: "runs_file", Text: "holds faults; nothing was put in"}}
	}
	rules, err := a.rules(ctx, who, runnerID)
	if err != nil {
		return 0, err
	}
	// What was put in meanwhile, by another hand, is there.
	known, _, err := a.knownRuns(ctx, who, runnerID)
	if err != nil {
		return 0, err
	}
	n := 0
	err = a.store.Tx(ctx, func(q *db.Queries) error {
		n = 0
		files := map[*NamedFile]uint64{}
		for i := range p.Runs {
			r := p.Runs[i]
			if r.There || known.has(r.Run) {
				continue
			}
			if r.file != nil {
				if files[r.file] == 0 {
					id, err := q.AddRunFile(ctx, db.AddRunFileParams{ShopID: who.ShopID, RunnerID: runnerID, Name: clip(r.file.Name), Digest: r.digest[:], Data: r.file.Data, MadeBy: who.UserID, MadeAt: a.Now()})
					if err != nil {
						return err
					}
					files[r.file] = uint64(id)
				}
				r.FileID = files[r.file]
			}
			r.PairID = rules.pick(r.Run)
			rules.use(r.Run)
			if in.How == ByWatch {
				r.How = ByWatch
			}
			if _, err := a.addRun(ctx, q, who, runnerID, r.Run, 0); err != nil {
				return err
			}
			n++
		}
		return nil
	})
	if err == nil {
		a.DropRunImport(who, runnerID)
	}
	return n, err
}

// RunFile is the GPX that a run came from.
func (a *App) RunFile(ctx context.Context, who Actor, runnerID, fileID uint64) (name string, data []byte, err error) {
	row, err := a.store.RunFile(ctx, db.RunFileParams{ID: fileID, RunnerID: runnerID, ShopID: who.ShopID})
	if err != nil {
		return "", nil, found(err)
	}
	z, err := gzip.NewReader(bytes.NewReader(row.Data))
	if err != nil {
		return "", nil, err
	}
	data, err = io.ReadAll(z)
	return row.Name, data, err
}

// PutFilesIn reads a runner's few files and puts them in at once, all or none. It fails with
// a fault.List, and then nothing waits.
func (a *App) PutFilesIn(ctx context.Context, who Actor, runnerID uint64, files []NamedFile) (int, error) {
	for _, f := range files {
		if isTable(f) {
			return 0, fault.List{{Field: "runs_file", Text: clip(f.Name) + " is no GPX; a table is for the shop to read"}}
		}
	}
	in, err := a.ReadRuns(ctx, who, runnerID, files)
	if err != nil {
		return 0, err
	}
	defer a.DropRunImport(who, runnerID)
	var l fault.List
	switch p := in.Progress(); {
	case p.Err != nil:
		return 0, p.Err
	case p.Reading:
		l.Add("runs_file", "holds too many runs to be put in at once; send up to three files")
	default:
		for _, f := range p.Faults {
			l.Add("runs_file", "%s: %s", f.Field, f.Text)
		}
		if len(l) == 0 && len(p.Runs) == 0 && len(p.Left) > 0 {
			l.Add("runs_file", "holds no run: %s", strings.Join(p.Left, " "))
		}
	}
	if err := l.Err(); err != nil {
		return 0, err
	}
	return a.PutRunsIn(ctx, who, runnerID, false)
}

// watchWeeks are how many weeks back the watch hands over.
const watchWeeks = 4

// TakeWatch reads what the watch's stand-in has of the runner's last weeks, as a file that
// waits. A week's runs are the same each time they are asked for, so only new ones are new.
func (a *App) TakeWatch(ctx context.Context, who Actor, fit *Fit) (*RunImport, error) {
	_, km := fit.Week()
	days := 0
	if d := fit.Num("run_days", "", 0); d != nil {
		days = int(*d)
	}
	today := a.Today()
	sunday := today.AddDate(0, 0, (7-int(today.Weekday()))%7)
	var files []NamedFile
	for back := watchWeeks - 1; back >= 0; back-- {
		end := sunday.AddDate(0, 0, -7*back)
		w, err := device.NewWatch(device.WatchOptions{Seed: fit.Runner.ID<<20 + uint64(end.Unix()/(7*86400)), Weeks: 1, Until: end, WeeklyKM: math.Min(250, math.Max(3, km)), Days: days})
		if err != nil {
			return nil, err
		}
		for _, r := range w.Truth.Runs {
			if r.Start.Before(a.Now()) {
				files = append(files, NamedFile{r.File, r.GPX})
			}
		}
	}
	if len(files) == 0 {
		return nil, fault.List{{Field: "runs_file", Text: "is missing: the watch has no run of the last weeks"}}
	}
	in, err := a.ReadRuns(ctx, who, fit.Runner.ID, files)
	if err == nil {
		in.Name, in.How = "the watch", ByWatch
	}
	return in, err
}
