package store

import (
	"context"
	"database/sql"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"trevik/internal/seal"
	"trevik/internal/store/db"
)

// Row is a row of a table as JSON: columns by name. Bytes stand as base64, times as
// "2006-01-02 15:04:05.000000" in UTC, days as "2006-01-02".
type Row map[string]any

// table is how a table of the shop is carried over.
type table struct {
	name string
	// of finds its rows of one runner; empty: it is the shop's, and goes only with a whole
	// shop.
	of string
	// refs are columns that hold another table's id. shop_id, made_by and the like are known.
	refs map[string]string
	// bytes are columns of bytes.
	bytes []string
}

const (
	ofFits  = "fit_id IN (SELECT id FROM fits WHERE runner_id = ?)"
	ofPairs = "pair_id IN (SELECT id FROM pairs WHERE runner_id = ?)"
	ofRuns  = "run_id IN (SELECT id FROM runs WHERE runner_id = ?)"
)

// tables in an order in which every reference is there before it is made. Sessions, links
// and what is only for a moment stay behind; frames of films too, since they go in days.
var tables = []table{
	{name: "settings"},
	{name: "run_columns", bytes: []string{"header"}},
	{name: "sales", refs: map[string]string{"model_id": "models"}},
	{name: "lessons"},
	{name: "insoles", refs: map[string]string{"model_id": "models"}},
	{name: "barcodes", refs: map[string]string{"model_id": "models"}},
	{name: "runners", of: "id = ?"}, // those of the practice too: they are marked
	{name: "fits", of: "runner_id = ?", refs: map[string]string{"runner_id": "runners", "fitter_id": "users"}},
	{name: "pairs", of: "runner_id = ?", refs: map[string]string{"runner_id": "runners", "model_id": "models", "fit_id": "fits"}},
	{name: "findings", of: ofFits, refs: map[string]string{"fit_id": "fits", "model_id": "models", "other_model_id": "models"}},
	{name: "decisions", of: ofFits, refs: map[string]string{"fit_id": "fits"}},
	{name: "consents", of: "runner_id = ?", refs: map[string]string{"runner_id": "runners"}},
	{name: "pictures", of: ofFits, refs: map[string]string{"fit_id": "fits"}, bytes: []string{"data"}},
	{name: "recordings", of: ofFits, refs: map[string]string{"fit_id": "fits"}, bytes: []string{"followed"}},
	{name: "run_files", of: "runner_id = ?", refs: map[string]string{"runner_id": "runners"}, bytes: []string{"digest", "data"}},
	{name: "runs", of: "runner_id = ?", refs: map[string]string{"runner_id": "runners", "pair_id": "pairs", "file_id": "run_files",
		"split_from": "runs", "withdrawn_by": "users"}},
	{name: "run_moves", of: ofRuns, refs: map[string]string{"run_id": "runs", "from_pair": "pairs", "to_pair": "pairs"}},
	{name: "run_rules", of: "runner_id = ?", refs: map[string]string{"runner_id": "runners", "pair_id": "pairs", "second_pair": "pairs"}},
	{name: "inspections", of: ofPairs, refs: map[string]string{"pair_id": "pairs"}},
	{name: "pair_photos", of: ofPairs, refs: map[string]string{"pair_id": "pairs"}, bytes: []string{"data"}},
	{name: "pair_lifting", of: ofPairs, refs: map[string]string{"pair_id": "pairs"}},
	{name: "pair_reports", of: ofPairs, refs: map[string]string{"pair_id": "pairs"}},
	{name: "races", of: "runner_id = ?", refs: map[string]string{"runner_id": "runners", "pair_id": "pairs"}},
	{name: "bookings", of: "runner_id = ?", refs: map[string]string{"runner_id": "runners"}},
	{name: "seasons", of: "runner_id = ?", refs: map[string]string{"runner_id": "runners"}},
	{name: "season_weeks", of: "runner_id = ?", refs: map[string]string{"runner_id": "runners"}},
	{name: "season_runs", of: "week_id IN (SELECT id FROM season_weeks WHERE runner_id = ?)",
		refs: map[string]string{"week_id": "season_weeks"}},
	{name: "season_orders", of: "runner_id = ?", refs: map[string]string{"runner_id": "runners", "model_id": "models", "pair_id": "pairs"}},
	{name: "season_outlooks", of: "runner_id = ?", refs: map[string]string{"runner_id": "runners"}},
	{name: "rubs", of: ofPairs, refs: map[string]string{"pair_id": "pairs"}},
	{name: "changes", of: "runner_id = ?", refs: map[string]string{"runner_id": "runners", "from_pair": "pairs", "to_pair": "pairs"}},
	{name: "change_reports", of: "change_id IN (SELECT id FROM changes WHERE runner_id = ?)", refs: map[string]string{"change_id": "changes"}},
}

