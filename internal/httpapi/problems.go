package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/gin-gonic/gin"

	"oskel/core/rulebook"
	"oskel/internal/books"
	"oskel/internal/figures"
	"oskel/internal/httpapi/contract"
	"oskel/internal/intake"
	"oskel/internal/people"
	"oskel/internal/review"
	"oskel/internal/store"
	"oskel/internal/sweep"
)

// failure is an error that already knows its problem.
type failure struct{ problem contract.Problem }

func (f *failure) Error() string { return f.problem.Title }

func fail(status int, kind, format string, args ...any) error {
	return &failure{contract.Problem{Type: "urn:oskel:" + kind, Title: http.StatusText(status), Status: status, Detail: ptr(fmt.Sprintf(format, args...))}}
}

// missing says what it is that was not found.
func missing(err error, format string, args ...any) error {
	if errors.Is(err, store.ErrNotFound) {
		return fail(http.StatusNotFound, "not-found", "There is no "+format+".", args...)
	}
	return err
}

func ptr[T any](v T) *T { return &v }

// problemOf turns an error into problem details. What is nobody's business is not
// shown; report logs it.
func problemOf(err error) contract.Problem {
	simple := func(status int, kind string) contract.Problem {
		return contract.Problem{Type: "urn:oskel:" + kind, Title: http.StatusText(status), Status: status, Detail: ptr(err.Error())}
	}
	var known *failure
	var refusal *intake.Refusal
	var again *intake.Again
	var equal *intake.Equal
	var doubtful *intake.Doubtful
	var faulty *books.Faulty
	var overtaken *books.Overtaken
	var period *books.PeriodError
	var feed *store.FeedError
	var tooLarge *http.MaxBytesError
	var table *figures.TooLarge
	var invalid *openapi3filter.RequestError
	var password *people.ErrPassword
	switch {
	case errors.As(err, &tooLarge): // also inside a body that could not be read
		return contract.Problem{Type: "urn:oskel:too-large", Title: http.StatusText(http.StatusRequestEntityTooLarge), Status: http.StatusRequestEntityTooLarge, Detail: ptr("What is sent here has " + sizeWords(tooLarge.Limit) + " at most.")}
	case errors.Is(err, os.ErrDeadlineExceeded):
		return contract.Problem{Type: "urn:oskel:too-slow", Title: http.StatusText(http.StatusRequestTimeout), Status: http.StatusRequestTimeout, Detail: ptr("What was sent came too slowly, or not to its end.")}
	case errors.As(err, &known):
		return known.problem
	case store.Full(err):
		return contract.Problem{Type: "urn:oskel:disk-full", Title: http.StatusText(http.StatusInsufficientStorage), Status: http.StatusInsufficientStorage, Detail: ptr("The disk of the service's database is full, so nothing can be kept; what was asked has not been done. Free some space and try again.")}
	case errors.As(err, &invalid): // before what looks like a lost connection: a body may end early too
		return invalidRequest(invalid)
	case store.Lost(err):
		return contract.Problem{Type: "urn:oskel:no-database", Title: http.StatusText(http.StatusServiceUnavailable), Status: http.StatusServiceUnavailable, Detail: ptr("The database does not answer at the moment; try again in a few seconds.")}
	case errors.Is(err, store.ErrHeld):
		return simple(http.StatusServiceUnavailable, "held")
	case errors.As(err, &refusal):
		p := simple(http.StatusUnprocessableEntity, "file-refused")
		p.Count = &refusal.Count
		p.Faults = ptr(fileFaults(refusal))
		return p
	case errors.As(err, &again):
		return simple(http.StatusConflict, "already-taken-in")
	case errors.As(err, &equal):
		return simple(http.StatusConflict, "equal-lines")
	case errors.As(err, &doubtful):
		return simple(http.StatusConflict, "doubtful")
	case errors.As(err, &faulty):
		p := simple(http.StatusUnprocessableEntity, "rulebook-refused")
		p.Count = ptr(len(faulty.Problems))
		p.Faults = ptr(bookFaults(faulty.Problems))
		return p
	case errors.As(err, &overtaken):
		p := simple(http.StatusConflict, "overtaken")
		var faults []contract.Fault
		for _, d := range overtaken.Differences {
			faults = append(faults, contract.Fault{Text: d})
		}
		p.Faults = &faults
		return p
	case errors.As(err, &period):
		p := simple(http.StatusBadRequest, "invalid-request")
		p.Detail = ptr("period: " + err.Error())
		return p
	case books.IsRehearsal(err):
		return simple(http.StatusUnprocessableEntity, "not-rehearsed")
	case errors.Is(err, books.ErrSame):
		return simple(http.StatusConflict, "nothing-to-publish")
	case errors.As(err, &feed):
		return simple(http.StatusUnprocessableEntity, "feed-refused")
	case errors.Is(err, books.ErrNone):
		return contract.Problem{Type: "urn:oskel:no-rulebook", Title: http.StatusText(http.StatusConflict), Status: http.StatusConflict, Detail: ptr("No rulebook is published yet; publish one first.")}
	case errors.Is(err, intake.ErrUnknown), errors.Is(err, store.ErrNotFound):
		return simple(http.StatusNotFound, "not-found")
	case errors.Is(err, intake.ErrBadRequest):
		return simple(http.StatusBadRequest, "not-possible")
	case errors.Is(err, sweep.ErrClock):
		return simple(http.StatusConflict, "clock-leapt")
	case errors.Is(err, sweep.ErrFilter):
		return simple(http.StatusBadRequest, "unknown-filter")
	case errors.Is(err, store.ErrClosed):
		return simple(http.StatusConflict, "period-closed")
	case errors.Is(err, store.ErrNotClosed):
		return simple(http.StatusConflict, "not-closed")
	case errors.Is(err, store.ErrTooMany):
		return simple(http.StatusConflict, "too-many")
	case errors.Is(err, sweep.ErrWaiting):
		return simple(http.StatusConflict, "cases-wait")
	case errors.Is(err, sweep.ErrUnswept):
		return simple(http.StatusUnprocessableEntity, "not-swept")
	case errors.Is(err, sweep.ErrReason):
		return simple(http.StatusUnprocessableEntity, "no-reason")
	case errors.Is(err, sweep.ErrNotKept):
		return simple(http.StatusNotFound, "not-kept")
	case errors.Is(err, figures.ErrVersion):
		return simple(http.StatusNotFound, "no-such-version")
	case errors.Is(err, sweep.ErrNoLines):
		return simple(http.StatusUnprocessableEntity, "no-lines")
	case errors.Is(err, sweep.ErrNoRules):
		return simple(http.StatusUnprocessableEntity, "no-rules")
	case errors.Is(err, sweep.ErrSoFar):
		return simple(http.StatusUnprocessableEntity, "not-so-far")
	case errors.Is(err, sweep.ErrNotEnded):
		return simple(http.StatusUnprocessableEntity, "not-ended")
	case errors.Is(err, people.ErrBusy):
		return simple(http.StatusTooManyRequests, "busy")
	case errors.As(err, &password):
		return simple(http.StatusUnprocessableEntity, "password")
	case errors.Is(err, people.ErrWord):
		return simple(http.StatusForbidden, "one-time-word")
	case errors.Is(err, people.ErrLastLead):
		return simple(http.StatusConflict, "last-lead")
	case errors.Is(err, people.ErrWrong):
		return simple(http.StatusUnauthorized, "wrong-credentials")
	case errors.Is(err, store.ErrTaken):
		return simple(http.StatusConflict, "name-taken")
	case errors.Is(err, sweep.ErrByHand):
		return simple(http.StatusConflict, "not-taken")
	case errors.Is(err, review.ErrUndo):
		return simple(http.StatusConflict, "not-undone")
	case errors.Is(err, review.ErrAbsence):
		return simple(http.StatusUnprocessableEntity, "no-absence")
	case errors.Is(err, review.ErrMany):
		return simple(http.StatusBadRequest, "invalid-request")
	case errors.Is(err, review.ErrNotYours):
		return simple(http.StatusForbidden, "not-allowed")
	case errors.Is(err, review.ErrState):
		return simple(http.StatusConflict, "case-state")
	case errors.Is(err, review.ErrChanged), errors.Is(err, store.ErrChanged):
		return simple(http.StatusPreconditionFailed, "changed-meanwhile")
	case errors.As(err, &table):
		return simple(http.StatusUnprocessableEntity, "too-large")
	case errors.Is(err, context.Canceled):
		return simple(http.StatusBadRequest, "broken-off") // nobody is there to read it
	}
	return contract.Problem{Type: "urn:oskel:internal", Title: http.StatusText(http.StatusInternalServerError), Status: http.StatusInternalServerError, Detail: ptr("Something went wrong in the service; its log says what.")}
}

