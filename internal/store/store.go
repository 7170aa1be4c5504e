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
	ring *seal.Ring
}

// Open prepares the connection that a DSN describes; it does not connect yet,
// so that the application can start and recover while the database is away.
// Whatever the DSN says, times are UTC and the mode is strict.
func Open(dsn string) (*Store, error) {
	c, err := mysql.ParseDSN(dsn)
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
	connector, err := mysql.NewConnector(c)
	if err != nil {
		return nil, err
	}
	ring := &seal.Ring{}
	pool := sql.OpenDB(seal.Connector(connector, ring))
	pool.SetMaxOpenConns(24)
	pool.SetMaxIdleConns(12)
	pool.SetConnMaxLifetime(10 * time.Minute)
	return &Store{DB: pool, Queries: db.New(pool), ring: ring}, nil
}

// Close lets the connections go.
func (s *Store) Close() error { return s.DB.Close() }

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

// Tx runs do in one transaction, which is rolled back when do fails. A deadlock that MariaDB
// resolved against us, and a wait for a lock that took too long, are tried again.
func (s *Store) Tx(ctx context.Context, do func(*db.Queries) error) error {
	return s.TxBulk(ctx, func(q *db.Queries, _ db.DBTX) error { return do(q) })
}

// TxBulk is Tx with the transaction itself, for AddSizes.
func (s *Store) TxBulk(ctx context.Context, do func(*db.Queries, db.DBTX) error) error {
	for try := 0; ; try++ {
		err := s.once(ctx, do)
		if try < mostTries && IsConflict(err) && ctx.Err() == nil {
			// Those that met wait each for another time, so that they do not meet again.
			select {
			case <-ctx.Done():
			case <-time.After(time.Duration(rand.Int64N(int64(10*time.Millisecond) << try))):
			}
			continue
		}
		return err
	}
}

func (s *Store) once(ctx context.Context, do func(*db.Queries, db.DBTX) error) error {
	// Read committed: what is read after a lock was waited for is as the other left it, and not as
	// it was when this transaction first read anything.
	tx, err := s.DB.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelReadCommitted})
	if err != nil {
		return err
	}
	defer tx.Rollback() // does nothing once committed
	if err := do(s.Queries.WithTx(tx), tx); err != nil {
		return err
	}
	return tx.Commit()
}

const (
	deadlock  = 1213
	lockWait  = 1205
	mostTries = 6
	duplicate = 1062
)

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
		case 1040, 1045, 1049, 1053, 1205, 1927, // full, refused, shutting down, waiting
			1047,             // a node of a cluster without its quorum
			1290, 1792, 1836: // it may only be read
			return true
		}
		return false
	}
	var network net.Error
	return errors.As(err, &network) || errors.Is(err, driver.ErrBadConn) || errors.Is(err, mysql.ErrInvalidConn) || errors.Is(err, io.EOF) ||
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
