package runlog

import (
	"context"
	"math"
	"slices"
	"time"

	"trevik/internal/app"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// When two runs are the same one.
const (
	sameStart  = 3 * time.Minute
	sameLength = 0.05 // of the distance, for a run at the same hour
	likeLength = 0.01 // for a run of the same day whose hour is not known
)

// knownRun is a run that the runner has, or had.
type knownRun struct {
	record.Run
	from      uint64 // the run that it is a part of, or that it mends
	mends     bool   // it stands in the place of that run
	withdrawn bool
}

// knownRuns are all runs of a runner, with those that were parted and those taken away.
type knownRuns struct {
	list  []knownRun
	byID  map[uint64]int
	below map[uint64][]uint64 // parts of a run
}

// known reads a runner's runs; the runner is locked.
func known(ctx context.Context, q *db.Queries, who app.Actor, runnerID uint64) (*knownRuns, error) {
	rows, err := q.RunsKnown(ctx, db.RunsKnownParams{RunnerID: runnerID, ShopID: who.ShopID})
	k := &knownRuns{byID: map[uint64]int{}, below: map[uint64][]uint64{}}
	for _, r := range rows {
		k.add(knownRun{record.Run{ID: r.ID, PairID: uint64(r.PairID.Int64), On: r.RunOn, KM: r.Km, StartedAt: r.StartedAt.Time,
			FileID: uint64(r.FileID.Int64)}, uint64(r.SplitFrom.Int64), r.Mends, r.Withdrawn})
	}
	return k, err
}

func (k *knownRuns) add(r knownRun) {
	k.byID[r.ID] = len(k.list)
	k.list = append(k.list, r)
	if r.from != 0 {
		k.below[r.from] = append(k.below[r.from], r.ID)
	}
}

func (k *knownRuns) run(id uint64) *knownRun {
	if i, ok := k.byID[id]; ok && id != 0 {
		return &k.list[i]
	}
	return nil
}

// rootOf is the whole that a run is a part of: itself where it is none.
func (k *knownRuns) rootOf(r *knownRun) *knownRun {
	for up := k.run(r.from); up != nil; up = k.run(r.from) {
		r = up
	}
	return r
}

// countingBelow are the parts of a run, and theirs, that count.
func (k *knownRuns) countingBelow(r *knownRun) []uint64 {
	var out []uint64
	for _, id := range k.below[r.ID] {
		part := k.run(id)
		if !part.withdrawn {
			out = append(out, id)
		}
		out = append(out, k.countingBelow(part)...)
	}
	return out
}

func metres(r *knownRun) int64 { return int64(math.Round(1000 * r.KM)) }

// counts says whether a run counts, itself or by its parts.
func (k *knownRuns) counts(r *knownRun) bool { return !r.withdrawn || len(k.countingBelow(r)) > 0 }

// length is how long a run was, metres: as it was mended, where a mending of it counts.
func (k *knownRuns) length(r *knownRun) int64 {
	for _, id := range k.below[r.ID] {
		if x := k.run(id); x.mends && k.counts(x) {
			return k.length(x)
		}
	}
	return metres(r)
}

// over says whether more of a run would count than was run, were a part of it to count whole
// beside the parts that count by now.
func (k *knownRuns) over(whole, part *knownRun) bool {
	own := k.countingBelow(part)
	sum, others := metres(part), false
	for _, id := range k.countingBelow(whole) {
		if id != part.ID && !slices.Contains(own, id) {
			sum, others = sum+metres(k.run(id)), true
		}
	}
	return others && sum > k.length(whole)
}

// like is a whole run that counts, itself, by its parts or as it was mended, and is the same as
// another: at the same hour and about as long, or, where an hour is not known, on the same day and
// just as long. The tree of one run is left out (0: none). It is nil where there is none.
func (k *knownRuns) like(r record.Run, but uint64) *knownRun {
	for i := range k.list {
		o := &k.list[i]
		if o.from != 0 && !o.mends || but != 0 && k.rootOf(o).ID == but || !same(o.Run, r) {
			continue
		}
		if k.counts(o) {
			return o
		}
	}
	return nil
}

// same says whether two runs are one.
func same(o, r record.Run) bool {
	near := math.Abs(o.KM-r.KM) / math.Max(o.KM, r.KM)
	if !o.StartedAt.IsZero() && !r.StartedAt.IsZero() {
		return o.StartedAt.Sub(r.StartedAt).Abs() <= sameStart && near <= sameLength
	}
	return o.On.Equal(r.On) && near <= likeLength
}
