package record

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/rotation"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// Weeks of a board: one that repeats, or two in turn.
const (
	WeekA = iota
	WeekB
)

// TwoWeeks says whether the board holds two weeks in turn.
func (v *Visit) TwoWeeks() bool { return PlanWeeks.Of(v) == "A_and_B_in_turn" }

// WeekOn is which week of the board a day lies in: week A is the one in which the fit began,
// from its Monday.
func (v *Visit) WeekOn(day time.Time) int {
	if !v.TwoWeeks() {
		return WeekA
	}
	start := dayOf(v.StartedAt)
	monday := start.AddDate(0, 0, -(int(start.Weekday())+6)%7)
	weeks := int(math.Floor(day.Sub(monday).Hours() / (24 * 7)))
	return (weeks%2 + 2) % 2
}

// BoardRow is one row of the board.
type BoardRow struct {
	N    int
	Some bool // something stands in it
	Part *rotation.WeekPart
}

// planned is one row of the board; its Part is nil where it lacks its day, km or kind.
func (v *Visit) planned(row int) BoardRow {
	day, km, kind := PlanDay.Of(v, row), PlanKM.Ptr(v, row), PlanKind.Of(v, row)
	out := BoardRow{N: row, Some: day != "" || km != nil || kind != ""}
	if day == "" || km == nil || kind == "" {
		return out
	}
	out.Part = &rotation.WeekPart{ID: fmt.Sprintf("row %d", row), Day: day, Start: cmp.Or(PlanStart.Of(v, row), "18:30"), KM: *km, Kind: kind,
		Ground: cmp.Or(PlanGround.Of(v, row), v.usualGround()), Minutes: PlanMinutes.Ptr(v, row)}
	if run := PlanRun.Of(v, row); run != "" {
		out.Part.Run = "run " + run
	}
	return out
}

// BoardRows are the rows of a week on the board.
func (v *Visit) BoardRows(week int) []BoardRow {
	out := make([]BoardRow, PlanRows)
	for i := range out {
		out[i] = v.planned(week*PlanRows + i + 1)
	}
	return out
}

// Planned is a week on the board; rows that lack something are counted in half.
func (v *Visit) Planned(week int) (parts []rotation.WeekPart, half int) {
	for _, r := range v.BoardRows(week) {
		switch {
		case r.Part != nil:
			parts = append(parts, *r.Part)
		case r.Some:
			half++
		}
	}
	return parts, half
}

// Board are the weeks on the board: one, or two in turn; none where nothing stands in week A.
func (v *Visit) Board() [][]rotation.WeekPart {
	a, _ := v.Planned(WeekA)
	if len(a) == 0 {
		return nil
	}
	if !v.TwoWeeks() {
		return [][]rotation.WeekPart{a}
	}
	b, _ := v.Planned(WeekB)
	return [][]rotation.WeekPart{a, b}
}

// rowValues write a part into a row of the board; nil empties it.
func rowValues(row int, p *rotation.WeekPart) []Value {
	word := func(d *Decl, k Key, s string) Value { return Value{Key: k, Decl: d, Text: s, Empty: s == ""} }
	figure := func(d *Decl, k Key, n *float64) Value {
		v := Value{Key: k, Decl: d, Empty: n == nil}
		if n != nil {
			v.Number = *n
		}
		return v
	}
	var is rotation.WeekPart
	var km *float64
	if p != nil {
		is, km = *p, &p.KM
	}
	return []Value{
		word(PlanDay.Decl, PlanDay.Key(row), is.Day), word(PlanStart.Decl, PlanStart.Key(row), is.Start),
		figure(PlanKM.Decl, PlanKM.Key(row), km),
		figure(PlanMinutes.Decl, PlanMinutes.Key(row), is.Minutes), word(PlanKind.Decl, PlanKind.Key(row), string(is.Kind)),
		word(PlanGround.Decl, PlanGround.Key(row), string(is.Ground)), word(PlanRun.Decl, PlanRun.Key(row), strings.TrimPrefix(is.Run, "run ")),
	}
}

// WeekValues write parts over a whole week of the board. Parts of one run get a letter.
func WeekValues(week int, parts []rotation.WeekPart) []Value {
	letters, count := map[string]string{}, map[string]int{}
	for _, p := range parts {
		count[p.Run]++
	}
	var values []Value
	for i := range PlanRows {
		var p *rotation.WeekPart
		if i < len(parts) {
			part := parts[i]
			if run := part.Run; run != "" && count[run] > 1 && (letters[run] != "" || len(letters) < len(runLetters)) {
				if letters[run] == "" {
					letters[run] = runLetters[len(letters)]
				}
				part.Run = letters[run]
			} else {
				part.Run = ""
			}
			p = &part
		}
		values = append(values, rowValues(week*PlanRows+i+1, p)...)
	}
	return values
}

