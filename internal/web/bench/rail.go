package bench

import (
	"html/template"
	"strconv"

	"trevik/internal/core/shoe"
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
	Found   bool
	Mini    template.HTML
}

// minis draw what the stations of a fit found, by their path; a station that found nothing has none.
func minis(fit *record.Conclusions) (map[string]template.HTML, error) {
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
	var models, tried, chosen []*shoe.Model
	for i := range worn {
		models = append(models, &worn[i].Pair.Model)
	}
	for _, t := range fit.Tried() {
		tried = append(tried, t.Model)
	}
	_, choice := fit.Choice()
	if choice != nil {
		if m := fit.Shop.Catalogue.ByCode(choice.Ranked.Model); m != nil {
			chosen = append(chosen, m)
		}
	}
	out := map[string]template.HTML{}
	put := func(station string, found bool, html template.HTML) {
		if found {
			out[station] = html
		}
	}
	put("hello", len(km) > 0, draw.MiniWeek(km))
	left, seenLeft := fit.Sole(term.Left)
	right, seenRight := fit.Sole(term.Right)
	put("old-pair", seenLeft || seenRight || record.PresentPair.Known(fit.Visit) || record.PresentLevel.Known(fit.Visit),
		draw.MiniSole(left.Gone(), right.Gone()))
	put("feet", fit.HasFeet(), draw.MiniFeet(fit.Feet()))
	al, ar := fit.Arch(term.Left), fit.Arch(term.Right)
	put("print", al != "" || ar != "", draw.MiniArch(al, ar))
	bl, br := fit.Band(term.Left), fit.Band(term.Right)
	put("gait", bl != "" || br != "", draw.MiniGait(bl, br))
	put("support", answer.Told(), draw.MiniLadder(answer.Level))
	put("shoes", choice != nil, draw.MiniShoe(chosen...))
	put("try-on", len(tried) > 0, draw.MiniShoe(tried...))
	put("rotation", len(worn) > 0, draw.MiniShoe(models...))
	put("distance", len(worn) > 0, draw.MiniFan(used))
	put("card", choice != nil, draw.MiniPage())
	return out, nil
}

// Rail draws every station's finding.
func (b *Bench) Rail(fit *record.Conclusions, current Station) ([]RailRow, error) {
	found, err := minis(fit)
	if err != nil {
		return nil, err
	}
	rows := make([]RailRow, len(b.stations))
	for i, s := range b.stations {
		row := RailRow{Station: s, URL: URL(fit.ID, s.Path), Current: s.Path == current.Path, Key: strconv.Itoa((i + 1) % 10),
			Mini: draw.MiniEmpty()}
		if s.Path == "card" {
			row.Key = "c"
		}
		if html, there := found[s.Path]; there {
			row.Mini, row.Found = html, true
		}
		rows[i] = row
	}
	return rows, nil
}
