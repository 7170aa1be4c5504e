package catalogue_test

import (
	"bytes"
	"fmt"
	"math"
	"strings"
	"testing"

	"trevik/internal/catalogue"
	"trevik/internal/core/fault"
	"trevik/internal/core/shoe"
	"trevik/internal/demo"
)

func models(t testing.TB) []shoe.Model {
	t.Helper()
	list := demo.Catalogue()
	for i := range list {
		list[i] = list[i].WithDefaults()
	}
	return list
}

// What is written is read back as it was, in both formats, whatever a text holds.
func TestRoundTrip(t *testing.T) {
	list := models(t)
	list[0].Notes, list[1].Notes, list[2].Purpose = "=SUM(A1:A9)", "+49, and \"more\"\nin two lines", "@home; it's -5 outside"
	list[3].Notes, list[4].Notes = "-3", "'=quoted already"
	for name, write := range map[string]func(*bytes.Buffer) error{"csv": func(b *bytes.Buffer) error { return catalogue.WriteCSV(b, list) },
		"json": func(b *bytes.Buffer) error { return catalogue.WriteJSON(b, list) }} {
		var b bytes.Buffer
		if err := write(&b); err != nil {
			t.Fatal(err)
		}
		rows, err := catalogue.Read(b.Bytes(), "EUR", nil)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if len(rows) != len(list) {
			t.Fatalf("%s: %d rows", name, len(rows))
		}
		for i := range rows {
			if changed := catalogue.Changed(&list[i], &rows[i].Model); len(changed) > 0 {
				t.Errorf("%s: %s changed in %v", name, list[i].ID, changed)
			}
		}
	}
}

// No cell of an export begins as a formula does, numbers excepted.
func TestFormulasAreNeutralised(t *testing.T) {
	list := models(t)[:1]
	for _, evil := range []string{"=1+1", "+cmd", "-cmd|' /C calc'!A0", "@SUM(1)", "\t=1"} {
		list[0].Notes, list[0].Purpose = evil, evil
		var b bytes.Buffer
		if err := catalogue.WriteCSV(&b, list); err != nil {
			t.Fatal(err)
		}
		for _, bad := range []string{"," + evil, ",\"" + evil} {
			if strings.Contains(b.String(), bad) {
				t.Errorf("%q stands in the file: %s", evil, b.String())
			}
		}
	}
}

// csvOf is a file with one model whose cells are changed.
func csvOf(t *testing.T, sep string, change ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	list := models(t)[:1]
	list[0].Replaces, list[0].Change = "", ""
	if err := catalogue.WriteCSV(&b, list); err != nil {
		t.Fatal(err)
	}
	cells := map[string]string{}
	for i := 0; i+1 < len(change); i += 2 {
		cells[change[i]] = change[i+1]
	}
	head, line, _ := strings.Cut(strings.TrimSpace(b.String()), "\n")
	names, values := strings.Split(head, ","), strings.Split(line, ",")
	for i, n := range names {
		if v, ok := cells[n]; ok {
			values[i] = v
		}
	}
	return []byte(strings.Join(names, sep) + "\n" + strings.Join(values, sep) + "\n")
}

