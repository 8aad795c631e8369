// Package sheet writes rows for other programs: as CSV, XLSX or Parquet, with
// typed columns.
package sheet

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"io"
	"path"
	"strings"

	"oskel/core/words"
)

// Kind is what a column holds.
type Kind int

// The kinds. Numbers are plain decimals, "1234.5"; percentages are the fraction
// underneath, "0.185".
const (
	Text Kind = iota
	Number
	Percent
	Day   // as 2026-10-31
	Whole // an integer
	Money // a decimal that people read with two places
)

// Figure says whether it is a number.
func (k Kind) Figure() bool { return k != Text && k != Day }

// Column is one column.
type Column struct {
	Name   string
	Kind   Kind
	Title  string            // what people read over it, in a workbook; its name with spaces unless stated
	Format string            // how a workbook writes its numbers; "" goes by its kind
	Tones  map[string]string // the colours of some texts, as RRGGBB, in a workbook
}

// Head is what people read over a column.
func (c Column) Head() string {
	if c.Title != "" {
		return c.Title
	}
	return words.UpperFirst(strings.ReplaceAll(c.Name, "_", " "))
}

// Sheet is rows of cells; "" is no value. Its name is that of the sheet in a workbook.
type Sheet struct {
	Name    string
	Columns []Column
	Rows    [][]string
}

// Forms are the endings of files that can be written.
var Forms = []string{".csv", ".xlsx", ".parquet"}

// Write writes a sheet in the form that a file's ending names.
func (s Sheet) Write(out io.Writer, file string) error {
	switch path.Ext(file) {
	case ".xlsx":
		return s.XLSX(out)
	case ".parquet":
		return s.Parquet(out)
	}
	return s.CSV(out)
}

// Harmless is a text that no spreadsheet runs as a formula when it reads a CSV
// file: one that could be is led in by an apostrophe.
func Harmless(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}

// CSV writes the sheet by RFC 4180.
func (s Sheet) CSV(out io.Writer) error {
	w := csv.NewWriter(out)
	if err := s.head(w); err != nil {
		return err
	}
	return s.rows(w, s.Rows)
}

func (s Sheet) head(w *csv.Writer) error {
	head := make([]string, len(s.Columns))
	for i, c := range s.Columns {
		head[i] = c.Name
	}
	return w.Write(head)
}

func (s Sheet) rows(w *csv.Writer, rows [][]string) error {
	for _, row := range rows {
		cells := make([]string, len(row))
		for i, text := range row {
			if cells[i] = text; s.Columns[i].Kind == Text {
				cells[i] = Harmless(text)
			}
		}
		if err := w.Write(cells); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// Stream is a CSV file that is read while it is made: no more of it is held than one
// page of rows.
type Stream struct {
	sheet Sheet
	page  func() ([][]string, error) // no rows are the end
	text  bytes.Buffer
	ended bool
}

// NewStream begins a stream of pages; the first is asked for at once, so that what
// cannot be had is known before anything is read.
func NewStream(columns []Column, page func() ([][]string, error)) (*Stream, error) {
	s := &Stream{sheet: Sheet{Columns: columns}, page: page}
	w := csv.NewWriter(&s.text)
	if err := s.sheet.head(w); err != nil {
		return nil, err
	}
	w.Flush()
	return s, s.more()
}

func (s *Stream) more() error {
	rows, err := s.page()
	if err != nil {
		return err
	}
	s.ended = len(rows) == 0
	return s.sheet.rows(csv.NewWriter(&s.text), rows)
}

// Read implements io.Reader.
func (s *Stream) Read(p []byte) (int, error) {
	for s.text.Len() == 0 {
		if s.ended {
			return 0, io.EOF
		}
		if err := s.more(); err != nil {
			return 0, err
		}
	}
	return s.text.Read(p)
}

// XLSX writes a workbook of one sheet; see Workbook.
func (s Sheet) XLSX(out io.Writer) error {
	return Workbook(out, Tab{Name: cmp.Or(s.Name, "Table"), Columns: s.Columns, Page: once(s.Rows)})
}

// once is all rows in one page.
func once(rows [][]string) func() ([][]string, error) {
	return func() ([][]string, error) {
		page := rows
		rows = nil
		return page, nil
	}
}
