package app

import (
	"archive/zip"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"path"
	"strconv"
	"strings"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/rotation"
	"trevik/internal/core/term"
	"trevik/internal/store/db"
)

// LooseRuns are the runner's runs without a pair, the earliest first.
func (a *App) LooseRuns(ctx context.Context, who Actor, runnerID uint64) ([]Run, error) {
	rows, err := a.store.LooseRuns(ctx, db.LooseRunsParams{RunnerID: runnerID, ShopID: who.ShopID})
	out := make([]Run, len(rows))
	for i, r := range rows {
		out[i] = Run{r.ID, 0, r.RunOn, r.Km, term.Ground(r.Ground), term.Kind(r.Kind), r.Wet, floatOf(r.TempC), r.StartedAt.Time, floatOf(r.Minutes), floatOf(r.AscentM), uint64(r.FileID.Int64), r.How}
	}
	return out, err
}

// Offer is what could be put into a pair in one go: the runs without a pair, on a ground
// that it is made for, since it was first worn.
type Offer struct {
	Pair   *Pair
	Ground term.Ground
	IDs    []uint64
	KM     float64
	From   time.Time
	To     time.Time
}

// Offers lists what each pair in use could take of the loose runs, by ground.
func (f *Fit) Offers(pairs []Pair, loose []Run) []Offer {
	var out []Offer
	for i := range pairs {
		p := &pairs[i]
		since := p.FirstWorn
		if since.IsZero() {
			since = p.BoughtOn
		}
		if !p.SetAsideOn.IsZero() {
			continue
		}
		for _, g := range term.Grounds {
			o := Offer{Pair: p, Ground: g}
			for _, r := range loose {
				if r.Ground != g || r.On.Before(since) {
					continue
				}
				if v, _, _ := f.SuitOf(p, r.Kind, g); v < rotation.LeastSuit {
					continue
				}
				if o.From.IsZero() {
					o.From = r.On
				}
				o.IDs, o.KM, o.To = append(o.IDs, r.ID), o.KM+r.KM, r.On
			}
			if len(o.IDs) > 0 {
				out = append(out, o)
			}
		}
	}
	return out
}

// MoveRuns moves runs into one of the runner's pairs, or out of all (0), all or none. It
// fails with a fault.List on a run before the pair was the runner's, and with ErrNotFound
// on another's run.
func (a *App) MoveRuns(ctx context.Context, who Actor, runnerID uint64, runs []uint64, pairID uint64) error {
	var since time.Time
	if pairID != 0 {
		p, err := a.ownPair(ctx, who, runnerID, pairID)
		if err != nil {
			return err
		}
		since = p.BoughtOn
	}
	if len(runs) == 0 {
		return fault.List{{Field: "run", Text: "is missing; tick the runs to move"}}
	}
	if len(runs) > mostFiles {
		return fault.List{{Field: "run", Text: fmt.Sprintf("are %d; allowed are %d at once", len(runs), mostFiles)}}
	}
	return a.store.Tx(ctx, func(q *db.Queries) error {
		first := time.Time{}
		for _, id := range runs {
			r, err := q.RunOfRunner(ctx, db.RunOfRunnerParams{ID: id, RunnerID: runnerID, ShopID: who.ShopID})
			if err != nil {
				return found(err)
			}
			if pairID != 0 && r.RunOn.Before(since) {
				return fault.List{{Field: "to_pair", Text: fmt.Sprintf("was the runner's from %s; the run of %s is before that", since.Format(time.DateOnly), r.RunOn.Format(time.DateOnly))}}
			}
			if uint64(r.PairID.Int64) == pairID {
				continue
			}
			if _, err := q.SetRunPair(ctx, db.SetRunPairParams{ToPair: nullID(pairID), ID: id, RunnerID: runnerID, ShopID: who.ShopID}); err != nil {
				return err
			}
			if err := q.AddRunMove(ctx, db.AddRunMoveParams{ShopID: who.ShopID, RunID: id, FromPair: r.PairID, ToPair: nullID(pairID), MadeBy: who.UserID, MadeAt: a.Now()}); err != nil {
				return err
			}
			if first.IsZero() || r.RunOn.Before(first) {
				first = r.RunOn
			}
		}
		if pairID == 0 || first.IsZero() {
			return nil
		}
		return q.SetFirstWorn(ctx, db.SetFirstWornParams{FirstWorn: nullTime(first), ID: pairID, ShopID: who.ShopID})
	})
}

