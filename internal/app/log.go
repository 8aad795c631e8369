package app

import (
	"fmt"
	"io"
	"log/slog"

	"oskel/internal/httpapi"
)

// Log says how the service logs.
type Log struct{ Level, Format string }

// Begin has the process log so from now on. Each line of a request bears its id.
func (l Log) Begin(out io.Writer) error {
	var level slog.Level
	if err := level.UnmarshalText([]byte(l.Level)); err != nil {
		return fmt.Errorf("a log's level is error, warn, info or debug, not %q", l.Level)
	}
	options := &slog.HandlerOptions{Level: level}
	var h slog.Handler
	switch l.Format {
	case "text":
		h = slog.NewTextHandler(out, options)
	case "json":
		h = slog.NewJSONHandler(out, options)
	default:
		return fmt.Errorf("a log's format is text or json, not %q", l.Format)
	}
	slog.SetDefault(slog.New(httpapi.Logged(h)))
	return nil
}
