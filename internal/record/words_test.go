package record_test

import (
	"strings"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/record"
)

// A slip tells what was found, by whom and what it moved; what disagrees is pinned together.
func TestSlips(t *testing.T) {
	all := func(w *world) map[string]record.Slip {
		groups, err := w.follow(t).Slips()
		must(t, err)
		out := map[string]record.Slip{}
		for _, g := range groups {
			for _, s := range g.Slips {
				out[s.Title+" "+string(s.Side)] = s
				if s.Hand == "" || s.Value == "" || s.Station == "" {
					t.Errorf("%+v says too little", s)
				}
			}
		}
		return out
	}
	slips := all(fitted(t).told(t, "hello", "flags", "none", "complaints", "some", "complaint_place.1", "shin", "complaint_side.1", "left",
		"complaint_months.1", "2").told(t, "gait", "band.left", "marked", "band_sure.left", "sure").
		told(t, "old-pair", "present_level", "guidance", "felt_right", "yes", "sole.right.1", "3"))
	for title, value := range map[string]string{"Pronation left": "marked, sure", "Complaints ": "left shin, 2 months ago",
		"Felt right ": "guidance", "Foot length left": "262 mm ± "} {
		if s, there := slips[title]; !there || !strings.Contains(s.Value, value) {
			t.Errorf("%s: %q, want %q", title, s.Value, value)
		}
	}
	if s := slips["Pronation left"]; len(s.Moved) == 0 {
		t.Errorf("%+v moves nothing", s)
	}
	if _, there := all(newWorld())["Complaints "]; there {
		t.Error("complaints of nobody")
	}
	groups, err := fitted(t).told(t, "old-pair", "present_level", "neutral", "felt_right", "yes").
		told(t, "gait", "band.left", "severe", "band_sure.left", "sure", "band.right", "severe", "band_sure.right", "sure").
		follow(t).Slips()
	must(t, err)
	pinned := false
	for _, g := range groups {
		titles := ""
		for _, s := range g.Slips {
			titles += s.Title + ";"
		}
		pinned = pinned || g.Note != "" && strings.Contains(titles, "Felt right") && strings.Contains(titles, "Pronation")
	}
	if !pinned {
		t.Errorf("what felt right and the gait disagree, and are not pinned: %+v", groups)
	}
	w := fitted(t)
	c := w.follow(t)
	c.Units = units.Imperial
	inches, err := c.Slips()
	must(t, err)
	for _, g := range inches {
		for _, s := range g.Slips {
			if text := s.Value + strings.Join(s.Moved, " "); strings.Contains(text, " mm") {
				t.Errorf("in inches: %s: %s", s.Title, text)
			}
		}
	}
}

// A setting is changed within its limits, each against the others; what is not one is refused.
func TestSettings(t *testing.T) {
	all := record.AllSettings()
	changed, err := record.Change(record.Shipped(), all, map[string]string{"room": "thumb", "lead_school": "comfort_first",
		"wear.fixed_km": "700,5", "time_zone": "Australia/Sydney"}, units.Metric)
	if err != nil || len(changed) != 3 {
		t.Fatalf("%+v %v", changed, err)
	}
	set := map[string]string{}
	for _, s := range changed {
		set[s.Name] = s.Value
	}
	now := record.SettingsOf(set)
	if now.Room != "thumb" || now.House.FixedLifeKM != 700.5 {
		t.Errorf("%+v", now)
	}
	if words := now.ChangedSince(record.Shipped()); len(words) != 2 || len(now.ChangedSince(now)) != 0 {
		t.Errorf("%v", words)
	}
	for name, typed := range map[string]string{"room": "a mile", "wear.fixed_km": "99999", "wear.break_in_km": "much", "time_zone": "Moon/Sea",
		"favourite": "blue", "feet.slim_under": "1"} {
		_, err := record.Change(record.Shipped(), all, map[string]string{name: typed}, units.Metric)
		if l, ok := fault.As(err); !ok || l[0].Field != name {
			t.Errorf("%s %s: %v", name, typed, err)
		}
	}
	if len(all) != len(record.SettingList())+len(house.Table) {
		t.Errorf("%d settings", len(all))
	}
	for _, name := range []string{"Local", "Nowhere/At_All", "../etc/passwd"} {
		if _, err := record.ZoneOf(name); err == nil {
			t.Errorf("%s is a time zone", name)
		}
	}
}

