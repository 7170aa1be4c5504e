package app

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/match"
	"trevik/internal/core/rotation"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
)

// PlanRows are how many parts a week on the board holds; week B has its rows after those of
// week A.
const PlanRows = 14

// Weeks of a board: one that repeats, or two in turn.
const (
	WeekA = iota
	WeekB
)

// planFields are a part of the week on the board: its day and hour, and which run it is a
// part of.
var planFields = []Field{
	{Name: "plan_day", Label: "Day", Kind: Choice, Choices: rotation.Days, Repeats: 2 * PlanRows, How: "told"},
	{Name: "plan_start", Label: "At", Kind: Clock, Repeats: 2 * PlanRows, How: "told"},
	{Name: "plan_km", Label: "Distance", Kind: Number, Unit: KM, Lo: 0.1, Hi: 300, Repeats: 2 * PlanRows, How: "told"},
	{Name: "plan_minutes", Label: "Minutes", Kind: Number, Lo: 1, Hi: 1440, Repeats: 2 * PlanRows, How: "told"},
	{Name: "plan_kind", Label: "Kind", Kind: Choice, Choices: runKinds, Repeats: 2 * PlanRows, How: "told"},
	{Name: "plan_ground", Label: "Ground", Kind: Choice, Choices: texts(term.Grounds), Repeats: 2 * PlanRows, How: "told"},
	{Name: "plan_run", Label: "Part of run", Kind: Choice, Choices: runLetters, Repeats: 2 * PlanRows, How: "told"},
	{Name: "plan_weeks", Label: "Weeks", Kind: Choice, Choices: []string{"all_alike", "A_and_B_in_turn"}, Reforms: true, How: "told"},
	{Name: "plan_pairs", Label: "Pairs at most", Kind: Number, Lo: 1, Hi: 6, How: "told"},
	{Name: "plan_money", Label: "For new pairs", Kind: Number, Unit: Money, Lo: 0, Hi: 1e7, How: "told"},
	{Name: "plan_variety", Label: "Pairs that are", Kind: Choice, Choices: Varieties, How: "told"},
	{Name: "plan_plates", Label: "Plates", Kind: Choice, Choices: texts(shoe.PlateViews), How: "told"},
}

var (
	runKinds   = texts(slices.DeleteFunc(slices.Clone(term.Kinds), func(k term.Kind) bool { return k == term.Gym }))
	runLetters = []string{"a", "b", "c", "d", "e", "f", "g"}
)

// Varieties are the views of a rotation: two of the favourite, told apart by colour, or
// pairs that differ.
var Varieties = []string{"same", "different"}

// TemplateFields are those of a week from a template.
var TemplateFields = []Field{
	{Name: "template_goal", Label: "For", Kind: Choice, Choices: texts(rotation.Goals)},
	{Name: "template_km", Label: "A week", Kind: Number, Unit: KM, Lo: 3, Hi: 300},
	{Name: "template_days", Label: "Days, if told", Kind: Number, Lo: 1, Hi: 7},
}

// TwoWeeks says whether the board holds two weeks in turn.
func (f *Fit) TwoWeeks() bool { return f.Text("plan_weeks", "", 0) == "A_and_B_in_turn" }

// WeekOn is which week of the board a day lies in: week A is the one in which the fit
// began, from its Monday.
func (f *Fit) WeekOn(day time.Time) int {
	if !f.TwoWeeks() {
		return WeekA
	}
	start := f.StartedAt
	monday := time.Date(start.Year(), start.Month(), start.Day()-(int(start.Weekday())+6)%7, 0, 0, 0, 0, time.UTC)
	weeks := int(math.Floor(day.Sub(monday).Hours() / (24 * 7)))
	return (weeks%2 + 2) % 2
}

// Planned is a week on the board; rows that lack something are counted in half.
func (f *Fit) Planned(week int) (parts []rotation.WeekPart, half int) {
	for i := week*PlanRows + 1; i <= (week+1)*PlanRows; i++ {
		p, some, ok := f.planned(i)
		switch {
		case ok:
			parts = append(parts, p)
		case some:
			half++
		}
	}
	return parts, half
}

