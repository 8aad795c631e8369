package httpapi

import (
	"context"
	"slices"
	"strconv"

	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
	"oskel/internal/store"
	"oskel/internal/sweep"
)

func (s *server) GetExceptionGrid(ctx context.Context, r contract.GetExceptionGridRequestObject) (contract.GetExceptionGridResponseObject, error) {
	p := r.Params
	key, err := s.keyParam(ctx, p.Period)
	if err != nil {
		return nil, err
	}
	out := contract.GetExceptionGrid200JSONResponse{Periods: []contract.PeriodName{}, Rows: []contract.ExceptionGridRow{}}
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return out, ignoreNotFound(err)
	}
	f := store.ExceptionFilter{Period: key, Rule: or(p.Rule, ""), Kind: or(p.Kind, ""), Desk: or(p.Desk, ""), Text: or(p.Text, ""), Limit: or(p.Limit, 100)}
	if f.Offset, err = offsetOf(p.Cursor); err != nil {
		return nil, err
	}
	g, err := s.Sweep.Grid(ctx, book, f)
	if err != nil {
		return nil, err
	}
	out.Periods, out.Total = periodNames(book, g.Last), g.Total
	for _, row := range g.Rows {
		to := contract.ExceptionGridRow{Kind: row.Kind, Key: row.Key, Name: row.Name, Cells: []contract.ExceptionGridCell{}}
		for _, flags := range row.Cells {
			to.Cells = append(to.Cells, gridCell(flags))
		}
		out.Rows = append(out.Rows, to)
	}
	if next := f.Offset + len(g.Rows); next < g.Total && len(g.Rows) > 0 {
		out.Next = ptr(strconv.Itoa(next))
	}
	return out, nil
}

// gridCell is what flags a subject in a period, the most serious first.
func gridCell(flags []store.GridFlag) contract.ExceptionGridCell {
	cell := contract.ExceptionGridCell{Flags: len(flags), Rules: []string{}}
	for i, f := range flags {
		if i == 0 {
			cell.Grade = f.Grade
		}
		if !slices.Contains(cell.Rules, f.Rule) {
			cell.Rules = append(cell.Rules, f.Rule)
		}
	}
	return cell
}

func periodNames(book *rulebook.Book, l sweep.Last) []contract.PeriodName {
	out := []contract.PeriodName{}
	for i, p := range l.Periods {
		out = append(out, contract.PeriodName{Period: book.Calendar.String(p), Label: book.Calendar.Words(p), Swept: l.Swept[i]})
	}
	return out
}

func (s *server) GetExceptionTrend(ctx context.Context, r contract.GetExceptionTrendRequestObject) (contract.GetExceptionTrendResponseObject, error) {
	key, err := s.keyParam(ctx, r.Params.Period)
	if err != nil {
		return nil, err
	}
	out := contract.GetExceptionTrend200JSONResponse{Periods: []contract.PeriodName{}, Rows: []contract.TrendRow{}, Raised: []int{}, Standing: []int{},
		Cleared: []int{}}
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return out, ignoreNotFound(err)
	}
	t, err := s.Sweep.Trend(ctx, book, key, string(or(r.Params.By, "rule")))
	if err != nil || len(t.Periods) == 0 {
		return out, err
	}
	out.Periods, out.Raised, out.Standing, out.Cleared = periodNames(book, t.Last), t.Raised, t.Standing, t.Cleared
	for _, row := range t.Rows {
		out.Rows = append(out.Rows, contract.TrendRow{Name: row.Name, Title: row.Title, Flagged: row.Flagged})
	}
	return out, nil
}
