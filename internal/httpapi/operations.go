package httpapi

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"oskel/core/casework"
	"oskel/core/words"
	"oskel/internal/httpapi/contract"
	"oskel/internal/people"
)

// operation is all that the service decides about one operation of the contract before
// its handler runs. Work on cases depends on the desk too, which review decides.
type operation struct {
	roles []string // who may do it; nil is for those who have not signed in yet
	scope string   // the narrowest scope of a token that may do it
	work  work
	body  body
	quick bool // it takes the connections that loads and sweeps leave alone

	audit string                   // what the audit log calls it; "" does not stand there
	about func(any) string         // what it is done to, for the audit log; nil says nothing
	name  func(request any) string // with which someone signs in; nil where they have
}

// work is how much an operation takes on.
type work int

const (
	light    work = iota
	computes      // waits for a place among what computes
	writes        // writes a file: holds a place until all of it is written
	loads         // reads a file: refused while memory is short
)

// body is what a request brings, which bounds its size.
type body int

const (
	small      body = iota // a few values
	rulebookIn             // a rulebook among them
	upload                 // a file of lines: goes to disk as it comes
	caseFile               // a file of a case
)

// largest is how many bytes a body may have.
func (b body) largest() int64 {
	return map[body]int64{small: 64 << 10, rulebookIn: largestBook, upload: 8 << 30, caseFile: casework.LargestFile}[b]
}

// largestBook is how many bytes a body with a rulebook may have.
const largestBook = 8 << 20

// isFile says whether a body is a file and not JSON.
func (b body) isFile() bool { return b == upload || b == caseFile }

var (
	writers  = []string{people.Analyst, people.Lead}
	leads    = []string{people.Lead}
	everyone = []string{people.Analyst, people.Reviewer, people.Lead}
)

// on says what a request of one type is about.
func on[R any](say func(R) string) func(any) string {
	return func(request any) string {
		if r, ok := request.(R); ok {
			return say(r)
		}
		return ""
	}
}

// reads is an operation that everyone may do, with a token that reads.
func reads(w work) operation { return operation{roles: everyone, scope: people.Read, work: w} }

// tries is such an operation that brings a rulebook and changes nothing.
func tries(w work) operation {
	return operation{roles: everyone, scope: people.Read, work: w, body: rulebookIn}
}

// exports is one that writes a file.
func exports(audit string, about func(any) string) operation {
	return operation{roles: everyone, scope: people.Read, work: writes, audit: audit, about: about}
}

// reviews is one that works on cases.
func reviews(w work) operation { return operation{roles: everyone, scope: people.Review, work: w} }

// deskwork is one that works on cases and waits for nobody's sweep.
func deskwork() operation { return operation{roles: everyone, scope: people.Review, quick: true} }

// changes is one that changes what all see.
func changes(roles []string, audit string, about func(any) string) operation {
	return operation{roles: roles, scope: people.Everything, audit: audit, about: about}
}

// with changes a row where it differs from those of its manner.
func (o operation) with(change func(*operation)) operation {
	change(&o)
	return o
}

func inQuick(o *operation)      { o.quick = true }
func inBook(o *operation)       { o.body = rulebookIn }
func inUpload(o *operation)     { o.body, o.work = upload, loads }
func inAttachment(o *operation) { o.body = caseFile }
func inComputing(o *operation)  { o.work = computes }
func inLoading(o *operation)    { o.work = loads }
func inWriting(o *operation)    { o.work = writes }
func withAnyToken(o *operation) { o.scope = people.Read }

func number(id int64) string { return strconv.FormatInt(id, 10) }