// planned is one row of the board: some says that something stands in it, ok that it is a
// part of a run.
func (f *Fit) planned(row int) (p rotation.WeekPart, some, ok bool) {
	day, start, km := f.Text("plan_day", "", row), f.Text("plan_start", "", row), f.Num("plan_km", "", row)
	kind, ground, run := f.Text("plan_kind", "", row), f.Text("plan_ground", "", row), f.Text("plan_run", "", row)
	if some = day != "" || km != nil || kind != ""; day == "" || km == nil || kind == "" {
		return p, some, false
	}
	p = rotation.WeekPart{ID: fmt.Sprintf("row %d", row), Day: day, Start: cmp.Or(start, "18:30"), KM: *km, Kind: term.Kind(kind),
		Ground: term.Ground(cmp.Or(ground, string(f.usualGround()))), Minutes: f.Num("plan_minutes", "", row)}
	if run != "" {
		p.Run = "run " + run
	}
	return p, true, true
}

// rowValues write a part into a row of the board; nil empties it.
func rowValues(row int, p *rotation.WeekPart) []Value {
	var out []Value
	for _, f := range planFields {
		if f.Repeats == 0 {
			continue
		}
		v := Value{Key: Key{Name: f.Name, Repeat: row}, Field: f, Empty: true}
		if p != nil {
			switch f.Name {
			case "plan_day":
				v.Text = p.Day
			case "plan_start":
				v.Text = p.Start
			case "plan_kind":
				v.Text = string(p.Kind)
			case "plan_ground":
				v.Text = string(p.Ground)
			case "plan_run":
				v.Text = strings.TrimPrefix(p.Run, "run ")
			case "plan_km":
				v.Number = p.KM
			case "plan_minutes":
				if p.Minutes != nil {
					v.Number = *p.Minutes
				}
			}
			v.Empty = v.Text == "" && v.Number == 0
		}
		out = append(out, v)
	}
	return out
}

// put writes parts over a whole week of the board. Parts of one run get a letter.
func (a *App) put(ctx context.Context, who Actor, fitID uint64, week int, parts []rotation.WeekPart) (Saved, error) {
	letters := map[string]string{}
	count := map[string]int{}
	for _, p := range parts {
		count[p.Run]++
	}
	var values []Value
	for i := range PlanRows {
		var p *rotation.WeekPart
		if i < len(parts) {
			part := parts[i]
			if run := part.Run; run != "" && count[run] > 1 && (letters[run] != "" || len(letters) < len(runLetters)) {
				if letters[run] == "" {
					letters[run] = runLetters[len(letters)]
				}
				part.Run = letters[run]
			} else {
				part.Run = ""
			}
			p = &part
		}
		values = append(values, rowValues(week*PlanRows+i+1, p)...)
	}
	return a.Record(ctx, who, fitID, values)
}

// LayOut puts the week that was told at Hello on the board, an easy distance over as many
// days as were told, for the fitter and the runner to move.
func (a *App) LayOut(ctx context.Context, who Actor, fitID uint64, week int) (Saved, error) {
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return Saved{}, err
	}
	told, _ := fit.Week()
	days := 3
	if d := fit.Num("run_days", "", 0); d != nil {
		days = int(*d)
	}
	return a.put(ctx, who, fitID, week, rotation.Lay(told, days))
}

// LayTemplate puts a plain week for a goal and a weekly distance, km, on the board; days
// nil is as many as that distance is usually run on. It fails with a fault.List.
func (a *App) LayTemplate(ctx context.Context, who Actor, fitID uint64, week int, goal rotation.Goal, km float64, days *float64) (Saved, error) {
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return Saved{}, err
	}
	var l fault.List
	fault.OneOf(&l, "template_goal", goal, rotation.Goals)
	if l.Range("template_km", km, 3, 300, "km"); len(l) > 0 {
		return Saved{}, l
	}
	n := rotation.DaysFor(km)
	if days != nil {
		n = int(*days)
	}
	return a.put(ctx, who, fitID, week, rotation.Template(goal, km, n, fit.usualGround()))
}