// MoveFields are those of the forms that move and part runs.
var MoveFields = []Field{
	{Name: "split_km", Label: "Of it", Kind: Number, Unit: KM, Lo: 0.1, Hi: 400},
	{Name: "split_kind", Label: "was", Kind: Choice, Choices: runKinds},
	{Name: "split_pair", Label: "in", Kind: Number, Lo: 1, Hi: 1 << 53},
}

// SplitLogged parts a run that was put down: km of it become a run of their own in another
// pair, such as the repetitions in a light one. The sum stays to the metre. It fails with a
// fault.List.
func (a *App) SplitLogged(ctx context.Context, who Actor, runnerID, runID uint64, km float64, pairID uint64, kind term.Kind) error {
	if pairID != 0 {
		if _, err := a.ownPair(ctx, who, runnerID, pairID); err != nil {
			return err
		}
	}
	var l fault.List
	fault.OneOf(&l, "split_kind", string(kind), runKinds)
	if err := l.Err(); err != nil {
		return err
	}
	return a.store.Tx(ctx, func(q *db.Queries) error {
		r, err := q.RunOfRunner(ctx, db.RunOfRunnerParams{ID: runID, RunnerID: runnerID, ShopID: who.ShopID})
		if err != nil {
			return found(err)
		}
		metres, part := math.Round(1000*r.Km), math.Round(1000*km)
		if !(part >= 100 && part <= metres-100) {
			return fault.List{{Field: "split_km", Text: fmt.Sprintf("is %g; allowed is 0.1 km to %g km of this run", km, (metres-100)/1000)}}
		}
		if _, err := q.WithdrawRun(ctx, db.WithdrawRunParams{WithdrawnAt: nullTime(a.Now()), WithdrawnBy: nullID(who.UserID), ID: runID, RunnerID: runnerID, ShopID: who.ShopID}); err != nil {
			return err
		}
		whole := Run{PairID: uint64(r.PairID.Int64), On: r.RunOn, Ground: term.Ground(r.Ground), Kind: term.Kind(r.Kind), Wet: r.Wet, TempC: floatOf(r.TempC), StartedAt: r.StartedAt.Time, FileID: uint64(r.FileID.Int64), How: r.How}
		share := func(v *float64, m float64) *float64 {
			if v == nil {
				return nil
			}
			x := *v * m / metres
			return &x
		}
		rest, cut := whole, whole
		rest.KM, rest.Minutes, rest.AscentM = (metres-part)/1000, share(floatOf(r.Minutes), metres-part), share(floatOf(r.AscentM), metres-part)
		cut.KM, cut.Minutes, cut.AscentM, cut.PairID, cut.Kind = part/1000, share(floatOf(r.Minutes), part), share(floatOf(r.AscentM), part), pairID, kind
		for _, x := range []Run{rest, cut} {
			if _, err := a.addRun(ctx, q, who, runnerID, x, runID); err != nil {
				return err
			}
		}
		return nil
	})
}

// Rule sends new runs of a kind on a ground into a pair, or into two in turn: the one that
// rested longer. An empty kind or ground is any.
type Rule struct {
	ID     uint64
	Kind   term.Kind
	Ground term.Ground
	PairID uint64
	Second uint64
}

// RuleFields are those of a rule's form.
var RuleFields = []Field{
	{Name: "rule_kind", Label: "Runs that are", Kind: Choice, Choices: runKinds},
	{Name: "rule_ground", Label: "On", Kind: Choice, Choices: texts(term.Grounds)},
	{Name: "rule_pair", Label: "Go into", Kind: Number, Lo: 1, Hi: 1 << 53},
	{Name: "rule_second", Label: "In turn with", Kind: Number, Lo: 1, Hi: 1 << 53},
}

// AddRule makes a rule. It fails with a fault.List.
func (a *App) AddRule(ctx context.Context, who Actor, runnerID uint64, r Rule) error {
	var l fault.List
	if r.Kind != "" {
		fault.OneOf(&l, "rule_kind", string(r.Kind), runKinds)
	}
	if r.Ground != "" {
		fault.OneOf(&l, "rule_ground", r.Ground, term.Grounds)
	}
	for _, p := range []struct {
		field string
		id    uint64
	}{{"rule_pair", r.PairID}, {"rule_second", r.Second}} {
		if p.id == 0 && p.field == "rule_second" {
			continue
		}
		x, err := a.ownPair(ctx, who, runnerID, p.id)
		switch {
		case err == ErrNotFound || err == nil && x.SetAsideOn.Valid:
			l.Add(p.field, "is not one of this runner's pairs in use; choose one")
		case err != nil:
			return err
		}
	}
	if r.Second != 0 && r.Second == r.PairID {
		l.Add("rule_second", "is the same pair; choose another, or none")
	}
	if err := l.Err(); err != nil {
		return err
	}
	return a.store.AddRunRule(ctx, db.AddRunRuleParams{ShopID: who.ShopID, RunnerID: runnerID, Kind: string(r.Kind), Ground: string(r.Ground), PairID: r.PairID, SecondPair: nullID(r.Second), MadeBy: who.UserID, MadeAt: a.Now()})
}

