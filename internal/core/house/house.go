// Package house is the numbers of the job that a shop may set for itself, in one
// table: the shipped value of each, what is allowed, and why it is what it is.
//
// The methods take them as an argument; the command line uses the shipped ones
// unless it is given a file of others. What is a standard, a constant or a limit of
// plausibility is no house value and stands with its method.
package house

import (
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"

	"trevik/internal/core/fault"
	"trevik/internal/core/strict"
	"trevik/internal/core/term"
)

// Schema of a file of house values.
const Schema = "trevik.house/v1"

// Marks of the ranking of models, in the order in which they are shown.
var Marks = []string{"use", "shape", "feel", "ground", "hold", "drop", "weight", "body", "level", "room", "money", "first", "disliked"}

// Window is a wanted room before the toes, mm.
type Window struct{ Low, High float64 }

// Values is one shop's numbers. Lengths mm, angles degrees, distances km.
type Values struct {
	// Measuring.
	RepeatMM                         float64 // two readings within this agree
	BallShare                        float64 // heel-to-ball ÷ the foot length that it stands for
	WidthMen, WidthWomen, WidthYouth float64 // standard ball width ÷ foot length
	LetterMM                         float64 // ball width between two width letters
	SlimUnder, MediumTo              float64 // instep height ÷ length
	StiffUnder, FlexibleOver         float64 // seated less standing arch height index
	// A print's second opinions.
	ChippauxLowered, ChippauxLow float64 // %
	StaheliUsual, StaheliLow     float64
	ClarkeHigh, ClarkeUsual      float64
	// Gait: the lower limits of neutral, mild, marked and severe.
	Bands [4]float64
	// Shoes.
	InnerAllowanceMM, MaxCushionMM          float64
	Thumbnail, Finger, Thumb                Window // on road
	RaceRoom, DescentRoom, UltraRoom, Longs Window // Longs is several days
	Weights                                 [13]float64
	// Wear.
	TrailOnRoad, LinkOnRoad, RoadOnTrail, WetOrMud, HeatOver30 float64
	OnTreadmill, WalkOrHike, TooSoonAgain, LiftingKMPH         float64
	FixedLifeKM, DeliveryDays, BreakInKM                       float64
	Life                                                       [13]float64 // in the order of term.Classes
}

// Width is a chart's standard ball width ÷ foot length.
func (v *Values) Width(c term.Chart) float64 {
	switch c {
	case term.Women:
		return v.WidthWomen
	case term.Youth:
		return v.WidthYouth
	}
	return v.WidthMen
}

// MedianLife is a class's expected life in wear-adjusted km.
func (v *Values) MedianLife(c term.Class) float64 {
	if i := slices.Index(term.Classes, c); i >= 0 {
		return v.Life[i]
	}
	return 0
}

// Value is one line of the table.
type Value struct {
	Name    string // "feet.repeat_mm"
	Group   string
	Label   string
	Unit    string
	Shipped float64
	Lo, Hi  float64
	Reason  string
	at      func(*Values) *float64
}

// Of gives the value of this line.
func (l Value) Of(v *Values) float64 { return *l.at(v) }

// Set puts a value at this line.
func (l Value) Set(v *Values, to float64) { *l.at(v) = to }

// Groups of the table, in its order.
var Groups = []string{"Measuring", "The print's second opinions", "Gait", "Room in the shoe", "Ranking", "What a kilometre counts",
	"How long pairs last"}

// Table is every house value with what ships.
var Table = table()

