// Package kept keeps drawings and pieces of pages by what they show: what has not changed is not made again.
package kept

import (
	"html/template"
	"sync"
	"time"
)

// By are pieces of pages by their key, which is all that they are made from. What was not asked for lately is let go of.
type By[K comparable] struct {
	mu           sync.Mutex
	fresh, stale map[K]template.HTML
	held         int       // bytes of the fresh ones
	since        time.Time // they are held
}

// House values of what is kept: after so many bytes of pieces, or so long, those that nobody asked for since go; twice as
// much is held at most, and as much again of keys where those are what is shown.
const (
	mostHeld = 4 << 20
	longest  = 10 * time.Minute
)

// Of gives the piece of a key, made where it is not there. What fails is not kept.
func (k *By[K]) Of(key K, write func() (template.HTML, error)) (template.HTML, error) {
	k.mu.Lock()
	is, ok := k.fresh[key]
	if !ok {
		is, ok = k.stale[key]
	}
	k.mu.Unlock()
	if !ok {
		var err error
		if is, err = write(); err != nil {
			return "", err
		}
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.fresh == nil || k.held > mostHeld || time.Since(k.since) > longest {
		k.fresh, k.stale, k.held, k.since = map[K]template.HTML{}, k.fresh, 0, time.Now()
	}
	if _, there := k.fresh[key]; !there {
		k.fresh[key] = is
		k.held += len(is)
	}
	return is, nil
}

// Drawn is Of for what cannot fail.
func (k *By[K]) Drawn(key K, draw func() template.HTML) template.HTML {
	is, _ := k.Of(key, func() (template.HTML, error) { return draw(), nil })
	return is
}
