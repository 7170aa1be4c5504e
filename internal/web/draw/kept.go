package draw

import (
	"html/template"
	"sync"
)

// kept are drawings by what they were drawn from: a shoe or a toe box that has not changed is not drawn again. What was
// not asked for lately is let go of, so that as many are kept at most twice as mostKept.
type kept[K comparable] struct {
	mu           sync.Mutex
	fresh, stale map[K]template.HTML
}

// mostKept is how many drawings of a kind are kept before those that nobody asked for since go; one is 1 to 10 kB.
const mostKept = 1000

// of gives the drawing of a key, drawn where it is not there.
func (k *kept[K]) of(key K, draw func() template.HTML) template.HTML {
	k.mu.Lock()
	is, ok := k.fresh[key]
	if !ok {
		is, ok = k.stale[key]
	}
	k.mu.Unlock()
	if !ok {
		is = draw()
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.fresh == nil || len(k.fresh) >= mostKept {
		k.fresh, k.stale = map[K]template.HTML{}, k.fresh
	}
	k.fresh[key] = is
	return is
}
