package app

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"trevik/internal/core/support"
	"trevik/internal/core/units"
)

// Question is one of last time's answers that is asked 'still so?': what it was, and
// the keys that it takes over.
type Question struct {
	Name   string
	Label  string
	Words  string
	values []Value
}

// stillGroups are the fields that are taken over together, by the first's name.
// Cautions are asked anew each time and are in none.
var stillGroups = []struct {
	label string
	names []string
}{
	{"Complaints", []string{"complaints", "complaint_place", "complaint_side", "complaint_months", "complaint_when"}},
	{"Ankles give outward", []string{"ankles_outward"}},
	{"Where most runs are", []string{"surface"}},
	{"Ground and season", []string{"conditions"}},
	{"How much", []string{"weekly_km", "run_days", "usual_km", "longest_km"}},
	{"The week", []string{"week_kind", "week_ground", "week_km"}},
	{"What for", []string{"goals"}},
	{"Race", []string{"race_km", "race_on"}},
	{"Running", []string{"experience", "pairs_wanted"}},
	{"Body mass", []string{"mass_kg"}},
	{"Likes", []string{"likes_softness", "likes_bounce", "cushion_view"}},
	{"Socks", []string{"sock"}},
	{"Budget", []string{"budget", "budget_firm"}},
	{"Disliked", []string{"disliked", "disliked_other"}},
}

// LastTime is the runner's fit before this one; nil when there is none.
func (a *App) LastTime(ctx context.Context, who Actor, fit *Fit) (*Fit, error) {
	rows, err := a.FitsOfRunner(ctx, who, fit.Runner.ID)
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		if r.ID != fit.ID && !r.StartedAt.After(fit.StartedAt) {
			return a.Fit(ctx, who, r.ID)
		}
	}
	return nil, nil
}

// StillAsked lists last time's answers to Hello's questions that this fit has no answer
// to yet. A complaint is older by the time between the visits; a race that was run is
// not asked for.
func (f *Fit) StillAsked(last *Fit) []Question {
	if last == nil || !f.Open() {
		return nil
	}
	months := math.Floor(f.StartedAt.Sub(last.StartedAt).Hours() / (24 * 30.44))
	var out []Question
	for _, g := range stillGroups {
		if f.holds(g.names) {
			continue
		}
		q := Question{Name: g.names[0], Label: g.label}
		rows := map[int][]string{} // by the number of the repeat
		for _, field := range Fields["hello"] {
			if !slices.Contains(g.names, field.Name) {
				continue
			}
			for _, found := range last.named(field.Name) {
				v := Value{Key: found.Key, Field: field, Text: found.Text}
				v.Field.How = "still so"
				if found.Number != nil {
					v.Number = *found.Number
				}
				if field.Name == "complaint_months" {
					v.Number = math.Min(field.Hi, v.Number+months)
				}
				q.values = append(q.values, v)
				if w := f.said(v); w != "" {
					row := v.Key.Repeat
					if field.ByModel {
						row = 0
					}
					rows[row] = append(rows[row], w)
				}
			}
		}
		if on, ok := last.RaceOn(); q.Name == "race_km" && ok && on.Before(f.Today) || len(rows) == 0 {
			continue
		}
		words := rows[0]
		for row := 1; row <= max(WeekRows, ComplaintRows); row++ {
			if len(rows[row]) > 0 {
				words = append(words, strings.Join(rows[row], " "))
			}
		}
		q.Words = strings.Join(words, ", ")
		out = append(out, q)
	}
	return out
}

// holds says whether the fit has an answer to any of the fields.
func (f *Fit) holds(names []string) bool {
	return slices.ContainsFunc(names, func(name string) bool { return len(f.named(name)) > 0 })
}

// named are the findings of a name, in the order of their rows.
func (f *Fit) named(name string) []Finding {
	var out []Finding
	for k, found := range f.Findings {
		if k.Name == name {
			out = append(out, found)
		}
	}
	slices.SortFunc(out, func(x, y Finding) int { return x.Key.Repeat - y.Key.Repeat })
	return out
}

// said writes a value for people, in their units.
func (f *Fit) said(v Value) string {
	switch {
	case v.Field.ByModel:
		return "“" + v.Text + "”"
	case v.Field.Name == "complaint_months":
		return fmt.Sprintf("%g months ago", v.Number)
	case v.Field.Name == "run_days":
		return fmt.Sprintf("%g days a week", v.Number)
	case v.Field.Kind == Number && v.Field.Unit == KM:
		return f.Units.Distance(v.Number)
	case v.Field.Kind == Number && v.Field.Unit == Money:
		return fmt.Sprintf("%g %s", units.Round(v.Number/100, 2), f.Currency)
	case v.Field.Kind == Number:
		return strings.TrimSpace(fmt.Sprintf("%g %s", v.Number, v.Field.Unit))
	case v.Field.Kind == Day:
		if d, err := time.Parse(time.DateOnly, v.Text); err == nil {
			return d.Format("2 January 2006")
		}
	case v.Field.Name == "likes_softness":
		return "softness " + v.Text
	case v.Field.Name == "likes_bounce":
		return "bounce " + v.Text
	}
	return strings.Join(support.WordsOf(strings.Split(v.Text, ",")), ", ")
}

// StillSo takes last time's answers to the questions over into this fit, as answers of
// today; all of them when no name is given. It fails with a fault.List on a question
// that is not asked.
func (a *App) StillSo(ctx context.Context, who Actor, fitID uint64, names []string) (Saved, error) {
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return Saved{}, err
	}
	last, err := a.LastTime(ctx, who, fit)
	if err != nil {
		return Saved{}, err
	}
	asked := fit.StillAsked(last)
	var values []Value
	for _, q := range asked {
		if len(names) == 0 || slices.Contains(names, q.Name) {
			values = append(values, q.values...)
		}
	}
	for _, n := range names {
		if !slices.ContainsFunc(asked, func(q Question) bool { return q.Name == n }) {
			return Saved{}, ErrNotFound
		}
	}
	return a.Record(ctx, who, fitID, values)
}
