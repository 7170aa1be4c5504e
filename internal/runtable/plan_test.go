package runtable

import (
	"slices"
	"strings"
	"testing"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

var from, until = time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC), time.Date(2027, 6, 21, 0, 0, 0, 0, time.UTC)

func plan(t *testing.T, data string) (runs []Run, rest, past int, err error) {
	t.Helper()
	table, err := Read([]byte(data))
	if err != nil {
		t.Fatal(err)
	}
	return table.Plan(table.Guess(), from, until)
}

// The same plan in every dress: by km, by minutes, in miles, as a calendar; rest and what is past are passed over.
func TestPlanInEveryDress(t *testing.T) {
	for name, data := range map[string]string{
		"km": "Date,Distance (km),Type,Surface\n2026-11-20,9,easy,road\n2026-12-01,10,easy,road\n2026-12-02,rest,,\n" +
			"2026-12-06,22,long,trail\n",
		"minutes": "Day;Duration (min);Workout;Terrain\n20.11.2026;54;easy;road\n01.12.2026;60;easy;road\n02.12.2026;;rest;\n" +
			"06.12.2026;132;long;trail\n",
		"miles": "When,Miles,Session\n11/20/26,5.5,easy\n12/1/26,6.2137,easy\n12/2/26,0,\n12/6/26,13.6702,long trail\n",
		"calendar": "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//a club//EN\r\n" +
			"BEGIN:VEVENT\r\nUID:0\r\nDTSTART;VALUE=DATE:20261120\r\nSUMMARY:Easy 9 km\r\nEND:VEVENT\r\n" +
			"BEGIN:VEVENT\r\nUID:1\r\nDTSTART;VALUE=DATE:20261201\r\nSUMMARY:Easy run 60 min\r\nEND:VEVENT\r\n" +
			"BEGIN:VEVENT\r\nUID:2\r\nDTSTART;VALUE=DATE:20261202\r\nSUMMARY:Rest\r\nEND:VEVENT\r\n" +
			"BEGIN:VEVENT\r\nUID:3\r\nDTSTART:20261206T090000\r\nSUMMARY:Long run\r\nDESCRIPTION:22 km on trail\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n",
	} {
		var runs []Run
		var rest, past int
		var err error
		if IsICal([]byte(data)) {
			runs, rest, past, err = PlanFromICal([]byte(data), time.UTC, from, until)
		} else {
			runs, rest, past, err = plan(t, data)
		}
		if err != nil || len(runs) != 2 || rest != 1 || past != 1 {
			t.Errorf("%s: %d runs, %d of rest, %d past: %v", name, len(runs), rest, past, err)
			continue
		}
		a, b := runs[0], runs[1]
		if a.On.Format(time.DateOnly) != "2026-12-01" || b.On.Format(time.DateOnly) != "2026-12-06" || a.KM < 9.99 || a.KM > 10.01 ||
			b.KM < 21.99 || b.KM > 22.01 || a.Kind != term.Easy || b.Kind != term.Long || name != "calendar" && b.Ground != term.GroundTrail &&
			name != "miles" || a.Start != "18:30" || b.Start != "09:00" {
			t.Errorf("%s: %+v %+v", name, a, b)
		}
	}
}

// What cannot be read is named by its line, all of it at once.
func TestPlanFaults(t *testing.T) {
	for _, c := range []struct{ data, field, text string }{
		{"Date,Km,Kind\n2026-12-01,10,juggling\n", "line 2", `kind "juggling"`},
		{"Date,Km,Ground\n2026-12-01,10,lava\n", "line 2", `ground "lava"`},
		{"Date,Km\n2026-13-01,10\n", "line 2", "date"},
		{"Date,Km\n2026-12-01,ten\n", "line 2", "distance"},
		{"Date,Km\n2026-12-01,450\n", "line 2", "0.1 to 400"},
		{"Date,Km\n2027-09-01,10\n", "line 2", "up to 2027-06-20"},
		{"Date,Km\n2026-11-01,10\n", "file", "no run from 2026-11-23"},
		{"Date,Note\n2026-12-01,10\n", "column_distance", "is missing"},
		{"Km,Note\n10,x\n", "column_date", "is missing"},
		{"Date,Minutes\n2026-12-01,soon\n", "line 2", "time"},
	} {
		_, _, _, err := plan(t, c.data)
		l, ok := fault.As(err)
		if !ok || l[0].Field != c.field || !strings.Contains(l[0].Text, c.text) {
			t.Errorf("%q: %v, not %s: %s", c.data, err, c.field, c.text)
		}
	}
	_, _, _, err := plan(t, "Date,Km,Kind\n2026-12-01,x,y\n2026-12-40,10,easy\n")
	if l, _ := fault.As(err); len(l) != 3 {
		t.Errorf("of three faults %d are named: %v", len(l), err)
	}
}

// Repetitions count by how often they are run.
func TestPlanRepetitions(t *testing.T) {
	for text, km := range map[string]float64{"Intervals 5 x 1 km": 5, "Hills 10×0.4 km": 4, "Long 12 miles": 19.31,
		"Easy 1 h 30": 15, "8k": 8} {
		runs, _, _, err := PlanFromICal([]byte("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART;VALUE=DATE:20261201\r\nSUMMARY:"+text+
			"\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"), time.UTC, from, until)
		if err != nil || len(runs) != 1 || runs[0].KM < km-0.01 || runs[0].KM > km+0.01 {
			t.Errorf("%s: %+v, %v", text, runs, err)
		}
	}
}

