package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/big"
	"net/http"
	"slices"
	"strconv"
	"strings"

	openapi_types "github.com/oapi-codegen/runtime/types"

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
	out := contract.Exception{Id: e.ID, Period: keyText(book.Calendar, e.Period), Rule: e.Rule, RuleTitle: e.Rule, Kind: e.Kind, Key: e.Key, Name: e.Name,
		State: contract.ExceptionState(e.State), Outcome: e.Outcome, Grade: e.Grade, Sentence: e.Sentence, Value: e.Value, Comparison: e.Comparison,
		Desk: e.Desk, Case: e.CaseID, CaseState: e.CaseState}
	if e.Stake != nil {
		if r, ok := new(big.Rat).SetString(*e.Stake); ok {
			out.Stake = rulebook.Format(r, book.StakeUnit(book.Rule(e.Rule)), 0)
		}
	}
	if e.Beyond != nil {
		out.Beyond = ptr(explain.Held(*e.Beyond, rulebook.Percent, 0))
	}
	if e.Streak != nil && *e.Streak > 0 {
		out.Streak = e.Streak
	}
	if e.Event != 0 {
		out.Event = &openapi_types.Date{Time: e.Event.Time()}
	}
	if r := book.Rule(e.Rule); r != nil {
		out.RuleTitle, out.Family = r.Title, r.Family()
	}
	return out
}

// exceptionPage is a page of a list, as it is answered. It is kept until something is
// swept, published, taken in or closed, but for how its cases stand; as it is written,
// until a case changes.
func (s *server) exceptionPage(ctx context.Context, p contract.ListExceptionsParams) (written, error) {
	now, trail, err := s.Sweep.Pulse(ctx)
	if err != nil {
		return nil, err
	}
	c, book := calendar.Calendar{}, (*rulebook.Book)(nil)
	if now.Revision > 0 {
		if book, err = s.Books.At(ctx, now.Revision); err != nil {
			return nil, err
		}
		c = book.Calendar
	}
	period, err := c.Parse(p.Period)
	if err != nil {
		return nil, refusal(http.StatusBadRequest, "invalid-request", "period: %s", err)
	}
	if book == nil {
		return json.Marshal(contract.ExceptionPage{Items: []contract.Exception{}})
	}
	f := exceptionFilter(c.Key(period), p)
	f.Limit = or(p.Limit, 100)
	if f.Offset, err = offsetOf(p.Cursor); err != nil {
		return nil, err
	}
	make := func() (*contract.ExceptionPage, error) { return s.steadyPage(ctx, book, f, now) }
	return s.pages.of(pageKey{now, f, c.Today(s.Now())}, trail, make, func(page *contract.ExceptionPage) ([]byte, error) {
		out := *page
		out.Items = slices.Clone(page.Items)
		if err := s.caseStates(ctx, out.Items); err != nil {
			return nil, err
		}
		return json.Marshal(out)
	})
}

// written is an answer that is written already.
type written []byte

// VisitListExceptionsResponse implements the contract's answer.
func (w written) VisitListExceptionsResponse(to http.ResponseWriter) error {
	to.Header().Set("Content-Type", "application/json")
	to.WriteHeader(http.StatusOK)
	_, err := to.Write(w)
	return err
}

// caseStates says in which cases exceptions are, and how these stand.
func (s *server) caseStates(ctx context.Context, items []contract.Exception) error {
	ids := make([]int64, len(items))
	for i, x := range items {
		ids[i] = x.Id
	}
	all, err := s.Sweep.InCases(ctx, ids)
	for i := range items {
		if in, is := all[items[i].Id]; is {
			items[i].Case, items[i].CaseState = &in.Case, &in.State
		}
	}
	return err
}

// steadyPage makes a page out of one state of things: not the list from before a sweep
// with the counts from after it. What is kept of it is asked for no more by then.
func (s *server) steadyPage(ctx context.Context, book *rulebook.Book, f store.ExceptionFilter, at store.Pulse) (page *contract.ExceptionPage, err error) {
	for range 3 {
		if page, err = s.makePage(ctx, book, f); err != nil {
			return nil, err
		}
		now, _, err := s.Sweep.Pulse(ctx)
		if err != nil || now == at {
			return page, err
		}
		at = now
	}
	return page, nil // it changes all the time
}

