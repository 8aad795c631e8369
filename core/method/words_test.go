package method_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Every setting of a method is in the sentence that its rule is read back in.
func TestMethodsInWords(t *testing.T) {
	noData, few := " Subjects without data are not flagged.", "; with fewer than 8 others it is not judged."
	for rule, words := range map[string]string{
		"window: {followed: sales, by: returns, within: 5 days, grade: act}": "Act " +
			"now when one of the orders is followed by one of the returns within 5 days.",
		"window: {followed: sales, by: returns, within: 5 working days, at_least: 2, answers: one, from: the next day, same: [item], grade: act}": "Act " +
			"now when at least 2 of the orders are followed by one of the returns within 5 working days, from the next day on, of the same item, each of " +
			"which answers one alone.",
		"window: {unanswered: sales, by: returns, within: 1 days, grade: look}": "Look " +
			"when one of the orders had none of the returns within 1 day; it is judged when the window closes.",
		"window: {unanswered: sales, by: returns, within: 5 days, at_least: 3, same: [item, ticket], grade: look}": "Look " +
			"when at least 3 of the orders had none of the returns within 5 days, of the same item and ticket; it is judged when the window closes.",
		"window: {burst: returns, at_least: 2 lines, within: 7 days, grade: act}": "Act " +
			"now when there are at least 2 lines of the returns within any 7 days.",
		"window: {silence: returns, at_least: 20 days, grade: act}": "Act " +
			"now when the last of the returns lies 20 days or more before the period's last day; one that was never seen is not judged.",
		"window: {during: fair, of: net, as: change, before: 10 days, below: 25%, grade: act}": "Act " +
			"now when net during the fair a day as a change from the 10 days before is below 25%.",
		"window: {during: fair, of: net, above: 30%, grade: act}": "Act " +
			"now when net during the fair as a share of the month is above 30%.",
		"window: {shift: sales, after: returns, number: net, days: 7 days, beyond: 30%, grade: act}": "Act " +
			"now when net of the orders a day changes by more than 30% on the low side from the 7 days before one of the returns to the 7 days after.",
		"window: {shift: sales, after: returns, days: 7 days, as: difference, at_least: 3, side: high, peers: yes, least_peers: 4, grade: act}": "Act " +
			"now when orders a day changes by at least 3 on the high side, the median change of the others taken off (with fewer than 4 others it is not " +
			"judged), from the 7 days before one of the returns to the 7 days after.",
		"window: {shift: sales, after: returns, number: net, days: 7 days, less_than: 10%, grade: act}": "Act " +
			"now when net of the orders a day rises by less than 10% from the 7 days before one of the returns to the 7 days after.",
		"window: {shift: sales, after: returns, number: net, days: 7 days, at_most: 10%, grade: act}": "Act " +
			"now when net of the orders a day rises by at most 10% from the 7 days before one of the returns to the 7 days after.",
		"outlier: {of: net, by: control chart, side: both, grade: act}": "Act " +
			"now when the chart of net over its own 12 periods before shows a value beyond 3 sigma; with fewer than 8 of them it is not judged." + noData,
		"outlier: {of: net, by: control chart, baseline_from: 2025-01, baseline_to: 2025-12, side: low, grade: act}": "Act " +
			"now when the chart of net over a baseline from Jan 2025 to Dec 2025 shows a value beyond 3 sigma, ending on the low side; with fewer than 8 of " +
			"them it is not judged." + noData,
		"outlier: {of: net, by: EWMA, side: low, grade: act}": "Act " +
			"now when the EWMA of net, each new value weighing 0.2, is beyond 3 sigma on the low side by its own 12 periods before; with fewer than 8 of " +
			"them it is not judged." + noData,
		"outlier: {of: net, by: CUSUM, side: both, grade: act}": "Act " +
			"now when the deviations of net add up to more than 5 sigma on either side, 0.5 sigma of each let pass, by its own 12 periods before; with fewer " +
			"than 8 of them it is not judged." + noData,
		"outlier: {of: net, by: level shift, over: 24 periods, beyond: 4, recent: 6 periods, side: both, grade: act}": "Act " +
			"now when the level of net has shifted within the last 24 periods by more than 4 robust deviations on either side, begun in the last 6 periods; " +
			"with fewer than 16 of them it is not judged." + noData,
		"outlier: {of: net, by: false discovery rate, side: both, grade: act}": "Act " +
			"now when net lies so far from all shops on either side that at most 5% of those flagged are there by chance (normal model)" + few + noData,
	} {
		b := read(t, rule)
		assert.Equal(t, "Each month, for every shop: "+words, b.Words(&b.Rules[0]), rule)
	}
}

// An example of a shift lies beyond its cut, on the side that the rule looks at; of a change
// that should have come, short of it.
func TestExamplesOfAShift(t *testing.T) {
	for setting, examples := range map[string]string{
		"beyond: 30%":              "-31% act, -30% clear, 31% clear, 0% clear, -5% clear",
		"beyond: 30%, side: high":  "31% act, 30% clear, -31% clear",
		"beyond: 30%, side: both":  "31% act, -31% act, 30% clear, -30% clear, 5% clear",
		"at_least: 30%":            "-30% act, -31% act, -29% clear, 30% clear",
		"less_than: 10%":           "9% act, -40% act, 10% clear, 20% clear",
		"at_most: 10%, side: high": "10% act, 9% act, 10.01% clear",
	} {
		for _, example := range strings.Split(examples, ", ") {
			change, is, _ := strings.Cut(example, " ")
			for _, told := range []string{"act", "clear"} {
				all := problems("window: {shift: sales, after: returns, number: net, days: 7 days, " + setting + ", grade: act}, examples: [{shift: " + change +
					", is: " + told + "}]")
				assert.Equal(t, told == is, len(all) == 0, "%s: %s is %s: %v", setting, change, told, all)
			}
		}
	}
}
