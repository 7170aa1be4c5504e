package recording

import (
	"archive/zip"
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"trevik/internal/core/fault"
)

const described = `{"schema":"trevik.recording/v1","view":"rear","fps":120,"markers":"auto"}`

func zipData(data []byte) (*Film, error) { return Zip(bytes.NewReader(data), int64(len(data))) }

func frame(t testing.TB, shade uint8) []byte {
	t.Helper()
	img := image.NewGray(image.Rect(0, 0, 20, 20))
	img.SetGray(0, 0, color.Gray{Y: shade})
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

type entry struct {
	name string
	data []byte
}

func archive(t testing.TB, entries ...entry) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, e := range entries {
		w, err := z.Create(e.name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write(e.data); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestZipAndFolder(t *testing.T) {
	one, two := frame(t, 10), frame(t, 20)
	entries := []entry{{"film/recording.json", []byte(described)}, {"film/f9.png", one}, {"film/f10.png", two},
		{"film/f12.png", []byte("broken")}, {"film/notes.txt", []byte("x")}, {"film/truth.json", []byte("{}")}}
	dir := t.TempDir()
	for _, e := range entries {
		name := filepath.Join(dir, filepath.Base(e.name))
		if err := os.WriteFile(name, e.data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	zipped := filepath.Join(t.TempDir(), "film.zip")
	if err := os.WriteFile(zipped, archive(t, entries...), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{dir, zipped} {
		film, done, err := Open(name)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if film.Len() != 4 || *film.FPS != 120 {
			t.Errorf("%s: %d frames, want 4: 9, 10, a missing 11 and 12", name, film.Len())
		}
		for i, shade := range []int{10, 20, -1, -1} {
			img, err := film.Frame(i)
			if (err != nil) != (shade < 0) {
				t.Errorf("%s: frame %d: %v", name, i, err)
			}
			if err == nil && img.At(0, 0).(color.Gray).Y != uint8(shade) {
				t.Errorf("%s: frame %d is another: not in numeric order", name, i)
			}
		}
		if err := done(); err != nil {
			t.Error(err)
		}
	}
}

// Numbers may go in steps, as those of a time in milliseconds do.
func TestSteppedNumbers(t *testing.T) {
	film, err := zipData(archive(t, entry{File, []byte(described)}, entry{"t0000.png", frame(t, 1)}, entry{"t0008.png", frame(t, 2)},
		entry{"t0024.png", frame(t, 3)}))
	if err != nil {
		t.Fatal(err)
	}
	if film.Len() != 4 || film.names[2] != "" || film.names[3] != "t0024.png" {
		t.Errorf("frames are %q", film.names)
	}
}

func TestRefused(t *testing.T) {
	ok := entry{File, []byte(described)}
	good := entry{"1.png", frame(t, 1)}
	for name, c := range map[string]struct {
		data  []byte
		field string
		says  string
	}{
		"no zip":             {[]byte("hello"), "recording", "no zip"},
		"empty":              {archive(t), File, "missing"},
		"no description":     {archive(t, good), File, "missing"},
		"two recordings":     {archive(t, entry{"a/" + File, ok.data}, entry{"b/" + File, ok.data}), File, "twice"},
		"no frames":          {archive(t, ok), "frames", "missing"},
		"a way out":          {archive(t, ok, good, entry{"../../etc/1.png", good.data}), "recording", "leads out"},
		"a root":             {archive(t, ok, good, entry{"/1.png", good.data}), "recording", "leads out"},
		"a drive":            {archive(t, ok, good, entry{`c:\1.png`, good.data}), "recording", "leads out"},
		"one name twice":     {archive(t, ok, good, good), "recording", "twice"},
		"one number twice":   {archive(t, ok, good, entry{"x1.png", good.data}), "frames", "number 1 twice"},
		"no number":          {archive(t, ok, entry{"first.png", good.data}), "frames", "no number"},
		"far apart":          {archive(t, ok, good, entry{"2.png", good.data}, entry{"900000.png", good.data}), "frames", "range"},
		"a huge number":      {archive(t, ok, entry{"99999999999999999999999.png", good.data}), "frames", "beyond"},
		"a bad description":  {archive(t, entry{File, []byte(`{"view":1}`)}, good), "view", "text"},
		"not a description":  {archive(t, entry{File, []byte(`[]`)}, good), "input", "object"},
		"a huge description": {archive(t, entry{File, bytes.Repeat([]byte(" "), maxJSON+1)}, good), File, "larger"},
	} {
		_, err := zipData(c.data)
		faults, is := fault.As(err)
		if !is || faults[0].Field != c.field || !strings.Contains(faults[0].Text, c.says) {
			t.Errorf("%s: %v, want a fault at %s that says %q", name, err, c.field, c.says)
		}
	}
	if _, _, err := Open(filepath.Join(t.TempDir(), "none")); err == nil {
		t.Error("what is not there was opened")
	}
}

// A frame that unpacks to far more than it says, or is, is one broken frame.
func TestBomb(t *testing.T) {
	film, err := zipData(archive(t, entry{File, []byte(described)}, entry{"1.png", frame(t, 1)}, entry{"2.png", make([]byte, maxFrame+10)}))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := film.Frame(1); err == nil {
		t.Error("a frame of more than its limit was read")
	}
	var many []entry
	for i := range 140 {
		many = append(many, entry{fmt.Sprintf("%d.png", i), make([]byte, maxFrame)})
	}
	if _, err := zipData(archive(t, append(many, entry{File, []byte(described)})...)); err == nil {
		t.Error("an archive that unpacks to over 2 GiB was opened")
	}
}

// A link in a folder does not lead out of it.
func TestLinkOut(t *testing.T) {
	out := filepath.Join(t.TempDir(), "secret.png")
	dir := t.TempDir()
	for name, data := range map[string][]byte{out: frame(t, 9), filepath.Join(dir, File): []byte(described),
		filepath.Join(dir, "1.png"): frame(t, 1)} {
		if err := os.WriteFile(name, data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Symlink(out, filepath.Join(dir, "2.png")); err != nil {
		t.Skip(err)
	}
	film, done, err := Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	defer done()
	if _, err := film.Frame(1); err == nil {
		t.Error("a link led out of the folder")
	}
}

func FuzzZip(f *testing.F) {
	f.Add(archive(f, entry{File, []byte(described)}, entry{"1.png", frame(f, 1)}, entry{"2.png", frame(f, 2)}))
	f.Add(archive(f, entry{"a/" + File, []byte(`{}`)}))
	f.Add([]byte("PK\x05\x06"))
	f.Fuzz(func(t *testing.T, data []byte) {
		film, err := zipData(data)
		if err != nil {
			if faults, ok := fault.As(err); !ok || len(faults) == 0 {
				t.Fatalf("not a list of faults: %v", err)
			}
			return
		}
		for i := range min(film.Len(), 5) {
			_, _ = film.Frame(i)
		}
	})
}
