package httpapi

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/big"
	"net/http"
	"strconv"
	"strings"

	"oskel/core/calendar"
	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
	"oskel/internal/store"
)

func (s *server) exceptionOut(e store.Exception, book *rulebook.Book) contract.Exception {
	out := contract.Exception{Id: e.ID, Period: monthText(book.Calendar, e.Period), Rule: e.Rule, RuleTitle: e.Rule, Kind: e.Kind, Key: e.Key, Name: e.Name,
		State: contract.ExceptionState(e.State), Outcome: e.Outcome, Grade: e.Grade, Sentence: e.Sentence, Value: e.Value, Yardstick: e.Yardstick, Desk: e.Desk, Case: e.CaseID, CaseState: e.CaseState}
	if e.Stake != nil {
		if r, ok := new(big.Rat).SetString(*e.Stake); ok {
			out.Stake = rulebook.Format(r, rulebook.Money, 0)
		}
	}
	if r := book.Rule(e.Rule); r != nil {
		out.RuleTitle, out.Family = r.Title, r.Family()
	}
	return out
}

func (s *server) exceptionPage(ctx context.Context, p contract.ListExceptionsParams) (contract.ExceptionPage, error) {
	m, err := s.monthParam(ctx, p.Period)
	if err != nil {
		return contract.ExceptionPage{}, err
	}
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return contract.ExceptionPage{Items: []contract.Exception{}}, ignoreNotFound(err)
	}
	f := store.ExceptionFilter{Period: m, Rule: or(p.Rule, ""), Grade: or(p.Grade, ""), State: string(or(p.State, "")), Kind: or(p.Kind, ""), Desk: or(p.Desk, ""), Text: or(p.Text, ""),
		Sort: string(or(p.Sort, "grade")), Descending: or(p.Descending, false), Limit: or(p.Limit, 100)}
	if p.Cursor != nil {
		if f.Offset, err = strconv.Atoi(*p.Cursor); err != nil || f.Offset < 0 {
			return contract.ExceptionPage{}, fail(http.StatusBadRequest, "invalid-request", "cursor: expected the 'next' of an earlier page, found %q", *p.Cursor)
		}
	}
	list, total, err := s.Store.Exceptions(ctx, f)
	if err != nil {
		return contract.ExceptionPage{}, err
	}
	out := contract.ExceptionPage{Items: []contract.Exception{}, Total: total}
	for _, e := range list {
		out.Items = append(out.Items, s.exceptionOut(e, book))
	}
	if next := f.Offset + len(list); next < total && len(list) > 0 {
		out.Next = ptr(strconv.Itoa(next))
	}
	return out, nil
}

func or[T any](p *T, fallback T) T {
	if p == nil {
		return fallback
	}
	return *p
}

func (s *server) ListExceptions(ctx context.Context, r contract.ListExceptionsRequestObject) (contract.ListExceptionsResponseObject, error) {
	page, err := s.exceptionPage(ctx, r.Params)
	if err != nil {
		return nil, err
	}
	return contract.ListExceptions200JSONResponse(page), nil
}

// ExportExceptions writes all that match, whatever the page.
func (s *server) ExportExceptions(ctx context.Context, r contract.ExportExceptionsRequestObject) (contract.ExportExceptionsResponseObject, error) {
	p := r.Params
	params := contract.ListExceptionsParams{Period: p.Period, Rule: p.Rule, Grade: p.Grade, Kind: p.Kind, Desk: p.Desk, Text: p.Text, Descending: p.Descending, Limit: ptr(1000)}
	params.State = (*contract.ListExceptionsParamsState)(p.State)
	params.Sort = (*contract.ListExceptionsParamsSort)(p.Sort)
	var body bytes.Buffer
	w := csv.NewWriter(&body)
	w.Write([]string{"id", "period", "grade", "state", "rule", "kind", "key", "name", "sentence", "value", "yardstick", "stake", "desk", "case", "case_state"}) //nolint:errcheck // into memory
	for {
		page, err := s.exceptionPage(ctx, params)
		if err != nil {
			return nil, err
		}
		for _, e := range page.Items {
			caseID := ""
			if e.Case != nil {
				caseID = strconv.FormatInt(*e.Case, 10)
			}
			w.Write([]string{strconv.FormatInt(e.Id, 10), e.Period, e.Grade, string(e.State), e.Rule, e.Kind, e.Key, e.Name, e.Sentence, e.Value, e.Yardstick, e.Stake, e.Desk, caseID, or(e.CaseState, "")}) //nolint:errcheck // into memory
		}
		if page.Next == nil {
			break
		}
		params.Cursor = page.Next
	}
	w.Flush()
	return contract.ExportExceptions200TextcsvResponse{Body: &body, ContentLength: int64(body.Len())}, nil
}

