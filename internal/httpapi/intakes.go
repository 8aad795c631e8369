package httpapi

import (
	"context"

	"oskel/core/calendar"
	"oskel/internal/httpapi/contract"
	"oskel/internal/intake"
	"oskel/internal/store"
)

func intakeOut(in store.Intake) contract.Intake {
	out := contract.Intake{Id: in.ID, Into: in.Into, Name: in.Name, Mode: in.Mode, Period: in.Period, File: in.File, Rows: in.Lines, Months: []string{},
		Totals: in.Totals, By: in.Author, At: in.At, RevertedBy: in.RevertedBy}
	for _, m := range in.Months {
		out.Months = append(out.Months, calendar.Month(m).String())
	}
	return out
}

func (s *server) ListIntakes(ctx context.Context, _ contract.ListIntakesRequestObject) (contract.ListIntakesResponseObject, error) {
	all, err := s.Intake.All(ctx)
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
	request := intake.Request{Into: string(r.Params.Into), Name: r.Params.Name, File: "the file", Author: whoAsks(ctx).Name, Body: r.Body,
		Again: or(r.Params.AllowDuplicates, false), Sure: or(r.Params.AcceptWarnings, false)}
	if r.Params.File != nil {
		request.File = *r.Params.File
	}
	if r.Params.Replace != nil {
		request.Replace = *r.Params.Replace
	}
	if r.Params.Correct != nil {
		request.Correct = *r.Params.Correct
	}
	if or(r.Params.DryRun, false) {
		report, err := s.Intake.Try(ctx, request)
		return contract.CreateIntake200JSONResponse(reportOut(report)), err
	}
	in, err := s.Intake.Load(ctx, request)
	if err != nil {
		return nil, err
	}
	return contract.CreateIntake201JSONResponse(intakeOut(in)), nil
}

// shownSubjects is how many new subjects a report names.
const shownSubjects = 50

func reportOut(r intake.Report) contract.IntakeReport {
	out := contract.IntakeReport{Rows: r.Rows, Months: []contract.IntakeMonth{},
		Subjects: append([]string{}, r.Subjects[:min(len(r.Subjects), shownSubjects)]...), NewSubjects: ptr(len(r.Subjects))}
	for _, m := range r.Months {
		out.Months = append(out.Months, contract.IntakeMonth{Month: m.Month.String(), Rows: m.Rows, Before: m.Before, Totals: m.Sums, TotalsBefore: m.BeforeSums})
	}
	if len(r.Doubts) > 0 {
		out.Doubts = &r.Doubts
	}
	if r.Equal != nil {
		out.Equal, out.EqualWords = r.Equal.Lines, ptr(r.Equal.Error())
	}
	return out
}

func (s *server) RevertIntake(ctx context.Context, r contract.RevertIntakeRequestObject) (contract.RevertIntakeResponseObject, error) {
	in, err := s.Intake.TakeBack(ctx, r.Id, whoAsks(ctx).Name)
	if err != nil {
		return nil, err
	}
	return contract.RevertIntake200JSONResponse(intakeOut(in)), nil
}
