package measure_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/calendar"
	"oskel/core/measure"
)

// Best and worst are those of three or more who differ, by what is good.
func TestBestAndWorstPlaces(t *testing.T) {
	of := func(measures, of string, nets ...string) (out []string) {
		var lines []line
		for i, net := range nets {
			lines = append(lines, line{i % 3, i, "2026-10-05", net, net, 0})
		}
		e := world(t, measures, lines)
		period, err := e.Book.Calendar.Parse("2026-10")
		require.NoError(t, err)
		g := e.Grid(measure.Ask{Level: measure.Level{Kind: "customer"}, Measures: []string{of}, Periods: []calendar.Period{period}, Sort: -1, Limit: 10})
		for _, row := range g.Rows {
			if row.Cells[0].Why == measure.Present {
				out = append(out, fmt.Sprint(row.Cells[0].Place, row.Cells[0].Worst))
			}
		}
		return out
	}
	assert.Equal(t, []string{"1 false", "2 false", "3 true"}, of("", "revenue", "30", "20", "10"))
	assert.Equal(t, []string{"3 true", "2 false", "1 false"}, of("", "cost", "30", "20", "10"), "less is better")
	assert.Equal(t, []string{"1 false", "2 false"}, of("", "revenue", "30", "20"), "of two nobody is the worst")
	assert.Equal(t, []string{"1 false", "1 false", "1 false"}, of("", "revenue", "20", "20", "20"), "nor of equals")
	assert.Equal(t, []string{"1 false", "2 true", "2 true"}, of("", "revenue", "20", "10", "10"))
}

// One's own best is the highest, and the lowest where less is better.
func TestBestOfWhatShouldBeSmall(t *testing.T) {
	e := world(t, `  best: {formula: "history(revenue, 2, best)", unit: money}
  worst: {formula: "history(revenue, 2, worst)", unit: money}
  best_cost: {formula: "history(cost, 2, best)", unit: money}
  worst_cost: {formula: "trailing(cost, 2, worst)", unit: money}
`, []line{{0, 0, "2026-08-01", "5", "5", 0}, {0, 0, "2026-09-01", "9", "9", 0}, {0, 0, "2026-10-01", "7", "7", 0}})
	october, _ := e.Book.Calendar.Parse("2026-10")
	for name, want := range map[string]string{"best": "9", "worst": "5", "best_cost": "5", "worst_cost": "9"} {
		s := e.Slot(reps, october)
		v, why := e.Exact(name, 0, s)
		require.Equal(t, measure.Present, why, name)
		assert.Equal(t, want, v.RatString(), name)
		f, _ := v.Float64()
		assert.InDelta(t, f, e.Column(name, s).Value[0], 1e-9, name)
	}
}

// Rows stand under a subtotal of each group, which begins anew where any group
// above it does.
func TestSubtotalsBeginAnew(t *testing.T) {
	e := world(t, "", []line{{0, 0, "2026-10-01", "1", "1", 0}, {1, 0, "2026-10-01", "2", "1", 0}, {2, 0, "2026-10-01", "4", "1", 0}})
	october, _ := e.Book.Calendar.Parse("2026-10")
	g := e.Grid(measure.Ask{Level: reps, Measures: []string{"revenue"}, Periods: []calendar.Period{october}, Groups: []measure.Level{areas}, Sort: -1, Limit: 20})
	var rows []string
	for _, r := range g.Rows {
		rows = append(rows, fmt.Sprint(r.Depth, " ", r.Name, " ", r.Cells[0].Value.RatString()))
	}
	assert.Equal(t, []string{"1 North 3", "0 rep0 1", "0 rep1 2", "1 South 4", "0 rep2 4"}, rows)
}
