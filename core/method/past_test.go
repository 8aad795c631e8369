package method_test

import (
	"fmt"
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"oskel/core/judge"
	"oskel/core/measure"
	"oskel/core/stats"
)

// lately says the verdict of one shop's values, one a month up to October, "-" is
// none.
func lately(t *testing.T, rule, values string) (string, string) {
	fields := strings.Fields(strings.ReplaceAll(values, "-x", ""))
	for i, f := range fields {
		if f == "-" {
			fields[i] = ""
		}
	}
	e := world(t, read(t, rule), 1, monthly(0, fields...)...)
	r := found(e, october)
	return said(r), sentence(e, r, 0)
}

// Small examples against a subject's own past, each for paper.
func TestOutliersAgainstTheOwnPastByHand(t *testing.T) {
	for _, c := range []struct{ rule, values, want, words string }{
		// 10 11 12 13 14: median 12, MAD 1; 0.6745 x 7 / 1 = 4.7.
		{"outlier: {of: net, by: own past, over: 5 periods, beyond: 4.7, grade: act}", "10 11 12 13 14 19", "act",
			"Net is 19, far above the median of its own past of 12: robust score 4.72; flagged beyond 4.70."},
		{"outlier: {of: net, by: own past, over: 5 periods, beyond: 4.7215, grade: act}", "10 11 12 13 14 19", "clear", ""}, // exactly on it
		{"outlier: {of: net, by: own past, over: 5 periods, beyond: 4.7214, grade: act}", "10 11 12 13 14 19", "act", ""},
		{"outlier: {of: net, by: own past, over: 5 periods, beyond: 4, side: low, grade: act}", "10 11 12 13 14 19", "clear", ""},
		{"outlier: {of: net, by: own past, over: 5 periods, beyond: 4, grade: act}", "10 - - 13 14 19", "not judged (not enough history)", ""},
		{"outlier: {of: net, by: own past, over: 5 periods, at_least: 3 periods, beyond: 4, grade: act}", "10 - - 13 14 99", "act", ""},
		{"outlier: {of: net, by: own past, over: 5 periods, beyond: 4, grade: act}", "7 7 7 7 8 9", "not judged (no spread in its history)", ""},
		{"outlier: {of: net, by: own past, over: 5 periods, beyond: 4, grade: act}", "10 11 12 13 14 -", "not judged (no lines in the period)", ""},
		// A line by 2 a month: 10 to 20, then 22 is expected; residuals 0 0 1 0 -1.
		{"outlier: {of: net, by: deviation from trend, over: 5 periods, beyond: 4, grade: act}", "10 12 15 16 17 40", "act", ""},
		{"outlier: {of: net, by: deviation from trend, over: 5 periods, beyond: 3.5, grade: act}", "10 12 14 16 18 20", "not judged (no spread in its history)", ""},
		{"outlier: {of: net, by: control chart, over: 10 periods, grade: act}", "49.6 47.6 49.9 51.3 47.8 51.2 52.6 52.4 53.6 52.1 55.8", "clear",
			"Net is 56: within its limits, by limits of 46 and 56 about 51."},
		{"outlier: {of: net, by: control chart, over: 10 periods, grade: act}", "49.6 47.6 49.9 51.3 47.8 51.2 52.6 52.4 53.6 52.1 55.81", "act",
			"Net is 56: a value beyond 3 sigma, by limits of 46 and 56 about 51."},
		{"outlier: {of: net, by: control chart, over: 10 periods, side: low, grade: act}", "49.6 47.6 49.9 51.3 47.8 51.2 52.6 52.4 53.6 52.1 55.81", "clear", ""},
		{"outlier: {of: net, by: control chart, over: 5 periods, grade: act}", "5 5 5 5 5 5.0001", "act", ""}, // sigma 0: any other value is beyond
		{"outlier: {of: net, by: control chart, over: 5 periods, grade: act}", "5 5 5 5 5 5", "clear", ""},
		{"outlier: {of: net, by: control chart, over: 9 periods, runs: [one side, trend], grade: act}", "9 1 9 1 5 5.1 5.2 5.3 5.4 5.5", "act",
			"Net is 6: 6 in a row rising or falling, by limits of -4 and 15 about 5."},
		{"outlier: {of: net, by: control chart, over: 9 periods, runs: [one side, trend], grade: act}", "9 1 9 1 5 5.1 - 5.3 5.4 5.5", "clear", ""},
		{"outlier: {of: net, by: control chart, over: 9 periods, baseline_from: 2026-01, baseline_to: 2026-04, runs: [one side], in_a_row: 9, grade: act}",
			"4 6 4 6 6 6 6 6 6 6", "clear", ""},
		// Moving ranges 2 2 2: sigma 2 / 1.128; K half of it; deviations 1 add up beyond 0.89 each.
		{"outlier: {of: net, by: CUSUM, baseline_from: 2026-01, baseline_to: 2026-04, beyond: 3.5, grade: act}", "4 6 4 6 8 8 8 8 5 5", "act", ""},
		{"outlier: {of: net, by: CUSUM, baseline_from: 2026-01, baseline_to: 2026-04, beyond: 4, side: low, grade: act}", "4 6 4 6 8 8 8 8 5 5", "clear", ""},
		{"outlier: {of: net, by: CUSUM, baseline_from: 2026-01, baseline_to: 2026-04, beyond: 3.5, side: low, grade: act}", "4 6 4 6 2 2 2 2 5 5", "act", ""},
		{"outlier: {of: net, by: CUSUM, baseline_from: 2026-01, baseline_to: 2026-04, beyond: 3.5, grade: act}", "4 6 4 6 2 2 2 2 5 5", "act",
			"Net is 5; the sum of its deviations lies 3.8 sigma below 5; flagged beyond 3.5."},
		// After a fixed baseline only what follows is added up; else all of it is.
		{"outlier: {of: net, by: CUSUM, baseline_from: 2026-01, baseline_to: 2026-06, beyond: 2, grade: act}", "9 9 9 1 1 1 5 5 5 5", "clear", ""},
		{"outlier: {of: net, by: CUSUM, over: 9 periods, beyond: 2, grade: act}", "9 9 9 9 4 6 4 6 5 5", "act",
			"Net is 5; the sum of its deviations lies 5.0 sigma below 7; flagged beyond 2.0."},
		{"outlier: {of: net, by: CUSUM, over: 5 periods, grade: act}", "5 5 5 5 5 5", "clear", "Net is 5, and its baseline never moved from 5."},
		{"outlier: {of: net, by: EWMA, over: 5 periods, grade: act}", "5 5 5 5 5 5", "clear", "Net is 5, and its baseline never moved from 5."},
		{"outlier: {of: net, by: CUSUM, baseline_from: 2026-01, baseline_to: 2026-04, beyond: 4, target: 8, grade: act}", "4 6 4 6 8 8 8 8 8 8", "clear", ""},
		{"outlier: {of: net, by: EWMA, baseline_from: 2026-01, baseline_to: 2026-04, beyond: 3, grade: act}", "4 6 4 6 5 7 8 8 8 9", "act", ""},
		{"outlier: {of: net, by: EWMA, baseline_from: 2026-01, baseline_to: 2026-04, beyond: 3, side: low, grade: act}", "4 6 4 6 5 7 8 8 8 9", "clear", ""},
		{"outlier: {of: net, by: EWMA, baseline_from: 2026-01, baseline_to: 2026-12, grade: act}", "4 6 4 6", "not judged (the baseline is not over)", ""},
		{"outlier: {of: net, by: level shift, over: 12 periods, grade: act}", "5 5 6 5 6 5 9 9 8 9 9 8", "act",
			"Net is 8: since May 2026 its level is 9, before it was 5."},
		{"outlier: {of: net, by: level shift, over: 12 periods, side: low, grade: act}", "5 5 6 5 6 5 9 9 8 9 9 8", "clear", ""},
		{"outlier: {of: net, by: level shift, over: 12 periods, recent: 5 periods, grade: act}", "5 5 6 5 6 5 9 9 8 9 9 8", "clear", ""},
		{"outlier: {of: net, by: level shift, over: 12 periods, recent: 6 periods, grade: act}", "5 5 6 5 6 5 9 9 8 9 9 8", "act", ""},
		{"outlier: {of: net, by: level shift, over: 12 periods, grade: act}", "5 5 5 5 5 5 5 5 5 6 6 6", "act",
			"Net is 6: since Aug 2026 its level is 6, before it was 5."},
		{"outlier: {of: net, by: level shift, over: 12 periods, grade: act}", "5 5 5 5 5 5 5 5 5 5 5 5", "clear", "Net is 5; its level has not shifted."},
		{"outlier: {of: net, by: level shift, over: 6 periods, at_least: 3 periods, grade: act}", "5 - 5 5 6 6", "not judged (not enough history)", ""},
	} {
		got, words := lately(t, c.rule, c.values)
		assert.Equal(t, c.want, got, "%s: %s (%s)", c.rule, c.values, words)
		if c.words != "" {
			assert.Equal(t, c.words, words, c.rule)
		}
	}
}

