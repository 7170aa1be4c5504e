package store

import (
	"context"
	"database/sql/driver"
	"fmt"
	"net"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-sql-driver/mysql"

	"trevik/internal/seal"
)

// Of a cluster: how often a node is asked whether it takes statements, how long it may take to say so, how
// long another answer may be awaited, and how many nodes a DSN names at most.
const (
	nodeEvery   = 700 * time.Millisecond
	nodeAnswer  = 1500 * time.Millisecond
	nodeSilence = 20 * time.Second
	mostNodes   = 9
)

// hostsOf splits the addresses of a DSN, user:password@tcp(one:3306,two:3306)/database, and gives it with
// the first one alone.
func hostsOf(dsn string) (first string, hosts []string, err error) {
	begin := strings.LastIndex(dsn, "@tcp(")
	if begin < 0 {
		return dsn, nil, nil
	}
	begin += len("@tcp(")
	end := strings.IndexByte(dsn[begin:], ')')
	if end < 0 {
		return dsn, nil, nil // ParseDSN says what is wrong
	}
	hosts = strings.Split(dsn[begin:begin+end], ",")
	if len(hosts) > mostNodes {
		return "", nil, fmt.Errorf("the DSN names %d nodes; allowed are up to %d", len(hosts), mostNodes)
	}
	for i, h := range hosts {
		if hosts[i] = strings.TrimSpace(h); len(hosts) > 1 {
			if _, _, err := net.SplitHostPort(hosts[i]); err != nil {
				return "", nil, fmt.Errorf("the DSN's node %q: %w", h, err)
			}
		}
	}
	return dsn[:begin] + hosts[0] + dsn[begin+end:], hosts, nil
}

// connectorOf connects to the one database of a configuration, or to the first of a cluster's nodes that
// takes statements.
func connectorOf(c *mysql.Config, hosts []string, w *watcher) (connector driver.Connector, stop func(), err error) {
	if len(hosts) < 2 {
		one, err := mysql.NewConnector(c)
		return &watching{one, w}, func() {}, err
	}
	if c.ReadTimeout > nodeSilence {
		c.ReadTimeout = nodeSilence
	}
	n := &nodes{watch: w}
	for _, h := range hosts {
		one := &node{open: map[net.Conn]bool{}}
		ask := c.Clone()
		ask.Addr, ask.Timeout, ask.ReadTimeout, ask.WriteTimeout = h, nodeAnswer, nodeAnswer, nodeAnswer
		serve := c.Clone()
		serve.Addr, serve.DialFunc = h, one.dial
		if one.connector, err = mysql.NewConnector(serve); err != nil {
			return nil, nil, err
		}
		if one.asking, err = mysql.NewConnector(ask); err != nil {
			return nil, nil, err
		}
		n.all = append(n.all, one)
	}
	ctx, cancel := context.WithCancel(context.Background())
	var all sync.WaitGroup
	for _, one := range n.all {
		all.Go(func() { one.look(ctx) })
	}
	return n, func() {
		cancel()
		all.Wait()
	}, nil
}

// nodes are those of one cluster, in the order in which they are asked.
type nodes struct {
	all   []*node
	watch *watcher
}

// Driver is the driver of all of them.
func (n *nodes) Driver() driver.Driver { return n.all[0].connector.Driver() }

// Connect connects to the first node that takes statements; those that are known not to are asked last.
func (n *nodes) Connect(ctx context.Context) (driver.Conn, error) {
	var last error
	for _, down := range []bool{false, true} {
		for _, one := range n.all {
			if one.down.Load() != down {
				continue
			}
			c, err := one.take(ctx)
			if err == nil {
				return &conn{c, n.watch, one}, nil
			}
			if ctx.Err() != nil {
				return nil, ctx.Err()
			}
			last = err
		}
	}
	return nil, last
}

// node is one of them, with what is open to it.
type node struct {
	connector, asking driver.Connector
	down              atomic.Bool
	mu                sync.Mutex
	open              map[net.Conn]bool
}

// ready is refused by a node that has no quorum or is still joining, and waits for nothing.
const ready = "SET STATEMENT wsrep_sync_wait = 0 FOR SELECT 1"

// take connects to it and sees whether it takes statements.
func (n *node) take(ctx context.Context) (seal.FullConn, error) {
	full, err := connect(ctx, n.connector)
	if err != nil {
		return nil, err
	}
	if err := asked(ctx, full); err != nil {
		_ = full.Close() // another one is looked for
		return nil, err
	}
	return full, nil
}

func asked(ctx context.Context, c seal.FullConn) error {
	ctx, cancel := context.WithTimeout(ctx, nodeAnswer)
	defer cancel()
	rows, err := c.QueryContext(ctx, ready, nil)
	if err != nil {
		return err
	}
	return rows.Close()
}

// look asks the node again and again, over a connection of its own. Once it does not answer, or refuses,
// what is open to it is ended: who waits for it goes to another one at once.
func (n *node) look(ctx context.Context) {
	var own seal.FullConn
	defer func() {
		if own != nil {
			_ = own.Close() // nothing is under way on it
		}
	}()
	for {
		var err error
		if own == nil {
			own, err = connect(ctx, n.asking)
		}
		if err == nil {
			err = asked(ctx, own)
		}
		if ctx.Err() != nil {
			return
		}
		if err != nil && own != nil {
			_ = own.Close() // a new one is made
			own = nil
		}
		if n.down.Store(err != nil); err != nil {
			n.end()
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(nodeEvery):
		}
	}
}

// dial opens a connection that is remembered while it is open.
func (n *node) dial(ctx context.Context, network, addr string) (net.Conn, error) {
	c, err := (&net.Dialer{}).DialContext(ctx, network, addr)
	if err != nil {
		return nil, err
	}
	tcp, ok := c.(*net.TCPConn)
	if !ok {
		return c, nil // a node is reached by TCP alone
	}
	t := &tracked{tcp, n}
	n.mu.Lock()
	n.open[t] = true
	n.mu.Unlock()
	return t, nil
}

func (n *node) end() {
	n.mu.Lock()
	var open []net.Conn
	for c := range n.open {
		open = append(open, c)
	}
	n.mu.Unlock()
	for _, c := range open {
		_ = c.Close() // that is what is meant
	}
}

// tracked is a network connection that its node knows.
type tracked struct {
	*net.TCPConn
	of *node
}

// Close ends it.
func (t *tracked) Close() error {
	t.of.mu.Lock()
	delete(t.of.open, t)
	t.of.mu.Unlock()
	return t.TCPConn.Close()
}
