package record

import (
	"slices"
	"time"

	"trevik/internal/core/foot"
	"trevik/internal/core/footprint"
	"trevik/internal/core/gait"
	"trevik/internal/core/limits"
	"trevik/internal/core/match"
	"trevik/internal/core/rotation"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/form"
)

// How many rows the lists of a visit hold.
const (
	WeekRows      = 5  // kinds of run at Hello
	ComplaintRows = 3  // complaints at Hello
	Readings      = 3  // of a measure by hand
	PlanRows      = 14 // parts of a week on the board; week B has its rows after those of week A
	MostFilms     = 12
	mostCompared  = 1000
)

func choice[T ~string](station, name, label string, choices []T, how string) Decl {
	return Decl{Field: form.Field{Name: name, Label: label, Kind: form.Choice, Choices: form.Words(choices)}, Station: station, How: how}
}

func limited(station, name, label string, unit form.Unit, r limits.Range, how string) Decl {
	return number(station, name, label, unit, r.Lo, r.Hi, how)
}

func number(station, name, label string, unit form.Unit, lo, hi float64, how string) Decl {
	return Decl{Field: form.Field{Name: name, Label: label, Kind: form.Number, Unit: unit, Lo: lo, Hi: hi}, Station: station, How: how}
}

func yesNo(station, name, label, how string) Decl {
	return choice(station, name, label, []string{"no", "yes"}, how)
}

func text(station, name, label string, most int, how string) Decl {
	return Decl{Field: form.Field{Name: name, Label: label, Kind: form.Text, Max: most}, Station: station, How: how}
}

func many[T ~string](station, name, label string, choices []T, how string) Decl {
	return Decl{Field: form.Field{Name: name, Label: label, Kind: form.Many, Choices: form.Words(choices)}, Station: station, How: how}
}

func (d Decl) rows(n int) Decl        { d.Rows = n; return d }
func (d Decl) sided() Decl            { d.Sides = true; return d }
func (d Decl) byModel() Decl          { d.ByModel = true; return d }
func (d Decl) byTrial() Decl          { d.ByModel, d.ByTrial = true, true; return d }
func (d Decl) health() Decl           { d.Health = true; return d }
func (d Decl) reforms() Decl          { d.Reforms = true; return d }
func (d Decl) err(canon float64) Decl { d.Error = canon; return d }
func (d Decl) kind(k form.Kind) Decl  { d.Kind = k; return d }

// texts says how choices are shown: a choice, its text, and so on.
func (d Decl) texts(pairs ...string) Decl {
	d.Texts = map[string]string{}
	for i := 0; i+1 < len(pairs); i += 2 {
		d.Texts[pairs[i]] = pairs[i+1]
	}
	return d
}

func orNone[T ~string](list []T) []string { return append([]string{form.None}, form.Words(list)...) }

// noCushionWish is the view of cushion that is no wish.
const noCushionWish = "whatever_feels_best"

var (
	cushionViews = append(slices.Clone(match.Cushions), noCushionWish)

	rating   = []string{"1", "2", "3", "4", "5"}
	rated10  = []string{"0", "1", "2", "3", "4", "5", "6", "7", "8", "9", "10"}
	runKinds = runKindsOf(term.Kinds)
)

