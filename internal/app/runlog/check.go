package runlog

import (
	"context"
	"fmt"
	"slices"
	"time"

	"trevik/internal/store/db"
)

// Check goes through the runs of a shop's runners and tells what cannot be: a run that counts
// beside a part of it, parts that come to more than their whole, a run that stands in a pair that
// is not its runner's, and two runs that are one. runs is how many count.
func (r *Log) Check(ctx context.Context, shopID uint64) (runs int64, drifts []string, err error) {
	after := uint64(0)
	for {
		ids, err := r.Store.RunnersWithRuns(ctx, db.RunnersWithRunsParams{ShopID: shopID, RunnerID: after})
		if err != nil || len(ids) == 0 {
			return runs, drifts, err
		}
		for _, id := range ids {
			rows, err := r.Store.RunPlaces(ctx, db.RunPlacesParams{RunnerID: id, ShopID: shopID})
			if err != nil {
				return runs, drifts, err
			}
			n, wrong := checkRunner(id, rows)
			runs += n
			drifts = append(drifts, wrong...)
			after = id
		}
	}
}

// checkRunner is Check of one runner's runs.
func checkRunner(runner uint64, rows []db.RunPlacesRow) (runs int64, drifts []string) {
	say := func(format string, args ...any) {
		drifts = append(drifts, fmt.Sprintf("runner %d: ", runner)+fmt.Sprintf(format, args...))
	}
	byID, parts := map[uint64]*db.RunPlacesRow{}, map[uint64][]*db.RunPlacesRow{}
	for i := range rows {
		x := &rows[i]
		byID[x.ID] = x
		if x.SplitFrom.Valid {
			parts[uint64(x.SplitFrom.Int64)] = append(parts[uint64(x.SplitFrom.Int64)], x)
		}
	}
	// counts is what counts of a run: itself, or its parts and theirs; length is how long it was, as it
	// was mended where a mending of it counts.
	var counts func(x *db.RunPlacesRow) int64
	counts = func(x *db.RunPlacesRow) int64 {
		sum := int64(0)
		for _, p := range parts[x.ID] {
			sum += counts(p)
		}
		if x.Withdrawn {
			return sum
		}
		if sum > 0 {
			say("the run %d of %s counts whole, and %.3f km of its parts beside it", x.ID, x.RunOn.Format(time.DateOnly), float64(sum)/1000)
		}
		return sum + x.Metres
	}
	var below func(x *db.RunPlacesRow) bool
	below = func(x *db.RunPlacesRow) bool { return !x.Withdrawn || slices.ContainsFunc(parts[x.ID], below) }
	var length func(x *db.RunPlacesRow) int64
	length = func(x *db.RunPlacesRow) int64 {
		for _, p := range parts[x.ID] {
			if p.Mends && below(p) {
				return length(p)
			}
		}
		return x.Metres
	}
	var wholes []*db.RunPlacesRow
	for i := range rows {
		x := &rows[i]
		if !x.Withdrawn {
			runs++
			if x.PairID.Valid && !x.ItsPair.Bool {
				say("the run %d stands in a pair that is not theirs", x.ID)
			}
		}
		if up := byID[uint64(x.SplitFrom.Int64)]; x.SplitFrom.Valid && up == nil {
			say("the run %d is a part of one that is not there", x.ID)
		}
		if x.SplitFrom.Valid {
			continue
		}
		sum := counts(x)
		if l := length(x); sum > l {
			say("of the run %d of %s, %.3f km, %.3f km count", x.ID, x.RunOn.Format(time.DateOnly), float64(l)/1000, float64(sum)/1000)
		}
		if sum > 0 {
			wholes = append(wholes, x)
		}
	}
	for i, x := range wholes {
		for _, y := range wholes[:i] {
			if twice(x, y) {
				say("the runs %d and %d of %s are the same one", y.ID, x.ID, x.RunOn.Format(time.DateOnly))
			}
		}
	}
	return runs, drifts
}

// twice says whether two whole runs are one: by what they began at and their length, where both
// hours are known. Two of a day without an hour may be two.
func twice(x, y *db.RunPlacesRow) bool {
	if !x.StartedAt.Valid || !y.StartedAt.Valid {
		return false
	}
	d := x.StartedAt.Time.Sub(y.StartedAt.Time).Abs()
	longer := max(x.Metres, y.Metres)
	return d <= sameStart && float64(longer-min(x.Metres, y.Metres)) <= sameLength*float64(longer)
}
