package load

import (
	"context"
	"encoding/json"
	"fmt"
	"sync"
	"time"

	"trevik/internal/record"
	"trevik/internal/store"
	"trevik/internal/store/db"
)

// learned are the weights that a shop had learned by a time.
type learned struct {
	madeAt  time.Time
	weights map[string]float64
}

// mostLessons is how many lessons an instance keeps decoded.
const mostLessons = 200

// decoded are lessons by their ids: a row that was written is not changed, so what was decoded of it stays true.
var decoded = struct {
	sync.Mutex
	of map[uint64]*record.Lesson
}{of: map[uint64]*record.Lesson{}}

// latest is a shop's last lesson; nil where there is none.
func latest(ctx context.Context, q *db.Queries, shop uint64) (*record.Lesson, error) {
	last, err := q.LatestLesson(ctx, shop)
	if store.IsNoRows(err) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return cached(ctx, q, shop, last.ID, last.MadeAt)
}

// learnedBy is the lesson that a fit was closed under; nil where there was none, or where the house's figures were chosen then.
func (h History) learnedBy(ctx context.Context, q *db.Queries, shop uint64, at time.Time) (*record.Lesson, error) {
	chosen := record.OursFromFive
	for _, r := range h.set {
		if r.Name == record.LearnedLives && !r.MadeAt.After(at) {
			chosen = r.Value
		}
	}
	for i := len(h.brief) - 1; i >= 0 && chosen != record.HouseLives; i-- {
		if l := h.brief[i]; !l.MadeAt.After(at) {
			return cached(ctx, q, shop, l.ID, l.MadeAt)
		}
	}
	return nil, nil
}

// cached is a lesson by its id, decoded once by an instance.
func cached(ctx context.Context, q *db.Queries, shop, id uint64, madeAt time.Time) (*record.Lesson, error) {
	decoded.Lock()
	l := decoded.of[id]
	decoded.Unlock()
	if l != nil && l.MadeAt.Equal(madeAt) { // else it is of another database, as in tests
		return l, nil
	}
	row, err := q.LessonByID(ctx, db.LessonByIDParams{ID: id, ShopID: shop})
	if err != nil {
		return nil, err
	}
	if l, err = LessonOf(row); err != nil {
		return nil, err
	}
	decoded.Lock()
	if len(decoded.of) >= mostLessons {
		clear(decoded.of)
	}
	decoded.of[id] = l
	decoded.Unlock()
	return l, nil
}

// weightsLearned are a shop's learned weights, the earliest first.
func weightsLearned(ctx context.Context, q *db.Queries, shop uint64) ([]learned, error) {
	rows, err := q.LearnedWeights(ctx, shop)
	if err != nil {
		return nil, err
	}
	var out []learned
	for _, r := range rows {
		var l record.Lesson
		if err := json.Unmarshal(r.Weights, &l.Liking.Weights); err != nil {
			return nil, fmt.Errorf("weights of a lesson: %w", err)
		}
		out = append(out, learned{r.MadeAt, l.Weights()})
	}
	return out, nil
}

// LessonOf is a row as a lesson.
func LessonOf(r db.Lesson) (*record.Lesson, error) {
	l := record.Lesson{ID: r.ID, Day: r.Day, MadeAt: r.MadeAt}
	if err := json.Unmarshal(r.Life, &l.Life); err != nil {
		return nil, fmt.Errorf("lesson %d: %w", r.ID, err)
	}
	if err := json.Unmarshal(r.Liking, &l.Liking); err != nil {
		return nil, fmt.Errorf("lesson %d: %w", r.ID, err)
	}
	if err := json.Unmarshal(r.Runners, &l.Runners); err != nil {
		return nil, fmt.Errorf("lesson %d: %w", r.ID, err)
	}
	if len(r.Promises) > 0 { // earlier ones hold none
		if err := json.Unmarshal(r.Promises, &l.Promises); err != nil {
			return nil, fmt.Errorf("lesson %d: %w", r.ID, err)
		}
	}
	return record.NewLesson(l), nil
}