// report logs what is not shown of an error, or concerns whoever runs the service.
func report(ctx context.Context, err error, p contract.Problem) {
	if ctx.Err() != nil && !strings.HasPrefix(err.Error(), "panic") {
		return // whoever asked has left, and what failed by that is no fault
	}
	switch p.Status {
	case http.StatusInternalServerError:
		slog.ErrorContext(ctx, "a request failed", "error", err)
	case http.StatusInsufficientStorage:
		slog.ErrorContext(ctx, "the disk is full", "error", err)
	case http.StatusServiceUnavailable:
		slog.ErrorContext(ctx, "the service cannot do its work", "error", err)
	}
}

func invalidRequest(invalid *openapi3filter.RequestError) contract.Problem {
	p := contract.Problem{Type: "urn:oskel:invalid-request", Title: http.StatusText(http.StatusBadRequest), Status: http.StatusBadRequest}
	fault := contract.Fault{Text: invalid.Error()}
	var schema *openapi3.SchemaError
	if errors.As(invalid.Err, &schema) {
		fault.Text = schema.Reason
		for _, name := range schema.JSONPointer() {
			fault.Where = ptr(name)
		}
		fault.Value = shown(or(fault.Where, ""), schema.Value)
	} else if invalid.Err != nil {
		fault.Text = invalid.Err.Error()
	}
	if invalid.Parameter != nil {
		fault.Where = ptr(invalid.Parameter.Name)
	}
	where := ""
	if fault.Where != nil {
		where = *fault.Where + ": "
	}
	p.Detail = ptr("Not understood: " + where + fault.Text)
	p.Faults = &[]contract.Fault{fault}
	return p
}

