package web_test

import (
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
	for name, path := range map[string]string{"fit": "/fits/1/feet", "shoes": "/fits/1/shoes"} {
		b.Run(name, func(b *testing.B) { measure(b, s.web.Handler, path, cookie) })
	}
}
