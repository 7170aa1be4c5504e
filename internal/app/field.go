package app

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/gait"
	"trevik/internal/core/match"
	"trevik/internal/core/rotation"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// Kind is what a field holds.
type Kind int

const (
	Number Kind = iota // number_value, in the canonical unit
	Choice             // one of Choices
	Many               // any of Choices, comma-separated
	Text
	Day   // 2006-01-02
	Clock // 15:04
)

// Unit of a number, canonical: what is stored. Money is stored in minor units.
type Unit string

const (
	MM    Unit = "mm"
	KM    Unit = "km"
	Kg    Unit = "kg"
	Money Unit = "minor"
	Plain Unit = ""
)

// Field is one thing that a station records.
type Field struct {
	Name    string
	Label   string
	Kind    Kind
	Unit    Unit
	Lo, Hi  float64  // canonical, for numbers
	Choices []string // for Choice and Many
	Max     int      // longest text
	Sides   bool     // asked a foot
	Repeats int      // readings or rows; 0 is one without a number
	ByModel bool     // one a model of the catalogue; the key's Repeat is its row
	Reforms bool     // the station's form has other fields when it changes
	How     string   // how it is found: by hand, by eye, told
	Error   float64  // one reading's error, canonical
}

// Stations in the order of work, by their path.
var Stations = []string{"hello", "old-pair", "feet", "print", "gait", "support", "shoes", "try-on", "rotation", "distance", "card"}

// None is the answer 'asked, none'.
const None = "none"

func texts[T ~string](list []T) []string {
	out := make([]string, len(list))
	for i, v := range list {
		out[i] = string(v)
	}
	return out
}

var rating = []string{"1", "2", "3", "4", "5"}

// WeekRows and ComplaintRows are how many rows the Hello station holds.
const (
	WeekRows      = 5
	ComplaintRows = 3
)

