package care

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

func place(p term.Place) *term.Place { return &p }
func num(v float64) *float64         { return &v }

func change(from, to Shoe) Change {
	return Change{From: &from, To: &to, WeeklyKM: 30, Start: "2026-12-01"}
}

func plan(t *testing.T, c Change) Transition {
	t.Helper()
	a, err := Plan(c)
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// The method's own cases, corners first: by hand from its rules.
func TestPlanTable(t *testing.T) {
	usual := Shoe{10, 34, 9}
	for name, c := range map[string]struct {
		c       Change
		size    float64
		needed  bool
		weeks   int
		walking bool
		last    float64 // share
	}{
		"drop 10 to 4":             {change(usual, Shoe{4, 34, 9}), 1.5, true, 6, false, 1},
		"just under the least":     {change(usual, Shoe{7.04, 34, 9}), 0.74, false, 0, false, 0},
		"the least":                {change(usual, Shoe{7, 34, 9}), 0.75, true, 4, false, 1},
		"a higher drop alone":      {change(usual, Shoe{12, 34, 9}), 0, false, 0, false, 0},
		"a stack that falls":       {change(usual, Shoe{10, 22, 9}), 1.2, true, 5, false, 1},
		"a stack that rises":       {change(usual, Shoe{10, 46, 9}), 1.2, true, 5, false, 1},
		"barer":                    {change(usual, Shoe{10, 34, 21}), 1.5, true, 6, false, 1},
		"less bare":                {change(Shoe{10, 34, 21}, Shoe{10, 34, 9}), 0, false, 0, false, 0},
		"the largest counts":       {change(usual, Shoe{8, 30, 25}), 2, true, 8, true, 1},
		"never over sixteen weeks": {change(Shoe{12, 40, 2}, Shoe{0, 6, 34}), 4, true, 16, true, 1},
		"never under four":         {change(usual, Shoe{6.8, 34, 9}), 0.8, true, 4, false, 1},
		"over 40 km, so little":    {Change{From: &usual, To: &Shoe{0, 12, 27}, WeeklyKM: 41, Start: "2026-12-01"}, 2.5, true, 10, true, 0.30},
		"40 km, so little":         {Change{From: &usual, To: &Shoe{0, 12, 27}, WeeklyKM: 40, Start: "2026-12-01"}, 2.5, true, 10, true, 1},
		"a goal of half": {Change{From: &usual, To: &Shoe{4, 34, 9}, WeeklyKM: 30, GoalShare: num(0.5), Start: "2026-12-01"}, 1.5,
			true, 6, false, 0.5},
		"a lower goal than 30 %": {Change{From: &usual, To: &Shoe{0, 12, 27}, WeeklyKM: 50, GoalShare: num(0.2), Start: "2026-12-01"}, 2.5,
			true, 10, true, 0.2},
		"a complaint long ago": {func() Change {
			c := change(usual, Shoe{4, 34, 9})
			c.Complaints = []Complaint{{"achilles", 7}}
			return c
		}(), 1.5, true, 6, false, 1},
		"a complaint elsewhere": {func() Change {
			c := change(usual, Shoe{4, 34, 9})
			c.Complaints = []Complaint{{"knee_inner", 1}}
			return c
		}(), 1.5, true, 6, false, 1},
		"a complaint, but no lower": {func() Change { c := change(usual, Shoe{10, 20, 9}); c.Complaints = []Complaint{{"calf", 1}}; return c }(),
			1.4, true, 6, false, 1},
	} {
		a := plan(t, c.c)
		if math.Abs(a.Size-c.size) > 1e-9 || a.Needed != c.needed || len(a.Weeks) != c.weeks || a.WalkingFirst != c.walking ||
			a.Refused != nil || a.Stopped {
			t.Errorf("%s: %+v", name, a)
			continue
		}
		if !c.needed {
			if a.Ends != nil {
				t.Errorf("%s: no plan, yet it ends", name)
			}
			continue
		}
		first, last := a.Weeks[0], a.Weeks[c.weeks-1]
		if first.Share != 0.1 || math.Abs(last.Share-c.last) > 1e-9 || first.Repeat || last.Step != c.weeks {
			t.Errorf("%s: %+v to %+v", name, first, last)
		}
		starts := "2026-12-01"
		if c.walking {
			starts = "2026-12-15"
		}
		if first.Starts != starts {
			t.Errorf("%s: begins on %s", name, first.Starts)
		}
	}
	a := plan(t, change(usual, Shoe{4, 34, 9}))
	if w := a.Weeks[0]; w.KMNew != 3 || w.KMOld != 27 || a.Weeks[1].Starts != "2026-12-08" || a.Weeks[2].Share != 0.46 ||
		*a.Ends != "2027-01-11" {
		t.Errorf("%+v, ends %s", a.Weeks, *a.Ends)
	}
}

func TestPlanListens(t *testing.T) {
	base := change(Shoe{10, 34, 9}, Shoe{4, 34, 9})
	steps := func(a Transition) (out []int) {
		for _, w := range a.Weeks {
			out = append(out, w.Step)
		}
		return out
	}
	for name, c := range map[string]struct {
		reports []Report
		steps   []int
		starts  map[int]string // by calendar week from 0
		stopped bool
	}{
		"nothing reported": {nil, []int{1, 2, 3, 4, 5, 6}, nil, false},
		"all well":         {[]Report{{1, 0, nil, false}, {2, 2.9, nil, false}}, []int{1, 2, 3, 4, 5, 6}, nil, false},
		"three again": {[]Report{{1, 1, nil, false}, {2, 3, nil, false}}, []int{1, 2, 2, 3, 4, 5, 6}, map[int]string{2: "2026-12-15"},
			false},
		"just under five again": {[]Report{{1, 4.9, place("shin"), false}}, []int{1, 1, 2, 3, 4, 5, 6}, nil, false},
		"five goes back two": {[]Report{{1, 0, nil, false}, {2, 0, nil, false}, {3, 0, nil, false}, {4, 5, nil, false}},
			[]int{1, 2, 3, 4, 2, 3, 4, 5, 6}, map[int]string{4: "2027-01-01"}, false},
		"not before week one": {[]Report{{1, 0, nil, false}, {2, 9, nil, false}}, []int{1, 2, 1, 2, 3, 4, 5, 6},
			map[int]string{2: "2026-12-18"}, false},
		"the calf at three":    {[]Report{{1, 0, nil, false}, {2, 3, place("calf"), false}}, []int{1, 2}, nil, true},
		"the Achilles at five": {[]Report{{1, 5, place("achilles"), false}}, []int{1}, nil, true},
		"the calf at two":      {[]Report{{1, 2.9, place("calf"), false}}, []int{1, 2, 3, 4, 5, 6}, nil, false},
		"week two alone":       {[]Report{{2, 4, nil, false}}, []int{1, 2, 2, 3, 4, 5, 6}, nil, false},
		"at night":             {[]Report{{1, 0, nil, true}}, []int{1}, nil, true},
	} {
		x := base
		x.Reports = c.reports
		a := plan(t, x)
		if got := steps(a); len(got) != len(c.steps) || a.Stopped != c.stopped || (a.Ends == nil) != c.stopped {
			t.Errorf("%s: %v, stopped %t", name, got, a.Stopped)
			continue
		} else {
			for i := range got {
				if got[i] != c.steps[i] {
					t.Errorf("%s: %v, want %v", name, got, c.steps)
					break
				}
			}
		}
		done := 0
		for i, w := range a.Weeks {
			if w.Repeat != (w.Step <= done) {
				t.Errorf("%s: week %d repeat %t", name, i, w.Repeat)
			}
			done = max(done, w.Step)
			if want := c.starts[i]; want != "" && w.Starts != want {
				t.Errorf("%s: week %d begins on %s, want %s", name, i+1, w.Starts, want)
			}
		}
	}
	for _, p := range []term.Place{"calf", "achilles"} {
		x := base
		x.Complaints = []Complaint{{p, 6}}
		if a := plan(t, x); a.Refused == nil || len(a.Weeks) != 0 || !strings.Contains(*a.Refused, string(p)) {
			t.Errorf("%s: %+v", p, a)
		}
	}
}

// However it is reported: shares stay between the first and the goal, km add up, weeks
// follow one another, and more soreness never ends sooner.
func TestPlanProperties(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 1))
	for range 2000 {
		c := change(Shoe{12 * r.Float64(), 10 + 30*r.Float64(), 30 * r.Float64()}, Shoe{12 * r.Float64(), 10 + 30*r.Float64(), 30 * r.Float64()})
		c.WeeklyKM = 90 * r.Float64()
		if r.IntN(2) == 0 {
			c.GoalShare = num(0.1 + 0.9*r.Float64())
		}
		calm := plan(t, c)
		for i := range r.IntN(10) {
			c.Reports = append(c.Reports, Report{Week: i + 1, Soreness: 7 * r.Float64()})
		}
		a := plan(t, c)
		last := time.Time{}
		for _, w := range a.Weeks {
			on, err := time.Parse(time.DateOnly, w.Starts)
			if err != nil || !last.IsZero() && on.Sub(last) < 7*24*time.Hour || w.Share < 0.1-1e-9 || w.Share > math.Max(0.1, a.Goal)+1e-6 ||
				math.Abs(w.KMNew+w.KMOld-c.WeeklyKM) > 0.002 {
				t.Fatalf("%+v: %+v", c, w)
			}
			last = on
		}
		if a.Needed != calm.Needed || len(a.Weeks) < len(calm.Weeks) || a.Ends != nil && *a.Ends < *calm.Ends {
			t.Fatalf("%+v: %+v, calm %+v", c, a, calm)
		}
	}
}

