// Package sheet draws the print sheet: four corner marks, a ruler, a check length
// and a place to stand, as SVG and PDF, to be printed at 100 %.
package sheet

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/go-pdf/fpdf"

	"trevik/internal/core/footprint"
)

// pen is what the sheet is drawn with; lengths in mm from the paper's top left.
type pen interface {
	disc(x, y, r float64, dark bool)
	line(x1, y1, x2, y2, width float64)
	text(x, y, size float64, upwards bool, s string)
}

// checkMM is the length to be held against a ruler after printing.
const checkMM = 100.0

// draw lays the sheet out. All that is printed stands beside the foot, within
// footprint.SideMM of the long edges.
func draw(p pen, paper footprint.Paper) {
	w, h := paper.Size()
	for _, m := range [4][2]float64{{footprint.MarkInset, footprint.MarkInset}, {w - footprint.MarkInset, footprint.MarkInset},
		{w - footprint.MarkInset, h - footprint.MarkInset}, {footprint.MarkInset, h - footprint.MarkInset}} {
		p.disc(m[0], m[1], footprint.RingOuter, true)
		p.disc(m[0], m[1], footprint.RingInner, false)
		p.disc(m[0], m[1], footprint.DotRadius, true)
	}
	// The ruler at the left, from the heel end up.
	bottom := h - 32.0
	for mm := 0; float64(mm) <= bottom-32; mm += 5 {
		long := 3.0
		if mm%50 == 0 {
			long = 7
		} else if mm%10 == 0 {
			long = 5
		}
		y := bottom - float64(mm)
		p.line(8, y, 8+long, y, 0.25)
		if mm%50 == 0 {
			p.text(16, y+1, 3, false, fmt.Sprint(mm))
		}
	}
	// The check length and the words at the right.
	x := w - 14
	p.line(x, 40, x, 40+checkMM, 0.35)
	p.line(x-2, 40, x+2, 40, 0.35)
	p.line(x-2, 40+checkMM, x+2, 40+checkMM, 0.35)
	p.text(x+6, 40+checkMM-20, 3, true, "Print at 100 %: this line is 100 mm long")
	p.text(x+6, h-34, 3, true, "Trevik print sheet "+strings.ToUpper(string(paper)))
	p.text(x, h-34, 3, true, "Heel here, toes that way; stand on it once, with your weight")
	p.text(x-5, h-34, 3, true, "To trace: stand on it, weight on both feet; lead a pen, held upright, once round the foot")
	// Where heel and toes go: lines too thin to be ink to the reader.
	for _, y := range []float64{14, h - 14} {
		p.line(w/2-8, y, w/2+8, y, 0.1)
	}
}

type svgPen struct{ b strings.Builder }

func (s *svgPen) disc(x, y, r float64, dark bool) {
	fill := "#fff"
	if dark {
		fill = "#000"
	}
	fmt.Fprintf(&s.b, `<circle cx="%.2f" cy="%.2f" r="%.2f" fill="%s"/>`+"\n", x, y, r, fill)
}

func (s *svgPen) line(x1, y1, x2, y2, width float64) {
	fmt.Fprintf(&s.b, `<path d="M%.2f %.2fL%.2f %.2f" stroke="#000" stroke-width="%.2f"/>`+"\n", x1, y1, x2, y2, width)
}

func (s *svgPen) text(x, y, size float64, upwards bool, t string) {
	turn := ""
	if upwards {
		turn = fmt.Sprintf(` transform="rotate(-90 %.2f %.2f)"`, x, y)
	}
	fmt.Fprintf(&s.b, `<text x="%.2f" y="%.2f" font-family="sans-serif" font-size="%.1f"%s>%s</text>`+"\n", x, y, size, turn, t)
}

// SVG is the sheet as SVG, in mm.
func SVG(paper footprint.Paper) []byte {
	w, h := paper.Size()
	var p svgPen
	fmt.Fprintf(&p.b, `<svg xmlns="http://www.w3.org/2000/svg" width="%gmm" height="%gmm" viewBox="0 0 %g %g"><rect width="%g" height="%g" `+
		`fill="#fff"/>`+"\n", w, h, w, h, w, h)
	draw(&p, paper)
	p.b.WriteString("</svg>\n")
	return []byte(p.b.String())
}

type pdfPen struct{ *fpdf.Fpdf }

func (p pdfPen) disc(x, y, r float64, dark bool) {
	if dark {
		p.SetFillColor(0, 0, 0)
	} else {
		p.SetFillColor(255, 255, 255)
	}
	p.Circle(x, y, r, "F")
}

func (p pdfPen) line(x1, y1, x2, y2, width float64) {
	p.SetLineWidth(width)
	p.Line(x1, y1, x2, y2)
}

func (p pdfPen) text(x, y, size float64, upwards bool, t string) {
	p.SetFontSize(size * 72 / 25.4)
	if upwards {
		p.TransformBegin()
		p.TransformRotate(90, x, y)
		defer p.TransformEnd()
	}
	p.Text(x, y, t)
}

// PDF is the sheet as PDF.
func PDF(paper footprint.Paper) ([]byte, error) {
	w, h := paper.Size()
	pdf := fpdf.NewCustom(&fpdf.InitType{UnitStr: "mm", Size: fpdf.SizeType{Wd: w, Ht: h}})
	pdf.SetAutoPageBreak(false, 0)
	pdf.SetTitle("Trevik print sheet", true)
	pdf.SetFont("Helvetica", "", 9)
	pdf.AddPage()
	draw(pdfPen{pdf}, paper)
	var b bytes.Buffer
	err := pdf.Output(&b)
	return b.Bytes(), err
}