// Fields of each station, in the order in which they are asked.
var Fields = map[string][]Field{
	"hello": {
		{Name: "flags", Label: "Cautions", Kind: Many, Choices: append([]string{None}, texts(support.Flags)...), How: "told"},
		{Name: "treated", Label: "Under treatment for feet or legs", Kind: Choice, Choices: []string{"no", "yes"}, How: "told"},
		{Name: "complaints", Label: "Anything else that hurts or hurt", Kind: Choice, Choices: []string{None, "some"}, How: "told"},
		{Name: "complaint_place", Label: "Place", Kind: Choice, Choices: texts(term.Places), Repeats: ComplaintRows, How: "told"},
		{Name: "complaint_side", Label: "Side", Kind: Choice, Choices: []string{"left", "right", "both"}, Repeats: ComplaintRows, How: "told"},
		{Name: "complaint_months", Label: "Months ago", Kind: Number, Lo: 0, Hi: 600, Repeats: ComplaintRows, How: "told"},
		{Name: "complaint_when", Label: "When it comes", Kind: Choice, Choices: []string{"at_the_start", "during", "after", "next_morning", "always"}, Repeats: ComplaintRows, How: "told"},
		{Name: "surface", Label: "Where most runs are", Kind: Choice, Choices: texts(term.Surfaces), How: "told"},
		{Name: "week_kind", Label: "Kind of run", Kind: Choice, Choices: texts(term.Kinds), Repeats: WeekRows, How: "told"},
		{Name: "week_ground", Label: "Ground", Kind: Choice, Choices: texts(term.Grounds), Repeats: WeekRows, How: "told"},
		{Name: "week_km", Label: "A week", Kind: Number, Unit: KM, Lo: 0, Hi: 300, Repeats: WeekRows, How: "told"},
		{Name: "weekly_km", Label: "In a usual week", Kind: Number, Unit: KM, Lo: 0, Hi: 300, How: "told"},
		{Name: "run_days", Label: "Days a week", Kind: Number, Lo: 1, Hi: 7, How: "told"},
		{Name: "usual_km", Label: "Usual run", Kind: Number, Unit: KM, Lo: 0.1, Hi: 100, How: "told"},
		{Name: "longest_km", Label: "Longest run", Kind: Number, Unit: KM, Lo: 0.1, Hi: 300, How: "told"},
		{Name: "jump", Label: "More training lately", Kind: Choice, Choices: []string{"no", "yes"}, How: "told"},
		{Name: "goals", Label: "What for", Kind: Many, Choices: texts(rotation.Goals), How: "told"},
		{Name: "conditions", Label: "Ground and season", Kind: Many, Choices: texts(term.Conditions), How: "told"},
		{Name: "race_km", Label: "Race distance", Kind: Number, Unit: KM, Lo: 0.1, Hi: 400, How: "told"},
		{Name: "race_on", Label: "Race day", Kind: Day, How: "told"},
		{Name: "experience", Label: "Running", Kind: Choice, Choices: match.Experiences, How: "told"},
		{Name: "pairs_wanted", Label: "Pairs", Kind: Choice, Choices: []string{"one_for_all", "several"}, How: "told"},
		{Name: "mass_kg", Label: "Body mass", Kind: Number, Unit: Kg, Lo: 20, Hi: 250, How: "told"},
		{Name: "likes_softness", Label: "Firm to soft", Kind: Choice, Choices: rating, How: "told"},
		{Name: "likes_bounce", Label: "Steady to bouncy", Kind: Choice, Choices: rating, How: "told"},
		{Name: "cushion_view", Label: "Under the foot", Kind: Choice, Choices: match.CushionViews, How: "told"},
		{Name: "disliked", Label: "Disliked, and why", Kind: Text, Max: 200, ByModel: true, How: "told"},
		{Name: "disliked_other", Label: "Other models or makers disliked, and why", Kind: Text, Max: 300, How: "told"},
		{Name: "sock", Label: "Socks", Kind: Choice, Choices: texts(term.Socks), How: "told"},
		{Name: "budget", Label: "Budget", Kind: Number, Unit: Money, Lo: 0, Hi: 1e7, How: "told"},
		{Name: "budget_firm", Label: "Budget is", Kind: Choice, Choices: []string{"about", "not_above"}, How: "told"},
		{Name: "ankles_outward", Label: "Ankles give outward", Kind: Choice, Choices: []string{"no", "yes"}, How: "told"},
	},
	"old-pair": {
		{Name: "present_pair", Label: "Present pair", Kind: Text, Max: 120, How: "told"},
		{Name: "present_size", Label: "Printed size", Kind: Text, Max: 40, How: "read off"},
		{Name: "believed_size", Label: "Size believed", Kind: Text, Max: 40, How: "told"},
		{Name: "present_drop_mm", Label: "Drop", Kind: Number, Unit: MM, Lo: -5, Hi: 20, How: "read off"},
		{Name: "present_stack_mm", Label: "Heel stack", Kind: Number, Unit: MM, Lo: 0, Hi: 70, How: "read off"},
		{Name: "press", Label: "Midsole pressed, inner against outer", Kind: Choice, Choices: support.Presses, How: "by hand"},
		{Name: "bend", Label: "Bent and twisted", Kind: Choice, Choices: support.Bends, How: "by hand"},
		{Name: "insert", Label: "Insert under the arch", Kind: Choice, Choices: []string{"no", "yes"}, How: "by hand"},
		{Name: "walls", Label: "Walls beside the heel", Kind: Choice, Choices: []string{"no", "yes"}, How: "by hand"},
		{Name: "base", Label: "Base", Kind: Choice, Choices: support.Bases, How: "by eye"},
		{Name: "sole", Label: "Gone", Kind: Choice, Choices: []string{"0", "1", "2", "3", "4"}, Sides: true, Repeats: len(support.Zones), How: "by eye"},
		{Name: "present_level", Label: "Its support", Kind: Choice, Choices: texts(term.Levels), How: "by eye"},
		{Name: "felt_right", Label: "Felt right for six months", Kind: Choice, Choices: []string{"no", "yes"}, How: "told"},
	},
	"feet": {
		{Name: "length_mm", Label: "Foot length", Kind: Number, Unit: MM, Lo: foot.MinLengthMM, Hi: foot.MaxLengthMM, Sides: true, Repeats: 3, How: "by hand", Error: 1},
		{Name: "ball_mm", Label: "Ball width", Kind: Number, Unit: MM, Lo: foot.MinBallMM, Hi: foot.MaxBallMM, Sides: true, Repeats: 3, How: "by hand", Error: 1},
		{Name: "heel_to_ball_mm", Label: "Heel to ball", Kind: Number, Unit: MM, Lo: foot.MinHeelToBallMM, Hi: foot.MaxHeelToBallMM, Sides: true, Repeats: 3, How: "by hand", Error: 1},
		{Name: "heel_mm", Label: "Heel width", Kind: Number, Unit: MM, Lo: foot.MinHeelMM, Hi: foot.MaxHeelMM, Sides: true, Repeats: 3, How: "by hand", Error: 1},
		{Name: "instep_mm", Label: "Instep, standing", Kind: Number, Unit: MM, Lo: foot.MinInstepMM, Hi: foot.MaxInstepMM, Sides: true, Repeats: 3, How: "by hand", Error: 1},
		{Name: "instep_seated_mm", Label: "Instep, seated", Kind: Number, Unit: MM, Lo: foot.MinInstepMM, Hi: foot.MaxInstepMM, Sides: true, Repeats: 3, How: "by hand", Error: 1},
		{Name: "navicular_mm", Label: "Navicular, standing", Kind: Number, Unit: MM, Lo: foot.MinNavicularMM, Hi: foot.MaxNavicularMM, Sides: true, Repeats: 3, How: "by hand", Error: 1},
		{Name: "navicular_seated_mm", Label: "Navicular, seated", Kind: Number, Unit: MM, Lo: foot.MinNavicularMM, Hi: foot.MaxNavicularMM, Sides: true, Repeats: 3, How: "by hand", Error: 1},
		{Name: "measured_when", Label: "Measured", Kind: Choice, Choices: []string{"on_waking", "by_day", "in_the_evening", "after_a_run"}, How: "told"},
		{Name: "counts", Label: "What counts", Kind: Choice, Choices: []string{"hand", "scan"}, Sides: true, How: "decided"},
		{Name: "toe_shape", Label: "Toe shape", Kind: Choice, Choices: texts(term.Shapes), Sides: true, How: "by eye"},
		{Name: "volume", Label: "Volume", Kind: Choice, Choices: texts(term.Volumes), Sides: true, How: "by eye"},
	},
	"print": {
		{Name: "arch", Label: "Arch", Kind: Choice, Choices: texts(term.Arches), Sides: true, How: "by eye"},
		{Name: "arch_sure", Label: "How sure", Kind: Choice, Choices: texts(term.Certainties), Sides: true, How: "by eye"},
	},
	"gait": {
		{Name: "band", Label: "Rolling in", Kind: Choice, Choices: texts(term.Bands), Sides: true, How: "by eye"},
		{Name: "band_sure", Label: "How sure", Kind: Choice, Choices: texts(term.Certainties), Sides: true, How: "by eye"},
		{Name: "knee", Label: "Knee over the foot", Kind: Choice, Choices: support.KneeGrades, Sides: true, How: "by eye"},
		{Name: "knee_sure", Label: "How sure of the knee", Kind: Choice, Choices: texts(term.Certainties), Sides: true, How: "by eye"},
		{Name: "strike", Label: "Lands on", Kind: Choice, Choices: texts(term.Strikes), How: "by eye"},
	},
	"shoes": {
		{Name: "room_wish", Label: "Room before the toes, as they wish", Kind: Choice, Choices: match.Rooms, How: "told"},
		{Name: "mark_weight", Label: "Weight", Kind: Number, Lo: 0, Hi: 10, Repeats: len(match.MarkNames), How: "decided"},
	},
	"support": {
		{Name: "likes_light_support", Label: "Likes a light support", Kind: Choice, Choices: []string{"no", "yes"}, How: "told"},
	},
	"try-on":   tryOnFields,
	"rotation": planFields,
}

