// Package catalogue reads and writes the shop's models as files: CSV for spreadsheets,
// JSON for programs (docs/formats.md). What is wrong is named by its row and column, all
// of it at once.
package catalogue

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/strict"
	"trevik/internal/core/term"
)

// Schema of a catalogue in JSON.
const Schema = "trevik.catalogue/v1"

// Limits of a file.
const (
	MaxBytes   = 64 << 20
	maxCell    = 4000 // bytes
	MostModels = 50000
	mostFaults = 200
)

// file is a catalogue in JSON.
type file struct {
	Schema string       `json:"schema"`
	Models []shoe.Model `json:"models"`
}

// Row is one model with where it stands in its file.
type Row struct {
	At    string // "row 7" of a CSV, "models[5]" of a JSON
	Model shoe.Model
}

// column is one column of a CSV.
type column struct {
	name   string
	needed bool
	get    func(*shoe.Model) string
	set    func(*shoe.Model, string) error
}

func text(name string, needed bool, at func(*shoe.Model) *string) column {
	return column{name, needed, func(m *shoe.Model) string { return *at(m) }, func(m *shoe.Model, s string) error { *at(m) = s; return nil }}
}

func word[T ~string](name string, needed bool, at func(*shoe.Model) *T) column {
	return column{name, needed, func(m *shoe.Model) string { return string(*at(m)) },
		func(m *shoe.Model, s string) error { *at(m) = T(s); return nil }}
}

var errNumber = errors.New("is no number")

func parse(s string) (float64, error) {
	v, err := strconv.ParseFloat(s, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, errNumber
	}
	return v, nil
}