// Copy is what is carried over: people by name, models whole, and the rows by table.
type Copy struct {
	Users  []Row            `json:"users"`  // id, login, name, role
	Models []Row            `json:"models"` // id and code alone; the catalogue stands beside them
	Tables map[string][]Row `json:"tables"`
}

// Clone is a copy of the copy that shares no row with it.
func (c Copy) Clone() Copy {
	rows := func(list []Row) []Row {
		out := make([]Row, len(list))
		for i, r := range list {
			out[i] = maps.Clone(r)
		}
		return out
	}
	out := Copy{Users: rows(c.Users), Models: rows(c.Models), Tables: map[string][]Row{}}
	for name, list := range c.Tables {
		out.Tables[name] = rows(list)
	}
	return out
}

// Dump copies a shop's rows in one consistent view, or one runner's where runner is not 0.
func (s *Store) Dump(ctx context.Context, shop, runner uint64) (Copy, error) {
	out := Copy{Tables: map[string][]Row{}}
	tx, err := s.DB.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return out, err
	}
	defer func() { _ = tx.Rollback() }() // only read
	if out.Users, err = rowsOf(ctx, tx, table{}, "SELECT id, login, name, role FROM users WHERE shop_id = ? ORDER BY id", shop); err != nil {
		return out, err
	}
	if out.Models, err = rowsOf(ctx, tx, table{}, "SELECT id, code FROM models WHERE shop_id = ? ORDER BY id", shop); err != nil {
		return out, err
	}
	for _, t := range tables {
		if runner != 0 && t.of == "" {
			continue
		}
		query, args := "SELECT * FROM "+t.name+" WHERE shop_id = ?", []any{shop}
		if t.of != "" { // who was erased is nobody's, whether their rows are gone by now or not
			query += " AND NOT (" + strings.Replace(t.of, "= ?", "IN (SELECT id FROM runners WHERE erased_at IS NOT NULL)", 1) + ")"
		}
		if runner != 0 {
			query += " AND " + t.of
			args = append(args, runner)
		}
		if out.Tables[t.name], err = rowsOf(ctx, tx, t, query+" ORDER BY id", args...); err != nil {
			return out, fmt.Errorf("%s: %w", t.name, err)
		}
	}
	return out, nil
}

// asker is a connection or a transaction.
type asker interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
}

func rowsOf(ctx context.Context, q asker, t table, query string, args ...any) ([]Row, error) {
	rows, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	types, err := rows.ColumnTypes()
	if err != nil {
		return nil, err
	}
	out := []Row{}
	for rows.Next() {
		cells := make([]any, len(types))
		to := make([]any, len(types))
		for i := range cells {
			to[i] = &cells[i]
		}
		if err := rows.Scan(to...); err != nil {
			return nil, err
		}
		r := Row{}
		for i, c := range types {
			r[c.Name()] = cell(cells[i], c.DatabaseTypeName(), slices.Contains(t.bytes, c.Name()))
		}
		out = append(out, r)
	}
	return out, rows.Err()
}

// cell is a value as JSON takes it.
func cell(v any, kind string, isBytes bool) any {
	switch v := v.(type) {
	case []byte:
		if isBytes {
			return base64.StdEncoding.EncodeToString(v)
		}
		return string(v)
	case time.Time:
		if kind == "DATE" {
			return v.Format(time.DateOnly)
		}
		return v.UTC().Format("2006-01-02 15:04:05.000000")
	}
	return v
}

