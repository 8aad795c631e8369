package method_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/ledger"
)

func calendarSpell(first, last string) ledger.Spell {
	from, _ := calendar.ParseDay(first)
	to, _ := calendar.ParseDay(last)
	return ledger.Spell{First: from, Last: to}
}

// What lies on a cut of the logarithmic scale is on it, on either side: b^0 to b^4 have the
// quartiles b and b^3, a median of b^2 and a MAD of ln b, whatever b is.
func TestOnACutOfTheLogarithmicScale(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b := rapid.IntRange(2, 60).Draw(t, "b")
		var lines []line
		for i, v := 0, 1; i < 5; i, v = i+1, v*b {
			lines = append(lines, line{"sales", "2026-10-15", i, 0, fmt.Sprint(v), ""})
		}
		for rule, want := range map[string]string{
			"by: quartile fences, beyond: 0.5":   "clear; clear; clear; clear; clear",
			"by: quartile fences, beyond: 0.499": "act; clear; clear; clear; act",
			"by: robust score, beyond: 1.349":    "clear; clear; clear; clear; clear",
			"by: robust score, beyond: 1.348":    "act; clear; clear; clear; act",
		} {
			e := world(t, read(t, "outlier: {of: net, "+rule+", scale: log, peers: 2, grade: act}"), 5, lines...)
			require.Equal(t, want, said(found(e, october)), "%s of powers of %d", rule, b)
		}
	})
}

// A level shift counts the judged period among those that must have a value.
func TestALevelShiftOfAllItsPeriods(t *testing.T) {
	got, words := lately(t, "outlier: {of: net, by: level shift, over: 12 periods, at_least: 12 periods, grade: act}", "5 5 6 5 6 5 9 9 8 9 9 8")
	assert.Equal(t, "act", got, words)
	got, _ = lately(t, "outlier: {of: net, by: level shift, over: 12 periods, at_least: 12 periods, grade: act}", "5 - 6 5 6 5 9 9 8 9 9 8")
	assert.Equal(t, "not judged (not enough history)", got)
	got, _ = lately(t, "outlier: {of: net, by: level shift, over: 12 periods, grade: act}", "5 - 6 - 6 5 9 - 8 - 9 8")
	assert.Equal(t, "act", got, "8 of 12 are two thirds")
	got, _ = lately(t, "outlier: {of: net, by: level shift, over: 12 periods, grade: act}", "5 - 6 - 6 5 9 - 8 - - 8")
	assert.Equal(t, "not judged (not enough history)", got, "7 are not")
}

// Of the two sums of deviations the larger is told and held, flagged or not.
func TestTheLargerOfTwoSums(t *testing.T) {
	for values, above := range map[string]bool{"4 6 4 6 2 2 2 2 2 2": false, "4 6 4 6 8 8 8 8 8 8": true, "4 6 4 6 9 9 9 1 1 1": false} {
		e := world(t, read(t, "outlier: {of: net, by: CUSUM, baseline_from: 2026-01, baseline_to: 2026-04, beyond: 30, grade: act}"), 1,
			monthly(0, strings.Fields(values)...)...)
		r := found(e, october)
		assert.Equal(t, "clear", said(r))
		assert.Equal(t, above, r.Held(0) > 1, "%s: %s", values, sentence(e, r, 0))
	}
}

// The departure from a trend is scored about the median of the window's residuals: one that
// lies above eleven of twelve is not far below.
func TestADepartureAmongItsResiduals(t *testing.T) {
	// A line but for one wild value early on, which turns the fitted one.
	got, words := lately(t, "outlier: {of: net, by: deviation from trend, over: 11 periods, beyond: 3, grade: act}", "10 21 29 900 51 62 69 80 91 99 111 120")
	assert.Equal(t, "clear", got, words)
}

// A run that ends on the mean is on whichever side is asked for.
func TestARunThatEndsOnTheMean(t *testing.T) {
	const values = "11 9 11 9 11 9 11 9 11 9 11 9 11 9 10"
	for _, side := range []string{"high", "low", "both"} {
		got, words := lately(t, "outlier: {of: net, by: control chart, over: 14 periods, runs: [alternating], side: "+side+", grade: act}", values)
		assert.Equal(t, "act", got, "%s: %s", side, words)
	}
	book := read(t, "outlier: {of: net, by: control chart, over: 12 periods, runs: [one side], in_a_row: 9, grade: act}")
	assert.NotContains(t, book.Words(&book.Rules[0]), "either side")
}

// A fixed baseline of years ago is over; one of too long ago says that.
func TestABaselineOfYearsAgo(t *testing.T) {
	judged := func(from, to string) string {
		book := read(t, "each: day, outlier: {of: net, by: control chart, baseline_from: "+from+", baseline_to: "+to+", grade: act}")
		var lines []line
		first, _ := calendar.ParseDay(from)
		last, _ := calendar.ParseDay(to)
		for d := first; d <= last; d++ {
			lines = append(lines, line{"sales", d.String(), 0, 0, fmt.Sprint(5 + int(d)%3), ""})
		}
		e := world(t, book, 1, append(lines, line{"sales", "2026-10-31", 0, 0, "500", ""})...)
		p, _ := book.Calendar.Parse("2026-10-31")
		return said(judge.Judge(e, &book.Rules[0], book.Rules[0].Levels[0], p))
	}
	assert.Equal(t, "act", judged("2023-01-02", "2023-01-31"))
	assert.Equal(t, "not judged (too much time has passed since the baseline)", judged("1990-01-02", "1990-01-31"))
	assert.Equal(t, "not judged (the baseline is not over)", judged("2026-10-20", "2026-11-03"))
	assert.NotContains(t, judged("2026-10-20", "2026-10-30"), "baseline", "over the day before")
	assert.Equal(t, "not judged (the baseline is not over)", judged("2026-10-20", "2026-10-31"), "that day is one of it")
}

// Both ends of a baseline are periods of the rule's length.
func TestBaselinesOfTheRulesLength(t *testing.T) {
	for ends, whole := range map[string]bool{"2025-01 2025-12": true, "2025-Q1 2025-12": false, "2025-01 2025-Q4": false, "2025-Q1 2025-Q4": false} {
		from, to, _ := strings.Cut(ends, " ")
		all := problems("outlier: {of: net, by: control chart, baseline_from: " + from + ", baseline_to: " + to + ", grade: act}")
		assert.Equal(t, whole, len(all) == 0, "%s: %v", ends, all)
	}
}

// The evidence of a level shift has the level of each period, on either side of the split.
func TestLevelsOfAShiftAreDrawn(t *testing.T) {
	e := world(t, read(t, "outlier: {of: net, by: level shift, over: 12 periods, grade: act}"), 1, monthly(0, strings.Fields("5 5 6 5 6 5 9 9 8 9 9 8")...)...)
	var levels []string
	for _, p := range judge.EvidenceFor(e, found(e, october), 0).Past.Values {
		levels = append(levels, p.Fitted.FloatString(0))
	}
	assert.Equal(t, strings.Fields("5 5 5 5 5 5 9 9 9 9 9 9"), levels)
}