// The same month of the years before: a dip that comes each year is none.
func TestSameSeason(t *testing.T) {
	values := make([]string, 49)
	for i := range values {
		values[i] = "100"
	}
	values[12], values[24], values[36], values[48] = "40", "42", "38", "41" // Octobers; the oldest is four years ago
	values[0] = "39"
	rule := "outlier: {of: net, by: same season, years: 4, beyond: 3.5, grade: act}"
	got, _ := lately(t, rule, strings.Join(values, " "))
	assert.Equal(t, "clear", got)
	plain, _ := lately(t, "outlier: {of: net, by: own past, beyond: 3.5, grade: act}", strings.Join(values, " "))
	assert.Equal(t, "not judged (no spread in its history)", plain)
	values[48] = "100"
	got, words := lately(t, rule, strings.Join(values, " "))
	assert.Equal(t, "act", got)
	assert.Equal(t, "Net is 100, far above the median of the same season of 40: robust score 40.8; flagged beyond 3.5.", words)
	values[24], values[36] = "-", "-"
	got, _ = lately(t, rule, strings.Join(values, " "))
	assert.Equal(t, "not judged (not enough history)", got)
}

// What floating point decides about a past is what wide numbers say: of values
// drawn to lie on cuts, no verdict differs.
func TestPastsAgreeWithRationals(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(4, 9).Draw(t, "n")
		cut := rapid.SampledFrom([]string{"0.6745", "1.349", "2", "3.3725"}).Draw(t, "cut")
		var values []string
		var xs []*big.Rat
		for range n {
			v := rapid.SampledFrom([]string{"0", "0.1", "0.2", "0.3", "1", "2", "5"}).Draw(t, "v")
			x, _ := new(big.Rat).SetString(v)
			values, xs = append(values, v), append(xs, x)
		}
		e := world(t, read(t, fmt.Sprintf("outlier: {of: net, by: own past, over: %d periods, beyond: %s, grade: act}", max(n-1, 3), cut)), 1,
			monthly(0, values...)...)
		r := found(e, october)
		median, mad := stats.MedianMADRat(xs[:n-1])
		least, _ := new(big.Rat).SetString(cut)
		switch v := r.Verdict(0); {
		case mad.Sign() == 0:
			assert.Equal(t, "no spread in its history", v.Why)
		default:
			d := new(big.Rat).Sub(xs[n-1], median)
			d.Mul(d.Abs(d), big.NewRat(6745, 10000))
			assert.Equal(t, d.Cmp(new(big.Rat).Mul(least, mad)) > 0, v.Flagged(), values)
		}
	})
}

