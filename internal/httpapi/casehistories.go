package httpapi

import (
	"context"
	"math"
	"net/http"
	"strconv"
	"strings"

	"oskel/core/calendar"
	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
)

// mostHistories is of how many cases one asks at once.
const mostHistories = 100

// ListCaseHistories judges each rule of some cases once for all of them.
func (s *server) ListCaseHistories(ctx context.Context, r contract.ListCaseHistoriesRequestObject) (contract.ListCaseHistoriesResponseObject, error) {
	var ids []int64
	for text := range strings.SplitSeq(r.Params.Cases, ",") {
		id, err := strconv.ParseInt(text, 10, 64)
		if err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	if len(ids) > mostHistories {
		return nil, refusal(http.StatusBadRequest, "invalid-request", "Invalid request: cases: %d at most at once, found %d.", mostHistories, len(ids))
	}
	out := contract.ListCaseHistories200JSONResponse{}
	all, err := s.Review.Foremosts(ctx, ids)
	if err != nil || len(all) == 0 {
		return out, err
	}
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return out, err
	}
	engine, err := s.Figures.EngineFor(ctx, book, book)
	if err != nil {
		return out, err
	}
	type judged struct {
		rule, level string
		period      calendar.Key
	}
	known := map[judged][]*judge.Result{}
	for _, f := range all {
		rule := book.Rule(f.Rule)
		level, complaint := book.ParseLevel(f.Kind)
		period, there := book.Calendar.ByKey(f.Period)
		if rule == nil || complaint != "" || !there {
			continue // a rulebook of before
		}
		code, there := engine.Code(level, f.Key)
		if !there {
			continue
		}
		of := judged{f.Rule, f.Kind, f.Period}
		results, done := known[of]
		if !done {
			results = s.verdicts.History(engine, rule, level, period, historyPeriods)
			if engine.Stopped() {
				return out, ctx.Err()
			}
			known[of] = results
		}
		out = append(out, caseHistory(book, rule, f.Case, code, results))
	}
	return out, nil
}

func caseHistory(book *rulebook.Book, rule *rulebook.Rule, of int64, code uint32, results []*judge.Result) contract.CaseHistory {
	unit, _, _ := explain.Axis(book, rule)
	h := contract.CaseHistory{Case: of, Rule: rule.Name, Title: rule.Title, Periods: []string{}, Held: []*float64{}, Grades: []string{},
		Cuts: []float64{}, Unit: string(plainUnit(unit))}
	for i, result := range results {
		h.Periods = append(h.Periods, book.Calendar.Words(result.Period))
		h.Grades = append(h.Grades, result.Verdict(code).Grade)
		var held *float64
		if v := result.Held(code); !math.IsNaN(v) {
			held = &v
		}
		h.Held = append(h.Held, held)
		if i == len(results)-1 {
			h.Cuts = append(h.Cuts, result.LineUp(int(code)).Cuts...)
		}
	}
	return h
}
