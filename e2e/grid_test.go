package e2e

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/internal/client"
	"oskel/internal/demo"
)

// listed are all exceptions of a period that are flagged.
func (s *service) listed(t *testing.T, period string) []client.Exception {
	return want[client.ExceptionPage](t, 200)(s.as("ines").ListExceptions(ctx,
		&client.ListExceptionsParams{Period: period, State: ptr(client.ListExceptionsParamsState("flagged")), Limit: ptr(1000)})).Items
}

// The grid and the trend say what the lists of their periods say.
func TestGridAndTrend(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	var rows []client.ExceptionGridRow
	var grid client.ExceptionGrid
	p := &client.GetExceptionGridParams{Period: "2026-10", Limit: ptr(20)}
	for {
		grid = want[client.ExceptionGrid](t, 200)(s.as("ines").GetExceptionGrid(ctx, p))
		rows = append(rows, grid.Rows...)
		if grid.Next == nil {
			break
		}
		p.Cursor = grid.Next
	}
	require.Len(t, rows, grid.Total)
	trend := want[client.ExceptionTrend](t, 200)(s.as("ines").GetExceptionTrend(ctx, &client.GetExceptionTrendParams{Period: "2026-10"}))
	require.Len(t, trend.Periods, 13)
	seen := 0
	for i, period := range grid.Periods {
		flags, raised := map[string]int{}, 0
		for _, x := range s.listed(t, period.Period) {
			flags[x.Kind+" "+x.Key]++
			if x.State == "raised" {
				raised++
			}
		}
		inRows, sum := 0, 0
		for _, r := range rows {
			assert.Equal(t, flags[r.Kind+" "+r.Key], r.Cells[i].Flags, "%s in %s", r.Key, period.Period)
			assert.Equal(t, r.Cells[i].Flags == 0, r.Cells[i].Grade == "")
			inRows += r.Cells[i].Flags
		}
		for _, r := range trend.Rows {
			sum += r.Flagged[i]
		}
		assert.Equal(t, inRows, sum, period.Period)
		assert.Equal(t, inRows, trend.Raised[i]+trend.Standing[i])
		assert.Equal(t, raised, trend.Raised[i])
		seen += inRows
	}
	assert.Greater(t, seen, 50)
	last := func(r client.ExceptionGridRow) string { return r.Cells[12].Grade }
	assert.Equal(t, "act", last(rows[0]), "the most serious of now first")
	assert.True(t, slices.IsSortedFunc(rows, func(a, b client.ExceptionGridRow) int {
		order := map[string]int{"act": 0, "look": 1, "": 2}
		return order[last(a)] - order[last(b)]
	}))
	narrowed := want[client.ExceptionGrid](t, 200)(s.as("ines").GetExceptionGrid(ctx, &client.GetExceptionGridParams{Period: "2026-10", Rule: ptr("thin-margin")}))
	for _, r := range narrowed.Rows {
		for _, c := range r.Cells {
			assert.Subset(t, []string{"thin-margin"}, c.Rules)
		}
	}
	refused(t, 400, "unknown-filter")(s.as("ines").GetExceptionGrid(ctx, &client.GetExceptionGridParams{Period: "2026-10", Rule: ptr("thin-margn")}))
	for _, by := range []string{"desk", "kind", "grade"} {
		other := want[client.ExceptionTrend](t, 200)(s.as("ines").GetExceptionTrend(ctx,
			&client.GetExceptionTrendParams{Period: "2026-10", By: ptr(client.GetExceptionTrendParamsBy(by))}))
		sum := 0
		for _, r := range other.Rows {
			sum += r.Flagged[12]
		}
		assert.Equal(t, trend.Raised[12]+trend.Standing[12], sum, by)
	}
	_, out, errs := s.oskel("ines", "exceptions", "grid", "-period", "2026-10", "-top", "3")
	assert.Contains(t, out, "▶")
	assert.Contains(t, errs, "3 of")
	_, out, _ = s.oskel("ines", "exceptions", "trend", "-period", "2026-10", "-by", "desk")
	assert.Contains(t, strings.ToLower(out), "standing")
	empty := newService(t)
	t.Cleanup(empty.stop)
	assert.Empty(t, want[client.ExceptionGrid](t, 200)(empty.as("rea").GetExceptionGrid(ctx, &client.GetExceptionGridParams{Period: "2026-10"})).Rows)
	assert.Empty(t, want[client.ExceptionTrend](t, 200)(empty.as("rea").GetExceptionTrend(ctx, &client.GetExceptionTrendParams{Period: "2026-10"})).Rows)
}

