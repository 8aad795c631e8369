package httpapi

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"os"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"oskel/internal/httpapi/contract"
)

// Limits bound what the service takes on at once, whoever asks. The zero value of
// each is its default.
type Limits struct {
	Computing, ComputingEach int           // tables, rehearsals and the like, in all and for each person
	Exports, ExportsEach     int           // files that are written, in all and for each person
	Patience                 time.Duration // how long what is too much at once waits for its turn
	Cells                    int           // the largest table that is computed, rows times columns
	Memory                   int64         // bytes; near it nothing heavy is begun
	Silence                  time.Duration // how long a body may say nothing
	StillThere               time.Duration // how often a stream says that it is, and asks whether who listens still may
	SlowestBody              int           // bytes a second that a body must bring, beyond its first half minute
}

// withDefaults fills in what is not stated. The memory's is three quarters of what
// there is.
func (l Limits) withDefaults() Limits {
	cores := runtime.GOMAXPROCS(0)
	for _, d := range []struct {
		of *int
		to int
	}{{&l.Computing, max(8, 4*cores)}, {&l.ComputingEach, 6}, {&l.Exports, 4}, {&l.ExportsEach, 2}, {&l.SlowestBody, 1024}} {
		if *d.of == 0 {
			*d.of = d.to
		}
	}
	if l.Patience == 0 {
		l.Patience = 5 * time.Second
	}
	if l.Silence == 0 {
		l.Silence = 30 * time.Second
	}
	if l.StillThere == 0 {
		l.StillThere = 10 * time.Second // what stands between would end a stream in which nothing happens
	}
	if l.Memory == 0 {
		l.Memory = memoryThereIs() / 4 * 3
	}
	if l.Cells == 0 {
		l.Cells = int(min(max(l.Memory/bytesACell, 1_000_000), 50_000_000))
	}
	return l
}

// bytesACell is what a cell of the largest table may have of the memory: it takes some
// thirty itself, and a few tables are kept.
const bytesACell = 400

// errTooMuch says that what was asked has to wait longer than it may.
var errTooMuch = refusal(http.StatusTooManyRequests, "busy", "The service is busy; try again in a few seconds.")

// errBrokenOff says that a body did not come to its end; nobody is there to read it.
var errBrokenOff = refusal(http.StatusBadRequest, "broken-off", "The upload is incomplete.")

// errMemory says that the service has no room for heavy work.
var errMemory = refusal(http.StatusServiceUnavailable, "memory", "The service is near the limit of its memory; try again in a few seconds.")

// gate lets so many in at once, and so many of each person.
type gate struct {
	all  chan struct{}
	most int

	mu   sync.Mutex
	each map[string]chan struct{}
}

func newGate(all, each int) *gate {
	return &gate{all: make(chan struct{}, all), most: each, each: map[string]chan struct{}{}}
}

// enter waits for its turn; leave gives it up.
func (g *gate) enter(ctx context.Context, person string, patience time.Duration) (leave func(), err error) {
	g.mu.Lock()
	own := g.each[person]
	if own == nil {
		own = make(chan struct{}, g.most)
		g.each[person] = own
	}
	g.mu.Unlock()
	wait := time.NewTimer(patience)
	defer wait.Stop()
	for _, place := range []chan struct{}{own, g.all} {
		select {
		case place <- struct{}{}:
			continue
		case <-wait.C:
			err = errTooMuch
		case <-ctx.Done():
			err = ctx.Err()
		}
		if place != own {
			<-own
		}
		return nil, err
	}
	return func() { <-g.all; <-own }, nil
}

// gcPercent has garbage collected less often than is usual: most of what the service
// holds lives long, and what a request makes is small beside it. The memory's limit
// comes first.
const gcPercent = 300

// limiter holds requests to the limits.
type limiter struct {
	Limits
	compute, export *gate
	bodies          *budget

	mu      sync.Mutex
	cleared time.Time // when memory was last given back on purpose
}

