package httpapi

import (
	"context"

	openapi_types "github.com/oapi-codegen/runtime/types"

	"oskel/core/calendar"
	"oskel/internal/httpapi/contract"
	"oskel/internal/store"
)

func absenceOut(a store.Absence) contract.Absence {
	return contract.Absence{Id: a.ID, Person: a.Person, First: openapi_types.Date{Time: a.First.Time()}, Last: openapi_types.Date{Time: a.Last.Time()},
		StandIn: optional(a.StandIn), By: a.Author}
}

func (s *server) ListAbsences(ctx context.Context, _ contract.ListAbsencesRequestObject) (contract.ListAbsencesResponseObject, error) {
	all, err := s.Review.Absences(ctx, s.calendar(ctx).Today(s.Now()))
	out := contract.ListAbsences200JSONResponse{}
	for _, a := range all {
		out = append(out, absenceOut(a))
	}
	return out, err
}

func (s *server) CreateAbsence(ctx context.Context, r contract.CreateAbsenceRequestObject) (contract.CreateAbsenceResponseObject, error) {
	day := func(d openapi_types.Date) calendar.Day { return calendar.Date(d.Year(), d.Month(), d.Day()) }
	me := whoAsks(ctx)
	a := store.Absence{Person: or(r.Body.Person, me.Name), First: day(r.Body.First), Last: day(r.Body.Last), StandIn: or(r.Body.StandIn, "")}
	if err := s.Review.Away(ctx, &a, me); err != nil {
		return nil, err
	}
	return contract.CreateAbsence201JSONResponse(absenceOut(a)), nil
}

func (s *server) DeleteAbsence(ctx context.Context, r contract.DeleteAbsenceRequestObject) (contract.DeleteAbsenceResponseObject, error) {
	if err := s.Review.DeleteAbsence(ctx, r.Id, whoAsks(ctx)); err != nil {
		return nil, orNotFound(err, "absence %d of yours", r.Id)
	}
	return contract.DeleteAbsence204Response{}, nil
}
