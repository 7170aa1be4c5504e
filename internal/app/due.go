package app

import (
	"cmp"
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"

	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/wear"
)

// Ending is a pair that asks for something, on the Today page.
type Ending struct {
	Worn
	Runner string
	FitID  uint64
}

// endingStates are those that the Today page shows, most urgent first.
var endingStates = []wear.State{wear.SetAside, wear.LastRuns, wear.Order, wear.Look}

// Ending lists the shop's pairs that near their end or want a look.
func (a *App) Ending(ctx context.Context, who Actor) ([]Ending, error) {
	out := []Ending{}
	err := a.eachRunner(ctx, who, func(runner string, fit *Fit, _ []Pair, worn []Worn) error {
		for _, w := range worn {
			if slices.Contains(endingStates, w.Wear.State) {
				out = append(out, Ending{w, runner, fit.ID})
			}
		}
		return nil
	})
	slices.SortStableFunc(out, func(x, y Ending) int {
		return slices.Index(endingStates, x.Wear.State) - slices.Index(endingStates, y.Wear.State)
	})
	return out, err
}

// eachRunner goes through the shop's runners who have pairs in use.
func (a *App) eachRunner(ctx context.Context, who Actor, do func(runner string, fit *Fit, pairs []Pair, worn []Worn) error) error {
	rows, err := a.store.PairsInUse(ctx, who.ShopID)
	if err != nil {
		return err
	}
	names := map[uint64]string{}
	var order []uint64
	for _, r := range rows {
		if _, seen := names[r.RunnerID]; !seen {
			order = append(order, r.RunnerID)
		}
		names[r.RunnerID] = r.Runner
	}
	for _, runner := range order {
		fit, pairs, worn, err := a.wornOf(ctx, who, runner)
		if err == ErrNotFound {
			continue
		}
		if err == nil {
			err = do(names[runner], fit, pairs, worn)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// wornOf is one runner's pairs with what is left of them, by their latest week.
func (a *App) wornOf(ctx context.Context, who Actor, runnerID uint64) (*Fit, []Pair, []Worn, error) {
	fit, err := a.fitWithWeek(ctx, who, runnerID)
	if err != nil {
		return nil, nil, nil, err
	}
	pairs, err := a.Pairs(ctx, who, runnerID)
	if err != nil {
		return nil, nil, nil, err
	}
	worn, err := fit.Worn(fit.Serve(pairs))
	return fit, pairs, worn, err
}

// Kinds of what is due.
const (
	DueOrder   = "order"
	DueLook    = "look"
	DueComfort = "comfort"
	DueMeasure = "measure"
	dueChange  = "change" // a week of changing over, in a runner's own calendar alone
)

// DueKinds are all of them.
var DueKinds = []string{DueOrder, DueLook, DueComfort, DueMeasure}

// comfortDays are when a pair's comfort is asked for after the sale, and comfortLate how
// long after that it still is (house).
var comfortDays = []int{14, 30}

const comfortLate = 60

// growingMonths is how soon growing feet are measured again (house).
const growingMonths = 3

// Due is something that is to be done by a day.
type Due struct {
	Kind   string
	On     time.Time
	Runner string
	FitID  uint64
	Pair   *Pair
	Order  *shoe.Model // what to order
	Label  string      // its size on the box
	Text   string
}

// Late says whether the day is past.
func (d Due) Late(today time.Time) bool { return d.On.Before(today) }

// Due lists what is to be done over all runners up to a day, the earliest first: pairs to
// order, looks, and comfort to ask for. only keeps to some kinds; none is all.
func (a *App) Due(ctx context.Context, who Actor, until time.Time, only []string) ([]Due, error) {
	c, err := a.Catalogue(ctx, who)
	if err != nil {
		return nil, err
	}
	var out []Due
	err = a.eachRunner(ctx, who, func(runner string, fit *Fit, pairs []Pair, worn []Worn) error {
		list, err := a.dueOf(ctx, who, c, fit, pairs, worn)
		for i := range list {
			list[i].Runner = runner
		}
		out = append(out, list...)
		return err
	})
	out = slices.DeleteFunc(out, func(d Due) bool {
		return d.On.After(until) || len(only) > 0 && !slices.Contains(only, d.Kind)
	})
	slices.SortStableFunc(out, func(x, y Due) int { return cmp.Or(x.On.Compare(y.On), cmp.Compare(x.Runner, y.Runner)) })
	return out, err
}

// dueOf is what is due of one runner's pairs.
func (a *App) dueOf(ctx context.Context, who Actor, c *Catalogue, fit *Fit, pairs []Pair, worn []Worn) ([]Due, error) {
	reports, err := a.Reports(ctx, who, fit.Runner.ID)
	if err != nil {
		return nil, err
	}
	var out []Due
	if slices.Contains(fit.Flags(), support.ChildGrowing) {
		on := fit.StartedAt.AddDate(0, growingMonths, 0)
		out = append(out, Due{Kind: DueMeasure, On: time.Date(on.Year(), on.Month(), on.Day(), 0, 0, 0, 0, time.UTC), FitID: fit.ID, Text: "measure growing feet again"})
	}
	for i := range worn {
		p := &worn[i].Pair
		w := worn[i].Wear
		if w.OrderBy != nil {
			on, err := time.Parse(time.DateOnly, *w.OrderBy)
			if err != nil {
				return nil, err
			}
			to := &p.Model
			if line := c.Line(p.Model.ID); len(line) > 0 {
				to = line[len(line)-1]
			}
			d := Due{Kind: DueOrder, On: on, FitID: fit.ID, Pair: p, Order: to, Label: to.Label(p.Size, p.Width), Text: "order " + ModelName(to) + ", " + to.Label(p.Size, p.Width)}
			if to.ID != p.Model.ID {
				d.Text += ", the version after theirs: try it on"
			}
			out = append(out, d)
		}
		if on := lookOn(p, w, fit.Today); !on.IsZero() {
			out = append(out, Due{Kind: DueLook, On: on, FitID: fit.ID, Pair: p, Text: "look at " + p.Name()})
		}
		if p.FitID == 0 {
			continue
		}
		for _, days := range comfortDays {
			on := p.BoughtOn.AddDate(0, 0, days)
			asked := slices.ContainsFunc(reports[p.ID], func(r Report) bool { return r.AfterDays >= days })
			if !asked && fit.Today.Before(on.AddDate(0, 0, comfortLate)) {
				out = append(out, Due{Kind: DueComfort, On: on, FitID: fit.ID, Pair: p, Text: fmt.Sprintf("ask how %s is after %d days", p.Name(), days)})
			}
		}
	}
	return out, nil
}

// lookOn is when a pair is to be looked at: today where the wear model asks for it, else
// half a year after the last look or since it was first worn.
func lookOn(p *Pair, w wear.Answer, today time.Time) time.Time {
	if w.State == wear.Look || slices.Contains(w.Also, wear.Look) {
		return today
	}
	last := p.FirstWorn
	for _, x := range p.Inspected {
		if x.On.After(last) {
			last = x.On
		}
	}
	if last.IsZero() {
		return last
	}
	return last.AddDate(0, 6, 0)
}

// Buying adds up what is to be ordered by model and size.
type Buying struct {
	Model *shoe.Model
	Label string
	For   []string // runners
	By    time.Time
	Stock int // on the shelf in that size and width
}

// BuyingList gathers the orders among what is due.
func BuyingList(due []Due) []Buying {
	var out []Buying
	for _, d := range due {
		if d.Kind != DueOrder {
			continue
		}
		i := slices.IndexFunc(out, func(b Buying) bool { return b.Model.ID == d.Order.ID && b.Label == d.Label })
		if i < 0 {
			i = len(out)
			b := Buying{Model: d.Order, Label: d.Label, By: d.On}
			for _, s := range d.Order.Stock {
				if s.UK == d.Pair.Size && s.Width == d.Pair.Width {
					b.Stock = s.Count
				}
			}
			out = append(out, b)
		}
		out[i].For = append(out[i].For, d.Runner)
	}
	return out
}

// WriteBuying writes a buying list as CSV.
func WriteBuying(w io.Writer, list []Buying) error {
	out := csv.NewWriter(w)
	records := [][]string{{"Order by", "Maker", "Model", "Version", "Size", "Pairs", "On the shelf", "For"}}
	for _, b := range list {
		records = append(records, []string{b.By.Format(time.DateOnly), plainCell(b.Model.Maker), plainCell(b.Model.Name), fmt.Sprint(b.Model.Version), b.Label, fmt.Sprint(len(b.For)), fmt.Sprint(b.Stock), plainCell(strings.Join(b.For, "; "))})
	}
	return out.WriteAll(records)
}

// calendarDays is how far a calendar looks ahead.
const calendarDays = 366

// calendar writes what is due as iCalendar, a day each. What is late stands on its day.
func calendar(name string, now time.Time, due []Due, text func(Due) string) string {
	cal := ics.NewCalendarFor("Trevik")
	cal.SetMethod(ics.MethodPublish)
	cal.SetName(name)
	cal.SetXWRCalName(name)
	for _, d := range due {
		pair := uint64(0)
		if d.Pair != nil {
			pair = d.Pair.ID
		}
		e := cal.AddEvent(fmt.Sprintf("%s-%d-%d-%s@trevik", d.Kind, d.FitID, pair, d.On.Format("20060102")))
		e.SetDtStampTime(now.UTC())
		e.SetAllDayStartAt(d.On)
		e.SetAllDayEndAt(d.On.AddDate(0, 0, 1))
		e.SetSummary(Sentence(text(d)))
		e.SetTimeTransparency(ics.TransparencyTransparent)
	}
	return cal.Serialize(ics.WithNewLineWindows) // RFC 5545 wants CR LF everywhere
}

// Sentence begins a text with a capital.
func Sentence(s string) string {
	if s == "" {
		return s
	}
	r := []rune(s)
	return strings.ToUpper(string(r[0])) + string(r[1:])
}

// ShopCalendar is the shop's calendar of what is due.
func (a *App) ShopCalendar(ctx context.Context, who Actor) (string, error) {
	due, err := a.Due(ctx, who, a.Today().AddDate(0, 0, calendarDays), nil)
	if err != nil {
		return "", err
	}
	return calendar(who.Shop, a.Now(), due, func(d Due) string { return d.Runner + ": " + d.Text }), nil
}

// RunnerCalendar is a runner's own: nothing of others, nothing of the shop's.
func (a *App) RunnerCalendar(ctx context.Context, who Actor, runnerID uint64) (string, error) {
	c, err := a.Catalogue(ctx, who)
	if err != nil {
		return "", err
	}
	fit, pairs, worn, err := a.wornOf(ctx, who, runnerID)
	if err == ErrNotFound {
		return calendar("Running shoes", a.Now(), nil, nil), nil
	}
	if err != nil {
		return "", err
	}
	due, err := a.dueOf(ctx, who, c, fit, pairs, worn)
	if err != nil {
		return "", err
	}
	changes, err := a.Changings(ctx, who, runnerID)
	if err != nil {
		return "", err
	}
	for _, x := range changes {
		if x.Ended || x.Plan.Stopped {
			continue
		}
		for n, w := range x.Plan.Weeks {
			on, err := time.Parse(time.DateOnly, w.Starts)
			if err != nil {
				return "", err
			}
			due = append(due, Due{Kind: dueChange, On: on, FitID: x.ID, Text: fmt.Sprintf("week %d of changing over: %.1f km in %s, %.1f in %s", n+1, w.KMNew, x.To, w.KMOld, x.From)})
		}
	}
	return calendar("Running shoes", a.Now(), due, func(d Due) string {
		switch d.Kind {
		case DueMeasure:
			return "have growing feet measured again"
		case DueOrder:
			return "have the next pair after " + d.Pair.Name() + " ordered"
		case DueComfort:
			return "tell the shop how " + d.Pair.Name() + " is"
		}
		return d.Text
	}), nil
}