// Hello: cautions first, then what they run, like and will spend.
var (
	Flags = One[[]support.Flag]{declare(many("hello", "flags", "Cautions", orNone(support.Flags), told).health(),
		words[support.Flag])}
	Treated   = One[bool]{declare(yesNo("hello", "treated", "Under treatment for feet or legs", told).health(), yes)}
	Complains = One[string]{declare(choice("hello", "complaints", "Any aches, now or in the last year?", []string{form.None, "some"},
		told).health(), word[string])}
	ComplaintPlace = Rows[term.Place]{declare(choice("hello", "complaint_place", "Place", term.Places, told).rows(ComplaintRows).health(),
		word[term.Place])}
	ComplaintSide = Rows[string]{declare(choice("hello", "complaint_side", "Side", []string{"left", "right", "both"},
		told).rows(ComplaintRows).health(), word[string])}
	ComplaintMonths = Rows[float64]{declare(limited("hello", "complaint_months", "Months ago", form.Plain, limits.MonthsAgo,
		told).rows(ComplaintRows).health(), figure)}
	ComplaintWhen = Rows[string]{declare(choice("hello", "complaint_when", "When it comes", []string{"at_the_start", "during", "after",
		"next_morning", "always"}, told).rows(ComplaintRows).health(), word[string])}
	Surface    = One[term.Surface]{declare(choice("hello", "surface", "Where most runs are", term.Surfaces, told), word[term.Surface])}
	WeekKind   = Rows[term.Kind]{declare(choice("hello", "week_kind", "Kind of run", term.Kinds, told).rows(WeekRows), word[term.Kind])}
	WeekGround = Rows[term.Ground]{declare(choice("hello", "week_ground", "Ground", term.Grounds, told).rows(WeekRows),
		word[term.Ground])}
	WeekKM     = Rows[float64]{declare(limited("hello", "week_km", "A week", form.KM, limits.WeekKM, told).rows(WeekRows), figure)}
	WeeklyKM   = One[float64]{declare(limited("hello", "weekly_km", "In a usual week", form.KM, limits.WeekKM, told), figure)}
	RunDays    = One[float64]{declare(number("hello", "run_days", "Days a week", form.Plain, 1, 7, told), figure)}
	UsualKM    = One[float64]{declare(limited("hello", "usual_km", "Usual run", form.KM, limits.UsualKM, told), figure)}
	LongestKM  = One[float64]{declare(limited("hello", "longest_km", "Longest run", form.KM, limits.RunKM, told), figure)}
	Jump       = One[bool]{declare(yesNo("hello", "jump", "Training more than usual?", told), yes)}
	Goals      = One[[]rotation.Goal]{declare(many("hello", "goals", "Goal", rotation.Goals, told), words[rotation.Goal])}
	Conditions = One[[]term.Condition]{declare(many("hello", "conditions", "Ground and season", term.Conditions, told),
		words[term.Condition])}
	RaceKM     = One[float64]{declare(limited("hello", "race_km", "Race distance", form.KM, limits.RaceKM, told), figure)}
	RaceOn     = One[time.Time]{declare(text("hello", "race_on", "Race day", 0, told).kind(form.Day), day)}
	Experience = One[string]{declare(choice("hello", "experience", "Experience", match.Experiences, told).texts("long", "many years"),
		word[string])}
	PairsWanted   = One[string]{declare(choice("hello", "pairs_wanted", "Pairs", []string{"one_for_all", "several"}, told), word[string])}
	MassKg        = One[float64]{declare(limited("hello", "mass_kg", "Body mass", form.Kg, limits.MassKg, told), figure)}
	LikesSoftness = One[int]{declare(choice("hello", "likes_softness", "Firm to soft", rating, told), count)}
	LikesBounce   = One[int]{declare(choice("hello", "likes_bounce", "Stable to springy", rating, told), count)}
	CushionView   = One[string]{declare(choice("hello", "cushion_view", "Feel under the foot", cushionViews, told), word[string])}
	Disliked      = PerModel[string]{declare(text("hello", "disliked", "Disliked, and why", 200, told).byModel(), letters)}
	DislikedOther = One[string]{declare(text("hello", "disliked_other", "Other models or makers disliked, and why", 300, told), letters)}
	Sock          = One[term.Sock]{declare(choice("hello", "sock", "Socks", term.Socks, told), word[term.Sock])}
	Budget        = One[float64]{declare(limited("hello", "budget", "Budget", form.Money, limits.MoneyMinor, told), figure)}
	BudgetFirm    = One[string]{declare(choice("hello", "budget_firm", "Budget limit", []string{"about", "not_above"}, told).texts("about",
		"roughly", "not_above", "no more than"), word[string])}
	AnklesGive = One[string]{declare(choice("hello", "ankles_give", "Do your ankles roll outward or inward?", support.AnkleWays, told),
		word[string])}
	// AnklesOutward is how it was asked before; no form asks it any more.
	AnklesOutward = One[bool]{declare(yesNo("", "ankles_outward", "Ankles roll outward", told), yes)}
)