// Load puts a copy into a shop, in a transaction. users and models give the ids of
// this database for those of the copy; remap changes what of a row is not a plain
// reference, with the ids that were given so far by table. It gives the new runners' ids.
func Load(ctx context.Context, tx db.DBTX, shop uint64, c Copy, users, models map[uint64]uint64,
	remap func(table string, r Row, ids map[string]map[uint64]uint64) error) ([]uint64, error) {
	var runners []uint64
	ids := map[string]map[uint64]uint64{"users": users, "models": models}
	for _, t := range tables {
		ids[t.name] = map[uint64]uint64{}
		for n, r := range c.Tables[t.name] {
			was, err := number(r["id"])
			if err != nil {
				return nil, fmt.Errorf("%s[%d].id: %w", t.name, n, err)
			}
			delete(r, "id")
			r["shop_id"] = shop
			refs := map[string]string{"made_by": "users"}
			for column, to := range t.refs {
				refs[column] = to
			}
			for column, to := range refs {
				if r[column] == nil {
					continue
				}
				old, err := number(r[column])
				if err != nil {
					return nil, fmt.Errorf("%s[%d].%s: %w", t.name, n, column, err)
				}
				now, ok := ids[to][old]
				if !ok {
					return nil, fmt.Errorf("%s[%d].%s is %d, which the file does not hold", t.name, n, column, old)
				}
				r[column] = now
			}
			if err := remap(t.name, r, ids); err != nil {
				return nil, fmt.Errorf("%s[%d]: %w", t.name, n, err)
			}
			id, err := insert(ctx, tx, t, r)
			if err != nil {
				return nil, fmt.Errorf("%s[%d]: %w", t.name, n, err)
			}
			ids[t.name][was] = id
			if t.name == "runners" {
				runners = append(runners, id)
			}
		}
	}
	return runners, nil
}

func number(v any) (uint64, error) {
	switch v := v.(type) {
	case float64:
		if v >= 0 && v < 1<<53 && v == float64(uint64(v)) {
			return uint64(v), nil
		}
	case int64:
		return uint64(v), nil
	case uint64:
		return v, nil
	case json.Number:
		n, err := v.Int64()
		return uint64(n), err
	}
	return 0, fmt.Errorf("is %v, which is no id", v)
}

// insert writes a row whose columns are those of the table; others are refused.
func insert(ctx context.Context, tx db.DBTX, t table, r Row) (uint64, error) {
	var names, marks []string
	var values []any
	for name, v := range r {
		if strings.ContainsFunc(name, func(c rune) bool { return (c < 'a' || c > 'z') && c != '_' && (c < '0' || c > '9') }) {
			return 0, fmt.Errorf("holds a column %q", name)
		}
		if slices.Contains(t.bytes, name) && v != nil {
			text, _ := v.(string)
			data, err := base64.StdEncoding.DecodeString(text)
			if err != nil {
				return 0, fmt.Errorf("%s is not base64", name)
			}
			v = data
		}
		if data, ok := v.([]byte); ok && slices.Contains(seal.ByteColumns, name) {
			v = seal.Bytes(data)
		}
		switch v.(type) {
		case nil, string, float64, bool, int64, uint64, []byte, json.Number, seal.Bytes, seal.Text:
		default:
			return 0, fmt.Errorf("%s is no plain value", name)
		}
		if n, ok := v.(json.Number); ok {
			v = n.String()
		}
		names, marks, values = append(names, "`"+name+"`"), append(marks, "?"), append(values, v)
	}
	res, err := tx.ExecContext(ctx, "INSERT INTO "+t.name+" ("+strings.Join(names, ", ")+") VALUES ("+strings.Join(marks, ", ")+")", values...)
	if err != nil {
		return 0, err
	}
	id, err := res.LastInsertId()
	return uint64(id), err
}

