package store_test

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"

	"trevik/internal/store"
	"trevik/internal/store/db"
	"trevik/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

var at = time.Date(2026, 11, 24, 9, 30, 0, 123456000, time.UTC)

// shop makes a shop with a person and a runner.
func shop(t *testing.T, s *store.Store, name string) (shopID, userID, runnerID uint64) {
	t.Helper()
	ctx := context.Background()
	sh, err := s.AddShop(ctx, db.AddShopParams{Name: name, Currency: "EUR", CreatedAt: at})
	if err != nil {
		t.Fatal(err)
	}
	u, err := s.AddUser(ctx, db.AddUserParams{ShopID: uint64(sh), Name: "Teal", Login: name, PasswordHash: "x", Role: "fitter", CreatedAt: at})
	if err != nil {
		t.Fatal(err)
	}
	r, err := s.AddRunner(ctx, db.AddRunnerParams{ShopID: uint64(sh), Name: "Ånders Ü 🏃", Contact: "", Chart: "men", MadeBy: uint64(u),
		MadeAt: at})
	if err != nil {
		t.Fatal(err)
	}
	return uint64(sh), uint64(u), uint64(r)
}

func TestMigrateTwice(t *testing.T) {
	s := storetest.New(t)
	v, err := s.Migrate(context.Background())
	if err != nil || v < 1 {
		t.Fatalf("version %d: %v", v, err)
	}
}

func TestConnectionRules(t *testing.T) {
	s := storetest.New(t)
	var mode, zone, charset string
	if err := s.DB.QueryRow("SELECT @@sql_mode, @@time_zone, @@character_set_connection").Scan(&mode, &zone, &charset); err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(mode, "STRICT_ALL_TABLES") || zone != "+00:00" || charset != "utf8mb4" {
		t.Errorf("mode %s, zone %s, charset %s", mode, zone, charset)
	}
	rows, err := s.DB.Query("SELECT table_name, engine, table_collation FROM information_schema.tables WHERE table_schema = DATABASE() AND " +
		"table_name NOT LIKE 'goose%'")
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	n := 0
	for rows.Next() {
		var name, engine, collation string
		if err := rows.Scan(&name, &engine, &collation); err != nil {
			t.Fatal(err)
		}
		n++
		if engine != "InnoDB" || !strings.HasPrefix(collation, "utf8mb4_") {
			t.Errorf("%s: %s %s", name, engine, collation)
		}
	}
	if n < 12 {
		t.Errorf("%d tables", n)
	}
}

// Rows come back as they went in: letters of every kind, and times to the microsecond in UTC.
func TestRoundTrip(t *testing.T) {
	s := storetest.New(t)
	sh, _, r := shop(t, s, "loft")
	got, err := s.RunnerByID(context.Background(), db.RunnerByIDParams{ID: r, ShopID: sh})
	if err != nil || got.Name != "Ånders Ü 🏃" {
		t.Errorf("%+v %v", got, err)
	}
}

// The database itself refuses what no code should write.
func TestConstraints(t *testing.T) {
	s := storetest.New(t)
	ctx := context.Background()
	sh, u, r := shop(t, s, "loft")
	otherShop, otherUser, _ := shop(t, s, "other")
	fit, err := s.AddFit(ctx, db.AddFitParams{ShopID: sh, RunnerID: r, FitterID: u, StartedAt: at})
	if err != nil {
		t.Fatal(err)
	}
	number := sql.NullFloat64{Float64: 1, Valid: true}
	for name, do := range map[string]func() error{
		"a fit with another shop's runner": func() error {
			_, err := s.AddFit(ctx, db.AddFitParams{ShopID: otherShop, RunnerID: r, FitterID: otherUser, StartedAt: at})
			return err
		},
		"a fit by another shop's fitter": func() error {
			_, err := s.AddFit(ctx, db.AddFitParams{ShopID: sh, RunnerID: r, FitterID: otherUser, StartedAt: at})
			return err
		},
		"a finding in another shop's fit": func() error {
			_, err := s.AddFinding(ctx, db.AddFindingParams{ShopID: otherShop, FitID: uint64(fit), Name: "x", NumberValue: number, How: "told",
				MadeBy: otherUser, MadeAt: at})
			return err
		},
		"a finding without a value": func() error {
			_, err := s.AddFinding(ctx, db.AddFindingParams{ShopID: sh, FitID: uint64(fit), Name: "x", How: "told", MadeBy: u, MadeAt: at})
			return err
		},
		"a third side": func() error {
			_, err := s.AddFinding(ctx, db.AddFindingParams{ShopID: sh, FitID: uint64(fit), Name: "x", Side: "mid", NumberValue: number,
				How: "told", MadeBy: u, MadeAt: at})
			return err
		},
		"an unknown role": func() error {
			_, err := s.AddUser(ctx, db.AddUserParams{ShopID: sh, Name: "x", Login: "x", PasswordHash: "x", Role: "king", CreatedAt: at})
			return err
		},
		"a login twice": func() error {
			_, err := s.AddUser(ctx, db.AddUserParams{ShopID: sh, Name: "x", Login: "loft", PasswordHash: "x", Role: "fitter", CreatedAt: at})
			return err
		},
		"a name that is too long": func() error {
			_, err := s.AddRunner(ctx, db.AddRunnerParams{ShopID: sh, Name: strings.Repeat("x", 121), Chart: "men", MadeBy: u, MadeAt: at})
			return err
		},
		"an unknown chart": func() error {
			_, err := s.AddRunner(ctx, db.AddRunnerParams{ShopID: sh, Name: "x", Chart: "kids", MadeBy: u, MadeAt: at})
			return err
		},
	} {
		if do() == nil {
			t.Errorf("%s is taken", name)
		}
	}
}

