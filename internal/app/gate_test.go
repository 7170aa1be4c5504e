package app_test

import (
	"bytes"
	"context"
	"errors"
	"image"
	"image/png"
	"runtime"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"trevik/internal/app"
)

// No more is inside than there is room for, whatever each takes; what would take more than all of it
// takes all; who waits too long, or finds no place to wait, is told so at once.
func TestGate(t *testing.T) {
	g := app.NewGate(10, 100, time.Minute)
	var inside, most atomic.Int64
	var all sync.WaitGroup
	for i := range 60 {
		takes := int64(i%13 + 1)
		all.Go(func() {
			leave, err := g.Enter(context.Background(), takes)
			if err != nil {
				t.Error(err)
				return
			}
			n := inside.Add(min(takes, 10))
			for was := most.Load(); n > was && !most.CompareAndSwap(was, n); was = most.Load() {
			}
			time.Sleep(time.Millisecond)
			inside.Add(-min(takes, 10))
			leave()
		})
	}
	all.Wait()
	if most.Load() > 10 || most.Load() < 8 {
		t.Errorf("up to %d inside", most.Load())
	}
	g = app.NewGate(1, 1, 50*time.Millisecond)
	leave, err := g.Enter(context.Background(), 1)
	if err != nil {
		t.Fatal(err)
	}
	waited := make(chan error, 1)
	go func() { _, err := g.Enter(context.Background(), 1); waited <- err }()
	time.Sleep(10 * time.Millisecond)
	if _, err := g.Enter(context.Background(), 1); !errors.Is(err, app.ErrBusy) {
		t.Errorf("without a place to wait: %v", err)
	}
	if err := <-waited; !errors.Is(err, app.ErrBusy) {
		t.Errorf("after waiting: %v", err)
	}
	gone, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := g.Enter(gone, 1); !errors.Is(err, context.Canceled) {
		t.Errorf("who went away: %v", err)
	}
	leave()
	if leave, err := g.Enter(context.Background(), 5); err != nil {
		t.Error(err)
	} else {
		leave()
	}
}

// Eight pictures of 49 megapixels at once take the memory of few.
func TestPicturesTakeTurns(t *testing.T) {
	var file bytes.Buffer
	if err := png.Encode(&file, image.NewNRGBA(image.Rect(0, 0, 7000, 7000))); err != nil {
		t.Fatal(err)
	}
	runtime.GC()
	stop, most := make(chan struct{}), uint64(0)
	var watch, all sync.WaitGroup
	watch.Go(func() {
		for {
			var m runtime.MemStats
			runtime.ReadMemStats(&m)
			most = max(most, m.HeapInuse)
			select {
			case <-stop:
				return
			case <-time.After(10 * time.Millisecond):
			}
		}
	})
	for range 8 {
		all.Go(func() {
			img, _, err := app.Upright(context.Background(), "photo", file.Bytes(), 2000)
			if err != nil && !errors.Is(err, app.ErrBusy) {
				t.Error(err)
			}
			if err == nil && img.Bounds().Dx() > 2000 {
				t.Errorf("%v", img.Bounds())
			}
		})
	}
	all.Wait()
	close(stop)
	watch.Wait()
	t.Logf("at most %d MiB of heap", most>>20)
	if most > 800<<20 {
		t.Errorf("%d MiB of heap for eight pictures at once", most>>20)
	}
}