// A model is found by its code and by its name where that is one model's; a line is read from any
// of its versions.
func TestCatalogue(t *testing.T) {
	second := model("skua2", func(m *shoe.Model) { m.Name, m.Version, m.Replaces = "skua", 2, "skua" })
	women := model("skua-w", func(m *shoe.Model) { m.Name, m.Chart = "skua", term.Women })
	c := record.NewCatalogue(newWorld().shop.Catalogue, map[uint64]*shoe.Model{8: second, 9: women})
	for typed, want := range map[string]string{"skua": "skua", "Norrbeck skua 1, men": "skua", "norrbeck SKUA 2": "skua2",
		"Norrbeck skua 1": "", "": "", "nothing": "", " knot ": "knot"} {
		got := ""
		if m := c.Find(typed); m != nil {
			got = m.ID
		}
		if got != want {
			t.Errorf("%q finds %q, want %q", typed, got, want)
		}
	}
	if got := c.Names("skua norr", 2); len(got) != 2 || len(c.Names("", 5)) != 0 {
		t.Errorf("%v", got)
	}
	for _, code := range []string{"skua", "skua2"} {
		if line := c.Line(code); len(line) != 2 || line[0].ID != "skua" || c.Latest(c.ByCode(code)).ID != "skua2" {
			t.Errorf("%s: %d versions", code, len(line))
		}
	}
	// A line that bites its tail ends all the same.
	bad := model("skua", func(m *shoe.Model) { m.Replaces = "skua2" })
	if line := record.NewCatalogue(c, map[uint64]*shoe.Model{skua: bad}).Line("skua"); len(line) > 2 {
		t.Errorf("%d versions of two", len(line))
	}
	if c.RowID("skua2") != 8 || c.ByID(8).ID != "skua2" || c.ByID(99) != nil || c.RowID("none") != 0 || c.Name("gone") != "gone" {
		t.Error("rows and codes do not agree")
	}
}

// A name that is too long, and a chart that is none, are faults of their fields.
func TestRunnerCheck(t *testing.T) {
	r := record.Runner{Name: "  ", Contact: strings.Repeat("x", 201), Chart: "giants"}
	l, ok := fault.As(r.Check())
	if !ok || len(l) != 3 || l[0].Field != "name" || l[1].Field != "contact" || l[2].Field != "chart" {
		t.Errorf("%v", l)
	}
	r = record.Runner{Name: " Sorrel ", Chart: term.Men}
	if err := r.Check(); err != nil || r.Name != "Sorrel" {
		t.Errorf("%q %v", r.Name, err)
	}
}

// What comes from outside is held to its declaration.
func TestCheckStored(t *testing.T) {
	for name, c := range map[string]struct {
		s  record.Stored
		ok bool
	}{
		"within":       {record.Stored{Key: record.WeeklyKM.Key(), Number: ptr(40.0)}, true},
		"beyond":       {record.Stored{Key: record.WeeklyKM.Key(), Number: ptr(4e4)}, false},
		"unknown":      {record.Stored{Key: record.Key{Name: "aura"}}, false},
		"a wrong word": {record.Stored{Key: record.Surface.Key(), Text: "lava"}, false},
		"a wrong row":  {record.Stored{Key: record.WeekKM.Key(99), Number: ptr(4.0)}, false},
	} {
		if err := record.CheckStored(c.s); (err == nil) != c.ok {
			t.Errorf("%s: %v", name, err)
		}
	}
}
