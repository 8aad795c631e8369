package httpapi

import (
	"context"
	"net/http"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
)

// budget is how many bytes may be held for all requests together, and for those of each
// person: bodies are read whole before anything is made of them.
type budget struct {
	most, each int64

	mu   sync.Mutex
	used int64
	of   map[string]int64
}

// errBodies says that there is no room for the body of a request.
var errBodies = refusal(http.StatusTooManyRequests, "busy", "The service is busy receiving data; try again in a few seconds.")

// take waits until so many bytes may be held for somebody; give gives them back.
func (b *budget) take(ctx context.Context, who string, bytes int64, patience time.Duration) (give func(), err error) {
	end := time.Now().Add(patience)
	for !b.try(who, bytes) {
		if time.Now().After(end) {
			return nil, errBodies
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(20 * time.Millisecond):
		}
	}
	return func() { b.give(who, bytes) }, nil
}

func (b *budget) try(who string, bytes int64) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.used+bytes > b.most || b.of[who]+bytes > b.each {
		return false
	}
	b.used += bytes
	b.of[who] += bytes
	return true
}

func (b *budget) give(who string, bytes int64) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.used -= bytes
	if b.of[who] -= bytes; b.of[who] == 0 {
		delete(b.of, who)
	}
}

// receive makes room for the body of a request before any of it is read; the body may be
// so large. Whoever is nobody yet is told by address.
func (s *server) receive(c *gin.Context, largest int64) (done func(), err error) {
	bytes := c.Request.ContentLength
	switch {
	case bytes == 0 || c.Request.Body == nil || c.Request.Body == http.NoBody:
		return func() {}, nil
	case bytes > largest:
		return nil, &http.MaxBytesError{Limit: largest}
	case bytes < 0: // it does not say
		bytes = largest
	}
	who := whoAsks(c).Name
	if who == "" {
		who = "at " + c.ClientIP()
	}
	return s.limits.bodies.take(c.Request.Context(), who, bytes, s.limits.Patience)
}

// pieces is how much is written at once, each with a time of its own in which it is to be
// taken: whoever reads nothing does not hold an answer for ever.
const pieces = 64 << 10

// patient is an answer whose reader must go on reading.
type patient struct {
	http.ResponseWriter
	control *http.ResponseController
	silence time.Duration
}

// Unwrap is for http.ResponseController.
func (p *patient) Unwrap() http.ResponseWriter { return p.ResponseWriter }

// Flush implements http.Flusher.
func (p *patient) Flush() { p.control.Flush() } //nolint:errcheck // the next write says so

func (p *patient) Write(b []byte) (n int, err error) {
	for first := true; first || n < len(b); first = false {
		// Twice: before it writes, the server reads on in a body that nobody has read.
		if err := p.control.SetWriteDeadline(time.Now().Add(2 * p.silence)); err != nil {
			return n, err
		}
		k, err := p.ResponseWriter.Write(b[n:min(n+pieces, len(b))])
		if n += k; err != nil {
			return n, err
		}
	}
	return n, nil
}

// hasten has every answer be taken, piece by piece.
func (l *limiter) hasten(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		next.ServeHTTP(&patient{w, http.NewResponseController(w), l.Silence}, r)
	})
}
