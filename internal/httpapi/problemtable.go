package httpapi

import (
	"context"
	"errors"
	"net/http"
	"os"
	"strings"

	"github.com/getkin/kin-openapi/openapi3filter"

	"oskel/core/words"
	"oskel/internal/books"
	"oskel/internal/figures"
	"oskel/internal/httpapi/contract"
	"oskel/internal/intake"
	"oskel/internal/people"
	"oskel/internal/review"
	"oskel/internal/store"
	"oskel/internal/sweep"
)

// known are the errors that services answer with, and the status and kind of the problem that
// each is; the error's own text is its detail. A new one is added here alone.
var known = []struct {
	is     error
	status int
	kind   string
}{
	{store.ErrHeld, http.StatusServiceUnavailable, "held"},
	{books.ErrSame, http.StatusConflict, "nothing-to-publish"},
	{intake.ErrUnknown, http.StatusNotFound, "not-found"},
	{store.ErrNotFound, http.StatusNotFound, "not-found"},
	{intake.ErrBadRequest, http.StatusBadRequest, "not-possible"},
	{sweep.ErrClock, http.StatusConflict, "clock-leapt"},
	{sweep.ErrFilter, http.StatusBadRequest, "unknown-filter"},
	{store.ErrClosed, http.StatusConflict, "period-closed"},
	{store.ErrNotClosed, http.StatusConflict, "not-closed"},
	{store.ErrTooMany, http.StatusConflict, "too-many"},
	{sweep.ErrWaiting, http.StatusConflict, "cases-wait"},
	{sweep.ErrUnswept, http.StatusUnprocessableEntity, "not-swept"},
	{sweep.ErrReason, http.StatusUnprocessableEntity, "no-reason"},
	{sweep.ErrNotKept, http.StatusNotFound, "not-kept"},
	{figures.ErrVersion, http.StatusNotFound, "no-such-version"},
	{sweep.ErrNoLines, http.StatusUnprocessableEntity, "no-lines"},
	{sweep.ErrNoRules, http.StatusUnprocessableEntity, "no-rules"},
	{sweep.ErrToDate, http.StatusUnprocessableEntity, "not-to-date"},
	{sweep.ErrNotEnded, http.StatusUnprocessableEntity, "not-ended"},
	{people.ErrBusy, http.StatusTooManyRequests, "busy"},
	{people.ErrWord, http.StatusForbidden, "one-time-password"},
	{people.ErrLastLead, http.StatusConflict, "last-lead"},
	{people.ErrWrong, http.StatusUnauthorized, "wrong-credentials"},
	{store.ErrTaken, http.StatusConflict, "name-taken"},
	{sweep.ErrByHand, http.StatusConflict, "not-taken"},
	{review.ErrUndo, http.StatusConflict, "not-undone"},
	{review.ErrAbsence, http.StatusUnprocessableEntity, "no-absence"},
	{review.ErrMany, http.StatusBadRequest, "invalid-request"},
	{review.ErrNotYours, http.StatusForbidden, "not-allowed"},
	{review.ErrChanged, http.StatusPreconditionFailed, "changed-meanwhile"},
	{store.ErrChanged, http.StatusPreconditionFailed, "changed-meanwhile"},
}

// problem is one of a kind, with a detail.
func problem(status int, kind, detail string) contract.Problem {
	return contract.Problem{Type: "urn:oskel:" + kind, Title: http.StatusText(status), Status: status, Detail: &detail}
}

// problemOf turns an error into problem details. What concerns the service alone is not shown;
// report logs it.
func problemOf(err error) contract.Problem {
	if p, ok := failureOf(err); ok {
		return p
	}
	if p, ok := typedProblem(err); ok {
		return p
	}
	for _, k := range known {
		if errors.Is(err, k.is) {
			return problem(k.status, k.kind, err.Error())
		}
	}
	if errors.Is(err, context.Canceled) {
		return problem(http.StatusBadRequest, "broken-off", err.Error()) // there is no reader left
	}
	return problem(http.StatusInternalServerError, "internal", "Something went wrong in the service; its log says what.")
}

