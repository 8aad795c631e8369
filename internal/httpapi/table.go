package httpapi

import (
	"context"
	"maps"
	"math/big"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/rulebook"
	"oskel/internal/figures"
	"oskel/internal/httpapi/contract"
)

func goodOf(m *rulebook.Measure) string {
	if m.GoodDown {
		return "down"
	}
	return "up"
}

func (s *server) ListMeasures(ctx context.Context, _ contract.ListMeasuresRequestObject) (contract.ListMeasuresResponseObject, error) {
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return contract.ListMeasures200JSONResponse{}, ignoreNotFound(err)
	}
	out := contract.ListMeasures200JSONResponse{}
	for i := range book.Measures {
		m := &book.Measures[i]
		out = append(out, contract.Measure{Name: m.Name, Title: m.Title, Unit: string(m.Unit), Good: contract.MeasureGood(goodOf(m)), Words: book.MeasureWords(m),
			Kinds: append([]string{}, book.Askable(m.Name)...), UsedBy: append([]string{}, book.Uses(m.Name)...), Groups: groupsOut(book, m)})
	}
	return out, nil
}

// levelOf reads 'rep', 'rep.territory', a pair such as 'rep x product', or
// 'whole'.
func levelOf(book *rulebook.Book, by string) (measure.Level, error) {
	l, complaint := book.ParseLevel(by)
	if complaint != "" {
		return l, refusal(http.StatusBadRequest, "unknown-level", "by: %s", complaint)
	}
	return l, nil
}

// groupsOf reads attributes that rows are gathered by, the widest first.
func groupsOf(book *rulebook.Book, level measure.Level, list string) ([]measure.Level, error) {
	var out []measure.Level
	for _, name := range strings.Split(list, ",") {
		if name = strings.TrimSpace(name); name == "" {
			continue
		}
		l, err := levelOf(book, name)
		switch {
		case err != nil:
			return nil, err
		case l.By == "" || l.Paired() || l.Kind != level.Kind && l.Kind != level.With:
			return nil, refusal(http.StatusBadRequest, "unknown-level", "groups: expected attributes of %s, found %q", level.Kind, name)
		}
		out = append(out, l)
	}
	return out, nil
}

// measureOf finds a measure that can be asked of a level: one of the book, or
// a formula that is tried, for which the book is given back with it.
func measureOf(book *rulebook.Book, name string, l measure.Level) (*rulebook.Book, *rulebook.Measure, error) {
	m := book.Measure(name)
	if m == nil {
		if !strings.ContainsAny(name, "(+-*/ ") {
			return nil, nil, refusal(http.StatusBadRequest, "unknown-measure", "There is no measure %q%s", name, lang.Suggestion(name, measureNames(book)))
		}
		with, err := book.WithFormula(name)
		if err != nil {
			return nil, nil, refusal(http.StatusBadRequest, "formula-refused", "The formula %q is not understood %s", name, err)
		}
		book, m = with, with.Measure(name)
	}
	if why := book.AskableAt(name, l); why != "" {
		return nil, nil, refusal(http.StatusBadRequest, "not-askable", "%s.", why)
	}
	return book, m, nil
}

// mostCells bounds a page of a table: of a thousand rows sixty columns.
const mostCells = 60_000

// pairOf is the level of the cells of a table across another level.
func pairOf(level, across measure.Level) measure.Level {
	return measure.Level{Kind: level.Kind, By: level.By, With: across.Kind, WithBy: across.By}
}

// acrossOf reads the level that is laid across a table: of another kind than its rows.
func acrossOf(book *rulebook.Book, level measure.Level, text string) (measure.Level, error) {
	if text == "" {
		return measure.Level{}, nil
	}
	l, complaint := book.ParseLevel(text)
	switch {
	case complaint != "":
		return l, refusal(http.StatusBadRequest, "unknown-level", "across: %s", complaint)
	case l.Kind == "" || l.Paired() || level.Kind == "" || level.Paired() || l.Kind == level.Kind:
		return l, refusal(http.StatusBadRequest, "unknown-level", "across: expected a level of another kind than the rows, such as product.category across rep; "+
			"found %q across %q", text, level)
	}
	return l, nil
}

