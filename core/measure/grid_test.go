package measure_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/measure"
)

func TestGridByHand(t *testing.T) {
	e := examples(t, "")
	october, err := e.Book.Calendar.Parse("2026-10")
	require.NoError(t, err)
	september, _ := e.Book.Calendar.Before(october, 1)
	g := e.Grid(measure.Ask{Level: reps, Measures: []string{"revenue", "margin"}, Periods: []calendar.Period{september, october}, Sort: 0,
		Descending: true, Limit: 10})
	assert.Equal(t, 3, g.Total)
	assert.Equal(t, []string{"rep0", "rep2", "rep1"}, []string{g.Rows[0].Key, g.Rows[1].Key, g.Rows[2].Key}, "September's revenue 240, -20, and none last")
	assert.Equal(t, measure.NoLines, g.Rows[2].Cells[0].Why)
	assert.Equal(t, []int{1, 2, 0}, []int{g.Rows[0].Cells[0].Place, g.Rows[1].Cells[0].Place, g.Rows[2].Cells[0].Place})
	assert.Equal(t, []bool{false, false, false, true}, []bool{g.Rows[0].Cells[0].Tied, g.Rows[0].Cells[1].Tied, g.Rows[0].Cells[2].Tied, g.Rows[0].Cells[3].Tied})
	assert.Equal(t, []int{2, 3, 2, 1}, g.Places, "two reps share the one margin of October")
	assert.Equal(t, "500/1", g.Whole[1].Value.String())
	assert.Equal(t, "1/4", g.Whole[2].Value.String(), "the ratio of the sums, not a mean of ratios")
	upward := e.Grid(measure.Ask{Level: reps, Measures: []string{"revenue"}, Periods: []calendar.Period{september}, Sort: 0, Limit: 10})
	assert.Equal(t, "rep2", upward.Rows[0].Key)
	one := e.Grid(measure.Ask{Level: reps, Measures: []string{"revenue"}, Periods: []calendar.Period{october}, Text: "REP1", Sort: -1, Limit: 10})
	assert.Equal(t, 1, one.Total)
}

// Whoever is active is listed, with a figure or without; who is not is listed for a figure, or
// when asked for by name.
func TestGridOfThoseWithoutAFigure(t *testing.T) {
	e := examples(t, "")
	september, err := e.Book.Calendar.Parse("2026-09")
	require.NoError(t, err)
	august, _ := e.Book.Calendar.Before(september, 1)
	october, err := e.Book.Calendar.Parse("2026-10")
	require.NoError(t, err)
	keys := func(edit func(*measure.Ask)) ([]string, int) {
		a := measure.Ask{Level: reps, Measures: []string{"revenue"}, Periods: []calendar.Period{september}, Sort: -1, Limit: 10}
		edit(&a)
		g := e.Grid(a)
		out := []string{}
		for _, r := range g.Rows {
			out = append(out, r.Key)
		}
		assert.Len(t, out, g.Total)
		return out, g.Without
	}
	check := func(what string, edit func(*measure.Ask), without int, want ...string) {
		t.Helper()
		got, n := keys(edit)
		assert.ElementsMatch(t, want, got, what)
		assert.Equal(t, without, n, what)
	}
	check("all", func(*measure.Ask) {}, 1, "rep0", "rep1", "rep2")
	check("with figures", func(a *measure.Ask) { a.Figures = true }, 1, "rep0", "rep2")
	check("with figures, and one more", func(a *measure.Ask) { a.Figures, a.Also = true, []string{"rep1"} }, 1, "rep0", "rep1", "rep2")
	check("only one without", func(a *measure.Ask) { a.Only = []string{"rep1"} }, 1, "rep1")
	check("only one with", func(a *measure.Ask) { a.Only = []string{"rep0"} }, 0, "rep0")
	check("by text", func(a *measure.Ask) { a.Text = "REP1" }, 1, "rep1")
	check("a figure in another period", func(a *measure.Ask) { a.Periods = []calendar.Period{september, october} }, 0, "rep0", "rep1", "rep2")

	// Since the end of August rep1 is there no more.
	e.Snapshot.Registers["rep"].SetActive(1, ledger.Spell{First: ledger.Never, Last: e.Slot(reps, august).Last})
	e = measure.New(e.Book, e.Snapshot)
	check("not active", func(*measure.Ask) {}, 0, "rep0", "rep2")
	check("not active, but flagged", func(a *measure.Ask) { a.Also = []string{"rep1"} }, 1, "rep0", "rep1", "rep2")
	check("active in an earlier period", func(a *measure.Ask) {
		a.Measures, a.Periods = []string{"revenue"}, []calendar.Period{august, september}
	}, 0, "rep0", "rep1", "rep2")
	check("a line after all", func(a *measure.Ask) { a.Periods = []calendar.Period{october} }, 0, "rep0", "rep1", "rep2")
}

