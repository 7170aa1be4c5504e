package seal

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func ring(t *testing.T) (*Ring, DataKey) {
	t.Helper()
	r, d := &Ring{}, NewDataKey()
	r.Add(d)
	return r, d
}

func TestSealAndOpen(t *testing.T) {
	r, _ := ring(t)
	for _, plain := range []string{"", "x", "knee, inner side", strings.Repeat("a film ", 10_000), begins, textBegins} {
		one, two := r.seal([]byte(plain)), r.seal([]byte(plain))
		if bytes.Equal(one, two) {
			t.Error("two sealings of the same are alike")
		}
		if len(plain) > 8 && bytes.Contains(one, []byte(plain)) {
			t.Errorf("%.20q stands in what is sealed", plain)
		}
		if back, err := r.open(one); err != nil || string(back) != plain {
			t.Errorf("%.20q came back as %.20q, %v", plain, back, err)
		}
		if back, err := r.openText([]byte(r.sealText(plain))); err != nil || string(back) != plain {
			t.Errorf("%.20q came back as the text %.20q, %v", plain, back, err)
		}
	}
}

func TestWithoutKey(t *testing.T) {
	empty := &Ring{}
	if got := empty.seal([]byte("in clear")); string(got) != "in clear" {
		t.Errorf("sealed without a key: %q", got)
	}
	if got, err := empty.open([]byte("\xff\xd8 a picture")); err != nil || string(got) != "\xff\xd8 a picture" {
		t.Errorf("what was never sealed: %q, %v", got, err)
	}
	r, _ := ring(t)
	if _, err := empty.open(r.seal([]byte("x"))); !errors.Is(err, ErrLocked) {
		t.Errorf("opened without its key: %v", err)
	}
	if _, err := empty.openText([]byte(r.sealText("x"))); !errors.Is(err, ErrLocked) {
		t.Errorf("a text opened without its key: %v", err)
	}
}

// Every byte of what is sealed counts.
func TestTouched(t *testing.T) {
	r, _ := ring(t)
	sealed := r.seal([]byte("swelling"))
	for i := len(begins); i < len(sealed); i++ {
		touched := bytes.Clone(sealed)
		touched[i] ^= 1
		if got, err := r.open(touched); err == nil {
			t.Errorf("byte %d was changed, and it opens as %q", i, got)
		}
	}
	for n := len(begins); n < len(sealed); n++ {
		if _, err := r.open(sealed[:n]); err == nil {
			t.Errorf("%d of %d bytes open", n, len(sealed))
		}
	}
}

func TestKeys(t *testing.T) {
	k, other := NewKey(), NewKey()
	d := NewDataKey()
	wrapped := k.Wrap(d)
	if got, err := k.Unwrap(d.ID[:], wrapped); err != nil || got != d {
		t.Errorf("unwrapped: %v", err)
	}
	if _, err := other.Unwrap(d.ID[:], wrapped); !errors.Is(err, ErrLocked) {
		t.Errorf("another key unwraps it: %v", err)
	}
	id := NewDataKey().ID
	if _, err := k.Unwrap(id[:], wrapped); err == nil {
		t.Error("a data key passes for another one's")
	}
	if back, err := ParseKey(k.Text()); err != nil || back != k {
		t.Errorf("read back: %v", err)
	}
	for _, text := range []string{"", "trevik-key-v1", strings.Replace(k.Text(), "v1", "v2", 1), other.Text()[:20] + k.Text()[20:],
		k.Text() + k.Text()} {
		if _, err := ParseKey(text); !errors.Is(err, ErrKey) {
			t.Errorf("%q passes for a key: %v", text, err)
		}
	}
}

func TestKeyFile(t *testing.T) {
	k, name := NewKey(), filepath.Join(t.TempDir(), "owner.key")
	if _, err := ReadKey(name); err == nil {
		t.Error("a file that is not there was read")
	}
	for mode, want := range map[os.FileMode]bool{0o600: true, 0o400: true, 0o640: false, 0o604: false} {
		_ = os.Remove(name) // there from the second on
		if err := os.WriteFile(name, []byte(k.Text()), mode); err != nil {
			t.Fatal(err)
		}
		if err := os.Chmod(name, mode); err != nil {
			t.Fatal(err)
		}
		if got, err := ReadKey(name); (err == nil) != want || want && got != k {
			t.Errorf("mode %o: %v", mode, err)
		}
	}
}

// A key that another instance made is asked for once.
func TestFetch(t *testing.T) {
	writer, made := ring(t)
	reader, asked := &Ring{}, 0
	reader.Fetch(func(id []byte) (DataKey, error) {
		asked++
		if !bytes.Equal(id, made.ID[:]) {
			return DataKey{}, ErrLocked
		}
		return made, nil
	})
	for range 3 {
		if got, err := reader.open(writer.seal([]byte("x"))); err != nil || string(got) != "x" {
			t.Errorf("%q, %v", got, err)
		}
	}
	if asked != 1 {
		t.Errorf("asked %d times", asked)
	}
	stranger, _ := ring(t)
	if _, err := reader.open(stranger.seal([]byte("x"))); !errors.Is(err, ErrLocked) {
		t.Errorf("a stranger's: %v", err)
	}
}

func FuzzOpen(f *testing.F) {
	r := &Ring{}
	r.Add(NewDataKey())
	f.Add(r.seal([]byte("x")))
	f.Add([]byte(r.sealText("x")))
	f.Add([]byte(begins))
	f.Add([]byte(textBegins + "AAAA"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if got, err := r.open(data); err == nil && bytes.HasPrefix(data, []byte(begins)) && !bytes.Equal(got, []byte("x")) {
			t.Errorf("what nobody sealed opens as %q", got)
		}
		_, _ = r.openText(data) // fails or not, and does not panic
	})
}
