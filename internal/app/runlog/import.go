package runlog

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"os"
	"slices"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/device"
	"trevik/internal/gpx"
	"trevik/internal/jobs"
	"trevik/internal/record"
	"trevik/internal/runtable"
	"trevik/internal/store"
	"trevik/internal/store/db"
)

// Ways of an import's file.
const (
	ByGPX   = "gpx"
	ByCSV   = "csv"
	ByWatch = "watch"
)

const (
	uploadKind = "runs"
	readKind   = "runs.read"
	// atOnce is how many files of a request are read within it; more go on behind.
	atOnce = 3
	// keepEvery is how many tracks are read before what was read is kept.
	keepEvery = 100
)

// Import is a file of runs that is being read or waits to be put in.
type Import struct {
	Upload app.Upload `json:"-"`
	Job    jobs.State `json:"-"`
	Runs   []FileRun
	Faults fault.List
	Left   []string   // tracks that were passed over, and why
	Header []string   // of a table
	Sample [][]string // its first rows
	Next   int        // the file that is read next, where reading broke off
	Tracks int        // that were kept
}

// Reading says whether it is still being read.
func (i *Import) Reading() bool { return i.Upload.State == app.UploadReading }

// IsTable says whether it is a table.
func (i *Import) IsTable() bool { return i.Upload.How == ByCSV }

// Settled says whether a table's columns were told, now or once.
func (i *Import) Settled() bool { return i.asked().Settled }

// Columns say which column of a table holds what.
func (i *Import) Columns() runtable.Columns { return i.asked().Columns }

// New is how many of its runs the runner does not have, and There how many they have.
func (i *Import) New() int { return len(i.Runs) - i.There() }

// There is how many of its runs the runner has already.
func (i *Import) There() int {
	n := 0
	for _, r := range i.Runs {
		if r.There {
			n++
		}
	}
	return n
}

// asked is what a person said of a table.
type asked struct {
	Columns runtable.Columns
	Settled bool
}

func (i *Import) asked() asked {
	var a asked
	_ = json.Unmarshal(i.Upload.Asked, &a) // written here
	return a
}

// Latest is the person's file of runs for a runner that waits; nil where none does.
func (r *Log) Latest(ctx context.Context, who app.Actor, runnerID uint64) (*Import, error) {
	row, err := r.Store.LatestUpload(ctx, db.LatestUploadParams{ShopID: who.ShopID, Kind: uploadKind, RunnerID: app.NullID(runnerID),
		MadeBy: who.UserID, ByLink: who.ByLink, But: string(app.UploadDone)})
	if store.IsNoRows(err) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return r.open(ctx, r.Store.Queries, app.UploadOf(row))
}

// Import is one of the person's files for a runner. It fails with app.ErrNotFound on another's.
func (r *Log) Import(ctx context.Context, who app.Actor, runnerID, id uint64) (*Import, error) {
	row, err := r.Store.UploadByID(ctx, db.UploadByIDParams{ID: id, ShopID: who.ShopID})
	if err != nil {
		return nil, app.Found(err)
	}
	u := app.UploadOf(row)
	if u.Kind != uploadKind || u.RunnerID != runnerID || !u.Mine(who) || u.State == app.UploadDone {
		return nil, app.ErrNotFound
	}
	return r.open(ctx, r.Store.Queries, u)
}

func (r *Log) open(ctx context.Context, q *db.Queries, u app.Upload) (*Import, error) {
	in := &Import{Upload: u}
	if len(u.Found) > 0 {
		if err := app.Unpack(u.Found, in); err != nil {
			return nil, err
		}
	}
	var err error
	in.Job, err = jobs.Of(ctx, q, readKind, u.Subject())
	return in, err
}

// keep writes how far an import is.
func (i *Import) keep(ctx context.Context, q *db.Queries, state app.UploadState) error {
	found, err := app.Pack(i)
	if err != nil {
		return err
	}
	i.Upload.State = state
	return q.SetUploadFound(ctx, db.SetUploadFoundParams{State: string(state), Asked: i.Upload.Asked, Found: found, ID: i.Upload.ID})
}

// Drop lets a file go.
func (r *Log) Drop(ctx context.Context, who app.Actor, runnerID, id uint64) error {
	if _, err := r.Import(ctx, who, runnerID, id); err != nil {
		return err
	}
	return r.Store.Tx(ctx, func(q *db.Queries) error { return r.drop(ctx, q, who, id) })
}

