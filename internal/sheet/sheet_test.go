package sheet

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"image"
	"image/color"
	imagedraw "image/draw"
	"io"
	"math"
	"math/rand/v2"
	"regexp"
	"strconv"
	"testing"

	"trevik/internal/core/footprint"
	"trevik/internal/device"
)

var circle = regexp.MustCompile(`<circle cx="([\d.]+)" cy="([\d.]+)" r="([\d.]+)" fill="(#\w+)"`)
var stroke = regexp.MustCompile(`<path d="M([\d.]+) ([\d.]+)L([\d.]+) ([\d.]+)" stroke="#000" stroke-width="([\d.]+)"`)

func number(t *testing.T, s string) float64 {
	t.Helper()
	v, err := strconv.ParseFloat(s, 64)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

// paint prints the sheet's circles and lines at so many pixels a mm.
func paint(t *testing.T, paper footprint.Paper, perMM float64) *image.Gray {
	t.Helper()
	w, h := paper.Size()
	img := image.NewGray(image.Rect(0, 0, int(w*perMM), int(h*perMM)))
	imagedraw.Draw(img, img.Bounds(), image.White, image.Point{}, imagedraw.Src)
	svg := string(SVG(paper))
	for _, m := range circle.FindAllStringSubmatch(svg, -1) {
		cx, cy, r := number(t, m[1])*perMM, number(t, m[2])*perMM, number(t, m[3])*perMM
		ink := color.Gray{255}
		if m[4] == "#000" {
			ink = color.Gray{0}
		}
		for y := int(cy - r); y <= int(cy+r)+1; y++ {
			for x := int(cx - r); x <= int(cx+r)+1; x++ {
				if math.Hypot(float64(x)-cx, float64(y)-cy) <= r {
					img.SetGray(x, y, ink)
				}
			}
		}
	}
	for _, m := range stroke.FindAllStringSubmatch(svg, -1) {
		x1, y1, x2, y2, half := number(t, m[1])*perMM, number(t, m[2])*perMM, number(t, m[3])*perMM, number(t, m[4])*perMM,
			math.Max(0.5, number(t, m[5])*perMM/2)
		for y := int(min(y1, y2) - half); y <= int(max(y1, y2)+half); y++ {
			for x := int(min(x1, x2) - half); x <= int(max(x1, x2)+half); x++ {
				img.SetGray(x, y, color.Gray{0})
			}
		}
	}
	return img
}

// A foot's print laid on the sheet as it is printed is read with the sheet's scale:
// what is printed beside the foot is no print.
func TestSheetIsWhatTheReaderReads(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	f := device.RandomNatural(r, device.ToesClear)
	truth := f.Truth()
	for _, paper := range footprint.Papers {
		const perMM = 3.0
		img := paint(t, paper, perMM)
		plain := f.Render(device.Photo{MMPerPx: 1 / perMM}, r)
		b, pb := img.Bounds(), plain.Bounds()
		off := image.Pt((b.Dx()-pb.Dx())/2, (b.Dy()-pb.Dy())/2)
		for y := range pb.Dy() {
			for x := range pb.Dx() {
				v := color.GrayModel.Convert(plain.At(x, y)).(color.Gray)
				if p := off.Add(image.Pt(x, y)); p.In(b) && v.Y < 230 {
					img.SetGray(p.X, p.Y, v)
				}
			}
		}
		got, err := footprint.Read(img, footprint.Options{})
		if err != nil {
			t.Errorf("%s: %v", paper, err)
			continue
		}
		if got.Scale.Source != "sheet" || got.Scale.Paper != paper || math.Abs(got.LengthMM-truth.LengthMM) > 1 ||
			math.Abs(got.ArchIndex-truth.ArchIndex) > 0.006 {
			t.Errorf("%s: %+v %.1f mm %.4f, is %.1f mm %.4f", paper, got.Scale, got.LengthMM, got.ArchIndex, truth.LengthMM, truth.ArchIndex)
		}
		if _, err := footprint.Read(paint(t, paper, perMM), footprint.Options{}); err == nil {
			t.Errorf("%s: the blank sheet is read as a print", paper)
		}
	}
}

func TestSizes(t *testing.T) {
	for _, paper := range footprint.Papers {
		w, h := paper.Size()
		svg := SVG(paper)
		if !bytes.Contains(svg, fmt.Appendf(nil, `width="%gmm" height="%gmm"`, w, h)) {
			t.Errorf("%s: the SVG does not say its size", paper)
		}
		d := xml.NewDecoder(bytes.NewReader(svg))
		for {
			if _, err := d.Token(); err == io.EOF {
				break
			} else if err != nil {
				t.Fatalf("%s: %v", paper, err)
			}
		}
		pdf, err := PDF(paper)
		if err != nil || !bytes.HasPrefix(pdf, []byte("%PDF-")) {
			t.Fatalf("%s: %v", paper, err)
		}
		if want := fmt.Appendf(nil, "/MediaBox [0 0 %.2f %.2f]", w*72/25.4, h*72/25.4); !bytes.Contains(pdf, want) {
			t.Errorf("%s: the PDF's page is not %s", paper, want)
		}
	}
	if footprint.PaperFor(255) != footprint.A4 || footprint.PaperFor(255.5) != footprint.A3 {
		t.Error("A3 is asked for over 255 mm")
	}
}