func TestFaultsNameRowAndColumn(t *testing.T) {
	for _, c := range []struct {
		data  []byte
		field string
		words string
	}{
		{csvOf(t, ",", "stack_heel_mm", "900"), "row 2, stack_heel_mm", "allowed is 2 to 70"},
		{csvOf(t, ",", "level", "wobbly"), "row 2, level", "allowed is one of neutral_soft"},
		{csvOf(t, ",", "weight_g", "light"), "row 2, weight_g", "is no number"},
		{csvOf(t, ",", "weight_g", "NaN"), "row 2, weight_g", "is no number"},
		{csvOf(t, ",", "weight_g", ""), "row 2, weight_g", "is empty"},
		{csvOf(t, ",", "currency", "NOK"), "row 2, currency", "the shop's EUR"},
		{csvOf(t, ",", "heel_bevel", "maybe"), "row 2, heel_bevel", "neither yes nor no"},
		{csvOf(t, ",", "sizes_uk", "9-5"), "row 2, sizes_uk", "such as 5-9"},
		{csvOf(t, ",", "stock", "9D"), "row 2, stock", "such as 8.5/D=2"},
		{csvOf(t, ",", "stock", "9/ZZ=1"), "row 2, stock[0].width", "not made"},
		{csvOf(t, ",", "list_price", "12.345"), "row 2, list_price", "149.00"},
		{csvOf(t, ",", "replaces", "nobody", "change", "upper"), "row 2, replaces", "no model of the file or the shop"},
		{csvOf(t, ",", "notes", strings.Repeat("x", 10<<20)), "row 2, notes", "bytes long"},
		{append(csvOf(t, ","), bytes.SplitN(csvOf(t, ","), []byte("\n"), 2)[1]...), "row 3, id", "which row 2 has"},
		{[]byte("id,maker\nx,y\n"), "row 1, name", "is missing"},
		{[]byte("id,colour\nx,y\n"), "row 1, column 2", "no column"},
		{bytes.Replace(csvOf(t, ","), []byte("\n"), []byte(",id\n"), 1), "row 1, id", "twice"},
		{bytes.TrimSuffix(csvOf(t, ","), []byte("\n"))[:len(csvOf(t, ","))-40], "row 2", "columns"},
		{[]byte(""), "file", "no header"},
		{[]byte("\xff\xfei\x00d\x00"), "file", "UTF-8"},
		{[]byte(`{"schema":"trevik.catalogue/v2","models":[]}`), "schema", "allowed is"},
		{[]byte(`{"schema":"trevik.catalogue/v1","models":[{"id":"a","colour":"red"}]}`), "models[0].colour", "not a field"},
	} {
		_, err := catalogue.Read(c.data, "EUR", nil)
		l, ok := fault.As(err)
		if !ok {
			t.Errorf("%s: %v", c.field, err)
			continue
		}
		if l[0].Field != c.field || c.words != "not a field" && !strings.Contains(l[0].Text, c.words) {
			t.Errorf("%s: %v", c.field, l[0])
		}
	}
}