// grid lends the grid that is asked for, with the ask for its page, and gives where its marks come
// from. Those are found where m is nil, so that the pages of one file agree on them.
func (s *server) grid(ctx context.Context, p contract.GetTableParams, m *marking, work func(measure.Ask, *measure.Layout) error) (*marking, error) {
	revision, published, err := s.Books.Published(ctx)
	if err != nil {
		return m, err
	}
	fresh := m == nil
	if fresh {
		if m, err = s.markingOf(ctx, p, published); err != nil {
			return m, err
		}
	}
	book, a, err := readAsk(m.book, p)
	if err != nil {
		return m, err
	}
	if fresh {
		if err := m.ready(ctx, a, published, or(p.Version, 0)); err != nil {
			return m, err
		}
	}
	marked, severity, flagged, err := m.sorted(ctx, a.Level)
	if err != nil {
		return m, err
	}
	if or(p.Flagged, false) {
		a.Only = flagged
	}
	if !or(p.WithFigures, false) {
		a.Also = flagged
	}
	if a.Sort == measure.ByMarks {
		a.Marked, a.Severity = marked, severity
	}
	of := figures.Of{Book: book, Revision: revision.Number, Version: or(p.Version, 0), Where: or(p.Where, "")}
	switch {
	case m.text == "":
	case m.by == contract.MarksFromTrial && sameFigures(published, book, p):
		// So a dial that is turned computes no figure anew.
		if of.Book, _, err = readAsk(published, p); err != nil {
			return m, err
		}
	default:
		of.Published, of.Draft = published, m.text
	}
	return m, s.Figures.LayOut(ctx, of, a, s.limits.Cells, func(l *measure.Layout) error { return work(a, l) })
}

// sameFigures tells whether what is asked of a book reads the same with the published values of
// its dials: no condition is asked, and no measure and no formula asks a dial that differs.
func sameFigures(published, tried *rulebook.Book, p contract.GetTableParams) bool {
	if or(p.Rows, "") != "" || or(p.Where, "") != "" {
		return false
	}
	for i, d := range published.Dials {
		if d.Value == tried.Dials[i].Value {
			continue
		}
		asks := func(use string) bool { return strings.HasPrefix(use, "measure ") }
		if slices.ContainsFunc(tried.Uses(d.Name), asks) { // formulas that are tried are among its measures
			return false
		}
	}
	return true
}

// readAsk reads what is asked of a book, and gives back the book with the
// formulas that are tried.
func readAsk(book *rulebook.Book, p contract.GetTableParams) (_ *rulebook.Book, a measure.Ask, err error) {
	if a.Level, err = levelOf(book, or(p.By, "whole")); err != nil {
		return nil, a, err
	}
	if a.Groups, err = groupsOf(book, a.Level, or(p.Groups, "")); err != nil {
		return nil, a, err
	}
	if a.Across, err = acrossOf(book, a.Level, or(p.Across, "")); err != nil {
		return nil, a, err
	}
	for _, name := range rulebook.SplitFormulas(p.Measures) {
		if book, _, err = measureOf(book, name, a.Level); err == nil && a.Across.Kind != "" {
			_, _, err = measureOf(book, name, pairOf(a.Level, a.Across))
		}
		if err != nil {
			return nil, a, err
		}
		a.Measures = append(a.Measures, name)
	}
	if rows := or(p.Rows, ""); rows != "" {
		if a.Where, err = book.RowCondition(rows, a.Level); err != nil {
			return nil, a, refusal(http.StatusBadRequest, "condition-refused", "rows: %s.", strings.TrimSuffix(err.Error(), "."))
		}
	}
	last, err := book.Calendar.Parse(p.Period)
	if err != nil {
		return nil, a, refusal(http.StatusBadRequest, "invalid-request", "period: %s", err)
	}
	for n := or(p.Periods, 1) - 1; n >= 0; n-- {
		if p, ok := book.Calendar.Before(last, n); ok {
			a.Periods = append(a.Periods, p)
		}
	}
	a.Text, a.Sort, a.Descending, a.Limit, a.Top = or(p.Text, ""), or(p.Sort, 0)-1, or(p.Descending, false), or(p.Limit, 100), or(p.Top, 0)
	columns := len(a.Measures) * len(a.Periods)
	switch most := mostCells / a.Limit; {
	case a.Across.Kind != "" && columns != 1:
		return nil, a, refusal(http.StatusBadRequest, "invalid-request",
			"across: expected one measure in one period, found %d in %d.", len(a.Measures), len(a.Periods))
	case columns > most:
		return nil, a, refusal(http.StatusBadRequest, "too-wide", "%d measures in %d periods are %d columns; of %d rows a page at most %d are shown at once.",
			len(a.Measures), len(a.Periods), columns, a.Limit, most)
	}
	if n := or(p.Lines, 0); n > 0 && a.Across.Kind == "" && len(a.Periods) == 1 {
		a.Lines = book.Calendar.Run(last, n)
	}
	// Most pairs of two kinds have nothing to do with each other in a period.
	a.Figures = or(p.WithFigures, a.Level.Paired())
	if a.Sort >= columns && a.Across.Kind == "" {
		return nil, a, refusal(http.StatusBadRequest, "invalid-request", "sort: there are %d columns, not %d.", columns, a.Sort+1)
	}
	if a.Offset, err = offsetOf(p.Cursor); err != nil {
		return nil, a, err
	}
	return book, a, nil
}

