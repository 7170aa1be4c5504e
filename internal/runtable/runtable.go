// Package runtable reads runs from a table of any make: CSV with commas, semicolons or
// tabs, in UTF-8, UTF-16 or Windows-1252, with whatever names its columns have
// (docs/formats.md). Which column holds what is guessed from the names and settled by a
// person. What is wrong is named by its line, all of it at once.
package runtable

import (
	"bytes"
	"crypto/sha256"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

// Limits of a table.
const (
	MaxBytes   = 64 << 20
	MostRows   = 100_000
	mostCols   = 200
	mostFaults = 50
)

// Table is a CSV as it stands in its file.
type Table struct {
	Header []string
	Rows   [][]string
	Lines  []int // of each row in the file
}

// Digest tells tables of the same header.
func (t *Table) Digest() [32]byte { return sha256.Sum256([]byte(strings.Join(t.Header, "\x1f"))) }

// Read reads a table. It fails with a fault.List that names the line.
func Read(data []byte) (*Table, error) {
	if len(data) > MaxBytes {
		return nil, fault.List{{Field: "file", Text: fmt.Sprintf("is larger than %d MiB", MaxBytes>>20)}}
	}
	text, err := decode(data)
	if err != nil {
		return nil, err
	}
	if bytes.IndexByte(text, 0) >= 0 {
		return nil, fault.List{{Field: "file", Text: "is no table of text"}}
	}
	head, _, _ := bytes.Cut(text, []byte("\n"))
	r := csv.NewReader(bytes.NewReader(text))
	r.FieldsPerRecord, r.LazyQuotes = -1, true
	for _, sep := range []byte{';', '\t'} {
		if bytes.Count(head, []byte{sep}) > bytes.Count(head, []byte{byte(r.Comma)}) {
			r.Comma = rune(sep)
		}
	}
	t := &Table{}
	for {
		row, err := r.Read()
		if err == io.EOF {
			break
		}
		line, _ := r.FieldPos(0)
		var wrong *csv.ParseError
		if errors.As(err, &wrong) {
			return nil, fault.List{{Field: "line " + strconv.Itoa(wrong.Line), Text: "cannot be read: " + wrong.Err.Error()}}
		}
		if err != nil {
			return nil, err
		}
		for i := range row {
			row[i] = strings.TrimSpace(row[i])
		}
		if !slices.ContainsFunc(row, func(s string) bool { return s != "" }) {
			continue
		}
		switch {
		case len(row) > mostCols:
			return nil, fault.List{{Field: "line " + strconv.Itoa(line), Text: fmt.Sprintf("has %d columns; allowed are %d", len(row), mostCols)}}
		case t.Header == nil:
			t.Header = row
		case len(t.Rows) >= MostRows:
			return nil, fault.List{{Field: "file", Text: fmt.Sprintf("has more than %d rows", MostRows)}}
		default:
			t.Rows, t.Lines = append(t.Rows, row), append(t.Lines, line)
		}
	}
	switch {
	case len(t.Header) < 2:
		return nil, fault.List{{Field: "file", Text: "is no table: its first line names fewer than two columns"}}
	case len(t.Rows) == 0:
		return nil, fault.List{{Field: "file", Text: "has no row under its first line"}}
	}
	return t, nil
}

// decode brings the bytes to UTF-8 without a mark.
func decode(data []byte) ([]byte, error) {
	var from encoding.Encoding
	switch {
	case bytes.HasPrefix(data, []byte("\ufeff")):
		data = data[3:]
	case bytes.HasPrefix(data, []byte{0xff, 0xfe}), bytes.HasPrefix(data, []byte{0xfe, 0xff}):
		from = unicode.UTF16(unicode.BigEndian, unicode.UseBOM)
	case len(data) > 3 && data[0] != 0 && data[1] == 0 && data[3] == 0:
		from = unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM)
	}
	if from == nil && !utf8.Valid(data) {
		from = charmap.Windows1252
	}
	if from == nil {
		return data, nil
	}
	out, err := from.NewDecoder().Bytes(data)
	if err != nil {
		return nil, fault.List{{Field: "file", Text: "is in no encoding that can be read; save it as UTF-8"}}
	}
	return out, nil
}

// Orders of a date's parts.
var Orders = []string{"year_month_day", "day_month_year", "month_day_year"}

// Units of a distance and of an effort.
var (
	DistanceUnits = []string{"km", "mi", "m"}
	TimeUnits     = []string{"clock", "minutes", "seconds"}
)