// What cannot be is refused in a sentence.
func TestMethodsThatCannotBe(t *testing.T) {
	for rule, want := range map[string]string{
		"outlier: {of: net, by: own past, over: 5 periods, at_least: 6 periods, beyond: 3, grade: act}": "asks for 6 " +
			"periods with a value, and only 5 are looked at",
		"outlier: {of: net, by: generalised ESD, alpha: 0%, grade: act}": "expected a " +
			"level above 0% and below 100%, such as 5%, found 0%",
		"outlier: {of: net, by: generalised ESD, alpha: 100%, grade: act}": "expected a " +
			"level above 0% and below 100%, such as 5%, found 100%",
		"outlier: {of: net, by: generalised ESD, alpha: 0, grade: act}": "expected a " +
			"level above 0% and below 100%, such as 5%, found 0",
		"outlier: {of: net, by: generalised ESD, alpha: 1, grade: act}": "expected a " +
			"level above 0% and below 100%, such as 5%, found 1",
		"outlier: {of: net, by: generalised ESD, alpha: 0.05, grade: act}": "did you mean " +
			"5%? (0.05% would be written 0.05%)",
		"outlier: {of: net, by: generalised ESD, alpha: 5, grade: act}": "did you mean 5%?",
		"outlier: {of: net, by: generalised ESD, most: 20, grade: act}": "looks for 20 " +
			"outliers where there may be 25 values: expected at most half of them",
		"outlier: {of: net, by: same season, years: 1, beyond: 3, grade: act}": "expected a " +
			"number of years before from 2 to 20, such as 3, found 1",
		"outlier: {of: net, by: control chart, baseline_from: 2026-05, baseline_to: 2026-02, grade: act}": "the baseline " +
			"ends before it starts: 2026-05 to 2026-02",
		"outlier: {of: net, by: control chart, baseline_from: 2026-13, baseline_to: 2026-04, grade: " +
			"act}": `"2026-13" is not a period`,
		"outlier: {of: net, by: control chart, baseline_from: 2026-01, baseline_to: 2026-14, grade: " +
			"act}": `"2026-14" is not a period`,
		"window: {burst: returns, at_least: 5 lines, within: 7 days, grade: act}, examples: [{found: 5, is: act}, {found: 4, is: clear}]": "",
		"window: {burst: returns, at_least: 5 lines, within: 7 days, grade: act}, examples: [{net: 4, is: act}]": "the example " +
			"of a burst says the count in the fullest window, such as {found: 5, is: act}",
		"outlier: {of: net, by: control chart, baseline_from: 2026-05, grade: act}": "a fixed " +
			"baseline states both its first and its last period: baseline_from and baseline_to",
		"outlier: {of: net, by: control chart, baseline_from: 2026-Q1, baseline_to: 2026-Q4, grade: act}": "a rule of " +
			"each month has a baseline of months, found 2026-Q1 to 2026-Q4",
		"outlier: {of: net, by: control chart, baseline_from: 2026-05, baseline_to: 2026-06, grade: act}": "a baseline of " +
			"2 periods tells nothing of what is usual: expected 3 or more",
		"outlier: {of: net, by: control chart, runs: [trend, trend], grade: act}": `"trend" is named twice`,
		"outlier: {of: net, by: control chart, runs: [trend, bellow], grade: " +
			"act}": `expected one of beyond 3 sigma, one side, trend, alternating, 2 of 3, 4 of 5, within 1 sigma, beyond 1 sigma, found "bellow"`,
		"outlier: {of: net, by: EWMA, target: 20%, grade: act}": "a percentage, " +
			"but net is in money",
		"window: {burst: returns, at_least: 5 lines, within: 0 days, grade: act}": "expected a " +
			"number of days from 1 to 366, such as '7 days', found 0",
		"window: {burst: returns, at_least: 5 lines, within: 366 days, grade: act}": "",
		"window: {burst: returns, at_least: 5 lines, within: 367 days, grade: act}": "expected a " +
			"number of days from 1 to 366, such as '7 days', found 367",
		"window: {burst: returns, at_least: 5 lines, within: cut days, grade: act}": "",
		"window: {burst: returns, at_least: 5 in total, within: 7 days, grade: act}": "a total needs " +
			"'number': which number of the lines is added up?",
		"window: {burst: returns, at_least: 5 lines, number: net, within: 7 days, grade: act}": "'number' is " +
			"for a total: write 'at_least' with 'in total'",
		"window: {burst: returns, at_least: 5 in total, number: nett, within: 7 days, grade: act}": `the lines of returns have no number "nett"; did you mean net?`,
		"window: {burst: returns, at_least: 2.5 lines, within: 7 days, grade: act}": "a count is a " +
			"whole number",
		"window: {followed: sales, by: returns, within: 30 days, same: [colour], grade: act}": `the lines of sales have no kind, label or note "colour"`,
		"window: {followed: sales, by: returned, within: 30 days, grade: act}":                `unknown feed "returned"; did you mean returns?`,
		"window: {followed: 'sales where nett above 3', by: returns, within: 30 days, grade: " +
			"act}": `the lines of sales have no label, number or attribute "nett"; did you mean net?`,
		"window: {followed: sales, unanswered: sales, by: returns, within: 30 days, grade: act}": `state either "followed" or "unanswered", not both`,
		"window: {silence: sales, grade: act}": "state how " +
			"long: 'at_least: 45 days', 'longer_than: 2.5 usual gaps', or both",
		"window: {during: fare, of: net, above: 40%, grade: act}":          `the calendar has no windows of the kind "fare"; did you mean fair?`,
		"window: {during: last 100 days, of: net, above: 40%, grade: act}": "",
		"window: {during: last 101 days, of: net, above: 40%, grade: act}": `the calendar has no windows of the kind "last 101 days"`,
		"outlier: {of: net, by: percentile, beyond: 95%, grade: act}, examples: [{percent_rank: 96%, is: act}, {percent_rank: 95%, is: clear}, " +
			"{percent_rank: 4%, is: act}]": "",
		"outlier: {of: net, by: percentile, beyond: 95%, side: low, grade: act}, examples: [{percent_rank: 96%, is: clear}, {percent_rank: 5%, is: " +
			"clear}, {percent_rank: 4%, is: act}]": "",
		"outlier: {of: net, by: percentile, beyond: 95%, side: high, grade: act}, examples: [{percent_rank: 96%, is: act}, {percent_rank: 4%, is: clear}]": "",
		"window: {during: fair, of: rate, above: 40%, grade: act}": "rate does not add up over days; expected a sum " +
			"or a count of lines",
		"window: {during: fair, of: net, grade: act}": "state what is flagged: 'above', 'below', or both",
		"window: {shift: sales, after: returns, days: 20 days, grade: act}": "state one of 'beyond' and 'at_least', a change " +
			"that is flagged, and 'less_than' and 'at_most', a change that should have come",
		"window: {shift: sales, after: returns, days: 20 days, beyond: 30, grade: act}": "a change is a percentage, such as 30%",
		"window: {shift: sales, after: returns, days: 20 days, as: difference, beyond: 30%, grade: act}": "a difference is an amount a day, such as 100, " +
			"not a percentage",
		"window: {silence: sales, at_least: part days, grade: act}": "a number of days",
		"no_data: act, window: {burst: returns, at_least: 5 lines, within: 7 days, grade: act}": "a burst has no 'no data': what was never seen " +
			"is not judged",
		"outlier: {of: net, among: shop.city, by: percentile, beyond: 95%, grade: act}": `expected an attribute of shop`,
		"outlier: {of: net, by: percentile, beyond: 40%, grade: act}": "expected a share of the others from 50% to " +
			"100%, such as 95%, found 40%",
	} {
		got := problems(rule)
		if want == "" {
			assert.Empty(t, got, rule)
			continue
		}
		if assert.Len(t, got, 1, rule) {
			assert.Contains(t, got[0], want, rule)
		}
	}
	_, all, _ := judge.ReadBook([]byte(strings.Replace(head, "patience: {value: 7}", "patience: {value: 7.5}", 1) +
		"  - {name: x, judges: shop, window: {burst: returns, at_least: 5 lines, within: patience days, grade: act}}\n"))
	if assert.Len(t, all, 1) {
		assert.Equal(t, "expected a whole number of days, found 7.5 (the dial patience)", all[0].Text)
	}
	_, none, advice := judge.ReadBook([]byte(head + "  - {name: x, judges: shop, outlier: {of: net, by: level shift, over: 9 periods, grade: act}}\n"))
	assert.Empty(t, none)
	assert.Contains(t, fmt.Sprint(advice), "over 9 periods noise alone shows a shift too often")
}

