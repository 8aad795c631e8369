package httpapi

import (
	"context"
	"slices"

	openapi_types "github.com/oapi-codegen/runtime/types"

	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
	"oskel/internal/people"
	"oskel/internal/review"
	"oskel/internal/store"
)

func (s *server) ListSnoozes(ctx context.Context, _ contract.ListSnoozesRequestObject) (contract.ListSnoozesResponseObject, error) {
	book, c, err := s.bookOrNone(ctx)
	if err != nil {
		return nil, err
	}
	all, err := s.Review.Snoozes(ctx, c.Today(s.Now()))
	out := contract.ListSnoozes200JSONResponse{}
	for _, p := range all {
		one := contract.Snooze{Id: p.ID, Case: p.Case, Kind: p.Kind, Key: p.Key, Name: p.Name, Rule: optional(p.Rule),
			Until: openapi_types.Date{Time: p.Until.Time()}, Worse: p.Worse, By: p.Author, At: p.At}
		if rule := book.Rule(p.Rule); rule != nil {
			one.RuleTitle = &rule.Title
		}
		out = append(out, one)
	}
	return out, err
}

func (s *server) EndSnooze(ctx context.Context, r contract.EndSnoozeRequestObject) (contract.EndSnoozeResponseObject, error) {
	me := whoAsks(ctx)
	cases, err := s.Sweep.ToDesks(ctx, me.Name, func(tx *store.Tx, book *rulebook.Book) ([]store.Exception, error) {
		all, err := review.EndSnooze(ctx, tx, r.Id, me)
		return slices.DeleteFunc(all, func(e store.Exception) bool {
			rule := book.Rule(e.Rule)
			return rule == nil || rule.NoCase || book.Desk(e.Desk) == nil
		}), err
	})
	if err != nil {
		return nil, orNotFound(err, "snooze %d that holds", r.Id)
	}
	out, err := s.casesOut(ctx, cases)
	return contract.EndSnooze200JSONResponse(out), err
}

func (s *server) OpenCases(ctx context.Context, r contract.OpenCasesRequestObject) (contract.OpenCasesResponseObject, error) {
	me := whoAsks(ctx)
	cases, err := s.Sweep.TakeToDesks(ctx, r.Body.Exceptions, me.Name, func(desk string) bool {
		return me.Role == people.Analyst || review.MayAct(me, desk)
	})
	if err != nil {
		return nil, err
	}
	out, err := s.casesOut(ctx, cases)
	return contract.OpenCases200JSONResponse(out), err
}
