package httpapi

import (
	"cmp"
	"context"
	"slices"

	"oskel/core/measure"
	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
)

// legend says what the marks of a table mean, and how many of each there are: on the rows of
// all pages, on the subtotals and on the total. Listed are the keys that have a row, by level.
func (s *server) legend(ctx context.Context, book *rulebook.Book, a measure.Ask, listed map[measure.Level]map[string]bool) (*[]contract.LegendEntry, error) {
	type kind struct{ rule, grade string }
	counts := map[kind]int{}
	for level, listed := range listed {
		found, err := s.Sweep.FlagCounts(ctx, level.String(), keysOf(book, a.Periods))
		if err != nil {
			return nil, err
		}
		for _, f := range found {
			if listed[f.Key] {
				counts[kind{f.Rule, f.Grade}] += f.Count
			}
		}
	}
	out := []contract.LegendEntry{}
	for k, n := range counts {
		e := contract.LegendEntry{Rule: k.rule, Title: k.rule, Grade: k.grade, Count: n}
		if rule := book.Rule(k.rule); rule != nil {
			e.Title, e.Words = rule.Title, book.MarkWords(rule, k.grade)
		}
		out = append(out, e)
	}
	at := func(e contract.LegendEntry) (grade, rule int) {
		return slices.IndexFunc(book.Grades, func(g rulebook.Grade) bool { return g.Name == e.Grade }),
			slices.IndexFunc(book.Rules, func(r rulebook.Rule) bool { return r.Name == e.Rule })
	}
	slices.SortFunc(out, func(x, y contract.LegendEntry) int {
		xg, xr := at(x)
		yg, yr := at(y)
		return cmp.Or(cmp.Compare(xg, yg), cmp.Compare(xr, yr), cmp.Compare(x.Rule, y.Rule))
	})
	return &out, nil
}
