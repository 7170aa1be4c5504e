package runtable

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/teambition/rrule-go"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

// minutesPerKM is the pace of a run that is planned by its time alone.
const minutesPerKM = 6.0

// CheckPlan notes what the columns of a plan lack, or name twice: a day, and a distance or a time.
func (c Columns) CheckPlan(l *fault.List, width int) {
	either := c
	if either.Distance == 0 {
		either.Distance, either.Time = c.Time, 0
	}
	if either.Distance == 0 {
		l.Add("column_distance", "is missing; say in which column the distance is, or the time")
		return
	}
	either.Check(l, width)
}

// Plan reads the table as runs to come, by its columns. Days before from are passed over, as are rows of rest; both are counted.
// Days from until on, words that are no kind or ground, and what cannot be read are faults by their line.
func (t *Table) Plan(c Columns, from, until time.Time) (runs []Run, rest, past int, err error) {
	var l fault.List
	if c.CheckPlan(&l, len(t.Header)); len(l) > 0 {
		return nil, 0, 0, l
	}
	for i := range t.Rows {
		at := "line " + strconv.Itoa(t.Lines[i])
		km, time, kind := t.at(i, c.Distance), t.at(i, c.Time), t.at(i, c.Kind)
		if zero(km) && zero(time) || resting(km) || resting(time) || resting(kind) {
			rest++
			continue
		}
		r := Run{Line: t.Lines[i]}
		if start := t.at(i, c.Start); start != "" {
			if r.Start, err = hour(start); err != nil {
				l.Add(at, "has the start %q; allowed is a time of day such as 18:30", clip(start))
			}
		}
		if r.On, r.Start, err = day(t.at(i, c.Date), c.Order, r.Start); err != nil {
			l.Add(at, "has the date %q, %v", clip(t.at(i, c.Date)), err)
		}
		if !zero(time) {
			if m, err := effort(time, c.TimeUnit); err != nil {
				l.Add(at, "has the time %q, which %v", clip(time), err)
			} else {
				r.Minutes = &m
			}
		}
		if !zero(km) {
			if r.KM, err = number(km); err != nil {
				l.Add(at, "has the distance %q, which %v", clip(km), err)
			}
			r.KM *= map[string]float64{"km": 1, "mi": 1.609344, "m": 0.001}[c.Unit]
		}
		if r.Kind = cmp.Or(KindOf(kind), term.Easy); kind != "" && KindOf(kind) == "" {
			l.Add(at, "has the kind %q; allowed is %s", clip(kind), kindWords())
		}
		ground := t.at(i, c.Ground)
		if r.Ground = cmp.Or(groundOf(ground+" "+kind), term.GroundRoad); ground != "" && groundOf(ground) == "" {
			l.Add(at, "has the ground %q; allowed is %s", clip(ground), groundWords())
		}
		if len(l) > mostFaults {
			l.Add("file", "holds more faults; these are the first")
			break
		}
		runs = append(runs, r)
	}
	if len(l) > 0 {
		return nil, 0, 0, l
	}
	runs, past, err = planned(runs, from, until)
	return runs, rest, past, err
}

// zero says whether a cell tells no distance or time.
func zero(s string) bool {
	v, err := number(s)
	return s == "" || s == "-" || err == nil && v == 0
}

// resting says whether a cell calls its day one of rest.
func resting(s string) bool {
	s = strings.ToLower(s)
	return s == "off" || strings.HasPrefix(s, "rest")
}

func kindWords() string {
	var out []string
	for _, k := range term.Kinds {
		if k != term.Gym {
			out = append(out, strings.ReplaceAll(string(k), "_", " "))
		}
	}
	return strings.Join(out, ", ") + ", or rest"
}

func groundWords() string {
	var out []string
	for _, g := range term.Grounds {
		out = append(out, string(g))
	}
	return strings.Join(out, ", ")
}

// planned puts runs to come in order, gives each its distance and its hour, and leaves out those that are past.
func planned(runs []Run, from, until time.Time) (out []Run, past int, err error) {
	var l fault.List
	for _, r := range runs {
		at := "line " + strconv.Itoa(r.Line)
		if r.KM == 0 && r.Minutes != nil {
			r.KM = *r.Minutes / minutesPerKM
		}
		r.KM = math.Round(100*r.KM) / 100
		switch l.Range(at, r.KM, 0.1, 400, "km"); {
		case r.On.Before(from):
			past++
		case !r.On.Before(until):
			l.Add(at, "is of %s; allowed is up to %s", r.On.Format(time.DateOnly), until.AddDate(0, 0, -1).Format(time.DateOnly))
		default:
			out = append(out, r)
		}
		if len(l) > mostFaults {
			break
		}
	}
	if len(l) == 0 && len(out) == 0 {
		l.Add("file", "has no run from %s on", from.Format(time.DateOnly))
	}
	if len(l) > 0 {
		return nil, past, l
	}
	slices.SortStableFunc(out, func(a, b Run) int { return cmp.Or(a.On.Compare(b.On), cmp.Compare(a.Start, b.Start)) })
	for i := 0; i < len(out); {
		n := i
		for n < len(out) && out[n].On.Equal(out[i].On) {
			n++
		}
		hours(out[i:n])
		i = n
	}
	return out, past, nil
}

