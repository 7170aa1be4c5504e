package runlog

import (
	"context"
	"slices"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/load"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// RuleFields are those of a rule's form.
var RuleFields = []form.Field{
	{Name: "rule_kind", Label: "Kind of run", Kind: form.Choice, Choices: form.Words(record.RunKinds())},
	{Name: "rule_ground", Label: "Ground", Kind: form.Choice, Choices: form.Words(term.Grounds)},
	{Name: "rule_pair", Label: "Goes to", Kind: form.Number, Lo: 1, Hi: 1 << 53},
	{Name: "rule_second", Label: "Alternates with", Kind: form.Number, Lo: 1, Hi: 1 << 53},
}

// AddRule makes a rule: runs of a kind on a ground go into a pair, or into two in turn, and those of
// the past that have no pair too. It fails with a fault.List.
func (r *Log) AddRule(ctx context.Context, who app.Actor, runnerID uint64, x record.Rule) error {
	var l fault.List
	if x.Kind != "" {
		fault.OneOf(&l, "rule_kind", x.Kind, record.RunKinds())
	}
	if x.Ground != "" {
		fault.OneOf(&l, "rule_ground", x.Ground, term.Grounds)
	}
	if x.Second != 0 && x.Second == x.PairID {
		l.Add("rule_second", "is the same pair; choose another, or none")
	}
	return r.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		for _, p := range []struct {
			field string
			id    uint64
		}{{"rule_pair", x.PairID}, {"rule_second", x.Second}} {
			if p.id == 0 && p.field == "rule_second" {
				continue
			}
			pair, err := q.PairByID(ctx, db.PairByIDParams{ID: p.id, ShopID: who.ShopID})
			if err = app.Found(err); err != nil && err != app.ErrNotFound {
				return err
			}
			if err != nil || pair.RunnerID != runnerID || pair.SetAsideOn.Valid {
				l.Add(p.field, "is not one of this runner's pairs in use; choose one")
			}
		}
		if len(l) > 0 {
			return l
		}
		if err := q.AddRunRule(ctx, db.AddRunRuleParams{ShopID: who.ShopID, RunnerID: runnerID, Kind: string(x.Kind), Ground: string(x.Ground),
			PairID: x.PairID, SecondPair: app.NullID(x.Second), MadeBy: who.UserID, MadeAt: r.Now()}); err != nil {
			return err
		}
		return Place(ctx, q, who, runnerID, r.Now())
	})
}

// TakeRuleBack ends a rule; the runs that it moved stay.
func (r *Log) TakeRuleBack(ctx context.Context, who app.Actor, runnerID, ruleID uint64) error {
	return r.DoOf(ctx, who, runnerID, func(q *db.Queries) error {
		return app.Some(q.WithdrawRunRule(ctx, db.WithdrawRunRuleParams{WithdrawnAt: app.NullTime(r.Now()), ID: ruleID, RunnerID: runnerID,
			ShopID: who.ShopID}))
	})
}

// ruleBook reads a runner's rules, with when each pair was last used.
func (r *Log) ruleBook(ctx context.Context, q *db.Queries, who app.Actor, runnerID uint64) (*ruleBook, error) {
	runner, err := load.Runner(ctx, q, who, runnerID)
	if err != nil {
		return nil, err
	}
	return rulesOf(runner), nil
}

// rulesOf is the rule book of a runner.
func rulesOf(runner *record.Runner) *ruleBook {
	b := &ruleBook{runner.Rules, map[uint64]span{}, map[uint64][]time.Time{}}
	for i := range runner.Pairs {
		p := &runner.Pairs[i]
		b.inUse[p.ID] = span{p.BoughtOn, p.SetAsideOn}
		for _, x := range p.Runs {
			b.before[p.ID] = append(b.before[p.ID], x.Moment())
		}
	}
	return b
}

// Place puts the runs that have no pair where their runner's rules, or the only pair of their day, say:
// not those that a person took out of a pair. The runner is locked.
func Place(ctx context.Context, q *db.Queries, who app.Actor, runnerID uint64, now time.Time) error {
	runner, err := load.Runner(ctx, q, who, runnerID)
	if err != nil || len(runner.Loose) == 0 {
		return err
	}
	out, err := q.RunsMovedOut(ctx, db.RunsMovedOutParams{RunnerID: runnerID, ShopID: who.ShopID})
	if err != nil {
		return err
	}
	rules := rulesOf(runner)
	for _, x := range runner.Loose {
		pair := rules.pick(x)
		if pair == 0 || slices.Contains(out, x.ID) {
			continue
		}
		if err := Shift(ctx, q, who, runnerID, x.ID, 0, pair, now); err != nil {
			return err
		}
		if err := q.SetFirstWorn(ctx, db.SetFirstWornParams{FirstWorn: app.NullTime(x.On), ID: pair, ShopID: who.ShopID}); err != nil {
			return err
		}
		x.PairID = pair
		rules.use(x)
	}
	return nil
}

// span is from which day a pair is run in, and the day on which that ended; a zero end is none.
type span struct{ from, to time.Time }

func (s span) holds(day time.Time) bool {
	return !day.Before(s.from) && (s.to.IsZero() || day.Before(s.to))
}

// ruleBook are a runner's rules with when each pair was last used.
type ruleBook struct {
	rules  []record.Rule
	inUse  map[uint64]span // the runner's pairs, and when each is in use
	before map[uint64][]time.Time
}

// pick is the pair for a run by the rules, the narrowest first, else the only pair of its day; 0 where
// there is none, or more than one.
func (b *ruleBook) pick(r record.Run) uint64 {
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
		if in, ok := b.inUse[x.PairID]; !ok || !in.holds(r.On) || n <= narrow {
			continue
		}
		best, narrow = x.PairID, n
		if second, ok := b.inUse[x.Second]; ok && second.holds(r.On) && b.lastUse(x.Second, r).Before(b.lastUse(x.PairID, r)) {
			best = x.Second
		}
	}
	if best != 0 {
		return best
	}
	for id, in := range b.inUse {
		if in.holds(r.On) {
			if best != 0 {
				return 0
			}
			best = id
		}
	}
	return best
}

// lastUse is when a pair was last run in before a run.
func (b *ruleBook) lastUse(pair uint64, r record.Run) time.Time {
	var last time.Time
	for _, t := range b.before[pair] {
		if t.Before(r.Moment()) && t.After(last) {
			last = t
		}
	}
	return last
}

// use notes a run, so that the next one is given by it too.
func (b *ruleBook) use(r record.Run) {
	if r.PairID != 0 {
		b.before[r.PairID] = append(b.before[r.PairID], r.Moment())
	}
}
