package httpapi

import (
	"context"
	"math/big"
	"net/http"
	"sort"
	"strconv"
	"strings"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/rulebook"
	"oskel/internal/figures"
	"oskel/internal/httpapi/contract"
)

// registerOf finds a kind of the published book with its register's engine.
func (s *server) registerOf(ctx context.Context, kind string) (*measure.Engine, *rulebook.Kind, *ledger.Register, error) {
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return nil, nil, nil, err
	}
	k := book.Kind(kind)
	if k == nil {
		var known []string
		for _, k := range book.Kinds {
			known = append(known, k.Name)
		}
		return nil, nil, nil, refusal(http.StatusNotFound, "not-found", "There is no kind %q%s", kind, lang.Suggestion(kind, known))
	}
	engine, err := s.Figures.Engine(ctx, book)
	if err != nil {
		return nil, nil, nil, err
	}
	return engine, k, engine.Snapshot.Registers[kind], nil
}

// lastMonth is the newest month with lines, or that of today.
func (s *server) lastMonth(engine *measure.Engine) calendar.Month {
	if day, ok := figures.LastDay(engine.Snapshot); ok {
		m := calendar.Month(engine.Book.Calendar.Of(calendar.Monthly, day).Number)
		return m
	}
	return calendar.Month(engine.Book.Calendar.Of(calendar.Monthly, engine.Book.Calendar.Today(s.Now())).Number)
}

func dayText(d calendar.Day) *string {
	if d == ledger.Never {
		return nil
	}
	return ptr(d.String())
}

func (s *server) GetRegister(ctx context.Context, r contract.GetRegisterRequestObject) (contract.GetRegisterResponseObject, error) {
	engine, kind, register, err := s.registerOf(ctx, r.Kind)
	if err != nil {
		return nil, err
	}
	_, at := engine.Book.Calendar.Span(calendar.MonthPeriod(s.lastMonth(engine)))
	if r.Params.At != nil {
		if at, err = calendar.ParseDay(*r.Params.At); err != nil {
			return nil, refusal(http.StatusBadRequest, "invalid-request", "at: %s", err)
		}
	}
	offset, err := offsetOf(r.Params.Cursor)
	if err != nil {
		return nil, err
	}
	out := contract.GetRegister200JSONResponse{Kind: kind.Name, Title: kind.Plural, At: at.String(), Attributes: []string{}, Rows: []contract.RegisterRow{}}
	for _, a := range kind.Attributes {
		out.Attributes = append(out.Attributes, a.Name)
	}
	text := strings.ToLower(or(r.Params.Text, ""))
	var codes []int
	for code, key := range register.Keys {
		found := text == "" || strings.Contains(strings.ToLower(key), text) || strings.Contains(strings.ToLower(register.Names[code]), text)
		for _, a := range out.Attributes {
			found = found || strings.Contains(strings.ToLower(valueText(register.Value(a, uint32(code), at))), text)
		}
		if found {
			codes = append(codes, code)
		}
	}
	sort.Slice(codes, func(i, j int) bool { return register.Keys[codes[i]] < register.Keys[codes[j]] })
	out.Total = len(codes)
	end := min(len(codes), offset+or(r.Params.Limit, 100))
	for _, code := range codes[min(offset, end):end] {
		active := register.ActiveDays(uint32(code))
		row := contract.RegisterRow{Key: register.Keys[code], Name: register.Names[code], Active: register.Active(uint32(code), at, at),
			ActiveFrom: dayText(active.First), ActiveTo: dayText(active.Last), Values: []string{}}
		for _, a := range out.Attributes {
			row.Values = append(row.Values, valueText(register.Value(a, uint32(code), at)))
		}
		out.Rows = append(out.Rows, row)
	}
	if end < len(codes) {
		out.Next = ptr(strconv.Itoa(end))
	}
	return out, nil
}