// Old pair: what they came in.
var (
	PresentPair  = One[string]{declare(text("old-pair", "present_pair", "Present pair", 120, told), letters)}
	PresentSize  = One[string]{declare(text("old-pair", "present_size", "Printed size", 40, readOff), letters)}
	BelievedSize = One[string]{declare(text("old-pair", "believed_size", "Size they usually buy", 40, told), letters)}
	PresentDrop  = One[float64]{declare(limited("old-pair", "present_drop_mm", "Drop", form.MM, limits.DropMM, readOff), figure)}
	PresentStack = One[float64]{declare(limited("old-pair", "present_stack_mm", "Heel stack", form.MM, limits.StackMM, readOff), figure)}
	Press        = One[string]{declare(choice("old-pair", "press", "Press the midsole: is the inner side firmer?", support.Presses, byHand),
		word[string])}
	Bend     = One[string]{declare(choice("old-pair", "bend", "Bend and twist it", support.Bends, byHand), word[string])}
	Insert   = One[string]{declare(yesNo("old-pair", "insert", "Insert under the arch", byHand), word[string])}
	Walls    = One[string]{declare(yesNo("old-pair", "walls", "Raised sidewalls at the heel", byHand), word[string])}
	Base     = One[string]{declare(choice("old-pair", "base", "Base", support.Bases, byEye), word[string])}
	SoleZone = SidedRows[int]{declare(choice("old-pair", "sole", "Gone", []string{"0", "1", "2", "3", "4"},
		byEye).sided().rows(len(support.Zones)), count)}
	PresentClass  = One[term.Class]{declare(choice("old-pair", "present_class", "Type", term.Classes, byEye), word[term.Class])}
	PresentMonths = One[float64]{declare(number("old-pair", "present_months", "Months in use", form.Plain, 0, 240, told), figure)}
	PresentKM     = One[float64]{declare(limited("old-pair", "present_km", "Distance run, if known", form.KM, limits.KMBefore, told), figure)}
	PresentBounce = One[int]{declare(choice("old-pair", "present_bounce", "Cushioning lost (press test)", []string{"0", "1", "2", "3", "4"},
		byHand), count)}
	PresentAches = One[string]{declare(choice("old-pair", "present_aches", "New aches on easy runs", []string{"none", "explained",
		"unexplained"}, told), word[string])}
	PresentLevel = One[term.Level]{declare(choice("old-pair", "present_level", "Support level", term.Levels, byEye), word[term.Level])}
	FeltRight    = One[string]{declare(yesNo("old-pair", "felt_right", "Felt right for six months", told), word[string])}
	// CameInPair is the id of the runner's own pair, had from the shop, that they came in.
	CameInPair = One[float64]{declare(number("", "own_pair", "Came in", form.Plain, 1, 1<<53, told), figure)}
)