// SplitRun parts the run in a row of the board into warm-up, repetitions and cool-down, in
// that row and the next empty ones of its week. It fails with a fault.List at the row's
// distance where it is no whole run, is too short, or no rows are left.
func (a *App) SplitRun(ctx context.Context, who Actor, fitID uint64, row int) (Saved, error) {
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return Saved{}, err
	}
	at := Key{Name: "plan_km", Repeat: row}.Input()
	p, _, ok := fit.planned(row)
	if row < 1 || row > 2*PlanRows || !ok {
		return Saved{}, fault.List{{Field: at, Text: "is not a whole run yet; give its day, distance and kind"}}
	}
	week := (row - 1) / PlanRows
	used := map[string]bool{}
	var free []int
	for i := week*PlanRows + 1; i <= (week+1)*PlanRows; i++ {
		used[fit.Text("plan_run", "", i)] = true
		if _, some, _ := fit.planned(i); !some {
			free = append(free, i)
		}
	}
	parts := p.Split()
	switch {
	case len(parts) == 1:
		return Saved{}, fault.List{{Field: at, Text: "is too short to be split; allowed is from 0.4 km"}}
	case p.Run != "":
		return Saved{}, fault.List{{Field: at, Text: "is a part of a run already"}}
	case len(free) < 2:
		return Saved{}, fault.List{{Field: at, Text: fmt.Sprintf("needs two more rows; the week has %d, all in use", PlanRows)}}
	}
	letter := slices.IndexFunc(runLetters, func(l string) bool { return !used[l] })
	if letter < 0 {
		return Saved{}, fault.List{{Field: at, Text: fmt.Sprintf("would be the eighth run in parts; allowed are %d", len(runLetters))}}
	}
	var values []Value
	for i, at := range []int{row, free[0], free[1]} {
		parts[i].Run = runLetters[letter]
		values = append(values, rowValues(at, &parts[i])...)
	}
	return a.Record(ctx, who, fitID, values)
}

// ResizeRun makes the run in a row of the board last so many minutes at its pace. It fails
// with a fault.List at the row's minutes.
func (a *App) ResizeRun(ctx context.Context, who Actor, fitID uint64, row int, minutes float64) (Saved, error) {
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return Saved{}, err
	}
	p, _, ok := fit.planned(row)
	var l fault.List
	at := Key{Name: "plan_minutes", Repeat: row}.Input()
	if !ok {
		l.Add(at, "is of no whole run")
		return Saved{}, l
	}
	begin, end := p.Times()
	if l.Range(at, minutes, 1, 1440, "minutes"); len(l) > 0 {
		return Saved{}, l
	}
	p.KM = units.Round(p.KM*minutes/(end-begin), 1)
	if l.Range(at, p.KM, 0.1, 300, "km at its pace"); len(l) > 0 {
		return Saved{}, l
	}
	if p.Minutes != nil {
		p.Minutes = &minutes
	}
	return a.Record(ctx, who, fitID, rowValues(row, &p))
}

// surfaceOf is what a model for a ground is made for.
var surfaceOf = map[term.Ground]term.Surface{
	term.GroundRoad: term.Road, term.GroundTreadmill: term.Road, term.GroundTrack: term.Track, term.GroundTrail: term.Trail, term.GroundMud: term.Trail, term.GroundSnow: term.Trail, term.GroundIce: term.Trail,
}

// perSurface is how many models of a surface stand as candidates.
const perSurface = 10

// PlateView is when this runner wears plates: their choice, else the shop's.
func (f *Fit) PlateView() shoe.PlateView {
	return shoe.PlateView(cmp.Or(f.Text("plan_plates", "", 0), f.Settings.Plates))
}

// Variety is whether this runner's pairs are to be the same or different: their choice,
// else the shop's; empty is either.
func (f *Fit) Variety() string {
	if v := cmp.Or(f.Text("plan_variety", "", 0), f.Settings.Variety); slices.Contains(Varieties, v) {
		return v
	}
	return ""
}

