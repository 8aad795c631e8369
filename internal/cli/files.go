package cli

import (
	"io"
	"os"
	"path/filepath"
	"strconv"

	"github.com/parquet-go/parquet-go"
	"github.com/xuri/excelize/v2"

	"oskel/core/amount"
	"oskel/internal/client"
)

// fileWriters write a table in the form that the ending of a file names.
var fileWriters = map[string]func(io.Writer, client.Table) error{
	".csv":     shownAs("csv"),
	".json":    shownAs("json"),
	".xlsx":    writeXLSX,
	".parquet": writeParquet,
}

func shownAs(format string) func(io.Writer, client.Table) error {
	return func(out io.Writer, t client.Table) error {
		return showTable(&env{out: out, err: io.Discard, format: format}, t)
	}
}

// writeTable writes a table into a file, whole: until it is, a file that was
// there stays as it was.
func writeTable(path string, t client.Table) (err error) {
	f, err := os.CreateTemp(filepath.Dir(path), ".oskel-")
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			f.Close()           //nolint:errcheck // the first error is told
			os.Remove(f.Name()) //nolint:errcheck // the first error is told
		}
	}()
	if err = fileWriters[filepath.Ext(path)](f, t); err != nil {
		return err
	}
	if err = f.Chmod(0o644); err != nil {
		return err
	}
	if err = f.Close(); err != nil {
		return err
	}
	return os.Rename(f.Name(), path)
}

func writeXLSX(out io.Writer, t client.Table) (err error) {
	f := excelize.NewFile()
	defer func() {
		if e := f.Close(); err == nil {
			err = e
		}
	}()
	w, err := f.NewStreamWriter("Sheet1")
	if err != nil {
		return err
	}
	percent, err := f.NewStyle(&excelize.Style{NumFmt: 10})
	if err != nil {
		return err
	}
	head := []any{"key", "name"}
	for _, h := range heads(t, true) {
		head = append(head, h)
	}
	if err := w.SetRow("A1", head); err != nil {
		return err
	}
	for i, r := range t.Rows {
		row := []any{r.Key, r.Name}
		if r.Depth != nil {
			row = []any{nil, r.Name}
		}
		for k, c := range r.Cells {
			switch {
			case c.Value == nil:
				row = append(row, nil)
			case t.Columns[k].Unit == "percent":
				row = append(row, excelize.Cell{StyleID: percent, Value: *c.Value})
			default:
				row = append(row, *c.Value)
			}
		}
		if err := w.SetRow("A"+strconv.Itoa(i+2), row); err != nil {
			return err
		}
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return f.Write(out)
}

// writeParquet writes decimals of four places, null where missing.
func writeParquet(out io.Writer, t client.Table) error {
	names := append([]string{"key", "name"}, heads(t, true)...)
	group := parquet.Group{}
	for i, n := range names {
		if i < 2 {
			group[n] = parquet.String()
		} else {
			group[n] = parquet.Optional(parquet.Decimal(4, 18, parquet.Int64Type))
		}
	}
	schema := parquet.NewSchema("table", group)
	place := map[string]int{}
	for i, path := range schema.Columns() {
		place[path[0]] = i
	}
	w := parquet.NewWriter(out, schema)
	for _, r := range t.Rows {
		if r.Depth != nil {
			continue
		}
		row := make(parquet.Row, len(names))
		row[place["key"]] = parquet.ByteArrayValue([]byte(r.Key)).Level(0, 0, place["key"])
		row[place["name"]] = parquet.ByteArrayValue([]byte(r.Name)).Level(0, 0, place["name"])
		for k, c := range r.Cells {
			at := place[names[k+2]]
			row[at] = parquet.NullValue().Level(0, 0, at)
			if a, err := amount.Parse(decimal(c)); err == nil {
				row[at] = parquet.Int64Value(int64(a)).Level(0, 1, at)
			}
		}
		if _, err := w.WriteRows([]parquet.Row{row}); err != nil {
			return err
		}
	}
	return w.Close()
}