// Rules are the runner's.
func (a *App) Rules(ctx context.Context, who Actor, runnerID uint64) ([]Rule, error) {
	rows, err := a.store.RunRules(ctx, db.RunRulesParams{RunnerID: runnerID, ShopID: who.ShopID})
	out := make([]Rule, len(rows))
	for i, r := range rows {
		out[i] = Rule{r.ID, term.Kind(r.Kind), term.Ground(r.Ground), r.PairID, uint64(r.SecondPair.Int64)}
	}
	return out, err
}

// TakeRuleBack ends a rule; the runs that it moved stay.
func (a *App) TakeRuleBack(ctx context.Context, who Actor, runnerID, ruleID uint64) error {
	n, err := a.store.WithdrawRunRule(ctx, db.WithdrawRunRuleParams{WithdrawnAt: nullTime(a.Now()), ID: ruleID, RunnerID: runnerID, ShopID: who.ShopID})
	if err == nil && n == 0 {
		return ErrNotFound
	}
	return err
}

// ruleBook are a runner's rules with when each pair was last used.
type ruleBook struct {
	rules  []Rule
	inUse  map[uint64]time.Time // pairs in use, and since when they are the runner's
	before map[uint64][]time.Time
}

func (a *App) rules(ctx context.Context, who Actor, runnerID uint64) (*ruleBook, error) {
	rules, err := a.Rules(ctx, who, runnerID)
	if err != nil || len(rules) == 0 {
		return &ruleBook{}, err
	}
	pairs, err := a.Pairs(ctx, who, runnerID)
	b := &ruleBook{rules, map[uint64]time.Time{}, map[uint64][]time.Time{}}
	for _, p := range pairs {
		if p.SetAsideOn.IsZero() {
			b.inUse[p.ID] = p.BoughtOn
		}
		for _, r := range p.Runs {
			b.before[p.ID] = append(b.before[p.ID], r.moment())
		}
	}
	return b, err
}

// moment is when a run began, as far as it is known.
func (r Run) moment() time.Time {
	if r.StartedAt.IsZero() {
		return r.On.Add(12 * time.Hour)
	}
	return r.StartedAt
}

// pick is the pair for a run by the rules, the narrowest first; 0 where none holds.
func (b *ruleBook) pick(r Run) uint64 {
	best, narrow := uint64(0), -1
	for _, x := range b.rules {
		if x.Kind != "" && x.Kind != r.Kind || x.Ground != "" && x.Ground != r.Ground {
			continue
		}
		n := 0
		if x.Kind != "" {
			n++
		}
		if x.Ground != "" {
			n++
		}
		since, ok := b.inUse[x.PairID]
		if !ok || r.On.Before(since) || n <= narrow {
			continue
		}
		best, narrow = x.PairID, n
		if second, ok := b.inUse[x.Second]; ok && x.Second != 0 && !r.On.Before(second) && b.lastUse(x.Second, r).Before(b.lastUse(x.PairID, r)) {
			best = x.Second
		}
	}
	return best
}

// lastUse is when a pair was last run in before a run.
func (b *ruleBook) lastUse(pair uint64, r Run) time.Time {
	var last time.Time
	for _, t := range b.before[pair] {
		if t.Before(r.moment()) && t.After(last) {
			last = t
		}
	}
	return last
}

// use notes a run, so that the next one is given by it too.
func (b *ruleBook) use(r Run) {
	if r.PairID != 0 {
		b.before[r.PairID] = append(b.before[r.PairID], r.moment())
	}
}

