// Package kept keeps drawings and pieces of pages by what they show: what has not changed is not made again.
package kept

import (
	"html/template"
	"sync"
)

// Kept are pieces of pages by their key, which is all that they are made from. What was not asked for lately is let go of.
type Kept[K comparable] struct {
	mu           sync.Mutex
	fresh, stale map[K]template.HTML
	held         int // bytes of the fresh ones
}

// mostHeld is how many bytes of pieces are kept before those that nobody asked for since go; at most twice as many are held.
const mostHeld = 16 << 20

// Of gives the piece of a key, made where it is not there. What fails is not kept.
func (k *Kept[K]) Of(key K, write func() (template.HTML, error)) (template.HTML, error) {
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
	if k.fresh == nil || k.held > mostHeld {
		k.fresh, k.stale, k.held = map[K]template.HTML{}, k.fresh, 0
	}
	if _, there := k.fresh[key]; !there {
		k.fresh[key] = is
		k.held += len(is)
	}
	return is, nil
}

// Drawn is Of for what cannot fail.
func (k *Kept[K]) Drawn(key K, draw func() template.HTML) template.HTML {
	is, _ := k.Of(key, func() (template.HTML, error) { return draw(), nil })
	return is
}
