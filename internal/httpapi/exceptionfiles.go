package httpapi

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
	"oskel/internal/sheet"
	"oskel/internal/store"
)

// ExportExceptions writes all that match, whatever the page.
func (s *server) ExportExceptions(ctx context.Context, r contract.ExportExceptionsRequestObject) (contract.ExportExceptionsResponseObject, error) {
	p := r.Params
	_, page, err := s.exceptionRows(ctx, contract.ListExceptionsParams{Period: p.Period, Rule: p.Rule, Grade: p.Grade,
		State: (*contract.ListExceptionsParamsState)(p.State), Kind: p.Kind, Desk: p.Desk, Text: p.Text,
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
			rows = append(rows, exceptionCells(e, book.Calendar))
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
	book, page, err := s.exceptionRows(asked, contract.ListExceptionsParams{Period: p.Period, Rule: p.Rule, Grade: p.Grade,
		State: (*contract.ListExceptionsParamsState)(p.State), Kind: p.Kind, Desk: p.Desk, Text: p.Text,
		Key: p.Key, Group: p.Group, Sweep: p.Sweep, Sort: (*contract.ListExceptionsParamsSort)(p.Sort), Descending: p.Descending})
	if err != nil {
		return nil, err
	}
	out := streamedFile{kind: fileKinds[string(p.Form)], name: "exceptions-" + strings.ReplaceAll(p.Period, " ", "-") + "." + string(p.Form)}
	if p.Form == "csv" {
		out.body, err = sheet.NewStream(exceptionColumns, page)
		return out, err
	}
	out.body = inTheWriting(asked, func(to io.Writer) error { return writeExceptions(to, string(p.Form), book, page) })
	return out, nil
}

// inTheWriting is a file that is written while it is read, until whoever asked is gone.
func inTheWriting(asked context.Context, write func(to io.Writer) error) io.Reader {
	body, w := io.Pipe()
	context.AfterFunc(asked, func() { body.CloseWithError(asked.Err()) })
	go func() {
		b := bufio.NewWriter(w)
		err := write(b)
		if err == nil {
			err = b.Flush()
		}
		w.CloseWithError(err)
	}()
	return body
}

var fileKinds = map[string]string{"csv": "text/csv", "json": "application/json",
	"xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "parquet": "application/vnd.apache.parquet"}

// streamedFile is a file that is written while it is read.
type streamedFile struct {
	kind, name string
	body       io.Reader
}

// VisitExportExceptionFileResponse implements the contract's answer.
func (f streamedFile) VisitExportExceptionFileResponse(w http.ResponseWriter) error {
	return f.write(w)
}

// VisitExportTableFileResponse implements the contract's answer.
func (f streamedFile) VisitExportTableFileResponse(w http.ResponseWriter) error { return f.write(w) }

func (f streamedFile) write(w http.ResponseWriter) error {
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
		sheet.Tab{Name: "Exceptions", Columns: columns, Page: page, Wide: exceptionWidths},
		sheet.Tab{Name: "Legend", Columns: []sheet.Column{{Name: "what"}, {Name: "name"}, {Name: "title"}, {Name: "meaning"}}, Page: legend(book),
			Wide: []float64{10, 24, 32, 110}})
}

// paperTones are the tones of grades as they read well on white.
var paperTones = map[string]string{"red": "B02E17", "amber": "855700", "green": "2A6A3F", "blue": "1F5FA8", "violet": "6D3FA0", "grey": "566165"}

// legend says what grades, columns and rules mean.
func legend(book *rulebook.Book) func() ([][]string, error) {
	var rows [][]string
	grades := book.GradesNamed()
	for i, g := range grades {
		rows = append(rows, []string{"grade", g.Name, g.Title, strconv.Itoa(i+1) + " of " + strconv.Itoa(len(grades)) + ", the most serious first"})
	}
	for _, c := range exceptionTable {
		if c.meaning != "" {
			rows = append(rows, []string{"column", c.Name, c.Head(), c.meaning})
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