// operations has a row for each operation of the contract; one without a row is closed.
var operations = map[string]operation{
	// Accounts.
	"SignIn":             {audit: "signed in", name: on(func(r contract.SignInRequestObject) string { return r.Body.Name })},
	"UseOneTimePassword": {audit: "used a one-time password", name: on(func(r contract.UseOneTimePasswordRequestObject) string { return r.Body.Name })},
	"CreateToken": {audit: "created a token", name: on(func(r contract.CreateTokenRequestObject) string { return r.Body.Name }),
		about: on(func(r contract.CreateTokenRequestObject) string {
			return fmt.Sprintf("%s, %s, %d days", or(r.Body.Title, "command line"), or(r.Body.Scope, people.Everything), or(r.Body.Days, 90))
		})},
	"GetSession":     reads(light).with(inQuick),
	"SignOut":        changes(everyone, "signed out", nil).with(withAnyToken).with(inQuick),
	"ChangePassword": changes(everyone, "changed their password", nil),
	"ListTokens":     reads(light),
	"DeleteToken":    changes(everyone, "ended a token", nil).with(withAnyToken),
	"RevokeToken":    changes(everyone, "revoked a token", on(func(r contract.RevokeTokenRequestObject) string { return number(r.Id) })),
	"ListPeople":     reads(light),
	"CreatePerson": changes(leads, "added an account",
		on(func(r contract.CreatePersonRequestObject) string { return r.Body.Name + ", " + string(r.Body.Role) })),
	"ChangePerson": changes(leads, "changed an account", on(func(r contract.ChangePersonRequestObject) string {
		return r.Name + ", " + string(r.Body.Role) + ", " + strings.Join(r.Body.Desks, " ")
	})),
	"ClosePerson":   changes(leads, "closed an account", on(func(r contract.ClosePersonRequestObject) string { return r.Name })),
	"ResetPassword": changes(leads, "reset a password", on(func(r contract.ResetPasswordRequestObject) string { return r.Name })),
	"ListAbsences":  reads(light),
	"CreateAbsence": reviews(light).with(func(o *operation) {
		o.audit = "added an absence"
		o.about = on(func(r contract.CreateAbsenceRequestObject) string {
			return strings.TrimPrefix(fmt.Sprintf("%s, %s to %s", or(r.Body.Person, ""), r.Body.First.Format("2006-01-02"), r.Body.Last.Format("2006-01-02")), ", ")
		})
	}),
	"DeleteAbsence": reviews(light).with(func(o *operation) {
		o.audit, o.about = "deleted an absence", on(func(r contract.DeleteAbsenceRequestObject) string { return number(r.Id) })
	}),

	// The service.
	"ListAudit": changes(leads, "", nil).with(withAnyToken),
	"ExportAudit": exports("exported the audit log",
		on(func(r contract.ExportAuditRequestObject) string { return parametersOf(r.Params) })).with(func(o *operation) { o.roles = leads }),
	"GetDoctor":    changes(leads, "", nil).with(withAnyToken).with(inComputing),
	"MakeBackup":   changes(leads, "made a backup", nil).with(inWriting),
	"GetClock":     reads(light),
	"ConfirmClock": changes(leads, "confirmed the clock", nil),
	"ListChanges":  reads(light),

	// The rulebook.
	"GetRulebook":     reads(light).with(inQuick),
	"CheckRulebook":   tries(computes),
	"CompareRulebook": tries(computes),
	"PlaceRule":       tries(light),
	"OrderRules":      tries(light),
	"PlaceDial":       tries(light),
	"ListUses":        reads(light),
	"GetDraft":        reads(light),
	"PutDraft":        changes(writers, "", nil).with(inBook),
	"DeleteDraft":     changes(writers, "", nil),
	"ListRevisions":   reads(light),
	"GetRevision":     reads(light),
	"PublishRevision": changes(writers, "published",
		on(func(r contract.PublishRevisionRequestObject) string { return r.Body.Note })).with(inBook).with(inComputing),
	"RestoreRevision": changes(writers, "restored a revision", on(func(r contract.RestoreRevisionRequestObject) string {
		return fmt.Sprintf("%d, %s", r.Number, r.Body.Note)
	})).with(inComputing),
	"ListDials":   reads(light),
	"ChangeDial":  changes(writers, "changed a dial", on(func(r contract.ChangeDialRequestObject) string { return r.Name + " to " + r.Body.Value })),
	"ChangeGrade": changes(writers, "changed a grade", on(func(r contract.ChangeGradeRequestObject) string { return r.Name })),
	"ListRules":   reads(light),
	"ListMethods": reads(light),
	"ListKeys":    reads(light),

	// Rehearsals.
	"Rehearse":        tries(computes),
	"RehearseBook":    tries(computes),
	"RehearseRouting": tries(computes),
	"SolveDial":       tries(computes),
	"ListSuggestions": reads(computes),
	"GetRanking":      reads(computes),
	"ListVerdicts":    reads(computes),

	// Data.
	"ListIntakes": reads(light),
	"CreateIntake": changes(writers, "loaded a file", on(func(r contract.CreateIntakeRequestObject) string {
		what := string(r.Params.Into) + " " + r.Params.Name
		if r.Params.File != nil {
			what += ", " + *r.Params.File
		}
		if or(r.Params.DryRun, false) {
			what += ", dry run"
		}
		return what
	})).with(inUpload),
	"RevertIntake":   changes(writers, "reverted an intake", on(func(r contract.RevertIntakeRequestObject) string { return number(r.Id) })).with(inLoading),
	"GetRegister":    reads(light),
	"GetSubject":     reads(computes),
	"GetTargets":     reads(light),
	"ListDataIssues": reads(light),
	"CloseDataIssue": reviews(light),

	// Figures.
	"ListMeasures": reads(light),
	"GetTable":     reads(computes),
	"ExportTable":  exports("exported figures", on(func(r contract.ExportTableRequestObject) string { return r.Params.Measures + ", " + r.Params.Period })),
	"ExportTableFile": exports("exported figures", on(func(r contract.ExportTableFileRequestObject) string {
		return r.Params.Measures + ", " + r.Params.Period + ", " + string(r.Form)
	})),
	"GetBreakdown": reads(computes),
	"GetVariance":  reads(computes),

	// Periods and sweeps.
	"GetCalendar": reads(light),
	"GetSchedule": reads(light),
	"ListPeriods": reads(light),
	"ListSweeps":  reads(light),
	"CreateSweep": changes(writers, "swept", on(func(r contract.CreateSweepRequestObject) string { return r.Body.Period })).with(inComputing),
	"ClosePeriod": changes(leads, "closed a period", on(func(r contract.ClosePeriodRequestObject) string {
		about := strings.TrimSuffix(r.Body.Period+", "+or(r.Body.Note, ""), ", ")
		if or(r.Body.SignOff, false) {
			about += ", signed off"
		}
		return about
	})),
	"ReopenPeriod":    changes(leads, "reopened a period", on(func(r contract.ReopenPeriodRequestObject) string { return r.Body.Period + ", " + r.Body.Reason })),
	"GetVerification": reads(computes),

	// Exceptions.
	"GetOverview":         reads(light),
	"ListExceptions":      reads(light),
	"GetException":        reads(computes),
	"GetExceptionGrid":    reads(computes),
	"GetExceptionTrend":   reads(computes),
	"ExportExceptions":    exports("exported exceptions", on(func(r contract.ExportExceptionsRequestObject) string { return r.Params.Period })),
	"ExportExceptionFile": exports("exported exceptions", on(func(r contract.ExportExceptionFileRequestObject) string { return parametersOf(r.Params) })),
	"OpenCases":           reviews(computes),
	"ListViews":           reads(light),
	"GetView":             reads(light),
	"SaveView":            reviews(light),
	"DeleteView":          reviews(light),

	// Cases.
	"ListCases":         reads(light).with(inQuick),
	"GetCase":           reads(light).with(inQuick),
	"ListCaseHistories": reads(computes),
	"SettleCleared":     reviews(light),
	"ActOnCases":        deskwork(),
	"UndoOnCases":       deskwork(),
	"AddCaseFile":       reviews(light).with(inAttachment),
	"GetCaseFile": reads(light).with(func(o *operation) {
		o.audit = "downloaded a file of a case"
		o.about = on(func(r contract.GetCaseFileRequestObject) string { return fmt.Sprintf("case %d, file %d", r.Id, r.File) })
	}),
	"RemoveCaseFile":        reviews(light),
	"AddTodo":               reviews(light),
	"ListTodos":             reads(light),
	"UpdateTodo":            reviews(light),
	"RemoveTodo":            reviews(light),
	"ListNotifications":     reads(light),
	"MarkNotificationsRead": reviews(light),
	"ListSnoozes":           reads(light),
	"EndSnooze":             reviews(computes),

	// Reports.
	"ListOutcomes": reads(light),
	"GetBacklog":   reads(light),
	"ExportReport": exports("exported a report", on(func(r contract.ExportReportRequestObject) string { return parametersOf(r.Params) })),

	// Feeds for programs that subscribe.
	"GetCalendarFeed":  reads(light),
	"GetExceptionFeed": reads(computes),
}

// rights are what roles may do beside operations: on work of others, and on desks.
var rights = map[string][]string{
	"workOnAnyDesk": leads,
	"review":        {people.Reviewer, people.Lead},
	"changeOthers":  leads,   // files, to-dos, views and absences of others
	"openAnyCase":   writers, // for exceptions of any desk, as its members may for theirs
	"closeAnyIssue": writers, // as the owners of its feeds may
}

// mayDo lists the operations and rights of a role, sorted, by the names of the contract.
func mayDo(role string) (out []string) {
	for name, o := range operations {
		if slices.Contains(o.roles, role) {
			out = append(out, words.LowerFirst(name))
		}
	}
	for name, roles := range rights {
		if slices.Contains(roles, role) {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// auditWords is what the audit log calls an operation; "" where it keeps none such.
// A restored backup is no call: the command line does it.
func auditWords(name string) string {
	if name == "Restore" {
		return "restored a backup"
	}
	name, _ = words.Now("operation", name) // entries of old bear the name of then
	return operations[name].audit
}

// auditedNames are the operations that stand in the audit log, sorted.
func auditedNames() []string {
	out := []string{"Restore"}
	for name, o := range operations {
		if o.audit != "" {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}
