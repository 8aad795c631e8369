package judge_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/method"
	"oskel/core/rulebook"
)

// What was explained is small, what was confirmed is large: a base parts them, and so
// does no cut. The proposal is what judging by the changed rule gives.
func TestProposalsAreProven(t *testing.T) {
	const rule = "\n  - {name: thin, title: Thin, judges: rep, threshold: {of: margin, bands: [{grade: act, below: 22%}, {clear: rest}]}}"
	var lines []line
	record := []judge.Settled{}
	october := calendar.MonthPeriod(calendar.Date(2026, 10, 1).Month())
	for i := range 12 {
		net, cost, finding := 900+10*i, 720+8*i, "explained" // a margin of 20 %
		if i >= 8 {
			net, cost, finding = 5000+100*i, 4000+80*i, "confirmed"
		}
		lines = append(lines, line{i, "2026-10-05", fmt.Sprint(net), fmt.Sprint(cost)})
		record = append(record, judge.Settled{Period: october, Key: fmt.Sprintf("R%d", i), Finding: finding})
	}
	lines = append(lines, line{12, "2026-10-06", "1000", "500"})
	e := world(t, 14, rule, lines...)
	of := e.Book.Rule("thin")
	for i := range record {
		record[i].Level = of.Levels[0]
	}
	// One that is flagged no longer is none of the record, nor is one of a rule of old.
	record = append(record, judge.Settled{Period: october, Level: of.Levels[0], Key: "R12", Finding: "explained"},
		judge.Settled{Period: october, Level: rulebook.Level{Kind: "rep", By: "territory"}, Key: "North", Finding: "explained"},
		judge.Settled{Period: october, Level: of.Levels[0], Key: "Rx", Finding: "confirmed"})
	out := judge.Propose(e, of, head+rule, record, method.All())
	assert.Equal(t, []int{8, 4, 12}, []int{out.Explained, out.Confirmed, out.Flagged})
	require.NotEmpty(t, out.Proposals)
	best := out.Proposals[0]
	assert.Equal(t, "a base of revenue at least 1,100", best.Words, "the mildest that parts them")
	assert.Equal(t, []int{8, 0, 4, 0}, []int{best.Spared, best.Lost, best.Flagged, best.Newly})
	for _, p := range out.Proposals {
		book, problems := rulebook.Read([]byte(p.Text), method.All())
		require.Empty(t, problems, p.Words)
		assert.LessOrEqual(t, p.Lost*10, out.Confirmed, p.Words)
		assert.Equal(t, []string{"rule thin: changed"}, rulebook.Difference(e.Book, book))
	}
}

// What is explained in one territory alone is left out there; where that would lose what
// was confirmed, it is not proposed; with little explained nothing is.
func TestProposalsByAttribute(t *testing.T) {
	const rule = "\n  - {name: thin, title: Thin, judges: rep, where: rep.territory is not \"East\", threshold: {of: margin, bands: [{grade: act, " +
		"below: 22%}, {clear: rest}]}}"
	october := calendar.MonthPeriod(calendar.Date(2026, 10, 1).Month())
	var lines []line
	for i := range 10 {
		lines = append(lines, line{i, "2026-10-05", "1000", "800"})
	}
	e := world(t, 10, rule, lines...)
	of := e.Book.Rule("thin")
	propose := func(confirmedSouth bool, n int) judge.Proposed {
		record := []judge.Settled{}
		for i := range n {
			finding := "confirmed"
			if i%2 == 1 {
				finding = "explained" // in the south
			}
			if confirmedSouth && i == 1 {
				finding = "confirmed"
			}
			record = append(record, judge.Settled{Period: october, Level: of.Levels[0], Key: fmt.Sprintf("R%d", i), Finding: finding})
		}
		return judge.Propose(e, of, head+rule, record, method.All())
	}
	out := propose(false, 10)
	require.NotEmpty(t, out.Proposals)
	assert.Equal(t, "leaving out those whose rep.territory is South", out.Proposals[0].Words)
	assert.Equal(t, []int{5, 0}, []int{out.Proposals[0].Spared, out.Proposals[0].Lost})
	assert.Equal(t, `(rep.territory is not "East") and not (rep.territory is "South")`, out.Proposals[0].Definition.Where)
	for _, p := range propose(true, 10).Proposals {
		assert.NotEqual(t, "leave out", p.What)
	}
	few := propose(false, 5)
	assert.Equal(t, 2, few.Explained)
	assert.Empty(t, few.Proposals)
}

// The numbers of a method, and of bands that a dial stands for, are moved.
func TestProposalsByNumbers(t *testing.T) {
	october := calendar.MonthPeriod(calendar.Date(2026, 10, 1).Month())
	var lines []line
	for i := range 12 {
		cost := 790 // explained: a margin of 21 %
		if i >= 8 {
			cost = 950
		}
		lines = append(lines, line{i, "2026-10-05", "1000", fmt.Sprint(cost)})
	}
	rule := "\n  - {name: thin, title: Thin, judges: rep, threshold: {of: margin, bands: [{grade: act, below: 22%}, {clear: true, at_least: 22%}]}}"
	e := world(t, 12, rule, lines...)
	of := e.Book.Rule("thin")
	var record []judge.Settled
	for i := range 12 {
		record = append(record, judge.Settled{Period: october, Level: of.Levels[0], Key: fmt.Sprintf("R%d", i),
			Finding: map[bool]string{true: "rule fault", false: "confirmed"}[i < 8]})
	}
	out := judge.Propose(e, of, head+rule, record, method.All())
	words := []string{}
	for _, p := range out.Proposals {
		words = append(words, p.Words)
		assert.Equal(t, []int{8, 0}, []int{p.Spared, p.Lost})
	}
	assert.Contains(t, strings.Join(words, "; "), "below 20%")

	quiet := "\n  - {name: quiet, title: Quiet, judges: rep, window: {silence: sales, at_least: 20 days, grade: look}}"
	lines = nil
	for i := range 10 {
		lines = append(lines, line{i, fmt.Sprintf("2026-10-%02d", map[bool]int{true: 10, false: 1}[i < 6]), "10", "5"}, line{11, "2026-10-31", "1", "1"})
	}
	e = world(t, 12, quiet, lines...)
	of, record = e.Book.Rule("quiet"), nil
	for i := range 10 {
		record = append(record, judge.Settled{Period: october, Level: of.Levels[0], Key: fmt.Sprintf("R%d", i),
			Finding: map[bool]string{true: "explained", false: "confirmed"}[i < 6]})
	}
	out = judge.Propose(e, of, head+quiet, record, method.All())
	require.NotEmpty(t, out.Proposals)
	assert.Equal(t, "at_least: 22 days", out.Proposals[0].Words)
	assert.Equal(t, []int{6, 0}, []int{out.Proposals[0].Spared, out.Proposals[0].Lost})
}