// Columns say which column holds what: the number of a column from 1, 0 for none.
type Columns struct {
	Date     int    `json:"date"`
	Start    int    `json:"start"`
	Distance int    `json:"distance"`
	Time     int    `json:"time"`
	Ascent   int    `json:"ascent"`
	Kind     int    `json:"kind"`
	Ground   int    `json:"ground"`
	Unit     string `json:"unit"`
	TimeUnit string `json:"time_unit"`
	Order    string `json:"order"`
}

// words that name a column, most telling first.
var words = map[string][]string{
	"date":     {"date", "day", "datum", "fecha", "when"},
	"start":    {"start", "begin", "clock", "hour"},
	"distance": {"distance", "km", "miles", "kilomet", "length", "strecke", "dist", "afstand"},
	"time":     {"moving", "duration", "elapsed", "minutes", "seconds", "time", "dauer"},
	"ascent":   {"ascent", "climb", "elevation", "gain", "rise"},
	"kind":     {"kind", "type", "workout", "session", "activity"},
	"ground":   {"ground", "surface", "terrain"},
}

// Guess tells from the names and the first rows which column holds what.
func (t *Table) Guess() Columns {
	taken := map[int]bool{}
	find := func(what string) int {
		for _, w := range words[what] {
			for i, name := range t.Header {
				if !taken[i] && strings.Contains(strings.ToLower(name), w) {
					taken[i] = true
					return i + 1
				}
			}
		}
		return 0
	}
	c := Columns{Unit: "km", TimeUnit: "clock", Order: "year_month_day"}
	for _, f := range []struct {
		what string
		to   *int
	}{{"date", &c.Date}, {"distance", &c.Distance}, {"start", &c.Start}, {"time", &c.Time}, {"ascent", &c.Ascent}, {"kind", &c.Kind},
		{"ground", &c.Ground}} {
		*f.to = find(f.what)
	}
	if c.Date == 0 && c.Start > 0 { // a start with its day
		c.Date, c.Start = c.Start, 0
	}
	if c.Distance > 0 {
		name := strings.ToLower(t.Header[c.Distance-1])
		switch {
		case strings.Contains(name, "mi"):
			c.Unit = "mi"
		case strings.Contains(name, "(m)"), strings.Contains(name, "meter"), strings.Contains(name, "metre"):
			if !strings.Contains(name, "kilo") {
				c.Unit = "m"
			}
		default:
			if t.median(c.Distance) > 500 {
				c.Unit = "m"
			}
		}
	}
	if c.Time > 0 && !strings.Contains(t.at(0, c.Time), ":") {
		c.TimeUnit = "minutes"
		if strings.Contains(strings.ToLower(t.Header[c.Time-1]), "sec") || t.median(c.Time) > 600 {
			c.TimeUnit = "seconds"
		}
	}
	if c.Date > 0 {
		c.Order = t.order(c.Date)
	}
	return c
}

// at is a cell, empty where the row is short.
func (t *Table) at(row, column int) string {
	if column < 1 || column > len(t.Rows[row]) {
		return ""
	}
	return t.Rows[row][column-1]
}

func (t *Table) median(column int) float64 {
	var list []float64
	for i := range t.Rows[:min(len(t.Rows), 200)] {
		if v, err := number(t.at(i, column)); err == nil {
			list = append(list, v)
		}
	}
	if len(list) == 0 {
		return 0
	}
	slices.Sort(list)
	return list[len(list)/2]
}

// order tells a date's order from all rows: a part over twelve is no month.
func (t *Table) order(column int) string {
	first, second := 0, 0
	for i := range t.Rows {
		p, ok := parts(t.at(i, column))
		if !ok {
			continue
		}
		if p[0] > 31 {
			return "year_month_day"
		}
		first, second = max(first, p[0]), max(second, p[1])
	}
	if second > 12 && first <= 12 {
		return "month_day_year"
	}
	return "day_month_year"
}

// parts are the three numbers of a date.
func parts(s string) (out [3]int, ok bool) {
	s, _, _ = strings.Cut(s, "T")
	s, _, _ = strings.Cut(s, " ")
	f := strings.FieldsFunc(s, func(r rune) bool { return r == '-' || r == '/' || r == '.' })
	if len(f) != 3 {
		return out, false
	}
	for i := range f {
		v, err := strconv.Atoi(f[i])
		if err != nil || v < 0 || v > 9999 {
			return out, false
		}
		out[i] = v
	}
	return out, true
}