// suitField holds what a fitter set for a model, a kind and a ground: the value, then why.
func suitField(kind term.Kind, ground term.Ground) Field {
	return Field{Name: "suit_" + string(kind) + "_" + string(ground), Label: "Suitability", Kind: Text, Max: 300, ByModel: true, How: "decided"}
}

// SuitFields are those of the form that sets a suitability.
var SuitFields = []Field{
	{Name: "suit_model", Label: "Model", Kind: Text, Max: 80},
	{Name: "suit_kind", Label: "Kind of run", Kind: Choice, Choices: runKinds},
	{Name: "suit_ground", Label: "On", Kind: Choice, Choices: texts(term.Grounds)},
	{Name: "suit_value", Label: "Suits, 0 to 1", Kind: Number, Lo: 0, Hi: 1},
	{Name: "suit_why", Label: "Why, kept with your name", Kind: Text, Max: 200},
}

// SetSuit lays down how well a model suits a kind of run for this runner, with the reason,
// in the place of the computed value; undo goes back to that. It fails with a fault.List.
func (a *App) SetSuit(ctx context.Context, who Actor, fitID uint64, code string, kind term.Kind, ground term.Ground, value float64, why string, undo bool) (Saved, error) {
	c, err := a.Catalogue(ctx, who)
	if err != nil {
		return Saved{}, err
	}
	var l fault.List
	if m := c.Find(code); m != nil {
		code = m.ID
	} else {
		l.Add("suit_model", "is not in the catalogue; choose one")
	}
	fault.OneOf(&l, "suit_kind", string(kind), runKinds)
	fault.OneOf(&l, "suit_ground", ground, term.Grounds)
	why = strings.TrimSpace(why)
	if !undo {
		l.Range("suit_value", value, 0, 1, "")
		text(&l, "suit_why", why, 3, 200)
	}
	if err := l.Err(); err != nil {
		return Saved{}, err
	}
	field := suitField(kind, ground)
	return a.Record(ctx, who, fitID, []Value{{Key: Key{Name: field.Name, Repeat: c.Row(code)}, Field: field, Text: strconv.FormatFloat(value, 'f', 2, 64) + " " + why, Empty: undo}})
}

// Suit is how well a model serves a kind of run for this runner, with the reasons: what a
// fitter set, else what is computed under the runner's view of plates. set is who set it.
func (f *Fit) Suit(m *shoe.Model, row int, kind term.Kind, ground term.Ground) (value float64, why, set string) {
	who := f.Wearer()
	who.Plates = f.PlateView()
	if found, ok := f.Findings[Key{Name: suitField(kind, ground).Name, Repeat: row}]; ok {
		figure, reason, _ := strings.Cut(found.Text, " ")
		if v, err := strconv.ParseFloat(figure, 64); err == nil {
			computed := m.Suits(kind, ground, who)
			return v, fmt.Sprintf("set by %s: %s (computed: %.2f)", found.Maker, reason, computed), found.Maker
		}
	}
	value, why = m.Suitability(kind, ground, who)
	return value, why, ""
}

// SuitOf is Suit of one of the runner's pairs.
func (f *Fit) SuitOf(p *Pair, kind term.Kind, ground term.Ground) (value float64, why, set string) {
	return f.Suit(&p.Model, int(p.modelRow), kind, ground)
}

// SuitSet is a suitability that was set for this runner.
type SuitSet struct {
	Model  *shoe.Model
	Kind   term.Kind
	Ground term.Ground
	Value  float64
	Why    string
}

// SuitsSet lists what was set, by model.
func (f *Fit) SuitsSet(c *Catalogue) []SuitSet {
	var out []SuitSet
	for _, kind := range term.Kinds {
		for _, ground := range term.Grounds {
			name := suitField(kind, ground).Name
			for k := range f.Findings {
				if k.Name != name {
					continue
				}
				if m := c.byID(uint64(k.Repeat)); m != nil {
					v, why, _ := f.Suit(m, k.Repeat, kind, ground)
					out = append(out, SuitSet{m, kind, ground, v, why})
				}
			}
		}
	}
	slices.SortStableFunc(out, func(x, y SuitSet) int { return cmp.Compare(x.Model.ID, y.Model.ID) })
	return out
}

