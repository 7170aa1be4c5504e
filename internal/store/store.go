// Package store keeps Trevik's rows in MariaDB: migrations, queries in SQL files
// with generated access, and the connection's rules (UTC, strict mode).
package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"net"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"

	"trevik/internal/seal"
	"trevik/internal/store/db"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is the database, with generated access to its rows.
type Store struct {
	DB *sql.DB
	*db.Queries
	ring  *seal.Ring
	watch *watcher
	stop  func()
}

// Open prepares the connection that a DSN describes; it does not connect yet,
// so that the application can start and recover while the database is away.
// Whatever the DSN says, times are UTC and the mode is strict. A DSN may name the nodes of a
// cluster, tcp(one:3306,two:3306): the first that takes statements is used. What is read there is
// at least as new as what any node had acknowledged, unless the DSN sets wsrep_sync_wait itself.
func Open(dsn string) (*Store, error) {
	first, hosts, err := hostsOf(dsn)
	if err != nil {
		return nil, err
	}
	c, err := mysql.ParseDSN(first)
	if err != nil {
		return nil, fmt.Errorf("the DSN: %w", err)
	}
	c.ParseTime, c.Loc = true, time.UTC
	c.InterpolateParams = true
	c.ClientFoundRows = false
	if c.Timeout == 0 {
		c.Timeout = 3 * time.Second
	}
	if c.ReadTimeout == 0 {
		c.ReadTimeout = 30 * time.Second
	}
	if c.WriteTimeout == 0 {
		c.WriteTimeout = 30 * time.Second
	}
	if c.Params == nil {
		c.Params = map[string]string{}
	}
	c.Params["time_zone"] = "'+00:00'"
	c.Params["sql_mode"] = "'STRICT_ALL_TABLES,ERROR_FOR_DIVISION_BY_ZERO,NO_ZERO_DATE,NO_ZERO_IN_DATE,NO_ENGINE_SUBSTITUTION'"
	if err := c.Apply(mysql.Charset("utf8mb4", "utf8mb4_unicode_ci")); err != nil {
		return nil, err
	}
	if _, set := c.Params["wsrep_sync_wait"]; !set && len(hosts) > 1 {
		c.Params["wsrep_sync_wait"] = "1"
	}
	watch := &watcher{}
	connector, stop, err := connectorOf(c, hosts, watch)
	if err != nil {
		return nil, err
	}
	ring := &seal.Ring{}
	pool := sql.OpenDB(seal.Connector(connector, ring))
	pool.SetMaxOpenConns(24)
	pool.SetMaxIdleConns(12)
	pool.SetConnMaxLifetime(10 * time.Minute)
	return &Store{DB: pool, Queries: db.New(pool), ring: ring, watch: watch, stop: stop}, nil
}

// Close lets the connections go.
func (s *Store) Close() error {
	s.stop()
	return s.DB.Close()
}

// Migrate brings the database to this program's state and gives its version.
func (s *Store) Migrate(ctx context.Context) (int64, error) {
	dir, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return 0, err
	}
	p, err := goose.NewProvider(goose.DialectMySQL, s.DB, dir)
	if err != nil {
		return 0, err
	}
	if _, err := p.Up(ctx); err != nil {
		return 0, err
	}
	return p.GetDBVersion(ctx)
}

// Tx runs do in one transaction, which is rolled back when do fails. A deadlock that MariaDB resolved
// against us, a write that another node of the cluster had made already, a wait for a lock that took too
// long, and a database that went away before the commit are tried again, the whole of it from fresh
// reads, for a few seconds.
func (s *Store) Tx(ctx context.Context, do func(*db.Queries) error) error {
	return s.TxBulk(ctx, func(q *db.Queries, _ db.DBTX) error { return do(q) })
}

// TxBulk is Tx with the transaction itself, for AddSizes.
func (s *Store) TxBulk(ctx context.Context, do func(*db.Queries, db.DBTX) error) error {
	return s.tries(ctx, false, do)
}

// TxTwice is TxBulk for what finds by itself that it was done already: it is tried again, too, where the
// database went away in the commit, when nobody knows whether that stands.
func (s *Store) TxTwice(ctx context.Context, do func(*db.Queries, db.DBTX) error) error {
	return s.tries(ctx, true, do)
}

