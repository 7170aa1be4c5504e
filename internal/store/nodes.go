package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"net"
	"strings"
	"sync"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Of a cluster: how long a node may take to say that it takes statements, how long an answer of one may
// be awaited before it counts as gone, and how many nodes a DSN names at most.
const (
	nodeReady   = 2 * time.Second
	nodeSilence = 12 * time.Second
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

// connectorOf connects to the one node of a configuration, or to the first of several that answers and
// takes statements; the node that was taken last is asked first.
func connectorOf(c *mysql.Config, hosts []string) (driver.Connector, error) {
	if len(hosts) < 2 {
		return mysql.NewConnector(c)
	}
	if c.ReadTimeout > nodeSilence {
		c.ReadTimeout = nodeSilence
	}
	n := &nodes{}
	for _, h := range hosts {
		one := c.Clone()
		one.Addr = h
		connector, err := mysql.NewConnector(one)
		if err != nil {
			return nil, err
		}
		n.all = append(n.all, connector)
	}
	return n, nil
}

// nodes are those of one cluster.
type nodes struct {
	all []driver.Connector
	mu  sync.Mutex
	at  int
}

func (n *nodes) Driver() driver.Driver { return n.all[0].Driver() }

func (n *nodes) Connect(ctx context.Context) (driver.Conn, error) {
	n.mu.Lock()
	first := n.at
	n.mu.Unlock()
	var last error
	for i := range n.all {
		at := (first + i) % len(n.all)
		c, err := n.take(ctx, at)
		if err == nil {
			n.mu.Lock()
			n.at = at
			n.mu.Unlock()
			return c, nil
		}
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		last = err
	}
	return nil, last
}

// take connects to a node and sees whether it takes statements: one that lost its quorum, or is still
// joining, answers and refuses them.
func (n *nodes) take(ctx context.Context, at int) (driver.Conn, error) {
	inner, err := n.all[at].Connect(ctx)
	if err != nil {
		return nil, err
	}
	full, ok := inner.(fullConn)
	if !ok {
		_ = inner.Close() // it cannot be used
		return nil, errors.New("the driver's connection lacks what a cluster needs")
	}
	ready, cancel := context.WithTimeout(ctx, nodeReady)
	defer cancel()
	rows, err := full.QueryContext(ready, "SELECT 1", nil)
	if err == nil {
		err = rows.Close()
	}
	if err != nil {
		_ = inner.Close() // another one is looked for
		return nil, err
	}
	return &nodeConn{full}, nil
}

// fullConn is what a connection of the MariaDB driver can do.
type fullConn interface {
	driver.Conn
	driver.ConnBeginTx
	driver.ConnPrepareContext
	driver.ExecerContext
	driver.QueryerContext
	driver.NamedValueChecker
	driver.Pinger
	driver.SessionResetter
	driver.Validator
}

// nodeConn is a connection to a node. What the node refuses since it has no quorum was not done: the
// connection is let go, and the statement goes to another one.
type nodeConn struct{ fullConn }

func refused(err error) error {
	var my *mysql.MySQLError
	if errors.As(err, &my) && my.Number == noQuorum {
		return driver.ErrBadConn
	}
	return err
}

func (c *nodeConn) ExecContext(ctx context.Context, query string, args []driver.NamedValue) (driver.Result, error) {
	r, err := c.fullConn.ExecContext(ctx, query, args)
	return r, refused(err)
}

func (c *nodeConn) QueryContext(ctx context.Context, query string, args []driver.NamedValue) (driver.Rows, error) {
	r, err := c.fullConn.QueryContext(ctx, query, args)
	return r, refused(err)
}

func (c *nodeConn) BeginTx(ctx context.Context, opts driver.TxOptions) (driver.Tx, error) {
	tx, err := c.fullConn.BeginTx(ctx, opts)
	return tx, refused(err)
}
