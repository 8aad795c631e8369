package judge_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"oskel/core/judge"
	"oskel/core/method"
	"oskel/core/rulebook"
)

// What a choice's condition says with 'and', 'or', 'not' and parentheses is
// what the same of each comparison says.
func TestConditionsOfChoices(t *testing.T) {
	lines := []line{{0, "2026-10-01", "100", "80"}, {1, "2026-10-01", "100", "20"}, {2, "2026-10-01", "900", "800"}, {3, "2026-10-01", "900", "100"}}
	big, thin := []bool{false, false, true, true}, []bool{true, false, true, false}
	south := []bool{false, true, false, true}
	rapid.Check(t, func(t *rapid.T) {
		var build func(depth int) (string, func(int) bool)
		build = func(depth int) (string, func(int) bool) {
			switch n := rapid.IntRange(0, 5).Draw(t, "node"); {
			case n < 3 || depth == 0:
				return []string{"revenue above 500", "margin below 50%", "rep.territory is \"South\""}[n%3], func(i int) bool { return [][]bool{big, thin, south}[n%3][i] }
			case n == 3:
				text, of := build(depth - 1)
				return "not (" + text + ")", func(i int) bool { return !of(i) }
			default:
				a, of := build(depth - 1)
				b, also := build(depth - 1)
				if n == 4 {
					return "(" + a + ") and (" + b + ")", func(i int) bool { return of(i) && also(i) }
				}
				return "(" + a + ") or (" + b + ")", func(i int) bool { return of(i) || also(i) }
			}
		}
		text, of := build(3)
		// An attribute alone is no condition of a figure: whoever has one is judged by it.
		e := world(t, 4, fmt.Sprintf("\n  - {name: chosen, judges: rep, threshold: {choose: [{grade: act, all: ['%s', revenue above 0]}]}}\n", text), lines...)
		r := one(e, "chosen", october)
		for i := range 4 {
			assert.Equal(t, of(i), r.Verdict(uint32(i)).Grade == "act", "R%d by %s", i, text)
		}
	})
}

// All, any, none and some of the conditions, of a subject of whom one is
// missing too.
func TestHowManyOfTheConditions(t *testing.T) {
	lines := []line{{0, "2026-10-01", "100", "90"}, {1, "2026-10-01", "1000", "900"}, {2, "2026-10-01", "1000", "100"}, {3, "2026-10-01", "0", "10"}}
	for how, want := range map[string]string{
		"all: %s":                     "clear; breach act; clear; clear",
		"any: %s":                     "breach act; breach act; breach act; clear",
		"none: %s":                    "clear; clear; clear; breach act",
		"some: {at_least: 1, of: %s}": "breach act; breach act; breach act; clear",
		"some: {at_least: 2, of: %s}": "clear; breach act; clear; clear",
	} {
		e := world(t, 4, "\n  - {name: chosen, judges: rep, threshold: {choose: [{grade: act, "+fmt.Sprintf(how, "[revenue above 500, margin below 50%]")+
			"}]}}\n", lines...)
		assert.Equal(t, want, verdicts(one(e, "chosen", october)), how)
	}
}

// An example of an outlier rule lies beyond the cut strictly, on the sides that
// the rule looks at.
func TestExamplesAtTheCutOfAnOutlier(t *testing.T) {
	for _, c := range []struct {
		side, score string
		beyond      bool
	}{
		{"high", "3.5", false}, {"high", "3.5001", true}, {"high", "-9", false},
		{"low", "-3.5", false}, {"low", "-3.5001", true}, {"low", "9", false},
		{"both", "3.5", false}, {"both", "-3.5", false}, {"both", "-3.6", true}, {"both", "3.6", true}, {"both", "0", false},
	} {
		is := map[bool]string{true: "act", false: "clear"}
		for _, said := range []bool{true, false} {
			_, problems, _ := judge.ReadBook([]byte(head + fmt.Sprintf("  - {name: far, judges: rep, outlier: {of: revenue, by: robust score, beyond: 3.5, "+
				"side: %s, peers: 3, grade: act}, examples: [{score: %s, is: %s}]}\n", c.side, c.score, is[said])))
			assert.Equal(t, said == c.beyond, len(problems) == 0, "%s %s is %s: %v", c.side, c.score, is[said], problems)
		}
	}
}

// A rule is hidden by an earlier one of the same kind whose flags hold all of
// its own, and by no other.
func TestWhichRulesAreHidden(t *testing.T) {
	const first = "  - {name: first, title: First, judges: rep, last_word: true, threshold: {of: revenue, bands: [{grade: act, below: 100}, {clear: rest}]}}\n"
	const second = "  - {name: second, title: Second, judges: rep, threshold: {of: revenue, bands: [{grade: look, below: 50}, {clear: rest}]}}\n"
	hidden := func(rules string) bool {
		book, problems := rulebook.Read([]byte(head+rules), method.All())
		require.Empty(t, problems)
		for _, a := range book.Advice() {
			if strings.Contains(a.Text, "never reached") {
				return true
			}
		}
		return false
	}
	assert.True(t, hidden(first+second))
	for _, change := range [][2]string{
		{"last_word: true", "last_word: false"}, {"title: First,", "title: First, on: false,"},
		{"title: First,", "title: First, where: rep.territory is \"South\","}, {"title: First,", "title: First, base: {revenue: at least 1},"},
		{"title: First,", "title: First, valid_from: 2026-01-01,"}, {"title: First,", "title: First, persists: 2 of 3,"},
		{"title: Second,", "title: Second, on: false,"}, {"title: Second,", "title: Second, no_data: look,"},
		{"below: 50", "below: 150"}, {"judges: rep, threshold: {of: revenue, bands: [{grade: look",
			"judges: rep.territory, threshold: {of: revenue, bands: [{grade: look"},
		{"of: revenue, bands: [{grade: look", "of: cost, bands: [{grade: look"},
		{"of: revenue, bands: [{grade: look", "of: revenue, against: cost, as: difference, bands: [{grade: look"},
		{"threshold: {of: revenue, bands: [{grade: look, below: 50}, {clear: rest}]}", "threshold: {choose: [{grade: look, all: [revenue below 50]}]}"},
		{"threshold: {of: revenue, bands: [{grade: act, below: 100}, {clear: rest}]}", "threshold: {choose: [{grade: act, all: [revenue below 100]}]}"},
		{"threshold: {of: revenue, bands: [{grade: look, below: 50}, {clear: rest}]}", "window: {silence: sales, at_least: 40 days, grade: look}"},
	} {
		text := strings.Replace(first+second, change[0], change[1], 1)
		require.NotEqual(t, first+second, text)
		assert.False(t, hidden(text), change[1])
	}
	assert.True(t, hidden(strings.Replace(first+second, "below: 50", "below: 100", 1)), "the very same")
}