func format(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

func number(name string, needed bool, at func(*shoe.Model) *float64) column {
	return column{name, needed, func(m *shoe.Model) string { return format(*at(m)) }, func(m *shoe.Model, s string) error {
		v, err := parse(s)
		*at(m) = v
		return err
	}}
}

// grade is a number from 1 to 5 that may be left out; a 0 is no grade, and nothing left out.
func grade(name string, at func(*shoe.Model) *float64) column {
	c := number(name, false, at)
	set := c.set
	c.set = func(m *shoe.Model, s string) error {
		err := set(m, s)
		if err == nil && *at(m) == 0 {
			err = errors.New("is 0; allowed is 1 to 5, or nothing where it is not known")
		}
		return err
	}
	return c
}

func whole(name string, at func(*shoe.Model) *int) column {
	return column{name, false, func(m *shoe.Model) string { return strconv.Itoa(*at(m)) }, func(m *shoe.Model, s string) error {
		v, err := strconv.Atoi(s)
		if err != nil {
			return errors.New("is no whole number")
		}
		*at(m) = v
		return nil
	}}
}

func yesNo(name string, at func(*shoe.Model) *bool) column {
	return column{name, false, func(m *shoe.Model) string {
		if *at(m) {
			return "yes"
		}
		return "no"
	}, func(m *shoe.Model, s string) error {
		switch s {
		case "yes", "true", "1":
			*at(m) = true
		case "no", "false", "0":
			*at(m) = false
		default:
			return errors.New("is neither yes nor no")
		}
		return nil
	}}
}

// maybe is a number that a model may lack.
func maybe(name string, at func(*shoe.Model) **float64) column {
	return column{name, false, func(m *shoe.Model) string {
		if v := *at(m); v != nil {
			return format(*v)
		}
		return ""
	}, func(m *shoe.Model, s string) error {
		v, err := parse(s)
		*at(m) = &v
		return err
	}}
}

// money is an amount as people write it; the model has minor units.
func money(s string) (int64, error) {
	v, err := parse(s)
	if err != nil || math.Abs(v*100-math.Round(v*100)) > 1e-6 {
		return 0, errors.New("is no amount of money such as 149.00")
	}
	return int64(math.Round(v * 100)), nil
}

func amount(minor int64) string { return fmt.Sprintf("%d.%02d", minor/100, minor%100) }

// columns of a CSV in their order.
var columns = []column{
	text("id", true, func(m *shoe.Model) *string { return &m.ID }),
	text("maker", true, func(m *shoe.Model) *string { return &m.Maker }),
	text("name", true, func(m *shoe.Model) *string { return &m.Name }),
	whole("version", func(m *shoe.Model) *int { return &m.Version }),
	whole("year", func(m *shoe.Model) *int { return &m.Year }),
	text("replaces", false, func(m *shoe.Model) *string { return &m.Replaces }),
	text("change", false, func(m *shoe.Model) *string { return &m.Change }),
	word("chart", true, func(m *shoe.Model) *term.Chart { return &m.Chart }),
	word("surface", true, func(m *shoe.Model) *term.Surface { return &m.Surface }),
	word("class", true, func(m *shoe.Model) *term.Class { return &m.Class }),
	word("level", true, func(m *shoe.Model) *term.Level { return &m.Level }),
	{"support_by", false, func(m *shoe.Model) string { return joined(m.SupportBy) }, func(m *shoe.Model, s string) error {
		m.SupportBy = nil
		for _, w := range strings.Fields(s) {
			m.SupportBy = append(m.SupportBy, term.Means(w))
		}
		return nil
	}},
	number("stack_heel_mm", true, func(m *shoe.Model) *float64 { return &m.StackHeelMM }),
	number("stack_forefoot_mm", true, func(m *shoe.Model) *float64 { return &m.StackForefootMM }),
	maybe("drop_mm", func(m *shoe.Model) **float64 { return &m.DropMM }),
	text("stack_measured_by", false, func(m *shoe.Model) *string { return &m.StackMeasuredFrom }),
	number("weight_g", true, func(m *shoe.Model) *float64 { return &m.WeightG }),
	number("softness", true, func(m *shoe.Model) *float64 { return &m.Softness }),
	number("bounce", true, func(m *shoe.Model) *float64 { return &m.Bounce }),
	text("plate", false, func(m *shoe.Model) *string { return &m.Plate }),
	whole("rocker", func(m *shoe.Model) *int { return &m.Rocker }),
	yesNo("heel_bevel", func(m *shoe.Model) *bool { return &m.HeelBevel }),
	grade("flexibility", func(m *shoe.Model) *float64 { return &m.Flexibility }),
	word("last_shape", true, func(m *shoe.Model) *term.LastShape { return &m.LastShape }),
	word("volume", true, func(m *shoe.Model) *term.Volume { return &m.Volume }),
	{"widths", true, func(m *shoe.Model) string { return strings.Join(m.Widths, " ") },
		func(m *shoe.Model, s string) error { m.Widths = strings.Fields(s); return nil }},
	{"sizes_uk", true, func(m *shoe.Model) string { return sizesText(m.SizesUK) }, func(m *shoe.Model, s string) (err error) {
		m.SizesUK,
			err = sizesOf(s)
		return err
	}},
	number("inner_length_offset_mm", false, func(m *shoe.Model) *float64 { return &m.InnerOffsetMM }),
	number("lug_depth_mm", false, func(m *shoe.Model) *float64 { return &m.LugDepthMM }),
	text("lug_spacing", false, func(m *shoe.Model) *string { return &m.LugSpacing }),
	grade("rubber_softness", func(m *shoe.Model) *float64 { return &m.RubberSoftness }),
	yesNo("metal_tips", func(m *shoe.Model) *bool { return &m.MetalTips }),
	yesNo("rock_plate", func(m *shoe.Model) *bool { return &m.RockPlate }),
	yesNo("toe_bumper", func(m *shoe.Model) *bool { return &m.ToeBumper }),
	yesNo("liner", func(m *shoe.Model) *bool { return &m.Liner }),
	text("upper", false, func(m *shoe.Model) *string { return &m.Upper }),
	grade("upper_firmness", func(m *shoe.Model) *float64 { return &m.UpperFirmness }),
	text("heel_counter", false, func(m *shoe.Model) *string { return &m.HeelCounter }),
	maybe("median_life_km", func(m *shoe.Model) **float64 { return &m.MedianLifeKM }),
	{"list_price", true, func(m *shoe.Model) string { return amount(m.ListPrice) }, func(m *shoe.Model, s string) (err error) {
		m.ListPrice,
			err = money(s)
		return err
	}},
	{"sale_price", false, func(m *shoe.Model) string {
		if m.SalePrice == nil {
			return ""
		}
		return amount(*m.SalePrice)
	}, func(m *shoe.Model, s string) error {
		v, err := money(s)
		m.SalePrice = &v
		return err
	}},
	text("currency", true, func(m *shoe.Model) *string { return &m.Currency }),
	{"label_us_over_uk", false, func(m *shoe.Model) string {
		if m.LabelChart == nil {
			return ""
		}
		return format(m.LabelChart.USOverUK)
	}, func(m *shoe.Model, s string) error {
		v, err := parse(s)
		labels(m).USOverUK = v
		return err
	}},
	{"label_eu_shift", false, func(m *shoe.Model) string {
		if m.LabelChart == nil {
			return ""
		}
		return format(m.LabelChart.EUShift)
	}, func(m *shoe.Model, s string) error {
		v, err := parse(s)
		labels(m).EUShift = v
		return err
	}},
	{"stock", false, func(m *shoe.Model) string { return StockText(m.Stock) }, func(m *shoe.Model, s string) (err error) {
		m.Stock,
			err = ParseStock(s)
		return err
	}},
	text("purpose", false, func(m *shoe.Model) *string { return &m.Purpose }),
	text("notes", false, func(m *shoe.Model) *string { return &m.Notes }),
}

func labels(m *shoe.Model) *shoe.LabelChart {
	if m.LabelChart == nil {
		m.LabelChart = &shoe.LabelChart{USOverUK: math.NaN(), EUShift: math.NaN()} // until its column is read
	}
	return m.LabelChart
}

func joined[T ~string](list []T) string {
	out := make([]string, len(list))
	for i, v := range list {
		out[i] = string(v)
	}
	return strings.Join(out, " ")
}

// sizesText writes sizes as runs of half sizes: "5-13" or "5-9 10 11-13".
func sizesText(sizes []foot.Figure) string {
	var out []string
	for i := 0; i < len(sizes); {
		j := i
		for j+1 < len(sizes) && sizes[j+1] == sizes[j]+0.5 {
			j++
		}
		if s := format(float64(sizes[i])); j == i {
			out = append(out, s)
		} else {
			out = append(out, s+"-"+format(float64(sizes[j])))
		}
		i = j + 1
	}
	return strings.Join(out, " ")
}

func sizesOf(s string) ([]foot.Figure, error) {
	var out []foot.Figure
	for _, part := range strings.Fields(s) {
		lo, hi, run := strings.Cut(part, "-")
		from, err := parse(lo)
		to := from
		if run && err == nil {
			to, err = parse(hi)
		}
		if err != nil || from < 0 || to > 30 || to < from {
			return nil, fmt.Errorf("holds %q; allowed are UK sizes such as 5-9 10 11-13", part)
		}
		for v := from; v <= to+1e-9; v += 0.5 {
			out = append(out, foot.Figure(v))
		}
	}
	slices.Sort(out)
	return slices.Compact(out), nil
}

// StockText writes a shelf as "8.5/D=2 9/D=1".
func StockText(list []shoe.Stock) string {
	out := make([]string, len(list))
	for i, s := range list {
		out[i] = fmt.Sprintf("%s/%s=%d", format(float64(s.UK)), s.Width, s.Count)
	}
	return strings.Join(out, " ")
}

// ParseStock reads a shelf as StockText writes it.
func ParseStock(s string) ([]shoe.Stock, error) {
	var out []shoe.Stock
	for _, part := range strings.Fields(s) {
		place, n, ok := strings.Cut(part, "=")
		uk, width, ok2 := strings.Cut(place, "/")
		size, err := parse(uk)
		count, err2 := strconv.Atoi(n)
		if !ok || !ok2 || err != nil || err2 != nil {
			return nil, fmt.Errorf("holds %q; allowed is size/width=pairs such as 8.5/D=2", part)
		}
		out = append(out, shoe.Stock{UK: foot.Figure(size), Width: width, Count: count})
	}
	return out, nil
}

// Read reads a catalogue, CSV or JSON by what it begins with, and checks it whole:
// currency is the shop's, existing are the ids that the shop has with the model that
// each replaces. It fails with a fault.List that names row and column.
func Read(data []byte, currency string, existing map[string]string) ([]Row, error) {
	var l fault.List
	var rows []Row
	switch {
	case len(data) > MaxBytes:
		return nil, fault.List{{Field: "file", Text: fmt.Sprintf("is larger than %d MiB", MaxBytes>>20)}}
	case !utf8.Valid(data):
		return nil, fault.List{{Field: "file", Text: "is not in UTF-8; save it as UTF-8 and send it again"}}
	case bytes.HasPrefix(bytes.TrimSpace(data), []byte("{")):
		rows = readJSON(&l, data)
	default:
		rows = readCSV(&l, data)
	}
	if len(rows) > MostModels {
		l.Add("file", "holds %d models; allowed are %d", len(rows), MostModels)
	}
	if len(l) == 0 {
		check(&l, rows, currency, existing)
	}
	if len(l) > mostFaults {
		more := len(l) - mostFaults
		l = l[:mostFaults]
		l.Add("file", "holds %d faults more", more)
	}
	return rows, l.Err()
}

func readJSON(l *fault.List, data []byte) []Row {
	var f file
	if err := strict.Decode(data, &f); err != nil {
		if faults, ok := fault.As(err); ok {
			*l = append(*l, faults...)
		}
		return nil
	}
	if f.Schema != Schema {
		l.Add("schema", "is %q; allowed is %q", f.Schema, Schema)
	}
	rows := make([]Row, len(f.Models))
	for i, m := range f.Models {
		rows[i] = Row{fmt.Sprintf("models[%d]", i), m}
	}
	if len(rows) == 0 {
		l.Add("models", "is empty")
	}
	return rows
}

func readCSV(l *fault.List, data []byte) []Row {
	data = bytes.TrimPrefix(data, []byte("\ufeff"))
	head, _, _ := bytes.Cut(data, []byte("\n"))
	r := csv.NewReader(bytes.NewReader(data))
	r.FieldsPerRecord, r.ReuseRecord = -1, true
	for _, sep := range []byte{';', '\t'} {
		if bytes.Count(head, []byte{sep}) > bytes.Count(head, []byte{byte(r.Comma)}) {
			r.Comma = rune(sep)
		}
	}
	header, err := r.Read()
	if err != nil {
		l.Add("file", "has no header row; the first row names the columns, such as id, maker, name")
		return nil
	}
	order := make([]*column, len(header))
	seen := map[string]bool{}
	for i, name := range header {
		name = strings.ToLower(strings.TrimSpace(name))
		at := slices.IndexFunc(columns, func(c column) bool { return c.name == name })
		switch {
		case at < 0:
			l.Add("row 1, column "+strconv.Itoa(i+1), "is %q, which is no column of a catalogue", clip(name))
		case seen[name]:
			l.Add("row 1, "+name, "stands there twice")
		default:
			order[i] = &columns[at]
		}
		seen[name] = true
	}
	for _, c := range columns {
		if c.needed && !seen[c.name] {
			l.Add("row 1, "+c.name, "is missing; a catalogue needs this column")
		}
	}
	if len(*l) > 0 {
		return nil
	}
	var rows []Row
	for len(*l) <= mostFaults {
		record, err := r.Read()
		if err == io.EOF {
			break
		}
		var wrong *csv.ParseError
		if errors.As(err, &wrong) {
			l.Add(fmt.Sprintf("row %d", wrong.Line), "cannot be read: %v", wrong.Err)
			return rows
		}
		line, _ := r.FieldPos(0)
		at := fmt.Sprintf("row %d", line)
		if len(record) == 1 && strings.TrimSpace(record[0]) == "" {
			continue
		}
		if len(record) != len(header) {
			l.Add(at, "has %d columns; the header has %d", len(record), len(header))
			continue
		}
		var m shoe.Model
		for i, cell := range record {
			c := order[i]
			if len(cell) > maxCell {
				l.Add(at+", "+c.name, "is %d bytes long; allowed are %d", len(cell), maxCell)
				continue
			}
			if cell = strings.TrimSpace(plain(cell)); cell == "" {
				if c.needed {
					l.Add(at+", "+c.name, "is empty; a model needs it")
				}
				continue
			}
			// A file with semicolons may have commas in its numbers.
			if r.Comma != ',' {
				if _, err := parse(cell); err != nil {
					if v := strings.Replace(cell, ",", ".", 1); isNumber(v) {
						cell = v
					}
				}
			}
			if err := c.set(&m, cell); err != nil {
				l.Add(at+", "+c.name, "%s: %q", err, clip(cell))
			}
		}
		if seen["stock"] && m.Stock == nil {
			m.Stock = []shoe.Stock{} // told: nothing on the shelf
		}
		rows = append(rows, Row{at, m})
	}
	if len(rows) == 0 && len(*l) == 0 {
		l.Add("file", "holds no model")
	}
	return rows
}

func isNumber(s string) bool { _, err := parse(s); return err == nil }

func clip(s string) string {
	if len(s) > 60 {
		return strings.ToValidUTF8(s[:60], "") + "…"
	}
	return s
}

// check holds the rows against each other and the shop.
func check(l *fault.List, rows []Row, currency string, existing map[string]string) {
	at := make(map[string]string, len(rows))
	replaces := make(map[string]string, len(rows)+len(existing))
	for id, earlier := range existing {
		replaces[id] = earlier
	}
	sep := ", "
	for i := range rows {
		r := &rows[i]
		r.Model = r.Model.WithDefaults()
		if strings.HasPrefix(r.At, "models[") {
			sep = "."
		}
		if m := &r.Model; m.DropMM != nil && math.Abs(*m.DropMM-m.Drop()) <= 0.5 {
			m.DropMM = nil // it says what the stacks say
		}
		var own fault.List
		r.Model.Check(&own, "")
		for _, f := range own {
			name := strings.TrimPrefix(f.Field, ".")
			if sep != "." { // a table has columns of their own for it
				name = strings.NewReplacer("label_chart.us_over_uk", "label_us_over_uk", "label_chart.eu_shift", "label_eu_shift").Replace(name)
			}
			l.Add(r.At+sep+name, "%s", f.Text)
		}
		if was, twice := at[r.Model.ID]; twice {
			l.Add(r.At+sep+"id", "is %q, which %s has; each model once", clip(r.Model.ID), was)
		}
		at[r.Model.ID] = r.At
		if r.Model.Currency != currency && r.Model.Currency != "" {
			l.Add(r.At+sep+"currency", "is %s; allowed is the shop's %s", clip(r.Model.Currency), currency)
		}
		replaces[r.Model.ID] = r.Model.Replaces
	}
	round := shoe.Circles(replaces)
	for _, r := range rows {
		if r.Model.Replaces == "" {
			continue
		}
		if _, known := replaces[r.Model.Replaces]; !known {
			l.Add(r.At+sep+"replaces", "is %q, which is no model of the file or the shop", clip(r.Model.Replaces))
			continue
		}
		if _, in := slices.BinarySearch(round, r.Model.ID); in {
			l.Add(r.At+sep+"replaces", "goes round in a circle: %s comes from itself", r.Model.ID)
		}
	}
}

// risky begins a cell that a spreadsheet would take for a formula.
func risky(cell string) bool {
	return cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0])) && !isNumber(cell)
}

