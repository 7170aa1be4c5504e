package web_test

import (
	"context"
	"database/sql"
	"fmt"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
)

// measure asks a handler for a page again and again and reports requests a second
// and the 99th percentile.
func measure(b *testing.B, h http.Handler, path, cookie string) {
	b.Helper()
	var times []time.Duration
	for b.Loop() {
		r := httptest.NewRequest(http.MethodGet, path, nil)
		if cookie != "" {
			r.Header.Set("Cookie", cookie)
		}
		w := httptest.NewRecorder()
		begin := time.Now()
		h.ServeHTTP(w, r)
		times = append(times, time.Since(begin))
		if w.Code != http.StatusOK {
			b.Fatalf("%s: %d", path, w.Code)
		}
	}
	slices.Sort(times)
	b.ReportMetric(float64(len(times))/b.Elapsed().Seconds(), "req/s")
	b.ReportMetric(float64(times[len(times)*99/100].Microseconds())/1000, "p99-ms")
}

func BenchmarkEmptyGinPage(b *testing.B) {
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.GET("/", func(c *gin.Context) { c.String(http.StatusOK, "") })
	measure(b, r, "/", "")
}

var benchPages = [][2]string{{"today", "/"}, {"runners", "/runners"}, {"catalogue", "/shoes"}, {"runner", "/runners/2"},
	{"season", "/runners/2/season"}, {"hello", "/fits/2/hello"}, {"feet", "/fits/1/feet"}, {"support", "/fits/2/support"},
	{"shoes", "/fits/1/shoes"}, {"rotation", "/fits/2/rotation"}, {"distance", "/fits/2/distance"}, {"card", "/fits/2/card"},
	{"oldpair", "/fits/2/old-pair"}, {"print", "/fits/2/print"}, {"gait", "/fits/2/gait"}, {"tryon", "/fits/2/try-on"}}

func BenchmarkPages(b *testing.B) {
	s := newSite(b)
	cookie := "trevik=" + s.as(b, "teal").cookie()
	for _, p := range benchPages {
		b.Run(p[0], func(b *testing.B) { measure(b, s.web.Handler, p[1], cookie) })
	}
}

// Each page beside a bare Gin page that runs the same statements (as the database itself logged them) and writes as many
// bytes: its requests a second in the share of that one's.
func BenchmarkBesideBare(b *testing.B) {
	s := newSite(b)
	cookie := "trevik=" + s.as(b, "teal").cookie()
	ask := func(h http.Handler, path string) (int, time.Duration) {
		r := httptest.NewRequest(http.MethodGet, path, nil)
		r.Header.Set("Cookie", cookie)
		w := httptest.NewRecorder()
		begun := time.Now()
		h.ServeHTTP(w, r)
		took := time.Since(begun)
		if w.Code != http.StatusOK {
			b.Fatalf("%s: %d", path, w.Code)
		}
		return w.Body.Len(), took
	}
	gin.SetMode(gin.ReleaseMode)
	for _, p := range benchPages {
		b.Run(p[0], func(b *testing.B) {
			ask(s.web.Handler, p[1]) // what is kept from then on
			// Jobs ask, too, meanwhile: the least of some tries is the page's own.
			var statements []string
			for n := range 7 {
				if list := s.logged(b, func() { ask(s.web.Handler, p[1]) }); n == 0 || len(list) < len(statements) {
					statements = list
				}
			}
			size, _ := ask(s.web.Handler, p[1])
			bare := gin.New()
			text := strings.Repeat("x", size)
			bare.GET("/*page", func(c *gin.Context) {
				tx, err := s.store.DB.BeginTx(c.Request.Context(), &sql.TxOptions{ReadOnly: true}) // as the page has
				if err != nil {
					b.Fatal(err)
				}
				for _, q := range statements {
					if err := readRaw(c.Request.Context(), tx, q); err != nil {
						b.Error(err)
					}
				}
				if err := tx.Commit(); err != nil {
					b.Error(err)
				}
				c.String(http.StatusOK, text)
			})
			var whole, alone time.Duration
			n := 0
			for b.Loop() {
				_, took := ask(s.web.Handler, p[1])
				whole += took
				_, took = ask(bare, p[1])
				alone += took
				n++
			}
			b.ReportMetric(100*float64(alone)/float64(whole), "%")
			b.ReportMetric(float64(whole.Microseconds())/float64(n)/1000, "ms/page")
			b.ReportMetric(float64(alone.Microseconds())/float64(n)/1000, "ms/bare")
			b.ReportMetric(float64(len(statements)), "statements")
			b.ReportMetric(float64(size)/1024, "KiB")
		})
	}
}

