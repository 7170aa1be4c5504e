package web_test

import (
	"io"
	"net"
	"strings"
	"sync"
	"testing"

	"github.com/go-sql-driver/mysql"
)

// gate stands before a database and can be shut and opened again.
type gate struct {
	t     *testing.T
	dsn   string // through the gate; no database named
	to    string
	addr  string
	mu    sync.Mutex
	l     net.Listener
	conns []net.Conn
}

func newGate(t *testing.T, dsn string) *gate {
	t.Helper()
	c, err := mysql.ParseDSN(dsn)
	if err != nil {
		t.Fatal(err)
	}
	g := &gate{t: t, to: c.Addr, addr: "127.0.0.1:0"}
	g.open()
	g.dsn = strings.Replace(dsn, c.Addr, g.addr, 1)
	t.Cleanup(g.close)
	return g
}

func (g *gate) open() {
	l, err := net.Listen("tcp", g.addr)
	if err != nil {
		g.t.Fatal(err)
	}
	g.mu.Lock()
	g.l, g.addr = l, l.Addr().String()
	g.mu.Unlock()
	go func() {
		for {
			in, err := l.Accept()
			if err != nil {
				return
			}
			out, err := net.Dial("tcp", g.to)
			if err != nil {
				in.Close()
				return
			}
			g.mu.Lock()
			g.conns = append(g.conns, in, out)
			g.mu.Unlock()
			go func() { io.Copy(out, in); out.Close() }()
			go func() { io.Copy(in, out); in.Close() }()
		}
	}()
}

func (g *gate) close() {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.l.Close()
	for _, c := range g.conns {
		c.Close()
	}
	g.conns = nil
}
