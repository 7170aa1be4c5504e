package store

import (
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"time"

	"trevik/internal/seal"
	"trevik/internal/store/db"
)

var (
	// ErrOtherKey is a key that does not open what the database's owner sealed.
	ErrOtherKey = errors.New("is not the key that this database was sealed by")
	// ErrNoKey is a database that was sealed, opened without its key.
	ErrNoKey = errors.New("is missing: films, pictures and health answers in this database are sealed by the owner's key")
)

// Wait refuses to seal and to open until Go, while the owner's key waits for the database.
func (s *Store) Wait() { s.ring.Hold(true) }

// Go ends Wait.
func (s *Store) Go() { s.ring.Hold(false) }

// NeedKey fails with ErrNoKey where something in the database was sealed.
func (s *Store) NeedKey(ctx context.Context) error {
	keys, err := s.DataKeys(ctx)
	if err == nil && len(keys) > 0 {
		err = ErrNoKey
	}
	return err
}

// Unlock opens what the owner's key seals, and seals what is written from then on; the first
// time, it makes the key of the data. It fails with ErrOtherKey.
func (s *Store) Unlock(ctx context.Context, owner seal.Key, now time.Time) error {
	rows, err := s.DataKeys(ctx)
	if err != nil {
		return err
	}
	for _, r := range rows {
		d, err := owner.Unwrap(r.ID, r.Wrapped)
		if err != nil {
			return ErrOtherKey
		}
		s.ring.Add(d)
	}
	s.ring.Fetch(func(id []byte) (seal.DataKey, error) {
		// Another instance made it since. Little waits for it: it is asked for once.
		ctx, done := context.WithTimeout(context.Background(), fetchTime)
		defer done()
		r, err := s.DataKey(ctx, id)
		if err != nil {
			return seal.DataKey{}, fmt.Errorf("%w: %w", seal.ErrLocked, err)
		}
		return owner.Unwrap(r.ID, r.Wrapped)
	})
	if len(rows) > 0 {
		return nil
	}
	return s.FreshDataKey(ctx, owner, now)
}

// fetchTime is how long a key that is not here is waited for.
const fetchTime = 5 * time.Second

// FreshDataKey makes a new key of the data, which seals what is written from then on.
func (s *Store) FreshDataKey(ctx context.Context, owner seal.Key, now time.Time) error {
	d := seal.NewDataKey()
	p := db.AddDataKeyParams{ID: d.ID[:], Wrapped: owner.Wrap(d), OwnerKey: owner.ID(), MadeAt: now.UTC()}
	if err := s.AddDataKey(ctx, p); err != nil {
		return err
	}
	s.ring.Add(d)
	return nil
}

// Rekey puts another key of the owner's in the place of the one before, in one transaction, and
// gives how many keys of the data it sealed anew. It fails with ErrOtherKey.
func (s *Store) Rekey(ctx context.Context, before, after seal.Key) (int, error) {
	n := 0
	err := s.Tx(ctx, func(q *db.Queries) error {
		rows, err := q.DataKeys(ctx)
		if err != nil {
			return err
		}
		n = len(rows)
		for _, r := range rows {
			d, err := before.Unwrap(r.ID, r.Wrapped)
			if err != nil {
				return ErrOtherKey
			}
			if err := q.RewrapDataKey(ctx, db.RewrapDataKeyParams{Wrapped: after.Wrap(d), OwnerKey: after.ID(), ID: r.ID}); err != nil {
				return err
			}
		}
		return nil
	})
	return n, err
}

// sealedColumn is a column whose values are sealed.
type sealedColumn struct {
	table, column string
	key           []string // its primary key
	text          bool
}

var sealedColumns = []sealedColumn{
	{"recording_frames", "data", []string{"recording_id", "number"}, false},
	{"pictures", "data", []string{"id"}, false},
	{"pair_photos", "data", []string{"id"}, false},
	{"run_files", "data", []string{"id"}, false},
	{"uploads", "found", []string{"id"}, false},
	{"upload_files", "data", []string{"upload_id", "number", "piece"}, false},
	{"upload_tracks", "data", []string{"upload_id", "number"}, false},
	{"findings", "health", []string{"id"}, true},
	{"decisions", "health", []string{"id"}, true},
	{"changes", "health", []string{"id"}, true},
	{"change_reports", "health", []string{"id"}, true},
	{"users", "second_secret", []string{"id"}, true},
}

// Sealed counts the values of one table: those that are sealed, and those in clear.
type Sealed struct {
	Table         string
	Sealed, Clear int64
}

// CountSealed counts what is sealed and what is not. Nothing is opened.
func (s *Store) CountSealed(ctx context.Context) ([]Sealed, error) {
	data, text := seal.Begins()
	var out []Sealed
	for _, c := range sealedColumns {
		begins := []byte(data)
		if c.text {
			begins = []byte(text)
		}
		x := Sealed{Table: c.table}
		query := fmt.Sprintf("SELECT COALESCE(SUM(LEFT(%[1]s, %[2]d) = ?), 0), COALESCE(SUM(LEFT(%[1]s, %[2]d) <> ?), 0) FROM %[3]s "+
			"WHERE %[1]s IS NOT NULL AND %[1]s <> ''", c.column, len(begins), c.table)
		if err := s.DB.QueryRowContext(ctx, query, begins, begins).Scan(&x.Sealed, &x.Clear); err != nil {
			return nil, fmt.Errorf("%s: %w", c.table, err)
		}
		out = append(out, x)
	}
	return out, nil
}

// sealAtOnce is how many values are sealed in one transaction.
const sealAtOnce = 20

