package httpapi

import (
	"context"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"

	openapi_types "github.com/oapi-codegen/runtime/types"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/casework"
	"oskel/core/rulebook"
	"oskel/core/words"
	"oskel/internal/httpapi/contract"
	"oskel/internal/people"
	"oskel/internal/review"
	"oskel/internal/store"
)

func (s *server) caseOut(c store.Case, today calendar.Day) contract.Case {
	var apart *[]contract.FlagFinding
	for _, flag := range slices.Sorted(maps.Keys(c.FlagFindings)) {
		apart = ptr(append(or(apart, nil), contract.FlagFinding{Exception: flag, Finding: contract.FlagFindingFinding(c.FlagFindings[flag])}))
	}
	return contract.Case{Id: c.ID, Kind: c.Kind, Key: c.Key, Name: c.Name, Desk: c.Desk, State: contract.CaseState(c.State), Grade: c.Grade,
		Due:  openapi_types.Date{Time: c.Due.Time()},
		Late: (c.State == casework.Open || c.State == casework.Taken) && c.Due < today, OpenedAt: c.OpenedAt, TakenBy: optional(c.Holder),
		Finding: optional(c.Finding), SettledBy: optional(c.SettledBy), SettledAt: c.SettledAt, Items: c.Items, Cleared: c.Cleared, Sentence: c.Sentence,
		Version: c.Version, Stake: c.Stake,
		Asked: optional(c.Asked), ParkedTo: dayOut(c.ParkedTo), ParkedFor: optional(c.ParkedFor), FlagFindings: apart, Reason: optional(c.Reason),
		Recovered: amountOut(c.Recovered), WrittenOff: amountOut(c.WrittenOff)}
}

// amountOut is an amount as it is written, nil where there is none.
func amountOut(a *amount.Amount) *string {
	if a == nil {
		return nil
	}
	return ptr(a.String())
}

func (s *server) ListCases(ctx context.Context, r contract.ListCasesRequestObject) (contract.ListCasesResponseObject, error) {
	f := store.CaseFilter{State: string(or(r.Params.State, "unsettled")), Sort: string(or(r.Params.Sort, "due")), Descending: or(r.Params.Descending, false)}
	if or(r.Params.Mine, false) {
		if p := whoAsks(ctx); p.Role != people.Lead || len(p.Desks) > 0 {
			f.Desks = append([]string{}, p.Desks...)
		}
	}
	if or(r.Params.Told, false) {
		p := whoAsks(ctx)
		f.Told, f.Desks = append([]string{p.Name}, p.Desks...), nil // of whatever desk
	}
	if or(r.Params.Held, false) {
		f.Holder = whoAsks(ctx).Name
	}
	if or(r.Params.Asked, false) {
		f.Asked, f.Desks = whoAsks(ctx).Name, nil // of whatever desk
	}
	book, c, err := s.bookOrNone(ctx)
	if err != nil {
		return nil, err
	}
	today := c.Today(s.Now())
	if or(r.Params.Stranded, false) {
		f.Stranded = &today
	}
	if r.Params.Desk != nil {
		desk, err := s.deskOf(ctx, *r.Params.Desk)
		if err != nil {
			return nil, err
		}
		f.Desks = []string{desk}
	}
	for _, by := range []struct {
		what  string
		asked *string
		known []rulebook.Named
		to    *string
	}{{"grade", r.Params.Grade, book.GradesNamed(), &f.Grade}, {"kind", r.Params.Kind, book.LevelsNamed(), &f.Kind},
		{"rule", r.Params.Rule, book.RulesNamed(), &f.Rule}} {
		if by.asked == nil || *by.asked == "" {
			continue
		}
		name, complaint := rulebook.Resolve(by.what, *by.asked, by.known)
		if complaint != "" {
			return nil, refusal(http.StatusBadRequest, "unknown-filter", "%s", complaint)
		}
		*by.to = name
	}
	f.Text, f.Group = strings.TrimSpace(or(r.Params.Text, "")), string(or(r.Params.Group, ""))
	if r.Params.Person != nil {
		f.Holder = *r.Params.Person
	}
	if or(r.Params.Late, false) {
		f.Late = &today
	}
	offset, err := offsetOf(r.Params.Cursor)
	if err != nil {
		return nil, err
	}
	f.Limit, f.Offset = or(r.Params.Limit, 100), offset
	if err := s.Review.Wake(ctx); err != nil {
		return nil, err
	}
	page, err := s.Review.Cases(ctx, f, today)
	if err != nil {
		return nil, err
	}
	out := contract.ListCases200JSONResponse{Items: []contract.Case{}, Total: page.Counts.All, Late: page.Counts.Late, Cleared: page.Counts.Cleared}
	for _, c := range page.Cases {
		out.Items = append(out.Items, s.caseOut(c, today))
	}
	if f.Group != "" {
		groups := []contract.CaseGroup{}
		for _, g := range page.Groups {
			groups = append(groups, contract.CaseGroup{Name: g.Name, Title: groupTitle(book, f.Group, g.Name), Cases: g.Cases, Late: g.Late})
		}
		out.Groups = &groups
	}
	if page.Next > 0 {
		out.Next = ptr(strconv.Itoa(page.Next))
	}
	return out, nil
}

