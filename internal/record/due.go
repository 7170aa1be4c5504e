package record

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"trevik/internal/core/care"
	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/wear"
)

// DueKind is what is to be done.
type DueKind string

// Kinds of what is due.
const (
	DueOrder   DueKind = "order"
	DueLook    DueKind = "look"
	DueComfort DueKind = "comfort"
	DueMeasure DueKind = "measure"
	DueRetire  DueKind = "retire"
	DueRace    DueKind = "race"
	DueSaid    DueKind = "said"   // what a runner said of a pair, to be answered
	DueComes   DueKind = "comes"  // a runner comes in
	DueChange  DueKind = "change" // a week of changing over, in a runner's own calendar alone
)

// DueKinds are those of the shop's list.
var DueKinds = []DueKind{DueSaid, DueRetire, DueOrder, DueLook, DueComfort, DueMeasure, DueRace, DueComes}

// Due is something that is to be done by a day.
type Due struct {
	Kind  DueKind
	On    time.Time
	Pair  *Pair       // nil where it is of no pair
	Order *shoe.Model // what to order
	Label string      // its size on the box
	Size  foot.Figure // of an order that follows no pair, with its width
	Width string
	Text  string // for the shop
	Mine  string // for the runner themself
	what  string // what it was said by, one of SaidKinds
	of    uint64 // what else it is of, for a calendar
}

// ID tells this line from the runner's others, the same each time.
func (d Due) ID() string {
	of := d.of
	if d.Pair != nil && d.Kind != DueSaid {
		of = d.Pair.ID
	}
	return fmt.Sprintf("%s%s-%d-%s", d.Kind, d.what, of, d.On.Format("20060102"))
}

// Due lists what is to be done of the runner's feet and pairs: growing feet to measure, pairs
// to order and to look at, and comfort to ask for.
func (c *Conclusions) Due() ([]Due, error) {
	return c.due.get(func() ([]Due, error) {
		worn, err := c.Worn()
		if err != nil {
			return nil, err
		}
		var out []Due
		if growing, again := c.Growing(); growing {
			out = append(out, Due{Kind: DueMeasure, On: again, Text: "measure growing feet again", Mine: "have growing feet measured again",
				of: c.ID})
		}
		for _, r := range c.Races() {
			d := Due{Kind: DueRace, On: r.On, of: uint64(r.On.Unix()), Text: cmp.Or(r.Name, "A race") + ", " + c.Units.Distance(r.KM)}
			in, err := c.RacePair(r)
			if err != nil {
				return nil, err
			}
			if d.Mine = d.Text; in != nil {
				d.Text += ", in " + in.Name()
				d.Mine = d.Text
			}
			out = append(out, d)
		}
		for _, b := range c.Runner.Coming(c.Today) {
			d := Due{Kind: DueComes, On: b.On, of: b.ID, Text: "comes in at " + b.Clock(), Mine: "at the shop at " + b.Clock()}
			if b.Note != "" {
				d.Text += ": " + b.Note
			}
			out = append(out, d)
		}
		for i := range worn {
			list, err := c.duePair(&worn[i])
			if err != nil {
				return nil, err
			}
			out = append(out, list...)
		}
		return c.dueSeason(out), nil
	})
}

// dueSeason adds the orders that were decided on for the season. One that the wear of a pair asks for too, of the same model, is
// the same order: it stands on the earlier day.
func (c *Conclusions) dueSeason(out []Due) []Due {
	used := map[int]bool{}
	for _, o := range c.Runner.Season.Orders {
		m := c.Shop.Catalogue.ByID(o.ModelRow)
		if m == nil {
			continue
		}
		d := Due{Kind: DueOrder, On: o.On, Order: m, Label: m.Label(o.Size, o.Width), Size: o.Size, Width: o.Width, what: "season", of: o.ID}
		d.Text = "order " + ModelName(m) + ", " + d.Label + ", for the season"
		d.Mine = "have the " + ModelName(m) + " ordered"
		if at := slices.IndexFunc(out, func(x Due) bool { return x.Order != nil && x.Pair != nil && x.Order.ID == m.ID }); at >= 0 && !used[at] {
			used[at] = true
			if !out[at].On.Before(d.On) {
				out[at] = d
			}
			continue
		}
		out = append(out, d)
	}
	return out
}

