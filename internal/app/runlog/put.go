package runlog

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/form"
	"trevik/internal/store/db"
)

// PutIn puts the runs of a waiting file in that the runner does not have, all or none, and gives
// how many. leaveOut leaves tracks out that hold faults; a table with faults is put in by
// nobody. It fails with a fault.List. What was put in is put in once, however often it is asked
// for.
func (r *Log) PutIn(ctx context.Context, who app.Actor, runnerID, id uint64, leaveOut bool) (int, error) {
	result, err := r.OnceOf(ctx, who, runnerID, func(q *db.Queries) (string, error) {
		row, err := q.LockUpload(ctx, db.LockUploadParams{ID: id, ShopID: who.ShopID})
		if err = app.Found(err); err == app.ErrNotFound {
			return "", fault.List{{Field: "runs_file", Text: "is missing: choose a file and look at what it holds first"}}
		}
		if err != nil {
			return "", err
		}
		u := app.UploadOf(row)
		if u.Kind != uploadKind || u.RunnerID != runnerID || !u.Mine(who) {
			return "", app.ErrNotFound
		}
		if u.State == app.UploadDone {
			return "0", nil
		}
		in, err := r.open(ctx, q, u)
		if err != nil {
			return "", err
		}
		switch {
		case in.Reading():
			return "", fault.List{{Field: "runs_file", Text: "is still being read"}}
		case in.IsTable() && !in.Settled():
			return "", fault.List{{Field: "runs_file", Text: "is a table whose columns are not told yet"}}
		case len(in.Faults) > 0 && (in.IsTable() || !leaveOut):
			return "", fault.List{{Field: "runs_file", Text: "holds faults; nothing was put in"}}
		}
		n, err := r.put(ctx, q, who, runnerID, in.Runs, in.Upload.How == ByWatch, func(track int) (string, []byte, error) {
			t, err := q.UploadTrack(ctx, db.UploadTrackParams{UploadID: id, Number: int32(track)})
			return t.Name, t.Data, err
		})
		if err != nil {
			return "", err
		}
		if err := q.SetUploadState(ctx, db.SetUploadStateParams{State: string(app.UploadDone), ID: id}); err != nil {
			return "", err
		}
		return strconv.Itoa(n), q.DropUploadPieces(ctx, id)
	})
	if err != nil {
		return 0, err
	}
	return strconv.Atoi(result)
}

// put writes the runs that the runner does not have; the runner is locked. file gives the packed
// GPX of a track.
func (r *Log) put(ctx context.Context, q *db.Queries, who app.Actor, runnerID uint64, runs []FileRun, watch bool,
	file func(track int) (string, []byte, error)) (int, error) {
	rules, err := r.ruleBook(ctx, q, who, runnerID)
	if err != nil {
		return 0, err
	}
	have, err := known(ctx, q, who, runnerID)
	if err != nil {
		return 0, err
	}
	digests, err := r.digests(ctx, q, who, runnerID)
	if err != nil {
		return 0, err
	}
	n := 0
	files := map[int]uint64{}
	for _, x := range runs {
		if digests[string(x.Digest)] && x.Track > 0 || have.like(x.Run, 0) != nil {
			continue
		}
		if x.Track > 0 {
			if files[x.Track] == 0 {
				name, data, err := file(x.Track)
				if err != nil {
					return 0, err
				}
				id, err := q.AddRunFile(ctx, db.AddRunFileParams{ShopID: who.ShopID, RunnerID: runnerID, Name: app.FileName(name), Digest: x.Digest,
					Data: data, MadeBy: who.UserID, MadeAt: r.Now()})
				if err != nil {
					return 0, err
				}
				files[x.Track] = uint64(id)
			}
			x.FileID = files[x.Track]
		}
		x.PairID = rules.pick(x.Run)
		rules.use(x.Run)
		if watch {
			x.How = ByWatch
		}
		if _, err := r.insert(ctx, q, who, runnerID, x.Run, whole); err != nil {
			return 0, err
		}
		have.addWaiting(x.Run)
		n++
	}
	return n, nil
}

