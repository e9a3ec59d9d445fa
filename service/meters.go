package service

import (
	"errors"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/adaptor"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// meters counts requests for Prometheus. Each server has its own registry.
type meters struct {
	requests *prometheus.CounterVec
	seconds  *prometheus.HistogramVec
	rows     prometheus.Counter
	working  prometheus.Gauge
	handler  fiber.Handler
}

func newMeters() *meters {
	reg := prometheus.NewRegistry()
	m := &meters{
		requests: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "paperkettle_requests_total", Help: "Requests by route and status."},
			[]string{"method", "route", "status"}),
		seconds: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "paperkettle_request_seconds",
			Help: "Time to the start of an answer."}, []string{"route"}),
		working: prometheus.NewGauge(prometheus.GaugeOpts{Name: "paperkettle_requests_at_work", Help: "Requests that are being worked on."}),
		rows:    prometheus.NewCounter(prometheus.CounterOpts{Name: "paperkettle_rows_loaded_total", Help: "Rows read from files."}),
	}
	reg.MustRegister(m.requests, m.seconds, m.rows, m.working, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	m.handler = adaptor.HTTPHandler(promhttp.HandlerFor(reg, promhttp.HandlerOpts{}))
	return m
}

func (m *meters) middleware(c fiber.Ctx) error {
	start := time.Now()
	m.working.Inc()
	defer m.working.Dec()
	err := c.Next()
	// Fiber still shows 200 where a handler returned an error.
	status := c.Response().StatusCode()
	var known huma.StatusError
	if err != nil {
		if errors.As(problem(err), &known) {
			status = known.GetStatus()
		}
	}
	route := c.Route().Path
	m.requests.WithLabelValues(c.Method(), route, strconv.Itoa(status)).Inc()
	m.seconds.WithLabelValues(route).Observe(time.Since(start).Seconds())
	return err
}