// duePair is what is due of a pair in use.
func (c *Conclusions) duePair(w *Worn) ([]Due, error) {
	p := &w.Pair
	var out []Due
	for _, x := range c.Runner.Said(p) {
		out = append(out, Due{Kind: DueSaid, On: x.On, Pair: p, Text: x.Text, what: x.Kind, of: x.ID})
	}
	if because := w.Wear.RetireBecause; because != nil && w.Verdict.LetIn == "" {
		out = append(out, Due{Kind: DueRetire, On: c.Today, Pair: p, Text: fmt.Sprintf("retire %s: %s", p.Name(), *because),
			Mine: fmt.Sprintf("retire %s: %s", p.Name(), *because)})
	}
	if w.Wear.OrderBy != nil {
		on, err := time.Parse(time.DateOnly, *w.Wear.OrderBy)
		if err != nil {
			return nil, err
		}
		to := c.Shop.Catalogue.Latest(&p.Model)
		if to.Elsewhere() {
			out = append(out, Due{Kind: DueOrder, On: on, Pair: p, Text: "find the next pair after " + p.Name() + ", which is not of this shop",
				Mine: "have the next pair after " + p.Name() + " found"})
			return c.dueLook(out, w), nil
		}
		d := Due{Kind: DueOrder, On: on, Pair: p, Order: to, Label: to.Label(p.Size, p.Width), Mine: "have the next pair after " + p.Name() +
			" ordered"}
		d.Text = "order " + ModelName(to) + ", " + d.Label
		if to.ID != p.Model.ID {
			d.Text += ", the newer version: try it on"
		}
		out = append(out, d)
	}
	out = c.dueLook(out, w)
	if p.FitID == 0 {
		return out, nil
	}
	for _, days := range care.ComfortDays {
		on := p.BoughtOn.AddDate(0, 0, days)
		asked := slices.ContainsFunc(p.Reports, func(r Report) bool { return r.AfterDays >= days })
		if !asked && c.Today.Before(on.AddDate(0, 0, care.ComfortOpenDays)) {
			out = append(out, Due{Kind: DueComfort, On: on, Pair: p, Text: fmt.Sprintf("%d-day comfort check: %s", days, p.Name()),
				Mine: "tell the shop how " + p.Name() + " is", of: uint64(days)})
		}
	}
	return out, nil
}

// dueLook adds the look that a pair is due.
func (c *Conclusions) dueLook(out []Due, w *Worn) []Due {
	if on := c.lookOn(w); !on.IsZero() && w.Verdict.Serves() {
		out = append(out, Due{Kind: DueLook, On: on, Pair: &w.Pair, Text: "check " + w.Pair.Name(), Mine: "check " + w.Pair.Name()})
	}
	return out
}

// lookOn is when a pair is to be looked at: today where the wear model asks for it, else half
// a year after the last look or since it was first worn.
func (c *Conclusions) lookOn(w *Worn) time.Time {
	if w.Wear.State == wear.Look || slices.Contains(w.Wear.Also, wear.Look) {
		return c.Today
	}
	return wear.NextLook(w.Pair.LastSeen())
}

// DueOfChanges are the weeks of the runner's plans for changing over, a line each.
func (c *Conclusions) DueOfChanges() ([]Due, error) {
	plans, err := c.Runner.Changings(c.Today)
	if err != nil {
		return nil, err
	}
	var out []Due
	for _, x := range plans {
		if x.Ended || x.Plan.Stopped {
			continue
		}
		for n, w := range x.Plan.Weeks {
			on, err := time.Parse(time.DateOnly, w.Starts)
			if err != nil {
				return nil, err
			}
			text := fmt.Sprintf("week %d of changing over: %s in %s, %s in %s", n+1, c.Units.Distance(w.KMNew), x.To, c.Units.Distance(w.KMOld),
				x.From)
			out = append(out, Due{Kind: DueChange, On: on, Text: text, Mine: text, of: x.ID})
		}
	}
	return out, nil
}

// Ending are the pairs in use that near their end or want a look.
func (c *Conclusions) Ending() ([]Worn, error) {
	worn, err := c.Worn()
	if err != nil {
		return nil, err
	}
	var out []Worn
	for _, w := range worn {
		if slices.Contains(EndingStates, w.Wear.State) {
			out = append(out, w)
		}
	}
	return out, nil
}

// EndingStates are those that the Today page shows, most urgent first.
var EndingStates = []wear.State{wear.SetAside, wear.LastRuns, wear.Order, wear.Look}
