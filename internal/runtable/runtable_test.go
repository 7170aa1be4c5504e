package runtable

import (
	"math"
	"strings"
	"testing"
	"time"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

var today = time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)

func read(t *testing.T, data string) ([]Run, Columns) {
	t.Helper()
	table, err := Read([]byte(data))
	if err != nil {
		t.Fatal(err)
	}
	c := table.Guess()
	runs, _, err := table.Runs(c, today)
	if err != nil {
		t.Fatalf("%+v: %v", c, err)
	}
	return runs, c
}

// The same two runs in every dress come out the same.
func TestRunsInEveryDress(t *testing.T) {
	u16, _ := unicode.UTF16(unicode.LittleEndian,
		unicode.UseBOM).NewEncoder().String("Date\tDistance (km)\tTime\tType\n2026-11-03\t8.5\t51:00\teasy\n2026-11-23\t21.1\t2:06:36\tlong, " +
		"trail\n")
	latin, _ := charmap.Windows1252.NewEncoder().String("Datum;Strecke – " +
		"km;Dauer;Workout\n3.11.2026;8,5;51:00;easy\n23.11.2026;21,1;2:06:36;long trail\n")
	for name, data := range map[string]string{
		"plain": "Date,Start,Distance (km),Time,Ascent " +
			"(m),Type,Surface\n2026-11-03,07:05,8.5,51:00,40,easy,road\n2026-11-23,9:00,21.1,2:06:36,,long,trail\n",
		"semicolons, BOM": "\ufeffDate;Distance;Duration " +
			"(min);Kind;Terrain\r\n03/11/2026;8,5;51;easy;road\r\n\r\n23/11/2026;21,1;126,6;long;trail\r\n",
		"miles, American": "When,Miles,Seconds,Session,Surface\n11/3/26,5.2816,3060,easy,road\n11/23/26,13.1109,7596,long,trail\n",
		"metres, with hour": "Start,Distance (m),Moving time,Activity Type\n2026-11-03T07:05:00Z,8500,0:51:00,Easy " +
			"road\n2026-11-23T09:00:10Z,\"21,100.0\",2:06:36,Long trail run\n",
		"UTF-16":  u16,
		"Windows": latin,
	} {
		runs, c := read(t, data)
		if len(runs) != 2 {
			t.Errorf("%s: %d runs", name, len(runs))
			continue
		}
		a, b := runs[0], runs[1]
		if a.On.Format(time.DateOnly) != "2026-11-03" || b.On.Format(time.DateOnly) != "2026-11-23" || math.Abs(a.KM-8.5) > 0.001 ||
			math.Abs(b.KM-21.1) > 0.001 || a.Kind != term.Easy || b.Kind != term.Long || b.Ground != term.GroundTrail ||
			math.Abs(*b.Minutes-126.6) > 0.01 || math.Abs(*a.Minutes-51) > 0.01 {
			t.Errorf("%s (%+v): %+v %+v", name, c, a, b)
		}
		if strings.Contains(name, "hour") && (a.Start != "07:05" || b.Start != "09:00") {
			t.Errorf("%s: at %q and %q", name, a.Start, b.Start)
		}
	}
}

func TestRunsRefused(t *testing.T) {
	for name, c := range map[string]struct{ row, text string }{
		"a formula":         {"2026-11-03,=1+1,50", "is a formula"},
		"no number":         {"2026-11-03,far,50", "is no number"},
		"NaN":               {"2026-11-03,NaN,50", "is no number"},
		"negative":          {"2026-11-03,-4,50", "allowed is 0.1"},
		"a hex":             {"2026-11-03,0x10,50", "is no number"},
		"a day that is not": {"2026-02-30,5,50", "no day"},
		"no date":           {"someday,5,50", "no date"},
		"tomorrow":          {"2026-11-25,5,50", "up to today"},
		"a time":            {"2026-11-03,5,1:2:3:4", "is no time"},
		"long":              {"2026-11-03,5,99999", "48 hours"},
	} {
		table, err := Read([]byte("Date,Distance,Time\n2026-11-01,5,50\n" + c.row + "\n"))
		if err != nil {
			t.Fatal(name, err)
		}
		cols := table.Guess()
		cols.TimeUnit, cols.Order = "minutes", "year_month_day"
		runs, _, err := table.Runs(cols, today)
		l, ok := fault.As(err)
		if !ok || len(l) != 1 || l[0].Field != "line 3" || !strings.Contains(l[0].Text, c.text) {
			t.Errorf("%s: %v %+v", name, err, runs)
		}
	}
	for name, c := range map[string]struct{ data, text string }{
		"nothing": {"", "no table"}, "one column": {"a\n1\n", "no table"}, "no rows": {"Date,Distance\n", "no row"},
		"bytes":           {"a,b\n\x00,1\n", "no table of text"},
		"rest days alone": {"Date,Distance\n2026-01-01,0\n", "no row with a distance"},
	} {
		table, err := Read([]byte(c.data))
		if err == nil {
			_, _, err = table.Runs(table.Guess(), today)
		}
		if err == nil || !strings.Contains(err.Error(), c.text) {
			t.Errorf("%s: %v", name, err)
		}
	}
	table, _ := Read([]byte("x,y\n1,2\n"))
	_, _, err := table.Runs(Columns{Date: 1, Distance: 1, Start: 9, Unit: "leagues", TimeUnit: "clock", Order: Orders[0]}, today)
	if l, _ := fault.As(err); len(l) != 3 {
		t.Errorf("columns: %v", err)
	}
	if _, _, err := table.Runs(Columns{Unit: "km", TimeUnit: "clock", Order: Orders[0]}, today); err == nil ||
		!strings.Contains(err.Error(), "column_date") {
		t.Errorf("no columns: %v", err)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("Date,Distance\n2026-11-03,8.5\n"))
	f.Add([]byte("\xff\xfeD\x00;\x00"))
	f.Add([]byte("Datum;km\n\"3.11.2026;8,5\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		table, err := Read(data)
		if err == nil {
			var runs []Run
			runs, _, err = table.Runs(table.Guess(), today)
			for _, r := range runs {
				if err == nil && (r.KM < 0.1 || r.KM > 400 || r.On.After(today) || math.IsNaN(r.KM)) {
					t.Fatalf("%+v", r)
				}
			}
		}
		if err != nil {
			if l, ok := fault.As(err); !ok || len(l) == 0 {
				t.Fatalf("%v is no fault", err)
			}
		}
	})
}
