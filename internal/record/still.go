package record

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"trevik/internal/core/support"
	"trevik/internal/core/units"
	"trevik/internal/form"
)

// Question is one of last time's answers that is asked 'still so?': what it was, and the
// values that it takes over.
type Question struct {
	Name   string
	Label  string
	Words  string
	Values []Value
}

// stillGroups are the findings that are taken over together, by the first's name. Cautions
// are asked anew each time and are in none.
var stillGroups = []struct {
	label string
	decls []*Decl
}{
	{"Complaints", []*Decl{Complains.Decl, ComplaintPlace.Decl, ComplaintSide.Decl, ComplaintMonths.Decl, ComplaintWhen.Decl}},
	{"Ankles roll", []*Decl{AnklesGive.Decl}},
	{"Where most runs are", []*Decl{Surface.Decl}},
	{"Ground and season", []*Decl{Conditions.Decl}},
	{"How much", []*Decl{WeeklyKM.Decl, RunDays.Decl, UsualKM.Decl, LongestKM.Decl}},
	{"The week", []*Decl{WeekKind.Decl, WeekGround.Decl, WeekKM.Decl}},
	{"Goal", []*Decl{Goals.Decl}},
	{"Race", []*Decl{RaceKM.Decl, RaceOn.Decl}},
	{"Experience", []*Decl{Experience.Decl, PairsWanted.Decl}},
	{"Body mass", []*Decl{MassKg.Decl}},
	{"Likes", []*Decl{LikesSoftness.Decl, LikesBounce.Decl, CushionView.Decl}},
	{"Socks", []*Decl{Sock.Decl}},
	{"Budget", []*Decl{Budget.Decl, BudgetFirm.Decl}},
	{"Disliked", []*Decl{Disliked.Decl, DislikedOther.Decl}},
}

// daysAMonth in the mean of the years.
const daysAMonth = 365.25 / 12

// Months is how many months lie between two moments, as a number with a part.
func Months(from, to time.Time) float64 { return to.Sub(from).Hours() / 24 / daysAMonth }

// StillAsked lists last time's answers to Hello's questions that this fit has no answer to
// yet. A complaint is older by the time between the visits; a race that was run is not asked
// for.
func (c *Conclusions) StillAsked(last *Visit) []Question {
	if last == nil || !c.Open() {
		return nil
	}
	months := math.Floor(Months(last.StartedAt, c.StartedAt))
	var out []Question
	for _, g := range stillGroups {
		if slices.ContainsFunc(g.decls, func(d *Decl) bool { return len(c.Named(d)) > 0 }) {
			continue
		}
		q := Question{Name: g.decls[0].Name, Label: g.label}
		rows := map[int][]string{} // by the number of the row
		for _, d := range g.decls {
			for _, f := range last.Named(d) {
				v := Value{Key: f.Key, Decl: d, Text: f.Text, How: "still so"}
				if f.Number != nil {
					v.Number = *f.Number
				}
				if d == ComplaintMonths.Decl {
					v.Number = math.Min(d.Hi, v.Number+months)
				}
				q.Values = append(q.Values, v)
				if w := c.said(v); w != "" {
					rows[v.Key.Row] = append(rows[v.Key.Row], w)
				}
			}
		}
		if on := RaceOn.Ptr(last); g.decls[0] == RaceKM.Decl && on != nil && on.Before(c.Today) || len(rows) == 0 {
			continue
		}
		words := rows[0]
		for row := range max(WeekRows, ComplaintRows) {
			if list := rows[row+1]; len(list) > 0 {
				words = append(words, strings.Join(list, " "))
			}
		}
		q.Words = strings.Join(words, ", ")
		out = append(out, q)
	}
	return out
}

// TakeOver are the values of the questions that are named, of all where none is; ok is false
// where a name is not asked.
func TakeOver(asked []Question, names []string) (values []Value, ok bool) {
	for _, n := range names {
		if !slices.ContainsFunc(asked, func(q Question) bool { return q.Name == n }) {
			return nil, false
		}
	}
	for _, q := range asked {
		if len(names) == 0 || slices.Contains(names, q.Name) {
			values = append(values, q.Values...)
		}
	}
	return values, true
}

// said writes a value for people, in their units.
func (c *Conclusions) said(v Value) string {
	d := v.Decl
	switch {
	case d.ByModel:
		return "“" + v.Text + "”"
	case d == ComplaintMonths.Decl:
		return Ago(v.Number)
	case d == RunDays.Decl:
		return fmt.Sprintf("%g days a week", v.Number)
	case d.Kind == form.Number && d.Unit == form.KM:
		return c.Units.Distance(v.Number)
	case d.Kind == form.Number && d.Unit == form.Money:
		return fmt.Sprintf("%g %s", units.Round(v.Number/100, 2), c.Shop.Currency)
	case d.Kind == form.Number:
		return strings.TrimSpace(fmt.Sprintf("%g %s", v.Number, d.Unit))
	case d.Kind == form.Day:
		if on, err := time.Parse(time.DateOnly, v.Text); err == nil {
			return on.Format("2 January 2006")
		}
	case d == LikesSoftness.Decl:
		return "softness " + v.Text
	case d == LikesBounce.Decl:
		return "bounce " + v.Text
	}
	return strings.Join(support.WordsOf(strings.Split(v.Text, ",")), ", ")
}

// Ago writes how many months ago something was, to the nearest half.
func Ago(months float64) string {
	switch m := units.NearestHalf(months); m {
	case 0:
		return "this month"
	case 1:
		return "a month ago"
	default:
		return fmt.Sprintf("%g months ago", m)
	}
}
