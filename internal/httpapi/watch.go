package httpapi

import (
	"crypto/rand"
	"fmt"
	"log/slog"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"codicil/core/notice"
	"codicil/internal/app"
	"codicil/internal/fault"
	"codicil/internal/release"
)

// mostAsked is how many requests an address may have under way.
const mostAsked = 200

var tooMany = notice.Define("too-many-requests", "{most} requests of this client are under way; wait until some of them are answered")

// watch knows what is under way, notes and counts every request, and refuses those of a client that has too many.
type watch struct {
	took  *prometheus.HistogramVec
	serve http.Handler // of the metrics

	mutex    sync.Mutex
	underWay map[string]asked // by id
	byClient map[string]int
}

type asked struct {
	what  string
	begun time.Time
}

func newWatch(a *app.App) *watch {
	w := &watch{
		took: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Name: "codicil_request_seconds", Help: "How long requests took, by method, path and status.",
			Buckets: []float64{0.002, 0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 10, 60},
		}, []string{"method", "path", "status"}),
		underWay: map[string]asked{}, byClient: map[string]int{},
	}
	registry := prometheus.NewRegistry()
	registry.MustRegister(w.took, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	gauge := func(name, help string, value func(app.Figures) float64) {
		registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, func() float64 { return value(a.Figures()) }))
	}
	counter := func(name, help string, value func(app.Figures) float64) {
		registry.MustRegister(prometheus.NewCounterFunc(prometheus.CounterOpts{Name: name, Help: help}, func() float64 { return value(a.Figures()) }))
	}
	counter("codicil_commits_total", "Commits to the data file since the start.", func(f app.Figures) float64 { return float64(f.Commits) })
	counter("codicil_changes_total", "Changes that were written in them: saves, postings and changes of rules and tables.", func(f app.Figures) float64 { return float64(f.Changes) })
	gauge("codicil_runs", "Runs that work or wait.", func(f app.Figures) float64 { return float64(f.Runs) })
	gauge("codicil_data_bytes", "Size of the data file.", func(f app.Figures) float64 { return float64(f.DataBytes) })
	gauge("codicil_log_bytes", "Size of the log beside the data file.", func(f app.Figures) float64 { return float64(f.LogSize) })
	gauge("codicil_damaged", "1 where a part of the data file was found damaged.", func(f app.Figures) float64 {
		if f.Damaged {
			return 1
		}
		return 0
	})
	gauge("codicil_requests_under_way", "Requests that are not answered yet.", func(app.Figures) float64 { return float64(len(w.open())) })
	about := prometheus.NewGauge(prometheus.GaugeOpts{Name: "codicil_info", Help: "The release.", ConstLabels: prometheus.Labels{"release": release.Version}})
	about.Set(1)
	registry.MustRegister(about)
	w.serve = promhttp.HandlerFor(registry, promhttp.HandlerOpts{DisableCompression: true})
	return w
}

// open lists what is under way, the oldest first.
func (w *watch) open() []string {
	w.mutex.Lock()
	defer w.mutex.Unlock()
	all := make([]asked, 0, len(w.underWay))
	for _, a := range w.underWay {
		all = append(all, a)
	}
	slices.SortFunc(all, func(a, b asked) int { return a.begun.Compare(b.begun) })
	told := make([]string, len(all))
	for i, a := range all {
		told[i] = fmt.Sprintf("%s, since %s", a.what, time.Since(a.begun).Round(time.Millisecond))
	}
	return told
}

func (w *watch) begin(id, client, what string) bool {
	w.mutex.Lock()
	defer w.mutex.Unlock()
	if client != "" && w.byClient[client] >= mostAsked {
		return false
	}
	w.byClient[client]++
	w.underWay[id] = asked{what, time.Now()}
	return true
}

func (w *watch) end(id, client string) {
	w.mutex.Lock()
	defer w.mutex.Unlock()
	delete(w.underWay, id)
	if w.byClient[client]--; w.byClient[client] == 0 {
		delete(w.byClient, client)
	}
}

// watching notes every request with its id, which the answer carries too (X-Request-Id). Nothing of what was asked but its
// path stands in the log.
func (w *watch) watching(d *door) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc { return w.watched(d, next) }
}

func (w *watch) watched(d *door, next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		begun, id, r := time.Now(), rand.Text()[:12], c.Request()
		client := d.address(r)
		if listens(c) {
			client = "" // how many may listen is bounded by itself
		}
		c.Response().Header().Set(echo.HeaderXRequestID, id)
		if w.begin(id, client, r.Method+" "+brief(r.URL.Path)) {
			defer w.end(id, client)
			if err := next(c); err != nil {
				d.answer(c, err)
			}
		} else {
			c.Response().Header().Set(echo.HeaderRetryAfter, "1")
			if r.ContentLength != 0 { // its body is not waited for
				_ = http.NewResponseController(c.Response()).SetReadDeadline(time.Now())
			}
			writeProblem(c, &fault.Fault{Reason: fault.Busy, Notice: tooMany.With(mostAsked)})
		}
		status, size, took := 0, int64(0), time.Since(begun)
		if answer, unwrapped := echo.UnwrapResponse(c.Response()); unwrapped == nil {
			status, size = answer.Status, answer.Size
		}
		slog.LogAttrs(r.Context(), slog.LevelInfo, "request", slog.String("id", id), slog.String("method", r.Method), slog.String("path", brief(r.URL.Path)),
			slog.Int("status", status), slog.Int64("bytes", size), slog.Duration("took", took.Round(time.Microsecond)))
		method, path := r.Method, c.Path()
		if !strings.HasPrefix(path, base) {
			method, path = "", "other" // what is asked at random makes no series of its own
		}
		w.took.WithLabelValues(method, path, fmt.Sprint(status)).Observe(took.Seconds())
		return nil
	}
}