// Feet: both, standing, twice; and what a scanner hands over beside that.
var (
	Length          = measure("length_mm", "Foot length", foot.MinLengthMM, foot.MaxLengthMM)
	Ball            = measure("ball_mm", "Ball width", foot.MinBallMM, foot.MaxBallMM)
	HeelToBall      = measure("heel_to_ball_mm", "Heel to ball", foot.MinHeelToBallMM, foot.MaxHeelToBallMM)
	Heel            = measure("heel_mm", "Heel width", foot.MinHeelMM, foot.MaxHeelMM)
	Instep          = measure("instep_mm", "Instep, standing", foot.MinInstepMM, foot.MaxInstepMM)
	InstepSeated    = measure("instep_seated_mm", "Instep, seated", foot.MinInstepMM, foot.MaxInstepMM)
	Navicular       = measure("navicular_mm", "Navicular, standing", foot.MinNavicularMM, foot.MaxNavicularMM)
	NavicularSeated = measure("navicular_seated_mm", "Navicular, seated", foot.MinNavicularMM, foot.MaxNavicularMM)
	MeasuredWhen    = One[string]{declare(choice("feet", "measured_when", "Measured", []string{"on_waking", "by_day", "in_the_evening",
		"after_a_run"}, told), word[string])}
	Counts = Sided[string]{declare(choice("feet", "counts", "What counts", []string{"hand", "scan", "outline"}, decided).sided(),
		word[string])}
	ToeShape       = Sided[term.Shape]{declare(choice("feet", "toe_shape", "Toe shape", term.Shapes, byEye).sided(), word[term.Shape])}
	VolumeSeen     = Sided[term.Volume]{declare(choice("feet", "volume", "Volume", term.Volumes, byEye).sided(), word[term.Volume])}
	TraceLength    = trace("trace_length_mm", "Foot length", foot.MinLengthMM, foot.MaxLengthMM)
	TraceBall      = trace("trace_ball_mm", "Ball width", foot.MinBallMM, foot.MaxBallMM)
	TraceShape     = Sided[term.Shape]{declare(choice("", "trace_shape", "Toe shape", term.Shapes, traced).sided(), word[term.Shape])}
	TraceHeel      = trace("trace_heel_mm", "Heel width", foot.MinHeelMM, foot.MaxHeelMM)
	ScanLength     = scan("scan_length_mm", "Foot length", foot.MinLengthMM, foot.MaxLengthMM)
	ScanBall       = scan("scan_ball_mm", "Ball width", foot.MinBallMM, foot.MaxBallMM)
	ScanHeel       = scan("scan_heel_mm", "Heel width", foot.MinHeelMM, foot.MaxHeelMM)
	ScanHeelToBall = scan("scan_heel_to_ball_mm", "Heel to ball", foot.MinHeelToBallMM, foot.MaxHeelToBallMM)
	ScanInstep     = scan("scan_instep_mm", "Instep, standing", foot.MinInstepMM, foot.MaxInstepMM)
)

func measure(name, label string, lo, hi float64) SidedRows[float64] {
	return SidedRows[float64]{declare(number("feet", name, label, form.MM, lo, hi, byHand).sided().rows(Readings).err(1), figure)}
}

func scan(name, label string, lo, hi float64) Sided[float64] {
	return Sided[float64]{declare(number("", name, label, form.MM, lo, hi, scanned).sided().err(0.5), figure)}
}

func trace(name, label string, lo, hi float64) Sided[float64] {
	return Sided[float64]{declare(number("", name, label, form.MM, lo, hi, traced).sided().err(1), figure)}
}

// Print and gait: what was read and what is seen.
var (
	ArchSeen = Sided[term.Arch]{declare(choice("print", "arch", "Arch", term.Arches, byEye).sided(), word[term.Arch])}
	ArchSure = Sided[term.Certainty]{declare(choice("print", "arch_sure", "How sure", term.Certainties, byEye).sided(),
		word[term.Certainty])}
	PrintRead = Sided[footprint.Answer]{declare(text("", "print_reading", "Print", 2000, photo).sided(), object[footprint.Answer])}
	BandSeen  = Sided[term.Band]{declare(choice("gait", "band", "Pronation", term.Bands, byEye).sided(), word[term.Band])}
	BandSure  = Sided[term.Certainty]{declare(choice("gait", "band_sure", "How sure", term.Certainties, byEye).sided(), word[term.Certainty])}
	KneeSeen  = Sided[string]{declare(choice("gait", "knee", "Knee over the foot", support.KneeGrades, byEye).sided(), word[string])}
	KneeSure  = Sided[term.Certainty]{declare(choice("gait", "knee_sure", "How sure of the knee", term.Certainties, byEye).sided(),
		word[term.Certainty])}
	StrikeSeen = One[term.Strike]{declare(choice("gait", "strike", "Lands on", term.Strikes, byEye), word[term.Strike])}
	FilmRead   = Rows[gait.Answer]{declare(text("", "film", "Film", 2000, filmed).rows(MostFilms), object[gait.Answer])}
)