func (s *server) makePage(ctx context.Context, book *rulebook.Book, f store.ExceptionFilter) (*contract.ExceptionPage, error) {
	list, total, err := s.Sweep.Exceptions(ctx, book, f)
	if err != nil {
		return nil, err
	}
	out := &contract.ExceptionPage{Items: []contract.Exception{}, Total: total}
	if f.Sweep == 0 { // what one sweep left is what it is
		stale, err := s.Sweep.Stale(ctx, f.Period)
		if err != nil {
			return nil, err
		}
		out.Stale = optional(stale[f.Period])
	}
	for _, e := range list {
		out.Items = append(out.Items, s.exceptionOut(e, book))
	}
	if err := s.mark(ctx, book, f.Period, list, out); err != nil {
		return nil, err
	}
	if f.Offset == 0 {
		if err := s.gather(ctx, book, f, out); err != nil {
			return nil, err
		}
	}
	if next := f.Offset + len(list); next < total && len(list) > 0 {
		out.Next = ptr(strconv.Itoa(next))
	}
	return out, nil
}

func exceptionFilter(key calendar.Key, p contract.ListExceptionsParams) store.ExceptionFilter {
	return store.ExceptionFilter{Period: key, Rule: or(p.Rule, ""), Grade: or(p.Grade, ""), State: string(or(p.State, "")), Kind: or(p.Kind, ""),
		Desk: or(p.Desk, ""), Text: or(p.Text, ""),
		Key: or(p.Key, ""), Group: or(p.Group, ""), Sweep: or(p.Sweep, 0), Sort: string(or(p.Sort, "grade")), Descending: or(p.Descending, false)}
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
	return page, nil
}

// trimmed is a decimal without the zeros at its end.
func trimmed(decimal string) string {
	if strings.Contains(decimal, ".") {
		return strings.TrimRight(strings.TrimRight(decimal, "0"), ".")
	}
	return decimal
}

