package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"oskel/core/lang"
	"oskel/core/words"
	"oskel/internal/httpapi/contract"
	"oskel/internal/people"
	"oskel/internal/sheet"
	"oskel/internal/store"
)

// audit keeps what is done, with what did it: the transaction that does the work
// writes the entry. What has no transaction, or was refused, is written after it.
func (s *server) audit(next contract.StrictHandlerFunc, operation string) contract.StrictHandlerFunc {
	o := operations[operation]
	if o.audit == "" {
		return next
	}
	return func(c *gin.Context, request any) (any, error) {
		entry := &store.Audited{AuditEntry: store.AuditEntry{Person: whoAsks(c).Name, Way: "session", Address: c.ClientIP(), Request: requestOf(c),
			Operation: operation}}
		if o.about != nil {
			entry.About = o.about(request)
		}
		if k := tokenOf(c); k != nil {
			entry.Way = k.Title
		}
		if o.name != nil {
			if name := o.name(request); name != "" {
				entry.Person, entry.Way = name, "password"
			}
		}
		c.Set(store.AuditKey, entry)
		out, err := next(c, request)
		if entry.Written {
			return out, err
		}
		if entry.Outcome = store.Done; err != nil {
			p := problemOf(err)
			if p.Status == http.StatusTooManyRequests {
				return out, err
			}
			entry.Outcome = strings.TrimPrefix(p.Type, "urn:oskel:") + ": " + or(p.Detail, p.Title)
			if errors.Is(err, people.ErrWrong) && !s.People.Known(c, entry.Person) {
				entry.Person = "" // it may be a password, typed into the wrong field
			}
		}
		ctx, cancel := context.WithTimeout(context.WithoutCancel(c.Request.Context()), 5*time.Second)
		defer cancel()
		if failed := s.Audit.AddAudit(ctx, entry.AuditEntry); failed != nil {
			slog.ErrorContext(c, "writing the audit", "error", failed, "operation", operation, "person", entry.Person)
			if err == nil { // what cannot be told is not given out
				return nil, failed
			}
		}
		return out, err
	}
}

// auditRefused keeps that an operation was refused before its body was read.
func (s *server) auditRefused(c *gin.Context, operation string, err error) {
	_, err = s.audit(func(*gin.Context, any) (any, error) { return nil, err }, operation)(c, nil)
	if err != nil && !errors.As(err, new(*failure)) {
		slog.ErrorContext(c, "keeping what was refused", "error", err)
	}
}

// parametersOf says by what something was asked for: those that are stated.
func parametersOf(params any) string {
	text, err := json.Marshal(params)
	stated := map[string]any{}
	if err != nil || json.Unmarshal(text, &stated) != nil {
		return ""
	}
	var out []string
	for _, name := range slices.Sorted(maps.Keys(stated)) {
		if v := stated[name]; v != nil && v != "" && v != false {
			out = append(out, fmt.Sprintf("%s %v", name, v))
		}
	}
	return strings.Join(out, ", ")
}

// auditPage is how many entries are given at once.
const auditPage = 200

// auditAsk is what is asked for; an operation that the audit does not keep is an error
// and no empty list.
func auditAsk(person, operation *string, before *int64, most int) (store.AuditAsk, error) {
	ask := store.AuditAsk{Person: or(person, ""), Operation: or(operation, ""), Once: words.Were("operation", or(operation, "")), Before: or(before, 0),
		Most: most}
	if ask.Operation != "" && auditWords(ask.Operation) == "" {
		return ask, refusal(http.StatusBadRequest, "unknown-filter", "The audit log has no operation %q%s.", ask.Operation,
			lang.Suggestion(ask.Operation, auditedNames()))
	}
	return ask, nil
}

func (s *server) ListAudit(ctx context.Context, r contract.ListAuditRequestObject) (contract.ListAuditResponseObject, error) {
	ask, err := auditAsk(r.Params.Person, r.Params.Operation, r.Params.Before, auditPage+1)
	if err != nil {
		return nil, err
	}
	list, err := s.Audit.Audit(ctx, ask)
	if err != nil {
		return nil, err
	}
	out := contract.ListAudit200JSONResponse{Entries: []contract.AuditEntry{}, Operations: []contract.Named{}}
	if len(list) > auditPage {
		list = list[:auditPage]
		out.Before = &list[auditPage-1].ID
	}
	for _, e := range list {
		out.Entries = append(out.Entries, contract.AuditEntry{Id: e.ID, At: e.At, Person: e.Person, Way: e.Way, Address: e.Address, Request: e.Request,
			Operation: e.Operation, Words: auditWords(e.Operation), About: e.About, Outcome: e.Outcome})
	}
	for _, name := range auditedNames() {
		out.Operations = append(out.Operations, contract.Named{Name: name, Title: auditWords(name)})
	}
	slices.SortFunc(out.Operations, func(a, b contract.Named) int { return strings.Compare(a.Title, b.Title) })
	return out, nil
}

var auditColumns = []sheet.Column{{Name: "id", Kind: sheet.Whole}, {Name: "at"}, {Name: "person"}, {Name: "way"}, {Name: "address"},
	{Name: "request"}, {Name: "operation"}, {Name: "about"}, {Name: "outcome"}}

func (s *server) ExportAudit(ctx context.Context, r contract.ExportAuditRequestObject) (contract.ExportAuditResponseObject, error) {
	ask, err := auditAsk(r.Params.Person, r.Params.Operation, r.Params.Before, exportedRows)
	if err != nil {
		return nil, err
	}
	body, err := sheet.NewStream(auditColumns, func() (rows [][]string, err error) {
		list, err := s.Audit.Audit(ctx, ask)
		for _, e := range list {
			rows = append(rows, []string{strconv.FormatInt(e.ID, 10), e.At.UTC().Format(time.RFC3339Nano), e.Person, e.Way, e.Address, e.Request, e.Operation,
				e.About, e.Outcome})
			ask.Before = e.ID
		}
		return rows, err
	})
	return contract.ExportAudit200TextcsvResponse{Body: body}, err
}
