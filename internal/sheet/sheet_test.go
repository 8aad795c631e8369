package sheet

import (
	"bytes"
	"errors"
	"io"
	"slices"
	"testing"

	"github.com/parquet-go/parquet-go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// A cell that a spreadsheet would run as a formula is text there; numbers, and
// what only looks like one, stay as they are.
func TestHarmless(t *testing.T) {
	for _, run := range []string{"=1+1", "+A1", "-A1", "@SUM(A1)", "\t=1", "\r=1", "-2+3", "=", "-"} {
		assert.Equal(t, "'"+run, Harmless(run))
	}
	for _, plain := range []string{"", "R-17", "Quay & Sons", "12.50", "12%", "a=b", "1+1"} {
		assert.Equal(t, plain, Harmless(plain))
	}
}

func TestCSVOfNothingHasItsHead(t *testing.T) {
	var out bytes.Buffer
	s := Sheet{Columns: []Column{{Name: "key"}, {Name: "value"}}}
	assert.NoError(t, s.CSV(&out))
	assert.Contains(t, out.String(), "key,value")
}

// pages are rows in pages of two.
func pages(rows [][]string) func() ([][]string, error) {
	return func() ([][]string, error) {
		n := min(2, len(rows))
		page := rows[:n]
		rows = rows[n:]
		return page, nil
	}
}

var typed = []Column{{Name: "key"}, {Name: "value", Kind: Number}, {Name: "rate", Kind: Percent}, {Name: "day", Kind: Day},
	{Name: "grade", Tones: map[string]string{"act": "C00000"}}}

var typedRows = [][]string{
	{"=1+1", "1234.5", "0.185", "2026-10-31", "act"},
	{"R2", "-0.25", "", "2024-02-29", "look"},
	{"", "", "0", "", ""},
}

// In a workbook numbers, percentages and days are what they are, texts never formulas,
// and no value is no cell.
func TestWorkbookCells(t *testing.T) {
	var out bytes.Buffer
	require.NoError(t, Workbook(&out, Tab{Name: "List", Columns: typed, Page: pages(typedRows)},
		Tab{Name: "Legend", Columns: []Column{{Name: ""}, {Name: ""}}, Page: pages([][]string{{"a", "b"}})}))
	f, err := excelize.OpenReader(&out)
	require.NoError(t, err)
	defer f.Close()
	assert.Equal(t, []string{"List", "Legend"}, f.GetSheetList())
	for cell, want := range map[string]string{"A2": "=1+1", "B2": "1234.5", "C2": "18.5%", "D2": "2026-10-31", "E2": "act", "B3": "-0.25", "C3": "",
		"D3": "2024-02-29", "A4": "", "B4": "", "C4": "0.0%", "D4": ""} {
		got, err := f.GetCellValue("List", cell)
		require.NoError(t, err)
		assert.Equal(t, want, got, cell)
	}
	formula, err := f.GetCellFormula("List", "A2")
	require.NoError(t, err)
	assert.Empty(t, formula)
	raw, err := f.GetCellValue("List", "D2", excelize.Options{RawCellValue: true})
	require.NoError(t, err)
	assert.Equal(t, "46326", raw, "a day is the number of a day")
	colour := func(cell string) string {
		id, err := f.GetCellStyle("List", cell)
		require.NoError(t, err)
		style, err := f.GetStyle(id)
		require.NoError(t, err)
		if style.Font == nil {
			return ""
		}
		return style.Font.Color
	}
	assert.Equal(t, "C00000", colour("E2"))
	assert.NotEqual(t, "C00000", colour("E3"))
	tables, err := f.GetTables("List")
	require.NoError(t, err)
	require.Len(t, tables, 1)
	assert.Equal(t, "A1:E4", tables[0].Range)
	tables, err = f.GetTables("Legend")
	require.NoError(t, err)
	assert.Empty(t, tables, "columns without names cannot be filtered")
}

// A list without rows is still a workbook, whose head says what there would be.
func TestWorkbookOfNothing(t *testing.T) {
	var out bytes.Buffer
	require.NoError(t, Workbook(&out, Tab{Name: "List", Columns: typed, Page: pages(nil)}))
	f, err := excelize.OpenReader(&out)
	require.NoError(t, err)
	defer f.Close()
	rows, err := f.GetRows("List")
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"Key", "Value", "Rate", "Day", "Grade"}}, rows)
}

