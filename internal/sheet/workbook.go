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
	Wide    []float64                  // of the columns, in letters; those that are not stated go by their kind and title
	Names   int                        // how many columns stay in view at the left
	Above   []string                   // lines over the table
	Look    func(row, column int) Look // of the cells of the last page, rows counted from its first; nil is as usual
}

// Look is how a cell looks beside what it holds: a glyph before its figure, which stays a
// number, the colours of its text and its ground as RRGGBB, and weight. It compares.
type Look struct {
	Glyph, Colour, Fill string
	Bold                bool
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
	top := len(t.Above) + 1 // the row of the heads
	panes := &excelize.Panes{Freeze: true, YSplit: top, TopLeftCell: "A" + strconv.Itoa(top+1), ActivePane: "bottomLeft"}
	if t.Names > 0 {
		corner, err := excelize.CoordinatesToCellName(t.Names+1, top+1)
		if err != nil {
			return err
		}
		panes.XSplit, panes.TopLeftCell, panes.ActivePane = t.Names, corner, "bottomRight"
	}
	if err := w.SetPanes(panes); err != nil {
		return err
	}
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	for i, text := range t.Above {
		line := excelize.Cell{Value: text}
		if i == 0 {
			line.StyleID = bold
		}
		if err := w.SetRow("A"+strconv.Itoa(i+1), []any{line}); err != nil {
			return err
		}
	}
	head := make([]any, len(t.Columns))
	for i, c := range t.Columns {
		head[i] = excelize.Cell{StyleID: bold, Value: c.Head()}
	}
	if err := w.SetRow("A"+strconv.Itoa(top), head); err != nil {
		return err
	}
	last := top
	for {
		rows, err := t.Page()
		if err != nil {
			return err
		}
		if len(rows) == 0 {
			break
		}
		for n, row := range rows {
			cells := make([]any, len(row))
			for i, text := range row {
				if t.Look != nil && t.Look(n, i) != (Look{}) {
					if cells[i], err = t.lookedAt(f, i, text, t.Look(n, i)); err != nil {
						return err
					}
					continue
				}
				cells[i] = t.Columns[i].cell(text, styles[i])
			}
			last++
			if err := w.SetRow("A"+strconv.Itoa(last), cells); err != nil {
				return err
			}
		}
	}
	if err := t.onPaper(f, top); err != nil {
		return err
	}
	if corner, ok := t.corner(last); ok {
		if err := w.AddTable(&excelize.Table{Range: "A" + strconv.Itoa(top) + ":" + corner, Name: table}); err != nil {
			return err
		}
	}
	return w.Flush()
}

// onPaper lays the sheet across pages of its width, with the heads on each.
func (t Tab) onPaper(f *excelize.File, top int) error {
	across, wide, tall := "landscape", 1, 0
	if err := f.SetSheetProps(t.Name, &excelize.SheetPropsOptions{FitToPage: &[]bool{true}[0]}); err != nil {
		return err
	}
	if err := f.SetPageLayout(t.Name, &excelize.PageLayoutOptions{Orientation: &across, FitToWidth: &wide, FitToHeight: &tall}); err != nil {
		return err
	}
	return f.SetDefinedName(&excelize.DefinedName{Name: "_xlnm.Print_Titles", Scope: t.Name,
		RefersTo: "'" + strings.ReplaceAll(t.Name, "'", "''") + "'!$" + strconv.Itoa(top) + ":$" + strconv.Itoa(top)})
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
	return max(holds, float64(len([]rune(c.Head()))+6)) // in bold, with room for the filter's button
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
	return cell, err == nil && last > len(t.Above)+1
}

// styles are those of each column, by text; of all others under "".
func (t Tab) styles(f *excelize.File) ([]map[string]int, error) {
	out := make([]map[string]int, len(t.Columns))
	for i, c := range t.Columns {
		out[i] = map[string]int{}
		if format := c.format(); format != "" {
			id, err := f.NewStyle(&excelize.Style{CustomNumFmt: &format})
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

// format is how a spreadsheet writes the column's numbers; "" is as it likes.
func (c Column) format() string {
	if c.Format != "" {
		return c.Format
	}
	return map[Kind]string{Percent: "0.0%", Money: "#,##0.00;-#,##0.00", Whole: "0", Day: "yyyy-mm-dd"}[c.Kind]
}

// lookedAt is a cell with a look of its own. excelize gives the same style one number.
func (t Tab) lookedAt(f *excelize.File, column int, text string, look Look) (any, error) {
	c := t.Columns[column]
	style := &excelize.Style{Font: &excelize.Font{Bold: look.Bold, Color: look.Colour}}
	if look.Fill != "" {
		style.Fill = excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{look.Fill}}
	}
	if format := c.format(); format != "" && c.Kind.Figure() {
		if look.Glyph != "" {
			positive, negative, two := strings.Cut(format, ";")
			if !two {
				negative = "-" + positive
			}
			format = `"` + look.Glyph + ` "` + positive + `;"` + look.Glyph + ` "` + negative
		}
		style.CustomNumFmt = &format
	} else if look.Glyph != "" {
		text = strings.TrimSpace(look.Glyph + " " + text)
	}
	id, err := f.NewStyle(style)
	if err != nil {
		return nil, err
	}
	if text == "" {
		return excelize.Cell{StyleID: id}, nil
	}
	return c.cell(text, map[string]int{"": id}), nil
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
