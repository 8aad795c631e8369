package sheet

import (
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"
)

// Tab is one sheet of a workbook, whose rows come page by page; no rows are the end.
type Tab struct {
	Name    string
	Columns []Column
	Page    func() ([][]string, error)
	Wide    []float64 // of the columns, in letters; those that are not stated go by their kind and title
}

// Workbook writes sheets as XLSX: numbers are numbers, days are days, texts are never
// formulas; the head stays in view and filters where its names differ.
func Workbook(out io.Writer, tabs ...Tab) (err error) {
	f := excelize.NewFile()
	defer func() {
		if e := f.Close(); err == nil {
			err = e
		}
	}()
	if err := f.SetDocProps(&excelize.DocProperties{Creator: "Oskel", LastModifiedBy: "Oskel", Title: tabs[0].Name}); err != nil {
		return err
	}
	if err := f.SetAppProps(&excelize.AppProperties{Application: "Oskel"}); err != nil {
		return err
	}
	for i, t := range tabs {
		if i == 0 {
			err = f.SetSheetName("Sheet1", t.Name)
		} else {
			_, err = f.NewSheet(t.Name)
		}
		if err != nil {
			return err
		}
		if err := t.write(f, "table"+strconv.Itoa(i+1)); err != nil {
			return err
		}
	}
	return f.Write(out)
}

func (t Tab) write(f *excelize.File, table string) error {
	w, err := f.NewStreamWriter(t.Name)
	if err != nil {
		return err
	}
	styles, err := t.styles(f)
	if err != nil {
		return err
	}
	for i, c := range t.Columns {
		wide := c.wide()
		if i < len(t.Wide) {
			wide = t.Wide[i]
		}
		if err := w.SetColWidth(i+1, i+1, wide); err != nil {
			return err
		}
	}
	if err := w.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	head := make([]any, len(t.Columns))
	for i, c := range t.Columns {
		head[i] = c.Head()
	}
	if err := w.SetRow("A1", head); err != nil {
		return err
	}
	last := 1
	for {
		rows, err := t.Page()
		if err != nil {
			return err
		}
		if len(rows) == 0 {
			break
		}
		for _, row := range rows {
			cells := make([]any, len(row))
			for i, text := range row {
				cells[i] = t.Columns[i].cell(text, styles[i])
			}
			last++
			if err := w.SetRow("A"+strconv.Itoa(last), cells); err != nil {
				return err
			}
		}
	}
	if corner, ok := t.corner(last); ok {
		if err := w.AddTable(&excelize.Table{Range: "A1:" + corner, Name: table}); err != nil {
			return err
		}
	}
	return w.Flush()
}

// wide is how wide a column is in letters: its title fits, and what it mostly holds.
func (c Column) wide() float64 {
	holds := map[Kind]float64{Text: 16, Number: 12, Percent: 10, Day: 12, Whole: 8, Money: 14}[c.Kind]
	switch c.Name {
	case "sentence", "note":
		holds = 70
	case "name", "title":
		holds = 28
	}
	return max(holds, float64(len([]rune(c.Head()))+4)) // with room for the filter's button
}

// corner is the last cell, where the columns can be filtered: their names differ, and
// there are rows.
func (t Tab) corner(last int) (string, bool) {
	seen := map[string]bool{"": true}
	for _, c := range t.Columns {
		head := strings.ToLower(c.Head()) // spreadsheets do not tell them apart by that
		if seen[head] {
			return "", false
		}
		seen[head] = true
	}
	cell, err := excelize.CoordinatesToCellName(len(t.Columns), last)
	return cell, err == nil && last > 1
}

// styles are those of each column, by text; of all others under "".
func (t Tab) styles(f *excelize.File) ([]map[string]int, error) {
	out := make([]map[string]int, len(t.Columns))
	for i, c := range t.Columns {
		out[i] = map[string]int{}
		var usual *excelize.Style
		switch c.Kind {
		case Percent:
			format := "0.0%"
			usual = &excelize.Style{CustomNumFmt: &format}
		case Money:
			format := "#,##0.00;-#,##0.00"
			usual = &excelize.Style{CustomNumFmt: &format}
		case Whole:
			usual = &excelize.Style{NumFmt: 1}
		case Day:
			iso := "yyyy-mm-dd"
			usual = &excelize.Style{CustomNumFmt: &iso}
		}
		if usual != nil {
			id, err := f.NewStyle(usual)
			if err != nil {
				return nil, err
			}
			out[i][""] = id
		}
		for text, colour := range c.Tones {
			id, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true, Color: colour}})
			if err != nil {
				return nil, err
			}
			out[i][text] = id
		}
	}
	return out, nil
}

func (c Column) cell(text string, styles map[string]int) any {
	if text == "" {
		return nil
	}
	style, toned := styles[text]
	if !toned {
		style = styles[""]
	}
	switch c.Kind {
	case Day:
		if day, err := time.Parse(time.DateOnly, text); err == nil {
			return excelize.Cell{StyleID: style, Value: day}
		}
	case Number, Percent, Whole, Money:
		if number, err := strconv.ParseFloat(text, 64); err == nil {
			return excelize.Cell{StyleID: style, Value: number}
		}
	}
	return excelize.Cell{StyleID: style, Value: text}
}