// Fields of the forms that are not a station's findings.
var (
	RunnerFields = []Field{
		{Name: "name", Label: "Name", Kind: Text, Max: 120},
		{Name: "contact", Label: "Contact", Kind: Text, Max: 200},
		{Name: "chart", Label: "Usual chart", Kind: Choice, Choices: texts(term.Charts)},
	}
	RunFields = []Field{
		{Name: "pair", Label: "In", Kind: Number, Lo: 1, Hi: 1 << 53},
		{Name: "on", Label: "On", Kind: Day},
		{Name: "start", Label: "At", Kind: Clock},
		{Name: "km", Label: "Distance", Kind: Number, Unit: KM, Lo: 0.1, Hi: 300},
		{Name: "kind", Label: "Kind", Kind: Choice, Choices: texts(slices.DeleteFunc(slices.Clone(term.Kinds), func(k term.Kind) bool { return k == term.Gym }))},
		{Name: "ground", Label: "Ground", Kind: Choice, Choices: texts(term.Grounds)},
		{Name: "temp_c", Label: "Warmth", Kind: Number, Unit: "°C", Lo: -60, Hi: 60},
		{Name: "wet", Label: "Wet", Kind: Many, Choices: []string{"yes"}},
	}
	OwnedPairFields = []Field{
		{Name: "model", Label: "Model", Kind: Text, Max: 80},
		{Name: "uk", Label: "UK size", Kind: Number, Lo: 0, Hi: 20},
		{Name: "width", Label: "Width", Kind: Text, Max: 4},
		{Name: "price", Label: "Price paid", Kind: Number, Unit: Money, Lo: 0, Hi: 1e7},
		{Name: "since", Label: "First worn", Kind: Day},
	}
	ScanFields = []Field{
		{Name: "scan_length_mm", Label: "Foot length", Kind: Number, Unit: MM, Lo: foot.MinLengthMM, Hi: foot.MaxLengthMM, Sides: true, How: "scanner", Error: 0.5},
		{Name: "scan_ball_mm", Label: "Ball width", Kind: Number, Unit: MM, Lo: foot.MinBallMM, Hi: foot.MaxBallMM, Sides: true, How: "scanner", Error: 0.5},
		{Name: "scan_heel_mm", Label: "Heel width", Kind: Number, Unit: MM, Lo: foot.MinHeelMM, Hi: foot.MaxHeelMM, Sides: true, How: "scanner", Error: 0.5},
		{Name: "scan_heel_to_ball_mm", Label: "Heel to ball", Kind: Number, Unit: MM, Lo: foot.MinHeelToBallMM, Hi: foot.MaxHeelToBallMM, Sides: true, How: "scanner", Error: 0.5},
		{Name: "scan_instep_mm", Label: "Instep, standing", Kind: Number, Unit: MM, Lo: foot.MinInstepMM, Hi: foot.MaxInstepMM, Sides: true, How: "scanner", Error: 0.5},
	}
	// FilmFields describe a film before it is taken.
	FilmFields = []Field{
		{Name: "view", Label: "Seen", Kind: Choice, Choices: texts(gait.Views)},
		{Name: "gait", Label: "At a", Kind: Choice, Choices: texts(gait.Motions)},
		{Name: "shod", Label: "In", Kind: Text, Max: 80},
		{Name: "surface", Label: "On", Kind: Choice, Choices: gait.Surfaces},
		{Name: "near", Label: "Leg towards the camera", Kind: Choice, Choices: texts(term.Sides)},
		{Name: "dots", Label: "Colour of the dots", Kind: Choice, Choices: []string{"any", "magenta", "orange", "green", "yellow", "blue"}},
		{Name: "speed_kmh", Label: "Speed", Kind: Number, Unit: "km/h", Lo: 0.5, Hi: 45},
		{Name: "fps", Label: "Frames a second, if not the film's own", Kind: Number, Lo: gait.MinFPS, Hi: gait.MaxFPS},
		{Name: "keep", Label: "May we keep the film?", Kind: Choice, Choices: []string{"yes", "no"}},
	}
	OverruleFields = []Field{{Name: "reason", Label: "Reason, kept with your name", Kind: Text, Max: 1000}}
	LevelFields    = []Field{{Name: "level", Label: "Level", Kind: Choice, Choices: texts(term.Levels)}, {Name: "level_reason", Label: "Why, kept with your name", Kind: Text, Max: 1000}}
	LetInFields    = []Field{{Name: "model", Label: "Model", Kind: Text, Max: 80}, {Name: "let_in", Label: "Why, kept with your name", Kind: Text, Max: 300}}
	DislikeFields  = []Field{{Name: "disliked_model", Label: "Model", Kind: Text, Max: 80}, {Name: "disliked_why", Label: "Why", Kind: Text, Max: 200}}
	ChooseFields   = []Field{{Name: "model", Label: "Model", Kind: Text, Max: 80}, {Name: "reason", Label: "In their words", Kind: Text, Max: 1000}, {Name: "figure", Label: "Size", Kind: Number, Lo: 0, Hi: 20},
		{Name: "price", Label: "Price paid", Kind: Number, Unit: Money, Lo: 0, Hi: 1e7}, {Name: "shelf", Label: "From the shelf", Kind: Choice, Choices: []string{"yes", "no"}}}
)

