package httpapi

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/measure"
	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
	"oskel/internal/sheet"
)

// exportedRows is how many rows of an export are made at a time.
const exportedRows = 1000

// tablePages are the rows of a table's file, page by page of one data version, with their marks.
type tablePages struct {
	s       *server
	params  contract.GetTableParams
	m       *marking
	book    *rulebook.Book // with the formulas that are tried
	ask     measure.Ask
	heads   []measure.Head
	whole   measure.GridRow
	version int64
	total   int
	offset  int
	rows    []measure.GridRow               // of the page
	marks   []map[string][]contract.RowMark // of each of these rows, by column: "" is the row's own
	legend  []contract.LegendEntry
	ruled   []ruledColumn
}

// ruledColumn is what one rule says in one period, where it says something of those listed.
type ruledColumn struct {
	rule   string
	period calendar.Period
}

func (s *server) tablePages(ctx context.Context, p contract.GetTableParams) (*tablePages, error) {
	t := &tablePages{s: s, params: p}
	var lists *measure.Layout
	if err := t.lay(ctx, func(l *measure.Layout) { lists = l }); err != nil {
		return nil, err
	}
	t.params.Version = &t.version
	counts, err := t.m.counts(ctx, t.ask.Level)
	if err != nil {
		return nil, err
	}
	listed := map[measure.Level]map[string]bool{{}: {"all": true}}
	for _, level := range append([]measure.Level{t.ask.Level}, t.ask.Groups...) {
		marked, _, _, err := t.m.sorted(ctx, level)
		if err != nil {
			return nil, err
		}
		listed[level] = lists.Lists(level, marked)
	}
	legend, err := t.m.legend(ctx, listed)
	if err != nil {
		return nil, err
	}
	t.legend = *legend
	says := map[ruledColumn]bool{}
	for _, c := range counts {
		if p, ok := t.book.Calendar.ByKey(c.Period); ok && listed[t.ask.Level][c.Key] {
			says[ruledColumn{c.Rule, p}] = true
		}
	}
	for _, rule := range t.m.book.Rules {
		for _, p := range t.ask.Periods {
			if c := (ruledColumn{rule.Name, p}); says[c] {
				t.ruled = append(t.ruled, c)
			}
		}
	}
	return t, t.mark(ctx)
}

// lay lays out the page at the offset.
func (t *tablePages) lay(ctx context.Context, also func(*measure.Layout)) (err error) {
	// Wide tables are made in smaller pages.
	t.params.Limit = ptr(1)
	t.m, err = t.s.grid(ctx, t.params, t.m, func(a measure.Ask, l *measure.Layout) error {
		g := l.Page(t.offset, max(1, exportedRows*60/max(60, len(a.Measures)*len(a.Periods))))
		t.book, t.ask, t.heads, t.rows, t.total, t.version = l.Engine().Book, a, g.Heads, g.Rows, g.Total, l.Engine().Snapshot.Version
		t.whole = measure.GridRow{Key: "all", Name: "Total", Cells: g.Whole}
		if also != nil {
			also(l)
		}
		return nil
	})
	return err
}

// next turns to the page after this one; false is the end.
func (t *tablePages) next(ctx context.Context) (bool, error) {
	if t.offset += len(t.rows); t.offset >= t.total || len(t.rows) == 0 {
		t.rows = nil
		return false, nil
	}
	if err := t.lay(ctx, nil); err != nil {
		return false, err
	}
	return true, t.mark(ctx)
}

// mark finds the marks of the page.
func (t *tablePages) mark(ctx context.Context) error {
	table := contract.Table{Rows: []contract.TableRow{}}
	for _, r := range t.rows {
		row := contract.TableRow{Key: r.Key, Name: r.Name}
		if r.Depth > 0 {
			row.Depth = &r.Depth
		}
		table.Rows = append(table.Rows, row)
	}
	for _, h := range t.heads {
		c := contract.TableColumn{}
		if h.Across != nil {
			c.Across = &h.Across.Key
		}
		table.Columns = append(table.Columns, c)
	}
	if err := t.m.markRows(ctx, t.ask, &table); err != nil {
		return err
	}
	if t.ask.Across.Kind != "" {
		if err := t.m.markCrossed(ctx, t.ask, &table); err != nil {
			return err
		}
	}
	t.marks = nil
	for _, r := range table.Rows {
		t.marks = append(t.marks, t.byColumn(or(r.Marks, nil)))
	}
	if t.offset == 0 {
		t.whole.Level, t.whole.Depth = measure.Level{}, 1
		t.marks = append(t.marks, t.byColumn(or(table.WholeMarks, nil)))
	}
	return nil
}

