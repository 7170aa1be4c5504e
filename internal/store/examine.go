package store

import (
	"context"
	"database/sql"
	"fmt"
	"io/fs"
	"math"
	"strconv"
	"strings"
	"time"
)

// Found is what an examination of a database says of one thing; Mend is empty where it is well.
type Found struct {
	What, Is, Mend string
}

// Of an examination: the oldest MariaDB, how large a packet must be allowed to be (a batch of a film's frames
// goes as one), and how far its clock may be off.
const (
	oldestMajor, oldestMinor = 10, 6
	leastPacket              = 16 << 20
	clockOff                 = 2 * time.Second
)

// Hosts are the addresses that a DSN names, one or a cluster's.
func Hosts(dsn string) ([]string, error) {
	_, hosts, err := hostsOf(dsn)
	return hosts, err
}

// OneOf is a DSN with one of its hosts alone.
func OneOf(dsn, host string) (string, error) {
	first, hosts, err := hostsOf(dsn)
	if err != nil || len(hosts) == 0 {
		return first, err
	}
	return strings.Replace(first, "@tcp("+hosts[0]+")", "@tcp("+host+")", 1), nil
}

// Examine looks at a database as it stands: whether it is what Trevik needs, and safe.
func (s *Store) Examine(ctx context.Context) ([]Found, error) {
	vars, err := s.pairs(ctx, "SHOW GLOBAL VARIABLES")
	if err != nil {
		return nil, err
	}
	status, err := s.pairs(ctx, "SHOW GLOBAL STATUS")
	if err != nil {
		return nil, err
	}
	out := server(vars)
	out = append(out, galera(vars, status)...)
	for _, look := range []func(context.Context) (Found, error){s.schema, s.tables, s.clock} {
		f, err := look(ctx)
		if err != nil {
			return out, err
		}
		out = append(out, f)
	}
	return out, nil
}

func (s *Store) pairs(ctx context.Context, query string) (map[string]string, error) {
	rows, err := s.DB.QueryContext(ctx, query)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[string]string{}
	for rows.Next() {
		var name, value string
		if err := rows.Scan(&name, &value); err != nil {
			return nil, err
		}
		out[strings.ToLower(name)] = value
	}
	return out, rows.Err()
}

// server is what its settings say.
func server(vars map[string]string) []Found {
	version := Found{What: "version", Is: vars["version"]}
	var major, minor int
	if _, err := fmt.Sscanf(vars["version"], "%d.%d", &major, &minor); err != nil || !strings.Contains(vars["version"], "MariaDB") ||
		major < oldestMajor || major == oldestMajor && minor < oldestMinor {
		version.Mend = fmt.Sprintf("use MariaDB %d.%d or newer", oldestMajor, oldestMinor)
	}
	out := []Found{version}
	is := func(name, want, mend string) {
		f := Found{What: name, Is: vars[name]}
		if vars[name] != want {
			f.Mend = mend
		}
		out = append(out, f)
	}
	// The other nodes hold what one has not written yet, so that 2 is safe in a cluster.
	if vars["wsrep_on"] != "ON" {
		is("innodb_flush_log_at_trx_commit", "1", "set it to 1, or what was acknowledged may be lost with the power")
	}
	is("innodb_doublewrite", "ON", "set it to ON, or a page that was half written is lost")
	is("log_bin", "ON", "turn the binary log on: without it a backup cannot be brought forward to a moment")
	packet, _ := strconv.ParseInt(vars["max_allowed_packet"], 10, 64) // 0 is too small
	f := Found{What: "max_allowed_packet", Is: vars["max_allowed_packet"]}
	if packet < leastPacket {
		f.Mend = fmt.Sprintf("set it to %d or more: films are sent in batches", leastPacket)
	}
	return append(out, f)
}

// galera is what a node says of its cluster; nothing where it is none.
func galera(vars, status map[string]string) []Found {
	if vars["wsrep_on"] != "ON" {
		return nil
	}
	var out []Found
	is := func(name, got, want, mend string) {
		f := Found{What: name, Is: got}
		if got != want {
			f.Mend = mend
		}
		out = append(out, f)
	}
	is("wsrep_cluster_status", status["wsrep_cluster_status"], "Primary", "this node has no quorum: bring the others back, or begin the "+
		"cluster anew from the one that came farthest")
	is("wsrep_local_state_comment", status["wsrep_local_state_comment"], "Synced", "it is still catching up")
	is("innodb_autoinc_lock_mode", vars["innodb_autoinc_lock_mode"], "2", "set it to 2: two nodes write at once")
	size, _ := strconv.Atoi(status["wsrep_cluster_size"]) // 0 is too few
	f := Found{What: "wsrep_cluster_size", Is: status["wsrep_cluster_size"]}
	if size < 3 || size%2 == 0 {
		f.Mend = "run an odd number of nodes, three or more, or an arbitrator: otherwise losing one may lose the quorum"
	}
	return append(out, f)
}

// schema is whether the migrations of this program were made.
func (s *Store) schema(ctx context.Context) (Found, error) {
	files, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		return Found{}, err
	}
	var at sql.NullInt64
	if err := s.DB.QueryRowContext(ctx, "SELECT MAX(version_id) FROM goose_db_version WHERE is_applied").Scan(&at); err != nil {
		return Found{What: "schema", Is: "none", Mend: "run trevik migrate"}, nil // a table that is not there is what is told
	}
	f := Found{What: "schema", Is: fmt.Sprintf("version %d of %d", at.Int64, len(files))}
	if at.Int64 < int64(len(files)) {
		f.Mend = "run trevik migrate with this program"
	}
	if at.Int64 > int64(len(files)) {
		f.Mend = "it is newer than this program: use the newer one"
	}
	return f, nil
}

// tables is whether each may live on a cluster: with a primary key, in InnoDB.
func (s *Store) tables(ctx context.Context) (Found, error) {
	var n int
	var bad sql.NullString
	err := s.DB.QueryRowContext(ctx, `SELECT COUNT(*), GROUP_CONCAT(IF(t.engine <> 'InnoDB' OR k.table_name IS NULL, t.table_name, NULL))
FROM information_schema.tables t LEFT JOIN information_schema.table_constraints k
  ON k.table_schema = t.table_schema AND k.table_name = t.table_name AND k.constraint_type = 'PRIMARY KEY'
WHERE t.table_schema = DATABASE() AND t.table_type = 'BASE TABLE'`).Scan(&n, &bad)
	f := Found{What: "tables", Is: strconv.Itoa(n)}
	if bad.String != "" {
		f.Mend = "without a primary key, or not in InnoDB: " + bad.String
	}
	return f, err
}

// clock is how far the database's is from this machine's.
func (s *Store) clock(ctx context.Context) (Found, error) {
	var there time.Time
	begun := time.Now()
	err := s.DB.QueryRowContext(ctx, "SELECT UTC_TIMESTAMP(6)").Scan(&there)
	off := there.Sub(begun.Add(time.Since(begun) / 2))
	f := Found{What: "clock", Is: fmt.Sprintf("%.1f s off", math.Abs(off.Seconds()))}
	if off.Abs() > clockOff {
		f.Mend = "keep both machines' clocks by NTP: jobs tell by them who is silent"
	}
	return f, err
}