// groupTitle is what a group of cases is called.
func groupTitle(book *rulebook.Book, by, name string) string {
	switch by {
	case "state":
		return words.UpperFirst(name)
	case "kind":
		for _, n := range book.LevelsNamed() {
			if n.Name == name {
				return n.Title
			}
		}
	}
	return words.UpperFirst(reportTitle(book, by, name))
}

// deskOf finds a desk by name or title.
func (s *server) deskOf(ctx context.Context, text string) (string, error) {
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return text, ignoreNotFound(err)
	}
	name, complaint := rulebook.Resolve("desk", text, book.DesksNamed())
	if complaint != "" {
		return "", refusal(http.StatusBadRequest, "unknown-filter", "%s", complaint)
	}
	return name, nil
}

func (s *server) SettleCleared(ctx context.Context, r contract.SettleClearedRequestObject) (contract.SettleClearedResponseObject, error) {
	desk := or(r.Body.Desk, "")
	if desk != "" {
		var err error
		if desk, err = s.deskOf(ctx, desk); err != nil {
			return nil, err
		}
	}
	settled, more, err := s.Review.SettleCleared(ctx, whoAsks(ctx), desk, s.Now())
	return contract.SettleCleared200JSONResponse{Settled: len(settled), Cases: append([]int64{}, settled...), More: more}, err
}

func (s *server) caseDetail(ctx context.Context, id int64) (contract.CaseDetail, error) {
	me := whoAsks(ctx)
	d, err := s.Review.Detail(ctx, id, me.Name)
	if err != nil {
		return contract.CaseDetail{}, err
	}
	book, err := s.Books.At(ctx, d.Newest.Revision)
	if err != nil {
		book = &rulebook.Book{}
	}
	out := contract.CaseDetail{Case: s.caseOut(d.Case, book.Calendar.Today(s.Now())), Exceptions: []contract.Exception{}, Events: []contract.CaseEvent{},
		Before: []contract.FoundBefore{}, Told: append([]string{}, d.Told...), MayAct: review.MayAct(me, d.Desk),
		MaySay: review.MaySay(d.Case, d.Named, me), Files: []contract.CaseFile{}, Todos: todosOut(d.Todos, book.Calendar.Today(s.Now()))}
	for _, f := range d.Files {
		out.Files = append(out.Files, fileOut(f))
	}
	stale, err := s.Sweep.StaleOf(ctx, d.Newest, d.Swept)
	if err != nil {
		return out, err
	}
	for _, e := range d.Exceptions {
		out.Exceptions = append(out.Exceptions, s.exceptionOut(e, book))
		if why := stale[e.Period]; why != "" && out.Stale == nil {
			out.Stale = ptr(keyWords(book.Calendar, e.Period) + ": " + why)
		}
	}
	for _, f := range d.Before {
		out.Before = append(out.Before, contract.FoundBefore{Case: f.Case, Desk: f.Desk, Finding: f.Finding, Reason: optional(f.Reason), By: f.By, At: f.At,
			Sentence: f.Sentence, Text: f.Text})
	}
	year, err := s.Review.YearFindings(ctx)
	if err != nil {
		return out, err
	}
	out.ByRule = foundByRule(book, d, year)
	for _, e := range d.Events {
		out.Events = append(out.Events, contract.CaseEvent{At: e.At, By: e.Author, What: contract.CaseEventWhat(e.What), Words: e.What.HistoryWords(),
			Text: e.What.Said(e.Text)})
	}
	return out, nil
}

// foundByRule is what came of other cases with the rules that flag one.
func foundByRule(book *rulebook.Book, d store.CaseDetail, year map[string][]store.RuleFinding) []contract.FoundByRule {
	out := []contract.FoundByRule{}
	rules := map[string]bool{}
	for _, e := range d.Exceptions {
		rules[e.Rule] = true
	}
	for _, rule := range slices.Sorted(maps.Keys(rules)) {
		one := contract.FoundByRule{Rule: rule, Title: reportTitle(book, "rule", rule), Findings: map[string]int{}}
		for _, f := range year[rule] {
			n := f.Cases
			if d.Finding == f.Finding {
				n-- // itself
			}
			if n > 0 {
				one.Findings[f.Finding] = n
			}
		}
		if len(one.Findings) > 0 {
			out = append(out, one)
		}
	}
	return out
}

func etag(version int) string { return strconv.Quote(strconv.Itoa(version)) }

func (s *server) GetCase(ctx context.Context, r contract.GetCaseRequestObject) (contract.GetCaseResponseObject, error) {
	if err := s.Review.Wake(ctx); err != nil {
		return nil, err
	}
	d, err := s.caseDetail(ctx, r.Id)
	if err != nil {
		return nil, orNotFound(err, "case %d", r.Id)
	}
	return contract.GetCase200JSONResponse{Body: d, Headers: contract.GetCase200ResponseHeaders{ETag: ptr(etag(d.Case.Version))}}, nil
}
