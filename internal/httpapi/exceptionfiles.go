package httpapi

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"io"
	"math/big"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
	"oskel/internal/sheet"
	"oskel/internal/store"
)

// exceptionColumns are those of a file; the command line writes the same.
var exceptionColumns = []sheet.Column{{Name: "id", Kind: sheet.Whole}, {Name: "period"}, {Name: "grade"}, {Name: "state"}, {Name: "rule"}, {Name: "kind"}, {Name: "key"}, {Name: "name"},
	{Name: "value", Kind: sheet.Number}, {Name: "yardstick", Kind: sheet.Number}, {Name: "unit"}, {Name: "stake", Title: "At stake", Kind: sheet.Money}, {Name: "desk"}, {Name: "case", Kind: sheet.Whole}, {Name: "case_state"}, {Name: "sentence"}, {Name: "event", Kind: sheet.Day}, {Name: "streak", Title: "In a row", Kind: sheet.Whole}, {Name: "beyond", Title: "Beyond its cut", Kind: sheet.Percent}}

// ExportExceptions writes all that match, whatever the page.
func (s *server) ExportExceptions(ctx context.Context, r contract.ExportExceptionsRequestObject) (contract.ExportExceptionsResponseObject, error) {
	p := r.Params
	_, page, err := s.exceptionRows(ctx, contract.ListExceptionsParams{Period: p.Period, Rule: p.Rule, Grade: p.Grade, State: (*contract.ListExceptionsParamsState)(p.State), Kind: p.Kind, Desk: p.Desk, Text: p.Text,
		Key: p.Key, Group: p.Group, Sweep: p.Sweep, Sort: (*contract.ListExceptionsParamsSort)(p.Sort), Descending: p.Descending})
	if err != nil {
		return nil, err
	}
	body, err := sheet.NewStream(exceptionColumns, page)
	return contract.ExportExceptions200TextcsvResponse{Body: body}, err
}

// exceptionRows are the rows of a file, a page at a time; the first is asked for at
// once, so that what cannot be had is known. Before there is a rulebook there are none.
func (s *server) exceptionRows(ctx context.Context, p contract.ListExceptionsParams) (*rulebook.Book, func() ([][]string, error), error) {
	key, err := s.keyParam(ctx, p.Period)
	if err != nil {
		return nil, nil, err
	}
	_, book, err := s.Books.Published(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return &rulebook.Book{}, func() ([][]string, error) { return nil, nil }, nil
	} else if err != nil {
		return nil, nil, err
	}
	f := exceptionFilter(key, p)
	f.Limit, f.Evidence = exportedRows, true
	page := func() (rows [][]string, err error) {
		list, _, err := s.Sweep.Exceptions(ctx, book, f)
		for _, e := range list {
			rows = append(rows, exceptionRow(e, book.Calendar))
		}
		f.Offset += len(list)
		return rows, err
	}
	first, err := page()
	return book, func() ([][]string, error) {
		if rows := first; rows != nil {
			first = nil
			return rows, nil
		}
		return page()
	}, err
}

// ExportExceptionFile writes the same as CSV, workbook, JSON or Parquet.
func (s *server) ExportExceptionFile(ctx context.Context, r contract.ExportExceptionFileRequestObject) (contract.ExportExceptionFileResponseObject, error) {
	p := r.Params
	asked := ctx.(*gin.Context).Request.Context() // gin gives its own to the next request
	book, page, err := s.exceptionRows(asked, contract.ListExceptionsParams{Period: p.Period, Rule: p.Rule, Grade: p.Grade, State: (*contract.ListExceptionsParamsState)(p.State), Kind: p.Kind, Desk: p.Desk, Text: p.Text,
		Key: p.Key, Group: p.Group, Sweep: p.Sweep, Sort: (*contract.ListExceptionsParamsSort)(p.Sort), Descending: p.Descending})
	if err != nil {
		return nil, err
	}
	out := exceptionFile{kind: fileKinds[string(p.Form)], name: "exceptions-" + strings.ReplaceAll(p.Period, " ", "-") + "." + string(p.Form)}
	if p.Form == "csv" {
		out.body, err = sheet.NewStream(exceptionColumns, page)
		return out, err
	}
	body, w := io.Pipe()
	context.AfterFunc(asked, func() { body.CloseWithError(asked.Err()) })
	go func() {
		b := bufio.NewWriter(w)
		err := writeExceptions(b, string(p.Form), book, page)
		if err == nil {
			err = b.Flush()
		}
		w.CloseWithError(err)
	}()
	out.body = body
	return out, nil
}

