package app

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"trevik/internal/core/match"
	"trevik/internal/core/rotation"
	"trevik/internal/core/term"
)

// PlanRows are how many parts a week on the board holds.
const PlanRows = 14

// planFields are a part of the week on the board: its day and hour, and which run it is a
// part of.
var planFields = []Field{
	{Name: "plan_day", Label: "Day", Kind: Choice, Choices: rotation.Days, Repeats: PlanRows, How: "told"},
	{Name: "plan_start", Label: "At", Kind: Clock, Repeats: PlanRows, How: "told"},
	{Name: "plan_km", Label: "Distance", Kind: Number, Unit: KM, Lo: 0.1, Hi: 300, Repeats: PlanRows, How: "told"},
	{Name: "plan_minutes", Label: "Minutes", Kind: Number, Lo: 1, Hi: 1440, Repeats: PlanRows, How: "told"},
	{Name: "plan_kind", Label: "Kind", Kind: Choice, Choices: texts(slices.DeleteFunc(slices.Clone(term.Kinds), func(k term.Kind) bool { return k == term.Gym })), Repeats: PlanRows, How: "told"},
	{Name: "plan_ground", Label: "Ground", Kind: Choice, Choices: texts(term.Grounds), Repeats: PlanRows, How: "told"},
	{Name: "plan_run", Label: "Part of run", Kind: Choice, Choices: []string{"a", "b", "c", "d", "e", "f", "g"}, Repeats: PlanRows, How: "told"},
	{Name: "plan_pairs", Label: "Pairs at most", Kind: Number, Lo: 1, Hi: 6, How: "told"},
	{Name: "plan_money", Label: "For new pairs", Kind: Number, Unit: Money, Lo: 0, Hi: 1e7, How: "told"},
}

// Planned is the week on the board; rows that lack something are counted in half.
func (f *Fit) Planned() (parts []rotation.WeekPart, half int) {
	for i := 1; i <= PlanRows; i++ {
		day, start, km := f.Text("plan_day", "", i), f.Text("plan_start", "", i), f.Num("plan_km", "", i)
		kind, ground, run := f.Text("plan_kind", "", i), f.Text("plan_ground", "", i), f.Text("plan_run", "", i)
		if day == "" && km == nil && kind == "" {
			continue
		}
		if day == "" || km == nil || kind == "" {
			half++
			continue
		}
		if start == "" {
			start = "18:30"
		}
		if ground == "" {
			ground = string(f.usualGround())
		}
		p := rotation.WeekPart{ID: fmt.Sprintf("row %d", i), Day: day, Start: start, KM: *km, Kind: term.Kind(kind), Ground: term.Ground(ground), Minutes: f.Num("plan_minutes", "", i)}
		if run != "" {
			p.Run = "run " + run
		}
		parts = append(parts, p)
	}
	return parts, half
}

// layout is where a week's runs go on the board: hard days apart, the long run on Sunday.
var layout = map[term.Kind][]string{
	term.Long: {"sun 09:00"}, term.Race: {"sat 10:00"}, term.Tempo: {"wed 18:30"}, term.Threshold: {"wed 18:30"}, term.Intervals: {"tue 18:30"},
}

// easyDays take the runs that have no day of their own, in turn.
var easyDays = []string{"thu 18:30", "sat 09:30", "mon 18:30", "fri 18:30", "wed 07:00", "tue 07:00"}

// LayOut puts the week that was told at Hello on the board, an easy distance over as many
// days as were told, for the fitter and the runner to move.
func (a *App) LayOut(ctx context.Context, who Actor, fitID uint64) (Saved, error) {
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return Saved{}, err
	}
	week, _ := fit.Week()
	days := 3
	if d := fit.Num("run_days", "", 0); d != nil {
		days = int(*d)
	}
	var values []Value
	row := 0
	put := func(at string, km float64, p rotation.Part) {
		if row++; row > PlanRows {
			return
		}
		day, start, _ := strings.Cut(at, " ")
		for name, text := range map[string]string{"plan_day": day, "plan_start": start, "plan_kind": string(p.Kind), "plan_ground": string(p.Ground)} {
			field, key, _ := FieldOf("rotation", Key{Name: name, Repeat: row}.Input())
			values = append(values, Value{Key: key, Field: field, Text: text})
		}
		field, key, _ := FieldOf("rotation", Key{Name: "plan_km", Repeat: row}.Input())
		values = append(values, Value{Key: key, Field: field, Number: km})
	}
	taken := map[string]bool{}
	var easy []rotation.Part
	for _, p := range week {
		if p.Kind == term.Gym {
			continue // no run; lifting is warned about instead
		}
		if own := layout[p.Kind]; len(own) > 0 && !taken[own[0]] {
			put(own[0], p.KM, p)
			taken[own[0]] = true
		} else {
			easy = append(easy, p)
		}
	}
	// What is easy is run on the days that are left, and on a hard day only at its other end.
	var free, shared []string
	for _, at := range easyDays {
		day := at[:3]
		switch same := slices.ContainsFunc(slices.Collect(maps.Keys(taken)), func(t string) bool { return t[:3] == day }); {
		case !same:
			free = append(free, at)
		case day != "sat":
			shared = append(shared, at)
		}
	}
	slots := append(free, shared...)
	if len(easy) > 0 {
		runs := min(max(1, (days-row)/len(easy)), len(slots)/len(easy))
		for i, p := range easy {
			for j := range runs {
				put(slots[j*len(easy)+i], p.KM/float64(runs), p)
			}
		}
	}
	for row++; row <= PlanRows; row++ {
		for _, f := range planFields {
			if f.Repeats > 0 {
				values = append(values, Value{Key: Key{Name: f.Name, Repeat: row}, Field: f, Empty: true})
			}
		}
	}
	return a.Record(ctx, who, fitID, values)
}