// Pages put together are the whole list, whatever the order asked for; what
// is missing comes last, and equal values follow their keys.
func TestGridPagesAreTheWhole(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var lines []line
		for range rapid.IntRange(0, 20).Draw(t, "lines") {
			lines = append(lines, line{rapid.IntRange(0, 2).Draw(t, "rep"), rapid.IntRange(0, 3).Draw(t, "customer"),
				fmt.Sprintf("2026-10-%02d", rapid.IntRange(1, 31).Draw(t, "day")),
				amount.Amount(rapid.Int64Range(-2, 2).Draw(t, "net") * amount.Scale).String(), "1", 0})
		}
		e := world(t, "", lines)
		october, err := e.Book.Calendar.Parse("2026-10")
		require.NoError(t, err)
		a := measure.Ask{Level: measure.Level{Kind: "customer"}, Measures: []string{"revenue", "margin"}, Periods: []calendar.Period{october},
			Sort: rapid.IntRange(-1, 1).Draw(t, "sort"), Descending: rapid.Bool().Draw(t, "down"), Limit: 100}
		all := e.Grid(a)
		assert.Len(t, all.Rows, all.Total)
		var paged []measure.GridRow
		a.Limit = rapid.IntRange(1, 3).Draw(t, "page")
		for a.Offset = 0; a.Offset < all.Total; a.Offset += a.Limit {
			paged = append(paged, e.Grid(a).Rows...)
		}
		require.Equal(t, len(all.Rows), len(paged))
		for i := range paged {
			assert.Equal(t, all.Rows[i].Key, paged[i].Key)
			if i == 0 || a.Sort < 0 {
				continue
			}
			before, here := all.Rows[i-1].Cells[a.Sort], all.Rows[i].Cells[a.Sort]
			switch {
			case here.Why != measure.Present:
			case before.Why != measure.Present:
				assert.Fail(t, "a missing value before one that is there")
			case before.Value.Cmp(here.Value) == 0:
				assert.Less(t, all.Rows[i-1].Key, all.Rows[i].Key)
			default:
				assert.Equal(t, a.Descending, before.Value.Cmp(here.Value) > 0)
			}
		}
	})
}

// An engine whose asker has gone reads no further chunk.
func TestGivingUp(t *testing.T) {
	e := examples(t, "")
	october, err := e.Book.Calendar.Parse("2026")
	require.NoError(t, err)
	asked := 0
	e.Until(func() bool { asked++; return asked > 1 })
	g := e.Grid(measure.Ask{Level: reps, Measures: []string{"revenue"}, Periods: []calendar.Period{october}, Limit: 10})
	assert.True(t, e.Stopped())
	whole := measure.New(e.Book, e.Snapshot).Grid(measure.Ask{Level: reps, Measures: []string{"revenue"}, Periods: []calendar.Period{october}, Limit: 10})
	assert.NotEqual(t, whole.Whole[0].Value, g.Whole[0].Value)
}

// Figures that are laid out again and again, for other rows, orders and pages, say what fresh
// ones say; what was given up is not remembered.
func TestFiguresLaidOutAgain(t *testing.T) {
	e := examples(t, "")
	october, err := e.Book.Calendar.Parse("2026-10")
	require.NoError(t, err)
	september, _ := e.Book.Calendar.Before(october, 1)
	columns := measure.Ask{Level: reps, Measures: []string{"revenue", "margin"}, Periods: []calendar.Period{september, october}, Limit: 10}
	kept := e.Figures(columns)
	rapid.Check(t, func(t *rapid.T) {
		a := columns
		a.Sort, a.Descending = rapid.IntRange(-2, 3).Draw(t, "sort"), rapid.Bool().Draw(t, "down")
		a.Text, a.Top = rapid.SampledFrom([]string{"", "rep1", "nobody"}).Draw(t, "text"), rapid.IntRange(0, 2).Draw(t, "top")
		a.Limit, a.Offset = rapid.IntRange(1, 3).Draw(t, "limit"), rapid.IntRange(0, 2).Draw(t, "offset")
		a.Figures = rapid.Bool().Draw(t, "with figures")
		if rapid.Bool().Draw(t, "only") {
			a.Only = []string{"rep0", "rep2"}
		}
		a.Marked, a.Severity = []string{"rep1", "rep2"}, []int{1, 0}
		if rapid.IntRange(0, 4).Draw(t, "given up") == 0 {
			e.Until(func() bool { return true })
			kept.LayOut(a).Page(0, 10)
			e.Until(nil)
		}
		assert.True(t, a.SameFigures(columns))
		assert.Equal(t, measure.New(e.Book, e.Snapshot).Grid(a), kept.LayOut(a).Page(a.Offset, a.Limit))
	})
	other := columns
	other.Measures = []string{"margin", "revenue"}
	assert.False(t, other.SameFigures(columns))
}