// logged gives what the database was asked to read meanwhile.
func (s *site) logged(b *testing.B, do func()) (list []string) {
	b.Helper()
	exec := func(q string) {
		if _, err := s.store.DB.Exec(q); err != nil {
			b.Fatal(err)
		}
	}
	exec("SET GLOBAL log_output = 'TABLE'")
	exec("TRUNCATE TABLE mysql.general_log")
	exec("SET GLOBAL general_log = ON")
	do()
	exec("SET GLOBAL general_log = OFF")
	rows, err := s.store.DB.Query("SELECT CONVERT(argument USING utf8mb4) FROM mysql.general_log " +
		"WHERE command_type = 'Query' ORDER BY event_time")
	if err != nil {
		b.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		var q string
		if err := rows.Scan(&q); err != nil {
			b.Fatal(err)
		}
		if _, body, ok := strings.Cut(q, "\n"); strings.HasPrefix(q, "SELECT") || ok && strings.HasPrefix(body, "SELECT") {
			list = append(list, q)
		}
	}
	return list
}

// readRaw runs a statement and takes in what it answers.
func readRaw(ctx context.Context, tx *sql.Tx, q string) error {
	rows, err := tx.QueryContext(ctx, q)
	if err != nil {
		return err
	}
	defer rows.Close()
	columns, err := rows.Columns()
	if err != nil {
		return err
	}
	into := make([]any, len(columns))
	for i := range into {
		into[i] = new(sql.RawBytes)
	}
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return err
		}
	}
	return rows.Err()
}

// A pair's page beside so many runs of other runners: it reads the runner's own by their
// index, whatever else is in the table. Ten millions take minutes to put in.
func BenchmarkDistanceAmongRuns(b *testing.B) {
	s := newSite(b)
	cookie := "trevik=" + s.as(b, "teal").cookie()
	if _, err := s.store.DB.Exec(`INSERT INTO runners (shop_id, name, contact, chart, made_by, made_at)
		SELECT r.shop_id, CONCAT('Runner ', seq), '', 'men', r.made_by, r.made_at FROM seq_1_to_10000 JOIN runners r ON r.id = 1`); err != nil {
		b.Fatal(err)
	}
	if _, err := s.store.DB.Exec(`INSERT INTO pairs (shop_id, runner_id, model_id, uk_half, width, price, bought_on, set_aside_on, ` +
		`made_by, made_at)
		SELECT r.shop_id, r.id, p.model_id, 16, 'D', 14000, '2020-01-01', '2026-01-01', r.made_by, r.made_at FROM runners r JOIN pairs p ON
			p.id = 1 WHERE r.name LIKE 'Runner %'`); err != nil {
		b.Fatal(err)
	}
	there := 0
	for _, n := range []int{10_000, 10_000_000} {
		for there < n { // in pieces, so that no transaction grows without bound
			step := min(n-there, 200_000)
			if _, err := s.store.DB.Exec(fmt.Sprintf(`INSERT INTO runs (shop_id, runner_id, pair_id, run_on, km, ground, kind, how, made_by, made_at)
				SELECT p.shop_id, p.runner_id, p.id, DATE_ADD('2020-01-01', INTERVAL seq MOD 2000 DAY), 8.4, 'road', 'easy', 'by hand', p.made_by,
					p.made_at
				FROM seq_%d_to_%d JOIN pairs p ON p.id = (SELECT MIN(id) FROM pairs WHERE set_aside_on = '2026-01-01') + seq MOD 10000`, there+1,
				there+step)); err != nil {
				b.Fatal(err)
			}
			there += step
		}
		b.Run(fmt.Sprint(n), func(b *testing.B) { measure(b, s.web.Handler, "/fits/1/distance", cookie) })
	}
}
