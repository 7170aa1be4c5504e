package bench

import (
	"html/template"
	"strconv"

	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/web/draw"
)

// RailRow is a station on the rail with the drawing of what it found.
type RailRow struct {
	Station
	URL     string
	Key     string
	Current bool
	Mini    template.HTML
}

// rail draws every station's finding.
func (b *Bench) rail(fit *record.Conclusions, current Station) ([]RailRow, error) {
	answer, err := fit.Support()
	if err != nil {
		return nil, err
	}
	parts, _, _ := fit.WeekTold()
	km := make([]float64, len(parts))
	for i, p := range parts {
		km[i] = p.KM
	}
	used := 0.0
	worn, err := fit.Worn()
	if err != nil {
		return nil, err
	}
	for _, w := range worn {
		used = max(used, w.Wear.UsedProbability)
	}
	_, choice := fit.Choice()
	drawings := map[string]func() (template.HTML, bool){
		"hello": func() (template.HTML, bool) { return draw.MiniWeek(km), len(km) > 0 },
		"old-pair": func() (template.HTML, bool) {
			return draw.MiniSole(record.FeltRight.Of(fit.Visit)), record.PresentPair.Known(fit.Visit) || record.PresentLevel.Known(fit.Visit)
		},
		"feet": func() (template.HTML, bool) { return draw.MiniFeet(fit.Feet()), fit.HasFeet() },
		"print": func() (template.HTML, bool) {
			l, r := fit.Arch(term.Left), fit.Arch(term.Right)
			return draw.MiniArch(l, r), l != "" || r != ""
		},
		"gait": func() (template.HTML, bool) {
			l, r := fit.Band(term.Left), fit.Band(term.Right)
			return draw.MiniGait(l, r), l != "" || r != ""
		},
		"support": func() (template.HTML, bool) {
			return draw.MiniLadder(answer.Level), answer.Told()
		},
		"shoes":    func() (template.HTML, bool) { return draw.MiniShoe(1), choice != nil },
		"try-on":   func() (template.HTML, bool) { return draw.MiniShoe(3), len(fit.Tried()) > 0 },
		"rotation": func() (template.HTML, bool) { return draw.MiniShoe(min(len(worn), 3)), len(worn) > 0 },
		"distance": func() (template.HTML, bool) { return draw.MiniFan(used), len(worn) > 0 },
		"card":     func() (template.HTML, bool) { return draw.MiniPage(), choice != nil },
	}
	rows := make([]RailRow, len(b.stations))
	for i, s := range b.stations {
		row := RailRow{Station: s, URL: URL(fit.ID, s.Path), Current: s.Path == current.Path, Key: strconv.Itoa((i + 1) % 10),
			Mini: draw.MiniEmpty()}
		if s.Path == "card" {
			row.Key = "c"
		}
		if html, there := drawings[s.Path](); there {
			row.Mini = html
		}
		rows[i] = row
	}
	return rows, nil
}
