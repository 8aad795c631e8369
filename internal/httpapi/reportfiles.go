package httpapi

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"slices"
	"strconv"

	"oskel/internal/httpapi/contract"
	"oskel/internal/sheet"
)

// reportFile is a report as a file, which is small.
type reportFile struct {
	kind, name string
	body       []byte
}

// VisitExportReportResponse implements the contract's answer.
func (f reportFile) VisitExportReportResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", f.kind)
	w.Header().Set("Content-Disposition", "attachment; filename="+strconv.Quote(f.name))
	w.WriteHeader(http.StatusOK)
	_, err := w.Write(f.body)
	return err
}

// ExportReport writes the same rows as ListOutcomes and GetBacklog.
func (s *server) ExportReport(ctx context.Context, r contract.ExportReportRequestObject) (contract.ExportReportResponseObject, error) {
	p := r.Params
	var of sheet.Sheet
	var rows any
	by := "rule"
	switch p.Report {
	case "grid":
		grid, err := s.wholeGrid(ctx, p)
		if err != nil {
			return nil, err
		}
		of, rows, by = gridSheet(grid), grid, "period"
	case "backlog":
		ask := contract.GetBacklogParamsBy(or(p.By, "desk"))
		if by = string(ask); !ask.Valid() {
			return nil, refusal(http.StatusBadRequest, "invalid-request", "Invalid request: by: the backlog is by desk, person, rule, grade or period.")
		}
		all, err := s.GetBacklog(ctx, contract.GetBacklogRequestObject{Params: contract.GetBacklogParams{By: &ask}})
		if err != nil {
			return nil, err
		}
		list := all.(contract.GetBacklog200JSONResponse)
		of, rows = workSheet(by, list), list
	default:
		ask := contract.ListOutcomesParamsBy(or(p.By, "rule"))
		by = string(ask)
		all, err := s.ListOutcomes(ctx, contract.ListOutcomesRequestObject{Params: contract.ListOutcomesParams{By: &ask, Rule: p.Rule, Desk: p.Desk,
			From: p.From, To: p.To}})
		if err != nil {
			return nil, err
		}
		list := all.(contract.ListOutcomes200JSONResponse)
		of, rows = findingSheet(by, list), list
	}
	name := string(p.Report) + "-by-" + by + "." + string(p.Form)
	var body bytes.Buffer
	var err error
	if p.Form == "json" {
		err = json.NewEncoder(&body).Encode(rows)
	} else {
		err = of.Write(io.Writer(&body), name)
	}
	return reportFile{fileKinds[string(p.Form)], name, body.Bytes()}, err
}

func columnsOf(kind sheet.Kind, names ...string) (out []sheet.Column) {
	for _, n := range names {
		out = append(out, sheet.Column{Name: n, Kind: kind})
	}
	return out
}

func counts(all ...int) (out []string) {
	for _, n := range all {
		out = append(out, strconv.Itoa(n))
	}
	return out
}

func optionalFigure(v *float64) string {
	if v == nil {
		return ""
	}
	return strconv.FormatFloat(*v, 'f', 4, 64)
}

// stakeKinds are the kinds that have something at stake.
func stakeKinds[Row any](all []Row, of func(Row) []contract.KindStake) (kinds []string) {
	for _, row := range all {
		for _, s := range of(row) {
			if !slices.Contains(kinds, s.Kind) {
				kinds = append(kinds, s.Kind)
			}
		}
	}
	slices.Sort(kinds)
	return kinds
}

// stakeColumns are one a kind: what is at stake in one is not added to that in another.
func stakeColumns(kinds []string, name string) (out []string) {
	for _, kind := range kinds {
		out = append(out, name+"_"+kind)
	}
	return out
}

func stakeCells(kinds []string, of []contract.KindStake) []string {
	out := make([]string, len(kinds))
	for _, s := range of {
		out[slices.Index(kinds, s.Kind)] = s.Stake
	}
	return out
}