// ExportRuns writes every run of a runner: CSV, JSON, or a zip of the GPX files that runs
// came from.
func (a *App) ExportRuns(ctx context.Context, who Actor, runnerID uint64, format string, w io.Writer) error {
	rows, err := a.store.RunsOfRunner(ctx, db.RunsOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
	if err != nil {
		return err
	}
	pairs, err := a.Pairs(ctx, who, runnerID)
	if err != nil {
		return err
	}
	names := map[uint64]string{}
	for i := range pairs {
		names[pairs[i].ID] = pairs[i].Name()
	}
	type line struct {
		Date    string   `json:"date"`
		Start   string   `json:"start,omitempty"`
		KM      float64  `json:"km"`
		Minutes *float64 `json:"minutes"`
		AscentM *float64 `json:"ascent_m"`
		Kind    string   `json:"kind"`
		Ground  string   `json:"ground"`
		Wet     bool     `json:"wet"`
		TempC   *float64 `json:"temp_c"`
		Pair    string   `json:"pair"`
		How     string   `json:"how"`
	}
	list := make([]line, len(rows))
	files := map[uint64]bool{}
	for i, r := range rows {
		list[i] = line{r.RunOn.Format(time.DateOnly), "", r.Km, floatOf(r.Minutes), floatOf(r.AscentM), r.Kind, r.Ground, r.Wet, floatOf(r.TempC), names[uint64(r.PairID.Int64)], r.How}
		if r.StartedAt.Valid {
			list[i].Start = r.StartedAt.Time.Format("15:04")
		}
		if r.FileID.Valid {
			files[uint64(r.FileID.Int64)] = true
		}
	}
	switch format {
	case "json":
		e := json.NewEncoder(w)
		e.SetIndent("", "  ")
		return e.Encode(map[string]any{"schema": "trevik.runs/v1", "runs": list})
	case "csv":
		out := csv.NewWriter(w)
		num := func(v *float64) string {
			if v == nil {
				return ""
			}
			return strconv.FormatFloat(*v, 'f', -1, 64)
		}
		records := [][]string{{"Date", "Start", "Distance (km)", "Minutes", "Ascent (m)", "Kind", "Ground", "Wet", "Warmth (°C)", "Pair", "From"}}
		for _, x := range list {
			wet := "no"
			if x.Wet {
				wet = "yes"
			}
			records = append(records, []string{x.Date, x.Start, strconv.FormatFloat(x.KM, 'f', 3, 64), num(x.Minutes), num(x.AscentM), x.Kind, x.Ground, wet, num(x.TempC), plainCell(x.Pair), x.How})
		}
		return out.WriteAll(records)
	case "gpx":
		z := zip.NewWriter(w)
		used := map[string]bool{}
		for id := range files {
			name, data, err := a.RunFile(ctx, who, runnerID, id)
			if err != nil {
				return err
			}
			if used[name] {
				name = fmt.Sprintf("%d-%s", id, name)
			}
			used[name] = true
			f, err := z.Create(path.Base(strings.ReplaceAll(name, "\\", "/")))
			if err == nil {
				_, err = f.Write(data)
			}
			if err != nil {
				return err
			}
		}
		return z.Close()
	}
	return ErrNotFound
}

// plainCell keeps a cell from being a formula in a spreadsheet.
func plainCell(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}

// Drift is where sums do not agree.
type Drift struct{ Text string }

// CheckRuns adds up every runner's runs and, beside it, their pairs' runs and those without
// a pair, in the database's own decimals; every difference is told, and every run that
// stands in a pair that is not its runner's. runs is how many there are.
func (a *App) CheckRuns(ctx context.Context, shopID uint64) (runs int64, drifts []Drift, err error) {
	who := Actor{ShopID: shopID}
	ids, err := a.store.RunnersOfShop(ctx, shopID)
	if err != nil {
		return 0, nil, err
	}
	for _, id := range ids {
		whole, err := a.store.RunSum(ctx, db.RunSumParams{RunnerID: id, ShopID: shopID})
		if err != nil {
			return runs, drifts, err
		}
		pairs, err := a.Pairs(ctx, who, id)
		if err != nil {
			return runs, drifts, err
		}
		loose, err := a.LooseRuns(ctx, who, id)
		if err != nil {
			return runs, drifts, err
		}
		sum, n := int64(0), int64(0)
		add := func(list []Run) {
			for _, r := range list {
				sum += int64(math.Round(1000 * r.KM))
				n++
			}
		}
		for _, p := range pairs {
			add(p.Runs)
		}
		add(loose)
		runs += whole.Runs
		if sum != whole.Metres || n != whole.Runs {
			drifts = append(drifts, Drift{fmt.Sprintf("runner %d: %d runs of %.3f km, but %d of %.3f km in pairs and without one", id, whole.Runs, float64(whole.Metres)/1000, n, float64(sum)/1000)})
		}
	}
	stray, err := a.store.StrayRuns(ctx, shopID)
	if err == nil && stray > 0 {
		drifts = append(drifts, Drift{fmt.Sprintf("%d runs stand in a pair that is not their runner's", stray)})
	}
	return runs, drifts, err
}