// Parquet keeps decimals exactly and days as days; no value is null, never zero.
func TestParquetValues(t *testing.T) {
	var out bytes.Buffer
	require.NoError(t, Parquet(&out, append(slices.Clone(typed), Column{Name: "key", Kind: Number}), pages([][]string{
		{"R1", "1234.5001", "0.185", "1969-12-31", "act", "7"}, {"", "", "", "", "", ""}, {"R3", "0", "-0.0001", "2026-10-31", "look", "-1"}})))
	file, err := parquet.OpenFile(bytes.NewReader(out.Bytes()), int64(out.Len()))
	require.NoError(t, err)
	at := map[string]int{}
	for i, column := range file.Schema().Columns() {
		at[column[0]] = i
	}
	require.Len(t, at, 6, "a name that comes twice is numbered")
	reader := parquet.NewReader(file)
	defer reader.Close()
	rows := make([]parquet.Row, 3)
	n, _ := reader.ReadRows(rows)
	require.Equal(t, 3, n)
	value := func(row int, column string) parquet.Value { return rows[row][at[column]] }
	assert.Equal(t, int64(12345001), value(0, "value").Int64())
	assert.Equal(t, int32(-1), value(0, "day").Int32())
	assert.Equal(t, int64(70000), value(0, "key 2").Int64())
	assert.Equal(t, "R1", value(0, "key").String())
	for column := range at {
		assert.True(t, value(1, column).IsNull(), column)
		assert.False(t, value(2, column).IsNull(), column)
	}
	assert.Equal(t, int64(0), value(2, "value").Int64())
	assert.Equal(t, int64(-1), value(2, "rate").Int64())
}

// A page that cannot be had ends the file with its error.
func TestPagesThatCannotBeHad(t *testing.T) {
	lost := errors.New("the connection was lost")
	n := 0
	second := func() ([][]string, error) {
		if n++; n > 1 {
			return nil, lost
		}
		return [][]string{{"R1"}}, nil
	}
	columns := []Column{{Name: "key"}}
	assert.ErrorIs(t, Workbook(io.Discard, Tab{Name: "List", Columns: columns, Page: second}), lost)
	n = 0
	assert.ErrorIs(t, Parquet(io.Discard, columns, second), lost)
	n = 0
	s, err := NewStream(columns, second)
	require.NoError(t, err)
	text, err := io.ReadAll(s)
	assert.ErrorIs(t, err, lost)
	assert.Equal(t, "key\nR1\n", string(text))
	_, err = NewStream(columns, func() ([][]string, error) { return nil, lost })
	assert.ErrorIs(t, err, lost, "at once, before anything is sent")
}

// Integers are integers, columns stand in their own order, and a workbook says what it is.
func TestKindsAndOrder(t *testing.T) {
	columns := []Column{{Name: "zulu"}, {Name: "count", Kind: Whole}, {Name: "stake_confirmed", Title: "Confirmed, at stake", Kind: Money},
		{Name: "alpha", Kind: Percent}}
	s := Sheet{Name: "Outcomes", Columns: columns, Rows: [][]string{{"z", "12", "23004.0436", "0.1234"}, {"", "", "", ""}}}
	var out bytes.Buffer
	require.NoError(t, s.Parquet(&out))
	f, err := parquet.OpenFile(bytes.NewReader(out.Bytes()), int64(out.Len()))
	require.NoError(t, err)
	var names []string
	for _, c := range f.Schema().Columns() {
		names = append(names, c[0])
	}
	assert.Equal(t, []string{"zulu", "count", "stake_confirmed", "alpha"}, names)
	rows := make([]parquet.Row, 2)
	n, _ := parquet.NewReader(bytes.NewReader(out.Bytes())).ReadRows(rows)
	require.Equal(t, 2, n)
	assert.Equal(t, []any{"z", int64(12), int64(230040436), int64(1234)}, []any{rows[0][0].String(), rows[0][1].Int64(), rows[0][2].Int64(), rows[0][3].Int64()})
	assert.True(t, rows[1][0].IsNull() && rows[1][1].IsNull() && rows[1][3].IsNull())

	out.Reset()
	require.NoError(t, s.XLSX(&out))
	w, err := excelize.OpenReader(&out)
	require.NoError(t, err)
	defer w.Close()
	assert.Equal(t, []string{"Outcomes"}, w.GetSheetList())
	for cell, want := range map[string]string{"A1": "Zulu", "C1": "Confirmed, at stake", "B2": "12", "C2": "23,004.04", "D2": "12.3%", "B3": ""} {
		got, err := w.GetCellValue("Outcomes", cell)
		require.NoError(t, err)
		assert.Equal(t, want, got, cell)
	}
	props, err := w.GetDocProps()
	require.NoError(t, err)
	assert.Equal(t, "Oskel", props.Creator)
	wide, err := w.GetColWidth("Outcomes", "C")
	require.NoError(t, err)
	assert.Greater(t, wide, 20.0, "its title fits")
}
