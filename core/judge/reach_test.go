package judge_test

import (
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/judge"
)

// A setting that reaches further back than the lines is said, with both days; one that just
// reaches, or a feed without lines, is not.
func TestWhatReachesFurtherBackThanTheLines(t *testing.T) {
	for rule, want := range map[string]string{
		"window: {silence: sales, at_least: 20 days, grade: act}": "'at_least: 20 days' reaches back to 11 Oct 2026, but the lines of " +
			"Order lines begin on 12 Oct 2026",
		"window: {silence: sales, at_least: 19 days, grade: act}": "",
		"window: {silence: sales, at_least: 15 working days, grade: act}": "'at_least: 15 working days' reaches back to 11 Oct 2026, but the " +
			"lines of Order lines begin on 12 Oct 2026",
		"window: {silence: sales, at_least: 14 working days, grade: act}": "",
		"outlier: {of: revenue, by: control chart, over: 12 periods, grade: act}": "'over: 12 periods' reaches back to 1 Oct 2025, but the lines of " +
			"Order lines begin on 12 Oct 2026",
		"threshold: {of: revenue, bands: [{grade: act, below: 0}, {clear: rest}]}": "",
	} {
		e := world(t, 1, "  - {name: x, judges: rep, "+rule+"}\n", line{0, "2026-10-12", "1", "1"}, line{0, "2026-10-31", "1", "1"})
		got := ""
		for _, p := range judge.Reach(e.Book, e.Snapshot) {
			got += p.Text
		}
		assert.Equal(t, want, got, rule)
		empty := world(t, 1, "  - {name: x, judges: rep, "+rule+"}\n")
		assert.Empty(t, judge.Reach(empty.Book, empty.Snapshot), "nobody reaches back from nothing: "+rule)
	}
}

// The solver halves its way to the value at which just so many are flagged, which lies
// between those that it tries first.
func TestTheSolverGoesBetweenItsSteps(t *testing.T) {
	var lines []line
	for i := range 40 { // margins of 20.01 %, 20.02 % and so on: all within one of the first steps
		lines = append(lines, line{i, "2026-10-12", "10000", strconv.Itoa(7999 - i)})
	}
	e := world(t, 40, "  - {name: x, judges: rep, threshold: {of: margin, bands: [{grade: act, below: floor}, {clear: rest}]}}\n", lines...)
	for wanted, value := range map[float64]string{17: "0.2018", 0: "0", 40: "0.217", 1: "0.2002"} {
		best, tried := judge.SolveDial(e, "floor", []string{"x"}, calendar.MonthPeriod(october), 1, wanted, 0, amount.FromInt(1), 1)
		assert.Equal(t, wanted, best.Average)
		assert.Equal(t, value, best.Value.String(), "%g: the least that was tried and flags so many", wanted)
		assert.GreaterOrEqual(t, len(tried), 24)
	}
}