func (s *server) GetException(ctx context.Context, r contract.GetExceptionRequestObject) (contract.GetExceptionResponseObject, error) {
	e, err := s.Sweep.Exception(ctx, r.Id, or(r.Params.Sweep, 0))
	if err != nil {
		return nil, orNotFound(err, "exception %d", r.Id)
	}
	made := e.Made
	book, err := s.Books.At(ctx, made.Revision)
	if err != nil {
		return nil, err
	}
	book = s.toDate.of(book, made.ToDate)
	out := contract.GetException200JSONResponse{Exception: s.exceptionOut(e.Exception, book), Label: keyWords(book.Calendar, e.Period),
		Revision: made.Revision, DataVersion: made.DataVersion, Sweep: made.ID,
		Evidence: map[string]any{}, Rows: []contract.EvidenceRow{}, Attributes: map[string]string{},
		History: contract.History{Points: []contract.HistoryPoint{}, Cuts: []float64{}, Unit: contract.HistoryUnitCount}}
	for _, v := range e.All {
		out.Versions = append(out.Versions, contract.ExceptionVersion{Since: v.Since, Until: v.Sweep, State: v.State, Grade: v.Grade, Outcome: v.Outcome,
			Sentence: v.Sentence})
	}
	var ev judge.Evidence
	if err := json.Unmarshal(e.Evidence, &ev); err != nil {
		return nil, fmt.Errorf("reading the evidence of exception %d: %w", e.ID, err)
	}
	if err := json.Unmarshal(e.Evidence, &out.Evidence); err != nil {
		return nil, err
	}
	_, published, err := s.Books.Published(ctx)
	if err != nil {
		return nil, err
	}
	engine, err := s.Figures.EngineFor(ctx, published, book)
	if err != nil {
		return nil, err
	}
	if e.Since == e.All[0].Since {
		stale, err := s.Sweep.Stale(ctx, e.Period)
		if err != nil {
			return nil, err
		}
		out.Stale = optional(stale[e.Period])
	} else {
		out.Stale = ptr(fmt.Sprintf("As of sweep %d. Sweep %d found a change.", e.Sweep, e.All[0].Since))
	}
	rule := book.Rule(e.Rule)
	if rule == nil {
		return out, nil
	}
	out.Words = book.Words(rule)
	for _, row := range explain.Rows(book, rule, ev) {
		out.Rows = append(out.Rows, contract.EvidenceRow{Label: row.Label, Text: row.Text})
	}
	level, complaint := book.ParseLevel(e.Kind)
	code, found := engine.Code(level, e.Key)
	if complaint != "" || !found {
		return out, nil // what it was of is there no longer
	}
	period, known := book.Calendar.ByKey(e.Period)
	if !known {
		return out, nil // the calendar has no such window any more
	}
	out.Attributes = attributesOut(engine, level, code, period)
	name, from := explain.MovedBy(book, rule)
	out.Measure = optional(name)
	if name != "" && explain.WalkAnswers(rule) && explain.Parted(engine, name) && len(walkLevels(book, name, level)) > 0 {
		out.Walk = &contract.VarianceAsk{Measure: name, From: contract.VarianceAskFrom(from)}
	}
	share, err := beside(engine, level, int(code), period, r.Params.Beside)
	if err != nil {
		return nil, err
	}
	out.History = s.history(engine, rule, level, code, period, share)
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

// historyPeriods is how far back an exception's history is drawn.
const historyPeriods = 13

// history is what the rule found for the subject in each of the last months,
// on the data as they are now.
func (s *server) history(engine *measure.Engine, rule *rulebook.Rule, level rulebook.Level, code uint32, last calendar.Period,
	share func(uint32) bool) contract.History {
	unit, places, axis := explain.Axis(engine.Book, rule)
	out := contract.History{Points: []contract.HistoryPoint{}, Cuts: []float64{}, Unit: contract.HistoryUnit(plainUnit(unit)), Axis: axis, Each: rule.Each}
	results := s.verdicts.History(engine, rule, level, last, historyPeriods)
	if share != nil {
		out.Beside = ptr(besideHistory(engine, level, code, results, share))
	}
	for _, result := range results {
		v := result.Verdict(code)
		point := contract.HistoryPoint{Period: engine.Book.Calendar.String(result.Period), Label: engine.Book.Calendar.Words(result.Period), Grade: v.Grade,
			Outcome: v.Outcome.String(), Text: v.Why}
		if held := result.Held(code); !math.IsNaN(held) {
			point.Held = &held
			point.Text = explain.Held(held, unit, places)
		}
		out.Points = append(out.Points, point)
		if result.Period == last {
			out.Cuts = append(out.Cuts, result.LineUp(int(code)).Cuts...)
		}
	}
	return out
}

// plainUnit leaves the currency of money out.
func plainUnit(u rulebook.Unit) rulebook.Unit {
	if u.Currency() != "" {
		return rulebook.Money
	}
	return u
}

// The most points a line-up is drawn with; beyond that every n-th of the
// clear ones stands for the others, and every flagged one stays.
const (
	mostClear   = 1200
	mostFlagged = 2000
)

// attributesOut are a subject's attributes as of a period's last day.
func attributesOut(engine *measure.Engine, level measure.Level, code uint32, p calendar.Period) map[string]string {
	out := map[string]string{}
	lookup := engine.Lookup(engine.Slot(level, p), code)
	for name := range engine.Book.Attributes(level) {
		if v := lookup(name); v.Type != "" {
			_, attribute, _ := strings.Cut(name, ".")
			out[attribute] = valueText(v)
		}
	}
	return out
}

func (s *server) GetRanking(ctx context.Context, r contract.GetRankingRequestObject) (contract.GetRankingResponseObject, error) {
	p, err := s.periodParam(ctx, r.Params.Period)
	if err != nil {
		return nil, err
	}
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return nil, err
	}
	rule := book.Rule(r.Rule)
	if rule == nil {
		return nil, refusal(http.StatusNotFound, "not-found", "The rulebook has no rule %q.", r.Rule)
	}
	if within, ok := book.Calendar.Within(p, rule.Each); ok {
		p = within
	}
	if book, err = s.asSwept(ctx, book, p); err != nil {
		return nil, err
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
			return nil, refusal(http.StatusNotFound, "not-found", "There is no %s %q.", book.One(level), *r.Params.Key)
		}
		code = int(c)
	}
	share, err := beside(engine, level, code, p, r.Params.Beside)
	if err != nil {
		return nil, err
	}
	out := lineUpOut(engine, judge.Judge(engine, rule, level, p), code, share)
	return contract.GetRanking200JSONResponse(out), nil
}

// lineUpOut is a line-up as it is drawn, with the subject of a code marked, and those of
// its group where one is asked for.
func lineUpOut(engine *measure.Engine, result *judge.Result, code int, share func(uint32) bool) contract.Ranking {
	keys, names := engine.Names(result.Level)
	up := result.LineUp(code)
	unit, _, axis := explain.Axis(engine.Book, result.Rule)
	out := contract.Ranking{Points: []contract.Point{}, Cuts: append([]float64{}, up.Cuts...), Judged: len(up.Points),
		Unit: contract.RankingUnit(plainUnit(unit)), Axis: axis}
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
			point := contract.Point{Key: keys[p.Code], Name: names[p.Code], Held: p.Held, Grade: p.Grade}
			if share != nil && share(p.Code) {
				point.Beside = ptr(true)
			}
			out.Points = append(out.Points, point)
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