// escaped is a cell that guarded puts an apostrophe before: a risky one, and one that
// begins with apostrophes before a risky one, so that plain takes off its own alone.
func escaped(cell string) bool { return risky(strings.TrimLeft(cell, "'")) }

// plain undoes what guarded did.
func plain(cell string) string {
	if len(cell) > 1 && cell[0] == '\'' && escaped(cell[1:]) {
		return cell[1:]
	}
	return cell
}

func guarded(cell string) string {
	if escaped(cell) {
		return "'" + cell
	}
	return cell
}

// WriteCSV writes models for a spreadsheet. Cells that it would take for formulas begin
// with an apostrophe, which Read takes off again.
func WriteCSV(w io.Writer, models []shoe.Model) error {
	out := csv.NewWriter(w)
	record := make([]string, len(columns))
	for i, c := range columns {
		record[i] = c.name
	}
	if err := out.Write(record); err != nil {
		return err
	}
	for i := range models {
		for k, c := range columns {
			record[k] = guarded(c.get(&models[i]))
		}
		if err := out.Write(record); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// WriteJSON writes models for programs.
func WriteJSON(w io.Writer, models []shoe.Model) error {
	if models == nil {
		models = []shoe.Model{}
	}
	return json.NewEncoder(w).Encode(file{Schema, models})
}

// Changed lists the columns in which two models differ.
func Changed(was, is *shoe.Model) []string {
	var out []string
	for _, c := range columns {
		if c.get(was) != c.get(is) {
			out = append(out, c.name)
		}
	}
	return out
}

// Cell is one column of a model for people.
type Cell struct{ Name, Value string }

// Cells are all columns of a model, in their order.
func Cells(m *shoe.Model) []Cell {
	out := make([]Cell, len(columns))
	for i, c := range columns {
		out[i] = Cell{c.name, c.get(m)}
	}
	return out
}

// FromCells makes a model of what was typed by column, and checks it as Read does. The
// faults stand at the columns' names.
func FromCells(cells map[string]string, currency string, existing map[string]string) (shoe.Model, error) {
	var m shoe.Model
	var l fault.List
	for _, c := range columns {
		s := strings.TrimSpace(cells[c.name])
		switch {
		case s == "" && c.needed:
			l.Add(c.name, "is empty; a model needs it")
		case len(s) > maxCell:
			l.Add(c.name, "is %d bytes long; allowed are %d", len(s), maxCell)
		case s != "":
			if err := c.set(&m, s); err != nil {
				l.Add(c.name, "%s", err)
			}
		}
	}
	if len(l) == 0 {
		rows := []Row{{"row", m}}
		check(&l, rows, currency, existing)
		m = rows[0].Model
		for i := range l {
			l[i].Field = strings.TrimPrefix(l[i].Field, "row, ")
		}
	}
	return m, l.Err()
}