func table() []Value {
	var out []Value
	group := ""
	add := func(name, label, unit string, shipped, lo, hi float64, reason string, at func(*Values) *float64) {
		out = append(out, Value{name, group, label, unit, shipped, lo, hi, reason, at})
	}
	group = Groups[0]
	add("feet.repeat_mm", "Two readings agree within", "mm", 3, 0.5, 10,
		"Careful hands repeat a length within 3 mm; farther apart a third reading is asked for.", func(v *Values) *float64 { return &v.RepeatMM })
	add("feet.ball_share", "Heel to ball, of the foot length", "", 0.73, 0.60, 0.80,
		"The first metatarsal head lies at 73 % of a usual foot: a shoe bends there.", func(v *Values) *float64 { return &v.BallShare })
	widths := "The standard letter's ball width; other letters are counted from it."
	add("feet.width_men", "Ball width of a men’s D, of the foot length", "", 0.381, 0.30, 0.45, widths,
		func(v *Values) *float64 { return &v.WidthMen })
	add("feet.width_women", "Ball width of a women’s B, of the foot length", "", 0.371, 0.30, 0.45, widths,
		func(v *Values) *float64 { return &v.WidthWomen })
	add("feet.width_youth", "Ball width of a youth M, of the foot length", "", 0.385, 0.30, 0.45, widths,
		func(v *Values) *float64 { return &v.WidthYouth })
	add("feet.letter_mm", "Between two width letters", "mm", 4, 2, 8, "Makers step their widths by 3 to 6 mm; 4 is the middle of them.",
		func(v *Values) *float64 { return &v.LetterMM })
	volume := "Instep height ÷ foot length: decides with the last's own volume whether laces close."
	add("feet.slim_under", "Volume is slim under", "", 0.235, 0.15, 0.35, volume, func(v *Values) *float64 { return &v.SlimUnder })
	add("feet.medium_to", "Volume is medium to", "", 0.265, 0.15, 0.35, volume, func(v *Values) *float64 { return &v.MediumTo })
	stiff := "Seated less standing arch height index: how far the arch gives under load."
	add("feet.stiff_under", "The arch is stiff under", "", 0.012, 0, 0.1, stiff, func(v *Values) *float64 { return &v.StiffUnder })
	add("feet.flexible_over", "The arch is flexible over", "", 0.035, 0, 0.1, stiff, func(v *Values) *float64 { return &v.FlexibleOver })

	group = Groups[1]
	opinions := "From the ranges that were published; a second opinion only, the arch index decides."
	add("print.chippaux_lowered", "Chippaux–Šmirák is lowered from", "%", 30, 5, 60, opinions,
		func(v *Values) *float64 { return &v.ChippauxLowered })
	add("print.chippaux_low", "Chippaux–Šmirák is low from", "%", 45, 5, 90, opinions, func(v *Values) *float64 { return &v.ChippauxLow })
	add("print.staheli_usual", "Staheli is usual from", "", 0.44, 0.1, 1.5, opinions, func(v *Values) *float64 { return &v.StaheliUsual })
	add("print.staheli_low", "Staheli is low over", "", 0.89, 0.1, 2, opinions, func(v *Values) *float64 { return &v.StaheliLow })
	add("print.clarke_high", "Clarke’s angle is high over", "°", 45, 10, 80, opinions, func(v *Values) *float64 { return &v.ClarkeHigh })
	add("print.clarke_usual", "Clarke’s angle is usual over", "°", 30, 5, 80, opinions, func(v *Values) *float64 { return &v.ClarkeUsual })

	group = Groups[2]
	for i, b := range term.Bands[1:] {
		add("gait."+string(b)+"_from", "Pronation is "+string(b)+" from", "°", []float64{3, 9, 12, 15}[i], 0, 30,
			"Mean peak eversion of a run; a walk's limits lie 2° lower. Films read before a change keep the bands that they were read by.",
			func(v *Values) *float64 { return &v.Bands[i] })
	}

	group = Groups[3]
	add("shoes.inner_allowance_mm", "Padding and taper take", "mm", 5, 0, 15,
		"What a last is longer than the space for the foot; a model's own offset comes on top.",
		func(v *Values) *float64 { return &v.InnerAllowanceMM })
	add("shoes.max_cushion_mm", "Max cushion begins at a heel of", "mm", 38, 25, 60,
		"Made for easy running, no plate, and at least this much under the heel.", func(v *Values) *float64 { return &v.MaxCushionMM })
	for _, w := range []struct {
		name, label string
		lo, hi      float64
		reason      string
		of          func(*Values) *Window
	}{
		{"thumbnail", "Room, a thumbnail", 9, 13, "One of the three road windows; which of them holds is chosen above.",
			func(v *Values) *Window { return &v.Thumbnail }},
		{"finger", "Room, a finger", 12, 17, "One of the three road windows; which of them holds is chosen above.",
			func(v *Values) *Window { return &v.Finger }},
		{"thumb", "Room, a thumb", 16, 22, "One of the three road windows; which of them holds is chosen above.",
			func(v *Values) *Window { return &v.Thumb }},
		{"race", "Room for a race", 9, 13, "Held close, for an hour or three.", func(v *Values) *Window { return &v.RaceRoom }},
		{"descents", "Room for descents", 14, 19, "Downhill the foot slides forward: toes need room.",
			func(v *Values) *Window { return &v.DescentRoom }},
		{"ultra", "Room for ultra or heat", 16, 24, "Feet swell over long hours and in heat.", func(v *Values) *Window { return &v.UltraRoom }},
		{"several_days", "Room for several days", 20, 29, "A second, bigger pair for swollen feet.", func(v *Values) *Window { return &v.Longs }},
	} {
		add("room."+w.name+"_low", w.label+", from", "mm", w.lo, 8, 40, w.reason, func(v *Values) *float64 { return &w.of(v).Low })
		add("room."+w.name+"_high", w.label+", to", "mm", w.hi, 8, 50, w.reason, func(v *Values) *float64 { return &w.of(v).High })
	}

	group = Groups[4]
	weights := []float64{0.22, 0.16, 0.15, 0.12, 0.05, 0.12, 0.08, 0.07, 0.15, 0.05, 0.08, 0.03, 0.02}
	reasons := []string{"What the runner runs comes first.", "A foot that does not go with the last is not helped by anything else.",
		"What was liked is likely to be liked again.", "Ice, rocks, wet and grass ask for what a model has or lacks.",
		"A heel that lifted wants a sculpted counter.", "A changed drop changes what works at each step.",
		"Light pays on fast days, little on easy ones.", "Soft foam may bottom out under a heavy runner.",
		"The level was chosen; what lies off it within the spread is marked down.", "Room in the middle of what is wanted fits best.",
		"Price for what it is expected to last.",
		"A first pair should be an ordinary one.", "What was disliked is marked down, in that version."}
	for i, m := range Marks {
		add("weight."+m, "Weight of "+m, "", weights[i], 0, 10, reasons[i]+" Weights are scaled to sum 1.",
			func(v *Values) *float64 { return &v.Weights[i] })
	}

	group = Groups[5]
	load := "Effective km ÷ km, where the fact is known; factors multiply."
	add("load.trail_on_road", "Trail model on road", "×", 1.5, 0.2, 5, load, func(v *Values) *float64 { return &v.TrailOnRoad })
	add("load.link_on_road", "Link model on road", "×", 1.1, 0.2, 5, load, func(v *Values) *float64 { return &v.LinkOnRoad })
	add("load.road_on_trail", "Road model on trail or mud", "×", 1.3, 0.2, 5, load, func(v *Values) *float64 { return &v.RoadOnTrail })
	add("load.wet_or_mud", "Wet or mud", "×", 1.15, 0.2, 5, load, func(v *Values) *float64 { return &v.WetOrMud })
	add("load.heat", "Over 30 °C", "×", 1.10, 0.2, 5, load, func(v *Values) *float64 { return &v.HeatOver30 })
	add("load.treadmill", "Treadmill", "×", 0.85, 0.2, 5, load, func(v *Values) *float64 { return &v.OnTreadmill })
	add("load.walk", "Walk or hike", "×", 0.6, 0.1, 5, load, func(v *Values) *float64 { return &v.WalkOrHike })
	add("load.too_soon", "Again within its rest hours", "×", 1.05, 0.2, 5, "Foam recovers in one to two days.",
		func(v *Values) *float64 { return &v.TooSoonAgain })
	add("load.lifting_km", "An hour of lifting or jumping", "km", 8, 0, 50, "Lifting crushes foam.",
		func(v *Values) *float64 { return &v.LiftingKMPH })

	group = Groups[6]
	add("wear.fixed_km", "By distance: a pair ends at", "km", 640, 100, 3000, "The middle of the usual 480 to 800 km.",
		func(v *Values) *float64 { return &v.FixedLifeKM })
	add("wear.delivery_days", "Delivery takes", "days", 7, 0, 120, "From ordering to the shelf; the order-by day lies so much earlier.",
		func(v *Values) *float64 { return &v.DeliveryDays })
	add("wear.break_in_km", "Break-in", "km", 40, 0, 300, "Half of the plan's km go over the new pair until it is broken in.",
		func(v *Values) *float64 { return &v.BreakInKM })
	lives := []float64{620, 620, 480, 280, 350, 580, 600, 450, 600, 350, 600, 800, 600}
	for i, c := range term.Classes {
		add("life."+string(c), "Half last beyond: "+words(string(c)), "km", lives[i], 50, 5000,
			"Median life of the class in wear-adjusted km; a model may carry its own.", func(v *Values) *float64 { return &v.Life[i] })
	}
	return out
}