func (s *server) GetSubject(ctx context.Context, r contract.GetSubjectRequestObject) (contract.GetSubjectResponseObject, error) {
	all, err := s.Figures.SubjectHistory(ctx, r.Kind, r.Key)
	if err != nil {
		return nil, err
	}
	if len(all) == 0 {
		return nil, refusal(http.StatusNotFound, "not-found", "There is no %s %q.", r.Kind, r.Key)
	}
	text := func(d *calendar.Day) *string {
		if d == nil {
			return nil
		}
		return ptr(d.String())
	}
	out := contract.GetSubject200JSONResponse{}
	for _, e := range all {
		out = append(out, contract.RegisterEntry{Name: e.Name, Values: e.Attributes, ValidFrom: text(e.ValidFrom), ValidTo: text(e.ValidTo),
			ActiveFrom: text(e.ActiveFrom), ActiveTo: text(e.ActiveTo),
			Intake: e.Intake, File: e.File, By: e.Author, At: e.At, AgainFrom: e.Again, SupersededBy: e.Superseded})
	}
	return out, nil
}

func (s *server) GetTargets(ctx context.Context, r contract.GetTargetsRequestObject) (contract.GetTargetsResponseObject, error) {
	engine, kind, register, err := s.registerOf(ctx, r.Kind)
	if err != nil {
		return nil, err
	}
	book, p := engine.Book, r.Params
	last := s.lastMonth(engine)
	if p.Period != nil {
		if last, err = s.monthParam(ctx, *p.Period); err != nil {
			return nil, err
		}
	}
	offset, err := offsetOf(p.Cursor)
	if err != nil {
		return nil, err
	}
	out := contract.GetTargets200JSONResponse{Kind: kind.Name, Measures: append([]string{}, engine.TargetMeasures(kind.Name)...), Periods: []string{},
		Labels: []string{},
		Rows:   []contract.TargetRow{}, Sums: []string{}, Missing: []int{}}
	if out.Measure = or(p.Measure, ""); out.Measure == "" && len(out.Measures) > 0 {
		out.Measure = out.Measures[0]
	}
	m := book.Measure(out.Measure)
	switch {
	case m == nil && out.Measure == "":
		return out, nil
	case m == nil:
		return nil, refusal(http.StatusBadRequest, "unknown-measure", "There is no measure %q%s", out.Measure, lang.Suggestion(out.Measure, out.Measures))
	}
	out.Title = m.Title
	ask := measure.TargetAsk{Kind: kind.Name, Measure: m.Name, Missing: or(p.Missing, false), Text: or(p.Text, "")}
	for n := or(p.Periods, 12) - 1; n >= 0; n-- {
		month := last - calendar.Month(n)
		ask.Months = append(ask.Months, month)
		out.Periods, out.Labels = append(out.Periods, monthText(book.Calendar, month)), append(out.Labels, monthWords(book.Calendar, month))
	}
	g := engine.TargetGrid(ask)
	show := func(v *big.Rat) string { return rulebook.Show(m, v) }
	for i := range ask.Months {
		out.Sums, out.Missing = append(out.Sums, show(g.Sums[i])), append(out.Missing, g.Missing[i])
	}
	out.Total = len(g.Rows)
	end := min(len(g.Rows), offset+or(p.Limit, 100))
	for _, row := range g.Rows[min(offset, end):end] {
		to := contract.TargetRow{Key: register.Keys[row.Code], Name: register.Names[row.Code], Missing: row.Missing, Cells: []contract.TargetCell{}}
		for i, t := range row.Targets {
			cell := contract.TargetCell{State: contract.Set}
			switch {
			case t != amount.Missing:
				cell.Text = show(t.Rat())
			case row.Active[i]:
				cell.State = contract.Missing
			default:
				cell.State = contract.NotActive
			}
			to.Cells = append(to.Cells, cell)
		}
		out.Rows = append(out.Rows, to)
	}
	if end < len(g.Rows) {
		out.Next = ptr(strconv.Itoa(end))
	}
	return out, nil
}
