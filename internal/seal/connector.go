package seal

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"slices"
)

// Bytes are sealed on their way into a column of bytes.
type Bytes []byte

// Text is sealed on its way into a column of text; an empty one is NULL.
type Text string

// Scan reads a column that was opened; NULL is empty.
func (t *Text) Scan(v any) error {
	switch v := v.(type) {
	case nil:
		*t = ""
	case []byte:
		*t = Text(v)
	case string:
		*t = Text(v)
	default:
		return fmt.Errorf("a sealed text cannot be read from a %T", v)
	}
	return nil
}

// Columns whose values may be sealed, by their names: those of bytes, and those of text.
var (
	ByteColumns = []string{"data", "found"}
	TextColumns = []string{"health", "second_secret"}
)

// Connector opens connections that seal values of Bytes and Text as they are written, and open
// the columns that may be sealed as they are read, by the keys of a ring. Everything above it, a
// copy of rows too, deals with what is in clear.
func Connector(c driver.Connector, r *Ring) driver.Connector { return &connector{c, r} }

type connector struct {
	driver.Connector
	ring *Ring
}

func (c *connector) Connect(ctx context.Context) (driver.Conn, error) {
	inner, err := c.Connector.Connect(ctx)
	if err != nil {
		return nil, err
	}
	full, ok := inner.(FullConn)
	if !ok {
		_ = inner.Close() // it cannot be used
		return nil, errors.New("the driver's connection lacks what sealing needs")
	}
	return &conn{full, c.ring}, nil
}

// FullConn is what a connection of the MariaDB driver can do.
type FullConn interface {
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

type conn struct {
	FullConn
	ring *Ring
}

func (c *conn) CheckNamedValue(v *driver.NamedValue) error {
	if done, err := c.ring.take(v); done {
		return err
	}
	return c.FullConn.CheckNamedValue(v)
}

// take seals a value that is to be sealed; done is false for another. It fails with ErrLocked
// while keys are still to come.
func (r *Ring) take(v *driver.NamedValue) (done bool, err error) {
	switch x := v.Value.(type) {
	case Bytes:
		v.Value = nil
		if x != nil {
			v.Value = r.seal(x)
		}
	case Text:
		v.Value = nil
		if x != "" {
			v.Value = r.sealText(string(x))
		}
	default:
		return false, nil
	}
	if r.holds() {
		return true, ErrLocked
	}
	return true, nil
}

func (c *conn) QueryContext(ctx context.Context, query string, args []driver.NamedValue) (driver.Rows, error) {
	return c.ring.rows(c.FullConn.QueryContext(ctx, query, args))
}

func (c *conn) Prepare(query string) (driver.Stmt, error) {
	return c.PrepareContext(context.Background(), query)
}

func (c *conn) PrepareContext(ctx context.Context, query string) (driver.Stmt, error) {
	inner, err := c.FullConn.PrepareContext(ctx, query)
	if err != nil {
		return nil, err
	}
	full, ok := inner.(fullStmt)
	if !ok {
		_ = inner.Close() // it cannot be used
		return nil, errors.New("the driver's statement lacks what sealing needs")
	}
	return &stmt{full, c.ring}, nil
}

type fullStmt interface {
	driver.Stmt
	driver.StmtExecContext
	driver.StmtQueryContext
	driver.NamedValueChecker
}

type stmt struct {
	fullStmt
	ring *Ring
}

func (s *stmt) CheckNamedValue(v *driver.NamedValue) error {
	if done, err := s.ring.take(v); done {
		return err
	}
	return s.fullStmt.CheckNamedValue(v)
}

func (s *stmt) QueryContext(ctx context.Context, args []driver.NamedValue) (driver.Rows, error) {
	return s.ring.rows(s.fullStmt.QueryContext(ctx, args))
}

// fullRows is what rows of the MariaDB driver can do.
type fullRows interface {
	driver.Rows
	driver.RowsNextResultSet
	driver.RowsColumnTypeDatabaseTypeName
	driver.RowsColumnTypeNullable
	driver.RowsColumnTypePrecisionScale
	driver.RowsColumnTypeScanType
}

type rows struct {
	fullRows
	ring  *Ring
	opens []func([]byte) ([]byte, error) // by column, nil where nothing is sealed
}

func (r *Ring) rows(in driver.Rows, err error) (driver.Rows, error) {
	if err != nil {
		return nil, err
	}
	full, ok := in.(fullRows)
	if !ok {
		_ = in.Close() // they cannot be used
		return nil, errors.New("the driver's rows lack what sealing needs")
	}
	out := &rows{full, r, nil}
	out.look()
	return out, nil
}

// look finds the columns that may be sealed.
func (r *rows) look() {
	names := r.Columns()
	r.opens = make([]func([]byte) ([]byte, error), len(names))
	for i, name := range names {
		switch {
		case slices.Contains(ByteColumns, name):
			r.opens[i] = r.ring.open
		case slices.Contains(TextColumns, name):
			r.opens[i] = r.ring.openText
		}
	}
}

func (r *rows) NextResultSet() error {
	err := r.fullRows.NextResultSet()
	if err == nil {
		r.look()
	}
	return err
}

func (r *rows) Next(to []driver.Value) error {
	if err := r.fullRows.Next(to); err != nil {
		return err
	}
	for i, open := range r.opens {
		if open == nil {
			continue
		}
		var err error
		switch x := to[i].(type) {
		case []byte:
			to[i], err = open(x)
		case string:
			to[i], err = open([]byte(x))
		}
		if err != nil {
			return fmt.Errorf("column %s: %w", r.Columns()[i], err)
		}
	}
	return nil
}
