package web_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"slices"
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

func BenchmarkPages(b *testing.B) {
	s := newSite(b)
	cookie := "trevik=" + s.as(b, "teal").cookie()
	for name, path := range map[string]string{"today": "/", "runners": "/runners", "catalogue": "/shoes", "runner": "/runners/2",
		"season": "/runners/2/season", "hello": "/fits/2/hello", "feet": "/fits/1/feet", "support": "/fits/2/support",
		"shoes": "/fits/1/shoes", "rotation": "/fits/2/rotation", "distance": "/fits/2/distance", "card": "/fits/2/card"} {
		b.Run(name, func(b *testing.B) { measure(b, s.web.Handler, path, cookie) })
	}
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
