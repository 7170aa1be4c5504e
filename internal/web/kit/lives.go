package kit

import (
	"slices"
	"time"

	"trevik/internal/core/units"
	"trevik/internal/core/wear"
	"trevik/internal/record"
	"trevik/internal/web/draw"
)

// Lives are a runner's pairs for the drawing of their cupboard: those in use first, those that are
// retired behind them, the latest first and at most so many. url is where a tap on a pair leads.
func Lives(r *record.Runner, worn []record.Worn, u units.System, most int, url func(id uint64) string) []draw.Life {
	var out []draw.Life
	for i := range worn {
		w := &worn[i]
		l := draw.Life{Name: w.Pair.Name(), Model: &w.Pair.Model, Said: u.Distance(w.Wear.KM), State: w.State(),
			Act: w.Wear.State != wear.InUse && w.Wear.State != wear.Fine, URL: url(w.Pair.ID), From: w.Pair.Since()}
		if w.Wear.State != wear.SetAside {
			l.Early, l.Likely, l.Late = dayFrom(w.Wear.Dates.P10), dayFrom(w.Wear.Dates.P50), dayFrom(w.Wear.Dates.P90)
			l.Order = dayFrom(w.Wear.OrderBy)
		}
		out = append(out, l)
	}
	var aside []*record.Pair
	for i := range r.Pairs {
		if p := &r.Pairs[i]; !p.SetAsideOn.IsZero() {
			aside = append(aside, p)
		}
	}
	slices.SortStableFunc(aside, func(a, b *record.Pair) int { return b.SetAsideOn.Compare(a.SetAsideOn) })
	for _, p := range aside[:min(len(aside), most)] {
		km := 0.0
		if !p.Before.Unknown {
			km = p.Before.KM
		}
		for _, run := range p.Runs {
			km += run.KM
		}
		out = append(out, draw.Life{Name: p.Name(), Model: &p.Model, Said: u.Distance(km), State: "Retired", URL: url(p.ID), From: p.Since(),
			Until: p.SetAsideOn})
	}
	return out
}

// Events are a runner's races for the same drawing.
func Events(races []record.Race, worn []record.Worn) []draw.Event {
	risk := map[string]bool{}
	for _, w := range worn {
		for _, r := range w.Wear.Races {
			risk[r.Date] = risk[r.Date] || r.AtRisk
		}
	}
	var out []draw.Event
	for _, r := range races {
		name := r.Name
		if name == "" {
			name = "Race"
		}
		out = append(out, draw.Event{Name: name, On: r.On, AtRisk: risk[r.On.Format(wear.DateLayout)]})
	}
	return out
}

func dayFrom(s *string) time.Time {
	if s == nil {
		return time.Time{}
	}
	t, err := time.Parse(wear.DateLayout, *s)
	if err != nil {
		return time.Time{}
	}
	return t
}