// columnName names a column of figures for programs.
func (t *tablePages) columnName(h measure.Head) string {
	switch {
	case h.Across != nil:
		return h.Across.Key
	case t.ask.Across.Kind != "":
		return "total"
	}
	return h.Measure + " " + t.book.Calendar.String(h.Period)
}

func (t *tablePages) byColumn(marks []contract.RowMark) map[string][]contract.RowMark {
	out := map[string][]contract.RowMark{}
	for _, m := range marks {
		name := ""
		switch {
		case m.Across != nil:
			name = *m.Across
		case m.Measure != nil && t.ask.Across.Kind != "":
			name = "total"
		case m.Measure != nil:
			name = *m.Measure + " " + m.Period
		}
		out[name] = append(out[name], m)
	}
	return out
}

// columns are key, name and figures, then what each rule says.
func (t *tablePages) columns(titles bool) []sheet.Column {
	out := []sheet.Column{{Name: "key"}, {Name: "name"}}
	one := func(of func(measure.Head) any) bool {
		return !slices.ContainsFunc(t.heads, func(h measure.Head) bool { return of(h) != of(t.heads[0]) })
	}
	onePeriod, oneMeasure := one(func(h measure.Head) any { return h.Period }), one(func(h measure.Head) any { return h.Measure })
	for _, h := range t.heads {
		m, c := t.book.Measure(h.Measure), sheet.Column{Name: t.columnName(h), Kind: sheet.Number}
		if m.Unit == rulebook.Percent {
			c.Kind = sheet.Percent
		}
		if titles {
			label := t.book.Calendar.Words(h.Period)
			switch {
			case h.Across != nil:
				c.Title = h.Across.Name
			case t.ask.Across.Kind != "":
				c.Title = "Total"
			case onePeriod:
				c.Title = titled(m)
			case oneMeasure:
				c.Title = label
			default:
				c.Title = titled(m) + ", " + label
			}
			c.Format = paperFormat(m)
		}
		out = append(out, c)
	}
	for _, r := range t.ruled {
		c := sheet.Column{Name: "mark " + r.rule + " " + t.book.Calendar.String(r.period)}
		if rule := t.m.book.Rule(r.rule); rule != nil && titles {
			if c.Title = rule.Title; len(t.ask.Periods) > 1 {
				c.Title += ", " + t.book.Calendar.Words(r.period)
			}
		}
		out = append(out, c)
	}
	return out
}

// paperFormat is how a spreadsheet writes the figures of a measure.
func paperFormat(m *rulebook.Measure) string {
	format := "#,##0"
	if m.Places > 0 {
		format += "." + strings.Repeat("0", m.Places)
	}
	if m.Unit == rulebook.Percent {
		format += "%"
	}
	if m.Brackets {
		return format + ";(" + format + ")"
	}
	return format + ";-" + format
}

// cells are the texts of one row.
func (t *tablePages) cells(row measure.GridRow, marks map[string][]contract.RowMark, label func(grade string) string) []string {
	out := []string{row.Key, row.Name}
	for _, c := range row.Cells {
		text := ""
		if c.Why == measure.Present {
			text = trimmed(amount.RoundRat(c.Value, 4))
		}
		out = append(out, text)
	}
	given := map[ruledColumn]string{}
	for _, some := range marks {
		for _, m := range some {
			if p, err := t.book.Calendar.Parse(m.Period); err == nil {
				if c := (ruledColumn{m.Rule, p}); given[c] == "" || t.m.book.Severity(m.Grade) < t.m.book.Severity(given[c]) {
					given[c] = m.Grade
				}
			}
		}
	}
	for _, r := range t.ruled {
		text := ""
		if grade := given[r]; grade != "" {
			text = label(grade)
		}
		out = append(out, text)
	}
	return out
}

// texts is the page for programs: subjects alone, grades by their names.
func (t *tablePages) texts() (out [][]string) {
	for i, r := range t.rows {
		if r.Depth == 0 {
			out = append(out, t.cells(r, t.marks[i], func(grade string) string { return grade }))
		}
	}
	return out
}

