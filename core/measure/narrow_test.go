package measure_test

import (
	"fmt"
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/calendar"
	"oskel/core/measure"
)

// Narrowed to some lines, figures, conditions of their own included, are what a plain loop over
// those lines gives; asked of the whole they are so too.
func TestNarrowedToSomeLines(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var lines []line
		for range rapid.IntRange(0, 25).Draw(t, "lines") {
			lines = append(lines, line{rapid.IntRange(0, 2).Draw(t, "rep"), rapid.IntRange(0, 3).Draw(t, "customer"),
				fmt.Sprintf("2026-10-%02d", rapid.IntRange(1, 30).Draw(t, "day")), fmt.Sprint(rapid.IntRange(-50, 50).Draw(t, "net")),
				fmt.Sprint(rapid.IntRange(1, 9).Draw(t, "cost")), rapid.IntRange(0, 2).Draw(t, "channel")})
		}
		e := world(t, "", lines)
		for text, counts := range map[string]func(line) bool{
			`customer.category is "Yard"`:             func(l line) bool { return l.customer == 0 || l.customer == 2 },
			`net above 0 and channel is not "phone"`:  func(l line) bool { return !strings.HasPrefix(l.net, "-") && l.net != "0" && l.channel == 2 },
			`rep.territory is "South" or net below 0`: func(l line) bool { return l.rep == 2 || strings.HasPrefix(l.net, "-") },
		} {
			book, err := e.Book.Narrowed(text)
			require.NoError(t, err)
			narrow := measure.New(book, e.Snapshot)
			october, _ := book.Calendar.Parse("2026-10")
			for _, name := range []string{"revenue", "by_phone", "margin"} {
				g := narrow.Grid(measure.Ask{Level: reps, Measures: []string{name}, Periods: []calendar.Period{october}, Sort: -1, Limit: 10})
				for rep := range 4 { // the last is the whole
					net, cost := (*big.Rat)(nil), new(big.Rat)
					for _, l := range lines {
						if counts(l) && (l.rep == rep || rep == 3) && (name != "by_phone" || l.channel == 1) {
							if net == nil {
								net = new(big.Rat)
							}
							n, _ := new(big.Rat).SetString(l.net)
							c, _ := new(big.Rat).SetString(l.cost)
							net.Add(net, n)
							cost.Add(cost, c)
						}
					}
					cell := g.Whole[0]
					if rep < 3 {
						cell = g.Rows[rep].Cells[0]
					}
					if net == nil || name == "margin" && net.Sign() == 0 {
						assert.NotEqual(t, measure.Present, cell.Why, "%s of rep%d where %s", name, rep, text)
						continue
					}
					if name == "margin" {
						net.Quo(new(big.Rat).Sub(net, cost), net)
					}
					assert.Equal(t, net.RatString(), cell.Value.RatString(), "%s of rep%d where %s", name, rep, text)
				}
			}
		}
	})
}

// Rows are those for whom a condition holds: on measures, attributes, key and name.
func TestRowsForWhomAConditionHolds(t *testing.T) {
	e := examples(t, "")
	october, err := e.Book.Calendar.Parse("2026-10")
	require.NoError(t, err)
	rows := func(text string) (out []string) {
		tree, err := e.Book.RowCondition(text, reps)
		require.NoError(t, err, text)
		ask := measure.Ask{Level: reps, Measures: []string{"revenue"}, Periods: []calendar.Period{october}, Where: tree, Sort: -1, Limit: 10}
		for _, r := range e.Grid(ask).Rows {
			out = append(out, r.Key)
		}
		return out
	}
	for text, want := range map[string][]string{
		`rep.territory is "North"`:                        {"rep0", "rep1"},
		`rep.territory is "North" and revenue above 200`:  {"rep0"},
		`rep.name contains "2" or rep.key is "rep1"`:      {"rep1", "rep2"},
		`margin is missing`:                               {"rep2"},
		`earlier(revenue) is missing and revenue above 0`: {"rep1"},
		`not rep.territory is "North"`:                    {"rep2"},
	} {
		assert.Equal(t, want, rows(text), text)
	}
	for text, why := range map[string]string{
		`rep.teritory is "North"`:   "unknown attribute",
		`revenu above 1`:            "did you mean revenue?",
		`rep.territory is`:          "expected",
		`customer.name is "Anyone"`: "unknown attribute",
		`revenue above "far"`:       "",
	} {
		_, err := e.Book.RowCondition(text, reps)
		require.Error(t, err, text)
		assert.ErrorContains(t, err, why, text)
	}
	_, err = e.Book.RowCondition(`rep.territory is "North"`, whole)
	assert.Error(t, err)
	_, err = e.Book.Narrowed(`customer.colour is "red"`)
	assert.ErrorContains(t, err, "customer.colour")
}