// failureOf are the problems of the machine and of the connection, in the order in which they
// are told apart: a body that ends early looks like a lost connection.
func failureOf(err error) (p contract.Problem, ok bool) {
	var tooLarge *http.MaxBytesError
	var known *failure
	var invalid *openapi3filter.RequestError
	switch {
	case errors.As(err, &tooLarge): // also inside a body that could not be read
		return problem(http.StatusRequestEntityTooLarge, "too-large", "The request is larger than "+sizeWords(tooLarge.Limit)+"."), true
	case errors.Is(err, os.ErrDeadlineExceeded):
		return problem(http.StatusRequestTimeout, "too-slow", "The upload was too slow or incomplete."), true
	case errors.As(err, &known):
		return known.problem, true
	case store.Full(err):
		return problem(http.StatusInsufficientStorage, "disk-full",
			"The disk of the service's database is full, so nothing can be stored; nothing was changed. Free some space and try again."), true
	case errors.As(err, &invalid):
		return invalidRequest(invalid), true
	case store.Lost(err):
		return problem(http.StatusServiceUnavailable, "no-database", "The database does not answer at the moment; try again in a few seconds."), true
	}
	return p, false
}

// typedProblem are the problems of errors that bear more than a text.
func typedProblem(err error) (p contract.Problem, ok bool) {
	var refusal *intake.Refusal
	var again *intake.Again
	var equal *intake.Equal
	var doubtful *intake.Doubtful
	var faulty *books.Faulty
	var overtaken *books.Overtaken
	var period *books.PeriodError
	var feed *store.FeedError
	var table *figures.TooLarge
	var wide *figures.TooWide
	var password *people.ErrPassword
	switch {
	case errors.As(err, &refusal):
		p = problem(http.StatusUnprocessableEntity, "file-refused", err.Error())
		p.Count, p.Faults = &refusal.Count, ptr(fileFaults(refusal))
	case errors.As(err, &again):
		p = problem(http.StatusConflict, "already-loaded", err.Error())
	case errors.As(err, &equal):
		p = problem(http.StatusConflict, "equal-lines", err.Error())
	case errors.As(err, &doubtful):
		p = problem(http.StatusConflict, "doubtful", err.Error())
	case errors.As(err, &faulty):
		p = problem(http.StatusUnprocessableEntity, "rulebook-refused", err.Error())
		p.Count, p.Faults = ptr(len(faulty.Problems)), ptr(bookFaults(faulty.Problems))
	case errors.As(err, &overtaken):
		p = problem(http.StatusConflict, "overtaken", err.Error())
		faults := []contract.Fault{}
		for _, d := range overtaken.Differences {
			faults = append(faults, contract.Fault{Text: d})
		}
		p.Faults = &faults
	case errors.As(err, &period):
		p = problem(http.StatusBadRequest, "invalid-request", "period: "+err.Error())
	case books.IsRehearsal(err):
		p = problem(http.StatusUnprocessableEntity, "not-rehearsed", err.Error())
	case errors.As(err, &feed):
		p = problem(http.StatusUnprocessableEntity, "feed-refused", err.Error())
	case errors.Is(err, books.ErrNone): // before store.ErrNotFound, which it wraps
		p = problem(http.StatusConflict, "no-rulebook", "No rulebook is published yet; publish one first.")
	case errors.As(err, &password):
		p = problem(http.StatusUnprocessableEntity, "password", err.Error())
	case errors.Is(err, review.ErrState):
		p = problem(http.StatusConflict, "case-state", words.UpperFirst(strings.Replace(err.Error(), review.ErrState.Error()+": ", "", 1)))
	case errors.As(err, &wide):
		p = problem(http.StatusBadRequest, "too-wide", err.Error()+".")
	case errors.As(err, &table):
		p = problem(http.StatusUnprocessableEntity, "too-large", err.Error())
	default:
		return p, false
	}
	return p, true
}
