// Package recording opens a filmed gait: a folder or a zip archive that holds
// recording.json and numbered frames. What comes from outside is bounded before it
// is read: so many files, so many bytes, no path that leads out.
package recording

import (
	"archive/zip"
	"errors"
	"fmt"
	"image"
	"io"
	"io/fs"
	"os"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"trevik/internal/core/fault"
	"trevik/internal/core/gait"
	"trevik/internal/picture"
)

// Limits of a recording's files.
const (
	MaxArchive  = 512 << 20 // bytes of a zip
	maxFrame    = 16 << 20  // bytes of one frame
	maxUnpacked = 2 << 30   // bytes of all frames
	maxJSON     = 8 << 20
	maxFiles    = gait.MaxFrames + 100
	maxNumber   = 1 << 40
)

// File is the name of the description within a recording.
const File = "recording.json"

// Film is a recording's frames, read one at a time. It is a gait.Frames.
type Film struct {
	gait.Recording
	source fs.FS
	names  []string // by frame; empty where one is missing
}

// Len is how many frames there are, missing ones counted.
func (f *Film) Len() int { return len(f.names) }

// Data is a frame's file.
func (f *Film) Data(i int) ([]byte, error) {
	if f.names[i] == "" {
		return nil, fs.ErrNotExist
	}
	return readFile(f.source, f.names[i], maxFrame)
}

// Frame decodes a frame.
func (f *Film) Frame(i int) (image.Image, error) {
	data, err := f.Data(i)
	if err != nil {
		return nil, err
	}
	p, err := picture.Open("frame", data)
	return p.Image, err
}

// Open opens a folder or a zip archive by its path. It fails with a fault.List when
// what is there is no recording.
func Open(name string) (*Film, func() error, error) {
	info, err := os.Stat(name)
	if err != nil {
		return nil, nil, refuse("recording", "cannot be opened: %v", errors.Unwrap(err))
	}
	nothing := func() error { return nil }
	if info.IsDir() {
		root, err := os.OpenRoot(name) // a link in it leads nowhere else
		if err != nil {
			return nil, nil, refuse("recording", "cannot be opened: %v", err)
		}
		film, err := open(root.FS())
		if err != nil {
			root.Close()
			return nil, nil, err
		}
		return film, root.Close, nil
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, nil, refuse("recording", "cannot be opened: %v", err)
	}
	film, err := Zip(f, info.Size())
	if err != nil {
		f.Close()
		return nil, nothing, err
	}
	return film, f.Close, nil
}

// Zip opens a zip archive.
func Zip(r io.ReaderAt, size int64) (*Film, error) {
	if size > MaxArchive {
		return nil, refuse("recording", "is larger than %d MiB", MaxArchive>>20)
	}
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, refuse("recording", "is no folder and no zip archive that can be read: %v", err)
	}
	if len(z.File) > 2*maxFiles {
		return nil, refuse("recording", "holds %d files; allowed are up to %d", len(z.File), maxFiles)
	}
	total := uint64(0)
	seen := map[string]bool{}
	for _, f := range z.File {
		if !fs.ValidPath(strings.TrimSuffix(f.Name, "/")) || strings.ContainsAny(f.Name, `\:`) {
			return nil, refuse("recording", "holds the path %.60q, which leads out of it", f.Name)
		}
		if seen[f.Name] {
			return nil, refuse("recording", "holds %.60q twice", f.Name)
		}
		seen[f.Name] = true
		if total += min(f.UncompressedSize64, maxUnpacked+1); total > maxUnpacked {
			return nil, refuse("recording", "unpacks to more than %d GiB", maxUnpacked>>30)
		}
	}
	return open(z)
}

func refuse(field, format string, args ...any) error {
	return fault.List{{Field: field, Text: fmt.Sprintf(format, args...)}}
}

func readFile(source fs.FS, name string, most int64) ([]byte, error) {
	f, err := source.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	// What a header says of its size is not believed.
	data, err := io.ReadAll(io.LimitReader(f, most+1))
	if err == nil && int64(len(data)) > most {
		err = fmt.Errorf("larger than %d MiB", most>>20)
	}
	return data, err
}

func open(source fs.FS) (*Film, error) {
	dir, err := home(source)
	if err != nil {
		return nil, err
	}
	data, err := readFile(source, path.Join(dir, File), maxJSON)
	if err != nil {
		return nil, refuse(File, "cannot be read: %v", err)
	}
	film := &Film{source: source}
	if film.Recording, err = gait.ParseRecording(data); err != nil {
		return nil, err
	}
	film.names, err = frames(source, dir)
	return film, err
}

// home is where recording.json lies: at the root or in the one folder.
func home(source fs.FS) (string, error) {
	if _, err := fs.Stat(source, File); err == nil {
		return ".", nil
	}
	list, err := fs.ReadDir(source, ".")
	if err != nil {
		return "", refuse("recording", "cannot be read: %v", err)
	}
	at := ""
	for _, e := range list {
		if !e.IsDir() {
			continue
		}
		if _, err := fs.Stat(source, path.Join(e.Name(), File)); err == nil {
			if at != "" {
				return "", refuse(File, "is there twice, in %q and %q; allowed is one recording", at, e.Name())
			}
			at = e.Name()
		}
	}
	if at == "" {
		return "", refuse(File, "is missing; it lies beside the frames, at the root or in one folder")
	}
	return at, nil
}

var number = regexp.MustCompile(`(\d+)\D*$`)

// frames lists the numbered pictures by frame. Numbers may start anywhere and go in
// steps; a number that is passed over is a missing frame.
func frames(source fs.FS, dir string) ([]string, error) {
	list, err := fs.ReadDir(source, dir)
	if err != nil {
		return nil, refuse("recording", "cannot be read: %v", err)
	}
	type numbered struct {
		n    int64
		name string
	}
	var all []numbered
	for _, e := range list {
		ext := strings.ToLower(path.Ext(e.Name()))
		if e.IsDir() || ext != ".jpg" && ext != ".jpeg" && ext != ".png" || strings.HasPrefix(e.Name(), ".") {
			continue
		}
		m := number.FindStringSubmatch(strings.TrimSuffix(e.Name(), path.Ext(e.Name())))
		if m == nil {
			return nil, refuse("frames", "have numbered names; %.60q has no number", e.Name())
		}
		n, err := strconv.ParseInt(m[1], 10, 64)
		if err != nil || n > maxNumber {
			return nil, refuse("frames", "have numbers up to %d; %.60q is beyond", int64(maxNumber), e.Name())
		}
		all = append(all, numbered{n, path.Join(dir, e.Name())})
	}
	if len(all) == 0 {
		return nil, refuse("frames", "are missing; allowed are JPEG or PNG pictures with numbered names")
	}
	slices.SortFunc(all, func(a, b numbered) int { return int(a.n - b.n) })
	step := int64(0)
	for i := 1; i < len(all); i++ {
		d := all[i].n - all[i-1].n
		if d == 0 {
			return nil, refuse("frames", "have the number %d twice: %.60q and %.60q", all[i].n, path.Base(all[i-1].name), path.Base(all[i].name))
		}
		for a, b := d, step; ; a, b = b, a%b { // greatest common divisor
			if b == 0 {
				step = a
				break
			}
		}
	}
	step = max(step, 1)
	count := (all[len(all)-1].n-all[0].n)/step + 1
	if count > gait.MaxFrames {
		return nil, refuse("frames", "are numbered over a range of %d; allowed are up to %d", count, gait.MaxFrames)
	}
	out := make([]string, count)
	for _, f := range all {
		out[(f.n-all[0].n)/step] = f.name
	}
	return out, nil
}