// pages gives the texts of this page, then of those that follow.
func (t *tablePages) pages(ctx context.Context) func() ([][]string, error) {
	first := true
	return func() ([][]string, error) {
		for {
			if !first {
				if more, err := t.next(ctx); err != nil || !more {
					return nil, err
				}
			}
			first = false
			if rows := t.texts(); len(rows) > 0 {
				return rows, nil
			}
			if len(t.rows) == 0 {
				return nil, nil
			}
		}
	}
}

// ExportTable writes all rows as CSV.
func (s *server) ExportTable(ctx context.Context, r contract.ExportTableRequestObject) (contract.ExportTableResponseObject, error) {
	p := contract.GetTableParams(r.Params)
	p.Groups = nil
	t, err := s.tablePages(ctx, p)
	if err != nil {
		return nil, err
	}
	body, err := sheet.NewStream(t.columns(false), t.pages(ctx))
	return contract.ExportTable200TextcsvResponse{Body: body}, err
}

// ExportTableFile writes the same as CSV, JSON or Parquet, or as a workbook: with subtotals, the
// total, titles, and the marks as on screen.
func (s *server) ExportTableFile(ctx context.Context, r contract.ExportTableFileRequestObject) (contract.ExportTableFileResponseObject, error) {
	p, asked := contract.GetTableParams(r.Params), outliving(ctx)
	if r.Form != "xlsx" {
		p.Groups = nil
	}
	t, err := s.tablePages(asked, p)
	if err != nil {
		return nil, err
	}
	out := streamedFile{kind: fileKinds[string(r.Form)], name: "figures-" + strings.ReplaceAll(p.Period, " ", "-") + "." + string(r.Form)}
	switch r.Form {
	case "csv":
		out.body, err = sheet.NewStream(t.columns(false), t.pages(asked))
	case "parquet":
		out.body = inTheWriting(asked, func(to io.Writer) error { return sheet.Parquet(to, t.columns(false), t.pages(asked)) })
	case "json":
		out.body = inTheWriting(asked, func(to io.Writer) error { return writeJSONRows(to, t.columns(false), t.pages(asked)) })
	default:
		says, err := t.about(asked)
		if err != nil {
			return nil, err
		}
		out.body = inTheWriting(asked, func(to io.Writer) error { return t.workbook(asked, to, says) })
	}
	return out, err
}

// about says over a workbook's table what it is of, by whom and when.
func (t *tablePages) about(ctx context.Context) ([]string, error) {
	book := t.m.book
	periods := book.Calendar.Words(t.ask.Periods[len(t.ask.Periods)-1])
	if n := len(t.ask.Periods); n > 1 {
		periods = book.Calendar.Words(t.ask.Periods[0]) + " to " + periods
	}
	of := book.Many(t.ask.Level)
	if t.ask.Across.Kind != "" {
		of += " by " + book.Many(t.ask.Across) + ": " + strings.ToLower(t.book.Measure(t.ask.Measures[0]).Title)
	}
	narrowed := ""
	if t.ask.Text != "" {
		narrowed += fmt.Sprintf(", “%s” in name or key", t.ask.Text)
	}
	if t.ask.Only != nil {
		narrowed += ", flagged only"
	}
	if t.ask.Top > 0 {
		narrowed += fmt.Sprintf(", the first %d", t.ask.Top)
	}
	if rows := or(t.params.Rows, ""); rows != "" {
		narrowed += ", rows where " + rows + "; the total is of all"
	}
	if t.m.where != "" {
		narrowed += ", of lines where " + t.m.where
	}
	marks := "Marks on record"
	says, err := t.m.says(ctx, []measure.Level{t.ask.Level})
	if err != nil {
		return nil, err
	}
	switch {
	case t.m.by == contract.MarksFromDraft:
		marks = "Figures and marks as a draft says"
	case t.m.by == contract.MarksFromTrial:
		marks = "Tried, not published: figures and marks with " + strings.ReplaceAll(*t.params.Dials, ",", ", ")
	case t.m.live():
		marks = "Marks as the published rules say now"
	case len(says.Unswept) > 0:
		marks += "; not swept: " + strings.Join(says.Unswept, ", ")
	}
	revision, _, err := t.s.Books.Published(ctx)
	now := t.s.Now()
	return []string{fmt.Sprintf("%s: %s, %s%s", book.Title, of, periods, narrowed),
		fmt.Sprintf("%s. Rulebook revision %d, data version %d. %s, %s.", marks, revision.Number, t.version, whoAsks(ctx).Title,
			now.Format("2 Jan 2006 15:04 MST")), ""}, err
}

