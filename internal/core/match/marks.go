package match

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// mark gives a model its marks and score.
func (r *Request) mark(c *Ranked, cheapest float64) {
	m := c.model
	c.Marks = make([]Mark, 0, len(MarkNames))
	// In the order of MarkNames.
	add := func(name string, value float64, why string) {
		value, weight := min(1, max(0, value)), r.share[len(c.Marks)]
		c.Marks = append(c.Marks, Mark{name, units.Round(value, 6), units.Round(weight, 6), why})
		c.Score += value * weight
	}
	use, worst, why := r.use(m)
	c.WorstKind = worst
	add("use", use, why)
	shapeValue, why := r.shape(m, c.fit)
	add("shape", shapeValue, why)
	feel, why := r.feel(m)
	add("feel", feel, why)
	ground, why := r.ground(m)
	add("ground", ground, why)
	hold, why := r.hold(m)
	add("hold", hold, why)
	drop, why := r.drop(m)
	add("drop", drop, why)
	weight, why := r.weight(m)
	add("weight", weight, why)
	body, why := r.body(m)
	add("body", body, why)
	level, why := r.level(m)
	add("level", level, why)
	room, why := r.room(c.fit)
	add("room", room, why)
	value := 1.0
	if cheapest > 0 {
		value = 1 - (c.CostPerKM/cheapest-1)/(dearTimes-1)
	} else if c.CostPerKM > 0 {
		value = 0
	}
	add("money", value, perKM(c.CostPerKM, m.Currency)+" per km over its life; the cheapest here is "+perKM(cheapest, m.Currency))
	first, why := r.first(m)
	add("first", first, why)
	if r.dislikes(m) {
		add("disliked", 0, "disliked before, in this version")
	} else {
		add("disliked", 1, "nothing said against it")
	}
	c.Score = units.Round(c.Score, 6)
	c.CostPerKM = units.Round(c.CostPerKM, 4)
}

func (r *Request) use(m *shoe.Model) (float64, term.Kind, string) {
	sum, shares := 0.0, 0.0
	worst, worstValue := term.Kind(""), math.Inf(1)
	for _, k := range r.Kinds {
		if k.Share <= 0 {
			continue
		}
		v := r.suits(m, k)
		sum += v * k.Share
		shares += k.Share
		if v < worstValue-1e-9 {
			worst, worstValue = k.Kind, v
		}
	}
	return sum / shares, worst, "weakest for " + words(worst) + " runs, " + strconv.FormatFloat(worstValue, 'f', 2, 64)
}

// lastOf is the last that a foot's toes ask for: a round foot the standard one, a square one a wide
// toe box.
var lastOf = map[term.Shape]term.LastShape{"tapered": "tapered", "round": "standard", "square": "wide_toe"}

// shape is the worse foot's: toe box, volume and width.
func (r *Request) shape(m *shoe.Model, fit fitting) (float64, string) {
	worst, why := 2.0, ""
	at := foot.LetterIndex(m.Chart, fit.width)
	for _, s := range term.Sides {
		f := r.Feet.Of(s)
		if f == nil {
			continue
		}
		value, off := 1.0, []string{}
		step := func(n int, name string) {
			if n > 0 {
				value -= 0.25 * float64(n)
				off = append(off, fmt.Sprintf("%s %d off", name, n))
			}
		}
		if f.Shape != "" {
			step(abs(slices.Index(term.LastShapes, lastOf[f.Shape])-slices.Index(term.LastShapes, m.LastShape)), "toe shape")
		}
		if f.Volume != "" {
			step(abs(slices.Index(term.Volumes, f.Volume)-slices.Index(term.Volumes, m.Volume)), "volume")
		}
		if f.BallMM != nil {
			step(abs(at-r.letterOf(m.Chart, *f.BallMM)), "width letter")
		}
		if value = max(0, value); value < worst {
			worst, why = value, strings.Join(off, ", ")
			if len(off) > 0 && r.Feet.Left != nil && r.Feet.Right != nil {
				why = string(s) + " foot: " + why
			}
		}
	}
	if why == "" {
		return worst, "toe shape, volume and width go with the foot"
	}
	return worst, why
}

// cushioned are the heights under the heel, mm, that the wishes for cushion ask for.
var cushioned = map[string]float64{"protective": 38, "balanced": 30, "ground_feel": 22}

// cushionWanted is the height under the heel that is wanted, mm, and why: as told, for complaints
// that cushion eases, or the next step towards less shoe; ok is false where nothing asks for any.
func (r *Request) cushionWanted() (mm float64, why string, ok bool) {
	if r.Likes != nil && r.Likes.Cushion != "" {
		return cushioned[r.Likes.Cushion], words(r.Likes.Cushion), true
	}
	if r.Complaints != nil {
		for _, c := range *r.Complaints {
			if slices.Contains([]term.Place{"knee_inner", "knee_outer", "ball", "heel"}, c.Place) && c.MonthsAgo != nil &&
				*c.MonthsAgo <= knownMonths {
				return cushioned["protective"], "protective, for the " + words(c.Place) + " that hurt", true
			}
		}
	}
	if r.natural() && r.Present.StackMM != nil {
		return max(naturalLeastMM, *r.Present.StackMM-naturalStackMM), "a step lower than now", true
	}
	return 0, "", false
}