// shown is a value that is at fault, unless it is a secret or may hold one.
func shown(name string, value any) *string {
	switch value.(type) {
	case string, float64, bool, int64, json.Number:
		if !slices.Contains([]string{"password", "old", "token", "word"}, name) {
			return ptr(fmt.Sprint(value))
		}
	}
	return nil
}

func fileFaults(r *intake.Refusal) []contract.Fault {
	out := []contract.Fault{}
	for _, f := range r.Faults {
		c := contract.Fault{Where: &r.File, Text: f.Text}
		if f.Line > 0 {
			c.Line = ptr(f.Line)
		}
		if f.Column != "" {
			c.Column, c.Value = ptr(f.Column), ptr(f.Value)
		}
		out = append(out, c)
	}
	return out
}

func bookFaults(problems []rulebook.Problem) []contract.Fault {
	out := []contract.Fault{}
	for _, p := range problems {
		out = append(out, contract.Fault{Where: ptr(p.Path), Line: ptr(p.Line), Column: ptr(fmt.Sprint(p.Column)), Text: p.Text})
	}
	return out
}

// retryAfter is in how many seconds to try again what could not be done now.
const retryAfter = "3"

// refuse answers with a problem and ends the request.
func refuse(c *gin.Context, err error) {
	p := problemOf(err)
	report(c, err, p)
	if id := requestOf(c); id != "" {
		p.Request = &id
	}
	c.Header("Content-Type", "application/problem+json")
	if p.Status == http.StatusUnauthorized {
		c.Header("WWW-Authenticate", `Bearer realm="oskel"`)
	}
	if p.Status == http.StatusTooManyRequests || p.Status == http.StatusServiceUnavailable {
		c.Header("Retry-After", retryAfter)
	}
	c.AbortWithStatusJSON(p.Status, p)
}

// sizeWords says a bound in the largest unit that it is whole in.
func sizeWords(bytes int64) string {
	for _, unit := range []struct {
		shift uint
		name  string
	}{{30, "GB"}, {20, "MB"}, {10, "kB"}} {
		if whole := bytes >> unit.shift; whole > 0 && whole<<unit.shift == bytes {
			return strconv.FormatInt(whole, 10) + " " + unit.name
		}
	}
	return strconv.FormatInt(bytes, 10) + " bytes"
}
