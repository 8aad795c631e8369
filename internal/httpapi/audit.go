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
	"oskel/internal/httpapi/contract"
	"oskel/internal/people"
	"oskel/internal/sheet"
	"oskel/internal/store"
)

// audited are the operations that the audit keeps, in words. Work on cases has a
// trail of its own, and drafts are nobody else's business.
var audited = map[string]string{
	"SignIn": "signed in", "UseWord": "chose a password with a one-time word", "SignOut": "signed out",
	"CreateToken": "made a token", "RevokeToken": "made a token void", "DeleteToken": "signed out of a token",
	"ChangePassword": "changed their password", "MakeWord": "gave a one-time word",
	"CreatePerson": "added an account", "ChangePerson": "changed an account", "ClosePerson": "closed an account",
	"PublishRevision": "published", "RestoreRevision": "published an earlier revision", "TurnDial": "turned a dial", "RestyleGrade": "restyled a grade",
	"CreateIntake": "loaded a file", "TakeBackIntake": "took an intake back", "CreateSweep": "swept", "ClosePeriod": "closed a period", "ReopenPeriod": "opened a closed period", "ConfirmClock": "said that the clock is right",
	"ExportTable": "exported figures", "ExportExceptions": "exported exceptions", "ExportExceptionFile": "exported exceptions", "ExportAudit": "exported the audit", "ExportReport": "exported a report", "GetCaseFile": "fetched a file of a case", "MakeBackup": "made a backup", "CreateAbsence": "noted an absence", "DropAbsence": "took an absence back", "Restore": "restored a backup",
}

// audit keeps what is done, with what did it: the transaction that does the work
// writes the entry. What has no transaction, or was refused, is written after it.
func (s *server) audit(next contract.StrictHandlerFunc, operation string) contract.StrictHandlerFunc {
	if _, kept := audited[operation]; !kept {
		return next
	}
	return func(c *gin.Context, request any) (any, error) {
		entry := &store.Audited{AuditEntry: store.AuditEntry{Person: whoAsks(c).Name, Way: "session", Address: c.ClientIP(), Request: requestOf(c), Operation: operation, About: about(request)}}
		if k := tokenOf(c); k != nil {
			entry.Way = k.Title
		}
		if name := nameGiven(request); name != "" {
			entry.Person, entry.Way = name, "password"
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

// nameGiven is the name with which somebody signs in.
func nameGiven(request any) string {
	switch r := request.(type) {
	case contract.SignInRequestObject:
		return r.Body.Name
	case contract.UseWordRequestObject:
		return r.Body.Name
	case contract.CreateTokenRequestObject:
		return r.Body.Name
	}
	return ""
}

// about says what an operation is done to.
func about(request any) string {
	switch r := request.(type) {
	case contract.CreateTokenRequestObject:
		return fmt.Sprintf("%s, %s, %d days", or(r.Body.Title, "command line"), or(r.Body.Scope, people.Everything), or(r.Body.Days, 90))
	case contract.RevokeTokenRequestObject:
		return strconv.FormatInt(r.Id, 10)
	case contract.MakeWordRequestObject:
		return r.Name
	case contract.CreatePersonRequestObject:
		return r.Body.Name + ", " + string(r.Body.Role)
	case contract.ChangePersonRequestObject:
		return r.Name + ", " + string(r.Body.Role) + ", " + strings.Join(r.Body.Desks, " ")
	case contract.ClosePersonRequestObject:
		return r.Name
	case contract.PublishRevisionRequestObject:
		return r.Body.Note
	case contract.RestoreRevisionRequestObject:
		return fmt.Sprintf("%d, %s", r.Number, r.Body.Note)
	case contract.ClosePeriodRequestObject:
		about := strings.TrimSuffix(r.Body.Period+", "+or(r.Body.Note, ""), ", ")
		if or(r.Body.SignOff, false) {
			about += ", signed off"
		}
		return about
	case contract.ReopenPeriodRequestObject:
		return r.Body.Period + ", " + r.Body.Reason
	case contract.TurnDialRequestObject:
		return r.Name + " to " + r.Body.Value
	case contract.RestyleGradeRequestObject:
		return r.Name
	case contract.CreateIntakeRequestObject:
		what := string(r.Params.Into) + " " + r.Params.Name
		if r.Params.File != nil {
			what += ", " + *r.Params.File
		}
		if or(r.Params.Trial, false) {
			what += ", tried"
		}
		return what
	case contract.TakeBackIntakeRequestObject:
		return strconv.FormatInt(r.Id, 10)
	case contract.CreateSweepRequestObject:
		return r.Body.Period
	case contract.ExportTableRequestObject:
		return r.Params.Measures + ", " + r.Params.Period
	case contract.ExportExceptionsRequestObject:
		return r.Params.Period
	case contract.ExportExceptionFileRequestObject:
		return parametersOf(r.Params)
	case contract.ExportReportRequestObject:
		return parametersOf(r.Params)
	case contract.ExportAuditRequestObject:
		return parametersOf(r.Params)
	case contract.GetCaseFileRequestObject:
		return fmt.Sprintf("case %d, file %d", r.Id, r.File)
	case contract.CreateAbsenceRequestObject:
		return strings.TrimPrefix(fmt.Sprintf("%s, %s to %s", or(r.Body.Person, ""), r.Body.First.Format("2006-01-02"), r.Body.Last.Format("2006-01-02")), ", ")
	case contract.DropAbsenceRequestObject:
		return strconv.FormatInt(r.Id, 10)
	}
	return ""
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
	ask := store.AuditAsk{Person: or(person, ""), Operation: or(operation, ""), Before: or(before, 0), Most: most}
	if _, kept := audited[ask.Operation]; ask.Operation != "" && !kept {
		return ask, fail(http.StatusBadRequest, "unknown-filter", "The audit keeps no operation %q%s.", ask.Operation, lang.Suggestion(ask.Operation, slices.Sorted(maps.Keys(audited))))
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
		out.Entries = append(out.Entries, contract.AuditEntry{Id: e.ID, At: e.At, Person: e.Person, Way: e.Way, Address: e.Address, Request: e.Request, Operation: e.Operation, Words: audited[e.Operation], About: e.About, Outcome: e.Outcome})
	}
	for name, words := range audited {
		out.Operations = append(out.Operations, contract.Named{Name: name, Title: words})
	}
	slices.SortFunc(out.Operations, func(a, b contract.Named) int { return strings.Compare(a.Title, b.Title) })
	return out, nil
}

var auditColumns = []sheet.Column{{Name: "id", Kind: sheet.Whole}, {Name: "at"}, {Name: "person"}, {Name: "way"}, {Name: "address"}, {Name: "request"}, {Name: "operation"}, {Name: "about"}, {Name: "outcome"}}

func (s *server) ExportAudit(ctx context.Context, r contract.ExportAuditRequestObject) (contract.ExportAuditResponseObject, error) {
	ask, err := auditAsk(r.Params.Person, r.Params.Operation, r.Params.Before, exportedRows)
	if err != nil {
		return nil, err
	}
	body, err := sheet.NewStream(auditColumns, func() (rows [][]string, err error) {
		list, err := s.Audit.Audit(ctx, ask)
		for _, e := range list {
			rows = append(rows, []string{strconv.FormatInt(e.ID, 10), e.At.UTC().Format(time.RFC3339Nano), e.Person, e.Way, e.Address, e.Request, e.Operation, e.About, e.Outcome})
			ask.Before = e.ID
		}
		return rows, err
	})
	return contract.ExportAudit200TextcsvResponse{Body: body}, err
}