// workbook writes the table with its marks, and a sheet of what they mean.
func (t *tablePages) workbook(ctx context.Context, to io.Writer, above []string) error {
	columns := t.columns(true)
	label := func(grade string) string {
		g := t.m.book.Grade(grade)
		if g == nil {
			return grade
		}
		return rulebook.Glyphs[g.Shape] + " " + g.Label
	}
	var page []measure.GridRow
	var marks []map[string][]contract.RowMark
	whole, wholeMarks := t.whole, t.marks[len(t.marks)-1]
	started, ended := false, false
	texts := func() (out [][]string, err error) {
		if ended {
			return nil, nil
		}
		more := true
		if started {
			if more, err = t.next(ctx); err != nil {
				return nil, err
			}
		}
		started = true
		page, marks = t.rows, t.marks
		if !more || len(page) == 0 {
			if ended = true; t.ask.Level.Kind == "" {
				return nil, nil
			}
			page, marks = []measure.GridRow{whole}, []map[string][]contract.RowMark{wholeMarks}
		}
		for i, r := range page {
			row := t.cells(r, marks[i], label)
			if r.Depth > 0 {
				row[0] = ""
			}
			out = append(out, row)
		}
		return out, nil
	}
	tab := sheet.Tab{Name: "Figures", Columns: columns, Names: 2, Above: above, Page: texts, Look: func(row, column int) sheet.Look {
		return t.look(page[row], marks[row], column)
	}}
	var legend [][]string
	for _, e := range t.legend {
		legend = append(legend, []string{label(e.Grade), e.Title, strconv.Itoa(e.Count), e.Words})
	}
	for i := range t.book.Measures {
		if m := &t.book.Measures[i]; slices.Contains(t.ask.Measures, m.Name) {
			legend = append(legend, []string{"", m.Title, "", t.book.MeasureWords(m)})
		}
	}
	return sheet.Workbook(to, tab, sheet.Tab{Name: "Legend", Columns: []sheet.Column{{Name: "mark"}, {Name: "rule", Title: "Rule or measure"},
		{Name: "count", Title: "How many", Kind: sheet.Whole}, {Name: "when", Title: "When, or what of"}}, Wide: []float64{16, 34, 10, 110},
		Page: func() ([][]string, error) {
			rows := legend
			legend = nil
			return rows, nil
		}})
}

// look is how a cell of the table looks: by its most serious mark, or the row's where that
// colours the whole of it.
func (t *tablePages) look(row measure.GridRow, marks map[string][]contract.RowMark, column int) sheet.Look {
	look := sheet.Look{Bold: row.Depth > 0}
	var all []contract.RowMark
	for _, some := range marks {
		all = append(all, some...)
	}
	most := func(of []contract.RowMark) (worst *rulebook.Grade) {
		for _, m := range of {
			if g := t.m.book.Grade(m.Grade); g != nil && (worst == nil || t.m.book.Severity(g.Name) < t.m.book.Severity(worst.Name)) {
				worst = g
			}
		}
		return worst
	}
	if g := most(all); g != nil && g.Cell == "row" {
		look.Fill = paperTint(g.Tone)
	}
	name := ""
	switch at := column - 2; {
	case column == 0 || at >= len(t.heads):
		return look
	case at >= 0:
		name = t.columnName(t.heads[at])
	}
	of := marks[name]
	if column == 1 { // of what is not shown, and of periods that are not the last
		of = marks[""]
	}
	g := most(of)
	if g == nil {
		return look
	}
	look.Glyph, look.Colour = rulebook.Glyphs[g.Shape], paperTones[g.Tone]
	if g.Cell == "tint" {
		look.Fill = paperTint(g.Tone)
	}
	look.Bold = look.Bold || g.Cell == "figure"
	return look
}

// paperTint is a tone thinned on white, so that text keeps its contrast.
func paperTint(tone string) string {
	rgb, err := strconv.ParseUint(paperTones[tone], 16, 32)
	if err != nil {
		return ""
	}
	thin := func(shift uint) uint64 { return 255 - (255-(rgb>>shift&255))*15/100 }
	return fmt.Sprintf("%02X%02X%02X", thin(16), thin(8), thin(0))
}
