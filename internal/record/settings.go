package record

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/form"
)

// Settings are the shop's choices where practitioners differ, and its house values.
type Settings struct {
	LeadSchool term.School    `json:"lead_school"`
	TrailRule  term.TrailRule `json:"trail_rule"`
	Room       string         `json:"room"`
	DropRule   string         `json:"drop_rule"`
	WearSchool string         `json:"wear_school"`
	FilmDays   int            `json:"film_days"` // 0 is until somebody deletes it
	Plates     string         `json:"plates"`
	Variety    string         `json:"variety"`
	House      house.Values   `json:"house"`
	// Weights are the marks' that the shop learned from its try-ons, where the owner chose so; nil are the house's.
	Weights map[string]float64 `json:"weights,omitempty"`
	Learned *Lesson            `json:"-"` // what the shop's own pairs taught by then; nil is nothing, or that the house's figures are chosen
}

// Setting is one choice or house value: what is allowed, what ships and why, and who
// set it last.
type Setting struct {
	Name    string
	Group   string // of a house value
	Label   string
	Choices []string // of a choice; a house value has none
	Unit    string
	Lo, Hi  float64
	Shipped string
	Reason  string
	Value   string
	Maker   string
	MadeAt  time.Time
}

// UntilDeleted is the answer that a film has no last day.
const UntilDeleted = "until_deleted"

// EitherVariety leaves open whether a rotation's pairs are the same or differ.
const EitherVariety = "either"

// WearSchools are the three ways to tell when a pair is worn out.
var WearSchools = []string{"by_condition", "by_distance", "by_own_history"}

// SettingList is every setting as it ships.
func SettingList() []Setting {
	return []Setting{
		{Name: "lead_school", Label: "School of support that leads", Choices: form.Words(term.Schools), Shipped: string(term.ComfortFirst),
			Reason: "Evidence that matching by foot type prevents injury is weak; comfort and keeping to one's usual movement have support (Nigg " +
				"and others 2015)."},
		{Name: "trail_rule", Label: "Support on trail", Choices: form.Words(term.TrailRules), Shipped: string(term.PlatformOnly),
			Reason: "Every step lands differently on a trail: steadiness is width, height and grip. The same ladder suits hard, even trails."},
		{Name: "room", Label: "Room before the toes on road", Choices: []string{"thumbnail", "finger", "thumb"}, Shipped: "finger",
			Reason: "A finger, 12 to 17 mm. Some fitters leave a thumbnail, 9 to 13, others a thumb, 16 to 22."},
		{Name: "drop_rule", Label: "What a model's drop is held against", Choices: match.DropRules, Shipped: "habit_and_strike",
			Reason: "The drop that the runner is used to, and what the landing asks for; some shops go by habit alone."},
		{Name: "wear_school", Label: "When a pair is worn out", Choices: WearSchools, Shipped: "by_condition",
			Reason: "Load, history and what checks found; a fixed figure is simpler, the runner's own history more personal."},
		{Name: "plates", Label: "Plates are worn", Choices: form.Words(shoe.PlateViews), Shipped: string(shoe.KeySessions),
			Reason: "A plated pair is dear, short-lived and loads the calf otherwise: for races and the sessions that prepare them; some keep it " +
				"for races, some wear it freely."},
		{Name: "variety", Label: "Pairs of a rotation", Choices: append([]string{EitherVariety}, Varieties...), Shipped: EitherVariety,
			Reason: "Two of the favourite, told apart by colour, or pairs that differ: both have their fitters, so the week decides unless the " +
				"shop or the runner does."},
		{Name: LearnedLives, Label: "How long pairs last", Choices: []string{OursFromFive, HouseLives}, Shipped: OursFromFive,
			Reason: "From five pairs of the shop's own that wore out, what they taught stands in the place of the house's figures, with its " +
				"doubt."},
		{Name: LearnedWeights, Label: "What the ranking weighs", Choices: []string{HouseWeights, OurWeights}, Shipped: HouseWeights,
			Reason: "What the shop's try-ons taught of its runners' likings is shown beside the house's weights, and leads where the owner " +
				"chooses so."},
		{Name: TimeZone, Label: "Time zone of the shop", Shipped: MachineZone,
			Reason: "Days, weeks and due dates follow the shop's own clock; it ships with the machine's."},
		{Name: SecondFactor, Label: "A second factor at signing in", Choices: []string{"optional", SecondRequired}, Shipped: "optional",
			Reason: "A code from a phone beside the password keeps out whoever learned the password. Required: everybody sets one up before " +
				"they go on."},
		{Name: "film_days", Label: "Days that a film may stay", Choices: []string{"7", "30", "90", UntilDeleted}, Shipped: "30",
			Reason: "A film shows a person: the numbers stay, the frames go when a pair's comfort has been checked."},
	}
}

// Shipped is the settings of a new shop.
func Shipped() Settings { return SettingsOf(map[string]string{}) }

// AllSettings is every choice and every house value as it ships.
func AllSettings() []Setting {
	list := append(SettingList(), houseList()...)
	for i := range list {
		list[i].Value = list[i].Shipped
	}
	return list
}

// houseList is every house value as it ships.
func houseList() []Setting {
	out := make([]Setting, len(house.Table))
	for i, l := range house.Table {
		out[i] = Setting{Name: l.Name, Group: l.Group, Label: l.Label, Unit: l.Unit, Lo: l.Lo, Hi: l.Hi, Shipped: written(l.Shipped),
			Reason: l.Reason}
	}
	return out
}