// mostFromLink is how large a runner's own GPX may be once it is unpacked, bytes: a day's run is 5 MiB.
const mostFromLink = 24 << 20

// sent lets one sending of a runner be read at a time, so that pages go on beside however many: a few
// wait, the rest is told to come again.
var sent = app.NewGate(1, 16, 20*time.Second)

// PutFiles reads a runner's few files and puts them in at once, all or none, and gives how many
// runs were new. It fails with a fault.List, and with app.ErrBusy.
func (r *Log) PutFiles(ctx context.Context, who app.Actor, runnerID uint64, files []NamedFile) (int, error) {
	runs, packed, err := r.readSent(ctx, who, files)
	if err != nil {
		return 0, err
	}
	result, err := r.OnceOf(ctx, who, runnerID, func(q *db.Queries) (string, error) {
		n, err := r.put(ctx, q, who, runnerID, runs, false, func(track int) (string, []byte, error) {
			return files[track-1].Name, packed[track-1], nil
		})
		return strconv.Itoa(n), err
	})
	if err != nil {
		return 0, err
	}
	return strconv.Atoi(result)
}

// readSent reads a sending of a runner, in turn: its runs, and each file packed as it was.
func (r *Log) readSent(ctx context.Context, who app.Actor, files []NamedFile) (runs []FileRun, packed [][]byte, err error) {
	leave, err := sent.Enter(ctx, 1)
	if err != nil {
		return nil, nil, err
	}
	defer leave()
	var l fault.List
	var left []string
	packed = make([][]byte, len(files))
	today := r.Today(who)
	for i, f := range files {
		if IsTable(f.Name, f.Data) {
			l.Add("runs_file", "%s is no GPX; a table is for the shop to read", form.Clip(f.Name))
			continue
		}
		list := []source{{f.Name, func() ([]byte, error) { return f.Data, nil }}}
		if bytes.HasPrefix(f.Data, []byte("PK")) {
			if list, err = unzip(f.Name, bytes.NewReader(f.Data), int64(len(f.Data)), mostFromLink); err != nil {
				return nil, nil, err
			}
		}
		if len(list) > 1 || len(files) > atOnce {
			return nil, nil, fault.List{{Field: "runs_file", Text: "holds too many runs to be put in at once; send up to three files"}}
		}
		data, err := list[0].read()
		if err == nil && len(data) > mostFromLink {
			err = fmt.Errorf("it holds more than %d MiB", mostFromLink>>20)
		}
		if err != nil {
			l.Add("runs_file", "%s cannot be read: %v", form.Clip(f.Name), err)
			continue
		}
		found, passed, wrong := tracksOf(ctx, NamedFile{list[0].name, data}, today, who)
		if ctx.Err() != nil {
			return nil, nil, ctx.Err() // who sent it went away, or its time is over: nothing is read for nobody
		}
		for _, x := range wrong {
			l.Add("runs_file", "%s: %s", x.Field, x.Text)
		}
		left = append(left, passed...)
		if packed[i], err = pack(data); err != nil {
			return nil, nil, err
		}
		for _, x := range found {
			x.Track = i + 1
			runs = append(runs, x)
		}
	}
	if len(files) == 0 {
		l.Add("runs_file", "is missing; choose GPX files")
	}
	if len(l) == 0 && len(runs) == 0 {
		l.Add("runs_file", "holds no run: %s", strings.Join(left, " "))
	}
	return runs, packed, l.Err()
}

// File is the GPX that a run came from.
func (r *Log) File(ctx context.Context, who app.Actor, runnerID, fileID uint64) (name string, data []byte, err error) {
	row, err := r.Store.RunFile(ctx, db.RunFileParams{ID: fileID, RunnerID: runnerID, ShopID: who.ShopID})
	if err != nil {
		return "", nil, app.Found(err)
	}
	z, err := gzip.NewReader(bytes.NewReader(row.Data))
	if err != nil {
		return "", nil, err
	}
	data, err = io.ReadAll(z)
	return row.Name, data, err
}
