package app

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"trevik/internal/core/care"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/term"
	"trevik/internal/store/db"
)

// Fields of the forms of what comes after the sale.
var (
	RubFields = []Field{
		{Name: "rub_pair", Label: "In", Kind: Number, Lo: 1, Hi: 1 << 53},
		{Name: "rub_side", Label: "Foot", Kind: Choice, Choices: texts(term.Sides)},
		{Name: "rub_place", Label: "Where", Kind: Choice, Choices: texts(care.RubPlaces)},
		{Name: "rub_when", Label: "When it comes", Kind: Choice, Choices: texts(care.Whens)},
		{Name: "rub_cause", Label: "What it is laid to", Kind: Text, Max: 120},
		{Name: "rub_tried", Label: "What is tried", Kind: Text, Max: 300},
	}
	ChangeFields = []Field{
		{Name: "change_from", Label: "From", Kind: Number, Lo: 1, Hi: 1 << 53},
		{Name: "change_to", Label: "To", Kind: Number, Lo: 1, Hi: 1 << 53},
		{Name: "change_km", Label: "A week", Kind: Number, Unit: KM, Lo: 1, Hi: 300},
		{Name: "change_goal", Label: "In the end in the new pair, %", Kind: Number, Lo: 10, Hi: 100},
		{Name: "change_start", Label: "From the day", Kind: Day},
	}
	SoreFields = []Field{
		{Name: "sore_week", Label: "Week", Kind: Number, Lo: 1, Hi: 104},
		{Name: "sore_level", Label: "Soreness, 0 to 10", Kind: Number, Lo: 0, Hi: 10},
		{Name: "sore_place", Label: "Where", Kind: Choice, Choices: texts(term.Places)},
		{Name: "sore_night", Label: "Pain at night", Kind: Choice, Choices: []string{"no", "yes"}},
	}
)

// RubReport is a place that rubbed, what was tried, and whether it helped.
type RubReport struct {
	ID       uint64
	PairID   uint64
	Side     term.Side
	Place    term.Place
	When     care.When
	Cause    string
	Tried    string
	Helped   string // yes, no, or not told yet
	Referred bool
	MadeAt   time.Time
	Maker    string
}

