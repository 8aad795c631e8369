package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"strings"

	"oskel/internal/httpapi/contract"
	"oskel/internal/people"
	"oskel/internal/store"
)

func (s *server) ListViews(ctx context.Context, r contract.ListViewsRequestObject) (contract.ListViewsResponseObject, error) {
	all, err := s.Views.Views(ctx, string(or(r.Params.Of, "exceptions")), whoAsks(ctx).Name)
	if err != nil {
		return nil, err
	}
	out := contract.ListViews200JSONResponse{}
	for _, v := range all {
		one, err := viewOut(v)
		if err != nil {
			return nil, err
		}
		out = append(out, one)
	}
	return out, nil
}

func (s *server) GetView(ctx context.Context, r contract.GetViewRequestObject) (contract.GetViewResponseObject, error) {
	of := string(or(r.Params.Of, "exceptions"))
	v, err := s.Views.View(ctx, of, r.Id, whoAsks(ctx).Name)
	if err != nil {
		return nil, orNotFound(err, "%s %d", viewKind(of), r.Id)
	}
	out, err := viewOut(v)
	return contract.GetView200JSONResponse(out), err
}

// viewKind is what people call one of a list of views.
func viewKind(of string) string {
	switch of {
	case "tables":
		return "kept table"
	case "boards":
		return "board"
	}
	return "view"
}

func viewOut(v store.View) (contract.View, error) {
	out := contract.View{Id: v.ID, Of: contract.ViewOf(v.Of), Name: v.Name, Owner: v.Owner, Shared: v.Shared}
	switch v.Of {
	case "cases":
		return out, json.Unmarshal(v.Query, &out.Cases)
	case "tables":
		return out, json.Unmarshal(v.Query, &out.Table)
	case "boards":
		return out, json.Unmarshal(v.Query, &out.Board)
	}
	return out, json.Unmarshal(v.Query, &out.Query)
}

// keptOf is what a body keeps, checked against what it names.
func (s *server) keptOf(ctx context.Context, of string, b *contract.NewView) (any, error) {
	switch {
	case of == "cases":
		return or(b.Cases, contract.CaseQuery{}), nil
	case of == "tables" && b.Table != nil:
		return b.Table, s.checkTable(ctx, b.Table, or(b.Shared, false))
	case of == "boards" && b.Board != nil:
		return b.Board, s.checkBoard(ctx, b.Board, or(b.Shared, false))
	case of == "tables":
		return nil, refusal(http.StatusBadRequest, "invalid-request", "table: expected what the table shows.")
	case of == "boards":
		return nil, refusal(http.StatusBadRequest, "invalid-request", "board: expected what stands on the board.")
	}
	return or(b.Query, contract.ViewQuery{}), nil
}

// checkTable refuses a table that could not be asked for, and a shared one that others would
// see otherwise.
func (s *server) checkTable(ctx context.Context, q *contract.TableQuery, shared bool) error {
	if shared && or(q.Marks, contract.MarksFromRecorded) == contract.MarksFromDraft {
		return refusal(http.StatusUnprocessableEntity, "not-shared", "table: it is marked by your draft, which is yours alone; share it marked in another way.")
	}
	_, published, err := s.Books.Published(ctx)
	if err != nil {
		return err
	}
	p := contract.GetTableParams{
		Measures: q.Measures, By: q.By, Groups: q.Groups, Across: q.Across, Rows: q.Rows, Where: q.Where, Marks: q.Marks, Dials: q.Dials,
		Sort: q.Sort, Periods: q.Periods, Period: or(q.Period, "2026"), // any will do: which it is comes with the question
	}
	m, err := s.markingOf(ctx, p, published)
	if err != nil {
		return err
	}
	_, _, err = readAsk(m.book, p)
	return err
}

// checkBoard refuses a board of what is not there, and a shared one that others could not see.
func (s *server) checkBoard(ctx context.Context, b *contract.Board, shared bool) error {
	for i, p := range b.Parts {
		if (p.Table == nil) == (p.Trend == nil) {
			return refusal(http.StatusBadRequest, "invalid-request", "board: part %d is to name a table or a trend, one of the two.", i+1)
		}
		if p.Table == nil {
			continue
		}
		v, err := s.Views.View(ctx, "tables", *p.Table, whoAsks(ctx).Name)
		switch {
		case errors.Is(err, store.ErrNotFound):
			return refusal(http.StatusUnprocessableEntity, "unknown-table", "board: part %d: there is no kept table %d.", i+1, *p.Table)
		case err != nil:
			return err
		case shared && !v.Shared:
			return refusal(http.StatusUnprocessableEntity, "not-shared", "board: %s is yours alone; share it first, or do not share the board.", v.Name)
		}
	}
	return nil
}

func (s *server) SaveView(ctx context.Context, r contract.SaveViewRequestObject) (contract.SaveViewResponseObject, error) {
	name := strings.TrimSpace(r.Body.Name)
	of := string(or(r.Body.Of, "exceptions"))
	if name == "" {
		return nil, refusal(http.StatusBadRequest, "invalid-request", "name: expected a name for the %s.", viewKind(of))
	}
	kept, err := s.keptOf(ctx, of, r.Body)
	if err != nil {
		return nil, err
	}
	query, err := json.Marshal(kept)
	if err != nil {
		return nil, err
	}
	v := store.View{Of: of, Name: name, Owner: whoAsks(ctx).Name, Shared: or(r.Body.Shared, false), Query: query}
	if err := s.Views.SaveView(ctx, &v); err != nil {
		return nil, err
	}
	out, err := viewOut(v)
	return contract.SaveView200JSONResponse(out), err
}

func (s *server) DeleteView(ctx context.Context, r contract.DeleteViewRequestObject) (contract.DeleteViewResponseObject, error) {
	me := whoAsks(ctx)
	if err := s.Views.DeleteView(ctx, r.Id, me.Name, me.Role == people.Lead); err != nil {
		return nil, orNotFound(err, "view %d", r.Id)
	}
	return contract.DeleteView204Response{}, nil
}
