package record

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"trevik/internal/core/wear"
)

// SaidKinds are how a runner says something of a pair on their own page.
var SaidKinds = []string{"report", "look", "rub"}

// Said is what a runner said of a pair on their own page, which nobody of the shop has answered.
type Said struct {
	Kind string // one of SaidKinds
	ID   uint64
	On   time.Time
	Text string
}

// House values of what is to be answered.
const (
	saidBelow = 4    // the comfort, of 10, up to which a report asks by itself
	saidFrom  = 0.75 // how much of a part is gone in a look that asks by itself
)

// Said lists what the runner said of a pair and is not answered, the latest first.
func (r *Runner) Said(p *Pair) []Said {
	var out []Said
	quoted := func(note string) string {
		if note == "" {
			return ""
		}
		return ", “" + note + "”"
	}
	for _, x := range p.Reports {
		if x.ByRunner && !x.Answered && (x.Comfort <= saidBelow || x.Note != "") {
			out = append(out, Said{"report", x.ID, dayOf(x.MadeAt),
				fmt.Sprintf("%s says of %s: comfort %d of 10%s", x.Maker, p.Name(), x.Comfort, quoted(x.Note))})
		}
	}
	for _, x := range p.Inspected {
		if what := x.asks(); x.ByRunner && !x.Answered && (len(what) > 0 || x.Note != "") {
			if len(what) == 0 {
				what = []string{"a look"}
			}
			out = append(out, Said{"look", x.ID, x.On, fmt.Sprintf("%s looked at %s: %s%s", x.Maker, p.Name(), strings.Join(what, ", "),
				quoted(x.Note))})
		}
	}
	for _, x := range r.Rubs {
		if x.PairID == p.ID && x.ByRunner && !x.Answered {
			text := fmt.Sprintf("%s says: %s rubs, %s", x.Maker, p.Name(), strings.ReplaceAll(string(x.Place), "_", " "))
			if x.Side != "" {
				text += " of the " + string(x.Side) + " foot"
			}
			if x.When != "" {
				text += ", " + strings.ReplaceAll(string(x.When), "_", " ")
			}
			if x.Referred {
				text += "; sent to a clinician"
			}
			out = append(out, Said{"rub", x.ID, dayOf(x.MadeAt), text + quoted(x.Tried)})
		}
	}
	slices.SortStableFunc(out, func(a, b Said) int { return b.On.Compare(a.On) })
	return out
}

// asks is what of a look asks to be answered.
func (x Inspected) asks() []string {
	var out []string
	for _, f := range x.Faults {
		out = append(out, map[string]string{"upper_hole": "a hole through the upper", "sole_through": "the sole through to the midsole"}[f])
	}
	for _, part := range []string{"tread", "bounce", "upper", "evenness"} {
		if v := x.Worse(part); v != nil && *v >= saidFrom {
			out = append(out, map[string]string{"tread": "the tread nearly gone", "bounce": "the bounce nearly gone",
				"upper": "the upper torn or stretched", "evenness": "worn to one side"}[part])
		}
	}
	if x.aches() == wear.AchesUnexplained {
		out = append(out, "new aches that nothing else explains")
	}
	return out
}