// mostOffset bounds how far on a page may begin.
const mostOffset = 1<<31 - 1

func offsetOf(cursor *string) (int, error) {
	if cursor == nil {
		return 0, nil
	}
	n, err := strconv.Atoi(*cursor)
	if err != nil || n < 0 || n > mostOffset {
		return 0, refusal(http.StatusBadRequest, "invalid-request", "cursor: expected the 'next' of an earlier page, found %q", *cursor)
	}
	return n, nil
}

// titled is a measure's title with its currency, which its figures leave out.
func titled(m *rulebook.Measure) string {
	if currency := m.Unit.Currency(); currency != "" {
		return m.Title + ", " + currency
	}
	return m.Title
}

func cellOut(c measure.Cell, m *rulebook.Measure) contract.Cell {
	if c.Why != measure.Present {
		return contract.Cell{Why: ptr(c.Why.String())}
	}
	out := contract.Cell{Text: rulebook.Show(m, c.Value), Exact: ptr(exactText(c)), Value: ptr(c.Float)}
	if c.Place > 0 {
		out.Place = ptr(c.Place)
	}
	if c.Tied {
		out.Tied = ptr(true)
	}
	if c.Worst {
		out.Worst = ptr(true)
	}
	return out
}

// exactText is a decimal where the value is one of four places, else a/b.
func exactText(c measure.Cell) string {
	if d := c.Value.Denom(); d.IsInt64() && amount.Scale%d.Int64() == 0 {
		n := new(big.Int).Mul(c.Value.Num(), big.NewInt(amount.Scale/d.Int64()))
		if n.IsInt64() {
			return amount.Amount(n.Int64()).String()
		}
	}
	return c.Value.RatString()
}

func (s *server) GetTable(ctx context.Context, r contract.GetTableRequestObject) (contract.GetTableResponseObject, error) {
	var out contract.GetTable200JSONResponse
	var asked measure.Ask
	listed := map[measure.Level]map[string]bool{}
	var lists *measure.Layout
	m, err := s.grid(ctx, r.Params, nil, func(ask measure.Ask, l *measure.Layout) error {
		asked, lists = ask, l
		out = tableOut(l.Engine().Book, ask, l.Page(ask.Offset, ask.Limit))
		return nil
	})
	if err == nil && asked.Offset == 0 {
		// The database is not asked while the layout is borrowed; what is laid out never changes.
		for _, level := range append([]measure.Level{asked.Level}, asked.Groups...) {
			var marked []string
			if marked, _, _, err = m.sorted(ctx, level); err != nil {
				return nil, err
			}
			listed[level] = lists.Lists(level, marked)
		}
		listed[measure.Level{}] = map[string]bool{"all": true} // the total
		if asked.Across.Kind != "" {
			pairs := pairOf(asked.Level, asked.Across)
			var marked []string
			if marked, _, _, err = m.sorted(ctx, pairs); err != nil {
				return nil, err
			}
			listed[pairs], _ = lists.Crossed(marked)
		}
		err = m.describe(ctx, asked, listed, (*contract.Table)(&out))
	}
	if err == nil {
		err = m.markRows(ctx, asked, (*contract.Table)(&out))
	}
	if err == nil && asked.Across.Kind != "" {
		err = m.markCrossed(ctx, asked, (*contract.Table)(&out))
	}
	if err == nil && len(asked.Lines) > 0 {
		err = m.markLines(ctx, asked, (*contract.Table)(&out))
	}
	return out, err
}

