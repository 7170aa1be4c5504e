package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"strings"
	"sync/atomic"
	"time"

	"github.com/go-sql-driver/mysql"

	"trevik/internal/seal"
)

// watcher tells how long statements took, and what was tried again, to whom it concerns.
type watcher struct {
	took  atomic.Pointer[func(statement string, took time.Duration)]
	again atomic.Pointer[func(why string)]
}

// Watch tells how long each statement took, by its name in the SQL files or by its first words (never what
// it was about), and why a transaction was tried again: conflict or away.
func (s *Store) Watch(took func(statement string, took time.Duration), again func(why string)) {
	s.watch.took.Store(&took)
	s.watch.again.Store(&again)
}

func (w *watcher) tell(statement string, begun time.Time) {
	if f := w.took.Load(); f != nil {
		(*f)(nameOf(statement), time.Since(begun))
	}
}

func (w *watcher) retried(err error) {
	if f := w.again.Load(); f != nil {
		why := "away"
		if IsConflict(err) {
			why = "conflict"
		}
		(*f)(why)
	}
}

// nameOf is a statement's name in the SQL files, or its first two words.
func nameOf(statement string) string {
	if rest, ok := strings.CutPrefix(statement, "-- name: "); ok {
		name, _, _ := strings.Cut(rest, " ")
		return name
	}
	words := strings.Fields(statement)
	return strings.ToUpper(strings.Join(words[:min(len(words), 2)], " "))
}

// watching connects to the one database of a configuration.
type watching struct {
	driver.Connector
	watch *watcher
}

func (w *watching) Connect(ctx context.Context) (driver.Conn, error) {
	full, err := connect(ctx, w.Connector)
	if err != nil {
		return nil, err
	}
	return &conn{full, w.watch, nil}, nil
}

func connect(ctx context.Context, c driver.Connector) (seal.FullConn, error) {
	inner, err := c.Connect(ctx)
	if err != nil {
		return nil, err
	}
	full, ok := inner.(seal.FullConn)
	if !ok {
		_ = inner.Close() // it cannot be used
		return nil, errors.New("the driver's connection lacks what the store needs")
	}
	return full, nil
}

// conn is a connection that is watched; one to a node of several is let go where that takes no statements.
type conn struct {
	seal.FullConn
	watch *watcher
	node  *node // nil is the only one
}

// refused is an error after which the connection is let go and the statement goes to another node: it was
// not done, since this node has no quorum.
func (c *conn) refused(err error) error {
	var my *mysql.MySQLError
	if c.node != nil && errors.As(err, &my) && my.Number == noQuorum {
		return driver.ErrBadConn
	}
	return err
}

// gone says that it leads to a node that takes no statements.
func (c *conn) gone() bool { return c.node != nil && c.node.down.Load() }

// IsValid says whether the pool may keep it.
func (c *conn) IsValid() bool { return !c.gone() && c.FullConn.IsValid() }

// ResetSession is asked before the pool gives it out again.
func (c *conn) ResetSession(ctx context.Context) error {
	if c.gone() {
		return driver.ErrBadConn
	}
	return c.FullConn.ResetSession(ctx)
}

func (c *conn) ExecContext(ctx context.Context, query string, args []driver.NamedValue) (driver.Result, error) {
	defer c.watch.tell(query, time.Now())
	r, err := c.FullConn.ExecContext(ctx, query, args)
	return r, c.refused(err)
}

func (c *conn) QueryContext(ctx context.Context, query string, args []driver.NamedValue) (driver.Rows, error) {
	defer c.watch.tell(query, time.Now())
	r, err := c.FullConn.QueryContext(ctx, query, args)
	return r, c.refused(err)
}

func (c *conn) BeginTx(ctx context.Context, opts driver.TxOptions) (driver.Tx, error) {
	tx, err := c.FullConn.BeginTx(ctx, opts)
	return tx, c.refused(err)
}