func words(s string) string {
	out := []byte(s)
	for i := range out {
		if out[i] == '_' {
			out[i] = ' '
		}
	}
	return string(out)
}

var shipped = func() Values {
	var v Values
	for _, l := range Table {
		l.Set(&v, l.Shipped)
	}
	return v
}()

// Shipped is the values of a new shop.
func Shipped() *Values {
	v := shipped
	return &v
}

// Or is v, or the shipped values for nil.
func Or(v *Values) *Values {
	if v == nil {
		return &shipped
	}
	return v
}

// rising lists what must rise from one value to the next.
var rising = [][]string{
	{"feet.slim_under", "feet.medium_to"}, {"feet.stiff_under", "feet.flexible_over"}, {"print.chippaux_lowered", "print.chippaux_low"},
	{"print.staheli_usual", "print.staheli_low"}, {"print.clarke_usual", "print.clarke_high"},
	{"gait.neutral_from", "gait.mild_from", "gait.marked_from", "gait.severe_from"},
	{"room.thumbnail_low", "room.thumbnail_high"}, {"room.finger_low", "room.finger_high"}, {"room.thumb_low", "room.thumb_high"},
	{"room.race_low", "room.race_high"}, {"room.descents_low", "room.descents_high"}, {"room.ultra_low", "room.ultra_high"},
	{"room.several_days_low", "room.several_days_high"},
}