// Every correction is a row of its own, told in the order in which they were made.
func TestFindingsInOrder(t *testing.T) {
	s := storetest.New(t)
	ctx := context.Background()
	sh, u, r := shop(t, s, "loft")
	fit, err := s.AddFit(ctx, db.AddFitParams{ShopID: sh, RunnerID: r, FitterID: u, StartedAt: at})
	if err != nil {
		t.Fatal(err)
	}
	put := func(v float64, withdrawn bool) {
		t.Helper()
		if _, err := s.AddFinding(ctx, db.AddFindingParams{ShopID: sh, FitID: uint64(fit), Name: "length_mm", Side: "left", RepeatNo: 1,
			NumberValue: sql.NullFloat64{Float64: v, Valid: !withdrawn}, Withdrawn: withdrawn, How: "by hand", MadeBy: u, MadeAt: at}); err != nil {
			t.Fatal(err)
		}
	}
	read := func() []db.LoadFindingsRow {
		t.Helper()
		rows, err := s.LoadFindings(ctx, db.LoadFindingsParams{ShopID: sh, Fits: []uint64{uint64(fit)}})
		if err != nil {
			t.Fatal(err)
		}
		return rows
	}
	put(261, false)
	put(262.5, false)
	if rows := read(); len(rows) != 2 || rows[1].NumberValue.Float64 != 262.5 {
		t.Errorf("%+v", rows)
	}
	put(0, true)
	if rows := read(); len(rows) != 3 || !rows[2].Withdrawn || rows[1].Withdrawn {
		t.Errorf("%+v", rows)
	}
}

func TestTxRollsBack(t *testing.T) {
	s := storetest.New(t)
	no := errors.New("no")
	err := s.Tx(context.Background(), func(q *db.Queries) error {
		if _, err := q.AddShop(context.Background(), db.AddShopParams{Name: "ghost", Currency: "EUR", CreatedAt: at}); err != nil {
			return err
		}
		return no
	})
	if !errors.Is(err, no) {
		t.Fatal(err)
	}
	if _, err := s.ShopByName(context.Background(), "ghost"); !errors.Is(err, sql.ErrNoRows) {
		t.Errorf("the shop is there: %v", err)
	}
}

// Two that each wait for the other's row: MariaDB ends one, and it is tried again.
func TestDeadlockIsTriedAgain(t *testing.T) {
	s := storetest.New(t)
	ctx := context.Background()
	a, _, _ := shop(t, s, "a")
	b, _, _ := shop(t, s, "b")
	var ready, done sync.WaitGroup
	ready.Add(2)
	for i, order := range [][2]uint64{{a, b}, {b, a}} {
		done.Add(1)
		go func() {
			defer done.Done()
			first := true
			err := s.Tx(ctx, func(q *db.Queries) error {
				if _, err := s.DB.Exec("SELECT 1"); err != nil {
					return err
				}
				if err := q.AddSubmission(ctx, db.AddSubmissionParams{UserID: 1, Form: "a form", Digest: make([]byte, 32),
					Token: strings.Repeat("A", 25) + string(rune('A'+order[0])), MadeAt: at}); err != nil && !store.IsDuplicate(err) {
					return err
				}
				if first {
					first = false
					ready.Done()
					ready.Wait()
				}
				err := q.AddSubmission(ctx, db.AddSubmissionParams{UserID: 1, Form: "a form", Digest: make([]byte, 32),
					Token: strings.Repeat("A", 25) + string(rune('A'+order[1])), MadeAt: at})
				if store.IsDuplicate(err) {
					return nil
				}
				return err
			})
			if err != nil {
				t.Errorf("transaction %d: %v", i, err)
			}
		}()
	}
	done.Wait()
}

