package films

import (
	"bytes"
	"fmt"
	"image"
	"image/jpeg"
	"sync"
	"time"
)

// House values of what is kept of films that arrive.
const (
	latelyBytes = 256 << 20 // of all of them together
	latelyFor   = time.Minute
)

// lately keeps the brightness of frames that arrived here of late, so that who reads their film need not decode them once
// more: a first look, and the reading itself, want the same. It is there to be quick; what it lacks is read from the
// database. The zero value keeps nothing yet.
type lately struct {
	sync.Mutex
	films map[uint64]*arrived
	bytes int
}

type arrived struct {
	frames map[int]*image.Gray
	forget *time.Timer
}

// keep keeps frames of a film by their numbers, those that there is room for, for a while.
func (l *lately) keep(film uint64, frames map[int]*image.Gray) {
	l.Lock()
	defer l.Unlock()
	a := l.films[film]
	if a == nil {
		if l.films == nil {
			l.films = map[uint64]*arrived{}
		}
		a = &arrived{map[int]*image.Gray{}, time.AfterFunc(latelyFor, func() { l.drop(film) })}
		l.films[film] = a
	}
	a.forget.Reset(latelyFor)
	for n, g := range frames {
		if was := a.frames[n]; was != nil { // it came again, and may be another
			l.bytes -= len(was.Pix)
			delete(a.frames, n)
		}
		if l.bytes+len(g.Pix) <= latelyBytes {
			a.frames[n] = g
			l.bytes += len(g.Pix)
		}
	}
}

// at is a frame's brightness, nil where it is not kept. Nobody may change it.
func (l *lately) at(film uint64, n int) *image.Gray {
	l.Lock()
	defer l.Unlock()
	if a := l.films[film]; a != nil {
		return a.frames[n]
	}
	return nil
}

// drop forgets a film.
func (l *lately) drop(film uint64) {
	l.Lock()
	defer l.Unlock()
	a := l.films[film]
	if a == nil {
		return
	}
	a.forget.Stop()
	for _, g := range a.frames {
		l.bytes -= len(g.Pix)
	}
	delete(l.films, film)
}

// decode is a frame; the decoder may give up on what others wrote, which must not end more than that frame.
func decode(data []byte) (img image.Image, err error) {
	defer func() {
		if v := recover(); v != nil {
			img, err = nil, fmt.Errorf("a frame cannot be decoded: %v", v)
		}
	}()
	return jpeg.Decode(bytes.NewReader(data))
}

// brightness is how bright a film's pictures are: all that is read of those without dots.
func brightness(pieces []Piece) map[int]*image.Gray {
	out := map[int]*image.Gray{}
	for _, p := range pieces {
		img, err := decode(p.Data)
		if err != nil {
			continue // it is told where it is read
		}
		switch img := img.(type) {
		case *image.Gray:
			out[p.Number] = img
		case *image.YCbCr: // its colours are let go
			size := img.Rect.Size()
			g := image.NewGray(image.Rect(0, 0, size.X, size.Y))
			for y := range size.Y {
				copy(g.Pix[y*g.Stride:(y+1)*g.Stride], img.Y[y*img.YStride:])
			}
			out[p.Number] = g
		}
	}
	return out
}
