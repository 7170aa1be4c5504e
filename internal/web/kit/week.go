package kit

import (
	"cmp"
	"slices"
	"strings"

	"trevik/internal/core/rotation"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/units"
	"trevik/internal/record"
	"trevik/internal/web/draw"
)

// WeekRows are a plan's week by its number for the drawings of a week: the pairs with their runs, and
// what no pair covers.
func WeekRows(p *record.Plan, n int, u units.System) []draw.WeekRow {
	a, names, models := p.Turn.Answers[n], p.Names(), map[string]*shoe.Model{}
	for _, l := range p.Lines {
		models[l.ID] = l.Model
	}
	var rows []draw.WeekRow
	add := func(r draw.WeekRow, takes func(string) bool) {
		for _, x := range p.Weeks[n] {
			if !takes(x.ID) {
				continue
			}
			begin, end := x.Times()
			r.Runs = append(r.Runs, draw.WeekRun{Begin: begin, End: end, Label: support.Words(string(x.Kind)) + " " + u.Distance(x.KM),
				Row: strings.TrimPrefix(x.ID, "row "), Run: cmp.Or(x.Run, x.ID)})
		}
		if len(r.Runs) > 0 {
			rows = append(rows, r)
		}
	}
	for _, id := range a.Use {
		row := draw.WeekRow{Name: names[id], Model: models[id], Rest: 60 * rotation.DefaultRest, Buy: slices.Contains(p.Turn.Buy, id)}
		add(row, func(part string) bool { return a.Assign[part] == id })
	}
	add(draw.WeekRow{Name: "no rested pair", Open: true}, func(part string) bool { return slices.Contains(a.Uncovered, part) })
	return rows
}
