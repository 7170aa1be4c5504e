package desk

import (
	"cmp"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/rotation"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

// weekFields are those of a week's runs, as the board of Rotation has them.
var weekFields = []form.Field{record.PlanDay.Field, record.PlanStart.Field, record.PlanKM.Field, record.PlanMinutes.Field,
	record.PlanKind.Field, record.PlanGround.Field}

// weekView is a week of a season that is opened: the board, and its runs to be moved.
type weekView struct {
	Runner  record.Runner
	S       *record.Season
	On      time.Time
	How     string
	KM      float64
	Board   template.HTML
	Rows    [][]kit.Control
	Before  string // the weeks beside it; empty is none
	After   string
	URL     string
	WeekErr string
	IsThis  bool
	Races   []record.SeasonRace
	Changes []string // what plans of changing over allow
}

// weekAt is the week that an address names, from 0.
func weekAt(c *kit.Req, s *record.Season) (int, time.Time, error) {
	on, err := time.Parse(time.DateOnly, c.Param("week"))
	if err != nil || on.Weekday() != time.Monday {
		return 0, on, app.ErrNotFound
	}
	at := int(on.Sub(s.Starts).Hours() / (24 * 7))
	if at < 0 || at >= len(s.Weeks) {
		return 0, on, app.ErrNotFound
	}
	return at, on, nil
}

func (d *Desk) seasonWeek(c *kit.Req) error { return d.showWeek(c, http.StatusOK, nil, nil) }

func (d *Desk) showWeek(c *kit.Req, code int, sent url.Values, faults fault.List) error {
	fit, err := d.ofRunner(c)
	if err != nil {
		return err
	}
	id := fit.Runner.ID
	v := weekView{Runner: *fit.Runner}
	if v.S, err = fit.Season(c.Ctx(), record.SeasonWhat{}); err != nil {
		return err
	}
	if v.S.Fault != "" && len(v.S.Weeks) == 0 {
		return kit.Go(c, fmt.Sprintf("/runners/%d/season", id))
	}
	at, on, err := weekAt(c, v.S)
	if err != nil {
		return err
	}
	address := func(n int) string {
		if n < 0 || n >= len(v.S.Weeks) {
			return ""
		}
		return weekURL(id, v.S.Starts.AddDate(0, 0, 7*n))
	}
	v.On, v.How, v.KM, v.URL, v.Before, v.After, v.IsThis = on, v.S.How[at], v.S.KM(at), weekURL(id, on), address(at-1), address(at+1), at == 0
	said, rest := kit.Say(c.Who.Units, faults, func(in string) bool {
		name, _, _ := strings.Cut(in, ".")
		return slices.ContainsFunc(weekFields, func(f form.Field) bool { return f.Name == name })
	})
	v.WeekErr = rest
	parts := withoutRaces(v.S.Weeks[at])
	v.Rows = weekRows(parts, c.Who.Units, sent, said)
	for _, r := range v.S.Races {
		if r.Week == at+1 {
			v.Races = append(v.Races, r)
		}
	}
	for _, g := range v.S.Going {
		v.Changes = append(v.Changes, g.Text(on))
	}
	if v.S.Fault == "" {
		lanes, err := v.S.Lanes(c.Ctx(), at)
		if l, ok := fault.As(err); ok {
			v.WeekErr = l.Error()
		} else if err != nil {
			return err
		}
		v.Board = draw.WeekBoard(laneRows(lanes, parts, fit.Units), true, len(v.Rows), seasonWide)
	}
	return d.pageWith(c, code, "Week of "+on.Format("2 January"), "seasonweek", v, "")
}

func weekURL(runner uint64, on time.Time) string {
	return fmt.Sprintf("/runners/%d/season/weeks/%s", runner, on.Format(time.DateOnly))
}

func withoutRaces(parts []rotation.WeekPart) []rotation.WeekPart {
	return slices.DeleteFunc(slices.Clone(parts), func(p rotation.WeekPart) bool { return p.Kind == term.Race })
}

// laneRows are a week's lanes for the board; a run's row is its place among those that may be moved.
func laneRows(lanes []record.SeasonLane, parts []rotation.WeekPart, u units.System) []draw.WeekRow {
	var rows []draw.WeekRow
	for _, l := range lanes {
		r := draw.WeekRow{Name: cmp.Or(l.Name, "no rested pair"), Model: l.Model, Buy: l.Buy, Open: l.Name == ""}
		if l.Name != "" {
			r.Rest = 60 * rotation.DefaultRest
		}
		for _, p := range l.Parts {
			begin, end := p.Times()
			at := slices.IndexFunc(parts, func(x rotation.WeekPart) bool { return x.ID == p.ID })
			r.Runs = append(r.Runs, draw.WeekRun{Begin: begin, End: end, Label: support.Words(string(p.Kind)) + " " + u.Distance(p.KM),
				Row: strconv.Itoa(at + 1), Run: cmp.Or(p.Run, p.ID)})
		}
		rows = append(rows, r)
	}
	return rows
}

// spareRows are the empty rows after a week's runs.
const spareRows = 3

// weekRows are the controls of a week's runs, a row a run, as they are or as they were sent.
func weekRows(parts []rotation.WeekPart, u units.System, sent url.Values, said map[string]string) [][]kit.Control {
	n := len(parts) + spareRows
	for name := range sent {
		if _, row, ok := strings.Cut(name, "."); ok {
			if at, err := strconv.Atoi(row); err == nil {
				n = max(n, min(at, mostRuns))
			}
		}
	}
	var rows [][]kit.Control
	for i := 1; i <= n; i++ {
		var row []kit.Control
		for _, f := range weekFields {
			var held kit.Held
			if i <= len(parts) {
				held = heldOf(f.Name, &parts[i-1])
			}
			in := fmt.Sprintf("%s.%d", f.Name, i)
			var typed []string
			if sent != nil {
				typed = append([]string{}, sent[in]...)
			}
			x := kit.ControlOf(f, in, u, held, typed, said[in])
			x.Bare = true
			row = append(row, x)
		}
		rows = append(rows, row)
	}
	return rows
}

func heldOf(name string, p *rotation.WeekPart) kit.Held {
	switch name {
	case record.PlanDay.Name:
		return kit.Held{Text: p.Day}
	case record.PlanStart.Name:
		return kit.Held{Text: p.Start}
	case record.PlanKM.Name:
		return kit.Held{Number: &p.KM}
	case record.PlanMinutes.Name:
		return kit.Held{Number: p.Minutes}
	case record.PlanKind.Name:
		return kit.Held{Text: string(p.Kind)}
	}
	return kit.Held{Text: string(p.Ground)}
}

// mostRuns is how many runs a week of a season holds.
const mostRuns = 28

// setSeasonWeek saves a week's runs, or makes one of them last so many minutes at its pace.
func (d *Desk) setSeasonWeek(c *kit.Req) error {
	fit, err := d.ofRunner(c)
	if err != nil {
		return err
	}
	id := fit.Runner.ID
	s, err := fit.Season(c.Ctx(), record.SeasonWhat{})
	if err != nil {
		return err
	}
	at, on, err := weekAt(c, s)
	if err != nil {
		return err
	}
	sent, err := kit.Form(c, func(name string) bool {
		field, row, _ := strings.Cut(name, ".")
		n, err := strconv.Atoi(row)
		return name == "row" || name == "minutes" || err == nil && n >= 1 && n <= mostRuns &&
			slices.ContainsFunc(weekFields, func(f form.Field) bool { return f.Name == field })
	})
	var parts []rotation.WeekPart
	if err == nil && sent.Get("row") != "" {
		parts, err = resized(withoutRaces(s.Weeks[at]), sent)
		sent = nil
	} else if err == nil {
		parts, err = sentRuns(sent, c.Who.Units)
	}
	if err == nil && at == 0 {
		parts = append(parts, s.Over...)
	}
	if err == nil {
		err = d.App.Seasons.SetWeek(c.Ctx(), c.Who, id, on, parts)
	}
	if l, ok := fault.As(err); ok {
		return d.showWeek(c, http.StatusUnprocessableEntity, sent, l)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, weekURL(id, on))
}

// sentRuns reads a week's runs; a row that lacks its day, distance or kind is a fault, an empty one is none.
func sentRuns(sent url.Values, u units.System) ([]rotation.WeekPart, error) {
	var l fault.List
	var parts []rotation.WeekPart
	for i := 1; i <= mostRuns; i++ {
		v, some := map[string]form.Value{}, false
		for _, f := range weekFields {
			in := fmt.Sprintf("%s.%d", f.Name, i)
			x, ok := f.Read(&l, in, sent[in], u)
			if ok {
				v[f.Name] = x
				some = some || !x.Empty && f.Name != record.PlanGround.Name && f.Name != record.PlanStart.Name
			} else {
				some = true
			}
		}
		if !some {
			continue
		}
		for _, need := range []*record.Decl{record.PlanDay.Decl, record.PlanKM.Decl, record.PlanKind.Decl} {
			if x, ok := v[need.Name]; ok && x.Empty {
				l.Add(fmt.Sprintf("%s.%d", need.Name, i), "is missing; a run has its day, distance and kind")
			}
		}
		if v[record.PlanKind.Name].Text == string(term.Race) {
			l.Add(fmt.Sprintf("%s.%d", record.PlanKind.Name, i), "is a race; tell it at Distance, where all races stand")
		}
		parts = append(parts, rotation.WeekPart{ID: fmt.Sprintf("row %d", i), Day: v[record.PlanDay.Name].Text,
			Start: cmp.Or(v[record.PlanStart.Name].Text, "18:30"), KM: v[record.PlanKM.Name].Number, Minutes: v[record.PlanMinutes.Name].Ptr(),
			Kind: term.Kind(v[record.PlanKind.Name].Text), Ground: cmp.Or(term.Ground(v[record.PlanGround.Name].Text), term.GroundRoad)})
	}
	return parts, l.Err()
}

// resized are a week's runs with one of them made to last so many minutes at its pace.
func resized(parts []rotation.WeekPart, sent url.Values) ([]rotation.WeekPart, error) {
	row, _ := strconv.Atoi(sent.Get("row")) // what is no number is no row
	minutes, err := strconv.ParseFloat(sent.Get("minutes"), 64)
	if row < 1 || row > len(parts) {
		return nil, fault.List{{Field: "plan_minutes.1", Text: "are of no run of this week"}}
	}
	if err != nil || math.IsNaN(minutes) {
		minutes = 0
	}
	if err := record.Resize(&parts[row-1], minutes, fmt.Sprintf("plan_minutes.%d", row)); err != nil {
		return nil, err
	}
	return parts, nil
}
