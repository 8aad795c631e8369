package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"oskel/core/words"
	"oskel/internal/httpapi/contract"
	"oskel/internal/notify"
	"oskel/internal/sweep"
)

// Sweeping is how far a sweep is, as it is told.
func Sweeping(p sweep.Progress) any {
	return struct {
		Period string `json:"period"`
		Stage  string `json:"stage"` // empty when it has ended
		Number int    `json:"number"`
		Of     int    `json:"of"`
	}{p.Words, p.Stage, slices.Index(sweep.Stages, p.Stage) + 1, len(sweep.Stages)}
}

// longestStream is when a stream ends, so that who listens on is asked again who they are;
// browsers come back by themselves.
const longestStream = 10 * time.Minute

// stillThere is how often a stream says that it is: what stands between would end one in
// which nothing happens.
const stillThere = 20 * time.Second

// ListChanges tells what happens, until who asks has left.
func (s *server) ListChanges(ctx context.Context, _ contract.ListChangesRequestObject) (contract.ListChangesResponseObject, error) {
	events, leave, err := s.Live.Listen(whoAsks(ctx).Name)
	if errors.Is(err, notify.ErrFull) {
		return nil, fail(http.StatusTooManyRequests, "busy", "%s.", words.UpperFirst(err.Error()))
	}
	return stream{ctx.(*gin.Context).Request.Context(), events, leave}, err
}

// stream is a stream of server-sent events.
type stream struct {
	asked  context.Context
	events <-chan notify.Event
	leave  func()
}

// VisitListChangesResponse implements the contract's answer.
func (s stream) VisitListChangesResponse(w http.ResponseWriter) error {
	defer s.leave()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	flush := http.NewResponseController(w)
	tick := time.NewTicker(stillThere)
	defer tick.Stop()
	end := time.After(longestStream)
	text := ": listening\n\n"
	for {
		if _, err := w.Write([]byte(text)); err != nil {
			return nil // they have left
		}
		if err := flush.Flush(); err != nil {
			return nil
		}
		select {
		case <-s.asked.Done():
			return nil
		case <-end:
			return nil
		case <-tick.C:
			text = ": still there\n\n"
		case e, more := <-s.events:
			if !more {
				return nil
			}
			data, err := json.Marshal(e.Data)
			if err != nil {
				return err
			}
			text = fmt.Sprintf("event: %s\ndata: %s\n\n", e.Name, data)
		}
	}
}