// CandidateInfo is a candidate with what a page says of it.
type CandidateInfo struct {
	rotation.Candidate
	Name   string
	Second bool // a second one of a pair that they have
	Model  *shoe.Model
	PerKM  float64 // minor units a km over its life
	Stock  int     // on the shelf in the runner's size, of one to buy
}

// Candidates are what the week can be run in: the pairs in use, a second one of each, and
// the models that fit the runner best, by the surfaces that the week asks for. Where pairs
// are to be the same, each new model stands twice and none of the kind of a pair that they
// have stands beside its second; where they are to differ there are no seconds.
func (f *Fit) Candidates(c *Catalogue, worn []Worn, parts []rotation.WeekPart) ([]CandidateInfo, error) {
	var out []CandidateInfo
	suits := func(m *shoe.Model) []rotation.Suit {
		var list []rotation.Suit
		seen := map[[2]string]bool{}
		row := c.Row(m.ID)
		for _, p := range parts {
			if k := [2]string{string(p.Kind), string(p.Ground)}; !seen[k] {
				seen[k] = true
				v, _, _ := f.Suit(m, row, p.Kind, p.Ground)
				list = append(list, rotation.Suit{Kind: p.Kind, Ground: p.Ground, Value: v})
			}
		}
		return list
	}
	have := map[string]bool{}
	type kind struct {
		class   term.Class
		surface term.Surface
	}
	favourites := map[kind]bool{}
	for i := range worn {
		w := &worn[i]
		life := w.Wear.RemainingKM.P50
		m := &w.Pair.Model
		per := 0.0
		if w.Wear.CostPerKM != nil {
			per = *w.Wear.CostPerKM
		}
		out = append(out, CandidateInfo{Candidate: rotation.Candidate{ID: PairID(w.Pair.ID), Owned: true, LifeKM: &life, Suitability: suits(m)}, Name: w.Pair.Name(), Model: m, PerKM: per})
		have[m.ID] = true
		favourites[kind{m.Class, m.Surface}] = true
	}
	sup, err := f.Support()
	if err != nil {
		return nil, err
	}
	r, ready := f.Request(sup, c)
	if !ready || sup.Refer {
		return out, nil
	}
	var surfaces []term.Surface
	for _, p := range parts {
		if s := surfaceOf[p.Ground]; !slices.Contains(surfaces, s) {
			surfaces = append(surfaces, s)
		}
	}
	variety := f.Variety()
	for _, s := range surfaces {
		answer, err := f.rankFor(r, s, parts)
		if err != nil {
			return nil, err
		}
		n := 0
		for _, x := range answer.Ranked {
			m := c.ByCode(x.Model)
			if have[x.Model] {
				if variety != "different" {
					out = append(out, f.toBuy(m, x.Model, "a second "+ModelName(m), suits(m), x.Size.Stock))
					out[len(out)-1].Second = true
				}
				continue
			}
			if n++; n > perSurface || variety == "same" && favourites[kind{m.Class, m.Surface}] {
				continue
			}
			out = append(out, f.toBuy(m, x.Model, ModelName(m), suits(m), x.Size.Stock))
			if variety == "same" && n <= perSurface/2 {
				out = append(out, f.toBuy(m, x.Model+SecondOne, "a second "+ModelName(m), suits(m), x.Size.Stock-1))
				out[len(out)-1].Second = true
			}
		}
	}
	// A model of both charts is told apart by its chart.
	count := map[string]int{}
	for _, x := range out {
		count[x.Name]++
	}
	for i, x := range out {
		if count[x.Name] > 1 {
			out[i].Name += ", " + string(x.Model.Chart)
		}
	}
	return out, nil
}

// SecondOne ends the id of a candidate that is the second of a model.
const SecondOne = " (second)"

// PairID is an owned pair's id among the candidates.
func PairID(id uint64) string { return fmt.Sprintf("pair %d", id) }