// NaturalStep is the next step of the natural foot from the present pair's drop and heel stack, mm; the
// stack is nil where that is not known.
func NaturalStep(drop float64, stack *float64) (nextDrop float64, nextStack *float64) {
	if stack != nil {
		s := max(naturalLeastMM, *stack-naturalStackMM)
		nextStack = &s
	}
	return max(0, drop-naturalDropMM), nextStack
}

// natural says whether the natural foot leads and the present pair is known.
func (r *Request) natural() bool { return r.Lead == term.NaturalFoot && r.Present != nil }

// feel is the mean of the wishes that were told.
func (r *Request) feel(m *shoe.Model) (float64, string) {
	sum, n, why := 0.0, 0.0, []string{}
	told := func(v float64, text string) { sum, n, why = sum+max(0, v), n+1, append(why, text) }
	if r.Likes != nil {
		if s := r.Likes.Softness; s != nil {
			told(1-math.Abs(m.Softness-*s)/4, fmt.Sprintf("softness %s, liked %s", plain(m.Softness), plain(*s)))
		}
		if b := r.Likes.Bounce; b != nil {
			told(1-math.Abs(m.Bounce-*b)/4, fmt.Sprintf("bounce %s, liked %s", plain(m.Bounce), plain(*b)))
		}
	}
	if wanted, text, ok := r.cushionWanted(); ok {
		told(1-math.Abs(m.StackHeelMM-wanted)/cushionSpanMM, fmt.Sprintf("%s mm under the heel, wanted %s mm (%s)", plain(m.StackHeelMM),
			plain(wanted),
			text))
	}
	if n == 0 {
		return nothingSaid, "no wish was told"
	}
	return sum / n, strings.Join(why, ", ")
}

// ground is the mean of what the conditions that were told ask of a model.
func (r *Request) ground(m *shoe.Model) (float64, string) {
	if len(r.Conditions) == 0 {
		return 1, "no ground that asks for anything was told"
	}
	sum, why := 0.0, []string{}
	for _, c := range r.Conditions {
		v := r.condition(m, c)
		sum += v
		why = append(why, fmt.Sprintf("%s %s", words(c), plain(units.Round(v, 2))))
	}
	return sum / float64(len(r.Conditions)), strings.Join(why, ", ")
}

// condition is how a model goes with one condition, 0 to 1 (house).
func (r *Request) condition(m *shoe.Model, c term.Condition) float64 {
	sum := 0.0
	has := func(is bool, v float64) {
		if is {
			sum += v
		}
	}
	switch c {
	case term.BlackIce:
		switch {
		case m.MetalTips:
			return 1
		case m.LugDepthMM >= 3 && m.RubberSoftness >= 4:
			return 0.4
		}
		return 0
	case term.Rocks:
		has(m.RockPlate, 0.4)
		has(m.ToeBumper, 0.3)
		has(m.StackHeelMM <= 30, 0.3)
	case term.Descents:
		has(m.LugDepthMM >= 4, 0.5)
		has(m.HeelCounter == "sculpted", 0.5)
	case term.LongGrass:
		has(!m.Liner, 0.7)
		has(m.Upper == "light" || m.Upper == "standard", 0.3)
	case term.Wet:
		switch {
		case m.RubberSoftness >= 4:
			sum = 0.9
		case m.RubberSoftness >= 3:
			sum = 0.6
		default:
			sum = 0.3
		}
		has(m.Liner && slices.Contains(r.Conditions, term.Cold) && !slices.Contains(r.Conditions, term.LongGrass), 0.1)
	case term.Cold:
		sum = 0.7
		has(m.Liner || m.Upper == "reinforced", 0.3)
	case term.Heat:
		has(!m.Liner, 0.6)
		has(m.Upper == "light", 0.4)
	case term.Grit:
		sum = 0.7
		has(m.ToeBumper || m.Upper == "reinforced", 0.3)
	}
	return sum
}

// hold is how a model holds a heel that lifted; a firm upper helps a heavy foot, and one that needs
// much support.
func (r *Request) hold(m *shoe.Model) (float64, string) {
	v, why := liftNothing, "no heel that lifts is known"
	if r.HeelLifted != nil && *r.HeelLifted {
		if v, why = flatHold, "the heel lifted, and its counter is flat"; m.HeelCounter == "sculpted" {
			v, why = 1, "the heel lifted, and its counter is sculpted"
		}
	}
	heavy := r.MassKg != nil && *r.MassKg >= heavyRunnerKg || r.Level != nil && r.Level.Rung() >= term.Stability.Rung()
	if heavy && m.UpperFirmness >= firmUpper {
		return min(1, v+firmUpperMark), why + ", with a firm upper"
	}
	return v, why
}