func (r *Log) drop(ctx context.Context, q *db.Queries, who app.Actor, id uint64) error {
	if err := jobs.Cancel(ctx, q, readKind, app.Upload{ID: id}.Subject()); err != nil {
		return err
	}
	_, err := q.DropUpload(ctx, db.DropUploadParams{ID: id, ShopID: who.ShopID})
	return err
}

// Sender hands over the files of a request one by one, io.EOF after the last.
type Sender func() (name string, data io.Reader, err error)

// Send takes files of runs: GPX, zips of GPX, or one table. What they hold waits until it is put
// in; many are read behind. It gives the import's id, and fails with a fault.List on what is no
// such file.
func (r *Log) Send(ctx context.Context, who app.Actor, runnerID uint64, next Sender) (uint64, error) {
	if _, err := r.Visits.Runner(ctx, who, runnerID); err != nil {
		return 0, err
	}
	id, err := r.arrive(ctx, who, runnerID, ByGPX, next)
	if err != nil {
		return 0, err
	}
	if err := r.begin(ctx, who, id); err != nil {
		if _, faulty := fault.As(err); faulty {
			// What is no such file does not wait.
			_ = r.Store.Tx(ctx, func(q *db.Queries) error { return r.drop(ctx, q, who, id) })
		}
		return 0, err
	}
	return id, nil
}

// arrive keeps the files of a request.
func (r *Log) arrive(ctx context.Context, who app.Actor, runnerID uint64, how string, next Sender) (uint64, error) {
	id, err := r.Store.AddUpload(ctx, db.AddUploadParams{ShopID: who.ShopID, RunnerID: app.NullID(runnerID), Kind: uploadKind, Name: "",
		How: how, State: string(app.UploadArriving), Asked: json.RawMessage("{}"), MadeBy: who.UserID, ByLink: who.ByLink, MadeAt: r.Now()})
	if err != nil {
		return 0, err
	}
	n, first := 0, ""
	for {
		name, data, err := next()
		if err == nil && n >= MostParts {
			err = fault.List{{Field: "runs_file", Text: fmt.Sprintf("are more than %d files; put them into a zip or send them in parts", MostParts)}}
		}
		if err == nil {
			err = app.Keep(ctx, r.Store.Queries, uint64(id), n, name, data)
		}
		if err != nil && err != io.EOF {
			// Nothing stays of what broke off on the way.
			_, _ = r.Store.DropUpload(context.WithoutCancel(ctx), db.DropUploadParams{ID: uint64(id), ShopID: who.ShopID})
			return 0, err
		}
		if err == io.EOF {
			break
		}
		if n == 0 {
			first = name
		}
		n++
	}
	if n == 0 {
		_, _ = r.Store.DropUpload(ctx, db.DropUploadParams{ID: uint64(id), ShopID: who.ShopID})
		return 0, fault.List{{Field: "runs_file", Text: "is missing; choose GPX files, a zip of them, or a CSV"}}
	}
	if n > 1 {
		first = fmt.Sprintf("%s and %d more", first, n-1)
	}
	return uint64(id), r.Store.NameUpload(ctx, db.NameUploadParams{Name: app.FileName(first), State: string(app.UploadReading),
		ID: uint64(id)})
}

// begin reads what has arrived: a few files at once, many behind.
func (r *Log) begin(ctx context.Context, who app.Actor, id uint64) error {
	files, err := app.Files(ctx, r.Store.Queries, id)
	if err != nil {
		return err
	}
	if len(files) == 1 {
		head, err := r.Store.UploadPiece(ctx, db.UploadPieceParams{UploadID: id})
		if err != nil {
			return err
		}
		if IsTable(files[0].Name, head) {
			return r.readTable(ctx, who, id)
		}
	}
	u, err := r.upload(ctx, who, id)
	if err != nil {
		return err
	}
	list, clean, err := r.sources(ctx, id, files)
	defer clean()
	if err != nil {
		return err
	}
	if len(list) > mostFiles {
		return fault.List{{Field: "runs_file", Text: fmt.Sprintf("holds %d files; allowed are %d at once", len(list), mostFiles)}}
	}
	if len(list) <= atOnce {
		return r.readTracks(ctx, who, &Import{Upload: u}, list, func(int, int) {})
	}
	err = r.Store.Tx(ctx, func(q *db.Queries) error {
		return jobs.Add(ctx, q, jobs.Job{ShopID: who.ShopID, Kind: readKind, Subject: u.Subject(), By: who.UserID}, readArgs{id})
	})
	r.Jobs.Wake()
	return err
}