// Erase deletes everything of a runner but that their pairs were sold, in one transaction.
// It is false where there is no such runner.
func (s *Store) Erase(ctx context.Context, shop, runner uint64) (bool, error) {
	tx, err := s.DB.BeginTx(ctx, nil)
	if err != nil {
		return false, err
	}
	defer func() { _ = tx.Rollback() }() // nothing to take back once it is kept
	if _, err := tx.ExecContext(ctx, `INSERT INTO sales (shop_id, model_id, uk_half, width, price, sold_on)
		SELECT p.shop_id, p.model_id, p.uk_half, p.width, p.price, p.bought_on FROM pairs p JOIN runners r ON r.id = p.runner_id AND
			r.practice_seed IS NULL
		WHERE p.runner_id = ? AND p.shop_id = ? AND p.fit_id IS NOT NULL AND p.taken_back_at IS NULL`, runner, shop); err != nil {
		return false, err
	}
	first := []string{
		"DELETE FROM recording_frames WHERE recording_id IN (SELECT id FROM recordings WHERE " + ofFits + ")",
		"DELETE FROM jobs WHERE kind LIKE 'film.%' AND subject IN (SELECT CAST(id AS CHAR) FROM recordings WHERE " + ofFits + ")",
		"DELETE FROM uploads WHERE runner_id = ?",
		"DELETE FROM links WHERE runner_id = ?",
		"DELETE FROM verdicts WHERE runner_id = ?",
	}
	for _, query := range first {
		if _, err := tx.ExecContext(ctx, query, runner); err != nil {
			return false, err
		}
	}
	if err := db.New(tx).TakeFromBuying(ctx, runner); err != nil {
		return false, err
	}
	found := false
	for i := len(tables) - 1; i >= 0; i-- {
		t := tables[i]
		if t.of == "" {
			continue
		}
		res, err := tx.ExecContext(ctx, "DELETE FROM "+t.name+" WHERE shop_id = ? AND "+t.of, shop, runner)
		if err != nil {
			return false, fmt.Errorf("%s: %w", t.name, err)
		}
		if n, err := res.RowsAffected(); err == nil && t.name == "runners" {
			found = n > 0
		}
	}
	if !found {
		return false, nil
	}
	return true, tx.Commit()
}

// noBytes has no columns of bytes.
var noBytes table

// bareColumns are those whose values tell of health where a row's column health does not, by table.
var bareColumns = map[string][]string{
	"findings":       {"name", "number_value", "text_value"},
	"decisions":      {"kind", "value", "reason", "basis"},
	"changes":        {"asked"},
	"change_reports": {"soreness", "place", "night"},
}

// Bare reads rows of a table, and locks them, whose health answers stand in other columns than
// the one that is sealed; names are the findings that tell of health.
func Bare(ctx context.Context, tx db.DBTX, table string, names []string, most int) ([]Row, error) {
	where, args := "health IS NULL", []any{}
	switch table {
	case "findings":
		where += " AND (number_value IS NOT NULL OR text_value IS NOT NULL) AND name IN (" + strings.Repeat(", ?", len(names))[2:] + ")"
		for _, n := range names {
			args = append(args, n)
		}
	case "decisions": // what was forgotten has none either
		where += " AND JSON_LENGTH(basis) > 0 AND value <> ''"
	case "changes":
		where += " AND JSON_EXTRACT(asked, '$.complaints') IS NOT NULL"
	case "change_reports":
		where += " AND soreness IS NOT NULL"
	}
	return rowsOf(ctx, tx, noBytes, "SELECT id, "+strings.Join(bareColumns[table], ", ")+" FROM "+table+" WHERE "+where+
		fmt.Sprintf(" ORDER BY id LIMIT %d FOR UPDATE", most), args...)
}

// Rewrite writes a row that Bare read, with its health answers apart.
func Rewrite(ctx context.Context, tx db.DBTX, table string, r Row) error {
	set, args := "health = ?", []any{r["health"]}
	for _, c := range bareColumns[table] {
		set += ", " + c + " = ?"
		args = append(args, r[c])
	}
	_, err := tx.ExecContext(ctx, "UPDATE "+table+" SET "+set+" WHERE id = ?", append(args, r["id"])...)
	return err
}
