package measure_test

import (
	"fmt"
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/measure"
)

// A table across another level has in each cell what a plain loop over the lines gives, ratios of
// sums too, with the totals of both sides and of all; its best and worst are those of its columns.
func TestACrossTableIsWhatAPlainLoopGives(t *testing.T) {
	type sums struct{ net, cost *big.Rat }
	rapid.Check(t, func(t *rapid.T) {
		var lines []line
		for range rapid.IntRange(0, 25).Draw(t, "lines") {
			lines = append(lines, line{rapid.IntRange(0, 2).Draw(t, "rep"), rapid.IntRange(0, 3).Draw(t, "customer"),
				fmt.Sprintf("2026-%02d-%02d", rapid.IntRange(9, 10).Draw(t, "month"), rapid.IntRange(1, 30).Draw(t, "day")),
				fmt.Sprint(rapid.IntRange(-50, 50).Draw(t, "net")), fmt.Sprint(rapid.IntRange(1, 9).Draw(t, "cost")), 0})
		}
		e := world(t, "", lines)
		turn := calendar.Date(2026, 10, rapid.IntRange(1, 31).Draw(t, "turn"))
		e.Snapshot.Registers["rep"].SetAttribute("territory", []lang.Value{text("North"), text("North"), text("South")},
			ledger.Dated{From: turn, Subject: 0, Value: text("South")})
		october, _ := e.Book.Calendar.Parse("2026-10")
		rowOf := map[string]func(line) string{
			"rep": func(l line) string { return fmt.Sprintf("rep%d", l.rep) },
			"rep.territory": func(l line) string {
				if day, _ := calendar.ParseDay(l.day); l.rep == 2 || l.rep == 0 && day >= turn {
					return "South"
				}
				return "North"
			},
		}
		columnOf := map[string]func(line) string{
			"customer":          func(l line) string { return fmt.Sprintf("customer%d", l.customer) },
			"customer.category": func(l line) string { return []string{"Yard", "Shop", "Yard", "without a category"}[l.customer] },
		}
		by := rapid.SampledFrom([]string{"rep", "rep.territory"}).Draw(t, "by")
		across := rapid.SampledFrom([]string{"customer", "customer.category"}).Draw(t, "across")
		want := map[[2]string]*sums{} // with "" for a total
		for _, l := range lines {
			if l.day < "2026-10" {
				continue
			}
			net, _ := new(big.Rat).SetString(l.net)
			cost, _ := new(big.Rat).SetString(l.cost)
			for _, at := range [][2]string{{rowOf[by](l), columnOf[across](l)}, {rowOf[by](l), ""}, {"", columnOf[across](l)}, {"", ""}} {
				if want[at] == nil {
					want[at] = &sums{new(big.Rat), new(big.Rat)}
				}
				want[at].net.Add(want[at].net, net)
				want[at].cost.Add(want[at].cost, cost)
			}
		}
		level, _ := e.Book.ParseLevel(by)
		other, _ := e.Book.ParseLevel(across)
		name := rapid.SampledFrom([]string{"revenue", "margin"}).Draw(t, "measure")
		g := e.Grid(measure.Ask{Level: level, Across: other, Measures: []string{name}, Periods: []calendar.Period{october},
			Sort: rapid.IntRange(-1, 9).Draw(t, "sort"), Limit: 100})
		seen := 0
		check := func(row string, cells []measure.Cell) {
			require.Len(t, cells, len(g.Heads))
			for k, c := range cells {
				column := ""
				if g.Heads[k].Across != nil {
					column = g.Heads[k].Across.Key
				}
				s := want[[2]string{row, column}]
				if s == nil {
					assert.NotEqual(t, measure.Present, c.Why, "%s %s", row, column)
					continue
				}
				seen++
				figure := new(big.Rat).Set(s.net)
				if name == "margin" {
					if s.net.Sign() == 0 {
						assert.NotEqual(t, measure.Present, c.Why)
						continue
					}
					figure.Quo(figure.Sub(figure, s.cost), s.net)
				}
				assert.Equal(t, figure.RatString(), c.Value.RatString(), "%s %s", row, column)
			}
		}
		for _, r := range g.Rows {
			check(r.Key, r.Cells)
		}
		check("", g.Whole)
		if name == "revenue" {
			assert.Equal(t, len(want), seen, "no cell is left out")
		}
		assert.Nil(t, g.Heads[len(g.Heads)-1].Across, "the total stands last")
	})
}

// How a column lies is told of those who are listed.
func TestSpreadOfAColumn(t *testing.T) {
	e := examples(t, "")
	october, err := e.Book.Calendar.Parse("2026-10")
	require.NoError(t, err)
	a := measure.Ask{Level: reps, Measures: []string{"revenue", "margin"}, Periods: []calendar.Period{october}, Sort: -1, Limit: 10}
	g := e.Grid(a)
	assert.Equal(t, &measure.Spread{Low: 0, P5: 20, Median: 200, P95: 290, High: 300, Mean: 500.0 / 3}, g.Spreads[0])
	a.Text = "rep2"
	assert.Nil(t, e.Grid(a).Spreads[1], "of no figure there is none")
}

// Lines are the figures of the periods asked for, of subjects and of their groups alike.
func TestLinesOfRows(t *testing.T) {
	e := examples(t, "")
	october, err := e.Book.Calendar.Parse("2026-10")
	require.NoError(t, err)
	run := e.Book.Calendar.Run(october, 3)
	g := e.Grid(measure.Ask{Level: reps, Groups: []measure.Level{areas}, Measures: []string{"margin", "revenue"},
		Periods: run[2:], Lines: run, Sort: -1, Limit: 10})
	require.Equal(t, "North", g.Rows[0].Key)
	for _, r := range g.Rows {
		whole := e.Grid(measure.Ask{Level: r.Level, Measures: []string{"margin", "revenue"}, Periods: run, Sort: -1, Limit: 10})
		for _, same := range whole.Rows {
			if same.Key != r.Key {
				continue
			}
			for m := range 2 {
				for p := range run {
					assert.Equal(t, same.Cells[m*3+p].Float, r.Lines[m][p].Float, "%s %d %d", r.Key, m, p)
					assert.Equal(t, same.Cells[m*3+p].Why, r.Lines[m][p].Why)
				}
			}
		}
	}
}

// Sorted by marks the most serious come first, those without last either way.
func TestGridSortedByMarks(t *testing.T) {
	e := examples(t, "")
	october, err := e.Book.Calendar.Parse("2026-10")
	require.NoError(t, err)
	keys := func(down bool) (out []string) {
		g := e.Grid(measure.Ask{Level: reps, Measures: []string{"revenue"}, Periods: []calendar.Period{october}, Marked: []string{"rep0", "rep2"},
			Severity: []int{1, 0}, Sort: measure.ByMarks, Descending: down, Limit: 10})
		for _, r := range g.Rows {
			out = append(out, r.Key)
		}
		return out
	}
	assert.Equal(t, []string{"rep2", "rep0", "rep1"}, keys(true))
	assert.Equal(t, []string{"rep0", "rep2", "rep1"}, keys(false))
}
