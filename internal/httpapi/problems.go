package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/gin-gonic/gin"

	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
	"oskel/internal/intake"
	"oskel/internal/store"
)

// failure is an error that already knows its problem.
type failure struct{ problem contract.Problem }

func (f *failure) Error() string { return f.problem.Title }

func refusal(status int, kind, format string, args ...any) error {
	return &failure{contract.Problem{Type: "urn:oskel:" + kind, Title: http.StatusText(status), Status: status, Detail: ptr(fmt.Sprintf(format, args...))}}
}

// orNotFound says what it is that was not found.
func orNotFound(err error, format string, args ...any) error {
	if errors.Is(err, store.ErrNotFound) {
		return refusal(http.StatusNotFound, "not-found", "There is no "+format+".", args...)
	}
	return err
}

func ptr[T any](v T) *T { return &v }

// logProblem logs what is not shown of an error, or concerns whoever runs the service.
func logProblem(ctx context.Context, err error, p contract.Problem) {
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
	p.Detail = ptr("Invalid request: " + where + fault.Text)
	p.Faults = &[]contract.Fault{fault}
	return p
}

// shown is a value that is at fault, unless it is a secret or may hold one.
func shown(name string, value any) *string {
	switch value.(type) {
	case string, float64, bool, int64, json.Number:
		if !slices.Contains([]string{"password", "old", "token", "one_time_password"}, name) {
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

// writeProblem answers with a problem and ends the request.
func writeProblem(c *gin.Context, err error) {
	p := problemOf(err)
	logProblem(c, err, p)
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
