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

// ExportReport writes the same rows as ListFindings and ListWork.
func (s *server) ExportReport(ctx context.Context, r contract.ExportReportRequestObject) (contract.ExportReportResponseObject, error) {
	p := r.Params
	var of sheet.Sheet
	var rows any
	by := "rule"
	if p.Report == "work" {
		ask := contract.ListWorkParamsBy(or(p.By, "desk"))
		if by = string(ask); !ask.Valid() {
			return nil, fail(http.StatusBadRequest, "invalid-request", "Not understood: by: what waits is told by desk, person, rule, grade or period.")
		}
		all, err := s.ListWork(ctx, contract.ListWorkRequestObject{Params: contract.ListWorkParams{By: &ask}})
		if err != nil {
			return nil, err
		}
		list := all.(contract.ListWork200JSONResponse)
		of, rows = workSheet(by, list), list
	} else {
		ask := contract.ListFindingsParamsBy(or(p.By, "rule"))
		by = string(ask)
		all, err := s.ListFindings(ctx, contract.ListFindingsRequestObject{Params: contract.ListFindingsParams{By: &ask, Rule: p.Rule, Desk: p.Desk, From: p.From, To: p.To}})
		if err != nil {
			return nil, err
		}
		list := all.(contract.ListFindings200JSONResponse)
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

func numbers(names ...string) (out []sheet.Column) {
	for _, n := range names {
		out = append(out, sheet.Column{Name: n, Kind: sheet.Number})
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

func findingSheet(by string, all []contract.FindingRow) sheet.Sheet {
	kinds := stakeKinds(all, func(r contract.FindingRow) []contract.KindStake { return r.Stakes })
	out := sheet.Sheet{Columns: append([]sheet.Column{{Name: by}, {Name: "title"}}, numbers("settled", "confirmed", "explained", "data_fault", "rule_fault", "cleared")...)}
	out.Columns = append(out.Columns, sheet.Column{Name: "precision", Kind: sheet.Percent})
	out.Columns = append(out.Columns, numbers(append(append([]string{"hours_to_look", "hours_to_settle"}, stakeColumns(kinds, "stake_confirmed")...), "recovered", "written_off")...)...)
	for _, f := range all {
		row := append([]string{f.Name, f.Title}, counts(f.Settled, f.Confirmed, f.Explained, f.DataFault, f.RuleFault, f.Cleared)...)
		row = append(row, optionalFigure(f.Precision), optionalFigure(f.HoursToLook), optionalFigure(f.HoursToSettle))
		row = append(row, stakeCells(kinds, f.Stakes)...)
		out.Rows = append(out.Rows, append(row, f.Recovered, f.WrittenOff))
	}
	return out
}

func workSheet(by string, all []contract.WorkRow) sheet.Sheet {
	kinds := stakeKinds(all, func(r contract.WorkRow) []contract.KindStake { return r.Stakes })
	out := sheet.Sheet{Columns: append([]sheet.Column{{Name: by}, {Name: "title"}}, numbers("open", "taken", "parked", "late", "unseen", "cleared", "within_1_week", "within_2_weeks", "within_4_weeks", "older")...)}
	out.Columns = append(append(out.Columns, sheet.Column{Name: "oldest", Kind: sheet.Day}), numbers(stakeColumns(kinds, "stake")...)...)
	out.Columns = append(out.Columns, sheet.Column{Name: "note"})
	for _, w := range all {
		row := append([]string{w.Name, w.Title}, counts(append([]int{w.Open, w.Taken, w.Parked, w.Late, w.Unseen, w.Cleared}, w.Ages...)...)...)
		row = append(append(row, w.Oldest.UTC().Format("2006-01-02")), stakeCells(kinds, w.Stakes)...)
		out.Rows = append(out.Rows, append(row, or(w.Note, "")))
	}
	return out
}