// In a table of figures the flagged stand out: on the cell of the measure that is
// flagged, or on the one that the rule says, or on the row; and they can be had alone.
func TestMarksInFigures(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	ask := &client.GetTableParams{Measures: "revenue,margin_rate", By: ptr("rep"), Period: "2026-10", Limit: ptr(1000)}
	all := want[client.Table](t, 200)(s.as("ines").GetTable(ctx, ask))
	flagged, figured := map[string]int{}, map[string]bool{}
	for _, r := range all.Rows {
		figured[r.Key] = true
	}
	for _, x := range s.listed(t, "2026-10") {
		if x.Kind == "rep" && figured[x.Key] {
			flagged[x.Key]++
		}
	}
	marked := map[string]int{}
	for _, r := range all.Rows {
		if r.Marks != nil {
			for _, m := range *r.Marks {
				if m.Grade == "met" {
					assert.Nil(t, m.Exception, "what praises is on no record")
					continue
				}
				marked[r.Key]++
				if m.Rule == "thin-margin" {
					assert.Equal(t, "margin_rate", *m.Measure)
				}
			}
		}
	}
	assert.Equal(t, flagged, marked)
	ask.Flagged = ptr(true)
	only := want[client.Table](t, 200)(s.as("ines").GetTable(ctx, ask))
	assert.Len(t, only.Rows, len(flagged))
	for _, r := range only.Rows {
		assert.NotNil(t, r.Marks, r.Key)
	}
	ask.Period = "2023-01"
	assert.Empty(t, want[client.Table](t, 200)(s.as("ines").GetTable(ctx, ask)).Rows, "nobody is flagged there")
	_, out, _ := s.oskel("ines", "table", "-by", "rep", "-period", "2026-10", "-flagged", "-format", "csv", "revenue")
	assert.Equal(t, len(flagged)+1, strings.Count(out, "\n"))

	other := small(t)
	other.publish(strings.Replace(smallBook, "    title: Thin margin\n", "    title: Thin margin\n    marks: revenue\n", 1), 1)
	other.sweep("2026-10")
	on := 0
	for _, r := range want[client.Table](t, 200)(other.as("rea").GetTable(ctx,
		&client.GetTableParams{Measures: "revenue,margin", By: ptr("rep"), Period: "2026-10"})).Rows {
		if r.Marks == nil {
			continue
		}
		for _, m := range *r.Marks {
			if m.Rule == "thin-margin" {
				on++
				assert.Equal(t, "revenue", *m.Measure, "one figure is flagged by another")
			}
		}
	}
	assert.Positive(t, on)
}

// The grid, the trend and the marks are drawn, and axe finds nothing.
func TestGridInTheConsole(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("ines", demo.Password, "/exceptions?period=2026-10"), p.ClickText("By period"), p.Sees("subjects flagged in these periods"),
		p.Sees("Pellam Halyardin"))
	for _, path := range []string{"", "/exceptions/trend?period=2026-10", "/figures?period=2026-10&by=rep&flagged=yes"} {
		if path != "" {
			do(t, p.Follow(path), p.Until("document.querySelectorAll('main table tbody tr').length > 2"), p.Rest())
		}
		found, err := p.Axe(axeSource)
		require.NoError(t, err)
		assert.Empty(t, found, path)
	}
	do(t, p.Follow("/exceptions/trend?period=2026-10"), p.Sees("Standing"), p.Follow("/figures?period=2026-10&by=rep&flagged=yes"), p.Sees("9 rows"))
}
