package web

import (
	"context"
	"crypto/subtle"
	"net"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"trevik/internal/jobs"
)

// slowQuery is from how long on a statement is named in the log.
const slowQuery = 250 * time.Millisecond

// jobsIn is how long the jobs may take to be counted for a reading.
const jobsIn = 2 * time.Second

// metrics are what /metrics tells: how requests, statements, retries and jobs go. Nothing of a person.
type metrics struct {
	registry   *prometheus.Registry
	requests   *prometheus.HistogramVec
	statements *prometheus.HistogramVec
	again      *prometheus.CounterVec
	token      string
}

func (s *Server) newMetrics(token string) *metrics {
	buckets := []float64{.005, .01, .025, .05, .1, .15, .25, .5, 1, 2.5, 5, 10, 30}
	m := &metrics{registry: prometheus.NewRegistry(), token: token,
		requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "trevik_request_seconds", Buckets: buckets,
			Help: "How long requests took, by the route's pattern, method and status."}, []string{"route", "method", "status"}),
		statements: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "trevik_statement_seconds", Buckets: buckets,
			Help: "How long the database took for statements, by their name in the SQL files."}, []string{"statement"}),
		again: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "trevik_transactions_again_total",
			Help: "Transactions that were tried again, since another was in the way or the database was away."}, []string{"why"}),
	}
	m.registry.MustRegister(m.requests, m.statements, m.again, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), collectors.NewDBStatsCollector(s.Env.App.Store.DB, "trevik"),
		&jobCollector{s})
	s.Env.App.Store.Watch(func(statement string, took time.Duration) {
		m.statements.WithLabelValues(statement).Observe(took.Seconds())
		if took >= slowQuery {
			s.Env.Log.Warn("slow statement", "statement", statement, "ms", took.Milliseconds())
		}
	}, func(why string) { m.again.WithLabelValues(why).Inc() })
	return m
}

// seen counts a request.
func (m *metrics) seen(c *gin.Context, took time.Duration) {
	route := c.FullPath()
	if route == "" {
		route = "none" // of no page
	}
	method := c.Request.Method
	if route == "none" {
		method = "any" // whatever word somebody sends
	}
	m.requests.WithLabelValues(route, method, strconv.Itoa(c.Writer.Status())).Observe(took.Seconds())
}

// answer tells them to who asks from this machine itself, not through a proxy, or with the token.
func (m *metrics) answer() gin.HandlerFunc {
	tell := promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{})
	return func(c *gin.Context) {
		if !m.may(c.Request) {
			c.String(http.StatusForbidden, "Metrics are for this machine, or for who has the token.")
			return
		}
		tell.ServeHTTP(c.Writer, c.Request)
	}
}

func (m *metrics) may(r *http.Request) bool {
	if told, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); ok && m.token != "" {
		return subtle.ConstantTimeCompare([]byte(told), []byte(m.token)) == 1
	}
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	ip := net.ParseIP(host)
	return err == nil && ip != nil && ip.IsLoopback() && r.Header.Get("X-Forwarded-For") == "" && r.Header.Get("Forwarded") == ""
}

// jobCollector counts the jobs of the whole database at each reading.
type jobCollector struct{ s *Server }

var jobsWanting = prometheus.NewDesc("trevik_jobs", "Jobs of the database that wait for too long, whose instance is silent, "+
	"or that failed in the last day.", []string{"state"}, nil)

// Describe tells what is counted.
func (j *jobCollector) Describe(to chan<- *prometheus.Desc) { to <- jobsWanting }

// Collect counts it.
func (j *jobCollector) Collect(to chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), jobsIn)
	defer cancel()
	h, err := jobs.Look(ctx, j.s.Env.App.Store.Queries)
	if err != nil {
		to <- prometheus.NewInvalidMetric(jobsWanting, err)
		return
	}
	for state, n := range map[string]int64{"waiting": h.Waiting, "silent": h.Silent, "failed": h.Failed} {
		to <- prometheus.MustNewConstMetric(jobsWanting, prometheus.GaugeValue, float64(n), state)
	}
}
