package web

import (
	"context"
	"time"

	"github.com/alexedwards/scs/v2"

	"trevik/internal/store"
)

// patient is a store of sessions that tries again while the database is away for a moment: each of what it
// does comes to the same when it is done twice.
type patient struct{ scs.Store }

func (p *patient) try(do func() error) error {
	patience := store.Patience{}
	for {
		err := do()
		if err == nil || !store.IsAway(err) && !store.IsConflict(err) || !patience.Wait(context.Background(), err) {
			return err
		}
	}
}

// Find gives a session's data.
func (p *patient) Find(token string) (data []byte, found bool, err error) {
	err = p.try(func() error {
		data, found, err = p.Store.Find(token)
		return err
	})
	return data, found, err
}

// Commit keeps it until it is over.
func (p *patient) Commit(token string, data []byte, until time.Time) error {
	return p.try(func() error { return p.Store.Commit(token, data, until) })
}

// Delete ends it.
func (p *patient) Delete(token string) error {
	return p.try(func() error { return p.Store.Delete(token) })
}