// Key names one value of a fit.
type Key struct {
	Name   string
	Side   term.Side
	Repeat int
}

// Input is the key as a form's field name: "length_mm.left.2".
func (k Key) Input() string {
	parts := []string{k.Name}
	if k.Side != "" {
		parts = append(parts, string(k.Side))
	}
	if k.Repeat > 0 {
		parts = append(parts, strconv.Itoa(k.Repeat))
	}
	return strings.Join(parts, ".")
}

// Keys lists every key of a field; one by model has none of its own.
func (f Field) Keys() []Key {
	sides := []term.Side{""}
	if f.Sides {
		sides = term.Sides
	}
	var out []Key
	for _, s := range sides {
		if f.ByModel {
			continue
		}
		if f.Repeats == 0 {
			out = append(out, Key{f.Name, s, 0})
		}
		for i := range f.Repeats {
			out = append(out, Key{f.Name, s, i + 1})
		}
	}
	return out
}

// FieldOf finds the field of a station that an input name stands for.
func FieldOf(station, input string) (Field, Key, bool) {
	for _, f := range Fields[station] {
		if row, ok := strings.CutPrefix(input, f.Name+"."); ok && f.ByModel {
			n, err := strconv.ParseInt(row, 10, 32)
			return f, Key{Name: f.Name, Repeat: int(n)}, err == nil && n > 0
		}
		for _, k := range f.Keys() {
			if k.Input() == input {
				return f, k, true
			}
		}
	}
	return Field{}, Key{}, false
}

