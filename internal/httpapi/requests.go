package httpapi

import (
	"context"
	"crypto/rand"
	"log/slog"
	"net/http"
	"time"
)

// requestKey is where a context carries the id of its request.
type requestKey struct{}

// identify gives every request an id, which is in its answer, its problem and the
// log, and logs what it came to.
func identify(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		id := rand.Text()[:12]
		w.Header().Set("X-Request-Id", id)
		ctx := context.WithValue(r.Context(), requestKey{}, id)
		if !slog.Default().Enabled(ctx, slog.LevelDebug) {
			next.ServeHTTP(w, r.WithContext(ctx))
			return
		}
		began, seen := time.Now(), &statusWriter{ResponseWriter: w}
		next.ServeHTTP(seen, r.WithContext(ctx))
		slog.DebugContext(ctx, "request", "method", r.Method, "path", r.URL.Path, "status", max(seen.status, http.StatusOK), "took",
			time.Since(began).Round(time.Microsecond))
	})
}

// requestOf is the id of the request that a context belongs to, or "".
func requestOf(ctx context.Context) string {
	id, _ := ctx.Value(requestKey{}).(string)
	return id
}

// statusWriter sees the status that is answered.
type statusWriter struct {
	http.ResponseWriter
	status int
}

func (w *statusWriter) WriteHeader(status int) {
	if w.status == 0 {
		w.status = status
	}
	w.ResponseWriter.WriteHeader(status)
}

// Unwrap lets deadlines be set through it.
func (w *statusWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }

// Logged has each line of a log bear the id of the request it belongs to.
func Logged(h slog.Handler) slog.Handler { return logged{h} }

// logged is a handler of a log that adds the id of the request.
type logged struct{ slog.Handler }

func (l logged) Handle(ctx context.Context, record slog.Record) error {
	if id := requestOf(ctx); id != "" {
		record.AddAttrs(slog.String("request", id))
	}
	return l.Handler.Handle(ctx, record)
}

func (l logged) WithAttrs(attrs []slog.Attr) slog.Handler { return logged{l.Handler.WithAttrs(attrs)} }
func (l logged) WithGroup(name string) slog.Handler       { return logged{l.Handler.WithGroup(name)} }
