package picture

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/gif"
	"image/jpeg"
	"image/png"
	"strings"
	"testing"

	"trevik/internal/core/fault"
)

func pngOf(t testing.TB, w, h int) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewGray(image.Rect(0, 0, w, h))); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func jpegOf(t testing.TB) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := jpeg.Encode(&b, image.NewGray(image.Rect(0, 0, 60, 40)), nil); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// chunk makes a PNG chunk.
func chunk(kind string, body []byte) []byte {
	out := binary.BigEndian.AppendUint32(nil, uint32(len(body)))
	out = append(out, kind...)
	out = append(out, body...)
	return binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(out[4:]))
}

// exif puts an orientation into a JPEG.
func exif(data []byte, order binary.AppendByteOrder, mark string, o uint16) []byte {
	tiff := []byte(mark)
	tiff = order.AppendUint16(tiff, 42)
	tiff = order.AppendUint32(tiff, 8)
	tiff = order.AppendUint16(tiff, 1)
	tiff = order.AppendUint16(tiff, 0x0112)
	tiff = order.AppendUint16(tiff, 3)
	tiff = order.AppendUint32(tiff, 1)
	tiff = order.AppendUint16(tiff, o)
	tiff = order.AppendUint16(tiff, 0)
	tiff = order.AppendUint32(tiff, 0)
	body := append([]byte("Exif\x00\x00"), tiff...)
	seg := append([]byte{0xff, 0xe1}, binary.BigEndian.AppendUint16(nil, uint16(len(body)+2))...)
	return append(append(append([]byte{}, data[:2]...), append(seg, body...)...), data[2:]...)
}

func TestOpens(t *testing.T) {
	for name, c := range map[string]struct {
		data        []byte
		format      string
		orientation int
	}{
		"png": {pngOf(t, 50, 70), "png", 1}, "jpeg": {jpegOf(t), "jpeg", 1},
		"turned, little end": {exif(jpegOf(t), binary.LittleEndian, "II", 6), "jpeg", 6},
		"turned, big end":    {exif(jpegOf(t), binary.BigEndian, "MM", 3), "jpeg", 3},
		"nonsense turn":      {exif(jpegOf(t), binary.BigEndian, "MM", 99), "jpeg", 1},
	} {
		p, err := Open("photo", c.data)
		if err != nil || p.Format != c.format || p.Orientation != c.orientation {
			t.Errorf("%s: %s %d %v", name, p.Format, p.Orientation, err)
		}
	}
}

func TestRefuses(t *testing.T) {
	var g bytes.Buffer
	if err := gif.Encode(&g, image.NewGray(image.Rect(0, 0, 9, 9)), nil); err != nil {
		t.Fatal(err)
	}
	whole := pngOf(t, 200, 200)
	// A header that promises 90,000 by 90,000 pixels: refused before anything is decoded.
	huge := append([]byte("\x89PNG\r\n\x1a\n"), chunk("IHDR",
		append(binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, 9000), 9000), 8, 0, 0, 0, 0))...)
	moving := append(append(append([]byte{}, whole[:33]...), chunk("acTL", make([]byte, 8))...), whole[33:]...)
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"nothing": {nil, "empty"}, "a text": {[]byte("hello"), "PNG or JPEG"}, "a GIF": {g.Bytes(), "PNG or JPEG"},
		"cut off": {whole[:len(whole)/2], "cut off"}, "a JPEG cut off": {jpegOf(t)[:200], "broken"},
		"a head alone": {[]byte("\x89PNG\r\n\x1a\n"), "broken"}, "huge": {huge, "megapixels"}, "animated": {moving, "animated"},
	} {
		_, err := Open("photo", c.data)
		l, ok := fault.As(err)
		if !ok || l[0].Field != "photo" || !strings.Contains(l[0].Text, c.says) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func FuzzOpen(f *testing.F) {
	f.Add(pngOf(f, 9, 9))
	f.Add(jpegOf(f))
	f.Add(exif(jpegOf(f), binary.LittleEndian, "II", 6))
	f.Fuzz(func(t *testing.T, data []byte) {
		if len(data) > 1<<16 {
			return
		}
		p, err := Open("photo", data)
		if err != nil {
			if _, ok := fault.As(err); !ok {
				t.Fatal(err)
			}
			return
		}
		if b := p.Bounds(); b.Dx()*b.Dy() > MaxPixels || p.Orientation < 1 || p.Orientation > 8 {
			t.Fatalf("%v %d", b, p.Orientation)
		}
	})
}