// Semicolons, decimal commas, a BOM and tabs are read as spreadsheets write them.
func TestSpreadsheetsOfOtherLands(t *testing.T) {
	for name, data := range map[string][]byte{"semicolons": csvOf(t, ";", "weight_g", "251,5", "list_price", "149,90"),
		"tabs": csvOf(t, "\t", "weight_g", "251.5", "list_price", "149.90"),
		"BOM":  append([]byte("\ufeff"), csvOf(t, ",", "weight_g", "251.5", "list_price", "149.90")...)} {
		rows, err := catalogue.Read(data, "EUR", nil)
		if err != nil || rows[0].Model.WeightG != 251.5 || rows[0].Model.ListPrice != 14990 {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// Versions that come back to where they began are named; a long line of them is not.
func TestCycles(t *testing.T) {
	base := models(t)[0]
	line := func(of map[string]string) []byte {
		var list []shoe.Model
		for _, id := range []string{"a", "b", "c", "d"} {
			m := base
			m.ID, m.Replaces, m.Change = id, of[id], "upper"
			if m.Replaces == "" {
				m.Change = ""
			}
			list = append(list, m)
		}
		var b bytes.Buffer
		if err := catalogue.WriteCSV(&b, list); err != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	if _, err := catalogue.Read(line(map[string]string{"b": "a", "c": "b", "d": "c"}), "EUR", nil); err != nil {
		t.Errorf("a line of four: %v", err)
	}
	_, err := catalogue.Read(line(map[string]string{"a": "c", "b": "a", "c": "b"}), "EUR", nil)
	if l, ok := fault.As(err); !ok || len(l) != 3 || !strings.Contains(l[0].Text, "circle") {
		t.Errorf("%v", err)
	}
	// A line that leads into a circle of others is no circle itself.
	_, err = catalogue.Read(line(map[string]string{"a": "b", "b": "c", "c": "b"}), "EUR", nil)
	if l, ok := fault.As(err); !ok || len(l) != 2 {
		t.Errorf("%v", err)
	}
	if _, err := catalogue.Read(line(map[string]string{"a": "old"}), "EUR", map[string]string{"old": "d"}); err != nil {
		t.Errorf("a line through the shop's own: %v", err)
	}
	_, err = catalogue.Read(line(map[string]string{"d": "a", "a": "old"}), "EUR", map[string]string{"old": "d"})
	if l, ok := fault.As(err); !ok || !strings.Contains(l[0].Text, "circle") {
		t.Errorf("a circle through the shop's own: %v", err)
	}
}

func TestFromCells(t *testing.T) {
	cells := map[string]string{}
	m := models(t)[0]
	for _, c := range catalogue.Cells(&m) {
		cells[c.Name] = c.Value
	}
	cells["replaces"], cells["change"] = "", ""
	back, err := catalogue.FromCells(cells, "EUR", nil)
	if err != nil || math.Abs(back.WeightG-m.WeightG) > 1e-9 || len(back.SizesUK) != len(m.SizesUK) {
		t.Errorf("%v", err)
	}
	cells["weight_g"], cells["name"], cells["level"] = "heavy", "", "neutral"
	_, err = catalogue.FromCells(cells, "EUR", nil)
	if l, ok := fault.As(err); !ok || len(l) != 2 || l[0].Field != "name" || l[1].Field != "weight_g" {
		t.Errorf("%v", err)
	}
	cells["weight_g"], cells["name"], cells["level"] = "9", "x", "soft"
	_, err = catalogue.FromCells(cells, "EUR", nil)
	if l, ok := fault.As(err); !ok || len(l) != 2 || l[0].Field != "level" || l[1].Field != "weight_g" {
		t.Errorf("%v", err)
	}
}

// What would pass for left out is a fault at its column: a grade of 0, half a label chart, shifts
// beyond all labels; in a table, in JSON and in a form.
func TestNothingPassesForMissing(t *testing.T) {
	m := models(t)[0]
	m.Replaces, m.Change = "", ""
	cells := func(change ...string) map[string]string {
		out := map[string]string{}
		for _, c := range catalogue.Cells(&m) {
			out[c.Name] = c.Value
		}
		for i := 0; i < len(change); i += 2 {
			out[change[i]] = change[i+1]
		}
		return out
	}
	for field, change := range map[string][]string{
		"flexibility": {"flexibility", "0"}, "rubber_softness": {"rubber_softness", "0.0"}, "upper_firmness": {"upper_firmness", "0"},
		"label_eu_shift": {"label_us_over_uk", "1", "label_eu_shift", ""}, "label_us_over_uk": {"label_us_over_uk", "40", "label_eu_shift", "1"},
	} {
		_, err := catalogue.FromCells(cells(change...), "EUR", nil)
		if l, ok := fault.As(err); !ok || len(l) != 1 || l[0].Field != field {
			t.Errorf("%v: %v", change, err)
		}
	}
	var b bytes.Buffer
	if err := catalogue.WriteJSON(&b, []shoe.Model{m}); err != nil {
		t.Fatal(err)
	}
	for from, field := range map[string]string{`"flexibility":`: "models[0].flexibility", `"plate":`: "models[0].plate"} {
		at := strings.Index(b.String(), from) + len(from)
		end := at + strings.Index(b.String()[at:], ",")
		zero := "0"
		if strings.HasPrefix(b.String()[at:], `"`) {
			zero = `""`
		}
		_, err := catalogue.Read([]byte(b.String()[:at]+zero+b.String()[end:]), "EUR", nil)
		if l, ok := fault.As(err); !ok || l[0].Field != field {
			t.Errorf("%s%s: %v", from, zero, err)
		}
	}
	if _, err := catalogue.FromCells(cells("flexibility", "", "label_us_over_uk", "1", "label_eu_shift", "-0.5"), "EUR", nil); err != nil {
		t.Error(err)
	}
}

func FuzzRead(f *testing.F) {
	var b bytes.Buffer
	if err := catalogue.WriteCSV(&b, models(f)[:2]); err != nil {
		f.Fatal(err)
	}
	f.Add(b.Bytes())
	b.Reset()
	if err := catalogue.WriteJSON(&b, models(f)[:2]); err != nil {
		f.Fatal(err)
	}
	f.Add(b.Bytes())
	f.Fuzz(func(t *testing.T, data []byte) {
		rows, err := catalogue.Read(data, "EUR", nil)
		if err != nil {
			if _, ok := fault.As(err); !ok {
				t.Fatal(err)
			}
			return
		}
		// What was taken can be written and taken again.
		var list []shoe.Model
		for _, r := range rows {
			list = append(list, r.Model)
		}
		var b bytes.Buffer
		if err := catalogue.WriteCSV(&b, list); err != nil {
			t.Fatal(err)
		}
		if _, err := catalogue.Read(b.Bytes(), "EUR", nil); err != nil {
			t.Fatalf("%v in %q", err, b.String())
		}
	})
}

func BenchmarkRead20000(b *testing.B) {
	base := models(b)
	var list []shoe.Model
	for i := range 20000 {
		m := base[i%len(base)]
		m.ID, m.Replaces, m.Change = fmt.Sprintf("m%d", i), "", ""
		list = append(list, m)
	}
	var file bytes.Buffer
	if err := catalogue.WriteCSV(&file, list); err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if _, err := catalogue.Read(file.Bytes(), "EUR", nil); err != nil {
			b.Fatal(err)
		}
	}
}
