package cli

import (
	"io"
	"os"
	"path/filepath"

	"oskel/internal/client"
	"oskel/internal/sheet"
)

// writeFile writes a file whole: until it is, a file that was there stays as it
// was.
func writeFile(path string, write func(io.Writer) error) (err error) {
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
	if err = write(f); err != nil {
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

// tableSheet is a table of figures for other programs: decimals of four places,
// percentages as fractions. Subtotals are for workbooks alone, which people read.
func tableSheet(t client.Table, subtotals bool) sheet.Sheet {
	out := sheet.Sheet{Name: "Figures", Columns: []sheet.Column{{Name: "key"}, {Name: "name"}}}
	for i, h := range heads(t, true) {
		kind := sheet.Number
		if t.Columns[i].Unit == "percent" {
			kind = sheet.Percent
		}
		out.Columns = append(out.Columns, sheet.Column{Name: h, Kind: kind})
	}
	for _, r := range t.Rows {
		if r.Depth != nil && !subtotals {
			continue
		}
		row := []string{r.Key, r.Name}
		if r.Depth != nil {
			row[0] = ""
		}
		for _, c := range r.Cells {
			row = append(row, decimal(c))
		}
		out.Rows = append(out.Rows, row)
	}
	return out
}

// writeTable writes a table into a file of the form that its ending names.
func writeTable(path string, t client.Table) error {
	return writeFile(path, func(out io.Writer) error {
		if filepath.Ext(path) == ".json" {
			return writeJSON(out, t)
		}
		return tableSheet(t, filepath.Ext(path) == ".xlsx").Write(out, path)
	})
}
