package draw

import (
	"html/template"
	"image"
	"strings"

	"github.com/boombuler/barcode/qr"
)

// quiet is the border that a QR code needs around it, modules.
const quiet = 4

// QR draws a text as a QR code, w px wide; empty where the text is too long for one.
func QR(text string, w float64, name string) template.HTML {
	code, err := qr.Encode(text, qr.M, qr.Auto)
	if err != nil {
		return ""
	}
	n := code.Bounds().Dx()
	var d strings.Builder
	for y := range n {
		for x := 0; x < n; x++ {
			run := 0
			for x+run < n && dark(code, x+run, y) {
				run++
			}
			if run > 0 {
				d.WriteString("M" + tenth(float64(x+quiet)) + " " + tenth(float64(y+quiet)) + "h" + tenth(float64(run)) + "v1h-" +
					tenth(float64(run)) + "z")
				x += run
			}
		}
	}
	var p pen
	side := float64(n + 2*quiet)
	p.f(`<svg class="qr" width="%.0f" height="%.0f" viewBox="0 0 %.0f %.0f" role="img" aria-label="%s"><rect width="%.0f" height="%.0f" `+
		`fill="#fff"/><path fill="#000" d="%s"/></svg>`, w, w, side, side, template.HTMLEscapeString(name), side, side, d.String())
	return template.HTML(p.String())
}

func dark(code image.Image, x, y int) bool {
	r, _, _, _ := code.At(x, y).RGBA()
	return r < 0x8000
}