// describe says of a whole table what its marks are, where they stand and what they mean.
func (m *marking) describe(ctx context.Context, a measure.Ask, listed map[measure.Level]map[string]bool, out *contract.Table) (err error) {
	if out.Legend, err = m.legend(ctx, listed); err != nil {
		return err
	}
	if err = m.carried(ctx, a, listed, out.Columns); err != nil {
		return err
	}
	out.Marking, err = m.says(ctx, slices.Collect(maps.Keys(listed)))
	return err
}

// keysOf are the keys of some periods.
func keysOf(book *rulebook.Book, periods []calendar.Period) (out []calendar.Key) {
	for _, p := range periods {
		out = append(out, book.Calendar.Key(p))
	}
	return out
}

// markRows says of a page of rows, of subtotals among them and of the total, where they are
// marked: on the cell of the measure that the rule looks at, or says that it marks, or else
// the row.
func (m *marking) markRows(ctx context.Context, a measure.Ask, out *contract.Table) error {
	keys := map[measure.Level][]string{}
	for _, r := range out.Rows {
		keys[rowLevel(a, r)] = append(keys[rowLevel(a, r)], r.Key)
	}
	total := measure.Level{}
	keys[total] = []string{"all"}
	marks := map[measure.Level]map[string][]contract.RowMark{}
	for level, keys := range keys {
		var err error
		if marks[level], err = m.rows(ctx, a, level, keys); err != nil {
			return err
		}
	}
	for i := range out.Rows {
		if of := marks[rowLevel(a, out.Rows[i])][out.Rows[i].Key]; of != nil {
			out.Rows[i].Marks = &of
		}
	}
	if of := marks[total]["all"]; of != nil {
		out.WholeMarks = &of
	}
	return nil
}

func tableOut(book *rulebook.Book, ask measure.Ask, g measure.Grid) contract.GetTable200JSONResponse {
	out := contract.GetTable200JSONResponse{Columns: []contract.TableColumn{}, Rows: []contract.TableRow{}, Whole: []contract.Cell{}, Total: g.Total,
		Without: g.Without}
	for i, h := range g.Heads {
		m := book.Measure(h.Measure)
		column := contract.TableColumn{Measure: h.Measure, Title: titled(m), Unit: string(m.Unit), Good: goodOf(m),
			Period: book.Calendar.String(h.Period), Label: book.Calendar.Words(h.Period), Places: g.Places[i],
			Groups: groupsOut(book, m), Rules: []contract.ColumnRule{}, Signed: m.Signed()}
		if s := g.Spreads[i]; s != nil {
			column.Spread = &contract.Spread{Low: s.Low, P5: s.P5, Median: s.Median, P95: s.P95, High: s.High, Mean: s.Mean}
		}
		if h.Across != nil {
			column.Across, column.Label = &h.Across.Key, h.Across.Name
		} else if ask.Across.Kind != "" {
			column.Label = "Total"
		}
		out.Columns = append(out.Columns, column)
		out.Whole = append(out.Whole, cellOut(g.Whole[i], m))
	}
	for _, row := range g.Rows {
		cells := []contract.Cell{}
		for i, c := range row.Cells {
			cells = append(cells, cellOut(c, book.Measure(g.Heads[i].Measure)))
		}
		for i, line := range row.Lines {
			points := []contract.LinePoint{}
			for k, c := range line {
				p := contract.LinePoint{Period: book.Calendar.String(ask.Lines[k])}
				if c.Why == measure.Present {
					p.Value = ptr(c.Float)
				}
				points = append(points, p)
			}
			cells[i].Line = &points
		}
		to := contract.TableRow{Key: row.Key, Name: row.Name, Cells: cells}
		if !slices.ContainsFunc(row.Cells, func(c measure.Cell) bool { return c.Why == measure.Present }) {
			to.Why = cells[len(cells)-1].Why // of the newest period
		}
		if row.Depth > 0 {
			to.Depth, to.By = &row.Depth, ptr(row.Level.Kind+"."+row.Level.By)
		}
		out.Rows = append(out.Rows, to)
	}
	if next := ask.Offset + len(g.Rows); next < g.Total && len(g.Rows) > 0 {
		out.Next = ptr(strconv.Itoa(next))
	}
	return out
}