type readArgs struct {
	Upload uint64 `json:"upload"`
}

func (r *Log) upload(ctx context.Context, who app.Actor, id uint64) (app.Upload, error) {
	row, err := r.Store.UploadByID(ctx, db.UploadByIDParams{ID: id, ShopID: who.ShopID})
	return app.UploadOf(row), app.Found(err)
}

// readJob reads an import behind the requests; it goes on where reading broke off.
func (r *Log) readJob(ctx context.Context, j *jobs.Job, tell func(done, total int)) error {
	var args readArgs
	if err := json.Unmarshal(j.Args, &args); err != nil {
		return jobs.Final{Err: err}
	}
	who, err := r.whoOf(ctx, j)
	if err != nil {
		return err
	}
	u, err := r.upload(ctx, who, args.Upload)
	if err == app.ErrNotFound {
		return nil // let go of meanwhile
	}
	if err != nil {
		return err
	}
	in, err := r.open(ctx, r.Store.Queries, u)
	if err != nil {
		return jobs.Final{Err: err}
	}
	files, err := app.Files(ctx, r.Store.Queries, u.ID)
	if err != nil {
		return err
	}
	list, clean, err := r.sources(ctx, u.ID, files)
	defer clean()
	if err != nil {
		if _, faulty := fault.As(err); faulty {
			return jobs.Final{Err: err}
		}
		return err
	}
	return r.readTracks(ctx, who, in, list, tell)
}

// whoOf is the person who asked for a job, with the shop's time zone.
func (r *Log) whoOf(ctx context.Context, j *jobs.Job) (app.Actor, error) {
	who := app.Actor{UserID: j.By, ShopID: j.ShopID}
	name, err := r.Store.ZoneOf(ctx, j.ShopID)
	if err != nil && !store.IsNoRows(err) {
		return who, err
	}
	who.Zone, err = record.ZoneOf(name)
	return who, err
}

func (r *Log) readFailed(ctx context.Context, j *jobs.Job, why error) {
	var args readArgs
	who := app.Actor{UserID: j.By, ShopID: j.ShopID}
	if json.Unmarshal(j.Args, &args) != nil {
		return
	}
	u, err := r.upload(ctx, who, args.Upload)
	if err != nil {
		return
	}
	in := &Import{Upload: u, Faults: fault.List{{Field: "file", Text: "could not be read; send it once more, or in parts"}}}
	if faults, ok := fault.As(why); ok {
		in.Faults = faults
	}
	// Should this fail too, the import is let go of with its time.
	_ = in.keep(ctx, r.Store.Queries, app.UploadWaiting)
}

// sources are the GPX files of an upload, those within zips too. A zip is written to a file of
// its own while it is read, which clean takes away.
func (r *Log) sources(ctx context.Context, id uint64, files []app.Sent) (list []source, clean func(), err error) {
	var opened []*os.File
	clean = func() {
		for _, f := range opened {
			_ = f.Close()
		}
	}
	for _, f := range files {
		head, err := r.Store.UploadPiece(ctx, db.UploadPieceParams{UploadID: id, Number: int32(f.Number)})
		if err != nil {
			return nil, clean, err
		}
		if !bytes.HasPrefix(head, []byte("PK")) {
			list = append(list, source{f.Name, func() ([]byte, error) {
				var b bytes.Buffer
				err := f.Write(ctx, r.Store.Queries, id, &b)
				return b.Bytes(), err
			}})
			continue
		}
		temp, err := os.CreateTemp("", "trevik-zip-")
		if err != nil {
			return nil, clean, err
		}
		opened = append(opened, temp)
		// Without a name from the first: whatever ends the program, nothing of the runner stays behind.
		if err := os.Remove(temp.Name()); err != nil {
			return nil, clean, err
		}
		if err := f.Write(ctx, r.Store.Queries, id, temp); err != nil {
			return nil, clean, err
		}
		info, err := temp.Stat()
		if err != nil {
			return nil, clean, err
		}
		more, err := unzip(f.Name, temp, info.Size(), gpx.MaxBytes)
		if err != nil {
			return nil, clean, err
		}
		list = append(list, more...)
	}
	return list, clean, nil
}

