package httpapi

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"oskel/core/words"
	"oskel/internal/httpapi/contract"
	"oskel/internal/notify"
	"oskel/internal/people"
	"oskel/internal/store"
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

// ListChanges tells what happens, until who asks has left.
func (s *server) ListChanges(ctx context.Context, _ contract.ListChangesRequestObject) (contract.ListChangesResponseObject, error) {
	events, leave, err := s.Live.Listen(whoAsks(ctx).Name)
	if errors.Is(err, notify.ErrFull) {
		return nil, refusal(http.StatusTooManyRequests, "busy", "%s.", words.UpperFirst(err.Error()))
	}
	c, _ := ctx.(*gin.Context)
	return stream{c.Request.Context(), events, leave, s.limits.StillThere, func() bool { return s.still(c) }}, err
}

// stream is a stream of server-sent events.
type stream struct {
	asked  context.Context
	events <-chan notify.Event
	leave  func()
	rhythm time.Duration // in which it says that it is still there
	still  func() bool   // whoever listens may
}

// still says whether who asks is still signed in, by the same session or token.
func (s *server) still(c *gin.Context) bool {
	ctx := store.WithInteractivePool(c.Request.Context())
	var err error
	if tokenOf(c) != nil {
		_, _, err = s.People.ByToken(ctx, strings.TrimPrefix(c.Request.Header.Get("Authorization"), "Bearer "))
	} else {
		_, err = s.People.InSession(ctx, whoAsks(c).Name, s.sessions.GetInt(ctx, "generation"))
		if err == nil {
			err = s.inSession(c)
		}
	}
	return err == nil || !errors.Is(err, people.ErrWrong) && !errors.Is(err, store.ErrNotFound)
}

// inSession says whether the session of a request is still kept.
func (s *server) inSession(c *gin.Context) error {
	_, found, err := s.Sessions.Find(hashed(s.sessions.Token(c.Request.Context())))
	if err == nil && !found {
		err = store.ErrNotFound
	}
	return err
}

// hashed is how the session store keeps a token.
func hashed(token string) string {
	sum := sha256.Sum256([]byte(token))
	return base64.RawURLEncoding.EncodeToString(sum[:])
}

// VisitListChangesResponse implements the contract's answer.
func (s stream) VisitListChangesResponse(w http.ResponseWriter) error {
	defer s.leave()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	flush := http.NewResponseController(w)
	tick := time.NewTicker(s.rhythm)
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
			if !s.still() {
				return nil
			}
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