// An event that comes again stands on each of its days, but for those that it leaves out or that stand by themselves, at the
// hour of its own zone across a change of clocks.
func TestPlanComesAgain(t *testing.T) {
	event := func(lines ...string) string {
		return "BEGIN:VEVENT\r\n" + strings.Join(lines, "\r\n") + "\r\nEND:VEVENT\r\n"
	}
	in := func(events ...string) []byte {
		return []byte("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\n" + strings.Join(events, "") + "END:VCALENDAR\r\n")
	}
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		name string
		data []byte
		want []string
	}{
		{"each Tuesday and Thursday, four times", in(event("UID:1", "DTSTART:20261201T183000", "RRULE:FREQ=WEEKLY;BYDAY=TU,TH;COUNT=4",
			"SUMMARY:Easy 8 km")), []string{"2026-12-01 18:30", "2026-12-03 18:30", "2026-12-08 18:30", "2026-12-10 18:30"}},
		{"every second day, one left out", in(event("UID:1", "DTSTART;VALUE=DATE:20261201", "RRULE:FREQ=DAILY;INTERVAL=2;UNTIL=20261207",
			"EXDATE;VALUE=DATE:20261203", "SUMMARY:Easy 8 km")), []string{"2026-12-01 18:30", "2026-12-05 09:00", "2026-12-07 18:30"}},
		{"begun long ago", in(event("UID:1", "DTSTART:20200105T080000",
			"RRULE:FREQ=WEEKLY;UNTIL=20261207T000000Z", "SUMMARY:Long 20 km")),
			[]string{"2026-11-29 08:00", "2026-12-06 08:00"}},
		{"one moved to another day", in(event("UID:1", "DTSTART:20261201T183000", "RRULE:FREQ=WEEKLY;COUNT=3", "SUMMARY:Easy 8 km"),
			event("UID:1", "RECURRENCE-ID:20261208T183000", "DTSTART:20261209T070000", "SUMMARY:Easy 8 km")),
			[]string{"2026-12-01 18:30", "2026-12-09 07:00", "2026-12-15 18:30"}},
		{"over a change of clocks", in(event("UID:1", "DTSTART;TZID=Europe/London:20270321T080000", "RRULE:FREQ=WEEKLY;COUNT=2",
			"SUMMARY:Long 20 km")), []string{"2027-03-21 08:00", "2027-03-28 08:00"}},
		{"beyond the season", in(event("UID:1", "DTSTART:20270613T080000", "RRULE:FREQ=WEEKLY", "SUMMARY:Long 20 km")),
			[]string{"2027-06-13 08:00", "2027-06-20 08:00"}},
	} {
		runs, _, _, err := PlanFromICal(c.data, london, from, until)
		var got []string
		for _, r := range runs {
			got = append(got, r.On.Format(time.DateOnly)+" "+r.Start)
		}
		if err != nil || !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, %v, not %v", c.name, got, err, c.want)
		}
	}
	for _, rule := range []string{"FREQ=SECONDLY", "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=31", "FREQ=DAILY;BYMONTHDAY=31;BYMONTH=2",
		"FREQ=NOW", "x", "FREQ=DAILY;BYHOUR=1,2,3"} {
		_, _, _, err := PlanFromICal(in(event("UID:1", "DTSTART:20261201T183000", "RRULE:"+rule, "SUMMARY:Easy 8 km")), london, from, until)
		if l, ok := fault.As(err); !ok || l[0].Field != "event 1" || !strings.Contains(l[0].Text, "comes again") {
			t.Errorf("%s: %v", rule, err)
		}
	}
}

// Runs of a day that tell no hour lie apart.
func TestPlanHours(t *testing.T) {
	runs, _, _, err := plan(t, "Date,Km,Start\n2026-12-01,10,\n2026-12-01,5,\n2026-12-01,4,18:30\n2026-12-05,20,\n2026-12-05,5,\n")
	if err != nil || len(runs) != 5 {
		t.Fatal(runs, err)
	}
	seen := map[string]bool{}
	for _, r := range runs {
		at := r.On.Format(time.DateOnly) + " " + r.Start
		if r.Start == "" || seen[at] {
			t.Errorf("%s twice, or none", at)
		}
		seen[at] = true
	}
}

// No file ends the reader; what it takes is a plan of the span.
func FuzzPlan(f *testing.F) {
	f.Add([]byte("Date,Km,Kind\n2026-12-01,10,easy\n"))
	f.Add([]byte("Day;Duration (min);Workout\n01.12.2026;60;easy\n"))
	f.Add([]byte("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART:20261206T090000Z\r\nSUMMARY:Long 22 km\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"))
	f.Add([]byte("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART;TZID=X:20261206\r\nSUMMARY:1h 30\r\nEND:VEVENT\r\n"))
	f.Add([]byte("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART:20261206T090000Z\r\nRRULE:FREQ=WEEKLY;INTERVAL=2;BYDAY=SU,-1MO\r\n" +
		"EXDATE:20261220T090000Z\r\nSUMMARY:Long 22 km\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		var runs []Run
		var err error
		if IsICal(data) {
			runs, _, _, err = PlanFromICal(data, time.UTC, from, until)
		} else {
			var table *Table
			if table, err = Read(data); err != nil {
				return
			}
			runs, _, _, err = table.Plan(table.Guess(), from, until)
		}
		if err != nil {
			return
		}
		for _, r := range runs {
			if r.On.Before(from) || !r.On.Before(until) || !(r.KM >= 0.1 && r.KM <= 400) || r.Start == "" || r.Kind == "" || r.Ground == "" {
				t.Fatalf("%+v", r)
			}
		}
	})
}
