package judge_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/core/method"
	"oskel/core/rulebook"
)

// Who compares with the past is asked what has ended, wherever the past stands
// in the rule; who does not may not say it.
func TestWhoIsAskedWhatHasEnded(t *testing.T) {
	const more = "  grown: {formula: \"growth(revenue)\", unit: percent}\n  twice: {formula: \"grown * 2\", unit: percent}\n  usual: {formula: " +
		"\"history(revenue, 3, median)\", unit: money}\n"
	book := func(rule string) (advice string, problems []rulebook.Problem) {
		b, problems := rulebook.Read([]byte(strings.Replace(head, "desks:", more+"desks:", 1)+rule), method.All())
		if len(problems) > 0 {
			return "", problems
		}
		for _, a := range b.Advice() {
			advice += a.Path + ": " + a.Text + "\n"
		}
		return advice, nil
	}
	const asked = "so the steepest fall is not flagged"
	for rule, past := range map[string]bool{
		"threshold: {of: grown, bands: [{grade: act, below: -40%}, {clear: rest}]}":                                                       true,
		"threshold: {of: twice, bands: [{grade: act, below: -40%}, {clear: rest}]}":                                                       true,
		"threshold: {of: revenue, against: earlier(revenue), as: change, bands: [{grade: act, below: -40%}, {clear: rest}]}":              true,
		"threshold: {of: revenue, against: \"history(revenue, 3, median)\", as: ratio, bands: [{grade: act, below: 60%}, {clear: rest}]}": true,
		"threshold: {choose: [{grade: act, all: [grown below -40%, orders above 1]}]}":                                                    true,
		"outlier: {of: twice, by: robust score, beyond: 3.5, side: low, peers: 8, grade: act}":                                            true,
		"threshold: {of: revenue, bands: [{grade: act, below: 40}, {clear: rest}]}":                                                       false,
		"threshold: {of: usual, bands: [{grade: act, below: 40}, {clear: rest}]}":                                                         false,
		"threshold: {of: revenue, against: target, as: ratio, bands: [{grade: act, below: 60%}, {clear: rest}]}":                          false,
		"threshold: {of: revenue, against: cost, as: difference, bands: [{grade: act, below: 0}, {clear: rest}]}":                         false,
		"threshold: {choose: [{grade: act, all: [margin below 10%]}]}":                                                                    false,
		"outlier: {of: revenue, by: robust score, beyond: 3.5, side: low, peers: 8, grade: act}":                                          false,
		"window: {silence: sales, at_least: 40 days, grade: act}":                                                                         false,
	} {
		advice, problems := book("  - {name: r, judges: rep, " + rule + "}\n")
		require.Empty(t, problems, rule)
		assert.Equal(t, past, strings.Contains(advice, asked), rule)
		for _, said := range []string{"counts as zero", "no data"} {
			advice, problems = book("  - {name: r, judges: rep, ended: " + said + ", " + rule + "}\n")
			assert.Equal(t, past, len(problems) == 0, "%s: %v", rule, problems)
			assert.NotContains(t, advice, asked)
		}
	}
	// A base of now leaves out who ended; one of before does not.
	const fell = "threshold: {of: revenue, against: earlier(revenue), as: change, bands: [{grade: act, below: -40%}, {clear: rest}]}"
	advice, _ := book("  - {name: r, judges: rep, ended: counts as zero, base: {revenue: at least 100}, " + fell + "}\n")
	assert.Contains(t, advice, "fall below the minimum")
	advice, _ = book("  - {name: r, judges: rep, ended: counts as zero, base: {usual: at least 100}, " + fell + "}\n")
	assert.NotContains(t, advice, "fall below the minimum")
	advice, _ = book("  - {name: r, judges: rep, ended: no data, base: {revenue: at least 100}, " + fell + "}\n")
	assert.NotContains(t, advice, "fall below the minimum")
}

// Measures that nothing uses are told once, together; where all are used,
// nothing is said of them.
func TestWhatNothingUses(t *testing.T) {
	const all = "oskel: 1\nkinds: {rep: {}}\nfeeds: {sales: {date: day, subjects: {rep: rep}, numbers: {net: money}}}\ngrades: [{name: " +
		"act}]\nmeasures:\n  revenue: {sum: sales.net, unit: money}\n"
	const rest = "desks: [{name: d}]\nroutes: [{otherwise: d}]\nrules:\n  - {name: r, judges: rep, threshold: {of: revenue, bands: [{grade: act, " +
		"below: 1}, {clear: rest}]}}\n"
	b, problems := rulebook.Read([]byte(all+rest), method.All())
	require.Empty(t, problems)
	assert.Empty(t, b.Advice())
	b, problems = rulebook.Read([]byte(all+"  a: {count: sales, unit: count}\n  b: {maximum: sales.net, unit: money}\n"+rest), method.All())
	require.Empty(t, problems)
	require.Len(t, b.Advice(), 1)
	assert.Contains(t, b.Advice()[0].Text, "a, b")
}
