package httpapi

import (
	"context"

	"oskel/core/measure"
	"oskel/internal/httpapi/contract"
)

// legend says what the marks of a table mean, and how many of each there are: on the rows of
// all pages, on the subtotals and on the total. Listed are the keys that have a row, by level.
func (m *marking) legend(ctx context.Context, listed map[measure.Level]map[string]bool) (*[]contract.LegendEntry, error) {
	type kind struct{ rule, grade string }
	counts := map[kind]int{}
	for level, listed := range listed {
		found, err := m.counts(ctx, level)
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
		if rule := m.book.Rule(k.rule); rule != nil {
			e.Title, e.Words = rule.Title, m.book.MarkWords(rule, k.grade)
		}
		out = append(out, e)
	}
	sortLegend(m.book, out)
	return &out, nil
}