func newLimiter(l Limits) *limiter {
	l = l.withDefaults()
	debug.SetMemoryLimit(l.Memory)
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(gcPercent)
	}
	return &limiter{Limits: l, compute: newGate(l.Computing, l.ComputingEach), export: newGate(l.Exports, l.ExportsEach),
		bodies: &budget{most: max(l.Memory/8, 4*largestBook), each: max(l.Memory/32, 2*largestBook), of: map[string]int64{}}}
}

// limit turns heavy work away while memory is short, and has what writes files wait for
// its turn: that place is held until all has been written.
func (l *limiter) limit(c *gin.Context, operation string) {
	w := operations[operation].work
	if w != light && l.short() {
		writeProblem(c, errMemory)
		return
	}
	if w != writes {
		return
	}
	leave, err := l.export.enter(c.Request.Context(), whoAsks(c).Name, l.Patience)
	if err != nil {
		writeProblem(c, err)
		return
	}
	defer leave()
	c.Next()
}

// gated has what computes wait for its turn. Its place is given up when it has computed,
// however slowly the answer is read.
func (s *server) gated(next contract.StrictHandlerFunc, operation string) contract.StrictHandlerFunc {
	if operations[operation].work != computes {
		return next
	}
	return func(c *gin.Context, request any) (any, error) {
		leave, err := s.limits.compute.enter(c.Request.Context(), whoAsks(c).Name, s.limits.Patience)
		if err != nil {
			return nil, err
		}
		defer leave()
		return next(c, request)
	}
}

// short says whether memory is near its limit, also after what is not needed any
// more has been given back, which is tried once a second at most.
func (l *limiter) short() bool {
	near := l.Memory / 10 * 9
	if inUse() < near {
		return false
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if time.Since(l.cleared) > time.Second {
		debug.FreeOSMemory()
		l.cleared = time.Now()
	}
	if used := inUse(); used >= near {
		slog.Warn("memory is short: heavy work is turned away", "used", used, "limit", l.Memory)
		return true
	}
	return false
}

// inUse is how many bytes the objects of the service take, live or not yet cleared.
func inUse() int64 {
	sample := []metrics.Sample{{Name: "/memory/classes/heap/objects:bytes"}}
	metrics.Read(sample)
	return int64(sample[0].Value.Uint64())
}

// lively is a body that must go on: it may not be silent for long, nor slower for
// long than the slowest. The connection's deadline moves with what arrives.
type lively struct {
	io.ReadCloser
	control *http.ResponseController
	limits  *limiter
	began   time.Time
	read    int
}

// grace is for how long a body may be slower than the slowest.
const grace = 30 * time.Second

// wake gives every body its deadline, also those that nobody will read: the server
// reads on in them before it answers.
func (l *limiter) wake(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.ContentLength != 0 {
			body := &lively{ReadCloser: r.Body, control: http.NewResponseController(w), limits: l, began: time.Now()}
			body.wait() //nolint:errcheck // reading says so
			r.Body = body
		}
		next.ServeHTTP(w, r)
	})
}

func (b *lively) wait() error {
	until := time.Now().Add(b.limits.Silence)
	if slowest := b.began.Add(grace + time.Duration(b.read/b.limits.SlowestBody)*time.Second); slowest.Before(until) {
		until = slowest
	}
	return b.control.SetReadDeadline(until)
}

func (b *lively) Read(p []byte) (int, error) {
	if err := b.wait(); err != nil {
		return 0, err
	}
	n, err := b.ReadCloser.Read(p)
	b.read += n
	if errors.Is(err, io.ErrUnexpectedEOF) { // not to be taken for a connection of ours
		err = errBrokenOff
	}
	if errors.Is(err, io.EOF) { // what follows is no part of the body
		if err := b.control.SetReadDeadline(time.Time{}); err != nil {
			return n, err
		}
	}
	return n, err
}
