package cluster

import (
	"io"
	"net"
	"sync"
	"sync/atomic"
	"time"
)

// Line is a stretch of network between an instance and a node: what goes over it can be slowed or cut.
type Line struct {
	Addr  string
	to    string
	delay atomic.Int64 // each way
	cut   atomic.Bool
	l     net.Listener
	mu    sync.Mutex
	open  map[net.Conn]bool
}

// NewLine leads to an address.
func NewLine(to string) (*Line, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	line := &Line{Addr: l.Addr().String(), to: to, l: l, open: map[net.Conn]bool{}}
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return // it was closed
			}
			go line.join(c)
		}
	}()
	return line, nil
}

// Slow delays what goes over it, each way; 0 is not.
func (l *Line) Slow(d time.Duration) { l.delay.Store(int64(d)) }

// Cut ends what is open, and lets nothing through until it is taken back.
func (l *Line) Cut(cut bool) {
	l.cut.Store(cut)
	if !cut {
		return
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	for c := range l.open {
		_ = c.Close() // that is what is meant
	}
}

// Close ends it.
func (l *Line) Close() {
	_ = l.l.Close() // nobody listens any more
	l.Cut(true)
}

func (l *Line) join(in net.Conn) {
	defer in.Close()
	if l.cut.Load() {
		return
	}
	out, err := net.Dial("tcp", l.to)
	if err != nil {
		return
	}
	defer out.Close()
	l.mu.Lock()
	l.open[in], l.open[out] = true, true
	l.mu.Unlock()
	var both sync.WaitGroup
	both.Go(func() { l.carry(out, in) })
	both.Go(func() { l.carry(in, out) })
	both.Wait()
	l.mu.Lock()
	delete(l.open, in)
	delete(l.open, out)
	l.mu.Unlock()
}

// carry carries bytes one way; the end of one way ends the other.
func (l *Line) carry(to, from net.Conn) {
	defer to.Close()
	buffer := make([]byte, 32<<10)
	for {
		n, err := from.Read(buffer)
		if d := l.delay.Load(); d > 0 {
			time.Sleep(time.Duration(d))
		}
		if n > 0 {
			if _, err := to.Write(buffer[:n]); err != nil {
				return
			}
		}
		if err == io.EOF || err != nil {
			return
		}
	}
}
