package httpapi

import (
	"bytes"
	"context"
	"encoding/csv"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
	"oskel/internal/store"
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
			Kinds: append([]string{}, book.Askable(m.Name)...), UsedBy: append([]string{}, book.Uses(m.Name)...)})
	}
	return out, nil
}

// levelOf reads 'rep', 'rep.territory', a pair such as 'rep x product', or
// 'whole'.
func levelOf(book *rulebook.Book, by string) (measure.Level, error) {
	l, complaint := book.ParseLevel(by)
	if complaint != "" {
		return l, fail(http.StatusBadRequest, "unknown-level", "by: %s", complaint)
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
			return nil, fail(http.StatusBadRequest, "unknown-level", "groups: expected attributes of %s, found %q", level.Kind, name)
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
		var known []string
		for _, m := range book.Measures {
			known = append(known, m.Name)
		}
		if !strings.ContainsAny(name, "(+-*/ ") {
			return nil, nil, fail(http.StatusBadRequest, "unknown-measure", "There is no measure %q%s", name, lang.Suggestion(name, known))
		}
		with, err := book.WithFormula(name)
		if err != nil {
			return nil, nil, fail(http.StatusBadRequest, "formula-refused", "The formula %q is not understood %s", name, err)
		}
		book, m = with, with.Measure(name)
	}
	if why := book.AskableAt(name, l); why != "" {
		return nil, nil, fail(http.StatusBadRequest, "not-askable", "%s.", why)
	}
	return book, m, nil
}

// mostColumns bounds a table's width: with a thousand rows a page, some sixty
// thousand cells.
const mostColumns = 60

// grid lends the grid that is asked for, with the ask for its page.
func (s *server) grid(ctx context.Context, p contract.GetTableParams, work func(measure.Ask, *measure.Layout) error) error {
	revision, book, err := s.Books.Published(ctx)
	if err != nil {
		return err
	}
	book, a, err := readAsk(book, p)
	if err != nil {
		return err
	}
	return s.Figures.LayOut(ctx, book, revision.Number, or(p.Version, 0), a, func(l *measure.Layout) error { return work(a, l) })
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
	for _, name := range rulebook.SplitFormulas(p.Measures) {
		if book, _, err = measureOf(book, name, a.Level); err != nil {
			return nil, a, err
		}
		a.Measures = append(a.Measures, name)
	}
	last, err := book.Calendar.Parse(p.Period)
	if err != nil {
		return nil, a, fail(http.StatusBadRequest, "invalid-request", "period: %s", err)
	}
	for n := or(p.Periods, 1) - 1; n >= 0; n-- {
		if p, ok := book.Calendar.Before(last, n); ok {
			a.Periods = append(a.Periods, p)
		}
	}
	columns := len(a.Measures) * len(a.Periods)
	if columns > mostColumns {
		return nil, a, fail(http.StatusBadRequest, "too-wide", "%d measures in %d periods are %d columns; at most %d are shown at once.", len(a.Measures), len(a.Periods), columns, mostColumns)
	}
	a.Text, a.Sort, a.Descending, a.Limit = or(p.Text, ""), or(p.Sort, 0)-1, or(p.Descending, false), or(p.Limit, 100)
	if a.Sort >= columns {
		return nil, a, fail(http.StatusBadRequest, "invalid-request", "sort: there are %d columns, not %d.", columns, a.Sort+1)
	}
	if a.Offset, err = offsetOf(p.Cursor); err != nil {
		return nil, a, err
	}
	return book, a, nil
}

