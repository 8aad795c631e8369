package httpapi

import (
	"context"
	"log/slog"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"oskel/internal/store"
)

// meters are what whoever watches over the service reads: how requests went, and how
// the work stands.
type meters struct {
	registry *prometheus.Registry
	took     *prometheus.HistogramVec
}

func newMeters() *meters {
	m := &meters{registry: prometheus.NewRegistry(), took: prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "oskel_request_seconds", Help: "How long requests took, by route, method and status.", Buckets: []float64{.005, .02, .1, .5, 2, 10},
	}, []string{"route", "method", "status"})}
	m.registry.MustRegister(m.took, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

// count notes how a request went.
func (m *meters) count(c *gin.Context) {
	began := time.Now()
	c.Next()
	m.took.WithLabelValues(c.FullPath(), c.Request.Method, strconv.Itoa(c.Writer.Status())).Observe(time.Since(began).Seconds())
}

// handler answers in the format that is asked for, OpenMetrics among them.
func (m *meters) handler(s *server) http.Handler {
	m.registry.MustRegister(&standing{s})
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{EnableOpenMetrics: true, MaxRequestsInFlight: 4, Timeout: 10 * time.Second})
}

// standing is how the work stands when it is asked.
type standing struct{ s *server }

var (
	unsettledDesc = prometheus.NewDesc("oskel_cases_unsettled", "Cases that are not settled, by desk.", []string{"desk"}, nil)
	sweptDesc     = prometheus.NewDesc("oskel_sweeps", "Sweeps on record.", nil, nil)
	versionDesc   = prometheus.NewDesc("oskel_data_version", "The number of the newest intake.", nil, nil)
	revisionDesc  = prometheus.NewDesc("oskel_revision", "The number of the published revision.", nil, nil)
	turnsDesc     = prometheus.NewDesc("oskel_planned_periods", "Scheduled periods by grain and state.", []string{"each", "state"}, nil)
	failingDesc   = prometheus.NewDesc("oskel_sweeps_failing", "Scheduled sweeps that failed and are retried.", nil, nil)
)

// Describe implements prometheus.Collector.
func (standing) Describe(to chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{unsettledDesc, sweptDesc, versionDesc, revisionDesc, turnsDesc, failingDesc} {
		to <- d
	}
}

// Collect implements prometheus.Collector. What cannot be told is left out.
func (c standing) Collect(to chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(store.WithInteractivePool(context.Background()), 5*time.Second)
	defer cancel()
	if err := c.collect(ctx, func(d *prometheus.Desc, value float64, labels ...string) {
		to <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, value, labels...)
	}); err != nil {
		slog.Warn("telling the metrics", "error", err)
	}
}

func (c standing) collect(ctx context.Context, tell func(d *prometheus.Desc, value float64, labels ...string)) error {
	counts, err := c.s.Sweep.Standing(ctx)
	if err != nil {
		return err
	}
	tell(sweptDesc, float64(counts.Sweeps))
	tell(versionDesc, float64(counts.DataVersion))
	tell(revisionDesc, float64(counts.Revision))
	for desk, n := range counts.Unsettled {
		tell(unsettledDesc, float64(n), desk)
	}
	_, turns, err := c.s.Sweep.Turns(ctx)
	if err != nil {
		return err
	}
	states := map[[2]string]int{}
	for _, t := range turns {
		states[[2]string{t.Plan.Each, string(t.State)}]++
	}
	for k, n := range states {
		tell(turnsDesc, float64(n), k[0], k[1])
	}
	troubles, err := c.s.Jobs.Failures(ctx)
	tell(failingDesc, float64(len(troubles)))
	return err
}