// SealAll seals what stands in clear, or under an earlier key of the data, by the present one,
// and gives how many values that were. What is written meanwhile is sealed by itself.
func (s *Store) SealAll(ctx context.Context) (int, error) {
	id, ok := s.ring.Seals()
	if !ok {
		return 0, ErrNoKey
	}
	n := 0
	for _, c := range sealedColumns {
		begins, text := seal.Begins()
		begins += string(id[:])
		if c.text {
			begins = text + base64.StdEncoding.EncodeToString([]byte(begins))[:4*(len(begins)/3)]
		}
		var last []any
		for {
			var done int
			err := s.TxBulk(ctx, func(_ *db.Queries, tx db.DBTX) error {
				rows, err := c.unsealed(ctx, tx, []byte(begins), last)
				if err != nil {
					return err
				}
				for _, r := range rows {
					if err := c.write(ctx, tx, r); err != nil {
						return err
					}
				}
				if done = len(rows); done > 0 {
					last = rows[done-1].key
				}
				return nil
			})
			if err != nil {
				return n, fmt.Errorf("%s: %w", c.table, err)
			}
			if done == 0 {
				break
			}
			n += done
		}
	}
	return n, nil
}

type unsealedRow struct {
	key   []any
	value []byte
}

// unsealed reads the next values behind a key that do not begin as they should, and locks them.
func (c sealedColumn) unsealed(ctx context.Context, tx db.DBTX, begins []byte, last []any) ([]unsealedRow, error) {
	keys := strings.Join(c.key, ", ")
	where, args := "", []any{}
	if last != nil {
		where = fmt.Sprintf("(%s) > (%s) AND ", keys, strings.Repeat(", ?", len(c.key))[2:])
		args = append(args, last...)
	}
	query := fmt.Sprintf("SELECT %[1]s, %[2]s FROM %[3]s WHERE %[4]s %[2]s IS NOT NULL AND %[2]s <> '' AND LEFT(%[2]s, %[5]d) <> ? ORDER BY "+
		"%[1]s LIMIT %[6]d FOR UPDATE", keys, c.column, c.table, where, len(begins), sealAtOnce)
	rows, err := tx.QueryContext(ctx, query, append(args, begins)...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []unsealedRow
	for rows.Next() {
		r := unsealedRow{key: make([]any, len(c.key))}
		to := make([]any, 0, len(c.key)+1)
		for i := range r.key {
			r.key[i] = new(uint64)
			to = append(to, r.key[i])
		}
		if err := rows.Scan(append(to, &r.value)...); err != nil {
			return nil, err
		}
		for i, k := range r.key {
			r.key[i] = *k.(*uint64)
		}
		out = append(out, r)
	}
	return out, rows.Err()
}

func (c sealedColumn) write(ctx context.Context, tx db.DBTX, r unsealedRow) error {
	var value any = seal.Bytes(r.value)
	if c.text {
		value = seal.Text(r.value)
	}
	_, err := tx.ExecContext(ctx, fmt.Sprintf("UPDATE %s SET %s = ? WHERE (%s) = (%s)", c.table, c.column, strings.Join(c.key, ", "),
		strings.Repeat(", ?", len(c.key))[2:]), append([]any{value}, r.key...)...)
	return err
}

// Forget gives up what is sealed by a key that was lost for good, so that the rest can be used:
// films and pictures go as those go that may not be kept, health answers as when a consent runs
// out. It gives how many values went, by table.
func (s *Store) Forget(ctx context.Context, now time.Time) ([]Sealed, error) {
	was, err := s.CountSealed(ctx)
	if err != nil {
		return nil, err
	}
	data, text := seal.Begins()
	begins := func(column, with string) string { return fmt.Sprintf("LEFT(%s, %d) = ?", column, len(with)) }
	bytesLost, healthLost := begins("data", data), begins("health", text)
	steps := []struct {
		query string
		args  []any
	}{
		{"UPDATE recordings SET frames_gone = TRUE WHERE id IN (SELECT recording_id FROM recording_frames WHERE " + bytesLost + ")",
			[]any{[]byte(data)}},
		{"DELETE FROM recording_frames WHERE recording_id IN (SELECT id FROM recordings WHERE frames_gone)", nil},
		{"DELETE FROM pictures WHERE " + bytesLost, []any{[]byte(data)}},
		{"DELETE FROM pair_photos WHERE " + bytesLost, []any{[]byte(data)}},
		{"UPDATE runs SET file_id = NULL WHERE file_id IN (SELECT id FROM run_files WHERE " + bytesLost + ")", []any{[]byte(data)}},
		{"DELETE FROM run_files WHERE " + bytesLost, []any{[]byte(data)}},
		{"DELETE FROM uploads", nil}, // files that wait to be put in can be sent again
		{"DELETE FROM findings WHERE " + healthLost, []any{text}},
		{"UPDATE decisions SET health = NULL, reason = IF(kind = 'refer_override' AND value <> '', 'lost with the key', reason) WHERE " +
			healthLost, []any{text}},
		{"DELETE FROM change_reports WHERE " + healthLost, []any{text}},
		{"UPDATE changes SET health = NULL, ended_at = COALESCE(ended_at, ?) WHERE " + healthLost, []any{now.UTC(), text}},
		{"UPDATE users SET second_secret = NULL WHERE " + begins("second_secret", text), []any{text}},
		{"UPDATE verdicts SET stale = TRUE, change_no = change_no + 1", nil},
		{"DELETE FROM data_keys", nil},
	}
	return was, s.TxBulk(ctx, func(_ *db.Queries, tx db.DBTX) error {
		for _, x := range steps {
			if _, err := tx.ExecContext(ctx, x.query, x.args...); err != nil {
				return fmt.Errorf("%s: %w", x.query, err)
			}
		}
		return nil
	})
}