func findingSheet(by string, all []contract.OutcomeRow) sheet.Sheet {
	kinds := stakeKinds(all, func(r contract.OutcomeRow) []contract.KindStake { return r.Stakes })
	out := sheet.Sheet{Name: "Outcomes", Columns: append([]sheet.Column{{Name: by}, {Name: "title"}},
		columnsOf(sheet.Whole, "settled", "confirmed", "explained", "data_fault", "rule_fault", "cleared")...)}
	out.Columns = append(out.Columns, sheet.Column{Name: "precision", Kind: sheet.Percent})
	out.Columns = append(out.Columns, columnsOf(sheet.Number, "hours_to_look", "hours_to_settle")...)
	out.Columns = append(out.Columns, columnsOf(sheet.Money, append(stakeColumns(kinds, "stake_confirmed"), "recovered", "written_off")...)...)
	for _, f := range all {
		row := append([]string{f.Name, f.Title}, counts(f.Settled, f.Confirmed, f.Explained, f.DataFault, f.RuleFault, f.Cleared)...)
		row = append(row, optionalFigure(f.Precision), optionalFigure(f.HoursToLook), optionalFigure(f.HoursToSettle))
		row = append(row, stakeCells(kinds, f.Stakes)...)
		out.Rows = append(out.Rows, append(row, f.Recovered, f.WrittenOff))
	}
	return out
}

func workSheet(by string, all []contract.BacklogRow) sheet.Sheet {
	kinds := stakeKinds(all, func(r contract.BacklogRow) []contract.KindStake { return r.Stakes })
	out := sheet.Sheet{Name: "Backlog", Columns: append([]sheet.Column{{Name: by}, {Name: "title"}},
		columnsOf(sheet.Whole, "open", "taken", "parked", "late", "unseen", "cleared", "within_1_week", "within_2_weeks", "within_4_weeks", "older")...)}
	out.Columns = append(append(out.Columns, sheet.Column{Name: "oldest", Kind: sheet.Day}), columnsOf(sheet.Money, stakeColumns(kinds, "stake")...)...)
	out.Columns = append(out.Columns, sheet.Column{Name: "note"})
	for _, w := range all {
		row := append([]string{w.Name, w.Title}, counts(append([]int{w.Open, w.Taken, w.Parked, w.Late, w.Unseen, w.Cleared}, w.Ages...)...)...)
		row = append(append(row, w.Oldest.UTC().Format("2006-01-02")), stakeCells(kinds, w.Stakes)...)
		out.Rows = append(out.Rows, append(row, or(w.Note, "")))
	}
	return out
}

// wholeGrid is the grid of all subjects that a report asks for.
func (s *server) wholeGrid(ctx context.Context, p contract.ExportReportParams) (out contract.ExceptionGrid, err error) {
	if or(p.Period, "") == "" {
		return out, refusal(http.StatusBadRequest, "invalid-request", "Invalid request: period: expected the last period of the grid.")
	}
	ask := contract.GetExceptionGridParams{Period: *p.Period, Rule: p.Rule, Kind: p.Kind, Desk: p.Desk, Text: p.Text, Limit: ptr(500)}
	for {
		got, err := s.GetExceptionGrid(ctx, contract.GetExceptionGridRequestObject{Params: ask})
		if err != nil {
			return out, err
		}
		page := contract.ExceptionGrid(got.(contract.GetExceptionGrid200JSONResponse))
		page.Rows = append(out.Rows, page.Rows...)
		if out = page; out.Next == nil {
			return out, nil
		}
		ask.Cursor = out.Next
	}
}

func gridSheet(g contract.ExceptionGrid) sheet.Sheet {
	out := sheet.Sheet{Name: "Exception grid", Columns: []sheet.Column{{Name: "kind"}, {Name: "key"}, {Name: "name"}}}
	for _, p := range g.Periods {
		out.Columns = append(out.Columns, sheet.Column{Name: p.Period, Title: p.Label},
			sheet.Column{Name: p.Period + " flags", Title: p.Label + ", flags", Kind: sheet.Whole})
	}
	for _, r := range g.Rows {
		row := []string{r.Kind, r.Key, r.Name}
		for i, c := range r.Cells {
			flags := ""
			if g.Periods[i].Swept { // nobody knows of one that was not
				flags = strconv.Itoa(c.Flags)
			}
			row = append(row, c.Grade, flags)
		}
		out.Rows = append(out.Rows, row)
	}
	return out
}