// hours gives the runs of a day that tell none their hour: one in the evening, on a Saturday or Sunday in the morning; of several
// the first early.
func hours(day []Run) {
	free := []string{"18:30", "07:00", "12:30", "21:00", "10:00", "15:30"}
	if w := day[0].On.Weekday(); w == time.Saturday || w == time.Sunday {
		free = []string{"09:00", "18:30", "13:30", "21:00", "06:30", "16:00"}
	}
	used := map[string]bool{}
	for _, r := range day {
		used[r.Start] = true
	}
	for i := range day {
		if day[i].Start != "" {
			continue
		}
		for _, h := range free {
			if !used[h] {
				day[i].Start, used[h] = h, true
				break
			}
		}
		day[i].Start = cmp.Or(day[i].Start, "23:00")
	}
	slices.SortStableFunc(day, func(a, b Run) int { return cmp.Compare(a.Start, b.Start) })
}

// IsICal says whether a file is an iCalendar, by what it begins with.
func IsICal(data []byte) bool {
	head := bytes.TrimLeft(bytes.TrimPrefix(data[:min(len(data), 200)], []byte("\ufeff")), " \r\n\t")
	return len(head) >= 15 && strings.EqualFold(string(head[:15]), "BEGIN:VCALENDAR")
}

var (
	lengthIn = regexp.MustCompile(`(?i)(?:(\d+)\s*[x×]\s*)?(\d+(?:[.,]\d+)?)\s*(km|kilomet\w*|k|mi|miles?)\b`)
	effortIn = regexp.MustCompile(`(?i)(\d+)\s*(h|hours?|min|minutes?|')(?:\s*(\d+))?`)
)

// PlanFromICal reads an iCalendar as runs to come, an event a run: its summary tells the distance or the minutes and the kind.
// Events that tell neither are passed over and counted as rest, those that come again each day, week or month stand on each of
// their days before until; zone is where its hours are meant. It fails with a fault.List.
func PlanFromICal(data []byte, zone *time.Location, from, until time.Time) (runs []Run, rest, past int, err error) {
	if len(data) > MaxBytes {
		return nil, 0, 0, fault.List{{Field: "file", Text: fmt.Sprintf("is larger than %d MiB", MaxBytes>>20)}}
	}
	cal, err := readICal(data)
	if err != nil {
		return nil, 0, 0, fault.List{{Field: "file", Text: "is no iCalendar that can be read"}}
	}
	var l fault.List
	moved := movedDays(cal, zone)
	for n, e := range cal.Events() {
		at := "event " + strconv.Itoa(n+1)
		text := textOf(e, ics.ComponentPropertySummary)
		r := Run{Line: n + 1}
		length, effort := lengthIn.FindStringSubmatch(text), effortIn.FindStringSubmatch(text)
		if length == nil && effort == nil {
			more := textOf(e, ics.ComponentPropertyDescription)
			length, effort = lengthIn.FindStringSubmatch(more), effortIn.FindStringSubmatch(more)
		}
		switch {
		case length != nil:
			if r.KM, err = number(length[2]); err == nil && strings.HasPrefix(strings.ToLower(length[3]), "m") {
				r.KM *= 1.609344
			}
			if times, wrong := strconv.ParseFloat(length[1], 64); wrong == nil { // repetitions
				r.KM *= times
			}
		case effort != nil:
			m := minutesIn(effort)
			r.Minutes = &m
		default:
			rest++
			continue
		}
		start, when := e.GetProperty(ics.ComponentPropertyDtStart), time.Time{}
		if start == nil {
			l.Add(at, "has no day")
			continue
		}
		if when, err = e.GetStartAt(); err != nil {
			if when, err = e.GetAllDayStartAt(); err != nil {
				l.Add(at, "has the day %q, which is none", clip(start.Value))
				continue
			}
		}
		if strings.HasSuffix(start.Value, "Z") && zone != nil {
			when = when.In(zone)
		}
		if strings.Contains(start.Value, "T") {
			r.Start = when.Format("15:04")
		}
		r.Kind, r.Ground = cmp.Or(KindOf(text), term.Easy), cmp.Or(groundOf(text), term.GroundRoad)
		days, err := daysOf(e, when, from, until)
		if err != nil {
			l.Add(at, "comes again by the rule %q, which %v", clip(textOf(e, ics.ComponentPropertyRrule)), err)
			continue
		}
		for _, day := range days {
			if r.On = day; len(days) > 1 && slices.Contains(moved[textOf(e, ics.ComponentPropertyUniqueId)], day) {
				continue
			}
			runs = append(runs, r)
		}
		if len(l) > mostFaults || len(runs) > MostRows {
			break
		}
	}
	if len(l) > 0 {
		return nil, 0, 0, l
	}
	runs, past, err = planned(runs, from, until)
	if faults, ok := fault.As(err); ok {
		for i := range faults {
			faults[i].Field = strings.Replace(faults[i].Field, "line ", "event ", 1)
		}
		err = faults
	}
	return runs, rest, past, err
}