// markRows are the rows of MarkWeight by mark: those that came later stand at the end, so that what
// was set before keeps its row.
var markRows = []string{"use", "shape", "feel", "drop", "weight", "body", "level", "money", "first", "disliked", "ground", "hold", "room"}

// MarkRow is a mark's row of MarkWeight.
func MarkRow(mark string) int { return slices.Index(markRows, mark) + 1 }

// Shoes and support: wishes, weights, and what a fitter decides of a model.
var (
	RoomWish   = One[string]{declare(choice("shoes", "room_wish", "Room before the toes, as they wish", match.Rooms, told), word[string])}
	MarkWeight = Rows[float64]{declare(number("shoes", "mark_weight", "Weight", form.Plain, 0, 10, decided).rows(len(match.MarkNames)),
		figure)}
	LikesSupport = One[bool]{declare(yesNo("support", "likes_light_support", "Likes a light support", told), yes)}
	LetIn        = PerModel[string]{declare(text("", "let_in", "Let in all the same", 300, decided).byModel(), letters)}
	// Suitability is how well a model suits a kind of run on a ground, set by a fitter.
	Suitability = declare(Decl{Field: form.Field{Name: "suitability", Label: "Suitability", Kind: form.Number, Lo: 0, Hi: 1}, ByModel: true,
		How: decided}, suited)
)

// Lacings are the ways to lace a shoe that Trevik draws.
var Lacings = []string{"as_it_comes", "heel_lock", "window", "wide_forefoot", "high_instep", "toe_lift"}

// PressurePlaces are where a shoe may press, each on either foot.
var PressurePlaces = []string{"big_toe", "small_toes", "ball_inner", "ball_outer", "instep", "arch", "ankle_inner", "ankle_outer", "heel"}

// Try-on: what is asked of each pair that is tried on.
var (
	TryComfort  = PerTrial[float64]{declare(number("try-on", "try_comfort", "Comfort", form.Plain, 0, 10, told).byTrial(), figure)}
	TryHeel     = PerTrial[int]{declare(choice("try-on", "try_heel", "Heel", rated10, told).byTrial(), count)}
	TryMidfoot  = PerTrial[int]{declare(choice("try-on", "try_midfoot", "Midfoot", rated10, told).byTrial(), count)}
	TryForefoot = PerTrial[int]{declare(choice("try-on", "try_forefoot", "Forefoot", rated10, told).byTrial(), count)}
	TryLift     = PerTrial[string]{declare(choice("try-on", "try_lift", "Heel lifts", []string{"no", "a_little", "much"}, byEye).byTrial(),
		word[string])}
	TryRoom = PerTrial[string]{declare(choice("try-on", "try_room", "Toe room", []string{"short", "right", "long"}, byHand).byTrial(),
		word[string])}
	TryLockdown = PerTrial[string]{declare(choice("try-on", "try_lockdown", "Lockdown", []string{"loose", "held", "tight"}, told).byTrial(),
		word[string])}
	TryPressure = PerTrial[[]string]{declare(many("try-on", "try_pressure", "Presses at", pressures(), told).byTrial(), words[string])}
	TryLacing   = PerTrial[[]string]{declare(many("try-on", "try_lacing", "Lacing tried", Lacings, byHand).byTrial(), words[string])}
	TryLater    = PerTrial[int]{declare(choice("try-on", "try_later", "Comfort after some minutes", rated10, told).byTrial(), count)}
	TryWord     = PerTrial[string]{declare(text("try-on", "try_word", "Comment", 60, told).byTrial(), letters)}
	TryLeft     = PerTrial[string]{declare(text("try-on", "try_left", "Why rejected", 120, told).byTrial(), letters)}
	TryMoves    = PerTrial[string]{declare(choice("try-on", "try_moves", "What was found", []string{"counts", "does_not_count"},
		decided).byTrial(), word[string])}
	// TrySize and TryWidth are what a model was tried in, where it was tried in more than one.
	TrySize = PerTrial[float64]{declare(Decl{Field: form.Field{Name: "try_size", Label: "Tried in", Kind: form.Number, Lo: 0, Hi: 20},
		How: decided}.byTrial(), figure)}
	TryWidth = PerTrial[string]{declare(Decl{Field: form.Field{Name: "try_width", Label: "Tried in the width", Kind: form.Text, Max: 4},
		How: decided}.byTrial(), letters)}
	TrySet    = PerModel[string]{declare(choice("try-on", "try_set", "In the set", []string{"in", "out"}, decided).byModel(), word[string])}
	NoneToday = One[bool]{declare(yesNo("try-on", "none_today", "None today", decided), yes)}
	NoneWhy   = One[string]{declare(text("try-on", "none_why", "What was missing", 300, told), letters)}
	// Compared is one comparison with a pair on each foot, numbered as they were made.
	Compared = declare(Decl{Field: form.Field{Name: "compared", Label: "Compared", Kind: form.Choice,
		Choices: []string{"left", "right", "even"}}, Rows: mostCompared, ByModel: true, How: told}, word[string])
)

