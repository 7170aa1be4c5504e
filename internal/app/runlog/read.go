package runlog

import (
	"archive/zip"
	"bytes"
	"cmp"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"math"
	"path"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/limits"
	"trevik/internal/core/term"
	"trevik/internal/core/track"
	"trevik/internal/form"
	"trevik/internal/gpx"
	"trevik/internal/record"
	"trevik/internal/runtable"
)

// Limits of files of runs.
const (
	MaxSent     = 512 << 20 // what is sent at once, bytes
	MostParts   = mostFiles // files that are sent at once
	mostFiles   = 6000
	shownFaults = 100
)

// NamedFile is a file with its name.
type NamedFile struct {
	Name string
	Data []byte
}

// IsTable says whether a file is a table and no track, by its name and its first bytes.
func IsTable(name string, head []byte) bool {
	name = strings.ToLower(name)
	if strings.HasSuffix(name, ".csv") || strings.HasSuffix(name, ".tsv") || strings.HasSuffix(name, ".txt") {
		return true
	}
	return !bytes.HasPrefix(head, []byte("PK")) && !bytes.Contains(head[:min(len(head), 400)], []byte("<"))
}

// source is a GPX that is read when its turn comes: thousands of them unpacked at once would be
// more than a machine holds.
type source struct {
	name string
	read func() ([]byte, error)
}

// unzip gives the GPX files of a zip. Each is held to so many bytes as it is unpacked, whatever the
// zip says of itself. It fails with a fault.List.
func unzip(name string, file io.ReaderAt, size, most int64) ([]source, error) {
	z, err := zip.NewReader(file, size)
	if err != nil {
		return nil, fault.List{{Field: "runs_file", Text: fmt.Sprintf("%s is no zip that can be read: %v", form.Clip(name), err)}}
	}
	var out []source
	for _, e := range z.File {
		if e.FileInfo().IsDir() || !strings.HasSuffix(strings.ToLower(e.Name), ".gpx") || strings.HasPrefix(path.Base(e.Name), ".") {
			continue
		}
		if len(out) >= mostFiles {
			return nil, fault.List{{Field: "runs_file", Text: fmt.Sprintf("%s holds more than %d files", form.Clip(name), mostFiles)}}
		}
		out = append(out, source{path.Base(e.Name), func() ([]byte, error) {
			r, err := e.Open()
			if err != nil {
				return nil, err
			}
			defer r.Close()
			return io.ReadAll(io.LimitReader(r, most+1)) // one over its limit is told by the reader
		}})
	}
	if len(out) == 0 {
		return nil, fault.List{{Field: "runs_file", Text: form.Clip(name) + " holds no GPX file"}}
	}
	return out, nil
}

// FileRun is one run of a file that waits.
type FileRun struct {
	record.Run
	At     string // "line 7", or the file's name in a zip
	Name   string
	There  bool // the runner has it already
	Jumps  int
	Pauses int
	Track  int    // the number of the GPX that it came from, from 1; 0 is none
	Digest []byte // of that GPX as it was
}

// while reads as long as somebody waits for it.
type while struct {
	ctx context.Context
	io.Reader
}

func (w while) Read(p []byte) (int, error) {
	if err := w.ctx.Err(); err != nil {
		return 0, err
	}
	return w.Reader.Read(p)
}

// tracksOf are a GPX's runs. left tells what was passed over.
func tracksOf(ctx context.Context, f NamedFile, today time.Time, who app.Actor) (runs []FileRun, left []string, l fault.List) {
	tracks, err := gpx.Decode(while{ctx, bytes.NewReader(f.Data)})
	name := form.Clip(f.Name)
	if err != nil {
		faults, ok := fault.As(err)
		if !ok {
			faults = fault.List{{Field: "file", Text: "cannot be read"}}
		}
		for _, x := range faults {
			l.Add(name+", "+x.Field, "%s", x.Text)
		}
		return nil, nil, l
	}
	digest := sha256.Sum256(f.Data)
	for i := range tracks {
		t := &tracks[i]
		at := name
		if len(tracks) > 1 {
			at = fmt.Sprintf("%s, line %d", name, t.Line)
		}
		run, note, wrong := runOf(t, at, today, who)
		if note != "" {
			left = append(left, note)
		}
		l = append(l, wrong...)
		if run != nil {
			run.Digest = digest[:]
			runs = append(runs, *run)
		}
	}
	return runs, left, l
}

// runOf is a track as a run; nil with a note where it is passed over, or with a fault.
func runOf(t *gpx.Track, at string, today time.Time, who app.Actor) (run *FileRun, note string, l fault.List) {
	if !t.OnFoot() {
		return nil, fmt.Sprintf("%s: %q is not on foot.", at, t.Kind), nil
	}
	a, err := track.Measure(t.Points())
	if err != nil {
		l.Add(at, "%v", err)
		return nil, "", l
	}
	start := t.Start()
	if start.Location() == time.UTC {
		start = who.In(start) // a watch that tells the world's time; else it tells its own
	}
	on := time.Date(start.Year(), start.Month(), start.Day(), 0, 0, 0, 0, time.UTC)
	switch {
	case on.After(today.AddDate(0, 0, 1)):
		l.Add(at, "is of %s, which is yet to come", on.Format(time.DateOnly))
		return nil, "", l
	case a.KM < limits.RunKM.Lo:
		return nil, fmt.Sprintf("%s: %.0f m are no run.", at, 1000*a.KM), nil
	case a.KM > limits.RaceKM.Hi:
		l.Add(at, "comes to %.0f km; allowed are %g", a.KM, limits.RaceKM.Hi)
		return nil, "", l
	}
	if t.Untimed > 0 {
		note = fmt.Sprintf("%s: %d places without a time were left out.", at, t.Untimed)
	}
	minutes := a.Moving / 60
	kind, ground := kindOfTrack(t)
	clock := time.Date(start.Year(), start.Month(), start.Day(), start.Hour(), start.Minute(), start.Second(), 0, time.UTC)
	return &FileRun{Run: record.Run{On: on, KM: math.Round(1000*a.KM) / 1000, Kind: kind, Ground: ground, StartedAt: clock, Minutes: &minutes,
		AscentM: a.AscentM, How: ByGPX},
		At: at, Name: t.Name, Jumps: a.Jumps, Pauses: a.Pauses}, note, nil
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

func pack(data []byte) ([]byte, error) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	_, err := z.Write(data)
	if closeErr := z.Close(); err == nil {
		err = closeErr
	}
	return b.Bytes(), err
}