// toBuy is a candidate that is on the shelf, or is to be ordered where stock is 0.
func (f *Fit) toBuy(m *shoe.Model, id, name string, suits []rotation.Suit, stock int) CandidateInfo {
	life := m.Life(f.House())
	return CandidateInfo{Candidate: rotation.Candidate{ID: id, Price: m.Price(), LifeKM: &life, Suitability: suits}, Name: name, Model: m, PerKM: float64(m.Price()) / life, Stock: max(0, stock)}
}

// rankFor ranks the catalogue for a surface of the week.
func (f *Fit) rankFor(r match.Request, s term.Surface, parts []rotation.WeekPart) (match.Answer, error) {
	r.Surface = s
	if s == term.Trail && f.Settings.TrailRule == term.PlatformOnly {
		neutral := term.Neutral
		r.Level, r.Spread = &neutral, []term.Level{neutral}
	}
	r.Kinds = nil
	for _, p := range parts {
		if surfaceOf[p.Ground] == s {
			r.Kinds = append(r.Kinds, match.KindShare{Kind: p.Kind, Ground: p.Ground, Share: p.KM})
		}
	}
	return match.Rank(r)
}

// ForGym are the models for lifting and the gym that fit the runner, the best first.
func (f *Fit) ForGym(c *Catalogue) ([]*shoe.Model, error) {
	sup, err := f.Support()
	if err != nil {
		return nil, err
	}
	r, ready := f.Request(sup, c)
	if !ready || sup.Refer {
		return nil, nil
	}
	r.Surface, r.Kinds = term.GymSurface, []match.KindShare{{Kind: term.Gym, Ground: term.GroundTreadmill, Share: 1}}
	neutral := term.Neutral
	r.Level, r.Spread = &neutral, []term.Level{neutral}
	answer, err := match.Rank(r)
	if err != nil {
		return nil, err
	}
	var out []*shoe.Model
	for _, x := range answer.Ranked[:min(3, len(answer.Ranked))] {
		out = append(out, c.ByCode(x.Model))
	}
	return out, nil
}

// What asks for another answer than the present one, to look at beside it.
type What struct {
	Without []string // candidates that are left out
	Double  []string // candidates that stand twice
	More    int64    // minor units more for new pairs
}

// Any says whether anything is asked for.
func (w What) Any() bool { return len(w.Without)+len(w.Double) > 0 || w.More > 0 }

// PlanWeek is the problem of the board for a list of candidates. Money that was not told is
// no limit.
func (f *Fit) PlanWeek(parts []rotation.WeekPart, candidates []CandidateInfo, what What) rotation.Week {
	w := rotation.Week{Schema: rotation.WeekSchema, Currency: f.Currency, Parts: parts}
	pairs := 3
	if f.Text("pairs_wanted", "", 0) == "one_for_all" {
		pairs = 1
	}
	if n := f.Num("plan_pairs", "", 0); n != nil {
		pairs = int(*n)
	}
	pairs += len(what.Double) // a second one comes beside the others
	w.MaxPairs = &pairs
	if m := f.Num("plan_money", "", 0); m != nil {
		budget := int64(*m) + what.More
		w.Budget = &budget
	}
	for _, c := range candidates {
		if !slices.Contains(what.Without, c.ID) {
			w.Pairs = append(w.Pairs, c.Candidate)
		}
	}
	return w
}

// Doubled is the candidates with a second one of each that is to stand twice, beside it.
func (f *Fit) Doubled(candidates []CandidateInfo, what What) []CandidateInfo {
	out := slices.Clone(candidates)
	for _, id := range what.Double {
		i := slices.IndexFunc(out, func(x CandidateInfo) bool { return x.ID == id })
		if i < 0 || slices.ContainsFunc(out, func(x CandidateInfo) bool { return x.ID == id+SecondOne }) {
			continue
		}
		second := f.toBuy(out[i].Model, id+SecondOne, "a second "+strings.TrimPrefix(out[i].Name, "a second "), out[i].Suitability, max(0, out[i].Stock-1))
		second.Second = true
		out = slices.Insert(out, i+1, second)
	}
	return out
}