// Value is what a field was given: a number in the canonical unit or a text.
// Empty takes the value away.
type Value struct {
	Key    Key
	Field  Field
	Empty  bool
	Number float64
	Text   string
}

// Allowed says in words what the field allows, in a person's units.
func (f Field) Allowed(u units.System) string {
	switch f.Kind {
	case Number:
		switch f.Unit {
		case MM:
			return fmt.Sprintf("%s to %s", u.Length(f.Lo), u.Length(f.Hi))
		case KM:
			return fmt.Sprintf("%s to %s", u.Distance(f.Lo), u.Distance(f.Hi))
		case Money:
			return fmt.Sprintf("%g to %g", f.Lo/100, f.Hi/100)
		}
		return strings.TrimSpace(fmt.Sprintf("%g to %g %s", f.Lo, f.Hi, f.Unit))
	case Text:
		return fmt.Sprintf("up to %d letters", f.Max)
	case Day:
		return "a day such as 2026-11-24"
	case Clock:
		return "a time of day such as 18:30, up to 23:59"
	}
	return "one of " + strings.Join(support.WordsOf(f.Choices), ", ")
}

// Show writes a stored number as it is typed in a person's units.
func (f Field) Show(v float64, u units.System) string {
	switch f.Unit {
	case MM:
		if u == units.Imperial {
			return strconv.FormatFloat(units.Round(u.FromMM(v), 2), 'f', -1, 64)
		}
	case KM:
		return strconv.FormatFloat(units.Round(u.FromKm(v), 2), 'f', -1, 64)
	case Money:
		return strconv.FormatFloat(v/100, 'f', -1, 64)
	}
	return strconv.FormatFloat(units.Round(v, 2), 'f', -1, 64)
}

