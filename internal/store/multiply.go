package store

import (
	"context"
	"fmt"
	"slices"
	"strings"
)

// multiplyAtOnce is how many more of each runner one statement puts in.
const multiplyAtOnce = 5

// Multiply puts so many more of every runner into a database, each with all that is theirs but pictures, films and files: the data
// of a chain, to see how it bears its size. Their verdicts are stale.
func (s *Store) Multiply(ctx context.Context, times int) error {
	if times < 1 {
		return nil
	}
	step, err := s.step(ctx)
	if err != nil {
		return err
	}
	for _, t := range tables {
		if t.of == "" || len(t.bytes) > 0 {
			continue
		}
		columns, err := s.columnsOf(ctx, t.name)
		if err != nil {
			return err
		}
		values := make([]string, len(columns))
		for i, c := range columns {
			values[i] = "t." + c
			at := slices.IndexFunc(tables, func(o table) bool { return o.name == t.refs[c] })
			switch {
			case c == "id" || at >= 0 && tables[at].of != "" && len(tables[at].bytes) == 0:
				values[i] = fmt.Sprintf("t.%s + %d * seq", c, step)
			case at >= 0 && len(tables[at].bytes) > 0:
				values[i] = "NULL" // it is not taken along
			}
		}
		for from := 1; from <= times; from += multiplyAtOnce { // in parts: a statement that takes long is taken for one that hangs
			if _, err := s.DB.ExecContext(ctx, fmt.Sprintf("INSERT INTO %s (%s) SELECT %s FROM %s t JOIN seq_%d_to_%d WHERE t.id <= %d", t.name,
				strings.Join(columns, ", "), strings.Join(values, ", "), t.name, from, min(times, from+multiplyAtOnce-1), step)); err != nil {
				return fmt.Errorf("%s: %w", t.name, err)
			}
		}
	}
	if _, err := s.DB.ExecContext(ctx, `INSERT IGNORE INTO verdicts (runner_id, shop_id, stale)
		SELECT id, shop_id, TRUE FROM runners`); err != nil {
		return err
	}
	// Queries are planned by what the tables were like when they were small, until they are looked at again.
	_, err = s.DB.ExecContext(ctx, "ANALYZE TABLE runners, fits, findings, pairs, runs, verdicts")
	return err
}

// step is beyond every id of a runner's rows.
func (s *Store) step(ctx context.Context) (uint64, error) {
	most := uint64(0)
	for _, t := range tables {
		var id uint64
		if err := s.DB.QueryRowContext(ctx, "SELECT COALESCE(MAX(id), 0) FROM "+t.name).Scan(&id); err != nil {
			return 0, err
		}
		most = max(most, id)
	}
	return most + 1, nil
}

// columnsOf are a table's columns but for those that it works out itself.
func (s *Store) columnsOf(ctx context.Context, name string) (out []string, err error) {
	rows, err := s.DB.QueryContext(ctx, `SELECT column_name FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name = ?
		AND extra NOT LIKE '%GENERATED%' ORDER BY ordinal_position`, name)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var c string
		if err := rows.Scan(&c); err != nil {
			return nil, err
		}
		out = append(out, c)
	}
	return out, rows.Err()
}