// Check notes what is not allowed, at the value's name.
func (v *Values) Check(l *fault.List) {
	byName := map[string]Value{}
	for _, line := range Table {
		byName[line.Name] = line
		l.Range(line.Name, line.Of(v), line.Lo, line.Hi, line.Unit)
	}
	for _, names := range rising {
		for i := 1; i < len(names); i++ {
			lower, upper := byName[names[i-1]], byName[names[i]]
			if !(upper.Of(v) > lower.Of(v)) {
				l.Add(upper.Name, "is %g; allowed is more than %g, which is “%s”", upper.Of(v), lower.Of(v), lower.Label)
			}
		}
	}
	sum := 0.0
	for _, w := range v.Weights {
		sum += w
	}
	if !(sum > 0) {
		l.Add("weight.use", "is 0 like all other weights; at least one must be above 0")
	}
}

// MarshalJSON writes every value by its name.
func (v Values) MarshalJSON() ([]byte, error) {
	out := map[string]float64{}
	for _, l := range Table {
		out[l.Name] = l.Of(&v)
	}
	return json.Marshal(out)
}

// UnmarshalJSON reads values by their names; what is not named is as shipped.
func (v *Values) UnmarshalJSON(data []byte) error {
	var named map[string]float64
	if err := json.Unmarshal(data, &named); err != nil {
		return err
	}
	*v = shipped
	for _, l := range Table {
		if n, ok := named[l.Name]; ok {
			l.Set(v, n)
		}
	}
	return nil
}

// file is house values as they are written down; what is missing is as shipped.
type file struct {
	Schema string             `json:"schema"`
	Values map[string]float64 `json:"values"`
}

// Write gives the values as a file.
func (v *Values) Write() ([]byte, error) {
	return json.MarshalIndent(map[string]any{"schema": Schema, "values": *v}, "", " ")
}

// Read reads a file of house values; what it does not name is as shipped. It fails
// with a fault.List.
func Read(data []byte) (*Values, error) {
	var f file
	if err := strict.Decode(data, &f); err != nil {
		return nil, err
	}
	var l fault.List
	if f.Schema != Schema {
		l.Add("schema", "is %q; allowed is %q", f.Schema, Schema)
	}
	v := Shipped()
	known := map[string]Value{}
	for _, line := range Table {
		known[line.Name] = line
	}
	for _, name := range slices.Sorted(maps.Keys(f.Values)) {
		line, ok := known[name]
		if !ok {
			l.Add("values."+name, "is not a house value")
			continue
		}
		line.Set(v, f.Values[name])
	}
	var own fault.List
	v.Check(&own)
	for _, f := range own {
		l.Add("values."+f.Field, "%s", f.Text)
	}
	return v, l.Err()
}

// Changed lists the lines in which two shops' values differ, as sentences.
func Changed(was, is *Values) []string {
	var out []string
	for _, l := range Table {
		if a, b := l.Of(was), l.Of(is); math.Abs(a-b) > 1e-12 {
			out = append(out, fmt.Sprintf("%s: %g %s then, %g now", l.Label, a, l.Unit, b))
		}
	}
	return out
}
