package record

import (
	"fmt"
	"time"

	"trevik/internal/core/foot"
	"trevik/internal/core/match"
	"trevik/internal/core/support"
	"trevik/internal/core/units"
)

// Shop is what of the shop bears on a fit.
type Shop struct {
	Name      string
	Currency  string
	Catalogue *Catalogue
	Settings  Settings // those at present, for what goes on after a fit
}

// Conclusions are what follows from a visit of a runner on a day. Each is computed once, when
// it is first asked for; they are not for use by two goroutines at once.
type Conclusions struct {
	*Visit
	Runner *Runner
	Shop   *Shop
	Today  time.Time    // the shop's day, as midnight UTC
	Units  units.System // how the reader reads lengths and distances

	support    memo[support.Answer]
	match      memo[match.Answer]
	untried    memo[match.Answer] // what the feet alone ask for
	seasonAsIs memo[*Season]
	serving    memo[*Serving]
	plan       memo[*Plan]
	worn       memo[[]Worn]
	due        memo[[]Due]
	evidence   memo[support.Evidence]
	feet       memo[foot.Feet]
	fittedSD   memo[float64] // of the fitted foot's length, mm
	verdicts   map[uint64]Verdict
}

// Follow joins what is known of a runner on a day. It fails on a visit that is another's.
func Follow(runner *Runner, visit *Visit, shop *Shop, today time.Time) (*Conclusions, error) {
	if visit.RunnerID != runner.ID {
		return nil, fmt.Errorf("fit %d is of runner %d, not of %d", visit.ID, visit.RunnerID, runner.ID)
	}
	return &Conclusions{Visit: visit, Runner: runner, Shop: shop, Today: today, Units: units.Metric}, nil
}

// memo is a conclusion that is computed once.
type memo[T any] struct {
	done bool
	v    T
	err  error
}

func (m *memo[T]) get(compute func() (T, error)) (T, error) {
	if !m.done {
		m.v, m.err = compute()
		m.done = true
	}
	return m.v, m.err
}