// Ahead are the pairs' effective km by week from today, by candidate: what the plans of the
// board give to each. answers are by week of the board.
func (f *Fit) Ahead(weeks [][]rotation.WeekPart, answers []rotation.Answer, model func(id string) *shoe.Model) map[string][]float64 {
	km := make([]map[string]float64, len(weeks))
	ids := map[string]bool{}
	for n, parts := range weeks {
		km[n] = map[string]float64{}
		for _, p := range parts {
			if id, ok := answers[n].Assign[p.ID]; ok {
				km[n][id] += wear.Load(wear.Run{KM: p.KM, Ground: p.Ground, Kind: p.Kind}, model(id).Surface, nil, &f.Now.House)
				ids[id] = true
			}
		}
	}
	length := 1
	if len(weeks) > 1 {
		length = wear.HorizonWeeks
	}
	out := map[string][]float64{}
	for id := range ids {
		for w := range length {
			n := 0
			if len(weeks) > 1 {
				n = f.WeekOn(f.Today.AddDate(0, 0, 7*w))
			}
			out[id] = append(out[id], km[n][id])
		}
	}
	return out
}

// Board are the weeks on the board: one, or two in turn; none where nothing stands in
// week A.
func (f *Fit) Board() [][]rotation.WeekPart {
	a, _ := f.Planned(WeekA)
	if len(a) == 0 {
		return nil
	}
	if !f.TwoWeeks() {
		return [][]rotation.WeekPart{a}
	}
	b, _ := f.Planned(WeekB)
	return [][]rotation.WeekPart{a, b}
}

// Purchase is a pair that the plan asks to order, and by when.
type Purchase struct {
	Name  string
	Model *shoe.Model
	Price int64
	By    string // the day to order by; empty is now
	Out   string // the day at which the pair that it follows is worn out, even chance
	Why   string
}

// planDays is how far a plan looks where no race lies beyond (house).
const planDays = 182

// Until is the last day that the plan looks at: half a year, or the race if that is later.
func (f *Fit) Until() time.Time {
	until := f.Today.AddDate(0, 0, planDays)
	if d, err := time.Parse(time.DateOnly, f.Text("race_on", "", 0)); err == nil && d.After(until) && d.Before(f.Today.AddDate(2, 0, 0)) {
		return d
	}
	return until
}

// Purchases are what the plan asks to order, the first day first: the pairs that it buys,
// and the next of every pair that runs out before the plan ends. ahead is each pair's
// effective km by week, worn the pairs in use.
func (f *Fit) Purchases(c *Catalogue, candidates []CandidateInfo, buy []string, ahead map[string][]float64, worn []Worn) ([]Purchase, error) {
	var out []Purchase
	until := f.Until().Format(time.DateOnly)
	next := func(m *shoe.Model, name string, a wear.Answer) {
		if a.OrderBy == nil || *a.OrderBy > until {
			return
		}
		line := c.Line(m.ID)
		to := m
		if len(line) > 0 {
			to = line[len(line)-1] // a favourite is bought again before its version goes
		}
		p := Purchase{Name: ModelName(to), Model: to, Price: to.Price(), By: max(*a.OrderBy, f.Today.Format(time.DateOnly)), Why: "after " + name}
		if a.Dates.P50 != nil {
			p.Out = *a.Dates.P50
		}
		out = append(out, p)
	}
	for _, x := range candidates {
		if slices.Contains(buy, x.ID) {
			out = append(out, Purchase{Name: x.Name, Model: x.Model, Price: x.Price, Why: "for the week on the board"})
			a, err := wear.Assess(f.wearInput(&Pair{Model: *x.Model, Price: x.Price}, ahead[x.ID]))
			if err != nil {
				return nil, err
			}
			next(x.Model, "the new "+x.Name, a)
		}
	}
	for i := range worn {
		next(&worn[i].Pair.Model, worn[i].Pair.Name(), worn[i].Wear)
	}
	slices.SortStableFunc(out, func(x, y Purchase) int { return cmp.Compare(x.By, y.By) })
	return out, nil
}