func TestPlanRefusesValues(t *testing.T) {
	for field, spoil := range map[string]func(*Change){
		"schema": func(c *Change) { c.Schema = "x" }, "from": func(c *Change) { c.From = nil }, "to": func(c *Change) { c.To = nil },
		"to.drop_mm":    func(c *Change) { c.To.DropMM = math.NaN() },
		"from.stack_mm": func(c *Change) { c.From.StackMM = -1 }, "to.bareness": func(c *Change) { c.To.Bareness = 36 },
		"weekly_km": func(c *Change) { c.WeeklyKM = -1 }, "goal_share": func(c *Change) { c.GoalShare = num(1.1) },
		"start": func(c *Change) { c.Start = "soon" }, "reports[0].week": func(c *Change) { c.Reports = []Report{{Week: 0}} },
		"reports[1].week":          func(c *Change) { c.Reports = []Report{{Week: 2}, {Week: 2}} },
		"reports[0].soreness":      func(c *Change) { c.Reports = []Report{{Week: 1, Soreness: 11}} },
		"reports[0].place":         func(c *Change) { c.Reports = []Report{{Week: 1, Place: place("ear")}} },
		"complaints[0].place":      func(c *Change) { c.Complaints = []Complaint{{"ear", 1}} },
		"complaints[0].months_ago": func(c *Change) { c.Complaints = []Complaint{{"calf", -1}} },
	} {
		c := change(Shoe{10, 34, 9}, Shoe{4, 34, 9})
		spoil(&c)
		_, err := Plan(c)
		if l, ok := fault.As(err); !ok || l[0].Field != field {
			t.Errorf("%s: %v", field, err)
		}
	}
}