// surfaceOf is what a model for a ground is made for.
var surfaceOf = map[term.Ground]term.Surface{
	term.GroundRoad: term.Road, term.GroundTreadmill: term.Road, term.GroundTrack: term.Track, term.GroundTrail: term.Trail, term.GroundMud: term.Trail, term.GroundSnow: term.Trail, term.GroundIce: term.Trail,
}

// perSurface is how many models of a surface stand as candidates.
const perSurface = 10

// CandidateInfo is a candidate with what a page says of it.
type CandidateInfo struct {
	rotation.Candidate
	Name   string
	Second bool // a second one of a pair that they have
}

// Candidates are what the week can be run in: the pairs in use, a second one of each, and
// the models that fit the runner best, by the surfaces that the week asks for.
func (f *Fit) Candidates(c *Catalogue, worn []Worn, parts []rotation.WeekPart) ([]CandidateInfo, error) {
	var out []CandidateInfo
	who := f.Wearer()
	suits := func(of func(term.Kind, term.Ground) float64) []rotation.Suit {
		var list []rotation.Suit
		seen := map[[2]string]bool{}
		for _, p := range parts {
			if k := [2]string{string(p.Kind), string(p.Ground)}; !seen[k] {
				seen[k] = true
				list = append(list, rotation.Suit{Kind: p.Kind, Ground: p.Ground, Value: of(p.Kind, p.Ground)})
			}
		}
		return list
	}
	have := map[string]bool{}
	for i := range worn {
		w := &worn[i]
		life := w.Wear.RemainingKM.P50
		m := &w.Pair.Model
		out = append(out, CandidateInfo{rotation.Candidate{ID: fmt.Sprintf("pair %d", w.Pair.ID), Owned: true, LifeKM: &life, Suitability: suits(func(k term.Kind, g term.Ground) float64 { return m.Suits(k, g, who) })}, w.Pair.Name(), false})
		have[m.ID] = true
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
	for _, s := range surfaces {
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
		answer, err := match.Rank(r)
		if err != nil {
			return nil, err
		}
		for i, x := range answer.Ranked {
			m := c.ByCode(x.Model)
			if i >= perSurface && !have[x.Model] {
				continue
			}
			life := m.Life(f.House())
			name := ModelName(m)
			if have[x.Model] {
				name = "a second " + name
			}
			out = append(out, CandidateInfo{rotation.Candidate{ID: x.Model, Price: m.Price(), LifeKM: &life, Suitability: suits(func(k term.Kind, g term.Ground) float64 { return m.Suits(k, g, who) })}, name, have[x.Model]})
		}
	}
	// A model of both charts is told apart by its chart.
	count := map[string]int{}
	for _, x := range out {
		count[x.Name]++
	}
	for i, x := range out {
		if m := c.ByCode(x.ID); m != nil && count[x.Name] > 1 {
			out[i].Name += ", " + string(m.Chart)
		}
	}
	return out, nil
}

// PlanWeek is the problem of the board: without are candidates that are left out to look,
// more is added to the money for new pairs, which is no limit where it was not told.
func (f *Fit) PlanWeek(parts []rotation.WeekPart, candidates []CandidateInfo, without []string, more int64) rotation.Week {
	w := rotation.Week{Schema: rotation.WeekSchema, Currency: f.Currency, Parts: parts}
	pairs := 3
	if f.Text("pairs_wanted", "", 0) == "one_for_all" {
		pairs = 1
	}
	if n := f.Num("plan_pairs", "", 0); n != nil {
		pairs = int(*n)
	}
	w.MaxPairs = &pairs
	if m := f.Num("plan_money", "", 0); m != nil {
		budget := int64(*m) + more
		w.Budget = &budget
	}
	for _, c := range candidates {
		if !slices.Contains(without, c.ID) {
			w.Pairs = append(w.Pairs, c.Candidate)
		}
	}
	return w
}