// groupsOut says how a measure's groups and total are made, where not from
// their own figures.
func groupsOut(book *rulebook.Book, m *rulebook.Measure) *string {
	if m.Groups.How == "" {
		return nil
	}
	return ptr(book.GatheringWords(m))
}

// oneFigure is a figure that is asked for: a measure of one code of a level in a period.
type oneFigure struct {
	book    *rulebook.Book // with the formula that is tried
	measure *rulebook.Measure
	engine  *measure.Engine
	slot    measure.Slot
	code    uint32
	key     string
	name    string
}

// figure reads which figure is asked for: unless stated of the whole, as of the newest data.
func (s *server) figure(ctx context.Context, name string, by, key *string, period string, version *int64, where *string) (f oneFigure, err error) {
	if _, f.book, err = s.Books.Published(ctx); err != nil {
		return f, err
	}
	m := marking{s: s, book: f.book, where: or(where, "")}
	if err = m.narrow([]string{name}); err != nil {
		return f, err
	}
	f.book = m.book
	level, err := levelOf(f.book, or(by, "whole"))
	if err != nil {
		return f, err
	}
	if f.book, f.measure, err = measureOf(f.book, name, level); err != nil {
		return f, err
	}
	p, err := f.book.Calendar.Parse(period)
	if err != nil {
		return f, refusal(http.StatusBadRequest, "invalid-request", "period: %s", err)
	}
	if f.engine, err = s.Figures.EngineAt(ctx, f.book, or(version, 0)); err != nil {
		return f, err
	}
	keys, names := f.engine.Names(level)
	code := slices.Index(keys, or(key, "all"))
	if code < 0 {
		return f, refusal(http.StatusNotFound, "not-found", "There is no %s %q.", or(by, "whole"), or(key, "all"))
	}
	f.slot, f.code, f.key, f.name = f.engine.Slot(level, p), uint32(code), keys[code], names[code]
	return f, nil
}

func (s *server) GetBreakdown(ctx context.Context, r contract.GetBreakdownRequestObject) (contract.GetBreakdownResponseObject, error) {
	p := r.Params
	offset, err := offsetOf(p.Cursor)
	if err != nil {
		return nil, err
	}
	f, err := s.figure(ctx, p.Measure, p.By, p.Key, p.Period, p.Version, p.Where)
	if err != nil {
		return nil, err
	}
	book, m, engine, slot := f.book, f.measure, f.engine, f.slot
	cell := func(name string) contract.Cell {
		v, why := engine.Exact(name, f.code, slot)
		c := measure.Cell{Value: v, Why: why}
		if v != nil {
			c.Float, _ = v.Float64()
		}
		return cellOut(c, book.Measure(name))
	}
	out := contract.GetBreakdown200JSONResponse{Measure: m.Name, Title: m.Title, Words: book.MeasureWords(m), Name: f.name,
		Label: book.Calendar.Words(slot.Period),
		Cell:  cell(m.Name), Parts: []contract.Part{}, Columns: []string{}, Lines: [][]string{}}
	if m.Formula != nil {
		for _, name := range m.Formula.Tree.Names() {
			if part := book.Measure(name); part != nil {
				out.Parts = append(out.Parts, contract.Part{Measure: name, Title: part.Title, Cell: cell(name)})
			}
		}
		return out, nil
	}
	if m.Days != "" {
		return out, nil
	}
	lines, err := s.Figures.Behind(ctx, engine, m.Name, slot, f.code, offset, or(p.Limit, 100))
	if err != nil {
		return nil, err
	}
	out.Columns, out.Total = lines.Columns, lines.Total
	if lines.Sum != nil {
		out.Sum = ptr(trimmed(amount.RoundRat(lines.Sum, 4)))
	}
	out.Lines = append(out.Lines, lines.Rows...)
	if next := offset + len(lines.Rows); next < lines.Total && len(lines.Rows) > 0 {
		out.Next = ptr(strconv.Itoa(next))
	}
	return out, nil
}