// Run is one row as a run. Start is empty where no hour is told.
type Run struct {
	Line    int
	On      time.Time
	Start   string // 15:04
	KM      float64
	Minutes *float64
	AscentM *float64
	Kind    term.Kind
	Ground  term.Ground
}

// Check notes what the columns lack, or name twice.
func (c Columns) Check(l *fault.List, width int) {
	seen := map[int]string{}
	for _, f := range []struct {
		name   string
		at     int
		needed bool
	}{{"column_date", c.Date, true}, {"column_distance", c.Distance, true}, {"column_start", c.Start, false}, {"column_time", c.Time, false},
		{"column_ascent", c.Ascent, false}, {"column_kind", c.Kind, false}, {"column_ground", c.Ground, false}} {
		switch {
		case f.at < 0 || f.at > width:
			l.Add(f.name, "is no column of the table; allowed is 1 to %d", width)
		case f.at == 0 && f.needed:
			l.Add(f.name, "is missing: say which column holds it")
		case f.at > 0 && seen[f.at] != "":
			l.Add(f.name, "is the column that %s has", strings.TrimPrefix(seen[f.at], "column_"))
		}
		seen[f.at] = f.name
	}
	fault.OneOf(l, "column_unit", c.Unit, DistanceUnits)
	fault.OneOf(l, "column_time_unit", c.TimeUnit, TimeUnits)
	fault.OneOf(l, "column_order", c.Order, Orders)
}

// Runs reads the rows by their columns; today bounds their days. It fails with a fault.List
// that names each line; a row without a distance, such as one of a rest day, is passed over
// and counted.
func (t *Table) Runs(c Columns, today time.Time) (runs []Run, empty int, err error) {
	var l fault.List
	if c.Check(&l, len(t.Header)); len(l) > 0 {
		return nil, 0, l
	}
	for i := range t.Rows {
		at := "line " + strconv.Itoa(t.Lines[i])
		if d := t.at(i, c.Distance); d == "" || d == "0" {
			empty++
			continue
		}
		r := Run{Line: t.Lines[i], Kind: KindOf(t.at(i, c.Kind)), Ground: groundOf(t.at(i, c.Ground) + " " + t.at(i, c.Kind))}
		if start := t.at(i, c.Start); start != "" {
			clock, err := hour(start)
			if err != nil {
				l.Add(at, "has the start %q; allowed is a time of day such as 18:30", clip(start))
			}
			r.Start = clock
		}
		if r.On, r.Start, err = day(t.at(i, c.Date), c.Order, r.Start); err != nil {
			l.Add(at, "has the date %q, %v", clip(t.at(i, c.Date)), err)
		} else if r.On.After(today) || r.On.Year() < 1970 {
			l.Add(at, "is of %s; allowed is from 1970 up to today, %s", r.On.Format(time.DateOnly), today.Format(time.DateOnly))
		}
		r.KM, err = number(t.at(i, c.Distance))
		if err != nil {
			l.Add(at, "has the distance %q, which %v", clip(t.at(i, c.Distance)), err)
		} else {
			r.KM *= map[string]float64{"km": 1, "mi": 1.609344, "m": 0.001}[c.Unit]
			l.Range(at, r.KM, 0.1, 400, "km")
		}
		if s := t.at(i, c.Time); s != "" {
			m, err := effort(s, c.TimeUnit)
			if err != nil {
				l.Add(at, "has the time %q, which %v", clip(s), err)
			} else if m > 0 {
				r.Minutes = &m
			}
		}
		if s := t.at(i, c.Ascent); s != "" {
			if v, err := number(s); err != nil || v < 0 || v > 20000 {
				l.Add(at, "has the ascent %q; allowed is 0 to 20000 m", clip(s))
			} else {
				r.AscentM = &v
			}
		}
		if len(l) > mostFaults {
			l.Add("file", "holds more faults; these are the first")
			break
		}
		runs = append(runs, r)
	}
	if len(l) == 0 && len(runs) == 0 {
		l.Add("file", "has no row with a distance")
	}
	return runs, empty, l.Err()
}