var fileKinds = map[string]string{"csv": "text/csv", "json": "application/json", "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "parquet": "application/vnd.apache.parquet"}

// exceptionFile is a file that is written while it is read.
type exceptionFile struct {
	kind, name string
	body       io.Reader
}

// VisitExportExceptionFileResponse implements the contract's answer.
func (f exceptionFile) VisitExportExceptionFileResponse(w http.ResponseWriter) error {
	if c, ok := f.body.(io.Closer); ok {
		defer c.Close() //nolint:errcheck // whoever writes is told by it
	}
	w.Header().Set("Content-Type", f.kind)
	w.Header().Set("Content-Disposition", "attachment; filename="+strconv.Quote(f.name))
	w.WriteHeader(http.StatusOK)
	_, err := io.Copy(w, f.body)
	return err
}

func writeExceptions(out io.Writer, form string, book *rulebook.Book, page func() ([][]string, error)) error {
	switch form {
	case "parquet":
		return sheet.Parquet(out, exceptionColumns, page)
	case "json":
		return writeJSONRows(out, exceptionColumns, page)
	}
	columns := append([]sheet.Column{}, exceptionColumns...)
	for i := range columns {
		if columns[i].Name == "grade" {
			columns[i].Tones = map[string]string{}
			for _, g := range book.Grades {
				columns[i].Tones[g.Name] = paperTones[g.Tone]
			}
		}
	}
	return sheet.Workbook(out,
		sheet.Tab{Name: "Exceptions", Columns: columns, Page: page, Wide: []float64{8, 10, 10, 10, 20, 12, 12, 28, 12, 12, 10, 12, 14, 8, 12, 80, 12, 8, 8}},
		sheet.Tab{Name: "Legend", Columns: []sheet.Column{{Name: "what"}, {Name: "name"}, {Name: "title"}, {Name: "meaning"}}, Page: legend(book), Wide: []float64{10, 24, 32, 110}})
}

// paperTones are the tones of grades as they read well on white.
var paperTones = map[string]string{"red": "B02E17", "amber": "855700", "blue": "1F5FA8", "violet": "6D3FA0", "grey": "566165"}

// legend says what grades, columns and rules mean.
func legend(book *rulebook.Book) func() ([][]string, error) {
	var rows [][]string
	for i, g := range book.Grades {
		rows = append(rows, []string{"grade", g.Name, g.Label, strconv.Itoa(i+1) + " of " + strconv.Itoa(len(book.Grades)) + ", the most serious first"})
	}
	for _, c := range exceptionColumns {
		if words := columnWords[c.Name]; words != "" {
			rows = append(rows, []string{"column", c.Name, c.Head(), words})
		}
	}
	for i := range book.Rules {
		r := &book.Rules[i]
		rows = append(rows, []string{"rule", r.Name, r.Title, book.Words(r)})
	}
	return func() ([][]string, error) {
		page := rows
		rows = nil
		return page, nil
	}
}

var columnWords = map[string]string{
	"state":      "raised: new in this period; standing: flagged in the period before too; cleared: it was flagged, and no longer is",
	"value":      "what the rule looked at; a percentage is the fraction underneath",
	"yardstick":  "what it was held against, where there is one",
	"unit":       "of value and yardstick",
	"stake":      "what is at stake by the rule's formula",
	"case_state": "of the case it is in",
	"event":      "the day of the event it is of; empty where it is of the period",
	"streak":     "for how many periods in a row it is flagged",
	"beyond":     "how far beyond its cut, as a share of the cut",
}

// writeJSONRows writes a list of objects: numbers as numbers, null where there is none.
func writeJSONRows(out io.Writer, columns []sheet.Column, page func() ([][]string, error)) error {
	before, end := "[", "]\n"
	for {
		rows, err := page()
		if err != nil {
			return err
		}
		if len(rows) == 0 {
			break
		}
		for _, row := range rows {
			object := map[string]any{}
			for i, text := range row {
				object[columns[i].Name] = nil
				if text != "" {
					object[columns[i].Name] = text
					if columns[i].Kind.Figure() {
						object[columns[i].Name] = json.Number(text)
					}
				}
			}
			line, err := json.Marshal(object)
			if err != nil {
				return err
			}
			if _, err := io.WriteString(out, before+"\n"+string(line)); err != nil {
				return err
			}
			before, end = ",", "\n]\n"
		}
	}
	if before != "," {
		end = before + end
	}
	_, err := io.WriteString(out, end)
	return err
}

// exceptionRow has numbers as numbers: percentages are the fraction underneath.
func exceptionRow(e store.Exception, c calendar.Calendar) []string {
	var ev judge.Evidence
	json.Unmarshal(e.Evidence, &ev) //nolint:errcheck // unreadable evidence has no numbers
	value, yardstick, unit := explain.Numbers(ev)
	decimal := func(r *big.Rat) string {
		if r == nil {
			return ""
		}
		return trimmed(amount.RoundRat(r, 4))
	}
	caseID, stake, streak, beyond := "", "", "", ""
	if e.Streak != nil && *e.Streak > 0 {
		streak = strconv.Itoa(*e.Streak)
	}
	if e.Beyond != nil {
		beyond = trimmed(strconv.FormatFloat(*e.Beyond, 'f', 4, 64))
	}
	if e.CaseID != nil {
		caseID = strconv.FormatInt(*e.CaseID, 10)
	}
	if e.Stake != nil {
		stake = trimmed(*e.Stake)
	}
	return []string{strconv.FormatInt(e.ID, 10), keyText(c, e.Period), e.Grade, e.State, e.Rule, e.Kind, e.Key, e.Name, decimal(value), decimal(yardstick), string(unit), stake, e.Desk, caseID, or(e.CaseState, ""), e.Sentence, eventText(e.Event), streak, beyond}
}

// eventText is the day of an event, empty where there is none.
func eventText(day calendar.Day) string {
	if day == 0 {
		return ""
	}
	return day.String()
}
