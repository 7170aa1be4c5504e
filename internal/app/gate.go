package app

import (
	"context"
	"errors"
	"time"

	"golang.org/x/sync/semaphore"
)

// ErrBusy is that too much is being done already. What was asked for was not begun.
var ErrBusy = errors.New("too much is being done at this moment; try again in a few seconds")

// Gate lets through what together takes no more than so much, in turn; so many more wait for a while.
type Gate struct {
	room   *semaphore.Weighted
	size   int64
	places chan struct{}
	wait   time.Duration
}

// NewGate makes a gate of a size, with places for who waits, and how long.
func NewGate(size int64, places int, wait time.Duration) *Gate {
	return &Gate{semaphore.NewWeighted(size), size, make(chan struct{}, places), wait}
}

// Enter waits until there is room for something that takes so much, which leave gives back. What
// would take more than all of it takes all. It fails with ErrBusy where too many wait or it takes too
// long, and with the context's error.
func (g *Gate) Enter(ctx context.Context, takes int64) (leave func(), err error) {
	takes = min(max(takes, 1), g.size)
	if g.room.TryAcquire(takes) {
		return func() { g.room.Release(takes) }, nil
	}
	select {
	case g.places <- struct{}{}:
	default:
		return nil, ErrBusy
	}
	defer func() { <-g.places }()
	waiting, cancel := context.WithTimeout(ctx, g.wait)
	defer cancel()
	if g.room.Acquire(waiting, takes) != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, ErrBusy
	}
	return func() { g.room.Release(takes) }, nil
}