// number reads a number with a point or a comma, and with marks between thousands. A
// formula is none.
func number(s string) (float64, error) {
	s = strings.ReplaceAll(strings.ReplaceAll(strings.TrimSpace(s), "\u00a0", ""), "'", "")
	for _, unit := range []string{"km", "mi", "m"} {
		s = strings.TrimSpace(strings.TrimSuffix(s, unit))
	}
	if strings.HasPrefix(s, "=") || strings.HasPrefix(s, "@") {
		return 0, errors.New("is a formula and is not worked out")
	}
	comma, point := strings.LastIndexByte(s, ','), strings.LastIndexByte(s, '.')
	switch {
	case comma >= 0 && point > comma:
		s = strings.ReplaceAll(s, ",", "")
	case comma >= 0 && point >= 0:
		s = strings.Replace(strings.ReplaceAll(s, ".", ""), ",", ".", 1)
	case comma >= 0:
		s = strings.Replace(s, ",", ".", 1)
	}
	v, err := strconv.ParseFloat(s, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) || strings.ContainsAny(s, "xXpP_") {
		return 0, errors.New("is no number")
	}
	return v, nil
}

// hour reads a time of day.
func hour(s string) (string, error) {
	for _, layout := range []string{"15:04", "15:04:05", "3:04 PM", "3:04:05 PM", "3:04PM"} {
		if t, err := time.Parse(layout, strings.ToUpper(s)); err == nil {
			return t.Format("15:04"), nil
		}
	}
	return "", errors.New("is no time of day")
}

// day reads a date by its order, with the hour that may follow it.
func day(s, order, start string) (time.Time, string, error) {
	p, ok := parts(s)
	if !ok {
		return time.Time{}, start, errors.New("which is no date")
	}
	y, m, d := p[0], p[1], p[2]
	switch {
	case order == "day_month_year" && p[0] <= 31:
		y, m, d = p[2], p[1], p[0]
	case order == "month_day_year" && p[0] <= 31:
		y, m, d = p[2], p[0], p[1]
	}
	if y < 100 {
		y += 2000
	}
	on := time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC)
	if m < 1 || m > 12 || on.Day() != d {
		return time.Time{}, start, fmt.Errorf("which is no day when read as %s", strings.ReplaceAll(order, "_", ", "))
	}
	if rest := strings.TrimLeft(s[min(len(s), 8):], "0123456789"); start == "" && len(rest) > 4 {
		rest = strings.TrimLeft(rest, "T ")
		if clock, err := hour(strings.TrimSuffix(rest[:min(len(rest), 8)], "Z")); err == nil {
			start = clock
		}
	}
	return on, start, nil
}

// effort reads a time that was run, in minutes.
func effort(s, unit string) (float64, error) {
	if strings.Contains(s, ":") {
		sum := 0.0
		f := strings.Split(s, ":")
		for _, part := range f {
			v, err := number(part)
			if err != nil || v < 0 {
				return 0, errors.New("is no time")
			}
			sum = 60*sum + v
		}
		switch len(f) {
		case 2, 3: // minutes and seconds, or hours before them
			return within(sum / 60)
		}
		return 0, errors.New("is no time")
	}
	v, err := number(s)
	if err != nil {
		return 0, err
	}
	if unit == "seconds" {
		v /= 60
	}
	return within(v)
}

func within(minutes float64) (float64, error) {
	if minutes < 0 || minutes > 48*60 {
		return 0, errors.New("is not between 0 and 48 hours")
	}
	return minutes, nil
}

// KindOf tells a run's kind from what a file calls the run; empty where it does not tell.
func KindOf(s string) term.Kind {
	s = strings.ToLower(s)
	for _, k := range term.Kinds {
		if k != term.Gym && s == string(k) {
			return k
		}
	}
	for _, w := range []struct {
		word string
		kind term.Kind
	}{{"race", term.Race}, {"interval", term.Intervals}, {"reps", term.Intervals}, {"tempo", term.Tempo}, {"threshold", term.Threshold},
		{"long", term.Long}, {"recover", term.Recovery}, {"walk", term.Walk}, {"hik", term.Hike}, {"easy", term.Easy},
		{"fartlek", term.Intervals}, {"hill", term.Intervals}, {"speed", term.Intervals}, {"jog", term.Easy}, {"steady", term.Easy}} {
		if strings.Contains(s, w.word) {
			return w.kind
		}
	}
	return ""
}

// groundOf tells the ground in the same way.
func groundOf(s string) term.Ground {
	s = strings.ToLower(s)
	for _, g := range []term.Ground{term.GroundTreadmill, term.GroundTrail, term.GroundTrack, term.GroundMud, term.GroundSnow, term.GroundIce,
		term.GroundRoad} {
		if slices.Contains(strings.FieldsFunc(s, func(r rune) bool { return r < 'a' || r > 'z' }), string(g)) {
			return g
		}
	}
	return ""
}

func clip(s string) string {
	if r := []rune(s); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return s
}
