package httpapi

import (
	"context"

	"oskel/core/calendar"
	"oskel/internal/httpapi/contract"
	"oskel/internal/intake"
	"oskel/internal/store"
)

func intakeOut(in store.Intake) contract.Intake {
	out := contract.Intake{Id: in.ID, Into: in.Into, Name: in.Name, Mode: in.Mode, Period: in.Period, File: in.File, Rows: in.Lines, Months: []string{}, Totals: in.Totals, By: in.Author, At: in.At, TakenBackBy: in.TakenBackBy}
	for _, m := range in.Months {
		out.Months = append(out.Months, calendar.Month(m).String())
	}
	return out
}

func (s *server) ListIntakes(ctx context.Context, _ contract.ListIntakesRequestObject) (contract.ListIntakesResponseObject, error) {
	all, err := s.Store.Intakes(ctx)
	if err != nil {
		return nil, err
	}
	out := contract.ListIntakes200JSONResponse{}
	for _, in := range all {
		out = append(out, intakeOut(in))
	}
	return out, nil
}

func (s *server) CreateIntake(ctx context.Context, r contract.CreateIntakeRequestObject) (contract.CreateIntakeResponseObject, error) {
	request := intake.Request{Into: string(r.Params.Into), Name: r.Params.Name, File: "the file", Author: whoAsks(ctx).Name, Body: r.Body}
	if r.Params.File != nil {
		request.File = *r.Params.File
	}
	if r.Params.Replace != nil {
		request.Replace = *r.Params.Replace
	}
	if r.Params.Correct != nil {
		request.Correct = *r.Params.Correct
	}
	in, err := s.Intake.Load(ctx, request)
	if err != nil {
		return nil, err
	}
	return contract.CreateIntake201JSONResponse(intakeOut(in)), nil
}

func (s *server) TakeBackIntake(ctx context.Context, r contract.TakeBackIntakeRequestObject) (contract.TakeBackIntakeResponseObject, error) {
	in, err := s.Intake.TakeBack(ctx, r.Id, whoAsks(ctx).Name)
	if err != nil {
		return nil, err
	}
	return contract.TakeBackIntake200JSONResponse(intakeOut(in)), nil
}