func TestIsAway(t *testing.T) {
	s, err := store.Open("trevik:x@tcp(127.0.0.1:1)/none")
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if err := s.DB.Ping(); !store.IsAway(err) {
		t.Errorf("nobody listens, yet %v is not 'away'", err)
	}
	real := storetest.New(t)
	_, err = real.DB.Exec("SELECT nonsense")
	if err == nil || store.IsAway(err) {
		t.Errorf("a wrong statement: %v", err)
	}
	if _, err := store.Open("nonsense"); err == nil {
		t.Error("a DSN that is none")
	}
}

// A DSN may name several nodes: the first that answers is used, and one that dies is left for the next.
func TestNodes(t *testing.T) {
	real := storetest.DSN(t)
	begin, end := strings.Index(real, "@tcp(")+len("@tcp("), strings.Index(real, ")")
	at := func(hosts string) string { return real[:begin] + hosts + real[end:] }
	s, err := store.Open(at("127.0.0.1:1, 127.0.0.1:2," + real[begin:end]))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for range 3 {
		if _, err := s.DB.Exec("DO 1"); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := s.Migrate(context.Background()); err != nil {
		t.Fatal(err)
	}
	none, err := store.Open(at("127.0.0.1:1,127.0.0.1:2"))
	if err != nil {
		t.Fatal(err)
	}
	defer none.Close()
	if err := none.DB.Ping(); !store.IsAway(err) {
		t.Errorf("no node answers, yet %v", err)
	}
	for _, bad := range []string{"127.0.0.1:1,nonsense", strings.Repeat("127.0.0.1:1,", 12) + "127.0.0.1:1"} {
		if _, err := store.Open(at(bad)); err == nil {
			t.Errorf("%s is let through", bad)
		}
	}
	hosts, err := store.Hosts(at("a:1,b:2"))
	if err != nil || len(hosts) != 2 || hosts[1] != "b:2" {
		t.Errorf("%v %v", hosts, err)
	}
	if one, err := store.OneOf(at("a:1,b:2"), "b:2"); err != nil || one != at("b:2") {
		t.Errorf("%q %v", one, err)
	}
}

// What the database refuses for another's sake or while it is away is tried again whole; what failed in the
// commit is not, unless it finds by itself that it was done.
func TestTriedAgainWhole(t *testing.T) {
	s := storetest.New(t)
	var told []string
	s.Watch(func(string, time.Duration) {}, func(why string) { told = append(told, why) })
	for name, err := range map[string]error{"conflict": &mysql.MySQLError{Number: 1213}, "away": driver.ErrBadConn} {
		told = nil
		tries := 0
		got := s.Tx(context.Background(), func(q *db.Queries) error {
			if _, err := q.AddShop(context.Background(), db.AddShopParams{Name: name, Currency: "EUR", CreatedAt: at}); err != nil {
				return err
			}
			if tries++; tries < 3 {
				return err
			}
			return nil
		})
		var n int
		if err := s.DB.QueryRow("SELECT COUNT(*) FROM shops WHERE name = ?", name).Scan(&n); err != nil || n != 1 || got != nil {
			t.Errorf("%s: %d shops after %d tries, %v, %v", name, n, tries, got, err)
		}
		if len(told) != 2 || told[0] != name {
			t.Errorf("%s: told %v", name, told)
		}
	}
}

// An examination names what is to be mended, and finds nothing wrong with the schema: each table may live on
// a cluster.
func TestExamine(t *testing.T) {
	s := storetest.New(t)
	mend := func() map[string]string {
		found, err := s.Examine(context.Background())
		if err != nil {
			t.Fatal(err)
		}
		out := map[string]string{}
		for _, f := range found {
			out[f.What] = f.Mend
		}
		return out
	}
	m := mend()
	for _, what := range []string{"version", "schema", "tables", "clock"} {
		if is, there := m[what]; !there || is != "" {
			t.Errorf("%s: %q, %v", what, is, there)
		}
	}
	if m["log_bin"] == "" || m["innodb_flush_log_at_trx_commit"] == "" {
		t.Error("a server of the tests gives durability up, and is said to be well")
	}
	for _, statement := range []string{"CREATE TABLE bare (n INT)", "DELETE FROM goose_db_version WHERE version_id = 24"} {
		if _, err := s.DB.Exec(statement); err != nil {
			t.Fatal(err)
		}
	}
	if m = mend(); !strings.Contains(m["tables"], "bare") || !strings.Contains(m["schema"], "migrate") {
		t.Errorf("%v", m)
	}
}