// ToldValues lay the week that was told at Hello on the board, an easy distance over as many
// days as were told, or are usual, for the fitter and the runner to move.
func (v *Visit) ToldValues(week int) []Value {
	told, _, _ := v.WeekTold()
	days := 0
	if d := RunDays.Ptr(v); d != nil {
		days = int(*d)
	}
	if RaceOn.Ptr(v) != nil { // it is run once, on its day
		told = slices.DeleteFunc(slices.Clone(told), func(p rotation.Part) bool { return p.Kind == term.Race })
	}
	return WeekValues(week, rotation.Lay(told, days))
}

// TemplateValues lay a plain week for a goal and a weekly distance, km, on the board; days
// nil is as many as that distance is usually run on. It fails with a fault.List.
func (v *Visit) TemplateValues(week int, goal rotation.Goal, km float64, days *float64) ([]Value, error) {
	var l fault.List
	fault.OneOf(&l, "template_goal", goal, rotation.Goals)
	if l.Range("template_km", km, 3, 300, "km"); len(l) > 0 {
		return nil, l
	}
	n := rotation.DaysFor(km)
	if days != nil {
		n = int(*days)
	}
	return WeekValues(week, rotation.Template(goal, km, n, v.usualGround())), nil
}

// SplitValues part the run in a row of the board into warm-up, repetitions and cool-down, in
// that row and the next empty ones of its week. It fails with a fault.List at the row's
// distance where it is no whole run, is too short, or no rows are left.
func (v *Visit) SplitValues(row int) ([]Value, error) {
	at := PlanKM.Key(row).Input()
	if row < 1 || row > 2*PlanRows || v.planned(row).Part == nil {
		return nil, fault.List{{Field: at, Text: "is not a whole run yet; give its day, distance and kind"}}
	}
	p := v.planned(row).Part
	used := map[string]bool{}
	var free []int
	for _, r := range v.BoardRows((row - 1) / PlanRows) {
		used[PlanRun.Of(v, r.N)] = true
		if !r.Some {
			free = append(free, r.N)
		}
	}
	parts := p.Split()
	letter := slices.IndexFunc(runLetters, func(l string) bool { return !used[l] })
	switch {
	case len(parts) == 1:
		return nil, fault.List{{Field: at, Text: "is too short to be split; allowed is from 0.4 km"}}
	case p.Run != "":
		return nil, fault.List{{Field: at, Text: "is a part of a run already"}}
	case len(free) < 2:
		return nil, fault.List{{Field: at, Text: fmt.Sprintf("needs two more rows; the week has %d, all in use", PlanRows)}}
	case letter < 0:
		return nil, fault.List{{Field: at, Text: fmt.Sprintf("would be the eighth run in parts; allowed are %d", len(runLetters))}}
	}
	var values []Value
	for i, at := range []int{row, free[0], free[1]} {
		parts[i].Run = runLetters[letter]
		values = append(values, rowValues(at, &parts[i])...)
	}
	return values, nil
}

// ResizeValues make the run in a row of the board last so many minutes at its pace. It fails
// with a fault.List at the row's minutes.
func (v *Visit) ResizeValues(row int, minutes float64) ([]Value, error) {
	at := PlanMinutes.Key(row).Input()
	p := v.planned(row).Part
	if p == nil {
		return nil, fault.List{{Field: at, Text: "is of no whole run"}}
	}
	if err := Resize(p, minutes, at); err != nil {
		return nil, err
	}
	return rowValues(row, p), nil
}

// Resize makes a run last so many minutes at its pace. It fails with a fault.List at a field.
func Resize(p *rotation.WeekPart, minutes float64, at string) error {
	var l fault.List
	begin, end := p.Times()
	if l.Range(at, minutes, PlanMinutes.Lo, PlanMinutes.Hi, "minutes"); len(l) > 0 {
		return l
	}
	p.KM = units.Round(p.KM*minutes/(end-begin), 1)
	if l.Range(at, p.KM, PlanKM.Lo, PlanKM.Hi, "km at its pace"); len(l) > 0 {
		return l
	}
	if p.Minutes != nil {
		p.Minutes = &minutes
	}
	return nil
}