// Read turns what was typed into a value, or notes the fault at the input. A
// comma may stand for the decimal point.
func (f Field) Read(l *fault.List, k Key, typed []string, u units.System) (Value, bool) {
	at := k.Input()
	v := Value{Key: k, Field: f}
	if f.Kind == Many {
		return f.readMany(l, v, typed)
	}
	s := ""
	if len(typed) > 0 {
		s = strings.TrimSpace(typed[len(typed)-1])
	}
	if s == "" {
		v.Empty = true
		return v, true
	}
	if !utf8.ValidString(s) || strings.ContainsRune(s, 0) {
		l.Add(at, "holds bytes that are not text")
		return v, false
	}
	switch f.Kind {
	case Number:
		n, err := strconv.ParseFloat(strings.Replace(s, ",", ".", 1), 64)
		if err != nil || len(s) > 20 {
			l.Add(at, "is not a number; allowed is %s", f.Allowed(u))
			return v, false
		}
		v.Number = f.canonical(n, u)
		// What is typed at the very limit may miss it by the rounding of a unit.
		if !(v.Number >= f.Lo-1e-6 && v.Number <= f.Hi+1e-6) {
			l.Add(at, "is %s; allowed is %s", s, f.Allowed(u))
			return v, false
		}
	case Choice:
		v.Text = s
		for _, other := range typed {
			if other = strings.TrimSpace(other); other != "" && other != s {
				l.Add(at, "holds two answers, %q and %q, which contradict each other; give one", clip(other), clip(s))
				return v, false
			}
		}
		if !slices.Contains(f.Choices, s) {
			l.Add(at, "is %q; allowed is %s", clip(s), f.Allowed(u))
			return v, false
		}
	case Text:
		v.Text = s
		if n := utf8.RuneCountInString(s); n > f.Max {
			l.Add(at, "is %d letters long; allowed is %s", n, f.Allowed(u))
			return v, false
		}
	case Day:
		v.Text = s
		if d, err := time.Parse(time.DateOnly, s); err != nil || d.Year() < 2000 || d.Year() > 2100 {
			l.Add(at, "is %q; allowed is %s", clip(s), f.Allowed(u))
			return v, false
		}
	case Clock:
		d, err := time.Parse("15:04", s)
		if err != nil {
			l.Add(at, "is %q; allowed is %s", clip(s), f.Allowed(u))
			return v, false
		}
		v.Text = d.Format("15:04") // 7:30 is 07:30
	}
	return v, true
}

func (f Field) readMany(l *fault.List, v Value, typed []string) (Value, bool) {
	at := v.Key.Input()
	var got []string
	for _, s := range typed {
		if s = strings.TrimSpace(s); s == "" || slices.Contains(got, s) {
			continue
		}
		if !slices.Contains(f.Choices, s) {
			l.Add(at, "holds %q; allowed is any of %s", clip(s), strings.Join(support.WordsOf(f.Choices), ", "))
			return v, false
		}
		got = append(got, s)
	}
	if slices.Contains(got, None) && len(got) > 1 {
		l.Add(at, "holds 'none' beside others; choose 'none' alone or take it away")
		return v, false
	}
	slices.SortFunc(got, func(a, b string) int { return slices.Index(f.Choices, a) - slices.Index(f.Choices, b) })
	v.Empty, v.Text = len(got) == 0, strings.Join(got, ",")
	return v, true
}

func (f Field) canonical(n float64, u units.System) float64 {
	switch f.Unit {
	case MM:
		return units.Round(u.ToMM(n), 3)
	case KM:
		return units.Round(u.ToKm(n), 4)
	case Money:
		return units.Round(n*100, 0)
	}
	return units.Round(n, 3)
}

func clip(s string) string {
	if len(s) > 40 {
		return strings.ToValidUTF8(s[:40], "") + "…"
	}
	return s
}