// Rubs are the runner's, the latest first.
func (a *App) Rubs(ctx context.Context, who Actor, runnerID uint64) ([]RubReport, error) {
	rows, err := a.store.RubsOfRunner(ctx, db.RubsOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
	out := make([]RubReport, len(rows))
	for i, r := range rows {
		out[i] = RubReport{r.ID, r.PairID, term.Side(r.Side), term.Place(r.Place), care.When(r.Comes), r.Cause, r.Tried, r.Helped, r.Referred, r.MadeAt, r.Maker}
	}
	return out, err
}

// AddRub keeps that a pair rubs at a place. It fails with a fault.List.
func (a *App) AddRub(ctx context.Context, who Actor, runnerID uint64, r RubReport) error {
	var l fault.List
	if _, err := a.ownPair(ctx, who, runnerID, r.PairID); err == ErrNotFound {
		l.Add("rub_pair", "is not one of this runner's pairs; choose one")
	} else if err != nil {
		return err
	}
	fault.OneOf(&l, "rub_place", r.Place, care.RubPlaces)
	if r.Side != "" {
		fault.OneOf(&l, "rub_side", r.Side, term.Sides)
	}
	if r.When != "" {
		fault.OneOf(&l, "rub_when", r.When, care.Whens)
	}
	text(&l, "rub_cause", r.Cause, 0, 120)
	text(&l, "rub_tried", r.Tried, 0, 300)
	if err := l.Err(); err != nil {
		return err
	}
	return a.store.AddRub(ctx, db.AddRubParams{ShopID: who.ShopID, PairID: r.PairID, Side: string(r.Side), Place: string(r.Place), Comes: string(r.When), Cause: strings.TrimSpace(r.Cause), Tried: strings.TrimSpace(r.Tried), Referred: r.Referred, MadeBy: who.UserID, MadeAt: a.Now()})
}

// RubHelped says whether what was tried helped.
func (a *App) RubHelped(ctx context.Context, who Actor, runnerID, rubID uint64, yes bool) error {
	word := "no"
	if yes {
		word = "yes"
	}
	n, err := a.store.SetRubHelped(ctx, db.SetRubHelpedParams{Helped: word, ID: rubID, ShopID: who.ShopID, RunnerID: runnerID})
	if err == nil && n == 0 {
		// It may say so already.
		rubs, err := a.Rubs(ctx, who, runnerID)
		if err != nil || slices.ContainsFunc(rubs, func(r RubReport) bool { return r.ID == rubID }) {
			return err
		}
		return ErrNotFound
	}
	return err
}

// ModelRub is how often a model was told to rub at a place.
type ModelRub struct {
	Place term.Place
	Told  int64
	Pairs int64
}

// RubsOfModel is what runners told of a model, the most told first.
func (a *App) RubsOfModel(ctx context.Context, who Actor, row uint64) ([]ModelRub, error) {
	rows, err := a.store.RubsOfModel(ctx, db.RubsOfModelParams{ModelID: row, ShopID: who.ShopID})
	out := make([]ModelRub, len(rows))
	for i, r := range rows {
		out[i] = ModelRub{term.Place(r.Place), r.Told, r.Pairs}
	}
	return out, err
}

// RubKnown is what is known of the runner in a pair: room and width in mm, slips and socks.
func (f *Fit) RubKnown(p *Pair) care.Known {
	k := care.Known{LeastMM: 12, MostMM: 17}
	switch f.Settings.Room {
	case "thumbnail":
		k.LeastMM, k.MostMM = 9, 13
	case "thumb":
		k.LeastMM, k.MostMM = 16, 22
	}
	long, ball := 0.0, 0.0
	for _, s := range term.Sides {
		m := f.Foot(s)
		long, ball = max(long, m.LengthMM), max(ball, m.BallMM)
	}
	if long > 0 {
		room := p.Model.InnerLength(p.Size, f.House()) - long
		k.RoomMM = &room
	}
	if at := foot.LetterIndex(p.Model.Chart, p.Width); ball > 0 && at >= 0 {
		letter := f.House().LetterMM
		standard := float64(foot.LetterIndex(p.Model.Chart, foot.StandardLetter(p.Model.Chart)))
		off := (float64(at)-standard)*letter - (ball - foot.StandardBall(p.Model.Chart, long, f.House()))
		k.BallMM = &off
	}
	k.ThickSock = f.Text("sock", "", 0) == "thick"
	k.TrailRunner = p.Model.Surface == term.Trail
	for _, flag := range f.Flags() {
		k.Diabetes = k.Diabetes || strings.Contains(string(flag), "diabetes")
		k.Numb = k.Numb || strings.Contains(string(flag), "numb")
	}
	if held, err := strconv.Atoi(f.Text("try_heel", "", int(p.modelRow))); err == nil {
		k.HeelSlips = held < 5 // of 10, as told at the try-on
	}
	return k
}

// Changing is a plan of changing over with its reports, as it stands.
type Changing struct {
	ID       uint64
	From, To string
	Asked    care.Change
	Plan     care.Transition
	MadeAt   time.Time
	Ended    bool
	Next     int // the calendar week that is to be reported next, 0: none yet
	Now      int // the calendar week that today lies in, 0: none
}

// Changings are the runner's plans, the latest first.
func (a *App) Changings(ctx context.Context, who Actor, runnerID uint64) ([]Changing, error) {
	rows, err := a.store.ChangesOfRunner(ctx, db.ChangesOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
	if err != nil {
		return nil, err
	}
	reports, err := a.store.ChangeReports(ctx, db.ChangeReportsParams{RunnerID: runnerID, ShopID: who.ShopID})
	if err != nil {
		return nil, err
	}
	var out []Changing
	for _, r := range rows {
		c := Changing{ID: r.ID, From: r.FromName, To: r.ToName, MadeAt: r.MadeAt, Ended: r.EndedAt.Valid}
		if err := json.Unmarshal(r.Asked, &c.Asked); err != nil {
			return nil, err
		}
		for _, x := range reports {
			if x.ChangeID == r.ID {
				rep := care.Report{Week: int(x.Week), Soreness: x.Soreness, Night: x.Night}
				if x.Place != "" {
					p := term.Place(x.Place)
					rep.Place = &p
				}
				c.Asked.Reports = append(c.Asked.Reports, rep)
			}
		}
		if c.Plan, err = care.Plan(c.Asked); err != nil {
			return nil, err
		}
		today := a.Today().Format(time.DateOnly)
		for i, w := range c.Plan.Weeks {
			if w.Starts <= today {
				c.Now = i + 1
				if !slices.ContainsFunc(c.Asked.Reports, func(r care.Report) bool { return r.Week == i+1 }) && c.Next == 0 {
					c.Next = i + 1
				}
			}
		}
		if c.Ended || c.Plan.Stopped {
			c.Next = 0
		}
		out = append(out, c)
	}
	return out, nil
}

// ChangeOver makes a plan from one of the runner's pairs to another, as of what is known:
// complaints of the calf and the Achilles are taken from the latest fit. goal is the share
// in the new pair in the end, nil all. It fails with a fault.List, and where the plan is
// refused with the reason at change_to.
func (a *App) ChangeOver(ctx context.Context, who Actor, runnerID, from, to uint64, weeklyKM float64, goal *float64, start string) error {
	pairs, err := a.Pairs(ctx, who, runnerID)
	if err != nil {
		return err
	}
	var l fault.List
	find := func(field string, id uint64) *Pair {
		for i := range pairs {
			if pairs[i].ID == id {
				return &pairs[i]
			}
		}
		l.Add(field, "is not one of this runner's pairs; choose one")
		return nil
	}
	x, y := find("change_from", from), find("change_to", to)
	if from == to && from != 0 {
		l.Add("change_to", "is the same pair; choose another")
	}
	on, err := time.Parse(time.DateOnly, start)
	if err != nil || on.Before(a.Today().AddDate(0, -6, 0)) || on.After(a.Today().AddDate(1, 0, 0)) {
		l.Add("change_start", "is %q; allowed is a day within half a year back and a year ahead, such as %s", clip(start), a.Today().Format(time.DateOnly))
	}
	l.Range("change_km", weeklyKM, 1, 300, "km")
	if err := l.Err(); err != nil {
		return err
	}
	shoeOf := func(p *Pair) *care.Shoe {
		return &care.Shoe{DropMM: p.Model.Drop(), StackMM: p.Model.StackHeelMM, Bareness: p.Model.Bareness()}
	}
	ask := care.Change{From: shoeOf(x), To: shoeOf(y), WeeklyKM: weeklyKM, GoalShare: goal, Start: start}
	fit, err := a.fitWithWeek(ctx, who, runnerID)
	if err != nil && err != ErrNotFound {
		return err
	}
	if err == nil {
		if list, _ := fit.Complaints(); list != nil {
			// Months ago as of the fit; since then more have gone by.
			since := a.Now().Sub(fit.StartedAt).Hours() / (24 * 30.44)
			for _, c := range *list {
				if c.MonthsAgo != nil {
					ask.Complaints = append(ask.Complaints, care.Complaint{Place: c.Place, MonthsAgo: *c.MonthsAgo + max(0, since)})
				}
			}
		}
	}
	plan, err := care.Plan(ask)
	if faults, ok := fault.As(err); ok {
		for _, f := range faults {
			l.Add("change_to", "%s %s", f.Field, f.Text)
		}
		return l
	}
	if err != nil {
		return err
	}
	switch {
	case plan.Refused != nil:
		return fault.List{{Field: "change_to", Text: "is refused. " + strings.TrimSuffix(*plan.Refused, ".")}}
	case !plan.Needed:
		return fault.List{{Field: "change_to", Text: fmt.Sprintf("is close enough to the old pair (size %.2f, from 0.75 a plan is needed): no plan is needed", plan.Size)}}
	}
	data, err := json.Marshal(ask)
	if err != nil {
		return err
	}
	_, err = a.store.AddChange(ctx, db.AddChangeParams{ShopID: who.ShopID, RunnerID: runnerID, FromName: x.Name(), ToName: y.Name(), Asked: data, MadeBy: who.UserID, MadeAt: a.Now()})
	return err
}

// ReportSore tells the plan how a calendar week went. It fails with a fault.List.
func (a *App) ReportSore(ctx context.Context, who Actor, runnerID, changeID uint64, r care.Report) error {
	list, err := a.Changings(ctx, who, runnerID)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(list, func(c Changing) bool { return c.ID == changeID })
	if at < 0 {
		return ErrNotFound
	}
	var l fault.List
	if r.Week < 1 || r.Week != list[at].Next {
		l.Add("sore_week", "is %d; week %d is to be reported next", r.Week, list[at].Next)
		if list[at].Next == 0 {
			l = nil
			l.Add("sore_week", "is %d; nothing is to be reported yet", r.Week)
		}
	}
	l.Range("sore_level", r.Soreness, 0, 10, "")
	place := ""
	if r.Place != nil {
		fault.OneOf(&l, "sore_place", *r.Place, term.Places)
		place = string(*r.Place)
	}
	if err := l.Err(); err != nil {
		return err
	}
	return a.store.AddChangeReport(ctx, db.AddChangeReportParams{ShopID: who.ShopID, ChangeID: changeID, Week: int32(r.Week), Soreness: r.Soreness, Place: place, Night: r.Night, MadeBy: who.UserID, MadeAt: a.Now()})
}

// EndChange ends a plan; what was reported stays.
func (a *App) EndChange(ctx context.Context, who Actor, runnerID, changeID uint64) error {
	n, err := a.store.EndChange(ctx, db.EndChangeParams{EndedAt: nullTime(a.Now()), ID: changeID, RunnerID: runnerID, ShopID: who.ShopID})
	if err == nil && n == 0 {
		return ErrNotFound
	}
	return err
}

// ForDay is a model for a day: one of the runner's pairs, or one on the shelf.
type ForDay struct {
	Name    string
	Pair    *Pair
	Serves  bool
	Suit    float64
	Missing []string
	Price   int64
}

// UnderMyFeet answers what belongs under the feet on a day: the runner's own pairs, the
// best first, and what the shelf would offer where none of them serves.
func (a *App) UnderMyFeet(ctx context.Context, who Actor, runnerID uint64, day care.Day) (own, shelf []ForDay, err error) {
	fit, pairs, _, err := a.wornOf(ctx, who, runnerID)
	if err != nil {
		return nil, nil, err
	}
	wearer := fit.Wearer()
	serves := false
	for i := range pairs {
		p := &pairs[i]
		if !p.SetAsideOn.IsZero() {
			continue
		}
		x := ForDay{Name: p.Name(), Pair: p}
		x.Serves, x.Suit, x.Missing = day.Suits(&p.Model, wearer)
		serves = serves || x.Serves
		own = append(own, x)
	}
	better := func(x, y ForDay) int {
		if x.Serves != y.Serves {
			if x.Serves {
				return -1
			}
			return 1
		}
		switch {
		case x.Suit > y.Suit:
			return -1
		case x.Suit < y.Suit:
			return 1
		}
		return int(x.Price - y.Price)
	}
	slices.SortStableFunc(own, better)
	if serves {
		return own, nil, nil
	}
	c, err := a.Catalogue(ctx, who)
	if err != nil {
		return own, nil, err
	}
	for i := range c.Models {
		m := &c.Models[i]
		if m.Chart != fit.Runner.Chart {
			continue
		}
		if ok, suit, _ := day.Suits(m, wearer); ok {
			shelf = append(shelf, ForDay{Name: ModelName(m), Serves: true, Suit: suit, Price: m.Price()})
		}
	}
	slices.SortStableFunc(shelf, better)
	return own, shelf[:min(3, len(shelf))], nil
}