// room is 1 inside the window and falls to 0 at half a size outside it.
func (r *Request) room(fit fitting) (float64, string) {
	return max(0, 1-fit.window.outside(fit.room)/halfSizeMM), fmt.Sprintf("%.1f mm of room, wanted %g to %g", fit.room, fit.window.Low,
		fit.window.High)
}

// dislikes says whether a model, on whichever chart, was disliked in this version.
func (r *Request) dislikes(m *shoe.Model) bool {
	return slices.ContainsFunc(r.Disliked, func(id string) bool {
		o := r.byID[id]
		return id == m.ID || o != nil && keyOf(o) == keyOf(m)
	})
}

// strikeBand is the drop in mm that a strike asks for.
var strikeBand = map[term.Strike][2]float64{term.ForefootStrike: {0, 4}, term.MidfootStrike: {5, 8}, term.HeelStrike: {9, 12}}

func (r *Request) drop(m *shoe.Model) (float64, string) {
	sum, n, why := 0.0, 0.0, []string{}
	d := m.Drop()
	if r.Present != nil && r.Present.DropMM != nil {
		change := d - *r.Present.DropMM
		counts := math.Abs(change)
		if change < 0 {
			counts *= loweringCounts
		}
		habit := 1 - max(0, counts-habitFreeMM)/habitSpanMM
		text := fmt.Sprintf("%+g mm against now", units.Round(change, 1))
		if r.natural() {
			next, _ := NaturalStep(*r.Present.DropMM, nil)
			habit, text = 1-math.Abs(d-next)/habitSpanMM, fmt.Sprintf("the next step down is %g mm", units.Round(next, 1))
		}
		sum, n = sum+max(0, habit), n+1
		why = append(why, text)
	}
	if band, ok := strikeBand[r.Strike]; ok && r.Settings.Drop != "habit_only" {
		outside := max(0, band[0]-d, d-band[1])
		sum, n = sum+max(0, 1-strikePerMM*outside), n+1
		why = append(why, fmt.Sprintf("%s landing asks for %g to %g mm", r.Strike, band[0], band[1]))
	}
	if n == 0 {
		return nothingSaid, "neither present drop nor strike is known"
	}
	return sum / n, fmt.Sprintf("drop %g mm: %s", units.Round(d, 1), strings.Join(why, ", "))
}

// chartWeight is what the limits of weight are on a chart (house).
var chartWeight = map[term.Chart]float64{term.Men: 1, term.Women: 0.86, term.Youth: 0.75}

// weight compares at the chart's reference size, so that no model gains by being made smaller.
func (r *Request) weight(m *shoe.Model) (float64, string) {
	easy, all := 0.0, 0.0
	for _, k := range r.Kinds {
		all += k.Share
		if k.Kind == term.Easy || k.Kind == term.Recovery {
			easy += k.Share
		}
	}
	light, heavy := lightShoeG*chartWeight[m.Chart], heavyShoeG*chartWeight[m.Chart]
	lost := min(1, max(0, (m.WeightG-light)/(heavy-light)))
	return 1 - lost*(1-0.5*easy/all), plain(m.WeightG) + " g at the reference size"
}

func (r *Request) body(m *shoe.Model) (float64, string) {
	if r.MassKg == nil || *r.MassKg < heavyRunnerKg {
		return 1, "no firmer foam is needed"
	}
	v := 1 - 0.2*max(0, m.Softness-3) - 0.1*max(0, m.Bounce-4)
	if v < 1 {
		return v, "soft foam may bottom out"
	}
	return 1, "firm enough to hold up"
}

func (r *Request) level(m *shoe.Model) (float64, string) {
	if r.Level == nil {
		return 1, "no level is given"
	}
	off := abs(m.Level.Rung() - r.Level.Rung())
	if off == 0 {
		return 1, words(m.Level) + ", as asked"
	}
	return max(0, 1-0.4*float64(off)), fmt.Sprintf("%s, %d off %s", words(m.Level), off, words(*r.Level))
}

func (r *Request) first(m *shoe.Model) (float64, string) {
	if r.Experience == "new" {
		switch {
		case m.Plate == "carbon":
			return 0, "a carbon plate is much for a first pair"
		case m.StackHeelMM >= tallFirstMM:
			return 0, "a heel this tall is much for a first pair"
		case m.Bareness() >= bareFirst:
			return 0, "so little shoe is much for a first pair"
		}
		return 1, "good for a first pair"
	}
	return 1, "not a first pair"
}