func (s *server) GetException(ctx context.Context, r contract.GetExceptionRequestObject) (contract.GetExceptionResponseObject, error) {
	e, err := s.Store.Exception(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	made, err := s.sweepOf(ctx, e)
	if err != nil {
		return nil, err
	}
	book, err := s.Books.At(ctx, made.Revision)
	if err != nil {
		return nil, err
	}
	out := contract.GetException200JSONResponse{Exception: s.exceptionOut(e, book), Label: monthWords(book.Calendar, e.Period), Revision: made.Revision, DataVersion: made.DataVersion, Sweep: made.ID,
		Evidence: map[string]any{}, Rows: []contract.EvidenceRow{}, Attributes: map[string]string{}, History: contract.History{Points: []contract.HistoryPoint{}, Cuts: []float64{}, Unit: contract.HistoryUnitCount}}
	var ev judge.Evidence
	if err := json.Unmarshal(e.Evidence, &ev); err != nil {
		return nil, fmt.Errorf("reading the evidence of exception %d: %w", e.ID, err)
	}
	if err := json.Unmarshal(e.Evidence, &out.Evidence); err != nil {
		return nil, err
	}
	engine, err := s.Figures.Engine(ctx, book)
	if err != nil {
		return nil, err
	}
	level, complaint := book.ParseLevel(e.Kind)
	code, found := engine.Code(level, e.Key)
	if complaint != "" || !found {
		return out, nil // what it was of is there no longer
	}
	lookup := engine.Lookup(engine.Slot(level, calendar.MonthPeriod(e.Period)), code)
	for name := range book.Attributes(level) {
		if v := lookup(name); v.Type != "" {
			_, attribute, _ := strings.Cut(name, ".")
			out.Attributes[attribute] = valueText(v)
		}
	}
	rule := book.Rule(e.Rule)
	if rule == nil {
		return out, nil
	}
	out.Words = book.Words(rule)
	for _, row := range explain.Rows(book, rule, ev) {
		out.Rows = append(out.Rows, contract.EvidenceRow{Label: row.Label, Text: row.Text})
	}
	out.History = history(engine, rule, level, code, e.Period)
	return out, nil
}

func valueText(v lang.Value) string {
	switch v.Type {
	case lang.NumberType:
		return rulebook.FormatNumber(v.Number)
	case lang.DateType:
		return v.Day.Words()
	}
	return v.Text
}

// sweepOf is the sweep that wrote an exception as it stands.
func (s *server) sweepOf(ctx context.Context, e store.Exception) (store.Sweep, error) {
	all, err := s.Store.Sweeps(ctx, &e.Period)
	if err != nil {
		return store.Sweep{}, err
	}
	for _, sw := range all {
		if sw.ID == e.Sweep {
			return sw, nil
		}
	}
	return store.Sweep{}, store.ErrNotFound
}

// historyMonths is how far back an exception's history is drawn.
const historyMonths = 13

// history is what the rule found for the subject in each of the last months,
// on the data as they are now.
func history(engine *measure.Engine, rule *rulebook.Rule, level rulebook.Level, code uint32, last calendar.Month) contract.History {
	unit, axis := heldIn(engine.Book, rule)
	out := contract.History{Points: []contract.HistoryPoint{}, Cuts: []float64{}, Unit: contract.HistoryUnit(plainUnit(unit)), Axis: axis}
	for m := last - historyMonths + 1; m <= last; m++ {
		result := judge.Judge(engine, rule, level, m)
		v := result.Verdict(code)
		point := contract.HistoryPoint{Period: monthText(engine.Book.Calendar, m), Label: monthWords(engine.Book.Calendar, m), Grade: v.Grade, Outcome: v.Outcome.String(), Text: v.Why}
		if held := result.Held(code); !math.IsNaN(held) {
			point.Held = &held
			point.Text = heldText(held, unit, placesOf(engine.Book, rule))
		}
		out.Points = append(out.Points, point)
		if m == last {
			out.Cuts = append(out.Cuts, result.LineUp(engine, int(code)).Cuts...)
		}
	}
	return out
}

// heldIn says in which unit a rule's values lie when they are held against
// its cuts, and what to call them.
func heldIn(book *rulebook.Book, rule *rulebook.Rule) (rulebook.Unit, string) {
	switch {
	case rule.Threshold != nil && rule.Threshold.Choices != nil:
		return rulebook.Count, ""
	case rule.Threshold != nil:
		m := book.Measure(rule.Threshold.Of)
		switch rule.Threshold.As {
		case "ratio":
			return rulebook.Percent, m.Title + " as a share of " + book.YardstickWords(rule.Threshold)
		case "change":
			return rulebook.Percent, m.Title + " as a change from " + book.YardstickWords(rule.Threshold)
		case "difference":
			return m.Unit, m.Title + " less " + book.YardstickWords(rule.Threshold)
		}
		return m.Unit, m.Title
	case rule.Outlier != nil:
		m := book.Measure(rule.Outlier.Of)
		return m.Unit, m.Title
	}
	return rulebook.Days, "Days since the last of the " + book.Feed(rule.Window.Feed).Title
}

// plainUnit leaves the currency of money out.
func plainUnit(u rulebook.Unit) rulebook.Unit {
	if u.Currency() != "" {
		return rulebook.Money
	}
	return u
}

func placesOf(book *rulebook.Book, rule *rulebook.Rule) int {
	switch {
	case rule.Threshold != nil && rule.Threshold.Choices != nil:
		return 0
	case rule.Threshold != nil && !rule.Threshold.Relative():
		return book.Measure(rule.Threshold.Of).Places
	case rule.Outlier != nil:
		return book.Measure(rule.Outlier.Of).Places
	case rule.Threshold != nil:
		return 1
	}
	return 0
}

func heldText(held float64, unit rulebook.Unit, places int) string {
	r := new(big.Rat)
	if r.SetFloat64(held) == nil {
		return ""
	}
	return rulebook.Format(r, unit, places)
}

// The most points a line-up is drawn with; beyond that every n-th of the
// clear ones stands for the others, and every flagged one stays.
const (
	mostClear   = 1200
	mostFlagged = 2000
)

func (s *server) GetLineUp(ctx context.Context, r contract.GetLineUpRequestObject) (contract.GetLineUpResponseObject, error) {
	m, err := s.monthParam(ctx, r.Params.Period)
	if err != nil {
		return nil, err
	}
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return nil, err
	}
	rule := book.Rule(r.Rule)
	if rule == nil {
		return nil, fail(http.StatusNotFound, "not-found", "The rulebook has no rule %q.", r.Rule)
	}
	engine, err := s.Figures.Engine(ctx, book)
	if err != nil {
		return nil, err
	}
	level := rule.Levels[0]
	if r.Params.By != nil {
		if level, err = levelOf(book, *r.Params.By); err != nil {
			return nil, err
		}
	}
	code := -1
	if r.Params.Key != nil {
		c, ok := engine.Code(level, *r.Params.Key)
		if !ok {
			return nil, fail(http.StatusNotFound, "not-found", "There is no %s %q.", book.One(level), *r.Params.Key)
		}
		code = int(c)
	}
	out := lineUpOut(engine, judge.Judge(engine, rule, level, m), code)
	return contract.GetLineUp200JSONResponse(out), nil
}

// lineUpOut is a line-up as it is drawn, with the subject of a code marked.
func lineUpOut(engine *measure.Engine, result *judge.Result, code int) contract.LineUp {
	keys, names := engine.Names(result.Level)
	up := result.LineUp(engine, code)
	unit, axis := heldIn(engine.Book, result.Rule)
	out := contract.LineUp{Points: []contract.Point{}, Cuts: append([]float64{}, up.Cuts...), Judged: len(up.Points), Unit: contract.LineUpUnit(plainUnit(unit)), Axis: axis}
	clear, flagged := 0, 0
	for _, p := range up.Points {
		if p.Grade == "" {
			clear++
		}
	}
	every := max(1, (clear+mostClear-1)/mostClear)
	clear = 0
	for i, p := range up.Points {
		own := int(p.Code) == code
		if own {
			out.Place = ptr(i + 1)
		}
		keep := own
		if p.Grade == "" {
			keep = keep || clear%every == 0
			clear++
		} else {
			keep = keep || flagged < mostFlagged
			flagged++
		}
		if keep {
			out.Points = append(out.Points, contract.Point{Key: keys[p.Code], Name: names[p.Code], Held: p.Held, Grade: p.Grade})
		}
	}
	return out
}

func ignoreNotFound(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	return err
}