// readTracks measures every track of the files from where reading broke off.
func (r *Log) readTracks(ctx context.Context, who app.Actor, in *Import, list []source, tell func(done, total int)) error {
	have, err := known(ctx, r.Store.Queries, who, in.Upload.RunnerID)
	if err != nil {
		return err
	}
	for _, x := range in.Runs {
		have.addWaiting(x.Run)
	}
	digests, err := r.digests(ctx, r.Store.Queries, who, in.Upload.RunnerID)
	if err != nil {
		return err
	}
	today := r.Today(who)
	for ; in.Next < len(list); in.Next++ {
		tell(in.Next, len(list))
		if ctx.Err() != nil {
			return ctx.Err()
		}
		f := list[in.Next]
		data, err := f.read()
		if err != nil {
			in.fault(fault.List{{Field: f.name, Text: "cannot be read: " + err.Error()}})
			continue
		}
		runs, left, wrong := tracksOf(ctx, NamedFile{f.name, data}, today, who)
		in.Left = append(in.Left, left...)
		in.fault(wrong)
		if len(runs) == 0 {
			continue
		}
		packed, err := pack(data)
		if err != nil {
			return err
		}
		in.Tracks++
		if err := r.Store.AddUploadTrack(ctx, db.AddUploadTrackParams{UploadID: in.Upload.ID, Number: int32(in.Tracks),
			Name: app.FileName(f.name), Digest: runs[0].Digest, Data: packed}); err != nil {
			return err
		}
		for _, x := range runs {
			x.Track = in.Tracks
			x.There = digests[string(x.Digest)] || have.like(x.Run, 0) != nil
			have.addWaiting(x.Run)
			in.Runs = append(in.Runs, x)
		}
		if in.Next%keepEvery == keepEvery-1 {
			part := *in
			part.Next++
			if err := part.keep(ctx, r.Store.Queries, app.UploadReading); err != nil {
				return err
			}
		}
	}
	slices.SortStableFunc(in.Runs, func(x, y FileRun) int { return x.StartedAt.Compare(y.StartedAt) })
	return in.keep(ctx, r.Store.Queries, app.UploadWaiting)
}

// addWaiting notes a run of the file itself, so that a file that holds a run twice puts it in
// once.
func (k *knownRuns) addWaiting(r record.Run) { k.list = append(k.list, knownRun{Run: r}) }

func (i *Import) fault(l fault.List) {
	if len(i.Faults) < shownFaults {
		i.Faults = append(i.Faults, l...)
	}
}

// digests are the GPX files of which a run counts.
func (r *Log) digests(ctx context.Context, q *db.Queries, who app.Actor, runnerID uint64) (map[string]bool, error) {
	rows, err := q.FileDigests(ctx, db.FileDigestsParams{RunnerID: runnerID, ShopID: who.ShopID})
	out := map[string]bool{}
	for _, f := range rows {
		if f.Counts {
			out[string(f.Digest)] = true
		}
	}
	return out, err
}

// watchWeeks are how many weeks back the watch hands over.
const watchWeeks = 4

// TakeWatch reads what the watch's stand-in has of the runner's last weeks, as a file that waits.
// A week's runs are the same each time they are asked for, so only new ones are new.
func (r *Log) TakeWatch(ctx context.Context, who app.Actor, fit *record.Conclusions) (uint64, error) {
	today := r.Today(who)
	sunday := today.AddDate(0, 0, (7-int(today.Weekday()))%7)
	var files []NamedFile
	for back := watchWeeks - 1; back >= 0; back-- {
		end := sunday.AddDate(0, 0, -7*back)
		w, err := device.NewWatch(device.WatchOptions{Seed: fit.Runner.ID<<20 + uint64(end.Unix()/(7*86400)), Weeks: 1, Until: end,
			WeeklyKM: math.Min(250, math.Max(3, fit.WeeklyTold())), Days: int(record.RunDays.Of(fit.Visit))})
		if err != nil {
			return 0, err
		}
		for _, x := range w.Truth.Runs {
			if x.Start.Before(r.Now()) {
				files = append(files, NamedFile{x.File, x.GPX})
			}
		}
	}
	if len(files) == 0 {
		return 0, fault.List{{Field: "runs_file", Text: "is missing: the watch has no run of the last weeks"}}
	}
	n := 0
	id, err := r.arrive(ctx, who, fit.Runner.ID, ByWatch, func() (string, io.Reader, error) {
		if n == len(files) {
			return "", nil, io.EOF
		}
		n++
		return files[n-1].Name, bytes.NewReader(files[n-1].Data), nil
	})
	if err != nil {
		return 0, err
	}
	if err := r.Store.NameUpload(ctx, db.NameUploadParams{Name: "the watch", State: string(app.UploadReading), ID: id}); err != nil {
		return 0, err
	}
	return id, r.begin(ctx, who, id)
}