// What a rule may say: the reader of rules is not built for more.
const (
	mostNth   = 4 // weekday of a month
	mostApart = 400
)

// daysOf are the days of an event: its own, or those on which its rule has it come again between two days, but for those that it
// leaves out.
func daysOf(e *ics.VEvent, when, from, until time.Time) ([]time.Time, error) {
	rule := textOf(e, ics.ComponentPropertyRrule)
	if rule == "" {
		return []time.Time{dateOf(when)}, nil
	}
	o, err := rrule.StrToROptionInLocation(rule, when.Location())
	if err != nil {
		return nil, errors.New("cannot be read")
	}
	odd := len(o.Bymonth) + len(o.Bymonthday) + len(o.Byyearday) + len(o.Byweekno) + len(o.Bysetpos) + len(o.Byhour) + len(o.Byminute) +
		len(o.Bysecond) + len(o.Byeaster)
	for _, d := range o.Byweekday { // such as the second Monday of a month
		if d.N() < -mostNth || d.N() > mostNth || d.N() != 0 && o.Freq != rrule.MONTHLY {
			odd++
		}
	}
	if strings.Contains(strings.ToUpper(rule), "INTERVAL=") && (o.Interval < 1 || o.Interval > mostApart) || o.Count < 0 {
		return nil, errors.New("cannot be read")
	}
	if o.Freq != rrule.DAILY && o.Freq != rrule.WEEKLY && o.Freq != rrule.MONTHLY || odd > 0 {
		return nil, errors.New("is not read; allowed is each day, week or month, on days of the week; give others one by one")
	}
	o.Dtstart = when
	r, err := rrule.NewRRule(*o)
	if err != nil {
		return nil, errors.New("cannot be read")
	}
	left := leftOut(e, when.Location())
	var out []time.Time
	for _, t := range r.Between(from.AddDate(0, 0, -1), until.AddDate(0, 0, 1), true) {
		if day := dateOf(t); !day.Before(from) && day.Before(until) && !slices.Contains(left, day) {
			out = append(out, day)
		}
	}
	return out, nil
}

func dateOf(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.UTC)
}

// leftOut are the days on which an event that comes again does not.
func leftOut(e *ics.VEvent, zone *time.Location) (out []time.Time) {
	for _, p := range e.GetProperties(ics.ComponentPropertyExdate) {
		for _, v := range strings.Split(p.Value, ",") {
			if day, ok := stampDay(v, zone); ok {
				out = append(out, day)
			}
		}
	}
	return out
}

// movedDays are, by event, the days of its rule that stand as events of their own.
func movedDays(cal *ics.Calendar, zone *time.Location) map[string][]time.Time {
	out := map[string][]time.Time{}
	for _, e := range cal.Events() {
		if day, ok := stampDay(textOf(e, ics.ComponentPropertyRecurrenceId), zone); ok {
			id := textOf(e, ics.ComponentPropertyUniqueId)
			out[id] = append(out[id], day)
		}
	}
	return out
}

// stampDay is the day of an iCalendar's date or moment, in a zone where it tells one of UTC.
func stampDay(v string, zone *time.Location) (time.Time, bool) {
	v = strings.TrimSpace(v)
	if t, err := time.Parse("20060102T150405Z", v); err == nil {
		if zone != nil {
			t = t.In(zone)
		}
		return dateOf(t), true
	}
	if len(v) < 8 {
		return time.Time{}, false
	}
	t, err := time.Parse("20060102", v[:8])
	return t, err == nil
}

// readICal reads an iCalendar; what the reader cannot bear is an error.
func readICal(data []byte) (cal *ics.Calendar, err error) {
	defer func() {
		if v := recover(); v != nil {
			err = fmt.Errorf("%v", v)
		}
	}()
	if cal, err = ics.ParseCalendar(bytes.NewReader(data)); err == nil && cal == nil {
		err = errors.New("empty")
	}
	return cal, err
}

func textOf(e *ics.VEvent, name ics.ComponentProperty) string {
	if p := e.GetProperty(name); p != nil {
		return p.Value
	}
	return ""
}

// minutesIn are the minutes of "90 min", "2 h" or "1 h 30".
func minutesIn(m []string) float64 {
	v, _ := strconv.ParseFloat(m[1], 64) // digits
	if unit := strings.ToLower(m[2]); !strings.HasPrefix(unit, "h") {
		return v
	}
	more, _ := strconv.ParseFloat(cmp.Or(m[3], "0"), 64) // digits
	return 60*v + more
}