// What if a subject had another figure: it is judged anew amid all others, and amid
// its own past; all else stays as it is.
func TestWhatIfOfOutliers(t *testing.T) {
	what := func(e *measure.Engine, code uint32, changes map[string]*big.Rat) string {
		v, refused := judge.WhatIf(e, found(e, october), code, changes)
		return v.Grade + v.Outcome.String() + refused
	}
	e := world(t, read(t, "base: {orders: at least 1}, outlier: {of: net, by: robust score, beyond: 4.7, peers: 2, grade: act}"), 6,
		all("10", "11", "12", "13", "14", "19")...)
	assert.Equal(t, "clear", what(e, 5, nil))
	assert.Equal(t, "actbreach", what(e, 5, map[string]*big.Rat{"net": big.NewRat(99, 1)}))
	assert.Equal(t, "no data", what(e, 5, map[string]*big.Rat{"net": nil}))
	assert.Equal(t, "not judged", what(e, 5, map[string]*big.Rat{"orders": big.NewRat(1, 2)}))
	assert.Equal(t, "rate is not used by the rule; it uses net", strings.TrimPrefix(what(e, 5, map[string]*big.Rat{"rate": nil}), "out of scope"))
	assert.Equal(t, "clear", what(e, 4, nil), "nothing of it stays")
	ratio := world(t, read(t, "outlier: {of: rate, by: top or bottom, first: 1, peers: 2, grade: act}"), 3, all("10", "11", "12")...)
	assert.Equal(t, "actbreach", what(ratio, 0, map[string]*big.Rat{"orders": big.NewRat(1, 2)}), "what is made of it follows")
	own := world(t, read(t, "outlier: {of: net, by: own past, over: 5 periods, beyond: 4, grade: act}"), 1, monthly(0, "10", "11", "12", "13", "14", "12")...)
	assert.Equal(t, "clear", what(own, 0, nil))
	assert.Equal(t, "actbreach", what(own, 0, map[string]*big.Rat{"net": big.NewRat(30, 1)}))
	lines := world(t, read(t, "window: {silence: sales, at_least: 30 days, grade: act}"), 1, lines("s 10-01")...)
	assert.Contains(t, what(lines, 0, nil), "silence looks at dated lines, not at figures")
}

// A rule says how much of its own past it needs: two thirds, rounded up, unless stated.
func TestHowMuchPastIsNeeded(t *testing.T) {
	for rule, want := range map[string]string{
		"over: 12 periods": "fewer than 8 of them", "over: 5 periods": "fewer than 4 of them", "over: 12 periods, at_least: 3 periods": "fewer than 3 of them",
	} {
		book := read(t, "outlier: {of: net, by: own past, "+rule+", beyond: 3, grade: act}")
		assert.Contains(t, book.Words(&book.Rules[0]), want)
	}
	book := read(t, "outlier: {of: net, by: control chart, baseline_from: 2025-01, baseline_to: 2025-10, grade: act}")
	assert.Contains(t, book.Words(&book.Rules[0]), "fewer than 7 of them")
}
