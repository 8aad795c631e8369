package httpapi

import (
	"context"

	openapi_types "github.com/oapi-codegen/runtime/types"

	"oskel/internal/httpapi/contract"
)

func (s *server) ListPeaces(ctx context.Context, _ contract.ListPeacesRequestObject) (contract.ListPeacesResponseObject, error) {
	book, c, err := s.bookOrNone(ctx)
	if err != nil {
		return nil, err
	}
	all, err := s.Review.Peaces(ctx, c.Today(s.Now()))
	out := contract.ListPeaces200JSONResponse{}
	for _, p := range all {
		one := contract.Peace{Id: p.ID, Case: p.Case, Kind: p.Kind, Key: p.Key, Name: p.Name, Rule: optional(p.Rule), Until: openapi_types.Date{Time: p.Until.Time()}, Worse: p.Worse, By: p.Author, At: p.At}
		if rule := book.Rule(p.Rule); rule != nil {
			one.RuleTitle = &rule.Title
		}
		out = append(out, one)
	}
	return out, err
}

func (s *server) EndPeace(ctx context.Context, r contract.EndPeaceRequestObject) (contract.EndPeaceResponseObject, error) {
	if err := s.Review.EndPeace(ctx, r.Id, whoAsks(ctx)); err != nil {
		return nil, missing(err, "peace %d that holds", r.Id)
	}
	return contract.EndPeace204Response{}, nil
}