func pressures() []string {
	var out []string
	for _, side := range term.Sides {
		for _, p := range PressurePlaces {
			out = append(out, string(side)+"_"+p)
		}
	}
	return out
}

// Varieties are the views of a rotation: two of the favourite, told apart by colour, or
// pairs that differ.
var Varieties = []string{"same", "different"}

var runLetters = []string{"a", "b", "c", "d", "e", "f", "g"}

// Rotation: the parts of the weeks on the board, and what the plan is held to.
var (
	PlanDay     = Rows[string]{declare(choice("rotation", "plan_day", "Day", rotation.Days, told).rows(2*PlanRows), word[string])}
	PlanStart   = Rows[string]{declare(text("rotation", "plan_start", "At", 0, told).kind(form.Clock).rows(2*PlanRows), letters)}
	PlanKM      = Rows[float64]{declare(limited("rotation", "plan_km", "Distance", form.KM, limits.RunKM, told).rows(2*PlanRows), figure)}
	PlanMinutes = Rows[float64]{declare(limited("rotation", "plan_minutes", "Minutes", form.Plain, limits.Minutes, told).rows(2*PlanRows),
		figure)}
	PlanKind   = Rows[term.Kind]{declare(choice("rotation", "plan_kind", "Kind", runKinds, told).rows(2*PlanRows), word[term.Kind])}
	PlanGround = Rows[term.Ground]{declare(choice("rotation", "plan_ground", "Ground", term.Grounds, told).rows(2*PlanRows),
		word[term.Ground])}
	PlanRun   = Rows[string]{declare(choice("rotation", "plan_run", "Part of run", runLetters, told).rows(2*PlanRows), word[string])}
	PlanWeeks = One[string]{declare(choice("rotation", "plan_weeks", "Weeks", []string{"all_alike", "A_and_B_in_turn"}, told).reforms(),
		word[string])}
	PlanPairs   = One[float64]{declare(number("rotation", "plan_pairs", "Pairs at most", form.Plain, 1, 6, told), figure)}
	PlanMoney   = One[float64]{declare(limited("rotation", "plan_money", "For new pairs", form.Money, limits.MoneyMinor, told), figure)}
	PlanVariety = One[string]{declare(choice("rotation", "plan_variety", "Same model twice, or different models?", Varieties, told),
		word[string])}
	PlanPlates = One[shoe.PlateView]{declare(choice("rotation", "plan_plates", "Plates", shoe.PlateViews, told), word[shoe.PlateView])}
)

// RunKinds are the kinds of a run: all but gym.
func RunKinds() []term.Kind { return runKinds }

func runKindsOf(all []term.Kind) []term.Kind {
	var out []term.Kind
	for _, k := range all {
		if k != term.Gym {
			out = append(out, k)
		}
	}
	return out
}