func offsetOf(cursor *string) (int, error) {
	if cursor == nil {
		return 0, nil
	}
	n, err := strconv.Atoi(*cursor)
	if err != nil || n < 0 {
		return 0, fail(http.StatusBadRequest, "invalid-request", "cursor: expected the 'next' of an earlier page, found %q", *cursor)
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
	if c.Worst {
		out.Worst = ptr(true)
	}
	return out
}

// exactText is a decimal where the value is one of four places, else a/b.
func exactText(c measure.Cell) string {
	if a, err := amount.Parse(c.Value.FloatString(4)); err == nil && a.Rat().Cmp(c.Value) == 0 {
		return a.String()
	}
	return c.Value.RatString()
}

func (s *server) GetTable(ctx context.Context, r contract.GetTableRequestObject) (contract.GetTableResponseObject, error) {
	var out contract.GetTable200JSONResponse
	err := s.grid(ctx, r.Params, func(ask measure.Ask, l *measure.Layout) error {
		out = tableOut(l.Engine().Book, ask, l.Page(ask.Offset, ask.Limit))
		return nil
	})
	return out, err
}

func tableOut(book *rulebook.Book, ask measure.Ask, g measure.Grid) contract.GetTable200JSONResponse {
	out := contract.GetTable200JSONResponse{Columns: []contract.TableColumn{}, Rows: []contract.TableRow{}, Whole: []contract.Cell{}, Total: g.Total}
	for i, h := range g.Heads {
		m := book.Measure(h.Measure)
		out.Columns = append(out.Columns, contract.TableColumn{Measure: h.Measure, Title: titled(m), Unit: string(m.Unit), Good: goodOf(m), Period: book.Calendar.String(h.Period), Label: book.Calendar.Words(h.Period), Places: g.Places[i]})
		out.Whole = append(out.Whole, cellOut(g.Whole[i], m))
	}
	for _, row := range g.Rows {
		cells := []contract.Cell{}
		for i, c := range row.Cells {
			cells = append(cells, cellOut(c, book.Measure(g.Heads[i].Measure)))
		}
		to := contract.TableRow{Key: row.Key, Name: row.Name, Cells: cells}
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

func (s *server) ExportTable(ctx context.Context, r contract.ExportTableRequestObject) (contract.ExportTableResponseObject, error) {
	p := contract.GetTableParams(r.Params)
	p.Groups = nil
	var body bytes.Buffer
	err := s.grid(ctx, p, func(ask measure.Ask, l *measure.Layout) error {
		writeGrid(&body, l.Engine().Book, l.Page(0, l.Engine().Size(ask.Level)))
		return nil
	})
	return contract.ExportTable200TextcsvResponse{Body: &body, ContentLength: int64(body.Len())}, err
}

func writeGrid(body *bytes.Buffer, book *rulebook.Book, g measure.Grid) {
	w := csv.NewWriter(body)
	head := []string{"key", "name"}
	for _, h := range g.Heads {
		head = append(head, h.Measure+" "+book.Calendar.String(h.Period))
	}
	w.Write(head) //nolint:errcheck // into memory
	for _, row := range g.Rows {
		cells := []string{row.Key, row.Name}
		for _, c := range row.Cells {
			text := ""
			if c.Why == measure.Present {
				text = amount.RoundRat(c.Value, 4)
			}
			cells = append(cells, text)
		}
		w.Write(cells) //nolint:errcheck // into memory
	}
	w.Flush()
}

func (s *server) GetParts(ctx context.Context, r contract.GetPartsRequestObject) (contract.GetPartsResponseObject, error) {
	p := r.Params
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return nil, err
	}
	level, err := levelOf(book, or(p.By, "whole"))
	if err != nil {
		return nil, err
	}
	book, m, err := measureOf(book, p.Measure, level)
	if err != nil {
		return nil, err
	}
	period, err := book.Calendar.Parse(p.Period)
	if err != nil {
		return nil, fail(http.StatusBadRequest, "invalid-request", "period: %s", err)
	}
	offset, err := offsetOf(p.Cursor)
	if err != nil {
		return nil, err
	}
	engine, err := s.Figures.EngineAt(ctx, book, or(p.Version, 0))
	if err != nil {
		return nil, err
	}
	keys, names := engine.Names(level)
	code := slices.Index(keys, or(p.Key, "all"))
	if code < 0 {
		return nil, fail(http.StatusNotFound, "not-found", "There is no %s %q.", or(p.By, "whole"), or(p.Key, "all"))
	}
	slot := engine.Slot(level, period)
	cell := func(name string) contract.Cell {
		v, why := engine.Exact(name, uint32(code), slot)
		c := measure.Cell{Value: v, Why: why}
		if v != nil {
			c.Float, _ = v.Float64()
		}
		return cellOut(c, book.Measure(name))
	}
	out := contract.GetParts200JSONResponse{Measure: m.Name, Title: m.Title, Words: book.MeasureWords(m), Name: names[code], Label: book.Calendar.Words(period),
		Cell: cell(m.Name), Parts: []contract.Part{}, Columns: []string{}, Lines: [][]string{}}
	if m.Formula != nil {
		for _, name := range m.Formula.Tree.Names() {
			if part := book.Measure(name); part != nil {
				out.Parts = append(out.Parts, contract.Part{Measure: name, Title: part.Title, Cell: cell(name)})
			}
		}
		return out, nil
	}
	columns, lines, err := s.linesBehind(ctx, engine, m, slot, uint32(code))
	if err != nil {
		return nil, err
	}
	out.Columns, out.Total = columns, len(lines)
	if at := slices.Index(columns, m.Of.Figure); at >= 0 && m.Aggregate != "distinct" {
		sum := amount.Amount(0)
		for _, l := range lines {
			if a, err := amount.Parse(l[at]); err == nil {
				sum += a
			}
		}
		out.Sum = ptr(sum.String())
	}
	end := min(len(lines), offset+or(p.Limit, 100))
	out.Lines = append(out.Lines, lines[min(offset, end):end]...)
	if end < len(lines) {
		out.Next = ptr(strconv.Itoa(end))
	}
	return out, nil
}

// linesBehind reads the lines that an aggregate counts for one code.
func (s *server) linesBehind(ctx context.Context, engine *measure.Engine, m *rulebook.Measure, slot measure.Slot, code uint32) (columns []string, lines [][]string, err error) {
	feed := engine.Book.Feed(m.Of.Feed)
	f := store.LineFilter{Version: engine.Snapshot.Version, First: slot.First, Last: slot.Last}
	for _, side := range sidesOf(engine, slot, code) {
		f.Subjects = append(f.Subjects, store.SubjectFilter{Column: feed.SubjectColumn(side.Kind), Codes: engine.Members(side.Slot, side.code)})
	}
	columns, all, err := s.Store.Lines(ctx, feed, f)
	if err != nil {
		return columns, all, err
	}
	for _, l := range all {
		belongs := true
		for i, side := range sidesOf(engine, slot, code) {
			belongs = belongs && (side.By == "" || belongsTo(engine, side, l[slices.Index(columns, f.Subjects[i].Column)], l[0]))
		}
		if belongs && (m.Where == nil || lang.Test(m.Where.Tree, lineLookup(engine, feed, columns, l))) {
			lines = append(lines, l)
		}
	}
	return columns, lines, nil
}

// side is what a code stands for in a slot: a pair has two.
type side struct {
	measure.Slot
	code uint32
}

func sidesOf(engine *measure.Engine, slot measure.Slot, code uint32) []side {
	switch {
	case slot.Kind == "":
		return nil
	case slot.Paired():
		first, second, a, b := engine.Sides(slot, code)
		return []side{{first, a}, {second, b}}
	}
	return []side{{slot, code}}
}

// belongsTo says whether a subject belonged to a group on the day of a line.
func belongsTo(engine *measure.Engine, group side, key, day string) bool {
	register := engine.Snapshot.Registers[group.Kind]
	subject, _ := register.Code(key)
	d, err := calendar.ParseDay(day)
	a := register.Attributes[group.By]
	return err == nil && a != nil && a.At(d)[subject] == group.code
}

// lineLookup gives the values of a line as its text says them.
func lineLookup(engine *measure.Engine, feed *rulebook.Feed, columns, line []string) lang.Lookup {
	return func(name string) lang.Value {
		if column, attribute, dotted := strings.Cut(name, "."); dotted {
			at := slices.IndexFunc(feed.Subjects, func(s rulebook.Subject) bool { return s.Column == column })
			register := engine.Snapshot.Registers[feed.Subjects[at].Kind]
			code, _ := register.Code(line[slices.Index(columns, column)])
			day, _ := calendar.ParseDay(line[0])
			return register.Value(attribute, code, day)
		}
		text := line[slices.Index(columns, name)]
		if feed.Figure(name) != nil {
			return lang.ParseValue(lang.NumberType, text)
		}
		return lang.ParseValue(lang.TextType, text)
	}
}
