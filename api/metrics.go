package api

import (
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// meters are what the service tells of itself to Prometheus.
type meters struct {
	registry *prometheus.Registry
	calls    *prometheus.CounterVec
	took     *prometheus.HistogramVec
	serve    http.Handler
}

func (s *server) newMeters() *meters {
	m := &meters{registry: prometheus.NewRegistry(),
		calls: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "veneer_requests_total", Help: "Calls of the network interface."}, []string{"method", "route", "status"}),
		took:  prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "veneer_request_seconds", Help: "How long they took; streams are left out.", Buckets: []float64{.005, .02, .05, .1, .2, .5, 1, 5, 30}}, []string{"route"})}
	m.registry.MustRegister(m.calls, m.took, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), jobMeter{s})
	m.serve = promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{})
	return m
}

// metered counts a call under the address as the table of routes has it.
func (s *server) metered(g *gin.Context) {
	start := time.Now()
	g.Next()
	route := g.FullPath()
	if route == "" {
		route = "console"
	}
	s.meters.calls.WithLabelValues(g.Request.Method, route, strconv.Itoa(g.Writer.Status())).Inc()
	if g.Writer.Header().Get("Content-Type") != eventType {
		s.meters.took.WithLabelValues(route).Observe(time.Since(start).Seconds())
	}
}

func (s *server) metrics(g *gin.Context) { s.meters.serve.ServeHTTP(g.Writer, g.Request) }

// jobMeter counts jobs and parts when it is asked.
type jobMeter struct{ s *server }

var (
	jobsAbout  = prometheus.NewDesc("veneer_jobs", "Jobs by their state.", []string{"state"}, nil)
	partsAbout = prometheus.NewDesc("veneer_parts", "Parts by the verdict of their newest revision.", []string{"verdict"}, nil)
)

func (j jobMeter) Describe(c chan<- *prometheus.Desc) { c <- jobsAbout; c <- partsAbout }

func (j jobMeter) Collect(c chan<- prometheus.Metric) {
	jobs, parts, err := j.s.Bureau.Store.Tally()
	if err != nil {
		c <- prometheus.NewInvalidMetric(jobsAbout, err)
		return
	}
	for state, n := range jobs {
		c <- prometheus.MustNewConstMetric(jobsAbout, prometheus.GaugeValue, float64(n), state)
	}
	for verdict, n := range parts {
		c <- prometheus.MustNewConstMetric(partsAbout, prometheus.GaugeValue, float64(n), verdict)
	}
}