func written(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

// SettingsOf are the settings by what was set of each; what was not is as it ships.
func SettingsOf(set map[string]string) Settings {
	of := func(name string) string {
		if v, ok := set[name]; ok {
			return v
		}
		for _, s := range SettingList() {
			if s.Name == name {
				return s.Shipped
			}
		}
		return ""
	}
	days, _ := strconv.Atoi(of("film_days")) // until_deleted is no number: 0
	s := Settings{term.School(of("lead_school")), term.TrailRule(of("trail_rule")), of("room"), of("drop_rule"), of("wear_school"), days,
		of("plates"), of("variety"), *house.Shipped(), nil, nil}
	for _, l := range house.Table {
		if v, err := strconv.ParseFloat(set[l.Name], 64); err == nil {
			l.Set(&s.House, v)
		}
	}
	return s
}

// Change checks what is to be set otherwise, by name and typed in a person's units, against what
// holds now, and gives the settings that change. It fails with a fault.List where a value is not
// allowed.
func Change(now Settings, list []Setting, to map[string]string, u units.System) ([]Setting, error) {
	var l fault.List
	var change []Setting
	known := map[string]bool{}
	house := now.House
	for _, s := range list {
		known[s.Name] = true
		typed, given := to[s.Name]
		if !given {
			continue
		}
		value, ok := s.read(&l, strings.TrimSpace(typed), u)
		if ok && value != s.Value {
			s.Value = value
			change = append(change, s)
			s.set(&house)
		}
	}
	for name := range to {
		if !known[name] {
			l.Add(name, "is not a setting")
		}
	}
	if len(l) == 0 {
		house.Check(&l) // each against the others
	}
	return change, l.Err()
}

// read turns what was typed into a value, or notes a fault.
func (s Setting) read(l *fault.List, typed string, u units.System) (string, bool) {
	switch {
	case s.Name == TimeZone:
		_, err := ZoneOf(typed)
		if err != nil {
			l.Add(s.Name, "is %q; allowed is the name of a time zone such as Europe/Amsterdam, or %s", form.Clip(typed), MachineZone)
		}
		return typed, err == nil
	case s.Choices != nil:
		return typed, fault.OneOf(l, s.Name, typed, s.Choices)
	}
	n, ok := form.ParseNumber(typed)
	if ok && typed == s.Typed(s.Value, u) {
		return s.Value, true // as it stands: not what it comes to when it is rounded
	}
	if !ok {
		l.Add(s.Name, "is no number; allowed is %g to %g %s, shipped is %s", s.Lo, s.Hi, s.Unit, s.Shipped)
		return "", false
	}
	switch form.Unit(s.Unit) {
	case form.MM:
		n = units.Round(u.ToMM(n), 3)
	case form.KM:
		n = units.Round(u.ToKm(n), 3)
	}
	return written(n), l.Range(s.Name, n, s.Lo, s.Hi, s.Unit)
}

// Typed writes a value of the setting as a person types it in their units.
func (s Setting) Typed(value string, u units.System) string {
	v, err := strconv.ParseFloat(value, 64)
	switch {
	case err != nil || u == units.Metric:
		return value
	case form.Unit(s.Unit) == form.MM:
		return written(units.Round(u.FromMM(v), 3))
	case form.Unit(s.Unit) == form.KM:
		return written(units.Round(u.FromKm(v), 2))
	}
	return value
}

// set puts a house value into its place.
func (s Setting) set(v *house.Values) {
	for _, line := range house.Table {
		if line.Name == s.Name {
			n, _ := strconv.ParseFloat(s.Value, 64) // written by read
			line.Set(v, n)
		}
	}
}

// Settings of what the shop learned, and their answers.
const (
	LearnedLives   = "learned_lives"
	OursFromFive   = "ours_from_five_worn_out"
	HouseLives     = "the_house_figures"
	LearnedWeights = "learned_weights"
	HouseWeights   = "house"
	OurWeights     = "learned"
)

// TimeZone is the setting of the shop's time zone, and MachineZone its answer that it is the
// machine's.
const (
	TimeZone    = "time_zone"
	MachineZone = "machine"
)

// SecondFactor is the setting of whether everybody has one, and SecondRequired its answer that they
// do.
const (
	SecondFactor   = "second_factor"
	SecondRequired = "required"
)

// ZoneOf is a time zone by its name in the IANA's list.
func ZoneOf(name string) (*time.Location, error) {
	if name == "" || name == MachineZone {
		return time.Local, nil
	}
	if name == "Local" { // no name of a place
		return nil, fmt.Errorf("unknown time zone %s", name)
	}
	return time.LoadLocation(name)
}

// ChangedSince lists in words what the shop has set otherwise since an earlier time's
// settings.
func (s Settings) ChangedSince(was Settings) []string {
	var out []string
	word := func(label, a, b string) {
		if a != b {
			out = append(out, fmt.Sprintf("%s: %s then, %s now", label, support.Words(a), support.Words(b)))
		}
	}
	word("School that leads", string(was.LeadSchool), string(s.LeadSchool))
	word("Support on trail", string(was.TrailRule), string(s.TrailRule))
	word("Room on road", was.Room, s.Room)
	word("Drop rule", was.DropRule, s.DropRule)
	word("Plates", was.Plates, s.Plates)
	word("Pairs of a rotation", was.Variety, s.Variety)
	weighed := func(s Settings) string {
		return map[bool]string{true: OurWeights, false: HouseWeights}[s.Weights != nil]
	}
	word("What the ranking weighs", weighed(was), weighed(s))
	return append(out, house.Changed(&was.House, &s.House)...)
}
