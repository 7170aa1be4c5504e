package gait

import (
	"image"
	"sync"
	"sync/atomic"
)

// atOnce is how many frames are fetched beside one another.
const atOnce = 4

// eachFrame hands over what is made of each frame, first to last, or with a way of -1 last to first: the zero value where the
// frame cannot be used. The next frames are fetched, and made of, beside whoever takes one. It ends with take's first error.
func eachFrame[T any](w *watcher, way int, made func(image.Image) T, take func(i int, v T) error) error {
	type result struct {
		v    T
		ok   bool
		fell any
	}
	n := w.frames.Len()
	number := func(k int) int {
		if way < 0 {
			return n - 1 - k
		}
		return k
	}
	var coming [atOnce]chan result
	var working sync.WaitGroup
	defer working.Wait() // whoever closes the film finds nobody reading it
	begin := func(k int) {
		c := make(chan result, 1)
		coming[k%atOnce] = c
		working.Go(func() {
			var r result
			defer func() {
				r.fell = recover() // whoever takes it is told, not the whole program
				c <- r
			}()
			if img := w.usable(number(k)); img != nil {
				r.v, r.ok = made(img), true
			}
		})
	}
	for k := range min(n, atOnce) {
		begin(k)
	}
	for k := range n {
		r := <-coming[k%atOnce]
		if r.fell != nil {
			panic(r.fell)
		}
		if k+atOnce < n {
			begin(k + atOnce)
		}
		if !r.ok {
			w.unread[number(k)] = true
		}
		if err := take(number(k), r.v); err != nil {
			return err
		}
	}
	return nil
}

// eachOf does n pieces of work that ask nothing of one another, some beside one another. It ends with the first error, or panic,
// of any.
func eachOf(n int, do func(i int) error) error {
	errs, fell := make([]error, atOnce), make([]any, atOnce)
	var working sync.WaitGroup
	var stop atomic.Bool
	for k := range atOnce {
		working.Go(func() {
			defer func() {
				if fell[k] = recover(); fell[k] != nil || errs[k] != nil {
					stop.Store(true)
				}
			}()
			for i := k; i < n && errs[k] == nil && !stop.Load(); i += atOnce {
				errs[k] = do(i)
			}
		})
	}
	working.Wait()
	for k, v := range fell {
		if v != nil {
			panic(v)
		}
		if errs[k] != nil {
			return errs[k]
		}
	}
	return nil
}