func (s *Store) tries(ctx context.Context, twice bool, do func(*db.Queries, db.DBTX) error) error {
	patience := Patience{}
	for {
		committing, err := s.once(ctx, do)
		if err == nil || ctx.Err() != nil {
			return err
		}
		if !IsConflict(err) && (!IsAway(err) || committing && !twice) {
			return err
		}
		s.watch.retried(err)
		if !patience.Wait(ctx, err) {
			return err
		}
	}
}

// once tries a transaction; committing says that it failed in the commit itself.
func (s *Store) once(ctx context.Context, do func(*db.Queries, db.DBTX) error) (committing bool, err error) {
	// Read committed: what is read after a lock was waited for is as the other left it, and not as
	// it was when this transaction first read anything.
	tx, err := s.DB.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelReadCommitted})
	if err != nil {
		return false, err
	}
	defer tx.Rollback() // does nothing once committed
	if err := do(s.Queries.WithTx(tx), tx); err != nil {
		return false, err
	}
	return true, tx.Commit()
}

const (
	deadlock  = 1213 // of a cluster, too: another node's write came first
	lockWait  = 1205
	duplicate = 1062
	noQuorum  = 1047 // a node of a cluster that takes no statements
)

// Patience is how long and how often something is tried again that failed for the database's sake.
type Patience struct {
	conflicts, aways int
}

// House values of it: tries of what others were in the way of; tries, and the pauses between them, while
// the database is away: 3.2 s in all.
const (
	mostConflicts = 8
	mostAways     = 8
	awayPause     = 400 * time.Millisecond
)

// Wait waits before the next try; false where there is none.
func (p *Patience) Wait(ctx context.Context, err error) bool {
	var pause time.Duration
	if IsConflict(err) {
		if p.conflicts++; p.conflicts > mostConflicts {
			return false
		}
		// Those that met wait each for another time, so that they do not meet again.
		pause = time.Duration(rand.Int64N(int64(5*time.Millisecond) << p.conflicts))
	} else {
		if p.aways++; p.aways > mostAways {
			return false
		}
		pause = awayPause
	}
	select {
	case <-ctx.Done():
		return false
	case <-time.After(pause):
		return true
	}
}

// IsConflict says whether MariaDB broke a transaction off for another's sake: done again, it can go
// through.
func IsConflict(err error) bool {
	var my *mysql.MySQLError
	return errors.As(err, &my) && (my.Number == deadlock || my.Number == lockWait)
}

// IsDuplicate says whether a unique key refused a row.
func IsDuplicate(err error) bool {
	var my *mysql.MySQLError
	return errors.As(err, &my) && my.Number == duplicate
}

// IsAway says whether an error means that the database cannot be reached now.
func IsAway(err error) bool {
	if err == nil {
		return false
	}
	var my *mysql.MySQLError
	if errors.As(err, &my) {
		switch my.Number {
		case 1021, 1114, // its disk is full
			1040, 1045, 1049, 1053, 1205, 1927, // full, refused, shutting down, waiting
			noQuorum,
			1290, 1792, 1836: // it may only be read
			return true
		}
		return false
	}
	var network net.Error
	return errors.As(err, &network) || errors.Is(err, driver.ErrBadConn) || errors.Is(err, mysql.ErrInvalidConn) || errors.Is(err, io.EOF) ||
		errors.Is(err, sql.ErrTxDone) || // the connection ended within the transaction
		errors.Is(err, io.ErrUnexpectedEOF)
}

// Writable says whether the database answers and takes what is written: with a change of nothing, in a
// transaction that is taken back.
func (s *Store) Writable(ctx context.Context) error {
	tx, err := s.DB.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	_, err = tx.ExecContext(ctx, "UPDATE shops SET name = name WHERE id = 0")
	return err
}

// NullTime is a time, none for the zero one.
func NullTime(t time.Time) sql.NullTime { return sql.NullTime{Time: t, Valid: !t.IsZero()} }

// IsNoRows says whether a query found nothing.
func IsNoRows(err error) bool { return errors.Is(err, sql.ErrNoRows) }
